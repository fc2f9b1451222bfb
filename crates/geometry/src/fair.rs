//! Spline surfaces of least energy: as even as can be while they meet demands on places, slopes and bends.
//!
//! The energy is that of a stretched elastic plate, with a term for how its bending varies; the demands weigh far more, so
//! that they are met as well as the knots allow (Celniker and Gossard, Deformable curve and surface finite-elements for
//! free-form shape design, SIGGRAPH 1991; Greiner, Variational design and fairing of spline surfaces, Eurographics 1994).

use crate::knot_vector::ORDER;
use crate::polygon::sides;
use crate::{GeometryError, KnotVector, Vector3, gauss_legendre};

/// How much each part of the energy counts, over a parameter plane whose size is about 1.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fairness {
    /// Stretching: squared first derivatives.
    pub stretch: f64,
    /// Bending: squared second derivatives.
    pub bend: f64,
    /// Variation of the bending: squared third derivatives.
    pub vary: f64,
}

/// Something that is asked of a surface at a place: a sum of its value and derivatives there.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Demand {
    /// Parameters u and v.
    pub at: [f64; 2],
    /// Factors of the value, the derivatives by u and v, and by uu, uv and vv.
    pub terms: [f64; 6],
    /// How much that counts.
    pub weight: f64,
}

impl Demand {
    /// A place to pass through.
    #[must_use]
    pub fn place(at: [f64; 2], weight: f64) -> Self {
        Self { at, terms: [1.0, 0.0, 0.0, 0.0, 0.0, 0.0], weight }
    }

    /// The first derivative along a direction `[a, b]` of the parameter plane.
    #[must_use]
    pub fn slope(at: [f64; 2], [a, b]: [f64; 2], weight: f64) -> Self {
        Self { at, terms: [0.0, a, b, 0.0, 0.0, 0.0], weight }
    }

    /// The second derivative along a direction `[a, b]` of the parameter plane.
    #[must_use]
    pub fn bend(at: [f64; 2], [a, b]: [f64; 2], weight: f64) -> Self {
        Self { at, terms: [0.0, 0.0, 0.0, a * a, 2.0 * a * b, b * b], weight }
    }
}

/// Where the energy counts: inside closed polygons of the parameter plane, by the even-odd rule. Elsewhere it counts next to
/// nothing, so that a surface goes on smoothly beyond its edges and is not bent there for what lies outside.
#[derive(Debug, Clone, PartialEq)]
pub struct Region {
    /// The polygons.
    pub outlines: Vec<Vec<[f64; 2]>>,
    /// How much the energy counts outside, as a share.
    pub outside: f64,
}

impl Region {
    /// Values of u at which the line of one v crosses the polygons, in rising order.
    fn crossed(&self, v: f64) -> Vec<f64> {
        let mut out: Vec<f64> = self
            .outlines
            .iter()
            .flat_map(|line| sides(line))
            .filter(|(a, b)| (a[1] > v) != (b[1] > v))
            .map(|(a, b)| a[0] + (b[0] - a[0]) * (v - a[1]) / (b[1] - a[1]))
            .collect();
        out.sort_by(f64::total_cmp);
        out
    }
}

/// Spline surfaces over given knots that have the least energy while they meet demands; what is demanded can be changed
/// without starting anew, but not where and how much it counts.
pub struct Fair {
    knots: [KnotVector; 2],
    /// Whether u runs fastest inside, since that makes the system narrower.
    turned: bool,
    system: Symmetric,
    factors: Vec<Factors>,
}

/// What a demand's sum takes of each control point, times its weight.
type Factors = Vec<(usize, f64)>;

impl Fair {
    /// Prepares surfaces over these knots, of the least energy over a region.
    ///
    /// # Errors
    /// `Singular` when the demands do not hold the surface in place.
    pub fn new(
        [u, v]: [&KnotVector; 2],
        fairness: Fairness,
        region: &Region,
        demands: &[Demand],
    ) -> Result<Self, GeometryError> {
        let turned = v.point_count() > u.point_count();
        let swap = |[a, b]: [f64; 2]| if turned { [b, a] } else { [a, b] };
        let knots = if turned { [v.clone(), u.clone()] } else { [u.clone(), v.clone()] };
        let outlines = region.outlines.iter().map(|l| l.iter().map(|p| swap(*p)).collect()).collect();
        let region = Region { outlines, ..*region };
        let (rows, columns) = (knots[0].point_count(), knots[1].point_count());
        let reach = knots[0].degree() * columns + knots[1].degree();
        let mut system = Symmetric::new(rows * columns, reach);
        add_energy(&mut system, &knots, fairness, &region);
        let mut factors = Vec::with_capacity(demands.len());
        for demand in demands {
            let [c, cu, cv, cuu, cuv, cvv] = demand.terms;
            let terms = if turned { [c, cv, cu, cvv, cuv, cuu] } else { demand.terms };
            let mut own = Factors::with_capacity((u.degree() + 1) * (v.degree() + 1));
            at_place(&knots, swap(demand.at), |index, d| {
                own.push((index, (0..6).map(|k| terms[k] * d[k]).sum()));
            });
            for (k, &(row, x)) in own.iter().enumerate() {
                for &(column, y) in &own[..=k] {
                    system.add(row, column, demand.weight * x * y);
                }
            }
            own.iter_mut().for_each(|f| f.1 *= demand.weight);
            factors.push(own);
        }
        system.decompose().ok_or(GeometryError::Singular)?;
        Ok(Self { knots, turned, system, factors })
    }

    /// Control points, v running fastest, of the surface for which the demands' sums are to be `values`, one for each.
    #[must_use]
    pub fn control_points(&self, values: &[Vector3]) -> Vec<Vector3> {
        let (rows, columns) = (self.knots[0].point_count(), self.knots[1].point_count());
        let mut right = vec![Vector3::zeros(); rows * columns];
        for (factors, value) in self.factors.iter().zip(values) {
            for &(index, factor) in factors {
                right[index] += value * factor;
            }
        }
        self.system.substitute(&mut right);
        if !self.turned {
            return right;
        }
        (0..rows * columns).map(|k| right[(k % rows) * columns + k / rows]).collect()
    }
}

/// Hands on each control point that counts at a place, with its factors in the value, the first and the second derivatives.
fn at_place(knots: &[KnotVector; 2], [s, t]: [f64; 2], mut each: impl FnMut(usize, [f64; 6])) {
    let [u, v] = knots;
    let columns = v.point_count();
    let (su, sv) = (u.span(s), v.span(t));
    let (bu, bv) = (u.basis_derivatives(su, s), v.basis_derivatives(sv, t));
    for i in 0..=u.degree() {
        for j in 0..=v.degree() {
            let d = [
                bu[0][i] * bv[0][j],
                bu[1][i] * bv[0][j],
                bu[0][i] * bv[1][j],
                bu[2][i] * bv[0][j],
                bu[1][i] * bv[1][j],
                bu[0][i] * bv[2][j],
            ];
            each((su - u.degree() + i) * columns + sv - v.degree() + j, d);
        }
    }
}

/// A Gauss point of a span: its parameter, its weight, and the basis functions with their derivatives there.
type Place = (f64, f64, [[f64; ORDER]; 4]);

/// Adds the energy by quadrature, cell by cell: one Gauss point fewer per span than the degree is enough where pieces meet
/// so smoothly, and a single one where the energy counts next to nothing.
fn add_energy(system: &mut Symmetric, knots: &[KnotVector; 2], fairness: Fairness, region: &Region) {
    let [u, v] = knots;
    let columns = v.point_count();
    let (pu, pv) = (u.degree(), v.degree());
    let places = |k: &KnotVector, count: usize| -> Vec<(usize, Vec<Place>)> {
        let at = |span: usize| {
            let (from, to) = (k.knots()[span], k.knots()[span + 1]);
            let place = |&(x, weight): &(f64, f64)| {
                let t = from + x * (to - from);
                (t, weight * (to - from), k.basis_derivatives(span, t))
            };
            (span, gauss_legendre(count).iter().map(place).collect())
        };
        k.spans().into_iter().map(at).collect()
    };
    // Each part of the energy by the orders of derivative in u and v, with the number of times that it occurs.
    let parts = [
        (fairness.stretch, 1, 0),
        (fairness.stretch, 0, 1),
        (fairness.bend, 2, 0),
        (2.0 * fairness.bend, 1, 1),
        (fairness.bend, 0, 2),
        (fairness.vary, 3, 0),
        (3.0 * fairness.vary, 2, 1),
        (3.0 * fairness.vary, 1, 2),
        (fairness.vary, 0, 3),
    ];
    let parts: Vec<(f64, usize, usize)> = parts.into_iter().filter(|p| p.0 > 0.0).collect();
    let count = (pu + 1) * (pv + 1);
    let mut cell = vec![0.0; count * count];
    let mut factors = vec![0.0; count];
    let (fine_u, coarse_u) = (places(u, pu - 1), places(u, 1));
    let (fine_v, coarse_v) = (places(v, pv - 1), places(v, 1));
    for ((sv, fine_v), (_, coarse_v)) in fine_v.iter().zip(&coarse_v) {
        let crossed: Vec<Vec<f64>> = fine_v.iter().map(|p| region.crossed(p.0)).collect();
        for ((su, fine_u), (_, coarse_u)) in fine_u.iter().zip(&coarse_u) {
            let inside = |s: f64, crossed: &Vec<f64>| crossed.partition_point(|c| *c < s) % 2 == 1;
            let any = crossed.iter().any(|line| fine_u.iter().any(|p| inside(p.0, line)));
            let (along_u, along_v) = if any { (fine_u, fine_v) } else { (coarse_u, coarse_v) };
            cell.fill(0.0);
            for (row, (_, wv, bv)) in along_v.iter().enumerate() {
                for (s, wu, bu) in along_u {
                    let share = if any && inside(*s, &crossed[row]) { 1.0 } else { region.outside };
                    for &(part, a, b) in &parts {
                        for (k, factor) in factors.iter_mut().enumerate() {
                            *factor = bu[a][k / (pv + 1)] * bv[b][k % (pv + 1)];
                        }
                        for k in 0..count {
                            let x = wu * wv * share * part * factors[k];
                            let own = &mut cell[k * count..k * count + k + 1];
                            for (sum, y) in own.iter_mut().zip(&factors) {
                                *sum += x * y;
                            }
                        }
                    }
                }
            }
            let index = |k: usize| (su - pu + k / (pv + 1)) * columns + sv - pv + k % (pv + 1);
            for k in 0..count {
                // Columns of one u stand side by side.
                for i in 0..=k / (pv + 1) {
                    let first = i * (pv + 1);
                    let last = (first + pv).min(k);
                    system.add_run(index(k), index(first), &cell[k * count + first..=k * count + last]);
                }
            }
        }
    }
}

/// A symmetric positive system that is zero but near the diagonal; its lower half, row by row.
struct Symmetric {
    size: usize,
    reach: usize,
    rows: Vec<f64>,
}

impl Symmetric {
    fn new(size: usize, reach: usize) -> Self {
        let reach = reach.min(size.saturating_sub(1));
        Self { size, reach, rows: vec![0.0; size * (reach + 1)] }
    }

    /// Adds at a row and a column that is not behind it.
    fn add(&mut self, row: usize, column: usize, value: f64) {
        self.rows[row * (self.reach + 1) + self.reach + column - row] += value;
    }

    /// Adds a run of values, from a column on.
    fn add_run(&mut self, row: usize, column: usize, values: &[f64]) {
        let first = row * (self.reach + 1) + self.reach + column - row;
        for (cell, value) in self.rows[first..first + values.len()].iter_mut().zip(values) {
            *cell += value;
        }
    }

    /// Cholesky's decomposition in place; `None` where the system is not positive.
    fn decompose(&mut self) -> Option<()> {
        let (n, reach) = (self.size, self.reach);
        let width = reach + 1;
        for i in 0..n {
            let (done, rest) = self.rows.split_at_mut(i * width);
            let own = &mut rest[..width];
            let first = i.saturating_sub(reach);
            for j in first..=i {
                // Both rows hold their columns from `from` to `j`, each shifted by its own number.
                let from = first.max(j.saturating_sub(reach));
                let (a, count) = (from + reach - i, j - from);
                let at = j + reach - i;
                if j < i {
                    let other = &done[j * width..(j + 1) * width];
                    let b = from + reach - j;
                    let value = own[at] - dot(&own[a..a + count], &other[b..b + count]);
                    own[at] = value / other[reach];
                } else {
                    let value = own[reach] - dot(&own[a..a + count], &own[a..a + count]);
                    if value <= 1e-14 * own[reach].abs().max(f64::MIN_POSITIVE) {
                        return None;
                    }
                    own[reach] = value.sqrt();
                }
            }
        }
        Some(())
    }

    /// Forward and backward substitution with the decomposed system.
    fn substitute(&self, right: &mut [Vector3]) {
        let reach = self.reach;
        let row = |i: usize| &self.rows[i * (reach + 1)..(i + 1) * (reach + 1)];
        for i in 0..self.size {
            let row = row(i);
            let mut sum = right[i];
            for j in i.saturating_sub(reach)..i {
                sum -= right[j] * row[j + reach - i];
            }
            right[i] = sum / row[reach];
        }
        for i in (0..self.size).rev() {
            let row = row(i);
            let value = right[i] / row[reach];
            right[i] = value;
            for j in i.saturating_sub(reach)..i {
                right[j] -= value * row[j + reach - i];
            }
        }
    }
}

/// Summed in eight strands, as processors like it; always in the same order.
fn dot(a: &[f64], b: &[f64]) -> f64 {
    let mut strands = [0.0; 8];
    let (ca, cb) = (a.chunks_exact(8), b.chunks_exact(8));
    let rest: f64 = ca.remainder().iter().zip(cb.remainder()).map(|(x, y)| x * y).sum();
    for (x, y) in ca.zip(cb) {
        for k in 0..8 {
            strands[k] += x[k] * y[k];
        }
    }
    strands.iter().sum::<f64>() + rest
}
