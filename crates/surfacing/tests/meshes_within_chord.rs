//! Meshes of swept shapes come within every chord that is asked for, judged by the distance from the path.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use geometry::{Frame, NurbsCurve, Point3, Tolerance, Vector3, circle_arc};
use proptest::prelude::*;
use surfacing::{Carry, PathCorners, Sweep, SweepSection, sweep};
use topology::{MeshTolerance, mesh};

/// A path of a straight leg, a bend and another leg, in the plane of x and y.
struct Bent {
    leg: f64,
    radius: f64,
    turn: f64,
}

impl Bent {
    fn curves(&self) -> Vec<NurbsCurve> {
        let centre = Point3::new(self.leg, self.radius, 0.0);
        let frame = Frame::new(centre, -Vector3::y(), Vector3::x()).unwrap();
        let arc = circle_arc(&frame, self.radius, 0.0, self.turn).unwrap();
        let on = Vector3::new(self.turn.cos(), self.turn.sin(), 0.0) * self.leg;
        let end = arc.end();
        vec![NurbsCurve::line(Point3::origin(), arc.start()), arc, NurbsCurve::line(end, end + on)]
    }

    /// The distance of a place from the path, beyond whose ends none lies.
    fn distance(&self, p: Point3) -> f64 {
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
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn a_bent_pipe_comes_within_every_chord(
        leg in 5.0..60.0f64,
        tube in 1.0..9.0f64,
        tight in 1.1..4.0f64,
        turn in 0.2..1.6f64,
        chord in prop::sample::select(vec![0.4, 0.2, 0.1, 0.05, 0.02, 0.008]),
    ) {
        let path = Bent { leg, radius: tight * tube, turn };
        let how = Sweep {
            carry: Carry::Follow,
            corners: PathCorners::Mitred,
            twist: None,
            scale: None,
            close: true,
            name: "side".into(),
        };
        let made = sweep(&[SweepSection::Round(tube)], &path.curves(), &how, &Tolerance::default()).unwrap();
        let mesh = mesh(made.body.shells()[0], MeshTolerance::chord(chord)).unwrap();
        prop_assert!(mesh.converged, "{} for {}", mesh.max_deviation, chord);
        // Faces whose middles are not on the pipe are its ends.
        let mut worst: f64 = 0.0;
        for t in mesh.triangles() {
            let [a, b, c] = t.map(|i| mesh.positions[i as usize].coords);
            if [a, b, c].iter().any(|p| (path.distance(Point3::from(*p)) - tube).abs() > 2e-3) {
                continue;
            }
            let normal = (b - a).cross(&(c - a)).try_normalize(1e-12);
            let ends = [Vector3::x(), Vector3::new(turn.cos(), turn.sin(), 0.0)];
            if normal.is_none_or(|n| ends.iter().any(|e| n.dot(e).abs() > 1.0 - 1e-9)) {
                continue;
            }
            for weights in [[1.0, 1.0, 1.0], [4.0, 1.0, 1.0], [1.0, 4.0, 1.0], [1.0, 1.0, 4.0], [1.0, 1.0, 0.0], [0.0, 1.0, 1.0], [1.0, 0.0, 1.0]] {
                let sum: f64 = weights.iter().sum();
                let p = Point3::from((a * weights[0] + b * weights[1] + c * weights[2]) / sum);
                worst = worst.max((path.distance(p) - tube).abs());
            }
        }
        // The distance is measured at other places than these.
        prop_assert!(worst <= 1.25 * chord + 2e-3, "{} off for {}", worst, chord);
    }
}
