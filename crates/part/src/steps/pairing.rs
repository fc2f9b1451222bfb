//! Lines that join places of a loft's sections: as they are given, and as they are shown and moved.

use geometry::{ArcLength, NurbsCurve, Point3, closest_on_curve};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::{Joined, Section};

use super::Context;
use crate::{Amount, Notice, Quantity};

/// Places of sections that are joined along the surface.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Pair {
    /// At most one on each section; where a section has none, it is met where the line passes.
    pub places: Vec<PairPlace>,
}

/// A place on a section.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PairPlace {
    /// Which section, counted from 1.
    pub section: usize,
    /// Which of its pieces, counted from 1 in the order in which they were drawn.
    #[serde(default = "first", skip_serializing_if = "is_first")]
    pub piece: usize,
    /// The share of that piece's length, 0 to 1, in the direction in which it was drawn.
    pub at: Amount,
}

fn first() -> usize {
    1
}

fn is_first(piece: &usize) -> bool {
    *piece == 1
}

/// The lines of a loft, and the sections along which their ends are moved.
#[derive(Debug, Clone, PartialEq)]
pub struct Pairing {
    /// Each section's pieces as they were drawn; none for a point.
    pub sections: Vec<Vec<NurbsCurve>>,
    /// The lines.
    pub lines: Vec<PairingLine>,
}

/// One line along which sections are joined.
#[derive(Debug, Clone, PartialEq)]
pub struct PairingLine {
    /// Which of the given pairs it is, counted from 0; none for one that came by itself.
    pub given: Option<usize>,
    /// The line along the surface.
    pub along: Vec<Point3>,
    /// Its ends on sections.
    pub ends: Vec<PairingEnd>,
}

/// Where a line meets a section.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PairingEnd {
    /// Which section, counted from 0.
    pub section: usize,
    /// The place.
    pub at: Point3,
    /// Which of its pieces, counted from 0.
    pub piece: usize,
    /// The share of that piece's length.
    pub share: f64,
}

fn pieces_of(section: &Section) -> &[NurbsCurve] {
    match section {
        Section::Curves { pieces, .. } => pieces,
        Section::Point(_) => &[],
    }
}

/// Places in space of given pairs, by section.
pub(super) fn places(
    pairs: &[Pair],
    sections: &[Section],
    context: &Context<'_>,
) -> Result<Vec<Vec<Option<Point3>>>, Notice> {
    let refused = |message: String| Err(Notice::about("pairs", message));
    let mut all = Vec::with_capacity(pairs.len());
    for (k, pair) in pairs.iter().enumerate() {
        let mut by_section = vec![None; sections.len()];
        for place in &pair.places {
            let number = place.section;
            let Some(section) = number.checked_sub(1).and_then(|i| sections.get(i)) else {
                let count = sections.len();
                return refused(format!(
                    "pairing line {} names section {number} of {count}; take it out and drag it anew",
                    k + 1
                ));
            };
            let pieces = pieces_of(section);
            let Some(piece) = place.piece.checked_sub(1).and_then(|p| pieces.get(p)) else {
                let (named, count) = (place.piece, pieces.len());
                return refused(format!(
                    "pairing line {} names piece {named} of section {number}, which has {count}; drag that end anew",
                    k + 1
                ));
            };
            let share = context.value(&place.at, Quantity::Ratio, "pairs")?;
            if !(0.0..=1.0).contains(&share) {
                return refused(format!("pairing line {}: give a share of 0 to 1", k + 1));
            }
            by_section[number - 1] = Some(piece.point(piece.parameter_at_share(share)));
        }
        if by_section.iter().all(Option::is_none) {
            return refused(format!("pairing line {} has no place on any section; take it out", k + 1));
        }
        all.push(by_section);
    }
    Ok(all)
}

impl Pairing {
    /// Of lines that have a place on each section.
    pub(super) fn of(lines: Vec<Joined>, sections: &[Section]) -> Self {
        // Measured once for all lines.
        let lengths: Vec<Vec<ArcLength<'_>>> =
            sections.iter().map(|s| pieces_of(s).iter().map(ArcLength::new).collect()).collect();
        let end = |(section, at): (usize, Point3)| {
            let feet = pieces_of(&sections[section]).iter().map(|piece| closest_on_curve(piece, &at));
            let nearest = feet.enumerate().min_by(|a, b| a.1.distance.total_cmp(&b.1.distance));
            nearest.map(|(piece, foot)| {
                let share = lengths[section][piece].share(foot.parameter);
                PairingEnd { section, at, piece, share }
            })
        };
        let line = |line: Joined| PairingLine {
            given: line.given,
            along: line.along,
            ends: line.ends.into_iter().enumerate().filter_map(end).collect(),
        };
        Self {
            sections: sections.iter().map(|s| pieces_of(s).to_vec()).collect(),
            lines: lines.into_iter().map(line).collect(),
        }
    }
}
