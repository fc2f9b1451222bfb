//! Fillets between surfaces of several faces, between faces of one solid, and full rounds, against closed forms.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::{FRAC_PI_4, PI};

use made::{area, bodies, circle, failure, near, of, reached, rebuild, recipe, step, volume};
use part::{Rebuilt, named_shapes};
use proptest::prelude::*;
use serde_json::{Value, json};
use topology::{Body, MeshTolerance, mesh, seams};

fn outline(id: &str, plane: &str, points: &[[f64; 2]], rounding: f64, closed: bool) -> Value {
    let changes = match rounding > 0.0 {
        true => json!([{"change": "fillet", "curve": "c", "radius": rounding}]),
        false => json!([]),
    };
    let curves = json!([{"id": "c", "kind": "polyline", "points": points, "closed": closed}]);
    step(id, "drawing", json!({"plane": plane, "curves": curves, "changes": changes}))
}

fn prism(id: &str, points: &[[f64; 2]], rounding: f64, length: f64) -> Vec<Value> {
    let profile = format!("{id} profile");
    vec![
        outline(&profile, "xy", points, rounding, true),
        step(id, "extrude", json!({"profile": of(&profile), "length": length})),
    ]
}

/// A rectangle about the origin by half its sides.
fn rectangle([a, b]: [f64; 2]) -> [[f64; 2]; 4] {
    [[-a, -b], [a, -b], [a, b], [-a, b]]
}

/// The first face of a step whose place and normal a test accepts.
fn face(steps: &[Value], step: &str, chosen: impl Fn([f64; 3], [f64; 3]) -> bool) -> Value {
    let recipe = recipe(steps.to_vec());
    let named = named_shapes(&recipe, &rebuild(&recipe), Some(step)).unwrap();
    let faces = &named[0].faces;
    let found = faces.iter().find(|f| chosen(f.at.unwrap(), f.normal.unwrap())).unwrap();
    json!({"step": step, "item": found.name})
}

fn along(normal: [f64; 3], way: [f64; 3]) -> bool {
    (0..3).map(|k| normal[k] * way[k]).sum::<f64>() > 0.999
}

fn filleted(mut steps: Vec<Value>, fillet: Value) -> Rebuilt {
    steps.push(step("fillet", "surface_fillet", fillet));
    rebuild(&recipe(steps))
}

/// The volume of the step made last, which is to be one solid that can be meshed without a gap.
fn solid(rebuilt: &Rebuilt) -> f64 {
    let last = rebuilt.steps.len() - 1;
    let [Body::Solid(solid)] = bodies(rebuilt, last) else { panic!("{:?}", rebuilt.steps[last].outcome) };
    let made = mesh(solid.outer(), MeshTolerance::chord(0.05)).unwrap();
    let mut sides = std::collections::BTreeMap::<[u32; 2], i32>::new();
    for [a, b, c] in made.triangles() {
        for [from, to] in [[a, b], [b, c], [c, a]] {
            let (key, turn) = if from < to { ([from, to], 1) } else { ([to, from], -1) };
            *sides.entry(key).or_default() += turn;
        }
    }
    assert!(sides.values().all(|n| *n == 0));
    volume(rebuilt, last)
}

/// What is left between two square sides beyond a circle of a radius that touches both, and how far its centroid is from either
/// (a square less a quarter of a circle; Pappus turns it about an axis).
fn spandrel(radius: f64) -> [f64; 2] {
    let (square, quarter) = (radius * radius, FRAC_PI_4 * radius * radius);
    let own = square - quarter;
    [own, (square * 0.5 * radius - quarter * (radius - 4.0 * radius / (3.0 * PI))) / own]
}

const PLATE: f64 = 60.0;

/// A boss with rounded corners on a plate, with a flat round its foot that a fillet is to swallow.
fn boss(half: [f64; 2], rounding: f64, foot: f64, height: f64) -> Vec<Value> {
    let mut steps = prism("plate", &rectangle([PLATE; 2]), 0.0, 5.0);
    let top = face(&steps, "plate", |_, n| along(n, [0.0, 0.0, 1.0]));
    steps.push(outline("boss profile", "xy", &rectangle(half), rounding, true));
    let region = json!({"face": top, "outline": of("boss profile"), "height": height, "draft": 0});
    steps.push(step("both", "raised_region", region));
    let sharp = recipe(steps.clone());
    let named = named_shapes(&sharp, &rebuild(&sharp), Some("both")).unwrap();
    let beside = |p: [f64; 3]| (p[2] - 5.0).abs() < 1e-6 && (p[0] - half[0]).abs() < 1e-6;
    let edge = named[0].edges.iter().find(|e| beside(e.at)).unwrap();
    let edges = json!([{"step": "both", "item": edge.name}]);
    steps.push(step("all", "chamfer", json!({"edges": edges, "distance": foot})));
    steps
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// A facet in a corner is swallowed by a fillet between the faces on either side of it; one that reaches into the ball is refused.
    #[test]
    fn a_fillet_between_faces_swallows_what_lies_between(
        facet in 0.5..6.0f64, share in 0.75..4.0f64, length in 3.0..60.0f64, convex in any::<bool>(),
    ) {
        // The ball is free of a facet at 45 degrees from 1 / (2 - sqrt 2) of its legs on.
        let radius = share * facet * 2.0;
        let room = radius > facet / (2.0 - 2.0f64.sqrt());
        let size = 1.2 * radius + facet + 5.0;
        let points = if convex {
            vec![[0.0, 0.0], [size, 0.0], [size, size - facet], [size - facet, size], [0.0, size]]
        } else {
            vec![
                [0.0, 0.0], [10.0 + size, 0.0], [10.0 + size, 10.0], [10.0 + facet, 10.0], [10.0, 10.0 + facet],
                [10.0, 10.0 + size], [0.0, 10.0 + size],
            ]
        };
        let steps = prism("block", &points, 0.0, length);
        let at = if convex { size } else { 10.0 };
        let first = face(&steps, "block", |p, n| along(n, [0.0, 1.0, 0.0]) && (p[1] - at).abs() < 1e-6);
        let second = face(&steps, "block", |p, n| along(n, [1.0, 0.0, 0.0]) && (p[0] - at).abs() < 1e-6);
        let side = if convex { "inside" } else { "outside" };
        let fillet = json!({"first": first, "second": second, "first_side": side, "second_side": side, "radius": radius});
        let made = filleted(steps, fillet);
        if room {
            let [lost, _] = spandrel(radius);
            let sharp = if convex { size * size - lost } else { 100.0 + 20.0 * size + lost };
            near(solid(&made), sharp * length, 1e-6);
        } else {
            let refused = failure(&made, 2).message;
            let by_far = radius < 0.95 * facet / (2.0 - 2.0f64.sqrt());
            let told = refused.contains("in the way") || refused.contains("no ball");
            prop_assert!(told || !by_far, "{}", refused);
        }
    }

    /// Round a boss of eight faces, over the step at its foot.
    #[test]
    fn a_fillet_runs_on_over_all_faces_that_meet_smoothly(
        half in [12.0..25.0f64, 12.0..25.0f64], rounding in 2.0..9.0f64, foot in 0.2..2.0f64, more in 1.0..4.0f64,
    ) {
        let radius = (foot + 0.5) * (1.0 + more);
        let steps = boss(half, rounding, foot, 20.0);
        let floor = face(&steps, "all", |p, n| along(n, [0.0, 0.0, 1.0]) && (p[2] - 5.0).abs() < 1e-6);
        let wall = face(&steps, "all", |p, n| along(n, [1.0, 0.0, 0.0]) && (p[0] - half[0]).abs() < 1e-6);
        let made = filleted(steps, json!({"first": floor, "second": wall, "radius": radius}));
        let [own, from] = spandrel(radius);
        let straight = 4.0 * (half[0] + half[1] - 2.0 * rounding);
        let base = 4.0 * half[0] * half[1] - (4.0 - PI) * rounding * rounding;
        let whole = 4.0 * PLATE * PLATE * 5.0 + base * 20.0 + own * (straight + 2.0 * PI * (rounding + from));
        near(solid(&made), whole, 1e-7);
    }

    /// A full round over a rib of any trapezoid: the circle that touches three of its sides.
    #[test]
    fn a_full_round_touches_three_faces(
        wide in 4.0..20.0f64, slopes in [-0.15..0.35f64, -0.15..0.35f64], height in 15.0..30.0f64, length in 2.0..50.0f64,
    ) {
        let top = [slopes[0] * height, wide - slopes[1] * height];
        prop_assume!(top[1] - top[0] > 2.0 && top[1] - top[0] < 0.9 * height);
        let corners = [[0.0, 0.0], [wide, 0.0], [top[1], height], [top[0], height]];
        let steps = prism("rib", &corners, 0.0, length);
        let upward = |_: [f64; 3], n: [f64; 3]| along(n, [0.0, 1.0, 0.0]);
        let fillet = json!({
            "first": face(&steps, "rib", |_, n| n[0] > 0.5), "second": face(&steps, "rib", |_, n| n[0] < -0.5),
            "middle": face(&steps, "rib", upward), "radius_by": "full",
            "first_side": "inside", "second_side": "inside", "middle_side": "inside",
        });
        // Half the angles between the top and either side, and the circle between: its radius by the cotangents.
        let half = slopes.map(|s| 0.5 * (0.5 * PI + s.atan()));
        let radius = (top[1] - top[0]) / (half[0].tan().recip() + half[1].tan().recip());
        // A corner loses the kite to the points of contact less the circle's sector.
        let lost: f64 = half.iter().map(|h| radius * radius * (h.tan().recip() - (0.5 * PI - h))).sum();
        let whole = 0.5 * (wide + top[1] - top[0]) * height;
        let (last, made) = (steps.len(), filleted(steps, fillet));
        near(solid(&made), (whole - lost) * length, 1e-7);
        for label in ["Radius, smallest", "Radius, largest"] {
            near(reached(&made, last, label), radius, 1e-6);
        }
    }
}

#[test]
fn full_rounds_go_round_rims_and_into_slots() {
    let inside = |first: Value, second: Value, middle: Value, side: &str| {
        json!({
            "first": first, "second": second, "middle": middle, "radius_by": "full",
            "first_side": side, "second_side": side, "middle_side": side,
        })
    };
    // The rim of a turned tube: a half circle in the place of half a square, turned about the axis (Pappus).
    for [inner, outer] in [[10.0, 14.0], [30.0, 31.0], [2.0, 10.0]] {
        let profile = [[inner, 0.0], [outer, 0.0], [outer, 30.0], [inner, 30.0]];
        let steps = vec![
            outline("profile", "xz", &profile, 0.0, true),
            step("tube", "revolve", json!({"profile": of("profile")})),
        ];
        let far = |p: [f64; 3]| p[0].hypot(p[1]);
        let bore = face(&steps, "tube", |p, n| n[2].abs() < 0.5 && far(p) < 0.5 * (inner + outer));
        let skin = face(&steps, "tube", |p, n| n[2].abs() < 0.5 && far(p) > 0.5 * (inner + outer));
        let rim = face(&steps, "tube", |_, n| along(n, [0.0, 0.0, 1.0]));
        let wall = outer - inner;
        let lost = wall * wall * (0.5 - PI / 8.0);
        let whole = PI * (outer * outer - inner * inner) * 30.0 - 2.0 * PI * 0.5 * (inner + outer) * lost;
        near(solid(&filleted(steps, inside(bore, skin, rim, "inside"))), whole, 1e-6);
    }
    // That of a frame, over eight faces of either side.
    for (half, rounding, wall) in [([20.0, 15.0], 6.0, 2.0), ([40.0, 10.0], 8.0, 5.0)] {
        let mut steps = prism("outer", &rectangle(half), rounding, 10.0);
        steps.extend(prism("core", &rectangle(half.map(|h| h - wall)), rounding - wall, 10.0));
        steps.push(step(
            "frame",
            "combine",
            json!({"what": "subtract", "solids": [of("outer")], "others": [of("core")]}),
        ));
        let skin = face(&steps, "frame", |p, n| along(n, [1.0, 0.0, 0.0]) && p[0] > 0.0);
        let bore = face(&steps, "frame", |p, n| along(n, [-1.0, 0.0, 0.0]) && p[0] > 0.0);
        let rim = face(&steps, "frame", |_, n| along(n, [0.0, 0.0, 1.0]));
        let section = |half: [f64; 2], r: f64| 4.0 * half[0] * half[1] - (4.0 - PI) * r * r;
        let whole = 10.0 * (section(half, rounding) - section(half.map(|h| h - wall), rounding - wall));
        let straight = 4.0 * (half[0] + half[1] - 2.0 * rounding);
        let lost = wall * wall * (0.5 - PI / 8.0) * (straight + 2.0 * PI * (rounding - 0.5 * wall));
        near(solid(&filleted(steps, inside(skin, bore, rim, "inside"))), whole - lost, 1e-7);
    }
    // The bottom of a slot: the shape grows, and with it the faces at the ends.
    let slot = [
        [0.0, 0.0],
        [60.0, 0.0],
        [60.0, 40.0],
        [33.0, 40.0],
        [33.0, 15.0],
        [27.0, 15.0],
        [27.0, 40.0],
        [0.0, 40.0],
    ];
    let steps = prism("block", &slot, 0.0, 25.0);
    let left = face(&steps, "block", |p, n| along(n, [1.0, 0.0, 0.0]) && p[0] < 30.0);
    let right = face(&steps, "block", |p, n| along(n, [-1.0, 0.0, 0.0]) && p[0] > 30.0);
    let bottom = face(&steps, "block", |p, n| along(n, [0.0, 1.0, 0.0]) && p[1] < 20.0);
    let made = filleted(steps.clone(), inside(left.clone(), right.clone(), bottom.clone(), "outside"));
    near(solid(&made), 25.0 * (2400.0 - 150.0 + 36.0 * (0.5 - PI / 8.0)), 1e-7);
    // On the other side there is no such ball, and a full round needs its third face.
    let made = filleted(steps.clone(), inside(left.clone(), right.clone(), bottom, "inside"));
    assert!(failure(&made, 2).message.contains("no ball touches all three"));
    let without = json!({"first": left, "second": right, "radius_by": "full"});
    assert!(failure(&filleted(steps, without), 2).message.contains("pick the face between"));
}

#[test]
fn a_fillet_between_sheets_ends_at_slanted_borders() {
    // A level floor and an upright wall over it at a slant, both cut off by the same two planes: a quarter of a cylinder between
    // parallel planes, as long as its axis (Cavalieri).
    for slant in [0.0_f64, 12.0, 30.0, 45.0] {
        let floor = json!([{"id": "c", "kind": "through_points", "points": [[-60, 0], [60, 0]]}]);
        let wall = json!([{"id": "c", "kind": "through_points", "points": [[-slant, -40], [slant, 40]]}]);
        let steps = vec![
            made::drawing("floor line", "xz", 0.0, floor),
            step("floor", "extrude", json!({"profile": of("floor line"), "length": 40, "back": 40})),
            made::drawing("wall line", "xy", -20.0, wall),
            step("wall", "extrude", json!({"profile": of("wall line"), "length": 50, "ends": "open"})),
        ];
        let made = filleted(
            steps,
            json!({"first": of("floor"), "second": of("wall"), "radius": 5, "trims": "neither"}),
        );
        near(area(&made, 4), 0.5 * PI * 5.0 * 2.0 * slant.hypot(40.0), 1e-6);
        let shell = bodies(&made, 4)[0].shells()[0];
        let ends = shell.edges().iter().filter_map(|e| e.curve.as_ref()).filter(|c| c.length() < 20.0);
        for curve in ends {
            for k in 0..=16 {
                let p = curve.point(curve.domain().at(f64::from(k) / 16.0));
                assert!((p.y.abs() - 40.0).abs() < 1e-3, "{p}");
            }
        }
    }
    // A wavy floor of three faces and a wall of five: joined all along, and smooth.
    let floor =
        outline("floor line", "xz", &[[-60.0, 0.0], [-20.0, 6.0], [25.0, -4.0], [60.0, 2.0]], 15.0, false);
    let wall =
        outline("wall line", "xy", &[[-5.0, -40.0], [8.0, -12.0], [-6.0, 14.0], [5.0, 40.0]], 14.0, false);
    let mut steps = vec![
        floor,
        step(
            "floor",
            "extrude",
            json!({"profile": of("floor line"), "length": 40, "back": 40, "ends": "open"}),
        ),
        wall,
        step(
            "wall",
            "extrude",
            json!({"profile": of("wall line"), "length": 30, "back": 30, "ends": "open"}),
        ),
    ];
    for radius in [0.5, 3.0, 7.0] {
        let fillet = json!({"first": of("floor"), "second": of("wall"), "radius": radius});
        let made = filleted(steps.clone(), fillet);
        let [Body::Shell(shell)] = bodies(&made, 4) else { panic!("{:?}", made.steps[4].outcome) };
        let smooth = seams(shell).iter().map(|s| s.meeting.angle.0.to_degrees()).fold(0.0, f64::max);
        assert!(smooth < 0.1, "{smooth}");
    }
    // A pin through the floor, whose edges the ball goes round.
    steps.truncate(2);
    steps.push(circle("ring", -20.0, 8.0));
    steps.push(step("pin", "extrude", json!({"profile": of("ring"), "length": 40, "ends": "open"})));
    let made = filleted(steps, json!({"first": of("floor"), "second": of("pin"), "radius": 2}));
    assert!(matches!(bodies(&made, 4), [Body::Shell(_)]));
}

/// A fillet held to the upper edges of an upright wall: its radius is their height everywhere, and its section (1 - pi/4) h^2.
fn held_to_heights(heights: &[f64], piece: f64, scale: f64, far: f64) {
    let scale = 10.0f64.powf(scale);
    let (deep, plate, back) = (20.0 * scale, 4.0 * scale, 6.0 * scale);
    let length = piece * scale * (heights.len() - 1) as f64;
    let at = |k: usize| [far * scale + piece * scale * k as f64, plate + heights[k] * scale];
    let mut wall: Vec<[f64; 2]> = (0..heights.len()).map(at).collect();
    wall.extend([[far * scale + length, 0.5 * plate], [far * scale, 0.5 * plate]]);
    let [x0, x1] = [far * scale, far * scale + length];
    let mut steps = prism("plate", &[[x0, -deep], [x1, -deep], [x1, back], [x0, back]], 0.0, plate);
    steps.push(outline("wall profile", "xz", &wall, 0.0, true));
    steps.push(step("wall", "extrude", json!({"profile": of("wall profile"), "length": -back})));
    steps.push(step("body", "combine", json!({"solids": [of("plate"), of("wall")]})));
    let sharp = recipe(steps.clone());
    let sharp = rebuild(&sharp);
    let on_wall = |p: [f64; 3]| p[1].abs() < 1e-6 * scale && p[2] > plate * (1.0 + 1e-6);
    let first = face(&steps, "body", |p, n| on_wall(p) && along(n, [0.0, -1.0, 0.0]));
    let second =
        face(&steps, "body", |p, n| along(n, [0.0, 0.0, 1.0]) && (p[2] - plate).abs() < 1e-6 * scale);
    let named = named_shapes(&recipe(steps.clone()), &sharp, Some("body")).unwrap();
    let inside = |p: [f64; 3]| p[0] > x0 + 1e-6 * scale && p[0] < x1 - 1e-6 * scale;
    let held: Vec<Value> = named[0]
        .edges
        .iter()
        .filter(|e| on_wall(e.at) && inside(e.at) && e.length_mm > 0.0)
        .map(|e| json!({"step": "body", "item": e.name}))
        .collect();
    assert_eq!(held.len() + 1, heights.len());
    let fillet = json!({"first": first, "second": second, "radius_by": "held", "held_to": held});
    let made = filleted(steps, fillet);
    let squares: f64 = heights.windows(2).map(|w| (w[0] * w[0] + w[0] * w[1] + w[1] * w[1]) / 3.0).sum();
    let added = (1.0 - FRAC_PI_4) * squares * piece * scale.powi(3);
    let before = volume(&sharp, 4);
    assert!((solid(&made) - before - added).abs() <= 1e-5 * added, "{} {added}", solid(&made) - before);
    let [low, high] = [f64::min, f64::max].map(|of| heights.iter().copied().reduce(of).unwrap() * scale);
    near(reached(&made, 5, "Radius, smallest"), low, 1e-6);
    near(reached(&made, 5, "Radius, largest"), high, 1e-6);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn a_fillet_held_to_edges_takes_their_height(
        heights in prop::collection::vec(1.5..12.0f64, 2..5), piece in 4.0..20.0f64, scale in -1.0..1.5f64, far in 0.0..1000.0f64,
    ) {
        held_to_heights(&heights, piece, scale, far);
    }

    /// The foot of a turned boss, its fillet held to the boss's rim (Pappus): the spandrel between the upright wall and the plate.
    #[test]
    fn a_fillet_held_to_a_rim_goes_round(radius in 3.0..12.0f64, height in 1.0..8.0f64) {
        let (plate, wide) = (3.0, radius + height + 10.0);
        let points = [[0.0, 0.0], [wide, 0.0], [wide, plate], [radius, plate], [radius, plate + height], [0.0, plate + height]];
        let steps = vec![
            outline("profile", "xz", &points, 0.0, false),
            step("boss", "revolve", json!({"profile": of("profile"), "axis": "z"})),
        ];
        let first = face(&steps, "boss", |p, _| p[2] > plate + 1e-6 && p[2] < plate + height - 1e-6);
        let second = face(&steps, "boss", |p, _| (p[2] - plate).abs() < 1e-6);
        let sharp = rebuild(&recipe(steps.clone()));
        let named = named_shapes(&recipe(steps.clone()), &sharp, Some("boss")).unwrap();
        let rim = named[0].edges.iter().find(|e| (e.at[2] - plate - height).abs() < 1e-6).unwrap();
        let held = json!([{"step": "boss", "item": rim.name}]);
        let made = filleted(steps, json!({"first": first, "second": second, "radius_by": "held", "held_to": held}));
        let [own, off] = spandrel(height);
        near(solid(&made) - volume(&sharp, 1), own * 2.0 * PI * (radius + off), 1e-6);
    }
}

#[test]
fn fillets_held_to_edges_whose_ends_were_cut_wrongly() {
    // A plane at the end that meets two successive edges of a border, far from the origin and near it; an end higher than the others.
    held_to_heights(
        &[11.37233894616513, 10.272497743813087],
        11.462667884506027,
        -0.787215536532306,
        796.5061717176687,
    );
    held_to_heights(
        &[4.021898125795711, 1.5, 9.678035923663428],
        10.176298727777045,
        -0.4334219178337512,
        0.0009487839670768306,
    );
    held_to_heights(&[1.5, 1.5, 11.899244283998433], 4.0, 0.0, 0.0);
    // Balls that come to nothing not far beyond the end.
    held_to_heights(
        &[1.552342094028425, 10.433669909014066, 11.390350709278916, 2.588259374835227],
        4.005839207732468,
        -0.21476558777475518,
        290.5693826070378,
    );
}

#[test]
fn a_fillet_between_sheets_is_held_to_a_border() {
    // A quarter of a cylinder from the lower border of an upright sheet down to a level one; on other sides there is no such ball.
    let sheet = |id: &str, plane: &str, offset: f64, points: [[f64; 2]; 2], length: f64| {
        let line = format!("{id} line");
        vec![
            made::drawing(
                &line,
                plane,
                offset,
                json!([{"id": "c", "kind": "through_points", "points": points}]),
            ),
            step(id, "extrude", json!({"profile": of(&line), "length": length, "ends": "open"})),
        ]
    };
    let mut steps = sheet("wall", "xy", 6.0, [[0.0, 0.0], [30.0, 0.0]], 8.0);
    steps.extend(sheet("floor", "xy", 0.0, [[0.0, 0.0], [30.0, 0.0]], 1.0));
    steps.truncate(2);
    steps.push(made::drawing(
        "floor line",
        "xz",
        0.0,
        json!([{"id": "c", "kind": "through_points", "points": [[0, 0], [30, 0]]}]),
    ));
    steps.push(step(
        "floor",
        "extrude",
        json!({"profile": of("floor line"), "length": 25, "back": 2, "ends": "open"}),
    ));
    let sharp = recipe(steps.clone());
    let named = named_shapes(&sharp, &rebuild(&sharp), Some("wall")).unwrap();
    let border = named[0]
        .edges
        .iter()
        .find(|e| (e.at[2] - 6.0).abs() < 1e-6 && (e.at[0] - 15.0).abs() < 1e-3)
        .unwrap();
    let held = json!([{"step": "wall", "item": border.name}]);
    let mut built = 0;
    for (one, two) in
        [("outside", "outside"), ("outside", "inside"), ("inside", "outside"), ("inside", "inside")]
    {
        let fillet = json!({"first": of("wall"), "second": of("floor"), "first_side": one, "second_side": two,
            "radius_by": "held", "held_to": held});
        let made = filleted(steps.clone(), fillet);
        if made.built(4).is_none() {
            let refused = failure(&made, 4).message;
            assert!(refused.contains("no ball that touches"), "{refused}");
            continue;
        }
        let [Body::Shell(shell)] = bodies(&made, 4) else { panic!("no shell") };
        built += 1;
        assert_eq!(shell.faces().len(), 3);
        near(reached(&made, 4, "Radius, largest"), 6.0, 1e-9);
    }
    assert!((1..=2).contains(&built), "{built}");
}
