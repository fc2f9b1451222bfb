//! Surfaces made longer beyond their borders.

use crate::extend::with_end_at;
use crate::{Domain, GeometryError, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, check_work};

/// How a surface goes on beyond a border.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum GoesOn {
    /// In its own nature: by the polynomials of its last spans, so that cylinders stay cylinders.
    Naturally,
    /// Straight on along its tangents.
    Straight,
}

/// A border of a surface's domain.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum SurfaceSide {
    /// Where u begins.
    UStart,
    /// Where u ends.
    UEnd,
    /// Where v begins.
    VStart,
    /// Where v ends.
    VEnd,
}

impl SurfaceSide {
    /// All four.
    pub const ALL: [Self; 4] = [Self::UStart, Self::UEnd, Self::VStart, Self::VEnd];

    /// Whether it lies across u.
    #[must_use]
    pub fn is_u(self) -> bool {
        matches!(self, Self::UStart | Self::UEnd)
    }

    /// Whether it is where the domain begins.
    #[must_use]
    pub fn is_start(self) -> bool {
        matches!(self, Self::UStart | Self::VStart)
    }
}

/// The surface made longer beyond a border so that it reaches at least about `length` mm farther everywhere along it; what was
/// there before keeps its parameters.
///
/// # Errors
/// `NoDirection` where it cannot go on: at a pole, at a border that closes on the other one, or where a rational surface's
/// weights vanish beyond.
///
/// # References
/// Ramshaw, Blossoms are polar forms, CAGD 6, 1989: the last span's blossom at the moved end knot.
pub fn extended_surface(
    surface: &NurbsSurface,
    side: SurfaceSide,
    length: f64,
    how: GoesOn,
) -> Result<NurbsSurface, GeometryError> {
    extended(surface, side, length, how, false)
}

/// The same where the border may end at a pole, at which nothing moves: it reaches so far in the half away from that.
///
/// # Errors
/// Those of [`extended_surface`].
pub fn extended_beside_poles(
    surface: &NurbsSurface,
    side: SurfaceSide,
    length: f64,
    how: GoesOn,
) -> Result<NurbsSurface, GeometryError> {
    extended(surface, side, length, how, true)
}

fn extended(
    surface: &NurbsSurface,
    side: SurfaceSide,
    length: f64,
    how: GoesOn,
    beside_poles: bool,
) -> Result<NurbsSurface, GeometryError> {
    check_work();
    if !side.is_u() {
        let as_u = if side.is_start() { SurfaceSide::UStart } else { SurfaceSide::UEnd };
        return Ok(extended(&surface.transposed(), as_u, length, how, beside_poles)?.transposed());
    }
    let columns = surface.columns();
    let d = surface.domain().0;
    let columns: Vec<NurbsCurve> =
        if side.is_start() { columns.iter().map(NurbsCurve::reversed).collect() } else { columns };
    let border = if side.is_start() { d.start } else { d.end };
    let at = surface.point(border, surface.domain().1.at(0.5));
    let stuck = GeometryError::NoDirection { at: at.into() };
    let size = surface.control_points().iter().map(|p| (p - at).norm()).fold(0.0, f64::max);
    let is_pole = |v: f64| beside_poles && surface.curve_at_v(v).is_point(1e-9 * size);
    let slowest = slowest(surface, border, is_pole);
    let shrinks = || {
        let along = surface.curve_at_u(border).control_points();
        along.iter().all(|p| (p - along[0]).norm() <= 1e-9 * size)
    };
    if !(length.is_finite() && length > 0.0)
        || shrinks()
        || slowest * d.length() <= 1e-9 * size
        || surface.closes(1e-9 * size)[0]
    {
        return Err(stuck);
    }
    let end = d.end + length / slowest;
    let longer = |c: &NurbsCurve| match how {
        GoesOn::Naturally => with_end_at(c, end),
        GoesOn::Straight => straight_on(c, end),
    };
    let columns = columns.iter().map(longer).collect::<Option<Vec<NurbsCurve>>>().ok_or(stuck)?;
    let columns: Vec<NurbsCurve> =
        if side.is_start() { columns.iter().map(NurbsCurve::reversed).collect() } else { columns };
    let along = columns[0].knots();
    let from = if side.is_start() { d.start - (end - d.end) } else { d.start };
    let along = along.over(Domain::new(from, from + (end - d.start)));
    let rows = (0..along.point_count()).flat_map(|i| columns.iter().map(move |c| c.homogeneous()[i]));
    NurbsSurface::from_homogeneous(along.clone(), surface.knots_v().clone(), rows.collect())
}

/// The smallest speed along u on a border, without the halves of it that end at poles.
fn slowest(surface: &NurbsSurface, border: f64, is_pole: impl Fn(f64) -> bool) -> f64 {
    let v = surface.domain().1;
    let from = if is_pole(v.start) { v.at(0.5) } else { v.start };
    let to = if is_pole(v.end) { v.at(0.5) } else { v.end };
    let places = surface.knots_v().sampled(4).into_iter().filter(|v| (from..=to).contains(v)).chain([from]);
    places.map(|v| surface.tangents(border, v).1.norm()).fold(f64::MAX, f64::min)
}

/// A curve that goes on along its last tangent to the parameter `end`.
fn straight_on(curve: &NurbsCurve, end: f64) -> Option<NurbsCurve> {
    let p = curve.degree();
    let knots = curve.knots().knots();
    let last = curve.homogeneous()[curve.knots().point_count() - 1];
    let before = curve.homogeneous()[curve.knots().point_count() - 2];
    let from = curve.domain().end;
    // The homogeneous curve's derivative at the end (The NURBS Book, section 3.3).
    let rate = (last - before) * p as f64 / (from - knots[knots.len() - p - 2]);
    let step = rate * ((end - from) / p as f64);
    let mut points: Vec<Homogeneous> = curve.homogeneous().to_vec();
    points.extend((1..=p).map(|k| last + step * k as f64));
    let mut longer = knots[..knots.len() - 1].to_vec();
    longer.extend(std::iter::repeat_n(end, p + 1));
    NurbsCurve::from_homogeneous(KnotVector::try_new(p, longer).ok()?, points).ok()
}
