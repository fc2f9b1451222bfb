//! Whether a closed shell holds a place.

use geometry::{Facets, NurbsCurve, Point3, Vector3, curve_meetings};

use crate::imprint::Outline;
use crate::{Face, Shell};

/// How near a face's boundary a hit is not told apart from it, as a share of the face's extent.
const BESIDE: f64 = 1e-4;

/// Directions in which rays are sent, one after the other until one tells clearly.
const RAYS: [[f64; 3]; 5] = [
    [0.577_1, 0.211_3, 0.788_9],
    [-0.313_7, 0.849_1, 0.425_3],
    [0.123_1, -0.511_9, 0.850_3],
    [-0.831_7, -0.394_1, 0.391_9],
    [0.901_3, 0.293_3, -0.318_7],
];

/// Whether a closed shell holds a place, whichever way its faces look; places nearer than `resolution` mm to it count to either
/// side.
#[must_use]
pub fn holds(shell: &Shell, at: &Point3, resolution: f64) -> bool {
    Target::new(shell.faces().iter(), resolution).holds(at)
}

/// A set of faces to send rays against.
pub(crate) struct Target {
    faces: Vec<(Facets, Outline)>,
    size: f64,
    resolution: f64,
}

impl Target {
    /// # Tolerance
    /// `resolution` is the length in millimetres within which a ray is taken to graze.
    pub(crate) fn new<'a>(faces: impl Iterator<Item = &'a Face>, resolution: f64) -> Self {
        let mut size = 0.0_f64;
        let faces = faces
            .map(|face| {
                let outline = Outline::of(face);
                let part = [0, 1].map(|k| geometry::Domain::new(outline.low[k], outline.high[k]));
                let facets = Facets::new(face.surface.clone(), part);
                let (low, high) = (facets.bounds().lower(), facets.bounds().upper());
                size = (0..3).map(|k| low[k].abs().max(high[k].abs())).fold(size, f64::max);
                (facets, outline)
            })
            .collect();
        Self { faces, size, resolution }
    }

    /// Whether the faces, taken as closed, hold a place, by how often rays from it pass through them.
    pub(crate) fn holds(&self, at: &Point3) -> bool {
        let reach = 4.0 * (self.size + at.coords.norm());
        let mut votes = 0;
        for direction in RAYS {
            let ray = NurbsCurve::line(*at, at + Vector3::from(direction) * reach);
            let mut count = 0;
            let mut clear = true;
            for (facets, outline) in &self.faces {
                let met = curve_meetings(&ray, facets, self.resolution);
                clear &= met.along.is_empty();
                let margin = outline.extent().map(|x| BESIDE * x);
                for hit in met.hits {
                    if outline.holds(hit.place) {
                        count += 1;
                        let normal = facets.surface().normal(hit.place[0], hit.place[1]);
                        let grazes = normal.is_none_or(|n| n.dot(&Vector3::from(direction)).abs() < 1e-3);
                        clear &= !grazes && hit.parameter > 0.0;
                    }
                    clear &= !outline.is_near(hit.place, margin);
                }
            }
            if clear {
                return count % 2 == 1;
            }
            votes += if count % 2 == 1 { 1 } else { -1 };
        }
        votes > 0
    }
}
