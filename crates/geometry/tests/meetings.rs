//! Curves in which surfaces meet planes and each other, against values from outside.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod round;

use std::f64::consts::{PI, TAU};

use std::sync::Arc;

use geometry::{
    Facets, Frame, Homogeneous, MeetingCurve, NurbsCurve, NurbsSurface, Point3, SurfaceMeetings, Tolerance,
    TouchKind, Vector3, circle_arc, closest_on_surface, curve_meetings, fit_meeting, plane_meetings,
    through_points,
};
use nalgebra::Matrix4;
use round::{cylinder, sphere, torus, world};

const SCALES: [f64; 3] = [1e-3, 1.0, 1e3];

fn near(a: f64, b: f64, relative: f64) {
    assert!((a - b).abs() <= relative * b.abs().max(1e-300), "{a} is not {b} within {relative}");
}

#[test]
fn a_slanted_plane_cuts_a_cylinder_in_an_ellipse() {
    for scale in SCALES {
        let tolerance = Tolerance::default().scaled(scale);
        let surface = cylinder(2.0 * scale, 5.0 * scale);
        // Cylinder of radius 2 cut at 45 degrees: semi-axes 2 sqrt 2 and 2, perimeter 4 a E(m) (DLMF 19.30(i)):
        // for a = 2 sqrt 2, b = 2 it is 4 * 2 sqrt 2 * E(1/2) = 15.28079115611085, as AL-07 has it.
        let origin = Point3::new(0.0, 0.0, 2.5 * scale);
        let frame = Frame::new(origin, Vector3::y(), Vector3::new(1.0, 0.0, 1.0)).unwrap();
        let cuts = plane_meetings(&surface, &frame, &tolerance).unwrap();
        assert!(cuts.iter().all(|c| c.converged));
        let length: f64 = cuts.iter().map(|c| c.curve.length()).sum();
        near(length, 15.280_791_156_110_85 * scale, 1e-4);
        for c in &cuts {
            for k in 0..=40 {
                let p = c.curve.point(c.curve.domain().at(f64::from(k) / 40.0));
                assert!((p - origin).dot(&frame.z).abs() <= 2.0 * tolerance.fit);
                assert!((p.coords.xy().norm() - 2.0 * scale).abs() <= 2.0 * tolerance.fit);
            }
        }
        let above = Frame { origin: Point3::new(0.0, 0.0, 50.0 * scale), ..world() };
        assert!(plane_meetings(&surface, &above, &tolerance).unwrap().is_empty());
    }
}

#[test]
fn planes_cut_cones_and_cylinders_in_conics() {
    let tolerance = Tolerance { fit: 1e-6, ..Tolerance::default() };
    let length = |surface: &NurbsSurface, frame: &Frame| -> f64 {
        let cuts = plane_meetings(surface, frame, &tolerance).unwrap();
        assert!(cuts.iter().all(|c| c.converged), "{cuts:?}");
        cuts.iter().map(|c| c.curve.length()).sum()
    };
    // IN-12: a cylinder of radius 2 under a plane whose normal leans 50 degrees: perimeter 16.24846620717472.
    let lean = 50f64.to_radians();
    let origin = Point3::new(0.0, 0.0, 10.0);
    let frame = Frame::new(origin, Vector3::y(), Vector3::new(lean.cos(), 0.0, lean.sin())).unwrap();
    near(length(&cylinder(2.0, 20.0), &frame), 16.248_466_207_174_72, 1e-6);
    // IN-04: the cone x^2 + y^2 = z^2 under z = 1 + x / 2: an ellipse with semi-axes 1.4907... and 1.1547....
    let circle = circle_arc(&world(), 1.0, 0.0, TAU).unwrap();
    let at = |r: f64| circle.mapped(|q| Point3::new(r * q.x, r * q.y, r));
    let cone = NurbsSurface::ruled(&at(0.1), &at(4.0)).unwrap();
    let frame = Frame::new(Point3::new(0.0, 0.0, 1.0), Vector3::y(), Vector3::new(1.0, 0.0, 0.5)).unwrap();
    let cuts = plane_meetings(&cone, &frame, &tolerance).unwrap();
    let centre = Point3::new(2.0 / 3.0, 0.0, 4.0 / 3.0);
    let along = Vector3::new(1.0, 0.0, 0.5).normalize();
    for c in &cuts {
        for k in 0..=60 {
            let d = c.curve.point(c.curve.domain().at(f64::from(k) / 60.0)) - centre;
            let (a, b) = (d.dot(&along) / 1.490_711_984_999_86, d.y / 1.154_700_538_379_252);
            assert!((a.hypot(b) - 1.0).abs() < 1e-5, "{a} {b}");
        }
    }
}

fn facets(surface: &NurbsSurface) -> Facets {
    Facets::new(Arc::new(surface.clone()), surface.domain().into())
}

fn traced(a: &NurbsSurface, b: &NurbsSurface, tolerance: &Tolerance) -> SurfaceMeetings {
    geometry::surface_meetings(&facets(a), &facets(b), tolerance)
}

fn surface_meetings(a: &NurbsSurface, b: &NurbsSurface, tolerance: &Tolerance) -> Vec<MeetingCurve> {
    let runs = traced(a, b, tolerance).runs;
    runs.iter().filter_map(|(run, closed)| fit_meeting([a, b], run, *closed, tolerance).unwrap()).collect()
}

fn length(curves: &[MeetingCurve]) -> f64 {
    curves.iter().map(|c| c.curve.length()).sum()
}

/// All of the curves on both surfaces.
fn lies_on(curves: &[MeetingCurve], surfaces: [&NurbsSurface; 2], within: f64) {
    for c in curves {
        assert!(c.converged, "{} in {} pieces", c.max_deviation, c.curve.knots().point_count());
        for k in 0..=40 {
            let p = c.curve.point(c.curve.domain().at(f64::from(k) / 40.0));
            for s in surfaces {
                let off = closest_on_surface(s, &p).distance;
                assert!(off <= within, "{off} at {p}");
            }
        }
    }
}

#[test]
fn a_small_island_within_one_cell_is_not_missed() {
    // IN-08: a sphere of radius 5 under a plane at distance 2 gives a circle of radius sqrt 21; just below the pole the
    // circle is far smaller than a cell.
    let tolerance = Tolerance { fit: 1e-6, ..Tolerance::default() };
    let level = |z: f64| Frame { origin: Point3::new(0.0, 0.0, z), ..world() };
    near(length(&plane_meetings(&sphere(5.0), &level(2.0), &tolerance).unwrap()), TAU * 21f64.sqrt(), 1e-6);
    // A hump between the lines of the grid: a bicubic patch whose top lies at (0.53, 0.47) of it.
    let hump = |x: f64, y: f64| {
        Point3::new(100.0 * x, 100.0 * y, 1.0 - 40.0 * ((x - 0.53).powi(2) + (y - 0.47).powi(2)))
    };
    let us: Vec<f64> = vec![0.0, 0.5, 1.0];
    // A quadratic in both: its control points are the blossom, exact.
    let blossom = |a: f64, b: f64, c: f64, d: f64| {
        let square = |p: f64, q: f64, m: f64| p * q - m * (p + q) + m * m;
        let height = 1.0 - 40.0 * (square(a, b, 0.53) + square(c, d, 0.47));
        Homogeneous::new(50.0 * (a + b), 50.0 * (c + d), height, 1.0)
    };
    let ends = [(0.0, 0.0), (0.0, 1.0), (1.0, 1.0)];
    let net =
        ends.iter().flat_map(|u| ends.iter().map(move |v| (u, v))).map(|(u, v)| blossom(u.0, u.1, v.0, v.1));
    let knots = geometry::KnotVector::bezier(2);
    let patch = NurbsSurface::from_homogeneous(knots.clone(), knots, net.collect()).unwrap();
    for u in &us {
        assert!((patch.point(*u, 0.3) - hump(*u, 0.3)).norm() < 1e-12);
    }
    let found = plane_meetings(&patch, &level(1.0 - 40.0 * 0.01f64.powi(2)), &tolerance).unwrap();
    assert_eq!(found.len(), 1, "a circle of radius 1 in cells of 12.5");
    near(length(&found), TAU * 1.0, 1e-5);
}

#[test]
fn surfaces_meet_in_the_curves_that_the_handbooks_give() {
    for scale in SCALES {
        let tolerance = Tolerance { fit: 1e-5, ..Tolerance::default() }.scaled(scale);
        let grown = |s: &NurbsSurface| s.transformed(&Matrix4::new_scaling(scale));
        // IN-08: a sphere of radius 5 and a cylinder of radius 3 about the same axis: two circles of radius 3.
        let (a, b) = (grown(&sphere(5.0)), grown(&cylinder(3.0, 9.0)));
        let found = surface_meetings(&a, &b, &tolerance);
        lies_on(&found, [&a, &b], 3.0 * tolerance.fit);
        near(length(&found), 18.849_555_921_538_76 * scale, 1e-6);
        assert!(found.iter().all(|c| (c.curve.start().z - 4.0 * scale).abs() <= 3.0 * tolerance.fit));
        // The other way round, the same curve.
        near(length(&surface_meetings(&b, &a, &tolerance)), length(&found), 1e-6);
        let far =
            grown(&sphere(1.0)).transformed(&Matrix4::new_translation(&(Vector3::x() * (20.0 * scale))));
        assert!(surface_meetings(&a, &far, &tolerance).is_empty());
    }
}

#[test]
fn turned_surfaces_meet_planes_square_to_them_in_true_circles() {
    let tolerance = Tolerance::default();
    let circle = |curves: &[MeetingCurve], radius: f64, height: f64| {
        assert!(!curves.is_empty());
        for c in curves {
            assert!(c.max_deviation <= 1e-9, "{}", c.max_deviation);
            for k in 0..=40 {
                let t = c.curve.domain().at(f64::from(k) / 40.0);
                let p = c.curve.point(t);
                assert!((p.x.hypot(p.y) - radius).abs() <= 1e-11 && (p.z - height).abs() <= 1e-11, "{p}");
            }
        }
        near(length(curves), TAU * radius, 1e-9);
    };
    let wall = |z: f64, turn: f64| {
        let corner =
            |x: f64, y: f64| Point3::new(x * turn.cos() - y * turn.sin(), x * turn.sin() + y * turn.cos(), z);
        NurbsSurface::bilinear(corner(-9.0, -8.0), corner(7.0, -8.0), corner(-9.0, 9.0), corner(7.0, 9.0))
    };
    for (z, turn) in [(0.3_f64, 0.0_f64), (1.7, 0.4), (2.9, 2.0)] {
        for (surface, radius) in [(cylinder(2.5, 6.0), 2.5), (sphere(3.0), (9.0 - z * z).sqrt())] {
            circle(&surface_meetings(&surface, &wall(z, turn), &tolerance), radius, z);
            circle(&surface_meetings(&wall(z, turn), &surface, &tolerance), radius, z);
        }
    }
    // Two of them about one axis: the circle lies along parameter lines of both.
    circle(&surface_meetings(&sphere(5.0), &cylinder(3.0, 9.0), &tolerance), 3.0, 4.0);
    // A hair askew it is an ellipse, which no parameter line is.
    let frame = Frame::new(Point3::new(0.0, 0.0, 2.0), Vector3::y(), Vector3::new(1.0, 0.0, 1e-3)).unwrap();
    let leaning = plane_meetings(&cylinder(2.5, 6.0), &frame, &tolerance).unwrap();
    assert!(leaning.iter().all(|c| (0..=40).all(|k| {
        let p = c.curve.point(c.curve.domain().at(f64::from(k) / 40.0));
        frame.coordinates(&p).z.abs() <= 2.0 * tolerance.fit
    })));
}

#[test]
fn equal_cylinders_and_a_torus_meet_as_known() {
    let tolerance = Tolerance { fit: 1e-5, ..Tolerance::default() };
    // A vertical cylinder of radius 1 and a lying one of radius 1.5: IN-01's pair would touch where the ellipses cross,
    // of which nothing certain is promised. The curve is integrated here: z^2 = 1.5^2 - sin^2 t (derived).
    let upright_one = cylinder(1.0, 6.0).transformed(&Matrix4::new_translation(&(Vector3::z() * -3.0)));
    let lying = {
        let lain = Matrix4::new_rotation(Vector3::y() * (PI / 2.0));
        cylinder(1.5, 8.0).transformed(&(Matrix4::new_translation(&(Vector3::x() * -4.0)) * lain))
    };
    let found = surface_meetings(&upright_one, &lying, &tolerance);
    lies_on(&found, [&upright_one, &lying], 3e-5);
    let steps = 20_000;
    let place = |k: i32| {
        let t = TAU * f64::from(k) / f64::from(steps);
        Point3::new(t.cos(), t.sin(), (2.25 - t.sin().powi(2)).sqrt())
    };
    let half: f64 = (0..steps).map(|k| (place(k + 1) - place(k)).norm()).sum();
    near(length(&found), 2.0 * half, 1e-5);
    // IN-09: the line y = 1/2, z = 0 meets the torus R = 3, r = 1 at these x; so do the curves that it makes with a
    // plane through that line, taken as a surface.
    let wall = NurbsSurface::ruled(
        &NurbsCurve::line(Point3::new(-9.0, 0.5, -2.0), Point3::new(9.0, 0.5, -2.0)),
        &NurbsCurve::line(Point3::new(-9.0, 0.5, 2.0), Point3::new(9.0, 0.5, 2.0)),
    )
    .unwrap();
    let ring = torus(3.0, 1.0);
    let found = surface_meetings(&ring, &wall, &tolerance);
    lies_on(&found, [&ring, &wall], 3e-5);
    for x in [3.968_626_966_596_886, 1.936_491_673_103_708, -1.936_491_673_103_708, -3.968_626_966_596_886] {
        let at = Point3::new(x, 0.5, 0.0);
        let off =
            found.iter().map(|c| geometry::closest_on_curve(&c.curve, &at).distance).fold(f64::MAX, f64::min);
        assert!(off <= 3e-5, "{off} at {x}");
    }
}

#[test]
fn freeform_surfaces_meet_where_both_are_and_end_at_their_borders() {
    let tolerance = Tolerance { fit: 1e-4, ..Tolerance::default() };
    let wave = |z: f64, amplitude: f64| {
        let points: Vec<Point3> =
            (0..7).map(|k| Point3::new(10.0 * f64::from(k), 0.0, z + amplitude * f64::from(k % 2))).collect();
        let curve = through_points(&points, 1e-6).unwrap();
        NurbsSurface::ruled(&curve, &curve.mapped(|p| p + Vector3::new(0.0, 40.0, 5.0))).unwrap()
    };
    let (a, b) = (wave(0.0, 6.0), wave(5.5, -6.0));
    let found = surface_meetings(&a, &b, &tolerance);
    assert!(!found.is_empty());
    lies_on(&found, [&a, &b], 5e-4);
    for c in &found {
        for end in [c.curve.start(), c.curve.end()] {
            assert!(end.y.abs() < 1e-3 || (end.y - 40.0).abs() < 1e-3, "{end} is on no border");
        }
    }
}

#[test]
fn equal_cylinders_meet_in_two_ellipses_that_cross() {
    // IN-01: r = 1; perimeter of one ellipse 7.640395578055424. They cross at (0, ±1, 0), where both touch.
    for (scale, begin) in SCALES.into_iter().flat_map(|s| [0.3, PI / 2.0].map(|b| (s, b))) {
        let tolerance = Tolerance { fit: 1e-5, ..Tolerance::default() }.scaled(scale);
        let frame = Frame::new(
            Point3::new(0.0, 0.0, -3.0),
            Vector3::new(begin.cos(), begin.sin(), 0.0),
            Vector3::new(-begin.sin(), begin.cos(), 0.0),
        )
        .unwrap();
        let circle = circle_arc(&frame, 1.0, 0.0, TAU).unwrap();
        let one = NurbsSurface::ruled(&circle, &circle.mapped(|q| q + Vector3::z() * 6.0)).unwrap();
        let lain = Matrix4::new_rotation(Vector3::y() * (PI / 2.0));
        let (a, b) = (
            one.transformed(&Matrix4::new_scaling(scale)),
            one.transformed(&(Matrix4::new_scaling(scale) * lain)),
        );
        let found = surface_meetings(&a, &b, &tolerance);
        lies_on(&found, [&a, &b], 3.0 * tolerance.fit);
        near(length(&found), 2.0 * 7.640_395_578_055_424 * scale, 1e-5);
        for y in [-scale, scale] {
            let ends = found.iter().flat_map(|c| [c.curve.start(), c.curve.end()]);
            let here = ends.filter(|p| (p - Point3::new(0.0, y, 0.0)).norm() < 1e-4 * scale).count();
            assert!(here >= 4, "{here} branches end at {y}");
        }
    }
}

#[test]
fn vivianis_curve_has_its_crossing() {
    // IN-03: the sphere of radius 2 and the cylinder of diameter 2 through its centre; the curve is
    // (1 + cos t, sin t, 2 sin(t / 2)), integrated here.
    let tolerance = Tolerance { fit: 1e-5, ..Tolerance::default() };
    let ball = sphere(2.0);
    let tube = cylinder(1.0, 6.0).transformed(&Matrix4::new_translation(&Vector3::new(1.0, 0.0, -3.0)));
    let found = surface_meetings(&ball, &tube, &tolerance);
    lies_on(&found, [&ball, &tube], 3e-5);
    let place = |t: f64| Point3::new(1.0 + t.cos(), t.sin(), 2.0 * (0.5 * t).sin());
    let steps = 40_000;
    let at = |k: i32| place(2.0 * TAU * f64::from(k) / f64::from(steps));
    let whole: f64 = (0..steps).map(|k| (at(k + 1) - at(k)).norm()).sum();
    near(length(&found), whole, 1e-5);
}

#[test]
fn surfaces_that_touch_are_told_apart_from_those_that_meet() {
    let tolerance = Tolerance { fit: 1e-5, ..Tolerance::default() };
    let ball = |z: f64| sphere(2.0).transformed(&Matrix4::new_translation(&Vector3::new(0.13, 0.08, z)));
    let floor = NurbsSurface::bilinear(
        Point3::new(-5.0, -5.0, 0.0),
        Point3::new(5.0, -5.0, 0.0),
        Point3::new(-5.0, 5.0, 0.0),
        Point3::new(5.0, 5.0, 0.0),
    );
    // Lain down, so that the place is not a pole.
    let lain = |z: f64| {
        ball(0.0).transformed(
            &(Matrix4::new_translation(&(Vector3::z() * z)) * Matrix4::new_rotation(Vector3::x() * 1.1)),
        )
    };
    let at = traced(&lain(2.0), &floor, &tolerance);
    assert!(at.runs.is_empty(), "{} runs", at.runs.len());
    // A hair deeper they meet in a circle of radius sqrt(2 r h - h^2), however small.
    for depth in [1e-4, 1e-3, 1e-2, 0.1] {
        let found = surface_meetings(&lain(2.0 - depth), &floor, &tolerance);
        let height = 0.08 * 1.1_f64.sin();
        let depth = depth - height;
        if depth > 0.0 {
            near(length(&found), TAU * (4.0 * depth - depth * depth).sqrt(), 1e-4);
        }
    }
    let tube = {
        let lain = Matrix4::new_rotation(Vector3::y() * (PI / 2.0));
        cylinder(1.0, 6.0).transformed(&(Matrix4::new_translation(&Vector3::new(-3.0, 0.0, 1.0)) * lain))
    };
    let along = traced(&tube, &floor, &tolerance);
    assert!(along.runs.is_empty());
    assert!(along.touches.iter().any(|t| t.kind == TouchKind::Curve), "{:?}", along.touches);
}

#[test]
fn curves_meet_surfaces_where_the_equations_say() {
    // IN-09: the line y = 1/2, z = 0 with the torus R = 3, r = 1, and a ray along x with a sphere of radius 1.
    for scale in SCALES {
        let grown = |s: NurbsSurface| facets(&s.transformed(&Matrix4::new_scaling(scale)));
        let line = |y: f64| {
            NurbsCurve::line(
                Point3::new(-5.0 * scale, y * scale, 0.0),
                Point3::new(5.0 * scale, y * scale, 0.0),
            )
        };
        let hits = curve_meetings(&line(0.5), &grown(torus(3.0, 1.0)), 1e-6 * scale).hits;
        let xs: Vec<f64> = hits.iter().map(|h| h.point.x / scale).collect();
        let known =
            [-3.968_626_966_596_886, -1.936_491_673_103_708, 1.936_491_673_103_708, 3.968_626_966_596_886];
        assert_eq!(xs.len(), 4, "{xs:?}");
        for (x, known) in xs.iter().zip(known) {
            assert!((x - known).abs() < 1e-11, "{x}");
        }
        let xs = curve_meetings(&line(0.0), &grown(sphere(1.0)), 1e-6 * scale).hits;
        assert_eq!(xs.len(), 2);
        assert!((xs[0].point.x / scale + 1.0).abs() < 1e-12, "{}", xs[0].point.x / scale);
        assert!((xs[1].point.x / scale - 1.0).abs() < 1e-12);
        // It touches at one place, runs along a ruling, and passes by.
        let touching = curve_meetings(&line(1.0), &grown(sphere(1.0)), 1e-4 * scale);
        assert_eq!((touching.hits.len(), touching.along.len()), (1, 0), "{touching:?}");
        assert!(touching.hits[0].point.x.abs() < 2e-2 * scale);
        assert!(curve_meetings(&line(1.01), &grown(sphere(1.0)), 1e-4 * scale).hits.is_empty());
        let lain = Matrix4::new_translation(&(Vector3::x() * -2.0))
            * Matrix4::new_rotation(Vector3::y() * (PI / 2.0));
        let tube = grown(cylinder(1.0, 4.0).transformed(&lain));
        let along = curve_meetings(&line(1.0), &tube, 1e-4 * scale).along;
        assert_eq!(along.len(), 1, "{along:?}");
        let ends = along[0].map(|t| line(1.0).point(t).x / scale);
        assert!((ends[0] + 2.0).abs() < 1e-3 && (ends[1] - 2.0).abs() < 1e-3, "{ends:?}");
    }
}
