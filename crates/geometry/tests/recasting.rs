//! Curves and surfaces recast to a number of control points.
#![allow(clippy::unwrap_used, reason = "a test fails by panicking")]

use std::f64::consts::{PI, TAU};

use geometry::{
    Domain, EndsKept, Frame, GeometryError, NurbsCurve, NurbsSurface, Point3, Skin, Through, Vector3,
    circle_arc, closest_on_curve, closest_on_surface, compatible_within, recast, recast_surface,
    recast_surface_along, recast_surfaces, skin, through_points,
};
use proptest::prelude::*;

fn xy() -> Frame {
    Frame::new(Point3::origin(), Vector3::x(), Vector3::y()).unwrap()
}

fn arc(radius: f64, from: f64, sweep: f64) -> NurbsCurve {
    circle_arc(&xy(), radius, from, sweep).unwrap()
}

/// An egg: no symmetry about its seam.
fn egg() -> NurbsCurve {
    let at = |k: i32| {
        let a = TAU * f64::from(k) / 9.0;
        Point3::new(a.cos() * (30.0 + 8.0 * a.cos()), 19.0 * a.sin(), 0.0)
    };
    Through::default().ring(&(0..9).map(at).collect::<Vec<_>>(), 1e-9).unwrap()
}

/// Lines and arcs that meet without corners, as one curve.
fn slot() -> NurbsCurve {
    let p = |x: f64, y: f64| Point3::new(x, y, 0.0);
    let frame = |x: f64| Frame::new(p(x, 0.0), Vector3::x(), Vector3::y()).unwrap();
    let right = circle_arc(&frame(20.0), 6.0, -PI / 2.0, PI).unwrap();
    let left = circle_arc(&frame(0.0), 6.0, PI / 2.0, PI).unwrap();
    let pieces = [
        NurbsCurve::line(p(3.0, -6.0), p(20.0, -6.0)),
        right,
        NurbsCurve::line(p(20.0, 6.0), p(0.0, 6.0)),
        left,
    ];
    NurbsCurve::of_pieces(&pieces).unwrap()
}

fn wave() -> NurbsCurve {
    let at = |k: i32| Point3::new(f64::from(k) * 5.0, (f64::from(k) * 1.1).sin() * 6.0, f64::from(k % 4));
    through_points(&(0..12).map(at).collect::<Vec<_>>(), 1e-6).unwrap()
}

/// Largest distance of places of one curve from another.
fn apart(from: &NurbsCurve, to: &NurbsCurve, places: u32) -> f64 {
    let d = from.domain();
    let off = |k| closest_on_curve(to, &from.point(d.at(f64::from(k) / f64::from(places)))).distance;
    (0..=places).map(off).fold(0.0, f64::max)
}

#[test]
fn an_arc_in_four_points_is_as_near_as_one_cubic_comes() {
    // Goldapp, Approximation of circular arcs by cubic polynomials, CAGD 8 (1991): a cubic with the arc's ends and end
    // tangents deviates by about 4/27 sin^6(a/4) / cos^2(a/4) of the radius; half of that where it may lie on both sides.
    let a = 78.0_f64.to_radians();
    let made = recast(&arc(36.0, 0.2, a), 3, 4, EndsKept::Tangents).unwrap();
    let one_sided = 36.0 * 4.0 / 27.0 * (a / 4.0).sin().powi(6) / (a / 4.0).cos().powi(2);
    let d = made.curve.domain();
    let worst = (0..=1000)
        .map(|k| (made.curve.point(d.at(f64::from(k) / 1000.0)).coords.norm() - 36.0).abs())
        .fold(0.0, f64::max);
    assert!(worst <= one_sided && worst <= 0.005, "{worst} of {one_sided}");
    assert!(
        (worst - made.max_deviation).abs() < 0.1 * worst + 1e-9,
        "{worst} told as {}",
        made.max_deviation
    );
    for (t, angle) in [(d.start, 0.2), (d.end, 0.2 + a)] {
        let way = Vector3::new(-f64::sin(angle), f64::cos(angle), 0.0);
        assert!(made.curve.tangent(t).unwrap().angle(&way) < 1e-9);
    }
}

#[test]
fn more_points_never_deviate_more() {
    let long_arc = arc(50.0, 0.0, 5.5);
    for (name, curve) in [
        ("wave", wave()),
        ("slot", slot()),
        ("egg", egg()),
        ("arc", long_arc),
        ("circle", arc(9.0, 1.0, TAU)),
    ] {
        for degree in [2, 3, 5] {
            let mut last = f64::INFINITY;
            for count in (degree + 1..=16).chain([20, 21, 22, 30]) {
                let made = recast(&curve, degree, count, EndsKept::Tangents).unwrap();
                assert_eq!((made.curve.knots().point_count(), made.curve.degree()), (count, degree));
                let told = made.max_deviation;
                assert!(told <= last * (1.0 + 1e-9) + 1e-12, "{name} {degree} {count}: {told} after {last}");
                last = told;
                if count % 5 == 0 {
                    let seen = apart(&curve, &made.curve, 733).max(apart(&made.curve, &curve, 733));
                    assert!(seen <= told * 1.1 + 1e-9, "{name} {degree} {count}: {seen} told as {told}");
                }
            }
            assert!(last < 0.5, "{name} {degree}: {last}");
        }
    }
}

#[test]
fn a_closed_curve_stays_smooth_over_its_seam() {
    for curve in [arc(24.0, 0.3, TAU), egg()] {
        for count in [4, 5, 6, 8, 10, 17, 40] {
            let made = recast(&curve, 3, count, EndsKept::Tangents).unwrap().curve;
            let d = made.domain();
            assert_eq!(made.start(), made.end());
            let [a, b] = [d.start, d.end].map(|t| made.tangent(t).unwrap());
            assert!(a.angle(&b) < 1e-6, "{count}: {}", a.angle(&b));
            if count >= 10 {
                let [a, b] = [d.start, d.end].map(|t| made.curvature(t));
                assert!((a - b).abs() < 1e-9 * a.abs().max(1.0) + 1e-9, "{count}: {a} {b}");
            }
        }
    }
}

#[test]
fn what_has_the_form_already_is_kept() {
    let curve = wave();
    for count in [12, 13, 20] {
        let made = recast(&curve, 3, count, EndsKept::Tangents).unwrap();
        assert!(made.max_deviation == 0.0 && apart(&made.curve, &curve, 200) < 1e-12);
    }
    assert!(apart(&recast(&curve, 4, 60, EndsKept::Tangents).unwrap().curve, &curve, 200) < 1e-12);
}

/// A skin through four turned and shifted ellipses, closed in u.
fn turned_ellipses() -> NurbsSurface {
    let section = |(z, a, b, turn, x): (f64, f64, f64, f64, f64)| {
        let circle = arc(1.0, 0.0, TAU);
        let (sin, cos) = f64::sin_cos(turn);
        circle.mapped(|p| {
            let (px, py) = (a * p.x, b * p.y);
            Point3::new(px * cos - py * sin + x, px * sin + py * cos, z)
        })
    };
    let all: Vec<NurbsCurve> = [
        (0.0, 24.0, 15.0, 0.0, 0.0),
        (22.0, 20.0, 18.0, 0.26, 3.0),
        (45.0, 14.0, 22.0, 0.52, -4.0),
        (70.0, 18.0, 12.0, -0.17, 2.0),
    ]
    .map(section)
    .to_vec();
    skin(&compatible_within(&all, 1e-9).unwrap().0, &Skin::free()).unwrap()
}

#[test]
fn a_closed_surface_stays_smooth_over_its_seam_and_tells_what_it_cost() {
    let source = turned_ellipses();
    for counts in [[6, 5], [10, 10], [16, 7]] {
        let made = recast_surface(&source, [3, 3], counts, EndsKept::Tangents).unwrap();
        let (u, v) = made.surface.domain();
        for k in 0..=40 {
            let at = v.at(f64::from(k) / 40.0);
            let [a, b] = [u.start, u.end].map(|u| made.surface.normal(u, at).unwrap());
            assert!(a.angle(&b) < 1e-6, "{counts:?}: {}", a.angle(&b));
        }
        let (du, dv) = source.domain();
        let mut seen = 0.0_f64;
        for i in 0..37 {
            for j in 0..=11 {
                let p = source.point(du.at(f64::from(i) / 37.0), dv.at(f64::from(j) / 11.0));
                seen = seen.max(closest_on_surface(&made.surface, &p).distance);
            }
        }
        assert!(seen <= made.max_deviation * 1.05 + 1e-9, "{seen} told as {}", made.max_deviation);
        assert!(seen >= made.max_deviation * 0.5, "{seen} told as {}", made.max_deviation);
    }
}

#[test]
fn surfaces_side_by_side_stay_joined() {
    let whole = turned_ellipses();
    let (u, v) = whole.domain();
    let halves =
        [[0.0, 0.4], [0.4, 1.0]].map(|[a, b]| whole.part([Domain { start: u.at(a), end: u.at(b) }, v]));
    let made = recast_surfaces(&halves, [3, 3], [7, 6], EndsKept::Tangents).unwrap();
    for k in 0..=30 {
        let at = v.at(f64::from(k) / 30.0);
        let ends = [0, 1].map(|i| made[i].surface.domain().0);
        let first = made[0].surface.point(ends[0].end, at);
        assert!((first - made[1].surface.point(ends[1].start, at)).norm() < 1e-12);
    }
}

#[test]
fn one_direction_is_recast_and_the_other_one_kept() {
    let columns: Vec<NurbsCurve> = (0..5)
        .map(|k| wave().mapped(|p| p + Vector3::new(0.0, 0.2 * p.x, 1.0) * (7.0 * f64::from(k))))
        .collect();
    let source = skin(&columns, &Skin::free()).unwrap();
    let mut last = f64::INFINITY;
    for count in 4..=14 {
        let made = recast_surface_along(&source, true, 3, count, EndsKept::Tangents).unwrap();
        assert_eq!(made.surface.knots_v(), source.knots_v());
        assert_eq!(made.surface.knots_u().point_count(), count);
        assert!(made.max_deviation <= last * 1.05 + 1e-12, "{count}: {} after {last}", made.max_deviation);
        last = made.max_deviation;
    }
    assert!(last < 1e-9);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// Wherever it lies and however large it is, a curve is recast alike.
    #[test]
    fn recasting_does_not_depend_on_size_or_place(
        scale in prop::sample::select(vec![1e-3, 1.0, 1e3]),
        shift in -1e3..1e3_f64,
        count in 4usize..20,
    ) {
        let curve = wave();
        let moved = curve.mapped(|p| Point3::from(p.coords * scale + Vector3::new(shift, -shift, 2.0 * shift) * scale));
        let [a, b] = [&curve, &moved].map(|c| recast(c, 3, count, EndsKept::Tangents).unwrap().max_deviation);
        prop_assert!((a * scale - b).abs() <= 0.02 * b + 1e-9 * scale, "{} {}", a * scale, b);
    }
}

/// Curvature vectors at both ends.
fn bends(curve: &NurbsCurve) -> [Vector3; 2] {
    let d = curve.domain();
    [d.start, d.end].map(|t| {
        let (_, [d1, d2, _]) = curve.derivatives(t);
        (d2 - d1 * (d2.dot(&d1) / d1.norm_squared())) / d1.norm_squared()
    })
}

#[test]
fn curvature_at_the_ends_is_kept_where_asked() {
    let quarter_off = wave().part(0.13, 0.71);
    for (name, curve) in
        [("wave", quarter_off), ("slot's half", slot().part(0.21, 0.8)), ("arc", arc(50.0, 0.0, 5.5))]
    {
        let expected = bends(&curve);
        for degree in [2, 3, 5] {
            let mut last = f64::INFINITY;
            for count in (degree + 1).max(6)..=14 {
                let made = recast(&curve, degree, count, EndsKept::Curvature).unwrap();
                for (found, expected) in bends(&made.curve).iter().zip(&expected) {
                    let off = (found - expected).norm();
                    assert!(
                        off < 1e-7 * expected.norm().max(1e-3),
                        "{name} {degree} {count}: {found} for {expected}"
                    );
                }
                let told = made.max_deviation;
                assert!(told <= last * (1.0 + 1e-9) + 1e-12, "{name} {degree} {count}: {told} after {last}");
                last = told;
                if count % 6 == 0 {
                    let seen = apart(&curve, &made.curve, 233).max(apart(&made.curve, &curve, 233));
                    assert!(seen <= told * 1.1 + 1e-9, "{name} {degree} {count}: {seen} told as {told}");
                }
            }
            assert!(last < 0.7, "{name} {degree}: {last}");
        }
    }
    let arc = arc(20.0, 0.0, 1.0);
    let refused = recast(&arc, 3, 5, EndsKept::Curvature);
    assert!(matches!(refused, Err(GeometryError::NoCurvatureKept { count: 5, needed: 6, .. })));
    assert!(matches!(recast(&arc, 1, 9, EndsKept::Curvature), Err(GeometryError::NoCurvatureKept { .. })));
    // An egg has no ends: curvature goes on over its seam, which takes seven.
    let round = recast(&egg().elevated().unwrap(), 3, 7, EndsKept::Curvature).unwrap().curve;
    let [a, b] = bends(&round);
    assert!((a - b).norm() < 1e-9, "{a} {b}");
    let refused = recast(&egg().elevated().unwrap(), 3, 6, EndsKept::Curvature);
    assert!(matches!(refused, Err(GeometryError::NoCurvatureKept { needed: 7, .. })));
    // What has such a form is kept whatever it takes.
    let line = NurbsCurve::line(Point3::origin(), Point3::new(3.0, 4.0, 0.0));
    assert!(recast(&line, 3, 4, EndsKept::Curvature).unwrap().max_deviation < 1e-12);
}

#[test]
fn curvature_across_the_borders_of_a_surface_is_kept_where_asked() {
    // A skin of arcs, which has weights, and a skin that has none: normal curvature along u where u ends and along v where
    // v does, at the corners, where the recast surface has the source's tangent plane.
    let half = arc(30.0, 0.4, 0.9);
    let turned = |a: f64| half.mapped(|p| Point3::new(p.x * a.cos(), p.y, p.x * a.sin()));
    let dome = skin(&[turned(0.0), turned(0.3), turned(0.7)], &Skin::free()).unwrap();
    let open = skin(
        &[
            wave(),
            wave().mapped(|p| p + Vector3::new(1.0, 3.0, 20.0)),
            wave().mapped(|p| Point3::new(p.x, 0.4 * p.y, 45.0 - p.z)),
        ],
        &Skin::free(),
    )
    .unwrap();
    for source in [dome, open] {
        let made = recast_surface(&source, [3, 3], [9, 8], EndsKept::Curvature).unwrap();
        let (du, dv) = source.domain();
        for u in [du.start, du.end] {
            for v in [dv.start, dv.end] {
                let [a, b] = [&source, &made.surface].map(|s| {
                    let d = s.derivatives(u, v);
                    [d.u, d.v].map(|along| d.normal_curvature(&along.normalize()).unwrap())
                });
                for k in [0, 1] {
                    assert!(
                        (a[k] - b[k]).abs() < 2e-4 * a[k].abs().max(1e-2),
                        "{u} {v} {k}: {} {}",
                        a[k],
                        b[k]
                    );
                }
            }
        }
    }
}
