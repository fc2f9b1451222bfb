//! Surfaces fitted to a function, or to another surface with other control points (sections 9.2.5 and 9.4.3).

use crate::fit::least_squares;
use crate::{
    EndDerivatives, GeometryError, KnotVector, MAX_DEGREE, NurbsCurve, NurbsSurface, Point3, check_work,
    interpolate, interpolate_ring,
};

const FIRST_SAMPLES_PER_SPAN: usize = 4;
const MAX_ROUNDS: usize = 9;
/// Samples in one direction, beyond which nothing is refined.
const MOST_SAMPLES: usize = 600;
/// Share of the tolerance from which an interval is refined while any misses it, as for curves.
const REFINED_FROM: f64 = 0.25;
/// Places of a surface per control point of its recast form, in either direction.
const PLACES_PER_POINT: usize = 4;

/// A fitted surface with what the fit reached.
#[derive(Debug, Clone, PartialEq)]
pub struct FittedSurface {
    /// The surface.
    pub surface: NurbsSurface,
    /// Largest distance from what was to be fitted that was measured, in millimetres.
    pub max_deviation: f64,
    /// Whether that is within the tolerance asked for.
    pub converged: bool,
}

/// The bicubic surface that follows a function of u and v, refined where it misses. It keeps the function's parameters;
/// in a direction that is a ring it closes smoothly.
///
/// # Tolerance
/// Bounds the distance at the middles of the sides and at the centre of every cell of the interpolated grid, in
/// millimetres; not a rigorous guarantee.
///
/// # Errors
/// Whatever the function gives.
pub fn fit_surface<E: From<GeometryError>>(
    at: impl Fn(f64, f64) -> Result<Point3, E>,
    breaks: [&[f64]; 2],
    rings: [bool; 2],
    tolerance: f64,
) -> Result<FittedSurface, E> {
    check_work();
    let mut samples = breaks.map(|b| KnotVector::joined_pieces(1, b).sampled(FIRST_SAMPLES_PER_SPAN));
    let mut best: Option<FittedSurface> = None;
    for _ in 0..MAX_ROUNDS {
        let [us, vs] = &samples;
        let mut grid: Vec<Vec<Point3>> = Vec::with_capacity(us.len());
        for &u in us {
            grid.push(vs.iter().map(|&v| at(u, v)).collect::<Result<_, E>>()?);
        }
        let surface = through_grid(&grid, us, vs, rings)?;
        let middles = [us, vs].map(|s| s.windows(2).map(|w| 0.5 * (w[0] + w[1])).collect::<Vec<f64>>());
        let mut miss = [vec![0.0_f64; us.len() - 1], vec![0.0_f64; vs.len() - 1]];
        let mut worst: f64 = 0.0;
        let mut measure = |u: f64, v: f64, cells: [Option<usize>; 2]| -> Result<(), E> {
            let off = (surface.point(u, v) - at(u, v)?).norm();
            worst = worst.max(off);
            for (k, cell) in cells.into_iter().enumerate() {
                if let Some(i) = cell {
                    miss[k][i] = miss[k][i].max(off);
                }
            }
            Ok(())
        };
        for (i, &u) in middles[0].iter().enumerate() {
            for &v in vs {
                measure(u, v, [Some(i), None])?;
            }
            for (j, &v) in middles[1].iter().enumerate() {
                measure(u, v, [Some(i), Some(j)])?;
            }
        }
        for (j, &v) in middles[1].iter().enumerate() {
            for &u in us {
                measure(u, v, [None, Some(j)])?;
            }
        }
        let converged = worst <= tolerance;
        if best.as_ref().is_none_or(|b| worst < b.max_deviation) {
            best = Some(FittedSurface { surface, max_deviation: worst, converged });
        }
        if converged {
            break;
        }
        let refined = [0, 1].map(|k| {
            let mut out = vec![samples[k][0]];
            for (i, w) in samples[k].windows(2).enumerate() {
                if miss[k][i] > REFINED_FROM * tolerance && samples[k].len() < MOST_SAMPLES {
                    out.push(middles[k][i]);
                }
                out.push(w[1]);
            }
            out
        });
        if refined == samples {
            break;
        }
        samples = refined;
    }
    best.ok_or(GeometryError::TooFewPoints { given: 0, needed: 2 }.into())
}

/// The surface through a grid of points, u from row to row.
fn through_grid(
    grid: &[Vec<Point3>],
    us: &[f64],
    vs: &[f64],
    rings: [bool; 2],
) -> Result<NurbsSurface, GeometryError> {
    let through = |points: &[Point3], parameters: &[f64], ring: bool| -> Result<NurbsCurve, GeometryError> {
        if ring && points.len() > 3 {
            let mut points = points.to_vec();
            let last = points.len() - 1;
            points[last] = points[0];
            return interpolate_ring(&points, parameters);
        }
        interpolate(points, parameters, 3.min(points.len() - 1), &EndDerivatives::free())
    };
    let columns: Vec<NurbsCurve> = (0..vs.len())
        .map(|j| through(&grid.iter().map(|row| row[j]).collect::<Vec<_>>(), us, rings[0]))
        .collect::<Result<_, _>>()?;
    let along = columns[0].knots().clone();
    net_across(along, &columns, |row| through(row, vs, rings[1]))
}

/// The surface whose rows in v come from the control points that curves in u share by their number.
fn net_across(
    along: KnotVector,
    columns: &[NurbsCurve],
    across: impl Fn(&[Point3]) -> Result<NurbsCurve, GeometryError>,
) -> Result<NurbsSurface, GeometryError> {
    let points: Vec<Vec<Point3>> = columns.iter().map(NurbsCurve::control_points).collect();
    let rows = (0..along.point_count())
        .map(|i| across(&points.iter().map(|c| c[i]).collect::<Vec<_>>()))
        .collect::<Result<Vec<_>, _>>()?;
    let knots = rows[0].knots().clone();
    let net = rows.iter().flat_map(|row| row.homogeneous().iter().copied()).collect();
    NurbsSurface::from_homogeneous(along, knots, net)
}

/// A surface recast to a number of control points and a degree in one direction only, u or v; the other one keeps its knots.
/// The deviation is measured at equal parameters and so an upper bound.
///
/// # Errors
/// As [`recast_surface`].
pub fn recast_surface_along(
    surface: &NurbsSurface,
    is_u: bool,
    degree: usize,
    count: usize,
) -> Result<FittedSurface, GeometryError> {
    check_work();
    if !is_u {
        let fitted = recast_surface_along(&surface.transposed(), true, degree, count)?;
        return Ok(FittedSurface { surface: fitted.surface.transposed(), ..fitted });
    }
    check_form(degree, count)?;
    if surface.is_rational() {
        // The other direction cannot be left alone, since weights tie both together: it keeps its count and degree.
        let v = surface.knots_v();
        return recast_surface(surface, [degree, v.degree()], [count, v.point_count()]);
    }
    let knots = surface.knots_u();
    let spans = knots.breaks().len() - 1;
    let places = knots.sampled((PLACES_PER_POINT * count).div_ceil(spans).max(4));
    let d = knots.domain();
    let shares: Vec<f64> = places.iter().map(|t| (t - d.start) / d.length()).collect();
    // Each column of control points is a curve along u; where those are kept, so is the surface.
    let columns = surface.columns();
    let fitted = columns
        .iter()
        .map(|c| {
            least_squares(&places.iter().map(|&t| c.point(t)).collect::<Vec<_>>(), &shares, degree, count)
        })
        .collect::<Result<Vec<NurbsCurve>, _>>()?;
    let along = fitted[0].knots().over(d);
    let net = (0..along.point_count()).flat_map(|i| fitted.iter().map(move |c| c.homogeneous()[i])).collect();
    let recast = NurbsSurface::from_homogeneous(along, surface.knots_v().clone(), net)?;
    let vs = surface.knots_v().sampled(4);
    let us: Vec<f64> = places.windows(2).flat_map(|w| [w[0], 0.5 * (w[0] + w[1])]).chain([d.end]).collect();
    let (before, after) = (surface.grid(&us, &vs), recast.grid(&us, &vs));
    let max_deviation = before.iter().zip(&after).map(|(a, b)| (a - b).norm()).fold(0.0, f64::max);
    Ok(FittedSurface { surface: recast, max_deviation, converged: true })
}

fn check_form(degree: usize, count: usize) -> Result<(), GeometryError> {
    if !(1..=MAX_DEGREE).contains(&degree) {
        return Err(GeometryError::Degree(degree));
    }
    if count <= degree {
        return Err(GeometryError::TooFewPoints { given: count, needed: degree + 1 });
    }
    Ok(())
}

/// A surface recast to a number of control points and degrees in u and v, its corners kept, with the deviation that it
/// costs, measured at equal parameters and so an upper bound.
///
/// # Errors
/// `Degree`; `TooFewPoints` when there are fewer points than a degree needs.
pub fn recast_surface(
    surface: &NurbsSurface,
    degrees: [usize; 2],
    counts: [usize; 2],
) -> Result<FittedSurface, GeometryError> {
    check_work();
    for (degree, count) in degrees.into_iter().zip(counts) {
        check_form(degree, count)?;
    }
    let knots = [surface.knots_u(), surface.knots_v()];
    let places = [0, 1].map(|k| {
        let spans = knots[k].breaks().len() - 1;
        knots[k].sampled((PLACES_PER_POINT * counts[k]).div_ceil(spans).max(4))
    });
    let shares = [0, 1].map(|k| {
        let d = knots[k].domain();
        places[k].iter().map(|t| (t - d.start) / d.length()).collect::<Vec<f64>>()
    });
    let points = surface.grid(&places[0], &places[1]);
    let across = places[1].len();
    let columns: Vec<NurbsCurve> = (0..across)
        .map(|j| {
            let column: Vec<Point3> = points.iter().skip(j).step_by(across).copied().collect();
            least_squares(&column, &shares[0], degrees[0], counts[0])
        })
        .collect::<Result<_, _>>()?;
    let along = columns[0].knots().clone();
    let recast = net_across(along, &columns, |row| least_squares(row, &shares[1], degrees[1], counts[1]))?;
    // Compared between the places that were fitted too.
    let finer = shares
        .map(|s| s.windows(2).flat_map(|w| [w[0], 0.5 * (w[0] + w[1])]).chain([1.0]).collect::<Vec<f64>>());
    let own = [0, 1].map(|k| finer[k].iter().map(|s| knots[k].domain().at(*s)).collect::<Vec<f64>>());
    let (before, after) = (surface.grid(&own[0], &own[1]), recast.grid(&finer[0], &finer[1]));
    let max_deviation = before.iter().zip(&after).map(|(a, b)| (a - b).norm()).fold(0.0, f64::max);
    Ok(FittedSurface { surface: recast, max_deviation, converged: true })
}
