//! Shells connected along free edges that coincide.

mod divided;

use geometry::{EndDerivatives, NurbsCurve, Point3, closest_on_curve, interpolate};

use crate::{Edge, EdgeId, Face, Shell, TopologyError, Vertex, VertexId, free_edges};

/// Places at which two edges are compared.
const COMPARED: usize = 9;
/// Spans that a parameter curve is fitted with at most.
const MOST_FITTED: usize = 256;

/// A shell put together from others.
#[derive(Debug, Clone, PartialEq)]
pub struct Joined {
    /// The shell, of one piece or of several.
    pub shell: Shell,
    /// How many pairs of free edges became one.
    pub pairs: usize,
    /// Largest distance between the edges of a pair, in millimetres.
    pub largest_gap: f64,
}

/// Connects shells along free edges that lie within `tolerance` mm of each other, divided where one of them begins or ends
/// beside another, and turns faces so that neighbours agree which side is outside; the first face of each piece keeps its side.
///
/// # Errors
/// What keeps the result from being a shell.
pub fn join(parts: &[Shell], tolerance: f64) -> Result<Joined, TopologyError> {
    let (mut all, free) = Parts::concatenated(parts);
    let free = all.divided(free, tolerance);
    all.merge_vertices(&free, tolerance);
    let (mut pairs, mut largest_gap) = (0, 0.0_f64);
    let mut left = free;
    while let Some(first) = left.pop() {
        let fits = left
            .iter()
            .map(|&other| coincide(&all.edges[first.index()], &all.edges[other.index()], tolerance));
        let best = fits.enumerate().filter_map(|(i, fit)| fit.map(|f| (i, f)));
        let Some((i, (gap, along))) = best.min_by(|a, b| a.1.0.total_cmp(&b.1.0)) else { continue };
        let other = left.swap_remove(i);
        // The lower number stays, whatever order they were met in.
        all.merge_edges(first.min(other), first.max(other), along, gap, tolerance)?;
        pairs += 1;
        largest_gap = largest_gap.max(gap);
    }
    let shell = Shell::of_used(&all.vertices, &all.edges, all.faces)?;
    Ok(Joined { shell: agreeing(shell)?, pairs, largest_gap })
}

struct Parts {
    vertices: Vec<Vertex>,
    edges: Vec<Edge>,
    faces: Vec<Face>,
}

impl Parts {
    /// Everything in one list of each kind, and the edges in it that are free.
    fn concatenated(parts: &[Shell]) -> (Self, Vec<EdgeId>) {
        let mut all = Shell::empty();
        let mut free = Vec::new();
        for part in parts {
            let before = all.edges().len() as u32;
            free.extend(free_edges(part).into_iter().map(|id| EdgeId(id.0 + before)));
            all = all.beside(part);
        }
        let (vertices, edges, faces) = all.into_parts();
        (Self { vertices, edges, faces }, free)
    }

    /// Ends of free edges within the tolerance become one vertex, where the first of them is.
    fn merge_vertices(&mut self, free: &[EdgeId], tolerance: f64) {
        let mut ends: Vec<VertexId> =
            free.iter().flat_map(|e| [self.edges[e.index()].start, self.edges[e.index()].end]).collect();
        ends.sort_unstable();
        ends.dedup();
        let mut number: Vec<VertexId> = (0..self.vertices.len() as u32).map(VertexId).collect();
        for (i, &vertex) in ends.iter().enumerate() {
            let at = self.vertices[vertex.index()].point;
            let first = ends[..i].iter().find(|&&e| {
                number[e.index()] == e && (self.vertices[e.index()].point - at).norm() <= tolerance
            });
            if let Some(&first) = first {
                number[vertex.index()] = first;
            }
        }
        for edge in &mut self.edges {
            for (id, at_end) in [(&mut edge.start, false), (&mut edge.end, true)] {
                let to = number[id.index()];
                if to != *id {
                    *id = to;
                    let place = self.vertices[to.index()].point;
                    if let Some(curve) = &edge.curve {
                        let end = if at_end { curve.end() } else { curve.start() };
                        edge.tolerance = edge.tolerance.max((end - place).norm() * (1.0 + 1e-9));
                    }
                }
            }
        }
    }

    /// Puts edge `a` in the place of edge `b`.
    fn merge_edges(
        &mut self,
        a: EdgeId,
        b: EdgeId,
        along: bool,
        gap: f64,
        tolerance: f64,
    ) -> Result<(), TopologyError> {
        let (kept, gone) = (self.edges[a.index()].clone(), self.edges[b.index()].clone());
        let (Some(to), Some(from)) = (&kept.curve, &gone.curve) else { return Ok(()) };
        for used in self.faces.iter_mut().flat_map(|f| &mut f.loops).flat_map(|l| &mut l.edges) {
            if used.edge == b {
                used.pcurve = carried(&used.pcurve, from, to, along, tolerance)?;
                used.edge = a;
                used.forward = used.forward == along;
            }
        }
        let edge = &mut self.edges[a.index()];
        edge.tolerance = edge.tolerance.max(gone.tolerance).max(gap);
        Ok(())
    }
}

/// How far two edges lie apart at most, and whether they run the same way; `None` where they do not coincide.
pub(crate) fn coincide(a: &Edge, b: &Edge, tolerance: f64) -> Option<(f64, bool)> {
    let along = match ((a.start, a.end), (b.start, b.end)) {
        (p, q) if p == q && p.0 != p.1 => true,
        (p, q) if p == (q.1, q.0) && p.0 != p.1 => false,
        (p, q) if p == q => {
            // A ring: a quarter of the way tells the direction.
            let (c, d) = (a.curve.as_ref()?, b.curve.as_ref()?);
            let quarter = c.point(c.domain().at(0.25));
            let (near, far) = (d.point(d.domain().at(0.25)), d.point(d.domain().at(0.75)));
            (near - quarter).norm() <= (far - quarter).norm()
        }
        _ => return None,
    };
    let (c, d) = (a.curve.as_ref()?, b.curve.as_ref()?);
    let apart = |from: &NurbsCurve, to: &NurbsCurve| {
        (1..COMPARED)
            .map(|k| from.point(from.domain().at(k as f64 / COMPARED as f64)))
            .map(|p| closest_on_curve(to, &p).distance)
            .fold(0.0, f64::max)
    };
    let gap = apart(c, d).max(apart(d, c));
    (gap <= tolerance).then_some((gap, along))
}

/// A parameter curve by the parameter of another curve along the same edge.
pub(crate) fn carried(
    pcurve: &NurbsCurve,
    from: &NurbsCurve,
    to: &NurbsCurve,
    along: bool,
    tolerance: f64,
) -> Result<NurbsCurve, TopologyError> {
    let (pcurve, from) =
        if along { (pcurve.clone(), from.clone()) } else { (pcurve.reversed(), from.reversed()) };
    let over = from.over(to.domain());
    let alike = over.degree() == to.degree() && over.homogeneous().len() == to.homogeneous().len();
    let near = |p: &NurbsCurve, q: &NurbsCurve| {
        p.knots()
            .knots()
            .iter()
            .zip(q.knots().knots())
            .all(|(a, b)| (a - b).abs() <= 1e-12 * q.domain().length())
            && p.control_points().iter().zip(q.control_points()).all(|(a, b)| (a - b).norm() <= tolerance)
            && p.weights().iter().zip(q.weights()).all(|(a, b)| (a - b).abs() <= 1e-12)
    };
    let scale = pcurve.over(to.domain());
    if alike && near(&over, to) {
        return Ok(scale);
    }
    // Other parameters: where each place of the kept curve is on the other one.
    let d = to.domain();
    let mut count = 16;
    loop {
        let parameters: Vec<f64> = (0..=count).map(|k| d.at(k as f64 / count as f64)).collect();
        let foot = |t: f64| {
            let at = closest_on_curve(&from, &to.point(t)).parameter;
            scale.point(d.at((at - from.domain().start) / from.domain().length()))
        };
        let mut points: Vec<Point3> = parameters.iter().map(|&t| foot(t)).collect();
        (points[0], points[count]) = (scale.start(), scale.end());
        let fitted = interpolate(&points, &parameters, 3, &EndDerivatives::free())?;
        let size = (scale.end() - scale.start()).norm().max(1e-12);
        let worst = parameters
            .windows(2)
            .map(|w| 0.5 * (w[0] + w[1]))
            .map(|t| (fitted.point(t) - foot(t)).norm() / size)
            .fold(0.0, f64::max);
        if worst <= 1e-9 || count >= MOST_FITTED {
            return Ok(fitted);
        }
        count *= 2;
    }
}

/// The same shell with faces turned so that neighbours agree which side is outside, as far as that is possible.
pub(crate) fn agreeing(shell: Shell) -> Result<Shell, TopologyError> {
    let wiring = shell.wiring();
    let mut users: Vec<Vec<(usize, bool)>> = vec![Vec::new(); wiring.edges.len()];
    for (face, loops) in wiring.faces.iter().enumerate() {
        for &(edge, forward) in loops.iter().flatten() {
            users[edge as usize].push((face, forward));
        }
    }
    let count = shell.faces().len();
    let mut turned: Vec<Option<bool>> = vec![None; count];
    for start in 0..count {
        if turned[start].is_some() {
            continue;
        }
        turned[start] = Some(false);
        let mut waiting = vec![start];
        while let Some(face) = waiting.pop() {
            let here = turned[face] == Some(true);
            for &(edge, forward) in wiring.faces[face].iter().flatten() {
                for &(other, its) in users[edge as usize].iter().filter(|u| u.0 != face) {
                    if turned[other].is_none() {
                        // Uses in the same direction disagree, so that exactly one of the two is to be turned.
                        turned[other] = Some(here != (forward == its));
                        waiting.push(other);
                    }
                }
            }
        }
    }
    let mut faces = shell.faces().to_vec();
    for (face, turn) in faces.iter_mut().zip(turned) {
        face.reversed ^= turn == Some(true);
    }
    Shell::try_new(shell.vertices().to_vec(), shell.edges().to_vec(), faces)
}
