use std::f64::consts::FRAC_1_SQRT_2;

use nalgebra::Matrix4;

use crate::{Frame, GeometryError, NurbsCurve, Point3, Vector3, circle_arc};

/// The ends of a curve that is a straight line run without turning back, to `tolerance` mm; else `None`.
#[must_use]
pub fn as_line(curve: &NurbsCurve, tolerance: f64) -> Option<(Point3, Point3)> {
    let (start, end) = (curve.start(), curve.end());
    let along = end - start;
    let length = along.norm();
    if length <= tolerance {
        return None;
    }
    let direction = along / length;
    let mut reached = 0.0;
    for p in curve.control_points() {
        let d = p - start;
        let s = d.dot(&direction);
        if (d - direction * s).norm() > tolerance || s < reached - tolerance {
            return None;
        }
        reached = s;
    }
    Some((start, end))
}

/// The circle through three places: a frame at its centre whose x points at `a` and whose z is the axis about which
/// one turns from `a` by `b` to `c`, and the radius. `None` when they lie on a straight line.
#[must_use]
pub fn circle_through(a: Point3, b: Point3, c: Point3) -> Option<(Frame, f64)> {
    let (ab, ac) = (b - a, c - a);
    let normal = ab.cross(&ac);
    if normal.norm() <= 1e-9 * ab.norm() * ac.norm() {
        return None;
    }
    let to_centre = (normal.cross(&ab) * ac.norm_squared() + ac.cross(&normal) * ab.norm_squared())
        / (2.0 * normal.norm_squared());
    let frame = Frame::new(a + to_centre, -to_centre, normal.cross(&-to_centre))?;
    Some((frame, to_centre.norm()))
}

/// A curve that is an arc of a circle to `tolerance` mm: a frame at its centre whose x points at the start, the
/// radius, and the sweep in radians (positive about the frame's z). `None` for anything else, straight lines too.
#[must_use]
pub fn as_plane_arc(curve: &NurbsCurve, tolerance: f64) -> Option<(Frame, f64, f64)> {
    let d = curve.domain();
    let (a, b, c) = (curve.start(), curve.point(d.at(0.371)), curve.point(d.at(0.743)));
    let (frame, radius) = circle_through(a, b, c)?;
    let mut sweep = 0.0;
    let mut before = 0.0;
    // Each step's polar angle is added up, so that arcs of more than half a turn keep their true sweep.
    const SAMPLES: usize = 48;
    for k in 1..=SAMPLES {
        let p = frame.coordinates(&curve.point(d.at(k as f64 / SAMPLES as f64)));
        if p.z.abs() > tolerance || (p.xy().norm() - radius).abs() > tolerance {
            return None;
        }
        let angle = p.y.atan2(p.x);
        let mut step = angle - before;
        if step > std::f64::consts::PI {
            step -= std::f64::consts::TAU;
        } else if step < -std::f64::consts::PI {
            step += std::f64::consts::TAU;
        }
        if step <= 0.0 {
            return None;
        }
        sweep += step;
        before = angle;
    }
    Some((frame, radius, sweep))
}

/// A whole ellipse: a middle and two half axes that belong to each other, square or not. It runs from the end of `a` over
/// that of `b`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ellipse {
    /// Its middle.
    pub centre: Point3,
    /// The half axis at its beginning.
    pub a: Vector3,
    /// The half axis a quarter farther on.
    pub b: Vector3,
}

impl Ellipse {
    /// Of a curve in four rational quarters over even spans, as circles and ellipses are drawn; `None` for any other one,
    /// though it be an ellipse.
    #[must_use]
    pub fn of(curve: &NurbsCurve) -> Option<Self> {
        const SAME: f64 = 1e-9;
        let points = curve.homogeneous();
        let distinct = curve.knots().distinct();
        if curve.degree() != 2 || points.len() != 9 || distinct.len() != 5 {
            return None;
        }
        let step = curve.domain().length() / 4.0;
        let even = distinct.windows(2).all(|w| (w[1].0 - w[0].0 - step).abs() <= SAME * step);
        let first = points[0].w;
        let weighted = points.iter().enumerate().all(|(k, h)| (h.w / first - Self::weight(k)).abs() <= SAME);
        let p = curve.control_points();
        let centre = nalgebra::center(&p[0], &p[4]);
        let found = Self { centre, a: p[0] - centre, b: p[2] - centre };
        let size = found.a.norm() + found.b.norm();
        let affine = found.points().iter().zip(&p).all(|(x, y)| (x - y).norm() <= SAME * size);
        let flat = found.a.cross(&found.b).norm() <= SAME * size * size;
        (even && weighted && affine && !flat).then_some(found)
    }

    fn weight(k: usize) -> f64 {
        if k.is_multiple_of(2) { 1.0 } else { FRAC_1_SQRT_2 }
    }

    fn points(&self) -> [Point3; 9] {
        let (a, b) = (self.a, self.b);
        [a, a + b, b, b - a, -a, -a - b, -b, a - b, a].map(|d| self.centre + d)
    }

    /// The angle at which it passes a place, 0 at its beginning.
    #[must_use]
    pub fn angle(&self, at: &Point3) -> f64 {
        // Coordinates along both half axes, which need not be square to each other.
        let d = at - self.centre;
        let (aa, ab, bb) = (self.a.norm_squared(), self.a.dot(&self.b), self.b.norm_squared());
        let (x, y) = (d.dot(&self.a) * bb - d.dot(&self.b) * ab, d.dot(&self.b) * aa - d.dot(&self.a) * ab);
        y.atan2(x)
    }

    /// The same ellipse begun at an angle.
    #[must_use]
    pub fn begun_at(&self, angle: f64) -> Self {
        let (sine, cosine) = angle.sin_cos();
        let (a, b) = (self.a * cosine + self.b * sine, self.b * cosine - self.a * sine);
        Self { a, b, ..*self }
    }

    /// Its arc from an angle over `sweep` radians, the same for a place and its likeness: in equal pieces of at most a
    /// quarter of a turn of the angle.
    ///
    /// # Errors
    /// `NoDirection` for a sweep that is zero, not finite, or more than a turn.
    pub fn arc(&self, from: f64, sweep: f64) -> Result<NurbsCurve, GeometryError> {
        let plane = Frame::new(Point3::origin(), Vector3::x(), Vector3::y());
        let plane = plane.ok_or(GeometryError::NoDirection { at: self.centre.into() })?;
        let unit = circle_arc(&plane, 1.0, from, sweep)?;
        let flat = |v: Vector3| v.push(0.0);
        let square = self.a.cross(&self.b);
        let map =
            Matrix4::from_columns(&[flat(self.a), flat(self.b), flat(square), self.centre.coords.push(1.0)]);
        Ok(unit.transformed(&map))
    }

    /// As a curve with the knots of another one that is an ellipse too.
    #[must_use]
    pub fn with_knots_of(&self, curve: &NurbsCurve) -> Option<NurbsCurve> {
        let points = self.points();
        let points = points.iter().enumerate().map(|(k, at)| at.coords.push(1.0) * Self::weight(k)).collect();
        NurbsCurve::from_homogeneous(curve.knots().clone(), points).ok()
    }
}
