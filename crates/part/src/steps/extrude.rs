//! Extrude: curves moved along a direction, by themselves or added to a solid or cut from it.

use geometry::{Frame, NurbsCurve, Vector3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{Reach, SurfacingError};
use topology::{Body, Solid};

use super::combine::{What, combined, solids};
use super::cutters::heights;
use super::revolve::Ends;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_zero, ten_mm, zero};
use crate::recipe::is_default;
use crate::{Amount, AxisInput, Built, Notice, PlaneInput, Quantity, Reference};

/// Which way an extrusion goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    /// Square to the drawing's plane.
    #[default]
    Normal,
    /// Along an axis.
    Axis,
}

/// How far an extrusion goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Extent {
    /// By distances, forwards and backwards.
    #[default]
    Distance,
    /// Up to a plane.
    Plane,
    /// Up to a face.
    Face,
    /// Through all of the solid that it is added to or cut from.
    Through,
}

/// Which way an extrusion through all of a solid goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Ways {
    /// Along the direction.
    #[default]
    Forwards,
    /// Against it.
    Backwards,
    /// Both ways.
    Both,
}

/// What becomes of an extrusion that is given a solid.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Then {
    /// It is added to the solid.
    #[default]
    Added,
    /// It is cut from the solid.
    Cut,
    /// What both have in common stays.
    Common,
}

/// Curves moved along a direction.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Extrude {
    /// A drawing, a curve or an edge.
    pub profile: Reference,
    /// Which way.
    #[serde(default, skip_serializing_if = "is_default")]
    pub direction: Direction,
    /// For `axis`: along this one.
    #[serde(default, skip_serializing_if = "is_default")]
    pub axis: AxisInput,
    /// How far.
    #[serde(default, skip_serializing_if = "is_default")]
    pub extent: Extent,
    /// For `distance`: how far forwards.
    #[serde(default = "ten_mm")]
    pub length: Amount,
    /// For `distance`: how far backwards.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub back: Amount,
    /// For `plane`: up to this one.
    #[serde(default, skip_serializing_if = "is_default")]
    pub plane: PlaneInput,
    /// For `face`: up to this one.
    #[serde(default, skip_serializing_if = "is_default")]
    pub face: Option<Reference>,
    /// For `distance`: by what angle the sides lean inwards.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub draft: Amount,
    /// What happens at the ends of closed outlines.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: Ends,
    /// A solid that it is added to or cut from.
    #[serde(default, skip_serializing_if = "is_default")]
    pub solid: Option<Reference>,
    /// With a solid: which of the two.
    #[serde(default, skip_serializing_if = "is_default")]
    pub then: Then,
    /// For `through`: which way.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ways: Ways,
}

impl Extrude {
    /// From where to where it goes to pass all of its solid: for curves and a unit direction.
    fn through(
        &self,
        curves: &[(NurbsCurve, String)],
        direction: &Vector3,
        solids: &[(&Solid, String)],
    ) -> Result<Reach, Notice> {
        let shells = solids.iter().flat_map(|s| s.0.shells());
        let Some([low, high]) = heights(shells, direction) else {
            let message = "pick the solid that it goes through, or say how far it goes";
            return Err(Notice::about("solid", message));
        };
        let points = curves.iter().flat_map(|c| c.0.control_points());
        let along = points.map(|p| p.coords.dot(direction));
        let [first, last] = along.fold([f64::MAX, f64::MIN], |[a, b], h| [a.min(h), b.max(h)]);
        let beyond = 0.1 * (high - low) + 1.0;
        let (back, on) = (low - beyond - first, high + beyond - last);
        let lies = match self.ways {
            Ways::Forwards => high > first,
            Ways::Backwards => low < last,
            Ways::Both => true,
        };
        if !lies {
            let message = "the solid lies the other way; choose backwards, forwards or both ways";
            let at = curves.first().map(|c| c.0.start());
            return Err(Notice::about("ways", message).at(at));
        }
        match self.ways {
            Ways::Forwards => Ok(Reach::Between(0.0, on.max(beyond))),
            Ways::Backwards => Ok(Reach::Between(back.min(-beyond), 0.0)),
            Ways::Both => Ok(Reach::Between(back.min(-beyond), on.max(beyond))),
        }
    }
}

impl Construction for Extrude {
    fn describe() -> StepDescription {
        let length = |name, label, default, help| {
            ValueDescription::amount(name, label, Quantity::Length, [-1e5, 1e5], default, help)
                .only_if("extent", "distance")
        };
        StepDescription {
            kind: "extrude",
            label: "Extrude",
            stage: "Skin",
            purpose: "Move curves along a direction; closed outlines become solids, by themselves or added to one or cut from it.",
            also: "extrude, pull, raise, prism, straight, add, cut, hole, boss, pocket, through all",
            key: "z",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one("profile", "Profile", &["curve"], "A drawing, a curve or an edge."),
                SlotDescription::one("axis", "Along", &["axis", "curve"], "The direction.")
                    .only_if("direction", "axis"),
                SlotDescription::one("plane", "Up to", &["plane"], "The plane where it ends.")
                    .only_if("extent", "plane"),
                SlotDescription::one("face", "Up to", &["surface", "solid"], "The face where it ends.")
                    .faces()
                    .only_if("extent", "face"),
                SlotDescription::one(
                    "solid",
                    "With solid",
                    &["solid"],
                    "A solid that it is added to or cut from, if any.",
                )
                .optional(),
            ],
            values: vec![
                ValueDescription::choice(
                    "direction",
                    "Direction",
                    &[("normal", "Square to the drawing"), ("axis", "Along an axis")],
                    "Which way the profile moves.",
                ),
                ValueDescription::choice(
                    "extent",
                    "How far",
                    &[
                        ("distance", "By a distance"),
                        ("plane", "Up to a plane"),
                        ("face", "Up to a face"),
                        ("through", "Through all of the solid"),
                    ],
                    "Where it ends.",
                ),
                ValueDescription::choice(
                    "ways",
                    "Which way",
                    &[("forwards", "Forwards"), ("backwards", "Backwards"), ("both", "Both ways")],
                    "On which sides of the drawing it passes all of the solid.",
                )
                .only_if("extent", "through"),
                length("length", "Forwards", json!("10 mm"), "How far along the direction."),
                length("back", "Backwards", json!(0), "How far the other way."),
                ValueDescription::amount(
                    "draft",
                    "Draft angle",
                    Quantity::Angle,
                    [-80.0, 80.0],
                    json!(0),
                    "How far the sides lean inwards as they leave the drawing's plane; below 0 outwards.",
                )
                .only_if("extent", "distance"),
                Ends::choice("Whether flat ends close a closed outline into a solid.")
                    .only_if("solid", "!filled"),
                ValueDescription::choice(
                    "then",
                    "With the solid",
                    &[("added", "Add to it"), ("cut", "Cut from it"), ("common", "Common part")],
                    "What becomes of the two.",
                )
                .only_if("solid", "filled"),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let axis = self.axis.reference().filter(|_| self.direction == Direction::Axis).map(|r| ("axis", r));
        let plane = self.plane.reference().filter(|_| self.extent == Extent::Plane).map(|r| ("plane", r));
        let face = self.face.as_ref().filter(|_| self.extent == Extent::Face).map(|r| ("face", r));
        let solid = self.solid.iter().map(|r| ("solid", r));
        std::iter::once(("profile", &self.profile))
            .chain(axis)
            .chain(plane)
            .chain(face)
            .chain(solid)
            .collect()
    }

    /// It only ends at the face.
    fn keeps(&self, slot: &str) -> bool {
        slot == "face"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        vec![&mut self.length, &mut self.back, &mut self.draft]
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let curves = context.named_pieces(&self.profile, "profile")?;
        let direction = match self.direction {
            Direction::Axis => self.axis.axis(context, "axis")?.direction,
            Direction::Normal => {
                let frame: Option<Frame> = context.drawing_frame(&self.profile, "profile")?;
                let message = "this is no drawing, so that nothing is square to its plane; choose an axis";
                frame.ok_or_else(|| Notice::about("direction", message))?.z
            }
        };
        let with = match &self.solid {
            Some(reference) => solids(context, std::slice::from_ref(reference), "solid")?,
            None => Vec::new(),
        };
        let reach = match self.extent {
            Extent::Through => self.through(&curves, &direction, &with)?,
            Extent::Distance => {
                let forwards = context.value(&self.length, Quantity::Length, "length")?;
                Reach::Between(-context.value(&self.back, Quantity::Length, "back")?, forwards)
            }
            Extent::Plane => Reach::UpTo(self.plane.frame(context, "plane")?),
            Extent::Face => {
                let face =
                    self.face.as_ref().ok_or_else(|| Notice::about("face", "pick the face where it ends"))?;
                let faces = context.faces(face, "face")?;
                let [only] = faces[..] else {
                    return Err(Notice::about("face", "this has several faces; pick one of them in space"));
                };
                Reach::UpToFace(Box::new(only.clone()))
            }
        };
        let draft = if self.extent == Extent::Distance {
            context.value(&self.draft, Quantity::Angle, "draft")?
        } else {
            0.0
        };
        let close = self.ends == Ends::Closed || !with.is_empty();
        let made = surfacing::extrude(&curves, &direction, &reach, draft, close, &context.tolerance)
            .map_err(|e| {
                let field = match (self.extent, &e) {
                    (Extent::Plane, _) => "plane",
                    (Extent::Face, _) => "face",
                    (_, SurfacingError::DraftTooSteep { .. } | SurfacingError::DraftSwallows { .. }) => {
                        "draft"
                    }
                    (_, SurfacingError::NotFlat { .. }) => "profile",
                    _ => "length",
                };
                Notice::refused(field, &e)
            })?;
        let deviation = made.max_deviation;
        let built = if with.is_empty() {
            Built::body(made.body)
        } else {
            let Body::Solid(solid) = &made.body else {
                let message = "an open profile makes no solid; close its outline, or extrude it by itself and trim with it";
                return Err(Notice::about("profile", message));
            };
            let own = [(solid, "the extrusion".to_string())];
            let (what, first, others) = match self.then {
                Then::Added => (What::Union, [&with[..], &own].concat(), &[][..]),
                Then::Cut => (What::Subtract, with, &own[..]),
                Then::Common => (What::Common, [&with[..], &own].concat(), &[][..]),
            };
            combined(context, what, &first, others, ["solid", "profile"])?
        };
        Ok(built.with_deviation(deviation, context.tolerance.fit))
    }
}
