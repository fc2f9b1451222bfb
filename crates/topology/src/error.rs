use crate::wiring::WiringError;

/// What keeps vertices, edges and faces from being a shell or a solid.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum TopologyError {
    /// A curve or surface could not be made.
    #[error(transparent)]
    Geometry(#[from] geometry::GeometryError),
    /// Who touches whom is inconsistent.
    #[error(transparent)]
    Wiring(#[from] WiringError),
    /// An edge's curve does not end at its vertex.
    #[error("edge {edge} ends {distance:.6} mm from its vertex")]
    EdgeOffVertex {
        /// Index of the edge.
        edge: usize,
        /// How far off, in millimetres.
        distance: f64,
        /// Where the vertex is.
        at: [f64; 3],
    },
    /// An opening runs over the place where a closed surface begins.
    #[error("the outline runs over the seam of the face here; turn the face so that it begins elsewhere")]
    AcrossSeam {
        /// Where.
        at: [f64; 3],
    },
    /// Shapes meet in a way that could not be told to the last: they graze each other.
    #[error(
        "the shapes graze each other here, and which side is which cannot be told; move one of them by a little, 0.01 mm say"
    )]
    Unresolved {
        /// Near where.
        at: [f64; 3],
    },
    /// The line in which faces meet is not where both are.
    #[error(
        "the line in which the shapes meet cannot be followed here, it would be {off:.3} mm off; move one of them by a little, 0.01 mm say"
    )]
    Unfollowed {
        /// How far off, in millimetres.
        off: f64,
        /// Where.
        at: [f64; 3],
    },
    /// A shell that should close has free edges.
    #[error("the shell has {0} free edges; join or cap them to make a solid")]
    Open(usize),
    /// The faces of a shell do not agree which side is outside.
    #[error("neighbouring faces disagree which side is outside at {0} edges; flip the facing of one side")]
    Facing(usize),
    /// A shell closes around no volume.
    #[error("the shell encloses no volume")]
    NoVolume,
    /// A face could not be cut into triangles.
    #[error("face {face} could not be meshed: {reason}")]
    Mesh {
        /// Index of the face.
        face: usize,
        /// What went wrong.
        reason: String,
    },
}
