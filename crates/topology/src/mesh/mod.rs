//! Triangle meshes whose faces share their edges' samples.
//!
//! Each edge is sampled once by chord and angle; each face is a constrained Delaunay triangulation of its parameter
//! plane, scaled to the surface's own lengths, with inner points spaced by curvature, and more of them where triangles are
//! still too far off. Faces use the edges' points by number, so that a closed shell gives a watertight mesh without any
//! merging afterwards; edges get more where only their chords are off.

mod corners;
mod deviation;
mod samples;
mod triangles;

use std::collections::{HashMap, HashSet};

use geometry::{Domain, NurbsSurface, Point3, Vector3, parameter_lines, shared_work};
use rayon::prelude::*;

use self::corners::{chords_near, chords_of, part_corners, unite_corners};
use self::deviation::{Off, Place, grid_deviation, off};
use self::samples::{Lines, edge_samples};
use self::triangles::{Delaunay, Plan, grid_triangles};
use crate::imprint::Outline;
use crate::{EdgeId, Face, FaceId, Shell, TopologyError};

/// Rounds in which a face gets corners where its triangles are too far off, and how many in all.
const MAX_ROUNDS: usize = 24;
const MOST_ADDED: usize = 300_000;
/// Rounds in which edges are sampled more finely where triangles beside them are too far off.
const MAX_FINER: usize = 6;
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
/// How many times as far apart as others some grid lines may be for cells to be much alike.
const UNEVEN: f64 = 8.0;

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

    /// All triangles with where they are, in space and on their faces.
    #[must_use]
    pub fn placed(&self) -> Vec<PlacedTriangle> {
        let of_face = |f: &FaceMesh| {
            let corners = f.triangles.iter().map(|t| t.map(|c| f.vertices[c as usize]));
            let one = |c: [MeshVertex; 3]| PlacedTriangle {
                face: f.face.index(),
                positions: c.map(|v| v.position),
                at: c.map(|v| self.positions[v.position as usize]),
                uv: c.map(|v| v.uv),
            };
            corners.map(one).collect::<Vec<_>>()
        };
        self.faces.iter().flat_map(of_face).collect()
    }
}

/// A triangle of a face's mesh.
#[derive(Debug, Clone, Copy)]
pub struct PlacedTriangle {
    /// The face's number.
    pub face: usize,
    /// The numbers of its corners' positions.
    pub positions: [u32; 3],
    /// Its corners in space.
    pub at: [Point3; 3],
    /// Their parameters on the face.
    pub uv: [[f64; 2]; 3],
}

impl PlacedTriangle {
    /// The parameters of a place told by weights of the corners.
    #[must_use]
    pub fn weighted(&self, weights: [f64; 3]) -> [f64; 2] {
        [0, 1].map(|k| (0..3).map(|i| weights[i] * self.uv[i][k]).sum())
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
    let (lines, whole): (Vec<Lines>, Vec<bool>) =
        shell.faces().par_iter().map(shared_work(|face: &Face| grid_lines(&face.surface, tolerance))).unzip();
    let mut along = edge_samples(shell, &lines, tolerance);
    let (mut rounds, mut finer) = (0, 0);
    let most_samples = along.iter().map(Vec::len).sum::<usize>() + MOST_DIVIDED;
    let mut best: Option<Mesh> = None;
    loop {
        let too_many = along.iter().map(Vec::len).sum::<usize>() > most_samples;
        match mesh_along(shell, (&lines, &whole), &along, tolerance) {
            Ok((mesh, coarse)) => {
                if best.as_ref().is_none_or(|b| mesh.max_deviation < b.max_deviation) {
                    best = Some(mesh);
                }
                let is_last = coarse.is_empty() || finer == MAX_FINER || too_many;
                if let Some(best) = best.take_if(|_| is_last) {
                    return Ok(best);
                }
                finer += 1;
                divide(&mut along, coarse, 2);
            }
            Err(crossing) => {
                if let Some(best) = best {
                    return Ok(best);
                }
                if crossing.chords.is_empty() || rounds == MAX_DIVISIONS || too_many {
                    return Err(TopologyError::Mesh { face: crossing.face, reason: crossing.reason });
                }
                // In a narrow face, chords of one side can cross the other; they do not once they are short enough.
                rounds += 1;
                divide(&mut along, crossing.chords, 3);
            }
        }
    }
}

/// Edges with the numbers of their chords.
type Chords = Vec<(EdgeId, usize)>;

/// Divides chords into so many parts each.
fn divide(along: &mut [Vec<f64>], mut chords: Chords, parts: usize) {
    // From behind, so that the numbers of the others stay.
    chords.sort_unstable_by(|a, b| b.cmp(a));
    chords.dedup();
    for (edge, chord) in chords {
        let along = &mut along[edge.index()];
        let d = Domain::new(along[chord], along[chord + 1]);
        along.splice(chord + 1..chord + 1, (1..parts).map(|k| d.at(k as f64 / parts as f64)));
    }
}

/// Lines of a face's grid, as many as the tolerance asks for or as there may be, and whether they are all.
fn grid_lines(surface: &NurbsSurface, tolerance: MeshTolerance) -> (Lines, bool) {
    let mut density = 1.0;
    loop {
        let lines = parameter_lines(surface, tolerance.chord, tolerance.angle, density);
        let cells = lines.0.len() * lines.1.len();
        // Where lines stand on kinks and at ends, fewer cannot be had.
        if cells <= MOST_CELLS || density < 1e-3 {
            return (lines, density >= 1.0);
        }
        density *= 0.9 * (MOST_CELLS as f64 / cells as f64).sqrt();
    }
}

/// Chords of edges that cross on a face.
struct Crossing {
    face: usize,
    reason: String,
    chords: Chords,
}

fn mesh_along(
    shell: &Shell,
    (lines, whole): (&[Lines], &[bool]),
    along: &[Vec<f64>],
    tolerance: MeshTolerance,
) -> Result<(Mesh, Chords), Crossing> {
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
        .map(shared_work(|i| {
            triangulate(shell, FaceId(i as u32), &samples, &positions, (&lines[i], whole[i], tolerance.chord))
        }))
        .collect::<Result<_, _>>()?;
    let shared = positions.len() as u32;
    let (mut faces, mut max_deviation) = (Vec::with_capacity(meshed.len()), 0f64);
    let mut coarse = Chords::new();
    for mut face in meshed {
        let shift = positions.len() as u32 - face.first_inner;
        for v in &mut face.mesh.vertices {
            if v.position >= face.first_inner {
                v.position += shift;
            }
        }
        positions.extend(face.inner);
        coarse.extend(face.coarse);
        max_deviation = max_deviation.max(face.deviation);
        faces.push(face.mesh);
    }
    without_flaps(&mut faces, shared);
    let edges = samples.iter().map(|s| s.iter().map(|(_, p)| *p).collect()).collect();
    let converged = max_deviation <= tolerance.chord;
    Ok((Mesh { positions, faces, edges, max_deviation, converged }, coarse))
}

struct MeshedFace {
    mesh: FaceMesh,
    /// Positions from this number on are the face's own, numbered as if no other face had any.
    first_inner: u32,
    inner: Vec<Point3>,
    deviation: f64,
    /// Beside triangles that are farther off than the tolerance for the chord alone.
    coarse: Chords,
}

fn triangulate(
    shell: &Shell,
    id: FaceId,
    samples: &[Vec<(f64, u32)>],
    positions: &[Point3],
    ((us, vs), whole, chord): (&Lines, bool, f64),
) -> Result<MeshedFace, Crossing> {
    let face = shell.face(id);
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
    let as_grid = (rectangular && inner_us.len().min(inner_vs.len()) > 0)
        .then(|| {
            let (columns, rows) = (inner_us.len(), inner_vs.len());
            let triangles = grid_triangles(&corners, &side_starts, boundary_count, columns, rows);
            let place = place_among(&corners, (positions, &inner));
            let border = &triangles[2 * (columns - 1) * (rows - 1)..];
            let off = |t: &[u32; 3]| off(surface, &corners, *t, &place, (&constraints, chord)).worst;
            let grid = grid_deviation(surface, inner_us, inner_vs, &inner);
            (border.iter().map(off).fold(grid, f64::max), triangles)
        })
        .filter(|(deviation, _)| *deviation <= chord || !whole);
    let (mut triangles, deviation, sides) = match as_grid {
        Some((deviation, triangles)) => (triangles, deviation, Vec::new()),
        None => {
            let by_cells = [&us[..], &vs[..]];
            let plan = if by_cells.iter().any(|lines| are_uneven(lines)) {
                Plan::Cells(by_cells)
            } else {
                Plan::Scaled(scale)
            };
            let plane = Delaunay::new(&corners, &constraints, plan)
                .or_else(|_| Delaunay::new(&corners, &constraints, Plan::Scaled(scale)));
            let mut plane = plane.map_err(|(reason, crossed)| {
                // Of a boundary that lies on itself there are so many that only looking for them would take long.
                let chords = if crossed.len() > MOST_CROSSING {
                    Vec::new()
                } else {
                    chords_near(face, &corners, &constraints, &side_starts, samples, &crossed)
                };
                Crossing { face: id.index(), reason, chords }
            })?;
            // A grid that is not whole already has as many corners as there may be.
            let rounds = if whole { MAX_ROUNDS } else { 0 };
            refined(surface, &mut plane, &mut corners, (positions, &mut inner), (&constraints, chord), rounds)
        }
    };
    let coarse = chords_of(face, &side_starts, samples, sides.into_iter());
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
    Ok(MeshedFace { mesh: FaceMesh { face: id, vertices, triangles }, first_inner, inner, deviation, coarse })
}

/// Takes away triangles that lie on each other back to back: beside a pole, whose corners are one place, an inner point between
/// two of them has no others, and where faces touch along an edge both may leave the same corners over.
fn without_flaps(faces: &mut [FaceMesh], shared: u32) {
    // All of them are at the border, whose positions come first.
    let places = |vertices: &[MeshVertex], t: &[u32; 3]| {
        let mut places = t.map(|i| vertices[i as usize].position);
        places.sort_unstable();
        (places[0] < shared).then_some(places)
    };
    let mut uses: HashMap<[u32; 3], usize> = HashMap::new();
    for FaceMesh { vertices, triangles, .. } in faces.iter() {
        triangles.iter().filter_map(|t| places(vertices, t)).for_each(|p| *uses.entry(p).or_default() += 1);
    }
    for FaceMesh { vertices, triangles, .. } in faces {
        triangles.retain(|t| places(vertices, t).is_none_or(|p| uses[&p] == 1));
    }
}

/// Whether some grid lines lie much closer than others.
fn are_uneven(lines: &[f64]) -> bool {
    let gaps = || lines.windows(2).map(|w| w[1] - w[0]);
    gaps().fold(0.0, f64::max) > UNEVEN * gaps().fold(f64::INFINITY, f64::min)
}

/// The places of corners: positions that all faces share, and after those the face's own.
fn place_among<'a>(
    corners: &'a [([f64; 2], u32)],
    (positions, inner): (&'a [Point3], &'a [Point3]),
) -> impl Fn(u32) -> Point3 + 'a {
    move |i| {
        let position = corners[i as usize].1 as usize;
        position.checked_sub(positions.len()).map_or_else(|| positions[position], |own| inner[own])
    }
}

/// Triangles with corners put in where the surface is farther off them than the tolerance (as Delaunay refinement does it;
/// Ruppert, J. Algorithms 18, 1995, with the distance for the shape): with the largest distance, and the sides of the boundary
/// beside those that are off for its chords alone.
fn refined(
    surface: &NurbsSurface,
    plane: &mut Delaunay<'_>,
    corners: &mut Vec<([f64; 2], u32)>,
    (positions, inner): (&[Point3], &mut Vec<Point3>),
    (boundary, chord): (&[[usize; 2]], f64),
    rounds: usize,
) -> (Vec<[u32; 3]>, f64, Vec<usize>) {
    let mut known: HashMap<[u32; 3], Off> = HashMap::new();
    let (mut round, most) = (0, inner.len() + MOST_ADDED);
    loop {
        let triangles = plane.triangles();
        let (mut deviation, mut sides) = (0.0_f64, Vec::new());
        let mut places: Vec<[f64; 2]> = Vec::new();
        let mut divided: HashSet<[u32; 2]> = HashSet::new();
        let place = place_among(corners, (positions, inner));
        let mut checked = HashMap::with_capacity(if round == 0 { 0 } else { triangles.len() });
        for &t in &triangles {
            let off =
                known.get(&t).copied().unwrap_or_else(|| off(surface, corners, t, &place, (boundary, chord)));
            deviation = deviation.max(off.worst);
            if off.worst > chord {
                match off.place {
                    Some(Place::Middle) => places.push(plane.middle(&t.map(|i| corners[i as usize].0))),
                    Some(Place::Side([a, b])) if divided.insert([a.min(b), a.max(b)]) => {
                        places.push(plane.middle(&[a, b].map(|i| corners[i as usize].0)));
                    }
                    Some(_) => {}
                    None => sides.extend(off.side),
                }
            }
            checked.insert(t, off);
        }
        drop(place);
        known = checked;
        round += 1;
        let mut added = false;
        if round <= rounds && inner.len() + places.len() <= most {
            for uv in places {
                let number = corners.len() as u32;
                if plane.insert(uv, number) {
                    corners.push((uv, (positions.len() + inner.len()) as u32));
                    inner.push(surface.point(uv[0], uv[1]));
                    added = true;
                }
            }
        }
        if !added {
            return (triangles, deviation, if rounds > 0 { sides } else { Vec::new() });
        }
    }
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
