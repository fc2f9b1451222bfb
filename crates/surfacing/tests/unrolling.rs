//! Developable lofts between convex curves in parallel planes: the surface of their convex hull, on which a plane rolls. Its
//! sections are Minkowski sums, so that the volume is h (A0 + M + A1) / 3 with M the mixed area (Minkowski; Schneider,
//! Convex Bodies, from memory); with a circle of radius r, M = r times half the other curve's length.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::{FRAC_PI_2, PI, TAU};

use geometry::{Frame, NurbsCurve, Point3, Tolerance, circle_arc};
use proptest::prelude::*;
use shapes::{circle, drawn, ellipse, frame_at, mapped, near, polygon, sound, square};
use surfacing::{Between, Loft, Lofted, Section, loft};
use topology::Body;

fn unrolled(sections: &[Section]) -> Lofted {
    let how = Loft { between: Between::Developable, ..Loft::default() };
    loft(sections, &how, &Tolerance::default()).unwrap()
}

fn sides(body: &Body) -> usize {
    body.shells()[0].faces().iter().filter(|f| f.role.starts_with("side")).count()
}

fn length(curves: &[NurbsCurve]) -> f64 {
    curves.iter().map(NurbsCurve::length).sum()
}

/// The area that a closed run in a plane of constant z encloses, from many of its places.
fn area(curves: &[NurbsCurve]) -> f64 {
    let places =
        |c: &NurbsCurve| (0..2000).map(|k| c.point(c.domain().at(f64::from(k) / 2000.0))).collect::<Vec<_>>();
    let all: Vec<Point3> = curves.iter().flat_map(places).collect();
    let pairs = all.iter().zip(all.iter().cycle().skip(1));
    0.5 * pairs.map(|(p, q)| p.x * q.y - p.y * q.x).sum::<f64>()
}

#[test]
fn a_square_to_round_is_four_triangles_and_four_oblique_cones() {
    // As sheet metal handbooks develop it. With a square of side 2 a, a circle of radius r and the height h.
    for (a, r, h) in [(40.0, 30.0, 150.0), (25.0, 17.0, 60.0), (10.0, 24.0, 30.0), (15.0, 15.0, 8.0)] {
        let volume = h / 3.0 * (4.0 * a * a + 4.0 * a * r + PI * r * r);
        for begin in [0.0_f64, 0.3, 1.9] {
            let (sin, cos) = begin.sin_cos();
            let round =
                mapped(circle(r, h), |p| Point3::new(p.x * cos - p.y * sin, p.x * sin + p.y * cos, p.z));
            let made = unrolled(&[drawn(square(a, 0.0)), drawn(round)]);
            near(sound(&made.body, 0), volume, 1e-9);
            assert_eq!((sides(&made.body), made.largest_twist), (8, Some(0.0)));
        }
        let made = unrolled(&[drawn(circle(r, 0.0)), drawn(square(a, h))]);
        near(sound(&made.body, 0), volume, 1e-9);
    }
}

#[test]
fn round_corners_are_cones_too() {
    let (w, h, r) = (80.0, 60.0, 8.0);
    let corner = |x: f64, y: f64, from: f64| {
        let frame = Frame { origin: Point3::new(x, y, 0.0), ..frame_at(0.0) };
        circle_arc(&frame, r, from, FRAC_PI_2).unwrap()
    };
    let (a, b) = (w / 2.0 - r, h / 2.0 - r);
    let arcs = [corner(a, -b, -FRAC_PI_2), corner(a, b, 0.0), corner(-a, b, FRAC_PI_2), corner(-a, -b, PI)];
    let mut outline = Vec::new();
    for k in 0..4 {
        outline.push(NurbsCurve::line(arcs[(k + 3) % 4].end(), arcs[k].start()));
        outline.push(arcs[k].clone());
    }
    let own = w * h - (4.0 - PI) * r * r;
    let round = 2.0 * (w + h - 4.0 * r) + 2.0 * PI * r;
    let volume = 150.0 / 3.0 * (own + 0.5 * 30.0 * round + PI * 900.0);
    for begin in 0..8 {
        outline.rotate_left(1);
        let made = unrolled(&[drawn(outline.clone()), drawn(circle(30.0, 150.0))]);
        near(sound(&made.body, 0), volume, 1e-8);
        assert_eq!(sides(&made.body), 8, "{begin}");
        assert!(made.largest_twist.unwrap() < 1e-6);
    }
}

#[test]
fn three_sections_meet_edge_to_edge() {
    let sections = [
        drawn(square(20.0, 0.0)),
        drawn(circle(15.0, 30.0)),
        drawn(mapped(square(9.0, 50.0), |p| Point3::new(0.8 * p.x - 0.6 * p.y, 0.6 * p.x + 0.8 * p.y, p.z))),
    ];
    let part = |a: f64, r: f64, h: f64| h / 3.0 * (4.0 * a * a + 4.0 * a * r + PI * r * r);
    near(sound(&unrolled(&sections).body, 0), part(20.0, 15.0, 30.0) + part(9.0, 15.0, 20.0), 1e-9);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    /// Ellipses and polygons beside a circle, turned and moved as they like.
    #[test]
    fn convex_curves_beside_a_circle_give_their_hull(
        corners in 3usize..9,
        stretch in (6.0..30.0f64, 6.0..30.0f64),
        turn in 0.0..6.2f64,
        moved in (-9.0..9.0f64, -9.0..9.0f64),
        radius in 4.0..25.0f64,
        height in 10.0..80.0f64,
        bends in any::<bool>(),
    ) {
        let (sin, cos) = turn.sin_cos();
        let place = |p: &Point3| Point3::new(p.x * cos - p.y * sin + moved.0, p.x * sin + p.y * cos + moved.1, p.z);
        let own = if bends {
            vec![ellipse(stretch.0, stretch.1, 0.0, 0.7)]
        } else {
            let at = |k: usize| (TAU * k as f64 / corners as f64).sin_cos();
            let points: Vec<[f64; 3]> =
                (0..corners).map(|k| [stretch.0 * at(k).1, stretch.1 * at(k).0, 0.0]).collect();
            polygon(&points)
        };
        let own = mapped(own, place);
        let volume = height / 3.0 * (area(&own) + 0.5 * radius * length(&own) + PI * radius * radius);
        let made = unrolled(&[drawn(own), drawn(circle(radius, height))]);
        near(sound(&made.body, 0), volume, 1e-4);
        prop_assert!(made.largest_twist.unwrap() < 0.0087, "{}", made.largest_twist.unwrap());
    }
}
