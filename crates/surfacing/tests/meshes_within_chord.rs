//! Meshes of swept shapes come within every chord that is asked for, judged by the distance from the path.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use geometry::{Point3, Vector3};
use proptest::prelude::*;
use shapes::bent::Bent;
use topology::{MeshTolerance, mesh};

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
        let made = path.pipe(tube);
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
