//! Sweep: sections carried along a path.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{Carry, SurfacingError, SweepSection};

use super::revolve::Ends;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_one, is_zero, one, zero};
use crate::recipe::is_default;
use crate::{Amount, AxisInput, Built, Notice, Quantity, Reference, Shape};

/// What is carried along the path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Carries {
    /// Drawn sections.
    #[default]
    Drawn,
    /// A round section about the path.
    Round,
}

/// How sections are turned on their way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Turned {
    /// With the path, without needless twist.
    #[default]
    Path,
    /// Not at all.
    Kept,
    /// With the path, at one angle to a direction.
    Direction,
    /// With the path, at one angle to a surface.
    Surface,
}

/// Sections carried along a path.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Sweep {
    /// A curve, a drawing or an edge.
    pub path: Reference,
    /// What is carried.
    #[serde(default, skip_serializing_if = "is_default")]
    pub carries: Carries,
    /// For `drawn`: the sections, where they stand along the path.
    #[serde(default, skip_serializing_if = "is_default")]
    pub sections: Vec<Reference>,
    /// For `round`: its radius.
    #[serde(default = "two")]
    pub radius: Amount,
    /// How sections are turned.
    #[serde(default, skip_serializing_if = "is_default")]
    pub turned: Turned,
    /// For `direction`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub axis: AxisInput,
    /// For `surface`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub surface: Option<Reference>,
    /// Turn about the path from its start to its end.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub twist: Amount,
    /// Size at the end of the path, 1 for that at its start.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub scale: Amount,
    /// What happens at the ends of closed sections.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: Ends,
}

fn two() -> Amount {
    "2 mm".into()
}

impl Construction for Sweep {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "sweep",
            label: "Sweep",
            stage: "Skin",
            purpose: "Carry sections along a path, with twist and growth.",
            also: "sweep, pipe, tube, wire, follow path, along",
            key: "s",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one("path", "Path", &["curve"], "A curve, a drawing or an edge."),
                SlotDescription::one(
                    "sections",
                    "Sections",
                    &["curve"],
                    "Each stays where it was drawn; the nearest place of the path carries it.",
                )
                .many(1, 50)
                .only_if("carries", "drawn"),
                SlotDescription::one("axis", "Direction", &["axis"], "The angle to it is kept.")
                    .only_if("turned", "direction"),
                SlotDescription::one("surface", "Surface", &["surface", "solid"], "The angle to it is kept.")
                    .faces()
                    .only_if("turned", "surface"),
            ],
            values: vec![
                ValueDescription::choice(
                    "carries",
                    "Carries",
                    &[("drawn", "Drawn sections"), ("round", "A round section")],
                    "What is carried along the path.",
                ),
                ValueDescription::amount(
                    "radius",
                    "Radius",
                    Quantity::Length,
                    [0.001, 1e5],
                    json!("2 mm"),
                    "Of the round section.",
                )
                .only_if("carries", "round"),
                ValueDescription::choice(
                    "turned",
                    "Sections turn",
                    &[
                        ("path", "With the path"),
                        ("kept", "Not at all"),
                        ("direction", "At one angle to a direction"),
                        ("surface", "At one angle to a surface"),
                    ],
                    "Whether and how sections turn as the path does.",
                ),
                ValueDescription::amount(
                    "twist",
                    "Twist",
                    Quantity::Angle,
                    [-1e6, 1e6],
                    json!("0 deg"),
                    "Turn about the path from its start to its end, as in 360 deg * turns.",
                ),
                ValueDescription::amount(
                    "scale",
                    "Size at the end",
                    Quantity::Ratio,
                    [0.001, 1000.0],
                    json!(1),
                    "1 for that at the start; between, it grows evenly.",
                ),
                Ends::choice("Whether flat ends close closed sections into a solid."),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let mut out = vec![("path", &self.path)];
        if self.carries == Carries::Drawn {
            out.extend(self.sections.iter().map(|r| ("sections", r)));
        }
        match self.turned {
            Turned::Direction => out.extend(self.axis.reference().map(|r| ("axis", r))),
            Turned::Surface => out.extend(self.surface.as_ref().map(|r| ("surface", r))),
            Turned::Path | Turned::Kept => {}
        }
        out
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.radius, &mut self.twist, &mut self.scale]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let path = context.pieces(&self.path, "path")?;
        let sections = match self.carries {
            Carries::Round => vec![SweepSection::Round(context.coordinate(&self.radius, "radius")?)],
            Carries::Drawn => {
                let drawn =
                    self.sections.iter().map(|r| Ok(SweepSection::Drawn(context.pieces(r, "sections")?)));
                drawn.collect::<Result<Vec<_>, Notice>>()?
            }
        };
        let carry = match self.turned {
            Turned::Path => Carry::Follow,
            Turned::Kept => Carry::KeepDirection,
            Turned::Direction => Carry::AlongDirection(self.axis.axis(context, "axis")?.direction),
            Turned::Surface => {
                let surface = self.surface.as_ref();
                let surface = surface
                    .ok_or_else(|| Notice::about("surface", "pick the surface to keep an angle to"))?;
                Carry::AlongSurface(context.surfaces(surface, "surface")?[0])
            }
        };
        let twist = context.value(&self.twist, Quantity::Angle, "twist")?;
        let scale = context.value(&self.scale, Quantity::Ratio, "scale")?;
        let how = surfacing::Sweep {
            carry,
            twist: &|share| twist * share,
            scale: &|share| 1.0 + (scale - 1.0) * share,
            close: self.ends == Ends::Closed,
            name: "side".into(),
        };
        let made = surfacing::sweep(&sections, &path, &how, &context.tolerance).map_err(|e| {
            let slot = match e {
                SurfacingError::PathCorner { .. } | SurfacingError::TooTight { .. } => "path",
                _ => "sections",
            };
            Notice::refused(slot, &e)
        })?;
        Ok(Built::plain(Shape::Body(made.body)).with_deviation(made.max_deviation, context.tolerance.fit))
    }
}
