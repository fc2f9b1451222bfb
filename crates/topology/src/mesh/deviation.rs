//! How far triangles are from their surface.

use geometry::{NurbsSurface, Point3};

/// As `deviation`, for the squares of a grid: their middles and those of their sides lie on a grid twice as fine.
pub(super) fn grid_deviation(surface: &NurbsSurface, us: &[f64], vs: &[f64], inner: &[Point3]) -> f64 {
    let halved = |lines: &[f64]| -> Vec<f64> {
        let between = lines.windows(2).flat_map(|w| [w[0], 0.5 * (w[0] + w[1])]);
        between.chain(lines.last().copied()).collect()
    };
    let (fine_us, fine_vs) = (halved(us), halved(vs));
    let fine = surface.grid(&fine_us, &fine_vs);
    let rows = vs.len();
    let mut worst: f64 = 0.0;
    for i in 1..us.len() {
        for j in 1..rows {
            let corner = |k: usize, l: usize| inner[(i - 1 + k) * rows + j - 1 + l];
            let middle = |k: usize, l: usize| fine[(2 * i - 2 + k) * fine_vs.len() + 2 * j - 2 + l];
            let [a, b, c, d] = [corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)];
            let [ab, bc, cd, da] = [middle(1, 0), middle(2, 1), middle(1, 2), middle(0, 1)];
            let halves = if (i + j) % 2 == 0 {
                [([a, b, c], [ab, bc]), ([a, c, d], [cd, da])]
            } else {
                [([a, b, d], [ab, da]), ([b, c, d], [bc, cd])]
            };
            for ([a, b, c], sides) in halves {
                let normal = (b - a).cross(&(c - a));
                let length = normal.norm();
                if length >= 1e-12 {
                    let off = |p: &Point3| (p - a).dot(&normal).abs() / length;
                    worst = worst.max(off(&sides[0])).max(off(&sides[1])).max(off(&middle(1, 1)));
                }
            }
        }
    }
    worst
}

/// A place of a triangle.
#[derive(Debug, Clone, Copy)]
pub(super) enum Place {
    /// The middle of a side.
    Side([u32; 2]),
    /// Its own middle.
    Middle,
}

/// How far a triangle is off.
#[derive(Debug, Clone, Copy)]
pub(super) struct Off {
    /// The largest distance of the surface from its plane, in mm.
    pub worst: f64,
    /// Where a corner more would bring it nearer; none where only its boundary's chord is off.
    pub place: Option<Place>,
    /// The side of the boundary that the triangle lies on, by its first corner.
    pub side: Option<usize>,
}

/// The distance of the surface from a triangle's plane, at its centre and the middles of its inner sides. The boundary comes
/// as its sides, which begin at corners of their own numbers, with the tolerance.
pub(super) fn off(
    surface: &NurbsSurface,
    corners: &[([f64; 2], u32)],
    triangle: [u32; 3],
    place: &impl Fn(u32) -> Point3,
    (boundary, tolerance): (&[[usize; 2]], f64),
) -> Off {
    let mut made = Off { worst: 0.0, place: None, side: None };
    let [a, b, c] = triangle.map(place);
    let normal = (b - a).cross(&(c - a));
    let length = normal.norm();
    if length < 1e-12 {
        return made;
    }
    let normal = normal / length;
    let uv = triangle.map(|i| corners[i as usize].0);
    let look = |weights: [f64; 3]| {
        let at = [0, 1].map(|k| weights[0] * uv[0][k] + weights[1] * uv[1][k] + weights[2] * uv[2][k]);
        (surface.point(at[0], at[1]) - a).dot(&normal).abs()
    };
    for (i, weights) in [(0, [0.5, 0.5, 0.0]), (1, [0.0, 0.5, 0.5]), (2, [0.5, 0.0, 0.5])] {
        let ends = [triangle[i], triangle[(i + 1) % 3]];
        // What is the boundary itself was measured as an edge.
        let is_side = |from: u32, to: u32| boundary.get(from as usize).is_some_and(|s| s[1] == to as usize);
        match () {
            () if is_side(ends[0], ends[1]) => made.side = Some(ends[0] as usize),
            () if is_side(ends[1], ends[0]) => made.side = Some(ends[1] as usize),
            () => {
                let off = look(weights);
                if off > made.worst {
                    (made.worst, made.place) = (off, Some(Place::Side(ends)));
                }
            }
        }
    }
    let off = look([1.0 / 3.0; 3]);
    if made.worst <= tolerance {
        // Beside a chord of the boundary this is as far off as that is, and would be nearer to it too.
        made.place = made.side.is_none().then_some(Place::Middle);
    }
    made.worst = made.worst.max(off);
    made
}
