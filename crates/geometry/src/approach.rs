//! Where two curves come nearest to each other.

use crate::{NurbsCurve, closest_on_curve};

const SAMPLES_PER_SPAN: usize = 12;
/// Steps in which the nearest places are approached.
const APPROACHES: usize = 60;

/// Parameters at which two curves are nearest to each other: the best of many places, then Newton's step for the shortest
/// chord where it shortens it, else by turns the nearest place of one to that of the other.
#[must_use]
pub fn curves_approach(a: &NurbsCurve, b: &NurbsCurve) -> (f64, f64) {
    let start = a.knots().sampled(SAMPLES_PER_SPAN).into_iter().map(|t| {
        let foot = closest_on_curve(b, &a.point(t));
        (t, foot.parameter, foot.distance)
    });
    let first = start.min_by(|x, y| x.2.total_cmp(&y.2));
    let (mut t, mut u, mut best) = first.unwrap_or((a.domain().start, b.domain().start, f64::MAX));
    for _ in 0..APPROACHES {
        let (p, [pa, ..]) = a.derivatives(t);
        let (q, [qb, ..]) = b.derivatives(u);
        let r = q - p;
        let (e, f, g) = (pa.dot(&pa), pa.dot(&qb), qb.dot(&qb));
        let (x, y) = (r.dot(&pa), r.dot(&qb));
        let area = e * g - f * f;
        let newton = (area > 1e-12 * e * g).then(|| {
            (a.domain().clamp(t + (g * x - f * y) / area), b.domain().clamp(u + (f * x - e * y) / area))
        });
        let turn = closest_on_curve(a, &q).parameter;
        let by_turns = (turn, closest_on_curve(b, &a.point(turn)).parameter);
        let chord = |(t, u): (f64, f64)| (a.point(t) - b.point(u)).norm();
        let next = newton.filter(|n| chord(*n) < chord(by_turns)).unwrap_or(by_turns);
        let length = chord(next);
        if best - length <= 1e-13 * (1.0 + length) {
            break;
        }
        (t, u, best) = (next.0, next.1, length);
    }
    (t, u)
}
