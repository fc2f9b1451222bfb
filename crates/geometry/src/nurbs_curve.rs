use nalgebra::Matrix4;
use serde::{Deserialize, Serialize};

use crate::{Domain, GeometryError, Homogeneous, KnotVector, Point3, Vector3};

/// A rational B-spline curve in space; also used, with z = 0, for curves in a parameter or drawing plane.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct NurbsCurve {
    knots: KnotVector,
    points: Vec<Homogeneous>,
}

/// Share within which two weights are the same but for rounding.
pub(crate) const SAME_WEIGHT: f64 = 1e-12;

pub(crate) fn project(h: &Homogeneous) -> Point3 {
    Point3::new(h.x / h.w, h.y / h.w, h.z / h.w)
}

pub(crate) fn lift(p: &Point3, weight: f64) -> Homogeneous {
    Homogeneous::new(p.x * weight, p.y * weight, p.z * weight, weight)
}

impl NurbsCurve {
    /// A curve from knots, control points and one weight each (`None`: all weights 1).
    ///
    /// # Errors
    /// `KnotCount` when the numbers do not belong together, `BadNumber` for a coordinate that is not finite or a
    /// weight that is not positive.
    pub fn try_new(
        knots: KnotVector,
        points: &[Point3],
        weights: Option<&[f64]>,
    ) -> Result<Self, GeometryError> {
        if weights.is_some_and(|w| w.len() != points.len()) {
            return Err(GeometryError::BadNumber(points.len()));
        }
        let homogeneous =
            points.iter().enumerate().map(|(i, p)| lift(p, weights.map_or(1.0, |w| w[i]))).collect();
        Self::from_homogeneous(knots, homogeneous)
    }

    /// A curve from homogeneous control points.
    ///
    /// # Errors
    /// As [`NurbsCurve::try_new`].
    pub fn from_homogeneous(knots: KnotVector, points: Vec<Homogeneous>) -> Result<Self, GeometryError> {
        if knots.point_count() != points.len() {
            return Err(GeometryError::KnotCount {
                knots: knots.knots().len(),
                points: points.len(),
                degree: knots.degree(),
            });
        }
        if let Some(bad) = points.iter().position(|p| !p.iter().all(|c| c.is_finite()) || p.w <= 0.0) {
            return Err(GeometryError::BadNumber(bad));
        }
        Ok(Self { knots, points })
    }

    pub(crate) fn new_unchecked(knots: KnotVector, points: Vec<Homogeneous>) -> Self {
        debug_assert_eq!(knots.point_count(), points.len());
        Self { knots, points }
    }

    /// The straight line from `start` to `end` over `[0, 1]`.
    #[must_use]
    pub fn line(start: Point3, end: Point3) -> Self {
        Self { knots: KnotVector::bezier(1), points: vec![lift(&start, 1.0), lift(&end, 1.0)] }
    }

    /// A control-point curve: the points are its control polygon, with even knots and degree 3, or less where
    /// there are fewer points.
    ///
    /// # Errors
    /// `TooFewPoints` under two points, `RepeatedPoint` for neighbours nearer than `resolution`, `BadNumber`.
    pub fn from_control_points(points: &[Point3], resolution: f64) -> Result<Self, GeometryError> {
        crate::interpolate::check_points(points, resolution)?;
        let knots = KnotVector::clamped_uniform((points.len() - 1).min(3), points.len())?;
        Self::try_new(knots, points, None)
    }

    /// Knots and degree.
    #[must_use]
    pub fn knots(&self) -> &KnotVector {
        &self.knots
    }

    /// The degree.
    #[must_use]
    pub fn degree(&self) -> usize {
        self.knots.degree()
    }

    /// The parameter interval.
    #[must_use]
    pub fn domain(&self) -> Domain {
        self.knots.domain()
    }

    /// Control points in homogeneous form.
    #[must_use]
    pub fn homogeneous(&self) -> &[Homogeneous] {
        &self.points
    }

    /// Control points in space.
    #[must_use]
    pub fn control_points(&self) -> Vec<Point3> {
        self.points.iter().map(project).collect()
    }

    /// One weight per control point.
    #[must_use]
    pub fn weights(&self) -> Vec<f64> {
        self.points.iter().map(|p| p.w).collect()
    }

    /// The weight at a parameter.
    #[must_use]
    pub fn weight(&self, parameter: f64) -> f64 {
        let t = self.domain().clamp(parameter);
        let span = self.knots.span(t);
        let n = self.knots.basis(span, t);
        let p = self.degree();
        (0..=p).map(|j| self.points[span - p + j].w * n[j]).sum()
    }

    /// Whether the weights differ.
    #[must_use]
    pub fn is_rational(&self) -> bool {
        self.points.iter().any(|p| (p.w - self.points[0].w).abs() > SAME_WEIGHT * self.points[0].w)
    }

    /// Whether all of it lies within `resolution` mm of its start, as a border does that shrinks to a pole.
    #[must_use]
    pub fn is_point(&self, resolution: f64) -> bool {
        let start = self.start();
        self.points.iter().all(|h| (project(h) - start).norm() <= resolution)
    }

    /// First point.
    #[must_use]
    pub fn start(&self) -> Point3 {
        project(&self.points[0])
    }

    /// Last point.
    #[must_use]
    pub fn end(&self) -> Point3 {
        project(&self.points[self.points.len() - 1])
    }

    /// The point at a parameter; outside the domain the nearer end.
    ///
    /// # References
    /// Algorithm A4.1.
    #[must_use]
    pub fn point(&self, parameter: f64) -> Point3 {
        let t = self.domain().clamp(parameter);
        let span = self.knots.span(t);
        let n = self.knots.basis(span, t);
        let p = self.degree();
        let sum = (0..=p).fold(Homogeneous::zeros(), |sum, j| sum + self.points[span - p + j] * n[j]);
        project(&sum)
    }

    /// First derivative at a parameter.
    ///
    /// # References
    /// Section 4.3, equation 4.8.
    #[must_use]
    pub fn velocity(&self, parameter: f64) -> Vector3 {
        self.moving(parameter).1
    }

    /// Point and first derivative at a parameter, for little more than the point alone.
    ///
    /// # References
    /// Section 4.3, equation 4.8.
    #[must_use]
    pub fn moving(&self, parameter: f64) -> (Point3, Vector3) {
        let t = self.domain().clamp(parameter);
        let span = self.knots.span(t);
        let first = span - self.degree();
        let sums = self.knots.basis_and_slope(span, t).map(|n| {
            let points = self.points[first..=span].iter().zip(n);
            points.fold(Homogeneous::zeros(), |sum, (p, n)| sum + p * n)
        });
        let [h, d] = sums;
        (project(&h), (d.xyz() - h.xyz() * (d.w / h.w)) / h.w)
    }

    /// Point and first three derivatives at a parameter.
    ///
    /// # References
    /// Algorithms A3.2 and A4.2.
    #[must_use]
    pub fn derivatives(&self, parameter: f64) -> (Point3, [Vector3; 3]) {
        let t = self.domain().clamp(parameter);
        let span = self.knots.span(t);
        let n = self.knots.basis_derivatives(span, t);
        let p = self.degree();
        let mut h = [Homogeneous::zeros(); 4];
        for (k, sum) in h.iter_mut().enumerate() {
            for j in 0..=p {
                *sum += self.points[span - p + j] * n[k][j];
            }
        }
        let w = h[0].w;
        let c = h[0].xyz() / w;
        let c1 = (h[1].xyz() - c * h[1].w) / w;
        let c2 = (h[2].xyz() - c1 * (2.0 * h[1].w) - c * h[2].w) / w;
        let c3 = (h[3].xyz() - c2 * (3.0 * h[1].w) - c1 * (3.0 * h[2].w) - c * h[3].w) / w;
        (Point3::from(c), [c1, c2, c3])
    }

    /// Unit tangent at a parameter; `None` where the curve stands still.
    #[must_use]
    pub fn tangent(&self, parameter: f64) -> Option<Vector3> {
        let (_, [d1, d2, _]) = self.derivatives(parameter);
        d1.try_normalize(1e-12).or_else(|| d2.try_normalize(1e-12))
    }

    /// Curvature at a parameter, in 1/mm; 0 where the curve stands still.
    #[must_use]
    pub fn curvature(&self, parameter: f64) -> f64 {
        let (_, [d1, d2, _]) = self.derivatives(parameter);
        let speed = d1.norm();
        if speed < 1e-12 { 0.0 } else { d1.cross(&d2).norm() / speed.powi(3) }
    }

    /// The curve with its first and last control point moved, so that its ends are those places.
    #[must_use]
    pub fn with_ends(&self, start: Option<Point3>, end: Option<Point3>) -> Self {
        let mut points = self.points.clone();
        let last = points.len() - 1;
        for (i, place) in [(0, start), (last, end)] {
            if let Some(p) = place {
                points[i] = lift(&p, points[i].w);
            }
        }
        Self { knots: self.knots.clone(), points }
    }

    /// A plain spline with its control points next to the start moved, so that it leaves the start with these
    /// derivatives by the parameter, first and second; `None` where it is rational or has no such control points.
    ///
    /// # References
    /// Section 3.3, equations 3.7 to 3.10, solved for the control points.
    #[must_use]
    pub fn with_start_derivatives(&self, derivatives: &[Vector3]) -> Option<Self> {
        let (p, u) = (self.degree(), self.knots.knots());
        if self.is_rational() || derivatives.len() >= self.points.len() || derivatives.len() > p.min(2) {
            return None;
        }
        let mut points = self.control_points();
        let degree = p as f64;
        if let Some(first) = derivatives.first() {
            points[1] = points[0] + first * (u[p + 1] - u[1]) / degree;
        }
        if let [first, second] = derivatives {
            let change = second * (u[p + 1] - u[2]) / (degree * (degree - 1.0));
            points[2] = points[1] + (first / degree + change) * (u[p + 2] - u[2]);
        }
        let points = points.iter().map(|p| lift(p, 1.0)).collect();
        Some(Self { knots: self.knots.clone(), points })
    }

    /// The same curve over another domain.
    #[must_use]
    pub fn over(&self, domain: Domain) -> Self {
        Self { knots: self.knots.over(domain), points: self.points.clone() }
    }

    /// The same curve run the other way over the same domain.
    #[must_use]
    pub fn reversed(&self) -> Self {
        Self { knots: self.knots.reversed(), points: self.points.iter().rev().copied().collect() }
    }

    /// The curve under an affine map of space.
    #[must_use]
    pub fn transformed(&self, map: &Matrix4<f64>) -> Self {
        Self { knots: self.knots.clone(), points: self.points.iter().map(|p| map * p).collect() }
    }

    /// The curve with every control point moved by `f`, weights kept. Exact for affine `f`.
    #[must_use]
    pub fn mapped(&self, f: impl Fn(&Point3) -> Point3) -> Self {
        let points = self.points.iter().map(|p| lift(&f(&project(p)), p.w)).collect();
        Self { knots: self.knots.clone(), points }
    }

    /// Lowest and highest coordinates of the control points, a box that holds the curve.
    #[must_use]
    pub fn control_bounds(&self) -> (Point3, Point3) {
        let mut low = Point3::from(Vector3::repeat(f64::INFINITY));
        let mut high = Point3::from(Vector3::repeat(f64::NEG_INFINITY));
        for p in &self.points {
            let p = project(p);
            low = low.inf(&p);
            high = high.sup(&p);
        }
        (low, high)
    }
}
