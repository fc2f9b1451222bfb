//! Extrusion up to a face, which closes it there.

use geometry::{NurbsCurve, NurbsSurface, Tolerance, Vector3, compatible};
use topology::Face;

use super::{Extruded, check_way};
use crate::SurfacingError;
use crate::assembled::assembled_on;
use crate::projected_curve::{Toward, projected_curve};

/// The surfaces from curves along a direction to a face's surface; closed by that and by flat ends if `close`.
pub(super) fn extrude_to_face(
    curves: &[(NurbsCurve, String)],
    direction: &Vector3,
    face: &Face,
    close: bool,
    tolerance: &Tolerance,
) -> Result<Extruded, SurfacingError> {
    let mut surfaces = Vec::with_capacity(curves.len());
    let mut max_deviation: f64 = 0.0;
    for (curve, name) in curves {
        let image =
            projected_curve(curve, &[face.surface.as_ref()], Toward::Direction(*direction), tolerance)?;
        max_deviation = max_deviation.max(image.max_deviation);
        let moved = curve
            .knots()
            .sampled(4)
            .into_iter()
            .map(|t| (image.curve.point(t) - curve.point(t)).norm())
            .fold(0.0, f64::max);
        check_way(curve, direction, moved, tolerance)?;
        // The image keeps the curve's parameters, so that every ruling runs along the direction.
        let rows = compatible(&[curve.clone(), image.curve])?;
        let surface = NurbsSurface::ruled(&rows[0], &rows[1])?;
        surfaces.push((surface, name.clone()));
    }
    let body = assembled_on(surfaces, Some(&face.surface), close, tolerance)?;
    Ok(Extruded { body, max_deviation: Some(max_deviation) })
}
