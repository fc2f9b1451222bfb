//! Network: a surface through two families of curves that cross.

use geometry::NurbsCurve;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::hundredth_mm;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference};

/// A surface through two families of curves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Network {
    /// Curves or edges that run one way, in any order.
    pub first: Vec<Reference>,
    /// Curves or edges that cross all of those, in any order.
    pub second: Vec<Reference>,
    /// How far two curves that should cross may miss each other.
    #[serde(default = "hundredth_mm")]
    pub gap: Amount,
}

impl Construction for Network {
    fn describe() -> StepDescription {
        let family = |name, label, help| SlotDescription::one(name, label, &["curve"], help).many(2, 100);
        StepDescription {
            kind: "network",
            label: "Network",
            stage: "Skin",
            purpose: "Lay a surface through two families of curves that cross.",
            also: "network, grid of curves, two families, mesh of curves",
            key: "N",
            makes: &["surface"],
            slots: vec![
                family("first", "First family", "Curves or edges that run one way; their order is found."),
                family("second", "Second family", "Curves or edges that cross all of those."),
            ],
            values: vec![ValueDescription::amount(
                "gap",
                "Gap allowed",
                Quantity::Length,
                [1e-6, 10.0],
                json!("0.01 mm"),
                "How far two curves that should cross may miss each other; the surface passes midway.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let first = self.first.iter().map(|r| ("first", r));
        first.chain(self.second.iter().map(|r| ("second", r))).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.gap]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let family = |references: &[Reference], slot: &str| -> Result<Vec<Vec<NurbsCurve>>, Notice> {
            references.iter().map(|r| context.pieces(r, slot)).collect()
        };
        let gap = context.value(&self.gap, Quantity::Length, "gap")?;
        if !(1e-6..=10.0).contains(&gap) {
            return Err(Notice::about("gap", "give a gap from 0.000001 to 10 mm"));
        }
        let (first, second) = (family(&self.first, "first")?, family(&self.second, "second")?);
        let made = surfacing::network(&first, &second, gap, "side", &context.tolerance)
            .map_err(|e| Notice::refused("second", &e))?;
        let built = Built::body(made.body)
            .with_reached([Reached::length("Largest gap between curves", made.largest_gap)]);
        // Where curves miss each other the surface cannot pass through both.
        Ok(built.with_deviation(made.max_deviation, context.tolerance.fit.max(made.largest_gap)))
    }
}
