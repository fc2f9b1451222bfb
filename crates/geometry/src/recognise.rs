use crate::{Frame, NurbsCurve, Point3};

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
