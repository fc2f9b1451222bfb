//! Cubic curves through points whose knots are the points' own parameters, with a tension.
//!
//! Interior points join with the same second derivative, or with a tension with the same curvature (Nielson, Some piecewise
//! polynomial alternatives to splines under tension, 1974, the nu-spline). Free ends leave as the parabola through the three
//! points next to them does (Farin, Curves and Surfaces for CAGD, section 9.3, the Bessel end condition).

use crate::banded::Banded;
use crate::interpolate::check_points;
use crate::{EndDerivatives, GeometryError, KnotVector, NurbsCurve, Point3, Vector3, interpolate};

/// How far apart in its parameter a curve passes through points.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Spacing {
    /// By the square roots of the distances between them: long and short steps beside each other overshoot least
    /// (Lee, Choosing nodes in parametric curve interpolation, CAD 21, 1989; of these three the only one without loops and
    /// cusps between two points for splines of the Catmull-Rom kind, Yuksel, Schaefer & Keyser, CAD 43, 2011).
    #[default]
    Centripetal,
    /// By the distances themselves: near to arc length where the points lie close.
    Chord,
    /// Alike from each point to the next.
    Even,
}

/// How a curve goes through points.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Through {
    /// Its parameters.
    pub spacing: Spacing,
    /// From 0, none, up to below 1: the nearer, the more it is pulled tight between the points.
    pub tension: f64,
}

impl Through {
    /// Largest tension: beyond it a curve is its polyline but for rounding, and its curvature at the points without bound.
    pub const MOST_TENSION: f64 = 0.99;

    /// Parameters from 0 to 1.
    fn parameters(&self, points: &[Point3]) -> Vec<f64> {
        match self.spacing {
            Spacing::Centripetal => crate::centripetal_parameters(points),
            Spacing::Chord => crate::chord_parameters(points),
            Spacing::Even => {
                let last = points.len() - 1;
                (0..=last).map(|k| k as f64 / last as f64).collect()
            }
        }
    }

    /// What the tension adds, at a point between two steps, to the weight of its own derivative.
    fn pull(&self, [before, after]: [f64; 2]) -> f64 {
        let tension = self.tension.clamp(0.0, Self::MOST_TENSION);
        tension / (1.0 - tension) * (4.0 / before + 4.0 / after)
    }

    /// The curve through points, with given first and second derivatives by its parameter, 0 to 1, at its ends.
    ///
    /// # Errors
    /// `TooFewPoints`, `RepeatedPoint` for neighbours nearer than `resolution`, `BadNumber`.
    pub fn curve(
        &self,
        points: &[Point3],
        ends: &EndDerivatives,
        resolution: f64,
    ) -> Result<NurbsCurve, GeometryError> {
        check_points(points, resolution)?;
        let at = self.parameters(points);
        let second = [&ends.start, &ends.end].map(|e| e.get(1).copied());
        if points.len() < 3 {
            // One piece: its ends' derivatives are all that there is to say.
            let degree = 3.min(points.len() + ends.start.len() + ends.end.len() - 1);
            return interpolate(points, &at, degree, ends);
        }
        let mut nodes = Nodes::of(points, &at);
        let last = points.len() - 1;
        let first = |end: &Vec<Vector3>| end.first().copied();
        let start = first(&ends.start).unwrap_or_else(|| {
            self.free_end([&points[0], &points[1], &points[2]], [at[1] - at[0], at[2] - at[1]])
        });
        let end = first(&ends.end).unwrap_or_else(|| {
            let steps = [at[last] - at[last - 1], at[last - 1] - at[last - 2]];
            -self.free_end([&points[last], &points[last - 1], &points[last - 2]], steps)
        });
        nodes.solve(self, [start, end], second)?;
        nodes.joined(self.tension > 0.0)
    }

    /// Derivative at the first of three points, into the curve, where nothing is asked of it.
    fn free_end(&self, [p, q, r]: [&Point3; 3], [h, k]: [f64; 2]) -> Vector3 {
        let (near, far) = ((q - p) / h, (r - q) / k);
        let parabola = near - (far - near) * (h / (h + k));
        parabola.lerp(&near, self.tension.clamp(0.0, Self::MOST_TENSION))
    }

    /// The closed curve through points, none of which counts twice: smooth all round, wherever it begins.
    ///
    /// # Errors
    /// As [`Self::curve`]; three points are the fewest.
    pub fn ring(&self, points: &[Point3], resolution: f64) -> Result<NurbsCurve, GeometryError> {
        if points.len() < 3 {
            return Err(GeometryError::TooFewPoints { given: points.len(), needed: 3 });
        }
        let mut round = points.to_vec();
        round.push(points[0]);
        check_points(&round, resolution)?;
        let mut nodes = Nodes::of(&round, &self.parameters(&round));
        nodes.solve_ring(self)?;
        nodes.joined(self.tension > 0.0)
    }
}

/// Points at their parameters with the curve's derivatives there.
struct Nodes {
    at: Vec<f64>,
    points: Vec<Point3>,
    derivatives: Vec<Vector3>,
}

impl Nodes {
    fn of(points: &[Point3], at: &[f64]) -> Self {
        Self { at: at.to_vec(), points: points.to_vec(), derivatives: Vec::new() }
    }

    fn step(&self, i: usize) -> f64 {
        self.at[i + 1] - self.at[i]
    }

    fn slope(&self, i: usize) -> Vector3 {
        (self.points[i + 1] - self.points[i]) / self.step(i)
    }

    /// The condition at an inner point: weights of the derivatives before, at and after it, and their sum.
    fn joint(&self, how: &Through, before: usize, after: usize) -> ([f64; 3], Vector3) {
        let [h, k] = [self.step(before), self.step(after)];
        let weights = [2.0 / h, 4.0 / h + 4.0 / k + how.pull([h, k]), 2.0 / k];
        (weights, 6.0 * (self.slope(before) / h + self.slope(after) / k))
    }

    /// Derivatives between two known ones. A second derivative asked for at an end takes one more knot, midway in the step
    /// there; the place of that knot and its derivative come out of the conditions on either side of it.
    fn solve(
        &mut self,
        how: &Through,
        [start, end]: [Vector3; 2],
        second: [Option<Vector3>; 2],
    ) -> Result<(), GeometryError> {
        let last = self.points.len() - 1;
        let extra = second.map(|s| usize::from(s.is_some()));
        // Unknown: the derivative at a knot put in at the start, at inner points, at a knot put in at the end.
        let inner = last - 1;
        let size = inner + extra[0] + extra[1];
        let mut system = Banded::new(size, 1);
        let none = || GeometryError::NoDirection { at: self.points[0].into() };
        for i in 1..last {
            let row = i - 1 + extra[0];
            let ([mut before, mut own, mut after], mut right) = self.joint(how, i - 1, i);
            if let (1, Some(bend)) = (i, second[0]) {
                (before, own, right) = self.beside_knot(how, [0, 1], &start, &bend, own, right);
            } else if i == 1 {
                right -= start * before;
                before = 0.0;
            }
            if let (true, Some(bend)) = (i == last - 1, second[1]) {
                (after, own, right) = self.beside_knot(how, [last - 1, last - 2], &-end, &bend, own, right);
            } else if i == last - 1 {
                right -= end * after;
                after = 0.0;
            }
            let mut values = Vec::new();
            let mut from = row;
            if row > 0 {
                values.push(before);
                from -= 1;
            }
            values.push(own);
            if row + 1 < size {
                values.push(after);
            }
            system.set(row, from, &values, right);
        }
        // Midway the second derivative goes on too: d + 4 e + d' = 3 (p' - p) / half the step.
        if second[0].is_some() {
            system.set(0, 0, &[4.0, 1.0], self.slope(0) * 6.0 - start);
        }
        if second[1].is_some() {
            system.set(size - 1, size - 2, &[1.0, 4.0], self.slope(last - 1) * 6.0 - end);
        }
        let solved = system.solve().ok_or_else(none)?;
        let midway = |k: usize, step: usize, at: &Point3, leaves: &Vector3, bend: &Vector3, e: Vector3| {
            let half = 0.5 * self.step(step);
            // The cubic with that second derivative at the end.
            let sign = if k == 0 { 1.0 } else { -1.0 };
            at + (bend * half + leaves * 4.0 + e * (2.0 * sign)) * (half / 6.0)
        };
        let mut derivatives = vec![start];
        derivatives.extend(&solved);
        derivatives.push(end);
        let new_start = second[0].map(|b| midway(0, 0, &self.points[0], &start, &b, solved[0]));
        let new_end = second[1].map(|b| midway(1, last - 1, &self.points[last], &-end, &b, solved[size - 1]));
        if let Some(p) = new_end {
            self.at.insert(last, 0.5 * (self.at[last - 1] + self.at[last]));
            self.points.insert(last, p);
        }
        if let Some(p) = new_start {
            self.at.insert(1, 0.5 * (self.at[0] + self.at[1]));
            self.points.insert(1, p);
        }
        self.derivatives = derivatives;
        Ok(())
    }

    /// The condition at the point next to an end whose second derivative is given, when a knot stands midway in the step
    /// between them: weights of the derivatives at that knot and at the point, and the right side. `leaves` is the derivative
    /// at the end into the curve; the steps are those beside the point, the end's own first; `own` is the weight of the
    /// point's own derivative as it was without that knot.
    fn beside_knot(
        &self,
        how: &Through,
        [step, other]: [usize; 2],
        leaves: &Vector3,
        bend: &Vector3,
        own: f64,
        right: Vector3,
    ) -> (f64, f64, Vector3) {
        let (h, k) = (self.step(step), self.step(other));
        let half = 0.5 * h;
        let sign = if step < other { 1.0 } else { -1.0 };
        let chord = (self.points[step + 1] - self.points[step]) * sign;
        // Without the end's step: what is left of the condition belongs to the other one.
        let own = own - 4.0 / h - how.pull([h, k]) + 4.0 / half + how.pull([half, k]);
        let rest = right - self.slope(step) * (6.0 / h);
        let own_side = chord * (6.0 / (half * half)) - bend - leaves * (4.0 / half);
        (4.0 / half, own, rest + own_side * sign)
    }

    /// Derivatives all round, the last one that of the first point again.
    ///
    /// # References
    /// Sherman & Morrison's formula for the two corners that a ring adds to a tridiagonal system.
    fn solve_ring(&mut self, how: &Through) -> Result<(), GeometryError> {
        let n = self.points.len() - 1;
        let rows: Vec<([f64; 3], Vector3)> = (0..n).map(|i| self.joint(how, (i + n - 1) % n, i)).collect();
        let corner = [rows[0].0[0], rows[n - 1].0[2]];
        let gamma = -rows[0].0[1];
        let solve = |right: &dyn Fn(usize) -> Vector3| {
            let mut system = Banded::new(n, 1);
            for (i, ([before, own, after], _)) in rows.iter().enumerate() {
                let own = match i {
                    0 => own - gamma,
                    i if i == n - 1 => own - corner[0] * corner[1] / gamma,
                    _ => *own,
                };
                let all = [*before, own, *after];
                let from = usize::from(i == 0);
                let until = if i == n - 1 { 2 } else { 3 };
                system.set(i, (i + from).saturating_sub(1), &all[from..until], right(i));
            }
            system.solve().ok_or(GeometryError::NoDirection { at: self.points[0].into() })
        };
        let plain = solve(&|i| rows[i].1)?;
        let corners = solve(&|i| {
            let u = if i == 0 {
                gamma
            } else if i == n - 1 {
                corner[1]
            } else {
                0.0
            };
            Vector3::new(u, 0.0, 0.0)
        })?;
        let share = corner[0] / gamma;
        let by = 1.0 + corners[0].x + share * corners[n - 1].x;
        let along = (plain[0] + plain[n - 1] * share) / by;
        self.derivatives = plain.iter().zip(&corners).map(|(p, c)| p - along * c.x).collect();
        self.derivatives.push(self.derivatives[0]);
        Ok(())
    }

    /// One spline of the cubics between the nodes: a knot at each inner one, two where only curvature goes on.
    fn joined(&self, doubled: bool) -> Result<NurbsCurve, GeometryError> {
        let last = self.points.len() - 1;
        let beside = |i: usize| {
            let third = self.step(i) / 3.0;
            [
                self.points[i] + self.derivatives[i] * third,
                self.points[i + 1] - self.derivatives[i + 1] * third,
            ]
        };
        let fold = if doubled { 2 } else { 1 };
        let mut knots = vec![self.at[0]; 4];
        knots.extend(self.at[1..last].iter().flat_map(|t| std::iter::repeat_n(*t, fold)));
        knots.extend([self.at[last]; 4]);
        let mut control = vec![self.points[0]];
        if doubled {
            control.extend((0..last).flat_map(beside));
        } else {
            control.push(beside(0)[0]);
            for i in 1..last {
                // The blossom of the piece after the node, at the knots before, at and after it.
                let [b, c] = beside(i);
                control.push(b - (c - b) * (self.step(i - 1) / self.step(i)));
            }
            control.push(beside(last - 1)[1]);
        }
        control.push(self.points[last]);
        NurbsCurve::try_new(KnotVector::try_new(3, knots)?, &control, None)
    }
}
