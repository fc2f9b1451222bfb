//! Extrude: curves moved along a direction (The NURBS Book, section 8.3), straight or with draft.

mod draft;
mod to_face;

use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3};
use topology::{Body, Face, Shell};

use crate::SurfacingError;
use crate::assembled::{assembled, encloses};

/// How far an extrusion goes.
#[derive(Debug, Clone, PartialEq)]
pub enum Reach {
    /// From one distance along the unit direction to another, in millimetres.
    Between(f64, f64),
    /// From the curve along the direction to a plane, which may be slanted.
    UpTo(Frame),
    /// From the curve along the direction to a face, whose surface may be met beyond its edges.
    UpToFace(Box<Face>),
}

/// An extrusion with what it reached.
#[derive(Debug, Clone, PartialEq)]
pub struct Extruded {
    /// The body.
    pub body: Body,
    /// Largest distance from the exact extrusion that was measured, in millimetres; none for an exact one.
    pub max_deviation: Option<f64>,
}

/// The surfaces that curves make when they move along a unit direction, one face for each under its name; closed
/// outlines in a plane become a solid if `close`. With a draft, in radians, they grow narrower along their way: for
/// curves in a plane square to the direction.
///
/// # Errors
/// `Empty` without curves; `NoLength` for a way of no length, a curve along the direction, or a plane that it never
/// reaches; `NotFlat`, `DraftTooSteep` with a draft; `Misses` for a face that it does not reach.
pub fn extrude(
    curves: &[(NurbsCurve, String)],
    direction: &Vector3,
    reach: &Reach,
    draft: f64,
    close: bool,
    tolerance: &Tolerance,
) -> Result<Extruded, SurfacingError> {
    if curves.is_empty() {
        return Err(SurfacingError::Empty);
    }
    let outlines: Vec<NurbsCurve> = curves.iter().map(|c| c.0.clone()).collect();
    let encloses = encloses(&outlines, tolerance);
    if encloses && runs_in_plane(&outlines, direction, tolerance) {
        let why = "the direction runs in the outline's own plane";
        return Err(SurfacingError::NoLength { why, at: outlines[0].start().into() });
    }
    let close = close && encloses;
    // Moved and affine maps, so that the control points' images are those of the image.
    let straight = |ends: &dyn Fn(&NurbsCurve) -> [NurbsCurve; 2]| {
        let mut surfaces = Vec::with_capacity(curves.len());
        for (curve, name) in curves {
            let [start, end] = ends(curve);
            let pairs = start.control_points().into_iter().zip(end.control_points());
            let moved = pairs.map(|(a, b)| (b - a).norm()).fold(0.0, f64::max);
            check_way(curve, direction, moved, tolerance)?;
            surfaces.push((NurbsSurface::ruled(&start, &end)?, name.clone()));
        }
        Ok(Extruded { body: assembled(surfaces, close, tolerance)?, max_deviation: None })
    };
    let made = match reach {
        Reach::UpToFace(face) => to_face::extrude_to_face(curves, direction, face, close, tolerance),
        Reach::Between(from, to) if draft != 0.0 => {
            let drafted = draft::drafted(curves, direction, [*from, *to], draft, tolerance)?;
            let body = assembled(drafted.surfaces, close, tolerance)?;
            Ok(Extruded { body, max_deviation: drafted.max_deviation })
        }
        Reach::Between(from, to) => {
            straight(&|curve| [*from, *to].map(|k| curve.mapped(|p| p + direction * k)))
        }
        Reach::UpTo(plane) => {
            let climb = direction.dot(&plane.z);
            if climb.abs() <= 1e-9 {
                let why = "the direction runs along the plane and never reaches it";
                return Err(SurfacingError::NoLength { why, at: outlines[0].start().into() });
            }
            let foot = |p: &Point3| p - direction * ((p - plane.origin).dot(&plane.z) / climb);
            straight(&|curve| [curve.clone(), curve.mapped(foot)])
        }
    }?;
    // What goes round without ends has an outside all the same.
    let body = match made.body {
        Body::Shell(shell) if encloses => Body::Shell(facing_outward(&shell, direction)),
        body => body,
    };
    Ok(Extruded { body, ..made })
}

/// A shell of tubes along a direction, each facing away from its own middle.
fn facing_outward(shell: &Shell, direction: &Vector3) -> Shell {
    /// Places in either direction of each face that are looked at.
    const LOOKED_AT: usize = 12;
    let mut out: Option<Shell> = None;
    for tube in shell.pieces() {
        let mut seen: Vec<(Point3, Vector3)> = Vec::new();
        for face in tube.faces() {
            let (u, v) = face.surface.domain();
            let share = |k: usize| (k as f64 + 0.5) / LOOKED_AT as f64;
            for (i, j) in (0..LOOKED_AT).flat_map(|i| (0..LOOKED_AT).map(move |j| (i, j))) {
                let (p, du, dv) = face.surface.tangents(u.at(share(i)), v.at(share(j)));
                let area = du.cross(&dv) * (u.length() * v.length());
                seen.push((p, if face.reversed { -area } else { area }));
            }
        }
        let middle = seen.iter().fold(Vector3::zeros(), |sum, s| sum + s.0.coords) / seen.len() as f64;
        // The divergence theorem in the plane across: positive if the normals point outward.
        let flow = |(p, area): &(Point3, Vector3)| {
            let from = p.coords - middle;
            (from - direction * from.dot(direction)).dot(area)
        };
        let outward = seen.iter().map(flow).sum::<f64>() >= 0.0;
        let tube = if outward { tube } else { tube.flipped() };
        out = Some(out.map_or_else(|| tube.clone(), |all| all.beside(&tube)));
    }
    out.unwrap_or_else(|| shell.clone())
}

/// Whether closed outlines, seen along a direction, are no more than a line.
fn runs_in_plane(outlines: &[NurbsCurve], direction: &Vector3, tolerance: &Tolerance) -> bool {
    let from = outlines[0].start();
    let across = |p: Point3| {
        let d = p - from;
        d - direction * d.dot(direction)
    };
    let seen: Vec<Vector3> = outlines.iter().flat_map(NurbsCurve::control_points).map(across).collect();
    let widest = seen.iter().copied().max_by(|a, b| a.norm_squared().total_cmp(&b.norm_squared()));
    let Some(along) = widest.and_then(|w| w.try_normalize(tolerance.resolution)) else { return true };
    seen.iter().all(|d| (d - along * d.dot(&along)).norm() <= tolerance.resolution)
}

/// Refuses a way of no length, and a curve that runs along it.
fn check_way(
    curve: &NurbsCurve,
    direction: &Vector3,
    moved: f64,
    tolerance: &Tolerance,
) -> Result<(), SurfacingError> {
    let across = curve.control_points().into_iter().map(|p| {
        let d = p - curve.start();
        (d - direction * d.dot(direction)).norm()
    });
    let why = if moved <= tolerance.resolution {
        "it goes nowhere"
    } else if across.fold(0.0, f64::max) <= tolerance.resolution {
        "the curve runs along the direction"
    } else {
        return Ok(());
    };
    Err(SurfacingError::NoLength { why, at: curve.start().into() })
}
