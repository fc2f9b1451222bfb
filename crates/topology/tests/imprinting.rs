//! Shapes brought together: what they share, the spaces they shut in, and solids from those, against values from outside.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::f64::consts::PI;

use geometry::{NurbsCurve, Point3, Vector3};
use shapes::{block, cylinder, flat, moved, near, sound, sphere, tolerance, torus, turned, volume, wavy};
use topology::{Chosen, EdgeId, Face, Loop, OrientedEdge, Outline, Shell, imprint};

/// Volumes of the common part, of each one alone, and of both together.
struct Parts {
    common: f64,
    first: f64,
    second: f64,
    union: f64,
}

fn chosen(shapes: &[&Shell], wanted: impl Fn(&[bool]) -> bool) -> Chosen {
    let made = imprint(shapes, &tolerance()).unwrap();
    let cells = made.cells(&tolerance());
    let insides = made.insides(&cells, |_| true);
    let flags = |i: &Vec<usize>| (0..shapes.len()).map(|s| i.contains(&s)).collect::<Vec<bool>>();
    let wanted: Vec<bool> = insides.iter().map(|i| wanted(&flags(i))).collect();
    made.solids(&cells, &wanted).unwrap()
}

fn total(chosen: &Chosen) -> f64 {
    chosen
        .solids
        .iter()
        .map(|s| {
            sound(s);
            volume(s)
        })
        .sum()
}

fn parts(a: &Shell, b: &Shell) -> Parts {
    let of = |wanted: fn(&[bool]) -> bool| total(&chosen(&[a, b], wanted));
    Parts {
        common: of(|i| i[0] && i[1]),
        first: of(|i| i[0] && !i[1]),
        second: of(|i| i[1] && !i[0]),
        union: of(|i| i[0] || i[1]),
    }
}

#[test]
fn two_blocks_that_overlap_at_a_corner() {
    let (a, b) = (block([0.0; 3], [10.0; 3]), block([6.0, 5.0, 4.0], [10.0; 3]));
    let p = parts(&a, &b);
    near(p.common, 4.0 * 5.0 * 6.0, 1e-12);
    near(p.first, 880.0, 1e-12);
    near(p.second, 880.0, 1e-12);
    near(p.union, 1880.0, 1e-12);
}

#[test]
fn blocks_in_special_positions() {
    let a = block([0.0; 3], [10.0; 3]);
    for (low, size, common) in [
        ([10.0, 0.0, 0.0], [10.0; 3], 0.0),
        ([2.0, 2.0, 10.0], [3.0, 3.0, 3.0], 0.0),
        ([0.0, 0.0, 0.0], [10.0; 3], 1000.0),
        ([0.0, 0.0, 0.0], [5.0; 3], 125.0),
        ([2.0, 2.0, 2.0], [3.0; 3], 27.0),
        ([5.0, 0.0, 0.0], [10.0; 3], 500.0),
        ([-5.0, 3.0, 3.0], [20.0, 4.0, 4.0], 160.0),
        ([-5.0, 0.0, 3.0], [20.0, 10.0, 4.0], 400.0),
        ([10.0, 10.0, 0.0], [10.0; 3], 0.0),
        ([10.0, 10.0, 10.0], [10.0; 3], 0.0),
        ([5.0, 5.0, 10.0], [10.0; 3], 0.0),
        ([3.0, 10.0, 3.0], [4.0, 2.0, 4.0], 0.0),
    ] {
        let b = block(low, size);
        let p = parts(&a, &b);
        let whole: f64 = size.iter().product();
        let close = |x: f64, y: f64| assert!((x - y).abs() < 1e-9, "{x} {y} for {low:?} {size:?}");
        close(p.common, common);
        close(p.first, 1000.0 - common);
        close(p.second, whole - common);
        close(p.union, 1000.0 + whole - common);
    }
}

#[test]
fn equal_cylinders_have_the_common_volume_of_steinmetz() {
    // IN-01: 16 r^3 / 3, surface 16 r^2; three axes: 8 (2 - sqrt 2) r^3.
    let r = 10.0;
    let a = moved(&cylinder(r, 60.0), 0.0, 0.0, -30.0);
    let (b, c) = (turned(&a, Vector3::y(), PI / 2.0), turned(&a, Vector3::x(), PI / 2.0));
    let two = chosen(&[&a, &b], |i| i[0] && i[1]);
    near(total(&two), 16.0 * r.powi(3) / 3.0, 1e-6);
    near(two.solids[0].measure().area, 16.0 * r * r, 1e-6);
    let three = chosen(&[&a, &b, &c], |i| i.iter().all(|x| *x));
    near(total(&three), 8.0 * (2.0 - 2f64.sqrt()) * r.powi(3), 1e-6);
}

#[test]
fn a_sphere_with_a_cylinder_through_it() {
    // VO-11: R = 5 drilled through by r = 3: pi h^3 / 6 with h = 8; area 128 pi.
    let (ball, drill) = (sphere(5.0), moved(&cylinder(3.0, 20.0), 0.0, 0.0, -10.0));
    let ring = chosen(&[&ball, &drill], |i| i[0] && !i[1]);
    near(total(&ring), 268.082_573_106_329, 1e-6);
    near(ring.solids[0].measure().area, 402.123_859_659_493_5, 1e-6);
    let p = parts(&ball, &drill);
    near(p.common + p.first, 4.0 / 3.0 * PI * 125.0, 1e-9);
    near(p.common + p.second, 180.0 * PI, 1e-9);
}

#[test]
fn vivianis_body() {
    // IN-03: sphere R = 2, cylinder of diameter R through its centre: common volume R^3 (2 pi / 3 - 8 / 9).
    let (ball, tube) = (sphere(2.0), moved(&cylinder(1.0, 6.0), 1.0, 0.0, -3.0));
    near(total(&chosen(&[&ball, &tube], |i| i[0] && i[1])), 9.644_049_708_034_453, 1e-5);
}

#[test]
fn a_plane_cuts_caps_off_a_sphere() {
    // VO-02: R = 5, h = 2: 52 pi / 3. The plane is slanted; the cap does not know.
    let ball = turned(&sphere(5.0), Vector3::new(0.3, 0.8, 0.2), 0.7);
    let plane = flat([-20.0, -20.0, 3.0], [40.0, 0.0, 0.0], [0.0, 40.0, 0.0]);
    for (axis, angle) in [(Vector3::x(), 0.0), (Vector3::x(), 1.0), (Vector3::new(1.0, 2.0, 3.0), 2.0)] {
        let plane = turned(&plane, axis, angle);
        let made = imprint(&[&ball, &plane], &tolerance()).unwrap();
        let cells = made.cells(&tolerance());
        let alone = |space: usize| {
            let wanted: Vec<bool> = (0..=cells.volumes.len()).map(|s| s == space).collect();
            total(&made.solids(&cells, &wanted).unwrap())
        };
        let mut volumes: Vec<f64> = (1..=cells.volumes.len()).map(alone).collect();
        volumes.sort_by(f64::total_cmp);
        assert_eq!(volumes.len(), 2, "{volumes:?} {axis:?} {angle}");
        near(volumes[0], 54.454_272_662_223_08, 1e-6);
        near(volumes[0] + volumes[1], 4.0 / 3.0 * PI * 125.0, 1e-6);
    }
}

#[test]
fn six_wavy_sheets_shut_in_one_space() {
    let sheets: Vec<Shell> = (0..3).flat_map(|axis| [-20.0, 20.0].map(|h| wavy(axis, h))).collect();
    let refs: Vec<&Shell> = sheets.iter().collect();
    let made = imprint(&refs, &tolerance()).unwrap();
    let cells = made.cells(&tolerance());
    assert_eq!(cells.volumes.len(), 1, "{:?}", cells.volumes);
    let solids = made.solids(&cells, &[false, true]).unwrap();
    near(total(&solids), cells.volumes[0], 1e-7);
    assert!((cells.volumes[0] - 64_000.0).abs() < 6_000.0);
    let room = block([-49.0; 3], [98.0; 3]);
    let with: Vec<&Shell> = sheets.iter().chain([&room]).collect();
    let made = imprint(&with, &tolerance()).unwrap();
    let cells = made.cells(&tolerance());
    assert_eq!(cells.volumes.len(), 27, "{:?}", cells.volumes);
    near(cells.volumes.iter().sum::<f64>(), 98f64.powi(3), 1e-9);
}

#[test]
fn a_torus_against_a_block_and_another_torus() {
    let ring = torus(10.0, 3.0);
    let whole = 2.0 * PI * PI * 10.0 * 9.0;
    for (b, own) in [
        (block([-20.0, -20.0, 0.0], [40.0, 40.0, 9.0]), 40.0 * 40.0 * 9.0),
        (block([0.0, -20.0, -9.0], [40.0, 40.0, 18.0]), 40.0 * 40.0 * 18.0),
        (moved(&turned(&ring, Vector3::x(), PI / 2.0), 10.0, 0.0, 0.0), whole),
    ] {
        let p = parts(&ring, &b);
        near(p.common + p.first, whole, 1e-7);
        near(p.common + p.second, own, 1e-7);
        near(p.common + p.first + p.second, p.union, 1e-7);
    }
    near(parts(&ring, &block([-20.0, -20.0, 0.0], [40.0, 40.0, 9.0])).common, whole / 2.0, 1e-6);
}

#[test]
fn nothing_slips_through_between_two_edges_of_an_outline() {
    // The right side of a square is two edges, which end a little apart where a place is looked for.
    let corners: [[f64; 2]; 6] =
        [[0.0, 0.0], [1.0, 0.0], [1.0, 0.5 - 1e-7], [1.0, 0.5 + 1e-7], [1.0, 1.0], [0.0, 1.0]];
    let side = |k: usize| {
        let [a, b] = [corners[k], corners[(k + 1) % 6]].map(|p| Point3::new(p[0], p[1], 0.0));
        OrientedEdge { edge: EdgeId(k as u32), forward: true, pcurve: NurbsCurve::line(a, b) }
    };
    let edges = [0, 1, 3, 4, 5].map(side).to_vec();
    let shell = flat([0.0; 3], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]);
    let face = Face { loops: vec![Loop { edges }], ..shell.faces()[0].clone() };
    let outline = Outline::of(&face);
    assert!(outline.holds([0.5, 0.5]) && !outline.holds([-0.5, 0.5]) && !outline.holds([1.5, 0.5]));
}
