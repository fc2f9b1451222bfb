//! Sweep: sections carried along a path.
//!
//! The path's frames are found at samples, the sections' control points are carried by them, and the columns that they
//! make are interpolated and refined until they follow the true motion within the fit tolerance. Frames that follow the
//! path turn about it as little as possible, by double reflection (Wang, Juettler, Zheng & Liu, Computation of rotation
//! minimizing frames, ACM TOG 27, 2008).

mod corners;
mod path_motion;

use std::f64::consts::TAU;

use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, circle_arc, closest_on_curve};
use topology::Body;

use crate::SurfacingError;
use crate::assembled::{assembled, numbered};
use crate::carried::{Local, carried_surface};
use crate::chain;
use crate::miss::{Miss, missed};
use crate::sections::{Run, align, middle, places, rows_of_faces};
use path_motion::PathMotion;

/// How a section is turned on its way.
#[derive(Debug, Clone, PartialEq)]
pub enum Carry<'a> {
    /// Not at all: it keeps its direction.
    KeepDirection,
    /// With the path, without needless twist.
    Follow,
    /// With the path, keeping its angle to a direction.
    AlongDirection(Vector3),
    /// With the path, keeping its angle to a surface.
    AlongSurface(&'a NurbsSurface),
}

/// A section of a sweep.
#[derive(Debug, Clone, PartialEq)]
pub enum SweepSection {
    /// Curves where they are: the path's nearest place carries them.
    Drawn(Vec<NurbsCurve>),
    /// Curves brought to a share 0 to 1 of the path's length, with a plane of their own laid square to it.
    Brought {
        /// The curves.
        pieces: Vec<NurbsCurve>,
        /// Their plane; its origin comes to lie on the path, its y as far upwards as can be.
        plane: Frame,
        /// The share.
        at: f64,
    },
    /// A circle of this radius about the path.
    Round(f64),
    /// A straight line of this length from the path, which leaves it in the reference surface, or square to what the frame
    /// is turned by; the twist raises it out of the surface, towards its normal.
    Straight(f64),
}

/// What is done at sharp corners of a path.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub enum PathCorners {
    /// Both legs go on to the plane midway between them.
    #[default]
    Mitred,
    /// The path is rounded by this radius in millimetres.
    Rounded(f64),
}

/// A value by the share 0 to 1 of a path's length.
pub type Law<'a> = &'a dyn Fn(f64) -> f64;

/// A sweep's choices.
pub struct Sweep<'a> {
    /// How sections are turned.
    pub carry: Carry<'a>,
    /// What is done at corners.
    pub corners: PathCorners,
    /// Turn about the path in radians, by the share 0 to 1 of its length, if it turns.
    pub twist: Option<Law<'a>>,
    /// Growth about the path, by the share 0 to 1 of its length, if it grows.
    pub scale: Option<Law<'a>>,
    /// Whether planar ends are closed, so that it becomes a solid.
    pub close: bool,
    /// What its faces are called; with several, a number follows.
    pub name: String,
}

/// A sweep with what it reached.
#[derive(Debug, Clone, PartialEq)]
pub struct Swept {
    /// The body.
    pub body: Body,
    /// Largest distance from the true motion that was measured, in millimetres.
    pub max_deviation: f64,
    /// Whether that is within the fit tolerance.
    pub converged: bool,
    /// Where it stays farther off a section that was drawn on its way than the fit tolerance.
    pub miss: Option<Miss>,
}

/// The surface that sections sweep out along a path.
///
/// # Errors
/// `Empty`; `TooTight` where the path bends more sharply than the section allows; `NoWay` for a radius, a scale or a
/// reference that makes no frame; `CornerBent` and `CornerTurns` at corners that cannot be mitred.
pub fn sweep(
    sections: &[SweepSection],
    path: &[NurbsCurve],
    how: &Sweep<'_>,
    tolerance: &Tolerance,
) -> Result<Swept, SurfacingError> {
    let run = chain(path, tolerance)?;
    let legs = corners::legs(&run.run(path), run.closed, how, tolerance)?;
    let smooth_ring = run.closed && legs.len() == 1 && !legs[0].cut[0];
    let lengths: Vec<f64> = legs.iter().map(|l| l.path.length()).collect();
    let whole: f64 = lengths.iter().sum();
    let mut motions: Vec<PathMotion<'_>> = Vec::with_capacity(legs.len());
    let mut before = 0.0;
    for (leg, length) in legs.iter().zip(&lengths) {
        let first = motions.last().map(|last| corners::around(last, &leg.path)).transpose()?.flatten();
        motions.push(PathMotion::new(&leg.path, smooth_ring, how, [before, whole], first)?);
        before += length;
    }
    let (faces, enclosing) = local_sections(sections, &motions, &lengths, tolerance)?;
    let mut surfaces = Vec::new();
    let mut max_deviation: f64 = 0.0;
    if legs.iter().any(|l| l.cut[0] || l.cut[1]) {
        for rows in faces {
            let (cut, deviation) = corners::cut_surfaces(&legs, &motions, rows, run.closed, how, tolerance)?;
            surfaces.extend(cut);
            max_deviation = max_deviation.max(deviation);
        }
    } else {
        // Of several legs each is carried by itself; a section of one place serves them all.
        let on_leg = |k: usize| {
            let start = motions[k].path.domain().start;
            let place =
                |(leg, t, row): &(usize, f64, NurbsCurve)| (if *leg == k { *t } else { start }, row.clone());
            Local::of_faces(faces.iter().map(|rows| rows.iter().map(place).collect()).collect(), [false; 2])
        };
        let locals = (0..motions.len()).map(on_leg).collect::<Result<Vec<_>, _>>()?;
        for f in 0..faces.len() {
            for (motion, locals) in motions.iter().zip(&locals) {
                let (surface, deviation) = carried_surface(motion, &locals[f], tolerance)?;
                max_deviation = max_deviation.max(deviation);
                surfaces.push(surface);
            }
        }
    }
    let body = assembled(numbered(surfaces, &how.name), how.close && enclosing && !run.closed, tolerance)?;
    let drawn = sections.iter().filter_map(|s| if let SweepSection::Drawn(c) = s { Some(c) } else { None });
    // At a mitre part of a section lies on the other leg's side of it.
    let mitred = legs.iter().any(|l| l.cut[0] || l.cut[1]);
    let miss = if mitred { None } else { missed(&body, drawn.flatten(), tolerance.fit) };
    Ok(Swept { body, max_deviation, miss, converged: max_deviation <= tolerance.fit })
}

/// Frames at equal steps of a path's length, which turn with it without needless twist, the first at its start; the last at
/// its end, or for a closed path one step before its start.
///
/// # Errors
/// `Empty`, `NotOneChain` and `Branches` for the path.
pub fn frames_along(
    path: &[NurbsCurve],
    count: usize,
    tolerance: &Tolerance,
) -> Result<Vec<Frame>, SurfacingError> {
    let run = chain(path, tolerance)?;
    let path = NurbsCurve::of_pieces(&run.run(path))?;
    let how = Sweep {
        carry: Carry::Follow,
        corners: PathCorners::Mitred,
        twist: None,
        scale: None,
        close: false,
        name: String::new(),
    };
    let whole = path.length();
    let motion = PathMotion::new(&path, run.closed, &how, [0.0, whole], None)?;
    let gaps = if run.closed { count } else { count.saturating_sub(1).max(1) };
    (0..count).map(|k| motion.frame(path.parameter_at_length(whole * k as f64 / gaps as f64))).collect()
}

/// A section's place: leg, parameter on it, and the section in that leg's coordinates there.
type Placed = (usize, f64, NurbsCurve);

/// The sections of each face in the coordinates of their legs, in order along the path, and whether they close.
fn local_sections(
    sections: &[SweepSection],
    motions: &[PathMotion<'_>],
    lengths: &[f64],
    tolerance: &Tolerance,
) -> Result<(Vec<Vec<Placed>>, bool), SurfacingError> {
    let start = motions[0].path.start().into();
    let flat = Frame { origin: Point3::origin(), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() };
    let mut placed: Vec<(usize, f64, Vec<NurbsCurve>)> = Vec::with_capacity(sections.len());
    let mut all_closed = None;
    for (i, section) in sections.iter().enumerate() {
        let here = (0, motions[0].path.domain().start);
        let (leg, t, run, closed) = match section {
            SweepSection::Round(radius) => {
                if radius.is_nan() || *radius <= tolerance.resolution {
                    return Err(SurfacingError::NoWay {
                        why: "a round section needs a radius; give one above 0",
                        at: start,
                    });
                }
                (here.0, here.1, vec![circle_arc(&flat, *radius, 0.0, TAU)?], true)
            }
            SweepSection::Straight(length) => {
                if length.is_nan() || length.abs() <= tolerance.resolution {
                    return Err(SurfacingError::NoWay {
                        why: "a straight section needs a length; give one",
                        at: start,
                    });
                }
                let line = NurbsCurve::line(Point3::origin(), Point3::new(0.0, *length, 0.0));
                (here.0, here.1, vec![line], false)
            }
            SweepSection::Brought { pieces, plane, at } => {
                let chain = chain(pieces, tolerance)?;
                let mut left = at.clamp(0.0, 1.0) * lengths.iter().sum::<f64>();
                let mut leg = 0;
                while leg + 1 < lengths.len() && left > lengths[leg] {
                    left -= lengths[leg];
                    leg += 1;
                }
                let t = motions[leg].path.parameter_at_length(left);
                let scale = motions[leg].scale(t)?;
                let local = |p: &Point3| Point3::from(plane.coordinates(p) / scale);
                (leg, t, chain.run(pieces).iter().map(|c| c.mapped(local)).collect(), chain.closed)
            }
            SweepSection::Drawn(pieces) => {
                let chain = chain(pieces, tolerance)?;
                let run = chain.run(pieces);
                let about = Point3::from(middle(&places(&run)));
                let feet = motions.iter().map(|m| closest_on_curve(m.path, &about)).enumerate();
                let nearest = feet.min_by(|a, b| a.1.distance.total_cmp(&b.1.distance));
                let (leg, foot) = nearest.ok_or(SurfacingError::Empty)?;
                let (frame, scale) =
                    (motions[leg].frame(foot.parameter)?, motions[leg].scale(foot.parameter)?);
                let local = |p: &Point3| Point3::from(frame.coordinates(p) / scale);
                (leg, foot.parameter, run.iter().map(|c| c.mapped(local)).collect(), chain.closed)
            }
        };
        if closed != *all_closed.get_or_insert(closed) {
            let at = motions[leg].path.point(t).into();
            return Err(SurfacingError::MixedSections { section: i + 1, closed, at });
        }
        placed.push((leg, t, run));
    }
    let closed = all_closed.ok_or(SurfacingError::Empty)?;
    placed.sort_by(|a, b| (a.0, a.1).partial_cmp(&(b.0, b.1)).unwrap_or(std::cmp::Ordering::Equal));
    if motions.len() > 1 && placed.len() > 1 {
        let at = motions[placed[1].0].path.point(placed[1].1).into();
        return Err(SurfacingError::CornerTurns { at });
    }
    if let Some(twice) = placed.windows(2).position(|w| w[0].0 == w[1].0 && w[1].1 - w[0].1 <= 1e-9) {
        let at = motions[placed[twice].0].path.point(placed[twice].1).into();
        return Err(SurfacingError::SamePlace { at });
    }
    let places: Vec<(usize, f64)> = placed.iter().map(|p| (p.0, p.1)).collect();
    let runs = align(placed.iter().map(|p| Run::of(&p.2)).collect(), closed, false, tolerance);
    let points = vec![None; runs.len()];
    let faces = rows_of_faces(&runs, &points, closed, false, tolerance)?.faces.into_iter();
    let faces = faces.map(|rows| places.iter().zip(rows).map(|(&(leg, t), row)| (leg, t, row)).collect());
    Ok((faces.collect(), closed))
}
