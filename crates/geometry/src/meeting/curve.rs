//! Places at which a curve meets a surface, and where it runs along it.

use nalgebra::{Matrix3, Vector3 as Column};

use crate::{
    Box3, Domain, Facets, NurbsCurve, Point3, Vector3, bisect, box_of, check_work, closest_on_surface,
    closest_within, diagonal, flatten, grown, nearby_on_surface,
};

/// Chord of the curve's pieces as a share of its size.
const CHORD: f64 = 1e-3;
/// Share of the tolerance within which a curve stays that lies on a surface and leaves it somewhere.
const LIES: f64 = 0.1;
/// Share of the tolerance within which a crossing is exact.
const EXACT: f64 = 1e-4;
const MAX_NEWTON_STEPS: usize = 16;
/// Sine of the angle between curve and surface below which they may come near each other without crossing.
const LEVEL: f64 = 0.05;
/// Longest piece as a share of the surface's size.
const LONGEST: f64 = 0.125;
/// Places of a piece, ends left out, at which it is held against the surface.
const HELD: [f64; 3] = [0.25, 0.5, 0.75];

/// A place at which a curve meets a surface.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CurveHit {
    /// Parameter on the curve.
    pub parameter: f64,
    /// Parameters on the surface.
    pub place: [f64; 2],
    /// Where, on the curve.
    pub point: Point3,
}

/// Where a curve meets a surface.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct CurveMeetings {
    /// Single places, in order along the curve.
    pub hits: Vec<CurveHit>,
    /// Parameters between which it lies on the surface.
    pub along: Vec<[f64; 2]>,
}

/// Where a curve comes within `tolerance` mm of a surface: the places at which it crosses it to the last digits, else the
/// nearest ones.
///
/// # Method
/// Chords against triangles, then Newton's method for the crossing, or for the nearest places of both where they only come
/// near. A curve that stays within the tolerance at all places looked at between two chords' ends lies on the surface there.
#[must_use]
pub fn curve_meetings(curve: &NurbsCurve, facets: &Facets, tolerance: f64) -> CurveMeetings {
    check_work();
    let search = Search { curve, facets, tolerance };
    if search.lies_wholly() {
        return CurveMeetings { hits: Vec::new(), along: vec![[curve.domain().start, curve.domain().end]] };
    }
    let (low, high) = curve.control_bounds();
    let chord = (CHORD * (high - low).norm()).max(0.1 * tolerance);
    let chords = flatten(curve, chord);
    let reach = chord + facets.deviation + tolerance;
    let mut out = CurveMeetings::default();
    let bounds = grown(&facets.bounds(), reach);
    let longest = LONGEST * diagonal(&bounds);
    for pair in chords.windows(2) {
        // Of a chord that passes by only what is beside the surface counts, in pieces of its order of size.
        let Some(part) = clipped(&pair[0].1, &pair[1].1, &bounds) else { continue };
        let d = Domain::new(pair[0].0, pair[1].0);
        let length = (pair[1].1 - pair[0].1).norm() * (part[1] - part[0]);
        let count = (length / longest).ceil().max(1.0) as usize;
        let ts: Vec<f64> =
            (0..=count).map(|k| d.at(part[0] + (part[1] - part[0]) * k as f64 / count as f64)).collect();
        for t in ts.windows(2) {
            search.piece(&mut out, [(t[0], curve.point(t[0])), (t[1], curve.point(t[1]))], reach);
        }
    }
    out.along.dedup_by(|next, before| {
        let joins = next[0] <= before[1] + 1e-12 * curve.domain().length();
        if joins {
            before[1] = next[1].max(before[1]);
        }
        joins
    });
    let along = std::mem::take(&mut out.along);
    for part in along {
        match search.touches_only(part) {
            None => out.along.push(part),
            Some(hit) => {
                // Exact crossings on the way count; of the places that are only near, the nearest.
                let on_way = |h: &CurveHit| h.parameter >= part[0] && h.parameter <= part[1];
                let exact = |h: &CurveHit| {
                    let at = facets.surface().point(h.place[0], h.place[1]);
                    (at - h.point).norm() <= EXACT * tolerance
                };
                out.hits.retain(|h| !on_way(h) || exact(h));
                if !out.hits.iter().any(on_way) {
                    out.hits.extend(hit);
                }
            }
        }
    }
    out.hits.sort_by(|a, b| a.parameter.total_cmp(&b.parameter));
    let off = |h: &CurveHit| (facets.surface().point(h.place[0], h.place[1]) - h.point).norm();
    out.hits.dedup_by(|b, a| {
        let same = (b.point - a.point).norm() <= tolerance;
        if same && off(b) < off(a) {
            *a = *b;
        }
        same
    });
    // Where it leaves the surface it is within the tolerance on both sides of the place.
    let length = curve.domain().length();
    let inside = |h: &CurveHit| {
        out.along.iter().any(|a| h.parameter > a[0] - 1e-9 * length && h.parameter < a[1] + 1e-9 * length)
    };
    out.hits.retain(|h| !inside(h));
    out
}

struct Search<'a> {
    curve: &'a NurbsCurve,
    facets: &'a Facets,
    tolerance: f64,
}

impl Search<'_> {
    /// Whether all of the curve lies on the surface, as far as its spans' places show.
    fn lies_wholly(&self) -> bool {
        /// Places in every span.
        const LOOKED_AT: usize = 3;
        let is_on = |p: Point3| closest_within(self.facets.surface(), &p, self.tolerance).is_some();
        let d = self.curve.domain();
        // What misses the surface does so in most places.
        let ahead = [0.5, 0.19, 0.83].into_iter().map(|f| d.at(f));
        ahead.chain(self.curve.knots().sampled(LOOKED_AT)).all(|t| is_on(self.curve.point(t)))
    }

    fn piece(&self, out: &mut CurveMeetings, [a, b]: [(f64, Point3); 2], reach: f64) {
        let bounds = grown(&box_of([a.1, b.1].iter()), reach);
        let d = Domain::new(a.0, b.0);
        let mut looked = false;
        for triangle in self.facets.near(&bounds) {
            let corners = self.facets.corners(triangle);
            let Some((t, weights)) = approach(&a.1, &b.1, &corners, reach) else { continue };
            let uv = self.facets.weighted(triangle, weights);
            if !looked {
                looked = true;
                if let Some(along) = self.along(a.0, b.0, uv) {
                    out.along.push(along);
                    if along == [a.0, b.0] {
                        return;
                    }
                }
            }
            out.hits.extend(self.hit(d, d.at(t), uv));
        }
    }

    fn near(&self, t: f64, from: [f64; 2]) -> Option<[f64; 2]> {
        let p = self.curve.point(t);
        nearby_on_surface(self.facets.surface(), &p, from, self.tolerance).map(|f| f.parameters)
    }

    /// The part of the curve between two parameters that lies on the surface, if some of it does.
    fn along(&self, a: f64, b: f64, from: [f64; 2]) -> Option<[f64; 2]> {
        let ts: Vec<f64> = [0.0].into_iter().chain(HELD).chain([1.0]).map(|f| a + (b - a) * f).collect();
        let held: Vec<Option<[f64; 2]>> = ts.iter().map(|t| self.near(*t, from)).collect();
        let first = held.iter().position(Option::is_some)?;
        let last = (first..held.len()).take_while(|&k| held[k].is_some()).last()?;
        if last == first {
            return None;
        }
        // Off beyond: where it comes and where it leaves.
        let on = held[first].unwrap_or(from);
        let start =
            if first == 0 { a } else { bisect(ts[first - 1], ts[first], |t| self.near(t, on).is_some()) };
        let off = held[last].unwrap_or(from);
        let end = if last == 4 { b } else { bisect(ts[last], ts[last + 1], |t| self.near(t, off).is_none()) };
        self.long_enough([start, end])
    }

    /// A curve that touches the surface stays within the tolerance for a while too, but comes and goes gradually: the place at
    /// which it is nearest then; `None` for one that lies on the surface.
    fn touches_only(&self, [a, b]: [f64; 2]) -> Option<Option<CurveHit>> {
        let d = self.curve.domain();
        let foot = |t: f64| closest_on_surface(self.facets.surface(), &self.curve.point(t));
        let domains = self.facets.domain();
        // A seam is no border.
        let closed = self.facets.surface().closes(self.tolerance);
        let inside = |t: f64| {
            let uv = foot(t).parameters;
            (0..2).all(|k| {
                let margin = 1e-6 * domains[k].length();
                closed[k] || (uv[k] > domains[k].start + margin && uv[k] < domains[k].end - margin)
            })
        };
        let margin = 1e-9 * d.length();
        let goes = (a > d.start + margin && inside(a)) || (b < d.end - margin && inside(b));
        let lies = HELD.iter().all(|f| foot(a + (b - a) * f).distance <= LIES * self.tolerance);
        if !goes || lies {
            return None;
        }
        let uv = foot(0.5 * (a + b)).parameters;
        let (parameter, place) = self.nearest(Domain::new(a, b), uv);
        let point = self.curve.point(parameter);
        let off = (self.facets.surface().point(place[0], place[1]) - point).norm();
        Some((off <= self.tolerance).then_some(CurveHit { parameter, place, point }))
    }

    /// A curve that crosses is within the tolerance on a short way too.
    fn long_enough(&self, part: [f64; 2]) -> Option<[f64; 2]> {
        let length = (self.curve.point(part[0]) - self.curve.point(part[1])).norm();
        (length > 10.0 * self.tolerance).then_some(part)
    }

    /// The place near a guess at which the curve meets the surface, or else comes nearest to it, within a chord.
    fn hit(&self, within: Domain, mut t: f64, mut uv: [f64; 2]) -> Option<CurveHit> {
        let surface = self.facets.surface();
        let [du, dv] = self.facets.domain();
        let spare = 0.25 * within.length();
        let (mut exact, mut level) = (false, false);

        for _ in 0..MAX_NEWTON_STEPS {
            let (c, cd) = self.curve.moving(t);
            let (p, su, sv) = surface.tangents(uv[0], uv[1]);
            let miss = c - p;
            let sizes = Column::new(cd.norm(), su.norm(), sv.norm()).map(|x| x.max(1e-300));
            let slope = Matrix3::from_columns(&[cd / sizes.x, -su / sizes.y, -sv / sizes.z]);
            level = slope.determinant().abs() < LEVEL;
            if slope.determinant().abs() < 1e-9 {
                break;
            }
            let Some(inverse) = slope.try_inverse() else { break };
            let step = (inverse * miss).component_div(&sizes);
            t = self.curve.domain().clamp(t - step.x);
            uv = [du.clamp(uv[0] - step.y), dv.clamp(uv[1] - step.z)];
            if t < within.start - spare || t > within.end + spare {
                break;
            }
            // To the last digits that the coordinates have, and then no farther.
            let size = c.coords.norm() + sizes.x * within.length();
            if step.component_mul(&sizes).norm() <= 1e-15 * size {
                exact = true;
                break;
            }
        }
        let off = |t: f64, uv: [f64; 2]| (surface.point(uv[0], uv[1]) - self.curve.point(t)).norm();
        if !exact && (level || off(t, uv) <= 10.0 * self.tolerance) {
            (t, uv) = self.nearest(within, uv);
        }
        let (point, off) = (self.curve.point(t), off(t, uv));
        // Nearest at the end of a chord only, it is nearer on the next one.
        let step = 1e-2 * within.length();
        let nearer = |t: f64| {
            let inside = t > self.curve.domain().start && t < self.curve.domain().end;
            inside
                && nearby_on_surface(surface, &self.curve.point(t), uv, off)
                    .is_some_and(|f| f.distance < 0.999 * off)
        };
        let at_end = t - within.start <= step || within.end - t <= step;
        if off > EXACT * self.tolerance && at_end && (nearer(t - step) || nearer(t + step)) {
            return None;
        }
        (off <= self.tolerance).then_some(CurveHit { parameter: t, place: uv, point })
    }

    /// Nearest places of curve and surface, by turns.
    fn nearest(&self, within: Domain, uv: [f64; 2]) -> (f64, [f64; 2]) {
        let surface = self.facets.surface();
        let foot = |t: f64, uv: [f64; 2]| {
            nearby_on_surface(surface, &self.curve.point(t), uv, f64::INFINITY)
                .map_or((f64::INFINITY, uv), |f| (f.distance, f.parameters))
        };
        // Golden section over the chord; the distance has one minimum there as far as the chord is true.
        let ratio = 0.5 * (5f64.sqrt() - 1.0);
        let (mut a, mut b) = (within.start, within.end);
        let mut best = [(a, foot(a, uv)), (b, foot(b, uv))]
            .into_iter()
            .min_by(|x, y| x.1.0.total_cmp(&y.1.0))
            .unwrap_or((a, (f64::INFINITY, uv)));
        for _ in 0..45 {
            let (c, d) = (b - ratio * (b - a), a + ratio * (b - a));
            let (fc, fd) = (foot(c, best.1.1), foot(d, best.1.1));
            for (t, f) in [(c, fc), (d, fd)] {
                if f.0 < best.1.0 {
                    best = (t, f);
                }
            }
            if fc.0 <= fd.0 {
                b = d;
            } else {
                a = c;
            }
            if b - a <= 1e-12 * within.length() || best.1.0 > 1e6 {
                break;
            }
        }
        (best.0, best.1.1)
    }
}

/// Where a chord comes nearest to a triangle, if that is within `reach`: the fraction along it, and the triangle's weights.
fn approach(a: &Point3, b: &Point3, triangle: &[Point3; 3], reach: f64) -> Option<(f64, [f64; 3])> {
    let normal = (triangle[1] - triangle[0]).cross(&(triangle[2] - triangle[0]));
    let whole = normal.norm();
    let n = normal.try_normalize(f64::MIN_POSITIVE)?;
    let (h0, h1) = ((a - triangle[0]).dot(&n), (b - triangle[0]).dot(&n));
    if h0.min(h1) > reach || h0.max(h1) < -reach {
        return None;
    }
    let t = if h0 == h1 { 0.5 } else { (h0 / (h0 - h1)).clamp(0.0, 1.0) };
    // Besides the place where it pierces the plane, the one nearest to the triangle's middle: the chord may be level.
    let middle = nalgebra::center(&nalgebra::center(&triangle[0], &triangle[1]), &triangle[2]);
    let along = b - a;
    let beside = ((middle - a).dot(&along) / along.norm_squared().max(f64::MIN_POSITIVE)).clamp(0.0, 1.0);
    let candidates = [t, beside, 0.0, 1.0];
    candidates.into_iter().find_map(|t| {
        let p = a + along * t;
        if (p - triangle[0]).dot(&n).abs() > reach {
            return None;
        }
        let weight = |s: &Point3, e: &Point3| (s - p).cross(&(e - p)).dot(&n) / whole;
        let w = [
            weight(&triangle[1], &triangle[2]),
            weight(&triangle[2], &triangle[0]),
            weight(&triangle[0], &triangle[1]),
        ];
        // Outside by no more than the reach, measured from each side.
        let beyond = |k: usize| {
            let side: Vector3 = triangle[(k + 2) % 3] - triangle[(k + 1) % 3];
            -w[k] * whole / side.norm().max(f64::MIN_POSITIVE)
        };
        if (0..3).any(|k| beyond(k) > reach) {
            return None;
        }
        let inside = w.map(|x| x.max(0.0));
        let sum: f64 = inside.iter().sum();
        Some((t, inside.map(|x| x / sum)))
    })
}

/// Between which fractions a chord is inside a box; `None` for one that passes it by.
fn clipped(a: &Point3, b: &Point3, bounds: &Box3) -> Option<[f64; 2]> {
    let (low, high) = (bounds.lower(), bounds.upper());
    let (mut from, mut to) = (0.0_f64, 1.0_f64);
    for k in 0..3 {
        let d = b[k] - a[k];
        if d == 0.0 {
            if a[k] < low[k] || a[k] > high[k] {
                return None;
            }
            continue;
        }
        let (s, e) = ((low[k] - a[k]) / d, (high[k] - a[k]) / d);
        (from, to) = (from.max(s.min(e)), to.min(s.max(e)));
    }
    (from < to).then_some([from, to])
}
