use crate::{Box3, Domain, NurbsCurve, Point3, Vector3, box_of, check_work};

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

/// The nearest place of a curve: seeds on every span that can hold it, then Newton's method kept inside its seed's
/// neighbours, from every seed whose neighbourhood reaches nearer than what is known.
///
/// # References
/// Section 6.1, equation 6.3.
#[must_use]
pub fn closest_on_curve(curve: &NurbsCurve, to: &Point3) -> ClosestOnCurve {
    check_work();
    let (start, point) = (curve.domain().start, curve.start());
    let mut best =
        ClosestOnCurve { parameter: start, point, distance: (point - to).norm(), converged: false };
    let mut lowest: Vec<Seed> =
        near_runs(curve, to).into_iter().flat_map(|run| run.lowest(curve, to)).collect();
    lowest.sort_by(|a, b| a.place.distance.total_cmp(&b.place.distance));
    for seed in lowest {
        if seed.place.distance - REACH * seed.reach > best.distance {
            continue;
        }
        let found = newton(curve, to, seed.place.parameter, seed.between);
        for place in [found, seed.place] {
            if place.distance < best.distance {
                best = place;
            }
        }
    }
    best
}

/// Spans that follow each other, as the parameters of their ends.
struct Run(Vec<f64>);

/// A place nearer than those beside it.
struct Seed {
    place: ClosestOnCurve,
    /// Parameters beside it, and how far the farther of the two is.
    between: [f64; 2],
    reach: f64,
}

/// The spans that can hold the nearest place: each lies in the box round its control points.
fn near_runs(curve: &NurbsCurve, to: &Point3) -> Vec<Run> {
    let (knots, p) = (curve.knots(), curve.degree());
    let points = curve.control_points();
    let spans: Vec<([f64; 2], f64, f64)> = knots
        .spans()
        .into_iter()
        .map(|span| {
            let bounds = box_of(points[span - p..=span].iter());
            let [nearest, farthest] = distances(&bounds, to);
            ([knots.knots()[span], knots.knots()[span + 1]], nearest, farthest)
        })
        .collect();
    let enough = spans.iter().map(|s| s.2).fold(f64::INFINITY, f64::min);
    let mut runs: Vec<Run> = Vec::new();
    for ([from, until], ..) in spans.into_iter().filter(|s| s.1 <= enough) {
        match runs.last_mut() {
            Some(Run(ends)) if ends[ends.len() - 1] == from => ends.push(until),
            _ => runs.push(Run(vec![from, until])),
        }
    }
    runs
}

/// Distances of a point from the nearest and the farthest place of a box.
fn distances(bounds: &Box3, to: &Point3) -> [f64; 2] {
    let (low, high) = (Point3::from(bounds.lower()) - to, Point3::from(bounds.upper()) - to);
    [low.sup(&-high).sup(&Vector3::zeros()).norm(), low.abs().sup(&high.abs()).norm()]
}

impl Run {
    fn lowest(&self, curve: &NurbsCurve, to: &Point3) -> Vec<Seed> {
        let place = |parameter: f64| {
            let point = curve.point(parameter);
            ClosestOnCurve { parameter, point, distance: (point - to).norm(), converged: false }
        };
        let inner = |span: &[f64]| {
            let d = Domain::new(span[0], span[1]);
            (1..=SEEDS_PER_SPAN).map(move |k| d.at(k as f64 / SEEDS_PER_SPAN as f64))
        };
        let parameters = self.0[..1].iter().copied().chain(self.0.windows(2).flat_map(inner));
        let places: Vec<ClosestOnCurve> = parameters.map(place).collect();
        let last = places.len() - 1;
        let seed = |i: usize| {
            let [before, here, after] = [i.saturating_sub(1), i, (i + 1).min(last)].map(|k| places[k]);
            let reach = (here.point - before.point).norm().max((after.point - here.point).norm());
            let lowest = here.distance <= before.distance && here.distance <= after.distance;
            lowest.then_some(Seed { place: here, between: [before.parameter, after.parameter], reach })
        };
        (0..=last).filter_map(seed).collect()
    }
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
