//! Surface curve: an edge of a surface, or one of its parameter curves.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use topology::{Body, Shell};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{half, one};
use crate::{Amount, Built, CurveShape, Notice, Quantity, Reference};

/// Which curve of a surface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Which {
    /// The free edges: where the surface ends.
    #[default]
    FreeEdges,
    /// Along the first parameter at a place of the second.
    AlongU,
    /// Along the second parameter at a place of the first.
    AlongV,
}

/// A parameter curve or the free edges of a surface.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SurfaceCurve {
    /// The surface or solid.
    pub surface: Reference,
    /// Which of its curves.
    #[serde(default)]
    pub which: Which,
    /// For parameter curves: which face, counted from 1.
    #[serde(default = "one")]
    pub face: Amount,
    /// For parameter curves: the share of the other parameter, 0 to 1.
    #[serde(default = "half")]
    pub at: Amount,
}

impl Construction for SurfaceCurve {
    fn describe() -> StepDescription {
        let value = |name, label, quantity, range, default, help| {
            ValueDescription::amount(name, label, quantity, range, default, help)
        };
        let mut values = vec![ValueDescription::choice(
            "which",
            "Which",
            &[("free_edges", "Free edges"), ("along_u", "Along u"), ("along_v", "Along v")],
            "Where the surface ends, or a curve along one of its parameters.",
        )];
        for which in ["along_u", "along_v"] {
            values.push(
                value("face", "Face", Quantity::Count, [1.0, 1e4], json!(1), "Which face, counted from 1.")
                    .only_if("which", which),
            );
            values.push(
                value(
                    "at",
                    "Place",
                    Quantity::Ratio,
                    [0.0, 1.0],
                    json!(0.5),
                    "The share of the other parameter, 0 to 1.",
                )
                .only_if("which", which),
            );
        }
        StepDescription {
            kind: "surface_curve",
            label: "Edge curve",
            stage: "Draw",
            purpose: "Take an edge or a parameter curve of a surface as a curve.",
            also: "edge, boundary, isoparametric, extract",
            key: "b",
            makes: &["curve"],
            slots: vec![SlotDescription::one(
                "surface",
                "Surface",
                &["surface", "solid"],
                "The surface that it is taken from.",
            )],
            values,
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("surface", &self.surface)]
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.face, &mut self.at]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let shells: Vec<&Shell> =
            context.input(&self.surface, "surface")?.shape.bodies().iter().flat_map(Body::shells).collect();
        if self.which == Which::FreeEdges {
            let edges = shells.iter().flat_map(|s| topology::free_edges(s).into_iter().map(|e| s.edge(e)));
            let curves: Vec<CurveShape> = edges
                .filter_map(|e| e.curve.clone())
                .enumerate()
                .map(|(k, c)| CurveShape::in_space(&format!("edge {}", k + 1), vec![c]))
                .collect();
            if curves.is_empty() {
                return Err(Notice::about(
                    "surface",
                    "this shape has no free edge; pick an open surface, or take a parameter curve",
                ));
            }
            return Ok(Built::curves(curves));
        }
        let faces: Vec<_> = shells.iter().flat_map(|s| s.faces()).collect();
        let wanted = context.value(&self.face, Quantity::Count, "face")? as usize;
        let face = wanted.checked_sub(1).and_then(|k| faces.get(k)).ok_or_else(|| {
            Notice::about("face", format!("there is no face {wanted}; it has {}", faces.len()))
        })?;
        let at = context.value(&self.at, Quantity::Ratio, "at")?;
        if !(0.0..=1.0).contains(&at) {
            return Err(Notice::about("at", format!("{at} is no share; give 0 to 1")));
        }
        let (u, v) = face.surface.domain();
        let curve = if self.which == Which::AlongU {
            face.surface.curve_at_v(v.at(at))
        } else {
            face.surface.curve_at_u(u.at(at))
        };
        let length = curve.length();
        if length <= context.tolerance.resolution {
            let message = "the surface shrinks to a point here; choose another place";
            return Err(Notice::about("at", message).at(curve.start()));
        }
        Ok(Built::curves(vec![CurveShape::in_space("curve", vec![curve])]))
    }
}
