//! Ruled surfaces between two curves whose rulings are chosen so that they unroll: exactly where a plane can roll along both
//! (`walk`), else as nearly as they can.

mod walk;

use geometry::{Domain, NurbsCurve, Point3, Tolerance, Vector3, closest_on_curve, compatible, fit_function};

use self::walk::{Facet, spread, walked};
use crate::SurfacingError;
use crate::monotone::Monotone;
use crate::sections::{is_point, points_weighted, rows_of_faces};

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
/// Turn of the normal along a ruling, in radians, up to which equal parameters are taken as they are.
const EXACT: f64 = 1e-7;
/// Turn of the normal along a ruling in radians, half a degree, up to which a ruled surface is taken for developable: common
/// practice, no source.
pub const UNROLLS: f64 = 0.0087;
/// Steps, as shares of a piece, in which the place is looked for at which the plane touches it.
const SCANNED: f64 = 1.0 / 256.0;
/// Share of the curve's domain by which a derivative is taken.
const DIFFERENCE: f64 = 1e-6;

/// What lies between two neighbouring sections.
pub(crate) struct Strip {
    /// For each face its compatible borders on the first and the second section; one of them may be a point.
    pub faces: Vec<Facet>,
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

/// The strip between two runs of curves, closed or open alike.
///
/// # References
/// The rulings of a developable strip join places whose tangents lie in one plane with them. Where no plane rolls along both
/// curves, the best monotone row of them is found as in Wang & Tang, Optimal boundary triangulations of an interpolating
/// ruled surface, J. Comput. Inf. Sci. Eng. 5, 2005 (from memory), by the cheapest way through all pairs of places; then
/// each is made exact by Newton's method where that settles.
pub(crate) fn developable(
    first: &[NurbsCurve],
    second: &[NurbsCurve],
    closed: bool,
    tolerance: &Tolerance,
) -> Result<Strip, SurfacingError> {
    if is_point(first) || is_point(second) {
        let pairs = first.iter().zip(second).map(|(a, b)| joined_straight(a, b));
        let faces = pairs.collect::<Result<_, _>>()?;
        return Ok(Strip { faces, largest_twist: 0.0, max_deviation: 0.0 });
    }
    if let Some(facets) = walked(first, second, closed, tolerance) {
        let mut strip = Strip { faces: Vec::new(), largest_twist: 0.0, max_deviation: 0.0 };
        for [a, b] in facets {
            let (face, deviation) = touched_all_along(&a, &b, tolerance)?;
            strip.largest_twist = strip.largest_twist.max(largest_twist(&face));
            strip.max_deviation = strip.max_deviation.max(deviation);
            strip.faces.push(face);
        }
        if strip.largest_twist <= UNROLLS {
            return Ok(strip);
        }
    }
    if let ([_], [_]) = (first, second) {
        return least_twisted(first, second, tolerance);
    }
    // Corner to corner, as it is ruled by itself.
    let runs = [first.to_vec(), second.to_vec()];
    let rows = rows_of_faces(&runs, &[None, None], closed, true, tolerance)?;
    let mut strip = Strip { faces: Vec::new(), largest_twist: 0.0, max_deviation: rows.max_deviation };
    for face in rows.faces {
        let face = joined_straight(&face[0], &face[1])?;
        strip.largest_twist = strip.largest_twist.max(largest_twist(&face));
        strip.faces.push(face);
    }
    Ok(strip)
}

fn joined_straight(a: &NurbsCurve, b: &NurbsCurve) -> Result<Facet, SurfacingError> {
    let mut rows = points_weighted(compatible(&[a.clone(), b.clone()])?)?;
    let [a, b] = [rows.swap_remove(0), rows.swap_remove(0)];
    Ok([a, b])
}

/// The largest turn of the normal along a ruling of a face whose rulings join equal parameters, in radians.
fn largest_twist(face: &Facet) -> f64 {
    if face.chunks(1).any(is_point) {
        return 0.0;
    }
    let [a, b] = face;
    let at = |k: usize| (k as f64 + 0.5) / MEASURED as f64;
    (0..MEASURED).map(|k| twist(a, b, at(k), at(k)).abs()).fold(0.0, f64::max)
}

/// The face between pieces along both of which one plane rolls, and how far its second border may lie from its piece.
fn touched_all_along(
    a: &NurbsCurve,
    b: &NurbsCurve,
    tolerance: &Tolerance,
) -> Result<(Facet, f64), SurfacingError> {
    let plain = joined_straight(a, b)?;
    if largest_twist(&plain) <= EXACT {
        return Ok((plain, 0.0));
    }
    let unit = Domain { start: 0.0, end: 1.0 };
    let (a, b) = (a.over(unit), b.over(unit));
    // Along the first piece the place on the second one goes on only; each is found between its neighbours.
    let touched = |t: f64, from: f64, to: f64| {
        let (p, along) = a.moving(t);
        let side = |u: f64| {
            let (q, own) = b.moving(u);
            spread(&along, &own, &(q - p))
        };
        // The first place from there on, since round a closed curve there are others.
        let begun = side(from);
        let steps = ((to - from) / SCANNED).ceil().max(1.0);
        let place = |k: f64| from + (to - from) * k / steps;
        let mut k = 1.0;
        while k <= steps && side(place(k)) * begun > 0.0 {
            k += 1.0;
        }
        match () {
            () if begun == 0.0 => from,
            () if k > steps => {
                if begun.abs() < side(to).abs() {
                    from
                } else {
                    to
                }
            }
            () => geometry::bisect(place(k - 1.0), place(k), |u| side(u) * begun > 0.0),
        }
    };
    let mut law = vec![0.0];
    for k in 1..PLACES {
        law.push(touched(k as f64 / PLACES as f64, law[k - 1], 1.0));
    }
    law.push(1.0);
    let at = |t: f64| {
        let k = ((t * PLACES as f64) as usize).min(PLACES - 1);
        touched(t.clamp(0.0, 1.0), law[k], law[k + 1])
    };
    fitted_to(&a, &b, &at, |u| geometry::bisect(0.0, 1.0, |t| at(t) < u), tolerance)
}

/// The face whose rulings join the parameters of the first curve to those of the second that a law gives, which is inverted
/// by `back`.
fn fitted_to(
    a: &NurbsCurve,
    b: &NurbsCurve,
    law: &impl Fn(f64) -> f64,
    back: impl Fn(f64) -> f64,
    tolerance: &Tolerance,
) -> Result<(Facet, f64), SurfacingError> {
    let at = |t: f64| -> Result<(Point3, Vector3), SurfacingError> {
        let (from, to) = ((t - DIFFERENCE).max(0.0), (t + DIFFERENCE).min(1.0));
        let place = |t: f64| b.point(law(t));
        Ok((place(t), (place(to) - place(from)) / (to - from)))
    };
    let mut breaks = a.knots().breaks();
    breaks.extend(b.knots().breaks().into_iter().filter(|k| (0.001..0.999).contains(k)).map(back));
    breaks.sort_by(f64::total_cmp);
    breaks.dedup_by(|y, x| (*y - *x).abs() < 1e-6);
    let fitted = fit_function(at, &breaks, tolerance.fit)?;
    let b = fitted.curve.with_ends(Some(b.start()), Some(b.end()));
    Ok((joined_straight(a, &b)?, fitted.max_deviation))
}

/// The face of rulings along which the normal turns least.
fn least_twisted(
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
    let (face, max_deviation) = if is_even {
        (joined_straight(&a, &b)?, 0.0)
    } else {
        fitted_to(&a, &b, &|t| chosen.at(t), |u| inverse(&chosen, u), tolerance)?
    };
    Ok(Strip { faces: vec![face], largest_twist, max_deviation })
}

/// Faces of neighbouring strips divided where those on the other side of their common section are, so that they meet edge to
/// edge.
pub(crate) fn meeting(mut strips: Vec<Strip>, tolerance: &Tolerance) -> Result<Vec<Facet>, SurfacingError> {
    for i in 1..strips.len() {
        let ends = |strip: &Strip, side: usize| -> Vec<Point3> {
            let borders = strip.faces.iter().map(|f| &f[side]).filter(|c| !c.is_point(tolerance.resolution));
            borders.flat_map(|c| [c.start(), c.end()]).collect()
        };
        let (before, after) = (ends(&strips[i - 1], 1), ends(&strips[i], 0));
        for (strip, side, places) in [(i - 1, 1, after), (i, 0, before)] {
            let faces = std::mem::take(&mut strips[strip].faces);
            strips[strip].faces =
                faces.into_iter().flat_map(|face| divided(face, side, &places, tolerance)).collect();
        }
    }
    Ok(strips.into_iter().flat_map(|s| s.faces).collect())
}

/// A face divided along its rulings at places of one of its borders.
fn divided(face: Facet, side: usize, places: &[Point3], tolerance: &Tolerance) -> Vec<Facet> {
    if face[side].is_point(tolerance.resolution) {
        return vec![face];
    }
    let mut cuts: Vec<f64> = places
        .iter()
        .filter(|p| [face[side].start(), face[side].end()].iter().all(|e| (*p - e).norm() > tolerance.join))
        .map(|p| closest_on_curve(&face[side], p))
        .filter(|foot| foot.distance <= tolerance.join)
        .map(|foot| foot.parameter)
        .collect();
    cuts.sort_by(f64::total_cmp);
    cuts.dedup_by(|b, a| *b - *a < 1e-9);
    let mut out = Vec::new();
    let mut rest = face;
    for cut in cuts {
        if let (Some((a, rest_a)), Some((b, rest_b))) = (rest[0].split(cut), rest[1].split(cut)) {
            out.push([a, b]);
            rest = [rest_a, rest_b];
        }
    }
    out.push(rest);
    out
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
