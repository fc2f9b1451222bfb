//! Patch: a surface inside closed runs of edges that takes over tangents or curvature of the faces beside them.
//!
//! One spline surface of least energy is fitted to the boundary and refined until its edge lies on the given ones; the face
//! is the part of it inside them. Where the boundary is seen well from one side the surface is a height over that plane,
//! where it hides it is free in space, and between the two it goes over from the one to the other. Tangent planes and
//! curvatures along an edge are demands on its derivatives across the edge: two surfaces that are tangent along a curve agree
//! in curvature if they do in one direction across it (Pegna and Wolter, Geometrical criteria to guarantee curvature
//! continuity of blend surfaces, ASME J. Mech. Des. 114, 1992).

mod boundary;
mod layout;
mod swelling;

use std::sync::Arc;

use geometry::{
    Demand, Domain, Fair, Fairness, Frame, KnotVector, NurbsCurve, NurbsSurface, Point3, Region, Tolerance,
    Vector3, closest_on_surface, polygon_holds,
};
use topology::{Body, Bounding, Meeting, SeamSide, bounded_shell, meeting, pcurve_on};

pub use boundary::{Beside, LooseCorner, PatchEdge};

use crate::SurfacingError;
use crate::miss::{Miss, missed};
use layout::{Layout, laid_out};

/// Spans along the longer side of the parameter plane, at first and at most.
const SPANS: [f64; 2] = [10.0, 96.0];
/// Rounds of refinement at most, and how much each must at least bring.
const MAX_ROUNDS: usize = 7;
const BRINGS: f64 = 0.8;
/// Share of the fit tolerance within which the patch is to meet its edges.
const SHARE_OF_FIT: f64 = 0.5;
/// Largest angle in radians, 0.03 degrees, and largest share of a curvature for which nothing is refined.
const ANGLE: f64 = 0.03 * std::f64::consts::PI / 180.0;
const BEND: f64 = 0.008;
/// Share of the largest curvature along the boundary below which curvatures are not compared with themselves.
const LEAST_SHARE: f64 = 0.05;
/// Sine of the turn below which two edges run on into each other smoothly.
const LEAST_TURN: f64 = 0.1;
/// Share of an edge along which its corners decide how fast a surface that is free in space leaves it.
const CORNER: f64 = 0.35;
/// Share of an edge along which it is not tangent where its corner does not allow that.
const LOOSE: f64 = 0.25;
/// Curvatures times the patch's size below this are those of something flat.
const FLAT: f64 = 1e-3;
/// Places of an edge per smallest span that it may cross, and their least and largest number.
const DENSITY: f64 = 4.0;
const PLACES: [usize; 2] = [12, 600];
/// Share of the patch's size by which the parameter plane reaches beyond the boundary.
const MARGIN: f64 = 0.02;
/// The length of boundary that an inner place counts as much as.
const INNER: f64 = 0.2;
/// How much stretching counts at a tension of 1.
const STRETCH: f64 = 30.0;
/// How much the change of bending counts at least, against bending, for a patch through points.
const POINTED: f64 = 0.002;
/// Times that what depends on the surface itself is found anew.
const TIMES: usize = 3;
/// Shares of the patch's size by which an inner point may lie off the boundary.
const FAR: f64 = 2.0;
/// What a surface takes over from the face beside an edge.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Agrees {
    /// The edge only (G0).
    #[default]
    Position,
    /// Its tangent plane too (G1).
    Tangent,
    /// And its curvature (G2).
    Curvature,
}

/// What a patch is made with.
#[derive(Debug, Clone, PartialEq)]
pub struct Patch<'a> {
    /// Curves that it passes through.
    pub curves: &'a [NurbsCurve],
    /// Points that it passes through.
    pub points: &'a [Point3],
    /// How much it is stretched like a skin, from 0 for not at all.
    pub tension: f64,
    /// What its face is called.
    pub name: &'a str,
}

/// What was reached along one edge.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct EdgeReached {
    /// Which of the edges that were given, counted from 1.
    pub number: usize,
    /// Largest distance of the edge from the patch, in millimetres.
    pub gap: f64,
    /// What was asked for.
    pub asked: Agrees,
    /// How the patch meets the face beside it, where there is one.
    pub meets: Option<Meeting>,
}

impl EdgeReached {
    /// What a surface reached along an edge that lies on it; `None` where the edge runs over the place where a closed surface
    /// begins.
    pub(crate) fn on(edge: &PatchEdge, surface: &NurbsSurface, tolerance: &Tolerance) -> Option<Self> {
        let pcurve = pcurve_on(&edge.curve, surface, tolerance).ok()?;
        let off = |t: f64| {
            let p = pcurve.point(t);
            (surface.point(p.x, p.y) - edge.curve.point(t)).norm()
        };
        let gap = edge.curve.knots().sampled(4).into_iter().map(off).fold(0.0, f64::max);
        let meets = edge.beside.as_ref().and_then(|b| met(edge, &pcurve, surface, b));
        Some(Self { number: edge.number, gap, asked: edge.agrees, meets })
    }
}

/// A patch with what it reached.
#[derive(Debug, Clone, PartialEq)]
pub struct Patched {
    /// The body.
    pub body: Body,
    /// By edge, in the order in which the patch runs along them.
    pub edges: Vec<EdgeReached>,
    /// Largest distance from inner curves and points, in millimetres.
    pub inner: f64,
    /// Where it stays farther off an inner curve than the fit tolerance.
    pub miss: Option<Miss>,
    /// Corners at which no surface could be tangent.
    pub loose: Vec<LooseCorner>,
    /// The tension that it took to keep it near its boundary, beyond the one asked for; none where it stays near by itself.
    pub tightened: Option<f64>,
}

/// The surface inside closed runs of edges, in any order and direction; a run within another one stays open as a hole.
///
/// # Errors
/// `PatchGap` for edges that do not close; `CornerDisagrees` for tangent planes that disagree at a corner; `PatchHidden` for
/// a boundary that can neither be seen from one side nor rolled out; `PatchPointOutside` and `PatchPointFar` for inner curves
/// and points that no patch could pass through well.
pub fn patch(edges: &[PatchEdge], how: &Patch<'_>, tolerance: &Tolerance) -> Result<Patched, SurfacingError> {
    let runs = boundary::loops(edges, tolerance)?;
    let mut loose = Vec::new();
    for run in &runs {
        loose.extend(boundary::corners(run)?);
    }
    let (runs, layout) = laid_out(runs)?;
    let fit = Fit::new(&runs, &layout, &loose, how, tolerance)?;
    let ((surface, inner), tightened) = fit.tight()?;
    let bounds: Vec<Vec<Bounding>> = runs
        .iter()
        .zip(&layout.pcurves)
        .map(|(run, pcurves)| {
            let one =
                |(e, p): (&PatchEdge, &NurbsCurve)| Bounding { curve: e.curve.clone(), pcurve: p.clone() };
            run.iter().zip(pcurves).map(one).collect()
        })
        .collect();
    let surface = Arc::new(surface);
    let shell = bounded_shell(&surface, &bounds, how.name, tolerance)?;
    let edges = runs.iter().flatten().zip(layout.pcurves.iter().flatten()).zip(shell.edges());
    let edges = edges
        .map(|((edge, pcurve), made)| EdgeReached {
            number: edge.number,
            gap: made.tolerance,
            asked: edge.agrees,
            meets: edge.beside.as_ref().and_then(|b| met(edge, pcurve, &surface, b)),
        })
        .collect();
    let body = Body::from_shell(shell);
    let miss = missed(&body, how.curves, tolerance.fit);
    Ok(Patched { body, edges, inner, miss, loose, tightened })
}

/// How the patch meets the face beside an edge, both seen from the same side.
fn met(edge: &PatchEdge, pcurve: &NurbsCurve, surface: &NurbsSurface, beside: &Beside) -> Option<Meeting> {
    let middle = edge.curve.domain().at(0.5);
    let p = pcurve.point(middle);
    let q = beside.pcurve.point(middle);
    let opposite = surface.normal(p.x, p.y)?.dot(&beside.surface.normal(q.x, q.y)?) < 0.0;
    let sides = [
        SeamSide { surface, pcurve, reversed: false },
        SeamSide { surface: &beside.surface, pcurve: &beside.pcurve, reversed: opposite },
    ];
    meeting(&edge.curve, sides)
}

/// How a surface is to leave its edge.
#[derive(Debug, Clone, Copy)]
struct Leaving {
    /// Which way in the parameter plane.
    across: [f64; 2],
    /// What its first derivative that way is to be.
    first: Vector3,
    /// What its second derivative that way is to be along the normal.
    bend: Option<f64>,
    /// The largest that the face has in any direction, as large.
    largest: f64,
    normal: Vector3,
    /// Along what it is changed to become that, as much as it takes for 1 along the normal.
    changed: Vector3,
    /// For a height: the cosine of its slope.
    facing: f64,
}

/// What the edges that meet at a corner make of a surface there.
#[derive(Debug, Clone, Copy)]
struct Corner {
    /// The way square to the edge in the parameter plane.
    square: [f64; 2],
    /// The surface's first derivatives by both parameters.
    derivatives: [Vector3; 2],
}

/// An edge place with everything that the surface is to do there, over a parameter plane of size 1.
struct Rim {
    at: [f64; 2],
    /// The share of the boundary that it stands for, as a length.
    step: f64,
    place: Vector3,
    leaving: Option<Leaving>,
    /// The least bend of its edge that is compared with itself.
    least_bend: f64,
    /// How far slopes and bends count here, from 0 at a corner that no surface is tangent at.
    trust: f64,
}

impl Rim {
    fn bend(&self) -> Option<f64> {
        self.leaving.and_then(|l| l.bend)
    }
}

/// How a patch is fitted, by the most that it takes over anywhere. Found by trying: octants and halves of spheres come out
/// nearest so.
struct Kind {
    degree: usize,
    bend: f64,
    vary: f64,
    /// How much the energy counts outside the boundary, as a share: without tangents a patch goes on as it comes, with them
    /// it would be bent by what its edges ask of the other side.
    outside: f64,
    /// Weights of places, slopes and bends against the energy, over a parameter plane whose size is 1.
    weights: [f64; 3],
}

const KINDS: [Kind; 3] = [
    Kind { degree: 3, bend: 1.0, vary: 0.0, outside: 1.0, weights: [1e12, 0.0, 0.0] },
    Kind { degree: 3, bend: 0.02, vary: 1.0, outside: 1e-4, weights: [1e12, 1e9, 0.0] },
    Kind { degree: 4, bend: 1.0, vary: 0.02, outside: 1e-4, weights: [1e10, 1e7, 1e4] },
];

/// A patch that is being fitted.
#[derive(Clone)]
struct Fit<'a> {
    runs: &'a [Vec<PatchEdge>],
    layout: &'a Layout,
    how: &'a Patch<'a>,
    tolerance: &'a Tolerance,
    loose: &'a [LooseCorner],
    /// The size that becomes 1, and the corner that becomes 0.
    size: f64,
    low: [f64; 2],
    /// Lengths of the parameter plane's sides, as shares of the size.
    sides: [f64; 2],
    /// What places in space are measured from.
    middle: Point3,
    fairness: Fairness,
    kind: &'static Kind,
    /// Inner places in space.
    inner: Vec<Point3>,
}

impl<'a> Fit<'a> {
    fn new(
        runs: &'a [Vec<PatchEdge>],
        layout: &'a Layout,
        loose: &'a [LooseCorner],
        how: &'a Patch<'a>,
        tolerance: &'a Tolerance,
    ) -> Result<Self, SurfacingError> {
        let mut low = [f64::MAX; 2];
        let mut high = [f64::MIN; 2];
        for pcurve in layout.pcurves.iter().flatten() {
            for t in pcurve.knots().sampled(16) {
                let p = pcurve.point(t);
                for k in 0..2 {
                    (low[k], high[k]) = (low[k].min(p[k]), high[k].max(p[k]));
                }
            }
        }
        let size = (high[0] - low[0]).max(high[1] - low[1]) * (1.0 + 2.0 * MARGIN);
        let margin = MARGIN * size;
        let low = low.map(|x| x - margin);
        let sides = [0, 1].map(|k| (high[k] + margin - low[k]) / size);
        let highest = runs.iter().flatten().filter(|e| e.beside.is_some()).map(|e| e.agrees);
        let highest = highest.fold(Agrees::Position, |a, b| if b as u8 > a as u8 { b } else { a });
        let kind = &KINDS[highest as usize];
        // About a place that least bending alone is held at it bends without bound.
        let vary = if how.points.is_empty() { kind.vary } else { kind.vary.max(POINTED) };
        let fairness = Fairness { stretch: STRETCH * how.tension, bend: kind.bend, vary };
        let middle = match layout.plane {
            Some(frame) => frame.origin,
            None => runs[0][0].curve.start(),
        };
        let mut inner = how.points.to_vec();
        for curve in how.curves {
            let count = (curve.length() / size * SPANS[1] * 0.5).ceil().clamp(8.0, 200.0) as usize;
            let d = curve.domain();
            inner.extend((0..=count).map(|k| curve.point(d.at(k as f64 / count as f64))));
        }
        let fit =
            Self { runs, layout, how, tolerance, loose, size, low, sides, middle, fairness, kind, inner };
        fit.check_near()?;
        Ok(fit)
    }

    /// A place of the layout in the parameter plane of size 1.
    fn unit(&self, p: &Point3) -> [f64; 2] {
        [(p.x - self.low[0]) / self.size, (p.y - self.low[1]) / self.size]
    }

    /// A place in space as the surface has it: its height over the plane, or all of it.
    fn value(&self, p: &Point3) -> Vector3 {
        match &self.layout.plane {
            Some(frame) => Vector3::z() * (frame.coordinates(p).z / self.size),
            None => (p - self.middle) / self.size,
        }
    }

    /// Parameters of an edge from end to end, so many for each span that it crosses there.
    fn places_along(&self, pcurve: &NurbsCurve, knots: &[KnotVector; 2], density: f64) -> Vec<f64> {
        let d = pcurve.domain();
        let longest = d.length() / PLACES[0] as f64;
        let least = d.length() / PLACES[1] as f64;
        let mut out = vec![d.start];
        let mut t = d.start;
        while t < d.end {
            let at = self.unit(&pcurve.point(t));
            let span = |k: usize| {
                let i = knots[k].span(at[k]);
                knots[k].knots()[i + 1] - knots[k].knots()[i]
            };
            let speed = pcurve.velocity(t).norm() / self.size;
            let step = (span(0).min(span(1)) / (density * speed.max(1e-12))).clamp(least, longest);
            t = if t + 1.5 * step >= d.end { d.end } else { t + step };
            out.push(t);
        }
        out
    }

    /// Places along all edges, so many for each span that they cross.
    fn rims(&self, knots: &[KnotVector; 2], density: f64) -> Vec<Rim> {
        let mut out = Vec::new();
        let ends = if self.layout.plane.is_some() { Vec::new() } else { self.corners() };
        let edges = self.runs.iter().flatten().zip(self.layout.pcurves.iter().flatten());
        for (k, (edge, pcurve)) in edges.enumerate() {
            let ends = ends.get(k).copied().unwrap_or_default();
            let mut before: Option<[f64; 2]> = None;
            let first = out.len();
            for (i, t) in self.places_along(pcurve, knots, density).into_iter().enumerate() {
                let flat = pcurve.point(t);
                let at = self.unit(&flat);
                let velocity = pcurve.velocity(t);
                let speed = velocity.norm();
                if speed <= 0.0 {
                    continue;
                }
                let inward = [-velocity.y / speed, velocity.x / speed];
                let step = before.map_or(0.0, |b| (at[0] - b[0]).hypot(at[1] - b[1]));
                if let Some(Rim { step: last, .. }) = out.last_mut().filter(|_| i > 0) {
                    *last += 0.5 * step;
                }
                before = Some(at);
                let place = self.value(&edge.curve.point(t));
                let leaving = self.leaving(edge, t, (inward, speed), &ends);
                let trust = self.trust(edge, &edge.curve.point(t));
                out.push(Rim { at, step: 0.5 * step, place, leaving, least_bend: FLAT, trust });
            }
            let largest =
                out[first..].iter().filter_map(|r| r.leaving).fold(0.0, |a: f64, l| a.max(l.largest));
            out[first..].iter_mut().for_each(|r| r.least_bend = FLAT.max(LEAST_SHARE * largest));
        }
        out
    }

    fn trust(&self, edge: &PatchEdge, p: &Point3) -> f64 {
        let near = |c: &LooseCorner| {
            let reach = LOOSE * edge.curve.polygon_length();
            ((p - c.at).norm() / reach).powi(2).clamp(1e-9, 1.0)
        };
        self.loose.iter().filter(|c| c.tangent == edge.number).map(near).fold(1.0, f64::min)
    }

    /// For a surface that is free in space, its first derivatives at both ends of each edge, since the edges that meet there
    /// have derivatives of their own; none where they run on smoothly.
    fn corners(&self) -> Vec<[Option<Corner>; 2]> {
        let mut out = Vec::new();
        for (run, pcurves) in self.runs.iter().zip(&self.layout.pcurves) {
            let count = run.len();
            // By edge and end: the way in the parameter plane and the motion in space for a step of it.
            let way = |k: usize, last: bool| {
                let d = pcurves[k].domain();
                let t = if last { d.end } else { d.start };
                let flat = pcurves[k].velocity(t);
                (flat / flat.norm(), run[k].curve.velocity(t) / flat.norm())
            };
            let corner = |k: usize, last: bool| {
                let (own, moved) = way(k, last);
                let (other, its) =
                    if last { way((k + 1) % count, false) } else { way((k + count - 1) % count, true) };
                let turn = own.x * other.y - own.y * other.x;
                if turn.abs() < LEAST_TURN {
                    return None;
                }
                // Any step as a sum of both ways.
                let derivatives =
                    [(moved * other.y - its * own.y) / turn, (its * own.x - moved * other.x) / turn];
                Some(Corner { square: [-own.y, own.x], derivatives })
            };
            out.extend((0..count).map(|k| [corner(k, false), corner(k, true)]));
        }
        out
    }

    /// What the surface is to do at an edge, where it takes over anything.
    fn leaving(
        &self,
        edge: &PatchEdge,
        t: f64,
        (inward, speed): ([f64; 2], f64),
        ends: &[Option<Corner>; 2],
    ) -> Option<Leaving> {
        let beside = edge.tangent_to()?;
        let velocity = edge.curve.velocity(t);
        let (normal, away) = beside.leaving(t, &velocity.try_normalize(1e-12)?)?;
        let curvature = edge.agrees == Agrees::Curvature;
        Some(match &self.layout.plane {
            Some(frame) => {
                // Square to the edge in space, as it is seen in the plane; a height's derivatives along that.
                let facing = normal.dot(&frame.z);
                let across = [away.dot(&frame.x), away.dot(&frame.y)];
                let bend = curvature.then(|| beside.bend(t, &away, &normal)).flatten();
                Leaving {
                    across,
                    normal: Vector3::z(),
                    changed: Vector3::z(),
                    first: Vector3::z() * away.dot(&frame.z),
                    bend: bend.map(|(b, _)| b / facing * self.size),
                    largest: bend.map_or(0.0, |(_, l)| l / facing.abs() * self.size),
                    facing: facing.abs(),
                }
            }
            None => {
                // As fast across the edge as along it, and faster the rounder the patch must be.
                let mut first = away * (self.layout.fullness * velocity.norm() / speed);
                let (mut across, mut changed) = (inward, normal);
                if let Some((frame, share)) = &self.layout.partly {
                    // Over toward what a height over the plane does: its place there goes on straight, and only the height
                    // is bent.
                    across = self.over_to_plane(across, &away);
                    first += (away - first) * *share;
                    changed += (frame.z - normal) * *share;
                    changed /= changed.dot(&normal);
                }
                // Toward a corner it becomes what the edges there make it.
                let d = edge.curve.domain();
                let share = (t - d.start) / d.length();
                for ((end, off), at) in ends.iter().zip([share, 1.0 - share]).zip([d.start, d.end]) {
                    let near = (1.0 - off / CORNER).clamp(0.0, 1.0);
                    let Some(corner) = end.as_ref().filter(|_| near > 0.0) else { continue };
                    let its = edge.curve.tangent(at).and_then(|along| beside.leaving(at, &along));
                    let [a, b] =
                        its.map_or(corner.square, |(_, away)| self.over_to_plane(corner.square, &away));
                    let end = corner.derivatives[0] * a + corner.derivatives[1] * b;
                    let near = near * near * (3.0 - 2.0 * near);
                    first = first * (1.0 - near) + (end - normal * end.dot(&normal)) * near;
                }
                let bend = curvature.then(|| beside.bend(t, &first, &normal)).flatten();
                Leaving {
                    across,
                    normal,
                    changed,
                    first,
                    bend: bend.map(|(b, _)| b * self.size),
                    largest: bend.map_or(0.0, |(_, l)| l * self.size),
                    facing: 1.0,
                }
            }
        })
    }

    /// A way across an edge in the parameter plane, as far over to the one that is seen as the boundary is.
    fn over_to_plane(&self, across: [f64; 2], away: &Vector3) -> [f64; 2] {
        let Some((frame, share)) = &self.layout.partly else { return across };
        let seen = [away.dot(&frame.x), away.dot(&frame.y)];
        [0, 1].map(|k| across[k] + (seen[k] - across[k]) * share)
    }

    fn fitted(&self) -> Result<(NurbsSurface, f64), SurfacingError> {
        let spans = self.sides.map(|s| (s * SPANS[0]).ceil().max(3.0) as usize);
        let mut breaks = [0, 1].map(|k| {
            (0..=spans[k]).map(|i| self.sides[k] * i as f64 / spans[k] as f64).collect::<Vec<f64>>()
        });
        let outlines = self.outlines();
        let mut places: Vec<[f64; 2]> = self.first_places(&outlines)?;
        let region = Region { outlines, outside: self.kind.outside };
        let mut best: Option<(f64, NurbsSurface, f64)> = None;
        let mut before: Option<NurbsSurface> = None;
        for round in 0..MAX_ROUNDS {
            let knots = [0, 1].map(|k| KnotVector::smooth_pieces(self.kind.degree, &breaks[k]));
            let rims = self.rims(&knots, DENSITY);
            let free = self.layout.plane.is_none();
            let bent = rims.iter().any(|r| r.bend().is_some());
            // Bends of a surface that is free in space, and inner places that are found on it, need what there is already.
            if free && before.is_none() && (bent || !self.inner.is_empty()) {
                before = Some(self.solved(&knots, &region, &rims, &[], (false, 1), None)?);
            }
            let times = if free && bent { TIMES } else { 1 };
            for _ in 0..if free && !self.inner.is_empty() { TIMES } else { 1 } {
                if let Some(before) = before.as_ref().filter(|_| free) {
                    places = self.feet(before, &region.outlines)?;
                }
                before =
                    Some(self.solved(&knots, &region, &rims, &places, (true, times), before.as_ref())?);
            }
            let Some(surface) = before.clone() else { break };
            let inner = self.off_inner(&surface);
            // How far each place is off, as a share of what is allowed.
            let misses = self.misses(&surface, &self.rims(&knots, 1.7 * DENSITY));
            let worst =
                misses.iter().map(|m| m.1).fold(inner / (SHARE_OF_FIT * self.tolerance.fit), f64::max);
            let stuck = best.as_ref().is_some_and(|b| worst > BRINGS * b.0) && round > 2;
            if best.as_ref().is_none_or(|b| worst < b.0) {
                best = Some((worst, surface, inner));
            }
            if worst <= 1.0 || stuck {
                break;
            }
            let mut wanted: Vec<[f64; 2]> = misses.iter().filter(|m| m.1 > 1.0).map(|m| m.0).collect();
            if inner > SHARE_OF_FIT * self.tolerance.fit {
                wanted.extend(&places);
            }
            if !refine(&mut breaks, &wanted, self.sides) {
                break;
            }
        }
        let (_, surface, inner) = best.ok_or(SurfacingError::Empty)?;
        Ok((self.placed(&surface)?, inner))
    }

    /// The surface of least energy that does what is demanded, in units of the size; with bends `times` over, each time with
    /// those of the surface before.
    fn solved(
        &self,
        knots: &[KnotVector; 2],
        region: &Region,
        rims: &[Rim],
        places: &[[f64; 2]],
        (bends, times): (bool, usize),
        before: Option<&NurbsSurface>,
    ) -> Result<NurbsSurface, SurfacingError> {
        let mut demands = Vec::with_capacity(3 * rims.len() + places.len());
        for rim in rims {
            demands.push(Demand::place(rim.at, self.kind.weights[0] * rim.step));
            let Some(leaving) = rim.leaving else { continue };
            let weight = |order: usize| self.kind.weights[order] * rim.step * rim.trust;
            demands.push(Demand::slope(rim.at, leaving.across, weight(1)));
            if bends && leaving.bend.is_some() {
                demands.push(Demand::bend(rim.at, leaving.across, weight(2)));
            }
        }
        demands.extend(places.iter().map(|at| Demand::place(*at, self.kind.weights[0] * INNER)));
        let [ku, kv] = knots;
        let fair = Fair::new([ku, kv], self.fairness, region, &demands)?;
        let mut surface = before.cloned();
        for _ in 0..times {
            let mut values = Vec::with_capacity(demands.len());
            for rim in rims {
                values.push(rim.place);
                let Some(leaving) = rim.leaving else { continue };
                let Leaving { across: [a, b], first, bend, normal, changed, .. } = leaving;
                values.push(first);
                if let Some(bend) = bend.filter(|_| bends) {
                    values.push(match &surface {
                        // Only the part along the normal is demanded.
                        Some(surface) if self.layout.plane.is_none() => {
                            let d = surface.derivatives(rim.at[0], rim.at[1]);
                            let now = d.uu * (a * a) + d.uv * (2.0 * a * b) + d.vv * (b * b);
                            now + changed * (bend - now.dot(&normal))
                        }
                        _ => normal * bend,
                    });
                }
            }
            values.extend(self.inner.iter().take(places.len()).map(|p| self.value(p)));
            let points: Vec<Point3> = fair.control_points(&values).into_iter().map(Point3::from).collect();
            surface = Some(NurbsSurface::try_new(ku.clone(), kv.clone(), &points, None)?);
        }
        surface.ok_or(SurfacingError::Empty)
    }

    /// Places of the boundary with how far each is off, as a share of what is allowed.
    fn misses(&self, surface: &NurbsSurface, rims: &[Rim]) -> Vec<([f64; 2], f64)> {
        let allowed = SHARE_OF_FIT * self.tolerance.fit / self.size;
        rims.iter()
            .map(|rim| {
                let d = surface.derivatives(rim.at[0], rim.at[1]);
                let mut miss = (d.point.coords - rim.place).norm() / allowed;
                if let Some(leaving) = rim.leaving.filter(|_| rim.trust >= 1.0) {
                    let [a, b] = leaving.across;
                    let now = d.u * a + d.v * b;
                    let off = match self.layout.plane {
                        Some(_) => (now.z - leaving.first.z).abs() * leaving.facing,
                        None => now.dot(&leaving.normal).abs() / now.norm().max(1e-12),
                    };
                    miss = miss.max(off / ANGLE);
                    if let Some(bend) = leaving.bend {
                        let second = d.uu * (a * a) + d.uv * (2.0 * a * b) + d.vv * (b * b);
                        let wrong = (second.dot(&leaving.normal) - bend).abs();
                        if wrong > FLAT {
                            miss = miss.max(wrong / (BEND * leaving.largest.max(rim.least_bend)));
                        }
                    }
                }
                (rim.at, miss)
            })
            .collect()
    }

    /// Where inner places lie in the parameter plane, as far as is known beforehand.
    fn first_places(&self, outlines: &[Vec<[f64; 2]>]) -> Result<Vec<[f64; 2]>, SurfacingError> {
        let Some(frame) = self.layout.plane else {
            return Ok(Vec::new());
        };
        let mut out = Vec::with_capacity(self.inner.len());
        for p in &self.inner {
            let at = self.flattened(&frame, p);
            self.check_inside(outlines, &at, p)?;
            out.push(at);
        }
        Ok(out)
    }

    fn flattened(&self, frame: &Frame, p: &Point3) -> [f64; 2] {
        let [x, y]: [f64; 2] = frame.flattened(p).into();
        self.unit(&Point3::new(x, y, 0.0))
    }

    fn outlines(&self) -> Vec<Vec<[f64; 2]>> {
        let line = |run: &Vec<NurbsCurve>| -> Vec<[f64; 2]> {
            let places = |c: &NurbsCurve| {
                c.knots().sampled(16).into_iter().skip(1).map(|t| c.point(t)).collect::<Vec<_>>()
            };
            run.iter().flat_map(places).map(|p| self.unit(&p)).collect()
        };
        self.layout.pcurves.iter().map(line).collect()
    }

    fn check_inside(
        &self,
        outlines: &[Vec<[f64; 2]>],
        at: &[f64; 2],
        p: &Point3,
    ) -> Result<(), SurfacingError> {
        // What lies on the boundary, as the end of an inner curve does, is as good as inside.
        let near = |line: &Vec<[f64; 2]>| line.iter().any(|q| (q[0] - at[0]).hypot(q[1] - at[1]) < 0.05);
        let inside = outlines.iter().filter(|line| polygon_holds(line, at)).count() == 1;
        if inside || outlines.iter().any(near) {
            return Ok(());
        }
        Err(SurfacingError::PatchPointOutside { at: (*p).into() })
    }

    /// Inner places in the parameter plane, as near as they come to the surface.
    fn feet(
        &self,
        surface: &NurbsSurface,
        outlines: &[Vec<[f64; 2]>],
    ) -> Result<Vec<[f64; 2]>, SurfacingError> {
        let mut out = Vec::with_capacity(self.inner.len());
        for p in &self.inner {
            let at = closest_on_surface(surface, &Point3::from(self.value(p))).parameters;
            self.check_inside(outlines, &at, p)?;
            out.push(at);
        }
        Ok(out)
    }

    fn off_inner(&self, surface: &NurbsSurface) -> f64 {
        let off = |p: &Point3| match &self.layout.plane {
            Some(frame) => {
                let at = self.flattened(frame, p);
                (surface.point(at[0], at[1]).coords - self.value(p)).norm()
            }
            None => closest_on_surface(surface, &Point3::from(self.value(p))).distance,
        };
        self.inner.iter().map(off).fold(0.0, f64::max) * self.size
    }

    /// Refuses single points so far off that the patch would be all spike.
    fn check_near(&self) -> Result<(), SurfacingError> {
        for p in self.how.points {
            let boundary = self.runs.iter().flatten().flat_map(|e| {
                let d = e.curve.domain();
                [0.0, 0.25, 0.5, 0.75].map(|share| e.curve.point(d.at(share)))
            });
            let distance = boundary.map(|q| (q - p).norm()).fold(f64::INFINITY, f64::min);
            if distance > FAR * self.size {
                return Err(SurfacingError::PatchPointFar { distance, size: self.size, at: (*p).into() });
            }
        }
        Ok(())
    }

    /// The surface in space, its parameters in millimetres of the layout.
    fn placed(&self, surface: &NurbsSurface) -> Result<NurbsSurface, SurfacingError> {
        let over = |knots: &KnotVector, k: usize| {
            let d = knots.domain();
            knots.over(Domain {
                start: self.low[k] + d.start * self.size,
                end: self.low[k] + d.end * self.size,
            })
        };
        let (ku, kv) = (over(surface.knots_u(), 0), over(surface.knots_v(), 1));
        let net = surface.control_points();
        let points: Vec<Point3> = match &self.layout.plane {
            None => net.iter().map(|p| self.middle + p.coords * self.size).collect(),
            Some(frame) => {
                let (gu, gv) = (ku.greville(), kv.greville());
                let place = |(i, p): (usize, &Point3)| {
                    frame.to_space(gu[i / gv.len()], gv[i % gv.len()]) + frame.z * (p.z * self.size)
                };
                net.iter().enumerate().map(place).collect()
            }
        };
        Ok(NurbsSurface::try_new(ku, kv, &points, None)?)
    }
}

/// Halves the spans in which something is wanted; gives whether any was.
fn refine(breaks: &mut [Vec<f64>; 2], wanted: &[[f64; 2]], sides: [f64; 2]) -> bool {
    let mut any = false;
    for k in 0..2 {
        let most = (SPANS[1] * sides[k]).ceil() as usize;
        let mut out = vec![breaks[k][0]];
        for w in breaks[k].windows(2) {
            let hit = wanted.iter().any(|p| p[k] >= w[0] && p[k] <= w[1]);
            if hit && out.len() < most {
                out.push(0.5 * (w[0] + w[1]));
                any = true;
            }
            out.push(w[1]);
        }
        breaks[k] = out;
    }
    any
}
