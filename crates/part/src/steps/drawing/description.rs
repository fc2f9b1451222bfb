//! What the drawing sheet can draw and change, as the interface shows it.

use schemars::JsonSchema;
use serde::Serialize;

use super::CurveKind;
use crate::Quantity;
use crate::steps::Spacing;

/// A kind of curve.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct CurveDescription {
    /// Name in the recipe.
    pub kind: CurveKind,
    /// What the tool is called.
    pub label: &'static str,
    /// The key that picks it while a sheet is open.
    pub key: &'static str,
    /// How it is drawn.
    pub help: &'static str,
    /// Fewest and most points.
    pub points: (usize, usize),
    /// Whether it can be closed.
    pub closes: bool,
    /// Its values.
    pub values: Vec<CurveValue>,
    /// Its choices.
    pub choices: Vec<CurveChoice>,
}

/// A choice that a kind of curve has.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct CurveChoice {
    /// Name in the recipe.
    pub name: &'static str,
    /// What it is called.
    pub label: &'static str,
    /// What it does.
    pub help: &'static str,
    /// What can be chosen: its name in the recipe and its label, first what it is when it is not given.
    pub options: Vec<(&'static str, &'static str)>,
}

impl CurveChoice {
    fn of(kind: CurveKind) -> Vec<Self> {
        let (name, label, help, options) = match kind {
            CurveKind::ThroughPoints => ("spacing", "Spacing", Spacing::HELP, Spacing::CHOICES.to_vec()),
            CurveKind::ArcAbout => {
                let ways = [
                    ("counterclockwise", "Against the clock"),
                    ("clockwise", "With the clock"),
                    ("shorter", "The shorter way"),
                ];
                ("way", "Way round", "Which way it runs about its centre.", ways.to_vec())
            }
            _ => return Vec::new(),
        };
        vec![Self { name, label, help, options }]
    }
}

/// A value of a kind of curve.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct CurveValue {
    /// Name in the recipe.
    pub name: &'static str,
    /// What it measures.
    pub quantity: Quantity,
    /// What it is when it is not given, in millimetres, radians or plain.
    pub default: f64,
}

/// A change of a drawing's curves.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct ChangeDescription {
    /// Name in the recipe.
    pub change: &'static str,
    /// What it is called.
    pub label: &'static str,
    /// What it does, and what to pick.
    pub help: &'static str,
    /// How its curves are picked: `one`, `pair`, `many`, or `place` for a click on one.
    pub picks: &'static str,
    /// Its typed values.
    pub values: Vec<ChangeValue>,
}

/// A typed value of a change.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct ChangeValue {
    /// Name in the recipe.
    pub name: &'static str,
    /// What it is called.
    pub label: &'static str,
    /// What it measures; none for a word, such as the symmetry line.
    pub quantity: Option<Quantity>,
    /// What it is at first; empty for what may be left out.
    pub default: &'static str,
}

/// All kinds of curve, in the order of the sheet's tools.
#[must_use]
pub fn curve_kinds() -> Vec<CurveDescription> {
    let of = |kind: CurveKind, label, key, help| {
        let values =
            kind.values().iter().map(|&(name, quantity, default)| CurveValue { name, quantity, default });
        let closes =
            matches!(kind, CurveKind::ThroughPoints | CurveKind::ControlPoints | CurveKind::Polyline);
        CurveDescription {
            kind,
            label,
            key,
            help,
            points: kind.points(),
            closes,
            values: values.collect(),
            choices: CurveChoice::of(kind),
        }
    };
    vec![
        of(
            CurveKind::ThroughPoints,
            "Through",
            "p",
            "A curve through every click; two make a straight line. Enter ends it.",
        ),
        of(
            CurveKind::ControlPoints,
            "Control",
            "c",
            "A curve whose clicks are its control polygon. Enter ends it.",
        ),
        of(
            CurveKind::Bezier,
            "Handles",
            "z",
            "Cubic pieces: point, two handles, point, and so on. Enter ends it.",
        ),
        of(CurveKind::Polyline, "Lines", "l", "Straight lines from click to click. Enter ends them."),
        of(CurveKind::Arc, "Arc", "a", "An arc: where it begins, a place it passes, where it ends."),
        of(
            CurveKind::ArcAbout,
            "Arc about",
            "u",
            "An arc: its centre, where it begins, the direction of its end.",
        ),
        of(
            CurveKind::TangentArc,
            "Arc on",
            "n",
            "An arc that goes on from the last curve without a corner: where it ends.",
        ),
        of(CurveKind::Circle, "Circle", "i", "A circle: its centre, then a place on it."),
        of(
            CurveKind::Ellipse,
            "Ellipse",
            "k",
            "An ellipse: its centre, the end of one axis, a place as far out as the other.",
        ),
        of(CurveKind::Rectangle, "Rectangle", "r", "A rectangle: two opposite corners."),
        of(CurveKind::Polygon, "Polygon", "y", "A regular polygon: its centre, then a corner."),
    ]
}

/// All changes, in the order of the sheet's tools.
#[must_use]
pub fn change_kinds() -> Vec<ChangeDescription> {
    let length =
        |name, label, default| ChangeValue { name, label, quantity: Some(Quantity::Length), default };
    let word = |name, label, default| ChangeValue { name, label, quantity: None, default };
    let of = |change, label, picks, help, values| ChangeDescription { change, label, help, picks, values };
    vec![
        of(
            "fillet",
            "Fillet",
            "pair",
            "Rounds the corners of one curve, or the one between two.",
            vec![length("radius", "Radius", "2 mm")],
        ),
        of(
            "chamfer",
            "Chamfer",
            "pair",
            "Cuts the corners of one curve, or the one between two.",
            vec![length("distance", "Distance", "2 mm")],
        ),
        of(
            "trim",
            "Trim",
            "place",
            "Takes away the part that is clicked, up to where others cross it.",
            vec![],
        ),
        of("split", "Split", "place", "Cuts a curve in two where it is clicked.", vec![]),
        of(
            "extend",
            "Extend",
            "pair",
            "Makes a curve longer, by a distance or up to the second one picked.",
            vec![length("by", "By", "5 mm")],
        ),
        of(
            "offset",
            "Offset",
            "one",
            "Adds a curve beside one; below zero on its other side.",
            vec![length("distance", "Distance", "3 mm")],
        ),
        of(
            "mirror",
            "Mirror",
            "many",
            "Adds the mirrored halves, which follow: about x, y or a straight curve.",
            vec![word("line", "About", "y")],
        ),
        of(
            "transform",
            "Move",
            "many",
            "Moves, turns and scales; with copies the curves stay.",
            vec![
                length("by.0", "By, across", "0 mm"),
                length("by.1", "By, up", "0 mm"),
                ChangeValue {
                    name: "turn",
                    label: "Turn",
                    quantity: Some(Quantity::Angle),
                    default: "0 deg",
                },
                ChangeValue { name: "scale", label: "Scale", quantity: Some(Quantity::Ratio), default: "1" },
                ChangeValue {
                    name: "copies",
                    label: "Copies",
                    quantity: Some(Quantity::Count),
                    default: "0",
                },
            ],
        ),
        of(
            "smooth",
            "Smooth",
            "many",
            "Makes one smooth spline of a chain and says what it costs.",
            vec![length("tolerance", "Tolerance", "0.1 mm")],
        ),
        of("join", "Join", "many", "Makes one curve of several that run end to end.", vec![]),
    ]
}
