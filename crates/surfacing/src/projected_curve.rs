//! A curve brought onto surfaces, along a direction or square to them.

use geometry::{
    Fitted, NurbsCurve, NurbsSurface, OnSurface, Tolerance, Vector3, along_direction, closest_on_surface,
    fit_function,
};

use crate::SurfacingError;

/// Share of a curve's domain by which a derivative is taken.
const DIFFERENCE: f64 = 1e-6;

/// Which way a curve is brought onto a surface.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Toward {
    /// Along a direction, forwards or backwards.
    Direction(Vector3),
    /// To the nearest place, square to the surface.
    Nearest,
}

/// The curve's image on the nearest of the surfaces, within the fit tolerance.
///
/// # Errors
/// `Misses` where a place of the curve has no image, with that place.
pub fn projected_curve(
    curve: &NurbsCurve,
    surfaces: &[&NurbsSurface],
    toward: Toward,
    tolerance: &Tolerance,
) -> Result<Fitted, SurfacingError> {
    let d = curve.domain();
    let image = |t: f64| {
        let p = curve.point(t);
        let find = |s: &&NurbsSurface| -> OnSurface {
            match toward {
                Toward::Direction(direction) => along_direction(s, &p, &direction),
                Toward::Nearest => closest_on_surface(s, &p),
            }
        };
        let found: Vec<OnSurface> = surfaces.iter().map(find).collect();
        let hits = found
            .into_iter()
            .filter(|f| toward == Toward::Nearest || f.distance <= 10.0 * tolerance.resolution);
        hits.min_by(|a, b| (a.point - p).norm().total_cmp(&(b.point - p).norm()))
            .map(|f| f.point)
            .ok_or(SurfacingError::Misses { at: p.into() })
    };
    let at = |t: f64| {
        let h = d.length() * DIFFERENCE;
        let (a, b) = (d.clamp(t - h), d.clamp(t + h));
        Ok((image(t)?, (image(b)? - image(a)?) / (b - a)))
    };
    fit_function(at, &curve.knots().breaks(), tolerance.fit)
}
