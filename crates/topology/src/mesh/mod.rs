//! Triangle meshes whose faces share their edges' samples.
//!
//! Each edge is sampled once by chord and angle; each face is a constrained Delaunay triangulation of its parameter
//! plane, scaled to the surface's own lengths, with inner points spaced by curvature. Faces use the edges' points
//! by number, so that a closed shell gives a watertight mesh without any merging afterwards.

mod corners;
mod deviation;
mod samples;
mod triangles;

use geometry::{Domain, NurbsSurface, Point3, Vector3, parameter_lines, shared_work};
use rayon::prelude::*;

use self::corners::{chords_near, part_corners, unite_corners};
use self::deviation::{deviation, grid_deviation};
use self::samples::{Lines, edge_samples};
use self::triangles::{delaunay_triangles, grid_triangles};
use crate::imprint::Outline;
use crate::{EdgeId, Face, FaceId, Shell, TopologyError};

/// Rounds of refinement for a face whose measured deviation is still above the tolerance.
const MAX_ROUNDS: usize = 5;
/// What a round has to leave of the deviation at most for another to follow.
const HELPS: f64 = 0.95;
/// How often chords that cross are divided.
const MAX_DIVISIONS: usize = 10;
/// Samples of edges that dividing may add. A boundary that crosses itself however short its chords are, since it lies on
/// itself, would take three times as many in each round.
const MOST_DIVIDED: usize = 5_000;
/// Sides of a face that cross others at once, above which it is no narrow face whose chords are a little too long.
const MOST_CROSSING: usize = 1_000;
/// Cells of one face's grid. One that would need more comes out coarser, and its mesh says that it did not converge.
const MOST_CELLS: usize = 1_000_000;
/// How near the boundary a point of the grid may be, as a share of its narrowest cell.
const BESIDE: f64 = 0.1;
/// How many times longer than wide triangles may become where the surface is straight.
const LONGEST: f64 = 40.0;

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
        .map(shared_work(|face: &Face| grid_lines(&face.surface, tolerance, 1.0)))
        .collect();
    let mut along = edge_samples(shell, &lines, tolerance);
    let mut rounds = 0;
    let most_samples = along.iter().map(Vec::len).sum::<usize>() + MOST_DIVIDED;
    loop {
        match mesh_along(shell, &lines, &along, tolerance) {
            Ok(mesh) => return Ok(mesh),
            Err(crossing)
                if crossing.chords.is_empty()
                    || rounds == MAX_DIVISIONS
                    || along.iter().map(Vec::len).sum::<usize>() > most_samples =>
            {
                return Err(TopologyError::Mesh { face: crossing.face, reason: crossing.reason });
            }
            // In a narrow face, chords of one side can cross the other; they do not once they are short enough.
            Err(crossing) => crossing.divide(&mut along),
        }
        rounds += 1;
    }
}

/// Lines of a face's grid, as many as the tolerance asks for or as there may be.
fn grid_lines(surface: &NurbsSurface, tolerance: MeshTolerance, density: f64) -> Lines {
    let mut density = density;
    loop {
        let lines = parameter_lines(surface, tolerance.chord, tolerance.angle, density);
        let cells = lines.0.len() * lines.1.len();
        // Where lines stand on kinks and at ends, fewer cannot be had.
        if cells <= MOST_CELLS || density < 1e-3 {
            return lines;
        }
        density *= 0.9 * (MOST_CELLS as f64 / cells as f64).sqrt();
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
        .map(shared_work(|i| mesh_face(shell, FaceId(i as u32), &lines[i], &samples, &positions, tolerance)))
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

struct MeshedFace {
    mesh: FaceMesh,
    /// Positions from this number on are the face's own, numbered as if no other face had any.
    first_inner: u32,
    inner: Vec<Point3>,
    deviation: f64,
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
    let (mut density, mut before) = (1.0, f64::INFINITY);
    loop {
        let denser;
        let lines = if density > 1.0 {
            denser = grid_lines(&face.surface, tolerance, density);
            &denser
        } else {
            lines
        };
        let meshed = triangulate(shell, id, face, samples, positions, lines)?;
        let helps = meshed.deviation < HELPS * before && density < 2f64.powi(MAX_ROUNDS as i32);
        if meshed.deviation <= tolerance.chord || !helps {
            return Ok(meshed);
        }
        before = meshed.deviation;
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
    let scale = scales(surface, us, vs);
    part_corners(&mut corners, &constraints, scale);
    let boundary_count = corners.len();
    let rectangular = face.is_whole();
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
        let outline = Outline::of_sides(constraints.iter().map(|side| side.map(|i| corners[i].0)).collect());
        for &u in inner_us {
            let across = outline.across(u, margin);
            for &v in inner_vs {
                if across.holds(v) && !across.is_near(v) {
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
        delaunay_triangles(&corners, &constraints, scale).map_err(|(reason, crossed)| {
            // Of a boundary that lies on itself there are so many that only looking for them would take long.
            let chords = if crossed.len() > MOST_CROSSING {
                Vec::new()
            } else {
                chords_near(face, &corners, &constraints, &side_starts, samples, &crossed)
            };
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

/// What one unit of u and of v measures where triangles are made: how many cells of the grid it crosses, so that triangles
/// grow long where the surface is straight and stay narrow where it bends; a cell is not taken as longer than `LONGEST`
/// times its width.
fn scales(surface: &NurbsSurface, us: &[f64], vs: &[f64]) -> [f64; 2] {
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
    let lengths = [(a / 25.0).max(1e-9), (b / 25.0).max(1e-9)];
    let cells = [us.len() - 1, vs.len() - 1];
    if cells == [1, 1] {
        return lengths;
    }
    let steps = [lengths[0] * du.length() / cells[0] as f64, lengths[1] * dv.length() / cells[1] as f64];
    let least = steps[0].min(steps[1]);
    [0, 1].map(|k| lengths[k] / steps[k].min(LONGEST * least))
}
