//! Recipes that cut, join, enclose and combine, and what the closure ledger says of them.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::PI;

use made::{bodies, circle, failure, near, of, reached, rebuild, recipe, rectangle, step};
use part::{Edit, Outcome, Recipe, report};
use serde_json::{Value, json};

/// A cylinder of radius 10 along z from z = -20 to 20: a solid, or only its side.
fn upright(ends: &str) -> Vec<Value> {
    let made = json!({"profile": of("disc"), "length": 20, "back": 20, "ends": ends});
    vec![circle("disc", 0.0, 10.0), step("tube", "extrude", made)]
}

/// The same along y, its outline drawn in the xz plane.
fn lying(ends: &str) -> Vec<Value> {
    let outline = json!({"plane": "xz", "curves": [{"id": "c", "kind": "circle", "points": [[0, 0]], "values": {"radius": 10}}]});
    let made = json!({"profile": of("disc_2"), "length": 20, "back": 20, "ends": ends});
    vec![step("disc_2", "drawing", outline), step("tube_2", "extrude", made)]
}

fn block(id: &str, [x0, y0, x1, y1]: [f64; 4], length: f64, back: f64) -> Vec<Value> {
    let outline = format!("{id}_outline");
    let made = json!({"profile": of(&outline), "length": length, "back": back});
    vec![rectangle(&outline, "xy", 0.0, [x0, y0, x1, y1]), step(id, "extrude", made)]
}

fn with(parts: Vec<Vec<Value>>, last: Value) -> Recipe {
    recipe(parts.into_iter().flatten().chain([last]).collect())
}

fn total(recipe: &Recipe) -> f64 {
    let rebuilt = rebuild(recipe);
    let last = rebuilt.steps.len() - 1;
    if let Outcome::Failed(notice) = &rebuilt.steps[last].outcome {
        panic!("{notice:?}");
    }
    bodies(&rebuilt, last).iter().map(|b| b.measure().volume).sum()
}

#[test]
fn two_crossing_outlines_enclose_the_body_of_steinmetz() {
    // IN-01: two cylinders of radius r at right angles have 16 r^3 / 3 in common.
    let made = json!({"shapes": [of("tube"), of("tube_2")]});
    let recipe = with(vec![upright("open"), lying("open")], step("body", "enclose", made));
    near(total(&recipe), 16.0 / 3.0 * 1000.0, 1e-5);
    assert!(report(&recipe, &rebuild(&recipe)).ready);
    // The same of solids.
    for (what, volume) in [
        ("common", 16.0 / 3.0 * 1000.0),
        ("union", 2.0 * PI * 100.0 * 40.0 - 16.0 / 3.0 * 1000.0),
        ("subtract", PI * 100.0 * 40.0 - 16.0 / 3.0 * 1000.0),
    ] {
        let (solids, others) = if what == "subtract" {
            (json!([of("tube")]), json!([of("tube_2")]))
        } else {
            (json!([of("tube"), of("tube_2")]), json!([]))
        };
        let made = json!({"what": what, "solids": solids, "others": others});
        near(
            total(&with(vec![upright("closed"), lying("closed")], step("body", "combine", made))),
            volume,
            1e-5,
        );
    }
}

#[test]
fn the_chosen_piece_stays_chosen_when_the_plane_moves() {
    let at = |height: f64, pieces: Value, chosen: &str| {
        let plane = step("cut", "plane", json!({"from": "xy", "distance": height}));
        let made = json!({"surfaces": [of("tube")], "by": [of("cut")], "pieces": pieces, "chosen": chosen});
        with(vec![upright("closed"), vec![plane]], step("trimmed", "trim", made))
    };
    // Nothing is chosen at first, so that all of it stays.
    let recipe = at(5.0, json!([]), "removed");
    let rebuilt = rebuild(&recipe);
    let built = rebuilt.built(3).unwrap();
    let keys: Vec<&str> = built.pieces.iter().map(|p| p.key.as_str()).collect();
    assert_eq!(keys, ["{tube}: behind {cut}", "{tube}: in front of {cut}"]);
    near(total(&recipe), PI * 100.0 * 40.0, 1e-7);
    for height in [5.0, -12.5, 19.0] {
        let upper = json!(["{tube}: in front of {cut}"]);
        near(total(&at(height, upper.clone(), "removed")), PI * 100.0 * (20.0 + height), 1e-6);
        near(total(&at(height, upper, "kept")), PI * 100.0 * (20.0 - height), 1e-6);
    }
    // A piece that is gone is told.
    let recipe = at(5.0, json!(["{tube}: in front of {nobody}"]), "removed");
    let rebuilt = rebuild(&recipe);
    assert!(rebuilt.built(3).unwrap().warnings[0].message.contains("no longer there"));
    // A plane that misses cuts nothing.
    let recipe = at(30.0, json!([]), "removed");
    assert!(failure(&rebuild(&recipe), 3).message.contains("stays whole"));
}

#[test]
fn surfaces_cut_each_other_and_join_into_a_solid() {
    let floor = step("lid", "flat_face", json!({"outlines": [of("square")]}));
    let parts =
        vec![upright("open"), vec![rectangle("square", "xy", 8.0, [-30.0, -30.0, 30.0, 30.0]), floor]];
    let foot = step("foot", "flat_face", json!({"outlines": [of("square_2")]}));
    let below = vec![rectangle("square_2", "xy", -6.0, [-30.0, -30.0, 30.0, 30.0]), foot];
    let surfaces = json!([of("tube"), of("lid"), of("foot")]);
    let pieces = json!([
        "{tube}: in front of {lid}",
        "{tube}: behind {foot}",
        "{lid}: behind {tube}",
        "{foot}: behind {tube}",
    ]);
    let trim = step("cut", "trim", json!({"surfaces": surfaces, "pieces": pieces}));
    let join = step("body", "joined_surface", json!({"surfaces": [of("cut")]}));
    // The side of an open extrusion faces inwards here, so that what is outside lies behind it.
    let parts = parts.into_iter().chain([below, vec![trim]]).collect::<Vec<_>>();
    near(total(&with(parts, join)), PI * 100.0 * 14.0, 1e-6);
}

#[test]
fn what_cannot_be_combined_says_why_and_where() {
    let hole = block("hole", [-2.0, -2.0, 2.0, 2.0], 30.0, 30.0);
    let all = block("all", [-50.0, -50.0, 50.0, 50.0], 50.0, 50.0);
    let far = block("far", [60.0, 0.0, 70.0, 10.0], 5.0, 0.0);
    let subtract = |other: &str| json!({"what": "subtract", "solids": [of("tube")], "others": [of(other)]});
    let recipe = with(vec![upright("closed"), hole.clone()], step("bored", "combine", subtract("hole")));
    near(total(&recipe), 40.0 * (PI * 100.0 - 16.0), 1e-6);
    let nothing = with(vec![upright("closed"), all], step("none", "combine", subtract("all")));
    let notice = failure(&rebuild(&nothing), 4);
    assert!(notice.message.contains("nothing is left") && notice.at.is_some(), "{notice:?}");
    let idle = with(vec![upright("closed"), far], step("same", "combine", subtract("far")));
    let rebuilt = rebuild(&idle);
    let warning = &rebuilt.built(4).unwrap().warnings[0];
    assert!(warning.message.contains("does not reach them") && warning.at.is_some(), "{warning:?}");
    let open = with(vec![upright("open"), hole], step("bad", "combine", subtract("hole")));
    let notice = failure(&rebuild(&open), 4);
    assert!(notice.message.contains("no solid") && notice.at.is_some(), "{notice:?}");
}

#[test]
fn a_leak_is_shown_where_it_is() {
    // The side of a cylinder and one lid: the other end is open.
    let plane = step("lid", "plane", json!({"from": "xy", "distance": 12}));
    let one = json!({"shapes": [of("tube"), of("lid")]});
    let recipe = with(vec![upright("open"), vec![plane.clone()]], step("body", "enclose", one));
    let notice = failure(&rebuild(&recipe), 3);
    assert!(
        notice.message.contains("leaks over this edge") && notice.message.contains("62.83"),
        "{notice:?}"
    );
    near(notice.at.unwrap()[2].abs(), 20.0, 1e-6);
    let floor = step("floor", "plane", json!({"from": "xy", "distance": -3}));
    let both = json!({"shapes": [of("tube"), of("lid"), of("floor")]});
    near(
        total(&with(vec![upright("open"), vec![plane, floor]], step("body", "enclose", both))),
        PI * 100.0 * 15.0,
        1e-6,
    );
}

#[test]
fn a_vessel_holds_what_the_handbook_says() {
    // A cup with a bore of radius 50 and a depth that a litre fills: 1e6 / (pi 50^2) mm. A US liquid quart is 57.75 cubic
    // inches, 32 fluid ounces (NIST Handbook 44, Appendix C).
    let depth = 1e6 / (PI * 2500.0);
    let cup = vec![
        circle("outside", 0.0, 60.0),
        step("body", "extrude", json!({"profile": of("outside"), "length": 200})),
        circle("inside", 10.0, 50.0),
        step("bore", "extrude", json!({"profile": of("inside"), "length": 300})),
        step("cup", "combine", json!({"what": "subtract", "solids": [of("body")], "others": [of("bore")]})),
        step("level", "plane", json!({"from": "xy", "distance": 10.0 + depth})),
    ];
    let recipe =
        with(vec![cup], step("water", "fill_to_level", json!({"vessel": [of("cup")], "level": of("level")})));
    let rebuilt = rebuild(&recipe);
    near(reached(&rebuilt, 6, "Holds, mm³"), 1e6, 1e-6);
    near(reached(&rebuilt, 6, "Holds, L"), 1.0, 1e-6);
    near(reached(&rebuilt, 6, "Holds, US quarts"), 1e6 / (57.75 * 16_387.064), 1e-6);
    near(reached(&rebuilt, 6, "Holds, US fl oz"), 32.0 * 1e6 / (57.75 * 16_387.064), 1e-6);
    // A cylinder fills evenly.
    let chart = rebuilt.built(6).unwrap().chart.clone().unwrap();
    for [height, litres] in &chart.points {
        assert!((litres - height / depth).abs() < 1e-5, "{height} {litres}");
    }
    // It is measured, not made: the part is the cup alone.
    let told = report(&recipe, &rebuilt);
    assert_eq!(told.bodies.len(), 1);
    assert_eq!(told.bodies[0].step, "cup");
}

#[test]
fn one_click_closes_what_is_open() {
    let mut recipe = recipe(upright("open"));
    let told = report(&recipe, &rebuild(&recipe));
    assert!(!told.ready);
    let item = told.ledger.iter().find(|i| i.id == "free_edges").unwrap();
    let cure = item.cure.clone().unwrap();
    assert_eq!(cure.label, "Cap the 2 openings of tube");
    for edit in cure.edits {
        recipe = edit.apply(&recipe).unwrap();
    }
    near(total(&recipe), PI * 100.0 * 40.0, 1e-7);
    assert!(report(&recipe, &rebuild(&recipe)).ready);
}

#[test]
fn the_recipe_is_built_up_to_its_hold_point() {
    let recipe = recipe([upright("closed"), lying("closed")].concat());
    let held = Edit::SetHold { step: Some("tube".into()) }.apply(&recipe).unwrap();
    let outcomes = |r: &Recipe| rebuild(r).steps.iter().map(|s| s.built().is_some()).collect::<Vec<_>>();
    assert_eq!(outcomes(&held), [true, true, false, false]);
    assert_eq!(rebuild(&held).steps[3].outcome, Outcome::Held);
    let gone = Edit::RemoveStep { step: "tube".into() }.apply(&held).unwrap();
    assert_eq!(gone.hold, None);
    let on = Edit::SetHold { step: None }.apply(&held).unwrap();
    assert_eq!(outcomes(&on), [true; 4]);
    assert!(Edit::SetHold { step: Some("nobody".into()) }.apply(&recipe).is_err());
}

#[test]
fn a_face_comes_back_to_its_natural_edges() {
    let plane = step("cut", "plane", json!({"from": "xy", "distance": 5}));
    let trim = step(
        "low",
        "trim",
        json!({"surfaces": [of("tube")], "by": [of("cut")], "pieces": ["{tube}: in front of {cut}"]}),
    );
    let parts = vec![upright("open"), vec![plane, trim]];
    let back = with(parts.clone(), step("whole", "restore", json!({"faces": [of("low")]})));
    let area = |recipe: &Recipe, index: usize| made::area(&rebuild(recipe), index);
    near(area(&back, 3), 2.0 * PI * 10.0 * 25.0, 1e-6);
    near(area(&back, 4), 2.0 * PI * 10.0 * 40.0, 1e-9);
    // A hole in a flat face is filled.
    let ring = vec![
        rectangle("sheet", "xy", 0.0, [-30.0, -30.0, 30.0, 30.0]),
        circle("hole", 0.0, 5.0),
        step("plate", "flat_face", json!({"outlines": [of("sheet"), of("hole")]})),
    ];
    let filled =
        with(vec![ring], step("full", "restore", json!({"faces": [of("plate")], "how": "openings"})));
    near(area(&filled, 2), 3600.0 - PI * 25.0, 1e-9);
    near(area(&filled, 3), 3600.0, 1e-12);
}

#[test]
fn meeting_curves_stay_inside_the_faces() {
    // The upright cylinder's side ends at z = ±20; a plane at x = 6 meets it in two lines of 40 mm.
    let side = rectangle("far", "yz", 6.0, [-50.0, -50.0, 50.0, 50.0]);
    let wall = step("wall", "flat_face", json!({"outlines": [of("far")]}));
    let made = json!({"first": of("tube"), "second": of("wall")});
    let recipe = with(vec![upright("open"), vec![side, wall]], step("meet", "meeting_curve", made));
    let rebuilt = rebuild(&recipe);
    let length: f64 = rebuilt
        .built(4)
        .unwrap()
        .reached
        .iter()
        .filter(|r| r.label.starts_with("Length"))
        .map(|r| r.value)
        .sum();
    near(length, 80.0, 1e-9);
}
