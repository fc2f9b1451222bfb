//! What steps made, by name: faces, edges, vertices and pieces with their kinds, sizes and places, so that a program can aim
//! at them as a person does by picking.

use geometry::{Elementary, NurbsCurve, NurbsSurface, Point3, Tolerance, as_line, as_plane_arc, check_work};
use schemars::JsonSchema;
use serde::Serialize;
use topology::{Body, Face, Shell, face_area, inner_place};

use crate::recipe::like;
use crate::{Rebuilt, Recipe, body_names, curve_ends};

/// The kinds of surface of ISO 10303-42 that are told apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum SurfaceKind {
    /// A plane.
    Plane,
    /// A cylinder.
    Cylinder,
    /// A cone.
    Cone,
    /// A sphere.
    Sphere,
    /// A torus.
    Torus,
    /// Any other, as a (rational) B-spline.
    Spline,
}

impl SurfaceKind {
    fn of(surface: &NurbsSurface) -> Self {
        match Elementary::of(surface, Tolerance::default().fit).map(|(found, _)| found) {
            Some(Elementary::Plane(_)) => Self::Plane,
            Some(Elementary::Cylinder { .. }) => Self::Cylinder,
            Some(Elementary::Cone { .. }) => Self::Cone,
            Some(Elementary::Sphere { .. }) => Self::Sphere,
            Some(Elementary::Torus { .. }) => Self::Torus,
            None => Self::Spline,
        }
    }
}

/// The kinds of curve that are told apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum CurveKindFound {
    /// A straight line.
    Line,
    /// A circle or an arc of one.
    Circle,
    /// Any other, as a (rational) B-spline.
    Spline,
}

impl CurveKindFound {
    fn of(curve: &NurbsCurve) -> Self {
        let tolerance = Tolerance::default().fit;
        if as_line(curve, tolerance).is_some() {
            Self::Line
        } else if as_plane_arc(curve, tolerance).is_some() {
            Self::Circle
        } else {
            Self::Spline
        }
    }
}

/// A face. Its name is what a reference has as `item`.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct NamedFace {
    /// Its name by lineage.
    pub name: String,
    /// What it lies on.
    pub kind: SurfaceKind,
    /// Its area in mm².
    pub area_mm2: f64,
    /// A place far inside it.
    pub at: Option<[f64; 3]>,
    /// Its outward direction there, of length 1.
    pub normal: Option<[f64; 3]>,
}

/// An edge or a curve.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct NamedEdge {
    /// Its name by lineage.
    pub name: String,
    /// What it runs along.
    pub kind: CurveKindFound,
    /// Its length in mm.
    pub length_mm: f64,
    /// Where it starts.
    pub start: [f64; 3],
    /// Its middle.
    pub at: [f64; 3],
    /// Where it ends.
    pub end: [f64; 3],
    /// How many faces meet at it; 0 for a curve.
    pub faces: usize,
}

/// A vertex, or an end of a curve.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct NamedVertex {
    /// Its name by lineage.
    pub name: String,
    /// Where it is.
    pub at: [f64; 3],
}

/// A piece among which a step's card lets one choose.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct NamedPiece {
    /// Its name by the sides on which it lies.
    pub name: String,
    /// Whether it is part of what the step makes.
    pub kept: bool,
    /// Its area in mm².
    pub area_mm2: f64,
    /// Its volume in mm³, of a solid.
    pub volume_mm3: Option<f64>,
    /// A place on it.
    pub at: Option<[f64; 3]>,
}

/// All that one step made.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct NamedShapes {
    /// The step's id.
    pub step: String,
    /// Its name.
    pub name: String,
    /// Faces of its bodies.
    pub faces: Vec<NamedFace>,
    /// Edges of its bodies, or its curves.
    pub edges: Vec<NamedEdge>,
    /// Vertices of its bodies, or ends of its curves.
    pub vertices: Vec<NamedVertex>,
    /// What it was cut into.
    pub pieces: Vec<NamedPiece>,
}

/// The names of what a step made; of all steps whose shapes are part of the result where none is named.
///
/// # Errors
/// The ids most like it, for a step that is not there or not built.
pub fn named_shapes(
    recipe: &Recipe,
    rebuilt: &Rebuilt,
    step: Option<&str>,
) -> Result<Vec<NamedShapes>, String> {
    let ids = || recipe.steps.iter().enumerate().filter(|(i, _)| rebuilt.built(*i).is_some());
    if let Some(step) = step
        && !ids().any(|(_, s)| s.id == step)
    {
        return Err(like(step, ids().map(|(_, s)| s.id.as_str())));
    }
    let wanted = |i: &usize| match step {
        Some(step) => recipe.steps[*i].id == step,
        None => rebuilt.is_result(*i),
    };
    Ok((0..recipe.steps.len()).filter(wanted).filter_map(|i| of_step(recipe, rebuilt, i)).collect())
}

fn of_step(recipe: &Recipe, rebuilt: &Rebuilt, i: usize) -> Option<NamedShapes> {
    let (step, built) = (&recipe.steps[i], rebuilt.built(i)?);
    let bodies = built.shape.bodies();
    let mut out = NamedShapes {
        step: step.id.clone(),
        name: step.name.clone(),
        faces: Vec::new(),
        edges: Vec::new(),
        vertices: Vec::new(),
        pieces: Vec::new(),
    };
    let shells = bodies.iter().flat_map(Body::shells).zip(body_names(bodies).into_iter().flatten());
    for (shell, names) in shells {
        out.faces.extend(shell.faces().iter().zip(names.faces).map(|(f, name)| of_face(f, name)));
        let uses = uses(shell);
        for ((edge, name), faces) in shell.edges().iter().zip(names.edges).zip(uses) {
            if let (Some(curve), Some(name)) = (&edge.curve, name) {
                out.edges.push(of_curve(curve, name, faces));
            }
        }
        for (vertex, name) in shell.vertices().iter().zip(names.vertices) {
            out.vertices.extend(name.map(|name| NamedVertex { name, at: vertex.point.into() }));
        }
    }
    for curve in built.shape.curves().into_iter().flatten() {
        if let [only] = &curve.pieces[..] {
            out.edges.push(of_curve(only, curve.id.clone(), 0));
        } else if let (Some(first), Some(last)) = (curve.pieces.first(), curve.pieces.last()) {
            out.edges.push(NamedEdge {
                name: curve.id.clone(),
                kind: CurveKindFound::Spline,
                length_mm: curve.length(),
                start: first.start().into(),
                at: curve.pieces[curve.pieces.len() / 2].start().into(),
                end: last.end().into(),
                faces: 0,
            });
        }
        let ends = curve_ends(&curve.id).into_iter().zip([curve.start(), curve.end()]);
        out.vertices.extend(ends.map(|(name, at)| NamedVertex { name, at: at.into() }));
    }
    for piece in &built.pieces {
        let measures = piece.body.measure();
        let face = piece.body.shells().into_iter().flat_map(Shell::faces).next();
        out.pieces.push(NamedPiece {
            name: piece.key.clone(),
            kept: piece.kept,
            area_mm2: measures.area,
            volume_mm3: piece.body.is_solid().then_some(measures.volume),
            at: face.and_then(place_on).map(|(at, _)| at),
        });
    }
    Some(out)
}

fn uses(shell: &Shell) -> Vec<usize> {
    let mut uses = vec![0; shell.edges().len()];
    for used in shell.faces().iter().flat_map(|f| &f.loops).flat_map(|l| &l.edges) {
        uses[used.edge.index()] += 1;
    }
    uses
}

fn place_on(face: &Face) -> Option<([f64; 3], Option<[f64; 3]>)> {
    let [u, v] = inner_place(face)?;
    let (point, du, dv): (Point3, _, _) = face.surface.tangents(u, v);
    let normal = du.cross(&dv).try_normalize(0.0).map(|n| if face.reversed { -n } else { n });
    Some((point.into(), normal.map(Into::into)))
}

fn of_face(face: &Face, name: String) -> NamedFace {
    check_work();
    let place = place_on(face);
    NamedFace {
        name,
        kind: SurfaceKind::of(&face.surface),
        area_mm2: face_area(face),
        at: place.map(|p| p.0),
        normal: place.and_then(|p| p.1),
    }
}

fn of_curve(curve: &NurbsCurve, name: String, faces: usize) -> NamedEdge {
    check_work();
    NamedEdge {
        name,
        kind: CurveKindFound::of(curve),
        length_mm: curve.length(),
        start: curve.start().into(),
        at: curve.point(curve.domain().at(0.5)).into(),
        end: curve.end().into(),
        faces,
    }
}
