//! Sections carried by a motion: their control points run along columns, which are interpolated and refined until they
//! follow the true motion within the fit tolerance.

use geometry::{
    Domain, EndDerivatives, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3,
    interpolate, interpolate_ring, spline_of,
};
use nalgebra::Matrix4;

use crate::SurfacingError;
use crate::monotone::Blend;

/// Halvings near a joint of the path at which its speed jumps: there the miss only falls as fast as the samples come nearer.
const MAX_ROUNDS: usize = 12;
/// Places per span of a section at which it is watched for running backwards.
const PROBES_PER_SPAN: usize = 4;
const MOST_SAMPLES: usize = 4000;
/// Share of the tolerance from which an interval is refined while any misses it.
const REFINED_FROM: f64 = 0.5;
/// Places per span of a path at which is looked whether a surface with its knots is the true one, and share of the resolution
/// within which it is.
const BETWEEN: usize = 5;
const EXACT: f64 = 1e-3;

/// What carries sections from the start of a parameter domain to its end.
pub(crate) trait Motion {
    /// Parameters at which columns are sampled first, the domain's ends among them.
    fn samples(&self) -> Vec<f64>;

    /// Whether the end of the motion is its start again.
    fn is_closed(&self) -> bool;

    /// The affine map that brings a section from its own coordinates into space.
    fn place(&self, t: f64) -> Result<Matrix4<f64>, SurfacingError>;

    /// The curve along which it goes, by the same parameter, if there is one.
    fn path(&self) -> Option<NurbsCurve> {
        None
    }

    /// The direction against which nothing may move, and the radius with which the motion bends there; none where sections
    /// may move as they like.
    fn ahead(&self, t: f64) -> Result<Option<(Vector3, f64)>, SurfacingError>;
}

/// One face's sections in the coordinates of the motion, all compatible, each with its parameter.
pub(crate) struct Local {
    places: Vec<f64>,
    model: NurbsCurve,
    /// For each control point its coordinates by the motion's parameter, smooth from section to section with neither
    /// overshoot nor a jump; the points themselves where there is only one section.
    points: Points,
    /// Places along the section as shares of its control points, which all affine maps keep.
    probes: Vec<Vec<(usize, f64)>>,
}

enum Points {
    Fixed(Vec<Point3>),
    Moving { blend: Blend, rows: Vec<Vec<Point3>> },
}

impl Local {
    /// One face by itself.
    pub fn new(rows: Vec<(f64, NurbsCurve)>) -> Result<Self, SurfacingError> {
        Self::of_faces(vec![rows], [false; 2])?.pop().ok_or(SurfacingError::Empty)
    }

    /// Faces side by side, which all go from section to section alike, so that they stay together; at ends that are to be
    /// level they keep the shape of the section there.
    pub fn of_faces(
        faces: Vec<Vec<(f64, NurbsCurve)>>,
        level: [bool; 2],
    ) -> Result<Vec<Self>, SurfacingError> {
        let places: Vec<f64> = faces.first().ok_or(SurfacingError::Empty)?.iter().map(|r| r.0).collect();
        let row = |i: usize| faces.iter().flat_map(|rows| rows[i].1.control_points()).collect();
        let rows: Vec<Vec<Point3>> = (0..places.len()).map(row).collect();
        let blend = Blend::new(places.clone(), &rows, level);
        faces.into_iter().map(|rows| Self::blended(rows, &blend)).collect()
    }

    fn blended(rows: Vec<(f64, NurbsCurve)>, blend: &Blend) -> Result<Self, SurfacingError> {
        let (places, curves): (Vec<f64>, Vec<NurbsCurve>) = rows.into_iter().unzip();
        let model = curves.first().ok_or(SurfacingError::Empty)?.clone();
        let nets: Vec<Vec<Point3>> = curves.iter().map(NurbsCurve::control_points).collect();
        let points = if let [only] = &nets[..] {
            Points::Fixed(only.clone())
        } else {
            Points::Moving { blend: blend.clone(), rows: nets }
        };
        let (knots, weights) = (model.knots(), model.weights());
        let probe = |u: f64| {
            let first = knots.span(u) - knots.degree();
            let basis = knots.basis(first + knots.degree(), u);
            let shares: Vec<(usize, f64)> =
                (0..=knots.degree()).map(|k| (first + k, basis[k] * weights[first + k])).collect();
            let sum: f64 = shares.iter().map(|s| s.1).sum();
            shares.into_iter().map(|(i, s)| (i, s / sum)).collect()
        };
        let probes = knots.sampled(PROBES_PER_SPAN).into_iter().map(probe).collect();
        Ok(Self { places, model, points, probes })
    }

    /// Places along the section whose control points are given.
    fn probed<'a>(&'a self, points: &'a [Point3]) -> impl Iterator<Item = Point3> + 'a {
        self.probes
            .iter()
            .map(|shares| Point3::from(shares.iter().map(|&(i, s)| points[i].coords * s).sum::<Vector3>()))
    }

    /// The section's control points in the motion's coordinates at `t`.
    pub fn local_points(&self, t: f64) -> Vec<Point3> {
        match &self.points {
            Points::Fixed(points) => points.clone(),
            Points::Moving { blend, rows } => {
                let shares = blend.shares(t);
                let at = |c: usize| shares.iter().map(|&(i, s)| rows[i][c].coords * s).sum::<Vector3>();
                (0..rows[0].len()).map(|c| Point3::from(at(c))).collect()
            }
        }
    }

    /// Control points in space where the motion has come to `t`.
    pub fn carried(&self, motion: &impl Motion, t: f64) -> Result<Vec<Point3>, SurfacingError> {
        let map = motion.place(t)?;
        Ok(self.local_points(t).iter().map(|p| map.transform_point(p)).collect())
    }

    /// The section as it stands where the motion has come to `t`.
    pub fn section(&self, motion: &impl Motion, t: f64) -> Result<NurbsCurve, SurfacingError> {
        self.of_points(&self.carried(motion, t)?)
    }

    /// A curve with this section's structure.
    pub fn of_points(&self, points: &[Point3]) -> Result<NurbsCurve, SurfacingError> {
        let weights = self.model.weights();
        Ok(NurbsCurve::try_new(self.model.knots().clone(), points, Some(&weights))?)
    }
}

/// The surface that one face's sections sweep out, u along them, and the largest distance from the true motion that was
/// measured, in millimetres.
///
/// # Errors
/// `TooTight` where a section would run backwards, `NotBack` where a closed motion does not bring it back.
pub(crate) fn carried_surface(
    motion: &impl Motion,
    local: &Local,
    tolerance: &Tolerance,
) -> Result<(NurbsSurface, f64), SurfacingError> {
    let mut parameters = motion.samples();
    let whole = Domain { start: parameters[0], end: parameters[parameters.len() - 1] };
    parameters.extend(local.places.iter().filter(|t| **t > whole.start && **t < whole.end));
    parameters.sort_by(f64::total_cmp);
    parameters.dedup_by(|b, a| (*b - *a) <= 1e-9 * whole.length());
    if let Some(last) = parameters.last_mut() {
        *last = whole.end;
    }
    if motion.is_closed() {
        check_back(motion, local, whole, tolerance)?;
    }
    if let Some(exact) = along_path(motion, local, tolerance)? {
        return Ok(exact);
    }
    let slopes = end_slopes(motion, local, whole)?;
    let mut rows = parameters.iter().map(|&t| local.carried(motion, t)).collect::<Result<Vec<_>, _>>()?;
    let mut best: Option<(Vec<NurbsCurve>, f64)> = None;
    for _ in 0..MAX_ROUNDS {
        if best.is_none() {
            check_forward(motion, local, &parameters, &rows, tolerance)?;
        }
        let columns = (0..rows[0].len())
            .map(|c| {
                let points = rows.iter().map(|r| r[c]).collect();
                column(motion, points, &parameters, slopes[c])
            })
            .collect::<Result<Vec<_>, SurfacingError>>()?;
        let mut worst: f64 = 0.0;
        let (mut finer, mut finer_rows) = (vec![parameters[0]], vec![rows[0].clone()]);
        for (pair, ends) in parameters.windows(2).zip(rows.windows(2)) {
            // The error of a spline through points is largest near the middle between two of them.
            let middle = 0.5 * (pair[0] + pair[1]);
            let mut miss: f64 = 0.0;
            let mut at_middle = None;
            for t in [middle, pair[0] + (pair[1] - pair[0]) * 0.25] {
                let truth = local.carried(motion, t)?;
                miss = columns.iter().zip(&truth).map(|(c, p)| (c.point(t) - p).norm()).fold(miss, f64::max);
                at_middle.get_or_insert(truth);
            }
            worst = worst.max(miss);
            if miss > REFINED_FROM * tolerance.fit {
                finer.push(middle);
                finer_rows.extend(at_middle);
            }
            finer.push(pair[1]);
            finer_rows.push(ends[1].clone());
        }
        if best.as_ref().is_none_or(|b| worst < b.1) {
            best = Some((columns, worst));
        }
        if worst <= tolerance.fit || finer.len() > MOST_SAMPLES {
            break;
        }
        (parameters, rows) = (finer, finer_rows);
    }
    let (columns, deviation) = best.ok_or(SurfacingError::Empty)?;
    let knots: KnotVector = columns[0].knots().over(Domain { start: 0.0, end: 1.0 });
    // Weights do not change along the way, so that they only multiply.
    let net = columns.iter().zip(local.model.weights()).flat_map(|(column, w)| {
        column.control_points().into_iter().map(move |p| Homogeneous::new(p.x * w, p.y * w, p.z * w, w))
    });
    let surface = NurbsSurface::from_homogeneous(local.model.knots().clone(), knots, net.collect())?;
    Ok((surface, deviation))
}

/// The surface with the path's own knots and weights, if it is the true one: where the section keeps its shape and goes straight
/// on, turns about an axis with an arc of the path, or keeps its direction.
fn along_path(
    motion: &impl Motion,
    local: &Local,
    tolerance: &Tolerance,
) -> Result<Option<(NurbsSurface, f64)>, SurfacingError> {
    let (Points::Fixed(section), Some(path)) = (&local.points, motion.path()) else { return Ok(None) };
    let knots = path.knots();
    let places = knots.greville();
    let weights: Vec<f64> = places.iter().map(|&t| path.weight(t)).collect();
    let rows = places.iter().map(|&t| local.carried(motion, t)).collect::<Result<Vec<_>, _>>()?;
    let columns = (0..section.len())
        .map(|c| {
            let values: Vec<Vector3> = rows.iter().zip(&weights).map(|(row, w)| row[c].coords * *w).collect();
            let net = spline_of(knots, &values)?.into_iter().zip(path.weights());
            NurbsCurve::from_homogeneous(knots.clone(), net.map(|(p, w)| p.push(w)).collect())
        })
        .collect::<Result<Vec<_>, _>>()?;
    let mut worst: f64 = 0.0;
    for t in knots.sampled(BETWEEN) {
        for (column, truth) in columns.iter().zip(local.carried(motion, t)?) {
            worst = worst.max((column.point(t) - truth).norm());
        }
        if worst > EXACT * tolerance.resolution {
            return Ok(None);
        }
    }
    check_forward(motion, local, &places, &rows, tolerance)?;
    let unit = knots.over(Domain { start: 0.0, end: 1.0 });
    let net = columns
        .iter()
        .zip(local.model.weights())
        .flat_map(|(column, w)| column.homogeneous().iter().map(move |h| h * w));
    let surface = NurbsSurface::from_homogeneous(local.model.knots().clone(), unit, net.collect())?;
    Ok(Some((surface, worst)))
}

/// Refuses a section that a closed motion does not bring back to where it began.
fn check_back(
    motion: &impl Motion,
    local: &Local,
    whole: Domain,
    tolerance: &Tolerance,
) -> Result<(), SurfacingError> {
    let (begun, ended) = (local.carried(motion, whole.start)?, local.carried(motion, whole.end)?);
    let off = begun.iter().zip(&ended).map(|(a, b)| ((b - a).norm(), a)).max_by(|a, b| a.0.total_cmp(&b.0));
    match off {
        Some((distance, at)) if distance > tolerance.join => {
            Err(SurfacingError::NotBack { distance, at: (*at).into() })
        }
        _ => Ok(()),
    }
}

/// How each control point leaves the start of the motion and meets its end, by the motion's parameter.
fn end_slopes(
    motion: &impl Motion,
    local: &Local,
    whole: Domain,
) -> Result<Vec<[Vector3; 2]>, SurfacingError> {
    let h = 1e-6 * whole.length();
    let at = |t: f64| local.carried(motion, t);
    let start = [at(whole.start)?, at(whole.start + h)?, at(whole.start + 2.0 * h)?];
    let end = [at(whole.end)?, at(whole.end - h)?, at(whole.end - 2.0 * h)?];
    // One-sided differences of the second order.
    let slope =
        |p: &[Vec<Point3>; 3], c: usize| ((p[1][c] - p[0][c]) * 4.0 - (p[2][c] - p[0][c])) / (2.0 * h);
    Ok((0..start[0].len()).map(|c| [slope(&start, c), -slope(&end, c)]).collect())
}

/// The curve that one control point runs along.
fn column(
    motion: &impl Motion,
    mut points: Vec<Point3>,
    parameters: &[f64],
    slopes: [Vector3; 2],
) -> Result<NurbsCurve, SurfacingError> {
    let last = points.len() - 1;
    if motion.is_closed() && last > 2 {
        points[last] = points[0];
        return Ok(interpolate_ring(&points, parameters)?);
    }
    Ok(interpolate(&points, parameters, 3, &EndDerivatives::tangents(slopes))?)
}

/// Refuses a motion that bends more sharply than the section is wide: there the section would run backwards.
fn check_forward(
    motion: &impl Motion,
    local: &Local,
    parameters: &[f64],
    rows: &[Vec<Point3>],
    tolerance: &Tolerance,
) -> Result<(), SurfacingError> {
    for (k, pair) in rows.windows(2).enumerate() {
        let Some((ahead, radius)) = motion.ahead(0.5 * (parameters[k] + parameters[k + 1]))? else {
            return Ok(());
        };
        let mut both = local.probed(&pair[0]).zip(local.probed(&pair[1]));
        if let Some((at, _)) = both.find(|(a, b)| (*b - *a).dot(&ahead) < -tolerance.resolution) {
            return Err(SurfacingError::TooTight { radius, at: at.into() });
        }
    }
    Ok(())
}
