//! Regions raised over roundings, openings, creases and several outlines, and faces swapped, against closed forms.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::PI;

use made::{bodies, failure, near, of, rebuild, recipe, step, volume};
use part::Rebuilt;
use proptest::prelude::*;
use serde_json::{Value, json};

fn drawing(id: &str, plane: &str, offset: f64, curves: Value, rounding: f64) -> Value {
    let changes = match curves[0]["id"].as_str() {
        Some(curve) if rounding > 0.0 => json!([{"change": "fillet", "curve": curve, "radius": rounding}]),
        _ => json!([]),
    };
    step(id, "drawing", json!({"plane": plane, "offset": offset, "curves": curves, "changes": changes}))
}

fn polygon(id: &str, points: &[[f64; 2]]) -> Value {
    json!({"id": id, "kind": "polyline", "points": points, "closed": true})
}

fn circle(id: &str, [x, y]: [f64; 2], radius: f64) -> Value {
    json!({"id": id, "kind": "circle", "points": [[x, y]], "values": {"radius": radius}})
}

/// A solid drawn up from curves in a plane, in three steps with the region on one of its faces.
fn raised(base: (&str, Value, f64), length: f64, face: &str, outline: Value, region: Value) -> Rebuilt {
    let (plane, curves, rounding) = base;
    let mut region = region;
    region["face"] = json!({"step": "base", "item": face});
    region["outline"] = of("outline");
    rebuild(&recipe(vec![
        drawing("profile", plane, 0.0, curves, rounding),
        step("base", "extrude", json!({"profile": of("profile"), "length": length})),
        outline,
        step("region", "raised_region", region),
    ]))
}

fn plate() -> (&'static str, Value, f64) {
    let square = polygon("c", &[[-40.0, -40.0], [40.0, -40.0], [40.0, 40.0], [-40.0, 40.0]]);
    ("xy", json!([square]), 0.0)
}

/// What a region adds, whose cross section at a share of its height has this area: by Simpson's rule, which is exact for what changes
/// with the square of the height.
fn prismoid(height: f64, area: impl Fn(f64) -> f64) -> f64 {
    height * (area(0.0) + 4.0 * area(0.5 * height) + area(height)) / 6.0
}

/// Area and perimeter of a convex polygon whose sides are moved inwards, by the lines that they lie on.
fn inset(points: &[[f64; 2]], by: f64) -> [f64; 2] {
    let count = points.len();
    let line = |k: usize| {
        let (a, b) = (points[k % count], points[(k + 1) % count]);
        let along = [b[0] - a[0], b[1] - a[1]];
        let length = along[0].hypot(along[1]);
        let normal = [-along[1] / length, along[0] / length];
        (normal, normal[0] * a[0] + normal[1] * a[1] + by)
    };
    let corner = |k: usize| {
        let ((m, p), (n, q)) = (line(k + count - 1), line(k));
        let turn = m[0] * n[1] - m[1] * n[0];
        [(p * n[1] - q * m[1]) / turn, (q * m[0] - p * n[0]) / turn]
    };
    let corners: Vec<[f64; 2]> = (0..count).map(corner).collect();
    let pairs = (0..count).map(|k| (corners[k], corners[(k + 1) % count]));
    let size = |(a, b): &([f64; 2], [f64; 2])| (b[0] - a[0]).hypot(b[1] - a[1]);
    [pairs.clone().map(|(a, b)| 0.5 * (a[0] * b[1] - a[1] * b[0])).sum(), pairs.map(|p| size(&p)).sum()]
}

/// The area of a polygon with corners of a radius, moved inwards: about the polygon that far within, by Steiner's formula, until the
/// corners are sharp (Schneider, Convex bodies, section 4.1).
fn rounded(points: &[[f64; 2]], radius: f64, by: f64) -> f64 {
    if by >= radius {
        return inset(points, by)[0];
    }
    let ([area, perimeter], left) = (inset(points, radius), radius - by);
    area + perimeter * left + PI * left * left
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn roundings_smaller_than_the_sides_lean_end_in_tips(
        turns in prop::collection::vec(0.7_f64..1.3, 3..7),
        radius in 0.3_f64..2.0,
        height in 0.5_f64..6.0,
        degrees in 2.0_f64..35.0,
        lifted: bool,
    ) {
        let count = turns.len() as f64;
        let sum: f64 = turns.iter().sum();
        let mut angle = 0.0;
        let points: Vec<[f64; 2]> = turns.iter().map(|t| {
            angle += t / sum * 2.0 * PI;
            [18.0 * angle.cos(), 18.0 * angle.sin()]
        }).collect();
        let slope = degrees.to_radians().tan();
        // As far as some of the top is left.
        prop_assume!(height * slope < 0.3 * 18.0 * (PI / count).cos());
        let outline = drawing("outline", "xy", 0.0, json!([polygon("k", &points)]), radius);
        let goes = if lifted { "lifted" } else { "sunk" };
        let region = json!({"height": height, "goes": goes, "draft": format!("{degrees} deg")});
        let built = raised(plate(), 10.0, "face cap 1", outline, region);
        let area = |h: f64| rounded(&points, radius, h * slope);
        let sharp = (radius / slope).min(height);
        let added = prismoid(sharp, area) + prismoid(height - sharp, |h| area(sharp + h));
        let sign = if lifted { 1.0 } else { -1.0 };
        near(volume(&built, 3), 64_000.0 + sign * added, 1e-9);
    }
}

#[test]
fn regions_leave_what_opens_inside_them_open() {
    // Round a bore of 4: a ring between cones, and the bore as long as it has become.
    let washer = || ("xy", json!([circle("c", [0.0; 2], 38.0), circle("h", [0.0; 2], 4.0)]), 0.0);
    let whole = PI * (38.0_f64.powi(2) - 16.0) * 20.0;
    for (radius, height, degrees) in [(6.0, 1.5, 0.0_f64), (12.0, 3.0, -10.0), (12.0, 8.0, 30.0)] {
        let t = degrees.to_radians().tan();
        let ring = |h: f64| PI * ((radius - h * t).powi(2) - 16.0);
        for (goes, sign) in [("lifted", 1.0), ("sunk", -1.0)] {
            let outline = drawing("outline", "xy", 0.0, json!([circle("k", [0.0; 2], radius)]), 0.0);
            let region = json!({"height": height, "goes": goes, "draft": format!("{degrees} deg")});
            let built = raised(washer(), 20.0, "face cap 1", outline, region);
            near(volume(&built, 3), whole + sign * prismoid(height, ring), 1e-9);
            assert_eq!(bodies(&built, 3)[0].shells()[0].faces().len(), 6);
        }
    }
    // One that runs over the bore's border is refused where it does.
    let outline = drawing("outline", "xy", 0.0, json!([circle("k", [5.0, 0.0], 3.0)]), 0.0);
    let notice = failure(&raised(washer(), 20.0, "face cap 1", outline, json!({})), 3);
    assert!(notice.at.is_some() && notice.message.contains("over the edge"), "{notice:?}");
}

#[test]
fn outlines_inside_others_bound_openings() {
    let t = 12.0_f64.to_radians().tan();
    let disc = |r: f64| move |h: f64| PI * (r - h * t).powi(2);
    let hole = |r: f64| move |h: f64| PI * (r + h * t).powi(2);
    let ring = json!([circle("a", [0.0; 2], 12.0), circle("b", [0.0; 2], 7.0), circle("c", [0.0; 2], 3.0)]);
    let frame = json!([
        polygon("a", &[[-10.0, -15.0], [10.0, -15.0], [10.0, 15.0], [-10.0, 15.0]]),
        polygon("b", &[[-6.0, 2.0], [6.0, 2.0], [6.0, 11.0], [-6.0, 11.0]]),
        circle("c", [0.0, -7.0], 4.0),
        circle("d", [25.0, 0.0], 6.0),
    ]);
    let of_ring = |h: f64| disc(12.0)(h) - hole(7.0)(h) + disc(3.0)(h);
    let of_frame = |h: f64| {
        let s = h * t;
        (20.0 - 2.0 * s) * (30.0 - 2.0 * s) - (12.0 + 2.0 * s) * (9.0 + 2.0 * s) - hole(4.0)(h) + disc(6.0)(h)
    };
    for (goes, sign) in [("lifted", 1.0), ("sunk", -1.0)] {
        let region = json!({"height": 2.0, "goes": goes, "draft": "12 deg"});
        for (curves, added) in [(&ring, prismoid(2.0, of_ring)), (&frame, prismoid(2.0, of_frame))] {
            let outline = drawing("outline", "xy", 0.0, curves.clone(), 0.0);
            near(
                volume(&raised(plate(), 10.0, "face cap 1", outline, region.clone()), 3),
                64_000.0 + sign * added,
                1e-9,
            );
        }
    }
}

#[test]
fn regions_run_on_over_creases_and_seams() {
    // A roof whose sides climb by 8 on 20: both are moved square to themselves, and their offsets meet over the ridge.
    let roof = || {
        (
            "xz",
            json!([polygon("c", &[[-20.0, 0.0], [20.0, 0.0], [20.0, 10.0], [0.0, 18.0], [-20.0, 10.0]])]),
            0.0,
        )
    };
    let whole = 40.0 * (40.0 * 10.0 + 0.5 * 40.0 * 8.0);
    let climbs = 1.0_f64.hypot(0.4);
    for (goes, sign) in [("lifted", 1.0), ("sunk", -1.0)] {
        for face in ["face {profile} / c 3", "face {profile} / c 4"] {
            let over = polygon("k", &[[-8.0, -30.0], [9.0, -30.0], [9.0, -12.0], [-8.0, -12.0]]);
            let outline = drawing("outline", "xy", 30.0, json!([over]), 0.0);
            let built = raised(roof(), 40.0, face, outline, json!({"height": 2.0, "goes": goes}));
            near(volume(&built, 3), whole + sign * 17.0 * 18.0 * 2.0 * climbs, 1e-9);
        }
    }
    // A bar whose upper edges are rounded by 5, and a disc over the seam: columns between circles about the same centre.
    let bar =
        || ("xz", json!([polygon("c", &[[-20.0, 0.0], [20.0, 0.0], [20.0, 12.0], [-20.0, 12.0]])]), 5.0);
    let whole = 40.0 * (40.0 * 12.0 - (4.0 - PI) * 25.0);
    let skin = |x: f64, moved: f64| {
        if x <= 15.0 { 12.0 + moved } else { 7.0 + ((5.0 + moved).powi(2) - (x - 15.0).powi(2)).sqrt() }
    };
    for (radius, height) in [(4.0, 1.0), (3.0, 0.4)] {
        for sign in [1.0, -1.0] {
            let count = 40_000;
            let column = |k: usize| {
                // By the angle about the disc's middle, so that its ends are smooth.
                let angle = PI * (k as f64 + 0.5) / count as f64;
                let x = 15.0 - radius * angle.cos();
                let width = 2.0 * radius * angle.sin() * radius * angle.sin() * PI / count as f64;
                width * (skin(x, sign * height) - skin(x, 0.0))
            };
            let added: f64 = (0..count).map(column).sum();
            let outline = drawing("outline", "xy", 30.0, json!([circle("k", [15.0, -20.0], radius)]), 0.0);
            let goes = if sign > 0.0 { "lifted" } else { "sunk" };
            let built =
                raised(bar(), 40.0, "face {profile} / c 5", outline, json!({"height": height, "goes": goes}));
            near(volume(&built, 3) - whole, added, 2e-4);
        }
    }
}

/// A solid with one of its faces swapped for that of another step.
fn swapped(mut steps: Vec<Value>, face: &str) -> Rebuilt {
    steps.push(step(
        "swapped",
        "swap_face",
        json!({"face": {"step": "base", "item": face}, "by": of("lid")}),
    ));
    rebuild(&recipe(steps))
}

#[test]
fn faces_beside_a_swapped_one_grow_or_are_cut_and_others_stay() {
    // The lid is a plane through three places, drawn as a slanted sheet.
    let lid = |low: f64, slope: f64| {
        let line = |id: &str, x: f64| {
            let z = low + slope * x;
            step(id, "space_curve", json!({"points": [[x, -60.0, z], [x, 60.0, z]]}))
        };
        vec![
            line("l", -60.0),
            line("r", 60.0),
            step("lid", "ruled", json!({"first": of("l"), "second": of("r")})),
        ]
    };
    let with = |base: Vec<Value>, lid: Vec<Value>| base.into_iter().chain(lid).collect::<Vec<Value>>();
    // A pyramid over a square of 20, 30 high: cut or made longer, it keeps its tip.
    let pyramid = || {
        let square = polygon("c", &[[-10.0, -10.0], [10.0, -10.0], [10.0, 10.0], [-10.0, 10.0]]);
        vec![
            drawing("profile", "xy", 0.0, json!([square]), 0.0),
            step("tip", "point", json!({"x": 0, "y": 0, "z": 30})),
            step("base", "loft", json!({"sections": [of("profile"), of("tip")]})),
        ]
    };
    for low in [-6.0_f64, 0.0, 9.0] {
        let made = swapped(with(pyramid(), lid(low, 0.0)), "face cap 1");
        let side: f64 = 20.0 * (30.0 - low) / 30.0;
        near(volume(&made, 6), side * side * (30.0 - low) / 3.0, 1e-6);
    }
    // A cone cut off slanted: a cone over an ellipse, whose area and distance from the tip are known.
    let cone = || {
        let line = json!([{"id": "c", "kind": "polyline", "points": [[0, 0], [10, 0], [0, 20]]}]);
        vec![
            drawing("profile", "xz", 0.0, line, 0.0),
            step("base", "revolve", json!({"profile": of("profile"), "axis": "z"})),
        ]
    };
    for (low, slope) in [(2.0_f64, 0.2_f64), (-3.0, -0.35), (0.5, 0.6)] {
        let made = swapped(with(cone(), lid(low, slope)), "face {profile} / c 1");
        // The lines of the cone in the plane of the slant meet it at both ends of the ellipse's long axis.
        let [p, q] = [1.0, -1.0].map(|s| s * (10.0 - 0.5 * low) / (1.0 + 0.5 * s * slope));
        let long = 0.5 * (p - q) * slope.hypot(1.0);
        let middle = 0.5 * (p + q);
        let z = low + slope * middle;
        let short = ((10.0 - 0.5 * z).powi(2) - middle * middle).sqrt();
        let away = (20.0 - low) / slope.hypot(1.0);
        near(volume(&made, 5), PI * long * short * away / 3.0, 1e-5);
    }
    // A sphere of 120 with its pole over a bar of 30 x 30: columns under it.
    let bar = || {
        let square = polygon("c", &[[-15.0, -15.0], [15.0, -15.0], [15.0, 15.0], [-15.0, 15.0]]);
        vec![
            drawing("profile", "xy", 0.0, json!([square]), 0.0),
            step("base", "extrude", json!({"profile": of("profile"), "length": 80})),
            step("axis", "axis", json!({"points": [[0, 0, 0], [0, 0, 1]]})),
            step(
                "arc",
                "drawing",
                json!({"plane": "xz", "curves": [
                {"id": "a", "kind": "arc_about", "points": [[0, -35], [0, -155], [0, 85]]}]}),
            ),
            step("lid", "revolve", json!({"profile": of("arc"), "axis": of("axis")})),
        ]
    };
    let made = swapped(bar(), "face cap 1");
    let count = 600;
    let at = |k: usize| 15.0 * (k as f64 + 0.5) / count as f64;
    let columns = (0..count).flat_map(|i| (0..count).map(move |j| (i, j)));
    let height = |(i, j): (usize, usize)| (120.0_f64.powi(2) - at(i).powi(2) - at(j).powi(2)).sqrt() - 35.0;
    near(volume(&made, 5), columns.map(height).sum::<f64>() * 4.0 * (15.0 / count as f64).powi(2), 1e-6);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn a_round_region_on_a_sheet_is_as_thick_as_the_sheet(
        radius in 20.0..40.0_f64,
        height in 8.0..25.0_f64,
        lean in 3.0..30.0_f64,
        wall in 0.3..3.0_f64,
    ) {
        let curves = json!([circle("c", [0.0, 0.0], radius)]);
        let projected = json!({"curve": of("above"), "way": "direction", "surface": of("sheet"), "along": "z"});
        let region = json!({
            "face": {"step": "sheet", "item": "face face"}, "outline": of("on"), "goes": "lifted", "height": height,
            "sides": "leaning", "draft": lean,
        });
        let rebuilt = rebuild(&recipe(vec![
            drawing("profile", "xy", 0.0, plate().1, 0.0),
            step("sheet", "flat_face", json!({"outlines": [of("profile")]})),
            drawing("above", "xy", 60.0, curves, 0.0),
            step("on", "projected_curve", projected),
            step("region", "raised_region", region),
            step("w", "thicken", json!({"surface": of("region"), "thickness": wall, "side": "inward"})),
        ]));
        prop_assert!(rebuilt.built(5).is_some(), "{}", failure(&rebuilt, 5).message);
        // A plate, with the frustum of the region, less that of its inner side, which lies a wall inside it.
        let slope = lean.to_radians().tan();
        let frustum = |a: f64, b: f64| PI * height * (a * a + a * b + b * b) / 3.0;
        let inner = |z: f64| radius - slope * z - wall / lean.to_radians().cos();
        let outer = frustum(radius, radius - slope * height);
        near(volume(&rebuilt, 5), 6400.0 * wall + outer - frustum(inner(-wall), inner(height - wall)), 1e-5);
    }
}
