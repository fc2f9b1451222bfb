//! Bodies that pass through themselves, and others that only come near it.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

mod shapes;

use std::sync::Arc;

use geometry::{EndDerivatives, NurbsSurface, Point3, Vector3, interpolate};
use shapes::{block, cone, cylinder, moved, sphere, tolerance, torus};
use topology::{Body, natural_shell, self_crossings};

/// A sheet 20 mm high over a curve through places in the plane.
fn fence(places: &[[f64; 2]]) -> Body {
    let points: Vec<Point3> = places.iter().map(|p| Point3::new(p[0], p[1], 0.0)).collect();
    let last = (places.len() - 1) as f64;
    let at: Vec<f64> = (0..places.len()).map(|k| k as f64 / last).collect();
    let curve = interpolate(&points, &at, 3, &EndDerivatives::free()).unwrap();
    let surface = NurbsSurface::ruled(&curve, &curve.mapped(|p| p + Vector3::z() * 20.0)).unwrap();
    Body::from_shell(natural_shell(Arc::new(surface), "fence", &tolerance()).unwrap())
}

#[test]
fn sound_bodies_do_not_cross_themselves() {
    let drilled = block([-20.0, -20.0, 0.0], [40.0, 40.0, 10.0]);
    for shell in [drilled, cylinder(5.0, 20.0), cone(5.0, 2.0, 8.0), sphere(7.0), torus(8.0, 3.0)] {
        assert!(self_crossings(&Body::from_shell(shell)).is_empty());
    }
    // A slot 0.02 mm wide between the ends of a sheet 100 mm long, and a sharp fold.
    let near =
        [[0.0, 0.0], [30.0, 1.0], [50.0, 15.0], [30.0, 29.0], [0.0, 30.0], [-10.0, 15.0], [-0.02, 0.02]];
    assert!(self_crossings(&fence(&near)).is_empty());
}

#[test]
fn a_sheet_that_loops_crosses_itself_along_a_line() {
    // A symmetrical loop: it crosses itself where x = 0.
    let loop_of =
        [[-20.0, 0.0], [5.0, 10.0], [8.0, 20.0], [0.0, 26.0], [-8.0, 20.0], [-5.0, 10.0], [20.0, 0.0]];
    let found = self_crossings(&fence(&loop_of));
    assert!(!found.is_empty());
    for p in &found {
        assert!(p.x.abs() < 1e-6 && (-1e-9..=20.0 + 1e-9).contains(&p.z), "{p}");
        assert!((p.y - found[0].y).abs() < 1e-6, "{p}");
    }
    assert!(found[0].y > 5.0 && found[0].y < 12.0, "{}", found[0]);
}

#[test]
fn faces_of_one_shell_that_cross_are_found_on_both() {
    // A block with a ball half in it, in one shell with nothing in common: the circle of radius 4 in the plane z = 10.
    let both = block([-20.0, -20.0, 0.0], [40.0, 40.0, 10.0]).beside(&moved(&sphere(5.0), 0.0, 0.0, 13.0));
    let found = self_crossings(&Body::Shell(both));
    assert!(found.len() > 3, "{found:?}");
    for p in &found {
        assert!((p.z - 10.0).abs() < 1e-6 && (p.coords.xy().norm() - 4.0).abs() < 1e-6, "{p}");
    }
    // Apart by a hundredth of a millimetre they do not cross.
    let apart = block([-20.0, -20.0, 0.0], [40.0, 40.0, 10.0]).beside(&moved(&sphere(5.0), 0.0, 0.0, 15.01));
    assert!(self_crossings(&Body::Shell(apart)).is_empty());
}
