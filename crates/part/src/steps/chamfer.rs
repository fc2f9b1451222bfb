//! Chamfer: edges cut off at a slant.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{EdgeShape, Rounding};

use super::{Construction, Context, StepDescription, ValueDescription};
use crate::quantity::amounts::one_mm;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference};

/// Edges cut off.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Chamfer {
    /// Edges of one shape; a face stands for all its edges, the shape for all of its own.
    pub edges: Vec<Reference>,
    /// How far from the edge the flat begins on either face.
    #[serde(default = "one_mm")]
    pub distance: Amount,
}

impl Construction for Chamfer {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "chamfer",
            label: "Chamfer",
            stage: "Shape",
            purpose: "Cut edges off at a slant; what follows an edge smoothly is cut with it.",
            also: "bevel, break, slant, edge, countersink",
            key: "K",
            makes: &["surface", "solid"],
            slots: vec![super::rounded_edges::slot("Edges to cut off; a face stands for all its edges.")],
            values: vec![ValueDescription::amount(
                "distance",
                "Distance",
                Quantity::Length,
                [0.001, 1000.0],
                json!("1 mm"),
                "How far from the edge the flat begins on either face, measured straight.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.edges.iter().map(|r| ("edges", r)).collect()
    }

    fn replaces(&self, slot: &str) -> bool {
        slot == "edges"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.distance]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let distance = context.value(&self.distance, Quantity::Length, "distance")?;
        let how = Rounding { shape: EdgeShape::Chamfer, size: &|_| distance, even: true };
        let built = context.rounded_edges(&self.edges, "edges", &how, "distance")?;
        Ok(built.with_reached([Reached::length("Distance", distance)]))
    }
}
