//! Where a patch's boundary lies in its parameter plane.
//!
//! A boundary that can be seen whole from one side is laid out as it is seen, and the patch is a height over that plane.
//! Another one is developed: rolled out with its turning within the surface (its geodesic curvature), what is missing to a
//! full turn spread evenly along it (Gauss and Bonnet: that is the curvature inside).

use std::f64::consts::TAU;

use geometry::{
    EndDerivatives, Frame, NurbsCurve, Point3, Vector3, interpolate, polygon_area, self_crossing,
};

use super::boundary::PatchEdge;
use crate::SurfacingError;

/// Least cosine between the plane's normal and the normals of faces that a patch seen from one side is tangent to.
const LEAST_FACING: f64 = 0.35;
/// Largest sine of a boundary's slope over the plane.
const MOST_SLOPE: f64 = 0.94;
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
    if let Some(frame) = frame
        && runs.iter().flatten().all(|e| seen_from(e, &frame.z))
    {
        let flat = |run: &[PatchEdge]| -> Vec<NurbsCurve> {
            run.iter()
                .map(|e| {
                    e.curve.mapped(|p| {
                        let [x, y]: [f64; 2] = frame.flattened(p).into();
                        Point3::new(x, y, 0.0)
                    })
                })
                .collect()
        };
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
        let pcurves: Vec<Vec<NurbsCurve>> = turned.iter().map(|r| flat(r)).collect();
        let chord = 1e-3 * reach(&runs[0]);
        if pcurves.iter().all(|run| self_crossing(run, true, chord).is_none()) {
            return Ok((turned, Layout { plane: Some(frame), pcurves, fullness: 1.0 }));
        }
    }
    if let [_, inner, ..] = &runs[..] {
        let at = inner[0].curve.start().into();
        return Err(SurfacingError::PatchHidden { at });
    }
    let (pcurves, fullness) = developed(&runs[0])?;
    Ok((runs, Layout { plane: None, pcurves: vec![pcurves], fullness }))
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

/// Whether neither the edge nor the face that the patch is tangent to stands too steep over a plane.
fn seen_from(edge: &PatchEdge, z: &Vector3) -> bool {
    places(&edge.curve).into_iter().all(|(t, _)| {
        let Some(along) = edge.curve.tangent(t) else { return true };
        let facing = match edge.tangent_to() {
            Some(beside) => beside.leaving(t, &along).is_none_or(|(n, _)| n.dot(z).abs() >= LEAST_FACING),
            None => true,
        };
        facing && along.dot(z).abs() <= MOST_SLOPE
    })
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

/// The angle by which a direction turns to the left on its way from a place to another, as seen against their normals.
fn turning(from: &Place, to: &Place) -> f64 {
    let normal = (from.normal + to.normal).try_normalize(1e-12).unwrap_or(from.normal);
    from.along.cross(&to.along).dot(&normal).atan2(from.along.dot(&to.along))
}

/// A run's edges rolled out into the plane, anticlockwise, and the patch's fullness.
fn developed(run: &[PatchEdge]) -> Result<(Vec<NurbsCurve>, f64), SurfacingError> {
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
        let mut own: Vec<f64> = part.windows(2).map(|w| turning(&w[0], &w[1])).collect();
        own.push(turning(&part[part.len() - 1], next));
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
    let mut pcurves = Vec::with_capacity(parts.len());
    for ((part, path), edge) in parts.iter().zip(&path).zip(run) {
        let points: Vec<Point3> = path
            .iter()
            .map(|([x, y], run)| {
                let share = run / length;
                Point3::new(x - miss[0] * share, y - miss[1] * share, 0.0)
            })
            .collect();
        let parameters: Vec<f64> = part.iter().map(|p| p.t).collect();
        // Where the edge's own speed changes abruptly, so does that of its image.
        let breaks = edge.curve.knots().breaks();
        let pieces = breaks.windows(2).map(|w| {
            let within = |k: &usize| parameters[*k] >= w[0] && parameters[*k] <= w[1];
            let own: Vec<usize> = (0..parameters.len()).filter(within).collect();
            let pick = |k: &usize| (points[*k], parameters[*k]);
            let (points, parameters): (Vec<Point3>, Vec<f64>) = own.iter().map(pick).unzip();
            interpolate(&points, &parameters, 3.min(points.len().saturating_sub(1)), &EndDerivatives::free())
        });
        let pieces = pieces.collect::<Result<Vec<_>, _>>()?;
        pcurves.push(NurbsCurve::of_pieces_over(&pieces, &breaks)?);
    }
    if self_crossing(&pcurves, true, 1e-3 * length).is_some() {
        return Err(SurfacingError::PatchHidden { at });
    }
    // For a cap of a sphere with this much curvature, a rise that falls off evenly toward the middle reaches its top so.
    Ok((pcurves, 1.0 / (1.0 - missing.clamp(-TAU, 1.5 * TAU) / (2.0 * TAU))))
}
