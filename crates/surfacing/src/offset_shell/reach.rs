//! How far faces and edges reach beyond where they ended.

use geometry::{Domain, NurbsCurve, NurbsSurface, with_end_at};
use topology::{OrientedEdge, Shell};

use super::Joints;
use crate::fits::largest_share;
use crate::side::Side;

/// Shares of an edge at which is measured how far faces have to reach beyond it.
const PLACES: [f64; 5] = [0.02, 0.25, 0.5, 0.75, 0.98];
/// Halvings in which is found how far an image may run on.
const RUN_ON: usize = 12;

/// How far a face has to reach beyond an edge at most.
pub(super) fn reach_over(
    shell: &Shell,
    f: usize,
    used: &OrientedEdge,
    distances: &[f64],
    joints: &Joints,
) -> f64 {
    let faces = shell.faces();
    let other = joints.users[used.edge.index()].iter().find(|u| u.0 != f);
    let Some(&(g, l, k)) = other else { return 0.0 };
    let d = used.pcurve.domain();
    let at = |s: f64| {
        let t = d.at(s);
        let own = Side::new(&faces[f], used, t)?;
        let other = Side::new(&faces[g], &faces[g].loops[l].edges[k], t)?;
        Some(own.reach(distances[f], &other, distances[g]))
    };
    PLACES.into_iter().filter_map(at).fold(0.0, f64::max)
}

/// Millimetres on a surface per unit of the parameter of a curve in its plane; above 0.
pub(super) fn speed(surface: &NurbsSurface, pcurve: &NurbsCurve, t: f64) -> f64 {
    let (p, rate) = (pcurve.point(t), pcurve.velocity(t));
    let (_, du, dv) = surface.tangents(p.x, p.y);
    (du * rate.x + dv * rate.y).norm().max(f64::MIN_POSITIVE)
}

/// A parameter curve that runs on at those ends where it has to be cut by others, as far as the surface goes.
pub(super) fn run_on(
    surface: &NurbsSurface,
    pcurve: &NurbsCurve,
    ends: [bool; 2],
    length: f64,
) -> NurbsCurve {
    let domains: [Domain; 2] = surface.domain().into();
    let on_surface = |c: &NurbsCurve| {
        c.knots().sampled(4).into_iter().all(|t| {
            let p = c.point(t);
            [p.x, p.y].iter().zip(&domains).all(|(x, d)| {
                let margin = 1e-12 * d.length();
                *x >= d.start - margin && *x <= d.end + margin
            })
        })
    };
    let at_end = |curve: &NurbsCurve| {
        let d = curve.domain();
        let longer = |by: f64| with_end_at(curve, d.end + by).filter(&on_surface);
        let whole = length / speed(surface, curve, d.end);
        longer(whole).unwrap_or_else(|| {
            let share = largest_share(RUN_ON, &|share| longer(share * whole).is_some());
            share.and_then(|share| longer(share * whole)).unwrap_or_else(|| curve.clone())
        })
    };
    let mut out = pcurve.clone();
    if ends[1] {
        out = at_end(&out);
    }
    if ends[0] {
        let d = out.domain();
        let back = at_end(&out.reversed());
        let by = back.domain().length() - d.length();
        out = back.reversed().over(Domain::new(d.start - by, d.end));
    }
    out
}
