//! Edges rounded and cut off, against outside values.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

#[path = "../../topology/tests/shapes/mod.rs"]
mod shapes;

use std::collections::BTreeSet;
use std::f64::consts::{FRAC_PI_2, PI, TAU};

use geometry::{Frame, NurbsCurve, Point3, Vector3, circle_arc};
use proptest::prelude::*;
use shapes::{block, cylinder, flat, moved, near, round, sheet, sound, sphere, tolerance, turned};
use surfacing::{
    Ball, EdgeShape, Measured, Reach, Rolling, Round, Rounding, Size, Slant, SlantBy, Support,
    SurfacingError, extrude, fillet_between, round_edges,
};
use topology::{Body, EdgeId, Operation, Shell, Solid, area, combine, seams, self_crossings};

fn edges(shell: &Shell, wanted: impl Fn(&Point3) -> bool) -> BTreeSet<EdgeId> {
    let is_wanted = |id: &EdgeId| {
        let Some(curve) = &shell.edge(*id).curve else { return false };
        let d = curve.domain();
        [0.1, 0.5, 0.9].into_iter().all(|s| wanted(&curve.point(d.at(s))))
    };
    let all = seams(shell).into_iter().map(|s| s.edge);
    all.filter(is_wanted).collect()
}

fn rounded(
    shell: &Shell,
    edges: &BTreeSet<EdgeId>,
    shape: EdgeShape,
    size: f64,
) -> Result<Shell, SurfacingError> {
    let picked = edges.iter().map(|e| (*e, 0)).collect();
    let how = Rounding { shape, sizes: &[Size { at: &|_| size, even: true }], flat_ends: true };
    Ok(round_edges(shell, &picked, &how, &tolerance())?.shell)
}

fn fillet(shell: &Shell, edges: &BTreeSet<EdgeId>, radius: f64) -> Shell {
    rounded(shell, edges, EdgeShape::Fillet(Round::Arc), radius).unwrap()
}

fn chamfer(shell: &Shell, edges: &BTreeSet<EdgeId>, size: f64) -> Shell {
    rounded(shell, edges, EdgeShape::Chamfer(Slant::EVEN), size).unwrap()
}

fn volume(shell: Shell) -> f64 {
    let Body::Solid(solid) = Body::from_shell(shell) else { panic!("open") };
    sound(&solid);
    solid.measure().volume
}

fn solid(shell: Shell) -> Solid {
    Solid::try_new(vec![shell]).unwrap()
}

fn at(value: f64, wanted: f64) -> bool {
    (value - wanted).abs() < 1e-6
}

/// What a fillet takes off an edge: (1 - pi/4) r^2 L.
fn taken(radius: f64, length: f64) -> f64 {
    (1.0 - 0.25 * PI) * radius * radius * length
}

/// An outline in the xy plane made a solid upwards.
fn prism(outline: &[[f64; 2]], height: f64) -> Shell {
    leaning_prism(outline, height, 0.0)
}

/// The same with sides that lean inward by an angle.
fn leaning_prism(outline: &[[f64; 2]], height: f64, lean: f64) -> Shell {
    let point = |i: usize| {
        let [x, y] = outline[i % outline.len()];
        Point3::new(x, y, 0.0)
    };
    let side = |i: usize| (NurbsCurve::line(point(i), point(i + 1)), format!("{i}"));
    let pieces: Vec<_> = (0..outline.len()).map(side).collect();
    let reach = Reach::Between(0.0, height);
    let made = extrude(&pieces, &Vector3::z(), &reach, lean, true, &tolerance()).unwrap();
    let Body::Solid(solid) = made.body else { panic!("open") };
    solid.outer().clone()
}

#[test]
fn one_edge_of_a_block() {
    let shell = block([0.0; 3], [20.0, 16.0, 30.0]);
    let one = edges(&shell, |p| at(p.x, 0.0) && at(p.z, 30.0));
    assert_eq!(one.len(), 1);
    let made = fillet(&shell, &one, 3.0);
    assert_eq!((made.faces().len(), made.edges().len(), made.vertices().len()), (7, 15, 10));
    near(volume(made), 20.0 * 16.0 * 30.0 - taken(3.0, 16.0), 1e-12);
    let cut = chamfer(&shell, &one, 3.0);
    near(volume(cut), 20.0 * 16.0 * 30.0 - 0.5 * 9.0 * 16.0, 1e-12);
    let askew = turned(&shell, Vector3::new(1.0, 2.0, 0.5), 0.7);
    near(volume(fillet(&askew, &one, 3.0)), 20.0 * 16.0 * 30.0 - taken(3.0, 16.0), 1e-9);
}

#[test]
fn all_edges_of_a_block() {
    // The Steiner formula for the inner block made larger by the ball.
    let (a, b, c, r) = (20.0, 16.0, 30.0, 3.0);
    let shell = block([0.0; 3], [a, b, c]);
    let made = fillet(&shell, &edges(&shell, |_| true), r);
    assert_eq!((made.faces().len(), made.edges().len(), made.vertices().len()), (26, 48, 24));
    let (x, y, z) = (a - 2.0 * r, b - 2.0 * r, c - 2.0 * r);
    let expected =
        x * y * z + 2.0 * r * (x * y + y * z + x * z) + PI * r * r * (x + y + z) + 4.0 / 3.0 * PI * r.powi(3);
    near(volume(made), expected, 1e-7);
    // Chamfered, a block loses a prism at every edge, and at every corner twice what three of them share.
    let d = 3.0;
    let cut = chamfer(&shell, &edges(&shell, |_| true), d);
    assert_eq!((cut.faces().len(), cut.edges().len(), cut.vertices().len()), (18, 48, 32));
    // Corner by inclusion and exclusion: prisms x + y < d, meeting in pairs in d^3 / 3 and all in d^3 / 4.
    let corner = d.powi(3) * (-3.0 / 3.0 + 1.0 / 4.0);
    let lost = 0.5 * d * d * 4.0 * (a + b + c) + 8.0 * corner;
    near(volume(cut), a * b * c - lost, 1e-9);
}

#[test]
fn two_edges_meet_in_a_mitre() {
    let (a, b, c, r) = (20.0, 16.0, 30.0, 3.0_f64);
    let shell = block([0.0; 3], [a, b, c]);
    let two = edges(&shell, |p| at(p.z, c) && (at(p.x, 0.0) || at(p.y, 0.0)));
    // Where two strips cross, what both take off is a quarter of a cloister vault's rest.
    let both = r.powi(3) * (5.0 / 3.0 - FRAC_PI_2);
    near(volume(fillet(&shell, &two, r)), a * b * c - taken(r, a + b) + both, 1e-6);
    near(volume(chamfer(&shell, &two, r)), a * b * c - 0.5 * r * r * (a + b) + r.powi(3) / 3.0, 1e-9);
    let rim = edges(&shell, |p| at(p.z, c));
    near(volume(fillet(&shell, &rim, r)), a * b * c - taken(r, 2.0 * (a + b)) + 4.0 * both, 1e-6);
}

#[test]
fn rims_of_cylinders() {
    // Pappus: the section between arc and corner, its centroid, turned about the axis.
    let (radius, r) = (10.0, 2.0);
    let shell = cylinder(radius, 30.0);
    let rim = edges(&shell, |p| at(p.z, 30.0));
    let made = fillet(&shell, &rim, r);
    let area = (1.0 - 0.25 * PI) * r * r;
    let from_corner = r * (10.0 - 3.0 * PI) / (3.0 * (4.0 - PI));
    near(volume(made), PI * radius * radius * 30.0 - 2.0 * PI * (radius - from_corner) * area, 1e-8);
    let cut = chamfer(&shell, &rim, r);
    near(volume(cut), PI * radius * radius * 30.0 - 2.0 * PI * (radius - r / 3.0) * 0.5 * r * r, 1e-8);
    // A hole's rim opens outwards.
    let plate = combine(
        &[&solid(block([-20.0, -20.0, 0.0], [40.0, 40.0, 8.0]))],
        &[&solid(cylinder(6.0, 20.0))],
        Operation::Subtract,
        &tolerance(),
    )
    .unwrap();
    let plate = plate.solids[0].outer().clone();
    let rim = edges(&plate, |p| at(p.z, 8.0) && p.x.hypot(p.y) < 6.1);
    let before = 40.0 * 40.0 * 8.0 - PI * 36.0 * 8.0;
    near(volume(fillet(&plate, &rim, r)), before - 2.0 * PI * (6.0 + from_corner) * area, 1e-7);
}

#[test]
fn inner_edges_and_both_kinds_together() {
    let (all, quarter) = (block([0.0; 3], [40.0, 40.0, 20.0]), block([20.0, 20.0, -5.0], [30.0, 30.0, 30.0]));
    let l = combine(&[&solid(all)], &[&solid(quarter)], Operation::Subtract, &tolerance()).unwrap();
    let l = l.solids[0].outer().clone();
    let before = (40.0 * 40.0 - 400.0) * 20.0;
    let inner = edges(&l, |p| at(p.x, 20.0) && at(p.y, 20.0));
    assert_eq!(inner.len(), 1);
    near(volume(fillet(&l, &inner, 4.0)), before + taken(4.0, 20.0), 1e-10);
    // The rim of the top with its inner corner left sharp.
    let rim = edges(&l, |p| at(p.z, 20.0));
    assert_eq!(rim.len(), 6);
    let r = 2.0_f64;
    // At the inner corner, too, the rest of a cloister vault is missing, at the outer ones it is counted twice.
    let both = r.powi(3) * (5.0 / 3.0 - FRAC_PI_2);
    near(volume(fillet(&l, &rim, r)), before - taken(r, 160.0) + 4.0 * both, 1e-6);
    // All edges: the inner one first, the rims then run round it.
    let made = fillet(&l, &edges(&l, |_| true), 2.0);
    assert!(volume(made) < before);
}

#[test]
fn wedges_of_other_angles() {
    // CO-05: set-back r cot(phi/2), removed section r^2 (cot(phi/2) - (pi - phi)/2).
    for (degrees, removed) in
        [(60.0_f64, 2.739413025489118), (90.0, 0.8584073464102068), (120.0, 0.2150059743653076)]
    {
        let phi = degrees.to_radians();
        let wedge = prism(&[[0.0, 0.0], [30.0, 0.0], [30.0 * phi.cos(), 30.0 * phi.sin()]], 10.0);
        let edge = edges(&wedge, |p| p.x.hypot(p.y) < 1e-6);
        let before = volume(wedge.clone());
        let made = fillet(&wedge, &edge, 2.0);
        let back = 2.0 / (0.5 * phi).tan();
        let touches = |p: &Point3| (p.coords.xy().norm() - back).abs() < 1e-9;
        assert_eq!(made.vertices().iter().filter(|v| touches(&v.point)).count(), 4);
        assert!((before - volume(made) - 10.0 * removed).abs() < 1e-6);
    }
}

#[test]
fn what_does_not_fit_is_told_with_what_does() {
    let shell = block([0.0; 3], [20.0, 16.0, 5.0]);
    let rim = edges(&shell, |p| at(p.z, 5.0));
    let Err(SurfacingError::FilletTooLarge { size, fits: Some(fits), .. }) =
        rounded(&shell, &rim, EdgeShape::Fillet(Round::Arc), 6.0)
    else {
        panic!("made")
    };
    assert!(size == 6.0 && fits < 5.0 && fits > 4.8, "{fits}");
}

/// A fillet between two sheets, on their outer sides where `outside`.
fn between(
    sheets: [&Shell; 2],
    outside: [bool; 2],
    trims: [bool; 2],
    radius: f64,
) -> Result<Shell, SurfacingError> {
    let supports = [0, 1].map(|k| Support::about(sheets[k], 0, outside[k], trims[k]));
    let made = fillet_between(
        &Rolling { supports, ball: Ball::Sized { radius: &|_| radius, even: true, round: Round::Arc } },
        &tolerance(),
    )?;
    assert!(made.max_deviation <= tolerance().fit);
    Ok(made.shell)
}

#[test]
fn fillets_between_two_surfaces() {
    // Two square planes that cross: a quarter of a cylinder, and what is left of both beyond its contacts.
    let (level, upright) = (
        flat([-20.0, -20.0, 0.0], [40.0, 0.0, 0.0], [0.0, 40.0, 0.0]),
        flat([0.0, -20.0, -20.0], [0.0, 40.0, 0.0], [0.0, 0.0, 40.0]),
    );
    let r = 5.0;
    let quarter = 0.5 * PI * r * 40.0;
    near(area(&between([&level, &upright], [true, true], [false, false], r).unwrap()), quarter, 1e-9);
    let joined = between([&level, &upright], [true, true], [true, true], r).unwrap();
    assert_eq!(joined.faces().len(), 3);
    near(area(&joined), quarter + 2.0 * 40.0 * 15.0, 1e-9);
    assert!(seams(&joined).iter().all(|s| s.meeting.angle.0 < 0.1_f64.to_radians()));
    near(
        area(&between([&level, &upright], [true, false], [true, false], r).unwrap()),
        quarter + 40.0 * 15.0,
        1e-9,
    );
    // A tube that stands on a plane: the part of a torus of radii R + r and r, by Pappus, outside and inside of the tube.
    let tube = sheet(round::cylinder(10.0, 30.0));
    // Its surface faces the axis; the tube is to face outward.
    let tube = moved(&tube, 0.0, 0.0, -10.0).flipped();
    for (outside, ring) in [(true, 10.0 + r), (false, 10.0 - r)] {
        let bow = 2.0 / PI * r * if outside { -1.0 } else { 1.0 };
        let made = between([&tube, &level], [outside, true], [false, false], r).unwrap();
        near(area(&made), 2.0 * PI * (ring + bow) * 0.5 * PI * r, 1e-6);
    }
    let joined = between([&tube, &level], [true, true], [true, true], r).unwrap();
    let expected =
        2.0 * PI * (10.0 + r - 2.0 / PI * r) * 0.5 * PI * r + 2.0 * PI * 10.0 * (20.0 - r) + 1600.0
            - PI * 225.0;
    near(area(&joined), expected, 1e-6);
    // A ball between a sphere and a plane that do not touch.
    let far = moved(&level, 0.0, 0.0, -12.0);
    assert!(matches!(
        between([&sphere(10.0), &far], [true, true], [false; 2], 0.5),
        Err(SurfacingError::NothingBetween { .. })
    ));
    let made = between([&sphere(10.0), &far], [true, true], [false; 2], 3.0).unwrap();
    // The centre is 13 mm from the sphere's and 9 mm below it; the arc turns from straight down to the sphere's centre.
    let (out, turn) = ((169.0_f64 - 81.0).sqrt(), (9.0_f64 / 13.0).acos());
    let arc = PI - turn;
    // Centroid of the arc from straight down (angle 0) round to the sphere.
    let mean = 3.0 * (1.0 - arc.cos()) / arc;
    near(area(&made), 2.0 * PI * (out - mean) * 3.0 * arc, 1e-6);
    // A surface that ends on the way cannot be trimmed.
    let short = flat([0.0, -8.0, -20.0], [0.0, 16.0, 0.0], [0.0, 0.0, 40.0]);
    assert!(matches!(
        between([&level, &short], [true; 2], [true; 2], r),
        Err(SurfacingError::FilletEndsInside { which: 0, .. })
    ));
}

/// The largest angle in degrees between a fillet and what it touches along its lines of contact.
fn worst_contact(shell: &Shell) -> f64 {
    let is_fillet = |f: topology::FaceId| shell.face(f).role.starts_with("fillet");
    let touching = seams(shell).into_iter().filter(|s| is_fillet(s.faces[0]) != is_fillet(s.faces[1]));
    let angles = touching.map(|s| s.meeting.angle.0.to_degrees());
    // A strip's end meets the face that it runs out over at an angle.
    angles.filter(|a| *a < 5.0).fold(0.0, f64::max)
}

/// A corner of a polygon round a circle, given by the directions in which two neighbouring sides touch it.
fn corner(a: f64, b: f64, radius: f64) -> [f64; 2] {
    let reach = radius / (0.5 * (b - a)).cos();
    let middle = 0.5 * (a + b);
    [reach * middle.cos(), reach * middle.sin()]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// All edges of a prism over a polygon round a circle: Steiner's formula for the prism that the ball's centre can reach.
    #[test]
    fn prisms_rounded_all_over_hold_what_steiner_says(
        turns in prop::collection::vec(0.5_f64..1.5, 3..7),
        height in 12.0_f64..30.0,
        radius in 0.3_f64..4.0,
        angle in 0.0_f64..6.0,
    ) {
        let whole: f64 = turns.iter().sum();
        let turns: Vec<f64> = turns.iter().map(|t| t * TAU / whole).collect();
        prop_assume!(turns.iter().all(|t| *t < 2.6));
        let incircle = 10.0;
        let mut sides = vec![angle];
        for turn in &turns {
            sides.push(sides[sides.len() - 1] + turn);
        }
        let outline: Vec<[f64; 2]> = sides.windows(2).map(|w| corner(w[0], w[1], incircle)).collect();
        let shell = prism(&outline, height);
        let made = fillet(&shell, &edges(&shell, |_| true), radius);
        let (r, tall) = (radius, height - 2.0 * radius);
        let tangents: f64 = turns.iter().map(|t| (0.5 * t).tan()).sum();
        let (area, round) = ((incircle - r).powi(2) * tangents, 2.0 * (incircle - r) * tangents);
        let expected = area * tall + (2.0 * area + round * tall) * r + PI * (0.5 * round + tall) * r * r + 4.0 / 3.0 * PI * r.powi(3);
        prop_assert!(worst_contact(&made) < 0.1);
        near(volume(made), expected, 1e-6);
    }

    /// Any edges of a prism with leaning sides, which ends the strips in every way that three edges can meet.
    #[test]
    fn any_edges_of_leaning_prisms_make_sound_solids(
        spread in prop::collection::vec((0.7_f64..1.3, 18.0_f64..28.0), 3..6),
        height in 15.0_f64..25.0,
        lean in -0.25_f64..0.25,
        size in 0.5_f64..2.0,
        chosen in prop::collection::vec(prop::bool::ANY, 18),
        is_fillet in prop::bool::ANY,
    ) {
        let count = spread.len() as f64;
        let point = |(i, (turn, reach)): (usize, &(f64, f64))| {
            let angle = (i as f64 + 0.4 * (turn - 1.0)) * TAU / count;
            [reach * angle.cos(), reach * angle.sin()]
        };
        let outline: Vec<[f64; 2]> = spread.iter().enumerate().map(point).collect();
        let shell = leaning_prism(&outline, height, lean);
        let all = edges(&shell, |_| true);
        let some: BTreeSet<EdgeId> = all.iter().zip(&chosen).filter(|(_, c)| **c).map(|(e, _)| *e).collect();
        prop_assume!(!some.is_empty());
        let shape = if is_fillet { EdgeShape::Fillet(Round::Arc) } else { EdgeShape::Chamfer(Slant::EVEN) };
        match rounded(&shell, &some, shape, size) {
            Ok(made) => {
                prop_assert!(worst_contact(&made) < 0.1 || !is_fillet);
                prop_assert!(self_crossings(&Body::from_shell(made.clone())).is_empty());
                prop_assert!(volume(made) < volume(shell));
            }
            Err(e) => prop_assert!(false, "{e:?}"),
        }
    }
}

/// A prism upwards over a rectangle from the origin with its corners rounded.
fn rounded_prism([width, depth]: [f64; 2], rounding: f64, height: f64, lean: f64) -> Shell {
    let q = rounding;
    let corners = [[q, q], [width - q, q], [width - q, depth - q], [q, depth - q]];
    let on = |i: usize, turn: f64| {
        let [x, y] = corners[i % 4];
        let angle = (i % 4) as f64 * FRAC_PI_2 - PI + turn;
        Point3::new(x + q * angle.cos(), y + q * angle.sin(), 0.0)
    };
    let mut pieces = Vec::new();
    for i in 0..4 {
        let [x, y] = corners[i];
        let frame = Frame::new(Point3::new(x, y, 0.0), Vector3::x(), Vector3::y()).unwrap();
        let from = i as f64 * FRAC_PI_2 - PI;
        pieces.push((circle_arc(&frame, q, from, FRAC_PI_2).unwrap(), format!("corner {i}")));
        pieces.push((NurbsCurve::line(on(i, FRAC_PI_2), on(i + 1, 0.0)), format!("side {i}")));
    }
    let made =
        extrude(&pieces, &Vector3::z(), &Reach::Between(0.0, height), lean, true, &tolerance()).unwrap();
    let Body::Solid(solid) = made.body else { panic!("open") };
    solid.outer().clone()
}

/// What is inside sections that run inward from a rounded rectangle as its offsets do, trimmed where they cross: by depth
/// `z` up to `size`, in Simpson's rule.
fn inside_offsets([width, depth]: [f64; 2], rounding: f64, size: f64, is_fillet: bool) -> f64 {
    let area = |d: f64| (width - 2.0 * d) * (depth - 2.0 * d) - (4.0 - PI) * (rounding - d).max(0.0).powi(2);
    // Of the arc by its angle, so that nothing is steep.
    let count = 2000;
    let value = |k: usize| {
        let share = k as f64 / f64::from(count);
        let angle = FRAC_PI_2 * share;
        let (d, by) = if is_fillet {
            (size * (1.0 - angle.cos()), size * angle.cos() * FRAC_PI_2)
        } else {
            (size * share, size)
        };
        area(d) * by
    };
    let weight = |k: i32| if k == 0 || k == count { 1.0 } else { 2.0 + 2.0 * f64::from(k % 2) };
    (0..=count).map(|k| weight(k) * value(k as usize)).sum::<f64>() / (3.0 * f64::from(count))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Corners as tight as the size, tighter and wider: sections are the outline's offsets, trimmed where they cross.
    #[test]
    fn bends_tighter_than_the_size_keep_the_trimmed_offsets(
        size in [16.0..60.0f64, 16.0..60.0f64],
        rounding in 0.2..4.0f64,
        by in prop_oneof![Just(1.0), 0.2..1.0f64, 1.0..6.0f64],
        is_fillet in any::<bool>(),
        is_pocket in any::<bool>(),
        scale in prop::sample::select(vec![0.5, 1.0, 20.0]),
    ) {
        let size = size.map(|s| s * scale);
        let rounding = rounding * scale;
        let (r, height) = ((by * rounding).min(7.0 * scale), 9.0 * scale);
        let shape = if is_fillet { EdgeShape::Fillet(Round::Arc) } else { EdgeShape::Chamfer(Slant::EVEN) };
        let inner = rounded_prism(size, rounding, height, 0.0);
        let whole = (size[0] * size[1] - (4.0 - PI) * rounding * rounding) * (height - r);
        let expected = whole + inside_offsets(size, rounding, r, is_fillet);
        let close = 1e-6 * scale;
        if is_pocket {
            let margin = 5.0 * scale;
            let around = block([-margin, -margin, -margin], [size[0] + 2.0 * margin, size[1] + 2.0 * margin, height]);
            let cut = combine(&[&solid(around)], &[&solid(inner)], Operation::Subtract, &tolerance()).unwrap();
            let shell = cut.solids[0].outer().clone();
            let floor = edges(&shell, |p| p.z.abs() < close && p.x > -close && p.x < size[0] + close && p.y > -close && p.y < size[1] + close);
            let before = volume(shell.clone());
            let pocket = (size[0] * size[1] - (4.0 - PI) * rounding * rounding) * (height - margin);
            let filled = whole - pocket + inside_offsets(size, rounding, r, is_fillet);
            // As deep as the pocket is, which need not be as deep as the size.
            prop_assume!(r < height - margin);
            let deep = (size[0] * size[1] - (4.0 - PI) * rounding * rounding) * r - inside_offsets(size, rounding, r, is_fillet);
            prop_assert!(filled.is_finite());
            near(volume(rounded(&shell, &floor, shape, r).unwrap()) - before, deep, 1e-5);
        } else {
            let rim = edges(&inner, |p| (p.z - height).abs() < close);
            near(volume(rounded(&inner, &rim, shape, r).unwrap()), expected, 1e-6);
        }
    }

    /// The same on sides that lean: the ball's centre lies in by r (1 - sin b) / cos b and down by r, and the outline at a depth
    /// is the base's offset as before.
    #[test]
    fn tight_bends_of_leaning_sides_keep_the_trimmed_offsets(
        size in [20.0..50.0f64, 20.0..50.0f64],
        rounding in 1.5..4.0f64,
        r in 0.3..5.0f64,
        lean in -0.35..0.35f64,
    ) {
        let height = 9.0;
        // Leaning inward by its height, corners keep a rounding.
        let top = -height * lean.tan();
        prop_assume!(rounding + top > 0.1 && r * (1.0 - lean.sin()) < height);
        let shell = rounded_prism(size, rounding, height, lean);
        let rim = edges(&shell, |p| at(p.z, height));
        let area = |d: f64| (size[0] - 2.0 * d) * (size[1] - 2.0 * d) - (4.0 - PI) * (rounding - d).max(0.0).powi(2);
        let (inward, contact) = (r * (1.0 - lean.sin()) / lean.cos(), r * (1.0 - lean.sin()));
        let inset = |z: f64| match z < contact {
            true => inward - (r * r - (r - z) * (r - z)).max(0.0).sqrt() - top,
            false => -z * lean.tan() - top,
        };
        let count = 400_000;
        let step = height / f64::from(count);
        let expected: f64 = (0..count).map(|k| area(inset((f64::from(k) + 0.5) * step)) * step).sum();
        near(volume(fillet(&shell, &rim, r)), expected, 1e-6);
    }

    /// A boss over a leaning parallelogram on a plate, its foot rounded along one side only: the fillet ends in the planes of
    /// the sides next to it. Its section (1 - pi/4) r^2 has the first moment (5/6 - pi/4) r^3 about the wall.
    #[test]
    fn a_fillet_at_the_foot_of_a_wall_ends_in_the_planes_of_the_next_ones(
        length in 10.0..40.0f64,
        angles in [0.6..2.5f64, 0.6..2.5f64],
        r in 0.3..4.0f64,
    ) {
        let deep = 12.0;
        let [left, right] = angles.map(|a: f64| deep / a.tan());
        prop_assume!(length - left - right > 4.0);
        let boss = prism(&[[0.0, 0.0], [length, 0.0], [length - right, deep], [left, deep]], 20.0);
        let plate = block([-40.0, -20.0, -6.0], [120.0, 60.0, 6.0 + 3.0]);
        let made = combine(&[&solid(plate), &solid(boss)], &[], Operation::Union, &tolerance()).unwrap();
        let shell = made.solids[0].outer().clone();
        let foot = edges(&shell, |p| at(p.z, 3.0) && at(p.y, 0.0) && p.x > -1e-6 && p.x < length + 1e-6);
        prop_assert_eq!(foot.len(), 1);
        let moment = (5.0 / 6.0 - 0.25 * PI) * r.powi(3);
        let slanted: f64 = angles.iter().map(|a| 1.0 / a.tan()).sum();
        // Outside of the wall the next ones go on as they came.
        near(volume(fillet(&shell, &foot, r)) - volume(shell), taken(r, length) + moment * slanted, 1e-4);
    }
}

fn slanted(shell: &Shell, edges: &BTreeSet<EdgeId>, size: f64, by: SlantBy, swapped: bool) -> Shell {
    rounded(shell, edges, EdgeShape::Chamfer(Slant { by, swapped, measured: Measured::Straight }), size)
        .unwrap()
}

#[test]
fn flats_by_two_distances_and_by_an_angle() {
    // A wedge of each angle: the triangle between a, b and the edge has the area a b sin(angle) / 2, and by the law of sines
    // b = a sin(flat) / sin(flat + angle).
    for open in [40.0_f64, 90.0, 135.0].map(f64::to_radians) {
        let far = 30.0;
        let outline = [[0.0, 0.0], [far, 0.0], [far * open.cos(), far * open.sin()]];
        let shell = prism(&outline, 12.0);
        let upright = edges(&shell, |p| at(p.x, 0.0) && at(p.y, 0.0));
        assert_eq!(upright.len(), 1);
        let (a, before) = (2.0, volume(shell.clone()));
        let taken_by =
            |by: SlantBy, swapped: bool| before - volume(slanted(&shell, &upright, a, by, swapped));
        for swapped in [false, true] {
            for ratio in [0.3, 1.0, 4.0] {
                near(taken_by(SlantBy::Ratio(ratio), swapped), 0.5 * a * a * ratio * open.sin() * 12.0, 1e-9);
            }
            for flat in [10.0_f64, 30.0].map(f64::to_radians) {
                let b = a * flat.sin() / (flat + open).sin();
                near(taken_by(SlantBy::Angle(flat), swapped), 0.5 * a * b * open.sin() * 12.0, 1e-9);
            }
        }
        // What is told by the angle begins at its distance on the first face: its line of contact there stands so far off.
        for (swapped, own) in [(false, 0), (true, 1)] {
            let made = slanted(&shell, &upright, a, SlantBy::Angle(0.2), swapped);
            let flat = made.faces().iter().find(|f| f.role.starts_with("chamfer")).unwrap();
            let mut roles: Vec<&str> = flat.role.trim_start_matches("chamfer of ").split(" and ").collect();
            roles.sort_unstable();
            let contact = seams(&made).into_iter().find(|s| {
                let names = s.faces.map(|f| made.face(f).role.as_str());
                names.contains(&flat.role.as_str()) && names.contains(&roles[own])
            });
            let curve = made.edge(contact.unwrap().edge).curve.clone().unwrap();
            near(curve.start().x.hypot(curve.start().y), a, 1e-9);
        }
    }
    // Round the rim of a cylinder: a frustum instead of its end.
    let (radius, a, b) = (10.0_f64, 1.5, 4.0);
    let shell = cylinder(radius, 30.0);
    let rim = edges(&shell, |p| at(p.z, 30.0));
    let frustum = |along: f64, across: f64| {
        let small = radius - across;
        PI * along * (radius * radius - (radius * radius + radius * small + small * small) / 3.0)
    };
    let before = volume(shell.clone());
    let takes = |swapped| before - volume(slanted(&shell, &rim, a, SlantBy::Ratio(b / a), swapped));
    let mut both = [takes(false), takes(true)];
    both.sort_by(f64::total_cmp);
    let mut expected = [frustum(a, b), frustum(b, a)];
    expected.sort_by(f64::total_cmp);
    near(both[0], expected[0], 1e-9);
    near(both[1], expected[1], 1e-9);
    // All round the top of a block, with mitres: the prismatoid over it.
    let shell = block([0.0; 3], [40.0, 24.0, 16.0]);
    let rim = edges(&shell, |p| at(p.z, 16.0));
    let prismatoid = |along: f64, across: f64| {
        let area = |share: f64| (40.0 - 2.0 * across * share) * (24.0 - 2.0 * across * share);
        area(0.0) * along - along * (area(0.0) + 4.0 * area(0.5) + area(1.0)) / 6.0
    };
    let before = volume(shell.clone());
    let first = before - volume(slanted(&shell, &rim, a, SlantBy::Ratio(b / a), false));
    let other = before - volume(slanted(&shell, &rim, a, SlantBy::Ratio(b / a), true));
    let (deep, wide) = (prismatoid(b, a), prismatoid(a, b));
    let same = |x: f64, y: f64| (x - y).abs() < 1e-9 * y;
    assert!(
        (same(first, deep) && same(other, wide)) || (same(first, wide) && same(other, deep)),
        "{first} {other} {deep} {wide}"
    );
}

#[test]
fn what_is_not_square_is_rounded_too() {
    let volume_of = |shell: &Shell| volume(shell.clone());
    // A pocket: inner edges with a ball in every corner, then everything at once.
    let pocket = combine(
        &[&solid(block([0.0; 3], [40.0, 30.0, 20.0]))],
        &[&solid(block([8.0, 8.0, 10.0], [24.0, 14.0, 20.0]))],
        Operation::Subtract,
        &tolerance(),
    )
    .unwrap();
    let pocket = pocket.solids[0].outer().clone();
    let (a, b, c, r) = (24.0, 14.0, 10.0, 2.0_f64);
    let inner = edges(&pocket, |p| p.x > 7.9 && p.x < 32.1 && p.y > 7.9 && p.y < 22.1 && p.z < 19.9);
    // Filled are twice the edges of the floor, the upright ones, and in each corner the cube without its eighth of a ball
    // instead of three edges' ends.
    let corner = r.powi(3) * (1.0 - PI / 6.0) - 3.0 * taken(r, r);
    let filled = taken(r, 2.0 * (a + b) + 4.0 * c) + 4.0 * corner;
    near(volume_of(&fillet(&pocket, &inner, r)) - volume_of(&pocket), filled, 1e-6);
    for shape in [EdgeShape::Fillet(Round::Arc), EdgeShape::Chamfer(Slant::EVEN)] {
        let made = rounded(&pocket, &edges(&pocket, |_| true), shape, 2.0).unwrap();
        assert!(volume(made) < volume_of(&pocket));
    }
    // Two pipes that cross, rounded where they meet: a closed chain of fitted edges on curved faces.
    let upright = solid(moved(&cylinder(10.0, 60.0), 0.0, 0.0, -30.0));
    let branch = solid(turned(&cylinder(6.0, 30.0), Vector3::y(), FRAC_PI_2));
    let pipes = combine(&[&upright, &branch], &[], Operation::Union, &tolerance()).unwrap();
    let pipes = pipes.solids[0].outer().clone();
    let joint = edges(&pipes, |p| p.x > 0.0 && (p.x.hypot(p.y) - 10.0).abs() < 1e-3 && p.z.abs() < 7.0);
    let made = fillet(&pipes, &joint, 3.0);
    assert!(worst_contact(&made) < 0.1);
    assert!(volume_of(&made) > volume_of(&pipes));
}
