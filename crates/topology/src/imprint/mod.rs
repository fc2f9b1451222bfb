//! The one operation on which everything that cuts rests: shapes brought together so that they share vertices, edges and
//! faces wherever they meet.
//!
//! Lowest dimension first: vertices on vertices, vertices on edges, edges on edges, edges on faces ([`boundary`]), then the
//! curves in which faces meet ([`sections`]), which end at what was found before; at last every face is divided along the
//! edges that lie in it ([`regions`]), and faces that are one over an area become one face with several sources.
//!
//! # References
//! Weiler, Edge-based data structures for solid modeling in curved-surface environments, IEEE CG&A 5(1), 1985, for the
//! non-manifold result; Patrikalakis & Maekawa, Shape Interrogation, chapter 5, for the meeting curves.

mod arena;
mod boundary;
mod one_face;
mod outline;
mod regions;
mod sections;

use std::collections::BTreeMap;
use std::sync::Arc;

use geometry::{NurbsCurve, NurbsSurface, Point3, Tolerance};

use crate::{EdgeId, FaceId, Shell, TopologyError};
use arena::Arena;
pub use outline::Outline;
pub(crate) use regions::{Bound, divided};

/// Where a face of an imprint comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Source {
    /// Number of the shape among those that were imprinted.
    pub input: usize,
    /// The face of that shape that it is a part of.
    pub face: FaceId,
    /// Whether that face has its outside on the same side.
    pub along: bool,
}

/// A place worth telling about.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Remark {
    /// Numbers of the two shapes.
    pub inputs: [usize; 2],
    /// Where.
    pub at: Point3,
}

/// A curve in which faces of two shapes cross.
#[derive(Debug, Clone)]
pub struct Crossing {
    /// Numbers of the two shapes.
    pub inputs: [usize; 2],
    /// The curve.
    pub curve: NurbsCurve,
    /// How far it may lie off the faces, in millimetres.
    pub tolerance: f64,
    /// The shell's edge that it is, if it bounds a face.
    pub edge: Option<EdgeId>,
}

/// An edge inside a face of a shape.
#[derive(Debug, Clone)]
pub(crate) struct Laid {
    pub(crate) edge: EdgeId,
    pub(crate) surface: Arc<NurbsSurface>,
    /// Whether the shape's outside is against the surface's normal.
    pub(crate) reversed: bool,
    pub(crate) pcurve: NurbsCurve,
}

/// An edge that is a curve of a shape without faces.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Wire {
    pub(crate) edge: EdgeId,
    pub(crate) input: usize,
    /// Whether the edge runs as the shape's curve does.
    pub(crate) forward: bool,
}

/// Shapes that share what they have in common.
#[derive(Debug, Clone)]
pub struct Imprint {
    /// All of them as one shell, whose edges may have any number of faces.
    pub shell: Shell,
    /// For every face of it what it is a part of; several where shapes lie on each other.
    pub sources: Vec<Vec<Source>>,
    /// The curves in which faces of different shapes cross, also those that end inside a face and so divide nothing.
    pub crossings: Vec<Crossing>,
    /// For every face of a shape the edges that lie inside it, also where they divide nothing there.
    pub(crate) laid: BTreeMap<(usize, FaceId), Vec<Laid>>,
    /// The edges of faces that are curves of a shape without faces.
    pub(crate) wires: Vec<Wire>,
    /// Where two shapes touch without crossing, as far as found.
    pub touches: Vec<Remark>,
    /// Where a meeting curve ends inside a face: the second shape does not cut through the first there.
    pub loose_ends: Vec<Remark>,
}

/// Brings shapes together. Every shape may be open or closed, or be curves only ([`Shell::of_curves`]), which divide the faces
/// that they lie on; faces of the same shape are taken to meet only along their common edges, its curves only at their ends.
///
/// # Tolerance
/// What comes nearer than the fit tolerance is the same place; meeting curves stay within a fiftieth of it. Edges with a
/// tolerance of their own that is larger count with that.
///
/// # Errors
/// What keeps the result from being a shell.
pub fn imprint(shapes: &[&Shell], tolerance: &Tolerance) -> Result<Imprint, TopologyError> {
    imprint_where(shapes, &|_, _| true, tolerance)
}

/// The same for those pairs of shapes that are to meet; others go through each other.
///
/// # Errors
/// Those of [`imprint`].
pub fn imprint_where(
    shapes: &[&Shell],
    meet: &dyn Fn(usize, usize) -> bool,
    tolerance: &Tolerance,
) -> Result<Imprint, TopologyError> {
    let mut arena = Arena::new(shapes, meet, tolerance);
    arena.meet_boundaries();
    arena.split_edges();
    arena.unite_edges()?;
    let found = arena.meet_faces()?;
    arena.take_over()?;
    arena.finished(found)
}
