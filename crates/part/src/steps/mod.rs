//! One module per kind of step: its inputs, values with units, limits and defaults, and how it calls `surfacing`.
//!
//! Adding one is a module here and a line in the registry below; the card, the JSON Schema, the API and the command
//! line follow from its description.

pub mod axis;
pub mod bridge;
pub mod cap;
pub mod chamfer;
pub mod combine;
pub mod copy;
pub mod crossed_projection;
pub mod curve_on_surface;
mod cutters;
mod description;
pub mod drawing;
mod edge_agrees;
pub mod enclose;
mod end_agrees;
pub mod extend;
pub mod extrude;
pub mod fill_to_level;
pub mod fillet;
pub mod flat_face;
pub mod helix;
pub mod hollow;
pub mod inset_edge;
pub mod joined_curve;
pub mod joined_surface;
mod law;
pub mod lead_out;
pub mod loft;
pub mod meeting_curve;
pub mod network;
pub mod offset;
pub mod own_thickness;
pub mod pairing;
pub mod patch;
pub mod pattern;
pub mod plane;
pub mod point;
pub mod projected_curve;
pub mod rail_sweep;
pub mod raised_region;
pub mod recast_curve;
pub mod remove_faces;
pub mod reshape;
pub mod restore;
pub mod revolve;
mod rounded_edges;
pub mod ruled;
pub mod section_curve;
pub mod space_curve;
mod spacing;
pub mod strip;
pub mod surface_curve;
pub mod surface_fillet;
pub mod swap_face;
pub mod sweep;
pub mod thicken;
pub mod trim;

use std::collections::BTreeMap;
use std::sync::Arc;

use geometry::Tolerance;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use edge_agrees::EdgeAgrees;
pub use end_agrees::EndAgrees;
pub use spacing::Spacing;

pub use description::{Choice, EachDescription, SlotDescription, StepDescription, ValueDescription, Widget};

use crate::formula::{self, Scope};
use crate::limits::{FARTHEST, LARGEST_RATIO, WIDEST_TURN};
use crate::{Amount, Built, LengthUnit, Notice, Quantity, Recipe, RecipeError, Reference};

/// What building a step may look at.
pub struct Context<'a> {
    pub(crate) recipe: &'a Recipe,
    pub(crate) scope: &'a Scope,
    pub(crate) tolerance: Tolerance,
    pub(crate) inputs: &'a BTreeMap<&'a str, Arc<Built>>,
    /// The id of the step that is built.
    pub(crate) step: Option<&'a str>,
    /// Whether the step's facing is turned over.
    pub(crate) flip: bool,
}

impl Context<'_> {
    pub(crate) fn value(&self, amount: &Amount, quantity: Quantity, field: &str) -> Result<f64, Notice> {
        let value = formula::evaluate(amount, quantity, self.recipe.unit, self.scope)
            .map_err(|e| Notice::about(field, e.to_string()))?;
        let (most, refusal) = match quantity {
            Quantity::Length => (FARTHEST, "mm is too far away; keep within 1000 m"),
            Quantity::Angle => (WIDEST_TURN, "rad turns too often; keep within a million"),
            Quantity::Ratio | Quantity::Count => {
                (LARGEST_RATIO, "is too large; keep within a thousand million")
            }
        };
        if value.abs() > most {
            return Err(Notice::about(field, format!("{value:e} {refusal}")));
        }
        Ok(value)
    }

    /// Refuses values outside the ranges that the description of the step gives; those that its other choices leave
    /// unused may hold anything.
    fn check_ranges(&self, make: &Make, of: fn(Quantity) -> bool) -> Result<(), Notice> {
        let description = make.describe();
        let Ok(serde_json::Value::Object(kinds)) = serde_json::to_value(make) else { return Ok(()) };
        let Some(fields) = kinds.values().next() else { return Ok(()) };
        for value in &description.values {
            let Widget::Amount { quantity, least, most } = value.widget else { continue };
            if !of(quantity) || !is_used(value.only_if, fields, &description) {
                continue;
            }
            // A field may hold something richer than an amount, such as a law along a path; its step looks at that.
            let Some(Ok(amount)) = fields.get(value.name).map(Amount::deserialize) else { continue };
            let Ok(found) = self.value(&amount, quantity, value.name) else { continue };
            let (found, unit) = match quantity {
                Quantity::Length => (found, " mm"),
                Quantity::Angle => (found.to_degrees(), " deg"),
                Quantity::Ratio | Quantity::Count => (found, ""),
            };
            let slack = 1e-9 * found.abs();
            if found < least - slack || found > most + slack {
                let label = value.label.to_lowercase();
                let message = format!("{label} is {found}{unit}; give {least}{unit} to {most}{unit}");
                return Err(Notice::about(value.name, message));
            }
        }
        Ok(())
    }

    pub(crate) fn input(&self, reference: &Reference, slot: &str) -> Result<&Arc<Built>, Notice> {
        self.inputs
            .get(reference.step.as_str())
            .ok_or_else(|| Notice::about(slot, "this input is not built; mend it first, or pick another"))
    }

    pub(crate) fn unit(&self) -> LengthUnit {
        self.recipe.unit
    }
}

/// A kind of step.
pub trait Construction {
    /// What the card shows: slots, values, limits, defaults, help.
    fn describe() -> StepDescription;

    /// Slots with the references in them, in order.
    fn inputs(&self) -> Vec<(&'static str, &Reference)>;

    /// Every value that a formula can stand for: a renamed parameter is carried through here, and a changed one
    /// rebuilds the step.
    fn amounts(&mut self) -> Vec<&mut Amount>;

    /// The shape that it is a copy of, if it is one.
    fn copied(&self) -> Option<&Reference> {
        None
    }

    /// Whether what is in a slot stays part of the result beside what is made with it.
    fn keeps(&self, _slot: &str) -> bool {
        false
    }

    /// Whether a face in a slot stands for all of its shape, which is replaced by what is made.
    fn replaces(&self, _slot: &str) -> bool {
        false
    }

    /// Whether what it makes only shows a measure and is no part of the result.
    const ONLY_MEASURES: bool = false;

    /// Whether it lays new surfaces, which are looked over when it is made.
    fn lays_surfaces() -> bool {
        Self::describe().stage == "Skin"
    }

    /// Checks that need no shapes, such as names within a drawing.
    ///
    /// # Errors
    /// What is wrong.
    fn check(&self) -> Result<(), RecipeError> {
        Ok(())
    }

    /// Makes the shape.
    ///
    /// # Errors
    /// What is wrong, about which input, where, and what would cure it.
    fn build(&self, context: &Context<'_>) -> Result<Built, Notice>;
}

/// Whether a value is shown, and so used, with the step's other fields as they are.
fn is_used(only_if: Option<(&str, &str)>, fields: &serde_json::Value, description: &StepDescription) -> bool {
    let Some((field, wanted)) = only_if else { return true };
    let of = description.values.iter().find(|v| v.name == field);
    let given = fields.get(field).filter(|v| !v.is_null()).cloned().or_else(|| Some(of?.default.clone()));
    let shown = of.is_none_or(|v| is_used(v.only_if, fields, description));
    let word =
        given.as_ref().map_or_else(String::new, |v| v.as_str().map_or_else(|| v.to_string(), Into::into));
    shown
        && match wanted.strip_prefix('!') {
            Some(not) => word != not,
            None if wanted == "filled" => !matches!(word.as_str(), "" | "null" | "[]" | "false"),
            None => wanted.split('|').any(|w| w == word),
        }
}

impl Make {
    /// Every formula in it.
    pub(crate) fn formulas(&self) -> Vec<String> {
        let formula = |amount: &mut Amount| match amount {
            Amount::Formula(text) => Some(std::mem::take(text)),
            Amount::Number(_) => None,
        };
        self.clone().amounts().into_iter().filter_map(formula).collect()
    }
}

macro_rules! registry {
    ($($(#[$doc:meta])* $name:ident: $module:ident::$type:ident),* $(,)?) => {
        /// What a step does, under the name of its kind.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(rename_all = "snake_case")]
        pub enum Make {
            $($(#[$doc])* $name($module::$type)),*
        }

        impl Make {
            /// Descriptions of all kinds of step.
            #[must_use]
            pub fn descriptions() -> Vec<StepDescription> {
                vec![$($module::$type::describe()),*]
            }

            /// The description of this kind.
            #[must_use]
            pub fn describe(&self) -> StepDescription {
                match self { $(Self::$name(_) => $module::$type::describe()),* }
            }

            pub(crate) fn inputs(&self) -> Vec<(&'static str, &Reference)> {
                match self { $(Self::$name(step) => step.inputs()),* }
            }

            pub(crate) fn copied(&self) -> Option<&Reference> {
                match self { $(Self::$name(step) => step.copied()),* }
            }

            pub(crate) fn keeps(&self, slot: &str) -> bool {
                match self { $(Self::$name(step) => step.keeps(slot)),* }
            }

            pub(crate) fn replaces(&self, slot: &str) -> bool {
                match self { $(Self::$name(step) => step.replaces(slot)),* }
            }

            pub(crate) fn lays_surfaces(&self) -> bool {
                match self { $(Self::$name(_) => $module::$type::lays_surfaces()),* }
            }

            pub(crate) fn amounts(&mut self) -> Vec<&mut Amount> {
                match self { $(Self::$name(step) => step.amounts()),* }
            }

            /// Whether what it makes only shows a measure and is no part of the result.
            #[must_use]
            pub fn only_measures(&self) -> bool {
                match self { $(Self::$name(_) => <$module::$type as Construction>::ONLY_MEASURES),* }
            }

            pub(crate) fn check(&self) -> Result<(), RecipeError> {
                match self { $(Self::$name(step) => step.check()),* }
            }

            pub(crate) fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
                // Counts say how much work there will be.
                context.check_ranges(self, |quantity| quantity == Quantity::Count)?;
                // A step says better by itself what is wrong with its other values.
                let built = match self { $(Self::$name(step) => step.build(context)),* }?;
                context.check_ranges(self, |_| true)?;
                Ok(built)
            }
        }
    };
}

registry! {
    /// Plane curves made together on one plane.
    Drawing: drawing::Drawing,
    /// A curve in space.
    SpaceCurve: space_curve::SpaceCurve,
    /// A curve that winds about an axis.
    Helix: helix::Helix,
    /// The space curve whose views on two planes are given.
    CrossedProjection: crossed_projection::CrossedProjection,
    /// A curve brought onto a surface.
    ProjectedCurve: projected_curve::ProjectedCurve,
    /// Where a plane meets a surface.
    SectionCurve: section_curve::SectionCurve,
    /// Where two surfaces meet.
    MeetingCurve: meeting_curve::MeetingCurve,
    /// A curve drawn on a surface.
    CurveOnSurface: curve_on_surface::CurveOnSurface,
    /// A parameter curve or an edge of a surface.
    SurfaceCurve: surface_curve::SurfaceCurve,
    /// Edges of a face copied inward on it.
    InsetEdge: inset_edge::InsetEdge,
    /// Curves joined into one.
    JoinedCurve: joined_curve::JoinedCurve,
    /// A curve with other control points.
    RecastCurve: recast_curve::RecastCurve,
    /// A plane, or a series of planes.
    Plane: plane::Plane,
    /// An axis.
    Axis: axis::Axis,
    /// A point.
    Point: point::Point,
    /// Curves moved along a direction.
    Extrude: extrude::Extrude,
    /// A profile turned about an axis.
    Revolve: revolve::Revolve,
    /// Sections carried along a path.
    Sweep: sweep::Sweep,
    /// Sections carried between two rails.
    RailSweep: rail_sweep::RailSweep,
    /// A surface through sections.
    Loft: loft::Loft,
    /// A surface of straight lines between two curves.
    Ruled: ruled::Ruled,
    /// A surface through two families of curves.
    Network: network::Network,
    /// A surface between two edges that agrees with their faces.
    Bridge: bridge::Bridge,
    /// A surface inside edges.
    Patch: patch::Patch,
    /// A narrow surface along a curve or an edge.
    Strip: strip::Strip,
    /// A surface led outward from edges.
    LeadOut: lead_out::LeadOut,
    /// A plane inside outlines.
    FlatFace: flat_face::FlatFace,
    /// A shape mirrored, moved, turned or scaled.
    Copy: copy::Copy,
    /// A shape repeated about an axis, along a line or along a curve.
    Pattern: pattern::Pattern,
    /// Surfaces connected along their edges.
    JoinedSurface: joined_surface::JoinedSurface,
    /// A surface edited by its control points.
    Reshape: reshape::Reshape,
    /// Shapes cut by others, of which some pieces go.
    Trim: trim::Trim,
    /// Shapes cut into pieces, all of which stay.
    Split: trim::Split,
    /// Faces as surfaces of their own.
    Restore: restore::Restore,
    /// A surface made longer over its edges.
    Extend: extend::Extend,
    /// Edges rounded.
    Fillet: fillet::Fillet,
    /// Edges cut off at a slant.
    Chamfer: chamfer::Chamfer,
    /// A rounding between two surfaces.
    SurfaceFillet: surface_fillet::SurfaceFillet,
    /// A region of a face lifted or sunk.
    RaisedRegion: raised_region::RaisedRegion,
    /// A shape without some of its faces.
    RemoveFaces: remove_faces::RemoveFaces,
    /// A shape at a distance from another one.
    Offset: offset::Offset,
    /// A wall given to a surface.
    Thicken: thicken::Thicken,
    /// A solid hollowed out.
    Hollow: hollow::Hollow,
    /// Another surface in the place of a face.
    SwapFace: swap_face::SwapFace,
    /// A shell with its flat openings closed.
    Cap: cap::Cap,
    /// Solids from spaces that shapes shut in.
    Enclose: enclose::Enclose,
    /// Solids put together.
    Combine: combine::Combine,
    /// What a vessel holds below a plane.
    FillToLevel: fill_to_level::FillToLevel,
}
