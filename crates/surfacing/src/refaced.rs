//! Solids and shells with faces taken away, healed by their neighbours, or exchanged for other surfaces.

use std::collections::BTreeSet;

use geometry::{Point3, Tolerance, closest_on_surface};
use topology::{EdgeId, Shell, inner_place};

use crate::SurfacingError;
use crate::offset_shell::{Opening, filled_shell};

/// How far neighbours grow at first, as a share of the opening's size, and how often that is doubled.
const FIRST: f64 = 0.6;
const DOUBLINGS: usize = 4;

/// A shell without some of its faces, with the edges that this leaves open.
///
/// # Errors
/// `Empty` where no face is left.
pub fn without_faces(
    shell: &Shell,
    gone: &BTreeSet<usize>,
) -> Result<(Shell, BTreeSet<EdgeId>), SurfacingError> {
    let (kept, gone): (Vec<usize>, Vec<usize>) = (0..shell.faces().len()).partition(|f| !gone.contains(f));
    if kept.is_empty() {
        return Err(SurfacingError::Empty);
    }
    let edges = |faces: &[usize]| -> BTreeSet<EdgeId> {
        let loops = faces.iter().flat_map(|&f| &shell.faces()[f].loops);
        loops.flat_map(|l| &l.edges).map(|u| u.edge).collect()
    };
    let (stay, lost) = (edges(&kept), edges(&gone));
    // A part of a shell has the edges that it uses in their order.
    let numbered = stay.iter().enumerate().map(|(k, was)| (EdgeId(k as u32), was));
    let open = numbered.filter(|(_, was)| lost.contains(was)).map(|(id, _)| id).collect();
    let left = shell.part(&kept);
    Ok((left, open))
}

/// A shell without some of its faces, its other faces grown until they close over the place.
///
/// # Errors
/// `CannotHeal` where they do not.
pub fn healed(shell: &Shell, gone: &BTreeSet<usize>, tolerance: &Tolerance) -> Result<Shell, SurfacingError> {
    let (left, open) = without_faces(shell, gone)?;
    grown(&left, &open, None, tolerance)
}

/// A shell with one of its faces exchanged for another surface, up to which its neighbours grow or are cut.
///
/// # Errors
/// `CannotHeal` where they do not reach it, or it does not reach them.
pub fn swapped(
    shell: &Shell,
    face: usize,
    other: &Shell,
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let old = &shell.faces()[face];
    let (left, open) = without_faces(shell, &BTreeSet::from([face]))?;
    let [new] = other.faces() else { return Err(SurfacingError::ManyFaces { at: place_of(other) }) };
    let [u, v] = inner_place(old).unwrap_or_default();
    let foot = closest_on_surface(&new.surface, &old.surface.point(u, v));
    // The other surface faces as the old face did.
    let [x, y] = foot.parameters;
    let along = match (old.surface.normal(u, v), new.surface.normal(x, y)) {
        (Some(a), Some(b)) => (a.dot(&b) > 0.0) == (old.reversed == new.reversed),
        _ => true,
    };
    let other = if along { other.clone() } else { other.clone().flipped() };
    grown(&left, &open, Some((&other, foot.parameters, foot.distance)), tolerance)
}

fn place_of(shell: &Shell) -> [f64; 3] {
    shell.vertices().first().map_or([0.0; 3], |v| v.point.into())
}

fn grown(
    left: &Shell,
    open: &BTreeSet<EdgeId>,
    filler: Option<(&Shell, [f64; 2], f64)>,
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let points: Vec<Point3> = open
        .iter()
        .filter_map(|e| left.edge(*e).curve.as_ref())
        .flat_map(|c| c.knots().sampled(4).into_iter().map(|t| c.point(t)))
        .collect();
    let first = points.first().copied().unwrap_or_default();
    let size = points.iter().map(|p| (p - first).norm()).fold(0.0, f64::max);
    let size = filler.map_or(size, |(_, _, apart)| size.max(apart));
    let mut reach = FIRST * size.max(tolerance.join);
    let mut last = None;
    for _ in 0..DOUBLINGS {
        let opening = Opening { edges: open, reach, filler: filler.map(|(shell, at, _)| (shell, at)) };
        match filled_shell(left, &opening, tolerance) {
            Ok(shell) => return Ok(shell),
            Err(error) => last = error.place().or(last),
        }
        reach *= 2.0;
    }
    Err(SurfacingError::CannotHeal { at: last.unwrap_or(first.into()) })
}
