//! Knot insertion and removal, splitting, degree elevation (chapter 5).

use crate::{GeometryError, Homogeneous, KnotVector, MAX_DEGREE, NurbsCurve, check_work};

impl NurbsCurve {
    /// The same curve with one more knot at `parameter`, which must lie inside the domain; a knot that already
    /// has the degree's multiplicity is left as it is.
    ///
    /// # References
    /// Algorithm A5.1 (Boehm).
    #[must_use]
    pub fn with_knot(&self, parameter: f64) -> Self {
        check_work();
        let p = self.degree();
        let knots = self.knots();
        let d = knots.domain();
        let multiplicity = knots.multiplicity(parameter);
        if !(parameter > d.start && parameter < d.end) || multiplicity >= p {
            return self.clone();
        }
        let span = knots.span(parameter);
        let u = knots.knots();
        let old = self.homogeneous();
        let mut points = Vec::with_capacity(old.len() + 1);
        for i in 0..=old.len() {
            points.push(if i + p <= span {
                old[i]
            } else if i > span - multiplicity {
                old[i - 1]
            } else {
                let alpha = (parameter - u[i]) / (u[i + p] - u[i]);
                old[i] * alpha + old[i - 1] * (1.0 - alpha)
            });
        }
        let mut new_knots = u.to_vec();
        new_knots.insert(span + 1, parameter);
        Self::new_unchecked(knots.with_knots(new_knots), points)
    }

    fn with_knot_fold(&self, parameter: f64, fold: usize) -> Self {
        let missing = fold.saturating_sub(self.knots().multiplicity(parameter));
        (0..missing).fold(self.clone(), |curve, _| curve.with_knot(parameter))
    }

    /// The curve without one copy of the inner knot at `parameter`, and the largest distance its control points
    /// had to give way in homogeneous space; `None` if it would be more than `tolerance` or there is no such knot.
    ///
    /// # References
    /// Algorithm A5.8 and section 5.4.
    #[must_use]
    pub fn without_knot(&self, parameter: f64, tolerance: f64) -> Option<(Self, f64)> {
        check_work();
        let p = self.degree();
        let u = self.knots().knots();
        let d = self.domain();
        if !(parameter > d.start && parameter < d.end) {
            return None;
        }
        let r = u.iter().rposition(|&k| k == parameter)?;
        let s = self.knots().multiplicity(parameter);
        let (first, last) = (r - p, r - s);
        let old = self.homogeneous();
        let mut left = vec![old[first - 1]];
        let mut right = vec![old[last + 1]];
        let (mut i, mut j) = (first, last);
        while i < j {
            let a = (parameter - u[i]) / (u[i + p + 1] - u[i]);
            let b = (parameter - u[j]) / (u[j + p + 1] - u[j]);
            left.push((old[i] - left[left.len() - 1] * (1.0 - a)) / a);
            right.push((old[j] - right[right.len() - 1] * b) / (1.0 - b));
            i += 1;
            j -= 1;
        }
        let gap = if j < i {
            (left[left.len() - 1] - right[right.len() - 1]).norm()
        } else {
            let a = (parameter - u[i]) / (u[i + p + 1] - u[i]);
            (old[i] - (right[right.len() - 1] * a + left[left.len() - 1] * (1.0 - a))).norm()
        };
        if gap > tolerance {
            return None;
        }
        let mut points: Vec<Homogeneous> = old[..first].to_vec();
        points.extend(&left[1..]);
        // When both sides computed the same point, one of the two copies stands for it.
        let skip = usize::from(j < i);
        points.extend(right[1..].iter().rev().skip(skip));
        points.extend(&old[last + 1..]);
        let mut knots = u.to_vec();
        knots.remove(r);
        Some((Self::new_unchecked(self.knots().with_knots(knots), points), gap))
    }

    /// Polynomial pieces of the curve: one per knot span, in order, each over its own part of the domain.
    #[must_use]
    pub fn pieces(&self) -> Vec<Self> {
        let p = self.degree();
        let breaks = self.knots().breaks();
        let inner = &breaks[1..breaks.len() - 1];
        let full = inner.iter().fold(self.clone(), |curve, &b| curve.with_knot_fold(b, p));
        breaks
            .windows(2)
            .enumerate()
            .map(|(k, pair)| {
                let points = full.homogeneous()[k * p..=(k + 1) * p].to_vec();
                Self::new_unchecked(KnotVector::joined_pieces(p, pair), points)
            })
            .collect()
    }

    /// The two parts before and after an inner parameter; `None` at or outside the ends.
    #[must_use]
    pub fn split(&self, parameter: f64) -> Option<(Self, Self)> {
        let d = self.domain();
        let parameter = self.knots().snapped(parameter);
        if !(parameter > d.start && parameter < d.end) {
            return None;
        }
        let p = self.degree();
        let full = self.with_knot_fold(parameter, p);
        let u = full.knots().knots();
        let first = u.iter().position(|&k| k == parameter)?;
        let mut head = u[..first + p].to_vec();
        head.push(parameter);
        let mut tail = vec![parameter];
        tail.extend(&u[first..]);
        let points = full.homogeneous();
        let cut = first - 1;
        Some((
            Self::new_unchecked(self.knots().with_knots(head), points[..=cut].to_vec()),
            Self::new_unchecked(self.knots().with_knots(tail), points[cut..].to_vec()),
        ))
    }

    /// The part of the curve between two parameters, `start < end`, both brought into the domain.
    #[must_use]
    pub fn part(&self, start: f64, end: f64) -> Self {
        let after = self.split(start).map_or_else(|| self.clone(), |(_, tail)| tail);
        after.split(end).map_or_else(|| after.clone(), |(head, _)| head)
    }

    /// The same curve with its degree raised by one.
    ///
    /// Each polynomial piece is elevated by itself, then the surplus knots are removed again.
    ///
    /// # Errors
    /// `Degree` when the new degree is above [`MAX_DEGREE`].
    ///
    /// # References
    /// Section 5.5, equation 5.36.
    pub fn elevated(&self) -> Result<Self, GeometryError> {
        check_work();
        let p = self.degree();
        if p + 1 > MAX_DEGREE {
            return Err(GeometryError::Degree(p + 1));
        }
        let q = p + 1;
        let mut points: Vec<Homogeneous> = Vec::new();
        for piece in self.pieces() {
            let h = piece.homogeneous();
            points.pop();
            for i in 0..=q {
                let a = i as f64 / q as f64;
                let low = if i > 0 { h[i - 1] * a } else { Homogeneous::zeros() };
                let high = if i < q { h[i] * (1.0 - a) } else { Homogeneous::zeros() };
                points.push(low + high);
            }
        }
        let distinct = self.knots().distinct();
        let breaks: Vec<f64> = distinct.iter().map(|d| d.0).collect();
        let mut curve = Self::new_unchecked(KnotVector::joined_pieces(q, &breaks), points);
        for &(knot, multiplicity) in &distinct[1..distinct.len() - 1] {
            for _ in multiplicity + 1..q {
                // Exact in theory: the piecewise form only repeats what the curve's smoothness implies.
                if let Some((simpler, _)) = curve.without_knot(knot, f64::INFINITY) {
                    curve = simpler;
                }
            }
        }
        Ok(curve)
    }

    /// Inner parameters where the tangent turns by more than `angle` radians, the curve's corners.
    #[must_use]
    pub fn corners(&self, angle: f64) -> Vec<f64> {
        let p = self.degree();
        let distinct = self.knots().distinct();
        let inner = &distinct[1..distinct.len() - 1];
        let candidates = inner.iter().filter(|(_, m)| *m >= p).map(|(k, _)| *k);
        candidates
            .filter(|&k| {
                let Some((before, after)) = self.split(k) else { return false };
                match (before.tangent(k), after.tangent(k)) {
                    (Some(a), Some(b)) => a.angle(&b) > angle,
                    _ => true,
                }
            })
            .collect()
    }
}
