//! The strip that unrolls, walked ruling by ruling: a plane that touches both curves rolls along them.
//!
//! Where the plane turns about a corner of one curve it touches the other one along a piece, and the ruling sweeps a cone;
//! where it lies on a straight piece it covers a flat triangle; where both curves bend it touches both, and each ruling
//! joins places whose tangents lie in one plane with it. So a square to round comes out as sheet metal handbooks develop
//! it: four flat triangles and four oblique cones.

use std::collections::VecDeque;

use geometry::{NurbsCurve, Point3, Tolerance, Vector3, as_line};

use crate::sections::CORNER;

/// Angle in radians within which directions are one.
const ALONG: f64 = 1e-6;
/// Angle in radians below which the plane has turned as far as a corner asks for.
const TURNED: f64 = 1e-3;
/// Share of what could be by which a place is off the plane at least to be off it at all.
const APART: f64 = 1e-5;
/// The same after a way along pieces that meet only nearly smoothly.
const NEARLY_ALONG: f64 = 1e-2;
/// Places of a piece between which the plane's touching places are looked for.
const LOOKED_AT: usize = 64;
/// Join tolerances, and share of a piece, below which nothing of it is left: so short an edge joins with anything.
const NOTHING: f64 = 2.0;
const NO_SHARE: f64 = 1e-2;
/// Events after which a walk that has come to no end is given up.
const MOST_EVENTS: usize = 4000;

/// Part of a curve along which the plane rolls.
#[derive(Debug, Clone)]
enum Item {
    /// A corner, left in a direction.
    Corner(Point3, Vector3),
    Line(NurbsCurve),
    Bend(NurbsCurve),
}

/// One face of the strip, its pieces of both curves; one of them may be a point.
pub(super) type Facet = [NurbsCurve; 2];

fn point(at: Point3) -> NurbsCurve {
    NurbsCurve::line(at, at)
}

fn start_tangent(c: &NurbsCurve) -> Vector3 {
    c.tangent(c.domain().start).unwrap_or_else(|| c.end() - c.start())
}

fn end_tangent(c: &NurbsCurve) -> Vector3 {
    c.tangent(c.domain().end).unwrap_or_else(|| c.end() - c.start())
}

/// The volume that two directions and a ruling span, as a share of what they could: 0 where one plane holds all.
pub(super) fn spread(a: &Vector3, b: &Vector3, ruling: &Vector3) -> f64 {
    let size = a.norm() * b.norm() * ruling.norm();
    if size > 0.0 { a.cross(b).dot(ruling) / size } else { 0.0 }
}

/// Pieces as items, the first one no corner: the corner where a closed run begins comes last.
fn items(run: &[NurbsCurve], closed: bool) -> VecDeque<Item> {
    let mut out = VecDeque::new();
    let corner = |before: &NurbsCurve, after: &NurbsCurve| {
        let exit = start_tangent(after);
        (end_tangent(before).angle(&exit) > CORNER).then(|| Item::Corner(after.start(), exit))
    };
    for (k, piece) in run.iter().enumerate() {
        if let Some(before) = k.checked_sub(1).map(|k| &run[k]) {
            out.extend(corner(before, piece));
        }
        let straight = as_line(piece, 1e-7 * piece.polygon_length()).is_some();
        out.push_back(if straight { Item::Line(piece.clone()) } else { Item::Bend(piece.clone()) });
    }
    if let (true, Some(first), Some(last)) = (closed, run.first(), run.last()) {
        out.extend(corner(last, first));
    }
    out
}

/// A direction as it stands square to a ruling.
fn across(direction: &Vector3, ruling: &Vector3) -> Vector3 {
    direction - ruling * (direction.dot(ruling) / ruling.norm_squared().max(f64::MIN_POSITIVE))
}

/// Whether two directions in a plane that holds a ruling lie on the same side of it.
fn same_way(a: &Vector3, b: &Vector3, ruling: &Vector3) -> bool {
    across(a, ruling).dot(&across(b, ruling)) > 0.0
}

/// The places of a piece at which the plane through a place and a direction touches it, running its way. Where it touches
/// the start, that is one only if `start` asks for it.
fn touched<'a>(
    c: &'a NurbsCurve,
    from: Point3,
    direction: &'a Vector3,
    start: bool,
) -> impl Iterator<Item = f64> + 'a {
    let d = c.domain();
    let at = move |k: usize| d.at(k as f64 / LOOKED_AT as f64);
    let side = move |t: f64| {
        let (p, tangent) = c.moving(t);
        spread(direction, &tangent, &(p - from))
    };
    let ahead = move |t: f64| {
        let (p, tangent) = c.moving(t);
        same_way(direction, &tangent, &(p - from))
    };
    let at_start = (start && side(d.start).abs() < ALONG && ahead(d.start)).then_some(d.start);
    let begun = (0..=LOOKED_AT).find(|&k| side(at(k)).abs() > if k == 0 { APART } else { ALONG });
    let within = (begun.unwrap_or(LOOKED_AT)..LOOKED_AT).filter_map(move |k| {
        let (x, y) = (side(at(k)), side(at(k + 1)));
        let crossed = x * y <= 0.0 && x != 0.0;
        let t = crossed.then(|| geometry::bisect(at(k), at(k + 1), |t| side(t) * x > 0.0))?;
        ahead(t).then_some(t)
    });
    at_start.into_iter().chain(within)
}

/// A piece cut at a parameter; what would be next to nothing is none.
fn cut(c: &NurbsCurve, t: f64, tolerance: &Tolerance) -> (Option<NurbsCurve>, Option<NurbsCurve>) {
    let share = (t - c.domain().start) / c.domain().length();
    let nothing = (NOTHING * tolerance.join / c.polygon_length().max(f64::MIN_POSITIVE)).min(NO_SHARE);
    if share <= nothing {
        return (None, Some(c.clone()));
    }
    if share >= 1.0 - nothing {
        return (Some(c.clone()), None);
    }
    c.split(t).map_or((Some(c.clone()), None), |(a, b)| (Some(a), Some(b)))
}

/// Items with what is left of the first one before them.
fn with_front(mut items: VecDeque<Item>, rest: Option<NurbsCurve>) -> VecDeque<Item> {
    if let Some(rest) = rest {
        items.push_front(Item::Bend(rest));
    }
    items
}

/// The rolling plane: the ruling that it touches, and the direction in it in which it goes on.
struct Walk<'a> {
    tolerance: &'a Tolerance,
    left: [VecDeque<Item>; 2],
    at: [Point3; 2],
    ahead: Vector3,
    facets: Vec<Facet>,
}

impl Walk<'_> {
    fn ruling(&self) -> Vector3 {
        self.at[1] - self.at[0]
    }

    /// The signed angle about the ruling by which the plane must turn to hold a direction.
    fn turn_to(&self, direction: &Vector3) -> f64 {
        let Some(axis) = self.ruling().try_normalize(0.0) else { return 0.0 };
        let (a, b) = (across(&self.ahead, &axis), across(direction, &axis));
        a.cross(&b).dot(&axis).atan2(a.dot(&b))
    }

    fn holds(&self, direction: &Vector3) -> bool {
        self.turn_to(direction).abs() < NEARLY_ALONG
    }

    fn push(&mut self, side: usize, own: NurbsCurve, other: NurbsCurve) {
        self.facets.push(if side == 0 { [own, other] } else { [other, own] });
    }

    /// The plane goes along a piece of one curve about a place of the other one.
    fn fan(&mut self, side: usize, piece: NurbsCurve) {
        self.ahead = end_tangent(&piece);
        self.at[side] = piece.end();
        let apex = point(self.at[1 - side]);
        self.push(side, piece, apex);
    }

    /// One curve stands at a corner and the other one bends: the plane goes along the bend until it holds the direction in
    /// which the corner is left, or to the bend's end.
    fn roll_about(&mut self, side: usize, at: Point3, exit: Vector3, bend: &NurbsCurve) -> Option<()> {
        let before = self.turn_to(&exit);
        if before.abs() < ALONG {
            self.left[side].pop_front();
            return Some(());
        }
        let end = touched(bend, at, &exit, false).next();
        self.left[1 - side].pop_front();
        let (rolled, rest) = end.map_or((Some(bend.clone()), None), |t| cut(bend, t, self.tolerance));
        if let Some(rest) = rest {
            self.left[1 - side].push_front(Item::Bend(rest));
        }
        if let Some(rolled) = rolled {
            self.fan(1 - side, rolled);
        }
        if end.is_some() {
            self.left[side].pop_front();
            self.ahead = exit;
            return Some(());
        }
        // It must have come nearer.
        (self.turn_to(&exit).abs() <= before.abs() + ALONG).then_some(())
    }

    /// Both curves bend: the plane touches both, until one of the pieces ends.
    fn roll_along(&mut self, a: &NurbsCurve, b: &NurbsCurve) -> Option<()> {
        if spread(&start_tangent(a), &start_tangent(b), &self.ruling()).abs() > NEARLY_ALONG {
            return None;
        }
        let both_end = end_tangent(a).dot(&end_tangent(b)) > 0.0
            && spread(&end_tangent(a), &end_tangent(b), &(b.end() - a.end())).abs() < ALONG;
        let a_ends = touched(b, a.end(), &end_tangent(a), false).next();
        let b_ends = touched(a, b.end(), &end_tangent(b), false).next();
        let (ta, tb) = (a.domain().end, b.domain().end);
        let (t, u) = match (a_ends, b_ends) {
            _ if both_end => (ta, tb),
            (Some(u), _) => (ta, u),
            (None, Some(t)) => (t, tb),
            (None, None) => return None,
        };
        let ((own, rest_a), (other, rest_b)) = (cut(a, t, self.tolerance), cut(b, u, self.tolerance));
        self.left.iter_mut().for_each(|left| drop(left.pop_front()));
        for (side, rest) in [(0, rest_a), (1, rest_b)] {
            self.left[side] = with_front(std::mem::take(&mut self.left[side]), rest);
        }
        match (own, other) {
            (Some(own), Some(other)) => {
                self.ahead = end_tangent(&own);
                self.at = [own.end(), other.end()];
                self.facets.push([own, other]);
            }
            (Some(own), None) => self.fan(0, own),
            (None, Some(other)) => self.fan(1, other),
            (None, None) => return None,
        }
        Some(())
    }

    /// One event; `None` where no plane rolls on.
    fn go(&mut self) -> Option<()> {
        let front = [0, 1].map(|side| self.left[side].front().cloned());
        match front {
            [Some(Item::Line(a)), Some(Item::Line(b))]
                if self.holds(&start_tangent(&a)) && self.holds(&start_tangent(&b)) =>
            {
                self.left.iter_mut().for_each(|left| drop(left.pop_front()));
                self.ahead = end_tangent(&a);
                self.at = [a.end(), b.end()];
                self.facets.push([a, b]);
            }
            [Some(Item::Line(line)), _] if self.holds(&start_tangent(&line)) => {
                self.left[0].pop_front();
                self.fan(0, line);
            }
            [_, Some(Item::Line(line))] if self.holds(&start_tangent(&line)) => {
                self.left[1].pop_front();
                self.fan(1, line);
            }
            [Some(Item::Corner(_, a)), Some(Item::Corner(_, b))] => {
                let turns = [self.turn_to(&a), self.turn_to(&b)];
                if turns[0] * turns[1] < 0.0 && turns.iter().all(|t| t.abs() > TURNED) {
                    return None;
                }
                let side = usize::from(turns[1].abs() < turns[0].abs());
                self.left[side].pop_front();
                self.ahead = if side == 0 { a } else { b };
            }
            [Some(Item::Corner(at, exit)), Some(Item::Bend(bend))] => {
                self.roll_about(0, at, exit, &bend)?;
            }
            [Some(Item::Bend(bend)), Some(Item::Corner(at, exit))] => {
                self.roll_about(1, at, exit, &bend)?;
            }
            [Some(Item::Bend(a)), Some(Item::Bend(b))] => self.roll_along(&a, &b)?,
            // One curve has come to its end: what is left of the other one stands about it.
            [Some(item), None] => self.rest(0, item)?,
            [None, Some(item)] => self.rest(1, item)?,
            _ => return None,
        }
        Some(())
    }

    /// The plane goes on about the end of the other curve; where it would have to turn first, there would be a fold between
    /// places that are no corners.
    fn rest(&mut self, side: usize, item: Item) -> Option<()> {
        self.left[side].pop_front();
        match item {
            Item::Corner(_, exit) => self.holds(&exit).then_some(()),
            Item::Line(piece) | Item::Bend(piece) => {
                self.holds(&start_tangent(&piece)).then(|| self.fan(side, piece))
            }
        }
    }
}

/// Where on a closed run the plane that touches the other one at its start touches it too: its items from there on.
fn begun_at_plane(
    run: &[NurbsCurve],
    from: Point3,
    tangent: Vector3,
    tolerance: &Tolerance,
) -> Option<(VecDeque<Item>, Point3)> {
    let all = items(run, true);
    let count = all.len();
    let whole: f64 = run.iter().map(NurbsCurve::polygon_length).sum();
    let mut run_until = 0.0;
    // For each place its distance from the run's own beginning, either way round, the item and the parameter.
    let mut best: Option<(f64, usize, Option<f64>)> = None;
    let mut found = |length: f64, k: usize, t: Option<f64>| {
        let off = length.min(whole - length).abs();
        if best.is_none_or(|b| off < b.0) {
            best = Some((off, k, t));
        }
    };
    for (k, item) in all.iter().enumerate() {
        match item {
            Item::Line(c) => {
                let (way, ruling) = (start_tangent(c), c.start() - from);
                if spread(&tangent, &way, &ruling).abs() < ALONG && same_way(&tangent, &way, &ruling) {
                    found(run_until, k, None);
                }
                run_until += c.polygon_length();
            }
            Item::Bend(c) => {
                let d = c.domain();
                for t in touched(c, from, &tangent, true) {
                    let share = (t - d.start) / d.length();
                    found(run_until + share * c.polygon_length(), k, Some(t));
                }
                run_until += c.polygon_length();
            }
            Item::Corner(at, exit) => {
                let enter = match &all[(k + count - 1) % count] {
                    Item::Line(c) | Item::Bend(c) => end_tangent(c),
                    Item::Corner(_, exit) => *exit,
                };
                let ruling = at - from;
                let sides = [spread(&tangent, &enter, &ruling), spread(&tangent, exit, &ruling)];
                if sides[0] * sides[1] <= 0.0
                    && [&enter, exit].into_iter().any(|way| same_way(&tangent, way, &ruling))
                {
                    found(run_until, k, None);
                }
            }
        }
    }
    let (_, k, t) = best?;
    if let ([only], Some(t)) = (run, t) {
        // In one piece again, so that nothing ends where it happened to begin.
        let begun = only.begun_at(t, tolerance.resolution).unwrap_or_else(|| only.clone());
        let at = begun.start();
        return Some((VecDeque::from([Item::Bend(begun)]), at));
    }
    let mut turned = all;
    turned.rotate_left(k);
    let at = match (turned.front()?.clone(), t) {
        (Item::Bend(c), Some(t)) => {
            let (before, after) = cut(&c, t, tolerance);
            turned.pop_front();
            turned.extend(before.map(Item::Bend));
            turned = with_front(turned, after);
            c.point(t)
        }
        (Item::Line(c) | Item::Bend(c), _) => c.start(),
        (Item::Corner(at, _), _) => at,
    };
    Some((turned, at))
}

/// The facets between two runs, each pair joined by rulings along which one plane touches both; none where no plane rolls
/// from end to end.
pub(super) fn walked(
    first: &[NurbsCurve],
    second: &[NurbsCurve],
    closed: bool,
    tolerance: &Tolerance,
) -> Option<Vec<Facet>> {
    let ahead = start_tangent(first.first()?);
    let from = first[0].start();
    let (b, to) = if closed {
        begun_at_plane(second, from, ahead, tolerance)?
    } else {
        (items(second, false), second.first()?.start())
    };
    let mut walk =
        Walk { tolerance, left: [items(first, closed), b], at: [from, to], ahead, facets: Vec::new() };
    if !closed {
        // Where the ends do not agree, the plane turns at one of them first, about the other one if it cannot.
        let exit = start_tangent(&second[0]);
        if walk.turn_to(&exit).abs() > ALONG {
            let mut other = Walk { left: walk.left.clone(), facets: Vec::new(), ahead: exit, ..walk };
            walk.left[1].push_front(Item::Corner(to, exit));
            other.left[0].push_front(Item::Corner(from, ahead));
            return [walk, other].into_iter().find_map(|walk| walk_on(walk, None));
        }
    }
    walk_on(walk, closed.then_some([from, to]))
}

/// Walks to the end, which of closed runs is the beginning.
fn walk_on(mut walk: Walk<'_>, back: Option<[Point3; 2]>) -> Option<Vec<Facet>> {
    for _ in 0..MOST_EVENTS {
        geometry::check_work();
        if walk.left.iter().all(VecDeque::is_empty) {
            let came_back = back
                .is_none_or(|b| (0..2).all(|k| (walk.at[k] - b[k]).norm() <= NOTHING * walk.tolerance.join));
            return (came_back && !walk.facets.is_empty()).then_some(walk.facets);
        }
        walk.go()?;
    }
    None
}
