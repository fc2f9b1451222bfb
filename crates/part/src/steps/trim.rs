//! Trim: shapes cut by others, and the pieces kept or taken away that are chosen.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use topology::Body;

use super::cutters::{Member, Together, gone, numbered};
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, PieceShape, PlaneInput, Quantity, Reached, Reference, Shape};

/// What is done with the chosen pieces.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Chosen {
    /// They go.
    #[default]
    Removed,
    /// They stay, the others go.
    Kept,
}

/// Shapes cut by others, of which some pieces go.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Trim {
    /// What is cut.
    pub surfaces: Vec<Reference>,
    /// What cuts: surfaces, solids, planes, curves that lie on them, drawings; with none the surfaces cut each other.
    #[serde(default, skip_serializing_if = "is_default")]
    pub by: Vec<PlaneInput>,
    /// What is done with the chosen pieces.
    #[serde(default, skip_serializing_if = "is_default")]
    pub chosen: Chosen,
    /// Names of the chosen pieces, by the sides on which they lie.
    #[serde(default, skip_serializing_if = "is_default")]
    pub pieces: Vec<String>,
}

/// Shapes cut into pieces, all of which stay.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Split {
    /// What is cut.
    pub surfaces: Vec<Reference>,
    /// What cuts: surfaces, solids, planes, curves that lie on them, drawings; with none the surfaces cut each other.
    #[serde(default, skip_serializing_if = "is_default")]
    pub by: Vec<PlaneInput>,
}

fn slots() -> Vec<SlotDescription> {
    vec![
        SlotDescription::one("surfaces", "Cut", &["surface", "solid"], "Surfaces and solids that are cut.")
            .many(1, 100),
        SlotDescription::one(
            "by",
            "By",
            &["plane", "surface", "solid", "curve"],
            "What cuts them: surfaces, solids, planes, curves that lie on them, or drawings, which cut square to their plane. With none they cut each other.",
        )
        .many(0, 100),
    ]
}

fn inputs<'a>(cut: &'a [Reference], by: &'a [PlaneInput]) -> Vec<(&'static str, &'a Reference)> {
    let by = by.iter().filter_map(|p| Some(("by", p.reference()?)));
    cut.iter().map(|r| ("surfaces", r)).chain(by).collect()
}

/// Shapes and their pieces.
struct Cut {
    together: Together,
    pieces: Vec<(String, topology::Piece)>,
    warnings: Vec<Notice>,
}

fn cut(context: &Context<'_>, surfaces: &[Reference], by: &[PlaneInput]) -> Result<Cut, Notice> {
    let mut members: Vec<Member> = Vec::new();
    for reference in surfaces {
        members.extend(context.members(reference, "surfaces")?);
    }
    let count = members.len();
    if by.is_empty() && count < 2 {
        return Err(Notice::about(
            "by",
            "pick what cuts it, or a second surface so that they cut each other",
        ));
    }
    members.extend(context.cutters(by, "by", &members)?);
    let together = Together::new(members, &context.tolerance)?;
    let mut pieces = Vec::new();
    let mut warnings = Vec::new();
    for of in 0..count {
        let cuts = |i: usize| i != of && (by.is_empty() || i >= count);
        let own = together.pieces(of, &cuts)?;
        if own.len() < 2 {
            let name = context.recipe.spoken(&together.members[of].name);
            let end = together.made.loose_ends.iter().find(|r| r.inputs.contains(&of));
            let message = match end {
                Some(_) => format!("nothing cuts through {name}: what cuts it ends here; extend it"),
                None => format!("nothing meets {name}; it stays whole"),
            };
            let notice = Notice::about("by", message).at(end.map(|r| r.at));
            if count == 1 {
                return Err(notice);
            }
            warnings.push(notice);
        }
        pieces.extend(own);
    }
    Ok(Cut { together, pieces: numbered(pieces), warnings })
}

fn counted(count: usize) -> Reached {
    Reached { quantity: Quantity::Count, ..Reached::length("Pieces", count as f64) }
}

impl Construction for Trim {
    fn describe() -> StepDescription {
        let mut slots = slots();
        slots.push(
            SlotDescription::one(
                "pieces",
                "Pieces",
                &["piece"],
                "Click the pieces in space; click one again to let it be.",
            )
            .many(0, 500),
        );
        StepDescription {
            kind: "trim",
            label: "Trim",
            stage: "Shape",
            purpose: "Cut shapes by others or by each other, and take pieces away.",
            also: "cut, trim, remove part, clip, slice",
            key: "T",
            makes: &["surface", "solid"],
            slots,
            values: vec![ValueDescription::choice(
                "chosen",
                "Chosen pieces",
                &[("removed", "Go"), ("kept", "Stay, the others go")],
                "What happens to the pieces that you click.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        inputs(&self.surfaces, &self.by)
    }

    fn keeps(&self, slot: &str) -> bool {
        slot == "by"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let Cut { together, pieces, warnings } = cut(context, &self.surfaces, &self.by)?;
        let chosen = |key: &String| self.pieces.contains(key);
        // With nothing chosen all of them stay, so that there is something to choose from.
        let kept = |key: &String| self.pieces.is_empty() || chosen(key) == (self.chosen == Chosen::Kept);
        let mut bodies: Vec<Body> = Vec::new();
        for of in 0..together.members.len() {
            let own: Vec<&topology::Piece> =
                pieces.iter().filter(|(key, p)| p.of == of && kept(key)).map(|(_, p)| p).collect();
            let made = together.made.together(&together.cells, &own);
            bodies.extend(made.map_err(|e| Notice::refused("surfaces", &e.into()))?);
        }
        if bodies.is_empty() {
            return Err(Notice::about("pieces", "nothing would be left; let a piece stay"));
        }
        let shown: Vec<PieceShape> = pieces
            .into_iter()
            .map(|(key, piece)| PieceShape { kept: kept(&key), key, body: piece.body })
            .collect();
        let mut built = Built::plain(Shape::Bodies(bodies)).with_reached([counted(shown.len())]);
        built.warnings.extend(warnings);
        built.warnings.extend(gone(&self.pieces, &shown, context));
        built.pieces = shown;
        Ok(built)
    }
}

impl Construction for Split {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "split",
            label: "Split",
            stage: "Shape",
            purpose: "Cut shapes into pieces, all of which stay.",
            also: "divide, cut apart, separate",
            key: "L",
            makes: &["surface", "solid"],
            slots: slots(),
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        inputs(&self.surfaces, &self.by)
    }

    fn keeps(&self, slot: &str) -> bool {
        slot == "by"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let Cut { pieces, warnings, .. } = cut(context, &self.surfaces, &self.by)?;
        let count = pieces.len();
        let bodies = pieces.into_iter().map(|(_, p)| p.body).collect();
        let mut built = Built::plain(Shape::Bodies(bodies)).with_reached([counted(count)]);
        built.warnings.extend(warnings);
        Ok(built)
    }
}
