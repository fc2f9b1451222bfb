//! Raised region: the inside of an outline on a face, lifted or sunk.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{RaisedSides, SurfacingError, apart, raised_region};
use topology::{Body, Shell, inner_place};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{one_mm, two_mm, zero};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reached, Reference, Shape};

/// Which way the region goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[schemars(rename = "RegionGoes")]
pub enum Goes {
    /// To the outer side of the face.
    #[default]
    Lifted,
    /// To its inner side.
    Sunk,
}

/// How its sides stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[schemars(rename = "RegionSides")]
pub enum Sides {
    /// Straight, leaning by an angle.
    #[default]
    Leaning,
    /// Tangent to the face and to the top.
    Tangent,
}

/// A region of a face lifted or sunk.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RaisedRegion {
    /// The face.
    pub face: Reference,
    /// One or several closed outlines; a drawing is brought onto the face square to its plane.
    pub outline: Reference,
    /// Which way it goes.
    #[serde(default, skip_serializing_if = "is_default")]
    pub goes: Goes,
    /// How far, along the face's normals.
    #[serde(default = "one_mm")]
    pub height: Amount,
    /// How its sides stand.
    #[serde(default, skip_serializing_if = "is_default")]
    pub sides: Sides,
    /// For `leaning`: by how much inward, against the drawing's normal.
    #[serde(default = "zero", skip_serializing_if = "crate::quantity::amounts::is_zero")]
    pub draft: Amount,
    /// For `tangent`: how far inward the top begins.
    #[serde(default = "two_mm")]
    pub width: Amount,
}

impl Construction for RaisedRegion {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "raised_region",
            label: "Raised region",
            stage: "Shape",
            purpose: "Lift or sink the inside of an outline on a face, with sides that lean or are tangent to it.",
            also: "emboss, deboss, pad, pocket, relief, lettering, recess",
            key: "E",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one(
                    "face",
                    "Face",
                    &["surface", "solid"],
                    "The face, or one of those that the outline lies over.",
                )
                .one_face()
                .uncovers(),
                SlotDescription::one(
                    "outline",
                    "Outline",
                    &["curve"],
                    "Closed curves, on the face or above it; those inside others bound openings.",
                ),
            ],
            values: vec![
                ValueDescription::choice(
                    "goes",
                    "Goes",
                    &[("lifted", "Lifted"), ("sunk", "Sunk")],
                    "To the outer or to the inner side of the face.",
                ),
                ValueDescription::amount(
                    "height",
                    "By",
                    Quantity::Length,
                    [0.001, 1000.0],
                    json!("1 mm"),
                    "How far, along the face's normals.",
                ),
                ValueDescription::choice(
                    "sides",
                    "Sides",
                    &[("leaning", "Straight"), ("tangent", "Tangent")],
                    "Straight from the outline, or tangent to the face and to the top.",
                ),
                ValueDescription::amount(
                    "draft",
                    "Draft",
                    Quantity::Angle,
                    [-60.0, 60.0],
                    json!(0),
                    "How much the sides lean inward.",
                )
                .only_if("sides", "leaning"),
                ValueDescription::amount(
                    "width",
                    "Width",
                    Quantity::Length,
                    [0.001, 1000.0],
                    json!("2 mm"),
                    "How far inward from the outline the top begins.",
                )
                .only_if("sides", "tangent"),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("face", &self.face), ("outline", &self.outline)]
    }

    fn replaces(&self, slot: &str) -> bool {
        slot == "face"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.height, &mut self.draft, &mut self.width]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let height = context.value(&self.height, Quantity::Length, "height")?;
        let sides = match self.sides {
            Sides::Leaning => RaisedSides::Leaning(context.value(&self.draft, Quantity::Angle, "draft")?),
            Sides::Tangent => RaisedSides::Tangent(context.value(&self.width, Quantity::Length, "width")?),
        };
        let (of, own, number) = context.one_face(&self.face, "face")?;
        let face = &own.faces()[number];
        let drawn = context.drawing_frame(&self.outline, "outline")?.map(|f| f.z);
        let middle = || {
            let [u, v] = inner_place(face)?;
            face.surface.normal(u, v)
        };
        let toward = drawn
            .or_else(middle)
            .ok_or_else(|| Notice::about("face", "this face has no normal; pick another"))?;
        let outlines = surfacing::chains(&context.pieces(&self.outline, "outline")?, &context.tolerance);
        let signed = if self.goes == Goes::Lifted { height } else { -height };
        let region = surfacing::RaisedRegion { outlines: &outlines, toward, height: signed, sides };
        let (shell, off) = raised_region(own, number, &region, &context.tolerance).map_err(|e| {
            let slot = match (&e, self.sides) {
                (SurfacingError::RaisedFolds { .. }, Sides::Tangent) => "width",
                (SurfacingError::RaisedFolds { .. }, Sides::Leaning) => "draft",
                (SurfacingError::NoSize { .. } | SurfacingError::Geometry(_), _) => "height",
                _ => "outline",
            };
            Notice::refused(slot, &e)
        })?;
        let mut bodies = Vec::new();
        for body in context.bodies(&self.face, "face")? {
            if !std::ptr::eq(body, of) {
                bodies.push(body.clone());
                continue;
            }
            let parts = body.shells().into_iter().map(|s| if std::ptr::eq(s, own) { &shell } else { s });
            let whole = parts.fold(Shell::empty(), |whole, part| whole.beside(part));
            bodies.push(apart(Body::from_shell(whole)).map_err(|e| Notice::refused("height", &e))?);
        }
        let built = Built::plain(Shape::Bodies(bodies)).with_reached([Reached::length("Height", height)]);
        Ok(built.with_deviation(off, context.tolerance.fit))
    }
}
