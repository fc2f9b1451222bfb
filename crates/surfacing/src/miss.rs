//! What was given to a skin, held against the faces that were made of it: by their own places, and not by how they were made.

use geometry::{NurbsCurve, Point3};
use topology::Body;

use crate::feet::Feet;

/// Shares of each knot span at which a curve is looked at: none of them where it is usually divided.
const LOOKED_AT: [f64; 2] = [0.31, 0.77];
/// Places of a curve at most; of one with more spans those that are as far apart.
const MOST: usize = 32;

/// Places per span at which a curve is looked at that the faces leave.
const CLOSELY: usize = 16;

/// Where what was made stays off what it was given.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Miss {
    /// How far, in millimetres.
    pub distance: f64,
    /// The place of what was given.
    pub at: Point3,
}

/// Where curves stay farthest off the faces of a body. What is more than `allowed`, in millimetres, is looked at more closely.
pub(crate) fn farthest<'a>(
    body: &Body,
    curves: impl IntoIterator<Item = &'a NurbsCurve>,
    allowed: f64,
) -> Option<Miss> {
    let shells = body.shells();
    let faces = Feet::new(shells.iter().flat_map(|s| s.faces()).map(|f| &f.surface), allowed);
    let largest = |a: &Miss, b: &Miss| a.distance.total_cmp(&b.distance);
    let off = |curve: &NurbsCurve, places: Vec<f64>| {
        let off = |t: f64| {
            let at = curve.point(t);
            Some(Miss { distance: faces.nearest(&at)?.1.distance, at })
        };
        places.into_iter().filter_map(off).max_by(largest)
    };
    let of_curve = |curve: &'a NurbsCurve| {
        let seen = off(curve, places(curve))?;
        if seen.distance <= allowed {
            return Some(seen);
        }
        off(curve, curve.knots().sampled(CLOSELY)).into_iter().chain([seen]).max_by(largest)
    };
    curves.into_iter().filter_map(of_curve).max_by(largest)
}

/// The same, if it is more than allowed.
pub(crate) fn missed<'a>(
    body: &Body,
    curves: impl IntoIterator<Item = &'a NurbsCurve>,
    allowed: f64,
) -> Option<Miss> {
    farthest(body, curves, allowed).filter(|miss| miss.distance > allowed)
}

fn places(curve: &NurbsCurve) -> Vec<f64> {
    let d = curve.domain();
    let breaks = curve.knots().breaks();
    let all: Vec<f64> =
        breaks.windows(2).flat_map(|w| LOOKED_AT.map(|share| w[0] + share * (w[1] - w[0]))).collect();
    let every = all.len().div_ceil(MOST);
    std::iter::once(d.start).chain(all.into_iter().step_by(every)).chain([d.end]).collect()
}
