//! Crossed projection: the space curve whose views on two planes are two drawings.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::{SurfacingError, View};

use super::{Construction, Context, SlotDescription, StepDescription};
use crate::{Amount, Built, CurveShape, Notice, Reference, Shape, format_length};

/// The space curve whose views on two planes are given.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CrossedProjection {
    /// A drawing or one of its curves.
    pub first: Reference,
    /// Another one, on another plane.
    pub second: Reference,
}

fn view(context: &Context<'_>, reference: &Reference, slot: &str) -> Result<View, Notice> {
    let built = context.input(reference, slot)?;
    let Shape::Drawing(drawing) = &built.shape else {
        return Err(Notice::about(slot, "a view is drawn on a plane; pick a drawing or one of its curves"));
    };
    let pieces = context.pieces(reference, slot)?;
    let chain = surfacing::chain(&pieces, &context.tolerance).map_err(|e| Notice::refused(slot, &e))?;
    Ok(View { frame: drawing.frame, curves: chain.run(&pieces) })
}

impl Construction for CrossedProjection {
    fn describe() -> StepDescription {
        let slot = |name, label| {
            let help = "A drawing or one of its curves: how the curve looks along that drawing's normal.";
            SlotDescription::one(name, label, &["curve"], help)
        };
        StepDescription {
            kind: "crossed_projection",
            label: "Crossed projection",
            stage: "Draw",
            purpose: "Make the space curve that is seen as two drawings on two planes.",
            also: "two views, 3d curve from front and side, combine",
            key: "v",
            makes: &["curve"],
            slots: vec![slot("first", "First view"), slot("second", "Second view")],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("first", &self.first), ("second", &self.second)]
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let (first, second) = (view(context, &self.first, "first")?, view(context, &self.second, "second")?);
        let slots = ["first", "second"];
        let made = surfacing::crossed_projection(&first, &second, &context.tolerance).map_err(|e| {
            let slot = if let SurfacingError::NoPartner { view, .. } = e { slots[view] } else { "second" };
            Notice::refused(slot, &e)
        })?;
        let deviation = made.pieces.iter().map(|p| p.max_deviation).fold(0.0, f64::max);
        let pieces = made.pieces.into_iter().map(|p| p.curve).collect();
        let mut built = Built::curves(vec![CurveShape::in_space("curve", pieces)])
            .with_deviation(deviation, context.tolerance.fit);
        let names = [&self.first, &self.second].map(|r| context.recipe.step_name(&r.step));
        built.warnings = made
            .unpartnered
            .iter()
            .map(|u| {
                let message = format!(
                    "A part of {}, {} high, has no partner in {} and is left out. Bring both views to the same range.",
                    names[u.view],
                    format_length(u.height, context.unit()),
                    names[1 - u.view]
                );
                Notice::about(slots[u.view], message).at(u.at)
            })
            .collect();
        Ok(built)
    }
}
