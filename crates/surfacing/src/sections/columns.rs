//! Sections divided alike: between the corners of the richest one every section has its part.

use geometry::{NurbsCurve, Point3, Tolerance, Vector3};

use super::outline::Outline;
use super::pose::{Pose, facing_in_turn};

/// Places, besides its joints and their middles, at which a section may be divided.
const PLACES: usize = 64;
/// Share of a section's length below which a part of it is none.
pub(super) const NARROWEST: f64 = 2e-3;

/// What runs between two corners: for each section the pieces, each smoothly into the next.
#[derive(Debug, Clone)]
pub(super) struct Column {
    pub chains: Vec<Vec<NurbsCurve>>,
    /// For each section the pieces with which what is paired begins.
    pub links: Vec<Vec<usize>>,
    /// Whether it closes on itself without a corner.
    pub ring: bool,
}

impl Column {
    /// Paired piece by piece, where all sections have as many, else as a whole.
    fn new(chains: Vec<Vec<NurbsCurve>>, ring: bool) -> Self {
        let alike = chains.windows(2).all(|w| w[0].len() == w[1].len());
        let links = |chain: &Vec<NurbsCurve>| if alike { (0..chain.len()).collect() } else { vec![0] };
        Self { links: chains.iter().map(links).collect(), chains, ring }
    }

    /// Whether the pieces of all sections pair up one by one.
    pub fn pairs_up(&self) -> bool {
        self.chains.iter().zip(&self.links).all(|(chain, links)| chain.len() == links.len())
    }

    /// Goes on with what follows it.
    pub fn go_on(&mut self, next: &Self) {
        let own = self.chains.iter_mut().zip(&mut self.links);
        for ((chain, links), (onward, more)) in own.zip(next.chains.iter().zip(&next.links)) {
            links.extend(more.iter().map(|k| chain.len() + k));
            chain.extend(onward.iter().cloned());
        }
    }

    /// Puts in a section that is a point.
    pub fn insert_point(&mut self, section: usize, at: Point3) {
        let pieces = self.links.first().map_or(1, Vec::len);
        self.chains.insert(section, vec![point(at); pieces]);
        self.links.insert(section, (0..pieces).collect());
    }
}

/// The columns of sections as they are divided by themselves. Sections of as many pieces pair up piece by piece, and a
/// corner of one divides all; others are divided where the one with the most corners has them.
pub(super) fn columns_by_themselves(
    runs: &[&Vec<NurbsCurve>],
    closed: bool,
    tolerance: &Tolerance,
) -> Vec<Column> {
    let outlines: Vec<Outline<'_>> = runs.iter().map(|run| Outline::new(run)).collect();
    let corners: Vec<Vec<bool>> = outlines.iter().map(|o| o.corners(closed)).collect();
    let count = runs[0].len();
    if runs.iter().all(|run| run.len() == count) {
        let hard = |k: usize| corners.iter().any(|c| c[k % count]);
        let mut ends: Vec<usize> = std::iter::once(0).chain((1..count).filter(|&k| hard(k))).collect();
        // Where any has corners, all begin at one.
        let ring = closed && !hard(0);
        ends.push(count);
        let between =
            |w: &[usize]| Column::new(runs.iter().map(|run| run[w[0]..w[1]].to_vec()).collect(), ring);
        return ends.windows(2).map(between).collect();
    }
    let inner = |i: usize| -> Vec<f64> {
        (1..runs[i].len()).filter(|&k| corners[i][k]).map(|k| outlines[i].joints()[k]).collect()
    };
    let inners: Vec<Vec<f64>> = (0..runs.len()).map(inner).collect();
    let most = inners.iter().map(Vec::len).max().unwrap_or(0);
    let ring = closed && most == 0 && corners.iter().all(|c| !c[0]);
    let poses = facing_in_turn(outlines.iter().map(|o| Pose::of(o, closed)));
    let seen = |i: usize, shares: &[f64]| -> Vec<Vector3> {
        shares.iter().map(|&s| poses[i].seen(&outlines[i].point(s))).collect()
    };
    let rich: Vec<usize> = (0..runs.len()).filter(|&i| inners[i].len() == most).collect();
    let last = runs.len() - 1;
    let divided: Vec<Vec<f64>> = (0..runs.len())
        .map(|i| {
            if inners[i].len() == most {
                return inners[i].clone();
            }
            // Between the richest ones on both sides, the nearer one the more, so that the order does not count.
            let before = rich.iter().copied().rfind(|k| *k < i);
            let after = rich.iter().copied().find(|k| *k > i);
            let marks = match (before, after) {
                (Some(a), Some(b)) => {
                    let share = (i - a) as f64 / (b - a) as f64;
                    let pairs = seen(a, &inners[a]).into_iter().zip(seen(b, &inners[b]));
                    pairs.map(|(p, q)| p * (1.0 - share) + q * share).collect()
                }
                (Some(k), None) | (None, Some(k)) => seen(k, &inners[k]),
                (None, None) => Vec::new(),
            };
            division(&outlines[i], &inners[i], &poses[i], &marks, i == 0 || i == last)
        })
        .collect();
    (0..=most)
        .map(|k| {
            let chains = outlines.iter().zip(&divided).map(|(outline, shares)| {
                let from = k.checked_sub(1).map_or(0.0, |k| shares[k]);
                let to = shares.get(k).copied().unwrap_or(1.0);
                if to > from { outline.part(from, to, tolerance) } else { vec![point(outline.point(from))] }
            });
            Column::new(chains.collect(), ring)
        })
        .collect()
}

fn point(at: Point3) -> NurbsCurve {
    NurbsCurve::line(at, at)
}

/// Shares of a section's length, rising, that lie nearest to `marks` on the whole, its own corners among them. At an end
/// of the loft two of them may be one corner, into which what runs between them narrows.
fn division(
    outline: &Outline<'_>,
    corners: &[f64],
    pose: &Pose,
    marks: &[Vector3],
    may_narrow: bool,
) -> Vec<f64> {
    if marks.is_empty() {
        return Vec::new();
    }
    let mut places: Vec<f64> = (1..PLACES).map(|k| k as f64 / PLACES as f64).collect();
    places.extend(outline.joints().windows(2).flat_map(|w| [w[0], 0.5 * (w[0] + w[1])]));
    places.retain(|s| *s > NARROWEST && *s < 1.0 - NARROWEST);
    // As many more as there must be at least.
    places.extend((1..=marks.len()).map(|k| k as f64 / (marks.len() + 1) as f64));
    places.retain(|s| corners.iter().all(|c| (c - s).abs() > NARROWEST));
    places.extend(corners);
    places.sort_by(f64::total_cmp);
    places.dedup_by(|b, a| *b - *a < 1e-9);
    let is_corner: Vec<bool> = places.iter().map(|s| corners.contains(s)).collect();
    let seen: Vec<Vector3> = places.iter().map(|&s| pose.seen(&outline.point(s))).collect();
    let (n, m) = (places.len(), marks.len());
    // Cheapest ways: the mark j at the place k, all corners before it used.
    let mut cost = vec![vec![f64::INFINITY; n]; m];
    let mut from = vec![vec![0_usize; n]; m];
    for j in 0..m {
        // The cheapest place for the mark before, since the last corner.
        let mut best: Option<(f64, usize)> = None;
        let mut blocked = false;
        for k in 0..n {
            let before = if j == 0 { if blocked { None } else { Some((0.0, 0)) } } else { best };
            if let Some((until, at)) = before {
                cost[j][k] = until + (seen[k] - marks[j]).norm_squared();
                from[j][k] = at;
            }
            if is_corner[k] {
                (best, blocked) = (None, true);
            }
            if j > 0 && cost[j - 1][k].is_finite() && best.is_none_or(|b| cost[j - 1][k] < b.0) {
                best = Some((cost[j - 1][k], k));
            }
        }
    }
    let last_corner = is_corner.iter().rposition(|c| *c).unwrap_or(0);
    let end = (last_corner..n).min_by(|&a, &b| cost[m - 1][a].total_cmp(&cost[m - 1][b]));
    let Some(mut k) = end.filter(|&k| cost[m - 1][k].is_finite()) else {
        // More corners than marks cannot be; evenly then.
        return (1..=m).map(|j| j as f64 / (m + 1) as f64).collect();
    };
    let mut chosen = vec![0; m];
    for j in (0..m).rev() {
        chosen[j] = k;
        k = from[j][k];
    }
    settled(outline, &places, &is_corner, &chosen, pose, marks, may_narrow)
}

/// The chosen places, those that are no corners moved to where they lie nearest to their marks, so that a small change of
/// a section moves them a little and never by a whole step.
fn settled(
    outline: &Outline<'_>,
    places: &[f64],
    is_corner: &[bool],
    chosen: &[usize],
    pose: &Pose,
    marks: &[Vector3],
    may_narrow: bool,
) -> Vec<f64> {
    let mut shares: Vec<f64> = chosen.iter().map(|&k| places[k]).collect();
    for j in 0..chosen.len() {
        if is_corner[chosen[j]] {
            continue;
        }
        let low = if j == 0 { 0.0 } else { shares[j - 1] };
        let high = shares.get(j + 1).copied().unwrap_or(1.0);
        let reach = 1.0 / PLACES as f64;
        let (from, to) = ((shares[j] - reach).max(low), (shares[j] + reach).min(high));
        // Nearest where the way to the mark is square to the section.
        let along = |s: f64| {
            let (p, d) = outline.moving(s);
            (pose.seen(&p) - marks[j]).dot(&pose.seen(&(pose.middle + d)))
        };
        let nearest = match (along(from) < 0.0, along(to) > 0.0) {
            (true, true) => geometry::bisect(from, to, |s| along(s) < 0.0),
            (true, false) => to,
            _ => from,
        };
        let gap = if may_narrow { 0.0 } else { NARROWEST };
        let found = nearest.clamp(low + gap, (high - gap).max(low + gap));
        let narrow = |end: f64| may_narrow && (found - end).abs() < NARROWEST;
        shares[j] = match () {
            () if narrow(low) => low,
            () if narrow(high) => high,
            () => found,
        };
    }
    shares
}
