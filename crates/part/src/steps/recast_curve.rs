//! Recast: a curve with another number of control points and degree, and what that costs.

use geometry::{MAX_DEGREE, NurbsCurve, recast};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{SurfacingError, smooth_stretches};

use super::{Construction, Context, EndAgrees, SlotDescription, StepDescription, ValueDescription};
use crate::limits::MOST_RECAST;
use crate::recipe::is_default;
use crate::{Amount, Built, CurveShape, Notice, Quantity, Reached, Reference};

/// A curve recast.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RecastCurve {
    /// The curve, or curves that run end to end.
    pub curves: Vec<Reference>,
    /// Control points of each stretch from corner to corner.
    #[serde(default = "ten")]
    pub points: Amount,
    /// The degree.
    #[serde(default = "three")]
    pub degree: Amount,
    /// What the ends of each stretch keep.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: EndAgrees,
}

fn ten() -> Amount {
    Amount::Number(10.0)
}

fn three() -> Amount {
    Amount::Number(3.0)
}

impl Construction for RecastCurve {
    fn describe() -> StepDescription {
        let most = MOST_RECAST as f64;
        StepDescription {
            kind: "recast_curve",
            label: "Recast",
            stage: "Draw",
            purpose: "Give a curve another number of control points and another degree.",
            also: "recast, control points, degree, simplify, lighten, least squares",
            key: "Y",
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
                ValueDescription::amount(
                    "points",
                    "Control points",
                    Quantity::Count,
                    [2.0, most],
                    json!(10),
                    "Of each stretch from corner to corner; more never deviate more.",
                ),
                ValueDescription::amount(
                    "degree",
                    "Degree",
                    Quantity::Count,
                    [1.0, MAX_DEGREE as f64],
                    json!(3),
                    "At most one less than the control points.",
                ),
                ValueDescription::choice(
                    "ends",
                    "Ends keep",
                    &[("tangent", "Tangent"), ("curvature", "Curvature")],
                    "What stays at the ends of each stretch besides their places; curvature takes six control points.",
                ),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        self.curves.iter().map(|r| ("curves", r)).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.points, &mut self.degree]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let mut pieces: Vec<NurbsCurve> = Vec::new();
        for reference in &self.curves {
            pieces.extend(context.pieces(reference, "curves")?);
        }
        let points = context.value(&self.points, Quantity::Count, "points")?;
        let degree = context.value(&self.degree, Quantity::Count, "degree")?;
        if degree >= points {
            let message = format!("a degree of {degree} takes {} control points at least", degree + 1.0);
            return Err(Notice::about("points", message));
        }
        let refuse = |e: SurfacingError| Notice::refused("curves", &e);
        let mut out = Vec::new();
        let mut deviation: f64 = 0.0;
        for stretch in smooth_stretches(&pieces, &context.tolerance).map_err(refuse)? {
            let made = recast(&stretch, degree as usize, points as usize, self.ends.into())
                .map_err(|e| refuse(e.into()))?;
            deviation = deviation.max(made.max_deviation);
            out.push(made.curve);
        }
        let built = Built::curves(vec![CurveShape::in_space("curve", out)]);
        Ok(built.with_reached([Reached::length("Deviation of recasting", deviation)]))
    }
}
