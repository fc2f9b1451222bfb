//! Vertices, edges, loops, faces, shells and solids, named after ISO 10303-42; their checks, meshes and measures.
//!
//! [`wiring`] is who touches whom, free of geometry. A [`Shell`] adds the places, curves and surfaces; a [`Solid`] is
//! one closed shell with the shells of its voids. Nothing here knows how a surface was constructed.

mod bend;
mod body;
mod bounded;
mod bounds;
mod cells;
mod check;
mod chosen;
mod combine;
mod error;
mod face_place;
mod faced;
mod flat;
mod flaws;
mod ids;
mod imprint;
mod join;
mod measure;
mod mesh;
mod natural;
mod pieces;
mod seam;
mod self_crossing;
mod shell;
mod solid;
mod thickness;
pub mod wiring;
mod within;

pub use bend::{curvatures, surface_combs};
pub use body::Body;
pub use bounded::{Bounding, bounded_shell};
pub use bounds::bounds;
pub use cells::{Cells, OUTSIDE};
pub use check::{Closure, FreeEdge, closure, free_edges};
pub use chosen::Chosen;
pub use combine::{Combined, Operation, combine};
pub use error::TopologyError;
pub use face_place::{face_extent, inner_place};
pub use faced::{faced, pcurve_on};
pub use flat::{capped, flat_faces};
pub use flaws::{Flaw, FlawKind, flaws};
pub use ids::{EdgeId, FaceId, VertexId};
pub use imprint::{Crossing, Imprint, Outline, Remark, Source, imprint, imprint_where};
pub use join::{Joined, join};
pub use measure::{Measures, area, face_area, measure};
pub use mesh::{FaceMesh, Mesh, MeshTolerance, MeshVertex, PlacedTriangle, mesh};
pub use natural::{natural_shell, straight_pcurve};
pub use pieces::{Piece, plane_beyond};
pub use seam::{Continuity, Meeting, Seam, SeamSide, meeting, seams};
pub use self_crossing::self_crossings;
pub use shell::{Edge, Face, Loop, OrientedEdge, Shell, Vertex};
pub use solid::Solid;
pub use thickness::thicknesses;
pub use within::holds;
