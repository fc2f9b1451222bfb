//! Fillet: edges rounded by a ball that touches both faces.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{EdgeShape, Round, Rounding, Size};

use super::law::Law;
use super::rounded_edges::{Group, own_slot};
use super::{Construction, Context, StepDescription, ValueDescription};
use crate::quantity::amounts::{half, is_half, is_two_mm, two_mm};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference};

/// How a radius changes along the edges.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum RadiusBy {
    /// Not at all.
    #[default]
    Constant,
    /// Evenly to another one.
    Even,
    /// By a formula in `along`.
    Formula,
}

impl RadiusBy {
    pub(super) fn choice() -> ValueDescription {
        let choices = [("constant", "Constant"), ("even", "Evenly"), ("formula", "Formula")];
        let help = "Whether the radius is the same everywhere, or changes along edges that follow each other: evenly to another, or by a formula in along (0 at the first, 1 at the end).";
        ValueDescription::choice("radius_by", "Changes", &choices, help)
    }

    pub(super) fn values() -> [ValueDescription; 2] {
        let amount = |name, label, help| {
            ValueDescription::amount(name, label, Quantity::Length, [0.001, 1000.0], json!("2 mm"), help)
        };
        [
            amount("radius", "Radius", "That of the ball, at the beginning where it changes."),
            amount("end_radius", "At the end", "That where the edges end.").only_if("radius_by", "even"),
        ]
    }

    /// The radius by the share of the way that lies behind.
    pub(super) fn law(self, context: &Context<'_>, radius: &Amount, end: &Amount) -> Result<Law, Notice> {
        let value = |amount, field| context.value(amount, Quantity::Length, field);
        Ok(match self {
            Self::Constant => {
                let radius = value(radius, "radius")?;
                Box::new(move |_| radius)
            }
            Self::Even => {
                let (from, to) = (value(radius, "radius")?, value(end, "end_radius")?);
                Box::new(move |share| from + (to - from) * share)
            }
            Self::Formula => context.law(radius, Quantity::Length, "radius")?,
        })
    }
}

/// What a fillet is across, between the lines along which a ball touches both sides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum FilletSection {
    /// The arc of the ball.
    #[default]
    Arc,
    /// A conic.
    Conic,
    /// A curve that agrees with both sides in curvature too.
    Curvature,
}

impl FilletSection {
    pub(super) fn values() -> [ValueDescription; 2] {
        let choices = [("arc", "Arc"), ("conic", "Conic"), ("curvature", "Curvature")];
        let section = "What it is across, between the lines along which the ball touches: the ball's arc, a conic, or a curve that goes on with the curvature of both sides (G2).";
        let fullness = "How far it reaches from the chord towards the corner: 0.5 makes a conic a parabola, more is fuller, less is flatter.";
        [
            ValueDescription::choice("section", "Section", &choices, section),
            ValueDescription::amount(
                "fullness",
                "Fullness",
                Quantity::Ratio,
                Round::FULLNESS,
                json!(0.5),
                fullness,
            )
            .only_if("section", "!arc"),
        ]
    }

    pub(super) fn round(self, context: &Context<'_>, fullness: &Amount) -> Result<Round, Notice> {
        let fullness = || context.value(fullness, Quantity::Ratio, "fullness");
        Ok(match self {
            Self::Arc => Round::Arc,
            Self::Conic => Round::Conic(fullness()?),
            Self::Curvature => Round::Agreeing(fullness()?),
        })
    }
}

/// Edges rounded.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Fillet {
    /// Edges of one shape; a face stands for all its edges, the shape for all of its own.
    pub edges: Vec<Reference>,
    /// How the radius changes along them.
    #[serde(default, skip_serializing_if = "is_default")]
    pub radius_by: RadiusBy,
    /// The radius, for `formula` by `along`.
    #[serde(default = "two_mm")]
    pub radius: Amount,
    /// For `even`: the radius at the end.
    #[serde(default = "two_mm")]
    pub end_radius: Amount,
    /// Edges with a radius of their own.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub other_edges: Vec<Reference>,
    /// That radius.
    #[serde(default = "two_mm", skip_serializing_if = "is_two_mm")]
    pub other_radius: Amount,
    /// Further edges with a radius of their own.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub third_edges: Vec<Reference>,
    /// That radius.
    #[serde(default = "two_mm", skip_serializing_if = "is_two_mm")]
    pub third_radius: Amount,
    /// What the fillet is across.
    #[serde(default, skip_serializing_if = "is_default")]
    pub section: FilletSection,
    /// Except for an arc: the share of the way from its chord to the corner that its middle lies at.
    #[serde(default = "half", skip_serializing_if = "is_half")]
    pub fullness: Amount,
}

impl Construction for Fillet {
    fn describe() -> StepDescription {
        let mut values = vec![RadiusBy::choice()];
        values.extend(RadiusBy::values());
        values.extend(
            [("other_radius", "other_edges", "Radius of those"), ("third_radius", "third_edges", "Radius of the third")]
                .map(|(name, edges, label)| {
                    let help = "That of the ball along edges with a radius of their own; smaller balls roll around the ends of larger ones.";
                    ValueDescription::amount(name, label, Quantity::Length, [0.001, 1000.0], json!("2 mm"), help)
                        .only_if(edges, "filled")
                }),
        );
        values.extend(FilletSection::values());
        StepDescription {
            kind: "fillet",
            label: "Fillet",
            stage: "Shape",
            purpose: "Round edges with a radius; what follows an edge smoothly is rounded with it.",
            also: "round, radius, blend, soften, edge, conic, curvature, G2",
            key: "G",
            makes: &["surface", "solid"],
            slots: vec![
                super::rounded_edges::slot("Edges to round; a face stands for all its edges."),
                own_slot("other_edges", "Other radius", "Edges with a radius of their own."),
                own_slot("third_edges", "Third radius", "Further edges with a radius of their own."),
            ],
            values,
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let groups =
            [("edges", &self.edges), ("other_edges", &self.other_edges), ("third_edges", &self.third_edges)];
        groups.into_iter().flat_map(|(slot, edges)| edges.iter().map(move |r| (slot, r))).collect()
    }

    fn replaces(&self, slot: &str) -> bool {
        slot == "edges"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let radii = [&mut self.radius, &mut self.end_radius, &mut self.other_radius, &mut self.third_radius];
        radii.into_iter().chain([&mut self.fullness]).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let law = self.radius_by.law(context, &self.radius, &self.end_radius)?;
        let even = self.radius_by == RadiusBy::Constant;
        let mut told: Vec<Reached> = even.then(|| Reached::length("Radius", law(0.0))).into_iter().collect();
        let mut groups = vec![Group::first(&self.edges, "radius")];
        let mut laws = vec![law];
        for (edges, slot, radius, size, label) in [
            (&self.other_edges, "other_edges", &self.other_radius, "other_radius", "Other radius"),
            (&self.third_edges, "third_edges", &self.third_radius, "third_radius", "Third radius"),
        ] {
            if edges.is_empty() {
                continue;
            }
            let radius = context.value(radius, Quantity::Length, size)?;
            groups.push(Group { edges, slot, size });
            laws.push(Box::new(move |_| radius));
            told.push(Reached::length(label, radius));
        }
        let sizes: Vec<Size<'_>> =
            laws.iter().enumerate().map(|(k, at)| Size { at, even: even || k > 0 }).collect();
        let how = Rounding {
            shape: EdgeShape::Fillet(self.section.round(context, &self.fullness)?),
            sizes: &sizes,
            flat_ends: true,
        };
        Ok(context.rounded_edges(&groups, &how)?.with_reached(told))
    }
}
