//! Surfaces in another form: knots put in, degrees raised, run the other way (chapter 5).

use crate::{Domain, GeometryError, NurbsCurve, NurbsSurface, check_work};

impl NurbsSurface {
    /// The surface of which each curve of control points along u is another form of the one that it has, the same for all.
    fn along_u(&self, form: impl Fn(&NurbsCurve) -> NurbsCurve) -> Self {
        let columns: Vec<NurbsCurve> = self.columns().iter().map(form).collect();
        let along = columns[0].knots().clone();
        let rows = 0..along.point_count();
        let net = rows.flat_map(|i| columns.iter().map(move |c| c.homogeneous()[i])).collect();
        Self::new_unchecked(along, self.knots_v().clone(), net)
    }

    /// The part of the surface over parts of its domain, with its parameters.
    #[must_use]
    pub fn part(&self, [u, v]: [Domain; 2]) -> Self {
        check_work();
        let in_u = self.along_u(|c| c.part(u.start, u.end));
        in_u.transposed().along_u(|c| c.part(v.start, v.end)).transposed()
    }

    /// The same surface with one more knot in u, inside the domain.
    #[must_use]
    pub fn with_knot_u(&self, u: f64) -> Self {
        check_work();
        self.along_u(|c| c.with_knot(u))
    }

    /// The same surface with one more knot in v, inside the domain.
    #[must_use]
    pub fn with_knot_v(&self, v: f64) -> Self {
        check_work();
        self.transposed().with_knot_u(v).transposed()
    }

    /// The same surface of a higher degree in u; one that is not higher leaves it as it is.
    ///
    /// # Errors
    /// `Degree` for one that is not supported.
    pub fn elevated_u(&self, degree: usize) -> Result<Self, GeometryError> {
        check_work();
        let degree = degree.max(self.knots_u().degree());
        // Once for the error; the others have the same knots.
        self.columns()[0].elevated_to(degree)?;
        Ok(self.along_u(|c| c.elevated_to(degree).unwrap_or_else(|_| c.clone())))
    }

    /// The same surface of a higher degree in v; one that is not higher leaves it as it is.
    ///
    /// # Errors
    /// `Degree` for one that is not supported.
    pub fn elevated_v(&self, degree: usize) -> Result<Self, GeometryError> {
        check_work();
        Ok(self.transposed().elevated_u(degree)?.transposed())
    }

    /// The same surface run the other way in u, which turns its normal round.
    #[must_use]
    pub fn reversed_u(&self) -> Self {
        self.along_u(NurbsCurve::reversed)
    }

    /// The same surface run the other way in v, which turns its normal round.
    #[must_use]
    pub fn reversed_v(&self) -> Self {
        self.transposed().reversed_u().transposed()
    }
}
