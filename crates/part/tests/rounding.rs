//! Recipes that round, cut off, raise, inset and lead out, against handbook formulas.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::PI;

use made::{
    area, bodies, circle, drawing, failure, near, of, reached, rebuild, recipe, rectangle, step, volume,
};
use part::{Rebuilt, body_names};
use proptest::prelude::*;
use serde_json::{Value, json};

/// A block of 40 x 30 x 20 mm upwards from z = 0.
fn block() -> Vec<Value> {
    let made = json!({"profile": of("outline"), "length": 20});
    vec![rectangle("outline", "xy", 0.0, [-20.0, -15.0, 20.0, 15.0]), step("block", "extrude", made)]
}

fn then(mut before: Vec<Value>, last: impl IntoIterator<Item = Value>) -> Rebuilt {
    before.extend(last);
    rebuild(&recipe(before))
}

fn item(step: &str, item: &str) -> Value {
    json!({"step": step, "item": item})
}

/// The names of the edges of a step whose middle is where it is wanted.
fn edges_at(rebuilt: &Rebuilt, index: usize, wanted: impl Fn([f64; 3]) -> bool) -> Vec<String> {
    let all = bodies(rebuilt, index);
    let names = body_names(all);
    let shell = all[0].shells()[0];
    let middle = |e: &topology::Edge| e.curve.as_ref().map(|c| c.point(c.domain().at(0.5)));
    let hits = shell
        .edges()
        .iter()
        .zip(&names[0][0].edges)
        .filter(|(e, _)| middle(e).is_some_and(|p| wanted(p.into())));
    hits.filter_map(|(_, n)| n.clone()).collect()
}

fn picked(step: &str, names: &[String]) -> Value {
    Value::Array(names.iter().map(|n| item(step, n)).collect())
}

const SQUARE: f64 = 1.0 - PI / 4.0;

#[test]
fn edges_faces_and_whole_solids_are_rounded() {
    let before = rebuild(&recipe(block()));
    let whole = 40.0 * 30.0 * 20.0;
    let one = edges_at(&before, 1, |[x, _, z]| x > 19.0 && z > 19.0);
    assert_eq!(one.len(), 1);
    // (1 - pi/4) r^2 L for one edge.
    let made = then(block(), [step("soft", "fillet", json!({"edges": picked("block", &one), "radius": 3}))]);
    near(volume(&made, 2), whole - SQUARE * 9.0 * 30.0, 1e-10);
    near(reached(&made, 2, "Radius"), 3.0, 1e-12);
    assert_eq!(made.results().collect::<Vec<_>>(), [2]);
    let cut = then(block(), [step("cut", "chamfer", json!({"edges": picked("block", &one), "distance": 3}))]);
    near(volume(&cut, 2), whole - 4.5 * 30.0, 1e-10);
    // A radius that grows evenly from 2 to 5: the mean of its square is (4 + 10 + 25) / 3.
    let growing = json!({"edges": picked("block", &one), "radius": 2, "end_radius": 5, "radius_by": "even"});
    let made = then(block(), [step("soft", "fillet", growing)]);
    near(volume(&made, 2), whole - SQUARE * 13.0 * 30.0, 1e-6);
    let formula =
        json!({"edges": picked("block", &one), "radius": "2 mm + 3 mm * along", "radius_by": "formula"});
    near(volume(&then(block(), [step("soft", "fillet", formula)]), 2), whole - SQUARE * 13.0 * 30.0, 1e-6);
    // All edges of the solid: Steiner's formula for the inner block and the ball.
    let (a, b, c, r) = (34.0, 24.0, 14.0, 3.0);
    let steiner =
        a * b * c + 2.0 * r * (a * b + b * c + c * a) + PI * r * r * (a + b + c) + 4.0 / 3.0 * PI * 27.0;
    let made = then(block(), [step("soft", "fillet", json!({"edges": [of("block")], "radius": 3}))]);
    near(volume(&made, 2), steiner, 1e-7);
    assert_eq!(bodies(&made, 2)[0].shells()[0].faces().len(), 26);
    // Those of a face; what was rounded before is run round after it.
    let upright = edges_at(&before, 1, |[.., z]| (z - 10.0).abs() < 1e-6);
    let corners = step("corners", "fillet", json!({"edges": picked("block", &upright), "radius": 6}));
    let top = step("top", "fillet", json!({"edges": [item("corners", "face cap 2")], "radius": 2}));
    let made = then(block(), [corners, top]);
    // Pappus: the corner between square and arc lies r (10 - 3 pi) / (3 (4 - pi)) from the sides.
    let (from_side, section) = (2.0 * (10.0 - 3.0 * PI) / (3.0 * (4.0 - PI)), SQUARE * 4.0);
    let straight = 2.0 * (28.0 + 18.0);
    let expected = whole - SQUARE * 36.0 * 4.0 * 20.0 - section * (straight + 2.0 * PI * (6.0 - from_side));
    near(volume(&made, 3), expected, 1e-8);
}

#[test]
fn what_cannot_be_rounded_says_why_and_what_fits() {
    let rim = |radius: f64| {
        then(
            block(),
            [step("soft", "fillet", json!({"edges": [item("block", "face cap 2")], "radius": radius}))],
        )
    };
    let refused = rim(16.0);
    let said = failure(&refused, 2).message;
    assert!(said.contains("does not fit here") && said.contains("at most 14."), "{said}");
    near(reached(&rim(14.5), 2, "Radius"), 14.5, 1e-12);
    let gone = then(
        block(),
        [step("soft", "fillet", json!({"edges": [item("block", "edge nothing")], "radius": 1}))],
    );
    assert!(failure(&gone, 2).message.contains("no longer"));
    let none = then(block(), [step("soft", "fillet", json!({"edges": [of("block")], "radius": 0}))]);
    assert!(failure(&none, 2).message.contains("more than 0"));
    // Rounded twice: nothing is left at an angle.
    let twice = [
        step("soft", "fillet", json!({"edges": [of("block")], "radius": 3})),
        step("again", "fillet", json!({"edges": [of("soft")], "radius": 1})),
    ];
    assert!(failure(&then(block(), twice), 3).message.contains("no edge"));
}

#[test]
fn a_plane_parted_by_seams_is_rounded_along_its_border() {
    // A turned profile with four flat sides: its top is four triangles, whose seams end at the corners of the rim.
    let line =
        |id: &str, from: [f64; 2], to: [f64; 2]| json!({"id": id, "kind": "polyline", "points": [from, to]});
    let profile = json!({"plane": "xz", "curves": [
        line("b", [0.0, 0.0], [100.0, 0.0]),
        line("s", [100.0, 0.0], [100.0, 30.0]),
        line("t", [100.0, 30.0], [0.0, 30.0]),
    ]});
    let turned = json!({"profile": of("p"), "sides": "flat", "side_count": 4});
    let rim: Vec<String> =
        (1..=4).map(|k| format!("edge {{p}} / s, side {k} | {{p}} / t, side {k}")).collect();
    let made = |kind: &str, size: &str| {
        let mut how = json!({"edges": picked("turned", &rim)});
        how[size] = json!(5);
        then(
            vec![step("p", "drawing", profile.clone()), step("turned", "revolve", turned.clone())],
            [step("w", kind, how)],
        )
    };
    // Sections at a depth are squares, in from the sides by what the edge's section takes there.
    let whole = 200.0 * 200.0 * 25.0;
    let count = 20_000;
    let sum = |inset: &dyn Fn(f64) -> f64| {
        let area = |k: i32| (200.0 - 2.0 * inset((f64::from(k) + 0.5) * 5.0 / f64::from(count))).powi(2);
        whole + (0..count).map(area).sum::<f64>() * 5.0 / f64::from(count)
    };
    let round = sum(&|z| 5.0 - (25.0 - (5.0 - z) * (5.0 - z)).sqrt());
    near(volume(&made("fillet", "radius"), 2), round, 1e-6);
    near(volume(&made("chamfer", "distance"), 2), sum(&|z| 5.0 - z), 1e-6);
}

#[test]
fn a_flat_is_told_by_distances_or_an_angle() {
    let before = then(block(), []);
    let names = edges_at(&before, 1, |p| p[2] > 19.9 && p[0] > 19.9);
    let cut = |how: Value| {
        let mut all = json!({"edges": picked("block", &names)});
        all.as_object_mut().unwrap().extend(how.as_object().unwrap().clone());
        24_000.0 - volume(&then(block(), [step("cut", "chamfer", all)]), 2)
    };
    near(cut(json!({"distance": 2})), 0.5 * 2.0 * 2.0 * 30.0, 1e-9);
    near(cut(json!({"distance": 2, "flat": "distances", "other_distance": 5})), 0.5 * 2.0 * 5.0 * 30.0, 1e-9);
    let tan = 20f64.to_radians().tan();
    near(cut(json!({"distance": 2, "flat": "angle", "angle": "20 deg"})), 0.5 * 4.0 * tan * 30.0, 1e-9);
    near(
        cut(json!({"distance": 2, "flat": "angle", "angle": "20 deg", "swapped": true})),
        0.5 * 4.0 * tan * 30.0,
        1e-9,
    );
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]
    /// An edge that goes on at 2 to 6 degrees and is rounded, or cut off, alone: it ends flat at the vertex, or runs out along the next
    /// one. By the section's area and centroid (Pappus, Guldin): the section of an edge loses `own * r * r`, with its middle `off * r`
    /// from either side; the body ends square at the vertex and at a slant at the other end.
    #[test]
    fn what_nothing_ends_ends_flat(
        kink in 2.0..6.0_f64, length in 10.0..40.0_f64, radius in 0.2..3.0_f64, slant in 60.0..120.0_f64,
        turn in 0.0..360.0_f64, scale in -1.0..1.5_f64, is_cut_off in any::<bool>(),
    ) {
        let (scale, kink) = (10.0_f64.powf(scale), kink.to_radians());
        let cotangent = slant.to_radians().tan().recip();
        let (sine, cosine) = turn.to_radians().sin_cos();
        let corners = [
            [0.0, 0.0], [length, 0.0], [length - 20.0 * cotangent, 20.0], [-25.0 * kink.cos(), 20.0],
            [-25.0 * kink.cos(), 25.0 * kink.sin()],
        ];
        let at = corners.map(|[x, y]| [scale * (cosine * x - sine * y), scale * (sine * x + cosine * y)]);
        let curve = json!({"id": "c", "kind": "polyline", "closed": true, "points": at});
        let base = || vec![
            step("o", "drawing", json!({"plane": "xy", "curves": [curve]})),
            step("b", "extrude", json!({"profile": of("o"), "length": 8.0 * scale})),
        ];
        let built = rebuild(&recipe(base()));
        let middle = [0, 1].map(|k| 0.5 * (at[0][k] + at[1][k]));
        let beside = |p: [f64; 3]| (p[0] - middle[0]).hypot(p[1] - middle[1]).hypot(p[2] - 8.0 * scale);
        let picked = picked("b", &edges_at(&built, 1, |p| beside(p) < 1e-6 * scale));
        let (kind, how) = match is_cut_off {
            true => ("chamfer", json!({"edges": picked, "distance": radius * scale})),
            false => ("fillet", json!({"edges": picked, "radius": radius * scale})),
        };
        let made = then(base(), [step("f", kind, how)]);
        let (own, off) = match is_cut_off {
            true => (0.5, 1.0 / 3.0),
            false => (SQUARE, (0.5 - PI / 4.0 * (1.0 - 4.0 / (3.0 * PI))) / SQUARE),
        };
        let lost = own * radius * radius * (length - off * radius * cotangent) * scale.powi(3);
        let left = volume(&made, 2);
        let warnings = &made.built(2).unwrap().warnings;
        let shell = bodies(&made, 2)[0].shells()[0];
        prop_assert!(topology::closure(shell).is_watertight());
        if let [warning] = &warnings[..] {
            // At the slanted end the arc of an ellipse is fitted within 1e-5 mm.
            let within = 1e-7 * lost + 1e-5 * (radius * scale).powi(2);
            prop_assert!((volume(&built, 1) - left - lost).abs() < within, "{} {lost}", volume(&built, 1) - left);
            let at = warning.at.unwrap();
            prop_assert!(at[0].hypot(at[1]) < 1e-6 * scale && warning.message.contains("ends flat"));
            prop_assert_eq!(shell.faces().len(), 9);
        } else {
            // Along the next edge it takes away more, and no more than that one's own section would.
            prop_assert!(warnings.is_empty());
            let more = volume(&built, 1) - left;
            prop_assert!(more > lost && more < lost + own * radius * radius * 25.0 * scale.powi(3));
        }
    }
}

#[test]
fn a_rounding_that_nothing_ends_says_which_edge_to_round_too() {
    // A corner of 175 degrees in the rim.
    let outline = json!({"plane": "xy", "curves": [{"id": "c", "kind": "polyline", "closed": true,
        "points": [[0, 0], [20, 0], [40, 1.75], [40, 30], [0, 30]]}]});
    let base = || {
        vec![
            step("o", "drawing", outline.clone()),
            step("b", "extrude", json!({"profile": of("o"), "length": 10})),
        ]
    };
    let built = rebuild(&recipe(base()));
    let rim = |from: f64, to: f64| {
        edges_at(&built, 1, move |p| p[2] > 9.9 && p[1] < 2.0 && p[0] > from && p[0] < to)
    };
    let round = |names: Vec<String>| {
        then(base(), [step("f", "fillet", json!({"edges": picked("b", &names), "radius": 2}))])
    };
    let alone = round(rim(1.0, 19.0));
    let [warning] = &alone.built(2).unwrap().warnings[..] else { panic!("{:?}", alone.steps[2].outcome) };
    assert!(warning.message.contains("pick that one too"), "{}", warning.message);
    near(volume(&alone, 2), volume(&built, 1) - SQUARE * 4.0 * 20.0, 1e-9);
    let both = round(rim(1.0, 39.0));
    assert!(both.built(2).unwrap().warnings.is_empty());
    assert!(volume(&both, 2) < volume(&alone, 2) - 60.0 * SQUARE);
}

#[test]
fn a_leaning_region_is_rounded_at_its_foot_and_its_top() {
    // On a flat sheet over a circle: the foot turns (1 - pi/4)-like sections; here only that all sizes up to the height come,
    // and that nothing but the sheet's border stays open.
    let circle = json!({"plane": "xy", "offset": 60, "curves": [
        {"id": "c", "kind": "circle", "points": [[0, 0]], "values": {"radius": 30}}]});
    let region = json!({"face": item("s", "face face"), "outline": of("pc"), "goes": "lifted", "height": 20,
        "sides": "leaning", "draft": 15});
    for radius in [0.3, 1.0, 4.0, 9.0] {
        let how = json!({"edges": [item("rr", "edge face | side of the region on face"),
            item("rr", "edge region on face | side of the region on face")], "radius": radius});
        let projected = json!({"curve": of("o"), "way": "direction", "surface": of("s"), "along": "z"});
        let made = then(
            vec![
                rectangle("p1", "xy", 0.0, [-90.0, -70.0, 90.0, 70.0]),
                step("s", "flat_face", json!({"outlines": [of("p1")]})),
                step("o", "drawing", circle.clone()),
                step("pc", "projected_curve", projected),
                step("rr", "raised_region", region.clone()),
            ],
            [step("f", "fillet", how), step("w", "thicken", json!({"surface": of("f"), "thickness": 0.2}))],
        );
        // The fillets' own areas by Pappus: an arc of 75 degrees turned about the axis, at the mean radius of its arc.
        let open = 75f64.to_radians();
        let back = radius * (0.5 * open).tan();
        let mean = |inner: f64, sign: f64| {
            // The centre lies beyond the corner's circle by the way back on the plane; the arc's mean lies off it toward the corner.
            let centre = inner + sign * back;
            centre - sign * radius * ((1.0 - open.cos()) / open)
        };
        let top = 30.0 - 20.0 * 15f64.to_radians().tan();
        let arcs = radius * open * 2.0 * PI * (mean(30.0, 1.0) + mean(top, -1.0));
        let slant = 20.0 / 15f64.to_radians().cos() - 2.0 * back;
        let cone = PI * slant * (30.0 + top);
        let flats = 180.0 * 140.0 - PI * (30.0 + back).powi(2) + PI * (top - back).powi(2);
        near(area(&made, 5), arcs + cone + flats, 1e-5);
        assert!(volume(&made, 6) > 0.0);
    }
}

#[test]
fn sheets_are_bent_by_fillets_and_get_a_wall() {
    // An angle with legs of 30 and 20, its edge rounded with 5, then 2 mm of sheet inside: its section by the middle line.
    let legs = json!([{"id": "c", "kind": "polyline", "points": [[30, 0], [0, 0], [0, 20]]}]);
    let steps = vec![
        drawing("legs", "xz", 0.0, legs),
        step("angle", "extrude", json!({"profile": of("legs"), "length": 50})),
    ];
    let bend = edges_at(&rebuild(&recipe(steps.clone())), 1, |[x, _, z]| x.abs() < 1e-6 && z.abs() < 1e-6);
    let bent = step("bent", "fillet", json!({"edges": picked("angle", &bend), "radius": 5}));
    let wall = step("wall", "thicken", json!({"surface": of("bent"), "side": "both", "thickness": 1}));
    let made = then(steps, [bent, wall]);
    near(area(&made, 2), 50.0 * (25.0 + 15.0 + 2.5 * PI), 1e-10);
    near(volume(&made, 3), 2.0 * 50.0 * (25.0 + 15.0 + 2.5 * PI), 1e-9);
}

#[test]
fn a_fillet_between_surfaces_trims_what_it_is_told_to() {
    let line = |id: &str, points: Value| {
        drawing(id, "xz", 0.0, json!([{"id": "c", "kind": "through_points", "points": points}]))
    };
    let steps = vec![
        line("level", json!([[-20, 0], [20, 0]])),
        line("upright", json!([[0, 20], [0, -20]])),
        step("floor", "extrude", json!({"profile": of("level"), "length": 40})),
        step("side", "extrude", json!({"profile": of("upright"), "length": 40})),
    ];
    let quarter = 0.5 * PI * 5.0 * 40.0;
    for (trims, extra, results) in
        [("both", 1200.0, vec![4]), ("first", 600.0, vec![3, 4]), ("neither", 0.0, vec![2, 3, 4])]
    {
        let made = json!({"first": of("floor"), "second": of("side"), "radius": 5, "trims": trims});
        let rebuilt = then(steps.clone(), [step("round", "surface_fillet", made)]);
        near(area(&rebuilt, 4), quarter + extra, 1e-9);
        assert_eq!(rebuilt.results().collect::<Vec<_>>(), results);
    }
    let far = json!({"first": of("floor"), "second": of("side"), "radius": 25});
    assert!(failure(&then(steps, [step("round", "surface_fillet", far)]), 4).message.contains("no ball"));
}

#[test]
fn regions_are_raised_and_inset_outlines_taken_from_edges() {
    let whole = 40.0 * 30.0 * 20.0;
    let top = item("block", "face cap 2");
    let raised = |make: Value| {
        let mut steps = block();
        steps.push(circle("disc", 50.0, 8.0));
        then(steps, [step("raised", "raised_region", make)])
    };
    let disc = |more: Value| {
        let mut make = json!({"face": top, "outline": of("disc"), "height": 3});
        make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        make
    };
    let made = raised(disc(json!({})));
    near(volume(&made, 3), whole + PI * 64.0 * 3.0, 1e-9);
    assert_eq!(made.results().collect::<Vec<_>>(), [3]);
    near(volume(&raised(disc(json!({"goes": "sunk"}))), 3), whole - PI * 64.0 * 3.0, 1e-9);
    let slope = 8.0 - 3.0 * 10.0_f64.to_radians().tan();
    let frustum = PI * (64.0 + 8.0 * slope + slope * slope);
    near(volume(&raised(disc(json!({"draft": 10}))), 3), whole + frustum, 1e-9);
    assert!(
        failure(&raised(disc(json!({"sides": "tangent", "width": 9}))), 3)
            .message
            .contains("run into each other")
    );
    // The outline of the top, inset by 4 and raised by 2.
    let inset = step("inset", "inset_edge", json!({"face": top, "distance": 4}));
    let lid = step("lid", "raised_region", json!({"face": top, "outline": of("inset"), "height": 2}));
    let made = then(block(), [inset, lid]);
    near(reached(&made, 2, "Length of inset"), 2.0 * (32.0 + 22.0), 1e-12);
    near(volume(&made, 3), whole + 32.0 * 22.0 * 2.0, 1e-9);
    let far = step("inset", "inset_edge", json!({"face": top, "distance": 16}));
    assert!(failure(&then(block(), [far]), 2).message.contains("does not fit"));
}

#[test]
fn a_parting_surface_is_led_out_round_a_solid() {
    let before = rebuild(&recipe(block()));
    let rim = edges_at(&before, 1, |[.., z]| z.abs() < 1e-6);
    assert_eq!(rim.len(), 4);
    let lead = |more: Value| {
        let mut make = json!({"edges": picked("block", &rim), "length": 10});
        make.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        then(block(), [step("lead", "lead_out", make)])
    };
    let level = lead(json!({"leads": "square", "axis": "z"}));
    near(area(&level, 2), 60.0 * 50.0 - 40.0 * 30.0, 1e-10);
    // The solid stays beside it.
    assert_eq!(level.results().collect::<Vec<_>>(), [1, 2]);
    near(area(&lead(json!({"leads": "along", "axis": "z"})), 2), 10.0 * 140.0, 1e-10);
    assert!(
        failure(&lead(json!({"leads": "square", "axis": "x"})), 2).message.contains("run into each other")
    );
}
