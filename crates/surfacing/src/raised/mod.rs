//! Raised regions: the inside of an outline on faces lifted or sunk, with sides between.

mod leaning;
mod outlined;
mod tangent;

use geometry::{Elementary, NurbsCurve, NurbsSurface, Tolerance, Vector3, closest_within};
use topology::Shell;

use crate::SurfacingError;
use crate::projected_curve::{Toward, projected_curve};
use leaning::leaning;
use outlined::Drawn;
use tangent::Tangent;

/// How the sides of a raised region stand.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum RaisedSides {
    /// Straight, leaning inwards by an angle in radians.
    Leaning(f64),
    /// Leaving the face along its tangents, and coming so to the top, over a width in millimetres.
    Tangent(f64),
}

/// A region of a face that is lifted or sunk.
#[derive(Debug, Clone, Copy)]
pub struct RaisedRegion<'a> {
    /// The pieces of each of its closed outlines, in any order; brought onto the face along `toward`. Those inside others bound
    /// openings, if its sides lean.
    pub outlines: &'a [Vec<NurbsCurve>],
    /// The direction against which sides lean, of length 1; either way round.
    pub toward: Vector3,
    /// How far it is lifted along the face's normals, below 0 how far it is sunk, in millimetres.
    pub height: f64,
    /// How its sides stand.
    pub sides: RaisedSides,
}

/// The shell with a region raised, and the largest distance of its sides and top from the true ones. The region begins on a face; where
/// its sides lean it goes on over all those beside it that the outline runs over and that look the same way.
///
/// # Errors
/// `OutlineOverEdge`, `OpenOutline`; `NoSize` without a height; `RaisedFolds` where sides have no room.
pub fn raised_region(
    shell: &Shell,
    face: usize,
    region: &RaisedRegion<'_>,
    tolerance: &Tolerance,
) -> Result<(Shell, f64), SurfacingError> {
    if !region.height.is_finite() || region.height.abs() <= tolerance.resolution {
        return Err(SurfacingError::NoSize { size: region.height });
    }
    match region.sides {
        RaisedSides::Leaning(angle) => {
            let drawn = Drawn::new(shell, face, region.outlines, region.toward, tolerance)?;
            leaning(&drawn, region, angle, tolerance)
        }
        RaisedSides::Tangent(width) => {
            let mut made = (shell.clone(), 0.0);
            for outline in region.outlines {
                let next = Tangent::new(&made.0, face, outline, region, width, tolerance)?.built()?;
                made = (next.0, next.1.max(made.1));
            }
            Ok(made)
        }
    }
}

/// A curve on a surface: as it is where it lies on it, else brought there along a direction, exactly onto planes.
fn on_surface(
    curve: &NurbsCurve,
    surface: &NurbsSurface,
    direction: &Vector3,
    tolerance: &Tolerance,
) -> Result<NurbsCurve, SurfacingError> {
    let lies = |t: f64| closest_within(surface, &curve.point(t), tolerance.resolution).is_some();
    if curve.knots().sampled(4).into_iter().all(lies) {
        return Ok(curve.clone());
    }
    if let Some((Elementary::Plane(frame), _)) = Elementary::of(surface, 1e-9) {
        let slope = frame.z.dot(direction);
        if slope.abs() > 1e-9 {
            return Ok(curve.mapped(|p| p - direction * (frame.z.dot(&(p - frame.origin)) / slope)));
        }
    }
    Ok(projected_curve(curve, &[surface], Toward::Direction(*direction), tolerance)?.curve)
}
