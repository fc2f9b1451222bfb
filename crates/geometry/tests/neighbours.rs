//! Where curves come near each other, and places of a surface found from one nearby.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use geometry::{
    KnotVector, NurbsCurve, NurbsSurface, Point3, Spacing, Through, closest_on_curve, closest_on_surface,
    closest_within, curves_approaches, curves_close_by, nearby_on_surface,
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

/// Where a ring turns back on itself within a few tenths of a millimetre, its own places are its own.
#[test]
fn hairpins_hide_no_place() {
    let radii = [
        22.053751508196992,
        13.6685868332042,
        19.58203928860646,
        6.57369348594236,
        28.426283389580316,
        12.726966431402195,
        27.04520497081501,
        3.0,
    ];
    let point = |(k, r): (usize, &f64)| {
        let angle = std::f64::consts::TAU * k as f64 / radii.len() as f64;
        Point3::new(r * angle.cos(), r * angle.sin(), 0.3 * r)
    };
    let points: Vec<Point3> = radii.iter().enumerate().map(point).collect();
    let ring = Through { spacing: Spacing::Chord, tension: 0.0 }.ring(&points, 1e-6).unwrap();
    let worst = (0..4000)
        .map(|k| closest_on_curve(&ring, &ring.point(ring.domain().at(f64::from(k) / 4000.0))).distance)
        .fold(0.0, f64::max);
    assert!(worst < 1e-12, "{worst}");
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

    /// Within a distance the nearest place is the nearest of all; beyond it there is none.
    #[test]
    fn the_nearest_place_is_told_within_a_distance(
        heights in prop::collection::vec(-3.0..3.0f64, 16),
        to in (-5.0..35.0f64, -5.0..35.0f64, -9.0..9.0f64),
        share in 0.5..1.5f64,
    ) {
        let point = |k: usize| Point3::new(10.0 * (k / 4) as f64, 10.0 * (k % 4) as f64, heights[k]);
        let net: Vec<Point3> = (0..16).map(point).collect();
        let surface =
            NurbsSurface::try_new(KnotVector::bezier(3), KnotVector::bezier(3), &net, None).unwrap();
        let to = Point3::new(to.0, to.1, to.2);
        let nearest = closest_on_surface(&surface, &to);
        let within = share * nearest.distance;
        let expected = (nearest.distance <= within).then_some(nearest);
        prop_assert_eq!(closest_within(&surface, &to, within), expected);
    }

    /// A curve passes through its own places: wherever it runs beside itself, none is missed; weights or not.
    #[test]
    fn a_curve_is_nearest_to_its_own_places(
        net in prop::collection::vec((-20.0..20.0f64, -20.0..20.0f64, -3.0..3.0f64, 0.2..5.0f64), 4..12),
        degree in 1..6usize,
        moved in prop::sample::select(vec![0.0, 1e4]),
        rational in prop::bool::ANY,
        off in (-9.0..9.0f64, -9.0..9.0f64, -9.0..9.0f64),
    ) {
        let points: Vec<Point3> = net.iter().map(|&(x, y, z, _)| Point3::new(x + moved, y, z)).collect();
        let weights: Vec<f64> = net.iter().map(|n| n.3).collect();
        let knots = KnotVector::clamped_uniform(degree.min(points.len() - 1), points.len()).unwrap();
        let curve = NurbsCurve::try_new(knots, &points, rational.then_some(&weights)).unwrap();
        let d = curve.domain();
        for k in 0..=50 {
            let own = curve.point(d.at(f64::from(k) / 50.0));
            prop_assert!(closest_on_curve(&curve, &own).distance < 1e-11 * (1.0 + moved));
        }
        let to = Point3::new(moved + off.0, off.1, off.2);
        let looked = (0..=5000).map(|k| (curve.point(d.at(f64::from(k) / 5000.0)) - to).norm());
        let least = looked.fold(f64::INFINITY, f64::min);
        let found = closest_on_curve(&curve, &to);
        prop_assert!(found.distance <= least * (1.0 + 2e-6) + 1e-12 * moved, "{found:?} {least}");
        prop_assert!(((curve.point(found.parameter) - to).norm() - found.distance).abs() < 1e-12 * (1.0 + moved));
    }

    /// On surfaces of many pieces, of which only some are looked at, none is nearer than the place that is found: not of very many
    /// others, and beyond a corner it is that corner, however the distances are rounded.
    #[test]
    fn of_many_pieces_none_has_a_nearer_place(
        heights in prop::collection::vec(-9.0..9.0f64, 144),
        to in (-20.0..140.0f64, -20.0..140.0f64, -40.0..40.0f64),
        beyond in (0.001..50.0f64, 0.001..50.0f64),
        far in prop_oneof![Just(0.0), Just(1e5)],
    ) {
        let point = |k: usize| Point3::new(far + 10.0 * (k / 12) as f64, 10.0 * (k % 12) as f64, heights[k]);
        let net: Vec<Point3> = (0..144).map(point).collect();
        let knots = || KnotVector::clamped_uniform(3, 12).unwrap();
        let surface = NurbsSurface::try_new(knots(), knots(), &net, None).unwrap();
        let to = Point3::new(far + to.0, to.1, to.2);
        let found = closest_on_surface(&surface, &to);
        let (u, v) = surface.domain();
        let shares: Vec<f64> = (0..=180).map(|k| f64::from(k) / 180.0).collect();
        let [us, vs] = [u, v].map(|d| shares.iter().map(|s| d.at(*s)).collect::<Vec<f64>>());
        let least = surface.grid(&us, &vs).iter().map(|p| (p - to).norm()).fold(f64::MAX, f64::min);
        prop_assert!(found.distance <= least * (1.0 + 2e-6) + 1e-9 && found.distance > least - 0.5, "{found:?} {least}");
        let corner = surface.point(u.start, v.start);
        let outside = Point3::new(corner.x - 60.0 - beyond.0, corner.y - 60.0 - beyond.1, corner.z);
        prop_assert!(closest_on_surface(&surface, &outside).distance <= (outside - corner).norm() * (1.0 + 1e-12));
    }

    /// Knots by the hundred do not move the nearest place of a curve, nor lose where two curves meet.
    #[test]
    fn dense_knots_change_nothing_of_what_is_near(
        heights in prop::collection::vec(-8.0..8.0f64, 6),
        to in (-5.0..55.0f64, -15.0..15.0f64, -5.0..5.0f64),
    ) {
        let net: Vec<Point3> = (0..6).map(|k| Point3::new(10.0 * k as f64, heights[k], 0.0)).collect();
        let plain = NurbsCurve::try_new(KnotVector::clamped_uniform(3, 6).unwrap(), &net, None).unwrap();
        let dense = (1..200).fold(plain.clone(), |c, k| c.with_knot(plain.domain().at(k as f64 / 200.0)));
        let to = Point3::new(to.0, to.1, to.2);
        // The reference: the least of very many places, and of a quarter of a step about it.
        let looked = |k: usize| (plain.point(plain.domain().at(k as f64 / 20_000.0)) - to).norm();
        let least = (0..=20_000).map(looked).fold(f64::INFINITY, f64::min);
        for curve in [&plain, &dense] {
            let found = closest_on_curve(curve, &to);
            prop_assert!(found.distance <= least * (1.0 + 2e-6) + 1e-9 && found.distance > least - 1e-2, "{found:?} {least}");
            prop_assert!(((found.point - to).norm() - found.distance).abs() < 1e-12);
        }
        // A straight line across: it meets the curve where that changes sides, and is near it there only.
        let across = line([25.0, -20.0, 0.0], [25.0, 20.0, 0.0]);
        let within = 1e-6;
        for curve in [&plain, &dense] {
            let found = curves_close_by(curve, &across, within);
            let known = curves_approaches(curve, &across);
            prop_assert_eq!(found.len(), known.iter().filter(|f| f.distance <= within).count());
            prop_assert!(found.iter().all(|f| (curve.point(f.first).x - 25.0).abs() <= 2.0 * within));
            prop_assert!(!found.is_empty());
        }
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
