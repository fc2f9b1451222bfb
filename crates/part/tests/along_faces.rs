//! Distances measured along faces, for insets and chamfers, against closed forms.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::PI;

use made::{drawing, near, of, reached, rebuild, recipe, step, volume};
use part::Rebuilt;
use proptest::prelude::*;
use serde_json::{Value, json};

/// Half a round bar, lying on its flat side.
fn bar(radius: f64, length: f64) -> Vec<Value> {
    let outline = json!([
        {"id": "flat", "kind": "polyline", "points": [[-radius, 0], [radius, 0]]},
        {"id": "round", "kind": "arc", "points": [[radius, 0], [0, radius], [-radius, 0]]},
    ]);
    vec![
        drawing("o", "xy", 0.0, outline),
        step("bar", "extrude", json!({"profile": of("o"), "length": length})),
    ]
}

fn with(mut steps: Vec<Value>, last: Value) -> Rebuilt {
    steps.push(last);
    rebuild(&recipe(steps))
}

#[test]
fn a_chamfer_goes_as_far_round_a_bar_as_across_its_flat_side() {
    let (radius, long) = (10.0_f64, 40.0);
    let edge = json!({"step": "bar", "item": "edge {o} / flat | {o} / round"});
    for far in [1.0_f64, 4.0, 8.0] {
        let made = json!({"edges": [edge], "distance": far, "measured": "along"});
        let angle = far / radius;
        let gone = 0.5 * radius * radius * angle - 0.5 * (radius - far) * radius * angle.sin();
        let whole = 0.5 * PI * radius * radius * long;
        near(volume(&with(bar(radius, long), step("cut", "chamfer", made)), 2), whole - gone * long, 1e-7);
    }
}

/// Half an ellipsoid about z on its flat side, `wide` at its rim and `high`.
fn dome(wide: f64, high: f64) -> Vec<Value> {
    let quarter = json!([
        {"id": "floor", "kind": "polyline", "points": [[0, 0], [wide, 0]]},
        {"id": "dome", "kind": "ellipse", "points": [[0, 0]], "values": {"radius_x": wide, "radius_y": high, "from": "0 deg", "to": "90 deg"}},
    ]);
    vec![drawing("p", "xz", 0.0, quarter), step("dome", "revolve", json!({"profile": of("p"), "axis": "z"}))]
}

/// How far from the axis a quarter ellipse is at a length of it from its widest place: Simpson's rule and halving.
fn away_after(wide: f64, high: f64, length: f64) -> f64 {
    let speed = |t: f64| (wide * t.sin()).hypot(high * t.cos());
    let run = |to: f64| {
        let n = 400;
        let at = |k: usize| speed(to * k as f64 / n as f64);
        let inner: f64 = (1..n).map(|k| at(k) * if k % 2 == 1 { 4.0 } else { 2.0 }).sum();
        (at(0) + at(n) + inner) * to / (3 * n) as f64
    };
    let (mut low, mut high_t) = (0.0, PI / 2.0);
    for _ in 0..60 {
        let middle = 0.5 * (low + high_t);
        if run(middle) < length { low = middle } else { high_t = middle }
    }
    wide * low.cos()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 20, ..ProptestConfig::default() })]

    #[test]
    fn the_rim_of_a_dome_is_copied_along_its_meridians(
        size in -1.0..2.0f64, flat in 0.3..1.5f64, share in 0.02..0.8f64,
    ) {
        let wide = 10f64.powf(size);
        let high = flat * wide;
        let far = share * high;
        let made = json!({"face": {"step": "dome", "item": "face {p} / dome"}, "distance": far, "measured": "along"});
        let rebuilt = with(dome(wide, high), step("inset", "inset_edge", made));
        near(reached(&rebuilt, 2, "Length of inset"), 2.0 * PI * away_after(wide, high, far), 1e-5);
    }
}
