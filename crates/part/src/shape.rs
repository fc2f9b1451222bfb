use geometry::{Axis, Frame, NurbsCurve, Point2, Point3};
use schemars::JsonSchema;
use serde::Serialize;
use surfacing::Revolved;
use topology::Body;

use crate::{Notice, Quantity};

/// One curve of a step, in space.
#[derive(Debug, Clone, PartialEq)]
pub struct CurveShape {
    /// Its id within the step.
    pub id: String,
    /// Its smooth pieces, end to end.
    pub pieces: Vec<NurbsCurve>,
    /// The points that the user gave, in the drawing's plane, in millimetres; none for what a change made.
    pub points: Vec<Point2>,
    /// Whether it only guides and is no part of a profile.
    pub guide: bool,
}

impl CurveShape {
    /// First place.
    #[must_use]
    pub fn start(&self) -> Point3 {
        self.pieces[0].start()
    }

    /// Last place.
    #[must_use]
    pub fn end(&self) -> Point3 {
        self.pieces[self.pieces.len() - 1].end()
    }

    /// Whether it ends where it begins, within `tolerance` mm.
    #[must_use]
    pub fn is_closed(&self, tolerance: f64) -> bool {
        (self.start() - self.end()).norm() <= tolerance && self.length() > 2.0 * tolerance
    }

    /// Length in millimetres.
    #[must_use]
    pub fn length(&self) -> f64 {
        self.pieces.iter().map(NurbsCurve::length).sum()
    }

    /// The piece and its parameter where the curve has run a share (0 to 1) of its length.
    #[must_use]
    pub fn at_share(&self, share: f64) -> (&NurbsCurve, f64) {
        let mut left = self.length() * share.clamp(0.0, 1.0);
        let last = self.pieces.len() - 1;
        for (i, piece) in self.pieces.iter().enumerate() {
            let length = piece.length();
            if left <= length || i == last {
                return (piece, piece.parameter_at_length(left));
            }
            left -= length;
        }
        (&self.pieces[last], self.pieces[last].domain().end)
    }
}

/// The curves of a drawing and the plane that they lie in.
#[derive(Debug, Clone, PartialEq)]
pub struct DrawingShape {
    /// The plane; its x and y are the drawing's.
    pub frame: Frame,
    /// The curves, after the drawing's changes.
    pub curves: Vec<CurveShape>,
}

/// What a step made.
#[derive(Debug, Clone, PartialEq)]
pub enum Shape {
    /// Plane curves.
    Drawing(DrawingShape),
    /// Curves in space.
    Curves(Vec<CurveShape>),
    /// One plane, or a series of them.
    Planes(Vec<Frame>),
    /// An axis.
    Axis(Axis),
    /// A place.
    Point(Point3),
    /// A turned profile.
    Turned(Box<Revolved>),
    /// A body of which nothing more is known.
    Body(Body),
}

impl Shape {
    /// The shell or solid, if it is one.
    #[must_use]
    pub fn body(&self) -> Option<&Body> {
        match self {
            Self::Drawing(_) | Self::Curves(_) | Self::Planes(_) | Self::Axis(_) | Self::Point(_) => None,
            Self::Turned(turned) => Some(&turned.body),
            Self::Body(body) => Some(body),
        }
    }

    /// Its curves, if it is made of curves.
    #[must_use]
    pub fn curves(&self) -> Option<&[CurveShape]> {
        match self {
            Self::Drawing(drawing) => Some(&drawing.curves),
            Self::Curves(curves) => Some(curves),
            _ => None,
        }
    }

    /// The lane of the lineage that it stands in: 0 curves, 1 surfaces, 2 shells, 3 solids.
    #[must_use]
    pub fn lane(&self) -> usize {
        match self.body() {
            None => 0,
            Some(Body::Solid(_)) => 3,
            Some(Body::Shell(shell)) if shell.faces().len() == 1 => 1,
            Some(Body::Shell(_)) => 2,
        }
    }
}

/// A figure that a step reached, shown on its card.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Reached {
    /// What it is.
    pub label: String,
    /// The figure, in millimetres, radians or plain.
    pub value: f64,
    /// What it measures.
    pub quantity: Quantity,
    /// Where in space, if it has a place.
    #[schemars(with = "Option<[f64; 3]>")]
    pub at: Option<Point3>,
}

/// A shape with what was reached and what should be known of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Built {
    /// The shape.
    pub shape: Shape,
    /// Figures.
    pub reached: Vec<Reached>,
    /// Warnings.
    pub warnings: Vec<Notice>,
}

impl Built {
    /// A shape with nothing to say about it.
    #[must_use]
    pub fn plain(shape: Shape) -> Self {
        Self { shape, reached: Vec::new(), warnings: Vec::new() }
    }

    /// Curves in space with their lengths, and how far each is from what it stands for where it was fitted.
    #[must_use]
    pub fn curves(curves: Vec<CurveShape>, deviation: Option<f64>) -> Self {
        let figure = |label: String, value| Reached { label, value, quantity: Quantity::Length, at: None };
        let mut reached: Vec<Reached> =
            curves.iter().map(|c| figure(format!("Length of {}", c.id), c.length())).collect();
        reached.extend(deviation.map(|d| figure("Deviation reached".into(), d)));
        Self { shape: Shape::Curves(curves), reached, warnings: Vec::new() }
    }
}

impl CurveShape {
    /// A curve that no drawing holds.
    #[must_use]
    pub fn in_space(id: &str, pieces: Vec<NurbsCurve>) -> Self {
        Self { id: id.into(), pieces, points: Vec::new(), guide: false }
    }
}
