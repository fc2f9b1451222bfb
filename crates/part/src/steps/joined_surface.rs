//! Join: surfaces connected along their matching free edges.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use topology::{Body, Shell, free_edges, join};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::hundredth_mm;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference};

/// Surfaces connected along their matching free edges.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct JoinedSurface {
    /// Surfaces and shells.
    pub surfaces: Vec<Reference>,
    /// Edges this near each other are one.
    #[serde(default = "hundredth_mm")]
    pub tolerance: Amount,
}

impl Construction for JoinedSurface {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "joined_surface",
            label: "Join",
            stage: "Close",
            purpose: "Connect surfaces along edges that match; without a free edge they become a solid.",
            also: "join, sew, stitch, merge surfaces, close",
            key: "a",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one("surfaces", "Surfaces", &["surface"], "Surfaces and shells to connect.")
                    .many(1, 200),
            ],
            values: vec![ValueDescription::amount(
                "tolerance",
                "Tolerance",
                Quantity::Length,
                [1e-6, 1.0],
                json!("0.01 mm"),
                "Edges this near each other all along become one.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.surfaces.iter().map(|r| ("surfaces", r)).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.tolerance]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let tolerance = context.value(&self.tolerance, Quantity::Length, "tolerance")?;
        if !(1e-6..=1.0).contains(&tolerance) {
            return Err(Notice::about("tolerance", "give a tolerance from 0.000001 to 1 mm"));
        }
        let mut shells: Vec<Shell> = Vec::new();
        for reference in &self.surfaces {
            let bodies = context.bodies(reference, "surfaces")?;
            shells.extend(bodies.iter().flat_map(Body::shells).cloned());
        }
        let joined = join(&shells, tolerance).map_err(|e| Notice::refused("surfaces", &e.into()))?;
        // What closes already has nothing to match and becomes a solid.
        if joined.pairs == 0 && !free_edges(&joined.shell).is_empty() {
            let message =
                "no two free edges match within the tolerance; raise it, or move the surfaces together";
            return Err(Notice::about("surfaces", message));
        }
        let apart = joined.shell.pieces();
        if let [_, other, ..] = &apart[..] {
            let message = format!("these make {} bodies that do not touch; join each by itself", apart.len());
            let at = other.vertices().first().map(|v| v.point);
            return Err(Notice::about("surfaces", message).at(at));
        }
        let count =
            Reached { quantity: Quantity::Count, ..Reached::length("Edges joined", joined.pairs as f64) };
        let reached = vec![count, Reached::length("Largest gap closed", joined.largest_gap)];
        Ok(Built::body(Body::from_shell(joined.shell)).with_reached(reached))
    }
}
