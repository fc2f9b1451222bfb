//! Triangle meshes whose faces share their edges' samples.
//!
//! Each edge is sampled once by chord and angle; each face is a constrained Delaunay triangulation of its parameter
//! plane, scaled to the surface's own lengths, with inner points spaced by curvature. Faces use the edges' points
//! by number, so that a closed shell gives a watertight mesh without any merging afterwards.

use geometry::{Domain, NurbsCurve, NurbsSurface, Point3, Vector3, parameter_lines};
use rayon::prelude::*;
use spade::{ConstrainedDelaunayTriangulation, HasPosition, Point2, Triangulation};

use crate::{EdgeId, Face, FaceId, OrientedEdge, Shell, TopologyError};

/// Rounds of refinement for a face whose measured deviation is still above the tolerance.
const MAX_ROUNDS: usize = 5;
const MAX_HALVINGS: u32 = 14;
/// How often chords that cross are divided.
const MAX_DIVISIONS: usize = 10;
/// How near the boundary a point of the grid may be, as a share of its narrowest cell.
const BESIDE: f64 = 0.1;

/// How fine a mesh is to be.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MeshTolerance {
    /// Largest distance between a triangle and its surface, in millimetres.
    pub chord: f64,
    /// Largest turn of the tangent along one triangle side, in radians.
    pub angle: f64,
}

impl MeshTolerance {
    /// A chord tolerance with an angle limit of 20 degrees, which keeps small rounds round.
    #[must_use]
    pub fn chord(chord: f64) -> Self {
        Self { chord, angle: 20f64.to_radians() }
    }
}

/// A corner of a face's triangles.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MeshVertex {
    /// Index into the mesh's positions.
    pub position: u32,
    /// Outward unit normal of this face here.
    pub normal: Vector3,
    /// Surface parameters.
    pub uv: [f64; 2],
}

/// The triangles of one face.
#[derive(Debug, Clone, PartialEq)]
pub struct FaceMesh {
    /// The face.
    pub face: FaceId,
    /// Corners.
    pub vertices: Vec<MeshVertex>,
    /// Triples of corner indices, counter-clockwise seen from outside.
    pub triangles: Vec<[u32; 3]>,
}

/// A mesh of a shell.
#[derive(Debug, Clone, PartialEq)]
pub struct Mesh {
    /// Points in space, each place once.
    pub positions: Vec<Point3>,
    /// One entry per face of the shell.
    pub faces: Vec<FaceMesh>,
    /// Per edge of the shell the positions along it; empty for poles.
    pub edges: Vec<Vec<u32>>,
    /// Largest measured distance between a triangle and its surface, in millimetres.
    pub max_deviation: f64,
    /// Whether that is within the tolerance.
    pub converged: bool,
}

impl Mesh {
    /// All triangles as triples of positions.
    pub fn triangles(&self) -> impl Iterator<Item = [u32; 3]> {
        self.faces
            .iter()
            .flat_map(|f| f.triangles.iter().map(|t| t.map(|corner| f.vertices[corner as usize].position)))
    }
}

/// The mesh of a shell within `tolerance`.
///
/// # Tolerance
/// The deviation is measured at each triangle's centre and side middles and reported; not a rigorous guarantee.
/// Triangles grow as `1 / chord`.
///
/// # Errors
/// `Mesh` for a face whose boundary crosses itself in its parameter plane.
pub fn mesh(shell: &Shell, tolerance: MeshTolerance) -> Result<Mesh, TopologyError> {
    let lines: Vec<Lines> = shell
        .faces()
        .par_iter()
        .map(|face| parameter_lines(&face.surface, tolerance.chord, tolerance.angle, 1.0))
        .collect();
    let mut along = edge_samples(shell, &lines, tolerance);
    let mut rounds = 0;
    loop {
        match mesh_along(shell, &lines, &along, tolerance) {
            Ok(mesh) => return Ok(mesh),
            Err(crossing) if crossing.chords.is_empty() || rounds == MAX_DIVISIONS => {
                return Err(TopologyError::Mesh { face: crossing.face, reason: crossing.reason });
            }
            // In a narrow face, chords of one side can cross the other; they do not once they are short enough.
            Err(crossing) => crossing.divide(&mut along),
        }
        rounds += 1;
    }
}

/// Chords of edges that cross on a face.
struct Crossing {
    face: usize,
    reason: String,
    /// Edges with the numbers of their chords.
    chords: Vec<(EdgeId, usize)>,
}

impl Crossing {
    fn divide(mut self, along: &mut [Vec<f64>]) {
        // From behind, so that the numbers of the others stay.
        self.chords.sort_unstable_by(|a, b| b.cmp(a));
        self.chords.dedup();
        for (edge, chord) in self.chords {
            let along = &mut along[edge.index()];
            let d = Domain::new(along[chord], along[chord + 1]);
            along.splice(chord + 1..chord + 1, [d.at(1.0 / 3.0), d.at(2.0 / 3.0)]);
        }
    }
}

fn mesh_along(
    shell: &Shell,
    lines: &[Lines],
    along: &[Vec<f64>],
    tolerance: MeshTolerance,
) -> Result<Mesh, Crossing> {
    let mut positions: Vec<Point3> = shell.vertices().iter().map(|v| v.point).collect();
    let mut samples: Vec<Vec<(f64, u32)>> = Vec::with_capacity(shell.edges().len());
    for (edge, along) in shell.edges().iter().zip(along) {
        let last = along.len().saturating_sub(1);
        let number = |(k, t): (usize, f64)| {
            let vertex = match (&edge.curve, k) {
                (_, 0) => edge.start.0,
                (_, k) if k == last => edge.end.0,
                (Some(curve), _) => {
                    positions.push(curve.point(t));
                    positions.len() as u32 - 1
                }
                (None, _) => edge.start.0,
            };
            (t, vertex)
        };
        samples.push(along.iter().copied().enumerate().map(number).collect());
    }
    let meshed: Vec<MeshedFace> = (0..shell.faces().len())
        .into_par_iter()
        .map(|i| mesh_face(shell, FaceId(i as u32), &lines[i], &samples, &positions, tolerance))
        .collect::<Result<_, _>>()?;
    let (mut faces, mut max_deviation) = (Vec::with_capacity(meshed.len()), 0f64);
    for mut face in meshed {
        let shift = positions.len() as u32 - face.first_inner;
        for v in &mut face.mesh.vertices {
            if v.position >= face.first_inner {
                v.position += shift;
            }
        }
        positions.extend(face.inner);
        max_deviation = max_deviation.max(face.deviation);
        faces.push(face.mesh);
    }
    let edges = samples.iter().map(|s| s.iter().map(|(_, p)| *p).collect()).collect();
    Ok(Mesh { positions, faces, edges, max_deviation, converged: max_deviation <= tolerance.chord })
}

/// Grid lines of a face's surface in u and in v.
type Lines = (Vec<f64>, Vec<f64>);

/// Parameters along every edge, ends included: as fine as its own bend asks for, and as the grid lines of its faces, since a
/// face that is fine inside and coarse along its border would never come within the tolerance there. None for poles.
fn edge_samples(shell: &Shell, lines: &[Lines], tolerance: MeshTolerance) -> Vec<Vec<f64>> {
    let mut samples: Vec<Vec<f64>> = Vec::with_capacity(shell.edges().len());
    for edge in shell.edges() {
        samples.push(edge.curve.as_ref().map_or_else(Vec::new, |curve| {
            let d = curve.domain();
            let inner = edge_parameters(curve, tolerance);
            std::iter::once(d.start).chain(inner).chain([d.end]).collect()
        }));
    }
    let mut parts: Vec<Vec<usize>> = samples.iter().map(|s| vec![1; s.len().saturating_sub(1)]).collect();
    for (face, (us, vs)) in shell.faces().iter().zip(lines) {
        for used in face.loops.iter().flat_map(|l| &l.edges) {
            let along = &samples[used.edge.index()];
            for (pair, count) in along.windows(2).zip(&mut parts[used.edge.index()]) {
                let (p, q) = (used.pcurve.point(pair[0]), used.pcurve.point(pair[1]));
                let crossed = |lines: &[f64], a: f64, b: f64| {
                    let below = |x: f64| lines.partition_point(|l| *l < x);
                    below(a.max(b)) - below(a.min(b))
                };
                *count = (*count).max(crossed(us, p.x, q.x)).max(crossed(vs, p.y, q.y));
            }
        }
    }
    for (along, parts) in samples.iter_mut().zip(&parts) {
        let Some(&first) = along.first() else { continue };
        let divided = along.windows(2).zip(parts).flat_map(|(pair, &count)| {
            let d = Domain::new(pair[0], pair[1]);
            (1..count).map(move |k| d.at(k as f64 / count as f64)).chain([pair[1]])
        });
        *along = std::iter::once(first).chain(divided).collect();
    }
    samples
}

/// Inner parameters of an edge so that chords stay within the tolerance.
fn edge_parameters(curve: &NurbsCurve, tolerance: MeshTolerance) -> Vec<f64> {
    let breaks = curve.knots().breaks();
    let mut out = Vec::new();
    for (k, pair) in breaks.windows(2).enumerate() {
        if k > 0 {
            out.push(pair[0]);
        }
        halve(curve, pair[0], pair[1], tolerance, 0, &mut out);
    }
    out
}

fn halve(curve: &NurbsCurve, a: f64, b: f64, tolerance: MeshTolerance, depth: u32, out: &mut Vec<f64>) {
    let m = 0.5 * (a + b);
    let (pa, da) = curve.derivatives(a);
    let (pb, db) = curve.derivatives(b);
    let chord = pb - pa;
    let length_sq = chord.norm_squared();
    let off = |t: f64| {
        let d = curve.point(t) - pa;
        if length_sq == 0.0 { d.norm() } else { (d - chord * (d.dot(&chord) / length_sq)).norm() }
    };
    let turn = if curve.degree() == 1 { 0.0 } else { da[0].angle(&db[0]) };
    let fine = turn <= tolerance.angle
        && off(m).max(off(0.75 * a + 0.25 * b)).max(off(0.25 * a + 0.75 * b)) <= tolerance.chord;
    if fine || depth >= MAX_HALVINGS {
        return;
    }
    halve(curve, a, m, tolerance, depth + 1, out);
    out.push(m);
    halve(curve, m, b, tolerance, depth + 1, out);
}

struct MeshedFace {
    mesh: FaceMesh,
    /// Positions from this number on are the face's own, numbered as if no other face had any.
    first_inner: u32,
    inner: Vec<Point3>,
    deviation: f64,
}

#[derive(Clone, Copy)]
struct Site {
    at: Point2<f64>,
    index: u32,
}

impl HasPosition for Site {
    type Scalar = f64;
    fn position(&self) -> Point2<f64> {
        self.at
    }
}

fn mesh_face(
    shell: &Shell,
    id: FaceId,
    lines: &Lines,
    samples: &[Vec<(f64, u32)>],
    positions: &[Point3],
    tolerance: MeshTolerance,
) -> Result<MeshedFace, Crossing> {
    let face = shell.face(id);
    let mut density = 1.0;
    loop {
        let denser;
        let lines = if density > 1.0 {
            denser = parameter_lines(&face.surface, tolerance.chord, tolerance.angle, density);
            &denser
        } else {
            lines
        };
        let meshed = triangulate(shell, id, face, samples, positions, lines)?;
        let rounds_left = density < 2f64.powi(MAX_ROUNDS as i32);
        if meshed.deviation <= tolerance.chord || !rounds_left {
            return Ok(meshed);
        }
        density *= (1.1 * (meshed.deviation / tolerance.chord).sqrt()).clamp(1.2, 4.0);
    }
}

fn triangulate(
    shell: &Shell,
    id: FaceId,
    face: &Face,
    samples: &[Vec<(f64, u32)>],
    positions: &[Point3],
    (us, vs): &Lines,
) -> Result<MeshedFace, Crossing> {
    let surface = &face.surface;
    // Boundary: every loop's edge samples as parameter points with the numbers of their positions.
    let mut corners: Vec<([f64; 2], u32)> = Vec::new();
    let mut constraints: Vec<[usize; 2]> = Vec::new();
    let mut side_starts = Vec::new();
    for l in &face.loops {
        let first = corners.len();
        for used in &l.edges {
            side_starts.push(corners.len());
            let along = &samples[used.edge.index()];
            let mut place = |t: f64, position: u32| {
                let p = used.pcurve.point(t);
                corners.push(([p.x, p.y], position));
            };
            if along.is_empty() {
                let vertex = shell.edge(used.edge).start.0;
                let d = used.pcurve.domain();
                let steps = us.len().max(vs.len()) - 1;
                for k in 0..steps {
                    let f = k as f64 / steps as f64;
                    place(d.at(if used.forward { f } else { 1.0 - f }), vertex);
                }
            } else if used.forward {
                along[..along.len() - 1].iter().for_each(|&(t, p)| place(t, p));
            } else {
                along[1..].iter().rev().for_each(|&(t, p)| place(t, p));
            }
        }
        let count = corners.len() - first;
        constraints.extend((0..count).map(|k| [first + k, first + (k + 1) % count]));
    }
    unite_corners(&mut corners);
    part_corners(&mut corners, &constraints, scales(surface));
    let boundary_count = corners.len();
    let rectangular = face.is_whole();
    let polygon: Vec<[f64; 2]> = corners.iter().map(|c| c.0).collect();
    let inner_us = &us[1..us.len() - 1];
    let inner_vs = &vs[1..vs.len() - 1];
    let first_inner = positions.len() as u32;
    let mut inner = Vec::new();
    if rectangular {
        inner = surface.grid(inner_us, inner_vs);
        let grid = inner_us.iter().flat_map(|&u| inner_vs.iter().map(move |&v| [u, v]));
        corners.extend(grid.enumerate().map(|(k, uv)| (uv, first_inner + k as u32)));
    } else {
        let narrowest = |lines: &[f64]| lines.windows(2).map(|w| w[1] - w[0]).fold(f64::INFINITY, f64::min);
        // A point of the grid on the boundary would divide it on this face alone.
        let margin = [us, vs].map(|lines| BESIDE * narrowest(lines));
        for &u in inner_us {
            for &v in inner_vs {
                if inside(&polygon, &constraints, [u, v], margin) {
                    corners.push(([u, v], first_inner + inner.len() as u32));
                    inner.push(surface.point(u, v));
                }
            }
        }
    }
    let gridded = rectangular && inner_us.len().min(inner_vs.len()) > 0;
    let mut triangles = if gridded {
        grid_triangles(&corners, &side_starts, boundary_count, inner_us.len(), inner_vs.len())
    } else {
        delaunay_triangles(&corners, &constraints, scales(surface)).map_err(|(reason, crossed)| {
            let chords = chords_near(face, &corners, &constraints, &side_starts, samples, &crossed);
            Crossing { face: id.index(), reason, chords }
        })?
    };
    let place = |i: u32| {
        let position = corners[i as usize].1;
        if position >= first_inner {
            inner[(position - first_inner) as usize]
        } else {
            positions[position as usize]
        }
    };
    let deviation = if gridded {
        let grid = grid_deviation(surface, inner_us, inner_vs, &inner);
        let border = &triangles[2 * (inner_us.len() - 1) * (inner_vs.len() - 1)..];
        grid.max(deviation(surface, &corners, border, &place, boundary_count))
    } else {
        deviation(surface, &corners, &triangles, &place, boundary_count)
    };
    // At a pole several corners are one place.
    triangles.retain(|t| {
        let p = t.map(|i| corners[i as usize].1);
        p[0] != p[1] && p[1] != p[2] && p[2] != p[0]
    });
    if face.reversed {
        for t in &mut triangles {
            t.swap(1, 2);
        }
    }
    let facing = if face.reversed { -1.0 } else { 1.0 };
    let vertices = corners
        .iter()
        .map(|&(uv, position)| MeshVertex {
            position,
            normal: surface.normal(uv[0], uv[1]).map_or(Vector3::zeros(), |n| n * facing),
            uv,
        })
        .collect();
    Ok(MeshedFace { mesh: FaceMesh { face: id, vertices, triangles }, first_inner, inner, deviation })
}

/// Corner points of a face in its parameter plane, with the numbers of their positions.
type Corners = [([f64; 2], u32)];
/// Corners nearer than this share of their parameters are at one place.
const SAME_PLACE: f64 = 1e-12;
/// Corners of one vertex nearer than this share of their parameters are at one place.
const ROUNDED: f64 = 1e-9;

/// Brings corners of one vertex that are at one place but for rounding exactly there: a boundary comes by twice where it
/// touches itself.
fn unite_corners(corners: &mut Corners) {
    let mut by_vertex: Vec<usize> = (0..corners.len()).collect();
    by_vertex.sort_by_key(|&i| (corners[i].1, i));
    for i in 1..by_vertex.len() {
        let (before, here) = (by_vertex[i - 1], by_vertex[i]);
        let (a, b) = (corners[before], corners[here]);
        let near = |k: usize| (a.0[k] - b.0[k]).abs() <= ROUNDED * (a.0[k].abs() + 1.0);
        if a.1 == b.1 && near(0) && near(1) {
            corners[here].0 = a.0;
        }
    }
}

/// Moves corners of different vertices at one place, where a boundary touches itself, a hair into the face, each to its own
/// side, so that they can be told apart.
fn part_corners(corners: &mut Corners, sides: &[[usize; 2]], scale: [f64; 2]) {
    /// Share of the shorter side.
    const HAIR: f64 = 1e-6;
    let mut by_place: Vec<usize> = (0..corners.len()).collect();
    let key = |c: &[f64; 2]| c.map(|x| x + 0.0);
    by_place.sort_by(|&a, &b| {
        let (p, q) = (key(&corners[a].0), key(&corners[b].0));
        p[0].total_cmp(&q[0]).then(p[1].total_cmp(&q[1]))
    });
    let same = |a: &([f64; 2], u32), b: &([f64; 2], u32)| {
        a.1 != b.1 && (0..2).all(|k| (a.0[k] - b.0[k]).abs() <= SAME_PLACE * (a.0[k].abs() + 1.0))
    };
    let mut parted: Vec<usize> = Vec::new();
    for pair in by_place.windows(2).filter(|w| same(&corners[w[0]], &corners[w[1]])) {
        parted.extend(pair);
    }
    parted.sort_unstable();
    parted.dedup();
    let mut moved = Vec::with_capacity(parted.len());
    for i in parted {
        let Some(before) = sides.iter().find(|s| s[1] == i).map(|s| s[0]) else { continue };
        let Some(after) = sides.iter().find(|s| s[0] == i).map(|s| s[1]) else { continue };
        let step = |a: usize, b: usize| [0, 1].map(|k| (corners[b].0[k] - corners[a].0[k]) * scale[k]);
        let (u, v) = (step(before, i), step(i, after));
        let (lu, lv) = (u[0].hypot(u[1]), v[0].hypot(v[1]));
        if lu == 0.0 || lv == 0.0 {
            continue;
        }
        // To the left of where the boundary goes on the whole.
        let on = [u[0] / lu + v[0] / lv, u[1] / lu + v[1] / lv];
        let size = on[0].hypot(on[1]).max(f64::MIN_POSITIVE);
        let by = HAIR * lu.min(lv) / size;
        let at = corners[i].0;
        moved.push((i, [at[0] - on[1] * by / scale[0], at[1] + on[0] * by / scale[1]]));
    }
    for (i, at) in moved {
        corners[i].0 = at;
    }
}

/// Triangles of a face that is its surface's whole domain: squares between the inner grid points, and a strip along
/// each side that joins the side's own samples to the outermost grid line.
fn grid_triangles(
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

/// Constrained Delaunay triangles inside the boundary, in a parameter plane scaled to the surface's own lengths.
fn delaunay_triangles(
    corners: &Corners,
    constraints: &[[usize; 2]],
    scale: [f64; 2],
) -> Result<Vec<[u32; 3]>, (String, Vec<usize>)> {
    let site = |(i, (uv, _)): (usize, &([f64; 2], u32))| Site {
        // What is nothing but rounding would be too small for the triangulation's exact arithmetic.
        at: Point2::new(or_zero(uv[0] * scale[0]), or_zero(uv[1] * scale[1])),
        index: i as u32,
    };
    let sites: Vec<Site> = corners.iter().enumerate().map(site).collect();
    let mut crossed: Vec<usize> = Vec::new();
    let cdt =
        ConstrainedDelaunayTriangulation::<Site>::try_bulk_load_cdt(sites, constraints.to_vec(), |side| {
            crossed.push(side[0]);
        })
        .map_err(|e| (e.to_string(), Vec::new()))?;
    if !crossed.is_empty() {
        return Err((format!("its boundary crosses itself at {} places", crossed.len()), crossed));
    }
    let kept = kept_faces(&cdt);
    let inside = cdt.inner_faces().filter(|f| kept[f.fix().index()]);
    Ok(inside.map(|f| f.vertices().map(|v| v.data().index)).collect())
}

/// The chords of edges that stand near sides of the boundary which cross others; a side has the number of its first corner.
fn chords_near(
    face: &Face,
    corners: &Corners,
    sides: &[[usize; 2]],
    side_starts: &[usize],
    samples: &[Vec<(f64, u32)>],
    crossed: &[usize],
) -> Vec<(EdgeId, usize)> {
    let uses: Vec<&OrientedEdge> = face.loops.iter().flat_map(|l| &l.edges).collect();
    let span = |side: usize, k: usize| {
        let [i, j] = sides[side];
        let (a, b) = (corners[i].0[k], corners[j].0[k]);
        (a.min(b), a.max(b))
    };
    let beside = |a: usize, b: usize| {
        (0..2).all(|k| {
            let ((a0, a1), (b0, b1)) = (span(a, k), span(b, k));
            a0 <= b1 && b0 <= a1
        })
    };
    let near = (0..sides.len()).filter(|&side| crossed.iter().any(|&c| beside(side, c)));
    near.filter_map(|side| {
        let number = side_starts.partition_point(|s| *s <= side).checked_sub(1)?;
        let used = uses.get(number)?;
        let chords = samples[used.edge.index()].len().checked_sub(1)?;
        let local = side - side_starts[number];
        let chord = if used.forward { local } else { chords.checked_sub(local + 1)? };
        (chord < chords).then_some((used.edge, chord))
    })
    .collect()
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

/// Even-odd test of a parameter point against the boundary; one nearer to it than a margin is outside.
fn inside(polygon: &[[f64; 2]], sides: &[[usize; 2]], at: [f64; 2], margin: [f64; 2]) -> bool {
    let mut inside = false;
    for &[i, j] in sides {
        let (a, b) = (polygon[i], polygon[j]);
        if (a[1] > at[1]) != (b[1] > at[1]) && at[0] < (b[0] - a[0]) * (at[1] - a[1]) / (b[1] - a[1]) + a[0] {
            inside = !inside;
        }
        let by = |k: usize| a[k].min(b[k]) <= at[k] + margin[k] && at[k] - margin[k] <= a[k].max(b[k]);
        if by(0) && by(1) {
            let d = [0, 1].map(|k| (b[k] - a[k]) / margin[k]);
            let r = [0, 1].map(|k| (at[k] - a[k]) / margin[k]);
            let length_sq = d[0] * d[0] + d[1] * d[1];
            let s = ((r[0] * d[0] + r[1] * d[1]) / length_sq.max(f64::MIN_POSITIVE)).clamp(0.0, 1.0);
            if (r[0] - d[0] * s).hypot(r[1] - d[1] * s) < 1.0 {
                return false;
            }
        }
    }
    inside
}

/// Mean lengths of the surface's first derivatives: what one unit of u and of v measures in space.
fn scales(surface: &NurbsSurface) -> [f64; 2] {
    let (du, dv) = surface.domain();
    let (mut a, mut b) = (0.0, 0.0);
    for i in 0..5 {
        for j in 0..5 {
            let (_, su, sv) =
                surface.tangents(du.at(0.1 + 0.2 * f64::from(i)), dv.at(0.1 + 0.2 * f64::from(j)));
            a += su.norm();
            b += sv.norm();
        }
    }
    [(a / 25.0).max(1e-9), (b / 25.0).max(1e-9)]
}

/// As `deviation`, for the squares of a grid: their middles and those of their sides lie on a grid twice as fine.
fn grid_deviation(surface: &NurbsSurface, us: &[f64], vs: &[f64], inner: &[Point3]) -> f64 {
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
fn deviation(
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

fn or_zero(x: f64) -> f64 {
    if x.abs() < 1e-40 { 0.0 } else { x }
}
