//! Corners that no ball closes, as it does not touch all of their faces at once: all strips end some way before the vertex, the
//! lines in which they touch a face run over into each other, and what is left open between them is filled by a patch that is
//! tangent to strips and faces all around (Varady and Rockwood, Geometric construction for setback vertex blending, CAD 29, 1997).

use std::collections::BTreeSet;
use std::sync::Arc;

use geometry::{KnotVector, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, as_line, fit_function};
use topology::{
    Body, EdgeId, Face, Loop, MeshTolerance, OrientedEdge, SeamSide, Shell, Vertex, VertexId, meeting, mesh,
    pcurve_on, self_crossings,
};

use super::corners::{Corners, Plan, side_after};
use super::planes::{area, facet};
use super::rebuilt::{FOLLOWS, Rebuilt};
use super::track::Profile;
use crate::SurfacingError;
use crate::ground::Ground;
use crate::halves::Fan;
use crate::patch::{Agrees, Beside, Patch, PatchEdge, patch};

/// By how much of its radius a strip ends before the farther one of the places where it meets those beside it: at first, and where
/// the patch then bulges out of the faces around it.
pub(super) const BEFORE: [f64; 3] = [0.1, 0.25, 1.0];
/// Largest angle in radians, half a degree, at which a patch may meet what is around it, or a strip that narrows down to a point.
pub(super) const TANGENT: f64 = 0.5 * std::f64::consts::PI / 180.0;
/// Share of the longest edge of a patch by which it may be off.
const SHARE: f64 = 2e-4;
/// Share of the join tolerance by which a patch may lie outside of the faces around it.
const BULGES: f64 = 0.5;

/// A place at which a face passes through itself or through those around it.
pub(super) fn runs_through(shell: &Shell, face: usize) -> Option<Point3> {
    let edges = |f: usize| shell.faces()[f].loops.iter().flat_map(|l| &l.edges).map(|u| u.edge);
    let own: BTreeSet<EdgeId> = edges(face).collect();
    let around = (0..shell.faces().len()).filter(|f| edges(*f).any(|e| own.contains(&e)));
    // By itself it is looked at more closely: how closely depends on the size of all.
    [vec![face], around.collect()].iter().find_map(|faces| {
        let part = Body::Shell(shell.part(faces));
        self_crossings(&part).first().copied()
    })
}

/// What is left open about a vertex, with what lies around it in order.
pub(super) struct Setback {
    pub(super) sides: Vec<Around>,
    pub(super) agrees: Agrees,
    pub(super) is_outer: bool,
    pub(super) at: Point3,
}

/// A side of what is left open about a vertex.
pub(super) enum Around {
    /// The end of a strip.
    Strip { rail: usize, at_end: bool },
    /// A line on a face, where two strips do not end at one place.
    Spring(Spring),
}

/// A line on a face, from where a strip touches it to where the next one does along both, or across the face.
pub(super) struct Spring {
    pub(super) face: usize,
    /// The half-edge at whose beginning it stands in the face's loop, which runs against it.
    pub(super) before: usize,
    pub(super) pcurve: NurbsCurve,
    /// A direction in the face's parameters to where it stays.
    pub(super) away: Vector3,
    pub(super) vertices: [VertexId; 2],
    /// Whether what is filled stays on one side of all of the face.
    pub(super) bounds: bool,
}

impl Setback {
    pub(super) fn rails(&self) -> impl Iterator<Item = usize> {
        self.sides.iter().filter_map(|side| match side {
            Around::Strip { rail, .. } => Some(*rail),
            Around::Spring(_) => None,
        })
    }

    fn springs(&self) -> impl Iterator<Item = &Spring> {
        self.sides.iter().filter_map(|side| match side {
            Around::Strip { .. } => None,
            Around::Spring(spring) => Some(spring),
        })
    }
}

/// A part of a strip's line of contact on one of its sides, by parameters of its guide.
struct Way {
    rail: usize,
    side: usize,
    from: f64,
    to: f64,
}

/// An edge of what is filled, as a patch sees it and as its face uses it.
type Bounded = (PatchEdge, OrientedEdge);

impl Corners<'_> {
    /// Ends all strips of a vertex before it.
    ///
    /// # Errors
    /// `FilletCorner` where neighbours do not meet, `FilletTooLarge`.
    pub(super) fn set_back(&mut self, vertex: VertexId, fan: &Fan) -> Result<(), SurfacingError> {
        let count = fan.spokes.len();
        let rails: Vec<usize> = (0..count).map(|i| self.rail(fan, i)).collect::<Result<_, _>>()?;
        let at_ends: Vec<bool> = fan.spokes.iter().map(|s| s.at_end).collect();
        let after: Vec<usize> = fan.spokes.iter().map(|s| side_after(*s)).collect();
        let is_round = matches!(self.rails[rails[0]].track.profile, Profile::Round(_));
        // Where each strip meets the one before it and the one after it.
        let mut met = vec![[0.0; 2]; count];
        for i in 0..count {
            let j = (i + 1) % count;
            let pair = [rails[i], rails[j]];
            let (ts, _) = self.crossing(vertex, pair, [at_ends[i], at_ends[j]], [after[i], 1 - after[j]])?;
            met[i][1] = ts[0];
            met[j][0] = ts[1];
        }
        let mut ts = Vec::with_capacity(count);
        let mut places = Vec::with_capacity(count);
        for i in 0..count {
            let track = &self.rails[rails[i]].track;
            let far = |a: f64, b: f64| if at_ends[i] { a.min(b) } else { a.max(b) };
            // Not before its own end, where all edges are blunt.
            let from = far(far(met[i][0], met[i][1]), self.end_of(rails[i], at_ends[i]));
            let speed = track.guide.velocity(from).norm().max(f64::MIN_POSITIVE);
            let by = if is_round { self.before * (track.size)(from) / speed } else { 0.0 };
            let t = if at_ends[i] { from - by } else { from + by };
            if t <= track.own.start || t >= track.own.end {
                return Err(track.too_large(from));
            }
            let section = track.section(t).ok_or_else(|| track.too_large(t))?;
            ts.push(t);
            places.push(section.contacts.map(|c| self.put(c.point)));
        }
        let mut around = Vec::with_capacity(2 * count);
        for i in 0..count {
            around.push(Around::Strip { rail: rails[i], at_end: at_ends[i] });
            let j = (i + 1) % count;
            let sides = [after[i], 1 - after[j]];
            let vertices = [places[i][sides[0]], places[j][sides[1]]];
            let [here, there] = vertices.map(|v| self.vertices[v.index()].point);
            if (here - there).norm() <= self.tolerance.join {
                places[j][sides[1]] = vertices[0];
                continue;
            }
            let way = |i: usize, side: usize, met: f64| Way { rail: rails[i], side, from: ts[i], to: met };
            let (control, away) = self.spring([way(i, sides[0], met[i][1]), way(j, sides[1], met[j][0])])?;
            let control = if is_round { &control[..] } else { &[control[0], control[3]] };
            let pcurve = NurbsCurve::try_new(KnotVector::bezier(control.len() - 1), control, None)?;
            let corner = fan.corners[i];
            let (face, before) = (corner.face, corner.leaving);
            let spring = Spring { face, before, pcurve, away, vertices, bounds: true };
            around.push(Around::Spring(spring));
        }
        for i in 0..count {
            let both = [after[i], 1 - after[i]].map(|side| (ts[i], places[i][side]));
            self.set_end((rails[i], at_ends[i]), after[i], both, &[]);
        }
        let is_outer = self.rails[rails[0]].track.side < 0.0;
        let at = self.halves.shell.vertex(vertex).point;
        let agrees = if is_round { Agrees::Tangent } else { Agrees::Position };
        self.plans.push(Plan::Setback(Setback { sides: around, agrees, is_outer, at }));
        Ok(())
    }

    /// The control points, in a face's parameters, of a curve along two lines of contact that goes over from the one into the
    /// other, and the direction from the corner between them to where the face stays.
    fn spring(&self, [first, second]: [Way; 2]) -> Result<([Point3; 4], Vector3), SurfacingError> {
        let track = &self.rails[first.rail].track;
        let both = self.toward(&first).zip(self.toward(&second));
        let ([a, b], [d, c]) = both.ok_or_else(|| track.too_large(first.from))?;
        // Where the face closes, both on one turn of it.
        let turned = track.grounds[first.side].on_turn_of(d, a);
        let [c, d] = [c, d].map(|p| [0, 1].map(|k| p[k] + turned[k] - d[k]));
        let control = [a, b, c, d].map(|[u, v]| Point3::new(u, v, 0.0));
        let [a, b, c, d] = control.map(|p| p.coords);
        Ok((control, (a + d) - (b + c)))
    }

    /// The place at which a strip touches a face, and one two thirds of the way along its line of contact, as straight lines that
    /// go over into each other by a parabola have it.
    fn toward(&self, way: &Way) -> Option<[[f64; 2]; 2]> {
        /// Share of the way over which its direction is told.
        const STEP: f64 = 1e-3;
        let track = &self.rails[way.rail].track;
        let at = |t: f64| Some(track.section(t)?.contacts[way.side].at);
        let here = at(way.from)?;
        let ahead = track.grounds[way.side].on_turn_of(at(way.from + STEP * (way.to - way.from))?, here);
        Some([here, [0, 1].map(|k| here[k] + (ahead[k] - here[k]) * (2.0 / 3.0) / STEP)])
    }
}

impl Rebuilt<'_> {
    /// Fills what strips leave open about a vertex.
    ///
    /// # Errors
    /// `FilletCorner` where no patch is tangent all around and within what is around it.
    pub(super) fn fill(&mut self, setback: &Setback, role: String) -> Result<(), SurfacingError> {
        let around = self.around(setback)?;
        let is_straight = |e: &PatchEdge| as_line(&e.curve, self.tolerance.resolution).is_some();
        if setback.agrees == Agrees::Position && around.iter().all(|a| is_straight(&a.0)) {
            let used: Vec<OrientedEdge> = around.into_iter().map(|a| a.1).collect();
            return self.facets(&used, &role);
        }
        let patched = self.patched(setback, &around, role)?;
        self.balls.push(patched.ok_or_else(|| SurfacingError::FilletCorner { at: setback.at.into() })?);
        Ok(())
    }

    /// The edges around what is open about a vertex, as its outer side is seen; those on faces come into their loops.
    fn around(&mut self, setback: &Setback) -> Result<Vec<Bounded>, SurfacingError> {
        let mut out: Vec<Bounded> = Vec::new();
        for side in &setback.sides {
            let spring = match side {
                &Around::Strip { rail, at_end } => {
                    let used = self.end_line(rail, at_end, None)?;
                    self.paths.insert((rail, at_end), vec![used.clone()]);
                    let strip = Arc::clone(&self.surfaces[rail]);
                    // From the side before a strip to the side after it.
                    let (middle, inside) = (strip.domain().0.at(0.5), used.pcurve.start().x);
                    let into = if middle > inside { Vector3::x() } else { -Vector3::x() };
                    let beside = self.beside(&used, strip, into, setback.agrees)?;
                    out.push((beside, OrientedEdge { forward: at_end, ..used }));
                    continue;
                }
                Around::Spring(spring) => spring,
            };
            let ground = &self.grounds[&spring.face];
            let curve = image(ground, &spring.pcurve, FOLLOWS * self.tolerance.fit)?;
            let surface = Arc::clone(&ground.surface);
            let [start, end] = spring.vertices;
            let edge = self.put(curve, start, end);
            let used = OrientedEdge { edge, forward: true, pcurve: spring.pcurve.clone() };
            out.push((self.beside(&used, surface, spring.away, setback.agrees)?, used.clone()));
            self.inserts.insert(spring.before, OrientedEdge { forward: false, ..used });
        }
        Ok(out)
    }

    /// A patch inside edges; `None` where it leaves gaps, is not tangent as it is to be, or bulges out of the faces around it.
    fn patched(
        &self,
        setback: &Setback,
        around: &[Bounded],
        role: String,
    ) -> Result<Option<Face>, SurfacingError> {
        let edges: Vec<PatchEdge> = around.iter().map(|a| a.0.clone()).collect();
        // What is tangent to nothing is stretched, so that it does not bulge out of its edges.
        let tension = if setback.agrees == Agrees::Position { 1.0 } else { 0.0 };
        let how = Patch { curves: &[], points: &[], tension, name: &role };
        // What is off by a thousandth of a millimetre is a part of a degree on a patch of one.
        let size = edges.iter().map(|e| e.curve.polygon_length()).fold(0.0, f64::max);
        let close = Tolerance { fit: self.tolerance.fit.min(SHARE * size), ..*self.tolerance };
        let Ok(patched) = patch(&edges, &how, &close) else { return Ok(None) };
        let [shell] = patched.body.shells()[..] else { return Ok(None) };
        let gaps = patched.edges.iter().any(|e| e.gap > self.tolerance.join);
        if gaps || self.bulges(setback, shell)? {
            return Ok(None);
        }
        let surface = Arc::clone(&shell.faces()[0].surface);
        let uses = around.iter().map(|(beside, used)| {
            Ok(OrientedEdge { pcurve: pcurve_on(&beside.curve, &surface, self.tolerance)?, ..used.clone() })
        });
        let mut edges = uses.collect::<Result<Vec<_>, SurfacingError>>()?;
        let reversed = area(&edges) < 0.0;
        let is_tangent = |((beside, _), own): (&Bounded, &OrientedEdge)| {
            let own = SeamSide { surface: &surface, pcurve: &own.pcurve, reversed };
            self.angle(setback, beside, own).is_some_and(|angle| angle <= TANGENT)
        };
        if setback.agrees == Agrees::Tangent && !around.iter().zip(&edges).all(is_tangent) {
            return Ok(None);
        }
        if reversed {
            edges.reverse();
            edges.iter_mut().for_each(|e| e.forward ^= true);
        }
        Ok(Some(Face { surface, loops: vec![Loop { edges }], reversed, role }))
    }

    /// Whether a patch leaves the faces that it touches: what was on one side of them is to stay there.
    fn bulges(&self, setback: &Setback, patch: &Shell) -> Result<bool, SurfacingError> {
        let outward = if setback.is_outer { 1.0 } else { -1.0 };
        let bound = BULGES * self.tolerance.join;
        let mesh = mesh(patch, MeshTolerance::chord(self.tolerance.join))?;
        Ok(setback.springs().filter(|s| s.bounds).any(|spring| {
            let near = spring.pcurve.point(spring.pcurve.domain().at(0.5));
            let height = |p: &Point3| self.grounds[&spring.face].height([near.x, near.y], p);
            mesh.positions.iter().filter_map(height).any(|h| h * outward > bound)
        }))
    }

    /// The largest angle in radians between a patch and what is beside it along an edge, both seen from their outer sides: one
    /// that folds back along a short edge is tangent there too, with its inside out.
    fn angle(&self, setback: &Setback, edge: &PatchEdge, own: SeamSide<'_>) -> Option<f64> {
        let beside = edge.beside.as_ref()?;
        let on = |s: &&Spring| Arc::ptr_eq(&self.grounds[&s.face].surface, &beside.surface);
        // Across the track a strip's normal leads into the shell.
        let spring = setback.springs().find(on);
        let reversed = spring.is_none_or(|s| self.halves.shell.faces()[s.face].reversed);
        let other = SeamSide { surface: &beside.surface, pcurve: &beside.pcurve, reversed };
        meeting(&edge.curve, [own, other]).map(|m| m.angle.0)
    }

    /// Closes straight edges by a flat face, or where they lie in no plane by flat faces about their middle, none of which lies
    /// outside of what was cut off; the edges go round to the left as the outer side is seen.
    fn facets(&mut self, used: &[OrientedEdge], role: &str) -> Result<(), SurfacingError> {
        let mut sides = Vec::with_capacity(used.len());
        let mut begins = Vec::with_capacity(used.len());
        for used in used {
            let edge = &self.edges[used.edge.index()];
            let (Some(curve), [a, b]) = (&edge.curve, [edge.start, edge.end]) else { continue };
            let begin = if used.forward { a } else { b };
            begins.push((begin, self.vertices[begin.index()].point));
            sides.push((used.edge, used.forward, curve.clone()));
        }
        let count = sides.len();
        let middle = begins.iter().map(|b| b.1.coords).sum::<Vector3>() / count as f64;
        let middle = Point3::from(middle);
        let next = |k: usize| (k + 1) % count;
        let area: Vector3 =
            (0..count).map(|k| (begins[k].1 - middle).cross(&(begins[next(k)].1 - middle))).sum();
        let normal = area.try_normalize(f64::MIN_POSITIVE).ok_or(SurfacingError::Empty)?;
        if begins.iter().all(|b| (b.1 - middle).dot(&normal).abs() <= self.tolerance.resolution) {
            self.balls.push(facet(&sides, role)?);
            return Ok(());
        }
        let centre = self.vertices.len() as u32;
        self.vertices.push(Vertex { point: middle });
        let spokes: Vec<(EdgeId, NurbsCurve)> = begins
            .iter()
            .map(|(vertex, point)| {
                let line = NurbsCurve::line(middle, *point);
                (self.put(line.clone(), VertexId(centre), *vertex), line)
            })
            .collect();
        for k in 0..count {
            let (out, back) = (spokes[k].clone(), spokes[next(k)].clone());
            let three = [(out.0, true, out.1), sides[k].clone(), (back.0, false, back.1)];
            self.balls.push(facet(&three, role)?);
        }
        Ok(())
    }

    /// An edge of a patch that is to be tangent to a surface on which it lies, which leads away from the patch along a
    /// direction of its parameters.
    fn beside(
        &self,
        used: &OrientedEdge,
        surface: Arc<NurbsSurface>,
        into: Vector3,
        agrees: Agrees,
    ) -> Result<PatchEdge, SurfacingError> {
        let curve = self.edges[used.edge.index()].curve.clone().ok_or(SurfacingError::Empty)?;
        let along = used.pcurve.velocity(used.pcurve.domain().at(0.5));
        let left = along.x * into.y - along.y * into.x > 0.0;
        let beside = Beside { surface, pcurve: used.pcurve.clone(), left };
        Ok(PatchEdge { curve, beside: Some(beside), agrees, number: 1 })
    }
}

/// A curve in a ground's parameter plane as it lies in space, by the same parameter.
fn image(ground: &Ground, pcurve: &NurbsCurve, within: f64) -> Result<NurbsCurve, SurfacingError> {
    let at = |t: f64| -> Result<(Point3, Vector3), SurfacingError> {
        let (p, rate) = pcurve.moving(t);
        let place = ground.place([p.x, p.y]).ok_or(SurfacingError::Empty)?;
        Ok((place.point, place.rates[0] * rate.x + place.rates[1] * rate.y))
    };
    Ok(fit_function(at, &pcurve.knots().breaks(), within)?.curve)
}
