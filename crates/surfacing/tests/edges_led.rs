//! Edges copied inward on faces, and surfaces led out from edges, against outside values.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

#[path = "../../topology/tests/shapes/mod.rs"]
mod shapes;

use std::collections::BTreeSet;
use std::f64::consts::PI;

use geometry::{NurbsCurve, Vector3, closest_on_surface};
use shapes::{block, cylinder, near, tolerance, wavy};
use surfacing::{LeadWay, Measured, SurfacingError, inset_edges, lead_out};
use topology::{EdgeId, Shell, area, free_edges};

fn face_at(shell: &Shell, z: f64) -> (usize, BTreeSet<EdgeId>) {
    let flat = |f: &topology::Face| f.surface.control_points().iter().all(|p| (p.z - z).abs() < 1e-9);
    let face = shell.faces().iter().position(flat).unwrap();
    (face, shell.faces()[face].loops.iter().flat_map(|l| &l.edges).map(|u| u.edge).collect())
}

fn length(run: &[NurbsCurve]) -> f64 {
    run.iter().map(NurbsCurve::length).sum()
}

#[test]
fn edges_are_copied_inward() {
    let shell = block([0.0; 3], [10.0, 20.0, 5.0]);
    let (top, edges) = face_at(&shell, 5.0);
    let inset = |d: f64| inset_edges(&shell, top, &edges, d, Measured::Straight, &tolerance());
    let made = inset(2.0).unwrap();
    assert_eq!((made.len(), made[0].len()), (1, 4));
    near(length(&made[0]), 2.0 * (6.0 + 16.0), 1e-12);
    assert!(surfacing::closes(&made[0], &tolerance()));
    // Three of the edges: an open run, which ends square to where they end.
    let some: BTreeSet<EdgeId> = edges.iter().copied().take(3).collect();
    let open = inset_edges(&shell, top, &some, 2.0, Measured::Straight, &tolerance()).unwrap();
    let skipped = edges.difference(&some).next().unwrap();
    let left_out = shell.edge(*skipped).curve.as_ref().unwrap().length();
    near(length(&open[0]), 60.0 - left_out - 8.0, 1e-12);
    assert!(matches!(inset(5.5), Err(SurfacingError::FilletTooLarge { .. })));
    assert!(matches!(inset(0.0), Err(SurfacingError::NoSize { .. })));
    let round = cylinder(10.0, 30.0);
    let (top, edges) = face_at(&round, 30.0);
    near(
        length(&inset_edges(&round, top, &edges, 3.0, Measured::Straight, &tolerance()).unwrap()[0]),
        2.0 * PI * 7.0,
        1e-9,
    );
    // On a freeform sheet every copied place lies on it, at the distance from the edge.
    let sheet = wavy(2, 10.0);
    let edges: BTreeSet<EdgeId> = free_edges(&sheet).into_iter().collect();
    let made = inset_edges(&sheet, 0, &edges, 4.0, Measured::Straight, &tolerance()).unwrap();
    for copy in &made[0] {
        for t in copy.knots().sampled(3) {
            let p = copy.point(t);
            assert!(closest_on_surface(&sheet.faces()[0].surface, &p).distance < 2e-4);
            let off = |e: &EdgeId| {
                sheet.edge(*e).curve.as_ref().map(|c| geometry::closest_on_curve(c, &p).distance)
            };
            let nearest = edges.iter().filter_map(off).fold(f64::MAX, f64::min);
            assert!((nearest - 4.0).abs() < 1e-3, "{nearest}");
        }
    }
}

#[test]
fn surfaces_are_led_out() {
    let round = cylinder(10.0, 30.0);
    let (top, edges) = face_at(&round, 30.0);
    let lead = |way, other| lead_out(&round, &edges, way, 5.0, other, &tolerance()).unwrap();
    // On along the side the tube grows, along the flat end a ring lies about it; square to the axis it is the same ring.
    let [side, ring] = [2.0 * PI * 10.0 * 5.0, PI * (225.0 - 100.0)];
    let flat_first = top == 0;
    near(area(&lead(LeadWay::Tangent, flat_first)), side, 1e-9);
    near(area(&lead(LeadWay::Tangent, !flat_first)), ring, 1e-9);
    near(area(&lead(LeadWay::SquareTo(Vector3::z()), false)), ring, 1e-9);
    let slanted = Vector3::new(3.0, 0.0, 4.0).normalize();
    let straight = lead(LeadWay::Along(slanted), false);
    assert_eq!(straight.faces().len(), 1);
    // Round a rectangle neighbours meet at the corners.
    let shell = block([0.0; 3], [10.0, 20.0, 5.0]);
    let (_, edges) = face_at(&shell, 5.0);
    let made = lead_out(&shell, &edges, LeadWay::SquareTo(Vector3::z()), 5.0, false, &tolerance()).unwrap();
    assert_eq!((made.faces().len(), free_edges(&made).len()), (4, 8));
    near(area(&made), 20.0 * 30.0 - 10.0 * 20.0, 1e-12);
    let none = lead_out(&shell, &edges, LeadWay::SquareTo(Vector3::x()), 5.0, false, &tolerance());
    assert!(matches!(none, Err(SurfacingError::LeadOutMeets { .. })));
}

/// The largest angle between a shell and what was led out of it, along all edges that were.
fn largest_angle(shell: &Shell, edges: &BTreeSet<EdgeId>, led: &Shell) -> f64 {
    let mut largest: f64 = 0.0;
    for edge in edges {
        let curve = shell.edge(*edge).curve.as_ref().unwrap();
        for t in curve.knots().sampled(9) {
            let p = curve.point(t);
            let normals = |s: &Shell| {
                let at = |f: &topology::Face| {
                    let foot = closest_on_surface(&f.surface, &p);
                    (foot.distance < 1e-3).then(|| f.surface.normal(foot.parameters[0], foot.parameters[1]))
                };
                s.faces().iter().filter_map(at).flatten().collect::<Vec<Vector3>>()
            };
            let own = normals(shell);
            for n in normals(led) {
                let off = |m: &Vector3| m.cross(&n).norm().atan2(m.dot(&n).abs());
                largest = largest.max(own.iter().map(off).fold(f64::MAX, f64::min));
            }
        }
    }
    largest
}

#[test]
fn what_is_led_out_is_tangent_all_along_and_round_corners() {
    for axis in 0..3 {
        let sheet = wavy(axis, 10.0);
        let edges: BTreeSet<EdgeId> = free_edges(&sheet).into_iter().collect();
        let made = lead_out(&sheet, &edges, LeadWay::Tangent, 6.0, false, &tolerance()).unwrap();
        // One ring: every corner is shared.
        assert_eq!((made.faces().len(), free_edges(&made).len()), (edges.len(), 2 * edges.len()));
        let angle = largest_angle(&sheet, &edges, &made).to_degrees();
        assert!(angle < 0.05, "{axis}: {angle}");
    }
    // Two faces that meet in a ridge: at its ends both have just the ridge's direction in common.
    let roof = block([0.0; 3], [30.0, 20.0, 10.0]);
    let (top, _) = face_at(&roof, 10.0);
    let front = roof
        .faces()
        .iter()
        .position(|f| f.surface.control_points().iter().all(|p| p.y.abs() < 1e-9))
        .unwrap();
    let users = |f: usize| roof.faces()[f].loops.iter().flat_map(|l| &l.edges).map(|u| u.edge);
    let at_end = |e: &EdgeId| {
        let d = roof.edge(*e).curve.as_ref().unwrap();
        d.start().x > 29.9 && d.end().x > 29.9
    };
    let edges: BTreeSet<EdgeId> = users(top).chain(users(front)).filter(at_end).collect();
    assert_eq!(edges.len(), 2);
    for other in [false, true] {
        // Of each edge's two faces the first or the last one counts; only where those are top and front is this the ridge.
        let Ok(made) = lead_out(&roof, &edges, LeadWay::Tangent, 6.0, other, &tolerance()) else { continue };
        let angle = largest_angle(&roof, &edges, &made).to_degrees();
        assert!(angle < 1e-6, "{angle}");
    }
}
