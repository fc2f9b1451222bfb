//! The mathematics of each construction, on shapes: one module per construction.
//!
//! A construction takes curves or bodies and plain numbers (millimetres, radians) and gives a shape together with
//! what it reached. It knows nothing of recipes, names or the units a user types.

mod assembled;
mod carried;
mod chain;
mod crossed_projection;
mod curve_on_surface;
mod developable;
mod error;
mod extend_shell;
mod extrude;
mod feet;
mod fillet;
mod fits;
mod flat;
mod ground;
mod halves;
mod helix;
mod lead_out;
mod loft;
mod loops;
mod meridian;
mod miss;
mod monotone;
mod network;
mod offset_chain;
mod offset_shell;
mod patch;
mod projected_curve;
mod rail_sweep;
mod raised;
mod refaced;
mod reshape;
mod revolve;
mod sections;
mod side;
mod straightest;
mod strip;
mod sweep;
mod thick;
mod thicken;
mod turned;
mod wall;

pub use chain::{Chain, chain, chains, closes, smooth_stretches};
pub use crossed_projection::{Crossed, Unpartnered, View, crossed_projection};
pub use curve_on_surface::curve_on_surface;
pub use developable::UNROLLS;
pub use error::SurfacingError;
pub use extend_shell::{Until, extend_shell};
pub use extrude::{Extruded, Reach, extrude};
pub use fillet::{
    Ball, EdgeShape, Measured, Picked, Rolling, Round, Rounded, Rounding, Size, Slant, SlantBy, Support,
    fillet_between, inset_edges, round_edges,
};
pub use fits::apart;
pub use flat::{flat, plane_of};
pub use helix::{Winding, helix};
pub use lead_out::{LeadWay, lead_out};
pub use loft::{Away, Between, Joined, Loft, LoftEnd, Lofted, Section, Way, loft};
pub use meridian::{ChainEnd, Meridian, MeridianPiece, OffAxis};
pub use miss::Miss;
pub use network::{Network, NetworkCurve, Weave, network};
pub use offset_shell::{Change, OffsetShell, Offsets, offset_shell};
pub use patch::{Agrees, Beside, EdgeReached, LooseCorner, Patch, PatchEdge, Patched, patch};
pub use projected_curve::{Toward, projected_curve};
pub use rail_sweep::{RailHeight, RailSweep, RailSwept, rail_sweep};
pub use raised::{RaisedRegion, RaisedSides, raised_region};
pub use refaced::{healed, swapped, without_faces};
pub use reshape::{Along, Border, GatherAt, NetChange, NetPick, Pinch, Reshape, Reshaped, reshape};
pub use revolve::{Outside, Revolved, revolve};
pub use sweep::{Carry, Law, PathCorners, Sweep, SweepSection, Swept, frames_along, sweep};
pub use thick::{Walled, hollow, hollow_turned, offset_body, thick_shell};
pub use thicken::{Thickened, thicken};
pub use turned::{FlatMeasure, Turn, turned_shell};
pub use wall::{Wall, wall_between};
