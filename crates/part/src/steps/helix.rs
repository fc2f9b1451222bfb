//! Helix: a curve that winds about an axis.

use geometry::{Frame, Vector3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{SurfacingError, Winding};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::zero;
use crate::recipe::is_default;
use crate::{Amount, AxisInput, Built, CurveShape, Notice, Quantity, Reference};

/// A curve that winds about an axis.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Helix {
    /// What it winds about.
    #[serde(default)]
    pub axis: AxisInput,
    /// Radius where it begins.
    pub radius: Amount,
    /// Radius where it ends; none: the same.
    #[serde(default, skip_serializing_if = "is_default")]
    pub end_radius: Option<Amount>,
    /// Rise in each turn; 0 for a flat spiral.
    pub pitch: Amount,
    /// How many turns.
    pub turns: Amount,
    /// Where round the axis it begins.
    #[serde(default = "zero")]
    pub start: Amount,
    /// Whether it winds like a left-handed screw.
    #[serde(default, skip_serializing_if = "is_default")]
    pub left_handed: bool,
}

impl Construction for Helix {
    fn describe() -> StepDescription {
        let length = |name, label, least, default, help| {
            ValueDescription::amount(name, label, Quantity::Length, [least, 1e5], default, help)
        };
        StepDescription {
            kind: "helix",
            label: "Helix",
            stage: "Draw",
            purpose: "Wind a curve about an axis: helix, conical helix, spiral.",
            also: "spring, coil, thread, spiral, screw",
            key: "h",
            makes: &["curve"],
            slots: vec![SlotDescription::one("axis", "Axis", &["axis", "curve"], "What it winds about.")],
            values: vec![
                length("radius", "Radius", 0.0, json!("10 mm"), "Distance from the axis where it begins."),
                length(
                    "end_radius",
                    "Radius at the end",
                    0.0,
                    json!("10 mm"),
                    "Another radius makes a conical helix, or with no pitch a spiral.",
                ),
                length("pitch", "Pitch", -1e5, json!("5 mm"), "Rise in each turn."),
                ValueDescription::amount(
                    "turns",
                    "Turns",
                    Quantity::Ratio,
                    [0.0, 500.0],
                    json!(3),
                    "How many turns; parts of a turn too.",
                ),
                ValueDescription::amount(
                    "start",
                    "Start angle",
                    Quantity::Angle,
                    [-360.0, 360.0],
                    json!("0 deg"),
                    "Where round the axis it begins.",
                ),
                ValueDescription::switch("left_handed", "Left-handed", "Winds like a left-handed screw."),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.axis.reference().map(|r| ("axis", r)).into_iter().collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let own = [&mut self.radius, &mut self.pitch, &mut self.turns, &mut self.start];
        own.into_iter().chain(&mut self.end_radius).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let axis = self.axis.axis(context, "axis")?;
        let value = |amount, quantity, field| context.value(amount, quantity, field);
        let start_radius = context.value(&self.radius, Quantity::Length, "radius")?;
        let end_radius = self
            .end_radius
            .as_ref()
            .map_or(Ok(start_radius), |r| context.value(r, Quantity::Length, "end_radius"))?;
        let turns = value(&self.turns, Quantity::Ratio, "turns")?;
        let height = context.value(&self.pitch, Quantity::Length, "pitch")? * turns;
        let angle = value(&self.start, Quantity::Angle, "start")?;
        let toward =
            if axis.direction.cross(&Vector3::x()).norm() < 1e-6 { Vector3::y() } else { Vector3::x() };
        let side = axis.direction.cross(&toward).normalize();
        let flat = side.cross(&axis.direction);
        let x = flat * angle.cos() + side * angle.sin();
        let frame = Frame { origin: axis.origin, x, y: axis.direction.cross(&x), z: axis.direction };
        let winding = Winding {
            start_radius,
            end_radius,
            height,
            turns: if self.left_handed { -turns } else { turns },
        };
        let made = surfacing::helix(&frame, winding, &context.tolerance).map_err(|e| {
            let input = if matches!(e, SurfacingError::Winding { .. }) { "turns" } else { "radius" };
            Notice::refused(input, &e)
        })?;
        let helix = CurveShape::in_space("helix", vec![made.curve]);
        Ok(Built::curves(vec![helix]).with_deviation(made.max_deviation, context.tolerance.fit))
    }
}
