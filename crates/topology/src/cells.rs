//! The spaces that imprinted shapes shut in.
//!
//! Faces are sorted radially about each edge; from one side of a face one gets, without passing through a face, to the side
//! of its neighbour. What hangs together so bounds one space from one side; which of these boundaries lies in which space
//! is found by sending rays (Weiler 1985, as for the imprint).

use std::collections::{BTreeMap, BTreeSet};

use geometry::{Point3, Tolerance, Vector3, shared_work};
use rayon::prelude::*;

use crate::imprint::Outline;
use crate::measure::rough_volume_under;
use crate::within::Target;
use crate::{EdgeId, Face, Imprint, OrientedEdge, Shell};

/// Places along an edge at which its faces can be told apart, as fractions of its domain.
const ALONG: [f64; 4] = [0.5, 0.381_7, 0.673_1, 0.157_3];
/// Angle in radians from which two faces at an edge are told apart by their tangent planes.
const APART: f64 = 2e-3;
/// How far into the faces those are looked at that have the same tangent plane, as shares of the edge's length.
const INTO: f64 = 0.02;

/// The number of the unbounded space.
pub const OUTSIDE: usize = 0;

/// A face's side: the back, from which its surface's normal points away, or the front.
pub(crate) type SideId = usize;

/// The spaces into which faces divide space.
#[derive(Debug, Clone)]
pub struct Cells {
    /// For every face the space behind it and the one in front of it, by its surface's own normal; [`OUTSIDE`] is the
    /// unbounded one.
    pub sides: Vec<[usize; 2]>,
    /// Volumes of the bounded spaces in mm³, to about six digits; space 1 is the first.
    pub volumes: Vec<f64>,
}

/// Uses of an edge in the order in which faces stand round it.
#[derive(Debug, Clone)]
pub(crate) struct Radial {
    /// Face, and whether its loop runs along the edge, counter-clockwise seen against the edge's direction.
    pub(crate) uses: Vec<(usize, bool)>,
}

/// Sorts the faces about every edge. Edges without a curve get nobody.
pub(crate) fn radial_order(shell: &Shell, faces: &[Face]) -> Vec<Radial> {
    let mut uses: Vec<Vec<(usize, &OrientedEdge)>> = vec![Vec::new(); shell.edges().len()];
    for (f, face) in faces.iter().enumerate() {
        for used in face.loops.iter().flat_map(|l| &l.edges) {
            if shell.edge(used.edge).curve.is_some() {
                uses[used.edge.index()].push((f, used));
            }
        }
    }
    let sort = shared_work(|(e, uses): (usize, &Vec<_>)| sorted(shell, faces, EdgeId(e as u32), uses));
    uses.par_iter().enumerate().map(sort).collect()
}

fn sorted(shell: &Shell, faces: &[Face], edge: EdgeId, uses: &[(usize, &OrientedEdge)]) -> Radial {
    let plain = || Radial { uses: uses.iter().map(|(f, u)| (*f, u.forward)).collect() };
    let Some(curve) = shell.edge(edge).curve.as_ref().filter(|_| uses.len() > 2) else { return plain() };
    let mut best: Option<(f64, Vec<(usize, bool)>)> = None;
    for fraction in ALONG {
        let t = curve.domain().at(fraction);
        let Some(direction) = curve.tangent(t) else { continue };
        let into: Option<Vec<Vector3>> =
            uses.iter().map(|(f, u)| inward(&faces[*f], u, t, &direction)).collect();
        let Some(into) = into else { continue };
        let (x, y) = (into[0], direction.cross(&into[0]));
        let angle = |v: &Vector3| v.dot(&y).atan2(v.dot(&x)).rem_euclid(std::f64::consts::TAU);
        let step = INTO * curve.length();
        let farther = |k: usize| {
            let (f, u) = uses[k];
            let from = u.pcurve.point(t);
            let surface = &faces[f].surface;
            let d = surface.derivatives(from.x, from.y);
            let (a, b) = d.rates(&(into[k] * step)).unwrap_or_default();
            let domains = surface.domain();
            let at = surface.point(domains.0.clamp(from.x + a), domains.1.clamp(from.y + b));
            at - d.point
        };
        let mut order: Vec<(f64, usize)> = into.iter().map(angle).zip(0..).collect();
        order[0].0 = 0.0;
        // Just below a full turn is just before the first one.
        order.iter_mut().for_each(|o| {
            o.0 = if o.0 > std::f64::consts::TAU - 0.5 * APART { o.0 - std::f64::consts::TAU } else { o.0 }
        });
        order.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let least = order.windows(2).map(|w| w[1].0 - w[0].0).fold(f64::INFINITY, f64::min);
        if least < APART {
            // The same tangent plane: how they bend tells which comes first.
            let bent = |k: usize, about: f64| {
                let a = angle(&farther(k)) - about;
                a - std::f64::consts::TAU * (a / std::f64::consts::TAU).round()
            };
            let mut i = 0;
            while i < order.len() {
                let mut j = i + 1;
                while j < order.len() && order[j].0 - order[i].0 < APART {
                    j += 1;
                }
                let about = order[i].0;
                order[i..j].sort_by(|a, b| bent(a.1, about).total_cmp(&bent(b.1, about)).then(a.1.cmp(&b.1)));
                i = j;
            }
        }
        let uses: Vec<(usize, bool)> = order.iter().map(|o| (uses[o.1].0, uses[o.1].1.forward)).collect();
        let clear = least >= APART;
        if best.as_ref().is_none_or(|b| least > b.0) {
            best = Some((least, uses));
        }
        if clear {
            break;
        }
    }
    best.map_or_else(plain, |b| Radial { uses: b.1 })
}

/// The direction from an edge into a face, square to the edge.
pub(crate) fn inward(face: &Face, used: &OrientedEdge, t: f64, direction: &Vector3) -> Option<Vector3> {
    let at = used.pcurve.point(t);
    let normal = face.surface.normal(at.x, at.y)?;
    let along = if used.forward { *direction } else { -direction };
    normal.cross(&along).try_normalize(1e-9)
}

impl Imprint {
    /// The spaces that its faces shut in.
    #[must_use]
    pub fn cells(&self, tolerance: &Tolerance) -> Cells {
        let faces = self.shell.faces();
        let radial = radial_order(&self.shell, faces);
        let mut sides = Sets::new(2 * faces.len());
        let mut complexes = Sets::new(faces.len());
        for around in &radial {
            let uses = &around.uses;
            for (k, &(face, forward)) in uses.iter().enumerate() {
                let (next, its) = uses[(k + 1) % uses.len()];
                // Counter-clockwise from a face whose loop runs along the edge one is in front of it.
                sides.unite(2 * face + usize::from(forward), 2 * next + usize::from(!its));
                complexes.unite(face, next);
            }
        }
        // Faces that have only a vertex in common hang together too, which spares rays.
        let mut at_vertex: BTreeMap<u32, usize> = BTreeMap::new();
        for (f, face) in faces.iter().enumerate() {
            for used in face.loops.iter().flat_map(|l| &l.edges) {
                let edge = self.shell.edge(used.edge);
                for v in [edge.start, edge.end] {
                    let first = *at_vertex.entry(v.0).or_insert(f);
                    complexes.unite(first, f);
                }
            }
        }
        spaces(faces, &mut sides, &mut complexes, tolerance)
    }
}

/// A connected boundary of a space, seen from it.
struct Boundary {
    sides: Vec<SideId>,
    volume: f64,
    complex: usize,
}

fn spaces(faces: &[Face], sides: &mut Sets, complexes: &mut Sets, tolerance: &Tolerance) -> Cells {
    let about = faces.first().map_or(Point3::origin(), |f| f.surface.control_points()[0]);
    // Seen by its surface's own normal.
    let under: Vec<f64> = faces
        .par_iter()
        .map(shared_work(|f: &Face| rough_volume_under(f, &about) * if f.reversed { -1.0 } else { 1.0 }))
        .collect();
    let mut groups: BTreeMap<usize, Vec<SideId>> = BTreeMap::new();
    for side in 0..2 * faces.len() {
        groups.entry(sides.of(side)).or_default().push(side);
    }
    let boundaries: Vec<Boundary> = groups
        .into_values()
        .map(|sides| {
            // From behind, a face's normal points away from the space.
            let volume = sides.iter().map(|s| if s % 2 == 0 { under[s / 2] } else { -under[s / 2] }).sum();
            let complex = complexes.of(sides[0] / 2);
            Boundary { sides, volume, complex }
        })
        .collect();
    let size = under.iter().map(|v| v.abs()).fold(0.0, f64::max);
    let encloses = |b: &Boundary| {
        let members: BTreeSet<SideId> = b.sides.iter().copied().collect();
        let single = b.sides.iter().any(|s| !members.contains(&(s ^ 1)));
        single && b.volume > 1e-12 * size
    };
    // In the order of their first sides, since the groups are.
    let outer: Vec<usize> = (0..boundaries.len()).filter(|&b| encloses(&boundaries[b])).collect();
    let mut cell = vec![OUTSIDE; boundaries.len()];
    for (number, &b) in outer.iter().enumerate() {
        cell[b] = number + 1;
    }
    let mut volumes: Vec<f64> = outer.iter().map(|&b| boundaries[b].volume).collect();
    let boxes: Vec<Option<(Point3, Point3)>> = outer.iter().map(|&b| extent(faces, &boundaries[b])).collect();
    let mut targets: BTreeMap<usize, Target> = BTreeMap::new();
    let inner: Vec<usize> = (0..boundaries.len()).filter(|&b| cell[b] == OUTSIDE).collect();
    for inner in inner {
        let Some(at) = inside_place(faces, &boundaries[inner]) else { continue };
        let mut around: Vec<usize> = (0..outer.len())
            .filter(|&k| boundaries[outer[k]].complex != boundaries[inner].complex)
            .filter(|&k| {
                boxes[k].is_some_and(|(low, high)| (0..3).all(|x| low[x] <= at[x] && at[x] <= high[x]))
            })
            .collect();
        around.sort_by(|a, b| boundaries[outer[*a]].volume.total_cmp(&boundaries[outer[*b]].volume));
        for k in around {
            let target = targets.entry(k).or_insert_with(|| {
                let mut own: Vec<usize> = boundaries[outer[k]].sides.iter().map(|s| s / 2).collect();
                own.dedup();
                Target::new(own.into_iter().map(|f| &faces[f]), tolerance.resolution)
            });
            if target.holds(&at) {
                cell[inner] = k + 1;
                volumes[k] += boundaries[inner].volume;
                break;
            }
        }
    }
    let mut out = vec![[OUTSIDE; 2]; faces.len()];
    for (b, boundary) in boundaries.iter().enumerate() {
        for side in &boundary.sides {
            out[side / 2][side % 2] = cell[b];
        }
    }
    Cells { sides: out, volumes }
}

/// A box that holds a boundary.
fn extent(faces: &[Face], boundary: &Boundary) -> Option<(Point3, Point3)> {
    let points = boundary.sides.iter().flat_map(|s| faces[s / 2].surface.control_points());
    points.map(|p| (p, p)).reduce(|a, b| (a.0.inf(&b.0), a.1.sup(&b.1)))
}

/// A place on one of the faces of a boundary.
fn inside_place(faces: &[Face], boundary: &Boundary) -> Option<Point3> {
    boundary.sides.iter().find_map(|s| {
        let face = &faces[s / 2];
        let at = Outline::of(face).inside()?;
        Some(face.surface.point(at[0], at[1]))
    })
}

/// Sets that grow together (Tarjan's union-find); the lowest number stands for each.
pub(crate) struct Sets(Vec<usize>);

impl Sets {
    pub(crate) fn new(count: usize) -> Self {
        Self((0..count).collect())
    }

    pub(crate) fn of(&mut self, mut i: usize) -> usize {
        while self.0[i] != i {
            self.0[i] = self.0[self.0[i]];
            i = self.0[i];
        }
        i
    }

    pub(crate) fn unite(&mut self, a: usize, b: usize) {
        let (a, b) = (self.of(a), self.of(b));
        self.0[a.max(b)] = a.min(b);
    }
}
