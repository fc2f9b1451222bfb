use crate::{NurbsCurve, Point3, Vector3};

/// A tooth of a curvature comb.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tooth {
    /// Its foot on the curve.
    pub at: Point3,
    /// Away from the bend, as long as the curvature is large, in 1/mm.
    pub out: Vector3,
}

/// The curvature comb of a curve in a plane with unit `normal`, with teeth at `per_span` steps of each knot span.
/// Places where the curve stands still have none.
#[must_use]
pub fn comb(curve: &NurbsCurve, normal: &Vector3, per_span: usize) -> Vec<Tooth> {
    let tooth = |t: f64| {
        let (at, [d1, d2, _]) = curve.derivatives(t);
        let speed = d1.norm();
        let turn = d1.cross(&d2).dot(normal) / speed.powi(3);
        (speed > 1e-12).then(|| Tooth { at, out: normal.cross(&d1) * (-turn / speed) })
    };
    curve.knots().sampled(per_span).into_iter().filter_map(tooth).collect()
}
