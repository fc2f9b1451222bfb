//! Sections turned to run alike, and closed ones begun alike.

use std::cell::OnceCell;

use geometry::{Ellipse, NurbsCurve, Point3, Tolerance, Vector3};

use super::Run;
use super::around::{Paces, begin_around, begin_ellipses_around, product_of_ellipses};
use super::corners::beginnings_alike;
use super::outline::Outline;
use super::pose::{COMPARED_AT, Pose, facing_in_turn};
use super::sighted::Sighted;

/// Beginnings among which the best one of a smooth section is looked for before it is settled.
const BEGINNINGS: usize = 96;
/// Share by which another beginning must be better than the drawn one.
pub(super) const CLEARLY: f64 = 1e-6;
/// How often the best beginning is looked for ten times more closely.
const CLOSER: usize = 4;

/// A section as it is compared with others.
#[derive(Clone)]
struct Model {
    pieces: Vec<NurbsCurve>,
    pose: Pose,
    /// Places at equal shares of its length, once they are asked for.
    marks: OnceCell<Vec<Point3>>,
    /// In a ring, from the section before it to the one after it.
    onward: Option<Vector3>,
}

impl Model {
    fn new(pieces: Vec<NurbsCurve>, closed: bool) -> Self {
        let marks = marks(&pieces);
        Self { pose: Pose::of_marks(&marks, closed), pieces, marks: marks.into(), onward: None }
    }

    fn marks(&self) -> &[Point3] {
        self.marks.get_or_init(|| marks(&self.pieces))
    }
}

pub(super) fn marks(pieces: &[NurbsCurve]) -> Vec<Point3> {
    Outline::coarse(pieces).places(0.0, COMPARED_AT)
}

/// Turns sections to run alike, and begins closed ones alike; empty ones stay out. The one with the most corners, or else
/// pieces, or else the longest, is begun as it is, or at its first corner, and the others follow it, each its neighbour, so
/// that their order does not count; all run as the first one does. In a ring the last one runs on into the first.
pub(crate) fn align(runs: Vec<Run>, closed: bool, ring: bool, tolerance: &Tolerance) -> Vec<Vec<NurbsCurve>> {
    let structure = |run: &Run| {
        let outline = Outline::coarse(&run.pieces);
        (outline.corners(closed).iter().filter(|c| **c).count(), run.pieces.len(), outline.whole())
    };
    let structures: Vec<_> = runs.iter().map(structure).collect();
    let present: Vec<usize> = (0..runs.len()).filter(|&i| !runs[i].pieces.is_empty()).collect();
    let richer = |a: &usize, b: &usize| {
        structures[*a].partial_cmp(&structures[*b]).unwrap_or(std::cmp::Ordering::Equal)
    };
    let richest = present.iter().copied().rev().max_by(richer);
    let mut aligned: Vec<Vec<NurbsCurve>> = vec![Vec::new(); runs.len()];
    let Some(first) = richest else { return aligned };
    let alike = present.windows(2).all(|w| runs[w[0]].pieces.len() == runs[w[1]].pieces.len());
    let mut turned = vec![false; runs.len()];
    let count = runs.len();
    let middle = |i: usize| Point3::from(super::middle(&marks(&runs[i % count].pieces)));
    let onward = |i: usize| (ring && closed).then(|| middle(i + 1) - middle(i + count - 1));
    let Begun { own, model, .. } = begun(&runs[first], None, onward(first), closed, alike, tolerance);
    aligned[first] = own;
    let after = present.iter().copied().filter(|i| *i > first).collect::<Vec<_>>();
    let back = present.iter().copied().rev().filter(|i| *i < first).collect::<Vec<_>>();
    for way in [after, back] {
        let mut before = model.clone();
        for i in way {
            let begun = begun(&runs[i], Some(&before), onward(i), closed, alike, tolerance);
            (aligned[i], turned[i]) = (begun.own, begun.turned);
            before = begun.model;
        }
    }
    if present.first().is_some_and(|&i| turned[i]) {
        aligned.iter_mut().for_each(|run| *run = backwards(run));
    }
    if ring && closed && alike && runs.iter().all(|run| !run.reversed) {
        let stays: Vec<bool> = runs.iter().map(|run| run.begins.is_some()).collect();
        if runs[first].pieces.len() > 1 {
            begin_around(&mut aligned, &stays);
        } else {
            begin_ellipses_around(&mut aligned, first, &stays);
        }
    }
    if closed && !alike {
        let free: Vec<usize> = present.into_iter().filter(|&i| runs[i].begins.is_none()).collect();
        begin_along_a_line(&mut aligned, &free, tolerance);
    }
    aligned
}

/// Begins sections of unlike pieces along one line where they are `free` to: from a corner, if any of them has one, to one
/// of theirs or between two.
fn begin_along_a_line(aligned: &mut [Vec<NurbsCurve>], free: &[usize], tolerance: &Tolerance) {
    let present: Vec<usize> = (0..aligned.len()).filter(|&i| !aligned[i].is_empty()).collect();
    let shares: Vec<f64> = {
        let outlines: Vec<Outline<'_>> = present.iter().map(|&i| Outline::new(&aligned[i])).collect();
        let poses = facing_in_turn(outlines.iter().map(|o| Pose::of(o, true)));
        let begun: Vec<bool> = present.iter().map(|i| !free.contains(i)).collect();
        beginnings_alike(&Sighted::all(&outlines, &poses, true), &begun)
    };
    for (&i, share) in present.iter().zip(shares) {
        if share != 0.0 {
            aligned[i] = begun_exactly(&aligned[i], share, tolerance);
        }
    }
}

pub(crate) fn backwards(run: &[NurbsCurve]) -> Vec<NurbsCurve> {
    run.iter().rev().map(NurbsCurve::reversed).collect()
}

/// A section run and begun like the one beside it.
struct Begun {
    own: Vec<NurbsCurve>,
    /// What its next neighbour is compared with: what was turned by hand does not turn the ones after it.
    model: Model,
    /// Whether it runs the other way than it did.
    turned: bool,
}

fn begun(
    run: &Run,
    before: Option<&Model>,
    onward: Option<Vector3>,
    closed: bool,
    alike: bool,
    tolerance: &Tolerance,
) -> Begun {
    let own = match run.begins {
        Some(share) if closed => begun_at_share(&run.pieces, share, tolerance),
        // Faces are divided where sections begin: at a corner, so that what is smooth stays whole.
        _ if closed => {
            let corner = Outline::new(&run.pieces).corners(true).iter().position(|c| *c);
            begun_at_joint(&run.pieces, corner.unwrap_or(0))
        }
        _ => run.pieces.clone(),
    };
    let (mut best, mut turned) = (Model { onward, ..Model::new(own, closed) }, false);
    if let Some(before) = before {
        let ways = ways(&best, before);
        // Unlike ones are begun again, when all run alike.
        let free = closed && run.begins.is_none() && (alike || ways.len() > 1);
        let mut candidates: Vec<(Model, bool)> = Vec::new();
        for turned in ways {
            let mut seen = best.clone();
            if turned {
                seen = Model { onward: best.onward, ..Model::new(backwards(&best.pieces), closed) };
            }
            seen.pose = seen.pose.facing(&before.pose);
            candidates.extend(beginnings(seen, before, free, tolerance).into_iter().map(|m| (m, turned)));
        }
        if let [_, _, ..] = candidates[..] {
            let mut least = f64::INFINITY;
            for (candidate, back) in candidates {
                let cost = cost(&candidate, before);
                if cost < least * (1.0 - CLEARLY) - f64::MIN_POSITIVE {
                    (least, best, turned) = (cost, candidate, back);
                }
            }
        } else if let Some(only) = candidates.pop() {
            (best, turned) = only;
        }
    }
    let own = if run.reversed { backwards(&best.pieces) } else { best.pieces.clone() };
    Begun { own, model: best, turned }
}

/// Whether a section may run as it does and whether it may run backwards: the way from whose side it turns like its
/// neighbour, if both enclose something, else both.
fn ways(Model { pose, onward, .. }: &Model, before: &Model) -> Vec<bool> {
    /// Below this cosine a section is seen from its edge.
    const LEVEL: f64 = 0.05;
    let Some((n, m)) = pose.normal.zip(before.pose.normal) else {
        return vec![false, true];
    };
    // In a ring more than half of it may lie between two, across which their line tells nothing.
    let across = pose.middle - before.pose.middle;
    let [here, there] = [*onward, before.onward].map(|d| d.unwrap_or(across).try_normalize(0.0));
    let sides = here.zip(there).map(|(here, there)| [here.dot(&n), there.dot(&m)]);
    let alike = match sides {
        Some([a, b]) if a.abs() > LEVEL && b.abs() > LEVEL => a * b > 0.0,
        _ => n.dot(&m) >= 0.0,
    };
    vec![!alike]
}

/// The same section begun wherever it may begin: at joints, so that pieces stay whole, at corners if it has any, and a
/// smooth one anywhere.
fn beginnings(drawn: Model, before: &Model, free: bool, tolerance: &Tolerance) -> Vec<Model> {
    if !free {
        return vec![drawn];
    }
    let run = &drawn.pieces;
    let as_seen = |pieces: Vec<NurbsCurve>| Model { pieces, marks: OnceCell::new(), ..drawn.clone() };
    let outline = Outline::coarse(run);
    let corners = outline.corners(true);
    let paired = run.len() == before.pieces.len() && run.len() > 1;
    if paired || corners.contains(&true) {
        let at = (0..run.len()).filter(|&k| paired || corners[k]);
        return at.map(|k| as_seen(begun_at_joint(run, k))).collect();
    }
    if let Some(begun) = ellipse_beside(run, &drawn.pose, before) {
        return vec![as_seen(begun)];
    }
    let share = best_share(&outline, &drawn.pose, before);
    vec![as_seen(begun_at_share(run, share, tolerance))]
}

/// An ellipse begun so that it is least twisted against another one, which it then runs along angle by angle: the sum of
/// the squares between their places is least where that of the products of their axes is greatest.
fn ellipse_beside(run: &[NurbsCurve], pose: &Pose, before: &Model) -> Option<Vec<NurbsCurve>> {
    let ([own], [other]) = (run, &before.pieces[..]) else { return None };
    let (e, f) = (Ellipse::of(own)?, Ellipse::of(other)?);
    let angle = product_of_ellipses((&e, pose), (&f, &before.pose)).arg();
    Some(vec![e.begun_at(angle).with_knots_of(own)?])
}

/// The share of a smooth closed section's length from which on it is least twisted against its neighbour.
fn best_share(outline: &Outline<'_>, pose: &Pose, before: &Model) -> f64 {
    let places = outline.places(0.0, BEGINNINGS);
    let every = BEGINNINGS / COMPARED_AT;
    let apart_from = |first: usize| {
        let own: Vec<Point3> = (0..COMPARED_AT).map(|k| places[(first + k * every) % BEGINNINGS]).collect();
        pose.apart(&own, &before.pose, before.marks())
    };
    let costs: Vec<f64> = (0..BEGINNINGS).map(apart_from).collect();
    let mut best = 0;
    for k in 1..BEGINNINGS {
        if costs[k] < costs[best] * (1.0 - CLEARLY) {
            best = k;
        }
    }
    // Between the places: where the parabola through the best one and its neighbours is lowest, and again more closely.
    let at = |share: f64| pose.apart(&outline.places(share, COMPARED_AT), &before.pose, before.marks());
    let mut share = best as f64 / BEGINNINGS as f64;
    let mut step = 1.0 / BEGINNINGS as f64;
    for _ in 0..CLOSER {
        let (x, y, z) = (at(share - step), at(share), at(share + step));
        let bend = x - 2.0 * y + z;
        share += if bend > 0.0 { (0.5 * (x - z) / bend).clamp(-1.0, 1.0) * step } else { 0.0 };
        step *= 0.1;
    }
    share.rem_euclid(1.0)
}

/// How much a section as it runs and begins is twisted against its neighbour.
fn cost(own: &Model, before: &Model) -> f64 {
    let Model { pieces: run, pose, .. } = own;
    if run.len() != before.pieces.len() || run.len() == 1 {
        return pose.apart(own.marks(), &before.pose, before.marks());
    }
    Paces::of(run).apart(pose, 0, &Paces::of(&before.pieces), &before.pose)
}

fn begun_at_joint(run: &[NurbsCurve], joint: usize) -> Vec<NurbsCurve> {
    let mut turned = run.to_vec();
    turned.rotate_left(joint);
    turned
}

/// A closed run begun at a share of its length; one with corners at the corner nearest to that.
fn begun_at_share(run: &[NurbsCurve], share: f64, tolerance: &Tolerance) -> Vec<NurbsCurve> {
    let outline = Outline::coarse(run);
    let share = share.rem_euclid(1.0);
    let near = tolerance.join / outline.whole();
    let off = |k: &usize| {
        let away = (outline.joints()[*k] - share).abs();
        away.min(1.0 - away)
    };
    let corners = outline.corners(true);
    let has_corners = corners.contains(&true);
    let joints = (0..run.len()).filter(|&k| corners[k] || !has_corners);
    let joint = joints.min_by(|a, b| off(a).total_cmp(&off(b))).unwrap_or(0);
    if has_corners || off(&joint) <= near {
        return begun_at_joint(run, joint);
    }
    begun_inside(run, &outline, share, tolerance)
}

/// A closed run begun anywhere; at a joint, if that is as good as there and a piece would be cut for it.
pub(super) fn begun_exactly(run: &[NurbsCurve], share: f64, tolerance: &Tolerance) -> Vec<NurbsCurve> {
    let outline = Outline::new(run);
    let whole = run.len() == 1 && !outline.corners(true)[0];
    let near = if whole { 0.0 } else { tolerance.join / outline.whole() };
    let joint = outline.joints().iter().position(|j| (j - share).abs() <= near);
    match joint {
        Some(joint) => begun_at_joint(run, joint % run.len()),
        None => begun_inside(run, &outline, share, tolerance),
    }
}

fn begun_inside(
    run: &[NurbsCurve],
    outline: &Outline<'_>,
    share: f64,
    tolerance: &Tolerance,
) -> Vec<NurbsCurve> {
    let (piece, t) = outline.locate_cut(share);
    // What ends at a corner stays cut there.
    if let [only] = run
        && !outline.corners(true)[0]
    {
        return vec![only.begun_at(t, tolerance.join).unwrap_or_else(|| only.clone())];
    }
    let Some((before, after)) = run[piece].split(t) else { return run.to_vec() };
    let onward = run[piece + 1..].iter().chain(&run[..piece]).cloned();
    std::iter::once(after).chain(onward).chain([before]).collect()
}
