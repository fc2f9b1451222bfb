//! Projected curve: a curve brought onto a surface.

use geometry::NurbsSurface;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::Toward;
use topology::Body;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, AxisInput, Built, CurveShape, Notice, Reference};

/// Which way a curve is brought onto a surface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Way {
    /// Along a direction.
    #[default]
    Direction,
    /// Square to the surface, to the nearest place.
    Nearest,
}

/// A curve brought onto a surface.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ProjectedCurve {
    /// The curve.
    pub curve: Reference,
    /// The surface or solid.
    pub surface: Reference,
    /// Which way.
    #[serde(default)]
    pub way: Way,
    /// For `direction`: along this axis, forwards or backwards.
    #[serde(default, skip_serializing_if = "is_default")]
    pub along: AxisInput,
}

/// All surfaces of a body that a slot holds.
pub(super) fn surfaces<'a>(
    context: &'a Context<'_>,
    reference: &Reference,
    slot: &str,
) -> Result<Vec<&'a NurbsSurface>, Notice> {
    let body = context.input(reference, slot)?.shape.body();
    let shells = body
        .map(Body::shells)
        .ok_or_else(|| Notice::about(slot, "this is no surface; pick a surface or a solid"))?;
    Ok(shells.into_iter().flat_map(|s| s.faces()).map(|f| f.surface.as_ref()).collect())
}

impl Construction for ProjectedCurve {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "projected_curve",
            label: "Project",
            stage: "Draw",
            purpose: "Bring a curve onto a surface, along a direction or square to it.",
            also: "project, drop, imprint, onto surface",
            key: "j",
            makes: &["curve"],
            slots: vec![
                SlotDescription::one(
                    "curve",
                    "Curve",
                    &["curve"],
                    "The curve that is brought onto the surface.",
                ),
                SlotDescription::one("surface", "Surface", &["surface", "solid"], "Where it is brought to."),
                SlotDescription::one("along", "Along", &["axis"], "The direction, forwards or backwards.")
                    .only_if("way", "direction"),
            ],
            values: vec![ValueDescription::choice(
                "way",
                "Way",
                &[("direction", "Along a direction"), ("nearest", "Square to it")],
                "Along a direction, or to the nearest place of the surface.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let along = self.along.reference().filter(|_| self.way == Way::Direction).map(|r| ("along", r));
        [("curve", &self.curve), ("surface", &self.surface)].into_iter().chain(along).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let surfaces = surfaces(context, &self.surface, "surface")?;
        let toward = match self.way {
            Way::Direction => Toward::Direction(self.along.axis(context, "along")?.direction),
            Way::Nearest => Toward::Nearest,
        };
        let mut curves = Vec::new();
        let mut deviation: f64 = 0.0;
        for c in context.curves(&self.curve, "curve")? {
            let mut pieces = Vec::with_capacity(c.pieces.len());
            for piece in &c.pieces {
                let made = surfacing::projected_curve(piece, &surfaces, toward, &context.tolerance)
                    .map_err(|e| Notice::refused("curve", &e))?;
                deviation = deviation.max(made.max_deviation);
                pieces.push(made.curve);
            }
            curves.push(CurveShape::in_space(&c.id, pieces));
        }
        Ok(Built::curves(curves, Some(deviation)))
    }
}
