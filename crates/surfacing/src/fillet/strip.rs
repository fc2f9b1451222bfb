//! The surface made of all sections along a part of a track.

use geometry::{Domain, Tolerance};

use super::track::Track;
use crate::SurfacingError;
use crate::strip::{Along, Strip};

/// A strip over a part of a track, with its lines of contact in the parameters of either face.
///
/// # Errors
/// `FilletTooLarge` where there is no section, or sections fall behind those before them.
pub(super) fn strip(track: &Track<'_>, part: Domain, tolerance: &Tolerance) -> Result<Strip, SurfacingError> {
    let d = track.guide.domain();
    let guide = track.guide.part(d.clamp(part.start), d.clamp(part.end));
    let along = Along {
        guide: &guide,
        cross: &|t| track.section(t).map(|s| s.cross(track.profile)).ok_or_else(|| track.too_large(t)),
        ground: &|k, p| track.grounds[k].point(p),
        even: track.even,
        folds: &|t| track.too_large(t),
    };
    along.strip(tolerance)
}
