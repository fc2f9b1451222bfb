//! Rail sweep: sections carried so that they reach from one rail to the other.

use geometry::NurbsCurve;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::{RailHeight, SurfacingError};

use super::revolve::Ends;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Reached, Reference};

/// What happens to a section's height where the rails come closer or part.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Height {
    /// It grows and shrinks with the width.
    #[default]
    Scaled,
    /// It stays.
    Kept,
}

/// Which control points the surface has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum RailStructure {
    /// As many as the motion needs to be followed within the fit tolerance.
    #[default]
    Fitted,
    /// Just those of its inputs: rails of 4 and sections of 6 give 4 by 6.
    Clean,
}

/// Angle in radians, 0.05 degrees, above which it is told that a surface is not square to a section.
const SQUARE: f64 = 0.05 * std::f64::consts::PI / 180.0;

/// Sections carried between two rails.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RailSweep {
    /// A curve, a drawing or an edge.
    pub first_rail: Reference,
    /// Another one, which runs the same way.
    pub second_rail: Reference,
    /// Sections whose ends are on the rails.
    pub sections: Vec<Reference>,
    /// What happens to their height.
    #[serde(default, skip_serializing_if = "is_default")]
    pub height: Height,
    /// Which control points the surface has.
    #[serde(default, skip_serializing_if = "is_default")]
    pub structure: RailStructure,
    /// Whether it leaves its first section square to the plane of that.
    #[serde(default, skip_serializing_if = "is_default")]
    pub start_square: bool,
    /// Whether it meets its last section square to the plane of that.
    #[serde(default, skip_serializing_if = "is_default")]
    pub end_square: bool,
    /// What happens at flat ends of closed sections.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: Ends,
}

impl Construction for RailSweep {
    fn describe() -> StepDescription {
        let rail = |name, label| SlotDescription {
            directed: true,
            ..SlotDescription::one(name, label, &["curve"], "A curve, a drawing or an edge.")
        };
        let square = |name, label| {
            let help = "Leaves the plane of the section squarely, as a half does that is mirrored there.";
            ValueDescription::switch(name, label, help).only_if("structure", "fitted")
        };
        StepDescription {
            kind: "rail_sweep",
            label: "Rail sweep",
            stage: "Skin",
            purpose: "Carry sections between two rails that set their width.",
            also: "two rails, birail, sweep, rails, hood, width",
            key: "g",
            makes: &["surface", "solid"],
            slots: vec![
                rail("first_rail", "First rail"),
                rail("second_rail", "Second rail"),
                SlotDescription::one(
                    "sections",
                    "Sections",
                    &["curve"],
                    "Each stays where it was drawn, its ends on the rails.",
                )
                .many(1, 50),
            ],
            values: vec![
                ValueDescription::choice(
                    "height",
                    "Height",
                    &[("scaled", "With the width"), ("kept", "Kept")],
                    "Whether a section grows in height with its width, or keeps its height.",
                ),
                ValueDescription::choice(
                    "structure",
                    "Control points",
                    &[("fitted", "As needed"), ("clean", "Those of the inputs")],
                    "As many as the exact motion needs, or just those of rails and sections, for shaping by hand.",
                ),
                square("start_square", "Square to the first section"),
                square("end_square", "Square to the last section"),
                Ends::choice("Whether flat ends close closed sections into a solid."),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let rails = [("first_rail", &self.first_rail), ("second_rail", &self.second_rail)];
        rails.into_iter().chain(self.sections.iter().map(|r| ("sections", r))).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let rails = [
            context.pieces(&self.first_rail, "first_rail")?,
            context.pieces(&self.second_rail, "second_rail")?,
        ];
        let sections =
            self.sections.iter().map(|r| context.pieces(r, "sections")).collect::<Result<Vec<_>, _>>()?;
        let clean = self.structure == RailStructure::Clean;
        let normal = |(reference, pieces): (&Reference, &Vec<NurbsCurve>)| {
            context.normal_of(reference, pieces, "sections")
        };
        let how = surfacing::RailSweep {
            height: match self.height {
                Height::Scaled => RailHeight::Scaled,
                Height::Kept => RailHeight::Kept,
            },
            clean,
            square: [self.start_square && !clean, self.end_square && !clean],
            normals: self.sections.iter().zip(&sections).map(normal).collect::<Result<_, _>>()?,
            close: self.ends == Ends::Closed,
            name: "side".into(),
        };
        let made = surfacing::rail_sweep(&sections, [&rails[0], &rails[1]], &how, &context.tolerance)
            .map_err(|e| {
                let slot = match e {
                    SurfacingError::RailsOpposite { .. }
                    | SurfacingError::RailsMeet { .. }
                    | SurfacingError::RailsDiffer { .. } => "second_rail",
                    _ => "sections",
                };
                Notice::refused(slot, &e)
            })?;
        let gap = Reached::length("Largest gap from section to rail", made.section_gap);
        let labels = ["Angle at the first section", "Angle at the last section"];
        let angles = labels.into_iter().zip(made.end_angles).filter_map(|(label, a)| Some((label, a?)));
        let mut built = Built::body(made.body).with_reached([gap]);
        for (label, angle) in angles {
            built = built.with_reached([Reached::angle(label, angle)]);
            if angle > SQUARE {
                let message = format!(
                    "the rails lead it out of a section up to {:.2} deg off square; lead both of them squarely out of its plane",
                    angle.to_degrees()
                );
                built.warnings.push(Notice::about("sections", message));
            }
        }
        Ok(built.with_deviation_or(made.max_deviation, context.tolerance.fit, made.miss))
    }
}
