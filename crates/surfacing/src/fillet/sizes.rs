//! How large what takes the edges' places is: one size or several, each the same everywhere or by a law along its edges.

use std::collections::BTreeMap;

use topology::EdgeId;

use super::chains::Chain;
use crate::SurfacingError;
use crate::halves::Halves;

/// Sizes in millimetres within which they are one.
pub(super) const ALIKE: f64 = 1e-9;

/// Edges to be rounded, each with the number of its size.
pub type Picked = BTreeMap<EdgeId, usize>;

/// Edges with the numbers of their sizes, or without where they take them over from those before and after them.
pub(super) type Numbered = BTreeMap<EdgeId, Option<usize>>;

/// A size of what takes edges' places.
#[derive(Clone, Copy)]
pub struct Size<'a> {
    /// The size in millimetres by the share, 0 to 1, of the chain of edges that lies behind.
    pub at: &'a dyn Fn(f64) -> f64,
    /// Whether it is the same everywhere, so that one that fits can be told.
    pub even: bool,
}

impl Size<'_> {
    fn bounds(&self) -> [f64; 2] {
        let sizes = || (0..=16).map(|k| (self.at)(f64::from(k) / 16.0));
        [sizes().fold(f64::MAX, f64::min), sizes().fold(0.0, f64::max)]
    }

    /// The size where it is the same everywhere.
    pub(super) fn only(&self) -> Option<f64> {
        self.even.then(|| (self.at)(0.0))
    }
}

/// Smallest and largest of all sizes.
pub(super) fn bounds(sizes: &[Size<'_>]) -> [f64; 2] {
    let all = sizes.iter().map(Size::bounds);
    all.fold([f64::MAX, 0.0], |[low, high], [a, b]| [low.min(a), high.max(b)])
}

/// Of edges that meet in a corner, each of a size that is the same everywhere, the ones of the largest: none where all are alike.
pub(super) fn largest(sizes: &[Size<'_>], numbers: &[Option<usize>]) -> Vec<usize> {
    let own = numbers.iter().map(|n| sizes.get((*n)?).and_then(Size::only)).collect::<Option<Vec<f64>>>();
    let Some(own) = own else { return Vec::new() };
    let most = own.iter().copied().fold(0.0, f64::max);
    let out: Vec<usize> = (0..own.len()).filter(|k| own[*k] >= most - ALIKE).collect();
    if out.len() < own.len() { out } else { Vec::new() }
}

/// The size of a chain's link.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Own {
    /// That of a number.
    Number(usize),
    /// One that goes over from one number's to another's along a stretch, told by lengths from the chain's beginning.
    Between { numbers: [usize; 2], from: f64, to: f64 },
}

/// The sizes along a chain.
pub(super) struct Along<'a> {
    sizes: &'a [Size<'a>],
    owns: Vec<Own>,
    before: Vec<f64>,
    whole: f64,
}

impl<'a> Along<'a> {
    /// Edges without a number of their own have the size of those before and after them; between unlike ones it goes over from
    /// the one into the other, level at both ends.
    ///
    /// # Errors
    /// `FilletSizes` where edges of unlike sizes go on into each other.
    pub(super) fn new(
        halves: &Halves<'_>,
        sizes: &'a [Size<'a>],
        chain: &Chain,
        numbers: &Numbered,
        lengths: &[f64],
    ) -> Result<Self, SurfacingError> {
        let numbers: Vec<Option<usize>> =
            chain.iter().map(|(edge, _)| numbers.get(edge).copied().flatten()).collect();
        let mut before = vec![0.0];
        for length in lengths {
            before.push(before[before.len() - 1] + length);
        }
        let ends = |(edge, forward): (EdgeId, bool)| {
            let edge = halves.shell.edge(edge);
            if forward { [edge.start, edge.end] } else { [edge.end, edge.start] }
        };
        let closed = ends(chain[0])[0] == ends(chain[chain.len() - 1])[1];
        let count = chain.len();
        let known: Vec<usize> = (0..count).filter(|k| numbers[*k].is_some()).collect();
        let number = |k: &usize| numbers[*k].unwrap_or(0);
        let mut owns = Vec::with_capacity(count);
        for k in 0..count {
            let (last, next) = (known.iter().rfind(|j| **j <= k), known.iter().find(|j| **j >= k));
            // A closed chain begins with a number, so that only what follows the last one runs over its beginning.
            let around = (closed && last != known.first()).then(|| known.first()).flatten();
            owns.push(match (last, next.or(around)) {
                (Some(a), Some(b)) if number(a) != number(b) => {
                    let to = if b > a { before[*b] } else { before[count] };
                    Own::Between { numbers: [number(a), number(b)], from: before[*a + 1], to }
                }
                (Some(known), _) | (None, Some(known)) => Own::Number(number(known)),
                (None, None) => Own::Number(0),
            });
        }
        let whole = before[count];
        let out = Self { sizes, owns, before, whole };
        for k in 0..count {
            let next = (k + 1) % count;
            if next == 0 && !closed {
                break;
            }
            let here = out.at(k, out.before[k + 1]);
            let there = out.at(next, out.before[next]);
            // A law's beginning and end need not be alike.
            if out.owns[k] != out.owns[next] && (here - there).abs() > ALIKE {
                let at = halves.shell.vertex(ends(chain[k])[1]).point.into();
                return Err(SurfacingError::FilletSizes { sizes: [here, there], at });
            }
        }
        Ok(out)
    }

    /// The size on a link, by the length from the chain's beginning.
    fn at(&self, link: usize, length: f64) -> f64 {
        let size = |number: usize, length: f64| (self.sizes[number].at)(length / self.whole);
        match self.owns[link] {
            Own::Number(number) => size(number, length),
            Own::Between { numbers: [a, b], from, to } => {
                let s = ((length - from) / (to - from)).clamp(0.0, 1.0);
                let (a, b) = (size(a, from), size(b, if to < self.whole { to } else { 0.0 }));
                a + (b - a) * s * s * (3.0 - 2.0 * s)
            }
        }
    }

    /// Whether a link's size is the same everywhere.
    pub(super) fn even(&self, link: usize) -> bool {
        matches!(self.owns[link], Own::Number(number) if self.sizes[number].even)
    }

    /// The size by the share of a link that lies behind, in the chain's direction.
    pub(super) fn on(&self, link: usize, share: f64) -> f64 {
        self.at(link, self.before[link] + share * (self.before[link + 1] - self.before[link]))
    }
}
