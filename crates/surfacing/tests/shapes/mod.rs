//! Shapes and checks that the tests of surfaces share.
#![allow(dead_code, reason = "each test file uses some of it")]
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

pub mod bent;
pub mod outlines;

use std::f64::consts::TAU;
use std::sync::Arc;

use geometry::{
    Domain, Frame, GeometryError, KnotVector, NurbsCurve, NurbsSurface, Point3, Vector3, circle_arc,
    fit_function,
};
use surfacing::{Agrees, Beside, PatchEdge, Section};
use topology::{Body, MeshTolerance, closure, mesh};

pub const SCALES: [f64; 3] = [1e-3, 1.0, 1e3];

pub fn frame_at(z: f64) -> Frame {
    Frame::new(Point3::new(0.0, 0.0, z), Vector3::x(), Vector3::y()).unwrap()
}

pub fn near(a: f64, b: f64, relative: f64) {
    assert!((a - b).abs() <= relative * b.abs().max(1e-300), "{a} is not {b} within {relative}");
}

pub fn polygon(points: &[[f64; 3]]) -> Vec<NurbsCurve> {
    let p = |k: usize| Point3::from(points[k % points.len()]);
    (0..points.len()).map(|k| NurbsCurve::line(p(k), p(k + 1))).collect()
}

pub fn square(half: f64, z: f64) -> Vec<NurbsCurve> {
    polygon(&[[-half, -half, z], [half, -half, z], [half, half, z], [-half, half, z]])
}

pub fn circle(radius: f64, z: f64) -> Vec<NurbsCurve> {
    vec![circle_arc(&frame_at(z), radius, 0.0, TAU).unwrap()]
}

pub fn ellipse(a: f64, b: f64, z: f64, begin: f64) -> NurbsCurve {
    circle_arc(&frame_at(z), 1.0, begin, TAU).unwrap().mapped(|p| Point3::new(a * p.x, b * p.y, p.z))
}

pub fn mapped(curves: Vec<NurbsCurve>, f: impl Fn(&Point3) -> Point3) -> Vec<NurbsCurve> {
    curves.into_iter().map(|c| c.mapped(&f)).collect()
}

pub fn named(curves: Vec<NurbsCurve>) -> Vec<(NurbsCurve, String)> {
    curves.into_iter().enumerate().map(|(k, c)| (c, format!("side {k}"))).collect()
}

pub fn drawn(pieces: Vec<NurbsCurve>) -> Section {
    Section::Curves { pieces, normal: Some(Vector3::z()), reversed: false, begins: None }
}

pub fn in_space(pieces: Vec<NurbsCurve>) -> Section {
    Section::Curves { pieces, normal: None, reversed: false, begins: None }
}

/// Closed, facing agreed, Euler-Poincaré with the genus given, and a mesh in which every edge has its opposite; gives the
/// volume.
pub fn sound(body: &Body, genus: usize) -> f64 {
    let Body::Solid(solid) = body else { panic!("no solid: {:?}", closure(body.shells()[0]).free_edges) };
    for shell in solid.shells() {
        let c = closure(shell);
        assert!(c.is_watertight());
        assert!(c.largest_gap < 1e-2, "{}", c.largest_gap);
        assert_eq!(c.euler_poincare.genus, Some(genus), "{:?}", c.euler_poincare);
        let (low, high) = topology::bounds(shell).unwrap();
        let mesh = mesh(shell, MeshTolerance::chord((high - low).norm() / 500.0)).unwrap();
        let mut balance = std::collections::BTreeMap::new();
        for face in &mesh.faces {
            for t in &face.triangles {
                let at = t.map(|v| face.vertices[v as usize].position);
                for k in 0..3 {
                    let (a, b) = (at[k], at[(k + 1) % 3]);
                    *balance.entry((a.min(b), a.max(b))).or_insert(0) += if a < b { 1 } else { -1 };
                }
            }
        }
        assert!(balance.values().all(|b| *b == 0));
    }
    solid.measure().volume
}

/// A smooth freeform surface z = f(x, y) over a square with a side of 100, from 12 x 12 points.
pub fn landscape() -> Arc<NurbsSurface> {
    let knots = KnotVector::clamped_uniform(3, 12).unwrap().over(Domain { start: -50.0, end: 50.0 });
    let places = knots.greville();
    let height = |x: f64, y: f64| 8.0 * (x / 40.0).sin() * (y / 35.0).cos() + 0.002 * x * x;
    let at = |x: &f64| places.iter().map(|y| Point3::new(*x, *y, height(*x, *y))).collect::<Vec<_>>();
    let points: Vec<Point3> = places.iter().flat_map(at).collect();
    Arc::new(NurbsSurface::try_new(knots.clone(), knots, &points, None).unwrap())
}

/// The image on a surface of the straight line between two places of its parameter plane, with the surface beside it.
pub fn edge_on(
    surface: &Arc<NurbsSurface>,
    [a, b]: [[f64; 2]; 2],
    agrees: Agrees,
    left: bool,
    number: usize,
) -> PatchEdge {
    let pcurve = NurbsCurve::line(Point3::new(a[0], a[1], 0.0), Point3::new(b[0], b[1], 0.0));
    let at = |t: f64| {
        let p = pcurve.point(t);
        let (place, du, dv) = surface.tangents(p.x, p.y);
        let d = pcurve.velocity(t);
        Ok::<_, GeometryError>((place, du * d.x + dv * d.y))
    };
    let curve = fit_function(at, &[0.0, 1.0], 1e-6).unwrap().curve;
    let beside = Some(Beside { surface: Arc::clone(surface), pcurve, left });
    PatchEdge { curve, beside, agrees, number }
}

/// The sides of a regular polygon on the landscape, which lies round it.
pub fn hole(sides: usize, radius: f64, agrees: Agrees) -> Vec<PatchEdge> {
    let surface = landscape();
    let corner = |k: usize| {
        let a = TAU * (k % sides) as f64 / sides as f64 + 0.1;
        [radius * a.cos(), radius * a.sin()]
    };
    (0..sides).map(|k| edge_on(&surface, [corner(k), corner(k + 1)], agrees, false, k + 1)).collect()
}
