//! Surfaces fitted to functions and recast, nearest places on folded surfaces, curves with few common knots.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{PI, TAU};

use geometry::{
    ArcLength, EndsKept, Frame, GeometryError, KnotVector, NurbsCurve, NurbsSurface, Point3, Skin, Vector2,
    Vector3, circle_arc, closest_on_surface, compatible_within, fit_surface, recast_surface, skin, spline_of,
    through_points,
};
use proptest::prelude::*;

fn near(a: f64, b: f64, tolerance: f64) {
    assert!((a - b).abs() <= tolerance, "{a} is not {b} within {tolerance}");
}

#[test]
fn a_function_is_followed_within_the_tolerance_at_three_scales() {
    for scale in [1e-3, 1.0, 1e3] {
        let tolerance = 1e-3 * scale;
        // A torus of radii 3 and 1 (EX-09), closed both ways: every place of the fit lies on it.
        let torus = |u: f64, v: f64| -> Result<Point3, GeometryError> {
            let (a, b) = (TAU * u, TAU * v);
            let r = 3.0 + b.cos();
            Ok(Point3::new(r * a.cos(), r * a.sin(), b.sin()) * scale)
        };
        let quarters: Vec<f64> = (0..=4).map(|k| f64::from(k) / 4.0).collect();
        let fit = fit_surface(torus, [&quarters, &quarters], [true, true], tolerance).unwrap();
        assert!(fit.converged && fit.max_deviation <= tolerance, "{}", fit.max_deviation);
        assert_eq!(fit.surface.closes(1e-9 * scale), [true, true]);
        for i in 0..=37 {
            for j in 0..=37 {
                let p = fit.surface.point(f64::from(i) / 37.0, f64::from(j) / 37.0) / scale;
                let off = (p.coords.xy().norm() - 3.0).hypot(p.z) - 1.0;
                near(off, 0.0, 1.5e-3);
            }
        }
        // Smooth over the seam too: one normal on either side.
        let [a, b] = [0.0, 1.0].map(|u| fit.surface.normal(u, 0.3).unwrap());
        assert!(a.angle(&b) < 1e-3, "{}", a.angle(&b));
    }
}

#[test]
fn a_function_that_refuses_is_heard() {
    let refuse = |u: f64, _: f64| if u > 0.5 { Err(GeometryError::Degree(7)) } else { Ok(Point3::origin()) };
    assert_eq!(
        fit_surface(refuse, [&[0.0, 1.0], &[0.0, 1.0]], [false; 2], 1e-3),
        Err(GeometryError::Degree(7))
    );
}

#[test]
fn a_recast_surface_is_exact_where_it_can_be_and_tells_its_deviation_where_not() {
    // z = x y^2 is a polynomial of degrees 1 and 2, so that any richer structure holds it exactly.
    let at = |i: usize, j: usize| {
        let (x, y) = (i as f64, [0.0, 0.5, 1.0][j]);
        Point3::new(x, y, x * [0.0, 0.0, 1.0][j])
    };
    let points: Vec<Point3> = (0..2).flat_map(|i| (0..3).map(move |j| at(i, j))).collect();
    let exact = NurbsSurface::try_new(KnotVector::bezier(1), KnotVector::bezier(2), &points, None).unwrap();
    for u in [0.1, 0.7] {
        for v in [0.2, 0.9] {
            near(exact.point(u, v).z, u * v * v, 1e-14);
        }
    }
    let recast = recast_surface(&exact, [3, 3], [5, 7], EndsKept::Tangents).unwrap();
    assert!(recast.max_deviation < 1e-12, "{}", recast.max_deviation);
    assert_eq!((recast.surface.knots_u().point_count(), recast.surface.knots_v().point_count()), (5, 7));
    let wavy: Vec<NurbsCurve> = (0..6)
        .map(|k| {
            let at =
                |i: i32| Point3::new(f64::from(i), f64::from(k) * 2.0, (f64::from(i) + f64::from(k)).sin());
            through_points(&(0..12).map(at).collect::<Vec<_>>(), 1e-9).unwrap()
        })
        .collect();
    let wavy = skin(&compatible_within(&wavy, 1e-6).unwrap().0, &Skin::free()).unwrap();
    let coarse = recast_surface(&wavy, [3, 3], [6, 6], EndsKept::Tangents).unwrap();
    let fine = recast_surface(&wavy, [3, 3], [16, 12], EndsKept::Tangents).unwrap();
    assert!(fine.max_deviation < 0.2 * coarse.max_deviation);
    for k in 0..=30 {
        let p = coarse.surface.point(f64::from(k) / 30.0, f64::from(k * 7 % 31) / 30.0);
        assert!(closest_on_surface(&wavy, &p).distance <= coarse.max_deviation * 1.01);
    }
    assert!(matches!(
        recast_surface(&exact, [3, 3], [3, 7], EndsKept::Tangents),
        Err(GeometryError::TooFewPoints { given: 3, needed: 4 })
    ));
    assert_eq!(recast_surface(&exact, [0, 3], [5, 7], EndsKept::Tangents), Err(GeometryError::Degree(0)));
}

#[test]
fn a_spline_takes_its_values_at_its_greville_abscissae() {
    // BS-15: with the abscissae themselves as coefficients a spline is the identity; so the values u have coefficients u.
    let knots = KnotVector::try_new(2, vec![0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 4.0, 4.0, 5.0, 5.0, 5.0]).unwrap();
    let places = knots.greville();
    let values: Vec<Vector3> = places.iter().map(|&t| Vector3::new(t, t * t, 1.0)).collect();
    let solved = spline_of(&knots, &values).unwrap();
    for (c, t) in solved.iter().zip(&places) {
        near(c.x, *t, 1e-12);
        near(c.z, 1.0, 1e-12);
    }
    // Coefficients of u^2 are products of neighbouring knots.
    for (c, wanted) in solved.iter().zip([0.0, 0.0, 2.0, 6.0, 12.0, 16.0, 20.0, 25.0]) {
        near(c.y, wanted, 1e-11);
    }
    assert!(spline_of(&knots, &values[1..]).is_err());
}

#[test]
fn a_closed_curve_begun_elsewhere_is_the_same_and_as_smooth() {
    let circle = circle_arc(
        &Frame { origin: Point3::origin(), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() },
        2.0,
        0.0,
        TAU,
    )
    .unwrap();
    let points: Vec<Point3> = (0..=20)
        .map(|k| {
            let a = TAU * f64::from(k % 20) / 20.0;
            Point3::new((3.0 + (3.0 * a).cos()) * a.cos(), (3.0 + (3.0 * a).cos()) * a.sin(), a.sin())
        })
        .collect();
    let ring = geometry::interpolate_ring(&points, &geometry::chord_parameters(&points)).unwrap();
    // A whole ellipse keeps its four quarters, so that its parameters are others.
    let flat = circle.mapped(|p| Point3::new(3.0 * p.x + p.y, 0.5 * p.y, 1.0 - p.x));
    let d = flat.domain();
    for share in [0.137, 0.5, 0.81] {
        let begun = flat.begun_at(d.at(share), 1e-3).unwrap();
        assert_eq!((begun.knots(), begun.weights()), (flat.knots(), flat.weights()));
        assert!((begun.start() - flat.point(d.at(share))).norm() < 1e-12);
        assert!((begun.end() - begun.start()).norm() < 1e-12);
        for k in 0..=40 {
            let p = begun.point(f64::from(k) / 40.0);
            assert!((Vector2::new((p.x - 2.0 * p.y) / 3.0, 2.0 * p.y).norm() - 2.0).abs() < 1e-12);
            assert!((p.z - 1.0 + (p.x - 2.0 * p.y) / 3.0).abs() < 1e-12);
        }
        assert!(begun.tangent(0.0).unwrap().dot(&flat.tangent(d.at(share)).unwrap()) > 0.999_999);
    }
    for curve in [ring] {
        let d = curve.domain();
        for share in [0.137, 0.5, 0.81] {
            let begun = curve.begun_at(d.at(share), 1e-3).unwrap_or_else(|| panic!("{share}"));
            for k in 0..=40 {
                let s = f64::from(k) / 40.0;
                let (p, q) = (begun.point(begun.domain().at(s)), curve.point(d.at((share + s).fract())));
                assert!((p - q).norm() < 1e-9, "{p} {q}");
            }
            let seam = begun.domain().at(1.0 - share);
            let step = 1e-9 * d.length();
            let (a, b) = (begun.velocity(seam - step), begun.velocity(seam + step));
            assert!((a - b).norm() < 1e-5 * a.norm(), "{a} {b}");
        }
        assert!(curve.begun_at(d.start, 1e-3).is_none());
    }
}

#[test]
fn many_curves_with_knots_of_their_own_get_few_common_ones() {
    let curves: Vec<NurbsCurve> = (0..40)
        .map(|k| {
            let at = |i: i32| {
                let x = f64::from(i) + 0.3 * f64::from((i * 7 + k * 3) % 5);
                Point3::new(x, f64::from(k), (x * 0.6 + f64::from(k) * 0.2).sin() * 3.0)
            };
            through_points(&(0..12).map(at).collect::<Vec<_>>(), 1e-9).unwrap()
        })
        .collect();
    let (fitted, deviation) = compatible_within(&curves, 5e-4).unwrap();
    assert!(deviation <= 5e-4 && deviation > 0.0);
    let count = fitted[0].knots().point_count();
    assert!(count < 150, "{count}");
    for (a, b) in curves.iter().zip(&fitted) {
        assert_eq!(b.knots(), fitted[0].knots());
        for k in 0..=200 {
            let s = f64::from(k) / 200.0;
            assert!((a.point(a.domain().at(s)) - b.point(s)).norm() <= 1e-3);
        }
        assert!((a.start() - b.start()).norm() < 1e-12 && (a.end() - b.end()).norm() < 1e-12);
    }
    // A few are made compatible without any loss.
    assert_eq!(compatible_within(&curves[..3], 5e-4).unwrap().1, 0.0);
}

#[test]
fn knots_that_differ_by_rounding_in_a_row_become_one() {
    // The first and the last lie farther apart than what counts as one, and the middle one near both.
    let bent = |knot: f64| {
        let points = [[0.0, 0.0], [1.0, 2.0], [3.0, 2.0], [4.0, 0.0]].map(|[x, y]| Point3::new(x, y, knot));
        let knots = KnotVector::try_new(2, vec![0.0, 0.0, 0.0, knot, 1.0, 1.0, 1.0]).unwrap();
        NurbsCurve::try_new(knots, &points, None).unwrap()
    };
    let curves = [0.5, 0.5 + 0.8e-9, 0.5 + 1.6e-9].map(bent);
    let (rows, deviation) = compatible_within(&curves, 1e-3).unwrap();
    assert_eq!((rows[0].knots().point_count(), deviation), (4, 0.0));
    for (row, curve) in rows.iter().zip(&curves) {
        assert_eq!(row.knots(), rows[0].knots());
        for k in 0..=20 {
            let t = f64::from(k) / 20.0;
            assert!((row.point(t) - curve.point(t)).norm() < 1e-8);
        }
    }
}

#[test]
fn a_length_run_to_its_ends_is_the_curve_to_its_ends() {
    let points = [[0.0, 0.0], [7.0, 3.0], [9.0, 11.0], [2.0, 15.0]].map(|[x, y]| Point3::new(x, y, x * y));
    let curve = through_points(&points, 1e-9).unwrap();
    let length = ArcLength::new(&curve);
    let d = curve.domain();
    assert_eq!([0.0, 1.0].map(|s| length.parameter(s)), [d.start, d.end]);
    for k in 1..50 {
        let share = f64::from(k) / 50.0;
        near(length.share(length.parameter(share)), share, 1e-12);
    }
}

/// A surface of five by five points, 10 mm apart, leaning where they rise.
fn hilly(heights: &[f64]) -> NurbsSurface {
    let at = |(k, &z): (usize, &f64)| Point3::new(10.0 * (k / 5) as f64 + 0.3 * z, 10.0 * (k % 5) as f64, z);
    let points: Vec<Point3> = heights.iter().enumerate().map(at).collect();
    let knots = KnotVector::clamped_uniform(3, 5).unwrap();
    NurbsSurface::try_new(knots.clone(), knots, &points, None).unwrap()
}

/// The place that is found, and the distance of the nearest of many.
fn nearest_two_ways(surface: &NurbsSurface, to: &Point3) -> (geometry::OnSurface, f64) {
    let places: Vec<f64> = (0..=120).map(|k| f64::from(k) / 120.0).collect();
    let (u, v) = surface.domain();
    let us: Vec<f64> = places.iter().map(|s| u.at(*s)).collect();
    let vs: Vec<f64> = places.iter().map(|s| v.at(*s)).collect();
    let nearest = surface.grid(&us, &vs).iter().map(|p| (p - to).norm()).fold(f64::MAX, f64::min);
    (closest_on_surface(surface, to), nearest)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// No place of a surface is nearer than the one that was found, however the surface folds.
    #[test]
    fn the_nearest_place_is_the_nearest(
        heights in prop::collection::vec(-30.0..30.0f64, 25),
        to in (-10.0..50.0f64, -10.0..50.0f64, -40.0..40.0f64),
    ) {
        let surface = hilly(&heights);
        let (found, nearest) = nearest_two_ways(&surface, &Point3::new(to.0, to.1, to.2));
        prop_assert!(found.distance <= nearest + 1e-9, "{} {nearest}", found.distance);
        prop_assert!((surface.point(found.parameters[0], found.parameters[1]) - found.point).norm() < 1e-9);
    }
}

/// Once found at random: the way down a valley that a border cuts off, where Newton's steps are held there and shortened.
#[test]
fn the_nearest_place_is_found_along_a_border() {
    let heights = [
        [9.55371908749436, 9.82805649120253, -14.800176417896633, 0.0, 0.0],
        [0.0, 10.280636262006256, 0.0, 0.0, 0.0],
        [-18.450248629725703, 0.0, -19.982192425688755, 0.0, 0.0],
        [-13.293061242362638, -24.90958069402763, 0.0, 0.0, 0.0],
        [0.0; 5],
    ];
    let to = Point3::new(-5.880759563575234, 0.2141962364172447, 22.072325352176044);
    let (found, nearest) = nearest_two_ways(&hilly(&heights.concat()), &to);
    assert!(found.distance <= nearest + 1e-9, "{} {nearest}", found.distance);
}

#[test]
fn the_nearest_place_of_a_ball_is_on_the_way_from_its_middle() {
    let frame = Frame::new(Point3::origin(), Vector3::x(), Vector3::z()).unwrap();
    let half = circle_arc(&frame, 5.0, -PI / 2.0, PI).unwrap();
    // A sphere as a skin of half circles would not be round; as a ruled strip of it, a zone: distances are known all the same.
    let ring = |z: f64| {
        circle_arc(
            &Frame { origin: Point3::new(0.0, 0.0, z), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() },
            (25.0 - z * z).sqrt(),
            0.0,
            TAU,
        )
        .unwrap()
    };
    let cone = skin(&[ring(0.0), ring(3.0)], &Skin::Straight).unwrap();
    let (a, b) = (half.point(half.domain().at(0.5)), Point3::new(4.0, 0.0, 3.0));
    let along = (b - a).normalize();
    for out in [0.5, 3.0, 20.0] {
        // Square off the middle of a ruling the nearest place is that middle.
        let foot = a + along * 0.5 * (b - a).norm();
        let normal = Vector3::new(along.z, 0.0, -along.x);
        let found = closest_on_surface(&cone, &(foot + normal * out));
        near(found.distance, out, 1e-9);
        assert!((found.point - foot).norm() < 1e-6);
    }
}
