use std::sync::Arc;

use geometry::{Domain, GeometryError, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance};

use crate::{Edge, EdgeId, Face, Loop, OrientedEdge, Shell, TopologyError, Vertex, VertexId};

/// The straight curve over `domain` between two places of a parameter plane.
///
/// # Errors
/// `KnotOrder` for a domain of no length.
pub fn straight_pcurve(domain: Domain, from: [f64; 2], to: [f64; 2]) -> Result<NurbsCurve, GeometryError> {
    let knots = KnotVector::try_new(1, vec![domain.start, domain.start, domain.end, domain.end])?;
    NurbsCurve::try_new(knots, &[Point3::new(from[0], from[1], 0.0), Point3::new(to[0], to[1], 0.0)], None)
}

/// A shell of one face that covers all of a surface. Where the surface closes on itself the face has a seam, an edge
/// used twice; where a border shrinks to a point, a pole.
///
/// # Errors
/// Only for a surface whose domain has no length.
pub fn natural_shell(
    surface: Arc<NurbsSurface>,
    role: &str,
    tolerance: &Tolerance,
) -> Result<Shell, TopologyError> {
    let (u, v) = surface.domain();
    // Bottom, right, top, left: each with its curve, and where it runs in the parameter plane.
    let borders = [
        (surface.curve_at_v(v.start), [u.start, v.start], [u.end, v.start]),
        (surface.curve_at_u(u.end), [u.end, v.start], [u.end, v.end]),
        (surface.curve_at_v(v.end), [u.start, v.end], [u.end, v.end]),
        (surface.curve_at_u(u.start), [u.start, v.start], [u.start, v.end]),
    ];
    let resolution = tolerance.resolution;
    let closed = surface.closes(resolution);
    let pole = [0, 1, 2, 3].map(|k: usize| borders[k].0.is_point(resolution));
    // Corners 0 to 3 stand at (u0, v0), (u1, v0), (u1, v1), (u0, v1).
    let mut corner = [0, 1, 2, 3];
    let mut unite = |a: usize, b: usize| {
        let (low, high) = (corner[a].min(corner[b]), corner[a].max(corner[b]));
        corner.iter_mut().filter(|c| **c == high).for_each(|c| *c = low);
    };
    for (k, [a, b]) in [[0, 1], [1, 2], [3, 2], [0, 3]].into_iter().enumerate() {
        if pole[k] || (k % 2 == 0 && closed[0]) || (k % 2 == 1 && closed[1]) {
            unite(a, b);
        }
    }
    let places = [borders[0].0.start(), borders[0].0.end(), borders[2].0.end(), borders[2].0.start()];
    let mut vertices: Vec<Vertex> = Vec::new();
    let mut number = [VertexId(0); 4];
    for k in 0..4 {
        if corner[k] == k {
            number[k] = VertexId(vertices.len() as u32);
            vertices.push(Vertex { point: places[k] });
        } else {
            number[k] = number[corner[k]];
        }
    }
    let mut edges: Vec<Edge> = Vec::new();
    let mut ids = [EdgeId(0); 4];
    for (k, [a, b]) in [[0, 1], [1, 2], [3, 2], [0, 3]].into_iter().enumerate() {
        // The seam is one edge: the top is the bottom again, the left side the right one.
        let twin = match k {
            2 if closed[1] => Some(0),
            3 if closed[0] => Some(1),
            _ => None,
        };
        ids[k] = match twin {
            Some(first) => ids[first],
            None => {
                let curve = (!pole[k]).then(|| borders[k].0.clone());
                edges.push(Edge { curve, start: number[a], end: number[b], tolerance: 2.0 * resolution });
                EdgeId(edges.len() as u32 - 1)
            }
        };
    }
    let used = [(0, true), (1, true), (2, false), (3, false)].map(|(k, forward)| {
        let (curve, from, to) = &borders[k];
        Ok(OrientedEdge { edge: ids[k], forward, pcurve: straight_pcurve(curve.domain(), *from, *to)? })
    });
    let loops = vec![Loop { edges: used.into_iter().collect::<Result<_, GeometryError>>()? }];
    let face = Face { surface, loops, reversed: false, role: role.into() };
    Shell::try_new(vertices, edges, vec![face])
}
