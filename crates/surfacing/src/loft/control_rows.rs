use geometry::{Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Tolerance};

use crate::SurfacingError;

/// Degree across the rows, where there are enough of them.
const DEGREE: usize = 3;

/// The surfaces whose rows of control points are those of the sections, piece by piece, untouched. They pass through the
/// first and the last section, and are drawn towards the others.
pub(super) fn control_rows(
    runs: &[Vec<NurbsCurve>],
    tolerance: &Tolerance,
) -> Result<Vec<NurbsSurface>, SurfacingError> {
    let across = KnotVector::clamped_uniform(DEGREE.min(runs.len() - 1), runs.len())?;
    let is_point = |run: &[NurbsCurve]| {
        let points = run[0].control_points();
        points.iter().all(|p| (p - points[0]).norm() <= tolerance.resolution)
    };
    let model = runs.iter().find(|r| !is_point(r)).ok_or(SurfacingError::Empty)?;
    for (i, run) in runs.iter().enumerate().filter(|(_, r)| !is_point(r)) {
        let structure = |c: &NurbsCurve| (c.degree(), c.homogeneous().len());
        let alike =
            run.len() == model.len() && run.iter().zip(model).all(|(a, b)| structure(a) == structure(b));
        if !alike {
            let counts = [model, run].map(|r| r.iter().map(|c| c.homogeneous().len()).sum());
            return Err(SurfacingError::UnequalRows { section: i + 1, counts, at: run[0].start().into() });
        }
    }
    let mut surfaces = Vec::with_capacity(model.len());
    for (k, first) in model.iter().enumerate() {
        let row = |run: &Vec<NurbsCurve>| -> Vec<Homogeneous> {
            match run.get(k) {
                Some(piece) if !is_point(run) => piece.homogeneous().to_vec(),
                _ => first.weights().into_iter().map(|w| run[0].start().coords.push(1.0) * w).collect(),
            }
        };
        let rows: Vec<Vec<Homogeneous>> = runs.iter().map(row).collect();
        let net = (0..first.homogeneous().len()).flat_map(|i| rows.iter().map(move |r| r[i])).collect();
        let along = first.knots().over(geometry::Domain { start: 0.0, end: 1.0 });
        surfaces.push(NurbsSurface::from_homogeneous(along, across.clone(), net)?);
    }
    Ok(surfaces)
}
