//! The flat surface inside outlines.

use geometry::{Frame, NurbsCurve, Point3, Tolerance, Vector3};
use topology::Body;

use crate::{SurfacingError, chains};

/// The flat surface that a frame's plane has inside closed outlines in it.
///
/// # Errors
/// `NotFlat` for an outline that leaves the plane, `OpenOutline` for one that does not close.
pub fn flat(
    outlines: &[NurbsCurve],
    frame: &Frame,
    name: &str,
    tolerance: &Tolerance,
) -> Result<Body, SurfacingError> {
    let off = outlines.iter().flat_map(|c| c.control_points()).map(|p| (frame.coordinates(&p).z.abs(), p));
    if let Some((distance, at)) = off.filter(|(d, _)| *d > tolerance.join).max_by(|a, b| a.0.total_cmp(&b.0))
    {
        return Err(SurfacingError::NotFlat { distance, at: at.into() });
    }
    let runs = chains(outlines, tolerance);
    for run in &runs {
        let (start, end) = (run[0].start(), run[run.len() - 1].end());
        if (start - end).norm() > tolerance.join {
            return Err(SurfacingError::OpenOutline { gap: (start - end).norm(), at: end.into() });
        }
    }
    let faces = topology::flat_faces(&runs, frame, tolerance, |k| {
        if k == 1 { name.to_string() } else { format!("{name} {k}") }
    })?;
    Ok(Body::Shell(faces))
}

/// The plane with the least squared distances from points: their middle and the direction in which they vary least.
pub(crate) fn best_plane(points: &[Point3]) -> Option<(Point3, Vector3)> {
    if points.len() < 3 {
        return None;
    }
    let middle = Point3::from(points.iter().map(|p| p.coords).sum::<Vector3>() / points.len() as f64);
    let spread: nalgebra::Matrix3<f64> = points.iter().map(|p| (p - middle) * (p - middle).transpose()).sum();
    let eigen = spread.symmetric_eigen();
    let least = eigen.eigenvalues.imin();
    eigen.eigenvectors.column(least).into_owned().try_normalize(1e-12).map(|normal| (middle, normal))
}

/// The unit normal of the one plane in which curves lie, of either sign; none where they leave every plane, or are straight.
#[must_use]
pub fn plane_of(curves: &[NurbsCurve], tolerance: &Tolerance) -> Option<Vector3> {
    let points: Vec<Point3> = curves.iter().flat_map(NurbsCurve::control_points).collect();
    let (middle, normal) = best_plane(&points)?;
    let off = |p: &Point3| (p - middle).dot(&normal).abs();
    if points.iter().any(|p| off(p) > tolerance.join) {
        return None;
    }
    // What is straight lies in many planes.
    let along = points
        .iter()
        .map(|p| p - middle)
        .max_by(|a, b| a.norm().total_cmp(&b.norm()))?
        .try_normalize(1e-12)?;
    let across = normal.cross(&along);
    points.iter().any(|p| (p - middle).dot(&across).abs() > tolerance.join).then_some(normal)
}
