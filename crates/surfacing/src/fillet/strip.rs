//! The surface made of all sections along a part of a track.

use geometry::{
    Domain, EndDerivatives, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, interpolate,
    spline_of,
};

use super::track::{Profile, Section, Track};
use crate::SurfacingError;

/// Distance in mm, and share of a size, within which a form is exact.
const EXACT: f64 = 1e-9;
/// Sections of a fitted strip for each span of its guide, and in all at most.
const FIRST: usize = 4;
const MOST: usize = 512;
/// The same at first where the size changes.
const UNEVEN: usize = 32;
/// Sections for each span at which an exact strip is looked at, also where the size changes: none of them where it was made.
const CHECKED: [usize; 2] = [7, 31];
/// Share of the fit tolerance that a strip may be off, so that its tangents follow too.
const FOLLOWS: f64 = 0.1;

/// The surface of sections, u along the track by the guide's parameter, v across from the first face to the second.
pub(super) struct Strip {
    pub(super) surface: NurbsSurface,
    /// Where it touches either face, by u.
    pub(super) pcurves: [NurbsCurve; 2],
    /// Largest distance from the true sections that was measured, in millimetres.
    pub(super) max_deviation: f64,
}

/// A strip over a part of a track.
///
/// # Errors
/// `FilletTooLarge` where there is no section, or sections fall behind those before them.
pub(super) fn strip(track: &Track<'_>, part: Domain, tolerance: &Tolerance) -> Result<Strip, SurfacingError> {
    let d = track.guide.domain();
    let guide = track.guide.part(d.clamp(part.start), d.clamp(part.end));
    if let Some(made) = exact(track, &guide)? {
        return Ok(made);
    }
    let spans = guide.knots().breaks().len() - 1;
    let mut count = (FIRST * spans).max(if track.even { 8 } else { UNEVEN });
    loop {
        let made = fitted(track, part, count)?;
        if made.max_deviation <= FOLLOWS * tolerance.fit || 2 * count > MOST {
            return if made.max_deviation <= tolerance.fit {
                Ok(made)
            } else {
                Err(SurfacingError::OffsetRough { deviation: made.max_deviation, at: guide.point(part.at(0.5)).into() })
            };
        }
        count *= 2;
    }
}

/// The section at a parameter, and that it lies ahead of another one.
fn section(track: &Track<'_>, t: f64) -> Result<Section, SurfacingError> {
    track.section(t).ok_or_else(|| track.too_large(t))
}

/// Whether sections follow each other in the direction of the guide.
fn in_order(track: &Track<'_>, sections: &[(f64, Section)]) -> Result<(), SurfacingError> {
    for pair in sections.windows(2) {
        let (t, a, b) = (pair[1].0, &pair[0].1, &pair[1].1);
        let along = track.guide.velocity(t);
        let ahead = |from: &Point3, to: &Point3| (to - from).dot(&along) > 0.0;
        let moves = (0..2).all(|k| ahead(&a.contacts[k].point, &b.contacts[k].point));
        if !moves {
            return Err(track.too_large(t));
        }
    }
    Ok(())
}

/// The strip in the form of its guide, with that one's knots and weights, where it has one.
fn exact(track: &Track<'_>, guide: &NurbsCurve) -> Result<Option<Strip>, SurfacingError> {
    let knots = guide.knots();
    let greville = knots.greville();
    let weights = guide.weights();
    let weight_at = |t: f64| {
        let span = knots.span(t);
        let basis = knots.basis(span, t);
        (0..=knots.degree()).map(|j| weights[span - knots.degree() + j] * basis[j]).sum::<f64>()
    };
    let at = greville.iter().map(|&t| Ok((t, section(track, t)?))).collect::<Result<Vec<_>, SurfacingError>>()?;
    in_order(track, &at)?;
    let spline = |value: &dyn Fn(&Section) -> Vector3| {
        let values: Vec<Vector3> = at.iter().map(|(t, s)| value(s) * weight_at(*t)).collect();
        spline_of(knots, &values)
    };
    let with = |values: Vec<Vector3>, own: &dyn Fn(usize) -> f64| -> Vec<Homogeneous> {
        values.iter().enumerate().map(|(i, p)| Homogeneous::new(p.x, p.y, p.z, own(i))).collect()
    };
    let border = |k: usize| Ok::<_, SurfacingError>(with(spline(&|s| s.contacts[k].point.coords)?, &|i| weights[i]));
    let mut rows = vec![border(0)?];
    if track.profile == Profile::Arc {
        let own = spline(&|s| Vector3::x() * s.weight)?;
        rows.push(with(spline(&|s| s.apex.coords * s.weight)?, &|i| own[i].x));
    }
    rows.push(border(1)?);
    let Ok(surface) = surface_of(knots, &rows) else { return Ok(None) };
    let mut worst: f64 = 0.0;
    let mut scale: f64 = 1.0;
    for t in knots.sampled(CHECKED[usize::from(!track.even)]) {
        let s = section(track, t)?;
        scale = scale.max(s.centre.coords.norm());
        for share in [0.0, 0.5, 1.0] {
            worst = worst.max((surface.point(t, share) - s.point(share, track.profile)).norm());
        }
    }
    if worst > EXACT * scale {
        return Ok(None);
    }
    let mut pcurves = Vec::with_capacity(2);
    for k in 0..2 {
        let along = |t: f64| section(track, t).map(|s| s.contacts[k].at);
        let ground = track.grounds[k];
        let border = surface.curve_at_v(k as f64);
        pcurves.push(followed(&border, &along, &|p| ground.point(p), EXACT * scale)?);
    }
    let [first, second] = pcurves.try_into().map_err(|_| SurfacingError::Empty)?;
    Ok(Some(Strip { surface, pcurves: [first, second], max_deviation: worst }))
}

/// A curve's image in a parameter plane, by its own parameter: in its own form where that is exact, else fitted.
pub(super) fn followed(
    curve: &NurbsCurve,
    at: &dyn Fn(f64) -> Result<[f64; 2], SurfacingError>,
    point: &dyn Fn([f64; 2]) -> Point3,
    tolerance: f64,
) -> Result<NurbsCurve, SurfacingError> {
    let knots = curve.knots();
    let weights = curve.weights();
    let off = |made: &NurbsCurve, t: f64| {
        let p = made.point(t);
        (point([p.x, p.y]) - curve.point(t)).norm()
    };
    let own = |t: f64| -> Result<Vector3, SurfacingError> {
        let span = knots.span(t);
        let basis = knots.basis(span, t);
        let weight: f64 = (0..=knots.degree()).map(|j| weights[span - knots.degree() + j] * basis[j]).sum();
        let [u, v] = at(t)?;
        Ok(Vector3::new(u * weight, v * weight, 0.0))
    };
    let values = knots.greville().into_iter().map(own).collect::<Result<Vec<_>, _>>()?;
    let points = spline_of(knots, &values)?;
    let points = points.iter().zip(&weights).map(|(p, w)| Homogeneous::new(p.x, p.y, 0.0, *w)).collect();
    if let Ok(made) = NurbsCurve::from_homogeneous(knots.clone(), points)
        && knots.sampled(4).into_iter().all(|t| off(&made, t) <= tolerance)
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

fn fitted(track: &Track<'_>, part: Domain, count: usize) -> Result<Strip, SurfacingError> {
    let parameters: Vec<f64> = (0..=count).map(|k| part.at(k as f64 / count as f64)).collect();
    let at = parameters.iter().map(|&t| Ok((t, section(track, t)?))).collect::<Result<Vec<_>, SurfacingError>>()?;
    in_order(track, &at)?;
    let curve = |value: &dyn Fn(&Section) -> Vector3| {
        let points: Vec<Point3> = at.iter().map(|(_, s)| Point3::from(value(s))).collect();
        interpolate(&points, &parameters, 3, &EndDerivatives::free())
    };
    let flat = |k: usize| {
        curve(&|s| {
            let [u, v] = s.contacts[k].at;
            Vector3::new(u, v, 0.0)
        })
    };
    let border = |k: usize| curve(&|s| s.contacts[k].point.coords);
    let mut rows = vec![border(0)?.homogeneous().to_vec()];
    if track.profile == Profile::Arc {
        let weights = curve(&|s| Vector3::x() * s.weight)?;
        let apex = curve(&|s| s.apex.coords * s.weight)?;
        let pairs = apex.homogeneous().iter().zip(weights.homogeneous());
        rows.push(pairs.map(|(p, w)| Homogeneous::new(p.x, p.y, p.z, w.x)).collect());
    }
    let last = border(1)?;
    rows.push(last.homogeneous().to_vec());
    let surface = surface_of(last.knots(), &rows)?;
    let pcurves = [flat(0)?, flat(1)?];
    let mut worst: f64 = 0.0;
    for pair in parameters.windows(2) {
        let t = 0.5 * (pair[0] + pair[1]);
        let s = section(track, t)?;
        worst = worst.max((surface.point(t, 0.5) - s.point(0.5, track.profile)).norm());
        for k in 0..2 {
            let border = surface.point(t, k as f64);
            let p = pcurves[k].point(t);
            worst = worst.max((border - s.contacts[k].point).norm());
            worst = worst.max((track.grounds[k].point([p.x, p.y]) - border).norm());
        }
    }
    Ok(Strip { surface, pcurves, max_deviation: worst })
}

/// The surface with rows of control points, each along u.
fn surface_of(knots: &KnotVector, rows: &[Vec<Homogeneous>]) -> Result<NurbsSurface, SurfacingError> {
    let points = (0..knots.point_count()).flat_map(|i| rows.iter().map(move |row| row[i])).collect();
    Ok(NurbsSurface::from_homogeneous(knots.clone(), KnotVector::bezier(rows.len() - 1), points)?)
}
