use topology::TopologyError;

/// Why a file could not be written.
#[derive(Debug, thiserror::Error)]
pub enum ExchangeError {
    /// There is nothing to send.
    #[error("the part has no surface or solid yet; build one first")]
    Empty,
    /// The format needs solids.
    #[error("{format} holds solids only, and {body} has free edges; close it first, or send STEP")]
    NeedsSolid {
        /// The format.
        format: &'static str,
        /// The body that is no solid.
        body: String,
    },
    /// An ending that no format has.
    #[error("`{0}` is no format this program writes; use step, stl, 3mf or glb")]
    UnknownFormat(String),
    /// A tolerance that cannot be used.
    #[error("a chord tolerance of {0} mm cannot be used; give 0.0005 to 50 mm")]
    Tolerance(f64),
    /// Triangles that do not come as near to the surfaces as asked.
    #[error("the triangles of {body} come within {reached:.4} mm of its surfaces, not within {asked} mm; give {} mm or more, or send STEP, which is exact", (reached * 1e4).ceil() / 1e4)]
    Coarse {
        /// The body.
        body: String,
        /// Their largest distance, in millimetres.
        reached: f64,
        /// The chord tolerance asked for, in millimetres.
        asked: f64,
    },
    /// A mesh could not be made.
    #[error(transparent)]
    Topology(#[from] TopologyError),
    /// What was to take the file did not.
    #[error("the file could not be written: {0}")]
    Written(#[from] std::io::Error),
    /// The package could not be put together.
    #[error("the package could not be written: {0}")]
    Package(String),
}
