//! How a strip ends at a free border: along a line from one side to the other.

use geometry::{EndDerivatives, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, interpolate};

use topology::straight_pcurve;

use super::rebuilt::FOLLOWS;
use crate::SurfacingError;

/// Places of such a line, at first and at most.
const PLACES: [usize; 2] = [16, 256];
/// Places of each border at which is looked whether it lies in a plane.
const LOOKED_AT: usize = 16;
/// Share of the fit tolerance within which borders lie in a plane.
const IN_PLANE: f64 = 0.1;
/// Sine of the angle between borders below which they tell no plane.
const ACROSS: f64 = 0.02;
const MAX_STEPS: usize = 12;

/// A plane by a place and its normal.
pub(super) type Plane = (Point3, Vector3);

/// The plane in which two borders lie, if they do.
pub(super) fn plane_of(borders: [&NurbsCurve; 2], tolerance: &Tolerance) -> Option<Plane> {
    let places = borders.map(|b| {
        let d = b.domain();
        (0..=LOOKED_AT).map(|k| b.point(d.at(k as f64 / LOOKED_AT as f64))).collect::<Vec<_>>()
    });
    let all: Vec<Point3> = places.concat();
    let from = all[0];
    // The two directions from one place that span the most.
    let far = all.iter().map(|p| p - from).max_by(|a, b| a.norm().total_cmp(&b.norm()))?;
    let normal = all.iter().map(|p| far.cross(&(p - from))).max_by(|a, b| a.norm().total_cmp(&b.norm()))?;
    let normal = normal.try_normalize(ACROSS * far.norm_squared())?;
    let lies = |p: &Point3| (p - from).dot(&normal).abs() <= IN_PLANE * tolerance.fit;
    all.iter().all(lies).then_some((from, normal))
}

/// The line across a strip from its first side to its second, at parameters of its own on either, with its image: in the plane
/// of the borders that it joins, where they have one, else straight in the strip's parameters.
pub(super) fn slanted_end(
    surface: &NurbsSurface,
    ts: [f64; 2],
    plane: Option<Plane>,
    tolerance: &Tolerance,
) -> Result<(NurbsCurve, NurbsCurve), SurfacingError> {
    let even = |v: f64| ts[0] + (ts[1] - ts[0]) * v;
    let within = surface.domain().0;
    let cut = |v: f64, (from, normal): Plane| {
        let mut u = even(v);
        for _ in 0..MAX_STEPS {
            let (p, du, _) = surface.tangents(u, v);
            let step = (p - from).dot(&normal) / du.dot(&normal);
            if !step.is_finite() {
                return None;
            }
            let next = within.clamp(u - step);
            if (next - u).abs() <= 1e-12 * within.length() {
                return Some(next);
            }
            u = next;
        }
        None
    };
    let shares = |count: usize| (0..=count).map(move |k| k as f64 / count as f64);
    // A plane that the strip's side does not end in, or that it runs along, is none.
    let plane = plane.filter(|p| {
        let ends = [0, 1].map(|k| cut(k as f64, *p).map(|u| (surface.point(u, k as f64), k)));
        let ends = ends.into_iter().all(|e| {
            e.is_some_and(|(at, k)| {
                (at - surface.point(ts[k], k as f64)).norm()
                    <= tolerance.resolution.max(IN_PLANE * tolerance.fit)
            })
        });
        ends && shares(PLACES[0]).all(|v| cut(v, *p).is_some())
    });
    let at = |v: f64| plane.filter(|_| v > 0.0 && v < 1.0).and_then(|p| cut(v, p)).unwrap_or_else(|| even(v));
    // A section of the strip is that exactly.
    let still = |v: f64| (surface.point(at(v), v) - surface.point(ts[0], v)).norm() <= tolerance.resolution;
    if shares(PLACES[0]).all(still) {
        let curve = surface.curve_at_u(ts[0]);
        let image = straight_pcurve(curve.domain(), [ts[0], 0.0], [ts[0], 1.0])?;
        return Ok((curve, image));
    }
    let mut count = PLACES[0];
    loop {
        let parameters: Vec<f64> = shares(count).collect();
        let places: Vec<Point3> = parameters.iter().map(|v| Point3::new(at(*v), *v, 0.0)).collect();
        let points: Vec<Point3> = places.iter().map(|p| surface.point(p.x, p.y)).collect();
        let curve = interpolate(&points, &parameters, 3, &EndDerivatives::free())?;
        let image = interpolate(&places, &parameters, 3, &EndDerivatives::free())?;
        let off = |v: f64| {
            let (true_place, p) = (surface.point(at(v), v), image.point(v));
            (curve.point(v) - true_place).norm().max((surface.point(p.x, p.y) - true_place).norm())
        };
        let worst = parameters.windows(2).map(|w| off(0.5 * (w[0] + w[1]))).fold(0.0, f64::max);
        if worst <= FOLLOWS * tolerance.fit || 2 * count > PLACES[1] {
            return Ok((curve, image));
        }
        count *= 2;
    }
}
