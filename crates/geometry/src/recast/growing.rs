//! The number of control points grown one by one, places brought to where they lie nearest in between.

use super::arms::Way;
use super::least_squares::{EndsKept, Lines, POINTS_FOR_CURVATURE};
use crate::{GeometryError, KnotVector, NurbsCurve, Point3, Vector3, check_work};

/// Rounds in which places move along: for the fewest control points, and for each one more. The same whether or not more
/// follow, so that deviations compare.
const FIRST_ROUNDS: usize = 60;
const ROUNDS: usize = 8;
/// A round that makes the deviation less by no more than this share is the last one.
const WORTH_A_ROUND: f64 = 2e-3;
/// Control points up to which their number grows by one, so that more of them never deviate more.
const BY_ONES: usize = 64;
/// Share of the size within which a fit is exact and needs no more freedom.
const EXACT: f64 = 1e-13;
/// Spans, and no fewer than its degree, that a curve without a seam needs: fewer leave it tangent continuous there only.
const LEAST_RING: usize = 4;

/// What lines have become: control points of each over common knots, and where their places lie.
#[derive(Clone)]
pub(super) struct Recast {
    pub(super) knots: KnotVector,
    pub(super) control: Vec<Vec<Point3>>,
    pub(super) at: Vec<f64>,
    /// Distance between place and curve, the largest of all lines, for each place.
    pub(super) misses: Vec<f64>,
}

impl Recast {
    pub(super) fn worst(&self) -> f64 {
        self.misses.iter().copied().fold(0.0, f64::max)
    }

    pub(super) fn curves(&self) -> Result<Vec<NurbsCurve>, GeometryError> {
        let one = |points: &Vec<Point3>| {
            let net = points.iter().map(|p| p.coords.push(1.0)).collect();
            NurbsCurve::from_homogeneous(self.knots.clone(), net)
        };
        self.control.iter().map(one).collect()
    }

    /// The same with knots put into the spans that miss most, each in the middle of its places.
    fn with_knots(&self, count: usize) -> Result<Self, GeometryError> {
        let mut out = self.clone();
        while out.knots.point_count() < count {
            let breaks = out.knots.breaks();
            let span_of = |t: f64| breaks[1..breaks.len() - 1].partition_point(|b| *b <= t);
            let mut worst = vec![(0.0_f64, 0_usize); breaks.len() - 1];
            for (t, miss) in out.at.iter().zip(&out.misses) {
                let cell = &mut worst[span_of(*t)];
                *cell = (cell.0.max(*miss), cell.1 + 1);
            }
            // A span with few places would leave the next system without a solution.
            let enough = 2 * (out.knots.degree() + 1);
            let chosen = (0..worst.len())
                .filter(|&i| worst[i].1 >= enough)
                .max_by(|&a, &b| worst[a].0.total_cmp(&worst[b].0))
                .or_else(|| (0..worst.len()).max_by_key(|&i| worst[i].1))
                .unwrap_or(0);
            let inside: Vec<f64> = out.at.iter().copied().filter(|t| span_of(*t) == chosen).collect();
            let middle = 0.5 * (breaks[chosen] + breaks[chosen + 1]);
            let median = match inside.len() {
                0 | 1 => middle,
                n => 0.5 * (inside[(n - 1) / 2] + inside[n / 2]),
            };
            let inner = |t: &f64| *t > breaks[chosen] && *t < breaks[chosen + 1];
            let knot = Some(median).filter(inner).unwrap_or(middle);
            let curves = out.curves()?.iter().map(|c| c.with_knot(knot)).collect::<Vec<_>>();
            if curves[0].knots() == &out.knots {
                return Err(GeometryError::TooFewPoints { given: out.at.len(), needed: count });
            }
            out.knots = curves[0].knots().clone();
            out.control = curves.iter().map(NurbsCurve::control_points).collect();
            // Both halves still miss as the whole did; a next knot goes into another one of those that do.
            for (t, miss) in out.at.iter().zip(&mut out.misses) {
                if inner(t) {
                    *miss *= 0.5;
                }
            }
        }
        out.misses.clone_from(&self.misses);
        Ok(out)
    }
}

/// Refuses too few control points, or too low a degree, for curvature to be kept.
fn check_ends(kept: EndsKept, degree: usize, count: usize, needed: usize) -> Result<(), GeometryError> {
    if kept == EndsKept::Curvature && (degree < 2 || count < needed) {
        return Err(GeometryError::NoCurvatureKept { degree, count, needed });
    }
    Ok(())
}

impl Lines {
    fn size(&self) -> f64 {
        let from = self.places[0][0];
        self.places.iter().flatten().map(|p| (p - from).norm()).fold(0.0, f64::max)
    }

    /// Parameters in proportion to the mean length of the lines up to each place.
    fn by_length(&self) -> Result<Vec<f64>, GeometryError> {
        let count = self.places[0].len();
        let mut at = vec![0.0; count];
        for k in 1..count {
            let step: f64 = self.places.iter().map(|line| (line[k] - line[k - 1]).norm()).sum();
            at[k] = at[k - 1] + step;
        }
        let whole = at[count - 1];
        if whole <= f64::MIN_POSITIVE {
            return Err(GeometryError::NoDirection { at: self.places[0][0].into() });
        }
        at.iter_mut().for_each(|t| *t /= whole);
        at[count - 1] = 1.0;
        Ok(at)
    }

    /// Knots each of whose spans holds as many places (equations 9.68 and 9.69).
    fn even_knots(&self, at: &[f64], degree: usize, count: usize) -> Result<KnotVector, GeometryError> {
        let spans = count - degree;
        let place = |share: f64| {
            let k = share * (at.len() - 1) as f64;
            let (low, f) = (k.floor() as usize, k.fract());
            at[low] + f * (at[(low + 1).min(at.len() - 1)] - at[low])
        };
        let mut knots = vec![0.0; degree + 1];
        knots.extend((1..spans).map(|j| place(j as f64 / spans as f64)));
        knots.extend(std::iter::repeat_n(1.0, degree + 1));
        KnotVector::try_new(degree, knots)
    }

    /// A fit with its places moved along, the best of some rounds.
    fn settled(&self, knots: &KnotVector, from: &[f64], seamless: bool, rounds: usize) -> Option<Recast> {
        let mut at = from.to_vec();
        let mut best: Option<Recast> = None;
        let good_enough = EXACT * self.size();
        for _ in 0..rounds {
            let Some(control) = self.fitted(knots, &at, seamless) else { break };
            let mut here = Recast { knots: knots.clone(), control, at, misses: Vec::new() };
            self.bring_to_feet(&mut here).ok()?;
            let (worst, before) = (here.worst(), best.as_ref().map(Recast::worst));
            at = here.at.clone();
            if before.is_none_or(|b| worst < b) {
                best = Some(here);
            }
            if worst <= good_enough || before.is_some_and(|b| worst > b * (1.0 - WORTH_A_ROUND)) {
                break;
            }
        }
        best
    }

    /// Each place's parameter where the lines are nearest to it, and how far off they are there.
    fn bring_to_feet(&self, fit: &mut Recast) -> Result<(), GeometryError> {
        let curves = fit.curves()?;
        // What a line of the surface is off, and its derivatives.
        let off = |each: &[[Vector3; 3]]| -> Vec<[Vector3; 3]> {
            if self.seen.is_empty() {
                return each.to_vec();
            }
            let sum = |shares: &Vec<(usize, f64)>| {
                std::array::from_fn(|d| shares.iter().map(|&(l, share)| each[l][d] * share).sum())
            };
            self.seen.iter().map(sum).collect()
        };
        let looked_at = |k: usize, t: f64| {
            let one = |(c, line): (&NurbsCurve, &Vec<Point3>)| {
                let (p, [d1, d2, _]) = c.derivatives(t);
                [p - line[k], d1, d2]
            };
            let lines = off(&curves.iter().zip(&self.places).map(one).collect::<Vec<_>>());
            let squares = lines.iter().map(|l| l[0].norm_squared());
            let (sum, largest) = squares.fold((0.0, 0.0_f64), |(s, m), q| (s + q, m.max(q)));
            (sum, largest.sqrt(), lines)
        };
        let last = fit.at.len() - 1;
        let before = fit.at.clone();
        fit.misses = vec![0.0; last + 1];
        for k in 0..=last {
            let t = before[k];
            let here = looked_at(k, t);
            fit.misses[k] = here.1;
            if k == 0 || k == last {
                continue;
            }
            let (mut slope, mut bend) = (0.0, 0.0);
            for [r, d1, d2] in &here.2 {
                slope += r.dot(d1);
                bend += d1.norm_squared() + r.dot(d2);
            }
            if bend <= 0.0 {
                continue;
            }
            // Places keep their order.
            let low = 0.5 * (fit.at[k - 1] + t);
            let high = 0.5 * (before[k + 1] + t);
            let foot = (t - slope / bend).clamp(low.max(0.5 * (before[k - 1] + t)), high);
            let there = looked_at(k, foot);
            if there.0 < here.0 {
                (fit.at[k], fit.misses[k]) = (foot, there.1);
            }
        }
        Ok(())
    }

    /// The lines with a number of control points: it grows one by one, each time the better of knots that are put in where
    /// it misses most and of even ones, so that more control points never miss more.
    pub(super) fn recast(&self, degree: usize, count: usize) -> Result<Recast, GeometryError> {
        check_work();
        check_ends(self.kept, degree, count, POINTS_FOR_CURVATURE)?;
        self.check_ways()?;
        let at = self.by_length()?;
        let too_few = GeometryError::TooFewPoints { given: at.len(), needed: count };
        let first_ring = degree + LEAST_RING.max(degree);
        let curvature = self.kept == EndsKept::Curvature;
        if self.ring && curvature {
            // What goes round has no ends; without a seam its curvature goes on.
            check_ends(self.kept, degree, count, first_ring)?;
            return self.grown(&at, degree, [first_ring, count], true).ok_or(too_few);
        }
        let least = if curvature { POINTS_FOR_CURVATURE.max(degree + 1) } else { degree + 1 };
        let most = if self.ring { (first_ring - 1).min(count) } else { count };
        let open = self.grown(&at, degree, [least, most], false).ok_or(too_few)?;
        if !self.ring || count < first_ring {
            return Ok(open);
        }
        // One without a seam takes over where it misses no more than the last one that has a seam.
        let ring = self.grown(&at, degree, [first_ring, count], true);
        match ring {
            Some(ring) if ring.worst() <= open.worst() => Ok(ring),
            _ => open.with_knots(count),
        }
    }

    /// Refuses lines that stand still at an end where curvature is to be kept: they have none there.
    fn check_ways(&self) -> Result<(), GeometryError> {
        if self.kept == EndsKept::Tangents {
            return Ok(());
        }
        let still = |(line, [a, b]): (&Vec<Point3>, &[Way; 2])| {
            let at = [(a, line[0]), (b, line[line.len() - 1])].into_iter().find(|(w, _)| w.stands)?.1;
            Some(GeometryError::NoDirection { at: at.into() })
        };
        self.places.iter().zip(&self.ways).find_map(still).map_or(Ok(()), Err)
    }

    fn grown(&self, at: &[f64], degree: usize, [least, most]: [usize; 2], seamless: bool) -> Option<Recast> {
        let even = |at: &[f64], count: usize, rounds: usize| {
            let knots = self.even_knots(at, degree, count).ok()?;
            self.settled(&knots, at, seamless, rounds)
        };
        let mut best = even(at, least, FIRST_ROUNDS)?;
        let exact = EXACT * self.size();
        let mut count = least;
        while count < most {
            count = if count < BY_ONES { count + 1 } else { (count + count / 16).min(most) };
            let wider = best.with_knots(count).ok()?;
            if best.worst() <= exact {
                best = wider;
                continue;
            }
            let refined = self.settled(&wider.knots, &wider.at, seamless, ROUNDS);
            let evenly = [even(&best.at, count, ROUNDS), even(at, count, ROUNDS)];
            let found = evenly.into_iter().chain([refined]).flatten();
            best = found.fold(wider, |a, b| if b.worst() < a.worst() { b } else { a });
        }
        Some(best)
    }
}
