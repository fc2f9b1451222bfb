//! Edges of one shape against vertices, edges and faces of the others.

use geometry::{
    BoxTree, CurveHit, CurveMeetings, NurbsCurve, Point3, closest_on_curve, curve_meetings, curves_close_by,
    shared_work,
};
use rayon::prelude::*;

use super::arena::{Along, Arena};

/// Sine of the angle between two edges below which they are looked at as lying along each other.
const LEVEL: f64 = 1e-3;
/// Two edges lie along each other where they are still together this many tolerances farther on.
const FARTHER: f64 = 100.0;
/// Share of the tolerance within which they are still together then; those that only touch are farther apart.
const LIES: f64 = 0.1;

impl Arena {
    /// Finds where edges meet vertices, edges and faces of other shapes, and notes where they are to be cut.
    pub(super) fn meet_boundaries(&mut self) {
        let edges: Vec<usize> = (0..self.edges.len()).filter(|&i| self.curve(i).is_some()).collect();
        let edge_tree = BoxTree::new(edges.iter().map(|&i| (self.edges[i].bounds, i)));
        let face_tree = self.face_tree();
        self.vertices_on_edges(&edges);
        let pairs: Vec<(usize, usize)> = edges
            .iter()
            .flat_map(|&a| edge_tree.meeting(&self.edges[a].bounds).into_iter().map(move |b| (a, b)))
            .filter(|&(a, b)| a < b && self.come_together(self.edges[a].input, self.edges[b].input))
            .collect();
        let crossed: Vec<Vec<(f64, f64)>> =
            pairs.par_iter().map(shared_work(|&(a, b): &_| self.edges_crossing(a, b))).collect();
        for (&(a, b), places) in pairs.iter().zip(crossed) {
            for (s, t) in places {
                let at = self.curve(a).map_or(self.spots[0].point, |c| c.point(s));
                let slack = self.edges[a].edge.tolerance.max(self.edges[b].edge.tolerance);
                let vertex = self.spot_at(at, slack);
                self.cut(a, s, vertex);
                self.cut(b, t, vertex);
            }
        }
        let pairs: Vec<(usize, usize)> = edges
            .iter()
            .flat_map(|&e| face_tree.meeting(&self.edges[e].bounds).into_iter().map(move |f| (e, f)))
            .filter(|&(e, f)| self.come_together(self.edges[e].input, self.faces[f].source.input))
            .collect();
        let met: Vec<CurveMeetings> =
            pairs.par_iter().map(shared_work(|&(e, f): &_| self.edge_on_face(e, f))).collect();
        for (&(edge, face), met) in pairs.iter().zip(met) {
            for hit in &met.hits {
                self.note_hit(edge, face, hit);
            }
            for part in met.along {
                self.along.push(Along { edge, face, part });
            }
        }
    }

    pub(super) fn face_tree(&self) -> BoxTree {
        BoxTree::new(self.faces.iter().enumerate().map(|(i, f)| (f.bounds, i)))
    }

    pub(super) fn curve(&self, edge: usize) -> Option<&NurbsCurve> {
        self.edges[edge].edge.curve.as_ref()
    }

    fn vertices_on_edges(&mut self, edges: &[usize]) {
        for &e in edges {
            for vertex in self.spots_in(&self.edges[e].bounds) {
                let (edge, spot) = (&self.edges[e], self.spots[vertex]);
                let ends = [edge.edge.start.index(), edge.edge.end.index()];
                if !self.come_together(spot.input, edge.input) || ends.contains(&vertex) {
                    continue;
                }
                let Some(curve) = self.curve(e) else { continue };
                let foot = closest_on_curve(curve, &spot.point);
                if foot.distance <= self.near.max(edge.edge.tolerance) {
                    self.cut(e, foot.parameter, vertex);
                    let tolerance = &mut self.edges[e].edge.tolerance;
                    *tolerance = tolerance.max(foot.distance * (1.0 + 1e-9));
                }
            }
        }
    }

    /// Parameters on both at which two edges come together, those where they lie along each other left out.
    fn edges_crossing(&self, a: usize, b: usize) -> Vec<(f64, f64)> {
        let (Some(c), Some(d)) = (self.curve(a), self.curve(b)) else { return Vec::new() };
        let within = self.near.max(self.edges[a].edge.tolerance).max(self.edges[b].edge.tolerance);
        let straight = |c: &NurbsCurve| c.degree() == 1 && c.knots().point_count() == 2 && !c.is_rational();
        let approaches = if straight(c) && straight(d) {
            lines_approach(c, d).into_iter().collect()
        } else {
            curves_close_by(c, d, within).into_iter().map(|x| (x.first, x.second)).collect::<Vec<_>>()
        };
        let together = |&(s, t): &(f64, f64)| {
            let (p, q) = (c.point(s), d.point(t));
            if (p - q).norm() > within {
                return false;
            }
            let (u, v) = (c.velocity(s), d.velocity(t));
            if u.cross(&v).norm() > LEVEL * u.norm() * v.norm() {
                return true;
            }
            // Side by side: they are one for a while, or touch.
            let step = FARTHER * within / u.norm().max(f64::MIN_POSITIVE);
            let beside = |s: f64| {
                let inside = s > c.domain().start && s < c.domain().end;
                inside && closest_on_curve(d, &c.point(s)).distance <= LIES * within
            };
            !(beside(s + step) || beside(s - step))
        };
        approaches.into_iter().filter(together).collect()
    }

    fn edge_on_face(&self, e: usize, f: usize) -> CurveMeetings {
        let (Some(curve), face) = (self.curve(e), &self.faces[f]) else { return CurveMeetings::default() };
        curve_meetings(curve, face.facets(), self.near.max(self.edges[e].edge.tolerance))
    }

    /// Cuts an edge where it meets a face, if that is inside the face or on its boundary.
    fn note_hit(&mut self, edge: usize, face: usize, hit: &CurveHit) {
        let slack = self.near.max(self.edges[edge].edge.tolerance);
        // On the boundary it would have met an edge; a face's own edges may stand off it by their tolerance.
        if self.faces[face].outline.holds(hit.place) || self.on_boundary(face, &hit.point, slack) {
            let vertex = self.spot_at(hit.point, slack);
            self.cut(edge, hit.parameter, vertex);
        }
    }

    pub(super) fn on_boundary(&self, face: usize, at: &Point3, within: f64) -> bool {
        self.faces[face].loops.iter().flatten().any(|u| {
            let e = &self.edges[u.edge.index()];
            let inside = (0..3).all(|k| e.bounds.lower()[k] <= at[k] && at[k] <= e.bounds.upper()[k]);
            inside
                && e.edge
                    .curve
                    .as_ref()
                    .is_some_and(|c| closest_on_curve(c, at).distance <= within.max(e.edge.tolerance))
        })
    }
}

/// Parameters at which two straight lines, as far as they reach, come nearest to each other; none for parallel ones.
fn lines_approach(c: &NurbsCurve, d: &NurbsCurve) -> Option<(f64, f64)> {
    let (p, q) = (c.start(), d.start());
    let (u, v) = (c.end() - p, d.end() - q);
    let r = q - p;
    let (e, f, g) = (u.dot(&u), u.dot(&v), v.dot(&v));
    let area = e * g - f * f;
    if area <= 1e-12 * e * g {
        return None;
    }
    let (x, y) = (r.dot(&u), r.dot(&v));
    let s = ((g * x - f * y) / area).clamp(0.0, 1.0);
    let t = ((f * x - e * y) / area).clamp(0.0, 1.0);
    Some((c.domain().at(s), d.domain().at(t)))
}
