//! Meeting curve: where surfaces, shells, solids and planes meet.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Construction, Context, SlotDescription, StepDescription};
use crate::{Amount, Built, Notice, PlaneInput, Reference};

/// Where two surfaces meet.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MeetingCurve {
    /// A surface, a solid or one of its faces.
    pub first: Reference,
    /// Another one, or a plane.
    pub second: PlaneInput,
}

impl Construction for MeetingCurve {
    fn describe() -> StepDescription {
        let one = |name, label, takes, help| SlotDescription::one(name, label, takes, help).faces();
        StepDescription {
            kind: "meeting_curve",
            label: "Meeting curve",
            stage: "Draw",
            purpose: "Take the curve in which two surfaces meet.",
            also: "intersection of surfaces, meet, cross",
            key: "i",
            makes: &["curve"],
            slots: vec![
                one("first", "Surface", &["surface", "solid"], "A surface, a solid, or one of its faces."),
                SlotDescription {
                    main: Vec::new(),
                    ..one("second", "Other", &["surface", "solid", "plane"], "Another one, or a plane.")
                },
            ],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let second = self.second.reference().map(|r| ("second", r));
        std::iter::once(("first", &self.first)).chain(second).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let mut members = context.members(&self.first, "first")?;
        let count = members.len();
        members.extend(context.cutters(std::slice::from_ref(&self.second), "second", &members)?);
        let found = context.common_curves(&members, count)?;
        Built::chained(found, &context.tolerance).ok_or_else(|| {
            Notice::about("second", "these surfaces do not meet; move one of them, or pick another")
        })
    }
}
