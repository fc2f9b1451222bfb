use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};

use crate::{Point3, check_work};

/// A box along the main directions.
pub type Box3 = AABB<[f64; 3]>;

/// Numbered boxes, to be found by where they are.
#[derive(Debug, Clone)]
pub struct BoxTree(RTree<GeomWithData<Rectangle<[f64; 3]>, usize>>);

impl BoxTree {
    /// A tree of boxes with their numbers.
    #[must_use]
    pub fn new(boxes: impl Iterator<Item = (Box3, usize)>) -> Self {
        let entry =
            |(b, i): (Box3, usize)| GeomWithData::new(Rectangle::from_corners(b.lower(), b.upper()), i);
        Self(RTree::bulk_load(boxes.map(entry).collect()))
    }

    /// Numbers of the boxes that meet a box, in rising order.
    #[must_use]
    pub fn meeting(&self, bounds: &Box3) -> Vec<usize> {
        check_work();
        let mut found: Vec<usize> = self.0.locate_in_envelope_intersecting(bounds).map(|g| g.data).collect();
        // The tree's own order is not promised.
        found.sort_unstable();
        found
    }
}

/// The box that points just fit into; for none an inside out one.
#[must_use]
pub fn box_of<'a>(points: impl Iterator<Item = &'a Point3>) -> Box3 {
    let inverted = ([f64::INFINITY; 3], [f64::NEG_INFINITY; 3]);
    let (low, high) = points.fold(inverted, |(low, high), p| {
        ([0, 1, 2].map(|k| f64::min(low[k], p[k])), [0, 1, 2].map(|k| f64::max(high[k], p[k])))
    });
    AABB::from_corners(low, high)
}

/// The length of a box from corner to corner.
#[must_use]
pub fn diagonal(bounds: &Box3) -> f64 {
    (Point3::from(bounds.upper()) - Point3::from(bounds.lower())).norm()
}

/// A box with a margin all round.
#[must_use]
pub fn grown(bounds: &Box3, by: f64) -> Box3 {
    AABB::from_corners(bounds.lower().map(|x| x - by), bounds.upper().map(|x| x + by))
}

/// How far a point is outside a box, in millimetres; 0 inside.
#[must_use]
pub fn distance_from_box(bounds: &Box3, p: &Point3) -> f64 {
    bounds.distance_2(&(*p).into()).sqrt()
}
