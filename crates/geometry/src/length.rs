use crate::NurbsCurve;
use crate::quadrature::gauss_legendre;

/// Share of a stretch's length within which two rules must agree; half of what doubles tell apart is left for the sum.
const AGREE: f64 = 1e-12;
/// Share of a stretch by which Newton's last step moves at most: the one after it, by about its square, would be rounding.
const SETTLED: f64 = 1e-7;
const MAX_HALVINGS: usize = 8;
const NODES: usize = 8;

/// A part of a curve between two parameters, and its length in millimetres.
type Stretch = ([f64; 2], f64);

impl NurbsCurve {
    /// Length in millimetres, by Gauss quadrature on each knot span, halved until it agrees with its halves.
    #[must_use]
    pub fn length(&self) -> f64 {
        self.stretches().into_iter().map(|(_, length)| length).sum()
    }

    /// Ends and lengths of short stretches, in order.
    fn stretches(&self) -> Vec<Stretch> {
        let mut out = Vec::new();
        for w in self.knots().breaks().windows(2) {
            let whole = self.length_between(w[0], w[1]);
            self.halve([w[0], w[1]], whole, MAX_HALVINGS, &mut out);
        }
        out
    }

    fn halve(&self, [a, b]: [f64; 2], whole: f64, left: usize, out: &mut Vec<Stretch>) {
        let middle = 0.5 * (a + b);
        let halves =
            [([a, middle], self.length_between(a, middle)), ([middle, b], self.length_between(middle, b))];
        let sum = halves[0].1 + halves[1].1;
        if left == 0 || (sum - whole).abs() <= AGREE * sum {
            out.extend(halves);
        } else {
            halves.into_iter().for_each(|(ends, length)| self.halve(ends, length, left - 1, out));
        }
    }

    fn length_between(&self, a: f64, b: f64) -> f64 {
        let rule = gauss_legendre(NODES);
        rule.iter().map(|&(x, w)| w * (b - a) * self.velocity(a + x * (b - a)).norm()).sum()
    }

    /// The parameter at which the curve has run a share, 0 to 1, of its length.
    #[must_use]
    pub fn parameter_at_share(&self, share: f64) -> f64 {
        ArcLength::new(self).parameter(share)
    }

    /// The parameter at which the curve has run `length` mm from its start; the nearer end beyond it.
    #[must_use]
    pub fn parameter_at_length(&self, length: f64) -> f64 {
        let arc = ArcLength::new(self);
        arc.parameter_after(length)
    }

    /// The parameter within a stretch from `a` to `b`, `here` mm long, at which `wanted` mm of it have been run.
    fn parameter_within(&self, [a, b]: [f64; 2], here: f64, wanted: f64) -> f64 {
        let (mut low, mut high) = (a, b);
        let mut t = a + (b - a) * (wanted / here.max(f64::MIN_POSITIVE));
        for _ in 0..60 {
            let miss = self.length_between(a, t) - wanted;
            if miss > 0.0 {
                high = t;
            } else {
                low = t;
            }
            let speed = self.velocity(t).norm();
            let newton = t - miss / speed.max(f64::MIN_POSITIVE);
            let follows = (low..=high).contains(&newton);
            let next = if follows { newton } else { 0.5 * (low + high) };
            let settled = follows && (next - t).abs() <= SETTLED * (b - a).abs();
            t = next;
            if settled {
                break;
            }
        }
        t
    }
}

/// A curve's length as a function of its parameter, for many questions about one curve.
#[derive(Debug, Clone)]
pub struct ArcLength<'a> {
    curve: &'a NurbsCurve,
    /// Parameters at which stretches begin, with the length run until there; the end of the last one too.
    marks: Vec<(f64, f64)>,
}

impl<'a> ArcLength<'a> {
    /// Of a curve.
    #[must_use]
    pub fn new(curve: &'a NurbsCurve) -> Self {
        let mut run = 0.0;
        let mut marks = vec![(curve.domain().start, 0.0)];
        marks.extend(curve.stretches().into_iter().map(|([_, end], length)| {
            run += length;
            (end, run)
        }));
        Self { curve, marks }
    }

    /// All of it, in millimetres.
    #[must_use]
    pub fn whole(&self) -> f64 {
        self.marks[self.marks.len() - 1].1
    }

    /// Share, 0 to 1, of the length that the curve has run at a parameter; as smooth as the curve.
    #[must_use]
    pub fn share(&self, parameter: f64) -> f64 {
        let t = self.curve.domain().clamp(parameter);
        let k = self.marks.partition_point(|m| m.0 <= t).clamp(1, self.marks.len() - 1) - 1;
        let (start, run) = self.marks[k];
        (run + self.curve.length_between(start, t)) / self.whole()
    }

    /// The parameter at which a share, 0 to 1, of the length has been run.
    #[must_use]
    pub fn parameter(&self, share: f64) -> f64 {
        self.parameter_after(self.whole() * share)
    }

    fn parameter_after(&self, length: f64) -> f64 {
        // Ends are ends, not places a rounding error off them.
        let d = self.curve.domain();
        if length <= 0.0 {
            return d.start;
        }
        if length >= self.whole() {
            return d.end;
        }
        let k = self.marks.partition_point(|m| m.1 < length).max(1);
        let Some(&(end, until)) = self.marks.get(k) else { return d.end };
        let (start, run) = self.marks[k - 1];
        self.curve.parameter_within([start, end], until - run, (length - run).max(0.0))
    }
}
