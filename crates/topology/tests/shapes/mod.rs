//! Simple solids for the tests of what cuts.
#![allow(dead_code, reason = "each test file uses some of it")]
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

#[path = "../../../geometry/tests/round/mod.rs"]
pub mod round;

use std::collections::BTreeMap;
use std::f64::consts::TAU;
use std::sync::Arc;

use geometry::{KnotVector, NurbsSurface, Point3, Tolerance, Vector3, circle_arc};
use nalgebra::Matrix4;
pub use round::world;
use topology::{Body, MeshTolerance, Shell, Solid, capped, closure, join, mesh, natural_shell};

pub fn tolerance() -> Tolerance {
    Tolerance::default()
}

pub fn near(a: f64, b: f64, relative: f64) {
    assert!((a - b).abs() <= relative * b.abs().max(1e-300), "{a} is not {b} within {relative}");
}

pub fn moved(shell: &Shell, x: f64, y: f64, z: f64) -> Shell {
    shell.clone().transformed(&Matrix4::new_translation(&Vector3::new(x, y, z)))
}

pub fn turned(shell: &Shell, axis: Vector3, angle: f64) -> Shell {
    shell.clone().transformed(&Matrix4::new_rotation(axis.normalize() * angle))
}

pub fn outward(shell: Shell) -> Shell {
    Solid::try_new(vec![shell]).unwrap().outer().clone()
}

/// One face over all of a surface.
pub fn sheet(surface: NurbsSurface) -> Shell {
    natural_shell(Arc::new(surface), "sheet", &tolerance()).unwrap()
}

/// A flat rectangle from a corner along two sides.
pub fn flat(corner: [f64; 3], u: [f64; 3], v: [f64; 3]) -> Shell {
    let (p, u, v) = (Point3::from(corner), Vector3::from(u), Vector3::from(v));
    sheet(NurbsSurface::bilinear(p, p + u, p + v, p + u + v))
}

pub fn block(low: [f64; 3], size: [f64; 3]) -> Shell {
    let (p, [a, b, c]) = (low, size);
    let (x, y, z) = ([a, 0.0, 0.0], [0.0, b, 0.0], [0.0, 0.0, c]);
    let faces = [
        flat(p, x, y),
        flat([p[0], p[1], p[2] + c], x, y),
        flat(p, y, z),
        flat([p[0] + a, p[1], p[2]], y, z),
        flat(p, z, x),
        flat([p[0], p[1] + b, p[2]], z, x),
    ];
    let size = a.max(b).max(c);
    outward(join(&faces, 1e-6 * size).unwrap().shell)
}

/// An upright cylinder on z = 0 about the z axis.
pub fn cylinder(radius: f64, height: f64) -> Shell {
    let scaled = tolerance().scaled(radius.min(1.0));
    outward(capped(sheet(round::cylinder(radius, height)), &scaled, |k| format!("end {k}")).unwrap())
}

pub fn cone(base: f64, top: f64, height: f64) -> Shell {
    let circle = circle_arc(&world(), 1.0, 0.0, TAU).unwrap();
    let at = |r: f64, z: f64| circle.mapped(|q| Point3::new(r * q.x, r * q.y, z));
    let side = NurbsSurface::ruled(&at(base, 0.0), &at(top, height)).unwrap();
    outward(capped(sheet(side), &tolerance(), |k| format!("end {k}")).unwrap())
}

pub fn sphere(radius: f64) -> Shell {
    outward(sheet(round::sphere(radius)))
}

pub fn torus(major: f64, minor: f64) -> Shell {
    outward(sheet(round::torus(major, minor)))
}

/// A wavy sheet of 10 x 10 control points over a square with a side of 100: height + 4 sin(a / 12) cos(b / 15) above the
/// plane of the two other directions.
pub fn wavy(axis: usize, height: f64) -> Shell {
    let knots = KnotVector::clamped_uniform(3, 10).unwrap();
    let at = |a: f64, b: f64| {
        let h = height + 4.0 * (a / 12.0).sin() * (b / 15.0).cos();
        let mut p = [0.0; 3];
        (p[axis], p[(axis + 1) % 3], p[(axis + 2) % 3]) = (h, a, b);
        Point3::from(p)
    };
    let places: Vec<f64> = (0..10).map(|k| -50.0 + 100.0 * f64::from(k) / 9.0).collect();
    let points: Vec<Point3> = places.iter().flat_map(|&a| places.iter().map(move |&b| at(a, b))).collect();
    sheet(NurbsSurface::try_new(knots.clone(), knots, &points, None).unwrap())
}

pub fn volume(solid: &Solid) -> f64 {
    solid.measure().volume
}

/// Closed, facing agreed, Euler-Poincaré with a whole genus, small gaps, and a mesh in which every edge has its opposite at
/// several tolerances.
pub fn sound(solid: &Solid) {
    for shell in solid.shells() {
        let c = closure(shell);
        assert!(c.is_watertight(), "{c:?}");
        assert!(c.largest_gap < 5e-3, "gap {}", c.largest_gap);
        assert!(c.euler_poincare.genus.is_some(), "{:?}\n{}", c.euler_poincare, told(shell));
        let (low, high) = topology::bounds(shell).unwrap();
        for share in [20.0, 500.0] {
            let mesh = mesh(shell, MeshTolerance::chord((high - low).norm() / share))
                .unwrap_or_else(|e| panic!("{e}\n{}", told(shell)));
            let mut balance = BTreeMap::new();
            for t in mesh.triangles() {
                for k in 0..3 {
                    let (a, b) = (t[k], t[(k + 1) % 3]);
                    *balance.entry((a.min(b), a.max(b))).or_insert(0) += if a < b { 1 } else { -1 };
                }
            }
            let open: Vec<_> = balance.iter().filter(|b| *b.1 != 0).collect();
            let places: Vec<_> = open
                .iter()
                .take(6)
                .map(|(k, n)| (mesh.positions[k.0 as usize], mesh.positions[k.1 as usize], **n, k.0, k.1))
                .collect();
            assert!(
                open.is_empty(),
                "{} open sides of triangles: {places:?} vertices {}\n{}",
                open.len(),
                shell.vertices().len(),
                told(shell)
            );
        }
    }
    assert!(Body::Solid(solid.clone()).is_solid());
}

pub fn told(shell: &Shell) -> String {
    let mut out = String::new();
    for v in shell.vertices() {
        out += &format!("v {:?}\n", v.point);
    }
    for (i, e) in shell.edges().iter().enumerate() {
        out += &format!("e{i} {:?} {:?} curve {}\n", e.start, e.end, e.curve.is_some());
    }
    for f in shell.faces() {
        out += &format!("face {} rev {}\n", f.role, f.reversed);
        for l in &f.loops {
            out += "  loop\n";
            for u in &l.edges {
                let (a, b) = (u.pcurve.start(), u.pcurve.end());
                out += &format!(
                    "    {:?} {} ({:.4} {:.4}) -> ({:.4} {:.4})\n",
                    u.edge, u.forward, a.x, a.y, b.x, b.y
                );
            }
        }
    }
    out
}
