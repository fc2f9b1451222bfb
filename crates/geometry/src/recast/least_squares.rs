//! Control points of least squares for curves that are recast together.

use nalgebra::{DMatrix, Dyn};

use super::arms::{self, Arms, Moments, Way};
use crate::banded::Banded;
use crate::knot_vector::ORDER;
use crate::{Homogeneous, KnotVector, NurbsCurve, Point3, Vector3, check_work};

/// Lines of a surface looked at in each span across, while places move along.
const SEEN_PER_SPAN: usize = 3;
/// Angle in radians within which a closed curve is smooth over its seam.
const SMOOTH_SEAM: f64 = 3.5e-3;
/// Control points that curvature at both ends takes: three at each.
pub(super) const POINTS_FOR_CURVATURE: usize = 6;

/// What of a curve or surface is kept at its ends, besides where they lie.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EndsKept {
    /// The tangents, with four control points or more.
    Tangents,
    /// The tangents and the curvature, which takes six.
    Curvature,
}

/// Curves that are recast together: places of each in the same order, and how each leaves its ends.
pub(super) struct Lines {
    pub(super) places: Vec<Vec<Point3>>,
    pub(super) ways: Vec<[Way; 2]>,
    pub(super) ring: bool,
    pub(super) kept: EndsKept,
    /// For lines of control points: lines of the surface that they make, each as a sum of shares of them, at which misses count.
    /// None for lines that count themselves.
    pub(super) seen: Vec<Vec<(usize, f64)>>,
}

/// Lines of a surface between and at its knots, as shares of its lines of control points, of which `from` come before.
pub(super) fn seen(across: &KnotVector, from: usize) -> Vec<Vec<(usize, f64)>> {
    let at = across.sampled(SEEN_PER_SPAN);
    let degree = across.degree();
    let shares = |(first, b): (usize, [f64; ORDER])| (0..=degree).map(|i| (from + first + i, b[i])).collect();
    basis_at(across, &at).into_iter().map(shares).collect()
}

/// How much each control point counts at the places, each with the first one that counts.
type Basis = Vec<(usize, [f64; ORDER])>;

fn basis_at(knots: &KnotVector, at: &[f64]) -> Basis {
    let one = |&t: &f64| {
        let span = knots.span(t);
        (span - knots.degree(), knots.basis(span, t))
    };
    at.iter().map(one).collect()
}

impl Lines {
    /// Control points at either end that what is kept there ties, the end's own one with them.
    fn held(&self, knots: &KnotVector) -> usize {
        match (knots.degree(), knots.point_count(), self.kept) {
            (2.., POINTS_FOR_CURVATURE.., EndsKept::Curvature) => 3,
            (2.., 4.., _) => 2,
            _ => 1,
        }
    }

    /// Control points of least squares for places at given parameters; none where the places do not settle them.
    pub(super) fn fitted(&self, knots: &KnotVector, at: &[f64], seamless: bool) -> Option<Vec<Vec<Point3>>> {
        check_work();
        if seamless { self.fitted_ring(knots, at) } else { self.fitted_between_ends(knots, at) }
    }

    /// First and last control points are the ends'; the next ones lie on the end tangents, as far out as is best, and where
    /// curvature is kept, those after them where it asks for.
    fn fitted_between_ends(&self, knots: &KnotVector, at: &[f64]) -> Option<Vec<Vec<Point3>>> {
        let (degree, count) = (knots.degree(), knots.point_count());
        let basis = basis_at(knots, at);
        let held = self.held(knots);
        let free = count - 2 * held;
        let is_free = |i: usize| i >= held && i < count - held;
        let of = |(from, b): &(usize, [f64; ORDER]), i: usize| {
            if i >= *from && i <= from + degree { b[i - from] } else { 0.0 }
        };
        let mut normal = Banded::new(free, degree);
        for (from, b) in &basis {
            for i in (0..=degree).filter(|i| is_free(from + i)) {
                for j in (0..=degree).filter(|j| is_free(from + j)) {
                    normal.add(from + i - held, from + j - held, b[i] * b[j]);
                }
            }
        }
        let solve = |values: &[Vector3]| -> Option<Vec<Vector3>> {
            let mut system = normal.clone();
            for ((from, b), value) in basis.iter().zip(values) {
                for i in (0..=degree).filter(|i| is_free(from + i)) {
                    system.add_right(from + i - held, value * b[i]);
                }
            }
            system.solve()
        };
        let rest = |values: &[Vector3], solved: &[Vector3]| -> Vec<Vector3> {
            let one = |((from, b), value): (&(usize, [f64; ORDER]), &Vector3)| {
                let inner = (0..=degree).filter(|i| is_free(from + i));
                value - inner.map(|i| solved[from + i - held] * b[i]).sum::<Vector3>()
            };
            basis.iter().zip(values).map(one).collect()
        };
        // What is left of each two control points as far from either end when the inner ones follow them as they like.
        let beside: Vec<[usize; 2]> = (1..held).map(|j| [j, count - 1 - j]).collect();
        let shares = |&[a, b]: &[usize; 2]| -> Vec<Vector3> {
            basis.iter().map(|row| Vector3::new(of(row, a), of(row, b), 0.0)).collect()
        };
        let shares: Vec<Vec<Vector3>> = beside.iter().map(shares).collect();
        let followed = shares.iter().map(|s| solve(s)).collect::<Option<Vec<_>>>()?;
        let left: Vec<Vec<Vector3>> = shares.iter().zip(&followed).map(|(s, f)| rest(s, f)).collect();
        let fixed = |line: usize, row: &(usize, [f64; ORDER])| {
            let places = &self.places[line];
            let side = |end: usize| {
                (0..held).map(|j| of(row, if end == 0 { j } else { count - 1 - j })).sum::<f64>()
            };
            places[0].coords * side(0) + places[places.len() - 1].coords * side(1)
        };
        let values: Vec<Vec<Vector3>> = (0..self.places.len())
            .map(|l| self.places[l].iter().zip(&basis).map(|(p, row)| p.coords - fixed(l, row)).collect())
            .collect();
        let solved = values.iter().map(|v| solve(v)).collect::<Option<Vec<_>>>()?;
        // The same for all lines, so that what lies on a line across them stays on one.
        let arms = (held > 1).then(|| {
            let values: Vec<Vec<Vector3>> = values.iter().zip(&solved).map(|(v, s)| rest(v, s)).collect();
            self.arms(&Moments::of(&left, &values), knots)
        });
        let one = |(l, solved): (usize, &Vec<Vector3>)| {
            let (places, ways) = (&self.places[l], &self.ways[l]);
            let (first, last) = (places[0], places[places.len() - 1]);
            let reach =
                |j: usize, end: usize| arms.map_or_else(Vector3::zeros, |a| a.reach(j, end, &ways[end]));
            let mut control: Vec<Point3> = (0..held).map(|j| first + reach(j, 0)).collect();
            for (k, x) in solved.iter().enumerate() {
                let moved =
                    |(j, f): (usize, &Vec<Vector3>)| reach(j + 1, 0) * f[k].x + reach(j + 1, 1) * f[k].y;
                control.push(Point3::from(x - followed.iter().enumerate().map(moved).sum::<Vector3>()));
            }
            control.extend((0..held).rev().map(|j| last + reach(j, 1)));
            control
        };
        Some(solved.iter().enumerate().map(one).collect())
    }

    /// How far the control points beside the ends lie out, by least squares.
    fn arms(&self, moments: &Moments, knots: &KnotVector) -> Arms {
        let count = knots.point_count();
        let length: f64 = self.places.iter().map(|line| path(line)).sum();
        let speed: f64 = self.ways.iter().map(|w| 0.5 * (w[0].tangent.norm() + w[1].tangent.norm())).sum();
        let scale = length / speed.max(f64::MIN_POSITIVE);
        let least = arms::LEAST_ARM * scale / count as f64;
        if self.held(knots) == 2 {
            return Arms::of_tangents(moments, &self.ways, self.ring, least);
        }
        Arms::of_curvature(moments, &self.ways, knots, [scale, least])
    }

    /// The same for lines without a seam: a spline that goes round for ever has as many free control points as spans.
    fn fitted_ring(&self, knots: &KnotVector, at: &[f64]) -> Option<Vec<Vec<Point3>>> {
        let (degree, count) = (knots.degree(), knots.point_count());
        let breaks = knots.breaks();
        let spans = breaks.len() - 1;
        if spans != count - degree {
            return None;
        }
        // Run round far enough that clamped ends do not reach the turn in the middle.
        let round: Vec<f64> = (0..3 * spans)
            .map(|k| breaks[k % spans] + (k / spans) as f64)
            .chain([3.0])
            .map(|t| t - 1.0)
            .collect();
        let long = KnotVector::smooth_pieces(degree, &round);
        // Control point i of the long one, whose own place is in the middle of its knots, stands for i modulo the spans.
        let mut normal = DMatrix::<f64>::zeros(spans, spans);
        let mut right = DMatrix::<f64>::zeros(spans, 3 * self.places.len());
        let basis = basis_at(&long, at);
        for (k, (from, b)) in basis.iter().enumerate() {
            for i in 0..=degree {
                let row = (from + i) % spans;
                for j in 0..=degree {
                    normal[(row, (from + j) % spans)] += b[i] * b[j];
                }
                for (l, places) in self.places.iter().enumerate() {
                    for c in 0..3 {
                        right[(row, 3 * l + c)] += b[i] * places[k][c];
                    }
                }
            }
        }
        let solved = nalgebra::linalg::Cholesky::<f64, Dyn>::new(normal)?.solve(&right);
        let one = |l: usize| {
            let point = |i: usize| {
                let c = |axis: usize| solved[(i % spans, 3 * l + axis)];
                Homogeneous::new(c(0), c(1), c(2), 1.0)
            };
            let net = (0..long.point_count()).map(point).collect();
            let turn = NurbsCurve::from_homogeneous(long.clone(), net).ok()?.part(0.0, 1.0);
            let mut points = turn.control_points();
            let last = points.len() - 1;
            points[last] = points[0];
            (points.len() == count).then_some(points)
        };
        (0..self.places.len()).map(one).collect()
    }
}

pub(super) fn path(places: &[Point3]) -> f64 {
    places.windows(2).map(|w| (w[1] - w[0]).norm()).sum()
}

/// The ways into lines at both ends; where they go round without a corner, the same at either end of each.
pub(super) fn ways_of(mut ways: Vec<[Way; 2]>, ring: bool) -> Vec<[Way; 2]> {
    if ring {
        ways.iter_mut().for_each(|w| w[1] = Way { tangent: -w[0].tangent, ..w[0] });
    }
    ways
}

/// Whether lines whose ends are one place each go on there without a corner; those of no length do in any case.
pub(super) fn goes_round(places: &[Vec<Point3>], ways: &[[Way; 2]]) -> bool {
    let size = places.iter().map(|line| path(line)).fold(0.0, f64::max);
    let meets = |line: &Vec<Point3>| (line[line.len() - 1] - line[0]).norm() <= 1e-9 * size;
    let smooth =
        |[a, b]: &[Way; 2]| a.tangent.norm_squared() == 0.0 || a.tangent.angle(&-b.tangent) < SMOOTH_SEAM;
    places.iter().all(meets) && ways.iter().all(smooth)
}
