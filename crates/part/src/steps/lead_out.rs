//! Lead-out: a surface led outward from edges, as for a parting surface.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{LeadWay, SurfacingError};
use topology::Body;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::inputs::MarkedEdges;
use crate::quantity::amounts::ten_mm;
use crate::recipe::is_default;
use crate::{Amount, AxisInput, Built, Notice, Quantity, Reference, Shape};

/// Which way it leads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Leads {
    /// On along the face's tangents.
    #[default]
    Tangent,
    /// Outward, square to a direction.
    Square,
    /// Along a direction.
    Along,
}

/// A surface led out from edges.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LeadOut {
    /// Edges of one shape.
    pub edges: Vec<Reference>,
    /// Which way it leads.
    #[serde(default, skip_serializing_if = "is_default")]
    pub leads: Leads,
    /// For `square` and `along`: the direction.
    #[serde(default, skip_serializing_if = "is_default")]
    pub axis: AxisInput,
    /// How far.
    #[serde(default = "ten_mm")]
    pub length: Amount,
    /// Whether it leads on from the edge's other face.
    #[serde(default, skip_serializing_if = "is_default")]
    pub other_face: bool,
}

impl Construction for LeadOut {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "lead_out",
            label: "Lead-out",
            stage: "Skin",
            purpose: "Lead a surface outward from edges, tangent to their face or by a direction, as for a parting surface.",
            also: "parting surface, run-off, skirt, flange, extension",
            key: "Z",
            makes: &["surface"],
            slots: vec![
                SlotDescription::one(
                    "edges",
                    "Edges",
                    &["curve"],
                    "Edges of one shape, such as its parting line.",
                )
                .many(1, 300),
                SlotDescription::one(
                    "axis",
                    "Direction",
                    &["axis", "curve"],
                    "The direction, such as that of the pull.",
                )
                .only_if("leads", "square|along"),
            ],
            values: vec![
                ValueDescription::choice(
                    "leads",
                    "Leads",
                    &[
                        ("tangent", "On along the face"),
                        ("square", "Square to a direction"),
                        ("along", "Along a direction"),
                    ],
                    "On along the face's tangents, outward square to a direction such as the pull, or along one.",
                ),
                ValueDescription::amount(
                    "length",
                    "Length",
                    Quantity::Length,
                    [0.001, 1e4],
                    json!("10 mm"),
                    "How far it leads.",
                ),
                ValueDescription::switch(
                    "other_face",
                    "From the other face",
                    "Lead on from the edge's other face.",
                ),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let axis = self.axis.reference().filter(|_| self.leads != Leads::Tangent).map(|r| ("axis", r));
        self.edges.iter().map(|r| ("edges", r)).chain(axis).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.length]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let length = context.value(&self.length, Quantity::Length, "length")?;
        let direction = || Ok::<_, Notice>(self.axis.axis(context, "axis")?.direction);
        let way = match self.leads {
            Leads::Tangent => LeadWay::Tangent,
            Leads::Square => LeadWay::SquareTo(direction()?),
            Leads::Along => LeadWay::Along(direction()?),
        };
        let mut bodies = Vec::new();
        for MarkedEdges { body, edges } in context.bodies_with_edges(&self.edges, "edges")? {
            for (shell, edges) in body.shells().into_iter().zip(&edges).filter(|(_, e)| !e.is_empty()) {
                let made =
                    surfacing::lead_out(shell, edges, way, length, self.other_face, &context.tolerance);
                let made = made.map_err(|e| {
                    let slot = if matches!(e, SurfacingError::NoSize { .. }) { "length" } else { "edges" };
                    Notice::refused(slot, &e)
                })?;
                bodies.push(Body::from_shell(made));
            }
        }
        Ok(Built::plain(Shape::Bodies(bodies)))
    }
}
