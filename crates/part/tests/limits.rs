//! What a recipe may hold and what a step may use: every limit is refused or failed by its name, before the work.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::time::{Duration, Instant};

use part::{Budget, Cancel, Edit, Outcome, Rebuilder, Rebuilt, Recipe, RecipeError, report};
use serde_json::{Value, json};

use made::rebuild;

fn drawing(id: &str, kind: &str, points: Value, values: Value) -> Value {
    json!({"id": id, "name": id, "make": {"drawing": {"plane": "xz",
        "curves": [{"id": "c", "kind": kind, "points": points, "values": values}]}}})
}

fn profile() -> Value {
    drawing("p", "through_points", json!([[10, 0], [20, 20], [15, 40]]), json!({}))
}

fn recipe(parameters: Value, steps: Value) -> Value {
    json!({"format": "kindred-shell-recipe", "version": 3, "name": "Limits", "parameters": parameters, "steps": steps})
}

fn rebuilt(parameters: Value, steps: Value) -> Rebuilt {
    rebuild(&Recipe::from_value(recipe(parameters, steps)).unwrap())
}

fn outcome_of<'a>(rebuilt: &'a Rebuilt, step: &str) -> &'a Outcome {
    &rebuilt.steps.iter().find(|s| s.step == step).unwrap().outcome
}

fn refusal(value: Value) -> String {
    Recipe::from_value(value).unwrap_err().to_string()
}

#[test]
fn more_than_a_recipe_may_hold_is_refused_by_the_name_of_the_limit() {
    let parameter =
        |k: usize, formula: String| json!({"name": format!("a{k}"), "quantity": "ratio", "formula": formula});
    let many = |n: usize| (0..n).map(|k| parameter(k, "1".into())).collect::<Vec<_>>();
    let points = |n: usize| (0..n).map(|k| json!([k, k])).collect::<Vec<_>>();
    let curve = |k: usize, n: usize| json!({"id": format!("c{k}"), "kind": "polyline", "points": points(n)});
    let drawn = |curves: Vec<Value>| json!([{"id": "d", "name": "d", "make": {"drawing": {"plane": "xy", "curves": curves}}}]);
    let joined = json!({"joined_curve": {"curves": vec![json!({"step": "p"}); 2001]}});
    for (value, expected) in [
        (recipe(json!(many(1001)), json!([])), "1001 parameters, and at most 1000"),
        (recipe(json!([]), json!(vec![profile(); 2001])), "2001 steps, and at most 2000"),
        (recipe(json!([parameter(0, "1+".repeat(500) + "1")]), json!([])), "characters in one formula"),
        (
            recipe(
                json!((0..150).map(|k| parameter(k, "1+".repeat(400) + "1")).collect::<Vec<_>>()),
                json!([]),
            ),
            "characters in the formulas of its parameters, and at most 100000",
        ),
        (
            recipe(
                json!([{"name": "a", "quantity": "ratio", "formula": 1, "note": "n".repeat(2001)}]),
                json!([]),
            ),
            "characters in one note",
        ),
        (recipe(json!([]), drawn(vec![curve(0, 2001)])), "2001 points on one curve"),
        (recipe(json!([]), drawn((0..11).map(|k| curve(k, 1900)).collect())), "20900 points in one drawing"),
        (recipe(json!([]), drawn((0..501).map(|k| curve(k, 2)).collect())), "501 curves in one drawing"),
        (
            recipe(json!([]), json!([profile(), {"id": "j", "name": "j", "make": joined}])),
            "2001 shapes in one step's slots",
        ),
    ] {
        let told = refusal(value);
        assert!(told.contains(expected), "{expected}: {told}");
        assert!(told.len() < 400, "{told}");
    }
}

#[test]
fn ids_have_one_form_and_texts_hold_no_control_characters() {
    let good = recipe(json!([]), json!([profile()]));
    for (pointer, bad, expected) in [
        ("/steps/0/id", "<b>", "`<b>` cannot be a step's id; use letters, digits, spaces and - _ . only"),
        ("/steps/0/make/drawing/curves/0/id", "a/b", "cannot be a curve's id"),
        ("/steps/0/make/drawing/curves/0/id", "{p}", "cannot be a curve's id"),
        ("/name", "a\u{0}b", "`a\\u{0}b` cannot be a part's name; leave control characters out"),
        ("/steps/0/name", "a\nb", "`a\\nb` cannot be a step's name"),
        ("/steps/0/name", "", "give at least one letter"),
    ] {
        let mut value = good.clone();
        *value.pointer_mut(pointer).unwrap() = bad.into();
        let told = refusal(value);
        assert!(told.contains(expected), "{pointer}: {told}");
    }
    for fine in ["漏斗 №1", "Größe_2.b", "x-y", "ю"] {
        let mut value = good.clone();
        *value.pointer_mut("/steps/0/make/drawing/curves/0/id").unwrap() = fine.replace('№', "n").into();
        Recipe::from_value(value).unwrap();
    }
    let mut value = good.clone();
    value["steps"][0]["group"] = "a|b".into();
    assert!(refusal(value).contains("a group's name"));
    let mut value = good;
    value["hold"] = "q".into();
    assert!(refusal(value).contains(
        "no step to hold at `q`; somebody may have removed it, so load the part again (nearest there: p)"
    ));
}

#[test]
fn ids_of_the_first_version_get_their_form_wherever_they_stand() {
    let mut old = recipe(
        json!([]),
        json!([
            drawing("d<1>", "polyline", json!([[5, 0], [9, 0], [9, 4]]), json!({})),
            {"id": "d-1-", "name": "Taken", "group": "A & B", "make": {"revolve": {"profile": {"step": "d<1>", "item": "c/1"}}}},
            {"id": "t", "name": "t", "make": {"thicken": {"surface": {"step": "d-1-"}, "thickness": 1}}},
            {"id": "f", "name": "f", "make": {"fillet": {"edges": [{"step": "t", "item": "edge {d<1>} / c/1 1 | x"}], "radius": 1}}},
        ]),
    );
    old["version"] = 1.into();
    old["hold"] = "t".into();
    old["steps"][0]["make"]["drawing"]["curves"][0]["id"] = "c/1".into();
    let new = serde_json::to_value(Recipe::from_value(old).unwrap()).unwrap();
    assert_eq!(new["version"], 3);
    let drawing = new["steps"][0]["id"].as_str().unwrap();
    assert_eq!(drawing, "d-1- 2", "the plain form was taken");
    assert_eq!(new["steps"][1]["make"]["revolve"]["profile"], json!({"step": drawing, "item": "c-1"}));
    assert_eq!(new["steps"][1]["group"], "A - B");
    assert_eq!(new["steps"][3]["make"]["fillet"]["edges"][0]["item"], "edge {d-1- 2} / c-1 1 | x");
    // Names that people read stay, and a second reading changes nothing.
    assert_eq!(serde_json::to_value(Recipe::from_value(new.clone()).unwrap()).unwrap(), new);
}

/// A thousand parameters that each use twenty others took minutes, since each was looked at once for every other.
#[test]
fn parameters_are_checked_in_time_that_grows_with_what_is_written() {
    let formula = |k: usize| match k {
        0 => "1".to_string(),
        k => (k.saturating_sub(19)..k).map(|j| format!("a{j}")).collect::<Vec<_>>().join("+"),
    };
    // From behind, which is the worst order.
    let parameters: Vec<Value> = (0..900)
        .rev()
        .map(|k| json!({"name": format!("a{k}"), "quantity": "ratio", "formula": format!("min(1, {})", formula(k))}))
        .collect();
    let value = recipe(json!(parameters), json!([profile()]));
    let started = Instant::now();
    let recipe = Recipe::from_value(value).unwrap();
    assert!(started.elapsed() < Duration::from_secs(3), "{:?}", started.elapsed());
    let rebuilt = Rebuilder::new().rebuild(&recipe, &Cancel::default(), &|_| ()).unwrap();
    assert!(report(&recipe, &rebuilt).parameters[0].drives.is_empty());
}

#[test]
fn numbers_beyond_all_measure_fail_their_step_by_name() {
    for height in [1e14, 1e150, -1e14, 1.0000001e6] {
        let rectangle = drawing("d", "rectangle", json!([[-4, -2]]), json!({"width": 8, "height": height}));
        let path = drawing("p", "polyline", json!([[0, 0], [30, 0], [60, 40]]), json!({}));
        let sweep = json!({"id": "s", "name": "s", "make": {"sweep": {"path": {"step": "p"}, "sections": [{"step": "d"}]}}});
        let made = rebuilt(json!([]), json!([path, rectangle, sweep]));
        let Outcome::Failed(notice) = outcome_of(&made, "d") else { panic!("{height}") };
        assert!(notice.message.contains("within 1000 m"), "{}", notice.message);
        assert_eq!(notice.input.as_deref(), Some("curves/c/height"));
    }
}

#[test]
fn values_outside_the_ranges_of_a_description_fail_wherever_they_come_from() {
    let turned = |angle: Value| {
        json!([profile(), {"id": "r", "name": "r", "make": {"revolve": {"profile": {"step": "p"}, "turn": angle}}},
            {"id": "t", "name": "t", "make": {"thicken": {"surface": {"step": "r"}, "thickness": 1}}}])
    };
    let fine = rebuilt(json!([]), turned(json!("360 deg")));
    assert!(matches!(outcome_of(&fine, "r"), Outcome::Built(_)));
    let far = rebuilt(json!([]), turned(json!("500 deg")));
    let Outcome::Failed(notice) = outcome_of(&far, "r") else { panic!("it turned by 500 deg") };
    assert_eq!(notice.input.as_deref(), Some("turn"));
}

#[test]
fn copies_of_copies_are_refused_before_they_are_made() {
    let copy = |id: &str, of: &str, spacing: f64| json!({"id": id, "name": id, "make": {"pattern": {"of": {"step": of}, "way": "line", "axis": "z", "spacing": spacing, "count": 30}}});
    let revolve = json!({"id": "r", "name": "r", "make": {"revolve": {"profile": {"step": "p"}}}});
    let steps =
        json!([profile(), revolve, copy("a", "r", 50.0), copy("b", "a", 2000.0), copy("c", "b", 90000.0)]);
    let started = Instant::now();
    let made = rebuilt(json!([]), steps);
    let Outcome::Failed(notice) = outcome_of(&made, "c") else { panic!("27,000 were made") };
    assert!(notice.message.contains("at most 20000"), "{}", notice.message);
    assert!(started.elapsed() < Duration::from_secs(10), "{:?}", started.elapsed());
}

#[test]
fn nets_are_not_made_larger_than_they_may_be_before_that_is_refused() {
    let changes = [
        json!({"change": "evenly", "along": "both", "count": 100_000_000}),
        json!({"change": "recast", "along": "both", "points": 10_000, "degree": 3}),
        json!({"change": "evenly", "along": "both", "count": 18_446_744_073_709_551_615_u64}),
    ];
    for change in changes {
        let steps = json!([profile(), {"id": "s", "name": "s", "make": {"extrude": {"profile": {"step": "p"}, "length": 30}}},
            {"id": "x", "name": "x", "make": {"reshape": {"surface": {"step": "s"}, "changes": [change]}}}]);
        let started = Instant::now();
        let made = rebuilt(json!([]), steps);
        let Outcome::Failed(notice) = outcome_of(&made, "x") else { panic!("it was made") };
        assert!(notice.message.contains("more than 400 control points"), "{}", notice.message);
        assert!(started.elapsed() < Duration::from_secs(2), "{:?}", started.elapsed());
    }
}

fn many_cuts() -> Recipe {
    let mut steps = vec![
        drawing("d", "circle", json!([[0, 0]]), json!({"radius": 40})),
        json!({"id": "s0", "name": "s0", "make": {"extrude": {"profile": {"step": "d"}, "length": 90}}}),
    ];
    for k in 1..40 {
        let across = json!({"plane": "yz", "curves": [{"id": "c", "kind": "circle", "points": [[f64::from(k) * 2.1, f64::from(k % 7) - 3.0]], "values": {"radius": 0.9}}]});
        steps.push(json!({"id": format!("d{k}"), "name": "d", "make": {"drawing": across}}));
        steps.push(json!({"id": format!("e{k}"), "name": "e", "make": {"extrude": {"profile": {"step": format!("d{k}")}, "length": 60, "ways": "both"}}}));
        steps.push(json!({"id": format!("s{k}"), "name": "s", "make": {"combine": {"what": "subtract",
            "solids": [{"step": format!("s{}", k - 1)}], "others": [{"step": format!("e{k}")}]}}}));
    }
    Recipe::from_value(recipe(json!([]), json!(steps))).unwrap()
}

#[test]
fn a_step_that_uses_up_its_time_fails_by_name_and_the_rest_is_built() {
    let recipe = many_cuts();
    let budget = Budget { time: Duration::from_nanos(1), ..Budget::default() };
    let rebuilt = Rebuilder::new().with_budget(budget).rebuild(&recipe, &Cancel::default(), &|_| ()).unwrap();
    let failed: Vec<_> = rebuilt
        .steps
        .iter()
        .filter_map(|s| if let Outcome::Failed(n) = &s.outcome { Some((s.step.as_str(), n)) } else { None })
        .collect();
    assert!(!failed.is_empty());
    for (step, notice) in failed {
        assert!(
            notice.message.contains("not done after") && notice.message.contains("take simpler inputs"),
            "{step}: {}",
            notice.message
        );
    }
}

#[test]
fn a_stop_is_heard_inside_a_long_step() {
    let recipe = many_cuts();
    let whole = Instant::now();
    Rebuilder::new().rebuild(&recipe, &Cancel::default(), &|_| ()).unwrap();
    let whole = whole.elapsed();
    for share in [0.2, 0.5, 0.8] {
        // A busy machine can hold up one try; a loop that does not listen holds up all of them.
        let late = (0..4).map(|_| lateness_of_a_stop(&recipe, whole.mul_f64(share))).min().unwrap();
        assert!(late < Duration::from_millis(250), "{late:?} after the stop");
    }
}

fn lateness_of_a_stop(recipe: &Recipe, after: Duration) -> Duration {
    let cancel = Cancel::default();
    let switch = cancel.clone();
    let asked = std::thread::spawn(move || {
        std::thread::sleep(after);
        switch.cancel();
        Instant::now()
    });
    let rebuilt = Rebuilder::new().rebuild(recipe, &cancel, &|_| ()).unwrap();
    let ended = Instant::now();
    assert!(rebuilt.steps.iter().all(|s| !matches!(s.outcome, Outcome::Failed(_))), "a stop is no failure");
    ended.saturating_duration_since(asked.join().unwrap())
}

#[test]
fn edits_whose_outcome_could_not_be_read_again_are_refused() {
    let recipe = Recipe::from_value(recipe(json!([]), json!([profile()]))).unwrap();
    let edit = |value: Value| serde_json::from_value::<Edit>(value).unwrap().apply(&recipe);
    let scaled = |factor: f64| json!({"edit": "scale_points", "step": "p", "curve": "c", "points": [1], "factor": factor, "about": [0, 0]});
    edit(scaled(2.0)).unwrap();
    for bad in [
        scaled(1e300),
        json!({"edit": "move_point", "step": "p", "curve": "c", "index": 18_446_744_073_709_551_615_u64, "to": [1, 1]}),
        json!({"edit": "all", "edits": []}),
        json!({"edit": "all", "edits": vec![json!({"edit": "rename_part", "name": "x"}); 2001]}),
        json!({"edit": "set_hold", "step": "q"}),
        json!({"edit": "reshape_curve", "step": "p", "curve": "c", "to": {"insert_knots": 18_446_744_073_709_551_615_u64}}),
        json!({"edit": "copy_drawing", "step": "p", "planes": vec!["xz"; 3000]}),
    ] {
        let told = edit(bad.clone());
        assert!(told.is_err(), "{bad} was taken");
    }
    let there = edit(json!({"edit": "rename_step", "step": "P", "name": "x"})).unwrap_err();
    assert!(matches!(&there, RecipeError::NoTarget { there, .. } if there == "p"), "{there}");
}

#[test]
fn a_name_that_is_gone_is_answered_with_the_nearest_ones() {
    let steps = json!([profile(), {"id": "r", "name": "r", "make": {"revolve": {"profile": {"step": "p"}}}},
        {"id": "t", "name": "t", "make": {"thicken": {"surface": {"step": "r"}, "thickness": 1}}},
        {"id": "f", "name": "f", "make": {"fillet": {"edges": [{"step": "t", "item": "edge nobody"}], "radius": 0.1}}}]);
    let made = rebuilt(json!([]), steps);
    let Outcome::Failed(notice) = outcome_of(&made, "f") else { panic!("it was found") };
    assert!(notice.message.contains("nearest there: edge "), "{}", notice.message);
}
