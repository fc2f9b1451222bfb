//! Shapes in pieces: what others cut them into, each told by the sides on which it lies.

use std::collections::{BTreeMap, BTreeSet};

use geometry::{NurbsCurve, Point3, Tolerance};

use crate::cells::{OUTSIDE, Sets};
use crate::imprint::Outline;
use crate::{Body, Cells, EdgeId, FreeEdge, Imprint, OrientedEdge, Shell, TopologyError, closure};

/// A part of a shape between those that cut it.
#[derive(Debug, Clone)]
pub struct Piece {
    /// Number of the shape that it is a part of.
    pub of: usize,
    /// It by itself: a shell, or a solid if the shape is one.
    pub body: Body,
    /// Beside which shapes it lies, and whether it is in front of them there: on their outer side.
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
        for (f, face) in self.shell.faces().iter().enumerate() {
            for used in face.loops.iter().flat_map(|l| &l.edges).filter(|u| !crossed.contains(&u.edge)) {
                for source in &self.sources[f] {
                    users.entry(used.edge).or_default()[usize::from(!is_first(source.input))] = true;
                }
            }
        }
        for (id, _) in users.into_iter().filter(|(_, both)| *both == [true; 2]) {
            let edge = self.shell.edge(id);
            out.extend(edge.curve.clone().map(|c| (c, edge.tolerance)));
        }
        out
    }

    fn shell_pieces(&self, of: usize, cutters: &dyn Fn(usize) -> bool) -> Result<Vec<Piece>, TopologyError> {
        let faces = self.shell.faces();
        let own: Vec<usize> =
            (0..faces.len()).filter(|&f| self.sources[f].iter().any(|s| s.input == of)).collect();
        let cut = self.cutting(of, cutters);
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
        groups
            .into_values()
            .map(|members| {
                let mut sides = BTreeSet::new();
                for &f in &members {
                    for used in faces[f].loops.iter().flat_map(|l| &l.edges) {
                        for &cutter in cut.get(&used.edge).into_iter().flatten() {
                            sides.extend(self.side_at(f, used, cutter).map(|front| (cutter, front)));
                        }
                    }
                }
                let body = Body::from_shell(self.faces_alone(&members)?);
                Ok(Piece { of, body, sides, members, solid: false })
            })
            .collect()
    }

    /// Edges of a shape's faces that a cutter's face has too, with the cutters.
    fn cutting(&self, of: usize, cutters: &dyn Fn(usize) -> bool) -> BTreeMap<EdgeId, BTreeSet<usize>> {
        let mut inputs: BTreeMap<EdgeId, BTreeSet<usize>> = BTreeMap::new();
        for (f, face) in self.shell.faces().iter().enumerate() {
            for used in face.loops.iter().flat_map(|l| &l.edges) {
                inputs.entry(used.edge).or_default().extend(self.sources[f].iter().map(|s| s.input));
            }
        }
        for laid in &self.laid {
            inputs.entry(laid.edge).or_default().insert(laid.input);
        }
        inputs
            .into_iter()
            .filter(|(e, _)| self.shell.edge(*e).curve.is_some())
            .filter(|(_, own)| own.contains(&of))
            .map(|(e, own)| (e, own.into_iter().filter(|&i| i != of && cutters(i)).collect::<BTreeSet<_>>()))
            .filter(|(_, own)| !own.is_empty())
            .collect()
    }

    /// Whether a face, where it leaves an edge, is in front of a cutter's face there.
    fn side_at(&self, face: usize, used: &OrientedEdge, cutter: usize) -> Option<bool> {
        let curve = self.shell.edge(used.edge).curve.as_ref()?;
        let t = curve.domain().at(0.5);
        let along = curve.tangent(t)?;
        let into = |f: usize, u: &OrientedEdge| {
            let at = u.pcurve.point(t);
            let normal = self.shell.faces()[f].surface.normal(at.x, at.y)?;
            Some((normal, normal.cross(&if u.forward { along } else { -along })))
        };
        let (_, inward) = into(face, used)?;
        let found = self.shell.faces().iter().enumerate().find_map(|(f, other)| {
            let source = self.sources[f].iter().find(|s| s.input == cutter)?;
            let its = other.loops.iter().flat_map(|l| &l.edges).find(|u| u.edge == used.edge)?;
            let (normal, _) = into(f, its)?;
            Some(if other.reversed == source.along { -normal } else { normal })
        });
        // Where it divides nothing on the cutter, the cutter's face has no such edge any more.
        let outward = found.or_else(|| {
            let laid = self.laid.iter().find(|l| l.edge == used.edge && l.input == cutter)?;
            let at = laid.pcurve.point(t);
            let normal = laid.surface.normal(at.x, at.y)?;
            Some(if laid.reversed { -normal } else { normal })
        })?;
        Some(inward.dot(&outward) > 0.0)
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
            let mut sides = BTreeSet::new();
            for (f, [back, front]) in cells.sides.iter().enumerate() {
                let (behind, before) = (members.contains(back), members.contains(front));
                if behind == before {
                    continue;
                }
                for source in self.sources[f].iter().filter(|s| s.input != of && cutters(s.input)) {
                    let outside_in_front = self.shell.faces()[f].reversed != source.along;
                    sides.insert((source.input, before == outside_in_front));
                }
            }
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
        Ok(self.faces_alone(&members)?.pieces().into_iter().map(Body::from_shell).collect())
    }

    fn faces_alone(&self, faces: &[usize]) -> Result<Shell, TopologyError> {
        let turned = |f: usize| self.shell.faces()[f].reversed;
        Shell::of_used(self.shell.vertices(), self.shell.edges(), self.reunited(faces, &turned))
    }

    /// Where the shapes that shut in no space, or not the one that was meant, leak: edges with a face on one side only, the
    /// shortest openings first. Shapes that stand for endless ones have no edges to leak over.
    #[must_use]
    pub fn leaks(&self, endless: &dyn Fn(usize) -> bool) -> Vec<FreeEdge> {
        // What sticks out beyond the others leaks too; an opening inside a face that others bound is the more likely one.
        let closure = closure(&self.shell);
        let mut bounded: BTreeMap<EdgeId, bool> = BTreeMap::new();
        let counts = self.shell.wiring().use_counts();
        let drawn: Vec<usize> =
            (0..self.shell.edges().len()).filter(|&e| self.shell.edges()[e].curve.is_some()).collect();
        let uses: BTreeMap<usize, usize> =
            drawn.into_iter().zip(counts.iter().map(|c| c[0] + c[1])).collect();
        for (f, face) in self.shell.faces().iter().enumerate() {
            if self.sources[f].iter().all(|s| endless(s.input)) {
                continue;
            }
            let shared = |u: &OrientedEdge| uses.get(&u.edge.index()).is_some_and(|n| *n > 1);
            let whole = face.loops.iter().any(|l| l.edges.iter().all(&shared));
            let most = {
                let all = face.loops.iter().flat_map(|l| &l.edges);
                let (mut own, mut free) = (0.0, 0.0);
                for u in all {
                    let length = self.shell.edge(u.edge).curve.as_ref().map_or(0.0, |c| c.length());
                    if shared(u) { own += length } else { free += length }
                }
                own > free
            };
            for u in face.loops.iter().flat_map(|l| &l.edges) {
                bounded.insert(u.edge, whole || most);
            }
        }
        let mut free = closure.free_edges;
        free.retain(|e| bounded.contains_key(&e.edge));
        free.sort_by(|a, b| {
            let likely = |e: &FreeEdge| bounded.get(&e.edge) == Some(&true);
            likely(b).cmp(&likely(a)).then(a.length.total_cmp(&b.length))
        });
        free
    }
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
    let (low, high) = points
        .map(|p| frame.coordinates(&p))
        .map(|c| (c, c))
        .fold((nalgebra::Vector3::repeat(f64::MAX), nalgebra::Vector3::repeat(f64::MIN)), |a, b| {
            (a.0.inf(&b.0), a.1.sup(&b.1))
        });
    let margin = BEYOND * (high - low).norm() + 1.0 * tolerance.join;
    let corner = |x: f64, y: f64| frame.to_space(x, y);
    let (l, h) = (low.add_scalar(-margin), high.add_scalar(margin));
    let surface = geometry::NurbsSurface::bilinear(
        corner(l.x, l.y),
        corner(h.x, l.y),
        corner(l.x, h.y),
        corner(h.x, h.y),
    );
    crate::natural_shell(std::sync::Arc::new(surface), "plane", tolerance)
}

/// A place inside a body's first face, to tell where it is.
#[must_use]
pub fn place_on(body: &Body) -> Option<Point3> {
    let shell = body.shells().into_iter().next()?;
    let face = shell.faces().first()?;
    let uses: Vec<&OrientedEdge> = face.loops.iter().flat_map(|l| &l.edges).collect();
    let at = Outline::new(uses.iter().map(|u| &u.pcurve)).inside()?;
    Some(face.surface.point(at[0], at[1]))
}
