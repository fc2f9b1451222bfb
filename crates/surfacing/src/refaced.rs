//! Solids and shells with faces taken away, healed by their neighbours, or exchanged for other surfaces.

use std::cmp::Ordering;
use std::collections::BTreeSet;
use std::sync::Arc;

use geometry::{
    Domain, GoesOn, NurbsSurface, Point3, SurfaceSide, Tolerance, box_of, closest_on_surface, diagonal,
    extended_surface,
};
use topology::{Body, EdgeId, Face, Shell, inner_place, natural_shell};

use crate::SurfacingError;
use crate::apart;
use crate::offset_shell::{Opening, closed_over, filled_shell, on_other_surface, tips};

/// How far neighbours grow at first, as a share of the opening's size, and how often that is doubled.
const FIRST: f64 = 0.6;
/// The same where they are put together edge by edge.
const MARGINS: [f64; 2] = [0.5, 2.0];
const DOUBLINGS: usize = 4;
/// Share of a surface's extent by which a place that stays lies within its border at least.
const OFF_BORDER: f64 = 1e-3;

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
    let points = places_of(&left, &open);
    let size = diagonal(&box_of(points.iter()));
    for margin in MARGINS {
        if let Ok(made) = closed_over(shell, gone, margin * size, tolerance)
            && let Ok(body) = apart(Body::from_shell(made))
        {
            return Ok(body.whole());
        }
    }
    grown(&left, &open, None, tolerance)
}

/// A shell with one of its faces exchanged for another surface, up to which its neighbours grow or are cut, and which is itself
/// taken as far as its surface goes, and made longer over its borders in its own nature where it is too small.
///
/// # Errors
/// `CannotSwap` where they do not reach it, or it does not reach them.
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
        (Some(a), Some(b)) => a.dot(&b) > 0.0,
        _ => old.reversed == new.reversed,
    };
    let reversed = if along { old.reversed } else { !old.reversed };
    let size = diagonal(&box_of(places_of(&left, &open).iter())).max(foot.distance);
    let face_on = |surface| Face { surface, loops: Vec::new(), reversed, role: new.role.clone() };
    for margin in MARGINS {
        let surface = longer(&new.surface, margin * size);
        if let Ok(made) = on_other_surface(shell, face, face_on(surface), margin * size, tolerance)
            && let Ok(body) = apart(Body::from_shell(made))
        {
            return Ok(body.whole());
        }
    }
    // Over a seam or a pole a face's edges have no single image, and towards one they are not well known: there everything is cut.
    let closes = new.surface.closes(tolerance.resolution).contains(&true);
    let has_tip = |surface: &NurbsSurface| tips(surface).next().is_some();
    if !closes && !has_tip(&new.surface) && !left.faces().iter().any(|f| has_tip(&f.surface)) {
        return Err(missing(&left, &open, new));
    }
    let filler =
        Filler { surface: &new.surface, role: &new.role, reversed, at: off_border(&new.surface, [x, y]) };
    grown(&left, &open, Some((&filler, foot.distance)), tolerance).map_err(|error| match error {
        SurfacingError::CannotHeal { .. } => missing(&left, &open, new),
        other => other,
    })
}

/// Parameters a little inside of a surface: at a pole, and on a seam, they say of no place on which side of it that is.
fn off_border(surface: &NurbsSurface, at: [f64; 2]) -> [f64; 2] {
    let domains: [Domain; 2] = surface.domain().into();
    [0, 1].map(|k| {
        let margin = OFF_BORDER * domains[k].length();
        at[k].clamp(domains[k].start + margin, domains[k].end - margin)
    })
}

/// A surface made longer over every border over which it can go on.
fn longer(surface: &Arc<NurbsSurface>, more: f64) -> Arc<NurbsSurface> {
    let mut surface = surface.clone();
    for side in SurfaceSide::ALL {
        if let Ok(longer) = extended_surface(&surface, side, more, GoesOn::Naturally) {
            surface = Arc::new(longer);
        }
    }
    surface
}

/// A surface up to which faces grow, with a place of it that stays.
struct Filler<'a> {
    surface: &'a Arc<NurbsSurface>,
    role: &'a str,
    reversed: bool,
    at: [f64; 2],
}

impl Filler<'_> {
    /// All of the surface, made longer by `more` mm over every border over which it can go on.
    fn shell(&self, more: f64, tolerance: &Tolerance) -> Result<Shell, SurfacingError> {
        let surface = if more > 0.0 { longer(self.surface, more) } else { self.surface.clone() };
        let shell = natural_shell(surface, self.role, tolerance)?;
        Ok(if self.reversed { shell.flipped() } else { shell })
    }
}

/// Where a surface misses the edges of an opening most, seen along itself.
fn missing(left: &Shell, open: &BTreeSet<EdgeId>, new: &Face) -> SurfacingError {
    let misses = places_of(left, open).into_iter().map(|p| {
        let foot = closest_on_surface(&new.surface, &p);
        let off = p - foot.point;
        let [u, v] = foot.parameters;
        let along = new.surface.normal(u, v).map_or(0.0, |n| (off - n * off.dot(&n)).norm());
        (foot.distance, along, p)
    });
    let most = misses.max_by(|a, b| (a.1, a.0).partial_cmp(&(b.1, b.0)).unwrap_or(Ordering::Equal));
    let (apart, short, at) = most.unwrap_or((0.0, 0.0, Point3::origin()));
    SurfacingError::CannotSwap { apart, short, at: at.into() }
}

/// Places along edges.
fn places_of(shell: &Shell, edges: &BTreeSet<EdgeId>) -> Vec<Point3> {
    let curves = edges.iter().filter_map(|e| shell.edge(*e).curve.as_ref());
    curves.flat_map(|c| c.knots().sampled(4).into_iter().map(|t| c.point(t))).collect()
}

fn place_of(shell: &Shell) -> [f64; 3] {
    shell.vertices().first().map_or([0.0; 3], |v| v.point.into())
}

fn grown(
    left: &Shell,
    open: &BTreeSet<EdgeId>,
    filler: Option<(&Filler<'_>, f64)>,
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let points = places_of(left, open);
    let first = points.first().copied().unwrap_or_default();
    let size = points.iter().map(|p| (p - first).norm()).fold(0.0, f64::max);
    let size = filler.map_or(size, |(_, apart)| size.max(apart));
    let mut reach = FIRST * size.max(tolerance.join);
    let mut last = None;
    for _ in 0..DOUBLINGS {
        // A surface that is large enough is taken as it is.
        for more in [0.0, reach].into_iter().take(if filler.is_some() { 2 } else { 1 }) {
            let made = filler.map(|(f, _)| f.shell(more, tolerance)).transpose()?;
            let filler = made.as_ref().zip(filler.map(|(f, _)| f.at));
            match filled_shell(left, &Opening { edges: open, reach, filler }, tolerance) {
                Ok(shell) => return Ok(shell),
                Err(error) => last = error.place().or(last),
            }
        }
        reach *= 2.0;
    }
    Err(SurfacingError::CannotHeal { at: last.unwrap_or(first.into()) })
}
