//! A face that is a part of a surface inside given runs of curves.

use std::sync::Arc;

use geometry::{NurbsCurve, NurbsSurface, Tolerance, polygon_area, polygon_holds};

use crate::flat::nested;
use crate::{Edge, EdgeId, Face, Loop, OrientedEdge, Shell, TopologyError, Vertex, VertexId};

/// Places at which an edge is held against the surface.
const COMPARED: usize = 32;

/// A piece of a face's boundary.
#[derive(Debug, Clone, PartialEq)]
pub struct Bounding {
    /// In space.
    pub curve: NurbsCurve,
    /// In the surface's parameter plane, by the same parameter.
    pub pcurve: NurbsCurve,
}

/// Vertices and edges of runs of curves, each run closed, with the edges' numbers run by run.
pub(crate) fn rings<'a>(
    runs: impl Iterator<Item = Vec<&'a NurbsCurve>>,
    tolerance: &Tolerance,
) -> (Vec<Vertex>, Vec<Edge>, Vec<Vec<EdgeId>>) {
    let (mut vertices, mut edges, mut ids) = (Vec::new(), Vec::new(), Vec::new());
    for run in runs {
        let (first, base) = (vertices.len() as u32, edges.len() as u32);
        for (k, curve) in run.iter().enumerate() {
            vertices.push(Vertex { point: curve.start() });
            let next = (k + 1) % run.len();
            let gap = (curve.end() - run[next].start()).norm();
            let (start, end) = (VertexId(first + k as u32), VertexId(first + next as u32));
            let tolerance = gap.max(2.0 * tolerance.resolution);
            edges.push(Edge { curve: Some((*curve).clone()), start, end, tolerance });
        }
        ids.push((0..run.len() as u32).map(|k| EdgeId(base + k)).collect());
    }
    (vertices, edges, ids)
}

/// A shell of the parts of a surface inside closed runs; a run within another one is a hole in it. Each edge's tolerance is
/// what was measured between it and the surface.
///
/// # Errors
/// What keeps the result from being a shell.
pub fn bounded_shell(
    surface: &Arc<NurbsSurface>,
    runs: &[Vec<Bounding>],
    role: &str,
    tolerance: &Tolerance,
) -> Result<Shell, TopologyError> {
    let (vertices, mut edges, ids) =
        rings(runs.iter().map(|r| r.iter().map(|b| &b.curve).collect()), tolerance);
    for (bounding, id) in runs.iter().flatten().zip(ids.iter().flatten()) {
        let d = bounding.curve.domain();
        let off = |k: usize| {
            let t = d.at(k as f64 / COMPARED as f64);
            let p = bounding.pcurve.point(t);
            (surface.point(p.x, p.y) - bounding.curve.point(t)).norm()
        };
        let edge = &mut edges[id.index()];
        edge.tolerance = (0..=COMPARED).map(off).fold(edge.tolerance, f64::max);
    }
    let bounds = runs.iter().zip(&ids).map(|(run, ids)| {
        let uses = run.iter().zip(ids);
        let uses = uses.map(|(b, &edge)| OrientedEdge { edge, forward: true, pcurve: b.pcurve.clone() });
        (uses.collect(), outline(run))
    });
    let name = |k: usize| if k == 1 { role.to_string() } else { format!("{role} {k}") };
    Shell::try_new(vertices, edges, faces_inside(surface, &bounds.collect::<Vec<_>>(), name))
}

/// Faces of the parts of a surface inside closed runs of edges, each run with its polygon in the parameter plane; one within
/// another is a hole in it. `role` names each by its number, counted from 1.
pub(crate) fn faces_inside(
    surface: &Arc<NurbsSurface>,
    bounds: &[(Vec<OrientedEdge>, Vec<[f64; 2]>)],
    role: impl Fn(usize) -> String,
) -> Vec<Face> {
    let turned = |i: usize, anticlockwise: bool| {
        let (edges, outline) = &bounds[i];
        let mut edges = edges.clone();
        if (polygon_area(outline) > 0.0) != anticlockwise {
            edges.reverse();
            edges.iter_mut().for_each(|e| e.forward = !e.forward);
        }
        Loop { edges }
    };
    let holds = |j: usize, i: usize| j != i && polygon_holds(&bounds[j].1, &bounds[i].1[0]);
    let face = |(k, (outer, holes)): (usize, (usize, Vec<usize>))| Face {
        surface: Arc::clone(surface),
        loops: std::iter::once(turned(outer, true))
            .chain(holes.into_iter().map(|h| turned(h, false)))
            .collect(),
        reversed: false,
        role: role(k + 1),
    };
    nested(bounds.len(), holds).into_iter().enumerate().map(face).collect()
}

/// A run in the parameter plane, as a polygon.
pub(crate) fn outline(run: &[Bounding]) -> Vec<[f64; 2]> {
    let mut out = Vec::new();
    for b in run {
        let places = b.pcurve.knots().sampled(8);
        out.extend(places[..places.len() - 1].iter().map(|&t| b.pcurve.point(t)).map(|p| [p.x, p.y]));
    }
    out
}
