use geometry::{Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Tolerance};

use crate::SurfacingError;
use crate::sections::check_alike;

/// Degree across the rows, where there are enough of them.
const DEGREE: usize = 3;

/// The surfaces whose rows of control points are those of the sections, piece by piece, untouched. They pass through the
/// first and the last section, and are drawn towards the others.
pub(super) fn control_rows(
    runs: &[Vec<NurbsCurve>],
    tolerance: &Tolerance,
) -> Result<Vec<NurbsSurface>, SurfacingError> {
    let across = KnotVector::clamped_uniform(DEGREE.min(runs.len() - 1), runs.len())?;
    let is_point = |run: &[NurbsCurve]| run[0].is_point(tolerance.resolution);
    let model = runs.iter().find(|r| !is_point(r)).ok_or(SurfacingError::Empty)?;
    for (i, run) in runs.iter().enumerate().filter(|(_, r)| !is_point(r)) {
        check_alike(model, run, i, run[0].start())?;
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
