//! Control points of least squares for curves that are recast together.

use nalgebra::{DMatrix, Dyn};

use crate::banded::Banded;
use crate::knot_vector::ORDER;
use crate::{Homogeneous, KnotVector, NurbsCurve, Point3, Vector3, check_work};

/// Lines of a surface looked at in each span across, while places move along.
const SEEN_PER_SPAN: usize = 3;
/// Angle in radians within which a closed curve is smooth over its seam.
const SMOOTH_SEAM: f64 = 3.5e-3;

/// Curves that are recast together: places of each in the same order, and how each leaves its ends, as vectors into it whose
/// lengths only count against each other.
pub(super) struct Lines {
    pub(super) places: Vec<Vec<Point3>>,
    pub(super) tangents: Vec<[Vector3; 2]>,
    pub(super) ring: bool,
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
    /// Whether the directions at the ends are kept: that takes two control points besides those of the ends.
    fn keeps_tangents(knots: &KnotVector) -> bool {
        knots.degree() > 1 && knots.point_count() > 3
    }

    /// Control points of least squares for places at given parameters; none where the places do not settle them.
    pub(super) fn fitted(&self, knots: &KnotVector, at: &[f64], seamless: bool) -> Option<Vec<Vec<Point3>>> {
        check_work();
        if seamless { self.fitted_ring(knots, at) } else { self.fitted_between_ends(knots, at) }
    }

    /// First and last control points are the ends'; the next ones lie on the end tangents, as far out as is best.
    fn fitted_between_ends(&self, knots: &KnotVector, at: &[f64]) -> Option<Vec<Vec<Point3>>> {
        let (degree, count) = (knots.degree(), knots.point_count());
        let basis = basis_at(knots, at);
        let keeps = Self::keeps_tangents(knots);
        let held = 1 + usize::from(keeps);
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
        // What is left of the two control points next to the ends when the inner ones follow them as they like.
        let arms: Vec<Vector3> =
            basis.iter().map(|row| Vector3::new(of(row, 1), of(row, count - 2), 0.0)).collect();
        let followed = if keeps { solve(&arms)? } else { Vec::new() };
        let arms_left = if keeps { rest(&arms, &followed) } else { Vec::new() };
        let fixed = |line: usize, row: &(usize, [f64; ORDER])| {
            let places = &self.places[line];
            let (first, last) = (places[0], places[places.len() - 1]);
            let beside = |i: usize| if keeps { of(row, i) } else { 0.0 };
            first.coords * (of(row, 0) + beside(1)) + last.coords * (of(row, count - 1) + beside(count - 2))
        };
        let values: Vec<Vec<Vector3>> = (0..self.places.len())
            .map(|l| self.places[l].iter().zip(&basis).map(|(p, row)| p.coords - fixed(l, row)).collect())
            .collect();
        let solved = values.iter().map(|v| solve(v)).collect::<Option<Vec<_>>>()?;
        // The same for all lines, so that what lies on a line across them stays on one.
        let arm = if keeps {
            let left: Vec<Vec<Vector3>> = values.iter().zip(&solved).map(|(v, s)| rest(v, s)).collect();
            self.arm_lengths(&arms_left, &left, count)
        } else {
            [0.0; 2]
        };
        let one = |(l, solved): (usize, &Vec<Vector3>)| {
            let (places, tangents) = (&self.places[l], &self.tangents[l]);
            let (first, last) = (places[0], places[places.len() - 1]);
            let reach = [tangents[0] * arm[0], tangents[1] * arm[1]];
            let mut control = vec![first];
            if keeps {
                control.push(first + reach[0]);
            }
            for (k, x) in solved.iter().enumerate() {
                let moved = followed.get(k).map_or_else(Vector3::zeros, |f| reach[0] * f.x + reach[1] * f.y);
                control.push(Point3::from(x - moved));
            }
            if keeps {
                control.push(last + reach[1]);
            }
            control.push(last);
            control
        };
        Some(solved.iter().enumerate().map(one).collect())
    }

    /// How far the control points beside the ends lie out along the tangents, by least squares; never backwards. Round a ring
    /// as far on either side of its seam.
    fn arm_lengths(&self, arms: &[Vector3], left: &[Vec<Vector3>], count: usize) -> [f64; 2] {
        /// Share of an even spacing of control points that is the least.
        const LEAST: f64 = 0.02;
        let length: f64 = self.places.iter().map(|line| path(line)).sum();
        let speed: f64 = self.tangents.iter().map(|t| 0.5 * (t[0].norm() + t[1].norm())).sum();
        let least = LEAST * length / count as f64 / speed.max(f64::MIN_POSITIVE);
        let (mut square, mut right) = ([[0.0; 2]; 2], [0.0; 2]);
        for (left, tangents) in left.iter().zip(&self.tangents) {
            for (arm, left) in arms.iter().zip(left) {
                for i in 0..2 {
                    right[i] += arm[i] * left.dot(&tangents[i]);
                    for j in 0..2 {
                        square[i][j] += arm[i] * arm[j] * tangents[i].dot(&tangents[j]);
                    }
                }
            }
        }
        let together = square[0][0] + square[1][1] + square[0][1] + square[1][0];
        let determinant = square[0][0] * square[1][1] - square[0][1] * square[1][0];
        if self.ring || determinant <= 1e-12 * square[0][0] * square[1][1] {
            let both = (right[0] + right[1]) / together;
            return [if both.is_finite() { both.max(least) } else { least }; 2];
        }
        let alone = |k: usize, other: f64| {
            if square[k][k] > 0.0 { (right[k] - square[k][1 - k] * other) / square[k][k] } else { least }
        };
        let a = (right[0] * square[1][1] - right[1] * square[0][1]) / determinant;
        let b = (right[1] * square[0][0] - right[0] * square[1][0]) / determinant;
        match (a >= least, b >= least) {
            (true, true) => [a, b],
            (false, true) => [least, alone(1, least).max(least)],
            (true, false) => [alone(0, least).max(least), least],
            (false, false) => [least; 2],
        }
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

/// The way into a line of places at its start, or where it does not begin at once, to the first place off it.
pub(super) fn way_in(derivative: &Vector3, mut places: impl Iterator<Item = Point3>) -> Vector3 {
    let Some(first) = places.next() else { return Vector3::zeros() };
    if derivative.norm() > 1e-12 {
        return *derivative;
    }
    places.map(|p| p - first).find(|d| d.norm() > 1e-9).unwrap_or_else(Vector3::zeros)
}

/// The ways into lines at both ends; where they go round without a corner, the same at either end of each.
pub(super) fn ways_of(mut ways: Vec<[Vector3; 2]>, ring: bool) -> Vec<[Vector3; 2]> {
    if ring {
        ways.iter_mut().for_each(|w| w[1] = -w[0]);
    }
    ways
}

/// Whether lines whose ends are one place each go on there without a corner; those of no length do in any case.
pub(super) fn goes_round(places: &[Vec<Point3>], tangents: &[[Vector3; 2]]) -> bool {
    let size = places.iter().map(|line| path(line)).fold(0.0, f64::max);
    let meets = |line: &Vec<Point3>| (line[line.len() - 1] - line[0]).norm() <= 1e-9 * size;
    let smooth = |[a, b]: &[Vector3; 2]| a.norm_squared() == 0.0 || a.angle(&-b) < SMOOTH_SEAM;
    places.iter().all(meets) && tangents.iter().all(smooth)
}
