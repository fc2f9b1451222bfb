//! Fill to level: the volume that a vessel holds below a plane, and how it grows with the height.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use topology::Body;

use super::cutters::{Member, StandsFor, Together};
use super::enclose::{leak, spaces};
use super::{Construction, Context, SlotDescription, StepDescription};
use crate::shape::Chart;
use crate::{Amount, Built, Notice, PlaneInput, Quantity, Reached, Reference, Shape};

/// Cubic millimetres of a cubic inch, exact (NIST Handbook 44, Appendix C).
pub(crate) const CUBIC_INCH: f64 = 16_387.064;
/// A US gallon is 231 cubic inches: a liquid quart is a quarter of it, a fluid ounce a 128th (NIST Handbook 44, Appendix C).
const US_QUART: f64 = 231.0 / 4.0 * CUBIC_INCH;
const US_FLUID_OUNCE: f64 = 231.0 / 128.0 * CUBIC_INCH;
/// Heights at which the volume is told, the level itself counted.
const HEIGHTS: usize = 10;

/// What a vessel holds below a plane.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FillToLevel {
    /// Solids and surfaces that hold it.
    pub vessel: Vec<Reference>,
    /// The plane; what is filled lies behind it, on the side from which its normal points away.
    pub level: PlaneInput,
}

impl Construction for FillToLevel {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "fill_to_level",
            label: "Fill to level",
            stage: "Prove",
            purpose: "Find the volume that a vessel holds below a plane, with a chart of volume against height.",
            also: "capacity, litres, quarts, fluid, reservoir, contents, level",
            key: "F",
            makes: &["solid"],
            slots: vec![
                SlotDescription::one(
                    "vessel",
                    "Vessel",
                    &["solid", "surface"],
                    "What holds it, with all lids and plugs.",
                )
                .many(1, 100),
                SlotDescription::one("level", "Level", &["plane"], "The plane up to which it is filled."),
            ],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let level = self.level.reference().map(|r| ("level", r));
        self.vessel.iter().map(|r| ("vessel", r)).chain(level).collect()
    }

    const ONLY_MEASURES: bool = true;

    fn keeps(&self, _: &str) -> bool {
        true
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        Vec::new()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let frame = self.level.frame(context, "level")?;
        let mut members: Vec<Member> = Vec::new();
        for reference in &self.vessel {
            members.extend(context.members(reference, "vessel")?);
        }
        let plane =
            context.plane_member(&frame, "the level".into(), "level", &members.iter().collect::<Vec<_>>())?;
        members.push(plane);
        let together = Together::new(members, &context.tolerance)?;
        let below = |body: &Body| body.measure().centroid().is_some_and(|c| frame.coordinates(&c).z < 0.0);
        let bodies: Vec<Body> = spaces(&together)?.into_iter().map(|s| s.1).filter(below).collect();
        if bodies.is_empty() {
            return Err(leak(&together, "vessel", context));
        }
        let volume: f64 = bodies.iter().map(|b| b.measure().volume).sum();
        let count =
            |label: &str, value: f64| Reached { quantity: Quantity::Count, ..Reached::length(label, value) };
        let reached = [
            count("Holds, mm³", volume),
            count("Holds, mL", volume / 1e3),
            count("Holds, L", volume / 1e6),
            count("Holds, in³", volume / CUBIC_INCH),
            count("Holds, US fl oz", volume / US_FLUID_OUNCE),
            count("Holds, US quarts", volume / US_QUART),
        ];
        let chart = heights(context, &bodies, &frame)?;
        let mut built = Built::plain(Shape::Bodies(bodies)).with_reached(reached);
        built.chart = Some(chart);
        Ok(built)
    }
}

/// Volumes below planes evenly from the lowest place up to the level: all planes cut the contents at once.
fn heights(context: &Context<'_>, bodies: &[Body], frame: &geometry::Frame) -> Result<Chart, Notice> {
    let depth = |p: &geometry::Point3| frame.coordinates(p).z;
    let lowest = bodies
        .iter()
        .flat_map(Body::shells)
        .filter_map(|s| topology::bounds(&s.clone().transformed(&frame.from_world())))
        .map(|(low, _)| low.z)
        .fold(f64::INFINITY, f64::min);
    let mut members: Vec<Member> = bodies
        .iter()
        .map(|b| Member {
            shell: b.whole(),
            volume: Some(b.measure().volume),
            stands_for: StandsFor::Itself,
            name: String::new(),
            slot: "vessel",
        })
        .collect();
    let count = members.len();
    let levels: Vec<f64> = (1..HEIGHTS).map(|k| lowest * (1.0 - k as f64 / HEIGHTS as f64)).collect();
    for z in &levels {
        let at = geometry::Frame { origin: frame.origin + frame.z * *z, ..*frame };
        let contents: Vec<&Member> = members[..count].iter().collect();
        let plane = context.plane_member(&at, String::new(), "level", &contents)?;
        members.push(plane);
    }
    let together = Together::new(members, &context.tolerance)?;
    let mut slices: Vec<(f64, f64)> = Vec::new();
    for of in 0..count {
        for (_, piece) in together.pieces(of, &|i| i >= count)? {
            let measures = piece.body.measure();
            let middle = measures.centroid().map_or(0.0, |c| depth(&c));
            slices.push((middle, measures.volume));
        }
    }
    let below = |z: f64| slices.iter().filter(|s| s.0 < z).map(|s| s.1).sum::<f64>() / 1e6;
    let mut points = vec![[0.0, 0.0]];
    points.extend(levels.iter().chain([&0.0]).map(|z| [z - lowest, below(*z)]));
    Ok(Chart { across: "Height, mm".into(), up: "Volume, L".into(), points })
}
