use std::collections::HashMap;

use nalgebra::{Matrix3, Vector4};
use robust::{Coord3D, orient3d};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};

use super::{Trace, chains};
use crate::{Domain, Fitted, GeometryError, KnotVector, NurbsSurface, Point3, Tolerance, Vector3};

/// Cells along a parameter that a grid has at least, whatever its spans.
const LEAST_CELLS: usize = 24;
const LEAST_CELLS_PER_SPAN: usize = 3;
const MAX_NEWTON_STEPS: usize = 20;

/// Curves in which two surfaces meet, each within the fit tolerance of both; none where they do not meet.
///
/// A first version: where surfaces touch or coincide nothing certain is said, and a loop that is smaller than a cell
/// of both grids can be missed.
///
/// # Errors
/// Only what a curve through the found places could not be made for.
///
/// # Method
/// Grids of triangles over both are crossed with exact predicates (Shewchuk 1997), so that neighbouring triangles
/// agree and the crossings link into chains without searching; every place is then brought onto both surfaces.
pub fn surface_meetings(
    a: &NurbsSurface,
    b: &NurbsSurface,
    tolerance: &Tolerance,
) -> Result<Vec<Fitted>, GeometryError> {
    let pair = Pair { surfaces: [a, b], tolerance };
    let mut out = Vec::new();
    for (places, closed) in pair.runs() {
        out.extend(pair.fit(places, closed, tolerance)?);
    }
    Ok(out)
}

/// Parameters u, v of the first surface, then of the second.
type Place = Vector4<f64>;

struct Pair<'a> {
    surfaces: [&'a NurbsSurface; 2],
    tolerance: &'a Tolerance,
}

/// A grid of triangles over a surface.
struct Grid {
    parameters: Vec<[f64; 2]>,
    points: Vec<Point3>,
    triangles: Vec<[usize; 3]>,
}

/// Parameter lines of a grid, those within a span moved by a share of their distance.
fn cells(knots: &KnotVector, shift: f64) -> Vec<f64> {
    let breaks = knots.breaks();
    let per_span = LEAST_CELLS.div_ceil(breaks.len() - 1).max(LEAST_CELLS_PER_SPAN);
    let mut out = vec![breaks[0]];
    for pair in breaks.windows(2) {
        let step = (pair[1] - pair[0]) / per_span as f64;
        out.extend((1..per_span).map(|k| pair[0] + step * (k as f64 - shift)));
        out.push(pair[1]);
    }
    out
}

impl Grid {
    fn new(surface: &NurbsSurface, shift: f64) -> Self {
        let (us, vs) = (cells(surface.knots_u(), shift), cells(surface.knots_v(), shift));
        let n = vs.len();
        let mut triangles = Vec::with_capacity(2 * us.len() * n);
        for i in 0..us.len() - 1 {
            for j in 0..n - 1 {
                let [p, q, r, s] = [i * n + j, (i + 1) * n + j, (i + 1) * n + j + 1, i * n + j + 1];
                triangles.extend([[p, q, r], [p, r, s]]);
            }
        }
        let parameters = us.iter().flat_map(|&u| vs.iter().map(move |&v| [u, v])).collect();
        Self { parameters, points: surface.grid(&us, &vs), triangles }
    }

    fn bounds(&self, triangle: usize) -> AABB<[f64; 3]> {
        let points = self.triangles[triangle].map(|i| self.points[i].into());
        AABB::from_points(points.iter())
    }
}

/// Which side of the plane through three points a fourth lies on; exact, and never undecided.
fn side(p: [&Point3; 4]) -> bool {
    let [a, b, c, d] = p.map(|p| Coord3D { x: p.x, y: p.y, z: p.z });
    orient3d(a, b, c, d) >= 0.0
}

/// Which way two lines pass each other, the same for both directions of asking.
fn passes(grids: [&Grid; 2], first: [usize; 2], second: [usize; 2]) -> bool {
    let ordered = |e: [usize; 2]| (e[0].min(e[1]), e[0].max(e[1]), e[0] > e[1]);
    let ((a, b, turned_a), (c, d, turned_b)) = (ordered(first), ordered(second));
    let [g, h] = grids;
    side([&g.points[a], &g.points[b], &h.points[c], &h.points[d]]) != (turned_a != turned_b)
}

/// Where an edge of one grid crosses a triangle of the other: the parameter along the edge, and the triangle's weights.
fn crossing(edges: &Grid, [p, q]: [usize; 2], other: &Grid, triangle: usize) -> Option<(f64, [f64; 3])> {
    let corners = other.triangles[triangle];
    let [a, b, c] = corners.map(|i| &other.points[i]);
    let (from, to) = (&edges.points[p], &edges.points[q]);
    if side([a, b, c, from]) == side([a, b, c, to]) {
        return None;
    }
    let turns = [[1, 2], [2, 0], [0, 1]]
        .map(|[i, j]: [usize; 2]| passes([edges, other], [p, q], [corners[i], corners[j]]));
    if turns[0] != turns[1] || turns[1] != turns[2] {
        return None;
    }
    let normal = (b - a).cross(&(c - a));
    let (h0, h1) = ((from - a).dot(&normal), (to - a).dot(&normal));
    let t = if h0 == h1 { 0.5 } else { (h0 / (h0 - h1)).clamp(0.0, 1.0) };
    let at = from + (to - from) * t;
    let whole = normal.norm_squared().max(f64::MIN_POSITIVE);
    let weight = |s: &Point3, e: &Point3| ((s - at).cross(&(e - at)).dot(&normal) / whole).clamp(0.0, 1.0);
    Some((t, [weight(b, c), weight(c, a), weight(a, b)]))
}

impl Pair<'_> {
    /// Chains of places on both surfaces, and whether each closes.
    fn runs(&self) -> Vec<(Vec<Place>, bool)> {
        // Grids that lie alike, as those of two halves of one shape, would cross in their corners all along.
        let grids = [Grid::new(self.surfaces[0], 0.0), Grid::new(self.surfaces[1], 0.382)];
        let boxes = (0..grids[1].triangles.len())
            .map(|t| {
                let bounds = grids[1].bounds(t);
                GeomWithData::new(Rectangle::from_corners(bounds.lower(), bounds.upper()), t)
            })
            .collect();
        let tree: RTree<GeomWithData<Rectangle<[f64; 3]>, usize>> = RTree::bulk_load(boxes);
        let mut numbers: HashMap<(usize, [usize; 2], usize), usize> = HashMap::new();
        let mut places: Vec<Place> = Vec::new();
        let mut links: Vec<Vec<usize>> = Vec::new();
        for first in 0..grids[0].triangles.len() {
            let mut near: Vec<usize> =
                tree.locate_in_envelope_intersecting(&grids[0].bounds(first)).map(|g| g.data).collect();
            // The tree's own order is not promised.
            near.sort_unstable();
            for second in near {
                let mut met = Vec::with_capacity(2);
                for (own, [mine, theirs]) in [[first, second], [second, first]].into_iter().enumerate() {
                    let (grid, other) = (&grids[own], &grids[1 - own]);
                    let [i, j, k] = grid.triangles[mine];
                    for [p, q] in [[i, j], [j, k], [k, i]] {
                        let edge = [p.min(q), p.max(q)];
                        let Some((t, weights)) = crossing(grid, edge, other, theirs) else { continue };
                        let place = || {
                            let ends = edge.map(|e| grid.parameters[e]);
                            let corners = other.triangles[theirs].map(|c| other.parameters[c]);
                            let on_edge = [0, 1].map(|x| ends[0][x] + (ends[1][x] - ends[0][x]) * t);
                            let inside =
                                [0, 1].map(|x| (0..3).map(|c| corners[c][x] * weights[c]).sum::<f64>());
                            let [a, b] = if own == 0 { [on_edge, inside] } else { [inside, on_edge] };
                            Place::new(a[0], a[1], b[0], b[1])
                        };
                        let number = *numbers.entry((own, edge, theirs)).or_insert_with(|| {
                            places.push(place());
                            links.push(Vec::new());
                            places.len() - 1
                        });
                        met.push(number);
                    }
                }
                if let [a, b] = met[..]
                    && a != b
                {
                    links[a].push(b);
                    links[b].push(a);
                }
            }
        }
        let exact: Vec<Option<Place>> = places.iter().map(|p| self.onto_both(*p)).collect();
        let mut out = Vec::new();
        for (run, closed) in chains(&links) {
            let mut run: Vec<Place> = run.into_iter().filter_map(|i| exact[i]).collect();
            let apart = |a: &Place, b: &Place| (self.point(*a) - self.point(*b)).norm();
            run.dedup_by(|b, a| apart(a, b) <= self.tolerance.resolution);
            match run.first() {
                Some(&first) if closed => run.push(first),
                _ => {
                    self.lead_out(&mut run);
                    run.reverse();
                    self.lead_out(&mut run);
                }
            }
            if run.len() > 1 {
                out.push((run, closed));
            }
        }
        out
    }

    /// Leads the end of an open run out to the border that it stops short of: where borders of both surfaces cross, the
    /// triangles there need not.
    fn lead_out(&self, run: &mut Vec<Place>) {
        let [.., before, last] = run[..] else { return };
        if self.on_border(&last).contains(&true) {
            return;
        }
        // A cell is as wide as the longest step, or little wider.
        let steps = run.windows(2).map(|w| (self.point(w[1]) - self.point(w[0])).norm());
        let reach = 3.0 * steps.fold(0.0, f64::max);
        let domains = self.domains();
        // Across a seam the other end of the domain is as near in space.
        let beside = |p: &Place| (0..4).all(|k| (p[k] - last[k]).abs() < 0.5 * domains[k].length());
        let places = (0..4).filter_map(|k| {
            let d = domains[k];
            let mut place = last;
            place[k] = if last[k] - d.start < d.end - last[k] { d.start } else { d.end };
            self.onto_both(place).filter(beside)
        });
        let far = |place: &Place| (self.point(*place) - self.point(last)).norm();
        let ahead = (self.point(last) - self.point(before)).normalize();
        let forward =
            places.filter(|p| far(p) <= reach && (self.point(*p) - self.point(last)).dot(&ahead) > 0.0);
        run.extend(forward.min_by(|a, b| far(a).total_cmp(&far(b))));
    }

    fn domains(&self) -> [Domain; 4] {
        let ((au, av), (bu, bv)) = (self.surfaces[0].domain(), self.surfaces[1].domain());
        [au, av, bu, bv]
    }

    /// For each parameter whether it is at the end of its domain.
    fn on_border(&self, at: &Place) -> [bool; 4] {
        let domains = self.domains();
        [0, 1, 2, 3].map(|k| {
            let d = domains[k];
            [d.start, d.end].iter().any(|e| (at[k] - e).abs() <= 1e-12 * d.length())
        })
    }

    fn points(&self, at: &Place) -> [(Point3, Vector3, Vector3); 2] {
        [self.surfaces[0].tangents(at[0], at[1]), self.surfaces[1].tangents(at[2], at[3])]
    }

    /// The nearest place on both surfaces; what lies on a border of either stays on it. `None` if there is none near.
    fn onto_both(&self, mut at: Place) -> Option<Place> {
        let (domains, held) = (self.domains(), self.on_border(&at));
        for _ in 0..MAX_NEWTON_STEPS {
            let [(p, pu, pv), (q, qu, qv)] = self.points(&at);
            let miss = p - q;
            if miss.norm() <= 1e-7 * self.tolerance.resolution {
                break;
            }
            // Steps are measured in lengths, not in parameters, so that the shortest one in space is taken.
            let columns = [pu, pv, -qu, -qv];
            let sizes = columns.map(|c| c.norm().max(1e-12));
            let mut square = Matrix3::zeros();
            for k in (0..4).filter(|&k| !held[k]) {
                let c = columns[k] / sizes[k];
                square += c * c.transpose();
            }
            let Some(inverse) = square.try_inverse() else { break };
            let pull = inverse * miss;
            for k in (0..4).filter(|&k| !held[k]) {
                at[k] = domains[k].clamp(at[k] - columns[k].dot(&pull) / (sizes[k] * sizes[k]));
            }
        }
        let [(p, ..), (q, ..)] = self.points(&at);
        ((p - q).norm() <= self.tolerance.fit).then_some(at)
    }
}

impl Trace for Pair<'_> {
    type Place = Place;

    fn point(&self, place: Place) -> Point3 {
        let [(p, ..), (q, ..)] = self.points(&place);
        nalgebra::center(&p, &q)
    }

    fn between(&self, a: Place, b: Place) -> Place {
        let middle = (a + b) * 0.5;
        self.onto_both(middle).unwrap_or(middle)
    }

    fn tangent(&self, place: Place, toward: Vector3) -> Option<Vector3> {
        let [(_, pu, pv), (_, qu, qv)] = self.points(&place);
        let t = pu.cross(&pv).cross(&qu.cross(&qv)).try_normalize(1e-12)?;
        Some(if t.dot(&toward) < 0.0 { -t } else { t })
    }
}
