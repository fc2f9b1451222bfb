//! Revolve: a profile turned about an axis, round or flat-sided.

use geometry::{Axis, NurbsCurve, Point3, Vector3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{FlatMeasure, SurfacingError, Turn};

use super::{Choice, Construction, Context, SlotDescription, StepDescription, ValueDescription, Widget};
use crate::recipe::is_default;
use crate::{
    Amount, Built, Cure, DrawingShape, Edit, Notice, Quantity, Reached, Reference, Shape, format_length,
};

/// One of the main axes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum MainAxis {
    /// The x axis.
    X,
    /// The y axis.
    Y,
    /// The z axis, upwards.
    #[default]
    Z,
}

/// Round or with flat sides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Sides {
    /// Round.
    #[default]
    Round,
    /// Flat-sided, a full turn.
    Flat,
}

/// What the profile of a flat-sided shape measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Measure {
    /// To the middle of a side.
    #[default]
    Flats,
    /// To a corner.
    Corners,
}

/// What happens at the ends of a partial turn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Ends {
    /// Flat faces, where the profile encloses an area.
    #[default]
    Closed,
    /// Left open.
    Open,
}

/// A profile turned about an axis.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Revolve {
    /// The drawing, or one of its curves.
    pub profile: Reference,
    /// What it turns about.
    #[serde(default)]
    pub axis: MainAxis,
    /// Round or flat-sided.
    #[serde(default, skip_serializing_if = "is_default")]
    pub sides: Sides,
    /// How far round it goes.
    #[serde(default = "full_turn")]
    pub turn: Amount,
    /// How many flat sides.
    #[serde(default = "six", skip_serializing_if = "is_six")]
    pub side_count: Amount,
    /// What the profile of a flat-sided shape measures.
    #[serde(default, skip_serializing_if = "is_default")]
    pub measure: Measure,
    /// Ends of a partial turn.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: Ends,
    /// Whether the outside is turned to the other side.
    #[serde(default, skip_serializing_if = "is_default")]
    pub flip_facing: bool,
}

fn full_turn() -> Amount {
    "360 deg".into()
}

fn six() -> Amount {
    Amount::Number(6.0)
}

fn is_six(amount: &Amount) -> bool {
    *amount == six()
}

/// A profile curve with where it came from, so that a cure can change its source.
struct Source<'a> {
    drawing: &'a DrawingShape,
    curve_ids: Vec<String>,
}

impl Revolve {
    fn axis(&self) -> Axis {
        let direction = match self.axis {
            MainAxis::X => Vector3::x(),
            MainAxis::Y => Vector3::y(),
            MainAxis::Z => Vector3::z(),
        };
        Axis { origin: Point3::origin(), direction }
    }

    fn profile<'a>(
        &self,
        context: &'a Context<'_>,
    ) -> Result<(Vec<(NurbsCurve, String)>, Source<'a>), Notice> {
        let built = context.input(&self.profile, "profile")?;
        let Shape::Drawing(drawing) = &built.shape else {
            return Err(Notice::about(
                "profile",
                "a profile is made of curves; pick a drawing or one of its curves",
            ));
        };
        let name = context.recipe.step_name(&self.profile.step).to_string();
        let picked: Vec<_> = drawing
            .curves
            .iter()
            .filter(|c| self.profile.curve.as_ref().is_none_or(|id| *id == c.id))
            .collect();
        if picked.is_empty() {
            let message = match &self.profile.curve {
                Some(id) => format!("curve `{id}` is no longer in {name}; pick another profile"),
                None => format!("{name} has no curve yet; draw one first"),
            };
            return Err(Notice::about("profile", message));
        }
        let single = picked.len() == 1;
        let role = |id: &str| if single { name.clone() } else { format!("{name} / {id}") };
        let curves = picked.iter().map(|c| (c.curve.clone(), role(&c.id))).collect();
        let curve_ids = picked.iter().map(|c| c.id.clone()).collect();
        Ok((curves, Source { drawing, curve_ids }))
    }

    /// The cure that moves one end of a profile curve straight onto the axis.
    fn put_on_axis(&self, source: &Source<'_>, (curve, at_end): (usize, bool), at: Point3) -> Option<Cure> {
        let axis = self.axis();
        let foot = source.drawing.frame.flattened(&(at - axis.radial(&at)));
        let id = source.curve_ids.get(curve)?;
        let shape = source.drawing.curves.iter().find(|c| c.id == *id)?;
        let tidy = |x: f64| Amount::Number((x * 1e9).round() / 1e9 + 0.0);
        let edit = Edit::MovePoint {
            step: self.profile.step.clone(),
            curve: id.clone(),
            index: if at_end { shape.points.len() - 1 } else { 0 },
            to: [tidy(foot.x), tidy(foot.y)],
        };
        Some(Cure { label: "Put it on the axis".into(), edits: vec![edit] })
    }

    fn notice(&self, error: &SurfacingError, source: &Source<'_>, context: &Context<'_>) -> Notice {
        let (input, cure) = match error {
            SurfacingError::Angle { .. } => ("turn", None),
            SurfacingError::Sides(_) => ("side_count", None),
            SurfacingError::EndBeyondAxis { at, .. } => {
                let at = Point3::from(*at);
                let near = |p: Point3| (p - at).norm() <= context.tolerance.join;
                let ends = source.curve_ids.iter().enumerate().find_map(|(i, id)| {
                    let c = source.drawing.curves.iter().find(|c| c.id == *id)?;
                    if near(c.curve.start()) {
                        Some((i, false))
                    } else {
                        near(c.curve.end()).then_some((i, true))
                    }
                });
                ("profile", ends.and_then(|e| self.put_on_axis(source, e, at)))
            }
            _ => ("profile", None),
        };
        let message = match error {
            SurfacingError::EndBeyondAxis { distance, .. } => format!(
                "An end of the profile is {} beyond the axis. A full turn would overlap itself there by {}.",
                format_length(*distance, context.unit()),
                format_length(2.0 * distance, context.unit())
            ),
            other => other.to_string(),
        };
        Notice { message, input: Some(input.into()), at: error.place(), cure }
    }
}

impl Construction for Revolve {
    fn describe() -> StepDescription {
        let choice = |value, label| Choice { value, label };
        StepDescription {
            kind: "revolve",
            label: "Revolve",
            stage: "Skin",
            purpose: "Turn a profile about an axis, round or with flat sides.",
            also: "turn, spin, lathe, rotate, round, surface of revolution",
            key: "r",
            slots: vec![SlotDescription {
                name: "profile",
                label: "Profile",
                takes: &["drawing"],
                least: 1,
                most: 1,
                directed: true,
                help: "A drawing whose curves run end to end, or one of its curves.",
            }],
            values: vec![
                ValueDescription {
                    name: "axis",
                    label: "Axis",
                    widget: Widget::Choice {
                        choices: vec![choice("x", "X"), choice("y", "Y"), choice("z", "Z")],
                    },
                    default: json!("z"),
                    only_if: None,
                    help: "The line that the profile turns about.",
                },
                ValueDescription {
                    name: "sides",
                    label: "Kind",
                    widget: Widget::Choice {
                        choices: vec![choice("round", "Round"), choice("flat", "Flat-sided")],
                    },
                    default: json!("round"),
                    only_if: None,
                    help: "Round, or a full turn with flat sides.",
                },
                ValueDescription {
                    name: "turn",
                    label: "Turn",
                    widget: Widget::Amount { quantity: Quantity::Angle, least: 0.001, most: 360.0 },
                    default: json!("360 deg"),
                    only_if: Some(("sides", "round")),
                    help: "How far round; 270 deg leaves a quarter open to look inside.",
                },
                ValueDescription {
                    name: "ends",
                    label: "Ends of a part turn",
                    widget: Widget::Choice {
                        choices: vec![choice("closed", "Flat faces"), choice("open", "Open")],
                    },
                    default: json!("closed"),
                    only_if: Some(("sides", "round")),
                    help: "Flat faces close a part turn where the profile encloses an area.",
                },
                ValueDescription {
                    name: "side_count",
                    label: "Sides",
                    widget: Widget::Amount { quantity: Quantity::Count, least: 3.0, most: 360.0 },
                    default: json!(6),
                    only_if: Some(("sides", "flat")),
                    help: "4 gives a square, 6 a hexagon, 8 an octagon.",
                },
                ValueDescription {
                    name: "measure",
                    label: "Profile reaches to",
                    widget: Widget::Choice {
                        choices: vec![choice("flats", "Flats"), choice("corners", "Corners")],
                    },
                    default: json!("flats"),
                    only_if: Some(("sides", "flat")),
                    help: "Whether the profile stands at the middle of a side or at a corner.",
                },
                ValueDescription {
                    name: "flip_facing",
                    label: "Flip facing",
                    widget: Widget::Switch,
                    default: json!(false),
                    only_if: None,
                    help: "Turns the outer side to the other side.",
                },
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        vec![("profile", &self.profile)]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let (curves, source) = self.profile(context)?;
        let turn = match self.sides {
            Sides::Round => Turn::Round { sweep: context.value(&self.turn, Quantity::Angle, "turn")? },
            Sides::Flat => Turn::FlatSided {
                sides: context.value(&self.side_count, Quantity::Count, "side_count")? as usize,
                measure: match self.measure {
                    Measure::Flats => FlatMeasure::Flats,
                    Measure::Corners => FlatMeasure::Corners,
                },
            },
        };
        let capped = self.ends == Ends::Closed;
        let made =
            surfacing::revolve(&curves, &self.axis(), turn, capped, self.flip_facing, &context.tolerance)
                .map_err(|e| self.notice(&e, &source, context))?;
        let mut warnings = Vec::new();
        for off in &made.meridian.off_axis {
            let message = format!(
                "An end of the profile is {} off the axis. A full turn leaves a hole of {} there.",
                format_length(off.distance, context.unit()),
                format_length(2.0 * off.distance, context.unit()),
            );
            warnings.push(Notice {
                message,
                input: Some("profile".into()),
                at: Some(off.at.into()),
                cure: self.put_on_axis(&source, off.curve, off.at),
            });
        }
        if self.flip_facing && made.body.is_solid() {
            let message =
                "It closes into a solid, and a solid faces outwards by itself; flip facing has no effect.";
            warnings.push(Notice::about("flip_facing", message));
        }
        let mut reached = Vec::new();
        if let Some((radius, at)) = made.smallest_radius {
            reached.push(Reached {
                label: "Smallest radius of the profile".into(),
                value: radius,
                quantity: Quantity::Length,
                at: Some(at.into()),
            });
        }
        if made.meridian.largest_gap > 0.0 {
            reached.push(Reached {
                label: "Largest gap closed in the profile".into(),
                value: made.meridian.largest_gap,
                quantity: Quantity::Length,
                at: None,
            });
        }
        Ok(Built { shape: Shape::Turned(Box::new(made)), reached, warnings })
    }
}
