//! Surfaces at a distance from others, along the normals.
//!
//! The offset keeps the surface's parameters. With the surface's own knots and weights it is exact wherever a surface of that
//! form can be: planes, cylinders, cones, spheres, tori, extrusions of lines and arcs. Else its degree and knots are raised and
//! refined until it fits (Maekawa, An overview of offset curves and surfaces, CAD 31, 1999, section 4).

use crate::{
    Domain, FittedSurface, GeometryError, Homogeneous, KnotVector, NurbsSurface, Point3, Tolerance, Vector3,
    box_of, check_work, diagonal, spline_of,
};

/// Degree of an offset that has to be fitted, at least.
const FITTED_DEGREE: usize = 3;
const MAX_ROUNDS: usize = 8;
/// Control points in one direction, beyond which nothing is refined.
const MOST_POINTS: usize = 600;
/// Share of the tolerance from which a span is refined while any misses it.
const REFINED_FROM: f64 = 0.8;
/// Share of the area per parameter, on the average, below which the normal is looked for with more care.
const LEAST: f64 = 1e-4;
/// Places per span at which the bending is looked at.
const BEND_SAMPLES: usize = 6;
/// Share of the most area per parameter below which a place is a pole.
const POLE: f64 = 1e-4;
const BEND_HALVINGS: usize = 24;

/// The surface at `distance` mm from a surface along its normals, over all of its domain; below 0 against them.
///
/// # Tolerance
/// The fit tolerance bounds the distance, measured between the interpolated places; not a rigorous guarantee.
///
/// # Errors
/// `OffsetFolds` where the part of the surface in `part` bends towards that side more tightly than the distance;
/// `NoDirection` where it has no normal.
pub fn offset_surface(
    surface: &NurbsSurface,
    distance: f64,
    part: [Domain; 2],
    tolerance: &Tolerance,
) -> Result<FittedSurface, GeometryError> {
    check_work();
    if distance == 0.0 {
        return Ok(FittedSurface { surface: surface.clone(), max_deviation: 0.0, converged: true });
    }
    if let Some((radius, at)) = tightest_bend_of(surface, part, distance > 0.0)
        && radius <= distance.abs()
    {
        let at = surface.point(at[0], at[1]).into();
        return Err(GeometryError::OffsetFolds { at, radius, distance: distance.abs() });
    }
    parallel_surface(surface, distance, tolerance)
}

/// The same, wherever the surface bends: where it does so more tightly than the distance, the offset runs back.
///
/// # Errors
/// `NoDirection` where it has no normal.
pub fn parallel_surface(
    surface: &NurbsSurface,
    distance: f64,
    tolerance: &Tolerance,
) -> Result<FittedSurface, GeometryError> {
    check_work();
    let size = diagonal(&box_of(surface.control_points().iter()));
    let [du, dv]: [Domain; 2] = surface.domain().into();
    let least = LEAST * size * size / (du.length() * dv.length());
    let offset = Offset { surface, distance, least, weights: weights_of(surface) };
    let own = [surface.knots_u().clone(), surface.knots_v().clone()];
    let (exact, miss) = offset.fitted(&own)?;
    if miss.worst <= 1e-3 * tolerance.resolution {
        return Ok(FittedSurface { surface: exact, max_deviation: miss.worst, converged: true });
    }
    let mut knots = [raised(surface.knots_u()), raised(surface.knots_v())];
    let mut best: Option<FittedSurface> = None;
    for _ in 0..MAX_ROUNDS {
        let (fitted, miss) = offset.fitted(&knots)?;
        let max_deviation = miss.worst;
        let converged = max_deviation <= tolerance.fit;
        if best.as_ref().is_none_or(|b| max_deviation < b.max_deviation) {
            best = Some(FittedSurface { surface: fitted, max_deviation, converged });
        }
        let most = miss.along.iter().flatten().fold(0.0, |a: f64, b| a.max(*b));
        let from = REFINED_FROM * tolerance.fit.min(most);
        let refined = [0, 1].map(|k| refined(&knots[k], &miss.along[k], from));
        if converged || refined == knots {
            break;
        }
        knots = refined;
    }
    best.ok_or(GeometryError::TooFewPoints { given: 0, needed: 2 })
}

/// The smallest radius with which a part of a surface bends toward its normal, or against it, with the parameters there;
/// `None` where it nowhere does.
#[must_use]
pub fn tightest_bend_of(
    surface: &NurbsSurface,
    part: [Domain; 2],
    toward_normal: bool,
) -> Option<(f64, [f64; 2])> {
    check_work();
    let sign = if toward_normal { 1.0 } else { -1.0 };
    // The largest principal curvature toward that side.
    let samples = [surface.knots_u(), surface.knots_v()].map(|k| k.sampled(BEND_SAMPLES));
    let inside = |k: usize| {
        let d = part[k];
        let own = samples[k].iter().copied().filter(move |t| *t > d.start && *t < d.end);
        std::iter::once(d.start).chain(own).chain([d.end]).collect::<Vec<f64>>()
    };
    let (us, vs) = (inside(0), inside(1));
    let look = |at: [f64; 2]| {
        let d = surface.derivatives(at[0], at[1]);
        let bend = d.curvatures().map(|(gauss, mean)| sign * mean + (mean * mean - gauss).max(0.0).sqrt());
        (d.area_vector().norm(), bend.unwrap_or(f64::MIN))
    };
    let seen: Vec<((f64, f64), [f64; 2])> =
        us.iter().flat_map(|&u| vs.iter().map(move |&v| [u, v])).map(|at| (look(at), at)).collect();
    let most = seen.iter().map(|s| s.0.0).fold(0.0, f64::max);
    // At a pole the parameters tell nothing of how it bends.
    let counts = |(area, bend): (f64, f64)| if area <= POLE * most { f64::MIN } else { bend };
    let bend = |at: [f64; 2]| counts(look(at));
    let mut best = (f64::MIN, [part[0].start, part[1].start]);
    for (found, at) in seen {
        if counts(found) > best.0 {
            best = (counts(found), at);
        }
    }
    let widest = |line: &[f64]| line.windows(2).map(|w| w[1] - w[0]).fold(0.0, f64::max);
    let mut step = [widest(&us), widest(&vs)];
    for _ in 0..BEND_HALVINGS {
        let (_, at) = best;
        for k in 0..2 {
            for way in [-1.0, 1.0] {
                let mut next = at;
                next[k] = part[k].clamp(at[k] + way * step[k]);
                let value = bend(next);
                if value > best.0 {
                    best = (value, next);
                }
            }
        }
        if best.1 == at {
            step = step.map(|s| 0.5 * s);
        }
    }
    let flat = 1e-12 / surface.control_points().iter().map(|p| p.coords.norm()).fold(1e-9, f64::max);
    (best.0 > flat).then(|| (1.0 / best.0, best.1))
}

/// By how much an offset is missed.
struct Misses {
    worst: f64,
    /// Span by span in either direction, where it is interpolated in the other one.
    along: [Vec<f64>; 2],
}

struct Offset<'a> {
    surface: &'a NurbsSurface,
    distance: f64,
    /// Area per parameter below which the normal is looked for with more care.
    least: f64,
    /// The weights as a surface's x coordinate, for a rational one.
    weights: Option<NurbsSurface>,
}

impl Offset<'_> {
    fn point(&self, u: f64, v: f64) -> Result<Point3, GeometryError> {
        let (at, du, dv) = self.surface.tangents(u, v);
        let across = du.cross(&dv);
        let normal =
            if across.norm() > self.least { Some(across.normalize()) } else { self.surface.normal(u, v) };
        Ok(at + normal.ok_or(GeometryError::NoDirection { at: at.into() })? * self.distance)
    }

    fn weight(&self, u: f64, v: f64) -> f64 {
        self.weights.as_ref().map_or(1.0, |w| w.point(u, v).x)
    }

    /// The surface with given knots through the offset at their Greville abscissae, its weights those of the surface, and by how
    /// much it misses the offset between those, span by span.
    fn fitted(&self, knots: &[KnotVector; 2]) -> Result<(NurbsSurface, Misses), GeometryError> {
        let places = [knots[0].greville(), knots[1].greville()];
        let [us, vs] = &places;
        let mut points = Vec::with_capacity(us.len() * vs.len());
        let mut weights = Vec::with_capacity(points.capacity());
        for &u in us {
            for &v in vs {
                let w = self.weight(u, v);
                points.push(self.point(u, v)?.coords * w);
                weights.push(Vector3::new(w, 0.0, 0.0));
            }
        }
        let points = net_through(knots, points)?;
        let net: Vec<Homogeneous> = if self.weights.is_some() {
            let weights = net_through(knots, weights)?;
            points.iter().zip(&weights).map(|(p, w)| p.push(w.x)).collect()
        } else {
            points.iter().map(|p| p.push(1.0)).collect()
        };
        let surface = NurbsSurface::from_homogeneous(knots[0].clone(), knots[1].clone(), net)?;
        let none = |k: usize| vec![0.0; knots[k].breaks().len() - 1];
        let mut miss = Misses { worst: 0.0, along: [none(0), none(1)] };
        // The places, and between any two of them another one with the number of its span.
        let checked = [0, 1].map(|k| {
            let breaks = knots[k].breaks();
            let number = |t: f64| breaks.partition_point(|b| *b <= t).clamp(1, breaks.len() - 1) - 1;
            let mut out = vec![(places[k][0], None)];
            for w in places[k].windows(2) {
                let middle = 0.5 * (w[0] + w[1]);
                out.extend([(middle, Some(number(middle))), (w[1], None)]);
            }
            out
        });
        let [us, vs] = [0, 1].map(|k| checked[k].iter().map(|c| c.0).collect::<Vec<f64>>());
        let reached = surface.grid(&us, &vs);
        let cells = checked[0].iter().flat_map(|u| checked[1].iter().map(move |v| (u, v)));
        for (point, (&(u, i), &(v, j))) in reached.iter().zip(cells) {
            if i.is_none() && j.is_none() {
                continue;
            }
            let off = (point - self.point(u, v)?).norm();
            miss.worst = miss.worst.max(off);
            match (i, j) {
                (Some(i), None) => miss.along[0][i] = f64::max(miss.along[0][i], off),
                (None, Some(j)) => miss.along[1][j] = f64::max(miss.along[1][j], off),
                _ => (),
            }
        }
        Ok((surface, miss))
    }
}

/// The control net whose surface has given values at the Greville abscissae, v running fastest.
fn net_through(knots: &[KnotVector; 2], values: Vec<Vector3>) -> Result<Vec<Vector3>, GeometryError> {
    let across = knots[1].point_count();
    let columns = (0..across)
        .map(|j| {
            spline_of(&knots[0], &values.iter().skip(j).step_by(across).copied().collect::<Vec<Vector3>>())
        })
        .collect::<Result<Vec<_>, _>>()?;
    let mut out = Vec::with_capacity(values.len());
    for i in 0..knots[0].point_count() {
        out.extend(spline_of(&knots[1], &columns.iter().map(|c| c[i]).collect::<Vec<Vector3>>())?);
    }
    Ok(out)
}

fn weights_of(surface: &NurbsSurface) -> Option<NurbsSurface> {
    surface.is_rational().then(|| {
        let net = surface.homogeneous().iter().map(|h| Homogeneous::new(h.w, 0.0, 0.0, 1.0)).collect();
        NurbsSurface::new_unchecked(surface.knots_u().clone(), surface.knots_v().clone(), net)
    })
}

/// Knots of the degree of a fit, with which a surface can be one degree less smooth at the inner ones: its normals are.
fn raised(knots: &KnotVector) -> KnotVector {
    let degree = knots.degree().max(FITTED_DEGREE);
    let up = degree - knots.degree();
    let distinct = knots.distinct();
    let last = distinct.len() - 1;
    let of = |(i, (t, count)): (usize, &(f64, usize))| {
        let count = if i == 0 || i == last { degree + 1 } else { (count + up + 1).min(degree) };
        std::iter::repeat_n(*t, count)
    };
    let raised = distinct.iter().enumerate().flat_map(of).collect();
    KnotVector::try_new(degree, raised).unwrap_or_else(|_| knots.clone())
}

/// Knots with one more in the middle of every span that is missed by more than `from`.
fn refined(knots: &KnotVector, miss: &[f64], from: f64) -> KnotVector {
    if knots.point_count() >= MOST_POINTS {
        return knots.clone();
    }
    let breaks = knots.breaks();
    let missed = breaks.windows(2).zip(miss).filter(|(_, m)| **m > from).map(|(w, _)| 0.5 * (w[0] + w[1]));
    let mut all: Vec<f64> = knots.knots().iter().copied().chain(missed).collect();
    all.sort_by(f64::total_cmp);
    KnotVector::try_new(knots.degree(), all).unwrap_or_else(|_| knots.clone())
}
