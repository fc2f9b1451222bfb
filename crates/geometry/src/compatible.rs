//! Curves brought to the same degree and the same knots, and pieces put together into one curve (section 10.3).

use crate::fit::least_squares_over;
use crate::{
    Domain, Ellipse, GeometryError, Homogeneous, KnotVector, MAX_DEGREE, NurbsCurve, Point3, check_work,
};

/// Knots nearer than this share of the domain are one.
const SAME_KNOT: f64 = 1e-9;
/// Inner knots up to which curves are made compatible exactly, whatever that costs.
const FEW_KNOTS: usize = 32;
/// How many times the knots of the richest curve all of them together may have.
const MANY_TIMES: usize = 3;
/// Places per span at which curves with fewer knots are fitted.
const PLACES_PER_SPAN: usize = 5;
const MAX_ROUNDS: usize = 8;
const UNIT: Domain = Domain { start: 0.0, end: 1.0 };

impl NurbsCurve {
    /// The same curve with a degree at least as high.
    ///
    /// # Errors
    /// `Degree` above [`MAX_DEGREE`].
    pub fn elevated_to(&self, degree: usize) -> Result<Self, GeometryError> {
        let mut curve = self.clone();
        while curve.degree() < degree {
            curve = curve.elevated()?;
        }
        Ok(curve)
    }

    /// One curve of pieces that run end to end, exact, with a knot as often as the degree at each joint; its parameters
    /// share the domain 0 to 1 by the pieces' chords.
    ///
    /// # Errors
    /// `TooFewPoints` without pieces, `Degree`.
    pub fn of_pieces(pieces: &[Self]) -> Result<Self, GeometryError> {
        let sizes: Vec<f64> = pieces.iter().map(|p| p.polygon_length().max(1e-9)).collect();
        let whole: f64 = sizes.iter().sum();
        let mut run = 0.0;
        let mut breaks = vec![0.0];
        breaks.extend(sizes.iter().map(|size| {
            run += size;
            run / whole
        }));
        breaks[pieces.len()] = 1.0;
        Self::of_pieces_over(pieces, &breaks)
    }

    /// The same with each piece over its own part of the domain, between neighbouring `breaks`, which rise.
    ///
    /// # Errors
    /// `TooFewPoints` without pieces, or with another number of breaks than one more than pieces; `Degree`.
    pub fn of_pieces_over(pieces: &[Self], breaks: &[f64]) -> Result<Self, GeometryError> {
        check_work();
        let degree = pieces.iter().map(Self::degree).max();
        let degree = degree
            .filter(|_| breaks.len() == pieces.len() + 1)
            .ok_or(GeometryError::TooFewPoints { given: pieces.len(), needed: 1 })?
            .min(MAX_DEGREE);
        let mut knots: Vec<f64> = vec![breaks[0]; degree + 1];
        let mut points: Vec<Homogeneous> = Vec::new();
        for (i, (piece, part)) in pieces.iter().zip(breaks.windows(2)).enumerate() {
            let (start, end) = (part[0], part[1]);
            let piece = piece.elevated_to(degree)?.over(Domain { start, end });
            let own = piece.knots().knots();
            knots.extend(&own[degree + 1..own.len() - degree - 1]);
            knots.extend(std::iter::repeat_n(end, degree + usize::from(i + 1 == pieces.len())));
            // Weights are free up to a factor; neighbours share that of their joint.
            let factor = points.last().map_or(1.0, |last: &Homogeneous| last.w / piece.homogeneous()[0].w);
            points.extend(piece.homogeneous().iter().skip(usize::from(i > 0)).map(|p| p * factor));
        }
        Self::from_homogeneous(KnotVector::try_new(degree, knots)?, points)
    }

    /// Length of the control polygon in millimetres, an upper bound of the curve's.
    #[must_use]
    pub fn polygon_length(&self) -> f64 {
        self.control_points().windows(2).map(|w| (w[1] - w[0]).norm()).sum()
    }

    /// A closed curve begun elsewhere, with the same speed everywhere, so that it is as smooth over its old beginning as it
    /// was; an ellipse in four quarters comes in four quarters again. `None` at the old beginning, and for others than
    /// ellipses within `distance` mm of it.
    #[must_use]
    pub fn begun_at(&self, parameter: f64, distance: f64) -> Option<Self> {
        let (before, after) = self.split(parameter)?;
        // In four quarters again, so that ellipses go together whichever way they are turned.
        if let Some(ellipse) = Ellipse::of(self) {
            return ellipse.begun_at(ellipse.angle(&self.point(parameter))).with_knots_of(self);
        }
        let d = self.domain();
        if [&before, &after].iter().any(|c| c.polygon_length() <= distance) {
            return None;
        }
        let seam = d.end - parameter;
        let turned = Self::of_pieces_over(&[after, before], &[0.0, seam, d.length()]).ok()?;
        // Knots that the old beginning does not need are taken out again.
        let mut simpler = turned;
        for _ in 1..simpler.degree() {
            match simpler.without_knot(seam, 1e-9) {
                Some((next, deviation)) if deviation <= 1e-9 => simpler = next,
                _ => break,
            }
        }
        Some(simpler)
    }
}

/// The same curves over 0 to 1, all with the highest of their degrees and with all knots of each.
///
/// # Errors
/// `Degree`.
pub fn compatible(curves: &[NurbsCurve]) -> Result<Vec<NurbsCurve>, GeometryError> {
    check_work();
    let raised = raised(curves)?;
    let inner = all_inner_knots(&raised);
    with_all_knots(raised, &inner)
}

/// As [`compatible`], but where many curves with knots of their own would together have far more than any of them, each is
/// fitted anew with as few common knots as keep it where it was. Gives the largest distance that was measured too, in
/// millimetres: 0 for curves that are exact.
///
/// # Tolerance
/// Bounds the distance at five places of every span, in millimetres, at equal parameters.
///
/// # Errors
/// `Degree`.
///
/// # References
/// Piegl & Tiller, Reducing control points in surface interpolation, IEEE Computer Graphics and Applications 20(5), 2000
/// (from memory), for the idea.
pub fn compatible_within(
    curves: &[NurbsCurve],
    tolerance: f64,
) -> Result<(Vec<NurbsCurve>, f64), GeometryError> {
    let raised = raised(curves)?;
    let inner = all_inner_knots(&raised);
    let most = raised.iter().map(|c| c.knots().breaks().len() - 2).max().unwrap_or(0);
    let smooth = raised.iter().all(|c| !c.is_rational()) && inner.iter().all(|k| k.count == 1);
    if smooth
        && inner.len() > FEW_KNOTS.max(MANY_TIMES * most)
        && let Some(fitted) = with_few_knots(&raised, &inner, most, tolerance)?
    {
        return Ok(fitted);
    }
    Ok((with_all_knots(raised, &inner)?, 0.0))
}

fn raised(curves: &[NurbsCurve]) -> Result<Vec<NurbsCurve>, GeometryError> {
    let degree = curves.iter().map(NurbsCurve::degree).max().unwrap_or(1);
    curves.iter().map(|c| Ok(c.elevated_to(degree)?.over(UNIT))).collect()
}

/// An inner knot of several curves: of those that lie together the first and the last, and the most times that one curve
/// has it.
#[derive(Debug, Clone, Copy)]
struct Shared {
    first: f64,
    last: f64,
    count: usize,
}

/// Every inner knot of curves over 0 to 1.
fn all_inner_knots(curves: &[NurbsCurve]) -> Vec<Shared> {
    let mut all: Vec<(f64, usize)> = curves.iter().flat_map(|c| c.knots().distinct()).collect();
    all.sort_by(|a, b| a.0.total_cmp(&b.0));
    all.retain(|(k, _)| *k > SAME_KNOT && *k < 1.0 - SAME_KNOT);
    let mut out: Vec<Shared> = Vec::new();
    for (knot, count) in all {
        match out.last_mut() {
            Some(before) if knot - before.last <= SAME_KNOT => {
                (before.last, before.count) = (knot, before.count.max(count));
            }
            _ => out.push(Shared { first: knot, last: knot, count }),
        }
    }
    out
}

fn with_all_knots(curves: Vec<NurbsCurve>, inner: &[Shared]) -> Result<Vec<NurbsCurve>, GeometryError> {
    if curves.windows(2).all(|w| w[0].knots() == w[1].knots()) {
        return Ok(curves);
    }
    let one = |mut curve: NurbsCurve| {
        let degree = curve.degree();
        let distinct = curve.knots().distinct();
        for shared in inner {
            let own = distinct.iter().find(|(k, _)| (shared.first..=shared.last).contains(k));
            for _ in own.map_or(0, |o| o.1)..shared.count {
                curve = curve.with_knot(own.map_or(shared.first, |o| o.0));
            }
        }
        // Knots that were the same but for their last digits are now the same.
        let knots = std::iter::repeat_n(0.0, degree + 1)
            .chain(inner.iter().flat_map(|s| std::iter::repeat_n(s.first, s.count)))
            .chain(std::iter::repeat_n(1.0, degree + 1))
            .collect();
        NurbsCurve::from_homogeneous(KnotVector::try_new(degree, knots)?, curve.homogeneous().to_vec())
    };
    curves.into_iter().map(one).collect()
}

/// The curves fitted with common knots, at first about as many as the richest one has, where theirs are densest; spans in
/// which one is missed are halved. `None` where that takes as many knots as they have together.
fn with_few_knots(
    curves: &[NurbsCurve],
    inner: &[Shared],
    most: usize,
    tolerance: f64,
) -> Result<Option<(Vec<NurbsCurve>, f64)>, GeometryError> {
    let degree = curves[0].degree();
    let mut knots: Vec<f64> = (1..=most).map(|k| inner[k * inner.len() / (most + 1)].first).collect();
    for _ in 0..MAX_ROUNDS {
        if knots.len() >= inner.len() {
            return Ok(None);
        }
        let breaks: Vec<f64> = [0.0].into_iter().chain(knots.iter().copied()).chain([1.0]).collect();
        let places = KnotVector::joined_pieces(1, &breaks).sampled(PLACES_PER_SPAN);
        let full: Vec<f64> = std::iter::repeat_n(0.0, degree + 1)
            .chain(knots.iter().copied())
            .chain(std::iter::repeat_n(1.0, degree + 1))
            .collect();
        let vector = KnotVector::try_new(degree, full)?;
        let mut missed = vec![false; breaks.len() - 1];
        let mut worst: f64 = 0.0;
        let mut out = Vec::with_capacity(curves.len());
        for curve in curves {
            let points: Vec<Point3> = places.iter().map(|&t| curve.point(t)).collect();
            let fitted = least_squares_over(vector.clone(), &points, &places)?;
            for (k, span) in breaks.windows(2).enumerate() {
                for i in 0..PLACES_PER_SPAN {
                    let t = span[0] + (span[1] - span[0]) * (i as f64 + 0.5) / PLACES_PER_SPAN as f64;
                    let off = (fitted.point(t) - curve.point(t)).norm();
                    worst = worst.max(off);
                    missed[k] |= off > tolerance;
                }
            }
            out.push(fitted);
        }
        if worst <= tolerance {
            return Ok(Some((out, worst)));
        }
        knots = breaks
            .windows(2)
            .zip(&missed)
            .flat_map(|(w, missed)| [Some(w[0]), missed.then_some(0.5 * (w[0] + w[1]))])
            .flatten()
            .skip(1)
            .collect();
    }
    Ok(None)
}
