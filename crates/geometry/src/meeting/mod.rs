//! The curves in which a surface meets a plane or another surface.
//!
//! Seeds come from a grid over the surface; they are linked into chains, brought onto both shapes by Newton's method,
//! and points are added between them until the curve through them follows both (Patrikalakis & Maekawa, Shape
//! Interrogation, chapter 5).

mod plane;
mod surfaces;

pub use plane::plane_meetings;
pub use surfaces::surface_meetings;

use crate::{
    EndDerivatives, Fitted, GeometryError, Point3, Tolerance, Vector3, chord_parameters, interpolate,
};

/// Share of the mean distance that neighbouring places keep at least.
const EVEN: f64 = 0.2;
const MAX_ROUNDS: usize = 10;

/// A curve given by what it lies on: places of both shapes' parameters.
trait Trace {
    type Place: Copy;

    fn point(&self, place: Self::Place) -> Point3;

    /// A place on both shapes near the middle of two.
    fn between(&self, a: Self::Place, b: Self::Place) -> Self::Place;

    /// The unit direction of the curve, to the side of `toward`; none where the shapes touch.
    fn tangent(&self, place: Self::Place, toward: Vector3) -> Option<Vector3>;

    /// The cubic along a run of places; `None` for a run that shrinks to one.
    fn fit(
        &self,
        mut places: Vec<Self::Place>,
        closed: bool,
        tolerance: &Tolerance,
    ) -> Result<Option<Fitted>, GeometryError> {
        let length: f64 = places.windows(2).map(|w| (self.point(w[1]) - self.point(w[0])).norm()).sum();
        if length <= 10.0 * tolerance.resolution {
            return Ok(None);
        }
        let least = (EVEN * length / places.len() as f64).max(10.0 * tolerance.resolution);
        let end = places.last().copied();
        // Places much nearer together than the others would let their last digits bend the curve.
        places.dedup_by(|b, a| (self.point(*b) - self.point(*a)).norm() <= least);
        // The last place is the one that bounds the curve, not the one a hair before it.
        if let (Some(end), Some(last)) = (end, places.last_mut()) {
            *last = end;
        }
        let mut best: Option<Fitted> = None;
        for _ in 0..MAX_ROUNDS {
            if places.len() < 2 {
                break;
            }
            let mut points: Vec<Point3> = places.iter().map(|p| self.point(*p)).collect();
            let last = points.len() - 1;
            if closed {
                points[last] = points[0];
            }
            let length: f64 = points.windows(2).map(|w| (w[1] - w[0]).norm()).sum();
            let parameters = chord_parameters(&points);
            let ends = [
                self.tangent(places[0], points[1] - points[0]),
                self.tangent(places[last], points[last] - points[last - 1]),
            ];
            let ends = match ends {
                [Some(a), Some(b)] => EndDerivatives::tangents([a * length, b * length]),
                _ => EndDerivatives::free(),
            };
            let degree = if ends.start.is_empty() { last.min(3) } else { 3 };
            let curve = interpolate(&points, &parameters, degree, &ends)?;
            let mut worst: f64 = 0.0;
            let mut finer = vec![places[0]];
            for (k, pair) in places.windows(2).enumerate() {
                let middle = self.between(pair[0], pair[1]);
                let p = self.point(middle);
                // The curve's own middle need not be opposite; the distance to its chordwise foot is what counts.
                let t = 0.5 * (parameters[k] + parameters[k + 1]);
                let (c, [d, ..]) = curve.derivatives(t);
                let r = p - c;
                let miss = d.try_normalize(1e-12).map_or(r.norm(), |d| (r - d * r.dot(&d)).norm());
                worst = worst.max(miss);
                if miss > tolerance.fit {
                    finer.push(middle);
                }
                finer.push(pair[1]);
            }
            let converged = worst <= tolerance.fit;
            if best.as_ref().is_none_or(|b| worst < b.max_deviation) {
                best = Some(Fitted { curve, max_deviation: worst, converged });
            }
            if converged {
                break;
            }
            places = finer;
        }
        Ok(best)
    }
}

/// Runs of linked nodes, each with whether it closes; a closed one does not repeat its first node.
fn chains(links: &[Vec<usize>]) -> Vec<(Vec<usize>, bool)> {
    let mut used = vec![false; links.len()];
    let open = (0..links.len()).filter(|&s| links[s].len() == 1);
    let starts: Vec<usize> = open.chain((0..links.len()).filter(|&s| links[s].len() > 1)).collect();
    let mut out = Vec::new();
    for start in starts {
        if used[start] {
            continue;
        }
        let mut run = vec![start];
        used[start] = true;
        while let Some(&next) = run.last().and_then(|s| links[*s].iter().find(|&&s| !used[s])) {
            used[next] = true;
            run.push(next);
        }
        let closed = run.len() > 2 && run.last().is_some_and(|last| links[*last].contains(&start));
        out.push((run, closed));
    }
    out
}
