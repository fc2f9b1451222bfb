//! Surfaces as steps: what they measure, what their cards are told, and how they stay linked to what they are made from.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::PI;

use made::*;
use part::{Cancel, Edit, Rebuilder, Recipe, report};
use proptest::prelude::*;
use serde_json::{Value, json};

#[test]
fn every_tool_has_a_key_of_its_own_and_a_name_that_no_other_has() {
    let tools = part::steps::Make::descriptions();
    for (i, tool) in tools.iter().enumerate() {
        for other in &tools[..i] {
            assert!(tool.key.is_empty() || tool.key != other.key, "{} and {}", tool.label, other.label);
            assert_ne!(tool.label, other.label);
        }
        // A field that depends on another one depends on one that there is.
        let fields: Vec<&str> =
            tool.slots.iter().map(|s| s.name).chain(tool.values.iter().map(|v| v.name)).collect();
        let conditions =
            tool.slots.iter().filter_map(|s| s.only_if).chain(tool.values.iter().filter_map(|v| v.only_if));
        for (field, _) in conditions {
            assert!(fields.contains(&field), "{} of {}", field, tool.label);
        }
        // What is shown is words, and no names from the code.
        let shown = tool.slots.iter().map(|s| s.label).chain(tool.values.iter().map(|v| v.label));
        for label in shown.chain([tool.label]) {
            let pairs = label.as_bytes().windows(2);
            let from_code = pairs.into_iter().any(|w| w[0].is_ascii_lowercase() && w[1].is_ascii_uppercase());
            assert!(!from_code && !label.contains('_'), "{label} of {}", tool.label);
        }
    }
}

#[test]
fn a_draft_is_a_parameter_and_says_what_fits() {
    // DR-03: 10 x 20, 5 high, 3 degrees inward.
    let parameters = json!([{"name": "lean", "quantity": "angle", "formula": "3 deg"}]);
    let steps = vec![
        rectangle("outline", "xy", 0.0, [0.0, 0.0, 10.0, 20.0]),
        step("block", "extrude", json!({"profile": of("outline"), "length": 5, "draft": "lean"})),
    ];
    let recipe = recipe_with(parameters, steps);
    near(volume(&rebuild(&recipe), 1), 961.151_928_092_615_8, 1e-9);
    let set = |formula: &str| Edit::SetParameter {
        parameter: serde_json::from_value(json!({"name": "lean", "quantity": "angle", "formula": formula}))
            .unwrap(),
    };
    let steep = failure(&rebuild(&set("60 deg").apply(&recipe).unwrap()), 1);
    assert_eq!(steep.input.as_deref(), Some("draft"));
    assert!(steep.message.contains("at most 2.8") && steep.at.is_some(), "{}", steep.message);
}

#[test]
fn an_extrusion_ends_on_a_face_that_is_picked() {
    let steps = vec![
        drawing(
            "arch",
            "xz",
            0.0,
            json!([{"id": "curve 1", "kind": "arc", "points": [[-20, 0], [0, 20], [20, 0]]}]),
        ),
        step("vault", "extrude", json!({"profile": of("arch"), "length": 30, "back": 30})),
        rectangle("foot", "xy", 0.0, [-5.0, -5.0, 5.0, 5.0]),
        step("post", "extrude", json!({"profile": of("foot"), "extent": "face", "face": of("vault")})),
    ];
    let rebuilt = rebuild(&recipe(steps));
    // Height sqrt(400 - x^2) over a square of 10: 10 times the area under the arc (derived).
    let under = |x: f64| 0.5 * (x * (400.0 - x * x).sqrt() + 400.0 * (x / 20.0).asin());
    near(volume(&rebuilt, 3), 10.0 * 2.0 * under(5.0), 1e-5);
    assert!(bodies(&rebuilt, 3)[0].is_solid());
}

#[test]
fn a_straight_edge_gives_a_direction() {
    let steps = |item: &str| {
        vec![
            rectangle("outline", "xz", 0.0, [0.0, 0.0, 10.0, 20.0]),
            step("block", "extrude", json!({"profile": of("outline"), "length": 30})),
            rectangle("other", "xy", 0.0, [50.0, 0.0, 60.0, 10.0]),
            step(
                "post",
                "extrude",
                json!({"profile": of("other"), "direction": "axis", "axis": {"step": "block", "item": item}, "length": 7}),
            ),
        ]
    };
    let edges = rebuild(&recipe(steps("edge gone")));
    assert_eq!(failure(&edges, 3).input.as_deref(), Some("axis"));
    // An upright edge of the block: where two of its sides meet.
    let names = part::body_names(bodies(&edges, 1));
    let found = names[0][0].edges.iter().flatten().filter(|name| {
        let rebuilt = rebuild(&recipe(steps(name)));
        rebuilt.built(3).is_some_and(|b| (b.shape.bodies()[0].measure().volume - 700.0).abs() < 1e-6)
    });
    assert_eq!(found.count(), 4);
    let round = vec![
        circle("rim", 0.0, 5.0),
        rectangle("other", "xy", 0.0, [50.0, 0.0, 60.0, 10.0]),
        step("post", "extrude", json!({"profile": of("other"), "direction": "axis", "axis": of("rim")})),
    ];
    assert!(failure(&rebuild(&recipe(round)), 2).message.contains("no straight line"));
}

#[test]
fn a_part_turn_goes_both_ways() {
    let profile = rectangle("profile", "xz", 0.0, [10.0, 0.0, 14.0, 6.0]);
    let make = json!({"profile": of("profile"), "turn": "60 deg", "back": "30 deg"});
    let rebuilt = rebuild(&recipe(vec![profile, step("ring", "revolve", make)]));
    // Pappus: area 24, middle at 12, a quarter turn.
    near(volume(&rebuilt, 1), 24.0 * 12.0 * PI / 2.0, 1e-9);
    let (low, high) = topology::bounds(bodies(&rebuilt, 1)[0].shells()[0]).unwrap();
    // From 30 degrees before the xz plane to 60 degrees beyond it.
    near(low.y, -14.0 * 30.0_f64.to_radians().sin(), 1e-2);
    near(high.y, 14.0 * 60.0_f64.to_radians().sin(), 1e-2);
}

#[test]
fn ruled_surfaces_untwist_themselves_and_cross_in_one_click() {
    let steps = |crossed: bool| {
        vec![
            line("low", [0.0, 0.0, 0.0], [10.0, 0.0, 0.0]),
            line("high", [10.0, 0.0, 6.0], [0.0, 0.0, 6.0]),
            step("sheet", "ruled", json!({"first": of("low"), "second": of("high"), "crossed": crossed})),
        ]
    };
    let plain = rebuild(&recipe(steps(false)));
    near(area(&plain, 2), 60.0, 1e-9);
    // Its card shows where both begin and which way they run.
    let marks = &plain.built(2).unwrap().marks;
    assert_eq!(marks.iter().map(|m| m.slot).collect::<Vec<_>>(), [("first", 0), ("second", 0)]);
    near(marks[1].at.x + 1.0, 1.0, 1e-9);
    near(marks[1].along.unwrap().x, 1.0, 1e-9);
    assert!(area(&rebuild(&recipe(steps(true))), 2) < 40.0);
    // RU-01: z = xy, and how far it is from unrolling.
    let saddle = vec![
        line("left", [0.0, 0.0, 0.0], [0.0, 1.0, 0.0]),
        line("right", [1.0, 0.0, 0.0], [1.0, 1.0, 1.0]),
        step("sheet", "ruled", json!({"first": of("left"), "second": of("right")})),
        step("strip", "ruled", json!({"first": of("left"), "second": of("right"), "rulings": "developable"})),
    ];
    let rebuilt = rebuild(&recipe(saddle));
    near(area(&rebuilt, 2), 1.280_789_275_273_404, 1e-10);
    assert!(reached(&rebuilt, 3, "Largest turn along a ruling").to_degrees() > 30.0);
}

#[test]
fn a_loft_agrees_with_the_faces_whose_edges_it_takes() {
    let tube = |id: &str, profile: &str, z: f64| {
        vec![
            circle(profile, z, 10.0),
            step(id, "extrude", json!({"profile": of(profile), "length": 10, "ends": "open"})),
        ]
    };
    let mut steps = tube("below", "c1", 0.0);
    steps.extend(tube("above", "c2", 40.0));
    let edge = |body: &str, profile: &str, side: &str| json!({"step": body, "item": format!("edge {{{profile}}} / curve 1, {side}")});
    let sections = json!([edge("below", "c1", "u end"), edge("above", "c2", "u start")]);
    steps.push(step(
        "sleeve",
        "loft",
        json!({"sections": sections, "start": "tangent", "end": "curvature", "start_pull": 1.5, "ends": "open"}),
    ));
    let rebuilt = rebuild(&recipe(steps.clone()));
    for label in ["Angle at the first section", "Angle at the last section"] {
        assert!(reached(&rebuilt, 4, label).to_degrees() < 0.1);
    }
    // Between two tubes of one radius it is the tube itself.
    near(area(&rebuilt, 4), 2.0 * PI * 10.0 * 30.0, 1e-4);
    // A drawing is no edge: it says which face to pick.
    steps[4] = step("sleeve", "loft", json!({"sections": [of("c1"), of("c2")], "start": "tangent"}));
    let refused = failure(&rebuild(&recipe(steps)), 4);
    assert_eq!(refused.input.as_deref(), Some("start"));
    assert!(refused.message.contains("pick the face"), "{}", refused.message);
}

#[test]
fn sections_begin_where_they_are_told_and_are_shown_so() {
    let loft = |begins: Value| {
        let steps = vec![
            circle("low", 0.0, 10.0),
            circle("high", 30.0, 10.0),
            step(
                "skin",
                "loft",
                json!({"sections": [of("low"), of("high")], "between": "straight", "begins": begins}),
            ),
        ];
        rebuild(&recipe(steps))
    };
    let straight = loft(json!([]));
    near(volume(&straight, 2), PI * 100.0 * 30.0, 1e-6);
    // Begun a quarter further on, the rulings lean and the waist is narrower: radius 10 cos 45 in the middle.
    let twisted = loft(json!([{"section": 2, "at": 0.25}]));
    let marks = &twisted.built(2).unwrap().marks;
    near(marks[1].at.y.abs(), 10.0, 1e-3);
    assert!(!marks[1].line.is_empty());
    // A hyperboloid of one sheet: pi h (2 a^2 + r^2) / 3 with waist a and rims r (handbook mensuration, from memory).
    near(volume(&twisted, 2), PI * 30.0 / 3.0 * (2.0 * 50.0 + 100.0), 2e-2);
}

#[test]
fn a_loft_in_zigzag_order_is_put_in_order_by_one_click() {
    let steps = vec![
        circle("a", 0.0, 10.0),
        circle("b", 20.0, 9.0),
        circle("c", 40.0, 8.0),
        step("skin", "loft", json!({"sections": [of("a"), of("c"), of("b")]})),
        circle("aside", 90.0, 3.0),
        step("lid", "flat_face", json!({"outlines": [of("aside")]})),
    ];
    let recipe = recipe(steps);
    let rebuilt = rebuild(&recipe);
    let refused = failure(&rebuilt, 3);
    assert!(refused.at.is_some() && refused.message.contains("go back"), "{}", refused.message);
    // The rest of the part is built.
    near(area(&rebuilt, 5), PI * 9.0, 1e-9);
    let cure = refused.cure.unwrap();
    let mended = Edit::All { edits: cure.edits }.apply(&recipe).unwrap();
    assert!(bodies(&rebuild(&mended), 3)[0].is_solid());
}

#[test]
fn what_is_said_of_a_section_goes_with_it_when_they_are_put_in_order() {
    let sections = json!([of("a"), of("c"), of("b")]);
    let said = json!({"sections": sections, "reversed": [2], "begins": [{"section": 3, "at": 0.25}]});
    let recipe = recipe(vec![
        circle("a", 0.0, 10.0),
        circle("b", 20.0, 9.0),
        circle("c", 40.0, 8.0),
        step("skin", "loft", said),
    ]);
    let cure = failure(&rebuild(&recipe), 3).cure.clone().unwrap();
    let mended = Edit::All { edits: cure.edits }.apply(&recipe).unwrap();
    let make = serde_json::to_value(&mended.steps[3].make).unwrap();
    assert_eq!(make["loft"]["sections"], json!([of("a"), of("b"), of("c")]));
    assert_eq!(make["loft"]["reversed"], json!([3]));
    assert_eq!(make["loft"]["begins"], json!([{"section": 2, "at": 0.25}]));
}

#[test]
fn guides_that_miss_are_named_with_their_distance() {
    let steps = vec![
        drawing(
            "s1",
            "xy",
            0.0,
            json!([{"id": "curve 1", "kind": "through_points", "points": [[-10, 0], [0, 6], [10, 0]]}]),
        ),
        drawing(
            "s2",
            "xy",
            30.0,
            json!([{"id": "curve 1", "kind": "through_points", "points": [[-10, 0], [0, 6], [10, 0]]}]),
        ),
        line("guide", [10.0, 0.0, 0.0], [10.4, 0.0, 30.0]),
        step("skin", "loft", json!({"sections": [of("s1"), of("s2")], "guides": [of("guide")]})),
    ];
    let refused = failure(&rebuild(&recipe(steps)), 3);
    assert_eq!(refused.input.as_deref(), Some("guides"));
    assert!(refused.message.contains("guide 1 misses section 2 by 0.400 mm"), "{}", refused.message);
}

#[test]
fn what_an_end_cannot_agree_with_is_told_at_that_end() {
    let steps = vec![
        circle("low", 0.0, 10.0),
        circle("high", 30.0, 10.0),
        circle("far", 60.0, 4.0),
        step("lid", "flat_face", json!({"outlines": [of("far")]})),
        line("guide", [10.0, 0.0, 0.0], [10.0, 0.0, 30.0]),
        step(
            "off",
            "loft",
            json!({"sections": [of("low"), of("high")], "end": "tangent", "end_face": of("lid")}),
        ),
        step(
            "both",
            "loft",
            json!({"sections": [of("low"), of("high")], "guides": [of("guide")], "start": "curvature", "start_face": of("lid")}),
        ),
    ];
    let rebuilt = rebuild(&recipe(steps));
    let off = failure(&rebuilt, 5);
    assert_eq!(off.input.as_deref(), Some("end"));
    assert!(off.message.contains("the last section lies"), "{}", off.message);
    let both = failure(&rebuilt, 6);
    assert_eq!(both.input.as_deref(), Some("start"));
    assert!(both.message.contains("take the guides out"), "{}", both.message);
}

#[test]
fn a_grid_and_control_rows_set_the_structure() {
    let wave = |id: &str, y: f64| {
        let points: Vec<Value> =
            (0..7).map(|k| json!([5.0 * f64::from(k), (f64::from(k) + y).sin() * 3.0])).collect();
        drawing(id, "xz", y, json!([{"id": "curve 1", "kind": "control_points", "points": points}]))
    };
    let sections = json!([of("a"), of("b"), of("c"), of("d")]);
    let steps = vec![
        wave("a", 0.0),
        wave("b", 10.0),
        wave("c", 20.0),
        wave("d", 30.0),
        step("rows", "loft", json!({"sections": sections, "between": "control_rows"})),
        step("grid", "loft", json!({"sections": sections, "structure": "grid", "along": 6, "across": 5})),
        step("odd", "loft", json!({"sections": sections, "structure": "grid", "along": 1})),
    ];
    let rebuilt = rebuild(&recipe(steps));
    let counts = |index: usize| {
        let surface = &bodies(&rebuilt, index)[0].shells()[0].faces()[0].surface;
        (surface.knots_u().point_count(), surface.knots_v().point_count())
    };
    assert_eq!((counts(4), counts(5)), ((7, 4), (6, 5)));
    assert!(reached(&rebuilt, 5, "Deviation reached") > 0.0);
    assert_eq!(failure(&rebuilt, 6).input.as_deref(), Some("along"));
}

#[test]
fn twist_and_size_follow_formulas_and_graphs() {
    let parameters = json!([{"name": "turns", "quantity": "ratio", "formula": 2}]);
    let bar = || rectangle("bar", "xy", 0.0, [-2.0, -2.0, 2.0, 2.0]);
    let path = || line("path", [0.0, 0.0, 0.0], [0.0, 0.0, 60.0]);
    let sweep = |more: Value| {
        let mut make = json!({"path": of("path"), "sections": [of("bar")]});
        make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        let graph = drawing(
            "graph",
            "xz",
            0.0,
            json!([{"id": "curve 1", "kind": "polyline", "points": [[0, 10], [50, 20]]}]),
        );
        rebuild(&recipe_with(parameters.clone(), vec![bar(), path(), graph, step("made", "sweep", make)]))
    };
    // A twist keeps the volume (LS-05), by whatever law.
    let twisted = sweep(json!({"twist_by": "formula", "twist": "360 deg * turns * along^2"}));
    near(volume(&twisted, 3), 16.0 * 60.0, 1e-3);
    // Size 1 + along: the area's mean is the integral of (1 + s)^2, 7/3.
    let grown = sweep(json!({"scale_by": "formula", "scale": "1 + along"}));
    near(volume(&grown, 3), 16.0 * 60.0 * 7.0 / 3.0, 1e-6);
    // The same by a graph whose height doubles.
    let drawn = sweep(json!({"scale_by": "graph", "scale_graph": of("graph")}));
    near(volume(&drawn, 3), 16.0 * 60.0 * 7.0 / 3.0, 1e-6);
    near(volume(&sweep(json!({"twist_by": "graph", "twist_graph": of("graph")})), 3), 16.0 * 60.0, 1e-3);
    let wrong = failure(&sweep(json!({"scale_by": "formula", "scale": "1 / along"})), 3);
    assert_eq!(wrong.input.as_deref(), Some("scale"));
    assert!(wrong.message.contains("division by zero") && wrong.message.contains("0 %"), "{}", wrong.message);
    let mixed = failure(&sweep(json!({"twist_by": "formula", "twist": "2 mm * along"})), 3);
    assert!(mixed.message.contains("an angle is needed"), "{}", mixed.message);
    let none = failure(&sweep(json!({"twist_by": "graph"})), 3);
    assert_eq!(none.input.as_deref(), Some("twist_graph"));
    // A parameter called so would hide it.
    let taken = json!({"format": "kindred-shell-recipe", "version": 1, "name": "x", "steps": [],
        "parameters": [{"name": "along", "quantity": "ratio", "formula": 1}]});
    assert!(Recipe::from_value(taken).is_err());
}

#[test]
fn sections_are_brought_to_the_path_by_a_carry_point() {
    let steps = |carry: Value| {
        vec![
            rectangle("bar", "xy", 0.0, [100.0, 50.0, 104.0, 54.0]),
            drawing(
                "path",
                "xz",
                0.0,
                json!([{"id": "curve 1", "kind": "arc", "points": [[20, 0], [14.142135623730951, 14.142135623730951], [0, 20]]}]),
            ),
            step(
                "made",
                "sweep",
                json!({"path": of("path"), "sections": [of("bar")], "stands": "brought", "carry_point": carry}),
            ),
        ]
    };
    // By its middle: area times the way of the middle (Pappus).
    let middle = rebuild(&recipe(steps(json!([[102, 52, 0]]))));
    near(volume(&middle, 2), 16.0 * 10.0 * PI, 1e-4);
    let corner = rebuild(&recipe(steps(json!([[100, 50, 0]]))));
    let moved = volume(&corner, 2);
    assert!([18.0, 22.0].iter().any(|r| (moved - 16.0 * r * PI / 2.0).abs() < 1e-3 * moved), "{moved}");
}

#[test]
fn corners_of_a_path_are_mitred_or_rounded() {
    let steps = |more: Value| {
        let mut make = json!({"path": of("path"), "carries": "round", "radius": 2});
        make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        vec![
            drawing(
                "path",
                "xz",
                0.0,
                json!([{"id": "curve 1", "kind": "polyline", "points": [[0, 0], [30, 0], [30, 20]]}]),
            ),
            step("made", "sweep", make),
        ]
    };
    near(volume(&rebuild(&recipe(steps(json!({})))), 1), PI * 4.0 * 50.0, 1e-6);
    let round = rebuild(&recipe(steps(json!({"corners": "rounded", "corner_radius": 8}))));
    near(volume(&round, 1), PI * 4.0 * (22.0 + 12.0 + 4.0 * PI), 1e-4);
    let refused = failure(&rebuild(&recipe(steps(json!({"twist": "90 deg"})))), 1);
    assert_eq!(refused.input.as_deref(), Some("corners"));
    let large = failure(&rebuild(&recipe(steps(json!({"corners": "rounded", "corner_radius": 28})))), 1);
    assert_eq!(large.input.as_deref(), Some("corner_radius"));
    assert!(large.message.contains("at most 19.99"), "{}", large.message);
}

#[test]
fn a_strip_of_constant_angle_stands_on_its_surface() {
    let steps = vec![
        circle("rim", 0.0, 20.0),
        step("wall", "extrude", json!({"profile": of("rim"), "length": 30, "ends": "open"})),
        circle("path", 15.0, 20.0),
        step(
            "fin",
            "sweep",
            json!({
                "path": of("path"), "carries": "straight", "length": 5, "angle": "90 deg", "turned": "surface", "surface": of("wall"),
            }),
        ),
    ];
    // Square to the cylinder it is a flat ring, outside or inside of it.
    let made = area(&rebuild(&recipe(steps)), 3);
    let (outside, inside) = (PI * (625.0 - 400.0), PI * (400.0 - 225.0));
    assert!([outside, inside].iter().any(|a| (made - a).abs() < 1e-3 * a), "{made}");
}

#[test]
fn rails_set_the_width() {
    let steps = |structure: &str| {
        vec![
            line("left", [-10.0, 0.0, 0.0], [-5.0, 40.0, 0.0]),
            line("right", [10.0, 0.0, 0.0], [5.0, 40.0, 0.0]),
            drawing(
                "arch",
                "xz",
                0.0,
                json!([{"id": "curve 1", "kind": "control_points", "points": [[-10, 0], [-8, 9], [0, 12], [8, 9], [10, 0]]}]),
            ),
            step(
                "hood",
                "rail_sweep",
                json!({
                    "first_rail": of("left"), "second_rail": of("right"), "sections": [of("arch")], "structure": structure,
                }),
            ),
        ]
    };
    let fitted = rebuild(&recipe(steps("fitted")));
    let clean = rebuild(&recipe(steps("clean")));
    // Between straight rails both are the same cone.
    near(area(&fitted, 3), area(&clean, 3), 1e-4);
    let surface = &bodies(&clean, 3)[0].shells()[0].faces()[0].surface;
    assert_eq!((surface.knots_u().point_count(), surface.knots_v().point_count()), (5, 2));
}

#[test]
fn a_bridge_takes_over_tangents_and_leaves_its_neighbours() {
    let tube = |id: &str, profile: &str, z: f64, radius: f64| {
        vec![
            circle(profile, z, radius),
            step(id, "extrude", json!({"profile": of(profile), "length": 10, "ends": "open"})),
        ]
    };
    let edge = |body: &str, profile: &str, side: &str| json!({"step": body, "item": format!("edge {{{profile}}} / curve 1, {side}")});
    let with = |more: Value| {
        let mut steps = tube("below", "c1", 0.0, 10.0);
        steps.extend(tube("above", "c2", 40.0, 6.0));
        let mut make =
            json!({"first": [edge("below", "c1", "u end")], "second": [edge("above", "c2", "u start")]});
        make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        steps.push(step("span", "bridge", make));
        recipe(steps)
    };
    let smooth = rebuild(&with(json!({"second_agrees": "curvature"})));
    for label in ["Angle at the first section", "Angle at the last section"] {
        assert!(reached(&smooth, 4, label).to_degrees() < 0.1);
    }
    // In position only it is the cone between the rims: pi (R + r) s.
    let plain = rebuild(&with(json!({"first_agrees": "position", "second_agrees": "position"})));
    near(area(&plain, 4), PI * 16.0 * (30.0_f64 * 30.0 + 16.0).sqrt(), 1e-6);
    // The tubes stay parts of the result, and all three join.
    let both = with(json!({}));
    let told = report(&both, &rebuild(&both));
    assert_eq!(told.bodies.len(), 3);
    let refused = with(json!({"first": [of("c1")]}));
    let notice = failure(&rebuild(&refused), 4);
    assert_eq!(notice.input.as_deref(), Some("first_agrees"));
}

#[test]
fn the_report_tells_how_joined_faces_meet() {
    let tube = |id: &str, profile: &str, z: f64, radius: f64| {
        vec![
            circle(profile, z, radius),
            step(id, "extrude", json!({"profile": of(profile), "length": 10, "ends": "open"})),
        ]
    };
    let edge = |body: &str, profile: &str, side: &str| json!({"step": body, "item": format!("edge {{{profile}}} / curve 1, {side}")});
    let with = |agrees: &str| {
        let mut steps = tube("below", "c1", 0.0, 10.0);
        steps.extend(tube("above", "c2", 40.0, 6.0));
        steps.push(step(
            "span",
            "bridge",
            json!({
                "first": [edge("below", "c1", "u end")], "second": [edge("above", "c2", "u start")],
                "first_agrees": agrees, "second_agrees": agrees,
            }),
        ));
        steps.push(step(
            "pipe",
            "joined_surface",
            json!({"surfaces": [of("below"), of("span"), of("above")]}),
        ));
        let recipe = recipe(steps);
        let told = report(&recipe, &rebuild(&recipe));
        let pipe = told.bodies.into_iter().find(|b| b.name == "pipe").unwrap();
        pipe.seams.into_iter().map(|s| (s.meets, s.angle_deg, s.gap_mm)).collect::<Vec<_>>()
    };
    // A cone between the rims: atan(4 / 30) at either of them.
    for (meets, angle, gap) in with("position") {
        assert_eq!(meets, "G0");
        near(angle, (4.0_f64 / 30.0).atan().to_degrees(), 1e-6);
        assert!(gap < 1e-6);
    }
    let tangent = with("tangent");
    assert_eq!(tangent.len(), 2);
    assert!(tangent.iter().all(|(meets, angle, _)| *meets != "G0" && *angle < 0.1), "{tangent:?}");
    assert!(with("curvature").iter().all(|(meets, ..)| *meets == "G2"));
}

#[test]
fn a_strip_runs_along_an_edge_at_an_angle_to_its_face() {
    let with = |more: Value| {
        let edge = json!({"step": "tube", "item": "edge {rim} / curve 1, u end"});
        let mut make = json!({"along": edge, "width": 4});
        make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        let tube = step("tube", "extrude", json!({"profile": of("rim"), "length": 10, "ends": "open"}));
        rebuild(&recipe(vec![circle("rim", 0.0, 10.0), tube, step("border", "strip", make)]))
    };
    // In the face it goes on as a cylinder of height 4, up or down; square to it, it is a ring.
    near(area(&with(json!({})), 2), 2.0 * PI * 10.0 * 4.0, 1e-4);
    let ring = area(&with(json!({"angle": "90 deg"})), 2);
    let (outside, inside) = (PI * (196.0 - 100.0), PI * (100.0 - 36.0));
    assert!([outside, inside].iter().any(|a| (ring - a).abs() < 1e-3 * a), "{ring}");
    let other = area(&with(json!({"angle": "90 deg", "width": -4})), 2);
    near(ring + other, outside + inside, 1e-4);
    assert!(failure(&with(json!({"along": of("rim")})), 2).message.contains("pick the face"));
}

#[test]
fn a_network_goes_through_both_families_and_names_what_misses() {
    let across = |id: &str, y: f64| {
        let height = 12.0 - y / 10.0;
        drawing(
            id,
            "xz",
            -y,
            json!([{"id": "curve 1", "kind": "through_points", "points": [[-20, 0], [-10, height * 0.7], [0, height], [10, height * 0.7], [20, 0]]}]),
        )
    };
    let along = |id: &str, x: f64, share: f64| {
        let points: Vec<Value> =
            [0.0, 30.0, 60.0].iter().map(|y| json!([x, y, (12.0 - y / 10.0) * share])).collect();
        step(id, "space_curve", json!({"points": points}))
    };
    let with = |shift: f64| {
        let steps = vec![
            across("a", 0.0),
            across("b", 30.0),
            across("c", 60.0),
            along("left", -20.0, 0.0),
            along("middle", 0.0, 1.0),
            along("right", 20.0 + shift, 0.0),
            step(
                "skin",
                "network",
                json!({"first": [of("a"), of("c"), of("b")], "second": [of("right"), of("middle"), of("left")]}),
            ),
        ];
        rebuild(&recipe(steps))
    };
    let made = with(0.0);
    assert!(reached(&made, 6, "Deviation reached") < 1e-3);
    assert!(area(&made, 6) > 40.0 * 60.0);
    let refused = failure(&with(0.5), 6);
    assert!(
        refused.message.contains("miss each other by 0.500 mm") && refused.at.is_some(),
        "{}",
        refused.message
    );
}

#[test]
fn patterns_stand_about_an_axis_along_a_line_and_along_a_curve() {
    let block = || {
        vec![
            rectangle("outline", "xy", 0.0, [20.0, -2.0, 24.0, 2.0]),
            step("block", "extrude", json!({"profile": of("outline"), "length": 5})),
        ]
    };
    let with = |make: Value| {
        let mut steps = block();
        steps.push(drawing(
            "way",
            "xy",
            0.0,
            json!([{"id": "curve 1", "kind": "arc", "points": [[0, 0], [50, 20], [100, 0]]}]),
        ));
        steps.push(step("row", "pattern", make));
        rebuild(&recipe(steps))
    };
    let round = with(json!({"of": of("block"), "count": 6}));
    assert_eq!(bodies(&round, 3).len(), 6);
    near(volume(&round, 3), 6.0 * 80.0, 1e-9);
    // Each sixth of a turn from the next, none upon the first.
    let middles: Vec<_> = bodies(&round, 3).iter().map(|b| b.measure().centroid().unwrap()).collect();
    for w in middles.windows(2) {
        near((w[1] - w[0]).norm(), 22.0, 1e-9);
    }
    let part = with(json!({"of": of("block"), "count": 3, "angle": "90 deg"}));
    near(bodies(&part, 3)[2].measure().centroid().unwrap().y, 22.0, 1e-9);
    let line = with(json!({"of": of("block"), "way": "line", "axis": "x", "count": 4, "spacing": "10 mm"}));
    near(bodies(&line, 3)[3].measure().centroid().unwrap().x, 52.0, 1e-9);
    for turned in ["curve", "kept"] {
        let along = with(
            json!({"of": of("block"), "way": "curve", "curve": of("way"), "count": 5, "turned": turned}),
        );
        near(volume(&along, 3), 5.0 * 80.0, 1e-9);
        let last = bodies(&along, 3)[4].measure().centroid().unwrap();
        if turned == "kept" {
            near(last.x, 122.0, 1e-9);
        } else {
            assert!((last.x - 122.0).abs() > 1.0);
        }
    }
    // The report counts each of them; the first stands for the shape, which is no result by itself any more.
    let mut steps = block();
    steps.push(step("row", "pattern", json!({"of": of("block"), "count": 6})));
    let recipe = recipe(steps);
    let told = report(&recipe, &rebuild(&recipe));
    assert_eq!(told.bodies.len(), 6);
    assert_eq!(told.bodies[5].name, "row 6");
    assert!(told.ready);
}

#[test]
fn a_freed_copy_no_longer_follows() {
    let steps = vec![
        rectangle("outline", "xy", 0.0, [5.0, 0.0, 15.0, 10.0]),
        step("block", "extrude", json!({"profile": of("outline"), "length": 5})),
        step("twin", "copy", json!({"of": of("block"), "plane": "yz"})),
    ];
    let linked = recipe(steps);
    let longer = |recipe: &Recipe| {
        Edit::SetField { step: "block".into(), field: "length".into(), value: json!(9) }
            .apply(recipe)
            .unwrap()
    };
    near(volume(&rebuild(&longer(&linked)), 2), 900.0, 1e-9);
    let freed = Edit::FreeCopy { step: "twin".into() }.apply(&linked).unwrap();
    let rebuilt = rebuild(&longer(&freed));
    assert_eq!(freed.steps.len(), 5);
    near(volume(&rebuilt, 1), 900.0, 1e-9);
    near(volume(&rebuilt, 4), 500.0, 1e-9);
    // It is all of the result that it was: the shape, and its mirror image.
    let told = report(&freed, &rebuild(&freed));
    assert_eq!(told.bodies.iter().filter(|b| b.name == "twin").count(), 1);
    assert!(Edit::FreeCopy { step: "block".into() }.apply(&linked).is_err());
}

#[test]
fn a_plane_goes_through_three_points() {
    let steps = |c: [f64; 3]| {
        vec![step(
            "plane",
            "flat_face",
            json!({"by": "points", "points": [[0, 0, 0], [20, 0, 0], c], "margin": 0}),
        )]
    };
    let rebuilt = rebuild(&recipe(steps([8.0, 6.0, 8.0])));
    // Width 20, height that of the third point, 10.
    near(area(&rebuilt, 0), 200.0, 1e-9);
    let refused = failure(&rebuild(&recipe(steps([40.0, 0.0, 0.0]))), 0);
    assert!(refused.message.contains("in a row") && refused.at.is_some(), "{}", refused.message);
}

#[test]
fn facing_is_turned_over_for_any_surface() {
    let steps = vec![
        line("low", [0.0, 0.0, 0.0], [10.0, 0.0, 0.0]),
        line("high", [0.0, 10.0, 0.0], [10.0, 10.0, 0.0]),
        step("sheet", "ruled", json!({"first": of("low"), "second": of("high")})),
    ];
    let plain = recipe(steps);
    let flipped = Edit::SetFacing { step: "sheet".into(), flip: true }.apply(&plain).unwrap();
    let side = |recipe: &Recipe| bodies(&rebuild(recipe), 2)[0].shells()[0].faces()[0].reversed;
    assert_ne!(side(&plain), side(&flipped));
    // A cached result of one side is not given for the other.
    let mut rebuilder = Rebuilder::new();
    let mut one = |recipe: &Recipe| {
        let rebuilt = rebuilder.rebuild(recipe, &Cancel::default(), &|_| ()).unwrap();
        bodies(&rebuilt, 2)[0].shells()[0].faces()[0].reversed
    };
    assert_ne!(one(&plain), one(&flipped));
    let solid =
        vec![circle("rim", 0.0, 5.0), step("pin", "extrude", json!({"profile": of("rim"), "length": 5}))];
    let solid = Edit::SetFacing { step: "pin".into(), flip: true }.apply(&recipe(solid)).unwrap();
    assert!(rebuild(&solid).built(1).unwrap().warnings[0].message.contains("no effect"));
}

#[test]
fn changing_one_section_rebuilds_that_loft_and_what_hangs_on_it_and_nothing_else() {
    let mut steps: Vec<Value> =
        (0..6).map(|k| circle(&format!("s{k}"), 20.0 * f64::from(k), 10.0 + f64::from(k))).collect();
    steps.push(step("first", "loft", json!({"sections": [of("s0"), of("s1"), of("s2")]})));
    steps.push(step("second", "loft", json!({"sections": [of("s3"), of("s4"), of("s5")]})));
    steps.push(step("twin", "copy", json!({"of": of("first"), "plane": "yz"})));
    steps.push(step(
        "row",
        "pattern",
        json!({"of": of("second"), "way": "line", "axis": "x", "spacing": 80}),
    ));
    let recipe = recipe(steps);
    let mut rebuilder = Rebuilder::new();
    let mut rebuilt_steps = |recipe: &Recipe| {
        let rebuilt = rebuilder.rebuild(recipe, &Cancel::default(), &|_| ()).unwrap();
        rebuilt.steps.into_iter().filter(|s| s.rebuilt).map(|s| s.step).collect::<Vec<_>>()
    };
    assert_eq!(rebuilt_steps(&recipe).len(), 10);
    assert!(rebuilt_steps(&recipe).is_empty());
    let moved = Edit::SetField { step: "s1".into(), field: "offset".into(), value: json!(23) }
        .apply(&recipe)
        .unwrap();
    assert_eq!(rebuilt_steps(&moved), ["s1", "first", "twin"]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Whatever is asked of a sweep or a loft, it is built or refused with the field that is meant; nothing panics.
    #[test]
    fn any_values_are_built_or_refused(
        carries in 0usize..3,
        turned in 0usize..4,
        between in 0usize..5,
        start in 0usize..5,
        numbers in prop::collection::vec(-50.0..50.0f64, 6),
    ) {
        let carry = ["drawn", "round", "straight"][carries];
        let steps = vec![
            circle("low", 0.0, 5.0 + numbers[0].abs()),
            circle("high", numbers[1], 5.0 + numbers[2].abs()),
            drawing("path", "xz", 0.0, json!([{"id": "curve 1", "kind": "through_points", "points": [[0, 0], [numbers[3], 30], [40, numbers[4]]]}])),
            step("swept", "sweep", json!({
                "path": of("path"), "carries": carry, "sections": [of("low")], "radius": numbers[5], "length": numbers[5],
                "turned": (["path", "kept", "direction", "surface"][turned]), "twist": numbers[3], "scale": numbers[4] / 10.0,
            })),
            step("lofted", "loft", json!({
                "sections": [of("low"), of("high")],
                "between": (["smooth", "straight", "ring", "developable", "control_rows"][between]),
                "start": (["free", "square", "tangent", "curvature", "rounded"][start]), "start_pull": numbers[0],
            })),
        ];
        let recipe = recipe(steps);
        let told = report(&recipe, &rebuild(&recipe));
        for step in told.steps.iter().filter(|s| s.state == "failed") {
            prop_assert!(step.error.as_ref().unwrap().input.is_some(), "{:?}", step.error);
        }
        for body in &told.bodies {
            prop_assert_eq!(body.kind == "solid", body.watertight);
        }
    }
}

#[test]
fn what_exists_keeps_its_shape_and_what_is_new_follows_the_newest_rules() {
    let arc = |more: Value| {
        let mut curve = json!({"id": "a", "kind": "arc_about", "points": [[0, 0], [10, 0], [0, -7]]});
        curve.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        vec![drawing("d", "xy", 0.0, json!([curve]))]
    };
    let length = |version: u32, more: Value| {
        reached(&rebuild(&recipe_of(version, json!([]), arc(more))), 0, "Length of a")
    };
    near(length(2, json!({})), 5.0 * PI, 1e-9);
    near(length(3, json!({})), 15.0 * PI, 1e-9);
    near(length(3, json!({"way": "clockwise"})), 5.0 * PI, 1e-9);
    near(length(3, json!({"way": "shorter"})), 5.0 * PI, 1e-9);
    near(length(3, json!({"points": [[0, 0], [10, 0], [4, 0]]})), 20.0 * PI, 1e-9);
    // A tube drawn downwards, its wall named inward.
    let tube = |version: u32, more: Value| {
        let mut make = json!({"profile": of("d")});
        make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        let steps = vec![
            drawing("d", "xz", 0.0, json!([{"id": "a", "kind": "polyline", "points": [[10, 20], [10, 0]]}])),
            step("r", "revolve", make),
            step("w", "thicken", json!({"surface": of("r"), "thickness": 1})),
        ];
        volume(&rebuild(&recipe_of(version, json!([]), steps)), 2)
    };
    near(tube(2, json!({})), PI * 21.0 * 20.0, 1e-9);
    near(tube(3, json!({})), PI * 19.0 * 20.0, 1e-9);
    near(tube(3, json!({"outside": "right_of_profile"})), PI * 21.0 * 20.0, 1e-9);
    // Curves through points of earlier versions say by which rule they are made, and read again they are the same.
    let points = json!([[0, 0], [30, 1], [37, 8], [38, 60], [16, 175]]);
    let through = |version: u32| {
        let curve = json!([{"id": "a", "kind": "through_points", "points": points}]);
        let space = step("s", "space_curve", json!({"points": [[0, 0, 0], [5, 0, 9], [9, 9, 9]]}));
        recipe_of(version, json!([]), vec![drawing("d", "xy", 0.0, curve), space])
    };
    let old = through(2);
    let written = serde_json::to_value(&old).unwrap();
    assert_eq!(written["steps"][0]["make"]["drawing"]["curves"][0]["spacing"], "averaged");
    assert_eq!(written["steps"][1]["make"]["space_curve"]["spacing"], "averaged");
    let again = Recipe::from_value(written).unwrap();
    let length = |r: &Recipe| reached(&rebuild(r), 0, "Length of a");
    near(length(&old), length(&again), 1e-15);
    assert!((length(&old) - length(&through(3))).abs() > 0.1);
}

#[test]
fn a_bridge_leaves_away_from_its_faces_unless_it_is_to_go_over_them() {
    let sheet = |id: &str, z: f64| {
        let line = json!([{"id": "c", "kind": "polyline", "points": [[0, z], [30, z]]}]);
        vec![
            drawing(&format!("{id}0"), "xz", 0.0, line),
            step(id, "extrude", json!({"profile": of(&format!("{id}0")), "length": 20, "ends": "open"})),
        ]
    };
    let edge = |id: &str| json!({"step": id, "item": format!("edge {{{id}0}} / c, v start")});
    for leaves in ["toward", "square", "lines"] {
        for over in [false, true] {
            let mut steps = sheet("s", 0.0);
            steps.extend(sheet("t", 12.0));
            steps.push(step(
                "b",
                "bridge",
                json!({"first": [edge("s")], "second": [edge("t")], "first_leaves": leaves, "second_leaves": leaves,
                    "first_over": over, "second_over": over}),
            ));
            let made = rebuild(&recipe(steps));
            let [low, high] = [0.0, 1.0].map(|end| {
                let shell = &bodies(&made, 4)[0];
                let surface = shell.shells()[0].faces()[0].surface.clone();
                let (u, v) = surface.domain();
                let xs =
                    (0..=20).flat_map(|i| (0..=20).map(move |j| (f64::from(i) / 20.0, f64::from(j) / 20.0)));
                let xs = xs.map(|(a, b)| surface.point(u.at(a), v.at(b)).x);
                if end == 0.0 { xs.fold(f64::MAX, f64::min) } else { xs.fold(f64::MIN, f64::max) }
            });
            if over {
                assert!(low > -1e-6 && high > 1.0, "{leaves}: {low} to {high}");
            } else {
                assert!(high < 1e-6 && low < -1.0, "{leaves}: {low} to {high}");
            }
            for label in ["Angle at the first section", "Angle at the last section"] {
                assert!(reached(&made, 4, label).to_degrees() < 0.1);
            }
        }
    }
}

#[test]
fn control_rows_take_the_ends_that_are_asked_for() {
    let rows = |more: Value, tip: bool| {
        let mut steps: Vec<Value> = [(0.0, 20.0), (15.0, 26.0), (30.0, 14.0)]
            .iter()
            .enumerate()
            .map(|(k, (z, r))| circle(&format!("c{k}"), *z, *r))
            .collect();
        let mut sections = vec![of("c0"), of("c1"), of("c2")];
        if tip {
            steps.push(step("t", "point", json!({"way": "typed", "x": 0, "y": 0, "z": 50})));
            sections.push(of("t"));
        }
        let mut make = json!({"sections": sections, "between": "control_rows"});
        make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        steps.push(step("l", "loft", make));
        rebuild(&recipe(steps))
    };
    let made = rows(json!({"start": "square"}), false);
    assert!(reached(&made, 3, "Angle at the first section").to_degrees() < 1e-6);
    // Rounded over the tip, it is level there.
    for (end, level) in [("free", false), ("rounded", true)] {
        let made = rows(json!({"end": end}), true);
        let shell = bodies(&made, 4)[0].shells()[0];
        let side = shell.faces().iter().find(|f| f.role.starts_with("side")).unwrap();
        let (u, v) = side.surface.domain();
        let z = side.surface.normal(u.at(0.3), v.at(1.0 - 1e-7)).unwrap().z.abs();
        assert_eq!(z > 0.999, level, "{end}: {z}");
        assert!(volume(&made, 4) > 0.0);
    }
}

#[test]
fn new_surfaces_are_looked_over() {
    // Two lines whose middles bend the other way make a surface that crosses over itself when they are ruled crosswise.
    let warned = |crossed: bool| {
        let line = |id: &str, y: f64, z: f64| line(id, [0.0, y, z], [20.0, y, z]);
        let steps = vec![
            line("a", 0.0, 0.0),
            line("b", 10.0, 0.0),
            step("r", "ruled", json!({"first": of("a"), "second": of("b"), "crossed": crossed})),
        ];
        rebuild(&recipe(steps))
            .built(2)
            .unwrap()
            .warnings
            .iter()
            .map(|w| w.message.clone())
            .collect::<Vec<_>>()
    };
    assert_eq!(warned(false), Vec::<String>::new());
    let [only] = &warned(true)[..] else { panic!("{:?}", warned(true)) };
    assert!(only.contains("folds over"), "{only}");
}

#[test]
fn a_loft_is_square_to_the_plane_of_any_section_that_has_one() {
    // Half of a body from a curve in space that lies in the mirror plane: with its likeness it has no crease there.
    let arch = |id: &str, y: f64, h: f64| {
        step(
            id,
            "space_curve",
            json!({"follows": "control_points", "points": [[-20, y, 0], [-12, y, h], [12, y, h], [20, y, 0]]}),
        )
    };
    let with = |start: &str| {
        rebuild(&recipe(vec![
            arch("a", 0.0, 20.0),
            arch("b", 15.0, 14.0),
            arch("c", 40.0, 4.0),
            step("l", "loft", json!({"sections": [of("a"), of("b"), of("c")], "start": start})),
        ]))
    };
    let square = with("square");
    assert!(reached(&square, 3, "Angle at the first section").to_degrees() < 1e-6);
    let surface = bodies(&square, 3)[0].shells()[0].faces()[0].surface.clone();
    let (u, v) = surface.domain();
    for k in 1..10 {
        let normal = surface.normal(u.at(f64::from(k) / 10.0), v.start).unwrap();
        assert!(normal.y.abs() < 1e-9, "{normal}");
    }
    let straight = rebuild(&recipe(vec![
        line("a", [0.0; 3], [20.0, 0.0, 0.0]),
        line("b", [0.0, 30.0, 0.0], [20.0, 30.0, 9.0]),
        step("l", "loft", json!({"sections": [of("a"), of("b")], "start": "square"})),
    ]));
    assert!(failure(&straight, 2).message.contains("straight"), "{}", failure(&straight, 2).message);
}

#[test]
fn a_sweep_tells_where_it_leaves_what_it_was_given() {
    // Rails of four control points each bow out; a section in the middle of them stands between control points, and the clean
    // variant, which has no others, passes it by.
    let rail = |id: &str, side: f64| {
        let points = json!([[side, 0], [2.0 * side, 15], [0.5 * side, 30], [side, 45]]);
        drawing(id, "xy", 0.0, json!([{"id": "c", "kind": "bezier", "points": points}]))
    };
    let steps = |structure: &str| {
        let section = |id: &str, y: f64, half: f64, bow: f64| {
            drawing(
                id,
                "xz",
                -y,
                json!([{"id": "c", "kind": "arc", "points": [[-half, 0], [0, bow], [half, 0]]}]),
            )
        };
        vec![
            rail("left", -20.0),
            rail("right", 20.0),
            section("a", 0.0, 20.0, 6.0),
            section("b", 22.5, 23.75, 9.0),
            section("e", 45.0, 20.0, 6.0),
            step(
                "shell",
                "rail_sweep",
                json!({"first_rail": of("left"), "second_rail": of("right"), "sections": [of("a"), of("b"), of("e")], "structure": structure}),
            ),
        ]
    };
    let clean = rebuild(&recipe_of(3, json!([]), steps("clean")));
    let told = reached(&clean, 5, "Deviation reached");
    let built = clean.built(5).unwrap();
    let warning = built.warnings.iter().find(|w| w.message.contains("leaves what it was given")).unwrap();
    let at = warning.at.unwrap();
    // The place is on the section, and the nearest place of the surface is as far from it as is told.
    let surface = &bodies(&clean, 5)[0].shells()[0].faces()[0].surface;
    let off = (0..=400).flat_map(|i| (0..=400).map(move |j| (i, j))).map(|(i, j)| {
        let (u, v) = surface.domain();
        let p = surface.point(u.at(f64::from(i) / 400.0), v.at(f64::from(j) / 400.0));
        (p - geometry::Point3::from(at)).norm()
    });
    let nearest = off.fold(f64::INFINITY, f64::min);
    assert!((at[1] - 22.5).abs() < 1e-9 && told > 0.05, "{at:?} {told}");
    // Places of the grid are up to 0.1 mm apart.
    assert!(nearest >= told && nearest < told.hypot(0.1), "{nearest} {told}");
    let fitted = rebuild(&recipe_of(3, json!([]), steps("fitted")));
    assert!(fitted.built(5).unwrap().warnings.is_empty(), "{:?}", fitted.built(5).unwrap().warnings);
}
