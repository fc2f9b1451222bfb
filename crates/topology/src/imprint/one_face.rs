//! Faces that lie on each other.

use geometry::{NurbsSurface, OnSurface, Point3, Tolerance, closest_on_surface, closest_within};

use super::arena::ArenaFace;

/// Places of one face that are held against the other.
const HELD: usize = 9;
/// Sine of the angle between normals above which faces cross.
const LEVEL: f64 = 0.02;

/// Whether two faces' surfaces are one where both are.
pub(super) fn lie_on_each_other(a: &ArenaFace, b: &ArenaFace, tolerance: &Tolerance) -> bool {
    let (mut together, mut far) = (false, Vec::new());
    for (from, to) in [(a, b), (b, a)] {
        for p in places(from) {
            let at = from.surface.point(p[0], p[1]);
            let Some(foot) = closest_within(&to.surface, &at, tolerance.fit) else {
                far.push((&to.surface, at));
                continue;
            };
            if !inner(&to.surface, &foot) {
                continue;
            }
            let level = match (from.surface.normal(p[0], p[1]), normal(&to.surface, &foot)) {
                (Some(m), Some(n)) => m.cross(&n).norm() <= LEVEL,
                _ => true,
            };
            if !level {
                return false;
            }
            together = true;
        }
    }
    // Those that are far from the other may only be so beyond its border.
    together && far.iter().all(|(to, at)| !inner(to, &closest_on_surface(to, at)))
}

fn normal(surface: &NurbsSurface, at: &OnSurface) -> Option<nalgebra::Vector3<f64>> {
    surface.normal(at.parameters[0], at.parameters[1])
}

/// Whether a foot is inside the surface's domain, so that it is square below what it is the foot of.
fn inner(surface: &NurbsSurface, foot: &OnSurface) -> bool {
    let domains: [geometry::Domain; 2] = surface.domain().into();
    let closed = surface.closes(1e-9);
    (0..2).all(|k| {
        let (t, d) = (foot.parameters[k], domains[k]);
        let margin = 1e-9 * d.length();
        closed[k] || (t > d.start + margin && t < d.end - margin)
    })
}

/// Places spread over a face.
fn places(face: &ArenaFace) -> Vec<[f64; 2]> {
    let (low, high) = (face.outline.low, face.outline.high);
    let mut out: Vec<[f64; 2]> = Vec::new();
    // A lattice of golden sections, so that no line of it is a line of the surface.
    for k in 0..8 * HELD {
        let at = [0.5 + 0.754_877_666 * k as f64, 0.5 + 0.569_840_291 * k as f64];
        let p = [0, 1].map(|i| low[i] + (high[i] - low[i]) * at[i].fract());
        if face.outline.holds(p) {
            out.push(p);
        }
        if out.len() == HELD {
            break;
        }
    }
    out
}

/// A place inside an outline of one face, if it lies on the other face's surface: its parameters there.
pub(super) fn on_other(
    from: &NurbsSurface,
    at: [f64; 2],
    to: &NurbsSurface,
    tolerance: &Tolerance,
) -> Option<[f64; 2]> {
    let p: Point3 = from.point(at[0], at[1]);
    closest_within(to, &p, 2.0 * tolerance.fit).map(|foot| foot.parameters)
}
