//! Offsets of plane curves.
//!
//! Lines and circular arcs are exact. Everything else is interpolated at the curve's own parameters with exact end
//! tangents, and refined where it misses (section 9.2.2 for the interpolation; Farouki & Neff, Analytic properties
//! of plane offset curves, CAGD 7, 1990, for the derivative `C' (1 - kappa d)`).

use crate::{
    Fitted, GeometryError, NurbsCurve, Point3, Vector3, as_line, as_plane_arc, check_work, circle_arc,
    fit_function,
};

const BEND_SAMPLES_PER_SPAN: usize = 24;

/// Signed curvature about `normal`, positive where the curve turns left.
pub(crate) fn signed_curvature(curve: &NurbsCurve, normal: &Vector3, t: f64) -> f64 {
    let (_, [d1, d2, _]) = curve.derivatives(t);
    let speed = d1.norm();
    if speed < 1e-12 { 0.0 } else { d1.cross(&d2).dot(normal) / speed.powi(3) }
}

/// Parameter and radius of the tightest bend toward one side (`left` of the direction of travel, seen against
/// `normal`); `None` when the curve nowhere bends that way.
#[must_use]
pub fn tightest_bend(curve: &NurbsCurve, normal: &Vector3, left: bool) -> Option<(f64, f64)> {
    check_work();
    let sign = if left { 1.0 } else { -1.0 };
    sharpest(curve, |t| sign * signed_curvature(curve, normal, t))
}

/// Parameter and radius of the tightest bend of a curve in space; `None` for a straight one.
#[must_use]
pub fn smallest_radius(curve: &NurbsCurve) -> Option<(f64, f64)> {
    sharpest(curve, |t| curve.curvature(t))
}

/// Where a bend, in 1/mm, is largest, and its radius: samples on every span, then the best one's surroundings searched.
fn sharpest(curve: &NurbsCurve, bend: impl Fn(f64) -> f64) -> Option<(f64, f64)> {
    let breaks = curve.knots().breaks();
    let mut best = (breaks[0], bend(breaks[0]), 0.0);
    for pair in breaks.windows(2) {
        let step = (pair[1] - pair[0]) / BEND_SAMPLES_PER_SPAN as f64;
        for k in 0..=BEND_SAMPLES_PER_SPAN {
            // Kept off the span's very ends, where a curve of degree 2 has two curvatures.
            let t = (pair[0] + step * k as f64).clamp(pair[0] + step * 1e-6, pair[1] - step * 1e-6);
            let b = bend(t);
            if b > best.1 {
                best = (t, b, step);
            }
        }
    }
    let (mut low, mut high) = (curve.domain().clamp(best.0 - best.2), curve.domain().clamp(best.0 + best.2));
    for _ in 0..60 {
        let (a, b) = (low + (high - low) * 0.382, low + (high - low) * 0.618);
        if bend(a) > bend(b) { high = b } else { low = a }
    }
    let t = 0.5 * (low + high);
    let (t, value) = if bend(t) > best.1 { (t, bend(t)) } else { (best.0, best.1) };
    (value > 1e-12).then(|| (t, 1.0 / value))
}

/// The curve at `distance` mm to the left of a plane curve (to the right for a negative distance), seen against the
/// plane's unit `normal`. It keeps the source's parameters.
///
/// # Tolerance
/// Bounds the distance to the true offset at three places between any two interpolated points, in millimetres; not
/// a rigorous guarantee. Points needed grow as `tolerance ^ (-1/4)`.
///
/// # Errors
/// `OffsetFolds` where the curve bends toward that side with a radius not larger than the distance; `NoDirection`
/// where it stands still.
pub fn offset_in_plane(
    curve: &NurbsCurve,
    normal: &Vector3,
    distance: f64,
    tolerance: f64,
) -> Result<Fitted, GeometryError> {
    check_work();
    let exact = |curve| Fitted { curve, max_deviation: 0.0, converged: true };
    if distance == 0.0 {
        return Ok(exact(curve.clone()));
    }
    if let Some((start, end)) = as_line(curve, 1e-12 * (1.0 + (curve.end() - curve.start()).norm())) {
        let shift = normal.cross(&(end - start).normalize()) * distance;
        return Ok(exact(curve.mapped(|p| p + shift)));
    }
    if let Some((t, radius)) = tightest_bend(curve, normal, distance > 0.0)
        && radius <= distance.abs()
    {
        return Err(GeometryError::OffsetFolds {
            at: curve.point(t).into(),
            radius,
            distance: distance.abs(),
        });
    }
    if let Some((frame, radius, sweep)) = as_plane_arc(curve, 1e-10 * (1.0 + curve.start().coords.norm())) {
        // A left turn (frame z along the normal) has its centre on the left, so that the left offset is smaller.
        let new_radius = radius - distance * frame.z.dot(normal).signum();
        let arc = circle_arc(&frame, new_radius, 0.0, sweep)?;
        if arc.knots().point_count() == curve.knots().point_count() {
            let centre = frame.origin;
            return Ok(exact(curve.mapped(|p| centre + (p - centre) * (new_radius / radius))));
        }
        return Ok(exact(arc));
    }
    let offset = |t: f64| -> Result<(Point3, Vector3), GeometryError> {
        let (p, d1) = curve.moving(t);
        let tangent = curve.tangent(t).ok_or(GeometryError::NoDirection { at: p.into() })?;
        let kappa = signed_curvature(curve, normal, t);
        Ok((p + normal.cross(&tangent) * distance, d1 * (1.0 - kappa * distance)))
    };
    fit_function(offset, &curve.knots().breaks(), tolerance)
}
