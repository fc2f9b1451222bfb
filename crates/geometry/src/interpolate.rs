//! Curves through points (chapter 9).

use crate::banded::Banded;
use crate::{GeometryError, Homogeneous, KnotVector, NurbsCurve, Point3, Vector3};

/// Parameters in `[0, 1]` in proportion to the chords between the points (equation 9.5).
#[must_use]
pub fn chord_parameters(points: &[Point3]) -> Vec<f64> {
    parameters(points, |d| d)
}

/// Parameters in `[0, 1]` in proportion to the square roots of the chords (equation 9.6).
#[must_use]
pub fn centripetal_parameters(points: &[Point3]) -> Vec<f64> {
    parameters(points, f64::sqrt)
}

fn parameters(points: &[Point3], measure: impl Fn(f64) -> f64) -> Vec<f64> {
    let steps: Vec<f64> = points.windows(2).map(|p| measure((p[1] - p[0]).norm())).collect();
    let total: f64 = steps.iter().sum();
    let mut sum = 0.0;
    let mut out = vec![0.0];
    out.extend(steps.iter().map(|s| {
        sum += s;
        sum / total
    }));
    if let Some(last) = out.last_mut() {
        *last = 1.0;
    }
    out
}

/// Refuses fewer than two points, numbers that are not finite, and neighbours nearer than `resolution`.
pub(crate) fn check_points(points: &[Point3], resolution: f64) -> Result<(), GeometryError> {
    if let Some(bad) = points.iter().position(|p| !p.iter().all(|c| c.is_finite())) {
        return Err(GeometryError::BadNumber(bad));
    }
    if points.len() < 2 {
        return Err(GeometryError::TooFewPoints { given: points.len(), needed: 2 });
    }
    if let Some(i) = points.windows(2).position(|p| (p[1] - p[0]).norm() <= resolution) {
        return Err(GeometryError::RepeatedPoint { first: i, second: i + 1, at: points[i].into() });
    }
    Ok(())
}

/// The smooth curve of degree 3 through all points, chord-length parameters, knots by averaging; two points give
/// the straight line, three a parabola.
///
/// # Errors
/// `TooFewPoints`, `RepeatedPoint` for neighbours nearer than `resolution`, `BadNumber`.
///
/// # References
/// Section 9.2.1, algorithm A9.1.
pub fn through_points(points: &[Point3], resolution: f64) -> Result<NurbsCurve, GeometryError> {
    check_points(points, resolution)?;
    interpolate(points, &chord_parameters(points), points.len().min(4) - 1, None)
}

/// The spline of `degree` that is at each point at its parameter, with given end derivatives if any.
///
/// Parameters must rise strictly. With end derivatives there are two more control points than points.
///
/// # Errors
/// `TooFewPoints`, `KnotOrder` for parameters that do not rise, `BadNumber`.
///
/// # References
/// Sections 9.2.1 and 9.2.2; the system is banded and totally positive, so that elimination needs no pivots
/// (de Boor, A Practical Guide to Splines, chapter XIII).
pub fn interpolate(
    points: &[Point3],
    parameters: &[f64],
    degree: usize,
    end_derivatives: Option<[Vector3; 2]>,
) -> Result<NurbsCurve, GeometryError> {
    let extra = if end_derivatives.is_some() { 2 } else { 0 };
    let count = points.len() + extra;
    if points.len() < 2 || count <= degree || parameters.len() != points.len() {
        return Err(GeometryError::TooFewPoints {
            given: points.len(),
            needed: degree + 1 - extra.min(degree),
        });
    }
    if let Some(i) = parameters.windows(2).position(|t| t[1] <= t[0] || t[1].is_nan() || t[0].is_nan()) {
        return Err(GeometryError::KnotOrder(i + 1));
    }
    let last = points.len() - 1;
    let (t0, t1) = (parameters[0], parameters[last]);
    let mut knots = vec![t0; degree + 1];
    // Equation 9.8, and 9.22 when end derivatives are prescribed.
    let inner = count - degree - 1;
    for j in 1..=inner {
        let first = if extra == 0 { j } else { j - 1 };
        let window = &parameters[first..(first + degree).min(last + 1)];
        knots.push(window.iter().sum::<f64>() / window.len() as f64);
    }
    knots.extend(std::iter::repeat_n(t1, degree + 1));
    let knots = KnotVector::try_new(degree, knots)?;

    // The end derivatives' rows stand second and second to last, which keeps the system banded.
    let mut system = Banded::new(count, degree + 1);
    let mut rows = Vec::with_capacity(count);
    rows.extend(points.iter().zip(parameters).map(|(p, &t)| (t, 0, p.coords)));
    if let Some([first, second]) = end_derivatives {
        rows.insert(1, (t0, 1, first));
        rows.insert(rows.len() - 1, (t1, 1, second));
    }
    for (row, (t, order, value)) in rows.into_iter().enumerate() {
        let span = knots.span(t);
        let basis = knots.basis_derivatives(span, t)[order];
        system.set(row, span - degree, &basis[..=degree], value);
    }
    let solved = system.solve().ok_or(GeometryError::NoDirection { at: points[0].into() })?;
    let homogeneous = solved.into_iter().map(|p| Homogeneous::new(p.x, p.y, p.z, 1.0)).collect();
    NurbsCurve::from_homogeneous(knots, homogeneous)
}
