//! Network: a surface through two families of curves that cross.
//!
//! The curves are given common parameters where they cross, and the surface is Gordon's: the skins through either family
//! added, less the surface through their crossings (Gordon, Spline-blended surface interpolation through curve networks,
//! J. Math. Mech. 18, 1969; The NURBS Book, section 10.5).

use geometry::{
    Domain, EndDerivatives, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, compatible_within,
    curves_approach, fit_function, interpolate, skin_through, weighted_sum,
};
use topology::Body;

use crate::SurfacingError;
use crate::assembled::{assembled, numbered};
use crate::chain::as_one;
use crate::monotone::Monotone;

/// Share of the fit tolerance that a curve may lose when it is given the common parameters.
const SHARE_OF_FIT: f64 = 0.25;
/// Share of the curve's domain by which a derivative is taken.
const DIFFERENCE: f64 = 1e-6;
/// Places between two crossings at which the surface is held against its curves.
const CHECKED: usize = 4;

/// A network surface with what it reached.
#[derive(Debug, Clone, PartialEq)]
pub struct Network {
    /// The body.
    pub body: Body,
    /// Largest distance between two curves that should cross, in millimetres.
    pub largest_gap: f64,
    /// Largest distance of a curve from the surface that was measured, in millimetres.
    pub max_deviation: f64,
}

/// One curve of a family and where the other one crosses it.
struct Thread {
    curve: NurbsCurve,
    /// Its own parameters at its crossings with the other family, in that one's order.
    crossings: Vec<f64>,
}

/// The surface through two families of curves, each curve of one crossing every curve of the other within `reach` mm. Their
/// order and directions are found.
///
/// # Errors
/// `TooFewSections` for fewer than two curves in a family; `NetworkMisses` for two that do not cross, with their distance;
/// `NetworkOrder` where one crosses the others in another order than its neighbours do.
pub fn network(
    first: &[Vec<NurbsCurve>],
    second: &[Vec<NurbsCurve>],
    reach: f64,
    name: &str,
    tolerance: &Tolerance,
) -> Result<Network, SurfacingError> {
    for family in [first, second] {
        if family.len() < 2 {
            return Err(SurfacingError::TooFewSections { given: family.len(), needed: 2 });
        }
    }
    let unit = Domain { start: 0.0, end: 1.0 };
    let one = |pieces: &Vec<NurbsCurve>| Ok(as_one(pieces, tolerance)?.over(unit));
    let us = first.iter().map(one).collect::<Result<Vec<_>, SurfacingError>>()?;
    let vs = second.iter().map(one).collect::<Result<Vec<_>, SurfacingError>>()?;
    let mut largest_gap: f64 = 0.0;
    // For each pair the parameters at which they are nearest.
    let mut met = vec![vec![(0.0, 0.0); vs.len()]; us.len()];
    for (k, u) in us.iter().enumerate() {
        for (l, v) in vs.iter().enumerate() {
            let (s, t) = curves_approach(u, v);
            let distance = (u.point(s) - v.point(t)).norm();
            if distance > reach {
                let at = u.point(s).into();
                return Err(SurfacingError::NetworkMisses { first: k + 1, second: l + 1, distance, at });
            }
            largest_gap = largest_gap.max(distance);
            met[k][l] = (s, t);
        }
    }
    // Curves of either family stand in the order in which the other family's first one crosses them; the others are turned
    // to agree.
    let order = |along: &dyn Fn(usize) -> f64, count: usize| {
        let mut order: Vec<usize> = (0..count).collect();
        order.sort_by(|a, b| along(*a).total_cmp(&along(*b)));
        order
    };
    let rows = order(&|k| met[k][0].1, us.len());
    let columns = order(&|l| met[rows[0]][l].0, vs.len());
    let thread = |curve: &NurbsCurve, crossings: Vec<f64>, at: &dyn Fn(usize) -> SurfacingError| {
        let last = crossings.len() - 1;
        let turned = crossings[last] < crossings[0];
        let crossings: Vec<f64> = crossings.into_iter().map(|t| if turned { 1.0 - t } else { t }).collect();
        if let Some(i) = crossings.windows(2).position(|w| w[1] - w[0] <= 1e-6) {
            return Err(at(i + 1));
        }
        let curve = if turned { curve.reversed() } else { curve.clone() };
        Ok(Thread { curve, crossings })
    };
    let along_u = rows
        .iter()
        .map(|&k| {
            let crossings = columns.iter().map(|&l| met[k][l].0).collect();
            let wrong = |i: usize| SurfacingError::NetworkOrder {
                family: 1,
                curve: k + 1,
                at: us[k].point(met[k][columns[i]].0).into(),
            };
            thread(&us[k], crossings, &wrong)
        })
        .collect::<Result<Vec<_>, _>>()?;
    let along_v = columns
        .iter()
        .map(|&l| {
            let crossings = rows.iter().map(|&k| met[k][l].1).collect();
            let wrong = |i: usize| SurfacingError::NetworkOrder {
                family: 2,
                curve: l + 1,
                at: vs[l].point(met[rows[i]][l].1).into(),
            };
            thread(&vs[l], crossings, &wrong)
        })
        .collect::<Result<Vec<_>, _>>()?;
    let u_places = common(&along_u);
    let v_places = common(&along_v);
    let us = along_u.iter().map(|t| t.over(&u_places, tolerance)).collect::<Result<Vec<_>, _>>()?;
    let vs = along_v.iter().map(|t| t.over(&v_places, tolerance)).collect::<Result<Vec<_>, _>>()?;
    let surface = gordon(&us, &vs, &u_places, &v_places, tolerance)?;
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
    let body = assembled(numbered(vec![surface], name), false, tolerance)?;
    Ok(Network { body, largest_gap, max_deviation })
}

/// The parameters at which a family is crossed, the same for all of its curves: the mean of theirs.
fn common(family: &[Thread]) -> Vec<f64> {
    let count = family[0].crossings.len();
    let shares: Vec<Vec<f64>> = family.iter().map(Thread::shares).collect();
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

    /// The part of the curve between its outermost crossings, which comes to each crossing at its place.
    fn over(&self, places: &[f64], tolerance: &Tolerance) -> Result<NurbsCurve, SurfacingError> {
        let last = places.len() - 1;
        let even = |t: f64, place: f64| (t - place).abs() <= 1e-12;
        if !self.curve.is_rational() && self.crossings.iter().zip(places).all(|(t, p)| even(*t, *p)) {
            return Ok(self.curve.clone());
        }
        let law = Law::new(places, &self.crossings)?;
        let at = |u: f64| -> Result<(Point3, Vector3), SurfacingError> {
            let (from, to) = ((u - DIFFERENCE).max(0.0), (u + DIFFERENCE).min(1.0));
            let place = |u: f64| self.curve.point(law.at(u));
            Ok((place(u), (place(to) - place(from)) / (to - from)))
        };
        let mut breaks = places.to_vec();
        let inner = self.curve.knots().breaks();
        breaks.extend(
            inner
                .into_iter()
                .filter(|t| *t > self.crossings[0] && *t < self.crossings[last])
                .map(|t| geometry::bisect(0.0, 1.0, |u| law.at(u) < t)),
        );
        breaks.sort_by(f64::total_cmp);
        breaks.dedup_by(|b, a| (*b - *a).abs() < 1e-6);
        if let Some(end) = breaks.last_mut() {
            *end = 1.0;
        }
        let fitted = fit_function(at, &breaks, SHARE_OF_FIT * tolerance.fit)?;
        let ends = [self.crossings[0], self.crossings[last]].map(|t| self.curve.point(t));
        Ok(fitted.curve.with_ends(Some(ends[0]), Some(ends[1])))
    }
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
    tolerance: &Tolerance,
) -> Result<NurbsSurface, SurfacingError> {
    let few = |curves: &[NurbsCurve]| compatible_within(curves, SHARE_OF_FIT * tolerance.fit).map(|c| c.0);
    let along_u = skin_through(&few(us)?, v_places)?;
    let along_v = skin_through(&few(vs)?, u_places)?.transposed();
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
