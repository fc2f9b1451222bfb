//! Bends that are tighter than what rounds them: on one side the sections' ends would run back over each other.
//!
//! Where the bend is an arc about an axis, all sections cross that at one place, its pole: up to there the strip is good. The
//! strips before and after it go on beyond the pole to each other's mitre, as their offset lines do on that face.

use std::collections::BTreeSet;

use geometry::{Domain, Point3};
use topology::VertexId;

use super::corners::{Corners, Mitre, Plan, side_after, taken_up};
use super::solve::{on_track, solve};
use super::track::Pole;
use crate::SurfacingError;
use crate::halves::{Fan, Spoke};

/// Shares of a bend at which is looked whether contacts go back, and where all sections meet.
const PLACES: [f64; 5] = [0.0, 0.25, 0.5, 0.75, 1.0];

/// A rail's end at which it goes on smoothly as another one.
struct Link {
    vertex: VertexId,
    fan: Fan,
    /// Number of the other rail's spoke.
    other: usize,
    rail: usize,
    at_end: bool,
}

impl Corners<'_> {
    /// Settles the tight bends, and tells the vertices at their ends.
    ///
    /// # Errors
    /// `FilletTooLarge` where a bend folds that is no arc, or its neighbours do not meet.
    pub(super) fn settle_folds(&mut self) -> Result<BTreeSet<VertexId>, SurfacingError> {
        let mut settled = BTreeSet::new();
        for rail in 0..self.rails.len() {
            let Some(side) = self.folds(rail) else { continue };
            let [Some(before), Some(after)] = [false, true].map(|at_end| self.link(rail, at_end)) else {
                continue;
            };
            if before.rail == after.rail || [&before, &after].iter().any(|l| settled.contains(&l.vertex)) {
                continue;
            }
            let vertices = [before.vertex, after.vertex];
            self.fold(rail, side, [before, after])?;
            settled.extend(vertices);
        }
        Ok(settled)
    }

    /// The side on which a rail's contacts all go back along it, or do not go on.
    fn folds(&self, rail: usize) -> Option<usize> {
        let track = &self.rails[rail].track;
        let places = PLACES.map(|share| track.own.at(share));
        let mut back = [true; 2];
        for pair in places.windows(2) {
            let [a, b] = [track.section(pair[0])?, track.section(pair[1])?];
            let along = track.guide.tangent(0.5 * (pair[0] + pair[1]))?;
            for (side, back) in back.iter_mut().enumerate() {
                let on = (b.contacts[side].point - a.contacts[side].point).dot(&along);
                *back &= on <= 0.1 * self.tolerance.fit;
            }
        }
        match back {
            [true, false] => Some(0),
            [false, true] => Some(1),
            _ => None,
        }
    }

    fn link(&self, rail: usize, at_end: bool) -> Option<Link> {
        let spoke = Spoke { edge: self.rails[rail].edge, at_end };
        let edge = self.halves.shell.edge(spoke.edge);
        let vertex = if at_end { edge.end } else { edge.start };
        let fan = self.halves.fan(vertex).filter(|f| f.closed)?;
        let fan = fan.from(fan.spokes.iter().position(|s| *s == spoke)?);
        let others: Vec<usize> =
            (1..fan.spokes.len()).filter(|&j| self.rail_of(fan.spokes[j]).is_some()).collect();
        let [other] = others[..] else { return None };
        if !self.go_on(&fan, other) {
            return None;
        }
        let rail = self.rail_of(fan.spokes[other])?;
        Some(Link { vertex, at_end: fan.spokes[other].at_end, fan, other, rail })
    }

    fn fold(&mut self, rail: usize, side: usize, links: [Link; 2]) -> Result<(), SurfacingError> {
        let track = &self.rails[rail].track;
        let too_large = || track.too_large(track.own.at(0.5));
        let own = [track.own.start, track.own.end];
        let (wall, others) = (1 - side, [0, 1].map(|k| (links[k].rail, links[k].at_end)));
        // Of a neighbour that runs the same way it is the same side.
        let sides = [0, 1].map(|k| if others[k].1 == (k == 0) { side } else { 1 - side });
        let ends = [0, 1].map(|k| self.end_of(others[k].0, others[k].1));
        let rails = others.map(|o| o.0);
        let (ts, crossing) =
            self.crossing(links[0].vertex, rails, others.map(|o| o.1), sides).map_err(|_| too_large())?;
        let pole = self.pole(rail, side).ok_or_else(too_large)?;
        // Where the pole is on the neighbours' last sections.
        let mut shares = [0.0; 2];
        for k in 0..2 {
            let other = &self.rails[rails[k]].track;
            let off = |x: &[f64; 1]| Some(on_track(other, ends[k], x[0])? - pole);
            let (x, miss) = solve([0.5], [Domain::new(0.0, 1.0)], &off).ok_or_else(too_large)?;
            if miss > self.tolerance.fit {
                return Err(too_large());
            }
            shares[k] = x[0];
        }
        let at_pole = self.put(pole);
        let meets_there = (crossing - pole).norm() <= self.tolerance.fit;
        let mitre = if meets_there {
            None
        } else {
            let seeds = self.shared(
                links[0].vertex,
                rails,
                [sides[0] as f64, shares[0]],
                [ts[0], ts[1], sides[1] as f64],
            );
            let seeds = seeds.map_err(|_| too_large())?;
            let place = self.put(crossing);
            Some(Mitre { rails, at_ends: others.map(|o| o.1), vertices: [place, at_pole], seeds })
        };
        let mut walls = [at_pole; 2];
        for k in 0..2 {
            walls[k] = self.wall_end(rail, wall, own[k], &links[k])?;
            let (place, t) = mitre.as_ref().map_or((at_pole, ends[k]), |m| (m.vertices[0], ts[k]));
            let mut more = mitre.as_ref().map_or_else(Vec::new, |m| taken_up(&m.seeds, k));
            more.push(ends[k]);
            self.set_end(others[k], sides[k], [(t, place), (ends[k], walls[k])], &more);
        }
        for k in 0..2 {
            self.set_end((rail, k == 1), side, [(own[k], at_pole), (own[k], walls[k])], &[]);
        }
        self.poles.insert(rail, Pole { side, at: pole });
        let beside = [0, 1].map(|k| (others[k].0, others[k].1, shares[k]));
        self.plans.push(Plan::Fold { rail, beside, mitre });
        Ok(())
    }

    /// Where the strip's last section touches the face that it does not fold on; the edge that ends there is cut.
    fn wall_end(
        &mut self,
        rail: usize,
        wall: usize,
        t: f64,
        link: &Link,
    ) -> Result<VertexId, SurfacingError> {
        let track = &self.rails[rail].track;
        let too_large = || track.too_large(t);
        let point = track.section(t).ok_or_else(too_large)?.contacts[wall].point;
        let Link { fan, other, .. } = link;
        let after = side_after(fan.spokes[0]);
        let (count, between) = (fan.spokes.len(), |k: usize| fan.spokes[k]);
        let [on_wall, on_other] = {
            let first = (*other == 2).then(|| between(1));
            let second = (count - other == 2).then(|| between(other + 1));
            if after == wall { [first, second] } else { [second, first] }
        };
        if on_other.is_some() {
            return Err(too_large());
        }
        let Some(spoke) = on_wall else { return Ok(self.put(point)) };
        let (_, vertex) = self.cut(rail, wall, t, spoke)?;
        if (self.vertices[vertex.index()].point - point).norm() > self.tolerance.fit {
            return Err(self.rails[rail].track.too_large(t));
        }
        Ok(vertex)
    }

    /// The place that all sections of a rail have in common.
    fn pole(&self, rail: usize, side: usize) -> Option<Point3> {
        let track = &self.rails[rail].track;
        let own = [track.own.start, track.own.end];
        let [a, b] = own.map(|t| track.section(t));
        let contacts = [a?, b?].map(|s| s.contacts[side].point);
        let at = if (contacts[0] - contacts[1]).norm() <= self.tolerance.fit {
            nalgebra::center(&contacts[0], &contacts[1])
        } else {
            let share = Domain::new(0.0, 1.0);
            let off = |x: &[f64; 2]| Some(on_track(track, own[0], x[0])? - on_track(track, own[1], x[1])?);
            let (x, _) = solve([0.5, 0.5], [share, share], &off)?;
            nalgebra::center(&on_track(track, own[0], x[0])?, &on_track(track, own[1], x[1])?)
        };
        let off = |t: f64| {
            let off = |x: &[f64; 1]| Some(on_track(track, t, x[0])? - at);
            let middle = if side == 0 { 0.3 } else { 0.7 };
            solve([middle], [Domain::new(0.0, 1.0)], &off).map(|f| f.1)
        };
        PLACES
            .iter()
            .all(|share| off(track.own.at(*share)).is_some_and(|miss| miss <= self.tolerance.fit))
            .then_some(at)
    }
}
