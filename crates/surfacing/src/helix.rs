//! Helix and spiral: a curve that winds about an axis.

use std::f64::consts::TAU;

use geometry::{Fitted, Frame, Tolerance, fit_function};

use crate::SurfacingError;

/// More turns than this are no spring or thread that anybody makes, and would take too many points.
const MOST_TURNS: f64 = 500.0;

/// The size of a winding curve.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Winding {
    /// Radius where it begins, in millimetres, 0 or more.
    pub start_radius: f64,
    /// Radius where it ends; another one makes it a spiral or a conical helix.
    pub end_radius: f64,
    /// Rise along the axis in all, in millimetres; 0 for a flat spiral.
    pub height: f64,
    /// Turns in all, counted against the clock seen from the axis's tip; negative for a left-handed one.
    pub turns: f64,
}

/// The curve that winds about the frame's z, from its x axis on, within the fit tolerance. Radius and height grow in
/// proportion to the angle.
///
/// # Errors
/// `Winding` with what is wrong.
pub fn helix(frame: &Frame, winding: Winding, tolerance: &Tolerance) -> Result<Fitted, SurfacingError> {
    let Winding { start_radius, end_radius, height, turns } = winding;
    let refuse = |why: &'static str| Err(SurfacingError::Winding { why, at: frame.origin.into() });
    if ![start_radius, end_radius, height, turns].iter().all(|x| x.is_finite()) {
        return refuse("its values are not finite numbers");
    }
    if start_radius < 0.0 || end_radius < 0.0 || start_radius.max(end_radius) <= tolerance.resolution {
        return refuse("a radius is below zero, or both are zero");
    }
    if turns == 0.0 || turns.abs() > MOST_TURNS {
        return refuse("it needs more than no and at most 500 turns");
    }
    let same = (start_radius - end_radius).abs() <= tolerance.resolution;
    if same && height.abs() <= tolerance.resolution && turns.abs() > 1.0 {
        return refuse("without height and with one radius it runs over itself");
    }
    let at = |s: f64| {
        let angle = TAU * turns * s;
        let radius = start_radius + (end_radius - start_radius) * s;
        let (sin, cos) = angle.sin_cos();
        let out = frame.x * cos + frame.y * sin;
        let along = frame.y * cos - frame.x * sin;
        let derivative =
            out * (end_radius - start_radius) + along * (radius * TAU * turns) + frame.z * height;
        Ok::<_, SurfacingError>((frame.origin + out * radius + frame.z * (height * s), derivative))
    };
    let quarters = (turns.abs() * 4.0).ceil().max(1.0) as usize;
    let breaks: Vec<f64> = (0..=quarters).map(|k| k as f64 / quarters as f64).collect();
    fit_function(at, &breaks, tolerance.fit)
}
