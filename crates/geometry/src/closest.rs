use crate::{NurbsCurve, Point3};

/// Samples per knot span that seed the search; enough to tell a cubic's minima apart.
const SEEDS_PER_SPAN: usize = 12;
const MAX_NEWTON_STEPS: usize = 50;
/// How much longer than its chord a curve may be between two seeds.
const REACH: f64 = 1.5;

/// The place of a curve that is nearest to a point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ClosestOnCurve {
    /// Parameter on the curve.
    pub parameter: f64,
    /// The place itself.
    pub point: Point3,
    /// Its distance, in millimetres.
    pub distance: f64,
    /// Whether Newton's method settled; if not, the place is the best that was met.
    pub converged: bool,
}

/// The nearest place of a curve: seeds on every span, then Newton's method kept inside its seed's neighbours, from every
/// seed whose neighbourhood reaches nearer than what is known.
///
/// # References
/// Section 6.1, equation 6.3.
#[must_use]
pub fn closest_on_curve(curve: &NurbsCurve, to: &Point3) -> ClosestOnCurve {
    let seeds = curve.knots().sampled(SEEDS_PER_SPAN);
    let points: Vec<Point3> = seeds.iter().map(|&t| curve.point(t)).collect();
    let distances: Vec<f64> = points.iter().map(|p| (p - to).norm()).collect();
    let last = seeds.len() - 1;
    let mut lowest: Vec<usize> = (0..=last)
        .filter(|&i| {
            distances[i] <= distances[i.saturating_sub(1)] && distances[i] <= distances[(i + 1).min(last)]
        })
        .collect();
    lowest.sort_by(|a, b| distances[*a].total_cmp(&distances[*b]));
    let mut best =
        ClosestOnCurve { parameter: seeds[0], point: points[0], distance: f64::INFINITY, converged: false };
    for i in lowest {
        let (before, after) = (i.saturating_sub(1), (i + 1).min(last));
        let reach = (points[i] - points[before]).norm().max((points[after] - points[i]).norm());
        if distances[i] - REACH * reach > best.distance {
            continue;
        }
        let found = newton(curve, to, seeds[i], [seeds[before], seeds[after]]);
        for place in [
            found,
            ClosestOnCurve {
                parameter: seeds[i],
                point: points[i],
                distance: distances[i],
                converged: false,
            },
        ] {
            if place.distance < best.distance {
                best = place;
            }
        }
    }
    best
}

fn newton(curve: &NurbsCurve, to: &Point3, mut t: f64, [mut low, mut high]: [f64; 2]) -> ClosestOnCurve {
    let mut converged = false;
    for _ in 0..MAX_NEWTON_STEPS {
        let (p, [d1, d2, _]) = curve.derivatives(t);
        let r = p - to;
        let slope = r.dot(&d1);
        // The bracket shrinks by the sign of the slope, so that a bad step can always fall back to halving.
        if slope > 0.0 {
            high = t
        } else {
            low = t
        }
        let bend = d1.dot(&d1) + r.dot(&d2);
        let newton = t - slope / bend;
        let next = if bend > 0.0 && newton >= low && newton <= high { newton } else { 0.5 * (low + high) };
        let moved = (next - t).abs();
        t = next;
        if moved <= 1e-15 * (1.0 + t.abs()) || slope.abs() <= 1e-15 * d1.norm() * r.norm() {
            converged = true;
            break;
        }
    }
    let point = curve.point(t);
    ClosestOnCurve { parameter: t, point, distance: (point - to).norm(), converged }
}
