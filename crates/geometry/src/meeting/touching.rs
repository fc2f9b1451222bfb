//! Places at which two surfaces have a common normal near each other: where they touch, where branches of their meeting
//! curve cross, and what small loops have inside.

use nalgebra::{Matrix4, Vector4};

use super::MeetingPlace;
use crate::{Facets, NurbsSurface, Point3, SurfaceDerivatives, Tolerance, Vector3};

const MAX_NEWTON_STEPS: usize = 24;
/// Pairs of triangles from which a place is looked for at most.
const MOST_STARTS: usize = 400;
/// What is added to a square matrix that is singular where surfaces touch along a curve.
const DAMPING: f64 = 1e-11;
/// How far the search may lead from its triangles, in their own widths.
const ASTRAY: f64 = 2.5;
/// Share of the curvature difference's size below which the surfaces touch along a curve.
const FLAT: f64 = 1e-4;

/// How two surfaces lie to each other about a place with a common normal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TouchKind {
    /// One stays on one side of the other: they touch in a point, or meet in a small loop round it.
    Point,
    /// Two branches of their meeting curve cross.
    Crossing,
    /// They touch along a curve.
    Curve,
}

/// A place at which two surfaces have a common normal.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Touch {
    /// Parameters on both.
    pub place: MeetingPlace,
    /// Where, on the first surface.
    pub point: Point3,
    /// How far the second surface is above the first there, along the first one's normal, in millimetres.
    pub gap: f64,
    /// What happens round about.
    pub kind: TouchKind,
}

/// Places with a common normal near pairs of triangles that lie near each other.
pub(super) fn touches(facets: [&Facets; 2], near: &[[usize; 2]], tolerance: &Tolerance) -> Vec<Touch> {
    let surfaces = facets.map(|f| f.surface().as_ref());
    let reach = facets[0].deviation + facets[1].deviation + tolerance.resolution;
    let mut found: Vec<Touch> = Vec::new();
    let mut tried = std::collections::BTreeSet::new();
    for &[first, second] in near {
        // One start for the two triangles of a cell is enough.
        if tried.len() >= MOST_STARTS || !tried.insert([first / 2, second / 2]) {
            continue;
        }
        let small = usize::from(facets[1].extent(second) < facets[0].extent(first));
        let near = facets[small].centre([first, second][small]);
        let (a, b) = (facets[0].beside(first, &near), facets[1].beside(second, &near));
        let start = MeetingPlace::new(a[0], a[1], b[0], b[1]);
        let widths = widths(facets, [first, second]);
        let here = |t: &Touch| (0..4).all(|k| (t.place[k] - start[k]).abs() <= widths[k]);
        if found.iter().any(here) {
            continue;
        }
        let Some(touch) = common_normal(facets, surfaces, start, &widths) else { continue };
        let known = |t: &Touch| (t.point - touch.point).norm() <= 1e3 * tolerance.resolution;
        if touch.gap.abs() <= 2.0 * reach && !found.iter().any(known) {
            found.push(touch);
        }
    }
    found
}

/// Newton's method for the place at which both surfaces are square to the line between them.
fn common_normal(
    facets: [&Facets; 2],
    surfaces: [&NurbsSurface; 2],
    start: MeetingPlace,
    widths: &Vector4<f64>,
) -> Option<Touch> {
    let [[au, av], [bu, bv]] = facets.map(Facets::domain);
    let domains = [au, av, bu, bv];
    let mut at = start;
    for _ in 0..MAX_NEWTON_STEPS {
        let (p, q) = (surfaces[0].derivatives(at[0], at[1]), surfaces[1].derivatives(at[2], at[3]));
        let (r, n) = (p.point - q.point, p.area_vector());
        let nu = p.uu.cross(&p.v) + p.u.cross(&p.uv);
        let nv = p.uv.cross(&p.v) + p.u.cross(&p.vv);
        let value = Vector4::new(r.dot(&p.u), r.dot(&p.v), n.dot(&q.u), n.dot(&q.v));
        let slope = Matrix4::new(
            p.u.dot(&p.u) + r.dot(&p.uu),
            p.u.dot(&p.v) + r.dot(&p.uv),
            -q.u.dot(&p.u),
            -q.v.dot(&p.u),
            p.u.dot(&p.v) + r.dot(&p.uv),
            p.v.dot(&p.v) + r.dot(&p.vv),
            -q.u.dot(&p.v),
            -q.v.dot(&p.v),
            nu.dot(&q.u),
            nv.dot(&q.u),
            n.dot(&q.uu),
            n.dot(&q.uv),
            nu.dot(&q.v),
            nv.dot(&q.v),
            n.dot(&q.uv),
            n.dot(&q.vv),
        );
        // In widths of the triangles, so that all four count alike; singular where they touch along a curve, of which
        // the nearest place is wanted.
        let scaled = slope * Matrix4::from_diagonal(widths);
        let length = p.u.norm() * widths[0] + p.v.norm() * widths[1];
        let sizes = Vector4::new(
            p.u.norm() * length,
            p.v.norm() * length,
            n.norm() * q.u.norm(),
            n.norm() * q.v.norm(),
        )
        .map(|x| x.max(f64::MIN_POSITIVE));
        let even = Matrix4::from_fn(|i, j| scaled[(i, j)] / sizes[i]);
        let square = even.transpose() * even + Matrix4::identity() * DAMPING;
        let step = square.try_inverse()? * (even.transpose() * value.component_div(&sizes));
        if !step.iter().all(|x| x.is_finite()) {
            return None;
        }
        let limited = step.map(|x| x.clamp(-1.0, 1.0)).component_mul(widths);
        let before = at;
        for k in 0..4 {
            at[k] = domains[k].clamp(at[k] - limited[k]);
            // Off a border by rounding only, it is on it.
            at[k] = [domains[k].start, domains[k].end]
                .into_iter()
                .find(|e| (e - at[k]).abs() <= 1e-13 * domains[k].length())
                .unwrap_or(at[k]);
            if (at[k] - start[k]).abs() > ASTRAY * widths[k] {
                return None;
            }
        }
        if (at - before).component_div(widths).norm() <= 1e-13 {
            break;
        }
    }
    let (p, q) = (surfaces[0].derivatives(at[0], at[1]), surfaces[1].derivatives(at[2], at[3]));
    let n = p.area_vector().try_normalize(f64::MIN_POSITIVE)?;
    let m = q.area_vector().try_normalize(f64::MIN_POSITIVE)?;
    let between = q.point - p.point;
    let gap = between.dot(&n);
    let beside = (between - n * gap).norm();
    let size = p.u.norm() * widths[0] + p.v.norm() * widths[1];
    if n.cross(&m).norm() > 1e-6 || beside > 1e-6 * size {
        return None;
    }
    Some(Touch { place: at, point: p.point, gap, kind: kind(&p, &q, &n)? })
}

/// From the difference of both second fundamental forms about the common normal.
fn kind(p: &SurfaceDerivatives, q: &SurfaceDerivatives, n: &Vector3) -> Option<TouchKind> {
    let x = p.u.try_normalize(f64::MIN_POSITIVE)?;
    let y = n.cross(&x);
    let bend = |s: &SurfaceDerivatives, along: &Vector3| {
        let (a, b) = s.rates(along)?;
        Some((s.uu * a * a + s.uv * 2.0 * a * b + s.vv * b * b).dot(n))
    };
    let difference = |along: &Vector3| Some(bend(p, along)? - bend(q, along)?);
    let (xx, yy, both) = (difference(&x)?, difference(&y)?, difference(&(x + y))?);
    let xy = 0.5 * (both - xx - yy);
    let size = xx.abs().max(yy.abs()).max(xy.abs());
    let det = xx * yy - xy * xy;
    Some(if det.abs() <= FLAT * size * size {
        TouchKind::Curve
    } else if det < 0.0 {
        TouchKind::Crossing
    } else {
        TouchKind::Point
    })
}

/// How far the triangles reach in each parameter.
fn widths(facets: [&Facets; 2], triangles: [usize; 2]) -> Vector4<f64> {
    let mut out = Vector4::zeros();
    for k in 0..2 {
        let corners = facets[k].triangles[triangles[k]].map(|c| facets[k].parameters[c]);
        for x in 0..2 {
            let values = corners.map(|c| c[x]);
            let high = values.iter().copied().fold(f64::MIN, f64::max);
            out[2 * k + x] = high - values.iter().copied().fold(f64::MAX, f64::min);
        }
    }
    out
}
