//! Values between given ones that never overshoot.

/// A function through given values that rises and falls only where they do, with a continuous slope.
///
/// # References
/// Fritsch & Carlson, Monotone piecewise cubic interpolation, SIAM J. Numer. Anal. 17, 1980; slopes by the weighted
/// harmonic mean of Fritsch & Butland, SIAM J. Sci. Stat. Comput. 5, 1984.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Monotone {
    places: Vec<(f64, f64)>,
    slopes: Vec<f64>,
}

impl Monotone {
    /// Through pairs of a place and a value, whose places rise.
    pub fn new(places: Vec<(f64, f64)>) -> Self {
        let steps: Vec<(f64, f64)> =
            places.windows(2).map(|w| (w[1].0 - w[0].0, (w[1].1 - w[0].1) / (w[1].0 - w[0].0))).collect();
        let slope = |i: usize| match (i.checked_sub(1).and_then(|k| steps.get(k)), steps.get(i)) {
            (Some(&(h0, d0)), Some(&(h1, d1))) if d0 * d1 > 0.0 => {
                let (a, b) = (2.0 * h1 + h0, h1 + 2.0 * h0);
                (a + b) / (a / d0 + b / d1)
            }
            (Some(_), Some(_)) | (None, None) => 0.0,
            // At the ends: the parabola's, kept from overshooting.
            (Some(&(h0, d0)), None) => end_slope(h0, d0, i.checked_sub(2).and_then(|k| steps.get(k))),
            (None, Some(&(h1, d1))) => end_slope(h1, d1, steps.get(1)),
        };
        let slopes = (0..places.len()).map(slope).collect();
        Self { places, slopes }
    }

    /// The value at a place; beyond the ends the value there.
    pub fn at(&self, x: f64) -> f64 {
        let k = self.places.partition_point(|p| p.0 <= x);
        let (Some(i), true) = (k.checked_sub(1), k < self.places.len()) else {
            return self.places[if k == 0 { 0 } else { k - 1 }].1;
        };
        let ((x0, y0), (x1, y1)) = (self.places[i], self.places[k]);
        let h = x1 - x0;
        let s = (x - x0) / h;
        let (m0, m1) = (self.slopes[i] * h, self.slopes[k] * h);
        let (s2, s3) = (s * s, s * s * s);
        y0 * (2.0 * s3 - 3.0 * s2 + 1.0)
            + m0 * (s3 - 2.0 * s2 + s)
            + y1 * (3.0 * s2 - 2.0 * s3)
            + m1 * (s3 - s2)
    }
}

fn end_slope(h: f64, d: f64, beyond: Option<&(f64, f64)>) -> f64 {
    let Some(&(h2, d2)) = beyond else { return d };
    let slope = ((2.0 * h + h2) * d - h * d2) / (h + h2);
    if slope * d <= 0.0 {
        0.0
    } else if d * d2 <= 0.0 && slope.abs() > 3.0 * d.abs() {
        3.0 * d
    } else {
        slope
    }
}
