//! Curves made longer at their end, each in its own nature: lines straight, arcs round, splines by their last piece.

use crate::{
    GeometryError, Homogeneous, NurbsCurve, Point3, as_line, as_plane_arc, check_work, circle_arc, crossings,
};

const MAX_DOUBLINGS: usize = 40;
const HALVINGS: usize = 60;

/// The curve lengthened by `length` mm at its end.
///
/// # Errors
/// `NoDirection` where it cannot go on: an arc that would close, a rational piece whose weights vanish beyond.
///
/// # References
/// Ramshaw, Blossoms are polar forms, CAGD 6, 1989: the last piece's blossom at the moved end knot.
pub fn extended(curve: &NurbsCurve, length: f64) -> Result<NurbsCurve, GeometryError> {
    check_work();
    let end = curve.end();
    let stuck = GeometryError::NoDirection { at: end.into() };
    if !(length.is_finite() && length > 0.0) {
        return Err(stuck);
    }
    let size = (end - curve.start()).norm() + end.coords.norm();
    if let Some((start, end)) = as_line(curve, 1e-12 * (1.0 + size)) {
        return Ok(NurbsCurve::line(start, end + (end - start).normalize() * length));
    }
    if let Some((frame, radius, sweep)) = as_plane_arc(curve, 1e-10 * (1.0 + size)) {
        let sweep = sweep + length / radius;
        if sweep > std::f64::consts::TAU {
            return Err(stuck);
        }
        return circle_arc(&frame, radius, 0.0, sweep);
    }
    let own = curve.length();
    let beyond = |by: f64| with_end_at(curve, curve.domain().end + by).map(|c| c.length() - own);
    let mut high = curve.domain().length() * 0.1;
    let mut low = 0.0;
    for _ in 0..MAX_DOUBLINGS {
        match beyond(high) {
            Some(reached) if reached >= length => break,
            Some(_) => (low, high) = (high, 2.0 * high),
            None => return Err(stuck),
        }
    }
    for _ in 0..HALVINGS {
        let middle = 0.5 * (low + high);
        match beyond(middle) {
            Some(reached) if reached < length => low = middle,
            Some(_) => high = middle,
            None => return Err(stuck),
        }
    }
    with_end_at(curve, curve.domain().end + high).ok_or(stuck)
}

/// The curve with its last piece run on to the parameter `end`; `None` where it cannot go on so far.
#[must_use]
pub fn with_end_at(curve: &NurbsCurve, end: f64) -> Option<NurbsCurve> {
    let p = curve.degree();
    let knots = curve.knots().knots();
    let count = curve.knots().point_count();
    let span = curve.knots().spans().pop()?;
    let mut moved = knots.to_vec();
    moved[count..].fill(end);
    let mut points: Vec<Homogeneous> = curve.homogeneous().to_vec();
    for i in count - p..count {
        let arguments = &moved[i + 1..=i + p];
        points[i] = curve.knots().blossom(span, &curve.homogeneous()[span - p..=span], arguments);
    }
    NurbsCurve::from_homogeneous(curve.knots().with_knots(moved), points).ok()
}

/// The plane curve (z = 0) lengthened at its end until it meets `target`, at most by `most` mm; `None` when it does
/// not. `chord` is the flattening tolerance in mm.
#[must_use]
pub fn extended_to(
    curve: &NurbsCurve,
    target: &NurbsCurve,
    most: f64,
    chord: f64,
) -> Option<(NurbsCurve, Point3)> {
    let mut reach = most;
    for _ in 0..MAX_DOUBLINGS {
        // An arc cannot go on for more than a turn, so that the reach may have to shrink.
        if let Ok(long) = extended(curve, reach) {
            let from = curve.domain().length() / long.domain().length();
            let old_end = curve.length();
            let hit = crossings(&long, target, chord).into_iter().find(|c| {
                let run = long.part(long.domain().start, c.first_parameter).length();
                from <= 1.0 && run >= old_end - chord
            })?;
            let cut = long.part(long.domain().start, hit.first_parameter);
            return Some((cut, Point3::new(hit.point.x, hit.point.y, 0.0)));
        }
        reach *= 0.7;
    }
    None
}
