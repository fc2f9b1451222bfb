//! A profile in the half plane beside its axis: x is the distance from the axis, y the height along it.

use geometry::{Axis, Frame, NurbsCurve, Point3, Tolerance, Vector3, flatten, self_crossing};

use crate::{SurfacingError, chain};

/// An end nearer to the axis than this share of the profile's largest radius is likely meant to be on it.
const NEARLY_ON_AXIS: f64 = 0.02;
/// Places per curve that vote on which side of the axis the profile is.
const SIDE_SAMPLES: usize = 32;
/// Tangents that turn by more than this, in radians, make a corner and so two faces.
const CORNER: f64 = 1e-4;

/// A curve of a meridian, in plane coordinates (distance from the axis, height, 0).
#[derive(Debug, Clone, PartialEq)]
pub struct MeridianPiece {
    /// The curve.
    pub curve: NurbsCurve,
    /// What it stems from, for the names of faces.
    pub role: String,
    /// Whether it lies on the axis, where turning it makes no face.
    pub on_axis: bool,
}

impl MeridianPiece {
    pub(crate) fn line(from: Point3, to: Point3, role: impl Into<String>) -> Self {
        let on_axis = from.x == 0.0 && to.x == 0.0;
        Self { curve: NurbsCurve::line(from, to), role: role.into(), on_axis }
    }

    pub(crate) fn reversed(&self) -> Self {
        Self { curve: self.curve.reversed(), ..self.clone() }
    }
}

/// One end of an open chain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ChainEnd {
    /// Where it begins.
    Start,
    /// Where it ends.
    End,
}

/// An end of the profile that is off the axis by a little.
#[derive(Debug, Clone, PartialEq)]
pub struct OffAxis {
    /// Which end of the chain.
    pub end: ChainEnd,
    /// Index of the input curve that ends there, and whether it is that curve's own end (not its start).
    pub curve: (usize, bool),
    /// Distance from the axis, in millimetres.
    pub distance: f64,
    /// Where.
    pub at: Point3,
}

/// A chain of curves in the half plane of an axis.
#[derive(Debug, Clone, PartialEq)]
pub struct Meridian {
    /// x points away from the axis, y along it; the plane's normal z is against the turning direction.
    pub frame: Frame,
    /// The curves, end to start; corners inside a curve split it.
    pub pieces: Vec<MeridianPiece>,
    /// Whether the last curve runs into the first.
    pub closed: bool,
    /// Ends off the axis by a little.
    pub off_axis: Vec<OffAxis>,
    /// Largest gap between neighbours that was closed, in millimetres.
    pub largest_gap: f64,
}

impl Meridian {
    /// The chain of `curves` (each with the name that its faces take) beside an axis.
    ///
    /// # Errors
    /// Those of [`chain`], and `NotWithAxis`, `OnAxis`, `EndBeyondAxis`, `CrossesAxis`, `CrossesItself`.
    pub fn new(
        curves: &[(NurbsCurve, String)],
        axis: &Axis,
        tolerance: &Tolerance,
    ) -> Result<Self, SurfacingError> {
        let plain: Vec<NurbsCurve> = curves.iter().map(|c| c.0.clone()).collect();
        let chain = chain(&plain, tolerance)?;
        let frame = half_plane(&plain, axis, tolerance)?;
        let to_plane = |p: &Point3| {
            let c = frame.coordinates(p);
            Point3::new(if c.x.abs() <= tolerance.resolution { 0.0 } else { c.x }, c.y, 0.0)
        };
        let mut pieces: Vec<MeridianPiece> = Vec::new();
        for &(i, backwards) in &chain.order {
            let mut curve = plain[i].mapped(to_plane);
            if backwards {
                curve = curve.reversed();
            }
            // Gaps within the tolerance are closed by moving the start onto the end before.
            if let Some(before) = pieces.last() {
                curve = curve.with_ends(Some(before.curve.end()), None);
            }
            for part in split_at_corners(&curve) {
                pieces.push(MeridianPiece {
                    on_axis: part.control_points().iter().all(|p| p.x == 0.0),
                    curve: part,
                    role: curves[i].1.clone(),
                });
            }
        }
        if chain.closed
            && let (Some(first), Some(last)) = (pieces.first(), pieces.last())
        {
            let start = first.curve.start();
            let curve = last.curve.with_ends(None, Some(start));
            if let Some(last) = pieces.last_mut() {
                last.curve = curve;
            }
        }
        let mut meridian = Self {
            frame,
            pieces,
            closed: chain.closed,
            off_axis: Vec::new(),
            largest_gap: chain.largest_gap,
        };
        if meridian.pieces.iter().all(|p| p.on_axis) {
            return Err(SurfacingError::OnAxis { at: meridian.to_space(&meridian.pieces[0].curve.start()) });
        }
        if !meridian.closed {
            let (first, last) = (chain.order[0], chain.order[chain.order.len() - 1]);
            meridian.check_ends([(first.0, first.1), (last.0, !last.1)])?;
        }
        meridian.check_crossings(tolerance)?;
        Ok(meridian)
    }

    /// A point of the half plane in space.
    #[must_use]
    pub fn to_space(&self, p: &Point3) -> [f64; 3] {
        self.frame.to_space(p.x, p.y).into()
    }

    /// First and last point of the chain, in plane coordinates.
    #[must_use]
    pub fn ends(&self) -> (Point3, Point3) {
        (self.pieces[0].curve.start(), self.pieces[self.pieces.len() - 1].curve.end())
    }

    /// Largest distance of a control point from the axis, in millimetres.
    #[must_use]
    pub fn largest_radius(&self) -> f64 {
        self.pieces.iter().map(|p| p.curve.control_bounds().1.x).fold(0.0, f64::max)
    }

    /// Places along the chain, by chords enough for the sign of an area.
    fn places(&self) -> Vec<Point3> {
        let of = |p: &MeridianPiece| {
            let d = p.curve.domain();
            (0..=32).map(|k| p.curve.point(d.at(f64::from(k) / 32.0))).collect::<Vec<_>>()
        };
        self.pieces.iter().flat_map(of).collect()
    }

    /// Whether a closed chain runs clockwise, seen with the axis upwards on the left.
    #[must_use]
    pub fn runs_clockwise(&self) -> bool {
        let points = self.places();
        let next = points.iter().cycle().skip(1);
        points.iter().zip(next).map(|(a, b)| a.x * b.y - b.x * a.y).sum::<f64>() < 0.0
    }

    /// Whether the chain encloses more with the axis on its way down than on its way up, so that its right side lies, all in
    /// all, toward the axis.
    #[must_use]
    pub fn runs_down(&self) -> bool {
        /// Share of the square of the radius within which it encloses nothing.
        const NOTHING: f64 = 1e-9;
        let points = self.places();
        let swept: f64 = points.windows(2).map(|w| 0.5 * (w[0].x + w[1].x) * (w[1].y - w[0].y)).sum();
        swept < -NOTHING * self.largest_radius().powi(2)
    }

    fn check_ends(&mut self, curves: [(usize, bool); 2]) -> Result<(), SurfacingError> {
        let near = NEARLY_ON_AXIS * self.largest_radius();
        let (start, end) = self.ends();
        for (p, side, curve) in [(start, ChainEnd::Start, curves[0]), (end, ChainEnd::End, curves[1])] {
            if p.x < -near {
                return Err(SurfacingError::CrossesAxis { at: self.to_space(&p) });
            }
            if p.x < 0.0 {
                let (start, distance, at) = (side == ChainEnd::Start, -p.x, self.to_space(&p));
                return Err(SurfacingError::EndBeyondAxis { start, distance, at });
            }
            if p.x > 0.0 && p.x < near {
                let at = Point3::from(self.to_space(&p));
                self.off_axis.push(OffAxis { end: side, curve, distance: p.x, at });
            }
        }
        Ok(())
    }

    /// Refuses chains that leave the half plane or cross themselves.
    pub(crate) fn check_crossings(&self, tolerance: &Tolerance) -> Result<(), SurfacingError> {
        let chord = self.chord(tolerance);
        for piece in self.pieces.iter().filter(|p| !p.on_axis) {
            let samples = flatten(&piece.curve, chord);
            let inner = &samples[1..samples.len() - 1];
            if let Some((_, p)) = inner.iter().find(|(_, p)| p.x <= tolerance.resolution) {
                return Err(SurfacingError::CrossesAxis { at: self.to_space(p) });
            }
        }
        // An inner joint on the axis pinches the shape to a point there.
        for pair in self.pieces.windows(2) {
            let p = pair[1].curve.start();
            if p.x <= 0.0 && !pair[0].on_axis && !pair[1].on_axis {
                return Err(SurfacingError::CrossesAxis { at: self.to_space(&p) });
            }
        }
        let curves: Vec<NurbsCurve> = self.pieces.iter().map(|p| p.curve.clone()).collect();
        if let Some(crossing) = self_crossing(&curves, self.closed, chord) {
            let p = Point3::new(crossing.point.x, crossing.point.y, 0.0);
            return Err(SurfacingError::CrossesItself { at: self.to_space(&p) });
        }
        Ok(())
    }

    /// Flattening tolerance for crossings: fine against the profile's size, refined by Newton's method afterwards.
    pub(crate) fn chord(&self, tolerance: &Tolerance) -> f64 {
        (self.largest_radius() * 2e-3).max(tolerance.resolution)
    }
}

fn half_plane(curves: &[NurbsCurve], axis: &Axis, tolerance: &Tolerance) -> Result<Frame, SurfacingError> {
    let points: Vec<Point3> = curves.iter().flat_map(NurbsCurve::control_points).collect();
    let mut farthest = Vector3::zeros();
    for p in &points {
        let radial = axis.radial(p);
        if radial.norm() > farthest.norm() {
            farthest = radial;
        }
    }
    if farthest.norm() <= tolerance.resolution {
        return Err(SurfacingError::OnAxis { at: points[0].into() });
    }
    let mut frame = Frame::new(axis.origin, farthest, axis.direction)
        .ok_or(SurfacingError::OnAxis { at: points[0].into() })?;
    // The side with most of the profile is the one meant, should it cross the axis.
    let samples = curves
        .iter()
        .flat_map(|c| (0..=SIDE_SAMPLES).map(|k| c.point(c.domain().at(k as f64 / SIDE_SAMPLES as f64))));
    if samples.map(|p| frame.coordinates(&p).x).sum::<f64>() < 0.0 {
        (frame.x, frame.z) = (-frame.x, -frame.z);
    }
    let mut worst = (0.0, points[0]);
    for p in &points {
        let height = frame.coordinates(p).z.abs();
        if height > worst.0 {
            worst = (height, *p);
        }
    }
    if worst.0 > tolerance.join {
        return Err(SurfacingError::NotWithAxis { distance: worst.0, at: worst.1.into() });
    }
    Ok(frame)
}

fn split_at_corners(curve: &NurbsCurve) -> Vec<NurbsCurve> {
    let mut parts = Vec::new();
    let mut rest = curve.clone();
    for corner in curve.corners(CORNER) {
        if let Some((head, tail)) = rest.split(corner) {
            parts.push(head);
            rest = tail;
        }
    }
    parts.push(rest);
    parts
}
