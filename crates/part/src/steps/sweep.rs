//! Sweep: sections carried along a path.

use geometry::Frame;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{Carry, PathCorners, SurfacingError, SweepSection};

use super::law::{By, Law};
use super::revolve::Ends;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_one, is_zero, one, ten_mm, zero};
use crate::recipe::is_default;
use crate::{Amount, AxisInput, Built, Notice, PointInput, Quantity, Reference};

/// What is carried along the path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Carries {
    /// Drawn sections.
    #[default]
    Drawn,
    /// A round section about the path.
    Round,
    /// A straight line from the path, at an angle to a surface or a direction.
    Straight,
}

/// Where drawn sections stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Stands {
    /// Where they were drawn.
    #[default]
    Drawn,
    /// Square to the path, by their carry point; several evenly from its start to its end.
    Brought,
}

/// How sections are turned on their way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Turned {
    /// With the path, without needless twist.
    #[default]
    Path,
    /// Not at all.
    Kept,
    /// With the path, at one angle to a direction.
    Direction,
    /// With the path, at one angle to a surface.
    Surface,
}

/// What is done at sharp corners of the path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Corners {
    /// Both legs go on to the plane midway between them.
    #[default]
    Mitred,
    /// The path is rounded.
    Rounded,
}

/// Sections carried along a path.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Sweep {
    /// A curve, a drawing or an edge.
    pub path: Reference,
    /// What is carried.
    #[serde(default, skip_serializing_if = "is_default")]
    pub carries: Carries,
    /// For `drawn`: the sections.
    #[serde(default, skip_serializing_if = "is_default")]
    pub sections: Vec<Reference>,
    /// For `drawn`: where they stand.
    #[serde(default, skip_serializing_if = "is_default")]
    pub stands: Stands,
    /// For brought sections: the point of them that rides on the path; their drawing's origin if none.
    #[serde(default, skip_serializing_if = "is_default")]
    pub carry_point: Vec<PointInput>,
    /// For `round`: its radius.
    #[serde(default = "two")]
    pub radius: Amount,
    /// For `straight`: its length.
    #[serde(default = "ten_mm", skip_serializing_if = "is_ten")]
    pub length: Amount,
    /// For `straight`: its angle to the surface at the start of the path.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub angle: Amount,
    /// How sections are turned.
    #[serde(default, skip_serializing_if = "is_default")]
    pub turned: Turned,
    /// For `direction`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub axis: AxisInput,
    /// For `surface`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub surface: Option<Reference>,
    /// What is done at sharp corners of the path.
    #[serde(default, skip_serializing_if = "is_default")]
    pub corners: Corners,
    /// For rounded corners: with this radius.
    #[serde(default = "ten_mm", skip_serializing_if = "is_ten")]
    pub corner_radius: Amount,
    /// How the twist changes along the path.
    #[serde(default, skip_serializing_if = "is_default")]
    pub twist_by: By,
    /// Turn about the path from its start to its end; for `formula` the turn where `along` of the path lies behind.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub twist: Amount,
    /// For `graph`: a drawn curve whose height, 1 mm for 1 degree, is the turn.
    #[serde(default, skip_serializing_if = "is_default")]
    pub twist_graph: Option<Reference>,
    /// How the size changes along the path.
    #[serde(default, skip_serializing_if = "is_default")]
    pub scale_by: By,
    /// Size at the end of the path, 1 for that at its start; for `formula` the size where `along` of the path lies behind.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub scale: Amount,
    /// For `graph`: a drawn curve whose height over the sheet's x axis, as a share of that at its beginning, is the size.
    #[serde(default, skip_serializing_if = "is_default")]
    pub scale_graph: Option<Reference>,
    /// What happens at the ends of closed sections.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: Ends,
}

fn two() -> Amount {
    "2 mm".into()
}

fn is_ten(amount: &Amount) -> bool {
    *amount == ten_mm()
}

impl Sweep {
    fn sections(&self, context: &Context<'_>) -> Result<Vec<SweepSection>, Notice> {
        match self.carries {
            Carries::Round => {
                Ok(vec![SweepSection::Round(context.value(&self.radius, Quantity::Length, "radius")?)])
            }
            Carries::Straight => {
                Ok(vec![SweepSection::Straight(context.value(&self.length, Quantity::Length, "length")?)])
            }
            Carries::Drawn => {
                let last = self.sections.len().saturating_sub(1).max(1);
                let section = |(i, r): (usize, &Reference)| -> Result<SweepSection, Notice> {
                    let pieces = context.pieces(r, "sections")?;
                    if self.stands == Stands::Drawn {
                        return Ok(SweepSection::Drawn(pieces));
                    }
                    let frame = context.drawing_frame(r, "sections")?.ok_or_else(|| {
                        let message = "only a drawn section has a plane to be laid square to the path; pick a drawing, or leave it where it stands";
                        Notice::about("sections", message)
                    })?;
                    let carried =
                        self.carry_point.first().map(|p| p.point(context, "carry_point")).transpose()?;
                    let plane = Frame { origin: carried.unwrap_or(frame.origin), ..frame };
                    Ok(SweepSection::Brought { pieces, plane, at: i as f64 / last as f64 })
                };
                self.sections.iter().enumerate().map(section).collect()
            }
        }
    }

    /// The turn by the share of the path, in radians; none where nothing turns.
    fn twist(&self, context: &Context<'_>) -> Result<Option<Law>, Notice> {
        let law: Option<Law> = match self.twist_by {
            By::Even => {
                let twist = context.value(&self.twist, Quantity::Angle, "twist")?;
                (twist != 0.0).then(|| Box::new(move |share| twist * share) as Law)
            }
            By::Formula => Some(context.law(&self.twist, Quantity::Angle, "twist")?),
            By::Graph => {
                let height = context.graph(self.twist_graph.as_ref(), "twist_graph")?;
                Some(Box::new(move |share| height(share).to_radians()))
            }
        };
        if self.carries != Carries::Straight {
            return Ok(law);
        }
        // An angle lifts the line towards the surface's normal, which is a turn against that of the path's direction.
        let angle = context.value(&self.angle, Quantity::Angle, "angle")?;
        Ok(Some(Box::new(move |share| -angle - law.as_ref().map_or(0.0, |l| l(share)))))
    }

    fn scale(&self, context: &Context<'_>) -> Result<Option<Law>, Notice> {
        match self.scale_by {
            By::Even => {
                let scale = context.value(&self.scale, Quantity::Ratio, "scale")?;
                Ok((scale != 1.0).then(|| Box::new(move |share| 1.0 + (scale - 1.0) * share) as Law))
            }
            By::Formula => Ok(Some(context.law(&self.scale, Quantity::Ratio, "scale")?)),
            By::Graph => {
                let height = context.graph(self.scale_graph.as_ref(), "scale_graph")?;
                let begun = height(0.0);
                if begun.abs() <= context.tolerance.join {
                    let message = "the graph begins at height 0, and sizes are shares of that; begin it above the x axis";
                    return Err(Notice::about("scale_graph", message));
                }
                Ok(Some(Box::new(move |share| height(share) / begun)))
            }
        }
    }
}

impl Construction for Sweep {
    fn describe() -> StepDescription {
        let length = |name, label, default, help| {
            ValueDescription::amount(name, label, Quantity::Length, [0.001, 1e5], default, help)
        };
        StepDescription {
            kind: "sweep",
            label: "Sweep",
            stage: "Skin",
            purpose: "Carry sections along a path, with twist and growth.",
            also: "sweep, pipe, tube, wire, follow path, along, mitre",
            key: "s",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one("path", "Path", &["curve"], "A curve, a drawing or an edge."),
                SlotDescription::one(
                    "sections",
                    "Sections",
                    &["curve"],
                    "Where they were drawn the nearest place of the path carries them.",
                )
                .many(1, 50)
                .only_if("carries", "drawn"),
                SlotDescription::one(
                    "carry_point",
                    "Carry point",
                    &["point"],
                    "The point of the section that rides on the path; the drawing's origin if none.",
                )
                .many(0, 1)
                .only_if("stands", "brought"),
                SlotDescription::one("axis", "Direction", &["axis", "curve"], "The angle to it is kept.")
                    .only_if("turned", "direction"),
                SlotDescription::one("surface", "Surface", &["surface", "solid"], "The angle to it is kept.")
                    .faces()
                    .only_if("turned", "surface"),
                By::graph_slot(
                    "twist_graph",
                    "Graph of the twist",
                    "twist_by",
                    "A drawn curve: its width is the path, its height the turn, 1 mm for 1 deg.",
                ),
                By::graph_slot(
                    "scale_graph",
                    "Graph of the size",
                    "scale_by",
                    "A drawn curve: its width is the path, its height the size, as a share of that at its beginning.",
                ),
            ],
            values: vec![
                ValueDescription::choice(
                    "carries",
                    "Carries",
                    &[("drawn", "Drawn sections"), ("round", "A round section"), ("straight", "A straight line")],
                    "What is carried along the path.",
                ),
                ValueDescription::choice(
                    "stands",
                    "Sections stand",
                    &[("drawn", "Where drawn"), ("brought", "Square to the path")],
                    "Where they were drawn, or brought to the path by their carry point, several evenly along it.",
                )
                .only_if("carries", "drawn"),
                length("radius", "Radius", json!("2 mm"), "Of the round section.").only_if("carries", "round"),
                length("length", "Length", json!("10 mm"), "Of the straight line.")
                    .only_if("carries", "straight"),
                ValueDescription::amount(
                    "angle",
                    "Angle",
                    Quantity::Angle,
                    [-360.0, 360.0],
                    json!(0),
                    "Of the line to the surface: 0 lies in it, 90 deg stands on it. The twist adds to it along the path.",
                )
                .only_if("carries", "straight"),
                ValueDescription::choice(
                    "turned",
                    "Sections turn",
                    &[
                        ("path", "With the path, least twist"),
                        ("kept", "Not at all"),
                        ("direction", "At one angle to a direction"),
                        ("surface", "At one angle to a surface"),
                    ],
                    "With the path without needless twist, keeping their direction, or keeping their angle to something.",
                ),
                ValueDescription::choice(
                    "corners",
                    "Sharp corners",
                    &[("mitred", "Mitred"), ("rounded", "Rounded")],
                    "Both legs go on to the plane midway between them, or the path is rounded.",
                ),
                length("corner_radius", "Radius of corners", json!("10 mm"), "With which the path is rounded.")
                    .only_if("corners", "rounded"),
                // Round sections look the same however they turn.
                By::choice("twist_by", "Twist changes").only_if("carries", "drawn|straight"),
                ValueDescription::amount(
                    "twist",
                    "Twist",
                    Quantity::Angle,
                    [-1e6, 1e6],
                    json!(0),
                    "From start to end; or a formula such as 360 deg * turns * along^2.",
                )
                .only_if("twist_by", "even|formula"),
                By::choice("scale_by", "Size changes"),
                ValueDescription::amount(
                    "scale",
                    "Size",
                    Quantity::Ratio,
                    [1e-3, 1e3],
                    json!(1),
                    "At the end, 1 for that at the start; or a formula such as 1 + 0.5 * sin(180 deg * along).",
                )
                .only_if("scale_by", "even|formula"),
                Ends::choice("Whether flat ends close closed sections into a solid."),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let drawn = self.carries == Carries::Drawn;
        let sections = self.sections.iter().filter(|_| drawn).map(|r| ("sections", r));
        let brought = drawn && self.stands == Stands::Brought;
        let point = self.carry_point.first().filter(|_| brought).and_then(|p| p.reference());
        let axis = self.axis.reference().filter(|_| self.turned == Turned::Direction);
        let surface = self.surface.as_ref().filter(|_| self.turned == Turned::Surface);
        let twist = self.twist_graph.as_ref().filter(|_| self.twist_by == By::Graph);
        let scale = self.scale_graph.as_ref().filter(|_| self.scale_by == By::Graph);
        let single = [
            ("carry_point", point),
            ("axis", axis),
            ("surface", surface),
            ("twist_graph", twist),
            ("scale_graph", scale),
        ];
        let single = single.into_iter().filter_map(|(slot, r)| Some((slot, r?)));
        std::iter::once(("path", &self.path)).chain(sections).chain(single).collect()
    }

    /// The surface only gives an angle.
    fn keeps(&self, slot: &str) -> bool {
        slot == "surface"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let own = [
            &mut self.radius,
            &mut self.length,
            &mut self.angle,
            &mut self.corner_radius,
            &mut self.twist,
            &mut self.scale,
        ];
        own.into_iter().chain(self.carry_point.iter_mut().flat_map(PointInput::amounts)).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let path = context.pieces(&self.path, "path")?;
        let sections = self.sections(context)?;
        let carry = match self.turned {
            Turned::Path => Carry::Follow,
            Turned::Kept => Carry::KeepDirection,
            Turned::Direction => Carry::AlongDirection(self.axis.axis(context, "axis")?.direction),
            Turned::Surface => {
                let surface = self.surface.as_ref();
                let surface = surface
                    .ok_or_else(|| Notice::about("surface", "pick the surface to keep an angle to"))?;
                Carry::AlongSurface(context.surfaces(surface, "surface")?[0])
            }
        };
        let (twist, scale) = (self.twist(context)?, self.scale(context)?);
        let how = surfacing::Sweep {
            carry,
            corners: match self.corners {
                Corners::Mitred => PathCorners::Mitred,
                Corners::Rounded => PathCorners::Rounded(context.value(
                    &self.corner_radius,
                    Quantity::Length,
                    "corner_radius",
                )?),
            },
            twist: twist.as_deref(),
            scale: scale.as_deref(),
            close: self.ends == Ends::Closed,
            name: "side".into(),
        };
        let made = surfacing::sweep(&sections, &path, &how, &context.tolerance).map_err(|e| {
            let slot = match e {
                SurfacingError::CornerTurns { .. }
                | SurfacingError::CornerBent { .. }
                | SurfacingError::CornerShort { .. } => "corners",
                SurfacingError::Geometry(_) if self.corners == Corners::Rounded => "corner_radius",
                SurfacingError::CornerBack { .. } | SurfacingError::TooTight { .. } => "path",
                _ => "sections",
            };
            Notice::refused(slot, &e)
        })?;
        Ok(Built::body(made.body).with_deviation_or(made.max_deviation, context.tolerance.fit, made.miss))
    }
}
