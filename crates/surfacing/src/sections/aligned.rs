//! Sections turned to run alike, and closed ones begun alike.

use geometry::{NurbsCurve, Point3, Tolerance, as_line};

use super::Run;
use super::outline::{Outline, Pose};

/// Places of every piece that are compared with those of its partner.
const PER_PIECE: usize = 4;
/// Places of a section that are compared with those of one of another structure.
const COMPARED_AT: usize = 48;
/// Beginnings among which the best one of a smooth section is looked for before it is settled.
const BEGINNINGS: usize = 96;
const SETTLING_STEPS: usize = 40;
/// What each straight piece that would be paired with a bent one adds, in mean squares of sections brought to the size 1.
const UNLIKE: f64 = 0.05;
/// Share by which another beginning must be better than the drawn one.
const CLEARLY: f64 = 1e-6;
/// Share of the way to the next beginning within which a section begins as drawn.
const AS_DRAWN: f64 = 1e-3;

/// A section that others are compared with.
#[derive(Clone)]
struct Model {
    pieces: Vec<NurbsCurve>,
    pose: Pose,
    /// Places at equal shares of its length.
    marks: Vec<Point3>,
}

impl Model {
    fn new(pieces: Vec<NurbsCurve>, pose: Pose) -> Self {
        let marks = Outline::new(&pieces).places(0.0, COMPARED_AT);
        Self { pieces, pose, marks }
    }
}

/// Turns sections to run alike, and begins closed ones alike; empty ones stay out. The one with the most corners, or else
/// pieces, stays as it is, and the others follow it, each its neighbour, so that their order does not count.
pub(crate) fn align(runs: Vec<Run>, closed: bool, tolerance: &Tolerance) -> Vec<Vec<NurbsCurve>> {
    let structure = |run: &Run| {
        let outline = Outline::new(&run.pieces);
        (outline.corners(closed).iter().filter(|c| **c).count(), run.pieces.len())
    };
    let present: Vec<usize> = (0..runs.len()).filter(|&i| !runs[i].pieces.is_empty()).collect();
    let richest = present.iter().copied().rev().max_by_key(|&i| structure(&runs[i]));
    let mut aligned: Vec<Vec<NurbsCurve>> = vec![Vec::new(); runs.len()];
    let Some(first) = richest else { return aligned };
    let (own, model) = begun(&runs[first], None, closed, tolerance);
    aligned[first] = own;
    let onward = present.iter().copied().filter(|i| *i > first).collect::<Vec<_>>();
    let back = present.iter().copied().rev().filter(|i| *i < first).collect::<Vec<_>>();
    for way in [onward, back] {
        let mut before = model.clone();
        for i in way {
            let (own, next) = begun(&runs[i], Some(&before), closed, tolerance);
            aligned[i] = own;
            before = next;
        }
    }
    aligned
}

pub(crate) fn backwards(run: &[NurbsCurve]) -> Vec<NurbsCurve> {
    run.iter().rev().map(NurbsCurve::reversed).collect()
}

/// A section run and begun like the one beside it, and what its next neighbour is compared with: what was turned by hand
/// does not turn the ones after it.
fn begun(run: &Run, before: Option<&Model>, closed: bool, tolerance: &Tolerance) -> (Vec<NurbsCurve>, Model) {
    let own = match run.begins {
        Some(share) if closed => begun_at_share(&run.pieces, share, tolerance),
        _ => run.pieces.clone(),
    };
    let mut best = own.clone();
    let mut pose = Pose::of(&Outline::new(&own), closed);
    if let Some(before) = before {
        let free = closed && run.begins.is_none();
        let mut candidates: Vec<(Vec<NurbsCurve>, Pose)> = Vec::new();
        for turned in ways(&own, &pose, before) {
            let seen = Pose::of(&Outline::new(&turned), closed).facing(&before.pose);
            let begun = beginnings(&turned, &seen, before, free, tolerance);
            candidates.extend(begun.into_iter().map(|run| (run, seen.clone())));
        }
        if let [_, _, ..] = candidates[..] {
            let mut least = f64::INFINITY;
            for (candidate, seen) in candidates {
                let cost = cost(&candidate, &seen, before);
                if cost < least * (1.0 - CLEARLY) - f64::MIN_POSITIVE {
                    (least, best, pose) = (cost, candidate, seen);
                }
            }
        } else if let Some(only) = candidates.pop() {
            (best, pose) = only;
        }
    }
    let here = if run.reversed { backwards(&best) } else { best.clone() };
    (here, Model::new(best, pose))
}

/// The directions in which a section may run: the one from whose side it turns like its neighbour, if both enclose
/// something, else both.
fn ways(own: &[NurbsCurve], pose: &Pose, before: &Model) -> Vec<Vec<NurbsCurve>> {
    /// Below this cosine a section is seen from its edge.
    const LEVEL: f64 = 0.05;
    let Some((n, m)) = pose.normal.zip(before.pose.normal) else {
        return vec![own.to_vec(), backwards(own)];
    };
    let onward = pose.middle - before.pose.middle;
    let sides = onward.try_normalize(0.0).map(|d| [d.dot(&n), d.dot(&m)]);
    let alike = match sides {
        Some([a, b]) if a.abs() > LEVEL && b.abs() > LEVEL => a * b > 0.0,
        _ => n.dot(&m) >= 0.0,
    };
    vec![if alike { own.to_vec() } else { backwards(own) }]
}

/// The same section begun wherever it may begin: at joints, so that pieces stay whole, at corners if it has any, and a
/// smooth one anywhere.
fn beginnings(
    run: &[NurbsCurve],
    pose: &Pose,
    before: &Model,
    free: bool,
    tolerance: &Tolerance,
) -> Vec<Vec<NurbsCurve>> {
    if !free {
        return vec![run.to_vec()];
    }
    let outline = Outline::new(run);
    let corners = outline.corners(true);
    let at_joint = |k: usize| {
        let mut turned = run.to_vec();
        turned.rotate_left(k);
        turned
    };
    let paired = run.len() == before.pieces.len() && run.len() > 1;
    if paired || corners.contains(&true) {
        return (0..run.len()).filter(|&k| paired || corners[k]).map(at_joint).collect();
    }
    vec![begun_at_share(run, best_share(&outline, pose, before), tolerance)]
}

/// The share of a smooth closed section's length from which on it is least twisted against its neighbour.
fn best_share(outline: &Outline<'_>, pose: &Pose, before: &Model) -> f64 {
    let places = outline.places(0.0, BEGINNINGS);
    let every = BEGINNINGS / COMPARED_AT;
    let apart_from = |first: usize| {
        let own: Vec<Point3> = (0..COMPARED_AT).map(|k| places[(first + k * every) % BEGINNINGS]).collect();
        pose.apart(&own, &before.pose, &before.marks)
    };
    let costs: Vec<f64> = (0..BEGINNINGS).map(apart_from).collect();
    let mut best = 0;
    for k in 1..BEGINNINGS {
        if costs[k] < costs[best] * (1.0 - CLEARLY) {
            best = k;
        }
    }
    // Between the places: where the parabola through the best one and its neighbours is lowest.
    let beside = |by: usize| costs[(best + by) % BEGINNINGS];
    let (before, after) = (beside(BEGINNINGS - 1), beside(1));
    let bend = before - 2.0 * costs[best] + after;
    let off = if bend > 0.0 { (0.5 * (before - after) / bend).clamp(-0.5, 0.5) } else { 0.0 };
    // As drawn, if that is as good but for what this cannot tell.
    if best == 0 && off.abs() < AS_DRAWN {
        0.0
    } else {
        ((best as f64 + off) / BEGINNINGS as f64).rem_euclid(1.0)
    }
}

/// Where a function is least between two places.
///
/// # References
/// Kiefer's golden section search, Proc. Amer. Math. Soc. 4, 1953.
pub(super) fn least_within([mut a, mut b]: [f64; 2], f: impl Fn(f64) -> f64) -> f64 {
    const GOLDEN: f64 = 0.618_033_988_749_894_9;
    let (mut x, mut y) = (b - GOLDEN * (b - a), a + GOLDEN * (b - a));
    let (mut fx, mut fy) = (f(x), f(y));
    for _ in 0..SETTLING_STEPS {
        if fx <= fy {
            (b, y, fy) = (y, x, fx);
            x = b - GOLDEN * (b - a);
            fx = f(x);
        } else {
            (a, x, fx) = (x, y, fy);
            y = a + GOLDEN * (b - a);
            fy = f(y);
        }
    }
    0.5 * (a + b)
}

/// How much a section as it runs and begins is twisted against its neighbour.
fn cost(run: &[NurbsCurve], pose: &Pose, before: &Model) -> f64 {
    if run.len() != before.pieces.len() || run.len() == 1 {
        let own = Outline::new(run).places(0.0, COMPARED_AT);
        return pose.apart(&own, &before.pose, &before.marks);
    }
    let places = |pieces: &[NurbsCurve]| -> Vec<Point3> {
        let on = |c: &NurbsCurve| {
            let d = c.domain();
            (0..PER_PIECE).map(|k| c.point(d.at(k as f64 / PER_PIECE as f64))).collect::<Vec<_>>()
        };
        pieces.iter().flat_map(on).collect()
    };
    let straight = |c: &NurbsCurve| as_line(c, 1e-6 * c.polygon_length()).is_some();
    let unlike = run.iter().zip(&before.pieces).filter(|(a, b)| straight(a) != straight(b)).count();
    pose.apart(&places(run), &before.pose, &places(&before.pieces))
        + UNLIKE * unlike as f64 / run.len() as f64
}

/// A closed run begun at a share of its length; one of several pieces with corners at the joint nearest to that.
fn begun_at_share(run: &[NurbsCurve], share: f64, tolerance: &Tolerance) -> Vec<NurbsCurve> {
    let outline = Outline::new(run);
    let share = share.rem_euclid(1.0);
    let near = tolerance.join / outline.whole;
    let off = |j: f64| (j - share).abs().min(1.0 - (j - share).abs());
    let joint = (0..run.len()).min_by(|&a, &b| off(outline.joints[a]).total_cmp(&off(outline.joints[b])));
    let joint = joint.unwrap_or(0);
    let has_corners = outline.corners(true).contains(&true);
    if has_corners || off(outline.joints[joint]) <= near {
        let mut turned = run.to_vec();
        turned.rotate_left(joint);
        return turned;
    }
    let (piece, t) = outline.locate(share);
    if let [only] = run {
        return vec![only.begun_at(t, tolerance.join).unwrap_or_else(|| only.clone())];
    }
    let Some((before, after)) = run[piece].split(t) else { return run.to_vec() };
    let onward = run[piece + 1..].iter().chain(&run[..piece]).cloned();
    std::iter::once(after).chain(onward).chain([before]).collect()
}
