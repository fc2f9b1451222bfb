//! Halves that are square to their mirror plane: mirrored and joined they go on without a crease.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use made::*;
use part::report;
use proptest::prelude::*;
use serde_json::{Value, json};

/// The largest angle in degrees along the seams of steps' surface joined with its mirror image over a plane.
fn crease(mut steps: Vec<Value>, half: &str, plane: &str) -> f64 {
    steps.push(step("other", "copy", json!({"of": of(half), "way": "mirror", "plane": plane})));
    steps.push(step("both", "joined_surface", json!({"surfaces": [of(half), of("other")]})));
    let recipe = recipe_of(3, json!([]), steps);
    let rebuilt = rebuild(&recipe);
    let last = rebuilt.steps.len() - 1;
    assert!(rebuilt.built(last).is_some(), "{:?}", failure(&rebuilt, last).message);
    let report = report(&recipe, &rebuilt);
    let all = report.bodies.iter().flat_map(|b| &b.seams).chain(&report.open_seams);
    let seams: Vec<f64> = all.map(|s| s.angle_deg).collect();
    assert!(!seams.is_empty());
    seams.into_iter().fold(0.0, f64::max)
}

fn curve(id: &str, points: &[[f64; 3]]) -> Value {
    step(id, "space_curve", json!({"points": points}))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// A network whose side lies in a mirror plane, its other curves leaving that at any angle.
    #[test]
    fn a_network_is_square_to_the_plane_of_its_side(
        heights in prop::array::uniform9(-4.0..4.0f64),
        size in prop::sample::select(vec![1.0, 0.05, 40.0]),
    ) {
        let at = |i: usize, j: usize| [10.0 * size * i as f64, 12.0 * size * j as f64, size * heights[3 * i + j]];
        // The side j = 0 lies in the plane y = 0.
        let mut steps = Vec::new();
        for k in 0..3 {
            steps.push(curve(&format!("u{k}"), &[at(0, k), at(1, k), at(2, k)]));
            steps.push(curve(&format!("v{k}"), &[at(k, 0), at(k, 1), at(k, 2)]));
        }
        let net = |agrees: &str| {
            let mut steps = steps.clone();
            let families = [["u0", "u1", "u2"], ["v0", "v1", "v2"]].map(|f| f.map(of));
            let make = json!({"first": families[0], "second": families[1], "first_agrees": [agrees], "gap": 0.01 * size});
            steps.push(step("net", "network", make));
            steps
        };
        let level = (0..3).map(|i| heights[3 * i]).fold(f64::NEG_INFINITY, f64::max)
            - (0..3).map(|i| heights[3 * i]).fold(f64::INFINITY, f64::min);
        prop_assume!(level > 0.5);
        // A side that is straight within the joining tolerance has no one plane.
        let bow = size * (heights[0] - 2.0 * heights[3] + heights[6]).abs();
        prop_assume!(bow > 0.05);
        prop_assert!(crease(net("square"), "net", "xz") < 0.1);
    }

    /// A rail sweep whose rails leave the mirror plane squarely: without the condition its sections lead it off.
    #[test]
    fn a_rail_sweep_is_square_to_the_plane_of_its_section(
        bows in prop::array::uniform2(2.0..12.0f64),
        out in prop::array::uniform2(-3.0..8.0f64),
    ) {
        let rail = |id: &str, side: f64, out: f64| {
            let end = side + side.signum() * out;
            drawing(id, "xy", 0.0, json!([{"id": "c", "kind": "bezier", "points": [[side, 0], [side, 15], [end, 25], [end, 40]]}]))
        };
        let section = |id: &str, y: f64, half: f64, bow: f64| {
            drawing(id, "xz", -y, json!([{"id": "c", "kind": "arc", "points": [[-half, 0], [0, bow], [half, 0]]}]))
        };
        let steps = |square: bool| {
            vec![
                rail("left", -20.0, out[0]),
                rail("right", 20.0, out[0]),
                section("a", 0.0, 20.0, bows[0]),
                section("b", 40.0, 20.0 + out[0], bows[1] + out[1].abs() + 1.0),
                step("half", "rail_sweep", json!({"first_rail": of("left"), "second_rail": of("right"),
                    "sections": [of("a"), of("b")], "height": "kept", "start_square": square})),
            ]
        };
        let square = crease(steps(true), "half", "xz");
        prop_assert!(square < 0.05, "{square}");
        prop_assert!(crease(steps(false), "half", "xz") > square);
    }
}

#[test]
fn a_patch_is_square_to_the_planes_of_its_edges() {
    // An eighth of a ball from three quarters of circles, square to the planes in which they lie: the sphere itself comes
    // back nearly, and mirrored it goes on.
    let quarter = |id: &str, plane: &str| {
        let c = 30.0 / 2.0_f64.sqrt();
        drawing(id, plane, 0.0, json!([{"id": "c", "kind": "arc", "points": [[30, 0], [c, c], [0, 30]]}]))
    };
    let steps = vec![
        quarter("a", "xy"),
        quarter("b", "xz"),
        quarter("c", "yz"),
        step(
            "eighth",
            "patch",
            json!({"edges": [of("a"), of("b"), of("c")], "agrees": ["square", "square", "square"]}),
        ),
    ];
    let built = rebuild(&recipe_of(3, json!([]), steps.clone()));
    // The area of an eighth of a sphere, pi r^2 / 2 (handbook mensuration, from memory).
    near(area(&built, 3), std::f64::consts::PI * 450.0, 0.01);
    for plane in ["xy", "xz", "yz"] {
        let angle = crease(steps.clone(), "eighth", plane);
        assert!(angle < 0.1, "{plane}: {angle}");
    }
}

#[test]
fn what_lies_in_no_plane_is_refused_by_name() {
    let edge = |id: &str, a: [f64; 3], b: [f64; 3]| curve(id, &[a, b]);
    let mut steps = vec![
        edge("a", [0.0, 0.0, 0.0], [10.0, 0.0, 0.0]),
        edge("b", [10.0, 0.0, 0.0], [10.0, 10.0, 0.0]),
        edge("c", [10.0, 10.0, 0.0], [0.0, 0.0, 0.0]),
    ];
    steps.push(step("p", "patch", json!({"edges": [of("a"), of("b"), of("c")], "agrees": ["square"]})));
    let refused = failure(&rebuild(&recipe_of(3, json!([]), steps)), 3);
    assert!(refused.message.contains("edge 1 is straight") && refused.at.is_some(), "{}", refused.message);
}
