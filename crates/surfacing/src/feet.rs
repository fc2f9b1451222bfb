//! Places of neighbouring surfaces along a curve that lies on them.

use std::cell::Cell;
use std::sync::Arc;

use geometry::{
    Box3, NurbsSurface, OnSurface, Point3, box_of, closest_on_surface, distance_from_box, nearby_on_surface,
};

/// Surfaces on which places are asked for one after the other, each near the one before.
pub(crate) struct Feet<'a> {
    surfaces: Vec<&'a Arc<NurbsSurface>>,
    boxes: Vec<Box3>,
    /// How near a place must be for no other one to be looked for, in millimetres.
    within: f64,
    last: Cell<Option<(usize, [f64; 2])>>,
}

impl<'a> Feet<'a> {
    pub(crate) fn new(surfaces: impl IntoIterator<Item = &'a Arc<NurbsSurface>>, within: f64) -> Self {
        let surfaces: Vec<&'a Arc<NurbsSurface>> = surfaces.into_iter().collect();
        let boxes = surfaces.iter().map(|s| box_of(s.control_points().iter())).collect();
        Self { surfaces, boxes, within, last: Cell::new(None) }
    }

    /// How many surfaces there are.
    pub(crate) fn count(&self) -> usize {
        self.surfaces.len()
    }

    /// The nearest of the surfaces to a point, and its place there; none without surfaces.
    pub(crate) fn nearest(&self, p: &Point3) -> Option<(&'a NurbsSurface, OnSurface)> {
        if let Some((k, from)) = self.last.get()
            && let Some(foot) = nearby_on_surface(self.surfaces[k], p, from, self.within)
        {
            self.last.set(Some((k, foot.parameters)));
            return Some((self.surfaces[k], foot));
        }
        // No place of a surface is nearer than the box of its control points.
        let mut boxes: Vec<(f64, usize)> =
            self.boxes.iter().map(|b| distance_from_box(b, p)).enumerate().map(|(k, d)| (d, k)).collect();
        boxes.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut nearest: Option<(usize, OnSurface)> = None;
        for (away, k) in boxes {
            if nearest.is_some_and(|(_, foot)| foot.distance <= away) {
                break;
            }
            let foot = closest_on_surface(self.surfaces[k], p);
            if nearest.is_none_or(|(_, best)| foot.distance < best.distance) {
                nearest = Some((k, foot));
            }
        }
        let (k, foot) = nearest?;
        self.last.set(Some((k, foot.parameters)));
        Some((self.surfaces[k], foot))
    }
}
