//! How neighbouring faces meet along the edges that they share: gap, angle and curvature.

use geometry::{KnotVector, NurbsCurve, NurbsSurface, Point3, Vector3};

use crate::{EdgeId, FaceId, OrientedEdge, Shell};

/// Places per span between knots of an edge and of both surfaces along it, and about as many as there are at most.
const PLACES_PER_SPAN: usize = 4;
const MOST_PLACES: usize = 512;
/// Share of an edge within which two knots are one.
const SAME_KNOT: f64 = 1e-9;
/// Largest angle in radians, 0.1 degrees, with which faces still count as tangent.
const TANGENT: f64 = 0.1 * std::f64::consts::PI / 180.0;
/// Largest share by which the curvatures across the edge may differ for faces that still count as agreeing in it.
const AGREEING: f64 = 0.02;
/// Share of the largest curvature along an edge below which curvatures are not compared with themselves.
const LEAST_SHARE: f64 = 0.05;
/// Curvatures, or differences of them, that come to less than this angle in radians over the length of the edge are none.
const FLAT: f64 = 2e-4;

/// How smoothly two faces meet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Continuity {
    /// At an angle.
    G0,
    /// Tangent, within 0.1 degrees.
    G1,
    /// Tangent, and across the edge within 2 % of the curvature that they have there.
    G2,
}

/// How two surfaces meet along a curve; each figure is the largest that was met, with its place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Meeting {
    /// Distance between the two surfaces, in millimetres.
    pub gap: (f64, Point3),
    /// Angle between their normals, in radians; 0 where they are tangent.
    pub angle: (f64, Point3),
    /// Difference of their normal curvatures across the edge, in 1/mm.
    pub curvature: (f64, Point3),
    /// The same as a share of the largest curvature that either has there in any direction, or of a twentieth of the largest
    /// along the curve.
    pub curvature_share: f64,
    /// What that comes to.
    pub meets: Continuity,
}

/// The seam between two faces along one edge.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seam {
    /// The edge.
    pub edge: EdgeId,
    /// The faces.
    pub faces: [FaceId; 2],
    /// How they meet.
    pub meeting: Meeting,
}

/// A surface on one side of a curve, which it holds.
#[derive(Debug, Clone, Copy)]
pub struct SeamSide<'a> {
    /// The surface.
    pub surface: &'a NurbsSurface,
    /// The curve in the surface's parameter plane, by the curve's own parameter.
    pub pcurve: &'a NurbsCurve,
    /// Whether the outside is against the surface's normal.
    pub reversed: bool,
}

/// One face at one place of an edge.
struct Side {
    point: Point3,
    /// Towards the outside.
    normal: Vector3,
    /// Normal curvature across the edge, towards the outside.
    across: f64,
    /// The largest one in any direction.
    largest: f64,
}

impl SeamSide<'_> {
    fn at(&self, t: f64, along: &Vector3) -> Option<Side> {
        let p = self.pcurve.point(t);
        let d = self.surface.derivatives(p.x, p.y);
        let plain = self.surface.normal(p.x, p.y)?;
        let sign = if self.reversed { -1.0 } else { 1.0 };
        let across = d.normal_curvature(&plain.cross(along))? * sign;
        Some(Side { point: d.point, normal: plain * sign, across, largest: d.largest_curvature() })
    }
}

/// Parameters of a curve between which it and both surfaces along it have no knot: what differs between them can be largest
/// midway and nothing at the knots of the curve itself.
fn spans_along(curve: &NurbsCurve, sides: &[SeamSide<'_>; 2]) -> Vec<f64> {
    let coarse = curve.knots().sampled(PLACES_PER_SPAN);
    let mut out = curve.knots().breaks();
    for side in sides {
        let places: Vec<(f64, Point3)> = coarse.iter().map(|&t| (t, side.pcurve.point(t))).collect();
        for (axis, knots) in [side.surface.knots_u(), side.surface.knots_v()].into_iter().enumerate() {
            for knot in knots.breaks() {
                let crosses = |w: &[(f64, Point3)]| {
                    let [from, until] = [w[0].1[axis] - knot, w[1].1[axis] - knot];
                    (from * until < 0.0).then(|| w[0].0 + (w[1].0 - w[0].0) * from / (from - until))
                };
                out.extend(places.windows(2).filter_map(crosses));
            }
        }
    }
    out.sort_by(f64::total_cmp);
    let d = curve.domain();
    out.dedup_by(|b, a| *b - *a <= SAME_KNOT * d.length());
    let last = out.len() - 1;
    out[last] = d.end;
    out
}

/// How two surfaces meet along a curve that both hold. Places at which either has no normal are left out; `None` where
/// none is left.
#[must_use]
pub fn meeting(curve: &NurbsCurve, sides: [SeamSide<'_>; 2]) -> Option<Meeting> {
    let breaks = spans_along(curve, &sides);
    let per_span = (MOST_PLACES / breaks.len()).clamp(1, PLACES_PER_SPAN);
    let places = KnotVector::smooth_pieces(1, &breaks).sampled(per_span);
    let start = curve.start();
    let none = (0.0, start);
    let mut found =
        Meeting { gap: none, angle: none, curvature: none, curvature_share: 0.0, meets: Continuity::G2 };
    let mut bends: Vec<(f64, f64)> = Vec::new();
    for t in places {
        let Some(along) = curve.tangent(t) else { continue };
        let [Some(x), Some(y)] = sides.map(|s| s.at(t, &along)) else { continue };
        let place = nalgebra::center(&x.point, &y.point);
        let larger = |known: &mut (f64, Point3), value: f64| {
            if value > known.0 {
                *known = (value, place);
            }
        };
        larger(&mut found.gap, (y.point - x.point).norm());
        larger(&mut found.angle, x.normal.cross(&y.normal).norm().atan2(x.normal.dot(&y.normal)));
        let difference = (x.across - y.across).abs();
        larger(&mut found.curvature, difference);
        bends.push((difference, x.largest.max(y.largest)));
    }
    // Where the curvature passes through nothing, any difference would be a large share of it.
    let least = bends.iter().map(|b| b.1).fold(0.0, f64::max) * LEAST_SHARE;
    let share = |&(difference, size): &(f64, f64)| difference / size.max(least);
    let flat = FLAT / curve.polygon_length().max(f64::MIN_POSITIVE);
    found.curvature_share = bends.iter().filter(|b| b.0 > flat).map(share).fold(0.0, f64::max);
    found.meets = if found.angle.0 > TANGENT {
        Continuity::G0
    } else if found.curvature_share > AGREEING {
        Continuity::G1
    } else {
        Continuity::G2
    };
    (!bends.is_empty()).then_some(found)
}

/// The seams of a shell: edges at which just two faces meet. Places at which a face has no normal are left out, and so are
/// edges along which a face meets itself.
#[must_use]
pub fn seams(shell: &Shell) -> Vec<Seam> {
    let mut users: Vec<Vec<(usize, &OrientedEdge)>> = vec![Vec::new(); shell.edges().len()];
    for (i, face) in shell.faces().iter().enumerate() {
        for used in face.loops.iter().flat_map(|l| &l.edges) {
            users[used.edge.index()].push((i, used));
        }
    }
    let mut out = Vec::new();
    for (i, (edge, users)) in shell.edges().iter().zip(&users).enumerate() {
        let (Some(curve), [(a, first), (b, second)]) = (&edge.curve, &users[..]) else { continue };
        if a == b {
            continue;
        }
        let of = |face: usize| &shell.faces()[face];
        let sides = [(*a, *first), (*b, *second)].map(|(f, used)| SeamSide {
            surface: &of(f).surface,
            pcurve: &used.pcurve,
            reversed: of(f).reversed,
        });
        if let Some(meeting) = meeting(curve, sides) {
            out.push(Seam { edge: EdgeId(i as u32), faces: [FaceId(*a as u32), FaceId(*b as u32)], meeting });
        }
    }
    out
}
