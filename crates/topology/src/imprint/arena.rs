use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, OnceLock};

use geometry::{
    Box3, Domain, Facets, NurbsCurve, NurbsSurface, Point3, Tolerance, box_of, closest_on_curve, grown,
};
use rstar::RTree;
use rstar::primitives::GeomWithData;

use super::one_face::on_other;
use super::outline::Outline;
use super::regions::{Bound, divided};
use super::sections::Found;
use super::{Crossing, Imprint, Laid, Remark, Source, Wire};
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
    pub(super) surface: Arc<NurbsSurface>,
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

/// An edge of a shape of curves, which no face of it uses.
pub(super) struct ArenaWire {
    pub(super) edge: EdgeId,
    input: usize,
    /// Whether the edge runs as the shape's curve does.
    forward: bool,
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
    pub(super) wires: Vec<ArenaWire>,
    pub(super) along: Vec<Along>,
    /// Pairs of shapes that go through each other, the lower number first.
    apart: BTreeSet<[usize; 2]>,
    /// Edges by their two vertices, the lower number first.
    pub(super) by_ends: BTreeMap<[usize; 2], Vec<EdgeId>>,
}

pub(super) fn meet(a: &Box3, b: &Box3) -> bool {
    let (al, ah, bl, bh) = (a.lower(), a.upper(), b.lower(), b.upper());
    (0..3).all(|k| al[k] <= bh[k] && bl[k] <= ah[k])
}

impl Arena {
    pub(super) fn new(shapes: &[&Shell], meet: &dyn Fn(usize, usize) -> bool, tolerance: &Tolerance) -> Self {
        let near = tolerance.fit;
        let mut arena = Self {
            tolerance: *tolerance,
            near,
            spots: Vec::new(),
            tree: RTree::new(),
            edges: Vec::new(),
            faces: Vec::new(),
            wires: Vec::new(),
            along: Vec::new(),
            apart: BTreeSet::new(),
            by_ends: BTreeMap::new(),
        };
        for (input, shape) in shapes.iter().enumerate() {
            arena.add(input, shape);
            let others = (0..input).filter(|&o| !meet(o, input));
            arena.apart.extend(others.map(|o| [o, input]));
        }
        arena
    }

    /// Whether what belongs to two shapes is brought together.
    pub(super) fn come_together(&self, a: usize, b: usize) -> bool {
        a != b && (self.apart.is_empty() || !self.apart.contains(&[a.min(b), a.max(b)]))
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
            let edge = self.add_edge(edge, input);
            if shape.faces().is_empty() {
                self.wires.push(ArenaWire { edge, input, forward: true });
            }
        }
        for (k, face) in shape.faces().iter().enumerate() {
            let mut loops: Vec<Vec<OrientedEdge>> = face.loops.iter().map(|l| l.edges.clone()).collect();
            loops.iter_mut().flatten().for_each(|u| u.edge.0 += first_edge);
            let outline = Outline::of_loops(loops.iter().map(Vec::as_slice));
            let bounds = self.face_bounds(&face.surface.control_points(), &loops);
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
    fn face_bounds(&self, net: &[Point3], loops: &[Vec<OrientedEdge>]) -> Box3 {
        let of_edges = || {
            let edges = loops.iter().flatten().map(|u| &self.edges[u.edge.index()].bounds);
            let corners = edges.flat_map(|b| [b.lower(), b.upper()]).map(Point3::from).collect::<Vec<_>>();
            box_of(corners.iter())
        };
        grown(&if net.len() == 4 { of_edges() } else { box_of(net.iter()) }, self.near)
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
        let bounds = grown(&box_of([low, high].iter()), edge.tolerance.max(self.near));
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
    pub(super) fn split_edges(&mut self) {
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
        for wire in std::mem::take(&mut self.wires) {
            match parts.get(wire.edge.index()).and_then(Option::as_ref) {
                None => self.wires.push(wire),
                Some(own) => self.wires.extend(own.iter().map(|(edge, _)| ArenaWire { edge: *edge, ..wire })),
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
    }

    fn ends(&self, edge: EdgeId) -> [usize; 2] {
        let e = &self.edges[edge.index()].edge;
        let [a, b] = [e.start.index(), e.end.index()];
        [a.min(b), a.max(b)]
    }

    /// Edges that are used by some face, or that are curves of a shape.
    fn used(&self) -> Vec<bool> {
        let mut used = vec![false; self.edges.len()];
        self.faces.iter().flat_map(|f| f.loops.iter().flatten()).for_each(|u| used[u.edge.index()] = true);
        self.wires.iter().for_each(|w| used[w.edge.index()] = true);
        used
    }

    /// Makes one edge of every set of edges of different shapes that lie on each other.
    pub(super) fn unite_edges(&mut self) -> Result<(), TopologyError> {
        let used = self.used();
        // What stands for an edge that is gone, and whether it runs the same way.
        let mut instead: Vec<Option<(EdgeId, bool)>> = vec![None; self.edges.len()];
        for i in 0..self.edges.len() {
            if !used[i] || self.edges[i].edge.curve.is_none() {
                continue;
            }
            let id = EdgeId(i as u32);
            let ends = self.ends(id);
            let same = self.by_ends.get(&ends).into_iter().flatten().find_map(|&other| {
                let (a, b) = (&self.edges[other.index()], &self.edges[i]);
                let within = self.near.max(a.edge.tolerance).max(b.edge.tolerance);
                let (gap, along) = coincide(&a.edge, &b.edge, within)?;
                (a.input != b.input).then_some((other, gap, along))
            });
            let Some((other, gap, along)) = same else {
                self.by_ends.entry(ends).or_default().push(id);
                continue;
            };
            let tolerance = self.edges[i].edge.tolerance.max(gap);
            let kept = &mut self.edges[other.index()];
            kept.edge.tolerance = kept.edge.tolerance.max(tolerance);
            kept.input = NONE;
            instead[i] = Some((other, along));
        }
        for used in self.faces.iter_mut().flat_map(|f| f.loops.iter_mut().flatten()) {
            let gone = used.edge.index();
            let Some((kept, along)) = instead[gone] else { continue };
            if let (Some(to), Some(from)) =
                (&self.edges[kept.index()].edge.curve, &self.edges[gone].edge.curve)
            {
                used.pcurve = carried(&used.pcurve, from, to, along, self.near)?;
            }
            used.edge = kept;
            used.forward = used.forward == along;
        }
        for wire in &mut self.wires {
            let Some((kept, along)) = instead[wire.edge.index()] else { continue };
            (wire.edge, wire.forward) = (kept, wire.forward == along);
        }
        for a in &mut self.along {
            a.edge = instead[a.edge].map_or(a.edge, |(kept, _)| kept.index());
        }
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
        let both = faces.into_iter().zip(sources).zip(gone).filter(|(_, gone)| !gone).map(|(both, _)| both);
        let (faces, sources): (Vec<Face>, Vec<Vec<Source>>) = both.unzip();
        for (edge, face) in idle {
            // An edge that ends inside a face: its free end is where the other shape stops.
            let e = &self.edges[edge.index()].edge;
            let Some(curve) = &e.curve else { continue };
            let at = curve.point(curve.domain().at(0.5));
            let input = self.faces[face].source.input;
            let of_meeting = found.meetings.iter().find(|m| m.0 == edge);
            let of_meeting = of_meeting.map(|(_, i)| if i[0] == input { i[1] } else { i[0] });
            let of_wire = || self.wires.iter().find(|w| w.edge == edge).map(|w| w.input);
            if let Some(other) = of_meeting.or_else(of_wire) {
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
        let mut laid: BTreeMap<(usize, FaceId), Vec<Laid>> = BTreeMap::new();
        for f in self.faces {
            let own = f.inner.into_iter().filter_map(|(edge, pcurve)| {
                let edge = number[edge.index()]?;
                Some(Laid { edge, surface: f.surface.clone(), reversed: f.reversed, pcurve })
            });
            laid.insert((f.source.input, f.source.face), own.collect());
        }
        let wire =
            |w: &ArenaWire| Some(Wire { edge: number[w.edge.index()]?, input: w.input, forward: w.forward });
        let wires = self.wires.iter().filter_map(wire).collect();
        let shell = Shell::of_used(&vertices, &edges, faces)?;
        let Found { touches, loose_ends, .. } = found;
        Ok(Imprint { shell, sources, crossings, laid, wires, touches, loose_ends })
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
            let uses = faces[f].loops.iter().flat_map(|l| &l.edges).map(|u| u.edge);
            let mut edges: Vec<EdgeId> =
                uses.filter(|e| self.edges[e.index()].edge.curve.is_some()).collect();
            edges.sort_unstable();
            edges
        };
        let mut gone = vec![false; faces.len()];
        for &[a, b] in over {
            for &p in &pieces_of[a] {
                for &q in &pieces_of[b] {
                    if gone[p] || gone[q] || bounding(p) != bounding(q) {
                        continue;
                    }
                    let (kept, lost) = (p.min(q), p.max(q));
                    let Some(along) = same_piece(&faces[kept], &faces[lost], &self.tolerance) else {
                        continue;
                    };
                    let moved: Vec<Source> =
                        sources[lost].iter().map(|s| Source { along: s.along == along, ..*s }).collect();
                    sources[kept].extend(moved);
                    gone[lost] = true;
                }
            }
        }
        gone
    }
}

/// Whether two pieces with the same edges are one, and if so whether they have their outside on the same side: the other side
/// of a closed surface has the same edges too.
fn same_piece(p: &Face, q: &Face, tolerance: &Tolerance) -> Option<bool> {
    let a = Outline::of(p).inside()?;
    let b = on_other(&p.surface, a, &q.surface, tolerance).filter(|b| Outline::of(q).holds(*b))?;
    let (m, n) = (p.surface.normal(a[0], a[1])?, q.surface.normal(b[0], b[1])?);
    Some((m.dot(&n) > 0.0) == (p.reversed == q.reversed))
}
