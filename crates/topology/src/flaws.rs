//! What can be wrong inside a face without showing at its edges: creases at knots, and places where it folds over.

use std::cell::LazyCell;

use geometry::{KnotVector, NurbsSurface, Vector3};

use crate::imprint::Outline;
use crate::{Face, Shell};

/// Angle in radians, half a degree, from which a turn of the normal across a knot is a crease.
const CREASE: f64 = 0.5 * std::f64::consts::PI / 180.0;
/// Cosine between the normals of two places beside each other from which the face has folded over between them.
const FOLDED: f64 = -0.5;
/// Places in each span, and most of them in one direction.
const PLACES_PER_SPAN: usize = 3;
const MOST_PLACES: usize = 24;
/// How far beside a knot normals are taken, as a share of the domain.
const BESIDE: f64 = 1e-6;
/// Halvings of the way between two places whose normals differ so much, after which a turn of it is none of a tight bend.
const HALVINGS: usize = 14;
/// Turn of the normal per step beside the knot, times this, that is no crease but a tight bend.
const BENDS: f64 = 4.0;

/// What is wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum FlawKind {
    /// Its normal turns at once.
    Crease,
    /// It lies on itself, its normal the other way.
    Fold,
}

/// A flaw inside a face.
#[derive(Debug, Clone, PartialEq)]
pub struct Flaw {
    /// What is wrong.
    pub kind: FlawKind,
    /// The face's number.
    pub face: usize,
    /// By how much the normal turns, in radians.
    pub angle: f64,
    /// Where, in space.
    pub at: [f64; 3],
}

/// The worst flaw of each kind in each face; looked for at places of a grid and across knots where the surface need not be
/// smooth, so that one between them can be missed.
#[must_use]
pub fn flaws(shell: &Shell) -> Vec<Flaw> {
    let mut out = Vec::new();
    for (number, face) in shell.faces().iter().enumerate() {
        // Needed only where something is found.
        let outline = LazyCell::new(|| Outline::of(face));
        let holds = |at: [f64; 2]| outline.holds(at);
        for mut flaw in [crease(face, &holds), fold(face, &holds)].into_iter().flatten() {
            flaw.face = number;
            out.push(flaw);
        }
    }
    out
}

/// Places in the middles of parts of spans, never on a knot; of many spans some are looked at. With each whether the next one
/// lies beside it.
fn places(knots: &KnotVector) -> Vec<(f64, bool)> {
    let breaks = knots.breaks();
    let spans = breaks.len() - 1;
    let per_span = (MOST_PLACES / spans).clamp(2, PLACES_PER_SPAN);
    let step = spans.div_ceil(MOST_PLACES / 2);
    let mut out = Vec::new();
    for w in breaks.windows(2).step_by(step) {
        for k in 0..per_span {
            let at = w[0] + (w[1] - w[0]) * (k as f64 + 0.5) / per_span as f64;
            out.push((at, step == 1 || k + 1 < per_span));
        }
    }
    out
}

fn worse(found: &mut Option<Flaw>, kind: FlawKind, angle: f64, at: [f64; 3]) {
    if found.as_ref().is_none_or(|f| angle > f.angle) {
        *found = Some(Flaw { kind, face: 0, angle, at });
    }
}

fn turn(a: &Vector3, b: &Vector3) -> f64 {
    a.cross(b).norm().atan2(a.dot(b))
}

fn crease(face: &Face, holds: &impl Fn([f64; 2]) -> bool) -> Option<Flaw> {
    let surface = &face.surface;
    let mut found = None;
    for along_u in [true, false] {
        let (knots, across) = if along_u {
            (surface.knots_u(), surface.knots_v())
        } else {
            (surface.knots_v(), surface.knots_u())
        };
        let sharp = knots.distinct();
        let sharp = sharp[1..sharp.len() - 1].iter().filter(|(_, count)| *count >= knots.degree());
        let step = BESIDE * knots.domain().length();
        for &(knot, _) in sharp {
            for &(other, _) in &places(across) {
                let at = |t: f64| if along_u { [t, other] } else { [other, t] };
                let normal = |t: f64| {
                    let [u, v] = at(t);
                    surface.normal(u, v)
                };
                let beside = [-2.0, -1.0, 1.0, 2.0].map(|k| normal(knot + k * step));
                let [Some(far), Some(before), Some(after), Some(beyond)] = beside else { continue };
                let angle = turn(&before, &after);
                let bends = BENDS * (turn(&far, &before) + turn(&after, &beyond));
                if angle > CREASE + bends && holds(at(knot)) {
                    let [u, v] = at(knot);
                    worse(&mut found, FlawKind::Crease, angle, surface.point(u, v).into());
                }
            }
        }
    }
    found
}

fn fold(face: &Face, holds: &impl Fn([f64; 2]) -> bool) -> Option<Flaw> {
    let surface = &face.surface;
    let (us, vs) = (places(surface.knots_u()), places(surface.knots_v()));
    let normals: Vec<Vec<Option<Vector3>>> =
        us.iter().map(|u| vs.iter().map(|v| surface.normal(u.0, v.0)).collect()).collect();
    let mut found = None;
    for i in 0..us.len() {
        for j in 0..vs.len() {
            let Some(here) = normals[i][j] else { continue };
            let [(u, u_goes_on), (v, v_goes_on)] = [us[i], vs[j]];
            let in_u = us.get(i + 1).filter(|_| u_goes_on).map(|u| ([u.0, v], normals[i + 1][j]));
            let in_v = vs.get(j + 1).filter(|_| v_goes_on).map(|v| ([u, v.0], normals[i][j + 1]));
            for (there, next) in [in_u, in_v].into_iter().flatten() {
                let Some(next) = next.filter(|n| here.dot(n) < FOLDED) else { continue };
                let folded = turned_at_once(surface, ([u, v], here), (there, next));
                if let Some((angle, at)) = folded.filter(|f| holds(f.1)) {
                    worse(&mut found, FlawKind::Fold, angle, surface.point(at[0], at[1]).into());
                }
            }
        }
    }
    found
}

/// A place with its normal.
type Seen = ([f64; 2], Vector3);

/// The turn that the normal makes at once between two places, and where; none where it only turns fast.
fn turned_at_once(surface: &NurbsSurface, mut a: Seen, mut b: Seen) -> Option<(f64, [f64; 2])> {
    for _ in 0..HALVINGS {
        let at = [0, 1].map(|k| 0.5 * (a.0[k] + b.0[k]));
        let middle = (at, surface.normal(at[0], at[1])?);
        if turn(&a.1, &middle.1) >= turn(&middle.1, &b.1) {
            b = middle
        } else {
            a = middle
        }
        if a.1.dot(&b.1) >= FOLDED {
            return None;
        }
    }
    Some((turn(&a.1, &b.1), a.0))
}
