//! How far a loft stays from its sections, by its own places and not by how it was made.

use geometry::{NurbsCurve, NurbsSurface, Point3, closest_on_curve};

/// Where every face is measured, as shares of its width: between the places by which sections are usually divided.
const MEASURED: [f64; 3] = [0.13, 0.52, 0.91];

/// The largest distance in millimetres of surfaces' places from the sections that they pass there: `surfaces` are faces side
/// by side, of which each passes section `i` at the parameter `at[i]`.
pub(super) fn largest_miss<'a>(
    surfaces: impl Iterator<Item = &'a NurbsSurface> + Clone,
    at: &[f64],
    sections: &[(&[NurbsCurve], Option<Point3>)],
) -> f64 {
    let mut worst: f64 = 0.0;
    for (&v, &(pieces, point)) in at.iter().zip(sections) {
        for surface in surfaces.clone() {
            let width = surface.domain().0;
            for share in MEASURED {
                let place = surface.point(width.at(share), v);
                let off = match point {
                    Some(point) => (place - point).norm(),
                    None => nearest(pieces, &place),
                };
                worst = worst.max(off);
            }
        }
    }
    worst
}

fn nearest(pieces: &[NurbsCurve], place: &Point3) -> f64 {
    let mut nearest = f64::INFINITY;
    for piece in pieces {
        // Nothing of a piece is nearer than its control points' ball.
        let middle = piece.point(piece.domain().at(0.5));
        let reach = piece.control_points().iter().map(|p| (p - middle).norm()).fold(0.0, f64::max);
        if (place - middle).norm() - reach < nearest {
            nearest = nearest.min(closest_on_curve(piece, place).distance);
        }
    }
    nearest
}
