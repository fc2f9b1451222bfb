//! Combine: solids added to each other, taken from each other, or what they have in common.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use topology::{Body, Operation, Solid, combine};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Reference, Shape};

/// What is kept of solids.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum What {
    /// All of them, as one.
    #[default]
    Union,
    /// The solids without the others.
    Subtract,
    /// What all of them have.
    Common,
}

/// Solids put together.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Combine {
    /// What is kept.
    #[serde(default, skip_serializing_if = "is_default")]
    pub what: What,
    /// The solids; those of a pattern or a copy all count.
    pub solids: Vec<Reference>,
    /// For `subtract`: what is taken from them.
    #[serde(default, skip_serializing_if = "is_default")]
    pub others: Vec<Reference>,
}

/// Solids in a slot, each with its step's name.
///
/// # Errors
/// What is no solid, with where it is open.
pub(super) fn solids<'a>(
    context: &'a Context<'_>,
    references: &[Reference],
    slot: &'static str,
) -> Result<Vec<(&'a Solid, String)>, Notice> {
    let mut out = Vec::new();
    for reference in references {
        let name = context.recipe.step_name(&reference.step);
        for body in context.bodies(reference, slot)? {
            let Body::Solid(solid) = body else {
                let free = body
                    .shells()
                    .first()
                    .and_then(|s| topology::closure(s).free_edges.first().map(|e| e.middle));
                let message = format!(
                    "{name} is no solid: it has free edges; close it first, with Join, Cap or Enclose"
                );
                return Err(Notice::about(slot, message).at(free));
            };
            out.push((solid, name.to_string()));
        }
    }
    Ok(out)
}

impl Construction for Combine {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "combine",
            label: "Combine",
            stage: "Close",
            purpose: "Make one of several solids, take some from others, or keep what they share.",
            also: "boolean, union, unite, add, subtract, difference, cut, common, intersect solids",
            key: "C",
            makes: &["solid"],
            slots: vec![
                SlotDescription::one("solids", "Solids", &["solid"], "The solids.").many(1, 500),
                SlotDescription::one("others", "Without", &["solid"], "What is taken from them.")
                    .many(1, 500)
                    .only_if("what", "subtract"),
            ],
            values: vec![ValueDescription::choice(
                "what",
                "Keep",
                &[
                    ("union", "All, as one"),
                    ("subtract", "The first without the others"),
                    ("common", "What they have in common"),
                ],
                "Union, subtract or common.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let others = self.others.iter().filter(|_| self.what == What::Subtract);
        self.solids.iter().map(|r| ("solids", r)).chain(others.map(|r| ("others", r))).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let first = solids(context, &self.solids, "solids")?;
        let others = match self.what {
            What::Subtract => solids(context, &self.others, "others")?,
            _ => Vec::new(),
        };
        if self.what != What::Subtract && first.len() < 2 {
            return Err(Notice::about("solids", "pick two solids or more"));
        }
        if self.what == What::Subtract && others.is_empty() {
            return Err(Notice::about("others", "pick what is taken away"));
        }
        let last = if self.what == What::Subtract { "others" } else { "solids" };
        combined(context, self.what, &first, &others, ["solids", last])
    }
}

/// Solids put together, each with a name for messages; a message about the second ones is about the second slot.
pub(super) fn combined(
    context: &Context<'_>,
    what: What,
    first: &[(&Solid, String)],
    others: &[(&Solid, String)],
    [slot, last]: [&str; 2],
) -> Result<Built, Notice> {
    let operation = match what {
        What::Union => Operation::Union,
        What::Subtract => Operation::Subtract,
        What::Common => Operation::Common,
    };
    let (a, b): (Vec<&Solid>, Vec<&Solid>) =
        (first.iter().map(|s| s.0).collect(), others.iter().map(|s| s.0).collect());
    let made =
        combine(&a, &b, operation, &context.tolerance).map_err(|e| Notice::refused(slot, &e.into()))?;
    if made.solids.is_empty() {
        let message = match what {
            What::Subtract => {
                "nothing is left: what is taken away holds all of it; move it, or make it smaller"
            }
            _ => "they have nothing in common; move them together",
        };
        let at = a.first().and_then(|s| s.outer().vertices().first()).map(|v| v.point);
        return Err(Notice::about(last, message).at(at));
    }
    let mut built = Built::plain(Shape::Bodies(made.solids.into_iter().map(Body::Solid).collect()));
    let names: Vec<&String> = first.iter().chain(others).map(|s| &s.1).collect();
    for &idle in &made.idle {
        let why = match (what, idle < first.len()) {
            (What::Union, _) => "lies inside the others and adds nothing",
            (What::Subtract, true) => "is taken away altogether",
            (What::Subtract, false) => "does not reach them and takes nothing away",
            (What::Common, _) => "holds all that the others share and changes nothing",
        };
        let solid = a.iter().chain(&b).nth(idle);
        let at = solid.and_then(|s| s.outer().vertices().first()).map(|v| v.point);
        built.warnings.push(Notice::about(last, format!("{} {why}", names[idle])).at(at));
    }
    if let Some(at) = made.pinches.first() {
        let message = "the solid touches itself here and has no thickness; move what touches by a little";
        built.warnings.push(Notice::of_step(message).at(*at));
    }
    if let Some(touch) = made.touches.first() {
        let [x, y] = touch.inputs.map(|i| names[i].as_str());
        let message = format!("{x} and {y} only touch here; move them together to join them, or apart");
        built.warnings.push(Notice::of_step(message).at(touch.at));
    }
    Ok(built)
}
