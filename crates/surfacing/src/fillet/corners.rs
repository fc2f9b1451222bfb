//! Where strips end: what becomes of the vertices of the edges that they stand for.
//!
//! Everything here works on the true sections; it settles how far each strip reaches, and the new vertices. The edges
//! between them come after the strips (`rebuilt`).

use std::collections::{BTreeMap, BTreeSet};

use geometry::{Domain, NurbsCurve, Point3, Tolerance, closest_on_curve};
use nalgebra::Vector6;
use topology::{EdgeId, Vertex, VertexId};

use super::ends::{Plane, plane_of};
use super::fading::{fading, is_tip};
use super::setback::Setback;
use super::sizes::ALIKE;
use super::solve::{contact_on_curve, on_track, solve};
use super::stops::Stop;
use super::track::{Pole, Profile, Track};
use super::{LEVEL, Round};
use crate::SurfacingError;
use crate::ground::Ground;
use crate::halves::{Fan, Halves, Spoke};

/// Places across a strip at which is looked where it runs out over another face.
pub(super) const LOOKED_AT: usize = 8;
/// Share of the join tolerance within which places are one.
const SAME: f64 = 0.1;
/// How many times that strips may be apart at the end of a line that they have in common.
const ONE_LINE: f64 = 4.0;
/// Share of the fit tolerance within which what is looked for step by step is found: what ends short of it, at a bound, is not.
const MEETS: f64 = 0.1;
/// Share of the radius within which balls at a corner are one, so that what touches them is tangent to about a tenth of a degree.
const ONE_BALL: f64 = 0.002;
/// Share of what a strip's end takes up by which the strip is longer.
const BEYOND: f64 = 0.2;

/// An edge that is rounded.
pub(super) struct Rail<'a> {
    pub(super) edge: EdgeId,
    pub(super) track: Track<'a>,
}

/// Where a strip ends.
#[derive(Debug, Clone)]
pub(super) struct Ended {
    /// Parameters of the guide, and vertices, on either side.
    pub(super) ts: [f64; 2],
    pub(super) vertices: [VertexId; 2],
    /// The part of the guide that its end takes up.
    pub(super) part: Domain,
}

/// A line across a strip: by shares `v` of its sections, with the guide's parameter and those of what it is shared with.
pub(super) type Seeds = Vec<(f64, [f64; 3])>;

/// What becomes of a vertex.
pub(super) enum Plan {
    /// One strip runs out over the faces beyond: each with its number, the corner where it is, and the line.
    Out { rail: usize, at_end: bool, across: Vec<Across> },
    /// One strip ends on a free border, which may lie in a plane.
    Border { rail: usize, at_end: bool, plane: Option<Plane> },
    /// Two strips go on as one; sides of either that are one.
    On { rails: [usize; 2], at_ends: [bool; 2], sides: [usize; 2] },
    /// Two strips meet in a mitre, and one of them may run out over the other's face.
    Mitre { mitre: Mitre, over: Option<(usize, bool, Across)> },
    /// Strips end at a ball that touches all faces.
    Ball { rails: Vec<(usize, bool)>, centre: Point3, radius: f64, outward: bool },
    /// The strip of a tight bend ends short of one side at a pole, and those before and after it meet beyond that: ends of the
    /// strip in order of its guide with the shares of the pole on them, and what they have in common.
    Fold { rail: usize, beside: [(usize, bool, f64); 2], mitre: Option<Mitre> },
    /// A strip narrows down to a point.
    Tip { rail: usize, at_end: bool },
    /// A strip ends flat.
    Stop(Stop),
    /// Strips end before a patch.
    Setback(Setback),
    /// Three flats meet in a point.
    Point { mitres: [Mitre; 3] },
}

/// A strip's line on a face beyond its end.
pub(super) struct Across {
    pub(super) face: usize,
    /// The half-edge at whose beginning the line stands in the face's loop, which it runs to.
    pub(super) before: usize,
    /// From where to where, by the strip's share `v`.
    pub(super) vertices: [VertexId; 2],
    pub(super) seeds: Seeds,
    /// Whether it is one of the strip's sections.
    pub(super) level: bool,
}

/// A line that two strips have in common.
pub(super) struct Mitre {
    pub(super) rails: [usize; 2],
    pub(super) at_ends: [bool; 2],
    pub(super) vertices: [VertexId; 2],
    /// By the first strip's share, with the second one's parameter and share.
    pub(super) seeds: Seeds,
}

/// All that is known while vertices are settled.
pub(super) struct Corners<'a> {
    pub(super) halves: &'a Halves<'a>,
    pub(super) rails: &'a [Rail<'a>],
    pub(super) grounds: &'a BTreeMap<usize, Ground>,
    pub(super) tolerance: &'a Tolerance,
    pub(super) vertices: Vec<Vertex>,
    /// Where edges that stay end now.
    pub(super) trims: BTreeMap<(EdgeId, bool), (f64, VertexId)>,
    /// Edges that end beyond where they did, run on, with the parts that they had.
    pub(super) grown: BTreeMap<EdgeId, NurbsCurve>,
    /// Edges of which nothing is left.
    pub(super) gone: BTreeSet<EdgeId>,
    /// How far edges are run on at most, in millimetres.
    pub(super) margin: f64,
    /// By how much of their radius strips end before a patch.
    pub(super) before: f64,
    /// Whether strips that nothing ends stop in flats.
    pub(super) stops: bool,
    /// Where strips of tight bends end.
    pub(super) poles: BTreeMap<usize, Pole>,
    pub(super) ends: BTreeMap<(usize, bool), Ended>,
    pub(super) plans: Vec<Plan>,
}

/// How many millimetres things may be apart that meet.
pub(super) fn one_place(tolerance: &Tolerance) -> f64 {
    MEETS * tolerance.fit
}

/// How many millimetres strips may be apart along a line that they have in common: at its end they can be farther apart than the
/// places at which they end, which are taken for one vertex.
pub(super) fn one_line(tolerance: &Tolerance) -> f64 {
    ONE_LINE * SAME * tolerance.join
}

/// The side of a rail that lies in the corner after its spoke.
pub(super) fn side_after(spoke: Spoke) -> usize {
    usize::from(spoke.at_end)
}

impl<'a> Corners<'a> {
    pub(super) fn curve(&self, edge: EdgeId) -> Option<&'a NurbsCurve> {
        self.halves.shell.edge(edge).curve.as_ref()
    }

    fn place(&self, vertex: VertexId) -> [f64; 3] {
        self.halves.shell.vertex(vertex).point.into()
    }

    pub(super) fn rail_of(&self, spoke: Spoke) -> Option<usize> {
        self.rails.iter().position(|r| r.edge == spoke.edge)
    }

    pub(super) fn put(&mut self, point: Point3) -> VertexId {
        self.vertices.push(Vertex { point });
        VertexId(self.vertices.len() as u32 - 1)
    }

    pub(super) fn end_of(&self, rail: usize, at_end: bool) -> f64 {
        let own = self.rails[rail].track.own;
        if at_end { own.end } else { own.start }
    }

    /// Settles one vertex.
    ///
    /// # Errors
    /// `FilletTooLarge`, `FilletCorner`.
    pub(super) fn settle(&mut self, vertex: VertexId) -> Result<(), SurfacingError> {
        let mixed = || SurfacingError::FilletCorner { at: self.place(vertex) };
        let fan = self.halves.fan(vertex).ok_or_else(mixed)?;
        let count = fan.spokes.len();
        let chosen: Vec<usize> = (0..count).filter(|&i| self.rail_of(fan.spokes[i]).is_some()).collect();
        match (fan.closed, &chosen[..]) {
            (_, []) => Ok(()),
            (true, [i]) if is_tip(self.halves, fan.spokes[*i]) => self.tip(vertex, &fan.from(*i)),
            (true, [i]) if count >= 3 => {
                let fan = fan.from(*i);
                match fading(self.halves, &fan) {
                    Some(there) => self.fade(vertex, &fan, &there).or_else(|_| self.ends(vertex, &fan)),
                    None => self.ends(vertex, &fan),
                }
            }
            (false, [1]) if count == 3 => self.border(&fan),
            (true, [i, j]) => {
                let (fan, between) = (fan.from(*i), j - i);
                if self.go_on(&fan, between) {
                    self.on(vertex, &fan, between)
                } else if count == 3 {
                    self.mitre(vertex, &if between == 1 { fan } else { fan.from(between) })
                } else {
                    Err(mixed())
                }
            }
            (true, all) if all.len() == count => match self.rails[self.rail(&fan, 0)?].track.profile {
                // Where the ball does not touch all faces at once a patch takes its place.
                Profile::Round(Round::Arc) => self
                    .ball(vertex, &fan)
                    .or_else(|refused| self.set_back(vertex, &fan).map_err(|_| refused)),
                Profile::Flat { .. } if count == 3 => self.point(vertex, &fan),
                Profile::Flat { .. } | Profile::Full | Profile::Round(_) => self.set_back(vertex, &fan),
            },
            _ => Err(mixed()),
        }
    }

    pub(super) fn rail(&self, fan: &Fan, spoke: usize) -> Result<usize, SurfacingError> {
        self.rail_of(fan.spokes[spoke]).ok_or(SurfacingError::Empty)
    }

    /// Where a rail's contact on one side meets an edge that stays, which ends there from now on.
    pub(super) fn cut(
        &mut self,
        rail: usize,
        side: usize,
        t: f64,
        spoke: Spoke,
    ) -> Result<(f64, VertexId), SurfacingError> {
        let (t, s, point) = self.meets(rail, side, t, spoke)?;
        Ok((t, self.end_at(spoke, s, point)))
    }

    /// Ends an edge that stays at a parameter, with a vertex there.
    pub(super) fn end_at(&mut self, spoke: Spoke, s: f64, point: Point3) -> VertexId {
        let vertex = self.put(point);
        self.trims.insert((spoke.edge, spoke.at_end), (s, vertex));
        vertex
    }

    /// The same without anything being changed: parameters of the rail and of the edge.
    pub(super) fn meets(
        &self,
        rail: usize,
        side: usize,
        t: f64,
        spoke: Spoke,
    ) -> Result<(f64, f64, Point3), SurfacingError> {
        let track = &self.rails[rail].track;
        let too_large = || track.too_large(t);
        let curve = self.curve(spoke.edge).ok_or_else(too_large)?;
        let ([t, s], miss) = contact_on_curve(track, side, curve, t).ok_or_else(too_large)?;
        let d = curve.domain();
        let within = s > d.start + 1e-9 * d.length() && s < d.end - 1e-9 * d.length();
        // Edges lie on their faces within their own tolerance; what misses one by more does not meet it, though it be near.
        let near = (one_place(self.tolerance)).max(2.0 * self.halves.shell.edge(spoke.edge).tolerance);
        if miss > near || !within {
            return Err(too_large());
        }
        Ok((t, s, curve.point(s)))
    }

    /// Notes where a strip ends: on the side that comes first and on the other one, with further parameters that its end
    /// takes up; between those it may reach a little beyond them.
    pub(super) fn set_end(
        &mut self,
        (rail, at_end): (usize, bool),
        first_side: usize,
        ends: [(f64, VertexId); 2],
        more: &[f64],
    ) {
        let track = &self.rails[rail].track;
        let ts = || ends.iter().map(|e| e.0).chain(more.iter().copied());
        let (low, high) = (ts().fold(f64::MAX, f64::min), ts().fold(f64::MIN, f64::max));
        let beyond = if more.is_empty() { 0.0 } else { BEYOND * (high - low) };
        let d = track.guide.domain();
        let part = Domain::new(d.clamp(low - beyond), d.clamp(high + beyond));
        let by_side = if first_side == 0 { ends } else { [ends[1], ends[0]] };
        let ended = Ended { ts: by_side.map(|e| e.0), vertices: by_side.map(|e| e.1), part };
        self.ends.insert((rail, at_end), ended);
    }

    /// The line of a strip on a ground, for shares from `from` to `to`.
    fn across(
        &self,
        rail: usize,
        ground: &Ground,
        v: [f64; 2],
        t: [f64; 2],
        near: [f64; 2],
    ) -> Result<Seeds, SurfacingError> {
        let track = &self.rails[rail].track;
        let [du, dv] = ground.bounds();
        let mut at = [t[0], near[0], near[1]];
        let mut out = Vec::with_capacity(LOOKED_AT + 1);
        for k in 0..=LOOKED_AT {
            let share = k as f64 / LOOKED_AT as f64;
            let place = v[0] + (v[1] - v[0]) * share;
            let off = |x: &[f64; 3]| Some(on_track(track, x[0], place)? - ground.point([x[1], x[2]]));
            let found = solve(at, [track.guide.domain(), du, dv], &off);
            let (x, _) =
                found.filter(|f| f.1 <= one_place(self.tolerance)).ok_or_else(|| track.too_large(t[0]))?;
            at = x;
            out.push((place, x));
        }
        Ok(out)
    }

    /// Ends a strip by itself: over the faces beyond, or flat where it leads on along the next edge or past several others.
    fn ends(&mut self, vertex: VertexId, fan: &Fan) -> Result<(), SurfacingError> {
        if !self.stops || (fan.spokes.len() == 3 && !self.runs_on(fan)) {
            return self.out(vertex, fan);
        }
        let was = (self.trims.clone(), self.grown.clone());
        self.out(vertex, fan).or_else(|refused| {
            (self.trims, self.grown) = was;
            self.stop(vertex, fan).map_err(|_| refused)
        })
    }

    fn out(&mut self, vertex: VertexId, fan: &Fan) -> Result<(), SurfacingError> {
        let rail = self.rail(fan, 0)?;
        let at_end = fan.spokes[0].at_end;
        let t = self.end_of(rail, at_end);
        let (n, side) = (fan.spokes.len(), side_after(fan.spokes[0]));
        // A size so small that it ends all the same would be no help.
        let runs_on = self.runs_on(fan).then(|| SurfacingError::FilletRunsOn { at: self.place(vertex) });
        let told = |refused| runs_on.clone().unwrap_or(refused);
        let first = self.cut_or_grown(rail, side, t, fan.spokes[1]);
        let first = first.map_err(&told)?;
        let last = self.cut_or_grown(rail, 1 - side, t, fan.spokes[n - 1]);
        let last = last.map_err(&told)?;
        let mut stops = vec![(side as f64, first)];
        for j in 2..n - 1 {
            stops.push(self.pierced(vertex, rail, t, fan.spokes[j], stops[stops.len() - 1].0)?);
        }
        stops.push(((1 - side) as f64, last));
        let mut across = Vec::new();
        let mut more = Vec::new();
        for j in 1..n - 1 {
            let corner = fan.corners[j];
            let ground = &self.grounds[&corner.face];
            let [(v0, (t0, from)), (v1, (t1, to))] = [stops[j - 1], stops[j]];
            let spoke = fan.spokes[j];
            let (s, _) = self.trims[&(spoke.edge, spoke.at_end)];
            let near = self.image(corner.leaving, s);
            let seeds = self.across(rail, ground, [v0, v1], [t0, t1], near)?;
            let d = self.rails[rail].track.guide.domain();
            let level =
                n == 3 && seeds.iter().all(|(_, x)| (x[0] - seeds[0].1[0]).abs() <= 1e-9 * d.length());
            more.extend(if level { Vec::new() } else { taken_up(&seeds, 0) });
            across.push(Across {
                face: corner.face,
                before: corner.leaving,
                vertices: [from, to],
                seeds,
                level,
            });
        }
        self.set_end((rail, at_end), side, [first, last], &more);
        self.plans.push(Plan::Out { rail, at_end, across });
        Ok(())
    }

    /// Whether an edge next to the first one goes on almost as that came.
    fn runs_on(&self, fan: &Fan) -> bool {
        /// Cosine of the angle.
        const ALMOST: f64 = 0.9;
        let Some(own) = self.halves.leaves(fan.spokes[0]) else { return false };
        let beside = [fan.spokes[1], fan.spokes[fan.spokes.len() - 1]];
        beside.iter().any(|s| self.halves.leaves(*s).is_some_and(|d| d.dot(&own) < -ALMOST))
    }

    /// Where an edge that stays goes through a strip.
    fn pierced(
        &mut self,
        vertex: VertexId,
        rail: usize,
        t: f64,
        spoke: Spoke,
        after: f64,
    ) -> Result<(f64, (f64, VertexId)), SurfacingError> {
        let track = &self.rails[rail].track;
        let mixed = SurfacingError::FilletCorner { at: self.place(vertex) };
        let Some(curve) = self.curve(spoke.edge) else { return Err(mixed) };
        let middle = on_track(track, t, 0.5).ok_or_else(|| track.too_large(t))?;
        let near = closest_on_curve(curve, &middle).parameter;
        let off = |x: &[f64; 3]| Some(on_track(track, x[0], x[1])? - curve.point(x[2]));
        let bounds = [track.guide.domain(), Domain::new(0.0, 1.0), curve.domain()];
        let found = solve([t, 0.5, near], bounds, &off).filter(|f| f.1 <= one_place(self.tolerance));
        let Some(([t, v, s], _)) = found else { return Err(mixed) };
        let d = curve.domain();
        if (v - after).abs() < 1e-6 || s <= d.start || s >= d.end {
            return Err(mixed);
        }
        Ok((v, (t, self.end_at(spoke, s, curve.point(s)))))
    }

    fn border(&mut self, fan: &Fan) -> Result<(), SurfacingError> {
        let (rail, spoke) = (self.rail(fan, 1)?, fan.spokes[1]);
        let t = self.end_of(rail, spoke.at_end);
        let side = side_after(spoke);
        let after = self.cut(rail, side, t, fan.spokes[2])?;
        let before = self.cut(rail, 1 - side, t, fan.spokes[0])?;
        self.set_end((rail, spoke.at_end), side, [after, before], &[]);
        let borders = [0, 2].map(|k| self.curve(fan.spokes[k].edge));
        let plane = match borders {
            [Some(a), Some(b)] => plane_of([a, b], self.tolerance),
            _ => None,
        };
        self.plans.push(Plan::Border { rail, at_end: spoke.at_end, plane });
        Ok(())
    }

    /// Whether the rail of the first spoke goes on smoothly along that of another one.
    pub(super) fn go_on(&self, fan: &Fan, other: usize) -> bool {
        let (Some(a), Some(b)) = (self.halves.leaves(fan.spokes[0]), self.halves.leaves(fan.spokes[other]))
        else {
            return false;
        };
        let few = other <= 2 && fan.spokes.len() - other <= 2;
        let smooth = |j: usize| self.halves.smooth_at(fan.spokes[j], LEVEL);
        few && a.dot(&b) < 0.0
            && a.cross(&b).norm() <= LEVEL
            && (1..fan.spokes.len()).filter(|j| *j != other).all(smooth)
    }

    fn on(&mut self, vertex: VertexId, fan: &Fan, other: usize) -> Result<(), SurfacingError> {
        let rails = [self.rail(fan, 0)?, self.rail(fan, other)?];
        let spokes = [fan.spokes[0], fan.spokes[other]];
        let at_ends = spokes.map(|s| s.at_end);
        // Side one lies after the first spoke, side two before it; of the second spoke it is the other way round.
        let sides = [side_after(spokes[0]), 1 - side_after(spokes[1])];
        let between = [
            (other == 2).then(|| fan.spokes[1]),
            (fan.spokes.len() - other == 2).then(|| fan.spokes[other + 1]),
        ];
        let mut ts = [self.end_of(rails[0], at_ends[0]), self.end_of(rails[1], at_ends[1])];
        let sizes = [0, 1].map(|k| (self.rails[rails[k]].track.size)(ts[k]));
        let at = self.place(vertex);
        // A law that does not end round a closed run of edges as it begins.
        let apart = || match (sizes[0] - sizes[1]).abs() > ALIKE {
            true => SurfacingError::FilletSizes { sizes, at },
            false => SurfacingError::FilletSides { at },
        };
        let mut places: [Option<VertexId>; 2] = [None, None];
        for k in 0..2 {
            let Some(spoke) = between[k] else { continue };
            let own = if k == 0 { sides } else { sides.map(|s| 1 - s) };
            let (t, _, point) = self.meets(rails[0], own[0], ts[0], spoke)?;
            let (t_other, _, _) = self.meets(rails[1], own[1], ts[1], spoke)?;
            if places[0].is_some() {
                let section = self.rails[rails[0]]
                    .track
                    .section(ts[0])
                    .ok_or_else(|| self.rails[rails[0]].track.too_large(t))?;
                if (section.contacts[own[0]].point - point).norm() > self.tolerance.join {
                    return Err(apart());
                }
            } else {
                ts = [t, t_other];
            }
            let (_, put) = self.cut(rails[0], own[0], ts[0], spoke)?;
            places[k] = Some(put);
        }
        let section = |k: usize| {
            let track = &self.rails[rails[k]].track;
            track.section(ts[k]).ok_or_else(|| track.too_large(ts[k]))
        };
        let (mut here, mut there) = (section(0)?, section(1)?);
        // Faces that bend by next to nothing between the two, as drawn curves do, leave them apart by as little.
        let turned = sides[0] != sides[1];
        let off = here.apart(&there.turned(turned));
        let bound = LEVEL * (self.rails[rails[0]].track.size)(ts[0]);
        if off > self.tolerance.fit && off <= bound {
            let middle = here.halfway(&there.turned(turned));
            self.rails[rails[0]].track.lean(ts[0], &middle);
            self.rails[rails[1]].track.lean(ts[1], &middle.turned(turned));
            (here, there) = (section(0)?, section(1)?);
        }
        for k in 0..2 {
            let own = if k == 0 { sides } else { sides.map(|s| 1 - s) };
            let (a, b) = (here.contacts[own[0]].point, there.contacts[own[1]].point);
            if (a - b).norm() > self.tolerance.join {
                return Err(apart());
            }
            if places[k].is_none() {
                places[k] = Some(self.put(nalgebra::center(&a, &b)));
            }
        }
        let [Some(one), Some(two)] = places else { return Err(SurfacingError::Empty) };
        for k in 0..2 {
            self.set_end((rails[k], at_ends[k]), sides[k], [(ts[k], one), (ts[k], two)], &[]);
        }
        self.plans.push(Plan::On { rails, at_ends, sides });
        Ok(())
    }

    /// Where two rails touch the face between them at one place.
    pub(super) fn crossing(
        &self,
        vertex: VertexId,
        rails: [usize; 2],
        at_ends: [bool; 2],
        sides: [usize; 2],
    ) -> Result<([f64; 2], Point3), SurfacingError> {
        let tracks = rails.map(|r| &self.rails[r].track);
        let contact = |k: usize, t: f64| Some(tracks[k].section(t)?.contacts[sides[k]].point);
        let ts = [0, 1].map(|k| self.end_of(rails[k], at_ends[k]));
        let off = |x: &[f64; 2]| Some(contact(0, x[0])? - contact(1, x[1])?);
        let found = solve(ts, [tracks[0].guide.domain(), tracks[1].guide.domain()], &off);
        let found = found.filter(|f| f.1 <= one_place(self.tolerance));
        let (ts, _) = found.ok_or_else(|| SurfacingError::FilletCorner { at: self.place(vertex) })?;
        let [Some(a), Some(b)] = [contact(0, ts[0]), contact(1, ts[1])] else {
            return Err(tracks[0].too_large(ts[0]));
        };
        Ok((ts, nalgebra::center(&a, &b)))
    }

    /// The line of two strips from one share of the first to another.
    pub(super) fn shared(
        &self,
        vertex: VertexId,
        rails: [usize; 2],
        v: [f64; 2],
        from: [f64; 3],
    ) -> Result<Seeds, SurfacingError> {
        let tracks = rails.map(|r| &self.rails[r].track);
        let bounds = [tracks[0].guide.domain(), tracks[1].guide.domain(), Domain::new(0.0, 1.0)];
        let mut out: Seeds = Vec::with_capacity(LOOKED_AT + 1);
        for k in 0..=LOOKED_AT {
            let step = (v[1] - v[0]) / LOOKED_AT as f64;
            let place = v[0] + step * k as f64;
            // Where it begins both strips touch one face, and nothing tells yet how it goes on: at first about alike on both.
            let near = match &out[..] {
                [] => from,
                [_] => [from[0], from[1], from[2] + if from[2] < 0.5 { step.abs() } else { -step.abs() }],
                [.., (_, a), (_, b)] => [0, 1, 2].map(|i| 2.0 * b[i] - a[i]),
            };
            let off =
                |x: &[f64; 3]| Some(on_track(tracks[0], x[0], place)? - on_track(tracks[1], x[1], x[2])?);
            let found = solve(near, bounds, &off).filter(|f| f.1 <= one_line(self.tolerance));
            let (at, _) = found.ok_or_else(|| SurfacingError::FilletCorner { at: self.place(vertex) })?;
            out.push((place, at));
        }
        Ok(out)
    }

    /// Rails at the first two spokes of three.
    fn mitre(&mut self, vertex: VertexId, fan: &Fan) -> Result<(), SurfacingError> {
        let spokes = [fan.spokes[0], fan.spokes[1]];
        let rails = [self.rail(fan, 0)?, self.rail(fan, 1)?];
        let at_ends = spokes.map(|s| s.at_end);
        // Sides toward the face that both touch.
        let inner = [side_after(spokes[0]), 1 - side_after(spokes[1])];
        let outer = inner.map(|s| 1 - s);
        let (ts, point) = self.crossing(vertex, rails, at_ends, inner)?;
        let third = fan.spokes[2];
        let reach = [0, 1].map(|k| self.meets(rails[k], outer[k], self.end_of(rails[k], at_ends[k]), third));
        let [a, b] = reach;
        let (a, b) = (a?, b?);
        let common = self.put(point);
        if (a.2 - b.2).norm() <= SAME * self.tolerance.join {
            let (_, end) = self.cut(rails[0], outer[0], a.0, third)?;
            let v = [inner[0], outer[0]].map(|s| s as f64);
            let seeds = self.shared(vertex, rails, v, [ts[0], ts[1], inner[1] as f64])?;
            self.set_end(
                (rails[0], at_ends[0]),
                inner[0],
                [(ts[0], common), (a.0, end)],
                &taken_up(&seeds, 0),
            );
            self.set_end(
                (rails[1], at_ends[1]),
                inner[1],
                [(ts[1], common), (b.0, end)],
                &taken_up(&seeds, 1),
            );
            let mitre = Mitre { rails, at_ends, vertices: [common, end], seeds };
            self.plans.push(Plan::Mitre { mitre, over: None });
            return Ok(());
        }
        // The strip that reaches farther along the third edge runs out over the other one's face.
        let from = Point3::from(self.place(vertex));
        let longer = usize::from((b.2 - from).norm() > (a.2 - from).norm());
        let shorter = 1 - longer;
        let (far, near) = if longer == 0 { (a, b) } else { (b, a) };
        let pair = [rails[longer], rails[shorter]];
        let tracks = pair.map(|r| &self.rails[r].track);
        let side = outer[shorter];
        let contact = |t: f64| Some(tracks[1].section(t)?.contacts[side].point);
        let off = |x: &[f64; 3]| Some(on_track(tracks[0], x[0], x[1])? - contact(x[2])?);
        let bounds = [tracks[0].guide.domain(), Domain::new(0.0, 1.0), tracks[1].guide.domain()];
        let found =
            solve([ts[longer], 0.5, near.0], bounds, &off).filter(|f| f.1 <= one_place(self.tolerance));
        let ([t0, v0, t1], _) =
            found.ok_or_else(|| SurfacingError::FilletCorner { at: self.place(vertex) })?;
        let stop = contact(t1).ok_or_else(|| tracks[1].too_large(t1))?;
        let stop = self.put(stop);
        let (_, end) = self.cut(rails[longer], outer[longer], far.0, third)?;
        let from = [ts[longer], ts[shorter], inner[shorter] as f64];
        let seeds = self.shared(vertex, pair, [inner[longer] as f64, v0], from)?;
        let corner = fan.corners[if longer == 0 { 1 } else { 2 }];
        let ground = &self.grounds[&corner.face];
        let (s, _) = self.trims[&(third.edge, third.at_end)];
        // The third edge is on that face too, on either side of its corner.
        let half = if longer == 0 { corner.coming } else { corner.leaving };
        let p = self.halves.used(half).pcurve.point(s);
        let mut line =
            self.across(rails[longer], ground, [outer[longer] as f64, v0], [far.0, t0], [p.x, p.y])?;
        let mut more = taken_up(&seeds, 0);
        more.extend(taken_up(&line, 0));
        self.set_end(
            (rails[longer], at_ends[longer]),
            inner[longer],
            [(ts[longer], common), (far.0, end)],
            &more,
        );
        self.set_end(
            (rails[shorter], at_ends[shorter]),
            inner[shorter],
            [(ts[shorter], common), (t1, stop)],
            &taken_up(&seeds, 1),
        );
        // The face's loop comes in along the second spoke of the corner and leaves along the first.
        let vertices = if longer == 0 {
            line.reverse();
            [stop, end]
        } else {
            [end, stop]
        };
        let over = Across { face: corner.face, before: corner.leaving, vertices, seeds: line, level: false };
        let mitre = Mitre {
            rails: pair,
            at_ends: [at_ends[longer], at_ends[shorter]],
            vertices: [common, stop],
            seeds,
        };
        self.plans.push(Plan::Mitre { mitre, over: Some((rails[longer], at_ends[longer], over)) });
        Ok(())
    }

    fn ball(&mut self, vertex: VertexId, fan: &Fan) -> Result<(), SurfacingError> {
        let count = fan.spokes.len();
        let rails: Vec<usize> = (0..count).map(|i| self.rail(fan, i)).collect::<Result<_, _>>()?;
        let first = &self.rails[rails[0]].track;
        let t = self.end_of(rails[0], fan.spokes[0].at_end);
        let third = &self.grounds[&fan.corners[1].face];
        let spoke = fan.corners[1].leaving;
        let d = self.halves.used(spoke).pcurve.domain();
        let used = self.halves.used(spoke);
        let p = used.pcurve.point(if fan.spokes[1].at_end { d.end } else { d.start });
        let radius = (first.size)(t);
        let reach = first.side * radius;
        let [du, dv] = third.bounds();
        let off = |x: &[f64; 3]| {
            let place = third.place([x[1], x[2]])?;
            Some(first.section(x[0])?.centre - (place.point + place.normal * reach))
        };
        let found = solve([t, p.x, p.y], [first.guide.domain(), du, dv], &off);
        let (x, _) = found.filter(|f| f.1 <= one_place(self.tolerance)).ok_or_else(|| first.too_large(t))?;
        let centre = first.section(x[0]).ok_or_else(|| first.too_large(t))?.centre;
        let mut sections = Vec::with_capacity(count);
        for &rail in &rails {
            let track = &self.rails[rail].track;
            let t = closest_on_curve(&track.guide, &centre).parameter;
            let section = track.section(t).ok_or_else(|| track.too_large(t))?;
            if (section.centre - centre).norm() > self.tolerance.fit.min(ONE_BALL * radius) {
                return Err(SurfacingError::FilletCorner { at: self.place(vertex) });
            }
            sections.push((t, section));
        }
        let places: Vec<VertexId> = (0..count)
            .map(|i| {
                let side = side_after(fan.spokes[i]);
                self.put(sections[i].1.contacts[side].point)
            })
            .collect();
        for i in 0..count {
            let (t, side) = (sections[i].0, side_after(fan.spokes[i]));
            let before = places[(i + count - 1) % count];
            self.set_end((rails[i], fan.spokes[i].at_end), side, [(t, places[i]), (t, before)], &[]);
        }
        let outward = self.rails[rails[0]].track.side < 0.0;
        let rails = rails.iter().zip(&fan.spokes).map(|(r, s)| (*r, s.at_end)).collect();
        self.plans.push(Plan::Ball { rails, centre, radius, outward });
        Ok(())
    }

    fn point(&mut self, vertex: VertexId, fan: &Fan) -> Result<(), SurfacingError> {
        let mixed = SurfacingError::FilletCorner { at: self.place(vertex) };
        let mut rails = [0; 3];
        for (k, rail) in rails.iter_mut().enumerate() {
            *rail = self.rail(fan, k)?;
        }
        let at_ends = [0, 1, 2].map(|k| fan.spokes[k].at_end);
        let after = [0, 1, 2].map(|k| side_after(fan.spokes[k]));
        let mut crossings = Vec::with_capacity(3);
        for i in 0..3 {
            let j = (i + 1) % 3;
            let found = self.crossing(
                vertex,
                [rails[i], rails[j]],
                [at_ends[i], at_ends[j]],
                [after[i], 1 - after[j]],
            )?;
            let put = self.put(found.1);
            crossings.push((found.0, put));
        }
        let tracks = rails.map(|r| &self.rails[r].track);
        // One place of all three strips.
        let [a, b, c] = [0, 1, 2].map(|k| self.end_of(rails[k], at_ends[k]));
        let share = Domain::new(0.0, 1.0);
        let [da, db, dc] = tracks.map(|t| t.guide.domain());
        let off = |x: &[f64; 6]| {
            let [p, q, r] = [0, 1, 2].map(|k| on_track(tracks[k], x[2 * k], x[2 * k + 1]));
            let (p, q, r) = (p?, q?, r?);
            let (one, two) = (p - q, p - r);
            Some(Vector6::new(one.x, one.y, one.z, two.x, two.y, two.z))
        };
        let found = solve([a, 0.5, b, 0.5, c, 0.5], [da, share, db, share, dc, share], &off);
        let (x, _) = found.filter(|f| f.1 <= one_place(self.tolerance)).ok_or_else(|| mixed.clone())?;
        let at = on_track(tracks[0], x[0], x[1]).ok_or(mixed)?;
        let middle = self.put(at);
        let mut mitres = Vec::with_capacity(3);
        for i in 0..3 {
            let j = (i + 1) % 3;
            let pair = [rails[i], rails[j]];
            let (ts, put) = crossings[i];
            let from = [ts[0], ts[1], (1 - after[j]) as f64];
            let seeds = self.shared(vertex, pair, [after[i] as f64, x[2 * i + 1]], from)?;
            let at_ends = [at_ends[i], at_ends[j]];
            mitres.push(Mitre { rails: pair, at_ends, vertices: [put, middle], seeds });
        }
        for i in 0..3 {
            let before = (i + 2) % 3;
            let more: Vec<f64> =
                taken_up(&mitres[i].seeds, 0).into_iter().chain(taken_up(&mitres[before].seeds, 1)).collect();
            let ends = [(crossings[i].0[0], crossings[i].1), (crossings[before].0[1], crossings[before].1)];
            self.set_end((rails[i], at_ends[i]), after[i], ends, &more);
        }
        let mitres = mitres.try_into().map_err(|_| SurfacingError::Empty)?;
        self.plans.push(Plan::Point { mitres });
        Ok(())
    }
}

/// The parameters of one of two guides along a line.
pub(super) fn taken_up(seeds: &Seeds, which: usize) -> Vec<f64> {
    seeds.iter().map(|(_, x)| x[which]).collect()
}
