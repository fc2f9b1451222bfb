//! Whether an offset stays as far from its shell as it should, on the right side: looked at afterwards, on the surfaces themselves,
//! whatever way it was made.

use geometry::{Point3, Tolerance};
use topology::{Shell, free_edges, holds};

use super::OffsetShell;
use crate::SurfacingError;
use crate::wall::{CHORD, Skin, places};

/// How many times the fit tolerance, besides what the offset was measured to be off, a place may be nearer.
const ALLOWED: f64 = 4.0;

/// That an offset is where it should be: no place of it is nearer to the faces that were offset than the least distance of them, and
/// it lies on their side. Under faces with a distance of their own, away from their borders, it is none nearer than that.
///
/// # Errors
/// `OffsetOpen` with the place.
pub(super) fn keeps_its_distance(
    made: &OffsetShell,
    source: &Shell,
    distances: &[f64],
    tolerance: &Tolerance,
) -> Result<(), SurfacingError> {
    let mut different: Vec<f64> = distances.iter().map(|d| d.abs()).filter(|d| *d > 0.0).collect();
    different.sort_by(f64::total_cmp);
    different.dedup();
    let allowed = |distance: f64| distance - made.max_deviation - ALLOWED * tolerance.fit;
    let least = allowed(different.first().copied().unwrap_or(f64::MAX));
    let lost =
        || SurfacingError::OffsetOpen { at: source.vertices().first().map_or([0.0; 3], |v| v.point.into()) };
    // Beyond the end of what was offset, at an opening, a place may be nearer to it.
    let moved: Vec<usize> = (0..distances.len()).filter(|&f| distances[f] != 0.0).collect();
    let moved = source.part(&moved);
    let skin = Skin::of(&moved, &|_| true, CHORD * least.abs()).ok_or_else(lost)?;
    // What is moved farther in than there is room for comes out on the other side.
    let is_closed = free_edges(source).is_empty();
    let is_beyond =
        |p: &Point3, distance: f64| is_closed && holds(source, p, tolerance.resolution) != (distance < 0.0);
    // What is none of the shell's own faces is a step.
    let is_moved = |f: usize| distances.get(f).is_some_and(|d| *d != 0.0);
    let offset = || made.shell.faces().iter().zip(&made.of).filter(|(_, f)| is_moved(**f));
    let wrong = offset().find_map(|(face, f)| {
        let places = places(face);
        let beyond = places.first().filter(|p| is_beyond(p, distances[*f])).copied();
        beyond.or_else(|| places.into_iter().find(|p| skin.is_nearer(p, least)))
    });
    let wrong = wrong.or_else(|| {
        different.iter().skip(1).find_map(|own| {
            let own_faces: Vec<usize> =
                (0..distances.len()).filter(|&f| distances[f].abs() == *own).collect();
            let under = source.part(&own_faces);
            let skin = Skin::of(&under, &|_| true, CHORD * own)?;
            let mut all = offset().flat_map(|(face, _)| places(face));
            all.find(|p| skin.is_nearer_inside(p, allowed(*own)))
        })
    });
    match wrong {
        Some(at) => Err(SurfacingError::OffsetOpen { at: at.into() }),
        None => Ok(()),
    }
}
