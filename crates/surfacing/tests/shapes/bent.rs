//! Pipes along a straight leg, a bend and another leg.

use geometry::{Frame, NurbsCurve, Point3, Tolerance, Vector3, circle_arc};
use surfacing::{Carry, PathCorners, Sweep, SweepSection, Swept, sweep};

/// A path of a straight leg, a bend and another leg, in the plane of x and y.
pub struct Bent {
    pub leg: f64,
    pub radius: f64,
    pub turn: f64,
}

impl Bent {
    pub fn curves(&self) -> Vec<NurbsCurve> {
        let centre = Point3::new(self.leg, self.radius, 0.0);
        let frame = Frame::new(centre, -Vector3::y(), Vector3::x()).unwrap();
        let arc = circle_arc(&frame, self.radius, 0.0, self.turn).unwrap();
        let on = Vector3::new(self.turn.cos(), self.turn.sin(), 0.0) * self.leg;
        let end = arc.end();
        vec![NurbsCurve::line(Point3::origin(), arc.start()), arc, NurbsCurve::line(end, end + on)]
    }

    /// The distance of a place from the path, beyond whose ends none lies.
    pub fn distance(&self, p: Point3) -> f64 {
        let from_line = |p: Point3| (p.x < self.leg + 1e-9).then(|| p.y.hypot(p.z));
        let from_centre = p - Point3::new(self.leg, self.radius, 0.0);
        let angle = from_centre.x.atan2(-from_centre.y);
        let within = (0.0..=self.turn).contains(&angle);
        let from_arc = within.then(|| (from_centre.x.hypot(from_centre.y) - self.radius).hypot(p.z));
        // Seen from the other end it is the same.
        let end = self.curves()[2].end() - Point3::origin();
        let (sin, cos) = self.turn.sin_cos();
        let back = p - Point3::origin() - end;
        let turned = Point3::new(-(back.x * cos + back.y * sin), -back.x * sin + back.y * cos, back.z);
        [from_line(p), from_arc, from_line(turned)].into_iter().flatten().fold(f64::INFINITY, f64::min)
    }

    /// The pipe of a radius along it, with its ends closed.
    pub fn pipe(&self, radius: f64) -> Swept {
        sweep(&[SweepSection::Round(radius)], &self.curves(), &plain_sweep(), &Tolerance::default()).unwrap()
    }
}

/// A sweep that follows its path and closes its ends, and nothing more.
pub fn plain_sweep() -> Sweep<'static> {
    Sweep {
        carry: Carry::Follow,
        corners: PathCorners::Mitred,
        twist: None,
        scale: None,
        close: true,
        name: "side".into(),
    }
}
