//! Who stands about whom at the vertices of a shell: half-edges seen from the faces' outer sides.

use std::collections::BTreeMap;

use geometry::Vector3;
use topology::{EdgeId, OrientedEdge, Shell, VertexId};

use crate::side::Side;

/// Share of an edge from its vertex at which is looked how faces meet there.
const BESIDE: f64 = 1e-3;

/// A use of an edge, run so that the face lies to its left when seen from its outer side.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Half {
    pub(crate) face: usize,
    /// Which loop of the face, and which use in it.
    pub(crate) place: [usize; 2],
    pub(crate) edge: EdgeId,
    pub(crate) forward: bool,
    pub(crate) next: usize,
    pub(crate) previous: usize,
    /// The use by the face on the other side.
    pub(crate) twin: Option<usize>,
}

/// An edge as it leaves a vertex.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Spoke {
    pub(crate) edge: EdgeId,
    /// Whether the vertex is at the edge's end.
    pub(crate) at_end: bool,
}

/// The part of a face between two spokes.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Corner {
    pub(crate) face: usize,
    /// The half-edge that leaves along the first spoke.
    pub(crate) leaving: usize,
    /// The half-edge that comes in along the second one.
    pub(crate) coming: usize,
}

/// Spokes and corners about a vertex in order; corner `i` lies between the spokes `i` and `i + 1`.
#[derive(Debug, Clone)]
pub(crate) struct Fan {
    pub(crate) spokes: Vec<Spoke>,
    pub(crate) corners: Vec<Corner>,
    /// Whether the last corner ends at the first spoke; else both outer spokes are free edges.
    pub(crate) closed: bool,
}

/// All half-edges of a shell.
pub(crate) struct Halves<'a> {
    pub(crate) shell: &'a Shell,
    pub(crate) all: Vec<Half>,
}

impl<'a> Halves<'a> {
    pub(crate) fn new(shell: &'a Shell) -> Self {
        let mut all: Vec<Half> = Vec::new();
        for (f, face) in shell.faces().iter().enumerate() {
            for (l, bound) in face.loops.iter().enumerate() {
                let (first, count) = (all.len(), bound.edges.len());
                for i in 0..count {
                    let k = if face.reversed { count - 1 - i } else { i };
                    let used = &bound.edges[k];
                    all.push(Half {
                        face: f,
                        place: [l, k],
                        edge: used.edge,
                        forward: used.forward != face.reversed,
                        next: first + (i + 1) % count,
                        previous: first + (i + count - 1) % count,
                        twin: None,
                    });
                }
            }
        }
        let mut users: BTreeMap<EdgeId, Vec<usize>> = BTreeMap::new();
        for (h, half) in all.iter().enumerate() {
            users.entry(half.edge).or_default().push(h);
        }
        for pair in users.values() {
            if let [a, b] = pair[..]
                && all[a].forward != all[b].forward
            {
                (all[a].twin, all[b].twin) = (Some(b), Some(a));
            }
        }
        Self { shell, all }
    }

    pub(crate) fn used(&self, half: usize) -> &'a OrientedEdge {
        let Half { face, place: [l, k], .. } = self.all[half];
        &self.shell.faces()[face].loops[l].edges[k]
    }

    /// Whether the faces beside an edge meet smoothly where it leaves a vertex; so does one that meets itself.
    pub(crate) fn smooth_at(&self, spoke: Spoke, level: f64) -> bool {
        let Some([a, b]) = self.of(spoke.edge) else { return false };
        if self.all[a].face == self.all[b].face {
            return true;
        }
        let side = |half: usize| {
            let used = self.used(half);
            let d = used.pcurve.domain();
            // At a vertex itself a face may have no normal.
            let t = d.at(if spoke.at_end { 1.0 - BESIDE } else { BESIDE });
            Side::new(&self.shell.faces()[self.all[half].face], used, t)
        };
        let (Some(a), Some(b)) = (side(a), side(b)) else { return false };
        a.normal.dot(&b.normal) > 0.0 && a.normal.cross(&b.normal).norm() <= level
    }

    /// The direction in which an edge leaves a vertex, of length 1; `None` where it has none.
    pub(crate) fn leaves(&self, spoke: Spoke) -> Option<Vector3> {
        let curve = self.shell.edge(spoke.edge).curve.as_ref()?;
        let d = curve.domain();
        if spoke.at_end { curve.tangent(d.end).map(|t| -t) } else { curve.tangent(d.start) }
    }

    /// The vertex that an edge leaves.
    pub(crate) fn vertex(&self, spoke: Spoke) -> VertexId {
        let edge = self.shell.edge(spoke.edge);
        if spoke.at_end { edge.end } else { edge.start }
    }

    pub(crate) fn origin(&self, half: usize) -> VertexId {
        let edge = self.shell.edge(self.all[half].edge);
        if self.all[half].forward { edge.start } else { edge.end }
    }

    /// The half-edges of an edge, the one that runs forward first; `None` for an edge with another number of faces than two.
    pub(crate) fn of(&self, edge: EdgeId) -> Option<[usize; 2]> {
        let first = self.all.iter().position(|h| h.edge == edge && h.forward)?;
        Some([first, self.all[first].twin?])
    }

    /// All that stands about a vertex; `None` where it is not one fan of faces.
    pub(crate) fn fan(&self, vertex: VertexId) -> Option<Fan> {
        let leaving: Vec<usize> = (0..self.all.len()).filter(|&h| self.origin(h) == vertex).collect();
        let first = *leaving.first()?;
        // Back to the free edge where the fan begins, if it is open.
        let mut start = first;
        let mut closed = false;
        for _ in 0..leaving.len() {
            let Some(twin) = self.all[start].twin else { break };
            start = self.all[twin].next;
            if start == first {
                closed = true;
                break;
            }
        }
        let (mut spokes, mut corners) = (Vec::new(), Vec::new());
        let mut here = start;
        loop {
            let half = self.all[here];
            spokes.push(Spoke { edge: half.edge, at_end: !half.forward });
            let coming = half.previous;
            corners.push(Corner { face: half.face, leaving: here, coming });
            match self.all[coming].twin {
                Some(next) if next == start => break,
                Some(next) if corners.len() < leaving.len() => here = next,
                Some(_) => return None,
                None => {
                    let last = self.all[coming];
                    spokes.push(Spoke { edge: last.edge, at_end: last.forward });
                    break;
                }
            }
        }
        (corners.len() == leaving.len()).then_some(Fan { spokes, corners, closed })
    }
}

impl Fan {
    /// The same fan, a closed one begun at another spoke.
    pub(crate) fn from(&self, first: usize) -> Self {
        let mut out = self.clone();
        if self.closed {
            out.spokes.rotate_left(first);
            out.corners.rotate_left(first);
        }
        out
    }
}
