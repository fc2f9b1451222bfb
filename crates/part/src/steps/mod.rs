//! One module per kind of step: its inputs, values with units, limits and defaults, and how it calls `surfacing`.
//!
//! Adding one is a module here and a line in the registry below; the card, the JSON Schema, the API and the command
//! line follow from its description.

pub mod axis;
pub mod crossed_projection;
mod description;
pub mod drawing;
pub mod helix;
pub mod joined_curve;
pub mod plane;
pub mod point;
pub mod projected_curve;
pub mod revolve;
pub mod section_curve;
pub mod space_curve;
pub mod surface_curve;
pub mod thicken;

use std::collections::BTreeMap;
use std::sync::Arc;

use geometry::Tolerance;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use description::{Choice, SlotDescription, StepDescription, ValueDescription, Widget};

use crate::formula::{self, Scope};
use crate::{Amount, Built, LengthUnit, Notice, Quantity, Recipe, RecipeError, Reference};

/// What building a step may look at.
pub struct Context<'a> {
    pub(crate) recipe: &'a Recipe,
    pub(crate) scope: &'a Scope,
    pub(crate) tolerance: Tolerance,
    pub(crate) inputs: &'a BTreeMap<&'a str, Arc<Built>>,
}

impl Context<'_> {
    pub(crate) fn value(&self, amount: &Amount, quantity: Quantity, field: &str) -> Result<f64, Notice> {
        formula::evaluate(amount, quantity, self.recipe.unit, self.scope)
            .map_err(|e| Notice::about(field, e.to_string()))
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

impl Make {
    /// The same step with every text in it, formulas among them, changed.
    pub(crate) fn with_formulas(&self, change: &dyn Fn(&str) -> String) -> Result<Self, String> {
        // Ids and words are no formulas, even where they look like one.
        fn walk(value: &mut serde_json::Value, within: &str, change: &dyn Fn(&str) -> String) {
            match value {
                serde_json::Value::String(text) if within == "values" || !WORDS.contains(&within) => {
                    *text = change(text);
                }
                serde_json::Value::Array(items) => items.iter_mut().for_each(|v| walk(v, within, change)),
                serde_json::Value::Object(fields) => {
                    for (name, v) in fields.iter_mut() {
                        walk(v, if within == "values" { within } else { name }, change);
                    }
                }
                _ => {}
            }
        }
        let mut value = serde_json::to_value(self).map_err(|e| e.to_string())?;
        walk(&mut value, "", change);
        serde_json::from_value(value).map_err(|e| e.to_string())
    }
}

impl Make {
    /// Every text in it that is a formula.
    pub(crate) fn formulas(&self) -> Vec<String> {
        let found = std::cell::RefCell::new(Vec::new());
        let keep = |text: &str| {
            found.borrow_mut().push(text.to_string());
            text.to_string()
        };
        // What is given back is the step as it was.
        match self.with_formulas(&keep) {
            Ok(_) => found.into_inner(),
            Err(_) => Vec::new(),
        }
    }
}

/// Fields that hold ids or words, never formulas.
const WORDS: [&str; 21] = [
    "id", "curves", "kind", "after", "step", "item", "change", "curve", "with", "to", "second", "line",
    "way", "which", "side", "sides", "ends", "measure", "follows", "axis", "plane",
];

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

            pub(crate) fn check(&self) -> Result<(), RecipeError> {
                match self { $(Self::$name(step) => step.check()),* }
            }

            pub(crate) fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
                match self { $(Self::$name(step) => step.build(context)),* }
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
    /// A parameter curve or an edge of a surface.
    SurfaceCurve: surface_curve::SurfaceCurve,
    /// Curves joined into one.
    JoinedCurve: joined_curve::JoinedCurve,
    /// A plane, or a series of planes.
    Plane: plane::Plane,
    /// An axis.
    Axis: axis::Axis,
    /// A point.
    Point: point::Point,
    /// A profile turned about an axis.
    Revolve: revolve::Revolve,
    /// A wall given to a surface.
    Thicken: thicken::Thicken,
}
