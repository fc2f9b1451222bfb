//! The surface made of all sections along a part of a track.

use geometry::{Domain, Tolerance};

use super::Round;
use super::track::{Pole, Profile, Track};
use crate::SurfacingError;
use crate::strip::{Along, Strip, WITH_CURVATURES, WITH_TANGENTS};

/// A strip over a part of a track, with its lines of contact in the parameters of either face; where its sections end at a
/// pole, up to that. Borders are used over parts of their own.
///
/// # Errors
/// `FilletTooLarge` where there is no section, or sections fall behind those before them.
pub(super) fn strip(
    track: &Track<'_>,
    part: Domain,
    borders: [Domain; 2],
    pole: Option<Pole>,
    tolerance: &Tolerance,
) -> Result<Strip, SurfacingError> {
    let d = track.guide.domain();
    let guide = track.guide.part(d.clamp(part.start), d.clamp(part.end));
    let along = Along {
        guide: &guide,
        cross: &|t| {
            let section = track.section(t);
            let cross = section.and_then(|s| match &pole {
                Some(pole) => s.cut_at(track.profile, pole),
                None => Some(s.cross(track.profile)),
            });
            cross.ok_or_else(|| track.too_large(t))
        },
        ground: &|k, p| match &pole {
            Some(pole) if pole.side == k => pole.at,
            _ => track.grounds[k].point(p),
        },
        even: track.even,
        // What narrows down to a point is tangent only as far as it is near, by its own width.
        follows: match track.profile {
            Profile::Round(Round::Agreeing(_)) => WITH_CURVATURES,
            _ if track.tips.contains(&true) => WITH_CURVATURES,
            _ => WITH_TANGENTS,
        },
        borders: [0, 1].map(|k| Some(borders[k]).filter(|_| pole.is_none_or(|p| p.side != k))),
        folds: &|t| track.too_large(t),
    };
    along.strip(tolerance)
}
