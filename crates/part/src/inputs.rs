//! What a slot can hold besides a reference to a step: main planes and axes by name, points by their coordinates.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::sync::Arc;

use geometry::{Axis, Frame, NurbsCurve, NurbsSurface, Point3, Vector3, as_line};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::{Agrees, Beside, PatchEdge};
use topology::{Body, EdgeId, Face, OrientedEdge, Seam, Shell, seams};

use crate::body_names::{self, Named};
use crate::limits::told;
use crate::recipe::like;
use crate::steps::Context;
use crate::steps::EdgeAgrees;
use crate::{Amount, CurveShape, Notice, Quantity, Reference, Shape};

/// One of the three main planes, named by the directions it spans.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum MainPlane {
    /// x to the right, z up: holds the x and the z axis.
    #[default]
    Xz,
    /// y to the right, z up: holds the y and the z axis.
    Yz,
    /// x to the right, y up: seen from above.
    Xy,
}

impl MainPlane {
    /// The plane at an offset along its normal, in millimetres.
    #[must_use]
    pub fn frame(self, offset: f64) -> Frame {
        let (x, y) = match self {
            Self::Xz => (Vector3::x(), Vector3::z()),
            Self::Yz => (Vector3::y(), Vector3::z()),
            Self::Xy => (Vector3::x(), Vector3::y()),
        };
        let z = x.cross(&y);
        Frame { origin: Point3::from(z * offset), x, y, z }
    }
}

/// One of the main axes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum MainAxis {
    /// The x axis.
    X,
    /// The y axis.
    Y,
    /// The z axis, upwards.
    #[default]
    Z,
}

/// What a slot holds: something given by itself, such as a main plane by its name, or what a step made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
#[schemars(rename = "InputOf_{T}")]
pub enum Input<T> {
    /// By itself.
    Own(T),
    /// Made by a step; of a series, one of them.
    Made(Reference),
}

/// A main plane or one that a step made.
pub type PlaneInput = Input<MainPlane>;
/// A main axis or one that a step made.
pub type AxisInput = Input<MainAxis>;
/// A place by its coordinates x, y and z, or one that a step made.
pub type PointInput = Input<[Amount; 3]>;

impl<T: Default> Default for Input<T> {
    fn default() -> Self {
        Self::Own(T::default())
    }
}

impl<T> Input<T> {
    pub(crate) fn reference(&self) -> Option<&Reference> {
        match self {
            Self::Own(_) => None,
            Self::Made(reference) => Some(reference),
        }
    }
}

impl PlaneInput {
    pub(crate) fn frame(&self, context: &Context<'_>, slot: &str) -> Result<Frame, Notice> {
        match self {
            Self::Own(plane) => Ok(plane.frame(0.0)),
            Self::Made(reference) => context.plane(reference, slot),
        }
    }
}

impl AxisInput {
    pub(crate) fn axis(&self, context: &Context<'_>, slot: &str) -> Result<Axis, Notice> {
        let direction = match self {
            Self::Own(MainAxis::X) => Vector3::x(),
            Self::Own(MainAxis::Y) => Vector3::y(),
            Self::Own(MainAxis::Z) => Vector3::z(),
            Self::Made(reference) => {
                if let Shape::Axis(axis) = context.input(reference, slot)?.shape {
                    return Ok(axis);
                }
                return context.straight(reference, slot);
            }
        };
        Ok(Axis { origin: Point3::origin(), direction })
    }
}

impl PointInput {
    pub(crate) fn point(&self, context: &Context<'_>, slot: &str) -> Result<Point3, Notice> {
        match self {
            Self::Own([x, y, z]) => {
                let value = |a| context.value(a, Quantity::Length, slot);
                Ok(Point3::new(value(x)?, value(y)?, value(z)?))
            }
            Self::Made(reference) => context.point(reference, slot),
        }
    }

    pub(crate) fn amounts(&mut self) -> &mut [Amount] {
        match self {
            Self::Own(amounts) => amounts,
            Self::Made(_) => &mut [],
        }
    }
}

/// Angle in radians between faces above which a face or a shape that stands for its edges means the one between them.
const SHARP: f64 = 0.03;

/// A body with the numbers of some faces of each of its shells.
pub(crate) struct Marked<'a> {
    pub(crate) body: &'a Body,
    pub(crate) faces: Vec<BTreeSet<usize>>,
}

/// A body with the numbers of some edges of each of its shells.
pub(crate) struct MarkedEdges<'a> {
    pub(crate) body: &'a Body,
    pub(crate) edges: Vec<BTreeSet<EdgeId>>,
}

impl Context<'_> {
    fn plane(&self, reference: &Reference, slot: &str) -> Result<Frame, Notice> {
        let built = self.input(reference, slot)?;
        match &built.shape {
            Shape::Planes(planes) => {
                let wanted = reference.item.as_deref().unwrap_or("1");
                let index = wanted.parse::<usize>().ok().and_then(|n| n.checked_sub(1));
                index.and_then(|i| planes.get(i)).copied().ok_or_else(|| {
                    let name = self.recipe.step_name(&reference.step);
                    let count = planes.len();
                    Notice::about(
                        slot,
                        format!("{name} has no plane {wanted}; it has {count}: pick another one"),
                    )
                })
            }
            Shape::Drawing(drawing) => Ok(drawing.frame),
            _ => Err(Notice::about(slot, "this is no plane; pick one, a drawing, or a main plane")),
        }
    }

    /// The line that a straight curve or edge lies on.
    pub(crate) fn straight(&self, reference: &Reference, slot: &str) -> Result<Axis, Notice> {
        let pieces = self.pieces(reference, slot)?;
        let line = match &pieces[..] {
            [only] => as_line(only, self.tolerance.join),
            _ => None,
        };
        let axis = line.and_then(|(start, end)| Axis::new(start, end - start));
        axis.ok_or_else(|| {
            let at = pieces.first().map(NurbsCurve::start);
            Notice::about(slot, "this is no straight line; pick one, an axis, or a main axis").at(at)
        })
    }

    fn gone(&self, reference: &Reference, slot: &str) -> Notice {
        let name = self.recipe.step_name(&reference.step);
        let gone = reference.item.as_deref().unwrap_or_default();
        let near = self.inputs.get(reference.step.as_str()).map_or_else(String::new, |built| {
            // Of the same kind, as far as its first word tells.
            let kind = gone.split(' ').next().unwrap_or_default();
            let names = body_names::all(&built.shape);
            let (same, other): (Vec<&str>, Vec<&str>) =
                names.iter().map(String::as_str).partition(|n| n.split(' ').next() == Some(kind));
            like(gone, if same.is_empty() { other } else { same }.into_iter())
        });
        let near =
            if near.is_empty() { near } else { format!(" (nearest there: {})", self.recipe.spoken(&near)) };
        let item = told(&self.recipe.spoken(gone));
        Notice::about(slot, format!("`{item}` is no longer in {name}; pick another one{near}"))
    }

    /// The place that a reference means: a point, an end of a curve, or a vertex of a body.
    fn point(&self, reference: &Reference, slot: &str) -> Result<Point3, Notice> {
        let shape = &self.input(reference, slot)?.shape;
        match (shape, reference.item.as_deref()) {
            (Shape::Point(point), _) => Ok(*point),
            (_, None) => {
                let message = "this is no point; pick one, a corner or an end, or type its coordinates";
                Err(Notice::about(slot, message))
            }
            (_, Some(item)) => {
                let vertex = match body_names::find(shape.bodies(), item) {
                    Some(Named::Vertex(point)) => Some(point),
                    _ => None,
                };
                let end = body_names::curve_end(item).and_then(|(id, at_end)| {
                    let curve = shape.curves()?.iter().find(|c| c.id == id)?;
                    Some(if at_end { curve.end() } else { curve.start() })
                });
                vertex.or(end).ok_or_else(|| self.gone(reference, slot))
            }
        }
    }

    /// The faces that a reference means: one that it names, or all of a surface or solid.
    pub(crate) fn faces(&self, reference: &Reference, slot: &str) -> Result<Vec<&Face>, Notice> {
        body_names::faces(self.bodies(reference, slot)?, reference.item.as_deref())
            .ok_or_else(|| self.gone(reference, slot))
    }

    /// The faces that a reference means, by their numbers, with the shell that they all are of and its body.
    pub(crate) fn faces_of_one_shell(
        &self,
        reference: &Reference,
        slot: &str,
    ) -> Result<(&Body, &Shell, Vec<usize>), Notice> {
        let wanted = self.faces(reference, slot)?;
        for body in self.bodies(reference, slot)? {
            for shell in body.shells() {
                let number = |face: &&Face| shell.faces().iter().position(|f| std::ptr::eq(f, *face));
                if let Some(faces) = wanted.iter().map(number).collect::<Option<Vec<_>>>() {
                    return Ok((body, shell, faces));
                }
            }
        }
        Err(Notice::about(slot, "this has several pieces; pick a face of one of them in space"))
    }

    /// The one face that a reference means, by its number, with its shell and its body.
    pub(crate) fn one_face(
        &self,
        reference: &Reference,
        slot: &str,
    ) -> Result<(&Body, &Shell, usize), Notice> {
        let [wanted] = self.faces(reference, slot)?[..] else {
            return Err(Notice::about(slot, "this has several faces; pick one of them in space"));
        };
        for body in self.bodies(reference, slot)? {
            for shell in body.shells() {
                if let Some(at) = shell.faces().iter().position(|f| std::ptr::eq(f, wanted)) {
                    return Ok((body, shell, at));
                }
            }
        }
        Err(self.gone(reference, slot))
    }

    /// The numbers of those of a shell's faces that references mean, and whether those mean others too.
    pub(crate) fn marked(
        &self,
        shell: &Shell,
        references: &[Reference],
        slot: &str,
    ) -> Result<(BTreeSet<usize>, bool), Notice> {
        let (mut own, mut others) = (BTreeSet::new(), false);
        for reference in references {
            for face in self.faces(reference, slot)? {
                let at = shell.faces().iter().position(|f| std::ptr::eq(f, face));
                others |= at.is_none();
                own.extend(at);
            }
        }
        Ok((own, others))
    }

    /// The bodies of a step with the numbers of those of their faces that references mean; all must be of that step.
    pub(crate) fn bodies_with_faces(
        &self,
        references: &[Reference],
        slot: &str,
    ) -> Result<Vec<Marked<'_>>, Notice> {
        let Some(first) = references.first() else {
            return Err(Notice::about(slot, "pick a face in space"));
        };
        if references.iter().any(|r| r.step != first.step) {
            return Err(Notice::about(
                slot,
                "these faces are of different shapes; pick faces of one of them",
            ));
        }
        let of = |body| {
            let shells = Body::shells(body).into_iter();
            let faces =
                shells.map(|s| Ok(self.marked(s, references, slot)?.0)).collect::<Result<_, Notice>>()?;
            Ok(Marked { body, faces })
        };
        self.bodies(first, slot)?.iter().map(of).collect()
    }

    /// The numbers of those of a shell's edges that a reference means: one that it names, those of a face, or all; of those
    /// only the ones at an angle.
    pub(crate) fn edges_meant(
        &self,
        shell: &Shell,
        reference: &Reference,
        slot: &str,
    ) -> Result<BTreeSet<EdgeId>, Notice> {
        let own = |face: &Face| shell.faces().iter().any(|f| std::ptr::eq(f, face));
        let uses = self.uses(reference, slot)?;
        if !uses.is_empty() {
            return Ok(uses.into_iter().filter(|(f, _)| own(f)).map(|(_, u)| u.edge).collect());
        }
        let faces = self.faces(reference, slot)?.into_iter().filter(|f| own(f));
        let of_faces: BTreeSet<EdgeId> =
            faces.flat_map(|f| &f.loops).flat_map(|l| &l.edges).map(|u| u.edge).collect();
        let sharp = |s: &Seam| s.meeting.angle.0 > SHARP && of_faces.contains(&s.edge);
        Ok(seams(shell).into_iter().filter(sharp).map(|s| s.edge).collect())
    }

    /// The bodies of a step with the numbers of those of each shell's edges that references mean; all must be of that step.
    pub(crate) fn bodies_with_edges(
        &self,
        references: &[Reference],
        slot: &str,
    ) -> Result<Vec<MarkedEdges<'_>>, Notice> {
        let Some(first) = references.first() else {
            return Err(Notice::about(slot, "pick an edge in space"));
        };
        if references.iter().any(|r| r.step != first.step) {
            let message = "these edges are of different shapes; pick edges of one of them";
            return Err(Notice::about(slot, message));
        }
        let of = |body| {
            let edges = |shell| {
                let meant = references.iter().map(|r| self.edges_meant(shell, r, slot));
                Ok(meant.collect::<Result<Vec<_>, Notice>>()?.into_iter().flatten().collect())
            };
            let edges = Body::shells(body).into_iter().map(edges).collect::<Result<_, Notice>>()?;
            Ok(MarkedEdges { body, edges })
        };
        let found: Vec<MarkedEdges<'_>> =
            self.bodies(first, slot)?.iter().map(of).collect::<Result<_, Notice>>()?;
        if found.iter().flat_map(|f| &f.edges).all(BTreeSet::is_empty) {
            return Err(Notice::about(
                slot,
                "there is no edge at which faces meet at an angle; pick another",
            ));
        }
        Ok(found)
    }

    /// The bodies that a step made.
    pub(crate) fn bodies(&self, reference: &Reference, slot: &str) -> Result<&[Body], Notice> {
        let bodies = self.input(reference, slot)?.shape.bodies();
        if bodies.is_empty() {
            return Err(Notice::about(slot, "this is no surface; pick a surface or a solid"));
        }
        Ok(bodies)
    }

    /// The faces that meet at an edge, each with its use of it, if a reference means an edge.
    pub(crate) fn uses(
        &self,
        reference: &Reference,
        slot: &str,
    ) -> Result<Vec<(&Face, &OrientedEdge)>, Notice> {
        let bodies = self.input(reference, slot)?.shape.bodies();
        Ok(reference.item.as_deref().map_or_else(Vec::new, |item| body_names::uses_of(bodies, item)))
    }

    /// The surfaces that meet at an edge, if a reference means one.
    pub(crate) fn surfaces_at(
        &self,
        reference: &Reference,
        slot: &str,
    ) -> Result<Vec<Arc<NurbsSurface>>, Notice> {
        Ok(self.uses(reference, slot)?.into_iter().map(|(f, _)| Arc::clone(&f.surface)).collect())
    }

    /// The edges of a surface that takes something over from the faces beside them, or from their planes, by reference.
    pub(crate) fn patch_edges(
        &self,
        references: &[Reference],
        agrees: &[EdgeAgrees],
        slot: &str,
    ) -> Result<Vec<Vec<PatchEdge>>, Notice> {
        let pieces = references.iter().map(|r| self.pieces(r, slot)).collect::<Result<Vec<_>, _>>()?;
        let points: Vec<Point3> =
            pieces.iter().flatten().flat_map(|c| [c.start(), c.point(c.domain().at(0.5))]).collect();
        let sum: Vector3 = points.iter().map(|p| p.coords).sum();
        let middle = Point3::from(sum / points.len().max(1) as f64);
        let asked = |k: usize| agrees.get(k).copied().unwrap_or_default();
        let edges = references.iter().zip(pieces).enumerate();
        edges
            .map(|(k, (reference, pieces))| match asked(k) {
                EdgeAgrees::Square => self.square_edges(reference, pieces, slot, k + 1, &middle),
                agrees => self.edges_beside(reference, pieces, slot, (agrees.into(), k + 1)),
            })
            .collect()
    }

    /// Edges at which a surface is square to the plane in which they lie.
    fn square_edges(
        &self,
        reference: &Reference,
        pieces: Vec<NurbsCurve>,
        slot: &str,
        number: usize,
        middle: &Point3,
    ) -> Result<Vec<PatchEdge>, Notice> {
        let Some(normal) = self.normal_of(reference, &pieces, slot)? else {
            let message = format!(
                "edge {number} is straight or lies in no plane, so that there is none to be square to; pick a drawing, or choose another way for it"
            );
            return Err(Notice::about(slot, message).at(pieces.first().map(NurbsCurve::start)));
        };
        let square = |curve| PatchEdge::square(curve, &normal, middle, number);
        pieces.into_iter().map(square).collect::<Result<_, _>>().map_err(|e| Notice::refused(slot, &e))
    }

    fn edges_beside(
        &self,
        reference: &Reference,
        pieces: Vec<NurbsCurve>,
        slot: &str,
        (agrees, number): (Agrees, usize),
    ) -> Result<Vec<PatchEdge>, Notice> {
        let beside = match &self.uses(reference, slot)?[..] {
            [(face, used)] => Some(Beside {
                surface: Arc::clone(&face.surface),
                pcurve: used.pcurve.clone(),
                left: used.forward,
            }),
            uses if agrees != Agrees::Position => {
                let why =
                    if uses.is_empty() { "is no edge of a face" } else { "is an edge of two faces already" };
                let message = format!(
                    "edge {number} {why}, so that there is nothing to take over; choose position for it"
                );
                return Err(Notice::about(slot, message).at(pieces.first().map(NurbsCurve::start)));
            }
            _ => None,
        };
        let edge = |curve| PatchEdge { curve, beside: beside.clone(), agrees, number };
        Ok(pieces.into_iter().map(edge).collect())
    }

    /// The surfaces of the faces that a reference means.
    pub(crate) fn surfaces(&self, reference: &Reference, slot: &str) -> Result<Vec<&NurbsSurface>, Notice> {
        Ok(self.faces(reference, slot)?.into_iter().map(|f| f.surface.as_ref()).collect())
    }

    /// The curves that a reference means, in the order in which they were drawn; helping lines stay out unless one
    /// is picked by itself. An edge of a body is a curve too.
    pub(crate) fn curves(
        &self,
        reference: &Reference,
        slot: &str,
    ) -> Result<Vec<Cow<'_, CurveShape>>, Notice> {
        let shape = &self.input(reference, slot)?.shape;
        let name = self.recipe.step_name(&reference.step);
        if let (false, Some(item)) = (shape.bodies().is_empty(), &reference.item) {
            let Some(Named::Edge(curve)) = body_names::find(shape.bodies(), item) else {
                return Err(self.gone(reference, slot));
            };
            return Ok(vec![Cow::Owned(CurveShape::in_space(item, vec![curve.clone()]))]);
        }
        let Some(curves) = shape.curves() else {
            let message = format!("{name} has no curves; pick a drawing, another curve, or an edge");
            return Err(Notice::about(slot, message));
        };
        let picked: Vec<Cow<'_, CurveShape>> = match &reference.item {
            Some(id) => curves.iter().filter(|c| c.id == *id).map(Cow::Borrowed).collect(),
            None => curves.iter().filter(|c| !c.guide).map(Cow::Borrowed).collect(),
        };
        match &reference.item {
            Some(_) if picked.is_empty() => Err(self.gone(reference, slot)),
            None if picked.is_empty() => {
                Err(Notice::about(slot, format!("{name} has no curve yet; draw one first")))
            }
            _ => Ok(picked),
        }
    }

    /// The smooth pieces of the curves that a reference means.
    pub(crate) fn pieces(&self, reference: &Reference, slot: &str) -> Result<Vec<NurbsCurve>, Notice> {
        Ok(self.curves(reference, slot)?.iter().flat_map(|c| c.pieces.clone()).collect())
    }

    /// The smooth pieces of a profile, each under the name that a face made from it gets.
    pub(crate) fn named_pieces(
        &self,
        reference: &Reference,
        slot: &str,
    ) -> Result<Vec<(NurbsCurve, String)>, Notice> {
        let mut out = Vec::new();
        for curve in self.curves(reference, slot)? {
            let of = body_names::of_curve(reference, &curve.id);
            for (k, piece) in curve.pieces.iter().enumerate() {
                let name = if curve.pieces.len() == 1 { of.clone() } else { format!("{of} {}", k + 1) };
                out.push((piece.clone(), name));
            }
        }
        Ok(out)
    }

    /// The plane of a drawing; none for other curves.
    pub(crate) fn drawing_frame(&self, reference: &Reference, slot: &str) -> Result<Option<Frame>, Notice> {
        match &self.input(reference, slot)?.shape {
            Shape::Drawing(drawing) => Ok(Some(drawing.frame)),
            _ => Ok(None),
        }
    }

    /// The normal of the plane that pieces were drawn in, or in which they lie; none where they lie in no one plane.
    pub(crate) fn normal_of(
        &self,
        reference: &Reference,
        pieces: &[NurbsCurve],
        slot: &str,
    ) -> Result<Option<Vector3>, Notice> {
        let drawn = self.drawing_frame(reference, slot)?.map(|f| f.z);
        Ok(drawn.or_else(|| surfacing::plane_of(pieces, &self.tolerance)))
    }

    /// The place that a reference means, if it means one at all.
    pub(crate) fn point_if_any(&self, reference: &Reference, slot: &str) -> Result<Option<Point3>, Notice> {
        let is_point = matches!(self.input(reference, slot)?.shape, Shape::Point(_));
        let is_end = reference.item.as_deref().is_some_and(|i| body_names::curve_end(i).is_some());
        if is_point || is_end { self.point(reference, slot).map(Some) } else { Ok(None) }
    }

    /// How strongly an end keeps its direction.
    pub(crate) fn pull(&self, pull: &Amount, field: &str) -> Result<f64, Notice> {
        let pull = self.value(pull, Quantity::Ratio, field)?;
        if pull > 0.0 && pull <= 100.0 {
            return Ok(pull);
        }
        Err(Notice::about(field, format!("a pull of {pull} is of no use; give more than 0 and at most 100")))
    }
}
