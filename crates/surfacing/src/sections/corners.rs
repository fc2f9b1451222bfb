//! Which corners of unlike sections are joined.
//!
//! Sections with as many corners as each other are joined corner to corner. Of others a corner is joined to a corner where
//! those are near, and else to a smooth place, by the cheapest alignment in order (dynamic programming, as Needleman and
//! Wunsch align sequences, J. Mol. Biol. 48, 1970): what is symmetric is aligned symmetrically. It goes out both ways from
//! the section with the most corners.

use std::collections::BTreeSet;

use geometry::Vector3;

use super::outline::Outline;
use super::pose::Pose;

/// What a corner that is joined to a smooth place adds to the square of its distance from that, for sections of the size 1.
const ALONE: f64 = 0.1;
/// By how much one way may be better than another and as good all the same, in the same measure.
const AS_GOOD: f64 = 0.01;
/// What is seen nearer to each other than this is nearly one, as both ends of a blunt edge.
const BESIDE: f64 = 0.1;
/// Share of a section by which a smooth beginning keeps away from its corners.
const APART: f64 = 0.02;
/// How often what is doubtful is taken out.
const MOST_ROUNDS: usize = 6;
/// Places per knot span by which a section's distance from a mark is measured.
const PLACES_PER_SPAN: usize = 6;
/// Share of a section at which corners of both its neighbours stand at one place of it.
const SAME_PLACE: f64 = 5e-3;

/// A section as it is seen beside others.
pub(super) struct Sighted {
    /// Its corners in order, as shares of its length and as they are seen; the first one at 0 if it begins at one.
    pub corners: Vec<(f64, Vector3)>,
    begins_at: Vector3,
    /// Places along it with their shares, those between joints for about equal speed.
    around: Vec<(f64, Vector3)>,
}

impl Sighted {
    pub fn of(outline: &Outline<'_>, pose: &Pose, closed: bool) -> Self {
        let joints = outline.joints();
        let start = |k: usize| pose.seen(&outline.pieces[k].start());
        let is_corner = outline.corners(closed);
        let corners = (0..is_corner.len()).filter(|&k| is_corner[k]).map(|k| (joints[k], start(k))).collect();
        let mut around = Vec::new();
        for (piece, joints) in outline.pieces.iter().zip(joints.windows(2)) {
            let d = piece.domain();
            around.extend(piece.knots().sampled(PLACES_PER_SPAN).into_iter().map(|t| {
                let share = joints[0] + (joints[1] - joints[0]) * (t - d.start) / d.length();
                (share, pose.seen(&piece.point(t)))
            }));
        }
        Self { corners, begins_at: start(0), around }
    }

    fn begins_at_corner(&self) -> bool {
        self.corners.first().is_some_and(|c| c.0 == 0.0)
    }

    /// Numbers of the corners that come after the one with which it begins.
    fn inner(&self) -> Vec<usize> {
        (usize::from(self.begins_at_corner())..self.corners.len()).collect()
    }

    /// Where it is seen nearest to a mark.
    fn nearest(&self, mark: &Vector3) -> Nearest {
        let of_leg = |w: &[(f64, Vector3)]| {
            let leg = w[1].1 - w[0].1;
            let along = (mark - w[0].1).dot(&leg) / leg.norm_squared().max(f64::MIN_POSITIVE);
            let along = along.clamp(0.0, 1.0);
            let at = w[0].1 + leg * along;
            Nearest { share: w[0].0 + (w[1].0 - w[0].0) * along, at, off: (mark - at).norm_squared() }
        };
        let legs = self.around.windows(2).map(of_leg);
        let none = Nearest { share: 0.0, at: self.begins_at, off: f64::INFINITY };
        legs.min_by(|a, b| a.off.total_cmp(&b.off)).unwrap_or(none)
    }

    /// From 1 for a corner that comes before a place to -1 for one that comes after it.
    fn side(&self, near: &Nearest, corner: usize) -> f64 {
        let before = (near.share - self.corners[corner].0 + 0.5).rem_euclid(1.0) - 0.5;
        (before / APART).clamp(-1.0, 1.0)
    }
}

/// A place of a section, as it is seen.
struct Nearest {
    share: f64,
    at: Vector3,
    /// The square of its distance.
    off: f64,
}

/// A line along the loft: the share of each section's length at which it meets a corner there.
pub(super) type Line = Vec<Option<f64>>;

/// Where a closed section begins.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Begin {
    /// Where it does.
    Here,
    /// At one of its corners, by its number.
    Corner(usize),
    /// Where it is smooth, at about this share.
    Smooth(f64),
}

/// The section with the most corners.
pub(super) fn richest(sections: &[Sighted]) -> Option<usize> {
    (0..sections.len()).max_by_key(|&i| sections[i].corners.len())
}

/// The lines that begin at corners, in their order, without the one from where sections begin; and where those that are
/// `free` to begin elsewhere best do.
pub(super) fn lines(sections: &[Sighted], closed: bool, free: &[bool]) -> (Vec<Line>, Vec<Begin>) {
    let count = sections.len();
    let mut begins = vec![Begin::Here; count];
    let Some(pivot) = richest(sections) else { return (Vec::new(), begins) };
    let first: Vec<Course> = sections[pivot]
        .inner()
        .into_iter()
        .map(|c| Course::new(&sections[pivot], (pivot, c), count, true))
        .collect();
    let ways: [Vec<usize>; 2] = [(pivot + 1..count).collect(), (0..pivot).rev().collect()];
    let sides = ways.map(|way| {
        let mut courses = first.clone();
        let mut start = sections[pivot].begins_at;
        let mut before = pivot;
        for i in way {
            let is_end = |k: usize| k == 0 || k + 1 == count;
            let beside = Beside {
                section: &sections[i],
                before: &sections[before],
                narrows: is_end(i),
                opens: is_end(before),
                courses: &courses,
                closed,
            };
            let (begin, steps) = beside.best(&start, free[i]);
            begins[i] = begin;
            start = match begin {
                Begin::Here => sections[i].begins_at,
                Begin::Corner(c) => sections[i].corners[c].1,
                Begin::Smooth(_) => sections[i].nearest(&start).at,
            };
            courses = steps
                .iter()
                .map(|step| match *step {
                    Step::Both(l, Place::Inner(c)) => {
                        let mut on = courses[l].clone();
                        let (share, at) = sections[i].corners[c];
                        (on.line[i], on.mark) = (Some(share), at);
                        on
                    }
                    Step::Both(l, end) => {
                        let mut on = courses[l].clone();
                        on.line[i] = Some(if end == Place::Start { 0.0 } else { 1.0 });
                        on
                    }
                    Step::LineAlone(l) => {
                        let mut on = courses[l].clone();
                        on.mark = sections[i].nearest(&on.mark).at;
                        on
                    }
                    Step::CornerAlone(c) => Course::new(&sections[i], (i, c), count, false),
                    Step::Joins(place, c) => {
                        let mut on = Course::new(&sections[i], (i, c), count, false);
                        on.line[before] = match place {
                            Place::Start => Some(0.0),
                            Place::End => Some(1.0),
                            Place::Inner(l) => courses[l].line[before],
                        };
                        on
                    }
                })
                .collect();
            before = i;
        }
        courses
    });
    (merged(sides, &sections[pivot]), begins)
}

/// A line on its way out from the section with the most corners.
#[derive(Clone)]
struct Course {
    /// Its share of that section, if it began there.
    share: Option<f64>,
    line: Line,
    /// Where it is seen at its first corner, and at its last.
    born: Vector3,
    mark: Vector3,
}

impl Course {
    fn new(section: &Sighted, (i, corner): (usize, usize), count: usize, on_pivot: bool) -> Self {
        let mut line = vec![None; count];
        let (share, at) = section.corners[corner];
        line[i] = Some(share);
        Self { share: on_pivot.then_some(share), line, born: at, mark: at }
    }
}

/// One of the lines or corners, by its number, or those with which all begin and end.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Place {
    Start,
    Inner(usize),
    End,
}

/// What comes next when lines and corners are gone through side by side.
#[derive(Debug, Clone, Copy)]
enum Step {
    /// A line goes to a corner.
    Both(usize, Place),
    LineAlone(usize),
    CornerAlone(usize),
    /// A further corner to which a line opens.
    Joins(Place, usize),
}

/// A line, or the one with which all begin, and a corner.
type Pair = (Option<usize>, usize);
/// Those that are not to be joined.
type Barred = BTreeSet<Pair>;

/// How lines and corners go together.
struct Matched {
    cost: f64,
    begin: Begin,
    steps: Vec<Step>,
}

impl Matched {
    fn pairs(&self) -> Barred {
        let pair = |step: &Step| match *step {
            Step::Both(l, Place::Inner(c)) => Some((Some(l), c)),
            _ => None,
        };
        let start = if let Begin::Corner(c) = self.begin { Some((None, c)) } else { None };
        self.steps.iter().filter_map(pair).chain(start).collect()
    }
}

/// The line with which all begin and end, as it is seen, and the corner that it goes to.
#[derive(Debug, Clone, Copy)]
struct Ends {
    line: Vector3,
    corner: Vector3,
}

/// A section beside the one before it, and the lines that come from there.
struct Beside<'a> {
    section: &'a Sighted,
    before: &'a Sighted,
    /// Whether several lines may end at one of its corners.
    narrows: bool,
    /// Whether several of its corners may come from one line.
    opens: bool,
    courses: &'a [Course],
    closed: bool,
}

impl Beside<'_> {
    /// Where it should begin, and how its corners go with the lines from there on. A corner that could as well go to one line
    /// as to another goes to none of them, so that what is symmetric stays so.
    fn best(&self, start: &Vector3, free: bool) -> (Begin, Vec<Step>) {
        let mut barred = Barred::new();
        // Wherever it begins: where a section is begun already, the same is doubtful as before that.
        let anywhere = self.closed && !self.section.corners.is_empty();
        for _ in 0..MOST_ROUNDS {
            let [early, late] =
                [AS_GOOD, -AS_GOOD].map(|leaning| self.cheapest(start, anywhere, leaning, &barred));
            let [one, other] = [&early, &late].map(Matched::pairs);
            let doubtful: Barred = one
                .symmetric_difference(&other)
                .filter(|pair| !one.iter().chain(&other).any(|p| self.hardly_differ(start, **pair, *p)))
                .copied()
                .collect();
            if doubtful.is_empty() || !early.cost.is_finite() {
                break;
            }
            barred.extend(doubtful);
        }
        let best = self.cheapest(start, free, 0.0, &barred);
        let best = if best.cost.is_finite() { best } else { self.cheapest(start, free, 0.0, &Barred::new()) };
        (best.begin, best.steps)
    }

    /// Whether it makes next to no difference which one of two pairs is joined.
    fn hardly_differ(&self, start: &Vector3, one: Pair, other: Pair) -> bool {
        let mark = |line: Option<usize>| line.map_or(*start, |l| self.courses[l].mark);
        let corner = |c: usize| self.section.corners[c].1;
        one != other
            && (one.0 == other.0 || one.1 == other.1)
            && (mark(one.0) - mark(other.0)).norm() + (corner(one.1) - corner(other.1)).norm() < BESIDE
    }

    /// The cheapest way where of two that are nearly as good the one with the earlier corners, or the later ones, counts.
    fn cheapest(&self, start: &Vector3, free: bool, leaning: f64, barred: &Barred) -> Matched {
        let corners = &self.section.corners;
        let aligned = |order: &[usize], ends: Option<Ends>, begin: Begin, more: f64| {
            let from = match begin {
                Begin::Here => 0.0,
                Begin::Corner(c) => corners[c].0,
                Begin::Smooth(share) => share,
            };
            let (cost, steps) = self.aligned(order, ends, from, (leaning, barred));
            Matched { cost: cost + more, begin, steps }
        };
        if !free {
            let at_corner = self.section.begins_at_corner() && self.closed;
            let ends = at_corner.then_some(Ends { line: *start, corner: self.section.begins_at });
            return aligned(&self.section.inner(), ends, Begin::Here, 0.0);
        }
        let after = |first: usize| (first..corners.len()).chain(0..first);
        let nearest = self.section.nearest(start);
        let at_corner = |c: usize| {
            let at = corners[c].1;
            let order: Vec<usize> = after(c).skip(1).collect();
            let side = self.section.side(&nearest, c);
            let more = (at - start).norm_squared() + leaning * side;
            let ends = Ends { line: *start, corner: at };
            aligned(&order, Some(ends), Begin::Corner(c), more)
        };
        let allowed = (0..corners.len()).filter(|&c| !barred.contains(&(None, c)));
        let mut ways: Vec<Matched> = allowed.map(at_corner).collect();
        if corners.len() != self.courses.len() + 1 {
            let first = corners.iter().position(|c| c.0 > nearest.share).unwrap_or(0);
            let order: Vec<usize> = after(first).collect();
            let mut way = aligned(&order, None, Begin::Smooth(nearest.share), nearest.off + ALONE);
            let share = self.begin_between(&way.steps).unwrap_or(nearest.share);
            way.begin = Begin::Smooth(share);
            // Beside a corner that would be nearly the same place twice.
            let away = |c: &(f64, Vector3)| (c.0 - share + 0.5).rem_euclid(1.0) - 0.5;
            if corners.iter().all(|c| away(c).abs() > APART) {
                ways.push(way);
            }
        }
        let none = Matched { cost: f64::INFINITY, begin: Begin::Here, steps: Vec::new() };
        ways.into_iter().min_by(|a, b| a.cost.total_cmp(&b.cost)).unwrap_or(none)
    }

    /// The share at which the first line meets the section: between the corners of the lines beside it at the same part of
    /// the length as on the section with the most corners.
    fn begin_between(&self, steps: &[Step]) -> Option<f64> {
        let share = |step: &Step| match *step {
            Step::Both(l, Place::Inner(c)) => Some((self.courses[l].share?, self.section.corners[c].0)),
            _ => None,
        };
        let (there, own) = steps.iter().find_map(share)?;
        let (last_there, last_own) = steps.iter().rev().find_map(share)?;
        let part = (1.0 - last_there) / (1.0 - last_there + there);
        let width = if last_own < own { own - last_own } else { 1.0 - (last_own - own) };
        Some((last_own + width * part).rem_euclid(1.0))
    }

    /// The cheapest way of going through lines and corners side by side, and its cost: `ends` is where the section begins,
    /// if it has a corner there that lines go to.
    fn aligned(
        &self,
        order: &[usize],
        ends: Option<Ends>,
        begin: f64,
        (leaning, barred): (f64, &Barred),
    ) -> (f64, Vec<Step>) {
        let (n, m) = (self.courses.len(), order.len());
        let (narrows, opens) = (self.narrows && n != m, self.opens && n != m);
        let alone = |off: f64| if n == m { f64::INFINITY } else { off + ALONE };
        let nearest: Vec<Nearest> = self.courses.iter().map(|c| self.section.nearest(&c.mark)).collect();
        let line_alone: Vec<f64> = nearest.iter().map(|near| alone(near.off)).collect();
        let seen: Vec<Vector3> = order.iter().map(|&c| self.section.corners[c].1).collect();
        let corner_alone: Vec<f64> = seen.iter().map(|at| alone(self.before.nearest(at).off)).collect();
        let mark = |l: usize| self.courses[l].mark;
        let apart = |l: usize, c: usize| {
            if barred.contains(&(Some(l), order[c])) {
                return f64::INFINITY;
            }
            (mark(l) - seen[c]).norm_squared() + leaning * self.section.side(&nearest[l], order[c])
        };
        // By how many lines and corners are through: the cheapest way at all, and the one whose last step joins the last
        // line and the last corner, each with the step before.
        let mut any: Vec<Vec<Way>> = vec![vec![(f64::INFINITY, None); m + 1]; n + 1];
        let mut both: Vec<Vec<Way>> = any.clone();
        any[0][0].0 = 0.0;
        let better = |way: &mut Way, cost: f64, step: Step, kind: From| {
            if cost < way.0 {
                *way = (cost, Some((step, kind)));
            }
        };
        for l in 0..=n {
            for c in 0..=m {
                if let (1.., 1..) = (l, c) {
                    let cost = apart(l - 1, c - 1);
                    let [line, corner] = [Place::Inner(l - 1), Place::Inner(order[c - 1])];
                    let step = Step::Both(l - 1, corner);
                    better(&mut both[l][c], any[l - 1][c - 1].0 + cost, step, From::Any(1, 1));
                    // Several go together for what lies between them.
                    if narrows && l > 1 {
                        let cost = (mark(l - 1) - mark(l - 2)).norm_squared();
                        let until = both[l - 1][c].0;
                        better(&mut both[l][c], until + cost, step, From::Both(1, 0));
                    }
                    if opens && c > 1 {
                        let cost = (seen[c - 1] - seen[c - 2]).norm_squared();
                        let until = both[l][c - 1].0;
                        better(
                            &mut both[l][c],
                            until + cost,
                            Step::Joins(line, order[c - 1]),
                            From::Both(0, 1),
                        );
                    }
                    if let (cost, Some((step, kind))) = both[l][c] {
                        better(&mut any[l][c], cost, step, kind);
                    }
                }
                if l > 0 {
                    let until = any[l - 1][c].0;
                    better(
                        &mut any[l][c],
                        until + line_alone[l - 1],
                        Step::LineAlone(l - 1),
                        From::Any(1, 0),
                    );
                }
                if c > 0 {
                    let until = any[l][c - 1].0;
                    let step = Step::CornerAlone(order[c - 1]);
                    better(&mut any[l][c], until + corner_alone[c - 1], step, From::Any(0, 1));
                }
                // Lines that end at the first or the last corner of all, and corners that come from the first or the last
                // line: only before, or after, everything else.
                let Some(Ends { line: line_end, corner: corner_end }) = ends else { continue };
                for (place, no_corner, no_line) in
                    [(Place::Start, c == 0, l == 0), (Place::End, c == m, l == n)]
                {
                    let on_its_side = |share: f64| (share < 0.5) == (place == Place::Start);
                    let line =
                        l > 0 && on_its_side(self.courses[l - 1].share.unwrap_or(l as f64 / (n + 1) as f64));
                    let corner =
                        c > 0 && on_its_side((self.section.corners[order[c - 1]].0 - begin).rem_euclid(1.0));
                    if narrows && line && no_corner {
                        let beside = match place {
                            Place::Start if l > 1 => mark(l - 2),
                            Place::End if l < n => mark(l),
                            _ => line_end,
                        };
                        let cost = any[l - 1][c].0 + (mark(l - 1) - beside).norm_squared();
                        better(&mut any[l][c], cost, Step::Both(l - 1, place), From::Any(1, 0));
                    }
                    if opens && corner && no_line {
                        let beside = match place {
                            Place::Start if c > 1 => seen[c - 2],
                            Place::End if c < m => seen[c],
                            _ => corner_end,
                        };
                        let cost = any[l][c - 1].0 + (seen[c - 1] - beside).norm_squared();
                        better(&mut any[l][c], cost, Step::Joins(place, order[c - 1]), From::Any(0, 1));
                    }
                }
            }
        }
        let mut steps = Vec::new();
        let (mut l, mut c) = (n, m);
        let mut way = any[l][c].1;
        while let Some((step, kind)) = way {
            steps.push(step);
            let (From::Any(lines, corners) | From::Both(lines, corners)) = kind;
            (l, c) = (l - lines, c - corners);
            way = if matches!(kind, From::Any(..)) { any[l][c].1 } else { both[l][c].1 };
        }
        steps.reverse();
        (any[n][m].0, self.in_order(&steps, begin))
    }

    /// Steps with lines and corners that are alone, which the cheapest way takes in any order, in the order of their places:
    /// between those that are joined, by shares from where the section begins.
    fn in_order(&self, steps: &[Step], begin: f64) -> Vec<Step> {
        let place = |step: &Step| -> Option<f64> {
            let share = match *step {
                Step::LineAlone(l) => self.section.nearest(&self.courses[l].mark).share,
                Step::CornerAlone(c) => self.section.corners[c].0,
                Step::Both(..) | Step::Joins(..) => return None,
            };
            Some((share - begin).rem_euclid(1.0))
        };
        let mut out: Vec<Step> = Vec::with_capacity(steps.len());
        for run in steps.chunk_by(|a, b| place(a).is_some() && place(b).is_some()) {
            let of = |line: bool| {
                let mut own: Vec<(f64, Step)> = run
                    .iter()
                    .filter(|s| matches!(s, Step::LineAlone(_)) == line)
                    .map(|s| (place(s).unwrap_or(0.0), *s))
                    .collect();
                // None goes before the one that it follows.
                let mut least = 0.0_f64;
                for (at, _) in &mut own {
                    least = least.max(*at);
                    *at = least;
                }
                own.into_iter().peekable()
            };
            let (mut lines, mut corners) = (of(true), of(false));
            loop {
                let line_first = match (lines.peek(), corners.peek()) {
                    (Some(l), Some(c)) => l.0 <= c.0,
                    (line, _) => line.is_some(),
                };
                let Some(next) = (if line_first { lines.next() } else { corners.next() }) else { break };
                out.push(next.1);
            }
        }
        out
    }
}

/// The cost of a way, and its last step with where that came from.
type Way = (f64, Option<(Step, From)>);

/// How many lines and corners a step takes, after any way or after one that joined the last of both.
#[derive(Debug, Clone, Copy)]
enum From {
    Any(usize, usize),
    Both(usize, usize),
}

/// The lines of both sides of a section; those that began on one side only stand in the order of its places.
fn merged(sides: [Vec<Course>; 2], pivot: &Sighted) -> Vec<Line> {
    let mut out: Vec<Line> = Vec::new();
    let [mut a, mut b] = sides.map(|side| side.into_iter().peekable());
    let united =
        |p: Course, q: &Course| -> Line { p.line.into_iter().zip(&q.line).map(|(p, q)| p.or(*q)).collect() };
    let place = |c: &Course| if c.share.is_some() { f64::INFINITY } else { pivot.nearest(&c.born).share };
    loop {
        let places = [a.peek().map(&place), b.peek().map(&place)];
        let same = match places {
            [None, None] => return out,
            [Some(p), Some(q)] => p == q || (p - q).abs() < SAME_PLACE,
            _ => false,
        };
        let [p, q] = places.map(|p| p.unwrap_or(f64::INFINITY));
        let next = if same || p <= q { a.next() } else { b.next() };
        let Some(next) = next else { continue };
        match b.next_if(|_| same) {
            Some(other) => out.push(united(next, &other)),
            None => out.push(next.line),
        }
    }
}
