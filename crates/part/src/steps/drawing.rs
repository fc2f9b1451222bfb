//! Drawing: plane curves made together on one plane.

use std::collections::BTreeSet;

use geometry::{
    Frame, GeometryError, NurbsCurve, Point2, Point3, Vector3, circle_arc, circle_through, closest_on_curve,
    through_points,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Construction, Context, StepDescription};
use crate::recipe::{check_name, is_default};
use crate::{
    Amount, Built, CurveShape, DrawingShape, Notice, Quantity, Reached, RecipeError, Reference, Shape,
};

const MOST_CURVES: usize = 500;
const MOST_POINTS: usize = 2000;
/// Coordinates beyond this, in millimetres, are no part that anybody makes; doubles stay exact enough below it.
const FARTHEST: f64 = 1e6;

/// One of the three main planes, named by the directions it spans.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Plane {
    /// x to the right, z up: holds the x and the z axis.
    #[default]
    Xz,
    /// y to the right, z up: holds the y and the z axis.
    Yz,
    /// x to the right, y up: seen from above.
    Xy,
}

impl Plane {
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

/// How a drawn curve follows its points.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum CurveKind {
    /// Passes through every point.
    ThroughPoints,
    /// The points are its control polygon.
    ControlPoints,
    /// The arc of a circle from the first point through the second to the third.
    Arc,
}

/// A curve of a drawing.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DrawnCurve {
    /// Unique within the drawing.
    pub id: String,
    /// How it follows its points.
    pub kind: CurveKind,
    /// Points in the drawing's plane.
    pub points: Vec<[Amount; 2]>,
}

/// Plane curves made together on one plane.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Drawing {
    /// The plane.
    pub plane: Plane,
    /// Distance from the main plane along its normal.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub offset: Amount,
    /// The curves.
    #[serde(default, skip_serializing_if = "is_default")]
    pub curves: Vec<DrawnCurve>,
}

fn zero() -> Amount {
    Amount::Number(0.0)
}

fn is_zero(amount: &Amount) -> bool {
    *amount == zero()
}

impl DrawnCurve {
    /// The curve through or beside its points (given in millimetres) in a plane.
    fn make(&self, frame: &Frame, points: &[Point2], resolution: f64) -> Result<NurbsCurve, GeometryError> {
        let space: Vec<Point3> = points.iter().map(|p| frame.to_space(p.x, p.y)).collect();
        match self.kind {
            CurveKind::ThroughPoints => through_points(&space, resolution),
            CurveKind::ControlPoints => NurbsCurve::from_control_points(&space, resolution),
            CurveKind::Arc => three_point_arc(&space, resolution),
        }
    }

    /// Where along the points a new one near `at` belongs.
    pub(crate) fn place_for(&self, points: &[Point2], at: Point2) -> usize {
        let space: Vec<Point3> = points.iter().map(|p| Point3::new(p.x, p.y, 0.0)).collect();
        let at = Point3::new(at.x, at.y, 0.0);
        let nearest_leg = || {
            let legs =
                space.windows(2).map(|w| closest_on_curve(&NurbsCurve::line(w[0], w[1]), &at).distance);
            legs.enumerate().min_by(|a, b| a.1.total_cmp(&b.1)).map_or(points.len(), |(i, _)| i + 1)
        };
        let CurveKind::ThroughPoints = self.kind else { return nearest_leg() };
        let Ok(curve) = through_points(&space, 0.0) else { return nearest_leg() };
        let parameter = closest_on_curve(&curve, &at).parameter;
        let passed = geometry::chord_parameters(&space).iter().filter(|&&t| t <= parameter).count();
        passed.clamp(1, points.len() - 1)
    }
}

fn three_point_arc(points: &[Point3], resolution: f64) -> Result<NurbsCurve, GeometryError> {
    let &[a, b, c] = points else {
        return Err(GeometryError::TooFewPoints { given: points.len(), needed: 3 });
    };
    if let Some((i, j)) =
        [(0, 1), (1, 2), (0, 2)].into_iter().find(|&(i, j)| (points[i] - points[j]).norm() <= resolution)
    {
        return Err(GeometryError::RepeatedPoint { first: i, second: j, at: points[i].into() });
    }
    let Some((frame, radius)) = circle_through(a, b, c) else { return Ok(NurbsCurve::line(a, c)) };
    let end = frame.coordinates(&c);
    let sweep = end.y.atan2(end.x).rem_euclid(std::f64::consts::TAU);
    let arc = circle_arc(&frame, radius, 0.0, sweep)?;
    // The ends are the given points to the last digit, so that neighbours share them.
    let mut points = arc.control_points();
    let last = points.len() - 1;
    (points[0], points[last]) = (a, c);
    NurbsCurve::try_new(arc.knots().clone(), &points, Some(&arc.weights()))
}

impl Drawing {
    /// All points in millimetres, curve by curve.
    pub(crate) fn points(&self, context: &Context<'_>) -> Result<Vec<Vec<Point2>>, Notice> {
        let coordinate = |amount: &Amount, curve: &DrawnCurve, i: usize| {
            let field = format!("curves/{}/points/{i}", curve.id);
            let value = context.value(amount, Quantity::Length, &field)?;
            if value.abs() > FARTHEST {
                let message =
                    format!("point {} of {} is {value:e} mm away; keep within 1000 m", i + 1, curve.id);
                return Err(Notice::about(&field, message));
            }
            Ok(value)
        };
        self.curves
            .iter()
            .map(|c| {
                let point = |(i, [x, y]): (usize, &[Amount; 2])| {
                    Ok(Point2::new(coordinate(x, c, i)?, coordinate(y, c, i)?))
                };
                c.points.iter().enumerate().map(point).collect()
            })
            .collect()
    }
}

impl Construction for Drawing {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "drawing",
            label: "Drawing",
            stage: "Draw",
            purpose: "Draw profile curves on a plane.",
            also: "sheet, profile, curve, spline, line, arc, section",
            key: "d",
            slots: vec![],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        Vec::new()
    }

    fn check(&self) -> Result<(), RecipeError> {
        let mut seen = BTreeSet::new();
        for curve in &self.curves {
            check_name(&curve.id, "a curve's id")?;
            if !seen.insert(&curve.id) {
                return Err(RecipeError::Twice { what: "curve", name: curve.id.clone() });
            }
            if curve.points.len() > MOST_POINTS {
                let count = curve.points.len();
                return Err(RecipeError::TooLarge { what: "points on one curve", count, most: MOST_POINTS });
            }
        }
        if self.curves.len() > MOST_CURVES {
            let count = self.curves.len();
            return Err(RecipeError::TooLarge { what: "curves in one drawing", count, most: MOST_CURVES });
        }
        Ok(())
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let frame = self.plane.frame(context.value(&self.offset, Quantity::Length, "offset")?);
        let mut curves = Vec::with_capacity(self.curves.len());
        let mut reached = Vec::new();
        for (drawn, points) in self.curves.iter().zip(self.points(context)?) {
            let curve = drawn.make(&frame, &points, context.tolerance.resolution).map_err(|e| {
                let at = match &e {
                    GeometryError::RepeatedPoint { at, .. } => Some(*at),
                    _ => None,
                };
                let message = match e {
                    GeometryError::RepeatedPoint { first, second, .. } => format!(
                        "points {} and {} of {} are the same place; move or remove one of them",
                        first + 1,
                        second + 1,
                        drawn.id
                    ),
                    other => format!("{}: {other}", drawn.id),
                };
                Notice { at, ..Notice::about(&format!("curves/{}", drawn.id), message) }
            })?;
            reached.push(Reached {
                label: format!("Length of {}", drawn.id),
                value: curve.length(),
                quantity: Quantity::Length,
                at: None,
            });
            curves.push(CurveShape { id: drawn.id.clone(), curve, points });
        }
        Ok(Built { shape: Shape::Drawing(DrawingShape { frame, curves }), reached, warnings: Vec::new() })
    }
}
