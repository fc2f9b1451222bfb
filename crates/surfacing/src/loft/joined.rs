//! The lines along which places of the sections are joined, as they are shown and moved.

use geometry::{NurbsCurve, NurbsSurface, Point3, Tolerance};

/// Lines that are shown at least, the faces' borders among them.
const SHOWN: usize = 8;
/// Places of a line from section to section, and at most in all.
const PER_STEP: usize = 8;
const MOST_PLACES: usize = 96;

/// A line along which places of the sections are joined.
#[derive(Debug, Clone, PartialEq)]
pub struct Joined {
    /// Which of the given pairs it is, counted from 0; none for one that came by itself.
    pub given: Option<usize>,
    /// Its place on each section.
    pub ends: Vec<Point3>,
    /// The line along the surface.
    pub along: Vec<Point3>,
}

/// Lines of faces that have a row for every section: where faces meet, and between. They follow the surfaces, where those have
/// the rows' parameters, and else go straight from section to section.
pub(super) fn lines(
    faces: &[Vec<NurbsCurve>],
    surfaces: Option<&[NurbsSurface]>,
    (pairs, closed): (&[Vec<Option<Point3>>], bool),
    tolerance: &Tolerance,
) -> Vec<Joined> {
    let per_face = SHOWN.div_ceil(faces.len().max(1));
    let mut lines = Vec::new();
    for (f, rows) in faces.iter().enumerate() {
        for k in 0..per_face {
            // Ends of open sections go together by themselves.
            if f == 0 && k == 0 && !closed {
                continue;
            }
            let d = rows[0].domain();
            let u = d.at(k as f64 / per_face as f64);
            let ends: Vec<Point3> = rows.iter().map(|row| row.point(u)).collect();
            // Straight lofts have a surface for each stretch.
            let surface = surfaces.filter(|s| s.len() == faces.len()).and_then(|s| s.get(f));
            let along = match surface {
                Some(surface) => {
                    let v = surface.domain().1;
                    let count = (PER_STEP * (rows.len() - 1)).min(MOST_PLACES);
                    (0..=count).map(|i| surface.point(u, v.at(i as f64 / count as f64))).collect()
                }
                None => ends.clone(),
            };
            let is = |pair: &Vec<Option<Point3>>| {
                let off = pair.iter().zip(&ends).filter_map(|(at, end)| Some((at.as_ref()? - end).norm()));
                k == 0 && off.fold(0.0, f64::max) <= tolerance.join
            };
            lines.push(Joined { given: pairs.iter().position(is), ends, along });
        }
    }
    lines
}
