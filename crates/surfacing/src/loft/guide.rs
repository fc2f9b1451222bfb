//! Guides of a loft: the skin through the sections is shifted so that it follows them from section to section, and less
//! the farther off a guide is. That is the correction by which Gordon's surface goes through a second family of curves
//! (section 10.5), with the guides' places allowed to wander along the sections.

use std::cell::RefCell;
use std::collections::HashMap;
use std::collections::hash_map::Entry;

use geometry::{
    ArcLength, EndDerivatives, FittedSurface, Frame, NurbsCurve, NurbsSurface, Point3, Skin, SkinCourse,
    Tolerance, Vector3, curves_approach, fit_surface, interpolate, interpolate_ring, skin_along,
};
use nalgebra::{Matrix2, Matrix3x2};

use super::end::{QUARTER, dome_axis};
use super::{LoftEnd, Section};
use crate::SurfacingError;
use crate::feet::Feet;
use crate::monotone::Monotone;
use crate::sections::{middle, one_row_each};

pub(super) struct Guided {
    pub surfaces: Vec<NurbsSurface>,
    pub max_deviation: f64,
    pub largest_gap: f64,
    /// The guides from the first section to the last one.
    pub guides: Vec<NurbsCurve>,
}

/// One guide by the skin's parameters.
struct Track<'a> {
    curve: &'a NurbsCurve,
    /// Its own parameter, by the skin's v.
    along: Monotone,
    /// Where it runs on the skin: u by v.
    across: Monotone,
    /// What it misses the sections by, as coordinates by v.
    misses: [Monotone; 3],
}

impl Track<'_> {
    /// At v: the guide's place along the section, the skin there, and where the guide wants it.
    fn pull(&self, surface: &NurbsSurface, v: f64, closed: bool) -> Pull {
        let u = self.across.at(v);
        let u = if closed { u.rem_euclid(1.0) } else { u.clamp(0.0, 1.0) };
        let miss = Vector3::new(self.misses[0].at(v), self.misses[1].at(v), self.misses[2].at(v));
        Pull { u, from: surface.point(u, v), to: self.curve.point(self.along.at(v)) - miss }
    }

    /// The skin's parameters at which the guide has knots.
    fn breaks(&self) -> Vec<f64> {
        let rising = self.along.at(1.0) > self.along.at(0.0);
        let at = |t: &f64| geometry::bisect(0.0, 1.0, |v| (self.along.at(v) < *t) == rising);
        self.curve.knots().breaks().iter().map(at).collect()
    }
}

struct Pull {
    u: f64,
    from: Point3,
    to: Point3,
}

/// What guides do to a section: the affine map that brings it nearest to all of them, and what is left for each, spread
/// along the section. Guides that only widen, flatten, turn or move a section keep its shape so: equal ones on circles give
/// circles.
struct Led {
    map: Option<Map>,
    rest: NurbsCurve,
    /// Whether what is left goes round.
    round: bool,
}

/// An affine map of a section's plane into space; what stands off the plane is moved along.
struct Map {
    plane: Frame,
    to: Point3,
    axes: [Vector3; 2],
}

impl Map {
    /// Smallest share of a plane that guides must span to tell how all of it is mapped.
    const SPANNED: f64 = 1e-3;
    /// Places along the loft, between its ends, at which that is looked at.
    const LOOKED_AT: usize = 8;

    /// By least squares, with the share of the plane that the pulls span.
    fn of(pulls: &[Pull]) -> Option<(Self, f64)> {
        let mean = |of: &dyn Fn(&Pull) -> Point3| {
            Point3::from(pulls.iter().map(|p| of(p).coords).sum::<Vector3>() / pulls.len() as f64)
        };
        let (from, to) = (mean(&|p| p.from), mean(&|p| p.to));
        let outline: Vec<Point3> = pulls.iter().map(|p| p.from).collect();
        let plane = Frame { origin: from, ..Frame::of_outline(&outline)? };
        let (mut spread, mut reach) = (Matrix2::zeros(), Matrix3x2::zeros());
        for pull in pulls {
            let at = plane.coordinates(&pull.from).xy();
            spread += at * at.transpose();
            reach += (pull.to - to) * at.transpose();
        }
        let axes = reach * spread.try_inverse()?;
        let share = spread.determinant() / spread.trace().powi(2);
        Some((Self { plane, to, axes: [axes.column(0).into(), axes.column(1).into()] }, share))
    }

    fn of_point(&self, p: &Point3) -> Point3 {
        let at = self.plane.coordinates(p);
        self.to + self.axes[0] * at.x + self.axes[1] * at.y + self.plane.z * at.z
    }
}

/// What all guides do at v, in the order in which they stand along the section.
fn pulls(tracks: &[Track<'_>], surface: &NurbsSurface, v: f64, closed: bool) -> Vec<Pull> {
    let mut pulls: Vec<Pull> = tracks.iter().map(|t| t.pull(surface, v, closed)).collect();
    pulls.sort_by(|a, b| a.u.total_cmp(&b.u));
    pulls
}

/// Whether three guides or more round closed sections tell how all of a section is mapped: for the whole loft or not at all,
/// so that nothing changes at once on the way.
fn tell_all(tracks: &[Track<'_>], surface: &NurbsSurface, closed: bool) -> bool {
    let tells = |k: usize| {
        let v = k as f64 / Map::LOOKED_AT as f64;
        Map::of(&pulls(tracks, surface, v, closed)).is_some_and(|(_, share)| share > Map::SPANNED)
    };
    closed && tracks.len() >= 3 && (1..Map::LOOKED_AT).all(tells)
}

/// Shares of a section's length by its parameter; the same ones are asked for many times.
struct Run<'a> {
    length: ArcLength<'a>,
    known: RefCell<HashMap<u64, f64>>,
}

impl Run<'_> {
    fn share(&self, u: f64) -> f64 {
        *self.known.borrow_mut().entry(u.to_bits()).or_insert_with(|| self.length.share(u))
    }
}

impl Led {
    /// Where a place of the skin is led, of which the share of the section's length until there is known.
    fn point(&self, on_skin: &Point3, share: f64) -> Point3 {
        let mapped = self.map.as_ref().map_or(*on_skin, |map| map.of_point(on_skin));
        let d = self.rest.domain();
        // Round a closed section it begins at a guide.
        let at = if self.round { d.start + (share - d.start).rem_euclid(1.0) } else { share };
        mapped + self.rest.point(at).coords
    }
}

pub(super) fn guided(
    faces: &[Vec<NurbsCurve>],
    points: &[Option<Point3>],
    guides: &[NurbsCurve],
    closed: bool,
    (sections, ends): (&[Section], &[LoftEnd; 2]),
    tolerance: &Tolerance,
) -> Result<Guided, SurfacingError> {
    let (rows, joints) = one_row_each(faces)?;
    let course = SkinCourse::of(std::slice::from_ref(&rows), false)?;
    let surface = skin_along(&rows, &course, &Skin::free())?;
    let parameters = course.at;
    let mut largest_gap: f64 = 0.0;
    let mut tracks = Vec::with_capacity(guides.len());
    let mut parts = Vec::with_capacity(guides.len());
    for (g, guide) in guides.iter().enumerate() {
        let mut crossed: Vec<(f64, f64, Vector3)> = Vec::with_capacity(rows.len());
        for (i, row) in rows.iter().enumerate() {
            let (t, u) = curves_approach(guide, row);
            let miss = guide.point(t) - row.point(u);
            if miss.norm() > tolerance.join {
                let at = row.point(u).into();
                return Err(SurfacingError::GuideMisses {
                    guide: g + 1,
                    section: i + 1,
                    distance: miss.norm(),
                    at,
                });
            }
            largest_gap = largest_gap.max(miss.norm());
            // On closed sections the guide goes on over the seam; into a point every place leads.
            let u = match crossed.last() {
                Some(&(_, before, _)) if row.is_point(tolerance.resolution) => before,
                Some(&(_, before, _)) if closed => u + (before - u).round(),
                _ => u,
            };
            crossed.push((t, u, miss));
        }
        if rows[0].is_point(tolerance.resolution) && crossed.len() > 1 {
            crossed[0].1 = crossed[1].1;
        }
        let rising = crossed[crossed.len() - 1].0 > crossed[0].0;
        if let Some(i) = crossed.windows(2).position(|w| (w[1].0 > w[0].0) != rising || w[1].0 == w[0].0) {
            let at = guide.point(crossed[i + 1].0).into();
            return Err(SurfacingError::GuideTurns { guide: g + 1, section: i + 2, at });
        }
        let ends = [crossed[0].0, crossed[crossed.len() - 1].0];
        parts.push(guide.part(ends[0].min(ends[1]), ends[0].max(ends[1])));
        let by = |value: &dyn Fn(&(f64, f64, Vector3)) -> f64| {
            Monotone::new(parameters.iter().copied().zip(crossed.iter().map(value)).collect())
        };
        tracks.push(Track {
            curve: guide,
            along: by(&|c| c.0),
            across: by(&|c| c.1),
            misses: [by(&|c| c.2.x), by(&|c| c.2.y), by(&|c| c.2.z)],
        });
    }
    let mapped = tell_all(&tracks, &surface, closed);
    // By length, since sections run with a speed that jumps at their knots, as circles do.
    let longest = rows.iter().max_by(|a, b| a.polygon_length().total_cmp(&b.polygon_length()));
    let longest = longest.ok_or(SurfacingError::Empty)?;
    let run = Run { length: ArcLength::new(longest), known: RefCell::default() };
    // Asked for at few values of v, each for many of u.
    let known = RefCell::new(HashMap::<u64, Led>::new());
    let at = |u: f64, v: f64| -> Result<Point3, SurfacingError> {
        let mut known = known.borrow_mut();
        let led = match known.entry(v.to_bits()) {
            Entry::Occupied(e) => e.into_mut(),
            Entry::Vacant(e) => e.insert(led(pulls(&tracks, &surface, v, closed), &run, closed, mapped)?),
        };
        Ok(led.point(&surface.point(u, v), run.share(u)))
    };
    let corrections = [0, 1]
        .into_iter()
        .filter(|&k| !ends[k].is_free())
        .map(|k| {
            let last = parameters.len() - 1;
            let inner = if k == 0 { parameters[1] } else { parameters[last - 1] };
            let row = if k == 0 { 1 } else { last - 1 };
            let beside = (&rows[row], &sections[row]);
            let wanted = Wanted::of(&ends[k], &sections[k * last], beside, tolerance)?;
            let correction = Correction { at_end: k == 1, inner, wanted };
            for (g, track) in tracks.iter().enumerate() {
                correction.check(&at, track.across.at(correction.end()), g, tolerance)?;
            }
            Ok(correction)
        })
        .collect::<Result<Vec<_>, SurfacingError>>()?;
    let at = |u: f64, v: f64| -> Result<Point3, SurfacingError> {
        let mut place = at(u, v)?;
        for correction in &corrections {
            place += correction.at(&at, u, v)?;
        }
        Ok(place)
    };
    let mut made = Guided { surfaces: Vec::new(), max_deviation: 0.0, largest_gap, guides: parts };
    let single = joints.len() == 2;
    // Where sections and guides have knots of their own, the fit has some too: between them all is smooth.
    let across = divided(&parameters, tracks.iter().flat_map(Track::breaks));
    for pair in joints.windows(2) {
        let rings = [closed && single, false];
        let part = longest.part(pair[0], pair[1]);
        let length = ArcLength::new(&part);
        let known = RefCell::new(HashMap::<u64, f64>::new());
        let by_length = |share: f64, v: f64| {
            let u = *known.borrow_mut().entry(share.to_bits()).or_insert_with(|| length.parameter(share));
            at(u, v)
        };
        let own = rows.iter().flat_map(|row| row.knots().breaks()).filter(|u| *u > pair[0] && *u < pair[1]);
        let along = divided(&[0.0, 1.0], own.map(|u| length.share(u)));
        let FittedSurface { surface, max_deviation, .. } =
            fit_surface(by_length, [&along, &across], rings, tolerance.fit)?;
        made.max_deviation = made.max_deviation.max(max_deviation);
        made.surfaces.push(surface);
    }
    // A border that is a point stays one, whatever the fit makes of it.
    for (k, point) in [(0, points.first()), (1, points.last())] {
        if let Some(Some(tip)) = point {
            made.surfaces =
                made.surfaces.into_iter().map(|s| with_border_at(s, k, tip)).collect::<Result<_, _>>()?;
        }
    }
    Ok(made)
}

/// Rising parameters, with others put in that lie between the first and the last and beside none.
fn divided(breaks: &[f64], others: impl Iterator<Item = f64>) -> Vec<f64> {
    /// Share of the whole below which a part of it is none.
    const NARROW: f64 = 1e-3;
    let (first, last) = (breaks[0], breaks[breaks.len() - 1]);
    let mut out = breaks.to_vec();
    for other in others.filter(|t| *t > first && *t < last) {
        if out.iter().all(|b| (b - other).abs() > NARROW * (last - first)) {
            out.push(other);
        }
    }
    out.sort_by(f64::total_cmp);
    out
}

fn with_border_at(surface: NurbsSurface, end: usize, tip: &Point3) -> Result<NurbsSurface, SurfacingError> {
    let columns = surface.knots_v().point_count();
    let mut net = surface.homogeneous().to_vec();
    for row in net.chunks_exact_mut(columns) {
        let at = if end == 0 { 0 } else { columns - 1 };
        row[at] = tip.coords.push(1.0) * row[at].w;
    }
    Ok(NurbsSurface::from_homogeneous(surface.knots_u().clone(), surface.knots_v().clone(), net)?)
}

/// Share of a section within which two guides are at one place of it.
const BESIDE: f64 = 1e-6;

/// What the guides do to a section. What the map leaves is a smooth curve over the section's length, and beyond the outermost
/// guides of an open one the same as there.
fn led(pulls: Vec<Pull>, run: &Run<'_>, closed: bool, mapped: bool) -> Result<Led, SurfacingError> {
    let map = if mapped { Map::of(&pulls).map(|m| m.0) } else { None };
    let left = |p: &Pull| p.to - map.as_ref().map_or(p.from, |map| map.of_point(&p.from));
    let mut nodes: Vec<(f64, Vector3)> = pulls.iter().map(|p| (run.share(p.u), left(p))).collect();
    nodes.dedup_by(|b, a| (b.0 - a.0).abs() < BESIDE);
    let (first, last) = (nodes[0], nodes[nodes.len() - 1]);
    if closed {
        if nodes.len() > 1 && first.0 + 1.0 - last.0 < BESIDE {
            nodes.pop();
        }
        nodes.push((nodes[0].0 + 1.0, nodes[0].1));
    } else {
        if first.0 > BESIDE {
            nodes.insert(0, (0.0, first.1));
        }
        if last.0 < 1.0 - BESIDE {
            nodes.push((1.0, last.1));
        }
        if nodes.len() == 1 {
            nodes.push((nodes[0].0 + 1.0, nodes[0].1));
        }
    }
    let (parameters, points): (Vec<f64>, Vec<Point3>) =
        nodes.into_iter().map(|(u, d)| (u, Point3::from(d))).unzip();
    let round = closed && points.len() > 2;
    let rest = if round {
        interpolate_ring(&points, &parameters)?
    } else {
        interpolate(&points, &parameters, 3.min(points.len() - 1), &EndDerivatives::free())?
    };
    Ok(Led { map, rest, round })
}

/// How a loft is to leave an end.
enum Wanted<'a> {
    /// Along a direction.
    Along(Vector3, f64),
    /// In the tangent planes of surfaces.
    Tangent(Feet<'a>, f64),
    /// Square to an axis, from a tip out to the section beside it.
    Rounded { tip: Point3, axis: Vector3, next: NurbsCurve, pull: f64 },
}

impl<'a> Wanted<'a> {
    fn of(
        end: &'a LoftEnd,
        section: &Section,
        (next, next_section): (&NurbsCurve, &Section),
        tolerance: &Tolerance,
    ) -> Result<Self, SurfacingError> {
        Ok(match (end, section) {
            (LoftEnd::Square(pull), Section::Curves { normal: Some(normal), .. }) => {
                Self::Along(*normal, *pull)
            }
            (LoftEnd::Neighbour { surfaces, pull, .. }, Section::Curves { .. }) => {
                Self::Tangent(Feet::new(surfaces, tolerance.fit), *pull)
            }
            (LoftEnd::Rounded(pull), Section::Point(tip)) => {
                let onward = middle(&next.control_points()) - tip.coords;
                let axis = dome_axis(next, Some(next_section), &onward);
                Self::Rounded { tip: *tip, axis, next: next.clone(), pull: *pull }
            }
            _ => return Err(SurfacingError::Empty),
        })
    }
}

/// What is added beside an end so that the loft leaves it as is wanted: the least change of its own direction there, which
/// is gone at the section beside it.
struct Correction<'a> {
    at_end: bool,
    /// Where the section beside it is.
    inner: f64,
    wanted: Wanted<'a>,
}

impl Correction<'_> {
    /// Share of the step by which a derivative is taken.
    const DIFFERENCE: f64 = 1e-4;
    /// Angle in radians, one degree, within which a guide leaves as is wanted.
    const AGREES: f64 = std::f64::consts::PI / 180.0;

    fn end(&self) -> f64 {
        if self.at_end { 1.0 } else { 0.0 }
    }

    /// The derivative by v at the end as it comes, and as it is wanted.
    fn leaving(
        &self,
        at: &impl Fn(f64, f64) -> Result<Point3, SurfacingError>,
        u: f64,
    ) -> Result<[Vector3; 2], SurfacingError> {
        let end = self.end();
        let step = Self::DIFFERENCE * (self.inner - end);
        let place = |k: f64| at(u, end + k * step);
        let own = (place(1.0)? * 4.0 - place(2.0)?.coords - place(0.0)?.coords * 3.0).coords / (2.0 * step);
        let p = place(0.0)?;
        let no_way = |why| SurfacingError::NoWay { why, at: p.into() };
        let wanted = match &self.wanted {
            Wanted::Along(direction, pull) => direction * (own.dot(direction) * pull),
            Wanted::Tangent(surfaces, pull) => {
                let (surface, foot) = surfaces.nearest(&p).ok_or(SurfacingError::Empty)?;
                let [a, b] = foot.parameters;
                let normal = surface.normal(a, b).ok_or_else(|| {
                    no_way(
                        "the neighbouring face has no normal here; pick another face, or leave this end free",
                    )
                })?;
                (own - normal * own.dot(&normal)) * *pull
            }
            Wanted::Rounded { tip, axis, next, pull } => {
                let out = next.point(u) - tip;
                let flat = out - axis * out.dot(axis);
                flat * (QUARTER * pull / (self.inner - end))
            }
        };
        Ok([own, wanted])
    }

    /// Refuses a guide that leaves the end otherwise than is wanted there, since both cannot be had.
    fn check(
        &self,
        at: &impl Fn(f64, f64) -> Result<Point3, SurfacingError>,
        u: f64,
        guide: usize,
        tolerance: &Tolerance,
    ) -> Result<(), SurfacingError> {
        let u = u.rem_euclid(1.0);
        let [own, wanted] = self.leaving(at, u)?;
        let angle = own.angle(&wanted);
        if wanted.norm() <= tolerance.resolution || angle <= Self::AGREES {
            return Ok(());
        }
        let place = at(u, self.end())?.into();
        Err(SurfacingError::GuideLeaves {
            guide: guide + 1,
            last: self.at_end,
            degrees: angle.to_degrees(),
            at: place,
        })
    }

    fn at(
        &self,
        at: &impl Fn(f64, f64) -> Result<Point3, SurfacingError>,
        u: f64,
        v: f64,
    ) -> Result<Vector3, SurfacingError> {
        let share = (v - self.end()) / (self.inner - self.end());
        if share <= 0.0 || share >= 1.0 {
            return Ok(Vector3::zeros());
        }
        let [own, wanted] = self.leaving(at, u)?;
        Ok((wanted - own) * ((v - self.end()) * (1.0 - share).powi(2)))
    }
}
