//! Recipes that cut, join, enclose and combine, and what the closure ledger says of them.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::PI;

use made::{bodies, circle, failure, near, of, reached, rebuild, recipe, rectangle, step};
use part::{Edit, Outcome, Recipe, report};
use proptest::prelude::*;
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
        "{lid}: in front of {tube}",
        "{foot}: in front of {tube}",
    ]);
    let trim = step("cut", "trim", json!({"surfaces": surfaces, "pieces": pieces}));
    let join = step("body", "joined_surface", json!({"surfaces": [of("cut")]}));
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
    let without = json!({"what": "subtract", "solids": [of("tube"), of("hole")]});
    let without = with(vec![upright("closed"), hole.clone()], step("both", "combine", without));
    assert!(failure(&rebuild(&without), 4).message.contains("pick what is taken away"));
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

#[test]
fn a_plane_through_the_seam_of_a_surface_meets_it_there_too() {
    // The tube's side begins and ends in the xz plane, which meets it in two lines of 40 mm.
    let made = json!({"first": of("tube"), "second": "xz"});
    let recipe = with(vec![upright("open")], step("meet", "meeting_curve", made));
    let rebuilt = rebuild(&recipe);
    let reached = &rebuilt.built(2).unwrap().reached;
    let length: f64 = reached.iter().filter(|r| r.label.starts_with("Length")).map(|r| r.value).sum();
    near(length, 80.0, 1e-9);
    // And cuts it into two halves there.
    let cut = json!({"surfaces": [of("tube")], "by": ["xz"], "pieces": ["{tube}: behind the XZ plane"]});
    let half = with(vec![upright("open")], step("half", "trim", cut));
    near(made::area(&rebuild(&half), 2), PI * 10.0 * 40.0, 1e-7);
}

#[test]
fn a_section_ends_where_the_face_was_trimmed() {
    // A plate with a hole of radius 5 under a plane through the hole's middle: two lines of 25 mm.
    let plate = vec![
        rectangle("sheet", "xy", 0.0, [-30.0, -30.0, 30.0, 30.0]),
        circle("hole", 0.0, 5.0),
        step("plate", "flat_face", json!({"outlines": [of("sheet"), of("hole")]})),
    ];
    let section = step("cut", "section_curve", json!({"surface": of("plate"), "plane": "xz"}));
    let rebuilt = rebuild(&with(vec![plate], section));
    let reached = &rebuilt.built(3).unwrap().reached;
    let lengths: Vec<f64> =
        reached.iter().filter(|r| r.label.starts_with("Length")).map(|r| r.value).collect();
    assert_eq!(lengths.len(), 2, "{lengths:?}");
    lengths.iter().for_each(|l| near(*l, 25.0, 1e-9));
}

#[test]
fn curves_on_a_surface_cut_it_as_they_are() {
    // IN-03, Viviani's windows: a cylinder of radius R / 2 through the middle of a sphere of radius R cuts 2 R^2 (pi - 2) out
    // of it, half of that above and half below.
    let arc = json!({"plane": "xz", "curves": [
        {"id": "c", "kind": "arc", "points": [[0, -10], [10, 0], [0, 10]]}]});
    let ball = vec![
        step("half_circle", "drawing", arc),
        step("ball", "revolve", json!({"profile": of("half_circle"), "axis": "z"})),
    ];
    let ring = json!({"plane": "xy", "curves": [
        {"id": "c", "kind": "circle", "points": [[5, 0]], "values": {"radius": 5}}]});
    let pipe = vec![
        step("ring", "drawing", ring),
        step("pipe", "extrude", json!({"profile": of("ring"), "length": 20, "back": 20, "ends": "open"})),
        step("window", "meeting_curve", json!({"first": of("ball"), "second": of("pipe")})),
    ];
    let open = step("skin", "restore", json!({"faces": [of("ball")], "how": "as_is"}));
    let cut = step("cut", "split", json!({"surfaces": [of("skin")], "by": [of("window")]}));
    let rebuilt = rebuild(&with(vec![ball, pipe, vec![open]], cut));
    let mut areas: Vec<f64> = bodies(&rebuilt, 6).iter().map(|b| b.measure().area).collect();
    areas.sort_by(f64::total_cmp);
    let windows = (PI - 2.0) * 100.0;
    assert_eq!(areas.len(), 3, "{areas:?}");
    near(areas[0], windows, 1e-4);
    near(areas[1], windows, 1e-4);
    near(areas[2], 400.0 * PI - 2.0 * windows, 1e-4);
}

#[test]
fn what_a_drawn_curve_leaves_on_its_left_stays_chosen() {
    // A plate of 60 by 60 and a closed curve drawn on it.
    let at = |shift: f64, pieces: Value| {
        let plate = vec![
            rectangle("sheet", "xy", 0.0, [-30.0, -30.0, 30.0, 30.0]),
            step("plate", "flat_face", json!({"outlines": [of("sheet")]})),
        ];
        let places = [[0.0, 0.5], [0.3, 0.5 + shift], [0.7, 0.5 - shift], [1.0, 0.5]];
        let line = step("line", "curve_on_surface", json!({"surface": of("plate"), "places": places}));
        let trim = json!({"surfaces": [of("plate")], "by": [of("line")], "pieces": pieces});
        with(vec![plate, vec![line]], step("half", "trim", trim))
    };
    let rebuilt = rebuild(&at(0.1, json!([])));
    let keys: Vec<&str> = rebuilt.built(3).unwrap().pieces.iter().map(|p| p.key.as_str()).collect();
    assert_eq!(keys, ["{plate}: right of {line}", "{plate}: left of {line}"]);
    for shift in [0.1, -0.2, 0.0] {
        let without = |side: &str| {
            let rebuilt = rebuild(&at(shift, json!([format!("{{plate}}: {side} of {{line}}")])));
            let low = topology::bounds(bodies(&rebuilt, 3)[0].shells()[0]).unwrap().0;
            (made::area(&rebuilt, 3), low.y)
        };
        // The curve runs along +x, so that its left is at +y; it is symmetrical about the plate's middle.
        let ((left, at_left), (right, at_right)) = (without("right"), without("left"));
        near(left, 1800.0, 1e-4);
        near(left + right, 3600.0, 1e-6);
        assert!(at_left > -29.0 && at_right < -29.0, "{at_left} {at_right}");
    }
    // One that ends inside the plate cuts nothing.
    let plate = vec![
        rectangle("sheet", "xy", 0.0, [-30.0, -30.0, 30.0, 30.0]),
        step("plate", "flat_face", json!({"outlines": [of("sheet")]})),
        step("line", "curve_on_surface", json!({"surface": of("plate"), "places": [[0.0, 0.5], [0.6, 0.5]]})),
    ];
    let trim = step("half", "trim", json!({"surfaces": [of("plate")], "by": [of("line")]}));
    let notice = failure(&rebuild(&with(vec![plate], trim)), 3);
    assert!(notice.message.contains("ends here") && notice.at.is_some(), "{notice:?}");
}

#[test]
fn an_outline_is_added_to_a_solid_or_cut_from_it_in_one_step() {
    // A block of 40 x 40 x 20 about the origin.
    let made = |make: Value| {
        let mut make = make;
        make["profile"] = of("disc");
        make["solid"] = of("block");
        let body = block("block", [-20.0, -20.0, 20.0, 20.0], 10.0, 10.0);
        with(vec![body, vec![circle("disc", 0.0, 5.0)]], step("made", "extrude", make))
    };
    let (all, disc) = (40.0 * 40.0 * 20.0, PI * 25.0);
    for (make, volume) in [
        (json!({"extent": "through", "then": "cut"}), all - 10.0 * disc),
        (json!({"extent": "through", "then": "cut", "ways": "backwards"}), all - 10.0 * disc),
        (json!({"extent": "through", "then": "cut", "ways": "both"}), all - 20.0 * disc),
        (json!({"length": 4, "then": "cut"}), all - 4.0 * disc),
        (json!({"length": 25, "then": "added"}), all + 15.0 * disc),
        (json!({"length": 25, "back": 30}), all + 35.0 * disc),
        (json!({"length": 25, "then": "common"}), 10.0 * disc),
    ] {
        near(total(&made(make)), volume, 1e-6);
    }
    // The block and the disc are in what is made, so that only this is left as a result.
    let recipe = made(json!({"extent": "through", "then": "cut"}));
    assert_eq!(rebuild(&recipe).results().collect::<Vec<_>>(), [3]);
    let high = |make: Value| {
        let mut recipe = serde_json::to_value(made(make)).unwrap();
        recipe["steps"][2]["make"]["drawing"]["offset"] = json!(15);
        rebuild(&Recipe::from_value(recipe).unwrap())
    };
    let notice = failure(&high(json!({"extent": "through", "then": "cut"})), 3);
    assert!(notice.message.contains("the other way"), "{notice:?}");
    near(
        made::volume(&high(json!({"extent": "through", "then": "cut", "ways": "backwards"})), 3),
        all - 20.0 * disc,
        1e-6,
    );
    let idle = high(json!({"length": 4, "then": "cut"}));
    assert!(idle.built(3).unwrap().warnings[0].message.contains("does not reach"));
}

#[test]
fn a_surface_that_passes_through_itself_is_told_and_is_no_solid() {
    // A closed outline in the shape of an eight, drawn out: its sides cross along a line.
    let eight = [[-20, 0], [-10, 10], [10, -10], [20, 0], [10, 10], [-10, -10], [-20, 0]];
    let outline = json!([{"id": "c", "kind": "polyline", "points": eight}]);
    let steps = vec![
        made::drawing("eight", "xy", 0.0, outline),
        step("sides", "extrude", json!({"profile": of("eight"), "length": 20, "ends": "open"})),
    ];
    let recipe = recipe(steps);
    let rebuilt = rebuild(&recipe);
    let full = report(&recipe, &rebuilt);
    let item = full.ledger.iter().find(|i| i.id == "self_crossing").unwrap();
    let at = item.at.unwrap();
    assert_eq!((item.value.as_str(), item.state), ("yes", "left"));
    assert!(at[0].abs() < 1e-6 && at[1].abs() < 1e-6, "{at:?}");
    assert!(!full.ready);
}

#[test]
fn faces_taken_from_a_solid_are_joined_into_one_again_by_one_click() {
    let taken = step("skin", "restore", json!({"faces": [of("tube")], "how": "as_is"}));
    let recipe = with(vec![upright("closed")], taken);
    let before = report(&recipe, &rebuild(&recipe));
    assert_eq!(before.headline, "Not yet a solid: 1 thing left");
    let item = before.ledger.iter().find(|i| i.id == "watertight").unwrap();
    let cure = item.cure.clone().unwrap();
    assert_eq!((item.value.as_str(), cure.label.as_str()), ("no", "Join skin into a solid"));
    let cured = Edit::All { edits: cure.edits }.apply(&recipe).unwrap();
    let rebuilt = rebuild(&cured);
    assert!(report(&cured, &rebuilt).ready);
    near(made::volume(&rebuilt, 3), PI * 100.0 * 40.0, 1e-9);
}

/// A strip of bent sheet, legs of some lengths that turn right or left by angles in degrees, cut by a block to the part of its width
/// between two shares of it. What is left is the length along its middle times thickness times width.
fn bent_strip_cut(legs: &[f64], turns: &[f64], [thick, wide]: [f64; 2], shares: [f64; 2]) {
    const RADIUS: f64 = 3.0;
    let (mut points, mut way, mut length) = (vec![[0.0, 0.0]], 0.0_f64, 0.0);
    for (k, leg) in legs.iter().enumerate() {
        let [x, y] = points[k];
        points.push([x + leg * way.cos(), y + leg * way.sin()]);
        length += leg;
        if let Some(turn) = turns.get(k).filter(|_| k + 1 < legs.len()) {
            // Back and forth, so that it never runs into itself.
            let turn = if k % 2 == 0 { turn.to_radians() } else { -turn.to_radians() };
            way += turn;
            length += RADIUS * (turn.abs() - 2.0 * (0.5 * turn.abs()).tan());
        }
    }
    let rounded = (1..legs.len()).rev();
    let changes: Vec<Value> =
        rounded.map(|k| json!({"change": "fillet", "curve": "c", "corner": k, "radius": RADIUS})).collect();
    let line = json!({"plane": "xz", "curves": [{"id": "c", "kind": "polyline", "points": points}], "changes": changes});
    let [from, to] = shares.map(|s| wide * (s - 0.5));
    let reach = legs.iter().sum::<f64>() + 10.0;
    let strip = vec![
        step("line", "drawing", line),
        step(
            "middle",
            "extrude",
            json!({"profile": of("line"), "length": 0.5 * wide, "back": 0.5 * wide, "ends": "open"}),
        ),
        step("strip", "thicken", json!({"surface": of("middle"), "side": "both", "thickness": 0.5 * thick})),
    ];
    let cut = json!({"what": "common", "solids": [of("strip"), of("block")]});
    let made = with(
        vec![strip, block("block", [-10.0, from, reach, to], reach, reach)],
        step("left", "combine", cut),
    );
    near(total(&made), length * thick * (to.min(0.5 * wide) - from.max(-0.5 * wide)), 1e-7);
    assert!(report(&made, &rebuild(&made)).ready);
}

#[test]
fn a_bent_bracket_is_cut_where_places_of_its_bends_are_looked_for() {
    // Beside a bend, where it goes on into a leg, a step led to another place, which was taken for the one that was looked for.
    bent_strip_cut(&[24.0, 18.0, 30.0, 18.0, 24.0], &[90.0; 4], [1.5, 40.0], [-1.0 / 18.0, 17.0 / 18.0]);
    bent_strip_cut(&[24.0, 18.0, 30.0], &[90.0; 2], [1.5, 40.0], [0.5, 0.875]);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn a_bent_strip_is_cut_at_any_place_of_its_width(
        bends in prop::collection::vec((14.0..30.0_f64, prop_oneof![Just(90.0), Just(45.0), 20.0..100.0_f64]), 2..6),
        thick in 0.4..2.0_f64,
        wide in 20.0..60.0_f64,
        parts in prop::sample::select(vec![2_u32, 3, 4, 6, 8, 9, 12, 18, 24, 36]),
        place in 0.0..1.0_f64,
        even in any::<bool>(),
    ) {
        let (legs, turns): (Vec<f64>, Vec<f64>) = bends.into_iter().unzip();
        let share = if even { (place * f64::from(parts - 1)).floor() / f64::from(parts) } else { place };
        bent_strip_cut(&legs, &turns, [thick, wide], [share, 1.1]);
        if share > 0.05 {
            bent_strip_cut(&legs, &turns, [thick, wide], [-0.1, share]);
        }
    }
}
