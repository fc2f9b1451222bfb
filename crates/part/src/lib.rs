//! A part is a recipe of steps. This crate reads and edits recipes, keeps their lineage, rebuilds their shapes and
//! reports what still stands between the part and a watertight solid.
//!
//! It knows nothing of files, databases or the web.

mod body_names;
mod edit;
mod error;
mod formula;
mod inputs;
mod limits;
mod lineage;
mod migrated;
mod named_shapes;
mod quantity;
mod rebuild;
mod recipe;
mod report;
mod shape;
mod sheet;
pub mod steps;

pub use body_names::{ShellNames, body_names, curve_ends};
pub use edit::{Edit, Gather, RecastForm, Reshape, recast_deviation};
pub use error::{Cure, Notice, RecipeError};
pub use formula::{FormulaError, names_in};
pub use geometry::{Budget, Cancel};
pub use inputs::{AxisInput, Input, MainAxis, MainPlane, PlaneInput, PointInput};
pub use limits::{MOST_BYTES, told};
pub use lineage::Lineage;
pub use named_shapes::{NamedEdge, NamedFace, NamedPiece, NamedShapes, NamedVertex, named_shapes};
pub use quantity::{Amount, LengthUnit, Quantity, format_length};
pub use rebuild::{Outcome, Rebuilder, Rebuilt, StepResult};
pub use recipe::{Display, Parameter, RECIPE_FORMAT, RECIPE_VERSION, Recipe, Reference, Step};
pub use report::{
    BodyReport, FreeEdgeReport, LedgerItem, ParameterReport, Report, StepReport, quick_report, report,
};
pub use shape::{Built, Chart, CurveShape, DrawingShape, Mark, PieceShape, Place, Reached, Shape};
pub use sheet::{CombExtras, OpenSheet, SheetExtras, Snap, nearest_on_drawing, sheet};
pub use steps::pairing::{Pairing, PairingEnd, PairingLine};

/// JSON Schema of a recipe file, generated from the Rust types.
#[must_use]
pub fn recipe_schema() -> serde_json::Value {
    schemars::schema_for!(Recipe).to_value()
}
