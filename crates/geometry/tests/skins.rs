//! Compatible curves, pieces put together, skins, arc lengths and smallest radii.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::TAU;

use geometry::{
    ArcLength, Frame, GeometryError, KnotVector, NurbsCurve, Point3, Skin, Vector3, circle_arc, compatible,
    skin, smallest_radius, through_points,
};
use proptest::prelude::*;

fn world(z: f64) -> Frame {
    Frame::new(Point3::new(0.0, 0.0, z), Vector3::x(), Vector3::y()).unwrap()
}

fn near(a: f64, b: f64, tolerance: f64) {
    assert!((a - b).abs() <= tolerance, "{a} is not {b} within {tolerance}");
}

#[test]
fn radii_are_smallest_where_the_handbooks_say() {
    // EL: an ellipse bends most at the ends of its long axis, with radius b^2 / a (derived).
    let ellipse =
        circle_arc(&world(0.0), 1.0, 0.3, TAU).unwrap().mapped(|p| Point3::new(5.0 * p.x, 2.0 * p.y, 0.0));
    let (t, radius) = smallest_radius(&ellipse).unwrap();
    near(radius, 0.8, 1e-9);
    near(ellipse.point(t).x.abs(), 5.0, 1e-6);
    // In space: the twisted cubic (t, t^2, t^3) bends most at its start, with radius 1/2 (derived).
    let points = [(0.0, 0.0, 0.0), (1.0 / 3.0, 0.0, 0.0), (2.0 / 3.0, 1.0 / 3.0, 0.0), (1.0, 1.0, 1.0)];
    let cubic = NurbsCurve::try_new(KnotVector::bezier(3), &points.map(|p| Point3::new(p.0, p.1, p.2)), None)
        .unwrap();
    near(smallest_radius(&cubic).unwrap().1, 0.5, 1e-3);
    assert!(
        smallest_radius(&NurbsCurve::line(
            points.map(|p| Point3::new(p.0, p.1, p.2))[0],
            Point3::new(1.0, 2.0, 3.0)
        ))
        .is_none()
    );
}

#[test]
fn a_skin_of_lines_is_the_plane_and_of_circles_the_cylinder() {
    let line = |z: f64| NurbsCurve::line(Point3::new(0.0, 0.0, z), Point3::new(4.0, 0.0, z));
    let plane = skin(&[line(0.0), line(3.0), line(7.0)], &Skin::free()).unwrap();
    for (u, v) in [(0.2, 0.3), (0.9, 0.5)] {
        near(plane.point(u, v).y, 0.0, 1e-12);
    }
    let circle = |z: f64| circle_arc(&world(z), 2.0, 0.0, TAU).unwrap();
    for how in [Skin::Straight, Skin::free()] {
        let tube = skin(&[circle(0.0), circle(3.0), circle(4.0), circle(9.0)], &how).unwrap();
        for k in 0..=30 {
            let p = tube.point(f64::from(k) / 30.0, f64::from(k % 7) / 7.0);
            near(p.coords.xy().norm(), 2.0, 1e-12);
        }
    }
    let other = line(5.0).elevated().unwrap();
    assert!(matches!(skin(&[line(0.0), other], &Skin::Straight), Err(GeometryError::KnotCount { .. })));
    assert!(matches!(
        skin(&[line(0.0), line(0.0)], &Skin::Straight),
        Err(GeometryError::RepeatedPoint { first: 0, second: 1, .. })
    ));
    assert!(matches!(
        skin(&[line(0.0)], &Skin::Straight),
        Err(GeometryError::TooFewPoints { given: 1, needed: 2 })
    ));
}

fn points() -> impl Strategy<Value = Vec<Point3>> {
    prop::collection::vec((-20.0..20.0f64, -20.0..20.0f64, -20.0..20.0f64), 3..9)
        .prop_map(|p| p.into_iter().map(|(x, y, z)| Point3::new(x, y, z)).collect())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Cut up and put together again a curve is where it was, at every share of its length.
    #[test]
    fn pieces_put_together_are_the_curve(points in points(), cuts in prop::collection::vec(0.05..0.95f64, 1..4)) {
        let Ok(curve) = through_points(&points, 1e-3) else { return Ok(()) };
        let mut pieces = vec![curve.clone()];
        for cut in cuts {
            let last = pieces.pop().unwrap();
            match last.split(last.domain().at(cut)) {
                Some((a, b)) => pieces.extend([a, b]),
                None => pieces.push(last),
            }
        }
        let whole = NurbsCurve::of_pieces(&pieces).unwrap();
        prop_assert!((whole.length() - curve.length()).abs() <= 1e-8 * curve.length());
        for k in 0..=20 {
            let share = f64::from(k) / 20.0;
            let (p, q) = (whole.point(whole.parameter_at_share(share)), curve.point(curve.parameter_at_share(share)));
            prop_assert!((p - q).norm() <= 1e-6, "{p} {q}");
        }
    }

    /// Compatible curves are the curves that they were, and share degree and knots.
    #[test]
    fn compatible_curves_keep_their_shapes(a in points(), b in points()) {
        let (Ok(a), Ok(b)) = (through_points(&a, 1e-3), through_points(&b, 1e-3)) else { return Ok(()) };
        let circle = circle_arc(&world(1.0), 7.0, 0.0, TAU).unwrap();
        let before = [a, b, circle];
        let after = compatible(&before).unwrap();
        for (x, y) in before.iter().zip(&after) {
            prop_assert_eq!(y.knots(), after[0].knots());
            for k in 0..=30 {
                let share = f64::from(k) / 30.0;
                let (p, q) = (x.point(x.domain().at(share)), y.point(y.domain().at(share)));
                prop_assert!((p - q).norm() <= 1e-7, "{p} {q}");
            }
        }
    }

    /// A skin passes through its sections.
    #[test]
    fn a_skin_passes_through_its_sections(sections in prop::collection::vec(points(), 2..6), straight in any::<bool>()) {
        let curves: Vec<NurbsCurve> = sections
            .iter()
            .enumerate()
            .filter_map(|(k, p)| through_points(p, 1e-3).ok().map(|c| c.mapped(|q| q + Vector3::z() * (50.0 * k as f64))))
            .collect();
        let rows = compatible(&curves).unwrap();
        let how = if straight { Skin::Straight } else { Skin::free() };
        let Ok(surface) = skin(&rows, &how) else { return Ok(()) };
        let (_, v) = surface.domain();
        for (row, end) in [(&rows[0], v.start), (&rows[rows.len() - 1], v.end)] {
            for k in 0..=10 {
                let u = f64::from(k) / 10.0;
                prop_assert!((surface.point(u, end) - row.point(u)).norm() <= 1e-8);
            }
        }
        for row in &rows {
            let p = row.point(0.4);
            prop_assert!(geometry::closest_on_surface(&surface, &p).distance <= 1e-5);
        }
    }

    /// The share of the length at a parameter is the inverse of the parameter at a share.
    #[test]
    fn shares_of_a_length_are_found_both_ways(points in points(), share in 0.0..=1.0f64) {
        let Ok(curve) = through_points(&points, 1e-3) else { return Ok(()) };
        let arc = ArcLength::new(&curve);
        prop_assert!((arc.whole() - curve.length()).abs() <= 1e-12 * curve.length());
        prop_assert!((arc.share(curve.parameter_at_share(share)) - share).abs() <= 1e-9);
        prop_assert_eq!((arc.share(curve.domain().start), arc.share(-9.0)), (0.0, 0.0));
    }
}
