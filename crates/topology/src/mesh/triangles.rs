//! Triangles over a face's parameter plane.

use geometry::{Box3, BoxTree, Point3, box_of, check_work};
use robust::{Coord, orient2d};
use spade::{ConstrainedDelaunayTriangulation, HasPosition, Point2, PositionInTriangulation, Triangulation};

use super::corners::Corners;

#[derive(Clone, Copy)]
struct Site {
    at: Point2<f64>,
    index: u32,
}

impl Site {
    fn new([x, y]: [f64; 2], index: u32) -> Self {
        // What is nothing but rounding would be too small for the triangulation's exact arithmetic.
        Self { at: Point2::new(or_zero(x), or_zero(y)), index }
    }
}

/// How a parameter plane is laid out for triangles.
#[derive(Clone, Copy)]
pub(super) enum Plan<'a> {
    /// By what one unit of u and of v measures.
    Scaled([f64; 2]),
    /// Each cell between grid lines as a square, however long: where lines lie close in one place and far apart in another, a
    /// corner more would else draw triangles across many of them.
    Cells([&'a [f64]; 2]),
}

impl Plan<'_> {
    /// Where parameters are laid out.
    fn at(&self, uv: [f64; 2]) -> [f64; 2] {
        match self {
            Self::Scaled(scale) => [uv[0] * scale[0], uv[1] * scale[1]],
            Self::Cells(lines) => [0, 1].map(|k| {
                let (lines, x) = (lines[k], uv[k]);
                let i = lines.partition_point(|l| *l <= x).clamp(1, lines.len() - 1);
                (i - 1) as f64 + (x - lines[i - 1]) / (lines[i] - lines[i - 1])
            }),
        }
    }

    /// The parameters that are laid out at a place.
    fn parameters(&self, at: [f64; 2]) -> [f64; 2] {
        match self {
            Self::Scaled(scale) => [at[0] / scale[0], at[1] / scale[1]],
            Self::Cells(lines) => [0, 1].map(|k| {
                let lines = lines[k];
                let i = (at[k].floor().max(0.0) as usize).min(lines.len() - 2);
                lines[i] + (at[k] - i as f64) * (lines[i + 1] - lines[i])
            }),
        }
    }
}

impl HasPosition for Site {
    type Scalar = f64;
    fn position(&self) -> Point2<f64> {
        // The triangulation asks for places in each of its loops, and has no switch of its own by which it could be stopped.
        check_work();
        self.at
    }
}

/// Triangles of a face that is its surface's whole domain: squares between the inner grid points, and a strip along
/// each side that joins the side's own samples to the outermost grid line.
pub(super) fn grid_triangles(
    corners: &Corners,
    side_starts: &[usize],
    boundary_count: usize,
    columns: usize,
    rows: usize,
) -> Vec<[u32; 3]> {
    let inner = |i: usize, j: usize| (boundary_count + i * rows + j) as u32;
    let mut triangles = Vec::with_capacity(2 * columns * rows + 2 * boundary_count);
    for i in 1..columns {
        for j in 1..rows {
            let (a, b, c, d) = (inner(i - 1, j - 1), inner(i, j - 1), inner(i, j), inner(i - 1, j));
            // The diagonals alternate, so that no direction is favoured.
            if (i + j) % 2 == 0 {
                triangles.extend([[a, b, c], [a, c, d]]);
            } else {
                triangles.extend([[a, b, d], [b, c, d]]);
            }
        }
    }
    for (side, &start) in side_starts.iter().enumerate() {
        let end = side_starts.get(side + 1).copied().unwrap_or(boundary_count);
        let outer: Vec<u32> = (start..=end).map(|k| (k % boundary_count) as u32).collect();
        let at = |corner: u32| corners[corner as usize].0;
        let (a, b) = (at(outer[0]), at(outer[outer.len() - 1]));
        // Which side it is follows from where it runs: along u or along v, forwards or backwards.
        let line: Vec<u32> = if (b[0] - a[0]).abs() > 0.0 {
            let row = if b[0] > a[0] { 0 } else { rows - 1 };
            let forward = (0..columns).map(|i| inner(i, row));
            if b[0] > a[0] { forward.collect() } else { forward.rev().collect() }
        } else {
            let column = if b[1] > a[1] { columns - 1 } else { 0 };
            let forward = (0..rows).map(|j| inner(column, j));
            if b[1] > a[1] { forward.collect() } else { forward.rev().collect() }
        };
        let along = |corner: u32| {
            let p = at(corner);
            (p[0] - a[0]) * (b[0] - a[0]) + (p[1] - a[1]) * (b[1] - a[1])
        };
        let (mut i, mut j) = (0, 0);
        while i + 1 < outer.len() || j + 1 < line.len() {
            let outer_next = j + 1 == line.len()
                || (i + 1 < outer.len()
                    && along(outer[i]) + along(outer[i + 1]) <= along(line[j]) + along(line[j + 1]));
            if outer_next {
                triangles.push([outer[i], outer[i + 1], line[j]]);
                i += 1;
            } else {
                triangles.push([outer[i], line[j + 1], line[j]]);
                j += 1;
            }
        }
    }
    triangles
}

/// Constrained Delaunay triangles inside the boundary, in a parameter plane as it is laid out.
pub(super) struct Delaunay<'a> {
    cdt: ConstrainedDelaunayTriangulation<Site>,
    plan: Plan<'a>,
}

impl<'a> Delaunay<'a> {
    pub(super) fn new(
        corners: &Corners,
        constraints: &[[usize; 2]],
        plan: Plan<'a>,
    ) -> Result<Self, (String, Vec<usize>)> {
        let site = |(i, (uv, _)): (usize, &([f64; 2], u32))| Site::new(plan.at(*uv), i as u32);
        let sites: Vec<Site> = corners.iter().enumerate().map(site).collect();
        // Found beforehand: among sides that cross, the triangulation can go on without end.
        let crossed = crossing_sides(&sites, constraints);
        if !crossed.is_empty() {
            return Err((format!("its boundary crosses itself at {} places", crossed.len()), crossed));
        }
        let mut crossed: Vec<usize> = Vec::new();
        let cdt = ConstrainedDelaunayTriangulation::<Site>::try_bulk_load_cdt(
            sites,
            constraints.to_vec(),
            |side| {
                crossed.push(side[0]);
            },
        )
        .map_err(|e| (e.to_string(), Vec::new()))?;
        if !crossed.is_empty() {
            return Err((format!("its boundary crosses itself at {} places", crossed.len()), crossed));
        }
        Ok(Self { cdt, plan })
    }

    /// Triples of the corners' numbers.
    pub(super) fn triangles(&self) -> Vec<[u32; 3]> {
        let kept = kept_faces(&self.cdt);
        let inside = self.cdt.inner_faces().filter(|f| kept[f.fix().index()]);
        inside.map(|f| f.vertices().map(|v| v.data().index)).collect()
    }

    /// The parameters in the middle of a triangle or of a side of one, as they are laid out: what is in the middle by the parameters
    /// may lie in another triangle.
    pub(super) fn middle(&self, corners: &[[f64; 2]]) -> [f64; 2] {
        let places: Vec<[f64; 2]> = corners.iter().map(|uv| self.plan.at(*uv)).collect();
        self.plan.parameters([0, 1].map(|k| places.iter().map(|p| p[k]).sum::<f64>() / places.len() as f64))
    }

    /// Puts in one more corner, inside the boundary; not where there is one already.
    pub(super) fn insert(&mut self, uv: [f64; 2], index: u32) -> bool {
        let site = Site::new(self.plan.at(uv), index);
        let is_free = match self.cdt.locate(site.at) {
            PositionInTriangulation::OnFace(_) => true,
            PositionInTriangulation::OnEdge(edge) => !self.cdt.is_constraint_edge(edge.as_undirected()),
            _ => false,
        };
        is_free && self.cdt.insert(site).is_ok()
    }
}

/// Corners at which sides begin that cross another one, or lie on it for a way.
fn crossing_sides(sites: &[Site], sides: &[[usize; 2]]) -> Vec<usize> {
    let at = |i: usize| [sites[i].at.x, sites[i].at.y];
    let point = |i: usize| Point3::new(sites[i].at.x, sites[i].at.y, 0.0);
    let boxes: Vec<Box3> = sides.iter().map(|s| box_of(s.map(point).iter())).collect();
    let tree = BoxTree::new(boxes.iter().copied().zip(0..));
    let meets = |i: usize, j: usize| {
        let ([a, b], [c, d]) = (sides[i].map(at), sides[j].map(at));
        // A side that is run along both ways is a slit, which is one side to the triangulation.
        if a == b || c == d || [a, b] == [c, d] || [a, b] == [d, c] {
            return false;
        }
        let turn = |p: [f64; 2], q: [f64; 2], r: [f64; 2]| {
            let coord = |[x, y]: [f64; 2]| Coord { x, y };
            orient2d(coord(p), coord(q), coord(r))
        };
        let (of_c, of_d, of_a, of_b) = (turn(a, b, c), turn(a, b, d), turn(c, d, a), turn(c, d, b));
        if of_c == 0.0 && of_d == 0.0 {
            // On one line: more than a corner in common is a way.
            let axis = usize::from((b[1] - a[1]).abs() > (b[0] - a[0]).abs());
            let span = |p: [f64; 2], q: [f64; 2]| (p[axis].min(q[axis]), p[axis].max(q[axis]));
            let ((l, h), (m, k)) = (span(a, b), span(c, d));
            return l.max(m) < h.min(k);
        }
        let apart = |x: f64, y: f64| x != 0.0 && y != 0.0 && (x > 0.0) != (y > 0.0);
        apart(of_c, of_d) && apart(of_a, of_b)
    };
    let mut crossed = Vec::new();
    for i in 0..sides.len() {
        check_work();
        let others = tree.meeting(&boxes[i]).into_iter().filter(|&j| j > i);
        for j in others.filter(|&j| meets(i, j)) {
            crossed.extend([sides[i][0], sides[j][0]]);
        }
    }
    crossed
}

/// Triangles inside the boundary: crossing a constraint from outside changes between out and in.
fn kept_faces(cdt: &ConstrainedDelaunayTriangulation<Site>) -> Vec<bool> {
    let mut kept = vec![None; cdt.num_all_faces()];
    let outer = cdt.outer_face().fix().index();
    kept[outer] = Some(false);
    let mut neighbours: Vec<Vec<(usize, bool)>> = vec![Vec::new(); cdt.num_all_faces()];
    for edge in cdt.undirected_edges() {
        let directed = edge.as_directed();
        let (a, b) = (directed.face().fix().index(), directed.rev().face().fix().index());
        let wall = cdt.is_constraint_edge(edge.fix());
        neighbours[a].push((b, wall));
        neighbours[b].push((a, wall));
    }
    let mut queue = std::collections::VecDeque::from([outer]);
    while let Some(face) = queue.pop_front() {
        let here = kept[face] == Some(true);
        for &(next, wall) in &neighbours[face] {
            if kept[next].is_none() {
                kept[next] = Some(here != wall);
                queue.push_back(next);
            }
        }
    }
    kept.into_iter().map(|k| k == Some(true)).collect()
}

fn or_zero(x: f64) -> f64 {
    if x.abs() < 1e-40 { 0.0 } else { x }
}
