//! What the steps that make walls have in common: faces with a thickness of their own, and how it changes to that of the others.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::Change;

use super::{Context, SlotDescription, ValueDescription};
use crate::{Amount, Notice, Quantity};

/// How the thickness changes between faces that meet smoothly.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Transition {
    /// At once, where they meet.
    #[default]
    Step,
    /// Evenly, over a width of the thinner side.
    Ramp,
}

impl Transition {
    /// The change that it stands for, with the width of a ramp.
    pub(super) fn over(self, context: &Context<'_>, ramp: &Amount) -> Result<Change, Notice> {
        match self {
            Self::Step => Ok(Change::Step),
            Self::Ramp => Ok(Change::Ramp(context.value(ramp, Quantity::Length, "ramp")?)),
        }
    }
}

/// The faces, of shapes of these kinds.
pub(super) fn slot(kinds: &'static [&'static str]) -> SlotDescription {
    let help = "Faces with a thickness of their own.";
    SlotDescription::one("other_faces", "Other thickness", kinds, help).many(0, 100).faces().uncovers()
}

/// Their thickness, and what comes between.
pub(super) fn values() -> [ValueDescription; 3] {
    [
        ValueDescription::amount(
            "other_thickness",
            "Under those",
            Quantity::Length,
            [0.001, 1000.0],
            json!("2 mm"),
            "How thick the wall is under the faces with a thickness of their own.",
        )
        .only_if("other_faces", "filled"),
        ValueDescription::choice(
            "between",
            "Between them",
            &[("step", "A step"), ("ramp", "A ramp")],
            "How the thickness changes where faces go on smoothly: at once, or evenly over a width of the thinner side.",
        )
        .only_if("other_faces", "filled"),
        ValueDescription::amount(
            "ramp",
            "Ramp",
            Quantity::Length,
            [0.001, 1000.0],
            json!("5 mm"),
            "How wide the ramp is, along the thinner side and square to where the faces meet.",
        )
        .only_if("between", "ramp"),
    ]
}
