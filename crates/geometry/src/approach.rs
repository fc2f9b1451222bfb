//! Where two curves come near each other.

use crate::{Box3, NurbsCurve, Point3, box_of, check_work, closest_on_curve};

/// Places per knot span at which curves are first compared, and the fewest and most of them on one curve.
const SAMPLES_PER_SPAN: usize = 4;
const SAMPLES: [usize; 2] = [24, 240];
/// Most places of one pair of curves that are followed up.
const MOST: usize = 12;
/// Steps in which the nearest places are approached.
const APPROACHES: usize = 60;
/// How many times its chord a curve may lead away from it between two samples.
const BULGE: f64 = 2.0;
/// Places nearer than this share of both domains are one.
const SAME: f64 = 1e-6;

/// A place at which two curves are nearer to each other than round about.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Approach {
    /// Parameter on the first curve.
    pub first: f64,
    /// Parameter on the second curve.
    pub second: f64,
    /// How far they are apart there.
    pub distance: f64,
}

fn sampled(curve: &NurbsCurve) -> Vec<(f64, Point3)> {
    let spans = curve.knots().breaks().len() - 1;
    let per_span = SAMPLES[0].div_ceil(spans).max(SAMPLES_PER_SPAN).min(SAMPLES[1].div_ceil(spans));
    curve.knots().sampled(per_span).into_iter().map(|t| (t, curve.point(t))).collect()
}

/// The places at which two curves come near each other, the nearest first: each found from the least distances between
/// places of both, then approached by Newton's step for the shortest chord where that shortens it, else by turns the nearest
/// place of one to that of the other.
///
/// # Tolerance
/// Places closer to each other than the samples, a quarter of a knot span, may be told as one.
#[must_use]
pub fn curves_approaches(a: &NurbsCurve, b: &NurbsCurve) -> Vec<Approach> {
    check_work();
    approaches(a, b, f64::INFINITY)
}

/// As [`curves_approaches`], places only where the curves are no farther apart than `within`, in millimetres: what samples
/// show to be farther apart is not followed up.
#[must_use]
pub fn curves_close_by(a: &NurbsCurve, b: &NurbsCurve, within: f64) -> Vec<Approach> {
    check_work();
    let mut found = approaches(a, b, within);
    found.retain(|f| f.distance <= within);
    found
}

/// Places along a curve.
struct Samples {
    places: Vec<(f64, Point3)>,
    /// How far the curve between each place and its neighbours may be away from it, about.
    reach: Vec<f64>,
    bounds: Box3,
}

impl Samples {
    fn of(curve: &NurbsCurve) -> Self {
        let places = sampled(curve);
        let steps: Vec<f64> = places.windows(2).map(|w| BULGE * (w[1].1 - w[0].1).norm()).collect();
        let beside =
            |k: usize| [k.checked_sub(1), Some(k)].into_iter().flatten().filter_map(|k| steps.get(k));
        let reach = (0..places.len()).map(|k| beside(k).fold(0.0, |most: f64, s| most.max(*s))).collect();
        let bounds = box_of(places.iter().map(|(_, p)| p));
        Self { places, reach, bounds }
    }

    /// The numbers of those within a distance of any of the others.
    fn close_to(&self, others: &Self, within: f64) -> Vec<usize> {
        let farthest = others.reach.iter().fold(within, |most, r| most.max(within + r));
        let close = |k: &usize| {
            let p = self.places[*k].1;
            others.bounds.distance_2(&[p.x, p.y, p.z]) <= (farthest + self.reach[*k]).powi(2)
        };
        (0..self.places.len()).filter(close).collect()
    }
}

fn approaches(a: &NurbsCurve, b: &NurbsCurve, within: f64) -> Vec<Approach> {
    let (on_a, on_b) = (Samples::of(a), Samples::of(b));
    let (rows, columns) = (on_a.places.len(), on_b.places.len());
    let (close_rows, close_columns) = (on_a.close_to(&on_b, within), on_b.close_to(&on_a, within));
    let mut apart = vec![f64::INFINITY; rows * columns];
    for &i in &close_rows {
        for &j in &close_columns {
            apart[i * columns + j] = (on_a.places[i].1 - on_b.places[j].1).norm_squared();
        }
    }
    let mut starts: Vec<(f64, usize, usize)> = Vec::new();
    for &i in &close_rows {
        for &j in &close_columns {
            let own = apart[i * columns + j];
            if own > (within + on_a.reach[i] + on_b.reach[j]).powi(2) {
                continue;
            }
            let lowest = (i.saturating_sub(1)..rows.min(i + 2))
                .all(|k| (j.saturating_sub(1)..columns.min(j + 2)).all(|l| apart[k * columns + l] >= own));
            if lowest {
                starts.push((own, i, j));
            }
        }
    }
    starts.sort_by(|x, y| x.0.total_cmp(&y.0));
    let mut found: Vec<Approach> = Vec::new();
    for (_, i, j) in starts.into_iter().take(MOST) {
        let place = approached(a, b, on_a.places[i].0, on_b.places[j].0);
        let same = |f: &Approach| {
            (f.first - place.first).abs() <= SAME * a.domain().length()
                && (f.second - place.second).abs() <= SAME * b.domain().length()
        };
        if !found.iter().any(same) {
            found.push(place);
        }
    }
    found.sort_by(|x, y| x.distance.total_cmp(&y.distance));
    found
}

fn approached(a: &NurbsCurve, b: &NurbsCurve, mut t: f64, mut u: f64) -> Approach {
    let chord = |(t, u): (f64, f64)| (a.point(t) - b.point(u)).norm();
    let mut best = chord((t, u));
    for _ in 0..APPROACHES {
        let (p, pa) = a.moving(t);
        let (q, qb) = b.moving(u);
        let r = q - p;
        let (e, f, g) = (pa.dot(&pa), pa.dot(&qb), qb.dot(&qb));
        let (x, y) = (r.dot(&pa), r.dot(&qb));
        let area = e * g - f * f;
        let newton = (area > 1e-12 * e * g)
            .then(|| {
                (a.domain().clamp(t + (g * x - f * y) / area), b.domain().clamp(u + (f * x - e * y) / area))
            })
            .filter(|n| chord(*n) < best);
        let next = newton.unwrap_or_else(|| {
            let turn = closest_on_curve(a, &q).parameter;
            (turn, closest_on_curve(b, &a.point(turn)).parameter)
        });
        let length = chord(next);
        if best - length <= 1e-13 * (1.0 + length) {
            break;
        }
        (t, u, best) = (next.0, next.1, length);
    }
    Approach { first: t, second: u, distance: best }
}

/// Parameters at which two curves are nearest to each other.
#[must_use]
pub fn curves_approach(a: &NurbsCurve, b: &NurbsCurve) -> (f64, f64) {
    check_work();
    let starts = (a.domain().start, b.domain().start);
    curves_approaches(a, b).first().map_or(starts, |f| (f.first, f.second))
}
