//! Surfaces and shells made longer over their free edges, by a length or up to another shape.

use std::sync::Arc;

use geometry::{
    Frame, GoesOn, NurbsCurve, NurbsSurface, Point3, SurfaceSide, Tolerance, box_of, closest_on_curve,
    diagonal, extended_surface,
};
use topology::{
    EdgeId, Face, FaceId, OrientedEdge, Shell, free_edges, imprint, inner_place, join, natural_shell,
    plane_beyond,
};

use crate::SurfacingError;
use crate::thick::middle_of;

/// How far a shell is made longer.
#[derive(Debug, Clone)]
pub enum Until {
    /// By about a length in millimetres, at least that everywhere.
    Length(f64),
    /// Up to a plane.
    Plane(Frame),
    /// Up to a shell.
    Shell(Box<Shell>),
}

/// The first length that is tried, as a share of the shell's size, and how often it is doubled.
const FIRST: f64 = 0.1;
const DOUBLINGS: usize = 9;

/// A shell made longer over some of its free edges, each of which must be a natural border of its face.
///
/// # Errors
/// `NotABorder` for another edge, `NeverArrives` where it does not reach what it should end at, `Geometry` where a surface cannot
/// go on.
pub fn extend_shell(
    shell: &Shell,
    edges: &[EdgeId],
    how: GoesOn,
    until: &Until,
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let length = match until {
        Until::Length(length) => return longer(shell, edges, how, *length, tolerance).map(|l| l.shell),
        _ => {
            let nets = shell.faces().iter().flat_map(|f| f.surface.control_points());
            FIRST * diagonal(&box_of(nets.collect::<Vec<_>>().iter()))
        }
    };
    let mut late = None;
    for doubling in 0..DOUBLINGS {
        let Ok(made) = longer(shell, edges, how, length * f64::from(1 << doubling), tolerance) else { break };
        let target = match until {
            Until::Plane(frame) => plane_beyond(frame, &[&made.shell], tolerance)?,
            Until::Shell(target) => (**target).clone(),
            Until::Length(_) => break,
        };
        if let Some(cut) = cut_at(shell, &made, &target, tolerance)? {
            return Ok(cut);
        }
        late = made.borders.first().map(|c| c.point(c.domain().at(0.5)));
    }
    let first = edges.first().and_then(|e| shell.edge(*e).curve.as_ref());
    let at = late.or_else(|| first.map(|c| c.point(c.domain().at(0.5)))).unwrap_or_default();
    Err(SurfacingError::NeverArrives { at: at.into() })
}

/// A longer shell with its new borders.
struct Longer {
    shell: Shell,
    borders: Vec<NurbsCurve>,
}

fn longer(
    shell: &Shell,
    edges: &[EdgeId],
    how: GoesOn,
    length: f64,
    tolerance: &Tolerance,
) -> Result<Longer, SurfacingError> {
    let mut parts = Vec::with_capacity(shell.faces().len());
    let mut borders = Vec::new();
    for (f, face) in shell.faces().iter().enumerate() {
        let uses = face.loops.iter().flat_map(|l| &l.edges);
        let mut sides = Vec::new();
        let mut surface: NurbsSurface = (*face.surface).clone();
        for used in uses.filter(|u| edges.contains(&u.edge)) {
            let side = side_of(shell, face, used)?;
            surface = extended_surface(&surface, side, length, how)
                .map_err(|_| SurfacingError::CannotGoOn { at: middle_of(shell, used.edge) })?;
            sides.push(side);
        }
        let (u, v) = surface.domain();
        borders.extend(sides.iter().map(|side| match side {
            SurfaceSide::UStart => surface.curve_at_u(u.start),
            SurfaceSide::UEnd => surface.curve_at_u(u.end),
            SurfaceSide::VStart => surface.curve_at_v(v.start),
            SurfaceSide::VEnd => surface.curve_at_v(v.end),
        }));
        let part = if sides.is_empty() {
            shell.part(&[f])
        } else {
            let part = natural_shell(Arc::new(surface), &face.role, tolerance)?;
            if face.reversed { part.flipped() } else { part }
        };
        parts.push(part);
    }
    let shell = match &parts[..] {
        [only] => only.clone(),
        several => join(several, tolerance.join)?.shell,
    };
    Ok(Longer { shell, borders })
}

/// The border of its surface that an edge of a face is.
fn side_of(shell: &Shell, face: &Face, used: &OrientedEdge) -> Result<SurfaceSide, SurfacingError> {
    let (u, v) = face.surface.domain();
    let ends = [used.pcurve.start(), used.pcurve.end()];
    let on = |value: fn(&Point3) -> f64, at: f64| ends.iter().all(|p| value(p) == at);
    let side = if !face.is_whole() {
        None
    } else if on(|p| p.x, u.start) {
        Some(SurfaceSide::UStart)
    } else if on(|p| p.x, u.end) {
        Some(SurfaceSide::UEnd)
    } else if on(|p| p.y, v.start) {
        Some(SurfaceSide::VStart)
    } else if on(|p| p.y, v.end) {
        Some(SurfaceSide::VEnd)
    } else {
        None
    };
    side.ok_or_else(|| SurfacingError::NotABorder { at: middle_of(shell, used.edge) })
}

/// The longer shell up to what it is cut by; `None` while it does not reach it everywhere.
fn cut_at(
    shell: &Shell,
    made: &Longer,
    target: &Shell,
    tolerance: &Tolerance,
) -> Result<Option<Shell>, SurfacingError> {
    let together = imprint(&[&made.shell, target], tolerance)?;
    let mut kept: Vec<usize> = Vec::new();
    for (f, face) in shell.faces().iter().enumerate() {
        let Some(at) = inner_place(face) else { continue };
        kept.extend(together.part_about(0, FaceId(f as u32), at, &|i| i == 1).unwrap_or_default());
    }
    kept.sort_unstable();
    kept.dedup();
    let result = together.shell_of(&kept)?;
    let ends_late = free_edges(&result).into_iter().any(|e| {
        let Some(curve) = &result.edge(e).curve else { return false };
        let middle = curve.point(curve.domain().at(0.5));
        made.borders.iter().any(|b| closest_on_curve(b, &middle).distance <= tolerance.fit)
    });
    Ok((!ends_late && !kept.is_empty()).then_some(result))
}
