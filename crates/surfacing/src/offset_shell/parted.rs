//! Faces parted along parameter lines where their offsets begin to fold over, so that what folds is a face of its own and can
//! vanish.

use std::sync::Arc;

use geometry::{Domain, Point3, bisect, polygon_holds, tightest_bend_of};
use topology::{
    Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, face_extent, straight_pcurve,
};

use crate::SurfacingError;

/// Places per span, and at least in all, at which the bending is looked at.
const PER_SPAN: usize = 4;
const LEAST: usize = 24;
const MOST_PLACES: usize = 96;
/// Share of a face's extent by which a cut lies inside what folds, and within which two cuts are one.
const INSIDE: f64 = 1e-7;
/// Share of the extent within which a vertex lies on a line.
const ON_LINE: f64 = 1e-6;
/// Places of each span of a curve at which is looked whether it crosses a line.
const LOOKED_AT: usize = 8;
/// Edges of a face that are parted for one cut at most.
const MOST: usize = 8;

/// A shell with some of its faces parted, with what its faces and edges were before.
pub(super) struct Parted {
    pub(super) shell: Shell,
    pub(super) faces: Vec<usize>,
    pub(super) edges: Vec<EdgeId>,
}

/// The shell with faces parted where their offsets begin to fold; `None` where there is nothing to part.
///
/// # Errors
/// What keeps the parts from being a shell.
pub(super) fn parted(shell: &Shell, distances: &[f64]) -> Result<Option<Parted>, SurfacingError> {
    let mut cutting = Cutting {
        vertices: shell.vertices().to_vec(),
        edges: shell.edges().to_vec(),
        faces: shell.faces().to_vec(),
        of: (0..shell.faces().len()).collect(),
        was: (0..shell.edges().len() as u32).map(EdgeId).collect(),
    };
    let mut any = false;
    for (f, face) in shell.faces().iter().enumerate() {
        for (axis, at) in folds(face, if face.reversed { -distances[f] } else { distances[f] }) {
            for piece in 0..cutting.faces.len() {
                if cutting.of[piece] == f {
                    any |= cutting.cut(piece, axis, at)?;
                }
            }
        }
    }
    if !any {
        return Ok(None);
    }
    let shell = Shell::try_new(cutting.vertices, cutting.edges, cutting.faces)?;
    Ok(Some(Parted { shell, faces: cutting.of, edges: cutting.was }))
}

/// The parameter lines, each by its axis and place, between which a face's offset folds.
fn folds(face: &Face, distance: f64) -> Vec<(usize, f64)> {
    let surface = &face.surface;
    let extent = face_extent(face);
    let outlines: Vec<Vec<[f64; 2]>> = face.loops.iter().map(outline).collect();
    let whole = face.is_whole();
    let holds = |at: &[f64; 2]| match outlines.split_first() {
        _ if whole => true,
        Some((outer, holes)) => polygon_holds(outer, at) && !holes.iter().any(|h| polygon_holds(h, at)),
        None => false,
    };
    // Above 0 where it folds.
    let fold = |at: [f64; 2]| {
        let d = surface.derivatives(at[0], at[1]);
        let bend =
            |(gauss, mean): (f64, f64)| distance.signum() * mean + (mean * mean - gauss).max(0.0).sqrt();
        d.curvatures().map_or(f64::MIN, |c| bend(c) * distance.abs() - 1.0)
    };
    let lines = [0, 1].map(|k| {
        let knots = if k == 0 { surface.knots_u() } else { surface.knots_v() };
        let (d, spans) = (extent[k], knots.breaks().len() - 1);
        let count = (PER_SPAN * spans).clamp(LEAST, MOST_PLACES);
        (0..=count).map(|i| d.at((i as f64 + 0.5) / (count as f64 + 1.0))).collect::<Vec<f64>>()
    });
    if tightest_bend_of(surface, extent, distance > 0.0).is_none_or(|(radius, _)| radius > distance.abs()) {
        return Vec::new();
    }
    let at = |axis: usize, along: f64, across: f64| if axis == 0 { [along, across] } else { [across, along] };
    let mut out = Vec::new();
    for axis in 0..2 {
        // How far the worst place of a line is over.
        let worst = |along: f64| {
            let places = lines[1 - axis].iter().map(|&across| at(axis, along, across));
            places.filter(|p| holds(p)).map(fold).fold(f64::MIN, f64::max)
        };
        let over: Vec<(f64, f64)> = lines[axis].iter().map(|&a| (a, worst(a))).collect();
        for pair in over.windows(2) {
            let [(a, x), (b, y)] = [pair[0], pair[1]];
            if (x >= 0.0) == (y >= 0.0) {
                continue;
            }
            let border = bisect(a, b, |t| worst(t) >= 0.0);
            let inside = INSIDE * extent[axis].length();
            out.push((axis, if x >= 0.0 { border - inside } else { border + inside }));
        }
    }
    out
}

fn outline(bound: &Loop) -> Vec<[f64; 2]> {
    let mut out = Vec::new();
    for used in &bound.edges {
        let mut run: Vec<[f64; 2]> = used
            .pcurve
            .knots()
            .sampled(LOOKED_AT)
            .into_iter()
            .map(|t| used.pcurve.point(t))
            .map(|p| [p.x, p.y])
            .collect();
        if !used.forward {
            run.reverse();
        }
        run.pop();
        out.extend(run);
    }
    out
}

/// A shell while its faces are cut.
struct Cutting {
    vertices: Vec<Vertex>,
    edges: Vec<Edge>,
    faces: Vec<Face>,
    of: Vec<usize>,
    was: Vec<EdgeId>,
}

impl Cutting {
    /// Cuts a face along a parameter line that crosses its outline twice; whether it did.
    fn cut(&mut self, f: usize, axis: usize, at: f64) -> Result<bool, SurfacingError> {
        let extent = face_extent(&self.faces[f])[axis];
        let near = ON_LINE * extent.length();
        if at <= extent.start + near || at >= extent.end - near {
            return Ok(false);
        }
        // Where edges cross it between their ends they are parted first.
        for _ in 0..MOST {
            let Some((edge, t)) = self.crossed(f, axis, at, near) else { break };
            self.part_edge(edge, t);
        }
        let face = &self.faces[f];
        let starts = |used: &OrientedEdge| {
            if used.forward { used.pcurve.start() } else { used.pcurve.end() }
        };
        let on_line: Vec<Vec<usize>> = face
            .loops
            .iter()
            .map(|l| (0..l.edges.len()).filter(|&k| (starts(&l.edges[k])[axis] - at).abs() <= near).collect())
            .collect();
        let [first, others @ ..] = &on_line[..] else { return Ok(false) };
        let (&[a, b], true) = (&first[..], others.iter().all(Vec::is_empty)) else { return Ok(false) };
        let outer = &face.loops[0].edges;
        let [p, q] = [a, b].map(|k| starts(&outer[k]));
        // An edge along the line is there already.
        if [(a, b), (b, a)]
            .iter()
            .any(|(x, y)| (x + 1) % outer.len() == *y && self.runs_along(f, *x, axis, near))
        {
            return Ok(false);
        }
        let across = 1 - axis;
        let [from, to] = [p[across].min(q[across]), p[across].max(q[across])];
        let line = if axis == 0 { face.surface.curve_at_u(at) } else { face.surface.curve_at_v(at) };
        let d = line.domain();
        let curve = line.part(d.clamp(from), d.clamp(to));
        let place = |x: f64| if axis == 0 { [at, x] } else { [x, at] };
        let pcurve = straight_pcurve(Domain::new(from, to), place(from), place(to))?;
        let vertex = |k: usize| {
            let used = &outer[k];
            let edge = &self.edges[used.edge.index()];
            if used.forward { edge.start } else { edge.end }
        };
        let rising = p[across] < q[across];
        let [start, end] = if rising { [vertex(a), vertex(b)] } else { [vertex(b), vertex(a)] };
        let id = EdgeId(self.edges.len() as u32);
        let used = |forward: bool| OrientedEdge { edge: id, forward, pcurve: pcurve.clone() };
        // From a to b and back along the line, and from b to a and back.
        let run = |from: usize, to: usize| {
            let count = (to + outer.len() - from) % outer.len();
            (0..count).map(|k| outer[(from + k) % outer.len()].clone()).collect::<Vec<_>>()
        };
        let (mut one, mut two) = (run(a, b), run(b, a));
        one.push(used(!rising));
        two.push(used(rising));
        let low = one.iter().any(|u| starts(u)[axis] < at - near);
        let (mut loops, mut more) = (vec![Loop { edges: one }], vec![Loop { edges: two }]);
        for hole in &face.loops[1..] {
            let below = hole.edges.first().is_some_and(|u| starts(u)[axis] < at);
            if below == low { &mut loops } else { &mut more }.push(hole.clone());
        }
        let off = |v: VertexId, p: Point3| (self.vertices[v.index()].point - p).norm();
        let tolerance = 1.001 * off(start, curve.start()).max(off(end, curve.end())).max(1e-9);
        let other = Face { loops: more, surface: Arc::clone(&face.surface), ..face.clone() };
        self.faces[f].loops = loops;
        self.faces.push(other);
        self.of.push(self.of[f]);
        self.edges.push(Edge { curve: Some(curve), start, end, tolerance });
        self.was.push(EdgeId(u32::MAX));
        Ok(true)
    }

    fn runs_along(&self, f: usize, k: usize, axis: usize, near: f64) -> bool {
        let pcurve = &self.faces[f].loops[0].edges[k].pcurve;
        let at = pcurve.start()[axis];
        pcurve.knots().sampled(LOOKED_AT).into_iter().all(|t| (pcurve.point(t)[axis] - at).abs() <= near)
    }

    /// An edge of a face that crosses a line between its ends, and where.
    fn crossed(&self, f: usize, axis: usize, at: f64, near: f64) -> Option<(EdgeId, f64)> {
        let uses = self.faces[f].loops.iter().flat_map(|l| &l.edges);
        uses.into_iter().find_map(|used| {
            let off = |t: f64| used.pcurve.point(t)[axis] - at;
            let d = used.pcurve.domain();
            // An end on the line is no crossing.
            let mut places = used.pcurve.knots().sampled(LOOKED_AT);
            places.retain(|t| off(*t).abs() > near);
            places.windows(2).find_map(|w| {
                let crosses = (off(w[0]) > 0.0) != (off(w[1]) > 0.0);
                let t = crosses.then(|| bisect(w[0], w[1], |t| off(t) > 0.0))?;
                (t > d.start && t < d.end).then_some((used.edge, t))
            })
        })
    }

    /// Parts an edge at a parameter, for all faces that use it.
    fn part_edge(&mut self, id: EdgeId, t: f64) {
        let edge = self.edges[id.index()].clone();
        // A pole's parts all end at its own vertex.
        let (middle, halves) = match &edge.curve {
            Some(curve) => {
                let d = curve.domain();
                self.vertices.push(Vertex { point: curve.point(t) });
                let vertex = VertexId(self.vertices.len() as u32 - 1);
                (vertex, [Some(curve.part(d.start, t)), Some(curve.part(t, d.end))])
            }
            None => (edge.start, [None, None]),
        };
        let [first, second] = halves;
        let new = EdgeId(self.edges.len() as u32);
        self.edges[id.index()] = Edge { curve: first, end: middle, ..edge.clone() };
        self.edges.push(Edge { curve: second, start: middle, ..edge });
        self.was.push(self.was[id.index()]);
        for bound in self.faces.iter_mut().flat_map(|f| &mut f.loops) {
            let mut out = Vec::with_capacity(bound.edges.len());
            for used in bound.edges.drain(..) {
                if used.edge != id {
                    out.push(used);
                    continue;
                }
                let d = used.pcurve.domain();
                let mut both = [
                    OrientedEdge { pcurve: used.pcurve.part(d.start, t), ..used.clone() },
                    OrientedEdge { edge: new, pcurve: used.pcurve.part(t, d.end), ..used.clone() },
                ];
                if !used.forward {
                    both.reverse();
                }
                out.extend(both);
            }
            bound.edges = out;
        }
    }
}
