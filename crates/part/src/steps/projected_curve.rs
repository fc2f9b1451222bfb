//! Projected curve: a curve brought onto a surface.

use geometry::{NurbsCurve, Point3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::Toward;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::recipe::is_default;
use crate::{Amount, AxisInput, Built, CurveShape, Notice, PlaneInput, Reference};

/// Which way a curve is brought onto a surface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Way {
    /// Along a direction.
    #[default]
    Direction,
    /// Square to the surface, to the nearest place.
    Nearest,
    /// Flat onto a plane.
    Plane,
}

/// A curve brought onto a surface.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ProjectedCurve {
    /// The curve.
    pub curve: Reference,
    /// The surface or solid; none for `plane`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub surface: Option<Reference>,
    /// Which way.
    #[serde(default)]
    pub way: Way,
    /// For `direction`: along this axis, forwards or backwards.
    #[serde(default, skip_serializing_if = "is_default")]
    pub along: AxisInput,
    /// For `plane`: which one.
    #[serde(default, skip_serializing_if = "is_default")]
    pub plane: PlaneInput,
}

impl ProjectedCurve {
    /// The curves laid flat onto the plane; exact, since a spline's image is that of its control points.
    fn flattened(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let frame = self.plane.frame(context, "plane")?;
        let foot = |p: &Point3| p - frame.z * (p - frame.origin).dot(&frame.z);
        let mut curves = Vec::new();
        for c in context.curves(&self.curve, "curve")? {
            let pieces: Vec<NurbsCurve> = c.pieces.iter().map(|piece| piece.mapped(foot)).collect();
            if pieces.iter().any(|piece| piece.length() <= context.tolerance.resolution) {
                let message = format!("{} stands square to the plane and would shrink to a point", c.id);
                return Err(Notice::about("curve", message).at(c.start()));
            }
            curves.push(CurveShape::in_space(&c.id, pieces));
        }
        Ok(Built::curves(curves))
    }
}

impl Construction for ProjectedCurve {
    fn describe() -> StepDescription {
        let surface = |way| {
            SlotDescription::one("surface", "Surface", &["surface", "solid"], "Where it is brought to.")
                .faces()
                .only_if("way", way)
        };
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
                surface("direction"),
                surface("nearest"),
                SlotDescription::one("plane", "Plane", &["plane"], "The plane that it is laid flat onto.")
                    .only_if("way", "plane"),
                SlotDescription::one(
                    "along",
                    "Along",
                    &["axis", "curve"],
                    "The direction, forwards or backwards.",
                )
                .only_if("way", "direction"),
            ],
            values: vec![ValueDescription::choice(
                "way",
                "Way",
                &[
                    ("direction", "Along a direction"),
                    ("nearest", "Square to it"),
                    ("plane", "Flat on a plane"),
                ],
                "Along a direction, to the nearest place of the surface, or flat onto a plane.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let (surface, along, plane) = (self.surface.as_ref(), self.along.reference(), self.plane.reference());
        let used = match self.way {
            Way::Direction => [("surface", surface), ("along", along)],
            Way::Nearest => [("surface", surface), ("along", None)],
            Way::Plane => [("plane", plane), ("along", None)],
        };
        let used = used.into_iter().filter_map(|(slot, r)| Some((slot, r?)));
        std::iter::once(("curve", &self.curve)).chain(used).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let toward = match self.way {
            Way::Direction => Toward::Direction(self.along.axis(context, "along")?.direction),
            Way::Nearest => Toward::Nearest,
            Way::Plane => return self.flattened(context),
        };
        let surface = self.surface.as_ref();
        let surface =
            surface.ok_or_else(|| Notice::about("surface", "pick the surface that it is brought to"))?;
        let surfaces = context.surfaces(surface, "surface")?;
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
        Ok(Built::curves(curves).with_deviation(deviation, context.tolerance.fit))
    }
}
