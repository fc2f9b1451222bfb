//! Curves fitted to a function or to points (sections 9.2.2 and 9.4.1).

use crate::banded::Banded;
use crate::interpolate::check_points;
use crate::{
    EndDerivatives, GeometryError, Homogeneous, KnotVector, MAX_DEGREE, NurbsCurve, Point3, Vector3,
    check_work, chord_parameters, flatten, interpolate,
};

const FIRST_SAMPLES_PER_SPAN: usize = 4;
const MAX_ROUNDS: usize = 12;
/// Share of the tolerance from which an interval is refined while any misses it: a spline whose spacing changes abruptly
/// follows worse there, so that refining only what misses need not come to an end.
const REFINED_FROM: f64 = 0.25;
/// Rounds in which the points' parameters are brought to their feet on the curve (Hoschek, CAGD 5, 1988).
const CORRECTIONS: usize = 6;

/// A fitted curve with what the fit reached.
#[derive(Debug, Clone, PartialEq)]
pub struct Fitted {
    /// The curve.
    pub curve: NurbsCurve,
    /// Largest distance from what was to be fitted that was measured, in millimetres.
    pub max_deviation: f64,
    /// Whether that is within the tolerance asked for.
    pub converged: bool,
}

/// The cubic that follows a function given with its derivative, refined where it misses. It keeps the function's
/// parameters.
///
/// # Tolerance
/// Bounds the distance at three places between any two interpolated points, in millimetres; not a rigorous
/// guarantee. Points needed grow as `tolerance ^ (-1/4)`.
///
/// # Errors
/// Whatever the function gives.
pub fn fit_function<E: From<GeometryError>>(
    at: impl Fn(f64) -> Result<(Point3, Vector3), E>,
    breaks: &[f64],
    tolerance: f64,
) -> Result<Fitted, E> {
    check_work();
    let mut fitted = fit_functions(1, |_, t| at(t), breaks, tolerance)?;
    fitted.pop().ok_or(GeometryError::TooFewPoints { given: 0, needed: 1 }.into())
}

/// The cubics that follow `count` functions, each given with its derivative by its number, all with the same knots: they are
/// refined where any of them misses.
///
/// # Tolerance
/// As for [`fit_function`].
///
/// # Errors
/// Whatever the functions give.
pub fn fit_functions<E: From<GeometryError>>(
    count: usize,
    at: impl Fn(usize, f64) -> Result<(Point3, Vector3), E>,
    breaks: &[f64],
    tolerance: f64,
) -> Result<Vec<Fitted>, E> {
    check_work();
    let mut parameters = KnotVector::joined_pieces(1, breaks).sampled(FIRST_SAMPLES_PER_SPAN);
    let mut best: Option<(f64, Vec<Fitted>)> = None;
    for _ in 0..MAX_ROUNDS {
        let mut miss = vec![0.0_f64; parameters.len() - 1];
        let mut fits = Vec::with_capacity(count);
        for k in 0..count {
            let points = parameters.iter().map(|&t| Ok(at(k, t)?.0)).collect::<Result<Vec<_>, E>>()?;
            let ends = [at(k, parameters[0])?.1, at(k, parameters[parameters.len() - 1])?.1];
            let fit = interpolate(&points, &parameters, 3, &EndDerivatives::tangents(ends))?;
            let mut worst: f64 = 0.0;
            for (pair, miss) in parameters.windows(2).zip(&mut miss) {
                for f in [0.25, 0.5, 0.75] {
                    let t = pair[0] + (pair[1] - pair[0]) * f;
                    let off = (fit.point(t) - at(k, t)?.0).norm();
                    worst = worst.max(off);
                    *miss = miss.max(off);
                }
            }
            fits.push(Fitted { curve: fit, max_deviation: worst, converged: worst <= tolerance });
        }
        let worst = miss.iter().copied().fold(0.0, f64::max);
        if best.as_ref().is_none_or(|b| worst < b.0) {
            best = Some((worst, fits));
        }
        if worst <= tolerance {
            break;
        }
        let halves = parameters.windows(2).zip(&miss).flat_map(|(pair, miss)| {
            [(*miss > REFINED_FROM * tolerance).then_some(0.5 * (pair[0] + pair[1])), Some(pair[1])]
        });
        parameters = std::iter::once(parameters[0]).chain(halves.flatten()).collect();
    }
    Ok(best.ok_or(GeometryError::TooFewPoints { given: breaks.len(), needed: 2 })?.1)
}

/// The curve of least squares with `count` control points through the first and last of `points`.
pub(crate) fn least_squares(
    points: &[Point3],
    parameters: &[f64],
    degree: usize,
    count: usize,
) -> Result<NurbsCurve, GeometryError> {
    check_work();
    let m = points.len() - 1;
    let n = count - 1;
    let mut knots = vec![0.0; degree + 1];
    // Equations 9.68 and 9.69: every span holds parameters, so that the system has a solution.
    let d = (m + 1) as f64 / (n - degree + 1) as f64;
    for j in 1..=n - degree {
        let i = (j as f64 * d) as usize;
        let alpha = j as f64 * d - i as f64;
        knots.push((1.0 - alpha) * parameters[i - 1] + alpha * parameters[i]);
    }
    knots.extend(std::iter::repeat_n(1.0, degree + 1));
    least_squares_over(KnotVector::try_new(degree, knots)?, points, parameters)
}

/// The curve of least squares with given knots through the first and last of `points`; every span must hold parameters.
pub(crate) fn least_squares_over(
    knots: KnotVector,
    points: &[Point3],
    parameters: &[f64],
) -> Result<NurbsCurve, GeometryError> {
    check_work();
    let (degree, count) = (knots.degree(), knots.point_count());
    let (m, n) = (points.len() - 1, count - 1);
    let (first, last) = (points[0], points[m]);
    let inner = count - 2;
    let mut control = vec![first; count];
    control[n] = last;
    if inner > 0 {
        let mut system = Banded::new(inner, degree);
        for k in 1..m {
            let span = knots.span(parameters[k]);
            let basis = knots.basis(span, parameters[k]);
            let from = span - degree;
            let mut rest = points[k].coords;
            for j in 0..=degree {
                if from + j == 0 {
                    rest -= first.coords * basis[j];
                } else if from + j == n {
                    rest -= last.coords * basis[j];
                }
            }
            let is_inner = |j: usize| from + j > 0 && from + j < n;
            for a in (0..=degree).filter(|&a| is_inner(a)) {
                system.add_right(from + a - 1, rest * basis[a]);
                for b in (0..=degree).filter(|&b| is_inner(b)) {
                    system.add(from + a - 1, from + b - 1, basis[a] * basis[b]);
                }
            }
        }
        let solved = system.solve().ok_or(GeometryError::TooFewPoints { given: m + 1, needed: count })?;
        for (c, s) in control[1..n].iter_mut().zip(solved) {
            *c = Point3::from(s);
        }
    }
    let homogeneous = control.iter().map(|p| Homogeneous::new(p.x, p.y, p.z, 1.0)).collect();
    NurbsCurve::from_homogeneous(knots, homogeneous)
}

/// Least squares with the points' parameters brought to their feet between rounds; the best round counts.
fn corrected_fit(
    points: &[Point3],
    degree: usize,
    count: usize,
    good_enough: f64,
) -> Result<(NurbsCurve, f64), GeometryError> {
    let mut parameters = chord_parameters(points);
    let mut best: Option<(NurbsCurve, f64)> = None;
    for _ in 0..=CORRECTIONS {
        let curve = least_squares(points, &parameters, degree, count)?;
        let mut worst: f64 = 0.0;
        let mut feet = parameters.clone();
        for (k, p) in points.iter().enumerate() {
            let (c, [d1, d2, _]) = curve.derivatives(parameters[k]);
            let r = c - p;
            let bend = d1.norm_squared() + r.dot(&d2);
            let foot = if bend > 0.0 { parameters[k] - r.dot(&d1) / bend } else { parameters[k] };
            let foot = foot.clamp(0.0, 1.0);
            let moved = (curve.point(foot) - p).norm();
            let (foot, miss) = if moved < r.norm() { (foot, moved) } else { (parameters[k], r.norm()) };
            worst = worst.max(miss);
            feet[k] = foot;
        }
        let better = best.as_ref().is_none_or(|b| worst < b.1);
        if better {
            best = Some((curve, worst));
        }
        // Feet out of order would make the next system unsolvable.
        let last = feet.len() - 1;
        (feet[0], feet[last]) = (0.0, 1.0);
        if worst <= good_enough || !better || feet.windows(2).any(|w| w[1] <= w[0]) {
            break;
        }
        parameters = feet;
    }
    best.ok_or(GeometryError::TooFewPoints { given: points.len(), needed: count })
}

/// A curve of `degree` within `tolerance` of all points, through the first and the last, with about as few control
/// points as that takes: their number grows by halves until it fits, then shrinks by bisection.
///
/// # Tolerance
/// Bounds the distance of every point to the curve, in millimetres.
///
/// # Errors
/// `TooFewPoints`, `RepeatedPoint` for neighbours nearer than `resolution`, `BadNumber`, `Degree`.
pub fn fit_points(
    points: &[Point3],
    degree: usize,
    tolerance: f64,
    resolution: f64,
) -> Result<Fitted, GeometryError> {
    check_work();
    check_points(points, resolution)?;
    if !(1..=MAX_DEGREE).contains(&degree) {
        return Err(GeometryError::Degree(degree));
    }
    let most = points.len();
    if most <= degree {
        return Err(GeometryError::TooFewPoints { given: most, needed: degree + 1 });
    }
    let attempt = |count: usize| corrected_fit(points, degree, count, tolerance);
    let (mut low, mut high) = (degree, degree + 1);
    let mut found = attempt(high)?;
    while found.1 > tolerance && high < most {
        (low, high) = (high, (high + high / 2 + 1).min(most));
        found = attempt(high)?;
    }
    while found.1 <= tolerance && high - low > 1 {
        let middle = usize::midpoint(low, high);
        match attempt(middle) {
            Ok(fit) if fit.1 <= tolerance => (found, high) = (fit, middle),
            _ => low = middle,
        }
    }
    let (curve, max_deviation) = found;
    Ok(Fitted { curve, max_deviation, converged: max_deviation <= tolerance })
}

/// One curve within `tolerance` mm of curves that run end to end, corners rounded off.
///
/// # Errors
/// As [`fit_points`].
pub fn fit_chain(curves: &[NurbsCurve], tolerance: f64, resolution: f64) -> Result<Fitted, GeometryError> {
    check_work();
    let mut points: Vec<Point3> = curves.first().map(NurbsCurve::start).into_iter().collect();
    for curve in curves {
        for w in flatten(curve, tolerance * 0.1).windows(2) {
            points.extend((1..=4).map(|k| curve.point(w[0].0 + (w[1].0 - w[0].0) * f64::from(k) / 4.0)));
        }
    }
    points.dedup_by(|b, a| (*b - *a).norm() <= resolution);
    fit_points(&points, 3, tolerance, resolution)
}
