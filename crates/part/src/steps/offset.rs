//! Offset: a surface or solid at a distance from another one.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{SurfacingError, offset_body};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference, Shape};

/// A shape at a distance from another one, its corners kept closed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Offset {
    /// A surface, a shell or a solid, or a face of one.
    pub surface: Reference,
    /// How far to the outer side; below 0 to the inner side.
    pub distance: Amount,
    /// Whether the other one stays a part of the result.
    #[serde(default, skip_serializing_if = "is_default")]
    pub keep: bool,
}

impl Construction for Offset {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "offset",
            label: "Offset",
            stage: "Shape",
            purpose: "Make a surface or solid at a distance from another one, with its corners kept closed.",
            also: "parallel, copy at a distance, grow, shrink",
            key: "O",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one(
                    "surface",
                    "Surface",
                    &["surface", "solid"],
                    "A surface, a shell, a solid or one face.",
                )
                .faces(),
            ],
            values: vec![
                ValueDescription::amount(
                    "distance",
                    "Distance",
                    Quantity::Length,
                    [-1e4, 1e4],
                    json!("2 mm"),
                    "How far to the outer side; below 0 to the inner side, 0 for a copy.",
                ),
                ValueDescription::switch(
                    "keep",
                    "Keep the other one",
                    "Whether both are part of the result.",
                ),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("surface", &self.surface)]
    }

    fn keeps(&self, _: &str) -> bool {
        self.keep
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.distance]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let distance = context.value(&self.distance, Quantity::Length, "distance")?;
        let refused = |e: SurfacingError| Notice::refused("distance", &e);
        let (mut bodies, mut deviation) = (Vec::new(), 0.0_f64);
        for member in context.members(&self.surface, "surface")? {
            let made = offset_body(&member.shell, distance, &context.tolerance).map_err(refused)?;
            deviation = deviation.max(made.max_deviation);
            bodies.push(made.body);
        }
        let reached = Reached::length("Distance", distance);
        let built = Built::plain(Shape::Bodies(bodies)).with_reached([reached]);
        Ok(built.with_deviation(deviation, context.tolerance.fit))
    }
}
