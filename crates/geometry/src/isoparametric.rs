use crate::{Homogeneous, NurbsCurve, NurbsSurface, check_work};

impl NurbsSurface {
    /// The curve along v at a fixed u; exact, with the surface's own parameters.
    #[must_use]
    pub fn curve_at_u(&self, u: f64) -> NurbsCurve {
        check_work();
        let u = self.domain().0.clamp(u);
        let (p, columns) = (self.knots_u().degree(), self.knots_v().point_count());
        let span = self.knots_u().span(u);
        let basis = self.knots_u().basis(span, u);
        let h = self.homogeneous();
        let points = (0..columns)
            .map(|j| {
                (0..=p).fold(Homogeneous::zeros(), |sum, i| sum + h[(span - p + i) * columns + j] * basis[i])
            })
            .collect();
        NurbsCurve::new_unchecked(self.knots_v().clone(), points)
    }

    /// The curve along u at a fixed v; exact, with the surface's own parameters.
    #[must_use]
    pub fn curve_at_v(&self, v: f64) -> NurbsCurve {
        check_work();
        let v = self.domain().1.clamp(v);
        let (q, columns) = (self.knots_v().degree(), self.knots_v().point_count());
        let span = self.knots_v().span(v);
        let basis = self.knots_v().basis(span, v);
        let points = self
            .homogeneous()
            .chunks_exact(columns)
            .map(|row| (0..=q).fold(Homogeneous::zeros(), |sum, j| sum + row[span - q + j] * basis[j]))
            .collect();
        NurbsCurve::new_unchecked(self.knots_u().clone(), points)
    }
}
