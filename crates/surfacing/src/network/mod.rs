//! Network: a surface through two families of curves that cross.
//!
//! The curves are given common parameters where they cross, and the surface is Gordon's: the skins through either family
//! added, less the surface through their crossings (Gordon, Spline-blended surface interpolation through curve networks,
//! J. Math. Mech. 18, 1969; The NURBS Book, section 10.5).

mod ends;
mod sides;

use geometry::{
    Domain, EndDerivatives, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, compatible_within,
    curves_approaches, fit_functions, interpolate, skin_through, weighted_sum,
};
use topology::Body;

use crate::assembled::{assembled, numbered};
use crate::chain::as_one;
use crate::feet::Feet;
use crate::miss::{Miss, missed};
use crate::monotone::Monotone;
use crate::patch::{EdgeReached, PatchEdge};
use crate::{Agrees, SurfacingError};
use sides::{Agreement, Side, agreeing};

/// Share of the fit tolerance that a curve may lose when it is given the common parameters.
const SHARE_OF_FIT: f64 = 0.25;
/// Share of the curve's domain by which a derivative is taken.
const DIFFERENCE: f64 = 1e-6;
/// Places between two crossings at which the surface is held against its curves.
const CHECKED: usize = 4;
/// Times the reach by which two places at which curves cross must be apart to be two.
const TWICE: f64 = 4.0;

/// A curve of a network, as one or several edges that run end to end.
pub type NetworkCurve = Vec<PatchEdge>;

/// A network surface with what it reached.
#[derive(Debug, Clone, PartialEq)]
pub struct Network {
    /// The body.
    pub body: Body,
    /// Largest distance between two curves that should cross, in millimetres.
    pub largest_gap: f64,
    /// Largest distance of a curve from the surface that was measured, in millimetres.
    pub max_deviation: f64,
    /// Where it stays farther off its curves than the fit tolerance and their gaps allow.
    pub miss: Option<Miss>,
    /// For each family, what was reached at those of its outermost curves that are edges of faces.
    pub sides: [Vec<EdgeReached>; 2],
}

/// What a network is made with.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Weave<'a> {
    /// How far two curves that should cross may miss each other, in millimetres.
    pub reach: f64,
    /// Whether the surface goes on to the ends of the curves, and does not end at the outermost of them.
    pub to_ends: bool,
    /// What its face is called.
    pub name: &'a str,
}

/// One curve of a family and where the other one crosses it.
struct Thread {
    curve: NurbsCurve,
    /// Its own parameters at its crossings with the other family, in that one's order.
    crossings: Vec<f64>,
    /// Its place in the list that was given, from 0; none for one that was made along the ends of others.
    number: Option<usize>,
    /// Whether it is a point in which all curves of the other family end.
    pole: bool,
}

/// The surface through two families of curves, each curve of one crossing every curve of the other once. Their order and
/// directions are found. Where all curves of a family end in one point the surface has a pole. The outermost curves take over from the faces beside them what is asked for.
///
/// # Errors
/// `TooFewSections` for fewer than two curves in a family; `NetworkMisses` for two that do not cross, with their distance;
/// `NetworkTwice` for two that cross twice; `NetworkOrder` where one crosses the others in another order than its neighbours
/// do; `NetworkInside` for a curve that is not outermost and is to take something over.
pub fn network(
    first: &[NetworkCurve],
    second: &[NetworkCurve],
    how: &Weave<'_>,
    tolerance: &Tolerance,
) -> Result<Network, SurfacingError> {
    for family in [first, second] {
        if family.len() < 2 {
            return Err(SurfacingError::TooFewSections { given: family.len(), needed: 2 });
        }
    }
    let unit = Domain { start: 0.0, end: 1.0 };
    let one = |edges: &NetworkCurve| {
        let pieces: Vec<NurbsCurve> = edges.iter().map(|e| e.curve.clone()).collect();
        Ok(as_one(&pieces, tolerance)?.over(unit))
    };
    let us = first.iter().map(one).collect::<Result<Vec<_>, SurfacingError>>()?;
    let vs = second.iter().map(one).collect::<Result<Vec<_>, SurfacingError>>()?;
    let (met, largest_gap) = crossings(&us, &vs, how.reach)?;
    let [mut along_u, mut along_v] = threads(&us, &vs, &met)?;
    if how.to_ends {
        ends::with_ends(&mut along_v, &mut along_u, tolerance)?;
        ends::with_ends(&mut along_u, &mut along_v, tolerance)?;
    }
    let u_places = common(&along_u);
    let v_places = common(&along_v);
    let us = into_poles(over_places(&along_u, &u_places, tolerance)?, &along_v);
    let vs = into_poles(over_places(&along_v, &v_places, tolerance)?, &along_u);
    let surface = gordon(&us, &vs, &u_places, &v_places)?;
    let families = [(&along_u, first, &v_places, false), (&along_v, second, &u_places, true)];
    let mut agreements = Vec::new();
    let mut outermost: [Vec<&NetworkCurve>; 2] = [Vec::new(), Vec::new()];
    for (k, (threads, curves, places, at_u)) in families.into_iter().enumerate() {
        let count = threads.len();
        for (i, thread) in threads.iter().enumerate() {
            let Some(edges) = thread.number.map(|n| &curves[n]) else { continue };
            let asked = edges.iter().any(|e| e.tangent_to().is_some());
            let last = i + 1 == count;
            if i > 0 && !last {
                if asked {
                    let at = thread.curve.point(0.5).into();
                    return Err(SurfacingError::NetworkInside { family: k + 1, curve: edges[0].number, at });
                }
                continue;
            }
            outermost[k].push(edges);
            if asked {
                let inner = if last { 1.0 - places[count - 2] } else { places[1] };
                let beside = edges.iter().filter_map(|e| e.beside.as_ref()).map(|b| &b.surface);
                let faces = Feet::new(beside, tolerance.fit);
                let curvature = edges.iter().any(|e| e.agrees == Agrees::Curvature);
                agreements.push(Agreement { side: Side { at_u, last }, faces, curvature, inner });
            }
        }
    }
    let surface = if agreements.is_empty() { surface } else { agreeing(surface, &agreements, tolerance)? };
    let mut max_deviation: f64 = 0.0;
    for (curve, v) in us.iter().zip(&v_places) {
        for u in curve.knots().sampled(CHECKED) {
            max_deviation = max_deviation.max((surface.point(u, *v) - curve.point(u)).norm());
        }
    }
    for (curve, u) in vs.iter().zip(&u_places) {
        for v in curve.knots().sampled(CHECKED) {
            max_deviation = max_deviation.max((surface.point(*u, v) - curve.point(v)).norm());
        }
    }
    let sides = outermost.map(|curves| {
        let edges = curves.into_iter().flatten().filter(|e| e.beside.is_some());
        edges.filter_map(|e| EdgeReached::on(e, &surface, tolerance)).collect()
    });
    let body = assembled(numbered(vec![surface], how.name), false, tolerance)?;
    let crossed = along_u.iter().chain(&along_v).filter(|t| !t.pole);
    let between: Vec<NurbsCurve> =
        crossed.map(|t| t.curve.part(t.crossings[0], t.crossings[t.crossings.len() - 1])).collect();
    let miss = missed(&body, &between, tolerance.fit.max(largest_gap));
    Ok(Network { body, largest_gap, max_deviation, miss, sides })
}

/// For each pair of curves the parameters at which they cross, and the largest distance between two that do.
#[allow(clippy::type_complexity, reason = "a table of pairs")]
fn crossings(
    us: &[NurbsCurve],
    vs: &[NurbsCurve],
    reach: f64,
) -> Result<(Vec<Vec<(f64, f64)>>, f64), SurfacingError> {
    let mut largest_gap: f64 = 0.0;
    let mut met = vec![vec![(0.0, 0.0); vs.len()]; us.len()];
    for (k, u) in us.iter().enumerate() {
        for (l, v) in vs.iter().enumerate() {
            let places = curves_approaches(u, v);
            let Some(nearest) = places.first() else { continue };
            let at = u.point(nearest.first).into();
            let (first, second, distance) = (k + 1, l + 1, nearest.distance);
            if distance > reach {
                return Err(SurfacingError::NetworkMisses { first, second, distance, at });
            }
            let again = places[1..].iter().find(|p| {
                p.distance <= reach && (u.point(p.first) - u.point(nearest.first)).norm() > TWICE * reach
            });
            if let Some(again) = again {
                let also = u.point(again.first).into();
                return Err(SurfacingError::NetworkTwice { first, second, also, at });
            }
            largest_gap = largest_gap.max(distance);
            met[k][l] = (nearest.first, nearest.second);
        }
    }
    Ok((met, largest_gap))
}

/// Both families in order and turned to agree: curves of either stand as the other family's first one crosses them.
fn threads(
    us: &[NurbsCurve],
    vs: &[NurbsCurve],
    met: &[Vec<(f64, f64)>],
) -> Result<[Vec<Thread>; 2], SurfacingError> {
    let order = |along: &dyn Fn(usize) -> f64, count: usize| {
        let mut order: Vec<usize> = (0..count).collect();
        order.sort_by(|a, b| along(*a).total_cmp(&along(*b)));
        order
    };
    let rows = order(&|k| met[k][0].1, us.len());
    let columns = order(&|l| met[rows[0]][l].0, vs.len());
    let thread = |family: usize, curve: &NurbsCurve, number: usize, crossings: Vec<f64>| {
        let last = crossings.len() - 1;
        let turned = crossings[last] < crossings[0];
        let along: Vec<f64> = crossings.iter().map(|t| if turned { 1.0 - t } else { *t }).collect();
        if let Some(i) = along.windows(2).position(|w| w[1] - w[0] <= 1e-6) {
            let at = curve.point(crossings[i + 1]).into();
            return Err(SurfacingError::NetworkOrder { family, curve: number + 1, at });
        }
        let curve = if turned { curve.reversed() } else { curve.clone() };
        Ok(Thread { curve, crossings: along, number: Some(number), pole: false })
    };
    let along_u = rows.iter().map(|&k| thread(1, &us[k], k, columns.iter().map(|&l| met[k][l].0).collect()));
    let along_v = columns.iter().map(|&l| thread(2, &vs[l], l, rows.iter().map(|&k| met[k][l].1).collect()));
    Ok([along_u.collect::<Result<_, _>>()?, along_v.collect::<Result<_, _>>()?])
}

/// The parameters at which a family is crossed, the same for all of its curves: the mean of theirs.
fn common(family: &[Thread]) -> Vec<f64> {
    let count = family[0].crossings.len();
    let shares: Vec<Vec<f64>> = family.iter().filter(|t| !t.pole).map(Thread::shares).collect();
    let mean = |l: usize| shares.iter().map(|s| s[l]).sum::<f64>() / shares.len() as f64;
    let mut places: Vec<f64> = (0..count).map(mean).collect();
    // Where every curve begins or ends at its outermost crossing, the surface does too.
    (places[0], places[count - 1]) = (0.0, 1.0);
    places
}

impl Thread {
    /// How far along the curve each crossing is, from the first to the last one, by the chords between them.
    fn shares(&self) -> Vec<f64> {
        let points: Vec<Point3> = self.crossings.iter().map(|&t| self.curve.point(t)).collect();
        geometry::chord_parameters(&points)
    }
}

/// The parts of a family's curves between their outermost crossings, all with the same knots, which come to each crossing at
/// its place.
fn over_places(
    family: &[Thread],
    places: &[f64],
    tolerance: &Tolerance,
) -> Result<Vec<NurbsCurve>, SurfacingError> {
    let curves: Vec<&Thread> = family.iter().filter(|t| !t.pole).collect();
    let mut made = curves_over_places(&curves, places, tolerance)?.into_iter();
    let knots = made.as_slice().first().map(|c| c.knots().clone());
    let knots = knots.ok_or(SurfacingError::TooFewSections { given: 0, needed: 1 })?;
    let one = |thread: &Thread| {
        if !thread.pole {
            return made.next().ok_or(SurfacingError::Empty);
        }
        let net = vec![thread.curve.start().coords.push(1.0); knots.point_count()];
        Ok(NurbsCurve::from_homogeneous(knots.clone(), net)?)
    };
    family.iter().map(one).collect()
}

/// The curves with their ends brought, within tolerance, to where the other family is a point.
fn into_poles(curves: Vec<NurbsCurve>, others: &[Thread]) -> Vec<NurbsCurve> {
    let pole = |t: Option<&Thread>| t.filter(|t| t.pole).map(|t| t.curve.start());
    let ends = [pole(others.first()), pole(others.last())];
    curves.into_iter().map(|c| c.with_ends(ends[0], ends[1])).collect()
}

/// What [`over_places`] gives, for curves that are no points.
fn curves_over_places(
    family: &[&Thread],
    places: &[f64],
    tolerance: &Tolerance,
) -> Result<Vec<NurbsCurve>, SurfacingError> {
    let even = |t: &&Thread| {
        !t.curve.is_rational() && t.crossings.iter().zip(places).all(|(t, place)| (t - place).abs() <= 1e-12)
    };
    let curves: Vec<NurbsCurve> = family.iter().map(|t| t.curve.clone()).collect();
    if family.iter().all(even) {
        return Ok(compatible_within(&curves, SHARE_OF_FIT * tolerance.fit)?.0);
    }
    let laws =
        family.iter().map(|t| Law::new(places, &t.crossings)).collect::<Result<Vec<_>, SurfacingError>>()?;
    let at = |k: usize, u: f64| Ok(with_slope(|u| family[k].curve.point(laws[k].at(u)), u));
    // Where a curve's bend changes abruptly, the fit may do so too.
    let mut breaks = places.to_vec();
    for (thread, law) in family.iter().zip(&laws) {
        let knots = thread.curve.knots();
        let last = thread.crossings.len() - 1;
        let abrupt =
            knots.distinct().into_iter().filter(|(_, n)| *n + 1 >= knots.degree() && knots.degree() > 1);
        let inner = abrupt.map(|k| k.0).filter(|t| *t > thread.crossings[0] && *t < thread.crossings[last]);
        breaks.extend(inner.map(|t| geometry::bisect(0.0, 1.0, |u| law.at(u) < t)));
    }
    breaks.sort_by(f64::total_cmp);
    breaks.dedup_by(|b, a| (*b - *a).abs() < 1e-6);
    if let Some(end) = breaks.last_mut() {
        *end = 1.0;
    }
    let fitted = fit_functions::<SurfacingError>(family.len(), at, &breaks, SHARE_OF_FIT * tolerance.fit)?;
    let ended = |(fitted, thread): (geometry::Fitted, &&Thread)| {
        let last = thread.crossings.len() - 1;
        let ends = [thread.crossings[0], thread.crossings[last]].map(|t| thread.curve.point(t));
        fitted.curve.with_ends(Some(ends[0]), Some(ends[1]))
    };
    Ok(fitted.into_iter().zip(family).map(ended).collect())
}

/// The place of a motion over 0 to 1, and its derivative by differences.
fn with_slope(place: impl Fn(f64) -> Point3, t: f64) -> (Point3, Vector3) {
    let (from, to) = ((t - DIFFERENCE).max(0.0), (t + DIFFERENCE).min(1.0));
    (place(t), (place(to) - place(from)) / (to - from))
}

/// A curve's own parameter by the surface's: smooth to the second derivative where that never turns back, else to the
/// first.
enum Law {
    Smooth(NurbsCurve),
    Steady(Monotone),
}

impl Law {
    fn new(places: &[f64], parameters: &[f64]) -> Result<Self, SurfacingError> {
        let points: Vec<Point3> = parameters.iter().map(|&t| Point3::new(t, 0.0, 0.0)).collect();
        let degree = 3.min(places.len() - 1);
        let smooth = interpolate(&points, places, degree, &EndDerivatives::free())?;
        let rises = smooth
            .knots()
            .sampled(8 * CHECKED)
            .windows(2)
            .all(|w| smooth.point(w[1]).x > smooth.point(w[0]).x);
        Ok(if rises {
            Self::Smooth(smooth)
        } else {
            Self::Steady(Monotone::new(places.iter().copied().zip(parameters.iter().copied()).collect()))
        })
    }

    fn at(&self, u: f64) -> f64 {
        match self {
            Self::Smooth(curve) => curve.point(u).x,
            Self::Steady(law) => law.at(u),
        }
    }
}

/// Gordon's surface: the skins through either family added, less the surface through their crossings.
fn gordon(
    us: &[NurbsCurve],
    vs: &[NurbsCurve],
    u_places: &[f64],
    v_places: &[f64],
) -> Result<NurbsSurface, SurfacingError> {
    let along_u = skin_through(us, v_places)?;
    let along_v = skin_through(vs, u_places)?.transposed();
    // Where two curves miss each other the surface passes midway.
    let crossing =
        |k: usize, l: usize| nalgebra::center(&us[k].point(u_places[l]), &vs[l].point(v_places[k]));
    let rows = (0..us.len()).map(|k| {
        let points: Vec<Point3> = (0..vs.len()).map(|l| crossing(k, l)).collect();
        interpolate(&points, u_places, 3.min(points.len() - 1), &EndDerivatives::free())
    });
    let crossings = skin_through(&rows.collect::<Result<Vec<_>, _>>()?, v_places)?;
    Ok(weighted_sum(&[(1.0, along_u), (1.0, along_v), (-1.0, crossings)])?)
}
