//! Remove faces: faces taken away from a shape, left open or healed by their neighbours.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::{SurfacingError, healed, without_faces};
use topology::{Body, Shell};

use crate::inputs::Marked;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Reference, Shape};

/// What becomes of the place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Left {
    /// The faces beside it grow until they meet.
    #[default]
    Healed,
    /// It stays open.
    Open,
}

/// A shape without some of its faces.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RemoveFaces {
    /// The faces, all of one shape.
    pub faces: Vec<Reference>,
    /// What becomes of the place.
    #[serde(default, skip_serializing_if = "is_default")]
    pub left: Left,
}

impl Construction for RemoveFaces {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "remove_faces",
            label: "Remove faces",
            stage: "Shape",
            purpose: "Take faces away from a shape; the faces beside them close the place, or it stays open.",
            also: "delete face, heal, close hole, simplify, defeature, open",
            key: "D",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one("faces", "Faces", &["surface", "solid"], "Faces of one shape.")
                    .many(1, 200)
                    .faces()
                    .uncovers(),
            ],
            values: vec![ValueDescription::choice(
                "left",
                "The place",
                &[("healed", "Heals"), ("open", "Stays open")],
                "Whether the faces beside it grow until they meet.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.faces.iter().map(|r| ("faces", r)).collect()
    }

    fn replaces(&self, slot: &str) -> bool {
        slot == "faces"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let refused = |e: SurfacingError| match e {
            SurfacingError::Empty => Notice::about("faces", "no face would be left; let one stay"),
            e => Notice::refused("faces", &e),
        };
        let mut bodies = Vec::new();
        for Marked { body, faces } in context.bodies_with_faces(&self.faces, "faces")? {
            let mut whole = Shell::empty();
            for (shell, gone) in body.shells().into_iter().zip(&faces) {
                let made = match self.left {
                    _ if gone.is_empty() => shell.clone(),
                    // A void that goes altogether is filled.
                    Left::Healed if gone.len() == shell.faces().len() => continue,
                    Left::Healed => healed(shell, gone, &context.tolerance).map_err(refused)?,
                    Left::Open => without_faces(shell, gone).map_err(refused)?.0,
                };
                whole = whole.beside(&made);
            }
            if whole.faces().is_empty() {
                return Err(refused(SurfacingError::Empty));
            }
            bodies.push(Body::from_shell(whole));
        }
        Ok(Built::plain(Shape::Bodies(bodies)))
    }
}
