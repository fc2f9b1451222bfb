//! Corners of any number of edges rounded and cut off, and edges that run out beside others at small angles, against formulas
//! for bodies made larger by a ball.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::collections::HashMap;
use std::f64::consts::PI;

use geometry::{Point3, Vector3};
use made::{area, bodies, drawing, near, of, rebuild, recipe, step, volume};
use part::{Rebuilt, body_names};
use proptest::prelude::*;
use serde_json::{Value, json};
use topology::{Body, Shell, seams};

const DEGREE: f64 = PI / 180.0;

fn outline(id: &str, points: &[[f64; 2]]) -> Value {
    drawing(id, "xy", 0.0, json!([{"id": "c", "kind": "polyline", "points": points, "closed": true}]))
}

/// A pyramid over a polygon.
fn pyramid(base: &[[f64; 2]], apex: [f64; 3]) -> Vec<Value> {
    let [x, y, z] = apex;
    vec![
        outline("base", base),
        step("tip", "point", json!({"x": x, "y": y, "z": z})),
        step("pyramid", "loft", json!({"sections": [of("base"), of("tip")]})),
    ]
}

fn with(mut steps: Vec<Value>, kind: &str, edges: &Value, size: f64) -> Rebuilt {
    let value = if kind == "fillet" { "radius" } else { "distance" };
    steps.push(step("done", kind, json!({"edges": edges, value: size})));
    rebuild(&recipe(steps))
}

fn shell(rebuilt: &Rebuilt) -> &Shell {
    let [Body::Solid(solid)] = bodies(rebuilt, rebuilt.steps.len() - 1) else { panic!("no solid") };
    solid.outer()
}

/// The largest angle in radians at edges of faces whose role begins with a word.
fn worst_angle(shell: &Shell, word: &str) -> f64 {
    let is_it = |f: topology::FaceId| shell.face(f).role.starts_with(word);
    let all = seams(shell).into_iter();
    all.filter(|s| s.faces.into_iter().any(is_it)).map(|s| s.meeting.angle.0).fold(0.0, f64::max)
}

/// The same but for edges of a level face at a height, which stay sharp.
fn worst_below(shell: &Shell, top: f64) -> f64 {
    let rounds = |f: topology::FaceId| shell.face(f).role.starts_with("fillet");
    let is_top =
        |f: topology::FaceId| shell.face(f).surface.control_points().iter().all(|p| (p.z - top).abs() < 1e-9);
    let all = seams(shell).into_iter().filter(|s| !s.faces.into_iter().any(is_top));
    all.filter(|s| s.faces.into_iter().any(rounds)).map(|s| s.meeting.angle.0).fold(0.0, f64::max)
}

/// The edges of the last step's body whose middles are some.
fn edges_at(source: &Rebuilt, step: &str, is_it: impl Fn(Point3) -> bool) -> Vec<Value> {
    let made = bodies(source, source.steps.len() - 1);
    let (names, edges) = (body_names(made), made[0].shells()[0].edges());
    let middle = |e: &topology::Edge| e.curve.as_ref().map(|c| c.point(c.domain().at(0.5)));
    let found = edges.iter().zip(&names[0][0].edges).filter(|(e, _)| middle(e).is_some_and(&is_it));
    found.map(|(_, name)| json!({"step": step, "item": name.clone().unwrap()})).collect()
}

/// What is left of a pyramid whose edges are all rounded by a ball that fits into all of its corners: the smaller pyramid at the
/// radius inside it, made larger by the ball (Steiner's formula; the smaller one is similar to the whole, as all of its faces
/// touch one ball).
fn rounded_volume(base: &[[f64; 2]], apex: [f64; 3], radius: f64) -> f64 {
    let n = base.len();
    let at = |k: usize| Point3::new(base[k % n][0], base[k % n][1], 0.0);
    let tip = Point3::from(apex);
    let twice_base: f64 = (0..n).map(|k| at(k).x * at(k + 1).y - at(k).y * at(k + 1).x).sum();
    let areas = (0..n).map(|k| (at(k + 1) - at(k)).cross(&(tip - at(k))));
    let normals: Vec<Vector3> = areas.clone().map(|a| a.normalize()).collect();
    let area = 0.5 * twice_base + areas.map(|a| 0.5 * a.norm()).sum::<f64>();
    let volume = twice_base * apex[2] / 6.0;
    let share = 1.0 - radius * area / (3.0 * volume);
    let along = |k: usize| {
        let foot = (at(k + 1) - at(k)).norm() * normals[k].angle(&-Vector3::z());
        let side = (tip - at(k)).norm() * normals[k].angle(&normals[(k + n - 1) % n]);
        foot + side
    };
    let edges: f64 = (0..n).map(along).sum();
    volume * share.powi(3)
        + area * share * share * radius
        + 0.5 * edges * share * radius * radius
        + 4.0 / 3.0 * PI * radius.powi(3)
}

fn ring(count: usize, radius: f64, phase: f64) -> Vec<[f64; 2]> {
    (0..count)
        .map(|k| {
            let (sin, cos) = (phase + 2.0 * PI * k as f64 / count as f64).sin_cos();
            [radius * cos, radius * sin]
        })
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn tetrahedra_rounded_all_over_hold_what_steiner_says(
        spread in prop::array::uniform3(10.0..25.0_f64),
        turns in prop::array::uniform3(-0.3..0.3_f64),
        top in (-12.0..12.0_f64, -12.0..12.0_f64, 8.0..50.0_f64),
        share in 0.05..0.6_f64,
    ) {
        let base: Vec<[f64; 2]> = (0..3)
            .map(|k| {
                let (sin, cos) = (2.0 * PI / 3.0 * k as f64 + turns[k]).sin_cos();
                [spread[k] * cos, spread[k] * sin]
            })
            .collect();
        let apex = [top.0, top.1, top.2];
        // As a share of the ball that touches all four faces.
        let source = rebuild(&recipe(pyramid(&base, apex)));
        let radius = share * 3.0 * volume(&source, 2) / area(&source, 2);
        let made = with(pyramid(&base, apex), "fillet", &json!([of("pyramid")]), radius);
        prop_assert_eq!(shell(&made).faces().len(), 14);
        near(volume(&made, 3), rounded_volume(&base, apex, radius), 1e-5);
        let worst = worst_angle(shell(&made), "fillet");
        prop_assert!(worst < 0.2 * DEGREE, "{}", worst / DEGREE);
    }

    #[test]
    fn a_tip_of_many_edges_ends_in_one_ball_where_that_touches_all(
        count in 4..9_usize,
        size in (8.0..20.0_f64, 6.0..50.0_f64),
        share in 0.05..0.6_f64,
    ) {
        let (base, apex) = (ring(count, size.0, 0.3), [0.0, 0.0, size.1]);
        let source = rebuild(&recipe(pyramid(&base, apex)));
        let radius = share * 3.0 * volume(&source, 2) / area(&source, 2);
        let made = with(pyramid(&base, apex), "fillet", &json!([of("pyramid")]), radius);
        prop_assert_eq!(shell(&made).faces().len(), 4 * count + 2);
        near(volume(&made, 3), rounded_volume(&base, apex, radius), 1e-5);
    }

    #[test]
    fn a_tip_of_unlike_edges_gets_a_patch_that_is_tangent_all_around(
        spread in prop::collection::vec(0.75..1.25_f64, 4..6),
        top in (-4.0..4.0_f64, -4.0..4.0_f64, 12.0..30.0_f64),
        radius in 0.4..1.6_f64,
        is_fillet in any::<bool>(),
    ) {
        let base: Vec<[f64; 2]> = ring(spread.len(), 18.0, 0.1)
            .iter()
            .zip(&spread)
            .map(|([x, y], s)| [x * s, y * s])
            .collect();
        let apex = [top.0, top.1, top.2];
        let kind = if is_fillet { "fillet" } else { "chamfer" };
        let made = with(pyramid(&base, apex), kind, &json!([of("pyramid")]), radius);
        let count = base.len();
        // A flat at the tip, or flats about its middle.
        let faces = shell(&made).faces().len();
        let flats = 3 * count + 2..=5 * count + 1;
        prop_assert!(if is_fillet { faces == 4 * count + 2 } else { flats.contains(&faces) }, "{faces}");
        if is_fillet {
            let worst = worst_angle(shell(&made), "fillet");
            prop_assert!(worst < 0.5 * DEGREE, "{}", worst / DEGREE);
        }
        let left = volume(&made, 3) / volume(&made, 2);
        prop_assert!(left > 0.7 && left < 1.0, "{left}");
        // Nothing of it lies outside the pyramid.
        let faces = shell(&rebuild(&recipe(pyramid(&base, apex)))).clone();
        let mesh = topology::mesh(shell(&made), topology::MeshTolerance::chord(0.05)).unwrap();
        for face in faces.faces() {
            let (u, v) = face.surface.domain();
            let (at, along, across) = face.surface.tangents(u.at(0.4), v.at(0.4));
            let normal = along.cross(&across).normalize() * if face.reversed { -1.0 } else { 1.0 };
            let out = mesh.positions.iter().map(|p| (p - at).dot(&normal)).fold(f64::MIN, f64::max);
            prop_assert!(out < 6e-3, "{out}");
        }
    }

    /// The rim of a block by a law that ends along every edge as it begins: neighbours meet in a corner with one radius, but not at
    /// one height of the upright edge.
    #[test]
    fn a_law_goes_round_the_corners_of_a_rim(swing in -3.0..0.0_f64, scale in -1.0..1.0_f64, sign in any::<bool>()) {
        let (scale, swing) = (10_f64.powf(scale), 10_f64.powf(swing) * if sign { 1.0 } else { -1.0 });
        let [long, wide, high] = [40.0, 30.0, 20.0].map(|x| x * scale);
        let mut steps = vec![
            outline("o", &[[0.0, 0.0], [long, 0.0], [long, wide], [0.0, wide]]),
            step("b", "extrude", json!({"profile": of("o"), "length": high})),
        ];
        let law = format!("{} mm + {} mm * sin(360 deg * along)", 2.0 * scale, swing * scale);
        let edges = json!([{"step": "b", "item": "face cap 1"}]);
        steps.push(step("done", "fillet", json!({"edges": edges, "radius": law, "radius_by": "formula"})));
        // Spandrels along the edges without what two of them have in common in the corners.
        let along = (1.0 - 0.25 * PI) * 140.0 * (4.0 + 0.5 * swing * swing);
        let shared = 4.0 * 8.0 * (5.0 / 3.0 - 0.5 * PI);
        let off = (long * wide * high - volume(&rebuild(&recipe(steps)), 2)) / scale.powi(3);
        prop_assert!((off - along + shared).abs() < 3e-3 * off, "{off} {}", along - shared);
    }

    #[test]
    fn an_edge_runs_out_over_a_wall_that_goes_on_at_a_small_angle(
        turn in prop_oneof![-50.0..-9.0_f64, 9.0..60.0_f64],
        radius in 0.3..1.5_f64,
        height in 4.0..20.0_f64,
    ) {
        // The edge's length varies with the distance from it as the next wall leans; the first moment of what a fillet takes is
        // (5/6 - pi/4) r^3 about the wall.
        let (length, turn) = (30.0, turn * DEGREE);
        let (x, y) = (length + 30.0 * turn.cos(), 30.0 * turn.sin());
        let points = [[0.0, 0.0], [length, 0.0], [x, y], [x, 60.0], [0.0, 60.0]];
        let steps = vec![
            outline("o", &points),
            step("body", "extrude", json!({"profile": of("o"), "length": height})),
        ];
        let source = rebuild(&recipe(steps.clone()));
        let is_it = |p: Point3| (p - Point3::new(0.5 * length, 0.0, height)).norm() < 1e-6;
        let edges = edges_at(&source, "body", is_it);
        let made = with(steps, "fillet", &json!(edges), radius);
        let area = (1.0 - 0.25 * PI) * radius * radius;
        let moment = (5.0 / 6.0 - 0.25 * PI) * radius.powi(3);
        near(volume(&source, 1) - volume(&made, 2), length * area + moment / turn.tan(), 1e-4);
    }

    #[test]
    fn walls_that_bend_by_next_to_nothing_are_rounded_along(
        bend in 0.1..0.9_f64,
        radius in 0.5..3.0_f64,
        outward in any::<bool>(),
    ) {
        // Two arcs that all but go on as each other, as drawn curves do.
        let lean = bend * DEGREE * if outward { 1.0 } else { -1.0 };
        let (sin, cos) = lean.sin_cos();
        let far = |x: f64, y: f64| [20.0 + x * cos + y * sin, -x * sin + y * cos];
        let curves = json!([
            {"id": "a", "kind": "through_points", "points": [[-20.0, 8.0], [0.0, 2.0], [20.0, 0.0]]},
            {"id": "b", "kind": "through_points", "points": [[20.0, 0.0], far(20.0, 2.0), far(40.0, 8.0)]},
            {"id": "c", "kind": "polyline", "points": [far(40.0, 8.0), [55.0, 40.0], [-20.0, 40.0], [-20.0, 8.0]]},
        ]);
        let steps = vec![
            drawing("o", "xy", 0.0, curves),
            step("body", "extrude", json!({"profile": of("o"), "length": 12})),
        ];
        let edges = json!([{"step": "body", "item": "face cap 1"}]);
        let made = with(steps, "fillet", &edges, radius);
        let strips = |s: &topology::Seam| {
            s.faces.map(|f| shell(&made).face(f).role.starts_with("fillet")).into_iter().filter(|f| *f).count()
        };
        for seam in seams(shell(&made)) {
            prop_assert!(seam.meeting.gap.0 < 2e-3, "{:?}", seam.meeting.gap);
            // A strip is tangent to its faces; where it goes on as another one it may bend as they do.
            if strips(&seam) == 1 && seam.meeting.angle.0 < 1.0 {
                prop_assert!(seam.meeting.angle.0 < 0.02 * DEGREE, "{:?}", seam.meeting.angle);
            }
        }
    }
}

#[test]
fn a_patch_that_folds_back_beside_a_short_edge_is_made_anew() {
    let spread = [1.0669256429351683, 1.2298015283322068, 0.7529794762562717, 1.1445822733765927];
    let base: Vec<[f64; 2]> =
        ring(4, 18.0, 0.1).iter().zip(spread).map(|([x, y], s)| [x * s, y * s]).collect();
    let apex = [3.053114353778711, 0.3870773632595266, 17.550007649518093];
    let made = with(pyramid(&base, apex), "fillet", &json!([of("pyramid")]), 0.9289949208061706);
    assert!(worst_angle(shell(&made), "fillet") < 0.5 * DEGREE);
}

#[test]
fn a_patch_that_runs_through_itself_is_made_anew() {
    // The shape refused what folded at the steep tip, as if the size were too large; a tenth of it was built.
    let first =
        [[16.6042, -6.1361], [5.4176, 16.1653], [-13.9996, 10.8798], [-13.2804, -16.84], [12.4634, -19.8607]];
    let second = [
        [18.5669, 4.1724],
        [11.4734, 19.5439],
        [-16.0089, 13.5034],
        [-16.7258, -11.2369],
        [0.3135, -22.5102],
    ];
    for (base, apex, radius) in
        [(first, [4.602, 0.298, 29.764], 1.015), (second, [-4.224, 0.764, 28.332], 0.699)]
    {
        let source = rebuild(&recipe(pyramid(&base, apex)));
        let edges = edges_at(&source, "pyramid", |p| p.z > 1.0);
        let made = with(pyramid(&base, apex), "fillet", &json!(edges), radius);
        assert!(worst_below(shell(&made), 0.0) < 0.5 * DEGREE);
        // About what strips take off along whole edges; the patch takes a little besides at the tip, where those overlap.
        let off = volume(&source, 2) - volume(&made, 3);
        let apex = Point3::from(apex);
        let strips: f64 = (0..base.len())
            .map(|k| {
                let at = |j: usize| {
                    let [x, y] = base[j % base.len()];
                    Point3::new(x, y, 0.0)
                };
                let normal = |j: usize| (at(j + 1) - at(j)).cross(&(apex - at(j))).normalize();
                let turn = normal(k).dot(&normal(k + base.len() - 1)).acos();
                ((0.5 * turn).tan() - 0.5 * turn) * radius * radius * (apex - at(k)).norm()
            })
            .sum();
        assert!(off > 0.9 * strips && off < 1.1 * strips, "{off} {strips}");
    }
}

#[test]
fn the_rim_of_a_leaning_wall_is_rounded_on_over_its_rounded_corners() {
    // Inner corners of a hollow that is narrower at its mouth: their fillets are cut by the rim in less than a half ellipse, of
    // whose surface what lies beyond one end counts as much as what lies beyond the other.
    let mut steps = vec![
        outline("o", &[[-23.0, 8.5], [12.5, -9.5], [4.0, 15.5]]),
        step("body", "extrude", json!({"profile": of("o"), "length": 11.4, "draft": -11.6})),
        step(
            "hollow",
            "hollow",
            json!({"solid": of("body"), "open": [{"step": "body", "item": "face cap 1"}], "thickness": 1.64}),
        ),
    ];
    let upright = ["1 | inner {o} / c 2", "2 | inner {o} / c 3", "1 | inner {o} / c 3"];
    let corners: Vec<Value> = upright
        .iter()
        .map(|n| json!({"step": "hollow", "item": format!("edge inner {{o}} / c {n}")}))
        .collect();
    let before = volume(&rebuild(&recipe(steps.clone())), 2);
    steps.push(step("corners", "fillet", json!({"edges": corners, "radius": 0.58})));
    let rim = json!([{"step": "corners", "item": "edge cap 1 | inner {o} / c 1"}]);
    for radius in [0.1, 0.4, 0.58, 0.62] {
        let made = with(steps.clone(), "fillet", &rim, radius);
        let shell = shell(&made);
        let strips = shell.faces().iter().filter(|f| f.role.starts_with("fillet of cap 1")).count();
        assert_eq!(strips, 6, "{radius}");
        let worst = worst_angle(shell, "fillet of cap 1");
        assert!(worst < 0.2 * DEGREE, "{radius}: {}", worst / DEGREE);
        assert!(volume(&made, 4) < volume(&made, 3) && volume(&made, 3) > before);
    }
}

/// Sides of triangles that are not used by just two of them, when places are kept in single precision, as files of triangles do.
fn open_sides(shell: &Shell, chord: f64) -> usize {
    let mesh = topology::mesh(shell, topology::MeshTolerance::chord(chord)).unwrap();
    let place = |i: u32| {
        let p = mesh.positions[i as usize];
        [p.x, p.y, p.z].map(|x| (x as f32).to_bits())
    };
    let mut uses: HashMap<[[u32; 3]; 2], usize> = HashMap::new();
    for t in mesh.triangles() {
        for k in 0..3 {
            let mut side = [place(t[k]), place(t[(k + 1) % 3])];
            side.sort_unstable();
            *uses.entry(side).or_default() += 1;
        }
    }
    uses.values().filter(|n| **n != 2).count()
}

fn loft_of(sections: &[(f64, Vec<[f64; 2]>)], rounding: Option<f64>) -> Vec<Value> {
    let mut steps = Vec::new();
    for (k, (height, points)) in sections.iter().enumerate() {
        let curves = json!([{"id": "c", "kind": "polyline", "points": points, "closed": true}]);
        let changes = rounding.map(|r| json!({"change": "fillet", "curve": "c", "radius": r}));
        let changes: Vec<Value> = changes.into_iter().collect();
        let make = json!({"plane": "xy", "offset": height, "curves": curves, "changes": changes});
        steps.push(step(&format!("s{k}"), "drawing", make));
    }
    let all: Vec<Value> = (0..sections.len()).map(|k| of(&format!("s{k}"))).collect();
    steps.push(step("body", "loft", json!({"sections": all})));
    steps
}

#[test]
fn meshes_of_strips_that_begin_together_or_all_but_stand_still_are_closed() {
    // Strips that touch a face between them, whose edges leave the same small triangle over on both of their faces.
    let three = [
        (0.0, vec![[12.8594, -1.3694], [-3.4196, 15.9516], [-23.5136, -4.546], [-2.3437, -17.968]]),
        (15.14, vec![[18.8279, -1.3385], [2.9161, 15.5918], [-16.7246, -4.4435], [3.9677, -17.5627]]),
        (29.049, vec![[12.1307, -1.3152], [-3.5031, 15.3194], [-22.8008, -4.3659], [-2.4699, -17.2559]]),
    ];
    let names = ["cap 1 | side 4", "cap 1 | side 1", "side 1 | side 2", "cap 2 | side 3", "cap 1 | side 2"];
    let names = names.iter().chain(&["side 3 | side 4"]);
    let edges: Vec<Value> = names.map(|n| json!({"step": "body", "item": format!("edge {n}")})).collect();
    let begun = with(loft_of(&three, None), "fillet", &json!(edges), 0.66);
    // Chamfers as large as the roundings that they follow.
    let two = [
        (
            0.0,
            vec![
                [16.4148, -4.4541],
                [10.2405, 13.2802],
                [-8.5349, 14.9163],
                [-19.2721, -4.5603],
                [2.6551, -14.6676],
            ],
        ),
        (
            23.323,
            vec![
                [15.5996, -4.0439],
                [9.9939, 12.0571],
                [-7.0523, 13.5425],
                [-16.8007, -4.1403],
                [3.1071, -13.3168],
            ],
        ),
    ];
    let caps = json!([{"step": "body", "item": "face cap 1"}, {"step": "body", "item": "face cap 2"}]);
    let still = with(loft_of(&two, Some(4.0)), "chamfer", &caps, 3.53);
    for chord in [0.05, 0.01, 0.004] {
        assert_eq!([open_sides(shell(&begun), chord), open_sides(shell(&still), chord)], [0, 0], "{chord}");
    }
}

/// A block whose lower edges, or those at both ends, are rounded, and then the upright ones between what is left of its sides.
fn footed([w, d, h]: [f64; 3], both: bool, foot: f64, upright: f64) -> Rebuilt {
    let mut steps = vec![
        outline("o", &[[0.0, 0.0], [w, 0.0], [w, d], [0.0, d]]),
        step("b", "extrude", json!({"profile": of("o"), "length": h})),
    ];
    let edge = |step: &str, name: String| json!({"step": step, "item": name});
    let caps = if both { 1..=2 } else { 2..=2 };
    let round = caps.flat_map(|cap| (1..=4).map(move |k| (cap, k)));
    let round: Vec<Value> =
        round.map(|(cap, k)| edge("b", format!("edge cap {cap} | {{o}} / c {k}"))).collect();
    steps.push(step("foot", "fillet", json!({"edges": round, "radius": foot})));
    let sides = [(1, 4), (1, 2), (2, 3), (3, 4)];
    let sides: Vec<Value> =
        sides.iter().map(|(a, b)| edge("foot", format!("edge {{o}} / c {a} | {{o}} / c {b}"))).collect();
    with(steps, "fillet", &json!(sides), upright)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, ..ProptestConfig::default() })]
    #[test]
    fn upright_edges_are_rounded_after_the_foot(
        w in 15.0..40.0_f64, d in 15.0..40.0_f64, h in 12.0..30.0_f64,
        foot in 0.05..0.2_f64, upright in 0.08..0.4_f64, both in any::<bool>(),
    ) {
        let least = w.min(d).min(h);
        let (foot, upright) = (foot * least, upright * w.min(d));
        prop_assume!(upright > 0.7 * foot);
        let made = footed([w, d, h], both, foot, upright);
        let worst = worst_below(shell(&made), if both { f64::MAX } else { h });
        prop_assert!(worst <= 0.5 * DEGREE, "{}", worst / DEGREE);
        prop_assume!(upright >= foot);
        // As if the foot had been rounded last: what its ball takes along the sides and round the corners (Pappus), where the patch
        // is near to that.
        let ends = if both { 2.0 } else { 1.0 };
        let section = (1.0 - PI / 4.0) * foot * foot;
        let middle = (10.0 - 3.0 * PI) / (12.0 - 3.0 * PI) * foot;
        let corners = ends * section * 2.0 * PI * (upright - middle);
        let sides = ends * section * 2.0 * (w + d - 4.0 * upright);
        let prism = (w * d - (4.0 - PI) * upright * upright) * h;
        let off = volume(&made, made.steps.len() - 1) - (prism - sides - corners);
        prop_assert!(off.abs() <= 0.12 * corners, "{off} of {corners}");
    }
}

#[test]
fn an_edge_fades_out_beside_a_strip_that_runs_over_the_next_face() {
    // Sides that lean by unlike angles: one strip of the foot runs out over the other one's side.
    let base = [[0.0, 0.0], [30.0, 2.0], [27.0, 24.0], [-2.0, 20.0]];
    let top = [[2.0, 3.0], [29.0, 0.0], [22.0, 20.0], [1.0, 17.0]];
    let mut steps = vec![
        outline("o", &base),
        drawing("t", "xy", 18.0, json!([{"id": "c", "kind": "polyline", "points": top, "closed": true}])),
        step("b", "loft", json!({"sections": [of("o"), of("t")]})),
    ];
    let low = rebuild(&recipe(steps.clone()));
    let names = |made: &Rebuilt, wanted: &dyn Fn([f64; 3], [f64; 3]) -> bool| -> Vec<String> {
        let all = bodies(made, made.steps.len() - 1);
        let edges = all[0].shells()[0].edges().to_vec();
        let ends = |e: &topology::Edge| e.curve.as_ref().map(|c| [c.start().into(), c.end().into()]);
        let named = edges.iter().zip(body_names(all)[0][0].edges.clone());
        named
            .filter(|(e, _)| ends(e).is_some_and(|[a, b]| wanted(a, b)))
            .filter_map(|(_, name)| name)
            .collect()
    };
    let at_foot = |a: [f64; 3], b: [f64; 3]| a[2].abs() < 1e-9 && b[2].abs() < 1e-9;
    let pick = |step: &str, names: Vec<String>| -> Value {
        names.into_iter().map(|n| json!({"step": step, "item": n})).collect()
    };
    let edges = pick("b", names(&low, &at_foot));
    steps.push(step("foot", "fillet", json!({"edges": edges, "radius": 2})));
    let footed = rebuild(&recipe(steps.clone()));
    let upright = |a: [f64; 3], b: [f64; 3]| (a[2] - b[2]).abs() > 12.0;
    let edges = pick("foot", names(&footed, &upright));
    assert_eq!(edges.as_array().map(Vec::len), Some(4));
    let before = volume(&footed, footed.steps.len() - 1);
    for radius in [1.5, 2.0, 3.0, 4.0] {
        let made = with(steps.clone(), "fillet", &edges, radius);
        assert!(worst_below(shell(&made), 18.0) < 0.5 * DEGREE, "{radius}");
        // Corners of about a right angle lose about (1 - pi / 4) r^2 over about the height.
        let lost = before - volume(&made, made.steps.len() - 1);
        let about = 4.0 * (1.0 - PI / 4.0) * radius * radius * 18.0;
        assert!(lost > 0.5 * about && lost < 1.5 * about, "{radius}: {lost} of {about}");
    }
}

/// A block with the edges along x, y and z rounded by a radius each.
fn three_radii([w, d, h]: [f64; 3], radii: [f64; 3], order: [usize; 3]) -> Rebuilt {
    let edge = |name: String| json!({"step": "b", "item": name});
    let cap = |sides: [usize; 2]| -> Vec<String> {
        let both = (1..=2).flat_map(|cap| sides.map(move |k| format!("edge cap {cap} | {{o}} / c {k}")));
        both.collect()
    };
    let upright =
        [(1, 4), (1, 2), (2, 3), (3, 4)].map(|(a, b)| format!("edge {{o}} / c {a} | {{o}} / c {b}"));
    let named = [cap([1, 3]), cap([2, 4]), upright.to_vec()];
    let edges = |k: usize| -> Vec<Value> { named[order[k]].iter().cloned().map(edge).collect() };
    let fillet = json!({
        "edges": edges(0), "radius": radii[order[0]],
        "other_edges": edges(1), "other_radius": radii[order[1]],
        "third_edges": edges(2), "third_radius": radii[order[2]],
    });
    rebuild(&recipe(vec![
        outline("o", &[[0.0, 0.0], [w, 0.0], [w, d], [0.0, d]]),
        step("b", "extrude", json!({"profile": of("o"), "length": h})),
        step("done", "fillet", fillet),
    ]))
}

/// What is left of a block with its edges along x rounded by a radius and the rims of its ends by one that is no larger: sections
/// across are the offsets of a rectangle with rounded corners, by r (1 - cos t) at the depth r (1 - sin t), integrated by parts.
fn rims_rounded([w, d, h]: [f64; 3], radius: f64, rim: f64) -> f64 {
    // area(s) = a - b s + c s^2 with s = rim (1 - cos t), over the depth rim (1 - sin t) from t = 0 to a right angle.
    let corner = 4.0 - PI;
    let (a, b, c) = (d * h - corner * radius * radius, 2.0 * (d + h) - 2.0 * corner * radius, 4.0 - corner);
    // The means of 1 - cos t and of its square, weighted by cos t.
    let (first, second) = (1.0 - PI / 4.0, 1.0 - PI / 2.0 + 2.0 / 3.0);
    a * (w - 2.0 * rim) + 2.0 * rim * (a - b * rim * first + c * rim * rim * second)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]
    /// One radius that is larger than the other two, which are alike: closed by parts of tori (Pappus, sections).
    #[test]
    fn corners_of_a_large_and_two_small_radii_are_parts_of_tori(
        size in prop::array::uniform3(8.0..30.0_f64), scale in -1.0..1.5_f64,
        large in 0.05..0.45_f64, ratio in 0.02..0.98_f64, order in Just([0, 1, 2]).prop_shuffle(),
    ) {
        let size = size.map(|s| s * 10.0_f64.powf(scale));
        let least = size.iter().copied().fold(f64::MAX, f64::min);
        let (large, small) = (large * least, large * ratio * least);
        let made = three_radii(size, [large, small, small], order);
        near(volume(&made, 2), rims_rounded(size, large, small), 1e-7);
        let worst = worst_angle(shell(&made), "fillet") / DEGREE;
        prop_assert!(worst < 0.01, "{worst}");
    }

    /// Any three radii: smooth all over, and between the blocks with only the smallest and only the largest one; a little more of one
    /// takes a little more away.
    #[test]
    fn corners_of_any_three_radii_are_smooth(
        size in prop::array::uniform3(8.0..30.0_f64), radii in prop::array::uniform3(0.02..0.45_f64),
        alike in any::<bool>(), order in Just([0, 1, 2]).prop_shuffle(),
    ) {
        let least = size.iter().copied().fold(f64::MAX, f64::min);
        let mut radii = radii.map(|r| r * least);
        if alike {
            radii[1] = radii[0];
        }
        let made = three_radii(size, radii, order);
        let own = volume(&made, 2);
        let [low, high] = [f64::min, f64::max].map(|of| radii.into_iter().reduce(of).unwrap());
        let [most, fewest] = [low, high].map(|r| rims_rounded(size, r, r));
        prop_assert!(fewest * (1.0 - 1e-4) <= own && own <= most * (1.0 + 1e-9), "{fewest} {own} {most}");
        let worst = worst_angle(shell(&made), "fillet") / DEGREE;
        prop_assert!(worst < 0.25, "{worst}");
        prop_assert_eq!(shell(&made).faces().len(), 26);
        let more = three_radii(size, radii.map(|r| r * 1.001), order);
        prop_assert!(volume(&more, 2) < own);
    }
}

#[test]
fn a_ball_that_all_but_fills_what_it_rolls_in_is_smooth_to_its_tips() {
    // Ratios at which the ball's centre stands in the middle of the bend that it comes from, or all but stays where it is all along.
    for large in [0.1, 0.302_084_286_744_593_4, 0.4] {
        let (radius, mut before) = (8.0 * large, f64::MAX);
        for ratio in [0.49, 0.5, 0.51, 0.95, 0.986_23, 0.99, 0.999, 0.9999] {
            let made = three_radii([8.0; 3], [radius, radius, radius * ratio], [0, 1, 2]);
            let worst = worst_angle(shell(&made), "fillet") / DEGREE;
            assert!(worst < 0.05, "{large} {ratio}: {worst}");
            // A larger radius leaves less, but never less than one that is the same all over.
            let left = volume(&made, 2);
            assert!(
                left < before && left > rims_rounded([8.0; 3], radius, radius),
                "{large} {ratio}: {left}"
            );
            before = left;
        }
        near(before, rims_rounded([8.0; 3], radius, radius), 1e-4);
    }
}

#[test]
fn radii_that_would_jump_are_told() {
    // Two edges of a rim that go on smoothly into each other round its corner.
    let corner = json!([{"change": "fillet", "curve": "c", "radius": 5}]);
    let curve = json!([{"id": "c", "kind": "polyline", "points": [[0, 0], [30, 0], [30, 20], [0, 20]], "closed": true}]);
    let edge = |name: &str| json!([{"step": "b", "item": name}]);
    let rim = |other: &str| {
        rebuild(&recipe(vec![
            step("o", "drawing", json!({"plane": "xy", "curves": curve, "changes": corner})),
            step("b", "extrude", json!({"profile": of("o"), "length": 10})),
            step(
                "done",
                "fillet",
                json!({
                    "edges": edge("edge cap 1 | {o} / c 1"), "radius": 1,
                    "other_edges": edge(other), "other_radius": 2,
                }),
            ),
        ]))
    };
    let jumps = made::failure(&rim("edge cap 1 | {o} / c 2"), 2).message;
    assert!(jumps.contains("the size would jump"), "{jumps}");
    // So are laws that do not end round a rim as they begin.
    let round = || {
        vec![
            drawing(
                "o",
                "xy",
                0.0,
                json!([{"id": "c", "kind": "circle", "points": [[0, 0]], "values": {"radius": 20}}]),
            ),
            step("b", "extrude", json!({"profile": of("o"), "length": 12})),
        ]
    };
    let law = |kind: &str, mut faces: Value, size: &str| {
        faces["radius"] = json!(size);
        faces["radius_by"] = json!("formula");
        let mut steps = round();
        steps.push(step("done", kind, faces));
        rebuild(&recipe(steps))
    };
    let top = json!({"edges": edge("face cap 1")});
    let sides = json!({"first": {"step": "b", "item": "face {o} / c"}, "second": {"step": "b", "item": "face cap 1"},
        "first_side": "inside", "second_side": "inside"});
    for (kind, faces) in [("fillet", &top), ("surface_fillet", &sides)] {
        let jumps = made::failure(&law(kind, faces.clone(), "1 mm + 2 mm * along"), 2).message;
        assert!(jumps.contains("the size would jump"), "{jumps}");
        // The ball's section at a distance of its centre from the axis (Pappus, for what changes little along the way).
        let made = law(kind, faces.clone(), "2 mm + 0.2 mm * sin(360 deg * along)");
        let [squares, cubes] = [4.0 + 0.02, 8.0 + 3.0 * 2.0 * 0.02];
        let own = 2.0 * PI * ((1.0 - 0.25 * PI) * squares * 20.0 - (5.0 / 6.0 - 0.25 * PI) * cubes);
        near(PI * 400.0 * 12.0 - volume(&made, 2), own, 1e-3);
    }
    // With an edge between them that has none of its own, the radius goes over from one to the other along it.
    let made = rim("edge cap 1 | {o} / c 3");
    let worst = worst_angle(shell(&made), "fillet") / DEGREE;
    assert!(worst < 0.2, "{worst}");
}
