use crate::{NurbsCurve, Point3};

/// Samples per knot span that seed the search; enough to tell a cubic's minima apart.
const SEEDS_PER_SPAN: usize = 12;
const MAX_NEWTON_STEPS: usize = 50;

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

/// The nearest place of a curve: seeds on every span, then Newton's method kept inside its seed's neighbours.
///
/// # References
/// Section 6.1, equation 6.3.
#[must_use]
pub fn closest_on_curve(curve: &NurbsCurve, to: &Point3) -> ClosestOnCurve {
    let seeds = curve.knots().sampled(SEEDS_PER_SPAN);
    let distance_sq = |t: f64| (curve.point(t) - to).norm_squared();
    let mut best = 0;
    let mut best_sq = f64::INFINITY;
    for (i, &t) in seeds.iter().enumerate() {
        let d = distance_sq(t);
        if d < best_sq {
            (best, best_sq) = (i, d);
        }
    }
    let (mut low, mut high) = (seeds[best.saturating_sub(1)], seeds[(best + 1).min(seeds.len() - 1)]);
    let mut t = seeds[best];
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
    if distance_sq(t) > best_sq {
        t = seeds[best];
    }
    let point = curve.point(t);
    ClosestOnCurve { parameter: t, point, distance: (point - to).norm(), converged }
}
