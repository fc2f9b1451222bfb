//! Flat face: the part of a plane inside closed outlines, with their holes.

use geometry::{Frame, NurbsCurve, Point3, Tolerance, flatten};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Construction, Context, SlotDescription, StepDescription};
use crate::{Amount, Built, Notice, Reference, Shape};

/// The part of a plane inside closed outlines.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FlatFace {
    /// Drawings, curves or edges that close; one within another is a hole.
    pub outlines: Vec<Reference>,
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
                .many(1, 100),
            ],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.outlines.iter().map(|r| ("outlines", r)).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
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
        let body = surfacing::flat(&curves, &frame, "face", &context.tolerance)
            .map_err(|e| Notice::refused("outlines", &e))?;
        Ok(Built::plain(Shape::Body(body)))
    }
}

/// The plane of the first outline that the curves make.
fn outline_frame(curves: &[NurbsCurve], tolerance: &Tolerance) -> Option<Frame> {
    let runs = surfacing::chains(curves, tolerance);
    let places = runs.first()?.iter().flat_map(|c| flatten(c, tolerance.join));
    Frame::of_outline(&places.map(|(_, p)| p).collect::<Vec<Point3>>())
}
