//! Inset edge: edges of a face copied inward on it.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{SurfacingError, inset_edges};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::two_mm;
use crate::recipe::is_default;
use crate::{Amount, Built, CurveShape, Notice, Quantity, Reference};

/// Edges copied inward.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct InsetEdge {
    /// The face, or a surface of one face.
    pub face: Reference,
    /// Its edges that are copied; with none all around its outside.
    #[serde(default, skip_serializing_if = "is_default")]
    pub edges: Vec<Reference>,
    /// How far in, square to the edge.
    #[serde(default = "two_mm")]
    pub distance: Amount,
    /// How the distance is measured.
    #[serde(default, skip_serializing_if = "is_default")]
    pub measured: Measured,
}

/// How distances from an edge are measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Measured {
    /// Straight through space.
    #[default]
    Straight,
    /// Along the face.
    Along,
}

impl Measured {
    /// The field in which it is chosen.
    pub(super) fn choice() -> ValueDescription {
        ValueDescription::choice(
            "measured",
            "Measured",
            &[("straight", "Straight"), ("along", "Along the face")],
            "Whether distances from the edge are measured straight, or along the face.",
        )
    }
}

impl From<Measured> for surfacing::Measured {
    fn from(measured: Measured) -> Self {
        match measured {
            Measured::Straight => Self::Straight,
            Measured::Along => Self::Along,
        }
    }
}

impl Construction for InsetEdge {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "inset_edge",
            label: "Inset edge",
            stage: "Shape",
            purpose: "Copy edges of a face inward on it, for an inset outline.",
            also: "offset edge, offset curve on surface, inner outline, border",
            key: "I",
            makes: &["curve"],
            slots: vec![
                SlotDescription::one(
                    "face",
                    "Face",
                    &["surface", "solid"],
                    "The face on which they are copied.",
                )
                .one_face(),
                SlotDescription::one(
                    "edges",
                    "Edges",
                    &["curve"],
                    "Its edges; with none all around its outside.",
                )
                .many(0, 200),
            ],
            values: vec![
                ValueDescription::amount(
                    "distance",
                    "Distance",
                    Quantity::Length,
                    [0.001, 1000.0],
                    json!("2 mm"),
                    "How far in, square to the edge.",
                ),
                Measured::choice(),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let edges = self.edges.iter().map(|r| ("edges", r));
        std::iter::once(("face", &self.face)).chain(edges).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.distance]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let distance = context.value(&self.distance, Quantity::Length, "distance")?;
        let (_, shell, face) = context.one_face(&self.face, "face")?;
        let mut edges = BTreeSet::new();
        for reference in &self.edges {
            edges.extend(context.edges_meant(shell, reference, "edges")?);
        }
        if self.edges.is_empty() {
            let outer = shell.faces()[face].loops.iter().take(1);
            edges.extend(outer.flat_map(|l| &l.edges).map(|u| u.edge));
            // Where a closed surface begins it is no border.
            let seam = |e: &_| {
                shell.faces()[face].loops.iter().flat_map(|l| &l.edges).filter(|u| u.edge == *e).count() > 1
            };
            edges.retain(|e| !seam(e));
        }
        let measured = self.measured.into();
        let made = inset_edges(shell, face, &edges, distance, measured, &context.tolerance).map_err(|e| {
            let slot = if matches!(e, SurfacingError::FilletFree { .. }) { "edges" } else { "distance" };
            Notice::refused(slot, &e)
        })?;
        if made.is_empty() {
            return Err(Notice::about("edges", "this face has no edge to copy; pick another face"));
        }
        let name = |k: usize| if made.len() == 1 { "inset".into() } else { format!("inset {}", k + 1) };
        let curves =
            made.iter().enumerate().map(|(k, run)| CurveShape::in_space(&name(k), run.clone())).collect();
        Ok(Built::curves(curves))
    }
}
