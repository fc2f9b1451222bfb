//! Where offset faces meet along the edges at which they come apart or run over each other.

use std::collections::BTreeMap;

use geometry::{Domain, NurbsCurve, Point3, Vector3, closest_on_curve};

use nalgebra::center;
use topology::straight_pcurve;

use super::nodes::{Diagonal, End, Nodes, Solver};
use super::parallel::{Carrier, Parallel, common};

/// Places of an edge at least, and for each span of its curve.
const LEAST: usize = 8;
const PER_SPAN: usize = 2;
const MOST: usize = 128;
/// Share of the fit tolerance within which a place is on both faces.
const ON_BOTH: f64 = 0.1;
/// Cosine of the angle with which a curve that ends where it begins goes round.
const ROUND: f64 = 0.99;
/// Share of their first distance that two places of one face keep at least.
const APART: f64 = 0.2;
/// How many times as far as it should a place may be from the one before.
const JUMP: f64 = 4.0;

/// Places along an edge between two faces, each by its parameters on both.
pub(super) type Run = Vec<[f64; 4]>;

/// Places along all edges that are not images of edges of the source: by half-edge, and along new ones.
pub(super) struct Runs {
    pub(super) creases: BTreeMap<usize, Run>,
    pub(super) diagonals: Vec<Run>,
}

/// A curve along which planes square to it are laid, with the part that an edge takes of it; beyond its ends it goes on
/// straight, or round if it closes.
struct Guide<'a> {
    curve: &'a NurbsCurve,
    closed: bool,
}

impl<'a> Guide<'a> {
    /// A curve that may end where it begins, and go on there.
    fn new(curve: &'a NurbsCurve, meets_itself: bool) -> Self {
        let d = curve.domain();
        let on =
            matches!((curve.tangent(d.end), curve.tangent(d.start)), (Some(a), Some(b)) if a.dot(&b) > ROUND);
        Self { curve, closed: on && meets_itself }
    }

    fn plane(&self, t: f64) -> Option<(Point3, Vector3)> {
        let d = self.curve.domain();
        if self.closed {
            let t = d.wrap(t);
            return Some((self.curve.point(t), self.curve.tangent(t)?));
        }
        let at = d.clamp(t);
        let (p, rate) = self.curve.moving(at);
        Some((p + rate * (t - at), rate.try_normalize(f64::MIN_POSITIVE)?))
    }

    /// The parameter of the plane that a place lies in, the nearest one.
    fn place(&self, p: &Point3) -> f64 {
        let d = self.curve.domain();
        let t = closest_on_curve(self.curve, p).parameter;
        let at_end = t - d.start <= 1e-9 * d.length() || d.end - t <= 1e-9 * d.length();
        if self.closed || !at_end {
            return t;
        }
        let (q, rate) = self.curve.moving(t);
        t + (p - q).dot(&rate) / rate.norm_squared().max(f64::MIN_POSITIVE)
    }
}

/// Which part of a guide an edge takes.
struct Taken<'a> {
    guide: Guide<'a>,
    from: f64,
    to: f64,
}

impl Solver<'_> {
    fn ends(&self, nodes: &Nodes, half: usize) -> Option<[End; 2]> {
        let [a, b] = nodes.ends.get(&half)?;
        Some([(*a)?, (*b)?])
    }

    fn taken(&self, nodes: &Nodes, half: usize) -> Option<Taken<'_>> {
        let edge = self.web.shell().edge(self.web.halves.all[half].edge);
        let curve = edge.curve.as_ref()?;
        let ends = self.ends(nodes, half)?;
        let meets_itself = edge.start == edge.end;
        let guide = Guide::new(curve, meets_itself);
        let forward = self.web.halves.all[half].forward;
        let d = curve.domain();
        let [mut from, mut to] = ends.map(|e| guide.place(&nodes.points[e.node]));
        if !guide.closed && meets_itself {
            // From either side of the corner at which it begins and ends.
            let halves = [curve.part(d.start, d.at(0.5)), curve.part(d.at(0.5), d.end)];
            let [first, last] = if forward { [0, 1] } else { [1, 0] };
            let place =
                |half: usize, end: &End| Guide::new(&halves[half], false).place(&nodes.points[end.node]);
            (from, to) = (place(first, &ends[0]), place(last, &ends[1]));
        }
        if guide.closed {
            // Once round, wherever its vertex has come to.
            if ends[0].node == ends[1].node {
                from = if from > d.at(0.5) { from - d.length() } else { from };
                to = from + d.length();
            }
            if !forward {
                (from, to) = (to, from);
            }
        }
        Some(Taken { guide, from, to })
    }

    /// The length of an edge with its sign: below 0 where it runs against its direction.
    pub(super) fn signed_length(&self, nodes: &Nodes, half: usize) -> Option<f64> {
        let ends = self.ends(nodes, half)?;
        let chord = (nodes.points[ends[1].node] - nodes.points[ends[0].node]).norm();
        let forward = if self.web.halves.all[half].forward { 1.0 } else { -1.0 };
        if let (Some(line), [Some(a), Some(b)]) = (&self.lines[half], ends.map(|e| e.t)) {
            let face = &self.faces[self.web.face(half)];
            let along = forward * (b - a);
            // By three places, since a bend within the line may be folded.
            let turned = [0.25, 0.5, 0.75].iter().filter(|s| {
                let t = a + (b - a) * **s;
                let (p, rate) = line.moving(t);
                let (u, v) = ([p.x, p.y], rate);
                let before = face.ground.place(u).map(|q| q.rates[0] * v.x + q.rates[1] * v.y);
                let after = face.at(u).map(|q| q.rates[0] * v.x + q.rates[1] * v.y);
                matches!((before, after), (Some(x), Some(y)) if x.dot(&y) < 0.0)
            });
            let folded = turned.count() >= 2;
            let size = self.length_between(half, a.min(b), a.max(b)).max(chord);
            return Some(if along <= 0.0 || folded { -size } else { size });
        }
        let taken = self.taken(nodes, half)?;
        if taken.guide.closed && ends[0].node == ends[1].node {
            return Some(self.round(&taken, nodes, half).unwrap_or(1.0) * taken.guide.curve.length());
        }
        let along = forward * (taken.to - taken.from);
        let curve = taken.guide.curve;
        // One that ends where it begins has a length too.
        let size = if ends[0].node == ends[1].node {
            curve.length() * along.abs() / curve.domain().length()
        } else {
            chord
        };
        Some(along.signum() * size)
    }

    /// -1 where a closed edge runs the other way round than its guide, or than the same places of its faces before they were offset,
    /// else 1: it has shrunk to nothing and run through itself.
    fn round(&self, taken: &Taken<'_>, nodes: &Nodes, half: usize) -> Option<f64> {
        let run = self.crease(nodes, half).ok()?;
        let k = run.len() / 3;
        let faces = [Some(half), self.web.twin(half)].map(|h| h.map(|h| &self.faces[self.web.face(h)]));
        let at = |i: usize, k: usize| [run[k][2 * i], run[k][2 * i + 1]];
        let [p, q] = [k, k + 1].map(|k| faces[0].and_then(|f| f.point(at(0, k))));
        let (p, step) = (p?, q? - p?);
        let forward = self.web.halves.all[half].forward;
        let (_, along) = taken.guide.plane(taken.guide.place(&p))?;
        let against_guide = (step.dot(&along) > 0.0) != forward;
        let against_faces = faces.iter().enumerate().any(|(i, face)| {
            let step_before = |f: &&Parallel| f.ground.point(at(i, k + 1)) - f.ground.point(at(i, k));
            face.as_ref().is_some_and(|f| step_before(f).dot(&step) < 0.0)
        });
        Some(if against_guide || against_faces { -1.0 } else { 1.0 })
    }

    fn length_between(&self, half: usize, from: f64, to: f64) -> f64 {
        const STEPS: usize = 8;
        let (Some(line), face) = (&self.lines[half], &self.faces[self.web.face(half)]) else { return 0.0 };
        let at = |k: usize| {
            let p = line.point(from + (to - from) * k as f64 / STEPS as f64);
            face.point([p.x, p.y])
        };
        let step = |k: usize| Some((at(k + 1)? - at(k)?).norm());
        (0..STEPS).filter_map(step).sum()
    }

    /// Places along the edge of a half-edge and its twin, from where it begins to where it ends; or a place where it is lost.
    pub(super) fn crease(&self, nodes: &Nodes, half: usize) -> Result<Run, Point3> {
        let web = self.web;
        let source = web.shell().edge(web.halves.all[half].edge);
        let lost = || source.curve.as_ref().map_or_else(Point3::origin, |c| c.point(c.domain().at(0.5)));
        let twin = web.twin(half).ok_or_else(lost)?;
        let (ends, others) = self.ends(nodes, half).zip(self.ends(nodes, twin)).ok_or_else(lost)?;
        let taken = self.taken(nodes, half).ok_or_else(lost)?;
        let curves = [half, twin].map(|h| web.used(h));
        let same = web.halves.all[twin].edge == web.halves.all[half].edge;
        let other_curve = web.shell().edge(web.halves.all[twin].edge).curve.as_ref().ok_or_else(lost)?;
        let ridge = web.off_ridge(half).is_some();
        // Where the source has a place, on both faces.
        let base = |t: f64| -> [[f64; 2]; 2] {
            let d = taken.guide.curve.domain();
            let inside = if taken.guide.closed { d.wrap(t) } else { d.clamp(t) };
            let other = if same {
                inside
            } else {
                closest_on_curve(other_curve, &taken.guide.curve.point(inside)).parameter
            };
            [(0, half, inside), (1, twin, other)].map(|(k, half, t)| {
                let p = curves[k].pcurve.point(t);
                if ridge { self.beside_ridge(half, t) } else { [p.x, p.y] }
            })
        };
        let [from, to] = [[ends[0].uv, others[1].uv], [ends[1].uv, others[0].uv]];
        let moved = |at: [[f64; 2]; 2], t: f64| {
            let b = base(t);
            [0, 1].map(|k| [0, 1].map(|i| at[k][i] - b[k][i]))
        };
        // Where the guide closes its end has the parameters of the seam's other side.
        let inner = 1e-6 * (taken.to - taken.from);
        let shifts = [moved(from, taken.from + inner), moved(to, taken.to - inner)];
        let spans = taken.guide.curve.knots().breaks().len() - 1;
        let count = (PER_SPAN * spans).clamp(LEAST, MOST);
        let known = self.near.and_then(|(_, runs)| runs.creases.get(&half));
        let known = known.filter(|run| run.len() == count + 1);
        let guess = |s: f64| {
            if let Some(run) = known {
                let p = run[(s * count as f64).round() as usize];
                return [[p[0], p[1]], [p[2], p[3]]];
            }
            let t = taken.from + (taken.to - taken.from) * s;
            let b = base(t);
            [0, 1].map(|k| [0, 1].map(|i| b[k][i] + shifts[0][k][i] * (1.0 - s) + shifts[1][k][i] * s))
        };
        let plane = |s: f64| taken.guide.plane(taken.from + (taken.to - taken.from) * s);
        let faces = [web.face(half), web.face(twin)];
        self.run(faces, [from, to], count, &plane, &guess, ridge && self.near.is_none())
            .or_else(|at| self.by_parameter(faces, [from, to], count).ok_or(at))
    }

    /// The same by equal steps of that parameter of either face that changes most: where an edge shrinks to next to nothing, planes
    /// across it do not tell its places apart.
    fn by_parameter(&self, faces: [usize; 2], [from, to]: [[[f64; 2]; 2]; 2], count: usize) -> Option<Run> {
        let share = |&(k, axis): &(usize, usize)| {
            (to[k][axis] - from[k][axis]).abs() / self.faces[faces[k]].bounds[axis].length()
        };
        let all = [(0, 0), (0, 1), (1, 0), (1, 1)];
        let (k, axis) = all.into_iter().max_by(|a, b| share(a).total_cmp(&share(b)))?;
        let own = &self.faces[faces[k]];
        let other = &self.faces[faces[1 - k]];
        let domain = own.bounds[1 - axis];
        let flat = |at: [[f64; 2]; 2]| [at[0][0], at[0][1], at[1][0], at[1][1]];
        let mut out = vec![flat(from)];
        for step in 1..count {
            let s = step as f64 / count as f64;
            let between = [0, 1].map(|f| [0, 1].map(|i| from[f][i] + (to[f][i] - from[f][i]) * s));
            let place = |x: f64| if axis == 0 { [between[k][0], x] } else { [x, between[k][1]] };
            let line = straight_pcurve(domain, place(domain.start), place(domain.end)).ok()?;
            let carriers = [Carrier::Line(own, &line), Carrier::Face(other)];
            let last = out[out.len() - 1];
            let tries = [[last[2 * k + 1 - axis], 0.0], [between[k][1 - axis], 0.0]];
            let beside = [[last[2 * (1 - k)], last[2 * (1 - k) + 1]], between[1 - k]];
            let found = tries.iter().zip(beside).find_map(|(x, y)| {
                common(&carriers, &[*x, y], None, ON_BOTH * self.tolerance.fit, self.tolerance.fit)
            })?;
            let mut at = [[0.0; 2]; 2];
            at[k] = place(found.at[0][0]);
            at[1 - k] = found.at[1];
            out.push(flat(at));
        }
        out.push(flat(to));
        Some(out)
    }

    /// The same for a new edge.
    pub(super) fn diagonal(&self, nodes: &Nodes, diagonal: &Diagonal) -> Result<Run, Point3> {
        let [a, b] = diagonal.nodes.map(|n| nodes.points[n]);
        let along = (b - a).try_normalize(f64::MIN_POSITIVE);
        let plane = |s: f64| along.map(|along| (a + (b - a) * s, along));
        let guess = |s: f64| {
            let at =
                |k: usize, i: usize| diagonal.uv[0][k][i] + (diagonal.uv[1][k][i] - diagonal.uv[0][k][i]) * s;
            [0, 1].map(|k| [at(k, 0), at(k, 1)])
        };
        self.run(diagonal.faces, diagonal.uv, LEAST, &plane, &guess, false)
    }

    /// A run with one more place between any two.
    pub(super) fn denser(&self, faces: [usize; 2], run: &Run) -> Option<Run> {
        let both = faces.map(|f| &self.faces[f]);
        let mut out = vec![run[0]];
        for w in run.windows(2) {
            let [a, b] = [0, 1].map(|k| both[0].point([w[k][0], w[k][1]]));
            let (a, b) = a.zip(b)?;
            let plane = (center(&a, &b), (b - a).try_normalize(f64::MIN_POSITIVE)?);
            let between = |i: usize| 0.5 * (w[0][i] + w[1][i]);
            let from = [[between(0), between(1)], [between(2), between(3)]];
            let fit = self.tolerance.fit;
            let found = common(&both.map(Carrier::Face), &from, Some(plane), ON_BOTH * fit, fit)?;
            out.extend([[found.at[0][0], found.at[0][1], found.at[1][0], found.at[1][1]], w[1]]);
        }
        Some(out)
    }

    fn run(
        &self,
        faces: [usize; 2],
        [from, to]: [[[f64; 2]; 2]; 2],
        count: usize,
        plane: &dyn Fn(f64) -> Option<(Point3, Vector3)>,
        guess: &dyn Fn(f64) -> [[f64; 2]; 2],
        ridge: bool,
    ) -> Result<Run, Point3> {
        let both = faces.map(|f| &self.faces[f]);
        let carriers = both.map(Carrier::Face);
        let flat = |at: [[f64; 2]; 2]| [at[0][0], at[0][1], at[1][0], at[1][1]];
        let place = |at: &[f64; 4]| both[0].point([at[0], at[1]]);
        let mut out = vec![flat(from)];
        for k in 1..count {
            let s = k as f64 / count as f64;
            let lost = || plane(s).map_or_else(Point3::origin, |p| p.0);
            let plane = plane(s).ok_or_else(lost)?;
            let last = out[out.len() - 1];
            let guessed = guess(s);
            // On from the two places before, and from where the source has one.
            let ahead = match &out[..] {
                [.., a, b] => [0, 1].map(|k| [0, 1].map(|i| 2.0 * b[2 * k + i] - a[2 * k + i])),
                _ => guessed,
            };
            let tries = [guessed, ahead, [[last[0], last[1]], [last[2], last[3]]]];
            let found = tries.iter().find_map(|from| {
                let found =
                    common(&carriers, from, Some(plane), ON_BOTH * self.tolerance.fit, self.tolerance.fit)?;
                // A place of a face is one with itself.
                let apart = |at: [[f64; 2]; 2]| {
                    let [p, q] = [0, 1].map(|k| both[k].ground.point(at[k]));
                    (p - q).norm()
                };
                if ridge && apart([found.at[0], found.at[1]]) < APART * apart(tries[0]) {
                    return None;
                }
                Some(flat([found.at[0], found.at[1]]))
            });
            out.push(found.ok_or_else(lost)?);
        }
        out.push(flat(to));
        // A place that jumped to another branch.
        let points: Option<Vec<Point3>> = out.iter().map(place).collect();
        let points = points.ok_or_else(Point3::origin)?;
        let steps: Vec<f64> = points.windows(2).map(|w| (w[1] - w[0]).norm()).collect();
        let mean = steps.iter().sum::<f64>() / steps.len() as f64;
        // Where an offset is next to shrinking to a point its places stand still, but no farther apart than the planes elsewhere.
        let laid: Vec<Point3> =
            (0..=count).filter_map(|k| plane(k as f64 / count as f64)).map(|p| p.0).collect();
        let widest = laid.windows(2).map(|w| (w[1] - w[0]).norm()).fold(mean, f64::max);
        if let Some(k) = steps.iter().position(|s| *s > JUMP * widest && *s > self.tolerance.join) {
            return Err(points[k]);
        }
        // Planes across an arc next to whose middle the edge lies do not tell its places apart.
        let turns_back = |w: &[Point3]| (w[1] - w[0]).dot(&(w[2] - w[1])) < 0.0;
        match points.windows(3).position(turns_back) {
            Some(k) => Err(points[k + 1]),
            None => Ok(out),
        }
    }
}

/// The extent in parameters of runs and images on a face.
pub(super) fn extent_of(places: impl Iterator<Item = [f64; 2]>) -> Option<[Domain; 2]> {
    let mut out: Option<[[f64; 2]; 2]> = None;
    for p in places {
        let known = out.get_or_insert([[p[0], p[0]], [p[1], p[1]]]);
        for k in 0..2 {
            known[k] = [known[k][0].min(p[k]), known[k][1].max(p[k])];
        }
    }
    out.map(|o| o.map(|[a, b]| Domain::new(a, b)))
}
