use std::collections::BTreeMap;
use std::sync::Arc;

use geometry::{NurbsCurve, NurbsSurface, Point3, Tolerance};
use nalgebra::Matrix4;
use serde::{Deserialize, Serialize};

use crate::wiring::{Wiring, WiringError};
use crate::{EdgeId, FaceId, TopologyError, VertexId};

/// A place where edges end.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Vertex {
    /// The place.
    pub point: Point3,
}

/// A curve between two vertices, shared by the faces that meet there.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Edge {
    /// The curve in space; `None` for a pole, an edge of no length where a surface shrinks to a point.
    pub curve: Option<NurbsCurve>,
    /// Vertex at the curve's start.
    pub start: VertexId,
    /// Vertex at the curve's end.
    pub end: VertexId,
    /// How far the faces' own copies of the edge may lie from the curve, in millimetres.
    pub tolerance: f64,
}

/// One use of an edge by a loop.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct OrientedEdge {
    /// The edge.
    pub edge: EdgeId,
    /// Whether the loop runs along the edge's direction.
    pub forward: bool,
    /// The edge in the face's parameter plane (u, v, 0), by the edge curve's parameter and in its direction.
    pub pcurve: NurbsCurve,
}

/// A closed run of edge uses; the face lies to its left in the surface's parameter plane.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Loop {
    /// The uses in order.
    pub edges: Vec<OrientedEdge>,
}

/// A bounded part of a surface.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Face {
    /// The surface it lies on.
    pub surface: Arc<NurbsSurface>,
    /// Its boundary, the outer loop first.
    pub loops: Vec<Loop>,
    /// Whether its outside is against the surface's normal.
    pub reversed: bool,
    /// What the construction says it is, for example `outer side of Bowl profile`.
    pub role: String,
}

impl Face {
    /// Whether its only loop is the border of its surface's whole domain.
    #[must_use]
    pub fn is_whole(&self) -> bool {
        let (u, v) = self.surface.domain();
        let on_side = |p: Point3, q: Point3| {
            let at = |value: fn(&Point3) -> f64, side: f64| value(&p) == side && value(&q) == side;
            [u.start, u.end].into_iter().any(|side| at(|p| p.x, side))
                || [v.start, v.end].into_iter().any(|side| at(|p| p.y, side))
        };
        let [border] = &self.loops[..] else { return false };
        border.edges.len() == 4
            && border
                .edges
                .iter()
                .all(|e| e.pcurve.degree() == 1 && on_side(e.pcurve.start(), e.pcurve.end()))
    }
}

/// Faces joined along shared edges, closed or not.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "StoredShell", into = "StoredShell")]
pub struct Shell {
    vertices: Vec<Vertex>,
    edges: Vec<Edge>,
    faces: Vec<Face>,
}

#[derive(Serialize, Deserialize)]
struct StoredShell {
    vertices: Vec<Vertex>,
    edges: Vec<Edge>,
    faces: Vec<Face>,
}

impl TryFrom<StoredShell> for Shell {
    type Error = TopologyError;
    fn try_from(s: StoredShell) -> Result<Self, TopologyError> {
        Self::try_new(s.vertices, s.edges, s.faces)
    }
}

impl From<Shell> for StoredShell {
    fn from(s: Shell) -> Self {
        Self { vertices: s.vertices, edges: s.edges, faces: s.faces }
    }
}

impl Shell {
    /// A shell from its parts, after checking every index, that loops close and that edges end at their vertices.
    ///
    /// # Errors
    /// `Wiring` for indices and loops, `EdgeOffVertex` for a curve that ends elsewhere.
    pub fn try_new(vertices: Vec<Vertex>, edges: Vec<Edge>, faces: Vec<Face>) -> Result<Self, TopologyError> {
        let shell = Self { vertices, edges, faces };
        for v in shell.edges.iter().flat_map(|e| [e.start, e.end]) {
            if v.index() >= shell.vertices.len() {
                return Err(WiringError::Missing { what: "vertex", index: v.index() }.into());
            }
        }
        for used in shell.faces.iter().flat_map(|f| &f.loops).flat_map(|l| &l.edges) {
            if used.edge.index() >= shell.edges.len() {
                return Err(WiringError::Missing { what: "edge", index: used.edge.index() }.into());
            }
        }
        // The loops are checked with poles in place, since a loop may need one to close.
        shell.full_wiring().check()?;
        for (i, edge) in shell.edges.iter().enumerate() {
            let Some(curve) = &edge.curve else { continue };
            for (id, end) in [(edge.start, curve.start()), (edge.end, curve.end())] {
                let vertex = shell.vertices[id.index()].point;
                let distance = (vertex - end).norm();
                if distance > edge.tolerance.max(1e-9) {
                    return Err(TopologyError::EdgeOffVertex { edge: i, distance, at: vertex.into() });
                }
            }
        }
        Ok(shell)
    }

    /// All vertices.
    #[must_use]
    pub fn vertices(&self) -> &[Vertex] {
        &self.vertices
    }

    /// All edges, poles included.
    #[must_use]
    pub fn edges(&self) -> &[Edge] {
        &self.edges
    }

    /// All faces.
    #[must_use]
    pub fn faces(&self) -> &[Face] {
        &self.faces
    }

    /// One vertex.
    #[must_use]
    pub fn vertex(&self, id: VertexId) -> &Vertex {
        &self.vertices[id.index()]
    }

    /// One edge.
    #[must_use]
    pub fn edge(&self, id: EdgeId) -> &Edge {
        &self.edges[id.index()]
    }

    /// One face.
    #[must_use]
    pub fn face(&self, id: FaceId) -> &Face {
        &self.faces[id.index()]
    }

    /// The same shell with the outside of every face turned to the other side.
    #[must_use]
    pub fn flipped(mut self) -> Self {
        for face in &mut self.faces {
            face.reversed = !face.reversed;
        }
        self
    }

    /// The shell under a map of space that keeps shapes similar; under a mirroring one faces keep the outside that they
    /// had.
    #[must_use]
    pub fn transformed(mut self, map: &Matrix4<f64>) -> Self {
        // Similar maps grow every distance by one factor, the cube root of what they do to a volume.
        let growth = map.fixed_view::<3, 3>(0, 0).determinant().cbrt();
        for vertex in &mut self.vertices {
            vertex.point = map.transform_point(&vertex.point);
        }
        for edge in &mut self.edges {
            edge.curve = edge.curve.take().map(|c| c.transformed(map));
            edge.tolerance *= growth.abs().max(1.0);
        }
        for face in &mut self.faces {
            face.surface = Arc::new(face.surface.transformed(map));
            face.reversed ^= growth < 0.0;
        }
        self
    }

    /// The same shell with other roles of its faces.
    #[must_use]
    pub fn with_roles(mut self, role: &impl Fn(&str) -> String) -> Self {
        for face in &mut self.faces {
            face.role = role(&face.role);
        }
        self
    }

    fn full_wiring(&self) -> Wiring {
        self.wire(|_| true)
    }

    /// Who touches whom, without the poles, which count as vertices only. Uses are seen from the faces' outer sides.
    #[must_use]
    pub fn wiring(&self) -> Wiring {
        self.wire(|e| e.curve.is_some())
    }

    fn wire(&self, keep: impl Fn(&Edge) -> bool) -> Wiring {
        let mut number = vec![u32::MAX; self.edges.len()];
        let mut edges = Vec::new();
        for (i, edge) in self.edges.iter().enumerate().filter(|(_, e)| keep(e)) {
            number[i] = edges.len() as u32;
            edges.push([edge.start.0, edge.end.0]);
        }
        let uses = |face: &Face, l: &Loop| {
            let mut uses: Vec<_> = l
                .edges
                .iter()
                .filter(|e| number[e.edge.index()] != u32::MAX)
                .map(|e| (number[e.edge.index()], e.forward != face.reversed))
                .collect();
            if face.reversed {
                uses.reverse();
            }
            uses
        };
        let faces = self.faces.iter().map(|f| f.loops.iter().map(|l| uses(f, l)).collect()).collect();
        Wiring { vertices: self.vertices.len(), edges, faces }
    }

    /// The pieces of the shell that hang together, each a shell of its own, in the order of their first faces.
    #[must_use]
    pub fn pieces(&self) -> Vec<Self> {
        let groups = self.full_wiring().pieces();
        if groups.len() < 2 {
            return vec![self.clone()];
        }
        groups.into_iter().map(|faces| self.part(&faces)).collect()
    }

    /// A shell of some of its faces, in the order given, with the vertices and edges that they use.
    ///
    /// # Panics
    /// For a number that is none of a face.
    #[must_use]
    pub fn part(&self, faces: &[usize]) -> Self {
        let faces = faces.iter().map(|&f| self.faces[f].clone()).collect();
        let (vertices, edges, faces) = used(&self.vertices, &self.edges, faces);
        Self { vertices, edges, faces }
    }

    /// The shell of nothing.
    #[must_use]
    pub fn empty() -> Self {
        Self { vertices: Vec::new(), edges: Vec::new(), faces: Vec::new() }
    }

    /// Curves as edges without faces, in the order given; ends nearer than the fit tolerance are one vertex. Such a shell can be
    /// brought together with others that it lies on: see [`crate::imprint`].
    ///
    /// # Errors
    /// Those of [`Shell::try_new`].
    pub fn of_curves(curves: &[NurbsCurve], tolerance: &Tolerance) -> Result<Self, TopologyError> {
        let mut vertices: Vec<Vertex> = Vec::new();
        let mut at = |point: Point3| {
            let apart = |v: &Vertex| (v.point - point).norm();
            let known = vertices.iter().enumerate().min_by(|a, b| apart(a.1).total_cmp(&apart(b.1)));
            if let Some((known, vertex)) = known
                && apart(vertex) <= tolerance.fit
            {
                return (VertexId(known as u32), apart(vertex));
            }
            vertices.push(Vertex { point });
            (VertexId(vertices.len() as u32 - 1), 0.0)
        };
        let edges = curves
            .iter()
            .map(|curve| {
                let ((start, before), (end, after)) = (at(curve.start()), at(curve.end()));
                let tolerance = tolerance.resolution.max(before).max(after);
                Edge { start, end, curve: Some(curve.clone()), tolerance }
            })
            .collect();
        Self::try_new(vertices, edges, Vec::new())
    }

    /// Its vertices, edges and faces.
    pub(crate) fn into_parts(self) -> (Vec<Vertex>, Vec<Edge>, Vec<Face>) {
        (self.vertices, self.edges, self.faces)
    }

    /// Both shells in one, with nothing in common.
    #[must_use]
    pub fn beside(mut self, other: &Self) -> Self {
        let (v, e) = (self.vertices.len() as u32, self.edges.len() as u32);
        self.vertices.extend_from_slice(&other.vertices);
        self.edges.extend(other.edges.iter().cloned().map(|mut edge| {
            edge.start.0 += v;
            edge.end.0 += v;
            edge
        }));
        self.faces.extend(other.faces.iter().cloned().map(|mut face| {
            face.loops.iter_mut().flat_map(|l| &mut l.edges).for_each(|used| used.edge.0 += e);
            face
        }));
        self
    }

    /// A shell of faces with those of the vertices and edges that they use, in the order given; as [`Shell::try_new`].
    ///
    /// # Errors
    /// Those of [`Shell::try_new`]. Indices must lie within the lists.
    pub fn of_used(vertices: &[Vertex], edges: &[Edge], faces: Vec<Face>) -> Result<Self, TopologyError> {
        let (vertices, edges, faces) = used(vertices, edges, faces);
        Self::try_new(vertices, edges, faces)
    }
}

/// Vertices and edges without what no face uses, and the faces with their new numbers. Takes as long as the faces have edges,
/// however long the lists are.
fn used(vertices: &[Vertex], edges: &[Edge], mut faces: Vec<Face>) -> (Vec<Vertex>, Vec<Edge>, Vec<Face>) {
    let uses = faces.iter().flat_map(|f| &f.loops).flat_map(|l| &l.edges);
    let mut kept: Vec<EdgeId> = uses.map(|e| e.edge).collect();
    kept.sort_unstable();
    kept.dedup();
    let mut vertex_number = BTreeMap::new();
    let (mut kept_vertices, mut kept_edges) = (Vec::new(), Vec::with_capacity(kept.len()));
    for old in &kept {
        let mut edge = edges[old.index()].clone();
        for id in [&mut edge.start, &mut edge.end] {
            *id = *vertex_number.entry(*id).or_insert_with_key(|old| {
                kept_vertices.push(vertices[old.index()].clone());
                VertexId(kept_vertices.len() as u32 - 1)
            });
        }
        kept_edges.push(edge);
    }
    for e in faces.iter_mut().flat_map(|f| &mut f.loops).flat_map(|l| &mut l.edges) {
        e.edge = EdgeId(kept.binary_search(&e.edge).unwrap_or_default() as u32);
    }
    (kept_vertices, kept_edges, faces)
}
