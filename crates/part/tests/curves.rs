//! Drawings, planes, axes, points and space curves, as recipes build them.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::{FRAC_PI_2, PI, TAU};

use geometry::Point3;
use part::steps::drawing::{CurveKind, DrawnCurve};
use part::{Cancel, CurveShape, Edit, Notice, Outcome, Rebuilder, Rebuilt, Recipe, RecipeError, Shape};
use proptest::prelude::*;
use serde_json::{Value, json};

fn recipe(steps: Value) -> Recipe {
    with_parameters(json!([]), steps)
}

fn with_parameters(parameters: Value, steps: Value) -> Recipe {
    let value = json!({"format": "kindred-shell-recipe", "version": 1, "name": "Curves", "parameters": parameters, "steps": steps});
    Recipe::from_value(value).unwrap()
}

fn rebuild(recipe: &Recipe) -> Rebuilt {
    Rebuilder::new().rebuild(recipe, &Cancel::default(), &|_| ()).unwrap()
}

fn step(id: &str, kind: &str, make: Value) -> Value {
    json!({"id": id, "name": id, "make": {kind: make}})
}

fn drawing(curves: Value, changes: Value) -> Value {
    step("d", "drawing", json!({"plane": "xy", "curves": curves, "changes": changes}))
}

fn curves(rebuilt: &Rebuilt, index: usize) -> Vec<CurveShape> {
    match &rebuilt.steps[index].outcome {
        Outcome::Built(built) => built.shape.curves().unwrap().to_vec(),
        other => panic!("{other:?}"),
    }
}

/// The curves of one drawing on the xy plane.
fn drawn(of: Value, changes: Value) -> Vec<CurveShape> {
    curves(&rebuild(&recipe(json!([drawing(of, changes)]))), 0)
}

fn refused(of: Value, changes: Value) -> Notice {
    match &rebuild(&recipe(json!([drawing(of, changes)]))).steps[0].outcome {
        Outcome::Failed(notice) => notice.clone(),
        other => panic!("{other:?}"),
    }
}

fn line(id: &str, a: [f64; 2], b: [f64; 2]) -> Value {
    json!({"id": id, "kind": "through_points", "points": [a, b]})
}

fn near(a: f64, b: f64, tolerance: f64) {
    assert!((a - b).abs() <= tolerance, "{a} is not {b} within {tolerance}");
}

fn at(p: Point3, x: f64, y: f64) {
    assert!((p - Point3::new(x, y, 0.0)).norm() < 1e-9, "{p} is not ({x}, {y})");
}

#[test]
fn every_kind_of_curve_has_its_size() {
    let kinds = json!([
        {"id": "circle", "kind": "circle", "points": [[5, 5]], "values": {"radius": "1 cm"}},
        // AL-01, NIST DLMF 19.30(i).
        {"id": "ellipse", "kind": "ellipse", "points": [[0, 0]], "values": {"radius_x": 5, "radius_y": 3, "turn": "30 deg"}},
        {"id": "half", "kind": "ellipse", "points": [[0, 0]], "values": {"radius_x": 2, "radius_y": 1, "from": "0 deg", "to": "180 deg"}},
        {"id": "rectangle", "kind": "rectangle", "points": [[1, 2]], "values": {"width": 8, "height": 3}},
        {"id": "hexagon", "kind": "polygon", "points": [[0, 0]], "values": {"sides": 6, "radius": 7}},
        {"id": "lines", "kind": "polyline", "points": [[0, 0], [3, 4], [3, 10]], "closed": false},
        {"id": "about", "kind": "arc_about", "points": [[0, 0], [10, 0], [0, 3]]},
        {"id": "on", "kind": "tangent_arc", "after": "lines", "points": [[1, 10]]},
    ]);
    let made = drawn(kinds, json!([]));
    let expected = [
        20.0 * PI,
        25.526_998_863_398_13,
        9.688_448_220_547_676 / 2.0,
        22.0,
        42.0,
        11.0,
        10.0 * FRAC_PI_2,
        // From (3, 10) upwards to (1, 10): a half turn of radius 1.
        PI,
    ];
    for (curve, length) in made.iter().zip(expected) {
        near(curve.length(), length, 1e-9);
    }
    let closed: Vec<bool> = made.iter().map(|c| c.is_closed(1e-6)).collect();
    assert_eq!(closed, [true, true, false, true, true, false, false, false]);
    at(made[7].pieces[0].point(0.5), 2.0, 11.0);
}

#[test]
fn values_of_a_curve_follow_the_parameters() {
    // EX-12: the distances to the foci, sqrt(a^2 - b^2) from the centre, add up to 2 a.
    let parameters = json!([{"name": "long", "quantity": "length", "formula": "3 cm"}, {"name": "flat", "quantity": "ratio", "formula": 3}]);
    let ellipse = json!([{"id": "e", "kind": "ellipse", "points": [["long", 0]], "values": {"radius_x": "long", "radius_y": "long / flat"}}]);
    let before = with_parameters(parameters, json!([drawing(ellipse, json!([]))]));
    let sum = |recipe: &Recipe, a: f64, b: f64| {
        let curve = &curves(&rebuild(recipe), 0)[0];
        let focus = (a * a - b * b).sqrt();
        (0..=24)
            .map(|k| curve.pieces[0].point(f64::from(k) / 24.0) - Point3::new(a, 0.0, 0.0))
            .map(|d| ((d.x - focus).hypot(d.y) + (d.x + focus).hypot(d.y) - 2.0 * a).abs())
            .fold(0.0, f64::max)
    };
    assert!(sum(&before, 30.0, 10.0) < 1e-12 * 60.0);
    let renamed = Edit::RenameParameter { name: "long".into(), to: "reach".into() }.apply(&before).unwrap();
    assert!(sum(&renamed, 30.0, 10.0) < 1e-12 * 60.0);
    assert!(!serde_json::to_string(&renamed.steps).unwrap().contains("long"));
    let parameter = part::Parameter { formula: 4.0.into(), ..renamed.parameters[1].clone() };
    let changed = Edit::SetParameter { parameter }.apply(&renamed).unwrap();
    assert!(sum(&changed, 30.0, 7.5) < 1e-12 * 60.0);
    assert!(matches!(
        Edit::RenameParameter { name: "reach".into(), to: "flat".into() }.apply(&changed),
        Err(RecipeError::Twice { .. })
    ));
}

#[test]
fn splines_obey_their_handles_weights_and_closing() {
    // The first cubic of a two-point curve with handles is the Bézier curve through them (AL-08).
    let handles = json!([
        {"id": "h", "kind": "through_points", "points": [[0, 0], [4, 0]], "start_handle": [1, 2], "end_handle": [1, -2]},
        {"id": "b", "kind": "bezier", "points": [[0, 0], [1, 2], [3, 2], [4, 0]]},
        // EX-02: a quarter circle as a weighted quadratic.
        {"id": "w", "kind": "control_points", "points": [[1, 0], [1, 1], [0, 1]], "weights": [1, "cos(45)", 1], "values": {"degree": 2}},
    ]);
    let made = drawn(handles, json!([]));
    near(made[0].length(), 5.268_365_543_018_514, 1e-9);
    near(made[1].length(), 5.268_365_543_018_514, 1e-11);
    near(made[2].length(), FRAC_PI_2, 1e-12);
    let closed = json!([
        {"id": "t", "kind": "through_points", "closed": true, "points": [[10, 0], [0, 8], [-10, 1], [1, -9]]},
        {"id": "c", "kind": "control_points", "closed": true, "points": [[10, 0], [0, 8], [-10, 1], [1, -9], [6, -7]]},
    ]);
    for curve in drawn(closed, json!([])) {
        let piece = &curve.pieces[0];
        let d = piece.domain();
        let (a, [a1, a2, _]) = piece.derivatives(d.start);
        let (b, [b1, b2, _]) = piece.derivatives(d.end);
        assert!(
            (a - b).norm() < 1e-9
                && (a1 - b1).norm() < 1e-8 * a1.norm()
                && (a2 - b2).norm() < 1e-7 * a2.norm(),
            "{}",
            curve.id
        );
    }
}

#[test]
fn corners_are_rounded_and_cut_live() {
    let square =
        json!([{"id": "r", "kind": "rectangle", "points": [[0, 0]], "values": {"width": 20, "height": 10}}]);
    let rounded = drawn(square.clone(), json!([{"change": "fillet", "curve": "r", "radius": 2}]));
    // Rounded rectangle: 2 (w + h) - 8 r + 2 pi r (plane geometry).
    near(rounded[0].length(), 60.0 - 16.0 + 4.0 * PI, 1e-9);
    assert_eq!(rounded[0].pieces.len(), 8);
    let one = drawn(square.clone(), json!([{"change": "chamfer", "curve": "r", "corner": 1, "distance": 3}]));
    near(one[0].length(), 60.0 - 6.0 + 3.0 * 2f64.sqrt(), 1e-9);
    let too_much = refused(square, json!([{"change": "fillet", "curve": "r", "radius": 5.5}]));
    assert!(too_much.message.contains("at most 4.99") && too_much.at.is_some(), "{too_much:?}");
    // Two lines that stop short of their corner are brought to it, whichever way they run.
    let apart = json!([line("a", [0.0, 0.0], [8.0, 0.0]), line("b", [10.0, 9.0], [10.0, 3.0])]);
    let joined = drawn(apart, json!([{"change": "fillet", "curve": "a", "with": "b", "radius": 2}]));
    at(joined[0].end(), 10.0, 2.0);
    at(joined[1].end(), 10.0, 2.0);
    near(joined[0].length() + joined[1].length(), 8.0 + PI + 7.0, 1e-9);
}

#[test]
fn curves_are_trimmed_split_and_extended() {
    let cross = json!([
        {"id": "c", "kind": "circle", "points": [[0, 0]], "values": {"radius": 10}},
        line("l", [-20.0, 6.0], [20.0, 6.0]),
    ]);
    // The circle without its upper cap: angles where sin = 0.6.
    let made = drawn(cross.clone(), json!([{"change": "trim", "curve": "c", "away": [0, 10]}]));
    near(made[0].length(), 10.0 * (PI + 2.0 * 0.6f64.asin()), 1e-8);
    // The line without its middle: two parts of 12 each, 20 - 8.
    let made = drawn(cross.clone(), json!([{"change": "trim", "curve": "l", "away": [0, 6]}]));
    near(made[1].length(), 12.0, 1e-9);
    assert_eq!(made[2].id, "l part 2");
    near(made[2].length(), 12.0, 1e-9);
    let split = drawn(cross, json!([{"change": "split", "curve": "l", "at": [5, 9], "second": "right"}]));
    near(split[1].length(), 25.0, 1e-9);
    near(split[2].length(), 15.0, 1e-9);
    let short = json!([line("l", [0.0, 0.0], [3.0, 0.0]), line("wall", [9.0, -5.0], [9.0, 5.0])]);
    let to = drawn(short.clone(), json!([{"change": "extend", "curve": "l", "to": "wall"}]));
    at(to[0].end(), 9.0, 0.0);
    let by = drawn(short.clone(), json!([{"change": "extend", "curve": "l", "start": true, "by": "1 cm"}]));
    at(by[0].start(), -10.0, 0.0);
    let alone = refused(short, json!([{"change": "trim", "curve": "l", "away": [1, 0]}]));
    assert!(alone.message.contains("nothing crosses"), "{}", alone.message);
}

#[test]
fn curves_are_offset_mirrored_moved_and_copied() {
    let made = drawn(
        json!([{"id": "r", "kind": "rectangle", "points": [[0, 0]], "values": {"width": 20, "height": 10}}]),
        json!([{"change": "offset", "curve": "r", "distance": 2, "id": "inner"}, {"change": "offset", "curve": "r", "distance": -2, "id": "outer"}]),
    );
    // Against the clock the left side is the inner one.
    near(made[1].length(), 44.0, 1e-9);
    near(made[2].length(), 76.0, 1e-9);
    let half = json!([{"id": "h", "kind": "polyline", "points": [[0, 0], [6, 2], [0, 9]]}]);
    let made = drawn(half.clone(), json!([{"change": "mirror", "curves": ["h"], "line": "y"}]));
    assert_eq!(made[1].id, "h mirrored");
    at(made[1].pieces[0].end(), -6.0, 2.0);
    at(made[1].start(), 0.0, 9.0);
    let made = drawn(
        half.clone(),
        json!([{"change": "transform", "curves": ["h"], "by": [10, 0], "turn": "90 deg", "scale": 2}]),
    );
    at(made[0].pieces[0].end(), 6.0, 12.0);
    let made = drawn(half, json!([{"change": "transform", "curves": ["h"], "turn": "120 deg", "copies": 2}]));
    let ids: Vec<&str> = made.iter().map(|c| c.id.as_str()).collect();
    assert_eq!(ids, ["h", "h copy 1", "h copy 2"]);
    let (sin, cos) = (2.0 * TAU / 3.0).sin_cos();
    at(made[2].pieces[0].end(), 6.0 * cos - 2.0 * sin, 6.0 * sin + 2.0 * cos);
}

#[test]
fn chains_are_joined_and_smoothed_with_the_deviation_told() {
    let chain = json!([
        line("a", [0.0, 0.0], [10.0, 0.0]),
        line("b", [14.0, 8.0], [10.0, 0.0]),
        line("c", [14.0, 8.0], [25.0, 9.0])
    ]);
    let made = drawn(chain.clone(), json!([{"change": "join", "curves": ["c", "a", "b"], "id": "all"}]));
    assert_eq!((made.len(), made[0].pieces.len()), (1, 3));
    let smooth = recipe(json!([drawing(
        chain.clone(),
        json!([{"change": "smooth", "curves": ["a", "b", "c"], "tolerance": "0.2 mm", "id": "s"}])
    )]));
    let rebuilt = rebuild(&smooth);
    let built = rebuilt.steps[0].built().unwrap();
    let told = built.reached.iter().find(|r| r.label.contains("from its chain")).unwrap().value;
    assert!(told > 0.0 && told <= 0.2, "{told}");
    let spline = &built.shape.curves().unwrap()[0].pieces[0];
    for corner in [Point3::new(10.0, 0.0, 0.0), Point3::new(14.0, 8.0, 0.0)] {
        assert!(geometry::closest_on_curve(spline, &corner).distance <= told + 1e-9);
    }
    let broken = json!([line("a", [0.0, 0.0], [10.0, 0.0]), line("b", [12.0, 0.0], [20.0, 5.0])]);
    let gap = refused(broken, json!([{"change": "join", "curves": ["a", "b"], "id": "all"}]));
    assert!(gap.message.contains("2.000 mm apart"), "{}", gap.message);
}

fn edit(recipe: &Recipe, value: Value) -> Result<Recipe, RecipeError> {
    serde_json::from_value::<Edit>(value).unwrap().apply(recipe)
}

#[test]
fn splines_take_other_forms() {
    let wave = json!([{"id": "w", "kind": "through_points", "points": [[0, 0], [8, 5], [17, -3], [24, 4], [33, 0]]}]);
    let before = recipe(json!([drawing(wave, json!([]))]));
    let shape = |r: &Recipe| curves(&rebuild(r), 0)[0].pieces[0].clone();
    let original = shape(&before);
    let reshape =
        |to: Value| edit(&before, json!({"edit": "reshape_curve", "step": "d", "curve": "w", "to": to}));
    let same = |r: &Recipe| {
        let changed = shape(r);
        (0..=60)
            .all(|k| (changed.point(f64::from(k) / 60.0) - original.point(f64::from(k) / 60.0)).norm() < 1e-9)
    };
    for (to, points, degree) in [
        (json!("control_points"), 5, 3),
        (json!({"insert_knots": 2}), 5 + 2 * 2, 3),
        (json!("raise_degree"), 5 + 2, 4),
    ] {
        let changed = reshape(to.clone()).unwrap();
        assert!(same(&changed), "{to}");
        let spline = shape(&changed);
        assert_eq!((spline.knots().point_count(), spline.degree()), (points, degree), "{to}");
    }
    let recast = reshape(json!({"recast": {"points": 9, "degree": 4}})).unwrap();
    let told = part::recast_deviation(
        &before,
        "d",
        "w",
        part::RecastForm { points: 9, degree: 4, ends: part::steps::EndAgrees::Tangent },
    )
    .unwrap();
    let spline = shape(&recast);
    let worst = (0..=200)
        .map(|k| geometry::closest_on_curve(&spline, &original.point(f64::from(k) / 200.0)).distance)
        .fold(0.0, f64::max);
    assert!(worst <= told * 1.05 + 1e-9 && told < 1.0, "{worst} {told}");
    assert!(matches!(reshape(json!({"recast": {"points": 3, "degree": 4}})), Err(RecipeError::Field { .. })));
}

#[test]
fn points_are_frozen_gathered_and_scaled() {
    let mut curve = DrawnCurve::new("c", CurveKind::ControlPoints, vec![]);
    curve.points =
        [[0.0, 0.0], [4.0, 4.0], [8.0, 0.0], [12.0, 6.0]].map(|p| p.map(Into::into).into()).to_vec();
    curve.frozen = vec![3];
    let before = recipe(json!([drawing(json!([curve]), json!([]))]));
    let points = |r: &Recipe| curves(&rebuild(r), 0)[0].points.clone();
    let frozen =
        edit(&before, json!({"edit": "move_point", "step": "d", "curve": "c", "index": 3, "to": [1, 1]}));
    assert!(frozen.unwrap_err().to_string().contains("frozen"));
    let gather = |to: Value, which: Value| {
        edit(&before, json!({"edit": "gather_points", "step": "d", "curve": "c", "points": which, "to": to}))
    };
    let midway = gather(json!({"midway": [0, 2]}), json!([1])).unwrap();
    assert_eq!(points(&midway)[1].coords.as_slice(), [4.0, 0.0]);
    let flat = gather(json!({"line": [[0, 0], [10, 10]]}), json!([1, 2])).unwrap();
    assert_eq!(points(&flat)[2].coords.as_slice(), [4.0, 4.0]);
    assert!(gather(json!({"place": [0, 0]}), json!([0, 3])).is_err());
    let scaled = edit(&before, json!({"edit": "scale_points", "step": "d", "curve": "c", "points": [0, 1, 2], "factor": 0.5, "about": [0, 0], "by": [1, 0]})).unwrap();
    assert_eq!(points(&scaled)[1].coords.as_slice(), [3.0, 2.0]);
    // The frozen mark follows its point when another one is taken out before it, and is not lost by a reversal.
    let fewer =
        edit(&before, json!({"edit": "remove_point", "step": "d", "curve": "c", "index": 1})).unwrap();
    assert!(
        edit(&fewer, json!({"edit": "move_point", "step": "d", "curve": "c", "index": 2, "to": [1, 1]}))
            .is_err()
    );
    let back = edit(&before, json!({"edit": "reverse_curve", "step": "d", "curve": "c"})).unwrap();
    assert!(
        edit(&back, json!({"edit": "move_point", "step": "d", "curve": "c", "index": 0, "to": [1, 1]}))
            .is_err()
    );
}

#[test]
fn planes_axes_and_points_are_found_every_way() {
    let steps = json!([
        step("ribs", "plane", json!({"from": "yz", "distance": 5, "count": 3, "spacing": "1 cm"})),
        step("three", "plane", json!({"way": "three_points", "points": [[0, 0, 1], [5, 0, 1], [0, 5, 6]]})),
        step("angle", "plane", json!({"way": "axis_angle", "axis": "z", "angle": "90 deg"})),
        step("path", "space_curve", json!({"points": [[0, 0, 0], [10, 0, 0]]})),
        step("square", "plane", json!({"way": "square_to_curve", "curve": {"step": "path"}, "at": 0.3})),
        step("meet", "axis", json!({"way": "two_planes", "planes": [{"step": "ribs", "item": "2"}, "xz"]})),
        step("share", "point", json!({"way": "at_share", "curve": {"step": "path"}, "share": 0.25})),
        step("length", "point", json!({"way": "at_length", "curve": {"step": "path"}, "length": "7 mm"})),
        step(
            "cut",
            "point",
            json!({"way": "curve_and_plane", "curve": {"step": "path"}, "plane": {"step": "ribs"}})
        ),
        step("mid", "point", json!({"way": "midway", "points": [{"step": "share"}, [0, 4, 0]]})),
        step("line", "axis", json!({"way": "straight_curve", "curve": {"step": "path"}})),
    ]);
    let rebuilt = rebuild(&recipe(steps));
    let shape = |k: usize| {
        &rebuilt.steps[k].built().unwrap_or_else(|| panic!("{:?}", rebuilt.steps[k].outcome)).shape
    };
    let Shape::Planes(ribs) = shape(0) else { panic!() };
    let stations: Vec<f64> = ribs.iter().map(|f| f.origin.x).collect();
    assert_eq!(stations, [5.0, 15.0, 25.0]);
    let Shape::Planes(three) = shape(1) else { panic!() };
    near(three[0].z.dot(&geometry::Vector3::new(0.0, -1.0, 1.0).normalize()).abs(), 1.0, 1e-12);
    let Shape::Planes(angle) = shape(2) else { panic!() };
    near(angle[0].z.dot(&geometry::Vector3::x()).abs(), 1.0, 1e-12);
    let Shape::Planes(square) = shape(4) else { panic!() };
    assert!(
        (square[0].origin - Point3::new(3.0, 0.0, 0.0)).norm() < 1e-9 && square[0].z.x.abs() > 1.0 - 1e-12
    );
    let Shape::Axis(meet) = shape(5) else { panic!() };
    assert!(
        (meet.origin.x - 15.0).abs() < 1e-12
            && meet.origin.y.abs() < 1e-12
            && meet.direction.z.abs() > 1.0 - 1e-12
    );
    let point = |k: usize| if let Shape::Point(p) = shape(k) { *p } else { panic!() };
    at(point(6), 2.5, 0.0);
    at(point(7), 7.0, 0.0);
    at(point(8), 5.0, 0.0);
    at(point(9), 1.25, 2.0);
    let Shape::Axis(along) = shape(10) else { panic!() };
    near(along.direction.x, 1.0, 1e-12);
}

#[test]
fn what_cannot_be_found_says_why() {
    let cases = [
        (
            step("s", "plane", json!({"way": "three_points", "points": [[0, 0, 0], [1, 1, 1], [2, 2, 2]]})),
            "in a row",
        ),
        (step("s", "plane", json!({"from": "xz", "count": 3})), "spacing"),
        (step("s", "axis", json!({"way": "two_planes", "planes": ["xz", "xz"]})), "parallel"),
        (step("s", "axis", json!({"points": [[0, 0, 0], [0, 0, 0]]})), "one place"),
        (step("s", "point", json!({"x": "1 mm / 0"})), "division by zero"),
        (step("s", "space_curve", json!({"points": [[0, 0, 0], [0, 0, 0]]})), "same place"),
        (step("s", "helix", json!({"radius": 5, "pitch": 2, "turns": 0})), "turns"),
        (step("s", "helix", json!({"radius": 5, "pitch": "2 deg", "turns": 1})), "an angle, and a length"),
        (
            drawing(
                json!([{"id": "c", "kind": "circle", "points": [[0, 0]], "values": {"radius": 0}}]),
                json!([]),
            ),
            "above zero",
        ),
        (
            drawing(
                json!([{"id": "c", "kind": "circle", "points": [[0, 0]], "values": {"width": 3}}]),
                json!([]),
            ),
            "no value `width`",
        ),
        (
            drawing(
                json!([line("a", [0.0, 0.0], [1.0, 0.0])]),
                json!([{"change": "fillet", "curve": "b", "radius": 1}]),
            ),
            "`b` is not in this drawing",
        ),
    ];
    for (make, part_of_message) in cases {
        let rebuilt = rebuild(&recipe(json!([make])));
        let Outcome::Failed(notice) = &rebuilt.steps[0].outcome else { panic!("{make} was built") };
        assert!(notice.message.contains(part_of_message), "{}", notice.message);
    }
}

/// Two guides that rise from an ellipse's ends, and a section pinned to them.
fn pinned(height: f64) -> Recipe {
    recipe(json!([
        step("left", "space_curve", json!({"points": [[-10, 0, 0], [-6, 0, 20], [-3, 0, 40]]})),
        step("right", "space_curve", json!({"points": [[10, 0, 0], [7, 0, 20], [3, 0, 40]]})),
        step("plane", "plane", json!({"from": "xy", "distance": height})),
        step(
            "section",
            "drawing",
            json!({"plane": {"step": "plane"}, "curves": [
            {"id": "c", "kind": "through_points", "points": [{"pin": {"step": "left"}}, [0, 4], {"pin": {"step": "right"}}]}]})
        ),
    ]))
}

#[test]
fn a_pinned_point_stays_on_its_guide() {
    for height in [0.0, 20.0, 33.0, 40.0] {
        let rebuilt = rebuild(&pinned(height));
        let section = curves(&rebuilt, 3);
        for (guide, end) in [(0, section[0].start()), (1, section[0].end())] {
            near(end.z, height, 1e-9);
            let guide = &curves(&rebuilt, guide)[0].pieces[0];
            assert!(geometry::closest_on_curve(guide, &end).distance < 1e-9);
        }
    }
    let above = rebuild(&pinned(55.0));
    let Outcome::Failed(notice) = &above.steps[3].outcome else { panic!("built above its guides") };
    assert!(
        notice.message.contains("does not cross this plane") && notice.message.contains("left"),
        "{}",
        notice.message
    );
}

#[test]
fn curves_in_space_run_on_from_others_and_are_taken_from_surfaces() {
    let steps = json!([
        step("tail", "space_curve", json!({"points": [[-10, 0, 0], [0, 0, 0]]})),
        step(
            "bend",
            "space_curve",
            json!({"points": [[0, 0, 0], [8, 8, 4], [8, 20, 9]], "start_along": {"step": "tail"}, "start_pull": 1.5})
        ),
        step("both", "joined_curve", json!({"curves": [{"step": "bend"}, {"step": "tail"}]})),
        step("profile", "drawing", json!({"plane": "xz", "curves": [line("c", [10.0, 0.0], [10.0, 30.0])]})),
        step("tube", "revolve", json!({"profile": {"step": "profile"}})),
        step("rims", "surface_curve", json!({"surface": {"step": "tube"}})),
        step("ring", "section_curve", json!({"surface": {"step": "tube"}, "plane": {"step": "half"}})),
        step(
            "drop",
            "projected_curve",
            json!({"curve": {"step": "ray"}, "surface": {"step": "tube"}, "along": "x"})
        ),
    ]);
    let mut steps = steps.as_array().unwrap().clone();
    steps.insert(0, step("half", "plane", json!({"from": "xy", "distance": 15})));
    steps.insert(1, step("ray", "space_curve", json!({"points": [[25, -5, 5], [25, 5, 25]]})));
    let rebuilt = rebuild(&recipe(Value::Array(steps)));
    let of = |k: usize| curves(&rebuilt, k);
    let tangent = of(3)[0].pieces[0].tangent(0.0).unwrap();
    near(tangent.x, 1.0, 1e-9);
    near(of(4)[0].length(), of(3)[0].length() + 10.0, 1e-9);
    let rims: Vec<f64> = of(7).iter().map(CurveShape::length).collect();
    assert_eq!(rims.len(), 2);
    rims.iter().for_each(|l| near(*l, 20.0 * PI, 1e-9));
    near(of(8).iter().map(CurveShape::length).sum::<f64>(), 20.0 * PI, 1e-3);
    let dropped = &of(9)[0];
    assert!(
        (0..=20)
            .all(|k| (dropped.pieces[0].point(f64::from(k) / 20.0).coords.xy().norm() - 10.0).abs() < 2e-3)
    );
}

#[test]
fn a_space_curve_is_laid_flat_onto_a_plane() {
    let flat = |points: Value| {
        rebuild(&recipe(json!([
            step("c", "space_curve", json!({"points": points})),
            step("p", "plane", json!({"from": "xy", "distance": 4})),
            step(
                "f",
                "projected_curve",
                json!({"curve": {"step": "c"}, "way": "plane", "plane": {"step": "p"}})
            ),
        ])))
    };
    let rebuilt = flat(json!([[0, 0, 9], [10, 5, -3], [20, 0, 7], [30, 9, 1]]));
    let (before, after) = (&curves(&rebuilt, 0)[0].pieces[0], &curves(&rebuilt, 2)[0].pieces[0]);
    for k in 0..=20 {
        let t = f64::from(k) / 20.0;
        let (p, q) = (before.point(t), after.point(t));
        near((q - Point3::new(p.x, p.y, 4.0)).norm(), 0.0, 1e-12);
    }
    let Outcome::Failed(notice) = flat(json!([[1, 2, 0], [1, 2, 9]])).steps[2].outcome.clone() else {
        panic!("a point is no curve")
    };
    assert!(notice.message.contains("square to the plane"), "{}", notice.message);
}

#[test]
fn a_drawing_is_copied_to_several_planes_in_one_go() {
    let before = recipe(json!([
        step("ribs", "plane", json!({"from": "yz", "distance": 0, "count": 4, "spacing": 10})),
        step(
            "rib",
            "drawing",
            json!({"plane": {"step": "ribs", "item": "1"}, "curves": [line("c", [0.0, 0.0], [4.0, 7.0])]})
        ),
    ]));
    let planes: Vec<Value> = (2..=4).map(|k| json!({"step": "ribs", "item": k.to_string()})).collect();
    let after = edit(&before, json!({"edit": "copy_drawing", "step": "rib", "planes": planes})).unwrap();
    let rebuilt = rebuild(&after);
    let stations: Vec<f64> = (1..5).map(|k| curves(&rebuilt, k)[0].start().x).collect();
    assert_eq!(stations, [0.0, 10.0, 20.0, 30.0]);
    assert_eq!(after.steps[4].name, "rib copy 3");
    let none = edit(&before, json!({"edit": "copy_drawing", "step": "rib", "planes": [{"step": "gone"}]}));
    assert!(matches!(none, Err(RecipeError::Missing { .. })));
}

#[test]
fn helping_lines_are_no_part_of_the_profile() {
    let steps = json!([
        step(
            "p",
            "drawing",
            json!({"plane": "xz", "curves": [
            line("wall", [10.0, 0.0], [10.0, 20.0]),
            {"id": "aid", "kind": "through_points", "guide": true, "points": [[0, 0], [30, 9]]}]})
        ),
        step("s", "revolve", json!({"profile": {"step": "p"}})),
        step("x", "axis", json!({"points": [[0, 0, 0], [0, 0, 5]]})),
        step("t", "revolve", json!({"profile": {"step": "p"}, "axis": {"step": "x"}})),
    ]);
    let rebuilt = rebuild(&recipe(steps));
    for k in [1, 3] {
        let area = rebuilt.built(k).unwrap().shape.bodies()[0].measure().area;
        near(area, 400.0 * PI, 1e-8);
    }
}

#[test]
fn planes_touch_surfaces_and_axes_are_taken_from_them() {
    let steps = json!([
        step(
            "p",
            "drawing",
            json!({"plane": "xz", "curves": [{"id": "c", "kind": "arc", "points": [[0, -10], [10, 0], [0, 10]]}]})
        ),
        step("ball", "revolve", json!({"profile": {"step": "p"}})),
        step("t", "plane", json!({"way": "touching", "surface": {"step": "ball"}, "points": [[30, 40, 0]]})),
        step("a", "axis", json!({"way": "of_revolution", "surface": {"step": "ball"}})),
        step("turned", "revolve", json!({"profile": {"step": "p"}, "axis": {"step": "a"}, "turn": "90 deg"})),
        step("ring", "surface_curve", json!({"surface": {"step": "ball"}, "which": "along_v", "at": 0.5})),
    ]);
    let rebuilt = rebuild(&recipe(steps));
    let shape = |k: usize| {
        &rebuilt.steps[k].built().unwrap_or_else(|| panic!("{:?}", rebuilt.steps[k].outcome)).shape
    };
    let Shape::Planes(touching) = shape(2) else { panic!() };
    // A sphere of radius 10 seen from (30, 40, 0): it is touched at (6, 8, 0), square to the line of sight.
    at(touching[0].origin, 6.0, 8.0);
    near(touching[0].z.dot(&geometry::Vector3::new(0.6, 0.8, 0.0)), 1.0, 1e-9);
    let Shape::Axis(axis) = shape(3) else { panic!() };
    near(axis.direction.z.abs(), 1.0, 1e-12);
    // A quarter of the ball: 4 pi r^3 / 3 / 4.
    near(shape(4).bodies()[0].measure().volume, PI * 1000.0 / 3.0, 1e-7);
    near(curves(&rebuilt, 5)[0].length(), 10.0 * PI, 1e-9);
}

fn any_curve() -> impl Strategy<Value = Value> {
    let kind = proptest::sample::select(vec![
        "through_points",
        "control_points",
        "bezier",
        "polyline",
        "arc",
        "arc_about",
        "tangent_arc",
        "circle",
        "ellipse",
        "rectangle",
        "polygon",
    ]);
    let point = prop_oneof![
        40 => [-50i32..50, -50i32..50].prop_map(|[x, y]| json!([x, y])),
        1 => Just(json!(["1 mm / 0", 3])),
        1 => Just(json!([1e300, 0])),
    ];
    let points = proptest::collection::vec(point, 0..8);
    (kind, points, any::<bool>(), -5i32..30).prop_map(|(kind, points, closed, size)| {
        let value = |name: &str| json!({name: size});
        let values = match kind {
            "circle" => value("radius"),
            "ellipse" => json!({"radius_x": size, "radius_y": 7, "from": size, "to": "200 deg"}),
            "rectangle" => json!({"width": size, "height": 4}),
            "polygon" => json!({"sides": size.max(0), "radius": 6}),
            "control_points" => json!({"degree": size.max(0)}),
            _ => json!({}),
        };
        json!({"kind": kind, "points": points, "closed": closed, "values": values})
    })
}

fn any_change() -> impl Strategy<Value = Value> {
    let of = |n: usize| format!("c{n}");
    (0..10usize, 0..4usize, 0..4usize, -12i32..12).prop_map(move |(change, a, b, size)| match change {
        0 => json!({"change": "fillet", "curve": of(a), "radius": size}),
        1 => json!({"change": "fillet", "curve": of(a), "with": of(b), "radius": size}),
        2 => json!({"change": "chamfer", "curve": of(a), "corner": b, "distance": size}),
        3 => json!({"change": "trim", "curve": of(a), "away": [size, b]}),
        4 => json!({"change": "split", "curve": of(a), "at": [size, 2], "second": "half"}),
        5 => json!({"change": "extend", "curve": of(a), "by": size}),
        6 => json!({"change": "extend", "curve": of(a), "to": of(b), "start": true}),
        7 => json!({"change": "offset", "curve": of(a), "distance": size, "id": "beside"}),
        8 => json!({"change": "transform", "curves": [of(a)], "by": [size, 1], "scale": size, "copies": b}),
        _ => json!({"change": "smooth", "curves": [of(a), of(b)], "tolerance": "0.5 mm", "id": "smooth"}),
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Whatever is drawn and changed: it is built with finite lengths, or refused with words; nothing panics.
    #[test]
    fn any_drawing_is_built_or_refused(
        drawn in proptest::collection::vec(any_curve(), 1..4),
        changes in proptest::collection::vec(any_change(), 0..4),
    ) {
        let named: Vec<Value> = drawn
            .into_iter()
            .enumerate()
            .map(|(i, mut c)| {
                c["id"] = json!(format!("c{i}"));
                c
            })
            .collect();
        let rebuilt = rebuild(&recipe(json!([drawing(json!(named), json!(changes))])));
        match &rebuilt.steps[0].outcome {
            Outcome::Built(built) => {
                for c in built.shape.curves().unwrap() {
                    prop_assert!(c.length().is_finite(), "{}", c.id);
                }
            }
            Outcome::Failed(notice) => prop_assert!(notice.message.len() > 10),
            other => prop_assert!(false, "{other:?}"),
        }
    }
}
