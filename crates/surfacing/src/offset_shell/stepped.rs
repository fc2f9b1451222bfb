//! Faces that meet smoothly and are offset by unlike distances: their offsets never meet. Between them stands a face of its own, along
//! the normals of the face that is offset more (a step), or slanted from there over the one that is offset less (a ramp). In the source it has
//! two edges for the one where it stands, and no width.

use std::collections::{BTreeMap, BTreeSet};

use geometry::{
    Domain, EndDerivatives, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, bisect, closest_on_curve,
    fit_function, interpolate,
};
use topology::{
    Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, face_extent, straight_pcurve,
};

use super::carried::curve_on;
use super::parallel::Parallel;
use super::parted::folded;
use super::reach::{run_on, speed};
use super::{Kind, Offsets, offset_of};
use crate::SurfacingError;
use crate::ground::Ground;
use crate::halves::Halves;
use crate::loops::Outlines;
use crate::side::{Side, end_of};
use crate::straightest::straightest;
use crate::thick::wall_from;

/// Angle in radians up to which faces at unlike distances are not cut against each other.
const LEVEL: f64 = 0.35;
/// Share of the join tolerance within which distances are alike, and neighbouring steps end alike.
const ALIKE: f64 = 0.5;
/// How much longer than its edge a step is made, in distances and widths of its ramp: it is cut off where others end it.
const LONGER: f64 = 2.5;
/// How many times as far as its edge the face beside a step is made longer.
const WIDER: f64 = 2.0;
/// Places along an edge between which a ramp's foot is interpolated.
const FEET: usize = 24;
/// Places of a face in either direction at which is looked whether it folds.
const LOOKED_AT: usize = 5;
/// Shares of an edge at which is looked whether a ramp beside it has room.
const MIDDLE: [f64; 3] = [0.35, 0.5, 0.65];
/// How far, in widths of a ramp, along its edge is looked for where it ends at a border, and in how many steps.
const FARTHEST: f64 = 2.0;
const SCANNED: usize = 16;
/// Millimetres within which a ramp's foot lies on a border.
const SETTLED: f64 = 1e-9;
/// Share of an edge over which is seen how a ramp's foot moves.
const BESIDE: f64 = 1e-5;

/// How a wall's thickness changes between faces that meet smoothly.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub enum Change {
    /// At once, square to the faces where they meet.
    #[default]
    Step,
    /// Evenly over so many millimetres of the thinner side, measured along it and square to where they meet.
    Ramp(f64),
}

/// A shell with faces for its steps, after its own ones.
pub(super) struct Stepped {
    pub(super) shell: Shell,
    /// How faces meet at the edges of steps.
    pub(super) kinds: BTreeMap<EdgeId, Kind>,
}

/// An edge along which a step stands, with its half-edges: the one that runs forward first.
struct Riser {
    edge: EdgeId,
    halves: [usize; 2],
    surface: NurbsSurface,
    /// The part of the surface's second parameter on either side: that of the edge, or where a ramp ends at a border.
    own: [Domain; 2],
    /// The feet of a ramp on the face of each half-edge.
    feet: [Option<NurbsCurve>; 2],
    /// How it meets the face of each half-edge.
    kinds: [Kind; 2],
}

impl Riser {
    /// Where the surface is at an end of the edge, on the side of either half-edge.
    fn corner(&self, side: usize, at_end: bool) -> Point3 {
        self.surface.point(side as f64, end_of(self.own[side], at_end))
    }
}

/// What ends steps at a vertex: an edge along the normal from the first of its two vertices to the second.
struct Rung {
    vertices: [VertexId; 2],
    /// Which risers end there: their number, and whether with their end.
    ends: Vec<(usize, bool)>,
}

impl Offsets<'_> {
    /// The edges along which steps stand at some distances.
    fn risers(&self, distances: &[f64]) -> Vec<usize> {
        let is_riser = |e: &usize| match self.users[*e][..] {
            [(f, ..), (g, ..)] => {
                let apart = (distances[f] - distances[g]).abs() > ALIKE * self.tolerance.join;
                f != g && apart && self.angles[*e] < LEVEL && self.shell.edges()[*e].curve.is_some()
            }
            _ => false,
        };
        (0..self.users.len()).filter(is_riser).collect()
    }

    /// Whether some distances need steps.
    pub(crate) fn has_steps(&self, distances: &[f64]) -> bool {
        !self.risers(distances).is_empty()
    }

    /// Faces beside steps of which nothing may be left, since they bend more tightly all over than their distances, or than those of the
    /// faces beyond their steps too: what comes next lies over them.
    pub(super) fn swallowed(&self, distances: &[f64]) -> [BTreeSet<usize>; 2] {
        let mut own = BTreeMap::new();
        let mut most = BTreeMap::new();
        for e in self.risers(distances) {
            let [f, g] = [0, 1].map(|k| self.users[e][k].0);
            for (f, g) in [(f, g), (g, f)] {
                own.insert(f, distances[f]);
                let most = most.entry(f).or_insert(distances[f]);
                if distances[g].abs() > most.abs() {
                    *most = distances[g];
                }
            }
        }
        let folding = |by: BTreeMap<usize, f64>| {
            let folds = |(f, d): (usize, f64)| folds_all_over(&self.shell.faces()[f], d).then_some(f);
            by.into_iter().filter_map(folds).collect()
        };
        [folding(own), folding(most)]
    }

    /// The shell with faces for the steps that some distances need; `None` where they need none.
    ///
    /// # Errors
    /// `StepsCross` where the thickness changes more than twice about a vertex; `OffsetOpen` where a face is too narrow for a ramp.
    pub(super) fn stepped(&self, distances: &[f64]) -> Result<Option<Stepped>, SurfacingError> {
        let edges: Vec<EdgeId> = self.risers(distances).into_iter().map(|e| EdgeId(e as u32)).collect();
        if edges.is_empty() {
            return Ok(None);
        }
        let halves = Halves::new(self.shell);
        let parting = Parting::new(&halves, &edges)?;
        let risers = edges.iter().map(|e| self.riser(&halves, *e, distances)).collect::<Result<_, _>>()?;
        parting.done(risers, self.tolerance.join).map(Some)
    }

    fn riser(&self, halves: &Halves<'_>, edge: EdgeId, distances: &[f64]) -> Result<Riser, SurfacingError> {
        let lost = || SurfacingError::OffsetOpen { at: crate::thick::middle_of(self.shell, edge) };
        let both = halves.of(edge).ok_or_else(lost)?;
        let face = |k: usize| &self.shell.faces()[halves.all[both[k]].face];
        let distance = [0, 1].map(|k| distances[halves.all[both[k]].face]);
        let thinner = usize::from(distance[1].abs() < distance[0].abs());
        // An opening has no wall on which a ramp could lie.
        let width = |k: usize| match self.change {
            Change::Ramp(width) if k == thinner && distance[k] != 0.0 => width,
            _ => 0.0,
        };
        let closed = self.shell.edge(edge).start == self.shell.edge(edge).end;
        let margin = LONGER * (distance[0].abs().max(distance[1].abs()) + width(thinner));
        let sides = [0, 1].map(|k| {
            // Feet beside the longer line's ends lie beyond those where the edge is askew to the parameters.
            let ground = Ground::new(face(k), WIDER * margin);
            let pcurve = &halves.used(both[k]).pcurve;
            let line = run_on(&ground.surface, pcurve, [!closed; 2], margin);
            (ground, line)
        });
        let [a, b] = sides.each_ref().map(|(_, line)| line.domain());
        let common = Domain::new(a.start.max(b.start), a.end.min(b.end));
        let own = halves.used(both[0]).pcurve.domain();
        let parts = sides.into_iter().enumerate().map(|(k, (ground, line))| Extended {
            face: Face { surface: ground.surface.clone(), ..face(k).clone() },
            used: OrientedEdge {
                pcurve: line.part(common.start, common.end),
                ..halves.used(both[k]).clone()
            },
            ground,
        });
        let parts: Vec<Extended> = parts.collect();
        let mut feet = [None, None];
        let mut reach = [own; 2];
        let mut tops = Vec::new();
        for k in 0..2 {
            let part = &parts[k];
            let width = width(k);
            if width > 0.0 {
                // What has no room beside the middle of its edge is not worth looking at any longer.
                if !part.has_room(face(k), width, own) {
                    return Err(lost());
                }
                let end = |at_end: bool| {
                    let border = border_beside(halves, both[k], at_end);
                    let on_border = border.and_then(|b| part.on_border(b, width, own, at_end));
                    on_border.unwrap_or(end_of(own, at_end))
                };
                reach[k] = Domain::new(end(false), end(true));
                feet[k] = Some(part.feet(width, reach[k]).ok_or_else(lost)?.over(own));
            }
            // A step is square to the thicker side.
            let part = if width > 0.0 { part } else { &parts[1 - thinner] };
            let made = part.top(distance[k], width, self.tolerance).ok_or_else(lost)?;
            tops.push(made.over(common));
        }
        let parts_by = self.angles[edge.index()] * distance[thinner].abs();
        let is_one = feet.iter().all(Option::is_none);
        let kind = |k: usize| match k == thinner && parts_by > ALIKE * self.tolerance.join {
            false if is_one => Kind::Smooth,
            _ => Kind::Sharp,
        };
        let share = |t: f64| (t - common.start) / common.length();
        Ok(Riser {
            edge,
            halves: both,
            surface: wall_from(&tops[0], &tops[1])?,
            own: reach.map(|d| Domain::new(share(d.start), share(d.end))),
            feet,
            kinds: [kind(0), kind(1)],
        })
    }
}

/// The border that a half-edge's face has next to it at the end, or the start, of the edge's direction.
fn border_beside<'a>(halves: &'a Halves<'_>, half: usize, at_end: bool) -> Option<&'a NurbsCurve> {
    let one = &halves.all[half];
    let beside = if one.forward == at_end { one.next } else { one.previous };
    let is_border = halves.all[beside].twin.is_none();
    is_border.then(|| &halves.used(beside).pcurve)
}

/// Whether a face bends more tightly than its distance wherever it is looked at.
fn folds_all_over(face: &Face, distance: f64) -> bool {
    let along_normal = if face.reversed { -distance } else { distance };
    let [u, v] = face_extent(face);
    let at = |d: Domain| (0..LOOKED_AT).map(move |k| d.at((k as f64 + 0.5) / LOOKED_AT as f64));
    let folds = |u: f64, v: f64| folded(&face.surface.derivatives(u, v), along_normal) >= 0.0;
    distance != 0.0 && at(u).all(|u| at(v).all(|v| folds(u, v)))
}

/// A face beside a step, longer than it is, with its use of the step's edge, longer too.
struct Extended {
    face: Face,
    used: OrientedEdge,
    ground: Ground,
}

impl Extended {
    /// The parameters of a ramp's foot.
    fn foot(&self, t: f64, width: f64) -> Option<[f64; 2]> {
        let p = self.used.pcurve.point(t);
        if width == 0.0 {
            return Some([p.x, p.y]);
        }
        let side = Side::new(&self.face, &self.used, t)?;
        straightest(&self.ground, [p.x, p.y], -side.out, width)
    }

    /// Where along the edge, about an end of it, the foot of a ramp lies on the face's border, which need not be square to the edge.
    fn on_border(&self, border: &NurbsCurve, width: f64, own: Domain, at_end: bool) -> Option<f64> {
        let end = end_of(own, at_end);
        // The foot, the place of the border nearest to it, and on which side of the border it lies.
        let look = |t: f64| {
            let at = self.foot(t, width)?;
            let near = closest_on_curve(border, &Point3::new(at[0], at[1], 0.0)).parameter;
            let (on, along) = (border.point(near), border.velocity(near));
            let side = along.x * (at[1] - on.y) - along.y * (at[0] - on.x);
            let off = (self.ground.point(at) - self.ground.point([on.x, on.y])).norm();
            Some((side, off))
        };
        let (side, off) = look(end)?;
        if off <= SETTLED {
            return Some(end);
        }
        let whole = self.used.pcurve.domain();
        let step = FARTHEST * width / (SCANNED as f64 * speed(&self.ground.surface, &self.used.pcurve, end));
        let crosses = |way: f64| {
            let mut before = (end, side);
            for k in 1..=SCANNED {
                let t = whole.clamp(end + way * step * k as f64);
                let (side, _) = look(t)?;
                if (side > 0.0) != (before.1 > 0.0) {
                    return Some([before.0, t]);
                }
                before = (t, side);
            }
            None
        };
        let [from, to] = crosses(1.0).or_else(|| crosses(-1.0))?;
        let is_before = |t: f64| look(t).is_some_and(|(s, _)| (s > 0.0) == (side > 0.0));
        let found = bisect(from, to, |t| !is_before(t));
        look(found).filter(|(_, off)| *off <= SETTLED).map(|_| found)
    }

    /// Whether a ramp's foot lies on the face as it was before it was made longer, beside the middle of its edge.
    fn has_room(&self, face: &Face, width: f64, own: Domain) -> bool {
        let outlines = Outlines::of(face);
        let on_face = |at: [f64; 2]| outlines.hold(&self.ground.settled(at, at));
        MIDDLE.iter().all(|s| self.foot(own.at(*s), width).is_some_and(on_face))
    }

    /// The line on the face's offset at which the step ends.
    fn top(&self, distance: f64, width: f64, tolerance: &Tolerance) -> Option<NurbsCurve> {
        let along_normal = if self.face.reversed { -distance } else { distance };
        if width == 0.0
            && let Ok((surface, _)) = offset_of(&self.face.surface, along_normal, None, tolerance)
            && let Ok((curve, _)) = curve_on(&surface, &self.used.pcurve, tolerance)
        {
            return Some(curve);
        }
        let parallel = Parallel::of(self.ground.clone(), distance);
        let d = self.used.pcurve.domain();
        let lost = || SurfacingError::Empty;
        let point = |t: f64| parallel.point(self.foot(t, width)?);
        let at = |t: f64| {
            let (from, to) = (d.clamp(t - BESIDE * d.length()), d.clamp(t + BESIDE * d.length()));
            let rate: Vector3 = (point(to).ok_or_else(lost)? - point(from).ok_or_else(lost)?) / (to - from);
            Ok::<_, SurfacingError>((point(t).ok_or_else(lost)?, rate))
        };
        let fitted = fit_function(at, &self.used.pcurve.knots().breaks(), 0.1 * tolerance.fit).ok()?;
        (fitted.max_deviation <= tolerance.fit).then_some(fitted.curve)
    }

    /// The parameters of a ramp's foot as a curve, over the edge itself.
    fn feet(&self, width: f64, own: Domain) -> Option<NurbsCurve> {
        let parameters: Vec<f64> = (0..=FEET).map(|k| own.at(k as f64 / FEET as f64)).collect();
        let places = parameters.iter().map(|&t| self.foot(t, width).map(|[u, v]| Point3::new(u, v, 0.0)));
        interpolate(&places.collect::<Option<Vec<_>>>()?, &parameters, 3, &EndDerivatives::free()).ok()
    }
}

/// A shell while it is parted along its steps.
struct Parting<'a> {
    halves: &'a Halves<'a>,
    /// The edges along which steps stand.
    at: &'a [EdgeId],
    rungs: Vec<Rung>,
    /// Where each half-edge begins.
    origins: Vec<VertexId>,
    vertices: Vec<Vertex>,
}

impl<'a> Parting<'a> {
    fn new(halves: &'a Halves<'a>, at: &'a [EdgeId]) -> Result<Self, SurfacingError> {
        let shell = halves.shell;
        let mut parting = Self {
            halves,
            at,
            rungs: Vec::new(),
            origins: (0..halves.all.len()).map(|h| halves.origin(h)).collect(),
            vertices: shell.vertices().to_vec(),
        };
        let mut ends: BTreeMap<VertexId, Vec<(usize, bool)>> = BTreeMap::new();
        for (number, edge) in at.iter().enumerate() {
            let Edge { start, end, .. } = *shell.edge(*edge);
            ends.entry(start).or_default().push((number, false));
            ends.entry(end).or_default().push((number, true));
        }
        for (vertex, ends) in ends {
            parting.part(vertex, ends)?;
        }
        Ok(parting)
    }

    /// Parts a vertex between the sides of the steps that end there.
    fn part(&mut self, vertex: VertexId, ends: Vec<(usize, bool)>) -> Result<(), SurfacingError> {
        let point = self.halves.shell.vertex(vertex).point;
        let lost = || SurfacingError::OffsetOpen { at: point.into() };
        let fan = self.halves.fan(vertex).ok_or_else(lost)?;
        let is_end = |k: usize| {
            let spoke = fan.spokes[k];
            ends.iter().any(|&(r, at_end)| self.at[r] == spoke.edge && at_end == spoke.at_end)
        };
        let at: Vec<usize> = (0..fan.spokes.len()).filter(|&k| is_end(k)).collect();
        let other = match (fan.closed, &at[..]) {
            // A step that runs out between others needs no vertex of its own.
            (true, [_]) => return Ok(()),
            (true, &[first, second]) => first..second,
            (false, &[first]) => first..fan.corners.len(),
            // Either the walls or the rooms beside them would touch in a line only.
            _ => return Err(SurfacingError::StepsCross { at: point.into() }),
        };
        self.vertices.push(Vertex { point });
        let new = VertexId(self.vertices.len() as u32 - 1);
        for corner in &fan.corners[other] {
            self.origins[corner.leaving] = new;
        }
        self.rungs.push(Rung { vertices: [vertex, new], ends });
        Ok(())
    }

    /// Where a half-edge begins and ends.
    fn ends(&self, half: usize) -> [VertexId; 2] {
        [self.origins[half], self.origins[self.halves.all[half].next]]
    }

    fn done(self, risers: Vec<Riser>, join: f64) -> Result<Stepped, SurfacingError> {
        let shell = self.halves.shell;
        let mut edges: Vec<Edge> = shell.edges().to_vec();
        for (h, half) in self.halves.all.iter().enumerate() {
            let [a, b] = self.ends(h);
            let edge = &mut edges[half.edge.index()];
            if half.forward || half.twin.is_none() {
                (edge.start, edge.end) = if half.forward { (a, b) } else { (b, a) };
            }
        }
        let mut faces = shell.faces().to_vec();
        let mut kinds = BTreeMap::new();
        let first = edges.len();
        // The other side of each step's edge, and then the rungs.
        for (number, riser) in risers.iter().enumerate() {
            let [start, end] = self.ends(riser.halves[1]);
            let other = EdgeId((first + number) as u32);
            edges.push(Edge { start: end, end: start, ..shell.edge(riser.edge).clone() });
            for (side, half) in riser.halves.into_iter().enumerate() {
                let half = &self.halves.all[half];
                let used = &mut faces[half.face].loops[half.place[0]].edges[half.place[1]];
                used.edge = [riser.edge, other][side];
                if let Some(foot) = &riser.feet[side] {
                    used.pcurve = foot.clone();
                }
                kinds.insert(used.edge, riser.kinds[side]);
            }
        }
        let mut rung_of: BTreeMap<(usize, bool), usize> = BTreeMap::new();
        for (number, rung) in self.rungs.iter().enumerate() {
            let places = |&(r, at_end): &(usize, bool)| {
                let riser = &risers[r];
                let at = self.sides_at(riser, at_end, rung);
                at.map(|side| riser.corner(side, at_end))
            };
            let all: Vec<[Point3; 2]> = rung.ends.iter().map(places).collect();
            let apart = |k: usize| all.iter().map(|p| (p[k] - all[0][k]).norm()).fold(0.0, f64::max);
            let id = EdgeId((first + risers.len() + number) as u32);
            match rung.ends.len() {
                1 => kinds.insert(id, Kind::Free),
                _ if apart(0).max(apart(1)) <= ALIKE * join => kinds.insert(id, Kind::Smooth),
                _ => kinds.insert(id, Kind::Sharp),
            };
            let [start, end] = rung.vertices;
            let curve = NurbsCurve::line(all[0][0], all[0][1]);
            let off = |v: VertexId, p: Point3| (self.vertices[v.index()].point - p).norm();
            let tolerance = 1.01 * off(start, all[0][0]).max(off(end, all[0][1]));
            edges.push(Edge { curve: Some(curve), start, end, tolerance });
            rung_of.extend(rung.ends.iter().map(|e| (*e, number)));
        }
        for (number, riser) in risers.iter().enumerate() {
            let rung = |at_end: bool| {
                let Some(&k) = rung_of.get(&(number, at_end)) else { return Ok(None) };
                let edge = EdgeId((first + risers.len() + k) as u32);
                let sides = self.sides_at(riser, at_end, &self.rungs[k]);
                let [from, to] = sides.map(|s| [s as f64, end_of(riser.own[s], at_end)]);
                let pcurve = straight_pcurve(Domain::new(0.0, 1.0), from, to)?;
                // From the second side to the first at the edge's end, and back at its start.
                let forward = (sides[0] == 1) == at_end;
                Ok::<_, SurfacingError>(Some(OrientedEdge { edge, forward, pcurve }))
            };
            let along = |side: usize| {
                let d = self.halves.used(riser.halves[0]).pcurve.domain();
                let edge = if side == 0 { riser.edge } else { EdgeId((first + number) as u32) };
                let u = side as f64;
                let Domain { start, end } = riser.own[side];
                let pcurve = straight_pcurve(d, [u, start], [u, end])?;
                Ok::<_, SurfacingError>(OrientedEdge { edge, forward: side == 1, pcurve })
            };
            let edges = [Some(along(1)?), rung(true)?, Some(along(0)?), rung(false)?];
            faces.push(Face {
                surface: riser.surface.clone().into(),
                reversed: false,
                loops: vec![Loop { edges: edges.into_iter().flatten().collect() }],
                role: format!("step {}", number + 1),
            });
        }
        let shell = Shell::try_new(self.vertices, edges, faces)?;
        Ok(Stepped { shell, kinds })
    }

    /// On which sides of a riser the two vertices of a rung at its end lie.
    fn sides_at(&self, riser: &Riser, at_end: bool, rung: &Rung) -> [usize; 2] {
        let first = self.ends(riser.halves[0])[usize::from(at_end)];
        if first == rung.vertices[0] { [0, 1] } else { [1, 0] }
    }
}
