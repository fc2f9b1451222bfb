//! Strips that end flat at a vertex, where nothing beyond ends them: the next edge goes on almost straight and stays sharp.

use std::f64::consts::{FRAC_PI_2, FRAC_PI_4, TAU};

use geometry::{NurbsCurve, Point3, Vector3, as_line};
use nalgebra::{Vector1, Vector2};
use topology::{EdgeId, OrientedEdge, VertexId};

use super::corners::{Corners, LOOKED_AT, Plan, side_after};
use super::ends::{Plane, slanted_end};
use super::planes::facet;
use super::rebuilt::Rebuilt;
use super::solve::{on_track, solve};
use crate::SurfacingError;
use crate::halves::{Fan, Spoke};

/// Angle in radians from the edge to the flat, in the face beside it: a right one, or that of the next edge less `LEAN`.
const LEAN: f64 = FRAC_PI_4 / 3.0;
const LEAST: f64 = FRAC_PI_4;
/// Sine of the angle between the flat's lines on both faces below which they tell no plane.
const ACROSS: f64 = 0.05;
/// Places at which is looked whether a strip's end lies in the flat's plane.
const PLACES: usize = 8;

/// A flat end.
pub(super) struct Stop {
    rail: usize,
    at_end: bool,
    vertex: VertexId,
    plane: Plane,
    /// What leads from the vertex to the end of the strip on the side after the rail, and on the one before it.
    walls: [Wall; 2],
}

/// A side of the flat.
enum Wall {
    /// A line across a face, from one place of it to another, that comes into its loop before a half-edge.
    Across { face: usize, before: usize, places: [[f64; 2]; 2] },
    /// The beginning of an edge, up to a parameter, that comes into the loop of the face on its other side before a half-edge.
    Along { spoke: Spoke, to: f64, half: usize, before: usize },
}

/// Where a flat leads from its vertex on one face.
struct Way {
    direction: Vector3,
    /// Whether along the next edge.
    along: bool,
}

impl Corners<'_> {
    /// Ends a strip in a plane through its edge's vertex, across its faces or along a straight edge beside it.
    ///
    /// # Errors
    /// `FilletRunsOn` where there is no such plane.
    pub(super) fn stop(&mut self, vertex: VertexId, fan: &Fan) -> Result<(), SurfacingError> {
        let found = self.flat_end(vertex, fan);
        let at = self.halves.shell.vertex(vertex).point;
        let (stop, ends, more) = found.ok_or(SurfacingError::FilletRunsOn { at: at.into() })?;
        let put = |own: &mut Self, k: usize| match stop.walls[k] {
            Wall::Across { .. } => own.put(ends[k].1),
            Wall::Along { spoke, to, .. } => own.end_at(spoke, to, ends[k].1),
        };
        let vertices = [put(self, 0), put(self, 1)];
        let ends = [0, 1].map(|k| (ends[k].0, vertices[k]));
        self.set_end((stop.rail, stop.at_end), side_after(fan.spokes[0]), ends, &more);
        self.plans.push(Plan::Stop(stop));
        Ok(())
    }

    /// A flat end with where the strip's sides end in it, after and before the rail, and what its line across takes up.
    #[allow(clippy::type_complexity, reason = "parts of one result, used once")]
    fn flat_end(&self, vertex: VertexId, fan: &Fan) -> Option<(Stop, [(f64, Point3); 2], Vec<f64>)> {
        let at = self.halves.shell.vertex(vertex).point;
        let (spoke, last) = (fan.spokes[0], fan.spokes.len() - 1);
        let (rail, at_end) = (self.rail(fan, 0).ok()?, spoke.at_end);
        let track = &self.rails[rail].track;
        let own = self.halves.leaves(spoke)?;
        let halves = [fan.corners[0].leaving, fan.corners[last].coming];
        let beside = [fan.spokes[1], fan.spokes[last]];
        let ways =
            [self.way(halves[0], spoke, beside[0], 1.0)?, self.way(halves[1], spoke, beside[1], -1.0)?];
        if ways[0].along && ways[1].along {
            return None;
        }
        let normal = ways[0].direction.cross(&ways[1].direction).try_normalize(ACROSS)?;
        let height = |p: &Point3| (p - at).dot(&normal);
        let (t, side) = (self.end_of(rail, at_end), side_after(spoke));
        let guide = track.guide.domain();
        let end = |k: usize| {
            let side = if k == 0 { side } else { 1 - side };
            let used = self.halves.used(halves[k]);
            let d = used.pcurve.domain();
            let from = used.pcurve.point(if at_end { d.end } else { d.start });
            let (t, wall, point) = if ways[k].along {
                let (t, s, point) = self.meets(rail, side, t, beside[k]).ok()?;
                let corner = fan.corners[if k == 0 { 1 } else { last - 1 }];
                let half = if k == 0 { corner.leaving } else { corner.coming };
                (t, Wall::Along { spoke: beside[k], to: s, half, before: corner.leaving }, point)
            } else {
                let off =
                    |x: &[f64; 1]| Some(Vector1::new(height(&track.section(x[0])?.contacts[side].point)));
                let ([t], miss) = solve([t], [guide], &off)?;
                let contact = track.section(t).filter(|_| miss <= self.tolerance.resolution)?.contacts[side];
                let face = self.halves.all[halves[k]].face;
                let places = [[from.x, from.y], self.grounds[&face].on_turn_of(contact.at, [from.x, from.y])];
                let before = fan.corners[if k == 0 { 0 } else { last }].leaving;
                (t, Wall::Across { face, before, places }, contact.point)
            };
            let leads = (point - at).dot(&ways[k].direction) > 0.0;
            (leads && height(&point).abs() <= self.tolerance.fit).then_some((t, wall, point))
        };
        let [(t0, first, p0), (t1, second, p1)] = [end(0)?, end(1)?];
        let mut more = Vec::new();
        for k in 0..=LOOKED_AT {
            let v = k as f64 / LOOKED_AT as f64;
            let off = |x: &[f64; 1]| Some(Vector1::new(height(&on_track(track, x[0], v)?)));
            let ([t], miss) = solve([0.5 * (t0 + t1)], [guide], &off)?;
            if miss > self.tolerance.fit {
                return None;
            }
            more.push(t);
        }
        let plane = (at, normal);
        // The edge leads away from the flat, not along it.
        (own.dot(&normal).abs() > ACROSS).then_some((
            Stop { rail, at_end, vertex, plane, walls: [first, second] },
            [(t0, p0), (t1, p1)],
            more,
        ))
    }

    /// Where a flat leads on the face of a rail's half-edge, toward the next edge there; `turn` is 1 where that is to the left.
    fn way(&self, half: usize, spoke: Spoke, next: Spoke, turn: f64) -> Option<Way> {
        let pcurve = &self.halves.used(half).pcurve;
        let d = pcurve.domain();
        let at = pcurve.point(if spoke.at_end { d.end } else { d.start });
        let normal = self.grounds.get(&self.halves.all[half].face)?.place([at.x, at.y])?.normal;
        let (own, other) = (self.halves.leaves(spoke)?, self.halves.leaves(next)?);
        let left = normal.cross(&own) * turn;
        let angle = other.dot(&left).atan2(other.dot(&own)).rem_euclid(TAU);
        let straight = as_line(self.curve(next.edge)?, self.tolerance.resolution).is_some();
        let along = straight && (LEAST..FRAC_PI_2 + LEAN).contains(&angle);
        let to = if along { angle } else { FRAC_PI_2.min(angle - LEAN) };
        let direction = if along { other } else { own * to.cos() + left * to.sin() };
        (to >= LEAST).then_some(Way { direction, along })
    }
}

impl Rebuilt<'_> {
    /// Puts a flat end in its place.
    ///
    /// # Errors
    /// `FilletRunsOn` where the strip does not end in its plane; those of its lines.
    pub(super) fn stop(
        &mut self,
        stop: &Stop,
        name: &dyn Fn(&[EdgeId]) -> String,
    ) -> Result<(), SurfacingError> {
        let &Stop { rail, at_end, vertex, plane, .. } = stop;
        let ended = self.ended(rail, at_end)?.clone();
        let (curve, pcurve) = slanted_end(&self.surfaces[rail], ended.ts, Some(plane), self.tolerance)?;
        let (at, normal) = plane;
        let off = |k: usize| (curve.point(curve.domain().at(k as f64 / PLACES as f64)) - at).dot(&normal);
        if (0..=PLACES).any(|k| off(k).abs() > self.tolerance.fit) {
            return Err(SurfacingError::FilletRunsOn { at: at.into() });
        }
        let edge = self.put(curve, ended.vertices[0], ended.vertices[1]);
        self.paths.insert((rail, at_end), vec![OrientedEdge { edge, forward: true, pcurve }]);
        // Round the flat as its outer side is seen: across the strip, back to the vertex, and out again.
        let mut around = vec![(edge, at_end)];
        let after = usize::from(at_end);
        for (k, wall) in stop.walls.iter().enumerate() {
            let end = ended.vertices[if k == 0 { after } else { 1 - after }];
            let (edge, leads_out, before, pcurve) = match wall {
                Wall::Across { face, before, places } => {
                    let (curve, pcurve) = self.line_in_plane(*face, [vertex, end], *places, plane)?;
                    (self.put(curve, vertex, end), true, *before, pcurve)
                }
                Wall::Along { spoke, to, half, before } => {
                    let whole = self.halves.shell.edge(spoke.edge).curve.as_ref();
                    let whole = whole.ok_or(SurfacingError::Empty)?;
                    let d = whole.domain();
                    let [from, to] = if spoke.at_end { [*to, d.end] } else { [d.start, *to] };
                    let pcurve = self.halves.used(*half).pcurve.part(from, to);
                    let ends = if spoke.at_end { [end, vertex] } else { [vertex, end] };
                    (self.put(whole.part(from, to), ends[0], ends[1]), !spoke.at_end, *before, pcurve)
                }
            };
            // In the face's loop the one after the rail runs out to the strip, and the one before it comes back.
            self.inserts.insert(before, OrientedEdge { edge, forward: leads_out == (k == 0), pcurve });
            around.push((edge, leads_out != (k == 0)));
        }
        let edges: Vec<(EdgeId, bool, NurbsCurve)> = around
            .into_iter()
            .filter_map(|(e, forward)| Some((e, forward, self.edges[e.index()].curve.clone()?)))
            .collect();
        let role = format!("end of {}", name(&[self.rail_edge(rail)]));
        self.balls.push(facet(&edges, &role)?);
        self.flat_ends.push(at);
        Ok(())
    }

    /// The line in which a plane meets a face between two vertices, with its image there.
    fn line_in_plane(
        &self,
        face: usize,
        vertices: [VertexId; 2],
        places: [[f64; 2]; 2],
        (at, normal): Plane,
    ) -> Result<(NurbsCurve, NurbsCurve), SurfacingError> {
        let ground = &self.grounds[&face];
        let [from, to] = vertices.map(|v| self.vertices[v.index()].point);
        if let Some(map) = ground.surface.into_parameters() {
            let line = NurbsCurve::line(from, to);
            let image = line.transformed(&map);
            return Ok((line, image));
        }
        let chord = to - from;
        let length = chord.norm();
        let ahead = chord / length;
        let at_share = |share: f64| {
            let near = [0, 1].map(|k| places[0][k] + (places[1][k] - places[0][k]) * share);
            let off = |x: &[f64; 2]| {
                let p = ground.point(*x);
                Some(Vector2::new((p - at).dot(&normal), (p - from).dot(&ahead) - share * length))
            };
            let (x, _) = solve(near, ground.bounds(), &off).filter(|f| f.1 <= self.tolerance.resolution)?;
            Some((ground.point(x), [x]))
        };
        let lost = || SurfacingError::FilletRunsOn { at: at.into() };
        let (curve, [image]) = self.through(&at_share, &lost)?;
        Ok((curve, image))
    }
}
