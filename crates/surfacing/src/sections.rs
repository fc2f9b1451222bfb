//! Sections of lofts and sweeps: run alike, begun alike, and piece by piece the rows of a face.

use geometry::{GeometryError, NurbsCurve, Point3, Tolerance, Vector3, closest_on_curve, compatible};

/// Places at which sections are compared.
const ALIGNED_AT: usize = 12;

/// Turns sections to run alike, and begins closed ones alike, each after the one before it; empty ones stay out.
pub(crate) fn align(runs: &mut [Vec<NurbsCurve>], closed: bool, tolerance: &Tolerance) {
    let mut before: Option<usize> = None;
    for i in 0..runs.len() {
        if runs[i].is_empty() {
            continue;
        }
        if let Some(b) = before {
            let earlier = &runs[b];
            let turns = [runs[i].clone(), backwards(&runs[i])];
            let begun =
                turns.into_iter().map(|run| if closed { begun_alike(&run, earlier, tolerance) } else { run });
            // The way round that twists least.
            if let Some(run) = begun.min_by(|a, b| apart(a, earlier).total_cmp(&apart(b, earlier))) {
                runs[i] = run;
            }
        }
        before = Some(i);
    }
}

pub(crate) fn backwards(run: &[NurbsCurve]) -> Vec<NurbsCurve> {
    run.iter().rev().map(NurbsCurve::reversed).collect()
}

pub(crate) fn middle(points: &[Point3]) -> Vector3 {
    points.iter().map(|p| p.coords).sum::<Vector3>() / points.len() as f64
}

/// Sum of squared distances between places of two runs at equal shares, about their own middles.
fn apart(a: &[NurbsCurve], b: &[NurbsCurve]) -> f64 {
    let (p, q) = (places(a), places(b));
    let (m, n) = (middle(&p), middle(&q));
    p.iter().zip(&q).map(|(p, q)| ((p.coords - m) - (q.coords - n)).norm_squared()).sum()
}

/// Places at equal shares of a run's length, the pieces' ends not needed.
pub(crate) fn places(run: &[NurbsCurve]) -> Vec<Point3> {
    let lengths: Vec<f64> = run.iter().map(NurbsCurve::length).collect();
    let whole: f64 = lengths.iter().sum();
    (0..ALIGNED_AT)
        .map(|k| {
            let mut left = whole * k as f64 / ALIGNED_AT as f64;
            for (piece, length) in run.iter().zip(&lengths) {
                if left <= *length {
                    return piece.point(piece.parameter_at_length(left));
                }
                left -= length;
            }
            run[run.len() - 1].end()
        })
        .collect()
}

/// A closed run begun where the one before it begins, seen from their middles.
fn begun_alike(run: &[NurbsCurve], earlier: &[NurbsCurve], tolerance: &Tolerance) -> Vec<NurbsCurve> {
    let wanted = earlier[0].start() - middle(&places(earlier)) + middle(&places(run));
    if run.len() > 1 {
        // At a joint, so that pieces stay whole.
        let nearest = (0..run.len())
            .min_by(|&a, &b| (run[a].start() - wanted).norm().total_cmp(&(run[b].start() - wanted).norm()));
        let mut turned = run.to_vec();
        turned.rotate_left(nearest.unwrap_or(0));
        return turned;
    }
    let curve = &run[0];
    let t = closest_on_curve(curve, &wanted).parameter;
    match curve.split(t) {
        Some((before, after)) if before.length() > tolerance.join && after.length() > tolerance.join => {
            NurbsCurve::of_pieces(&[after, before]).map_or_else(|_| run.to_vec(), |c| vec![c])
        }
        _ => run.to_vec(),
    }
}

/// For each face the curves of all sections that it goes through, made compatible: piece by piece where the sections have
/// as many of them, else each section as one curve.
pub(crate) fn rows_of_faces(runs: &[Vec<NurbsCurve>]) -> Result<Vec<Vec<NurbsCurve>>, GeometryError> {
    if runs.windows(2).all(|w| w[0].len() == w[1].len()) {
        let pieces = runs.first().map_or(0, Vec::len);
        let column = |k: usize| runs.iter().map(|run| run[k].clone()).collect::<Vec<_>>();
        return (0..pieces).map(|k| compatible(&column(k))).collect();
    }
    let whole: Vec<NurbsCurve> =
        runs.iter().map(|run| NurbsCurve::of_pieces(run)).collect::<Result<_, _>>()?;
    Ok(vec![compatible(&whole)?])
}
