//! Space curve: through points in space or controlled by them.

use geometry::{EndDerivatives, NurbsCurve, Point3, Through, Vector3, closest_on_surface, smallest_radius};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use topology::Face;

use super::spacing::Spacing;
use super::{Construction, Context, EndAgrees, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_one, is_zero, one, zero};
use crate::recipe::is_default;
use crate::{Amount, Built, CurveShape, Notice, Place, PointInput, Quantity, Reached, Reference};

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
    /// How far apart in its parameter it passes through its points.
    #[serde(default, skip_serializing_if = "is_default")]
    pub spacing: Spacing,
    /// From 0, none, up to below 1: how tight it is pulled between its points.
    #[serde(default = "zero", skip_serializing_if = "is_zero")]
    pub tension: Amount,
    /// What it goes on from at its start: the nearest end of a curve or edge, or a face that it leaves along.
    #[serde(default, skip_serializing_if = "is_default")]
    pub start_along: Option<Reference>,
    /// How far it agrees with that.
    #[serde(default, skip_serializing_if = "is_default")]
    pub start_agrees: EndAgrees,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub start_pull: Amount,
    /// What it runs into at its end: the nearest end of a curve or edge, or a face.
    #[serde(default, skip_serializing_if = "is_default")]
    pub end_along: Option<Reference>,
    /// How far it agrees with that.
    #[serde(default, skip_serializing_if = "is_default")]
    pub end_agrees: EndAgrees,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub end_pull: Amount,
}

/// One end of the curve and what it meets there.
struct End<'a> {
    along: Option<&'a Reference>,
    agrees: EndAgrees,
    pull: &'a Amount,
    fields: [&'static str; 2],
    /// Where the curve begins or ends.
    at: Point3,
    /// The way and speed with which the curve would leave here by itself, into the curve.
    by_itself: Vector3,
}

/// Tangent and curvature vector, in 1/mm, of what an end meets.
struct Met {
    tangent: Vector3,
    /// None where a face shrinks to a point, at which it has no single one.
    curvature: Option<Vector3>,
}

impl End<'_> {
    /// Derivatives into the curve that make the end agree; none for a free end.
    fn derivatives(&self, context: &Context<'_>) -> Result<Vec<Vector3>, Notice> {
        let Some(reference) = self.along else { return Ok(Vec::new()) };
        let [slot, field] = self.fields;
        let pull = context.pull(self.pull, field)?;
        let met = match context.faces(reference, slot) {
            Ok(faces) => self.on_faces(&faces, slot, context)?,
            Err(_) => self.on_curve(context, reference, slot)?,
        };
        let first = met.tangent * self.by_itself.norm() * pull;
        if self.agrees == EndAgrees::Tangent {
            return Ok(vec![first]);
        }
        let curvature = met.curvature.ok_or_else(|| {
            let message = "the face shrinks to a point here and has no single curvature; agree in the tangent only, or move the point";
            Notice::about(slot, message).at(self.at)
        })?;
        Ok(vec![first, curvature * first.norm_squared()])
    }

    /// The nearest end of the picked curves, run on beyond.
    fn on_curve(&self, context: &Context<'_>, reference: &Reference, slot: &str) -> Result<Met, Notice> {
        let picked = context.curves(reference, slot)?;
        let ends = picked.iter().flat_map(|c| &c.pieces).flat_map(|c| {
            let d = c.domain();
            [(c, d.end, 1.0), (c, d.start, -1.0)]
        });
        let distance = |c: &NurbsCurve, t: f64| (c.point(t) - self.at).norm();
        let nearest = ends.min_by(|a, b| distance(a.0, a.1).total_cmp(&distance(b.0, b.1)));
        let met = nearest.and_then(|(c, t, sign)| {
            let (_, [d1, d2, _]) = c.derivatives(t);
            let tangent = c.tangent(t)?;
            let across = d2 - tangent * d2.dot(&tangent);
            Some(Met { tangent: tangent * sign, curvature: Some(across / d1.norm_squared().max(1e-24)) })
        });
        met.ok_or_else(|| Notice::about(slot, "the picked curve has no direction at its end").at(self.at))
    }

    /// Along the face under the end, as straight on as it allows, bent as the face is bent that way.
    fn on_faces(&self, faces: &[&Face], slot: &str, context: &Context<'_>) -> Result<Met, Notice> {
        let places = faces.iter().map(|f| (f, closest_on_surface(&f.surface, &self.at)));
        let nearest = places.min_by(|a, b| a.1.distance.total_cmp(&b.1.distance));
        let (face, place) = nearest.ok_or_else(|| Notice::about(slot, "there is no face to leave along"))?;
        if place.distance > context.tolerance.join {
            let message = format!(
                "this end lies {:.3} mm off the face; move the point onto it, or pick another face",
                place.distance
            );
            return Err(Notice::about(slot, message).at(self.at));
        }
        let [u, v] = place.parameters;
        let d = face.surface.derivatives(u, v);
        let met = face.surface.normal(u, v).and_then(|n| {
            let tangent = (self.by_itself - n * self.by_itself.dot(&n)).try_normalize(1e-9)?;
            let curvature = d
                .normal_curvature(&tangent)
                .and_then(|bend| Some(d.area_vector().try_normalize(f64::MIN_POSITIVE)? * bend));
            Some(Met { tangent, curvature })
        });
        met.ok_or_else(|| {
            let message = "the curve stands square to the face here, so that no direction along it is the right one; move its next point";
            Notice::about(slot, message).at(self.at)
        })
    }
}

impl SpaceCurve {
    fn make(&self, context: &Context<'_>, points: &[Point3]) -> Result<NurbsCurve, Notice> {
        let refused = |e: geometry::GeometryError| Notice::refused("points", &e.into());
        let resolution = context.tolerance.resolution;
        let tension = Spacing::tension(context, &self.tension, "tension")?;
        let free = match self.follows {
            Follows::ThroughPoints => {
                self.spacing.curve(tension, points, &EndDerivatives::free(), resolution)
            }
            Follows::ControlPoints => NurbsCurve::from_control_points(points, resolution),
        }
        .map_err(refused)?;
        let d = free.domain();
        let start = End {
            along: self.start_along.as_ref(),
            agrees: self.start_agrees,
            pull: &self.start_pull,
            fields: ["start_along", "start_pull"],
            at: free.start(),
            by_itself: free.derivatives(d.start).1[0],
        };
        let end = End {
            along: self.end_along.as_ref(),
            agrees: self.end_agrees,
            pull: &self.end_pull,
            fields: ["end_along", "end_pull"],
            at: free.end(),
            by_itself: -free.derivatives(d.end).1[0],
        };
        let ends = [start.derivatives(context)?, end.derivatives(context)?];
        if ends.iter().all(Vec::is_empty) {
            return Ok(free);
        }
        if self.follows == Follows::ControlPoints {
            let needed = ends[0].len() + ends[1].len() + 2;
            if points.len() < needed.max(4) {
                let message = format!(
                    "the control points next to an end make it agree; with these ends give at least {}",
                    needed.max(4)
                );
                return Err(Notice::about("points", message));
            }
            // The second derivative does not change with the way that a curve is run.
            let bent = free.with_start_derivatives(&ends[0]).map(|c| c.reversed());
            let bent = bent.and_then(|c| c.with_start_derivatives(&ends[1])).map(|c| c.reversed());
            return bent.ok_or_else(|| Notice::about("points", "give more control points for these ends"));
        }
        let [start, end] = ends;
        let end: Vec<Vector3> = end.iter().enumerate().map(|(k, d)| if k == 0 { -d } else { *d }).collect();
        self.spacing.curve(tension, points, &EndDerivatives { start, end }, resolution).map_err(refused)
    }
}

impl Construction for SpaceCurve {
    fn describe() -> StepDescription {
        let along = |name, label| {
            let help = "A curve or edge whose nearest end it goes on from, or a face that it leaves along.";
            SlotDescription::one(name, label, &["curve", "surface", "solid"], help).optional().faces()
        };
        let agrees = |name, label, slot| {
            let choices = [("tangent", "Tangent"), ("curvature", "Curvature")];
            let help = "Whether it takes over the tangent only, or the curvature too.";
            ValueDescription::choice(name, label, &choices, help).only_if(slot, "filled")
        };
        let pull = |name, label, slot| {
            ValueDescription::amount(
                name,
                label,
                Quantity::Ratio,
                [0.001, 100.0],
                json!(1),
                "1 for what comes by itself; more makes it leave the end more slowly.",
            )
            .only_if(slot, "filled")
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
                along("start_along", "Go on from"),
                along("end_along", "Run into"),
            ],
            values: vec![
                ValueDescription::choice(
                    "follows",
                    "Kind",
                    &[("through_points", "Through points"), ("control_points", "Control points")],
                    "Whether it passes through the points or has them as its control polygon.",
                ),
                ValueDescription::choice("spacing", "Spacing", &Spacing::CHOICES, Spacing::HELP)
                    .only_if("follows", "through_points"),
                ValueDescription::amount(
                    "tension",
                    "Tension",
                    Quantity::Ratio,
                    [0.0, Through::MOST_TENSION],
                    json!(0),
                    "0 for none; nearer to 1 it is pulled tight between its points.",
                )
                .only_if("follows", "through_points"),
                agrees("start_agrees", "Agrees at the start in", "start_along"),
                pull("start_pull", "Pull at the start", "start_along"),
                agrees("end_agrees", "Agrees at the end in", "end_along"),
                pull("end_pull", "Pull at the end", "end_along"),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let points = self.points.iter().filter_map(|p| Some(("points", p.reference()?)));
        let start = self.start_along.as_ref().map(|r| ("start_along", r));
        points.chain(start).chain(self.end_along.as_ref().map(|r| ("end_along", r))).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let own = [&mut self.tension, &mut self.start_pull, &mut self.end_pull];
        own.into_iter().chain(self.points.iter_mut().flat_map(PointInput::amounts)).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let points = self.points.iter().map(|p| p.point(context, "points")).collect::<Result<Vec<_>, _>>()?;
        let curve = self.make(context, &points)?;
        let sharpest = smallest_radius(&curve).map(|(t, radius)| (radius, curve.point(t)));
        let own = self.points.iter().map(|p| p.reference().is_none());
        let places = points.into_iter().zip(own).map(|(at, own)| Place { at, own }).collect();
        let shape = CurveShape { places, ..CurveShape::in_space("curve", vec![curve]) };
        let mut built = Built::curves(vec![shape]);
        built.reached.extend(sharpest.map(|(radius, at)| Reached::length("Smallest radius", radius).at(at)));
        Ok(built)
    }
}
