//! Where a patch's boundary lies in its parameter plane.
//!
//! A boundary that is seen well from one side is laid out as it is seen, and the patch is a height over that plane. One that
//! hides is developed: rolled out with its turning within the surface (its geodesic curvature), what is missing to a full
//! turn spread evenly along it (Gauss and Bonnet: that is the curvature inside). Between the two, where faces become steep
//! to the plane, the layout goes over from the one to the other, and so does the patch.

use std::f64::consts::TAU;

use geometry::{
    EndDerivatives, Frame, NurbsCurve, Point3, Vector3, interpolate, polygon_area, self_crossing,
};

use super::LEAST_TURN;
use super::boundary::PatchEdge;
use crate::SurfacingError;

/// Cosines between the plane's normal and the normals of faces that a patch is tangent to, below which the boundary hides
/// and above which it is seen well. A height over the plane leaves steep faces at so great a slope that it swings.
const FACING: [f64; 2] = [0.6, 0.85];
/// The same for edges without a face beside them, of their slope over the plane.
const LEVEL: [f64; 2] = [0.35, 0.5];
/// The same for corners between two edges without faces beside them, of the plane that holds both edges there. What is seen
/// as one straight edge would have a kink that no smooth height has: it swings far out beside it.
const CORNER_LEVEL: [f64; 2] = [0.1, 0.3];
/// Least of these cosines for a boundary with holes, which is only laid out as it is seen.
const LEAST_SEEN: f64 = 0.35;
/// Places of each edge.
const PLACES: usize = 48;
/// Places of each of its spans at least.
const LEAST_PLACES: usize = 4;
/// Largest share of its length by which a developed boundary may miss closing.
const MOST_MISSED: f64 = 0.3;

/// A patch's boundary in its parameter plane, in millimetres.
pub(super) struct Layout {
    /// The plane over which the patch is a height; none for one that is free in space.
    pub(super) plane: Option<Frame>,
    /// For one that is free in space: the plane from which it is partly seen, and how far, from 0 to 1.
    pub(super) partly: Option<(Frame, f64)>,
    /// The edges by their own parameters, run by run; the outer one first and anticlockwise, the others clockwise.
    pub(super) pcurves: Vec<Vec<NurbsCurve>>,
    /// How fast the patch leaves its boundary for a step of the plane across it.
    pub(super) fullness: f64,
}

/// The runs, the outer one first, and how they are laid out.
pub(super) fn laid_out(
    mut runs: Vec<Vec<PatchEdge>>,
) -> Result<(Vec<Vec<PatchEdge>>, Layout), SurfacingError> {
    let outline = |run: &[PatchEdge]| -> Vec<Point3> {
        run.iter().flat_map(|e| places(&e.curve).into_iter().skip(1)).map(|(_, p)| p).collect()
    };
    // The outer run is the one with the largest reach.
    let reach = |run: &[PatchEdge]| {
        let points = outline(run);
        let middle = centroid(&points);
        points.iter().map(|p| (p - middle).norm()).fold(0.0, f64::max)
    };
    runs.sort_by(|a, b| reach(b).total_cmp(&reach(a)));
    let frame = Frame::of_outline(&outline(&runs[0]));
    let holes = runs.len() > 1;
    if let Some(frame) = frame {
        let mut turned = Vec::with_capacity(runs.len());
        for (k, run) in runs.iter().enumerate() {
            let line: Vec<[f64; 2]> = outline(run).iter().map(|p| frame.flattened(p).into()).collect();
            let left = polygon_area(&line) > 0.0;
            turned.push(if left == (k == 0) {
                run.clone()
            } else {
                run.iter().rev().map(PatchEdge::reversed).collect()
            });
        }
        let seen = Seen::of(&turned, &frame.z);
        let flat = |e: &PatchEdge| {
            e.curve.mapped(|p| {
                let [x, y]: [f64; 2] = frame.flattened(p).into();
                Point3::new(x, y, 0.0)
            })
        };
        let pcurves: Vec<Vec<NurbsCurve>> = turned.iter().map(|r| r.iter().map(flat).collect()).collect();
        let chord = 1e-3 * reach(&runs[0]);
        let crosses = |run: &Vec<NurbsCurve>| self_crossing(run, true, chord).is_some();
        if seen.least >= LEAST_SEEN && !pcurves.iter().any(crosses) {
            // What cannot be rolled out is still seen.
            if !holes
                && seen.share < 1.0
                && let Ok(layout) = free(&turned[0], Some((&pcurves[0], frame, seen.share)))
            {
                return Ok((turned, layout));
            }
            return Ok((turned, Layout { plane: Some(frame), partly: None, pcurves, fullness: 1.0 }));
        }
    }
    if let [_, inner, ..] = &runs[..] {
        let at = inner[0].curve.start().into();
        return Err(SurfacingError::PatchHidden { at });
    }
    let layout = free(&runs[0], None)?;
    Ok((runs, layout))
}

/// The layout of a boundary whose patch is free in space: developed, or where it is partly seen, between the developed one,
/// laid over the projected one as well as it goes, and that.
fn free(run: &[PatchEdge], partly: Option<(&Vec<NurbsCurve>, Frame, f64)>) -> Result<Layout, SurfacingError> {
    let (mut places, fullness) = developed(run)?;
    if let Some((projected, _, share)) = partly.filter(|p| p.2 > 0.0) {
        lay_over(&mut places, projected, share);
    }
    let pcurves = vec![through(run, &places)?];
    let partly = partly.map(|(_, frame, share)| (frame, share));
    Ok(Layout { plane: None, partly, pcurves, fullness })
}

/// Moves a developed boundary onto the projected one, and each of its places a share of the way to its own place there.
fn lay_over(places: &mut [Laid], projected: &[NurbsCurve], share: f64) {
    let seen: Vec<Vec<Point3>> =
        places.iter().zip(projected).map(|(own, c)| own.iter().map(|p| c.point(p.0)).collect()).collect();
    let middles = [
        centroid(&places.iter().flatten().map(|p| p.1).collect::<Vec<_>>()),
        centroid(&seen.iter().flatten().copied().collect::<Vec<_>>()),
    ];
    let (mut along, mut across) = (0.0, 0.0);
    for ((_, own), wanted) in places.iter().flatten().zip(seen.iter().flatten()) {
        let (a, b) = (own - middles[0], wanted - middles[1]);
        along += a.x * b.x + a.y * b.y;
        across += a.x * b.y - a.y * b.x;
    }
    let (sin, cos) = across.atan2(along).sin_cos();
    for ((_, own), wanted) in places.iter_mut().flatten().zip(seen.iter().flatten()) {
        let a = *own - middles[0];
        let laid = middles[1] + Vector3::new(cos * a.x - sin * a.y, sin * a.x + cos * a.y, 0.0);
        *own = laid + (wanted - laid) * share;
    }
}

/// An edge's places by its parameter, the ends with them.
fn places(curve: &NurbsCurve) -> Vec<(f64, Point3)> {
    let spans = curve.knots().breaks().len() - 1;
    let per_span = PLACES.div_ceil(spans).max(LEAST_PLACES);
    curve.knots().sampled(per_span).into_iter().map(|t| (t, curve.point(t))).collect()
}

fn centroid(points: &[Point3]) -> Point3 {
    Point3::from(points.iter().map(|p| p.coords).sum::<Vector3>() / points.len().max(1) as f64)
}

/// How well a boundary is seen along a direction.
struct Seen {
    /// From 0 where it hides to 1 where it is seen well.
    share: f64,
    /// The least cosine of a face or an edge to the plane.
    least: f64,
}

impl Seen {
    fn of(runs: &[Vec<PatchEdge>], z: &Vector3) -> Self {
        let mut seen = Self { share: 1.0, least: 1.0 };
        for edge in runs.iter().flatten() {
            for (t, _) in places(&edge.curve) {
                let Some(along) = edge.curve.tangent(t) else { continue };
                let normal = edge.tangent_to().and_then(|beside| Some(beside.leaving(t, &along)?.0));
                let (cosine, within) = match normal {
                    Some(normal) => (normal.dot(z), FACING),
                    None => ((1.0 - along.dot(z).powi(2)).max(0.0).sqrt(), LEVEL),
                };
                seen.limit(cosine, within);
                seen.least = seen.least.min(cosine);
            }
        }
        for run in runs {
            for (k, edge) in run.iter().enumerate() {
                if let Some(normal) = corner_normal(edge, &run[(k + 1) % run.len()]) {
                    seen.limit(normal.dot(z).abs(), CORNER_LEVEL);
                }
            }
        }
        seen
    }

    /// Takes into account a cosine of which so much is hidden and so much seen well.
    fn limit(&mut self, cosine: f64, [low, high]: [f64; 2]) {
        let share = ((cosine - low) / (high - low)).clamp(0.0, 1.0);
        self.share = self.share.min(share * share * (3.0 - 2.0 * share));
    }
}

/// The normal of the plane that holds an edge's end and the next one's start, where only they decide what a patch does at
/// the corner; none where they go on straight.
fn corner_normal(edge: &PatchEdge, next: &PatchEdge) -> Option<Vector3> {
    if edge.tangent_to().or(next.tangent_to()).is_some() {
        return None;
    }
    let along = edge.curve.tangent(edge.curve.domain().end)?;
    let onward = next.curve.tangent(next.curve.domain().start)?;
    let normal = along.cross(&onward);
    (normal.norm() >= LEAST_TURN).then(|| normal.normalize())
}

/// One place of the boundary as it is rolled out.
struct Place {
    t: f64,
    along: Vector3,
    normal: Vector3,
    /// How far it is from the place before.
    step: f64,
}

/// Tangents and normals along an edge, for a patch on its left.
fn rolled(edge: &PatchEdge, middle: &Point3) -> Vec<Place> {
    let mut out: Vec<Place> = Vec::new();
    let mut before: Option<Point3> = None;
    for (t, p) in places(&edge.curve) {
        let Some(along) = edge.curve.tangent(t) else { continue };
        let inward = (middle - p) - along * (middle - p).dot(&along);
        let normal = match edge.tangent_to().and_then(|b| b.leaving(t, &along)) {
            Some((normal, _)) => normal,
            None => match along.cross(&inward).try_normalize(1e-12) {
                Some(normal) => normal,
                None => continue,
            },
        };
        out.push(Place { t, along, normal, step: before.map_or(0.0, |b| (p - b).norm()) });
        before = Some(p);
    }
    out
}

/// The angle by which a direction turns to the left on its way from a place to another, as seen against their normals or
/// another one that is given.
fn turning(from: &Place, to: &Place, given: Option<Vector3>) -> f64 {
    let mean = (from.normal + to.normal).try_normalize(1e-12).unwrap_or(from.normal);
    let normal = given.map_or(mean, |g| if g.dot(&mean) < 0.0 { -g } else { g });
    from.along.cross(&to.along).dot(&normal).atan2(from.along.dot(&to.along))
}

/// Places of an edge in the parameter plane, by its parameter.
type Laid = Vec<(f64, Point3)>;

/// Places of a run's edges rolled out into the plane, anticlockwise, and the patch's fullness.
fn developed(run: &[PatchEdge]) -> Result<(Vec<Laid>, f64), SurfacingError> {
    let points: Vec<Point3> = run.iter().flat_map(|e| places(&e.curve)).map(|(_, p)| p).collect();
    let middle = centroid(&points);
    let at: [f64; 3] = run[0].curve.start().into();
    let parts: Vec<Vec<Place>> = run.iter().map(|e| rolled(e, &middle)).collect();
    if parts.iter().any(|p| p.len() < 2) {
        return Err(SurfacingError::NoWay { why: "an edge of the patch has no direction; take it out", at });
    }
    let length: f64 = parts.iter().flatten().map(|p| p.step).sum();
    // Turnings between successive places, those at the corners last of each edge.
    let mut turns: Vec<Vec<f64>> = Vec::new();
    let mut total = 0.0;
    for (k, part) in parts.iter().enumerate() {
        let next = &parts[(k + 1) % parts.len()][0];
        let mut own: Vec<f64> = part.windows(2).map(|w| turning(&w[0], &w[1], None)).collect();
        let corner = corner_normal(&run[k], &run[(k + 1) % run.len()]);
        own.push(turning(&part[part.len() - 1], next, corner));
        total += own.iter().sum::<f64>();
        turns.push(own);
    }
    let missing = TAU - total;
    let mut heading: f64 = 0.0;
    let mut here = [0.0_f64; 2];
    let mut walked = 0.0;
    let mut path: Vec<Vec<([f64; 2], f64)>> = Vec::new();
    for (part, turns) in parts.iter().zip(&turns) {
        let mut own = vec![(here, walked)];
        for (place, turn) in part[1..].iter().zip(turns) {
            // A step goes along the middle of the turn that it makes.
            let turn = turn + missing * place.step / length;
            let half = heading + 0.5 * turn;
            let chord = place.step;
            here = [here[0] + chord * half.cos(), here[1] + chord * half.sin()];
            walked += place.step;
            heading += turn;
            own.push((here, walked));
        }
        heading += turns[turns.len() - 1];
        path.push(own);
    }
    let miss = here;
    if miss[0].hypot(miss[1]) > MOST_MISSED * length {
        return Err(SurfacingError::PatchHidden { at });
    }
    let laid = |(part, path): (&Vec<Place>, &Vec<([f64; 2], f64)>)| -> Laid {
        let place = |(place, ([x, y], run)): (&Place, &([f64; 2], f64))| {
            let share = run / length;
            (place.t, Point3::new(x - miss[0] * share, y - miss[1] * share, 0.0))
        };
        part.iter().zip(path).map(place).collect()
    };
    // For a cap of a sphere with this much curvature, a rise that falls off evenly toward the middle reaches its top so.
    let fullness = 1.0 / (1.0 - missing.clamp(-TAU, 1.5 * TAU) / (2.0 * TAU));
    Ok((parts.iter().zip(&path).map(laid).collect(), fullness))
}

/// A run's edges in the parameter plane through their places there.
fn through(run: &[PatchEdge], laid: &[Laid]) -> Result<Vec<NurbsCurve>, SurfacingError> {
    let mut pcurves = Vec::with_capacity(run.len());
    for (edge, laid) in run.iter().zip(laid) {
        // Where the edge's own speed changes abruptly, so does that of its image.
        let breaks = edge.curve.knots().breaks();
        let pieces = breaks.windows(2).map(|w| {
            let own = laid.iter().filter(|(t, _)| *t >= w[0] && *t <= w[1]);
            let (parameters, points): (Vec<f64>, Vec<Point3>) = own.copied().unzip();
            interpolate(&points, &parameters, 3.min(points.len().saturating_sub(1)), &EndDerivatives::free())
        });
        let pieces = pieces.collect::<Result<Vec<_>, _>>()?;
        pcurves.push(NurbsCurve::of_pieces_over(&pieces, &breaks)?);
    }
    let length: f64 = pcurves.iter().map(NurbsCurve::polygon_length).sum();
    if self_crossing(&pcurves, true, 1e-3 * length).is_some() {
        return Err(SurfacingError::PatchHidden { at: run[0].curve.start().into() });
    }
    Ok(pcurves)
}
