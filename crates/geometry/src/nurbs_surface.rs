use std::sync::{Arc, OnceLock};

use nalgebra::{Matrix3, Matrix4};
use serde::{Deserialize, Serialize};

use crate::bezier_pieces::BezierPieces;
use crate::nurbs_curve::{SAME_WEIGHT, lift, project};
use crate::{Domain, GeometryError, Homogeneous, KnotVector, NurbsCurve, Point3, Vector3};

/// A rational B-spline surface; its control net is stored row by row, the v index running fastest.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(try_from = "StoredSurface", into = "StoredSurface")]
pub struct NurbsSurface {
    u: KnotVector,
    v: KnotVector,
    points: Vec<Homogeneous>,
    pieces: OnceLock<Arc<BezierPieces>>,
}

#[derive(Serialize, Deserialize)]
struct StoredSurface {
    u: KnotVector,
    v: KnotVector,
    points: Vec<Homogeneous>,
}

impl TryFrom<StoredSurface> for NurbsSurface {
    type Error = GeometryError;
    fn try_from(s: StoredSurface) -> Result<Self, GeometryError> {
        Self::from_homogeneous(s.u, s.v, s.points)
    }
}

impl From<NurbsSurface> for StoredSurface {
    fn from(s: NurbsSurface) -> Self {
        Self { u: s.u, v: s.v, points: s.points }
    }
}

impl PartialEq for NurbsSurface {
    fn eq(&self, other: &Self) -> bool {
        self.u == other.u && self.v == other.v && self.points == other.points
    }
}

/// A point of a surface with its first and second derivatives by the parameters.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SurfaceDerivatives {
    /// The point.
    pub point: Point3,
    /// First derivative by u.
    pub u: Vector3,
    /// First derivative by v.
    pub v: Vector3,
    /// Second derivative by u.
    pub uu: Vector3,
    /// Mixed derivative.
    pub uv: Vector3,
    /// Second derivative by v.
    pub vv: Vector3,
}

impl SurfaceDerivatives {
    /// `Su x Sv`, its length the area that a unit of parameter covers.
    #[must_use]
    pub fn area_vector(&self) -> Vector3 {
        self.u.cross(&self.v)
    }

    /// The surface's own rates of u and v for a motion along it with the velocity `along`, of which only the part in the
    /// tangent plane counts. `None` where the surface has no tangent plane.
    #[must_use]
    pub fn rates(&self, along: &Vector3) -> Option<(f64, f64)> {
        let (e, f, g) = (self.u.dot(&self.u), self.u.dot(&self.v), self.v.dot(&self.v));
        let area = e * g - f * f;
        if area <= 1e-18 * e.max(g).powi(2) {
            return None;
        }
        let (a, b) = (along.dot(&self.u), along.dot(&self.v));
        Some(((g * a - f * b) / area, (e * b - f * a) / area))
    }

    /// The acceleration along the surface's normal of a motion with the velocity `along`: for a unit one the normal
    /// curvature, positive where the surface bends toward its normal.
    ///
    /// # References
    /// do Carmo, Differential Geometry of Curves and Surfaces, section 3-2.
    #[must_use]
    pub fn normal_curvature(&self, along: &Vector3) -> Option<f64> {
        let (a, b) = self.rates(along)?;
        let n = self.area_vector().try_normalize(f64::MIN_POSITIVE)?;
        Some((self.uu * a * a + self.uv * 2.0 * a * b + self.vv * b * b).dot(&n))
    }

    /// Gaussian and mean curvature; the mean is positive where the surface bends toward its normal.
    /// `None` where the surface has no normal.
    ///
    /// # References
    /// do Carmo, Differential Geometry of Curves and Surfaces, section 3-3.
    #[must_use]
    pub fn curvatures(&self) -> Option<(f64, f64)> {
        let n = self.area_vector().try_normalize(1e-14)?;
        let (e, f, g) = (self.u.dot(&self.u), self.u.dot(&self.v), self.v.dot(&self.v));
        let (l, m, k) = (self.uu.dot(&n), self.uv.dot(&n), self.vv.dot(&n));
        let area = e * g - f * f;
        Some(((l * k - m * m) / area, (e * k - 2.0 * f * m + g * l) / (2.0 * area)))
    }
}

impl SurfaceDerivatives {
    /// The largest normal curvature in any direction, without its sign; 0 where the surface has no normal.
    ///
    /// # References
    /// do Carmo, Differential Geometry of Curves and Surfaces, section 3-2: principal curvatures are H ± sqrt(H² - K).
    #[must_use]
    pub fn largest_curvature(&self) -> f64 {
        self.curvatures().map_or(0.0, |(k, h)| h.abs() + (h * h - k).max(0.0).sqrt())
    }
}

impl NurbsSurface {
    /// A surface from knots in both directions and homogeneous control points, v running fastest.
    ///
    /// # Errors
    /// `KnotCount` when the numbers do not belong together, `BadNumber` for a coordinate that is not finite or a
    /// weight that is not positive.
    pub fn from_homogeneous(
        u: KnotVector,
        v: KnotVector,
        points: Vec<Homogeneous>,
    ) -> Result<Self, GeometryError> {
        let rows = u.point_count();
        if rows * v.point_count() != points.len() {
            let (knots, degree) = (v.knots().len(), v.degree());
            return Err(GeometryError::KnotCount { knots, points: points.len() / rows.max(1), degree });
        }
        if let Some(bad) = points.iter().position(|p| !p.iter().all(|c| c.is_finite()) || p.w <= 0.0) {
            return Err(GeometryError::BadNumber(bad));
        }
        Ok(Self::new_unchecked(u, v, points))
    }

    /// A surface from knots, control points and weights (`None`: all weights 1), v running fastest.
    ///
    /// # Errors
    /// As [`NurbsSurface::from_homogeneous`].
    pub fn try_new(
        u: KnotVector,
        v: KnotVector,
        points: &[Point3],
        weights: Option<&[f64]>,
    ) -> Result<Self, GeometryError> {
        if weights.is_some_and(|w| w.len() != points.len()) {
            return Err(GeometryError::BadNumber(points.len()));
        }
        let h = points.iter().enumerate().map(|(i, p)| lift(p, weights.map_or(1.0, |w| w[i]))).collect();
        Self::from_homogeneous(u, v, h)
    }

    pub(crate) fn new_unchecked(u: KnotVector, v: KnotVector, points: Vec<Homogeneous>) -> Self {
        Self { u, v, points, pieces: OnceLock::new() }
    }

    /// The bilinear patch with corners at (u, v) = (0,0), (1,0), (0,1), (1,1).
    #[must_use]
    pub fn bilinear(p00: Point3, p10: Point3, p01: Point3, p11: Point3) -> Self {
        let points = [p00, p01, p10, p11].iter().map(|p| lift(p, 1.0)).collect();
        Self::new_unchecked(KnotVector::bezier(1), KnotVector::bezier(1), points)
    }

    /// The ruled surface from `start` (u = 0) to `end` (u = 1), two curves with the same knots; v runs along them.
    ///
    /// # Errors
    /// `KnotCount` when the knots differ.
    pub fn ruled(start: &NurbsCurve, end: &NurbsCurve) -> Result<Self, GeometryError> {
        if start.knots() != end.knots() {
            return Err(GeometryError::KnotCount {
                knots: end.knots().knots().len(),
                points: start.homogeneous().len(),
                degree: end.degree(),
            });
        }
        let points = start.homogeneous().iter().chain(end.homogeneous()).copied().collect();
        Ok(Self::new_unchecked(KnotVector::bezier(1), start.knots().clone(), points))
    }

    /// Knots in u.
    #[must_use]
    pub fn knots_u(&self) -> &KnotVector {
        &self.u
    }

    /// Knots in v.
    #[must_use]
    pub fn knots_v(&self) -> &KnotVector {
        &self.v
    }

    /// Parameter intervals in u and v.
    #[must_use]
    pub fn domain(&self) -> (Domain, Domain) {
        (self.u.domain(), self.v.domain())
    }

    /// Homogeneous control points, v running fastest.
    #[must_use]
    pub fn homogeneous(&self) -> &[Homogeneous] {
        &self.points
    }

    /// Whether the weights differ.
    #[must_use]
    pub fn is_rational(&self) -> bool {
        self.points.iter().any(|p| (p.w - self.points[0].w).abs() > SAME_WEIGHT * self.points[0].w)
    }

    pub(crate) fn pieces(&self) -> &BezierPieces {
        self.pieces.get_or_init(|| Arc::new(BezierPieces::new(&self.u, &self.v, &self.points)))
    }

    /// The point at parameters; outside the domain the nearest place of the border.
    #[must_use]
    pub fn point(&self, u: f64, v: f64) -> Point3 {
        let [x, y, z, w] = self.pieces().point(u, v);
        let inverse = 1.0 / w;
        Point3::new(x * inverse, y * inverse, z * inverse)
    }

    /// Points on the grid `us` x `vs`, row by row.
    #[must_use]
    pub fn grid(&self, us: &[f64], vs: &[f64]) -> Vec<Point3> {
        let mut out = Vec::with_capacity(us.len() * vs.len());
        self.pieces().grid(us, vs, |[x, y, z, w]| {
            let inverse = 1.0 / w;
            out.push(Point3::new(x * inverse, y * inverse, z * inverse));
        });
        out
    }

    /// Point and first derivatives by u and v.
    #[must_use]
    pub fn tangents(&self, u: f64, v: f64) -> (Point3, Vector3, Vector3) {
        let h = self.pieces().tangents(u, v);
        let inverse = 1.0 / h[0][3];
        let part = |k: usize| Vector3::new(h[k][0], h[k][1], h[k][2]);
        let s = part(0) * inverse;
        let (su, sv) = ((part(1) - s * h[1][3]) * inverse, (part(2) - s * h[2][3]) * inverse);
        (Point3::from(s), su, sv)
    }

    /// Point, first and second derivatives.
    ///
    /// # References
    /// Algorithm A4.4, written out for second order.
    #[must_use]
    pub fn derivatives(&self, u: f64, v: f64) -> SurfaceDerivatives {
        let h = self.pieces().derivatives(u, v);
        let inverse = 1.0 / h[0][3];
        let part = |k: usize| Vector3::new(h[k][0], h[k][1], h[k][2]);
        let s = part(0) * inverse;
        let su = (part(1) - s * h[1][3]) * inverse;
        let sv = (part(2) - s * h[2][3]) * inverse;
        let uu = (part(3) - su * (2.0 * h[1][3]) - s * h[3][3]) * inverse;
        let uv = (part(4) - su * h[2][3] - sv * h[1][3] - s * h[4][3]) * inverse;
        let vv = (part(5) - sv * (2.0 * h[2][3]) - s * h[5][3]) * inverse;
        SurfaceDerivatives { point: Point3::from(s), u: su, v: sv, uu, uv, vv }
    }

    /// Unit normal `Su x Sv`; at a pole the limit from inside the surface. `None` where there is none.
    #[must_use]
    pub fn normal(&self, u: f64, v: f64) -> Option<Vector3> {
        let (_, su, sv) = self.tangents(u, v);
        let scale = su.norm().max(sv.norm());
        let n = su.cross(&sv);
        if n.norm() > 1e-9 * scale * scale {
            return Some(n.normalize());
        }
        // Where one derivative vanishes all along a border, it grows inwards as the mixed one says.
        let (du, dv) = self.domain();
        let d = self.derivatives(u, v);
        let inwards = |t: f64, d: Domain| if t - d.start < d.end - t { 1.0 } else { -1.0 };
        let limit = if su.norm() < sv.norm() {
            d.uv.cross(&d.v) * inwards(v, dv)
        } else {
            d.u.cross(&d.uv) * inwards(u, du)
        };
        limit.try_normalize(1e-9 * scale * scale)
    }

    /// For u and for v, whether the surface ends along it where it begins, all along that border, within `resolution` mm.
    #[must_use]
    pub fn closes(&self, resolution: f64) -> [bool; 2] {
        let (u, v) = self.domain();
        let same = |a: NurbsCurve, b: NurbsCurve| {
            let near = |(p, q): (&Homogeneous, &Homogeneous)| {
                (p.xyz() / p.w - q.xyz() / q.w).norm() <= resolution && (p.w / q.w - 1.0).abs() <= 1e-9
            };
            a.homogeneous().iter().zip(b.homogeneous()).all(near)
        };
        [
            same(self.curve_at_u(u.start), self.curve_at_u(u.end)),
            same(self.curve_at_v(v.start), self.curve_at_v(v.end)),
        ]
    }

    /// The affine map from space, square to it, into the parameter plane of a surface that is a parallelogram; `None` for any
    /// other one.
    #[must_use]
    pub fn into_parameters(&self) -> Option<Matrix4<f64>> {
        /// Units in the last place within which the fourth corner is where the others put it.
        const LAST_PLACES: f64 = 8.0;
        let [a, b, c, d] = &self.points[..] else { return None };
        let [start, over_v, over_u, end] = [a, b, c, d].map(project);
        let (across, along) = (over_u - start, over_v - start);
        let size = start.coords.norm() + across.norm() + along.norm();
        let even = [b, c, d].iter().all(|h| h.w == a.w);
        if !even || (end - start - across - along).norm() > LAST_PLACES * f64::EPSILON * size {
            return None;
        }
        let domains: [Domain; 2] = self.domain().into();
        let rates = [across / domains[0].length(), along / domains[1].length()];
        let inverse = Matrix3::from_columns(&[rates[0], rates[1], across.cross(&along)]).try_inverse()?;
        let mut map = Matrix4::zeros();
        for k in 0..2 {
            map.fixed_view_mut::<1, 3>(k, 0).copy_from(&inverse.row(k));
            map[(k, 3)] = domains[k].start - inverse.row(k).transpose().dot(&start.coords);
        }
        map[(3, 3)] = 1.0;
        Some(map)
    }

    /// The surface under an affine map of space.
    #[must_use]
    pub fn transformed(&self, map: &Matrix4<f64>) -> Self {
        let points = self.points.iter().map(|p| map * p).collect();
        Self::new_unchecked(self.u.clone(), self.v.clone(), points)
    }

    /// Control points in space, v running fastest.
    #[must_use]
    pub fn control_points(&self) -> Vec<Point3> {
        self.points.iter().map(project).collect()
    }
}
