//! Shells and solids offset, thickened and hollowed, against outside values.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

#[path = "../../topology/tests/shapes/mod.rs"]
mod shapes;

use std::collections::BTreeSet;
use std::f64::consts::PI;

use geometry::{KnotVector, NurbsSurface, Point3, Vector3, through_points};
use proptest::prelude::*;
use shapes::{block, cone, cylinder, flat, moved, near, sheet, sound, sphere, tolerance, torus, turned};
use surfacing::{Change, SurfacingError, healed, hollow, offset_body, offset_shell, swapped, thick_shell};
use topology::{Body, Operation, Shell, Solid, area, closure, combine, free_edges};

fn offset(shell: &Shell, by: f64) -> Shell {
    offset_shell(shell, &vec![by; shell.faces().len()], &tolerance()).unwrap().shell
}

fn volume(shell: Shell) -> f64 {
    let Body::Solid(solid) = Body::from_shell(shell) else { panic!("open") };
    sound(&solid);
    solid.measure().volume
}

fn solid(shell: Shell) -> Solid {
    Solid::try_new(vec![shell]).unwrap()
}

fn walled(made: Result<surfacing::Walled, SurfacingError>) -> f64 {
    let Body::Solid(solid) = made.unwrap().body else { panic!("open") };
    sound(&solid);
    solid.measure().volume
}

fn thick(shell: &Shell, outward: f64, inward: f64) -> Result<surfacing::Walled, SurfacingError> {
    thick_shell(shell, &vec![[outward, inward]; shell.faces().len()], Change::Step, &tolerance())
}

/// The shell without those of its faces that are at a height.
fn without(shell: &Shell, height: f64) -> Shell {
    let at = |f: &topology::Face| f.surface.control_points().iter().all(|p| (p.z - height).abs() < 1e-9);
    let kept = shell.faces().iter().filter(|f| !at(f)).cloned().collect();
    Shell::of_used(shell.vertices(), shell.edges(), kept).unwrap()
}

#[test]
fn offset_blocks_keep_their_corners() {
    let shell = block([-10.0, -8.0, 0.0], [20.0, 16.0, 30.0]);
    for by in [2.0, -3.0, 0.25] {
        let (a, b, c) = (20.0 + 2.0 * by, 16.0 + 2.0 * by, 30.0 + 2.0 * by);
        let made = offset(&shell, by);
        assert_eq!((made.faces().len(), made.edges().len(), made.vertices().len()), (6, 12, 8));
        near(volume(made), a * b * c, 1e-12);
        let askew = offset(&turned(&shell, Vector3::new(1.0, 2.0, 0.5), 0.7), by);
        near(volume(askew), a * b * c, 1e-9);
    }
    let same = offset(&shell, 0.0);
    near(volume(same), 20.0 * 16.0 * 30.0, 1e-14);
}

#[test]
fn offset_cylinders_and_cones_keep_their_rims() {
    for by in [1.5_f64, -1.5] {
        near(volume(offset(&cylinder(10.0, 30.0), by)), PI * (10.0 + by).powi(2) * (30.0 + 2.0 * by), 1e-6);
        // A cone's side moves square to itself: at the ends' new heights its radii follow from its slope.
        let (base, top, height) = (10.0, 4.0, 12.0_f64);
        let slope = (base - top) / height;
        let moved_out = by * (1.0 + slope * slope).sqrt();
        let radius = |z: f64| base - slope * z + moved_out;
        let (r0, r1) = (radius(-by), radius(height + by));
        let expected = PI * (height + 2.0 * by) * (r0 * r0 + r0 * r1 + r1 * r1) / 3.0;
        near(volume(offset(&cone(base, top, height), by)), expected, 1e-6);
    }
}

#[test]
fn inner_corners_and_holes_follow() {
    // An L: a block of 40 x 40 x 20 without a quarter of 20 x 20 x 20.
    let (all, quarter) = (block([0.0; 3], [40.0, 40.0, 20.0]), block([20.0, 20.0, -5.0], [30.0, 30.0, 30.0]));
    let l = combine(&[&solid(all)], &[&solid(quarter)], Operation::Subtract, &tolerance()).unwrap();
    let outer = l.solids[0].outer();
    for by in [2.0, -2.0] {
        let expected = ((40.0 + 2.0 * by) * (20.0 + 2.0 * by) + 20.0 * (20.0 + 2.0 * by)) * (20.0 + 2.0 * by);
        near(volume(offset(outer, by)), expected, 1e-9);
    }
    // A plate with a hole: the hole grows narrower outward and wider inward.
    let plate = solid(block([-20.0, -20.0, 0.0], [40.0, 40.0, 10.0]));
    let drill = solid(moved(&cylinder(6.0, 20.0), 0.0, 0.0, -5.0));
    let drilled = combine(&[&plate], &[&drill], Operation::Subtract, &tolerance()).unwrap();
    for by in [1.0_f64, -2.0] {
        let expected = ((40.0 + 2.0 * by).powi(2) - PI * (6.0 - by).powi(2)) * (10.0 + 2.0 * by);
        near(volume(offset(drilled.solids[0].outer(), by)), expected, 1e-7);
    }
}

#[test]
fn smooth_shells_have_parallel_areas() {
    // OF-03: a torus with R = 3 and r = 1 has 15 pi^2 and 9 pi^2 at 0.25 outward and inward.
    near(area(&offset(&torus(3.0, 1.0), 0.25)), 148.044_066_016_340_4, 1e-9);
    near(area(&offset(&torus(3.0, 1.0), -0.25)), 88.826_439_609_804_23, 1e-9);
    let Err(SurfacingError::Geometry(e)) = offset_shell(&torus(3.0, 1.0), &[-1.1], &tolerance()) else {
        panic!("it folds")
    };
    assert!(e.to_string().contains("1.0000 mm") && e.place().is_some(), "{e}");
}

#[test]
fn walls_hold_what_the_formulas_say() {
    let wall = |shell: &Shell, out: f64, inw: f64| walled(thick(shell, out, inw));
    // OF-04: a sphere of radius 5, 0.4 thick; OF-05: a torus and a tube, to both sides.
    near(wall(&sphere(5.0), 0.2, 0.2), 125.730_726_786_868_3, 1e-9);
    near(wall(&sphere(5.0), 0.4, 0.0), 135.984_885_208_185_4, 1e-9);
    near(wall(&sphere(5.0), 0.0, 0.4), 115.878_692_225_210_7, 1e-9);
    near(wall(&torus(3.0, 1.0), 0.15, 0.15), 35.530_575_843_921_69, 1e-9);
    let tube = without(&without(&cylinder(2.0, 5.0), 0.0), 5.0);
    assert_eq!(free_edges(&tube).len(), 2);
    near(wall(&tube, 0.15, 0.15), 18.849_555_921_538_76, 1e-9);
    // A box without its lid.
    let open = without(&block([0.0; 3], [40.0, 30.0, 20.0]), 20.0);
    near(wall(&open, 0.0, 2.0), 40.0 * 30.0 * 20.0 - 36.0 * 26.0 * 18.0, 1e-9);
    near(wall(&open, 2.0, 0.0), 44.0 * 34.0 * 22.0 - 40.0 * 30.0 * 20.0, 1e-9);
    near(wall(&open, 1.0, 2.0), 42.0 * 32.0 * 21.0 - 36.0 * 26.0 * 18.0, 1e-9);
    // A cup: the floor meets the side at a right angle.
    let cup = without(&cylinder(10.0, 30.0), 30.0);
    near(wall(&cup, 0.0, 2.0), PI * (100.0 * 30.0 - 64.0 * 28.0), 1e-6);
}

#[test]
fn hollowed_solids_open_where_they_are_told_to() {
    let faces = |shell: &Shell, wall: f64, open: f64| -> Vec<f64> {
        let is_open =
            |f: &topology::Face| f.surface.control_points().iter().all(|p| (p.z - open).abs() < 1e-9);
        shell.faces().iter().map(|f| if is_open(f) { 0.0 } else { wall }).collect()
    };
    let shell = block([0.0; 3], [40.0, 30.0, 20.0]);
    let walls = faces(&shell, 2.0, 20.0);
    near(
        walled(hollow(&solid(shell.clone()), &walls, Change::Step, &tolerance())),
        24_000.0 - 36.0 * 26.0 * 18.0,
        1e-9,
    );
    // Closed all round: a void inside.
    near(
        walled(hollow(&solid(shell.clone()), &[2.0; 6], Change::Step, &tolerance())),
        24_000.0 - 36.0 * 26.0 * 16.0,
        1e-9,
    );
    // One wall thicker than the others.
    let mut uneven = walls.clone();
    let floor =
        shell.faces().iter().position(|f| f.surface.control_points().iter().all(|p| p.z.abs() < 1e-9));
    uneven[floor.unwrap()] = 5.0;
    near(
        walled(hollow(&solid(shell), &uneven, Change::Step, &tolerance())),
        24_000.0 - 36.0 * 26.0 * 15.0,
        1e-9,
    );
    // A frustum open at the top: its rim lies in the plane of the top.
    let (base, top, height, wall) = (10.0, 16.0, 20.0, 1.5_f64);
    let shell = cone(base, top, height);
    let walls = faces(&shell, wall, height);
    let slope = (top - base) / height;
    let in_by = wall * (1.0 + slope * slope).sqrt();
    let (r0, r1) = (base + slope * wall - in_by, top - in_by);
    let frustum = |a: f64, b: f64, h: f64| PI * h * (a * a + a * b + b * b) / 3.0;
    let expected = frustum(base, top, height) - frustum(r0, r1, height - wall);
    near(walled(hollow(&solid(shell), &walls, Change::Step, &tolerance())), expected, 1e-5);
    // Thicker than there is room for.
    let small = solid(block([0.0; 3], [10.0; 3]));
    assert!(hollow(&small, &[5.5; 6], Change::Step, &tolerance()).is_err());
    assert!(closure(small.outer()).is_watertight());
}

/// A sheet of 8 x 8 control points over a square with a side of 100, with bumps of up to 4 mm.
fn bumpy(seed: f64) -> NurbsSurface {
    let knots = KnotVector::clamped_uniform(3, 8).unwrap();
    let at = |k: usize| 100.0 * k as f64 / 7.0;
    let bump = |i: usize, j: usize| 4.0 * (12.9898 * i as f64 + 78.233 * j as f64 + seed).sin();
    let net: Vec<Point3> =
        (0..8).flat_map(|i| (0..8).map(move |j| Point3::new(at(i), at(j), bump(i, j)))).collect();
    NurbsSurface::try_new(knots.clone(), knots, &net, None).unwrap()
}

/// Area, and the integrals of mean and Gaussian curvature, by the midpoint rule.
fn curvature_integrals(surface: &NurbsSurface) -> [f64; 3] {
    const STEPS: usize = 400;
    let (u, v) = surface.domain();
    let share = |k: usize| (k as f64 + 0.5) / STEPS as f64;
    let cell = u.length() * v.length() / (STEPS * STEPS) as f64;
    let mut sums = [0.0; 3];
    for (i, j) in (0..STEPS).flat_map(|i| (0..STEPS).map(move |j| (i, j))) {
        let d = surface.derivatives(u.at(share(i)), v.at(share(j)));
        let area = d.area_vector().norm() * cell;
        let (gauss, mean) = d.curvatures().unwrap();
        for (sum, x) in sums.iter_mut().zip([1.0, mean, gauss]) {
            *sum += x * area;
        }
    }
    sums
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(6) })]

    /// Steiner 1840, Weyl 1939: A t - t^2 int H + t^3 / 3 int K towards the normal, where H counts as positive.
    #[test]
    fn walls_of_freeform_sheets_have_the_volume_of_steiner(seed in 0.0..6.0, out in 0.2..2.0_f64, inw in 0.2..2.0_f64) {
        let surface = bumpy(seed);
        let [area, mean, gauss] = curvature_integrals(&surface);
        let side = |t: f64| area * t - mean * t * t + gauss * t.powi(3) / 3.0;
        // The outer side of a sheet is that of its normal.
        let expected = side(out) - side(-inw);
        // The fitted faces may stand off by the tolerance, a part of which is the same all over.
        let found = walled(thick(&sheet(surface), out, inw));
        prop_assert!((found - expected).abs() <= 0.1 * tolerance().fit * area, "{found} is not {expected}");
    }
}

#[test]
fn a_wall_that_comes_upon_itself_is_refused_where_it_does() {
    // A sheet that is wound once and a little more, 1.4 mm beside itself where it overlaps.
    let at = |k: usize| {
        let share = k as f64 / 48.0;
        let (angle, radius) = (share * (2.0 * PI + 0.4), 20.0 + 1.5 * share);
        Point3::new(radius * angle.cos(), radius * angle.sin(), 0.0)
    };
    let points: Vec<Point3> = (0..=48).map(at).collect();
    let curve = through_points(&points, 1e-6).unwrap();
    let surface = NurbsSurface::ruled(&curve, &curve.mapped(|p| p + Vector3::z() * 10.0)).unwrap();
    let both = |t: f64| thick(&sheet(surface.clone()), t, t);
    near(walled(both(0.2)), 2.0 * 0.2 * curve.length() * 10.0, 2e-4);
    let Err(SurfacingError::TooThick { at, fits, .. }) = both(1.0) else { panic!("it runs into itself") };
    // It comes upon itself where both sides together are as thick as the gap, about 1.4 mm.
    assert!((1.2..1.5).contains(&fits), "{fits}");
    assert!((18.0..24.0).contains(&at[0]) && (-2.0..10.0).contains(&at[1]), "{at:?}");
}

fn flat_at(shell: &Shell, height: f64) -> usize {
    let at = |f: &topology::Face| f.surface.control_points().iter().all(|p| (p.z - height).abs() < 1e-9);
    shell.faces().iter().position(at).unwrap()
}

#[test]
fn faces_that_are_removed_heal() {
    // A hole in a plate goes, and so does a step at its side.
    let plate = solid(block([-20.0, -20.0, 0.0], [40.0, 40.0, 10.0]));
    let drill = solid(moved(&cylinder(6.0, 20.0), 0.0, 0.0, -5.0));
    let drilled = combine(&[&plate], &[&drill], Operation::Subtract, &tolerance()).unwrap();
    let shell = drilled.solids[0].outer();
    let round = shell.faces().iter().position(|f| f.surface.is_rational()).unwrap();
    near(volume(healed(shell, &BTreeSet::from([round]), &tolerance()).unwrap()), 16_000.0, 1e-9);
    // A bevelled edge: its slanted face goes, and the two beside it meet again.
    let wedge = solid(turned(&block([-5.0, -40.0, -5.0], [10.0, 80.0, 10.0]), Vector3::y(), PI / 4.0));
    let wedge = solid(moved(wedge.outer(), 20.0, 0.0, 10.0));
    let bevelled = combine(&[&plate], &[&wedge], Operation::Subtract, &tolerance()).unwrap();
    let shell = bevelled.solids[0].outer();
    assert!(bevelled.solids[0].measure().volume < 15_990.0);
    let slanted = |f: &topology::Face| {
        let p = f.surface.control_points();
        p.iter().any(|q| (q.z - p[0].z).abs() > 1.0)
            && p.iter().any(|q| (q.x - p[0].x).abs() > 1.0)
            && p.iter().any(|q| (q.y - p[0].y).abs() > 39.0)
    };
    let slanted = shell.faces().iter().position(slanted).unwrap();
    near(volume(healed(shell, &BTreeSet::from([slanted]), &tolerance()).unwrap()), 16_000.0, 1e-9);
    // The sides of a block never meet over its top.
    let shell = block([0.0; 3], [10.0; 3]);
    let top = flat_at(&shell, 10.0);
    let Err(SurfacingError::CannotHeal { .. }) = healed(&shell, &BTreeSet::from([top]), &tolerance()) else {
        panic!("it cannot heal")
    };
}

#[test]
fn a_face_is_swapped_for_another_surface() {
    let shell = block([-20.0, -15.0, 0.0], [40.0, 30.0, 20.0]);
    let top = flat_at(&shell, 20.0);
    // A slanted plane above, to which the sides grow: the volume is that under its height in the middle.
    let slanted = flat([-40.0, -40.0, 21.0], [80.0, 0.0, 8.0], [0.0, 80.0, 4.0]);
    near(volume(swapped(&shell, top, &slanted, &tolerance()).unwrap()), 40.0 * 30.0 * 27.0, 1e-9);
    // A parabolic sheet z = 12 + x^2 / 100, below the top at the middle.
    let net: Vec<Point3> = [-25.0, 25.0]
        .iter()
        .flat_map(|y| [[-30.0, 21.0], [0.0, 3.0], [30.0, 21.0]].map(|p| Point3::new(p[0], *y, p[1])))
        .collect();
    let parabola = NurbsSurface::try_new(KnotVector::bezier(1), KnotVector::bezier(2), &net, None).unwrap();
    let expected = 30.0 * (40.0 * 12.0 + 2.0 * 20.0_f64.powi(3) / 300.0);
    near(volume(swapped(&shell, top, &sheet(parabola), &tolerance()).unwrap()), expected, 1e-6);
    // One that is too small is made longer.
    let small = flat([-5.0, -5.0, 25.0], [10.0, 0.0, 0.0], [0.0, 10.0, 0.0]);
    near(volume(swapped(&shell, top, &small, &tolerance()).unwrap()), 40.0 * 30.0 * 25.0, 1e-9);
    // A ball of radius 10 about a place 20 mm above the top cannot be: the corners lie 25 mm beside its middle.
    let centre = Point3::new(0.0, 0.0, 40.0);
    let refused = swapped(&shell, top, &moved(&sphere(10.0), 0.0, 0.0, 40.0), &tolerance());
    let Err(SurfacingError::CannotSwap { apart, short, at }) = refused else { panic!("{refused:?}") };
    let corner = Point3::new(at[0].abs(), at[1].abs(), at[2]);
    near((corner - centre).norm() - 10.0, apart, 1e-9);
    assert!(short <= apart);
}

#[test]
fn the_farthest_offset_that_fits_is_told() {
    // Nothing is left of a block of 20 at 10 from all its faces.
    let shell = block([0.0; 3], [40.0, 30.0, 20.0]);
    let refused = offset_body(&shell, -10.5, &tolerance());
    let Err(SurfacingError::TooFar { asked, fits, .. }) = refused else { panic!("{refused:?}") };
    assert!(asked == -10.5 && (-10.0..-9.9).contains(&fits), "{fits}");
    let Body::Solid(left) = offset_body(&shell, fits, &tolerance()).unwrap().body else { panic!("open") };
    near(left.measure().volume, [40.0, 30.0, 20.0].iter().map(|x| x + 2.0 * fits).product(), 1e-9);
}

#[test]
fn the_thickest_wall_that_fits_is_told() {
    // A tray 20 mm wide and open above holds nothing from 10 mm on.
    let shell = block([0.0; 3], [20.0, 40.0, 15.0]);
    let top = flat_at(&shell, 15.0);
    let walls = |t: f64| (0..6).map(|f| if f == top { 0.0 } else { t }).collect::<Vec<f64>>();
    let made = hollow(&solid(shell.clone()), &walls(12.0), Change::Step, &tolerance());
    let Err(SurfacingError::TooThick { fits, asked, .. }) = made else { panic!("{made:?}") };
    assert!(asked == 12.0 && (9.8..10.0).contains(&fits), "{fits}");
    near(
        walled(hollow(&solid(shell), &walls(fits), Change::Step, &tolerance())),
        12_000.0 - (20.0 - 2.0 * fits) * (40.0 - 2.0 * fits) * (15.0 - fits),
        1e-9,
    );
}
