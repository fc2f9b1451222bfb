//! Sheets with their walls as faces: where a crease ends at a border that is not square to it, the walls beside it are at an angle,
//! and are cut against each other and against the skins like all other faces.

use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use geometry::{Domain, NurbsCurve, NurbsSurface, Point3, Vector3};
use topology::{Edge, EdgeId, Face, Loop, OrientedEdge, Shell, VertexId, face_extent, straight_pcurve};

use super::carried::curve_on;
use super::rebuilt::{ASKEW, rebuilt};
use super::{Joints, Kind, OffsetShell, Offsets, face_surface, offset_of};
use crate::SurfacingError;
use crate::halves::Halves;
use crate::side::Side;
use crate::thick::wall_from;

/// How many times as long as the wall is thick the edge between two walls may be.
const FAR: f64 = 1.2;
/// Share of the fit tolerance by which what meets at its ends may be apart: walls next to level have no place in common that is sure,
/// and the edge between them would be led past it and back.
const LOOSE: f64 = 0.1;

/// A sheet's outer and inner skin in one shell with walls between, all where the sheet is: what they are when they are offset is up to
/// [`rebuilt`].
struct Sheet<'a> {
    offsets: &'a Offsets<'a>,
    halves: Halves<'a>,
    /// Millimetres to the outer and to the inner side of each face.
    reach: &'a [[f64; 2]],
    border: Vec<Bordering>,
    edges: Vec<Edge>,
    faces: Vec<Face>,
}

/// A half-edge along the border, of which a wall is made; its number is that of the wall.
struct Bordering {
    half: usize,
    /// The number of the next one along the border.
    next: usize,
    /// The half-edges inside the sheet between the two.
    inside: Vec<usize>,
}

impl Offsets<'_> {
    /// The solid between both skins of a sheet and walls square to its faces along its free edges, with the roles of all. It reaches
    /// `reach[face]` mm to either side, and has no steps.
    ///
    /// # Errors
    /// `OffsetOpen` where faces do not close up, `OffsetFolds` where one bends more tightly than its distance.
    pub(crate) fn with_walls(&self, reach: &[[f64; 2]]) -> Result<OffsetShell, SurfacingError> {
        let shell = self.shell;
        let named = |name: &str| shell.clone().with_roles(&|role| format!("{name} {role}"));
        let both = named("outer").beside(&named("inner").flipped());
        let halves = Halves::new(shell);
        let mut sheet = Sheet {
            offsets: self,
            border: border_of(&halves),
            halves,
            reach,
            edges: both.edges().to_vec(),
            faces: both.faces().to_vec(),
        };
        let outward: Vec<f64> = reach.iter().map(|sides| sides[0]).collect();
        let inward: Vec<f64> = reach.iter().map(|sides| sides[1]).collect();
        let skins = [&outward, &inward.iter().map(|d| -d).collect()].map(|distances| self.joints(distances));
        let smooth = sheet.add_rungs(&skins)?;
        sheet.add_walls()?;
        let neighbours = sheet.neighbours();
        let whole = Shell::try_new(both.vertices().to_vec(), sheet.edges, sheet.faces)?;
        let mut distances = [outward, inward].concat();
        distances.resize(whole.faces().len(), 0.0);
        let mut joints = Offsets::new(&whole, self.tolerance)?.joints(&distances);
        let copies = skins.iter().flat_map(|j| &j.kinds);
        for (kind, own) in joints.kinds.iter_mut().zip(copies) {
            *kind = if *own == Kind::Free { Kind::Sharp } else { *own };
        }
        for (kind, is_smooth) in joints.kinds[2 * shell.edges().len()..].iter_mut().zip(smooth) {
            *kind = if is_smooth { Kind::Smooth } else { Kind::Sharp };
        }
        let made = rebuilt(&whole, &distances, &joints, ASKEW, self.tolerance)?;
        // Walls next to level, or bent the wrong way, would end each other far from the crease.
        let most = FAR * reach.iter().map(|[outward, inward]| outward + inward).fold(0.0, f64::max);
        let loose = LOOSE * self.tolerance.fit;
        match neighbours.into_iter().find(|(_, walls)| !meet_within(&made, *walls, most, loose)) {
            Some((at, _)) => Err(SurfacingError::OffsetOpen { at: at.into() }),
            None => Ok(made),
        }
    }
}

/// The half-edges along the borders of a shell.
fn border_of(halves: &Halves<'_>) -> Vec<Bordering> {
    // What has no length is no border.
    let is_free =
        |h: usize| halves.all[h].twin.is_none() && halves.shell.edge(halves.all[h].edge).curve.is_some();
    let border: Vec<usize> = (0..halves.all.len()).filter(|h| is_free(*h)).collect();
    let number: BTreeMap<usize, usize> = border.iter().enumerate().map(|(k, h)| (*h, k)).collect();
    let with_next = |&half: &usize| {
        let mut inside = Vec::new();
        let mut here = halves.all[half].next;
        loop {
            if let Some(&next) = number.get(&here) {
                return Bordering { half, next, inside };
            }
            if halves.all[here].twin.is_some() {
                inside.push(here);
            }
            here = halves.all[halves.all[here].twin.unwrap_or(here)].next;
        }
    };
    border.iter().map(with_next).collect()
}

/// Whether two faces of what an offset was made from share an edge of it, none that is longer, and none at whose ends edges are more
/// than `loose` mm apart.
fn meet_within(made: &OffsetShell, faces: [usize; 2], most: f64, loose: f64) -> bool {
    let uses = |face: usize| {
        let own = made.shell.faces().iter().zip(&made.of).filter(move |(_, of)| **of == face);
        own.flat_map(|(f, _)| &f.loops).flat_map(|l| &l.edges).map(|u| u.edge)
    };
    let others: BTreeSet<EdgeId> = uses(faces[1]).collect();
    let mut shared = uses(faces[0]).filter(|e| others.contains(e)).peekable();
    let length = |e: EdgeId| made.shell.edge(e).curve.as_ref().map_or(0.0, NurbsCurve::length);
    let come_together = |v: VertexId| {
        let curves = made.shell.edges().iter().filter_map(|e| Some((e, e.curve.as_ref()?)));
        let ends = curves.flat_map(|(e, c)| [(e.start, c.start()), (e.end, c.end())]);
        let near = |p: Point3| (p - made.shell.vertex(v).point).norm() <= loose;
        ends.filter(|(at, _)| *at == v).all(|(_, p)| near(p))
    };
    let is_sure =
        |e: EdgeId| [made.shell.edge(e).start, made.shell.edge(e).end].into_iter().all(come_together);
    shared.peek().is_some() && shared.all(|e| length(e) <= most && is_sure(e))
}

impl Sheet<'_> {
    /// The numbers of the faces of neighbouring walls, with where they meet.
    fn neighbours(&self) -> Vec<(Point3, [usize; 2])> {
        let first = 2 * self.halves.shell.faces().len();
        let apart = self.border.iter().enumerate().filter(|(k, b)| *k != b.next);
        apart
            .map(|(k, b)| (self.halves.shell.vertex(self.end(b)).point, [first + k, first + b.next]))
            .collect()
    }

    /// Where a border's half-edge ends.
    fn end(&self, border: &Bordering) -> VertexId {
        self.halves.origin(self.border[border.next].half)
    }

    /// The edge from the inner to the outer skin at the end of a wall.
    fn rung(&self, wall: usize) -> EdgeId {
        EdgeId((2 * self.halves.shell.edges().len() + wall) as u32)
    }

    /// The outer normal of a half-edge's face where it ends or begins.
    fn normal(&self, half: usize, at_end: bool) -> Option<Vector3> {
        let one = self.halves.all[half];
        let used = self.halves.used(half);
        let d = used.pcurve.domain();
        let t = if one.forward == at_end { d.end } else { d.start };
        Side::new(&self.halves.shell.faces()[one.face], used, t).map(|s| s.normal)
    }

    /// Edges between neighbouring walls; tells of each whether the sheet is smooth there, so that the walls share it.
    fn add_rungs(&mut self, skins: &[Joints; 2]) -> Result<Vec<bool>, SurfacingError> {
        let count = self.halves.shell.vertices().len() as u32;
        let mut smooth = Vec::new();
        for border in &self.border {
            let v = self.end(border);
            let at = self.halves.shell.vertex(v).point;
            let lost = || SurfacingError::OffsetOpen { at: at.into() };
            let next = self.border[border.next].half;
            let (a, b) = self.normal(border.half, true).zip(self.normal(next, false)).ok_or_else(lost)?;
            let up = (a + b).try_normalize(f64::MIN_POSITIVE).ok_or_else(lost)?;
            let both = [border.half, next].map(|h| self.reach[self.halves.all[h].face]);
            let [outward, inward] = [0, 1].map(|k| f64::max(both[0][k], both[1][k]));
            let curve = NurbsCurve::line(at - up * inward, at + up * outward);
            self.edges.push(Edge {
                start: VertexId(v.0 + count),
                end: v,
                curve: Some(curve),
                tolerance: 1.01 * outward.max(inward),
            });
            let is_smooth = |h: &usize| {
                let e = self.halves.all[*h].edge.index();
                skins.iter().all(|j| j.kinds[e] != Kind::Sharp)
            };
            smooth.push(border.inside.iter().all(is_smooth));
        }
        Ok(smooth)
    }

    /// The surfaces of a face's outer and inner skin.
    fn skins_of(&self, number: usize) -> Result<[Arc<NurbsSurface>; 2], SurfacingError> {
        let face = &self.halves.shell.faces()[number];
        let part = face_extent(face);
        let surface = face_surface(face, part);
        let sign = if face.reversed { -1.0 } else { 1.0 };
        let [outward, inward] = self.reach[number];
        // A skin that folds may have no room beside the border; its wall stands square to it all the same.
        let at = |d: f64| offset_of(&surface, sign * d, None, self.offsets.tolerance).map(|made| made.0);
        Ok([at(outward)?, at(-inward)?])
    }

    /// Walls square to the faces along the border, from the outer skin to the inner one and along the half-edges.
    fn add_walls(&mut self) -> Result<(), SurfacingError> {
        let before: BTreeMap<usize, usize> =
            self.border.iter().enumerate().map(|(k, b)| (b.next, k)).collect();
        let unit = Domain::new(0.0, 1.0);
        let edge_count = self.halves.shell.edges().len() as u32;
        let mut offset: BTreeMap<usize, [Arc<NurbsSurface>; 2]> = BTreeMap::new();
        for (number, border) in self.border.iter().enumerate() {
            let one = self.halves.all[border.half];
            let used = self.halves.used(border.half);
            let tolerance = self.offsets.tolerance;
            let skins = match offset.entry(one.face) {
                Entry::Occupied(known) => known.into_mut(),
                Entry::Vacant(new) => new.insert(self.skins_of(one.face)?),
            };
            let sides = skins.each_ref().map(|surface| {
                let (curve, _) = curve_on(surface, &used.pcurve, tolerance)?;
                Ok::<_, SurfacingError>(if one.forward { curve } else { curve.reversed() })
            });
            let [outer, inner] = sides;
            let wall = wall_from(&outer?, &inner?)?;
            let d = used.pcurve.domain();
            let v = if one.forward { [0.0, 1.0] } else { [1.0, 0.0] };
            let along = |u: f64| straight_pcurve(d, [u, v[0]], [u, v[1]]);
            let across = |v: f64| straight_pcurve(unit, [1.0, v], [0.0, v]);
            let edges = vec![
                OrientedEdge { edge: self.rung(before[&number]), forward: false, pcurve: across(0.0)? },
                OrientedEdge {
                    edge: EdgeId(one.edge.0 + edge_count),
                    forward: one.forward,
                    pcurve: along(1.0)?,
                },
                OrientedEdge { edge: self.rung(number), forward: true, pcurve: across(1.0)? },
                OrientedEdge { edge: one.edge, forward: !one.forward, pcurve: along(0.0)? },
            ];
            self.faces.push(Face {
                surface: wall.into(),
                reversed: false,
                loops: vec![Loop { edges }],
                role: format!("wall {}", number + 1),
            });
        }
        Ok(())
    }
}
