//! The curves in which a plane meets a surface.
//!
//! The height above the plane is sampled along parameter lines; its zeros on them are found exactly and linked cell by
//! cell, then points between them are brought onto both by Newton's method until straight chords are fine enough.
//! A first version: a loop that lies within one cell is missed.

use geometry::{
    Fitted, Frame, GeometryError, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, bisect,
    chord_parameters, interpolate,
};

use crate::SurfacingError;

const CELLS_PER_SPAN: usize = 8;
const MAX_NEWTON_STEPS: usize = 12;
const MAX_ROUNDS: usize = 10;

/// Curves in which the plane of `frame` meets a surface, each within the fit tolerance of both.
///
/// # Errors
/// `NoMeeting` when they do not meet.
pub fn section_curve(
    surface: &NurbsSurface,
    frame: &Frame,
    tolerance: &Tolerance,
) -> Result<Vec<Fitted>, SurfacingError> {
    let section = Section { surface, frame };
    let chains = section.chains();
    if chains.is_empty() {
        return Err(SurfacingError::NoMeeting { at: frame.origin.into() });
    }
    chains.into_iter().map(|(places, closed)| section.fit(places, closed, tolerance)).collect()
}

type Place = [f64; 2];

struct Section<'a> {
    surface: &'a NurbsSurface,
    frame: &'a Frame,
}

impl Section<'_> {
    fn height(&self, [u, v]: Place) -> f64 {
        (self.surface.point(u, v) - self.frame.origin).dot(&self.frame.z)
    }

    /// Runs of places on the parameter grid's lines, and whether each closes.
    fn chains(&self) -> Vec<(Vec<Place>, bool)> {
        let us = self.surface.knots_u().sampled(CELLS_PER_SPAN);
        let vs = self.surface.knots_v().sampled(CELLS_PER_SPAN);
        let (m, n) = (us.len(), vs.len());
        let above: Vec<bool> = self
            .surface
            .grid(&us, &vs)
            .iter()
            .map(|p| (p - self.frame.origin).dot(&self.frame.z) >= 0.0)
            .collect();
        // Sides of cells by number: those along u first, then those along v.
        let side_u = |i: usize, j: usize| i * n + j;
        let side_v = |i: usize, j: usize| m * n + i * n + j;
        let mut at: Vec<Option<Place>> = vec![None; 2 * m * n];
        for i in 0..m {
            for j in 0..n {
                let here = above[i * n + j];
                if i + 1 < m && above[(i + 1) * n + j] != here {
                    at[side_u(i, j)] = Some([self.zero(us[i], us[i + 1], |u| [u, vs[j]]), vs[j]]);
                }
                if j + 1 < n && above[i * n + j + 1] != here {
                    at[side_v(i, j)] = Some([us[i], self.zero(vs[j], vs[j + 1], |v| [us[i], v])]);
                }
            }
        }
        let mut links: Vec<Vec<usize>> = vec![Vec::new(); at.len()];
        for i in 0..m - 1 {
            for j in 0..n - 1 {
                let sides = [side_u(i, j), side_v(i + 1, j), side_u(i, j + 1), side_v(i, j)];
                let hit: Vec<usize> = sides.into_iter().filter(|&s| at[s].is_some()).collect();
                let pairs: Vec<(usize, usize)> = match hit[..] {
                    [a, b] => vec![(a, b)],
                    [a, b, c, d] => {
                        // A saddle: the middle decides which corners are cut off.
                        let middle = [0.5 * (us[i] + us[i + 1]), 0.5 * (vs[j] + vs[j + 1])];
                        if (self.height(middle) >= 0.0) == above[i * n + j] {
                            vec![(a, b), (c, d)]
                        } else {
                            vec![(d, a), (b, c)]
                        }
                    }
                    _ => vec![],
                };
                for (a, b) in pairs {
                    links[a].push(b);
                    links[b].push(a);
                }
            }
        }
        let mut used = vec![false; at.len()];
        let mut chains = Vec::new();
        let open = (0..at.len()).filter(|&s| links[s].len() == 1);
        let starts: Vec<usize> = open.chain((0..at.len()).filter(|&s| links[s].len() == 2)).collect();
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
            let closed = links[start].len() == 2 && run.len() > 2;
            let mut places: Vec<Place> = run.into_iter().filter_map(|s| at[s]).collect();
            places.dedup();
            if closed {
                places.push(places[0]);
            }
            if places.len() > 1 {
                chains.push((places, closed));
            }
        }
        chains
    }

    fn zero(&self, a: f64, b: f64, place: impl Fn(f64) -> Place) -> f64 {
        bisect(a, b, |t| self.height(place(t)) >= 0.0)
    }

    /// A place near a guess that is on the plane: steps down the height's gradient.
    fn onto_plane(&self, mut at: Place) -> Place {
        let (du, dv) = self.surface.domain();
        for _ in 0..MAX_NEWTON_STEPS {
            let (p, su, sv) = self.surface.tangents(at[0], at[1]);
            let height = (p - self.frame.origin).dot(&self.frame.z);
            let (a, b) = (su.dot(&self.frame.z), sv.dot(&self.frame.z));
            // In lengths of the surface, so that a step is the shortest one in space.
            let (lu, lv) = (su.norm_squared().max(1e-12), sv.norm_squared().max(1e-12));
            let steep = a * a / lu + b * b / lv;
            if steep < 1e-18 || height.abs() < 1e-13 {
                break;
            }
            at = [du.clamp(at[0] - height * a / lu / steep), dv.clamp(at[1] - height * b / lv / steep)];
        }
        at
    }

    fn point(&self, [u, v]: Place) -> Point3 {
        self.surface.point(u, v)
    }

    fn tangent(&self, [u, v]: Place, toward: Vector3) -> Option<Vector3> {
        let (_, su, sv) = self.surface.tangents(u, v);
        let t = su.cross(&sv).cross(&self.frame.z).try_normalize(1e-12)?;
        Some(if t.dot(&toward) < 0.0 { -t } else { t })
    }

    fn fit(
        &self,
        mut places: Vec<Place>,
        closed: bool,
        tolerance: &Tolerance,
    ) -> Result<Fitted, SurfacingError> {
        let mut best: Option<Fitted> = None;
        for _ in 0..MAX_ROUNDS {
            places.dedup_by(|b, a| (self.point(*b) - self.point(*a)).norm() <= 10.0 * tolerance.resolution);
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
            let ends = ends[0].zip(ends[1]).map(|(a, b)| [a * length, b * length]);
            let degree = if ends.is_some() { 3 } else { last.min(3) };
            let curve: NurbsCurve = interpolate(&points, &parameters, degree, ends)?;
            let mut worst: f64 = 0.0;
            let mut finer = vec![places[0]];
            for (k, pair) in places.windows(2).enumerate() {
                let [a, b] = [pair[0], pair[1]];
                let middle = self.onto_plane([0.5 * (a[0] + b[0]), 0.5 * (a[1] + b[1])]);
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
                finer.push(b);
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
        best.ok_or_else(|| GeometryError::NoDirection { at: self.frame.origin.into() }.into())
    }
}
