//! How curves through points are parametrised: drawn ones and those in space alike.

use geometry::{
    EndDerivatives, GeometryError, NurbsCurve, Point3, Through, chord_parameters, interpolate,
    interpolate_ring_averaged, through_points,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::Context;
use crate::{Amount, Notice, Quantity};

/// How far apart, in its parameter, a curve passes through its points.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Spacing {
    /// By the square roots of the distances between them; overshoots least where long and short ones follow each other.
    #[default]
    Centripetal,
    /// By the distances between them.
    Chord,
    /// Alike from each point to the next.
    Even,
    /// By the distances, with knots by averaging: as curves were made up to version 2 of the recipe. One with a tension has
    /// its knots at the points.
    Averaged,
}

impl Spacing {
    /// What it does, for a card.
    pub(crate) const HELP: &'static str = "Whether its parameters go by the roots of the distances between its points, which overshoots least, by the distances, or evenly; averaged as curves were before.";

    /// For the choice on a card.
    pub(crate) const CHOICES: [(&'static str, &'static str); 4] =
        [("centripetal", "Roots"), ("chord", "Distances"), ("even", "Even"), ("averaged", "Averaged")];

    /// A tension as given.
    pub(crate) fn tension(context: &Context<'_>, amount: &Amount, field: &str) -> Result<f64, Notice> {
        let tension = context.value(amount, Quantity::Ratio, field)?;
        let most = Through::MOST_TENSION;
        if (0.0..=most).contains(&tension) {
            return Ok(tension);
        }
        let message =
            format!("a tension is 0 to {most}; 0 leaves the curve as it comes, more pulls it tight");
        Err(Notice::about(field, message))
    }

    fn through(self, tension: f64) -> Option<Through> {
        let spacing = match self {
            Self::Centripetal => geometry::Spacing::Centripetal,
            Self::Chord => geometry::Spacing::Chord,
            Self::Even => geometry::Spacing::Even,
            Self::Averaged if tension > 0.0 => geometry::Spacing::Chord,
            Self::Averaged => return None,
        };
        Some(Through { spacing, tension })
    }

    /// The curve through points with given derivatives at its ends.
    pub(crate) fn curve(
        self,
        tension: f64,
        points: &[Point3],
        ends: &EndDerivatives,
        resolution: f64,
    ) -> Result<NurbsCurve, GeometryError> {
        if let Some(through) = self.through(tension) {
            return through.curve(points, ends, resolution);
        }
        // Checks the points as well.
        let free = through_points(points, resolution)?;
        if *ends == EndDerivatives::free() {
            return Ok(free);
        }
        let degree = 3.min(points.len() + ends.start.len() + ends.end.len() - 1);
        interpolate(points, &chord_parameters(points), degree, ends)
    }

    /// The closed curve through points, none of which counts twice.
    pub(crate) fn ring(
        self,
        tension: f64,
        points: &[Point3],
        resolution: f64,
    ) -> Result<NurbsCurve, GeometryError> {
        if let Some(through) = self.through(tension) {
            return through.ring(points, resolution);
        }
        if points.len() < 3 {
            return Err(GeometryError::TooFewPoints { given: points.len(), needed: 3 });
        }
        let mut around = points.to_vec();
        around.push(points[0]);
        through_points(&around, resolution)?;
        interpolate_ring_averaged(&around, &chord_parameters(&around))
    }

    /// Where the points lie on the curve through them.
    pub(crate) fn parameters(self, points: &[Point3], curve: &NurbsCurve) -> Vec<f64> {
        match self {
            Self::Averaged => chord_parameters(points),
            // Its knots stand at its points; two or three have none inside.
            _ if points.len() > 2 => curve.knots().breaks(),
            _ => vec![curve.domain().start, curve.domain().end],
        }
    }
}
