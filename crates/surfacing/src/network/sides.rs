//! The sides of a network brought into agreement with the faces beside them.
//!
//! The control points of a spline surface next to a side give its first derivative across that side, the ones after them the
//! second (The NURBS Book, section 3.3). They are moved along the face's normal, by as much as is missing, with knots put in
//! so that nothing changes at the first curve inside.

use geometry::{NurbsSurface, Point3, SurfaceDerivatives, Tolerance, Vector3, spline_of};

use crate::SurfacingError;
use crate::feet::Feet;

/// Largest angle in radians, 0.02 degrees, and largest share of a curvature that may be missed at a side.
const ANGLE: f64 = 0.02 * std::f64::consts::PI / 180.0;
const BEND: f64 = 0.005;
/// Turns over the side's length below which curvatures are those of something flat, in radians.
const FLAT: f64 = 2e-4;
/// Rounds over all sides, since those that meet at a corner move each other a little.
const MAX_ROUNDS: usize = 6;
/// Most spans along a side.
const MOST_SPANS: usize = 96;
/// Places between two of the spline's own at which it is checked.
const CHECKED: usize = 3;

/// A side of the surface: where v or u begins or ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Side {
    /// Whether it is one at which u is fixed, and not v.
    pub(super) at_u: bool,
    /// Whether it is the last one.
    pub(super) last: bool,
}

impl Side {
    /// The surface turned so that the side is where v begins; done twice it is the surface again.
    fn turned(self, surface: &NurbsSurface) -> NurbsSurface {
        match (self.at_u, self.last) {
            (false, false) => surface.clone(),
            (false, true) => surface.reversed_v(),
            (true, false) => surface.transposed(),
            (true, true) => surface.reversed_u().transposed(),
        }
    }

    fn back(self, surface: &NurbsSurface) -> NurbsSurface {
        match (self.at_u, self.last) {
            (true, true) => surface.transposed().reversed_u(),
            _ => self.turned(surface),
        }
    }
}

/// What the surface is to agree with at one side.
pub(super) struct Agreement<'a> {
    pub(super) side: Side,
    /// The faces beside the outermost curve.
    pub(super) faces: Feet<'a>,
    /// Whether they are to be agreed with in curvature too.
    pub(super) curvature: bool,
    /// How far the first curve inside is, as a share of the way across.
    pub(super) inner: f64,
}

impl Agreement<'_> {
    /// The face's derivatives at the place nearest to a point.
    fn face_at(&self, p: &Point3) -> Option<SurfaceDerivatives> {
        let (surface, foot) = self.faces.nearest(p)?;
        Some(surface.derivatives(foot.parameters[0], foot.parameters[1]))
    }

    /// What is missing at a place of the side in the first derivative across it, along the face's normal, as a vector and as
    /// an angle.
    fn slope_missing(&self, d: &SurfaceDerivatives) -> Option<(Vector3, f64)> {
        let normal = self.face_at(&d.point)?.area_vector().try_normalize(f64::MIN_POSITIVE)?;
        let off = d.v.dot(&normal);
        Some((-normal * off, off.abs() / d.v.norm().max(1e-12)))
    }

    /// The same in the second derivative, as a vector and as a share of the curvature.
    fn bend_missing(&self, d: &SurfaceDerivatives, length: f64) -> Option<(Vector3, f64)> {
        let face = self.face_at(&d.point)?;
        let normal = face.area_vector().try_normalize(f64::MIN_POSITIVE)?;
        let wanted = face.normal_curvature(&d.v)?;
        let off = wanted - d.vv.dot(&normal);
        let flat = FLAT / length * d.v.norm_squared();
        Some((
            normal * off,
            if off.abs() <= flat {
                0.0
            } else {
                off.abs() / (face.largest_curvature() * d.v.norm_squared()).max(flat)
            },
        ))
    }
}

/// The surface with its sides in agreement, as far as that goes.
pub(super) fn agreeing(
    mut surface: NurbsSurface,
    agreements: &[Agreement<'_>],
    tolerance: &Tolerance,
) -> Result<NurbsSurface, SurfacingError> {
    for agreement in agreements {
        surface = with_room(&surface, agreement)?;
    }
    for _ in 0..MAX_ROUNDS {
        let mut all = true;
        for agreement in agreements {
            let (moved, agreed) = moved(&agreement.side.turned(&surface), agreement, tolerance)?;
            surface = agreement.side.back(&moved);
            all &= agreed;
        }
        if all {
            break;
        }
    }
    Ok(surface)
}

/// The surface with as many knots behind a side as it takes to change both derivatives there without reaching the first
/// curve inside.
fn with_room(surface: &NurbsSurface, agreement: &Agreement<'_>) -> Result<NurbsSurface, SurfacingError> {
    let mut turned = agreement.side.turned(surface).elevated_v(3)?;
    for share in [0.25, 0.5, 0.75] {
        let d = turned.domain().1;
        let v = turned.knots_v().snapped(d.at(share * agreement.inner));
        if turned.knots_v().multiplicity(v) == 0 {
            turned = turned.with_knot_v(v);
        }
    }
    Ok(agreement.side.back(&turned))
}

/// The turned surface with its control points next to the side moved, and whether it agreed before.
fn moved(
    surface: &NurbsSurface,
    agreement: &Agreement<'_>,
    tolerance: &Tolerance,
) -> Result<(NurbsSurface, bool), SurfacingError> {
    let mut surface = surface.clone();
    let side = |s: &NurbsSurface| s.curve_at_v(s.domain().1.start);
    let length = side(&surface).polygon_length().max(tolerance.resolution);
    let missing = |surface: &NurbsSurface, u: f64, order: usize| {
        let d = surface.derivatives(u, surface.domain().1.start);
        let found = if order == 1 { agreement.slope_missing(&d) } else { agreement.bend_missing(&d, length) };
        found.unwrap_or_default()
    };
    let orders = if agreement.curvature { 2 } else { 1 };
    let allowed = |order: usize| if order == 1 { ANGLE } else { BEND };
    let breaks = surface.knots_u().sampled(CHECKED);
    let agreed =
        breaks.iter().all(|&u| (1..=orders).all(|order| missing(&surface, u, order).1 <= allowed(order)));
    if agreed {
        return Ok((surface, true));
    }
    loop {
        for order in 1..=orders {
            let places = surface.knots_u().greville();
            let values: Vec<Vector3> = places.iter().map(|&u| missing(&surface, u, order).0).collect();
            surface = row_moved(&surface, order, &spline_of(surface.knots_u(), &values)?)?;
        }
        // Halved where the splines along the side miss between the places that they were solved at.
        let spans = surface.knots_u().breaks();
        let missed: Vec<f64> = spans
            .windows(2)
            .filter(|w| {
                (1..=CHECKED).any(|k| {
                    let u = w[0] + (w[1] - w[0]) * k as f64 / (CHECKED + 1) as f64;
                    (1..=orders).any(|order| missing(&surface, u, order).1 > allowed(order))
                })
            })
            .map(|w| 0.5 * (w[0] + w[1]))
            .collect();
        if missed.is_empty() || spans.len() + missed.len() > MOST_SPANS {
            return Ok((surface, false));
        }
        for u in missed {
            surface = surface.with_knot_u(u);
        }
    }
}

/// The surface whose derivative of an order by v, 1 or 2, where v begins, is changed by a spline along u.
fn row_moved(
    surface: &NurbsSurface,
    order: usize,
    change: &[Vector3],
) -> Result<NurbsSurface, SurfacingError> {
    let (p, knots) = (surface.knots_v().degree() as f64, surface.knots_v().knots());
    let first = surface.knots_v().degree() + 1;
    let (one, two) = (knots[first] - knots[0], knots[first + 1] - knots[0]);
    let factor = if order == 1 { one / p } else { one * two / (p * (p - 1.0)) };
    let columns = surface.knots_v().point_count();
    let mut points = surface.control_points();
    for (i, change) in change.iter().enumerate() {
        points[i * columns + order] += change * factor;
    }
    Ok(NurbsSurface::try_new(surface.knots_u().clone(), surface.knots_v().clone(), &points, None)?)
}
