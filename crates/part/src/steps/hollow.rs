//! Hollow: a solid with a wall of a given thickness, open at chosen faces.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::SurfacingError;
use topology::Body;

use super::own_thickness::{self, Transition};
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{five_mm, is_five_mm, two_mm};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference, Shape};

/// How many times the fit tolerance a wall may be thinner than asked for without a word.
pub(super) const THINNER: f64 = 10.0;

/// A solid hollowed out.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Hollow {
    /// The solid.
    pub solid: Reference,
    /// Faces at which it is open.
    #[serde(default, skip_serializing_if = "is_default")]
    pub open: Vec<Reference>,
    /// Thickness of the wall.
    #[serde(default = "two_mm")]
    pub thickness: Amount,
    /// Faces with a thickness of their own.
    #[serde(default, skip_serializing_if = "is_default")]
    pub other_faces: Vec<Reference>,
    /// Thickness under those.
    #[serde(default = "two_mm")]
    pub other_thickness: Amount,
    /// How the thickness changes to that of a face that goes on smoothly.
    #[serde(default, skip_serializing_if = "is_default")]
    pub between: Transition,
    /// Width of the ramp, along the thinner side.
    #[serde(default = "five_mm", skip_serializing_if = "is_five_mm")]
    pub ramp: Amount,
}

impl Construction for Hollow {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "hollow",
            label: "Hollow",
            stage: "Close",
            purpose: "Turn a solid into a wall of a given thickness, open at the faces that you pick.",
            also: "shell, wall, inside, container, thin wall",
            key: "H",
            makes: &["solid"],
            slots: vec![
                SlotDescription::one("solid", "Solid", &["solid"], "The solid that is hollowed out."),
                SlotDescription::one(
                    "open",
                    "Open at",
                    &["solid"],
                    "Its faces that fall away; with none it stays closed.",
                )
                .many(0, 100)
                .faces()
                .uncovers(),
                own_thickness::slot(&["solid"]),
            ],
            values: std::iter::once(ValueDescription::amount(
                "thickness",
                "Thickness",
                Quantity::Length,
                [0.001, 1000.0],
                json!("2 mm"),
                "How thick the wall is under every other face.",
            ))
            .chain(own_thickness::values())
            .collect(),
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let open = self.open.iter().map(|r| ("open", r));
        let others = self.other_faces.iter().map(|r| ("other_faces", r));
        std::iter::once(("solid", &self.solid)).chain(open).chain(others).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.thickness, &mut self.other_thickness, &mut self.ramp]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let thickness = context.value(&self.thickness, Quantity::Length, "thickness")?;
        let other = context.value(&self.other_thickness, Quantity::Length, "other_thickness")?;
        let [Body::Solid(solid)] = context.bodies(&self.solid, "solid")? else {
            return Err(Notice::about(
                "solid",
                "this is not one solid; close it first, or pick one of several",
            ));
        };
        let marked = |references: &[Reference], slot: &str| {
            let (faces, others) = context.marked(solid.outer(), references, slot)?;
            let message = "this face is no outer face of the solid; pick one of its own";
            if others { Err(Notice::about(slot, message)) } else { Ok(faces) }
        };
        let (open, others) = (marked(&self.open, "open")?, marked(&self.other_faces, "other_faces")?);
        let wall = |f: usize| match (open.contains(&f), others.contains(&f)) {
            (true, _) => 0.0,
            (_, true) => other,
            _ => thickness,
        };
        let walls: Vec<f64> = (0..solid.outer().faces().len()).map(wall).collect();
        let change = self.between.over(context, &self.ramp)?;
        // What is turned and closed all round has its wall by its profile too.
        let turned = match (&context.input(&self.solid, "solid")?.shape, &self.solid.item) {
            (Shape::Turned(source), None) if open.is_empty() && others.is_empty() => Some(source),
            _ => None,
        };
        let by_profile = |error| {
            let made = turned.and_then(|t| surfacing::hollow_turned(t, thickness, &context.tolerance).ok());
            made.ok_or(error)
        };
        let made = surfacing::hollow(solid, &walls, change, &context.tolerance).or_else(by_profile).map_err(
            |e| {
                let is_ramp = matches!(e, SurfacingError::RampTooWide { .. });
                Notice::refused(if is_ramp { "ramp" } else { "thickness" }, &e)
            },
        )?;
        let walled = walls.iter().copied().filter(|w| *w > 0.0);
        let [least, most] =
            walled.fold([f64::MAX, 0.0], |[least, most], w| [f64::min(least, w), f64::max(most, w)]);
        let wall = made.wall(most);
        let reached = Reached::length("Thickness", thickness);
        let built = Built::plain(Shape::body(made.body)).with_reached([reached]);
        let built = built.with_wall(wall, least, THINNER * context.tolerance.fit);
        Ok(built.with_deviation(made.max_deviation, context.tolerance.fit))
    }
}
