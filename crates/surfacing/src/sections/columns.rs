//! Sections divided alike: between the lines from their corners every section has its part.

use geometry::{NurbsCurve, Point3, Tolerance};

use super::corners::{Line, Meets, lines};
use super::outline::Outline;
use super::pose::{Pose, facing_in_turn};
use super::rows::is_point;
use super::sighted::Sighted;

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
    /// Paired piece by piece, of which all sections have as many.
    fn of_pairs(chains: Vec<Vec<NurbsCurve>>, ring: bool) -> Self {
        let links = |chain: &Vec<NurbsCurve>| (0..chain.len()).collect();
        Self { links: chains.iter().map(links).collect(), chains, ring }
    }

    /// Paired as a whole.
    fn whole(chains: Vec<Vec<NurbsCurve>>, ring: bool) -> Self {
        Self { links: vec![vec![0]; chains.len()], chains, ring }
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
/// corner of one divides all; of others too every corner divides all, at a corner of theirs or where they are smooth.
pub(super) fn columns_by_themselves(
    runs: &[&Vec<NurbsCurve>],
    closed: bool,
    tolerance: &Tolerance,
) -> Vec<Column> {
    let outlines: Vec<Outline<'_>> = runs.iter().map(|run| Outline::new(run)).collect();
    let corners: Vec<Vec<bool>> = outlines.iter().map(|o| o.corners(closed)).collect();
    let count = runs[0].len();
    // What was cut to begin alike has one piece more than was drawn.
    let cut = closed && outlines.iter().any(Outline::begins_inside_a_piece);
    if !cut && runs.iter().all(|run| run.len() == count) {
        let hard = |k: usize| corners.iter().any(|c| c[k % count]);
        let mut ends: Vec<usize> = std::iter::once(0).chain((1..count).filter(|&k| hard(k))).collect();
        // Where any has corners, all begin at one.
        let ring = closed && !hard(0);
        ends.push(count);
        let between =
            |w: &[usize]| Column::of_pairs(runs.iter().map(|run| run[w[0]..w[1]].to_vec()).collect(), ring);
        return ends.windows(2).map(between).collect();
    }
    let poses = facing_in_turn(outlines.iter().map(|o| Pose::of(o, closed)));
    let lines = lines(&Sighted::all(&outlines, &poses, closed));
    let ring = closed && corners.iter().all(|c| !c.contains(&true));
    let divided: Vec<Vec<f64>> = (0..runs.len()).map(|i| division(i, runs.len(), &lines)).collect();
    (0..=lines.len())
        .map(|k| {
            let chains = outlines.iter().zip(&divided).map(|(outline, shares)| {
                let from = k.checked_sub(1).map_or(0.0, |k| shares[k]);
                let to = shares.get(k).copied().unwrap_or(1.0);
                if to > from { outline.part(from, to, tolerance) } else { vec![point(outline.point(from))] }
            });
            Column::whole(chains.collect(), ring)
        })
        .filter(|column| !column.chains.iter().all(|chain| is_point(chain)))
        .collect()
}

fn point(at: Point3) -> NurbsCurve {
    NurbsCurve::line(at, at)
}

/// Shares of section `i`'s length, rising, at which it meets the lines. At an end of the loft several may be one, into which
/// what runs between them narrows.
fn division(i: usize, sections: usize, lines: &[Line]) -> Vec<f64> {
    let is_end = i == 0 || i + 1 == sections;
    let mut out: Vec<f64> = Vec::with_capacity(lines.len());
    // Those that lie between two corners.
    let mut between: Vec<f64> = Vec::new();
    for meets in lines.iter().map(|line| line[i]).chain([Meets::Corner(1.0)]) {
        match meets {
            Meets::Smooth(share) => between.push(share),
            Meets::Corner(share) => {
                let from = out.last().copied().unwrap_or(0.0);
                out.extend(spread(std::mem::take(&mut between), [from, share], is_end));
                out.push(share);
            }
        }
    }
    out.truncate(lines.len());
    out
}

/// Shares moved as little as can be until each lies after the one before it by as much as it must: those that stand too close
/// go apart about their middle (isotonic regression by pooling adjacent violators; Barlow et al., 1972). Where it may narrow,
/// they are one, or one with what they lie beside.
fn spread(shares: Vec<f64>, [from, to]: [f64; 2], may_narrow: bool) -> Vec<f64> {
    let count = shares.len();
    if count == 0 {
        return shares;
    }
    let gap = if may_narrow { 0.0 } else { NARROWEST.min((to - from) / (count + 1) as f64) };
    // Groups of shares less their gaps: their sum, and how many there are.
    let mut groups: Vec<(f64, usize)> = Vec::new();
    for (k, share) in shares.iter().enumerate() {
        groups.push((share - gap * k as f64, 1));
        while let [.., (a, n), (b, m)] = groups[..]
            && a / n as f64 > b / m as f64
        {
            groups.truncate(groups.len() - 2);
            groups.push((a + b, n + m));
        }
    }
    let free = groups.into_iter().flat_map(|(sum, n)| std::iter::repeat_n(sum / n as f64, n));
    let (low, high) = (from + gap, to - gap * count as f64);
    let mut out: Vec<f64> =
        free.enumerate().map(|(k, s)| s.clamp(low, high.max(low)) + gap * k as f64).collect();
    if may_narrow {
        for share in &mut out {
            match () {
                () if *share - from < NARROWEST => *share = from,
                () if to - *share < NARROWEST => *share = to,
                () => {}
            }
        }
        // Those beside each other meet in their middle.
        let mut begin = 0;
        for k in 1..=count {
            if k == count || out[k] - out[k - 1] >= NARROWEST {
                let ends = [out[begin], out[k - 1]];
                let middle = if ends.contains(&from) {
                    from
                } else if ends.contains(&to) {
                    to
                } else {
                    out[begin..k].iter().sum::<f64>() / (k - begin) as f64
                };
                out[begin..k].fill(middle);
                begin = k;
            }
        }
    }
    out
}
