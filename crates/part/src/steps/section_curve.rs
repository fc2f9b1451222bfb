//! Section curve: where a plane meets a surface.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::SurfacingError;

use super::projected_curve::surfaces;
use super::{Construction, Context, SlotDescription, StepDescription};
use crate::{Amount, Built, CurveShape, Notice, PlaneInput, Reference};

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
                    "The surface or solid that is cut.",
                ),
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
        let mut curves = Vec::new();
        let mut deviation: f64 = 0.0;
        for surface in surfaces(context, &self.surface, "surface")? {
            match surfacing::section_curve(surface, &frame, &context.tolerance) {
                Ok(found) => {
                    for fitted in found {
                        deviation = deviation.max(fitted.max_deviation);
                        let id = format!("curve {}", curves.len() + 1);
                        curves.push(CurveShape::in_space(&id, vec![fitted.curve]));
                    }
                }
                // Other faces may still meet it.
                Err(SurfacingError::NoMeeting { .. }) => {}
                Err(e) => return Err(Notice::refused("surface", &e)),
            }
        }
        if curves.is_empty() {
            let message = "the plane does not meet the surface; move one of them";
            return Err(Notice::about("plane", message).at(frame.origin));
        }
        Ok(Built::curves(curves, Some(deviation)))
    }
}
