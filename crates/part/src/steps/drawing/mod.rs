//! Drawing: plane curves made together on one plane, and the changes made to them.

mod change;
mod curve;
mod description;
mod flat_curve;

use std::collections::BTreeSet;

use geometry::{Frame, GeometryError, NurbsCurve, Point3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use change::Change;
pub use curve::{ArcWay, CurveKind, DrawnCurve, DrawnPoint, Pin};
pub use description::{
    ChangeDescription, ChangeValue, CurveChoice, CurveDescription, CurveValue, change_kinds, curve_kinds,
};

use self::flat_curve::FlatCurve;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::limits::{MOST_CHANGES, MOST_CURVES, MOST_DRAWING_POINTS, MOST_POINTS, at_most, check_id};
use crate::quantity::amounts::{is_zero, zero};
use crate::recipe::is_default;
use crate::{
    Amount, Built, CurveShape, DrawingShape, MainPlane, Notice, PlaneInput, Quantity, Reached, RecipeError,
    Reference, Shape,
};

/// Plane curves made together on one plane.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Drawing {
    /// The plane.
    pub plane: PlaneInput,
    /// Distance from the plane along its normal.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub offset: Amount,
    /// The curves.
    #[serde(default, skip_serializing_if = "is_default")]
    pub curves: Vec<DrawnCurve>,
    /// Changes made to the curves, in order.
    #[serde(default, skip_serializing_if = "is_default")]
    pub changes: Vec<Change>,
}

impl Drawing {
    pub(crate) fn frame(&self, context: &Context<'_>) -> Result<Frame, Notice> {
        let mut frame = self.plane.frame(context, "plane")?;
        frame.origin += frame.z * context.value(&self.offset, Quantity::Length, "offset")?;
        Ok(frame)
    }

    fn flat(&self, context: &Context<'_>, frame: &Frame) -> Result<Vec<FlatCurve>, Notice> {
        let mut curves: Vec<FlatCurve> = Vec::with_capacity(self.curves.len());
        for drawn in &self.curves {
            let evaluated = drawn.evaluate(context, frame)?;
            let before = match &drawn.after {
                Some(id) => curves.iter().find(|c| c.id == *id),
                None => curves.last(),
            };
            let before = before.and_then(|c| c.pieces.last()).cloned();
            let resolution = context.tolerance.resolution;
            let pieces =
                evaluated.pieces(before.as_ref(), resolution).map_err(|e| curve_notice(drawn, &e, frame))?;
            curves.push(FlatCurve {
                id: drawn.id.clone(),
                pieces,
                points: evaluated.points,
                guide: drawn.guide,
            });
        }
        Ok(curves)
    }

    /// A curve as drawn, before any change, in the plane z = 0: what spline edits work on.
    pub(crate) fn drawn_piece(&self, context: &Context<'_>, id: &str) -> Result<NurbsCurve, Notice> {
        let mut curves = self.flat(context, &MainPlane::Xy.frame(0.0))?;
        let place = curves.iter().position(|c| c.id == id);
        let curve = place.map(|i| curves.swap_remove(i));
        match curve.map(|c| c.pieces) {
            Some(mut pieces) if pieces.len() == 1 => Ok(pieces.remove(0)),
            Some(_) => Err(Notice::about(
                &format!("curves/{id}"),
                "a curve with corners is not one spline; smooth it first",
            )),
            None => Err(Notice::about(&format!("curves/{id}"), "this curve is not in the drawing")),
        }
    }
}

fn curve_notice(drawn: &DrawnCurve, error: &GeometryError, frame: &Frame) -> Notice {
    let message = match error {
        GeometryError::RepeatedPoint { first, second, .. } => format!(
            "points {} and {} of {} are the same place; move or remove one of them",
            first + 1,
            second + 1,
            drawn.id
        ),
        GeometryError::NoDirection { .. } => {
            format!("{} has no size or direction; give values above zero and points that differ", drawn.id)
        }
        other => format!("{}: {other}", drawn.id),
    };
    let at = error.place().map(|[x, y, _]| frame.to_space(x, y));
    Notice::about(&format!("curves/{}", drawn.id), message).at(at)
}

impl Construction for Drawing {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "drawing",
            label: "Drawing",
            stage: "Draw",
            purpose: "Draw profile curves on a plane.",
            also: "sheet, profile, curve, spline, line, arc, circle, ellipse, rectangle, polygon, section",
            key: "d",
            makes: &["curve", "plane"],
            slots: vec![SlotDescription::one("plane", "Plane", &["plane"], "The plane that it is drawn on.")],
            values: vec![ValueDescription::amount(
                "offset",
                "Offset from the plane",
                Quantity::Length,
                [-1e6, 1e6],
                serde_json::json!(0),
                "How far along the plane's normal the drawing lies.",
            )],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let pins = self.curves.iter().flat_map(|c| &c.points).filter_map(|p| match p {
            DrawnPoint::At(_) => None,
            DrawnPoint::Pinned(pin) => Some(("pin", &pin.pin)),
        });
        self.plane.reference().map(|r| ("plane", r)).into_iter().chain(pins).collect()
    }

    fn check(&self) -> Result<(), RecipeError> {
        let mut seen = BTreeSet::new();
        for curve in &self.curves {
            check_id(&curve.id, "a curve's id")?;
            if !seen.insert(&curve.id) {
                return Err(RecipeError::Twice { what: "curve", name: curve.id.clone() });
            }
            at_most("points on one curve", curve.points.len(), MOST_POINTS)?;
            let beside = [curve.weights.len(), curve.knots.len(), curve.frozen.len(), curve.values.len()];
            beside.into_iter().try_for_each(|n| at_most("figures on one curve", n, 2 * MOST_POINTS))?;
        }
        at_most("curves in one drawing", self.curves.len(), MOST_CURVES)?;
        at_most("changes in one drawing", self.changes.len(), MOST_CHANGES)?;
        let points = self.curves.iter().map(|c| c.points.len()).sum();
        at_most("points in one drawing", points, MOST_DRAWING_POINTS)?;
        for change in &self.changes {
            change.own_id().map_or(Ok(()), |id| check_id(id, "a change's id"))?;
            at_most("curves in one change", change.curves().len(), MOST_CURVES)?;
        }
        Ok(())
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let curves = self.curves.iter_mut().flat_map(DrawnCurve::amounts);
        let changes = self.changes.iter_mut().flat_map(Change::amounts);
        std::iter::once(&mut self.offset).chain(curves).chain(changes).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let frame = self.frame(context)?;
        let mut flat = self.flat(context, &frame)?;
        let mut reached = Vec::new();
        for (index, change) in self.changes.iter().enumerate() {
            let mut work =
                change::Work { context, frame: &frame, curves: &mut flat, reached: &mut reached, index };
            work.apply(change)?;
        }
        let to_space = |p: &Point3| frame.to_space(p.x, p.y);
        let curves: Vec<CurveShape> = flat
            .into_iter()
            .map(|c| CurveShape {
                id: c.id,
                pieces: c.pieces.iter().map(|piece| piece.mapped(to_space)).collect(),
                points: c.points,
                places: Vec::new(),
                guide: c.guide,
            })
            .collect();
        let lengths = curves.iter().map(|c| Reached::length(format!("Length of {}", c.id), c.length()));
        let reached: Vec<Reached> = lengths.chain(reached).collect();
        Ok(Built::plain(Shape::Drawing(DrawingShape { frame, curves })).with_reached(reached))
    }
}
