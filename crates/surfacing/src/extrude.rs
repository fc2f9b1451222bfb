//! Extrude: curves moved along a direction (The NURBS Book, section 8.3).

use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3};
use topology::Body;

use crate::SurfacingError;
use crate::assembled::{assembled, encloses};

/// How far an extrusion goes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Reach {
    /// From one distance along the unit direction to another, in millimetres.
    Between(f64, f64),
    /// From the curve along the direction to a plane, which may be slanted.
    UpTo(Frame),
}

/// The surfaces that curves make when they move along a unit direction, one face for each under its name; closed
/// outlines in a plane become a solid if `close`.
///
/// # Errors
/// `Empty` without curves; `NoLength` for a way of no length, a curve along the direction, or a plane that it never
/// reaches.
pub fn extrude(
    curves: &[(NurbsCurve, String)],
    direction: &Vector3,
    reach: &Reach,
    close: bool,
    tolerance: &Tolerance,
) -> Result<Body, SurfacingError> {
    if curves.is_empty() {
        return Err(SurfacingError::Empty);
    }
    let mut surfaces = Vec::with_capacity(curves.len());
    for (curve, name) in curves {
        let [start, end] = match reach {
            Reach::Between(from, to) => [*from, *to].map(|k| curve.mapped(|p| p + direction * k)),
            Reach::UpTo(plane) => {
                let climb = direction.dot(&plane.z);
                if climb.abs() <= 1e-9 {
                    return Err(SurfacingError::NoLength {
                        why: "the direction runs along the plane and never reaches it",
                        at: curve.start().into(),
                    });
                }
                // Affine, so that the control points' images are those of the image.
                let foot = |p: &Point3| p - direction * ((p - plane.origin).dot(&plane.z) / climb);
                [curve.clone(), curve.mapped(foot)]
            }
        };
        let pairs = start.control_points().into_iter().zip(end.control_points());
        let moved = pairs.map(|(a, b)| (b - a).norm()).fold(0.0, f64::max);
        let across = curve.control_points().into_iter().map(|p| {
            let d = p - curve.start();
            (d - direction * d.dot(direction)).norm()
        });
        let why = if moved <= tolerance.resolution {
            Some("it goes nowhere")
        } else if across.fold(0.0, f64::max) <= tolerance.resolution {
            Some("the curve runs along the direction")
        } else {
            None
        };
        if let Some(why) = why {
            return Err(SurfacingError::NoLength { why, at: curve.start().into() });
        }
        surfaces.push((NurbsSurface::ruled(&start, &end)?, name.clone()));
    }
    let outlines: Vec<NurbsCurve> = curves.iter().map(|c| c.0.clone()).collect();
    assembled(surfaces, close && encloses(&outlines, tolerance), tolerance)
}
