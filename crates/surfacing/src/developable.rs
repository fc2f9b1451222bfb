//! A ruled surface between two curves whose rulings are chosen so that it unrolls as nearly as it can.

use geometry::{Domain, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, compatible, fit_function};

use crate::SurfacingError;
use crate::monotone::Monotone;

/// Places of each curve between which rulings are looked for.
const PLACES: usize = 120;
/// How many places one curve may go on while the other goes on by one.
const STEEPEST: usize = 4;
/// How far a closed curve's beginning is moved at most, as a share of its domain, and in how many steps it is looked for.
const LARGEST_SHIFT: f64 = 0.2;
const SHIFTS: usize = 60;
/// Newton steps for the exact ruling at a place.
const STEPS: usize = 12;
/// Rulings on which the result is measured.
const MEASURED: usize = 200;
/// Share of the curve's domain by which a derivative is taken.
const DIFFERENCE: f64 = 1e-6;

pub(crate) struct Strip {
    pub surface: NurbsSurface,
    /// Largest turn of the normal along one ruling, in radians.
    pub largest_twist: f64,
    /// How far the second border may lie from its curve, in millimetres.
    pub max_deviation: f64,
}

/// How far the surface's normal turns along the ruling between places of two curves, in radians, with the sign of the
/// volume that both tangents and the ruling span.
fn twist(a: &NurbsCurve, b: &NurbsCurve, t: f64, u: f64) -> f64 {
    let (p, da) = a.moving(t);
    let (q, db) = b.moving(u);
    let ruling = (q - p).try_normalize(1e-12).unwrap_or_else(Vector3::zeros);
    let (m, n) = (da.cross(&ruling), db.cross(&ruling));
    m.cross(&n).dot(&ruling).atan2(m.dot(&n))
}

/// The straight strip between two runs of curves, u along them.
///
/// # References
/// The rulings of a developable strip join places whose tangents lie in one plane with them. The best monotone row of
/// them is found as in Wang & Tang, Optimal boundary triangulations of an interpolating ruled surface, J. Comput. Inf.
/// Sci. Eng. 5, 2005 (from memory), by the cheapest way through all pairs of places; then each is made exact by Newton's
/// method where that settles.
pub(crate) fn developable(
    first: &[NurbsCurve],
    second: &[NurbsCurve],
    tolerance: &Tolerance,
) -> Result<Strip, SurfacingError> {
    let unit = Domain { start: 0.0, end: 1.0 };
    let a = NurbsCurve::of_pieces(first)?.over(unit);
    let b = NurbsCurve::of_pieces(second)?.over(unit);
    let b = begun_opposite(&a, b, tolerance);
    let even = Monotone::new(vec![(0.0, 0.0), (1.0, 1.0)]);
    let measure = |law: &Monotone| {
        (0..=MEASURED)
            .map(|k| k as f64 / MEASURED as f64)
            .map(|t| twist(&a, &b, t, law.at(t)).abs())
            .fold(0.0, f64::max)
    };
    let chosen = [exact(&a, &b, rulings(&a, &b)), even]
        .into_iter()
        .min_by(|x, y| measure(x).total_cmp(&measure(y)))
        .ok_or(SurfacingError::Empty)?;
    let largest_twist = measure(&chosen);
    let is_even = (0..=MEASURED).all(|k| {
        let t = k as f64 / MEASURED as f64;
        (chosen.at(t) - t).abs() < 1e-9
    });
    let (b, max_deviation) = if is_even {
        (b, 0.0)
    } else {
        let at = |t: f64| -> Result<(Point3, Vector3), SurfacingError> {
            let (from, to) = ((t - DIFFERENCE).max(0.0), (t + DIFFERENCE).min(1.0));
            let place = |t: f64| b.point(chosen.at(t));
            Ok((place(t), (place(to) - place(from)) / (to - from)))
        };
        let mut breaks = a.knots().breaks();
        breaks.extend(
            b.knots()
                .breaks()
                .into_iter()
                .filter(|k| (0.001..0.999).contains(k))
                .map(|k| inverse(&chosen, k)),
        );
        breaks.sort_by(f64::total_cmp);
        breaks.dedup_by(|y, x| (*y - *x).abs() < 1e-6);
        let fitted = fit_function(at, &breaks, tolerance.fit)?;
        (fitted.curve.with_ends(Some(b.start()), Some(b.end())), fitted.max_deviation)
    };
    let rows = compatible(&[a, b])?;
    let surface = geometry::skin(&rows, &geometry::Skin::Straight)?;
    Ok(Strip { surface, largest_twist, max_deviation })
}

/// A closed second curve begun where its tangent lies in one plane with the first one's at its beginning, of such places
/// the one nearest to its own beginning.
fn begun_opposite(a: &NurbsCurve, b: NurbsCurve, tolerance: &Tolerance) -> NurbsCurve {
    let closed = |c: &NurbsCurve| c.polygon_length() > 0.0 && (c.start() - c.end()).norm() <= tolerance.join;
    if !closed(a) || !closed(&b) {
        return b;
    }
    let at = |u: f64| twist(a, &b, 0.0, u.rem_euclid(1.0));
    let step = LARGEST_SHIFT / SHIFTS as f64;
    let places: Vec<f64> = (0..=2 * SHIFTS).map(|k| k as f64 * step - LARGEST_SHIFT).collect();
    let roots = places.windows(2).filter(|w| {
        let (x, y) = (at(w[0]), at(w[1]));
        x * y <= 0.0 && (x - y).abs() < 1.0
    });
    let found = roots
        .map(|w| geometry::bisect(w[0], w[1], |u| at(u) > 0.0))
        .min_by(|x, y| x.abs().total_cmp(&y.abs()));
    let begun = found.and_then(|u| b.begun_at(u.rem_euclid(1.0), tolerance.join));
    begun.map_or(b, |c| c.over(Domain { start: 0.0, end: 1.0 }))
}

fn inverse(law: &Monotone, wanted: f64) -> f64 {
    geometry::bisect(0.0, 1.0, |t| law.at(t) < wanted)
}

/// The row of rulings of least twist that goes on along both curves, as pairs of parameters.
fn rulings(a: &NurbsCurve, b: &NurbsCurve) -> Vec<(f64, f64)> {
    let n = PLACES + 1;
    let at = |k: usize| k as f64 / PLACES as f64;
    let moves: Vec<(usize, usize)> =
        (1..=STEEPEST).flat_map(|k| [(1, k), (k, 1)]).filter(|m| *m != (1, 1)).chain([(1, 1)]).collect();
    let mut cost = vec![f64::INFINITY; n * n];
    let mut from = vec![(0, 0); n * n];
    cost[0] = 0.0;
    for i in 0..n {
        for j in 0..n {
            if i + j == 0
                || i.max(j) > STEEPEST * i.min(j)
                || (PLACES - i).max(PLACES - j) > STEEPEST * (PLACES - i).min(PLACES - j)
            {
                continue;
            }
            let best = moves
                .iter()
                .filter(|m| m.0 <= i && m.1 <= j)
                .map(|m| (cost[(i - m.0) * n + j - m.1], (i - m.0, j - m.1), m.0 + m.1))
                .min_by(|x, y| x.0.total_cmp(&y.0));
            let Some((before, place, step)) = best.filter(|b| b.0.is_finite()) else { continue };
            // Ruling by ruling, and a little for the way, so that of equal ones the evenest counts.
            let turned = twist(a, b, at(i), at(j));
            let uneven = at(i) - at(j);
            cost[i * n + j] = before + (turned * turned + 1e-9 * uneven * uneven) * step as f64;
            from[i * n + j] = place;
        }
    }
    let mut here = (PLACES, PLACES);
    let mut out = vec![(1.0, 1.0)];
    while here != (0, 0) && cost[here.0 * n + here.1].is_finite() {
        here = from[here.0 * n + here.1];
        out.push((at(here.0), at(here.1)));
    }
    out.reverse();
    if out[0] == (0.0, 0.0) { out } else { vec![(0.0, 0.0), (1.0, 1.0)] }
}

/// The same row with every ruling brought to where its twist vanishes, if that is near.
fn exact(a: &NurbsCurve, b: &NurbsCurve, row: Vec<(f64, f64)>) -> Monotone {
    let last = row.len() - 1;
    let reach = 2.0 * STEEPEST as f64 / PLACES as f64;
    let mut out: Vec<(f64, f64)> = Vec::with_capacity(row.len());
    for (k, &(t, start)) in row.iter().enumerate() {
        let mut u = start;
        if k > 0 && k < last {
            for _ in 0..STEPS {
                let h = 1e-6;
                let here = twist(a, b, t, u);
                let slope = (twist(a, b, t, u + h) - twist(a, b, t, u - h)) / (2.0 * h);
                let next = u - here / slope;
                if !next.is_finite() || (next - start).abs() > reach || !(0.0..=1.0).contains(&next) {
                    u = start;
                    break;
                }
                u = next;
            }
            if twist(a, b, t, u).abs() > twist(a, b, t, start).abs() {
                u = start;
            }
            if out.last().is_some_and(|before| u <= before.1 || t <= before.0) || u >= 1.0 {
                continue;
            }
        } else if k == last {
            while out.last().is_some_and(|before| before.1 >= 1.0 || before.0 >= 1.0) {
                out.pop();
            }
        }
        out.push((t, u));
    }
    Monotone::new(out)
}
