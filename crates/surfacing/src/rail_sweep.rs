//! Sweep on two rails: sections carried so that they reach from one rail to the other.

use geometry::{
    ArcLength, Domain, Frame, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3,
    closest_on_curve,
};
use nalgebra::Matrix4;
use topology::Body;

use crate::SurfacingError;
use crate::assembled::{assembled, numbered};
use crate::carried::{Local, Motion, carried_surface};
use crate::chain;
use crate::chain::as_one;
use crate::miss::{Miss, farthest, missed};
use crate::sections::{Run, align, backwards, check_alike, places, rows_of_faces};

const FIRST_SAMPLES_PER_SPAN: usize = 3;
/// Places per knot span of a section at which its angle is measured.
const CHECKED: usize = 4;

/// What happens to a section's height where the rails come closer or part.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum RailHeight {
    /// It grows and shrinks with the width.
    #[default]
    Scaled,
    /// It stays.
    Kept,
}

/// A two-rail sweep's choices.
#[derive(Debug, Clone, PartialEq)]
pub struct RailSweep {
    /// What happens to the height.
    pub height: RailHeight,
    /// Whether the surface has just the control points of its inputs, rails by sections, instead of following the exact
    /// motion; for editing by hand.
    pub clean: bool,
    /// At its first and its last section, counted along the rails: whether it is square to the plane of that.
    pub square: [bool; 2],
    /// The normals of the planes of the sections that lie in one.
    pub normals: Vec<Option<Vector3>>,
    /// Whether planar openings are closed.
    pub close: bool,
    /// What its faces are called; with several, a number follows.
    pub name: String,
}

/// A two-rail sweep with what it reached.
#[derive(Debug, Clone, PartialEq)]
pub struct RailSwept {
    /// The body.
    pub body: Body,
    /// Largest distance from the true motion that was measured, in millimetres; of the clean variant, from its sections.
    pub max_deviation: Option<f64>,
    /// Where it stays farther off its sections than the fit tolerance, or off the rails on which they end.
    pub miss: Option<Miss>,
    /// Largest distance of a section's end from its rail where it was drawn, in millimetres.
    pub section_gap: f64,
    /// The largest angle in radians from the directions that it is to be square to, at its first and its last section.
    pub end_angles: [Option<f64>; 2],
}

/// The surface that sections sweep out between two rails. Each section stands where it was drawn; its ends, or for a
/// closed one its nearest places, ride on the rails. Sections run from the first rail to the second.
///
/// # Errors
/// `Empty`; `RailsOpposite` for rails that run opposite ways; `RailsMeet` where they come together, but for an end at which
/// sections shrink to a point with the width; `SectionOffRail` for a
/// section whose ends are not on the rails; `MixedSections`; `SectionNoPlane` for one to which it is to be square; for the clean variant `RailsDiffer` and `UnequalRows`.
pub fn rail_sweep(
    sections: &[Vec<NurbsCurve>],
    rails: [&[NurbsCurve]; 2],
    how: &RailSweep,
    tolerance: &Tolerance,
) -> Result<RailSwept, SurfacingError> {
    let unit = Domain { start: 0.0, end: 1.0 };
    let [first, second] = rails.map(|r| as_one(r, tolerance).map(|c| c.over(unit)));
    let rails = [first?, second?];
    let far = (rails[0].start() - rails[1].start()).norm() + (rails[0].end() - rails[1].end()).norm();
    let crossed = (rails[0].start() - rails[1].end()).norm() + (rails[0].end() - rails[1].start()).norm();
    let along = |r: &NurbsCurve| r.end() - r.start();
    if crossed < far && along(&rails[0]).dot(&along(&rails[1])) < 0.0 {
        return Err(SurfacingError::RailsOpposite { at: rails[1].start().into() });
    }
    let motion = RailMotion::new(&rails, how.height, tolerance);
    let mut section_gap: f64 = 0.0;
    let mut placed: Vec<(f64, Vec<NurbsCurve>, usize)> = Vec::with_capacity(sections.len());
    let mut all_closed = None;
    for (i, pieces) in sections.iter().enumerate() {
        let chain = chain(pieces, tolerance)?;
        let mut run = chain.run(pieces);
        if chain.closed != *all_closed.get_or_insert(chain.closed) {
            let at = run[0].start().into();
            return Err(SurfacingError::MixedSections { section: i + 1, closed: chain.closed, at });
        }
        let ends = if chain.closed {
            let marks = places(&run);
            [0, 1].map(|k| {
                let off = |p: &Point3| closest_on_curve(&rails[k], p).distance;
                marks.iter().copied().min_by(|a, b| off(a).total_cmp(&off(b))).unwrap_or(marks[0])
            })
        } else {
            let ends = [run[0].start(), run[run.len() - 1].end()];
            let off = |k: usize, p: &Point3| closest_on_curve(&rails[k], p).distance;
            if off(0, &ends[0]) + off(1, &ends[1]) > off(0, &ends[1]) + off(1, &ends[0]) {
                run = backwards(&run);
                [ends[1], ends[0]]
            } else {
                ends
            }
        };
        let feet = [0, 1].map(|k| closest_on_curve(&rails[k], &ends[k]));
        for (k, foot) in feet.iter().enumerate().filter(|_| !chain.closed) {
            section_gap = section_gap.max(foot.distance);
            if foot.distance > tolerance.join {
                let at = ends[k].into();
                return Err(SurfacingError::SectionOffRail {
                    section: i + 1,
                    rail: k + 1,
                    distance: foot.distance,
                    at,
                });
            }
        }
        let shares = [0, 1].map(|k| motion.lengths[k].share(feet[k].parameter));
        let share = 0.5 * (shares[0] + shares[1]);
        let inverse = motion.place(share)?.try_inverse();
        let inverse = inverse.ok_or(SurfacingError::RailsMeet { at: feet[0].point.into() })?;
        placed.push((share, run.iter().map(|c| c.mapped(|p| inverse.transform_point(p))).collect(), i));
    }
    let closed = all_closed.ok_or(SurfacingError::Empty)?;
    placed.sort_by(|a, b| a.0.total_cmp(&b.0));
    let ends = [0, placed.len() - 1].map(|k| (placed[k].0, placed[k].2));
    let normals = [0, 1].map(|k| how.square[k].then(|| how.normals.get(ends[k].1).copied().flatten()));
    if let Some(k) = (0..2).find(|&k| normals[k] == Some(None)) {
        let section = ends[k].1;
        let at = sections[section][0].start().into();
        return Err(SurfacingError::SectionNoPlane { section: section + 1, at });
    }
    if let Some(twice) = placed.windows(2).position(|w| w[1].0 - w[0].0 <= 1e-9) {
        let at = rails[0].point(rails[0].parameter_at_share(placed[twice].0)).into();
        return Err(SurfacingError::SamePlace { at });
    }
    let shares: Vec<f64> = placed.iter().map(|p| p.0).collect();
    let runs = align(placed.iter().map(|p| Run::of(&p.1)).collect(), closed, false, tolerance);
    let points = vec![None; runs.len()];
    let mut surfaces = Vec::new();
    let mut max_deviation: Option<f64> = None;
    if how.clean {
        surfaces = motion.clean(&runs, &shares)?;
    } else {
        let faces = rows_of_faces(&runs, &points, closed, false, tolerance)?.faces;
        let placed = faces.into_iter().map(|rows| shares.iter().copied().zip(rows).collect()).collect();
        for local in Local::of_faces(placed, how.square)? {
            let (surface, deviation) = carried_surface(&motion, &local, tolerance)?;
            max_deviation = Some(max_deviation.unwrap_or(0.0).max(deviation));
            surfaces.push(surface);
        }
    }
    let ring = motion.is_closed();
    let end_angles = [0, 1].map(|k| {
        let normal = normals[k].flatten()?;
        surfaces.iter().filter_map(|s| largest_lean(s, ends[k].0, &normal)).reduce(f64::max)
    });
    let body = assembled(numbered(surfaces, &how.name), how.close && closed && !ring, tolerance)?;
    let off = farthest(&body, sections.iter().flatten(), tolerance.fit);
    if how.clean {
        max_deviation = off.map(|off| off.distance);
    }
    let off_rails = if closed { None } else { missed(&body, &rails, tolerance.fit + section_gap) };
    let misses = off.filter(|off| off.distance > tolerance.fit).into_iter().chain(off_rails);
    let miss = misses.max_by(|a, b| a.distance.total_cmp(&b.distance));
    Ok(RailSwept { body, max_deviation, miss, section_gap, end_angles })
}

/// The largest angle in radians between a plane's normal and a surface's tangent planes where v has a value.
fn largest_lean(surface: &NurbsSurface, v: f64, plane: &Vector3) -> Option<f64> {
    let lean = |u: f64| Some(surface.normal(u, v)?.dot(plane).abs().min(1.0).asin());
    surface.knots_u().sampled(CHECKED).into_iter().filter_map(lean).reduce(f64::max)
}

/// Carries sections by the shares of both rails' lengths.
struct RailMotion<'a> {
    rails: &'a [NurbsCurve; 2],
    lengths: [ArcLength<'a>; 2],
    height: RailHeight,
    /// Width at the start, in proportion to which a kept height stays.
    width: f64,
    /// Distance within which the rails' ends are one point.
    pole: f64,
    closed: bool,
}

impl<'a> RailMotion<'a> {
    fn new(rails: &'a [NurbsCurve; 2], height: RailHeight, tolerance: &Tolerance) -> Self {
        let closed = rails.iter().all(|r| (r.start() - r.end()).norm() <= tolerance.join);
        let lengths = [ArcLength::new(&rails[0]), ArcLength::new(&rails[1])];
        let mut width = (rails[1].start() - rails[0].start()).norm();
        if width <= tolerance.join {
            width = (rails[1].point(0.5) - rails[0].point(0.5)).norm();
        }
        Self { rails, lengths, height, width: width.max(tolerance.resolution), pole: tolerance.join, closed }
    }

    /// The map whose x reaches from a place of the first rail to one of the second, with the rails' directions there. Where
    /// the rails end in one point, sections that shrink with the width shrink to it.
    fn between(
        &self,
        a: Point3,
        b: Point3,
        along: Vector3,
        at_end: bool,
    ) -> Result<Matrix4<f64>, SurfacingError> {
        let x = b - a;
        let at = a.into();
        let width = x.norm();
        if at_end && width <= self.pole && self.height == RailHeight::Scaled {
            let mut pole = Matrix4::zeros();
            pole.set_column(3, &nalgebra::center(&a, &b).coords.push(1.0));
            return Ok(pole);
        }
        let frame = Frame::new(a, x, x.cross(&along).cross(&x)).filter(|_| width > 1e-9);
        let frame = frame.ok_or(SurfacingError::RailsMeet { at })?;
        // The frame's y goes along the rails, its z up between them.
        let height = match self.height {
            RailHeight::Scaled => width,
            RailHeight::Kept => self.width,
        };
        let columns = [x, frame.y * height, frame.z * height].map(|c| c.push(0.0));
        Ok(Matrix4::from_columns(&[columns[0], columns[1], columns[2], a.coords.push(1.0)]))
    }

    fn direction(&self, parameters: [f64; 2]) -> Vector3 {
        [0, 1].map(|k| self.rails[k].tangent(parameters[k]).unwrap_or_else(Vector3::zeros)).iter().sum()
    }

    /// One row of control points for each of the rails' own, piece by piece.
    fn clean(&self, runs: &[Vec<NurbsCurve>], shares: &[f64]) -> Result<Vec<NurbsSurface>, SurfacingError> {
        let [first, second] = self.rails;
        if first.knots() != second.knots() || first.is_rational() || second.is_rational() {
            let counts = [first, second].map(|r| r.homogeneous().len());
            return Err(SurfacingError::RailsDiffer { counts, at: second.start().into() });
        }
        for (i, run) in runs.iter().enumerate() {
            check_alike(&runs[0], run, i, first.point(first.parameter_at_share(shares[i])))?;
        }
        let rail_points = [first.control_points(), second.control_points()];
        let places = first.knots().greville();
        let mut surfaces = Vec::new();
        let piece = |k: usize| shares.iter().copied().zip(runs.iter().map(|r| r[k].clone())).collect();
        let locals = Local::of_faces((0..runs[0].len()).map(piece).collect(), [false; 2])?;
        for (k, local) in locals.iter().enumerate() {
            let mut net: Vec<Vec<Point3>> = Vec::with_capacity(places.len());
            for (j, &t) in places.iter().enumerate() {
                let share = 0.5 * (self.lengths[0].share(t) + self.lengths[1].share(t));
                let (a, b) = (rail_points[0][j], rail_points[1][j]);
                let at_end = j == 0 || j + 1 == places.len();
                let map = self.between(a, b, self.direction([t, t]), at_end)?;
                net.push(local.local_points(share).iter().map(|p| map.transform_point(p)).collect());
            }
            let model = &runs[0][k];
            let weights = model.weights();
            let points = (0..weights.len()).flat_map(|i| {
                let w = weights[i];
                net.iter().map(move |row| Homogeneous::new(row[i].x * w, row[i].y * w, row[i].z * w, w))
            });
            let along: KnotVector = model.knots().over(Domain { start: 0.0, end: 1.0 });
            surfaces.push(NurbsSurface::from_homogeneous(along, first.knots().clone(), points.collect())?);
        }
        Ok(surfaces)
    }
}

impl Motion for RailMotion<'_> {
    fn samples(&self) -> Vec<f64> {
        let mut out: Vec<f64> = Vec::new();
        for (rail, length) in self.rails.iter().zip(&self.lengths) {
            out.extend(rail.knots().sampled(FIRST_SAMPLES_PER_SPAN).into_iter().map(|t| length.share(t)));
        }
        out.sort_by(f64::total_cmp);
        out.dedup_by(|b, a| *b - *a < 1e-4);
        if let Some(last) = out.last_mut() {
            *last = 1.0;
        }
        out
    }

    fn is_closed(&self) -> bool {
        self.closed
    }

    fn place(&self, share: f64) -> Result<Matrix4<f64>, SurfacingError> {
        let parameters = [0, 1].map(|k| self.lengths[k].parameter(share));
        let [a, b] = [0, 1].map(|k| self.rails[k].point(parameters[k]));
        self.between(a, b, self.direction(parameters), share <= 0.0 || share >= 1.0)
    }

    fn ahead(&self, _: f64) -> Result<Option<(Vector3, f64)>, SurfacingError> {
        Ok(None)
    }
}
