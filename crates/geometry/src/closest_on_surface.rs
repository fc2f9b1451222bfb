//! Places of a surface: the nearest to a point, and where a line meets it.
//!
//! Seeds on a grid over every span, then Newton's method (section 6.1, equations 6.4 to 6.6), kept in the domain. That the
//! nearest place is the nearest of all is then confirmed by halving Bézier pieces whose hulls come nearer (branch and
//! bound, as in Ma & Hewitt, Point inversion and projection for NURBS curve and surface, CAGD 20, 2003).

use std::cmp::Ordering;
use std::collections::BinaryHeap;

use nalgebra::Matrix2;

use crate::patch::Patch;
use crate::{NurbsSurface, Point3, Vector2, Vector3, check_work};

const SEEDS_PER_SPAN: usize = 4;
/// Pieces above which it pays to look first which of them are near.
const MANY_PIECES: usize = 16;
const MAX_NEWTON_STEPS: usize = 40;
/// Halvings of a step of Newton's that leads farther off.
const MAX_HALVINGS: i32 = 8;
/// Seeds that are followed; the nearest one need not lead to the nearest place.
const SEEDS_TRIED: usize = 4;
/// Halvings of a piece, both directions counted, after which it is a spot.
const MOST_HALVINGS: usize = 20;
/// Halvings after which a piece that can still be nearer is searched from its middle.
const FOLLOWED_EVERY: usize = 4;
/// Pieces looked at: where the surface is as near all round, as a sphere is to its centre, there is no end to them.
const MOST_PIECES: usize = 2000;
/// Halvings of a piece after which it is taken to be near, and pieces looked at for that.
const TELLING_HALVINGS: usize = 8;
const TELLING_PIECES: usize = 60;
/// Share of a distance within which another one is as near.
const AS_NEAR_SHARE: f64 = 1e-6;

/// Share of a place's coordinates within which two distances are the same but for rounding.
const AS_NEAR: f64 = 1e-12;

/// A place on a surface.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OnSurface {
    /// Parameters u and v.
    pub parameters: [f64; 2],
    /// The place.
    pub point: Point3,
    /// Its distance from what was asked about: a point, or a line, in millimetres.
    pub distance: f64,
    /// Whether Newton's method settled.
    pub converged: bool,
}

/// Parameters of the places to begin from: of a surface of many pieces in those alone that can be nearest to a point.
fn sampled(surface: &NurbsSurface, near: Option<&Point3>) -> (Vec<f64>, Vec<f64>) {
    let (u, v) = (surface.knots_u(), surface.knots_v());
    let near = near.filter(|_| surface.pieces().count() > MANY_PIECES);
    match near.map(|to| surface.pieces().spans_near(to)) {
        Some([in_u, in_v]) if in_u.contains(&true) => {
            (u.sampled_in(|k| in_u[k], SEEDS_PER_SPAN), v.sampled_in(|k| in_v[k], SEEDS_PER_SPAN))
        }
        _ => (u.sampled(SEEDS_PER_SPAN), v.sampled(SEEDS_PER_SPAN)),
    }
}

/// Places of a grid to begin from: the best in every valley, on either side of a seam too, and the best of all, which can
/// be on both sides of a sharp bend.
fn seeds(
    surface: &NurbsSurface,
    (us, vs): (Vec<f64>, Vec<f64>),
    miss: impl Fn(&Point3) -> f64,
) -> Vec<([f64; 2], Point3)> {
    let points = surface.grid(&us, &vs);
    let misses: Vec<f64> = points.iter().map(miss).collect();
    let (m, n) = (us.len(), vs.len());
    let mut lowest: Vec<usize> = (0..m * n)
        .filter(|&k| {
            let (i, j) = (k / n, k % n);
            let rows = i.saturating_sub(1)..=(i + 1).min(m - 1);
            let columns = j.saturating_sub(1)..=(j + 1).min(n - 1);
            rows.into_iter().all(|a| columns.clone().all(|b| misses[k] <= misses[a * n + b]))
        })
        .collect();
    let by_miss = |a: &usize, b: &usize| misses[*a].total_cmp(&misses[*b]);
    lowest.sort_by(by_miss);
    lowest.truncate(SEEDS_TRIED);
    let mut all: Vec<usize> = (0..m * n).collect();
    if all.len() > SEEDS_TRIED {
        all.select_nth_unstable_by(SEEDS_TRIED, by_miss);
        all.truncate(SEEDS_TRIED);
    }
    lowest.extend(all);
    lowest.sort_unstable();
    lowest.dedup();
    lowest.sort_by(by_miss);
    lowest.into_iter().map(|k| ([us[k / n], vs[k % n]], points[k])).collect()
}

/// Follows one seed by `step`, which gives the next change of those parameters that are free; one that would leave the
/// domain is held at its border, and a change that leads farther off is shortened.
fn follow(
    surface: &NurbsSurface,
    start: [f64; 2],
    miss: &impl Fn(&Point3) -> f64,
    step: &impl Fn([f64; 2], [bool; 2]) -> Option<Vector2>,
) -> OnSurface {
    let (du, dv) = surface.domain();
    let place = |parameters: [f64; 2]| {
        let point = surface.point(parameters[0], parameters[1]);
        OnSurface { parameters, point, distance: miss(&point), converged: false }
    };
    let mut here = place(start);
    for _ in 0..MAX_NEWTON_STEPS {
        let at = here.parameters;
        let leaves = |k: usize, change: &Vector2| {
            let d = [du, dv][k];
            (at[k] <= d.start && change[k] < 0.0) || (at[k] >= d.end && change[k] > 0.0)
        };
        // A step that would leave is held at the border; in a corner of the domain either border may lead on.
        let along = |k: usize| {
            let change = step(at, [k == 0, k == 1])?;
            (!leaves(k, &change)).then_some(change)
        };
        let Some(change) = step(at, [true, true]) else { break };
        let change = match change {
            change if !leaves(0, &change) && !leaves(1, &change) => Some(change),
            change if !leaves(1, &change) => along(1),
            change if !leaves(0, &change) => along(0),
            _ => {
                let reach = |c: &Vector2| c.x.abs() / du.length() + c.y.abs() / dv.length();
                [along(0), along(1)].into_iter().flatten().max_by(|a, b| reach(a).total_cmp(&reach(b)))
            }
        };
        let Some(change) = change else {
            here.converged = true;
            break;
        };
        // At the bottom of a valley rounding decides which of two places is farther off.
        let no_farther = here.distance + AS_NEAR * (here.distance + here.point.coords.norm());
        let mut next = here;
        for halving in 0..=MAX_HALVINGS {
            let part = 0.5_f64.powi(halving);
            next = place([du.clamp(at[0] + change.x * part), dv.clamp(at[1] + change.y * part)]);
            if next.distance <= no_farther {
                break;
            }
        }
        let moved = (next.parameters[0] - at[0]).abs() / du.length()
            + (next.parameters[1] - at[1]).abs() / dv.length();
        if next.distance <= no_farther || moved <= 1e-14 {
            here = next;
        }
        if moved <= 1e-14 {
            here.converged = true;
            break;
        }
        if here.parameters == at {
            break;
        }
    }
    here
}

/// Follows the best seeds by `step` and keeps the best place by `miss`.
fn search(
    surface: &NurbsSurface,
    sampled: (Vec<f64>, Vec<f64>),
    miss: &impl Fn(&Point3) -> f64,
    step: &impl Fn([f64; 2], [bool; 2]) -> Option<Vector2>,
) -> OnSurface {
    let seeds = seeds(surface, sampled, miss);
    let mut best = OnSurface {
        parameters: seeds[0].0,
        point: seeds[0].1,
        distance: miss(&seeds[0].1),
        converged: false,
    };
    for (start, _) in seeds {
        let found = follow(surface, start, miss, step);
        if found.distance < best.distance || (found.distance == best.distance && found.converged) {
            best = found;
        }
    }
    best
}

/// A piece that may hold a nearer place, ordered so that a heap gives the nearest first.
struct Candidate {
    patch: Patch,
    nearest: f64,
    halvings: usize,
}

impl PartialEq for Candidate {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}
impl Eq for Candidate {}
impl PartialOrd for Candidate {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Candidate {
    fn cmp(&self, other: &Self) -> Ordering {
        other.nearest.total_cmp(&self.nearest)
    }
}

/// Looks for a nearer place in all pieces that can have one.
fn confirmed(
    surface: &NurbsSurface,
    to: &Point3,
    mut best: OnSurface,
    miss: &impl Fn(&Point3) -> f64,
    step: &impl Fn([f64; 2], [bool; 2]) -> Option<Vector2>,
) -> OnSurface {
    // Where nothing is nearer by more than this, nothing is nearer.
    let enough = |best: &OnSurface| best.distance * (1.0 - AS_NEAR_SHARE) - AS_NEAR * to.coords.norm();
    let candidate = |patch: Patch, halvings: usize, best: &OnSurface| {
        let nearest = patch.nearest_possible(to);
        (nearest < enough(best)).then_some(Candidate { patch, nearest, halvings })
    };
    let mut open: BinaryHeap<Candidate> =
        surface.pieces().patches_within(to, enough(&best)).filter_map(|p| candidate(p, 0, &best)).collect();
    for _ in 0..MOST_PIECES {
        let Some(next) = open.pop().filter(|c| c.nearest < enough(&best)) else { break };
        let [u, v] = next.patch.middle();
        // A fold can be as near as the best and yet hide a nearer place; a small piece's own search goes there.
        if next.halvings % FOLLOWED_EVERY == FOLLOWED_EVERY - 1 || miss(&surface.point(u, v)) < best.distance
        {
            let found = follow(surface, [u, v], miss, step);
            if found.distance < best.distance {
                best = found;
            }
        }
        if next.halvings < MOST_HALVINGS {
            open.extend(
                next.patch.halves().into_iter().filter_map(|p| candidate(p, next.halvings + 1, &best)),
            );
        }
    }
    best
}

/// Newton's steps shrink toward a pole without reaching it; what is as near on the border is on the border.
fn on_border(surface: &NurbsSurface, mut best: OnSurface, miss: &impl Fn(&Point3) -> f64) -> OnSurface {
    let (du, dv) = surface.domain();
    for (k, end) in [(0, du.start), (0, du.end), (1, dv.start), (1, dv.end)] {
        let mut at = best.parameters;
        at[k] = end;
        let point = surface.point(at[0], at[1]);
        if miss(&point) <= best.distance + AS_NEAR * point.coords.norm() {
            best = OnSurface { parameters: at, point, distance: miss(&point), ..best };
        }
    }
    best
}

/// Newton's step toward the nearest place, for those parameters that are free.
fn toward<'a>(
    surface: &'a NurbsSurface,
    to: &'a Point3,
) -> impl Fn([f64; 2], [bool; 2]) -> Option<Vector2> + 'a {
    move |[u, v]: [f64; 2], free: [bool; 2]| {
        let d = surface.derivatives(u, v);
        let r = d.point - to;
        let slope = Vector2::new(r.dot(&d.u), r.dot(&d.v));
        let plain = Matrix2::new(d.u.dot(&d.u), d.u.dot(&d.v), d.u.dot(&d.v), d.v.dot(&d.v));
        let full = plain + Matrix2::new(r.dot(&d.uu), r.dot(&d.uv), r.dot(&d.uv), r.dot(&d.vv));
        if let Some(k) = (0..2).find(|&k| free[k] != free[1 - k] && free[k]) {
            let bend = if full[(k, k)] > 0.0 { full[(k, k)] } else { plain[(k, k)] };
            let mut along = Vector2::zeros();
            along[k] = -slope[k] / bend;
            return along[k].is_finite().then_some(along);
        }
        if free == [false, false] {
            return None;
        }
        // Where the full matrix is no minimum's, the plain one still leads downhill.
        let usable = full.determinant() > 0.0 && full.m11 > 0.0;
        let inverse = if usable { full.try_inverse() } else { plain.try_inverse() }?;
        Some(-(inverse * slope))
    }
}

/// The nearest place of a surface to a point.
#[must_use]
pub fn closest_on_surface(surface: &NurbsSurface, to: &Point3) -> OnSurface {
    check_work();
    let miss = |p: &Point3| (p - to).norm();
    let step = toward(surface, to);
    let found = search(surface, sampled(surface, Some(to)), &miss, &step);
    let found = confirmed(surface, to, found, &miss, &step);
    on_border(surface, found, &miss)
}

/// The nearest place of a surface to a point if it is no farther than `within` mm; of points well beyond that it is told
/// much sooner than the nearest place is found.
#[must_use]
pub fn closest_within(surface: &NurbsSurface, to: &Point3, within: f64) -> Option<OnSurface> {
    check_work();
    if is_farther(surface, to, within) {
        return None;
    }
    Some(closest_on_surface(surface, to)).filter(|found| found.distance <= within)
}

/// Whether the hulls of a surface's pieces, halved a few times, show that all of it is farther from a point than `within`.
fn is_farther(surface: &NurbsSurface, to: &Point3, within: f64) -> bool {
    let may_hold = |patch: &Patch| patch.nearest_possible(to) <= within;
    let mut open: Vec<(Patch, usize)> =
        surface.pieces().patches_within(to, within).filter(may_hold).map(|patch| (patch, 0)).collect();
    for _ in 0..TELLING_PIECES {
        let Some((patch, halvings)) = open.pop() else { return true };
        if halvings == TELLING_HALVINGS {
            return false;
        }
        open.extend(patch.halves().into_iter().filter(may_hold).map(|half| (half, halvings + 1)));
    }
    open.is_empty()
}

/// A place of a surface no farther than `within` mm from a point, looked for from a place nearby: much sooner found than the
/// nearest one of all. `None` where the way from there ends farther off.
#[must_use]
pub fn nearby_on_surface(
    surface: &NurbsSurface,
    to: &Point3,
    from: [f64; 2],
    within: f64,
) -> Option<OnSurface> {
    check_work();
    let miss = |p: &Point3| (p - to).norm();
    let found = follow(surface, from, &miss, &toward(surface, to));
    (found.distance <= within).then(|| on_border(surface, found, &miss))
}

/// Where the line through a point along a unit direction meets a surface; of several places the one nearest to the
/// point. The distance is that from the line: it is above zero where they do not meet.
#[must_use]
pub fn along_direction(surface: &NurbsSurface, from: &Point3, direction: &Vector3) -> OnSurface {
    check_work();
    let across = if direction.x.abs() < 0.9 { Vector3::x() } else { Vector3::y() };
    let a = direction.cross(&across).normalize();
    let b = direction.cross(&a);
    let off = |p: &Point3| {
        let d = p - from;
        Vector2::new(d.dot(&a), d.dot(&b))
    };
    let miss = |p: &Point3| off(p).norm() + 1e-9 * (p - from).dot(direction).abs();
    let step = |[u, v]: [f64; 2], _: [bool; 2]| {
        let (p, du, dv) = surface.tangents(u, v);
        let jacobian = Matrix2::new(du.dot(&a), dv.dot(&a), du.dot(&b), dv.dot(&b));
        Some(-(jacobian.try_inverse()? * off(&p)))
    };
    on_border(surface, search(surface, sampled(surface, None), &miss, &step), &miss)
}
