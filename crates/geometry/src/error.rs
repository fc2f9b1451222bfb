/// What can be wrong with the numbers that describe a curve or a surface.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum GeometryError {
    /// A spline's degree is outside what the evaluation supports.
    #[error("degree {0} is outside 1 to {max}; choose one in that range", max = crate::MAX_DEGREE)]
    Degree(usize),
    /// Knot count, control point count and degree do not belong together.
    #[error("{knots} knots do not fit {points} control points of degree {degree}; {needed} are needed", needed = points + degree + 1)]
    KnotCount {
        /// How many knots were given.
        knots: usize,
        /// How many control points were given.
        points: usize,
        /// The degree.
        degree: usize,
    },
    /// Knots fall, repeat too often, or are not clamped at the ends.
    #[error("the knots go wrong at index {0}; they must not fall, and repeat degree + 1 times at either end")]
    KnotOrder(usize),
    /// Two places that must differ are one.
    #[error("points {} and {} are the same place; move or remove one of them", first + 1, second + 1)]
    RepeatedPoint {
        /// Index of the earlier point, from 0; the message counts from 1.
        first: usize,
        /// Index of the later point.
        second: usize,
        /// Where they lie.
        at: [f64; 3],
    },
    /// Too few points for what was asked.
    #[error("{given} points are too few; give at least {needed}")]
    TooFewPoints {
        /// How many there are.
        given: usize,
        /// How many it takes.
        needed: usize,
    },
    /// Too few control points, or too low a degree, to keep curvature at the ends.
    #[error(
        "{count} control points of degree {degree} cannot keep the curvature at the ends; give at least {needed} points and degree 2"
    )]
    NoCurvatureKept {
        /// The degree asked for.
        degree: usize,
        /// How many control points were asked for.
        count: usize,
        /// How many it takes.
        needed: usize,
    },
    /// A coordinate or a weight is not a usable number.
    #[error("number {0} in the list is not finite, or a weight is not above zero")]
    BadNumber(usize),
    /// A system of demands that leaves a surface loose.
    #[error(
        "what was given does not hold the surface in place; give more places that do not lie on one line"
    )]
    Singular,
    /// An offset would fold over itself where the curve bends more tightly than the distance.
    #[error(
        "an offset of {distance:.4} mm folds over where it bends with radius {radius:.4} mm; use less than {radius:.4} mm or widen the bend"
    )]
    OffsetFolds {
        /// Where the curve bends most tightly on that side.
        at: [f64; 3],
        /// Radius there, in millimetres.
        radius: f64,
        /// The distance that was asked for, in millimetres.
        distance: f64,
    },
    /// A curve stands still somewhere, so that it has no direction there.
    #[error("the curve has no direction at one place; remove the points that coincide there")]
    NoDirection {
        /// Where.
        at: [f64; 3],
    },
    /// Two curves do not make a corner.
    #[error(
        "there is no corner here: the curves do not meet, or run into each other smoothly; bring their ends together first"
    )]
    NoCorner {
        /// Where it was looked for.
        at: [f64; 3],
    },
    /// A corner leaves no room for what was asked.
    #[error("{asked:.3} mm does not fit in this corner; at most {down:.3} mm fits", down = (fits * 1e3).floor() / 1e3)]
    CornerTooTight {
        /// Radius or distance asked for, in millimetres.
        asked: f64,
        /// The largest that was found to fit.
        fits: f64,
        /// The corner.
        at: [f64; 3],
    },
}

impl GeometryError {
    /// The place that the error is about, if it has one; in the coordinates of what it was asked of.
    #[must_use]
    pub fn place(&self) -> Option<[f64; 3]> {
        match self {
            Self::RepeatedPoint { at, .. }
            | Self::OffsetFolds { at, .. }
            | Self::NoDirection { at }
            | Self::NoCorner { at }
            | Self::CornerTooTight { at, .. } => Some(*at),
            Self::Degree(_)
            | Self::KnotCount { .. }
            | Self::KnotOrder(_)
            | Self::TooFewPoints { .. }
            | Self::NoCurvatureKept { .. }
            | Self::Singular
            | Self::BadNumber(_) => None,
        }
    }
}
