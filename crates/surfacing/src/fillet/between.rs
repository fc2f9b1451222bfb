//! A fillet between two surfaces, whether they meet or not: a ball rolls on both, its centre where their offsets meet
//! (Vida, Martin, Varady, A survey of blending methods that use parametric surfaces, CAD 26, 1994, section 4).

use std::sync::Arc;

use geometry::{
    ArcLength, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, closest_on_surface, offset_surface,
};
use topology::{Body, FaceId, Shell, face_extent, imprint, join, natural_shell, pcurve_on};

use super::strip::strip;
use super::track::{Near, Profile, Track, longer};
use super::{Round, Rounded};
use crate::SurfacingError;
use crate::ground::Ground;
use crate::strip::Strip;

/// Share of the radius beside a line of contact at which is looked which part of a surface stays.
const BESIDE: f64 = 1e-2;

/// What is filleted.
pub struct Rolling<'a> {
    /// The two shapes, each with the number of the face on which the ball rolls.
    pub shells: [(&'a Shell, usize); 2],
    /// Whether the ball is on the outer side of either.
    pub outside: [bool; 2],
    /// Whether either one is trimmed by the fillet, and joined to it.
    pub trims: [bool; 2],
    /// The radius in millimetres by the share, 0 to 1, of the way that lies behind.
    pub size: &'a dyn Fn(f64) -> f64,
    /// Whether it is the same everywhere.
    pub even: bool,
    /// What lies between the lines along which the ball touches.
    pub round: Round,
}

/// A fillet between two surfaces, joined with those that it trims. Where the radius changes, its middle one tells where the
/// ball rolls along.
///
/// # Errors
/// `NothingBetween`; `NoSize`; `FilletTooLarge` where the radius changes too much; `FilletEndsInside` for one that does not
/// part what it is to trim; those of [`offset_surface`].
pub fn fillet_between(rolling: &Rolling<'_>, tolerance: &Tolerance) -> Result<Rounded, SurfacingError> {
    let faces = rolling.shells.map(|(shell, face)| &shell.faces()[face]);
    let middle = (rolling.size)(0.5);
    let least = (0..=16).map(|k| (rolling.size)(f64::from(k) / 16.0)).fold(f64::MAX, f64::min);
    if least.is_nan() || least <= tolerance.resolution {
        return Err(SurfacingError::NoSize { size: least });
    }
    let mut offsets: Vec<Arc<NurbsSurface>> = Vec::with_capacity(2);
    for (face, outside) in faces.iter().zip(rolling.outside) {
        let along = if outside == face.reversed { -middle } else { middle };
        let made = offset_surface(&face.surface, along, face_extent(face), tolerance)?;
        offsets.push(Arc::new(made.surface));
    }
    let sheets = [
        natural_shell(offsets[0].clone(), "", tolerance)?,
        natural_shell(offsets[1].clone(), "", tolerance)?,
    ];
    let spines = imprint(&[&sheets[0], &sheets[1]], tolerance)?.common_curves(|i| i == 0);
    let grounds = [0, 1].map(|k| {
        let ground = Ground::new(faces[k], 0.0);
        if rolling.outside[k] { ground } else { ground.turned() }
    });
    let mut strips = Vec::with_capacity(spines.len());
    for (spine, _) in &spines {
        let run = ArcLength::new(spine);
        let size = |t: f64| (rolling.size)(if rolling.even { 0.5 } else { run.share(t) });
        let feet = [pcurve_on(spine, &offsets[0], tolerance)?, pcurve_on(spine, &offsets[1], tolerance)?];
        let track = Track::new(
            (longer(spine, 0.0), spine.domain()),
            [&grounds[0], &grounds[1]],
            Near::Feet(feet),
            1.0,
            Profile::Round(rolling.round),
            Box::new(size),
            rolling.even,
        );
        strips.push(strip(&track, spine.domain(), [spine.domain(); 2], None, tolerance)?);
    }
    if strips.is_empty() {
        let [u, v] = face_extent(faces[0]);
        return Err(SurfacingError::NothingBetween {
            at: faces[0].surface.point(u.at(0.5), v.at(0.5)).into(),
        });
    }
    let max_deviation = strips.iter().map(|s| s.max_deviation).fold(0.0, f64::max);
    let mut parts = Vec::new();
    for which in 0..2 {
        if rolling.trims[which] {
            parts.push(trimmed(rolling, which, &strips, tolerance)?);
        }
    }
    let role = format!("fillet of {} and {}", faces[0].role, faces[1].role);
    for made in &strips {
        let shell = natural_shell(Arc::new(made.surface.clone()), &role, tolerance)?;
        parts.push(if parts.is_empty() { facing(shell, &grounds[0], made) } else { shell });
    }
    let shell = join(&parts, tolerance.join)?.shell;
    let shell = match Body::from_shell(shell) {
        Body::Shell(shell) => shell,
        Body::Solid(solid) => solid.outer().clone(),
    };
    Ok(Rounded { shell, edges: strips.len(), max_deviation })
}

/// The strip's shell with the side of the ball outside.
fn facing(shell: Shell, ground: &Ground, made: &Strip) -> Shell {
    let (u, _) = made.surface.domain();
    let t = u.at(0.5);
    let p = made.pcurves[0].point(t);
    let toward = ground.place([p.x, p.y]).map(|p| p.normal);
    match (toward, made.surface.normal(t, 0.0)) {
        (Some(a), Some(b)) if a.dot(&b) < 0.0 => shell.flipped(),
        _ => shell,
    }
}

/// The part of a shape on which the ball does not lie.
fn trimmed(
    rolling: &Rolling<'_>,
    which: usize,
    strips: &[Strip],
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let (shell, face) = rolling.shells[which];
    let lines: Vec<NurbsCurve> = strips.iter().map(|s| s.surface.curve_at_v(which as f64)).collect();
    let cutter = Shell::of_curves(&lines, tolerance)?;
    let made = imprint(&[shell, &cutter], tolerance)?;
    let surface = &shell.faces()[face].surface;
    let t = strips[0].surface.domain().0.at(0.5);
    let (at, away) = away(&strips[0], t, which);
    let beside = at + away * (BESIDE * (rolling.size)(0.5));
    let place = closest_on_surface(surface, &beside).parameters;
    let ends = SurfacingError::FilletEndsInside { which, at: at.into() };
    let kept = made.part_about(0, FaceId(face as u32), place, &|i| i == 1).ok_or_else(|| ends.clone())?;
    if kept.len() == made.shell.faces().len() {
        return Err(ends);
    }
    Ok(made.shell_of(&kept)?)
}

/// A place of contact, and the direction in which the surface runs on from the fillet.
fn away(made: &Strip, t: f64, which: usize) -> (Point3, Vector3) {
    let v = which as f64;
    let (point, _, across) = made.surface.tangents(t, v);
    let across = if which == 0 { -across } else { across };
    (point, across.normalize())
}
