//! Fillets that are no arcs across: conics, and curves that agree with both sides in curvature.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::{PI, SQRT_2};

use geometry::{NurbsSurface, Point3, Vector2};
use made::{bodies, drawing, failure, near, of, rebuild, recipe, rectangle, step, volume};
use nalgebra::Matrix2;
use part::Rebuilt;
use proptest::prelude::*;
use serde_json::{Value, json};
use topology::{Body, Continuity, Face, OrientedEdge, Shell, seams};

fn block() -> Vec<Value> {
    let made = json!({"profile": of("o"), "length": 15});
    vec![rectangle("o", "xy", 0.0, [0.0, 0.0, 30.0, 20.0]), step("b", "extrude", made)]
}

fn item(name: &str) -> Value {
    json!({"step": "b", "item": name})
}

fn filleted(mut steps: Vec<Value>, edges: &[Value], radius: f64, section: &str, fullness: f64) -> Rebuilt {
    let how = json!({"edges": edges, "radius": radius, "section": section, "fullness": fullness});
    steps.push(step("f", "fillet", how));
    rebuild(&recipe(steps))
}

/// The surfaces of the fillets of a step.
fn strips(rebuilt: &Rebuilt, index: usize) -> Vec<NurbsSurface> {
    let faces = bodies(rebuilt, index)[0].shells()[0].faces();
    faces.iter().filter(|f| f.role.starts_with("fillet of")).map(|f| (*f.surface).clone()).collect()
}

/// The curvature of a strip across, at its border of a number and a parameter along it: of circles through three places, ever
/// nearer to the border and led on to it.
fn bend_at(strip: &NurbsSurface, border: usize, u: f64) -> f64 {
    let place = |s: f64| strip.point(u, if border == 0 { s } else { 1.0 - s });
    let through = |h: f64| {
        let [a, b, c]: [Point3; 3] = [0.0, h, 2.0 * h].map(place);
        2.0 * (b - a).cross(&(c - a)).norm() / ((b - a).norm() * (c - b).norm() * (c - a).norm())
    };
    let [one, two, four] = [1e-3, 2e-3, 4e-3].map(through);
    let (near, far) = (2.0 * one - two, 2.0 * two - four);
    (4.0 * near - far) / 3.0
}

/// The curvature of a surface along its normal in a direction of its parameters, by differences of its places.
fn bend_along(surface: &NurbsSurface, at: [f64; 2], way: [f64; 2]) -> f64 {
    let place = |k: f64| surface.point(at[0] + k * way[0], at[1] + k * way[1]).coords;
    let [f, g, h, i] = [0.0, 1.0, 2.0, 3.0].map(place);
    let (rate, second) = ((g * 4.0 - f * 3.0 - h) * 0.5, f * 2.0 - g * 5.0 + h * 4.0 - i);
    surface.normal(at[0], at[1]).unwrap().dot(&second) / rate.norm_squared()
}

/// At the middle of all borders between fillets of two faces and those faces the curvatures of both across the border, seen from one
/// side.
fn bends_at_borders(shell: &Shell) -> Vec<[f64; 2]> {
    const STEP: f64 = 2e-3;
    let mut users = vec![Vec::new(); shell.edges().len()];
    for face in shell.faces() {
        for used in face.loops.iter().flat_map(|l| &l.edges) {
            users[used.edge.index()].push((face, used));
        }
    }
    let is_strip =
        |face: &Face| face.role.starts_with("fillet of") && face.role.matches(" and ").count() == 1;
    let at = |(face, used): (&Face, &OrientedEdge)| {
        let p = used.pcurve.point(used.pcurve.domain().at(0.5));
        (face.surface.clone(), [p.x, p.y])
    };
    let bends = |users: &Vec<(&Face, &OrientedEdge)>| {
        let [a, b] = users[..] else { return None };
        let (strip, side) = if is_strip(a.0) { (a, b) } else { (b, a) };
        if !is_strip(strip.0) || side.0.role.starts_with("fillet of") {
            return None;
        }
        let ((strip, own), (side, other)) = (at(strip), at(side));
        let way = [0.0, if own[1] < 0.5 { STEP } else { -STEP }];
        // The same direction on the side, away from the strip.
        let across = strip.point(own[0], own[1] + way[1]) - strip.point(own[0], own[1]);
        let (_, du, dv) = side.tangents(other[0], other[1]);
        let system = Matrix2::new(du.dot(&du), du.dot(&dv), du.dot(&dv), dv.dot(&dv));
        let x = system.lu().solve(&Vector2::new(-across.dot(&du), -across.dot(&dv)))?;
        let turned = strip.normal(own[0], own[1])?.dot(&side.normal(other[0], other[1])?).signum();
        Some([bend_along(&strip, own, way), turned * bend_along(&side, other, [x[0], x[1]])])
    };
    users.iter().filter_map(bends).collect()
}

#[test]
fn conics_hold_what_archimedes_says() {
    let edge = [item("edge cap 1 | {o} / curve 1 1")];
    // Of a square corner a parabola leaves a third of the triangle before its chord.
    let whole = 30.0 * 20.0 * 15.0;
    let parabola = filleted(block(), &edge, 4.0, "conic", 0.5);
    near(volume(&parabola, 2), whole - 30.0 * 16.0 / 6.0, 1e-12);
    // The conic of an arc's own fullness is the arc.
    let arc = filleted(block(), &edge, 4.0, "conic", SQRT_2 - 1.0);
    near(volume(&arc, 2), whole - 30.0 * 16.0 * (1.0 - PI / 4.0), 1e-12);
    // Its middle lies where its fullness says on the way from the chord to the corner.
    for (section, fullness) in [("conic", 0.3), ("conic", 0.7), ("curvature", 0.35), ("curvature", 0.7)] {
        let strip = &strips(&filleted(block(), &edge, 4.0, section, fullness), 2)[0];
        let middle = strip.point(strip.domain().0.at(0.5), 0.5);
        let corner = Point3::new(middle.x, 0.0, 15.0);
        near((middle - corner).norm(), (1.0 - fullness) * 2.0 * SQRT_2, 1e-12);
    }
}

#[test]
fn curvatures_at_the_borders_are_those_of_the_sides() {
    // A lens: a sphere of 20 about (0, 0, -10) over a plane at z = 0.
    let top = json!({"id": "t", "kind": "arc", "points": [[0, 10], [12, 6], [17.320508075688775, 0]]});
    let base = json!({"id": "f", "kind": "polyline", "points": [[17.320508075688775, 0], [0, 0]]});
    let steps = vec![
        drawing("p", "xz", 0.0, json!([top, base])),
        step("b", "revolve", json!({"profile": of("p"), "axis": "z"})),
    ];
    for radius in [0.5, 2.0, 3.5] {
        for fullness in [0.35, 0.5, 0.65] {
            let rebuilt = filleted(steps.clone(), &[of("b")], radius, "curvature", fullness);
            assert!(rebuilt.built(2).is_some(), "{radius} {fullness}: {}", failure(&rebuilt, 2).message);
            for strip in strips(&rebuilt, 2) {
                let u = strip.domain().0.at(0.3);
                let mut bends = [0, 1].map(|border| bend_at(&strip, border, u));
                bends.sort_by(f64::total_cmp);
                // As shares of the curvature of the ball.
                assert!(bends[0] * radius < 1e-3 && (bends[1] - 0.05).abs() * radius < 1e-3, "{bends:?}");
            }
        }
    }
    // The arc has that of the ball.
    let arcs = filleted(steps, &[of("b")], 2.0, "arc", 0.5);
    near(bend_at(&strips(&arcs, 2)[0], 0, 0.3), 0.5, 1e-3);
}

#[test]
fn corners_of_such_fillets_are_patched() {
    for section in ["conic", "curvature"] {
        let rebuilt = filleted(block(), &[of("b")], 3.0, section, 0.5);
        let Body::Solid(solid) = &bodies(&rebuilt, 2)[0] else { panic!("{section}: open") };
        let all = seams(solid.outer());
        assert!(all.iter().all(|s| s.meeting.meets >= Continuity::G1), "{section}");
        if section == "curvature" {
            // Both borders of twelve strips.
            assert_eq!(all.iter().filter(|s| s.meeting.meets == Continuity::G2).count(), 24);
        }
    }
}

#[test]
fn surfaces_apart_are_bridged_in_curvature() {
    let line = |id: &str, points: Value| step(id, "space_curve", json!({"points": points}));
    let steps = vec![
        line("a", json!([[0, 1, 0], [30, 1, 0]])),
        line("c", json!([[0, 20, 0], [30, 20, 0]])),
        line("d", json!([[0, 0, 2], [30, 0, 2]])),
        line("e", json!([[0, 0, 20], [30, 0, 20]])),
        step("floor", "ruled", json!({"first": of("a"), "second": of("c")})),
        step("wall", "ruled", json!({"first": of("d"), "second": of("e")})),
    ];
    let mut middles = Vec::new();
    for (first, second) in
        [("outside", "outside"), ("outside", "inside"), ("inside", "outside"), ("inside", "inside")]
    {
        let made = json!({"first": of("floor"), "second": of("wall"), "first_side": first, "second_side": second, "radius": 6, "section": "conic", "trims": "neither"});
        let mut steps = steps.clone();
        steps.push(step("b", "surface_fillet", made));
        let rebuilt = rebuild(&recipe(steps));
        if rebuilt.built(6).is_some() {
            let strip = &bodies(&rebuilt, 6)[0].shells()[0].faces()[0].surface;
            let middle = strip.point(strip.domain().0.at(0.5), 0.5);
            middles.push([middle.y, middle.z]);
        }
    }
    // Of the four places of the ball one is between both surfaces: its parabola passes a quarter of the radius from both.
    assert!(middles.iter().any(|p| p.iter().all(|x| (x - 1.5).abs() < 1e-9)), "{middles:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(4))]

    #[test]
    fn all_strips_of_lofts_agree_in_curvature(
        spread in prop::collection::vec(0.85..1.15_f64, 12),
        radius in 0.5..2.5_f64,
        fullness in 0.3..0.7_f64,
    ) {
        let section = |k: usize| {
            let at = |i: usize| {
                let (angle, size) = (0.5 * PI * i as f64 + 0.7, 18.0 * spread[4 * k + i]);
                json!([size * angle.cos(), size * angle.sin()])
            };
            let points: Vec<Value> = (0..4).map(at).collect();
            let outline = json!([{"id": "c", "kind": "polyline", "closed": true, "points": points}]);
            drawing(&format!("s{k}"), "xy", 18.0 * k as f64, outline)
        };
        let mut steps: Vec<Value> = (0..3).map(section).collect();
        steps.push(step("b", "loft", json!({"sections": [of("s0"), of("s1"), of("s2")]})));
        let rebuilt = filleted(steps, &[of("b")], radius, "curvature", fullness);
        prop_assert!(rebuilt.built(4).is_some(), "{}", failure(&rebuilt, 4).message);
        let Body::Solid(solid) = &bodies(&rebuilt, 4)[0] else { panic!("open") };
        for seam in seams(solid.outer()) {
            // Patches at corners of the smallest radius are tangent to a third of a degree.
            prop_assert!(seam.meeting.angle.0 < 6e-3, "{:?}", seam.meeting);
        }
        let bends = bends_at_borders(solid.outer());
        // Two borders of each of twelve strips.
        prop_assert_eq!(bends.len(), 24);
        for [strip, side] in bends {
            prop_assert!((strip - side).abs() * radius < 0.02, "{strip} beside {side}");
        }
    }
}
