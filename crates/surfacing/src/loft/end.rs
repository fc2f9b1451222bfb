//! How a loft leaves its first and meets its last section.

use std::sync::Arc;

use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Vector3, spline_of};

use super::Section;
use crate::SurfacingError;
use crate::feet::Feet;
use crate::sections::{middle, places};
use crate::side::Side;
use geometry::Tolerance;
use topology::{Face, OrientedEdge};

/// Largest angle in radians, 0.02 degrees, between the surface and its neighbour for which knots are put in.
const ANGLE: f64 = 0.02 * std::f64::consts::PI / 180.0;
/// Share of the neighbour's curvature that may be missed likewise.
const BEND: f64 = 0.005;
/// Rounds in which every span of the sections is halved.
const MAX_ROUNDS: usize = 5;
/// Places between two of the spline's own at which it is checked.
const CHECKED: usize = 3;
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

/// Where faces do not lie, seen from their edges.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Away {
    /// Places of the edges, each with the unit tangent of the face that leads out of it, square to the edge.
    places: Vec<(Point3, Vector3)>,
    /// Whether the loft goes over the faces all the same.
    over: bool,
}

/// Places of an edge, per span, at which the way out of its face is known.
const AWAY_PER_SPAN: usize = 4;

impl Away {
    /// Away from the faces that use edges, or over them.
    #[must_use]
    pub fn from(uses: &[(&Face, &OrientedEdge)], over: bool) -> Self {
        let one = |(face, used): &(&Face, &OrientedEdge)| {
            let at = used.pcurve.knots().sampled(AWAY_PER_SPAN);
            let place = |t: f64| {
                let p = used.pcurve.point(t);
                Some((face.surface.point(p.x, p.y), Side::new(face, used, t)?.out))
            };
            at.into_iter().filter_map(place).collect::<Vec<_>>()
        };
        Self { places: uses.iter().flat_map(one).collect(), over }
    }

    /// The way to go at a place, square to the edge nearby.
    fn at(&self, p: &Point3) -> Option<Vector3> {
        let nearest = self.places.iter().min_by(|a, b| (a.0 - p).norm().total_cmp(&(b.0 - p).norm()))?;
        Some(if self.over { -nearest.1 } else { nearest.1 })
    }
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

/// Derivatives that the skin must have at a section, the first one first, each by control point.
type Derivatives = Vec<Vec<Vector3>>;

/// The neighbour's normal, and the derivatives by which a surface leaves the section in agreement with it, per mm.
struct Leaving {
    normal: Vector3,
    first: Vector3,
    second: Vector3,
}

/// One end of the loft: its section, the next one, and the surfaces that it meets.
struct Meeting<'a> {
    own: &'a NurbsCurve,
    next: &'a NurbsCurve,
    surfaces: Feet<'a>,
    pull: f64,
    way: Way,
    turn: f64,
    side: Option<&'a Away>,
    /// Whether the way toward the next section lies, all in all, on the other side.
    turned_round: bool,
    /// 1 at the first section, -1 at the last one, where the loft comes in.
    sense: f64,
    tolerance: &'a Tolerance,
}

impl Meeting<'_> {
    fn leaving(&self, u: f64) -> Result<Leaving, SurfacingError> {
        let p = self.own.point(u);
        let at = p.into();
        let (surface, foot) = self.surfaces.nearest(&p).ok_or(SurfacingError::Empty)?;
        if foot.distance > self.tolerance.join {
            return Err(SurfacingError::OffNeighbour { last: self.sense < 0.0, distance: foot.distance, at });
        }
        let [a, b] = foot.parameters;
        let normal = surface.normal(a, b).ok_or(SurfacingError::NoWay {
            why: "the neighbouring face has no normal here; pick another face, or leave this end free",
            at,
        })?;
        let onward = (self.next.point(u) - p) * self.sense;
        let flat = onward - normal * onward.dot(&normal);
        // A loft that stands straight up from its neighbour has no way along it but across the section.
        let along = self.own.tangent(u);
        let across = along.map(|t| normal.cross(&t));
        let out = self.side.and_then(|side| side.at(&p)).map(|out| out * self.sense);
        let ahead = |way: Vector3| if way.dot(&out.unwrap_or(onward)) < 0.0 { -way } else { way };
        // Where the next section lies on the side of the face, the way there is mirrored about the section.
        let flat = match across.filter(|_| self.turned_round) {
            Some(across) => flat - across * (2.0 * flat.dot(&across)),
            None => flat,
        };
        let lines = || {
            // Of both families of lines the one that runs less along the section.
            let (_, du, dv) = surface.tangents(a, b);
            let lean = |way: &Vector3| across.map_or(0.0, |c| way.dot(&c).abs() / way.norm().max(1e-12));
            if lean(&du) >= lean(&dv) { du } else { dv }.try_normalize(1e-12)
        };
        let chosen = match self.way {
            Way::Toward => flat.try_normalize(0.1 * onward.norm()),
            Way::Square => None,
            Way::Lines => {
                lines().map(|l| if across.is_some_and(|c| l.dot(&ahead(c)) < 0.0) { -l } else { l })
            }
        };
        let Some(first) = chosen.or(across.map(ahead)) else {
            return Err(SurfacingError::NoWay {
                why: "the loft has no direction along its neighbour here; leave this end free",
                at,
            });
        };
        let first = match along {
            Some(along) if self.turn != 0.0 => {
                let aside = normal.cross(&first);
                let aside = if aside.dot(&along) < 0.0 { -aside } else { aside };
                first * self.turn.cos() + aside * self.turn.sin()
            }
            _ => first,
        };
        let first = first * self.pull;
        // Only the part along the normal bends the surface; the rest is free and left out.
        let d = surface.derivatives(a, b);
        let bend = d.normal_curvature(&first).unwrap_or(0.0);
        let second = d.area_vector().try_normalize(f64::MIN_POSITIVE).unwrap_or(normal) * bend;
        Ok(Leaving { normal, first, second })
    }

    /// Whether the next section lies, all in all, on the side of the faces that is not to be gone to.
    fn is_turned_round(&self) -> bool {
        let Some(side) = self.side else { return false };
        let one = |u: f64| {
            let p = self.own.point(u);
            Some(side.at(&p)?.dot(&(self.next.point(u) - p)))
        };
        self.own.knots().sampled(CHECKED).into_iter().filter_map(one).sum::<f64>() < 0.0
    }

    /// Splines along the section that hold the derivatives, and whether they agree with the neighbour all along.
    fn fitted(&self, curvature: bool) -> Result<(Derivatives, bool), SurfacingError> {
        let knots = self.own.knots();
        let weights = self.own.weights();
        let weight = |u: f64| {
            let span = knots.span(u);
            let basis = knots.basis(span, u);
            (0..=knots.degree()).map(|k| basis[k] * weights[span - knots.degree() + k]).sum::<f64>()
        };
        let mut derivatives = Vec::new();
        for order in 0..=usize::from(curvature) {
            let values = knots
                .greville()
                .into_iter()
                .map(|u| {
                    let leaving = self.leaving(u)?;
                    Ok((if order == 0 { leaving.first } else { leaving.second }) * weight(u))
                })
                .collect::<Result<Vec<_>, SurfacingError>>()?;
            let solved = spline_of(knots, &values)?;
            derivatives.push(solved.iter().zip(&weights).map(|(d, w)| d / *w).collect::<Vec<_>>());
        }
        let at = |list: &[Vector3], u: f64| {
            let span = knots.span(u);
            let basis = knots.basis(span, u);
            let first = span - knots.degree();
            (0..=knots.degree()).map(|k| list[first + k] * (basis[k] * weights[first + k])).sum::<Vector3>()
                / weight(u)
        };
        let mut agrees = true;
        let size = self.surfaces.count().max(1) as f64;
        for u in knots.sampled(CHECKED) {
            let leaving = self.leaving(u)?;
            let first = at(&derivatives[0], u);
            agrees &= first.dot(&leaving.normal).abs() <= ANGLE * first.norm() * size;
            if curvature {
                let miss = (at(&derivatives[1], u) - leaving.second).dot(&leaving.normal).abs();
                agrees &= miss <= BEND * leaving.second.norm() + 1e-9;
            }
        }
        Ok((derivatives, agrees))
    }
}

/// The rows, with more knots where those are needed, and how the skin through them must leave its first and meet its last
/// one. `steps` are the first and the last one's lengths in mm, all faces taken together.
pub(super) fn agreeing(
    rows: &[NurbsCurve],
    sections: &[Section],
    ends: &[LoftEnd; 2],
    steps: [f64; 2],
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
                (
                    LoftEnd::Neighbour { surfaces, curvature, pull, way, turn, side },
                    Section::Curves { .. },
                ) => {
                    let (own, next) = (&rows[own], &rows[next]);
                    let mut meeting = Meeting {
                        own,
                        next,
                        surfaces: Feet::new(surfaces, tolerance.fit),
                        pull: *pull,
                        way: *way,
                        turn: *turn,
                        side: side.as_ref(),
                        turned_round: false,
                        sense,
                        tolerance,
                    };
                    meeting.turned_round = meeting.is_turned_round();
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
    let beside: &[Arc<NurbsSurface>] =
        if let LoftEnd::Neighbour { surfaces, .. } = end { surfaces } else { &[] };
    let feet = Feet::new(beside, tolerance.fit);
    let wanted = |p: &Point3, normal: &Vector3| -> Option<f64> {
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
        for u in surface.knots_u().sampled(CHECKED) {
            let found = surface.normal(u, v).and_then(|n| wanted(&surface.point(u, v), &n));
            largest = match (largest, found) {
                (Some(a), Some(b)) => Some(a.max(b)),
                (a, b) => a.or(b),
            };
        }
    }
    largest
}
