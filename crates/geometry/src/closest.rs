//! The nearest place of a curve to a point: branch and bound over its Bézier pieces (as in Ma & Hewitt, Point inversion and
//! projection for NURBS curve and surface, CAGD 20, 2003).
//!
//! The squared distance, and its derivative, are polynomials over a squared (cubed) weight. The Bernstein coefficients of
//! the one tell whether a piece can hold a nearer place at all, the changes of sign among those of the other how often the
//! distance can stand still there (Descartes' rule of signs; Farouki, The Bernstein polynomial basis, CAGD 29, 2012).
//! What can hold several places is halved; Newton's method goes to a place that is alone.

use crate::bezier_pieces::bezier_points;
use crate::knot_vector::ORDER;
use crate::patch::halve;
use crate::{Domain, Homogeneous, MAX_DEGREE, NurbsCurve, Point3, Vector3, check_work};

const MAX_NEWTON_STEPS: usize = 50;
/// Halvings of a piece after which its middle stands for all of it.
const MOST_HALVINGS: usize = 30;
/// Share of a distance within which another one is as near.
const AS_NEAR_SHARE: f64 = 1e-6;
/// Share of a place's coordinates within which two distances are the same but for rounding.
const AS_NEAR: f64 = 1e-12;
/// Share of the largest coefficient below which a smaller one's sign is rounding.
const NO_SIGN: f64 = 1e-14;
/// Coefficients of a weight times a squared distance.
const LONGEST: usize = 3 * MAX_DEGREE + 1;

/// Binomial coefficients: with them multiplied in, the product of two polynomials in Bernstein form is a convolution
/// (Farouki, section 4.2), and no sign changes.
static BINOMIALS: [[f64; LONGEST]; LONGEST] = {
    let mut rows = [[0.0; LONGEST]; LONGEST];
    let mut n = 0;
    while n < LONGEST {
        rows[n][0] = 1.0;
        let mut k = 1;
        while k <= n {
            rows[n][k] = rows[n - 1][k - 1] + rows[n - 1][k];
            k += 1;
        }
        n += 1;
    }
    rows
};

/// The place of a curve that is nearest to a point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ClosestOnCurve {
    /// Parameter on the curve.
    pub parameter: f64,
    /// The place itself.
    pub point: Point3,
    /// Its distance, in millimetres.
    pub distance: f64,
}

/// The nearest place of a curve; of several that are as near, one of them.
#[must_use]
pub fn closest_on_curve(curve: &NurbsCurve, to: &Point3) -> ClosestOnCurve {
    check_work();
    let mut search = Search { curve, to, best: place(curve, to, curve.domain().start) };
    for span in search.spans() {
        if span.nearest >= search.enough() {
            break;
        }
        search.look(search.piece(span.index), 0);
    }
    search.best
}

fn place(curve: &NurbsCurve, to: &Point3, parameter: f64) -> ClosestOnCurve {
    let point = curve.point(parameter);
    ClosestOnCurve { parameter, point, distance: (point - to).norm() }
}

/// A knot span, and a distance below which none of its places is.
struct Span {
    index: usize,
    nearest: f64,
}

/// A Bézier piece of the curve, moved so that the asked place is the origin.
#[derive(Clone, Copy)]
struct Piece {
    points: [Homogeneous; ORDER],
    ends: Domain,
}

struct Search<'a> {
    curve: &'a NurbsCurve,
    to: &'a Point3,
    best: ClosestOnCurve,
}

impl Search<'_> {
    /// What is not nearer than this is not nearer.
    fn enough(&self) -> f64 {
        self.best.distance * (1.0 - AS_NEAR_SHARE) - AS_NEAR * self.to.coords.norm()
    }

    fn moved(&self, h: &Homogeneous) -> Homogeneous {
        Homogeneous::new(h.x - self.to.x * h.w, h.y - self.to.y * h.w, h.z - self.to.z * h.w, h.w)
    }

    /// All spans, the nearest first; each lies in the box round its control points.
    fn spans(&self) -> Vec<Span> {
        let (knots, p) = (self.curve.knots(), self.curve.degree());
        let points: Vec<Vector3> =
            self.curve.homogeneous().iter().map(|h| self.moved(h).xyz() / h.w).collect();
        let span = |index: usize| {
            let own = &points[index - p..=index];
            let (low, high) = own.iter().fold((own[0], own[0]), |(l, h), d| (l.inf(d), h.sup(d)));
            Span { index, nearest: low.sup(&-high).sup(&Vector3::zeros()).norm() }
        };
        let mut spans: Vec<Span> = knots.spans().into_iter().map(span).collect();
        spans.sort_by(|a, b| a.nearest.total_cmp(&b.nearest));
        spans
    }

    fn piece(&self, span: usize) -> Piece {
        let (knots, p) = (self.curve.knots(), self.curve.degree());
        let mut window = [Homogeneous::zeros(); ORDER];
        for (own, h) in window.iter_mut().zip(&self.curve.homogeneous()[span - p..=span]) {
            *own = self.moved(h);
        }
        let ends = Domain::new(knots.knots()[span], knots.knots()[span + 1]);
        Piece { points: bezier_points(knots, span, &window), ends }
    }

    /// Looks for a nearer place in a piece.
    fn look(&mut self, piece: Piece, halvings: usize) {
        let p = self.curve.degree();
        for (end, parameter) in [(0, piece.ends.start), (p, piece.ends.end)] {
            if piece.points[end].xyz().norm() < self.enough() * piece.points[end].w {
                self.take(parameter);
            }
        }
        let enough = self.enough();
        if enough <= 0.0 {
            return;
        }
        let squared = Squared::of(&piece, p);
        if !squared.falls_below(enough) {
            return;
        }
        match squared.standing() {
            Standing::AtEnds => {}
            Standing::Once(share) => self.follow(piece.ends.at(share), piece.ends),
            Standing::Often if halvings == MOST_HALVINGS => self.follow(piece.ends.at(0.5), piece.ends),
            Standing::Often => {
                let (mut first, mut second) = (piece, piece);
                halve(&mut first.points, &mut second.points, p + 1, |i| i);
                first.ends.end = piece.ends.at(0.5);
                second.ends.start = first.ends.end;
                let off = |end: usize| piece.points[end].xyz().norm() / piece.points[end].w;
                let halves = if off(0) <= off(p) { [first, second] } else { [second, first] };
                halves.into_iter().for_each(|half| self.look(half, halvings + 1));
            }
        }
    }

    fn take(&mut self, parameter: f64) {
        let found = place(self.curve, self.to, parameter);
        if found.distance < self.best.distance {
            self.best = found;
        }
    }

    /// Newton's method kept between two parameters (section 6.1, equation 6.3).
    fn follow(&mut self, mut t: f64, Domain { start: mut low, end: mut high }: Domain) {
        for _ in 0..MAX_NEWTON_STEPS {
            let (p, [d1, d2, _]) = self.curve.derivatives(t);
            let r = p - self.to;
            let slope = r.dot(&d1);
            // The bracket shrinks by the sign of the slope, so that a bad step can always fall back to halving.
            if slope > 0.0 {
                high = t
            } else {
                low = t
            }
            let bend = d1.dot(&d1) + r.dot(&d2);
            let newton = t - slope / bend;
            let next =
                if bend > 0.0 && newton >= low && newton <= high { newton } else { 0.5 * (low + high) };
            let moved = (next - t).abs();
            t = next;
            if moved <= 1e-15 * (1.0 + t.abs()) || slope.abs() <= 1e-15 * d1.norm() * r.norm() {
                break;
            }
        }
        self.take(t);
    }
}

/// The squared distance of a piece's places, times their squared weight; in Bernstein form with the binomial coefficients
/// multiplied in.
struct Squared {
    degree: usize,
    distance: [f64; LONGEST],
    weight: [f64; ORDER],
    rational: bool,
}

/// Where within a piece the distance stands still.
enum Standing {
    /// Nowhere with a least distance: the nearest place is an end.
    AtEnds,
    /// At one place, with the least distance, at about this share of the piece.
    Once(f64),
    /// Perhaps at several places.
    Often,
}

impl Squared {
    fn of(piece: &Piece, degree: usize) -> Self {
        let scaled = |k: usize| {
            let points = piece.points.iter().zip(&BINOMIALS[degree]).take(degree + 1);
            let mut own = [0.0; ORDER];
            own.iter_mut().zip(points).for_each(|(c, (h, b))| *c = h[k] * b);
            own
        };
        let mut distance = [0.0; LONGEST];
        for k in 0..3 {
            let own = scaled(k);
            add_product(&mut distance, &own[..=degree], &own[..=degree], 1.0);
        }
        let weights = piece.points[..=degree].iter().map(|h| h.w);
        let rational = weights.clone().any(|w| w != piece.points[0].w);
        Self { degree, distance, weight: scaled(3), rational }
    }

    /// Whether a place can be nearer than `enough`.
    fn falls_below(&self, enough: f64) -> bool {
        let p = self.degree;
        let mut over = self.distance;
        add_product(&mut over, &self.weight[..=p], &self.weight[..=p], -enough * enough);
        over[..=2 * p].iter().any(|c| *c < 0.0)
    }

    /// Changes of sign in the derivative of the squared distance, told from its numerator: the weight times the numerator's
    /// derivative, less twice the numerator times the weight's derivative.
    fn standing(&self) -> Standing {
        let p = self.degree;
        let derived = differences(&self.distance[..=2 * p]);
        let (slope, count) = if self.rational {
            let mut slope = [0.0; LONGEST];
            add_product(&mut slope, &derived[..2 * p], &self.weight[..=p], 1.0);
            add_product(&mut slope, &self.distance[..=2 * p], &differences(&self.weight[..=p])[..p], -2.0);
            (slope, 3 * p)
        } else {
            (derived, 2 * p)
        };
        let largest = slope[..count].iter().fold(0.0, |most: f64, c| most.max(c.abs()));
        let mut changes = 0;
        let mut last = (0, 0.0);
        let mut between = 0.5;
        for (k, &c) in slope[..count].iter().enumerate() {
            if c.abs() <= NO_SIGN * largest {
                continue;
            }
            if last.1 * c < 0.0 {
                changes += 1;
                // Where the polygon of the coefficients, without their binomial factors, is zero.
                let plain = |k: usize, c: f64| (c / BINOMIALS[count - 1][k]).abs();
                let [before, after] = [plain(last.0, last.1), plain(k, c)];
                let share = last.0 as f64 + (k - last.0) as f64 * before / (before + after);
                between = share / (count - 1) as f64;
            }
            last = (k, c);
        }
        match changes {
            0 => Standing::AtEnds,
            1 if last.1 < 0.0 => Standing::AtEnds,
            1 => Standing::Once(between),
            _ => Standing::Often,
        }
    }
}

/// Adds the product of two polynomials, times a factor.
fn add_product(sum: &mut [f64; LONGEST], a: &[f64], b: &[f64], factor: f64) {
    for (i, x) in a.iter().enumerate() {
        let x = x * factor;
        for (c, y) in sum[i..].iter_mut().zip(b) {
            *c += x * y;
        }
    }
}

/// The derivative of a polynomial.
fn differences(scaled: &[f64]) -> [f64; LONGEST] {
    let n = scaled.len() - 1;
    let mut derived = [0.0; LONGEST];
    for (k, d) in derived.iter_mut().take(n).enumerate() {
        // n times the difference of the plain coefficients, times the lower degree's binomial coefficient.
        *d = scaled[k + 1] * (k + 1) as f64 - scaled[k] * (n - k) as f64;
    }
    derived
}
