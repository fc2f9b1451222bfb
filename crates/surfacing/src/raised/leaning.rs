//! Raised regions with straight sides: a wall over each piece of the outline, as long as it has to be, put together with what is
//! lifted as the faces of one shell, so that a wall without room goes, and walls are cut against each other.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use geometry::{Domain, Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, along_direction, closest_on_curve, closest_on_surface, polygon_area, polygon_holds};
use topology::{
    Edge, EdgeId, Face, FaceId, Loop, OrientedEdge, Shell, Vertex, VertexId, imprint, inner_place, join, natural_shell, straight_pcurve,
};

use super::{RaisedRegion, on_surface};
use crate::SurfacingError;
use crate::chain::chain;
use crate::halves::Halves;
use crate::loops::Outlines;
use crate::offset_shell::put_together;
use crate::side::Side;
use crate::strip::{Along, Cross, Strip, WITH_TANGENTS};

/// How many times the resolution a place brought onto a face may be off it.
const ON_FACE: f64 = 10.0;
/// Places of each piece at which is looked how long its wall has to be, and how long that may be at most, for each mm of height.
const LOOKED_AT: usize = 24;
const LONGEST: f64 = 20.0;
/// Halvings in which is found up to where a wall does not fold, and the share of that up to which it is made.
const HALVINGS: usize = 30;
const UNFOLDED: f64 = 0.98;
/// Share of the fit tolerance within which rulings have a tip in common.
const ONE_TIP: f64 = 1e-3;
/// Places in either direction among which one inside the outline is looked for.
const GRID: usize = 24;

/// A shell parted along an outline, with the faces inside it and the edges along it.
struct Outlined {
    shell: Shell,
    inside: BTreeSet<usize>,
    edges: BTreeSet<EdgeId>,
}

/// What a region is made of.
pub(super) struct Leaning<'a> {
    pub(super) shell: &'a Shell,
    pub(super) face: usize,
    pub(super) region: &'a RaisedRegion<'a>,
    pub(super) angle: f64,
    pub(super) tolerance: &'a Tolerance,
}

/// A wall over an edge of the outline, before it is cut.
struct Wall {
    /// The half-edge of the region along its foot, and the number of the next wall.
    half: usize,
    next: usize,
    strip: Strip,
    /// How far it goes, in mm for each mm of its rulings' way.
    reach: f64,
    /// The piece of the outline that it stands on.
    piece: usize,
}

impl Leaning<'_> {
    pub(super) fn raised(&self) -> Result<(Shell, f64), SurfacingError> {
        let face = &self.shell.faces()[self.face];
        let order = chain(self.region.outline, self.tolerance)?;
        let mut pieces = order.run(self.region.outline);
        if !order.closed {
            let (first, last) = (pieces[0].start(), pieces[pieces.len() - 1].end());
            return Err(SurfacingError::OpenOutline { gap: (first - last).norm(), at: last.into() });
        }
        let over = SurfacingError::OutlineOverEdge { at: pieces[0].start().into() };
        let on_face: Result<Vec<NurbsCurve>, SurfacingError> =
            pieces.iter().map(|c| on_surface(c, &face.surface, &self.region.toward, self.tolerance)).collect();
        let within = on_face.and_then(|on_face| {
            let cutter = Shell::of_curves(&on_face, self.tolerance)?;
            self.outlined(&pieces, &cutter)
        });
        let outlined = match within {
            Ok(Some(outlined)) => outlined,
            _ => {
                // Over several faces: what a tube over the outline cuts out of them.
                let about = self.outlined(&pieces, &self.tube(&pieces)?)?.ok_or_else(|| over.clone())?;
                let curves: Vec<NurbsCurve> =
                    about.edges.iter().filter_map(|e| about.shell.edge(*e).curve.clone()).collect();
                self.outlined(&pieces, &Shell::of_curves(&curves, self.tolerance)?)?.ok_or(over)?
            }
        };
        // The pieces in the order in which they stand about the region, seen from its outer side.
        if self.clockwise(&outlined, &pieces)? {
            pieces.reverse();
        }
        Builder::new(self, &outlined, &pieces)?.built()
    }

    /// The outline drawn out along its direction, beyond all of the shell.
    fn tube(&self, pieces: &[NurbsCurve]) -> Result<Shell, SurfacingError> {
        let toward = self.region.toward;
        let heights: Vec<f64> = self
            .shell
            .faces()
            .iter()
            .flat_map(|f| f.surface.control_points())
            .map(|p| p.coords.dot(&toward))
            .collect();
        let (low, high) = heights.iter().fold((f64::MAX, f64::MIN), |(a, b), h| (a.min(*h), b.max(*h)));
        let more = 0.1 * (high - low) + 1.0;
        let surfaces = pieces.iter().map(|c| {
            let at = |level: f64| {
                c.mapped(|p| p + toward * (level - p.coords.dot(&toward)))
            };
            let surface = NurbsSurface::ruled(&at(low - more), &at(high + more))?;
            Ok(natural_shell(Arc::new(surface), "", self.tolerance)?)
        });
        let surfaces = surfaces.collect::<Result<Vec<Shell>, SurfacingError>>()?;
        Ok(join(&surfaces, self.tolerance.join)?.shell)
    }

    /// Seen along the direction, in a plane.
    fn frame(&self) -> Result<Frame, SurfacingError> {
        let at = self.region.outline[0].start();
        Frame::square_to(at, self.region.toward).ok_or(SurfacingError::OutlineOverEdge { at: at.into() })
    }

    fn drawn(&self, pieces: &[NurbsCurve]) -> Result<Vec<[f64; 2]>, SurfacingError> {
        let frame = self.frame()?;
        let places = pieces.iter().flat_map(|c| c.knots().sampled(6).into_iter().map(|t| c.point(t)));
        Ok(places.map(|p| frame.coordinates(&p)).map(|p| [p.x, p.y]).collect())
    }

    /// A place of the face that lies inside the outline, brought there as the outline is, as far from that as any of a grid.
    fn place_inside(&self, pieces: &[NurbsCurve]) -> Result<Option<[f64; 2]>, SurfacingError> {
        let face = &self.shell.faces()[self.face];
        let (frame, drawn) = (self.frame()?, self.drawn(pieces)?);
        let outlines = Outlines::of(face);
        let extent = |k: usize| {
            let (low, high) = drawn.iter().fold((f64::MAX, f64::MIN), |(a, b), p| (a.min(p[k]), b.max(p[k])));
            Domain::new(low, high)
        };
        let [x, y] = [extent(0), extent(1)];
        let share = |k: usize| (k as f64 + 0.5) / GRID as f64;
        let places = (0..GRID).flat_map(|i| (0..GRID).map(move |j| [x.at(share(i)), y.at(share(j))]));
        let away = |p: &[f64; 2]| drawn.iter().map(|q| (q[0] - p[0]).hypot(q[1] - p[1])).fold(f64::MAX, f64::min);
        let mut inside: Vec<(f64, [f64; 2])> =
            places.filter(|p| polygon_holds(&drawn, p)).map(|p| (away(&p), p)).collect();
        inside.sort_by(|a, b| b.0.total_cmp(&a.0));
        Ok(inside.into_iter().find_map(|(_, [x, y])| {
            let found = along_direction(&face.surface, &frame.to_space(x, y), &self.region.toward);
            let on_face = found.distance <= ON_FACE * self.tolerance.resolution && outlines.hold(&found.parameters);
            on_face.then_some(found.parameters)
        }))
    }

    /// The shell parted along a cutter, if that shuts in a part of it about the face.
    fn outlined(&self, pieces: &[NurbsCurve], cutter: &Shell) -> Result<Option<Outlined>, SurfacingError> {
        let made = imprint(&[self.shell, cutter], self.tolerance)?;
        let number = FaceId(self.face as u32);
        let own: Vec<usize> = (0..made.shell.faces().len())
            .filter(|f| made.sources[*f].iter().any(|s| s.input == 0))
            .collect();
        let Some(place) = self.place_inside(pieces)? else { return Ok(None) };
        let all = own.iter().map(|f| made.shell.faces()[*f].clone()).collect();
        let shell = Shell::of_used(made.shell.vertices(), made.shell.edges(), all)?;
        let holds = |k: &usize| {
            let is_of = made.sources[own[*k]].iter().any(|s| s.input == 0 && s.face == number);
            is_of && Outlines::of(&shell.faces()[*k]).hold(&place)
        };
        let Some(first) = (0..own.len()).find(holds) else { return Ok(None) };
        let on_cutter = |edge: EdgeId| {
            let Some(curve) = &shell.edge(edge).curve else { return false };
            let p = curve.point(curve.domain().at(0.5));
            let surfaces = cutter.faces().iter().map(|f| closest_on_surface(&f.surface, &p).distance);
            let curves = cutter.edges().iter().filter_map(|e| e.curve.as_ref());
            let curves = curves.filter(|_| cutter.faces().is_empty()).map(|c| closest_on_curve(c, &p).distance);
            surfaces.chain(curves).fold(f64::MAX, f64::min) <= self.tolerance.join
        };
        // On from there over edges inside the outline, to faces that look the same way; the walls of openings do not.
        let halves = Halves::new(&shell);
        let looks = |half: usize| {
            let used = halves.used(half);
            let at = used.pcurve.domain().at(0.5);
            let side = Side::new(&shell.faces()[halves.all[half].face], used, at)?;
            Some(side.normal.dot(&self.region.toward))
        };
        let (mut inside, mut edges, mut open) = (BTreeSet::from([first]), BTreeSet::new(), vec![first]);
        let mut way = None;
        while let Some(face) = open.pop() {
            for half in (0..halves.all.len()).filter(|h| halves.all[*h].face == face) {
                let one = halves.all[half];
                way = way.or_else(|| looks(half).map(f64::signum));
                if on_cutter(one.edge) {
                    edges.insert(one.edge);
                    continue;
                }
                let Some(twin) = one.twin else { continue };
                let same_way = looks(twin).zip(way).is_some_and(|(l, way)| l * way * LONGEST > 1.0);
                if same_way && inside.insert(halves.all[twin].face) {
                    open.push(halves.all[twin].face);
                }
            }
        }
        // What is cut on both sides, or on neither all round, shuts nothing in.
        let parts = |e: &EdgeId| {
            let users = halves.all.iter().filter(|h| h.edge == *e);
            users.filter(|h| inside.contains(&h.face)).count() == 1
        };
        Ok((!edges.is_empty() && edges.iter().all(parts)).then_some(Outlined { shell, inside, edges }))
    }

    /// Whether the outline runs with the clock, seen from the outer side of the region.
    fn clockwise(&self, outlined: &Outlined, pieces: &[NurbsCurve]) -> Result<bool, SurfacingError> {
        let area = polygon_area(&self.drawn(pieces)?);
        let face = outlined.inside.iter().next().map(|f| &outlined.shell.faces()[*f]);
        let normal = face.and_then(|f| {
            let [u, v] = inner_place(f)?;
            Some(f.surface.normal(u, v)? * if f.reversed { -1.0 } else { 1.0 })
        });
        let outer = normal.is_none_or(|n| n.dot(&self.region.toward) > 0.0);
        Ok((area < 0.0) == outer)
    }
}

struct Builder<'a> {
    of: &'a Leaning<'a>,
    outlined: &'a Outlined,
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

impl<'a> Builder<'a> {
    fn new(of: &'a Leaning<'a>, outlined: &'a Outlined, pieces: &[NurbsCurve]) -> Result<Self, SurfacingError> {
        let halves = Halves::new(&outlined.shell);
        let mut made = Self { of, outlined, halves, walls: Vec::new(), max_deviation: 0.0 };
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
            walls.push(Wall { half, next: number[&here], strip, reach, piece: made.piece_of(half, pieces)? });
        }
        made.walls = walls;
        Ok(made)
    }

    fn place(&self, half: usize) -> Point3 {
        self.outlined.shell.vertex(self.halves.origin(half)).point
    }

    /// The piece of the outline that a half-edge lies on.
    fn piece_of(&self, half: usize, pieces: &[NurbsCurve]) -> Result<usize, SurfacingError> {
        let frame = self.of.frame()?;
        let curve = self.guide(half)?;
        let flat = |p: &Point3| {
            let q = frame.coordinates(p);
            Point3::new(q.x, q.y, 0.0)
        };
        let at = flat(&curve.point(curve.domain().at(0.5)));
        let away = |c: &NurbsCurve| closest_on_curve(&c.mapped(|p| flat(p)), &at).distance;
        let nearest = pieces.iter().enumerate().min_by(|a, b| away(a.1).total_cmp(&away(b.1)));
        Ok(nearest.map_or(0, |p| p.0))
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
        let RaisedRegion { toward, height, .. } = *self.of.region;
        // To the outer side, and to the one to which the region goes.
        let up = toward * toward.dot(&normal).signum();
        let into = up.cross(&along).try_normalize(1e-9).ok_or_else(|| self.folds(&foot))?;
        let way = up * height.signum() + into * self.of.angle.tan();
        let climb = way.dot(&normal) * height.signum();
        if climb * LONGEST <= 1.0 {
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
    fn tip(&self, half: usize, guide: &NurbsCurve, about: f64) -> Result<Option<(f64, Point3)>, SurfacingError> {
        let d = guide.domain();
        let at = |s: f64| self.ruling(half, guide, d.at(s));
        let (a, b) = (at(0.0)?, at(0.5)?);
        // Where the first ruling is nearest to the middle one.
        let (between, apart) = (b.foot - a.foot, a.way - b.way);
        let reach = between.dot(&apart) / apart.norm_squared();
        let tip = a.foot + a.way * reach;
        for k in 0..=LOOKED_AT {
            let r = at(k as f64 / LOOKED_AT as f64)?;
            if (r.foot + r.way * reach - tip).norm() > ONE_TIP * self.of.tolerance.fit {
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
        along.strip(self.of.tolerance)
    }

    /// The shell with its walls, before anything is moved, all at the outline: the region has its own copy of that.
    fn built(&self) -> Result<(Shell, f64), SurfacingError> {
        let shell = &self.outlined.shell;
        let mut vertices: Vec<Vertex> = shell.vertices().to_vec();
        let mut edges: Vec<Edge> = shell.edges().to_vec();
        let mut lid_of: BTreeMap<VertexId, VertexId> = BTreeMap::new();
        for wall in &self.walls {
            let at = self.halves.origin(wall.half);
            lid_of.entry(at).or_insert_with(|| {
                vertices.push(shell.vertex(at).clone());
                VertexId(vertices.len() as u32 - 1)
            });
        }
        let lifted = |v: VertexId| lid_of.get(&v).copied().unwrap_or(v);
        // Edges inside the region end at its copy of the outline, which is made of edges of its own.
        let mut copies: BTreeMap<EdgeId, EdgeId> = BTreeMap::new();
        let region_edges = |f: &usize| shell.faces()[*f].loops.iter().flat_map(|l| &l.edges).map(|u| u.edge);
        for id in self.outlined.inside.iter().flat_map(region_edges).collect::<BTreeSet<EdgeId>>() {
            let edge = shell.edge(id);
            let moved = Edge { start: lifted(edge.start), end: lifted(edge.end), ..edge.clone() };
            if self.outlined.edges.contains(&id) {
                edges.push(moved);
                copies.insert(id, EdgeId(edges.len() as u32 - 1));
            } else {
                edges[id.index()] = moved;
            }
        }
        let mut faces: Vec<Face> = shell.faces().to_vec();
        for f in &self.outlined.inside {
            let face = &mut faces[*f];
            face.role = format!("region on {}", face.role);
            for used in face.loops.iter_mut().flat_map(|l| &mut l.edges) {
                used.edge = copies.get(&used.edge).copied().unwrap_or(used.edge);
            }
        }
        // From the foot to the region, where a wall ends.
        let first_rung = edges.len() as u32;
        let mut sharp = BTreeSet::new();
        for wall in &self.walls {
            let next = &self.walls[wall.next];
            let at = self.halves.origin(next.half);
            let [own, others] = [(wall, true), (next, false)].map(|(wall, at_end)| {
                let guide = self.guide(wall.half)?;
                let d = guide.domain();
                self.ruling(wall.half, &guide, if at_end { d.end } else { d.start })
            });
            let (own, others) = (own?, others?);
            if (own.way - others.way).norm() * own.reach > self.of.tolerance.fit {
                sharp.insert(EdgeId(edges.len() as u32));
            }
            // As far as the shorter of both goes, by how far it is on either.
            let whole = wall.strip.surface.curve_at_u(wall.strip.surface.domain().0.end);
            let length = wall.reach.min(next.reach);
            let curve = NurbsCurve::line(whole.start(), whole.point(length / wall.reach)).over(Domain::new(0.0, length));
            let tolerance = (curve.end() - shell.vertex(at).point).norm();
            edges.push(Edge { curve: Some(curve), start: at, end: lifted(at), tolerance: 1.01 * tolerance });
        }
        let before: BTreeMap<usize, usize> = self.walls.iter().enumerate().map(|(k, w)| (w.next, k)).collect();
        let rung = |wall: usize| EdgeId(first_rung + wall as u32);
        let on = shell.faces()[self.halves.all[self.walls[0].half].face].role.clone();
        let pieces: BTreeSet<usize> = self.walls.iter().map(|w| w.piece).collect();
        for (number, wall) in self.walls.iter().enumerate() {
            let one = self.halves.all[wall.half];
            let d = wall.strip.surface.domain().0;
            let (from, to) = if one.forward { (d.start, d.end) } else { (d.end, d.start) };
            let own = self.halves.used(wall.half).pcurve.domain();
            let along = |v: f64| straight_pcurve(own, [from, v], [to, v]);
            let upright = |u: f64, other: usize| {
                let length = wall.reach.min(self.walls[other].reach);
                straight_pcurve(Domain::new(0.0, length), [u, 0.0], [u, length / wall.reach])
            };
            let used = |edge: EdgeId, forward: bool, pcurve: NurbsCurve| OrientedEdge { edge, forward, pcurve };
            let edges = vec![
                used(one.edge, one.forward, along(0.0)?),
                used(rung(number), true, upright(d.end, wall.next)?),
                used(copies[&one.edge], !one.forward, along(1.0)?),
                used(rung(before[&number]), false, upright(d.start, before[&number])?),
            ];
            let side = if pieces.len() == 1 { "side".into() } else { format!("side {}", wall.piece + 1) };
            faces.push(Face {
                surface: Arc::new(wall.strip.surface.clone()),
                loops: vec![Loop { edges }],
                reversed: false,
                role: format!("{side} of the region on {on}"),
            });
        }
        let mut distances = vec![0.0; faces.len()];
        for f in &self.outlined.inside {
            distances[*f] = self.of.region.height;
        }
        let whole = Shell::try_new(vertices, edges, faces)?;
        let made = put_together(&whole, &distances, &sharp, self.of.tolerance).map_err(|e| match e.place() {
            Some(at) => SurfacingError::RaisedFolds { at },
            None => e,
        })?;
        Ok((made.shell, self.max_deviation.max(made.max_deviation)))
    }
}
