//! Who touches whom: vertices, edges and face loops as plain indices, with the laws they must keep.
//!
//! Free of places and curves, so that the laws can be tested on their own.

/// One use of an edge by a loop: the edge's index, and whether the loop runs along its direction.
pub type Use = (u32, bool);

/// Indices only: edges by their two vertices, faces by their loops of edge uses.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Wiring {
    /// How many vertices there are.
    pub vertices: usize,
    /// First and last vertex of each edge.
    pub edges: Vec<[u32; 2]>,
    /// Loops of each face; the face lies to the left of each use, seen from its outer side.
    pub faces: Vec<Vec<Vec<Use>>>,
}

/// How a wiring can be broken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum WiringError {
    /// An index points outside its list.
    #[error("{what} {index} is not there")]
    Missing {
        /// `vertex` or `edge`.
        what: &'static str,
        /// The index.
        index: usize,
    },
    /// A loop's edges do not run into each other.
    #[error("loop {in_face} of face {face} is broken after its edge use {after}")]
    BrokenLoop {
        /// The face.
        face: usize,
        /// Which of its loops.
        in_face: usize,
        /// Position of the use after which it breaks.
        after: usize,
    },
    /// A face has no loop, or a loop no edge.
    #[error("face {0} has an empty boundary")]
    EmptyBoundary(usize),
}

/// Numbers of the Euler-Poincaré formula `V - E + F - (L - F) = 2 (S - G)`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct EulerPoincare {
    /// Vertices.
    pub vertices: usize,
    /// Edges.
    pub edges: usize,
    /// Faces.
    pub faces: usize,
    /// Loops.
    pub loops: usize,
    /// Shells: pieces that hang together.
    pub shells: usize,
    /// Genus that makes the formula come out, if it does with a whole number not below zero.
    pub genus: Option<usize>,
}

impl Wiring {
    /// Checks indices and that every loop closes.
    ///
    /// # Errors
    /// The first fault that is met.
    pub fn check(&self) -> Result<(), WiringError> {
        for v in self.edges.iter().flatten() {
            if *v as usize >= self.vertices {
                return Err(WiringError::Missing { what: "vertex", index: *v as usize });
            }
        }
        for (face, loops) in self.faces.iter().enumerate() {
            if loops.is_empty() || loops.iter().any(Vec::is_empty) {
                return Err(WiringError::EmptyBoundary(face));
            }
            for (in_face, uses) in loops.iter().enumerate() {
                if let Some((edge, _)) = uses.iter().find(|(e, _)| *e as usize >= self.edges.len()) {
                    return Err(WiringError::Missing { what: "edge", index: *edge as usize });
                }
                for (after, &here) in uses.iter().enumerate() {
                    let next = uses[(after + 1) % uses.len()];
                    if self.ends(here)[1] != self.ends(next)[0] {
                        return Err(WiringError::BrokenLoop { face, in_face, after });
                    }
                }
            }
        }
        Ok(())
    }

    fn ends(&self, (edge, forward): Use) -> [u32; 2] {
        let [a, b] = self.edges[edge as usize];
        if forward { [a, b] } else { [b, a] }
    }

    /// For each edge: how often faces use it along its direction, and against it.
    #[must_use]
    pub fn use_counts(&self) -> Vec<[usize; 2]> {
        let mut counts = vec![[0, 0]; self.edges.len()];
        for &(edge, forward) in self.faces.iter().flatten().flatten() {
            counts[edge as usize][usize::from(!forward)] += 1;
        }
        counts
    }

    /// Faces grouped into pieces that hang together by edges; each group and the list itself in rising order.
    #[must_use]
    pub fn pieces(&self) -> Vec<Vec<usize>> {
        let mut parent: Vec<usize> = (0..self.faces.len()).collect();
        fn root(parent: &mut [usize], mut i: usize) -> usize {
            while parent[i] != i {
                parent[i] = parent[parent[i]];
                i = parent[i];
            }
            i
        }
        let mut owner = vec![usize::MAX; self.edges.len()];
        for (face, loops) in self.faces.iter().enumerate() {
            for &(edge, _) in loops.iter().flatten() {
                let known = owner[edge as usize];
                if known == usize::MAX {
                    owner[edge as usize] = face;
                } else {
                    let (a, b) = (root(&mut parent, known), root(&mut parent, face));
                    parent[a.max(b)] = a.min(b);
                }
            }
        }
        let mut groups: std::collections::BTreeMap<usize, Vec<usize>> = std::collections::BTreeMap::new();
        for face in 0..self.faces.len() {
            groups.entry(root(&mut parent, face)).or_default().push(face);
        }
        groups.into_values().collect()
    }

    /// Counts and genus of a closed wiring.
    #[must_use]
    pub fn euler_poincare(&self) -> EulerPoincare {
        let loops: usize = self.faces.iter().map(Vec::len).sum();
        let (v, e, f) = (self.vertices as i64, self.edges.len() as i64, self.faces.len() as i64);
        let shells = self.pieces().len();
        let left = v - e + f - (loops as i64 - f);
        let doubled = 2 * shells as i64 - left;
        let genus = (doubled >= 0 && doubled % 2 == 0).then_some((doubled / 2) as usize);
        EulerPoincare {
            vertices: self.vertices,
            edges: self.edges.len(),
            faces: self.faces.len(),
            loops,
            shells,
            genus,
        }
    }
}
