//! Free edges divided where others that run along them begin and end, so that what coincides is a whole edge on both sides:
//! rings that begin at different places, and an edge beside several.

use std::collections::HashMap;

use geometry::{Box3, BoxTree, Domain, NurbsCurve, Point3, box_of, closest_on_curve, grown};

use super::Parts;
use crate::{EdgeId, OrientedEdge, Vertex, VertexId};

/// The share of an edge after which it tells whether it goes on along another one.
const GOES_ON: f64 = 1.0 / 64.0;

impl Parts {
    /// Divides free edges; gives those that are free then.
    pub(super) fn divided(&mut self, free: Vec<EdgeId>, tolerance: f64) -> Vec<EdgeId> {
        let bounds = |id: &EdgeId| {
            let points = self.edges[id.index()].curve.as_ref()?.control_points();
            Some(grown(&box_of(points.iter()), tolerance))
        };
        let boxes: Vec<Option<Box3>> = free.iter().map(bounds).collect();
        let tree = BoxTree::new(boxes.iter().enumerate().filter_map(|(i, b)| Some(((*b)?, i))));
        let beside = |own: &Option<Box3>| -> Vec<EdgeId> {
            own.map_or_else(Vec::new, |b| tree.meeting(&b)).into_iter().map(|i| free[i]).collect()
        };
        let cuts: Vec<(EdgeId, Vec<f64>)> =
            free.iter().zip(&boxes).map(|(&id, own)| (id, self.cuts(id, &beside(own), tolerance))).collect();
        let mut all = free;
        let mut parts: HashMap<EdgeId, Vec<EdgeId>> = HashMap::new();
        for (id, cuts) in cuts.into_iter().filter(|(_, cuts)| !cuts.is_empty()) {
            let own = self.divide(id, &cuts);
            all.extend(&own[1..]);
            parts.insert(id, own);
        }
        if parts.is_empty() {
            return all;
        }
        for own in self.faces.iter_mut().flat_map(|f| &mut f.loops).map(|l| &mut l.edges) {
            if !own.iter().any(|used| parts.contains_key(&used.edge)) {
                continue;
            }
            let divided = |used: OrientedEdge| match parts.get(&used.edge) {
                None => vec![used],
                Some(ids) => {
                    let one = |id: &EdgeId| {
                        let over = self.edges[id.index()].curve.as_ref().map(NurbsCurve::domain);
                        let pcurve = over.map(|d| used.pcurve.part(d.start, d.end));
                        OrientedEdge {
                            edge: *id,
                            pcurve: pcurve.unwrap_or_else(|| used.pcurve.clone()),
                            ..used.clone()
                        }
                    };
                    if used.forward {
                        ids.iter().map(one).collect()
                    } else {
                        ids.iter().rev().map(one).collect()
                    }
                }
            };
            *own = std::mem::take(own).into_iter().flat_map(divided).collect();
        }
        all
    }

    /// Parameters at which ends of other free edges, whose boxes meet its own, lie on one along which those go on.
    fn cuts(&self, id: EdgeId, beside: &[EdgeId], tolerance: f64) -> Vec<f64> {
        let edge = &self.edges[id.index()];
        let Some(curve) = &edge.curve else { return Vec::new() };
        let own = grown(&box_of(curve.control_points().iter()), tolerance);
        let on = |p: &Point3| {
            let inside = (0..3).all(|k| p[k] >= own.lower()[k] && p[k] <= own.upper()[k]);
            inside.then(|| closest_on_curve(curve, p)).filter(|foot| foot.distance <= tolerance)
        };
        let ends = [edge.start, edge.end].map(|v| self.vertices[v.index()].point);
        let mut cuts: Vec<f64> = Vec::new();
        for other in beside.iter().filter(|o| **o != id).map(|o| &self.edges[o.index()]) {
            let Some(its) = &other.curve else { continue };
            let d = its.domain();
            for (vertex, beyond) in [(other.start, d.at(GOES_ON)), (other.end, d.at(1.0 - GOES_ON))] {
                let at = self.vertices[vertex.index()].point;
                let Some(foot) = on(&at) else { continue };
                let is_end =
                    ends.iter().any(|end| (end - at).norm().min((end - foot.point).norm()) <= tolerance);
                if !is_end && on(&its.point(beyond)).is_some() {
                    cuts.push(foot.parameter);
                }
            }
        }
        cuts.sort_by(f64::total_cmp);
        cuts.dedup_by(|b, a| (curve.point(*a) - curve.point(*b)).norm() <= tolerance);
        cuts
    }

    /// Divides an edge, of which the first part keeps the number; gives the parts in its direction.
    fn divide(&mut self, id: EdgeId, cuts: &[f64]) -> Vec<EdgeId> {
        let whole = self.edges[id.index()].clone();
        let Some(curve) = &whole.curve else { return vec![id] };
        let Domain { start, end } = curve.domain();
        let places: Vec<f64> = std::iter::once(start).chain(cuts.iter().copied()).chain([end]).collect();
        let mut vertices = vec![whole.start];
        for &t in cuts {
            vertices.push(VertexId(self.vertices.len() as u32));
            self.vertices.push(Vertex { point: curve.point(t) });
        }
        vertices.push(whole.end);
        let mut ids = Vec::with_capacity(places.len() - 1);
        for k in 0..places.len() - 1 {
            let part = crate::Edge {
                curve: Some(curve.part(places[k], places[k + 1])),
                start: vertices[k],
                end: vertices[k + 1],
                tolerance: whole.tolerance,
            };
            if k == 0 {
                self.edges[id.index()] = part;
                ids.push(id);
            } else {
                ids.push(EdgeId(self.edges.len() as u32));
                self.edges.push(part);
            }
        }
        ids
    }
}
