//! What surfaces take over at their edges, and what they reached there: the same for patches, networks and bridges.

use geometry::Point3;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::{Agrees, EdgeReached};
use topology::Continuity;

use crate::{Notice, Reached};

/// What a surface takes over from the face beside one of its edges.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum EdgeAgrees {
    /// The edge only (G0).
    #[default]
    Position,
    /// Its tangent plane too (G1).
    Tangent,
    /// And its curvature (G2).
    Curvature,
    /// Square to the plane of the edge itself, as for a half that is mirrored there.
    Square,
}

impl EdgeAgrees {
    /// As the cards of what is laid inside edges offer them, the first one where nothing is chosen.
    pub(crate) const CHOICES: [(&'static str, &'static str); 4] =
        [("position", "Position"), ("tangent", "Tangent"), ("curvature", "Curvature"), ("square", "Square")];
}

impl From<EdgeAgrees> for Agrees {
    fn from(agrees: EdgeAgrees) -> Self {
        match agrees {
            EdgeAgrees::Position => Self::Position,
            EdgeAgrees::Tangent | EdgeAgrees::Square => Self::Tangent,
            EdgeAgrees::Curvature => Self::Curvature,
        }
    }
}

/// Figures of what was reached at each edge, under one label for each, and warnings where that is less than was asked.
pub(crate) fn edges_reached(edges: &[EdgeReached], slot: &str, join: f64) -> (Vec<Reached>, Vec<Notice>) {
    let (mut reached, mut warnings) = (Vec::new(), Vec::new());
    let mut edges = edges.to_vec();
    edges.sort_by_key(|e| e.number);
    for edge in &edges {
        let number = edge.number;
        let of = match slot {
            "first" | "second" => format!("edge {number} of the {slot} family"),
            _ => format!("edge {number}"),
        };
        let label = format!("E{}", &of[1..]);
        let warn = |text: String, at: Point3| Notice::about(slot, format!("{of} {text}")).at(at);
        let gap = Reached::length(&label, edge.gap);
        let Some(meets) = edge.meets else {
            reached.push(gap);
            continue;
        };
        reached.push(gap.at(meets.gap.1));
        if edge.gap > join {
            warnings.push(warn(
                format!(
                    "lies up to {:.4} mm off the surface and would not join; ask for less beside it",
                    edge.gap
                ),
                meets.gap.1,
            ));
        }
        reached.push(Reached::angle(&label, meets.angle.0).at(meets.angle.1));
        if edge.asked == Agrees::Curvature {
            reached.push(Reached::share(&label, meets.curvature_share).at(meets.curvature.1));
        }
        let degrees = meets.angle.0.to_degrees();
        match edge.asked {
            Agrees::Tangent | Agrees::Curvature if meets.meets < Continuity::G1 => warnings.push(warn(
                format!("is tangent to its face within {degrees:.2} deg only, most here; look whether its neighbours leave it the room"),
                meets.angle.1,
            )),
            Agrees::Curvature if meets.meets < Continuity::G2 => warnings.push(warn(
                format!(
                    "agrees with its face's curvature within {:.1} % only, most here; look whether its neighbours leave it the room",
                    100.0 * meets.curvature_share
                ),
                meets.curvature.1,
            )),
            _ => {}
        }
    }
    (reached, warnings)
}
