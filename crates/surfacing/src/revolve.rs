//! Revolve: a profile turned about an axis.

use geometry::{Axis, NurbsCurve, Tolerance, Vector3, tightest_bend};
use topology::Body;

use crate::{Meridian, MeridianPiece, SurfacingError, Turn, turned_shell};

/// A turned profile with what thickening needs to know of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Revolved {
    /// The shell, or the solid when it closes.
    pub body: Body,
    /// The profile beside its axis. Closed along the axis when both ends are on it.
    pub meridian: Meridian,
    /// How it was turned.
    pub turn: Turn,
    /// Whether the outside is to the left of the profile's direction.
    pub flipped: bool,
    /// Smallest radius of the profile and its place in space; `None` for straight lines only.
    pub smallest_radius: Option<(f64, [f64; 3])>,
}

/// Where the outside of an open result is by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Outside {
    /// Away from the axis, all in all; for a flat disc as drawn.
    #[default]
    FromAxis,
    /// To the right of the profile's direction, seen with the axis upwards on the left.
    RightOfProfile,
}

/// Turns `curves` (each with the name that its faces take) about `axis`.
///
/// `capped` closes a partial turn of a closed profile, or of one with both ends on the axis, with flat faces.
/// `flipped` turns the outside of an open result to the other side than `outside`; a solid always faces outwards.
///
/// # Errors
/// `Angle`, `Sides`, and those of [`Meridian::new`].
pub fn revolve(
    curves: &[(NurbsCurve, String)],
    axis: &Axis,
    turn: Turn,
    capped: bool,
    (outside, flipped): (Outside, bool),
    tolerance: &Tolerance,
) -> Result<Revolved, SurfacingError> {
    turn.check()?;
    let mut meridian = Meridian::new(curves, axis, tolerance)?;
    let flipped = flipped != (outside == Outside::FromAxis && meridian.runs_down());
    close_along_axis(&mut meridian);
    let shell = turned_shell(&meridian, &turn, capped)?;
    let body = Body::from_shell(if flipped { shell.flipped() } else { shell });
    // A solid faces outwards by itself: to the right of a chain that runs counter-clockwise, else to the left.
    let flipped = if body.is_solid() { meridian.runs_clockwise() } else { flipped };
    let mut smallest: Option<(f64, [f64; 3])> = None;
    for piece in &meridian.pieces {
        for left in [false, true] {
            if let Some((t, radius)) = tightest_bend(&piece.curve, &Vector3::z(), left)
                && smallest.is_none_or(|s| radius < s.0)
            {
                smallest = Some((radius, meridian.to_space(&piece.curve.point(t))));
            }
        }
    }
    Ok(Revolved { body, meridian, turn, flipped, smallest_radius: smallest })
}

/// A chain with both ends on the axis encloses its section together with the axis.
fn close_along_axis(meridian: &mut Meridian) {
    let (start, end) = meridian.ends();
    if !meridian.closed && start.x == 0.0 && end.x == 0.0 {
        meridian.pieces.push(MeridianPiece::line(end, start, "axis"));
        meridian.closed = true;
    }
}
