//! Surfaces at a distance from others, and surfaces made longer, against what is known of them.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod round;

use geometry::{
    Domain, GeometryError, GoesOn, KnotVector, NurbsCurve, NurbsSurface, Point3, SurfaceSide, Tolerance,
    closest_on_surface, extended_beside_poles, extended_surface, offset_surface, tightest_bend_of,
};
use proptest::prelude::*;
use round::{cylinder, sphere, torus};

fn whole(surface: &NurbsSurface) -> [Domain; 2] {
    surface.domain().into()
}

/// A sheet with bumps of up to so many millimetres over a square with a side of 100.
fn bumpy(count: usize, height: f64, seed: f64) -> NurbsSurface {
    let knots = KnotVector::clamped_uniform(3, count).unwrap();
    let at = |k: usize| 100.0 * k as f64 / (count - 1) as f64;
    let bump = |i: usize, j: usize| height * (12.9898 * i as f64 + 78.233 * j as f64 + seed).sin();
    let net: Vec<Point3> =
        (0..count).flat_map(|i| (0..count).map(move |j| Point3::new(at(i), at(j), bump(i, j)))).collect();
    NurbsSurface::try_new(knots.clone(), knots, &net, None).unwrap()
}

/// Largest difference between a surface and the true offset of another one.
fn off(made: &NurbsSurface, from: &NurbsSurface, distance: f64) -> f64 {
    let (du, dv) = from.domain();
    let mut worst: f64 = 0.0;
    for i in 0..=37 {
        for j in 0..=41 {
            let (u, v) = (du.at(f64::from(i) / 37.0), dv.at(f64::from(j) / 41.0));
            let Some(n) = from.normal(u, v) else { continue };
            worst = worst.max((made.point(u, v) - (from.point(u, v) + n * distance)).norm());
        }
    }
    worst
}

#[test]
fn round_surfaces_and_planes_have_exact_offsets() {
    let corner = |x: f64, y: f64| Point3::new(x, y, 0.3 * x - 0.2 * y);
    let plane =
        NurbsSurface::bilinear(corner(0.0, 0.0), corner(50.0, 0.0), corner(0.0, 30.0), corner(50.0, 30.0));
    for surface in [plane, cylinder(10.0, 40.0), sphere(10.0), torus(20.0, 6.0)] {
        for distance in [2.5, -2.5] {
            let made = offset_surface(&surface, distance, whole(&surface), &Tolerance::default()).unwrap();
            assert_eq!(made.surface.knots_u(), surface.knots_u());
            assert!(off(&made.surface, &surface, distance) < 1e-12 * 50.0);
        }
    }
}

#[test]
fn a_parallel_surface_has_the_curvatures_of_the_formula() {
    // OF-08: k / (1 + d k) on a torus with R = 3, r = 1 at 60 degrees, outward by 0.25.
    let ring = torus(3.0, 1.0);
    let outward = if ring.normal(0.05, 0.1).unwrap().dot(&(ring.point(0.05, 0.1) - Point3::origin())) > 0.0 {
        0.25
    } else {
        -0.25
    };
    let made = offset_surface(&ring, outward, whole(&ring), &Tolerance::default()).unwrap().surface;
    let at = closest_on_surface(&ring, &Point3::new(3.5, 0.0, 0.75f64.sqrt()));
    assert!(at.distance < 1e-12);
    let (gauss, mean) = made.derivatives(at.parameters[0], at.parameters[1]).curvatures().unwrap();
    assert!((gauss - 0.110_344_827_586_206_9).abs() < 1e-10, "{gauss}");
    assert!((mean.abs() - 0.468_965_517_241_379_4).abs() < 1e-10, "{mean}");
}

#[test]
fn an_offset_beyond_the_smallest_radius_tells_where_and_how_far_it_could_go() {
    // DR-05: on the inner side of a round of radius 4 less than 4 mm fit.
    let ring = torus(20.0, 4.0);
    let inward = if ring.normal(0.1, 0.0).unwrap().x > 0.0 { -1.0 } else { 1.0 };
    assert!(offset_surface(&ring, 3.999 * inward, whole(&ring), &Tolerance::default()).is_ok());
    let Err(GeometryError::OffsetFolds { radius, distance, .. }) =
        offset_surface(&ring, 4.001 * inward, whole(&ring), &Tolerance::default())
    else {
        panic!("it folds over")
    };
    assert!((radius - 4.0).abs() < 1e-9 && (distance - 4.001).abs() < 1e-12);
    // On the other side the hole of the ring is what bends: its radius is 16.
    let (radius, at) = tightest_bend_of(&ring, whole(&ring), inward < 0.0).unwrap();
    assert!((radius - 16.0).abs() < 1e-6, "{radius}");
    assert!((ring.point(at[0], at[1]).coords.xy().norm() - 16.0).abs() < 1e-3);
}

#[test]
fn what_goes_on_naturally_stays_what_it_is() {
    let tube = cylinder(10.0, 40.0);
    for (side, z) in [(SurfaceSide::UStart, -5.0), (SurfaceSide::UEnd, 45.0)] {
        for how in [GoesOn::Naturally, GoesOn::Straight] {
            let longer = extended_surface(&tube, side, 5.0, how).unwrap();
            let (u, v) = longer.domain();
            let end = longer.point(if side.is_start() { u.start } else { u.end }, v.at(0.3));
            assert!((end.z - z).abs() < 1e-12 && (end.coords.xy().norm() - 10.0).abs() < 1e-12, "{end}");
            // What was there keeps its parameters.
            assert!((longer.point(0.3, 0.4) - tube.point(0.3, 0.4)).norm() < 1e-12);
        }
    }
    // Round about it closes on itself.
    assert!(extended_surface(&tube, SurfaceSide::VEnd, 1.0, GoesOn::Naturally).is_err());
    let ball = sphere(10.0);
    assert!(extended_surface(&ball, SurfaceSide::VEnd, 1.0, GoesOn::Naturally).is_err());
    // A parabolic sheet goes on as the same parabola, or along its tangent.
    let knots = KnotVector::bezier(2);
    let net = [0.0, 10.0]
        .iter()
        .flat_map(|y| [[0.0, 0.0], [5.0, 0.0], [10.0, 10.0]].map(|p| Point3::new(p[0], *y, p[1])));
    let sheet =
        NurbsSurface::try_new(KnotVector::bezier(1), knots, &net.collect::<Vec<Point3>>(), None).unwrap();
    let natural = extended_surface(&sheet, SurfaceSide::VEnd, 10.0, GoesOn::Naturally).unwrap();
    let straight = extended_surface(&sheet, SurfaceSide::VEnd, 10.0, GoesOn::Straight).unwrap();
    for k in 0..=10 {
        let v = 1.0 + 0.04 * f64::from(k);
        let (p, q) = (natural.point(0.5, v), straight.point(0.5, v));
        assert!((p.z - p.x * p.x / 10.0).abs() < 1e-9, "{p}");
        assert!((q.z - 2.0 * (q.x - 10.0) - 10.0).abs() < 1e-9, "{q}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(8) })]

    #[test]
    fn freeform_offsets_stay_within_the_tolerance_and_come_back(seed in 0.0..6.0, distance in -4.0..4.0f64) {
        let sheet = bumpy(8, 3.0, seed);
        let tolerance = Tolerance::default();
        let there = offset_surface(&sheet, distance, whole(&sheet), &tolerance).unwrap();
        prop_assert!(there.converged && there.max_deviation <= tolerance.fit);
        prop_assert!(off(&there.surface, &sheet, distance) <= 1.5 * tolerance.fit);
        let back = offset_surface(&there.surface, -distance, whole(&sheet), &tolerance).unwrap();
        prop_assert!(off(&back.surface, &sheet, 0.0) <= 4.0 * tolerance.fit, "{}", off(&back.surface, &sheet, 0.0));
    }
}

#[test]
fn a_triangle_is_made_longer_beside_its_tip() {
    // Over its slanted side it reaches as far as is asked for in the half away from the tip, in its plane, and the tip stays.
    let (base, tip) = (Point3::new(10.0, 0.0, 0.0), Point3::new(5.0, 20.0, 0.0));
    let triangle =
        NurbsSurface::ruled(&NurbsCurve::line(Point3::origin(), base), &NurbsCurve::line(tip, tip)).unwrap();
    for (side, at) in [(SurfaceSide::VStart, 0.0), (SurfaceSide::VEnd, 1.0)] {
        assert!(extended_surface(&triangle, side, 3.0, GoesOn::Naturally).is_err());
        let longer = extended_beside_poles(&triangle, side, 3.0, GoesOn::Naturally).unwrap();
        let across = longer.domain().1;
        let border = if side.is_start() { across.start } else { across.end };
        for u in [0.0, 0.25, 0.5, 1.0] {
            for share in [0.0, 0.3, 1.0] {
                assert!((longer.point(u, share) - triangle.point(u, share)).norm() < 1e-12);
            }
            let (new, old) = (longer.point(u, border), triangle.point(u, at));
            assert!(new.z.abs() < 1e-12);
            assert!(if u <= 0.5 { (new - old).norm() >= 3.0 - 1e-9 } else { (new - tip).norm() < 1e-12 });
        }
    }
}
