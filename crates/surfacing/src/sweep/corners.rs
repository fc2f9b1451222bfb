//! Sharp corners of a path: rounded before anything is carried, or mitred, so that both legs end in the plane midway
//! between them.

use geometry::{NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, as_line, compatible, fillet};
use nalgebra::{Matrix4, Rotation3};

use super::path_motion::PathMotion;
use super::{Carry, Law, PathCorners, Placed, Sweep};
use crate::SurfacingError;
use crate::carried::{Local, Motion, carried_surface};

/// Angle in radians from which a joint of the path is a corner.
const CORNER: f64 = 0.5 * std::f64::consts::PI / 180.0;
/// Places at which a law is looked at for whether it changes.
const STEADY_AT: u32 = 32;
/// Cosine of half the angle between two legs, below which they run back on each other.
const BACK: f64 = 0.05;
/// How many times as fast as on the average a piece of a path may be where it meets another one.
const UNEVEN: f64 = 4.0;

/// A smooth part of the path, and whether its start and its end are cut by a mitre.
pub(super) struct Leg {
    pub path: NurbsCurve,
    pub cut: [bool; 2],
}

/// The path's legs between its corners; one of them where it has none.
pub(super) fn legs(
    run: &[NurbsCurve],
    closed: bool,
    how: &Sweep<'_>,
    tolerance: &Tolerance,
) -> Result<Vec<Leg>, SurfacingError> {
    let mut smooth: Vec<Vec<NurbsCurve>> = Vec::new();
    for piece in run {
        let mut rest = piece.clone();
        let mut parts = Vec::new();
        for t in piece.corners(CORNER) {
            if let Some((before, after)) = rest.split(t) {
                parts.push(before);
                rest = after;
            }
        }
        parts.push(rest);
        for part in parts {
            match smooth.last_mut().filter(|leg| !is_corner(&leg[leg.len() - 1], &part)) {
                Some(leg) => leg.push(part),
                None => smooth.push(vec![part]),
            }
        }
    }
    let ring_corner = closed && is_corner(&run[run.len() - 1], &run[0]);
    if closed && !ring_corner && smooth.len() > 1 {
        // The seam is no corner: the first leg goes on where the last one ends.
        let first = smooth.remove(0);
        if let Some(last) = smooth.last_mut() {
            last.extend(first);
        }
    }
    let no_corner = smooth.len() == 1 && !(closed && ring_corner);
    match how.corners {
        PathCorners::Rounded(radius) if !no_corner => {
            rounded(&mut smooth, closed, radius, tolerance)?;
            let all: Vec<NurbsCurve> = smooth.into_iter().flatten().collect();
            Ok(vec![Leg { path: even_path(&all)?, cut: [false; 2] }])
        }
        _ => {
            let mitred = how.carry != Carry::KeepDirection && !no_corner;
            let last = smooth.len() - 1;
            let leg = |(k, pieces): (usize, Vec<NurbsCurve>)| {
                let cut = [mitred && (k > 0 || closed), mitred && (k < last || closed)];
                Ok(Leg { path: even_path(&pieces)?, cut })
            };
            smooth.into_iter().enumerate().map(leg).collect()
        }
    }
}

/// One curve of smooth pieces, each as fast at its start as the one before it ends, where that keeps their shares of the whole.
fn even_path(pieces: &[NurbsCurve]) -> Result<NurbsCurve, SurfacingError> {
    let mut breaks = vec![0.0];
    let mut speed: f64 = 1.0;
    for piece in pieces {
        let d = piece.domain();
        let [first, last] = [d.start, d.end].map(|t| piece.velocity(t).norm() * d.length());
        if [first / piece.polygon_length(), last / first].iter().any(|x| !(1.0 / UNEVEN..UNEVEN).contains(x))
        {
            return Ok(NurbsCurve::of_pieces(pieces)?);
        }
        let took = first / speed;
        breaks.push(breaks[breaks.len() - 1] + took);
        speed = last / took;
    }
    let whole = breaks[pieces.len()];
    breaks.iter_mut().for_each(|b| *b /= whole);
    Ok(NurbsCurve::of_pieces_over(pieces, &breaks)?)
}

fn is_corner(before: &NurbsCurve, after: &NurbsCurve) -> bool {
    let tangents = before.tangent(before.domain().end).zip(after.tangent(after.domain().start));
    tangents.is_none_or(|(a, b)| a.angle(&b) > CORNER)
}

/// Puts an arc into every corner.
fn rounded(
    legs: &mut [Vec<NurbsCurve>],
    closed: bool,
    radius: f64,
    tolerance: &Tolerance,
) -> Result<(), SurfacingError> {
    let count = legs.len();
    for k in 0..if closed { count } else { count - 1 } {
        let next = (k + 1) % count;
        let (Some(before), Some(after)) = (legs[k].last().cloned(), legs[next].first().cloned()) else {
            continue;
        };
        let at = before.end();
        let (a, b) = (before.tangent(before.domain().end), after.tangent(after.domain().start));
        let normal = a.zip(b).and_then(|(a, b)| a.cross(&b).try_normalize(1e-6));
        let normal = normal.ok_or(SurfacingError::CornerBack { at: at.into() })?;
        let off = |c: &NurbsCurve| {
            c.control_points().iter().map(|p| (p - at).dot(&normal).abs()).fold(0.0, f64::max)
        };
        let distance = off(&before).max(off(&after));
        if distance > tolerance.join {
            return Err(SurfacingError::NotFlat { distance, at: at.into() });
        }
        let corner = fillet(&before, &after, &normal, radius, tolerance.join)?;
        if let Some(last) = legs[k].last_mut() {
            *last = corner.before;
        }
        legs[k].push(corner.joint);
        legs[next][0] = corner.after;
    }
    Ok(())
}

/// The first direction with which a frame goes on round the corner after a leg.
pub(super) fn around(before: &PathMotion<'_>, after: &NurbsCurve) -> Result<Option<Vector3>, SurfacingError> {
    let Some(direction) = before.last_direction() else { return Ok(None) };
    let from = before.tangent(before.path.domain().end)?;
    let to = after.tangent(after.domain().start).unwrap_or(from);
    let turn = Rotation3::rotation_between(&from, &to);
    let turn = turn.ok_or(SurfacingError::CornerBack { at: after.start().into() })?;
    Ok(Some(turn * direction))
}

/// The faces that one section makes along legs that end in mitres, and the largest distance in millimetres from the true
/// motion that was measured.
pub(super) fn cut_surfaces(
    legs: &[Leg],
    motions: &[PathMotion<'_>],
    rows: Vec<Placed>,
    closed: bool,
    how: &Sweep<'_>,
    tolerance: &Tolerance,
) -> Result<(Vec<NurbsSurface>, f64), SurfacingError> {
    let steady = |law: Option<Law<'_>>| {
        law.is_none_or(|f| {
            (1..=STEADY_AT).all(|k| (f(f64::from(k) / f64::from(STEADY_AT)) - f(0.0)).abs() < 1e-12)
        })
    };
    let steady = steady(how.twist) && steady(how.scale);
    let corner = legs[usize::from(legs.len() > 1)].path.start();
    let (Some((_, _, row)), true, true) = (rows.first(), rows.len() == 1, steady) else {
        return Err(SurfacingError::CornerTurns { at: corner.into() });
    };
    let mut surfaces = Vec::new();
    let mut max_deviation: f64 = 0.0;
    let mut first_row: Option<NurbsCurve> = None;
    let count = legs.len();
    for (k, (leg, motion)) in legs.iter().zip(motions).enumerate() {
        let d = leg.path.domain();
        let local = Local::new(vec![(d.start, row.clone())])?;
        let ends = [d.start, d.end];
        // Where the section's control points end up when each goes on along the leg to the mitre.
        let mut mitred: [Option<(Vec<Point3>, f64)>; 2] = [None, None];
        for side in [0, 1] {
            if !leg.cut[side] {
                continue;
            }
            let other = if side == 0 { (k + count - 1) % count } else { (k + 1) % count };
            let own = motion.tangent(ends[side])?;
            let other_end =
                if side == 0 { legs[other].path.domain().end } else { legs[other].path.domain().start };
            let beyond = motions[other].tangent(other_end)?;
            let at = leg.path.point(ends[side]);
            let normal = (own + beyond)
                .try_normalize(2.0 * BACK)
                .ok_or(SurfacingError::CornerBack { at: at.into() })?;
            let points = local.carried(motion, ends[side])?;
            let shift = |p: &Point3| (at - p).dot(&normal) / own.dot(&normal);
            let reach = points.iter().map(|p| shift(p).abs()).fold(0.0, f64::max);
            mitred[side] = Some((points.iter().map(|p| p + own * shift(p)).collect(), reach));
        }
        let reach = [0, 1].map(|side| mitred[side].as_ref().map_or(0.0, |m| m.1));
        let length = leg.path.length();
        let straight = as_line(&leg.path, tolerance.resolution).is_some();
        if reach[0] + reach[1] >= length {
            return Err(SurfacingError::CornerShort { length, at: leg.path.point(d.at(0.5)).into() });
        }
        let inner = [leg.path.parameter_at_length(reach[0]), leg.path.parameter_at_length(length - reach[1])];
        for side in [0, 1].into_iter().filter(|&s| leg.cut[s] && !straight) {
            let stretch =
                if side == 0 { leg.path.part(d.start, inner[0]) } else { leg.path.part(inner[1], d.end) };
            if as_line(&stretch, tolerance.resolution).is_none() {
                return Err(SurfacingError::CornerBent {
                    reach: reach[side],
                    at: leg.path.point(ends[side]).into(),
                });
            }
        }
        let end_row = |side: usize| match &mitred[side] {
            Some((points, _)) => local.of_points(points),
            None => local.section(motion, ends[side]),
        };
        let (start, end) = (end_row(0)?, end_row(1)?);
        if k == 0 {
            first_row = Some(start.clone());
        }
        if k + 1 == count && closed {
            check_round(&end, first_row.as_ref(), tolerance)?;
        }
        if straight {
            surfaces.push(ruled(&start, &end)?);
            continue;
        }
        if leg.cut[0] {
            surfaces.push(ruled(&start, &local.section(motion, inner[0])?)?);
        }
        let middle = Part {
            motion,
            from: if leg.cut[0] { inner[0] } else { d.start },
            to: if leg.cut[1] { inner[1] } else { d.end },
        };
        let (surface, deviation) = carried_surface(&middle, &local, tolerance)?;
        max_deviation = max_deviation.max(deviation);
        surfaces.push(surface);
        if leg.cut[1] {
            surfaces.push(ruled(&local.section(motion, inner[1])?, &end)?);
        }
    }
    Ok((surfaces, max_deviation))
}

fn ruled(start: &NurbsCurve, end: &NurbsCurve) -> Result<NurbsSurface, SurfacingError> {
    Ok(geometry::skin(&compatible(&[start.clone(), end.clone()])?, &geometry::Skin::Straight)?)
}

/// Refuses a ring whose frame comes back turned: mitres leave nothing to make up for that.
fn check_round(
    end: &NurbsCurve,
    begun: Option<&NurbsCurve>,
    tolerance: &Tolerance,
) -> Result<(), SurfacingError> {
    let Some(begun) = begun else { return Ok(()) };
    let pairs = end.control_points().into_iter().zip(begun.control_points());
    let distance = pairs.map(|(a, b)| (a - b).norm()).fold(0.0, f64::max);
    if distance > tolerance.join {
        return Err(SurfacingError::NotBack { distance, at: begun.start().into() });
    }
    Ok(())
}

/// A part of a leg's motion.
struct Part<'a> {
    motion: &'a PathMotion<'a>,
    from: f64,
    to: f64,
}

impl Motion for Part<'_> {
    fn samples(&self) -> Vec<f64> {
        let inside = self.motion.samples().into_iter().filter(|t| *t > self.from && *t < self.to);
        std::iter::once(self.from).chain(inside).chain([self.to]).collect()
    }

    fn is_closed(&self) -> bool {
        false
    }

    fn path(&self) -> Option<NurbsCurve> {
        Some(self.motion.path.part(self.from, self.to))
    }

    fn place(&self, t: f64) -> Result<Matrix4<f64>, SurfacingError> {
        self.motion.place(t)
    }

    fn ahead(&self, t: f64) -> Result<Option<(Vector3, f64)>, SurfacingError> {
        self.motion.ahead(t)
    }
}
