//! Corners of plane curves rounded by an arc or cut by a line.

use crate::offset::signed_curvature;
use crate::{
    Frame, GeometryError, NurbsCurve, Point3, Vector3, check_work, circle_arc, closest_on_curve, crossings,
    offset_in_plane,
};

const MAX_NEWTON_STEPS: usize = 30;
const FIT_HALVINGS: usize = 14;

/// A corner after it was treated: what is left of the two curves, and what joins them.
#[derive(Debug, Clone, PartialEq)]
pub struct Corner {
    /// The first curve up to where the joint begins.
    pub before: NurbsCurve,
    /// The arc or line between them.
    pub joint: NurbsCurve,
    /// The second curve from where the joint ends.
    pub after: NurbsCurve,
}

/// Rounds the corner between a curve and the one that begins where it ends, both in the plane with unit `normal`.
/// The arc touches both; its contacts are exact to rounding.
///
/// The centre is where the two offsets by `radius` cross; seeds come from fitted offsets, then Newton's method runs
/// on the true ones.
///
/// # Errors
/// `CornerTooTight` with the largest radius that fits; `NoCorner` where the curves do not meet or run on smoothly.
pub fn fillet(
    before: &NurbsCurve,
    after: &NurbsCurve,
    normal: &Vector3,
    radius: f64,
    join: f64,
) -> Result<Corner, GeometryError> {
    check_work();
    let corner = before.end();
    let turn = corner_turn(before, after, normal, join)?;
    if !(radius.is_finite() && radius > 0.0) {
        return Err(GeometryError::CornerTooTight { asked: radius, fits: 0.0, at: corner.into() });
    }
    if let Some(done) = try_fillet(before, after, normal, radius, turn) {
        return Ok(done);
    }
    let (mut fits, mut fails) = (0.0, radius);
    for _ in 0..FIT_HALVINGS {
        let middle = 0.5 * (fits + fails);
        if try_fillet(before, after, normal, middle, turn).is_some() { fits = middle } else { fails = middle }
    }
    Err(GeometryError::CornerTooTight { asked: radius, fits, at: corner.into() })
}

/// 1 for a left turn from `before` into `after`, -1 for a right turn.
fn corner_turn(
    before: &NurbsCurve,
    after: &NurbsCurve,
    normal: &Vector3,
    join: f64,
) -> Result<f64, GeometryError> {
    let at = before.end();
    let gap = (after.start() - at).norm();
    let tangents = before.tangent(before.domain().end).zip(after.tangent(after.domain().start));
    let Some((a, b)) = tangents.filter(|_| gap <= join) else {
        return Err(GeometryError::NoCorner { at: at.into() });
    };
    let turn = a.cross(&b).dot(normal);
    if turn.abs() < 1e-6 {
        return Err(GeometryError::NoCorner { at: at.into() });
    }
    Ok(turn.signum())
}

fn try_fillet(
    before: &NurbsCurve,
    after: &NurbsCurve,
    normal: &Vector3,
    radius: f64,
    turn: f64,
) -> Option<Corner> {
    let side = turn * radius;
    let frame = Frame::square_to(before.end(), *normal)?;
    let flat = |c: &NurbsCurve| {
        c.mapped(|p| {
            let q = frame.coordinates(p);
            Point3::new(q.x, q.y, 0.0)
        })
    };
    let (a, b) = (flat(before), flat(after));
    let rough = radius * 1e-3;
    let up = Vector3::z();
    let offsets = (
        offset_in_plane(&a, &up, side, rough).ok()?.curve,
        offset_in_plane(&b, &up, side, rough).ok()?.curve,
    );
    // Of several crossings the one nearest to the corner along both curves is the fillet that is meant.
    let found = crossings(&offsets.0, &offsets.1, radius * 0.01).into_iter().next_back()?;
    let by_offset = |curve: &NurbsCurve, source: &NurbsCurve, t: f64| {
        // An arc's offset may have other parameters than the arc.
        if curve.domain() == source.domain() && curve.knots() == source.knots() {
            t
        } else {
            closest_on_curve(source, &curve.point(t)).parameter
        }
    };
    let mut s = by_offset(&offsets.0, &a, found.first_parameter);
    let mut t = by_offset(&offsets.1, &b, found.second_parameter);
    let offset = |curve: &NurbsCurve, t: f64| {
        let (p, d) = curve.moving(t);
        let tangent = d.try_normalize(1e-14)?;
        Some((p + up.cross(&tangent) * side, d * (1.0 - signed_curvature(curve, &up, t) * side)))
    };
    for _ in 0..MAX_NEWTON_STEPS {
        let ((p, dp), (q, dq)) = (offset(&a, s)?, offset(&b, t)?);
        let miss = (q - p).xy();
        let det = dp.xy().perp(&dq.xy());
        if miss.norm() <= 1e-14 * radius || det == 0.0 {
            break;
        }
        s = a.domain().clamp(s + miss.perp(&dq.xy()) / det);
        t = b.domain().clamp(t + miss.perp(&dp.xy()) / det);
    }
    let ((p, _), (q, _)) = (offset(&a, s)?, offset(&b, t)?);
    if (p - q).norm() > 1e-9 * radius.max(1.0) {
        return None;
    }
    let centre = frame.to_space(p.x, p.y);
    let (from, to) = (before.point(s), after.point(t));
    let arc_frame = Frame::new(centre, from - centre, normal.cross(&(from - centre)))?;
    let end = arc_frame.coordinates(&to);
    let angle = end.y.atan2(end.x);
    let sweep = if turn > 0.0 {
        angle.rem_euclid(std::f64::consts::TAU)
    } else {
        -(-angle).rem_euclid(std::f64::consts::TAU)
    };
    if sweep.abs() > std::f64::consts::PI * (1.0 + 1e-9) || sweep == 0.0 {
        return None;
    }
    let joint = circle_arc(&arc_frame, radius, 0.0, sweep).ok()?.with_ends(Some(from), Some(to));
    Some(Corner { before: kept(before, None, Some(s))?, joint, after: kept(after, Some(t), None)? })
}

/// A part with some length left.
fn kept(curve: &NurbsCurve, start: Option<f64>, end: Option<f64>) -> Option<NurbsCurve> {
    let d = curve.domain();
    let (start, end) = (start.unwrap_or(d.start), end.unwrap_or(d.end));
    (end - start > 1e-9 * d.length()).then(|| curve.part(start, end))
}

/// Cuts the corner by a straight line that begins `first` mm before it and ends `second` mm after it, measured
/// along the curves.
///
/// # Errors
/// `NoCorner` where the curves do not meet; `CornerTooTight` where one of them is shorter than its distance.
pub fn chamfer(
    before: &NurbsCurve,
    after: &NurbsCurve,
    [first, second]: [f64; 2],
    join: f64,
) -> Result<Corner, GeometryError> {
    let at = before.end();
    if (after.start() - at).norm() > join {
        return Err(GeometryError::NoCorner { at: at.into() });
    }
    for (asked, length) in [(first, before.length()), (second, after.length())] {
        if !(asked.is_finite() && asked > 0.0 && asked < length) {
            return Err(GeometryError::CornerTooTight { asked, fits: length, at: at.into() });
        }
    }
    let s = before.parameter_at_length(before.length() - first);
    let t = after.parameter_at_length(second);
    let joint = NurbsCurve::line(before.point(s), after.point(t));
    kept(before, None, Some(s))
        .zip(kept(after, Some(t), None))
        .map(|(before, after)| Corner { before, joint, after })
        .ok_or(GeometryError::NoCorner { at: at.into() })
}
