//! A curve drawn on a surface by places of its parameters, which stays on it.

use geometry::{
    Domain, EndDerivatives, Fitted, GeometryError, NurbsSurface, Point3, Tolerance, Vector3,
    chord_parameters, fit_function, interpolate,
};

use crate::SurfacingError;

/// The smooth curve on a surface through places given by their parameters, within the fit tolerance of the surface.
///
/// # Errors
/// Fewer than two places, or neighbours nearer than the resolution.
///
/// # Method
/// The spline through the places in the parameter plane, spaced by their distances in space, is carried over by the
/// surface; the cubic is fitted to that.
pub fn curve_on_surface(
    surface: &NurbsSurface,
    places: &[[f64; 2]],
    tolerance: &Tolerance,
) -> Result<Fitted, SurfacingError> {
    let domains: [Domain; 2] = surface.domain().into();
    let closed = surface.closes(tolerance.resolution);
    // Over a seam the way goes on, and not all the way back.
    let mut flat: Vec<[f64; 2]> = Vec::with_capacity(places.len());
    for place in places {
        flat.push([0, 1].map(|k| {
            let (at, length) = (domains[k].clamp(place[k]), domains[k].length());
            match flat.last() {
                Some(before) if closed[k] => at + ((before[k] - at) / length).round() * length,
                _ => at,
            }
        }));
    }
    let inside = |k: usize, t: f64| {
        if closed[k] {
            domains[k].start + (t - domains[k].start).rem_euclid(domains[k].length())
        } else {
            domains[k].clamp(t)
        }
    };
    let space: Vec<Point3> = flat.iter().map(|p| surface.point(inside(0, p[0]), inside(1, p[1]))).collect();
    if let Some(i) = space.windows(2).position(|w| (w[1] - w[0]).norm() <= tolerance.resolution) {
        let at = space[i].into();
        return Err(GeometryError::RepeatedPoint { first: i, second: i + 1, at }.into());
    }
    let degree = places.len().clamp(2, 4) - 1;
    let flat: Vec<Point3> = flat.iter().map(|p| Point3::new(p[0], p[1], 0.0)).collect();
    let pcurve = interpolate(&flat, &chord_parameters(&space), degree, &EndDerivatives::free())?;
    let at = |t: f64| -> Result<_, SurfacingError> {
        let (p, d) = pcurve.moving(t);
        // A spline may swing over a border between its points; the curve then follows the border.
        let held = |k: usize| !closed[k] && domains[k].clamp(p[k]) != p[k];
        let (point, su, sv) = surface.tangents(inside(0, p.x), inside(1, p.y));
        let along = |k: usize, s: Vector3| if held(k) { Vector3::zeros() } else { s * d[k] };
        Ok((point, along(0, su) + along(1, sv)))
    };
    fit_function(at, &pcurve.knots().breaks(), tolerance.fit)
}
