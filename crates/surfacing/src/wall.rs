//! How thick a wall is: places of one skin, and how far the other one is from them.

use std::collections::BTreeSet;

use geometry::{
    BoxTree, Domain, NurbsCurve, NurbsSurface, OnSurface, Point3, box_of, closest_on_curve, diagonal, grown,
    nearby_on_surface,
};
use topology::{
    EdgeId, Face, MeshTolerance, OrientedEdge, PlacedTriangle, Shell, VertexId, face_extent, free_edges, mesh,
};

use crate::loops::Outlines;
use crate::side::Side;

/// Places of a face in either direction, and of an edge, that are looked at.
const INSIDE: usize = 6;
const ALONG: usize = 7;
/// How many times as far as expected is looked at first, and how much farther each time then.
const FIRST: f64 = 1.05;
const FARTHER: f64 = 1.5;
/// How far within a skin's border, as a share of the thickness, the places along it are looked at: at its very end a wall is what its
/// end is.
const WITHIN: f64 = 0.05;
/// Sine of the angle between a wall's direction and the normal of the skin at whose border it ends.
const SQUARE: f64 = 0.04;
/// How far the triangles by which distances are found may be off, as a share of the thickness.
pub(crate) const CHORD: f64 = 0.25;

/// The thinnest and the thickest of the places of a wall that were looked at, each with its thickness in millimetres.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wall {
    /// The least thickness, and where.
    pub thinnest: (f64, Point3),
    /// The greatest thickness, and where.
    pub thickest: (f64, Point3),
}

impl Wall {
    /// The thinnest and the thickest of two.
    #[must_use]
    pub fn with(self, other: Self) -> Self {
        Self {
            thinnest: if other.thinnest.0 < self.thinnest.0 { other.thinnest } else { self.thinnest },
            thickest: if other.thickest.0 > self.thickest.0 { other.thickest } else { self.thickest },
        }
    }
}

/// The wall between two skins: from places inside the faces and along the edges of the first the distance to the nearest place of
/// the second that is square to it. `about` mm is how thick it is meant to be. `None` where there are no skins.
#[must_use]
pub fn wall_between(first: &Shell, second: &Shell, about: f64) -> Option<Wall> {
    let skin = Skin::of(second, &|_| true, CHORD * about)?;
    let border: BTreeSet<EdgeId> = free_edges(first).into_iter().collect();
    let at_border: BTreeSet<VertexId> =
        border.iter().map(|e| first.edge(*e)).flat_map(|e| [e.start, e.end]).collect();
    let numbered = first.vertices().iter().enumerate().map(|(k, v)| (VertexId(k as u32), v.point));
    let corners = numbered.filter(|(id, _)| !at_border.contains(id)).map(|(_, p)| p);
    let at = |p: Point3| {
        let at = (skin.distance(&p, about)?, p);
        Some(Wall { thinnest: at, thickest: at })
    };
    let along = first.faces().iter().flat_map(|face| {
        let uses = face.loops.iter().flat_map(|l| &l.edges);
        uses.flat_map(|used| {
            places_along(face, used, if border.contains(&used.edge) { WITHIN * about } else { 0.0 })
        })
    });
    let inside = first.faces().iter().flat_map(places_inside);
    inside.chain(along).chain(corners).filter_map(at).reduce(Wall::with)
}

/// How thick the wall is at its ends where these stand over what lies beside its border: the least distance of their places from a skin
/// that is nearer than its border. `None` where there are none.
pub(crate) fn least_over(ends: &Shell, skin: &Shell, about: f64) -> Option<Wall> {
    let whole = Skin::of(skin, &|_| true, CHORD * about)?;
    let border = borders(skin);
    let over = |p: Point3| {
        let distance = whole.nearest(&p, about, AtBorders::All)?;
        let is_over = distance + WITHIN * about < away_from(&border, &p);
        is_over.then_some(Wall { thinnest: (distance, p), thickest: (distance, p) })
    };
    ends.faces().iter().flat_map(places).filter_map(over).reduce(Wall::with)
}

/// The curves of a shell's borders.
pub(crate) fn borders(shell: &Shell) -> Vec<&NurbsCurve> {
    free_edges(shell).into_iter().filter_map(|e| shell.edge(e).curve.as_ref()).collect()
}

/// The distance of a place from the nearest of curves.
pub(crate) fn away_from(curves: &[&NurbsCurve], p: &Point3) -> f64 {
    curves.iter().map(|c| closest_on_curve(c, p).distance).fold(f64::MAX, f64::min)
}

/// Places inside a face and along its edges.
pub(crate) fn places(face: &Face) -> Vec<Point3> {
    let uses = face.loops.iter().flat_map(|l| &l.edges);
    let along = uses.flat_map(|used| places_along(face, used, 0.0));
    places_inside(face).into_iter().chain(along).collect()
}

fn places_inside(face: &Face) -> Vec<Point3> {
    let (outlines, extent) = (Outlines::of(face), face_extent(face));
    let inner = |d: Domain| (0..INSIDE).map(move |k| d.at((k as f64 + 0.5) / INSIDE as f64));
    let inside = inner(extent[0]).flat_map(|u| inner(extent[1]).map(move |v| [u, v]));
    inside.filter(|at| outlines.hold(at)).map(|[u, v]| face.surface.point(u, v)).collect()
}

/// Places along an edge, about so many millimetres within the face.
fn places_along(face: &Face, used: &OrientedEdge, within: f64) -> Vec<Point3> {
    let d = used.pcurve.domain();
    let place = |k: usize| {
        let t = d.at((k as f64 + 0.5) / ALONG as f64);
        let p = used.pcurve.point(t);
        if within == 0.0 {
            return Some(face.surface.point(p.x, p.y));
        }
        let into = -Side::new(face, used, t)?.out * within;
        let (du, dv) = face.surface.derivatives(p.x, p.y).rates(&into)?;
        let domains: [Domain; 2] = face.surface.domain().into();
        Some(face.surface.point(domains[0].clamp(p.x + du), domains[1].clamp(p.y + dv)))
    };
    (0..ALONG).filter_map(place).collect()
}

/// Which places at the borders of a skin count.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum AtBorders {
    /// All.
    All,
    /// Those to which the way is square.
    Square,
    /// None, nor any next to them.
    None,
}

/// A face with its edges.
struct Bounded<'a> {
    surface: &'a NurbsSurface,
    outlines: Outlines,
    edges: Vec<Bound<'a>>,
}

/// An edge, with whether it is a free one, and which of its ends lie on free ones.
struct Bound<'a> {
    curve: &'a NurbsCurve,
    is_free: bool,
    at_border: [bool; 2],
}

impl Bound<'_> {
    /// Whether a place of it, by its parameter, lies on a border.
    fn is_on_border(&self, t: f64) -> bool {
        let d = self.curve.domain();
        self.is_free || (self.at_border[0] && t <= d.start) || (self.at_border[1] && t >= d.end)
    }
}

/// Faces from which distances are measured: by the triangles of a mesh, and from there on the surfaces.
pub(crate) struct Skin<'a> {
    faces: Vec<Bounded<'a>>,
    pieces: Vec<PlacedTriangle>,
    tree: BoxTree,
    chord: f64,
    size: f64,
}

impl<'a> Skin<'a> {
    /// The wanted faces of a shell, with triangles about `chord` mm off; `None` where there is no mesh of it.
    pub(crate) fn of(shell: &'a Shell, wanted: &dyn Fn(usize) -> bool, chord: f64) -> Option<Self> {
        let made = mesh(shell, MeshTolerance::chord(chord)).ok()?;
        let free: BTreeSet<EdgeId> = free_edges(shell).into_iter().collect();
        let on_border: BTreeSet<VertexId> =
            free.iter().map(|e| shell.edge(*e)).flat_map(|e| [e.start, e.end]).collect();
        let bound = |u: &OrientedEdge| {
            let edge = shell.edge(u.edge);
            let at_border = [edge.start, edge.end].map(|v| on_border.contains(&v));
            Some(Bound { curve: edge.curve.as_ref()?, is_free: free.contains(&u.edge), at_border })
        };
        let told = |f: &'a Face| Bounded {
            surface: &f.surface,
            outlines: Outlines::of(f),
            edges: f.loops.iter().flat_map(|l| &l.edges).filter_map(bound).collect(),
        };
        let faces = shell.faces().iter().map(told).collect();
        let pieces: Vec<_> = made.placed().into_iter().filter(|t| wanted(t.face)).collect();
        let tree = BoxTree::new(pieces.iter().enumerate().map(|(i, p)| (box_of(p.at.iter()), i)));
        let chord = chord.max(made.max_deviation);
        Some(Self { faces, pieces, tree, chord, size: diagonal(&box_of(made.positions.iter())) })
    }

    /// The distance to the nearest place that is within `within` mm.
    fn nearest(&self, p: &Point3, within: f64, at_borders: AtBorders) -> Option<f64> {
        let about = grown(&box_of(std::iter::once(p)), within + self.chord);
        let mut found: Vec<(f64, usize, [f64; 2])> = self
            .tree
            .meeting(&about)
            .into_iter()
            .map(|i| {
                let piece = &self.pieces[i];
                let (distance, weights) = from_triangle(p, &piece.at);
                (distance, piece.face, piece.weighted(weights))
            })
            .filter(|f| f.0 <= within + self.chord)
            .collect();
        found.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut looked_at = BTreeSet::new();
        let mut least = f64::MAX;
        for (about, face, uv) in found {
            if about > least + 2.0 * self.chord {
                break;
            }
            if !looked_at.insert(face) {
                continue;
            }
            let Bounded { surface, outlines, edges } = &self.faces[face];
            let inside = nearby_on_surface(surface, p, uv, within + self.chord)
                .filter(|at| outlines.hold(&at.parameters))
                // A foot at the border of a surface is one of its edges'.
                .filter(|at| at_borders == AtBorders::All || stands_square(surface, at, p))
                .filter(|at| at_borders != AtBorders::None || !is_beside_border(edges, at, WITHIN * within));
            let to_edge = |bound: &Bound<'_>| {
                let at = closest_on_curve(bound.curve, p);
                let is_border = bound.is_on_border(at.parameter);
                let counts = match at_borders {
                    AtBorders::All => true,
                    AtBorders::Square => !is_border || is_square(surface, uv, &at.point, p),
                    // Where the way to an edge is not square to it, what is nearest lies beyond, at a border.
                    AtBorders::None => !is_border && is_square(surface, uv, &at.point, p),
                };
                counts.then_some(at.distance)
            };
            let to_edges = || edges.iter().filter_map(to_edge).fold(f64::MAX, f64::min);
            least = least.min(inside.map_or_else(to_edges, |at| at.distance));
        }
        (least <= within).then_some(least)
    }

    /// Whether a place is nearer than `than` mm, not beyond a border.
    pub(crate) fn is_nearer(&self, p: &Point3, than: f64) -> bool {
        self.nearest(p, than, AtBorders::Square).is_some()
    }

    /// The same to a place away from borders.
    pub(crate) fn is_nearer_inside(&self, p: &Point3, than: f64) -> bool {
        self.nearest(p, than, AtBorders::None).is_some()
    }

    /// The distance of a place in millimetres, which is looked for about `about` mm away first; `None` where what is nearest is a border
    /// that the place lies beyond.
    pub(crate) fn distance(&self, p: &Point3, about: f64) -> Option<f64> {
        let mut within = FIRST * about;
        while within < FARTHER * (self.size + about) {
            if let Some(nearest) = self.nearest(p, within, AtBorders::All) {
                return self.nearest(p, nearest, AtBorders::Square);
            }
            within *= FARTHER;
        }
        None
    }
}

/// Whether a place of a face lies within so many millimetres of a border.
fn is_beside_border(edges: &[Bound<'_>], at: &OnSurface, within: f64) -> bool {
    edges.iter().any(|b| b.is_free && closest_on_curve(b.curve, &at.point).distance <= within)
}

/// Whether the way from a place of a surface, looked for near parameters, to another one is square to it.
fn is_square(surface: &NurbsSurface, near: [f64; 2], from: &Point3, to: &Point3) -> bool {
    nearby_on_surface(surface, from, near, (to - from).norm())
        .is_none_or(|at| stands_square(surface, &OnSurface { point: *from, ..at }, to))
}

/// Whether the way from a place on a surface to another one is square to it.
fn stands_square(surface: &NurbsSurface, from: &OnSurface, to: &Point3) -> bool {
    let way = to - from.point;
    let normal = surface.normal(from.parameters[0], from.parameters[1]);
    normal.is_none_or(|n| n.cross(&way).norm() <= SQUARE * way.norm())
}

/// The distance of a place from a triangle, and the weights of the corners at the place that is nearest (Ericson, Real-Time
/// Collision Detection, 2005, section 5.1.5).
fn from_triangle(p: &Point3, [a, b, c]: &[Point3; 3]) -> (f64, [f64; 3]) {
    let at = |w: [f64; 3]| ((a.coords * w[0] + b.coords * w[1] + c.coords * w[2] - p.coords).norm(), w);
    let (ab, ac, ap, bp, cp) = (b - a, c - a, p - a, p - b, p - c);
    let [d1, d2, d3, d4, d5, d6] =
        [ab.dot(&ap), ac.dot(&ap), ab.dot(&bp), ac.dot(&bp), ab.dot(&cp), ac.dot(&cp)];
    let (va, vb, vc) = (d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2);
    if d1 <= 0.0 && d2 <= 0.0 {
        return at([1.0, 0.0, 0.0]);
    }
    if d3 >= 0.0 && d4 <= d3 {
        return at([0.0, 1.0, 0.0]);
    }
    if d6 >= 0.0 && d5 <= d6 {
        return at([0.0, 0.0, 1.0]);
    }
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        let s = d1 / (d1 - d3);
        return at([1.0 - s, s, 0.0]);
    }
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        let s = d2 / (d2 - d6);
        return at([1.0 - s, 0.0, s]);
    }
    if va <= 0.0 && d4 >= d3 && d5 >= d6 {
        let s = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return at([0.0, 1.0 - s, s]);
    }
    let sum = va + vb + vc;
    at([va / sum, vb / sum, vc / sum])
}
