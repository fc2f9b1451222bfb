//! Patch: a surface inside edges that takes over tangents or curvature of the faces beside them.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::SurfacingError;

use super::edge_agrees::{EdgeAgrees, edges_reached};
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_zero, zero};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, PointInput, Quantity, Reached, Reference};

/// A surface inside edges.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Patch {
    /// Edges or curves that close, in any order; those that close within others stay open as holes.
    pub edges: Vec<Reference>,
    /// What it takes over at each of them; position where nothing is said.
    #[serde(default, skip_serializing_if = "is_default")]
    pub agrees: Vec<EdgeAgrees>,
    /// Curves that it passes through.
    #[serde(default, skip_serializing_if = "is_default")]
    pub curves: Vec<Reference>,
    /// Points that it passes through.
    #[serde(default, skip_serializing_if = "is_default")]
    pub points: Vec<PointInput>,
    /// How much it is stretched like a skin.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub tension: Amount,
}

impl Construction for Patch {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "patch",
            label: "Patch",
            stage: "Skin",
            purpose: "Fill the inside of edges by a surface that can go on smoothly from the faces beside them.",
            also: "patch, fill, close a hole, n-sided, cover, surface from edges",
            key: "P",
            makes: &["surface"],
            slots: vec![
                SlotDescription::one(
                    "edges",
                    "Edges",
                    &["curve"],
                    "Edges or curves that close, in any order; square is to the plane of the edge itself, for a half that is mirrored there.",
                )
                .many(1, 200)
                .each("agrees", "Takes over", &EdgeAgrees::CHOICES),
                SlotDescription::one("curves", "Curves inside", &["curve"], "Curves that it passes through.")
                    .many(0, 50)
                    .optional(),
                SlotDescription::one("points", "Points inside", &["point"], "Points that it passes through.")
                    .many(0, 200)
                    .optional(),
            ],
            values: vec![ValueDescription::amount(
                "tension",
                "Tension",
                Quantity::Ratio,
                [0.0, 100.0],
                json!(0),
                "0 bends evenly; more draws it taut like a skin.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let edges = self.edges.iter().map(|r| ("edges", r));
        let curves = self.curves.iter().map(|r| ("curves", r));
        let points = self.points.iter().filter_map(PointInput::reference).map(|r| ("points", r));
        edges.chain(curves).chain(points).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        std::iter::once(&mut self.tension)
            .chain(self.points.iter_mut().flat_map(PointInput::amounts))
            .collect()
    }

    /// Filling what they leave open leaves surfaces what they are.
    fn keeps(&self, _slot: &str) -> bool {
        true
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let edges = context.patch_edges(&self.edges, &self.agrees, "edges")?.concat();
        let curves =
            self.curves.iter().map(|r| context.pieces(r, "curves")).collect::<Result<Vec<_>, _>>()?;
        let points = self.points.iter().map(|p| p.point(context, "points")).collect::<Result<Vec<_>, _>>()?;
        let tension = context.value(&self.tension, Quantity::Ratio, "tension")?;
        if !(0.0..=100.0).contains(&tension) {
            return Err(Notice::about(
                "tension",
                format!("a tension of {tension} is of no use; give 0 to 100"),
            ));
        }
        let how = surfacing::Patch { curves: &curves.concat(), points: &points, tension, name: "patch" };
        let made = surfacing::patch(&edges, &how, &context.tolerance).map_err(|e| {
            let input = match e {
                SurfacingError::PatchPointFar { .. } => "points",
                SurfacingError::PatchPointOutside { .. } if self.curves.is_empty() => "points",
                SurfacingError::PatchPointOutside { .. } => "curves",
                _ => "edges",
            };
            Notice::refused(input, &e)
        })?;
        let (reached, mut warnings) = edges_reached(&made.edges, "edges", context.tolerance.join);
        warnings.extend(made.loose.iter().map(|c| {
            let message = format!(
                "edge {} leaves the tangent plane of the face at edge {} by {:.2} deg at this corner, so that the patch is tangent to it only away from here",
                c.leaving,
                c.tangent,
                c.angle.to_degrees()
            );
            Notice::about("edges", message).at(c.at)
        }));
        let tightened = made.tightened.map(|t| Reached::share("Tension that keeps it near its edges", t));
        let mut built = Built::body(made.body).with_reached(reached).with_reached(tightened);
        built.warnings.extend(warnings);
        if self.curves.is_empty() && self.points.is_empty() {
            return Ok(built);
        }
        Ok(built.with_deviation_or(made.inner, context.tolerance.fit, made.miss))
    }
}
