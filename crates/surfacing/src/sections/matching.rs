//! Which corners of two sections are joined.
//!
//! Sections with as many corners as each other are joined corner to corner. Of others a corner is joined to a corner where
//! those are near, or else stays alone, by the cheapest alignment in order (dynamic programming, as Needleman and Wunsch
//! align sequences, J. Mol. Biol. 48, 1970). A corner that could as well go to one as to another goes to neither, so that
//! what is symmetric is joined symmetrically.

use std::collections::BTreeSet;

use geometry::Vector3;

use super::law::Law;
use super::sighted::Sighted;

/// What a corner that is alone adds to the square of its distance from the other section, for sections of the size 1.
const ALONE: f64 = 0.1;
/// By how much one way may be better than another and as good all the same, in the same measure.
const AS_GOOD: f64 = 0.01;
/// The square of the distance of two corners beyond which they are not joined only because there are as many, as a share of
/// the product of their distances from the middle: a turn by 75 degrees.
const FAR: f64 = 1.5;
/// What is seen nearer to each other than this is nearly one, as both ends of a blunt edge.
const BESIDE: f64 = 0.1;
/// How often what is doubtful is taken out.
const MOST_ROUNDS: usize = 6;

/// Two sections and what may be joined.
pub(super) struct Neighbours<'r, 'a> {
    pub sections: [&'r Sighted<'a>; 2],
    /// Numbers of the corners of each that may be joined, in order.
    pub corners: [Vec<usize>; 2],
    /// Whether several corners of the one may be joined to one of the other.
    pub many: [bool; 2],
    /// Whether they already begin alike.
    pub begun: bool,
    /// Whether all corners are to be joined, one by one, if there are as many and none has to turn far.
    pub all: bool,
}

/// Two sections whose distances are known.
struct Pairing<'r, 'a> {
    of: Neighbours<'r, 'a>,
    /// What each of their corners costs that is alone.
    alone: [Vec<f64>; 2],
}

/// How two sections go together.
#[derive(Debug, Clone, Default)]
pub(super) struct Matched {
    pub links: Vec<Link>,
    /// Through the links, and through what is known to lie between others.
    pub law: Law,
}

/// Two corners that are joined.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Link {
    /// Their numbers.
    pub corners: [usize; 2],
    /// Their shares, on from where the sections begin, rising: by 1 larger the second time round.
    pub shares: [f64; 2],
}

/// Corners by their numbers.
type Pair = [usize; 2];
/// Those that are not to be joined.
type Barred = BTreeSet<Pair>;

/// A way of joining them, and what it costs.
struct Joined {
    cost: f64,
    links: Vec<Link>,
}

impl Joined {
    fn pairs(&self) -> Barred {
        self.links.iter().map(|l| l.corners).collect()
    }

    fn costing_more(self, more: f64) -> Self {
        Self { cost: self.cost + more, ..self }
    }

    fn or_cheaper(self, other: Self) -> Self {
        if other.cost < self.cost { other } else { self }
    }
}

/// The places with which two sections begin and end while their corners are gone through.
#[derive(Debug, Clone, Copy)]
struct Ends {
    /// The corner there, if there is one to which others may go.
    corners: [Option<usize>; 2],
    shares: [f64; 2],
    seen: [Vector3; 2],
}

/// One of the corners by its number in their order, or the one with which all begin and end.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Place {
    Start,
    Inner(usize),
    End,
}

/// The cheapest way of two, whatever their order.
pub(super) fn matched(neighbours: Neighbours<'_, '_>) -> Matched {
    let [a, b] = neighbours.sections;
    if !b.is_richer(a) {
        return Pairing::new(neighbours).matched();
    }
    let [one, other] = neighbours.corners;
    let [to_one, to_other] = neighbours.many;
    let swapped =
        Neighbours { sections: [b, a], corners: [other, one], many: [to_other, to_one], ..neighbours };
    let Matched { mut links, law } = Pairing::new(swapped).matched();
    for link in &mut links {
        link.corners.reverse();
        link.shares.reverse();
    }
    Matched { links, law: law.swapped() }
}

impl<'r, 'a> Pairing<'r, 'a> {
    fn new(of: Neighbours<'r, 'a>) -> Self {
        let alone = [0, 1].map(|side: usize| {
            let off = |corner: &(f64, Vector3)| of.sections[1 - side].nearest(&corner.1).off + ALONE;
            of.sections[side].corners.iter().map(off).collect()
        });
        Self { of, alone }
    }

    fn corner(&self, side: usize, number: usize) -> (f64, Vector3) {
        self.of.sections[side].corners[number]
    }

    fn matched(mut self) -> Matched {
        self.of.all &= self.of.corners[0].len() == self.of.corners[1].len();
        let too_far = |link: &Link| {
            let [p, q] = [0, 1].map(|side| self.corner(side, link.corners[side]).1);
            (p - q).norm_squared() > FAR * p.norm() * q.norm()
        };
        self.of.all &= !self.cheapest(self.anyhow(), &Barred::new(), f64::INFINITY).links.iter().any(too_far);
        self.best()
    }

    /// Whether they begin alike however they are begun.
    fn anyhow(&self) -> bool {
        !self.of.sections[0].closed
    }

    fn best(&self) -> Matched {
        let mut barred = Barred::new();
        for _ in 0..MOST_ROUNDS {
            // Wherever they begin: where they are begun already, the same is doubtful as before that.
            let doubtful = self.doubtful(&self.cheapest(self.anyhow(), &barred, f64::INFINITY), &barred);
            if doubtful.is_empty() {
                break;
            }
            barred.extend(doubtful);
        }
        let begun = self.of.begun || self.anyhow();
        let best = self.cheapest(begun, &barred, f64::INFINITY);
        let best =
            if best.cost.is_finite() { best } else { self.cheapest(begun, &Barred::new(), f64::INFINITY) };
        let mut anchors: Vec<[f64; 2]> = best.links.iter().map(|l| l.shares).collect();
        if begun && anchors.first() != Some(&[0.0; 2]) {
            anchors.insert(0, [0.0; 2]);
        }
        let mut law = Law::through(anchors);
        for side in [0, 1] {
            for &c in &self.of.corners[side] {
                if best.links.iter().all(|l| l.corners[side] != c) {
                    let partners = barred.iter().filter(|p| p[side] == c).map(|p| p[1 - side]);
                    self.put_between(side, c, partners, &mut law);
                }
            }
        }
        Matched { links: best.links, law }
    }

    /// Pairs of the cheapest way one of whose corners could as well go to another one, and that other pair.
    fn doubtful(&self, best: &Joined, barred: &Barred) -> Barred {
        let mut out = Barred::new();
        let pairs = best.pairs();
        for pair in &pairs {
            let mut without = barred.clone();
            without.insert(*pair);
            let other = self.cheapest(self.anyhow(), &without, best.cost + AS_GOOD);
            if other.cost >= best.cost + AS_GOOD {
                continue;
            }
            let instead = other.pairs();
            let shares_a_corner = |p: &&Pair| !pairs.contains(*p) && (p[0] == pair[0] || p[1] == pair[1]);
            for p in instead.iter().filter(shares_a_corner).filter(|p| !self.hardly_differ(*pair, **p)) {
                out.extend([*pair, *p]);
            }
        }
        out
    }

    /// Whether it makes next to no difference which one of two pairs is joined, both of which may be.
    fn hardly_differ(&self, one: Pair, other: Pair) -> bool {
        let seen = |side: usize, c: usize| self.corner(side, c).1;
        let near = |side: usize| (seen(side, one[side]) - seen(side, other[side])).norm();
        // Several of the side that differs come to one of the other side.
        let may = |side: usize| self.of.many[side] && one[1 - side] == other[1 - side];
        (may(0) || may(1)) && near(0) + near(1) < BESIDE
    }

    /// A corner that could as well go to one of several lies in the middle of them.
    fn put_between(&self, side: usize, corner: usize, partners: impl Iterator<Item = usize>, law: &mut Law) {
        let shares: Vec<f64> = partners.map(|p| self.corner(1 - side, p).0).collect();
        let [first, _, ..] = shares[..] else { return };
        let lifted = shares.iter().map(|s| s + (first - s).round());
        let middle = lifted.sum::<f64>() / shares.len() as f64;
        let mut own = [0.0; 2];
        own[side] = self.corner(side, corner).0;
        own[1 - side] = middle;
        law.put(own);
    }

    /// The cheapest way of those that cost less than `bound`; of none, no links for that cost.
    fn cheapest(&self, begun: bool, barred: &Barred, bound: f64) -> Joined {
        let none = Joined { cost: f64::INFINITY, links: Vec::new() };
        if begun {
            let firsts = self.of.sections.map(Sighted::first_corner);
            let ends = Ends { corners: firsts, shares: [0.0; 2], seen: self.of.sections.map(|s| s.start) };
            let inner = |side: usize| -> Vec<usize> {
                self.of.corners[side].iter().copied().filter(|c| firsts[side] != Some(*c)).collect()
            };
            return self.aligned([&inner(0), &inner(1)], ends, barred);
        }
        let [Some(&first), Some(_)] = [0, 1].map(|side| self.of.corners[side].first()) else {
            return Joined { cost: 0.0, ..none };
        };
        let (share, seen) = self.corner(0, first);
        let nearest = self.of.sections[1].nearest(&seen);
        let theirs = &self.of.corners[1];
        let from = |k: usize| -> Vec<usize> { theirs[k..].iter().chain(&theirs[..k]).copied().collect() };
        let mut best = Joined { cost: bound, ..none };
        // Those that cost more for their beginning alone are left out.
        for (k, &c) in theirs.iter().enumerate().filter(|(_, c)| !barred.contains(&[first, **c])) {
            let (other, at) = self.corner(1, c);
            let apart = (at - seen).norm_squared();
            if apart < best.cost {
                let ends = Ends { corners: [Some(first), Some(c)], shares: [share, other], seen: [seen, at] };
                let way = self.aligned([&self.of.corners[0][1..], &from(k)[1..]], ends, barred);
                best = best.or_cheaper(way.costing_more(apart));
            }
        }
        let apart = nearest.off + ALONE;
        if !self.of.all && apart < best.cost {
            // Just before or after a corner it does not count on which side of that it lies.
            let count = theirs.len();
            let next = theirs.iter().position(|&c| self.corner(1, c).0 > nearest.share).unwrap_or(0);
            let ends = Ends { corners: [None; 2], shares: [share, nearest.share], seen: [seen; 2] };
            for k in [count - 1, count, count + 1].map(|k| (next + k) % count) {
                let way = self.aligned([&self.of.corners[0][1..], &from(k)], ends, barred);
                best = best.or_cheaper(way.costing_more(apart));
            }
        }
        best
    }

    /// The cheapest way of going through corners of both side by side.
    fn aligned(&self, order: [&[usize]; 2], ends: Ends, barred: &Barred) -> Joined {
        let [n, m] = order.map(<[usize]>::len);
        let forced = n == m && self.of.all;
        let many = self.of.many.map(|many| many && !forced);
        let [narrows, opens] = many;
        let seen = [0, 1]
            .map(|side| -> Vec<Vector3> { order[side].iter().map(|&c| self.corner(side, c).1).collect() });
        let alone = [0, 1].map(|side| -> Vec<f64> {
            let cost = |&c: &usize| if forced { f64::INFINITY } else { self.alone[side][c] };
            order[side].iter().map(cost).collect()
        });
        let apart = |l: usize, c: usize| {
            let pair = [order[0][l], order[1][c]];
            if barred.contains(&pair) {
                return f64::INFINITY;
            }
            (seen[0][l] - seen[1][c]).norm_squared()
        };
        let share = |side: usize, c: usize| (self.corner(side, c).0 - ends.shares[side]).rem_euclid(1.0);
        // By how many of both are through: the cheapest way at all, and the one whose last step joins the last two, each
        // with the step before.
        let mut any: Vec<Vec<Way>> = vec![vec![(f64::INFINITY, None); m + 1]; n + 1];
        let mut both: Vec<Vec<Way>> = any.clone();
        any[0][0].0 = 0.0;
        let better = |way: &mut Way, cost: f64, joins: Joins, from: From| {
            if cost < way.0 {
                *way = (cost, Some((joins, from)));
            }
        };
        for l in 0..=n {
            for c in 0..=m {
                if let (1.., 1..) = (l, c) {
                    let pair = Some([Place::Inner(order[0][l - 1]), Place::Inner(order[1][c - 1])]);
                    let cost = any[l - 1][c - 1].0 + apart(l - 1, c - 1);
                    better(&mut both[l][c], cost, pair, From::Any(1, 1));
                    // Several go together for what lies between them.
                    let allowed = !barred.contains(&[order[0][l - 1], order[1][c - 1]]);
                    if narrows && l > 1 && allowed {
                        let cost = both[l - 1][c].0 + (seen[0][l - 1] - seen[0][l - 2]).norm_squared();
                        better(&mut both[l][c], cost, pair, From::Both(1, 0));
                    }
                    if opens && c > 1 && allowed {
                        let cost = both[l][c - 1].0 + (seen[1][c - 1] - seen[1][c - 2]).norm_squared();
                        better(&mut both[l][c], cost, pair, From::Both(0, 1));
                    }
                    if let (cost, Some((joins, from))) = both[l][c] {
                        better(&mut any[l][c], cost, joins, from);
                    }
                }
                if l > 0 {
                    let cost = any[l - 1][c].0 + alone[0][l - 1];
                    better(&mut any[l][c], cost, None, From::Any(1, 0));
                }
                if c > 0 {
                    let cost = any[l][c - 1].0 + alone[1][c - 1];
                    better(&mut any[l][c], cost, None, From::Any(0, 1));
                }
                // Those that go to where the other section begins or ends: only before, or after, everything else.
                for (place, beyond) in [(Place::Start, [l == 0, c == 0]), (Place::End, [l == n, c == m])] {
                    for side in [0, 1] {
                        let (through, count) = if side == 0 { (l, n) } else { (c, m) };
                        let [Some(a), Some(b)] = ends.corners else { continue };
                        if !many[side] || !beyond[1 - side] || through == 0 {
                            continue;
                        }
                        let own = order[side][through - 1];
                        let on_its_side = (share(side, own) < 0.5) == (place == Place::Start);
                        let mut pair = [a, b];
                        pair[side] = own;
                        if !on_its_side || barred.contains(&pair) {
                            continue;
                        }
                        let beside = match place {
                            Place::Start if through > 1 => seen[side][through - 2],
                            Place::End if through < count => seen[side][through],
                            _ => ends.seen[side],
                        };
                        let step = (seen[side][through - 1] - beside).norm_squared();
                        let (pair, [p, q]) = if side == 0 {
                            ([Place::Inner(own), place], [1, 0])
                        } else {
                            ([place, Place::Inner(own)], [0, 1])
                        };
                        let cost = any[l - p][c - q].0 + step;
                        better(&mut any[l][c], cost, Some(pair), From::Any(p, q));
                    }
                }
            }
        }
        let link = |pair: [Place; 2]| -> Option<Link> {
            let number = |side: usize| match pair[side] {
                Place::Inner(c) => Some(c),
                Place::Start | Place::End => ends.corners[side],
            };
            let along = |side: usize| match pair[side] {
                Place::Start => 0.0,
                Place::Inner(c) => share(side, c),
                Place::End => 1.0,
            };
            let corners = [number(0)?, number(1)?];
            Some(Link { corners, shares: [0, 1].map(|side| ends.shares[side] + along(side)) })
        };
        let mut links: Vec<Link> = Vec::new();
        let (mut l, mut c) = (n, m);
        let mut way = any[l][c].1;
        while let Some((joins, from)) = way {
            links.extend(joins.and_then(link));
            let (From::Any(p, q) | From::Both(p, q)) = from;
            (l, c) = (l - p, c - q);
            way = if matches!(from, From::Any(..)) { any[l][c].1 } else { both[l][c].1 };
        }
        links.extend(link([Place::Start; 2]));
        links.reverse();
        Joined { cost: any[n][m].0, links }
    }
}

/// What a step joins.
type Joins = Option<[Place; 2]>;
/// The cost of a way, and its last step with where that came from.
type Way = (f64, Option<(Joins, From)>);

/// How many of both a step takes, after any way or after one that joined the last of both.
#[derive(Debug, Clone, Copy)]
enum From {
    Any(usize, usize),
    Both(usize, usize),
}
