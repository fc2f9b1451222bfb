//! Raised regions with straight sides: a wall over each piece of the outline, as long as it has to be, put together with what is
//! lifted as the faces of one shell, so that a wall without room goes, and walls are cut against each other.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use geometry::{Domain, NurbsCurve, Point3, Tolerance, Vector3};
use topology::{Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, straight_pcurve};

use super::RaisedRegion;
use super::outlined::{Drawn, Outlined, STEEPEST};
use crate::SurfacingError;
use crate::halves::Halves;
use crate::offset_shell::put_together;
use crate::strip::{Along, Cross, Strip, WITH_TANGENTS};

/// Places of each piece at which is looked how long its wall has to be.
const LOOKED_AT: usize = 24;
/// Halvings in which is found up to where a wall does not fold, and the share of that up to which it is made.
const HALVINGS: usize = 30;
const UNFOLDED: f64 = 0.98;
/// Share of the fit tolerance within which rulings have a tip in common.
const ONE_TIP: f64 = 1e-3;

/// The shell with what lies inside the outlines moved, and the largest deviation of faces.
///
/// # Errors
/// `OutlineOverEdge`, `RaisedFolds`; those of the walls.
pub(super) fn leaning(
    drawn: &Drawn<'_>,
    region: &RaisedRegion<'_>,
    angle: f64,
    tolerance: &Tolerance,
) -> Result<(Shell, f64), SurfacingError> {
    let outlined = drawn.outlined()?;
    Walls::new(&outlined, drawn, region, angle, tolerance)?.built()
}

/// A wall over an edge of the outline, before it is cut.
struct Wall {
    /// The half-edge of the region along its foot, and the number of the next wall.
    half: usize,
    next: usize,
    strip: Strip,
    /// How far it goes, in mm for each mm of its rulings' way.
    reach: f64,
    /// The number of the piece of the outline that it stands on, if that has several.
    piece: Option<usize>,
}

struct Walls<'a> {
    outlined: &'a Outlined,
    region: &'a RaisedRegion<'a>,
    angle: f64,
    tolerance: &'a Tolerance,
    /// The role of the face that the region begins on.
    on: &'a str,
    halves: Halves<'a>,
    walls: Vec<Wall>,
    max_deviation: f64,
}

/// A place of the outline: the direction of the ruling there, for each mm along the region's direction.
struct Ruling {
    foot: Point3,
    at: [f64; 2],
    way: Vector3,
    /// How far along `way` the offset of the face lies, if it were flat.
    reach: f64,
}

impl<'a> Walls<'a> {
    fn new(
        outlined: &'a Outlined,
        drawn: &'a Drawn<'_>,
        region: &'a RaisedRegion<'a>,
        angle: f64,
        tolerance: &'a Tolerance,
    ) -> Result<Self, SurfacingError> {
        let (halves, on) = (Halves::new(&outlined.shell), drawn.role());
        let mut made =
            Self { outlined, region, angle, tolerance, on, halves, walls: Vec::new(), max_deviation: 0.0 };
        let is_foot = |h: &usize| {
            let half = made.halves.all[*h];
            outlined.inside.contains(&half.face) && outlined.edges.contains(&half.edge)
        };
        let feet: Vec<usize> = (0..made.halves.all.len()).filter(is_foot).collect();
        let number: BTreeMap<usize, usize> = feet.iter().enumerate().map(|(k, h)| (*h, k)).collect();
        let mut walls = Vec::with_capacity(feet.len());
        for &half in &feet {
            let mut here = made.halves.all[half].next;
            while !number.contains_key(&here) {
                // An outline that ends at the border of an opening is cut off there.
                let twin = made.halves.all[here].twin;
                let twin = twin.filter(|t| outlined.inside.contains(&made.halves.all[*t].face));
                let over = || SurfacingError::OutlineOverEdge { at: made.place(here).into() };
                here = made.halves.all[twin.ok_or_else(over)?].next;
            }
            let (strip, reach) = made.strip(half)?;
            made.max_deviation = made.max_deviation.max(strip.max_deviation);
            let [outline, piece] = drawn.piece_of(&made.guide(half)?);
            // Alone in its outline it needs no number.
            let piece = (drawn.outlines[outline].len() > 1).then_some(piece);
            walls.push(Wall { half, next: number[&here], strip, reach, piece });
        }
        made.walls = walls;
        Ok(made)
    }

    fn place(&self, half: usize) -> Point3 {
        self.outlined.shell.vertex(self.halves.origin(half)).point
    }

    /// A half-edge's curve in its own direction.
    fn guide(&self, half: usize) -> Result<NurbsCurve, SurfacingError> {
        let one = self.halves.all[half];
        let lost = SurfacingError::OutlineOverEdge { at: self.place(half).into() };
        let curve = self.outlined.shell.edge(one.edge).curve.clone().ok_or(lost)?;
        Ok(if one.forward { curve } else { curve.reversed() })
    }

    fn folds(&self, at: &Point3) -> SurfacingError {
        SurfacingError::RaisedFolds { at: (*at).into() }
    }

    fn ruling(&self, half: usize, guide: &NurbsCurve, t: f64) -> Result<Ruling, SurfacingError> {
        let one = self.halves.all[half];
        let face = &self.outlined.shell.faces()[one.face];
        let used = self.halves.used(half);
        // The guide of a half-edge that runs against its edge is that curve reversed.
        let (d, own) = (guide.domain(), used.pcurve.domain());
        let share = (t - d.start) / d.length();
        let p = used.pcurve.point(own.at(if one.forward { share } else { 1.0 - share }));
        let foot = guide.point(t);
        let normal = face.surface.normal(p.x, p.y).map(|n| if face.reversed { -n } else { n });
        let (Some(along), Some(normal)) = (guide.tangent(t), normal) else { return Err(self.folds(&foot)) };
        let RaisedRegion { toward, height, .. } = *self.region;
        // To the outer side, and to the one to which the region goes.
        let up = toward * toward.dot(&normal).signum();
        let into = up.cross(&along).try_normalize(1e-9).ok_or_else(|| self.folds(&foot))?;
        let way = up * height.signum() + into * self.angle.tan();
        let climb = way.dot(&normal) * height.signum();
        if climb <= STEEPEST {
            return Err(SurfacingError::OutlineOverEdge { at: foot.into() });
        }
        Ok(Ruling { foot, at: [p.x, p.y], way, reach: height.abs() / climb })
    }

    /// The wall over a half-edge, from its foot as far as it has to go, or until it folds, and how far that is.
    fn strip(&self, half: usize) -> Result<(Strip, f64), SurfacingError> {
        let guide = self.guide(half)?;
        let d = guide.domain();
        let mut reach: f64 = 0.0;
        for k in 0..=LOOKED_AT {
            reach = reach.max(self.ruling(half, &guide, d.at(k as f64 / LOOKED_AT as f64))?.reach);
        }
        let (mut fits, mut fails) = (0.0, reach);
        if self.advances(half, &guide, reach)? {
            return Ok((self.laid(half, &guide, reach, None)?, reach));
        }
        for _ in 0..HALVINGS {
            let middle = 0.5 * (fits + fails);
            if self.advances(half, &guide, middle)? { fits = middle } else { fails = middle }
        }
        if let Some((reach, tip)) = self.tip(half, &guide, fits)? {
            return Ok((self.laid(half, &guide, reach, Some(tip))?, reach));
        }
        let reach = UNFOLDED * fits;
        Ok((self.laid(half, &guide, reach, None)?, reach))
    }

    /// Whether all along the guide a wall's upper border runs the same way as its foot.
    fn advances(&self, half: usize, guide: &NurbsCurve, reach: f64) -> Result<bool, SurfacingError> {
        let places = guide.knots().sampled(LOOKED_AT);
        let tops = places.iter().map(|&t| self.ruling(half, guide, t).map(|r| r.foot + r.way * reach));
        let tops = tops.collect::<Result<Vec<Point3>, SurfacingError>>()?;
        let ahead = |(w, t): (&[Point3], &f64)| (w[1] - w[0]).dot(&guide.velocity(*t)) > 0.0;
        Ok(tops.windows(2).zip(&places[1..]).all(ahead))
    }

    /// The tip in which all rulings meet, with how far along them it is, if they do about there.
    fn tip(
        &self,
        half: usize,
        guide: &NurbsCurve,
        about: f64,
    ) -> Result<Option<(f64, Point3)>, SurfacingError> {
        let d = guide.domain();
        let at = |s: f64| self.ruling(half, guide, d.at(s));
        let (a, b) = (at(0.0)?, at(0.5)?);
        // Where the first ruling is nearest to the middle one.
        let (between, apart) = (b.foot - a.foot, a.way - b.way);
        let reach = between.dot(&apart) / apart.norm_squared();
        let tip = a.foot + a.way * reach;
        for k in 0..=LOOKED_AT {
            let r = at(k as f64 / LOOKED_AT as f64)?;
            if (r.foot + r.way * reach - tip).norm() > ONE_TIP * self.tolerance.fit {
                return Ok(None);
            }
        }
        Ok((reach.is_finite() && reach < 2.0 * about).then_some((reach, tip)))
    }

    fn laid(
        &self,
        half: usize,
        guide: &NurbsCurve,
        reach: f64,
        tip: Option<Point3>,
    ) -> Result<Strip, SurfacingError> {
        let surface = &self.outlined.shell.faces()[self.halves.all[half].face].surface;
        let top = |t: f64| -> Result<Point3, SurfacingError> {
            let r = self.ruling(half, guide, t)?;
            Ok(tip.unwrap_or(r.foot + r.way * reach))
        };
        let borders = [Some(guide.domain()), tip.is_none().then(|| guide.domain())];
        let along = Along {
            guide,
            cross: &|t| {
                let r = self.ruling(half, guide, t)?;
                Ok(Cross { poles: vec![(r.foot, 1.0), (top(t)?, 1.0)], feet: vec![r.at, [t, 0.0]] })
            },
            ground: &|which, [u, v]| {
                if which == 0 { surface.point(u, v) } else { top(u).unwrap_or_else(|_| guide.point(u)) }
            },
            even: true,
            follows: WITH_TANGENTS,
            borders,
            folds: &|t| self.folds(&guide.point(t)),
        };
        along.strip(self.tolerance)
    }

    /// The shell with its walls and the region moved, and the largest deviation of faces.
    fn built(&self) -> Result<(Shell, f64), SurfacingError> {
        let mut standing = Standing::new(self);
        standing.add_rungs()?;
        standing.add_walls()?;
        let Standing { vertices, edges, faces, sharp, .. } = standing;
        let mut distances = vec![0.0; faces.len()];
        for f in &self.outlined.inside {
            distances[*f] = self.region.height;
        }
        let whole = Shell::try_new(vertices, edges, faces)?;
        let made = put_together(&whole, &distances, &sharp, self.tolerance).map_err(|e| match e.place() {
            Some(at) => SurfacingError::RaisedFolds { at },
            None => e,
        })?;
        Ok((made.shell, self.max_deviation.max(made.max_deviation)))
    }
}

/// The shell with its walls before anything is moved, all at the outline: the region has its own copy of that.
struct Standing<'a> {
    of: &'a Walls<'a>,
    vertices: Vec<Vertex>,
    edges: Vec<Edge>,
    faces: Vec<Face>,
    /// The region's copies of the outline's vertices and edges.
    lid_of: BTreeMap<VertexId, VertexId>,
    copies: BTreeMap<EdgeId, EdgeId>,
    /// The number of the first edge from the outline to the region, where a wall ends; the others follow wall by wall.
    first_rung: u32,
    /// Those of them at which walls meet at an angle.
    sharp: BTreeSet<EdgeId>,
}

impl<'a> Standing<'a> {
    fn new(of: &'a Walls<'a>) -> Self {
        let Outlined { shell, inside, edges: outline } = of.outlined;
        let mut vertices: Vec<Vertex> = shell.vertices().to_vec();
        let mut edges: Vec<Edge> = shell.edges().to_vec();
        let mut lid_of: BTreeMap<VertexId, VertexId> = BTreeMap::new();
        for wall in &of.walls {
            let at = of.halves.origin(wall.half);
            lid_of.entry(at).or_insert_with(|| {
                vertices.push(shell.vertex(at).clone());
                VertexId(vertices.len() as u32 - 1)
            });
        }
        let lifted = |v: VertexId| lid_of.get(&v).copied().unwrap_or(v);
        // Edges inside the region end at its copy of the outline, which is made of edges of its own.
        let mut copies: BTreeMap<EdgeId, EdgeId> = BTreeMap::new();
        let region_edges = |f: &usize| shell.faces()[*f].loops.iter().flat_map(|l| &l.edges).map(|u| u.edge);
        for id in inside.iter().flat_map(region_edges).collect::<BTreeSet<EdgeId>>() {
            let edge = shell.edge(id);
            let moved = Edge { start: lifted(edge.start), end: lifted(edge.end), ..edge.clone() };
            if outline.contains(&id) {
                edges.push(moved);
                copies.insert(id, EdgeId(edges.len() as u32 - 1));
            } else {
                edges[id.index()] = moved;
            }
        }
        let mut faces: Vec<Face> = shell.faces().to_vec();
        for f in inside {
            let face = &mut faces[*f];
            face.role = format!("region on {}", face.role);
            for used in face.loops.iter_mut().flat_map(|l| &mut l.edges) {
                used.edge = copies.get(&used.edge).copied().unwrap_or(used.edge);
            }
        }
        let first_rung = edges.len() as u32;
        Self { of, vertices, edges, faces, lid_of, copies, first_rung, sharp: BTreeSet::new() }
    }

    fn add_rungs(&mut self) -> Result<(), SurfacingError> {
        let of = self.of;
        for wall in &of.walls {
            let next = &of.walls[wall.next];
            let at = of.halves.origin(next.half);
            let [own, others] = [(wall, true), (next, false)].map(|(wall, at_end)| {
                let guide = of.guide(wall.half)?;
                let d = guide.domain();
                of.ruling(wall.half, &guide, if at_end { d.end } else { d.start })
            });
            let (own, others) = (own?, others?);
            if (own.way - others.way).norm() * own.reach > of.tolerance.fit {
                self.sharp.insert(EdgeId(self.edges.len() as u32));
            }
            // As far as the shorter of both goes, by how far it is on either.
            let whole = wall.strip.surface.curve_at_u(wall.strip.surface.domain().0.end);
            let length = wall.reach.min(next.reach);
            let curve = NurbsCurve::line(whole.start(), whole.point(length / wall.reach))
                .over(Domain::new(0.0, length));
            let apart = (curve.end() - of.outlined.shell.vertex(at).point).norm();
            self.edges.push(Edge {
                curve: Some(curve),
                start: at,
                end: self.lid_of.get(&at).copied().unwrap_or(at),
                tolerance: 1.01 * apart,
            });
        }
        Ok(())
    }

    fn add_walls(&mut self) -> Result<(), SurfacingError> {
        let of = self.of;
        let before: BTreeMap<usize, usize> = of.walls.iter().enumerate().map(|(k, w)| (w.next, k)).collect();
        let rung = |wall: usize| EdgeId(self.first_rung + wall as u32);
        for (number, wall) in of.walls.iter().enumerate() {
            let one = of.halves.all[wall.half];
            let d = wall.strip.surface.domain().0;
            let (from, to) = if one.forward { (d.start, d.end) } else { (d.end, d.start) };
            let own = of.halves.used(wall.half).pcurve.domain();
            let along = |v: f64| straight_pcurve(own, [from, v], [to, v]);
            let upright = |u: f64, other: usize| {
                let length = wall.reach.min(of.walls[other].reach);
                straight_pcurve(Domain::new(0.0, length), [u, 0.0], [u, length / wall.reach])
            };
            let used =
                |edge: EdgeId, forward: bool, pcurve: NurbsCurve| OrientedEdge { edge, forward, pcurve };
            let edges = vec![
                used(one.edge, one.forward, along(0.0)?),
                used(rung(number), true, upright(d.end, wall.next)?),
                used(self.copies[&one.edge], !one.forward, along(1.0)?),
                used(rung(before[&number]), false, upright(d.start, before[&number])?),
            ];
            let side = wall.piece.map_or_else(|| "side".into(), |k| format!("side {}", k + 1));
            self.faces.push(Face {
                surface: Arc::new(wall.strip.surface.clone()),
                loops: vec![Loop { edges }],
                reversed: false,
                role: format!("{side} of the region on {}", of.on),
            });
        }
        Ok(())
    }
}
