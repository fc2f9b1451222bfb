//! Places of neighbouring surfaces along a curve that lies on them.

use std::cell::Cell;
use std::sync::Arc;

use geometry::{NurbsSurface, OnSurface, Point3, closest_on_surface, nearby_on_surface};

/// Surfaces on which places are asked for one after the other, each near the one before.
pub(crate) struct Feet<'a> {
    surfaces: Vec<&'a Arc<NurbsSurface>>,
    /// How near a place must be for no other one to be looked for, in millimetres.
    within: f64,
    last: Cell<Option<(usize, [f64; 2])>>,
}

impl<'a> Feet<'a> {
    pub(crate) fn new(surfaces: impl IntoIterator<Item = &'a Arc<NurbsSurface>>, within: f64) -> Self {
        Self { surfaces: surfaces.into_iter().collect(), within, last: Cell::new(None) }
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
        let feet = self.surfaces.iter().enumerate().map(|(k, s)| (k, closest_on_surface(s, p)));
        let (k, foot) = feet.min_by(|a, b| a.1.distance.total_cmp(&b.1.distance))?;
        self.last.set(Some((k, foot.parameters)));
        Some((self.surfaces[k], foot))
    }
}
