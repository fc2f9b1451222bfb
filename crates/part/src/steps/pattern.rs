//! Pattern: a shape repeated about an axis, along a line or along a curve, linked to the one that it repeats.

use geometry::Frame;
use nalgebra::Matrix4;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::copy::{copies, turned_about};
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, AxisInput, Built, Notice, Quantity, Reference};

const MOST: f64 = 1000.0;

/// Where the repetitions stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum PatternWay {
    /// Turned about an axis.
    #[default]
    Axis,
    /// Along a straight line.
    Line,
    /// Along a curve.
    Curve,
}

/// How repetitions along a curve are turned.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum PatternTurned {
    /// With the curve.
    #[default]
    Curve,
    /// Not at all.
    Kept,
}

/// A shape repeated.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Pattern {
    /// The shape, which is the first of them.
    pub of: Reference,
    /// Where the others stand.
    #[serde(default, skip_serializing_if = "is_default")]
    pub way: PatternWay,
    /// How many in all.
    #[serde(default = "three")]
    pub count: Amount,
    /// For `axis`: what they are turned about; for `line`: its direction.
    #[serde(default, skip_serializing_if = "is_default")]
    pub axis: AxisInput,
    /// For `axis`: from the first to the last; all the way round they are spread evenly.
    #[serde(default = "round")]
    pub angle: Amount,
    /// For `line`: from each to the next.
    #[serde(default = "twenty")]
    pub spacing: Amount,
    /// For `curve`: from its start to its end, evenly by length.
    #[serde(default, skip_serializing_if = "is_default")]
    pub curve: Option<Reference>,
    /// For `curve`: how they are turned.
    #[serde(default, skip_serializing_if = "is_default")]
    pub turned: PatternTurned,
}

fn three() -> Amount {
    Amount::Number(3.0)
}

fn round() -> Amount {
    "360 deg".into()
}

fn twenty() -> Amount {
    "20 mm".into()
}

impl Pattern {
    /// Where each one stands, the first where the shape is.
    fn places(&self, context: &Context<'_>) -> Result<Vec<Matrix4<f64>>, Notice> {
        let count = context.value(&self.count, Quantity::Count, "count")?;
        if !(2.0..=MOST).contains(&count) {
            return Err(Notice::about("count", format!("a pattern has 2 to {MOST} of them")));
        }
        let count = count as usize;
        let steps = 0..count;
        match self.way {
            PatternWay::Axis => {
                let axis = self.axis.axis(context, "axis")?;
                let angle = context.value(&self.angle, Quantity::Angle, "angle")?;
                let whole = std::f64::consts::TAU;
                if angle.abs() > whole + 1e-9 || angle.abs() < 1e-9 {
                    return Err(Notice::about("angle", "give more than 0 and at most 360 deg"));
                }
                // All the way round the last would stand on the first.
                let gaps = if angle.abs() >= whole - 1e-9 { count } else { count - 1 };
                Ok(steps.map(|k| turned_about(&axis, angle * k as f64 / gaps as f64)).collect())
            }
            PatternWay::Line => {
                let direction = self.axis.axis(context, "axis")?.direction;
                let spacing = context.value(&self.spacing, Quantity::Length, "spacing")?;
                if spacing.abs() <= context.tolerance.join {
                    return Err(Notice::about(
                        "spacing",
                        "all of them would stand at one place; give a distance",
                    ));
                }
                Ok(steps.map(|k| Matrix4::new_translation(&(direction * (spacing * k as f64)))).collect())
            }
            PatternWay::Curve => {
                let curve = self.curve.as_ref().ok_or_else(|| Notice::about("curve", "pick the curve"))?;
                let pieces = context.pieces(curve, "curve")?;
                let frames = surfacing::frames_along(&pieces, count, &context.tolerance)
                    .map_err(|e| Notice::refused("curve", &e))?;
                let first = frames[0];
                let place = |f: &Frame| match self.turned {
                    PatternTurned::Kept => Matrix4::new_translation(&(f.origin - first.origin)),
                    PatternTurned::Curve => carried(&first, f),
                };
                Ok(frames.iter().map(place).collect())
            }
        }
    }
}

/// The motion that brings one frame to another.
fn carried(from: &Frame, to: &Frame) -> Matrix4<f64> {
    to.to_world() * from.from_world()
}

impl Construction for Pattern {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "pattern",
            label: "Pattern",
            stage: "Skin",
            purpose: "Repeat a shape about an axis, along a line or along a curve.",
            also: "array, repeat, polar, circular, linear, copies, along a curve",
            key: "p",
            makes: &["surface", "solid", "curve"],
            slots: vec![
                SlotDescription::one(
                    "of",
                    "Of",
                    &["surface", "solid", "curve"],
                    "The shape; it is the first of them.",
                ),
                SlotDescription::one(
                    "axis",
                    "Axis",
                    &["axis", "curve"],
                    "What they are turned about, or the line's direction.",
                )
                .only_if("way", "axis|line"),
                SlotDescription::one(
                    "curve",
                    "Curve",
                    &["curve"],
                    "They stand along it, evenly by its length.",
                )
                .only_if("way", "curve"),
            ],
            values: vec![
                ValueDescription::choice(
                    "way",
                    "Where",
                    &[("axis", "About an axis"), ("line", "Along a line"), ("curve", "Along a curve")],
                    "Where the others stand.",
                ),
                ValueDescription::amount(
                    "count",
                    "How many",
                    Quantity::Count,
                    [2.0, MOST],
                    json!(3),
                    "In all, the first one counted.",
                ),
                ValueDescription::amount(
                    "angle",
                    "From first to last",
                    Quantity::Angle,
                    [-360.0, 360.0],
                    json!("360 deg"),
                    "360 deg spreads them evenly all the way round.",
                )
                .only_if("way", "axis"),
                ValueDescription::amount(
                    "spacing",
                    "From each to the next",
                    Quantity::Length,
                    [-1e5, 1e5],
                    json!("20 mm"),
                    "Along the line.",
                )
                .only_if("way", "line"),
                ValueDescription::choice(
                    "turned",
                    "Turned",
                    &[("curve", "With the curve"), ("kept", "Not at all")],
                    "Whether they turn as the curve does.",
                )
                .only_if("way", "curve"),
            ],
        }
    }

    /// What it repeats has been looked over.
    fn lays_surfaces() -> bool {
        false
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let axis = self.axis.reference().filter(|_| self.way != PatternWay::Curve).map(|r| ("axis", r));
        let curve = self.curve.as_ref().filter(|_| self.way == PatternWay::Curve).map(|r| ("curve", r));
        std::iter::once(("of", &self.of)).chain(axis).chain(curve).collect()
    }

    fn copied(&self) -> Option<&Reference> {
        Some(&self.of)
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.count, &mut self.angle, &mut self.spacing]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        copies(context, &self.of, &self.places(context)?)
    }
}
