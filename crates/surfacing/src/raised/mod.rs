//! Raised regions: the inside of an outline on a face lifted or sunk, with sides between.
//!
//! The outline parts the face, the face's offset is the top, and each side is made of cross sections along its piece of the
//! outline. At corners of the outline neighbouring sides share one section, in the plane that halves the corner, so that
//! nothing has to be cut.

mod leaning;

use std::sync::Arc;

use geometry::{
    Domain, Elementary, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, closest_within,
    nearby_on_surface, offset_surface, polygon_area,
};
use topology::{
    Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, face_extent, pcurve_on, straight_pcurve,
};

use crate::SurfacingError;
use crate::chain::chain;
use crate::loops::{crosses_itself, measured};
use crate::projected_curve::{Toward, projected_curve};
use crate::strip::{Along, Cross, Strip, WITH_TANGENTS};

/// Newton's steps for where a slanted line meets the top.
const MAX_STEPS: usize = 30;
/// Cosine of the turn at which an outline's corner is too sharp for sides that lean.
const SHARPEST: f64 = -0.9;

/// How the sides of a raised region stand.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum RaisedSides {
    /// Straight, leaning inwards by an angle in radians.
    Leaning(f64),
    /// Leaving the face along its tangents, and coming so to the top, over a width in millimetres.
    Tangent(f64),
}

/// A region of a face that is lifted or sunk.
#[derive(Debug, Clone, Copy)]
pub struct RaisedRegion<'a> {
    /// Its closed outline, in any order; brought onto the face along `toward`.
    pub outline: &'a [NurbsCurve],
    /// The direction against which sides lean, of length 1; either way round.
    pub toward: Vector3,
    /// How far it is lifted along the face's normals, below 0 how far it is sunk, in millimetres.
    pub height: f64,
    /// How its sides stand.
    pub sides: RaisedSides,
}

/// The shell with a region of one of its faces raised, and the largest distance of its sides and top from the true ones.
///
/// # Errors
/// `OutlineOverEdge`; `NoSize` without a height; `RaisedFolds` where sides have no room; those of [`chain`] and
/// [`offset_surface`].
pub fn raised_region(
    shell: &Shell,
    face: usize,
    region: &RaisedRegion<'_>,
    tolerance: &Tolerance,
) -> Result<(Shell, f64), SurfacingError> {
    if !region.height.is_finite() || region.height.abs() <= tolerance.resolution {
        return Err(SurfacingError::NoSize { size: region.height });
    }
    if let RaisedSides::Leaning(angle) = region.sides {
        return leaning::Leaning { shell, face, region, angle, tolerance }.raised();
    }
    Builder::new(shell, face, region, tolerance)?.built()
}

struct Builder<'a> {
    shell: &'a Shell,
    number: usize,
    face: &'a Face,
    region: &'a RaisedRegion<'a>,
    tolerance: &'a Tolerance,
    /// Pieces of the outline on the face, so that the region lies to the left when seen from outside.
    pieces: Vec<NurbsCurve>,
    pcurves: Vec<NurbsCurve>,
    /// 1 where the surface's normal is the outer side.
    sign: f64,
    /// The direction to the side to which the region is moved.
    toward: Vector3,
}

/// The outline's own directions at a place: along it, into the region, and the face's outer normal.
struct Frame {
    point: Point3,
    at: [f64; 2],
    along: Vector3,
    normal: Vector3,
}

impl<'a> Builder<'a> {
    fn new(
        shell: &'a Shell,
        number: usize,
        region: &'a RaisedRegion<'a>,
        tolerance: &'a Tolerance,
    ) -> Result<Self, SurfacingError> {
        let face = &shell.faces()[number];
        let order = chain(region.outline, tolerance)?;
        let mut pieces = order.run(region.outline);
        if !order.closed {
            let (first, last) = (pieces[0].start(), pieces[pieces.len() - 1].end());
            return Err(SurfacingError::OpenOutline { gap: (first - last).norm(), at: last.into() });
        }
        for piece in &mut pieces {
            *piece = on_surface(piece, &face.surface, &region.toward, tolerance)?;
        }
        let mut pcurves =
            pieces.iter().map(|c| pcurve_on(c, &face.surface, tolerance)).collect::<Result<Vec<_>, _>>()?;
        let outline: Vec<[f64; 2]> = pcurves
            .iter()
            .flat_map(|c| {
                c.knots().sampled(4).into_iter().map(|t| c.point(t)).map(|p| [p.x, p.y]).collect::<Vec<_>>()
            })
            .collect();
        if (polygon_area(&outline) > 0.0) == face.reversed {
            for line in [&mut pieces, &mut pcurves] {
                line.reverse();
                line.iter_mut().for_each(|c| *c = c.reversed());
            }
        }
        let sign = if face.reversed { -1.0 } else { 1.0 };
        let p = pcurves[0].start();
        let outer = face.surface.normal(p.x, p.y).unwrap_or_else(Vector3::z) * sign;
        let toward =
            if region.toward.dot(&outer) * region.height > 0.0 { region.toward } else { -region.toward };
        Ok(Self { shell, number, face, region, tolerance, pieces, pcurves, sign, toward })
    }

    fn folds(&self, at: &Point3) -> SurfacingError {
        SurfacingError::RaisedFolds { at: (*at).into() }
    }

    fn frame(&self, piece: usize, t: f64) -> Result<Frame, SurfacingError> {
        let curve = &self.pieces[piece];
        let (point, p) = (curve.point(t), self.pcurves[piece].point(t));
        let normal = self.face.surface.normal(p.x, p.y).map(|n| n * self.sign);
        let (Some(along), Some(normal)) = (curve.tangent(t), normal) else { return Err(self.folds(&point)) };
        Ok(Frame { point, at: [p.x, p.y], along, normal })
    }

    /// The direction into the region, square to the outline: seen along `toward` for sides that lean, in the face for those
    /// that are tangent to it.
    fn into(&self, frame: &Frame) -> Result<Vector3, SurfacingError> {
        self.up(frame).cross(&frame.along).try_normalize(1e-9).ok_or_else(|| self.folds(&frame.point))
    }

    /// The direction from which the outline is seen when the way into it is taken.
    fn up(&self, frame: &Frame) -> Vector3 {
        match self.region.sides {
            RaisedSides::Leaning(_) => self.toward * self.toward.dot(&frame.normal).signum(),
            RaisedSides::Tangent(_) => frame.normal,
        }
    }

    /// By how much along the outline the section at the beginning, and the one at the end, of a piece is turned for the
    /// corner there, per unit of its way into the region.
    fn turns(&self, piece: usize) -> Result<[f64; 2], SurfacingError> {
        let count = self.pieces.len();
        let turn = |before: usize, after: usize| -> Result<f64, SurfacingError> {
            let end = self.frame(before, self.pieces[before].domain().end)?;
            let start = self.frame(after, self.pieces[after].domain().start)?;
            let (a, b) = (self.into(&end)?, self.into(&start)?);
            let cos = a.dot(&b);
            if cos <= SHARPEST {
                return Err(self.folds(&start.point));
            }
            // Half the turn's tangent, positive where the outline turns to its left, so that the inner line is shorter.
            Ok(a.cross(&b).dot(&self.up(&end)) / (1.0 + cos))
        };
        let [start, end] = [turn((piece + count - 1) % count, piece)?, turn(piece, (piece + 1) % count)?];
        Ok([start, -end])
    }

    /// The cross section of a piece's side.
    fn cross(&self, piece: usize, turns: [f64; 2], t: f64) -> Result<Cross, SurfacingError> {
        let frame = self.frame(piece, t)?;
        let into = self.into(&frame)?;
        let d = self.pieces[piece].domain();
        let share = (t - d.start) / d.length();
        let along = frame.along - self.toward * self.toward.dot(&frame.along);
        let along = match self.region.sides {
            RaisedSides::Leaning(_) => along.try_normalize(1e-9).ok_or_else(|| self.folds(&frame.point))?,
            RaisedSides::Tangent(_) => frame.along,
        };
        let way = into + along * (turns[0] + (turns[1] - turns[0]) * share);
        match self.region.sides {
            RaisedSides::Leaning(angle) => {
                let (top, at) = self.reached(&frame, &(self.toward + way * angle.tan()))?;
                Ok(Cross { poles: vec![(frame.point, 1.0), (top, 1.0)], feet: vec![frame.at, at] })
            }
            RaisedSides::Tangent(width) => {
                let target = frame.point + way * width;
                let found = nearby_on_surface(&self.face.surface, &target, frame.at, f64::MAX);
                let at = found.ok_or_else(|| self.folds(&frame.point))?.parameters;
                let (point, normal) = self.placed(at)?;
                let top = point + normal * self.region.height;
                let ends = way - normal * way.dot(&normal);
                let half = 0.5 * width;
                let poles = [frame.point, frame.point + way * half, top - ends * half, top];
                Ok(Cross { poles: poles.map(|p| (p, 1.0)).to_vec(), feet: vec![frame.at, at] })
            }
        }
    }

    fn placed(&self, [u, v]: [f64; 2]) -> Result<(Point3, Vector3), SurfacingError> {
        let point = self.face.surface.point(u, v);
        let normal = self.face.surface.normal(u, v).ok_or_else(|| self.folds(&point))?;
        Ok((point, normal * self.sign))
    }

    /// Where a line from the outline meets the top, by Newton's method.
    fn reached(&self, frame: &Frame, direction: &Vector3) -> Result<(Point3, [f64; 2]), SurfacingError> {
        let (mut at, mut way) =
            (frame.at, self.region.height.abs() / self.toward.dot(&frame.normal).abs().max(0.05));
        let (du, dv) = self.face.surface.domain();
        for _ in 0..MAX_STEPS {
            let d = self.face.surface.derivatives(at[0], at[1]);
            let (point, normal) = self.placed(at)?;
            let top = point + normal * self.region.height;
            let off = top - (frame.point + direction * way);
            if off.norm() <= 1e-11 * (1.0 + point.coords.norm()) {
                return Ok((top, at));
            }
            // How the top's place changes: the offset's own derivatives (do Carmo, section 3-2).
            let area = d.area_vector();
            let turned = |change: Vector3| {
                let n = normal * self.sign;
                (change - n * n.dot(&change)) / area.norm() * (self.sign * self.region.height)
            };
            let along_u = d.u + turned(d.uu.cross(&d.v) + d.u.cross(&d.uv));
            let along_v = d.v + turned(d.uv.cross(&d.v) + d.u.cross(&d.vv));
            let system = nalgebra::Matrix3::from_columns(&[along_u, along_v, -direction]);
            let Some(step) = system.lu().solve(&off) else { break };
            at = [du.clamp(at[0] - step.x), dv.clamp(at[1] - step.y)];
            way -= step.z;
        }
        Err(SurfacingError::OutlineOverEdge { at: frame.point.into() })
    }

    fn built(&self) -> Result<(Shell, f64), SurfacingError> {
        let count = self.pieces.len();
        let distance = self.sign * self.region.height;
        let top = offset_surface(&self.face.surface, distance, face_extent(self.face), self.tolerance)?;
        let mut max_deviation = top.max_deviation;
        let top = Arc::new(top.surface);
        let mut sides: Vec<Strip> = Vec::with_capacity(count);
        for k in 0..count {
            let turns = self.turns(k)?;
            let along = Along {
                guide: &self.pieces[k],
                cross: &|t| self.cross(k, turns, t),
                ground: &|which, [u, v]| {
                    if which == 0 { self.face.surface.point(u, v) } else { top.point(u, v) }
                },
                even: true,
                follows: WITH_TANGENTS,
                borders: [Some(self.pieces[k].domain()); 2],
                folds: &|t| self.folds(&self.pieces[k].point(t)),
            };
            let made = along.strip(self.tolerance)?;
            max_deviation = max_deviation.max(made.max_deviation);
            sides.push(made);
        }
        let shell = self.shell.clone();
        let mut vertices: Vec<Vertex> = shell.vertices().to_vec();
        let mut edges: Vec<Edge> = shell.edges().to_vec();
        let surfaces: Vec<Arc<NurbsSurface>> = sides.iter().map(|s| Arc::new(s.surface.clone())).collect();
        let first = vertices.len() as u32;
        // At every corner a vertex at the foot and one at the top, and the edge between them.
        for side in &sides {
            let u = side.surface.domain().0;
            vertices.extend([0.0, 1.0].map(|v| Vertex { point: side.surface.point(u.start, v) }));
        }
        let corner = |k: usize, top: u32| VertexId(first + 2 * (k % count) as u32 + top);
        let mut put = |curve: NurbsCurve, start: VertexId, end: VertexId| {
            edges.push(Edge { curve: Some(curve), start, end, tolerance: 0.0 });
            EdgeId(edges.len() as u32 - 1)
        };
        let mut feet = Vec::with_capacity(count);
        let mut rims = Vec::with_capacity(count);
        let mut posts = Vec::with_capacity(count);
        for (k, side) in sides.iter().enumerate() {
            let u = side.surface.domain().0;
            feet.push(put(self.pieces[k].clone(), corner(k, 0), corner(k + 1, 0)));
            rims.push(put(side.surface.curve_at_v(1.0), corner(k, 1), corner(k + 1, 1)));
            posts.push(put(side.surface.curve_at_u(u.start), corner(k, 0), corner(k, 1)));
        }
        let used = |edge: EdgeId, forward: bool, pcurve: NurbsCurve| OrientedEdge { edge, forward, pcurve };
        let mut faces: Vec<Face> = shell.faces().to_vec();
        for (k, side) in sides.iter().enumerate() {
            let d = side.surface.domain().0;
            let upright = Domain::new(0.0, 1.0);
            let edges = vec![
                used(feet[k], true, straight_pcurve(d, [d.start, 0.0], [d.end, 0.0])?),
                used(posts[(k + 1) % count], true, straight_pcurve(upright, [d.end, 0.0], [d.end, 1.0])?),
                used(rims[k], false, straight_pcurve(d, [d.start, 1.0], [d.end, 1.0])?),
                used(posts[k], false, straight_pcurve(upright, [d.start, 0.0], [d.start, 1.0])?),
            ];
            let role = if count == 1 { "side".into() } else { format!("side {}", k + 1) };
            let role = format!("{role} of the region on {}", self.face.role);
            faces.push(Face {
                surface: surfaces[k].clone(),
                loops: vec![Loop { edges }],
                reversed: false,
                role,
            });
        }
        let ring = |ids: &[EdgeId], which: usize, forward: bool| {
            // Loops stand as their face's surface is seen from its own normal.
            let forward = forward != self.face.reversed;
            let mut edges: Vec<OrientedEdge> =
                (0..count).map(|k| used(ids[k], forward, sides[k].pcurves[which].clone())).collect();
            if !forward {
                edges.reverse();
            }
            Loop { edges }
        };
        faces[self.number].loops.push(ring(&feet, 0, false));
        let role = format!("region on {}", self.face.role);
        let lid = vec![ring(&rims, 1, true)];
        faces.push(Face { surface: top, loops: lid, reversed: self.face.reversed, role });
        let over = |at: Point3| SurfacingError::OutlineOverEdge { at: at.into() };
        if let Some(at) = crosses_itself(&faces[self.number]) {
            return Err(over(at));
        }
        if let Some(at) = faces.last().and_then(crosses_itself) {
            return Err(self.folds(&at));
        }
        let old = shell.edges().len();
        measured(&mut edges, &vertices, &faces, &|id| id.index() >= old, self.tolerance)
            .map_err(|at| self.folds(&at))?;
        Ok((Shell::of_used(&vertices, &edges, faces)?, max_deviation))
    }
}

/// A curve on a surface: as it is where it lies on it, else brought there along a direction, exactly onto planes.
fn on_surface(
    curve: &NurbsCurve,
    surface: &NurbsSurface,
    direction: &Vector3,
    tolerance: &Tolerance,
) -> Result<NurbsCurve, SurfacingError> {
    let lies = |t: f64| closest_within(surface, &curve.point(t), tolerance.resolution).is_some();
    if curve.knots().sampled(4).into_iter().all(lies) {
        return Ok(curve.clone());
    }
    if let Some((Elementary::Plane(frame), _)) = Elementary::of(surface, 1e-9) {
        let slope = frame.z.dot(direction);
        if slope.abs() > 1e-9 {
            return Ok(curve.mapped(|p| p - direction * (frame.z.dot(&(p - frame.origin)) / slope)));
        }
    }
    Ok(projected_curve(curve, &[surface], Toward::Direction(*direction), tolerance)?.curve)
}
