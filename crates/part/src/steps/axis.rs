//! Axis: a straight line without ends, to turn about or to measure from.

use geometry::{Axis as Line, Point3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, PlaneInput, PointInput, Reference, Shape};

/// How an axis is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum AxisWay {
    /// Through two points.
    #[default]
    TwoPoints,
    /// Where two planes meet.
    TwoPlanes,
    /// What a surface was turned about.
    OfRevolution,
    /// Along a straight curve.
    StraightCurve,
}

/// An axis.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Axis {
    /// How it is found.
    #[serde(default)]
    pub way: AxisWay,
    /// For `two_points`: from the first to the second.
    #[serde(default, skip_serializing_if = "is_default")]
    pub points: Vec<PointInput>,
    /// For `two_planes`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub planes: Vec<PlaneInput>,
    /// For `of_revolution`: the turned surface.
    #[serde(default, skip_serializing_if = "is_default")]
    pub surface: Option<Reference>,
    /// For `straight_curve`: the line.
    #[serde(default, skip_serializing_if = "is_default")]
    pub curve: Option<Reference>,
}

impl Axis {
    fn line(&self, context: &Context<'_>) -> Result<Line, Notice> {
        match self.way {
            AxisWay::TwoPoints => {
                let [a, b] = &self.points[..] else {
                    return Err(Notice::about(
                        "points",
                        "an axis goes through two points; pick or type both",
                    ));
                };
                let (a, b) = (a.point(context, "points")?, b.point(context, "points")?);
                let far = (b - a).norm() > context.tolerance.resolution;
                Line::new(a, b - a).filter(|_| far).ok_or_else(|| {
                    Notice::about("points", "both points are one place; move one of them").at(a)
                })
            }
            AxisWay::TwoPlanes => {
                let [a, b] = &self.planes[..] else {
                    return Err(Notice::about("planes", "an axis is where two planes meet; pick both"));
                };
                let (a, b) = (a.frame(context, "planes")?, b.frame(context, "planes")?);
                let along = a.z.cross(&b.z);
                if along.norm() < 1e-9 {
                    return Err(Notice::about(
                        "planes",
                        "these planes are parallel and never meet; pick two others",
                    ));
                }
                // The place on both planes that is nearest to the origin.
                let (ha, hb) = (a.origin.coords.dot(&a.z), b.origin.coords.dot(&b.z));
                let at = (b.z.cross(&along) * ha + along.cross(&a.z) * hb) / along.norm_squared();
                Line::new(Point3::from(at), along)
                    .ok_or_else(|| Notice::about("planes", "these planes do not meet"))
            }
            AxisWay::OfRevolution => {
                let surface =
                    self.surface.as_ref().ok_or_else(|| Notice::about("surface", "pick a turned surface"))?;
                let Shape::Turned(turned) = &context.input(surface, "surface")?.shape else {
                    return Err(Notice::about(
                        "surface",
                        "this surface was not turned, so that it has no axis of its own; pick a revolve step",
                    ));
                };
                let frame = turned.meridian.frame;
                Line::new(frame.origin, frame.y)
                    .ok_or_else(|| Notice::about("surface", "this surface has no axis"))
            }
            AxisWay::StraightCurve => {
                let curve =
                    self.curve.as_ref().ok_or_else(|| Notice::about("curve", "pick a straight line"))?;
                context.straight(curve, "curve")
            }
        }
    }
}

impl Construction for Axis {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "axis",
            label: "Axis",
            stage: "Draw",
            purpose: "Make an axis to turn about.",
            also: "axis, centre line, two points, meeting of planes",
            key: "x",
            makes: &["axis"],
            slots: vec![
                SlotDescription::one("points", "Points", &["point"], "From the first to the second.")
                    .many(2, 2)
                    .only_if("way", "two_points"),
                SlotDescription::one("planes", "Planes", &["plane"], "The two planes that meet.")
                    .many(2, 2)
                    .only_if("way", "two_planes"),
                SlotDescription::one(
                    "surface",
                    "Turned surface",
                    &["surface", "solid"],
                    "The surface whose axis is taken.",
                )
                .only_if("way", "of_revolution"),
                SlotDescription::one("curve", "Straight line", &["curve"], "The line that it runs along.")
                    .only_if("way", "straight_curve"),
            ],
            values: vec![ValueDescription::choice(
                "way",
                "How",
                &[
                    ("two_points", "Through two points"),
                    ("two_planes", "Where two planes meet"),
                    ("of_revolution", "Of a turned surface"),
                    ("straight_curve", "Along a straight line"),
                ],
                "What the axis is found by.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        match self.way {
            AxisWay::TwoPoints => {
                self.points.iter().filter_map(|p| Some(("points", p.reference()?))).collect()
            }
            AxisWay::TwoPlanes => {
                self.planes.iter().filter_map(|p| Some(("planes", p.reference()?))).collect()
            }
            AxisWay::OfRevolution => self.surface.as_ref().map(|r| ("surface", r)).into_iter().collect(),
            AxisWay::StraightCurve => self.curve.as_ref().map(|r| ("curve", r)).into_iter().collect(),
        }
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        self.points.iter_mut().flat_map(PointInput::amounts).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        Ok(Built::plain(Shape::Axis(self.line(context)?)))
    }
}
