//! Curves brought to the same degree and the same knots, and pieces put together into one curve (section 10.3).

use crate::{Domain, GeometryError, Homogeneous, KnotVector, MAX_DEGREE, NurbsCurve};

/// Knots nearer than this share of the domain are one.
const SAME_KNOT: f64 = 1e-9;
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
        let degree = pieces.iter().map(Self::degree).max();
        let degree = degree.ok_or(GeometryError::TooFewPoints { given: 0, needed: 1 })?.min(MAX_DEGREE);
        let sizes: Vec<f64> = pieces
            .iter()
            .map(|p| p.control_points().windows(2).map(|w| (w[1] - w[0]).norm()).sum::<f64>().max(1e-9))
            .collect();
        let whole: f64 = sizes.iter().sum();
        let mut knots: Vec<f64> = vec![0.0; degree + 1];
        let mut points: Vec<Homogeneous> = Vec::new();
        let mut run = 0.0;
        for (i, (piece, size)) in pieces.iter().zip(&sizes).enumerate() {
            let end = if i + 1 == pieces.len() { 1.0 } else { (run + size) / whole };
            let piece = piece.elevated_to(degree)?.over(Domain { start: run / whole, end });
            run += size;
            let own = piece.knots().knots();
            knots.extend(&own[degree + 1..own.len() - degree - 1]);
            knots.extend(std::iter::repeat_n(end, degree + usize::from(i + 1 == pieces.len())));
            // Weights are free up to a factor; neighbours share that of their joint.
            let factor = points.last().map_or(1.0, |last: &Homogeneous| last.w / piece.homogeneous()[0].w);
            points.extend(piece.homogeneous().iter().skip(usize::from(i > 0)).map(|p| p * factor));
        }
        Self::from_homogeneous(KnotVector::try_new(degree, knots)?, points)
    }
}

/// The same curves over 0 to 1, all with the highest of their degrees and with all knots of each.
///
/// # Errors
/// `Degree`.
pub fn compatible(curves: &[NurbsCurve]) -> Result<Vec<NurbsCurve>, GeometryError> {
    let degree = curves.iter().map(NurbsCurve::degree).max().unwrap_or(1);
    let raised = curves
        .iter()
        .map(|c| Ok(c.elevated_to(degree)?.over(UNIT)))
        .collect::<Result<Vec<_>, GeometryError>>()?;
    if raised.windows(2).all(|w| w[0].knots() == w[1].knots()) {
        return Ok(raised);
    }
    let mut all: Vec<(f64, usize)> = Vec::new();
    for curve in &raised {
        for (knot, count) in curve.knots().distinct() {
            match all.iter_mut().find(|(k, _)| (*k - knot).abs() <= SAME_KNOT) {
                Some((_, most)) => *most = (*most).max(count),
                None => all.push((knot, count)),
            }
        }
    }
    all.sort_by(|a, b| a.0.total_cmp(&b.0));
    let inner: Vec<(f64, usize)> =
        all.into_iter().filter(|(k, _)| *k > SAME_KNOT && *k < 1.0 - SAME_KNOT).collect();
    raised
        .into_iter()
        .map(|mut curve| {
            for &(knot, count) in &inner {
                let own = curve.knots().distinct().into_iter().find(|(k, _)| (k - knot).abs() <= SAME_KNOT);
                for _ in own.map_or(0, |o| o.1)..count {
                    curve = curve.with_knot(own.map_or(knot, |o| o.0));
                }
            }
            // Knots that were the same but for their last digits are now the same.
            let knots = std::iter::repeat_n(0.0, degree + 1)
                .chain(inner.iter().flat_map(|&(k, n)| std::iter::repeat_n(k, n)))
                .chain(std::iter::repeat_n(1.0, degree + 1))
                .collect();
            NurbsCurve::from_homogeneous(KnotVector::try_new(degree, knots)?, curve.homogeneous().to_vec())
        })
        .collect()
}
