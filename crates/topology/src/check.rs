use geometry::{NurbsCurve, Point3};

use crate::wiring::EulerPoincare;
use crate::{EdgeId, Shell};

/// Places along an edge where its copies on the faces are compared; not those at which fitted curves, halved again and again,
/// are exact.
const GAP_SAMPLES: usize = 24;

/// An edge with a face on one side only.
#[derive(Debug, Clone, PartialEq)]
pub struct FreeEdge {
    /// The edge.
    pub edge: EdgeId,
    /// Its middle.
    pub middle: Point3,
    /// Its length in millimetres.
    pub length: f64,
}

/// What stands between a shell and a solid.
#[derive(Debug, Clone, PartialEq)]
pub struct Closure {
    /// Edges with a face on one side only.
    pub free_edges: Vec<FreeEdge>,
    /// Edges where more than two faces meet.
    pub overused_edges: usize,
    /// Edges whose two faces disagree which side is outside.
    pub facing_faults: usize,
    /// Largest distance of an edge's curve from the surfaces that it bounds, in millimetres.
    pub largest_gap: f64,
    /// Where that is.
    pub largest_gap_at: Option<Point3>,
    /// Counts and genus.
    pub euler_poincare: EulerPoincare,
}

impl Closure {
    /// No free edge, no edge with more than two faces, facing agrees.
    #[must_use]
    pub fn is_watertight(&self) -> bool {
        self.free_edges.is_empty() && self.overused_edges == 0 && self.facing_faults == 0
    }
}

/// Free edges, gaps, facing and Euler-Poincaré numbers of a shell.
#[must_use]
pub fn closure(shell: &Shell) -> Closure {
    let (mut free_edges, mut overused_edges, mut facing_faults) = (Vec::new(), 0, 0);
    for (edge, curve, [along, against]) in used_edges(shell) {
        match along + against {
            0 => {}
            1 => free_edges.push(FreeEdge {
                edge,
                middle: curve.point(curve.domain().at(0.5)),
                length: curve.length(),
            }),
            2 => facing_faults += usize::from(along != against),
            _ => overused_edges += 1,
        }
    }
    let (largest_gap, largest_gap_at) = largest_gap(shell);
    Closure {
        free_edges,
        overused_edges,
        facing_faults,
        largest_gap,
        largest_gap_at,
        euler_poincare: shell.wiring().euler_poincare(),
    }
}

/// Edges with a face on one side only.
#[must_use]
pub fn free_edges(shell: &Shell) -> Vec<EdgeId> {
    used_edges(shell).filter(|(.., [along, against])| along + against == 1).map(|(edge, ..)| edge).collect()
}

/// Edges that have a curve, with how often faces use them along and against it.
fn used_edges(shell: &Shell) -> impl Iterator<Item = (EdgeId, &NurbsCurve, [usize; 2])> {
    let drawn =
        shell.edges().iter().enumerate().filter_map(|(i, e)| Some((EdgeId(i as u32), e.curve.as_ref()?)));
    drawn.zip(shell.wiring().use_counts()).map(|((edge, curve), counts)| (edge, curve, counts))
}

fn largest_gap(shell: &Shell) -> (f64, Option<Point3>) {
    let mut largest = (0.0, None);
    for face in shell.faces() {
        for used in face.loops.iter().flat_map(|l| &l.edges) {
            let edge = shell.edge(used.edge);
            let domain = edge.curve.as_ref().map_or(used.pcurve.domain(), NurbsCurve::domain);
            for k in 0..GAP_SAMPLES {
                let t = domain.at(k as f64 / (GAP_SAMPLES - 1) as f64);
                let p = edge.curve.as_ref().map_or(shell.vertex(edge.start).point, |c| c.point(t));
                let uv = used.pcurve.point(t);
                let gap = (face.surface.point(uv.x, uv.y) - p).norm();
                if gap > largest.0 {
                    largest = (gap, Some(p));
                }
            }
        }
    }
    largest
}
