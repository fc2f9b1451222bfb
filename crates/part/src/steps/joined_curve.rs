//! Joined curve: several curves or edges that run end to end, as one.

use geometry::{NurbsCurve, fit_chain};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, Built, CurveShape, Notice, Quantity, Reached, Reference};

/// Curves joined into one.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct JoinedCurve {
    /// The curves, in any order.
    pub curves: Vec<Reference>,
    /// Whether they become one smooth spline.
    #[serde(default, skip_serializing_if = "is_default")]
    pub smooth: bool,
    /// How far a smooth one may leave them.
    #[serde(default = "tenth")]
    pub tolerance: Amount,
}

fn tenth() -> Amount {
    "0.1 mm".into()
}

impl Construction for JoinedCurve {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "joined_curve",
            label: "Join curves",
            stage: "Draw",
            purpose: "Make one curve of several that run end to end.",
            also: "join, chain, merge, smooth, one spline",
            key: "y",
            makes: &["curve"],
            slots: vec![
                SlotDescription::one(
                    "curves",
                    "Curves",
                    &["curve"],
                    "Curves that run end to end, in any order.",
                )
                .many(1, 100),
            ],
            values: vec![
                ValueDescription::switch(
                    "smooth",
                    "One smooth spline",
                    "Rounds the corners off within the tolerance.",
                ),
                ValueDescription::amount(
                    "tolerance",
                    "Tolerance",
                    Quantity::Length,
                    [1e-5, 100.0],
                    json!("0.1 mm"),
                    "How far the smooth spline may leave the curves.",
                )
                .only_if("smooth", "true"),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.curves.iter().map(|r| ("curves", r)).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.tolerance]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let mut pieces: Vec<NurbsCurve> = Vec::new();
        for reference in &self.curves {
            pieces.extend(context.pieces(reference, "curves")?);
        }
        let refuse = |e: surfacing::SurfacingError| Notice::refused("curves", &e);
        let chain = surfacing::chain(&pieces, &context.tolerance).map_err(refuse)?;
        let mut pieces = chain.run(&pieces);
        let mut deviation = None;
        if self.smooth {
            let tolerance = context.value(&self.tolerance, Quantity::Length, "tolerance")?;
            if tolerance <= context.tolerance.resolution {
                return Err(Notice::about("tolerance", "give a tolerance above zero, such as 0.1 mm"));
            }
            let fitted =
                fit_chain(&pieces, tolerance, context.tolerance.resolution).map_err(|e| refuse(e.into()))?;
            deviation = Some((fitted.max_deviation, tolerance));
            pieces = vec![fitted.curve];
        }
        let mut built = Built::curves(vec![CurveShape::in_space("curve", pieces)]);
        if let Some((deviation, tolerance)) = deviation {
            built = built.with_deviation(deviation, tolerance);
        }
        built.reached.push(Reached::length("Largest gap closed", chain.largest_gap));
        Ok(built)
    }
}
