//! Where functions of one parameter change: bisection, which never runs away.

use crate::{NurbsCurve, Point3, check_work};

/// Halvings after which two doubles of an interval are neighbours, or nearly.
const HALVINGS: usize = 60;
const SAMPLES_PER_SPAN: usize = 16;

/// The place between `a` and `b` where a condition stops being what it is at `a`; it must differ at `b`.
#[must_use]
pub fn bisect(mut a: f64, mut b: f64, holds: impl Fn(f64) -> bool) -> f64 {
    let at_a = holds(a);
    for _ in 0..HALVINGS {
        let middle = 0.5 * (a + b);
        if holds(middle) == at_a { a = middle } else { b = middle }
    }
    0.5 * (a + b)
}

/// Parameters of a curve at which a function of its parameter changes its sign, in order. Two changes between
/// neighbouring samples, of which each span has sixteen, are missed.
#[must_use]
pub fn sign_changes(curve: &NurbsCurve, f: impl Fn(f64) -> f64) -> Vec<f64> {
    check_work();
    let above = |t: f64| f(t) > 0.0;
    let samples = curve.knots().sampled(SAMPLES_PER_SPAN);
    let changing = samples.windows(2).filter(|w| above(w[0]) != above(w[1]));
    changing.map(|w| bisect(w[0], w[1], above)).collect()
}

/// What a line from a point to a curve does there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Foot {
    /// Stands square to it.
    Square,
    /// Touches it.
    Tangent,
}

/// Parameters of a plane curve (z = 0) at which a line from a point of the plane stands square to it or touches it.
/// A straight line is touched nowhere.
#[must_use]
pub fn feet(curve: &NurbsCurve, from: &Point3) -> Vec<(f64, Foot)> {
    check_work();
    let sight = |t: f64| {
        let (p, d) = curve.moving(t);
        (p - from, d)
    };
    let square = sign_changes(curve, |t| {
        let (r, d) = sight(t);
        r.dot(&d)
    });
    let straight = curve.degree() == 1;
    let touching = sign_changes(curve, |t| {
        let (r, d) = sight(t);
        if straight { 1.0 } else { r.xy().perp(&d.xy()) }
    });
    let named = |ts: Vec<f64>, foot| ts.into_iter().map(move |t| (t, foot));
    named(square, Foot::Square).chain(named(touching, Foot::Tangent)).collect()
}
