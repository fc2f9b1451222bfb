//! Pairs and triples of simple solids in random and in special positions: whatever they are, their pieces add up.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::PI;

use geometry::Vector3;
use nalgebra::{Matrix4, Rotation3};
use proptest::prelude::*;
use shapes::{block, cone, cylinder, moved, sound, sphere, tolerance, torus, volume};
use topology::{Operation, Shell, Solid, combine};

/// About as many cases as a minute allows here; more with the environment variable of proptest.
const CASES: u32 = 40;

fn solid(shell: Shell) -> Solid {
    Solid::try_new(vec![shell]).unwrap()
}

fn shape(kind: usize, size: f64) -> Shell {
    match kind {
        0 => block([-5.0 * size, -4.0 * size, -3.0 * size], [10.0 * size, 8.0 * size, 6.0 * size]),
        1 => moved(&cylinder(4.0 * size, 10.0 * size), 0.0, 0.0, -5.0 * size),
        2 => shapes::sphere(5.0 * size),
        3 => torus(5.0 * size, 2.0 * size),
        _ => moved(&cone(5.0 * size, 2.0 * size, 8.0 * size), 0.0, 0.0, -4.0 * size),
    }
}

fn placed(shell: Shell, at: [f64; 3], turn: [f64; 3]) -> Solid {
    let rotation = Rotation3::from_euler_angles(turn[0], turn[1], turn[2]).to_homogeneous();
    solid(shell.transformed(&(Matrix4::new_translation(&Vector3::from(at)) * rotation)))
}

fn total(solids: &[Solid]) -> f64 {
    solids.iter().map(|s| {
        sound(s);
        volume(s)
    }).sum()
}

fn close(a: f64, b: f64, size: f64) {
    assert!((a - b).abs() <= 1e-6 * size, "{a} is not {b} of {size}");
}

/// All that can be said about two solids without knowing them.
fn pair_adds_up(a: &Solid, b: &Solid) {
    let of = |first: &Solid, second: &Solid, operation| {
        total(&combine(&[first], &[second], operation, &tolerance()).unwrap().solids)
    };
    let (va, vb) = (volume(a), volume(b));
    let size = va + vb;
    let common = of(a, b, Operation::Common);
    close(of(b, a, Operation::Common), common, size);
    close(of(a, b, Operation::Subtract) + common, va, size);
    close(of(b, a, Operation::Subtract) + common, vb, size);
    close(of(a, b, Operation::Union) + common, size, size);
}

fn any_solid(at: impl Strategy<Value = [f64; 3]>, turn: impl Strategy<Value = [f64; 3]>) -> impl Strategy<Value = (usize, f64, [f64; 3], [f64; 3])> {
    (0..5usize, prop_oneof![Just(0.5), Just(1.0), 0.3..1.6], at, turn)
}

fn somewhere() -> impl Strategy<Value = (usize, f64, [f64; 3], [f64; 3])> {
    any_solid(prop::array::uniform3(-7.0..7.0), prop::array::uniform3(-PI..PI))
}

fn on_the_grid() -> impl Strategy<Value = (usize, f64, [f64; 3], [f64; 3])> {
    let step = |k: i32| f64::from(k) * 1.0;
    let quarter = |k: i32| f64::from(k) * PI / 2.0;
    any_solid(prop::array::uniform3((-5..=5).prop_map(step)), prop::array::uniform3((0..4).prop_map(quarter)))
}

fn made((kind, size, at, turn): (usize, f64, [f64; 3], [f64; 3])) -> Solid {
    placed(shape(kind, size), at, turn)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(CASES))]

    #[test]
    fn pairs_anywhere_add_up(a in somewhere(), b in somewhere()) {
        pair_adds_up(&made(a), &made(b));
    }

    #[test]
    fn pairs_on_a_grid_add_up(a in on_the_grid(), b in on_the_grid()) {
        pair_adds_up(&made(a), &made(b));
    }
}

#[test]
fn nothing_is_left_where_all_is_taken() {
    let (small, large) = (solid(sphere(2.0)), solid(block([-5.0; 3], [10.0; 3])));
    let made = combine(&[&small], &[&large], Operation::Subtract, &tolerance()).unwrap();
    assert!(made.solids.is_empty());
    let void = combine(&[&large], &[&small], Operation::Subtract, &tolerance()).unwrap();
    assert_eq!(void.solids.len(), 1);
    assert_eq!(void.solids[0].voids().len(), 1);
    close(volume(&void.solids[0]), 1000.0 - 32.0 / 3.0 * PI, 1000.0);
}
