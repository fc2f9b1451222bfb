//! Restore: faces taken from a body as surfaces, as they are or without what was cut from them.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use topology::{Body, Face, Shell, natural_shell};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference, Shape};

/// How far a face is restored.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum How {
    /// All of the surface, to its natural edges.
    #[default]
    Natural,
    /// Its inner openings filled, the outer edge as it is.
    Openings,
    /// As it is.
    AsIs,
}

/// Faces as surfaces of their own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Restore {
    /// Surfaces, solids or single faces.
    pub faces: Vec<Reference>,
    /// How far.
    #[serde(default, skip_serializing_if = "is_default")]
    pub how: How,
}

impl Construction for Restore {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "restore",
            label: "Restore",
            stage: "Shape",
            purpose: "Take faces as surfaces: to their natural edges, with openings filled, or as they are.",
            also: "untrim, fill hole, take face, extract, natural edges",
            key: "U",
            makes: &["surface"],
            slots: vec![
                SlotDescription::one(
                    "faces",
                    "Faces",
                    &["surface", "solid"],
                    "Single faces, or all of a body.",
                )
                .many(1, 200)
                .faces(),
            ],
            values: vec![ValueDescription::choice(
                "how",
                "How far",
                &[
                    ("natural", "To the natural edges"),
                    ("openings", "Inner openings filled"),
                    ("as_is", "As they are"),
                ],
                "What was cut from them comes back, or not.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.faces.iter().map(|r| ("faces", r)).collect()
    }

    fn keeps(&self, _: &str) -> bool {
        true
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let refused = |e: topology::TopologyError| Notice::refused("faces", &e.into());
        let (mut bodies, mut filled) = (Vec::new(), 0);
        for reference in &self.faces {
            for member in context.members(reference, "faces")? {
                let shell = member.shell;
                if self.how == How::Natural {
                    for face in shell.faces() {
                        let whole = natural_shell(face.surface.clone(), &face.role, &context.tolerance);
                        let whole = whole.map_err(refused)?;
                        bodies.push(Body::Shell(if face.reversed { whole.flipped() } else { whole }));
                    }
                    continue;
                }
                let outer = |face: &Face| {
                    let kept = if self.how == How::Openings { 1 } else { face.loops.len() };
                    Face { loops: face.loops[..kept].to_vec(), ..face.clone() }
                };
                let faces: Vec<Face> = shell.faces().iter().map(outer).collect();
                let loops = |faces: &[Face]| faces.iter().map(|f| f.loops.len()).sum::<usize>();
                filled += loops(shell.faces()) - loops(&faces);
                let made = Shell::of_used(shell.vertices(), shell.edges(), faces).map_err(refused)?;
                // A closed one stays a shell too: its faces are wanted, not what they shut in.
                bodies.push(Body::Shell(made));
            }
        }
        let mut built = Built::plain(Shape::Bodies(bodies));
        if self.how == How::Openings {
            let count =
                Reached { quantity: Quantity::Count, ..Reached::length("Openings filled", filled as f64) };
            built = built.with_reached([count]);
            if filled == 0 {
                built
                    .warnings
                    .push(Notice::about("faces", "these faces have no inner opening; they stay as they are"));
            }
        }
        Ok(built)
    }
}
