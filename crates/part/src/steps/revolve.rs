//! Revolve: a profile turned about an axis, round or flat-sided.

use std::borrow::Cow;

use geometry::{Frame, NurbsCurve, Point3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{FlatMeasure, SurfacingError, Turn};

use super::copy::turned_about;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_zero, zero};
use crate::recipe::is_default;
use crate::{
    Amount, AxisInput, Built, Cure, CurveShape, Edit, Notice, Quantity, Reached, Reference, Shape,
    format_length,
};

/// Round or with flat sides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Sides {
    /// Round.
    #[default]
    Round,
    /// Flat-sided, a full turn.
    Flat,
}

/// What the profile of a flat-sided shape measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Measure {
    /// To the middle of a side.
    #[default]
    Flats,
    /// To a corner.
    Corners,
}

/// What happens at the ends of a partial turn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Ends {
    /// Flat faces, where the profile encloses an area.
    #[default]
    Closed,
    /// Left open.
    Open,
}

impl Ends {
    /// The choice on a card, for what has closed outlines or sections.
    pub(super) fn choice(help: &'static str) -> ValueDescription {
        ValueDescription::choice("ends", "Ends", &[("closed", "Closed"), ("open", "Open")], help)
    }
}

/// A profile turned about an axis.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Revolve {
    /// The drawing, or one of its curves.
    pub profile: Reference,
    /// What it turns about.
    #[serde(default)]
    pub axis: AxisInput,
    /// Round or flat-sided.
    #[serde(default, skip_serializing_if = "is_default")]
    pub sides: Sides,
    /// How far round it goes.
    #[serde(default = "full_turn")]
    pub turn: Amount,
    /// How many flat sides.
    #[serde(default = "six", skip_serializing_if = "is_six")]
    pub side_count: Amount,
    /// What the profile of a flat-sided shape measures.
    #[serde(default, skip_serializing_if = "is_default")]
    pub measure: Measure,
    /// Ends of a partial turn.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: Ends,
    /// For a part turn: how far it goes the other way.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub back: Amount,
    /// Where the outside of an open result is.
    #[serde(default, skip_serializing_if = "is_default")]
    pub outside: Outside,
}

/// Where the outside of an open result is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Outside {
    /// Away from the axis.
    #[default]
    FromAxis,
    /// To the right of the profile as it is drawn, the axis upwards on the left: as up to version 2 of the recipe.
    RightOfProfile,
}

fn full_turn() -> Amount {
    "360 deg".into()
}

fn six() -> Amount {
    Amount::Number(6.0)
}

fn is_six(amount: &Amount) -> bool {
    *amount == six()
}

/// Where the profile's pieces came from, so that a cure can change their source.
struct Source<'a> {
    /// The drawing's plane, if they are drawn.
    frame: Option<Frame>,
    /// For each piece the curve that it is of.
    curves: Vec<Cow<'a, CurveShape>>,
}

impl Revolve {
    fn profile<'a>(
        &self,
        context: &'a Context<'_>,
    ) -> Result<(Vec<(NurbsCurve, String)>, Source<'a>), Notice> {
        let curves = context.named_pieces(&self.profile, "profile")?;
        let picked = context.curves(&self.profile, "profile")?.into_iter();
        let of_each = picked.flat_map(|c| {
            let count = c.pieces.len();
            std::iter::repeat_n(c, count)
        });
        let frame = context.drawing_frame(&self.profile, "profile")?;
        let source = Source { frame, curves: of_each.collect() };
        Ok((curves, source))
    }

    /// The cure that moves one end of a profile curve straight onto the axis.
    fn put_on_axis(
        &self,
        context: &Context<'_>,
        source: &Source<'_>,
        (curve, at_end): (usize, bool),
        at: Point3,
    ) -> Option<Cure> {
        let axis = self.axis.axis(context, "axis").ok()?;
        let foot = source.frame?.flattened(&(at - axis.radial(&at)));
        let shape = source.curves.get(curve)?;
        let index = if at_end { shape.points.len().checked_sub(1)? } else { 0 };
        // Only an end that is itself a drawn point can be moved.
        let drawn = source.frame?.flattened(&at);
        if (shape.points.get(index)? - drawn).norm() > context.tolerance.join {
            return None;
        }
        let tidy = |x: f64| Amount::Number((x / context.unit().millimetres() * 1e9).round() / 1e9 + 0.0);
        let edit = Edit::MovePoint {
            step: self.profile.step.clone(),
            curve: shape.id.clone(),
            index,
            to: [tidy(foot.x), tidy(foot.y)].into(),
        };
        Some(Cure { label: "Put it on the axis".into(), edits: vec![edit] })
    }

    fn notice(&self, error: &SurfacingError, source: &Source<'_>, context: &Context<'_>) -> Notice {
        let (input, cure) = match error {
            SurfacingError::Angle { .. } => ("turn", None),
            SurfacingError::Sides(_) => ("side_count", None),
            SurfacingError::EndBeyondAxis { at, .. } => {
                let at = Point3::from(*at);
                let near = |p: Point3| (p - at).norm() <= context.tolerance.join;
                let ends = source.curves.iter().enumerate().find_map(|(i, c)| {
                    if near(c.start()) { Some((i, false)) } else { near(c.end()).then_some((i, true)) }
                });
                ("profile", ends.and_then(|e| self.put_on_axis(context, source, e, at)))
            }
            _ => ("profile", None),
        };
        let message = match error {
            SurfacingError::EndBeyondAxis { distance, .. } => format!(
                "An end of the profile is {} beyond the axis. A full turn would overlap itself there by {}.",
                format_length(*distance, context.unit()),
                format_length(2.0 * distance, context.unit())
            ),
            other => other.to_string(),
        };
        Notice { message, input: Some(input.into()), at: error.place(), cure }
    }
}

impl Construction for Revolve {
    fn describe() -> StepDescription {
        let turn = "How far round; 270 deg leaves a quarter open to look inside.";
        StepDescription {
            kind: "revolve",
            label: "Revolve",
            stage: "Skin",
            purpose: "Turn a profile about an axis, round or with flat sides.",
            also: "turn, spin, lathe, rotate, round, surface of revolution",
            key: "r",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription {
                    directed: true,
                    ..SlotDescription::one(
                        "profile",
                        "Profile",
                        &["curve"],
                        "Curves that run end to end: a drawing, or one of its curves.",
                    )
                },
                SlotDescription::one(
                    "axis",
                    "Axis",
                    &["axis", "curve"],
                    "The line that the profile turns about.",
                ),
            ],
            values: vec![
                ValueDescription::choice(
                    "sides",
                    "Kind",
                    &[("round", "Round"), ("flat", "Flat-sided")],
                    "Round, or a full turn with flat sides.",
                ),
                ValueDescription::amount(
                    "turn",
                    "Turn",
                    Quantity::Angle,
                    [0.001, 360.0],
                    json!("360 deg"),
                    turn,
                )
                .only_if("sides", "round"),
                ValueDescription::amount(
                    "back",
                    "And back",
                    Quantity::Angle,
                    [0.0, 360.0],
                    json!(0),
                    "How far round the other way, for a part turn both ways from the profile.",
                )
                .only_if("sides", "round"),
                ValueDescription::choice(
                    "ends",
                    "Ends of a part turn",
                    &[("closed", "Flat faces"), ("open", "Open")],
                    "Flat faces close a part turn where the profile encloses an area.",
                )
                .only_if("sides", "round"),
                ValueDescription::amount(
                    "side_count",
                    "Sides",
                    Quantity::Count,
                    [3.0, 360.0],
                    json!(6),
                    "4 gives a square, 6 a hexagon, 8 an octagon.",
                )
                .only_if("sides", "flat"),
                ValueDescription::choice(
                    "measure",
                    "Profile reaches to",
                    &[("flats", "Flats"), ("corners", "Corners")],
                    "Whether the profile stands at the middle of a side or at a corner.",
                )
                .only_if("sides", "flat"),
                ValueDescription::choice(
                    "outside",
                    "Outside",
                    &[("from_axis", "Away from axis"), ("right_of_profile", "Right of profile")],
                    "Where the outside of an open result is: away from the axis, or to the right of the profile as it is drawn.",
                ),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let axis = self.axis.reference().map(|r| ("axis", r));
        std::iter::once(("profile", &self.profile)).chain(axis).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.turn, &mut self.back, &mut self.side_count]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let (mut curves, source) = self.profile(context)?;
        let axis = self.axis.axis(context, "axis")?;
        let turn = match self.sides {
            Sides::Round => {
                let back = context.value(&self.back, Quantity::Angle, "back")?;
                if back != 0.0 {
                    let start = turned_about(&axis, -back);
                    curves = curves.into_iter().map(|(c, name)| (c.transformed(&start), name)).collect();
                }
                Turn::Round { sweep: context.value(&self.turn, Quantity::Angle, "turn")? + back }
            }
            Sides::Flat => Turn::FlatSided {
                sides: context.value(&self.side_count, Quantity::Count, "side_count")? as usize,
                measure: match self.measure {
                    Measure::Flats => FlatMeasure::Flats,
                    Measure::Corners => FlatMeasure::Corners,
                },
            },
        };
        let capped = self.ends == Ends::Closed;
        let outside = match self.outside {
            Outside::FromAxis => surfacing::Outside::FromAxis,
            Outside::RightOfProfile => surfacing::Outside::RightOfProfile,
        };
        let facing = (outside, context.flip);
        let made = surfacing::revolve(&curves, &axis, turn, capped, facing, &context.tolerance)
            .map_err(|e| self.notice(&e, &source, context))?;
        let mut warnings = Vec::new();
        for off in &made.meridian.off_axis {
            let message = format!(
                "An end of the profile is {} off the axis. A full turn leaves a hole of {} there.",
                format_length(off.distance, context.unit()),
                format_length(2.0 * off.distance, context.unit()),
            );
            warnings.push(Notice {
                message,
                input: Some("profile".into()),
                at: Some(off.at.into()),
                cure: self.put_on_axis(context, &source, off.curve, off.at),
            });
        }
        let mut reached = Vec::new();
        if let Some((radius, at)) = made.smallest_radius {
            reached.push(Reached::length("Smallest radius of the profile", radius).at(at.into()));
        }
        if made.meridian.largest_gap > 0.0 {
            reached.push(Reached::length("Largest gap closed in the profile", made.meridian.largest_gap));
        }
        let built = Built::plain(Shape::Turned(Box::new(made))).with_reached(reached);
        Ok(Built { warnings, ..built })
    }
}
