//! Curves and surfaces recast to a number of control points: least squares in which the places of the source move along
//! the new curve to where they lie nearest to it (Hoschek, Intrinsic parametrization for approximation, CAGD 5, 1988), its
//! ends and the directions in which it leaves them kept, and over the seam of a closed one curvature continuous.

use nalgebra::{DMatrix, Dyn};

use crate::banded::Banded;
use crate::knot_vector::ORDER;
use crate::{
    Fitted, FittedSurface, GeometryError, Homogeneous, KnotVector, MAX_DEGREE, NurbsCurve, NurbsSurface,
    Point3, Vector3, check_work, nearby_on_surface,
};

/// Places of the source for each control point of the recast one, and at least for each of its own spans.
const PLACES_PER_POINT: usize = 8;
const LEAST_PLACES_PER_SPAN: usize = 8;
const LEAST_PLACES: usize = 480;
/// The same for a surface, in either direction.
const SURFACE_PLACES_PER_POINT: usize = 4;
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
/// Angle in radians within which a closed curve is smooth over its seam.
const SMOOTH_SEAM: f64 = 3.5e-3;
/// Spans, and no fewer than its degree, that a curve without a seam needs: fewer leave it tangent continuous there only.
const LEAST_RING: usize = 4;
/// Lines of a surface looked at in each span across, while places move along.
const SEEN_PER_SPAN: usize = 3;
/// Share of the way between two places at which a neighbour's direction is taken where no derivative is known.
const BESIDE: f64 = 1e-3;

/// Curves that are recast together: places of each in the same order, and how each leaves its ends, as vectors into it whose
/// lengths only count against each other.
struct Lines {
    places: Vec<Vec<Point3>>,
    tangents: Vec<[Vector3; 2]>,
    ring: bool,
    /// For lines of control points: lines of the surface that they make, each as a sum of shares of them, at which misses count.
    /// None for lines that count themselves.
    seen: Vec<Vec<(usize, f64)>>,
}

/// Lines of a surface between and at its knots, as shares of its lines of control points, of which `from` come before.
fn seen(across: &KnotVector, from: usize) -> Vec<Vec<(usize, f64)>> {
    let at = across.sampled(SEEN_PER_SPAN);
    let degree = across.degree();
    let shares = |(first, b): (usize, [f64; ORDER])| (0..=degree).map(|i| (from + first + i, b[i])).collect();
    basis_at(across, &at).into_iter().map(shares).collect()
}

/// What lines have become: control points of each over common knots, and where their places lie.
#[derive(Clone)]
struct Recast {
    knots: KnotVector,
    control: Vec<Vec<Point3>>,
    at: Vec<f64>,
    /// Distance between place and curve, the largest of all lines, for each place.
    misses: Vec<f64>,
}

/// How much each control point counts at the places, each with the first one that counts.
type Basis = Vec<(usize, [f64; ORDER])>;

fn basis_at(knots: &KnotVector, at: &[f64]) -> Basis {
    let one = |&t: &f64| {
        let span = knots.span(t);
        (span - knots.degree(), knots.basis(span, t))
    };
    at.iter().map(one).collect()
}

impl Recast {
    fn worst(&self) -> f64 {
        self.misses.iter().copied().fold(0.0, f64::max)
    }

    fn curves(&self) -> Result<Vec<NurbsCurve>, GeometryError> {
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

    /// Whether the directions at the ends are kept: that takes two control points besides those of the ends.
    fn keeps_tangents(knots: &KnotVector) -> bool {
        knots.degree() > 1 && knots.point_count() > 3
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

    /// Control points of least squares for places at given parameters; none where the places do not settle them.
    fn fitted(&self, knots: &KnotVector, at: &[f64], seamless: bool) -> Option<Vec<Vec<Point3>>> {
        check_work();
        if seamless { self.fitted_ring(knots, at) } else { self.fitted_between_ends(knots, at) }
    }

    /// First and last control points are the ends'; the next ones lie on the end tangents, as far out as is best.
    fn fitted_between_ends(&self, knots: &KnotVector, at: &[f64]) -> Option<Vec<Vec<Point3>>> {
        let (degree, count) = (knots.degree(), knots.point_count());
        let basis = basis_at(knots, at);
        let keeps = Self::keeps_tangents(knots);
        let held = 1 + usize::from(keeps);
        let free = count - 2 * held;
        let is_free = |i: usize| i >= held && i < count - held;
        let of = |(from, b): &(usize, [f64; ORDER]), i: usize| {
            if i >= *from && i <= from + degree { b[i - from] } else { 0.0 }
        };
        let mut normal = Banded::new(free, degree);
        for (from, b) in &basis {
            for i in (0..=degree).filter(|i| is_free(from + i)) {
                for j in (0..=degree).filter(|j| is_free(from + j)) {
                    normal.add(from + i - held, from + j - held, b[i] * b[j]);
                }
            }
        }
        let solve = |values: &[Vector3]| -> Option<Vec<Vector3>> {
            let mut system = normal.clone();
            for ((from, b), value) in basis.iter().zip(values) {
                for i in (0..=degree).filter(|i| is_free(from + i)) {
                    system.add_right(from + i - held, value * b[i]);
                }
            }
            system.solve()
        };
        let rest = |values: &[Vector3], solved: &[Vector3]| -> Vec<Vector3> {
            let one = |((from, b), value): (&(usize, [f64; ORDER]), &Vector3)| {
                let inner = (0..=degree).filter(|i| is_free(from + i));
                value - inner.map(|i| solved[from + i - held] * b[i]).sum::<Vector3>()
            };
            basis.iter().zip(values).map(one).collect()
        };
        // What is left of the two control points next to the ends when the inner ones follow them as they like.
        let arms: Vec<Vector3> =
            basis.iter().map(|row| Vector3::new(of(row, 1), of(row, count - 2), 0.0)).collect();
        let followed = if keeps { solve(&arms)? } else { Vec::new() };
        let arms_left = if keeps { rest(&arms, &followed) } else { Vec::new() };
        let fixed = |line: usize, row: &(usize, [f64; ORDER])| {
            let places = &self.places[line];
            let (first, last) = (places[0], places[places.len() - 1]);
            let beside = |i: usize| if keeps { of(row, i) } else { 0.0 };
            first.coords * (of(row, 0) + beside(1)) + last.coords * (of(row, count - 1) + beside(count - 2))
        };
        let values: Vec<Vec<Vector3>> = (0..self.places.len())
            .map(|l| self.places[l].iter().zip(&basis).map(|(p, row)| p.coords - fixed(l, row)).collect())
            .collect();
        let solved = values.iter().map(|v| solve(v)).collect::<Option<Vec<_>>>()?;
        // The same for all lines, so that what lies on a line across them stays on one.
        let arm = if keeps {
            let left: Vec<Vec<Vector3>> = values.iter().zip(&solved).map(|(v, s)| rest(v, s)).collect();
            self.arm_lengths(&arms_left, &left, count)
        } else {
            [0.0; 2]
        };
        let one = |(l, solved): (usize, &Vec<Vector3>)| {
            let (places, tangents) = (&self.places[l], &self.tangents[l]);
            let (first, last) = (places[0], places[places.len() - 1]);
            let reach = [tangents[0] * arm[0], tangents[1] * arm[1]];
            let mut control = vec![first];
            if keeps {
                control.push(first + reach[0]);
            }
            for (k, x) in solved.iter().enumerate() {
                let moved = followed.get(k).map_or_else(Vector3::zeros, |f| reach[0] * f.x + reach[1] * f.y);
                control.push(Point3::from(x - moved));
            }
            if keeps {
                control.push(last + reach[1]);
            }
            control.push(last);
            control
        };
        Some(solved.iter().enumerate().map(one).collect())
    }

    /// How far the control points beside the ends lie out along the tangents, by least squares; never backwards. Round a ring
    /// as far on either side of its seam.
    fn arm_lengths(&self, arms: &[Vector3], left: &[Vec<Vector3>], count: usize) -> [f64; 2] {
        /// Share of an even spacing of control points that is the least.
        const LEAST: f64 = 0.02;
        let length: f64 = self.places.iter().map(|line| path(line)).sum();
        let speed: f64 = self.tangents.iter().map(|t| 0.5 * (t[0].norm() + t[1].norm())).sum();
        let least = LEAST * length / count as f64 / speed.max(f64::MIN_POSITIVE);
        let (mut square, mut right) = ([[0.0; 2]; 2], [0.0; 2]);
        for (left, tangents) in left.iter().zip(&self.tangents) {
            for (arm, left) in arms.iter().zip(left) {
                for i in 0..2 {
                    right[i] += arm[i] * left.dot(&tangents[i]);
                    for j in 0..2 {
                        square[i][j] += arm[i] * arm[j] * tangents[i].dot(&tangents[j]);
                    }
                }
            }
        }
        let together = square[0][0] + square[1][1] + square[0][1] + square[1][0];
        let determinant = square[0][0] * square[1][1] - square[0][1] * square[1][0];
        if self.ring || determinant <= 1e-12 * square[0][0] * square[1][1] {
            let both = (right[0] + right[1]) / together;
            return [if both.is_finite() { both.max(least) } else { least }; 2];
        }
        let alone = |k: usize, other: f64| {
            if square[k][k] > 0.0 { (right[k] - square[k][1 - k] * other) / square[k][k] } else { least }
        };
        let a = (right[0] * square[1][1] - right[1] * square[0][1]) / determinant;
        let b = (right[1] * square[0][0] - right[0] * square[1][0]) / determinant;
        match (a >= least, b >= least) {
            (true, true) => [a, b],
            (false, true) => [least, alone(1, least).max(least)],
            (true, false) => [alone(0, least).max(least), least],
            (false, false) => [least; 2],
        }
    }

    /// The same for lines without a seam: a spline that goes round for ever has as many free control points as spans.
    fn fitted_ring(&self, knots: &KnotVector, at: &[f64]) -> Option<Vec<Vec<Point3>>> {
        let (degree, count) = (knots.degree(), knots.point_count());
        let breaks = knots.breaks();
        let spans = breaks.len() - 1;
        if spans != count - degree {
            return None;
        }
        // Run round far enough that clamped ends do not reach the turn in the middle.
        let round: Vec<f64> = (0..3 * spans)
            .map(|k| breaks[k % spans] + (k / spans) as f64)
            .chain([3.0])
            .map(|t| t - 1.0)
            .collect();
        let long = KnotVector::smooth_pieces(degree, &round);
        // Control point i of the long one, whose own place is in the middle of its knots, stands for i modulo the spans.
        let mut normal = DMatrix::<f64>::zeros(spans, spans);
        let mut right = DMatrix::<f64>::zeros(spans, 3 * self.places.len());
        let basis = basis_at(&long, at);
        for (k, (from, b)) in basis.iter().enumerate() {
            for i in 0..=degree {
                let row = (from + i) % spans;
                for j in 0..=degree {
                    normal[(row, (from + j) % spans)] += b[i] * b[j];
                }
                for (l, places) in self.places.iter().enumerate() {
                    for c in 0..3 {
                        right[(row, 3 * l + c)] += b[i] * places[k][c];
                    }
                }
            }
        }
        let solved = nalgebra::linalg::Cholesky::<f64, Dyn>::new(normal)?.solve(&right);
        let one = |l: usize| {
            let point = |i: usize| {
                let c = |axis: usize| solved[(i % spans, 3 * l + axis)];
                Homogeneous::new(c(0), c(1), c(2), 1.0)
            };
            let net = (0..long.point_count()).map(point).collect();
            let turn = NurbsCurve::from_homogeneous(long.clone(), net).ok()?.part(0.0, 1.0);
            let mut points = turn.control_points();
            let last = points.len() - 1;
            points[last] = points[0];
            (points.len() == count).then_some(points)
        };
        (0..self.places.len()).map(one).collect()
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
    fn recast(&self, degree: usize, count: usize) -> Result<Recast, GeometryError> {
        check_work();
        let at = self.by_length()?;
        let too_few = GeometryError::TooFewPoints { given: at.len(), needed: count };
        let first_ring = degree + LEAST_RING.max(degree);
        let most = if self.ring { (first_ring - 1).min(count) } else { count };
        let open = self.grown(&at, degree, [degree + 1, most], false).ok_or(too_few.clone())?;
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

fn path(places: &[Point3]) -> f64 {
    places.windows(2).map(|w| (w[1] - w[0]).norm()).sum()
}

fn check_form(degree: usize, count: usize) -> Result<(), GeometryError> {
    check_work();
    if !(1..=MAX_DEGREE).contains(&degree) {
        return Err(GeometryError::Degree(degree));
    }
    if count <= degree {
        return Err(GeometryError::TooFewPoints { given: count, needed: degree + 1 });
    }
    Ok(())
}

/// The curve in a form that holds it exactly, where it is none of more control points.
fn in_form(curve: &NurbsCurve, degree: usize, count: usize) -> Option<NurbsCurve> {
    if curve.is_rational() || curve.degree() > degree {
        return None;
    }
    let mut out = curve.elevated_to(degree).ok()?;
    if out.knots().point_count() > count {
        return None;
    }
    while out.knots().point_count() < count {
        out = out.with_knot(out.knots().middle_of_widest_span());
    }
    Some(out)
}

/// The way into a line of places at its start, or where it does not begin at once, to the first place off it.
fn way_in(derivative: &Vector3, mut places: impl Iterator<Item = Point3>) -> Vector3 {
    let Some(first) = places.next() else { return Vector3::zeros() };
    if derivative.norm() > 1e-12 {
        return *derivative;
    }
    places.map(|p| p - first).find(|d| d.norm() > 1e-9).unwrap_or_else(Vector3::zeros)
}

/// The ways into lines at both ends; where they go round without a corner, the same at either end of each.
fn ways_of(mut ways: Vec<[Vector3; 2]>, ring: bool) -> Vec<[Vector3; 2]> {
    if ring {
        ways.iter_mut().for_each(|w| w[1] = -w[0]);
    }
    ways
}

/// Whether lines whose ends are one place each go on there without a corner; those of no length do in any case.
fn goes_round(places: &[Vec<Point3>], tangents: &[[Vector3; 2]]) -> bool {
    let size = places.iter().map(|line| path(line)).fold(0.0, f64::max);
    let meets = |line: &Vec<Point3>| (line[line.len() - 1] - line[0]).norm() <= 1e-9 * size;
    let smooth = |[a, b]: &[Vector3; 2]| a.norm_squared() == 0.0 || a.angle(&-b) < SMOOTH_SEAM;
    places.iter().all(meets) && tangents.iter().all(smooth)
}

/// A curve recast to a number of control points and a degree, with the deviation that it costs: ends and end tangents are
/// kept where it has four control points or more, a closed one that is smooth over its seam stays so. Exact where the curve
/// has such a form; more control points never deviate more.
///
/// # Errors
/// `Degree`; `TooFewPoints` when there are fewer points than the degree needs; `NoDirection` for a curve of no length.
///
/// # References
/// Section 9.4.1; Hoschek, CAGD 5 (1988), for the parameters.
pub fn recast(curve: &NurbsCurve, degree: usize, count: usize) -> Result<Fitted, GeometryError> {
    check_form(degree, count)?;
    if let Some(curve) = in_form(curve, degree, count) {
        return Ok(Fitted { curve, max_deviation: 0.0, converged: true });
    }
    let spans = curve.knots().breaks().len() - 1;
    // As many for all counts up to a limit, so that their deviations compare.
    let per_span = (PLACES_PER_POINT * count).max(LEAST_PLACES).div_ceil(spans).max(LEAST_PLACES_PER_SPAN);
    let mut places: Vec<Point3> = curve.knots().sampled(per_span).iter().map(|&t| curve.point(t)).collect();
    places.dedup_by(|b, a| (*b - *a).norm() < 1e-12);
    let d = curve.domain();
    let tangents = [
        way_in(&curve.derivatives(d.start).1[0], places.iter().copied()),
        way_in(&-curve.derivatives(d.end).1[0], places.iter().rev().copied()),
    ];
    let ring = goes_round(std::slice::from_ref(&places), &[tangents]);
    let fit = Lines { places: vec![places], tangents: ways_of(vec![tangents], ring), ring, seen: Vec::new() }
        .recast(degree, count)?;
    let max_deviation = fit.worst();
    let mut curves = fit.curves()?;
    let curve = curves.pop().ok_or(GeometryError::TooFewPoints { given: 0, needed: count })?;
    Ok(Fitted { curve, max_deviation, converged: true })
}

/// A surface recast in one direction: it, and where each place of the source has come to lie, both in its own domain.
struct RecastAlong {
    surface: NurbsSurface,
    moved: Vec<[f64; 2]>,
}

/// Surfaces side by side recast along u together, so that what they share in u stays shared.
fn along_u(
    surfaces: &[NurbsSurface],
    degree: usize,
    count: usize,
) -> Result<Vec<RecastAlong>, GeometryError> {
    let plain = |s: &NurbsSurface| {
        let fits = s.columns().first().and_then(|c| in_form(c, degree, count));
        (!s.is_rational()).then_some(fits).flatten()
    };
    if surfaces.iter().all(|s| plain(s).is_some()) {
        let one = |s: &NurbsSurface| {
            let columns: Vec<NurbsCurve> =
                s.columns().iter().filter_map(|c| in_form(c, degree, count)).collect();
            let surface = of_columns(&columns, s.knots_v())?;
            let held = s.knots_u().sampled(LEAST_PLACES_PER_SPAN / 2).iter().map(|u| [*u; 2]).collect();
            Ok(RecastAlong { surface, moved: held })
        };
        return surfaces.iter().map(one).collect();
    }
    let spans = surfaces.iter().map(|s| s.knots_u().breaks().len() - 1).max().unwrap_or(1);
    let per_span = (SURFACE_PLACES_PER_POINT * count).div_ceil(spans).max(LEAST_PLACES_PER_SPAN);
    let us: Vec<Vec<f64>> = surfaces.iter().map(|s| s.knots_u().sampled(per_span)).collect();
    if us.iter().any(|u| u.len() != us[0].len()) {
        let at = surfaces[0].control_points()[0].into();
        return Err(GeometryError::NoDirection { at });
    }
    let (mut places, mut tangents) = (Vec::new(), Vec::new());
    for (surface, us) in surfaces.iter().zip(&us) {
        // Each column of control points is a curve along u; where those are kept, so is the surface.
        for column in surface.columns() {
            let line: Vec<Point3> = us.iter().map(|&u| column.point(u)).collect();
            let d = column.domain();
            tangents.push([
                way_in(&column.derivatives(d.start).1[0], line.iter().copied()),
                way_in(&-column.derivatives(d.end).1[0], line.iter().rev().copied()),
            ]);
            places.push(line);
        }
    }
    let ring = goes_round(&places, &tangents);
    let mut before = 0;
    let mut all_seen = Vec::new();
    for surface in surfaces {
        all_seen.extend(seen(surface.knots_v(), before));
        before += surface.knots_v().point_count();
    }
    let tangents = ways_of(tangents, ring);
    let fit = Lines { places, tangents, ring, seen: all_seen }.recast(degree, count)?;
    let mut curves = fit.curves()?.into_iter();
    let one = |(surface, us): (&NurbsSurface, &Vec<f64>)| {
        let d = surface.domain().0;
        let columns: Vec<NurbsCurve> =
            curves.by_ref().take(surface.knots_v().point_count()).map(|c| c.over(d)).collect();
        let moved = us.iter().zip(&fit.at).map(|(u, t)| [*u, d.at(*t)]).collect();
        Ok(RecastAlong { surface: of_columns(&columns, surface.knots_v())?, moved })
    };
    surfaces.iter().zip(&us).map(one).collect()
}

fn of_columns(columns: &[NurbsCurve], across: &KnotVector) -> Result<NurbsSurface, GeometryError> {
    let along = columns[0].knots().clone();
    let net =
        (0..along.point_count()).flat_map(|i| columns.iter().map(move |c| c.homogeneous()[i])).collect();
    NurbsSurface::from_homogeneous(along, across.clone(), net)
}

/// The same for surfaces with weights, which tie both directions together: places of a grid stand for them.
fn from_grid(
    surfaces: &[NurbsSurface],
    degrees: [usize; 2],
    counts: [usize; 2],
) -> Result<Vec<FittedSurface>, GeometryError> {
    let places = |knots: &KnotVector, k: usize| {
        let spans = knots.breaks().len() - 1;
        knots.sampled((SURFACE_PLACES_PER_POINT * counts[k]).div_ceil(spans).max(LEAST_PLACES_PER_SPAN))
    };
    let vs = places(surfaces[0].knots_v(), 1);
    let last = vs.len() - 1;
    // Beside the ends, for the directions in which the rows leave them.
    let beside = [vs[0] + BESIDE * (vs[1] - vs[0]), vs[last] - BESIDE * (vs[last] - vs[last - 1])];
    let (mut rows, mut tangents) = (Vec::new(), Vec::new());
    let (mut along, mut moved_u) = (Vec::new(), Vec::new());
    for surface in surfaces {
        let us = places(surface.knots_u(), 0);
        let all: Vec<f64> = vs.iter().copied().chain(beside).collect();
        let grid = surface.grid(&us, &all);
        let column = |j: usize| grid.iter().skip(j).step_by(all.len()).copied().collect::<Vec<Point3>>();
        let lines: Vec<Vec<Point3>> = (0..all.len()).map(column).collect();
        let d = surface.domain().0;
        let leaves = |line: &Vec<Point3>, v: f64| {
            let [start, end] = [d.start, d.end].map(|u| surface.tangents(u, v).1);
            [way_in(&start, line.iter().copied()), way_in(&-end, line.iter().rev().copied())]
        };
        let ways: Vec<[Vector3; 2]> = lines.iter().zip(&all).map(|(line, &v)| leaves(line, v)).collect();
        let ring = goes_round(&lines, &ways);
        let fit = Lines { places: lines, tangents: ways_of(ways, ring), ring, seen: Vec::new() }
            .recast(degrees[0], counts[0])?;
        for i in 0..counts[0] {
            let row: Vec<Point3> = fit.control[..=last].iter().map(|c| c[i]).collect();
            let way = |k: usize, end: usize| fit.control[last + 1 + k][i] - row[end];
            tangents.push([
                way_in(&way(0, 0), row.iter().copied()),
                way_in(&way(1, last), row.iter().rev().copied()),
            ]);
            rows.push(row);
        }
        moved_u.push(us.iter().zip(&fit.at).map(|(u, t)| [*u, d.at(*t)]).collect::<Vec<_>>());
        along.push(fit.knots.over(d));
    }
    let ring = goes_round(&rows, &tangents);
    let seen = along.iter().enumerate().flat_map(|(k, knots)| seen(knots, k * counts[0])).collect();
    let tangents = ways_of(tangents, ring);
    let fit = Lines { places: rows, tangents, ring, seen }.recast(degrees[1], counts[1])?;
    let d = surfaces[0].domain().1;
    let moved_v: Vec<[f64; 2]> = vs.iter().zip(&fit.at).map(|(v, t)| [*v, d.at(*t)]).collect();
    let mut control = fit.control.iter();
    let one = |((surface, along), moved): ((&NurbsSurface, KnotVector), Vec<[f64; 2]>)| {
        let net = control.by_ref().take(counts[0]).flatten().map(|p| p.coords.push(1.0)).collect();
        let recast = NurbsSurface::from_homogeneous(along, fit.knots.over(d), net)?;
        Ok(compared(surface, recast, [&moved, &moved_v]))
    };
    surfaces.iter().zip(along).zip(moved_u).map(one).collect()
}

/// A recast surface with how far it is from its source: from places of that one, and from those between, to the nearest
/// places near where they have come to lie, and back.
fn compared(source: &NurbsSurface, surface: NurbsSurface, moved: [&[[f64; 2]]; 2]) -> FittedSurface {
    let finer = moved.map(|pairs| {
        let between = |w: &[[f64; 2]]| {
            let at = |f: f64| [0, 1].map(|k| w[0][k] + f * (w[1][k] - w[0][k]));
            [0.0, 0.25, 0.5, 0.75].map(at)
        };
        pairs.windows(2).flat_map(between).chain(pairs.last().copied()).collect::<Vec<_>>()
    });
    let mut max_deviation: f64 = 0.0;
    for [u, to_u] in &finer[0] {
        for [v, to_v] in &finer[1] {
            let place = source.point(*u, *v);
            let here = (surface.point(*to_u, *to_v) - place).norm();
            // What is near enough anyhow is not looked at.
            if here > max_deviation {
                let made = surface.point(*to_u, *to_v);
                let there = nearby_on_surface(&surface, &place, [*to_u, *to_v], here);
                let back = nearby_on_surface(source, &made, [*u, *v], here);
                for nearest in [there, back] {
                    max_deviation = max_deviation.max(nearest.map_or(here, |n| n.distance));
                }
            }
        }
    }
    FittedSurface { surface, max_deviation, converged: true }
}

/// Surfaces side by side, each with its own u, recast to a number of control points and degrees in u and v, so that what
/// they share in v stays shared; corners are kept, and over the seam of a closed and smooth one curvature is continuous.
///
/// # Errors
/// `Degree`; `TooFewPoints` when there are fewer points than a degree needs, or no surface; `NoDirection` for one that has no
/// extent in a direction.
pub fn recast_surfaces(
    surfaces: &[NurbsSurface],
    degrees: [usize; 2],
    counts: [usize; 2],
) -> Result<Vec<FittedSurface>, GeometryError> {
    for (degree, count) in degrees.into_iter().zip(counts) {
        check_form(degree, count)?;
    }
    if surfaces.is_empty() {
        return Err(GeometryError::TooFewPoints { given: 0, needed: 1 });
    }
    if surfaces.iter().any(NurbsSurface::is_rational) {
        return from_grid(surfaces, degrees, counts);
    }
    let in_u = surfaces
        .iter()
        .map(|s| Ok(along_u(std::slice::from_ref(s), degrees[0], counts[0])?.remove(0)))
        .collect::<Result<Vec<_>, GeometryError>>()?;
    let turned: Vec<NurbsSurface> = in_u.iter().map(|r| r.surface.transposed()).collect();
    let in_v = along_u(&turned, degrees[1], counts[1])?;
    let both = surfaces.iter().zip(in_u).zip(in_v);
    Ok(both.map(|((source, u), v)| compared(source, v.surface.transposed(), [&u.moved, &v.moved])).collect())
}

/// A surface recast in both directions, as [`recast_surfaces`].
///
/// # Errors
/// As [`recast_surfaces`].
pub fn recast_surface(
    surface: &NurbsSurface,
    degrees: [usize; 2],
    counts: [usize; 2],
) -> Result<FittedSurface, GeometryError> {
    Ok(recast_surfaces(std::slice::from_ref(surface), degrees, counts)?.remove(0))
}

/// A surface recast in one direction only, u or v; the other one keeps its knots, but for a surface with weights, which tie
/// both together: there it keeps its count and degree.
///
/// # Errors
/// As [`recast_surfaces`].
pub fn recast_surface_along(
    surface: &NurbsSurface,
    is_u: bool,
    degree: usize,
    count: usize,
) -> Result<FittedSurface, GeometryError> {
    check_form(degree, count)?;
    if !is_u {
        let fitted = recast_surface_along(&surface.transposed(), true, degree, count)?;
        return Ok(FittedSurface { surface: fitted.surface.transposed(), ..fitted });
    }
    let v = surface.knots_v();
    if surface.is_rational() {
        return recast_surface(surface, [degree, v.degree()], [count, v.point_count()]);
    }
    let made = along_u(std::slice::from_ref(surface), degree, count)?.remove(0);
    let held: Vec<[f64; 2]> = v.sampled(LEAST_PLACES_PER_SPAN / 2).iter().map(|v| [*v; 2]).collect();
    Ok(compared(surface, made.surface, [&made.moved, &held]))
}
