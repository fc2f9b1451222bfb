use super::{MeetingCurve, Trace, chains};
use crate::{Frame, GeometryError, NurbsSurface, Point3, Tolerance, Vector2, Vector3, bisect, check_work};

const CELLS_PER_SPAN: usize = 8;
const MAX_NEWTON_STEPS: usize = 12;
/// Loops within one cell that are looked for at most.
const MOST_SMALL_LOOPS: usize = 32;

/// Curves in which the plane of `frame` meets a surface, each within the fit tolerance of both; none where they do
/// not meet. A surface that lies in the plane meets it nowhere.
///
/// # Errors
/// Only what a curve through the found places could not be made for.
///
/// # Method
/// The height above the plane is taken on a grid of parameter lines; its zeros on them are found exactly and linked
/// cell by cell. Where the height comes near zero between them, the grid gets a line through its extreme place, so
/// that a small loop is not missed.
pub fn plane_meetings(
    surface: &NurbsSurface,
    frame: &Frame,
    tolerance: &Tolerance,
) -> Result<Vec<MeetingCurve>, GeometryError> {
    check_work();
    let section = Section { surface, frame };
    let runs = section.runs();
    let fits = runs.into_iter().map(|(places, closed)| section.fit(places, closed, tolerance));
    fits.filter_map(Result::transpose).collect()
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

    /// Heights above the plane where the parameter lines cross.
    fn heights(&self, us: &[f64], vs: &[f64]) -> Vec<f64> {
        self.surface.grid(us, vs).iter().map(|p| (p - self.frame.origin).dot(&self.frame.z)).collect()
    }

    /// Parameter lines, with one through every small island above or below the plane, and the heights on them.
    fn lines(&self) -> (Vec<f64>, Vec<f64>, Vec<f64>) {
        let mut us = self.surface.knots_u().sampled(CELLS_PER_SPAN);
        let mut vs = self.surface.knots_v().sampled(CELLS_PER_SPAN);
        let (m, n) = (us.len(), vs.len());
        let heights = self.heights(&us, &vs);
        let mut islands = Vec::new();
        for i in 0..m {
            for j in 0..n {
                let here = heights[i * n + j];
                // Nearer to the plane than all around it, and on one side with them.
                let rows = i.saturating_sub(1)..=(i + 1).min(m - 1);
                let columns = j.saturating_sub(1)..=(j + 1).min(n - 1);
                let farther = |h: f64| h.signum() == here.signum() && h.abs() >= here.abs();
                let nearest = rows.into_iter().all(|a| columns.clone().all(|b| farther(heights[a * n + b])));
                if nearest && islands.len() < MOST_SMALL_LOOPS {
                    islands.extend(self.beyond([us[i], vs[j]], here));
                }
            }
        }
        if islands.is_empty() {
            return (us, vs, heights);
        }
        for [u, v] in islands {
            us.push(u);
            vs.push(v);
        }
        for lines in [&mut us, &mut vs] {
            lines.sort_by(f64::total_cmp);
            lines.dedup();
        }
        let heights = self.heights(&us, &vs);
        (us, vs, heights)
    }

    /// The extreme height near a place, by Newton's method on its slope, if it lies on the other side of the plane.
    fn beyond(&self, mut at: Place, height: f64) -> Option<Place> {
        let (du, dv) = self.surface.domain();
        for _ in 0..MAX_NEWTON_STEPS {
            let d = self.surface.derivatives(at[0], at[1]);
            let along = |v: Vector3| v.dot(&self.frame.z);
            let slope = Vector2::new(along(d.u), along(d.v));
            let bend = nalgebra::Matrix2::new(along(d.uu), along(d.uv), along(d.uv), along(d.vv));
            let step = bend.try_inverse()? * slope;
            at = [du.clamp(at[0] - step.x), dv.clamp(at[1] - step.y)];
        }
        (self.height(at) * height < 0.0).then_some(at)
    }

    /// Runs of places on the parameter grid's lines, and whether each closes.
    fn runs(&self) -> Vec<(Vec<Place>, bool)> {
        let (us, vs, heights) = self.lines();
        let (m, n) = (us.len(), vs.len());
        let above: Vec<bool> = heights.iter().map(|h| *h >= 0.0).collect();
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
        let mut out = Vec::new();
        for (run, closed) in chains(&links) {
            let mut places: Vec<Place> = run.into_iter().filter_map(|s| at[s]).collect();
            places.dedup();
            if closed {
                places.push(places[0]);
            }
            if places.len() > 1 {
                out.push((places, closed));
            }
        }
        out
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
}

impl Trace for Section<'_> {
    type Place = Place;

    fn point(&self, [u, v]: Place) -> Point3 {
        self.surface.point(u, v)
    }

    fn flat(&self, [u, v]: Place) -> Vec<Point3> {
        vec![Point3::new(u, v, 0.0)]
    }

    fn surfaces(&self) -> Vec<&NurbsSurface> {
        vec![self.surface]
    }

    fn rates(&self, _: usize, [u, v]: Place, motion: &Vector3) -> Option<Vector3> {
        self.surface.derivatives(u, v).rates(motion).map(|(a, b)| Vector3::new(a, b, 0.0))
    }

    fn between(&self, a: Place, b: Place) -> Place {
        self.onto_plane([0.5 * (a[0] + b[0]), 0.5 * (a[1] + b[1])])
    }

    fn tangent(&self, [u, v]: Place, toward: Vector3) -> Option<Vector3> {
        let (_, su, sv) = self.surface.tangents(u, v);
        let t = su.cross(&sv).cross(&self.frame.z).try_normalize(1e-12)?;
        Some(if t.dot(&toward) < 0.0 { -t } else { t })
    }
}
