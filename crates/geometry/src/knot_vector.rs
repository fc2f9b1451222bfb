use serde::{Deserialize, Serialize};

use crate::{Domain, GeometryError, Homogeneous};

/// Share of a domain within which two parameters are one.
const SAME_BUT_FOR_ROUNDING: f64 = 1e-12;
/// Highest degree that evaluation supports; its work arrays live on the stack.
pub const MAX_DEGREE: usize = 15;
pub(crate) const ORDER: usize = MAX_DEGREE + 1;

/// A clamped knot vector with its degree: the first and the last knot stand `degree + 1` times.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct KnotVector {
    degree: usize,
    knots: Vec<f64>,
}

impl KnotVector {
    /// Checks and takes a full knot vector.
    ///
    /// # Errors
    /// `Degree`, `KnotCount` (too short for one span), `KnotOrder`, `BadNumber`.
    pub fn try_new(degree: usize, knots: Vec<f64>) -> Result<Self, GeometryError> {
        if degree == 0 || degree > MAX_DEGREE {
            return Err(GeometryError::Degree(degree));
        }
        if knots.len() < 2 * (degree + 1) {
            let points = knots.len().saturating_sub(degree + 1);
            return Err(GeometryError::KnotCount {
                knots: knots.len(),
                points: points.max(degree + 1),
                degree,
            });
        }
        if let Some(bad) = knots.iter().position(|k| !k.is_finite()) {
            return Err(GeometryError::BadNumber(bad));
        }
        let last = knots.len() - 1;
        for i in 0..last {
            let must_repeat = i < degree || i >= last - degree;
            if knots[i + 1] < knots[i] || (must_repeat && knots[i + 1] != knots[i]) {
                return Err(GeometryError::KnotOrder(i + 1));
            }
        }
        if let Some(i) = (1..last - degree).find(|&i| knots[i] == knots[i + degree]) {
            return Err(GeometryError::KnotOrder(i + degree));
        }
        Ok(Self { degree, knots })
    }

    /// Knots of a single polynomial piece over `[0, 1]`; the degree is brought into the supported range.
    #[must_use]
    pub fn bezier(degree: usize) -> Self {
        Self::joined_pieces(degree, &[0.0, 1.0])
    }

    /// Knots of polynomial pieces that meet at `breaks` with positions only (inner knots `degree` fold).
    pub(crate) fn joined_pieces(degree: usize, breaks: &[f64]) -> Self {
        let degree = degree.clamp(1, MAX_DEGREE);
        let mut knots = Vec::with_capacity(degree * breaks.len() + 2);
        for (i, &b) in breaks.iter().enumerate() {
            let extra = usize::from(i == 0 || i + 1 == breaks.len());
            knots.extend(std::iter::repeat_n(b, degree + extra));
        }
        Self { degree, knots }
    }

    /// Knots that stand once at each inner break, so that pieces meet as smoothly as the degree allows; the breaks rise.
    #[must_use]
    pub fn smooth_pieces(degree: usize, breaks: &[f64]) -> Self {
        let degree = degree.clamp(1, MAX_DEGREE);
        let (first, last) = (breaks.first().copied().unwrap_or(0.0), breaks.last().copied().unwrap_or(1.0));
        let mut knots = vec![first; degree];
        knots.extend(breaks);
        knots.extend(std::iter::repeat_n(last, degree));
        Self { degree, knots }
    }

    /// Evenly spaced inner knots for `points` control points, over `[0, points - degree]`.
    ///
    /// # Errors
    /// `TooFewPoints` when there are not more points than the degree, `Degree`.
    pub fn clamped_uniform(degree: usize, points: usize) -> Result<Self, GeometryError> {
        if points <= degree {
            return Err(GeometryError::TooFewPoints { given: points, needed: degree + 1 });
        }
        let spans = points - degree;
        let mut knots = vec![0.0; degree];
        knots.extend((0..=spans).map(|i| i as f64));
        knots.extend(std::iter::repeat_n(spans as f64, degree));
        Self::try_new(degree, knots)
    }

    /// The polynomial degree.
    #[must_use]
    pub fn degree(&self) -> usize {
        self.degree
    }

    /// All knots, repeated ones as often as they count.
    #[must_use]
    pub fn knots(&self) -> &[f64] {
        &self.knots
    }

    /// How many control points belong to these knots.
    #[must_use]
    pub fn point_count(&self) -> usize {
        self.knots.len() - self.degree - 1
    }

    /// The parameter interval.
    #[must_use]
    pub fn domain(&self) -> Domain {
        Domain::new(self.knots[self.degree], self.knots[self.knots.len() - 1 - self.degree])
    }

    /// Distinct knots with their multiplicities, in rising order.
    #[must_use]
    pub fn distinct(&self) -> Vec<(f64, usize)> {
        let mut out: Vec<(f64, usize)> = Vec::new();
        for &k in &self.knots {
            match out.last_mut() {
                Some((value, count)) if *value == k => *count += 1,
                _ => out.push((k, 1)),
            }
        }
        out
    }

    /// Distinct knot values, in rising order.
    #[must_use]
    pub fn breaks(&self) -> Vec<f64> {
        self.distinct().into_iter().map(|(k, _)| k).collect()
    }

    /// Runs of spans within which a curve with these knots has no kink, as numbers of the first and the last of their breaks.
    #[must_use]
    pub fn smooth_runs(&self) -> Vec<[usize; 2]> {
        let distinct = self.distinct();
        let last = distinct.len() - 1;
        let kinks = (1..last).filter(|&k| distinct[k].1 >= self.degree);
        let mut runs = vec![[0, last]];
        for k in kinks {
            let run = runs.len() - 1;
            runs[run][1] = k;
            runs.push([k, last]);
        }
        runs
    }

    /// The blossom of the polynomial on one span, from the control points that act on it: de Boor's triangle with an
    /// argument of its own in each of its steps, as many as the degree.
    ///
    /// # References
    /// Ramshaw, Blossoms are polar forms, CAGD 6, 1989.
    pub(crate) fn blossom(&self, span: usize, window: &[Homogeneous], arguments: &[f64]) -> Homogeneous {
        let p = self.degree;
        let mut d = [Homogeneous::zeros(); ORDER];
        d[..=p].copy_from_slice(window);
        for (r, &t) in (1..=p).zip(arguments) {
            for j in (r..=p).rev() {
                let low = self.knots[j + span - p];
                let alpha = (t - low) / (self.knots[j + 1 + span - r] - low);
                d[j] = d[j - 1] * (1.0 - alpha) + d[j] * alpha;
            }
        }
        d[p]
    }

    /// Index of the knot at the start of each span that has a length.
    pub(crate) fn spans(&self) -> Vec<usize> {
        let p = self.degree;
        (p..self.point_count()).filter(|&k| self.knots[k] < self.knots[k + 1]).collect()
    }

    /// Parameters from end to end, `per_span` equal steps in each span that has a length; knots are met exactly.
    #[must_use]
    pub fn sampled(&self, per_span: usize) -> Vec<f64> {
        self.sampled_in(|_| true, per_span)
    }

    /// The same in those spans, counted among those that have a length, that are wanted.
    pub(crate) fn sampled_in(&self, wanted: impl Fn(usize) -> bool, per_span: usize) -> Vec<f64> {
        let breaks = self.breaks();
        let mut out: Vec<f64> = Vec::new();
        for (_, pair) in breaks.windows(2).enumerate().filter(|(span, _)| wanted(*span)) {
            if out.last() != Some(&pair[0]) {
                out.push(pair[0]);
            }
            let step = (pair[1] - pair[0]) / per_span as f64;
            out.extend((1..per_span).map(|k| pair[0] + step * k as f64));
            out.push(pair[1]);
        }
        out
    }

    /// How often `parameter` stands among the knots.
    #[must_use]
    pub fn multiplicity(&self, parameter: f64) -> usize {
        self.knots.iter().filter(|&&k| k == parameter).count()
    }

    /// The knot that a parameter is but for rounding, else the parameter itself: a span of next to no length would lose all
    /// digits.
    #[must_use]
    pub fn snapped(&self, parameter: f64) -> f64 {
        let near = SAME_BUT_FOR_ROUNDING * self.domain().length();
        self.knots.iter().copied().find(|k| (k - parameter).abs() <= near).unwrap_or(parameter)
    }

    /// Index `i` of the span with `knots[i] <= parameter < knots[i + 1]`; the right end belongs to the last span.
    ///
    /// # References
    /// Algorithm A2.1.
    #[must_use]
    pub fn span(&self, parameter: f64) -> usize {
        let last = self.point_count() - 1;
        if parameter >= self.knots[last + 1] {
            return last;
        }
        let inner = &self.knots[self.degree + 1..=last + 1];
        self.degree + inner.partition_point(|&k| k <= parameter)
    }

    /// The `degree + 1` basis functions that are not zero on `span`, in order.
    ///
    /// # References
    /// Algorithm A2.2.
    #[must_use]
    pub fn basis(&self, span: usize, parameter: f64) -> [f64; ORDER] {
        self.triangle(span, parameter, |_, _, _| ())
    }

    /// The triangle of algorithm A2.2, and each of its quotients with its round and place.
    #[inline]
    fn triangle(
        &self,
        span: usize,
        parameter: f64,
        mut quotient: impl FnMut(usize, usize, f64),
    ) -> [f64; ORDER] {
        let mut n = [0.0; ORDER];
        let mut left = [0.0; ORDER];
        let mut right = [0.0; ORDER];
        n[0] = 1.0;
        for j in 1..=self.degree {
            left[j] = parameter - self.knots[span + 1 - j];
            right[j] = self.knots[span + j] - parameter;
            let mut saved = 0.0;
            for r in 0..j {
                let t = n[r] / (right[r + 1] + left[j - r]);
                quotient(j, r, t);
                n[r] = saved + right[r + 1] * t;
                saved = left[j - r] * t;
            }
            n[j] = saved;
        }
        n
    }

    /// Basis functions and their first derivatives, for little more than the functions alone.
    ///
    /// # References
    /// Algorithm A2.2, with equation 2.7 from its last round.
    #[must_use]
    pub fn basis_and_slope(&self, span: usize, parameter: f64) -> [[f64; ORDER]; 2] {
        let mut slope = [0.0; ORDER];
        let n = self.triangle(span, parameter, |round, r, t| {
            if round == self.degree {
                slope[r] -= t * round as f64;
                slope[r + 1] += t * round as f64;
            }
        });
        [n, slope]
    }

    /// Basis functions and their first three derivatives: `result[k][j]` is the k-th derivative of the j-th one.
    ///
    /// # References
    /// Algorithm A2.3.
    #[must_use]
    pub fn basis_derivatives(&self, span: usize, parameter: f64) -> [[f64; ORDER]; 4] {
        let p = self.degree;
        let mut ndu = [[0.0; ORDER]; ORDER];
        let mut left = [0.0; ORDER];
        let mut right = [0.0; ORDER];
        ndu[0][0] = 1.0;
        for j in 1..=p {
            left[j] = parameter - self.knots[span + 1 - j];
            right[j] = self.knots[span + j] - parameter;
            let mut saved = 0.0;
            for r in 0..j {
                ndu[j][r] = right[r + 1] + left[j - r];
                let t = ndu[r][j - 1] / ndu[j][r];
                ndu[r][j] = saved + right[r + 1] * t;
                saved = left[j - r] * t;
            }
            ndu[j][j] = saved;
        }
        let mut out = [[0.0; ORDER]; 4];
        for j in 0..=p {
            out[0][j] = ndu[j][p];
        }
        for r in 0..=p {
            let mut a = [[0.0; ORDER]; 2];
            let (mut s1, mut s2) = (0, 1);
            a[0][0] = 1.0;
            for k in 1..=3.min(p) {
                let mut d = 0.0;
                let pk = p - k;
                if r >= k {
                    a[s2][0] = a[s1][0] / ndu[pk + 1][r - k];
                    d = a[s2][0] * ndu[r - k][pk];
                }
                let j1 = if r + 1 >= k { 1 } else { k - r };
                let j2 = if r <= pk + 1 { k - 1 } else { p - r };
                for j in j1..=j2 {
                    a[s2][j] = (a[s1][j] - a[s1][j - 1]) / ndu[pk + 1][r + j - k];
                    d += a[s2][j] * ndu[r + j - k][pk];
                }
                if r <= pk {
                    a[s2][k] = -a[s1][k - 1] / ndu[pk + 1][r];
                    d += a[s2][k] * ndu[r][pk];
                }
                out[k][r] = d;
                std::mem::swap(&mut s1, &mut s2);
            }
        }
        let mut factor = p as f64;
        for (k, row) in out.iter_mut().enumerate().skip(1) {
            for value in row.iter_mut() {
                *value *= factor;
            }
            factor *= p.saturating_sub(k) as f64;
        }
        out
    }

    /// Means of `degree` successive inner knots, one for each control point.
    #[must_use]
    pub fn greville(&self) -> Vec<f64> {
        let p = self.degree;
        (0..self.point_count()).map(|i| self.knots[i + 1..=i + p].iter().sum::<f64>() / p as f64).collect()
    }

    /// The middle of the widest span; of several as wide the one nearest to the middle.
    #[must_use]
    pub fn middle_of_widest_span(&self) -> f64 {
        let breaks = self.breaks();
        let centre = self.domain().at(0.5);
        let spans = breaks.windows(2).map(|w| (w[1] - w[0], 0.5 * (w[0] + w[1])));
        let better = |a: &(f64, f64), b: &(f64, f64)| {
            if (a.0 - b.0).abs() > 1e-9 * (a.0 + b.0) {
                a.0.total_cmp(&b.0)
            } else {
                (b.1 - centre).abs().total_cmp(&(a.1 - centre).abs())
            }
        };
        spans.max_by(better).map_or(centre, |s| s.1)
    }

    /// The same knots run backwards over the same interval.
    #[must_use]
    pub fn reversed(&self) -> Self {
        let d = self.domain();
        let knots = self.knots.iter().rev().map(|k| d.start + (d.end - k)).collect();
        Self { degree: self.degree, knots }
    }

    /// The same knots over another interval.
    #[must_use]
    pub fn over(&self, domain: Domain) -> Self {
        let d = self.domain();
        let moved = |k: f64| {
            // The ends are met exactly, and a domain that is the same stays as it is.
            if k == d.end {
                domain.end
            } else {
                domain.start + (k - d.start) * (domain.length() / d.length())
            }
        };
        Self { degree: self.degree, knots: self.knots.iter().map(|&k| moved(k)).collect() }
    }

    pub(crate) fn with_knots(&self, knots: Vec<f64>) -> Self {
        Self { degree: self.degree, knots }
    }
}
