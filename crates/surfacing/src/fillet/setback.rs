//! Corners that no ball closes, as it does not touch all of their faces at once: all strips end some way before the vertex, the
//! lines in which they touch a face run over into each other, and what is left open between them is filled by a patch that is
//! tangent to strips and faces all around (Varady and Rockwood, Geometric construction for setback vertex blending, CAD 29, 1997).

use std::collections::BTreeSet;
use std::sync::Arc;

use geometry::{Domain, KnotVector, NurbsCurve, NurbsSurface, Point3, Vector3, as_line, fit_function};
use topology::{
    EdgeId, Face, Loop, MeshTolerance, OrientedEdge, SeamSide, Vertex, VertexId, meeting, mesh, pcurve_on,
};

use super::corners::{Corners, Plan, side_after};
use super::planes::{area, facet};
use super::rebuilt::Rebuilt;
use super::track::Profile;
use crate::SurfacingError;
use crate::ground::Ground;
use crate::halves::Fan;
use crate::patch::{Agrees, Beside, Patch, PatchEdge, patch};

/// By how much of its radius a strip ends before the farther one of the places where it meets those beside it: at first, and where
/// the patch then bulges out of the faces around it.
pub(super) const BEFORE: [f64; 3] = [0.1, 0.25, 1.0];
/// Largest angle in radians, half a degree, at which the patch may meet what is around it.
const TANGENT: f64 = 0.5 * std::f64::consts::PI / 180.0;

/// Places of a patch at which is looked where it lies.
const LOOKED_AT: usize = 400;
/// How many times the join tolerance a patch may lie outside of the faces around it.
const BULGES: f64 = 1.5;
/// Share of the fit tolerance within which a line on a face follows it.
const FOLLOWS: f64 = 0.1;

/// Strips that end before a vertex, in the order in which they lie about it.
pub(super) struct Setback {
    pub(super) rails: Vec<(usize, bool)>,
    /// Between every strip and the next one, where they do not end at one place.
    springs: Vec<Option<Spring>>,
    agrees: Agrees,
    is_outer: bool,
    at: Point3,
}

/// A line on a face from where a strip touches it to where the next one does, along both.
struct Spring {
    face: usize,
    /// The half-edge at whose beginning it stands in the face's loop, which runs against it.
    before: usize,
    pcurve: NurbsCurve,
    /// A direction in the face's parameters to where it stays.
    away: Vector3,
    vertices: [VertexId; 2],
}

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
        let is_round = self.rails[rails[0]].track.profile == Profile::Arc;
        // Where each strip meets the one before it and the one after it.
        let mut met = vec![[0.0; 2]; count];
        for i in 0..count {
            let j = (i + 1) % count;
            let pair = [rails[i], rails[j]];
            let (ts, _) = self.crossing(vertex, pair, [at_ends[i], at_ends[j]], [after[i], 1 - after[j]])?;
            met[i][1] = ts[0];
            met[j][0] = ts[1];
        }
        let mut ends = Vec::with_capacity(count);
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
            ends.push((t, track.section(t).ok_or_else(|| track.too_large(t))?));
        }
        let mut places = Vec::with_capacity(count);
        for (_, section) in &ends {
            places.push(section.contacts.map(|c| self.put(c.point)));
        }
        let mut springs = Vec::with_capacity(count);
        for i in 0..count {
            let j = (i + 1) % count;
            let sides = [after[i], 1 - after[j]];
            let corner = fan.corners[i];
            let (here, there) = (places[i][sides[0]], places[j][sides[1]]);
            let apart = self.vertices[here.index()].point - self.vertices[there.index()].point;
            if apart.norm() <= self.tolerance.join {
                places[j][sides[1]] = here;
                springs.push(None);
                continue;
            }
            let control = [
                self.toward(rails[i], sides[0], ends[i].0, met[i][1]),
                self.toward(rails[j], sides[1], ends[j].0, met[j][0]),
            ];
            let [Some([a, b]), Some([d, c])] = control else {
                return Err(self.rails[rails[i]].track.too_large(ends[i].0));
            };
            // Where the face closes, both on one turn of it.
            let ground = self.rails[rails[i]].track.grounds[sides[0]];
            let turned = ground.on_turn_of(d, a);
            let [c, d] = [c, d].map(|p| [0, 1].map(|k| p[k] + turned[k] - d[k]));
            let control = if is_round { vec![a, b, c, d] } else { vec![a, d] };
            let points: Vec<Point3> = control.iter().map(|p| Point3::new(p[0], p[1], 0.0)).collect();
            let pcurve = NurbsCurve::try_new(KnotVector::bezier(points.len() - 1), &points, None)?;
            springs.push(Some(Spring {
                face: corner.face,
                before: corner.leaving,
                pcurve,
                away: away(&[a, b, c, d]),
                vertices: [here, there],
            }));
        }
        for i in 0..count {
            let t = ends[i].0;
            let both = [after[i], 1 - after[i]].map(|side| (t, places[i][side]));
            self.set_end((rails[i], at_ends[i]), after[i], both, &[]);
        }
        let is_outer = self.rails[rails[0]].track.side < 0.0;
        let rails = rails.into_iter().zip(at_ends).collect();
        let at = self.halves.shell.vertex(vertex).point;
        let agrees = if is_round { Agrees::Tangent } else { Agrees::Position };
        self.plans.push(Plan::Setback(Setback { rails, springs, agrees, is_outer, at }));
        Ok(())
    }

    /// The place at which a strip touches a face, and one farther along its line of contact there: two thirds of the way to
    /// another parameter, as straight lines that go over into each other by a parabola have it.
    fn toward(&self, rail: usize, side: usize, t: f64, to: f64) -> Option<[[f64; 2]; 2]> {
        /// Share of the way over which its direction is told.
        const STEP: f64 = 1e-3;
        let track = &self.rails[rail].track;
        let here = track.section(t)?.contacts[side].at;
        let ahead = track.section(t + STEP * (to - t))?.contacts[side].at;
        let ahead = track.grounds[side].on_turn_of(ahead, here);
        Some([here, [0, 1].map(|k| here[k] + (ahead[k] - here[k]) * (2.0 / 3.0) / STEP)])
    }
}

impl Rebuilt<'_> {
    /// Fills what strips leave open about a vertex.
    pub(super) fn fill(&mut self, setback: &Setback, role: String) -> Result<(), SurfacingError> {
        let refused = || SurfacingError::FilletCorner { at: setback.at.into() };
        let mut around: Vec<(PatchEdge, OrientedEdge)> = Vec::new();
        for (i, &(rail, at_end)) in setback.rails.iter().enumerate() {
            let used = self.section(rail, at_end)?;
            self.paths.insert((rail, at_end), vec![used.clone()]);
            let strip = Arc::clone(&self.surfaces[rail]);
            // As the corner's outer side is seen, from the side before a strip to the side after it.
            let (middle, inside) = (strip.domain().0.at(0.5), used.pcurve.start().x);
            let into = if middle > inside { Vector3::x() } else { -Vector3::x() };
            let agrees = setback.agrees;
            around.push((self.beside(&used, strip, into, agrees)?, OrientedEdge { forward: at_end, ..used }));
            let Some(spring) = &setback.springs[i] else { continue };
            let ground = &self.grounds[&spring.face];
            let curve = image(ground, &spring.pcurve, FOLLOWS * self.tolerance.fit)?;
            let surface = Arc::clone(&ground.surface);
            let [start, end] = spring.vertices;
            let edge = self.put(curve, start, end);
            let used = OrientedEdge { edge, forward: true, pcurve: spring.pcurve.clone() };
            around.push((self.beside(&used, surface, spring.away, agrees)?, used.clone()));
            self.inserts.insert(spring.before, OrientedEdge { forward: false, ..used });
        }
        let is_straight = |e: &PatchEdge| as_line(&e.curve, self.tolerance.resolution).is_some();
        if setback.agrees == Agrees::Position && around.iter().all(|a| is_straight(&a.0)) {
            let used: Vec<OrientedEdge> = around.into_iter().map(|a| a.1).collect();
            return self.facets(&used, &role);
        }
        let edges: Vec<PatchEdge> = around.iter().map(|a| a.0.clone()).collect();
        // What is tangent to nothing is stretched, so that it does not bulge out of its edges.
        let tension = if setback.agrees == Agrees::Position { 1.0 } else { 0.0 };
        let how = Patch { curves: &[], points: &[], tension, name: &role };
        let patched = patch(&edges, &how, self.tolerance).map_err(|_| refused())?;
        if patched.edges.iter().any(|e| e.gap > self.tolerance.join) {
            return Err(refused());
        }
        let faces: BTreeSet<usize> = setback.springs.iter().flatten().map(|s| s.face).collect();
        if let [shell] = patched.body.shells()[..] {
            // What was flat or round on one side of an edge is to stay on that side of it.
            let mesh = mesh(shell, MeshTolerance::chord(self.tolerance.join))?;
            let outward = if setback.is_outer { 1.0 } else { -1.0 };
            let bulges = |p: &Point3| {
                faces.iter().any(|f| self.grounds[f].height(p) * outward > BULGES * self.tolerance.join)
            };
            if mesh.positions.iter().step_by(mesh.positions.len() / LOOKED_AT + 1).any(bulges) {
                return Err(refused());
            }
        }
        let surface =
            patched.body.shells().first().and_then(|s| s.faces().first()).map(|f| Arc::clone(&f.surface));
        let surface = surface.ok_or_else(refused)?;
        let mut edges = Vec::with_capacity(around.len());
        for (patch_edge, used) in &around {
            let pcurve = pcurve_on(&patch_edge.curve, &surface, self.tolerance)?;
            edges.push(OrientedEdge { pcurve, ..used.clone() });
        }
        let reversed = area(&edges) < 0.0;
        // A patch that folds back along a short edge is tangent there too, with its inside out.
        let is_tangent = |((beside, _), own): (&(PatchEdge, OrientedEdge), &OrientedEdge)| {
            let Some(face) = &beside.beside else { return false };
            // Across the track a strip's normal leads into the shell.
            let turned = faces.iter().find(|f| Arc::ptr_eq(&self.grounds[*f].surface, &face.surface));
            let turned = turned.is_none_or(|f| self.halves.shell.faces()[*f].reversed);
            let sides = [
                SeamSide { surface: &surface, pcurve: &own.pcurve, reversed },
                SeamSide { surface: &face.surface, pcurve: &face.pcurve, reversed: turned },
            ];
            meeting(&beside.curve, sides).is_some_and(|m| m.angle.0 <= TANGENT)
        };
        if setback.agrees == Agrees::Tangent && !around.iter().zip(&edges).all(is_tangent) {
            return Err(refused());
        }
        if reversed {
            edges.reverse();
            edges.iter_mut().for_each(|e| e.forward ^= true);
        }
        self.balls.push(Face { surface, loops: vec![Loop { edges }], reversed, role });
        Ok(())
    }

    /// Closes straight edges by a flat face, or where they lie in no plane by flat faces about their middle, none of which lies
    /// outside of what was cut off; the edges go round to the left as the outer side is seen.
    fn facets(&mut self, used: &[OrientedEdge], role: &str) -> Result<(), SurfacingError> {
        let mut sides = Vec::with_capacity(used.len());
        let mut begins = Vec::with_capacity(used.len());
        for used in used {
            let edge = &self.edges[used.edge.index()];
            let (Some(curve), [a, b]) = (&edge.curve, [edge.start, edge.end]) else { continue };
            let domain = curve.domain();
            let [a, b] = if used.forward { [a, b] } else { [b, a] };
            let ends = [a, b].map(|v| self.vertices[v.index()].point);
            begins.push(a);
            sides.push((used.edge, used.forward, domain, ends));
        }
        let count = sides.len();
        let middle = sides.iter().map(|s| s.3[0].coords).sum::<Vector3>() / count as f64;
        let middle = Point3::from(middle);
        let area: Vector3 = sides.iter().map(|s| (s.3[0] - middle).cross(&(s.3[1] - middle))).sum();
        let normal = area.try_normalize(f64::MIN_POSITIVE).ok_or(SurfacingError::Empty)?;
        if sides.iter().all(|s| (s.3[0] - middle).dot(&normal).abs() <= self.tolerance.resolution) {
            self.balls.push(facet(&sides, role)?);
            return Ok(());
        }
        let centre = self.vertices.len() as u32;
        self.vertices.push(Vertex { point: middle });
        let spokes: Vec<(EdgeId, Domain)> = (0..count)
            .map(|k| {
                let line = NurbsCurve::line(middle, sides[k].3[0]);
                let domain = line.domain();
                (self.put(line, VertexId(centre), begins[k]), domain)
            })
            .collect();
        for k in 0..count {
            let next = (k + 1) % count;
            let (out, back) = (spokes[k], spokes[next]);
            let [a, b] = sides[k].3;
            let three = [(out.0, true, out.1, [middle, a]), sides[k], (back.0, false, back.1, [b, middle])];
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

/// Away from the corner at which two lines meet that go over into each other by a curve with four control points.
fn away(control: &[[f64; 2]; 4]) -> Vector3 {
    let [a, b, c, d] = control.map(|[u, v]| Vector3::new(u, v, 0.0));
    (a + d) - (b + c)
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
