//! Where plane curves (z = 0) cross themselves or each other.
//!
//! Flattened to chords first, then refined by Newton's method on both curves (Patrikalakis & Maekawa, Shape
//! Interrogation, chapter 5, in its simplest form).

use crate::{NurbsCurve, Point2, check_work};

const MAX_NEWTON_STEPS: usize = 20;
const MAX_HALVINGS: u32 = 12;

/// A place where two curves cross.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Crossing {
    /// Index of the first curve.
    pub first: usize,
    /// Parameter there.
    pub first_parameter: f64,
    /// Index of the second curve; may be the first itself.
    pub second: usize,
    /// Parameter there.
    pub second_parameter: f64,
    /// The place.
    pub point: Point2,
}

/// Parameters and points of chords that stay within `tolerance` mm of the curve, ends included.
///
/// The deviation is measured at each chord's middle and quarters; not a rigorous bound.
#[must_use]
pub fn flatten(curve: &NurbsCurve, tolerance: f64) -> Vec<(f64, crate::Point3)> {
    let breaks = curve.knots().breaks();
    let mut out = vec![(breaks[0], curve.point(breaks[0]))];
    let straight = curve.degree() == 1 && !curve.is_rational();
    for pair in breaks.windows(2) {
        let parts = if straight { 1 } else { 2 };
        for k in 0..parts {
            let a = pair[0] + (pair[1] - pair[0]) * f64::from(k) / f64::from(parts);
            let b = if k + 1 == parts { pair[1] } else { 0.5 * (pair[0] + pair[1]) };
            halve(curve, (a, curve.point(a)), (b, curve.point(b)), tolerance, 0, straight, &mut out);
        }
    }
    out
}

fn halve(
    curve: &NurbsCurve,
    a: (f64, crate::Point3),
    b: (f64, crate::Point3),
    tolerance: f64,
    depth: u32,
    straight: bool,
    out: &mut Vec<(f64, crate::Point3)>,
) {
    let middle = (0.5 * (a.0 + b.0), curve.point(0.5 * (a.0 + b.0)));
    let chord = b.1 - a.1;
    let off = |p: &crate::Point3| {
        let d = p - a.1;
        let length_sq = chord.norm_squared();
        if length_sq == 0.0 { d.norm() } else { (d - chord * (d.dot(&chord) / length_sq)).norm() }
    };
    let quarter = |f: f64| curve.point(a.0 + (b.0 - a.0) * f);
    let fine = straight
        || (off(&middle.1) <= tolerance && off(&quarter(0.25)).max(off(&quarter(0.75))) <= tolerance);
    if fine || depth >= MAX_HALVINGS {
        out.push(b);
    } else {
        halve(curve, a, middle, tolerance, depth + 1, straight, out);
        halve(curve, middle, b, tolerance, depth + 1, straight, out);
    }
}

struct Chord {
    curve: usize,
    t: [f64; 2],
    p: [Point2; 2],
}

fn chords(index: usize, curve: &NurbsCurve, tolerance: f64) -> Vec<Chord> {
    flatten(curve, tolerance)
        .windows(2)
        .map(|w| Chord { curve: index, t: [w[0].0, w[1].0], p: [w[0].1.xy(), w[1].1.xy()] })
        .collect()
}

fn boxes_meet(a: &Chord, b: &Chord) -> bool {
    (0..2).all(|k| {
        a.p[0][k].min(a.p[1][k]) <= b.p[0][k].max(b.p[1][k])
            && b.p[0][k].min(b.p[1][k]) <= a.p[0][k].max(a.p[1][k])
    })
}

/// Fractions along both chords where they cross, if they do.
fn chords_cross(a: &Chord, b: &Chord) -> Option<(f64, f64)> {
    let (da, db) = (a.p[1] - a.p[0], b.p[1] - b.p[0]);
    let det = da.perp(&db);
    if det.abs() <= 1e-14 * da.norm() * db.norm() {
        return None;
    }
    let d = b.p[0] - a.p[0];
    let (s, t) = (d.perp(&db) / det, d.perp(&da) / det);
    let inside = |x: f64| (-1e-9..=1.0 + 1e-9).contains(&x);
    (inside(s) && inside(t)).then_some((s, t))
}

fn refine(curves: &[NurbsCurve], a: &Chord, b: &Chord, start: (f64, f64)) -> Crossing {
    let (ca, cb) = (&curves[a.curve], &curves[b.curve]);
    let mut s = a.t[0] + (a.t[1] - a.t[0]) * start.0;
    let mut t = b.t[0] + (b.t[1] - b.t[0]) * start.1;
    for _ in 0..MAX_NEWTON_STEPS {
        let (p, pd) = ca.moving(s);
        let (q, qd) = cb.moving(t);
        let (pd, qd, d) = (pd.xy(), qd.xy(), q.xy() - p.xy());
        let det = pd.perp(&qd);
        if det.abs() < 1e-14 * pd.norm() * qd.norm() || d.norm() < 1e-13 {
            break;
        }
        s = ca.domain().clamp(s + d.perp(&qd) / det);
        t = cb.domain().clamp(t + d.perp(&pd) / det);
    }
    let point = ca.point(s).xy();
    Crossing { first: a.curve, first_parameter: s, second: b.curve, second_parameter: t, point }
}

/// Places where two plane curves cross, in order along the first; `chord` is the flattening tolerance in mm.
#[must_use]
pub fn crossings(first: &NurbsCurve, second: &NurbsCurve, chord: f64) -> Vec<Crossing> {
    check_work();
    let curves = [first.clone(), second.clone()];
    let (a, b) = (chords(0, first, chord), chords(1, second, chord));
    let mut found: Vec<Crossing> = Vec::new();
    for x in &a {
        for y in b.iter().filter(|y| boxes_meet(x, y)) {
            if let Some(start) = chords_cross(x, y) {
                let crossing = refine(&curves, x, y, start);
                if found.iter().all(|f| (f.point - crossing.point).norm() > chord * 1e-3) {
                    found.push(crossing);
                }
            }
        }
    }
    found.sort_by(|x, y| x.first_parameter.total_cmp(&y.first_parameter));
    found
}

/// The first place where a chain of plane curves, joined end to end, crosses itself; neighbours may touch at their
/// common end. `closed` says that the last curve runs into the first.
#[must_use]
pub fn self_crossing(chain: &[NurbsCurve], closed: bool, chord: f64) -> Option<Crossing> {
    check_work();
    let all: Vec<Chord> = chain.iter().enumerate().flat_map(|(i, c)| chords(i, c, chord)).collect();
    let last = all.len().saturating_sub(1);
    for (i, a) in all.iter().enumerate() {
        for (j, b) in all.iter().enumerate().skip(i + 2) {
            if (closed && i == 0 && j == last) || !boxes_meet(a, b) {
                continue;
            }
            if let Some(start) = chords_cross(a, b) {
                return Some(refine(chain, a, b, start));
            }
        }
    }
    None
}
