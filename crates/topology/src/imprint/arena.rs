use std::collections::BTreeMap;
use std::sync::OnceLock;

use geometry::{Box3, Domain, Facets, NurbsCurve, Point3, Tolerance, closest_on_curve};
use rstar::primitives::GeomWithData;
use rstar::{AABB, RTree};

use super::one_face::on_other;
use super::outline::Outline;
use super::regions::{Bound, divided};
use super::sections::Found;
use super::{Crossing, Imprint, Laid, Remark, SharedSurface, Source};
use crate::join::{carried, coincide};
use crate::{Edge, EdgeId, Face, FaceId, Loop, OrientedEdge, Shell, TopologyError, Vertex, VertexId};

/// By how much of its size a face's rectangle of parameters is looked at beyond it.
const MARGIN: f64 = 0.01;
/// Shape of a vertex or an edge that several shapes share or that none had before.
pub(super) const NONE: usize = usize::MAX;

/// The parts of an edge, each with the parameters between which it is.
type Parts = Vec<(EdgeId, [f64; 2])>;

/// A place, with how far what meets there may lie off it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Spot {
    pub(super) point: Point3,
    pub(super) slack: f64,
    pub(super) input: usize,
}

pub(super) struct ArenaEdge {
    pub(super) edge: Edge,
    pub(super) input: usize,
    /// Parameters at which it is to be cut, with the vertices there.
    pub(super) cuts: Vec<(f64, usize)>,
    pub(super) bounds: Box3,
}

pub(super) struct ArenaFace {
    pub(super) surface: SharedSurface,
    pub(super) reversed: bool,
    pub(super) role: String,
    pub(super) source: Source,
    pub(super) loops: Vec<Vec<OrientedEdge>>,
    /// Edges that lie inside it.
    pub(super) inner: Vec<(EdgeId, NurbsCurve)>,
    pub(super) outline: Outline,
    pub(super) bounds: Box3,
    facets: OnceLock<Facets>,
}

impl ArenaFace {
    /// Triangles over the part of the surface that the face lies in.
    pub(super) fn facets(&self) -> &Facets {
        self.facets.get_or_init(|| {
            let domains: [Domain; 2] = self.surface.domain().into();
            let part = [0, 1].map(|k| {
                let margin = MARGIN * (self.outline.high[k] - self.outline.low[k]);
                let d = domains[k];
                Domain::new(d.clamp(self.outline.low[k] - margin), d.clamp(self.outline.high[k] + margin))
            });
            Facets::new(self.surface.clone(), part)
        })
    }

    pub(super) fn uses(&self, edge: EdgeId) -> bool {
        self.loops.iter().flatten().any(|u| u.edge == edge) || self.inner.iter().any(|i| i.0 == edge)
    }
}

/// An edge that lies on another shape's face on a part of it.
pub(super) struct Along {
    pub(super) edge: usize,
    pub(super) face: usize,
    pub(super) part: [f64; 2],
}

/// All shapes in one list of each kind, as they come to share what they have in common.
pub(super) struct Arena {
    pub(super) tolerance: Tolerance,
    /// What is nearer than this is the same place.
    pub(super) near: f64,
    pub(super) spots: Vec<Spot>,
    tree: RTree<GeomWithData<[f64; 3], usize>>,
    pub(super) edges: Vec<ArenaEdge>,
    pub(super) faces: Vec<ArenaFace>,
    pub(super) along: Vec<Along>,
    /// Edges by their two vertices, the lower number first.
    pub(super) by_ends: BTreeMap<[usize; 2], Vec<EdgeId>>,
}

fn bounds_of(low: Point3, high: Point3, by: f64) -> Box3 {
    AABB::from_corners(
        (low - nalgebra::Vector3::repeat(by)).into(),
        (high + nalgebra::Vector3::repeat(by)).into(),
    )
}

pub(super) fn meet(a: &Box3, b: &Box3) -> bool {
    let (al, ah, bl, bh) = (a.lower(), a.upper(), b.lower(), b.upper());
    (0..3).all(|k| al[k] <= bh[k] && bl[k] <= ah[k])
}

impl Arena {
    pub(super) fn new(shapes: &[&Shell], tolerance: &Tolerance) -> Self {
        let near = tolerance.fit;
        let mut arena = Self {
            tolerance: *tolerance,
            near,
            spots: Vec::new(),
            tree: RTree::new(),
            edges: Vec::new(),
            faces: Vec::new(),
            along: Vec::new(),
            by_ends: BTreeMap::new(),
        };
        for (input, shape) in shapes.iter().enumerate() {
            arena.add(input, shape);
        }
        arena
    }

    fn add(&mut self, input: usize, shape: &Shell) {
        let first_edge = self.edges.len() as u32;
        let mut slack = vec![self.near; shape.vertices().len()];
        for edge in shape.edges() {
            for end in [edge.start, edge.end] {
                slack[end.index()] = slack[end.index()].max(edge.tolerance);
            }
        }
        // Corners of one shape stay apart, however near they are; those of another one take them over.
        let mut numbers = Vec::with_capacity(slack.len());
        for (vertex, slack) in shape.vertices().iter().zip(slack) {
            let known = self.spot_near(&vertex.point, self.near, |s| s.input != input);
            if let Some(known) = known {
                self.spots[known].slack = self.spots[known].slack.max(slack);
                self.spots[known].input = NONE;
            }
            numbers.push(known.unwrap_or_else(|| self.add_spot(vertex.point, slack, input)));
        }
        for edge in shape.edges() {
            let mut edge = edge.clone();
            edge.start = VertexId(numbers[edge.start.index()] as u32);
            edge.end = VertexId(numbers[edge.end.index()] as u32);
            self.settle(&mut edge);
            self.add_edge(edge, input);
        }
        for (k, face) in shape.faces().iter().enumerate() {
            let mut loops: Vec<Vec<OrientedEdge>> = face.loops.iter().map(|l| l.edges.clone()).collect();
            loops.iter_mut().flatten().for_each(|u| u.edge.0 += first_edge);
            let outline = Outline::new(loops.iter().flatten().map(|u| &u.pcurve));
            let bounds = self.face_bounds(face.surface.control_points(), &loops);
            let source = Source { input, face: FaceId(k as u32), along: true };
            self.faces.push(ArenaFace {
                surface: face.surface.clone(),
                reversed: face.reversed,
                role: face.role.clone(),
                source,
                loops,
                inner: Vec::new(),
                outline,
                bounds,
                facets: OnceLock::new(),
            });
        }
    }

    /// A box that holds a face: that of its net, or, for a flat one, that of its edges.
    fn face_bounds(&self, net: Vec<Point3>, loops: &[Vec<OrientedEdge>]) -> Box3 {
        let mut low = Point3::from([f64::MAX; 3]);
        let mut high = Point3::from([f64::MIN; 3]);
        let flat = net.len() == 4;
        if flat {
            for used in loops.iter().flatten() {
                let bounds = self.edges[used.edge.index()].bounds;
                low = low.inf(&bounds.lower().into());
                high = high.sup(&bounds.upper().into());
            }
        } else {
            for p in &net {
                (low, high) = (low.inf(p), high.sup(p));
            }
        }
        bounds_of(low, high, self.near)
    }

    /// Lets an edge's tolerance reach from its curve's ends to its vertices.
    pub(super) fn settle(&self, edge: &mut Edge) {
        if let Some(curve) = &edge.curve {
            for (id, end) in [(edge.start, curve.start()), (edge.end, curve.end())] {
                let off = (self.spots[id.index()].point - end).norm();
                edge.tolerance = edge.tolerance.max(off * (1.0 + 1e-9));
            }
        }
    }

    pub(super) fn add_edge(&mut self, edge: Edge, input: usize) -> EdgeId {
        let (low, high) = edge.curve.as_ref().map_or_else(
            || {
                let p = self.spots[edge.start.index()].point;
                (p, p)
            },
            NurbsCurve::control_bounds,
        );
        let bounds = bounds_of(low, high, edge.tolerance.max(self.near));
        self.edges.push(ArenaEdge { edge, input, cuts: Vec::new(), bounds });
        EdgeId(self.edges.len() as u32 - 1)
    }

    fn add_spot(&mut self, point: Point3, slack: f64, input: usize) -> usize {
        self.spots.push(Spot { point, slack, input });
        self.tree.insert(GeomWithData::new(point.into(), self.spots.len() - 1));
        self.spots.len() - 1
    }

    /// The nearest vertex within a distance that will do.
    pub(super) fn spot_near(
        &self,
        at: &Point3,
        within: f64,
        will_do: impl Fn(&Spot) -> bool,
    ) -> Option<usize> {
        let near = self.tree.locate_within_distance((*at).into(), within * within);
        let fit = near.map(|g| g.data).filter(|&i| will_do(&self.spots[i]));
        let apart = |i: &usize| (self.spots[*i].point - at).norm();
        fit.min_by(|a, b| apart(a).total_cmp(&apart(b)).then(a.cmp(b)))
    }

    /// Vertices in a box, in rising order.
    pub(super) fn spots_in(&self, bounds: &Box3) -> Vec<usize> {
        let mut found: Vec<usize> = self.tree.locate_in_envelope(bounds).map(|g| g.data).collect();
        found.sort_unstable();
        found
    }

    /// The vertex at a place, a new one if there is none.
    pub(super) fn spot_at(&mut self, at: Point3, slack: f64) -> usize {
        match self.spot_near(&at, slack.max(self.near), |_| true) {
            Some(known) => {
                self.spots[known].slack = self.spots[known].slack.max(slack);
                known
            }
            None => self.add_spot(at, slack.max(self.near), NONE),
        }
    }

    /// Cuts an edge at a vertex, unless it ends there or is cut there already.
    pub(super) fn cut(&mut self, edge: usize, parameter: f64, vertex: usize) {
        let e = &mut self.edges[edge];
        let ends = [e.edge.start.index(), e.edge.end.index()];
        if ends.contains(&vertex) {
            // A closed edge passes its own vertex at its ends only; others can come back to it, which is left alone.
            return;
        }
        if e.cuts.iter().all(|c| c.1 != vertex) {
            e.cuts.push((parameter, vertex));
        }
    }

    /// Replaces every edge that is cut by its parts.
    pub(super) fn split_edges(&mut self) -> Result<(), TopologyError> {
        let mut parts: Vec<Option<Parts>> = Vec::new();
        for i in 0..self.edges.len() {
            let mut cuts = std::mem::take(&mut self.edges[i].cuts);
            let ArenaEdge { edge, input, .. } = &self.edges[i];
            let (Some(curve), false) = (edge.curve.clone(), cuts.is_empty()) else {
                parts.push(None);
                continue;
            };
            let (edge, input) = (edge.clone(), *input);
            cuts.sort_by(|a, b| a.0.total_cmp(&b.0));
            let d = curve.domain();
            let mut places = vec![(d.start, edge.start.index())];
            places.extend(cuts);
            places.push((d.end, edge.end.index()));
            let mut own = Vec::new();
            for pair in places.windows(2) {
                let [(a, from), (b, to)] = [pair[0], pair[1]];
                let mut part = Edge {
                    curve: Some(curve.part(a, b)),
                    start: VertexId(from as u32),
                    end: VertexId(to as u32),
                    tolerance: edge.tolerance,
                };
                self.settle(&mut part);
                own.push((self.add_edge(part, input), [a, b]));
            }
            parts.push(Some(own));
        }
        for face in &mut self.faces {
            for uses in &mut face.loops {
                *uses = uses
                    .iter()
                    .flat_map(|used| match parts.get(used.edge.index()).and_then(Option::as_ref) {
                        None => vec![used.clone()],
                        Some(own) => {
                            let part = |(edge, [a, b]): &(EdgeId, [f64; 2])| OrientedEdge {
                                edge: *edge,
                                forward: used.forward,
                                pcurve: used.pcurve.part(*a, *b),
                            };
                            let mut out: Vec<OrientedEdge> = own.iter().map(part).collect();
                            if !used.forward {
                                out.reverse();
                            }
                            out
                        }
                    })
                    .collect();
            }
        }
        let along = std::mem::take(&mut self.along);
        for a in along {
            match parts.get(a.edge).and_then(Option::as_ref) {
                None => self.along.push(a),
                Some(own) => {
                    for (edge, [from, to]) in own {
                        let middle = 0.5 * (from + to);
                        if a.part[0] <= middle && middle <= a.part[1] {
                            let part = [*from, *to];
                            self.along.push(Along { edge: edge.index(), face: a.face, part });
                        }
                    }
                }
            }
        }
        Ok(())
    }

    fn ends(&self, edge: EdgeId) -> [usize; 2] {
        let e = &self.edges[edge.index()].edge;
        let [a, b] = [e.start.index(), e.end.index()];
        [a.min(b), a.max(b)]
    }

    /// Edges that are used by some face.
    fn used(&self) -> Vec<bool> {
        let mut used = vec![false; self.edges.len()];
        self.faces.iter().flat_map(|f| f.loops.iter().flatten()).for_each(|u| used[u.edge.index()] = true);
        used
    }

    /// Makes one edge of every set of edges of different shapes that lie on each other.
    pub(super) fn unite_edges(&mut self) -> Result<(), TopologyError> {
        let used = self.used();
        let mut kept: Vec<EdgeId> = (0..self.edges.len() as u32).map(EdgeId).collect();
        for i in 0..self.edges.len() {
            if !used[i] || self.edges[i].edge.curve.is_none() {
                continue;
            }
            let id = EdgeId(i as u32);
            let ends = self.ends(id);
            let others = self.by_ends.get(&ends).cloned().unwrap_or_default();
            let mut same = None;
            for other in others {
                let (a, b) = (&self.edges[other.index()], &self.edges[i]);
                let within = self.near.max(a.edge.tolerance).max(b.edge.tolerance);
                if a.input != b.input
                    && let Some((gap, along)) = coincide(&a.edge, &b.edge, within)
                {
                    same = Some((other, gap, along));
                    break;
                }
            }
            match same {
                None => self.by_ends.entry(ends).or_default().push(id),
                Some((other, gap, along)) => {
                    self.unite(other, id, along, gap)?;
                    kept[i] = other;
                }
            }
        }
        for a in &mut self.along {
            a.edge = kept[a.edge].index();
        }
        Ok(())
    }

    fn unite(&mut self, kept: EdgeId, gone: EdgeId, along: bool, gap: f64) -> Result<(), TopologyError> {
        let (to, from) = (self.edges[kept.index()].edge.clone(), self.edges[gone.index()].edge.clone());
        let (Some(to_curve), Some(from_curve)) = (&to.curve, &from.curve) else { return Ok(()) };
        for used in self.faces.iter_mut().flat_map(|f| f.loops.iter_mut().flatten()) {
            if used.edge == gone {
                used.pcurve = carried(&used.pcurve, from_curve, to_curve, along, self.near)?;
                used.edge = kept;
                used.forward = used.forward == along;
            }
        }
        let edge = &mut self.edges[kept.index()];
        edge.edge.tolerance = edge.edge.tolerance.max(from.tolerance).max(gap);
        edge.input = NONE;
        Ok(())
    }

    /// The edge that lies along a curve between two vertices, if there is one.
    pub(super) fn edge_along(&self, ends: [usize; 2], at: &[Point3]) -> Option<EdgeId> {
        let key = [ends[0].min(ends[1]), ends[0].max(ends[1])];
        let near = |id: &&EdgeId| {
            let edge = &self.edges[id.index()].edge;
            let within = 2.0 * self.near.max(edge.tolerance);
            edge.curve.as_ref().is_some_and(|c| at.iter().all(|p| closest_on_curve(c, p).distance <= within))
        };
        self.by_ends.get(&key)?.iter().find(near).copied()
    }
}

impl Arena {
    /// The edges of a face and in it, as bounds of what it is divided into. A pole is divided where edges come to it.
    fn bounds(&mut self, face: usize) -> Vec<Bound> {
        let ends = |arena: &Self, edge: EdgeId| {
            let e = &arena.edges[edge.index()].edge;
            [e.start.index(), e.end.index()]
        };
        let is_pole = |arena: &Self, edge: EdgeId| arena.edges[edge.index()].edge.curve.is_none();
        let inner: Vec<Bound> = self.faces[face]
            .inner
            .iter()
            .map(|(edge, pcurve)| Bound {
                edge: *edge,
                pcurve: pcurve.clone(),
                ends: ends(self, *edge),
                ways: [true; 2],
                pole: false,
            })
            .collect();
        let mut out: Vec<Bound> = Vec::new();
        for used in self.faces[face].loops.clone().into_iter().flatten() {
            let bound = Bound {
                edge: used.edge,
                ends: ends(self, used.edge),
                ways: [used.forward, !used.forward],
                pole: is_pole(self, used.edge),
                pcurve: used.pcurve,
            };
            if bound.pole {
                out.extend(self.pole_parts(bound, &inner));
            } else {
                out.push(bound);
            }
        }
        out.extend(inner);
        out
    }

    fn pole_parts(&mut self, pole: Bound, inner: &[Bound]) -> Vec<Bound> {
        let (a, b) = (pole.pcurve.start(), pole.pcurve.end());
        let along = b - a;
        let size = along.norm();
        let mut cuts: Vec<f64> = Vec::new();
        for other in inner {
            for (vertex, at) in [(other.ends[0], other.pcurve.start()), (other.ends[1], other.pcurve.end())] {
                let share = (at - a).dot(&along) / (size * size);
                let beside = (at - (a + along * share)).norm();
                let inside = share > 1e-6 && share < 1.0 - 1e-6;
                if vertex == pole.ends[0] && inside && beside <= 1e-3 * size {
                    cuts.push(share);
                }
            }
        }
        if cuts.is_empty() {
            return vec![pole];
        }
        cuts.sort_by(f64::total_cmp);
        cuts.dedup_by(|b, a| (*b - *a).abs() <= 1e-6);
        let d = pole.pcurve.domain();
        let places: Vec<f64> = std::iter::once(0.0).chain(cuts).chain([1.0]).collect();
        let edge = self.edges[pole.edge.index()].edge.clone();
        let input = self.edges[pole.edge.index()].input;
        places
            .windows(2)
            .map(|w| {
                let pcurve = pole.pcurve.part(d.at(w[0]), d.at(w[1]));
                Bound { edge: self.add_edge(edge.clone(), input), pcurve, ..pole.clone() }
            })
            .collect()
    }

    /// Divides the faces and puts everything together.
    pub(super) fn finished(mut self, mut found: Found) -> Result<Imprint, TopologyError> {
        let mut faces: Vec<Face> = Vec::new();
        let mut sources: Vec<Vec<Source>> = Vec::new();
        let mut pieces_of: Vec<Vec<usize>> = Vec::with_capacity(self.faces.len());
        let mut idle = Vec::new();
        for i in 0..self.faces.len() {
            let pieces: Vec<Vec<Loop>> = if self.faces[i].inner.is_empty() {
                vec![self.faces[i].loops.iter().map(|l| Loop { edges: l.clone() }).collect()]
            } else {
                let bounds = self.bounds(i);
                let divided = divided(&self.faces[i].surface, &bounds);
                idle.extend(divided.idle.into_iter().map(|e| (e, i)));
                divided.pieces
            };
            let face = &self.faces[i];
            pieces_of.push((faces.len()..faces.len() + pieces.len()).collect());
            for loops in pieces {
                faces.push(Face {
                    surface: face.surface.clone(),
                    loops,
                    reversed: face.reversed,
                    role: face.role.clone(),
                });
                sources.push(vec![face.source]);
            }
        }
        let gone = self.unite_faces(&found.over, &faces, &pieces_of, &mut sources);
        let kept: Vec<bool> = (0..faces.len()).map(|f| !gone[f]).collect();
        let mut keep = kept.iter();
        faces.retain(|_| *keep.next().unwrap_or(&true));
        let mut keep = kept.iter();
        sources.retain(|_| *keep.next().unwrap_or(&true));
        for (edge, face) in idle {
            // An edge that ends inside a face: its free end is where the other shape stops.
            let e = &self.edges[edge.index()].edge;
            let Some(curve) = &e.curve else { continue };
            let at = curve.point(curve.domain().at(0.5));
            let input = self.faces[face].source.input;
            if let Some((_, inputs)) = found.meetings.iter().find(|m| m.0 == edge) {
                let other = if inputs[0] == input { inputs[1] } else { inputs[0] };
                found.loose_ends.push(Remark { inputs: [input, other], at });
            }
        }
        let vertices: Vec<Vertex> = self.spots.iter().map(|s| Vertex { point: s.point }).collect();
        let edges: Vec<Edge> = self.edges.iter().map(|e| e.edge.clone()).collect();
        let mut number = vec![None; edges.len()];
        let mut used = vec![false; edges.len()];
        faces.iter().flat_map(|f| &f.loops).flat_map(|l| &l.edges).for_each(|u| used[u.edge.index()] = true);
        for (count, edge) in (0..edges.len()).filter(|&e| used[e]).enumerate() {
            number[edge] = Some(EdgeId(count as u32));
        }
        let crossing = |(e, inputs): &(EdgeId, [usize; 2])| {
            let edge = &edges[e.index()];
            let (curve, tolerance) = (edge.curve.clone()?, edge.tolerance);
            Some(Crossing { inputs: *inputs, curve, tolerance, edge: number[e.index()] })
        };
        let crossings = found.meetings.iter().filter_map(crossing).collect();
        let dividing = self.faces.iter().flat_map(|f| f.inner.iter().map(|(e, _)| (f.source, *e)));
        let dividing = dividing.filter_map(|(s, e)| Some(((s.input, s.face), number[e.index()]?))).collect();
        let laid = self.faces.iter().flat_map(|f| {
            f.inner.iter().filter_map(|(edge, pcurve)| {
                Some(Laid {
                    edge: number[edge.index()]?,
                    input: f.source.input,
                    surface: f.surface.clone(),
                    reversed: f.reversed,
                    pcurve: pcurve.clone(),
                })
            })
        });
        let laid = laid.collect();
        let shell = Shell::of_used(&vertices, &edges, faces)?;
        Ok(Imprint {
            laid,
            shell,
            sources,
            crossings,
            dividing,
            touches: found.touches,
            loose_ends: found.loose_ends,
        })
    }

    /// Lets pieces that lie on each other become one; tells which are gone.
    fn unite_faces(
        &self,
        over: &[[usize; 2]],
        faces: &[Face],
        pieces_of: &[Vec<usize>],
        sources: &mut [Vec<Source>],
    ) -> Vec<bool> {
        let bounding = |f: usize| {
            let mut edges: Vec<EdgeId> = faces[f]
                .loops
                .iter()
                .flat_map(|l| &l.edges)
                .map(|u| u.edge)
                .filter(|e| self.edges[e.index()].edge.curve.is_some())
                .collect();
            edges.sort_unstable();
            edges
        };
        let mut gone = vec![false; faces.len()];
        for &[a, b] in over {
            for &p in &pieces_of[a] {
                for &q in &pieces_of[b] {
                    if gone[p]
                        || gone[q]
                        || !self.same_piece(&faces[p], &faces[q], bounding(p) == bounding(q))
                    {
                        continue;
                    }
                    let (kept, lost) = (p.min(q), p.max(q));
                    let along = self.same_side(&faces[kept], &faces[lost]);
                    let moved: Vec<Source> =
                        sources[lost].iter().map(|s| Source { along: s.along == along, ..*s }).collect();
                    sources[kept].extend(moved);
                    gone[lost] = true;
                }
            }
        }
        gone
    }

    fn same_piece(&self, p: &Face, q: &Face, same_edges: bool) -> bool {
        let outline = |f: &Face| {
            Outline::new(
                f.loops
                    .iter()
                    .flat_map(|l| l.edges.iter().map(|u| &u.pcurve))
                    .collect::<Vec<_>>()
                    .into_iter(),
            )
        };
        let (own, other) = (outline(p), outline(q));
        let Some(at) = own.inside() else { return false };
        same_edges && on_other(&p.surface, at, &q.surface, &self.tolerance).is_some_and(|b| other.holds(b))
    }

    /// Whether two faces on each other have their outside on the same side.
    fn same_side(&self, p: &Face, q: &Face) -> bool {
        let outline = Outline::new(
            p.loops.iter().flat_map(|l| l.edges.iter().map(|u| &u.pcurve)).collect::<Vec<_>>().into_iter(),
        );
        let side = || {
            let a = outline.inside()?;
            let b = on_other(&p.surface, a, &q.surface, &self.tolerance)?;
            let (m, n) = (p.surface.normal(a[0], a[1])?, q.surface.normal(b[0], b[1])?);
            Some((m.dot(&n) > 0.0) == (p.reversed == q.reversed))
        };
        side().unwrap_or(true)
    }
}
