//! Flat faces before their borders are rounded: those of one plane that are parted by seams are made one again, so that there are
//! no seams to follow, and those whose parameters run together somewhere get a plane's own, which go on anywhere.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use geometry::{Domain, Frame, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3};
use topology::{EdgeId, Face, Loop, OrientedEdge, Shell, VertexId};

use super::Picked;
use crate::SurfacingError;
use crate::halves::{Half, Halves};

/// Share of its size by which the plane of a face reaches beyond it.
const MARGIN: f64 = 0.1;
/// Share of its rates by which a flat surface's may change where its parameters are even.
const EVEN: f64 = 1e-6;

/// A shell in which flat faces beside the ends of what is rounded have even parameters, with the picked edges in it; `None` where
/// all have.
///
/// # Errors
/// Those of a shell that cannot be put together.
pub(super) fn with_even_planes(
    halves: &Halves<'_>,
    edges: &Picked,
    rounded: &BTreeSet<EdgeId>,
    tolerance: &Tolerance,
) -> Result<Option<(Shell, Picked)>, SurfacingError> {
    let shell = halves.shell;
    let ends = ends_of(shell, rounded.iter());
    let beside = |half: &&Half| {
        let edge = shell.edge(half.edge);
        ends.contains(&edge.start) || ends.contains(&edge.end)
    };
    let beside: BTreeSet<usize> = halves.all.iter().filter(beside).map(|h| h.face).collect();
    let mut faces = shell.faces().to_vec();
    let mut any = false;
    for f in beside {
        let uneven = plane_of(&faces[f], tolerance).filter(|_| !is_even(&faces[f].surface));
        if let Some(plane) = uneven {
            faces[f] = joined(halves, &[f], &plane)?;
            any = true;
        }
    }
    any.then(|| put_together(shell, edges, faces)).transpose()
}

/// Whether parameters run alike everywhere on a flat surface.
fn is_even(surface: &NurbsSurface) -> bool {
    let (u, v) = surface.domain();
    let rates = |u: f64, v: f64| {
        let (_, along, across) = surface.tangents(u, v);
        [along, across]
    };
    let middle = rates(u.at(0.5), v.at(0.5));
    let corners = [(u.start, v.start), (u.end, v.start), (u.start, v.end), (u.end, v.end)];
    corners.iter().all(|&(u, v)| {
        let here = rates(u, v);
        (0..2).all(|k| (here[k] - middle[k]).norm() <= EVEN * middle[k].norm())
    })
}

fn ends_of<'e>(shell: &Shell, edges: impl Iterator<Item = &'e EdgeId>) -> BTreeSet<VertexId> {
    edges.flat_map(|&e| [shell.edge(e).start, shell.edge(e).end]).collect()
}

/// Faces as a shell, with the numbers that edges have in it.
fn put_together(shell: &Shell, edges: &Picked, faces: Vec<Face>) -> Result<(Shell, Picked), SurfacingError> {
    let kept: BTreeSet<EdgeId> =
        faces.iter().flat_map(|f| &f.loops).flat_map(|l| &l.edges).map(|e| e.edge).collect();
    let numbers: BTreeMap<EdgeId, EdgeId> =
        kept.iter().enumerate().map(|(k, was)| (*was, EdgeId(k as u32))).collect();
    let shell = Shell::of_used(shell.vertices(), shell.edges(), faces)?;
    Ok((shell, edges.iter().filter_map(|(e, size)| Some((*numbers.get(e)?, *size))).collect()))
}

/// A shell whose faces of one plane are one where a seam between them ends at one of the edges, with those edges in it;
/// `None` where there are none.
///
/// # Errors
/// Those of a shell that cannot be put together.
pub(super) fn with_planes_joined(
    shell: &Shell,
    edges: &Picked,
    tolerance: &Tolerance,
) -> Result<Option<(Shell, Picked)>, SurfacingError> {
    let planes: Vec<Option<Frame>> = shell.faces().iter().map(|f| plane_of(f, tolerance)).collect();
    let halves = Halves::new(shell);
    let ends = ends_of(shell, edges.keys());
    let mut group: Vec<usize> = (0..shell.faces().len()).collect();
    for (h, half) in halves.all.iter().enumerate() {
        let edge = shell.edge(half.edge);
        let Some(twin) = half.twin.filter(|t| *t > h && !edges.contains_key(&half.edge)) else { continue };
        let (a, b) = (half.face, halves.all[twin].face);
        let at_edge = ends.contains(&edge.start) || ends.contains(&edge.end);
        let one_plane = planes[a].as_ref().zip(planes[b].as_ref()).is_some_and(|(p, q)| {
            p.z.dot(&q.z) > 0.0
                && shell.faces()[b].loops.iter().flat_map(|l| &l.edges).all(|e| {
                    let curve = shell.edge(e.edge).curve.as_ref();
                    curve.is_none_or(|c| is_in(p, c, tolerance))
                })
        });
        if at_edge && one_plane && group[a] != group[b] {
            let (from, to) = (group[a].max(group[b]), group[a].min(group[b]));
            group.iter_mut().filter(|g| **g == from).for_each(|g| *g = to);
        }
    }
    let mut members: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (face, group) in group.iter().enumerate() {
        members.entry(*group).or_default().push(face);
    }
    if members.values().all(|faces| faces.len() < 2) {
        return Ok(None);
    }
    let mut faces: Vec<Face> = Vec::new();
    for (first, own) in &members {
        match (&own[..], &planes[*first]) {
            ([_, _, ..], Some(plane)) => faces.push(joined(&halves, own, plane)?),
            _ => faces.push(shell.faces()[*first].clone()),
        }
    }
    put_together(shell, edges, faces).map(Some)
}

fn is_in(plane: &Frame, curve: &NurbsCurve, tolerance: &Tolerance) -> bool {
    curve.control_points().iter().all(|p| plane.coordinates(p).z.abs() <= tolerance.resolution)
}

/// The plane of a flat face, its normal to the outer side.
fn plane_of(face: &Face, tolerance: &Tolerance) -> Option<Frame> {
    let (u, v) = face.surface.domain();
    let (at, along, across) = face.surface.tangents(u.at(0.5), v.at(0.5));
    let normal = along.cross(&across).try_normalize(f64::MIN_POSITIVE)?;
    let frame = Frame::new(at, along, if face.reversed { -across } else { across })?;
    let flat = |p: Point3| (p - at).dot(&normal).abs() <= tolerance.resolution;
    face.surface.control_points().into_iter().all(flat).then_some(frame)
}

/// Faces of a plane as one, with the role of the first.
fn joined(halves: &Halves<'_>, faces: &[usize], plane: &Frame) -> Result<Face, SurfacingError> {
    let shell = halves.shell;
    let own = |h: usize| faces.contains(&halves.all[h].face);
    let seam = |h: usize| own(h) && halves.all[h].twin.is_some_and(own);
    let mut done: BTreeSet<usize> = BTreeSet::new();
    let mut loops: Vec<(f64, Loop)> = Vec::new();
    let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
    for first in (0..halves.all.len()).filter(|&h| own(h) && !seam(h)) {
        let mut edges = Vec::new();
        let mut at = first;
        while done.insert(at) {
            let half = &halves.all[at];
            let image = |c: &NurbsCurve| {
                c.mapped(|p| {
                    let d = plane.coordinates(p);
                    Point3::new(d.x, d.y, 0.0)
                })
            };
            // What was a pole of one of them is but a corner of the whole.
            if let Some(pcurve) = shell.edge(half.edge).curve.as_ref().map(image) {
                let (from, to) = pcurve.control_bounds();
                for k in 0..2 {
                    (low[k], high[k]) = (low[k].min(from[k]), high[k].max(to[k]));
                }
                edges.push(OrientedEdge { edge: half.edge, forward: half.forward, pcurve });
            }
            at = half.next;
            // Across a seam, on along the border of the face beyond it.
            while let Some(twin) = halves.all[at].twin.filter(|_| seam(at)) {
                at = halves.all[twin].next;
            }
        }
        if !edges.is_empty() {
            loops.push((area(&edges), Loop { edges }));
        }
    }
    // The outer one goes round to the left, and is the first.
    loops.sort_by(|a, b| b.0.total_cmp(&a.0));
    let surface = over(plane, low, high)?;
    let role = shell.faces()[faces[0]].role.clone();
    let loops = loops.into_iter().map(|l| l.1).collect();
    Ok(Face { surface: Arc::new(surface), loops, reversed: false, role })
}

/// Faces in groups of those that lie in one plane, the same side out.
pub(super) fn by_planes(
    shell: &Shell,
    faces: impl IntoIterator<Item = usize>,
    tolerance: &Tolerance,
) -> Vec<Vec<usize>> {
    let mut out: Vec<(Option<Frame>, Vec<usize>)> = Vec::new();
    for number in faces {
        let plane = plane_of(&shell.faces()[number], tolerance);
        let curves = shell.faces()[number].loops.iter().flat_map(|l| &l.edges);
        let curves: Vec<&NurbsCurve> = curves.filter_map(|u| shell.edge(u.edge).curve.as_ref()).collect();
        let same = out.iter_mut().find(|(known, _)| {
            known
                .as_ref()
                .zip(plane.as_ref())
                .is_some_and(|(p, q)| p.z.dot(&q.z) > 0.0 && curves.iter().all(|c| is_in(p, c, tolerance)))
        });
        match same {
            Some((_, group)) => group.push(number),
            None => out.push((plane, vec![number])),
        }
    }
    out.into_iter().map(|o| o.1).collect()
}

/// The plane of faces that lie in one, over all of them and by a margin beyond, its normal to their outer side.
///
/// # Errors
/// `Empty` for what is not flat.
pub(super) fn plane_over(
    shell: &Shell,
    faces: &[usize],
    margin: f64,
    tolerance: &Tolerance,
) -> Result<NurbsSurface, SurfacingError> {
    let plane = faces.first().and_then(|f| plane_of(&shell.faces()[*f], tolerance));
    let plane = plane.ok_or(SurfacingError::Empty)?;
    let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
    let uses = faces.iter().flat_map(|f| &shell.faces()[*f].loops).flat_map(|l| &l.edges);
    for point in uses.filter_map(|u| shell.edge(u.edge).curve.as_ref()).flat_map(NurbsCurve::control_points) {
        let at = plane.coordinates(&point);
        for (k, x) in [at.x, at.y].into_iter().enumerate() {
            (low[k], high[k]) = (low[k].min(x - margin), high[k].max(x + margin));
        }
    }
    over(&plane, low, high)
}

/// A plane over a part of its coordinates and somewhat beyond, with those as its parameters.
fn over(plane: &Frame, low: [f64; 2], high: [f64; 2]) -> Result<NurbsSurface, SurfacingError> {
    let margin = [0, 1].map(|k| MARGIN * (high[k] - low[k]));
    let corner = |u: usize, v: usize| {
        let at = [u, v].map(|k| k == 1);
        let [x, y] = [0, 1].map(|k| if at[k] { high[k] + margin[k] } else { low[k] - margin[k] });
        plane.origin + plane.x * x + plane.y * y
    };
    let flat = NurbsSurface::bilinear(corner(0, 0), corner(1, 0), corner(0, 1), corner(1, 1));
    let knots = |k: usize| KnotVector::bezier(1).over(Domain::new(low[k] - margin[k], high[k] + margin[k]));
    Ok(NurbsSurface::from_homogeneous(knots(0), knots(1), flat.homogeneous().to_vec())?)
}

/// A flat face inside edges that lie in a plane; they go round to the left as the face's outer side is seen.
pub(super) fn facet(edges: &[(EdgeId, bool, NurbsCurve)], role: &str) -> Result<Face, SurfacingError> {
    /// Places of an edge by which the plane is told.
    const PLACES: usize = 8;
    let run = |(_, forward, curve): &(EdgeId, bool, NurbsCurve)| {
        let (d, forward, curve) = (curve.domain(), *forward, curve.clone());
        (0..PLACES).map(move |k| {
            let share = k as f64 / PLACES as f64;
            curve.point(d.at(if forward { share } else { 1.0 - share }))
        })
    };
    let places: Vec<Point3> = edges.iter().flat_map(run).collect();
    let flat = |p: &Point3, q: &Point3| (p - places[0]).cross(&(q - places[0]));
    let area: Vector3 = places.windows(2).map(|w| flat(&w[0], &w[1])).sum();
    let plane = Frame::square_to(places[0], area).ok_or(SurfacingError::Empty)?;
    let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
    let mut used = Vec::with_capacity(edges.len());
    for (edge, forward, curve) in edges {
        let pcurve = curve.mapped(|p| plane.coordinates(p).xy().push(0.0).into());
        let (from, to) = pcurve.control_bounds();
        for k in 0..2 {
            (low[k], high[k]) = (low[k].min(from[k]), high[k].max(to[k]));
        }
        used.push(OrientedEdge { edge: *edge, forward: *forward, pcurve });
    }
    let surface = Arc::new(over(&plane, low, high)?);
    Ok(Face { surface, loops: vec![Loop { edges: used }], reversed: false, role: role.to_owned() })
}

/// Twice the area that a loop goes round, about; negative where it goes round to the right.
pub(super) fn area(edges: &[OrientedEdge]) -> f64 {
    /// Places of an edge.
    const PLACES: usize = 16;
    let points = edges.iter().flat_map(|e| {
        let d = e.pcurve.domain();
        (0..PLACES).map(move |k| {
            let share = k as f64 / PLACES as f64;
            e.pcurve.point(d.at(if e.forward { share } else { 1.0 - share }))
        })
    });
    let points: Vec<Point3> = points.collect();
    let next = points.iter().cycle().skip(1);
    points.iter().zip(next).map(|(p, q)| p.x * q.y - p.y * q.x).sum()
}
