//! Curves and surfaces recast to a number of control points: least squares in which the places of the source move along
//! the new curve to where they lie nearest to it (Hoschek, Intrinsic parametrization for approximation, CAGD 5, 1988), its
//! ends and the directions in which it leaves them kept, its curvature there if asked, and over the seam of a closed one
//! curvature continuous.

mod arms;
mod growing;
mod least_squares;
mod surface;

pub use least_squares::EndsKept;
pub use surface::{recast_surface, recast_surface_along, recast_surfaces};

use self::arms::Way;
use self::least_squares::{Lines, goes_round, ways_of};
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
/// kept where it has four control points or more, curvature there if asked; a closed one that is smooth over its seam has no
/// ends and stays so. Exact where the curve has such a form; more control points never deviate more.
///
/// # Errors
/// `Degree`; `TooFewPoints` when there are fewer points than the degree needs; `NoCurvatureKept` when there are fewer than
/// curvature at both ends takes; `NoDirection` for a curve of no length, or one that begins or ends standing still where its
/// curvature is to be kept.
///
/// # References
/// Section 9.4.1; Hoschek, CAGD 5 (1988), for the parameters.
pub fn recast(
    curve: &NurbsCurve,
    degree: usize,
    count: usize,
    kept: EndsKept,
) -> Result<Fitted, GeometryError> {
    check_form(degree, count)?;
    if let Some(curve) = in_form(curve, degree, count) {
        return Ok(Fitted { curve, max_deviation: 0.0, converged: true });
    }
    let spans = curve.knots().breaks().len() - 1;
    let per_span = (PLACES_PER_POINT * count).max(LEAST_PLACES).div_ceil(spans).max(LEAST_PLACES_PER_SPAN);
    let mut places: Vec<Point3> = curve.knots().sampled(per_span).iter().map(|&t| curve.point(t)).collect();
    places.dedup_by(|b, a| (*b - *a).norm() < 1e-12);
    let ways = [curve.ways_in(&places)];
    let places = vec![places];
    let ring = goes_round(&places, &ways);
    let lines = Lines { places, ways: ways_of(ways.to_vec(), ring), ring, kept, seen: Vec::new() };
    let fit = lines.recast(degree, count)?;
    let max_deviation = fit.worst();
    let mut curves = fit.curves()?;
    let curve = curves.pop().ok_or(GeometryError::TooFewPoints { given: 0, needed: count })?;
    Ok(Fitted { curve, max_deviation, converged: true })
}

impl NurbsCurve {
    /// How the curve leaves its ends, of which places are known.
    fn ways_in(&self, places: &[Point3]) -> [Way; 2] {
        let d = self.domain();
        let [start, end] = [d.start, d.end].map(|t| self.derivatives(t).1);
        Way::both([start[0], start[1]], [end[0], end[1]], places)
    }
}
