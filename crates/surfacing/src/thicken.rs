//! Thicken: a turned shell given a wall.
//!
//! The surface normals of a turned shape lie in its meridian planes (for flat sides: in the plane through the middle
//! of the side), so that the wall is the turned section between two offsets of the meridian. Ends off the axis get a
//! flat wall along the free edge.

use std::f64::consts::PI;

use geometry::{Point3, Tolerance};
use topology::{Body, Shell, Solid};

use crate::fits::largest_share;
use crate::offset_chain::{Chain, Misfit, OffsetTrouble, offset_chain};
use crate::{FlatMeasure, Meridian, MeridianPiece, Revolved, SurfacingError, Turn, turned_shell};

/// Halvings when looking for the thickness that would fit; three significant digits.
const FIT_HALVINGS: usize = 12;

/// How the roles of the faces of either side begin.
const OUTER: &str = "outer side";
const INNER: &str = "inner side";

/// A wall and what it reached.
#[derive(Debug, Clone, PartialEq)]
pub struct Thickened {
    /// The solid.
    pub body: Body,
    /// Largest distance of the offset profile from the true one, in millimetres.
    pub max_deviation: f64,
}

impl Thickened {
    /// Both skins, the inner one first.
    #[must_use]
    pub fn skins(&self) -> [Shell; 2] {
        let whole = self.body.whole();
        [INNER, OUTER].map(|name| skin_called(&whole, name))
    }
}

/// The faces whose roles begin with a name.
pub(crate) fn skin_called(whole: &Shell, name: &str) -> Shell {
    let own = whole.faces().iter().enumerate().filter(|(_, f)| f.role.starts_with(name));
    whole.part(&own.map(|(k, _)| k).collect::<Vec<usize>>())
}

/// Gives a turned shell a wall that reaches `outward` mm to its outer and `inward` mm to its inner side.
///
/// # Errors
/// `NoThickness`; `TooThick` with the place and the largest total that fits in the same proportion.
pub fn thicken(
    source: &Revolved,
    outward: f64,
    inward: f64,
    tolerance: &Tolerance,
) -> Result<Thickened, SurfacingError> {
    let usable = |d: f64| d.is_finite() && d >= 0.0;
    let total = outward + inward;
    if !(usable(outward) && usable(inward)) || total <= tolerance.resolution {
        return Err(SurfacingError::NoThickness);
    }
    let base = across_flats(source);
    let (right, left) = if source.flipped { (inward, outward) } else { (outward, inward) };
    let names = if source.flipped { [INNER, OUTER] } else { [OUTER, INNER] };
    let section = |factor: f64| wall_section(&base, [right * factor, left * factor], names, tolerance);
    let (sections, max_deviation) = match section(1.0) {
        Ok(done) => done,
        Err(OffsetTrouble::Other(e)) => return Err(e),
        Err(OffsetTrouble::Misfit(Misfit { why, at })) => {
            let share = largest_share(FIT_HALVINGS, &|share| section(share).is_ok()).unwrap_or(0.0);
            return Err(SurfacingError::TooThick { asked: total, fits: share * total, why: why.into(), at });
        }
    };
    let turn = match source.turn {
        Turn::FlatSided { sides, .. } => Turn::FlatSided { sides, measure: FlatMeasure::Flats },
        round => round,
    };
    if let [section] = sections.as_slice() {
        let body = Body::from_shell(turned_shell(section, &turn, true)?);
        return Ok(Thickened { body, max_deviation });
    }
    if !turn.is_full() {
        return Err(SurfacingError::RingPartWay { at: base.to_space(&base.ends().0) });
    }
    let shells = sections.iter().map(|s| turned_shell(s, &turn, false)).collect::<Result<_, _>>()?;
    Ok(Thickened { body: Body::Solid(Solid::try_new(shells)?), max_deviation })
}

/// The source's meridian through the middle of a side: there the wall's thickness is what was asked for.
fn across_flats(source: &Revolved) -> Meridian {
    let mut meridian = source.meridian.clone();
    if let Turn::FlatSided { sides, measure: FlatMeasure::Corners } = source.turn {
        let factor = (PI / sides as f64).cos();
        // The profile stood at a corner; half a step on is the middle of a side.
        let step = PI / sides as f64;
        let around = meridian.frame.y.cross(&meridian.frame.x);
        meridian.frame.x = meridian.frame.x * step.cos() + around * step.sin();
        meridian.frame.z = meridian.frame.x.cross(&meridian.frame.y);
        for piece in &mut meridian.pieces {
            piece.curve = piece.curve.mapped(|p| Point3::new(p.x * factor, p.y, 0.0));
        }
    }
    meridian
}

/// The closed section between the offsets to the right and to the left; for a closed profile these two themselves.
fn wall_section(
    base: &Meridian,
    [right, left]: [f64; 2],
    [right_name, left_name]: [&str; 2],
    tolerance: &Tolerance,
) -> Result<(Vec<Meridian>, f64), OffsetTrouble> {
    let to_space = |p: &Point3| base.to_space(p);
    let chord = base.chord(tolerance);
    // A chain that was closed along the axis is open again for its wall.
    let kept = open_at_axis(&base.pieces);
    let closed = base.closed && kept.len() == base.pieces.len();
    let chain = Chain { pieces: &kept, closed, grown: &[] };
    let offset = |distance: f64, name: &str| {
        let mut done = offset_chain(&chain, distance, chord, tolerance, &to_space)?;
        for piece in &mut done.pieces {
            piece.role = format!("{name} of {}", piece.role);
        }
        Ok::<_, OffsetTrouble>(done)
    };
    let (first, second) = (offset(-right, right_name)?, offset(left, left_name)?);
    let max_deviation = first.max_deviation.max(second.max_deviation);
    let back = second.pieces.iter().rev().map(MeridianPiece::reversed).collect();
    let chains: Vec<Vec<MeridianPiece>> = if closed {
        vec![first.pieces, back]
    } else {
        let mut around = first.pieces;
        let start = around[0].curve.start();
        let turn = around[around.len() - 1].curve.end();
        push_wall(&mut around, turn, second.pieces[second.pieces.len() - 1].curve.end());
        around.extend(back);
        push_wall(&mut around, second.pieces[0].curve.start(), start);
        vec![around]
    };
    let mut sections = Vec::with_capacity(chains.len());
    for pieces in chains {
        let section = Meridian { pieces, closed: true, off_axis: Vec::new(), ..base.clone() };
        match section.check_crossings(tolerance) {
            Ok(()) => sections.push(section),
            Err(SurfacingError::CrossesItself { at }) => {
                return Err(OffsetTrouble::Misfit(Misfit { why: "the wall runs into itself", at }));
            }
            Err(SurfacingError::CrossesAxis { at }) => {
                return Err(OffsetTrouble::Misfit(Misfit { why: "the wall reaches the axis", at }));
            }
            Err(e) => return Err(OffsetTrouble::Other(e)),
        }
    }
    Ok((sections, max_deviation))
}

fn push_wall(pieces: &mut Vec<MeridianPiece>, from: Point3, to: Point3) {
    if (to - from).norm() > 1e-9 {
        pieces.push(MeridianPiece::line(from, to, "end wall"));
    } else if let Some(last) = pieces.last_mut() {
        last.curve = last.curve.with_ends(None, Some(to));
    }
}

/// The pieces off the axis, in order from where the axis ends.
fn open_at_axis(pieces: &[MeridianPiece]) -> Vec<MeridianPiece> {
    let first = pieces.iter().position(|p| p.on_axis).map_or(0, |i| i + 1);
    let (tail, head) = (&pieces[first.min(pieces.len())..], &pieces[..first.min(pieces.len())]);
    tail.iter().chain(head).filter(|p| !p.on_axis).cloned().collect()
}
