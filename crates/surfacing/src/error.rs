use geometry::GeometryError;
use topology::TopologyError;

/// Why a construction could not be made; `at` is a place in space, in millimetres.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum SurfacingError {
    /// A curve or surface could not be made.
    #[error(transparent)]
    Geometry(#[from] GeometryError),
    /// The shell could not be put together.
    #[error(transparent)]
    Topology(#[from] TopologyError),
    /// There is no curve to work on.
    #[error("there is no curve to work on; draw one first")]
    Empty,
    /// The curves do not form one chain.
    #[error(
        "the curves fall apart: the nearest loose ends are {gap:.3} mm apart; move them together, or pick one curve"
    )]
    NotOneChain {
        /// Smallest distance between loose ends, in millimetres.
        gap: f64,
        /// Where.
        at: [f64; 3],
    },
    /// More than two curve ends meet at one place.
    #[error("{count} curve ends meet at one place, so that the chain branches; remove or move one of them")]
    Branches {
        /// How many ends meet.
        count: usize,
        /// Where.
        at: [f64; 3],
    },
    /// A profile does not lie in a plane with the axis.
    #[error(
        "the profile leaves the plane of the axis by {distance:.3} mm; draw it on a plane through the axis, or pick another axis"
    )]
    NotWithAxis {
        /// How far, in millimetres.
        distance: f64,
        /// Where.
        at: [f64; 3],
    },
    /// All of a profile lies on the axis.
    #[error(
        "the profile lies on the axis, so that turning it makes no surface; move it off the axis or pick another axis"
    )]
    OnAxis {
        /// Where.
        at: [f64; 3],
    },
    /// A profile crosses the axis at an end, by a little.
    #[error(
        "the profile's end is {distance:.3} mm beyond the axis; a turn would overlap there; put it on the axis"
    )]
    EndBeyondAxis {
        /// Whether it is the chain's start.
        start: bool,
        /// How far beyond, in millimetres.
        distance: f64,
        /// Where.
        at: [f64; 3],
    },
    /// A profile crosses or touches the axis away from its ends.
    #[error("the profile crosses the axis; keep all of it on one side, with at most its ends on the axis")]
    CrossesAxis {
        /// Where.
        at: [f64; 3],
    },
    /// A profile crosses itself.
    #[error("the profile crosses itself; move its points until it does not")]
    CrossesItself {
        /// Where.
        at: [f64; 3],
    },
    /// A turn's angle is unusable.
    #[error("a turn of {degrees:.6} deg makes no surface; give more than 0 and at most 360 deg")]
    Angle {
        /// The angle in degrees.
        degrees: f64,
    },
    /// A flat-sided turn has too few or too many sides.
    #[error("{0} sides make no closed shape; give 3 to 360")]
    Sides(usize),
    /// A closed profile that is turned part of the way cannot get a wall.
    #[error(
        "a closed profile turned part of the way has no room for a wall with open ends; turn it all the way, or open the profile"
    )]
    RingPartWay {
        /// Where.
        at: [f64; 3],
    },
    /// A wall has no thickness.
    #[error("the wall has no thickness; give more than 0 mm on at least one side")]
    NoThickness,
    /// A wall is thicker than the shape leaves room for.
    #[error("a wall of {asked:.3} mm does not fit: {why}; at most {down:.3} mm in all fits here", down = (fits * 1e3).floor() / 1e3)]
    TooThick {
        /// Total thickness asked for, in millimetres.
        asked: f64,
        /// Largest total thickness that was found to fit, in millimetres.
        fits: f64,
        /// What goes wrong.
        why: String,
        /// Where.
        at: [f64; 3],
    },
    /// A helix's values make no curve.
    #[error("this helix cannot be made: {why}; change its radii, height or turns")]
    Winding {
        /// What is wrong.
        why: &'static str,
        /// Where it would begin.
        at: [f64; 3],
    },
    /// Two views look the same way.
    #[error(
        "the two views lie in parallel planes, so that nothing crosses; pick drawings on two different planes"
    )]
    ParallelViews,
    /// Two views share no height.
    #[error("the {} view has no part at the heights of the other one; move them to the same range", ["first", "second"][*view])]
    NoPartner {
        /// 0 for the first view, 1 for the second.
        view: usize,
        /// Where it begins.
        at: [f64; 3],
    },
    /// Neither view rises or falls all the way.
    #[error(
        "both views turn back, so that a place of one has several partners in the other; split one of them here"
    )]
    BothTurn {
        /// Where the second view turns.
        at: [f64; 3],
    },
    /// An extrusion has no length.
    #[error("this cannot be extruded: {why}; give a length, or another direction")]
    NoLength {
        /// What is wrong.
        why: &'static str,
        /// Where.
        at: [f64; 3],
    },
    /// A loft has too few sections.
    #[error("{given} sections make no surface; pick at least {needed}")]
    TooFewSections {
        /// How many there are.
        given: usize,
        /// How many are needed.
        needed: usize,
    },
    /// Open sections among closed ones.
    #[error("section {section} is {}, the ones before it are {}; close or open it, or leave it out", word(*closed), word(!*closed))]
    MixedSections {
        /// Which, counted from 1.
        section: usize,
        /// Whether this one is closed.
        closed: bool,
        /// Where it begins.
        at: [f64; 3],
    },
    /// A point between sections.
    #[error("section {section} is a point; a loft can run into a point only at its first or last section")]
    PointInside {
        /// Which, counted from 1.
        section: usize,
        /// Where.
        at: [f64; 3],
    },
    /// Two sections touch or cross.
    #[error("sections {} and {} meet here, so that the surface would fold onto itself; move them apart", sections[0], sections[1])]
    SectionsTouch {
        /// Which, counted from 1.
        sections: [usize; 2],
        /// Where.
        at: [f64; 3],
    },
    /// A sweep's path has a corner.
    #[error(
        "the path has a corner here, at which a section that follows it would jump; round the corner, or keep the section's direction"
    )]
    PathCorner {
        /// Where.
        at: [f64; 3],
    },
    /// A sweep is tighter than its section.
    #[error(
        "the path bends with radius {radius:.3} mm here, and the section reaches beyond that, so that the sweep would fold; make the section smaller or the bend wider"
    )]
    TooTight {
        /// The path's radius in millimetres.
        radius: f64,
        /// Where.
        at: [f64; 3],
    },
    /// A closed sweep does not end as it began.
    #[error(
        "after one round the section is {distance:.3} mm off where it began; give a twist of whole turns and size 1, or open the path"
    )]
    NotBack {
        /// How far off, in millimetres.
        distance: f64,
        /// Where it began.
        at: [f64; 3],
    },
    /// Outlines would make several solids.
    #[error(
        "these outlines lie side by side and would make several solids; make one of each, picking its curve alone"
    )]
    SideBySide {
        /// Where another one is.
        at: [f64; 3],
    },
    /// An outline leaves its plane.
    #[error("the outline leaves the plane by {distance:.3} mm; pick one that is flat")]
    NotFlat {
        /// How far, in millimetres.
        distance: f64,
        /// Where.
        at: [f64; 3],
    },
    /// An outline does not close.
    #[error("the outline is open by {gap:.3} mm; close it")]
    OpenOutline {
        /// How far its ends are apart, in millimetres.
        gap: f64,
        /// Where.
        at: [f64; 3],
    },
    /// A curve's image on a surface is missing somewhere.
    #[error("a part of the curve misses the surface; shorten the curve or choose another direction")]
    Misses {
        /// The place of the curve.
        at: [f64; 3],
    },
}

fn word(closed: bool) -> &'static str {
    if closed { "closed" } else { "open" }
}

impl SurfacingError {
    /// The place in space that the error is about, if it has one.
    #[must_use]
    pub fn place(&self) -> Option<[f64; 3]> {
        match self {
            Self::NotOneChain { at, .. }
            | Self::Branches { at, .. }
            | Self::NotWithAxis { at, .. }
            | Self::OnAxis { at }
            | Self::EndBeyondAxis { at, .. }
            | Self::CrossesAxis { at }
            | Self::CrossesItself { at }
            | Self::RingPartWay { at }
            | Self::TooThick { at, .. }
            | Self::Winding { at, .. }
            | Self::NoPartner { at, .. }
            | Self::BothTurn { at }
            | Self::NoLength { at, .. }
            | Self::PathCorner { at }
            | Self::SideBySide { at }
            | Self::NotBack { at, .. }
            | Self::TooTight { at, .. }
            | Self::MixedSections { at, .. }
            | Self::PointInside { at, .. }
            | Self::SectionsTouch { at, .. }
            | Self::NotFlat { at, .. }
            | Self::OpenOutline { at, .. }
            | Self::Misses { at }
            | Self::Topology(TopologyError::EdgeOffVertex { at, .. }) => Some(*at),
            Self::Geometry(e) | Self::Topology(TopologyError::Geometry(e)) => e.place(),
            _ => None,
        }
    }
}
