//! The mathematics of each construction, on shapes: one module per construction.
//!
//! A construction takes curves or bodies and plain numbers (millimetres, radians) and gives a shape together with
//! what it reached. It knows nothing of recipes, names or the units a user types.

mod chain;
mod error;
mod meridian;
mod offset_chain;
mod revolve;
mod thicken;
mod turned;

pub use chain::{Chain, chain};
pub use error::SurfacingError;
pub use meridian::{ChainEnd, Meridian, MeridianPiece, OffAxis};
pub use revolve::{Revolved, revolve};
pub use thicken::{Thickened, thicken};
pub use turned::{FlatMeasure, Turn, turned_shell};
