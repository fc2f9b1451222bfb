//! Values and rows of points between given ones that do not overshoot.

use geometry::Point3;

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
        self.with_slope(x).0
    }

    /// The value and its first derivative at a place.
    pub fn with_slope(&self, x: f64) -> (f64, f64) {
        let k = self.places.partition_point(|p| p.0 <= x);
        let (Some(i), true) = (k.checked_sub(1), k < self.places.len()) else {
            let end = if k == 0 { 0 } else { k - 1 };
            return (self.places[end].1, self.slopes[end]);
        };
        let ((x0, y0), (x1, y1)) = (self.places[i], self.places[k]);
        let h = x1 - x0;
        let s = (x - x0) / h;
        let (m0, m1) = (self.slopes[i] * h, self.slopes[k] * h);
        let (s2, s3) = (s * s, s * s * s);
        let value = y0 * (2.0 * s3 - 3.0 * s2 + 1.0)
            + m0 * (s3 - 2.0 * s2 + s)
            + y1 * (3.0 * s2 - 2.0 * s3)
            + m1 * (s3 - s2);
        let rise = (y1 - y0) * 6.0 * (s - s2) + m0 * (3.0 * s2 - 4.0 * s + 1.0) + m1 * (3.0 * s2 - 2.0 * s);
        (value, rise / h)
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

/// Rows of points between given ones, each a weighted sum of those: all points of a row are blended alike, so that what is
/// straight, tangent or in proportion in every given row is so in between.
///
/// The slopes are those of [`Monotone`], taken of the row as one vector: of the lengths of its steps the harmonic mean, in
/// the direction midway between them, which fades out where the row goes back.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Blend {
    places: Vec<f64>,
    /// Slopes at the places, as shares of the rows.
    slopes: Vec<Vec<(usize, f64)>>,
}

/// The step from one row to the next, by the place: how long, and how far along with another one.
struct Secants<'a> {
    places: &'a [f64],
    rows: &'a [Vec<Point3>],
}

impl Secants<'_> {
    fn step(&self, k: usize) -> f64 {
        self.places[k + 1] - self.places[k]
    }

    fn dot(&self, j: usize, k: usize) -> f64 {
        let of = |k: usize| self.rows[k + 1].iter().zip(&self.rows[k]).map(|(b, a)| b - a);
        of(j).zip(of(k)).map(|(a, b)| a.dot(&b)).sum::<f64>() / (self.step(j) * self.step(k))
    }

    fn length(&self, k: usize) -> f64 {
        self.dot(k, k).sqrt()
    }

    /// The secant `k`, so many times, as shares of the rows.
    fn times(&self, k: usize, factor: f64) -> [(usize, f64); 2] {
        let share = factor / self.step(k);
        [(k, -share), (k + 1, share)]
    }

    fn inner(&self, i: usize) -> Vec<(usize, f64)> {
        let ((h0, h1), (d0, d1)) = ((self.step(i - 1), self.step(i)), (self.length(i - 1), self.length(i)));
        if d0 == 0.0 || d1 == 0.0 {
            return Vec::new();
        }
        let (a, b) = (2.0 * h1 + h0, h1 + 2.0 * h0);
        let mean = (a + b) / (a / d0 + b / d1);
        [self.times(i - 1, 0.5 * mean / d0), self.times(i, 0.5 * mean / d1)].concat()
    }

    /// At an end, beside the secant `k`: the parabola's slope through the next one, kept from overshooting.
    fn end(&self, k: usize, beyond: Option<usize>) -> Vec<(usize, f64)> {
        let Some(l) = beyond else { return self.times(k, 1.0).to_vec() };
        let (h, h2) = (self.step(k), self.step(l));
        let (a, b) = ((2.0 * h + h2) / (h + h2), -h / (h + h2));
        let (kk, kl, ll) = (self.dot(k, k), self.dot(k, l), self.dot(l, l));
        if a * kk + b * kl <= 0.0 {
            return Vec::new();
        }
        if kl <= 0.0 && a * a * kk + 2.0 * a * b * kl + b * b * ll > 9.0 * kk {
            return self.times(k, 3.0).to_vec();
        }
        [self.times(k, a), self.times(l, b)].concat()
    }
}

impl Blend {
    /// Through rows, each at its place; the places rise. At ends that are to be level nothing changes yet.
    pub fn new(places: Vec<f64>, rows: &[Vec<Point3>], level: [bool; 2]) -> Self {
        let last = places.len() - 1;
        let secants = Secants { places: &places, rows };
        let slope = |i: usize| match i {
            _ if last == 0 || (i == 0 && level[0]) || (i == last && level[1]) => Vec::new(),
            0 => secants.end(0, (last > 1).then_some(1)),
            i if i == last => secants.end(last - 1, last.checked_sub(2)),
            i => secants.inner(i),
        };
        let slopes = (0..=last).map(slope).collect();
        Self { places, slopes }
    }

    /// The shares of the rows at a place; beyond the ends those there.
    pub fn shares(&self, x: f64) -> Vec<(usize, f64)> {
        let k = self.places.partition_point(|p| *p <= x);
        let (Some(i), true) = (k.checked_sub(1), k < self.places.len()) else {
            return vec![(k.saturating_sub(1), 1.0)];
        };
        let h = self.places[k] - self.places[i];
        let s = (x - self.places[i]) / h;
        let (s2, s3) = (s * s, s * s * s);
        let up = 3.0 * s2 - 2.0 * s3;
        let mut out = vec![(i, 1.0 - up), (k, up)];
        for (at, factor) in [(i, h * (s3 - 2.0 * s2 + s)), (k, h * (s3 - s2))] {
            out.extend(self.slopes[at].iter().map(|&(row, share)| (row, share * factor)));
        }
        out
    }
}
