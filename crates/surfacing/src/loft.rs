//! Loft: surfaces through sections (The NURBS Book, section 10.3).

use geometry::{NurbsCurve, Point3, Skin, Tolerance, Vector3, closest_on_curve, skin};
use topology::Body;

use crate::assembled::{assembled, numbered};
use crate::sections::{align, backwards, middle, places, rows_of_faces};
use crate::{SurfacingError, chain};

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
    },
    /// A point that the loft runs into; only first or last.
    Point(Point3),
}

/// How a loft leaves its first or meets its last section.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum LoftEnd {
    /// As it comes.
    Free,
    /// Square to the section's plane, this strongly: 1 for what comes by itself.
    Square(f64),
}

/// What a loft is made with.
#[derive(Debug, Clone, PartialEq)]
pub struct Loft {
    /// How it leaves the first and meets the last section.
    pub ends: [LoftEnd; 2],
    /// Straight from section to section.
    pub straight: bool,
    /// On from the last section to the first.
    pub ring: bool,
    /// Planar openings closed, so that it becomes a solid.
    pub close: bool,
    /// What its faces are called; with several, a number follows.
    pub name: String,
}

/// A surface through sections in their order. Sections of as many pieces as each other give a face for each piece,
/// others one face in all. Open sections are turned to run alike, closed ones are also moved to begin alike.
///
/// # Errors
/// `TooFewSections`; `Empty`; `MixedSections` for open ones among closed ones; `PointInside` for a point that is neither
/// first nor last; `SectionsTouch` for two that meet.
pub fn loft(sections: &[Section], how: &Loft, tolerance: &Tolerance) -> Result<Body, SurfacingError> {
    let count = sections.len();
    let needed = if how.ring { 3 } else { 2 };
    if count < needed {
        return Err(SurfacingError::TooFewSections { given: count, needed });
    }
    let mut runs: Vec<Vec<NurbsCurve>> = Vec::with_capacity(count);
    let mut all_closed = None;
    for (i, section) in sections.iter().enumerate() {
        match section {
            Section::Point(at) if how.ring || (i > 0 && i + 1 < count) => {
                return Err(SurfacingError::PointInside { section: i + 1, at: (*at).into() });
            }
            Section::Point(_) => runs.push(Vec::new()),
            Section::Curves { pieces, .. } => {
                let chain = chain(pieces, tolerance)?;
                let run = chain.run(pieces);
                if chain.closed != *all_closed.get_or_insert(chain.closed) {
                    let at = run[0].start().into();
                    return Err(SurfacingError::MixedSections { section: i + 1, closed: chain.closed, at });
                }
                runs.push(run);
            }
        }
    }
    let closed = all_closed.ok_or(SurfacingError::TooFewSections { given: 0, needed: 1 })?;
    align(&mut runs, closed, tolerance);
    for (run, section) in runs.iter_mut().zip(sections) {
        if matches!(section, Section::Curves { reversed: true, .. }) {
            *run = backwards(run);
        }
    }
    check_apart(&runs, tolerance)?;
    let pieces = runs.iter().map(Vec::len).max().unwrap_or(1);
    for (run, section) in runs.iter_mut().zip(sections) {
        if let Section::Point(at) = section {
            *run = vec![NurbsCurve::line(*at, *at); pieces];
        }
    }
    let mut surfaces = Vec::new();
    for rows in rows_of_faces(&runs)? {
        let ends = [0, 1].map(|k| end_derivatives(how.ends[k], k, &rows, sections));
        let kind = match (how.ring, how.straight) {
            (true, _) => Skin::Ring,
            (_, true) => Skin::Straight,
            _ => Skin::Smooth { ends },
        };
        surfaces.push(skin(&rows, &kind)?);
    }
    assembled(numbered(surfaces, &how.name), how.close && closed && !how.ring, tolerance)
}

/// Where along the loft its control points leave a section that it is to be square to.
fn end_derivatives(
    end: LoftEnd,
    which: usize,
    rows: &[NurbsCurve],
    sections: &[Section],
) -> Option<Vec<Vector3>> {
    let LoftEnd::Square(pull) = end else { return None };
    let (own, next) = if which == 0 { (0, 1) } else { (rows.len() - 1, rows.len() - 2) };
    let Section::Curves { normal: Some(normal), .. } = &sections[own] else { return None };
    let (a, b) = (rows[own].control_points(), rows[next].control_points());
    // Along the loft, from the first section towards the last.
    let onward = if which == 0 { middle(&b) - middle(&a) } else { middle(&a) - middle(&b) };
    let along = if normal.dot(&onward) < 0.0 { -normal } else { *normal };
    Some(vec![along * pull; a.len()])
}

/// Refuses neighbouring sections that meet.
fn check_apart(runs: &[Vec<NurbsCurve>], tolerance: &Tolerance) -> Result<(), SurfacingError> {
    for (i, pair) in runs.windows(2).enumerate() {
        // Points are empty runs as yet.
        if pair.iter().any(Vec::is_empty) {
            continue;
        }
        for p in places(&pair[0]) {
            let near = pair[1].iter().map(|c| closest_on_curve(c, &p).distance).fold(f64::MAX, f64::min);
            if near <= tolerance.join {
                return Err(SurfacingError::SectionsTouch { sections: [i + 1, i + 2], at: p.into() });
            }
        }
    }
    Ok(())
}
