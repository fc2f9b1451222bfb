//! Skins that keep near their sections where a smooth one through them would swing far out.
//!
//! The spline through sections (section 10.3) follows tame ones best. Where long and short steps or large and small sections
//! follow each other, it swings beyond them. There it gives way to cubics that leave each section in the direction from the
//! one before to the one after (the cardinal spline of Catmull & Rom, A class of local interpolating splines, 1974, for uneven
//! steps): tangent planes go on at each section, curvature jumps. In between it is a blend of the two, so that nothing changes
//! at once when sections do.

use crate::net_sum::compatible_in_u;
use crate::{
    EndDerivatives, GeometryError, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Skin, Vector3,
    interpolate, interpolate_ring,
};

/// How far the two are apart, as a share of a section's step, where the blend begins and where it ends. Through three sections
/// in even steps they are never farther apart than an eighth, even where the last one is the first again.
const TAME: f64 = 0.15;
const WILD: f64 = 0.195;
/// Places in each step at which they are compared, and columns of control points at most.
const PLACES: usize = 3;
const MOST_COLUMNS: usize = 48;
/// Shares below which a section no longer counts at a place.
const NOTHING: f64 = 1e-5;

/// Sections' shares at a place, by their number.
type Shares = Vec<f64>;

/// Derivatives at sections as shares of the sections, one row for each section: from the one before to the one after, at the
/// ends straight to the next one.
fn cardinal(at: &[f64], ring: bool) -> Vec<Shares> {
    let last = at.len() - 1;
    let unit = |pairs: &[(usize, f64)]| {
        let mut out = vec![0.0; last + 1];
        for &(i, share) in pairs {
            out[i] += share;
        }
        out
    };
    let inner = |i: usize| {
        let step = at[i + 1] - at[i - 1];
        unit(&[(i - 1, -1.0 / step), (i + 1, 1.0 / step)])
    };
    let mut out: Vec<Shares> =
        (0..=last).map(|i| if i == 0 || i == last { Vec::new() } else { inner(i) }).collect();
    if ring {
        let step = (at[last] - at[last - 1]) + (at[1] - at[0]);
        out[0] = unit(&[(last - 1, -1.0 / step), (1, 1.0 / step)]);
        out[last] = out[0].clone();
        return out;
    }
    for (end, beside) in [(0, 1), (last, last - 1)] {
        let step = at[beside] - at[end];
        out[end] = unit(&[(end, -1.0 / step), (beside, 1.0 / step)]);
    }
    out
}

/// How much of a skin through faces' sections at given parameters is to be steady: 0 for tame sections, 1 for wild ones. The
/// first section of a ring counts once more at its end.
pub(crate) fn steadiness(rows: &[Vec<Point3>], at: &[f64], ring: bool) -> Result<f64, GeometryError> {
    let last = at.len() - 1;
    if last < 2 || (ring && last < 4) {
        return Ok(0.0);
    }
    let count = rows[0].len();
    let columns: Vec<usize> = (0..count).step_by(count.div_ceil(MOST_COLUMNS)).collect();
    // What each section counts in the smooth skin, three of them at a time.
    let mut smooth: Vec<NurbsCurve> = Vec::with_capacity(last / 3 + 1);
    for first in (0..=last).step_by(3) {
        let is = |k: usize, i: usize| {
            if first + k == i || (ring && i == last && first + k == 0) { 1.0 } else { 0.0 }
        };
        let units: Vec<Point3> = (0..=last).map(|i| Point3::new(is(0, i), is(1, i), is(2, i))).collect();
        smooth.push(if ring {
            interpolate_ring(&units, at)?
        } else {
            interpolate(&units, at, 3.min(last), &EndDerivatives::free())?
        });
    }
    let derivatives = cardinal(at, ring);
    let mut most: f64 = 0.0;
    for i in 0..last {
        let h = at[i + 1] - at[i];
        for k in 1..=PLACES {
            let s = k as f64 / (PLACES + 1) as f64;
            let t = at[i] + h * s;
            let [a, da, b, db] = hermite(s);
            let mut shares: Shares = (0..=last).map(|j| smooth[j / 3].point(t)[j % 3]).collect();
            if ring {
                // The unit of the first section holds that of its repetition already.
                shares[last] = 0.0;
            }
            shares[i] -= a;
            shares[if ring && i + 1 == last { 0 } else { i + 1 }] -= b;
            for j in 0..=last {
                let to = if ring && j == last { 0 } else { j };
                shares[to] -= h * (da * derivatives[i][j] + db * derivatives[i + 1][j]);
            }
            let counted: Vec<(usize, f64)> =
                shares.into_iter().enumerate().filter(|s| s.1.abs() > NOTHING).collect();
            let off = |c: &usize| {
                counted.iter().map(|&(j, share)| rows[j][*c].coords * share).sum::<Vector3>().norm_squared()
            };
            let step = |c: &usize| (rows[i + 1][*c] - rows[i][*c]).norm_squared();
            let [off, step] = [columns.iter().map(off).sum::<f64>(), columns.iter().map(step).sum::<f64>()];
            most = most.max((off / step.max(f64::MIN_POSITIVE)).sqrt());
        }
    }
    let x = ((most - TAME) / (WILD - TAME)).clamp(0.0, 1.0);
    Ok(x * x * (3.0 - 2.0 * x))
}

/// The cubic's shares at `s` of the place and the derivative at its start, and of those at its end.
fn hermite(s: f64) -> [f64; 4] {
    let up = s * s * (3.0 - 2.0 * s);
    [1.0 - up, s * (1.0 - s) * (1.0 - s), up, -s * s * (1.0 - s)]
}

/// The steady skin through rows, with given first derivatives at its ends by column.
pub(crate) fn steady(
    rows: &[NurbsCurve],
    at: &[f64],
    how: &Skin,
    ends: impl Fn(usize, usize) -> Option<Homogeneous>,
) -> Result<NurbsSurface, GeometryError> {
    let last = at.len() - 1;
    let shares = cardinal(at, *how == Skin::Ring);
    let mut knots = vec![at[0]; 4];
    knots.extend(at[1..last].iter().flat_map(|t| [*t; 2]));
    knots.extend([at[last]; 4]);
    let mut net = Vec::with_capacity(rows[0].homogeneous().len() * (2 * last + 2));
    for c in 0..rows[0].homogeneous().len() {
        let column: Vec<Homogeneous> = rows.iter().map(|r| r.homogeneous()[c]).collect();
        let derivative = |i: usize| {
            let given = if i == 0 {
                ends(0, c)
            } else if i == last {
                ends(1, c)
            } else {
                None
            };
            given.unwrap_or_else(|| shares[i].iter().zip(&column).map(|(s, h)| *h * *s).sum())
        };
        let derivatives: Vec<Homogeneous> = (0..=last).map(derivative).collect();
        net.push(column[0]);
        for i in 0..last {
            let third = (at[i + 1] - at[i]) / 3.0;
            net.push(column[i] + derivatives[i] * third);
            net.push(column[i + 1] - derivatives[i + 1] * third);
        }
        net.push(column[last]);
    }
    NurbsSurface::from_homogeneous(rows[0].knots().clone(), KnotVector::try_new(3, knots)?, net)
}

/// Two skins through the same rows, blended.
pub(crate) fn blended(
    smooth: &NurbsSurface,
    steady: &NurbsSurface,
    share: f64,
) -> Result<NurbsSurface, GeometryError> {
    let both = compatible_in_u(&[smooth.transposed(), steady.transposed()])?;
    let sum =
        both[0].homogeneous().iter().zip(both[1].homogeneous()).map(|(a, b)| a * (1.0 - share) + b * share);
    let made =
        NurbsSurface::from_homogeneous(both[0].knots_u().clone(), both[0].knots_v().clone(), sum.collect())?;
    Ok(made.transposed())
}
