//! Helices, crossed projections, sections and projected curves against handbook values; at three scales.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{PI, TAU};

use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, circle_arc, through_points};
use surfacing::{SurfacingError, Toward, View, Winding, crossed_projection, helix, projected_curve};

const SCALES: [f64; 3] = [1e-3, 1.0, 1e3];

fn world() -> Frame {
    Frame::new(Point3::origin(), Vector3::x(), Vector3::y()).unwrap()
}

/// Seen from the front: x to the right, z up.
fn front() -> Frame {
    Frame::new(Point3::origin(), Vector3::x(), Vector3::z()).unwrap()
}

/// Seen from the side: y to the right, z up.
fn side() -> Frame {
    Frame::new(Point3::origin(), Vector3::y(), Vector3::z()).unwrap()
}

fn near(a: f64, b: f64, relative: f64) {
    assert!((a - b).abs() <= relative * b.abs().max(1e-300), "{a} is not {b} within {relative}");
}

#[test]
fn a_helix_has_its_length_curvature_and_ends() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        // AL-02: r = 10, pitch 5, two turns: 126.0609655751652.
        let size = Winding {
            start_radius: 10.0 * scale,
            end_radius: 10.0 * scale,
            height: 10.0 * scale,
            turns: 2.0,
        };
        let made = helix(&world(), size, &tolerance).unwrap();
        assert!(made.converged && made.max_deviation <= tolerance.fit);
        near(made.curve.length(), 126.060_965_575_165_2 * scale, 1e-4);
        // CV-13: curvature a / (a^2 + b^2) with rise b per radian.
        let b = 5.0 / TAU;
        near(made.curve.curvature(0.37) * scale, 10.0 / (100.0 + b * b), 1e-2);
        assert!((made.curve.end() - Point3::new(10.0, 0.0, 10.0) * scale).norm() < 1e-9 * scale);
        // Left-handed: a quarter turn in it is at -y.
        let left = helix(&world(), Winding { turns: -1.0, ..size }, &tolerance).unwrap();
        assert!(left.curve.point(0.25).y < -9.0 * scale);
    }
}

#[test]
fn a_flat_spiral_has_its_length_and_nonsense_is_refused() {
    // AL-05: rho = theta over one turn: 21.25629414820910.
    let tolerance = Tolerance::default();
    let spiral = Winding { start_radius: 0.0, end_radius: TAU, height: 0.0, turns: 1.0 };
    near(helix(&world(), spiral, &tolerance).unwrap().curve.length(), 21.256_294_148_209_1, 1e-4);
    for bad in [
        Winding { turns: 0.0, ..spiral },
        Winding { turns: 1e9, ..spiral },
        Winding { start_radius: -1.0, ..spiral },
        Winding { height: f64::NAN, ..spiral },
        Winding { start_radius: TAU, turns: 3.0, ..spiral },
    ] {
        assert!(matches!(helix(&world(), bad, &tolerance), Err(SurfacingError::Winding { .. })), "{bad:?}");
    }
}

#[test]
fn crossed_views_give_the_curve_that_is_seen_as_both() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        // A bow in the front view, a slanted spline in the side view, both from z = 0 to z = 20.
        let bow =
            circle_arc(&front(), 10.0, -PI / 2.0, PI).unwrap().mapped(|p| (p + Vector3::z() * 10.0) * scale);
        let points = [(0.0, 0.0), (6.0, 7.0), (4.0, 14.0), (9.0, 20.0)];
        let slant: Vec<Point3> = points.iter().map(|&(y, z)| Point3::new(0.0, y, z) * scale).collect();
        let slant = through_points(&slant, 1e-9).unwrap();
        let [a, b] = [
            View { frame: front(), curves: vec![bow.clone()] },
            View { frame: side(), curves: vec![slant.clone()] },
        ];
        for (first, second) in [(&a, &b), (&b, &a)] {
            let made = crossed_projection(first, second, &tolerance).unwrap();
            assert!(made.unpartnered.is_empty(), "{:?}", made.unpartnered);
            let curve = &made.pieces[0].curve;
            for k in 0..=50 {
                let p = curve.point(curve.domain().at(f64::from(k) / 50.0));
                let seen_front = geometry::closest_on_curve(&bow, &Point3::new(p.x, 0.0, p.z)).distance;
                let seen_side = geometry::closest_on_curve(&slant, &Point3::new(0.0, p.y, p.z)).distance;
                assert!(seen_front.max(seen_side) <= 2.0 * tolerance.fit, "{seen_front} {seen_side}");
            }
        }
    }
}

#[test]
fn what_has_no_partner_is_named() {
    let tolerance = Tolerance::default();
    let line = |a: Point3, b: Point3| vec![NurbsCurve::line(a, b)];
    let a = View { frame: front(), curves: line(Point3::origin(), Point3::new(5.0, 0.0, 20.0)) };
    let short = View { frame: side(), curves: line(Point3::new(0.0, 0.0, 4.0), Point3::new(0.0, 5.0, 12.0)) };
    let made = crossed_projection(&a, &short, &tolerance).unwrap();
    // The first view has 4 mm too much below and 8 mm above; two straight views make a straight line.
    let left: Vec<(usize, f64)> =
        made.unpartnered.iter().map(|u| (u.view, (u.height * 1e6).round() / 1e6)).collect();
    assert_eq!(left, [(0, 4.0 - 0.01), (0, 8.0 - 0.01)]);
    near(made.pieces[0].curve.length(), (2.0f64.powi(2) + 5.0f64.powi(2) + 8.0f64.powi(2)).sqrt(), 1e-6);
    let beside =
        View { frame: side(), curves: line(Point3::new(0.0, 0.0, 40.0), Point3::new(0.0, 5.0, 50.0)) };
    assert!(matches!(crossed_projection(&a, &beside, &tolerance), Err(SurfacingError::NoPartner { .. })));
    assert!(matches!(crossed_projection(&a, &a, &tolerance), Err(SurfacingError::ParallelViews)));
    let arch = |frame: Frame| View { frame, curves: vec![circle_arc(&frame, 10.0, 0.0, PI).unwrap()] };
    match crossed_projection(&arch(front()), &arch(side()), &tolerance) {
        Err(SurfacingError::BothTurn { at }) => assert!(at[2] > 9.0),
        other => panic!("{other:?}"),
    }
}

fn cylinder(radius: f64, height: f64) -> NurbsSurface {
    let circle = circle_arc(&world(), radius, 0.0, TAU).unwrap();
    NurbsSurface::ruled(&circle, &circle.mapped(|q| q + Vector3::z() * height)).unwrap()
}

#[test]
fn a_curve_brought_onto_a_cylinder_stays_on_it() {
    let tolerance = Tolerance::default();
    let surface = cylinder(10.0, 30.0);
    let line = NurbsCurve::line(Point3::new(20.0, -4.0, 3.0), Point3::new(20.0, 6.0, 22.0));
    for toward in [Toward::Direction(Vector3::x()), Toward::Nearest] {
        let made = projected_curve(&line, &[&surface], toward, &tolerance).unwrap();
        for k in 0..=30 {
            let p = made.curve.point(f64::from(k) / 30.0);
            assert!((p.coords.xy().norm() - 10.0).abs() <= 2.0 * tolerance.fit);
            assert!(p.x > 0.0);
        }
        // Along x the image keeps y and z of the ends.
        if toward != Toward::Nearest {
            assert!((made.curve.start() - Point3::new(84f64.sqrt(), -4.0, 3.0)).norm() < 1e-6);
        }
    }
    let past = NurbsCurve::line(Point3::new(20.0, 0.0, 3.0), Point3::new(20.0, 14.0, 3.0));
    match projected_curve(&past, &[&surface], Toward::Direction(Vector3::x()), &tolerance) {
        Err(SurfacingError::Misses { at }) => assert!(at[1] > 9.9, "{at:?}"),
        other => panic!("{other:?}"),
    }
}
