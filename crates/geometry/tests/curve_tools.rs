//! Fitting, recasting, lengths, corners, extensions and places on surfaces against values from outside.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{FRAC_PI_2, PI, TAU};

use geometry::{
    Elementary, Ellipse, EndsKept, Frame, GeometryError, KnotVector, NurbsCurve, NurbsSurface, Point3,
    Vector3, along_direction, chamfer, circle_arc, closest_on_surface, extended, extended_to, fillet,
    fit_function, fit_points, recast, through_points,
};
use proptest::prelude::*;

fn p(x: f64, y: f64) -> Point3 {
    Point3::new(x, y, 0.0)
}

fn flat() -> Frame {
    Frame::new(Point3::origin(), Vector3::x(), Vector3::y()).unwrap()
}

fn near(a: f64, b: f64, tolerance: f64) {
    assert!((a - b).abs() <= tolerance, "{a} is not {b} within {tolerance}");
}

/// An ellipse as an affine image of the rational circle.
fn ellipse(a: f64, b: f64) -> NurbsCurve {
    circle_arc(&flat(), 1.0, 0.0, TAU).unwrap().mapped(|q| p(a * q.x, b * q.y))
}

#[test]
fn lengths_are_those_of_the_handbooks() {
    // AL-01, NIST DLMF 19.30(i): perimeters of ellipses. The flat one needs more than each piece's few stretches give.
    near(ellipse(2.0, 1.0).length(), 9.688_448_220_547_676, 1e-9);
    near(ellipse(5.0, 3.0).length(), 25.526_998_863_398_13, 1e-9);
    // AL-03: a parabola. AL-08: a cubic.
    let parabola =
        NurbsCurve::try_new(KnotVector::bezier(2), &[p(0.0, 0.0), p(0.5, 0.0), p(1.0, 1.0)], None).unwrap();
    near(parabola.length(), 1.478_942_857_544_597, 1e-12);
    let cubic = NurbsCurve::try_new(
        KnotVector::bezier(3),
        &[p(0.0, 0.0), p(1.0, 2.0), p(3.0, 2.0), p(4.0, 0.0)],
        None,
    );
    near(cubic.unwrap().length(), 5.268_365_543_018_514, 1e-11);
}

// The equation of the ellipse, and its mirror images.
#[test]
fn arcs_of_ellipses_are_the_same_from_both_ends() {
    let whole = Ellipse::of(&ellipse(5.0, 3.0)).unwrap();
    for (from, sweep) in [(0.3, 0.4), (-1.1, 2.2), (2.0, 4.0), (0.1, TAU), (1.0, -2.5)] {
        let arc = whole.arc(from, sweep).unwrap();
        let mirrored = whole.arc(-from, -sweep).unwrap();
        near((arc.start() - p(5.0 * from.cos(), 3.0 * from.sin())).norm(), 0.0, 1e-12);
        near((arc.end() - p(5.0 * (from + sweep).cos(), 3.0 * (from + sweep).sin())).norm(), 0.0, 1e-12);
        for k in 0..=32 {
            let share = f64::from(k) / 32.0;
            let (q, m) = (arc.point(arc.domain().at(share)), mirrored.point(mirrored.domain().at(share)));
            near((q.x / 5.0).powi(2) + (q.y / 3.0).powi(2), 1.0, 1e-12);
            near((q - p(m.x, -m.y)).norm(), 0.0, 1e-12);
            // Run from the other end.
            let back = whole.arc(from + sweep, -sweep).unwrap();
            near((q - back.point(back.domain().at(1.0 - share))).norm(), 0.0, 1e-12);
        }
    }
    assert!(whole.arc(0.0, 0.0).is_err());
}

#[test]
fn a_length_along_a_curve_is_found_again() {
    let curve = ellipse(5.0, 3.0);
    let whole = curve.length();
    for share in [0.0, 0.1, 0.333, 0.5, 0.9, 1.0] {
        let t = curve.parameter_at_length(whole * share);
        let run = if share == 0.0 { 0.0 } else { curve.part(0.0, t).length() };
        near(run, whole * share, 1e-9);
    }
    near(curve.parameter_at_length(-1.0), 0.0, 1e-12);
    near(curve.parameter_at_length(1e9), 1.0, 0.0);
}

#[test]
fn a_function_is_followed_within_the_tolerance() {
    // AL-05: one turn of the Archimedean spiral rho = theta is 21.25629414820910 long.
    let spiral = |t: f64| {
        let d = Vector3::new(t.cos() - t * t.sin(), t.sin() + t * t.cos(), 0.0);
        Ok::<_, GeometryError>((p(t * t.cos(), t * t.sin()), d))
    };
    let fitted = fit_function(spiral, &[0.0, PI, TAU], 1e-6).unwrap();
    assert!(fitted.converged && fitted.max_deviation <= 1e-6);
    near(fitted.curve.length(), 21.256_294_148_209_1, 1e-5);
}

#[test]
fn a_thousand_points_are_fitted_with_few_control_points() {
    // Points of an ellipse and a wave; every one of them must lie within the tolerance, found by the closest place.
    let shapes: [fn(f64) -> Point3; 2] = [
        |s| p(30.0 * (PI * s).cos(), 20.0 * (PI * s).sin()),
        |s| Point3::new(100.0 * s, 8.0 * (9.0 * s).sin(), 5.0 * (4.0 * s).cos()),
    ];
    for shape in shapes {
        let points: Vec<Point3> = (0..1000).map(|k| shape(f64::from(k) / 999.0)).collect();
        let fitted = fit_points(&points, 3, 0.01, 1e-6).unwrap();
        assert!(fitted.converged);
        let count = fitted.curve.knots().point_count();
        assert!((5..40).contains(&count), "{count} control points");
        for q in points.iter().step_by(7) {
            assert!(geometry::closest_on_curve(&fitted.curve, q).distance <= 0.01 + 1e-9);
        }
        assert_eq!((fitted.curve.start(), fitted.curve.end()), (points[0], points[999]));
    }
}

#[test]
fn recasting_says_what_it_costs() {
    let wave: Vec<Point3> =
        (0..12).map(|k| p(f64::from(k) * 5.0, (f64::from(k) * 1.1).sin() * 6.0)).collect();
    let curve = through_points(&wave, 1e-6).unwrap();
    let mut last = f64::INFINITY;
    for count in [6, 9, 14, 24] {
        let recast = recast(&curve, 3, count, EndsKept::Tangents).unwrap();
        assert_eq!((recast.curve.knots().point_count(), recast.curve.degree()), (count, 3));
        // The deviation that is told holds for places of the source that the fit did not use.
        let worst = (0..=977)
            .map(|k| geometry::closest_on_curve(&recast.curve, &curve.point(f64::from(k) / 977.0)).distance)
            .fold(0.0, f64::max);
        assert!(worst <= recast.max_deviation * 1.05 + 1e-9, "{worst} against {}", recast.max_deviation);
        assert!(recast.max_deviation <= last);
        last = recast.max_deviation;
    }
    // A curve that has that form already stays as it is; a line needs only two points.
    assert_eq!(recast(&curve, 3, 12, EndsKept::Tangents).unwrap().curve, curve);
    let line = NurbsCurve::line(p(0.0, 0.0), p(7.0, 7.0));
    assert!(recast(&line, 3, 5, EndsKept::Tangents).unwrap().max_deviation < 1e-12);
    assert!(matches!(
        recast(&curve, 3, 3, EndsKept::Tangents),
        Err(GeometryError::TooFewPoints { needed: 4, .. })
    ));
}

#[test]
fn fillets_touch_both_sides() {
    // A right corner: the contacts lie one radius before and after it (plane geometry).
    let (a, b) = (NurbsCurve::line(p(0.0, 0.0), p(10.0, 0.0)), NurbsCurve::line(p(10.0, 0.0), p(10.0, 8.0)));
    let done = fillet(&a, &b, &Vector3::z(), 3.0, 1e-2).unwrap();
    assert!((done.before.end() - p(7.0, 0.0)).norm() < 1e-12);
    assert!((done.after.start() - p(10.0, 3.0)).norm() < 1e-12);
    near(done.joint.length(), 3.0 * FRAC_PI_2, 1e-12);
    // The same corner run the other way turns right.
    let back = fillet(&b.reversed(), &a.reversed(), &Vector3::z(), 3.0, 1e-2).unwrap();
    near(back.joint.length(), 3.0 * FRAC_PI_2, 1e-12);
    // 60 degrees between the sides: the contact is r / tan(30 deg) from the corner.
    let c = NurbsCurve::line(p(10.0, 0.0), p(10.0 - 8.0 * (PI / 3.0).cos(), 8.0 * (PI / 3.0).sin()));
    let done = fillet(&a, &c, &Vector3::z(), 2.0, 1e-2).unwrap();
    near((done.before.end() - p(10.0, 0.0)).norm(), 2.0 / (PI / 6.0).tan(), 1e-11);
    // What does not fit is refused with what would: the shorter side takes 8 mm.
    match fillet(&a, &b, &Vector3::z(), 9.0, 1e-2) {
        Err(GeometryError::CornerTooTight { asked, fits, at }) => {
            near(asked, 9.0, 0.0);
            near(fits, 8.0, 2e-3);
            assert_eq!(at, [10.0, 0.0, 0.0]);
        }
        other => panic!("{other:?}"),
    }
    let on = NurbsCurve::line(p(10.0, 0.0), p(20.0, 0.0));
    assert!(matches!(fillet(&a, &on, &Vector3::z(), 1.0, 1e-2), Err(GeometryError::NoCorner { .. })));
}

#[test]
fn a_fillet_between_splines_is_tangent_to_both() {
    let a = through_points(&[p(0.0, 0.0), p(8.0, 3.0), p(14.0, 1.0)], 1e-6).unwrap();
    let b = through_points(&[p(14.0, 1.0), p(13.0, 7.0), p(16.0, 13.0)], 1e-6).unwrap();
    let done = fillet(&a, &b, &Vector3::z(), 1.2, 1e-2).unwrap();
    let turn = |c: &NurbsCurve, d: &NurbsCurve| {
        c.tangent(c.domain().end).unwrap().angle(&d.tangent(d.domain().start).unwrap())
    };
    assert!(turn(&done.before, &done.joint) < 1e-7 && turn(&done.joint, &done.after) < 1e-7);
    assert!((done.before.end() - done.joint.start()).norm() < 1e-12);
    for t in [0.1, 0.5, 0.9] {
        near(done.joint.curvature(t), 1.0 / 1.2, 1e-9);
    }
}

#[test]
fn chamfers_are_measured_along_the_curves() {
    let (a, b) = (NurbsCurve::line(p(0.0, 0.0), p(10.0, 0.0)), NurbsCurve::line(p(10.0, 0.0), p(10.0, 8.0)));
    let done = chamfer(&a, &b, [3.0, 4.0], 1e-2).unwrap();
    near(done.joint.length(), 5.0, 1e-12);
    let arc = circle_arc(&flat(), 10.0, 0.0, FRAC_PI_2).unwrap();
    let done = chamfer(&a, &arc, [1.0, 5.0 * PI / 3.0], 1e-2).unwrap();
    // A third of the quarter turn on: 30 degrees.
    assert!((done.joint.end() - p(10.0 * (PI / 6.0).cos(), 5.0)).norm() < 1e-9);
    assert!(matches!(chamfer(&a, &b, [3.0, 9.0], 1e-2), Err(GeometryError::CornerTooTight { .. })));
}

#[test]
fn curves_go_on_in_their_own_nature() {
    let line = extended(&NurbsCurve::line(p(0.0, 0.0), p(3.0, 4.0)), 5.0).unwrap();
    assert!((line.end() - p(6.0, 8.0)).norm() < 1e-12);
    let arc = extended(&circle_arc(&flat(), 10.0, 0.0, FRAC_PI_2).unwrap(), 10.0 * FRAC_PI_2).unwrap();
    assert!((arc.end() - p(-10.0, 0.0)).norm() < 1e-9);
    assert!(matches!(extended(&arc, 60.0), Err(GeometryError::NoDirection { .. })));
    // A parabola stays the same parabola, y = x^2.
    let parabola =
        NurbsCurve::try_new(KnotVector::bezier(2), &[p(0.0, 0.0), p(0.5, 0.0), p(1.0, 1.0)], None).unwrap();
    let long = extended(&parabola, 4.0).unwrap();
    near(long.length() - parabola.length(), 4.0, 1e-9);
    for t in 0..=20 {
        let q = long.point(long.domain().at(f64::from(t) / 20.0));
        near(q.y, q.x * q.x, 1e-12);
    }
    // Up to a line at x = 2, which it meets at y = 4.
    let wall = NurbsCurve::line(p(2.0, -10.0), p(2.0, 10.0));
    let (reached, at) = extended_to(&parabola, &wall, 20.0, 1e-3).unwrap();
    assert!((at - p(2.0, 4.0)).norm() < 1e-9 && (reached.end() - at).norm() < 1e-9);
    assert!(extended_to(&parabola, &NurbsCurve::line(p(-5.0, -10.0), p(-5.0, 10.0)), 20.0, 1e-3).is_none());
}

/// The cylinder of radius 2 about z from z = 0 to 5, as a ruled surface between two circles.
fn cylinder() -> NurbsSurface {
    let circle = circle_arc(&flat(), 2.0, 0.0, TAU).unwrap();
    NurbsSurface::ruled(&circle, &circle.mapped(|q| q + Vector3::z() * 5.0)).unwrap()
}

#[test]
fn places_on_a_surface_are_the_nearest() {
    let s = cylinder();
    for (angle, r, z) in [(0.3_f64, 5.0, 1.0), (2.0, 0.7, 4.2), (4.4, 3.0, 2.5)] {
        let at = Point3::new(r * angle.cos(), r * angle.sin(), z);
        let found = closest_on_surface(&s, &at);
        near(found.distance, (r - 2.0_f64).abs(), 1e-12);
        assert!((found.point - Point3::new(2.0 * angle.cos(), 2.0 * angle.sin(), z)).norm() < 1e-7);
        let hit = along_direction(&s, &at, &Vector3::new(-angle.cos(), -angle.sin(), 0.0));
        assert!(hit.distance < 1e-8 && (hit.point - found.point).norm() < 1e-7);
    }
    // Beyond the end the nearest place is on the rim; a line past the surface does not meet it.
    near(closest_on_surface(&s, &Point3::new(2.0, 0.0, 9.0)).distance, 4.0, 1e-12);
    assert!(along_direction(&s, &Point3::new(3.0, 0.0, 9.0), &Vector3::x()).distance > 1.0);
}

#[test]
fn parameter_curves_lie_on_their_surface() {
    let s = cylinder();
    let ring = s.curve_at_u(0.4);
    near(ring.length(), 4.0 * PI, 1e-9);
    assert!((0..=16).all(|k| (ring.point(f64::from(k) / 16.0).z - 2.0).abs() < 1e-14));
    let side = s.curve_at_v(0.3);
    near(side.length(), 5.0, 1e-12);
    assert!((side.point(0.7) - s.point(0.7, 0.3)).norm() < 1e-14);
}

#[test]
fn elementary_surfaces_are_told_by_their_shape() {
    let (cylinder, same) = Elementary::of(&cylinder(), 1e-9).unwrap();
    assert!(
        matches!(cylinder, Elementary::Cylinder { radius, .. } if (radius - 2.0).abs() < 1e-12),
        "{cylinder:?}"
    );
    // u rises along z and v runs round: Su x Sv points inwards.
    assert!(!same);
    let twisted = NurbsSurface::bilinear(p(0.0, 0.0), p(1.0, 0.0), p(0.0, 1.0), Point3::new(1.0, 1.0, 1.0));
    assert_eq!(Elementary::of(&twisted, 1e-9), None);
}

proptest! {
    #[test]
    fn raising_the_degree_and_inserting_knots_never_change_a_curve(
        ys in proptest::collection::vec(-20.0..20.0f64, 4..9), t in 0.05..0.95f64
    ) {
        let points: Vec<Point3> = ys.iter().enumerate().map(|(i, y)| p(i as f64 * 4.0, *y)).collect();
        let curve = through_points(&points, 1e-6).unwrap();
        let changed = curve.elevated().unwrap().with_knot(t);
        for k in 0..=40 {
            let s = f64::from(k) / 40.0;
            prop_assert!((changed.point(s) - curve.point(s)).norm() < 1e-9);
        }
    }
}

#[test]
fn polygons_have_the_area_of_regular_ones_and_hold_what_is_inside() {
    // Area of a regular polygon of circumradius r: n r^2 sin(2 pi / n) / 2 (derived from its triangles).
    for n in 3..12 {
        let corner = |k: usize| {
            let angle = std::f64::consts::TAU * k as f64 / n as f64;
            [3.0 + 2.0 * angle.cos(), 2.0 * angle.sin() - 1.0]
        };
        let mut outline: Vec<[f64; 2]> = (0..n).map(corner).collect();
        let area = n as f64 * 2.0 * (std::f64::consts::TAU / n as f64).sin();
        assert!((geometry::polygon_area(&outline) - area).abs() < 1e-12 * area);
        assert!(geometry::polygon_holds(&outline, &[3.1, -1.05]));
        assert!(!geometry::polygon_holds(&outline, &[0.9, -1.05]));
        outline.reverse();
        assert!((geometry::polygon_area(&outline) + area).abs() < 1e-12 * area);
    }
}
