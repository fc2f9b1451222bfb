//! Places of a surface: the nearest to a point, and where a line meets it.
//!
//! Seeds on a grid over every span, then Newton's method (section 6.1, equations 6.4 to 6.6), kept in the domain.

use nalgebra::Matrix2;

use crate::{NurbsSurface, Point3, Vector2, Vector3};

const SEEDS_PER_SPAN: usize = 4;
const MAX_NEWTON_STEPS: usize = 40;
/// Seeds that are followed; the nearest one need not lead to the nearest place.
const SEEDS_TRIED: usize = 4;

/// A place on a surface.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OnSurface {
    /// Parameters u and v.
    pub parameters: [f64; 2],
    /// The place.
    pub point: Point3,
    /// Its distance from what was asked about: a point, or a line, in millimetres.
    pub distance: f64,
    /// Whether Newton's method settled.
    pub converged: bool,
}

fn seeds(surface: &NurbsSurface) -> Vec<([f64; 2], Point3)> {
    let (us, vs) = (surface.knots_u().sampled(SEEDS_PER_SPAN), surface.knots_v().sampled(SEEDS_PER_SPAN));
    let points = surface.grid(&us, &vs);
    us.iter().flat_map(|&u| vs.iter().map(move |&v| [u, v])).zip(points).collect()
}

/// Follows the best seeds by `step`, which gives the next change of parameters, and keeps the best place by `miss`.
fn search(
    surface: &NurbsSurface,
    miss: impl Fn(&Point3) -> f64,
    step: impl Fn([f64; 2]) -> Option<Vector2>,
) -> OnSurface {
    let (du, dv) = surface.domain();
    let mut seeds = seeds(surface);
    seeds.sort_by(|a, b| miss(&a.1).total_cmp(&miss(&b.1)));
    let mut best = OnSurface {
        parameters: seeds[0].0,
        point: seeds[0].1,
        distance: miss(&seeds[0].1),
        converged: false,
    };
    for (start, _) in seeds.into_iter().take(SEEDS_TRIED) {
        let mut at = start;
        let mut converged = false;
        for _ in 0..MAX_NEWTON_STEPS {
            let Some(change) = step(at) else { break };
            let next = [du.clamp(at[0] + change.x), dv.clamp(at[1] + change.y)];
            let moved = (next[0] - at[0]).abs() / du.length() + (next[1] - at[1]).abs() / dv.length();
            at = next;
            if moved <= 1e-14 {
                converged = true;
                break;
            }
        }
        let point = surface.point(at[0], at[1]);
        let distance = miss(&point);
        if distance < best.distance || (distance == best.distance && converged) {
            best = OnSurface { parameters: at, point, distance, converged };
        }
    }
    best
}

/// The nearest place of a surface to a point.
#[must_use]
pub fn closest_on_surface(surface: &NurbsSurface, to: &Point3) -> OnSurface {
    search(
        surface,
        |p| (p - to).norm(),
        |[u, v]| {
            let d = surface.derivatives(u, v);
            let r = d.point - to;
            let slope = Vector2::new(r.dot(&d.u), r.dot(&d.v));
            let plain = Matrix2::new(d.u.dot(&d.u), d.u.dot(&d.v), d.u.dot(&d.v), d.v.dot(&d.v));
            let full = plain + Matrix2::new(r.dot(&d.uu), r.dot(&d.uv), r.dot(&d.uv), r.dot(&d.vv));
            // Where the full matrix is no minimum's, the plain one still leads downhill.
            let usable = full.determinant() > 0.0 && full.m11 > 0.0;
            let inverse = if usable { full.try_inverse() } else { plain.try_inverse() }?;
            Some(-(inverse * slope))
        },
    )
}

/// Where the line through a point along a unit direction meets a surface; of several places the one nearest to the
/// point. The distance is that from the line: it is above zero where they do not meet.
#[must_use]
pub fn along_direction(surface: &NurbsSurface, from: &Point3, direction: &Vector3) -> OnSurface {
    let across = if direction.x.abs() < 0.9 { Vector3::x() } else { Vector3::y() };
    let a = direction.cross(&across).normalize();
    let b = direction.cross(&a);
    let off = |p: &Point3| {
        let d = p - from;
        Vector2::new(d.dot(&a), d.dot(&b))
    };
    search(
        surface,
        |p| off(p).norm() + 1e-9 * (p - from).dot(direction).abs(),
        |[u, v]| {
            let (p, du, dv) = surface.tangents(u, v);
            let jacobian = Matrix2::new(du.dot(&a), dv.dot(&a), du.dot(&b), dv.dot(&b));
            Some(-(jacobian.try_inverse()? * off(&p)))
        },
    )
}
