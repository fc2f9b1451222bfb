//! Checks of loops that were put together, before a shell is made of them.

use std::collections::BTreeMap;

use geometry::{Point3, Tolerance, polygon_area, polygon_holds};
use topology::{Edge, EdgeId, Face, OrientedEdge, Vertex};

/// Places at which is measured how far faces' own copies of an edge lie from it.
const MEASURED: usize = 23;
/// Places of an edge, about, at which loops are looked at for crossing themselves.
const LOOKED_AT: usize = 64;

/// Places of each span of a curve by which a loop is told as a polygon.
const PER_SPAN: usize = 8;
/// Sides of such polygons per strip, on the average.
const PER_STRIP: usize = 4;

/// The loops of a face as polygons of its parameter plane, side by side in strips across v, so that few are looked at for one place.
pub(crate) struct Outlines {
    /// The values of v between which the strips lie.
    range: [f64; 2],
    strips: Vec<Vec<[[f64; 2]; 2]>>,
}

impl Outlines {
    pub(crate) fn of(face: &Face) -> Self {
        let places = |used: &OrientedEdge| {
            let parameters = used.pcurve.knots().sampled(PER_SPAN).into_iter();
            let mut run: Vec<[f64; 2]> =
                parameters.map(|t| used.pcurve.point(t)).map(|p| [p.x, p.y]).collect();
            if !used.forward {
                run.reverse();
            }
            run.pop();
            run
        };
        let loops = face.loops.iter().map(|l| l.edges.iter().flat_map(places).collect::<Vec<_>>());
        let sides: Vec<[[f64; 2]; 2]> = loops
            .flat_map(|line| {
                (0..line.len()).map(|k| [line[k], line[(k + 1) % line.len()]]).collect::<Vec<_>>()
            })
            .collect();
        let ends = || sides.iter().flatten().map(|p| p[1]);
        let range = [ends().fold(f64::MAX, f64::min), ends().fold(f64::MIN, f64::max)];
        let count = sides.len().div_ceil(PER_STRIP).max(1);
        let mut out = Self { range, strips: vec![Vec::new(); count] };
        for side in sides {
            let [a, b] = side.map(|p| out.strip(p[1]));
            for strip in a.min(b)..=a.max(b) {
                out.strips[strip].push(side);
            }
        }
        out
    }

    fn strip(&self, v: f64) -> usize {
        let share = (v - self.range[0]) / (self.range[1] - self.range[0]);
        ((share * self.strips.len() as f64).max(0.0) as usize).min(self.strips.len() - 1)
    }

    /// Whether a place is inside the outer loop and outside the others: a line from there crosses them an odd number of times.
    pub(crate) fn hold(&self, p: &[f64; 2]) -> bool {
        let crosses = |[a, b]: &&[[f64; 2]; 2]| {
            (a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0] + (b[0] - a[0]) * (p[1] - a[1]) / (b[1] - a[1])
        };
        self.strips[self.strip(p[1])].iter().filter(crosses).count() % 2 == 1
    }
}

/// Gives the edges that are wanted the tolerance that their faces and vertices need.
///
/// # Errors
/// A place of an edge that lies farther from its faces than what can be joined.
pub(crate) fn measured(
    edges: &mut [Edge],
    vertices: &[Vertex],
    faces: &[Face],
    wanted: &dyn Fn(EdgeId) -> bool,
    tolerance: &Tolerance,
) -> Result<(), Point3> {
    let mut off: BTreeMap<EdgeId, f64> = BTreeMap::new();
    for face in faces {
        for used in face.loops.iter().flat_map(|l| &l.edges).filter(|u| wanted(u.edge)) {
            let Some(curve) = &edges[used.edge.index()].curve else { continue };
            let d = curve.domain();
            let ground = |p: Point3| face.surface.point(p.x, p.y);
            let places = (0..=MEASURED).map(|k| d.at(k as f64 / MEASURED as f64));
            let apart = places.map(|t| (ground(used.pcurve.point(t)) - curve.point(t)).norm());
            let known = off.entry(used.edge).or_default();
            *known = apart.fold(*known, f64::max);
        }
    }
    for (id, worst) in off {
        let edge = &mut edges[id.index()];
        let Some(curve) = &edge.curve else { continue };
        let ends = [(edge.start, curve.start()), (edge.end, curve.end())];
        let apart = ends.map(|(v, p)| (vertices[v.index()].point - p).norm());
        edge.tolerance =
            edge.tolerance.max(1.001 * worst.max(apart[0]).max(apart[1])).max(2.0 * tolerance.resolution);
        if edge.tolerance > 2.0 * tolerance.join {
            return Err(curve.point(curve.domain().at(0.5)));
        }
    }
    Ok(())
}

/// A place at which a face's loops cross themselves or each other, or lie the wrong way round.
pub(crate) fn crosses_itself(face: &Face) -> Option<Point3> {
    let mut lines: Vec<([[f64; 2]; 2], usize)> = Vec::new();
    let mut outlines: Vec<Vec<[f64; 2]>> = Vec::new();
    let mut which = 0;
    let mut neighbours: Vec<[usize; 2]> = Vec::new();
    for bound in &face.loops {
        let (first, count) = (which, bound.edges.len());
        let mut outline = Vec::new();
        for (k, used) in bound.edges.iter().enumerate() {
            let d = used.pcurve.domain();
            let straight = used.pcurve.degree() == 1 && used.pcurve.knots().point_count() == 2;
            let spans = used.pcurve.knots().breaks().len() - 1;
            let places = if straight { 1 } else { spans * (LOOKED_AT / spans).max(1) };
            let mut points: Vec<[f64; 2]> = (0..=places)
                .map(|i| used.pcurve.point(d.at(i as f64 / places as f64)))
                .map(|p| [p.x, p.y])
                .collect();
            lines.extend(points.windows(2).map(|w| ([w[0], w[1]], which)));
            neighbours.push([first + (k + count - 1) % count, first + (k + 1) % count]);
            which += 1;
            if !used.forward {
                points.reverse();
            }
            points.pop();
            outline.extend(points);
        }
        outlines.push(outline);
    }
    let place = |at: [f64; 2]| face.surface.point(at[0], at[1]);
    let (outer, inner) = outlines.split_first()?;
    if polygon_area(outer) <= 0.0 {
        return outer.first().map(|p| place(*p));
    }
    let outside =
        inner.iter().filter(|l| polygon_area(l) >= 0.0 || !polygon_holds(outer, &l[0])).map(|l| l[0]).next();
    if let Some(at) = outside {
        return Some(place(at));
    }
    let nested = |k: usize| (0..inner.len()).any(|j| j != k && polygon_holds(&inner[j], &inner[k][0]));
    if let Some(k) = (0..inner.len()).find(|&k| nested(k)) {
        return Some(place(inner[k][0]));
    }
    let side =
        |[a, b]: &[[f64; 2]; 2], p: &[f64; 2]| (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]);
    // In the order in which they begin along u, so that each is compared only with those that begin before it ends.
    let from = |line: &[[f64; 2]; 2]| line[0][0].min(line[1][0]);
    lines.sort_by(|a, b| from(&a.0).total_cmp(&from(&b.0)));
    for (i, (one, a)) in lines.iter().enumerate() {
        let to = one[0][0].max(one[1][0]);
        for (two, b) in lines[i + 1..].iter().take_while(|(two, _)| from(two) <= to) {
            if a == b || neighbours[*a].contains(b) {
                continue;
            }
            let apart = one[0][1].max(one[1][1]) < two[0][1].min(two[1][1])
                || two[0][1].max(two[1][1]) < one[0][1].min(one[1][1]);
            let crossed = || {
                side(one, &two[0]) * side(one, &two[1]) < 0.0 && side(two, &one[0]) * side(two, &one[1]) < 0.0
            };
            if !apart && crossed() {
                return Some(place(one[0]));
            }
        }
    }
    None
}
