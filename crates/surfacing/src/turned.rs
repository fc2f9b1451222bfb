//! The shell that a meridian makes when it is turned about its axis, round or flat-sided.
//!
//! Round: the tensor product of the meridian with exact rational arcs (The NURBS Book, section 8.5). Flat-sided: one
//! ruled face per side between neighbouring corner lines. Seams are edges used twice, poles edges of no length.

use std::f64::consts::{PI, TAU};
use std::sync::Arc;

use geometry::{
    Domain, Frame, GeometryError, Homogeneous, KnotVector, NurbsCurve, NurbsSurface, Point3, Vector3,
    as_line, circle_arc,
};
use topology::{Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, straight_pcurve};

use crate::{Meridian, MeridianPiece, SurfacingError};

const MOST_SIDES: usize = 360;

/// What a flat-sided shape's profile measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FlatMeasure {
    /// The distance from the axis to the middle of a side.
    Flats,
    /// The distance from the axis to a corner.
    Corners,
}

/// How a meridian is turned.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Turn {
    /// About the axis by an angle in radians, above 0 and at most a full turn.
    Round {
        /// The angle.
        sweep: f64,
    },
    /// A full turn with flat sides.
    FlatSided {
        /// How many sides, 3 or more.
        sides: usize,
        /// What the profile measures.
        measure: FlatMeasure,
    },
}

impl Turn {
    /// Whether it goes all the way round.
    #[must_use]
    pub fn is_full(&self) -> bool {
        match self {
            Self::Round { sweep } => (sweep - TAU).abs() < 1e-9,
            Self::FlatSided { .. } => true,
        }
    }

    pub(crate) fn check(&self) -> Result<(), SurfacingError> {
        match *self {
            Self::Round { sweep } if !(sweep > 1e-6 && sweep <= TAU * (1.0 + 1e-12)) => {
                Err(SurfacingError::Angle { degrees: sweep.to_degrees() })
            }
            Self::FlatSided { sides, .. } if !(3..=MOST_SIDES).contains(&sides) => {
                Err(SurfacingError::Sides(sides))
            }
            _ => Ok(()),
        }
    }
}

/// The shell of a turned meridian; a closed meridian turned only part of the way gets flat end faces if `capped`.
///
/// Faces point to the right of the meridian's direction (away from the axis where it runs along the axis).
///
/// # Errors
/// `Angle`, `Sides`, or what the geometry underneath reports.
pub fn turned_shell(meridian: &Meridian, turn: &Turn, capped: bool) -> Result<Shell, SurfacingError> {
    turn.check()?;
    let mut builder = Builder::new(meridian, turn)?;
    builder.side_faces()?;
    if capped && meridian.closed && !turn.is_full() {
        builder.caps()?;
    }
    Ok(Shell::of_used(&builder.vertices, &builder.edges, builder.faces)?)
}

const UNIT: Domain = Domain { start: 0.0, end: 1.0 };

struct Builder<'a> {
    meridian: &'a Meridian,
    turn: &'a Turn,
    /// Unit directions of the corner or seam lines, scaled for flat sides measured across flats.
    lines: Vec<Vector3>,
    sectors: usize,
    wraps: bool,
    vertices: Vec<Vertex>,
    edges: Vec<Edge>,
    faces: Vec<Face>,
    ring_vertices: Vec<Vec<VertexId>>,
    ring_edges: Vec<Vec<EdgeId>>,
    line_edges: Vec<Vec<Option<EdgeId>>>,
}

impl<'a> Builder<'a> {
    fn new(meridian: &'a Meridian, turn: &'a Turn) -> Result<Self, SurfacingError> {
        let frame = &meridian.frame;
        let around = frame.y.cross(&frame.x);
        let toward = |angle: f64, factor: f64| (frame.x * angle.cos() + around * angle.sin()) * factor;
        let (lines, sectors) = match *turn {
            Turn::Round { .. } if turn.is_full() => (vec![toward(0.0, 1.0)], 1),
            Turn::Round { sweep } => (vec![toward(0.0, 1.0), toward(sweep, 1.0)], 1),
            Turn::FlatSided { sides, measure } => {
                let step = TAU / sides as f64;
                let (first, factor) = match measure {
                    FlatMeasure::Flats => (-step / 2.0, 1.0 / (PI / sides as f64).cos()),
                    FlatMeasure::Corners => (0.0, 1.0),
                };
                ((0..sides).map(|j| toward(first + step * j as f64, factor)).collect(), sides)
            }
        };
        let mut builder = Self {
            meridian,
            turn,
            lines,
            sectors,
            wraps: turn.is_full(),
            vertices: Vec::new(),
            edges: Vec::new(),
            faces: Vec::new(),
            ring_vertices: Vec::new(),
            ring_edges: Vec::new(),
            line_edges: Vec::new(),
        };
        builder.rings()?;
        builder.line_edges()?;
        Ok(builder)
    }

    fn in_space(&self, line: usize, p: &Point3) -> Point3 {
        let frame = &self.meridian.frame;
        frame.origin + self.lines[line] * p.x + frame.y * p.y
    }

    fn after(&self, line: usize) -> usize {
        (line + 1) % self.lines.len()
    }

    /// Joints of the meridian: its pieces' starts, and the last end of an open one.
    fn joints(&self) -> Vec<Point3> {
        let mut joints: Vec<Point3> = self.meridian.pieces.iter().map(|p| p.curve.start()).collect();
        if !self.meridian.closed {
            joints.push(self.meridian.ends().1);
        }
        joints
    }

    fn joint_after(&self, piece: usize) -> usize {
        (piece + 1) % self.ring_vertices.len()
    }

    fn rings(&mut self) -> Result<(), SurfacingError> {
        for joint in self.joints() {
            let pole = joint.x == 0.0;
            let count = if pole { 1 } else { self.lines.len() };
            let ids: Vec<VertexId> = (0..count)
                .map(|line| {
                    self.vertices.push(Vertex { point: self.in_space(line, &joint) });
                    VertexId(self.vertices.len() as u32 - 1)
                })
                .collect();
            let at = |line: usize| ids[if pole { 0 } else { line }];
            let mut ring = Vec::with_capacity(self.sectors);
            for sector in 0..self.sectors {
                let curve = if pole { None } else { Some(self.ring_curve(sector, &joint)?) };
                self.edges.push(Edge {
                    curve,
                    start: at(sector),
                    end: at(self.after(sector)),
                    tolerance: 1e-6,
                });
                ring.push(EdgeId(self.edges.len() as u32 - 1));
            }
            self.ring_vertices.push(ids);
            self.ring_edges.push(ring);
        }
        Ok(())
    }

    fn ring_curve(&self, sector: usize, joint: &Point3) -> Result<NurbsCurve, SurfacingError> {
        match *self.turn {
            Turn::Round { sweep } => {
                let f = &self.meridian.frame;
                let centre = f.origin + f.y * joint.y;
                let around = f.y.cross(&f.x);
                let ring = Frame { origin: centre, x: f.x, y: around, z: f.y };
                Ok(circle_arc(&ring, joint.x, 0.0, sweep)?)
            }
            Turn::FlatSided { .. } => {
                Ok(NurbsCurve::line(self.in_space(sector, joint), self.in_space(self.after(sector), joint)))
            }
        }
    }

    fn line_edges(&mut self) -> Result<(), SurfacingError> {
        for (i, piece) in self.meridian.pieces.iter().enumerate() {
            let (from, to) = (i, self.joint_after(i));
            let count = if piece.on_axis { 1 } else { self.lines.len() };
            let mut row = Vec::with_capacity(count);
            for line in 0..count {
                // A line on the axis bounds flat end faces only; without them it would hang loose.
                if piece.on_axis && self.wraps {
                    row.push(None);
                    continue;
                }
                let vertex = |joint: usize| {
                    let ids = &self.ring_vertices[joint];
                    ids[line.min(ids.len() - 1)]
                };
                let (start, end) = (vertex(from), vertex(to));
                let curve = piece.curve.mapped(|p| self.in_space(line, p));
                self.edges.push(Edge { curve: Some(curve), start, end, tolerance: 1e-6 });
                row.push(Some(EdgeId(self.edges.len() as u32 - 1)));
            }
            self.line_edges.push(row);
        }
        Ok(())
    }

    fn side_faces(&mut self) -> Result<(), SurfacingError> {
        for (i, piece) in self.meridian.pieces.iter().enumerate().filter(|(_, p)| !p.on_axis) {
            if self.is_flat_ring(piece) {
                self.flat_face(i, piece)?;
                continue;
            }
            let v = piece.curve.domain();
            for sector in 0..self.sectors {
                let next = self.after(sector);
                let surface = self.side_surface(piece, sector)?;
                let (Some(left), Some(right)) = (self.line_edges[i][sector], self.line_edges[i][next]) else {
                    continue;
                };
                let (bottom, top) =
                    (self.ring_edges[i][sector], self.ring_edges[self.joint_after(i)][sector]);
                let side = |edge, forward, domain, from, to| -> Result<OrientedEdge, GeometryError> {
                    Ok(OrientedEdge { edge, forward, pcurve: straight_pcurve(domain, from, to)? })
                };
                let edges = vec![
                    side(bottom, true, UNIT, [0.0, v.start], [1.0, v.start])?,
                    side(right, true, v, [1.0, v.start], [1.0, v.end])?,
                    side(top, false, UNIT, [0.0, v.end], [1.0, v.end])?,
                    side(left, false, v, [0.0, v.start], [0.0, v.end])?,
                ];
                let role = match self.turn {
                    Turn::Round { .. } => piece.role.clone(),
                    Turn::FlatSided { .. } => format!("{}, side {}", piece.role, sector + 1),
                };
                self.faces.push(Face {
                    surface: Arc::new(surface),
                    loops: vec![Loop { edges }],
                    reversed: false,
                    role,
                });
            }
        }
        Ok(())
    }

    /// Whether a piece turns all the way round into a flat disc or ring, which needs no seam.
    fn is_flat_ring(&self, piece: &MeridianPiece) -> bool {
        let points = piece.curve.control_points();
        let level = points.iter().all(|p| p.y == points[0].y);
        self.wraps
            && matches!(self.turn, Turn::Round { .. })
            && level
            && as_line(&piece.curve, 1e-9).is_some()
    }

    fn flat_face(&mut self, i: usize, piece: &MeridianPiece) -> Result<(), SurfacingError> {
        let frame = &self.meridian.frame;
        let (start, end) = (piece.curve.start(), piece.curve.end());
        let outwards = end.x > start.x;
        let radius = start.x.max(end.x);
        let (x, y) = (frame.x, frame.y.cross(&frame.x));
        let centre = frame.origin + frame.y * start.y;
        let corner = |a: f64, b: f64| centre + (x * a + y * b) * radius;
        let across = KnotVector::try_new(1, vec![-radius, -radius, radius, radius])?;
        let corners = [corner(-1.0, -1.0), corner(-1.0, 1.0), corner(1.0, -1.0), corner(1.0, 1.0)];
        let surface = NurbsSurface::try_new(across.clone(), across, &corners, None)?;
        let flat = Frame { origin: Point3::origin(), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() };
        let (start_ring, end_ring) = (self.ring_edges[i][0], self.ring_edges[self.joint_after(i)][0]);
        let (outer, inner) = if outwards { (end_ring, start_ring) } else { (start_ring, end_ring) };
        let mut loops = Vec::new();
        for (edge, radius, forward) in [(outer, radius, true), (inner, start.x.min(end.x), false)] {
            if radius > 0.0 {
                let pcurve = circle_arc(&flat, radius, 0.0, TAU)?;
                loops.push(Loop { edges: vec![OrientedEdge { edge, forward, pcurve }] });
            }
        }
        self.faces.push(Face {
            surface: Arc::new(surface),
            loops,
            reversed: outwards,
            role: piece.role.clone(),
        });
        Ok(())
    }

    fn side_surface(&self, piece: &MeridianPiece, sector: usize) -> Result<NurbsSurface, SurfacingError> {
        let frame = &self.meridian.frame;
        match *self.turn {
            Turn::Round { sweep } => {
                let flat =
                    Frame { origin: Point3::origin(), x: Vector3::x(), y: Vector3::y(), z: Vector3::z() };
                let arc = circle_arc(&flat, 1.0, 0.0, sweep)?;
                let around = frame.y.cross(&frame.x);
                let mut points = Vec::new();
                for a in arc.homogeneous() {
                    for p in piece.curve.homogeneous() {
                        // p is (w r, w height, 0, w) and a is (w cos, w sin, 0, w) on the unit circle.
                        let place = frame.x * (a.x * p.x)
                            + around * (a.y * p.x)
                            + frame.y * (a.w * p.y)
                            + frame.origin.coords * (a.w * p.w);
                        points.push(Homogeneous::new(place.x, place.y, place.z, a.w * p.w));
                    }
                }
                Ok(NurbsSurface::from_homogeneous(arc.knots().clone(), piece.curve.knots().clone(), points)?)
            }
            Turn::FlatSided { .. } => {
                let start = piece.curve.mapped(|p| self.in_space(sector, p));
                let end = piece.curve.mapped(|p| self.in_space(self.after(sector), p));
                Ok(NurbsSurface::ruled(&start, &end)?)
            }
        }
    }

    /// Flat faces at the start and the end of a partial turn.
    fn caps(&mut self) -> Result<(), SurfacingError> {
        let pieces = &self.meridian.pieces;
        let (mut low, mut high) = pieces[0].curve.control_bounds();
        for piece in pieces {
            let (a, b) = piece.curve.control_bounds();
            (low, high) = (low.inf(&a), high.sup(&b));
        }
        let clockwise = self.meridian.runs_clockwise();
        for (line, at_end) in [(0, false), (1, true)] {
            let corner = |x: f64, y: f64| self.in_space(line, &Point3::new(x, y, 0.0));
            let surface = NurbsSurface::try_new(
                KnotVector::try_new(1, vec![low.x, low.x, high.x, high.x])?,
                KnotVector::try_new(1, vec![low.y, low.y, high.y, high.y])?,
                &[corner(low.x, low.y), corner(low.x, high.y), corner(high.x, low.y), corner(high.x, high.y)],
                None,
            )?;
            let mut edges = Vec::with_capacity(pieces.len());
            for (i, piece) in pieces.iter().enumerate() {
                let row = &self.line_edges[i];
                if let Some(edge) = row[line.min(row.len() - 1)] {
                    edges.push(OrientedEdge { edge, forward: !clockwise, pcurve: piece.curve.clone() });
                }
            }
            if clockwise {
                edges.reverse();
            }
            self.faces.push(Face {
                surface: Arc::new(surface),
                loops: vec![Loop { edges }],
                reversed: at_end != clockwise,
                role: if at_end { "end cap".into() } else { "start cap".into() },
            });
        }
        Ok(())
    }
}
