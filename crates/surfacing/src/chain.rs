use geometry::{NurbsCurve, Point3, Tolerance};

use crate::SurfacingError;
use crate::sections::{corners, cut_at_corners};

/// Curves put in order, end to start.
#[derive(Debug, Clone, PartialEq)]
pub struct Chain {
    /// Index of each curve in the input, and whether it is run backwards.
    pub order: Vec<(usize, bool)>,
    /// Whether the last curve ends where the first begins.
    pub closed: bool,
    /// Largest gap between neighbours, in millimetres.
    pub largest_gap: f64,
}

impl Chain {
    /// The curves that were put in order, each run in the chain's direction.
    #[must_use]
    pub fn run(&self, curves: &[NurbsCurve]) -> Vec<NurbsCurve> {
        run_of(&self.order, curves)
    }
}

/// Curves by their numbers, each with whether it is run backwards.
pub(crate) fn run_of(order: &[(usize, bool)], curves: &[NurbsCurve]) -> Vec<NurbsCurve> {
    let one = |&(i, back): &(usize, bool)| if back { curves[i].reversed() } else { curves[i].clone() };
    order.iter().map(one).collect()
}

/// Whether a run of curves ends where it begins, within the join tolerance.
#[must_use]
pub fn closes(run: &[NurbsCurve], tolerance: &Tolerance) -> bool {
    run.first().zip(run.last()).is_some_and(|(a, b)| (a.start() - b.end()).norm() <= tolerance.join)
}

/// Puts curves in order so that each begins where the one before ends, within the join tolerance. The first curve
/// keeps its direction; a closed chain begins with it, an open one at the loose end that its start leads to.
///
/// # Errors
/// `Empty`, `NotOneChain` with the nearest loose ends, `Branches` where more than two ends meet.
pub fn chain(curves: &[NurbsCurve], tolerance: &Tolerance) -> Result<Chain, SurfacingError> {
    if curves.is_empty() {
        return Err(SurfacingError::Empty);
    }
    let end = |i: usize, last: bool| if last { curves[i].end() } else { curves[i].start() };
    let ends: Vec<(usize, bool)> = (0..curves.len()).flat_map(|i| [(i, false), (i, true)]).collect();
    let at = |p: &Point3| -> Vec<(usize, bool)> {
        ends.iter().copied().filter(|&(i, last)| (end(i, last) - p).norm() <= tolerance.join).collect()
    };
    for &(i, last) in &ends {
        let p = end(i, last);
        let meeting = at(&p);
        if meeting.len() > 2 {
            return Err(SurfacingError::Branches { count: meeting.len(), at: p.into() });
        }
    }
    let partner = |from: (usize, bool)| at(&end(from.0, from.1)).into_iter().find(|&e| e != from);
    // Walk back from the first curve's start to the beginning of the chain, or once round.
    let mut begin = (0, false);
    let mut closed = false;
    for _ in 0..curves.len() {
        match partner(begin) {
            Some((0, true)) => {
                closed = true;
                begin = (0, false);
                break;
            }
            Some((i, last)) => begin = (i, !last),
            None => break,
        }
    }
    let mut order = Vec::new();
    let mut largest_gap: f64 = 0.0;
    let mut here = begin;
    loop {
        order.push(here);
        let exit = (here.0, !here.1);
        match partner(exit) {
            Some(next) if order.len() < curves.len() => {
                largest_gap = largest_gap.max((end(exit.0, exit.1) - end(next.0, next.1)).norm());
                here = next;
            }
            _ => break,
        }
    }
    if order.len() < curves.len() {
        let in_chain = |i: usize| order.iter().any(|o| o.0 == i);
        let mut nearest = (f64::INFINITY, end(0, false));
        for &(i, a) in ends.iter().filter(|e| in_chain(e.0)) {
            for &(j, b) in ends.iter().filter(|e| !in_chain(e.0)) {
                let gap = (end(i, a) - end(j, b)).norm();
                if gap < nearest.0 {
                    nearest = (gap, end(i, a));
                }
            }
        }
        return Err(SurfacingError::NotOneChain { gap: nearest.0, at: nearest.1.into() });
    }
    Ok(Chain { order, closed, largest_gap })
}

/// Curves that run end to end, as one curve for each stretch from corner to corner; a closed chain without a corner is one.
///
/// # Errors
/// As [`chain`].
pub fn smooth_stretches(
    curves: &[NurbsCurve],
    tolerance: &Tolerance,
) -> Result<Vec<NurbsCurve>, SurfacingError> {
    let chain = chain(curves, tolerance)?;
    let mut pieces = cut_at_corners(&chain.run(curves));
    let count = pieces.len();
    let turns = corners(&pieces, chain.closed);
    let corners: Vec<usize> = (0..count).filter(|&k| turns[k] || (k == 0 && !chain.closed)).collect();
    // A closed chain begins at a corner, if it has one.
    let first = corners.first().copied().unwrap_or(0);
    pieces.rotate_left(first);
    let mut ends: Vec<usize> = corners.iter().map(|k| k - first).collect();
    if ends.is_empty() {
        ends.push(0);
    }
    ends.push(count);
    ends.windows(2).map(|w| Ok(NurbsCurve::of_pieces(&pieces[w[0]..w[1]])?)).collect()
}

/// Curves that run end to end as one curve, exact.
pub(crate) fn as_one(curves: &[NurbsCurve], tolerance: &Tolerance) -> Result<NurbsCurve, SurfacingError> {
    Ok(NurbsCurve::of_pieces(&chain(curves, tolerance)?.run(curves))?)
}

/// Puts curves together that run end to end, each group as a chain, in the order of their first curves; where a group
/// branches its curves stay by themselves.
#[must_use]
pub fn chains(curves: &[NurbsCurve], tolerance: &Tolerance) -> Vec<Vec<NurbsCurve>> {
    chain_orders(curves, tolerance).iter().map(|order| run_of(order, curves)).collect()
}

/// The chains of [`chains`] by the numbers of their curves, each with whether it is run backwards.
pub(crate) fn chain_orders(curves: &[NurbsCurve], tolerance: &Tolerance) -> Vec<Vec<(usize, bool)>> {
    let ends = |i: usize| [curves[i].start(), curves[i].end()];
    let touch =
        |a: usize, b: usize| ends(a).iter().any(|p| ends(b).iter().any(|q| (p - q).norm() <= tolerance.join));
    let mut left: Vec<usize> = (0..curves.len()).collect();
    let mut out = Vec::new();
    while !left.is_empty() {
        let mut group = vec![left.remove(0)];
        let mut seen = 0;
        while seen < group.len() {
            let (near, far): (Vec<usize>, Vec<usize>) = left.iter().partition(|&&c| touch(group[seen], c));
            left = far;
            group.extend(near);
            seen += 1;
        }
        let members: Vec<NurbsCurve> = group.iter().map(|&i| curves[i].clone()).collect();
        match chain(&members, tolerance) {
            Ok(chain) => out.push(chain.order.into_iter().map(|(k, back)| (group[k], back)).collect()),
            Err(_) => out.extend(group.into_iter().map(|i| vec![(i, false)])),
        }
    }
    out
}
