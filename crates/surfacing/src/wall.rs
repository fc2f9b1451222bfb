//! How thick a wall is: places of one skin, and how far the other one is from them.

use std::collections::BTreeSet;

use geometry::{
    BoxTree, Domain, NurbsCurve, NurbsSurface, Point3, box_of, closest_on_curve, diagonal, grown,
    nearby_on_surface,
};
use topology::{Face, MeshTolerance, PlacedTriangle, Shell, face_extent, mesh};

use crate::loops::Outlines;

/// Places of a face in either direction, and of an edge, that are looked at.
const INSIDE: usize = 6;
const ALONG: usize = 7;
/// How many times as far as expected is looked at first, and how much farther each time then.
const FIRST: f64 = 1.05;
const FARTHER: f64 = 1.5;
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
/// the second. `about` mm is how thick it is meant to be. `None` where there are no skins.
#[must_use]
pub fn wall_between(first: &Shell, second: &Shell, about: f64) -> Option<Wall> {
    let skin = Skin::of(second, &|_| true, CHORD * about)?;
    let corners = first.vertices().iter().map(|v| v.point);
    let at = |p: Point3| {
        let at = (skin.distance(&p, about)?, p);
        Some(Wall { thinnest: at, thickest: at })
    };
    first.faces().iter().flat_map(places).chain(corners).filter_map(at).reduce(Wall::with)
}

/// Places inside a face and along its edges.
pub(crate) fn places(face: &Face) -> Vec<Point3> {
    let (outlines, extent) = (Outlines::of(face), face_extent(face));
    let inner = |d: Domain| (0..INSIDE).map(move |k| d.at((k as f64 + 0.5) / INSIDE as f64));
    let inside = inner(extent[0]).flat_map(|u| inner(extent[1]).map(move |v| [u, v]));
    let inside = inside.filter(|at| outlines.hold(at)).map(|[u, v]| face.surface.point(u, v));
    let along = face.loops.iter().flat_map(|l| &l.edges).flat_map(|used| {
        let d = used.pcurve.domain();
        (0..ALONG).map(move |k| used.pcurve.point(d.at((k as f64 + 0.5) / ALONG as f64)))
    });
    inside.chain(along.map(|p| face.surface.point(p.x, p.y))).collect()
}

/// Faces from which distances are measured: by the triangles of a mesh, and from there on the surfaces.
pub(crate) struct Skin<'a> {
    faces: Vec<(&'a NurbsSurface, Outlines, Vec<&'a NurbsCurve>)>,
    pieces: Vec<PlacedTriangle>,
    tree: BoxTree,
    chord: f64,
    size: f64,
}

impl<'a> Skin<'a> {
    /// The wanted faces of a shell, with triangles about `chord` mm off; `None` where there is no mesh of it.
    pub(crate) fn of(shell: &'a Shell, wanted: &dyn Fn(usize) -> bool, chord: f64) -> Option<Self> {
        let made = mesh(shell, MeshTolerance::chord(chord)).ok()?;
        let told = |f: &'a Face| {
            let edges = f.loops.iter().flat_map(|l| &l.edges);
            let curves = edges.filter_map(|u| shell.edge(u.edge).curve.as_ref()).collect();
            (&*f.surface, Outlines::of(f), curves)
        };
        let faces = shell.faces().iter().map(told).collect();
        let pieces: Vec<_> = made.placed().into_iter().filter(|t| wanted(t.face)).collect();
        let tree = BoxTree::new(pieces.iter().enumerate().map(|(i, p)| (box_of(p.at.iter()), i)));
        let chord = chord.max(made.max_deviation);
        Some(Self { faces, pieces, tree, chord, size: diagonal(&box_of(made.positions.iter())) })
    }

    /// The distance to the nearest place that is within `within` mm.
    fn nearest(&self, p: &Point3, within: f64) -> Option<f64> {
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
        let least = found.first()?.0;
        let mut looked_at = BTreeSet::new();
        let near = found.into_iter().take_while(|f| f.0 <= least + 2.0 * self.chord);
        let distances = near.filter(|f| looked_at.insert(f.1)).map(|(_, face, uv)| {
            let (surface, outlines, edges) = &self.faces[face];
            let inside = nearby_on_surface(surface, p, uv, within + self.chord)
                .filter(|at| outlines.hold(&at.parameters));
            let to_edge = |c: &&NurbsCurve| closest_on_curve(c, p).distance;
            inside.map_or_else(|| edges.iter().map(to_edge).fold(f64::MAX, f64::min), |at| at.distance)
        });
        Some(distances.fold(f64::MAX, f64::min)).filter(|d| *d <= within)
    }

    /// Whether a place is nearer than `than` mm.
    pub(crate) fn is_nearer(&self, p: &Point3, than: f64) -> bool {
        self.nearest(p, than).is_some()
    }

    /// The distance of a place in millimetres, which is looked for about `about` mm away first.
    pub(crate) fn distance(&self, p: &Point3, about: f64) -> Option<f64> {
        let mut within = FIRST * about;
        while within < FARTHER * (self.size + about) {
            if let Some(found) = self.nearest(p, within) {
                return Some(found);
            }
            within *= FARTHER;
        }
        None
    }
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
