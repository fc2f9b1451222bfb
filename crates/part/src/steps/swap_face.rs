//! Swap face: another surface in the place of a face.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::swapped;
use topology::{Body, Shell};

use crate::inputs::Marked;

use super::{Construction, Context, SlotDescription, StepDescription};
use crate::{Amount, Built, Notice, Reference, Shape};

/// A shape with another surface in the place of one of its faces.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SwapFace {
    /// The face.
    pub face: Reference,
    /// The surface that takes its place.
    pub by: Reference,
}

impl Construction for SwapFace {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "swap_face",
            label: "Swap face",
            stage: "Close",
            purpose: "Put another surface in the place of a face; the faces beside it grow or are cut to fit.",
            also: "replace face, exchange, substitute surface",
            key: "W",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one("face", "Face", &["solid", "surface"], "The face that goes.")
                    .one_face()
                    .uncovers(),
                SlotDescription::one("by", "By", &["surface", "solid"], "The surface that takes its place.")
                    .one_face(),
            ],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("face", &self.face), ("by", &self.by)]
    }

    fn replaces(&self, slot: &str) -> bool {
        slot == "face"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let others = context.members(&self.by, "by")?;
        let [other] = &others[..] else {
            return Err(Notice::about("by", "these are several bodies; pick one face"));
        };
        if other.shell.faces().len() != 1 {
            return Err(Notice::about("by", "this has several faces; pick one of them in space"));
        }
        let (mut bodies, mut count) = (Vec::new(), 0);
        for Marked { body, faces: marked } in
            context.bodies_with_faces(std::slice::from_ref(&self.face), "face")?
        {
            let mut whole = Shell::empty();
            for (shell, faces) in body.shells().into_iter().zip(&marked) {
                count += faces.len();
                let made = match faces.iter().next() {
                    None => shell.clone(),
                    Some(face) => swapped(shell, *face, &other.shell, &context.tolerance)
                        .map_err(|e| Notice::refused("by", &e))?,
                };
                whole = whole.beside(&made);
            }
            bodies.push(Body::from_shell(whole));
        }
        if count != 1 {
            return Err(Notice::about("face", "pick a single face in space"));
        }
        Ok(Built::plain(Shape::Bodies(bodies)))
    }
}
