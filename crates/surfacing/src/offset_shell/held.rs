//! Whether an offset stays as far from its shell as it should, on the right side: looked at afterwards, on the surfaces themselves, whatever way it was
//! made.

use geometry::{Domain, NurbsSurface, Point3, Tolerance, closest_within};
use topology::{Face, Shell, face_extent, free_edges, holds};

use super::OffsetShell;
use crate::SurfacingError;
use crate::loops::Outlines;

/// Places of a face in either direction, and of an edge, that are looked at.
const INSIDE: usize = 6;
const ALONG: usize = 7;
/// How many times the fit tolerance, besides what the offset was measured to be off, a place may be nearer.
const ALLOWED: f64 = 4.0;

/// That an offset is where it should be: no place of it is nearer to the faces that were offset than the least distance of them, and
/// it lies on their side.
///
/// # Errors
/// `OffsetOpen` with the place.
pub(super) fn keeps_its_distance(
    made: &OffsetShell,
    source: &Shell,
    distances: &[f64],
    tolerance: &Tolerance,
) -> Result<(), SurfacingError> {
    let moved = || distances.iter().map(|d| d.abs()).filter(|d| *d > 0.0);
    let least = moved().fold(f64::MAX, f64::min) - made.max_deviation - ALLOWED * tolerance.fit;
    let faces: Vec<(&NurbsSurface, Outlines)> = source
        .faces()
        .iter()
        .zip(distances)
        .filter(|(_, d)| **d != 0.0)
        .map(|(f, _)| (&*f.surface, Outlines::of(f)))
        .collect();
    let is_near = |p: &Point3| {
        faces.iter().any(|(surface, outlines)| {
            closest_within(surface, p, least).is_some_and(|found| outlines.hold(&found.parameters))
        })
    };
    // What is moved farther in than there is room for comes out on the other side.
    let is_closed = free_edges(source).is_empty();
    let is_beyond =
        |p: &Point3, distance: f64| is_closed && holds(source, p, tolerance.resolution) != (distance < 0.0);
    let mut offset = made.shell.faces().iter().zip(&made.of).filter(|(_, f)| distances[**f] != 0.0);
    let wrong = offset.find_map(|(face, f)| {
        let places = places(face);
        let beyond = places.first().filter(|p| is_beyond(p, distances[*f])).copied();
        beyond.or_else(|| places.into_iter().find(is_near))
    });
    match wrong {
        Some(at) => Err(SurfacingError::OffsetOpen { at: at.into() }),
        None => Ok(()),
    }
}

/// Places inside a face and along its edges.
fn places(face: &Face) -> Vec<Point3> {
    let (outlines, extent) = (Outlines::of(face), face_extent(face));
    let inner = |d: Domain| (0..INSIDE).map(move |k| d.at((k as f64 + 0.5) / INSIDE as f64));
    let inside = inner(extent[0]).flat_map(|u| inner(extent[1]).map(move |v| [u, v]));
    let inside = inside.filter(|at| outlines.hold(at)).map(|[u, v]| face.surface.point(u, v));
    let along = face.loops.iter().flat_map(|l| &l.edges).flat_map(|used| {
        let d = used.pcurve.domain();
        (0..ALONG).map(move |k| used.pcurve.point(d.at((k as f64 + 0.5) / ALONG as f64)))
    });
    inside.chain(along.map(|p| face.surface.point(p.x, p.y))).collect()
}
