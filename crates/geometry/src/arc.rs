use std::f64::consts::TAU;

use crate::{Frame, GeometryError, Homogeneous, KnotVector, NurbsCurve};

/// How many rational quadratic pieces an arc of `sweep` radians takes, and the sweep of each: at most a quarter turn.
#[must_use]
pub fn arc_segments(sweep: f64) -> (usize, f64) {
    // A hair of slack keeps a quarter turn that rounding made a little too large in one piece.
    let count = ((sweep.abs() / (TAU / 4.0) - 1e-9).ceil().max(1.0)) as usize;
    (count, sweep / count as f64)
}

/// The arc of a circle about the frame's origin, in its plane, from angle `start` over `sweep` radians.
///
/// Exact: rational quadratic pieces of at most a quarter turn, each over a quarter-turn's share of `[0, 1]`.
///
/// # Errors
/// `NoDirection` for a radius or sweep that is zero or not finite, or a sweep of more than a turn.
///
/// # References
/// Algorithm A7.1.
pub fn circle_arc(frame: &Frame, radius: f64, start: f64, sweep: f64) -> Result<NurbsCurve, GeometryError> {
    let usable = radius.is_finite() && radius > 0.0 && sweep.is_finite() && sweep != 0.0 && start.is_finite();
    if !usable || sweep.abs() > TAU * (1.0 + 1e-12) {
        return Err(GeometryError::NoDirection { at: frame.origin.into() });
    }
    let (count, step) = arc_segments(sweep);
    let middle_weight = (step / 2.0).cos();
    let at = |angle: f64, radius: f64, weight: f64| {
        let p = frame.to_space(radius * angle.cos(), radius * angle.sin());
        Homogeneous::new(p.x * weight, p.y * weight, p.z * weight, weight)
    };
    let first = at(start, radius, 1.0);
    let mut points = vec![first];
    for k in 0..count {
        let a = start + step * k as f64;
        points.push(at(a + step / 2.0, radius / middle_weight, middle_weight));
        let full_turn = k + 1 == count && (sweep.abs() - TAU).abs() < 1e-12;
        points.push(if full_turn { first } else { at(a + step, radius, 1.0) });
    }
    let breaks: Vec<f64> = (0..=count).map(|k| k as f64 / count as f64).collect();
    NurbsCurve::from_homogeneous(KnotVector::joined_pieces(2, &breaks), points)
}
