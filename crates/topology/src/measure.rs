//! Area, volume and moments of the true surfaces, by the divergence theorem.
//!
//! Every face integral becomes a line integral round its loops (Green's theorem): the inner integral runs over u, or v
//! where that takes less, from the domain's start to the boundary, the outer one along the parameter curve. Both are Gauss
//! quadrature, broken at knots, so that trimmed and untrimmed faces take the same way.

use geometry::{NurbsCurve, NurbsSurface, Point3, Vector3, bisect, gauss_legendre, shared_work};
use nalgebra::Matrix3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::{Face, Shell};

/// Gauss points per knot span; a rational quarter turn then comes out to about 1e-14.
const MOST_POINTS: usize = 14;
const FIELDS: usize = 11;
/// From this many spans on, fitted as they are, each is so short that a half or a quarter of the points reach the same.
const FINE_SPANS: usize = 16;
const VERY_FINE_SPANS: usize = 48;
/// Gauss points on a parallelogram, where the moments are cubic.
const FLAT_POINTS: usize = 3;
/// Gauss points where six digits are enough.
const ROUGH_POINTS: usize = 7;
/// From this many spans on each is so short that the root in the area element is no longer what limits.
const MANY_SPANS: usize = 6;

/// Area, volume and volume moments.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
pub struct Measures {
    /// Area of all faces, mm².
    pub area: f64,
    /// Volume, mm³; negative for a shell whose faces point inwards.
    pub volume: f64,
    /// Integral of the position over the volume, mm⁴.
    pub first_moment: [f64; 3],
    /// Integrals of xx, yy, zz, xy, yz, zx over the volume, mm⁵.
    pub second_moment: [f64; 6],
}

impl Measures {
    /// Centre of the volume; `None` without volume.
    #[must_use]
    pub fn centroid(&self) -> Option<Point3> {
        (self.volume.abs() > 0.0)
            .then(|| Point3::from(Vector3::from(self.first_moment) / self.volume))
            .filter(|c| c.iter().all(|x| x.is_finite()))
    }

    /// Inertia about the centroid for unit density, mm⁵; `None` without volume.
    #[must_use]
    pub fn inertia(&self) -> Option<Matrix3<f64>> {
        let c = self.centroid()?;
        let [xx, yy, zz, xy, yz, zx] = self.second_moment;
        let v = self.volume;
        let (xx, yy, zz) = (xx - v * c.x * c.x, yy - v * c.y * c.y, zz - v * c.z * c.z);
        let (xy, yz, zx) = (xy - v * c.x * c.y, yz - v * c.y * c.z, zx - v * c.z * c.x);
        Some(Matrix3::new(yy + zz, -xy, -zx, -xy, xx + zz, -yz, -zx, -yz, xx + yy))
    }

    /// Both together.
    #[must_use]
    pub fn plus(mut self, other: &Self) -> Self {
        self.area += other.area;
        self.volume += other.volume;
        for (a, b) in self.first_moment.iter_mut().zip(other.first_moment) {
            *a += b;
        }
        for (a, b) in self.second_moment.iter_mut().zip(other.second_moment) {
            *a += b;
        }
        self
    }
}

/// Area, volume and moments of a closed shell. For an open one only the area means something.
#[must_use]
pub fn measure(shell: &Shell) -> Measures {
    // Moments are taken about a place near the shell, since far from it the parts would cancel badly.
    let near = shell.vertices().first().map_or(Point3::origin(), |v| v.point);
    let mut sum = [0.0; FIELDS];
    let part = |face: &Face| fields(face, &near);
    // Summed in the faces' order, so that the figures do not depend on the number of threads.
    for part in shell.faces().par_iter().map(shared_work(part)).collect::<Vec<_>>() {
        for (s, x) in sum.iter_mut().zip(part) {
            *s += x;
        }
    }
    let [area, volume, x, y, z, xx, yy, zz, xy, yz, zx] = sum;
    let (a, b, c) = (near.x, near.y, near.z);
    Measures {
        area,
        volume,
        first_moment: [x + a * volume, y + b * volume, z + c * volume],
        second_moment: [
            xx + 2.0 * a * x + a * a * volume,
            yy + 2.0 * b * y + b * b * volume,
            zz + 2.0 * c * z + c * c * volume,
            xy + a * y + b * x + a * b * volume,
            yz + b * z + c * y + b * c * volume,
            zx + c * x + a * z + c * a * volume,
        ],
    }
}

/// The volume of a closed shell in mm³ to about six digits; negative where its faces point inwards.
pub(crate) fn rough_volume(shell: &Shell) -> f64 {
    let about = shell.vertices().first().map_or(Point3::origin(), |v| v.point);
    let parts = shell.faces().par_iter().map(shared_work(|f| rough_volume_under(f, &about)));
    // Summed in the faces' order, so that the figure does not depend on the number of threads.
    parts.collect::<Vec<_>>().into_iter().sum()
}

/// What a face adds to the volume of a closed shell, taken about a place, in mm³, to about six digits: a third of the flux of
/// the position.
pub(crate) fn rough_volume_under(face: &Face, about: &Point3) -> f64 {
    let facing = if face.reversed { -1.0 } else { 1.0 };
    integrate(face, ROUGH_POINTS, &|u, v| {
        let (p, du, dv) = face.surface.tangents(u, v);
        [(p - about).dot(&du.cross(&dv)) * facing / 3.0]
    })[0]
}

/// A face's part of area, volume and moments about a place.
fn fields(face: &Face, near: &Point3) -> [f64; FIELDS] {
    let facing = if face.reversed { -1.0 } else { 1.0 };
    integrate(face, MOST_POINTS, &|u, v| {
        let (p, du, dv) = face.surface.tangents(u, v);
        let n = du.cross(&dv);
        let p = p - near;
        let m = n * facing;
        [
            n.norm(),
            p.dot(&m) / 3.0,
            p.x * p.x * m.x / 2.0,
            p.y * p.y * m.y / 2.0,
            p.z * p.z * m.z / 2.0,
            p.x.powi(3) * m.x / 3.0,
            p.y.powi(3) * m.y / 3.0,
            p.z.powi(3) * m.z / 3.0,
            p.x * p.x * p.y * m.x / 2.0,
            p.y * p.y * p.z * m.y / 2.0,
            p.z * p.z * p.x * m.z / 2.0,
        ]
    })
}

/// Area of a shell in mm².
#[must_use]
pub fn area(shell: &Shell) -> f64 {
    shell.faces().par_iter().map(shared_work(face_area)).collect::<Vec<_>>().into_iter().sum()
}

/// Area of a face in mm².
#[must_use]
pub fn face_area(face: &Face) -> f64 {
    let element = |u, v| {
        let (_, du, dv) = face.surface.tangents(u, v);
        [du.cross(&dv).norm()]
    };
    integrate(face, MOST_POINTS, &element)[0]
}

/// Integral of `fields` over the face's part of the parameter plane, with at most so many Gauss points per span.
fn integrate<const N: usize>(face: &Face, most: usize, fields: &impl Fn(f64, f64) -> [f64; N]) -> [f64; N] {
    let surface = &face.surface;
    let breaks = [surface.knots_u().breaks(), surface.knots_v().breaks()];
    let rules = rules(surface, most);
    // The inner integral runs in the direction that takes fewer points.
    let points = [0, 1].map(|k| (breaks[k].len() - 1) * rules[k].len());
    let inner = usize::from(points[1] < points[0]);
    let outer = 1 - inner;
    let turn = if inner == 0 { 1.0 } else { -1.0 };
    // From any level parameter line the closed loops give the same; the nearest one takes least.
    let uses = || face.loops.iter().flat_map(|l| &l.edges);
    let lowest =
        uses().flat_map(|e| e.pcurve.control_points()).map(|p| p[inner]).fold(f64::INFINITY, f64::min);
    let (du, dv) = surface.domain();
    let base = [du, dv][inner].clamp(lowest);
    let first = breaks[inner].partition_point(|b| *b <= base).saturating_sub(1);
    let mut sum = [0.0; N];
    for used in uses() {
        let curve = &used.pcurve;
        let along = if used.forward { turn } else { -turn };
        let straight = |k: usize| curve.degree() == 1 && curve.start()[k] == curve.end()[k];
        if straight(outer) {
            continue;
        }
        let cuts = cuts(curve, &breaks);
        let rule = match (straight(inner), cuts.len()) {
            (true, _) => rules[outer],
            (false, VERY_FINE_SPANS..) => gauss_legendre(most.div_ceil(4)),
            (false, FINE_SPANS..) => gauss_legendre(most.div_ceil(2)),
            (false, _) => gauss_legendre(most),
        };
        for pair in cuts.windows(2) {
            let length = pair[1] - pair[0];
            for &(x, weight) in rule {
                let (p, d) = curve.moving(pair[0] + x * length);
                let factor = weight * length * d[outer] * along;
                if factor == 0.0 || p[inner] <= base {
                    continue;
                }
                for span in breaks[inner][first..].windows(2).take_while(|s| s[0] < p[inner]) {
                    let from = span[0].max(base);
                    let width = span[1].min(p[inner]) - from;
                    for &(y, weight) in rules[inner] {
                        let at = from + y * width;
                        let values = if inner == 0 { fields(at, p[outer]) } else { fields(p[outer], at) };
                        for (s, value) in sum.iter_mut().zip(values) {
                            *s += factor * weight * width * value;
                        }
                    }
                }
            }
        }
    }
    sum
}

/// Gauss rules in u and v. Along a direction in which the weights do not vary, the moments are polynomials of degree
/// below five times the surface's; the area element is not, and needs more where there are few spans.
fn rules(surface: &NurbsSurface, most: usize) -> [&'static [(f64, f64)]; 2] {
    let columns = surface.knots_v().point_count();
    let h = surface.homogeneous();
    if surface.into_parameters().is_some() {
        // A parallelogram: its area element is the same everywhere.
        return [gauss_legendre(FLAT_POINTS); 2];
    }
    let plain_u = (0..h.len()).all(|k| h[k].w == h[k % columns].w);
    let plain_v = (0..h.len()).all(|k| h[k].w == h[k - k % columns].w);
    [(surface.knots_u(), plain_u), (surface.knots_v(), plain_v)].map(|(knots, plain)| {
        let enough = (5 * knots.degree()).div_ceil(2);
        let spans = knots.breaks().len();
        gauss_legendre(match spans {
            VERY_FINE_SPANS.. => most.div_ceil(4) + 1,
            _ if !plain || spans <= MANY_SPANS => most,
            FINE_SPANS.. => most.min(knots.degree() + 2),
            _ => most.min(enough),
        })
    })
}

/// Parameters where a parameter curve has knots of its own or crosses a knot line of the surface.
fn cuts(curve: &NurbsCurve, breaks: &[Vec<f64>; 2]) -> Vec<f64> {
    /// Places per span at which crossings are looked for, and as many as are enough on all spans together.
    const SAMPLES: usize = 16;
    const ENOUGH: usize = 128;
    let mut cuts = curve.knots().breaks();
    let straight = curve.degree() == 1 && !curve.is_rational();
    let samples = if straight { 1 } else { ENOUGH.div_ceil(cuts.len()).clamp(2, SAMPLES) };
    let places = curve.knots().sampled(samples).into_iter().map(|t| (t, curve.point(t))).collect::<Vec<_>>();
    for pair in places.windows(2) {
        let ((a, pa), (b, pb)) = (pair[0], pair[1]);
        for (axis, breaks) in breaks.iter().enumerate() {
            let inner = &breaks[1..breaks.len() - 1];
            let below = |x: f64| inner.partition_point(|value| *value < x);
            let (i, j) = (below(pa[axis]), below(pb[axis]));
            for &value in &inner[i.min(j)..i.max(j)] {
                cuts.push(if straight {
                    a + (b - a) * (value - pa[axis]) / (pb[axis] - pa[axis])
                } else {
                    bisect(a, b, |t| curve.point(t)[axis] > value)
                });
            }
        }
    }
    cuts.sort_by(f64::total_cmp);
    let least = (cuts[cuts.len() - 1] - cuts[0]) * 1e-12;
    cuts.dedup_by(|b, a| *b - *a < least);
    cuts
}
