//! Thicken: a surface given a wall.

use std::collections::BTreeSet;

use geometry::GeometryError;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{SurfacingError, Wall, thick_shell, wall_between};

use super::hollow::THINNER;
use super::own_thickness::{self, Transition};
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::inputs::Marked;
use crate::quantity::amounts::{five_mm, is_five_mm, is_two_mm, two_mm};
use crate::recipe::is_default;
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

impl Side {
    /// How far a wall of a thickness on each side reaches to the outer and to the inner one.
    fn reach(self, thickness: f64) -> [f64; 2] {
        match self {
            Self::Inward => [0.0, thickness],
            Self::Outward => [thickness, 0.0],
            Self::Both => [thickness; 2],
        }
    }
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
    /// Faces with a thickness of their own.
    #[serde(default, skip_serializing_if = "is_default")]
    pub other_faces: Vec<Reference>,
    /// Thickness under those, on each side too.
    #[serde(default = "two_mm", skip_serializing_if = "is_two_mm")]
    pub other_thickness: Amount,
    /// How the thickness changes to that of a face that goes on smoothly.
    #[serde(default, skip_serializing_if = "is_default")]
    pub between: Transition,
    /// Width of the ramp, along the thinner side.
    #[serde(default = "five_mm", skip_serializing_if = "is_five_mm")]
    pub ramp: Amount,
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
                own_thickness::slot(&["surface", "solid"]),
            ],
            values: [
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
            ]
            .into_iter()
            .chain(own_thickness::values())
            .collect(),
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let others = self.other_faces.iter().map(|r| ("other_faces", r));
        std::iter::once(("surface", &self.surface)).chain(others).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.thickness, &mut self.other_thickness, &mut self.ramp]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let thickness = context.value(&self.thickness, Quantity::Length, "thickness")?;
        let [outward, inward] = self.side.reach(thickness);
        let refused = |e: SurfacingError| {
            let input = match e {
                SurfacingError::RampTooWide { .. } => "ramp",
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
        let own = self.own_faces(context)?;
        let other = match own.iter().any(|faces| !faces.is_empty()) {
            true => Some(context.value(&self.other_thickness, Quantity::Length, "other_thickness")?),
            false => None,
        };
        let change = self.between.over(context, &self.ramp)?;
        let (mut bodies, mut deviation, mut walls) = (Vec::new(), 0.0_f64, Vec::new());
        // The wall of a turned surface is turned itself, unless bends of its profile have to close up.
        let turned = match (&context.input(&self.surface, "surface")?.shape, &self.surface.item) {
            (Shape::Turned(source), None) if other.is_none() => {
                Some(surfacing::thicken(source, outward, inward, &context.tolerance))
            }
            _ => None,
        };
        let all = other.map_or(asked, |other| self.side.reach(other).iter().sum());
        let [least, most] = [f64::min(asked, all), f64::max(asked, all)];
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
            for (member, own) in context.members(&self.surface, "surface")?.iter().zip(&own) {
                let reach = |f: usize| {
                    let other = other.filter(|_| own.contains(&f));
                    self.side.reach(other.unwrap_or(thickness))
                };
                let reach: Vec<[f64; 2]> = (0..member.shell.faces().len()).map(reach).collect();
                // What the profile says is nearer to what is drawn.
                let made = thick_shell(&member.shell, &reach, change, &context.tolerance)
                    .map_err(|e| refused(known.take().unwrap_or(e)))?;
                deviation = deviation.max(made.max_deviation);
                walls.extend(made.wall(most));
                bodies.push(made.body);
            }
        }
        let wall = walls.into_iter().reduce(Wall::with);
        let reached = [
            Some(Reached::length("Thickness per side", thickness)),
            other.map(|other| Reached::length("Per side under the others", other)),
            Some(Reached::length("Total thickness", most)),
            Some(Reached::length("Deviation from the true offset", deviation)),
        ];
        let built = Built::plain(Shape::Bodies(bodies)).with_reached(reached.into_iter().flatten());
        Ok(built.with_wall(wall, least, THINNER * context.tolerance.fit))
    }
}

impl Thicken {
    /// The numbers of the faces with a thickness of their own, member by member.
    fn own_faces(&self, context: &Context<'_>) -> Result<Vec<BTreeSet<usize>>, Notice> {
        let slot = "other_faces";
        let Some(first) = self.other_faces.first() else {
            return Ok(vec![BTreeSet::new(); context.members(&self.surface, "surface")?.len()]);
        };
        if self.surface.item.is_some() {
            let message =
                "one face has one thickness; give the whole surface a wall, or take these faces out";
            return Err(Notice::about(slot, message));
        }
        if first.step != self.surface.step {
            return Err(Notice::about(slot, "these are no faces of the surface; pick some of its own"));
        }
        let marked = context.bodies_with_faces(&self.other_faces, slot)?;
        let numbers = |Marked { body, faces }: Marked<'_>| {
            let mut before = 0;
            let mut all = BTreeSet::new();
            for (shell, faces) in body.shells().into_iter().zip(faces) {
                all.extend(faces.into_iter().map(|f| before + f));
                before += shell.faces().len();
            }
            all
        };
        Ok(marked.into_iter().map(numbers).collect())
    }
}
