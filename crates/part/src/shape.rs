use std::cmp::Ordering;
use std::sync::{Arc, OnceLock};
use std::time::Duration;

use geometry::{
    Axis, Budget, Cancel, Frame, NurbsCurve, NurbsSurface, Point2, Point3, Tolerance, Vector3, check_work,
    part_of_work,
};
use schemars::JsonSchema;
use serde::Serialize;
use surfacing::{Miss, Revolved, Wall};
use topology::{Body, Face, Shell};

use crate::steps::pairing::Pairing;
use crate::{Notice, Quantity};

/// How long a body is looked at for whether it passes through itself.
const LONGEST_SEARCH: Duration = Duration::from_secs(20);

/// A point of a space curve's list.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Place {
    /// Where it is.
    pub at: Point3,
    /// Whether it was given by itself, and not by a reference to something else.
    pub own: bool,
}

/// One curve of a step, in space.
#[derive(Debug, Clone, PartialEq)]
pub struct CurveShape {
    /// Its id within the step.
    pub id: String,
    /// Its smooth pieces, end to end.
    pub pieces: Vec<NurbsCurve>,
    /// The points that the user gave, in the drawing's plane, in millimetres; none for what a change made.
    pub points: Vec<Point2>,
    /// The points in space that the user gave, in millimetres; each can be dragged.
    pub places: Vec<Place>,
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
        // Asked of every curve again and again; only one whose ends meet is worth measuring.
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
    /// Bodies of which nothing more is known.
    Bodies(Vec<Body>),
}

impl Shape {
    /// One body.
    #[must_use]
    pub fn body(body: Body) -> Self {
        Self::Bodies(vec![body])
    }

    /// The shells and solids that it is; none for anything else.
    #[must_use]
    pub fn bodies(&self) -> &[Body] {
        match self {
            Self::Drawing(_) | Self::Curves(_) | Self::Planes(_) | Self::Axis(_) | Self::Point(_) => &[],
            Self::Turned(turned) => std::slice::from_ref(&turned.body),
            Self::Bodies(bodies) => bodies,
        }
    }

    /// The same with the outside of open shells turned to the other side; solids face outwards by themselves. What is made
    /// by turning is turned over when it is made.
    #[must_use]
    pub fn flipped(self) -> Self {
        let flip = |body| match body {
            Body::Shell(shell) => Body::Shell(shell.flipped()),
            solid @ Body::Solid(_) => solid,
        };
        match self {
            Self::Bodies(bodies) => Self::Bodies(bodies.into_iter().map(flip).collect()),
            other => other,
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

    /// Whether its curves, helping lines left out, run end to end as one chain; a pick of one then means all.
    #[must_use]
    pub fn is_one_chain(&self) -> bool {
        let curves = self.curves().unwrap_or_default().iter().filter(|c| !c.guide);
        let pieces: Vec<NurbsCurve> = curves.flat_map(|c| c.pieces.clone()).collect();
        surfacing::chains(&pieces, &Tolerance::default()).len() == 1
    }

    /// The lane of the lineage that it stands in: 0 curves, 1 surfaces, 2 shells, 3 solids.
    #[must_use]
    pub fn lane(&self) -> usize {
        let lane = |body: &Body| match body {
            Body::Solid(_) => 3,
            Body::Shell(shell) if shell.faces().len() == 1 => 1,
            Body::Shell(_) => 2,
        };
        self.bodies().iter().map(lane).min().unwrap_or(0)
    }
}

/// A figure that a step reached, shown on its card; those under one label stand together there.
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

impl Reached {
    /// A length in millimetres, of no one place.
    #[must_use]
    pub fn length(label: impl Into<String>, value: f64) -> Self {
        Self { label: label.into(), value, quantity: Quantity::Length, at: None }
    }

    /// An angle in radians, of no one place.
    #[must_use]
    pub fn angle(label: impl Into<String>, value: f64) -> Self {
        Self { quantity: Quantity::Angle, ..Self::length(label, value) }
    }

    /// A share of something, of no one place.
    #[must_use]
    pub fn share(label: impl Into<String>, value: f64) -> Self {
        Self { quantity: Quantity::Ratio, ..Self::length(label, value) }
    }

    /// The same at a place.
    #[must_use]
    pub fn at(self, place: Point3) -> Self {
        Self { at: Some(place), ..self }
    }
}

/// A place on a step's input that its card shows in space: where a section begins and which way it runs.
#[derive(Debug, Clone, PartialEq)]
pub struct Mark {
    /// The slot that the input is in, and its place there, counted from 0.
    pub slot: (&'static str, usize),
    /// Where it begins, or the middle of a point.
    pub at: Point3,
    /// The way that it runs there, of length 1; none for a point.
    pub along: Option<Vector3>,
    /// For a closed section that can begin elsewhere: its whole line, in the direction in which it was drawn.
    pub line: Vec<NurbsCurve>,
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
    /// What its card shows in space.
    pub marks: Vec<Mark>,
    /// Lines that join places of its inputs and that its card moves.
    pub pairing: Option<Pairing>,
    /// The surface whose control points its card moves.
    pub net: Option<Arc<NurbsSurface>>,
    /// What it was cut into, or found to shut in; its card lets one choose among them.
    pub pieces: Vec<PieceShape>,
    /// A plot that its card shows.
    pub chart: Option<Chart>,
    pub(crate) crossings: OnceLock<Option<Vec<Vec<Point3>>>>,
}

/// One of several parts among which a step's card lets one choose.
#[derive(Debug, Clone, PartialEq)]
pub struct PieceShape {
    /// Its name by the sides on which it lies; steps are in it by their ids, in braces.
    pub key: String,
    /// Whether it is part of what the step makes.
    pub kept: bool,
    /// It by itself.
    pub body: Body,
}

/// One figure over another.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Chart {
    /// What runs to the right, with its unit.
    pub across: String,
    /// What runs upwards, with its unit.
    pub up: String,
    /// Pairs of both, in order.
    pub points: Vec<[f64; 2]>,
}

impl Built {
    /// A shape with nothing to say about it.
    #[must_use]
    pub fn plain(shape: Shape) -> Self {
        Self {
            shape,
            reached: Vec::new(),
            warnings: Vec::new(),
            marks: Vec::new(),
            pairing: None,
            net: None,
            pieces: Vec::new(),
            chart: None,
            crossings: OnceLock::new(),
        }
    }

    /// For each body the places at which it passes through itself; looked for once, and none if that takes too long.
    pub(crate) fn self_crossings(&self) -> Option<&[Vec<Point3>]> {
        let found = self.crossings.get_or_init(|| {
            let budget = Budget { time: LONGEST_SEARCH, ..Budget::default() };
            let search = || self.shape.bodies().iter().map(topology::self_crossings).collect();
            let found = part_of_work(&Cancel::default(), &budget, search);
            // What stopped the work that this is part of must not be kept as an answer.
            check_work();
            found.ok()
        });
        found.as_deref()
    }

    /// One body with nothing to say about it.
    #[must_use]
    pub fn body(body: Body) -> Self {
        Self::plain(Shape::body(body))
    }

    /// The same with a further figure, if there is one.
    #[must_use]
    pub fn with_reached(mut self, reached: impl IntoIterator<Item = Reached>) -> Self {
        self.reached.extend(reached);
        self
    }

    /// Curves in space with their lengths.
    #[must_use]
    pub fn curves(curves: Vec<CurveShape>) -> Self {
        let reached =
            curves.iter().map(|c| Reached::length(format!("Length of {}", c.id), c.length())).collect();
        Self { reached, ..Self::plain(Shape::Curves(curves)) }
    }

    /// Fitted curves, each with its deviation in millimetres, those that run end to end as one; `None` without any.
    #[must_use]
    pub fn chained(found: Vec<(NurbsCurve, f64)>, tolerance: &Tolerance) -> Option<Self> {
        let deviation = found.iter().map(|f| f.1).reduce(f64::max)?;
        let pieces: Vec<NurbsCurve> = found.into_iter().map(|f| f.0).collect();
        let chains = surfacing::chains(&pieces, tolerance).into_iter().enumerate();
        let curves = chains.map(|(k, run)| CurveShape::in_space(&format!("curve {}", k + 1), run)).collect();
        Some(Self::curves(curves).with_deviation(deviation, tolerance.fit))
    }

    /// The same with warnings of what is wrong inside its faces, the worst of each kind.
    #[must_use]
    pub fn looked_over(mut self) -> Self {
        let mut found: Vec<topology::Flaw> =
            self.shape.bodies().iter().flat_map(Body::shells).flat_map(topology::flaws).collect();
        found.sort_by(|a, b| (a.kind, b.angle).partial_cmp(&(b.kind, a.angle)).unwrap_or(Ordering::Equal));
        found.dedup_by_key(|flaw| flaw.kind);
        for flaw in found {
            let message = match flaw.kind {
                topology::FlawKind::Crease => format!(
                    "a face has a crease of {:.1}° inside, most here; end a curve at each corner, or smooth the corner",
                    flaw.angle.to_degrees()
                ),
                topology::FlawKind::Fold => {
                    "a face folds over itself here; move what it follows apart, or let it turn less".into()
                }
            };
            self.warnings.push(Notice::of_step(message).at(Point3::from(flaw.at)));
        }
        self
    }

    /// The same with its facing turned over, or a warning where that has no effect.
    #[must_use]
    pub fn facing_flipped(mut self) -> Self {
        if !self.shape.bodies().is_empty() && self.shape.bodies().iter().all(Body::is_solid) {
            let message =
                "It closes into a solid, and a solid faces outwards by itself; flip facing has no effect.";
            self.warnings.push(Notice::about("flip_facing", message));
        }
        Self { shape: self.shape.flipped(), ..self }
    }

    /// The same with how far it is, in millimetres, from what it stands for, if it is not that exactly, and a warning where
    /// that is more than asked for.
    #[must_use]
    pub fn with_deviation(mut self, reached: impl Into<Option<f64>>, asked: f64) -> Self {
        let Some(reached) = reached.into() else { return self };
        self.reached.push(Reached::length("Deviation reached", reached));
        if reached > asked {
            let message = format!(
                "it stays up to {reached:.6} mm off what it follows, more than the {asked} mm asked for; look at it closely"
            );
            self.warnings.push(Notice::of_step(message));
        }
        self
    }

    /// The same with how thin and how thick its wall was measured to be, and a warning where that is thinner than asked for by more
    /// than `allowed` mm.
    #[must_use]
    pub fn with_wall(mut self, wall: Option<Wall>, asked: f64, allowed: f64) -> Self {
        let Some(Wall { thinnest: (least, thin), thickest: (most, thick) }) = wall else { return self };
        self.reached.push(Reached::length("Wall, thinnest", least).at(thin));
        self.reached.push(Reached::length("Wall, thickest", most).at(thick));
        if least < asked - allowed {
            let message = format!(
                "the wall is only {least:.3} mm thick here, not {asked:.3} mm; give it another thickness, or round the corner off first"
            );
            self.warnings.push(Notice::of_step(message).at(thin));
        }
        self
    }

    /// The same, or where it leaves what it was given by more than that, how far and where.
    #[must_use]
    pub fn with_deviation_or(
        mut self,
        reached: impl Into<Option<f64>>,
        asked: f64,
        miss: Option<Miss>,
    ) -> Self {
        let reached = reached.into();
        let Some(Miss { distance, at }) = miss.filter(|m| reached.is_none_or(|r| m.distance >= r)) else {
            return self.with_deviation(reached, asked);
        };
        self.reached.push(Reached::length("Deviation reached", distance).at(at));
        let message = format!(
            "it leaves what it was given by {distance:.4} mm here; give it simpler curves, or one more near this place"
        );
        self.warnings.push(Notice::of_step(message).at(at));
        self
    }
}

/// Bytes of a control point with its share of knots and of the pieces that are made of it for evaluation.
const POINT_BYTES: usize = 80;

fn curve_bytes<'a>(curves: impl IntoIterator<Item = &'a NurbsCurve>) -> usize {
    curves.into_iter().map(|c| c.knots().point_count() * POINT_BYTES).sum()
}

fn body_bytes(body: &Body) -> usize {
    let face = |face: &Face| {
        let net = face.surface.knots_u().point_count() * face.surface.knots_v().point_count();
        net * POINT_BYTES
            + face.role.len()
            + curve_bytes(face.loops.iter().flat_map(|l| &l.edges).map(|u| &u.pcurve))
    };
    let shell = |s: &Shell| {
        s.faces().iter().map(face).sum::<usize>()
            + curve_bytes(s.edges().iter().filter_map(|e| e.curve.as_ref()))
    };
    body.shells().into_iter().map(shell).sum()
}

impl Built {
    /// About how many bytes it takes: what counts is its control points.
    #[must_use]
    pub fn bytes(&self) -> usize {
        let bodies = self.shape.bodies().iter().chain(self.pieces.iter().map(|p| &p.body));
        let curves = self.shape.curves().into_iter().flatten().flat_map(|c| &c.pieces);
        let marks = self.marks.iter().flat_map(|m| &m.line);
        bodies.map(body_bytes).sum::<usize>() + curve_bytes(curves.chain(marks))
    }
}

impl CurveShape {
    /// A curve that no drawing holds.
    #[must_use]
    pub fn in_space(id: &str, pieces: Vec<NurbsCurve>) -> Self {
        Self { id: id.into(), pieces, points: Vec::new(), places: Vec::new(), guide: false }
    }
}
