//! The boundary of a patch: closed runs of edges, what lies beside each, and whether that agrees at the corners.

use std::sync::Arc;

use geometry::{NurbsCurve, NurbsSurface, Point3, Skin, Tolerance, Vector3, skin};

use crate::chain::chain_orders;
use crate::{Agrees, SurfacingError};

/// Largest angle in radians, half a degree, by which tangent planes may disagree at a corner before a patch is refused.
const DISAGREEING: f64 = 0.5 * std::f64::consts::PI / 180.0;

/// The face beside an edge.
#[derive(Debug, Clone, PartialEq)]
pub struct Beside {
    /// Its surface.
    pub surface: Arc<NurbsSurface>,
    /// The edge in the surface's parameter plane, by the edge's own parameter.
    pub pcurve: NurbsCurve,
    /// Whether the face lies to the left of the edge there.
    pub left: bool,
}

/// An edge of a patch.
#[derive(Debug, Clone, PartialEq)]
pub struct PatchEdge {
    /// The edge.
    pub curve: NurbsCurve,
    /// The face beside it, if it is an edge of one.
    pub beside: Option<Beside>,
    /// What the patch takes over from that face.
    pub agrees: Agrees,
    /// Which of the edges that were given it belongs to, counted from 1.
    pub number: usize,
}

impl PatchEdge {
    /// A curve that is met in position only, with no face beside it that counts.
    #[must_use]
    pub fn plain(curve: NurbsCurve, number: usize) -> Self {
        Self { curve, beside: None, agrees: Agrees::Position, number }
    }

    /// A curve at which the surface is to be square to a plane through it, as a half is that is mirrored there: tangent to
    /// the curve carried along the plane's normal. It leaves on the side of the plane on which `toward` lies.
    ///
    /// # Errors
    /// What keeps the curve from being carried.
    pub fn square(
        curve: NurbsCurve,
        normal: &Vector3,
        toward: &Point3,
        number: usize,
    ) -> Result<Self, SurfacingError> {
        let reach = normal * curve.polygon_length();
        let rows = [-reach, reach].map(|by| curve.mapped(|p| p + by));
        let surface = Arc::new(skin(&rows, &Skin::Straight)?);
        let (d, v) = (curve.domain(), surface.domain().1.at(0.5));
        let pcurve = NurbsCurve::line(Point3::new(d.start, v, 0.0), Point3::new(d.end, v, 0.0)).over(d);
        let left = (toward - curve.start()).dot(normal) < 0.0;
        let beside = Some(Beside { surface, pcurve, left });
        Ok(Self { curve, beside, agrees: Agrees::Tangent, number })
    }

    pub(super) fn reversed(&self) -> Self {
        let beside = self.beside.as_ref().map(|b| Beside {
            surface: Arc::clone(&b.surface),
            pcurve: b.pcurve.reversed(),
            left: !b.left,
        });
        Self { curve: self.curve.reversed(), beside, ..self.clone() }
    }

    /// The face that it is to be tangent to.
    pub(crate) fn tangent_to(&self) -> Option<&Beside> {
        self.beside.as_ref().filter(|_| self.agrees != Agrees::Position)
    }
}

impl Beside {
    /// The face's tangent plane at a parameter of the edge: its normal, for a patch that lies to the left of the edge, and
    /// the direction in which the patch leaves it.
    pub(super) fn leaving(&self, t: f64, along: &Vector3) -> Option<(Vector3, Vector3)> {
        let p = self.pcurve.point(t);
        let normal = self.surface.normal(p.x, p.y)?;
        // The face's own side is left of the edge as its normal sees it, or right.
        let away = normal.cross(along) * if self.left { -1.0 } else { 1.0 };
        let away = away.try_normalize(1e-12)?;
        Some((along.cross(&away), away))
    }

    /// The face's normal curvature for a motion along it, toward the normal given, and the largest one in any direction.
    pub(super) fn bend(&self, t: f64, along: &Vector3, normal: &Vector3) -> Option<(f64, f64)> {
        let p = self.pcurve.point(t);
        let d = self.surface.derivatives(p.x, p.y);
        let bend = d.normal_curvature(along)?;
        let sign = if d.area_vector().dot(normal) < 0.0 { -1.0 } else { 1.0 };
        Some((bend * sign, d.largest_curvature() * along.norm_squared()))
    }
}

/// Edges sorted into closed runs, each in its direction.
pub(super) fn loops(
    edges: &[PatchEdge],
    tolerance: &Tolerance,
) -> Result<Vec<Vec<PatchEdge>>, SurfacingError> {
    if edges.is_empty() {
        return Err(SurfacingError::Empty);
    }
    let curves: Vec<NurbsCurve> = edges.iter().map(|e| e.curve.clone()).collect();
    let orders = chain_orders(&curves, tolerance);
    let place = |(i, back): (usize, bool), last: bool| {
        if back == last { curves[i].start() } else { curves[i].end() }
    };
    let ends: Vec<[Point3; 2]> =
        orders.iter().map(|o| [place(o[0], false), place(o[o.len() - 1], true)]).collect();
    for (k, [start, end]) in ends.iter().enumerate() {
        if (start - end).norm() <= tolerance.join {
            continue;
        }
        // The gap is that to the nearest loose end, of another run or of this one.
        let others = ends.iter().enumerate().filter(|(i, _)| *i != k).flat_map(|(_, e)| e.iter());
        let nearest = others.chain([start]).map(|p| (p - end).norm()).fold(f64::INFINITY, f64::min);
        return Err(SurfacingError::PatchGap { gap: nearest, at: (*end).into() });
    }
    let one = |&(i, back): &(usize, bool)| if back { edges[i].reversed() } else { edges[i].clone() };
    Ok(orders.iter().map(|o| o.iter().map(one).collect()).collect())
}

/// A corner at which an edge's curve leaves the tangent plane of the face beside its neighbour, so that no surface is
/// tangent to that face right up to it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LooseCorner {
    /// The number of the edge that is tangent to its face.
    pub tangent: usize,
    /// The number of the edge that leaves its plane.
    pub leaving: usize,
    /// The angle in radians.
    pub angle: f64,
    /// Where.
    pub at: Point3,
}

/// Refuses tangent planes that disagree at a corner; gives the corners at which only one edge has one and the other edge
/// leaves it.
pub(super) fn corners(run: &[PatchEdge]) -> Result<Vec<LooseCorner>, SurfacingError> {
    let mut loose = Vec::new();
    for (k, edge) in run.iter().enumerate() {
        let next = &run[(k + 1) % run.len()];
        let (d, e) = (edge.curve.domain(), next.curve.domain());
        let (Some(along), Some(onward)) = (edge.curve.tangent(d.end), next.curve.tangent(e.start)) else {
            continue;
        };
        let own = edge.tangent_to().and_then(|b| b.leaving(d.end, &along)).map(|l| l.0);
        let its = next.tangent_to().and_then(|b| b.leaving(e.start, &onward)).map(|l| l.0);
        let at = next.curve.start();
        let out_of = |normal: &Vector3, way: &Vector3| normal.dot(way).abs().min(1.0).asin();
        match (own, its) {
            (Some(a), Some(b)) => {
                let angle = a.cross(&b).norm().atan2(a.dot(&b).abs());
                if angle > DISAGREEING {
                    let degrees = angle.to_degrees();
                    let edges = [edge.number, next.number];
                    return Err(SurfacingError::CornerDisagrees { edges, degrees, at: at.into() });
                }
            }
            (Some(a), None) if out_of(&a, &onward) > DISAGREEING => {
                let angle = out_of(&a, &onward);
                loose.push(LooseCorner { tangent: edge.number, leaving: next.number, angle, at });
            }
            (None, Some(b)) if out_of(&b, &along) > DISAGREEING => {
                let angle = out_of(&b, &along);
                loose.push(LooseCorner { tangent: next.number, leaving: edge.number, angle, at });
            }
            _ => {}
        }
    }
    Ok(loose)
}
