//! Walls with a thickness of their own under some faces, by steps and ramps, against closed forms.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod made;

use std::f64::consts::PI;

use made::{drawing, failure, near, of, reached, rebuild, recipe, step, volume};
use part::Rebuilt;
use proptest::prelude::*;
use serde_json::{Value, json};
use topology::{MeshTolerance, mesh};

/// A block with its upright edges rounded: the sides 1, 3, 5 and 7 are flat, the others round.
#[derive(Debug, Clone, Copy)]
struct Block {
    length: f64,
    width: f64,
    height: f64,
    radius: f64,
}

impl Block {
    fn steps(&self) -> Vec<Value> {
        let (x, y) = (self.length / 2.0, self.width / 2.0);
        let outline = json!([{"id": "c", "kind": "polyline", "points": [[-x, -y], [x, -y], [x, y], [-x, y]], "closed": true}]);
        let mut outline = drawing("o", "xy", 0.0, outline);
        outline["make"]["drawing"]["changes"] =
            json!([{"change": "fillet", "curve": "c", "radius": self.radius}]);
        vec![outline, step("block", "extrude", json!({"profile": of("o"), "length": self.height}))]
    }

    /// The area within the outline at a depth.
    fn area(&self, depth: f64) -> f64 {
        let corner = self.radius - depth;
        (self.length - 2.0 * depth) * (self.width - 2.0 * depth) - (4.0 - PI) * corner * corner
    }

    fn flats(&self) -> f64 {
        2.0 * (self.length + self.width) - 8.0 * self.radius
    }

    /// The area of a rounding between two depths.
    fn sector(&self, from: f64, to: f64) -> f64 {
        PI / 4.0 * ((self.radius - from).powi(2) - (self.radius - to).powi(2))
    }

    fn whole(&self) -> f64 {
        self.area(0.0) * self.height
    }

    /// The volume of the wall around a room of a section, under caps of a thickness.
    fn around(&self, room: f64, caps: f64) -> f64 {
        self.whole() - room * (self.height - 2.0 * caps)
    }

    fn hollow(&self, own: &[usize], make: Value) -> Rebuilt {
        let faces: Vec<Value> =
            own.iter().map(|k| json!({"step": "block", "item": format!("face {{o}} / c {k}")})).collect();
        let mut all = json!({"solid": of("block"), "other_faces": faces});
        all.as_object_mut().unwrap().extend(make.as_object().unwrap().clone());
        let mut steps = self.steps();
        steps.push(step("hollow", "hollow", all));
        rebuild(&recipe(steps))
    }
}

const BLOCK: Block = Block { length: 50.0, width: 36.0, height: 25.0, radius: 10.0 };
const FLATS: [usize; 4] = [1, 3, 5, 7];
const ROUNDS: [usize; 4] = [2, 4, 6, 8];

#[test]
fn a_step_stands_square_to_the_thicker_side() {
    for (rounds, others) in [(4.0, 2.0), (1.0, 3.0)] {
        let make = json!({"thickness": others, "other_thickness": rounds});
        let room = BLOCK.area(others) - 4.0 * BLOCK.sector(others, rounds);
        near(volume(&BLOCK.hollow(&ROUNDS, make), 2), BLOCK.around(room, others), 1e-9);
    }
    // Open at the top it is the same room, higher.
    let top = json!([{"step": "block", "item": "face cap 2"}]);
    let make = json!({"thickness": 2, "other_thickness": 4, "open": top});
    let room = BLOCK.area(2.0) - (4.0 - 2.0) * BLOCK.flats();
    near(volume(&BLOCK.hollow(&FLATS, make), 2), BLOCK.whole() - room * (BLOCK.height - 2.0), 1e-9);
}

#[test]
fn a_ramp_lies_on_the_thinner_side() {
    // A triangle beside each seam on the flat sides.
    let make = json!({"thickness": 2, "other_thickness": 4, "between": "ramp", "ramp": 6});
    let room = BLOCK.area(2.0) - 4.0 * BLOCK.sector(2.0, 4.0) - 8.0 * 0.5 * 6.0 * 2.0;
    near(volume(&BLOCK.hollow(&ROUNDS, make), 2), BLOCK.around(room, 2.0), 1e-9);
    // On the round ones the ramp's width is measured along them.
    let make = json!({"thickness": 4, "other_thickness": 2, "between": "ramp", "ramp": 6});
    let angle: f64 = 6.0 / BLOCK.radius;
    let ramp = 0.5 * 8.0 * 8.0 * angle - 0.5 * 8.0 * 6.0 * angle.sin();
    let room = BLOCK.area(4.0) - 4.0 * BLOCK.sector(4.0, 2.0) - 8.0 * ramp;
    near(volume(&BLOCK.hollow(&ROUNDS, make), 2), BLOCK.around(room, 4.0), 1e-6);
    // Two of them have no room on a quarter round of 15.7 mm.
    let make = json!({"thickness": 4, "other_thickness": 2, "between": "ramp", "ramp": 9});
    let refused = failure(&BLOCK.hollow(&ROUNDS, make), 2);
    assert_eq!(refused.input.as_deref(), Some("ramp"));
    let fits: f64 = refused.message.split("; ").nth(1).unwrap().split(' ').next().unwrap().parse().unwrap();
    assert!(fits > 7.7 && fits <= 2.5 * PI && refused.at.is_some(), "{}", refused.message);
}

#[test]
fn a_rounding_of_which_nothing_is_left_is_grown_over() {
    // The walls beside it are thicker than its radius: their corner is sharp, whatever is asked under the rounding itself.
    let block = Block { radius: 1.0, ..BLOCK };
    for own in [0.6, 0.9] {
        let make = json!({"thickness": 1.5, "other_thickness": own});
        let room = (block.length - 3.0) * (block.width - 3.0);
        near(volume(&block.hollow(&ROUNDS, make), 2), block.around(room, 1.5), 1e-9);
    }
    // One flat side thinner than the roundings beside it, which are swallowed.
    let make = json!({"thickness": 1.5, "other_thickness": 0.5});
    let room = (block.length - 3.0) * (block.width - 2.0);
    near(volume(&block.hollow(&[1], make), 2), block.around(room, 1.5), 1e-9);
}

#[test]
fn a_dome_is_thicker_than_what_it_stands_on() {
    let (radius, height) = (20.0_f64, 30.0_f64);
    let middle = radius / 2.0_f64.sqrt();
    let profile = json!([
        {"id": "a", "kind": "polyline", "points": [[0, 0], [radius, 0], [radius, height]]},
        {"id": "b", "kind": "arc", "points": [[radius, height], [middle, height + middle], [0, height + radius]]},
    ]);
    let body = vec![
        drawing("p", "xz", 0.0, profile),
        step("body", "revolve", json!({"profile": of("p"), "axis": "z"})),
    ];
    let ball = |r: f64| 2.0 / 3.0 * PI * r.powi(3);
    for (dome, others) in [(5.0, 2.0), (1.0, 4.0)] {
        let mut steps = body.clone();
        let own = json!([{"step": "body", "item": "face {p} / b"}]);
        let make =
            json!({"solid": of("body"), "thickness": others, "other_faces": own, "other_thickness": dome});
        steps.push(step("hollow", "hollow", make));
        let room = ball(radius - dome) + PI * (radius - others).powi(2) * (height - others);
        let whole = ball(radius) + PI * radius.powi(2) * height;
        near(volume(&rebuild(&recipe(steps)), 2), whole - room, 1e-6);
    }
}

#[test]
fn an_opening_into_which_a_rounding_runs_has_a_square_rim_beside_its_own_thicknesses() {
    let outline = json!([{"id": "c", "kind": "polyline", "points": [[0, 0], [40, 0], [40, 30], [0, 30]], "closed": true}]);
    let made = |own: f64, between: &str| {
        let face = |name: &str| json!([{"step": "round", "item": name}]);
        let make = json!({
            "solid": of("round"), "thickness": 2, "open": face("face cap 2"),
            "other_faces": face("face cap 1"), "other_thickness": own, "between": between, "ramp": 2,
        });
        rebuild(&recipe(vec![
            drawing("o", "xy", 0.0, outline.clone()),
            step("block", "extrude", json!({"profile": of("o"), "length": 25})),
            step("round", "fillet", json!({"edges": [of("block")], "radius": 5})),
            step("hollow", "hollow", make),
        ]))
    };
    // The floor is 30 by 20; the ramp stands on the roundings of 5 around it, none at the rim.
    let even = volume(&made(2.0, "step"), 3);
    for own in [2.5, 3.0, 1.0] {
        let stepped = made(own, "step");
        near(volume(&stepped, 3), even + 600.0 * (own - 2.0), 1e-9);
        near(reached(&stepped, 3, "Wall, thinnest"), own.min(2.0), 1e-3);
        assert!(stepped.built(3).unwrap().warnings.is_empty());
    }
    let ramped = volume(&made(3.0, "ramp"), 3);
    assert!(ramped > even + 600.0 && ramped < even + 600.0 + 2.0 * 100.0, "{ramped}");
}

#[test]
fn thicknesses_that_meet_crosswise_are_refused() {
    let outline = json!([{"id": "c", "kind": "polyline", "points": [[0, 0], [30, 0], [30, 30], [0, 30]], "closed": true}]);
    // A flat side and the ball at its corner touch at one vertex, the roundings between are thinner.
    let own = ["face cap 2", "face fillet of cap 2 and {o} / c 1 and {o} / c 2"]
        .map(|name| json!({"step": "round", "item": name}));
    let make = json!({"solid": of("round"), "thickness": 1, "other_faces": own, "other_thickness": 2});
    let steps = vec![
        drawing("o", "xy", 0.0, outline),
        step("block", "extrude", json!({"profile": of("o"), "length": 30})),
        step("round", "fillet", json!({"edges": [of("block")], "radius": 5})),
        step("hollow", "hollow", make),
    ];
    let refused = failure(&rebuild(&recipe(steps)), 3);
    assert!(refused.message.contains("crosswise"), "{}", refused.message);
    let [x, y, z] = refused.at.unwrap();
    // At a corner of the flat side.
    let off = |x: f64| (x - 5.0).abs().min((x - 25.0).abs());
    assert!(off(x) < 1e-9 && off(y) < 1e-9 && z.abs() < 1e-9, "{x} {y} {z}");
}

/// A strip of two flat sides with a rounding between, drawn up and cut off by slanted planes, that gets a wall with a thickness of its
/// own under the rounding.
#[derive(Debug, Clone, Copy)]
struct Strip {
    sides: [f64; 2],
    turn: f64,
    radius: f64,
    /// Where the planes stand, and how they lean along x and z.
    ends: [[f64; 3]; 2],
}

impl Strip {
    fn steps(&self) -> Vec<Value> {
        let [a, b] = self.sides;
        let points = [[0.0, 0.0], [a, 0.0], [a + b * self.turn.cos(), b * self.turn.sin()]];
        let mut profile = drawing("p", "xz", 0.0, json!([{"id": "c", "kind": "polyline", "points": points}]));
        profile["make"]["drawing"]["changes"] =
            json!([{"change": "fillet", "curve": "c", "corner": 1, "radius": self.radius}]);
        let drawn = json!({"profile": of("p"), "length": 80, "back": 80, "ends": "open"});
        let mut steps = vec![profile, step("e", "extrude", drawn)];
        for (k, [y, x, z]) in self.ends.into_iter().enumerate() {
            // In front of either plane is the strip's middle.
            let side = if k == 0 { 10.0 } else { -10.0 };
            let points = [[0.0, y, 0.0], [side, y + side * x, 0.0], [0.0, y + 10.0 * z, 10.0]];
            let (plane, from, to) = (format!("q{k}"), ["e", "t0"][k], ["t0", "strip"][k]);
            steps.push(step(&plane, "plane", json!({"way": "three_points", "points": points})));
            let piece = format!("{{{from}}}: in front of {{{plane}}}");
            steps.push(step(
                to,
                "trim",
                json!({"surfaces": [of(from)], "by": [of(&plane)], "chosen": "kept", "pieces": [piece]}),
            ));
        }
        steps
    }

    fn thick(&self, make: Value) -> Rebuilt {
        let own = json!([{"step": "strip", "item": "face {p} / c 2"}]);
        let mut all = json!({"surface": of("strip"), "other_faces": own});
        all.as_object_mut().unwrap().extend(make.as_object().unwrap().clone());
        let mut steps = self.steps();
        steps.push(step("wall", "thicken", all));
        rebuild(&recipe(steps))
    }

    /// What a wall holds, by slices square to the profile: `inside` on the side to which the strip bends. A ramp is `width` mm wide.
    fn holds(&self, flats: f64, round: f64, width: Option<f64>, inside: bool) -> f64 {
        const SLICES: usize = 20_000;
        let back = self.radius * (0.5 * self.turn).tan();
        let [first, last] = self.sides.map(|l| l - back);
        let arc = self.radius * self.turn;
        let (cos, sin) = (self.turn.cos(), self.turn.sin());
        let depth = |x: f64, z: f64| {
            let end = |[y, a, b]: [f64; 3]| y + a * x + b * z;
            (end(self.ends[0]) - end(self.ends[1])).abs()
        };
        // How thick it is so far from the rounding, or from a flat side.
        let beside = |flat: f64| match width {
            Some(w) if round > flats => flats + (round - flats) * (1.0 - flat / w).max(0.0),
            _ => flats,
        };
        let under = |s: f64| {
            let (a, outer) = (self.radius, if inside { -1.0 } else { 1.0 });
            let section = |t: f64| t + outer * t * t / (2.0 * a);
            match width {
                Some(w) if flats > round => {
                    // The ramp's chord, across from where it stands, at this angle.
                    let at = s.min(arc - s) / a;
                    let (q, r, whole) = (a + outer * flats, a + outer * round, w / a);
                    let to = q * r * whole.sin() / (q * at.sin() + r * (whole - at).sin());
                    let ramp = outer * (to - a);
                    section(if at < whole { ramp.max(round) } else { round })
                }
                _ => section(round),
            }
        };
        let sum = |length: f64, f: &dyn Fn(f64) -> f64| {
            let step = length / SLICES as f64;
            (0..SLICES).map(|k| f((k as f64 + 0.5) * step)).sum::<f64>() * step
        };
        let one = sum(first, &|s| depth(s, 0.0) * beside(first - s));
        let two = sum(last, &|s| {
            let along = self.sides[1] - last + s;
            depth(self.sides[0] + along * cos, along * sin) * beside(s)
        });
        let middle = sum(arc, &|s| {
            let angle = s / self.radius;
            depth(first + self.radius * angle.sin(), self.radius * (1.0 - angle.cos())) * under(s)
        });
        one + two + middle
    }
}

#[test]
fn sheets_are_thicker_under_faces_of_their_own() {
    let strip =
        Strip { sides: [20.0, 16.0], turn: 1.0, radius: 8.0, ends: [[15.0, 0.0, 0.0], [-15.0, 0.0, 0.0]] };
    for (flats, round) in [(1.0, 2.0), (2.0, 0.5)] {
        for width in [None, Some(3.0)] {
            let mut make = json!({"thickness": flats, "other_thickness": round});
            if let Some(width) = width {
                make["between"] = json!("ramp");
                make["ramp"] = json!(width);
            }
            let both = [true, false].map(|inside| strip.holds(flats, round, width, inside));
            make["side"] = json!("both");
            let made = strip.thick(make);
            near(volume(&made, 6), both[0] + both[1], 1e-6);
            near(reached(&made, 6, "Wall, thinnest"), 2.0 * flats.min(round), 1e-3);
            near(reached(&made, 6, "Total thickness"), 2.0 * flats.max(round), 1e-9);
            assert!(made.built(6).unwrap().warnings.is_empty());
        }
    }
    // One face has one thickness, and the faces are the surface's own.
    let one = json!({"thickness": 1, "surface": {"step": "strip", "item": "face {p} / c 1"}});
    let refused = failure(&strip.thick(one), 6);
    assert!(refused.message.contains("one thickness"), "{}", refused.message);
    let others = json!({"thickness": 1, "other_faces": [{"step": "t0", "item": "face {p} / c 2"}]});
    let refused = failure(&strip.thick(others), 6);
    assert_eq!(refused.input.as_deref(), Some("other_faces"));
    // A ramp has as much room as it says.
    let make = json!({"thickness": 2, "other_thickness": 1, "between": "ramp", "ramp": 9});
    let refused = failure(&strip.thick(make), 6);
    assert_eq!(refused.input.as_deref(), Some("ramp"));
    assert!(refused.message.contains("would fit"), "{}", refused.message);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn any_block_has_its_own_walls(
        length in 30.0..60.0f64, width in 20.0..40.0f64, height in 20.0..40.0f64,
        round in 0.2..0.45f64, one in 0.1..0.9f64, other in 0.1..0.9f64, size in -1.0..1.5f64, flats in any::<bool>(),
    ) {
        prop_assume!((one - other).abs() > 0.05);
        let size = 10f64.powf(size);
        let [length, width, height] = [length, width, height].map(|x| x * size);
        let radius = round * width.min(length);
        let block = Block { length, width, height, radius };
        let thickness = one * radius * 0.6;
        let own = other * radius * 0.6;
        let make = json!({"thickness": thickness, "other_thickness": own});
        let (faces, taken) = match flats {
            true => (&FLATS, (own - thickness) * block.flats()),
            false => (&ROUNDS, 4.0 * block.sector(thickness, own)),
        };
        let expected = block.around(block.area(thickness) - taken, thickness);
        near(volume(&block.hollow(faces, make), 2), expected, 1e-6);
    }

    /// Ramps end at borders that are not square to their edges.
    #[test]
    fn sheets_cut_off_askew_have_their_own_walls(
        sides in [14.0..22.0f64, 14.0..22.0f64], turn in 0.4..1.4f64, radius in 6.0..10.0f64,
        lean in [-0.5..0.5f64, -0.5..0.5f64, -0.5..0.5f64, -0.5..0.5f64],
        flats in 0.2..2.5f64, round in 0.2..2.5f64, width in 0.3..2.0f64, ramp in any::<bool>(), side in 0..3usize,
    ) {
        // Two ramps lie beside each other on the rounding.
        prop_assume!((flats - round).abs() > 0.05 && width < 0.45 * turn * radius);
        // On the outer side of the rounding a ramp's chord would dip below the arc before its foot.
        prop_assume!(!ramp || round > flats || (radius + flats) * (width / radius).cos() > radius + round);
        let ends = [[20.0, lean[0], lean[1]], [-20.0, lean[2], lean[3]]];
        let strip = Strip { sides, turn, radius, ends };
        let width = ramp.then_some(width);
        let way = ["inward", "outward", "both"][side];
        let mut make = json!({"thickness": flats, "other_thickness": round, "side": way});
        if let Some(width) = width {
            make["between"] = json!("ramp");
            make["ramp"] = json!(width);
        }
        let made = strip.thick(make);
        // One cut of a hundred misses the rounding, or goes over it twice.
        let cut = made.built(5).is_some_and(|b| mesh(&b.shape.bodies()[0].whole(), MeshTolerance::chord(0.1)).is_ok());
        prop_assume!(cut);
        let both = [true, false].map(|inside| strip.holds(flats, round, width, inside));
        let expected = [both[0], both[1], both[0] + both[1]];
        let found = volume(&made, 6);
        let off = match side {
            2 => (found / expected[2] - 1.0).abs(),
            _ => expected[..2].iter().map(|e| (found / e - 1.0).abs()).fold(f64::MAX, f64::min),
        };
        // Borders are fitted within a micrometre; ramps on the rounding end straight from one place of them to another.
        let bound = if ramp && flats > round { 5e-4 } else { 2e-5 };
        prop_assert!(off < bound, "{found} {expected:?}");
    }
}
