//! Bends that are tighter than what rounds them: on one side the sections' ends would run back over each other.
//!
//! Where the bend is an arc about an axis, all sections cross that at one place, its pole: up to there the strip is good. The
//! strips before and after it go on beyond the pole to each other's mitre, as their offset lines do on that face. Of bends that
//! are nearly such, sections are led to one place, and how far off it they were is told.

use std::collections::BTreeSet;

use geometry::{Domain, Point3};
use topology::VertexId;

use super::corners::{Corners, Mitre, Plan, one_place, side_after, taken_up};
use super::solve::{on_track, solve};
use super::track::{InPlane, Pole};
use crate::SurfacingError;
use crate::halves::{Fan, Spoke};

/// Parts of a bend in which is looked whether contacts go back.
const LOOKED_AT: usize = 16;
/// Shares of it at which is looked where all sections meet.
const PLACES: [f64; 5] = [0.0, 0.25, 0.5, 0.75, 1.0];

/// Share of the size by which sections of a bend that is no arc may pass its pole.
const NEAR: f64 = 0.02;

/// Where a strip and the one that it goes on as have a section in common: parameters of both guides, the place on the face that
/// it does not fold on, and the seam there.
#[derive(Clone, Copy)]
struct Last {
    ts: [f64; 2],
    point: Point3,
    spoke: Option<Spoke>,
}

/// Shares of a rail at which contacts are looked at too: a bend that begins at its tightest has them go back just there.
const BESIDE_ENDS: [f64; 4] = [0.003, 0.02, 0.98, 0.997];

/// How contacts go on along a rail, in mm: the least that they do between places, by how much they go back, and in all.
#[derive(Clone, Copy)]
struct Going {
    least: f64,
    back: f64,
    whole: f64,
}

impl Going {
    /// More than rounding does.
    fn goes_on(&self) -> bool {
        self.least > 1e-9
    }
}

/// A rail's end at which it goes on smoothly as another one.
struct Link {
    vertex: VertexId,
    fan: Fan,
    /// Number of the other rail's spoke.
    other: usize,
    rail: usize,
    at_end: bool,
}

impl Link {
    /// The seams that end here on one side of the rail that it was asked for, and on the other one.
    fn seams(&self, side: usize) -> [Option<Spoke>; 2] {
        let first = (self.other == 2).then(|| self.fan.spokes[1]);
        let second = (self.fan.spokes.len() - self.other == 2).then(|| self.fan.spokes[self.other + 1]);
        if side_after(self.fan.spokes[0]) == side { [first, second] } else { [second, first] }
    }
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

    /// The side on which a rail's contacts go back along it, or do not go on; those on the other one are held then. So they are
    /// too where nothing goes back by that.
    fn folds(&self, rail: usize) -> Option<usize> {
        let track = &self.rails[rail].track;
        let links = [false, true].map(|at_end| self.link(rail, at_end));
        // As far as the seams next to it reach.
        let reach = |wall: usize| {
            let end = |k: usize| {
                let own = self.end_of(rail, k == 1);
                let seam = links[k].as_ref().and_then(|link| link.seams(wall)[0]);
                seam.map_or(Some(own), |spoke| self.meets(rail, wall, own, spoke).ok().map(|m| m.0))
            };
            self.going(rail, Domain::new(end(0)?, end(1)?))
        };
        let goes_on = || (0..2).all(|wall| reach(wall).is_some_and(|on| on.iter().all(Going::goes_on)));
        if goes_on() {
            return None;
        }
        if track.tips != [false; 2] {
            track.hold(InPlane::Middle);
            if goes_on() {
                return None;
            }
        }
        let held = |wall: usize| {
            track.hold(InPlane::Contact(wall));
            reach(wall).filter(|on| on[wall].least > 0.0).map(|on| on[1 - wall])
        };
        // Held on the wrong side, those on the other one run back by much.
        let walls = (0..2).filter_map(|wall| Some((wall, held(wall)?)));
        let best = walls.min_by(|a, b| a.1.back.total_cmp(&b.1.back));
        track.hold(best.map_or(InPlane::Centre, |b| InPlane::Contact(b.0)));
        best.filter(|(_, on)| !on.goes_on() || on.whole <= self.tolerance.fit).map(|(wall, _)| 1 - wall)
    }

    /// For each side how contacts of a rail go on along a part of it; `None` where there are none.
    fn going(&self, rail: usize, part: Domain) -> Option<[Going; 2]> {
        let track = &self.rails[rail].track;
        let mut going = [Going { least: f64::INFINITY, back: 0.0, whole: 0.0 }; 2];
        let even = (0..=LOOKED_AT).map(|k| k as f64 / LOOKED_AT as f64);
        let mut shares: Vec<f64> = even.chain(BESIDE_ENDS).collect();
        shares.sort_by(f64::total_cmp);
        for pair in shares.windows(2) {
            let [from, to] = [0, 1].map(|k| part.at(pair[k]));
            let [a, b] = [track.section(from)?, track.section(to)?];
            let along = track.guide.tangent(0.5 * (from + to))?;
            for (side, going) in going.iter_mut().enumerate() {
                let on = (b.contacts[side].point - a.contacts[side].point).dot(&along);
                going.least = going.least.min(on);
                going.back += (-on).max(0.0);
                going.whole += on;
            }
        }
        Some(going)
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
        let (wall, others) = (1 - side, [0, 1].map(|k| (links[k].rail, links[k].at_end)));
        let rails = others.map(|o| o.0);
        // Of a neighbour that runs the same way it is the same side.
        let sides = [0, 1].map(|k| if others[k].1 == (k == 0) { side } else { 1 - side });
        let [before, after] = &links;
        let last = [
            self.last_sections(rail, wall, false, before, 1 - sides[0])?,
            self.last_sections(rail, wall, true, after, 1 - sides[1])?,
        ];
        let (own, ends) = (last.map(|l| l.ts[0]), last.map(|l| l.ts[1]));
        let crossing = self.crossing(links[0].vertex, rails, others.map(|o| o.1), sides).ok();
        let beyond = crossing.filter(|(ts, _)| {
            // Before their last sections, and so beyond the pole.
            (0..2).all(|k| if others[k].1 { ts[k] < ends[k] } else { ts[k] > ends[k] })
        });
        let pole = beyond.and_then(|_| self.pole_between(rail, side, own, (rails, ends)));
        let crossing = beyond.filter(|c| pole.is_some_and(|p| (c.1 - p.at).norm() > self.tolerance.fit));
        let pole = pole.or_else(|| self.pole_of_contacts(rail, side, own)).ok_or_else(too_large)?;
        // Where the pole is on the neighbours' last sections.
        let mut shares = [0.0; 2];
        for k in 0..2 {
            let other = &self.rails[rails[k]].track;
            let off = |x: &[f64; 1]| Some(on_track(other, ends[k], x[0])? - pole.at);
            let found =
                solve([0.5], [Domain::new(0.0, 1.0)], &off).filter(|f| f.1 <= one_place(self.tolerance));
            shares[k] = found.ok_or_else(too_large)?.0[0];
        }
        let at_pole = self.put(pole.at);
        let mitre = if let Some((ts, place)) = crossing {
            let seeds = self.shared(
                links[0].vertex,
                rails,
                [sides[0] as f64, shares[0]],
                [ts[0], ts[1], sides[1] as f64],
            );
            let seeds = seeds.map_err(|_| too_large())?;
            let place = self.put(place);
            Some((ts, Mitre { rails, at_ends: others.map(|o| o.1), vertices: [place, at_pole], seeds }))
        } else {
            None
        };
        for k in 0..2 {
            let on_wall = match last[k].spoke {
                Some(spoke) => self.cut(rail, wall, own[k], spoke)?.1,
                None => self.put(last[k].point),
            };
            let (place, t) = mitre.as_ref().map_or((at_pole, ends[k]), |(ts, m)| (m.vertices[0], ts[k]));
            let mut more = mitre.as_ref().map_or_else(Vec::new, |(_, m)| taken_up(&m.seeds, k));
            more.push(ends[k]);
            self.set_end(others[k], sides[k], [(t, place), (ends[k], on_wall)], &more);
            self.set_end((rail, k == 1), side, [(own[k], at_pole), (own[k], on_wall)], &[]);
        }
        self.poles.insert(rail, pole);
        let beside = [0, 1].map(|k| (others[k].0, others[k].1, shares[k]));
        self.plans.push(Plan::Fold { rail, beside, mitre: mitre.map(|m| m.1) });
        Ok(())
    }

    /// The sections of a rail and of the one that it goes on as that are one: where they touch the seam of the face that they
    /// do not fold on, or at the vertex.
    fn last_sections(
        &self,
        rail: usize,
        wall: usize,
        at_end: bool,
        link: &Link,
        other_wall: usize,
    ) -> Result<Last, SurfacingError> {
        let tracks = [rail, link.rail].map(|r| &self.rails[r].track);
        let [on_wall, on_other] = link.seams(wall);
        let mut ts = [self.end_of(rail, at_end), self.end_of(link.rail, link.at_end)];
        if on_other.is_some() {
            return Err(tracks[0].too_large(ts[0]));
        }
        if let Some(spoke) = on_wall {
            ts =
                [self.meets(rail, wall, ts[0], spoke)?.0, self.meets(link.rail, other_wall, ts[1], spoke)?.0];
        }
        let section = |k: usize| tracks[k].section(ts[k]).ok_or_else(|| tracks[k].too_large(ts[k]));
        let (own, other) = (section(0)?, section(1)?);
        let point = own.contacts[wall].point;
        let apart = [
            point - other.contacts[other_wall].point,
            own.contacts[1 - wall].point - other.contacts[1 - other_wall].point,
        ];
        if apart.iter().any(|d| d.norm() > self.tolerance.join) {
            let at = self.halves.shell.vertex(link.vertex).point.into();
            return Err(SurfacingError::FilletSides { at });
        }
        Ok(Last { ts, point, spoke: on_wall })
    }

    /// The place that all sections of a rail have in common, if they come near enough to one: on the last section of the
    /// neighbour before it, where that goes through the one after it.
    fn pole_between(
        &self,
        rail: usize,
        side: usize,
        own: [f64; 2],
        (rails, ends): ([usize; 2], [f64; 2]),
    ) -> Option<Pole> {
        let others = rails.map(|r| &self.rails[r].track);
        let share = Domain::new(0.0, 1.0);
        let off = |x: &[f64; 3]| Some(on_track(others[0], ends[0], x[0])? - on_track(others[1], x[1], x[2])?);
        let bounds = [share, others[1].guide.domain(), share];
        let (x, _) = solve([0.5, ends[1], 0.5], bounds, &off).filter(|f| f.1 <= self.tolerance.fit)?;
        self.near_sections(rail, side, own, on_track(others[0], ends[0], x[0])?)
    }

    /// The same where the contacts themselves are as good as one place.
    fn pole_of_contacts(&self, rail: usize, side: usize, own: [f64; 2]) -> Option<Pole> {
        let track = &self.rails[rail].track;
        let [a, b] = [track.section(own[0])?, track.section(own[1])?].map(|s| s.contacts[side].point);
        self.near_sections(rail, side, own, nalgebra::center(&a, &b))
    }

    fn near_sections(&self, rail: usize, side: usize, own: [f64; 2], at: Point3) -> Option<Pole> {
        let track = &self.rails[rail].track;
        let whole = Domain::new(own[0], own[1]);
        let off = |share: &f64| {
            let off = |x: &[f64; 1]| Some(on_track(track, whole.at(*share), x[0])? - at);
            let middle = if side == 0 { 0.3 } else { 0.7 };
            solve([middle], [Domain::new(0.0, 1.0)], &off).map(|f| f.1)
        };
        let misses = PLACES.iter().map(off).collect::<Option<Vec<f64>>>()?;
        let miss = misses.iter().copied().fold(0.0, f64::max);
        let near = misses[0].max(misses[PLACES.len() - 1]) <= self.tolerance.join
            && miss <= NEAR * (track.size)(track.own.at(0.5));
        near.then_some(Pole { side, at, miss })
    }
}
