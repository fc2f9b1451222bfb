//! Surfaces added up, net by net.

use crate::{GeometryError, Homogeneous, NurbsCurve, NurbsSurface, compatible};

impl NurbsSurface {
    /// The same surface with u and v exchanged, which turns its normal round.
    #[must_use]
    pub fn transposed(&self) -> Self {
        let (rows, columns) = (self.knots_u().point_count(), self.knots_v().point_count());
        let points = (0..columns).flat_map(|j| (0..rows).map(move |i| (i, j)));
        let net = points.map(|(i, j)| self.homogeneous()[i * columns + j]).collect();
        Self::new_unchecked(self.knots_v().clone(), self.knots_u().clone(), net)
    }

    /// Its net as curves in u, one for each column of control points.
    pub(crate) fn columns(&self) -> Vec<NurbsCurve> {
        let columns = self.knots_v().point_count();
        let column = |j: usize| self.homogeneous().iter().skip(j).step_by(columns).copied().collect();
        (0..columns).map(|j| NurbsCurve::new_unchecked(self.knots_u().clone(), column(j))).collect()
    }
}

/// Surfaces over 0 to 1 brought to the same degree and knots in u.
pub(crate) fn compatible_in_u(surfaces: &[NurbsSurface]) -> Result<Vec<NurbsSurface>, GeometryError> {
    let columns: Vec<NurbsCurve> = surfaces.iter().flat_map(NurbsSurface::columns).collect();
    let mut made = compatible(&columns)?.into_iter();
    surfaces
        .iter()
        .map(|surface| {
            let count = surface.knots_v().point_count();
            let columns: Vec<NurbsCurve> = made.by_ref().take(count).collect();
            let along = columns[0].knots().clone();
            let rows = (0..along.point_count()).flat_map(|i| columns.iter().map(move |c| c.homogeneous()[i]));
            NurbsSurface::from_homogeneous(along, surface.knots_v().clone(), rows.collect())
        })
        .collect()
}

/// The sum of surfaces over 0 to 1, none of them rational, each with its factor; the factors add up to 1.
///
/// # Errors
/// `Degree`; `BadNumber` for a rational surface.
pub fn weighted_sum(terms: &[(f64, NurbsSurface)]) -> Result<NurbsSurface, GeometryError> {
    if let Some(bad) = terms.iter().position(|(_, s)| s.is_rational()) {
        return Err(GeometryError::BadNumber(bad));
    }
    let surfaces: Vec<NurbsSurface> = terms.iter().map(|t| t.1.clone()).collect();
    let in_u: Vec<NurbsSurface> = compatible_in_u(&surfaces)?.iter().map(NurbsSurface::transposed).collect();
    let both: Vec<NurbsSurface> = compatible_in_u(&in_u)?.iter().map(NurbsSurface::transposed).collect();
    let sum = |k: usize| {
        let points = terms.iter().zip(&both).map(|((factor, _), s)| {
            let h = s.homogeneous()[k];
            h.xyz() * (factor / h.w)
        });
        let p: crate::Vector3 = points.sum();
        Homogeneous::new(p.x, p.y, p.z, 1.0)
    };
    let net = (0..both[0].homogeneous().len()).map(sum).collect();
    NurbsSurface::from_homogeneous(both[0].knots_u().clone(), both[0].knots_v().clone(), net)
}
