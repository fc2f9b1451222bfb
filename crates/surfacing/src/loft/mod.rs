//! Loft: surfaces through sections (The NURBS Book, section 10.3).

mod control_rows;
mod end;
mod guide;
mod joined;
mod met;

use geometry::{
    EndsKept, NurbsCurve, Point3, Skin, SkinCourse, Tolerance, Vector3, recast_surfaces, skin, skin_along,
};
use topology::Body;

pub use end::{Away, LoftEnd, Way};
pub use joined::Joined;

use crate::assembled::{assembled, numbered};
use crate::chain::as_one;
use crate::developable::{developable, meeting};
use crate::miss::{Miss, missed};
use crate::sections::{Paired, Run, align, check_apart, check_order, rows_between_pairs};
use crate::{SurfacingError, chain};

/// Share of the fit tolerance from which a distance from a section is no rounding.
const MISSED_FROM: f64 = 0.01;

/// A section of a loft.
#[derive(Debug, Clone, PartialEq)]
pub enum Section {
    /// Curves that run end to end.
    Curves {
        /// The pieces, in order.
        pieces: Vec<NurbsCurve>,
        /// The normal of the plane that it was drawn in, if it was drawn.
        normal: Option<Vector3>,
        /// Run the other way than it would be by itself.
        reversed: bool,
        /// Where a closed one begins, as a share 0 to 1 of its length in the direction in which it was drawn; by itself it
        /// begins where the section before it does.
        begins: Option<f64>,
    },
    /// A point that the loft runs into; only first or last.
    Point(Point3),
}

/// How a loft goes from section to section.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Between {
    /// Smoothly.
    #[default]
    Smooth,
    /// Straight from each to the next.
    Straight,
    /// Smoothly, and on from the last to the first.
    Ring,
    /// Straight, along rulings chosen so that the surface unrolls as nearly as it can.
    Developable,
    /// Controlled by the sections, whose control points become its rows.
    ControlRows,
}

/// What a loft is made with.
#[derive(Debug, Clone, PartialEq)]
pub struct Loft {
    /// How it leaves the first and meets the last section.
    pub ends: [LoftEnd; 2],
    /// How it goes from section to section.
    pub between: Between,
    /// Places in space that are joined along the surface, each with one on every section that has one of its own.
    pub pairs: Vec<Vec<Option<Point3>>>,
    /// Curves that cross every section and that the surface follows from one to the next.
    pub guides: Vec<Vec<NurbsCurve>>,
    /// Approximated to so many control points along the sections and across them.
    pub grid: Option<[usize; 2]>,
    /// Planar openings closed, so that it becomes a solid.
    pub close: bool,
    /// What its faces are called; with several, a number follows.
    pub name: String,
}

impl Default for Loft {
    /// Smooth with free ends, closed where it can be.
    fn default() -> Self {
        Self {
            ends: [LoftEnd::Free, LoftEnd::Free],
            between: Between::Smooth,
            pairs: Vec::new(),
            guides: Vec::new(),
            grid: None,
            close: true,
            name: "side".into(),
        }
    }
}

impl Loft {
    /// Whether places of the sections are joined as they pair up: else rulings or control points decide.
    fn joins_pairs(&self) -> bool {
        !matches!(self.between, Between::Developable | Between::ControlRows)
    }
}

/// A loft with what it reached.
#[derive(Debug, Clone, PartialEq)]
pub struct Lofted {
    /// The body.
    pub body: Body,
    /// Largest distance from sections, guides or the exact loft that was measured, in millimetres; none for an exact one.
    pub max_deviation: Option<f64>,
    /// Where it stays farther off a section or a guide than the fit tolerance, or where it was recast, than that cost.
    pub miss: Option<Miss>,
    /// Largest distance of a guide from a section, in millimetres.
    pub guide_gap: Option<f64>,
    /// At the first and last section, the largest angle in radians between the surface and its neighbour, or the plane that
    /// it is to be square to.
    pub end_angles: [Option<f64>; 2],
    /// Largest turn in radians of the surface's normal along one ruling: 0 for one that unrolls exactly.
    pub largest_twist: Option<f64>,
    /// Each section's pieces in the order and direction in which they are run; none for a point.
    pub runs: Vec<Vec<NurbsCurve>>,
    /// Lines along which places of the sections are joined; none where the loft finds its own rulings.
    pub lines: Vec<Joined>,
}

/// A surface through sections in their order. Sections of as many pieces as each other give a face for each piece, others
/// one from corner to corner of the section with the most. Open sections are turned to run alike, closed ones are also
/// moved to begin alike.
///
/// # Errors
/// `TooFewSections`; `Empty`; `MixedSections` for open ones among closed ones; `PointInside` for a point that is neither
/// first nor last; `SectionsTouch` for two that meet; `OutOfOrder`; `PairsCross`; `GuideMisses`; `UnequalRows`.
pub fn loft(sections: &[Section], how: &Loft, tolerance: &Tolerance) -> Result<Lofted, SurfacingError> {
    let count = sections.len();
    let ring = how.between == Between::Ring;
    let needed = if ring { 3 } else { 2 };
    if count < needed {
        return Err(SurfacingError::TooFewSections { given: count, needed });
    }
    let mut runs: Vec<Run> = Vec::with_capacity(count);
    let mut all_closed = None;
    for (i, section) in sections.iter().enumerate() {
        match section {
            Section::Point(at) if ring || (i > 0 && i + 1 < count) => {
                return Err(SurfacingError::PointInside { section: i + 1, at: (*at).into() });
            }
            Section::Point(_) => runs.push(Run::default()),
            Section::Curves { pieces, reversed, begins, .. } => {
                let chain = chain(pieces, tolerance)?;
                let run = chain.run(pieces);
                if chain.closed != *all_closed.get_or_insert(chain.closed) {
                    let at = run[0].start().into();
                    return Err(SurfacingError::MixedSections { section: i + 1, closed: chain.closed, at });
                }
                runs.push(Run { reversed: *reversed, begins: *begins, ..Run::of(&run) });
            }
        }
    }
    let closed = all_closed.ok_or(SurfacingError::TooFewSections { given: 0, needed: 1 })?;
    let runs = align(runs, closed, ring, tolerance);
    check_apart(&runs, tolerance)?;
    check_order(&runs, sections, ring)?;
    let points: Vec<Option<Point3>> = sections
        .iter()
        .map(|section| if let Section::Point(at) = section { Some(*at) } else { None })
        .collect();
    let mut max_deviation: Option<f64> = None;
    let mut reached = |deviation: f64| max_deviation = Some(max_deviation.unwrap_or(0.0).max(deviation));
    let (mut guide_gap, mut largest_twist) = (None, None);
    // What is held against the faces in the end; else it is while they are made.
    let mut followed: Vec<NurbsCurve> = Vec::new();
    let mut lines = Vec::new();
    let pairs: &[Vec<Option<Point3>>] = if how.joins_pairs() { &how.pairs } else { &[] };
    let paired = || Paired::new(&runs, pairs, closed, tolerance);
    let surfaces = match how.between {
        Between::ControlRows => {
            control_rows::control_rows(&with_points(&runs, &points), sections, &how.ends, tolerance)?
        }
        Between::Developable => {
            let mut strips = Vec::new();
            for pair in with_points(&runs, &points).windows(2) {
                let strip = developable(&pair[0], &pair[1], closed, tolerance)?;
                reached(strip.max_deviation);
                largest_twist = Some(strip.largest_twist.max(largest_twist.unwrap_or(0.0)));
                strips.push(strip);
            }
            followed = runs.concat();
            let faces = meeting(strips, tolerance)?;
            faces.iter().map(|rows| skin(rows, &Skin::Straight)).collect::<Result<Vec<_>, _>>()?
        }
        _ if !how.guides.is_empty() => {
            let guides =
                how.guides.iter().map(|g| as_one(g, tolerance)).collect::<Result<Vec<NurbsCurve>, _>>()?;
            let faces = rows_between_pairs(&paired()?, &points, false, tolerance)?.faces;
            lines = joined::lines(&faces, None, (&how.pairs, closed), tolerance);
            let guided = guide::guided(&faces, &points, &guides, closed, (sections, &how.ends), tolerance)?;
            reached(guided.max_deviation);
            guide_gap = Some(guided.largest_gap);
            followed = runs.iter().flatten().cloned().chain(guided.guides).collect();
            guided.surfaces
        }
        _ => {
            let mut surfaces = Vec::new();
            let straight =
                how.between == Between::Straight || (count == 2 && how.ends.iter().all(LoftEnd::is_free));
            let rows = rows_between_pairs(&paired()?, &points, straight, tolerance)?;
            if rows.max_deviation > 0.0 {
                reached(rows.max_deviation);
            }
            // Shared by all faces, so that neighbours have the same edge.
            let course = SkinCourse::of(&rows.faces, ring)?;
            let corners = end::corners(&rows.faces, sections, &how.ends, closed, tolerance)?;
            for (f, face) in rows.faces.iter().enumerate() {
                let kind = match how.between {
                    Between::Ring => Skin::Ring,
                    Between::Straight => {
                        // A face for each stretch: at a section it turns.
                        for pair in face.windows(2) {
                            surfaces.push(skin(pair, &Skin::Straight)?);
                        }
                        continue;
                    }
                    _ => {
                        let (rows, ends) = end::agreeing(
                            face,
                            sections,
                            &how.ends,
                            (course.end_steps(), [0, 1].map(|k| corners[k][f])),
                            tolerance,
                        )?;
                        surfaces.push(skin_along(&rows, &course, &Skin::Smooth { ends })?);
                        continue;
                    }
                };
                surfaces.push(skin_along(face, &course, &kind)?);
            }
            let passed: Vec<(&[NurbsCurve], Option<Point3>)> =
                runs.iter().map(Vec::as_slice).zip(points.iter().copied()).collect();
            let missed = match how.between {
                // Side by side, stretch by stretch.
                Between::Straight => {
                    let stretch = |k: usize| {
                        let side_by_side = surfaces.iter().skip(k).step_by(count - 1);
                        met::largest_miss(side_by_side, &[0.0, 1.0], &passed[k..=k + 1])
                    };
                    (0..count - 1).map(stretch).fold(0.0, f64::max)
                }
                _ => met::largest_miss(surfaces.iter(), &course.at, &passed),
            };
            if missed > MISSED_FROM * tolerance.fit {
                reached(missed);
            }
            lines = joined::lines(&rows.faces, Some(&surfaces), (&how.pairs, closed), tolerance);
            surfaces
        }
    };
    let surfaces = match how.grid {
        None => surfaces,
        Some([along, across]) => {
            let degrees = [along, across].map(|n| 3.min(n.saturating_sub(1)));
            let fitted = recast_surfaces(&surfaces, degrees, [along, across], EndsKept::Tangents)?;
            fitted.iter().for_each(|f| reached(f.max_deviation));
            fitted.into_iter().map(|f| f.surface).collect()
        }
    };
    let angle = |k: usize| match how.between {
        Between::Smooth | Between::ControlRows => {
            end::largest_angle(&surfaces, &how.ends[k], k, sections, tolerance)
        }
        _ => None,
    };
    let end_angles = [angle(0), angle(1)];
    let body = assembled(numbered(surfaces, &how.name), how.close && closed && !ring, tolerance)?;
    let recast = how.grid.and(max_deviation).unwrap_or(0.0);
    let miss = missed(&body, &followed, tolerance.fit.max(recast) + guide_gap.unwrap_or(0.0));
    Ok(Lofted { body, max_deviation, miss, guide_gap, end_angles, largest_twist, runs, lines })
}

/// Runs with those of points as one piece without length for each of the others' pieces.
fn with_points(runs: &[Vec<NurbsCurve>], points: &[Option<Point3>]) -> Vec<Vec<NurbsCurve>> {
    let pieces = runs.iter().map(Vec::len).max().unwrap_or(1);
    let one = |(run, point): (&Vec<NurbsCurve>, &Option<Point3>)| {
        point.map_or_else(|| run.clone(), |at| vec![NurbsCurve::line(at, at); pieces])
    };
    runs.iter().zip(points).map(one).collect()
}
