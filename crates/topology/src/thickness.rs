//! How thick a solid is under every place of its surface.

use std::collections::BTreeMap;

use geometry::{BoxTree, NurbsSurface, Point3, Vector3, box_of, diagonal, shared_work};
use nalgebra::Matrix3;
use rayon::prelude::*;

use crate::{Body, Face, FaceMesh, Mesh, MeshVertex, PlacedTriangle, Shell};

/// Rounds of dividing at most: what is still too long then stays.
const ROUNDS: usize = 10;
/// How far from a corner, as a share of the way to the middle of a triangle there, it is looked through the body: at an edge itself the
/// way would lie within the face beyond.
const INSIDE: f64 = 0.02;
/// Share of a body's size that is looked at first, and below which nothing is passed through.
const FIRST: f64 = 0.02;
const LEAST: f64 = 1e-6;
/// Steps in which a place is brought from a triangle onto its surface, and share of the way by which it may move then.
const STEPS: usize = 8;
const MOVED: f64 = 0.2;

impl Mesh {
    /// The same with no side of a triangle longer than `longest` mm, for what changes within flat faces too. New corners lie on the
    /// surfaces; each has a position of its own.
    #[must_use]
    pub fn divided(&self, shell: &Shell, longest: f64) -> Self {
        let mut out = self.clone();
        let Self { positions, faces, .. } = &mut out;
        for one in faces {
            let face = shell.face(one.face);
            for _ in 0..ROUNDS {
                if !divide(one, face, positions, longest) {
                    break;
                }
            }
        }
        out
    }
}

/// Parts every triangle of a face with a side that is too long; whether there was one.
fn divide(one: &mut FaceMesh, face: &Face, positions: &mut Vec<Point3>, longest: f64) -> bool {
    let mut middles: BTreeMap<[u32; 2], u32> = BTreeMap::new();
    let mut out = Vec::with_capacity(one.triangles.len());
    for triangle in std::mem::take(&mut one.triangles) {
        let vertices = &mut one.vertices;
        let mut middle = |k: usize| {
            let (i, j) = (triangle[k], triangle[(k + 1) % 3]);
            let [a, b] = [i, j].map(|v| vertices[v as usize]);
            let ends = [a, b].map(|v| positions[v.position as usize]);
            if (ends[1] - ends[0]).norm() <= longest {
                return None;
            }
            Some(*middles.entry([i.min(j), i.max(j)]).or_insert_with(|| {
                let uv = [0, 1].map(|k| 0.5 * (a.uv[k] + b.uv[k]));
                let outer = face.surface.normal(uv[0], uv[1]).map(|n| if face.reversed { -n } else { n });
                positions.push(face.surface.point(uv[0], uv[1]));
                let position = positions.len() as u32 - 1;
                vertices.push(MeshVertex { position, normal: outer.unwrap_or(a.normal), uv });
                vertices.len() as u32 - 1
            }))
        };
        let [a, b, c] = triangle;
        match [middle(0), middle(1), middle(2)] {
            [None, None, None] => out.push(triangle),
            [Some(p), Some(q), Some(r)] => out.extend([[a, p, r], [p, b, q], [r, q, c], [p, q, r]]),
            halves => {
                // From the corner before the first side that is parted.
                let first =
                    (0..3).find(|&k| halves[k].is_some() && halves[(k + 2) % 3].is_none()).unwrap_or(0);
                let [a, b, c] = [0, 1, 2].map(|k| triangle[(first + k) % 3]);
                match (halves[first], halves[(first + 1) % 3]) {
                    (Some(p), Some(q)) => out.extend([[p, b, q], [a, p, q], [a, q, c]]),
                    (Some(p), None) => out.extend([[a, p, c], [p, b, c]]),
                    _ => out.push(triangle),
                }
            }
        }
    }
    one.triangles = out;
    !middles.is_empty()
}

/// The thickness in millimetres of a solid at every corner of meshes of its shells, square to the surface there; face by face as the
/// meshes have them. Nothing for a body that is no solid.
///
/// # Method
/// A ray from the place to the inner side, against the triangles (Moller and Trumbore, Fast, minimum storage ray-triangle intersection,
/// 1997), and from the first one that it leaves the body through brought onto the surface by Newton's method.
#[must_use]
pub fn thicknesses(body: &Body, meshes: &[&Mesh]) -> Vec<Vec<Vec<f64>>> {
    let Body::Solid(_) = body else { return Vec::new() };
    let shells = body.shells();
    let all: Vec<(usize, PlacedTriangle)> = meshes
        .iter()
        .enumerate()
        .flat_map(|(s, mesh)| mesh.placed().into_iter().map(move |t| (s, t)))
        .collect();
    let tree = BoxTree::new(all.iter().enumerate().map(|(i, (_, t))| (box_of(t.at.iter()), i)));
    let size = diagonal(&box_of(meshes.iter().flat_map(|m| &m.positions)));
    let through = Through { shells: &shells, all: &all, tree: &tree, size };
    let of_face = |shell: &Shell, one: &FaceMesh| {
        let face = shell.face(one.face);
        let mut out = vec![0.0; one.vertices.len()];
        for triangle in &one.triangles {
            let corners = triangle.map(|k| one.vertices[k as usize].uv);
            for (k, own) in triangle.iter().zip(&corners) {
                let slot = &mut out[*k as usize];
                if *slot > 0.0 {
                    continue;
                }
                let middle = [0, 1].map(|i| corners.iter().map(|c| c[i]).sum::<f64>() / 3.0);
                let uv = [0, 1].map(|i| own[i] + INSIDE * (middle[i] - own[i]));
                let Some(normal) = face.surface.normal(uv[0], uv[1]) else { continue };
                let inward = if face.reversed { normal } else { -normal };
                *slot = through.from(face.surface.point(uv[0], uv[1]), inward).unwrap_or_default();
            }
        }
        out
    };
    shells
        .iter()
        .zip(meshes)
        .map(|(shell, mesh)| {
            mesh.faces.par_iter().map(shared_work(|one: &FaceMesh| of_face(shell, one))).collect()
        })
        .collect()
}

/// What rays go through.
struct Through<'a> {
    shells: &'a [&'a Shell],
    all: &'a [(usize, PlacedTriangle)],
    tree: &'a BoxTree,
    size: f64,
}

impl Through<'_> {
    /// How far it is from a place to where a ray first leaves the body.
    fn from(&self, at: Point3, way: Vector3) -> Option<f64> {
        let (mut begin, mut end) = (0.0, FIRST * self.size);
        let mut nearest = f64::MAX;
        while begin < self.size {
            let ends = [at + way * begin, at + way * end];
            let met =
                self.tree.meeting(&box_of(ends.iter())).into_iter().filter_map(|i| self.leaves(i, at, way));
            nearest = met.fold(nearest, f64::min);
            // What lies beyond may have something nearer before it.
            if nearest <= end {
                return Some(nearest);
            }
            (begin, end) = (end, 2.0 * end);
        }
        (nearest < f64::MAX).then_some(nearest)
    }

    /// Where a ray leaves the body through a triangle, if it does.
    fn leaves(&self, number: usize, at: Point3, way: Vector3) -> Option<f64> {
        let (shell, triangle) = &self.all[number];
        let (far, weights) = ray_meets(at, way, &triangle.at)?;
        let face = self.shells[*shell].face(crate::FaceId(triangle.face as u32));
        let uv = triangle.weighted(weights);
        let on = onto(&face.surface, at, way, (uv, far), MOVED * far + LEAST * self.size);
        let far = on.unwrap_or(far);
        let [a, b, c] = triangle.at;
        let is_out = (b - a).cross(&(c - a)).dot(&way) > 0.0;
        (is_out && far > LEAST * self.size).then_some(far)
    }
}

/// How far along a ray it meets a triangle, and the weights of the triangle's corners there.
fn ray_meets(at: Point3, way: Vector3, [a, b, c]: &[Point3; 3]) -> Option<(f64, [f64; 3])> {
    /// Share of a triangle beyond its sides that counts to it, so that nothing slips through between two.
    const BESIDE: f64 = 1e-9;
    let (ab, ac) = (b - a, c - a);
    let across = way.cross(&ac);
    let area = ab.dot(&across);
    if area == 0.0 {
        return None;
    }
    let from = at - a;
    let v = from.dot(&across) / area;
    let turned = from.cross(&ab);
    let w = way.dot(&turned) / area;
    let far = ac.dot(&turned) / area;
    let holds = v >= -BESIDE && w >= -BESIDE && v + w <= 1.0 + BESIDE;
    (holds && far >= 0.0).then_some((far, [1.0 - v - w, v, w]))
}

/// How far along a ray it meets a surface near a place told by its parameters and the way there.
fn onto(
    surface: &NurbsSurface,
    at: Point3,
    way: Vector3,
    (mut uv, far): ([f64; 2], f64),
    most: f64,
) -> Option<f64> {
    let (du, dv) = surface.domain();
    let mut t = far;
    for _ in 0..STEPS {
        let (point, u, v) = surface.tangents(uv[0], uv[1]);
        let off = at + way * t - point;
        let step = Matrix3::from_columns(&[u, v, -way]).lu().solve(&off)?;
        uv = [du.clamp(uv[0] + step.x), dv.clamp(uv[1] + step.y)];
        t += step.z;
        if off.norm() <= 1e-9 * (1.0 + far) {
            return ((t - far).abs() <= most).then_some(t);
        }
    }
    None
}
