//! Places at which a body passes through itself, which no count of edges shows.

use std::collections::BTreeSet;

use geometry::{
    BoxTree, Domain, NurbsSurface, Point3, Vector3, box_of, closest_on_curve, diagonal, shared_work,
};
use nalgebra::{Matrix3, Matrix3x4, SVector};
use rayon::prelude::*;

use crate::imprint::Outline;
use crate::{Body, EdgeId, Face, MeshTolerance, TopologyError, mesh};

/// Chord of the triangles that are looked at, as a share of the body's size.
const CHORD: f64 = 2e-3;
/// Turn of one triangle's side, in radians.
const ANGLE: f64 = 0.8;
/// Sine of the angle between two faces above which they cross; below it they touch.
const LEVEL: f64 = 0.02;
/// Distance, as a share of the body's size, within which places are one.
const SAME: f64 = 1e-6;
/// Places that are told apart and reported.
const MOST: usize = 20;
/// The same between a place found on one surface and on the other.
const EXACT: f64 = 1e-10;
const MAX_NEWTON_STEPS: usize = 20;

/// Places at which faces of a body cross others or themselves away from their common edges; at most some of them, spread
/// over where it happens.
///
/// # Method
/// Triangles of a coarse mesh that cross, each then led by Newton's method to a common place of both surfaces; only a place
/// inside both faces, where they cross at an angle, counts. What crosses within less than the mesh's chord, 2 in 1,000 of the
/// body's size, can be missed.
#[must_use]
pub fn self_crossings(body: &Body) -> Vec<Point3> {
    let shell = &body.whole();
    let nets = shell.faces().iter().flat_map(|f| f.surface.control_points());
    let size = diagonal(&box_of(nets.collect::<Vec<_>>().iter()));
    let made = match mesh(shell, MeshTolerance { chord: CHORD * size, angle: ANGLE }) {
        Ok(made) => made,
        // Where triangles cannot be laid, the face's own boundary crosses itself.
        Err(TopologyError::Mesh { face, .. }) => {
            let face = &shell.faces()[face];
            let at = Outline::of(face).inside().unwrap_or_default();
            return vec![face.surface.point(at[0], at[1])];
        }
        Err(_) => return Vec::new(),
    };
    let triangles = made.placed();
    let boxes: Vec<_> = triangles.iter().map(|t| box_of(t.at.iter())).collect();
    let tree = BoxTree::new(boxes.iter().copied().enumerate().map(|(i, b)| (b, i)));
    let crosses = |i: usize, j: usize| -> Option<Point3> {
        let (a, b) = (&triangles[i], &triangles[j]);
        if a.positions.iter().any(|p| b.positions.contains(p)) {
            return None;
        }
        let (on_a, on_b) = triangles_cross(&a.at, &b.at)?;
        let (f, g) = (&shell.faces()[a.face], &shell.faces()[b.face]);
        let from = [a.weighted(on_a), b.weighted(on_b)];
        let at = common_place([&f.surface, &g.surface], from, EXACT * size)?;
        let inside = Outline::of(f).holds(at.uv[0]) && Outline::of(g).holds(at.uv[1]);
        // Where they share an edge they meet by right.
        let shared = || {
            edges_of(f).intersection(&edges_of(g)).any(|e| {
                let edge = shell.edge(*e);
                let near = (SAME * size).max(2.0 * edge.tolerance);
                edge.curve.as_ref().is_some_and(|c| closest_on_curve(c, &at.point).distance <= near)
            })
        };
        (inside && !(a.face != b.face && shared())).then_some(at.point)
    };
    let found: Vec<Point3> = (0..triangles.len())
        .into_par_iter()
        .flat_map_iter(shared_work(|i: usize| {
            let others = tree.meeting(&boxes[i]).into_iter().filter(move |&j| j > i);
            others.filter_map(|j| crosses(i, j)).collect::<Vec<_>>()
        }))
        .collect();
    let mut told: Vec<Point3> = Vec::new();
    for p in found {
        if told.len() < MOST && told.iter().all(|q| (p - q).norm() > 0.02 * size) {
            told.push(p);
        }
    }
    told
}

fn edges_of(face: &Face) -> BTreeSet<EdgeId> {
    face.loops.iter().flat_map(|l| &l.edges).map(|u| u.edge).collect()
}

/// A place at which two triangles cross, as weights of the corners of both.
fn triangles_cross(a: &[Point3; 3], b: &[Point3; 3]) -> Option<([f64; 3], [f64; 3])> {
    for k in 0..3 {
        if let Some((t, weights)) = side_through(a[k], a[(k + 1) % 3], b) {
            return Some((on_side(k, t), weights));
        }
        if let Some((t, weights)) = side_through(b[k], b[(k + 1) % 3], a) {
            return Some((weights, on_side(k, t)));
        }
    }
    None
}

fn on_side(k: usize, t: f64) -> [f64; 3] {
    let mut out = [0.0; 3];
    (out[k], out[(k + 1) % 3]) = (1.0 - t, t);
    out
}

/// Where a side passes through a triangle: the share of the side and the weights of the corners.
fn side_through(p: Point3, q: Point3, triangle: &[Point3; 3]) -> Option<(f64, [f64; 3])> {
    let [a, b, c] = triangle;
    let (u, v, w) = (b - a, c - a, p - q);
    let system = Matrix3::from_columns(&[u, v, w]);
    // In the plane of the triangle it lies beside it, or the next pair tells.
    if system.determinant().abs() <= 1e-6 * u.norm() * v.norm() * w.norm() {
        return None;
    }
    let x = system.lu().solve(&(p - a))?;
    let inside = x[0] >= 0.0 && x[1] >= 0.0 && x[0] + x[1] <= 1.0 && (0.0..=1.0).contains(&x[2]);
    inside.then(|| (x[2], [1.0 - x[0] - x[1], x[0], x[1]]))
}

/// A place of two surfaces, or of one at two parameters.
struct Common {
    point: Point3,
    uv: [[f64; 2]; 2],
}

/// Newton's method, with the shortest steps, for a place that both surfaces have, where they cross at an angle.
fn common_place(surfaces: [&NurbsSurface; 2], mut at: [[f64; 2]; 2], resolution: f64) -> Option<Common> {
    let domains: [[Domain; 2]; 2] = surfaces.map(|s| s.domain().into());
    for _ in 0..MAX_NEWTON_STEPS {
        let [(p, pu, pv), (q, qu, qv)] = [0, 1].map(|k| surfaces[k].tangents(at[k][0], at[k][1]));
        let apart: Vector3 = p - q;
        if apart.norm() <= resolution {
            let (m, n) = (pu.cross(&pv).try_normalize(0.0)?, qu.cross(&qv).try_normalize(0.0)?);
            // A place of one surface is common to itself.
            let twice = (0..2).any(|k| (at[0][k] - at[1][k]).abs() > 1e-3 * domains[0][k].length());
            let own = std::ptr::eq(surfaces[0], surfaces[1]) && !twice;
            let crossing = m.cross(&n).norm() > LEVEL && !own;
            return crossing.then_some(Common { point: p, uv: at });
        }
        let slope = Matrix3x4::from_columns(&[pu, pv, -qu, -qv]);
        let step: SVector<f64, 4> = slope.svd(true, true).solve(&apart, 1e-12 * slope.norm()).ok()?;
        for k in 0..4 {
            let value = &mut at[k / 2][k % 2];
            *value = domains[k / 2][k % 2].clamp(*value - step[k]);
        }
    }
    None
}
