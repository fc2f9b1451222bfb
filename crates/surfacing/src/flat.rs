//! The flat surface inside outlines.

use geometry::{Frame, NurbsCurve, Tolerance};
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
