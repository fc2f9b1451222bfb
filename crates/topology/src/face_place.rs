//! Where a face lies in its surface's parameter plane.

use geometry::Domain;

use crate::Face;
use crate::imprint::Outline;

/// Lines in either direction at whose crossings a place is looked for.
const LINES: usize = 13;
/// Halvings of the distance that a place keeps from the boundary.
const HALVINGS: usize = 8;

/// The parameters between which a face lies.
#[must_use]
pub fn face_extent(face: &Face) -> [Domain; 2] {
    let outline = Outline::of(face);
    [0, 1].map(|k| Domain::new(outline.low[k], outline.high[k]))
}

/// A place far inside a face: as far from its boundary, in shares of its extent, as a few lines across it show.
#[must_use]
pub fn inner_place(face: &Face) -> Option<[f64; 2]> {
    let outline = Outline::of(face);
    let extent = outline.extent();
    let at = |k: usize, i: usize| outline.low[k] + extent[k] * (i as f64 + 0.5) / LINES as f64;
    let places = (0..LINES).flat_map(|i| (0..LINES).map(move |j| [at(0, i), at(1, j)]));
    let mut left: Vec<[f64; 2]> = places.filter(|p| outline.holds(*p)).collect();
    let (mut near, mut far) = (0.0, 0.5);
    for _ in 0..HALVINGS {
        let middle = 0.5 * (near + far);
        let margin = extent.map(|e| middle * e);
        let farther: Vec<[f64; 2]> = left.iter().copied().filter(|p| !outline.is_near(*p, margin)).collect();
        if farther.is_empty() {
            far = middle;
        } else {
            (left, near) = (farther, middle);
        }
    }
    left.first().copied().or_else(|| outline.inside())
}
