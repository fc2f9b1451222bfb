//! The curves in which a surface meets a plane or another surface, and the places at which a curve meets a surface.
//!
//! Seeds come from a grid over the surface; they are linked into chains, brought onto both shapes by Newton's method,
//! and points are added between them until the curve through them follows both (Patrikalakis & Maekawa, Shape
//! Interrogation, chapter 5).

mod curve;
mod parameter_line;
mod plane;
mod surfaces;
mod touching;

pub use curve::{CurveHit, CurveMeetings, curve_meetings};
pub use plane::plane_meetings;
pub use surfaces::{MeetingPlace, SurfaceMeetings, fit_meeting, meeting_beside, surface_meetings};
pub use touching::{Touch, TouchKind};

use crate::{
    EndDerivatives, GeometryError, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, chord_parameters,
    interpolate,
};
use parameter_line::parameter_line;

/// Share of the mean distance that neighbouring places keep at least.
const EVEN: f64 = 0.2;
const MAX_ROUNDS: usize = 10;
/// Places at which a straight curve is compared with what it stands for.
const COMPARED: usize = 8;

/// A curve in which shapes meet.
#[derive(Debug, Clone, PartialEq)]
pub struct MeetingCurve {
    /// In space.
    pub curve: NurbsCurve,
    /// By the same parameter in the parameter plane (u, v, 0) of each of the surfaces.
    pub pcurves: Vec<NurbsCurve>,
    /// Largest distance that was measured from what it stands for, and between it and its images on the surfaces, in
    /// millimetres.
    pub max_deviation: f64,
    /// Whether that is within the tolerance asked for.
    pub converged: bool,
}

/// A curve given by what it lies on: places of both shapes' parameters.
trait Trace {
    type Place: Copy;

    fn point(&self, place: Self::Place) -> Point3;

    /// The place in each surface's parameter plane.
    fn flat(&self, place: Self::Place) -> Vec<Point3>;

    /// The surfaces on which it lies.
    fn surfaces(&self) -> Vec<&NurbsSurface>;

    /// How fast a motion along a surface, by its number, moves in its parameter plane.
    fn rates(&self, surface: usize, place: Self::Place, motion: &Vector3) -> Option<Vector3>;

    /// A place on both shapes near the middle of two.
    fn between(&self, a: Self::Place, b: Self::Place) -> Self::Place;

    /// The unit direction of the curve, to the side of `toward`; none where the shapes touch.
    fn tangent(&self, place: Self::Place, toward: Vector3) -> Option<Vector3>;

    /// The straight line between the ends of a run, where all of it is that to the resolution.
    fn straight(&self, places: &[Self::Place], tolerance: &Tolerance) -> Option<MeetingCurve> {
        let (first, last) = (*places.first()?, *places.last()?);
        let curve = NurbsCurve::line(self.point(first), self.point(last));
        let along = (curve.end() - curve.start()).try_normalize(10.0 * tolerance.resolution)?;
        let off = |p: &Point3| {
            let d = p - curve.start();
            (d - along * d.dot(&along)).norm()
        };
        if places.iter().any(|p| off(&self.point(*p)) > tolerance.resolution) {
            return None;
        }
        let (from, to) = (self.flat(first), self.flat(last));
        let pcurves: Vec<NurbsCurve> = from.iter().zip(&to).map(|(a, b)| NurbsCurve::line(*a, *b)).collect();
        let mut worst = 0.0_f64;
        for k in 0..=COMPARED {
            let t = curve.domain().at(k as f64 / COMPARED as f64);
            for (surface, pcurve) in self.surfaces().iter().zip(&pcurves) {
                worst = worst.max((on(surface, pcurve, t) - curve.point(t)).norm());
            }
        }
        let fits = worst <= tolerance.resolution;
        fits.then_some(MeetingCurve { curve, pcurves, max_deviation: worst, converged: true })
    }

    /// The line, the parameter line or the cubic along a run of places; `None` for a run that shrinks to one.
    fn fit(
        &self,
        mut places: Vec<Self::Place>,
        closed: bool,
        tolerance: &Tolerance,
    ) -> Result<Option<MeetingCurve>, GeometryError> {
        let length: f64 = places.windows(2).map(|w| (self.point(w[1]) - self.point(w[0])).norm()).sum();
        if length <= 10.0 * tolerance.resolution {
            return Ok(None);
        }
        if !closed
            && let Some(exact) =
                self.straight(&places, tolerance).or_else(|| parameter_line(self, &places, tolerance))
        {
            return Ok(Some(exact));
        }
        let least = (EVEN * length / places.len() as f64).max(10.0 * tolerance.resolution);
        let end = places.last().copied();
        // Places much nearer together than the others would let their last digits bend the curve.
        places.dedup_by(|b, a| (self.point(*b) - self.point(*a)).norm() <= least);
        // The last place is the one that bounds the curve, not the one a hair before it.
        if let (Some(end), Some(last)) = (end, places.last_mut()) {
            *last = end;
        }
        if let [first, last] = places[..] {
            places.insert(1, self.between(first, last));
        }
        let mut best: Option<MeetingCurve> = None;
        for _ in 0..MAX_ROUNDS {
            if places.len() < 2 {
                break;
            }
            let (fitted, misses) = self.through(&places, closed)?;
            let mut finer = vec![places[0]];
            for (pair, (middle, miss)) in places.windows(2).zip(misses) {
                // Where both shapes are next to parallel the middle can fall on an end.
                let apart = pair
                    .iter()
                    .all(|p| (self.point(*p) - self.point(middle)).norm() > 10.0 * tolerance.resolution);
                if miss > tolerance.fit && apart {
                    finer.push(middle);
                }
                finer.push(pair[1]);
            }
            let converged = fitted.max_deviation <= tolerance.fit;
            if best.as_ref().is_none_or(|b| fitted.max_deviation < b.max_deviation) {
                best = Some(MeetingCurve { converged, ..fitted });
            }
            if converged || finer.len() == places.len() {
                break;
            }
            places = finer;
        }
        Ok(best)
    }

    /// The cubic through places, and for every two neighbours the place between them with how far the cubic misses there.
    #[allow(clippy::type_complexity, reason = "a pair of a curve and a list of pairs, used once")]
    fn through(
        &self,
        places: &[Self::Place],
        closed: bool,
    ) -> Result<(MeetingCurve, Vec<(Self::Place, f64)>), GeometryError> {
        let mut points: Vec<Point3> = places.iter().map(|p| self.point(*p)).collect();
        let last = points.len() - 1;
        if closed {
            points[last] = points[0];
        }
        let length: f64 = points.windows(2).map(|w| (w[1] - w[0]).norm()).sum();
        let parameters = chord_parameters(&points);
        let ends = [
            self.tangent(places[0], points[1] - points[0]).map(|t| t * length),
            self.tangent(places[last], points[last] - points[last - 1]).map(|t| t * length),
        ];
        let flat: Vec<Vec<Point3>> = places.iter().map(|p| self.flat(*p)).collect();
        let surfaces = flat[0].len();
        let spline = |points: &[Point3], ends: [Option<Vector3>; 2]| {
            let given = ends.iter().flatten().count();
            let degree = (last + given).min(3);
            let [start, end] = ends.map(|d| d.into_iter().collect());
            interpolate(points, &parameters, degree, &EndDerivatives { start, end })
        };
        let curve = spline(&points, ends)?;
        let pcurves = (0..surfaces)
            .map(|k| {
                let points: Vec<Point3> = flat.iter().map(|f| f[k]).collect();
                let rate = |place, motion: Option<Vector3>| motion.and_then(|m| self.rates(k, place, &m));
                spline(&points, [rate(places[0], ends[0]), rate(places[last], ends[1])])
            })
            .collect::<Result<Vec<_>, _>>()?;
        let on_surfaces = self.surfaces();
        let mut max_deviation: f64 = 0.0;
        let misses = places.windows(2).zip(parameters.windows(2)).map(|(pair, t)| {
            let middle = self.between(pair[0], pair[1]);
            let p = self.point(middle);
            // The curve's own middle need not be opposite; the distance to its chordwise foot is what counts.
            let t = 0.5 * (t[0] + t[1]);
            let (c, d) = curve.moving(t);
            let r = p - c;
            let mut miss = d.try_normalize(1e-12).map_or(r.norm(), |d| (r - d * r.dot(&d)).norm());
            for (surface, pcurve) in on_surfaces.iter().zip(&pcurves) {
                miss = miss.max((on(surface, pcurve, t) - c).norm());
            }
            max_deviation = max_deviation.max(miss);
            (middle, miss)
        });
        let misses = misses.collect();
        Ok((MeetingCurve { curve, pcurves, max_deviation, converged: false }, misses))
    }
}

/// The place on a surface of a curve in its parameter plane.
fn on(surface: &NurbsSurface, pcurve: &NurbsCurve, t: f64) -> Point3 {
    let p = pcurve.point(t);
    surface.point(p.x, p.y)
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
