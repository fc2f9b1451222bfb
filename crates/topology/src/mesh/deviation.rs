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

/// Largest distance of the surface from the triangles' planes, at their centres and the middles of inner sides.
pub(super) fn deviation(
    surface: &NurbsSurface,
    corners: &[([f64; 2], u32)],
    triangles: &[[u32; 3]],
    place: &impl Fn(u32) -> Point3,
    boundary_count: usize,
) -> f64 {
    let mut worst: f64 = 0.0;
    for t in triangles {
        let [a, b, c] = t.map(place);
        let normal = (b - a).cross(&(c - a));
        let length = normal.norm();
        if length < 1e-12 {
            continue;
        }
        let normal = normal / length;
        let uv = t.map(|i| corners[i as usize].0);
        let mut look = |weights: [f64; 3]| {
            let at = |k: usize| weights[0] * uv[0][k] + weights[1] * uv[1][k] + weights[2] * uv[2][k];
            worst = worst.max((surface.point(at(0), at(1)) - a).dot(&normal).abs());
        };
        look([1.0 / 3.0; 3]);
        for (i, weights) in [(0, [0.5, 0.5, 0.0]), (1, [0.0, 0.5, 0.5]), (2, [0.5, 0.0, 0.5])] {
            // A side between two boundary points may be the boundary itself, which was measured as an edge.
            let on_boundary = |k: usize| (t[k] as usize) < boundary_count;
            if !(on_boundary(i) && on_boundary((i + 1) % 3)) {
                look(weights);
            }
        }
    }
    worst
}
