//! The shell put together again around its strips.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use geometry::{
    Domain, EndDerivatives, NurbsCurve, NurbsSurface, Point3, Tolerance, closest_on_curve, interpolate,
};
use topology::{Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, straight_pcurve};

use super::ball::Ball;
use super::corners::{Across, Corners, Ended, Mitre, Plan, Rail, Seeds, one_line, one_place};
use super::ends::{Plane, slanted_end};
use super::solve::solve;
use super::track::Pole;
use crate::SurfacingError;
use crate::ground::Ground;
use crate::halves::Halves;
use crate::loops::{crosses_itself, measured};
use crate::strip::{Strip, followed, images_follow};

/// Places of a line between strips, at first and at most.
const PLACES: [usize; 2] = [8, 256];
/// Share of the fit tolerance within which such a line follows both surfaces.
pub(super) const FOLLOWS: f64 = 0.01;

/// The shell while it is put together.
pub(super) struct Rebuilt<'a> {
    pub(super) halves: &'a Halves<'a>,
    rails: &'a [Rail<'a>],
    pub(super) grounds: &'a BTreeMap<usize, Ground>,
    pub(super) tolerance: &'a Tolerance,
    strips: Vec<Strip>,
    pub(super) surfaces: Vec<Arc<NurbsSurface>>,
    pub(super) vertices: Vec<Vertex>,
    pub(super) edges: Vec<Edge>,
    trims: BTreeMap<(EdgeId, bool), (f64, VertexId)>,
    /// Edges that are run on.
    grown: BTreeMap<EdgeId, NurbsCurve>,
    /// Edges of which nothing is left.
    gone: BTreeSet<EdgeId>,
    poles: BTreeMap<usize, Pole>,
    ends: BTreeMap<(usize, bool), Ended>,
    /// Edges on either face, for every rail.
    contacts: Vec<[EdgeId; 2]>,
    /// Across a strip's end from its first side to its second.
    pub(super) paths: BTreeMap<(usize, bool), Vec<OrientedEdge>>,
    /// Edges that come into a face's loop before a half-edge.
    pub(super) inserts: BTreeMap<usize, OrientedEdge>,
    pub(super) balls: Vec<Face>,
    pub(super) flat_ends: Vec<Point3>,
}

/// A shell put together, with the numbers under which edges stand in it.
pub(super) struct Made {
    pub(super) shell: Shell,
    pub(super) edges: BTreeMap<EdgeId, EdgeId>,
    /// For vertices at which a strip ran out, the edges across its end.
    pub(super) across: BTreeMap<VertexId, Vec<EdgeId>>,
    /// Where strips end flat.
    pub(super) flat_ends: Vec<Point3>,
}

fn straight(domain: Domain, from: [f64; 2], to: [f64; 2]) -> Result<NurbsCurve, SurfacingError> {
    Ok(straight_pcurve(domain, from, to)?)
}

impl<'a> Rebuilt<'a> {
    /// Puts everything together; `name` gives the face of every rail its role, and the ball at its edges its own.
    pub(super) fn put_together(
        corners: Corners<'a>,
        strips: Vec<Strip>,
        name: &dyn Fn(&[EdgeId]) -> String,
    ) -> Result<Made, SurfacingError> {
        let Corners {
            halves,
            rails,
            grounds,
            tolerance,
            vertices,
            trims,
            grown,
            gone,
            poles,
            ends,
            plans,
            ..
        } = corners;
        let surfaces = strips.iter().map(|s| Arc::new(s.surface.clone())).collect();
        let edges = halves.shell.edges().to_vec();
        let mut made = Self {
            halves,
            rails,
            grounds,
            tolerance,
            strips,
            surfaces,
            vertices,
            edges,
            trims,
            grown,
            gone,
            poles,
            ends,
            contacts: Vec::new(),
            paths: BTreeMap::new(),
            inserts: BTreeMap::new(),
            balls: Vec::new(),
            flat_ends: Vec::new(),
        };
        for rail in 0..rails.len() {
            made.touch(rail)?;
        }
        for plan in &plans {
            made.close(plan, name)?;
        }
        made.shorten();
        made.finish(name)
    }

    pub(super) fn rail_edge(&self, rail: usize) -> EdgeId {
        self.rails[rail].edge
    }

    pub(super) fn ended(&self, rail: usize, at_end: bool) -> Result<&Ended, SurfacingError> {
        self.ends.get(&(rail, at_end)).ok_or(SurfacingError::Empty)
    }

    /// An edge; without a curve at a pole.
    pub(super) fn put(
        &mut self,
        curve: impl Into<Option<NurbsCurve>>,
        start: VertexId,
        end: VertexId,
    ) -> EdgeId {
        self.edges.push(Edge { curve: curve.into(), start, end, tolerance: 0.0 });
        EdgeId(self.edges.len() as u32 - 1)
    }

    /// The edges along which a strip touches its faces.
    fn touch(&mut self, rail: usize) -> Result<(), SurfacingError> {
        let (from, to) = (self.ended(rail, false)?.clone(), self.ended(rail, true)?.clone());
        let mut both = [EdgeId(0); 2];
        for side in 0..2 {
            if from.ts[side] >= to.ts[side] {
                return Err(self.rails[rail].track.too_large(from.ts[side]));
            }
            let at_pole = self.poles.get(&rail).is_some_and(|p| p.side == side);
            let curve = (!at_pole)
                .then(|| self.strips[rail].surface.curve_at_v(side as f64).part(from.ts[side], to.ts[side]));
            both[side] = self.put(curve, from.vertices[side], to.vertices[side]);
        }
        self.contacts.push(both);
        Ok(())
    }

    /// A section of a strip as an edge from its first side to its second, with the strip's use of it.
    pub(super) fn section(&mut self, rail: usize, at_end: bool) -> Result<OrientedEdge, SurfacingError> {
        let ended = self.ended(rail, at_end)?.clone();
        let curve = self.strips[rail].surface.curve_at_u(ended.ts[0]);
        let pcurve = straight(curve.domain(), [ended.ts[0], 0.0], [ended.ts[0], 1.0])?;
        let edge = self.put(curve, ended.vertices[0], ended.vertices[1]);
        Ok(OrientedEdge { edge, forward: true, pcurve })
    }

    fn close(&mut self, plan: &Plan, name: &dyn Fn(&[EdgeId]) -> String) -> Result<(), SurfacingError> {
        match plan {
            Plan::Border { rail, at_end, plane } => self.border(*rail, *at_end, *plane),
            Plan::Tip { rail, at_end } => {
                let ended = self.ended(*rail, *at_end)?;
                let (t, tip) = (ended.ts[0], ended.vertices[0]);
                let pcurve = straight(Domain::new(0.0, 1.0), [t, 0.0], [t, 1.0])?;
                let edge = self.put(None, tip, tip);
                self.paths.insert((*rail, *at_end), vec![OrientedEdge { edge, forward: true, pcurve }]);
                Ok(())
            }
            Plan::On { rails, at_ends, sides } => self.on(*rails, *at_ends, *sides),
            Plan::Out { rail, at_end, across } => {
                let mut path = Vec::new();
                for line in across {
                    path.push(self.run_out(*rail, *at_end, line)?);
                }
                self.set_path(*rail, *at_end, path);
                Ok(())
            }
            Plan::Mitre { mitre, over } => {
                let [first, second] = self.mitre(mitre)?;
                let (mut long, short) = (vec![first], vec![second]);
                if let Some((rail, at_end, line)) = over {
                    long.push(self.run_out(*rail, *at_end, line)?);
                }
                self.set_path(mitre.rails[0], mitre.at_ends[0], long);
                self.set_path(mitre.rails[1], mitre.at_ends[1], short);
                Ok(())
            }
            Plan::Point { mitres } => {
                let mut used = Vec::with_capacity(3);
                for mitre in mitres {
                    used.push(self.mitre(mitre)?);
                }
                for k in 0..3 {
                    let path = vec![used[k][0].clone(), used[(k + 2) % 3][1].clone()];
                    self.set_path(mitres[k].rails[0], mitres[k].at_ends[0], path);
                }
                Ok(())
            }
            Plan::Setback(setback) => {
                let own: Vec<EdgeId> = setback.rails().map(|r| self.rails[r].edge).collect();
                self.fill(setback, name(&own))
            }
            Plan::Stop(stop) => self.stop(stop, name),
            Plan::Fold { rail, beside, mitre } => self.fold(*rail, beside, mitre.as_ref()),
            Plan::Ball { rails, centre, radius, outward } => {
                self.ball(rails, *centre, *radius, *outward, name)
            }
        }
    }

    /// Orders uses across a strip's end from its first side to its second.
    fn set_path(&mut self, rail: usize, at_end: bool, mut path: Vec<OrientedEdge>) {
        let ends = |used: &OrientedEdge| {
            let (a, b) = (used.pcurve.start().y, used.pcurve.end().y);
            if used.forward { [a, b] } else { [b, a] }
        };
        for used in &mut path {
            let [a, b] = ends(used);
            used.forward ^= a > b;
        }
        path.sort_by(|a, b| ends(a)[0].total_cmp(&ends(b)[0]));
        self.paths.insert((rail, at_end), path);
    }

    fn border(&mut self, rail: usize, at_end: bool, plane: Option<Plane>) -> Result<(), SurfacingError> {
        let used = self.end_line(rail, at_end, plane)?;
        self.paths.insert((rail, at_end), vec![used]);
        Ok(())
    }

    /// The line across a strip's end from its first side to its second, with the strip's use of it.
    pub(super) fn end_line(
        &mut self,
        rail: usize,
        at_end: bool,
        plane: Option<Plane>,
    ) -> Result<OrientedEdge, SurfacingError> {
        let ended = self.ended(rail, at_end)?.clone();
        if (ended.ts[0] - ended.ts[1]).abs() <= 1e-9 * self.rails[rail].track.own.length() {
            return self.section(rail, at_end);
        }
        let (curve, pcurve) = slanted_end(&self.surfaces[rail], ended.ts, plane, self.tolerance)?;
        let edge = self.put(curve, ended.vertices[0], ended.vertices[1]);
        Ok(OrientedEdge { edge, forward: true, pcurve })
    }

    fn on(&mut self, rails: [usize; 2], at_ends: [bool; 2], sides: [usize; 2]) -> Result<(), SurfacingError> {
        let used = self.section(rails[0], at_ends[0])?;
        let t = self.ended(rails[1], at_ends[1])?.ts[0];
        let same = sides[0] == sides[1];
        let (from, to) = if same { (0.0, 1.0) } else { (1.0, 0.0) };
        let pcurve = straight(used.pcurve.domain(), [t, from], [t, to])?;
        let other = OrientedEdge { edge: used.edge, forward: same, pcurve };
        self.paths.insert((rails[0], at_ends[0]), vec![used]);
        self.paths.insert((rails[1], at_ends[1]), vec![other]);
        Ok(())
    }

    /// A line by a strip's share between seeds, as a curve by that share with the image in both surfaces' parameters: the
    /// strip's, and two more unknowns.
    fn line(
        &self,
        rail: usize,
        seeds: &Seeds,
        solved: &dyn Fn(f64, [f64; 3]) -> Option<[f64; 3]>,
        images: &dyn Fn(f64, [f64; 3]) -> [[f64; 2]; 2],
    ) -> Result<(NurbsCurve, [NurbsCurve; 2]), SurfacingError> {
        let (first, last) = (seeds[0].0, seeds[seeds.len() - 1].0);
        let lost = || self.rails[rail].track.too_large(seeds[0].1[0]);
        let at = |share: f64| {
            let v = first + (last - first) * share;
            let k = ((share * (seeds.len() - 1) as f64).floor() as usize).min(seeds.len() - 2);
            let part = share * (seeds.len() - 1) as f64 - k as f64;
            let near = [0, 1, 2].map(|i| seeds[k].1[i] + (seeds[k + 1].1[i] - seeds[k].1[i]) * part);
            let x = solved(v, near)?;
            Some((v, x, self.surfaces[rail].point(x[0], v)))
        };
        let images_at = |share: f64| at(share).map(|(v, x, p)| (p, images(v, x)));
        self.through(&images_at, &lost)
    }

    /// A curve by shares of its way, with as many images, through so many places that it follows them.
    pub(super) fn through<const N: usize>(
        &self,
        at: &dyn Fn(f64) -> Option<(Point3, [[f64; 2]; N])>,
        lost: &dyn Fn() -> SurfacingError,
    ) -> Result<(NurbsCurve, [NurbsCurve; N]), SurfacingError> {
        let mut count = PLACES[0];
        loop {
            let shares: Vec<f64> = (0..=count).map(|k| k as f64 / count as f64).collect();
            let found = shares.iter().map(|s| at(*s)).collect::<Option<Vec<_>>>().ok_or_else(lost)?;
            let curve = |points: Vec<Point3>| interpolate(&points, &shares, 3, &EndDerivatives::free());
            let space = curve(found.iter().map(|f| f.0).collect())?;
            let mut worst: f64 = 0.0;
            for pair in shares.windows(2) {
                let s = 0.5 * (pair[0] + pair[1]);
                let (p, _) = at(s).ok_or_else(lost)?;
                worst = worst.max((space.point(s) - p).norm());
            }
            if worst <= FOLLOWS * self.tolerance.fit || 2 * count > PLACES[1] {
                let image = |which: usize| {
                    curve(found.iter().map(|f| Point3::new(f.1[which][0], f.1[which][1], 0.0)).collect())
                };
                let images = (0..N).map(image).collect::<Result<Vec<_>, _>>()?;
                return Ok((space, images.try_into().map_err(|_| SurfacingError::Empty)?));
            }
            count *= 2;
        }
    }

    /// A strip's line on a face beyond its end; gives the strip's use of it.
    fn run_out(&mut self, rail: usize, at_end: bool, line: &Across) -> Result<OrientedEdge, SurfacingError> {
        let ground = &self.grounds[&line.face];
        let surface = Arc::clone(&self.surfaces[rail]);
        let [du, dv] = ground.bounds();
        let lost = || self.rails[rail].track.too_large(line.seeds[0].1[0]);
        let (curve, own, on_face, forward) = if line.level {
            let t = self.ended(rail, at_end)?.ts[0];
            let curve = surface.curve_at_u(t);
            let rising = line.seeds[0].0 < line.seeds[line.seeds.len() - 1].0;
            let d = curve.domain();
            let at = |s: f64| {
                let k = (d.length().recip() * (s - d.start) * (line.seeds.len() - 1) as f64).round() as usize;
                let k = if rising { k } else { line.seeds.len() - 1 - k };
                let [_, u, v] = line.seeds[k].1;
                let p = curve.point(s);
                let off = |x: &[f64; 2]| Some(ground.point(*x) - p);
                solve([u, v], [du, dv], &off).map(|f| f.0).ok_or_else(lost)
            };
            let on_face =
                followed(&curve, &at, &|p| ground.point(p), images_follow(&curve.start(), self.tolerance))?;
            let own = straight(d, [t, 0.0], [t, 1.0])?;
            (curve, own, on_face, rising)
        } else {
            let within = surface.domain().0;
            let solved = |v: f64, near: [f64; 3]| {
                let off = |x: &[f64; 3]| Some(surface.point(x[0], v) - ground.point([x[1], x[2]]));
                solve(near, [within, du, dv], &off).filter(|f| f.1 <= self.meets(&[rail])).map(|f| f.0)
            };
            let images = |v: f64, x: [f64; 3]| [[x[0], v], [x[1], x[2]]];
            let (curve, [own, on_face]) = self.line(rail, &line.seeds, &solved, &images)?;
            (curve, own, on_face, true)
        };
        let [first, second] = line.vertices;
        let (start, end) = if forward { (first, second) } else { (second, first) };
        let edge = self.put(curve, start, end);
        // In the face's loop it runs back, to the half-edge that leaves.
        self.inserts.insert(line.before, OrientedEdge { edge, forward: !forward, pcurve: on_face });
        Ok(OrientedEdge { edge, forward: true, pcurve: own })
    }

    /// How many millimetres strips may be apart from what they meet: by as much as they are off themselves, where they only graze it
    /// at their borders.
    fn meets(&self, strips: &[usize]) -> f64 {
        one_place(self.tolerance) + strips.iter().map(|s| self.strips[*s].max_deviation).sum::<f64>()
    }

    /// A line between two strips, with either one's use of it.
    fn mitre(&mut self, mitre: &Mitre) -> Result<[OrientedEdge; 2], SurfacingError> {
        let [a, b] = mitre.rails;
        let (one, two) = (Arc::clone(&self.surfaces[a]), Arc::clone(&self.surfaces[b]));
        let bounds = [one.domain().0, two.domain().0, two.domain().1];
        let allowed = self.meets(&[a, b]).max(one_line(self.tolerance));
        let solved = |v: f64, near: [f64; 3]| {
            let off = |x: &[f64; 3]| Some(one.point(x[0], v) - two.point(x[1], x[2]));
            solve(near, bounds, &off).filter(|f| f.1 <= allowed).map(|f| f.0)
        };
        let images = |v: f64, x: [f64; 3]| [[x[0], v], [x[1], x[2]]];
        let (curve, [first, second]) = self.line(a, &mitre.seeds, &solved, &images)?;
        let edge = self.put(curve, mitre.vertices[0], mitre.vertices[1]);
        Ok([first, second].map(|pcurve| OrientedEdge { edge, forward: true, pcurve }))
    }

    fn fold(
        &mut self,
        rail: usize,
        beside: &[(usize, bool, f64); 2],
        mitre: Option<&Mitre>,
    ) -> Result<(), SurfacingError> {
        let mut uses = mitre.map(|m| self.mitre(m)).transpose()?.map(|u| u.map(Some)).unwrap_or_default();
        for (k, &(other, at_end, _)) in beside.iter().enumerate() {
            let section = self.section(rail, k == 1)?;
            let curve = self.edges[section.edge.index()].curve.clone().ok_or(SurfacingError::Empty)?;
            // The neighbour's own section there, of which this is a part.
            let wall = 1 - self.side_of_pole(rail)?;
            let vertex = self.ended(rail, k == 1)?.vertices[wall];
            let ended = self.ended(other, at_end)?;
            let own = ended.vertices.iter().position(|v| *v == vertex).ok_or(SurfacingError::Empty)?;
            let surface = Arc::clone(&self.surfaces[other]);
            let t = ended.ts[own];
            let whole = surface.curve_at_u(t);
            let at = |s: f64| Ok([t, closest_on_curve(&whole, &curve.point(s)).parameter]);
            let follow = images_follow(&curve.start(), self.tolerance);
            let pcurve = followed(&curve, &at, &|[u, v]| surface.point(u, v), follow)?;
            let mut path = vec![OrientedEdge { edge: section.edge, forward: true, pcurve }];
            path.extend(uses[k].take());
            self.set_path(other, at_end, path);
            self.paths.insert((rail, k == 1), vec![section]);
        }
        Ok(())
    }

    fn side_of_pole(&self, rail: usize) -> Result<usize, SurfacingError> {
        self.poles.get(&rail).map(|p| p.side).ok_or(SurfacingError::Empty)
    }

    fn ball(
        &mut self,
        rails: &[(usize, bool)],
        centre: Point3,
        radius: f64,
        outward: bool,
        name: &dyn Fn(&[EdgeId]) -> String,
    ) -> Result<(), SurfacingError> {
        let mut uses = Vec::with_capacity(rails.len());
        let mut places = Vec::new();
        for &(rail, at_end) in rails {
            let used = self.section(rail, at_end)?;
            if let Some(curve) = &self.edges[used.edge.index()].curve {
                places.extend((0..=4).map(|k| curve.point(curve.domain().at(f64::from(k) / 4.0))));
            }
            self.paths.insert((rail, at_end), vec![used.clone()]);
            uses.push(used);
        }
        let pointed = || SurfacingError::FilletCorner { at: centre.into() };
        let ball = Ball::about(centre, radius, &places).ok_or_else(pointed)?;
        let surface = Arc::new(ball.surface().ok_or_else(pointed)?);
        let mut edges = Vec::with_capacity(rails.len());
        for (&(_, at_end), used) in rails.iter().zip(&uses) {
            let Some(curve) = &self.edges[used.edge.index()].curve else { continue };
            let at = |s: f64| Ok(ball.parameters(&curve.point(s)));
            let pcurve =
                followed(curve, &at, &|[u, v]| surface.point(u, v), images_follow(&centre, self.tolerance))?;
            // Round the ball as its outer side is seen: from the side before each strip to the side after it.
            edges.push(OrientedEdge { edge: used.edge, forward: at_end, pcurve });
        }
        if !outward {
            edges.reverse();
            edges.iter_mut().for_each(|e| e.forward ^= true);
        }
        let own: Vec<EdgeId> = rails.iter().map(|(r, _)| self.rails[*r].edge).collect();
        self.balls.push(Face { surface, loops: vec![Loop { edges }], reversed: !outward, role: name(&own) });
        Ok(())
    }

    /// Cuts the edges that stay where they end now, or runs them on.
    fn shorten(&mut self) {
        for (id, curve) in &self.grown {
            // Its other end stays, unless it is cut there too.
            let whole = self.halves.shell.edge(*id).curve.as_ref().map(NurbsCurve::domain);
            let at = |at_end: bool| self.trims.get(&(*id, at_end)).map(|t| t.0);
            let edge = &mut self.edges[id.index()];
            edge.curve = whole.map(|d| curve.part(at(false).unwrap_or(d.start), at(true).unwrap_or(d.end)));
        }
        for ((id, at_end), (t, vertex)) in self.trims.clone() {
            let grown = self.grown.contains_key(&id);
            let edge = &mut self.edges[id.index()];
            if at_end {
                edge.end = vertex;
            } else {
                edge.start = vertex;
            }
            edge.curve = edge.curve.take().map(|c| {
                let d = c.domain();
                if grown {
                    return c;
                }
                if at_end { c.part(d.start, t) } else { c.part(t, d.end) }
            });
        }
    }

    /// The part of an edge that stays.
    fn left_of(&self, edge: EdgeId, whole: Domain) -> Result<Domain, SurfacingError> {
        let at = |at_end: bool| self.trims.get(&(edge, at_end)).map(|t| t.0);
        let part = Domain::new(at(false).unwrap_or(whole.start), at(true).unwrap_or(whole.end));
        if part.start >= part.end {
            let curve = self.halves.shell.edge(edge).curve.as_ref();
            let at = curve.map_or([0.0; 3], |c| c.point(part.start).into());
            return Err(SurfacingError::FilletTooLarge { size: self.size(), at, fits: None });
        }
        Ok(part)
    }

    /// The image of an edge that was run on, on one of its faces.
    fn image(&self, half: usize, part: Domain) -> Result<NurbsCurve, SurfacingError> {
        let (used, ground) = (self.halves.used(half), &self.grounds[&self.halves.all[half].face]);
        let curve = self.edges[used.edge.index()].curve.as_ref().ok_or(SurfacingError::Empty)?;
        let d = used.pcurve.domain();
        let at = |t: f64| {
            let near = used.pcurve.point(d.clamp(t));
            let lost = || SurfacingError::FilletTooLarge {
                size: self.size(),
                at: curve.point(t).into(),
                fits: None,
            };
            ground.nearest([near.x, near.y], &curve.point(t)).ok_or_else(lost)
        };
        let follow = images_follow(&curve.point(part.start), self.tolerance);
        followed(curve, &at, &|p| ground.point(p), follow)
    }

    fn size(&self) -> f64 {
        self.rails.first().map_or(0.0, |r| (r.track.size)(r.track.own.start))
    }

    fn finish(mut self, name: &dyn Fn(&[EdgeId]) -> String) -> Result<Made, SurfacingError> {
        let shell = self.halves.shell;
        let rail_of: BTreeMap<EdgeId, usize> =
            self.rails.iter().enumerate().map(|(r, rail)| (rail.edge, r)).collect();
        let mut loops: Vec<Vec<Vec<OrientedEdge>>> =
            shell.faces().iter().map(|f| vec![Vec::new(); f.loops.len()]).collect();
        let mut changed: BTreeSet<usize> = BTreeSet::new();
        for (h, half) in self.halves.all.iter().enumerate() {
            let used = self.halves.used(h);
            let run = &mut loops[half.face][half.place[0]];
            if let Some(insert) = self.inserts.get(&h) {
                run.push(insert.clone());
                changed.insert(half.face);
            }
            if self.gone.contains(&half.edge) {
                continue;
            }
            if let Some(&rail) = rail_of.get(&half.edge) {
                changed.insert(half.face);
                let side = usize::from(!half.forward);
                if self.poles.get(&rail).is_some_and(|p| p.side == side) {
                    continue;
                }
                let (from, to) = (self.ended(rail, false)?.ts[side], self.ended(rail, true)?.ts[side]);
                let pcurve = self.strips[rail].pcurves[side].part(from, to);
                run.push(OrientedEdge { edge: self.contacts[rail][side], forward: half.forward, pcurve });
                continue;
            }
            let whole = used.pcurve.domain();
            let part = self.left_of(half.edge, whole)?;
            let pcurve = match () {
                () if part == whole => used.pcurve.clone(),
                () if self.grown.contains_key(&half.edge) => self.image(h, part)?,
                () => used.pcurve.part(part.start, part.end),
            };
            run.push(OrientedEdge { edge: half.edge, forward: half.forward, pcurve });
        }
        let mut faces: Vec<Face> = Vec::with_capacity(shell.faces().len() + self.rails.len());
        for (f, (face, runs)) in shell.faces().iter().zip(loops).enumerate() {
            let against = |mut run: Vec<OrientedEdge>| {
                if face.reversed {
                    run.reverse();
                    run.iter_mut().for_each(|e| e.forward ^= true);
                }
                Loop { edges: run }
            };
            let loops: Vec<Loop> = runs.into_iter().map(against).collect();
            let mut surface = Arc::clone(&face.surface);
            if changed.contains(&f) && !inside(&surface, &loops) {
                surface = Arc::clone(&self.grounds[&f].surface);
            }
            let made = Face { surface, loops, reversed: face.reversed, role: face.role.clone() };
            if changed.contains(&f)
                && let Some(at) = crosses_itself(&made)
            {
                return Err(SurfacingError::FilletTooLarge { size: self.size(), at: at.into(), fits: None });
            }
            faces.push(made);
        }
        for rail in 0..self.rails.len() {
            faces.push(self.strip_face(rail, name(&[self.rails[rail].edge]))?);
        }
        faces.append(&mut self.balls);
        let old = self.halves.shell.edges().len();
        let cut: BTreeSet<EdgeId> = self.trims.keys().map(|k| k.0).collect();
        let wanted = |id: EdgeId| id.index() >= old || cut.contains(&id);
        measured(&mut self.edges, &self.vertices, &faces, &wanted, self.tolerance)
            .map_err(|at| SurfacingError::FilletCorner { at: at.into() })?;
        let kept: BTreeSet<EdgeId> =
            faces.iter().flat_map(|f| &f.loops).flat_map(|l| &l.edges).map(|e| e.edge).collect();
        let edges: BTreeMap<EdgeId, EdgeId> =
            kept.iter().enumerate().map(|(k, was)| (*was, EdgeId(k as u32))).collect();
        let mut across: BTreeMap<VertexId, Vec<EdgeId>> = BTreeMap::new();
        for (h, insert) in &self.inserts {
            across.entry(self.halves.origin(*h)).or_default().extend(edges.get(&insert.edge));
        }
        let shell = Shell::of_used(&self.vertices, &self.edges, faces)?;
        Ok(Made { shell, edges, across, flat_ends: self.flat_ends })
    }

    fn strip_face(&self, rail: usize, role: String) -> Result<Face, SurfacingError> {
        let (from, to) = (self.ended(rail, false)?, self.ended(rail, true)?);
        let contact = |side: usize| {
            let (a, b) = (from.ts[side], to.ts[side]);
            let pcurve = straight(Domain::new(a, b), [a, side as f64], [b, side as f64])?;
            Ok::<_, SurfacingError>(OrientedEdge {
                edge: self.contacts[rail][side],
                forward: side == 0,
                pcurve,
            })
        };
        let path = |at_end: bool| self.paths.get(&(rail, at_end)).cloned().ok_or(SurfacingError::Empty);
        let mut edges = vec![contact(0)?];
        edges.extend(path(true)?);
        edges.push(contact(1)?);
        edges.extend(path(false)?.into_iter().rev().map(|e| OrientedEdge { forward: !e.forward, ..e }));
        // Across the track from its left to its right, the surface's normal leads into the shell.
        Ok(Face {
            surface: Arc::clone(&self.surfaces[rail]),
            loops: vec![Loop { edges }],
            reversed: true,
            role,
        })
    }
}

/// Whether loops stay on a surface.
fn inside(surface: &NurbsSurface, loops: &[Loop]) -> bool {
    let domains: [Domain; 2] = surface.domain().into();
    loops.iter().flat_map(|l| &l.edges).all(|used| {
        let (low, high) = used.pcurve.control_bounds();
        [(low.x, high.x), (low.y, high.y)].iter().zip(domains).all(|((from, to), d)| {
            let margin = 1e-9 * d.length();
            *from >= d.start - margin && *to <= d.end + margin
        })
    })
}
