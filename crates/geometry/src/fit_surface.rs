//! Surfaces fitted to a function (section 9.2.5).

use crate::{
    EndDerivatives, GeometryError, KnotVector, NurbsCurve, NurbsSurface, Point3, check_work, interpolate,
    interpolate_ring,
};

const FIRST_SAMPLES_PER_SPAN: usize = 4;
const MAX_ROUNDS: usize = 9;
/// Samples in one direction, beyond which nothing is refined.
const MOST_SAMPLES: usize = 600;
/// Share of the tolerance from which an interval is refined while any misses it, as for curves.
const REFINED_FROM: f64 = 0.25;

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
