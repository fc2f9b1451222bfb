//! Names of a body's faces, edges and vertices by lineage, by which steps refer to them and which survive an edit.
//!
//! A face is named by what its construction made it from; an edge by the faces that meet there, or, where it is free,
//! by the side of its face; a vertex as an end of an edge. Steps stand in such names by their ids, in braces, so that
//! giving a step another name changes nothing; [`crate::Recipe::spoken`] puts the names in for people.

use std::collections::BTreeMap;

use geometry::{NurbsCurve, Point3};
use topology::{Body, Edge, Face, OrientedEdge, Shell};

use crate::{Reference, Shape};

const FACE: &str = "face ";
const EDGE: &str = "edge ";
const START: &str = "start of ";
const END: &str = "end of ";

/// The names within one shell, each in the order of the shell's own lists.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ShellNames {
    /// Of its faces.
    pub faces: Vec<String>,
    /// Of its edges; none for a pole.
    pub edges: Vec<Option<String>>,
    /// Of its vertices; none for one that only poles touch.
    pub vertices: Vec<Option<String>>,
}

/// Tells equal names apart by a number from the second on.
#[derive(Default)]
struct Unique(BTreeMap<String, usize>);

impl Unique {
    fn name(&mut self, name: String) -> String {
        let count = self.0.entry(name.clone()).or_default();
        *count += 1;
        if *count == 1 { name } else { format!("{name} #{count}") }
    }
}

/// What a face made from a curve is called; the same for every construction.
pub(crate) fn of_curve(reference: &Reference, curve: &str) -> String {
    format!("{{{}}} / {curve}", reference.step)
}

/// Names of everything that bodies are made of, body by body and in each shell by shell.
#[must_use]
pub fn body_names(bodies: &[Body]) -> Vec<Vec<ShellNames>> {
    let (mut faces, mut edges) = (Unique::default(), Unique::default());
    let mut names = |body: &Body| {
        body.shells().into_iter().map(|shell| shell_names(shell, &mut faces, &mut edges)).collect()
    };
    bodies.iter().map(&mut names).collect()
}

/// All shells of bodies, each with its names.
fn named_shells(bodies: &[Body]) -> impl Iterator<Item = (&Shell, ShellNames)> {
    bodies.iter().flat_map(Body::shells).zip(body_names(bodies).into_iter().flatten())
}

fn shell_names(shell: &Shell, unique_faces: &mut Unique, unique_edges: &mut Unique) -> ShellNames {
    let faces: Vec<String> =
        shell.faces().iter().map(|f| unique_faces.name(format!("{FACE}{}", f.role))).collect();
    let mut users: Vec<Vec<(usize, &OrientedEdge)>> = vec![Vec::new(); shell.edges().len()];
    for (i, face) in shell.faces().iter().enumerate() {
        for used in face.loops.iter().flat_map(|l| &l.edges) {
            users[used.edge.index()].push((i, used));
        }
    }
    let name = |edge: &Edge, users: &[(usize, &OrientedEdge)]| {
        edge.curve.as_ref()?;
        let plain = |i: usize| faces[i][FACE.len()..].to_string();
        Some(match users {
            [(i, used)] => format!("{EDGE}{}, {}", plain(*i), side(&shell.faces()[*i], used)),
            _ => {
                let mut names: Vec<String> = users.iter().map(|(i, _)| plain(*i)).collect();
                names.sort();
                format!("{EDGE}{}", names.join(" | "))
            }
        })
    };
    let edges: Vec<Option<String>> = shell
        .edges()
        .iter()
        .zip(&users)
        .map(|(edge, users)| name(edge, users).map(|n| unique_edges.name(n)))
        .collect();
    let mut vertices = vec![None; shell.vertices().len()];
    for (edge, name) in shell.edges().iter().zip(&edges) {
        let Some(name) = name else { continue };
        for (vertex, end) in [(edge.start, START), (edge.end, END)] {
            vertices[vertex.index()].get_or_insert_with(|| format!("{end}{name}"));
        }
    }
    ShellNames { faces, edges, vertices }
}

/// Which side of its face's surface an edge runs along.
fn side(face: &Face, used: &OrientedEdge) -> &'static str {
    let (u, v) = face.surface.domain();
    let d = used.pcurve.domain();
    let on = |axis: usize, value: f64, length: f64| {
        [0.0, 0.5, 1.0].iter().all(|&k| (used.pcurve.point(d.at(k))[axis] - value).abs() <= 1e-9 * length)
    };
    let sides = [
        (on(0, u.start, u.length()), "u start"),
        (on(0, u.end, u.length()), "u end"),
        (on(1, v.start, v.length()), "v start"),
        (on(1, v.end, v.length()), "v end"),
    ];
    sides.iter().find(|s| s.0).map_or("trimmed", |s| s.1)
}

/// Something of a body that a reference names.
pub(crate) enum Named<'a> {
    Face(&'a Face),
    Edge(&'a NurbsCurve),
    Vertex(Point3),
}

/// What a name means; `None` when nothing is called so any more.
pub(crate) fn find<'a>(bodies: &'a [Body], item: &str) -> Option<Named<'a>> {
    let place =
        |names: &[Option<String>], wanted: &str| names.iter().position(|n| n.as_deref() == Some(wanted));
    for (shell, names) in named_shells(bodies) {
        if let Some(i) = names.faces.iter().position(|n| n == item) {
            return Some(Named::Face(&shell.faces()[i]));
        }
        if let Some(i) = place(&names.edges, item) {
            return shell.edges()[i].curve.as_ref().map(Named::Edge);
        }
        for (prefix, at_end) in [(START, false), (END, true)] {
            let of = item.strip_prefix(prefix);
            if let Some(i) = of.and_then(|edge| place(&names.edges, edge)) {
                let edge = &shell.edges()[i];
                return Some(Named::Vertex(shell.vertex(if at_end { edge.end } else { edge.start }).point));
            }
        }
    }
    None
}

/// Every name by which a reference could mean something of a shape.
pub(crate) fn all(shape: &Shape) -> Vec<String> {
    let of_bodies = named_shells(shape.bodies())
        .flat_map(|(_, n)| n.faces.into_iter().chain(n.edges.into_iter().chain(n.vertices).flatten()));
    let curves = shape.curves().into_iter().flatten();
    of_bodies.chain(curves.map(|c| c.id.clone())).collect()
}

/// The curve and whether its end is meant, in the name of an end of a curve.
pub(crate) fn curve_end(item: &str) -> Option<(&str, bool)> {
    item.strip_prefix(START).map(|id| (id, false)).or_else(|| item.strip_prefix(END).map(|id| (id, true)))
}

/// The names of a curve's two ends.
#[must_use]
pub fn curve_ends(id: &str) -> [String; 2] {
    [START, END].map(|end| format!("{end}{id}"))
}

/// The faces that meet at the edge of that name, each with its use of it; none where there is no such edge.
pub(crate) fn uses_of<'a>(bodies: &'a [Body], item: &str) -> Vec<(&'a Face, &'a OrientedEdge)> {
    for (shell, names) in named_shells(bodies) {
        let Some(edge) = names.edges.iter().position(|n| n.as_deref() == Some(item)) else { continue };
        let uses =
            shell.faces().iter().flat_map(|f| f.loops.iter().flat_map(|l| &l.edges).map(move |e| (f, e)));
        return uses.filter(|(_, e)| e.edge.index() == edge).collect();
    }
    Vec::new()
}

/// All faces of bodies, or the one that a reference names.
pub(crate) fn faces<'a>(bodies: &'a [Body], item: Option<&str>) -> Option<Vec<&'a Face>> {
    match item {
        None => Some(bodies.iter().flat_map(Body::shells).flat_map(|s| s.faces()).collect()),
        Some(item) => match find(bodies, item)? {
            Named::Face(face) => Some(vec![face]),
            _ => None,
        },
    }
}
