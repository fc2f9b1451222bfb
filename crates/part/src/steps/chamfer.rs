//! Chamfer: edges cut off at a slant.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{EdgeShape, Rounding, Size, Slant, SlantBy};

use super::inset_edge::Measured;
use super::rounded_edges::Group;
use super::{Construction, Context, StepDescription, ValueDescription};
use crate::quantity::amounts::{half_square, one_mm};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference};

/// How a flat is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Flat {
    /// By one distance, alike on both faces.
    #[default]
    Distance,
    /// By a distance for each face.
    Distances,
    /// By the distance on one face and the angle to it.
    Angle,
}

/// Edges cut off.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Chamfer {
    /// Edges of one shape; a face stands for all its edges, the shape for all of its own.
    pub edges: Vec<Reference>,
    /// How the flat is told.
    #[serde(default, skip_serializing_if = "is_default")]
    pub flat: Flat,
    /// How far from the edge it begins: on either face, or on the first one.
    #[serde(default = "one_mm")]
    pub distance: Amount,
    /// For `distances`: how far from the edge it ends on the second face.
    #[serde(default = "one_mm")]
    pub other_distance: Amount,
    /// For `angle`: that between it and the first face.
    #[serde(default = "half_square")]
    pub angle: Amount,
    /// The first face is the one that the edge's name tells last.
    #[serde(default, skip_serializing_if = "is_default")]
    pub swapped: bool,
    /// How distances are measured.
    #[serde(default, skip_serializing_if = "is_default")]
    pub measured: Measured,
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
            values: vec![
                ValueDescription::choice(
                    "flat",
                    "Given by",
                    &[
                        ("distance", "One distance"),
                        ("distances", "Two distances"),
                        ("angle", "Distance and angle"),
                    ],
                    "By one distance on both faces, one for each, or a distance on one and the angle to it.",
                ),
                ValueDescription::amount(
                    "distance",
                    "Distance",
                    Quantity::Length,
                    [0.001, 1000.0],
                    json!("1 mm"),
                    "How far from the edge the flat begins, on either face, or on the first one.",
                ),
                ValueDescription::amount(
                    "other_distance",
                    "On the second face",
                    Quantity::Length,
                    [0.001, 1000.0],
                    json!("1 mm"),
                    "How far from the edge the flat ends on the second face.",
                )
                .only_if("flat", "distances"),
                ValueDescription::amount(
                    "angle",
                    "Angle",
                    Quantity::Angle,
                    [0.1, 179.0],
                    json!("45 deg"),
                    "That between the flat and the first face.",
                )
                .only_if("flat", "angle"),
                ValueDescription::switch(
                    "swapped",
                    "Faces swapped",
                    "The first face is the one that the edge's name tells first; so it is the other one.",
                )
                .only_if("flat", "!distance"),
                Measured::choice(),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.edges.iter().map(|r| ("edges", r)).collect()
    }

    fn replaces(&self, slot: &str) -> bool {
        slot == "edges"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.distance, &mut self.other_distance, &mut self.angle]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let distance = context.value(&self.distance, Quantity::Length, "distance")?;
        let by = match self.flat {
            Flat::Distance => SlantBy::Ratio(1.0),
            Flat::Distances => {
                let other = context.value(&self.other_distance, Quantity::Length, "other_distance")?;
                SlantBy::Ratio(other / distance)
            }
            Flat::Angle => SlantBy::Angle(context.value(&self.angle, Quantity::Angle, "angle")?),
        };
        let slant = Slant { by, swapped: self.swapped, measured: self.measured.into() };
        let how = Rounding {
            shape: EdgeShape::Chamfer(slant),
            sizes: &[Size { at: &|_| distance, even: true }],
            flat_ends: true,
        };
        let built = context.rounded_edges(&[Group::first(&self.edges, "distance")], &how)?;
        Ok(built.with_reached([Reached::length("Distance", distance)]))
    }
}
