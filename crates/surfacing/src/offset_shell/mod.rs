//! Shells at a distance from others: each face along its normals, corners kept closed.
//!
//! Where faces meet smoothly the offset keeps the shell's topology as it is. Where they meet at an angle, or are offset by
//! different distances, faces are made longer, each in its own nature, and put together edge by edge (`rebuilt`).

mod carried;
mod creases;
mod eased;
mod filled;
mod held;
mod nodes;
mod overhang;
mod parallel;
mod parted;
mod reach;
mod rebuilt;
mod stepped;
mod tight;
mod walled;
mod web;

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::Arc;

use geometry::{Domain, NurbsCurve, NurbsSurface, Point3, Tolerance, offset_surface, parallel_surface};
use topology::{
    Body, EdgeId, Face, Loop, OrientedEdge, SeamSide, Shell, VertexId, face_extent, meeting, pcurve_on,
};

use crate::SurfacingError;
use crate::fits::apart;
use carried::carried;
use eased::{Eased, eased};
pub(crate) use filled::filled_shell;
use held::keeps_its_distance;
pub(crate) use parallel::tips;
use parted::{Parted, Where, parted, with_cusps};
use rebuilt::{ASKEW, BESIDE, folds, rebuilt};
pub use stepped::Change;
use tight::{all_but_folds, without_tight};

/// A shell at a distance from another one.
#[derive(Debug, Clone)]
pub struct OffsetShell {
    /// The shell.
    pub shell: Shell,
    /// For each of its faces the number of that of the other shell which it stands for.
    pub of: Vec<usize>,
    /// For every free edge of the other shell those that stand for it, in its direction.
    pub free: Vec<(EdgeId, NurbsCurve)>,
    /// Free edges at the ends of steps and ramps, which stand for none of the other shell.
    pub rungs: Vec<NurbsCurve>,
    /// Where a crease of the other shell ends at a border that is not square to it: where it ends, and the piece of its offset that
    /// only the face with the longer border has.
    pub overhangs: Vec<(Point3, NurbsCurve)>,
    /// Largest distance of a face from the true offset that was measured, in millimetres.
    pub max_deviation: f64,
    /// How many millimetres it is away from the other shell at most, and from where, if that was eased where it bends more tightly
    /// than it is offset.
    pub eased: Option<(f64, Point3)>,
}

/// What an offset has to keep to.
type Hold<'a> = dyn Fn(OffsetShell) -> Result<OffsetShell, SurfacingError> + 'a;

/// How many times the distance faces grow over others of which nothing is left.
const OVER: f64 = 4.0;
/// Angle in radians between faces above which they are cut against each other again.
const LEVEL: f64 = 0.01;
/// Angle in radians from which an edge is sharp however little is offset.
const CORNER: f64 = 0.1;

/// How faces meet at an edge.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Kind {
    /// One face only.
    Free,
    /// So smoothly that their offsets meet along it too.
    Smooth,
    /// At an angle, or at different distances.
    Sharp,
}

/// What is known of a shell's edges: its faces with the numbers of the loop and of the edge in it, and how they meet.
struct Joints {
    users: Vec<Vec<(usize, usize, usize)>>,
    kinds: Vec<Kind>,
    /// Edges along ridges, on either side of which a face is to end where its offset meets itself: 1 where it then bends outwards
    /// there, -1 where it bends inwards.
    ridges: BTreeMap<usize, f64>,
    /// Edges of steps, at which faces stand where they are offset to from the beginning.
    steps: BTreeSet<usize>,
}

impl Joints {
    /// The edges at which two faces meet smoothly.
    fn smooth(&self) -> Vec<usize> {
        let smooth = |e: &usize| {
            self.kinds[*e] == Kind::Smooth && self.users[*e].len() == 2 && !self.steps.contains(e)
        };
        (0..self.kinds.len()).filter(smooth).collect()
    }
}

/// An opening where faces were taken out of a shell, over which those beside it are to grow.
pub(crate) struct Opening<'a> {
    /// Its edges.
    pub(crate) edges: &'a BTreeSet<EdgeId>,
    /// How far the faces beside it grow over them, in millimetres.
    pub(crate) reach: f64,
    /// A surface up to which they grow, with a place of it that stays; without one they grow up to each other.
    pub(crate) filler: Option<(&'a Shell, [f64; 2])>,
}

/// A shell that is to be offset, once or by several distances, with how its faces meet.
#[derive(Clone)]
pub struct Offsets<'a> {
    shell: &'a Shell,
    users: Vec<Vec<(usize, usize, usize)>>,
    /// The largest angle between the faces along each edge, in radians.
    angles: Vec<f64>,
    /// How faces meet at the edges of steps.
    steps: BTreeMap<EdgeId, Kind>,
    /// What comes between faces that meet smoothly and are offset by unlike distances.
    change: Change,
    tolerance: &'a Tolerance,
}

impl<'a> Offsets<'a> {
    /// # Errors
    /// `ManyFaces` at an edge with more than two.
    pub fn new(shell: &'a Shell, tolerance: &'a Tolerance) -> Result<Self, SurfacingError> {
        let mut users = vec![Vec::new(); shell.edges().len()];
        for (f, face) in shell.faces().iter().enumerate() {
            for (l, bound) in face.loops.iter().enumerate() {
                for (k, used) in bound.edges.iter().enumerate() {
                    users[used.edge.index()].push((f, l, k));
                }
            }
        }
        let mut angles = vec![0.0; shell.edges().len()];
        for (e, users) in users.iter().enumerate() {
            let Some(curve) = &shell.edges()[e].curve else { continue };
            if users.len() > 2 {
                return Err(SurfacingError::ManyFaces { at: curve.point(curve.domain().at(0.5)).into() });
            }
            let [a, b] = users[..] else { continue };
            let sides = [a, b].map(|(f, l, k)| {
                let face = &shell.faces()[f];
                SeamSide {
                    surface: &face.surface,
                    pcurve: &face.loops[l].edges[k].pcurve,
                    reversed: face.reversed,
                }
            });
            angles[e] = meeting(curve, sides).map_or(0.0, |m| m.angle.0);
        }
        Ok(Self { shell, users, angles, steps: BTreeMap::new(), change: Change::Step, tolerance })
    }

    /// The same, with what comes between faces that meet smoothly and are offset by unlike distances.
    #[must_use]
    pub fn with_change(self, change: Change) -> Self {
        Self { change, ..self }
    }

    /// The faces into which some others go on smoothly, with those that lie between two of them at a corner of these others.
    pub(crate) fn smooth_neighbours(&self, faces: &BTreeSet<usize>) -> BTreeSet<usize> {
        let mut out = BTreeSet::new();
        // How the others end at each vertex: smoothly, or also at an angle.
        let mut ends: BTreeMap<VertexId, bool> = BTreeMap::new();
        for (e, users) in self.users.iter().enumerate() {
            let [(f, ..), (g, ..)] = users[..] else { continue };
            let beside = match [f, g].map(|x| faces.contains(&x)) {
                [true, false] => g,
                [false, true] => f,
                _ => continue,
            };
            let is_smooth = self.angles[e] < CORNER;
            if is_smooth {
                out.insert(beside);
            }
            for v in [self.shell.edges()[e].start, self.shell.edges()[e].end] {
                *ends.entry(v).or_insert(true) &= is_smooth;
            }
        }
        for (e, users) in self.users.iter().enumerate() {
            let vertices = [self.shell.edges()[e].start, self.shell.edges()[e].end];
            if vertices.iter().any(|v| ends.get(v) == Some(&true)) {
                out.extend(users.iter().map(|u| u.0).filter(|f| !faces.contains(f)));
            }
        }
        out
    }

    /// The same offset as [`Offsets::at`] gives, but without some faces: those beside them, grown at most `margin` mm, meet over where
    /// they were, however near to them that is.
    ///
    /// # Errors
    /// Those of [`Offsets::at`].
    pub(crate) fn without(
        &self,
        gone: &BTreeSet<usize>,
        distances: &[f64],
        margin: f64,
    ) -> Result<OffsetShell, SurfacingError> {
        let joints = self.joints(distances);
        let made = rebuilt::closed_over(self.shell, gone, distances, &joints, margin, self.tolerance)?;
        let left: Vec<f64> =
            distances.iter().enumerate().map(|(f, d)| if gone.contains(&f) { 0.0 } else { *d }).collect();
        self.held(made, &left)
    }

    fn joints(&self, distances: &[f64]) -> Joints {
        let kind = |(e, users): (usize, &Vec<(usize, usize, usize)>)| match users[..] {
            [_] if self.shell.edges()[e].curve.is_some() => Kind::Free,
            [(f, ..), (g, ..)] => {
                let (a, b): (f64, f64) = (distances[f], distances[g]);
                let most = a.abs().max(b.abs());
                let parts = self.angles[e] * most + (a - b).abs();
                let is_corner = self.angles[e] > CORNER && most > self.tolerance.resolution;
                if is_corner || parts > 0.5 * self.tolerance.join { Kind::Sharp } else { Kind::Smooth }
            }
            _ => Kind::Smooth,
        };
        let mut kinds: Vec<Kind> = self.users.iter().enumerate().map(kind).collect();
        for (edge, kind) in &self.steps {
            kinds[edge.index()] = *kind;
        }
        let steps = self.steps.keys().map(|e| e.index()).collect();
        Joints { users: self.users.clone(), kinds, ridges: BTreeMap::new(), steps }
    }

    /// The shell offset by `distances[face]` mm to the outer side of every face, below 0 to the inner one.
    ///
    /// # Errors
    /// `OffsetFolds` where a face bends more tightly than its distance; `OffsetOpen` where the faces do not close up any more.
    pub fn at(&self, distances: &[f64]) -> Result<OffsetShell, SurfacingError> {
        let [swallowed, or_beside] = self.swallowed(distances);
        let made = self.over(&swallowed, distances);
        if or_beside == swallowed {
            return made;
        }
        made.or_else(|error| self.over(&or_beside, distances).map_err(|_| error))
    }

    /// The same with steps, without faces of which nothing is left: what comes next is grown over them first.
    fn over(&self, gone: &BTreeSet<usize>, distances: &[f64]) -> Result<OffsetShell, SurfacingError> {
        let hold = |made: OffsetShell| self.held(made, distances);
        if !gone.is_empty() {
            return self.grown_over(gone, distances).and_then(hold);
        }
        let Some(stepped) = self.stepped(distances)? else { return self.offset(distances, &hold) };
        let around = Offsets { steps: stepped.kinds, ..Offsets::new(&stepped.shell, self.tolerance)? };
        let mut with_steps = distances.to_vec();
        with_steps.resize(stepped.shell.faces().len(), 0.0);
        let mut made = around.offset(&with_steps, &hold).and_then(hold)?;
        // What is free and no edge of the shell is the end of a step.
        let ends: Vec<_> = made.free.extract_if(.., |(e, _)| e.index() >= self.shell.edges().len()).collect();
        made.rungs.extend(ends.into_iter().map(|(_, curve)| curve));
        Ok(made)
    }

    fn grown_over(&self, gone: &BTreeSet<usize>, distances: &[f64]) -> Result<OffsetShell, SurfacingError> {
        let still = vec![0.0; distances.len()];
        let joints = beside_faces(self.shell, gone, self.tolerance)?;
        let margin = OVER * distances.iter().fold(0.0, |a: f64, d| a.max(d.abs()));
        let grown = rebuilt::closed_over(self.shell, gone, &still, &joints, margin, self.tolerance)?;
        let left: Vec<f64> = grown.of.iter().map(|f| distances[*f]).collect();
        let made = Offsets::new(&grown.shell, self.tolerance)?.with_change(self.change).at(&left)?;
        let steps_from = distances.len() - left.len();
        let of = made.of.iter().map(|f| grown.of.get(*f).copied().unwrap_or(f + steps_from)).collect();
        let was = |edge: EdgeId| {
            let curve = grown.shell.edge(edge).curve.as_ref();
            grown.free.iter().find(|(_, own)| Some(own) == curve).map(|(was, _)| *was)
        };
        let free = made.free.into_iter().filter_map(|(e, curve)| Some((was(e)?, curve))).collect();
        Ok(OffsetShell { of, free, ..made })
    }

    /// The same for a shell that has its steps; `hold` tells what the offset has to keep to.
    fn offset(&self, distances: &[f64], hold: &Hold<'_>) -> Result<OffsetShell, SurfacingError> {
        let (shell, tolerance) = (self.shell, self.tolerance);
        let joints = self.joints(distances);
        if distances.iter().all(|d| *d == 0.0) {
            let curve = |e: usize| Some((EdgeId(e as u32), shell.edges()[e].curve.clone()?));
            let free = (0..joints.kinds.len()).filter(|&e| joints.kinds[e] == Kind::Free).filter_map(curve);
            let of = (0..shell.faces().len()).collect();
            return Ok(OffsetShell {
                shell: shell.clone(),
                of,
                free: free.collect(),
                rungs: Vec::new(),
                overhangs: Vec::new(),
                max_deviation: 0.0,
                eased: None,
            });
        }
        let made = self.plainly(distances);
        // A face whose edges have no room may have had some of its own between them; one that all but folds may run into itself.
        let whole = |made: &OffsetShell| (0..shell.faces().len()).all(|f| made.of.contains(&f));
        let made = made.and_then(|made| {
            let all_but = shell.faces().iter().zip(distances).any(|(f, d)| all_but_folds(f, *d));
            if whole(&made) && !all_but { Ok(made) } else { hold(made) }
        });
        let ways = [Where::Around { first: 1 }, Where::Around { first: 0 }, Where::Ridges];
        let parted = ways.into_iter().map(|at| parted(shell, distances, at));
        let with_cusps = std::iter::once_with(|| with_cusps(shell, distances, &joints.smooth()));
        let without_folds = parted
            .chain(with_cusps)
            .filter_map(|parted| self.offset_parted(&parted.ok().flatten()?, distances).ok());
        let without_tight =
            std::iter::once_with(|| without_tight(shell, distances, &joints, tolerance).ok().flatten());
        let eased = std::iter::once_with(|| {
            let Eased { shell, most } = eased(shell, distances, tolerance)?;
            let around = Offsets { steps: self.steps.clone(), ..Offsets::new(&shell, tolerance).ok()? };
            around.plainly(distances).ok().map(|made| OffsetShell { eased: Some(most), ..made })
        });
        made.or_else(|error| {
            let others = without_folds.chain(without_tight.flatten()).chain(eased.flatten());
            let mut others = others.filter_map(|made| hold(made).ok());
            let first = others.next().ok_or(error)?;
            // A wall ends at the borders of both its skins: better where they are not parted.
            if is_parted_at_borders(&first) {
                return Ok(others.find(|made| !is_parted_at_borders(made)).unwrap_or(first));
            }
            Ok(first)
        })
    }

    /// The shell offset as if nothing folded.
    fn plainly(&self, distances: &[f64]) -> Result<OffsetShell, SurfacingError> {
        let joints = self.joints(distances);
        let rebuilt = || rebuilt(self.shell, distances, &joints, BESIDE, self.tolerance);
        if joints.kinds.contains(&Kind::Sharp) {
            return rebuilt();
        }
        moved(self.shell, distances, &joints, self.tolerance).or_else(|error| {
            // Only what is put together edge by edge knows where a face itself folds, and not its surface beyond it.
            rebuilt().map_err(|other| if folds(&other) { other } else { error })
        })
    }

    /// The shell offset whose faces were parted where they fold.
    fn offset_parted(&self, parted: &Parted, distances: &[f64]) -> Result<OffsetShell, SurfacingError> {
        let distances: Vec<f64> = parted.faces.iter().map(|f| distances[*f]).collect();
        let kind = |(e, was): (usize, &EdgeId)| Some((EdgeId(e as u32), *self.steps.get(was)?));
        let steps = parted.edges.iter().enumerate().filter_map(kind).collect();
        let offsets = Offsets { steps, ..Offsets::new(&parted.shell, self.tolerance)? };
        let mut joints = offsets.joints(&distances);
        for &ridge in &parted.ridges {
            joints.kinds[ridge] = Kind::Sharp;
            if let Some((f, ..)) = joints.users[ridge].first() {
                joints.ridges.insert(ridge, -distances[*f].signum());
            }
        }
        let made = rebuilt(&parted.shell, &distances, &joints, BESIDE, self.tolerance)?;
        let of = made.of.iter().map(|f| parted.faces[*f]).collect();
        let free = made.free.into_iter().map(|(e, curve)| (parted.edges[e.index()], curve)).collect();
        Ok(OffsetShell { of, free, ..made })
    }

    /// An offset that is where it should be and does not run into itself.
    ///
    /// # Errors
    /// `OffsetOpen` or `RunsIntoItself` with the place.
    fn held(&self, made: OffsetShell, distances: &[f64]) -> Result<OffsetShell, SurfacingError> {
        keeps_its_distance(&made, self.shell, distances, self.tolerance)?;
        apart(Body::from_shell(made.shell.clone()))?;
        Ok(made)
    }
}

fn is_parted_at_borders(made: &OffsetShell) -> bool {
    made.free.iter().map(|(e, _)| *e).collect::<BTreeSet<EdgeId>>().len() < made.free.len()
}

/// A shell offset, where `sharp` edges are laid anew too that are where faces meet by chance only.
///
/// # Errors
/// `ManyFaces`, `OffsetOpen`, `OffsetFolds`.
pub(crate) fn put_together(
    shell: &Shell,
    distances: &[f64],
    sharp: &BTreeSet<EdgeId>,
    tolerance: &Tolerance,
) -> Result<OffsetShell, SurfacingError> {
    let mut joints = Offsets::new(shell, tolerance)?.joints(distances);
    for edge in sharp {
        joints.kinds[edge.index()] = Kind::Sharp;
    }
    rebuilt(shell, distances, &joints, ASKEW, tolerance)
}

/// A shell offset by `distances[face]` mm to the outer side of every face, below 0 to the inner one.
///
/// # Errors
/// Those of [`Offsets::new`] and [`Offsets::at`].
pub fn offset_shell(
    shell: &Shell,
    distances: &[f64],
    tolerance: &Tolerance,
) -> Result<OffsetShell, SurfacingError> {
    Offsets::new(shell, tolerance)?.at(distances)
}

/// A shell without sharp edges, whose faces are offset just as they lie.
fn moved(
    shell: &Shell,
    distances: &[f64],
    joints: &Joints,
    tolerance: &Tolerance,
) -> Result<OffsetShell, SurfacingError> {
    let mut max_deviation: f64 = 0.0;
    let mut surfaces = Vec::with_capacity(shell.faces().len());
    for (face, distance) in shell.faces().iter().zip(distances) {
        let along_normal = if face.reversed { -distance } else { *distance };
        let part = face_extent(face);
        let (surface, deviation) = offset_of(&face_surface(face, part), along_normal, Some(part), tolerance)?;
        max_deviation = max_deviation.max(deviation);
        surfaces.push(surface);
    }
    let made = carried(shell, surfaces, joints, tolerance)?;
    Ok(OffsetShell { max_deviation, ..made })
}

/// A shell without some of its faces, with those beside them grown over the place, at most `margin` mm; everything else stays as
/// it is.
///
/// # Errors
/// `ManyFaces`, `OffsetOpen` where they do not close it.
pub(crate) fn closed_over(
    shell: &Shell,
    gone: &BTreeSet<usize>,
    margin: f64,
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let joints = beside_faces(shell, gone, tolerance)?;
    let distances = vec![0.0; shell.faces().len()];
    Ok(rebuilt::closed_over(shell, gone, &distances, &joints, margin, tolerance)?.shell)
}

/// A shell with one of its faces on another surface, which is as large as it can get; everything away from that face stays as it is,
/// and its neighbours grow at most `margin` mm.
///
/// # Errors
/// `ManyFaces`, `OffsetOpen` where they do not meet; those of the edges' images.
pub(crate) fn on_other_surface(
    shell: &Shell,
    number: usize,
    other: Face,
    margin: f64,
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let mut faces = shell.faces().to_vec();
    let mut loops = border(shell, number);
    // Its edges begin where they are nearest to the surface.
    for used in loops.iter_mut().flat_map(|l| &mut l.edges) {
        if let Some(curve) = &shell.edge(used.edge).curve {
            used.pcurve = pcurve_on(curve, &other.surface, tolerance)?;
        }
    }
    if other.reversed != faces[number].reversed {
        // A loop runs as its surface is seen from its own normal.
        for bound in &mut loops {
            bound.edges.reverse();
            bound.edges.iter_mut().for_each(|u| u.forward = !u.forward);
        }
    }
    faces[number] = Face { loops, ..other };
    let source = Shell::of_used(shell.vertices(), shell.edges(), faces)?;
    let mut joints = beside_faces(&source, &BTreeSet::from([number]), tolerance)?;
    for (kind, users) in joints.kinds.iter_mut().zip(&joints.users) {
        if users.len() == 2 && users.iter().any(|u| u.0 == number) {
            *kind = Kind::Sharp;
        }
    }
    Ok(rebuilt::relaid(&source, &joints, margin, tolerance)?.shell)
}

/// The loops of a face without its own seams and poles, which another surface has none of.
fn border(shell: &Shell, number: usize) -> Vec<Loop> {
    let own = || shell.faces()[number].loops.iter().flat_map(|l| &l.edges);
    let is_border = |u: &&OrientedEdge| {
        shell.edge(u.edge).curve.is_some() && own().filter(|o| o.edge == u.edge).count() == 1
    };
    let mut left: VecDeque<OrientedEdge> = own().filter(is_border).cloned().collect();
    let ends = |u: &OrientedEdge| {
        let edge = shell.edge(u.edge);
        if u.forward { [edge.start, edge.end] } else { [edge.end, edge.start] }
    };
    let mut out = Vec::new();
    while let Some(first) = left.pop_front() {
        let mut edges = vec![first];
        while let Some(k) = left.iter().position(|u| ends(u)[0] == ends(&edges[edges.len() - 1])[1])
            && ends(&edges[0])[0] != ends(&edges[edges.len() - 1])[1]
        {
            edges.extend(left.remove(k));
        }
        out.push(Loop { edges });
    }
    out
}

/// How faces meet when nothing is offset, and edges at an angle that end beside some of the faces are laid anew.
fn beside_faces(
    shell: &Shell,
    changing: &BTreeSet<usize>,
    tolerance: &Tolerance,
) -> Result<Joints, SurfacingError> {
    let offsets = Offsets::new(shell, tolerance)?;
    let own = changing.iter().flat_map(|&f| &shell.faces()[f].loops).flat_map(|l| &l.edges);
    let ends = |e: &EdgeId| [shell.edge(*e).start, shell.edge(*e).end];
    let beside: BTreeSet<VertexId> = own.flat_map(|u| ends(&u.edge)).collect();
    let mut joints = offsets.joints(&vec![0.0; shell.faces().len()]);
    for (e, kind) in joints.kinds.iter_mut().enumerate() {
        let changes = ends(&EdgeId(e as u32)).iter().any(|v| beside.contains(v));
        if changes && *kind == Kind::Smooth && offsets.angles[e] > LEVEL {
            *kind = Kind::Sharp;
        }
    }
    Ok(joints)
}

/// The part of a face's surface over a part of the domain; all of it in a direction in which it closes.
fn face_surface(face: &Face, part: [Domain; 2]) -> Arc<NurbsSurface> {
    let whole: [Domain; 2] = face.surface.domain().into();
    let closed = face.surface.closes(1e-9);
    let kept = [0, 1].map(|k| if closed[k] { whole[k] } else { part[k] });
    if kept == whole { face.surface.clone() } else { Arc::new(face.surface.part(kept)) }
}

fn offset_of(
    surface: &Arc<NurbsSurface>,
    distance: f64,
    part: Option<[Domain; 2]>,
    tolerance: &Tolerance,
) -> Result<(Arc<NurbsSurface>, f64), SurfacingError> {
    if distance == 0.0 {
        return Ok((surface.clone(), 0.0));
    }
    let made = match part {
        Some(part) => offset_surface(surface, distance, part, tolerance)?,
        None => parallel_surface(surface, distance, tolerance)?,
    };
    if !made.converged {
        let [u, v] = part.unwrap_or(surface.domain().into());
        let at: Point3 = surface.point(u.at(0.5), v.at(0.5));
        return Err(SurfacingError::OffsetRough { deviation: made.max_deviation, at: at.into() });
    }
    Ok((Arc::new(made.surface), made.max_deviation))
}
