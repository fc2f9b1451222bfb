//! Surface fillet: a rounding between two surfaces, whether they meet or not.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::{Ball, Rolling, Support, SurfacingError, fillet_between};
use topology::{Body, EdgeId};

use super::fillet::{FilletSection, RadiusBy};
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{half, is_half, two_mm};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Reached, Reference, Shape};

/// What tells how large the ball is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum BallBy {
    /// A radius.
    #[default]
    Constant,
    /// One that changes evenly to another one.
    Even,
    /// One by a formula in `along`.
    Formula,
    /// A surface between both, which it touches too: a full round.
    Full,
    /// Edges of the first surface, along which it touches that.
    Held,
}

impl BallBy {
    fn choice() -> ValueDescription {
        let choices = [
            ("constant", "One radius"),
            ("even", "Evenly"),
            ("formula", "Formula"),
            ("full", "Full round"),
            ("held", "Held to edges"),
        ];
        let help = "How large it is: the radius is the same everywhere, changes evenly to another, follows a formula in along (0 where the fillet begins, 1 at the end), or follows from a third surface between the two that the ball touches as well, or from edges of the first one along which the fillet begins.";
        ValueDescription::choice("radius_by", "Ball", &choices, help)
    }

    /// The law of its radius, for all but a full round.
    fn radius(self) -> Option<RadiusBy> {
        match self {
            Self::Constant => Some(RadiusBy::Constant),
            Self::Even => Some(RadiusBy::Even),
            Self::Formula => Some(RadiusBy::Formula),
            Self::Full | Self::Held => None,
        }
    }
}

/// On which side of a surface the ball rolls.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum BallSide {
    /// On its outer side.
    #[default]
    Outside,
    /// On its inner side.
    Inside,
}

/// What the fillet trims.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum FilletTrims {
    /// Both surfaces, and is joined to them.
    #[default]
    Both,
    /// The first one.
    First,
    /// The second one.
    Second,
    /// Neither; it is a surface of its own.
    Neither,
}

/// A fillet between two surfaces.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SurfaceFillet {
    /// The first surface, or one face.
    pub first: Reference,
    /// The second one.
    pub second: Reference,
    /// For a full round: the surface, or one face, between both.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub middle: Option<Reference>,
    /// For a fillet held to edges: those of the first surface.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub held_to: Vec<Reference>,
    /// Side of the first one on which the ball rolls.
    #[serde(default, skip_serializing_if = "is_default")]
    pub first_side: BallSide,
    /// Side of the second one.
    #[serde(default, skip_serializing_if = "is_default")]
    pub second_side: BallSide,
    /// Side of the one between both.
    #[serde(default, skip_serializing_if = "is_default")]
    pub middle_side: BallSide,
    /// What tells the radius.
    #[serde(default, skip_serializing_if = "is_default")]
    pub radius_by: BallBy,
    /// The radius, for `formula` by `along`.
    #[serde(default = "two_mm")]
    pub radius: Amount,
    /// For `even`: the radius at the end.
    #[serde(default = "two_mm")]
    pub end_radius: Amount,
    /// What the fillet is across.
    #[serde(default, skip_serializing_if = "is_default")]
    pub section: FilletSection,
    /// Except for an arc: the share of the way from its chord to the corner that its middle lies at.
    #[serde(default = "half", skip_serializing_if = "is_half")]
    pub fullness: Amount,
    /// What it trims.
    #[serde(default, skip_serializing_if = "is_default")]
    pub trims: FilletTrims,
}

impl SurfaceFillet {
    fn trimmed(&self) -> [bool; 2] {
        [
            matches!(self.trims, FilletTrims::Both | FilletTrims::First),
            matches!(self.trims, FilletTrims::Both | FilletTrims::Second),
        ]
    }

    /// Whether both are faces of one shape, of which what lies between goes.
    fn in_one_shape(&self) -> bool {
        self.first.step == self.second.step
            && self.first.item != self.second.item
            && self.trims == FilletTrims::Both
    }

    fn trims_slot(&self, slot: &str) -> bool {
        match slot {
            "middle" => self.in_one_shape(),
            "held_to" => self.trimmed()[0],
            _ => self.trimmed()[usize::from(slot == "second")],
        }
    }

    /// The edges of the first surface that the fillet is held to.
    fn held_edges(&self, context: &Context<'_>, first: &Support<'_>) -> Result<Vec<EdgeId>, Notice> {
        let slot = "held_to";
        if self.held_to.is_empty() {
            return Err(Notice::about(slot, "pick edges of the first surface along which the fillet begins"));
        }
        let all = first.faces.iter().flat_map(|f| &first.shell.faces()[*f].loops).flat_map(|l| &l.edges);
        let of_first: BTreeSet<EdgeId> = all.map(|u| u.edge).collect();
        let mut edges = Vec::new();
        for reference in &self.held_to {
            let meant = match reference.step == self.first.step {
                true => context.edges_meant(first.shell, reference, slot)?,
                false => BTreeSet::new(),
            };
            let own: Vec<EdgeId> = meant.intersection(&of_first).copied().collect();
            if own.is_empty() {
                return Err(Notice::about(slot, "this is no edge of the first surface; pick one of its own"));
            }
            edges.extend(own);
        }
        Ok(edges)
    }
}

impl Construction for SurfaceFillet {
    fn describe() -> StepDescription {
        let side = |name, label| {
            let choices = [("outside", "Outside"), ("inside", "Inside")];
            ValueDescription::choice(
                name,
                label,
                &choices,
                "The side of the surface on which the ball rolls.",
            )
        };
        let surface = |name, label| {
            SlotDescription::one(
                name,
                label,
                &["surface", "solid"],
                "A surface, or a face of a shape with those that go on smoothly from it.",
            )
            .faces()
            .uncovers()
        };
        let mut values = vec![BallBy::choice()];
        let [radius, end_radius] = RadiusBy::values();
        let sized = radius.only_if("radius_by", "constant|even|formula");
        values.extend([sized, end_radius]);
        let [section, fullness] = FilletSection::values();
        values.extend([section.only_if("radius_by", "!full"), fullness]);
        values.extend([
            side("first_side", "Ball and first"),
            side("second_side", "Ball and second"),
            side("middle_side", "Ball and middle").only_if("radius_by", "full"),
            ValueDescription::choice(
                "trims",
                "Trims",
                &[("both", "Both"), ("first", "The first"), ("second", "The second"), ("neither", "Neither")],
                "What is cut off where the fillet begins, and joined to it.",
            ),
        ]);
        StepDescription {
            kind: "surface_fillet",
            label: "Surface fillet",
            stage: "Shape",
            purpose: "Round the place between two surfaces with a ball that touches both, whether they meet or not.",
            also: "fillet between, round, blend, rolling ball",
            key: "J",
            makes: &["surface", "solid"],
            slots: vec![
                surface("first", "First"),
                surface("second", "Second"),
                surface("middle", "Between them").only_if("radius_by", "full"),
                SlotDescription::one(
                    "held_to",
                    "Held to",
                    &["curve", "surface", "solid"],
                    "Edges of the first surface along which the fillet begins.",
                )
                .many(0, 100)
                .uncovers()
                .only_if("radius_by", "held"),
            ],
            values,
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let middle = self.middle.as_ref().filter(|_| self.radius_by == BallBy::Full).map(|r| ("middle", r));
        let held = self.held_to.iter().filter(|_| self.radius_by == BallBy::Held).map(|r| ("held_to", r));
        [("first", &self.first), ("second", &self.second)].into_iter().chain(middle).chain(held).collect()
    }

    fn keeps(&self, slot: &str) -> bool {
        !self.trims_slot(slot)
    }

    fn replaces(&self, slot: &str) -> bool {
        self.trims_slot(slot)
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.radius, &mut self.end_radius, &mut self.fullness]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let trims = self.trimmed();
        let support = |slot: &str, reference: &Reference, side: BallSide, trimmed: bool| {
            let (body, shell, faces) = context.faces_of_one_shell(reference, slot)?;
            if trimmed && matches!(body, Body::Solid(_)) && !self.in_one_shape() {
                let message =
                    "a solid would be open after this; pick two faces of one solid, or leave it untrimmed";
                return Err(Notice::about(slot, message));
            }
            let outside = side == BallSide::Outside;
            Ok(match (&reference.item, &faces[..]) {
                (Some(_), &[face]) => Support::about(shell, face, outside, trimmed),
                _ => Support { shell, faces, outside, trimmed },
            })
        };
        let law = match self.radius_by.radius() {
            Some(by) => Some(by.law(context, &self.radius, &self.end_radius)?),
            None => None,
        };
        let even = self.radius_by == BallBy::Constant;
        let supports = [
            support("first", &self.first, self.first_side, trims[0])?,
            support("second", &self.second, self.second_side, trims[1])?,
        ];
        let round = || self.section.round(context, &self.fullness);
        let held = match self.radius_by {
            BallBy::Held => self.held_edges(context, &supports[0])?,
            _ => Vec::new(),
        };
        let ball = match &law {
            Some(radius) => Ball::Sized { radius, even, round: round()? },
            None if self.radius_by == BallBy::Held => Ball::Held { edges: &held, round: round()? },
            None => {
                let middle = self.middle.as_ref();
                let middle =
                    middle.ok_or_else(|| Notice::about("middle", "pick the face between the two"))?;
                Ball::Touching(support("middle", middle, self.middle_side, false)?)
            }
        };
        let made = fillet_between(&Rolling { supports, ball }, &context.tolerance).map_err(|e| {
            let slot = match e {
                SurfacingError::FilletEndsInside { .. } => "trims",
                SurfacingError::NoFullRound { .. } => "middle",
                _ if self.radius_by == BallBy::Held => "held_to",
                _ => "radius",
            };
            Notice::refused(slot, &e)
        })?;
        let built = Built::plain(Shape::body(Body::from_shell(made.shell)));
        let built = match &law {
            Some(radius) if even => built.with_reached([Reached::length("Radius", radius(0.5))]),
            Some(_) => built,
            // What nobody gave is told.
            None => built.with_reached(made.radii.into_iter().flat_map(|[least, most]| {
                [Reached::length("Radius, smallest", least), Reached::length("Radius, largest", most)]
            })),
        };
        Ok(built.with_deviation(made.max_deviation, context.tolerance.fit))
    }
}
