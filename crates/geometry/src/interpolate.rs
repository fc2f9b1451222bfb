//! Curves through points (chapter 9).

use crate::banded::Banded;
use crate::{GeometryError, Homogeneous, KnotVector, NurbsCurve, Point3, Vector3, check_work};

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
    check_work();
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
    interpolate(points, &chord_parameters(points), points.len().min(4) - 1, &EndDerivatives::free())
}

/// Derivatives by the parameter that a curve must have at its ends, the first one first; at most two at each end.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct EndDerivatives {
    /// At its start.
    pub start: Vec<Vector3>,
    /// At its end.
    pub end: Vec<Vector3>,
}

impl EndDerivatives {
    /// None: both ends are free.
    #[must_use]
    pub fn free() -> Self {
        Self::default()
    }

    /// The first derivative at either end.
    #[must_use]
    pub fn tangents([start, end]: [Vector3; 2]) -> Self {
        Self { start: vec![start], end: vec![end] }
    }
}

/// The spline of `degree` that is at each point at its parameter, with the given derivatives at its ends.
///
/// Parameters must rise strictly. Each end derivative adds one control point.
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
    ends: &EndDerivatives,
) -> Result<NurbsCurve, GeometryError> {
    check_work();
    check_conditions(points, parameters, degree, ends)?;
    let extra = ends.start.len() + ends.end.len();
    let count = points.len() + extra;
    let last = points.len() - 1;
    let (t0, t1) = (parameters[0], parameters[last]);
    // Every condition counts as a parameter of its own: equation 9.8, and 9.22 with end derivatives.
    let mut places = vec![t0; ends.start.len()];
    places.extend(parameters);
    places.extend(vec![t1; ends.end.len()]);
    let inner = (1..count - degree).map(|j| places[j..j + degree].iter().sum::<f64>() / degree as f64);
    through(points, parameters, degree, inner, ends)
}

fn check_conditions(
    points: &[Point3],
    parameters: &[f64],
    degree: usize,
    ends: &EndDerivatives,
) -> Result<(), GeometryError> {
    let extra = ends.start.len() + ends.end.len();
    if points.len() < 2 || points.len() + extra <= degree || parameters.len() != points.len() {
        return Err(GeometryError::TooFewPoints {
            given: points.len(),
            needed: degree + 1 - extra.min(degree),
        });
    }
    match parameters.windows(2).position(|t| t[1] <= t[0] || t[1].is_nan() || t[0].is_nan()) {
        Some(i) => Err(GeometryError::KnotOrder(i + 1)),
        None => Ok(()),
    }
}

/// The spline with inner knots that meets the conditions, as many of them as it has control points.
fn through(
    points: &[Point3],
    parameters: &[f64],
    degree: usize,
    inner: impl Iterator<Item = f64>,
    ends: &EndDerivatives,
) -> Result<NurbsCurve, GeometryError> {
    let last = points.len() - 1;
    let (t0, t1) = (parameters[0], parameters[last]);
    let mut knots = vec![t0; degree + 1];
    knots.extend(inner);
    knots.extend(std::iter::repeat_n(t1, degree + 1));
    let knots = KnotVector::try_new(degree, knots)?;
    let count = knots.point_count();

    // The derivatives' rows stand next to those of the ends, which keeps the system banded.
    let mut rows: Vec<(f64, usize, Vector3)> = vec![(t0, 0, points[0].coords)];
    rows.extend(ends.start.iter().enumerate().map(|(k, d)| (t0, k + 1, *d)));
    rows.extend((1..last).map(|i| (parameters[i], 0, points[i].coords)));
    rows.extend(ends.end.iter().enumerate().rev().map(|(k, d)| (t1, k + 1, *d)));
    rows.push((t1, 0, points[last].coords));
    let mut system = Banded::new(count, degree + 1);
    for (row, (t, order, value)) in rows.into_iter().enumerate() {
        let span = knots.span(t);
        let basis = knots.basis_derivatives(span, t)[order];
        system.set(row, span - degree, &basis[..=degree], value);
    }
    let solved = system.solve().ok_or(GeometryError::NoDirection { at: points[0].into() })?;
    let homogeneous = solved.into_iter().map(|p| Homogeneous::new(p.x, p.y, p.z, 1.0)).collect();
    NurbsCurve::from_homogeneous(knots, homogeneous)
}

/// The smooth closed cubic through points, the last of which is the first again: with its knots at their parameters its second
/// derivative is continuous all round, wherever it begins.
///
/// # Errors
/// As [`interpolate`], and `NoDirection` where no such curve exists.
///
/// # References
/// de Boor, A Practical Guide to Splines, chapter IV: the periodic cubic spline interpolant.
pub fn interpolate_ring(points: &[Point3], parameters: &[f64]) -> Result<NurbsCurve, GeometryError> {
    round(points, |points, ends| {
        check_conditions(points, parameters, 3, ends)?;
        through(points, parameters, 3, parameters[1..points.len() - 1].iter().copied(), ends)
    })
}

/// The same with averaged knots, as [`interpolate`] sets them: where it begins counts. For curves that were made so.
///
/// # Errors
/// As [`interpolate_ring`].
pub fn interpolate_ring_averaged(points: &[Point3], parameters: &[f64]) -> Result<NurbsCurve, GeometryError> {
    round(points, |points, ends| interpolate(points, parameters, 3, ends))
}

/// A closed cubic of those that have a given derivative at both ends: the one whose second derivatives agree there too.
/// Interpolation is linear in it.
fn round(
    points: &[Point3],
    with: impl Fn(&[Point3], &EndDerivatives) -> Result<NurbsCurve, GeometryError>,
) -> Result<NurbsCurve, GeometryError> {
    check_work();
    let with =
        |points: &[Point3], derivative: Vector3| with(points, &EndDerivatives::tangents([derivative; 2]));
    let jump = |c: &NurbsCurve| {
        let d = c.domain();
        c.derivatives(d.end).1[1] - c.derivatives(d.start).1[1]
    };
    let by = jump(&with(&vec![Point3::origin(); points.len()], Vector3::x())?).x;
    if by.abs() < 1e-12 {
        return Err(GeometryError::NoDirection { at: points[0].into() });
    }
    let derivative = -jump(&with(points, Vector3::zeros())?) / by;
    with(points, derivative)
}

/// Coefficients of the spline with given knots that has given values at its Greville abscissae, one for each.
///
/// # Errors
/// `TooFewPoints` for another number of values, `NoDirection` where no such spline exists.
///
/// # References
/// de Boor, A Practical Guide to Splines, chapter XIII: the Greville abscissae meet the Schoenberg-Whitney conditions.
pub fn spline_of(knots: &KnotVector, values: &[Vector3]) -> Result<Vec<Vector3>, GeometryError> {
    check_work();
    let (count, degree) = (knots.point_count(), knots.degree());
    if values.len() != count {
        return Err(GeometryError::TooFewPoints { given: values.len(), needed: count });
    }
    let mut system = Banded::new(count, degree + 1);
    for (row, (t, value)) in knots.greville().into_iter().zip(values).enumerate() {
        let span = knots.span(t);
        let basis = knots.basis(span, t);
        system.set(row, span - degree, &basis[..=degree], *value);
    }
    system.solve().ok_or(GeometryError::NoDirection { at: [0.0; 3] })
}
