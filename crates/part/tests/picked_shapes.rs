//! Faces, edges and corners as inputs of later steps, and curves that agree with them or lie on them.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::f64::consts::PI;

use geometry::{NurbsCurve, Point3, closest_on_surface};
use part::{Cancel, Edit, Notice, Outcome, Rebuilder, Rebuilt, Recipe, Shape, body_names};
use proptest::prelude::*;
use serde_json::{Value, json};
use topology::Body;

fn step(id: &str, kind: &str, make: Value) -> Value {
    json!({"id": id, "name": id, "make": {kind: make}})
}

fn recipe(steps: Vec<Value>) -> Recipe {
    let value = json!({"format": "kindred-shell-recipe", "version": 1, "name": "Picks", "steps": steps});
    Recipe::from_value(value).unwrap()
}

fn rebuild(recipe: &Recipe) -> Rebuilt {
    Rebuilder::new().rebuild(recipe, &Cancel::default(), &|_| ()).unwrap()
}

/// A profile of two lines turned about z: a cone above a cylinder of radius 10, from z = 0 to 40.
fn can() -> Vec<Value> {
    let line = |id: &str, points: Value| json!({"id": id, "kind": "through_points", "points": points});
    let curves = json!([line("wall", json!([[10, 0], [10, 30]])), line("cap", json!([[10, 30], [4, 40]]))]);
    vec![
        step("outline", "drawing", json!({"plane": "xz", "curves": curves})),
        step("can", "revolve", json!({"profile": {"step": "outline"}})),
    ]
}

/// A ball of radius 10 about the origin.
fn ball() -> Vec<Value> {
    let arc = json!({"id": "arc", "kind": "arc", "points": [[0, -10], [10, 0], [0, 10]]});
    vec![
        step("half", "drawing", json!({"plane": "xz", "curves": [arc]})),
        step("ball", "revolve", json!({"profile": {"step": "half"}})),
    ]
}

fn with(mut steps: Vec<Value>, more: Vec<Value>) -> Rebuilt {
    steps.extend(more);
    rebuild(&recipe(steps))
}

fn bodies(rebuilt: &Rebuilt, index: usize) -> &[Body] {
    rebuilt.built(index).unwrap_or_else(|| panic!("{:?}", rebuilt.steps[index].outcome)).shape.bodies()
}

fn body(rebuilt: &Rebuilt, index: usize) -> &Body {
    &bodies(rebuilt, index)[0]
}

fn pieces(rebuilt: &Rebuilt, index: usize) -> Vec<NurbsCurve> {
    let built = rebuilt.built(index).unwrap_or_else(|| panic!("{:?}", rebuilt.steps[index].outcome));
    built.shape.curves().unwrap().iter().flat_map(|c| c.pieces.clone()).collect()
}

fn failure(rebuilt: &Rebuilt, index: usize) -> Notice {
    match &rebuilt.steps[index].outcome {
        Outcome::Failed(notice) => notice.clone(),
        other => panic!("{other:?}"),
    }
}

fn near(a: f64, b: f64, tolerance: f64) {
    assert!((a - b).abs() <= tolerance, "{a} is not {b} within {tolerance}");
}

const RIM: &str = "edge {outline} / cap | {outline} / wall";

#[test]
fn every_face_edge_and_corner_has_one_name_and_the_name_finds_it_again() {
    let rebuilt = rebuild(&recipe(can()));
    let mut seen = std::collections::BTreeSet::new();
    for (shell, names) in body(&rebuilt, 1).shells().into_iter().zip(&body_names(bodies(&rebuilt, 1))[0]) {
        assert_eq!((names.faces.len(), names.edges.len()), (shell.faces().len(), shell.edges().len()));
        for name in
            names.faces.iter().chain(names.edges.iter().flatten()).chain(names.vertices.iter().flatten())
        {
            assert!(seen.insert(name.clone()), "{name} is there twice");
        }
    }
    assert!(seen.contains(RIM) && seen.contains("face {outline} / wall"), "{seen:?}");
    // Every corner is where a point made from its name is.
    for corner in seen.iter().filter(|n| n.contains(" of ")) {
        let item = json!({"step": "can", "item": corner});
        let line = step("line", "space_curve", json!({"points": [item, [0, 0, 100]]}));
        let start = pieces(&with(can(), vec![line]), 2)[0].start();
        assert!(start.coords.xy().norm() <= 10.0 + 1e-9, "{corner} at {start}");
    }
}

#[test]
fn an_edge_is_a_curve_and_a_face_a_surface_for_later_steps() {
    let rim = json!({"step": "can", "item": RIM});
    let rebuilt = with(
        can(),
        vec![
            step("rim", "joined_curve", json!({"curves": [rim]})),
            step("middle", "point", json!({"way": "at_share", "curve": rim, "share": 0.5})),
            step(
                "ring",
                "section_curve",
                json!({"surface": {"step": "can", "item": "face {outline} / cap"}, "plane": "xz"}),
            ),
            step("wall", "thicken", json!({"surface": {"step": "can"}, "thickness": "1 mm"})),
        ],
    );
    near(pieces(&rebuilt, 2).iter().map(NurbsCurve::length).sum::<f64>(), 20.0 * PI, 1e-9);
    assert!(matches!(rebuilt.built(3).unwrap().shape, Shape::Point(p) if (p.z - 30.0).abs() < 1e-9));
    // Only the cone is cut: two slanted lines.
    near(pieces(&rebuilt, 4).iter().map(NurbsCurve::length).sum::<f64>(), 2.0 * 6f64.hypot(10.0), 1e-6);
    // Curves and points taken from the can leave it what it is; the wall is made from all of it.
    assert_eq!(rebuilt.results().collect::<Vec<_>>(), [5]);
    assert_eq!(with(can(), vec![step("rim", "joined_curve", json!({"curves": [rim]}))]).results().count(), 1);
}

#[test]
fn names_outlive_renaming_and_what_is_gone_is_told() {
    let rim = step("rim", "joined_curve", json!({"curves": [{"step": "can", "item": RIM}]}));
    let mut steps = can();
    steps.push(rim);
    let before = recipe(steps);
    let renamed =
        Edit::RenameStep { step: "outline".into(), name: "Silhouette".into() }.apply(&before).unwrap();
    assert_eq!(pieces(&rebuild(&renamed), 2), pieces(&rebuild(&before), 2));
    assert_eq!(renamed.spoken(RIM), "edge Silhouette / cap | Silhouette / wall");
    // Another curve in the drawing leaves the edge its name; without the cap there is no such edge.
    let cut = Edit::RemoveCurve { step: "outline".into(), curve: "cap".into() }.apply(&renamed).unwrap();
    let notice = failure(&rebuild(&cut), 2);
    assert!(notice.message.contains("edge Silhouette / cap") && notice.message.contains("pick another"));
    assert_eq!(notice.input.as_deref(), Some("curves"));
}

#[test]
fn a_space_curve_agrees_with_a_curve_in_tangent_and_curvature() {
    let arc = json!({"id": "arc", "kind": "arc", "points": [[0, 0], [7.0710678118654755, 2.9289321881345254], [10, 10]]});
    let start = || step("bend", "drawing", json!({"plane": "xy", "curves": [arc]}));
    let curve = |follows: &str, agrees: &str, pull: f64| {
        let points = json!([[10, 10, 0], [10, 18, 3], [4, 25, 8], [0, 40, 8], [-5, 45, 5], [-9, 50, 0]]);
        let fields = json!({"follows": follows, "points": points, "start_along": {"step": "bend"}, "start_agrees": agrees, "start_pull": pull});
        let rebuilt = rebuild(&recipe(vec![start(), step("on", "space_curve", fields)]));
        pieces(&rebuilt, 1)[0].clone()
    };
    for follows in ["through_points", "control_points"] {
        for pull in [0.6, 1.0, 1.7] {
            let on = curve(follows, "curvature", pull);
            let t = on.domain().start;
            // The arc has radius 10 and ends at (10, 10) upwards.
            near(on.tangent(t).unwrap().y, 1.0, 1e-9);
            near(on.curvature(t), 0.1, 1e-9);
            let (_, [d1, d2, _]) = on.derivatives(t);
            assert!(d1.cross(&d2).z > 0.0, "bent to the other side");
            let tangent = curve(follows, "tangent", pull);
            near(tangent.tangent(t).unwrap().y, 1.0, 1e-9);
            assert!((tangent.curvature(t) - 0.1).abs() > 1e-4, "the curvature came by itself");
        }
    }
}

#[test]
fn two_points_and_one_tangent_make_a_parabola() {
    let tail = step("tail", "space_curve", json!({"points": [[-10, 0, 0], [0, 0, 0]]}));
    for (agrees, degree) in [("tangent", 2), ("curvature", 3)] {
        let fields = json!({"points": [[0, 0, 0], [20, 12, 0]], "start_along": {"step": "tail"}, "start_agrees": agrees});
        let on =
            pieces(&rebuild(&recipe(vec![tail.clone(), step("on", "space_curve", fields)])), 1)[0].clone();
        assert_eq!(on.degree(), degree);
        near(on.tangent(0.0).unwrap().x, 1.0, 1e-12);
        near((on.end() - Point3::new(20.0, 12.0, 0.0)).norm(), 0.0, 1e-12);
    }
}

#[test]
fn too_few_control_points_for_an_end_are_refused_with_the_number_needed() {
    let tail = step("tail", "space_curve", json!({"points": [[-10, 0, 0], [0, 0, 0]]}));
    let fields = json!({"follows": "control_points", "points": [[0, 0, 0], [5, 5, 0], [9, 9, 0]], "start_along": {"step": "tail"}});
    let notice = failure(&rebuild(&recipe(vec![tail, step("on", "space_curve", fields)])), 1);
    assert!(notice.message.contains("at least 4"), "{}", notice.message);
}

#[test]
fn a_space_curve_leaves_a_face_along_it_and_bent_as_it_is() {
    // On a sphere of radius 10 every direction has normal curvature 1/10 (do Carmo, section 3-2).
    let from = |at: Value, agrees: &str| {
        let fields = json!({"points": [at, [12, 5, 14], [30, 8, 0]], "start_along": {"step": "ball"}, "start_agrees": agrees});
        with(ball(), vec![step("off", "space_curve", fields)])
    };
    for agrees in ["tangent", "curvature"] {
        let rebuilt = from(json!([6, 0, 8]), agrees);
        let off = &pieces(&rebuilt, 2)[0];
        let tangent = off.tangent(0.0).unwrap();
        near(0.6 * tangent.x + 0.8 * tangent.z, 0.0, 1e-9);
        if agrees == "curvature" {
            near(off.curvature(0.0), 0.1, 1e-9);
        }
    }
    // At the pole it has a tangent plane, but no parameters to bend by.
    near(pieces(&from(json!([0, 0, 10]), "tangent"), 2)[0].tangent(0.0).unwrap().z, 0.0, 1e-9);
    assert!(failure(&from(json!([0, 0, 10]), "curvature"), 2).message.contains("shrinks to a point"));
    let off = json!({"points": [[0, 0, 13], [12, 5, 14]], "start_along": {"step": "ball"}});
    let notice = failure(&with(ball(), vec![step("off", "space_curve", off)]), 2);
    assert!(notice.message.contains("3.000 mm off the face"), "{}", notice.message);
    assert_eq!(notice.at, Some([0.0, 0.0, 13.0]));
}

#[test]
fn two_bodies_meet_in_curves_that_later_steps_can_use() {
    // A ball of radius 10 and the can's wall of radius 10 would touch; a can turned about a shifted outline does not.
    let tube = json!({"id": "c", "kind": "through_points", "points": [[6, -20], [6, 20]]});
    let rebuilt = with(
        ball(),
        vec![
            step("edge", "drawing", json!({"plane": "xz", "curves": [tube]})),
            step("tube", "revolve", json!({"profile": {"step": "edge"}})),
            step("meet", "meeting_curve", json!({"first": {"step": "ball"}, "second": {"step": "tube"}})),
        ],
    );
    // Circles of radius 6 at z = 8 and z = -8 (IN-08's kind).
    near(pieces(&rebuilt, 4).iter().map(NurbsCurve::length).sum::<f64>(), 24.0 * PI, 1e-3);
    assert_eq!(rebuilt.built(4).unwrap().shape.curves().unwrap().len(), 2);
    let away = with(
        ball(),
        vec![
            step(
                "edge",
                "drawing",
                json!({"plane": "xz", "offset": 0, "curves": [json!({"id": "c", "kind": "through_points", "points": [[30, -20], [30, 20]]})]}),
            ),
            step("tube", "revolve", json!({"profile": {"step": "edge"}})),
            step("meet", "meeting_curve", json!({"first": {"step": "ball"}, "second": {"step": "tube"}})),
        ],
    );
    assert!(failure(&away, 4).message.contains("do not meet"));
}

#[test]
fn a_drawn_curve_stays_on_its_surface_when_that_changes() {
    let drawn = step(
        "drawn",
        "curve_on_surface",
        json!({"surface": {"step": "ball"}, "places": [[0.1, 0.2], [0.4, 0.6], [0.7, 0.3]]}),
    );
    let mut steps = ball();
    steps.push(drawn);
    let before = recipe(steps);
    let on_it = |rebuilt: &Rebuilt| {
        let curve = pieces(rebuilt, 2)[0].clone();
        let surface = &body(rebuilt, 1).shells()[0].faces()[0].surface;
        for k in 0..=100 {
            let p = curve.point(curve.domain().at(f64::from(k) / 100.0));
            let off = closest_on_surface(surface, &p).distance;
            assert!(off <= 2e-3, "{off} off at {p}");
        }
        curve.length()
    };
    let length = on_it(&rebuild(&before));
    let wider = Edit::MovePoint {
        step: "half".into(),
        curve: "arc".into(),
        index: 1,
        to: [14.0, 0.0].map(Into::into).into(),
    };
    assert!(on_it(&rebuild(&wider.apply(&before).unwrap())) > length);
    // From one side of the seam to the other it goes the short way.
    let over = json!({"surface": {"step": "ball"}, "places": [[0.95, 0.5], [0.05, 0.5]]});
    let over = pieces(&with(ball(), vec![step("drawn", "curve_on_surface", over)]), 2);
    assert!(over[0].length() < 10.0, "{}", over[0].length());
    let beyond = json!({"surface": {"step": "ball"}, "places": [[0.1, 0.2], [1.4, 0.6]]});
    let notice = failure(&with(ball(), vec![step("drawn", "curve_on_surface", beyond)]), 2);
    assert!(notice.message.contains("1.4 lies beyond the surface"), "{}", notice.message);
    let all = json!({"surface": {"step": "can"}, "places": [[0.1, 0.2], [0.4, 0.6]]});
    assert!(
        failure(&with(can(), vec![step("drawn", "curve_on_surface", all)]), 2).message.contains("2 faces")
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Whatever the places are, the curve is on the surface or refused, and passes through them.
    #[test]
    fn curves_on_surfaces_pass_through_their_places(places in prop::collection::vec((0.0..=1.0f64, 0.0..=1.0f64), 2..8)) {
        let shares: Vec<[f64; 2]> = places.iter().map(|p| [p.0, p.1]).collect();
        let drawn = step("drawn", "curve_on_surface", json!({"surface": {"step": "ball"}, "places": shares}));
        let rebuilt = with(ball(), vec![drawn]);
        if let Some(built) = rebuilt.built(2) {
            let surface = &body(&rebuilt, 1).shells()[0].faces()[0].surface;
            let (du, dv) = surface.domain();
            let curve = &built.shape.curves().unwrap()[0].pieces[0];
            // What it did not reach, it says.
            let reached = built.reached.last().unwrap().value;
            prop_assert!(reached <= 1e-3 || !built.warnings.is_empty());
            for [u, v] in shares {
                let at: Point3 = surface.point(du.at(u), dv.at(v));
                prop_assert!(geometry::closest_on_curve(curve, &at).distance < 2e-3_f64.max(2.0 * reached));
            }
            for k in 0..=60 {
                let p = curve.point(curve.domain().at(f64::from(k) / 60.0));
                prop_assert!((p.coords.norm() - 10.0).abs() < 2e-3_f64.max(2.0 * reached));
            }
        }
    }
}
