//! A face at a place of one of its edges.

use geometry::{Domain, Vector3};
use topology::{Face, OrientedEdge};

/// Where a domain ends, or starts.
pub(crate) fn end_of(domain: Domain, at_end: bool) -> f64 {
    if at_end { domain.end } else { domain.start }
}

/// A face seen at a place of an edge.
pub(crate) struct Side {
    /// Unit normal to the outer side.
    pub(crate) normal: Vector3,
    /// Unit tangent of the face that leads out of it, square to the edge.
    pub(crate) out: Vector3,
}

impl Side {
    /// A face at a parameter of an edge that it uses; `None` where it has no normal there.
    pub(crate) fn new(face: &Face, used: &OrientedEdge, t: f64) -> Option<Self> {
        let (at, rate) = (used.pcurve.point(t), used.pcurve.velocity(t));
        let rate = if used.forward { rate } else { -rate };
        let (_, du, dv) = face.surface.tangents(at.x, at.y);
        let along = (du * rate.x + dv * rate.y).try_normalize(f64::MIN_POSITIVE)?;
        // The face lies to the left of its loop in the parameter plane.
        let into = dv * rate.x - du * rate.y;
        let out = -(into - along * into.dot(&along)).try_normalize(f64::MIN_POSITIVE)?;
        let normal = face.surface.normal(at.x, at.y)?;
        Some(Self { normal: if face.reversed { -normal } else { normal }, out })
    }

    /// How far this face reaches beyond the edge, or ends before it, to meet another one when both are offset.
    pub(crate) fn reach(&self, own: f64, other: &Self, others: f64) -> f64 {
        // In the plane square to the edge: own normal and out as axes, the other face's plane at its distance.
        let (cos, sin) = (other.normal.dot(&self.normal), other.normal.dot(&self.out));
        let level = 1e-6_f64.copysign(sin);
        (others - own * cos) / if sin.abs() < 1e-6 { level } else { sin }
    }
}
