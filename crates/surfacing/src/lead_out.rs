//! Surfaces led outward from edges, as for a parting surface.

use std::collections::BTreeSet;
use std::sync::Arc;

use geometry::{NurbsCurve, Point3, Tolerance, Vector3};
use topology::{EdgeId, OrientedEdge, Shell, join, natural_shell};

use crate::SurfacingError;
use crate::chain::chain_orders;
use crate::side::Side;
use crate::strip::{Along, Cross, WITH_TANGENTS};

/// Cosine between the ways at a corner below which it is too sharp to share one.
const SHARPEST: f64 = -0.9;
/// Sine of the angle between two tangent planes from which they have one direction in common.
const APART: f64 = 8.7e-3;

/// Which way a surface is led out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum LeadWay {
    /// On along the tangents of the face at the edge.
    Tangent,
    /// Outward, square to a direction of length 1 and to the edge.
    SquareTo(Vector3),
    /// Along a direction of length 1.
    Along(Vector3),
}

/// An edge with the face from which the way leads.
struct Lead<'a> {
    curve: &'a NurbsCurve,
    used: &'a OrientedEdge,
    face: usize,
    /// Whether the chain runs it backwards.
    back: bool,
}

/// The surface led out from edges by `length` mm, chains of them joined; at corners neighbours share their way. Of an edge with
/// two faces the one counts that comes first, or the `other` one.
///
/// # Errors
/// `NoSize`; `LeadOutMeets` where ways run into each other; `NoDirection` where there is no way.
pub fn lead_out(
    shell: &Shell,
    edges: &BTreeSet<EdgeId>,
    way: LeadWay,
    length: f64,
    other: bool,
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    if length.is_nan() || length <= tolerance.resolution {
        return Err(SurfacingError::NoSize { size: length });
    }
    let users = |edge: EdgeId| {
        let uses = shell.faces().iter().enumerate().flat_map(|(f, face)| {
            face.loops.iter().flat_map(|l| &l.edges).filter(|u| u.edge == edge).map(move |u| (f, u))
        });
        let uses: Vec<(usize, &OrientedEdge)> = uses.collect();
        if other { uses.last().copied() } else { uses.first().copied() }
    };
    let known: Vec<(&NurbsCurve, (usize, &OrientedEdge))> =
        edges.iter().filter_map(|e| Some((shell.edge(*e).curve.as_ref()?, users(*e)?))).collect();
    let curves: Vec<NurbsCurve> = known.iter().map(|k| k.0.clone()).collect();
    let mut parts = Vec::with_capacity(curves.len());
    for order in chain_orders(&curves, tolerance) {
        let run: Vec<Lead<'_>> = order
            .iter()
            .map(|&(i, back)| Lead { curve: known[i].0, face: known[i].1.0, used: known[i].1.1, back })
            .collect();
        parts.extend(led(shell, &run, way, length, tolerance)?);
    }
    Ok(join(&parts, tolerance.join)?.shell)
}

/// What is added to the way of an edge so that it shares one at a corner: in space, or for a tangent way along the edge, along
/// the way itself and along the face's normal, so that it stays in the face's tangent plane all along the edge.
#[derive(Debug, Clone, Copy, Default)]
struct Added {
    by: Vector3,
    turns_along: bool,
}

impl Added {
    fn of(lead: &Lead<'_>, way: LeadWay, t: f64, by: Vector3, normal: &Vector3) -> Self {
        match Self::frame(lead, t, normal).filter(|_| way == LeadWay::Tangent) {
            Some(frame) => Self { by: frame.transpose() * by, turns_along: true },
            None => Self { by, turns_along: false },
        }
    }

    /// Columns: along the edge, across it in the face's tangent plane, and the normal.
    fn frame(lead: &Lead<'_>, t: f64, normal: &Vector3) -> Option<nalgebra::Matrix3<f64>> {
        let along = lead.curve.tangent(t)?;
        Some(nalgebra::Matrix3::from_columns(&[along, normal.cross(&along), *normal]))
    }

    fn at(&self, lead: &Lead<'_>, t: f64, normal: &Vector3) -> Vector3 {
        match Self::frame(lead, t, normal) {
            Some(frame) if self.turns_along => frame * self.by,
            _ => self.by,
        }
    }
}

fn folds(at: &Point3) -> SurfacingError {
    SurfacingError::LeadOutMeets { at: (*at).into() }
}

/// The way at a parameter of an edge, and the face's outer normal there.
fn way_at(
    shell: &Shell,
    lead: &Lead<'_>,
    way: LeadWay,
    t: f64,
) -> Result<(Vector3, Vector3), SurfacingError> {
    let at = lead.curve.point(t);
    let side = Side::new(&shell.faces()[lead.face], lead.used, t).ok_or_else(|| folds(&at))?;
    let out = match way {
        LeadWay::Tangent => side.out,
        LeadWay::Along(direction) => direction,
        LeadWay::SquareTo(direction) => {
            let along = lead.curve.tangent(t).ok_or_else(|| folds(&at))?;
            let out = along.cross(&direction).try_normalize(1e-6).ok_or_else(|| folds(&at))?;
            // Away from the face; where that stands along the direction, to the side that its normal is on.
            let toward = if out.dot(&side.out).abs() > 1e-3 { side.out } else { side.normal };
            if out.dot(&toward) < 0.0 { -out } else { out }
        }
    };
    Ok((out, side.normal))
}

fn led(
    shell: &Shell,
    run: &[Lead<'_>],
    way: LeadWay,
    length: f64,
    tolerance: &Tolerance,
) -> Result<Vec<Shell>, SurfacingError> {
    let count = run.len();
    let end_of = |lead: &Lead<'_>, last: bool| {
        let d = lead.curve.domain();
        if last == lead.back { d.start } else { d.end }
    };
    let closed = {
        let (first, last) = (&run[0], &run[count - 1]);
        (first.curve.point(end_of(first, false)) - last.curve.point(end_of(last, true))).norm()
            <= tolerance.join
    };
    // What is added to the way at the chain's corners, before and after each, so that both sides share one.
    let mut added = vec![[Added::default(); 2]; count];
    for k in 0..count {
        let next = (k + 1) % count;
        if (next == 0 && !closed) || matches!(way, LeadWay::Along(_)) {
            continue;
        }
        let (before, after) = (&run[k], &run[next]);
        let ends = [end_of(before, true), end_of(after, false)];
        let (a, normal_a) = way_at(shell, before, way, ends[0])?;
        let (b, normal_b) = way_at(shell, after, way, ends[1])?;
        let too_sharp = || folds(&before.curve.point(ends[0]));
        if a.dot(&b) <= SHARPEST {
            return Err(too_sharp());
        }
        let shared = match normal_a.cross(&normal_b).try_normalize(APART) {
            // The one direction that is tangent on both sides.
            Some(common) if way == LeadWay::Tangent => {
                let out = common.dot(&(a + b));
                let [near, far] = [common.dot(&a) * out.signum(), common.dot(&b) * out.signum()];
                if near.min(far) <= 1.0 + SHARPEST {
                    return Err(too_sharp());
                }
                common * (2.0 / out)
            }
            _ => (a + b) / (1.0 + a.dot(&b)),
        };
        added[k][1] = Added::of(before, way, ends[0], shared - a, &normal_a);
        added[next][0] = Added::of(after, way, ends[1], shared - b, &normal_b);
    }
    let mut out = Vec::with_capacity(count);
    for (lead, added) in run.iter().zip(&added) {
        let d = lead.curve.domain();
        let [start, end] = if lead.back { [&added[1], &added[0]] } else { [&added[0], &added[1]] };
        let cross = |t: f64| {
            let (own, normal) = way_at(shell, lead, way, t)?;
            let share = (t - d.start) / d.length();
            let point = lead.curve.point(t);
            let more = start.at(lead, t, &normal) * (1.0 - share) + end.at(lead, t, &normal) * share;
            let far = point + (own + more) * length;
            Ok(Cross { poles: vec![(point, 1.0), (far, 1.0)], feet: Vec::new() })
        };
        let along = Along {
            guide: lead.curve,
            cross: &cross,
            ground: &|_, _| Point3::origin(),
            even: true,
            follows: WITH_TANGENTS,
            borders: [Some(lead.curve.domain()); 2],
            folds: &|t| folds(&lead.curve.point(t)),
        };
        let made = along.strip(tolerance)?;
        let role = format!("lead-out of {}", shell.faces()[lead.face].role);
        let (_, normal) = way_at(shell, lead, way, d.at(0.5))?;
        let faces_on = made.surface.normal(d.at(0.5), 0.0).is_none_or(|n| n.dot(&normal) >= 0.0);
        let piece = natural_shell(Arc::new(made.surface), &role, tolerance)?;
        out.push(if faces_on { piece } else { piece.flipped() });
    }
    Ok(out)
}
