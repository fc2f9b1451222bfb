//! Curves and surfaces recast to a number of control points: least squares in which the places of the source move along
//! the new curve to where they lie nearest to it (Hoschek, Intrinsic parametrization for approximation, CAGD 5, 1988), its
//! ends and the directions in which it leaves them kept, and over the seam of a closed one curvature continuous.

mod growing;
mod least_squares;
mod surface;

pub use surface::{recast_surface, recast_surface_along, recast_surfaces};

use self::least_squares::{Lines, goes_round, way_in, ways_of};
use crate::{Fitted, GeometryError, MAX_DEGREE, NurbsCurve, Point3, check_work};

/// Places of the source for each control point of the recast one, and at least for each of its own spans.
const PLACES_PER_POINT: usize = 8;
const LEAST_PLACES_PER_SPAN: usize = 8;
/// As many for all counts up to a limit, so that their deviations compare.
const LEAST_PLACES: usize = 480;

fn check_form(degree: usize, count: usize) -> Result<(), GeometryError> {
    check_work();
    if !(1..=MAX_DEGREE).contains(&degree) {
        return Err(GeometryError::Degree(degree));
    }
    if count <= degree {
        return Err(GeometryError::TooFewPoints { given: count, needed: degree + 1 });
    }
    Ok(())
}

/// The curve in a form that holds it exactly, where it is none of more control points.
fn in_form(curve: &NurbsCurve, degree: usize, count: usize) -> Option<NurbsCurve> {
    if curve.is_rational() || curve.degree() > degree {
        return None;
    }
    let mut out = curve.elevated_to(degree).ok()?;
    if out.knots().point_count() > count {
        return None;
    }
    while out.knots().point_count() < count {
        out = out.with_knot(out.knots().middle_of_widest_span());
    }
    Some(out)
}

/// A curve recast to a number of control points and a degree, with the deviation that it costs: ends and end tangents are
/// kept where it has four control points or more, a closed one that is smooth over its seam stays so. Exact where the curve
/// has such a form; more control points never deviate more.
///
/// # Errors
/// `Degree`; `TooFewPoints` when there are fewer points than the degree needs; `NoDirection` for a curve of no length.
///
/// # References
/// Section 9.4.1; Hoschek, CAGD 5 (1988), for the parameters.
pub fn recast(curve: &NurbsCurve, degree: usize, count: usize) -> Result<Fitted, GeometryError> {
    check_form(degree, count)?;
    if let Some(curve) = in_form(curve, degree, count) {
        return Ok(Fitted { curve, max_deviation: 0.0, converged: true });
    }
    let spans = curve.knots().breaks().len() - 1;
    let per_span = (PLACES_PER_POINT * count).max(LEAST_PLACES).div_ceil(spans).max(LEAST_PLACES_PER_SPAN);
    let mut places: Vec<Point3> = curve.knots().sampled(per_span).iter().map(|&t| curve.point(t)).collect();
    places.dedup_by(|b, a| (*b - *a).norm() < 1e-12);
    let d = curve.domain();
    let tangents = [
        way_in(&curve.derivatives(d.start).1[0], places.iter().copied()),
        way_in(&-curve.derivatives(d.end).1[0], places.iter().rev().copied()),
    ];
    let ring = goes_round(std::slice::from_ref(&places), &[tangents]);
    let fit = Lines { places: vec![places], tangents: ways_of(vec![tangents], ring), ring, seen: Vec::new() }
        .recast(degree, count)?;
    let max_deviation = fit.worst();
    let mut curves = fit.curves()?;
    let curve = curves.pop().ok_or(GeometryError::TooFewPoints { given: 0, needed: count })?;
    Ok(Fitted { curve, max_deviation, converged: true })
}
