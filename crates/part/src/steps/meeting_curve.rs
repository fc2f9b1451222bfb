//! Meeting curve: where two surfaces meet.

use geometry::surface_meetings;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Construction, Context, SlotDescription, StepDescription};
use crate::{Amount, Built, Notice, Reference};

/// Where two surfaces meet.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MeetingCurve {
    /// A surface, a solid or one of its faces.
    pub first: Reference,
    /// Another one.
    pub second: Reference,
}

impl Construction for MeetingCurve {
    fn describe() -> StepDescription {
        let slot = |name, label| {
            SlotDescription::one(
                name,
                label,
                &["surface", "solid"],
                "A surface, a solid, or one of its faces.",
            )
            .faces()
        };
        StepDescription {
            kind: "meeting_curve",
            label: "Meeting curve",
            stage: "Draw",
            purpose: "Take the curve in which two surfaces meet.",
            also: "intersection of surfaces, meet, cross",
            key: "i",
            makes: &["curve"],
            slots: vec![slot("first", "Surface"), slot("second", "Other surface")],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("first", &self.first), ("second", &self.second)]
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let mut found = Vec::new();
        let seconds = context.surfaces(&self.second, "second")?;
        for a in context.surfaces(&self.first, "first")? {
            for b in &seconds {
                let meet = surface_meetings(a, b, &context.tolerance);
                found.extend(meet.map_err(|e| Notice::refused("first", &e.into()))?);
            }
        }
        Built::chained(found, &context.tolerance).ok_or_else(|| {
            Notice::about("second", "these surfaces do not meet; move one of them, or pick another")
        })
    }
}
