//! Straight wings of published aerofoils: area times span, and frustums of tapered ones.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use made::*;
use proptest::prelude::*;
use serde_json::{Value, json};

/// Half the thickness of a NACA four-digit section of chord 1 (Jacobs, Ward & Pinkerton, NACA Report 460, 1933: the formula of
/// its thickness, from memory), by the share of the chord.
fn half_thickness(x: f64, thickness: f64) -> f64 {
    let x2 = x * x;
    5.0 * thickness * (0.2969 * x.sqrt() - 0.126 * x - 0.3516 * x2 + 0.2843 * x2 * x - 0.1015 * x2 * x2)
}

/// The area inside it for the chord 1: the integral of that formula, twice. Camber as it is used here, straight up, leaves
/// it what it is.
fn area_of(thickness: f64) -> f64 {
    10.0 * thickness * (0.2969 * 2.0 / 3.0 - 0.126 / 2.0 - 0.3516 / 3.0 + 0.2843 / 4.0 - 0.1015 / 5.0)
}

/// Height of the mean line of a four-digit section of chord 1 (the same report).
fn mean_line(x: f64, [most, at]: [f64; 2]) -> f64 {
    if x < at {
        most / (at * at) * (2.0 * at * x - x * x)
    } else {
        most / (1.0 - at).powi(2) * (1.0 - 2.0 * at + 2.0 * at * x - x * x)
    }
}

/// An outline from the blunt trailing edge over the nose and back, in as many stretches as asked for.
fn aerofoil(id: &str, y: f64, chord: f64, thickness: f64, camber: [f64; 2], halves: bool) -> Value {
    const EACH: usize = 40;
    // Denser toward the nose, where the outline is a root of the chord.
    let side = |k: usize, up: f64| {
        let x = (k as f64 / EACH as f64).powi(2);
        json!([chord * x, chord * (mean_line(x, camber) + up * half_thickness(x, thickness))])
    };
    let upper: Vec<Value> = (0..=EACH).rev().map(|k| side(k, 1.0)).collect();
    let lower: Vec<Value> = (0..=EACH).map(|k| side(k, -1.0)).collect();
    let blunt = json!({"id": "edge", "kind": "polyline", "points": [lower[EACH], upper[0]]});
    let spline = |id: &str, points: Vec<Value>| json!({"id": id, "kind": "through_points", "points": points, "spacing": "chord"});
    let curves = if halves {
        // What runs into the nose is upright there.
        let mut upper = spline("upper", upper);
        let mut lower = spline("lower", lower);
        upper["end_handle"] = json!([0, 0.02 * chord]);
        lower["start_handle"] = json!([0, -0.02 * chord]);
        json!([upper, lower, blunt])
    } else {
        json!([spline("round", upper.into_iter().chain(lower.into_iter().skip(1)).collect()), blunt])
    };
    drawing(id, "xz", -y, curves)
}

#[test]
fn a_straight_wing_is_area_times_span() {
    for (thickness, camber) in
        [(0.12, [0.0, 0.4]), (0.12, [0.02, 0.4]), (0.21, [0.04, 0.4]), (0.06, [0.02, 0.3])]
    {
        for halves in [false, true] {
            let at = |id: &str, y: f64| aerofoil(id, y, 100.0, thickness, camber, halves);
            let make = json!({"sections": [of("root"), of("tip")]});
            let wing = vec![at("root", 0.0), at("tip", 300.0), step("wing", "loft", make)];
            let built = rebuild(&recipe_of(3, json!([]), wing));
            assert!(bodies(&built, 2)[0].is_solid());
            near(volume(&built, 2), area_of(thickness) * 1e4 * 300.0, 1e-4);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(8))]

    /// A tapered wing from similar sections is a frustum: h (A + sqrt(A B) + B) / 3 (handbook mensuration, from memory), the
    /// other way round too, and swept back as much as one likes.
    #[test]
    fn a_tapered_wing_is_a_frustum(
        taper in 0.2..1.0f64,
        sweep in -50.0..150.0f64,
        thickness in 0.06..0.24f64,
        halves in prop::bool::ANY,
        back in prop::bool::ANY,
    ) {
        let make = |sections: [&str; 2]| json!({"sections": sections.map(of), "between": "straight"});
        let root = aerofoil("root", 0.0, 100.0, thickness, [0.0, 0.4], halves);
        let tip = aerofoil("flat", 300.0, 100.0 * taper, thickness, [0.0, 0.4], halves);
        let mut steps = vec![root, tip];
        steps.push(step("tip", "copy", json!({"of": of("flat"), "way": "move", "x": sweep})));
        let sections = if back { ["tip", "root"] } else { ["root", "tip"] };
        steps.push(step("wing", "loft", make(sections)));
        let built = rebuild(&recipe_of(3, json!([]), steps));
        let area = area_of(thickness) * 1e4;
        let expected = 300.0 * area * (1.0 + taper + taper * taper) / 3.0;
        prop_assert!((volume(&built, 3) - expected).abs() < 1e-4 * expected, "{} {expected}", volume(&built, 3));
    }
}
