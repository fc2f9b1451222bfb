//! The mathematics of each construction, on shapes: one module per construction.
//!
//! A construction takes curves or bodies and plain numbers (millimetres, radians) and gives a shape together with
//! what it reached. It knows nothing of recipes, names or the units a user types.

mod assembled;
mod chain;
mod crossed_projection;
mod curve_on_surface;
mod error;
mod extrude;
mod flat;
mod helix;
mod loft;
mod meridian;
mod offset_chain;
mod projected_curve;
mod revolve;
mod sections;
mod sweep;
mod thicken;
mod turned;

pub use chain::{Chain, chain, chains};
pub use crossed_projection::{Crossed, Unpartnered, View, crossed_projection};
pub use curve_on_surface::curve_on_surface;
pub use error::SurfacingError;
pub use extrude::{Reach, extrude};
pub use flat::flat;
pub use helix::{Winding, helix};
pub use loft::{Loft, LoftEnd, Section, loft};
pub use meridian::{ChainEnd, Meridian, MeridianPiece, OffAxis};
pub use projected_curve::{Toward, projected_curve};
pub use revolve::{Revolved, revolve};
pub use sweep::{Carry, Sweep, SweepSection, Swept, sweep};
pub use thicken::{Thickened, thicken};
pub use turned::{FlatMeasure, Turn, turned_shell};
