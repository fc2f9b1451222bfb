//! Curves and surfaces against published examples and identities.
//!
//! Setups are from Piegl & Tiller, The NURBS Book, 2nd edition, where an example or section is named; book numbers
//! are quoted from memory, digits were computed independently of this project.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{FRAC_PI_2, PI, TAU};

use geometry::{
    EndDerivatives, Frame, GeometryError, KnotVector, NurbsCurve, NurbsSurface, Point3, Vector3, as_line,
    as_plane_arc, centripetal_parameters, chord_parameters, circle_arc, closest_on_curve, crossings,
    gauss_legendre, interpolate, offset_in_plane, self_crossing, through_points, tightest_bend,
};
use proptest::prelude::*;

const SCALES: [f64; 3] = [1e-3, 1.0, 1e3];

fn p(x: f64, y: f64) -> Point3 {
    Point3::new(x, y, 0.0)
}

fn near(a: f64, b: f64, tolerance: f64) {
    assert!((a - b).abs() <= tolerance, "{a} is not {b} within {tolerance}");
}

fn near_point(a: Point3, b: Point3, tolerance: f64) {
    assert!((a - b).norm() <= tolerance, "{a} is not {b} within {tolerance}");
}

fn flat() -> Frame {
    Frame::new(Point3::origin(), Vector3::x(), Vector3::y()).unwrap()
}

fn knots_2() -> KnotVector {
    KnotVector::try_new(2, vec![0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 4.0, 4.0, 5.0, 5.0, 5.0]).unwrap()
}

fn curve_8() -> NurbsCurve {
    let knots =
        KnotVector::try_new(3, vec![0.0, 0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 5.0, 5.0, 5.0]).unwrap();
    let points = [(0, 0), (1, 2), (2, -1), (3, 3), (4, 0), (5, 2), (6, -2), (7, 1)]
        .map(|(x, y)| p(x.into(), y.into()));
    NurbsCurve::try_new(knots, &points, None).unwrap()
}

#[test]
fn basis_functions_have_the_books_values() {
    // BS-01, BS-02, BS-03: examples 2.3, 2.4, section 2.5.
    let k = knots_2();
    assert_eq!([0.0, 2.5, 3.999, 4.0, 5.0].map(|u| k.span(u)), [2, 4, 5, 7, 7]);
    let d = k.basis_derivatives(4, 2.5);
    for (j, (value, first, second)) in
        [(0.125, -0.5, 1.0), (0.75, 0.0, -2.0), (0.125, 0.5, 1.0)].into_iter().enumerate()
    {
        near(k.basis(4, 2.5)[j], value, 1e-15);
        near(d[0][j], value, 1e-15);
        near(d[1][j], first, 1e-14);
        near(d[2][j], second, 1e-13);
        near(d[3][j], 0.0, 1e-13);
    }
    // BS-04: beside simple and double knots, example 2.2.
    for (u, expected) in [(0.5, [0.25, 0.625, 0.125]), (3.5, [0.125, 0.625, 0.25]), (4.5, [0.25, 0.5, 0.25])]
    {
        for j in 0..3 {
            near(k.basis(k.span(u), u)[j], expected[j], 1e-15);
        }
    }
    // BS-14: Greville abscissae (Farin, from memory).
    assert_eq!(k.greville(), [0.0, 0.5, 1.5, 2.5, 3.5, 4.0, 4.5, 5.0]);
}

#[test]
fn rational_quadratics_have_the_books_points_and_derivatives() {
    // BS-05: example 4.1.
    let knots = KnotVector::try_new(2, vec![0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 3.0, 3.0]).unwrap();
    let points = [p(0.0, 0.0), p(1.0, 1.0), p(3.0, 2.0), p(4.0, 1.0), p(5.0, -1.0)];
    let curve = NurbsCurve::try_new(knots, &points, Some(&[1.0, 4.0, 1.0, 1.0, 1.0])).unwrap();
    near_point(curve.point(1.0), p(1.4, 1.2), 1e-15);
    // BS-06: example 4.2.
    let quarter = NurbsCurve::try_new(
        KnotVector::bezier(2),
        &[p(1.0, 0.0), p(1.0, 1.0), p(0.0, 1.0)],
        Some(&[1.0, 1.0, 2.0]),
    )
    .unwrap();
    let (_, [d1, d2, _]) = quarter.derivatives(0.0);
    near((d1 - Vector3::new(0.0, 2.0, 0.0)).norm(), 0.0, 1e-13);
    near((d2 - Vector3::new(-4.0, 0.0, 0.0)).norm(), 0.0, 1e-12);
    let (_, [d1, d2, _]) = quarter.derivatives(1.0);
    near((d1 - Vector3::new(-1.0, 0.0, 0.0)).norm(), 0.0, 1e-13);
    near((d2 - Vector3::new(1.0, -1.0, 0.0)).norm(), 0.0, 1e-12);
    // CV-14: end curvature 1 of the same arc (Farin, from memory), and 2/3 of a cubic.
    near(quarter.curvature(0.0), 1.0, 1e-13);
    let cubic =
        NurbsCurve::from_control_points(&[p(0.0, 0.0), p(1.0, 0.0), p(2.0, 1.0), p(2.0, 3.0)], 1e-6).unwrap();
    near(cubic.curvature(0.0), 2.0 / 3.0, 1e-13);
}

#[test]
fn knot_insertion_and_removal_keep_the_curve() {
    // BS-08 and BS-25.
    let curve = curve_8();
    let once = curve.with_knot(2.5);
    let q = once.control_points();
    near_point(q[3], p(2.833333333333333, 2.333333333333333), 1e-14);
    near_point(q[4], p(3.5, 1.5), 1e-14);
    near_point(q[5], p(4.166666666666667, 0.3333333333333333), 1e-14);
    near_point(once.point(2.5), p(3.5, 1.458333333333333), 1e-14);
    let twice = once.with_knot(2.5);
    assert_eq!(twice.homogeneous().len(), 10);
    let (back, _) = twice.without_knot(2.5, 1e-9).unwrap();
    let (back, _) = back.without_knot(2.5, 1e-9).unwrap();
    assert_eq!(back.homogeneous().len(), 8);
    for (a, b) in back.control_points().iter().zip(curve.control_points()) {
        near_point(*a, b, 1e-12);
    }
    assert!(curve.without_knot(2.0, 1e-6).is_none(), "a knot that the shape needs must stay");
}

#[test]
fn splitting_and_elevating_keep_the_curve() {
    // BS-12: de Casteljau.
    let bezier =
        NurbsCurve::from_control_points(&[p(0.0, 0.0), p(0.0, 1.0), p(1.0, 1.0), p(1.0, 0.0)], 1e-6).unwrap();
    let (left, right) = bezier.split(0.5).unwrap();
    near_point(left.control_points()[2], p(0.25, 0.75), 1e-15);
    near_point(right.control_points()[0], p(0.5, 0.75), 1e-15);
    near_point(right.control_points()[2], p(1.0, 0.5), 1e-15);
    // BS-11: degree elevation of a two-span quadratic.
    let knots = KnotVector::try_new(2, vec![0.0, 0.0, 0.0, 0.5, 1.0, 1.0, 1.0]).unwrap();
    let curve =
        NurbsCurve::try_new(knots, &[p(0.0, 0.0), p(1.0, 2.0), p(3.0, 2.0), p(4.0, 0.0)], None).unwrap();
    let cubic = curve.elevated().unwrap();
    assert_eq!(cubic.knots().knots(), [0.0, 0.0, 0.0, 0.0, 0.5, 0.5, 1.0, 1.0, 1.0, 1.0]);
    let third = 1.0 / 3.0;
    let expected = [
        (0.0, 0.0),
        (2.0 * third, 4.0 * third),
        (4.0 * third, 2.0),
        (8.0 * third, 2.0),
        (10.0 * third, 4.0 * third),
        (4.0, 0.0),
    ];
    for (a, (x, y)) in cubic.control_points().iter().zip(expected) {
        near_point(*a, p(x, y), 1e-14);
    }
    // BS-10: of a rational quarter circle, in homogeneous space.
    let quarter = NurbsCurve::try_new(
        KnotVector::bezier(2),
        &[p(1.0, 0.0), p(1.0, 1.0), p(0.0, 1.0)],
        Some(&[1.0, 1.0, 2.0]),
    )
    .unwrap();
    let weights = quarter.elevated().unwrap().weights();
    for (w, expected) in weights.iter().zip([1.0, 1.0, 4.0 / 3.0, 2.0]) {
        near(*w, expected, 1e-14);
    }
}

#[test]
fn interpolation_has_the_books_parameters_knots_and_points() {
    // BS-17 (example 9.1) and BS-18.
    let q = [p(0.0, 0.0), p(3.0, 4.0), p(-1.0, 4.0), p(-4.0, 0.0), p(-4.0, -3.0)];
    let chord = chord_parameters(&q);
    for (t, expected) in chord.iter().zip([0.0, 5.0 / 17.0, 9.0 / 17.0, 14.0 / 17.0, 1.0]) {
        near(*t, expected, 1e-15);
    }
    for (t, expected) in centripetal_parameters(&q).iter().zip([
        0.0,
        0.2725520569207217,
        0.516330027593572,
        0.7888820845142938,
        1.0,
    ]) {
        near(*t, expected, 1e-14);
    }
    let curve = through_points(&q, 1e-6).unwrap();
    near(curve.knots().knots()[4], 28.0 / 51.0, 1e-15);
    let control = curve.control_points();
    near_point(control[1], p(7.316963517111994, 3.68677752575874), 1e-12);
    near_point(control[2], p(-2.958130565851426, 6.678276528176589), 1e-12);
    near_point(control[3], p(-4.494953466891106, -0.6736915062424733), 1e-12);
    for (point, t) in q.iter().zip(chord) {
        near_point(curve.point(t), *point, 1e-12);
    }
}

#[test]
fn an_interpolant_has_the_tangents_and_second_derivatives_asked_for_at_its_ends() {
    // BS-17's points; either end alone, and both.
    let q = [p(0.0, 0.0), p(3.0, 4.0), p(-1.0, 4.0), p(-4.0, 0.0), p(-4.0, -3.0)];
    let (tangent, bend) = (Vector3::new(9.0, 12.0, 4.0), Vector3::new(-30.0, 5.0, 18.0));
    for (start, end) in [(2, 0), (0, 2), (2, 2), (1, 2)] {
        let given = |count: usize| [tangent, bend][..count].to_vec();
        let ends = EndDerivatives { start: given(start), end: given(end) };
        let curve = interpolate(&q, &chord_parameters(&q), 3, &ends).unwrap();
        for (t, count) in [(0.0, start), (1.0, end)] {
            let (_, derivatives) = curve.derivatives(t);
            for (reached, asked) in derivatives.iter().zip(given(count)) {
                near((reached - asked).norm(), 0.0, 1e-9);
            }
        }
        for (point, t) in q.iter().zip(chord_parameters(&q)) {
            near((curve.point(t) - point).norm(), 0.0, 1e-11);
        }
    }
    // The same by moving control points; what is too short for it says so.
    let free = NurbsCurve::from_control_points(&q, 1e-6).unwrap();
    let moved = free.with_start_derivatives(&[tangent, bend]).unwrap();
    near((moved.derivatives(0.0).1[0] - tangent).norm(), 0.0, 1e-11);
    near((moved.derivatives(0.0).1[1] - bend).norm(), 0.0, 1e-10);
    assert!((moved.end() - free.end()).norm() < 1e-12);
    assert!(NurbsCurve::line(q[0], q[1]).with_start_derivatives(&[tangent, bend]).is_none());
}

#[test]
fn end_derivatives_of_an_interpolant_are_those_asked_for() {
    let q = [p(0.0, 0.0), p(2.0, 1.0), p(3.0, 3.0), p(6.0, 2.0)];
    let ends = [Vector3::new(0.0, 9.0, 0.0), Vector3::new(5.0, 0.0, 1.0)];
    let curve = interpolate(&q, &chord_parameters(&q), 3, &EndDerivatives::tangents(ends)).unwrap();
    near((curve.derivatives(0.0).1[0] - ends[0]).norm(), 0.0, 1e-11);
    near((curve.derivatives(1.0).1[0] - ends[1]).norm(), 0.0, 1e-11);
    let two = interpolate(&q[..2], &[0.0, 1.0], 3, &EndDerivatives::tangents(ends)).unwrap();
    near((two.derivatives(1.0).1[0] - ends[1]).norm(), 0.0, 1e-11);
}

#[test]
fn arcs_are_exact_circles() {
    for scale in SCALES {
        // EX-03 and EX-02: nine-point circle, middle weights cos(theta / 2).
        let circle = circle_arc(&flat(), 2.0 * scale, 0.0, TAU).unwrap();
        assert_eq!(circle.homogeneous().len(), 9);
        near(circle.length() / scale, 12.56637061435917, 1e-10);
        for k in 0..=100 {
            near(circle.point(f64::from(k) / 100.0).coords.norm() / scale, 2.0, 2e-15);
        }
        for (degrees, weight) in
            [(30.0f64, 0.9659258262890683), (60.0, 0.8660254037844386), (90.0, 0.7071067811865475)]
        {
            let arc = circle_arc(&flat(), scale, 0.3, degrees.to_radians()).unwrap();
            near(arc.weights()[1], weight, 1e-14);
        }
        // What was made as an arc is recognised as one, more than half a turn included.
        for sweep in [0.4, FRAC_PI_2, 4.0, -2.0, 6.0] {
            let arc = circle_arc(&flat(), 3.0 * scale, 0.7, sweep).unwrap();
            let (frame, radius, found) = as_plane_arc(&arc, 1e-9 * scale).unwrap();
            near(radius / scale, 3.0, 1e-12);
            near(found, sweep.abs(), 1e-9);
            near(frame.z.z, sweep.signum(), 1e-12);
        }
        assert!(as_plane_arc(&NurbsCurve::line(p(0.0, 0.0), p(scale, 0.0)), 1e-9).is_none());
        assert!(as_line(&circle, 1e-9 * scale).is_none());
    }
    assert!(matches!(circle_arc(&flat(), 0.0, 0.0, 1.0), Err(GeometryError::NoDirection { .. })));
    assert!(circle_arc(&flat(), 1.0, 0.0, 7.0).is_err());
}

#[test]
fn lengths_agree_with_closed_forms() {
    // AL-03: parabola; AL-08: cubic Bézier; AL-01: ellipse a = 2, b = 1 (NIST DLMF 19.30).
    let parabola = through_or_bezier(&[p(0.0, 0.0), p(0.5, 0.0), p(1.0, 1.0)]);
    near(parabola.length(), 1.478942857544597, 1e-11);
    let cubic = through_or_bezier(&[p(0.0, 0.0), p(1.0, 2.0), p(3.0, 2.0), p(4.0, 0.0)]);
    near(cubic.length(), 5.268365543018514, 1e-10);
    let ellipse = circle_arc(&flat(), 1.0, 0.0, TAU).unwrap().mapped(|q| p(2.0 * q.x, q.y));
    near(ellipse.length(), 9.688448220547676, 1e-10);
    // CV-12: ellipse a = 3, b = 2 at the ends of its axes.
    let ellipse = circle_arc(&flat(), 1.0, 0.0, TAU).unwrap().mapped(|q| p(3.0 * q.x, 2.0 * q.y));
    near(ellipse.curvature(0.0), 0.75, 1e-12);
    near(ellipse.curvature(0.25), 2.0 / 9.0, 1e-12);
    let sum: f64 = gauss_legendre(9).iter().map(|(x, w)| w * x.powi(17)).sum();
    near(sum, 1.0 / 18.0, 1e-15);
}

fn through_or_bezier(points: &[Point3]) -> NurbsCurve {
    NurbsCurve::try_new(KnotVector::bezier(points.len() - 1), points, None).unwrap()
}

#[test]
fn the_closest_place_is_found_on_a_parabola() {
    // BS-23: (t, t^2) on [-2, 2].
    let parabola = through_or_bezier(&[p(-2.0, 4.0), p(0.0, -4.0), p(2.0, 4.0)]);
    let found = closest_on_curve(&parabola, &p(0.0, 1.0));
    near(found.distance, 0.8660254037844386, 1e-12);
    near(found.point.x.abs(), 0.7071067811865475, 1e-7);
    near(closest_on_curve(&parabola, &p(3.0, 0.0)).distance, 2.23606797749979, 1e-12);
    near(closest_on_curve(&parabola, &p(9.0, 9.0)).parameter, 1.0, 1e-12);
}

#[test]
fn offsets_of_lines_and_arcs_are_exact_and_others_within_tolerance() {
    let z = Vector3::z();
    for scale in SCALES {
        let arc = circle_arc(&flat(), 4.0 * scale, 0.0, 2.0).unwrap();
        for (distance, radius) in [(1.0, 3.0), (-1.0, 5.0)] {
            let offset = offset_in_plane(&arc, &z, distance * scale, 1e-3 * scale).unwrap();
            assert_eq!(offset.max_deviation, 0.0);
            near(offset.curve.point(0.37).coords.norm() / scale, radius, 1e-12);
        }
        // OF-07: ellipse a = 3, b = 2: L(d) = L + 2 pi d outwards; inwards regular below b^2 / a.
        let ellipse =
            circle_arc(&flat(), 1.0, 0.0, TAU).unwrap().mapped(|q| p(3.0 * q.x * scale, 2.0 * q.y * scale));
        let out = offset_in_plane(&ellipse, &z, -0.5 * scale, 1e-5 * scale).unwrap();
        assert!(out.converged);
        near(out.curve.length() / scale, 19.00703224288038, 1e-3);
        let inner = offset_in_plane(&ellipse, &z, 1.0 * scale, 1e-5 * scale).unwrap();
        near(inner.curve.length() / scale, 9.582254282111003, 1e-3);
        let Err(GeometryError::OffsetFolds { radius, .. }) =
            offset_in_plane(&ellipse, &z, 1.4 * scale, 1e-3 * scale)
        else {
            panic!("an offset beyond the curvature limit must be refused")
        };
        near(radius / scale, 4.0 / 3.0, 1e-6);
    }
    // OF-09: the parabola y = x^2 has its tightest bend, radius 1/2, at its vertex, on its inner side only.
    let parabola = through_or_bezier(&[p(-2.0, 4.0), p(0.0, -4.0), p(2.0, 4.0)]);
    let (t, radius) = tightest_bend(&parabola, &z, true).unwrap();
    near(parabola.point(t).x, 0.0, 1e-6);
    near(radius, 0.5, 1e-9);
    assert!(tightest_bend(&parabola, &z, false).is_none());
}

#[test]
fn crossings_are_found_to_the_last_digits() {
    // Two circles of radius 5 about (0,0) and (6,0) cross at (3, +-4), plain Pythagoras.
    let a = circle_arc(&flat(), 5.0, 0.1, TAU).unwrap();
    let b = circle_arc(&flat(), 5.0, 0.1, TAU).unwrap().mapped(|q| p(q.x + 6.0, q.y));
    let found = crossings(&a, &b, 0.01);
    assert_eq!(found.len(), 2);
    for c in found {
        near(c.point.x, 3.0, 1e-12);
        near(c.point.y.abs(), 4.0, 1e-12);
    }
    let loops = through_or_bezier(&[p(0.0, 0.0), p(6.0, 4.0), p(-4.0, 4.0), p(2.0, 0.0)]);
    let c = self_crossing(std::slice::from_ref(&loops), false, 0.01).unwrap();
    near_point(loops.point(c.first_parameter), loops.point(c.second_parameter), 1e-10);
    assert!(self_crossing(&[a], true, 0.01).is_none(), "a closed curve's ends may meet");
}

#[test]
fn surfaces_have_the_curvature_of_their_formulas() {
    // BS-22: bilinear z = x y.
    let saddle = NurbsSurface::bilinear(p(0.0, 0.0), p(1.0, 0.0), p(0.0, 1.0), Point3::new(1.0, 1.0, 1.0));
    near_point(saddle.point(0.5, 0.5), Point3::new(0.5, 0.5, 0.25), 1e-15);
    let n = saddle.normal(0.5, 0.5).unwrap();
    near((n - Vector3::new(-1.0, -1.0, 2.0).normalize()).norm(), 0.0, 1e-14);
    let (gauss, mean) = saddle.derivatives(0.5, 0.5).curvatures().unwrap();
    near(gauss, -4.0 / 9.0, 1e-12);
    near(mean.abs(), 0.1360827634879543, 1e-12);
    // CV-10: Enneper's surface is a bicubic patch, K = -4 / (1 + u^2 + v^2)^4, H = 0 (do Carmo 3-5).
    let third = 1.0 / 3.0;
    let mut points = Vec::new();
    for i in 0..4 {
        for j in 0..4 {
            // Blossoms of u, u^2, u^3 at 0..i ones: Bernstein coefficients of the powers.
            let b = |k: i32| {
                [
                    f64::from(k) * third,
                    f64::from((k >= 2) as i32) * if k == 2 { third } else { 1.0 },
                    f64::from((k == 3) as i32),
                ]
            };
            let (u, v) = (b(i), b(j));
            points.push(Point3::new(
                u[0] - u[2] * third + u[0] * v[1],
                v[0] - v[2] * third + v[0] * u[1],
                u[1] - v[1],
            ));
        }
    }
    let enneper = NurbsSurface::try_new(KnotVector::bezier(3), KnotVector::bezier(3), &points, None).unwrap();
    let (gauss, mean) = enneper.derivatives(0.5, 0.25).curvatures().unwrap();
    near(gauss, -1.347915734699019, 1e-12);
    near(mean, 0.0, 1e-12);
    // A stored surface reads back the same, and a broken one is refused.
    let text = serde_json_of(&enneper);
    assert_eq!(serde_json::from_str::<NurbsSurface>(&text).unwrap(), enneper);
    let broken = text.replacen("1.0", "-1.0", 1).replace("\"degree\":3", "\"degree\":2");
    assert!(serde_json::from_str::<NurbsSurface>(&broken).is_err());
}

fn serde_json_of(surface: &NurbsSurface) -> String {
    serde_json::to_string(surface).unwrap()
}

#[test]
fn bad_numbers_are_refused_by_name() {
    assert!(matches!(
        through_points(&[p(0.0, 0.0)], 1e-6),
        Err(GeometryError::TooFewPoints { given: 1, needed: 2 })
    ));
    assert!(matches!(
        through_points(&[p(0.0, 0.0), p(1.0, 1.0), p(1.0, 1.0)], 1e-6),
        Err(GeometryError::RepeatedPoint { first: 1, second: 2, .. })
    ));
    assert!(matches!(
        through_points(&[p(0.0, f64::NAN), p(1.0, 1.0)], 1e-6),
        Err(GeometryError::BadNumber(0))
    ));
    assert!(matches!(
        KnotVector::try_new(2, vec![0.0, 0.0, 0.0, 2.0, 1.0, 3.0, 3.0, 3.0]),
        Err(GeometryError::KnotOrder(4))
    ));
    assert!(matches!(KnotVector::try_new(0, vec![0.0, 1.0]), Err(GeometryError::Degree(0))));
    assert!(matches!(KnotVector::try_new(2, vec![0.0, 1.0]), Err(GeometryError::KnotCount { .. })));
    let two = [p(0.0, 0.0), p(1.0, 0.0)];
    assert!(matches!(
        NurbsCurve::try_new(KnotVector::bezier(1), &two, Some(&[1.0, 0.0])),
        Err(GeometryError::BadNumber(1))
    ));
    assert!(matches!(
        NurbsCurve::try_new(KnotVector::bezier(2), &two, None),
        Err(GeometryError::KnotCount { .. })
    ));
}

fn random_curve() -> impl Strategy<Value = NurbsCurve> {
    (1usize..5, prop::collection::vec((-50.0..50.0f64, -50.0..50.0f64, -50.0..50.0f64, 0.2..4.0f64), 6..12))
        .prop_map(|(degree, data)| {
            let points: Vec<Point3> = data.iter().map(|d| Point3::new(d.0, d.1, d.2)).collect();
            let weights: Vec<f64> = data.iter().map(|d| d.3).collect();
            let knots = KnotVector::clamped_uniform(degree, points.len()).unwrap();
            NurbsCurve::try_new(knots, &points, Some(&weights)).unwrap()
        })
}

proptest! {
    #[test]
    fn every_edit_of_a_curve_that_keeps_it_keeps_it(curve in random_curve(), at in 0.01..0.99f64, cut in 0.02..0.98f64) {
        let d = curve.domain();
        let (t, c) = (d.at(at), d.at(cut));
        let here = curve.point(t);
        prop_assert!((curve.with_knot(c).point(t) - here).norm() < 1e-9);
        prop_assert!((curve.elevated().unwrap().point(t) - here).norm() < 1e-7);
        prop_assert!((curve.reversed().point(d.start + d.end - t) - here).norm() < 1e-9);
        let (head, tail) = curve.split(c).unwrap();
        let half = if t <= c { head } else { tail };
        prop_assert!((half.point(t) - here).norm() < 1e-9);
        prop_assert!((curve.reversed().reversed().point(t) - here).norm() < 1e-9);
    }

    #[test]
    fn derivatives_agree_with_differences(curve in random_curve(), at in 0.05..0.95f64) {
        let t = curve.domain().at(at);
        let step = 1e-6 * curve.domain().length();
        // Not across a knot, where a low degree has a corner.
        prop_assume!(curve.knots().span(t - step) == curve.knots().span(t + step));
        let difference = (curve.point(t + step) - curve.point(t - step)) / (2.0 * step);
        let exact = curve.derivatives(t).1[0];
        prop_assert!((curve.velocity(t) - exact).norm() <= 1e-11 * (1.0 + exact.norm()));
        prop_assert!((difference - exact).norm() <= 1e-4 * (1.0 + exact.norm()));
    }

    #[test]
    fn a_surface_agrees_with_its_curves_and_its_grid(
        rows in prop::collection::vec(prop::collection::vec((-20.0..20.0f64, 0.3..3.0f64), 5), 4),
        u in 0.0..1.0f64, v in 0.0..1.0f64,
    ) {
        let knots_u = KnotVector::clamped_uniform(2, 4).unwrap();
        let knots_v = KnotVector::clamped_uniform(3, 5).unwrap();
        let (mut points, mut weights) = (Vec::new(), Vec::new());
        for (i, row) in rows.iter().enumerate() {
            for (j, (z, w)) in row.iter().enumerate() {
                points.push(Point3::new(10.0 * i as f64, 10.0 * j as f64, *z));
                weights.push(*w);
            }
        }
        let surface = NurbsSurface::try_new(knots_u.clone(), knots_v.clone(), &points, Some(&weights)).unwrap();
        let (u, v) = (knots_u.domain().at(u), knots_v.domain().at(v));
        // Direct evaluation by basis functions, the textbook way.
        let (su, sv) = (knots_u.span(u), knots_v.span(v));
        let (bu, bv) = (knots_u.basis(su, u), knots_v.basis(sv, v));
        let (mut sum, mut weight) = (Vector3::zeros(), 0.0);
        for i in 0..=2 {
            for j in 0..=3 {
                let at = (su - 2 + i) * 5 + sv - 3 + j;
                let b = bu[i] * bv[j] * weights[at];
                sum += points[at].coords * b;
                weight += b;
            }
        }
        let expected = Point3::from(sum / weight);
        prop_assert!((surface.point(u, v) - expected).norm() < 1e-10);
        prop_assert!((surface.derivatives(u, v).point - expected).norm() < 1e-10);
        prop_assert!((surface.grid(&[u], &[v])[0] - expected).norm() < 1e-10);
        let h = 1e-5;
        prop_assume!(u > h && v > h && u + h < 2.0 && v + h < 2.0);
        prop_assume!(knots_u.span(u - h) == knots_u.span(u + h) && knots_v.span(v - h) == knots_v.span(v + h));
        let d = surface.derivatives(u, v);
        let du = (surface.point(u + h, v) - surface.point(u - h, v)) / (2.0 * h);
        let uv = (surface.derivatives(u, v + h).u - surface.derivatives(u, v - h).u) / (2.0 * h);
        prop_assert!((d.u - du).norm() < 1e-4 * (1.0 + du.norm()));
        prop_assert!((d.uv - uv).norm() < 1e-3 * (1.0 + uv.norm()));
    }

    #[test]
    fn three_points_of_a_circle_give_it_back(radius in 0.01..1000.0f64, start in 0.0..TAU, sweep in 0.1..PI) {
        let arc = circle_arc(&flat(), radius, start, sweep).unwrap();
        let (_, found, turned) = as_plane_arc(&arc, 1e-9 * radius).unwrap();
        prop_assert!((found / radius - 1.0).abs() < 1e-9);
        prop_assert!((turned - sweep).abs() < 1e-9);
    }
}
