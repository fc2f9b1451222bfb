//! Meetings along a parameter line of a surface, which are that line exactly: a turned surface cut square to its axis meets the plane
//! in a circle, and the circle is there already.

use super::{COMPARED, MeetingCurve, Trace, on};
use crate::{Domain, NurbsCurve, Point3, Tolerance};

/// The part of a surface's parameter line between the ends of a run, where all of it is that to the resolution, and its images on
/// all surfaces are exact too: straight lines, or affine ones in planes.
pub(super) fn parameter_line<T: Trace + ?Sized>(
    trace: &T,
    places: &[T::Place],
    tolerance: &Tolerance,
) -> Option<MeetingCurve> {
    let surfaces = trace.surfaces();
    (0..surfaces.len())
        .find_map(|own| (0..2).find_map(|fixed| of_one(trace, places, [own, fixed], tolerance)))
}

fn of_one<T: Trace + ?Sized>(
    trace: &T,
    places: &[T::Place],
    [own, fixed]: [usize; 2],
    tolerance: &Tolerance,
) -> Option<MeetingCurve> {
    let surfaces = trace.surfaces();
    let surface = surfaces[own];
    let along = 1 - fixed;
    let flat: Vec<Point3> = places.iter().map(|p| trace.flat(*p)[own]).collect();
    let (first, last) = (flat.first()?, flat.last()?);
    let forward = last[along] > first[along];
    let ordered = |w: &[Point3]| w[0][along] == w[1][along] || (w[1][along] > w[0][along]) == forward;
    if first[along] == last[along] || !flat.windows(2).all(ordered) {
        return None;
    }
    let domains: [Domain; 2] = surface.domain().into();
    let at = |p: &Point3, level: f64| match fixed {
        0 => surface.point(level, p.y),
        _ => surface.point(p.x, level),
    };
    let level = flat[flat.len() / 2][fixed];
    let on_level = |place: T::Place, level: f64| {
        (at(&trace.flat(place)[own], level) - trace.point(place)).norm() <= tolerance.resolution
    };
    // The border itself, where it is that.
    let levels = [domains[fixed].start, domains[fixed].end, level];
    let ends = [places[0], places[places.len() - 1]];
    let level = levels.into_iter().find(|l| ends.iter().all(|p| on_level(*p, *l)))?;
    if !places.iter().all(|p| on_level(*p, level))
        || !places.windows(2).all(|w| on_level(trace.between(w[0], w[1]), level))
    {
        return None;
    }
    let line = if fixed == 0 { surface.curve_at_u(level) } else { surface.curve_at_v(level) };
    let line = line.part(first[along].min(last[along]), first[along].max(last[along]));
    let curve = if forward { line } else { line.reversed() };
    let domain = curve.domain();
    let mut pcurves = Vec::with_capacity(surfaces.len());
    for (k, other) in surfaces.iter().enumerate() {
        let ends = ends.map(|p| trace.flat(p)[k]);
        let straight = || {
            let [a, b] = ends.map(|mut p| {
                if k == own {
                    p[fixed] = level;
                }
                p
            });
            NurbsCurve::line(a, b).over(domain)
        };
        pcurves.push(match other.into_parameters() {
            Some(map) if k != own => curve.transformed(&map),
            _ => straight(),
        });
    }
    let mut worst = 0.0_f64;
    for t in curve.knots().sampled(COMPARED) {
        for (other, pcurve) in surfaces.iter().zip(&pcurves) {
            worst = worst.max((on(other, pcurve, t) - curve.point(t)).norm());
        }
    }
    let fits = worst <= tolerance.resolution;
    fits.then_some(MeetingCurve { curve, pcurves, max_deviation: worst, converged: true })
}
