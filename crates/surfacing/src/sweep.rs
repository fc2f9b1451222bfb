//! Sweep: sections carried along a path.
//!
//! The path's frames are found at samples, the sections' control points are carried by them, and the columns that they
//! make are interpolated and refined until they follow the true motion within the fit tolerance. Frames that follow the
//! path turn about it as little as possible, by double reflection (Wang, Juettler, Zheng & Liu, Computation of rotation
//! minimizing frames, ACM TOG 27, 2008).

use std::f64::consts::TAU;

use geometry::{
    ArcLength, Domain, EndDerivatives, Frame, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3,
    Tolerance, Vector3, circle_arc, closest_on_curve, closest_on_surface, interpolate, interpolate_ring,
};
use topology::Body;

use crate::SurfacingError;
use crate::assembled::{assembled, numbered};
use crate::chain;
use crate::sections::{align, middle, places, rows_of_faces};

const FIRST_SAMPLES_PER_SPAN: usize = 3;
const MAX_ROUNDS: usize = 8;
const MOST_SAMPLES: usize = 4000;
/// Steps of the double reflection between two samples; the method's error falls with their fourth power.
const STEPS_PER_SPAN: usize = 64;
/// Angle in radians from which a joint of the path is a corner.
const CORNER: f64 = 0.5 * std::f64::consts::PI / 180.0;

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
    /// A circle of this radius about the path.
    Round(f64),
}

/// A sweep's choices.
pub struct Sweep<'a> {
    /// How sections are turned.
    pub carry: Carry<'a>,
    /// Turn about the path in radians, by the share 0 to 1 of its length.
    pub twist: &'a dyn Fn(f64) -> f64,
    /// Growth about the path, by the share 0 to 1 of its length.
    pub scale: &'a dyn Fn(f64) -> f64,
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
}

/// The surface that sections sweep out along a path.
///
/// # Errors
/// `Empty`; `PathCorner` at a corner of the path, unless sections keep their direction; `TooTight` where the path bends
/// more sharply than the section allows; `NoLength` for a radius, a scale or a reference that makes no frame.
pub fn sweep(
    sections: &[SweepSection],
    path: &[NurbsCurve],
    how: &Sweep<'_>,
    tolerance: &Tolerance,
) -> Result<Swept, SurfacingError> {
    let run = chain(path, tolerance)?;
    let path = NurbsCurve::of_pieces(&run.run(path))?;
    if how.carry != Carry::KeepDirection
        && let Some(&corner) = path.corners(CORNER).first()
    {
        return Err(SurfacingError::PathCorner { at: path.point(corner).into() });
    }
    let motion = Motion::new(&path, run.closed, how, tolerance)?;
    let (faces, enclosing) = motion.local_sections(sections)?;
    let mut surfaces = Vec::with_capacity(faces.len());
    let mut max_deviation: f64 = 0.0;
    for face in &faces {
        motion.check_back(face)?;
        let (surface, deviation) = motion.surface(face)?;
        max_deviation = max_deviation.max(deviation);
        surfaces.push(surface);
    }
    let close = how.close && enclosing && !run.closed;
    let body = assembled(numbered(surfaces, &how.name), close, tolerance)?;
    Ok(Swept { body, max_deviation, converged: max_deviation <= tolerance.fit })
}

/// One face's sections in the coordinates of the path's frames, all compatible, each with its place on the path.
struct Local {
    rows: Vec<(f64, NurbsCurve)>,
}

struct Motion<'a> {
    path: &'a NurbsCurve,
    closed: bool,
    how: &'a Sweep<'a>,
    arc_length: ArcLength<'a>,
    /// Parameters of the double reflection, with the frame's first direction at each.
    frames: Vec<(f64, Vector3)>,
    /// Turn by which a closed path's frame misses itself after one round.
    miss: f64,
    tolerance: &'a Tolerance,
}

impl<'a> Motion<'a> {
    fn new(
        path: &'a NurbsCurve,
        closed: bool,
        how: &'a Sweep<'a>,
        tolerance: &'a Tolerance,
    ) -> Result<Self, SurfacingError> {
        let arc_length = ArcLength::new(path);
        let mut motion = Self { path, closed, how, arc_length, frames: Vec::new(), miss: 0.0, tolerance };
        if how.carry == Carry::Follow {
            motion.reflect()?;
        }
        Ok(motion)
    }

    fn tangent(&self, t: f64) -> Result<Vector3, SurfacingError> {
        let at = self.path.point(t).into();
        self.path.tangent(t).ok_or(SurfacingError::NoLength { why: "the path stands still", at })
    }

    fn reflect(&mut self) -> Result<(), SurfacingError> {
        let parameters = self.path.knots().sampled(STEPS_PER_SPAN);
        let first = Frame::square_to(self.path.start(), self.tangent(parameters[0])?);
        let at = self.path.start().into();
        let mut r = first.ok_or(SurfacingError::NoLength { why: "the path has no direction", at })?.x;
        self.frames.push((parameters[0], r));
        for pair in parameters.windows(2) {
            r = self.reflected(pair[0], r, pair[1])?;
            self.frames.push((pair[1], r));
        }
        if self.closed {
            let t = self.tangent(parameters[0])?;
            let start = self.frames[0].1;
            self.miss = t.dot(&r.cross(&start)).atan2(r.dot(&start));
        }
        Ok(())
    }

    /// The frame's first direction carried from one parameter to another.
    fn reflected(&self, from: f64, r: Vector3, to: f64) -> Result<Vector3, SurfacingError> {
        let (a, b) = (self.path.point(from), self.path.point(to));
        let (ta, tb) = (self.tangent(from)?, self.tangent(to)?);
        let chord = b - a;
        let c1 = chord.norm_squared();
        if c1 <= f64::MIN_POSITIVE {
            return Ok(r);
        }
        let left = r - chord * (2.0 / c1 * chord.dot(&r));
        let along = ta - chord * (2.0 / c1 * chord.dot(&ta));
        let v2 = tb - along;
        let c2 = v2.norm_squared();
        let right = if c2 <= 1e-30 { left } else { left - v2 * (2.0 / c2 * v2.dot(&left)) };
        // Rounding is kept from adding up.
        Ok((right - tb * right.dot(&tb)).normalize())
    }

    /// The frame that carries sections: its z is the path's direction, unless directions are kept.
    fn frame(&self, t: f64) -> Result<Frame, SurfacingError> {
        let origin = self.path.point(t);
        let no_side = |why| SurfacingError::NoLength { why, at: origin.into() };
        let across = |reference: Vector3, z: &Vector3| (reference - z * reference.dot(z)).try_normalize(1e-9);
        let (x, z) = match &self.how.carry {
            Carry::KeepDirection => (Vector3::x(), Vector3::z()),
            Carry::Follow => {
                let k = self.frames.partition_point(|f| f.0 <= t).saturating_sub(1);
                let (from, r) = self.frames[k];
                let x = if from == t { r } else { self.reflected(from, r, t)? };
                (x, self.tangent(t)?)
            }
            Carry::AlongDirection(direction) => {
                let z = self.tangent(t)?;
                (
                    across(*direction, &z)
                        .ok_or_else(|| no_side("the path runs along the reference direction"))?,
                    z,
                )
            }
            Carry::AlongSurface(surface) => {
                let z = self.tangent(t)?;
                let [u, v] = closest_on_surface(surface, &origin).parameters;
                let normal = surface.normal(u, v).ok_or_else(|| no_side("the surface has no normal"))?;
                (across(normal, &z).ok_or_else(|| no_side("the path stands square to the surface"))?, z)
            }
        };
        let share = self.arc_length.share(t);
        let turn = (self.how.twist)(share) + self.miss * share;
        let (sin, cos) = turn.sin_cos();
        let y = z.cross(&x);
        let (x, y) = (x * cos + y * sin, y * cos - x * sin);
        Ok(Frame { origin, x, y, z })
    }

    fn scale(&self, t: f64) -> Result<f64, SurfacingError> {
        let scale = (self.how.scale)(self.arc_length.share(t));
        if scale > 1e-6 && scale < 1e6 {
            return Ok(scale);
        }
        let why = "the section shrinks to nothing or grows beyond measure";
        Err(SurfacingError::NoLength { why, at: self.path.point(t).into() })
    }

    /// The sections of each face in the path's coordinates, and whether they close.
    fn local_sections(&self, sections: &[SweepSection]) -> Result<(Vec<Local>, bool), SurfacingError> {
        let mut placed: Vec<(f64, Vec<NurbsCurve>)> = Vec::with_capacity(sections.len());
        let mut all_closed = None;
        for (i, section) in sections.iter().enumerate() {
            let (t, run, closed) = match section {
                SweepSection::Round(radius) => (self.path.domain().start, vec![self.circle(*radius)?], true),
                SweepSection::Drawn(pieces) => {
                    let chain = chain(pieces, self.tolerance)?;
                    let run = chain.run(pieces);
                    let t = closest_on_curve(self.path, &Point3::from(middle(&places(&run)))).parameter;
                    let (frame, scale) = (self.frame(t)?, self.scale(t)?);
                    let local = |p: &Point3| Point3::from(frame.coordinates(p) / scale);
                    (t, run.iter().map(|c| c.mapped(local)).collect(), chain.closed)
                }
            };
            if closed != *all_closed.get_or_insert(closed) {
                let at = self.path.point(t).into();
                return Err(SurfacingError::MixedSections { section: i + 1, closed, at });
            }
            placed.push((t, run));
        }
        let closed = all_closed.ok_or(SurfacingError::Empty)?;
        placed.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (places, mut runs): (Vec<f64>, Vec<_>) = placed.into_iter().unzip();
        align(&mut runs, closed, self.tolerance);
        let faces = rows_of_faces(&runs)?.into_iter();
        let locals = faces.map(|rows| Local { rows: places.iter().copied().zip(rows).collect() }).collect();
        Ok((locals, closed))
    }

    fn circle(&self, radius: f64) -> Result<NurbsCurve, SurfacingError> {
        if radius.is_nan() || radius <= self.tolerance.resolution {
            let at = self.path.start().into();
            return Err(SurfacingError::NoLength { why: "a round section needs a radius above 0", at });
        }
        let flat = Frame { origin: Point3::origin(), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() };
        Ok(circle_arc(&flat, radius, 0.0, TAU)?)
    }

    /// Refuses a section that a closed path does not bring back to where it began.
    fn check_back(&self, local: &Local) -> Result<(), SurfacingError> {
        if !self.closed {
            return Ok(());
        }
        let d = self.path.domain();
        let (begun, ended) = (self.carried(local, d.start)?, self.carried(local, d.end)?);
        let off =
            begun.iter().zip(&ended).map(|(a, b)| ((b - a).norm(), a)).max_by(|a, b| a.0.total_cmp(&b.0));
        match off {
            Some((distance, at)) if distance > self.tolerance.join => {
                Err(SurfacingError::NotBack { distance, at: (*at).into() })
            }
            _ => Ok(()),
        }
    }

    /// A section's control points where the path has come to `t`.
    fn carried(&self, local: &Local, t: f64) -> Result<Vec<Point3>, SurfacingError> {
        let (frame, scale) = (self.frame(t)?, self.scale(t)?);
        let points = local.at(t);
        Ok(points
            .iter()
            .map(|p| frame.origin + (frame.x * p.x + frame.y * p.y + frame.z * p.z) * scale)
            .collect())
    }

    fn surface(&self, local: &Local) -> Result<(NurbsSurface, f64), SurfacingError> {
        let tolerance = self.tolerance;
        let d = self.path.domain();
        let mut parameters = self.path.knots().sampled(FIRST_SAMPLES_PER_SPAN);
        for (t, _) in &local.rows {
            if !parameters.contains(t) {
                parameters.push(*t);
            }
        }
        parameters.sort_by(f64::total_cmp);
        parameters.dedup_by(|b, a| (*b - *a) <= 1e-9 * d.length());
        if let Some(last) = parameters.last_mut() {
            *last = d.end;
        }
        let weights = local.rows[0].1.weights();
        let slopes = self.end_slopes(local)?;
        let mut best: Option<(Vec<NurbsCurve>, f64)> = None;
        for _ in 0..MAX_ROUNDS {
            let rows = parameters.iter().map(|&t| self.carried(local, t)).collect::<Result<Vec<_>, _>>()?;
            self.check_forward(&parameters, &rows)?;
            let columns = (0..weights.len())
                .map(|c| {
                    let points: Vec<Point3> = rows.iter().map(|r| r[c]).collect();
                    self.column(points, &parameters, slopes[c])
                })
                .collect::<Result<Vec<_>, SurfacingError>>()?;
            let mut worst: f64 = 0.0;
            let mut finer = vec![parameters[0]];
            for pair in parameters.windows(2) {
                let mut miss: f64 = 0.0;
                for f in [0.3, 0.5, 0.7] {
                    let t = pair[0] + (pair[1] - pair[0]) * f;
                    let truth = self.carried(local, t)?;
                    miss =
                        columns.iter().zip(&truth).map(|(c, p)| (c.point(t) - p).norm()).fold(miss, f64::max);
                }
                worst = worst.max(miss);
                if miss > tolerance.fit {
                    finer.push(0.5 * (pair[0] + pair[1]));
                }
                finer.push(pair[1]);
            }
            if best.as_ref().is_none_or(|b| worst < b.1) {
                best = Some((columns, worst));
            }
            if worst <= tolerance.fit || finer.len() > MOST_SAMPLES {
                break;
            }
            parameters = finer;
        }
        let (columns, deviation) = best.ok_or(SurfacingError::Empty)?;
        let knots: KnotVector = columns[0].knots().over(Domain { start: 0.0, end: 1.0 });
        // Weights do not change along the path, so that they only multiply.
        let net = columns.iter().zip(&weights).flat_map(|(column, &w)| {
            column.control_points().into_iter().map(move |p| Homogeneous::new(p.x * w, p.y * w, p.z * w, w))
        });
        let surface = NurbsSurface::from_homogeneous(local.rows[0].1.knots().clone(), knots, net.collect())?;
        Ok((surface, deviation))
    }

    /// How each control point leaves the path's start and meets its end, by the path's parameter.
    fn end_slopes(&self, local: &Local) -> Result<Vec<[Vector3; 2]>, SurfacingError> {
        let d = self.path.domain();
        let h = 1e-6 * d.length();
        let at = |t: f64| self.carried(local, t);
        let start = [at(d.start)?, at(d.start + h)?, at(d.start + 2.0 * h)?];
        let end = [at(d.end)?, at(d.end - h)?, at(d.end - 2.0 * h)?];
        // One-sided differences of the second order.
        let slope =
            |p: &[Vec<Point3>; 3], c: usize| ((p[1][c] - p[0][c]) * 4.0 - (p[2][c] - p[0][c])) / (2.0 * h);
        Ok((0..start[0].len()).map(|c| [slope(&start, c), -slope(&end, c)]).collect())
    }

    /// The curve that one control point runs along.
    fn column(
        &self,
        mut points: Vec<Point3>,
        parameters: &[f64],
        slopes: [Vector3; 2],
    ) -> Result<NurbsCurve, SurfacingError> {
        let last = points.len() - 1;
        if self.closed && last > 2 {
            points[last] = points[0];
            return Ok(interpolate_ring(&points, parameters)?);
        }
        Ok(interpolate(&points, parameters, 3, &EndDerivatives::tangents(slopes))?)
    }

    /// Refuses a path that bends more sharply than the section is wide: there the section would run backwards.
    fn check_forward(&self, parameters: &[f64], rows: &[Vec<Point3>]) -> Result<(), SurfacingError> {
        if self.how.carry == Carry::KeepDirection {
            return Ok(());
        }
        for (k, pair) in rows.windows(2).enumerate() {
            let middle = 0.5 * (parameters[k] + parameters[k + 1]);
            let ahead = self.tangent(middle)?;
            let back = pair[0]
                .iter()
                .zip(&pair[1])
                .find(|(a, b)| (*b - *a).dot(&ahead) < -self.tolerance.resolution);
            if let Some((at, _)) = back {
                let radius = 1.0 / self.path.curvature(middle).max(1e-12);
                return Err(SurfacingError::TooTight { radius, at: (*at).into() });
            }
        }
        Ok(())
    }
}

impl Local {
    /// The section's control points at a place of the path: of the only section, or between neighbouring ones, smoothly
    /// from one to the next with neither overshoot nor a jump.
    fn at(&self, t: f64) -> Vec<Point3> {
        let k = self.rows.partition_point(|r| r.0 <= t);
        let (Some(before), Some(after)) = (k.checked_sub(1).map(|i| &self.rows[i]), self.rows.get(k)) else {
            let only = if k == 0 { &self.rows[0] } else { &self.rows[k - 1] };
            return only.1.control_points();
        };
        let s = (t - before.0) / (after.0 - before.0);
        let blend = s * s * (3.0 - 2.0 * s);
        before
            .1
            .control_points()
            .iter()
            .zip(after.1.control_points())
            .map(|(a, b)| a + (b - a) * blend)
            .collect()
    }
}
