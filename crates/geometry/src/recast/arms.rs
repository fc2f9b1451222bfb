//! How lines leave their ends, and how far out the control points beside those lie when they are recast.

use nalgebra::{Matrix4, Vector4};

use crate::{KnotVector, Point3, Vector3};

/// Length of a derivative up to which a line stands still.
const STANDS: f64 = 1e-12;
/// Share of an even spacing of control points that the one next to an end is away from it at least.
pub(super) const LEAST_ARM: f64 = 0.02;

/// How a line leaves an end: its derivatives there by one parameter that runs into it, whose scale does not count.
#[derive(Clone, Copy)]
pub(super) struct Way {
    pub(super) tangent: Vector3,
    /// Second derivative; counts only where curvature is kept.
    pub(super) bend: Vector3,
    /// Whether the line stands still there, so that its derivative tells no direction.
    pub(super) stands: bool,
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

/// Where control points beside the ends lie, seen from those, for both ends: the next one `out` tangents away, the one after it
/// `along` tangents away and `bend` times the square of `out` second derivatives.
#[derive(Clone, Copy)]
pub(super) struct Arms {
    out: [f64; 2],
    along: [f64; 2],
    bend: [f64; 2],
}

impl Arms {
    /// From an end to the control point that is so many away from it.
    pub(super) fn reach(&self, away: usize, end: usize, way: &Way) -> Vector3 {
        match away {
            0 => Vector3::zeros(),
            1 => way.tangent * self.out[end],
            _ => way.tangent * self.along[end] + way.bend * (self.bend[end] * self.out[end].powi(2)),
        }
    }

    /// As far out along the tangents as is best; never backwards. Round a ring as far on either side of its seam.
    pub(super) fn of_tangents(moments: &Moments, ways: &[[Way; 2]], ring: bool, least: f64) -> Self {
        let of = |out: [f64; 2]| Self { out, along: [0.0; 2], bend: [0.0; 2] };
        let (mut square, mut right) = ([[0.0; 2]; 2], [0.0; 2]);
        for (with, ways) in moments.with.iter().zip(ways) {
            for i in 0..2 {
                right[i] += with[i].dot(&ways[i].tangent);
                for j in 0..2 {
                    square[i][j] += moments.square[i][j] * ways[i].tangent.dot(&ways[j].tangent);
                }
            }
        }
        let together = square[0][0] + square[1][1] + square[0][1] + square[1][0];
        let determinant = square[0][0] * square[1][1] - square[0][1] * square[1][0];
        if ring || determinant <= 1e-12 * square[0][0] * square[1][1] {
            let both = (right[0] + right[1]) / together;
            return of([if both.is_finite() { both.max(least) } else { least }; 2]);
        }
        let alone = |k: usize, other: f64| {
            if square[k][k] > 0.0 { (right[k] - square[k][1 - k] * other) / square[k][k] } else { least }
        };
        let a = (right[0] * square[1][1] - right[1] * square[0][1]) / determinant;
        let b = (right[1] * square[0][0] - right[0] * square[1][0]) / determinant;
        of(match (a >= least, b >= least) {
            (true, true) => [a, b],
            (false, true) => [least, alone(1, least).max(least)],
            (true, false) => [alone(0, least).max(least), least],
            (false, false) => [least; 2],
        })
    }

    /// The same where curvature is kept: how far out the next control point lies counts by its square for the one after it.
    /// Damped Gauss-Newton steps (Levenberg, Quarterly of Applied Mathematics 2, 1944, and Marquardt's scaling).
    pub(super) fn of_curvature(
        moments: &Moments,
        ways: &[[Way; 2]],
        knots: &KnotVector,
        [scale, least]: [f64; 2],
    ) -> Self {
        const STEPS: usize = 60;
        let k = knots.knots();
        let (p, last) = (knots.degree(), k.len() - 1);
        let bend = [
            bend_share(p, k[p + 1] - k[1], k[p + 2] - k[2]),
            bend_share(p, k[last - 1] - k[last - 1 - p], k[last - 2] - k[last - 2 - p]),
        ];
        let greville = knots.greville();
        let n = greville.len();
        let mut arms = Self {
            out: [greville[1] * scale, (1.0 - greville[n - 2]) * scale].map(|a| a.max(least)),
            along: [greville[2] * scale, (1.0 - greville[n - 3]) * scale],
            bend,
        };
        let mut energy = moments.energy(ways, &arms);
        let mut damping = 1e-3;
        for _ in 0..STEPS {
            let (slope, square) = moments.slopes(ways, &arms);
            let mut damped = square;
            for i in 0..4 {
                damped[(i, i)] += damping * square[(i, i)] + if square[(i, i)] > 0.0 { 0.0 } else { 1.0 };
            }
            let Some(step) = damped.lu().solve(&slope) else { break };
            let next = Self {
                out: [0, 1].map(|e| (arms.out[e] - step[e]).max(least)),
                along: [0, 1].map(|e| arms.along[e] - step[2 + e]),
                bend,
            };
            let found = moments.energy(ways, &next);
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
}

/// What is left of control points beside the ends when the inner ones follow them: with one another, and with what is left of
/// each line's places. Both ends of those that are next to the ends come first.
pub(super) struct Moments {
    square: Vec<Vec<f64>>,
    with: Vec<Vec<Vector3>>,
}

impl Moments {
    pub(super) fn of(left: &[Vec<Vector3>], values: &[Vec<Vector3>]) -> Self {
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
