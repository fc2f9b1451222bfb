//! The curves in which faces of different shapes meet.

use geometry::{
    Domain, MeetingPlace, NurbsCurve, NurbsSurface, Point3, Tolerance, Touch, Vector3, box_of, fit_meeting,
    grown, meeting_beside, nearby_on_surface, shared_work, surface_meetings,
};
use nalgebra::{SMatrix, SVector};
use rayon::prelude::*;

use super::Remark;
use super::arena::{Arena, NONE, meet};
use super::one_face::lie_on_each_other;
use crate::faced::FINE;
use crate::{Edge, EdgeId, TopologyError, VertexId, pcurve_on};

/// Where along a segment it is compared with edges, as shares of its places.
const PROBES: [f64; 3] = [0.27, 0.5, 0.71];
const MAX_NEWTON_STEPS: usize = 20;
/// How far from a run a vertex on it may be, in tolerances.
const BESIDE: f64 = 3.0;
/// How far a run may bulge from its chord, in chords.
const SAG: f64 = 0.1;
/// How far a run gets from a vertex before it can come by again, in its longest steps.
const AWAY: f64 = 2.0;

/// What faces were found to have in common.
#[derive(Default)]
pub(super) struct Found {
    /// Pairs of faces that lie on each other.
    pub(super) over: Vec<[usize; 2]>,
    pub(super) touches: Vec<Remark>,
    pub(super) loose_ends: Vec<Remark>,
    /// New edges, each with the two shapes.
    pub(super) meetings: Vec<(EdgeId, [usize; 2])>,
}

/// A run of places on two faces, with what it passes.
struct Run {
    faces: [usize; 2],
    places: Vec<MeetingPlace>,
    points: Vec<Point3>,
    closed: bool,
    /// How far along, in places and fractions of the way to the next one, with the vertex and the place there.
    stops: Vec<(f64, usize, MeetingPlace)>,
}

impl Run {
    fn new(faces: [usize; 2], places: Vec<MeetingPlace>, closed: bool, on: &NurbsSurface) -> Self {
        let points = places.iter().map(|p| on.point(p[0], p[1])).collect();
        Self { faces, places, points, closed, stops: Vec::new() }
    }

    /// Whether it gets away from a point between two places along it.
    fn leaves(&self, from: &Point3, a: f64, b: f64) -> bool {
        let step = self.points.windows(2).map(|w| (w[1] - w[0]).norm()).fold(0.0, f64::max);
        let between = a.min(b).ceil() as usize..=a.max(b).floor() as usize;
        self.points.get(between).is_some_and(|p| p.iter().any(|p| (p - from).norm() > AWAY * step))
    }

    fn flat(&self, side: usize, k: usize) -> [f64; 2] {
        [self.places[k][2 * side], self.places[k][2 * side + 1]]
    }
}

impl Arena {
    /// Finds the curves in which faces of different shapes meet and makes edges of those parts that both faces hold.
    pub(super) fn meet_faces(&mut self) -> Result<Found, TopologyError> {
        let tree = self.face_tree();
        let mut pairs: Vec<[usize; 2]> = Vec::new();
        for (i, face) in self.faces.iter().enumerate() {
            let near = tree.meeting(&face.bounds).into_iter();
            let comes = |j: usize| self.come_together(self.faces[j].source.input, face.source.input);
            let others = near.filter(|&j| i < j && comes(j));
            pairs.extend(others.map(|j| [i, j]));
        }
        let fine = Tolerance { fit: FINE * self.tolerance.fit, ..self.tolerance };
        let met: Vec<(bool, geometry::SurfaceMeetings)> =
            pairs.par_iter().map(shared_work(|&pair: &_| self.faces_meeting(pair, &fine))).collect();
        let mut found = Found::default();
        let mut runs = Vec::new();
        for (&pair, (over, met)) in pairs.iter().zip(met) {
            if over {
                found.over.push(pair);
            }
            let [a, b] = pair.map(|f| &self.faces[f]);
            for (places, closed) in met.runs {
                runs.push(Run::new(pair, places, closed, &a.surface));
            }
            let both_hold = |t: &&Touch| {
                a.outline.holds([t.place[0], t.place[1]]) && b.outline.holds([t.place[2], t.place[3]])
            };
            let inputs = [a.source.input, b.source.input];
            found
                .touches
                .extend(met.touches.iter().filter(both_hold).map(|t| Remark { inputs, at: t.point }));
        }
        for run in &mut runs {
            self.stop_at_vertices(run);
        }
        self.cross_runs(&mut runs);
        let mut segments = Vec::new();
        for run in &runs {
            segments.extend(self.segments(run));
        }
        let fitted: Vec<Option<geometry::MeetingCurve>> = segments
            .par_iter()
            .map(shared_work(|s: &Segment| {
                let surfaces = s.faces.map(|f| self.faces[f].surface.as_ref());
                if s.on_edge.is_some() { Ok(None) } else { fit_meeting(surfaces, &s.places, s.closed, &fine) }
            }))
            .collect::<Result<_, _>>()?;
        for (segment, fitted) in segments.into_iter().zip(fitted) {
            self.lay(segment, fitted, &mut found)?;
        }
        Ok(found)
    }

    /// Whether two faces lie on each other, and where they meet if not.
    fn faces_meeting(&self, [i, j]: [usize; 2], fine: &Tolerance) -> (bool, geometry::SurfaceMeetings) {
        let (a, b) = (&self.faces[i], &self.faces[j]);
        if !meet(&a.facets().bounds(), &b.facets().bounds()) {
            return (false, geometry::SurfaceMeetings::default());
        }
        if lie_on_each_other(a, b, &self.tolerance) {
            return (true, geometry::SurfaceMeetings::default());
        }
        (false, surface_meetings(a.facets(), b.facets(), fine))
    }

    /// Notes the vertices that a run passes.
    fn stop_at_vertices(&self, run: &mut Run) {
        let reach = run.points.windows(2).map(|w| (w[1] - w[0]).norm()).fold(self.near, f64::max);
        let bounds = grown(&box_of(run.points.iter()), reach);
        for vertex in self.spots_in(&bounds) {
            for (along, place) in self.passing(run, vertex) {
                run.stops.push((along, vertex, place));
            }
        }
    }

    /// Where a run passes a vertex: a closed surface's seam can let it come by twice, at its two ends.
    fn passing(&self, run: &Run, vertex: usize) -> Vec<(f64, MeetingPlace)> {
        let spot = self.spots[vertex];
        let surfaces = run.faces.map(|f| self.faces[f].surface.as_ref());
        let last = run.points.len() - 1;
        let mut nearest: Vec<(f64, f64)> = Vec::new();
        for k in 0..last {
            let (a, b) = (run.points[k], run.points[k + 1]);
            let d = b - a;
            let s = ((spot.point - a).dot(&d) / d.norm_squared().max(f64::MIN_POSITIVE)).clamp(0.0, 1.0);
            let off = (spot.point - (a + d * s)).norm();
            // An end may stop short of the vertex by a step.
            let end = (k == 0 && s == 0.0) || (k + 1 == last && s == 1.0);
            let reach = BESIDE * spot.slack + if end { d.norm() } else { SAG * d.norm() };
            if off <= reach {
                nearest.push((off, k as f64 + s));
            }
        }
        nearest.sort_by(|x, y| x.0.total_cmp(&y.0));
        let mut out: Vec<(f64, MeetingPlace)> = Vec::new();
        for (_, along) in nearest {
            if out.iter().any(|o| !run.leaves(&spot.point, o.0, along)) {
                continue;
            }
            let k = (along.floor() as usize).min(last - 1);
            let guess = run.places[k] + (run.places[k + 1] - run.places[k]) * (along - k as f64);
            let foot = |side: usize| {
                let from = [guess[2 * side], guess[2 * side + 1]];
                let held = self.held(run.faces[side], from);
                nearby_on_surface(surfaces[side], &spot.point, held, 2.0 * spot.slack)
            };
            let (Some(a), Some(b)) = (foot(0), foot(1)) else { continue };
            let place = MeetingPlace::new(a.parameters[0], a.parameters[1], b.parameters[0], b.parameters[1]);
            let place = self.over_seam(run.faces, place, &guess);
            out.push((along, self.as_at_pole(run.faces, place, &guess)));
        }
        out
    }

    fn domain(&self, face: usize, k: usize) -> Domain {
        let domains: [Domain; 2] = self.faces[face].surface.domain().into();
        domains[k]
    }

    fn held(&self, face: usize, at: [f64; 2]) -> [f64; 2] {
        [0, 1].map(|k| self.domain(face, k).clamp(at[k]))
    }

    /// A place at which a parameter does not matter, as at a pole, with that of a place nearby.
    fn as_at_pole(&self, faces: [usize; 2], mut place: MeetingPlace, near: &MeetingPlace) -> MeetingPlace {
        for side in 0..2 {
            let surface = &self.faces[faces[side]].surface;
            let at = [place[2 * side], place[2 * side + 1]];
            let point = surface.point(at[0], at[1]);
            for k in 0..2 {
                let mut other = at;
                other[k] = self.domain(faces[side], k).clamp(near[2 * side + k]);
                let changed = (other[k] - at[k]).abs() > 1e-9 * self.domain(faces[side], k).length();
                if changed
                    && (surface.point(other[0], other[1]) - point).norm() <= 1e-3 * self.tolerance.resolution
                {
                    place[2 * side + k] = other[k];
                }
            }
        }
        place
    }

    /// A place on the seam as seen from the other side of it.
    fn over_seam(&self, faces: [usize; 2], mut place: MeetingPlace, near: &MeetingPlace) -> MeetingPlace {
        for k in 0..4 {
            let d = self.domain(faces[k / 2], k % 2);
            if (place[k] - near[k]).abs() > 0.5 * d.length() {
                place[k] = if place[k] - d.start < d.end - place[k] { d.end } else { d.start };
            }
        }
        place
    }

    /// Lets runs on the same face stop where they cross.
    fn cross_runs(&mut self, runs: &mut [Run]) {
        let mut on_face: Vec<Vec<(usize, usize)>> = vec![Vec::new(); self.faces.len()];
        for (r, run) in runs.iter().enumerate() {
            for side in 0..2 {
                on_face[run.faces[side]].push((r, side));
            }
        }
        for (face, own) in on_face.iter().enumerate() {
            for (i, &(r, r_side)) in own.iter().enumerate() {
                for &(s, s_side) in &own[i + 1..] {
                    let others = [runs[r].faces[1 - r_side], runs[s].faces[1 - s_side]];
                    if others[0] == others[1] {
                        continue;
                    }
                    for (along, place_r, place_s) in
                        self.crossings(face, [(&runs[r], r_side), (&runs[s], s_side)])
                    {
                        let point =
                            self.faces[face].surface.point(place_r[2 * r_side], place_r[2 * r_side + 1]);
                        let vertex = self.spot_at(point, self.near);
                        for (run, at, place) in [(r, along[0], place_r), (s, along[1], place_s)] {
                            let known = |x: &(f64, usize, MeetingPlace)| {
                                x.1 == vertex && !runs[run].leaves(&point, x.0, at)
                            };
                            if !runs[run].stops.iter().any(known) {
                                runs[run].stops.push((at, vertex, place));
                            }
                        }
                    }
                }
            }
        }
    }

    /// Where two runs cross in a face's parameter plane, on all three surfaces: how far along both, and the places.
    fn crossings(
        &self,
        face: usize,
        [(a, a_side), (b, b_side)]: [(&Run, usize); 2],
    ) -> Vec<([f64; 2], MeetingPlace, MeetingPlace)> {
        let line = |run: &Run, side| (0..run.places.len()).map(|k| run.flat(side, k)).collect::<Vec<_>>();
        let (p, q) = (line(a, a_side), line(b, b_side));
        let range = |l: &[[f64; 2]]| {
            l.iter().fold(([f64::MAX; 2], [f64::MIN; 2]), |(low, high), x| {
                ([low[0].min(x[0]), low[1].min(x[1])], [high[0].max(x[0]), high[1].max(x[1])])
            })
        };
        let (ra, rb) = (range(&p), range(&q));
        if (0..2).any(|k| ra.0[k] > rb.1[k] || rb.0[k] > ra.1[k]) {
            return Vec::new();
        }
        let mut out = Vec::new();
        for i in 0..p.len() - 1 {
            for j in 0..q.len() - 1 {
                let Some([s, t]) = segments_cross([p[i], p[i + 1]], [q[j], q[j + 1]]) else { continue };
                let at =
                    |run: &Run, k: usize, f: f64| run.places[k] + (run.places[k + 1] - run.places[k]) * f;
                let (pa, pb) = (at(a, i, s), at(b, j, t));
                let others = [a.faces[1 - a_side], b.faces[1 - b_side]];
                let surfaces = [face, others[0], others[1]].map(|f| self.faces[f].surface.as_ref());
                let own = |p: &MeetingPlace, side: usize| [p[2 * side], p[2 * side + 1]];
                let guess = [own(&pa, a_side), own(&pa, 1 - a_side), own(&pb, 1 - b_side)];
                let Some(met) = three_meet(surfaces, guess, &self.tolerance) else { continue };
                let joined = |side: usize, other: [f64; 2]| {
                    let [x, y] = if side == 0 { [met[0], other] } else { [other, met[0]] };
                    MeetingPlace::new(x[0], x[1], y[0], y[1])
                };
                out.push(([i as f64 + s, j as f64 + t], joined(a_side, met[1]), joined(b_side, met[2])));
            }
        }
        out
    }

    /// The parts of a run between its stops that both faces hold.
    fn segments(&self, run: &Run) -> Vec<Segment> {
        let last = run.places.len() - 1;
        // A run may begin and end short of several vertices, which stand in order of how far they are from it there.
        let beyond = |stop: &(f64, usize, MeetingPlace)| {
            let off = |end: usize| (self.spots[stop.1].point - run.points[end]).norm();
            match stop.0 {
                0.0 => -off(0),
                along if along == last as f64 => off(last),
                _ => 0.0,
            }
        };
        let mut stops = run.stops.clone();
        stops.sort_by(|a, b| a.0.total_cmp(&b.0).then(beyond(a).total_cmp(&beyond(b))).then(a.1.cmp(&b.1)));
        let mut out = Vec::new();
        let mut push = |places: Vec<MeetingPlace>, ends: [usize; 2], closed: bool| {
            out.extend(self.segment(run.faces, places, ends, closed));
        };
        let between = |from: f64, to: f64| {
            let first = from.floor() as usize + 1;
            let end = if to.fract() == 0.0 { to as usize } else { to.floor() as usize + 1 };
            run.places[first.min(last + 1)..end.clamp(first.min(last + 1), last + 1)].to_vec()
        };
        if stops.is_empty() {
            push(run.places.clone(), [NONE; 2], run.closed);
            return out;
        }
        for pair in stops.windows(2) {
            let mut places = vec![pair[0].2];
            places.extend(between(pair[0].0, pair[1].0));
            places.push(pair[1].2);
            push(places, [pair[0].1, pair[1].1], false);
        }
        let (first, end) = (&stops[0], &stops[stops.len() - 1]);
        let mut tail = vec![end.2];
        tail.extend(between(end.0, last as f64 + 0.5));
        let mut head: Vec<MeetingPlace> = run.places[..=(first.0.floor() as usize).min(last)].to_vec();
        if first.0.fract() == 0.0 {
            head.pop();
        }
        head.push(first.2);
        if run.closed {
            // Round the place at which the run happens to begin, which stands at both ends of it.
            if tail.len() > 1 {
                tail.pop();
            }
            tail.extend(head);
            push(tail, [end.1, first.1], stops.len() == 1);
        } else {
            if tail.len() > 1 {
                push(tail, [end.1, NONE], false);
            }
            if head.len() > 1 {
                push(head, [NONE, first.1], false);
            }
        }
        out
    }

    fn segment(
        &self,
        faces: [usize; 2],
        places: Vec<MeetingPlace>,
        ends: [usize; 2],
        closed: bool,
    ) -> Option<Segment> {
        let [a, b] = faces.map(|f| &self.faces[f]);
        let surfaces = [a.surface.as_ref(), b.surface.as_ref()];
        let length: f64 = places
            .windows(2)
            .map(|w| (surfaces[0].point(w[1][0], w[1][1]) - surfaces[0].point(w[0][0], w[0][1])).norm())
            .sum();
        // Between a vertex and itself, or an end that nobody knows, there is nothing on so short a way.
        let apart = ends[0] != ends[1] && !ends.contains(&NONE);
        let place = |p: &MeetingPlace| surfaces[0].point(p[0], p[1]);
        let there = places.first().zip(places.last()).map_or(0.0, |(a, b)| (place(b) - place(a)).norm());
        let comes_back = ends.contains(&NONE) && !closed && there <= 3.0 * self.near;
        if comes_back || length <= 3.0 * self.near && !apart || length <= 10.0 * self.tolerance.resolution {
            return None;
        }
        let probes = PROBES.map(|f| {
            let along = f * (places.len() - 1) as f64;
            let k = (along.floor() as usize).min(places.len() - 2);
            let between = places[k] + (places[k + 1] - places[k]) * (along - k as f64);
            meeting_beside(surfaces, between, &self.tolerance)
        });
        // Where a run is off both surfaces between two of its places, it left one of them over its border and came back.
        let [Some(first), Some(middle), Some(last)] = probes else { return None };
        let probes = [first, middle, last];
        let at = probes.map(|p| place(&p));
        // Ends that nobody else knows get vertices of their own; no edge can be there then.
        let on_edge = if ends.contains(&NONE) { None } else { self.edge_along(ends, &at) };
        // What runs along a boundary is that boundary, which is laid into the other face as a whole.
        let along = |f: usize| at.iter().all(|p| self.on_boundary(f, p, self.near));
        if on_edge.is_none() && faces.into_iter().any(along) {
            return None;
        }
        let held = [a.outline.holds([middle[0], middle[1]]), b.outline.holds([middle[2], middle[3]])];
        (held == [true, true] || on_edge.is_some()).then_some(Segment {
            faces,
            places,
            ends,
            closed,
            at,
            on_edge,
            held,
        })
    }

    /// Makes an edge of a segment, or takes the one that lies there already, and lays it into both faces.
    fn lay(
        &mut self,
        segment: Segment,
        fitted: Option<geometry::MeetingCurve>,
        found: &mut Found,
    ) -> Result<(), TopologyError> {
        let Segment { faces, ends, closed, at, .. } = segment;
        // A segment laid before may be the same curve: three surfaces through one.
        let there = if ends.contains(&NONE) { None } else { self.edge_along(ends, &at) };
        if let Some(edge) = segment.on_edge.or(there) {
            // One face's boundary may run on the other one's surface beyond that face, as in an opening of it.
            for (face, held) in faces.into_iter().zip(segment.held) {
                if held && !self.faces[face].uses(edge) {
                    self.lay_along(edge, face)?;
                }
            }
            return Ok(());
        }
        let Some(fitted) = fitted else { return Ok(()) };
        if fitted.max_deviation > self.tolerance.join {
            let at = fitted.curve.point(fitted.curve.domain().at(0.5)).into();
            return Err(TopologyError::Unfollowed { off: fitted.max_deviation, at });
        }
        let point = |k: usize| if k == 0 { fitted.curve.start() } else { fitted.curve.end() };
        let mut vertices = ends;
        if closed && ends[0] == NONE {
            vertices = [self.spot_at(point(0), self.near); 2];
        }
        let inputs = faces.map(|f| self.faces[f].source.input);
        for k in 0..2 {
            if vertices[k] == NONE {
                vertices[k] = self.spot_at(point(k), self.near);
                found.loose_ends.push(Remark { inputs, at: point(k) });
            }
        }
        let [start, end] = vertices.map(|v| VertexId(v as u32));
        let tolerance = fitted.max_deviation.max(2.0 * self.tolerance.resolution);
        let mut edge = Edge { curve: Some(fitted.curve), start, end, tolerance };
        self.settle(&mut edge);
        let id = self.add_edge(edge, NONE);
        let key = [vertices[0].min(vertices[1]), vertices[0].max(vertices[1])];
        self.by_ends.entry(key).or_default().push(id);
        for (face, pcurve) in faces.into_iter().zip(fitted.pcurves) {
            self.faces[face].inner.push((id, pcurve));
        }
        found.meetings.push((id, inputs));
        Ok(())
    }

    /// Lays an edge that lies on a face's surface into the face.
    fn lay_along(&mut self, edge: EdgeId, face: usize) -> Result<(), TopologyError> {
        let Some(curve) = self.curve(edge.index()).cloned() else { return Ok(()) };
        let surface = self.faces[face].surface.clone();
        let pcurve = lying_on(&curve, &surface, &self.tolerance)?;
        let d = curve.domain();
        let off = (0..=8).map(|k| d.at(f64::from(k) / 8.0)).map(|t| {
            let p = pcurve.point(t);
            (surface.point(p.x, p.y) - curve.point(t)).norm()
        });
        let worst = off.fold(0.0, f64::max);
        let tolerance = &mut self.edges[edge.index()].edge.tolerance;
        *tolerance = tolerance.max(worst);
        self.faces[face].inner.push((edge, pcurve));
        Ok(())
    }

    /// Lays edges into the faces of other shapes on which they lie.
    pub(super) fn take_over(&mut self) -> Result<(), TopologyError> {
        for along in std::mem::take(&mut self.along) {
            let edge = EdgeId(along.edge as u32);
            if self.faces[along.face].uses(edge) {
                continue;
            }
            let Some(curve) = self.curve(along.edge) else { continue };
            let d = curve.domain();
            let middle = curve.point(d.at(0.5));
            let part = Domain::new(along.part[0], along.part[1]);
            let face = &self.faces[along.face];
            let slack = 2.0 * self.near.max(self.edges[along.edge].edge.tolerance);
            let foot = |p: &Point3| geometry::closest_on_surface(&face.surface, p);
            // An edge that only clings to the face for a while, as where it touches it closely, does not lie on it.
            let lies =
                || [0.0, 0.21, 0.79, 1.0].iter().all(|f| foot(&curve.point(d.at(*f))).distance <= slack);
            let at = foot(&middle);
            let inside = part.length() > 0.0 && at.distance <= slack && face.outline.holds(at.parameters);
            if inside && lies() && !self.on_boundary(along.face, &middle, self.near) {
                self.lay_along(edge, along.face)?;
            }
        }
        Ok(())
    }
}

/// A part of a run that is to become an edge.
struct Segment {
    faces: [usize; 2],
    places: Vec<MeetingPlace>,
    ends: [usize; 2],
    closed: bool,
    /// Places along it by which an edge is compared with it.
    at: [Point3; 3],
    on_edge: Option<EdgeId>,
    /// Whether its middle is inside each face.
    held: [bool; 2],
}

/// A curve in the parameter plane of a surface on which it lies; straight where that does it.
fn lying_on(
    curve: &NurbsCurve,
    surface: &NurbsSurface,
    tolerance: &Tolerance,
) -> Result<NurbsCurve, TopologyError> {
    let d = curve.domain();
    let foot = |p: &Point3| geometry::closest_on_surface(surface, p).parameters;
    let (a, b) = (foot(&curve.start()), foot(&curve.end()));
    if let Ok(line) = crate::straight_pcurve(d, a, b) {
        let off = |f: f64| {
            let t = d.at(f);
            let p = line.point(t);
            (surface.point(p.x, p.y) - curve.point(t)).norm()
        };
        let straight =
            [0.0, 0.13, 0.31, 0.5, 0.77, 0.91, 1.0].into_iter().all(|f| off(f) <= tolerance.resolution);
        if straight {
            return Ok(line);
        }
    }
    pcurve_on(curve, surface, tolerance)
}

/// Fractions along two segments at which they cross.
fn segments_cross(a: [[f64; 2]; 2], b: [[f64; 2]; 2]) -> Option<[f64; 2]> {
    for k in 0..2 {
        if a[0][k].min(a[1][k]) > b[0][k].max(b[1][k]) || b[0][k].min(b[1][k]) > a[0][k].max(a[1][k]) {
            return None;
        }
    }
    let (u, v) = ([a[1][0] - a[0][0], a[1][1] - a[0][1]], [b[1][0] - b[0][0], b[1][1] - b[0][1]]);
    let det = u[0] * v[1] - u[1] * v[0];
    let d = [b[0][0] - a[0][0], b[0][1] - a[0][1]];
    let (s, t) = ((d[0] * v[1] - d[1] * v[0]) / det, (d[0] * u[1] - d[1] * u[0]) / det);
    let inside = |x: f64| (-1e-9..=1.0 + 1e-9).contains(&x);
    (inside(s) && inside(t)).then_some([s, t])
}

/// Newton's method for the place that three surfaces have in common, from a guess on each.
fn three_meet(
    surfaces: [&NurbsSurface; 3],
    mut at: [[f64; 2]; 3],
    tolerance: &Tolerance,
) -> Option<[[f64; 2]; 3]> {
    // Where two of them touch, as along a smooth edge, a step can lead far off.
    let mut best = (f64::MAX, at);
    for _ in 0..MAX_NEWTON_STEPS {
        let t = [0, 1, 2].map(|k| surfaces[k].tangents(at[k][0], at[k][1]));
        let value = SVector::<f64, 6>::from_iterator(
            (t[0].0 - t[1].0).iter().chain((t[0].0 - t[2].0).iter()).copied().collect::<Vec<_>>(),
        );
        let miss = value.norm();
        if miss < best.0 {
            best = (miss, at);
        }
        if miss <= 1e-7 * tolerance.resolution {
            break;
        }
        let mut slope = SMatrix::<f64, 6, 6>::zeros();
        let mut sizes = [1.0; 6];
        let mut put = |row: usize, column: usize, v: Vector3, size: f64| {
            slope.fixed_view_mut::<3, 1>(row, column).copy_from(&(v / size));
        };
        for k in 0..3 {
            for (x, v) in [t[k].1, t[k].2].into_iter().enumerate() {
                let size = v.norm().max(1e-300);
                sizes[2 * k + x] = size;
                if k == 0 {
                    put(0, x, v, size);
                    put(3, x, v, size);
                } else {
                    put(3 * (k - 1), 2 * k + x, -v, size);
                }
            }
        }
        let Some(step) = slope.lu().solve(&value) else { break };
        for k in 0..3 {
            let domains: [Domain; 2] = surfaces[k].domain().into();
            for x in 0..2 {
                at[k][x] = domains[x].clamp(at[k][x] - step[2 * k + x] / sizes[2 * k + x]);
            }
        }
    }
    (best.0 <= tolerance.fit).then_some(best.1)
}
