use crate::{Domain, Frame, NurbsCurve, Point3};

const SAMPLES_PER_SPAN: usize = 16;
const HALVINGS: usize = 60;

/// Parameters and places where a curve crosses the plane of a frame, in order; an end that lies on the plane within
/// `tolerance` mm counts. Where the curve only touches the plane between two samples, nothing is found.
#[must_use]
pub fn plane_crossings(curve: &NurbsCurve, frame: &Frame, tolerance: f64) -> Vec<(f64, Point3)> {
    let height = |t: f64| (curve.point(t) - frame.origin).dot(&frame.z);
    let breaks = curve.knots().breaks();
    let mut samples = vec![breaks[0]];
    for pair in breaks.windows(2) {
        let d = Domain::new(pair[0], pair[1]);
        samples.extend((1..=SAMPLES_PER_SPAN).map(|k| d.at(k as f64 / SAMPLES_PER_SPAN as f64)));
    }
    let mut found: Vec<f64> = Vec::new();
    for end in [samples[0], samples[samples.len() - 1]] {
        if height(end).abs() <= tolerance {
            found.push(end);
        }
    }
    for pair in samples.windows(2) {
        let (mut a, mut b) = (pair[0], pair[1]);
        let above = height(a) > 0.0;
        if above == (height(b) > 0.0) {
            continue;
        }
        for _ in 0..HALVINGS {
            let middle = 0.5 * (a + b);
            if (height(middle) > 0.0) == above { a = middle } else { b = middle }
        }
        found.push(0.5 * (a + b));
    }
    found.sort_by(f64::total_cmp);
    let mut places: Vec<(f64, Point3)> = found.into_iter().map(|t| (t, curve.point(t))).collect();
    places.dedup_by(|b, a| (b.1 - a.1).norm() <= 2.0 * tolerance);
    places
}
