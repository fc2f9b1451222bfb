//! Surfaces of least energy: what has none comes back exactly, and demands are met.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use geometry::{Demand, Fair, Fairness, GeometryError, KnotVector, NurbsSurface, Point3, Region, Vector3};
use proptest::prelude::*;

const VARY: Fairness = Fairness { stretch: 0.0, bend: 0.0, vary: 1.0 };
const BEND: Fairness = Fairness { stretch: 0.0, bend: 1.0, vary: 0.0 };

fn knots(spans: usize, degree: usize) -> KnotVector {
    let breaks: Vec<f64> = (0..=spans).map(|k| k as f64 / spans as f64).collect();
    KnotVector::smooth_pieces(degree, &breaks)
}

fn whole() -> Region {
    Region { outlines: vec![vec![[-1.0, -1.0], [2.0, -1.0], [2.0, 2.0], [-1.0, 2.0]]], outside: 1e-4 }
}

/// Places round the border of the unit square, and some inside.
fn places() -> Vec<[f64; 2]> {
    let side = (0..8).map(|k| f64::from(k) / 8.0);
    let border = side.flat_map(|t| [[t, 0.0], [1.0, t], [1.0 - t, 1.0], [0.0, 1.0 - t]]);
    border.chain([[0.3, 0.4], [0.7, 0.6]]).collect()
}

fn surface([u, v]: [&KnotVector; 2], net: &[Vector3]) -> NurbsSurface {
    let points: Vec<Point3> = net.iter().map(|p| Point3::from(*p)).collect();
    NurbsSurface::try_new(u.clone(), v.clone(), &points, None).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Quadratics have no third derivatives, planes no second ones: with so little energy they come back from a few places,
    /// in whichever direction the net is longer.
    #[test]
    fn what_has_no_energy_comes_back(
        c in prop::collection::vec(-2.0..2.0f64, 6),
        spans in (3usize..9, 3usize..9),
        degree in 3usize..5,
        plane in any::<bool>(),
    ) {
        let height = |x: f64, y: f64| {
            let bent = if plane { 0.0 } else { c[3] * x * x + c[4] * x * y + c[5] * y * y };
            Vector3::new(x, y, c[0] + c[1] * x + c[2] * y + bent)
        };
        let (u, v) = (knots(spans.0, degree), knots(spans.1, degree));
        let demands: Vec<Demand> = places().into_iter().map(|at| Demand::place(at, 1e3)).collect();
        let fair = Fair::new([&u, &v], if plane { BEND } else { VARY }, &whole(), &demands).unwrap();
        let values: Vec<Vector3> = demands.iter().map(|d| height(d.at[0], d.at[1])).collect();
        let made = surface([&u, &v], &fair.control_points(&values));
        for k in 0..=10 {
            let (x, y) = (f64::from(k) / 10.0, f64::from((k * 7) % 11) / 10.0);
            prop_assert!((made.point(x, y).coords - height(x, y)).norm() < 1e-6);
        }
    }
}

#[test]
fn slopes_and_bends_are_met_and_values_can_be_changed() {
    let (u, v) = (knots(6, 4), knots(5, 4));
    let mut demands: Vec<Demand> = places().into_iter().map(|at| Demand::place(at, 1e6)).collect();
    let flat = demands.len();
    demands.push(Demand::slope([0.0, 0.5], [1.0, 0.0], 1e6));
    demands.push(Demand::bend([1.0, 0.5], [1.0, 0.0], 1e4));
    let fair = Fair::new([&u, &v], VARY, &whole(), &demands).unwrap();
    let mut values = vec![Vector3::zeros(); demands.len()];
    values[flat] = Vector3::new(0.0, 0.0, 0.7);
    values[flat + 1] = Vector3::new(0.0, 0.0, -1.3);
    let made = surface([&u, &v], &fair.control_points(&values));
    assert!((made.derivatives(0.0, 0.5).u.z - 0.7).abs() < 1e-2, "{}", made.derivatives(0.0, 0.5).u.z);
    assert!((made.derivatives(1.0, 0.5).uu.z + 1.3).abs() < 2e-2, "{}", made.derivatives(1.0, 0.5).uu.z);
    assert!(made.point(0.0, 0.25).z.abs() < 1e-3);
    // It is linear in what is demanded: twice the values, twice the surface.
    let twice = fair.control_points(&values.iter().map(|v| v * 2.0).collect::<Vec<_>>());
    let once = fair.control_points(&values);
    assert!(once.iter().zip(&twice).all(|(a, b)| (a * 2.0 - b).norm() < 1e-9));
}

#[test]
fn too_little_to_hold_it_is_refused() {
    let u = knots(4, 3);
    let loose = Fair::new([&u, &u], BEND, &whole(), &[Demand::place([0.5, 0.5], 1.0)]);
    assert!(matches!(loose.err(), Some(GeometryError::Singular)));
}
