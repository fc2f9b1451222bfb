use crate::{Frame, NurbsCurve, Point3, check_work, sign_changes};

/// Parameters and places where a curve crosses the plane of a frame, in order; an end that lies on the plane within
/// `tolerance` mm counts. Where the curve only touches the plane between two samples, nothing is found.
#[must_use]
pub fn plane_crossings(curve: &NurbsCurve, frame: &Frame, tolerance: f64) -> Vec<(f64, Point3)> {
    check_work();
    let height = |t: f64| (curve.point(t) - frame.origin).dot(&frame.z);
    let d = curve.domain();
    let mut found = sign_changes(curve, height);
    found.extend([d.start, d.end].into_iter().filter(|&end| height(end).abs() <= tolerance));
    found.sort_by(f64::total_cmp);
    let mut places: Vec<(f64, Point3)> = found.into_iter().map(|t| (t, curve.point(t))).collect();
    places.dedup_by(|b, a| (b.1 - a.1).norm() <= 2.0 * tolerance);
    places
}
