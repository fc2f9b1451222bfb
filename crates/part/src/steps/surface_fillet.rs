//! Surface fillet: a rounding between two surfaces, whether they meet or not.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::{Rolling, SurfacingError, fillet_between};
use topology::{Body, Shell};

use super::fillet::{FilletSection, RadiusBy};
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{half, is_half, two_mm};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Reached, Reference, Shape};

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
    /// Side of the first one on which the ball rolls.
    #[serde(default, skip_serializing_if = "is_default")]
    pub first_side: BallSide,
    /// Side of the second one.
    #[serde(default, skip_serializing_if = "is_default")]
    pub second_side: BallSide,
    /// How the radius changes along it.
    #[serde(default, skip_serializing_if = "is_default")]
    pub radius_by: RadiusBy,
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

    fn trims_slot(&self, slot: &str) -> bool {
        self.trimmed()[usize::from(slot == "second")]
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
            SlotDescription::one(name, label, &["surface", "solid"], "A surface, or one face of a shape.")
                .one_face()
                .uncovers()
        };
        let mut values = vec![RadiusBy::choice()];
        values.extend(RadiusBy::values());
        values.extend(FilletSection::values());
        values.extend([
            side("first_side", "Ball and first"),
            side("second_side", "Ball and second"),
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
            makes: &["surface"],
            slots: vec![surface("first", "First"), surface("second", "Second")],
            values,
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("first", &self.first), ("second", &self.second)]
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
        let law = self.radius_by.law(context, &self.radius, &self.end_radius)?;
        let (first, second) =
            (context.one_face(&self.first, "first")?, context.one_face(&self.second, "second")?);
        let trims = self.trimmed();
        let mut shells: Vec<(&Shell, usize)> = Vec::with_capacity(2);
        for (k, (slot, (body, shell, face))) in [("first", first), ("second", second)].into_iter().enumerate()
        {
            if trims[k] && matches!(body, Body::Solid(_)) {
                let message =
                    "a solid would be open after this; round its edges with Fillet, or leave it untrimmed";
                return Err(Notice::about(slot, message));
            }
            shells.push((shell, face));
        }
        let even = self.radius_by == RadiusBy::Constant;
        let rolling = Rolling {
            shells: [shells[0], shells[1]],
            outside: [self.first_side, self.second_side].map(|s| s == BallSide::Outside),
            trims,
            size: &law,
            even,
            round: self.section.round(context, &self.fullness)?,
        };
        let made = fillet_between(&rolling, &context.tolerance).map_err(|e| {
            let slot = match e {
                SurfacingError::FilletEndsInside { .. } => "trims",
                _ => "radius",
            };
            Notice::refused(slot, &e)
        })?;
        let built = Built::plain(Shape::body(Body::from_shell(made.shell)));
        let built = if even { built.with_reached([Reached::length("Radius", law(0.5))]) } else { built };
        Ok(built.with_deviation(made.max_deviation, context.tolerance.fit))
    }
}
