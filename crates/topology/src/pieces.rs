//! Shapes in pieces: what others cut them into, each told by the sides on which it lies.

use std::collections::{BTreeMap, BTreeSet};

use geometry::{NurbsCurve, NurbsSurface, Tolerance, Vector3, box_of};

use crate::cells::{OUTSIDE, Sets, inward};
use crate::imprint::Outline;
use crate::{
    Body, Cells, EdgeId, FaceId, FreeEdge, Imprint, OrientedEdge, Shell, TopologyError, closure, free_edges,
};

/// A part of a shape between those that cut it.
#[derive(Debug, Clone)]
pub struct Piece {
    /// Number of the shape that it is a part of.
    pub of: usize,
    /// It by itself: a shell, or a solid if the shape is one.
    pub body: Body,
    /// Beside which shapes it lies, and whether it is in front of them there: on their outer side, or to the left of a curve
    /// as one looks at it from outside.
    pub sides: BTreeSet<(usize, bool)>,
    /// Faces of the imprint for a part of a shell, spaces for a part of a solid.
    members: Vec<usize>,
    solid: bool,
}

impl Imprint {
    /// The parts into which `cutters` divide a shape: of a closed one the spaces inside it, of another one its faces as far as
    /// they hang together. `cells` must be those of this imprint.
    ///
    /// # Errors
    /// What keeps a part from being a shell or a solid.
    pub fn pieces(
        &self,
        cells: &Cells,
        of: usize,
        is_closed: bool,
        cutters: &dyn Fn(usize) -> bool,
    ) -> Result<Vec<Piece>, TopologyError> {
        if is_closed { self.solid_pieces(cells, of, cutters) } else { self.shell_pieces(of, cutters) }
    }

    /// The curves that some shapes and the others have in common: those in which they cross, and edges of both, each with how
    /// far it may lie off them, in millimetres.
    #[must_use]
    pub fn common_curves(&self, is_first: impl Fn(usize) -> bool) -> Vec<(NurbsCurve, f64)> {
        let both = |inputs: &[usize; 2]| is_first(inputs[0]) != is_first(inputs[1]);
        let crossings = self.crossings.iter().filter(|c| both(&c.inputs));
        let mut out: Vec<(NurbsCurve, f64)> = crossings.map(|c| (c.curve.clone(), c.tolerance)).collect();
        let crossed: BTreeSet<EdgeId> = self.crossings.iter().filter_map(|c| c.edge).collect();
        let mut users: BTreeMap<EdgeId, [bool; 2]> = BTreeMap::new();
        let mut note = |edge: EdgeId, input: usize| {
            if !crossed.contains(&edge) {
                users.entry(edge).or_default()[usize::from(!is_first(input))] = true;
            }
        };
        for (f, face) in self.shell.faces().iter().enumerate() {
            for used in face.loops.iter().flat_map(|l| &l.edges) {
                self.sources[f].iter().for_each(|s| note(used.edge, s.input));
            }
        }
        for ((input, _), laid) in &self.laid {
            laid.iter().for_each(|l| note(l.edge, *input));
        }
        for (id, _) in users.into_iter().filter(|(_, both)| *both == [true; 2]) {
            let edge = self.shell.edge(id);
            out.extend(edge.curve.clone().map(|c| (c, edge.tolerance)));
        }
        out
    }

    /// The faces of a shape, in groups that hang together where none of some others cuts them, with the edges at which those do.
    fn hanging_together<'a>(
        &'a self,
        of: usize,
        cutters: &dyn Fn(usize) -> bool,
    ) -> (Vec<Vec<usize>>, Cuts<'a>) {
        let faces = self.shell.faces();
        let own: Vec<usize> =
            (0..faces.len()).filter(|&f| self.sources[f].iter().any(|s| s.input == of)).collect();
        let cut = self.cutting(&own, of, cutters);
        let mut sets = Sets::new(faces.len());
        let mut first: BTreeMap<EdgeId, usize> = BTreeMap::new();
        for &f in &own {
            for used in faces[f].loops.iter().flat_map(|l| &l.edges).filter(|u| !cut.contains_key(&u.edge)) {
                let with = *first.entry(used.edge).or_insert(f);
                sets.unite(with, f);
            }
        }
        let mut groups: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for &f in &own {
            groups.entry(sets.of(f)).or_default().push(f);
        }
        (groups.into_values().collect(), cut)
    }

    /// The faces of the imprint that make up the part of an open shape, between others that cut it, that holds a place of one of
    /// its faces.
    #[must_use]
    pub fn part_about(
        &self,
        of: usize,
        face: FaceId,
        at: [f64; 2],
        cutters: &dyn Fn(usize) -> bool,
    ) -> Option<Vec<usize>> {
        let (groups, _) = self.hanging_together(of, cutters);
        let is_of = |f: usize| self.sources[f].iter().any(|s| s.input == of && s.face == face);
        let holds = |f: &usize| is_of(*f) && Outline::of(&self.shell.faces()[*f]).holds(at);
        groups.into_iter().find(|g| g.iter().any(holds))
    }

    fn shell_pieces(&self, of: usize, cutters: &dyn Fn(usize) -> bool) -> Result<Vec<Piece>, TopologyError> {
        let faces = self.shell.faces();
        let (groups, cut) = self.hanging_together(of, cutters);
        let piece = |members: Vec<usize>| {
            let uses = members
                .iter()
                .flat_map(|&f| faces[f].loops.iter().flat_map(|l| &l.edges).map(move |u| (f, u)));
            let sides = uses.flat_map(|(f, used)| {
                let cutters = cut.get(&used.edge).into_iter().flatten();
                cutters.filter_map(move |(cutter, its)| Some((*cutter, self.is_in_front(f, used, its)?)))
            });
            let sides = sides.collect();
            let body = Body::from_shell(self.shell_of(&members)?);
            Ok(Piece { of, body, sides, members, solid: false })
        };
        groups.into_iter().map(piece).collect()
    }

    /// Edges of a shape's faces at which cutters are, each with how those lie there.
    fn cutting<'a>(&'a self, own: &[usize], of: usize, cutters: &dyn Fn(usize) -> bool) -> Cuts<'a> {
        let faces = self.shell.faces();
        let edges: BTreeSet<EdgeId> = own
            .iter()
            .flat_map(|&f| faces[f].loops.iter().flat_map(|l| &l.edges))
            .map(|u| u.edge)
            .filter(|e| self.shell.edge(*e).curve.is_some())
            .collect();
        let mut out: Cuts<'a> = BTreeMap::new();
        let mut note = |edge: EdgeId, input: usize, beside: Beside<'a>| {
            if input != of && cutters(input) && edges.contains(&edge) {
                out.entry(edge).or_default().entry(input).or_insert(beside);
            }
        };
        for (f, face) in faces.iter().enumerate() {
            for used in face.loops.iter().flat_map(|l| &l.edges) {
                for source in &self.sources[f] {
                    let against = !self.outside_in_front(f, source);
                    let beside = Beside::Face { surface: &face.surface, pcurve: &used.pcurve, against };
                    note(used.edge, source.input, beside);
                }
            }
        }
        // Where an edge divides nothing on the cutter, the cutter's faces have no such edge.
        for ((input, _), laid) in &self.laid {
            for l in laid {
                let beside = Beside::Face { surface: &l.surface, pcurve: &l.pcurve, against: l.reversed };
                note(l.edge, *input, beside);
            }
        }
        self.wires.iter().for_each(|w| note(w.edge, w.input, Beside::Curve { forward: w.forward }));
        out
    }

    /// Whether a face, where it leaves an edge, is on the outer side of what is beside it there, or to its left.
    fn is_in_front(&self, face: usize, used: &OrientedEdge, beside: &Beside<'_>) -> Option<bool> {
        let own = &self.shell.faces()[face];
        let curve = self.shell.edge(used.edge).curve.as_ref()?;
        let t = curve.domain().at(0.5);
        let along = curve.tangent(t)?;
        let into = inward(own, used, t, &along)?;
        let normal = |surface: &NurbsSurface, pcurve: &NurbsCurve| {
            let at = pcurve.point(t);
            surface.normal(at.x, at.y)
        };
        Some(match beside {
            Beside::Face { surface, pcurve, against } => {
                (into.dot(&normal(surface, pcurve)?) > 0.0) != *against
            }
            Beside::Curve { forward } => {
                let left = normal(&own.surface, &used.pcurve)?.cross(&along);
                ((into.dot(&left) > 0.0) == *forward) != own.reversed
            }
        })
    }

    fn solid_pieces(
        &self,
        cells: &Cells,
        of: usize,
        cutters: &dyn Fn(usize) -> bool,
    ) -> Result<Vec<Piece>, TopologyError> {
        let insides = self.insides(cells, |s| s == of);
        let own: Vec<usize> = (1..insides.len()).filter(|&c| insides[c].contains(&of)).collect();
        // Faces of shapes that do not cut this one do not divide it.
        let divides = |f: usize| self.sources[f].iter().any(|s| s.input == of || cutters(s.input));
        let mut sets = Sets::new(insides.len());
        for (f, [back, front]) in cells.sides.iter().enumerate() {
            if !divides(f) && *back != OUTSIDE && *front != OUTSIDE {
                sets.unite(*back, *front);
            }
        }
        let mut groups: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for &c in &own {
            groups.entry(sets.of(c)).or_default().push(c);
        }
        let mut out = Vec::new();
        for members in groups.into_values() {
            let sides = self.sides_of(cells, &members).into_iter();
            let sides: BTreeSet<(usize, bool)> = sides.filter(|(s, _)| *s != of && cutters(*s)).collect();
            for solid in self.solids(cells, &wanted(insides.len(), &members))?.solids {
                out.push(Piece {
                    of,
                    body: Body::Solid(solid),
                    sides: sides.clone(),
                    members: members.clone(),
                    solid: true,
                });
            }
        }
        Ok(out)
    }

    /// Pieces of one shape put together: a shell, or solids.
    ///
    /// # Errors
    /// What keeps them from being shells or solids.
    pub fn together(&self, cells: &Cells, pieces: &[&Piece]) -> Result<Vec<Body>, TopologyError> {
        let members: Vec<usize> = pieces.iter().flat_map(|p| p.members.iter().copied()).collect();
        if pieces.iter().any(|p| p.solid) {
            let made = self.solids(cells, &wanted(cells.volumes.len() + 1, &members))?;
            return Ok(made.solids.into_iter().map(Body::Solid).collect());
        }
        if members.is_empty() {
            return Ok(Vec::new());
        }
        Ok(self.shell_of(&members)?.pieces().into_iter().map(Body::from_shell).collect())
    }

    /// Some faces of the imprint as a shell of their own; those of one surface that were divided are put together again.
    ///
    /// # Errors
    /// What keeps them from being a shell.
    pub fn shell_of(&self, faces: &[usize]) -> Result<Shell, TopologyError> {
        let turned = |f: usize| self.shell.faces()[f].reversed;
        Shell::of_used(self.shell.vertices(), self.shell.edges(), self.reunited(faces, &turned))
    }

    /// Where the shapes that shut in no space, or not the one that was meant, leak: edges with a face on one side only, the
    /// shortest openings first. Shapes that stand for endless ones have no edges to leak over.
    #[must_use]
    pub fn leaks(&self, endless: &dyn Fn(usize) -> bool) -> Vec<FreeEdge> {
        let is_free: BTreeSet<EdgeId> = free_edges(&self.shell).into_iter().collect();
        let length =
            |u: &&OrientedEdge| self.shell.edge(u.edge).curve.as_ref().map_or(0.0, NurbsCurve::length);
        // What sticks out beyond the others leaks too; an opening inside a face that others bound is the more likely one.
        let mut likely: BTreeMap<EdgeId, bool> = BTreeMap::new();
        for (f, face) in self.shell.faces().iter().enumerate() {
            let uses = || face.loops.iter().flat_map(|l| &l.edges);
            if self.sources[f].iter().all(|s| endless(s.input)) || !uses().any(|u| is_free.contains(&u.edge))
            {
                continue;
            }
            let whole = face.loops.iter().any(|l| l.edges.iter().all(|u| !is_free.contains(&u.edge)));
            let (free, shared): (Vec<_>, Vec<_>) = uses().partition(|u| is_free.contains(&u.edge));
            let mostly = shared.iter().map(length).sum::<f64>() > free.iter().map(length).sum::<f64>();
            likely.extend(free.iter().map(|u| (u.edge, whole || mostly)));
        }
        let mut free = closure(&self.shell).free_edges;
        free.retain(|e| likely.contains_key(&e.edge));
        free.sort_by(|a, b| likely[&b.edge].cmp(&likely[&a.edge]).then(a.length.total_cmp(&b.length)));
        free
    }
}

/// For each edge at which others cut a shape what each of them has there.
type Cuts<'a> = BTreeMap<EdgeId, BTreeMap<usize, Beside<'a>>>;

/// What a shape has at an edge.
enum Beside<'a> {
    /// A face: where the edge runs on its surface, and whether the shape's outside is against the surface's normal.
    Face { surface: &'a NurbsSurface, pcurve: &'a NurbsCurve, against: bool },
    /// The edge itself, which runs as its curve does or the other way.
    Curve { forward: bool },
}

fn wanted(count: usize, members: &[usize]) -> Vec<bool> {
    let mut out = vec![false; count];
    members.iter().for_each(|&c| out[c] = true);
    out
}

/// A flat rectangle in the plane of a frame that reaches beyond all of some shapes.
///
/// # Errors
/// Only for shapes without extent.
pub fn plane_beyond(
    frame: &geometry::Frame,
    shapes: &[&Shell],
    tolerance: &Tolerance,
) -> Result<Shell, TopologyError> {
    /// Share of the extent by which it reaches farther.
    const BEYOND: f64 = 0.1;
    let points = shapes.iter().flat_map(|s| {
        let nets = s.faces().iter().flat_map(|f| f.surface.control_points());
        s.vertices().iter().map(|v| v.point).chain(nets)
    });
    let within = box_of(points.map(|p| frame.coordinates(&p).into()).collect::<Vec<_>>().iter());
    let (low, high) = (Vector3::from(within.lower()), Vector3::from(within.upper()));
    let margin = BEYOND * (high - low).norm() + tolerance.join;
    let corner = |x: f64, y: f64| frame.to_space(x, y);
    let (l, h) = (low.add_scalar(-margin), high.add_scalar(margin));
    let surface =
        NurbsSurface::bilinear(corner(l.x, l.y), corner(h.x, l.y), corner(l.x, h.y), corner(h.x, h.y));
    crate::natural_shell(std::sync::Arc::new(surface), "plane", tolerance)
}
