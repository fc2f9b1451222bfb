//! A surface as triangles to search in: where to begin, never what comes out.

use std::sync::Arc;

use crate::{
    Box3, BoxTree, Domain, NurbsSurface, Point3, Vector3, box_of, check_work, grown, parameter_lines,
};

/// Chord of the triangles as a share of the surface's size.
const CHORD: f64 = 1e-3;
/// Largest turn over one cell, in radians: smaller loops than a cell are looked for by themselves.
const ANGLE: f64 = 0.3;
/// Corners are moved by this share of the size, so that no four of them lie in a plane by design.
const STIR: f64 = 1e-8;

/// Triangles over a rectangle of a surface's domain, with a tree to find them by place.
#[derive(Debug, Clone)]
pub struct Facets {
    surface: Arc<NurbsSurface>,
    lines: [Vec<f64>; 2],
    pub(crate) parameters: Vec<[f64; 2]>,
    pub(crate) points: Vec<Point3>,
    /// Unit normals at the corners, zero where the surface has none.
    normals: Vec<Vector3>,
    pub(crate) triangles: Vec<[usize; 3]>,
    /// Largest distance between a triangle and the surface that was measured, with some to spare.
    pub(crate) deviation: f64,
    tree: BoxTree,
}

impl Facets {
    /// Triangles over the part of a surface within `domain`.
    #[must_use]
    pub fn new(surface: Arc<NurbsSurface>, domain: [Domain; 2]) -> Self {
        check_work();
        let net = box_of(surface.control_points().iter());
        let size = (Point3::from(net.upper()) - Point3::from(net.lower())).norm();
        let (us, vs) = parameter_lines(&surface, CHORD * size, ANGLE, 1.0);
        let within = |lines: Vec<f64>, d: Domain| {
            let margin = 1e-9 * d.length();
            let inner = lines.into_iter().filter(|t| *t > d.start + margin && *t < d.end - margin);
            std::iter::once(d.start).chain(inner).chain([d.end]).collect()
        };
        let lines = [within(us, domain[0]), within(vs, domain[1])];
        Self::over(surface, lines)
    }

    /// The same with more parameter lines in u and v.
    pub(crate) fn with_lines(&self, more: &[[f64; 2]]) -> Self {
        check_work();
        let mut lines = self.lines.clone();
        for (k, lines) in lines.iter_mut().enumerate() {
            lines.extend(more.iter().map(|m| m[k]));
            lines.sort_by(f64::total_cmp);
            let least = 1e-9 * (lines[lines.len() - 1] - lines[0]);
            let end = lines[lines.len() - 1];
            lines.dedup_by(|b, a| *b - *a <= least);
            if let Some(last) = lines.last_mut() {
                *last = end;
            }
        }
        Self::over(Arc::clone(&self.surface), lines)
    }

    fn over(surface: Arc<NurbsSurface>, lines: [Vec<f64>; 2]) -> Self {
        let [us, vs] = &lines;
        let n = vs.len();
        let mut triangles = Vec::with_capacity(2 * us.len() * n);
        for i in 0..us.len() - 1 {
            for j in 0..n - 1 {
                let [p, q, r, s] = [i * n + j, (i + 1) * n + j, (i + 1) * n + j + 1, i * n + j + 1];
                triangles.extend([[p, q, r], [p, r, s]]);
            }
        }
        let parameters: Vec<[f64; 2]> = us.iter().flat_map(|&u| vs.iter().map(move |&v| [u, v])).collect();
        let mut points = surface.grid(us, vs);
        let middles = |lines: &[f64]| -> Vec<f64> { lines.windows(2).map(|w| 0.5 * (w[0] + w[1])).collect() };
        let centres = surface.grid(&middles(us), &middles(vs));
        let mut deviation = 0.0_f64;
        for (cell, centre) in centres.iter().enumerate() {
            for t in &triangles[2 * cell..2 * cell + 2] {
                let [a, b, c] = t.map(|i| points[i]);
                let normal = (b - a).cross(&(c - a));
                let off = normal.try_normalize(f64::MIN_POSITIVE).map_or(0.0, |n| (centre - a).dot(&n).abs());
                deviation = deviation.max(off);
            }
        }
        let size = points.iter().map(|p| (p - points[0]).norm()).fold(0.0, f64::max);
        let stir = STIR * size;
        // Surfaces that share corners are to be stirred each in its own way.
        let mixed = |p: &Point3| p.iter().fold(0u64, |h, x| h.rotate_left(21) ^ x.to_bits());
        let salt = mixed(&points[0]) ^ mixed(&points[points.len() - 1]).rotate_left(32);
        for (i, p) in points.iter_mut().enumerate() {
            *p += stirred(salt.wrapping_add(i as u64)) * stir;
        }
        let normals =
            parameters.iter().map(|&[u, v]| surface.normal(u, v).unwrap_or_default()).collect::<Vec<_>>();
        let boxes =
            triangles.iter().enumerate().map(|(t, corners)| (box_of(corners.iter().map(|&i| &points[i])), t));
        let tree = BoxTree::new(boxes);
        let deviation = 1.5 * deviation + 4.0 * stir;
        Self { surface, lines, parameters, points, normals, triangles, deviation, tree }
    }

    /// The surface.
    #[must_use]
    pub fn surface(&self) -> &Arc<NurbsSurface> {
        &self.surface
    }

    /// The rectangle of the surface's domain that they cover.
    #[must_use]
    pub fn domain(&self) -> [Domain; 2] {
        [0, 1].map(|k| Domain::new(self.lines[k][0], self.lines[k][self.lines[k].len() - 1]))
    }

    /// Borders that shrink to a point: the parameter that stands still there, its value, and the point.
    pub(crate) fn poles(&self, resolution: f64) -> Vec<(usize, f64, Point3)> {
        let (m, n) = (self.lines[0].len(), self.lines[1].len());
        let [du, dv] = self.domain();
        let at = |i: usize, j: usize| self.surface.point(self.lines[0][i], self.lines[1][j]);
        let is_pole = |border: Vec<Point3>| {
            let near = |p: &Point3| (p - border[0]).norm() <= resolution;
            border.iter().all(near).then_some(border[0])
        };
        let borders = [
            (0, du.start, (0..n).map(|j| at(0, j)).collect::<Vec<_>>()),
            (0, du.end, (0..n).map(|j| at(m - 1, j)).collect()),
            (1, dv.start, (0..m).map(|i| at(i, 0)).collect()),
            (1, dv.end, (0..m).map(|i| at(i, n - 1)).collect()),
        ];
        borders.into_iter().filter_map(|(k, value, line)| Some((k, value, is_pole(line)?))).collect()
    }

    /// A box that holds all of the surface that they stand for.
    #[must_use]
    pub fn bounds(&self) -> Box3 {
        grown(&box_of(self.points.iter()), self.deviation)
    }

    pub(crate) fn triangle_bounds(&self, triangle: usize) -> Box3 {
        box_of(self.corners(triangle).iter())
    }

    /// Triangles whose boxes meet a box, in rising order.
    pub(crate) fn near(&self, bounds: &Box3) -> Vec<usize> {
        check_work();
        self.tree.meeting(bounds)
    }

    /// A cone that holds the normals of a triangle's corners: its axis, and its half angle in radians. `None` where a
    /// corner has no normal.
    pub(crate) fn normal_cone(&self, triangle: usize) -> Option<(Vector3, f64)> {
        let normals = self.triangles[triangle].map(|i| self.normals[i]);
        let axis = (normals[0] + normals[1] + normals[2]).try_normalize(1e-9)?;
        let angle = |n: &Vector3| axis.dot(n).clamp(-1.0, 1.0).acos();
        normals
            .iter()
            .all(|n| n.norm_squared() > 0.5)
            .then(|| (axis, normals.iter().map(angle).fold(0.0, f64::max)))
    }

    pub(crate) fn corners(&self, triangle: usize) -> [Point3; 3] {
        self.triangles[triangle].map(|i| self.points[i])
    }

    /// Parameters of the place that has the given shares of a triangle's corners.
    pub(crate) fn weighted(&self, triangle: usize, weights: [f64; 3]) -> [f64; 2] {
        let at = self.triangles[triangle].map(|i| self.parameters[i]);
        [0, 1].map(|k| (0..3).map(|c| at[c][k] * weights[c]).sum())
    }

    /// The middle of a triangle.
    pub(crate) fn centre(&self, triangle: usize) -> Point3 {
        let [a, b, c] = self.corners(triangle);
        Point3::from((a.coords + b.coords + c.coords) / 3.0)
    }

    /// How far a triangle reaches.
    pub(crate) fn extent(&self, triangle: usize) -> f64 {
        let [a, b, c] = self.corners(triangle);
        (b - a).norm().max((c - b).norm()).max((a - c).norm())
    }

    /// Parameters of a place of a triangle beside a point.
    pub(crate) fn beside(&self, triangle: usize, point: &Point3) -> [f64; 2] {
        let [a, b, c] = self.corners(triangle);
        let normal = (b - a).cross(&(c - a));
        let whole = normal.norm_squared().max(f64::MIN_POSITIVE);
        let weight = |s: &Point3, e: &Point3| ((s - point).cross(&(e - point)).dot(&normal) / whole).max(0.0);
        let weights = [weight(&b, &c), weight(&c, &a), weight(&a, &b)];
        let sum: f64 = weights.iter().sum();
        self.weighted(triangle, weights.map(|w| w / sum.max(f64::MIN_POSITIVE)))
    }
}

/// A vector within the unit cube that looks random and is always the same.
fn stirred(i: u64) -> Vector3 {
    // SplitMix64 (Steele, Lea & Flood, 2014).
    let mixed = |k: u64| {
        let mut z = i.wrapping_mul(3).wrapping_add(k + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 52) as f64 - 1.0
    };
    Vector3::new(mixed(0), mixed(1), mixed(2))
}
