//! Plane: one that drawings can lie on, or a series of them.

use geometry::{Frame, Point3, Vector3, closest_on_surface};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_one, is_zero, one, zero};
use crate::recipe::is_default;
use crate::{Amount, AxisInput, Built, Notice, PlaneInput, PointInput, Quantity, Reference, Shape};

const MOST_PLANES: f64 = 500.0;

/// How a plane is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum PlaneWay {
    /// Beside another plane, once or several times.
    #[default]
    Offset,
    /// Through three points.
    ThreePoints,
    /// Through an axis, at an angle.
    AxisAngle,
    /// Square to a curve, at a place along it.
    SquareToCurve,
    /// Touching a surface, at the place nearest to a point.
    Touching,
}

/// A plane, or a series of planes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Plane {
    /// How it is found.
    #[serde(default)]
    pub way: PlaneWay,
    /// For `offset`: the plane that it lies beside.
    #[serde(default, skip_serializing_if = "is_default")]
    pub from: PlaneInput,
    /// For `offset`: how far along the normal the first one lies.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub distance: Amount,
    /// For `offset`: how many.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub count: Amount,
    /// For `offset`: how far each lies from the one before.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub spacing: Amount,
    /// For `three_points`: origin, a point on its x side, a point on its y side. For `touching`: where.
    #[serde(default, skip_serializing_if = "is_default")]
    pub points: Vec<PointInput>,
    /// For `axis_angle`: the axis.
    #[serde(default, skip_serializing_if = "is_default")]
    pub axis: AxisInput,
    /// For `axis_angle`: turned about the axis from the upright plane through it (from XZ for an upright axis).
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub angle: Amount,
    /// For `square_to_curve`: the curve.
    #[serde(default, skip_serializing_if = "is_default")]
    pub curve: Option<Reference>,
    /// For `square_to_curve`: the share of its length, 0 to 1.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub at: Amount,
    /// For `touching`: the surface.
    #[serde(default, skip_serializing_if = "is_default")]
    pub surface: Option<Reference>,
}

impl Plane {
    fn point(&self, context: &Context<'_>, k: usize) -> Result<Point3, Notice> {
        let count = if self.way == PlaneWay::Touching { 1 } else { 3 };
        let given = self.points.get(k);
        let missing = || {
            Notice::about("points", format!("point {} of {count} is missing; pick it or type x, y, z", k + 1))
        };
        given.ok_or_else(missing)?.point(context, "points")
    }

    fn frames(&self, context: &Context<'_>) -> Result<Vec<Frame>, Notice> {
        match self.way {
            PlaneWay::Offset => {
                let from = self.from.frame(context, "from")?;
                let distance = context.value(&self.distance, Quantity::Length, "distance")?;
                let spacing = context.value(&self.spacing, Quantity::Length, "spacing")?;
                let count = context.value(&self.count, Quantity::Count, "count")?;
                if !(1.0..=MOST_PLANES).contains(&count) {
                    return Err(Notice::about(
                        "count",
                        format!("{count} planes cannot be made; give 1 to 500"),
                    ));
                }
                if count > 1.0 && spacing == 0.0 {
                    return Err(Notice::about("spacing", "several planes need a spacing other than 0"));
                }
                let at = |k: usize| from.origin + from.z * (distance + spacing * k as f64);
                Ok((0..count as usize).map(|k| Frame { origin: at(k), ..from }).collect())
            }
            PlaneWay::ThreePoints => {
                let [a, b, c] = [self.point(context, 0)?, self.point(context, 1)?, self.point(context, 2)?];
                let area = (b - a).cross(&(c - a)).norm();
                let usable =
                    area > 1e-9 * ((b - a).norm() * (c - a).norm()).max(context.tolerance.resolution);
                let frame = Frame::new(a, b - a, c - a).filter(|_| usable);
                frame.map(|f| vec![f]).ok_or_else(|| {
                    let message =
                        "the three points lie in a row, so that many planes hold them; move one of them";
                    Notice::about("points", message).at(b)
                })
            }
            PlaneWay::AxisAngle => {
                let axis = self.axis.axis(context, "axis")?;
                let angle = context.value(&self.angle, Quantity::Angle, "angle")?;
                let upright = axis.direction.cross(&Vector3::z()).norm() < 1e-9;
                let reference = if upright { Vector3::x() } else { Vector3::z() };
                // With the axis upwards the drawing's y; else its x, so that up is up.
                let flat = Frame::new(axis.origin, axis.direction, reference);
                let flat = flat
                    .ok_or_else(|| Notice::about("axis", "this axis has no direction; pick another one"))?;
                let (sin, cos) = angle.sin_cos();
                let other = flat.y * cos + flat.z * sin;
                let frame = if upright {
                    Frame::new(axis.origin, other, axis.direction)
                } else {
                    Frame::new(axis.origin, axis.direction, other)
                };
                Ok(frame.into_iter().collect())
            }
            PlaneWay::SquareToCurve => {
                let curve = self
                    .curve
                    .as_ref()
                    .ok_or_else(|| Notice::about("curve", "pick the curve that it is square to"))?;
                let share = context.value(&self.at, Quantity::Ratio, "at")?;
                if !(0.0..=1.0).contains(&share) {
                    return Err(Notice::about("at", format!("{share} is no share of a curve; give 0 to 1")));
                }
                let picked = context.curves(curve, "curve")?;
                let (piece, t) = picked[0].at_share(share);
                let at = piece.point(t);
                let tangent = piece.tangent(t).ok_or_else(|| {
                    Notice::about("curve", "the curve has no direction here; choose another place").at(at)
                })?;
                Ok(Frame::square_to(at, tangent).into_iter().collect())
            }
            PlaneWay::Touching => {
                let surface = self
                    .surface
                    .as_ref()
                    .ok_or_else(|| Notice::about("surface", "pick the surface that it touches"))?;
                let near = self.point(context, 0)?;
                let faces = context.faces(surface, "surface")?;
                let places = faces.into_iter().map(|f| (f, closest_on_surface(&f.surface, &near)));
                let best = places.min_by(|a, b| a.1.distance.total_cmp(&b.1.distance));
                let normal = best.and_then(|(face, place)| {
                    let [u, v] = place.parameters;
                    let n = face.surface.normal(u, v)?;
                    Some((place.point, if face.reversed { -n } else { n }))
                });
                let (at, normal) = normal.ok_or_else(|| {
                    Notice::about("surface", "this surface has no side to touch here; choose another place")
                })?;
                Ok(Frame::square_to(at, normal).into_iter().collect())
            }
        }
    }
}

impl Construction for Plane {
    fn describe() -> StepDescription {
        let length = |name, label, default, help| {
            ValueDescription::amount(name, label, Quantity::Length, [-1e6, 1e6], default, help)
        };
        StepDescription {
            kind: "plane",
            label: "Plane",
            stage: "Draw",
            purpose: "Make a plane, or a row of planes, to draw on.",
            also: "plane, offset, ribs, station, datum, tangent plane, square",
            key: "l",
            makes: &["plane"],
            slots: vec![
                SlotDescription::one("from", "Beside", &["plane"], "The plane that it lies beside.")
                    .only_if("way", "offset"),
                SlotDescription::one(
                    "points",
                    "Points",
                    &["point"],
                    "Origin, a point on its x side, a point on its y side.",
                )
                .many(3, 3)
                .only_if("way", "three_points"),
                SlotDescription::one("axis", "Axis", &["axis", "curve"], "The axis that it holds.")
                    .only_if("way", "axis_angle"),
                SlotDescription::one("curve", "Curve", &["curve"], "The curve that it is square to.")
                    .only_if("way", "square_to_curve"),
                SlotDescription::one(
                    "surface",
                    "Surface",
                    &["surface", "solid"],
                    "The surface that it touches.",
                )
                .faces()
                .only_if("way", "touching"),
                SlotDescription::one(
                    "points",
                    "Near",
                    &["point"],
                    "It touches at the place nearest to this point.",
                )
                .many(1, 1)
                .only_if("way", "touching"),
            ],
            values: vec![
                ValueDescription::choice(
                    "way",
                    "How",
                    &[
                        ("offset", "Beside a plane"),
                        ("three_points", "Through three points"),
                        ("axis_angle", "Through an axis at an angle"),
                        ("square_to_curve", "Square to a curve"),
                        ("touching", "Touching a surface"),
                    ],
                    "What the plane is found by.",
                ),
                length(
                    "distance",
                    "Distance",
                    json!("10 mm"),
                    "How far along the normal the first plane lies.",
                )
                .only_if("way", "offset"),
                ValueDescription::amount(
                    "count",
                    "How many",
                    Quantity::Count,
                    [1.0, MOST_PLANES],
                    json!(1),
                    "Several planes at once, as for the ribs of a hull.",
                )
                .only_if("way", "offset"),
                length("spacing", "Spacing", json!("10 mm"), "How far each plane lies from the one before.")
                    .only_if("way", "offset"),
                ValueDescription::amount(
                    "angle",
                    "Angle",
                    Quantity::Angle,
                    [-360.0, 360.0],
                    json!("0 deg"),
                    "Turned about the axis from the upright plane; from XZ for an upright axis.",
                )
                .only_if("way", "axis_angle"),
                ValueDescription::amount(
                    "at",
                    "Place along it",
                    Quantity::Ratio,
                    [0.0, 1.0],
                    json!(0),
                    "The share of the curve's length, 0 to 1.",
                )
                .only_if("way", "square_to_curve"),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let points = || self.points.iter().filter_map(|p| Some(("points", p.reference()?)));
        match self.way {
            PlaneWay::Offset => self.from.reference().map(|r| ("from", r)).into_iter().collect(),
            PlaneWay::ThreePoints => points().collect(),
            PlaneWay::AxisAngle => self.axis.reference().map(|r| ("axis", r)).into_iter().collect(),
            PlaneWay::SquareToCurve => self.curve.as_ref().map(|r| ("curve", r)).into_iter().collect(),
            PlaneWay::Touching => {
                self.surface.as_ref().map(|r| ("surface", r)).into_iter().chain(points()).collect()
            }
        }
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let own = [&mut self.distance, &mut self.count, &mut self.spacing, &mut self.angle, &mut self.at];
        own.into_iter().chain(self.points.iter_mut().flat_map(PointInput::amounts)).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        Ok(Built::plain(Shape::Planes(self.frames(context)?)))
    }
}
