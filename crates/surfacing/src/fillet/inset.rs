//! Edges copied inward on their face.

use std::collections::BTreeSet;

use geometry::{Domain, NurbsCurve, Point3, Tolerance, closest_on_curve};
use topology::{EdgeId, Shell};

use super::solve::solve;
use super::track::{at_distance, longer};
use super::{FARTHER, Measured};
use crate::SurfacingError;
use crate::chain::chain_orders;
use crate::ground::Ground;
use crate::side::Side;
use crate::straightest::straightest;
use crate::strip::{Along, Cross, WITH_TANGENTS};

/// An edge of a face, run on at its ends, with the face beside it.
struct Beside<'a> {
    guide: NurbsCurve,
    own: Domain,
    ground: &'a Ground,
    pcurve: NurbsCurve,
    shell: &'a Shell,
    face: usize,
    place: [usize; 2],
    distance: f64,
    measured: Measured,
}

impl Beside<'_> {
    /// The place of the face at the distance from the edge, square to it.
    fn place(&self, t: f64) -> Option<Point3> {
        let within = self.own.clamp(t);
        let face = &self.shell.faces()[self.face];
        let side = Side::new(face, &face.loops[self.place[0]].edges[self.place[1]], within)?;
        let p = self.pcurve.point(within);
        if self.measured == Measured::Along {
            let foot = self.ground.nearest([p.x, p.y], &self.guide.point(t))?;
            return Some(self.ground.point(straightest(self.ground, foot, -side.out, self.distance)?));
        }
        let near = self.ground.moved([p.x, p.y], &(-side.out * self.distance));
        let along = self.guide.tangent(t)?;
        Some(at_distance(self.ground, self.guide.point(t), along, self.distance, near)?.point)
    }
}

/// Edges of one face copied inward on it, each chain of them by itself: at a distance in millimetres that is measured straight or
/// along the face, square to the edge. At corners the copies end where they meet.
///
/// # Errors
/// `NoSize`; `FilletFree` for an edge that is none of the face's; `FilletTooLarge` where the face has no place so far in.
pub fn inset_edges(
    shell: &Shell,
    face: usize,
    edges: &BTreeSet<EdgeId>,
    distance: f64,
    measured: Measured,
    tolerance: &Tolerance,
) -> Result<Vec<Vec<NurbsCurve>>, SurfacingError> {
    if distance.is_nan() || distance <= tolerance.resolution {
        return Err(SurfacingError::NoSize { size: distance });
    }
    let own = &shell.faces()[face];
    let margin = FARTHER * distance;
    let ground = Ground::new(own, margin);
    let mut all = Vec::with_capacity(edges.len());
    for &edge in edges {
        let Some(curve) = &shell.edge(edge).curve else { continue };
        let uses = own
            .loops
            .iter()
            .enumerate()
            .flat_map(|(l, b)| b.edges.iter().enumerate().map(move |(k, u)| ([l, k], u)));
        let found = uses.clone().find(|(_, u)| u.edge == edge);
        let none = || SurfacingError::FilletFree { at: curve.point(curve.domain().at(0.5)).into() };
        let (place, used) = found.ok_or_else(none)?;
        all.push(Beside {
            guide: longer(curve, margin),
            own: curve.domain(),
            ground: &ground,
            pcurve: used.pcurve.clone(),
            shell,
            face,
            place,
            distance,
            measured,
        });
    }
    let curves: Vec<NurbsCurve> = edges.iter().filter_map(|e| shell.edge(*e).curve.clone()).collect();
    let mut out = Vec::new();
    for order in chain_orders(&curves, tolerance) {
        let count = order.len();
        let ends = |(i, back): (usize, bool)| {
            if back { (all[i].own.end, all[i].own.start) } else { (all[i].own.start, all[i].own.end) }
        };
        let far = |k: usize, first: bool| {
            let (start, end) = ends(order[k]);
            all[order[k].0].guide.point(if first { start } else { end })
        };
        let closed = (far(0, true) - far(count - 1, false)).norm() <= tolerance.join;
        // From where to where each copy runs, by its guide's parameter.
        let mut parts: Vec<[f64; 2]> = order.iter().map(|o| ends(*o)).map(|(a, b)| [a, b]).collect();
        for k in 0..count {
            let next = (k + 1) % count;
            if (next == 0 && !closed) || (count == 1) {
                continue;
            }
            let (a, b) = (&all[order[k].0], &all[order[next].0]);
            let (t, s) = (parts[k][1], parts[next][0]);
            let too_far =
                || SurfacingError::FilletTooLarge { size: distance, at: a.guide.point(t).into(), fits: None };
            // Beyond a corner the copies of its two edges cross; the nearest place of one to the other's end leads there.
            let off = |x: &[f64; 2]| Some(a.place(x[0])? - b.place(x[1])?);
            let guess = |own: &Beside<'_>, other: &Beside<'_>, at: f64| {
                other.place(at).map(|p| closest_on_curve(&own.guide, &p).parameter)
            };
            let from = [guess(a, b, s).unwrap_or(t), guess(b, a, t).unwrap_or(s)];
            let found = solve(from, [a.guide.domain(), b.guide.domain()], &off);
            let ([t, s], _) = found.filter(|f| f.1 <= tolerance.join).ok_or_else(too_far)?;
            (parts[k][1], parts[next][0]) = (t, s);
        }
        let mut run = Vec::with_capacity(count);
        for (k, &(i, back)) in order.iter().enumerate() {
            let beside = &all[i];
            let [a, b] = parts[k];
            let too_far = |t: f64| SurfacingError::FilletTooLarge {
                size: distance,
                at: beside.guide.point(t).into(),
                fits: None,
            };
            if (a < b) == back {
                return Err(too_far(a));
            }
            let guide = beside.guide.part(a.min(b), a.max(b));
            let cross = |t: f64| {
                let place = beside.place(t).ok_or_else(|| too_far(t))?;
                Ok(Cross { poles: vec![(place, 1.0), (beside.guide.point(t), 1.0)], feet: Vec::new() })
            };
            let along = Along {
                guide: &guide,
                cross: &cross,
                ground: &|_, _| Point3::origin(),
                even: true,
                follows: WITH_TANGENTS,
                borders: [Some(guide.domain()); 2],
                folds: &too_far,
            };
            let copy = along.strip(tolerance)?.surface.curve_at_v(0.0);
            run.push(if back { copy.reversed() } else { copy });
        }
        // Places found twice are one.
        for k in 0..count {
            let next = (k + 1) % count;
            if count > 1 && (next != 0 || closed) {
                let middle = nalgebra::center(&run[k].end(), &run[next].start());
                run[k] = run[k].with_ends(None, Some(middle));
                run[next] = run[next].with_ends(Some(middle), None);
            }
        }
        out.push(run);
    }
    Ok(out)
}
