//! Patches kept near their boundary.

use geometry::{Fairness, Frame, NurbsSurface, Point3, Vector3, polygon_holds};

use super::{Fit, PatchEdge, STRETCH};
use crate::SurfacingError;

/// Share of the patch's size by which it may swell beyond what its boundary, the faces beside it and inner places reach to.
const MOST_SWELLING: f64 = 0.06;
/// Share of the patch's size to which an edge that is tangent to its face reaches on along that.
const REACHES_ON: f64 = 0.35;
/// Tension from which one is looked for that keeps a patch near its boundary, by what and how often it is multiplied, and how
/// often the last step is divided.
const LEAST_TENSION: f64 = 4e-3;
const TIGHTER: f64 = 4.0;
const MOST_TIGHTER: usize = 6;
const DIVIDED: usize = 3;
/// Places in either direction at which swelling is looked for.
const SWELLING_PLACES: usize = 33;

impl Fit<'_> {
    /// The patch, stretched as much as it takes to keep it near its boundary: where edges meet at almost straight corners with
    /// unlike slopes, or their faces ask for what cannot be, the surface of least bending swells far out.
    pub(super) fn tight(&self) -> Result<((NurbsSurface, f64), Option<f64>), SurfacingError> {
        let as_it_comes = self.fitted()?;
        let range = self.range();
        let swells = |made: &(NurbsSurface, f64)| self.swelling(&made.0, &range) > MOST_SWELLING;
        if !swells(&as_it_comes) {
            return Ok((as_it_comes, None));
        }
        let with = |tension: f64| {
            let stretch = self.fairness.stretch + STRETCH * tension;
            Self { fairness: Fairness { stretch, ..self.fairness }, ..self.clone() }.fitted()
        };
        let (mut loose, mut tension) = (0.0, LEAST_TENSION);
        let mut found = with(tension)?;
        for _ in 0..MOST_TIGHTER {
            if !swells(&found) {
                break;
            }
            (loose, tension) = (tension, TIGHTER * tension);
            found = with(tension)?;
        }
        // As little as it takes, so that the tension changes as little as the boundary does.
        for _ in 0..DIVIDED {
            let middle = if loose > 0.0 { (loose * tension).sqrt() } else { 0.5 * tension };
            let made = with(middle)?;
            if swells(&made) {
                loose = middle;
            } else {
                (tension, found) = (middle, made);
            }
        }
        Ok((found, Some(tension)))
    }

    /// The way up over the patch, and the lowest and highest that its boundary, the faces beside it and inner places reach.
    fn range(&self) -> (Vector3, f64, f64) {
        let points: Vec<Point3> = self
            .runs
            .iter()
            .flatten()
            .flat_map(|e| e.curve.knots().sampled(4).into_iter().map(|t| e.curve.point(t)))
            .collect();
        let up = match self.layout.plane {
            Some(frame) => frame.z,
            None => Frame::of_outline(&points).map_or(Vector3::z(), |f| f.z),
        };
        let height = |p: &Point3| (p - self.middle).dot(&up);
        let mut low = points.iter().map(height).fold(f64::MAX, f64::min);
        let mut high = points.iter().map(height).fold(f64::MIN, f64::max);
        // The rounder it must be, the higher it may rise.
        let round = self.layout.partly.map_or(self.layout.fullness, |(_, share)| {
            self.layout.fullness + (1.0 - self.layout.fullness) * share
        });
        let far = REACHES_ON * round.powi(2) * self.size;
        let on = |e: &PatchEdge| {
            let beside = e.tangent_to()?.clone();
            let reach = |t: f64| {
                let (_, away) = beside.leaving(t, &e.curve.tangent(t)?)?;
                Some(e.curve.point(t) + away * far)
            };
            Some(e.curve.knots().sampled(4).into_iter().filter_map(reach).collect::<Vec<_>>())
        };
        let reached = self.runs.iter().flatten().filter_map(on).flatten();
        for p in reached.chain(self.inner.iter().copied()) {
            (low, high) = (low.min(height(&p)), high.max(height(&p)));
        }
        (up, low, high)
    }

    /// How far a patch swells beyond a range, as a share of its size.
    fn swelling(&self, surface: &NurbsSurface, (up, low, high): &(Vector3, f64, f64)) -> f64 {
        let outlines = self.outlines();
        let mut beyond: f64 = 0.0;
        for i in 0..SWELLING_PLACES {
            for j in 0..SWELLING_PLACES {
                let share = |k: usize, i: usize| self.sides[k] * (i as f64 + 0.5) / SWELLING_PLACES as f64;
                let at = [share(0, i), share(1, j)];
                if outlines.iter().filter(|line| polygon_holds(line, &at)).count() % 2 == 1 {
                    let [u, v] = [0, 1].map(|k| self.low[k] + at[k] * self.size);
                    let height = (surface.point(u, v) - self.middle).dot(up);
                    beyond = beyond.max(low - height).max(height - high);
                }
            }
        }
        beyond / self.size
    }
}
