//! Curves through points with knots at the points, closed ones, and tension.
#![allow(clippy::unwrap_used, reason = "a test fails by panicking")]

use geometry::{
    EndDerivatives, GeometryError, NurbsCurve, Point3, Spacing, Through, Vector3, closest_on_curve,
};
use proptest::prelude::*;

const SPACINGS: [Spacing; 3] = [Spacing::Centripetal, Spacing::Chord, Spacing::Even];

fn flat(points: &[[f64; 2]]) -> Vec<Point3> {
    points.iter().map(|[x, y]| Point3::new(*x, *y, 0.0)).collect()
}

fn open(how: Through, points: &[Point3]) -> NurbsCurve {
    how.curve(points, &EndDerivatives::free(), 1e-9).unwrap()
}

/// Curvature vectors on either side of a place.
fn bends(curve: &NurbsCurve, t: f64) -> [Vector3; 2] {
    let (before, after) = curve.split(t).unwrap();
    let at = |c: &NurbsCurve, t: f64| {
        let (_, [d1, d2, _]) = c.derivatives(t);
        (d2 - d1 * (d2.dot(&d1) / d1.norm_squared())) / d1.norm_squared()
    };
    [at(&before, t), at(&after, t)]
}

#[test]
fn a_bottle_hardly_swells_beyond_its_points() {
    let points = flat(&[
        [0.0, 0.0],
        [30.0, 1.0],
        [37.0, 8.0],
        [38.0, 60.0],
        [37.5, 120.0],
        [30.0, 150.0],
        [16.0, 175.0],
        [14.0, 200.0],
        [14.5, 230.0],
    ]);
    let widest = |c: &NurbsCurve| (0..=4000).map(|k| c.point(f64::from(k) / 4000.0).x).fold(0.0, f64::max);
    let by = |spacing, tension| widest(&open(Through { spacing, tension }, &points));
    // Chords with averaged knots swell to 43.5.
    assert!(by(Spacing::Centripetal, 0.0) < 40.0, "{}", by(Spacing::Centripetal, 0.0));
    assert!(by(Spacing::Centripetal, 0.5) < 39.0, "{}", by(Spacing::Centripetal, 0.5));
    assert!(by(Spacing::Centripetal, 0.95) < 38.1, "{}", by(Spacing::Centripetal, 0.95));
}

#[test]
fn few_points_give_lines_and_parabolas() {
    for spacing in SPACINGS {
        let how = Through { spacing, tension: 0.0 };
        let line = open(how, &flat(&[[1.0, 2.0], [4.0, 6.0]]));
        assert_eq!(line.degree(), 1);
        let three = flat(&[[0.0, 0.0], [1.0, 4.0], [6.0, 1.0]]);
        let c = open(how, &three);
        // The third derivative of a parabola vanishes.
        for t in [0.0, 0.3, 0.9] {
            assert!(c.derivatives(t).1[2].norm() < 1e-9);
        }
        assert!(matches!(how.ring(&three[..2], 1e-9), Err(GeometryError::TooFewPoints { .. })));
        let double = flat(&[[0.0, 0.0], [1.0, 0.0], [1.0, 0.0]]);
        let refused = how.curve(&double, &EndDerivatives::free(), 1e-9);
        assert!(matches!(refused, Err(GeometryError::RepeatedPoint { first: 1, .. })));
    }
}

#[test]
fn ends_take_the_derivatives_that_are_asked_for() {
    let points = flat(&[[0.0, 0.0], [10.0, 3.0], [18.0, -4.0], [30.0, 2.0]]);
    let (d, dd) = (Vector3::new(12.0, 31.0, 4.0), Vector3::new(-50.0, 20.0, 9.0));
    let (e, ee) = (Vector3::new(5.0, -22.0, 1.0), Vector3::new(3.0, 60.0, -8.0));
    for count in [3, 4] {
        for tension in [0.0, 0.4] {
            let how = Through { spacing: Spacing::Centripetal, tension };
            for (start, end) in [
                (vec![d], vec![]),
                (vec![d, dd], vec![e]),
                (vec![d], vec![e, ee]),
                (vec![d, dd], vec![e, ee]),
            ] {
                let ends = EndDerivatives { start: start.clone(), end: end.clone() };
                let c = how.curve(&points[..count], &ends, 1e-9).unwrap();
                for (t, wanted) in [(0.0, start), (1.0, end)] {
                    let found = c.derivatives(t).1;
                    for (a, b) in found.iter().zip(&wanted) {
                        assert!((a - b).norm() < 1e-8 * (1.0 + b.norm()), "{count} {tension} {t}: {a} {b}");
                    }
                }
                for p in &points[..count] {
                    assert!(closest_on_curve(&c, p).distance < 1e-10);
                }
                let breaks = c.knots().breaks();
                for t in &breaks[1..breaks.len() - 1] {
                    let [a, b] = bends(&c, *t);
                    assert!((a - b).norm() < 1e-8 * (1.0 + a.norm()), "{count} {tension} {t}: {a} {b}");
                }
            }
        }
    }
}

#[test]
fn a_circle_through_even_points_is_round() {
    // De Boor, A Practical Guide to Splines, chapter XII: the error of cubic interpolation falls with the fourth power.
    let off = |n: u32| {
        let at = |k: u32| {
            Point3::new(
                (std::f64::consts::TAU * f64::from(k) / f64::from(n)).cos(),
                (std::f64::consts::TAU * f64::from(k) / f64::from(n)).sin(),
                0.0,
            )
        };
        let c = Through::default().ring(&(0..n).map(at).collect::<Vec<_>>(), 1e-9).unwrap();
        (0..=999).map(|k| (c.point(f64::from(k) / 999.0).coords.norm() - 1.0).abs()).fold(0.0, f64::max)
    };
    let (eight, sixteen) = (off(8), off(16));
    assert!(eight < 1.5e-3 && (12.0..20.0).contains(&(eight / sixteen)), "{eight} {sixteen}");
}

/// Points of a star.
fn star(radii: &[f64]) -> Vec<Point3> {
    let at = |(k, r): (usize, &f64)| {
        let a = std::f64::consts::TAU * k as f64 / radii.len() as f64;
        Point3::new(r * a.cos(), r * a.sin(), 0.3 * r)
    };
    radii.iter().enumerate().map(at).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// Through every point, with curvature that goes on there, whatever the spacing and the tension.
    #[test]
    fn curvature_goes_on_at_every_point(
        steps in prop::collection::vec((0.01..30.0_f64, -3.0..3.0_f64, -1.0..1.0_f64), 3..12),
        which in 0usize..3,
        tension in prop::sample::select(vec![0.0, 0.2, 0.7, 0.95]),
    ) {
        let mut points = vec![Point3::origin()];
        for (length, angle, rise) in &steps {
            let last = points[points.len() - 1];
            points.push(last + Vector3::new(angle.cos(), angle.sin(), *rise) * *length);
        }
        let how = Through { spacing: SPACINGS[which], tension };
        let c = open(how, &points);
        let breaks = c.knots().breaks();
        prop_assert_eq!(breaks.len(), points.len());
        let size = steps.iter().map(|s| s.0).sum::<f64>();
        for (t, p) in breaks.iter().zip(&points) {
            prop_assert!((c.point(*t) - p).norm() < 1e-9 * size);
        }
        for t in &breaks[1..breaks.len() - 1] {
            let [a, b] = bends(&c, *t);
            prop_assert!((a - b).norm() < 1e-6 * (1e-3 + a.norm().max(b.norm())), "{} {}", a, b);
        }
    }

    /// A closed curve does not show where it begins, and the other way round it is the same.
    #[test]
    fn a_ring_does_not_depend_on_its_beginning(
        radii in prop::collection::vec(3.0..30.0_f64, 3..10),
        which in 0usize..3,
        tension in prop::sample::select(vec![0.0, 0.6]),
        turn in 1usize..8,
    ) {
        let n = radii.len();
        let points = star(&radii);
        let how = Through { spacing: SPACINGS[which], tension };
        let first = how.ring(&points, 1e-9).unwrap();
        let mut turned = points.clone();
        turned.rotate_left(turn % n);
        turned.reverse();
        let other = how.ring(&turned, 1e-9).unwrap();
        // The same place at the same way round, counted from where the other one begins and backwards.
        let begins = first.knots().breaks()[(turn % n + n - 1) % n];
        for k in 0..60 {
            let t = f64::from(k) / 60.0;
            let p = first.point((begins - t).rem_euclid(1.0));
            prop_assert!((other.point(t) - p).norm() < 1e-9 * 30.0);
        }
        let [a, b] = [0.0, 1.0].map(|t| first.derivatives(t).1);
        for k in 0..1 + usize::from(tension == 0.0) {
            prop_assert!((a[k] - b[k]).norm() < 1e-7 * (1.0 + a[k].norm()));
        }
    }
}
