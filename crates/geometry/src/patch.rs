//! Pieces of a surface in Bézier form, halved as often as a search needs; each lies within the hull of its net.

use crate::bezier_pieces::Coefficient;
use crate::{Homogeneous, Point3, Vector3, check_work};

/// A rational Bézier piece of a surface over a part of its domain; its net row by row, v running fastest.
#[derive(Debug, Clone)]
pub(crate) struct Patch {
    net: Vec<Homogeneous>,
    columns: usize,
    pub(crate) u: [f64; 2],
    pub(crate) v: [f64; 2],
}

impl Patch {
    pub(crate) fn new(net: &[Coefficient], columns: usize, u: [f64; 2], v: [f64; 2]) -> Self {
        Self { net: net.iter().map(|c| Homogeneous::from(*c)).collect(), columns, u, v }
    }

    pub(crate) fn middle(&self) -> [f64; 2] {
        [0.5 * (self.u[0] + self.u[1]), 0.5 * (self.v[0] + self.v[1])]
    }

    fn points(&self) -> impl Iterator<Item = Point3> + '_ {
        self.net.iter().map(|h| Point3::from(h.xyz() / h.w))
    }

    /// A distance from `to` below which none of the piece's places is: that of the box round its net, or, seen along the
    /// direction of its middle, that of the nearest control point.
    pub(crate) fn nearest_possible(&self, to: &Point3) -> f64 {
        let mut low = Vector3::repeat(f64::INFINITY);
        let mut high = Vector3::repeat(f64::NEG_INFINITY);
        let mut sum = Vector3::zeros();
        for p in self.points() {
            let d = p - to;
            low = low.inf(&d);
            high = high.sup(&d);
            sum += d;
        }
        let toward = sum.try_normalize(f64::MIN_POSITIVE).unwrap_or_default();
        let along = self.points().map(|p| (p - to).dot(&toward)).fold(f64::INFINITY, f64::min);
        low.sup(&-high).sup(&Vector3::zeros()).norm().max(along)
    }

    /// Both halves (de Casteljau), across the direction in which the net is longer.
    pub(crate) fn halves(&self) -> [Self; 2] {
        check_work();
        let n = self.columns;
        let rows = self.net.len() / n;
        let at = |i: usize, j: usize| {
            let h = &self.net[i * n + j];
            Point3::from(h.xyz() / h.w)
        };
        let across: f64 = (1..rows)
            .map(|i| (at(i, 0) - at(i - 1, 0)).norm().max((at(i, n - 1) - at(i - 1, n - 1)).norm()))
            .sum();
        let along: f64 = (1..n)
            .map(|j| (at(0, j) - at(0, j - 1)).norm().max((at(rows - 1, j) - at(rows - 1, j - 1)).norm()))
            .sum();
        let (mut first, mut second) = (self.clone(), self.clone());
        let [u, v] = self.middle();
        if across >= along {
            for j in 0..n {
                halve(&mut first.net, &mut second.net, rows, |i| i * n + j);
            }
            (first.u[1], second.u[0]) = (u, u);
        } else {
            for i in 0..rows {
                halve(&mut first.net, &mut second.net, n, |j| i * n + j);
            }
            (first.v[1], second.v[0]) = (v, v);
        }
        [first, second]
    }
}

/// Halves one row or column, of which both nets hold a copy.
pub(crate) fn halve(
    first: &mut [Homogeneous],
    second: &mut [Homogeneous],
    count: usize,
    index: impl Fn(usize) -> usize,
) {
    for step in 1..count {
        for k in 0..count - step {
            second[index(k)] = (second[index(k)] + second[index(k + 1)]) * 0.5;
        }
        first[index(step)] = second[index(0)];
    }
}
