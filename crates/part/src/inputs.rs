//! What a slot can hold besides a reference to a step: main planes and axes by name, points by their coordinates.

use geometry::{Axis, Frame, Point3, Vector3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::steps::Context;
use crate::{Amount, CurveShape, Notice, Quantity, Reference, Shape};

/// One of the three main planes, named by the directions it spans.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum MainPlane {
    /// x to the right, z up: holds the x and the z axis.
    #[default]
    Xz,
    /// y to the right, z up: holds the y and the z axis.
    Yz,
    /// x to the right, y up: seen from above.
    Xy,
}

impl MainPlane {
    /// The plane at an offset along its normal, in millimetres.
    #[must_use]
    pub fn frame(self, offset: f64) -> Frame {
        let (x, y) = match self {
            Self::Xz => (Vector3::x(), Vector3::z()),
            Self::Yz => (Vector3::y(), Vector3::z()),
            Self::Xy => (Vector3::x(), Vector3::y()),
        };
        let z = x.cross(&y);
        Frame { origin: Point3::from(z * offset), x, y, z }
    }
}

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

/// What a slot holds: something given by itself, such as a main plane by its name, or what a step made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum Input<T> {
    /// By itself.
    Own(T),
    /// Made by a step; of a series, one of them.
    Made(Reference),
}

/// A main plane or one that a step made.
pub type PlaneInput = Input<MainPlane>;
/// A main axis or one that a step made.
pub type AxisInput = Input<MainAxis>;
/// A place by its coordinates x, y and z, or one that a step made.
pub type PointInput = Input<[Amount; 3]>;

impl<T: Default> Default for Input<T> {
    fn default() -> Self {
        Self::Own(T::default())
    }
}

impl<T> Input<T> {
    pub(crate) fn reference(&self) -> Option<&Reference> {
        match self {
            Self::Own(_) => None,
            Self::Made(reference) => Some(reference),
        }
    }
}

impl PlaneInput {
    pub(crate) fn frame(&self, context: &Context<'_>, slot: &str) -> Result<Frame, Notice> {
        match self {
            Self::Own(plane) => Ok(plane.frame(0.0)),
            Self::Made(reference) => context.plane(reference, slot),
        }
    }
}

impl AxisInput {
    pub(crate) fn axis(&self, context: &Context<'_>, slot: &str) -> Result<Axis, Notice> {
        let direction = match self {
            Self::Own(MainAxis::X) => Vector3::x(),
            Self::Own(MainAxis::Y) => Vector3::y(),
            Self::Own(MainAxis::Z) => Vector3::z(),
            Self::Made(reference) => {
                let built = context.input(reference, slot)?;
                let Shape::Axis(axis) = built.shape else {
                    return Err(Notice::about(slot, "this is no axis; pick one, or a main axis"));
                };
                return Ok(axis);
            }
        };
        Ok(Axis { origin: Point3::origin(), direction })
    }
}

impl PointInput {
    pub(crate) fn point(&self, context: &Context<'_>, slot: &str) -> Result<Point3, Notice> {
        match self {
            Self::Own([x, y, z]) => {
                let value = |a| context.coordinate(a, slot);
                Ok(Point3::new(value(x)?, value(y)?, value(z)?))
            }
            Self::Made(reference) => {
                let built = context.input(reference, slot)?;
                let Shape::Point(point) = built.shape else {
                    return Err(Notice::about(slot, "this is no point; pick one, or type its coordinates"));
                };
                Ok(point)
            }
        }
    }

    pub(crate) fn amounts(&mut self) -> &mut [Amount] {
        match self {
            Self::Own(amounts) => amounts,
            Self::Made(_) => &mut [],
        }
    }
}

/// Coordinates beyond this, in millimetres, are no part that anybody makes; doubles stay exact enough below it.
const FARTHEST: f64 = 1e6;

impl Context<'_> {
    /// A length that is a coordinate.
    pub(crate) fn coordinate(&self, amount: &Amount, field: &str) -> Result<f64, Notice> {
        let value = self.value(amount, Quantity::Length, field)?;
        if value.abs() > FARTHEST {
            let message = format!("{value:e} mm is too far away; keep within 1000 m");
            return Err(Notice::about(field, message));
        }
        Ok(value)
    }

    fn plane(&self, reference: &Reference, slot: &str) -> Result<Frame, Notice> {
        let built = self.input(reference, slot)?;
        match &built.shape {
            Shape::Planes(planes) => {
                let wanted = reference.item.as_deref().unwrap_or("1");
                let index = wanted.parse::<usize>().ok().and_then(|n| n.checked_sub(1));
                index.and_then(|i| planes.get(i)).copied().ok_or_else(|| {
                    let name = self.recipe.step_name(&reference.step);
                    let count = planes.len();
                    Notice::about(
                        slot,
                        format!("{name} has no plane {wanted}; it has {count}: pick another one"),
                    )
                })
            }
            Shape::Drawing(drawing) => Ok(drawing.frame),
            _ => Err(Notice::about(slot, "this is no plane; pick one, a drawing, or a main plane")),
        }
    }

    /// The curves that a reference means, in the order in which they were drawn; helping lines stay out unless one
    /// is picked by itself.
    pub(crate) fn curves(&self, reference: &Reference, slot: &str) -> Result<Vec<&CurveShape>, Notice> {
        let built = self.input(reference, slot)?;
        let name = self.recipe.step_name(&reference.step);
        let Some(curves) = built.shape.curves() else {
            return Err(Notice::about(
                slot,
                format!("{name} has no curves; pick a drawing or another curve"),
            ));
        };
        let picked: Vec<&CurveShape> = match &reference.item {
            Some(id) => curves.iter().filter(|c| c.id == *id).collect(),
            None => curves.iter().filter(|c| !c.guide).collect(),
        };
        if picked.is_empty() {
            let message = match &reference.item {
                Some(id) => format!("curve `{id}` is no longer in {name}; pick another one"),
                None => format!("{name} has no curve yet; draw one first"),
            };
            return Err(Notice::about(slot, message));
        }
        Ok(picked)
    }
}
