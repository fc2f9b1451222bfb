//! The mathematics of each construction, on shapes: one module per construction.
//!
//! A construction takes curves or bodies and plain numbers (millimetres, radians) and gives a shape together with
//! what it reached. It knows nothing of recipes, names or the units a user types.

mod chain;
mod crossed_projection;
mod error;
mod helix;
mod meridian;
mod offset_chain;
mod projected_curve;
mod revolve;
mod section_curve;
mod thicken;
mod turned;

pub use chain::{Chain, chain};
pub use crossed_projection::{Crossed, Unpartnered, View, crossed_projection};
pub use error::SurfacingError;
pub use helix::{Winding, helix};
pub use meridian::{ChainEnd, Meridian, MeridianPiece, OffAxis};
pub use projected_curve::{Toward, projected_curve};
pub use revolve::{Revolved, revolve};
pub use section_curve::section_curve;
pub use thicken::{Thickened, thicken};
pub use turned::{FlatMeasure, Turn, turned_shell};
