//! Extend: a surface made longer over its edges.

use geometry::GoesOn;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{SurfacingError, Until, extend_shell};
use topology::{Body, EdgeId, Shell, free_edges};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::ten_mm;
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, PlaneInput, Quantity, Reference, Shape};

/// How a surface goes on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Goes {
    /// As it is: round stays round, curved stays curved.
    #[default]
    Naturally,
    /// Straight along its tangents.
    Straight,
}

/// How far.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum HowFar {
    /// By a length.
    #[default]
    Distance,
    /// Up to a plane.
    Plane,
    /// Up to a surface, a solid or one face.
    Face,
}

/// A surface made longer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Extend {
    /// The surface or shell.
    pub surface: Reference,
    /// Its free edges over which it is made longer; with none all of them.
    #[serde(default, skip_serializing_if = "is_default")]
    pub edges: Vec<Reference>,
    /// How it goes on.
    #[serde(default, skip_serializing_if = "is_default")]
    pub goes: Goes,
    /// How far.
    #[serde(default, skip_serializing_if = "is_default")]
    pub extent: HowFar,
    /// For `distance`: at least so far everywhere along the edges.
    #[serde(default = "ten_mm")]
    pub length: Amount,
    /// For `plane`: up to this one.
    #[serde(default, skip_serializing_if = "is_default")]
    pub plane: PlaneInput,
    /// For `face`: up to this one.
    #[serde(default, skip_serializing_if = "is_default")]
    pub face: Option<Reference>,
}

impl Extend {
    /// The chosen edges of a shell: all free ones if none is chosen.
    fn chosen(&self, context: &Context<'_>, shell: &Shell) -> Result<Vec<EdgeId>, Notice> {
        let free = free_edges(shell);
        if self.edges.is_empty() {
            return Ok(free);
        }
        let mut out = Vec::new();
        for reference in &self.edges {
            let pieces = context.pieces(reference, "edges")?;
            let is_it = |e: &&EdgeId| shell.edge(**e).curve.as_ref().is_some_and(|c| pieces.contains(c));
            out.extend(free.iter().find(is_it).copied());
        }
        Ok(out)
    }
}

impl Construction for Extend {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "extend",
            label: "Extend",
            stage: "Shape",
            purpose: "Make a surface longer over its edges, by a length or up to something.",
            also: "lengthen, grow, untrim, continue, reach",
            key: "X",
            makes: &["surface"],
            slots: vec![
                SlotDescription::one("surface", "Surface", &["surface"], "The surface that is made longer."),
                SlotDescription::one(
                    "edges",
                    "Edges",
                    &["curve"],
                    "Its free edges; with none it grows all around.",
                )
                .many(0, 100)
                .uncovers(),
                SlotDescription::one("plane", "Up to", &["plane"], "The plane where it ends.")
                    .only_if("extent", "plane"),
                SlotDescription::one("face", "Up to", &["surface", "solid"], "Where it ends.")
                    .faces()
                    .only_if("extent", "face"),
            ],
            values: vec![
                ValueDescription::choice(
                    "extent",
                    "How far",
                    &[("distance", "By a distance"), ("plane", "Up to a plane"), ("face", "Up to a surface")],
                    "Where it ends.",
                ),
                ValueDescription::amount(
                    "length",
                    "Distance",
                    Quantity::Length,
                    [0.001, 1e4],
                    json!("10 mm"),
                    "It grows at least so far everywhere along the edges.",
                )
                .only_if("extent", "distance"),
                ValueDescription::choice(
                    "goes",
                    "Goes on",
                    &[("naturally", "As it is curved"), ("straight", "Straight on")],
                    "Whether round stays round, or it runs on along its tangents.",
                ),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let edges = self.edges.iter().map(|r| ("edges", r));
        let plane = self.plane.reference().filter(|_| self.extent == HowFar::Plane).map(|r| ("plane", r));
        let face = self.face.as_ref().filter(|_| self.extent == HowFar::Face).map(|r| ("face", r));
        std::iter::once(("surface", &self.surface)).chain(edges).chain(plane).chain(face).collect()
    }

    /// It only ends there.
    fn keeps(&self, slot: &str) -> bool {
        slot == "face"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.length]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let until = match self.extent {
            HowFar::Distance => Until::Length(context.value(&self.length, Quantity::Length, "length")?),
            HowFar::Plane => Until::Plane(self.plane.frame(context, "plane")?),
            HowFar::Face => {
                let face = self
                    .face
                    .as_ref()
                    .ok_or_else(|| Notice::about("face", "pick the surface where it ends"))?;
                let members = context.members(face, "face")?;
                let [only] = &members[..] else {
                    return Err(Notice::about("face", "these are several bodies; pick one of them"));
                };
                Until::Shell(Box::new(only.shell.clone()))
            }
        };
        let how = match self.goes {
            Goes::Naturally => GoesOn::Naturally,
            Goes::Straight => GoesOn::Straight,
        };
        let (mut bodies, mut count) = (Vec::new(), 0);
        for body in context.bodies(&self.surface, "surface")? {
            let [shell] = body.shells()[..] else {
                return Err(Notice::about("surface", "a solid has no free edge; pick a surface"));
            };
            let edges = self.chosen(context, shell)?;
            count += edges.len();
            if edges.is_empty() {
                bodies.push(body.clone());
                continue;
            }
            let made = extend_shell(shell, &edges, how, &until, &context.tolerance).map_err(|e| {
                let field = match (&e, self.extent) {
                    (SurfacingError::NotABorder { .. }, _) => "edges",
                    (_, HowFar::Distance) => "length",
                    (_, HowFar::Plane) => "plane",
                    (_, HowFar::Face) => "face",
                };
                Notice::refused(field, &e)
            })?;
            bodies.push(Body::from_shell(made));
        }
        if count == 0 {
            let message =
                "no free edge of this surface is picked; pick one of its own, or none for all around";
            return Err(Notice::about("edges", message));
        }
        Ok(Built::plain(Shape::Bodies(bodies)))
    }
}
