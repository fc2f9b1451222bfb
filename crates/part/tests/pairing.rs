//! Sections of a loft that are joined by hand: volumes by mensuration, smooth seams, places that are met, and what is refused.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::{PI, TAU};

use made::*;
use part::{Built, Edit, Rebuilt, report};
use proptest::prelude::*;
use serde_json::{Value, json};

fn loft(sections: Vec<Value>, how: Value) -> Vec<Value> {
    let names: Vec<Value> = sections.iter().map(|s| of(s["id"].as_str().unwrap())).collect();
    let mut make = json!({"sections": names});
    make.as_object_mut().unwrap().extend(how.as_object().unwrap().clone());
    sections.into_iter().chain([step("skin", "loft", make)]).collect()
}

fn place(section: usize, piece: usize, at: f64) -> Value {
    json!({"section": section, "piece": piece, "at": at})
}

fn square(id: &str, z: f64) -> Value {
    rectangle(id, "xy", z, [-10.0, -10.0, 10.0, 10.0])
}

fn skin(rebuilt: &Rebuilt) -> &Built {
    rebuilt.built(rebuilt.steps.len() - 1).unwrap()
}

#[test]
fn a_line_drawn_by_hand_turns_what_is_between_by_the_formulas_of_mensuration() {
    // A quarter turn between equal circles is a hyperboloid of one sheet with the waist r cos 45: pi h (2 a^2 + r^2) / 3
    // (handbook mensuration, from memory).
    let pairs = json!([{"places": [place(1, 1, 0.0), place(2, 1, 0.25)]}]);
    let how = json!({"between": "straight", "pairs": pairs});
    let turned = rebuild(&recipe(loft(vec![circle("a", 0.0, 10.0), circle("b", 30.0, 10.0)], how)));
    near(volume(&turned, 2), PI * 30.0 / 3.0 * (2.0 * 50.0 + 100.0), 2e-2);
    // Squares joined corner to next corner: a prismatoid, h (A + 4 M + B) / 6, whose middle section is the square of the
    // middles of the sides.
    let pairs = json!([{"places": [place(1, 1, 0.0), place(2, 2, 0.0)]}]);
    let how = json!({"between": "straight", "pairs": pairs});
    let turned = rebuild(&recipe(loft(vec![square("a", 0.0), square("b", 30.0)], how)));
    near(volume(&turned, 2), 30.0 / 6.0 * (400.0 + 4.0 * 200.0 + 400.0), 1e-6);
    let by_itself =
        rebuild(&recipe(loft(vec![square("a", 0.0), square("b", 30.0)], json!({"between": "straight"}))));
    near(volume(&by_itself, 2), 400.0 * 30.0, 1e-9);
}

#[test]
fn places_within_sides_join_corners_too() {
    // The corners of a square joined to the middles of the sides of another one: cut at all eight, and so a prismatoid
    // whose middle section is an octagon, its vertices the middles of corner and side's middle.
    let pairs: Vec<Value> =
        (1..=4).map(|k| json!({"places": [place(1, k, 0.0), place(2, k, 0.5)]})).collect();
    let how = json!({"between": "straight", "pairs": pairs});
    let recipe = recipe(loft(vec![square("a", 0.0), square("b", 30.0)], how));
    let made = rebuild(&recipe);
    let body = &report(&recipe, &made).bodies[0];
    assert!(body.watertight);
    let lines = &skin(&made).pairing.as_ref().unwrap().lines;
    let given: Vec<usize> = lines.iter().filter_map(|l| l.given).collect();
    assert_eq!(given.len(), 4);
    for line in lines.iter().filter(|l| l.given.is_some()) {
        assert_eq!([line.ends[0].share.fract(), line.ends[1].share], [0.0, 0.5]);
    }
}

#[test]
fn what_cannot_be_joined_is_refused_with_the_line_and_the_section() {
    let made = |pairs: Value| {
        let sections = vec![circle("a", 0.0, 10.0), circle("b", 30.0, 10.0)];
        rebuild(&recipe(loft(sections, json!({"pairs": pairs}))))
    };
    let crossing = made(json!([
        {"places": [place(1, 1, 0.0), place(2, 1, 0.0)]},
        {"places": [place(1, 1, 0.3), place(2, 1, 0.6)]},
        {"places": [place(1, 1, 0.6), place(2, 1, 0.3)]},
    ]));
    let refused = failure(&crossing, 2);
    assert_eq!(refused.input.as_deref(), Some("pairs"));
    assert!(refused.message.contains("lines 2 and 3 cross") && refused.at.is_some(), "{}", refused.message);
    for (places, said) in [
        (json!([place(1, 1, 0.0), place(3, 1, 0.0)]), "section 3 of 2"),
        (json!([place(1, 1, 0.0), place(2, 2, 0.0)]), "piece 2 of section 2, which has 1"),
        (json!([place(1, 1, 1.5)]), "0 to 1"),
        (json!([]), "no place"),
    ] {
        let refused = made(json!([{"places": places}]));
        let refused = failure(&refused, 2);
        assert!(refused.message.contains(said), "{}", refused.message);
    }
}

#[test]
fn places_go_with_their_sections_when_they_are_put_in_order() {
    let sections = json!([of("a"), of("c"), of("b")]);
    let pairs = json!([{"places": [place(1, 1, 0.0), place(2, 1, 0.2), place(3, 1, 0.1)]}]);
    let recipe = recipe(vec![
        circle("a", 0.0, 10.0),
        circle("b", 20.0, 9.0),
        circle("c", 40.0, 8.0),
        step("skin", "loft", json!({"sections": sections, "pairs": pairs})),
    ]);
    let cure = failure(&rebuild(&recipe), 3).cure.clone().unwrap();
    let mended = Edit::All { edits: cure.edits }.apply(&recipe).unwrap();
    let places = &serde_json::to_value(&mended.steps[3].make).unwrap()["loft"]["pairs"][0]["places"];
    let shares: Vec<(u64, f64)> = places
        .as_array()
        .unwrap()
        .iter()
        .map(|p| (p["section"].as_u64().unwrap(), p["at"].as_f64().unwrap()))
        .collect();
    assert_eq!(shares, [(1, 0.0), (3, 0.2), (2, 0.1)]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Wherever lines are drawn between smooth sections, some ends left open: the skin meets every place, stays closed, and
    /// goes over the lines without a crease; the other way round it is the same.
    #[test]
    fn smooth_sections_stay_smooth_over_lines(
        radii in prop::collection::vec(8.0..14.0f64, 2..5),
        turn in 0.0..1.0f64,
        jitter in prop::collection::vec((-0.05..0.05f64, -0.05..0.05f64, prop::bool::ANY), 2..5),
        between in prop::sample::select(vec!["smooth", "straight"]),
    ) {
        let (count, lines) = (radii.len(), jitter.len());
        let last = count - 1;
        let share = |k: usize, i: usize| {
            let lean = jitter[k].0 + (jitter[k].1 - jitter[k].0) * i as f64 / last as f64;
            (turn + k as f64 / lines as f64 + lean).rem_euclid(1.0)
        };
        let of_line = |k: usize, way: fn(usize, usize) -> usize| {
            let kept = (0..count).filter(|&i| i == 0 || i == last || !jitter[k].2);
            json!({"places": kept.map(|i| place(way(i, last) + 1, 1, share(k, i))).collect::<Vec<_>>()})
        };
        let sections = |back: bool| -> Vec<Value> {
            let one = |i: usize| circle(&format!("s{i}"), 25.0 * i as f64, radii[i]);
            if back { (0..count).rev().map(one).collect() } else { (0..count).map(one).collect() }
        };
        let made = |back: bool| {
            let way = if back { |i: usize, last: usize| last - i } else { |i: usize, _: usize| i };
            let pairs: Vec<Value> = (0..lines).map(|k| of_line(k, way)).collect();
            recipe(loft(sections(back), json!({"between": between, "pairs": pairs})))
        };
        let recipe = made(false);
        let built = rebuild(&recipe);
        let body = report(&recipe, &built).bodies.remove(0);
        prop_assert!(body.watertight);
        let smooth = body.seams.iter().filter(|s| !s.edge.contains("cap") && between == "smooth");
        for seam in smooth {
            prop_assert!(seam.angle_deg < 0.01, "{} {}", seam.edge, seam.angle_deg);
        }
        prop_assert!(skin(&built).warnings.is_empty());
        let shown = &skin(&built).pairing.as_ref().unwrap().lines;
        for k in 0..lines {
            let line = shown.iter().find(|l| l.given == Some(k)).unwrap();
            for i in [0, last] {
                let angle = TAU * share(k, i);
                let at = [radii[i] * angle.cos(), radii[i] * angle.sin(), 25.0 * i as f64];
                // Places of two lines that stand alike in quarters of the circle to a millionth of the way round are led as one.
                let within = 1e-6 * TAU * radii[i];
                prop_assert!((line.ends[i].at - geometry::Point3::from(at)).norm() < within);
            }
        }
        let back = volume(&rebuild(&made(true)), count);
        prop_assert!((volume(&built, count) - back).abs() < 1e-4 * back);
    }
}
