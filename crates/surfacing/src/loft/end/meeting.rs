//! One face of a loft where it meets surfaces: the way that it leaves them.

use std::sync::Arc;

use geometry::{Domain, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, closest_on_surface, spline_of};
use topology::{Face, OrientedEdge};

use super::{LoftEnd, Way};
use crate::SurfacingError;
use crate::feet::Feet;
use crate::side::Side;

/// Largest angle in radians, 0.02 degrees, between the surface and its neighbour for which knots are put in.
const ANGLE: f64 = 0.02 * std::f64::consts::PI / 180.0;
/// Share of the neighbour's curvature that may be missed likewise.
const BEND: f64 = 0.005;
/// Places between two of the spline's own at which it is checked.
pub(super) const CHECKED: usize = 3;
/// Share of a face's part of the section along which a corner decides how it leaves.
const CORNER: f64 = 0.35;

/// Where faces do not lie, seen from their edges.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Away {
    /// By edge its places, each with the unit tangent of the face that leads out of it, square to the edge.
    places: Vec<Vec<(Point3, Vector3)>>,
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
        Self { places: uses.iter().map(one).collect(), over }
    }

    /// The way to go at a place, square to the one nearby of some edges; at a corner of the one that runs on along.
    fn at(&self, p: &Point3, along: Option<&Vector3>, edges: &[usize], corner: f64) -> Option<Vector3> {
        let places = edges.iter().filter_map(|k| self.places.get(*k)).flatten();
        let aside = |out: &Vector3| along.map_or(0.0, |along| out.dot(along).abs());
        let off = |(at, out): &(Point3, Vector3)| (at - p).norm() + corner * aside(out);
        let nearest = places.min_by(|a, b| off(a).total_cmp(&off(b)))?;
        Some(if self.over { -nearest.1 } else { nearest.1 })
    }
}

/// Which surfaces a part of a section lies on between its ends; at a corner it touches those of its neighbours too.
pub(super) fn beside(own: &NurbsCurve, surfaces: &[Arc<NurbsSurface>]) -> Vec<usize> {
    if surfaces.len() < 2 {
        return (0..surfaces.len()).collect();
    }
    let at = own.knots().sampled(CHECKED);
    let nearest = |u: &f64| {
        let p = own.point(*u);
        let off = |k: &usize| closest_on_surface(&surfaces[*k], &p).distance;
        (0..surfaces.len()).map(|k| (off(&k), k)).min_by(|a, b| a.0.total_cmp(&b.0)).map(|n| n.1)
    };
    let found: Vec<usize> = at[1..at.len() - 1].iter().filter_map(nearest).collect();
    let is_one = |k: &usize| found.iter().any(|f| Arc::ptr_eq(&surfaces[*f], &surfaces[*k]));
    (0..surfaces.len()).filter(is_one).collect()
}

/// Derivatives that the skin must have at a section, the first one first, each by control point.
pub(super) type Derivatives = Vec<Vec<Vector3>>;

/// The neighbour's normal, and the derivatives by which a surface leaves the section in agreement with it, per mm.
pub(super) struct Leaving {
    pub(super) normal: Vector3,
    pub(super) first: Vector3,
    pub(super) second: Vector3,
}

/// What faces beside each other share at a corner of a section, so that their edge is one: the derivatives of both there.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Shared {
    pub(super) first: Vector3,
    pub(super) second: Vector3,
}

/// One end of a face of the loft: its part of the section, of the next one, and the surfaces that it meets.
pub(super) struct Meeting<'a> {
    own: &'a NurbsCurve,
    next: &'a NurbsCurve,
    surfaces: Feet<'a>,
    /// Which of the surfaces that were given those are.
    which: Vec<usize>,
    pull: f64,
    way: Way,
    turn: f64,
    side: Option<&'a Away>,
    /// Whether the way toward the next section lies, all in all, on the other side.
    turned_round: bool,
    /// 1 at the first section, -1 at the last one, where the loft comes in.
    sense: f64,
    /// At the start and the end of its part of the section.
    shared: [Option<Shared>; 2],
    tolerance: &'a Tolerance,
}

impl<'a> Meeting<'a> {
    /// At the first or the last of a face's rows; none where that end meets no surfaces.
    pub(super) fn new(
        rows: &'a [NurbsCurve],
        end: &'a LoftEnd,
        last: bool,
        shared: [Option<Shared>; 2],
        tolerance: &'a Tolerance,
    ) -> Option<Self> {
        let LoftEnd::Neighbour { surfaces, pull, way, turn, side, .. } = end else { return None };
        let (own, next) = if last { (rows.len() - 1, rows.len() - 2) } else { (0, 1) };
        let (own, next) = (&rows[own], &rows[next]);
        let which = beside(own, surfaces);
        let mut meeting = Self {
            own,
            next,
            surfaces: Feet::new(which.iter().map(|&k| &surfaces[k]), tolerance.fit),
            which,
            pull: *pull,
            way: *way,
            turn: *turn,
            side: side.as_ref(),
            turned_round: false,
            sense: if last { -1.0 } else { 1.0 },
            shared,
            tolerance,
        };
        meeting.turned_round = meeting.is_turned_round();
        Some(meeting)
    }

    /// The domain of its part of the section.
    pub(super) fn domain(&self) -> Domain {
        self.own.domain()
    }

    fn leaving(&self, u: f64) -> Result<Leaving, SurfacingError> {
        let mut leaving = self.leaving_alone(u)?;
        let d = self.own.domain();
        let share = (u - d.start) / d.length();
        for (shared, off) in self.shared.iter().zip([share, 1.0 - share]) {
            let near = (1.0 - off / CORNER).clamp(0.0, 1.0);
            let Some(shared) = shared.filter(|_| near > 0.0) else { continue };
            let near = near * near * (3.0 - 2.0 * near);
            let normal = leaving.normal;
            let flat = |v: Vector3| v - normal * v.dot(&normal);
            let first = leaving.first * (1.0 - near) + flat(shared.first) * near;
            leaving.second = normal * self.bend(u, &first)? + flat(shared.second) * near;
            leaving.first = first;
        }
        Ok(leaving)
    }

    /// The neighbour's curvature for a motion from the section, toward its normal.
    pub(super) fn bend(&self, u: f64, along: &Vector3) -> Result<f64, SurfacingError> {
        let (surface, foot) = self.surfaces.nearest(&self.own.point(u)).ok_or(SurfacingError::Empty)?;
        let [a, b] = foot.parameters;
        Ok(surface.derivatives(a, b).normal_curvature(along).unwrap_or(0.0))
    }

    /// As it leaves by itself, whatever is beside it.
    pub(super) fn leaving_alone(&self, u: f64) -> Result<Leaving, SurfacingError> {
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
        let out = self.away(&p, along.as_ref()).map(|out| out * self.sense);
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

    fn away(&self, p: &Point3, along: Option<&Vector3>) -> Option<Vector3> {
        self.side?.at(p, along, &self.which, self.tolerance.join)
    }

    /// Whether the next section lies, all in all, on the side of the faces that is not to be gone to.
    fn is_turned_round(&self) -> bool {
        if self.side.is_none() {
            return false;
        }
        let one = |u: f64| {
            let p = self.own.point(u);
            Some(self.away(&p, self.own.tangent(u).as_ref())?.dot(&(self.next.point(u) - p)))
        };
        self.own.knots().sampled(CHECKED).into_iter().filter_map(one).sum::<f64>() < 0.0
    }

    /// Splines along the section that hold the derivatives, and whether they agree with the neighbour all along.
    pub(super) fn fitted(&self, curvature: bool) -> Result<(Derivatives, bool), SurfacingError> {
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
