//! Sheets with their walls as faces: where a crease ends at a border that is not square to it, the walls beside it are at an angle,
//! and are cut against each other and against the skins like all other faces.

use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use geometry::{Domain, NurbsCurve, NurbsSurface, Point3, Vector3, compatible};
use topology::{
    Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, face_extent, straight_pcurve,
};

use super::carried::curve_on;
use super::rebuilt::{ASKEW, rebuilt};
use super::{Joints, Kind, OffsetShell, Offsets, face_surface, offset_of};
use crate::SurfacingError;
use crate::halves::Halves;
use crate::side::Side;

/// How many times as long as the wall is thick the edge between two walls may be.
const FAR: f64 = 3.0;

/// A sheet's outer and inner skin in one shell with walls between, all where the sheet is: what they are when they are offset is up to
/// [`rebuilt`].
struct Sheet<'a> {
    offsets: &'a Offsets<'a>,
    halves: Halves<'a>,
    /// Millimetres to the outer and to the inner side.
    reach: [f64; 2],
    edges: Vec<Edge>,
    faces: Vec<Face>,
    /// Edges from the inner to the outer skin between walls, by the half-edge of the wall that ends there.
    rungs: BTreeMap<usize, EdgeId>,
}

impl Offsets<'_> {
    /// The solid between both skins of a sheet and walls square to its faces along its free edges, with the roles of all.
    ///
    /// # Errors
    /// `OffsetOpen` where faces do not close up, `OffsetFolds` where one bends more tightly than its distance.
    pub(crate) fn with_walls(&self, outward: f64, inward: f64) -> Result<OffsetShell, SurfacingError> {
        let shell = self.shell;
        let named = |name: &str| shell.clone().with_roles(&|role| format!("{name} {role}"));
        let both = named("outer").beside(&named("inner").flipped());
        let mut vertices: Vec<Vertex> = both.vertices().to_vec();
        let mut sheet = Sheet {
            offsets: self,
            halves: Halves::new(shell),
            reach: [outward, inward],
            edges: both.edges().to_vec(),
            faces: both.faces().to_vec(),
            rungs: BTreeMap::new(),
        };
        let skins = [
            self.joints(&vec![outward; shell.faces().len()]),
            self.joints(&vec![-inward; shell.faces().len()]),
        ];
        let smooth = sheet.add_rungs(&mut vertices, &skins)?;
        sheet.add_walls()?;
        let neighbours = sheet.neighbours();
        let whole = Shell::try_new(vertices, sheet.edges, sheet.faces)?;
        let count = shell.faces().len();
        let mut distances = vec![0.0; whole.faces().len()];
        distances[..count].fill(outward);
        distances[count..2 * count].fill(inward);
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
        let most = FAR * (outward + inward);
        match neighbours.into_iter().find(|(_, walls)| !meet_within(&made, *walls, most)) {
            Some((at, _)) => Err(SurfacingError::OffsetOpen { at: at.into() }),
            None => Ok(made),
        }
    }
}

/// Whether two faces of what an offset was made from share an edge of it, and none that is longer.
fn meet_within(made: &OffsetShell, faces: [usize; 2], most: f64) -> bool {
    let uses = |face: usize| {
        let own = made.shell.faces().iter().zip(&made.of).filter(move |(_, of)| **of == face);
        own.flat_map(|(f, _)| &f.loops).flat_map(|l| &l.edges).map(|u| u.edge)
    };
    let others: BTreeSet<EdgeId> = uses(faces[1]).collect();
    let mut shared = uses(faces[0]).filter(|e| others.contains(e)).peekable();
    let length = |e: EdgeId| made.shell.edge(e).curve.as_ref().map_or(0.0, NurbsCurve::length);
    shared.peek().is_some() && shared.all(|e| length(e) <= most)
}

impl Sheet<'_> {
    /// The half-edge along the border after one of it, with those inside between.
    fn next_on_border(&self, half: usize) -> (usize, Vec<usize>) {
        let mut inside = Vec::new();
        let mut here = self.halves.all[half].next;
        loop {
            let one = self.halves.all[here];
            match one.twin {
                Some(twin) => {
                    inside.push(here);
                    here = self.halves.all[twin].next;
                }
                // What has no length is no border.
                None if self.halves.shell.edge(one.edge).curve.is_none() => here = one.next,
                None => return (here, inside),
            }
        }
    }

    fn border(&self) -> Vec<usize> {
        let has_length = |h: usize| self.halves.shell.edge(self.halves.all[h].edge).curve.is_some();
        (0..self.halves.all.len()).filter(|&h| self.halves.all[h].twin.is_none() && has_length(h)).collect()
    }

    /// The numbers of neighbouring walls, with where they meet.
    fn neighbours(&self) -> Vec<(Point3, [usize; 2])> {
        let border = self.border();
        let first = 2 * self.halves.shell.faces().len();
        let number: BTreeMap<usize, usize> =
            border.iter().enumerate().map(|(k, &h)| (h, first + k)).collect();
        let beside = |&half: &usize| {
            let next = self.next_on_border(half).0;
            let at = self.halves.shell.vertex(self.halves.origin(next)).point;
            (number[&half] != number[&next]).then(|| (at, [number[&half], number[&next]]))
        };
        border.iter().filter_map(beside).collect()
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
    fn add_rungs(
        &mut self,
        vertices: &mut [Vertex],
        skins: &[Joints; 2],
    ) -> Result<Vec<bool>, SurfacingError> {
        let count = self.halves.shell.vertices().len() as u32;
        let mut smooth = Vec::new();
        for half in self.border() {
            let (next, inside) = self.next_on_border(half);
            let v = self.halves.origin(next);
            let at = vertices[v.index()].point;
            let lost = || SurfacingError::OffsetOpen { at: at.into() };
            let (a, b) = self.normal(half, true).zip(self.normal(next, false)).ok_or_else(lost)?;
            let up = (a + b).try_normalize(f64::MIN_POSITIVE).ok_or_else(lost)?;
            let [outward, inward] = self.reach;
            let curve = NurbsCurve::line(at - up * inward, at + up * outward);
            self.rungs.insert(half, EdgeId(self.edges.len() as u32));
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
            smooth.push(inside.iter().all(is_smooth));
        }
        Ok(smooth)
    }

    /// The surfaces of a face's outer and inner skin.
    fn skins_of(&self, face: &Face) -> Result<[Arc<NurbsSurface>; 2], SurfacingError> {
        let part = face_extent(face);
        let surface = face_surface(face, part);
        let sign = if face.reversed { -1.0 } else { 1.0 };
        let [outward, inward] = self.reach;
        let at =
            |d: f64| offset_of(&surface, sign * d, Some(part), self.offsets.tolerance).map(|made| made.0);
        Ok([at(outward)?, at(-inward)?])
    }

    /// Walls square to the faces along the border, from the outer skin to the inner one and along the half-edges.
    fn add_walls(&mut self) -> Result<(), SurfacingError> {
        let border = self.border();
        let before: BTreeMap<usize, usize> = border.iter().map(|&h| (self.next_on_border(h).0, h)).collect();
        let unit = Domain::new(0.0, 1.0);
        let edge_count = self.halves.shell.edges().len() as u32;
        let mut offset: BTreeMap<usize, [Arc<NurbsSurface>; 2]> = BTreeMap::new();
        for (number, &half) in border.iter().enumerate() {
            let one = self.halves.all[half];
            let face = &self.halves.shell.faces()[one.face];
            let used = self.halves.used(half);
            let tolerance = self.offsets.tolerance;
            let skins = match offset.entry(one.face) {
                Entry::Occupied(known) => known.into_mut(),
                Entry::Vacant(new) => new.insert(self.skins_of(face)?),
            };
            let sides = skins.each_ref().map(|surface| {
                let (curve, _) = curve_on(surface, &used.pcurve, tolerance)?;
                Ok::<_, SurfacingError>(if one.forward { curve } else { curve.reversed() }.over(unit))
            });
            let [outer, inner] = sides;
            let both = compatible(&[outer?, inner?])?;
            let wall = NurbsSurface::ruled(&both[0], &both[1])?;
            let d = used.pcurve.domain();
            let v = if one.forward { [0.0, 1.0] } else { [1.0, 0.0] };
            let along = |u: f64| straight_pcurve(d, [u, v[0]], [u, v[1]]);
            let across = |v: f64| straight_pcurve(unit, [1.0, v], [0.0, v]);
            let rung = |half: usize| self.rungs.get(&half).copied();
            let ends = before.get(&half).and_then(|b| rung(*b)).zip(rung(half));
            let at = face.surface.point(used.pcurve.start().x, used.pcurve.start().y);
            let (first, last) = ends.ok_or(SurfacingError::OffsetOpen { at: at.into() })?;
            let edges = vec![
                OrientedEdge { edge: first, forward: false, pcurve: across(0.0)? },
                OrientedEdge {
                    edge: EdgeId(one.edge.0 + edge_count),
                    forward: one.forward,
                    pcurve: along(1.0)?,
                },
                OrientedEdge { edge: last, forward: true, pcurve: across(1.0)? },
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
