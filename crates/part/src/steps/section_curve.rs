//! Section curve: where a plane meets a surface.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Construction, Context, SlotDescription, StepDescription};
use crate::{Amount, Built, Notice, PlaneInput, Reference};

/// Where a plane meets a surface.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SectionCurve {
    /// The surface or solid.
    pub surface: Reference,
    /// The plane.
    #[serde(default)]
    pub plane: PlaneInput,
}

impl Construction for SectionCurve {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "section_curve",
            label: "Section curve",
            stage: "Draw",
            purpose: "Take the curve in which a plane meets a surface.",
            also: "section, intersect, slice, contour, meeting curve",
            key: "n",
            makes: &["curve"],
            slots: vec![
                SlotDescription::one(
                    "surface",
                    "Surface",
                    &["surface", "solid"],
                    "The surface or solid that is cut, or one of its faces.",
                )
                .faces(),
                SlotDescription::one("plane", "Plane", &["plane"], "The plane that cuts it."),
            ],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let plane = self.plane.reference().map(|r| ("plane", r));
        std::iter::once(("surface", &self.surface)).chain(plane).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let frame = self.plane.frame(context, "plane")?;
        let mut members = context.members(&self.surface, "surface")?;
        let count = members.len();
        let cut: Vec<_> = members.iter().collect();
        let plane = context.plane_member(&frame, "the plane".into(), "plane", &cut)?;
        members.push(plane);
        let found = context.common_curves(&members, count)?;
        Built::chained(found, &context.tolerance).ok_or_else(|| {
            let message = "the plane does not meet the surface; move one of them";
            Notice::about("plane", message).at(frame.origin)
        })
    }
}
