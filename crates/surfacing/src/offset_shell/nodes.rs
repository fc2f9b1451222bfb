//! Where the vertices of a shell come to lie when its faces are offset.
//!
//! Three faces have one place in common. Where more meet, and their offsets have none in common, the vertex parts into several
//! with short edges between faces that only touched before: of all the ways in which the polygon of faces about the vertex can
//! be divided into triangles, the one whose new edges run the right way.

use std::collections::BTreeMap;

use geometry::{Domain, NurbsCurve, Point3, Tolerance, Vector2, Vector3, closest_on_curve};
use topology::straight_pcurve;

use super::Kind;
use super::creases::Runs;
use super::parallel::{Carrier, Parallel, common, crossing};
use super::web::{Corner, Fan, Web};

/// Faces about a vertex beyond which it is not parted.
const MOST: usize = 9;
/// Share of the fit tolerance within which faces have one place in common.
pub(super) const ONE: f64 = 0.2;
/// Share of the join tolerance within which borders have one place in common.
pub(super) const CLOSED: f64 = 0.5;
/// Share of a face by which a place is taken away from a pole before it is looked for.
const FROM_POLE: f64 = 0.02;
/// Shares of a pole at which is looked whether the offset shrinks to a point there too.
const TIP_PLACES: [f64; 3] = [0.25, 0.5, 0.75];
/// Share of the distance within which the offsets of a pole are one place.
const SMOOTH_POLE: f64 = 5e-3;
/// Places on either side of a ridge at which is looked whether the offset has met itself.
const SEARCHED: usize = 80;
/// Steps in which a place is brought into a plane.
const INTO_PLANE: usize = 2;
/// Sine of the angle between faces from which an edge between them has a direction.
const LEVEL: f64 = 1e-9;

/// A half-edge's end: the vertex, its parameters on the face, and on the half-edge's own image where that stays.
#[derive(Debug, Clone, Copy)]
pub(super) struct End {
    pub(super) node: usize,
    pub(super) uv: [f64; 2],
    pub(super) t: Option<f64>,
}

/// A new edge between faces that only touched, with its vertices and their parameters on both; the first face lies to its left.
#[derive(Debug, Clone)]
pub(super) struct Diagonal {
    pub(super) faces: [usize; 2],
    pub(super) nodes: [usize; 2],
    pub(super) uv: [[[f64; 2]; 2]; 2],
}

/// Where all vertices come to lie.
#[derive(Debug, Clone, Default)]
pub(super) struct Nodes {
    pub(super) points: Vec<Point3>,
    /// The ends of each half-edge: where it begins and where it ends.
    pub(super) ends: BTreeMap<usize, [Option<End>; 2]>,
    pub(super) diagonals: Vec<Diagonal>,
    /// Diagonals that come into a face's loop after a half-edge, each with whether it is run along.
    pub(super) inserts: BTreeMap<usize, Vec<(usize, bool)>>,
    /// Diagonals that only one face has, where a crease ends at a border, each with where the source's crease ends.
    pub(super) overhangs: Vec<(usize, Point3)>,
}

/// Faces that are offset, and those of their edges that go with them.
pub(super) struct Solver<'a> {
    pub(super) web: &'a Web<'a>,
    pub(super) faces: &'a [Parallel],
    /// The images of edges that stay, by half-edge, run on beyond their ends.
    pub(super) lines: &'a [Option<NurbsCurve>],
    /// What was found before, near which everything is looked for; without it, where the source has it.
    pub(super) near: Option<(&'a Nodes, &'a Runs)>,
    pub(super) tolerance: &'a Tolerance,
}

/// A place that corners of a fan have in common.
#[derive(Debug, Clone)]
struct Met {
    point: Point3,
    /// Parameters by corner.
    uv: BTreeMap<usize, [f64; 2]>,
    /// Parameters on the images of spokes that stay.
    t: BTreeMap<usize, f64>,
}

/// A fan with what is looked at: the outside of an open one is a corner of its own, the last.
struct About<'a> {
    fan: &'a Fan,
    count: usize,
}

impl About<'_> {
    fn is_outside(&self, corner: usize) -> bool {
        corner >= self.fan.corners.len()
    }
}

/// Whether two segments cross, ends included.
fn segments_cross([a, b]: [Vector2; 2], [c, d]: [Vector2; 2]) -> bool {
    let sides = |a: Vector2, b: Vector2, c: Vector2| (b - a).perp(&(c - a));
    let ([p, q], [r, s]) = ([sides(a, b, c), sides(a, b, d)], [sides(c, d, a), sides(c, d, b)]);
    p * q <= 0.0 && r * s <= 0.0 && p != q && r != s
}

impl Solver<'_> {
    /// Where all vertices come to lie, or a place where they cannot.
    pub(super) fn nodes(&self) -> Result<Nodes, Point3> {
        let mut out = Nodes::default();
        for fan in self.web.fans() {
            self.resolve(&fan, &mut out)?;
        }
        Ok(out)
    }

    pub(super) fn near_end(&self, half: usize, begins: bool) -> Option<End> {
        self.near?.0.ends.get(&half)?[usize::from(!begins)]
    }

    /// The place of a corner in the source.
    pub(super) fn start(&self, fan: &Fan, corner: usize) -> [f64; 2] {
        let leaving = fan.corners[corner].leaving;
        if let Some(end) = self.near_end(leaving, true) {
            return end.uv;
        }
        let used = self.web.used(leaving);
        let p = if self.web.halves.all[leaving].forward { used.pcurve.start() } else { used.pcurve.end() };
        self.ridge_of(fan, corner).map_or([p.x, p.y], |(half, t)| self.beside_ridge(half, t))
    }

    /// The same beside some other corners: at the foot of a step that is one of them.
    fn start_beside(&self, about: &About<'_>, corner: usize, others: &[usize]) -> [f64; 2] {
        let fan = about.fan;
        let Corner { leaving, coming, .. } = fan.corners[corner];
        let neighbours = [(corner + about.count - 1) % about.count, (corner + 1) % about.count];
        let at_step = |(half, begins, other): (usize, bool, usize)| {
            let is_step = self.web.joints.steps.contains(&self.web.halves.all[half].edge.index());
            if !is_step || !others.contains(&other) {
                return None;
            }
            if let Some(end) = self.near_end(half, begins) {
                return Some(end.uv);
            }
            let pcurve = &self.web.used(half).pcurve;
            let at_start = self.web.halves.all[half].forward == begins;
            let p = if at_start { pcurve.start() } else { pcurve.end() };
            Some([p.x, p.y])
        };
        let sides = [(leaving, true, neighbours[0]), (coming, false, neighbours[1])];
        sides.into_iter().find_map(at_step).unwrap_or_else(|| self.start(fan, corner))
    }

    /// The half-edge along a ridge at which a corner lies, with its parameter there.
    fn ridge_of(&self, fan: &Fan, corner: usize) -> Option<(usize, f64)> {
        let Corner { leaving, coming, .. } = fan.corners[corner];
        let (half, begins) =
            [(leaving, true), (coming, false)].into_iter().find(|(h, _)| self.web.off_ridge(*h).is_some())?;
        let d = self.web.used(half).pcurve.domain();
        let at_start = self.web.halves.all[half].forward == begins;
        Some((half, if at_start { d.start } else { d.end }))
    }

    /// From a place of an edge, or of a ridge, about as far into the face of a half-edge along it as to where the offsets of the faces
    /// beside it, which run over each other there, meet again.
    pub(super) fn beside_ridge(&self, half: usize, t: f64) -> [f64; 2] {
        let place = |h: usize| {
            let p = self.web.used(h).pcurve.point(t);
            [p.x, p.y]
        };
        let at = place(half);
        let sides = self.web.off_ridge(half).zip(self.web.twin(half));
        let Some((own, twin)) = sides else { return at };
        let Some(other) = self.web.off_ridge(twin) else { return at };
        let face = &self.faces[self.web.face(half)];
        let from = face.at(at).zip(face.ground.place(at));
        let Some((from, ground)) = from else { return at };
        let unit = |v: Vector3| v.try_normalize(f64::MIN_POSITIVE);
        let Some((across, edge)) = unit(ground.rates[own.0]).zip(unit(ground.rates[1 - own.0])) else {
            return at;
        };
        let Some(across) = unit(across - edge * across.dot(&edge)) else { return at };
        let flat = |p: Point3| {
            let off = p - from.point;
            Vector2::new(off.dot(&across), off.dot(&from.normal))
        };
        let line = |h: usize, side| self.line_across(self.web.face(h), place(h), side, (from.point, edge));
        let (mine, others) = (line(half, own), line(twin, other));
        let points = [&mine, &others].map(|l| l.iter().map(|(_, p)| flat(*p)).collect::<Vec<Vector2>>());
        let [p, q] = points.each_ref().map(|l| l.windows(2).map(|w| [w[0], w[1]]).collect::<Vec<_>>());
        // Both begin at the same place; the nearest crossing of the others is the one, since round a closed face they cross again.
        let cross = |i: usize, j: usize| match (p.get(i), q.get(j)) {
            (Some(a), Some(b)) => i + j > 0 && segments_cross(*a, *b),
            _ => false,
        };
        let met = (0..p.len().max(q.len())).find_map(|m| {
            let (mut before, mut up_to) = (0..m, 0..=m);
            before.find(|&i| cross(i, m)).or_else(|| up_to.any(|j| cross(m, j)).then_some(m))
        });
        met.map_or(at, |i| mine[i + 1].0)
    }

    /// Places of an offset face ever farther from a border into it (what folds may be narrow), in a plane.
    fn line_across(
        &self,
        face: usize,
        from: [f64; 2],
        (axis, way): (usize, f64),
        (on, normal): (Point3, Vector3),
    ) -> Vec<([f64; 2], Point3)> {
        let face = &self.faces[face];
        let bounds = face.bounds;
        let reach = if way > 0.0 { bounds[axis].end - from[axis] } else { from[axis] - bounds[axis].start };
        let mut uv = from;
        let mut out = Vec::with_capacity(SEARCHED + 1);
        for k in 0..=SEARCHED {
            uv[axis] = from[axis] + way * reach * (k as f64 / SEARCHED as f64).powi(2);
            let along = 1 - axis;
            for _ in 0..INTO_PLANE {
                let Some(place) = face.at(uv) else { return out };
                let step = (place.point - on).dot(&normal) / place.rates[along].dot(&normal);
                uv[along] -= step;
                if bounds[along].clamp(uv[along]) != uv[along] {
                    return out;
                }
            }
            let Some(point) = face.point(uv) else { return out };
            out.push((uv, point));
        }
        out
    }

    /// Where a fan's vertex is when it goes with its faces.
    fn carried(&self, fan: &Fan) -> Result<Met, Point3> {
        let mut met = Met { point: Point3::origin(), uv: BTreeMap::new(), t: BTreeMap::new() };
        let mut sum = Vector3::zeros();
        for (k, corner) in fan.corners.iter().enumerate() {
            let uv = self.start(fan, k);
            let at = self.faces[corner.face].point(uv);
            sum += at.ok_or_else(|| self.somewhere(fan))?.coords;
            met.uv.insert(k, uv);
            // An image that stays ends where it ended.
            for (spoke, half, at_start) in [(k, corner.leaving, true), (k + 1, corner.coming, false)] {
                let domain = self.web.used(half).pcurve.domain();
                let forward = self.web.halves.all[half].forward;
                met.t.insert(
                    spoke % self.spokes(fan),
                    if forward == at_start { domain.start } else { domain.end },
                );
            }
        }
        met.point = Point3::from(sum / fan.corners.len() as f64);
        Ok(met)
    }

    /// Where a fan's vertex stays, as it does if none of its faces is moved and all have it in common.
    fn stays(&self, fan: &Fan) -> Option<Met> {
        if self.near.is_some() || fan.corners.iter().any(|c| self.faces[c.face].distance != 0.0) {
            return None;
        }
        let met = self.carried(fan).ok()?;
        let is_there = |(k, c): (usize, &Corner)| {
            let at = self.faces[c.face].ground.point(self.start(fan, k));
            (at - met.point).norm() <= self.tolerance.resolution
        };
        fan.corners.iter().enumerate().all(is_there).then_some(met)
    }

    /// Where the tip of a face that shrinks to a point comes to lie, if its offset opens there or crosses itself before: where
    /// its lines to the tip meet again.
    fn tip(&self, fan: &Fan) -> Result<Option<Met>, Point3> {
        let &[Corner { face, leaving, coming }] = &fan.corners[..] else { return Ok(None) };
        let parallel = &self.faces[face];
        let Some(pole) = self.pole(leaving, coming) else { return Ok(None) };
        let lost = || self.somewhere(fan);
        let at = |s: f64| pole.point(pole.domain().at(s));
        let place = |p: Point3| parallel.point([p.x, p.y]).ok_or_else(lost);
        let first = place(at(0.0))?;
        let mut spread: f64 = 0.0;
        for s in TIP_PLACES {
            spread = spread.max((place(at(s))? - first).norm());
        }
        // A smooth pole has one normal, as well as it is known beside it.
        if spread <= ONE * self.tolerance.fit + SMOOTH_POLE * parallel.distance.abs() {
            return Ok(None);
        }
        // The lines of the face that lead away from the pole.
        let axis = usize::from((pole.start().x - pole.end().x).abs() > (pole.start().y - pole.end().y).abs());
        let domain = parallel.bounds[axis];
        let line = |s: f64| {
            let to = |end: f64| {
                let mut p = [at(s).x, at(s).y];
                p[axis] = end;
                p
            };
            straight_pcurve(domain, to(domain.start), to(domain.end)).ok()
        };
        let own = self.lines[leaving].as_ref().ok_or_else(lost)?;
        let start = self.near_end(leaving, true).and_then(|e| e.t);
        let begins = self.web.used(leaving).pcurve.domain();
        let forward = self.web.halves.all[leaving].forward;
        let start = start.unwrap_or(if forward { begins.start } else { begins.end });
        let away = [0.02, 0.2, 0.5].map(|s| start + s * (if forward { 1.0 } else { -1.0 }) * begins.length());
        let mut tip: Option<(Point3, f64)> = None;
        for s in TIP_PLACES {
            let other = line(s).ok_or_else(lost)?;
            let carriers = [Carrier::Line(parallel, own), Carrier::Line(parallel, &other)];
            let found = std::iter::once(start).chain(away).find_map(|t| {
                let p = own.point(t);
                common(
                    &carriers,
                    &[[t, 0.0], [[p.x, p.y][axis], 0.0]],
                    None,
                    ONE * self.tolerance.fit,
                    self.tolerance.fit,
                )
            });
            let found = found.ok_or_else(lost)?;
            let (point, t) = *tip.get_or_insert((found.point, found.at[0][0]));
            if (point - found.point).norm() > self.tolerance.fit {
                return Err(lost());
            }
            tip = Some((point, t));
        }
        let Some((point, t)) = tip else { return Ok(None) };
        let p = own.point(t);
        Ok(Some(Met { point, uv: BTreeMap::from([(0, [p.x, p.y])]), t: BTreeMap::from([(0, t)]) }))
    }

    /// The line between the two ends of a face's seam along which the face shrinks to a point, or does so once it is offset, after what
    /// closed it there has vanished.
    fn pole(&self, leaving: usize, coming: usize) -> Option<NurbsCurve> {
        if let Some(pole) = self.web.poles_after(coming).first() {
            return Some(self.web.used(*pole).pcurve.clone());
        }
        let end = |half: usize, begins: bool| {
            let used = self.web.used(half);
            let p = if used.forward == begins { used.pcurve.start() } else { used.pcurve.end() };
            [p.x, p.y]
        };
        let is_seam = self.web.twin(leaving) == Some(coming);
        let (from, to) = (end(coming, false), end(leaving, true));
        let domains = self.faces[self.web.face(leaving)].bounds;
        let same = (0..2).all(|k| (from[k] - to[k]).abs() <= LEVEL * domains[k].length());
        (is_seam && !same).then(|| straight_pcurve(Domain::new(0.0, 1.0), from, to).ok()).flatten()
    }

    fn spokes(&self, fan: &Fan) -> usize {
        fan.corners.len() + usize::from(!fan.closed)
    }

    fn somewhere(&self, fan: &Fan) -> Point3 {
        let corner = fan.corners[0];
        let [u, v] = self.start(fan, 0);
        self.faces[corner.face].ground.point([u, v])
    }

    /// The half-edge of a spoke that is looked at, the one that leaves if there is one.
    fn spoke(&self, fan: &Fan, spoke: usize) -> usize {
        match fan.corners.get(spoke) {
            Some(corner) => corner.leaving,
            None => fan.corners[fan.corners.len() - 1].coming,
        }
    }

    fn spoke_kind(&self, fan: &Fan, spoke: usize) -> Kind {
        self.web.kind(self.spoke(fan, spoke))
    }

    fn resolve(&self, fan: &Fan, out: &mut Nodes) -> Result<(), Point3> {
        let spokes = self.spokes(fan);
        let sharp = (0..spokes).filter(|&s| self.spoke_kind(fan, s) == Kind::Sharp).count();
        let about = About { fan, count: spokes };
        let lost = || self.somewhere(fan);
        if sharp == 0 || (sharp == 1 && fan.closed) {
            // Where a sharp edge runs out, both faces are one in direction; the edges that stay may meet elsewhere after one of
            // them has vanished.
            let met = match sharp {
                1 if spokes > 2 => self.all_in_one(&about).map_or_else(|| self.carried(fan), Ok)?,
                _ => match self.tip(fan)? {
                    Some(met) => met,
                    None => self.carried(fan)?,
                },
            };
            self.put(&about, &[met], &[], out);
            return Ok(());
        }
        if let Some(met) = self.stays(fan) {
            self.put(&about, &[met], &[], out);
            return Ok(());
        }
        let one =
            if fan.closed && fan.corners.len() == 2 { self.on_edge(fan) } else { self.all_in_one(&about) };
        if let Some(met) = one {
            self.put(&about, &[met], &[], out);
            return Ok(());
        }
        if !(4..=MOST).contains(&about.count) {
            return if self.overhang(fan, out).is_some() { Ok(()) } else { Err(lost()) };
        }
        let mut known = BTreeMap::new();
        let all = self.divisions(&about, 0, about.count - 1, &mut known);
        let mut best: Option<(f64, Vec<[usize; 3]>)> = None;
        for division in all {
            if let Some(length) = self.runs_right(&about, &division, &known)
                && best.as_ref().is_none_or(|b| length < b.0)
            {
                best = Some((length, division));
            }
        }
        let (_, division) = best.ok_or_else(lost)?;
        let mets: Vec<Met> = division.iter().filter_map(|t| known.get(t).cloned().flatten()).collect();
        self.put(&about, &mets, &division, out);
        Ok(())
    }

    /// A vertex of two faces only, on their edge: in the plane square to it.
    fn on_edge(&self, fan: &Fan) -> Option<Met> {
        let half = fan.corners[0].leaving;
        let used = self.web.used(half);
        let curve = self.web.shell().edge(used.edge).curve.as_ref()?;
        let d = curve.domain();
        let t = if self.web.halves.all[half].forward { d.start } else { d.end };
        let plane = (curve.point(t), curve.tangent(t)?);
        let carriers: Vec<Carrier<'_>> =
            fan.corners.iter().map(|c| Carrier::Face(&self.faces[c.face])).collect();
        let from: Vec<[f64; 2]> = (0..2).map(|k| self.start(fan, k)).collect();
        let found = common(&carriers, &from, Some(plane), ONE * self.tolerance.fit, self.tolerance.fit)?;
        let uv = found.at.iter().copied().enumerate().collect();
        Some(Met { point: found.point, uv, t: BTreeMap::new() })
    }

    /// The place that all corners have in common, if they do.
    fn all_in_one(&self, about: &About<'_>) -> Option<Met> {
        self.met(about, &(0..about.count).collect::<Vec<usize>>())
    }

    /// The place that some corners, in order, have in common.
    fn met(&self, about: &About<'_>, corners: &[usize]) -> Option<Met> {
        let fan = about.fan;
        let mut carriers: Vec<Carrier<'_>> = Vec::new();
        let mut from: Vec<[f64; 2]> = Vec::new();
        // Which corners and which spoke each carrier stands for.
        let mut stands: Vec<(Vec<usize>, Option<usize>)> = Vec::new();
        let mut on_line: BTreeMap<usize, usize> = BTreeMap::new();
        for (k, &corner) in corners.iter().enumerate() {
            let after = corners[(k + 1) % corners.len()];
            let adjacent = (corner + 1) % about.count == after;
            let spoke = after;
            if !adjacent || self.spoke_kind(fan, spoke) == Kind::Sharp {
                continue;
            }
            let half = self.spoke(fan, spoke);
            let line = self.lines[half].as_ref()?;
            let d = self.web.used(half).pcurve.domain();
            // The spoke's half-edge leaves, unless it is the last of an open fan.
            let leaves = fan.corners.get(spoke).is_some();
            let forward = self.web.halves.all[half].forward == leaves;
            carriers.push(Carrier::Line(&self.faces[self.web.face(half)], line));
            let near = self.near_end(half, leaves).and_then(|e| e.t);
            // Beside a ridge the line begins where the faces meet again.
            let beside = || {
                let own = if fan.corners.get(spoke).is_some() { spoke } else { corner };
                let [u, v] = self.ridge_of(fan, own).map(|(half, t)| self.beside_ridge(half, t))?;
                Some(closest_on_curve(line, &Point3::new(u, v, 0.0)).parameter)
            };
            let at = near.or_else(beside).unwrap_or(if forward { d.start } else { d.end });
            from.push([at, 0.0]);
            stands.push((Vec::new(), Some(spoke)));
            for c in [corner, after] {
                *on_line.entry(c).or_default() += 1;
            }
        }
        for &corner in corners.iter().filter(|c| !about.is_outside(**c)) {
            if on_line.contains_key(&corner) {
                continue;
            }
            let face = &self.faces[fan.corners[corner].face];
            carriers.push(Carrier::Face(face));
            from.push(self.away_from_pole(face, self.start_beside(about, corner, corners)));
            stands.push((vec![corner], None));
        }
        if carriers.len() < 2 || corners.iter().any(|c| about.is_outside(*c) && !on_line.contains_key(c)) {
            return None;
        }
        // Borders that are not square to an edge between them come to different places on it: with two faces that is told apart, with
        // more so little is closed over.
        let at_border = corners.iter().any(|c| about.is_outside(*c)) && on_line.values().any(|n| *n > 1);
        let fit = self.tolerance.fit;
        let found = match (at_border, corners.len()) {
            (true, ..=3) => crossing(&carriers, &from, ONE * fit)?,
            (true, _) => common(&carriers, &from, None, CLOSED * self.tolerance.join, fit)?,
            (false, _) => common(&carriers, &from, None, ONE * fit, fit)?,
        };
        let mut met = Met { point: found.point, uv: BTreeMap::new(), t: BTreeMap::new() };
        for ((corners, spoke), at) in stands.iter().zip(&found.at) {
            corners.iter().for_each(|c| {
                met.uv.insert(*c, *at);
            });
            let Some(spoke) = spoke else { continue };
            met.t.insert(*spoke, at[0]);
            // Both faces beside it have the line as their own image, by the same parameter.
            let half = self.spoke(fan, *spoke);
            let before = (*spoke + about.count - 1) % about.count;
            let sides = if fan.corners.get(*spoke).is_some() {
                [(*spoke, Some(half)), (before, self.web.twin(half))]
            } else {
                [(before, Some(half)), (*spoke, None)]
            };
            for (corner, half) in sides {
                if let Some(line) = half.and_then(|h| self.lines[h].as_ref())
                    && !about.is_outside(corner)
                {
                    let p = line.point(at[0]);
                    met.uv.entry(corner).or_insert([p.x, p.y]);
                }
            }
        }
        Some(met)
    }

    fn away_from_pole(&self, face: &Parallel, uv: [f64; 2]) -> [f64; 2] {
        let stands = |uv: [f64; 2]| {
            face.at(uv).is_none_or(|p| {
                let [a, b] = p.rates.map(|r| r.norm());
                a.min(b) <= 1e-9 * a.max(b)
            })
        };
        if !stands(uv) {
            return uv;
        }
        let middle: [f64; 2] = face.bounds.map(|d| d.at(0.5));
        [0, 1].map(|k| uv[k] + FROM_POLE * (middle[k] - uv[k]))
    }

    /// All divisions of the corners from `a` to `b` into triangles whose faces have a place in common.
    fn divisions(
        &self,
        about: &About<'_>,
        a: usize,
        b: usize,
        known: &mut BTreeMap<[usize; 3], Option<Met>>,
    ) -> Vec<Vec<[usize; 3]>> {
        if b < a + 2 {
            return vec![Vec::new()];
        }
        let mut out = Vec::new();
        for c in a + 1..b {
            let triangle = [a, c, b];
            let has = known.entry(triangle).or_insert_with(|| self.met(about, &triangle)).is_some();
            if !has || [[a, c], [c, b], [a, b]].iter().any(|p| self.is_within_sheet(about, *p)) {
                continue;
            }
            let firsts = self.divisions(about, a, c, known);
            let seconds = self.divisions(about, c, b, known);
            for first in &firsts {
                for second in &seconds {
                    out.push(first.iter().chain([&triangle]).chain(second).copied().collect());
                }
            }
        }
        out
    }

    /// Whether two corners that are not beside each other belong to faces that meet smoothly all the way between.
    fn is_within_sheet(&self, about: &About<'_>, [a, b]: [usize; 2]) -> bool {
        let beside = (a + 1) % about.count == b || (b + 1) % about.count == a;
        // Where nothing is offset a face between them may end, as a rounding does in its tip.
        let is_still =
            |corner: usize| about.fan.corners.get(corner).is_some_and(|c| self.faces[c.face].distance == 0.0);
        let smooth = |from: usize, to: usize| {
            let steps = (to + about.count - from) % about.count;
            (1..=steps).all(|k| self.spoke_kind(about.fan, (from + k) % about.count) != Kind::Sharp)
                && !(0..=steps).all(|k| is_still((from + k) % about.count))
        };
        !beside && (smooth(a, b) || smooth(b, a))
    }

    /// The length of the new edges of a division, if all run the right way.
    fn runs_right(
        &self,
        about: &About<'_>,
        division: &[[usize; 3]],
        known: &BTreeMap<[usize; 3], Option<Met>>,
    ) -> Option<f64> {
        let beside = |a: usize, b: usize| (a + 1) % about.count == b || (b + 1) % about.count == a;
        let normal = |corner: usize, met: &Met| {
            let face = &self.faces[about.fan.corners.get(corner)?.face];
            Some(face.at(*met.uv.get(&corner)?)?.normal)
        };
        let mut length = 0.0;
        // How each new edge is bent, if it has a length: outwards or inwards.
        let mut bends: BTreeMap<[usize; 2], f64> = BTreeMap::new();
        for (k, one) in division.iter().enumerate() {
            for two in &division[k + 1..] {
                let shared: Vec<usize> = one.iter().copied().filter(|c| two.contains(c)).collect();
                let [i, j] = shared[..] else { continue };
                let (Some(m), Some(n)) = (known.get(one)?.as_ref(), known.get(two)?.as_ref()) else {
                    return None;
                };
                let third = |t: &[usize; 3]| t.iter().copied().find(|c| *c != i && *c != j);
                // From the vertex whose other corner lies between i and j to the other one: i, seen from outside, lies to the left.
                let between = third(one)? > i && third(one)? < j;
                let along = if between { n.point - m.point } else { m.point - n.point };
                length += along.norm();
                if along.norm() <= self.tolerance.resolution || about.is_outside(j) {
                    continue;
                }
                let across = normal(i, m)?.cross(&normal(j, m)?);
                if across.norm() > LEVEL {
                    bends.insert([i, j], along.dot(&across).signum());
                }
            }
        }
        let bend = |a: usize, b: usize| -> Option<f64> {
            let pair = [a.min(b), a.max(b)];
            if !beside(a, b) {
                return bends.get(&pair).copied();
            }
            let spoke = if (a + 1) % about.count == b { b } else { a };
            self.spoke_bend(about.fan, spoke)
        };
        for triangle in division {
            let met = known.get(triangle)?.as_ref()?;
            let normals: Option<Vec<Vector3>> = triangle.iter().map(|c| normal(*c, met)).collect();
            let Some(normals) = normals else { continue };
            let volume = normals[0].dot(&normals[1].cross(&normals[2]));
            let [a, b, c] = *triangle;
            let pairs = [[a, b], [b, c], [c, a]];
            // Where two of the faces meet smoothly, both meet the third in the same way.
            if let Some(k) = pairs.iter().position(|[a, b]| self.meet_smoothly(about, *a, *b))
                && let [[p, q], [r, s]] = [pairs[(k + 1) % 3], pairs[(k + 2) % 3]]
                && let (Some(one), Some(other)) = (bend(p, q), bend(r, s))
                && one != other
            {
                return None;
            }
            let bends: Option<Vec<f64>> = pairs.into_iter().map(|[a, b]| bend(a, b)).collect();
            let Some(bends) = bends else { continue };
            let alike = bends.iter().all(|b| *b == bends[0]);
            if volume.abs() > LEVEL && (volume > 0.0) != alike {
                return None;
            }
        }
        Some(length)
    }

    /// Whether corners beside each other are of faces that meet smoothly there.
    fn meet_smoothly(&self, about: &About<'_>, a: usize, b: usize) -> bool {
        let spoke = if (a + 1) % about.count == b { b } else { a };
        let beside = spoke == b || (b + 1) % about.count == a;
        beside
            && ![a, b].iter().any(|c| about.is_outside(*c))
            && self.spoke_kind(about.fan, spoke) == Kind::Smooth
    }

    /// 1 where a spoke's faces bend outwards, -1 where they bend inwards; `None` for others.
    fn spoke_bend(&self, fan: &Fan, spoke: usize) -> Option<f64> {
        if self.spoke_kind(fan, spoke) != Kind::Sharp {
            return None;
        }
        let half = self.spoke(fan, spoke);
        self.web.bends(half)
    }

    /// Takes over what was found for a fan.
    fn put(&self, about: &About<'_>, mets: &[Met], triangles: &[[usize; 3]], out: &mut Nodes) {
        let fan = about.fan;
        let count = about.count;
        // Places that fall together are one.
        let mut number: Vec<usize> = Vec::with_capacity(mets.len());
        for (k, met) in mets.iter().enumerate() {
            let same = (0..k).find(|&j| (mets[j].point - met.point).norm() <= self.tolerance.resolution);
            number.push(match same {
                Some(j) => number[j],
                None => {
                    out.points.push(met.point);
                    out.points.len() - 1
                }
            });
        }
        let at_spoke = |spoke: usize| {
            let before = (spoke + count - 1) % count;
            triangles
                .iter()
                .position(|t| t.contains(&(spoke % count)) && t.contains(&before))
                .unwrap_or_default()
        };
        for (k, corner) in fan.corners.iter().enumerate() {
            let sides = [(k, corner.leaving, 0), ((k + 1) % self.spokes(fan), corner.coming, 1)];
            for (spoke, half, which) in sides {
                let m = at_spoke(spoke);
                let Some(uv) = mets[m].uv.get(&k) else { continue };
                let t = mets[m].t.get(&spoke).copied();
                // At a pole each of the two edges has its own parameters.
                let on_line = t.zip(self.lines[half].as_ref()).map(|(t, line)| line.point(t));
                let end = End { node: number[m], uv: on_line.map_or(*uv, |p| [p.x, p.y]), t };
                out.ends.entry(half).or_default()[which] = Some(end);
            }
        }
        // New edges, each where two triangles share corners that are not beside each other.
        let mut diagonals: BTreeMap<[usize; 2], usize> = BTreeMap::new();
        for (m, one) in triangles.iter().enumerate() {
            for (n, two) in triangles.iter().enumerate().skip(m + 1) {
                let shared: Vec<usize> = one.iter().copied().filter(|c| two.contains(c)).collect();
                let [i, j] = shared[..] else { continue };
                if number[m] == number[n] || about.is_outside(j) {
                    continue;
                }
                let between = one.iter().any(|c| *c > i && *c < j);
                let (from, to) = if between { (m, n) } else { (n, m) };
                let uv = |k: usize| {
                    let at = |c: usize| mets[k].uv.get(&c).copied().unwrap_or_default();
                    [at(i), at(j)]
                };
                out.diagonals.push(Diagonal {
                    faces: [fan.corners[i].face, fan.corners[j].face],
                    nodes: [number[from], number[to]],
                    uv: [uv(from), uv(to)],
                });
                diagonals.insert([i, j], out.diagonals.len() - 1);
            }
        }
        for (k, corner) in fan.corners.iter().enumerate() {
            // From the spoke that comes in back to the one that leaves, in the order in which the others stand.
            let others = (2..count.saturating_sub(1)).map(|s| (k + s) % count);
            let run: Vec<(usize, bool)> = others
                .filter_map(|j| {
                    let d = diagonals.get(&[k.min(j), k.max(j)])?;
                    // A face lies to the left of its loop; a diagonal has its first face there.
                    Some((*d, k < j))
                })
                .collect();
            if !run.is_empty() {
                out.inserts.insert(corner.coming, run);
            }
        }
    }
}
