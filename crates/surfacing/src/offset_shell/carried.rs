//! A shell's topology carried over to other surfaces with the same parameters.

use std::sync::Arc;

use geometry::{Domain, NurbsCurve, NurbsSurface, Tolerance, fit_function};
use topology::{Edge, EdgeId, Face, Shell, Vertex};

use super::{Joints, Kind, OffsetShell};
use crate::SurfacingError;

/// Places along an edge at which the other face's distance from it is measured.
const MEASURED: usize = 16;

/// The shell with other surfaces in the place of its own, whose parameter curves stay as they are.
pub(super) fn carried(
    shell: &Shell,
    surfaces: Vec<Arc<NurbsSurface>>,
    joints: &Joints,
    tolerance: &Tolerance,
) -> Result<OffsetShell, SurfacingError> {
    let mut vertices: Vec<Vertex> = shell.vertices().to_vec();
    let mut edges: Vec<Edge> = shell.edges().to_vec();
    let mut free = Vec::new();
    for (e, edge) in edges.iter_mut().enumerate() {
        let users = joints.users[e].iter().map(|&(f, l, k)| (f, &shell.faces()[f].loops[l].edges[k]));
        let users: Vec<_> = users.collect();
        let Some((first, used)) = users.first() else { continue };
        if edge.curve.is_none() {
            let d = used.pcurve.domain();
            let place = |k: usize| {
                let p = used.pcurve.point(d.at(k as f64 / MEASURED as f64));
                surfaces[*first].point(p.x, p.y)
            };
            let tip = place(0);
            // The tip of a cone opens when it is offset, to a circle whose ends are one place; that of a dome stays one.
            if (1..=MEASURED).any(|k| (place(k) - tip).norm() > tolerance.fit) {
                return Err(SurfacingError::OffsetOpen { at: tip.into() });
            }
            vertices[edge.start.index()].point = tip;
            continue;
        }
        let (curve, mut off) = curve_on(&surfaces[*first], &used.pcurve, tolerance)?;
        let d = curve.domain();
        for (f, used) in &users[1..] {
            for k in 0..=MEASURED {
                let t = d.at(k as f64 / MEASURED as f64);
                let p = used.pcurve.point(t);
                off = off.max((surfaces[*f].point(p.x, p.y) - curve.point(t)).norm());
            }
        }
        if joints.kinds[e] == Kind::Free {
            free.push((EdgeId(e as u32), curve.clone()));
        }
        vertices[edge.start.index()].point = curve.start();
        vertices[edge.end.index()].point = curve.end();
        edge.tolerance = (1.001 * off).max(2.0 * tolerance.resolution);
        edge.curve = Some(curve);
    }
    for edge in &mut edges {
        let Some(curve) = &edge.curve else { continue };
        for (id, end) in [(edge.start, curve.start()), (edge.end, curve.end())] {
            edge.tolerance = edge.tolerance.max(1.001 * (vertices[id.index()].point - end).norm());
        }
        if edge.tolerance > 2.0 * tolerance.join {
            return Err(SurfacingError::OffsetOpen { at: curve.point(curve.domain().at(0.5)).into() });
        }
    }
    let faces = shell.faces().iter().zip(surfaces);
    let faces: Vec<Face> = faces.map(|(face, surface)| Face { surface, ..face.clone() }).collect();
    let of = (0..faces.len()).collect();
    Ok(OffsetShell {
        shell: Shell::try_new(vertices, edges, faces)?,
        of,
        free,
        rungs: Vec::new(),
        overhangs: Vec::new(),
        max_deviation: 0.0,
        eased: None,
    })
}

/// The curve of a surface over a curve of its parameter plane, by the same parameter, with its deviation; exact for the
/// parameter lines.
pub(super) fn curve_on(
    surface: &NurbsSurface,
    pcurve: &NurbsCurve,
    tolerance: &Tolerance,
) -> Result<(NurbsCurve, f64), SurfacingError> {
    if let Some(line) = parameter_line(surface, pcurve) {
        return Ok((line, 0.0));
    }
    let at = |t: f64| {
        let (p, rates) = (pcurve.point(t), pcurve.velocity(t));
        let (point, du, dv) = surface.tangents(p.x, p.y);
        Ok::<_, SurfacingError>((point, du * rates.x + dv * rates.y))
    };
    let fitted = fit_function(at, &pcurve.knots().breaks(), 0.1 * tolerance.fit)?;
    Ok((fitted.curve, fitted.max_deviation))
}

fn parameter_line(surface: &NurbsSurface, pcurve: &NurbsCurve) -> Option<NurbsCurve> {
    if pcurve.degree() != 1 || pcurve.knots().point_count() != 2 {
        return None;
    }
    let (a, b) = (pcurve.start(), pcurve.end());
    let (line, from, to) = if a.x == b.x {
        (surface.curve_at_u(a.x), a.y, b.y)
    } else if a.y == b.y {
        (surface.curve_at_v(a.y), a.x, b.x)
    } else {
        return None;
    };
    let d = line.domain();
    if from.min(to) < d.start || from.max(to) > d.end || from == to {
        return None;
    }
    let part = line.part(from.min(to), from.max(to));
    let part = if from < to { part } else { part.reversed() };
    let own: Domain = pcurve.domain();
    Some(part.over(own))
}
