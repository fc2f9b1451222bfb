//! A network that goes on to the ends of its curves, where no curve of the other family stands.

use geometry::{EndDerivatives, NurbsCurve, Point3, Tolerance, fit_function, interpolate};

use super::{SHARE_OF_FIT, Thread, with_slope};
use crate::SurfacingError;

/// Adds to a family a curve along the ends of the other one, at its beginning and at its end, wherever those all reach beyond
/// the outermost curve: shaped as that is, and led through the ends; a point, where all of them end in one. The crossings of both families then count it too.
pub(super) fn with_ends(
    family: &mut Vec<Thread>,
    others: &mut [Thread],
    tolerance: &Tolerance,
) -> Result<(), SurfacingError> {
    for last in [false, true] {
        let ends: Vec<Point3> =
            others.iter().map(|t| if last { t.curve.end() } else { t.curve.start() }).collect();
        let outermost = &family[if last { family.len() - 1 } else { 0 }];
        let beyond = outermost
            .crossings
            .iter()
            .zip(&ends)
            .all(|(t, end)| (outermost.curve.point(*t) - end).norm() > tolerance.join);
        if !beyond {
            continue;
        }
        let pole = ends.iter().all(|end| (end - ends[0]).norm() <= tolerance.join);
        let added = if pole {
            let crossings = outermost.crossings.clone();
            Thread { curve: NurbsCurve::line(ends[0], ends[0]), crossings, number: None, pole }
        } else {
            along_ends(outermost, &ends, tolerance)?
        };
        let place = |t: &Thread| if last { t.curve.domain().end } else { t.curve.domain().start };
        for other in others.iter_mut() {
            let at = place(other);
            let index = if last { other.crossings.len() } else { 0 };
            other.crossings.insert(index, at);
        }
        family.insert(if last { family.len() } else { 0 }, added);
    }
    Ok(())
}

/// A curve shaped as another one is, through these places where that crosses the others.
fn along_ends(shape: &Thread, ends: &[Point3], tolerance: &Tolerance) -> Result<Thread, SurfacingError> {
    let shifts: Vec<Point3> =
        shape.crossings.iter().zip(ends).map(|(t, end)| Point3::from(end - shape.curve.point(*t))).collect();
    let shift = interpolate(&shifts, &shape.crossings, 3.min(ends.len() - 1), &EndDerivatives::free())?;
    // Beyond the outermost crossings it shifts on as it does there.
    let place = |t: f64| {
        let within = shift.domain().clamp(t);
        shape.curve.point(t) + shift.point(within).coords + shift.velocity(within) * (t - within)
    };
    let at = |t: f64| Ok::<_, SurfacingError>(with_slope(place, t));
    let fitted = fit_function(at, &shape.curve.knots().breaks(), SHARE_OF_FIT * tolerance.fit)?;
    Ok(Thread { curve: fitted.curve, crossings: shape.crossings.clone(), number: None, pole: false })
}
