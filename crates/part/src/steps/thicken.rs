//! Thicken: a surface given a wall.

use geometry::GeometryError;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{SurfacingError, Wall, thick_shell, wall_between};

use super::hollow::THINNER;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::{Amount, Built, Notice, Quantity, Reached, Reference, Shape};

/// To which side the wall grows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Side {
    /// To the inner side of the surface.
    #[default]
    Inward,
    /// To the outer side.
    Outward,
    /// To both, by the thickness each.
    Both,
}

/// A wall given to a surface.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Thicken {
    /// The step that made the surface.
    pub surface: Reference,
    /// To which side.
    #[serde(default)]
    pub side: Side,
    /// Thickness on each side that the wall grows to.
    pub thickness: Amount,
}

impl Construction for Thicken {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "thicken",
            label: "Thicken",
            stage: "Close",
            purpose: "Give a surface a wall, so that it becomes a solid.",
            also: "wall, shell, thickness, offset, solid",
            key: "t",
            makes: &["solid"],
            slots: vec![
                SlotDescription::one(
                    "surface",
                    "Surface",
                    &["surface", "solid"],
                    "The surface or shell that gets the wall, or one face.",
                )
                .faces(),
            ],
            values: vec![
                ValueDescription::choice(
                    "side",
                    "Side",
                    &[("inward", "Inward"), ("outward", "Outward"), ("both", "Both ways")],
                    "To which side of the surface the wall grows.",
                ),
                ValueDescription::amount(
                    "thickness",
                    "Thickness per side",
                    Quantity::Length,
                    [0.001, 1000.0],
                    json!("2 mm"),
                    "How far the wall reaches from the surface on each side that it grows to.",
                ),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("surface", &self.surface)]
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.thickness]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let thickness = context.value(&self.thickness, Quantity::Length, "thickness")?;
        let (outward, inward) = match self.side {
            Side::Inward => (0.0, thickness),
            Side::Outward => (thickness, 0.0),
            Side::Both => (thickness, thickness),
        };
        let refused = |e: SurfacingError| {
            let input = match e {
                SurfacingError::NoThickness
                | SurfacingError::TooThick { .. }
                | SurfacingError::OffsetOpen { .. }
                | SurfacingError::RunsIntoItself { .. }
                | SurfacingError::Geometry(GeometryError::OffsetFolds { .. }) => "thickness",
                _ => "surface",
            };
            let message = match (&e, self.side) {
                (SurfacingError::TooThick { fits, .. }, Side::Both) => {
                    format!("{e} ({:.3} mm per side)", (fits * 500.0).floor() / 1e3)
                }
                _ => e.to_string(),
            };
            Notice { message, input: Some(input.into()), at: e.place(), cure: None }
        };
        let asked = outward + inward;
        let (mut bodies, mut deviation, mut walls) = (Vec::new(), 0.0_f64, Vec::new());
        // The wall of a turned surface is turned itself, unless bends of its profile have to close up.
        let turned = match (&context.input(&self.surface, "surface")?.shape, &self.surface.item) {
            (Shape::Turned(source), None) => {
                Some(surfacing::thicken(source, outward, inward, &context.tolerance))
            }
            _ => None,
        };
        if let Some(Ok(made)) = turned {
            deviation = made.max_deviation;
            let [inner, outer] = made.skins();
            walls.extend(wall_between(&inner, &outer, asked));
            bodies.push(made.body);
        } else {
            let mut known = turned.and_then(Result::err);
            if let Some(error) = known.take_if(|e| !matches!(e, SurfacingError::TooThick { .. })) {
                return Err(refused(error));
            }
            for member in context.members(&self.surface, "surface")? {
                // What the profile says is nearer to what is drawn.
                let made = thick_shell(&member.shell, outward, inward, &context.tolerance)
                    .map_err(|e| refused(known.take().unwrap_or(e)))?;
                deviation = deviation.max(made.max_deviation);
                walls.extend(made.wall(asked));
                bodies.push(made.body);
            }
        }
        let wall = walls.into_iter().reduce(Wall::with);
        let reached = vec![
            Reached::length("Thickness per side", thickness),
            Reached::length("Total thickness", asked),
            Reached::length("Deviation from the true offset", deviation),
        ];
        let built = Built::plain(Shape::Bodies(bodies)).with_reached(reached);
        Ok(built.with_wall(wall, asked, THINNER * context.tolerance.fit))
    }
}
