//! Point: a place that other steps can use.

use std::borrow::Cow;

use geometry::{Point3, plane_crossings};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{half, one, zero};
use crate::recipe::is_default;
use crate::{Amount, Built, CurveShape, Notice, PlaneInput, PointInput, Quantity, Reference, Shape};

/// How a point is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum PointWay {
    /// By its coordinates.
    #[default]
    Typed,
    /// On a curve, at a share of its length.
    AtShare,
    /// On a curve, at a length from its start.
    AtLength,
    /// Where a curve meets a plane.
    CurveAndPlane,
    /// Midway between two points.
    Midway,
}

/// A point.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Point {
    /// How it is found.
    #[serde(default)]
    pub way: PointWay,
    /// For `typed`.
    #[serde(default = "zero")]
    pub x: Amount,
    /// For `typed`.
    #[serde(default = "zero")]
    pub y: Amount,
    /// For `typed`.
    #[serde(default = "zero")]
    pub z: Amount,
    /// The curve that it lies on.
    #[serde(default, skip_serializing_if = "is_default")]
    pub curve: Option<Reference>,
    /// For `at_share`: 0 to 1.
    #[serde(default = "half")]
    pub share: Amount,
    /// For `at_length`.
    #[serde(default = "zero")]
    pub length: Amount,
    /// For `curve_and_plane`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub plane: PlaneInput,
    /// For `curve_and_plane`: which of several meetings, counted along the curve from 1.
    #[serde(default = "one")]
    pub which: Amount,
    /// For `midway`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub points: Vec<PointInput>,
}

impl Point {
    fn curve<'a>(&self, context: &'a Context<'_>) -> Result<Cow<'a, CurveShape>, Notice> {
        let curve =
            self.curve.as_ref().ok_or_else(|| Notice::about("curve", "pick the curve that it lies on"))?;
        Ok(context.curves(curve, "curve")?.swap_remove(0))
    }

    fn place(&self, context: &Context<'_>) -> Result<Point3, Notice> {
        match self.way {
            PointWay::Typed => {
                let [x, y, z] = [(&self.x, "x"), (&self.y, "y"), (&self.z, "z")];
                let value = |(a, name): (&Amount, &str)| context.value(a, Quantity::Length, name);
                Ok(Point3::new(value(x)?, value(y)?, value(z)?))
            }
            PointWay::AtShare => {
                let share = context.value(&self.share, Quantity::Ratio, "share")?;
                if !(0.0..=1.0).contains(&share) {
                    return Err(Notice::about(
                        "share",
                        format!("{share} is no share of a curve; give 0 to 1"),
                    ));
                }
                let curve = self.curve(context)?;
                let (piece, t) = curve.at_share(share);
                Ok(piece.point(t))
            }
            PointWay::AtLength => {
                let length = context.value(&self.length, Quantity::Length, "length")?;
                let curve = self.curve(context)?;
                let whole = curve.length();
                if !(0.0..=whole).contains(&length) {
                    let message = format!("{} is {whole:.3} mm long; give a length from 0 to that", curve.id);
                    return Err(Notice::about("length", message).at(curve.end()));
                }
                let (piece, t) = curve.at_share(length / whole);
                Ok(piece.point(t))
            }
            PointWay::CurveAndPlane => {
                let frame = self.plane.frame(context, "plane")?;
                let which = context.value(&self.which, Quantity::Count, "which")? as usize;
                let curve = self.curve(context)?;
                let meetings: Vec<Point3> = curve
                    .pieces
                    .iter()
                    .flat_map(|piece| plane_crossings(piece, &frame, context.tolerance.resolution))
                    .map(|(_, p)| p)
                    .collect();
                which.checked_sub(1).and_then(|k| meetings.get(k)).copied().ok_or_else(|| {
                    let count = meetings.len();
                    let message = format!(
                        "{} meets the plane {count} times; choose one of those, or move one of the two",
                        curve.id
                    );
                    Notice::about("which", message).at(curve.start())
                })
            }
            PointWay::Midway => {
                let [a, b] = &self.points[..] else {
                    return Err(Notice::about(
                        "points",
                        "it lies midway between two points; pick or type both",
                    ));
                };
                Ok(nalgebra::center(&a.point(context, "points")?, &b.point(context, "points")?))
            }
        }
    }
}

impl Construction for Point {
    fn describe() -> StepDescription {
        let coordinate = |name, label| {
            ValueDescription::amount(
                name,
                label,
                Quantity::Length,
                [-1e6, 1e6],
                json!(0),
                "Coordinate in space.",
            )
            .only_if("way", "typed")
        };
        let curve = |value| {
            SlotDescription::one("curve", "Curve", &["curve"], "The curve that it lies on.")
                .only_if("way", value)
        };
        StepDescription {
            kind: "point",
            label: "Point",
            stage: "Draw",
            purpose: "Make a point that other steps can use.",
            also: "point, place, midpoint, meeting, on curve",
            key: "q",
            makes: &["point"],
            slots: vec![
                curve("at_share"),
                curve("at_length"),
                curve("curve_and_plane"),
                SlotDescription::one("plane", "Plane", &["plane"], "The plane that the curve meets.")
                    .only_if("way", "curve_and_plane"),
                SlotDescription::one("points", "Between", &["point"], "The two points.")
                    .many(2, 2)
                    .only_if("way", "midway"),
            ],
            values: vec![
                ValueDescription::choice(
                    "way",
                    "How",
                    &[
                        ("typed", "By coordinates"),
                        ("at_share", "On a curve, by ratio"),
                        ("at_length", "On a curve, by length"),
                        ("curve_and_plane", "Where a curve meets a plane"),
                        ("midway", "Midway between two"),
                    ],
                    "What the point is found by.",
                ),
                coordinate("x", "X"),
                coordinate("y", "Y"),
                coordinate("z", "Z"),
                ValueDescription::amount(
                    "share",
                    "Ratio",
                    Quantity::Ratio,
                    [0.0, 1.0],
                    json!(0.5),
                    "The share of the curve's length, 0 to 1.",
                )
                .only_if("way", "at_share"),
                ValueDescription::amount(
                    "length",
                    "Length from its start",
                    Quantity::Length,
                    [0.0, 1e6],
                    json!("10 mm"),
                    "Measured along the curve.",
                )
                .only_if("way", "at_length"),
                ValueDescription::amount(
                    "which",
                    "Which meeting",
                    Quantity::Count,
                    [1.0, 100.0],
                    json!(1),
                    "Counted along the curve.",
                )
                .only_if("way", "curve_and_plane"),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let curve = self.curve.as_ref().map(|r| ("curve", r));
        match self.way {
            PointWay::Typed => vec![],
            PointWay::AtShare | PointWay::AtLength => curve.into_iter().collect(),
            PointWay::CurveAndPlane => {
                curve.into_iter().chain(self.plane.reference().map(|r| ("plane", r))).collect()
            }
            PointWay::Midway => self.points.iter().filter_map(|p| Some(("points", p.reference()?))).collect(),
        }
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let own = [&mut self.x, &mut self.y, &mut self.z, &mut self.share, &mut self.length, &mut self.which];
        own.into_iter().chain(self.points.iter_mut().flat_map(PointInput::amounts)).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        Ok(Built::plain(Shape::Point(self.place(context)?)))
    }
}
