//! Ruled: a surface of straight lines between two curves.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::Section;

use super::loft::lofted;
use super::revolve::Ends;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Reference};

/// Which places of the two curves the lines join.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Rulings {
    /// Those at equal parameters.
    #[default]
    Even,
    /// Those for which the surface unrolls as nearly as it can.
    Developable,
}

/// A surface of straight lines between two curves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Ruled {
    /// A drawing, a curve or an edge.
    pub first: Reference,
    /// Another one, or a point.
    pub second: Reference,
    /// Which places are joined.
    #[serde(default, skip_serializing_if = "is_default")]
    pub rulings: Rulings,
    /// The second curve run the other way than it would be by itself, so that the lines cross.
    #[serde(default, skip_serializing_if = "is_default")]
    pub crossed: bool,
    /// What happens at flat ends of closed curves.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: Ends,
}

impl Construction for Ruled {
    fn describe() -> StepDescription {
        let curve = |name, label, help| SlotDescription {
            directed: true,
            ..SlotDescription::one(name, label, &["curve", "point"], help).untyped()
        };
        StepDescription {
            kind: "ruled",
            label: "Ruled",
            stage: "Skin",
            purpose: "Join two curves or edges by straight lines.",
            also: "ruled, straight, between two edges, developable, strip",
            key: "m",
            makes: &["surface", "solid"],
            slots: vec![
                curve("first", "First curve", "A drawing, a curve or an edge."),
                curve("second", "Second curve", "It is run the way in which the lines do not cross."),
            ],
            values: vec![
                ValueDescription::choice(
                    "rulings",
                    "Lines join",
                    &[("even", "Equal shares"), ("developable", "So that it unrolls")],
                    "Places at equal shares of both curves, or those for which the surface unrolls flat as nearly as it can.",
                ),
                ValueDescription::switch(
                    "crossed",
                    "Run the second the other way",
                    "By itself it runs so that the lines do not cross.",
                ),
                Ends::choice("Whether flat ends close closed curves into a solid."),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("first", &self.first), ("second", &self.second)]
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let section = |reference: &Reference, slot: &str, reversed: bool| -> Result<Section, Notice> {
            if let Some(point) = context.point_if_any(reference, slot)? {
                return Ok(Section::Point(point));
            }
            let pieces = context.pieces(reference, slot)?;
            Ok(Section::Curves { pieces, normal: None, reversed, begins: None })
        };
        let sections =
            [section(&self.first, "first", false)?, section(&self.second, "second", self.crossed)?];
        let how = surfacing::Loft {
            between: match self.rulings {
                Rulings::Even => surfacing::Between::Straight,
                Rulings::Developable => surfacing::Between::Developable,
            },
            close: self.ends == Ends::Closed,
            ..surfacing::Loft::default()
        };
        lofted(context, &[("first", 0), ("second", 0)], &sections, &how, |e| Notice::refused("second", e))
            .map(|(built, _)| built)
    }
}
