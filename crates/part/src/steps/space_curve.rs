//! Space curve: through points in space or controlled by them.

use geometry::{GeometryError, NurbsCurve, Point3, Vector3, chord_parameters, interpolate, through_points};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_one, one};
use crate::recipe::is_default;
use crate::{Amount, Built, CurveShape, Notice, PointInput, Quantity, Reference};

/// How a space curve follows its points.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Follows {
    /// Passes through every point; two make a straight line.
    #[default]
    ThroughPoints,
    /// The points are its control polygon.
    ControlPoints,
}

/// A curve in space.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SpaceCurve {
    /// How it follows its points.
    #[serde(default)]
    pub follows: Follows,
    /// Its points, in order.
    pub points: Vec<PointInput>,
    /// A curve whose end it goes on from at its start, without a corner.
    #[serde(default, skip_serializing_if = "is_default")]
    pub start_along: Option<Reference>,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub start_pull: Amount,
    /// A curve whose end it runs into at its end, without a corner.
    #[serde(default, skip_serializing_if = "is_default")]
    pub end_along: Option<Reference>,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub end_pull: Amount,
}

impl SpaceCurve {
    /// Direction in which the picked curve runs on beyond its end that is nearest to `at`, times the pull.
    fn outward(
        context: &Context<'_>,
        along: Option<&Reference>,
        pull: &Amount,
        at: &Point3,
        [slot, field]: [&str; 2],
    ) -> Result<Option<Vector3>, Notice> {
        let Some(reference) = along else { return Ok(None) };
        let pull = context.value(pull, Quantity::Ratio, field)?;
        if !(pull > 0.0 && pull <= 100.0) {
            return Err(Notice::about(
                field,
                format!("a pull of {pull} makes no curve; give more than 0 and at most 100"),
            ));
        }
        let picked = context.curves(reference, slot)?;
        let pieces = picked.iter().flat_map(|c| &c.pieces);
        let ends = pieces.flat_map(|c| {
            let d = c.domain();
            [(c.end(), c.tangent(d.end)), (c.start(), c.tangent(d.start).map(|t| -t))]
        });
        let nearest = ends.min_by(|a, b| (a.0 - at).norm().total_cmp(&(b.0 - at).norm()));
        let direction = nearest
            .and_then(|(_, t)| t)
            .ok_or_else(|| Notice::about(slot, "the picked curve has no direction at its end").at(*at))?;
        Ok(Some(direction * pull))
    }

    fn make(
        &self,
        context: &Context<'_>,
        points: &[Point3],
    ) -> Result<Result<NurbsCurve, GeometryError>, Notice> {
        let last = points.len().saturating_sub(1);
        let (Some(first), Some(end)) = (points.first(), points.last()) else {
            return Ok(Err(GeometryError::TooFewPoints { given: 0, needed: 2 }));
        };
        let start = Self::outward(
            context,
            self.start_along.as_ref(),
            &self.start_pull,
            first,
            ["start_along", "start_pull"],
        )?;
        let finish =
            Self::outward(context, self.end_along.as_ref(), &self.end_pull, end, ["end_along", "end_pull"])?;
        let resolution = context.tolerance.resolution;
        if self.follows == Follows::ControlPoints {
            let mut control = points.to_vec();
            // The control points next to the ends give the tangents.
            if let (Some(s), true) = (start, last > 1) {
                control[1] = points[0] + s * (points[1] - points[0]).norm();
            }
            if let (Some(f), true) = (finish, last > 1) {
                control[last - 1] = points[last] + f * (points[last] - points[last - 1]).norm();
            }
            return Ok(NurbsCurve::from_control_points(&control, resolution));
        }
        let free = match through_points(points, resolution) {
            Ok(free) => free,
            Err(e) => return Ok(Err(e)),
        };
        if start.is_none() && finish.is_none() {
            return Ok(Ok(free));
        }
        let length: f64 = points.windows(2).map(|w| (w[1] - w[0]).norm()).sum();
        let by_itself = [free.derivatives(0.0).1[0], free.derivatives(1.0).1[0]];
        let ends = [start.map_or(by_itself[0], |d| d * length), finish.map_or(by_itself[1], |d| -d * length)];
        Ok(interpolate(points, &chord_parameters(points), 3, Some(ends)))
    }
}

impl Construction for SpaceCurve {
    fn describe() -> StepDescription {
        let along = |name, label, help| SlotDescription::one(name, label, &["curve"], help).many(0, 1);
        let pull = |name, label| {
            ValueDescription::amount(
                name,
                label,
                Quantity::Ratio,
                [0.001, 100.0],
                json!(1),
                "1 for what comes by itself; more makes it leave the end more slowly.",
            )
        };
        StepDescription {
            kind: "space_curve",
            label: "Space curve",
            stage: "Draw",
            purpose: "Draw a curve in space, through points or controlled by them.",
            also: "3d curve, spline, line, path, rail, corner to corner",
            key: "w",
            makes: &["curve"],
            slots: vec![
                SlotDescription::one(
                    "points",
                    "Points",
                    &["point"],
                    "Points in order: picked, or typed as x, y, z.",
                )
                .many(2, 500),
                along(
                    "start_along",
                    "Go on from",
                    "A curve whose end it goes on from at its start, without a corner.",
                ),
                along(
                    "end_along",
                    "Run into",
                    "A curve whose end it runs into at its end, without a corner.",
                ),
            ],
            values: vec![
                ValueDescription::choice(
                    "follows",
                    "Kind",
                    &[("through_points", "Through points"), ("control_points", "Control points")],
                    "Whether it passes through the points or has them as its control polygon.",
                ),
                pull("start_pull", "Pull at the start"),
                pull("end_pull", "Pull at the end"),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let points = self.points.iter().filter_map(|p| Some(("points", p.reference()?)));
        let start = self.start_along.as_ref().map(|r| ("start_along", r));
        points.chain(start).chain(self.end_along.as_ref().map(|r| ("end_along", r))).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let own = [&mut self.start_pull, &mut self.end_pull];
        own.into_iter().chain(self.points.iter_mut().flat_map(PointInput::amounts)).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let points = self.points.iter().map(|p| p.point(context, "points")).collect::<Result<Vec<_>, _>>()?;
        let curve = self.make(context, &points)?.map_err(|e| Notice::refused("points", &e.into()))?;
        Ok(Built::curves(vec![CurveShape::in_space("curve", vec![curve])], None))
    }
}
