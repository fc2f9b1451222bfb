//! Enclose: solids from the spaces that surfaces, shells, solids and planes shut in together.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use topology::Body;

use super::cutters::{Member, StandsFor, Together, gone, numbered};
use super::{Construction, Context, SlotDescription, StepDescription};
use crate::quantity::format_length;
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, PieceShape, PlaneInput, Quantity, Reached, Reference, Shape};

/// Solids from spaces that shapes shut in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Enclose {
    /// What shuts the spaces in: surfaces, shells, solids, planes.
    pub shapes: Vec<PlaneInput>,
    /// Names of the chosen spaces, by the sides on which they lie; with none all of them.
    #[serde(default, skip_serializing_if = "is_default")]
    pub pieces: Vec<String>,
}

/// Spaces that members shut in, each as solids with its name, those inside the material of solids left out.
pub(super) fn spaces(together: &Together) -> Result<Vec<(String, Body)>, Notice> {
    let Together { made, cells, insides, .. } = together;
    let mut out = Vec::new();
    for space in (1..insides.len()).filter(|&s| insides[s].is_empty()) {
        let wanted: Vec<bool> = (0..insides.len()).map(|s| s == space).collect();
        let solids = made.solids(cells, &wanted).map_err(|e| Notice::refused("shapes", &e.into()))?.solids;
        let name = together.name("space", made.sides_of(cells, &[space]).iter());
        out.extend(solids.into_iter().map(|s| (name.clone(), Body::Solid(s))));
    }
    Ok(numbered(out))
}

/// Where members that shut in nothing leak.
pub(super) fn leak(together: &Together, slot: &str, context: &Context<'_>) -> Notice {
    let leaks = together.made.leaks(&|i| together.members[i].stands_for == StandsFor::Plane);
    let Some(first) = leaks.first() else {
        return Notice::about(slot, "these shut in no space; pick all that bounds it");
    };
    let length = format_length(first.length, context.unit());
    let message = format!(
        "nothing is shut in: it leaks over this edge, {length} long, and {} more; close it with a surface, extend one, or join them first",
        leaks.len() - 1
    );
    Notice::about(slot, message).at(first.middle)
}

impl Construction for Enclose {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "enclose",
            label: "Enclose",
            stage: "Close",
            purpose: "Make solids of the spaces that surfaces, shells and planes shut in.",
            also: "solid from surfaces, fill, volume, create solid, close, cells",
            key: "e",
            makes: &["solid"],
            slots: vec![
                SlotDescription::one(
                    "shapes",
                    "Bounds",
                    &["surface", "solid", "plane"],
                    "All that shuts the spaces in; nothing needs to be trimmed before.",
                )
                .many(1, 200),
                SlotDescription::one(
                    "pieces",
                    "Spaces",
                    &["piece"],
                    "Click the spaces that become solids; with none all of them do.",
                )
                .many(0, 500),
            ],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.shapes.iter().filter_map(|p| Some(("shapes", p.reference()?))).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let members: Vec<Member> = context.cutters(&self.shapes, "shapes", &[])?;
        let together = Together::new(members, &context.tolerance)?;
        let found = spaces(&together)?;
        if found.is_empty() {
            return Err(leak(&together, "shapes", context));
        }
        let shown: Vec<PieceShape> = found
            .into_iter()
            .map(|(key, body)| PieceShape {
                kept: self.pieces.is_empty() || self.pieces.contains(&key),
                key,
                body,
            })
            .collect();
        let bodies: Vec<Body> = shown.iter().filter(|p| p.kept).map(|p| p.body.clone()).collect();
        let missing = gone(&self.pieces, &shown, context);
        if bodies.is_empty() {
            return Err(
                missing.unwrap_or_else(|| Notice::about("pieces", "click a space to make it a solid"))
            );
        }
        let count =
            Reached { quantity: Quantity::Count, ..Reached::length("Spaces found", shown.len() as f64) };
        let mut built = Built::plain(Shape::Bodies(bodies)).with_reached([count]);
        built.warnings.extend(missing);
        built.pieces = shown;
        Ok(built)
    }
}
