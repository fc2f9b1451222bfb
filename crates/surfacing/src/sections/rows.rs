//! The parts of sections brought to common knots, so that the skin through them is as smooth as they are.

use std::cell::RefCell;
use std::collections::HashMap;

use geometry::{
    GeometryError, Homogeneous, KnotVector, NurbsCurve, Point3, Tolerance, Vector3, compatible_within,
    fit_functions,
};

use super::columns::Column;
use super::outline::Outline;
use crate::monotone::Monotone;

/// Share of the fit tolerance that sections may lose when they are given common knots.
const SHARE_OF_FIT: f64 = 0.5;
/// How nearly derivatives on both sides of a joint must agree, as a share of their length, to be exact.
const AGREE: f64 = 1e-6;
/// The same for weights.
const SAME_WEIGHT: f64 = 1e-9;
/// Steps beside a place, as a share of what lies there, over which the change of a velocity is measured.
const BESIDE: f64 = 1e-3;
/// Change of a velocity along the shorter neighbour, as a share of it, by which the two sides must differ to bend at once.
const BENDS: f64 = 0.02;
/// Parameters of sections nearer than this are one.
const SAME_PLACE: f64 = 1e-6;

/// The rows of a column's faces, and the largest distance in millimetres of one from its section.
pub(super) struct Fitted {
    pub faces: Vec<Vec<NurbsCurve>>,
    pub max_deviation: f64,
}

/// For each face of a column the parts of all sections, made compatible: as they are where the skin through them is smooth
/// over all their joints, else as cubics that run equally fast on both sides of each joint.
///
/// Through sections that are smooth in space but not in the same way in their own parameters, a skin has creases between
/// them: what it interpolates is not their shape but their speed. Pieces pair up where there are as many of them.
pub(super) fn fitted(
    column: &Column,
    straight: bool,
    tolerance: &Tolerance,
) -> Result<Fitted, GeometryError> {
    if column.pairs_up()
        && let Some(exact) = exact(column, straight, tolerance)?
    {
        return Ok(exact);
    }
    let solid: Vec<usize> = (0..column.chains.len()).filter(|&i| !is_point(&column.chains[i])).collect();
    let outlines: Vec<Outline<'_>> = solid.iter().map(|&i| Outline::new(&column.chains[i])).collect();
    // Where pieces pair up they do so at common parameters.
    let paired = |(o, &i): (&Outline<'_>, &usize)| -> Vec<f64> {
        column.links[i].iter().map(|&k| o.joints()[k]).chain([1.0]).collect()
    };
    let own: Vec<Vec<f64>> = outlines.iter().zip(&solid).map(paired).collect();
    let mean = |k: usize| own.iter().map(|j| j[k]).sum::<f64>() / own.len() as f64;
    let joints: Vec<f64> = (0..own[0].len()).map(mean).collect();
    let courses: Vec<Course<'_>> =
        outlines.iter().zip(&own).map(|(o, own)| Course::new(o, own, &joints, column.ring)).collect();
    // What is as good as at a joint is there, for there it will be divided.
    let off_joints = |b: &f64| joints.iter().all(|j| (b - j).abs() > SAME_PLACE);
    let mut breaks: Vec<f64> = courses.iter().flat_map(Course::rough).filter(off_joints).collect();
    breaks.extend(&joints);
    breaks.sort_by(f64::total_cmp);
    breaks.dedup_by(|b, a| *b - *a <= SAME_PLACE);
    // Each round of the fit asks for the places of the one before again.
    let known = RefCell::new(HashMap::<(usize, u64), (Point3, Vector3)>::new());
    let at = |k: usize, u: f64| {
        let place = || courses[k].moving(u);
        Ok::<_, GeometryError>(*known.borrow_mut().entry((k, u.to_bits())).or_insert_with(place))
    };
    // Where any of them bends at once, a stretch of the fit ends: a cubic spline goes on as it bent.
    let bends = breaks.windows(3).filter(|w| courses.iter().any(|c| c.bends_at_once([w[0], w[1], w[2]])));
    let mut ends: Vec<f64> = bends.map(|w| w[1]).collect();
    ends.insert(0, breaks[0]);
    ends.push(breaks[breaks.len() - 1]);
    let mut max_deviation: f64 = 0.0;
    let mut curves: Vec<NurbsCurve> = Vec::with_capacity(courses.len());
    for w in ends.windows(2) {
        let within: Vec<f64> = breaks.iter().copied().filter(|b| (w[0]..=w[1]).contains(b)).collect();
        let fits = fit_functions(courses.len(), at, &within, SHARE_OF_FIT * tolerance.fit)?;
        max_deviation = fits.iter().map(|f| f.max_deviation).fold(max_deviation, f64::max);
        let stretches = fits.into_iter().map(|f| f.curve);
        curves = if curves.is_empty() {
            stretches.collect()
        } else {
            curves.iter().zip(stretches).map(|(a, b)| going_on(a, &b)).collect::<Result<_, _>>()?
        };
    }
    let of_outline = |(c, o): (NurbsCurve, &Outline<'_>)| {
        c.with_ends(Some(o.pieces[0].start()), o.pieces.last().map(NurbsCurve::end))
    };
    let curves: Vec<NurbsCurve> = curves.into_iter().zip(&outlines).map(of_outline).collect();
    let mut faces: Vec<Vec<NurbsCurve>> = vec![Vec::with_capacity(column.chains.len()); joints.len() - 1];
    let mut next = curves.into_iter();
    for chain in &column.chains {
        if is_point(chain) {
            let at = chain[0].start();
            faces.iter_mut().for_each(|rows| rows.push(NurbsCurve::line(at, at)));
            continue;
        }
        let Some(mut rest) = next.next() else { break };
        for k in 1..joints.len() - 1 {
            if let Some((before, after)) = rest.split(joints[k]) {
                faces[k - 1].push(before);
                rest = after;
            }
        }
        faces[joints.len() - 2].push(rest);
    }
    let faces = faces.into_iter().map(|rows| compatible_within(&rows, 0.0).map(|c| c.0));
    let faces = faces.map(|rows| points_weighted(rows?)).collect::<Result<_, _>>()?;
    Ok(Fitted { faces, max_deviation })
}

/// A cubic that goes on as another one of the same weights, from its end, as fast as it arrives: the end is a knot at which
/// its second derivative may jump, and needs no control point.
fn going_on(before: &NurbsCurve, after: &NurbsCurve) -> Result<NurbsCurve, GeometryError> {
    let (a, b) = (before.knots().knots(), after.knots().knots());
    let knots: Vec<f64> = a[..a.len() - 2].iter().chain(&b[4..]).copied().collect();
    let (p, q) = (before.homogeneous(), after.homogeneous());
    let points = p[..p.len() - 1].iter().chain(&q[1..]).copied().collect();
    NurbsCurve::from_homogeneous(KnotVector::try_new(3, knots)?, points)
}

/// Whether pieces are but one point, for rounding.
pub(crate) fn is_point(chain: &[NurbsCurve]) -> bool {
    chain.iter().all(|c| c.is_point(1e-12 * (1.0 + c.start().coords.norm())))
}

/// How a section is run when its joints are to stand at common parameters and its speed is to have no jumps.
struct Course<'a> {
    outline: &'a Outline<'a>,
    /// Share of the length by the common parameter; without it they are the same.
    law: Option<Monotone>,
}

impl<'a> Course<'a> {
    fn new(outline: &'a Outline<'a>, paired: &[f64], joints: &[f64], ring: bool) -> Self {
        let law = (joints.len() > 2).then(|| {
            let own: Vec<(f64, f64)> = joints.iter().copied().zip(paired.iter().copied()).collect();
            if !ring {
                return Monotone::new(own);
            }
            // Once round on either side, so that the beginning is a place like any other.
            let last = own.len() - 1;
            let round = |by: f64| own.iter().map(move |&(u, s)| (u + by, s + by));
            Monotone::new(
                round(-1.0).take(last).chain(own.iter().copied()).chain(round(1.0).skip(1)).collect(),
            )
        });
        Self { outline, law }
    }

    fn moving(&self, u: f64) -> (Point3, Vector3) {
        let (share, speed) = self.law.as_ref().map_or((u, 1.0), |law| law.with_slope(u));
        let (point, velocity) = self.outline.moving(share.clamp(0.0, 1.0));
        (point, velocity * speed)
    }

    /// Whether its acceleration has a jump at the middle one of three places: where a line goes over into an arc, or its
    /// speed begins to change.
    fn bends_at_once(&self, [before, at, after]: [f64; 3]) -> bool {
        let velocity = |u: f64| self.moving(u).1;
        // Of the velocity on either side, a little off the place itself, where it may be either side's.
        let acceleration = |step: f64| (velocity(at + 2.0 * step) - velocity(at + step)) / step;
        let jump = acceleration(BESIDE * (after - at)) - acceleration(BESIDE * (before - at));
        jump.norm() * (at - before).min(after - at) > BENDS * velocity(at).norm()
    }

    /// Parameters at which it is less smooth than a cubic spline.
    fn rough(&self) -> Vec<f64> {
        let joints = self.outline.joints();
        let shares = self.outline.rough().into_iter().chain(joints[1..joints.len() - 1].iter().copied());
        let by_law = |share: f64| {
            self.law.as_ref().map_or(share, |law| geometry::bisect(0.0, 1.0, |u| law.at(u) < share))
        };
        shares.map(by_law).collect()
    }
}

/// The rows as they are, if the skin through them is smooth wherever the sections are.
fn exact(column: &Column, straight: bool, tolerance: &Tolerance) -> Result<Option<Fitted>, GeometryError> {
    let pieces = column.chains[0].len();
    let mut made = Fitted { faces: Vec::with_capacity(pieces), max_deviation: 0.0 };
    for k in 0..pieces {
        let parts: Vec<NurbsCurve> = column.chains.iter().map(|chain| chain[k].clone()).collect();
        let (mut rows, deviation) = compatible_within(&parts, SHARE_OF_FIT * tolerance.fit)?;
        // Weights are free up to a factor; neighbours share that of their joint.
        for (i, row) in rows.iter_mut().enumerate() {
            let before = made.faces.last().and_then(|rows: &Vec<NurbsCurve>| rows[i].homogeneous().last());
            let factor = before.map_or(1.0, |last| last.w) / row.homogeneous()[0].w;
            let points = row.homogeneous().iter().map(|h| h * factor).collect();
            *row = NurbsCurve::from_homogeneous(row.knots().clone(), points)?;
        }
        made.faces.push(rows);
        made.max_deviation = made.max_deviation.max(deviation);
    }
    let solid: Vec<usize> = (0..column.chains.len()).filter(|&i| !is_point(&column.chains[i])).collect();
    let of = |rows: &Vec<NurbsCurve>| solid.iter().map(|&i| rows[i].clone()).collect::<Vec<_>>();
    let faces: Vec<Vec<NurbsCurve>> = made.faces.iter().map(of).collect();
    let weighted = straight || faces.iter().all(|rows| weights_agree(rows));
    let inside = faces.iter().all(|rows| flows_inside(rows, straight));
    let across = faces.windows(2).all(|w| flows(&leaving(&w[0]), &entering(&w[1]), straight));
    let around = !column.ring || {
        let (first, last) = (&faces[0], &faces[pieces - 1]);
        let round = |(a, b): (&NurbsCurve, &NurbsCurve)| {
            let (start, [.., end]) = (a.homogeneous()[0].w, b.homogeneous()) else { return false };
            (start - end.w).abs() <= SAME_WEIGHT * start
        };
        first.iter().zip(last).all(round) && flows(&leaving(last), &entering(first), straight)
    };
    if !(weighted && inside && across && around) {
        return Ok(None);
    }
    made.faces = made.faces.into_iter().map(points_weighted).collect::<Result<_, _>>()?;
    Ok(Some(made))
}

/// Whether weights do not change from row to row, so that whatever is interpolated between them stays positive and every
/// row is blended like every other.
fn weights_agree(rows: &[NurbsCurve]) -> bool {
    let first = rows[0].homogeneous();
    rows.iter().all(|r| {
        let same = |(a, b): (&Homogeneous, &Homogeneous)| (a.w - b.w).abs() <= SAME_WEIGHT * b.w.abs();
        r.homogeneous().iter().zip(first).all(same)
    })
}

/// A place of a row and the derivative with which it is left or reached, both homogeneous.
type Side = (Homogeneous, Homogeneous);

fn entering(rows: &[NurbsCurve]) -> Vec<Side> {
    rows.iter().map(|r| (r.homogeneous()[0], leg(r, 0))).collect()
}

fn leaving(rows: &[NurbsCurve]) -> Vec<Side> {
    rows.iter()
        .map(|r| r.homogeneous().len() - 1)
        .zip(rows)
        .map(|(n, r)| (r.homogeneous()[n], leg(r, n - 1)))
        .collect()
}

/// The derivative's control point between two of the row's own.
fn leg(row: &NurbsCurve, i: usize) -> Homogeneous {
    let (p, knots, points) = (row.degree(), row.knots().knots(), row.homogeneous());
    (points[i + 1] - points[i]) * (p as f64 / (knots[i + p + 1] - knots[i + 1]))
}

fn flows_inside(rows: &[NurbsCurve], straight: bool) -> bool {
    let (p, knots) = (rows[0].degree(), rows[0].knots());
    let distinct = knots.distinct();
    let kinks = distinct[1..distinct.len() - 1].iter().filter(|(_, count)| *count >= p);
    kinks.map(|(t, _)| knots.span(*t) - p).all(|i| {
        let sides = |k: usize| rows.iter().map(|r| (r.homogeneous()[i], leg(r, k))).collect::<Vec<_>>();
        flows(&sides(i - 1), &sides(i), straight)
    })
}

/// Whether a skin through rows is smooth where all of them are joined: on the far side every row goes on as fast as on the
/// near one, up to one factor for all, and its weight grows by one share more for all. The skin's derivative then has that
/// factor too. Between straight rulings weights are free: they only move places along them.
fn flows(near: &[Side], far: &[Side], straight: bool) -> bool {
    let in_space = |(at, d): &Side| {
        let place = at.xyz() / at.w;
        ((d.xyz() - place * d.w) / at.w, d.w / at.w)
    };
    let pairs: Vec<_> = near.iter().zip(far).map(|(a, b)| (in_space(a), in_space(b))).collect();
    let longest = pairs.iter().max_by(|a, b| a.0.0.norm().total_cmp(&b.0.0.norm()));
    let Some(((a, wa), (b, wb))) = longest.filter(|p| p.0.0.norm() > 0.0) else { return false };
    let factor = b.norm() / a.norm();
    let share = wb - factor * wa;
    pairs.iter().all(|((a, wa), (b, wb))| {
        (b - a * factor).norm() <= AGREE * b.norm().max(factor * a.norm())
            && (straight || (wb - factor * wa - share).abs() <= AGREE * (1.0 + share.abs()))
    })
}

/// Rows of which the first or the last may be a point: that takes over the weights of the one next to it, so that the
/// weights do not change on the way there.
pub(crate) fn points_weighted(mut rows: Vec<NurbsCurve>) -> Result<Vec<NurbsCurve>, GeometryError> {
    let last = rows.len() - 1;
    for (own, next) in [(0, 1), (last, last.saturating_sub(1))] {
        let at = rows[own].start();
        if own != next && is_point(&rows[own..=own]) {
            let weights = rows[next].weights();
            let tip = vec![at; weights.len()];
            rows[own] = NurbsCurve::try_new(rows[next].knots().clone(), &tip, Some(&weights))?;
        }
    }
    Ok(rows)
}
