//! Copy: a shape mirrored, moved, turned or scaled, and still linked to the one that it is of.

use geometry::{Axis, Point3, Vector3, check_work};
use nalgebra::{Matrix4, Rotation3, Unit};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use topology::{Body, Shell};

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::limits::MOST_COPIED;
use crate::quantity::amounts::{is_one, is_zero, one, zero};
use crate::recipe::is_default;
use crate::{
    Amount, AxisInput, Built, CurveShape, Notice, PlaneInput, PointInput, Quantity, Reference, Shape,
};

/// What is done to a copy.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum CopyWay {
    /// Mirrored in a plane.
    #[default]
    Mirror,
    /// Moved by three lengths.
    Move,
    /// Turned about an axis.
    Turn,
    /// Grown or shrunk about a point.
    Scale,
}

/// A shape mirrored, moved, turned or scaled.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Copy {
    /// The shape.
    pub of: Reference,
    /// What is done to it.
    #[serde(default, skip_serializing_if = "is_default")]
    pub way: CopyWay,
    /// For `mirror`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub plane: PlaneInput,
    /// For `move`: along x.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub x: Amount,
    /// For `move`: along y.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub y: Amount,
    /// For `move`: along z.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub z: Amount,
    /// For `turn`.
    #[serde(default, skip_serializing_if = "is_default")]
    pub axis: AxisInput,
    /// For `turn`: how far.
    #[serde(default = "quarter")]
    pub angle: Amount,
    /// For `scale`: the point that stays.
    #[serde(default, skip_serializing_if = "is_default")]
    pub about: Vec<PointInput>,
    /// For `scale`: how many times as large.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub factor: Amount,
}

fn quarter() -> Amount {
    "90 deg".into()
}

/// The turn about an axis by an angle in radians.
pub(super) fn turned_about(axis: &Axis, angle: f64) -> Matrix4<f64> {
    let turn = Rotation3::from_axis_angle(&Unit::new_normalize(axis.direction), angle);
    about(&axis.origin, turn.to_homogeneous())
}

/// A map about a centre instead of the origin.
pub(super) fn about(centre: &Point3, map: Matrix4<f64>) -> Matrix4<f64> {
    Matrix4::new_translation(&centre.coords) * map * Matrix4::new_translation(&-centre.coords)
}

impl Copy {
    fn map(&self, context: &Context<'_>) -> Result<Matrix4<f64>, Notice> {
        match self.way {
            CopyWay::Mirror => {
                let frame = self.plane.frame(context, "plane")?;
                let flip = nalgebra::Matrix3::identity() - frame.z * frame.z.transpose() * 2.0;
                Ok(about(&frame.origin, flip.to_homogeneous()))
            }
            CopyWay::Move => {
                let length = |a, field| context.value(a, Quantity::Length, field);
                let by = Vector3::new(length(&self.x, "x")?, length(&self.y, "y")?, length(&self.z, "z")?);
                Ok(Matrix4::new_translation(&by))
            }
            CopyWay::Turn => {
                let axis = self.axis.axis(context, "axis")?;
                let angle = context.value(&self.angle, Quantity::Angle, "angle")?;
                Ok(turned_about(&axis, angle))
            }
            CopyWay::Scale => {
                let factor = context.value(&self.factor, Quantity::Ratio, "factor")?;
                if !(1e-6..=1e6).contains(&factor) {
                    let message = format!("{factor} times as large is no shape; give more than 0");
                    return Err(Notice::about("factor", message));
                }
                let centre = self.about.first().map(|p| p.point(context, "about")).transpose()?;
                Ok(about(&centre.unwrap_or_default(), Matrix4::new_scaling(factor)))
            }
        }
    }
}

impl Construction for Copy {
    fn describe() -> StepDescription {
        let length = |name, label| {
            let help = "How far the copy is moved.";
            ValueDescription::amount(name, label, Quantity::Length, [-1e6, 1e6], json!(0), help)
                .only_if("way", "move")
        };
        StepDescription {
            kind: "copy",
            label: "Copy",
            stage: "Skin",
            purpose: "Mirror, move, turn or scale a shape; the copy follows it.",
            also: "mirror, move, rotate, scale, duplicate, symmetry",
            key: "c",
            makes: &["surface", "solid", "curve"],
            slots: vec![
                SlotDescription::one("of", "Of", &["surface", "solid", "curve"], "The shape."),
                SlotDescription::one("plane", "Mirror plane", &["plane"], "It stands as far behind it.")
                    .only_if("way", "mirror"),
                SlotDescription::one(
                    "axis",
                    "About",
                    &["axis", "curve"],
                    "The axis that it is turned about.",
                )
                .only_if("way", "turn"),
                SlotDescription::one(
                    "about",
                    "About",
                    &["point"],
                    "The point that stays; the origin if none.",
                )
                .many(0, 1)
                .only_if("way", "scale"),
            ],
            values: vec![
                ValueDescription::choice(
                    "way",
                    "What",
                    &[("mirror", "Mirror"), ("move", "Move"), ("turn", "Turn"), ("scale", "Scale")],
                    "What is done to the copy.",
                ),
                length("x", "X"),
                length("y", "Y"),
                length("z", "Z"),
                ValueDescription::amount(
                    "angle",
                    "Angle",
                    Quantity::Angle,
                    [-3600.0, 3600.0],
                    json!("90 deg"),
                    "Against the clock, seen against the axis.",
                )
                .only_if("way", "turn"),
                ValueDescription::amount(
                    "factor",
                    "Times as large",
                    Quantity::Ratio,
                    [1e-6, 1e6],
                    json!(1),
                    "2 doubles every length.",
                )
                .only_if("way", "scale"),
            ],
        }
    }

    /// What it repeats has been looked over.
    fn lays_surfaces() -> bool {
        false
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let used = match self.way {
            CopyWay::Mirror => self.plane.reference().map(|r| ("plane", r)),
            CopyWay::Turn => self.axis.reference().map(|r| ("axis", r)),
            CopyWay::Scale => self.about.first().and_then(|p| p.reference()).map(|r| ("about", r)),
            CopyWay::Move => None,
        };
        std::iter::once(("of", &self.of)).chain(used).collect()
    }

    fn copied(&self) -> Option<&Reference> {
        Some(&self.of)
    }

    /// A copy stands beside what it is of.
    fn keeps(&self, _slot: &str) -> bool {
        true
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let own = [&mut self.x, &mut self.y, &mut self.z, &mut self.angle, &mut self.factor];
        own.into_iter().chain(self.about.iter_mut().flat_map(PointInput::amounts)).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        copies(context, &self.of, &[self.map(context)?])
    }
}

/// The shape that a slot `of` holds, once for every map; curves after the first one's get a number.
pub(super) fn copies(context: &Context<'_>, of: &Reference, maps: &[Matrix4<f64>]) -> Result<Built, Notice> {
    let bodies = context.input(of, "of")?.shape.bodies();
    let each = if of.item.is_none() && !bodies.is_empty() {
        bodies.iter().flat_map(Body::shells).map(|s: &Shell| s.faces().len()).sum()
    } else {
        context.curves(of, "of")?.iter().map(|c| c.pieces.len()).sum::<usize>()
    };
    if each.saturating_mul(maps.len()) > MOST_COPIED {
        let times = maps.len();
        let message = format!(
            "{times} times {each} faces or curves are too many; a step makes at most {MOST_COPIED}: repeat a simpler shape, or less often"
        );
        return Err(Notice::about("count", message));
    }
    if of.item.is_none() && !bodies.is_empty() {
        let copies = maps.iter().flat_map(|map| {
            bodies.iter().map(|b| {
                check_work();
                b.transformed(map)
            })
        });
        let copies = copies.collect::<Result<_, _>>().map_err(|e| Notice::refused("of", &e.into()))?;
        return Ok(Built::plain(Shape::Bodies(copies)));
    }
    let curves = context.curves(of, "of")?;
    let copies = maps.iter().enumerate().flat_map(|(k, map)| {
        curves.iter().map(move |c| {
            let id = if k == 0 { c.id.clone() } else { format!("{} #{}", c.id, k + 1) };
            CurveShape::in_space(&id, c.pieces.iter().map(|p| p.transformed(map)).collect())
        })
    });
    Ok(Built::curves(copies.collect()))
}
