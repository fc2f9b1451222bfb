//! Openings of a shell closed by a part of a given surface.

use std::sync::Arc;

use geometry::{
    Domain, EndDerivatives, NurbsCurve, NurbsSurface, Point3, Tolerance, closest_on_surface, interpolate,
};

use crate::bounded::faces_inside;
use crate::flat::free_runs;
use crate::join::agreeing;
use crate::{EdgeId, OrientedEdge, Shell, TopologyError};

/// Samples of a parameter curve, at first and at most.
const SAMPLES: [usize; 2] = [16, 512];
/// Share of the join tolerance within which a parameter curve follows its edge.
const FOLLOWS: f64 = 0.1;

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
        bounds.push((edges, outline));
    }
    let mut faces = shell.faces().to_vec();
    faces.extend(faces_inside(surface, &bounds, role));
    agreeing(Shell::try_new(shell.vertices().to_vec(), shell.edges().to_vec(), faces)?)
}

fn lies_on(shell: &Shell, edge: EdgeId, surface: &NurbsSurface, tolerance: &Tolerance) -> bool {
    shell.edge(edge).curve.as_ref().is_none_or(|curve| {
        let places = curve.knots().sampled(2).into_iter();
        places.map(|t| closest_on_surface(surface, &curve.point(t)).distance).all(|d| d <= tolerance.join)
    })
}

/// A curve that lies on a surface, in its parameter plane, by its own parameter.
///
/// # Errors
/// `AcrossSeam` for one that runs over the place where a closed surface begins.
pub fn pcurve_on(
    curve: &NurbsCurve,
    surface: &NurbsSurface,
    tolerance: &Tolerance,
) -> Result<NurbsCurve, TopologyError> {
    let d = curve.domain();
    let domains: [Domain; 2] = surface.domain().into();
    let foot = |t: f64| closest_on_surface(surface, &curve.point(t)).parameters;
    let mut count = SAMPLES[0];
    loop {
        let parameters: Vec<f64> = (0..=count).map(|k| d.at(k as f64 / count as f64)).collect();
        let places: Vec<[f64; 2]> = parameters.iter().map(|&t| foot(t)).collect();
        let jump = |w: &[[f64; 2]]| (0..2).any(|k| (w[1][k] - w[0][k]).abs() > 0.5 * domains[k].length());
        if let Some(i) = places.windows(2).position(jump) {
            return Err(TopologyError::AcrossSeam { at: curve.point(parameters[i]).into() });
        }
        let points: Vec<Point3> = places.iter().map(|p| Point3::new(p[0], p[1], 0.0)).collect();
        let fitted = interpolate(&points, &parameters, 3, &EndDerivatives::free())?;
        let off = |t: f64| {
            let p = fitted.point(t);
            (surface.point(p.x, p.y) - curve.point(t)).norm()
        };
        let worst = parameters.windows(2).map(|w| off(0.5 * (w[0] + w[1]))).fold(0.0, f64::max);
        if worst <= FOLLOWS * tolerance.join || count >= SAMPLES[1] {
            return Ok(fitted);
        }
        count *= 2;
    }
}
