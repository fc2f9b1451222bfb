//! How a loft leaves its first and meets its last section: `meeting` is one face of it where it meets surfaces, `corners` what
//! faces share there.

mod corners;
mod meeting;

use std::sync::Arc;

use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3};

pub(super) use self::corners::corners;
pub use self::meeting::Away;
pub(crate) use self::meeting::Shared;
use self::meeting::{CHECKED, Derivatives, Meeting, beside};
use super::Section;
use crate::SurfacingError;
use crate::feet::Feet;
use crate::sections::{middle, places};

/// Rounds in which every span of the sections is halved.
const MAX_ROUNDS: usize = 5;
/// Three times 4 (sqrt 2 - 1) / 3: how fast the cubic that follows a quarter of a circle leaves its end, for a radius of 1.
pub(super) const QUARTER: f64 = 1.656_854_249_492_380_2;

/// How a loft leaves its first or meets its last section.
#[derive(Debug, Clone, PartialEq)]
pub enum LoftEnd {
    /// As it comes.
    Free,
    /// Square to the section's plane, this strongly: 1 for what comes by itself.
    Square(f64),
    /// Round over a point, instead of pointed: 1 for an elliptic dome.
    Rounded(f64),
    /// In agreement with surfaces on which the section lies.
    Neighbour {
        /// The surfaces.
        surfaces: Vec<Arc<NurbsSurface>>,
        /// In curvature too, and not in the tangent plane only.
        curvature: bool,
        /// How strongly: 1 for what comes by itself.
        pull: f64,
        /// In which direction within their tangent planes.
        way: Way,
        /// Turned from that by an angle in radians, toward where the section runs.
        turn: f64,
        /// On which side of the section the surfaces' faces do not lie, if that counts.
        side: Option<Away>,
    },
}

impl LoftEnd {
    pub(super) fn is_free(&self) -> bool {
        *self == Self::Free
    }
}

/// In which direction within a face's tangent plane a loft leaves a section on it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Way {
    /// Toward the next section, as far as the plane allows.
    #[default]
    Toward,
    /// Square to the section.
    Square,
    /// Along the face's own parameter lines.
    Lines,
}

/// The rows, with more knots where those are needed, and how the skin through them must leave its first and meet its last
/// one. `steps` are the first and the last one's lengths in mm, all faces taken together, and `shared` what it shares with
/// its neighbours.
pub(super) fn agreeing(
    rows: &[NurbsCurve],
    sections: &[Section],
    ends: &[LoftEnd; 2],
    (steps, shared): ([f64; 2], [[Option<Shared>; 2]; 2]),
    tolerance: &Tolerance,
) -> Result<(Vec<NurbsCurve>, [Derivatives; 2]), SurfacingError> {
    let mut rows = rows.to_vec();
    for round in 0.. {
        let mut out: [Derivatives; 2] = [Vec::new(), Vec::new()];
        let mut all_agree = true;
        for k in [0, 1] {
            let (own, next) = if k == 0 { (0, 1) } else { (rows.len() - 1, rows.len() - 2) };
            let onward = middle(&rows[next].control_points()) - middle(&rows[own].control_points());
            let sense = if k == 0 { 1.0 } else { -1.0 };
            out[k] = match (&ends[k], &sections[own]) {
                (LoftEnd::Square(pull), Section::Curves { normal: Some(normal), .. }) => {
                    let along = if normal.dot(&onward) * sense < 0.0 { -normal } else { *normal };
                    vec![vec![along * *pull; rows[own].homogeneous().len()]]
                }
                (LoftEnd::Rounded(pull), Section::Point(tip)) => {
                    let axis = dome_axis(&rows[next], sections.get(next), &onward);
                    let round = |p: Point3| {
                        let d = p - tip;
                        (d - axis * d.dot(&axis)) * (sense * pull * QUARTER / steps[k])
                    };
                    vec![rows[next].control_points().into_iter().map(round).collect()]
                }
                (LoftEnd::Neighbour { curvature, .. }, Section::Curves { .. }) => {
                    let meeting = Meeting::new(&rows, &ends[k], k == 1, shared[k], tolerance);
                    let meeting = meeting.ok_or(SurfacingError::Empty)?;
                    let (derivatives, agrees) = meeting.fitted(*curvature)?;
                    all_agree &= agrees;
                    derivatives
                }
                _ => Vec::new(),
            };
        }
        if all_agree || round >= MAX_ROUNDS {
            return Ok((rows, out));
        }
        let breaks = rows[0].knots().breaks();
        for t in breaks.windows(2).map(|w| 0.5 * (w[0] + w[1])) {
            rows = rows.iter().map(|r| r.with_knot(t)).collect();
        }
    }
    Err(SurfacingError::Empty)
}

/// Square to the section next to a tip: its drawn plane's normal, that of a closed one, else the way to the tip.
pub(super) fn dome_axis(next: &NurbsCurve, section: Option<&Section>, onward: &Vector3) -> Vector3 {
    if let Some(Section::Curves { normal: Some(normal), .. }) = section {
        return *normal;
    }
    let outline = places(std::slice::from_ref(next));
    let closed = (next.start() - next.end()).norm() <= 1e-6;
    let normal = closed.then(|| Frame::of_outline(&outline)).flatten().map(|f| f.z);
    normal.unwrap_or_else(|| onward.try_normalize(1e-12).unwrap_or_else(Vector3::z))
}

/// The largest angle in radians that surfaces make with what they are to agree with at the first or last section.
pub(super) fn largest_angle(
    surfaces: &[NurbsSurface],
    end: &LoftEnd,
    which: usize,
    sections: &[Section],
    tolerance: &Tolerance,
) -> Option<f64> {
    let section = if which == 0 { sections.first() } else { sections.last() };
    let wanted = |p: &Point3, normal: &Vector3, feet: &Feet<'_>| -> Option<f64> {
        match (end, section) {
            (LoftEnd::Square(_), Some(Section::Curves { normal: Some(plane), .. })) => {
                Some(normal.dot(plane).abs().min(1.0).asin())
            }
            (LoftEnd::Neighbour { .. }, _) => {
                let (surface, foot) = feet.nearest(p)?;
                let other = surface.normal(foot.parameters[0], foot.parameters[1])?;
                Some(normal.cross(&other).norm().atan2(normal.dot(&other).abs()))
            }
            _ => None,
        }
    };
    let mut largest: Option<f64> = None;
    for surface in surfaces {
        let v = surface.domain().1;
        let v = if which == 0 { v.start } else { v.end };
        let surfaces: Vec<&Arc<NurbsSurface>> = match end {
            LoftEnd::Neighbour { surfaces, .. } => {
                beside(&surface.curve_at_v(v), surfaces).into_iter().map(|k| &surfaces[k]).collect()
            }
            _ => Vec::new(),
        };
        let feet = Feet::new(surfaces, tolerance.fit);
        for u in surface.knots_u().sampled(CHECKED) {
            let found = surface.normal(u, v).and_then(|n| wanted(&surface.point(u, v), &n, &feet));
            largest = match (largest, found) {
                (Some(a), Some(b)) => Some(a.max(b)),
                (a, b) => a.or(b),
            };
        }
    }
    largest
}
