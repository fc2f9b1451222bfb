//! The lines along a loft of unlike sections, each through a corner of at least one of them.
//!
//! Neighbours are matched two by two, so that neither the order of the sections nor where they begin counts; what runs
//! between two matched corners runs by equal parts of the length. A corner that its neighbour has no partner for goes on
//! to the next one.

use std::collections::BTreeMap;

use geometry::Vector3;

use super::columns::NARROWEST;
use super::law::Law;
use super::matching::{Link, Matched, Neighbours, matched};
use super::sighted::Sighted;

/// Share of a section by which a smooth beginning had better be away from its corners.
const CLEAR: f64 = 0.02;
/// Share of a section within which two places are one.
const BESIDE: f64 = 1e-3;
/// Part of the way to a section's nearest corner by which its beginning stays away from that.
const AWAY: f64 = 0.25;

/// Where a line meets a section.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Meets {
    /// At a corner, by the share of the section's length.
    Corner(f64),
    /// Where it is smooth, as near to this share as can be.
    Smooth(f64),
}

/// For each section where a line meets it.
pub(super) type Line = Vec<Meets>;

/// The lines from corners of sections that begin alike, in their order, without the one with which they begin.
pub(super) fn lines(sections: &[Sighted<'_>]) -> Vec<Line> {
    let row = Row::new(sections, &vec![true; sections.len()]);
    let courses = row.courses.iter().filter(|course| !course.is_beginning(sections));
    let meets = |course: &Course| -> Line {
        let at = |i: usize| match course.met[i] {
            Some((_, share)) => Meets::Corner(share),
            None => Meets::Smooth(row.place(course, i)),
        };
        (0..sections.len()).map(at).collect()
    };
    in_order(courses.map(meets).collect())
}

/// The shares of their length at which closed sections begin alike; those that are `begun` begin where they do.
pub(super) fn beginnings_alike(sections: &[Sighted<'_>], begun: &[bool]) -> Vec<f64> {
    let row = Row::new(sections, begun);
    // Where sections begin now, at a corner or not: the corner's number does not count.
    let at_starts = |is_there: &dyn Fn(usize) -> bool| {
        Course::through((0..sections.len()).map(|i| is_there(i).then_some((0, 0.0))).collect())
    };
    let first = if begun.contains(&true) {
        at_starts(&|i| begun[i])
    } else {
        row.first_line().cloned().unwrap_or_else(|| at_starts(&|i| Some(i) == richest(sections)))
    };
    let begins = |i: usize| {
        let share = row.place(&first, i).rem_euclid(1.0);
        if first.met[i].is_some() { share } else { away_from_corners(share, &sections[i]) }
    };
    (0..sections.len()).map(begins).collect()
}

/// The section with the most corners; of several the longest.
fn richest(sections: &[Sighted<'_>]) -> Option<usize> {
    let richer = |best: usize, i: usize| if sections[i].is_richer(&sections[best]) { i } else { best };
    (0..sections.len()).reduce(richer)
}

/// A share of a closed section, between the corners that it lies between.
fn away_from_corners(share: f64, section: &Sighted<'_>) -> f64 {
    let shares: Vec<f64> = section.corners.iter().map(|c| c.0).collect();
    let (Some(first), Some(last)) = (shares.first(), shares.last()) else { return share };
    let after = shares.partition_point(|s| *s <= share);
    let from = if after == 0 { last - 1.0 } else { shares[after - 1] };
    let to = shares.get(after).copied().unwrap_or(first + 1.0);
    let keep = (AWAY * (to - from)).min(NARROWEST);
    share.clamp(from + keep, to - keep).rem_euclid(1.0)
}

/// A line by the corners that it goes through, each by its number and its share.
#[derive(Debug, Clone)]
struct Course {
    met: Vec<Option<(usize, f64)>>,
    /// Where it passes sections between two corners, once that is settled.
    passed: BTreeMap<usize, f64>,
}

impl Course {
    fn through(met: Vec<Option<(usize, f64)>>) -> Self {
        Self { met, passed: BTreeMap::new() }
    }

    fn first(&self) -> Option<usize> {
        self.met.iter().position(Option::is_some)
    }

    fn last(&self) -> Option<usize> {
        self.met.iter().rposition(Option::is_some)
    }

    /// Whether it is the one with which sections begin: only at corners there.
    fn is_beginning(&self, sections: &[Sighted<'_>]) -> bool {
        let begins = |(met, s): (&Option<(usize, f64)>, &Sighted<'_>)| {
            met.is_none_or(|(corner, _)| s.first_corner() == Some(corner))
        };
        self.met.iter().zip(sections).all(begins)
    }
}

/// Sections in their order, each matched with the next.
struct Row<'r, 'a> {
    sections: &'r [Sighted<'a>],
    laws: Vec<Law>,
    /// Which of them follow no line.
    least_twisted: Vec<bool>,
    courses: Vec<Course>,
}

impl<'r, 'a> Row<'r, 'a> {
    fn new(sections: &'r [Sighted<'a>], begun: &[bool]) -> Self {
        let count = sections.len();
        let all = |i: usize| (0..sections[i].corners.len()).collect::<Vec<_>>();
        let match_next = |i: usize| {
            matched(Neighbours {
                sections: [&sections[i], &sections[i + 1]],
                corners: [all(i), all(i + 1)],
                // At the ends of the loft what runs between lines may narrow into a corner.
                many: [i + 2 == count, i == 0],
                begun: begun[i] && begun[i + 1],
                all: true,
            })
        };
        let matches: Vec<Matched> = (0..count.max(1) - 1).map(match_next).collect();
        let courses = chains(sections, &matches);
        let mut laws: Vec<Law> = matches.into_iter().map(|m| m.law).collect();
        let least_twisted: Vec<bool> = laws.iter().map(Law::is_empty).collect();
        for i in (0..laws.len()).filter(|&i| least_twisted[i]) {
            laws[i].put([0.0, sections[i + 1].least_twisted(&sections[i])]);
        }
        let mut row = Self { sections, laws, least_twisted, courses };
        row.go_on(begun);
        row.follow_lines();
        row
    }

    /// Joins lines that end at corners over the sections between them.
    fn go_on(&mut self, begun: &[bool]) {
        let count = self.sections.len();
        for (i, j) in (2..count).flat_map(|gap| (0..count - gap).map(move |i| (i, i + gap))) {
            let corners_of = |at: usize, is_there: &dyn Fn(&Course) -> bool| -> Vec<usize> {
                let there = self.courses.iter().filter(|c| is_there(c));
                let mut corners: Vec<usize> = there.filter_map(|c| c.met[at].map(|m| m.0)).collect();
                corners.sort_unstable();
                corners
            };
            let ended = corners_of(i, &|c| c.last() == Some(i));
            let opened = corners_of(j, &|c| c.first() == Some(j));
            if ended.is_empty() || opened.is_empty() {
                continue;
            }
            let sections = [&self.sections[i], &self.sections[j]];
            let all = ended.len() == sections[0].corners.len() && opened.len() == sections[1].corners.len();
            let Matched { links, .. } = matched(Neighbours {
                sections,
                corners: [ended, opened],
                all,
                many: [j + 1 == count, i == 0],
                begun: begun[i] && begun[j],
            });
            for link in links {
                self.join(link, [i, j]);
            }
        }
    }

    /// Makes the sections between two corners of a line run along that.
    fn follow_lines(&mut self) {
        let mut along: Vec<(usize, [f64; 2])> = Vec::new();
        let mut courses = self.courses.clone();
        for course in &mut courses {
            let (Some(from), Some(to)) = (course.first(), course.last()) else { continue };
            let loose = (from..to).filter(|&i| course.met[i].is_none() || course.met[i + 1].is_none());
            along.extend(loose.map(|i| (i, [i, i + 1].map(|k| self.place(course, k)))));
            course.passed = (from..to).map(|i| (i, self.place(course, i))).collect();
        }
        self.courses = courses;
        // Their least twist is but for want of a line.
        for &(i, _) in along.iter().filter(|(i, _)| self.least_twisted[*i]) {
            self.laws[i] = Law::default();
        }
        for (i, places) in along {
            self.laws[i].put(places);
        }
    }

    /// Makes one line of two, unless there is another one between them.
    fn join(&mut self, link: Link, [i, j]: [usize; 2]) {
        let find = |at: usize, side: usize| {
            self.courses.iter().position(|c| c.met[at].is_some_and(|m| m.0 == link.corners[side]))
        };
        let (Some(a), Some(b)) = (find(i, 0), find(j, 1)) else { return };
        let there = |course: usize| self.place(&self.courses[course], j);
        let own = there(b);
        let near = |share: f64| share + (own - share).round();
        let carried = near(there(a));
        // By more than rounding: of the same line other parts may not be joined yet.
        let between = |k: usize| {
            let at = near(there(k));
            let [one, other] = [own.min(carried) + BESIDE, own.max(carried) - BESIDE];
            k != a && k != b && one < at && at < other
        };
        if (0..self.courses.len()).any(between) {
            return;
        }
        let head = self.courses[a].met.iter().take(i).copied();
        let tail = self.courses[b].met.iter().skip(j + 1).copied();
        let met = |side: usize| Some((link.corners[side], once_round(link.shares[side])));
        let over = std::iter::repeat_n(None, j - i - 1);
        let met = head.chain([met(0)]).chain(over).chain([met(1)]).chain(tail).collect();
        // Of several that come from one corner, or to one, each is a line of its own.
        let [own_end, own_start] = [self.courses[a].last() == Some(i), self.courses[b].first() == Some(j)];
        let goes_on = |k: usize| (own_end && k == a) || (own_start && k == b);
        let kept = std::mem::take(&mut self.courses).into_iter().enumerate().filter(|(k, _)| !goes_on(*k));
        self.courses = kept.map(|(_, course)| course).collect();
        self.courses.push(Course::through(met));
    }

    /// The line along which closed sections best begin: through the first corner of the one with the most, but where that
    /// passes another corner close by.
    fn first_line(&self) -> Option<&Course> {
        let pivot = richest(self.sections)?;
        let clear = |course: &Course| {
            let off = |i: usize| {
                let share = self.place(course, i);
                let away = |c: &(f64, Vector3)| (c.0 - share - (c.0 - share).round()).abs();
                self.sections[i].corners.iter().map(away).fold(f64::INFINITY, f64::min)
            };
            let smooth = (0..self.sections.len()).filter(|&i| course.met[i].is_none());
            smooth.map(off).fold(CLEAR, f64::min)
        };
        let through_first = |c: &&Course| c.met[pivot].is_some_and(|(corner, _)| corner == 0);
        let first = self.courses.iter().find(through_first);
        let clearer = |a: &Course, b: &Course| clear(a).total_cmp(&clear(b));
        let clearest = self.courses.iter().rev().max_by(|a, b| clearer(a, b));
        first.filter(|c| clear(c) >= CLEAR).or(clearest)
    }

    /// The share at which a line meets a section: between two of its corners the nearer one counts the more, so that the
    /// order does not.
    fn place(&self, course: &Course, i: usize) -> f64 {
        if let Some(share) = course.passed.get(&i) {
            return *share;
        }
        let before = (0..=i).rev().find_map(|j| Some((j, course.met[j]?.1)));
        let after = (i..self.sections.len()).find_map(|j| Some((j, course.met[j]?.1)));
        let onward = |(j, share): (usize, f64)| (j..i).fold(share, |s, k| self.laws[k].carried(s, 0));
        let back = |(j, share): (usize, f64)| (i..j).rev().fold(share, |s, k| self.laws[k].carried(s, 1));
        match (before, after) {
            (Some(b), _) if b.0 == i => b.1,
            (Some(b), Some(a)) => {
                let (one, other) = (onward(b), back(a));
                let other = other + (one - other).round();
                let [to_one, to_other] = [(i - b.0) as f64, (a.0 - i) as f64];
                (one * to_other + other * to_one) / (to_one + to_other)
            }
            (Some(b), None) => onward(b),
            (None, Some(a)) => back(a),
            (None, None) => 0.0,
        }
    }
}

/// Lines from section to section along what is matched: one for each of several corners that come to one.
fn chains(sections: &[Sighted<'_>], matches: &[Matched]) -> Vec<Course> {
    let count = sections.len();
    let mut out: Vec<Course> = Vec::new();
    // By its number, the line that has come to a corner of the section.
    let mut arrived: Vec<Vec<usize>> = Vec::new();
    for i in 0..count {
        let own = &sections[i].corners;
        let mut here: Vec<Vec<usize>> = vec![Vec::new(); own.len()];
        for link in i.checked_sub(1).map_or(&[][..], |k| &matches[k].links) {
            let [from, to] = link.corners;
            // Of several that come from one corner each is a line of its own.
            let come = arrived[from].iter().copied().find(|&k| out[k].met[i].is_none());
            let line = come.unwrap_or_else(|| {
                out.push(out[arrived[from][0]].clone());
                out.len() - 1
            });
            out[line].met[i] = Some((to, once_round(link.shares[1])));
            if i == 1 {
                out[line].met[0] = Some((from, once_round(link.shares[0])));
            }
            here[to].push(line);
        }
        for (c, (share, _)) in own.iter().enumerate() {
            if here[c].is_empty() {
                let mut met = vec![None; count];
                met[i] = Some((c, *share));
                here[c].push(out.len());
                out.push(Course::through(met));
            }
        }
        arrived = here;
    }
    out
}

/// A share from 0 to 1, which is where the first place comes again.
fn once_round(share: f64) -> f64 {
    if share > 1.0 { share.fract() } else { share }
}

/// Lines in the order of the corners where they meet the same section, and else of their places.
fn in_order(mut lines: Vec<Line>) -> Vec<Line> {
    let middle = |line: &Line| {
        let share = |m: &Meets| match m {
            Meets::Corner(share) | Meets::Smooth(share) => *share,
        };
        line.iter().map(share).sum::<f64>()
    };
    let comes_before = |a: &Line, b: &Line| {
        let corners = a.iter().zip(b).find_map(|pair| match pair {
            (Meets::Corner(p), Meets::Corner(q)) if p != q => Some(p < q),
            _ => None,
        });
        corners.unwrap_or(false)
    };
    let mut out = Vec::with_capacity(lines.len());
    while !lines.is_empty() {
        let free = |k: &usize| !lines.iter().any(|other| comes_before(other, &lines[*k]));
        let least = |a: &usize, b: &usize| middle(&lines[*a]).total_cmp(&middle(&lines[*b]));
        let next = (0..lines.len()).filter(free).min_by(least);
        let next = next.or_else(|| (0..lines.len()).min_by(least)).unwrap_or(0);
        out.push(lines.remove(next));
    }
    out
}
