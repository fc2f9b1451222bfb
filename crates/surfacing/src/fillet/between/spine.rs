//! The way of a ball's centre along two supports of one or several faces: where their offsets meet, as far as the ball touches both
//! and no other of their faces is in its way.

use std::collections::BTreeMap;
use std::sync::Arc;

use geometry::{
    Domain, NurbsCurve, NurbsSurface, Point3, Tolerance, box_of, closest_on_curve, closest_on_surface,
    closest_within, parallel_surface,
};
use topology::{EdgeId, Face, Outline, imprint, natural_shell, pcurve_on};

use super::Support;
use super::held::Held;
use crate::SurfacingError;
use crate::fillet::Round;
use crate::fillet::ends::{Plane, plane_of};
use crate::fillet::solve::{contact_on_curve, on_track};
use crate::fillet::track::{InPlane, LengthAt, Near, Profile, Section, Track, longer};
use crate::ground::Ground;

/// How much farther than the radius faces are run on, and how far beyond one border the other one is looked for, as shares of
/// the radius.
pub(super) const FARTHER: f64 = 5.0;
const BORDER_WITHIN: f64 = 4.5;
/// How far apart borders may be along the way that do not lie in a plane, so that the end between them is no more slanted than
/// that, as a share of the radius.
const SLANTED: f64 = 2.0;
/// Places of a spine at which is looked whether the ball touches both sides: per span, and at least in all.
const PER_SPAN: usize = 4;
const LEAST: usize = 32;
/// Steps on the way to the other border, per radius.
const STEPS: f64 = 8.0;
const HALVINGS: usize = 40;
/// Share of the radius by which a face may reach into the ball: what a fit leaves.
const INTO: f64 = 1e-3;

/// Places of a section at which is looked whether it lies in a face, and the share of the fit tolerance within which it does.
const ACROSS: usize = 6;
const LIES_IN: f64 = 1e-3;

/// The number of the support in the middle.
pub(super) const MIDDLE: usize = 2;

/// A face that the ball may touch.
pub(super) struct Touched<'a> {
    pub(super) face: &'a Face,
    /// Which it is in its shell.
    pub(super) number: usize,
    pub(super) ground: Ground,
    outline: Outline,
}

impl<'a> Touched<'a> {
    /// The faces of a support, by `margin` mm longer over their borders.
    pub(super) fn all(support: &Support<'a>, margin: f64) -> Vec<Self> {
        let made = |&number: &usize| {
            let face = &support.shell.faces()[number];
            let ground = Ground::new(face, margin);
            let ground = if support.outside { ground } else { ground.turned() };
            Touched { face, number, ground, outline: Outline::of(face) }
        };
        support.faces.iter().map(made).collect()
    }

    pub(super) fn holds(&self, at: [f64; 2]) -> bool {
        self.outline.holds(self.ground.settled(at, at))
    }

    /// The edge of the face nearest to a place.
    fn edge_at(&self, support: &Support<'_>, place: &Point3) -> Option<EdgeId> {
        let edges = self.face.loops.iter().flat_map(|l| &l.edges).map(|u| u.edge);
        let apart = |e: EdgeId| {
            let curve = support.shell.edge(e).curve.as_ref()?;
            Some((e, (closest_on_curve(curve, place).point - place).norm()))
        };
        edges.filter_map(apart).min_by(|a, b| a.1.total_cmp(&b.1)).map(|e| e.0)
    }
}

/// Where a piece of the way ends.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct End {
    /// The guide's parameters up to which either side is taken.
    pub(super) ts: [f64; 2],
    /// For supports whose face goes on there in another one that is touched too, that one.
    pub(super) over: [Option<usize>; 3],
    /// The plane of the borders between which it ends, if they have one.
    pub(super) plane: Option<Plane>,
    /// The faces of the one shape beyond, which cut off what is laid there.
    pub(super) ended_by: [Option<usize>; 3],
}

/// The centres of balls that touch a face of every support, whatever their borders, with their feet.
#[derive(Clone)]
pub(super) struct Spine {
    pub(super) curve: NurbsCurve,
    pub(super) feet: [NurbsCurve; 2],
    /// The numbers of the faces among those that are touched.
    pub(super) faces: [usize; 2],
    /// That of the third face and the feet on it.
    pub(super) middle: Option<(usize, NurbsCurve)>,
    /// Where the ball touches the first face along an edge, what is known of it; the curve is that edge then, not the centres'.
    pub(super) held: Option<Held>,
}

/// A part of the way along which the ball touches one face of either side.
pub(super) struct Piece {
    pub(super) spine: Spine,
    /// Where it begins and where it ends.
    pub(super) ends: [End; 2],
    /// Whether it goes round.
    pub(super) closed: bool,
}

impl Spine {
    /// The track along it, of a radius by the guide's parameter.
    pub(super) fn track<'a>(
        &self,
        touched: &'a [Vec<Touched<'_>>],
        round: Round,
        size: LengthAt<'a>,
        even: bool,
    ) -> Track<'a> {
        let grounds = [0, 1].map(|k| &touched[k][self.faces[k]].ground);
        let guide = (longer(&self.curve, 0.0), self.curve.domain());
        let near = Near::Feet(self.feet.clone());
        let profile = if self.middle.is_some() { Profile::Full } else { Profile::Round(round) };
        let mut track = Track::new(guide, grounds, near, 1.0, profile, size, even);
        if self.held.is_some() {
            track.hold(InPlane::Contact(0));
        }
        track.third = self.middle.as_ref().map(|(k, feet)| (&touched[MIDDLE][*k].ground, feet.clone()));
        track
    }

    /// The number of the face of a support.
    fn face(&self, support: usize) -> Option<usize> {
        self.faces.get(support).copied().or(self.middle.as_ref().map(|m| m.0))
    }
}

impl Piece {
    /// The part of the spine along which both sides are touched.
    pub(super) fn part(&self) -> Domain {
        let [from, to] = [0, 1].map(|end| self.ends[end].ts);
        Domain::new(from[0].max(from[1]), to[0].min(to[1]))
    }

    /// The same in parts that end where a line of contact runs over the place at which a closed surface begins, so that the faces'
    /// seams end there too.
    pub(super) fn between_seams(self, touched: &[Vec<Touched<'_>>], tolerance: &Tolerance) -> Vec<Self> {
        let part = self.part();
        let mut ts = Vec::new();
        {
            let track = self.spine.track(touched, Round::Arc, self.spine.size(touched, 1.0), false);
            for (k, &face) in self.spine.faces.iter().enumerate() {
                let at = |t: f64| track.section(t).map(|s| s.contacts[k].at);
                ts.extend(touched[k][face].ground.seams_on(&at, part));
            }
        }
        ts.sort_by(f64::total_cmp);
        ts.dedup_by(|a, b| (self.spine.curve.point(*a) - self.spine.curve.point(*b)).norm() <= tolerance.fit);
        if ts.is_empty() {
            return vec![self];
        }
        let at = |t: f64| End { ts: [t; 2], ..End::default() };
        let ends: Vec<End> =
            std::iter::once(self.ends[0]).chain(ts.into_iter().map(at)).chain([self.ends[1]]).collect();
        let pieces =
            ends.windows(2).map(|w| Self { spine: self.spine.clone(), ends: [w[0], w[1]], closed: false });
        pieces.collect()
    }

    /// Where the ball's centre begins or ends.
    pub(super) fn place(&self, at_end: bool) -> Point3 {
        let part = self.part();
        self.spine.curve.point(if at_end { part.end } else { part.start })
    }

    pub(super) fn length(&self) -> f64 {
        let part = self.part();
        self.spine.curve.part(part.start, part.end).length()
    }
}

/// Both supports, with how often their edges are used.
pub(super) struct Rolled<'a, 'b> {
    pub(super) supports: &'b [&'b Support<'a>],
    pub(super) touched: &'b [Vec<Touched<'a>>],
    /// The faces that use an edge, once for every use.
    uses: Vec<BTreeMap<EdgeId, Vec<usize>>>,
    /// The ball's, about where it changes.
    pub(super) radius: f64,
    /// Whether both are of one shape, whose other faces end the way.
    in_one: bool,
    pub(super) tolerance: &'b Tolerance,
}

impl<'a, 'b> Rolled<'a, 'b> {
    pub(super) fn new(
        supports: &'b [&'b Support<'a>],
        touched: &'b [Vec<Touched<'a>>],
        (radius, in_one): (f64, bool),
        tolerance: &'b Tolerance,
    ) -> Self {
        let used = |support: &&Support<'_>| {
            let mut uses: BTreeMap<EdgeId, Vec<usize>> = BTreeMap::new();
            for (f, face) in support.shell.faces().iter().enumerate() {
                for used in face.loops.iter().flat_map(|l| &l.edges) {
                    uses.entry(used.edge).or_default().push(f);
                }
            }
            uses
        };
        let uses = supports.iter().map(used).collect();
        Self { supports, touched, uses, radius, in_one, tolerance }
    }

    /// All pieces of the way.
    ///
    /// # Errors
    /// What keeps offsets from being brought together.
    pub(super) fn pieces(&self) -> Result<Vec<Piece>, SurfacingError> {
        let mut offsets: [Vec<Arc<NurbsSurface>>; 2] = [Vec::new(), Vec::new()];
        for k in 0..2 {
            for touched in &self.touched[k] {
                offsets[k].push(Arc::new(self.offset(k, touched)?));
            }
        }
        let mut out = Vec::new();
        for (i, one) in offsets[0].iter().enumerate() {
            for (j, two) in offsets[1].iter().enumerate() {
                if !near(one, two) {
                    continue;
                }
                let sheets = [
                    natural_shell(Arc::clone(one), "", self.tolerance)?,
                    natural_shell(Arc::clone(two), "", self.tolerance)?,
                ];
                let made = imprint(&[&sheets[0], &sheets[1]], self.tolerance)?;
                for (spine, _) in made.common_curves(|i| i == 0) {
                    let feet =
                        [pcurve_on(&spine, one, self.tolerance)?, pcurve_on(&spine, two, self.tolerance)?];
                    out.extend(self.parts(&Spine {
                        curve: spine,
                        feet,
                        faces: [i, j],
                        middle: None,
                        held: None,
                    }));
                }
            }
        }
        Ok(out)
    }

    /// A face's surface at the radius from it, on the side of the ball: with what is beyond its borders, if that has one.
    fn offset(&self, side: usize, touched: &Touched<'_>) -> Result<NurbsSurface, SurfacingError> {
        let outside = self.supports[side].outside;
        let along = if outside == touched.face.reversed { -self.radius } else { self.radius };
        let longer = parallel_surface(&touched.ground.surface, along, self.tolerance);
        let made = match longer {
            Ok(made) if made.converged => made,
            _ => parallel_surface(&touched.face.surface, along, self.tolerance)?,
        };
        Ok(made.surface)
    }

    /// The parts of a spine along which the ball touches all faces.
    pub(super) fn parts(&self, spine: &Spine) -> Vec<Piece> {
        let d = spine.curve.domain();
        let whole = End { ts: [d.start; 2], ..End::default() };
        let piece = |ends: [End; 2], closed: bool| Piece { spine: spine.clone(), ends, closed };
        let track = spine.track(
            self.touched,
            Round::Arc,
            spine.size(self.touched, self.radius),
            spine.held.is_none(),
        );
        let rolls = |t: f64| track.section(t).is_some_and(|s| self.rolls(&s, t, spine));
        let mut ts = spine.curve.knots().sampled(PER_SPAN);
        if ts.len() < LEAST {
            ts = (0..=LEAST).map(|k| d.at(k as f64 / LEAST as f64)).collect();
        }
        let known: Vec<bool> = ts.iter().map(|t| rolls(*t)).collect();
        let closes = (spine.curve.end() - spine.curve.start()).norm() <= self.tolerance.join;
        if closes && known.iter().all(|k| *k) {
            return vec![piece([whole, End { ts: [d.end; 2], ..whole }], true)];
        }
        let end = |inside: usize, beyond: usize, way: f64| {
            self.end(&track, spine, (ts[inside], ts[beyond], way), &rolls)
        };
        let mut out = Vec::new();
        let mut begun: Option<End> = None;
        for k in 0..ts.len() {
            if known[k] && begun.is_none() {
                begun = Some(end(k, k.saturating_sub(1), -1.0));
            }
            if let Some(from) = begun.filter(|_| !known[k] || k + 1 == ts.len()) {
                let to = end(if known[k] { k } else { k - 1 }, k, 1.0);
                out.push(piece([from, to], false));
                begun = None;
            }
        }
        out
    }

    /// Whether a contact lies within its face; along an edge of that, whether it lies on that.
    fn holds(&self, section: &Section, t: f64, spine: &Spine, support: usize) -> bool {
        if let (0, Some(held)) = (support, &spine.held) {
            return (held.own.start..=held.own.end).contains(&t);
        }
        let (contact, face) = (section.contact(support), spine.face(support));
        contact.zip(face).is_some_and(|(c, f)| self.touched[support][f].holds(c.at))
    }

    /// Whether a ball touches all faces within them, and no other face of the supports reaches into it.
    fn rolls(&self, section: &Section, t: f64, spine: &Spine) -> bool {
        let radius = (section.contacts[0].point - section.centre).norm();
        (0..self.supports.len()).all(|k| self.holds(section, t, spine, k))
            && self.touched.iter().flatten().all(|touched| {
                closest_within(&touched.face.surface, &section.centre, (1.0 - INTO) * radius)
                    .is_none_or(|foot| !touched.outline.holds(foot.parameters))
            })
    }

    /// The end of a piece between a parameter within it and one beyond, or the same where the spine ends, on a way onward above 0 or
    /// back.
    fn end(
        &self,
        track: &Track<'_>,
        spine: &Spine,
        (mut inside, mut beyond, way): (f64, f64, f64),
        rolls: &dyn Fn(f64) -> bool,
    ) -> End {
        for _ in 0..HALVINGS {
            let middle = 0.5 * (inside + beyond);
            *(if rolls(middle) { &mut inside } else { &mut beyond }) = middle;
        }
        let stuck = End { ts: [inside; 2], ..End::default() };
        let all = || 0..self.supports.len();
        let off = track.section(beyond).and_then(|s| all().find(|&k| !self.holds(&s, beyond, spine, k)));
        // Beyond the border of a surface that cannot be made longer there is no ball.
        let off = off.or_else(|| all().find(|&k| self.at_border(track, spine, k, inside).is_some()));
        let Some((first, (t, edge))) = off.and_then(|k| Some((k, self.leaves(track, spine, k, inside)?)))
        else {
            return stuck;
        };
        let mut end = End { ts: [t; 2], ..End::default() };
        if let Some(face) = self.beyond(spine, first, edge) {
            end.over[first] = Some(face);
            for k in (0..self.supports.len()).filter(|k| *k != first) {
                let speed = track.guide.velocity(t).norm().max(f64::MIN_POSITIVE);
                let next = track.guide.domain().clamp(t + (self.tolerance.join / speed).copysign(way));
                let there = self.leaves_within(track, spine, k, (t, next));
                let there = there.or_else(|| self.at_border(track, spine, k, t));
                end.over[k] = there.and_then(|(_, edge)| self.beyond(spine, k, edge));
            }
            return end;
        }
        let left = |k: usize| match k == first {
            true => Some((t, edge)),
            false => self.leaves_beyond(track, spine, k, (t, way)),
        };
        let left: Vec<Option<(f64, EdgeId)>> = (0..self.supports.len()).map(left).collect();
        if !self.is_free(first, edge) {
            if self.in_one {
                let farther = |a: f64, b: f64| if way > 0.0 { a.max(b) } else { a.min(b) };
                let last = left.iter().flatten().map(|l| l.0).fold(t, farther);
                let own = |f: &usize| self.touched.iter().flatten().any(|t| t.number == *f);
                let beyond = |k: usize| {
                    left[k].and_then(|(_, e)| self.uses[k].get(&e)?.iter().copied().find(|f| !own(f)))
                };
                end.ended_by = [0, 1, MIDDLE].map(|k| if k < left.len() { beyond(k) } else { None });
                // A section that lies in the face at the end is the end.
                let lies_in = end.ended_by.iter().flatten().all(|f| self.lies_in(track, last, *f));
                end.ts = [if lies_in { last } else { self.run_on(track, last, way) }; 2];
            }
            return end;
        }
        if let [Some((a, one)), Some((b, two)), ..] = left[..]
            && self.is_free(0, one)
            && self.is_free(1, two)
        {
            let apart = (track.guide.point(a) - track.guide.point(b)).norm();
            end.plane = self.plane([one, two]);
            if apart <= SLANTED * self.radius || end.plane.is_some() {
                end.ts = [a, b];
            }
        }
        end
    }

    /// Whether a section lies in the surface of a face of the one shape, with what is beyond its borders.
    fn lies_in(&self, track: &Track<'_>, t: f64, face: usize) -> bool {
        let radius = track.section(t).map_or(0.0, |s| (s.contacts[0].point - s.centre).norm());
        let margin = FARTHER * radius.max(self.radius);
        let surface = Ground::new(&self.supports[0].shell.faces()[face], margin).surface;
        let on = |k: usize| {
            let place = on_track(track, t, k as f64 / ACROSS as f64);
            place.is_some_and(|p| closest_on_surface(&surface, &p).distance <= LIES_IN * self.tolerance.fit)
        };
        (0..=ACROSS).all(on)
    }

    /// The plane in which a border of either side lies, if they do.
    fn plane(&self, borders: [EdgeId; 2]) -> Option<Plane> {
        let curve = |k: usize| self.supports[k].shell.edge(borders[k]).curve.as_ref();
        plane_of([curve(0)?, curve(1)?], self.tolerance)
    }

    /// Where the line of contact with a face leaves it next to a parameter, and the edge over which it does.
    fn leaves(&self, track: &Track<'_>, spine: &Spine, support: usize, t: f64) -> Option<(f64, EdgeId)> {
        if support == 0 && spine.held.is_some() {
            return self.at_border(track, spine, support, t);
        }
        let contact = track.section(t)?.contact(support)?.point;
        let edge = self.touched[support][spine.face(support)?].edge_at(self.supports[support], &contact)?;
        let curve = self.supports[support].shell.edge(edge).curve.as_ref()?;
        let found = contact_on_curve(track, support, curve, t).filter(|f| f.1 <= self.tolerance.join);
        found.map(|([t, _], _)| (t, edge)).or_else(|| self.at_border(track, spine, support, t))
    }

    /// A parameter with the edge that the line of contact with a face is at there.
    fn at_border(&self, track: &Track<'_>, spine: &Spine, support: usize, t: f64) -> Option<(f64, EdgeId)> {
        if let (0, Some(held)) = (support, &spine.held) {
            let ends = [held.own.start, held.own.end].into_iter().zip(held.ends);
            let near = |end: f64| (end - t).abs() <= 1e-6 * held.own.length();
            return ends.filter(|(end, _)| near(*end)).find_map(|(end, edge)| Some((end, edge?)));
        }
        let contact = track.section(t)?.contact(support)?.point;
        let edge = self.touched[support][spine.face(support)?].edge_at(self.supports[support], &contact)?;
        let curve = self.supports[support].shell.edge(edge).curve.as_ref()?;
        let apart = (closest_on_curve(curve, &contact).point - contact).norm();
        (apart <= self.tolerance.join).then_some((t, edge))
    }

    fn is_free(&self, support: usize, edge: EdgeId) -> bool {
        self.uses[support].get(&edge).is_some_and(|faces| faces.len() == 1)
    }

    /// The face of a support, by its number among those touched, beyond an edge of the one that is.
    fn beyond(&self, spine: &Spine, support: usize, edge: EdgeId) -> Option<usize> {
        let [a, b] = self.uses[support].get(&edge)?[..] else { return None };
        let own = spine.face(support)?;
        let other = if self.touched[support][own].number == a { b } else { a };
        self.touched[support].iter().position(|t| t.number == other)
    }

    /// A parameter beyond another one by the radius, or as far as there is a section.
    fn run_on(&self, track: &Track<'_>, from: f64, way: f64) -> f64 {
        let mut reached = from;
        for _ in 0..STEPS as usize {
            let next = self.step(track, reached, way);
            if next == reached || track.section(next).is_none() {
                break;
            }
            reached = next;
        }
        reached
    }

    /// A parameter beyond another one by a step.
    fn step(&self, track: &Track<'_>, from: f64, way: f64) -> f64 {
        let d = track.guide.domain();
        let speed = track.guide.velocity(d.clamp(from)).norm().max(f64::MIN_POSITIVE);
        d.clamp(from + (self.radius / STEPS / speed).copysign(way))
    }

    /// Where the line of contact with another face leaves that, not far beyond a parameter, with the edge.
    fn leaves_beyond(
        &self,
        track: &Track<'_>,
        spine: &Spine,
        support: usize,
        (from, way): (f64, f64),
    ) -> Option<(f64, EdgeId)> {
        let mut inside = from;
        for _ in 0..(BORDER_WITHIN * STEPS) as usize {
            let beyond = self.step(track, inside, way);
            if !self.holds(&track.section(beyond)?, beyond, spine, support) {
                return self.leaves_within(track, spine, support, (inside, beyond));
            }
            if beyond == inside {
                return None;
            }
            inside = beyond;
        }
        None
    }

    /// The same between a parameter at which it does not and one at which it has.
    fn leaves_within(
        &self,
        track: &Track<'_>,
        spine: &Spine,
        support: usize,
        (mut inside, mut beyond): (f64, f64),
    ) -> Option<(f64, EdgeId)> {
        if self.holds(&track.section(beyond)?, beyond, spine, support) {
            return None;
        }
        for _ in 0..HALVINGS {
            let middle = 0.5 * (inside + beyond);
            let holds = self.holds(&track.section(middle)?, middle, spine, support);
            *(if holds { &mut inside } else { &mut beyond }) = middle;
        }
        self.leaves(track, spine, support, inside)
    }
}

/// Whether the boxes of two surfaces have something in common.
fn near(one: &NurbsSurface, two: &NurbsSurface) -> bool {
    let [a, b] = [one, two].map(|s| box_of(s.control_points().iter()));
    (0..3).all(|k| a.lower()[k] <= b.upper()[k] && b.lower()[k] <= a.upper()[k])
}
