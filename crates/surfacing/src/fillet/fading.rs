//! Edges that go on in one between two faces which meet more and more smoothly, until a third face takes over from both: an edge of a
//! solid whose foot is rounded already. Its strip ends where it leaves the edges beside it, and a patch that is tangent all around
//! takes the place of what fades out.

use geometry::{KnotVector, NurbsCurve, Point3, Vector3, closest_on_curve};
use topology::{EdgeId, SeamSide, Shell, VertexId, meeting};

use super::LEVEL;
use super::corners::{Corners, Plan, side_after};
use super::setback::{Around, Setback, Spring, TANGENT};
use super::track::Profile;
use crate::SurfacingError;
use crate::halves::{Fan, Halves, Spoke};
use crate::patch::Agrees;

/// How far from where it has faded out the patch ends at least, as multiples of the join tolerance: shorter edges are none.
const LEAST: f64 = 3.0;
/// Edges one after the other in which something fades out at most.
const MOST_EDGES: usize = 4;
/// Share of an edge over which is seen where it leads.
const STEP: f64 = 0.02;

/// What goes on from an edge and fades out.
pub(super) struct Fading {
    /// Its edges, up to where it has faded out.
    edges: Vec<EdgeId>,
    /// The smooth edges that leave it to either side, with the half-edges beside them of the faces between which it fades out.
    beside: [(Spoke, usize); 2],
    /// What stands about its end, begun at the last edge.
    there: Fan,
}

/// For what stands about a vertex, begun at an edge that is rounded, what goes on from there if it fades out.
pub(super) fn fading(halves: &Halves<'_>, fan: &Fan) -> Option<Fading> {
    let is_smooth = |spoke: &Spoke| halves.smooth_at(*spoke, LEVEL);
    let (mut fan, mut edges) = (fan.clone(), Vec::new());
    let mut beside: [Option<(Spoke, usize)>; 2] = [None; 2];
    for _ in 0..MOST_EDGES {
        if !fan.closed {
            return None;
        }
        if !edges.is_empty() && fan.spokes.len() == 3 && fan.spokes.iter().all(is_smooth) {
            let [Some(left), Some(right)] = beside else { return None };
            let face = |half: usize| halves.all[half].face;
            let same =
                [(left.1, 0), (right.1, 2)].iter().all(|(half, k)| face(*half) == fan.corners[*k].face);
            return same.then_some(Fading { edges, beside: [left, right], there: fan });
        }
        let sharp: Vec<usize> = (1..fan.spokes.len()).filter(|&k| !is_smooth(&fan.spokes[k])).collect();
        let [on] = sharp[..] else { return None };
        for (k, &spoke) in fan.spokes.iter().enumerate().skip(1).filter(|(k, _)| *k != on) {
            let (side, half) =
                if k < on { (0, fan.corners[k].leaving) } else { (1, fan.corners[k - 1].coming) };
            if beside[side].replace((spoke, half)).is_some() {
                return None;
            }
        }
        let next = fan.spokes[on];
        edges.push(next.edge);
        let far = Spoke { at_end: !next.at_end, ..next };
        let there = halves.fan(halves.vertex(far))?;
        fan = there.from(there.spokes.iter().position(|s| *s == far)?);
    }
    None
}

/// Whether an edge, run along its direction or against it, goes on in some that fade out.
pub(super) fn fades_after(
    halves: &Halves<'_>,
    (edge, at_end): (EdgeId, bool),
    after: &[(EdgeId, bool)],
) -> bool {
    let end = Spoke { edge, at_end };
    let fan = halves.fan(halves.vertex(end));
    let fan = fan.and_then(|fan| Some(fan.from(fan.spokes.iter().position(|s| *s == end)?)));
    fan.and_then(|fan| fading(halves, &fan)).is_some_and(|f| after.iter().map(|a| a.0).eq(f.edges))
}

/// Where edges fade out that begin at a vertex.
pub(super) fn fades_at(halves: &Halves<'_>, vertex: VertexId) -> Vec<VertexId> {
    let Some(fan) = halves.fan(vertex) else { return Vec::new() };
    let ends = |i: usize| Some(halves.vertex(fading(halves, &fan.from(i))?.there.spokes[0]));
    (0..fan.spokes.len()).filter_map(ends).collect()
}

/// Whether an edge fades out at one of its ends, where just two smooth ones go on from it.
pub(super) fn is_tip(halves: &Halves<'_>, spoke: Spoke) -> bool {
    let fan = halves.fan(halves.vertex(spoke)).filter(|f| f.closed && f.spokes.len() == 3);
    fan.is_some_and(|f| f.spokes.iter().all(|s| halves.smooth_at(*s, LEVEL)))
}

/// A place at which a strip that narrows down to a point is not tangent to what it runs along, as it is where its ball all but fills
/// what it rolls in.
pub(super) fn not_tangent(shell: &Shell, strip: usize) -> Option<Point3> {
    let halves = Halves::new(shell);
    let mut own = (0..halves.all.len()).filter(|h| halves.all[*h].face == strip);
    own.find_map(|h| {
        let used = halves.used(h);
        // Along it, not across one of its ends.
        let along = used.pcurve.start().y == used.pcurve.end().y;
        let curve = shell.edge(used.edge).curve.as_ref().filter(|_| along)?;
        let side = |h: usize| {
            let face = &shell.faces()[halves.all[h].face];
            SeamSide { surface: &face.surface, pcurve: &halves.used(h).pcurve, reversed: face.reversed }
        };
        let (angle, at) = meeting(curve, [side(h), side(halves.all[h].twin?)])?.angle;
        (angle > TANGENT).then_some(at)
    })
}

/// A place on an edge that leaves a vertex.
struct Foot {
    spoke: Spoke,
    s: f64,
    point: Point3,
}

impl Corners<'_> {
    /// Ends a strip in the point where its edge has faded out.
    ///
    /// # Errors
    /// `FilletCorner` for what is not round.
    pub(super) fn tip(&mut self, vertex: VertexId, fan: &Fan) -> Result<(), SurfacingError> {
        let (rail, spoke) = (self.rail(fan, 0)?, fan.spokes[0]);
        if !matches!(self.rails[rail].track.profile, Profile::Round(_)) {
            return Err(SurfacingError::FilletCorner { at: self.halves.shell.vertex(vertex).point.into() });
        }
        let end = (self.end_of(rail, spoke.at_end), vertex);
        self.set_end((rail, spoke.at_end), side_after(spoke), [end; 2], &[]);
        self.plans.push(Plan::Tip { rail, at_end: spoke.at_end });
        Ok(())
    }

    /// Ends a strip before what fades out, and puts a patch in its place.
    ///
    /// # Errors
    /// `FilletTooLarge` where the strip's end leaves the edges beside it, `FilletCorner` for what is not round.
    pub(super) fn fade(
        &mut self,
        vertex: VertexId,
        fan: &Fan,
        fading: &Fading,
    ) -> Result<(), SurfacingError> {
        let Fading { edges, beside: [left, right], there } = fading;
        let at = self.halves.shell.vertex(vertex).point;
        let mixed = || SurfacingError::FilletCorner { at: at.into() };
        let (rail, at_end) = (self.rail(fan, 0)?, fan.spokes[0].at_end);
        let track = &self.rails[rail].track;
        if !matches!(track.profile, Profile::Round(_)) {
            return Err(mixed());
        }
        let (t, side) = (self.end_of(rail, at_end), side_after(fan.spokes[0]));
        let (radius, is_outer) = ((track.size)(t), track.side < 0.0);
        let ends = [(side, left.0), (1 - side, right.0)];
        let mut cuts = Vec::with_capacity(2);
        for (side, spoke) in ends {
            let (t, s, point) = self.meets(rail, side, t, spoke)?;
            cuts.push((t, Foot { spoke, s, point }));
        }
        let [(t0, one), (t1, two)] = <[_; 2]>::try_from(cuts).map_err(|_| mixed())?;
        let feet = [(&one, there.spokes[1]), (&two, there.spokes[2])];
        let least = (self.before * radius).max(LEAST * self.tolerance.join);
        let feet = feet.map(|(from, spoke)| self.foot(&from.point, spoke, least));
        let [Some(first), Some(second)] = feet else { return Err(self.rails[rail].track.too_large(t)) };
        let ways = [(left.1, &one), (there.corners[0].coming, &first)];
        let (across_one, away_one) = self.across_face(ways).ok_or_else(mixed)?;
        let ways = [(there.corners[2].leaving, &second), (right.1, &two)];
        let (across_two, away_two) = self.across_face(ways).ok_or_else(mixed)?;
        let ways = [(there.corners[1].leaving, &first), (there.corners[1].coming, &second)];
        let (over, away_over) = self.around_corner(ways).ok_or_else(mixed)?;
        let [a, b, c, d] = [one, first, second, two].map(|f| self.end_at(f.spoke, f.s, f.point));
        self.set_end((rail, at_end), side, [(t0, a), (t1, d)], &[]);
        self.gone.extend(edges);
        let spring =
            |face: usize, before: usize, pcurve: NurbsCurve, away: Vector3, vertices: [VertexId; 2]| {
                // The strips at the foot bend away from the patch, and back.
                let bounds = face == there.corners[1].face;
                Around::Spring(Spring { face, before, pcurve, away, vertices, bounds })
            };
        let sides = vec![
            Around::Strip { rail, at_end },
            spring(there.corners[0].face, there.corners[0].leaving, across_one, away_one, [a, b]),
            spring(there.corners[1].face, there.corners[1].leaving, over, away_over, [b, c]),
            spring(there.corners[2].face, there.corners[2].coming, across_two, away_two, [c, d]),
        ];
        self.plans.push(Plan::Setback(Setback { sides, agrees: Agrees::Tangent, is_outer, at }));
        Ok(())
    }

    /// The place of an edge nearest to another one, but so far from the vertex that it leaves at least; `None` at its other end.
    fn foot(&self, from: &Point3, spoke: Spoke, least: f64) -> Option<Foot> {
        let curve = self.curve(spoke.edge)?;
        let d = curve.domain();
        let share = least / curve.length();
        let least = curve.parameter_at_share(if spoke.at_end { 1.0 - share } else { share });
        let nearest = closest_on_curve(curve, from).parameter;
        let s = if spoke.at_end { nearest.min(least) } else { nearest.max(least) };
        let inside = s > d.start && s < d.end && share < 1.0;
        inside.then(|| Foot { spoke, s, point: curve.point(s) })
    }

    /// A place of an edge on one of its faces, and the way from there away from its vertex.
    fn leading(&self, (half, foot): (usize, &Foot)) -> Option<([f64; 2], Vector3)> {
        let d = self.curve(foot.spoke.edge)?.domain();
        let step = STEP * d.length() * if foot.spoke.at_end { -1.0 } else { 1.0 };
        let (here, next) = (self.image(half, foot.s), self.image(half, foot.s + step));
        let ground = self.grounds.get(&self.halves.all[half].face)?;
        let next = ground.on_turn_of(next, here);
        Some((here, Vector3::new(next[0] - here[0], next[1] - here[1], 0.0)))
    }

    /// A line across a face between two of its edges, straight in its parameters, and the way to where the face stays.
    fn across_face(&self, ways: [(usize, &Foot); 2]) -> Option<(NurbsCurve, Vector3)> {
        let ground = self.grounds.get(&self.halves.all[ways[0].0].face)?;
        let [(a, away), (b, on)] = [self.leading(ways[0])?, self.leading(ways[1])?];
        let b = ground.on_turn_of(b, a);
        let points = [a, b].map(|[u, v]| Point3::new(u, v, 0.0));
        Some((NurbsCurve::try_new(KnotVector::bezier(1), &points, None).ok()?, away + on))
    }

    /// A line around a corner of a face from one of its edges to the other, tangent to both, about as an arc, and the way to where the
    /// face stays.
    fn around_corner(&self, ways: [(usize, &Foot); 2]) -> Option<(NurbsCurve, Vector3)> {
        let ground = self.grounds.get(&self.halves.all[ways[0].0].face)?;
        let [(a, on_a), (d, on_d)] = [self.leading(ways[0])?, self.leading(ways[1])?];
        let d = ground.on_turn_of(d, a);
        let [a, d] = [a, d].map(|[u, v]| Vector3::new(u, v, 0.0));
        let cross = |p: &Vector3, q: &Vector3| p.x * q.y - p.y * q.x;
        // Both edges run back to a corner.
        let turn = cross(&on_a, &on_d);
        let (back_a, back_d) = (cross(&(a - d), &on_d) / turn, cross(&(a - d), &on_a) / turn);
        let corner = a - on_a * back_a;
        if !(back_a > 0.0 && back_d > 0.0) {
            return None;
        }
        let ways = ways.map(|(_, foot)| {
            let along = self.curve(foot.spoke.edge)?.tangent(foot.s)?;
            Some(if foot.spoke.at_end { -along } else { along })
        });
        let [Some(p), Some(q)] = ways else { return None };
        let angle = (-p).angle(&q);
        // As an arc of this angle is nearest to a cubic.
        let share = 4.0 / 3.0 * (0.25 * angle).tan() / (0.5 * angle).tan();
        let control = [a, a + (corner - a) * share, d + (corner - d) * share, d];
        let away = control[0] + control[3] - control[1] - control[2];
        let pcurve = NurbsCurve::try_new(KnotVector::bezier(3), &control.map(Point3::from), None).ok()?;
        Some((pcurve, away))
    }
}
