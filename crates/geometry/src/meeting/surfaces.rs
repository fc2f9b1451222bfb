use std::collections::HashMap;

use nalgebra::{Matrix3, Vector4};
use robust::{Coord3D, orient3d};

use super::touching::{Touch, TouchKind, touches};
use super::{MeetingCurve, Trace, chains};
use crate::{
    Domain, Facets, GeometryError, NurbsSurface, Point3, Tolerance, Vector3, check_work, closest_on_surface,
    grown,
};

const MAX_NEWTON_STEPS: usize = 20;
/// Angle between two surfaces in radians below which they are said to touch along a curve and not to cross.
const SHALLOW: f64 = 1e-3;
/// Share of a facet's width round a place where branches cross in which the run is not followed.
const AVOIDED: f64 = 1.0;

/// Parameters u, v of the first surface, then of the second.
pub type MeetingPlace = Vector4<f64>;

/// Where two surfaces meet.
#[derive(Debug, Clone, Default)]
pub struct SurfaceMeetings {
    /// Places along each curve in order, and whether it closes; the last place of a closed one is the first again. Curves
    /// end at borders of the surfaces and where several of them come together.
    pub runs: Vec<(Vec<MeetingPlace>, bool)>,
    /// Places where the surfaces touch.
    pub touches: Vec<Touch>,
}

/// Where two surfaces meet, as places on both to the last digits; [`fit_meeting`] puts curves through them.
///
/// Surfaces that are one over an area must be told apart before; nothing useful is found for them.
///
/// # Method
/// Triangles over both are crossed with exact predicates (Shewchuk 1997), so that neighbouring triangles agree and the
/// crossings link into chains without searching; every place is then brought onto both surfaces. Where triangles are so
/// near that a loop could hide between them, places with a common normal are looked for (a loop has one inside:
/// Sederberg, Christiansen & Katz, CAD 21, 1989, from memory) and the triangles divided there. Where branches cross, which
/// is a place with a common normal too, chains are cut and end there.
#[must_use]
pub fn surface_meetings(a: &Facets, b: &Facets, tolerance: &Tolerance) -> SurfaceMeetings {
    check_work();
    let pair = Pair { facets: [a, b], tolerance };
    let met = pair.crossings();
    if met.near.is_empty() {
        return SurfaceMeetings { runs: pair.runs(&met, &[]), touches: Vec::new() };
    }
    let touches = touches([a, b], &met.near, tolerance);
    let hidden: Vec<&Touch> = touches.iter().filter(|t| t.gap.abs() > touch_gap(tolerance)).collect();
    if hidden.is_empty() {
        return pair.with_touches(&met, touches);
    }
    let lines = |k: usize| hidden.iter().map(|t| [t.place[2 * k], t.place[2 * k + 1]]).collect::<Vec<_>>();
    let (a, b) = (a.with_lines(&lines(0)), b.with_lines(&lines(1)));
    let pair = Pair { facets: [&a, &b], tolerance };
    let met = pair.crossings();
    pair.with_touches(&met, touches)
}

/// How far surfaces that touch may lie apart at most, in millimetres.
fn touch_gap(tolerance: &Tolerance) -> f64 {
    10.0 * tolerance.resolution
}

/// The curve through a run of places on both surfaces, within the fit tolerance of both; `None` for one that shrinks to a
/// place.
///
/// # Errors
/// What a curve through the places could not be made for.
pub fn fit_meeting(
    surfaces: [&NurbsSurface; 2],
    run: &[MeetingPlace],
    closed: bool,
    tolerance: &Tolerance,
) -> Result<Option<MeetingCurve>, GeometryError> {
    check_work();
    OnBoth { surfaces, domains: [surfaces[0].domain().into(), surfaces[1].domain().into()], tolerance }.fit(
        run.to_vec(),
        closed,
        tolerance,
    )
}

/// The place on both surfaces nearest to one that is beside them; `None` if there is none near.
#[must_use]
pub fn meeting_beside(
    surfaces: [&NurbsSurface; 2],
    place: MeetingPlace,
    tolerance: &Tolerance,
) -> Option<MeetingPlace> {
    check_work();
    OnBoth { surfaces, domains: [surfaces[0].domain().into(), surfaces[1].domain().into()], tolerance }
        .onto_both(place)
}

/// A place at which runs end: where branches cross, or a pole, whose other parameter is the run's own.
struct Fork {
    place: MeetingPlace,
    /// Parameters that the place does not fix.
    moving: [bool; 4],
    point: Point3,
}

struct Pair<'a> {
    facets: [&'a Facets; 2],
    tolerance: &'a Tolerance,
}

/// Two surfaces with the parts of their domains that are looked at.
struct OnBoth<'a> {
    surfaces: [&'a NurbsSurface; 2],
    domains: [[Domain; 2]; 2],
    tolerance: &'a Tolerance,
}

/// What triangles of both surfaces have in common.
struct Crossings {
    places: Vec<MeetingPlace>,
    links: Vec<Vec<usize>>,
    /// Pairs of triangles near each other whose normals may agree somewhere.
    near: Vec<[usize; 2]>,
}

/// Which side of the plane through three points a fourth lies on; exact, and never undecided.
fn side(p: [&Point3; 4]) -> bool {
    let [a, b, c, d] = p.map(|p| Coord3D { x: p.x, y: p.y, z: p.z });
    orient3d(a, b, c, d) >= 0.0
}

/// Which way two lines pass each other, the same for both directions of asking.
fn passes(grids: [&Facets; 2], first: [usize; 2], second: [usize; 2]) -> bool {
    let ordered = |e: [usize; 2]| (e[0].min(e[1]), e[0].max(e[1]), e[0] > e[1]);
    let ((a, b, turned_a), (c, d, turned_b)) = (ordered(first), ordered(second));
    let [g, h] = grids;
    side([&g.points[a], &g.points[b], &h.points[c], &h.points[d]]) != (turned_a != turned_b)
}

/// Where an edge of one grid crosses a triangle of the other: the parameter along the edge, and the triangle's weights.
fn crossing(edges: &Facets, [p, q]: [usize; 2], other: &Facets, triangle: usize) -> Option<(f64, [f64; 3])> {
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
    fn on_both(&self) -> OnBoth<'_> {
        OnBoth {
            surfaces: self.facets.map(|f| f.surface().as_ref()),
            domains: self.facets.map(Facets::domain),
            tolerance: self.tolerance,
        }
    }

    fn crossings(&self) -> Crossings {
        let facets = self.facets;
        let reach = facets[0].deviation + facets[1].deviation + self.tolerance.resolution;
        let mut numbers: HashMap<(usize, [usize; 2], usize), usize> = HashMap::new();
        let (mut places, mut links): (Vec<MeetingPlace>, Vec<Vec<usize>>) = (Vec::new(), Vec::new());
        let mut near = Vec::new();
        // Only what is inside the other's box can meet it.
        for first in facets[0].near(&grown(&facets[1].bounds(), reach)) {
            let bounds = grown(&facets[0].triangle_bounds(first), reach);
            for second in facets[1].near(&bounds) {
                if may_agree(facets, [first, second]) {
                    near.push([first, second]);
                }
                let mut met = Vec::with_capacity(2);
                for (own, [mine, theirs]) in [[first, second], [second, first]].into_iter().enumerate() {
                    let (grid, other) = (facets[own], facets[1 - own]);
                    let [i, j, k] = grid.triangles[mine];
                    for [p, q] in [[i, j], [j, k], [k, i]] {
                        let edge = [p.min(q), p.max(q)];
                        let Some((t, weights)) = crossing(grid, edge, other, theirs) else { continue };
                        let place = || {
                            let ends = edge.map(|e| grid.parameters[e]);
                            let on_edge = [0, 1].map(|x| ends[0][x] + (ends[1][x] - ends[0][x]) * t);
                            let inside = other.weighted(theirs, weights);
                            let [a, b] = if own == 0 { [on_edge, inside] } else { [inside, on_edge] };
                            MeetingPlace::new(a[0], a[1], b[0], b[1])
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
        Crossings { places, links, near }
    }

    fn with_touches(&self, met: &Crossings, touches: Vec<Touch>) -> SurfaceMeetings {
        let near = |t: &&Touch| t.gap.abs() <= touch_gap(self.tolerance);
        let forks: Vec<&Touch> =
            touches.iter().filter(near).filter(|t| t.kind == TouchKind::Crossing).collect();
        let runs = self.runs(met, &forks);
        let touches =
            touches.iter().filter(near).filter(|t| t.kind != TouchKind::Crossing).copied().collect();
        SurfaceMeetings { runs, touches }
    }

    /// Poles of either surface that lie on the other one: no run goes on through them, since the parameters jump there.
    fn poles(&self) -> Vec<Fork> {
        let poles = self.facets.map(|f| f.poles(self.tolerance.resolution));
        let mut out = Vec::new();
        for own in 0..2 {
            let other = 1 - own;
            for &(still, value, point) in &poles[own] {
                let mut fork = Fork { place: MeetingPlace::zeros(), moving: [false; 4], point };
                fork.place[2 * own + still] = value;
                fork.moving[2 * own + 1 - still] = true;
                let gap = touch_gap(self.tolerance);
                if let Some((still, value, _)) = poles[other].iter().find(|p| (p.2 - point).norm() <= gap) {
                    fork.place[2 * other + still] = *value;
                    fork.moving[2 * other + 1 - still] = true;
                } else {
                    let foot = closest_on_surface(self.facets[other].surface(), &point);
                    if foot.distance > gap {
                        continue;
                    }
                    (fork.place[2 * other], fork.place[2 * other + 1]) = foot.parameters.into();
                }
                out.push(fork);
            }
        }
        out
    }

    /// Chains of places on both surfaces, and whether each closes.
    fn runs(&self, met: &Crossings, touches: &[&Touch]) -> Vec<(Vec<MeetingPlace>, bool)> {
        let on_both = self.on_both();
        let at_touch = |t: &&Touch| Fork { place: t.place, moving: [false; 4], point: t.point };
        let mut forks: Vec<Fork> = touches.iter().map(at_touch).collect();
        if !met.places.is_empty() {
            forks.extend(self.poles());
        }
        let exact: Vec<Option<MeetingPlace>> = met.places.iter().map(|p| on_both.onto_both(*p)).collect();
        let mut out = Vec::new();
        for (run, closed) in chains(&met.links) {
            let mut run: Vec<MeetingPlace> = run.into_iter().filter_map(|i| exact[i]).collect();
            let apart = |a: &MeetingPlace, b: &MeetingPlace| (on_both.point(*a) - on_both.point(*b)).norm();
            run.dedup_by(|b, a| apart(a, b) <= self.tolerance.resolution);
            if run.iter().all(|p| on_both.is_shallow(*p)) {
                continue;
            }
            if closed && let Some(&first) = run.first() {
                run.push(first);
            }
            // Along a seam places are on either side of it.
            let parts = on_both.cut_at_jumps(run);
            let closed = closed && parts.len() == 1;
            let cut = parts.into_iter().flat_map(|run| on_both.cut_at(&forks, run, closed));
            for (mut run, closed, [from, to]) in cut {
                if !closed {
                    if !to {
                        on_both.lead_out(&mut run);
                    }
                    run.reverse();
                    if !from {
                        on_both.lead_out(&mut run);
                    }
                }
                if run.len() > 1 {
                    out.push((run, closed));
                }
            }
        }
        out
    }
}

/// Whether the normals of two triangles may be parallel somewhere.
fn may_agree(facets: [&Facets; 2], [first, second]: [usize; 2]) -> bool {
    /// Some to spare for what the corners do not tell.
    const SPARE: f64 = 0.02;
    let (Some((a, alpha)), Some((b, beta))) = (facets[0].normal_cone(first), facets[1].normal_cone(second))
    else {
        return false;
    };
    a.dot(&b).abs().min(1.0).acos() <= 1.5 * (alpha + beta) + SPARE
}

impl OnBoth<'_> {
    /// Cuts a run where it passes the places at which branches cross, and leads its parts to them; with each part whether it
    /// closes, and which of its ends are at such a place.
    #[allow(clippy::type_complexity, reason = "a list of three, used once")]
    fn cut_at(
        &self,
        forks: &[Fork],
        mut run: Vec<MeetingPlace>,
        closed: bool,
    ) -> Vec<(Vec<MeetingPlace>, bool, [bool; 2])> {
        let steps = run.windows(2).map(|w| (self.point(w[1]) - self.point(w[0])).norm());
        let reach = AVOIDED * steps.fold(0.0, f64::max);
        let fork_near = |p: &MeetingPlace| {
            let at = self.point(*p);
            forks.iter().find(|f| (f.point - at).norm() <= reach)
        };
        let mut forked: Vec<Option<&Fork>> = run.iter().map(fork_near).collect();
        if forked.iter().all(Option::is_none) {
            return vec![(run, closed, [false; 2])];
        }
        if closed && let Some(first) = forked.iter().position(Option::is_some) {
            // The run is to begin where it is cut.
            run.pop();
            forked.pop();
            let first = first.min(run.len() - 1);
            run.rotate_left(first);
            forked.rotate_left(first);
            run.push(run[0]);
            forked.push(forked[0]);
        }
        let mut out = Vec::new();
        let mut i = 0;
        while i < run.len() {
            if forked[i].is_some() {
                i += 1;
                continue;
            }
            let end = (i..run.len()).find(|&k| forked[k].is_some()).unwrap_or(run.len());
            let mut part = run[i..end].to_vec();
            let before = (i > 0).then(|| forked[i - 1]).flatten();
            let after = forked.get(end).copied().flatten();
            if let Some(fork) = before {
                part.insert(0, self.led_to(fork, &part[0], part.get(1)));
            }
            if let Some(fork) = after {
                let last = part.len() - 1;
                let before = last.checked_sub(1).and_then(|i| part.get(i));
                part.push(self.led_to(fork, &part[last], before));
            }
            out.push((part, false, [before.is_some(), after.is_some()]));
            i = end;
        }
        out
    }

    fn cut_at_jumps(&self, run: Vec<MeetingPlace>) -> Vec<Vec<MeetingPlace>> {
        let domains = self.flat_domains();
        let jumps = |a: &MeetingPlace, b: &MeetingPlace| {
            (0..4).any(|k| (a[k] - b[k]).abs() > 0.5 * domains[k].length())
                && (self.point(*a) - self.point(*b)).norm() <= self.largest_jump(a, b)
        };
        run.chunk_by(|a, b| !jumps(a, b)).map(<[MeetingPlace]>::to_vec).collect()
    }

    /// Places farther apart than this are far apart in space too, so that their parameters may be.
    fn largest_jump(&self, a: &MeetingPlace, b: &MeetingPlace) -> f64 {
        let middle = (a + b) * 0.5;
        0.5 * (self.point(*a) - self.point(middle)).norm()
    }

    /// The place of a fork as seen from the last place of a run and the one before: on that side of a closed surface's seam,
    /// and, at a pole, in the direction in which the run comes.
    fn led_to(&self, fork: &Fork, last: &MeetingPlace, before: Option<&MeetingPlace>) -> MeetingPlace {
        let domains = self.flat_domains();
        let mut place = fork.place;
        for k in (0..4).filter(|&k| !fork.moving[k]) {
            let d = domains[k];
            if (place[k] - last[k]).abs() > 0.5 * d.length() {
                place[k] = if place[k] - d.start < d.end - place[k] { d.end } else { d.start };
            }
        }
        for k in (0..4).filter(|&k| fork.moving[k]) {
            // The other parameter of the same surface comes to its end here.
            let still = k ^ 1;
            let step = before.map_or(0.0, |b| last[still] - b[still]);
            let share = if step == 0.0 { 0.0 } else { (place[still] - last[still]) / step };
            let slope = before.map_or(0.0, |b| last[k] - b[k]);
            let ahead = if (0.0..=3.0).contains(&share) { slope * share } else { 0.0 };
            place[k] = domains[k].clamp(last[k] + ahead);
        }
        place
    }

    /// Whether the surfaces are next to parallel at a place.
    fn is_shallow(&self, place: MeetingPlace) -> bool {
        let [(_, pu, pv), (_, qu, qv)] = self.points(&place);
        let unit = |a: Vector3, b: Vector3| a.cross(&b).try_normalize(f64::MIN_POSITIVE);
        match (unit(pu, pv), unit(qu, qv)) {
            (Some(m), Some(n)) => m.cross(&n).norm() <= SHALLOW,
            _ => false,
        }
    }

    /// Leads the end of an open run out to the border that it stops short of: where borders of both surfaces cross, the
    /// triangles there need not.
    fn lead_out(&self, run: &mut Vec<MeetingPlace>) {
        let [.., before, last] = run[..] else { return };
        if self.on_border(&last).contains(&true) {
            return;
        }
        // A cell is as wide as the longest step, or little wider.
        let steps = run.windows(2).map(|w| (self.point(w[1]) - self.point(w[0])).norm());
        let reach = 3.0 * steps.fold(0.0, f64::max);
        let domains = self.flat_domains();
        // Across a seam the other end of the domain is as near in space.
        let beside = |p: &MeetingPlace| (0..4).all(|k| (p[k] - last[k]).abs() < 0.5 * domains[k].length());
        let places = (0..4).filter_map(|k| {
            let d = domains[k];
            let mut place = last;
            place[k] = if last[k] - d.start < d.end - last[k] { d.start } else { d.end };
            self.onto_both(place).filter(beside)
        });
        let far = |place: &MeetingPlace| (self.point(*place) - self.point(last)).norm();
        let ahead = (self.point(last) - self.point(before)).normalize();
        let forward =
            places.filter(|p| far(p) <= reach && (self.point(*p) - self.point(last)).dot(&ahead) > 0.0);
        run.extend(forward.min_by(|a, b| far(a).total_cmp(&far(b))));
    }

    fn flat_domains(&self) -> [Domain; 4] {
        let [[au, av], [bu, bv]] = self.domains;
        [au, av, bu, bv]
    }

    /// For each parameter whether it is at the end of its domain.
    fn on_border(&self, at: &MeetingPlace) -> [bool; 4] {
        let domains = self.flat_domains();
        [0, 1, 2, 3].map(|k| {
            let d = domains[k];
            [d.start, d.end].iter().any(|e| (at[k] - e).abs() <= 1e-12 * d.length())
        })
    }

    fn points(&self, at: &MeetingPlace) -> [(Point3, Vector3, Vector3); 2] {
        [self.surfaces[0].tangents(at[0], at[1]), self.surfaces[1].tangents(at[2], at[3])]
    }

    /// The nearest place on both surfaces; what lies on a border of either stays on it where it can. `None` if there is none
    /// near.
    fn onto_both(&self, at: MeetingPlace) -> Option<MeetingPlace> {
        let held = self.on_border(&at);
        self.settled(at, held)
            .or_else(|| held.contains(&true).then(|| self.settled(at, [false; 4])).flatten())
    }

    fn settled(&self, mut at: MeetingPlace, held: [bool; 4]) -> Option<MeetingPlace> {
        let domains = self.flat_domains();
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

impl Trace for OnBoth<'_> {
    type Place = MeetingPlace;

    fn point(&self, place: MeetingPlace) -> Point3 {
        let [a, b] = self.surfaces;
        nalgebra::center(&a.point(place[0], place[1]), &b.point(place[2], place[3]))
    }

    fn flat(&self, place: MeetingPlace) -> Vec<Point3> {
        vec![Point3::new(place[0], place[1], 0.0), Point3::new(place[2], place[3], 0.0)]
    }

    fn surfaces(&self) -> Vec<&NurbsSurface> {
        self.surfaces.to_vec()
    }

    fn rates(&self, surface: usize, place: MeetingPlace, motion: &Vector3) -> Option<Vector3> {
        let (u, v) = (place[2 * surface], place[2 * surface + 1]);
        let (a, b) = self.surfaces[surface].derivatives(u, v).rates(motion)?;
        Some(Vector3::new(a, b, 0.0))
    }

    fn between(&self, a: MeetingPlace, b: MeetingPlace) -> MeetingPlace {
        let middle = (a + b) * 0.5;
        self.onto_both(middle).unwrap_or(middle)
    }

    fn tangent(&self, place: MeetingPlace, toward: Vector3) -> Option<Vector3> {
        if self.is_shallow(place) {
            return None;
        }
        let [(_, pu, pv), (_, qu, qv)] = self.points(&place);
        let t = pu.cross(&pv).cross(&qu.cross(&qv)).try_normalize(1e-12)?;
        Some(if t.dot(&toward) < 0.0 { -t } else { t })
    }
}
