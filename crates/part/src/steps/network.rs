//! Network: a surface through two families of curves that cross.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{Agrees, EdgeReached, SurfacingError, Weave};

use super::edge_agrees::{EdgeAgrees, edges_reached};
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::hundredth_mm;
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference};

/// Where a network ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Border {
    /// At the outermost curves.
    #[default]
    Outermost,
    /// At the ends of the curves, where all of a family reach beyond the outermost curve of the other one.
    Ends,
}

/// A surface through two families of curves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Network {
    /// Curves or edges that run one way, in any order.
    pub first: Vec<Reference>,
    /// Curves or edges that cross all of those, in any order.
    pub second: Vec<Reference>,
    /// What it takes over from the faces beside the curves of the first family; only at its outermost ones.
    #[serde(default, skip_serializing_if = "is_default")]
    pub first_agrees: Vec<EdgeAgrees>,
    /// The same for the second family.
    #[serde(default, skip_serializing_if = "is_default")]
    pub second_agrees: Vec<EdgeAgrees>,
    /// Where it ends.
    #[serde(default, skip_serializing_if = "is_default")]
    pub border: Border,
    /// How far two curves that should cross may miss each other.
    #[serde(default = "hundredth_mm")]
    pub gap: Amount,
}

impl Construction for Network {
    fn describe() -> StepDescription {
        let family = |name, label, agrees, help| {
            SlotDescription::one(name, label, &["curve"], help).many(2, 100).each(
                agrees,
                "Takes over",
                &EdgeAgrees::CHOICES,
            )
        };
        StepDescription {
            kind: "network",
            label: "Network",
            stage: "Skin",
            purpose: "Lay a surface through two families of curves that cross.",
            also: "network, grid of curves, two families, mesh of curves",
            key: "N",
            makes: &["surface"],
            slots: vec![
                family(
                    "first",
                    "First family",
                    "first_agrees",
                    "Curves or edges that run one way; their order is found. Square is to the plane of the curve itself, for a half that is mirrored there.",
                ),
                family(
                    "second",
                    "Second family",
                    "second_agrees",
                    "Curves or edges that cross all of those.",
                ),
            ],
            values: vec![
                ValueDescription::choice(
                    "border",
                    "Ends at",
                    &[("outermost", "Outermost curves"), ("ends", "Ends of the curves")],
                    "Whether it goes on to where the curves end.",
                ),
                ValueDescription::amount(
                    "gap",
                    "Gap allowed",
                    Quantity::Length,
                    [1e-6, 10.0],
                    json!("0.01 mm"),
                    "How far two curves that should cross may miss each other; the surface passes midway.",
                ),
            ],
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
        let family = |references: &[Reference], agrees: &[EdgeAgrees], slot: &str| {
            context.patch_edges(references, agrees, slot)
        };
        let gap = context.value(&self.gap, Quantity::Length, "gap")?;
        if !(1e-6..=10.0).contains(&gap) {
            return Err(Notice::about("gap", "give a gap from 0.000001 to 10 mm"));
        }
        let first = family(&self.first, &self.first_agrees, "first")?;
        let second = family(&self.second, &self.second_agrees, "second")?;
        let how = Weave { reach: gap, to_ends: self.border == Border::Ends, name: "side" };
        let made = surfacing::network(&first, &second, &how, &context.tolerance).map_err(|e| {
            let is_first = matches!(
                e,
                SurfacingError::NetworkInside { family: 1, .. }
                    | SurfacingError::NetworkOrder { family: 1, .. }
            );
            Notice::refused(if is_first { "first" } else { "second" }, &e)
        })?;
        let mut built = Built::body(made.body)
            .with_reached([Reached::length("Largest gap between curves", made.largest_gap)]);
        for (slot, sides) in ["first", "second"].into_iter().zip(&made.sides) {
            let asked: Vec<EdgeReached> =
                sides.iter().filter(|e| e.asked != Agrees::Position).copied().collect();
            let (reached, warnings) = edges_reached(&asked, slot, context.tolerance.join);
            built = built.with_reached(reached);
            built.warnings.extend(warnings);
        }
        // Where curves miss each other the surface cannot pass through both.
        Ok(built.with_deviation_or(
            made.max_deviation,
            context.tolerance.fit.max(made.largest_gap),
            made.miss,
        ))
    }

    /// Passing through their edges leaves surfaces what they are.
    fn keeps(&self, _slot: &str) -> bool {
        true
    }
}
