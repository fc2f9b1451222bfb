//! Loft: a surface through sections.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{LoftEnd, Section};

use super::revolve::Ends;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_one, one};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reference, Shape};

/// How a loft goes from section to section.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Between {
    /// Smoothly.
    #[default]
    Smooth,
    /// Straight from each to the next.
    Straight,
    /// Smoothly, and on from the last to the first.
    Ring,
}

/// How a loft leaves its first or meets its last section.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Meets {
    /// As it comes.
    #[default]
    Free,
    /// Square to the section's plane.
    Square,
}

/// A surface through sections.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Loft {
    /// Drawings, curves or edges in order; the first and the last may be points.
    pub sections: Vec<Reference>,
    /// Sections that run the other way than they would by themselves, counted from 1.
    #[serde(default, skip_serializing_if = "is_default")]
    pub reversed: Vec<usize>,
    /// How it goes from one to the next.
    #[serde(default, skip_serializing_if = "is_default")]
    pub between: Between,
    /// How it leaves the first section.
    #[serde(default, skip_serializing_if = "is_default")]
    pub start: Meets,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub start_pull: Amount,
    /// How it meets the last section.
    #[serde(default, skip_serializing_if = "is_default")]
    pub end: Meets,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub end_pull: Amount,
    /// What happens at the ends of closed sections.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: Ends,
}

impl Loft {
    fn end(&self, context: &Context<'_>, at_end: bool) -> Result<LoftEnd, Notice> {
        let (meets, pull, field) = if at_end {
            (self.end, &self.end_pull, "end_pull")
        } else {
            (self.start, &self.start_pull, "start_pull")
        };
        if meets == Meets::Free {
            return Ok(LoftEnd::Free);
        }
        let reference = if at_end { self.sections.last() } else { self.sections.first() };
        let frame = reference.map(|r| context.drawing_frame(r, "sections")).transpose()?.flatten();
        if frame.is_none() {
            let message =
                "only a drawn section has a plane to be square to; pick a drawing, or leave this end free";
            return Err(Notice::about(if at_end { "end" } else { "start" }, message));
        }
        Ok(LoftEnd::Square(context.pull(pull, field)?))
    }
}

impl Construction for Loft {
    fn describe() -> StepDescription {
        let meets = |name, label| {
            let choices = [("free", "Free"), ("square", "Square to it")];
            let help = "As it comes, or square to the plane of the section.";
            ValueDescription::choice(name, label, &choices, help).only_if("between", "smooth")
        };
        let pull = |name, label, field| {
            let help = "1 for what comes by itself; more keeps the direction longer.";
            ValueDescription::amount(name, label, Quantity::Ratio, [0.001, 100.0], json!(1), help)
                .only_if(field, "square")
        };
        StepDescription {
            kind: "loft",
            label: "Loft",
            stage: "Skin",
            purpose: "Lay a surface through sections in their order.",
            also: "loft, skin, blend sections, hull, fair",
            key: "f",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one(
                    "sections",
                    "Sections",
                    &["curve", "point"],
                    "In order; the first and the last may be points.",
                )
                .many(2, 200)
                .untyped(),
            ],
            values: vec![
                ValueDescription::choice(
                    "between",
                    "Between sections",
                    &[("smooth", "Smooth"), ("straight", "Straight"), ("ring", "Ring")],
                    "Smooth, straight from each to the next, or smooth and on to the first again.",
                ),
                meets("start", "Leaves the first"),
                pull("start_pull", "Pull at the first", "start"),
                meets("end", "Meets the last"),
                pull("end_pull", "Pull at the last", "end"),
                Ends::choice("Whether flat ends close closed sections into a solid."),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.sections.iter().map(|r| ("sections", r)).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.start_pull, &mut self.end_pull]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let section = |(i, reference): (usize, &Reference)| -> Result<Section, Notice> {
            if let Some(point) = context.point_if_any(reference, "sections")? {
                return Ok(Section::Point(point));
            }
            Ok(Section::Curves {
                pieces: context.pieces(reference, "sections")?,
                normal: context.drawing_frame(reference, "sections")?.map(|f| f.z),
                reversed: self.reversed.contains(&(i + 1)),
            })
        };
        let sections = self.sections.iter().enumerate().map(section).collect::<Result<Vec<_>, _>>()?;
        let how = surfacing::Loft {
            ends: [self.end(context, false)?, self.end(context, true)?],
            straight: self.between == Between::Straight,
            ring: self.between == Between::Ring,
            close: self.ends == Ends::Closed,
            name: "side".into(),
        };
        let body = surfacing::loft(&sections, &how, &context.tolerance)
            .map_err(|e| Notice::refused("sections", &e))?;
        Ok(Built::plain(Shape::Body(body)))
    }
}
