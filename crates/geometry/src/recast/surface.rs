//! Surfaces recast, one or several side by side.

use super::arms::Way;
use super::least_squares::{EndsKept, Lines, goes_round, seen, ways_of};
use super::{LEAST_PLACES_PER_SPAN, check_form, in_form};
use crate::{
    FittedSurface, GeometryError, KnotVector, NurbsCurve, NurbsSurface, Point3, Vector3, nearby_on_surface,
};

/// Places of a surface for each control point of the recast one, in either direction.
const PLACES_PER_POINT: usize = 4;
/// Shares of the way between two places, each so many times, at which neighbours are taken where no derivative is known: one
/// for a direction, three for curvature too.
const BESIDE: (f64, usize) = (1e-3, 1);
const BESIDE_FOR_CURVATURE: (f64, usize) = (1e-2, 3);

/// A surface recast in one direction: it, and where each place of the source has come to lie, both in its own domain.
struct RecastAlong {
    surface: NurbsSurface,
    moved: Vec<[f64; 2]>,
}

/// Surfaces side by side recast along u together, so that what they share in u stays shared.
fn along_u(
    surfaces: &[NurbsSurface],
    degree: usize,
    count: usize,
    kept: EndsKept,
) -> Result<Vec<RecastAlong>, GeometryError> {
    let plain = |s: &NurbsSurface| {
        let fits = s.columns().first().and_then(|c| in_form(c, degree, count));
        (!s.is_rational()).then_some(fits).flatten()
    };
    if surfaces.iter().all(|s| plain(s).is_some()) {
        let one = |s: &NurbsSurface| {
            let columns: Vec<NurbsCurve> =
                s.columns().iter().filter_map(|c| in_form(c, degree, count)).collect();
            let surface = of_columns(&columns, s.knots_v())?;
            let held = s.knots_u().sampled(LEAST_PLACES_PER_SPAN / 2).iter().map(|u| [*u; 2]).collect();
            Ok(RecastAlong { surface, moved: held })
        };
        return surfaces.iter().map(one).collect();
    }
    let spans = surfaces.iter().map(|s| s.knots_u().breaks().len() - 1).max().unwrap_or(1);
    let per_span = (PLACES_PER_POINT * count).div_ceil(spans).max(LEAST_PLACES_PER_SPAN);
    let us: Vec<Vec<f64>> = surfaces.iter().map(|s| s.knots_u().sampled(per_span)).collect();
    if us.iter().any(|u| u.len() != us[0].len()) {
        let at = surfaces[0].control_points()[0].into();
        return Err(GeometryError::NoDirection { at });
    }
    let (mut places, mut ways) = (Vec::new(), Vec::new());
    for (surface, us) in surfaces.iter().zip(&us) {
        // Each column of control points is a curve along u; where those are kept, so is the surface.
        for column in surface.columns() {
            let line: Vec<Point3> = us.iter().map(|&u| column.point(u)).collect();
            ways.push(column.ways_in(&line));
            places.push(line);
        }
    }
    let ring = goes_round(&places, &ways);
    let mut before = 0;
    let mut all_seen = Vec::new();
    for surface in surfaces {
        all_seen.extend(seen(surface.knots_v(), before));
        before += surface.knots_v().point_count();
    }
    let fit =
        Lines { places, ways: ways_of(ways, ring), ring, kept, seen: all_seen }.recast(degree, count)?;
    let mut curves = fit.curves()?.into_iter();
    let one = |(surface, us): (&NurbsSurface, &Vec<f64>)| {
        let d = surface.domain().0;
        let columns: Vec<NurbsCurve> =
            curves.by_ref().take(surface.knots_v().point_count()).map(|c| c.over(d)).collect();
        let moved = us.iter().zip(&fit.at).map(|(u, t)| [*u, d.at(*t)]).collect();
        Ok(RecastAlong { surface: of_columns(&columns, surface.knots_v())?, moved })
    };
    surfaces.iter().zip(&us).map(one).collect()
}

fn of_columns(columns: &[NurbsCurve], across: &KnotVector) -> Result<NurbsSurface, GeometryError> {
    let along = columns[0].knots().clone();
    let net =
        (0..along.point_count()).flat_map(|i| columns.iter().map(move |c| c.homogeneous()[i])).collect();
    NurbsSurface::from_homogeneous(along, across.clone(), net)
}

/// Places beside both ends of a line of places, from either end inwards.
fn beside(vs: &[f64], (share, count): (f64, usize)) -> Vec<f64> {
    let last = vs.len() - 1;
    let steps = [(vs[0], vs[1] - vs[0]), (vs[last], vs[last - 1] - vs[last])];
    steps.into_iter().flat_map(|(v, step)| (1..=count).map(move |k| v + share * k as f64 * step)).collect()
}

/// First and second derivatives into a line at an end from places beside it (differences of third and second order; none of the
/// second where there is one place only).
fn differences(end: Point3, beside: &[Point3], share: f64) -> [Vector3; 2] {
    let off: Vec<Vector3> = beside.iter().map(|p| p - end).collect();
    match off[..] {
        [a, b, c] => {
            [(a * 18.0 - b * 9.0 + c * 2.0) / (6.0 * share), (b * 4.0 - a * 5.0 - c) / (share * share)]
        }
        _ => [off[0] / share, Vector3::zeros()],
    }
}

/// The same for surfaces with weights, which tie both directions together: places of a grid stand for them.
fn from_grid(
    surfaces: &[NurbsSurface],
    degrees: [usize; 2],
    counts: [usize; 2],
    kept: EndsKept,
) -> Result<Vec<FittedSurface>, GeometryError> {
    let places = |knots: &KnotVector, k: usize| {
        let spans = knots.breaks().len() - 1;
        knots.sampled((PLACES_PER_POINT * counts[k]).div_ceil(spans).max(LEAST_PLACES_PER_SPAN))
    };
    let vs = places(surfaces[0].knots_v(), 1);
    let last = vs.len() - 1;
    // Beside the ends, for the ways in which the rows leave them.
    let (share, sides) = match kept {
        EndsKept::Tangents => BESIDE,
        EndsKept::Curvature => BESIDE_FOR_CURVATURE,
    };
    let all: Vec<f64> = vs.iter().copied().chain(beside(&vs, (share, sides))).collect();
    let (mut rows, mut ways) = (Vec::new(), Vec::new());
    let (mut along, mut moved_u) = (Vec::new(), Vec::new());
    for surface in surfaces {
        let us = places(surface.knots_u(), 0);
        let grid = surface.grid(&us, &all);
        let column = |j: usize| grid.iter().skip(j).step_by(all.len()).copied().collect::<Vec<Point3>>();
        let lines: Vec<Vec<Point3>> = (0..all.len()).map(column).collect();
        let d = surface.domain().0;
        let leaves = |(line, &v): (&Vec<Point3>, &f64)| {
            let [start, end] = [d.start, d.end].map(|u| surface.derivatives(u, v));
            Way::both([start.u, start.uu], [end.u, end.uu], line)
        };
        let leaving: Vec<[Way; 2]> = lines.iter().zip(&all).map(leaves).collect();
        let ring = goes_round(&lines, &leaving);
        let fit = Lines { places: lines, ways: ways_of(leaving, ring), ring, kept, seen: Vec::new() }
            .recast(degrees[0], counts[0])?;
        for i in 0..counts[0] {
            let line: Vec<Point3> = fit.control.iter().map(|c| c[i]).collect();
            let (row, beside) = line.split_at(last + 1);
            let (first, other) = beside.split_at(sides);
            let [a, b] = differences(row[last], other, share);
            ways.push(Way::both(differences(row[0], first, share), [-a, b], row));
            rows.push(row.to_vec());
        }
        moved_u.push(us.iter().zip(&fit.at).map(|(u, t)| [*u, d.at(*t)]).collect::<Vec<_>>());
        along.push(fit.knots.over(d));
    }
    let ring = goes_round(&rows, &ways);
    let seen = along.iter().enumerate().flat_map(|(k, knots)| seen(knots, k * counts[0])).collect();
    let fit =
        Lines { places: rows, ways: ways_of(ways, ring), ring, kept, seen }.recast(degrees[1], counts[1])?;
    let d = surfaces[0].domain().1;
    let moved_v: Vec<[f64; 2]> = vs.iter().zip(&fit.at).map(|(v, t)| [*v, d.at(*t)]).collect();
    let mut control = fit.control.iter();
    let one = |((surface, along), moved): ((&NurbsSurface, KnotVector), Vec<[f64; 2]>)| {
        let net = control.by_ref().take(counts[0]).flatten().map(|p| p.coords.push(1.0)).collect();
        let recast = NurbsSurface::from_homogeneous(along, fit.knots.over(d), net)?;
        Ok(compared(surface, recast, [&moved, &moved_v]))
    };
    surfaces.iter().zip(along).zip(moved_u).map(one).collect()
}

/// A recast surface with how far it is from its source: from places of that one, and from those between, to the nearest
/// places near where they have come to lie, and back.
fn compared(source: &NurbsSurface, surface: NurbsSurface, moved: [&[[f64; 2]]; 2]) -> FittedSurface {
    let finer = moved.map(|pairs| {
        let between = |w: &[[f64; 2]]| {
            let at = |f: f64| [0, 1].map(|k| w[0][k] + f * (w[1][k] - w[0][k]));
            [0.0, 0.25, 0.5, 0.75].map(at)
        };
        pairs.windows(2).flat_map(between).chain(pairs.last().copied()).collect::<Vec<_>>()
    });
    let mut max_deviation: f64 = 0.0;
    for [u, to_u] in &finer[0] {
        for [v, to_v] in &finer[1] {
            let place = source.point(*u, *v);
            let here = (surface.point(*to_u, *to_v) - place).norm();
            // What is near enough anyhow is not looked at.
            if here > max_deviation {
                let made = surface.point(*to_u, *to_v);
                let there = nearby_on_surface(&surface, &place, [*to_u, *to_v], here);
                let back = nearby_on_surface(source, &made, [*u, *v], here);
                for nearest in [there, back] {
                    max_deviation = max_deviation.max(nearest.map_or(here, |n| n.distance));
                }
            }
        }
    }
    FittedSurface { surface, max_deviation, converged: true }
}

/// Surfaces side by side, each with its own u, recast to a number of control points and degrees in u and v, so that what
/// they share in v stays shared; corners are kept, along the borders the tangents across them, and curvature across them if
/// asked; over the seam of a closed and smooth one curvature is continuous.
///
/// # Errors
/// `Degree`; `TooFewPoints` when there are fewer points than a degree needs, or no surface; `NoCurvatureKept` when there are
/// fewer than curvature takes; `NoDirection` for one that has no extent in a direction, or that stands still at a border where
/// its curvature is to be kept.
pub fn recast_surfaces(
    surfaces: &[NurbsSurface],
    degrees: [usize; 2],
    counts: [usize; 2],
    kept: EndsKept,
) -> Result<Vec<FittedSurface>, GeometryError> {
    for (degree, count) in degrees.into_iter().zip(counts) {
        check_form(degree, count)?;
    }
    if surfaces.is_empty() {
        return Err(GeometryError::TooFewPoints { given: 0, needed: 1 });
    }
    if surfaces.iter().any(NurbsSurface::is_rational) {
        return from_grid(surfaces, degrees, counts, kept);
    }
    let in_u = surfaces
        .iter()
        .map(|s| Ok(along_u(std::slice::from_ref(s), degrees[0], counts[0], kept)?.remove(0)))
        .collect::<Result<Vec<_>, GeometryError>>()?;
    let turned: Vec<NurbsSurface> = in_u.iter().map(|r| r.surface.transposed()).collect();
    let in_v = along_u(&turned, degrees[1], counts[1], kept)?;
    let both = surfaces.iter().zip(in_u).zip(in_v);
    Ok(both.map(|((source, u), v)| compared(source, v.surface.transposed(), [&u.moved, &v.moved])).collect())
}

/// A surface recast in both directions, as [`recast_surfaces`].
///
/// # Errors
/// As [`recast_surfaces`].
pub fn recast_surface(
    surface: &NurbsSurface,
    degrees: [usize; 2],
    counts: [usize; 2],
    kept: EndsKept,
) -> Result<FittedSurface, GeometryError> {
    Ok(recast_surfaces(std::slice::from_ref(surface), degrees, counts, kept)?.remove(0))
}

/// A surface recast in one direction only, u or v; the other one keeps its knots, but for a surface with weights, which tie
/// both together: there it keeps its count and degree.
///
/// # Errors
/// As [`recast_surfaces`].
pub fn recast_surface_along(
    surface: &NurbsSurface,
    is_u: bool,
    degree: usize,
    count: usize,
    kept: EndsKept,
) -> Result<FittedSurface, GeometryError> {
    check_form(degree, count)?;
    if !is_u {
        let fitted = recast_surface_along(&surface.transposed(), true, degree, count, kept)?;
        return Ok(FittedSurface { surface: fitted.surface.transposed(), ..fitted });
    }
    let v = surface.knots_v();
    if surface.is_rational() {
        return recast_surface(surface, [degree, v.degree()], [count, v.point_count()], kept);
    }
    let made = along_u(std::slice::from_ref(surface), degree, count, kept)?.remove(0);
    let held: Vec<[f64; 2]> = v.sampled(LEAST_PLACES_PER_SPAN / 2).iter().map(|v| [*v; 2]).collect();
    Ok(compared(surface, made.surface, [&made.moved, &held]))
}
