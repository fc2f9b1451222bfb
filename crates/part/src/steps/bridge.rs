//! Bridge: a surface between two edges that takes over their tangents or curvature.

use std::sync::Arc;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{Away, LoftEnd, Section, SurfacingError, Way};

use super::edge_agrees::EdgeAgrees;
use super::loft::lofted;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_one, is_zero, one, zero};
use crate::recipe::is_default;
use crate::{Amount, Built, Notice, Quantity, Reference};

/// In which direction within the face's tangent plane a bridge leaves it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Leaves {
    /// Toward the other edge.
    #[default]
    Toward,
    /// Square to the edge.
    Square,
    /// Along the face's own parameter lines.
    Lines,
}

/// A surface between two edges.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Bridge {
    /// Edges that run end to end; other curves are met in position only.
    pub first: Vec<Reference>,
    /// Edges that run end to end on the other side.
    pub second: Vec<Reference>,
    /// What it takes over at the first edge.
    #[serde(default = "tangent", skip_serializing_if = "is_tangent")]
    pub first_agrees: EdgeAgrees,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub first_pull: Amount,
    /// In which direction it leaves the face there.
    #[serde(default, skip_serializing_if = "is_default")]
    pub first_leaves: Leaves,
    /// Turned from that, within the face's tangent plane, toward where the edge runs.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub first_turn: Amount,
    /// Whether it leaves over the face there, and not away from it.
    #[serde(default, skip_serializing_if = "is_default")]
    pub first_over: bool,
    /// What it takes over at the second edge.
    #[serde(default = "tangent", skip_serializing_if = "is_tangent")]
    pub second_agrees: EdgeAgrees,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub second_pull: Amount,
    /// In which direction it leaves the face there.
    #[serde(default, skip_serializing_if = "is_default")]
    pub second_leaves: Leaves,
    /// Turned from that, within the face's tangent plane, toward where the edge runs.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub second_turn: Amount,
    /// Whether it leaves over the face there, and not away from it.
    #[serde(default, skip_serializing_if = "is_default")]
    pub second_over: bool,
    /// The second edge run the other way than it would be by itself.
    #[serde(default, skip_serializing_if = "is_default")]
    pub crossed: bool,
}

fn tangent() -> EdgeAgrees {
    EdgeAgrees::Tangent
}

fn is_tangent(agrees: &EdgeAgrees) -> bool {
    *agrees == tangent()
}

/// Largest turn of a direction, in degrees.
const MOST_TURN: f64 = 80.0;

impl Bridge {
    fn end(
        context: &Context<'_>,
        edges: &[Reference],
        slot: &str,
        (agrees, field): (EdgeAgrees, &str),
        (pull, pull_field): (&Amount, &str),
        (leaves, turn, turn_field): (Leaves, &Amount, &str),
        over: bool,
    ) -> Result<LoftEnd, Notice> {
        if agrees == EdgeAgrees::Position {
            return Ok(LoftEnd::Free);
        }
        if agrees == EdgeAgrees::Square {
            let message = "a bridge takes over from the faces beside its edges; choose tangent, and let it leave square to the edge";
            return Err(Notice::about(field, message));
        }
        let mut uses = Vec::new();
        for edge in edges {
            let found = context.uses(edge, slot)?;
            let [only] = &found[..] else {
                let message = if found.is_empty() {
                    "this is no edge of a face, so that there is nothing to take over; pick an edge, or choose position"
                } else {
                    "two faces meet at this edge already; pick a free edge, or choose position"
                };
                return Err(Notice::about(field, message));
            };
            uses.push(*only);
        }
        let surfaces = uses.iter().map(|(face, _)| Arc::clone(&face.surface)).collect();
        let pull = context.pull(pull, pull_field)?;
        let turn = context.value(turn, Quantity::Angle, turn_field)?;
        if turn.abs() > MOST_TURN.to_radians() {
            let message = format!("turn it by at most {MOST_TURN} deg, or it would run along the edge");
            return Err(Notice::about(turn_field, message));
        }
        let way = match leaves {
            Leaves::Toward => Way::Toward,
            Leaves::Square => Way::Square,
            Leaves::Lines => Way::Lines,
        };
        let (curvature, side) = (agrees == EdgeAgrees::Curvature, Some(Away::from(&uses, over)));
        Ok(LoftEnd::Neighbour { surfaces, curvature, pull, way, turn, side })
    }
}

impl Construction for Bridge {
    fn describe() -> StepDescription {
        let edges = |name, label| {
            SlotDescription::one(name, label, &["curve"], "Free edges that run end to end, picked in space.")
                .many(1, 50)
        };
        let agrees = |name, label| {
            let choices = [("tangent", "Tangent"), ("curvature", "Curvature"), ("position", "Position")];
            let help = "What it takes over from the face whose edge that is.";
            ValueDescription::choice(name, label, &choices, help)
        };
        let pull = |name, label, field| {
            let help = "1 for what comes by itself; more keeps the face's direction longer.";
            ValueDescription::amount(name, label, Quantity::Ratio, [0.001, 100.0], json!(1), help)
                .only_if(field, "!position")
        };
        let leaves = |name, label, field| {
            let choices =
                [("toward", "Toward the other"), ("square", "Square to it"), ("lines", "Along its face")];
            let help = "Toward the other edge, square to the edge, or along the parameter lines of its face.";
            ValueDescription::choice(name, label, &choices, help).only_if(field, "!position")
        };
        let turn = |name, label, field| {
            let help = "Turned from that within the face, toward where the edge runs.";
            ValueDescription::amount(name, label, Quantity::Angle, [-MOST_TURN, MOST_TURN], json!(0), help)
                .only_if(field, "!position")
        };
        let over = |name, field| {
            let help = "By itself it leaves away from the face, so that the three do not lie on each other.";
            ValueDescription::switch(name, "Over its face", help).only_if(field, "!position")
        };
        StepDescription {
            kind: "bridge",
            label: "Bridge",
            stage: "Skin",
            purpose: "Span two edges by a surface that takes over their tangents or curvature.",
            also: "bridge, blend, transition, connect edges, between surfaces",
            key: "B",
            makes: &["surface"],
            slots: vec![edges("first", "First edge"), edges("second", "Second edge")],
            values: vec![
                agrees("first_agrees", "Takes over at the first"),
                pull("first_pull", "Pull at the first", "first_agrees"),
                leaves("first_leaves", "Leaves the first", "first_agrees"),
                turn("first_turn", "Turned by", "first_agrees"),
                over("first_over", "first_agrees"),
                agrees("second_agrees", "Takes over at the second"),
                pull("second_pull", "Pull at the second", "second_agrees"),
                leaves("second_leaves", "Leaves the second", "second_agrees"),
                turn("second_turn", "Turned by", "second_agrees"),
                over("second_over", "second_agrees"),
                ValueDescription::switch(
                    "crossed",
                    "Run the second the other way",
                    "By itself it runs so that the bridge does not cross itself.",
                ),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let first = self.first.iter().map(|r| ("first", r));
        first.chain(self.second.iter().map(|r| ("second", r))).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.first_pull, &mut self.first_turn, &mut self.second_pull, &mut self.second_turn]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let section = |edges: &[Reference], slot: &str, reversed: bool| -> Result<Section, Notice> {
            let pieces = edges.iter().map(|r| context.pieces(r, slot)).collect::<Result<Vec<_>, _>>()?;
            Ok(Section::Curves { pieces: pieces.concat(), normal: None, reversed, begins: None })
        };
        let sections =
            [section(&self.first, "first", false)?, section(&self.second, "second", self.crossed)?];
        let first = (self.first_agrees, "first_agrees");
        let second = (self.second_agrees, "second_agrees");
        let how = surfacing::Loft {
            ends: [
                Self::end(
                    context,
                    &self.first,
                    "first",
                    first,
                    (&self.first_pull, "first_pull"),
                    (self.first_leaves, &self.first_turn, "first_turn"),
                    self.first_over,
                )?,
                Self::end(
                    context,
                    &self.second,
                    "second",
                    second,
                    (&self.second_pull, "second_pull"),
                    (self.second_leaves, &self.second_turn, "second_turn"),
                    self.second_over,
                )?,
            ],
            close: false,
            ..surfacing::Loft::default()
        };
        lofted(context, &[("first", 0), ("second", 0)], &sections, &how, |e| {
            let is_first = matches!(e, SurfacingError::OffNeighbour { last: false, .. });
            Notice::refused(if is_first { "first" } else { "second" }, e)
        })
        .map(|(built, _)| built)
    }

    /// Spanning its edges leaves surfaces what they are.
    fn keeps(&self, _slot: &str) -> bool {
        true
    }
}
