//! Control points of least squares for curves that are recast together.

use nalgebra::{DMatrix, Dyn, Matrix4, Vector4};

use crate::banded::Banded;
use crate::knot_vector::ORDER;
use crate::{Homogeneous, KnotVector, NurbsCurve, Point3, Vector3, check_work};

/// Lines of a surface looked at in each span across, while places move along.
const SEEN_PER_SPAN: usize = 3;
/// Angle in radians within which a closed curve is smooth over its seam.
const SMOOTH_SEAM: f64 = 3.5e-3;
/// Length of a derivative up to which a line stands still.
const STANDS: f64 = 1e-12;
/// Share of an even spacing of control points that the one next to an end is away from it at least.
const LEAST_ARM: f64 = 0.02;
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

/// How a line leaves an end: its derivatives there by one parameter that runs into it, whose scale does not count.
#[derive(Clone, Copy)]
pub(super) struct Way {
    pub(super) tangent: Vector3,
    /// Second derivative; counts only where curvature is kept.
    pub(super) bend: Vector3,
    /// Whether the line stands still there, so that its derivative tells no direction.
    pub(super) stands: bool,
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

/// Where control points beside the ends lie, seen from those, for both ends: the next one `out` tangents away, the one after it
/// `along` tangents away and `bend` times the square of `out` second derivatives.
#[derive(Clone, Copy)]
struct Arms {
    out: [f64; 2],
    along: [f64; 2],
    bend: [f64; 2],
}

impl Arms {
    /// From an end to the control point that is so many away from it.
    fn reach(&self, away: usize, end: usize, way: &Way) -> Vector3 {
        match away {
            0 => Vector3::zeros(),
            1 => way.tangent * self.out[end],
            _ => way.tangent * self.along[end] + way.bend * (self.bend[end] * self.out[end].powi(2)),
        }
    }
}

/// What is left of control points beside the ends when the inner ones follow them: with one another, and with what is left of
/// each line's places. Both ends of those that are next to the ends come first.
struct Moments {
    square: Vec<Vec<f64>>,
    with: Vec<Vec<Vector3>>,
}

impl Moments {
    fn of(left: &[Vec<Vector3>], values: &[Vec<Vector3>]) -> Self {
        let columns: Vec<Vec<f64>> =
            left.iter().flat_map(|l| [0, 1].map(|end| l.iter().map(|x| x[end]).collect())).collect();
        let dot = |a: &Vec<f64>, b: &Vec<f64>| a.iter().zip(b).map(|(a, b)| a * b).sum();
        let square = columns.iter().map(|a| columns.iter().map(|b| dot(a, b)).collect()).collect();
        let one = |values: &Vec<Vector3>| {
            columns.iter().map(|c| c.iter().zip(values).map(|(c, v)| v * *c).sum()).collect()
        };
        Self { square, with: values.iter().map(one).collect() }
    }

    /// Sum of squared misses, but for what does not depend on the arms.
    fn energy(&self, ways: &[[Way; 2]], arms: &Arms) -> f64 {
        let one = |(ways, with): (&[Way; 2], &Vec<Vector3>)| {
            let reach: [Vector3; 4] = std::array::from_fn(|i| arms.reach(1 + i / 2, i % 2, &ways[i % 2]));
            let pull = |i: usize| (0..4).map(|j| reach[j] * self.square[i][j]).sum::<Vector3>();
            (0..4).map(|i| reach[i].dot(&(pull(i) - with[i] * 2.0))).sum::<f64>()
        };
        ways.iter().zip(&self.with).map(one).sum()
    }

    /// Half its slopes by the arms, out at both ends and then along, and half its second ones where misses are small.
    fn slopes(&self, ways: &[[Way; 2]], arms: &Arms) -> (Vector4<f64>, Matrix4<f64>) {
        let (mut slope, mut square) = (Vector4::zeros(), Matrix4::zeros());
        for (ways, with) in ways.iter().zip(&self.with) {
            let reach: [Vector3; 4] = std::array::from_fn(|i| arms.reach(1 + i / 2, i % 2, &ways[i % 2]));
            // How far each control point moves for each arm.
            let moves = |i: usize, arm: usize| {
                let (end, way) = (i % 2, &ways[i % 2]);
                match (arm % 2 == end, i / 2, arm / 2) {
                    (true, 0, 0) | (true, 1, 1) => way.tangent,
                    (true, 1, 0) => way.bend * (2.0 * arms.bend[end] * arms.out[end]),
                    _ => Vector3::zeros(),
                }
            };
            for i in 0..4 {
                let miss = (0..4).map(|j| reach[j] * self.square[i][j]).sum::<Vector3>() - with[i];
                for a in 0..4 {
                    let by_a = moves(i, a);
                    slope[a] += by_a.dot(&miss);
                    for j in 0..4 {
                        for b in 0..4 {
                            square[(a, b)] += by_a.dot(&moves(j, b)) * self.square[i][j];
                        }
                    }
                }
            }
        }
        (slope, square)
    }
}

/// Second derivatives that the third control point lies off for the square of the second one's arm, from the first and second
/// derivatives at the end of a clamped spline (equations 3.6 and 3.7): `next` from its own knots, `after` from those of the one
/// after it.
fn bend_share(degree: usize, next: f64, after: f64) -> f64 {
    degree as f64 * after / ((degree - 1) as f64 * next)
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
        let least = LEAST_ARM * scale / count as f64;
        if self.held(knots) == 2 {
            return Arms { out: self.arms_of_tangents(moments, least), along: [0.0; 2], bend: [0.0; 2] };
        }
        self.arms_of_curvature(moments, knots, scale, least)
    }

    /// As far out along the tangents as is best; never backwards. Round a ring as far on either side of its seam.
    fn arms_of_tangents(&self, moments: &Moments, least: f64) -> [f64; 2] {
        let (mut square, mut right) = ([[0.0; 2]; 2], [0.0; 2]);
        for (with, ways) in moments.with.iter().zip(&self.ways) {
            for i in 0..2 {
                right[i] += with[i].dot(&ways[i].tangent);
                for j in 0..2 {
                    square[i][j] += moments.square[i][j] * ways[i].tangent.dot(&ways[j].tangent);
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

    /// The same where curvature is kept: how far out the next control point lies counts by its square for the one after it.
    /// Damped Gauss-Newton steps (Levenberg, Quarterly of Applied Mathematics 2, 1944, and Marquardt's scaling).
    fn arms_of_curvature(&self, moments: &Moments, knots: &KnotVector, scale: f64, least: f64) -> Arms {
        const STEPS: usize = 60;
        let k = knots.knots();
        let (p, last) = (knots.degree(), k.len() - 1);
        let bend = [
            bend_share(p, k[p + 1] - k[1], k[p + 2] - k[2]),
            bend_share(p, k[last - 1] - k[last - 1 - p], k[last - 2] - k[last - 2 - p]),
        ];
        let greville = knots.greville();
        let n = greville.len();
        let mut arms = Arms {
            out: [greville[1] * scale, (1.0 - greville[n - 2]) * scale].map(|a| a.max(least)),
            along: [greville[2] * scale, (1.0 - greville[n - 3]) * scale],
            bend,
        };
        let mut energy = moments.energy(&self.ways, &arms);
        let mut damping = 1e-3;
        for _ in 0..STEPS {
            let (slope, square) = moments.slopes(&self.ways, &arms);
            let mut damped = square;
            for i in 0..4 {
                damped[(i, i)] += damping * square[(i, i)] + if square[(i, i)] > 0.0 { 0.0 } else { 1.0 };
            }
            let Some(step) = damped.lu().solve(&slope) else { break };
            let next = Arms {
                out: [0, 1].map(|e| (arms.out[e] - step[e]).max(least)),
                along: [0, 1].map(|e| arms.along[e] - step[2 + e]),
                bend,
            };
            let found = moments.energy(&self.ways, &next);
            if found < energy {
                let small = step.amax() <= 1e-12 * scale;
                (arms, energy, damping) = (next, found, damping * 0.1);
                if small {
                    break;
                }
            } else if damping > 1e6 {
                break;
            } else {
                damping *= 10.0;
            }
        }
        arms
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

/// The way into a line of places at its start, to the first one off it.
fn first_way(mut places: impl Iterator<Item = Point3>) -> Vector3 {
    let Some(first) = places.next() else { return Vector3::zeros() };
    places.map(|p| p - first).find(|d| d.norm() > 1e-9).unwrap_or_else(Vector3::zeros)
}

impl Way {
    /// The way into a line at its start, with its first and second derivative there; where it stands still, to its first place
    /// off the start.
    fn new([d1, d2]: [Vector3; 2], places: impl Iterator<Item = Point3>) -> Self {
        if d1.norm() > STANDS {
            return Self { tangent: d1, bend: d2, stands: false };
        }
        let tangent = first_way(places);
        Self { tangent, bend: d2, stands: tangent.norm_squared() > 0.0 }
    }

    /// The ways into a line at both its ends, with its derivatives there.
    pub(super) fn both(start: [Vector3; 2], end: [Vector3; 2], line: &[Point3]) -> [Self; 2] {
        let places = || line.iter().copied();
        [Self::new(start, places()), Self::new([-end[0], end[1]], places().rev())]
    }
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
