//! Openings of a shell closed by a part of a given surface.

use std::sync::Arc;

use geometry::{
    Domain, EndDerivatives, NurbsCurve, NurbsSurface, Point3, Tolerance, closest_on_surface, closest_within,
    interpolate,
};

use crate::bounded::faces_inside;
use crate::flat::free_runs;
use crate::join::agreeing;
use crate::{EdgeId, OrientedEdge, Shell, TopologyError};

/// Samples of a parameter curve, at first and at most.
const SAMPLES: [usize; 2] = [16, 512];
/// Share of the fit tolerance within which curves follow what they stand for: volumes of what they bound are to be right to 1e-6.
pub(crate) const FINE: f64 = 0.02;
/// Share of the join tolerance within which a parameter curve follows an edge that lies no better, and by what factor twice the
/// samples have to bring it nearer until then.
const FOLLOWS: f64 = 0.1;
const NEARER: f64 = 0.5;

/// Closes every opening whose edges lie on `surface` with the part of it inside them, openings within another one left
/// open as holes; `role` names each by its number, counted from 1.
///
/// # Errors
/// `AcrossSeam` for an opening that runs over the place where a closed surface begins; what keeps the result from being a
/// shell.
pub fn faced(
    shell: Shell,
    surface: &Arc<NurbsSurface>,
    tolerance: &Tolerance,
    role: impl Fn(usize) -> String,
) -> Result<Shell, TopologyError> {
    let mut bounds: Vec<(Vec<OrientedEdge>, Vec<[f64; 2]>)> = Vec::new();
    for run in free_runs(&shell) {
        let on_surface = run.iter().all(|(edge, _)| lies_on(&shell, *edge, surface, tolerance));
        if !on_surface {
            continue;
        }
        let mut edges = Vec::with_capacity(run.len());
        let mut outline: Vec<[f64; 2]> = Vec::new();
        for (edge, forward) in run {
            let Some(curve) = &shell.edge(edge).curve else { continue };
            let pcurve = pcurve_on(curve, surface, tolerance)?;
            let mut line: Vec<[f64; 2]> =
                pcurve.knots().sampled(2).into_iter().map(|t| pcurve.point(t)).map(|p| [p.x, p.y]).collect();
            if !forward {
                line.reverse();
            }
            line.pop();
            outline.extend(line);
            edges.push(OrientedEdge { edge, forward, pcurve });
        }
        closes_on(surface, &shell, &edges)?;
        bounds.push((edges, outline));
    }
    let mut faces = shell.faces().to_vec();
    faces.extend(faces_inside(surface, &bounds, role));
    agreeing(Shell::try_new(shell.vertices().to_vec(), shell.edges().to_vec(), faces)?)
}

/// Refuses an outline that closes in space but not in the parameter plane, as one about a pole does.
fn closes_on(surface: &NurbsSurface, shell: &Shell, edges: &[OrientedEdge]) -> Result<(), TopologyError> {
    let domains: [Domain; 2] = surface.domain().into();
    let ends = |used: &OrientedEdge| {
        let (a, b) = (used.pcurve.start(), used.pcurve.end());
        if used.forward { [a, b] } else { [b, a] }
    };
    for (k, used) in edges.iter().enumerate() {
        let (end, next) = (ends(used)[1], ends(&edges[(k + 1) % edges.len()])[0]);
        if (0..2).any(|i| (end[i] - next[i]).abs() > 0.5 * domains[i].length()) {
            let vertex = if used.forward { shell.edge(used.edge).end } else { shell.edge(used.edge).start };
            return Err(TopologyError::AcrossSeam { at: shell.vertex(vertex).point.into() });
        }
    }
    Ok(())
}

fn lies_on(shell: &Shell, edge: EdgeId, surface: &NurbsSurface, tolerance: &Tolerance) -> bool {
    shell.edge(edge).curve.as_ref().is_none_or(|curve| {
        let mut places = curve.knots().sampled(2).into_iter();
        places.all(|t| closest_within(surface, &curve.point(t), tolerance.join).is_some())
    })
}

/// A curve that lies on a surface, in its parameter plane, by its own parameter: exact in a plane.
///
/// # Errors
/// `AcrossSeam` for one that runs over the place where a closed surface begins.
pub fn pcurve_on(
    curve: &NurbsCurve,
    surface: &NurbsSurface,
    tolerance: &Tolerance,
) -> Result<NurbsCurve, TopologyError> {
    if let Some(map) = surface.into_parameters() {
        return Ok(curve.transformed(&map));
    }
    let d = curve.domain();
    let mut count = SAMPLES[0];
    let mut before = f64::INFINITY;
    loop {
        let parameters: Vec<f64> = (0..=count).map(|k| d.at(k as f64 / count as f64)).collect();
        let points: Vec<Point3> = parameters.iter().map(|&t| curve.point(t)).collect();
        let places = followed(surface, &points, tolerance)?;
        let points: Vec<Point3> = places.iter().map(|p| Point3::new(p[0], p[1], 0.0)).collect();
        let fitted = interpolate(&points, &parameters, 3, &EndDerivatives::free())?;
        let off = |t: f64| {
            let p = fitted.point(t);
            (surface.point(p.x, p.y) - curve.point(t)).norm()
        };
        let worst = parameters.windows(2).map(|w| off(0.5 * (w[0] + w[1]))).fold(0.0, f64::max);
        let settled = worst <= FOLLOWS * tolerance.join && worst > NEARER * before;
        if worst <= FINE * tolerance.fit || settled || count >= SAMPLES[1] {
            return Ok(fitted);
        }
        before = worst;
        count *= 2;
    }
}

/// The parameters of places in a row on a surface. A place on a seam counts to the side from which the others come; at a pole
/// the parameter that means nothing there is that of the next place.
fn followed(
    surface: &NurbsSurface,
    points: &[Point3],
    tolerance: &Tolerance,
) -> Result<Vec<[f64; 2]>, TopologyError> {
    /// Share of the surface's extent below which it does not move along a parameter: at a pole.
    const STANDS: f64 = 1e-7;
    /// Share of the domain by which a place may lie beyond the seam.
    const BEYOND: f64 = 1e-6;
    let domains: [Domain; 2] = surface.domain().into();
    let closed = surface.closes(tolerance.resolution);
    let mut places: Vec<[f64; 2]> =
        points.iter().map(|p| closest_on_surface(surface, p).parameters).collect();
    let moves = |p: &[f64; 2]| {
        let (_, du, dv) = surface.tangents(p[0], p[1]);
        [du.norm() * domains[0].length(), dv.norm() * domains[1].length()]
    };
    let moving: Vec<[f64; 2]> = places.iter().map(moves).collect();
    let extent = moving.iter().flatten().fold(0.0, |a: f64, b| a.max(*b));
    for k in 0..2 {
        for i in 0..places.len() {
            if moving[i][k] <= STANDS * extent {
                let [next, after] = if i < 2 { [i + 1, i + 2] } else { [i - 1, i - 2] };
                places[i][k] = domains[k].clamp(2.0 * places[next][k] - places[after][k]);
            }
        }
        let (length, middle) = (domains[k].length(), places.len() / 2);
        let unrolled = |value: f64, near: f64| {
            if closed[k] { value - ((value - near) / length).round() * length } else { value }
        };
        for i in middle + 1..places.len() {
            places[i][k] = unrolled(places[i][k], places[i - 1][k]);
        }
        for i in (0..middle).rev() {
            places[i][k] = unrolled(places[i][k], places[i + 1][k]);
        }
        for (i, place) in places.iter_mut().enumerate() {
            let within = domains[k].clamp(place[k]);
            let margin = BEYOND.max(tolerance.fit / moving[i][k].max(tolerance.fit));
            if (within - place[k]).abs() > margin * length {
                return Err(TopologyError::AcrossSeam { at: points[i].into() });
            }
            place[k] = within;
        }
    }
    Ok(places)
}
