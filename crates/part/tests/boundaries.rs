//! Surfaces that boundaries make, and surfaces shaped by hand, as steps: what their cards are told, and how they stay linked.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::PI;

use made::*;
use part::{Edit, body_names, report};
use proptest::prelude::*;
use serde_json::{Value, json};

/// An upright tube of a radius and its upper border.
fn tube(radius: f64, height: f64) -> Vec<Value> {
    vec![
        circle("ring", 0.0, radius),
        step("tube", "extrude", json!({"profile": of("ring"), "length": height, "ends": "open"})),
    ]
}

fn rim(side: &str) -> Value {
    json!({"step": "tube", "item": format!("edge {{ring}} / curve 1, {side}")})
}

#[test]
fn a_tube_is_closed_by_patches_into_a_solid() {
    let with = |agrees: &str, tension: f64| {
        let mut steps = tube(20.0, 30.0);
        steps.push(step(
            "top",
            "patch",
            json!({"edges": [rim("u end")], "agrees": [agrees], "tension": tension}),
        ));
        steps.push(step("bottom", "patch", json!({"edges": [rim("u start")]})));
        steps.push(step("all", "joined_surface", json!({"surfaces": [of("tube"), of("top"), of("bottom")]})));
        recipe(steps)
    };
    // In position only a patch in a plane border is flat: a cylinder, pi r^2 h.
    let flat = with("position", 0.0);
    let built = rebuild(&flat);
    near(volume(&built, 4), PI * 400.0 * 30.0, 1e-6);
    assert!(report(&flat, &built).ready);
    // Tangent to the upright wall it is a dome: more than a cone of that height holds, less than half a ball and a bit.
    let dome = volume(&rebuild(&with("tangent", 0.0)), 4) - PI * 400.0 * 30.0;
    let ball = 2.0 / 3.0 * PI * 8000.0;
    assert!((0.85 * ball..1.15 * ball).contains(&dome), "{dome} of {ball}");
    let taut = volume(&rebuild(&with("tangent", 5.0)), 4) - PI * 400.0 * 30.0;
    assert!(taut < dome, "{taut} {dome}");
    let built = rebuild(&with("curvature", 0.0));
    let figures: Vec<f64> =
        built.built(2).unwrap().reached.iter().filter(|r| r.label == "Edge 1").map(|r| r.value).collect();
    let [gap, angle, share] = figures[..] else { panic!("{figures:?}") };
    assert!(gap <= 1e-3 && angle.to_degrees() <= 0.1 && share <= 0.02, "{figures:?}");
}

#[test]
fn a_patch_says_what_keeps_it_from_closing() {
    let square = |id: &str, a: [f64; 3], b: [f64; 3]| line(id, a, b);
    let sides = vec![
        square("a", [0.0; 3], [30.0, 0.0, 0.0]),
        square("b", [30.0, 0.0, 0.0], [30.0, 30.0, 10.0]),
        square("c", [0.0, 30.0, 0.0], [30.0, 30.0, 10.0]),
        square("d", [0.0, 30.0, 0.0], [0.0; 3]),
    ];
    let with = |make: Value| {
        let mut steps = sides.clone();
        steps.push(step("patch", "patch", make));
        rebuild(&recipe(steps))
    };
    // Any order will do.
    let made = with(json!({"edges": [of("c"), of("a"), of("d"), of("b")]}));
    assert!(area(&made, 4) > 900.0);
    let open = failure(&with(json!({"edges": [of("a"), of("b"), of("c")]})), 4);
    assert_eq!(open.input.as_deref(), Some("edges"));
    assert!(open.message.contains("open by 30.000 mm") && open.at.is_some(), "{}", open.message);
    let bare = failure(
        &with(json!({"edges": [of("a"), of("b"), of("c"), of("d")], "agrees": ["position", "tangent"]})),
        4,
    );
    assert!(bare.message.contains("edge 2 is no edge of a face"), "{}", bare.message);
    // Inner points: met to the fit tolerance, refused outside and far off, each about its slot.
    let edges = json!([of("a"), of("b"), of("c"), of("d")]);
    let made = with(json!({"edges": edges, "points": [[15, 15, 8]]}));
    assert!(reached(&made, 4, "Deviation reached") <= 1e-3);
    for (point, words) in [([60, 15, 0], "lies outside"), ([15, 15, 400], "off the edges")] {
        let refused = failure(&with(json!({"edges": edges, "points": [point]})), 4);
        assert_eq!(refused.input.as_deref(), Some("points"));
        assert!(refused.message.contains(words), "{}", refused.message);
    }
    assert_eq!(failure(&with(json!({"edges": edges, "tension": -1})), 4).input.as_deref(), Some("tension"));
}

#[test]
fn network_sides_take_over_and_inner_curves_cannot() {
    let arch = |id: &str, y: f64| {
        drawing(
            id,
            "xz",
            -y,
            json!([{"id": "curve 1", "kind": "through_points", "points": [[-20, 0], [0, 12], [20, 0]]}]),
        )
    };
    let steps = |agrees: Value| {
        let mut steps = vec![arch("a", 0.0)];
        steps.push(step("wall", "extrude", json!({"profile": of("a"), "length": 20})));
        steps.extend([arch("b", 40.0), arch("c", 70.0)]);
        for (id, x, z) in [("left", -20.0, 0.0), ("top", 0.0, 12.0), ("right", 20.0, 0.0)] {
            steps.push(line(id, [x, 0.0, z], [x, 70.0, z]));
        }
        let edge = json!({"step": "wall", "item": "edge {a} / curve 1, u start"});
        steps.push(step(
            "skin",
            "network",
            json!({"first": [edge, of("b"), of("c")], "first_agrees": agrees, "second": [of("left"), of("top"), of("right")]}),
        ));
        rebuild(&recipe(steps))
    };
    let made = steps(json!(["curvature"]));
    let label = "Edge 1 of the first family";
    let figures: Vec<f64> =
        made.built(7).unwrap().reached.iter().filter(|r| r.label == label).map(|r| r.value).collect();
    assert!(figures.len() == 3 && figures[1].to_degrees() < 0.1 && figures[2] < 0.02, "{figures:?}");
    let refused = failure(&steps(json!(["position", "tangent"])), 7);
    assert_eq!(refused.input.as_deref(), Some("first"));
    assert!(refused.message.contains("no edge of a face"), "{}", refused.message);
}

#[test]
fn a_bridge_leaves_in_the_direction_asked_for() {
    let wall = |id: &str, profile: &str, y: f64| {
        vec![
            line(profile, [0.0, y, 0.0], [30.0, y, 0.0]),
            step(
                id,
                "extrude",
                json!({"profile": of(profile), "direction": "axis", "axis": "z", "length": 10}),
            ),
        ]
    };
    let area_with = |more: Value| {
        let mut steps = wall("low", "p", 0.0);
        steps.extend(wall("far", "q", 40.0));
        let edge = |body: &str, profile: &str| json!({"step": body, "item": format!("edge {{{profile}}} / curve, u start")});
        let mut make =
            json!({"first": [edge("low", "p")], "second": [edge("far", "q")], "second_agrees": "position"});
        make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        steps.push(step("span", "bridge", make));
        area(&rebuild(&recipe(steps)), 4)
    };
    // The wall stands square to the way across: the bridge leaves it downwards, straight or leaning to one side.
    let straight = area_with(json!({}));
    near(area_with(json!({"first_leaves": "square"})), straight, 1e-9);
    let leaning = area_with(json!({"first_turn": "30 deg"}));
    assert!((leaning - straight).abs() > 1.0, "{leaning} {straight}");
    near(area_with(json!({"first_turn": "-30 deg"})), leaning, 1e-6);
    let refused = {
        let mut steps = wall("low", "p", 0.0);
        steps.push(step(
            "span",
            "bridge",
            json!({"first": [{"step": "low", "item": "edge {p} / curve, u start"}], "second": [of("p")], "first_turn": "89 deg"}),
        ));
        failure(&rebuild(&recipe(steps)), 2)
    };
    assert_eq!(refused.input.as_deref(), Some("first_turn"));
}

#[test]
fn edges_that_lie_along_each_other_are_reported_before_they_are_joined() {
    let mut steps = tube(20.0, 30.0);
    steps.push(step("top", "patch", json!({"edges": [rim("u end")], "agrees": ["tangent"]})));
    let recipe = recipe(steps);
    let told = report(&recipe, &rebuild(&recipe));
    assert_eq!(told.bodies.len(), 2);
    let [seam] = &told.open_seams[..] else { panic!("{:?}", told.open_seams) };
    assert_eq!(seam.meets, "G1");
    assert!(seam.gap_mm < 1e-3 && seam.angle_deg < 0.1);
    let steps: Vec<&str> = seam.items.iter().map(|r| r.step.as_str()).collect();
    assert!(steps.contains(&"tube") && steps.contains(&"top"), "{steps:?}");
}

/// A ruled sheet between two straight lines, 40 by 30 mm.
fn sheet() -> Vec<Value> {
    vec![
        line("p", [-20.0, 0.0, 0.0], [20.0, 0.0, 0.0]),
        line("q", [-20.0, 30.0, 0.0], [20.0, 30.0, 0.0]),
        step("sheet", "ruled", json!({"first": of("p"), "second": of("q")})),
    ]
}

fn reshaped(more: Value) -> part::Recipe {
    let mut steps = sheet();
    let mut make = json!({"surface": of("sheet")});
    make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    steps.push(step("shaped", "reshape", make));
    recipe(steps)
}

#[test]
fn points_are_moved_by_formulas_and_rows_counted_from_one() {
    let changes = json!([
        {"change": "raise", "along": "both", "degree": 3},
        {"change": "evenly", "along": "both", "count": 1},
        {"change": "move", "picks": [{"row": 1}], "by": [0, 0, "6 mm"]},
        {"change": "move", "picks": [{"point": [5, 5]}, {"column": 1}], "by": [0, 0, "3 mm"]},
    ]);
    let built = rebuild(&reshaped(json!({"changes": changes})));
    near(reached(&built, 3, "Rows"), 5.0, 1e-12);
    near(reached(&built, 3, "Largest move of a point"), 6.0, 1e-12);
    let net = built.built(3).unwrap().net.clone().unwrap();
    let z = |i: usize, j: usize| net.control_points()[(i - 1) * 5 + j - 1].z;
    for (i, j, height) in [(1, 1, 9.0), (1, 3, 6.0), (3, 1, 3.0), (5, 5, 3.0), (3, 3, 0.0)] {
        near(z(i, j) + 1.0, height + 1.0, 1e-9);
    }
    let beyond = reshaped(json!({"changes": [{"change": "move", "picks": [{"row": 9}], "by": [0, 0, 1]}]}));
    let refused = failure(&rebuild(&beyond), 3);
    assert!(refused.message.contains("2 rows and 2 columns"), "{}", refused.message);
    let zero = reshaped(json!({"changes": [{"change": "move", "picks": [{"row": 0}], "by": [0, 0, 1]}]}));
    assert!(failure(&rebuild(&zero), 3).message.contains("counted from 1"));
}

#[test]
fn a_pinching_end_is_cured_by_one_click() {
    let changes = json!([
        {"change": "raise", "along": "both", "degree": 3},
        {"change": "gather", "picks": [{"row": 4}], "at": {"midway": [[4, 1], [4, 4]]}},
        {"change": "move", "picks": [{"point": [3, 2]}], "by": [0, 0, 4]},
    ]);
    let recipe = reshaped(json!({"changes": changes}));
    let built = rebuild(&recipe);
    let [warning] = &built.built(3).unwrap().warnings[..] else { panic!() };
    assert!(warning.message.contains("pinches") && warning.at.is_some(), "{}", warning.message);
    let edits = warning.cure.clone().unwrap().edits;
    let cured = Edit::All { edits }.apply(&recipe).unwrap();
    assert!(rebuild(&cured).built(3).unwrap().warnings.is_empty());
}

#[test]
fn mirrored_changes_follow_the_plane_and_frozen_ones_are_told() {
    let changes = json!([
        {"change": "raise", "along": "both", "degree": 2},
        {"change": "move", "picks": [{"point": [1, 1]}], "by": [0, 0, 5]},
        {"change": "move", "picks": [{"point": [2, 2]}], "by": [0, 0, 5]},
    ]);
    let built =
        rebuild(&reshaped(json!({"changes": changes, "mirror": "yz", "frozen": [{"point": [2, 2]}]})));
    let made = built.built(3).unwrap_or_else(|| panic!("{:?}", built.steps[3].outcome));
    let lifted = made.net.as_ref().unwrap().control_points().iter().filter(|p| p.z > 4.9).count();
    assert_eq!(lifted, 2);
    assert!(made.warnings[0].message.contains("1 frozen points stayed"), "{}", made.warnings[0].message);
    let refused = failure(&rebuild(&reshaped(json!({"changes": changes, "mirror": "xz"}))), 3);
    assert_eq!(refused.input.as_deref(), Some("mirror"));
}

#[test]
fn a_face_that_is_cut_out_of_its_surface_is_not_reshaped() {
    let steps = vec![
        circle("ring", 0.0, 10.0),
        step("disc", "flat_face", json!({"outlines": [of("ring")]})),
        step("shaped", "reshape", json!({"surface": of("disc")})),
    ];
    let refused = failure(&rebuild(&recipe(steps)), 2);
    assert!(refused.message.contains("only a part of its surface"), "{}", refused.message);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Any list of changes is made or refused about the changes; nothing panics, and what is built has an area.
    #[test]
    fn any_changes_are_made_or_refused(
        given in prop::collection::vec((0usize..8, 0usize..8, 0usize..8, -1e3..1e3f64, 0usize..9), 0..6),
    ) {
        let along = |k: usize| ["rows", "columns", "both"][k % 3];
        let changes: Vec<Value> = given.into_iter().map(|(kind, i, j, x, n)| {
            let pick = match n % 3 {
                0 => json!({"row": i}),
                1 => json!({"column": j}),
                _ => json!({"point": [i, j]}),
            };
            let picks = json!([pick]);
            match kind {
                0 => json!({"change": "insert", "along": along(i), "at": x}),
                1 => json!({"change": "evenly", "along": along(i), "count": n}),
                2 => json!({"change": "raise", "along": along(i), "degree": n}),
                3 => json!({"change": "recast", "along": along(i), "points": n, "degree": j}),
                4 => json!({"change": "scale", "picks": picks, "factors": [x, 1, x]}),
                5 => json!({"change": "turn", "picks": picks, "axis": "z", "angle": x}),
                6 => json!({"change": "gather", "picks": picks, "at": {"midway": [[i, j], [j, i]]}}),
                _ => json!({"change": "pull", "border": "last_row", "by": [x, 0, 1], "axis": "x", "angle": x, "follow": n}),
            }
        }).collect();
        let built = rebuild(&reshaped(json!({"changes": changes})));
        match built.built(3) {
            Some(made) => prop_assert!(made.shape.bodies()[0].measure().area.is_finite()),
            None => {
                let notice = failure(&built, 3);
                prop_assert!(notice.input.is_some(), "{}", notice.message);
            }
        }
    }
}

/// Three half tubes toward a middle, bridges between their sides up to a height, and the roof over what is left open.
fn roof_of_three_ducts(up_to: f64) -> part::Recipe {
    let side = |id: &str, from: f64, to: f64| {
        let [from, to] = [from, to].map(|a: f64| (14.0 * a.to_radians().cos(), 14.0 * a.to_radians().sin()));
        json!({"id": id, "kind": "arc_about", "points": [[0, 0], [from.0, from.1], [to.0, to.1]]})
    };
    let angle = (up_to / 14.0_f64).asin().to_degrees();
    let arcs =
        json!([side("a", 0.0, angle), side("top", angle, 180.0 - angle), side("b", 180.0 - angle, 180.0)]);
    let mut steps = vec![
        drawing("arcs", "yz", 32.0, arcs),
        step("t0", "extrude", json!({"profile": of("arcs"), "length": 40, "ends": "open"})),
    ];
    for k in [1, 2] {
        let turn = json!({"of": of("t0"), "way": "turn", "axis": "z", "angle": format!("{} deg", 120 * k)});
        steps.push(step(&format!("t{k}"), "copy", turn));
    }
    let rim = |k: usize, arc: &str| json!({"step": format!("t{}", k % 3), "item": format!("edge {{arcs}} / {arc}, u start")});
    for k in 0..3 {
        let how = json!({"first": [rim(k, "a")], "second": [rim(k + 1, "b")], "first_agrees": "tangent",
            "second_agrees": "tangent", "first_leaves": "lines", "second_leaves": "lines"});
        steps.push(step(&format!("b{k}"), "bridge", how));
    }
    let edges: Vec<Value> = (0..3)
        .flat_map(|k| [rim(k, "top"), json!({"step": format!("b{k}"), "item": "edge side, u end"})])
        .collect();
    steps.push(step("roof", "patch", json!({"edges": edges, "agrees": vec!["curvature"; 6]})));
    recipe_of(3, json!([]), steps)
}

#[test]
fn the_roof_of_a_junction_changes_as_little_as_its_border_does() {
    // The tops of the ducts are at 14: from wherever their sides are bridged the middle of the roof is near that, and it
    // goes up and down slowly. It went 15.4, -10.9, 3.2, 8.1, 13.5 when the way of laying it out was switched.
    let mut before: Option<f64> = None;
    for up_to in [4.0, 4.8, 5.2, 5.6, 6.0, 7.0, 8.0, 8.8, 9.6, 10.4, 11.2, 12.0] {
        let rebuilt = rebuild(&roof_of_three_ducts(up_to));
        let roof = rebuilt.steps.len() - 1;
        let mesh = topology::mesh(bodies(&rebuilt, roof)[0].shells()[0], topology::MeshTolerance::chord(0.1));
        let positions = mesh.unwrap().positions;
        let nearest = positions.iter().min_by(|p, q| p.xy().coords.norm().total_cmp(&q.xy().coords.norm()));
        let middle = nearest.unwrap().z;
        assert!((13.5..17.0).contains(&middle), "up to {up_to}: {middle}");
        assert!(before.is_none_or(|b| (middle - b).abs() < 1.0), "up to {up_to}: {before:?}, then {middle}");
        before = Some(middle);
    }
}

#[test]
fn holes_with_two_sides_and_with_ends_that_fade_to_nothing_are_filled() {
    // Cut out of a sphere by prisms: a lens between two arcs, and a sickle between arcs that touch at one end. What was cut
    // out says how large the patch must be.
    let lens = json!([
        {"id": "l", "kind": "arc", "points": [[-2, -14], [12, 0], [-2, 14]]},
        {"id": "m", "kind": "arc", "points": [[-2, -14], [3, 0], [-2, 14]]},
    ]);
    let touching = |r: f64, to: f64| {
        let at = |t: f64| [r * t.sin() - 8.0, r * (1.0 - t.cos()) - 6.0];
        [at(0.0), at(0.5 * to), at(to)]
    };
    let (short, long) = (touching(15.0, 1.5), touching(60.0, 0.35));
    let sickle = json!([
        {"id": "l", "kind": "arc", "points": short},
        {"id": "m", "kind": "arc", "points": long},
        {"id": "n", "kind": "polyline", "points": [short[2], long[2]]},
    ]);
    let meridian = json!([{"id": "c", "kind": "arc", "points": [[0, 30], [19.9, 22.45], [29.78, 3.62]]}]);
    for outline in [lens, sickle] {
        for agrees in ["tangent", "curvature"] {
            let mut steps = vec![
                drawing("d", "xz", 0.0, meridian.clone()),
                step("dome", "revolve", json!({"profile": of("d"), "axis": "z", "ends": "open"})),
                drawing("o", "xy", -40.0, outline.clone()),
                step("prism", "extrude", json!({"profile": of("o"), "length": 200, "ends": "open"})),
                step("s", "split", json!({"surfaces": [of("dome")], "by": [of("prism")]})),
            ];
            let cut = rebuild(&recipe_of(3, json!([]), steps.clone()));
            // The dome without the hole is the largest piece.
            let pieces = bodies(&cut, 4);
            let areas: Vec<f64> = pieces.iter().map(|b| b.measure().area).collect();
            let dome = (0..areas.len()).max_by(|&a, &b| areas[a].total_cmp(&areas[b])).unwrap();
            let removed = areas.iter().sum::<f64>() - areas[dome];
            let names = body_names(pieces)[dome][0].edges.clone().into_iter().flatten();
            let rim: Vec<String> = names.filter(|n| n.contains("trimmed")).collect();
            assert!(areas[dome] > 20.0 * removed && rim.len() >= 2);
            let edges: Vec<Value> = rim.iter().map(|n| json!({"step": "s", "item": n})).collect();
            let agrees = vec![agrees; edges.len()];
            steps.push(step("patch", "patch", json!({"edges": edges, "agrees": agrees})));
            near(area(&rebuild(&recipe_of(3, json!([]), steps)), 5), removed, 1e-4);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    /// Tubes whose closed edges begin at different places, and one long edge beside several short ones, are joined all the
    /// same: the volume is that of the whole cylinder, pi r^2 h.
    #[test]
    fn what_begins_elsewhere_is_joined(
        turns in prop::collection::vec(-179.0..179.0f64, 2),
        tiny in prop::bool::ANY,
        parts in 1..4usize,
    ) {
        let turns: Vec<f64> = turns.iter().map(|t| if tiny { 1e-4 * t } else { *t }).collect();
        let mut steps = tube(10.0, 20.0);
        steps.push(step("up", "copy", json!({"of": of("tube"), "way": "move", "z": 20})));
        let angle = format!("{:.12} deg", turns[0]);
        steps.push(step("turned", "copy", json!({"of": of("up"), "way": "turn", "axis": "z", "angle": angle})));
        // The third storey stands in several pieces, cut along its height.
        let arcs: Vec<Value> = (0..parts + 1)
            .map(|k| {
                let at = |j: usize| {
                    let angle = turns[1].to_radians() + std::f64::consts::TAU * j as f64 / (2 * (parts + 1)) as f64;
                    json!([10.0 * angle.cos(), 10.0 * angle.sin()])
                };
                json!({"id": format!("c{k}"), "kind": "arc", "points": [at(2 * k), at(2 * k + 1), at(2 * k + 2)]})
            })
            .collect();
        steps.push(drawing("arcs", "xy", 40.0, json!(arcs)));
        steps.push(step("third", "extrude", json!({"profile": of("arcs"), "length": 20, "ends": "open"})));
        let all = json!([of("tube"), of("turned"), of("third")]);
        steps.push(step("all", "joined_surface", json!({"surfaces": all})));
        steps.push(step("solid", "cap", json!({"surface": of("all")})));
        let recipe = recipe_of(3, json!([]), steps);
        let rebuilt = rebuild(&recipe);
        let last = rebuilt.steps.len() - 1;
        prop_assert!(bodies(&rebuilt, last - 1).len() == 1);
        let body = report(&recipe, &rebuilt).bodies.into_iter().last().unwrap();
        prop_assert!(body.watertight, "{turns:?} {parts}");
        let v = volume(&rebuilt, last);
        prop_assert!((v - PI * 100.0 * 60.0).abs() < 1e-4 * v, "{v}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// One bridge round corners, from edges of faces that meet there at any angle, leaning in or out: its strips share their
    /// edges, each is in agreement with its own face, and none has a crease. What stays open are the outer rims.
    #[test]
    fn a_bridge_round_corners_is_one_ring(
        sides in 3..7usize,
        twist in -0.25..0.25f64,
        small in 8.0..16.0f64,
        lean in 1.0..12.0f64,
        inward in prop::bool::ANY,
        agrees in prop::sample::select(vec!["tangent", "curvature"]),
        leaves in prop::sample::select(vec!["toward", "square", "lines"]),
    ) {
        let lean = if inward { lean } else { -lean };
        let outline = |id: &str, z: f64, radius: f64, turn: f64| {
            let at = |k: usize| {
                let angle = std::f64::consts::TAU * k as f64 / sides as f64 + turn;
                json!([radius * angle.cos(), radius * angle.sin()])
            };
            let line = |k: usize| json!({"id": format!("c{k}"), "kind": "polyline", "points": [at(k), at(k + 1)]});
            drawing(id, "xy", z, (0..sides).map(line).collect())
        };
        let wall = |id: &str, of_step: &str, lean: f64| {
            let draft = format!("{lean} deg");
            step(id, "extrude", json!({"profile": of(of_step), "length": 15, "draft": draft, "ends": "open"}))
        };
        let rim = |wall: &str, outline: &str, end: &str| -> Vec<Value> {
            (0..sides).map(|k| json!({"step": wall, "item": format!("edge {{{outline}}} / c{k}, v {end}")})).collect()
        };
        let steps = vec![
            outline("low", 0.0, 20.0, 0.3),
            outline("high", 60.0, small, 0.3 + twist),
            wall("below", "low", lean),
            wall("above", "high", 0.5 * lean),
            step("ring", "bridge", json!({
                "first": rim("below", "low", "end"), "second": rim("above", "high", "start"),
                "first_agrees": agrees, "second_agrees": agrees, "first_leaves": leaves, "second_leaves": leaves,
            })),
            step("all", "joined_surface", json!({"surfaces": [of("below"), of("ring"), of("above")]})),
        ];
        let recipe = recipe_of(3, json!([]), steps);
        let rebuilt = rebuild(&recipe);
        let ring = rebuilt.built(4).unwrap();
        prop_assert!(ring.warnings.is_empty(), "{:?}", ring.warnings);
        for label in ["Angle at the first section", "Angle at the last section"] {
            prop_assert!(reached(&rebuilt, 4, label).to_degrees() < 0.1);
        }
        let body = &report(&recipe, &rebuilt).bodies[0];
        prop_assert_eq!((body.faces, body.free_edges.len()), (3 * sides, 2 * sides));
    }
}
