//! Offsets in which edges and faces have no room any more and vanish, and openings over which neighbours grow, against closed
//! forms.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

#[path = "../../topology/tests/shapes/mod.rs"]
mod shapes;

use std::collections::BTreeSet;
use std::f64::consts::PI;

use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Vector3};
use proptest::prelude::*;
use shapes::{block, cone, cylinder, moved, near, sheet, sound, tolerance, turned};
use surfacing::{Change, EdgeShape, Round, Rounding, Size, healed, hollow, offset_shell, round_edges};
use topology::{Body, EdgeId, Operation, Shell, Solid, capped, combine, join};

fn solid(shell: Shell) -> Solid {
    let Body::Solid(solid) = Body::from_shell(shell) else { panic!("open") };
    sound(&solid);
    solid
}

fn offset(shell: &Shell, by: f64) -> Shell {
    offset_shell(shell, &vec![by; shell.faces().len()], &tolerance()).unwrap().shell
}

fn counts(shell: &Shell) -> [usize; 3] {
    [shell.faces().len(), shell.edges().len(), shell.vertices().len()]
}

/// A shell with all its edges rounded.
fn rounded(shell: &Shell, radius: f64) -> Shell {
    let edges = (0..shell.edges().len() as u32).map(|e| (EdgeId(e), 0)).collect();
    let even = [Size { at: &|_| radius, even: true }];
    let how = Rounding { shape: EdgeShape::Fillet(Round::Arc), sizes: &even, flat_ends: false };
    round_edges(shell, &edges, &how, &tolerance()).unwrap().shell
}

/// Steiner 1840: a box with its edges and corners rounded is a smaller one with everything within the radius.
fn rounded_box(sides: [f64; 3], r: f64) -> f64 {
    let [a, b, c] = sides.map(|s| s - 2.0 * r);
    a * b * c + 2.0 * r * (a * b + b * c + c * a) + PI * r * r * (a + b + c) + 4.0 / 3.0 * PI * r.powi(3)
}

#[test]
fn roundings_smaller_than_the_wall_become_sharp_inner_corners() {
    let sides = [40.0, 30.0, 20.0];
    let shell = rounded(&block([0.0; 3], sides), 1.0);
    for (by, faces) in [(0.4, 26), (1.0, 6), (1.3, 6), (2.0, 6), (7.5, 6)] {
        let made = offset(&shell, -by);
        assert_eq!(made.faces().len(), faces, "{by} mm");
        let left = sides.map(|s| s - 2.0 * by);
        near(solid(made).measure().volume, rounded_box(left, (1.0 - by).max(0.0)), 1e-6);
    }
    // Turned and far away it is the same.
    let away = turned(&moved(&shell, 900.0, -400.0, 250.0), Vector3::new(1.0, 2.0, -0.5), 0.8);
    near(solid(offset(&away, -2.0)).measure().volume, 36.0 * 26.0 * 16.0, 1e-7);
}

#[test]
fn tips_of_cones_move_along_the_axis() {
    // All offsets of a cone with its corners kept are similar about the middle of the ball that touches it everywhere inside.
    let (radius, height) = (12.0_f64, 20.0_f64);
    let inscribed = radius * height / (radius + radius.hypot(height));
    let whole = PI * radius * radius * height / 3.0;
    for by in [1.5, 4.0, -0.5, -2.0, -4.5] {
        let factor = (inscribed + by) / inscribed;
        near(solid(offset(&cone(radius, 0.0, height), by)).measure().volume, whole * factor.powi(3), 1e-6);
    }
}

/// The volume between two levels that lies behind planes, given by normals and distances, no farther than `half` mm from the
/// middle: by areas of level sections.
fn behind(planes: &[(Vector3, f64)], [low, high]: [f64; 2], half: f64) -> f64 {
    const STEPS: usize = 4000;
    let area = |z: f64| {
        let mut outline = vec![[-half, -half], [half, -half], [half, half], [-half, half]];
        for (n, d) in planes {
            let off = |p: &[f64; 2]| n.x * p[0] + n.y * p[1] + n.z * z - d;
            let mut left = Vec::new();
            for k in 0..outline.len() {
                let (a, b) = (outline[k], outline[(k + 1) % outline.len()]);
                let (x, y) = (off(&a), off(&b));
                if x <= 0.0 {
                    left.push(a);
                }
                if (x < 0.0) != (y < 0.0) {
                    let s = x / (x - y);
                    left.push([a[0] + (b[0] - a[0]) * s, a[1] + (b[1] - a[1]) * s]);
                }
            }
            outline = left;
        }
        geometry::polygon_area(&outline).abs()
    };
    let step = (high - low) / STEPS as f64;
    (0..STEPS).map(|k| area(low + (k as f64 + 0.5) * step) * step).sum()
}

/// A closed shell of flat faces, each given by its corners.
fn polyhedron(faces: &[Vec<Point3>]) -> Shell {
    let parts: Vec<Shell> = faces
        .iter()
        .map(|corners| {
            let rim: Vec<NurbsCurve> = (0..corners.len())
                .map(|k| NurbsCurve::line(corners[k], corners[(k + 1) % corners.len()]))
                .collect();
            let (x, y) = ((corners[1] - corners[0]).normalize(), corners[2] - corners[0]);
            let z = x.cross(&y).normalize();
            let frame = Frame { origin: corners[0], x, y: z.cross(&x), z };
            let Body::Shell(face) = surfacing::flat(&rim, &frame, "side", &tolerance()).unwrap() else {
                panic!("closed")
            };
            face
        })
        .collect();
    let shell = join(&parts, tolerance().join).unwrap().shell;
    let Body::Solid(solid) = Body::from_shell(shell) else { panic!("open") };
    solid.outer().clone()
}

/// A pyramid over a base in the plane z = 0, as its faces' corners.
fn pyramid(base: &[[f64; 2]], apex: [f64; 3]) -> Vec<Vec<Point3>> {
    let floor: Vec<Point3> = base.iter().map(|p| Point3::new(p[0], p[1], 0.0)).collect();
    let mut faces: Vec<Vec<Point3>> =
        (0..base.len()).map(|k| vec![floor[k], floor[(k + 1) % base.len()], Point3::from(apex)]).collect();
    faces.push(floor.into_iter().rev().collect());
    faces
}

fn planes(faces: &[Vec<Point3>]) -> Vec<(Vector3, f64)> {
    faces
        .iter()
        .map(|f| {
            let n = (f[1] - f[0]).cross(&(f[2] - f[0])).normalize();
            (n, n.dot(&f[0].coords))
        })
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(24) })]

    /// A pyramid with unlike sides: its tip is no single place any more when its faces move in, and short edges vanish. The inner
    /// offset of a convex body is what lies behind its planes moved in.
    #[test]
    fn pyramids_move_in_as_their_planes_do(
        count in 4_usize..7,
        lean in (-5.0..5.0_f64, -5.0..5.0_f64),
        height in 12.0..30.0_f64,
        wobble in prop::collection::vec(0.7..1.3_f64, 7),
        share in 0.1..0.8_f64,
    ) {
        let base: Vec<[f64; 2]> = (0..count)
            .map(|k| {
                let angle = 2.0 * PI * (k as f64 + 0.3 * (wobble[k] - 1.0)) / count as f64;
                [18.0 * wobble[k] * angle.cos(), 18.0 * wobble[k] * angle.sin()]
            })
            .collect();
        let faces = pyramid(&base, [lean.0, lean.1, height]);
        // Of a base that is not convex the offset is more than what lies behind planes.
        let turns = |k: usize| {
            let [a, b, c] = [0, 1, 2].map(|i| base[(k + i) % count]);
            (b[0] - a[0]) * (c[1] - b[1]) - (b[1] - a[1]) * (c[0] - b[0]) > 1.0
        };
        prop_assume!((0..count).all(turns));
        let shell = polyhedron(&faces);
        let by = share * 0.3 * height.min(18.0);
        let moved_in: Vec<(Vector3, f64)> = planes(&faces).iter().map(|(n, d)| (*n, d - by)).collect();
        let expected = behind(&moved_in, [by, height], 40.0);
        prop_assume!(expected > 5.0);
        let found = solid(offset(&shell, -by)).measure().volume;
        prop_assert!((found - expected).abs() <= 1e-4 * expected + 0.01, "{found} is not {expected}");
    }

    /// An extruded outline loses its short sides and small roundings one after the other. Its inner offset is what lies behind
    /// all its sides moved in.
    #[test]
    fn prisms_lose_their_short_sides(cut in 0.5..6.0_f64, by in 0.3..6.0_f64, height in 16.0..40.0_f64) {
        // A triangle with its corners cut off: the cuts vanish as it shrinks.
        let corners = [[0.0, 0.0], [44.0, 2.0], [17.0, 40.0]];
        let mut outline = Vec::new();
        for k in 0..3 {
            let (before, here, after) = (corners[(k + 2) % 3], corners[k], corners[(k + 1) % 3]);
            for other in [before, after] {
                let (dx, dy): (f64, f64) = (other[0] - here[0], other[1] - here[1]);
                let length = dx.hypot(dy);
                outline.push([here[0] + dx / length * cut, here[1] + dy / length * cut]);
            }
        }
        let up = |p: &[f64; 2], z: f64| Point3::new(p[0], p[1], z);
        let mut faces: Vec<Vec<Point3>> = (0..6)
            .map(|k| {
                let (a, b) = (outline[k], outline[(k + 1) % 6]);
                vec![up(&a, 0.0), up(&b, 0.0), up(&b, height), up(&a, height)]
            })
            .collect();
        faces.push(outline.iter().map(|p| up(p, height)).collect());
        faces.push(outline.iter().rev().map(|p| up(p, 0.0)).collect());
        let moved_in: Vec<(Vector3, f64)> = planes(&faces).iter().map(|(n, d)| (*n, d - by)).collect();
        let expected = behind(&moved_in, [by, height - by], 60.0);
        let found = solid(offset(&polyhedron(&faces), -by)).measure().volume;
        prop_assert!((found - expected).abs() <= 1e-6 * expected + 1e-3, "{found} is not {expected}");
    }
}

#[test]
fn a_solid_that_is_hollow_already_is_hollowed_to_the_wall_asked_for() {
    let shell = block([0.0; 3], [40.0, 30.0, 20.0]);
    let with = |wall: f64| Solid::try_new(vec![shell.clone(), offset(&shell, -wall).flipped()]).unwrap();
    let inside = |wall: f64| (40.0 - 2.0 * wall) * (30.0 - 2.0 * wall) * (20.0 - 2.0 * wall);
    // What was hollow is part of the new hollow, or lies in the wall and stays.
    let made = |source: &Solid, wall: f64| match hollow(source, &[wall; 6], Change::Step, &tolerance())
        .unwrap()
        .body
    {
        Body::Solid(solid) => solid,
        Body::Shell(_) => panic!("open"),
    };
    let thinner = made(&with(3.0), 1.0);
    assert_eq!(thinner.voids().len(), 1);
    near(thinner.measure().volume, 24_000.0 - inside(1.0), 1e-9);
    let pore = block([0.5, 0.5, 0.5], [0.4; 3]).flipped();
    let kept = made(&Solid::try_new(vec![shell.clone(), pore]).unwrap(), 2.0);
    assert_eq!(kept.voids().len(), 2);
    near(kept.measure().volume, 24_000.0 - inside(2.0) - 0.4_f64.powi(3), 1e-9);
    // One that the new wall would pass through is refused.
    let across = block([1.5, 10.0, 10.0], [1.0; 3]).flipped();
    assert!(
        hollow(&Solid::try_new(vec![shell, across]).unwrap(), &[2.0; 6], Change::Step, &tolerance()).is_err()
    );
}

#[test]
fn roundings_heal_to_the_sharp_edges_and_nothing_else_changes() {
    let sharp = block([0.0; 3], [40.0, 30.0, 20.0]);
    let shell = rounded(&sharp, 3.0);
    let gone: BTreeSet<usize> =
        (0..shell.faces().len()).filter(|&f| shell.faces()[f].surface.is_rational()).collect();
    assert_eq!(gone.len(), 20);
    let healed_all = healed(&shell, &gone, &tolerance()).unwrap();
    assert_eq!(counts(&healed_all), [6, 12, 8]);
    near(solid(healed_all).measure().volume, 24_000.0, 1e-9);
    // A hole in a plate, with another one that stays as it is.
    let plate = solid(block([-20.0, -20.0, 0.0], [40.0, 40.0, 10.0]));
    let drill = |x: f64| solid(moved(&cylinder(4.0, 20.0), x, 3.0, -5.0));
    let drilled =
        combine(&[&plate], &[&drill(-9.0), &drill(9.0)], Operation::Subtract, &tolerance()).unwrap();
    let shell = drilled.solids[0].outer();
    let hole = shell
        .faces()
        .iter()
        .position(|f| f.surface.is_rational() && f.surface.control_points().iter().all(|p| p.x > 0.0));
    let left = healed(shell, &BTreeSet::from([hole.unwrap()]), &tolerance()).unwrap();
    assert_eq!(left.faces().len(), shell.faces().len() - 1);
    let kept = |s: &Shell| s.faces().iter().filter(|f| f.surface.is_rational()).count();
    assert_eq!(kept(&left), 1);
    near(solid(left).measure().volume, 16_000.0 - PI * 160.0, 1e-7);
}

/// The area of the places inside an ellipse that are at least `by` from it: its parallel curve (do Carmo, Differential Geometry of
/// Curves and Surfaces, section 1-5) between where it meets itself on the long axis, by Green's theorem.
fn inside_ellipse(a: f64, b: f64, by: f64) -> f64 {
    const STEPS: usize = 200_000;
    let at = |t: f64| {
        let speed = (a * t.sin()).hypot(b * t.cos());
        [a * t.cos() - by * b * t.cos() / speed, b * t.sin() - by * a * t.sin() / speed]
    };
    // Beyond the swallowtail the upper half is above the axis.
    let (mut low, mut high) = (0.0, PI / 2.0);
    if by > b * b / a {
        for _ in 0..80 {
            let middle = 0.5 * (low + high);
            if at(middle)[1] > 0.0 { high = middle } else { low = middle }
        }
    }
    let (from, step) =
        (high.min(if by > b * b / a { high } else { 0.0 }), |k: usize| k as f64 / STEPS as f64);
    let quarter: f64 = (0..STEPS)
        .map(|k| {
            let [p, q] = [step(k), step(k + 1)].map(|s| at(from + (PI / 2.0 - from) * s));
            0.5 * (p[1] + q[1]) * (p[0] - q[0])
        })
        .sum();
    4.0 * quarter
}

#[test]
fn noses_that_bend_more_tightly_than_the_wall_end_in_a_sharp_edge() {
    let (a, b, height) = (30.0, 8.0, 40.0);
    let world = Frame { origin: Point3::origin(), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() };
    // The seam on a nose, and away from it.
    for (begin, walls) in [(0.0, [1.0, 2.0, 3.0, 4.5, 6.5]), (1.0, [1.0, 2.5, 3.0, 4.5, 6.5])] {
        let ring = geometry::circle_arc(&world, 1.0, begin, 2.0 * PI).unwrap();
        let ring = ring.mapped(|p| Point3::new(a * p.x, b * p.y, 0.0));
        let side = NurbsSurface::ruled(&ring, &ring.mapped(|p| p + Vector3::z() * height)).unwrap();
        let shell = capped(sheet(side), &tolerance(), |k| format!("end {k}")).unwrap();
        let Body::Solid(source) = Body::from_shell(shell) else { panic!("open") };
        near(source.measure().volume, PI * a * b * height, 1e-6);
        for by in walls {
            let expected = inside_ellipse(a, b, by) * (height - 2.0 * by);
            near(solid(offset(source.outer(), -by)).measure().volume, expected, 1e-4);
        }
    }
}

#[test]
fn sharp_corners_reach_far_outwards() {
    // A prism over a triangle with a corner of 15 degrees: its offset is one over a similar triangle about the middle of the
    // inscribed circle.
    let angle = 15.0_f64.to_radians();
    let corners = [[0.0, 0.0], [50.0, 0.0], [50.0 * angle.cos(), 50.0 * angle.sin()]];
    let height = 12.0;
    let up = |p: &[f64; 2], z: f64| Point3::new(p[0], p[1], z);
    let mut faces: Vec<Vec<Point3>> = (0..3)
        .map(|k| {
            let (a, b) = (corners[k], corners[(k + 1) % 3]);
            vec![up(&a, 0.0), up(&b, 0.0), up(&b, height), up(&a, height)]
        })
        .collect();
    faces.push(corners.iter().map(|p| up(p, height)).collect());
    faces.push(corners.iter().rev().map(|p| up(p, 0.0)).collect());
    let shell = polyhedron(&faces);
    let area = 0.5 * 50.0 * 50.0 * angle.sin();
    let around = 100.0 + 100.0 * (angle / 2.0).sin();
    let inscribed = 2.0 * area / around;
    for by in [0.5, 3.0, 20.0, -2.0, -5.0] {
        let expected = area * ((inscribed + by) / inscribed).powi(2) * (height + 2.0 * by);
        near(solid(offset(&shell, by)).measure().volume, expected, 1e-9);
    }
}

#[test]
fn what_vanishes_altogether_is_refused() {
    // A cylinder, a cone and rounded and sharp boxes have nothing left beyond the ball inside them.
    let sources = [
        (cylinder(20.0, 20.0), 10.0),
        (cylinder(5.0, 40.0), 5.0),
        (cone(12.0, 0.0, 20.0), 12.0 * 20.0 / (12.0 + 12.0_f64.hypot(20.0))),
        (block([0.0; 3], [40.0, 30.0, 20.0]), 10.0),
        (rounded(&block([0.0; 3], [40.0, 30.0, 20.0]), 3.0), 10.0),
    ];
    for (shell, room) in sources {
        let by = |distance: f64| offset_shell(&shell, &vec![distance; shell.faces().len()], &tolerance());
        for beyond in [1.02, 1.3, 2.5, 20.0] {
            assert!(by(-beyond * room).is_err(), "{room} mm times {beyond}");
        }
        assert!(by(-0.95 * room).is_ok(), "{room} mm");
    }
}

#[test]
fn a_half_disc_stays_a_face_when_its_short_sides_vanish() {
    // A prism over half a disc of radius 15 on a strip 1 mm high: a wall of 2 mm leaves a segment of a disc of radius 13, cut 1 mm
    // above its middle.
    let (radius, height) = (15.0, 30.0);
    let world =
        Frame { origin: Point3::new(0.0, 1.0, 0.0), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() };
    let at = |x: f64, y: f64| Point3::new(x, y, 0.0);
    let outline = [
        NurbsCurve::line(at(-radius, 0.0), at(radius, 0.0)),
        NurbsCurve::line(at(radius, 0.0), at(radius, 1.0)),
        geometry::circle_arc(&world, radius, 0.0, PI).unwrap(),
        NurbsCurve::line(at(-radius, 1.0), at(-radius, 0.0)),
    ];
    let up = |c: &NurbsCurve| c.mapped(|p| p + Vector3::z() * height);
    let mut parts: Vec<Shell> =
        outline.iter().map(|c| sheet(NurbsSurface::ruled(c, &up(c)).unwrap())).collect();
    for (rim, z) in [(outline.to_vec(), 0.0), (outline.iter().map(up).collect(), height)] {
        let frame = Frame { origin: Point3::new(0.0, 0.0, z), ..world };
        let Body::Shell(cap) = surfacing::flat(&rim, &frame, "cap", &tolerance()).unwrap() else {
            panic!("closed")
        };
        parts.push(cap);
    }
    let shell = solid(join(&parts, tolerance().join).unwrap().shell).outer().clone();
    for by in [0.5_f64, 2.0, 4.0] {
        let (r, cut) = (radius - by, by - 1.0);
        let segment = r * r * (cut / r).acos() - cut * (r * r - cut * cut).sqrt();
        // While the strip is higher than the wall, what is left of it stands below.
        let strip = if cut < 0.0 { 2.0 * r * -cut } else { 0.0 };
        let area = if cut < 0.0 { 0.5 * PI * r * r + strip } else { segment };
        near(solid(offset(&shell, -by)).measure().volume, area * (height - 2.0 * by), 1e-6);
    }
}

fn open_at(wall: &dyn Fn(usize) -> f64, solid: &Solid) -> Body {
    let walls: Vec<f64> = (0..solid.outer().faces().len()).map(wall).collect();
    hollow(solid, &walls, Change::Step, &tolerance()).unwrap().body
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn a_box_all_rounded_may_be_open_at_one_of_its_sides(
        sides in [24.0..40.0, 24.0..40.0, 18.0..30.0],
        radius in 1.0..4.0,
        share in 0.1..1.6,
    ) {
        // Up to the radius the rim stands square to the ends of the rounding; beyond it the sharp inside runs out through the top.
        let wall: f64 = radius * share;
        let shell = rounded(&block([0.0; 3], sides), radius);
        let top = shell.faces().iter().position(|f| f.surface.control_points().iter().all(|p| p.z > sides[2] - 1e-9));
        let solid = solid(shell);
        let made = open_at(&|f| if Some(f) == top { 0.0 } else { wall }, &solid);
        let inner = sides.map(|s| s - 2.0 * wall);
        let inside = if share <= 1.0 {
            let flat = [0, 1].map(|k| sides[k] - 2.0 * radius);
            rounded_box(inner, radius - wall) + flat[0] * flat[1] * wall
        } else {
            inner[0] * inner[1] * (sides[2] - wall)
        };
        let Body::Solid(made) = made else { panic!("open") };
        sound(&made);
        near(made.measure().volume, rounded_box(sides, radius) - inside, 1e-6);
    }

    #[test]
    fn the_inside_of_a_blunt_cone_ends_in_a_tip_under_a_wall_that_swallows_its_top(
        base in 12.0..25.0_f64,
        top in 0.15..0.5,
        height in 20.0..40.0,
        share in 0.1..0.9,
    ) {
        // Seen along the axis the side is a line; that of the inside lies a wall off it, from the floor up to where it comes to the
        // ceiling or to the axis.
        let top: f64 = base * top;
        let slant = (base - top).hypot(height);
        // The largest ball inside touches the side and the floor, and perhaps the top.
        let room = (base * height / (slant + base - top)).min(0.5 * height);
        let wall = share * room;
        let radius = |z: f64| base - (base - top) * z / height - wall * slant / height;
        let frustum = |low: f64, high: f64| {
            let (a, b) = (radius(low), radius(high));
            PI * (high - low) * (a * a + a * b + b * b) / 3.0
        };
        let tip = (base - wall * slant / height) * height / (base - top);
        let inside = frustum(wall, (height - wall).min(tip));
        let solid = solid(cone(base, top, height));
        let made = open_at(&|_| wall, &solid);
        let Body::Solid(made) = made else { panic!("open") };
        sound(&made);
        prop_assert_eq!(made.voids()[0].faces().len(), if tip < height - wall { 2 } else { 3 });
        near(made.measure().volume, solid.measure().volume - inside, 1e-6);
    }
}
