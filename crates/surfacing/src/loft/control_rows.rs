//! Lofts whose rows of control points are the sections' own.

use geometry::{Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, SkinCourse, Tolerance, Vector3};

use super::end::Shared;
use super::{LoftEnd, Section, end};
use crate::SurfacingError;
use crate::sections::check_alike;

/// Degree across the rows, where there are enough of them.
const DEGREE: usize = 3;

/// The surfaces whose rows of control points are those of the sections, piece by piece, untouched. They pass through the
/// first and the last section, and are drawn towards the others. An end that is asked for puts in a row beside it, for
/// curvature two.
pub(super) fn control_rows(
    runs: &[Vec<NurbsCurve>],
    sections: &[Section],
    ends: &[LoftEnd; 2],
    tolerance: &Tolerance,
) -> Result<Vec<NurbsSurface>, SurfacingError> {
    let is_point = |run: &[NurbsCurve]| run[0].is_point(tolerance.resolution);
    let model = runs.iter().find(|r| !is_point(r)).ok_or(SurfacingError::Empty)?;
    for (i, run) in runs.iter().enumerate().filter(|(_, r)| !is_point(r)) {
        check_alike(model, run, i, run[0].start())?;
    }
    let mut faces = Vec::with_capacity(model.len());
    for (k, first) in model.iter().enumerate() {
        let row = |run: &Vec<NurbsCurve>| -> Result<NurbsCurve, SurfacingError> {
            let own = run.get(k).filter(|_| !is_point(run));
            let net: Vec<Homogeneous> = match own {
                Some(piece) => piece.homogeneous().to_vec(),
                None => first.weights().into_iter().map(|w| run[0].start().coords.push(1.0) * w).collect(),
            };
            let along = first.knots().over(geometry::Domain { start: 0.0, end: 1.0 });
            Ok(NurbsCurve::from_homogeneous(along, net)?)
        };
        faces.push(runs.iter().map(row).collect::<Result<Vec<_>, SurfacingError>>()?);
    }
    // Shared by all faces, so that neighbours have the same edge.
    let steps =
        if ends.iter().all(LoftEnd::is_free) { [0.0; 2] } else { SkinCourse::of(&faces, false)?.end_steps() };
    let closed =
        model.len() > 1 && (model[0].start() - model[model.len() - 1].end()).norm() <= tolerance.join;
    let corners = end::corners(&faces, sections, ends, closed, tolerance)?;
    let one = |(f, rows): (usize, &Vec<NurbsCurve>)| {
        surface(rows, sections, ends, (steps, [0, 1].map(|k| corners[k][f])), tolerance)
    };
    faces.iter().enumerate().map(one).collect()
}

fn surface(
    rows: &[NurbsCurve],
    sections: &[Section],
    ends: &[LoftEnd; 2],
    (steps, shared): ([f64; 2], [[Option<Shared>; 2]; 2]),
    tolerance: &Tolerance,
) -> Result<NurbsSurface, SurfacingError> {
    let (rows, leaving) = end::agreeing(rows, sections, ends, (steps, shared), tolerance)?;
    let count = rows.len() + leaving[0].len() + leaving[1].len();
    let across = KnotVector::clamped_uniform(DEGREE.min(count - 1), count)?;
    let last = rows.len() - 1;
    let start = beside(&rows[0], &leaving[0], &across, steps[0]);
    let end = beside(&rows[last], &leaving[1], &across, -steps[1]);
    let own = |i: usize| rows[i].homogeneous().to_vec();
    let mut all = vec![own(0)];
    all.extend(start);
    all.extend((1..last).map(own));
    all.extend(end.into_iter().rev());
    all.push(own(last));
    Ok(NurbsSurface::from_homogeneous(rows[0].knots().clone(), across, across_first(&all))?)
}

/// Rows one after the other become the net of a surface whose v runs from row to row.
fn across_first(rows: &[Vec<Homogeneous>]) -> Vec<Homogeneous> {
    (0..rows[0].len()).flat_map(|i| rows.iter().map(move |r| r[i])).collect()
}

/// The rows beside a section with which a surface has given derivatives there, per mm and nearest to the section first. It
/// leaves as fast as one cubic over a `step` to the next section would; that is below zero at the last section, where
/// derivatives count towards it. The knots are even, and so the same from either end.
///
/// # References
/// Section 3.3, equations 3.7 to 3.10: a clamped curve's derivatives at its start from its first three control points.
fn beside(
    own: &NurbsCurve,
    derivatives: &[Vec<Vector3>],
    across: &KnotVector,
    step: f64,
) -> Vec<Vec<Homogeneous>> {
    let Some(first) = derivatives.first() else { return Vec::new() };
    let length = step / 3.0;
    let p = across.degree();
    let [a, b] = [p + 1, p + 2].map(|i| across.knots().get(i).map_or(1.0, |k| k - across.knots()[0]));
    let moved = |by: &dyn Fn(usize) -> Vector3| -> Vec<Homogeneous> {
        let one =
            |(i, h): (usize, &Homogeneous)| (Point3::from(h.xyz() / h.w) + by(i)).coords.push(1.0) * h.w;
        own.homogeneous().iter().enumerate().map(one).collect()
    };
    let near = |i: usize| first[i] * length;
    let mut out = vec![moved(&near)];
    if let Some(second) = derivatives.get(1) {
        let bend = length * length * p as f64 / (p as f64 - 1.0).max(1.0);
        out.push(moved(&|i| near(i) + (near(i) + second[i] * bend) * (b / a)));
    }
    out
}
