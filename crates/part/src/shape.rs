use geometry::{Frame, NurbsCurve, Point2, Point3};
use schemars::JsonSchema;
use serde::Serialize;
use surfacing::Revolved;
use topology::Body;

use crate::{Notice, Quantity};

/// One curve of a drawing, in space.
#[derive(Debug, Clone, PartialEq)]
pub struct CurveShape {
    /// Its id in the drawing.
    pub id: String,
    /// The curve in space.
    pub curve: NurbsCurve,
    /// The points that the user gave, in the drawing's plane, in millimetres.
    pub points: Vec<Point2>,
}

/// The curves of a drawing and the plane that they lie in.
#[derive(Debug, Clone, PartialEq)]
pub struct DrawingShape {
    /// The plane; its x and y are the drawing's.
    pub frame: Frame,
    /// The curves.
    pub curves: Vec<CurveShape>,
}

/// What a step made.
#[derive(Debug, Clone, PartialEq)]
pub enum Shape {
    /// Plane curves.
    Drawing(DrawingShape),
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
            Self::Drawing(_) => None,
            Self::Turned(turned) => Some(&turned.body),
            Self::Body(body) => Some(body),
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
