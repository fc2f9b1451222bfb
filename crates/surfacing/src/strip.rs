//! Surfaces made of cross sections along a guide: rows of control points, each by the guide's parameter.

use geometry::{
    EndDerivatives, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, interpolate, spline_of,
};

use crate::SurfacingError;

/// Distance in mm, and share of a size, within which a form is exact.
const EXACT: f64 = 1e-9;
/// Sections of a fitted strip for each span of its guide, at least, where the sections change unevenly, and at most.
const FIRST: usize = 4;
const LEAST: usize = 8;
const UNEVEN: usize = 32;
const MOST: usize = 512;
/// Sections for each span at which an exact strip is looked at, also where sections change unevenly: none of them where it
/// was made.
const CHECKED: [usize; 2] = [7, 31];
/// Share of the fit tolerance that a strip may be off, so that its tangents follow too.
const FOLLOWS: f64 = 0.1;

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
        if let Some(made) = self.exact()? {
            return Ok(made);
        }
        let spans = self.guide.knots().breaks().len() - 1;
        let mut count = (FIRST * spans).max(if self.even { LEAST } else { UNEVEN });
        loop {
            let made = self.fitted(count)?;
            if made.max_deviation <= FOLLOWS * tolerance.fit || 2 * count > MOST {
                let at = self.guide.point(self.guide.domain().at(0.5)).into();
                let rough = SurfacingError::OffsetRough { deviation: made.max_deviation, at };
                return if made.max_deviation <= tolerance.fit { Ok(made) } else { Err(rough) };
            }
            count *= 2;
        }
    }

    /// The sections at parameters, each of them ahead of the one before.
    fn sections(&self, parameters: &[f64]) -> Result<Vec<(f64, Cross)>, SurfacingError> {
        let made = parameters.iter().map(|&t| Ok((t, (self.cross)(t)?))).collect::<Result<Vec<_>, SurfacingError>>()?;
        for pair in made.windows(2) {
            let (t, a, b) = (pair[1].0, &pair[0].1, &pair[1].1);
            let along = self.guide.velocity(t);
            let ends = [0, a.poles.len() - 1];
            if ends.iter().any(|&k| (b.poles[k].0 - a.poles[k].0).dot(&along) <= 0.0) {
                return Err((self.folds)(t));
            }
        }
        Ok(made)
    }

    fn exact(&self) -> Result<Option<Strip>, SurfacingError> {
        let knots = self.guide.knots();
        let at = self.sections(&knots.greville())?;
        let spline = |value: &dyn Fn(&Cross) -> Vector3| {
            let values: Vec<Vector3> = at.iter().map(|(t, s)| value(s) * weight_at(self.guide, *t)).collect();
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
            for share in [0.0, 0.5, 1.0] {
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
            pcurves.push(followed(&border, &along, &|p| (self.ground)(k, p), EXACT * scale)?);
        }
        Ok(Some(Strip { surface, pcurves, max_deviation: worst }))
    }

    fn fitted(&self, count: usize) -> Result<Strip, SurfacingError> {
        let part = self.guide.domain();
        let parameters: Vec<f64> = (0..=count).map(|k| part.at(k as f64 / count as f64)).collect();
        let at = self.sections(&parameters)?;
        let curve = |value: &dyn Fn(&Cross) -> Vector3| {
            let points: Vec<Point3> = at.iter().map(|(_, s)| Point3::from(value(s))).collect();
            interpolate(&points, &parameters, 3, &EndDerivatives::free())
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
        let mut worst: f64 = 0.0;
        for pair in parameters.windows(2) {
            let t = 0.5 * (pair[0] + pair[1]);
            let s = (self.cross)(t)?;
            for share in [0.0, 0.5, 1.0] {
                worst = worst.max((surface.point(t, share) - s.point(share)).norm());
            }
            for (k, pcurve) in pcurves.iter().enumerate() {
                let p = pcurve.point(t);
                worst = worst.max(((self.ground)(k, [p.x, p.y]) - surface.point(t, k as f64)).norm());
            }
        }
        Ok(Strip { surface, pcurves, max_deviation: worst })
    }
}

fn weight_at(curve: &NurbsCurve, t: f64) -> f64 {
    let knots = curve.knots();
    let (span, weights) = (knots.span(t), curve.homogeneous());
    let basis = knots.basis(span, t);
    (0..=knots.degree()).map(|j| weights[span - knots.degree() + j].w * basis[j]).sum()
}

/// A curve's image in a parameter plane, by its own parameter: in its own form where that is exact, else fitted.
pub(crate) fn followed(
    curve: &NurbsCurve,
    at: &dyn Fn(f64) -> Result<[f64; 2], SurfacingError>,
    point: &dyn Fn([f64; 2]) -> Point3,
    tolerance: f64,
) -> Result<NurbsCurve, SurfacingError> {
    let knots = curve.knots();
    let off = |made: &NurbsCurve, t: f64| {
        let p = made.point(t);
        (point([p.x, p.y]) - curve.point(t)).norm()
    };
    let own = |t: f64| -> Result<Vector3, SurfacingError> {
        let [u, v] = at(t)?;
        Ok(Vector3::new(u, v, 0.0) * weight_at(curve, t))
    };
    let values = knots.greville().into_iter().map(own).collect::<Result<Vec<_>, _>>()?;
    let points = spline_of(knots, &values)?;
    let points = points.iter().zip(curve.weights()).map(|(p, w)| Homogeneous::new(p.x, p.y, 0.0, w)).collect();
    if let Ok(made) = NurbsCurve::from_homogeneous(knots.clone(), points)
        && knots.sampled(CHECKED[0]).into_iter().all(|t| off(&made, t) <= tolerance)
    {
        return Ok(made);
    }
    let mut per_span = FIRST;
    loop {
        let parameters = knots.sampled(per_span);
        let places = parameters.iter().map(|&t| at(t).map(|[u, v]| Point3::new(u, v, 0.0)));
        let places = places.collect::<Result<Vec<_>, _>>()?;
        let made = interpolate(&places, &parameters, 3.min(places.len() - 1), &EndDerivatives::free())?;
        let worst = parameters.windows(2).map(|w| off(&made, 0.5 * (w[0] + w[1]))).fold(0.0, f64::max);
        if worst <= tolerance.max(1e-6) || parameters.len() > MOST {
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
