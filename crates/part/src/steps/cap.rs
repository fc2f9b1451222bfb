//! Cap: flat openings closed.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use topology::{Body, capped, closure};

use super::{Construction, Context, SlotDescription, StepDescription};
use crate::{Amount, Built, Notice, Quantity, Reached, Reference, Shape};

/// A shell with its flat openings closed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Cap {
    /// The surface or shell.
    pub surface: Reference,
}

impl Construction for Cap {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "cap",
            label: "Cap",
            stage: "Close",
            purpose: "Close the flat openings of a surface or shell.",
            also: "lid, close holes, planar, fill openings",
            key: "A",
            makes: &["surface", "solid"],
            slots: vec![SlotDescription::one(
                "surface",
                "Surface",
                &["surface"],
                "Its flat openings are closed.",
            )],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("surface", &self.surface)]
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let (mut bodies, mut closed) = (Vec::new(), 0);
        let mut open = None;
        for body in context.bodies(&self.surface, "surface")? {
            for shell in body.shells() {
                let before = shell.faces().len();
                let made = capped(shell.clone(), &context.tolerance, |k| format!("cap {k}"))
                    .map_err(|e| Notice::refused("surface", &e.into()))?;
                closed += made.faces().len() - before;
                open = open.or_else(|| closure(&made).free_edges.first().map(|e| e.middle));
                bodies.push(Body::from_shell(made));
            }
        }
        if closed == 0 {
            let message = "it has no flat opening that closes; use Patch for one that is not flat";
            return Err(Notice::about("surface", message).at(open));
        }
        let count =
            Reached { quantity: Quantity::Count, ..Reached::length("Openings closed", closed as f64) };
        let mut built = Built::plain(Shape::Bodies(bodies)).with_reached([count]);
        if let Some(at) = open {
            let message = "this opening is not flat and stays; close it with Patch";
            built.warnings.push(Notice::about("surface", message).at(at));
        }
        Ok(built)
    }
}
