//! Where curves come near each other, and places of a surface found from one nearby.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use geometry::{
    KnotVector, NurbsCurve, NurbsSurface, Point3, closest_on_surface, curves_approaches, nearby_on_surface,
};
use proptest::prelude::*;

fn line(a: [f64; 3], b: [f64; 3]) -> NurbsCurve {
    NurbsCurve::line(Point3::from(a), Point3::from(b))
}

/// The parabola y = x^2 over -2 to 2, exactly.
fn parabola() -> NurbsCurve {
    let points = [[-2.0, 4.0, 0.0], [0.0, -4.0, 0.0], [2.0, 4.0, 0.0]].map(Point3::from);
    NurbsCurve::try_new(KnotVector::bezier(2), &points, None).unwrap()
}

#[test]
fn all_crossings_are_found_the_nearest_first() {
    // y = 1 meets y = x^2 at x = -1 and 1; raised by 0.3 both places are 0.3 apart, and the apex is none of them.
    for raised in [0.0, 0.3] {
        let found = curves_approaches(&parabola(), &line([-3.0, 1.0, raised], [3.0, 1.0, raised]));
        let met: Vec<f64> = found
            .iter()
            .filter(|f| f.distance <= raised + 1e-9)
            .map(|f| parabola().point(f.first).x)
            .collect();
        assert_eq!(met.len(), 2, "{found:?}");
        assert!(met.iter().all(|x| (x.abs() - 1.0).abs() < 1e-9) && met[0] * met[1] < 0.0, "{met:?}");
        assert!(found.windows(2).all(|w| w[0].distance <= w[1].distance));
    }
    // Apart: BS-23 has the parabola at its nearest to (3, 0) in t = 1, at a distance of sqrt 5.
    let found = curves_approaches(&parabola(), &line([3.0, 0.0, -1.0], [3.0, 0.0, 1.0]));
    assert!((found[0].distance - 5.0_f64.sqrt()).abs() < 1e-9, "{found:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// From a start nearby the same place is found as without one; from one that leads elsewhere, none.
    #[test]
    fn a_place_on_a_surface_is_found_from_nearby(
        heights in prop::collection::vec(-3.0..3.0f64, 16),
        at in (0.05..0.95f64, 0.05..0.95f64),
        shift in (-0.04..0.04f64, -0.04..0.04f64),
    ) {
        let point = |k: usize| Point3::new(10.0 * (k / 4) as f64, 10.0 * (k % 4) as f64, heights[k]);
        let net: Vec<Point3> = (0..16).map(point).collect();
        let surface =
            NurbsSurface::try_new(KnotVector::bezier(3), KnotVector::bezier(3), &net, None).unwrap();
        let p = surface.point(at.0, at.1);
        let from = [at.0 + shift.0, at.1 + shift.1];
        let near = nearby_on_surface(&surface, &p, from, 1e-6).unwrap();
        let known = closest_on_surface(&surface, &p);
        prop_assert!((near.point - known.point).norm() < 1e-6);
        let lifted = Point3::new(p.x, p.y, p.z + 20.0);
        prop_assert!(nearby_on_surface(&surface, &lifted, from, 1e-3).is_none());
    }

    /// Knots put in, degrees raised, run the other way and turned over: always the same places.
    #[test]
    fn surfaces_in_other_forms_are_the_same(
        heights in prop::collection::vec(-3.0..3.0f64, 16),
        knot in 0.1..0.9f64,
        at in (0.0..1.0f64, 0.0..1.0f64),
        weight in 0.3..3.0f64,
    ) {
        let point = |k: usize| Point3::new(10.0 * (k / 4) as f64, 10.0 * (k % 4) as f64, heights[k]);
        let net: Vec<Point3> = (0..16).map(point).collect();
        let weights: Vec<f64> = (0..16).map(|k| if k == 5 { weight } else { 1.0 }).collect();
        let surface =
            NurbsSurface::try_new(KnotVector::bezier(3), KnotVector::bezier(3), &net, Some(&weights)).unwrap();
        let p = surface.point(at.0, at.1);
        let form = surface.with_knot_u(knot).with_knot_v(0.5 * knot).elevated_u(5).unwrap().elevated_v(4).unwrap();
        prop_assert_eq!([form.knots_u().degree(), form.knots_v().degree()], [5, 4]);
        prop_assert!((form.point(at.0, at.1) - p).norm() < 1e-9);
        prop_assert!((form.reversed_u().point(1.0 - at.0, at.1) - p).norm() < 1e-9);
        prop_assert!((form.reversed_v().point(at.0, 1.0 - at.1) - p).norm() < 1e-9);
        prop_assert!((form.transposed().point(at.1, at.0) - p).norm() < 1e-9);
    }
}
