//! Places of sections that are joined by hand: where each lies on every section, and the columns between them.

use geometry::{NurbsCurve, Point3, Tolerance, Vector3};

use super::aligned::begun_exactly;
use super::columns::{Column, NARROWEST, columns_by_themselves};
use super::outline::{CORNER, Outline};
use super::pose::{Pose, facing_in_turn};
use super::rows::is_point;
use crate::SurfacingError;

/// Places of a section among which the one nearest to where a pair would meet it is looked for.
const LOOKED_AT: usize = 256;

/// For each section the shares of its length at which pairs meet it, rising in every one; none for points. Closed sections
/// are begun at the first pair, so that its share is zero. A section that has no place of its own in a pair gets the one
/// nearest to where the pair passes, a corner if the pair joins corners.
pub(crate) struct Paired {
    runs: Vec<Vec<NurbsCurve>>,
    shares: Vec<Vec<f64>>,
    closed: bool,
}

impl Paired {
    /// From pairs with a place in space on those sections that have one.
    ///
    /// # Errors
    /// `PairsCross` for pairs that do not come in the same order along all sections.
    pub fn new(
        runs: &[Vec<NurbsCurve>],
        pairs: &[Vec<Option<Point3>>],
        closed: bool,
        tolerance: &Tolerance,
    ) -> Result<Self, SurfacingError> {
        let solid: Vec<usize> = (0..runs.len()).filter(|&i| !runs[i].is_empty()).collect();
        let own: Vec<&[NurbsCurve]> = solid.iter().map(|&i| runs[i].as_slice()).collect();
        let pairs: Vec<Vec<Option<Point3>>> = pairs
            .iter()
            .map(|places| solid.iter().map(|&i| places.get(i).copied().flatten()).collect())
            .filter(|places: &Vec<Option<Point3>>| places.iter().any(Option::is_some))
            .collect();
        let mut shares = shares(&own, &pairs, closed);
        let mut begun: Vec<Vec<NurbsCurve>> = own.iter().map(|run| run.to_vec()).collect();
        if closed && !pairs.is_empty() {
            for (run, shares) in begun.iter_mut().zip(&mut shares) {
                let first = shares[0];
                *run = begun_exactly(run, first, tolerance);
                shares.iter_mut().for_each(|s| *s = (*s - first).rem_euclid(1.0));
            }
        }
        let order = order(&shares, &pairs, &solid, &begun)?;
        let mut shares: Vec<Vec<f64>> =
            shares.iter().map(|s| order.iter().map(|&k| s[k]).collect()).collect();
        shares.iter_mut().for_each(|s| spread(s));
        let mut all = vec![Vec::new(); runs.len()];
        let mut by_run = vec![Vec::new(); runs.len()];
        for ((&i, run), shares) in solid.iter().zip(begun).zip(shares) {
            (all[i], by_run[i]) = (run, shares);
        }
        Ok(Self { runs: all, shares: by_run, closed })
    }

    /// The columns of sections between the pairs, each divided as it would be by itself; where none of them has a corner,
    /// one column goes on through the pair. Points, without pieces, are left out.
    pub(super) fn columns(&self, tolerance: &Tolerance) -> Vec<Column> {
        let solid: Vec<usize> = (0..self.runs.len()).filter(|&i| !self.runs[i].is_empty()).collect();
        let Some(&first) = solid.first() else { return Vec::new() };
        if self.shares[first].is_empty() {
            let runs: Vec<&Vec<NurbsCurve>> = solid.iter().map(|&i| &self.runs[i]).collect();
            return columns_by_themselves(&runs, self.closed, tolerance);
        }
        let parts = |i: usize| -> Vec<Vec<NurbsCurve>> {
            let outline = Outline::new(&self.runs[i]);
            let mut ends = vec![0.0];
            ends.extend(self.shares[i].iter().filter(|s| **s > 0.0));
            ends.push(1.0);
            ends.windows(2).map(|w| outline.part(w[0], w[1], tolerance)).collect()
        };
        let divided: Vec<Vec<Vec<NurbsCurve>>> = solid.iter().map(|&i| parts(i)).collect();
        let columns = (0..divided[0].len()).flat_map(|k| {
            let runs: Vec<&Vec<NurbsCurve>> = divided.iter().map(|parts| &parts[k]).collect();
            columns_by_themselves(&runs, false, tolerance)
        });
        joined(columns.collect(), self.closed)
    }
}

/// By section the share of each pair, known or found.
fn shares(runs: &[&[NurbsCurve]], pairs: &[Vec<Option<Point3>>], closed: bool) -> Vec<Vec<f64>> {
    let outlines: Vec<Outline<'_>> = runs.iter().map(|run| Outline::new(run)).collect();
    let known: Vec<Vec<Option<f64>>> = outlines
        .iter()
        .enumerate()
        .map(|(i, o)| pairs.iter().map(|places| places[i].map(|at| o.share_of(&at))).collect())
        .collect();
    if known.iter().flatten().all(Option::is_some) {
        return known.into_iter().map(|own| own.into_iter().flatten().collect()).collect();
    }
    let poses = facing_in_turn(outlines.iter().map(|o| Pose::of(o, closed)));
    let corners: Vec<Vec<f64>> = outlines.iter().map(|o| o.corner_shares(closed)).collect();
    let at_corner = |i: usize, share: f64| corners[i].iter().any(|c| (c - share).abs() < NARROWEST);
    let found = |i: usize, k: usize| -> f64 {
        if let Some(share) = known[i][k] {
            return share;
        }
        let before = (0..i).rev().find_map(|j| Some((j, known[j][k]?)));
        let after = (i + 1..runs.len()).find_map(|j| Some((j, known[j][k]?)));
        let seen = |(j, share): (usize, f64)| poses[j].seen(&outlines[j].point(share));
        let mark = match (before, after) {
            (Some(a), Some(b)) => {
                let share = (i - a.0) as f64 / (b.0 - a.0) as f64;
                seen(a) * (1.0 - share) + seen(b) * share
            }
            (Some(one), None) | (None, Some(one)) => seen(one),
            (None, None) => return 0.0,
        };
        let at_corners = before.into_iter().chain(after).all(|(j, share)| at_corner(j, share));
        nearest(&outlines[i], &poses[i], &mark, if at_corners { &corners[i] } else { &[] })
    };
    (0..runs.len()).map(|i| (0..pairs.len()).map(|k| found(i, k)).collect()).collect()
}

/// The share of a section's length that is seen nearest to a mark, among those that are allowed; of none, among all.
fn nearest(outline: &Outline<'_>, pose: &Pose, mark: &Vector3, allowed: &[f64]) -> f64 {
    let off = |share: f64| (pose.seen(&outline.point(share)) - mark).norm_squared();
    let least = |shares: &mut dyn Iterator<Item = f64>| shares.min_by(|a, b| off(*a).total_cmp(&off(*b)));
    if let Some(share) = least(&mut allowed.iter().copied()) {
        return share;
    }
    let step = 1.0 / LOOKED_AT as f64;
    let share = least(&mut (0..LOOKED_AT).map(|k| k as f64 * step)).unwrap_or(0.0);
    // Between the places: where the way to the mark is square to the section.
    let along = |s: f64| {
        let (p, d) = outline.moving(s);
        (pose.seen(&p) - mark).dot(&pose.seen(&(pose.middle + d)))
    };
    let (from, to) = ((share - step).max(0.0), (share + step).min(1.0));
    if along(from) < 0.0 && along(to) > 0.0 { geometry::bisect(from, to, |s| along(s) < 0.0) } else { share }
}

/// Pairs in the order in which they come along the sections.
fn order(
    shares: &[Vec<f64>],
    pairs: &[Vec<Option<Point3>>],
    solid: &[usize],
    runs: &[Vec<NurbsCurve>],
) -> Result<Vec<usize>, SurfacingError> {
    let given = |i: usize| pairs.iter().filter(|places| places[i].is_some()).count();
    let model = (0..shares.len()).rev().max_by_key(|&i| given(i)).unwrap_or(0);
    let mut order: Vec<usize> = (0..pairs.len()).collect();
    order.sort_by(|&a, &b| shares[model][a].total_cmp(&shares[model][b]));
    for (i, own) in shares.iter().enumerate() {
        let known: Vec<usize> = order.iter().copied().filter(|&k| pairs[k][i].is_some()).collect();
        if let Some(w) = known.windows(2).find(|w| own[w[1]] - own[w[0]] < NARROWEST) {
            let at = Outline::new(&runs[i]).point(own[w[1]]).into();
            let pairs = [w[0].min(w[1]) + 1, w[0].max(w[1]) + 1];
            return Err(SurfacingError::PairsCross { pairs, section: solid[i] + 1, at });
        }
    }
    Ok(order)
}

/// Moves what was found out of order between its neighbours.
fn spread(shares: &mut [f64]) {
    for k in 1..shares.len() {
        let after = shares[k + 1..].iter().copied().find(|s| *s > shares[k - 1]).unwrap_or(1.0);
        if shares[k] <= shares[k - 1] || shares[k] > after {
            shares[k] = 0.5 * (shares[k - 1] + after);
        }
    }
}

/// Columns joined where all sections run smoothly from the one into the next; begun where they do not, if they do not
/// anywhere.
fn joined(columns: Vec<Column>, closed: bool) -> Vec<Column> {
    let smooth = |a: &Column, b: &Column| {
        a.chains.iter().zip(&b.chains).all(|(a, b)| {
            let [.., end] = &a[..] else { return false };
            let turn = end.tangent(end.domain().end).zip(b[0].tangent(b[0].domain().start));
            !is_point(a) && !is_point(b) && turn.is_some_and(|(a, b)| a.angle(&b) <= CORNER)
        })
    };
    let count = columns.len();
    let hard = |k: usize| (!closed && k == 0) || !smooth(&columns[(k + count - 1) % count], &columns[k]);
    let begin = (0..count).find(|&k| hard(k));
    let mut out: Vec<Column> = Vec::new();
    for k in (0..count).map(|k| (k + begin.unwrap_or(0)) % count) {
        match out.last_mut() {
            Some(last) if !hard(k) => last.go_on(&columns[k]),
            _ => out.push(Column { ring: begin.is_none(), ..columns[k].clone() }),
        }
    }
    out
}
