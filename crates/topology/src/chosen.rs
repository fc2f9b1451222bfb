//! Solids from chosen spaces.

use std::collections::{BTreeMap, BTreeSet};

use geometry::Point3;

use crate::cells::{OUTSIDE, Sets, radial_order};
use crate::imprint::{Bound, divided};
use crate::{
    Cells, Edge, EdgeId, Face, FaceId, Imprint, Loop, OrientedEdge, Shell, Solid, Source, TopologyError,
    Vertex, VertexId,
};

/// How far the spaces inside a shape may miss its volume, as a share of it, before they cannot be trusted.
const MISSED: f64 = 1e-4;

/// Solids made of spaces, and where they touch themselves.
#[derive(Debug, Clone)]
pub struct Chosen {
    /// The solids, each of spaces that hang together by faces.
    pub solids: Vec<Solid>,
    /// Places where a solid touches itself along an edge or in a vertex, so that it has no thickness there.
    pub pinches: Vec<Point3>,
}

impl Imprint {
    /// Whether the outside of a shape is in front of a face that is a part of it, by the surface's own normal.
    pub(crate) fn outside_in_front(&self, face: usize, source: &Source) -> bool {
        self.shell.faces()[face].reversed != source.along
    }

    /// The shapes that bound some spaces taken as one, and whether the spaces are in front of them: on their outer side.
    #[must_use]
    pub fn sides_of(&self, cells: &Cells, spaces: &[usize]) -> BTreeSet<(usize, bool)> {
        let mut out = BTreeSet::new();
        for (f, own) in cells.sides.iter().enumerate() {
            let [behind, before] = own.map(|space| spaces.contains(&space));
            if behind != before {
                let side = |s: &Source| (s.input, before == self.outside_in_front(f, s));
                out.extend(self.sources[f].iter().map(side));
            }
        }
        out
    }

    /// For every space, the unbounded one first, the numbers of the shapes that it is inside of, in rising order. Only closed
    /// shapes have an inside.
    #[must_use]
    pub fn insides(&self, cells: &Cells, is_closed: impl Fn(usize) -> bool) -> Vec<Vec<usize>> {
        let count = cells.volumes.len() + 1;
        let mut across: Vec<Vec<(usize, usize, bool)>> = vec![Vec::new(); count];
        for (f, [back, front]) in cells.sides.iter().enumerate() {
            across[*back].push((f, *front, true));
            across[*front].push((f, *back, false));
        }
        let mut out: Vec<Option<Vec<usize>>> = vec![None; count];
        out[OUTSIDE] = Some(Vec::new());
        let mut waiting = vec![OUTSIDE];
        while let Some(here) = waiting.pop() {
            let Some(inside) = out[here].clone() else { continue };
            for &(f, there, to_front) in &across[here] {
                if out[there].is_some() {
                    continue;
                }
                let mut inside = inside.clone();
                for source in self.sources[f].iter().filter(|s| is_closed(s.input)) {
                    inside.retain(|s| *s != source.input);
                    if to_front != self.outside_in_front(f, source) {
                        inside.push(source.input);
                    }
                }
                inside.sort_unstable();
                out[there] = Some(inside);
                waiting.push(there);
            }
        }
        out.into_iter().map(Option::unwrap_or_default).collect()
    }

    /// Checks that the spaces inside each closed shape make up its volume in mm³: where shapes graze each other in a way that
    /// could not be resolved they do not.
    ///
    /// # Errors
    /// `Unresolved`, with a place.
    pub fn resolved(
        &self,
        cells: &Cells,
        insides: &[Vec<usize>],
        volumes: impl Iterator<Item = (usize, f64)>,
    ) -> Result<(), TopologyError> {
        let mut inside: BTreeMap<usize, f64> = BTreeMap::new();
        for (own, volume) in insides.iter().skip(1).zip(&cells.volumes) {
            own.iter().for_each(|s| *inside.entry(*s).or_default() += volume);
        }
        for (shape, volume) in volumes {
            let found = inside.get(&shape).copied().unwrap_or_default();
            if (found - volume).abs() > MISSED * volume {
                let remarks = self.loose_ends.iter().chain(&self.touches);
                let at = remarks.filter(|r| r.inputs.contains(&shape)).map(|r| r.at).next();
                let corner = || self.shell.vertices().first().map(|v| v.point);
                return Err(TopologyError::Unresolved { at: at.or_else(corner).unwrap_or_default().into() });
            }
        }
        Ok(())
    }

    /// The solids that are made of those spaces for which `wanted` says so. Faces between two of them go; what divided a face
    /// and has no other reason any more goes too.
    ///
    /// # Errors
    /// What keeps the result from being a solid.
    pub fn solids(&self, cells: &Cells, wanted: &[bool]) -> Result<Chosen, TopologyError> {
        let mut bodies = Sets::new(wanted.len());
        for [back, front] in &cells.sides {
            if wanted[*back] && wanted[*front] {
                bodies.unite(*back, *front);
            }
        }
        let mut of_body: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for (f, [back, front]) in cells.sides.iter().enumerate() {
            if wanted[*back] != wanted[*front] {
                let inside = if wanted[*back] { *back } else { *front };
                of_body.entry(bodies.of(inside)).or_default().push(f);
            }
        }
        let mut out = Chosen { solids: Vec::new(), pinches: Vec::new() };
        for (body, faces) in of_body {
            let reversed = |f: usize| wanted[cells.sides[f][1]];
            let own = self.reunited(&faces, &reversed);
            let (mut shells, pinches) = manifold(&self.shell, own)?;
            let spaces = cells.volumes.iter().enumerate().filter(|(k, _)| bodies.of(k + 1) == body);
            let volume = spaces.map(|(_, volume)| volume).sum();
            out.solids.push(match (shells.pop(), &shells[..]) {
                (Some(only), []) => Solid::known(only, volume)?,
                (last, _) => Solid::try_new(shells.into_iter().chain(last).collect())?,
            });
            out.pinches.extend(pinches);
        }
        Ok(out)
    }

    /// Faces with their facing, those put together again that are parts of one face and have only each other at the edges
    /// that divided it.
    pub(crate) fn reunited(&self, chosen: &[usize], reversed: &dyn Fn(usize) -> bool) -> Vec<Face> {
        let mut uses: BTreeMap<EdgeId, usize> = BTreeMap::new();
        for &f in chosen {
            for used in self.shell.faces()[f].loops.iter().flat_map(|l| &l.edges) {
                *uses.entry(used.edge).or_default() += 1;
            }
        }
        let key = |f: usize| {
            let s = self.sources[f][0];
            ((s.input, s.face), reversed(f))
        };
        let mut groups: BTreeMap<((usize, FaceId), bool), Vec<usize>> = BTreeMap::new();
        for &f in chosen {
            groups.entry(key(f)).or_default().push(f);
        }
        let mut out: Vec<(usize, Face)> = Vec::new();
        for ((source, turned), pieces) in groups {
            let inside: BTreeSet<EdgeId> =
                self.laid.get(&source).into_iter().flatten().map(|l| l.edge).collect();
            let mut seen: BTreeMap<EdgeId, usize> = BTreeMap::new();
            for &f in &pieces {
                for used in self.shell.faces()[f].loops.iter().flat_map(|l| &l.edges) {
                    *seen.entry(used.edge).or_default() += 1;
                }
            }
            let gone: BTreeSet<EdgeId> = seen
                .iter()
                .filter(|(e, count)| **count == 2 && uses[e] == 2 && inside.contains(e))
                .map(|(e, _)| *e)
                .collect();
            let plain = |f: usize| Face { reversed: turned, ..self.shell.faces()[f].clone() };
            let whole = if gone.is_empty() { None } else { self.without(&pieces, &gone, turned) };
            match whole {
                Some(faces) => out.extend(faces.into_iter().map(|face| (pieces[0], face))),
                None => out.extend(pieces.iter().map(|&f| (f, plain(f)))),
            }
        }
        out.sort_by_key(|(first, _)| *first);
        out.into_iter().map(|(_, face)| face).collect()
    }

    /// Pieces of one face walked again without some edges; `None` where that gives no face.
    fn without(&self, pieces: &[usize], gone: &BTreeSet<EdgeId>, turned: bool) -> Option<Vec<Face>> {
        let first = &self.shell.faces()[pieces[0]];
        let bounds: Vec<Bound> = pieces
            .iter()
            .flat_map(|&f| self.shell.faces()[f].loops.iter().flat_map(|l| &l.edges))
            .filter(|u| !gone.contains(&u.edge))
            .map(|u| {
                let edge = self.shell.edge(u.edge);
                Bound {
                    edge: u.edge,
                    pcurve: u.pcurve.clone(),
                    ends: [edge.start.index(), edge.end.index()],
                    ways: [u.forward, !u.forward],
                    pole: edge.curve.is_none(),
                }
            })
            .collect();
        let divided = divided(&first.surface, &bounds);
        let used: usize = divided.pieces.iter().flatten().map(|l| l.edges.len()).sum();
        // Every bound has to be met again, else something went wrong and the pieces stay.
        let face = |loops: Vec<Loop>| Face { loops, reversed: turned, ..first.clone() };
        (used == bounds.len()).then(|| divided.pieces.into_iter().map(face).collect())
    }
}

/// Shells of faces between which every edge has two uses: an edge at which more of them meet is one edge for every two that
/// have the material between them, and so is a vertex.
fn manifold(of: &Shell, faces: Vec<Face>) -> Result<(Vec<Shell>, Vec<Point3>), TopologyError> {
    let of = &Shell::of_used(of.vertices(), of.edges(), faces)?;
    let mut faces = of.faces().to_vec();
    let mut edges: Vec<Edge> = of.edges().to_vec();
    let mut pinches = Vec::new();
    let radial = radial_order(of, &faces);
    // For the further pairs: which face uses which copy of the edge, by the direction of its loop.
    let mut copies: BTreeMap<(usize, EdgeId, bool), EdgeId> = BTreeMap::new();
    for (e, around) in radial.iter().enumerate() {
        let uses = &around.uses;
        if uses.len() <= 2 {
            continue;
        }
        let edge = EdgeId(e as u32);
        let mut first = true;
        for (k, &(face, forward)) in uses.iter().enumerate() {
            // Counter-clockwise from it is the material where its outside is clockwise.
            if faces[face].reversed != forward {
                continue;
            }
            let (next, its) = uses[(k + 1) % uses.len()];
            if !first {
                edges.push(edges[e].clone());
                let copy = EdgeId(edges.len() as u32 - 1);
                copies.insert((face, edge, forward), copy);
                copies.insert((next, edge, its), copy);
            }
            first = false;
        }
        if let Some(curve) = &edges[e].curve {
            pinches.push(curve.point(curve.domain().at(0.5)));
        }
    }
    for (f, face) in faces.iter_mut().enumerate() {
        for used in face.loops.iter_mut().flat_map(|l| &mut l.edges) {
            if let Some(copy) = copies.get(&(f, used.edge, used.forward)) {
                used.edge = *copy;
            }
        }
    }
    let mut vertices: Vec<Vertex> = of.vertices().to_vec();
    let split = part_vertices(&mut vertices, &mut edges, &faces);
    if pinches.is_empty() {
        pinches.extend(split);
    }
    Ok((Shell::try_new(vertices, edges, faces)?.pieces(), pinches))
}

/// Gives every fan of faces about a vertex a vertex of its own; tells where there was more than one.
fn part_vertices(vertices: &mut Vec<Vertex>, edges: &mut [Edge], faces: &[Face]) -> Vec<Point3> {
    // Ends of edges: 2 e at the start, 2 e + 1 at the end. Those that follow each other in a loop belong to one fan.
    let mut ends = Sets::new(2 * edges.len());
    let at = |u: &OrientedEdge, first: bool| 2 * u.edge.index() + usize::from(u.forward != first);
    let mut used = vec![false; edges.len()];
    // A pole has one vertex.
    for e in (0..edges.len()).filter(|&e| edges[e].curve.is_none()) {
        ends.unite(2 * e, 2 * e + 1);
    }
    for l in faces.iter().flat_map(|f| &f.loops) {
        for (k, here) in l.edges.iter().enumerate() {
            let next = &l.edges[(k + 1) % l.edges.len()];
            ends.unite(at(here, false), at(next, true));
            used[here.edge.index()] = true;
        }
    }
    let mut fan_of: BTreeMap<u32, usize> = BTreeMap::new();
    let mut copies: BTreeMap<usize, VertexId> = BTreeMap::new();
    let mut places = Vec::new();
    for e in (0..edges.len()).filter(|&e| used[e]) {
        for end in 0..2 {
            let vertex = if end == 0 { edges[e].start } else { edges[e].end };
            let fan = ends.of(2 * e + end);
            let first = *fan_of.entry(vertex.0).or_insert(fan);
            if first == fan {
                continue;
            }
            let copy = *copies.entry(fan).or_insert_with(|| {
                places.push(vertices[vertex.index()].point);
                vertices.push(vertices[vertex.index()].clone());
                VertexId(vertices.len() as u32 - 1)
            });
            if end == 0 {
                edges[e].start = copy;
            } else {
                edges[e].end = copy;
            }
        }
    }
    places
}
