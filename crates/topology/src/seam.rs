//! How neighbouring faces meet along the edges that they share: gap, angle and curvature.

use geometry::{Point3, Vector3};

use crate::{EdgeId, Face, FaceId, OrientedEdge, Shell};

/// Places per knot span of an edge, and most of them on one edge.
const PLACES_PER_SPAN: usize = 4;
const MOST_PLACES: usize = 64;
/// Largest angle in radians, 0.1 degrees, with which faces still count as tangent.
const TANGENT: f64 = 0.1 * std::f64::consts::PI / 180.0;
/// Largest share by which the curvatures across the edge may differ for faces that still count as agreeing in it.
const AGREEING: f64 = 0.02;
/// Curvatures below this, in 1/mm, are those of something flat.
const FLAT: f64 = 1e-6;

/// How smoothly two faces meet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Continuity {
    /// At an angle.
    G0,
    /// Tangent, within 0.1 degrees.
    G1,
    /// Tangent and within 2 % of each other's curvature across the edge.
    G2,
}

/// The seam between two faces along one edge; each figure is the largest that was met, with its place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seam {
    /// The edge.
    pub edge: EdgeId,
    /// The faces.
    pub faces: [FaceId; 2],
    /// Distance between the two surfaces, in millimetres.
    pub gap: (f64, Point3),
    /// Angle between their normals, in radians; 0 where they are tangent.
    pub angle: (f64, Point3),
    /// Difference of their normal curvatures across the edge, in 1/mm.
    pub curvature: (f64, Point3),
    /// The same as a share of the larger curvature.
    pub curvature_share: f64,
    /// What that comes to.
    pub meets: Continuity,
}

/// One face at one place of an edge.
struct Side {
    point: Point3,
    /// Towards the outside.
    normal: Vector3,
    /// Normal curvature across the edge, towards the outside.
    across: f64,
}

fn side(face: &Face, used: &OrientedEdge, t: f64, along: &Vector3) -> Option<Side> {
    let p = used.pcurve.point(t);
    let d = face.surface.derivatives(p.x, p.y);
    let plain = face.surface.normal(p.x, p.y)?;
    let sign = if face.reversed { -1.0 } else { 1.0 };
    let across = d.normal_curvature(&plain.cross(along))? * sign;
    Some(Side { point: d.point, normal: plain * sign, across })
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
        let spans = curve.knots().breaks().len() - 1;
        let places = curve.knots().sampled((MOST_PLACES / spans).clamp(1, PLACES_PER_SPAN));
        let start = curve.start();
        let mut seam = Seam {
            edge: EdgeId(i as u32),
            faces: [FaceId(*a as u32), FaceId(*b as u32)],
            gap: (0.0, start),
            angle: (0.0, start),
            curvature: (0.0, start),
            curvature_share: 0.0,
            meets: Continuity::G2,
        };
        let mut met = false;
        for t in places {
            let Some(along) = curve.tangent(t) else { continue };
            let sides =
                [(*a, *first), (*b, *second)].map(|(f, used)| side(&shell.faces()[f], used, t, &along));
            let [Some(x), Some(y)] = sides else { continue };
            met = true;
            let place = nalgebra::center(&x.point, &y.point);
            let larger = |known: &mut (f64, Point3), value: f64| {
                if value > known.0 {
                    *known = (value, place);
                }
            };
            larger(&mut seam.gap, (y.point - x.point).norm());
            larger(&mut seam.angle, x.normal.cross(&y.normal).norm().atan2(x.normal.dot(&y.normal)));
            let difference = (x.across - y.across).abs();
            larger(&mut seam.curvature, difference);
            let size = x.across.abs().max(y.across.abs());
            if size > FLAT {
                seam.curvature_share = seam.curvature_share.max(difference / size);
            }
        }
        if !met {
            continue;
        }
        seam.meets = if seam.angle.0 > TANGENT {
            Continuity::G0
        } else if seam.curvature_share > AGREEING && seam.curvature.0 > FLAT {
            Continuity::G1
        } else {
            Continuity::G2
        };
        out.push(seam);
    }
    out
}
