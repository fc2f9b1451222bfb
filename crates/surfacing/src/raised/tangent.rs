//! Raised regions with sides that leave the face along its tangents and come so to the top, made of cross sections along the outline.
//! At corners of the outline neighbouring sides share one section, in the plane that halves the corner, so that nothing has to be
//! cut.

use std::sync::Arc;

use geometry::{
    Domain, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, nearby_on_surface, offset_surface,
    polygon_area,
};
use topology::{
    Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, face_extent, pcurve_on, straight_pcurve,
};

use super::{RaisedRegion, on_surface};
use crate::SurfacingError;
use crate::chain::chain;
use crate::loops::{crosses_itself, measured};
use crate::strip::{Along, Cross, Strip, WITH_TANGENTS};

/// Cosine of the turn at which an outline's corner is too sharp.
const SHARPEST: f64 = -0.9;

/// What is known of such a region.
pub(super) struct Tangent<'a> {
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
    /// How far inward the top begins.
    width: f64,
}

/// The outline's own directions at a place: along it, into the region, and the face's outer normal.
struct Frame {
    point: Point3,
    at: [f64; 2],
    along: Vector3,
    normal: Vector3,
}

impl<'a> Tangent<'a> {
    pub(super) fn new(
        shell: &'a Shell,
        number: usize,
        outline: &[NurbsCurve],
        region: &'a RaisedRegion<'a>,
        width: f64,
        tolerance: &'a Tolerance,
    ) -> Result<Self, SurfacingError> {
        let face = &shell.faces()[number];
        let order = chain(outline, tolerance)?;
        let mut pieces = order.run(outline);
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
        Ok(Self { shell, number, face, region, width, tolerance, pieces, pcurves, sign })
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

    /// The direction into the region, square to the outline, in the face.
    fn into(&self, frame: &Frame) -> Result<Vector3, SurfacingError> {
        frame.normal.cross(&frame.along).try_normalize(1e-9).ok_or_else(|| self.folds(&frame.point))
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
            Ok(a.cross(&b).dot(&end.normal) / (1.0 + cos))
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
        let way = into + frame.along * (turns[0] + (turns[1] - turns[0]) * share);
        let target = frame.point + way * self.width;
        let found = nearby_on_surface(&self.face.surface, &target, frame.at, f64::MAX);
        let at = found.ok_or_else(|| self.folds(&frame.point))?.parameters;
        let (point, normal) = self.placed(at)?;
        let top = point + normal * self.region.height;
        let ends = way - normal * way.dot(&normal);
        let half = 0.5 * self.width;
        let poles = [frame.point, frame.point + way * half, top - ends * half, top];
        Ok(Cross { poles: poles.map(|p| (p, 1.0)).to_vec(), feet: vec![frame.at, at] })
    }

    fn placed(&self, [u, v]: [f64; 2]) -> Result<(Point3, Vector3), SurfacingError> {
        let point = self.face.surface.point(u, v);
        let normal = self.face.surface.normal(u, v).ok_or_else(|| self.folds(&point))?;
        Ok((point, normal * self.sign))
    }

    pub(super) fn built(&self) -> Result<(Shell, f64), SurfacingError> {
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
