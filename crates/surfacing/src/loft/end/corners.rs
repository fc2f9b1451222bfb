//! Corners of sections where faces of a loft leave different surfaces: both take one direction, so that their edge is one.

use geometry::{NurbsCurve, Tolerance, Vector3};

use super::LoftEnd;
use super::meeting::{Meeting, Shared};
use crate::SurfacingError;
use crate::loft::Section;

/// Angle in radians below which directions, and sine below which planes, are the same.
const SAME: f64 = 1e-3;
/// Least cosine between a face's own direction and the one that it shares.
const LEAST: f64 = 0.05;

/// For the first and the last section, by face: what it shares with its neighbours where its part begins and ends.
pub(crate) type Corners = [Vec<[Option<Shared>; 2]>; 2];

/// What faces share at the corners of the first and the last section, from their rows.
pub(crate) fn corners(
    faces: &[Vec<NurbsCurve>],
    sections: &[Section],
    ends: &[LoftEnd; 2],
    closed: bool,
    tolerance: &Tolerance,
) -> Result<Corners, SurfacingError> {
    let count = faces.len();
    let mut out: Corners = [vec![[None; 2]; count], vec![[None; 2]; count]];
    if count < 2 {
        return Ok(out);
    }
    for (k, out) in out.iter_mut().enumerate() {
        let section = if k == 0 { sections.first() } else { sections.last() };
        if !matches!(section, Some(Section::Curves { .. })) {
            continue;
        }
        let meetings = faces.iter().map(|rows| Meeting::new(rows, &ends[k], k == 1, [None; 2], tolerance));
        let Some(meetings) = meetings.collect::<Option<Vec<_>>>() else { continue };
        for f in 0..if closed { count } else { count - 1 } {
            let next = (f + 1) % count;
            let shared = shared(&meetings[f], &meetings[next])?;
            (out[f][1], out[next][0]) = (shared, shared);
        }
    }
    Ok(out)
}

/// What the end of one face and the start of the next share; none where both leave alike.
fn shared(before: &Meeting<'_>, after: &Meeting<'_>) -> Result<Option<Shared>, SurfacingError> {
    let (end, start) = (before.domain().end, after.domain().start);
    let (a, b) = (before.leaving_alone(end)?, after.leaving_alone(start)?);
    if a.first.angle(&b.first) < SAME {
        return Ok(None);
    }
    let size = 0.5 * (a.first.norm() + b.first.norm());
    let both = a.first + b.first;
    let first = match a.normal.cross(&b.normal).try_normalize(SAME) {
        // The one direction that is tangent on both sides.
        Some(common) => common * (size * common.dot(&both).signum()),
        None => both.try_normalize(f64::MIN_POSITIVE).map_or(both, |way| way * size),
    };
    if [&a.first, &b.first].into_iter().any(|own| own.dot(&first) < LEAST * own.norm() * size) {
        return Ok(None);
    }
    let bends = [before.bend(end, &first)?, after.bend(start, &first)?];
    Ok(Some(Shared { first, second: bent_alike(&a.normal, &b.normal, bends) }))
}

/// The second derivative, within the plane of two normals, with given parts along both.
fn bent_alike(a: &Vector3, b: &Vector3, [along_a, along_b]: [f64; 2]) -> Vector3 {
    let together = a.dot(b);
    let apart = 1.0 - together * together;
    if apart < SAME * SAME {
        return a * along_a;
    }
    (a * (along_a - together * along_b) + b * (along_b - together * along_a)) / apart
}
