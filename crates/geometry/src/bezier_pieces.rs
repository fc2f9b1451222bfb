//! A surface's polynomial pieces kept beside its net, so that evaluation needs no division by knot differences.
//!
//! The Bernstein recurrences are equations 1.9 and 1.10.

use std::sync::OnceLock;

use crate::knot_vector::ORDER;
use crate::patch::Patch;
use crate::{Box3, Homogeneous, KnotVector, Point3, box_of, check_work};

pub(crate) type Coefficient = [f64; 4];
const ZERO: Coefficient = [0.0; 4];
/// Share of a squared distance within which two are the same but for rounding.
const ROUNDED: f64 = 1e-12;

fn place(c: &Coefficient) -> Point3 {
    Point3::new(c[0] / c[3], c[1] / c[3], c[2] / c[3])
}

#[derive(Debug)]
struct Direction {
    degree: usize,
    breaks: Vec<f64>,
    inverse_lengths: Vec<f64>,
}

impl Direction {
    fn new(knots: &KnotVector) -> Self {
        check_work();
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

/// Bézier points of one span from the control points that act on it: its blossom at the span's two ends, taken as
/// often as the degree.
pub(crate) fn bezier_points(
    knots: &KnotVector,
    span: usize,
    window: &[Homogeneous; ORDER],
) -> [Homogeneous; ORDER] {
    let p = knots.degree();
    let u = knots.knots();
    let mut out = [Homogeneous::zeros(); ORDER];
    for (at_end, result) in out.iter_mut().enumerate().take(p + 1) {
        let mut arguments = [u[span]; ORDER];
        arguments[..at_end].fill(u[span + 1]);
        *result = knots.blossom(span, &window[..=p], &arguments[..p]);
    }
    out
}

/// The Bézier points of one span as weights of the control points that act on it, point by point.
///
/// # References
/// Borden, Scott, Evans, Hughes, Isogeometric finite element data structures based on Bézier extraction of NURBS, IJNME 87, 2011.
fn extraction(knots: &KnotVector, span: usize) -> Vec<f64> {
    let order = knots.degree() + 1;
    let mut out = vec![0.0; order * order];
    // Four control points at a time, each of which stands alone in one coordinate.
    for first in (0..order).step_by(4) {
        let mut window = [Homogeneous::zeros(); ORDER];
        for k in first..order.min(first + 4) {
            window[k][k - first] = 1.0;
        }
        for (row, point) in out.chunks_exact_mut(order).zip(bezier_points(knots, span, &window)) {
            for k in first..order.min(first + 4) {
                row[k] = point[k - first];
            }
        }
    }
    out
}

/// Calls a function with the two orders as constants where both degrees are 1, 2 or 3, which most surfaces are; then
/// every loop has a known length.
macro_rules! with_known_degrees {
    ($self:ident, $f:ident $arguments:tt, $any:expr) => {
        match ($self.u.degree, $self.v.degree) {
            (3, 3) => $f::<4, 4> $arguments,
            (2, 3) => $f::<3, 4> $arguments,
            (3, 2) => $f::<4, 3> $arguments,
            (2, 2) => $f::<3, 3> $arguments,
            (2, 1) => $f::<3, 2> $arguments,
            (1, 2) => $f::<2, 3> $arguments,
            (3, 1) => $f::<4, 2> $arguments,
            (1, 3) => $f::<2, 4> $arguments,
            (1, 1) => $f::<2, 2> $arguments,
            _ => $any,
        }
    };
}

/// Homogeneous value with derivatives: S, Su, Sv, Suu, Suv, Svv.
pub(crate) type HomogeneousDerivatives = [Coefficient; 6];

#[derive(Debug)]
pub(crate) struct BezierPieces {
    u: Direction,
    v: Direction,
    /// Per piece (u index first), its net row by row.
    coefficients: Vec<Coefficient>,
    /// The box round each piece's net, once asked for.
    boxes: OnceLock<Vec<Box3>>,
}

impl BezierPieces {
    pub(crate) fn new(u: &KnotVector, v: &KnotVector, points: &[Homogeneous]) -> Self {
        let nv = v.point_count();
        let (p, q) = (u.degree(), v.degree());
        let (spans_u, spans_v) = (u.spans(), v.spans());
        let across: Vec<Vec<f64>> = spans_v.iter().map(|span| extraction(v, *span)).collect();
        let mut coefficients = vec![ZERO; spans_u.len() * spans_v.len() * (p + 1) * (q + 1)];
        let mut rows = vec![ZERO; (p + 1) * nv];
        for (a, &span_u) in spans_u.iter().enumerate() {
            rows.fill(ZERO);
            let along = extraction(u, span_u);
            for (row, weights) in rows.chunks_exact_mut(nv).zip(along.chunks_exact(p + 1)) {
                for (i, weight) in weights.iter().enumerate().filter(|(_, w)| **w != 0.0) {
                    let from = (span_u - p + i) * nv;
                    for (sum, h) in row.iter_mut().zip(&points[from..from + nv]) {
                        add(sum, &[h.x, h.y, h.z, h.w], *weight);
                    }
                }
            }
            for (b, (&span_v, across)) in spans_v.iter().zip(&across).enumerate() {
                let start = (a * spans_v.len() + b) * (p + 1) * (q + 1);
                let net = &mut coefficients[start..start + (p + 1) * (q + 1)];
                for (net, row) in net.chunks_exact_mut(q + 1).zip(rows.chunks_exact(nv)) {
                    let window = &row[span_v - q..=span_v];
                    for (sum, weights) in net.iter_mut().zip(across.chunks_exact(q + 1)) {
                        for (c, weight) in window.iter().zip(weights).filter(|(_, w)| **w != 0.0) {
                            add(sum, c, *weight);
                        }
                    }
                }
            }
        }
        Self { u: Direction::new(u), v: Direction::new(v), coefficients, boxes: OnceLock::new() }
    }

    fn net(&self, piece_u: usize, piece_v: usize) -> &[Coefficient] {
        let size = (self.u.degree + 1) * (self.v.degree + 1);
        let start = (piece_u * self.v.inverse_lengths.len() + piece_v) * size;
        &self.coefficients[start..start + size]
    }

    /// The pieces whose nets' boxes come within a distance of a point, in mm.
    pub(crate) fn patches_within<'a>(
        &'a self,
        to: &'a Point3,
        within: f64,
    ) -> impl Iterator<Item = Patch> + 'a {
        check_work();
        let near = move |b: &Box3| within >= 0.0 && b.distance_2(&[to.x, to.y, to.z]) <= within * within;
        self.boxes().iter().enumerate().filter(move |(_, b)| near(b)).map(move |(piece, _)| {
            let (a, b) = self.of_number(piece);
            let [us, vs] = [(&self.u, a), (&self.v, b)].map(|(d, k)| [d.breaks[k], d.breaks[k + 1]]);
            Patch::new(self.net(a, b), self.v.degree + 1, us, vs)
        })
    }

    /// Which spans of u and which of v a place can be in that is the nearest to a point; none for one that is no place.
    pub(crate) fn spans_near(&self, to: &Point3) -> [Vec<bool>; 2] {
        check_work();
        let to_2 = |p: &Point3| (p - to).norm_squared();
        let size = (self.u.degree + 1) * (self.v.degree + 1);
        let corners = self.coefficients.iter().step_by(size).map(place);
        // A box whose own corner that is must not be missed by rounding.
        let within_2 = corners.map(|c| to_2(&c)).fold(f64::MAX, f64::min) * (1.0 + ROUNDED);
        let mut out = [&self.u, &self.v].map(|d| vec![false; d.inverse_lengths.len()]);
        for (piece, _) in
            self.boxes().iter().enumerate().filter(|(_, b)| b.distance_2(&[to.x, to.y, to.z]) <= within_2)
        {
            let (a, b) = self.of_number(piece);
            (out[0][a], out[1][b]) = (true, true);
        }
        out
    }

    /// How many pieces there are.
    pub(crate) fn count(&self) -> usize {
        self.u.inverse_lengths.len() * self.v.inverse_lengths.len()
    }

    /// The spans of u and v of the piece with a number.
    fn of_number(&self, piece: usize) -> (usize, usize) {
        let columns = self.v.inverse_lengths.len();
        (piece / columns, piece % columns)
    }

    fn boxes(&self) -> &[Box3] {
        self.boxes.get_or_init(|| {
            let of_piece = |net: &[Coefficient]| box_of(net.iter().map(place).collect::<Vec<_>>().iter());
            self.coefficients.chunks_exact((self.u.degree + 1) * (self.v.degree + 1)).map(of_piece).collect()
        })
    }

    #[inline]
    pub(crate) fn point(&self, u: f64, v: f64) -> Coefficient {
        let (a, s) = self.u.locate(u);
        let (b, t) = self.v.locate(v);
        let net = self.net(a, b);
        with_known_degrees!(self, fixed_point(net, s, t), {
            let (mut bu, mut bv) = ([0.0; ORDER], [0.0; ORDER]);
            bernstein(self.u.degree, s, &mut bu);
            bernstein(self.v.degree, t, &mut bv);
            let mut sum = ZERO;
            for (row, f) in net.chunks_exact(self.v.degree + 1).zip(&bu) {
                let mut along = ZERO;
                for (c, g) in row.iter().zip(&bv) {
                    add(&mut along, c, *g);
                }
                add(&mut sum, &along, *f);
            }
            sum
        })
    }

    /// Value and first derivatives: S, Su, Sv.
    #[inline]
    pub(crate) fn tangents(&self, u: f64, v: f64) -> [Coefficient; 3] {
        let (a, s) = self.u.locate(u);
        let (b, t) = self.v.locate(v);
        let (net, scale) = (self.net(a, b), [self.u.inverse_lengths[a], self.v.inverse_lengths[b]]);
        with_known_degrees!(self, fixed_tangents(net, s, t, scale), {
            let [value, du, dv, ..] = self.any_derivatives(net, [s, t], scale);
            [value, du, dv]
        })
    }

    #[inline]
    pub(crate) fn derivatives(&self, u: f64, v: f64) -> HomogeneousDerivatives {
        let (a, s) = self.u.locate(u);
        let (b, t) = self.v.locate(v);
        let (net, scale) = (self.net(a, b), [self.u.inverse_lengths[a], self.v.inverse_lengths[b]]);
        with_known_degrees!(
            self,
            fixed_derivatives(net, s, t, scale),
            self.any_derivatives(net, [s, t], scale)
        )
    }

    fn any_derivatives(
        &self,
        net: &[Coefficient],
        [s, t]: [f64; 2],
        scale: [f64; 2],
    ) -> HomogeneousDerivatives {
        let bu = bernstein_derivatives(self.u.degree, s, scale[0]);
        let bv = bernstein_derivatives(self.v.degree, t, scale[1]);
        let mut out = [ZERO; 6];
        for (i, row) in net.chunks_exact(self.v.degree + 1).enumerate() {
            let mut along = [ZERO; 3];
            for (j, c) in row.iter().enumerate() {
                add(&mut along[0], c, bv[0][j]);
                add(&mut along[1], c, bv[1][j]);
                add(&mut along[2], c, bv[2][j]);
            }
            gather(&mut out, &along, [bu[0][i], bu[1][i], bu[2][i]]);
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
        let mut needed = vec![false; self.v.inverse_lengths.len()];
        columns.iter().for_each(|(b, _)| needed[*b] = true);
        for &u in us {
            let (a, s) = self.u.locate(u);
            let mut bu = [0.0; ORDER];
            bernstein(self.u.degree, s, &mut bu);
            contracted.fill(ZERO);
            for (b, target) in contracted.chunks_exact_mut(q + 1).enumerate().filter(|(b, _)| needed[*b]) {
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

/// Adds a row, contracted over v by values, first and second derivatives, into all six derivatives.
#[inline(always)]
fn gather(out: &mut HomogeneousDerivatives, along: &[Coefficient; 3], bu: [f64; 3]) {
    add(&mut out[0], &along[0], bu[0]);
    add(&mut out[1], &along[0], bu[1]);
    add(&mut out[2], &along[1], bu[0]);
    add(&mut out[3], &along[0], bu[2]);
    add(&mut out[4], &along[1], bu[1]);
    add(&mut out[5], &along[2], bu[0]);
}

/// Bernstein polynomials of degree `N - 1`, which is 1, 2 or 3.
#[inline(always)]
fn fixed_bernstein<const N: usize>(t: f64) -> [f64; N] {
    let s = 1.0 - t;
    let mut b = [0.0; N];
    match N {
        2 => (b[0], b[N - 1]) = (s, t),
        3 => (b[0], b[1], b[N - 1]) = (s * s, 2.0 * s * t, t * t),
        _ => {
            let (ss, tt) = (s * s, t * t);
            (b[0], b[1]) = (ss * s, 3.0 * ss * t);
            (b[N - 2], b[N - 1]) = (3.0 * s * tt, tt * t);
        }
    }
    b
}

/// Their first derivatives, times `scale`.
#[inline(always)]
fn fixed_slopes<const N: usize>(t: f64, scale: f64) -> [f64; N] {
    let s = 1.0 - t;
    let mut d = [0.0; N];
    match N {
        2 => (d[0], d[N - 1]) = (-scale, scale),
        3 => {
            let f = 2.0 * scale;
            (d[0], d[1], d[N - 1]) = (-f * s, f * (s - t), f * t);
        }
        _ => {
            let (f, st) = (3.0 * scale, 2.0 * s * t);
            (d[0], d[1]) = (-f * s * s, f * (s * s - st));
            (d[N - 2], d[N - 1]) = (f * (st - t * t), f * t * t);
        }
    }
    d
}

/// Their second derivatives, times the square of `scale`.
#[inline(always)]
fn fixed_bends<const N: usize>(t: f64, scale: f64) -> [f64; N] {
    let s = 1.0 - t;
    let mut d = [0.0; N];
    match N {
        2 => {}
        3 => {
            let f = 2.0 * scale * scale;
            (d[0], d[1], d[N - 1]) = (f, -2.0 * f, f);
        }
        _ => {
            let f = 6.0 * scale * scale;
            (d[0], d[1]) = (f * s, f * (t - 2.0 * s));
            (d[N - 2], d[N - 1]) = (f * (s - 2.0 * t), f * t);
        }
    }
    d
}

#[inline(always)]
fn contracted<const N: usize>(row: &[Coefficient], b: &[f64; N]) -> Coefficient {
    let mut sum = ZERO;
    for j in 0..N {
        add(&mut sum, &row[j], b[j]);
    }
    sum
}

#[inline(always)]
fn fixed_point<const M: usize, const N: usize>(net: &[Coefficient], s: f64, t: f64) -> Coefficient {
    let bu = fixed_bernstein::<M>(s);
    let bv = fixed_bernstein::<N>(t);
    let mut sum = ZERO;
    for (row, f) in net.chunks_exact(N).zip(bu) {
        add(&mut sum, &contracted(row, &bv), f);
    }
    sum
}

#[inline(always)]
fn fixed_tangents<const M: usize, const N: usize>(
    net: &[Coefficient],
    s: f64,
    t: f64,
    scale: [f64; 2],
) -> [Coefficient; 3] {
    let (bu, du) = (fixed_bernstein::<M>(s), fixed_slopes::<M>(s, scale[0]));
    let (bv, dv) = (fixed_bernstein::<N>(t), fixed_slopes::<N>(t, scale[1]));
    let mut out = [ZERO; 3];
    for (i, row) in net.chunks_exact(N).take(M).enumerate() {
        let value = contracted(row, &bv);
        add(&mut out[0], &value, bu[i]);
        add(&mut out[1], &value, du[i]);
        add(&mut out[2], &contracted(row, &dv), bu[i]);
    }
    out
}

#[inline(always)]
fn fixed_derivatives<const M: usize, const N: usize>(
    net: &[Coefficient],
    s: f64,
    t: f64,
    scale: [f64; 2],
) -> HomogeneousDerivatives {
    let (bu, du, ddu) =
        (fixed_bernstein::<M>(s), fixed_slopes::<M>(s, scale[0]), fixed_bends::<M>(s, scale[0]));
    let (bv, dv, ddv) =
        (fixed_bernstein::<N>(t), fixed_slopes::<N>(t, scale[1]), fixed_bends::<N>(t, scale[1]));
    let mut out = [ZERO; 6];
    for (i, row) in net.chunks_exact(N).take(M).enumerate() {
        let along = [contracted(row, &bv), contracted(row, &dv), contracted(row, &ddv)];
        gather(&mut out, &along, [bu[i], du[i], ddu[i]]);
    }
    out
}
