use crate::NurbsCurve;
use crate::quadrature::gauss_legendre;

/// Pieces that each knot span is split into for quadrature.
const PIECES: usize = 4;

impl NurbsCurve {
    /// Length in millimetres, by Gauss quadrature on each knot span split in four.
    #[must_use]
    pub fn length(&self) -> f64 {
        self.stretches().map(|(_, length)| length).sum()
    }

    /// Ends and lengths of short stretches, in order.
    fn stretches(&self) -> impl Iterator<Item = ([f64; 2], f64)> + '_ {
        let breaks = self.knots().breaks();
        let pairs: Vec<[f64; 2]> = breaks
            .windows(2)
            .flat_map(|w| {
                let step = (w[1] - w[0]) / PIECES as f64;
                let start = w[0];
                (0..PIECES).map(move |k| [start + step * k as f64, start + step * (k + 1) as f64])
            })
            .collect();
        pairs.into_iter().map(|[a, b]| ([a, b], self.length_between(a, b)))
    }

    fn length_between(&self, a: f64, b: f64) -> f64 {
        let rule = gauss_legendre(16);
        rule.iter().map(|&(x, w)| w * (b - a) * self.derivatives(a + x * (b - a)).1[0].norm()).sum()
    }

    /// The parameter at which the curve has run `length` mm from its start; the nearer end beyond it.
    #[must_use]
    pub fn parameter_at_length(&self, length: f64) -> f64 {
        let mut run = 0.0;
        for ([a, b], here) in self.stretches() {
            if run + here >= length {
                let wanted = (length - run).max(0.0);
                let (mut low, mut high) = (a, b);
                let mut t = a + (b - a) * (wanted / here.max(f64::MIN_POSITIVE));
                for _ in 0..60 {
                    let miss = self.length_between(a, t) - wanted;
                    if miss > 0.0 {
                        high = t;
                    } else {
                        low = t;
                    }
                    let speed = self.derivatives(t).1[0].norm();
                    let newton = t - miss / speed.max(f64::MIN_POSITIVE);
                    let next = if newton > low && newton < high { newton } else { 0.5 * (low + high) };
                    if (next - t).abs() <= 1e-15 * (b - a).abs() {
                        break;
                    }
                    t = next;
                }
                return t;
            }
            run += here;
        }
        self.domain().end
    }
}
