//! Flat face: the part of a plane inside closed outlines, with their holes.

use geometry::{Frame, NurbsCurve, Point3, Tolerance, flatten};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::ten_mm;
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, PointInput, Quantity, Reference};

/// The part of a plane inside closed outlines.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FlatFace {
    /// What gives its borders.
    #[serde(default, skip_serializing_if = "is_default")]
    pub by: Borders,
    /// For `outlines`: drawings, curves or edges that close; one within another is a hole.
    #[serde(default, skip_serializing_if = "is_default")]
    pub outlines: Vec<Reference>,
    /// For `points`: three points of its plane.
    #[serde(default, skip_serializing_if = "is_default")]
    pub points: Vec<PointInput>,
    /// For `points`: how far it reaches beyond them.
    #[serde(default = "ten_mm")]
    pub margin: Amount,
}

/// What gives a flat face its borders.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Borders {
    /// Closed outlines.
    #[default]
    Outlines,
    /// Three points, round which it is a rectangle.
    Points,
}

impl FlatFace {
    /// The rectangle round three points, its first side along the first two of them.
    fn rectangle(&self, context: &Context<'_>) -> Result<(Vec<NurbsCurve>, Frame), Notice> {
        let points = self.points.iter().map(|p| p.point(context, "points")).collect::<Result<Vec<_>, _>>()?;
        let [a, b, c] = points[..] else {
            return Err(Notice::about("points", "a plane goes through three points; pick three"));
        };
        let frame = Frame::new(a, b - a, c - a).filter(|f| f.coordinates(&c).y > context.tolerance.join);
        let frame = frame.ok_or_else(|| {
            let message =
                "the three points lie in a row, so that no one plane goes through them; move one of them";
            Notice::about("points", message).at(b)
        })?;
        let margin = context.value(&self.margin, Quantity::Length, "margin")?;
        let flat = points.iter().map(|p| frame.flattened(p));
        let (low, high) = flat.fold(([f64::MAX; 2], [f64::MIN; 2]), |(low, high), p| {
            ([low[0].min(p.x), low[1].min(p.y)], [high[0].max(p.x), high[1].max(p.y)])
        });
        let (low, high) = (low.map(|x| x - margin), high.map(|x| x + margin));
        if high[0] - low[0] <= context.tolerance.join || high[1] - low[1] <= context.tolerance.join {
            return Err(Notice::about("margin", "with this margin nothing is left; give more"));
        }
        let corner = |x: f64, y: f64| frame.to_space(x, y);
        let corners = [
            corner(low[0], low[1]),
            corner(high[0], low[1]),
            corner(high[0], high[1]),
            corner(low[0], high[1]),
        ];
        Ok(((0..4).map(|k| NurbsCurve::line(corners[k], corners[(k + 1) % 4])).collect(), frame))
    }

    fn outlined(&self, context: &Context<'_>) -> Result<(Vec<NurbsCurve>, Frame), Notice> {
        let mut curves: Vec<NurbsCurve> = Vec::new();
        let mut frame: Option<Frame> = None;
        for reference in &self.outlines {
            curves.extend(context.pieces(reference, "outlines")?);
            if frame.is_none() {
                frame = context.drawing_frame(reference, "outlines")?;
            }
        }
        let frame = frame.or_else(|| outline_frame(&curves, &context.tolerance)).ok_or_else(|| {
            Notice::about(
                "outlines",
                "these curves lie in no one plane; pick an outline that encloses an area",
            )
        })?;
        Ok((curves, frame))
    }
}

impl Construction for FlatFace {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "flat_face",
            label: "Flat face",
            stage: "Skin",
            purpose: "Fill closed flat outlines, with their holes.",
            also: "plane, planar, fill, lid, cap, outline",
            key: "k",
            makes: &["surface"],
            slots: vec![
                SlotDescription::one(
                    "outlines",
                    "Outlines",
                    &["curve"],
                    "Closed and in one plane; one within another is a hole.",
                )
                .many(1, 100)
                .only_if("by", "outlines"),
                SlotDescription::one("points", "Points", &["point"], "Three points of the plane.")
                    .many(3, 3)
                    .only_if("by", "points"),
            ],
            values: vec![
                ValueDescription::choice(
                    "by",
                    "Borders",
                    &[("outlines", "Outlines"), ("points", "Three points")],
                    "Inside closed outlines, or a rectangle round three points.",
                ),
                ValueDescription::amount(
                    "margin",
                    "Margin",
                    Quantity::Length,
                    [0.0, 1e5],
                    json!("10 mm"),
                    "How far it reaches beyond the points.",
                )
                .only_if("by", "points"),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        match self.by {
            Borders::Outlines => self.outlines.iter().map(|r| ("outlines", r)).collect(),
            Borders::Points => self.points.iter().filter_map(|p| Some(("points", p.reference()?))).collect(),
        }
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let points = self.points.iter_mut().flat_map(PointInput::amounts);
        points.chain([&mut self.margin]).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let (slot, made) = match self.by {
            Borders::Outlines => ("outlines", self.outlined(context)?),
            Borders::Points => ("points", self.rectangle(context)?),
        };
        let body = surfacing::flat(&made.0, &made.1, "face", &context.tolerance)
            .map_err(|e| Notice::refused(slot, &e))?;
        Ok(Built::body(body))
    }
}

/// The plane of the first outline that the curves make.
fn outline_frame(curves: &[NurbsCurve], tolerance: &Tolerance) -> Option<Frame> {
    let runs = surfacing::chains(curves, tolerance);
    let places = runs.first()?.iter().flat_map(|c| flatten(c, tolerance.join));
    Frame::of_outline(&places.map(|(_, p)| p).collect::<Vec<Point3>>())
}
