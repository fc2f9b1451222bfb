//! Flat faces: inside outlines, and over the planar openings of a shell.

use std::sync::Arc;

use geometry::{
    Frame, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, flatten, polygon_area, polygon_holds,
};

use crate::bounded::rings;
use crate::join::agreeing;
use crate::{Edge, EdgeId, Face, Loop, OrientedEdge, Shell, TopologyError, free_edges};

/// A run of free edges that closes, with the direction in which a new face would use each.
#[derive(Clone)]
struct Opening {
    edges: Vec<(EdgeId, bool)>,
    outline: Vec<Point3>,
    frame: Frame,
}

impl Opening {
    /// The same run the other way round.
    fn reversed(&self) -> Self {
        let edges = self.edges.iter().rev().map(|&(edge, forward)| (edge, !forward)).collect();
        Self { edges, ..self.clone() }
    }
}

/// Closes every planar opening with a flat face, openings within another one left open as holes; `role` names each by
/// its number, counted from 1. Openings that are not planar within `tolerance` mm stay open.
///
/// # Errors
/// What keeps the result from being a shell.
pub fn capped(
    shell: Shell,
    tolerance: &Tolerance,
    role: impl Fn(usize) -> String,
) -> Result<Shell, TopologyError> {
    let openings = openings(&shell, tolerance);
    let mut faces = shell.faces().to_vec();
    let level = |a: &Opening, b: &Opening| {
        b.frame.coordinates(&a.frame.origin).z.abs() <= tolerance.join
            && a.frame.z.dot(&b.frame.z).abs() > 1.0 - 1e-9
    };
    let holds = |j: usize, i: usize| {
        let (outer, inner) = (&openings[j], &openings[i]);
        j != i
            && level(inner, outer)
            && polygon_holds(&flat(&outer.frame, &outer.outline), &flat(&outer.frame, &inner.outline)[0])
    };
    for (number, (outer, holes)) in nested(openings.len(), holds).into_iter().enumerate() {
        let outer = &openings[outer];
        // A hole is run the other way; the faces behind it are turned for that afterwards.
        let holes = holes.into_iter().map(|h| {
            let hole = &openings[h];
            if hole.frame.z.dot(&outer.frame.z) > 0.0 { hole.reversed() } else { hole.clone() }
        });
        let bounds: Vec<Opening> = std::iter::once(outer.clone()).chain(holes).collect();
        faces.push(flat_face(shell.edges(), &bounds, role(number + 1))?);
    }
    agreeing(Shell::try_new(shell.vertices().to_vec(), shell.edges().to_vec(), faces)?)
}

/// Outlines that bound something with those that are holes in it: an even number of others holds each outer one.
pub(crate) fn nested(count: usize, holds: impl Fn(usize, usize) -> bool) -> Vec<(usize, Vec<usize>)> {
    let depth: Vec<usize> = (0..count).map(|i| (0..count).filter(|&j| holds(j, i)).count()).collect();
    let holes = |i: usize| (0..count).filter(|&j| depth[j] == depth[i] + 1 && holds(i, j)).collect();
    (0..count).filter(|&i| depth[i].is_multiple_of(2)).map(|i| (i, holes(i))).collect()
}

fn flat(frame: &Frame, outline: &[Point3]) -> Vec<[f64; 2]> {
    outline.iter().map(|p| frame.flattened(p).into()).collect()
}

fn openings(shell: &Shell, tolerance: &Tolerance) -> Vec<Opening> {
    free_runs(shell).into_iter().filter_map(|run| opening(shell, run, tolerance)).collect()
}

/// Closed runs of free edges, each edge with the direction in which a new face would use it.
pub(crate) fn free_runs(shell: &Shell) -> Vec<Vec<(EdgeId, bool)>> {
    // A new face uses each free edge the other way than the one that has it.
    let mut ways: Vec<(EdgeId, bool)> = Vec::new();
    let free = free_edges(shell);
    for face in shell.faces() {
        for used in face.loops.iter().flat_map(|l| &l.edges) {
            if free.contains(&used.edge) {
                ways.push((used.edge, used.forward == face.reversed));
            }
        }
    }
    let ends = |(edge, forward): (EdgeId, bool)| {
        let e = shell.edge(edge);
        if forward { [e.start, e.end] } else { [e.end, e.start] }
    };
    let mut out = Vec::new();
    while !ways.is_empty() {
        let mut run = vec![ways.remove(0)];
        while ends(run[run.len() - 1])[1] != ends(run[0])[0] {
            let last = ends(run[run.len() - 1])[1];
            let Some(next) = ways.iter().position(|&w| ends(w)[0] == last) else { break };
            run.push(ways.remove(next));
        }
        if ends(run[run.len() - 1])[1] == ends(run[0])[0] {
            out.push(run);
        }
    }
    out
}

/// The opening that a closed run bounds, if it is planar; its frame's z is the side from which the run turns left.
fn opening(shell: &Shell, edges: Vec<(EdgeId, bool)>, tolerance: &Tolerance) -> Option<Opening> {
    let mut outline: Vec<Point3> = Vec::new();
    for &(edge, forward) in &edges {
        let curve = shell.edge(edge).curve.as_ref()?;
        let mut line: Vec<Point3> = flatten(curve, tolerance.join).into_iter().map(|(_, p)| p).collect();
        if !forward {
            line.reverse();
        }
        line.pop();
        outline.extend(line);
    }
    let frame = Frame::of_outline(&outline)?;
    let on_plane = |p: &Point3| frame.coordinates(p).z.abs() <= tolerance.join;
    let curves = edges.iter().filter_map(|(e, _)| shell.edge(*e).curve.as_ref());
    let planar = curves.flat_map(|c| c.control_points()).all(|p| on_plane(&p));
    planar.then_some(Opening { edges, outline, frame })
}

/// Flat faces inside closed runs of curves that lie in the plane of `frame`, which they face; a run within another one is
/// a hole in it, and one within a hole an island.
///
/// # Errors
/// What keeps the result from being a shell.
pub fn flat_faces(
    runs: &[Vec<NurbsCurve>],
    frame: &Frame,
    tolerance: &Tolerance,
    role: impl Fn(usize) -> String,
) -> Result<Shell, TopologyError> {
    let (vertices, edges, ids) = rings(runs.iter().map(|r| r.iter().collect()), tolerance);
    let outlines: Vec<(Vec<Point3>, Vec<EdgeId>, bool)> = runs
        .iter()
        .zip(ids)
        .map(|(run, ids)| {
            let mut outline: Vec<Point3> = Vec::new();
            for curve in run {
                outline.extend(flatten(curve, tolerance.join).into_iter().map(|(_, p)| p));
                outline.pop();
            }
            let left = polygon_area(&flat(frame, &outline)) > 0.0;
            (outline, ids, left)
        })
        .collect();
    let holds = |j: usize, i: usize| {
        j != i && polygon_holds(&flat(frame, &outlines[j].0), &flat(frame, &outlines[i].0)[0])
    };
    let opening = |i: usize, outer: bool| {
        let (outline, ids, left) = &outlines[i];
        let edges = ids.iter().map(|&e| (e, true)).collect();
        let run = Opening { edges, outline: outline.clone(), frame: *frame };
        if *left == outer { run } else { run.reversed() }
    };
    let mut faces = Vec::new();
    for (i, holes) in nested(runs.len(), holds) {
        let bounds: Vec<Opening> =
            std::iter::once(opening(i, true)).chain(holes.into_iter().map(|j| opening(j, false))).collect();
        faces.push(flat_face(&edges, &bounds, role(faces.len() + 1))?);
    }
    Shell::try_new(vertices, edges, faces)
}

fn flat_face(edges_of: &[Edge], bounds: &[Opening], role: String) -> Result<Face, TopologyError> {
    let frame = bounds[0].frame;
    let mut loops = Vec::with_capacity(bounds.len());
    let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
    for opening in bounds {
        let mut edges = Vec::with_capacity(opening.edges.len());
        for &(edge, forward) in &opening.edges {
            let Some(curve) = &edges_of[edge.index()].curve else { continue };
            let pcurve = curve.mapped(|p| {
                let [x, y]: [f64; 2] = frame.flattened(p).into();
                Point3::new(x, y, 0.0)
            });
            for p in pcurve.control_points() {
                for k in 0..2 {
                    (low[k], high[k]) = (low[k].min(p[k]), high[k].max(p[k]));
                }
            }
            edges.push(OrientedEdge { edge, forward, pcurve });
        }
        loops.push(Loop { edges });
    }
    let corner = |x: f64, y: f64| frame.to_space(x, y);
    let surface = NurbsSurface::try_new(
        KnotVector::try_new(1, vec![low[0], low[0], high[0], high[0]])?,
        KnotVector::try_new(1, vec![low[1], low[1], high[1], high[1]])?,
        &[corner(low[0], low[1]), corner(low[0], high[1]), corner(high[0], low[1]), corner(high[0], high[1])],
        None,
    )?;
    Ok(Face { surface: Arc::new(surface), loops, reversed: false, role })
}
