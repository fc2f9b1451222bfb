//! How far the end of a curve agrees with what it meets, or with what it was.

use geometry::EndsKept;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How far an end agrees with what it goes on from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum EndAgrees {
    /// In its tangent (G1).
    #[default]
    Tangent,
    /// In its tangent and its curvature (G2).
    Curvature,
}

impl From<EndAgrees> for EndsKept {
    fn from(agrees: EndAgrees) -> Self {
        match agrees {
            EndAgrees::Tangent => Self::Tangents,
            EndAgrees::Curvature => Self::Curvature,
        }
    }
}
