//! Curve on a surface: drawn directly on it, and staying there.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Construction, Context, SlotDescription, StepDescription};
use crate::{Amount, Built, CurveShape, Notice, Place, Quantity, Reference};

/// A curve drawn on a surface.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CurveOnSurface {
    /// The surface: one with a single face, or a face of a body.
    pub surface: Reference,
    /// Places that it passes through: shares, 0 to 1, of the surface's two parameters.
    pub places: Vec<[Amount; 2]>,
}

impl Construction for CurveOnSurface {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "curve_on_surface",
            label: "Curve on surface",
            stage: "Draw",
            purpose: "Draw a curve directly on a surface; it stays on it.",
            also: "draw on face, surface spline, on skin",
            key: "u",
            makes: &["curve"],
            slots: vec![
                SlotDescription::one(
                    "surface",
                    "Surface",
                    &["surface", "solid"],
                    "The face that it is drawn on.",
                )
                .one_face(),
                SlotDescription::one(
                    "places",
                    "Places",
                    &["place"],
                    "Clicked on the surface, or typed as shares of its two parameters, as in 0.2, 0.5.",
                )
                .many(2, 500),
            ],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("surface", &self.surface)]
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        self.places.iter_mut().flatten().collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let surfaces = context.surfaces(&self.surface, "surface")?;
        let [surface] = surfaces[..] else {
            let message = format!("this has {} faces; pick the one to draw on", surfaces.len());
            return Err(Notice::about("surface", message));
        };
        let (du, dv) = surface.domain();
        let share = |amount: &Amount| {
            let share = context.value(amount, Quantity::Ratio, "places")?;
            if (0.0..=1.0).contains(&share) {
                return Ok(share);
            }
            let message = format!("{share} lies beyond the surface; a share goes from 0 to 1");
            Err(Notice::about("places", message))
        };
        let places: Vec<[f64; 2]> = self
            .places
            .iter()
            .map(|[u, v]| Ok([du.at(share(u)?), dv.at(share(v)?)]))
            .collect::<Result<_, Notice>>()?;
        let fitted = surfacing::curve_on_surface(surface, &places, &context.tolerance)
            .map_err(|e| Notice::refused("places", &e))?;
        let handles = places.iter().map(|[u, v]| Place { at: surface.point(*u, *v), own: true }).collect();
        let shape = CurveShape { places: handles, ..CurveShape::in_space("curve", vec![fitted.curve]) };
        Ok(Built::curves(vec![shape]).with_deviation(fitted.max_deviation, context.tolerance.fit))
    }
}
