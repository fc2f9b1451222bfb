//! Strip: a narrow surface along a curve or an edge, at an angle to a surface.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{Carry, PathCorners, SweepSection};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_zero, zero};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reference};

/// A narrow surface along a curve or an edge.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Strip {
    /// The curve or edge.
    pub along: Reference,
    /// The face that its angle is measured to; by itself the one whose edge it is.
    #[serde(default, skip_serializing_if = "is_default")]
    pub surface: Option<Reference>,
    /// How wide it is; below 0 to the other side.
    #[serde(default = "five")]
    pub width: Amount,
    /// Its angle to the face: 0 lies in it, 90 deg stands on it.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub angle: Amount,
}

fn five() -> Amount {
    "5 mm".into()
}

impl Construction for Strip {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "strip",
            label: "Strip",
            stage: "Skin",
            purpose: "Lay a narrow surface along a curve or an edge, at an angle to a face.",
            also: "strip, flange, border, along an edge, offset edge, ribbon",
            key: "S",
            makes: &["surface"],
            slots: vec![
                SlotDescription::one("along", "Along", &["curve"], "A curve on a surface, or an edge."),
                SlotDescription::one(
                    "surface",
                    "Face",
                    &["surface", "solid"],
                    "The face that the angle is measured to; by itself the one whose edge it is.",
                )
                .optional()
                .faces(),
            ],
            values: vec![
                ValueDescription::amount(
                    "width",
                    "Width",
                    Quantity::Length,
                    [-1e5, 1e5],
                    json!("5 mm"),
                    "How wide it is; below 0 to the other side.",
                ),
                ValueDescription::amount(
                    "angle",
                    "Angle to the face",
                    Quantity::Angle,
                    [-360.0, 360.0],
                    json!(0),
                    "0 goes on in the face, 90 deg stands on it.",
                ),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        std::iter::once(("along", &self.along)).chain(self.surface.as_ref().map(|r| ("surface", r))).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.width, &mut self.angle]
    }

    /// It only stands beside its face.
    fn keeps(&self, _slot: &str) -> bool {
        true
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let path = context.pieces(&self.along, "along")?;
        let own = context.surfaces_at(&self.along, "along")?;
        let surface = match (&self.surface, &own[..]) {
            (Some(face), _) => match context.surfaces(face, "surface")?[..] {
                [only] => only,
                _ => {
                    return Err(Notice::about(
                        "surface",
                        "this has several faces; pick one of them in space",
                    ));
                }
            },
            (None, [only]) => only.as_ref(),
            (None, []) => {
                return Err(Notice::about(
                    "surface",
                    "this is no edge of a face; pick the face that it runs along",
                ));
            }
            (None, _) => {
                return Err(Notice::about(
                    "surface",
                    "two faces meet at this edge; pick the one that counts",
                ));
            }
        };
        let width = context.value(&self.width, Quantity::Length, "width")?;
        let angle = context.value(&self.angle, Quantity::Angle, "angle")?;
        let rise = |_: f64| -angle;
        let how = surfacing::Sweep {
            carry: Carry::AlongSurface(surface),
            corners: PathCorners::Mitred,
            twist: Some(&rise),
            scale: None,
            close: false,
            name: "side".into(),
        };
        let made = surfacing::sweep(&[SweepSection::Straight(width)], &path, &how, &context.tolerance)
            .map_err(|e| Notice::refused("width", &e))?;
        Ok(Built::body(made.body).with_deviation(made.max_deviation, context.tolerance.fit))
    }
}
