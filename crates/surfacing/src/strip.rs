//! Surfaces made of cross sections along a guide: rows of control points, each by the guide's parameter.

use geometry::{
    Domain, EndDerivatives, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3,
    interpolate, spline_of,
};

use crate::SurfacingError;

/// Distance in mm, and share of a size, within which a form is exact.
const EXACT: f64 = 1e-9;
/// Sections of a fitted strip at first: at least, where they change unevenly, and at most; later at most.
const LEAST: usize = 8;
const UNEVEN: usize = 32;
const FIRST_MOST: usize = 64;
const MOST: usize = 512;
/// Rounds of refinement, and the share of what is wanted from which an interval is halved.
const ROUNDS: usize = 12;
const REFINED_FROM: f64 = 0.25;
/// Control points of a guide up to which its own form is tried; more were fitted to something themselves.
const SIMPLE: usize = 64;
/// Places of each span of a curve at which its image is fitted at first, and the share of the fit tolerance within which it
/// follows.
const PLACES: usize = 4;
const IMAGE: f64 = 0.02;
/// Sections for each span at which an exact strip is looked at, also where sections change unevenly: none of them where it
/// was made.
const CHECKED: [usize; 2] = [7, 31];
/// Shares of a section at which a strip is compared with it: a section of a higher degree is told by more of them.
const ACROSS: [f64; 5] = [0.0, 0.25, 0.5, 0.75, 1.0];
/// Shares of the fit tolerance that a strip may be off, so that its tangents follow too, or its curvatures.
pub(crate) const WITH_TANGENTS: f64 = 0.1;
pub(crate) const WITH_CURVATURES: f64 = 0.01;

/// A cross section, a rational Bézier curve, with the places of its ends in surfaces that it lies on.
#[derive(Debug, Clone)]
pub(crate) struct Cross {
    /// Control points with their weights, those of the ends 1.
    pub(crate) poles: Vec<(Point3, f64)>,
    /// Parameters of the first and of the last one, for each of the surfaces.
    pub(crate) feet: Vec<[f64; 2]>,
}

impl Cross {
    /// The place at a parameter from 0 to 1 (The NURBS Book, equation 1.14).
    pub(crate) fn point(&self, s: f64) -> Point3 {
        let n = self.poles.len() - 1;
        let choose = |k: usize| (0..k).fold(1.0, |c, i| c * (n - i) as f64 / (i + 1) as f64);
        let (mut sum, mut weights) = (Vector3::zeros(), 0.0);
        for (k, (p, w)) in self.poles.iter().enumerate() {
            let b = choose(k) * s.powi(k as i32) * (1.0 - s).powi((n - k) as i32) * w;
            sum += p.coords * b;
            weights += b;
        }
        Point3::from(sum / weights)
    }
}

/// What a strip is made along.
pub(crate) struct Along<'a> {
    /// The guide, over just the part that the strip takes.
    pub(crate) guide: &'a NurbsCurve,
    /// The cross section at a parameter of the guide.
    pub(crate) cross: &'a dyn Fn(f64) -> Result<Cross, SurfacingError>,
    /// The surfaces that its ends lie on, each by its number.
    pub(crate) ground: &'a dyn Fn(usize, [f64; 2]) -> Point3,
    /// Whether sections are alike all along, so that few of them tell all.
    pub(crate) even: bool,
    /// The share of the fit tolerance up to which it is made to follow its sections.
    pub(crate) follows: f64,
    /// The parts of the guide along which the borders are used, on which no section may fall behind; none for a border that is
    /// one point.
    pub(crate) borders: [Option<Domain>; 2],
    /// What to say where sections fall behind those before them.
    pub(crate) folds: &'a dyn Fn(f64) -> SurfacingError,
}

/// The surface of sections, u along the guide by its parameter, v across from 0 to 1.
pub(crate) struct Strip {
    pub(crate) surface: NurbsSurface,
    /// Its borders in the surfaces that they lie on, by u.
    pub(crate) pcurves: Vec<NurbsCurve>,
    /// Largest distance from the true sections that was measured, in millimetres.
    pub(crate) max_deviation: f64,
}

impl Along<'_> {
    /// The strip: in the form of its guide, with that one's knots and weights, where that is exact; else fitted.
    ///
    /// # Errors
    /// Those of the sections; what it says where they fold; `OffsetRough` where no fit is near enough.
    pub(crate) fn strip(&self, tolerance: &Tolerance) -> Result<Strip, SurfacingError> {
        if self.guide.knots().point_count() <= SIMPLE
            && let Some(made) = self.exact(tolerance)?
        {
            return Ok(made);
        }
        let spans = self.guide.knots().breaks().len() - 1;
        let count = spans.clamp(if self.even { LEAST } else { UNEVEN }, FIRST_MOST);
        let part = self.guide.domain();
        let mut parameters: Vec<f64> = (0..=count).map(|k| part.at(k as f64 / count as f64)).collect();
        let wanted = self.follows * tolerance.fit;
        let mut best: Option<Strip> = None;
        for _ in 0..ROUNDS {
            let (made, misses) = self.fitted(&parameters)?;
            let reached = made.max_deviation;
            if best.as_ref().is_none_or(|b| reached < b.max_deviation) {
                best = Some(made);
            }
            if reached <= wanted || parameters.len() > MOST {
                break;
            }
            let halves = parameters.windows(2).zip(&misses).flat_map(|(pair, miss)| {
                [(*miss > REFINED_FROM * wanted).then_some(0.5 * (pair[0] + pair[1])), Some(pair[1])]
            });
            parameters = std::iter::once(parameters[0]).chain(halves.flatten()).collect();
        }
        let best = best.ok_or(SurfacingError::Empty)?;
        if best.max_deviation <= tolerance.fit {
            return Ok(best);
        }
        let at = self.guide.point(part.at(0.5)).into();
        Err(SurfacingError::OffsetRough { deviation: best.max_deviation, at })
    }

    /// The sections at parameters, each of them ahead of the one before.
    fn sections(&self, parameters: &[f64]) -> Result<Vec<(f64, Cross)>, SurfacingError> {
        let made = parameters
            .iter()
            .map(|&t| Ok((t, (self.cross)(t)?)))
            .collect::<Result<Vec<_>, SurfacingError>>()?;
        for pair in made.windows(2) {
            let (t, a, b) = (pair[1].0, &pair[0].1, &pair[1].1);
            let along = self.guide.velocity(t);
            let ends = [0, a.poles.len() - 1];
            let behind = |k: usize| (b.poles[k].0 - a.poles[k].0).dot(&along) <= 0.0;
            let used =
                |side: usize| self.borders[side].is_some_and(|d| d.start < pair[1].0 && pair[0].0 < d.end);
            if (0..2).any(|side| used(side) && behind(ends[side])) {
                return Err((self.folds)(t));
            }
        }
        Ok(made)
    }

    fn exact(&self, tolerance: &Tolerance) -> Result<Option<Strip>, SurfacingError> {
        let knots = self.guide.knots();
        let at = self.sections(&knots.greville())?;
        let spline = |value: &dyn Fn(&Cross) -> Vector3| {
            let values: Vec<Vector3> = at.iter().map(|(t, s)| value(s) * self.guide.weight(*t)).collect();
            spline_of(knots, &values)
        };
        let mut rows = Vec::new();
        for k in 0..at[0].1.poles.len() {
            let points = spline(&|s| s.poles[k].0.coords * s.poles[k].1)?;
            let own = spline(&|s| Vector3::x() * s.poles[k].1)?;
            rows.push(points.iter().zip(own).map(|(p, w)| Homogeneous::new(p.x, p.y, p.z, w.x)).collect());
        }
        let Ok(surface) = surface_of(knots, &rows) else { return Ok(None) };
        let (mut worst, mut scale) = (0.0_f64, 1.0_f64);
        for t in knots.sampled(CHECKED[usize::from(!self.even)]) {
            let s = (self.cross)(t)?;
            scale = scale.max(s.poles[0].0.coords.norm());
            for share in ACROSS {
                worst = worst.max((surface.point(t, share) - s.point(share)).norm());
            }
        }
        if worst > EXACT * scale {
            return Ok(None);
        }
        let mut pcurves = Vec::with_capacity(2);
        for k in 0..at[0].1.feet.len() {
            let along = |t: f64| (self.cross)(t).map(|s| s.feet[k]);
            let border = surface.curve_at_v(k as f64);
            pcurves.push(followed(
                &border,
                &along,
                &|p| (self.ground)(k, p),
                images_follow(&border.start(), tolerance),
            )?);
        }
        Ok(Some(Strip { surface, pcurves, max_deviation: worst }))
    }

    /// The strip through the sections at parameters, and by how much it misses those between them.
    fn fitted(&self, parameters: &[f64]) -> Result<(Strip, Vec<f64>), SurfacingError> {
        let at = self.sections(parameters)?;
        let curve = |value: &dyn Fn(&Cross) -> Vector3| {
            let points: Vec<Point3> = at.iter().map(|(_, s)| Point3::from(value(s))).collect();
            interpolate(&points, parameters, 3, &EndDerivatives::free())
        };
        let mut rows: Vec<Vec<Homogeneous>> = Vec::new();
        let mut knots = None;
        for k in 0..at[0].1.poles.len() {
            let points = curve(&|s| s.poles[k].0.coords * s.poles[k].1)?;
            let weights = curve(&|s| Vector3::x() * s.poles[k].1)?;
            let pairs = points.homogeneous().iter().zip(weights.homogeneous());
            rows.push(pairs.map(|(p, w)| Homogeneous::new(p.x, p.y, p.z, w.x)).collect());
            knots = Some(points.knots().clone());
        }
        let surface = surface_of(&knots.ok_or(SurfacingError::Empty)?, &rows)?;
        let mut pcurves = Vec::with_capacity(2);
        for k in 0..at[0].1.feet.len() {
            pcurves.push(curve(&|s| Vector3::new(s.feet[k][0], s.feet[k][1], 0.0))?);
        }
        let mut misses = Vec::with_capacity(parameters.len());
        for pair in parameters.windows(2) {
            let t = 0.5 * (pair[0] + pair[1]);
            let s = (self.cross)(t)?;
            let off = ACROSS.map(|share| (surface.point(t, share) - s.point(share)).norm());
            let images = pcurves.iter().enumerate().map(|(k, pcurve)| {
                let p = pcurve.point(t);
                ((self.ground)(k, [p.x, p.y]) - surface.point(t, k as f64)).norm()
            });
            misses.push(images.chain(off).fold(0.0, f64::max));
        }
        let max_deviation = misses.iter().copied().fold(0.0, f64::max);
        Ok((Strip { surface, pcurves, max_deviation }, misses))
    }
}

/// How near the image of a curve has to follow it: where it can be exact, and else, in millimetres.
pub(crate) fn images_follow(at: &Point3, tolerance: &Tolerance) -> [f64; 2] {
    [EXACT * (1.0 + at.coords.norm()), IMAGE * tolerance.fit]
}

/// A curve's image in a parameter plane, by its own parameter: in its own form where that is exact, else fitted so that it is
/// near, both in millimetres.
pub(crate) fn followed(
    curve: &NurbsCurve,
    at: &dyn Fn(f64) -> Result<[f64; 2], SurfacingError>,
    point: &dyn Fn([f64; 2]) -> Point3,
    [exact, near]: [f64; 2],
) -> Result<NurbsCurve, SurfacingError> {
    let knots = curve.knots();
    let off = |made: &NurbsCurve, t: f64| {
        let p = made.point(t);
        (point([p.x, p.y]) - curve.point(t)).norm()
    };
    let own = |t: f64| -> Result<Vector3, SurfacingError> {
        let [u, v] = at(t)?;
        Ok(Vector3::new(u, v, 0.0) * curve.weight(t))
    };
    let values = knots.greville().into_iter().map(own).collect::<Result<Vec<_>, _>>()?;
    let points = spline_of(knots, &values)?;
    let points =
        points.iter().zip(curve.weights()).map(|(p, w)| Homogeneous::new(p.x, p.y, 0.0, w)).collect();
    if let Ok(made) = NurbsCurve::from_homogeneous(knots.clone(), points)
        && knots.sampled(CHECKED[0]).into_iter().all(|t| off(&made, t) <= exact)
    {
        return Ok(made);
    }
    let mut per_span = PLACES;
    loop {
        let parameters = knots.sampled(per_span);
        let places = parameters.iter().map(|&t| at(t).map(|[u, v]| Point3::new(u, v, 0.0)));
        let places = places.collect::<Result<Vec<_>, _>>()?;
        let made = interpolate(&places, &parameters, 3.min(places.len() - 1), &EndDerivatives::free())?;
        let worst = parameters.windows(2).map(|w| off(&made, 0.5 * (w[0] + w[1]))).fold(0.0, f64::max);
        if worst <= near || parameters.len() > MOST {
            return Ok(made);
        }
        per_span *= 2;
    }
}

/// The surface with rows of control points, each along u.
fn surface_of(knots: &KnotVector, rows: &[Vec<Homogeneous>]) -> Result<NurbsSurface, SurfacingError> {
    let points = (0..knots.point_count()).flat_map(|i| rows.iter().map(move |row| row[i])).collect();
    Ok(NurbsSurface::from_homogeneous(knots.clone(), KnotVector::bezier(rows.len() - 1), points)?)
}
