//! What is wrong inside faces: creases, folds, and what only looks like them.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::FRAC_PI_2;
use std::sync::Arc;

use geometry::{KnotVector, NurbsSurface, Point3};
use shapes::{cylinder, tolerance, wavy};
use topology::{FlawKind, Shell, flaws, natural_shell};

/// A sheet of profiles in the plane y = 0, each at its own y.
fn sheet(knots: &KnotVector, profiles: &[(f64, Vec<[f64; 2]>)]) -> Shell {
    let count = profiles[0].1.len();
    let points: Vec<Point3> = (0..count)
        .flat_map(|i| profiles.iter().map(move |(y, p)| Point3::new(p[i][0], *y, p[i][1])))
        .collect();
    let across = KnotVector::clamped_uniform(1, profiles.len()).unwrap();
    let surface = NurbsSurface::try_new(knots.clone(), across, &points, None).unwrap();
    natural_shell(Arc::new(surface), "side", &tolerance()).unwrap()
}

#[test]
fn a_crease_is_found_with_its_angle_and_its_place() {
    let bent = vec![[0.0, 0.0], [10.0, 0.0], [10.0, 7.0]];
    let found =
        flaws(&sheet(&KnotVector::clamped_uniform(1, 3).unwrap(), &[(0.0, bent.clone()), (20.0, bent)]));
    let [crease] = &found[..] else { panic!("{found:?}") };
    assert_eq!((crease.kind, crease.face), (FlawKind::Crease, 0));
    assert!((crease.angle - FRAC_PI_2).abs() < 1e-9);
    assert!((crease.at[0] - 10.0).abs() < 1e-9 && crease.at[2].abs() < 1e-9);
    // Knots that stand as often but go straight on are none.
    let straight = vec![[0.0, 0.0], [4.0, 0.0], [10.0, 0.0]];
    let knots = KnotVector::try_new(1, vec![0.0, 0.0, 0.5, 1.0, 1.0]).unwrap();
    assert_eq!(flaws(&sheet(&knots, &[(0.0, straight.clone()), (20.0, straight)])), Vec::new());
}

#[test]
fn what_lies_on_itself_is_found_and_a_tight_rim_is_not() {
    // A bow tie: its second side runs backwards.
    let knots = KnotVector::clamped_uniform(1, 2).unwrap();
    let found =
        flaws(&sheet(&knots, &[(0.0, vec![[0.0, 0.0], [10.0, 0.0]]), (20.0, vec![[10.0, 0.0], [0.0, 0.0]])]));
    assert!(matches!(&found[..], [only] if only.kind == FlawKind::Fold), "{found:?}");
    // A narrow hairpin turns by half a turn within a thousandth of its length, but turns.
    let knots = KnotVector::clamped_uniform(3, 8).unwrap();
    let pin = vec![
        [0.0, 0.0],
        [30.0, 0.0],
        [49.99, 0.0],
        [50.0, 0.0],
        [50.0, 0.02],
        [49.99, 0.02],
        [30.0, 0.02],
        [0.0, 0.02],
    ];
    assert_eq!(flaws(&sheet(&knots, &[(0.0, pin.clone()), (20.0, pin)])), Vec::new());
    assert_eq!(flaws(&cylinder(10.0, 30.0)), Vec::new());
    for axis in 0..3 {
        assert_eq!(flaws(&wavy(axis, 10.0)), Vec::new());
    }
}
