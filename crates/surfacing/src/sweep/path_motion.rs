//! The frames of a path that carry sections along it.

use geometry::{ArcLength, Frame, NurbsCurve, Point3, Vector3, closest_on_surface};
use nalgebra::Matrix4;

use super::{Carry, Sweep};
use crate::SurfacingError;
use crate::carried::Motion;

const FIRST_SAMPLES_PER_SPAN: usize = 3;
/// Spans of a path from which on its knots are samples enough.
const MANY_SPANS: usize = 60;
/// Turn of the tangent in radians between two steps of the double reflection, whose error falls with its fourth power.
const TURN_PER_STEP: f64 = 0.02;
const STEPS_PER_SPAN: [usize; 2] = [2, 64];

/// One smooth leg of a path.
pub(crate) struct PathMotion<'a> {
    pub path: &'a NurbsCurve,
    closed: bool,
    how: &'a Sweep<'a>,
    arc_length: ArcLength<'a>,
    /// Length of the path before this leg, and of all of it.
    lengths: [f64; 2],
    /// Steps of the double reflection.
    frames: Vec<Step>,
    /// Turn by which a closed path's frame misses itself after one round.
    miss: f64,
}

/// Where the path is at a parameter, its direction, and the untwisted frame's first direction.
#[derive(Debug, Clone, Copy)]
struct Step {
    t: f64,
    at: Point3,
    tangent: Vector3,
    first: Vector3,
}

impl<'a> PathMotion<'a> {
    /// Along a leg, after `before` mm of a path `whole` mm long; the first direction of its first frame can be given.
    pub fn new(
        path: &'a NurbsCurve,
        closed: bool,
        how: &'a Sweep<'a>,
        lengths: [f64; 2],
        first: Option<Vector3>,
    ) -> Result<Self, SurfacingError> {
        let arc_length = ArcLength::new(path);
        let mut motion = Self { path, closed, how, arc_length, lengths, frames: Vec::new(), miss: 0.0 };
        if how.carry == Carry::Follow {
            motion.reflect(first)?;
        }
        Ok(motion)
    }

    pub fn tangent(&self, t: f64) -> Result<Vector3, SurfacingError> {
        let at = self.path.point(t).into();
        self.path.tangent(t).ok_or(SurfacingError::NoWay {
            why: "the path stands still here and has no direction; remove the points that lie on each other",
            at,
        })
    }

    fn reflect(&mut self, first: Option<Vector3>) -> Result<(), SurfacingError> {
        let breaks = self.path.knots().breaks();
        let mut parameters = vec![breaks[0]];
        for span in breaks.windows(2) {
            let at = |k: f64| span[0] + (span[1] - span[0]) * k / 4.0;
            let mut turn = 0.0;
            for k in 0..4 {
                turn += self.tangent(at(f64::from(k)))?.angle(&self.tangent(at(f64::from(k) + 1.0))?);
            }
            let steps = ((turn / TURN_PER_STEP).ceil() as usize).clamp(STEPS_PER_SPAN[0], STEPS_PER_SPAN[1]);
            parameters.extend((1..=steps).map(|k| span[0] + (span[1] - span[0]) * k as f64 / steps as f64));
        }
        let start = self.path.start();
        let tangent = self.tangent(parameters[0])?;
        let by_itself = Frame::square_to(start, tangent).map(|f| f.x);
        let first = first.or(by_itself).ok_or(SurfacingError::NoWay {
            why: "the path has no direction at its start; remove the points that lie on each other",
            at: start.into(),
        })?;
        let mut step = Step { t: parameters[0], at: start, tangent, first };
        self.frames.push(step);
        for &t in &parameters[1..] {
            step = self.reflected(&step, t)?;
            self.frames.push(step);
        }
        if self.closed {
            let begun = self.frames[0];
            self.miss =
                begun.tangent.dot(&step.first.cross(&begun.first)).atan2(step.first.dot(&begun.first));
        }
        Ok(())
    }

    /// The frame carried on to another parameter.
    fn reflected(&self, from: &Step, t: f64) -> Result<Step, SurfacingError> {
        let (at, tangent) = (self.path.point(t), self.tangent(t)?);
        let chord = at - from.at;
        let c1 = chord.norm_squared();
        if c1 <= f64::MIN_POSITIVE {
            return Ok(Step { t, at, tangent, ..*from });
        }
        let left = from.first - chord * (2.0 / c1 * chord.dot(&from.first));
        let along = from.tangent - chord * (2.0 / c1 * chord.dot(&from.tangent));
        let v2 = tangent - along;
        let c2 = v2.norm_squared();
        let right = if c2 <= 1e-30 { left } else { left - v2 * (2.0 / c2 * v2.dot(&left)) };
        // Rounding is kept from adding up.
        Ok(Step { t, at, tangent, first: (right - tangent * right.dot(&tangent)).normalize() })
    }

    /// The first direction of the untwisted frame at the leg's end; none where frames do not follow the path.
    pub fn last_direction(&self) -> Option<Vector3> {
        self.frames.last().map(|f| f.first)
    }

    /// The frame that carries sections: its z is the path's direction, unless directions are kept.
    pub fn frame(&self, t: f64) -> Result<Frame, SurfacingError> {
        let across = |reference: Vector3, z: &Vector3| (reference - z * reference.dot(z)).try_normalize(1e-9);
        let (origin, x, z) = if self.how.carry == Carry::Follow {
            let k = self.frames.partition_point(|f| f.t <= t).saturating_sub(1);
            let step =
                if self.frames[k].t == t { self.frames[k] } else { self.reflected(&self.frames[k], t)? };
            (step.at, step.first, step.tangent)
        } else {
            let origin = self.path.point(t);
            let no_side = |why| SurfacingError::NoWay { why, at: origin.into() };
            match &self.how.carry {
                Carry::KeepDirection | Carry::Follow => (origin, Vector3::x(), Vector3::z()),
                Carry::AlongDirection(direction) => {
                    let z = self.tangent(t)?;
                    let why = "the path runs along the reference direction here, so that no angle to it can be kept; choose another direction";
                    (origin, across(*direction, &z).ok_or_else(|| no_side(why))?, z)
                }
                Carry::AlongSurface(surface) => {
                    let z = self.tangent(t)?;
                    let [u, v] = closest_on_surface(surface, &origin).parameters;
                    let normal = surface.normal(u, v).ok_or_else(|| no_side("the reference surface has no normal here; pick another surface, or let the path end before"))?;
                    let why = "the path stands square to the reference surface here, so that no angle to it can be kept; pick another surface";
                    (origin, across(normal, &z).ok_or_else(|| no_side(why))?, z)
                }
            }
        };
        let turn = match self.how.twist {
            None if self.miss == 0.0 => return Ok(Frame { origin, x, y: z.cross(&x), z }),
            twist => {
                let share = self.share(t);
                twist.map_or(0.0, |law| law(share)) + self.miss * share
            }
        };
        let (sin, cos) = turn.sin_cos();
        let y = z.cross(&x);
        let (x, y) = (x * cos + y * sin, y * cos - x * sin);
        Ok(Frame { origin, x, y, z })
    }

    /// Share of the whole path's length that has been run at `t`.
    fn share(&self, t: f64) -> f64 {
        let [before, whole] = self.lengths;
        if before == 0.0 && (whole - self.arc_length.whole()).abs() <= 1e-9 * whole {
            return self.arc_length.share(t);
        }
        ((before + self.arc_length.share(t) * self.arc_length.whole()) / whole).min(1.0)
    }

    pub fn scale(&self, t: f64) -> Result<f64, SurfacingError> {
        let Some(law) = self.how.scale else { return Ok(1.0) };
        let scale = law(self.share(t));
        if scale > 1e-6 && scale < 1e6 {
            return Ok(scale);
        }
        let why = "the section shrinks to nothing or grows beyond measure here; keep its size above 0";
        Err(SurfacingError::NoWay { why, at: self.path.point(t).into() })
    }
}

impl Motion for PathMotion<'_> {
    fn samples(&self) -> Vec<f64> {
        let many = self.path.knots().breaks().len() > MANY_SPANS;
        self.path.knots().sampled(if many { 1 } else { FIRST_SAMPLES_PER_SPAN })
    }

    fn is_closed(&self) -> bool {
        self.closed
    }

    fn path(&self) -> Option<NurbsCurve> {
        Some(self.path.clone())
    }

    fn place(&self, t: f64) -> Result<Matrix4<f64>, SurfacingError> {
        let (frame, scale) = (self.frame(t)?, self.scale(t)?);
        let columns = [frame.x * scale, frame.y * scale, frame.z * scale].map(|c| c.push(0.0));
        Ok(Matrix4::from_columns(&[columns[0], columns[1], columns[2], frame.origin.coords.push(1.0)]))
    }

    fn ahead(&self, t: f64) -> Result<Option<(Vector3, f64)>, SurfacingError> {
        if self.how.carry == Carry::KeepDirection {
            return Ok(None);
        }
        Ok(Some((self.tangent(t)?, 1.0 / self.path.curvature(t).max(1e-12))))
    }
}
