//! Curves recast as a step: what that costs, seen by closed forms, and what is kept.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use made::*;
use serde_json::{Value, json};

/// What a recast curve reached, and its pieces.
fn recast_curve(curves: Value, points: u32, degree: u32) -> (f64, Vec<geometry::NurbsCurve>) {
    let steps = vec![
        drawing("d", "xy", 0.0, curves),
        step("r", "recast_curve", json!({"curves": [of("d")], "points": points, "degree": degree})),
    ];
    let rebuilt = rebuild(&recipe_of(3, json!([]), steps));
    let built = rebuilt.built(1).unwrap();
    let pieces = built.shape.curves().unwrap()[0].pieces.clone();
    (reached(&rebuilt, 1, "Deviation of recasting"), pieces)
}

#[test]
fn curves_are_recast_as_a_step_and_say_what_that_costs() {
    // A half circle of radius 36 in two arcs: how far it is off is seen by its radius.
    let arcs = json!([
        {"id": "a", "kind": "arc", "points": [[36, 0], [25.45584412271571, 25.45584412271571], [0, 36]]},
        {"id": "b", "kind": "arc", "points": [[0, 36], [-25.45584412271571, 25.45584412271571], [-36, 0]]},
    ]);
    let mut before = f64::INFINITY;
    for points in 4..16 {
        let (told, pieces) = recast_curve(arcs.clone(), points, 3);
        let [made] = &pieces[..] else { panic!("one smooth stretch: {}", pieces.len()) };
        assert_eq!((made.degree(), made.control_points().len()), (3, points as usize));
        let seen = (0..=2000)
            .map(|k| (made.point(made.domain().at(f64::from(k) / 2000.0)).coords.norm() - 36.0).abs())
            .fold(0.0, f64::max);
        assert!((told - seen).abs() <= 0.05 * seen + 1e-12, "{points}: {told} for {seen}");
        assert!(told <= before, "{points}: {told} above {before}");
        before = told;
        // Ends and their tangents are kept.
        let along = made.tangent(made.domain().start).unwrap();
        assert!((made.start().coords - geometry::Vector3::new(36.0, 0.0, 0.0)).norm() < 1e-12);
        assert!(along.x.abs() < 1e-9 && along.y > 0.0);
    }
    assert!(before < 2e-3, "{before}");
}

#[test]
fn recasting_keeps_the_curvature_of_ends_where_asked_and_refuses_too_few_points() {
    // A circle's curvature is one over its radius; without asking a few points do not keep it.
    let arc = json!([{"id": "a", "kind": "arc", "points": [[36, 0], [0, 36], [-36, 0]]}]);
    let recast = |points: u32, ends: &str| {
        let make = json!({"curves": [of("d")], "points": points, "ends": ends});
        rebuild(&recipe_of(
            3,
            json!([]),
            vec![drawing("d", "xy", 0.0, arc.clone()), step("r", "recast_curve", make)],
        ))
    };
    let off = |ends: &str| {
        let rebuilt = recast(7, ends);
        let made = rebuilt.built(1).unwrap().shape.curves().unwrap()[0].pieces[0].clone();
        let d = made.domain();
        [d.start, d.end].map(|t| (made.curvature(t) * 36.0 - 1.0).abs()).into_iter().fold(0.0, f64::max)
    };
    assert!(off("curvature") < 1e-9 && off("tangent") > 1e-3, "{} {}", off("curvature"), off("tangent"));
    let refused = failure(&recast(5, "curvature"), 1).message;
    assert!(refused.contains("give at least 6 points"), "{refused}");
}

#[test]
fn a_recast_curve_keeps_its_corners_and_its_seam() {
    // A square with one side bowed: four stretches, the straight ones exact.
    let sides = json!([
        {"id": "a", "kind": "polyline", "points": [[10, 10], [-10, 10], [-10, -10], [10, -10]]},
        {"id": "b", "kind": "arc", "points": [[10, -10], [14, 0], [10, 10]]},
    ]);
    let (told, pieces) = recast_curve(sides, 6, 4);
    assert_eq!(pieces.len(), 4);
    assert!(told > 0.0 && told < 0.05, "{told}");
    for corner in [[10.0, 10.0], [-10.0, 10.0], [-10.0, -10.0], [10.0, -10.0]] {
        let at = geometry::Point3::new(corner[0], corner[1], 0.0);
        assert!(pieces.iter().any(|p| (p.start() - at).norm() < 1e-9), "{corner:?}");
    }
    // A circle stays closed and smooth where it begins.
    let (told, pieces) = recast_curve(
        json!([{"id": "c", "kind": "circle", "points": [[5, 5]], "values": {"radius": 20}}]),
        12,
        3,
    );
    let [ring] = &pieces[..] else { panic!("{}", pieces.len()) };
    let d = ring.domain();
    assert!((ring.start() - ring.end()).norm() < 1e-12 && told < 0.05, "{told}");
    assert!(ring.tangent(d.start).unwrap().angle(&ring.tangent(d.end).unwrap()) < 1e-9);
}
