//! A surface's polynomial pieces kept beside its net, so that evaluation needs no division by knot differences.
//!
//! Knot insertion to full multiplicity is chapter 5; the Bernstein recurrences are equations 1.9 and 1.10.

use crate::knot_vector::ORDER;
use crate::nurbs_curve::NurbsCurve;
use crate::{Homogeneous, KnotVector};

type Coefficient = [f64; 4];
const ZERO: Coefficient = [0.0; 4];

#[derive(Debug)]
struct Direction {
    degree: usize,
    breaks: Vec<f64>,
    inverse_lengths: Vec<f64>,
}

impl Direction {
    fn new(knots: &KnotVector) -> Self {
        let breaks = knots.breaks();
        let inverse_lengths = breaks.windows(2).map(|b| 1.0 / (b[1] - b[0])).collect();
        Self { degree: knots.degree(), breaks, inverse_lengths }
    }

    fn locate(&self, parameter: f64) -> (usize, f64) {
        let inner = &self.breaks[1..self.breaks.len() - 1];
        let piece = if inner.len() < 8 {
            inner.iter().filter(|&&b| b <= parameter).count()
        } else {
            inner.partition_point(|&b| b <= parameter)
        };
        (piece, ((parameter - self.breaks[piece]) * self.inverse_lengths[piece]).clamp(0.0, 1.0))
    }
}

fn bernstein(degree: usize, t: f64, b: &mut [f64; ORDER]) {
    let s = 1.0 - t;
    b[0] = 1.0;
    for j in 1..=degree {
        let mut saved = 0.0;
        for value in b.iter_mut().take(j) {
            let old = *value;
            *value = saved + s * old;
            saved = t * old;
        }
        b[j] = saved;
    }
}

/// Bernstein polynomials with their first and second derivatives by the piece's own parameter, times `scale`.
fn bernstein_derivatives(degree: usize, t: f64, scale: f64) -> [[f64; ORDER]; 3] {
    let mut out = [[0.0; ORDER]; 3];
    bernstein(degree, t, &mut out[0]);
    let mut lower = [0.0; ORDER];
    bernstein(degree - 1, t, &mut lower);
    let factor = degree as f64 * scale;
    for i in 0..=degree {
        let before = if i > 0 { lower[i - 1] } else { 0.0 };
        let here = if i < degree { lower[i] } else { 0.0 };
        out[1][i] = factor * (before - here);
    }
    if degree >= 2 {
        let mut lowest = [0.0; ORDER];
        bernstein(degree - 2, t, &mut lowest);
        let factor = factor * (degree - 1) as f64 * scale;
        for i in 0..=degree {
            let two_before = if i > 1 { lowest[i - 2] } else { 0.0 };
            let before = if i > 0 && i < degree { lowest[i - 1] } else { 0.0 };
            let here = if i + 1 < degree { lowest[i] } else { 0.0 };
            out[2][i] = factor * (two_before - 2.0 * before + here);
        }
    }
    out
}

#[inline(always)]
fn add(sum: &mut Coefficient, value: &Coefficient, factor: f64) {
    for (s, v) in sum.iter_mut().zip(value) {
        *s += v * factor;
    }
}

/// Homogeneous value with derivatives: S, Su, Sv, Suu, Suv, Svv.
pub(crate) type HomogeneousDerivatives = [Coefficient; 6];

#[derive(Debug)]
pub(crate) struct BezierPieces {
    u: Direction,
    v: Direction,
    /// Per piece (u index first), its net row by row.
    coefficients: Vec<Coefficient>,
}

impl BezierPieces {
    pub(crate) fn new(u: &KnotVector, v: &KnotVector, points: &[Homogeneous]) -> Self {
        let nv = v.point_count();
        let (p, q) = (u.degree(), v.degree());
        let along_u: Vec<Vec<NurbsCurve>> = (0..nv)
            .map(|j| {
                let column = (0..u.point_count()).map(|i| points[i * nv + j]).collect();
                NurbsCurve::new_unchecked(u.clone(), column).pieces()
            })
            .collect();
        let (u, v_direction) = (Direction::new(u), Direction::new(v));
        let (pieces_u, pieces_v) = (u.inverse_lengths.len(), v_direction.inverse_lengths.len());
        let mut coefficients = vec![ZERO; pieces_u * pieces_v * (p + 1) * (q + 1)];
        for a in 0..pieces_u {
            for i in 0..=p {
                let row = along_u.iter().map(|pieces| pieces[a].homogeneous()[i]).collect();
                for (b, piece) in NurbsCurve::new_unchecked(v.clone(), row).pieces().iter().enumerate() {
                    let start = ((a * pieces_v + b) * (p + 1) + i) * (q + 1);
                    for (j, h) in piece.homogeneous().iter().enumerate() {
                        coefficients[start + j] = [h.x, h.y, h.z, h.w];
                    }
                }
            }
        }
        Self { u, v: v_direction, coefficients }
    }

    fn net(&self, piece_u: usize, piece_v: usize) -> &[Coefficient] {
        let size = (self.u.degree + 1) * (self.v.degree + 1);
        let start = (piece_u * self.v.inverse_lengths.len() + piece_v) * size;
        &self.coefficients[start..start + size]
    }

    #[inline]
    pub(crate) fn point(&self, u: f64, v: f64) -> Coefficient {
        let (a, s) = self.u.locate(u);
        let (b, t) = self.v.locate(v);
        let net = self.net(a, b);
        match (self.u.degree, self.v.degree) {
            (3, 3) => fixed_point::<4, 4>(net, s, t),
            (2, 3) => fixed_point::<3, 4>(net, s, t),
            (2, 2) => fixed_point::<3, 3>(net, s, t),
            (p, q) => {
                let (mut bu, mut bv) = ([0.0; ORDER], [0.0; ORDER]);
                bernstein(p, s, &mut bu);
                bernstein(q, t, &mut bv);
                let mut sum = ZERO;
                for (row, f) in net.chunks_exact(q + 1).zip(&bu) {
                    let mut along = ZERO;
                    for (c, g) in row.iter().zip(&bv) {
                        add(&mut along, c, *g);
                    }
                    add(&mut sum, &along, *f);
                }
                sum
            }
        }
    }

    pub(crate) fn derivatives(&self, u: f64, v: f64) -> HomogeneousDerivatives {
        let (a, s) = self.u.locate(u);
        let (b, t) = self.v.locate(v);
        let bu = bernstein_derivatives(self.u.degree, s, self.u.inverse_lengths[a]);
        let bv = bernstein_derivatives(self.v.degree, t, self.v.inverse_lengths[b]);
        let mut out = [ZERO; 6];
        for (i, row) in self.net(a, b).chunks_exact(self.v.degree + 1).enumerate() {
            let mut along = [ZERO; 3];
            for (j, c) in row.iter().enumerate() {
                add(&mut along[0], c, bv[0][j]);
                add(&mut along[1], c, bv[1][j]);
                add(&mut along[2], c, bv[2][j]);
            }
            add(&mut out[0], &along[0], bu[0][i]);
            add(&mut out[1], &along[0], bu[1][i]);
            add(&mut out[2], &along[1], bu[0][i]);
            add(&mut out[3], &along[0], bu[2][i]);
            add(&mut out[4], &along[1], bu[1][i]);
            add(&mut out[5], &along[2], bu[0][i]);
        }
        out
    }

    /// Values on the grid `us` x `vs`, row by row, handed to `sink`.
    pub(crate) fn grid(&self, us: &[f64], vs: &[f64], mut sink: impl FnMut(Coefficient)) {
        let q = self.v.degree;
        let columns: Vec<(usize, [f64; ORDER])> = vs
            .iter()
            .map(|&v| {
                let (b, t) = self.v.locate(v);
                let mut bv = [0.0; ORDER];
                bernstein(q, t, &mut bv);
                (b, bv)
            })
            .collect();
        // Each row's pieces are first contracted over u, then only a curve is left to evaluate per point.
        let mut contracted = vec![ZERO; self.v.inverse_lengths.len() * (q + 1)];
        for &u in us {
            let (a, s) = self.u.locate(u);
            let mut bu = [0.0; ORDER];
            bernstein(self.u.degree, s, &mut bu);
            contracted.fill(ZERO);
            for (b, target) in contracted.chunks_exact_mut(q + 1).enumerate() {
                for (row, f) in self.net(a, b).chunks_exact(q + 1).zip(&bu) {
                    for (sum, c) in target.iter_mut().zip(row) {
                        add(sum, c, *f);
                    }
                }
            }
            for (b, bv) in &columns {
                let mut sum = ZERO;
                for (c, g) in contracted[b * (q + 1)..(b + 1) * (q + 1)].iter().zip(bv) {
                    add(&mut sum, c, *g);
                }
                sink(sum);
            }
        }
    }
}

#[inline(always)]
fn fixed_bernstein<const N: usize>(t: f64) -> [f64; N] {
    let s = 1.0 - t;
    let mut b = [0.0; N];
    if N == 4 {
        let (ss, tt) = (s * s, t * t);
        b[0] = ss * s;
        b[1] = 3.0 * ss * t;
        b[2] = 3.0 * s * tt;
        b[N - 1] = tt * t;
    } else {
        b[0] = s * s;
        b[1] = 2.0 * s * t;
        b[N - 1] = t * t;
    }
    b
}

/// The two degrees met most, with loops of known length. `M` and `N` are 3 or 4.
#[inline(always)]
fn fixed_point<const M: usize, const N: usize>(net: &[Coefficient], s: f64, t: f64) -> Coefficient {
    let bu = fixed_bernstein::<M>(s);
    let bv = fixed_bernstein::<N>(t);
    let mut sum = ZERO;
    for (row, f) in net.chunks_exact(N).zip(bu) {
        let mut along = ZERO;
        for j in 0..N {
            add(&mut along, &row[j], bv[j]);
        }
        add(&mut sum, &along, f);
    }
    sum
}
