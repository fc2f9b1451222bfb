//! The way of a ball that touches the first support along edges of it: its radius follows from those and the second one.

use geometry::{Domain, EndDerivatives, NurbsCurve, Point3, Vector3, closest_on_curve, interpolate};
use nalgebra::Matrix3;
use topology::{Edge, EdgeId, Face, OrientedEdge};

use super::spine::{FARTHER, Piece, Rolled, Spine, Touched};
use super::{Laid, away};
use crate::SurfacingError;
use crate::fillet::track::{LengthAt, longer};
use crate::ground::Ground;
use crate::side::Side;

/// Places along an edge at which is looked which face the ball touches besides: per span, and at least in all; beyond its ends.
const PER_SPAN: usize = 6;
const LEAST: usize = 48;
const BEYOND: i32 = 12;
const MAX_STEPS: usize = 20;
/// Share of a radius within which it has settled, and within which it is good where it gets no nearer.
const SETTLED: f64 = 1e-13;
const ACCEPTED: f64 = 1e-9;
/// Cosine between the tangent planes of a face and of a strip from which they are one.
const ONE_PLANE: f64 = 0.9995;

/// What is known of a ball that touches the first support along an edge of it.
#[derive(Clone)]
pub(super) struct Held {
    /// About its radius, as x by the guide's parameter.
    radius: NurbsCurve,
    /// The part of the guide that is the edge.
    pub(super) own: Domain,
    /// The edges of the face over which it leaves that at its beginning and end; none where it goes on along another edge, or round.
    pub(super) ends: [Option<EdgeId>; 2],
}

/// A ball on its way.
#[derive(Clone, Copy)]
struct Touching {
    t: f64,
    radius: f64,
    /// The number of the face that it touches besides, and the places on both.
    face: usize,
    at: [[f64; 2]; 2],
}

/// The radius of the ball that touches one ground at the place nearest to another one and the other ground too, from places and a
/// radius near them, with the places.
fn ball_from(
    grounds: [&Ground; 2],
    from: &Point3,
    (near, radius): ([[f64; 2]; 2], f64),
) -> Option<(f64, [[f64; 2]; 2])> {
    let at = grounds[0].nearest(near[0], from)?;
    let held = grounds[0].place(at)?;
    let scale = radius + 1e-3 * from.coords.norm();
    let mut x = Vector3::new(near[1][0], near[1][1], radius);
    let mut before = f64::MAX;
    for _ in 0..MAX_STEPS {
        let other = grounds[1].place([x.x, x.y])?;
        let off = (other.point + other.normal * x.z) - (held.point + held.normal * x.z);
        let miss = off.norm();
        if miss <= SETTLED * scale || (miss <= ACCEPTED * scale && miss >= 0.5 * before) {
            let foot = [x.x, x.y];
            return (x.z > 0.0 && grounds[1].holds(foot)).then_some((x.z, [at, foot]));
        }
        before = miss;
        let column = |k: usize| other.rates[k] + other.turns[k] * x.z;
        let jacobian = Matrix3::from_columns(&[column(0), column(1), other.normal - held.normal]);
        x -= jacobian.lu().solve(&off)?;
    }
    None
}

impl Spine {
    /// The ball's radius by the guide's parameter, where it follows from an edge; else one that is the same everywhere.
    pub(super) fn size<'a>(&self, touched: &'a [Vec<Touched<'_>>], radius: f64) -> LengthAt<'a> {
        let Some(held) = self.held.clone() else { return Box::new(move |_| radius) };
        let grounds = [0, 1].map(|k| &touched[k][self.faces[k]].ground);
        let (curve, feet) = (self.curve.clone(), self.feet.clone());
        Box::new(move |t| {
            let near = feet.each_ref().map(|f| {
                let p = f.point(t);
                [p.x, p.y]
            });
            let about = held.radius.point(t).x;
            ball_from(grounds, &curve.point(t), (near, about)).map_or(f64::NAN, |ball| ball.0)
        })
    }
}

impl Rolled<'_, '_> {
    /// The radii of the balls along edges of the first support: about in the midst of them, and the largest.
    pub(super) fn held_radii(&self, edges: &[EdgeId]) -> Option<[f64; 2]> {
        let mut radii: Vec<f64> = edges
            .iter()
            .filter_map(|e| self.balls(*e, 0.0))
            .flat_map(|b| b.1)
            .flatten()
            .map(|b| b.radius)
            .collect();
        radii.sort_by(f64::total_cmp);
        Some([*radii.get(radii.len() / 2)?, *radii.last()?])
    }

    /// All pieces of the way along edges of the first support.
    ///
    /// # Errors
    /// `HeldJumps`; those of the curves through its places.
    pub(super) fn held_pieces(&self, edges: &[EdgeId]) -> Result<Vec<Piece>, SurfacingError> {
        let mut out = Vec::new();
        for &edge in edges {
            let Some((guide, balls)) = self.balls(edge, FARTHER * self.radius) else { continue };
            for run in self.runs(&guide, &balls, edge)? {
                let Some(spine) = self.spine_of(&guide, &run, (edge, edges))? else { continue };
                for piece in self.parts(&spine) {
                    out.extend(piece.between_seams(self.touched, self.tolerance));
                }
            }
        }
        Ok(out)
    }

    /// The first of the faces of the first support that use an edge, with its use of it.
    fn used(&self, edge: EdgeId) -> Option<(usize, &OrientedEdge)> {
        self.touched[0].iter().enumerate().find_map(|(i, touched)| {
            let used = touched.face.loops.iter().flat_map(|l| &l.edges).find(|u| u.edge == edge)?;
            Some((i, used))
        })
    }

    /// An edge, longer by a margin where it does not close, with the balls at places of it.
    fn balls(&self, edge: EdgeId, margin: f64) -> Option<(NurbsCurve, Vec<Option<Touching>>)> {
        let (i, used) = self.used(edge)?;
        let own = self.supports[0].shell.edge(edge);
        let curve = own.curve.as_ref()?;
        let d = curve.domain();
        let guide = if own.start == own.end || margin <= 0.0 { curve.clone() } else { longer(curve, margin) };
        let whole = guide.domain();
        let spans = (curve.knots().breaks().len() - 1) * PER_SPAN;
        let inside = spans.max(LEAST);
        // The nearer the closer together: a ball that gets smaller may come to nothing soon.
        let shares = || (0..BEYOND).map(|k| 0.5f64.powi(k));
        let before = shares().map(|s| d.start + (whole.start - d.start) * s).filter(|t| *t < d.start);
        let after = shares().rev().map(|s| d.end + (whole.end - d.end) * s).filter(|t| *t > d.end);
        let within = (0..=inside).map(|k| d.at(k as f64 / inside as f64));
        let ts = before.chain(within).chain(after);
        let ground = &self.touched[0][i].ground;
        let ball = |t: f64| {
            let (near, point) = (used.pcurve.point(d.clamp(t)), guide.point(t));
            let at = ground.nearest([near.x, near.y], &point)?;
            let place = ground.place(at)?;
            let (radius, face, foot) = self.ball_at(1, &place.point, &place.normal)?;
            let grounds = [ground, &self.touched[1][face].ground];
            let (radius, at) = ball_from(grounds, &point, ([at, foot.parameters], radius))?;
            Some(Touching { t, radius, face, at })
        };
        let balls = ts.map(ball).collect();
        Some((guide, balls))
    }

    /// Runs of balls that touch one face of the second support, each by some longer at both ends where the face's surface goes on.
    ///
    /// # Errors
    /// `HeldJumps` where what the ball touches jumps from one place of a face to another one.
    fn runs(
        &self,
        guide: &NurbsCurve,
        balls: &[Option<Touching>],
        edge: EdgeId,
    ) -> Result<Vec<Vec<Touching>>, SurfacingError> {
        /// By how many balls.
        const LONGER: usize = 2;
        let Some((i, used)) = self.used(edge) else { return Ok(Vec::new()) };
        let own = used.pcurve.domain();
        let on = |from: &Touching, t: f64| {
            let grounds = [&self.touched[0][i].ground, &self.touched[1][from.face].ground];
            let (radius, at) = ball_from(grounds, &guide.point(t), (from.at, from.radius))?;
            Some(Touching { t, radius, at, ..*from })
        };
        let mut out = Vec::new();
        let mut k = 0;
        while k < balls.len() {
            let Some(first) = balls[k] else {
                k += 1;
                continue;
            };
            let alike = balls[k..].iter().map_while(|b| b.filter(|b| b.face == first.face));
            let mut run: Vec<Touching> = alike.collect();
            let end = k + run.len();
            for pair in run.windows(2) {
                let point = |ball: &Touching| self.touched[1][ball.face].ground.point(ball.at[1]);
                let next = on(&pair[0], pair[1].t);
                let goes_on =
                    next.is_some_and(|b| (point(&b) - point(&pair[1])).norm() <= self.tolerance.join);
                if !goes_on && pair.iter().all(|b| (own.start..=own.end).contains(&b.t)) {
                    return Err(SurfacingError::HeldJumps { at: guide.point(pair[1].t).into() });
                }
            }
            let known = |b: &Option<Touching>| b.map(|b| b.t);
            let before: Vec<f64> = balls[..k].iter().rev().take(LONGER).filter_map(known).collect();
            let after: Vec<f64> = balls[end..].iter().take(LONGER).filter_map(known).collect();
            for t in before {
                let Some(ball) = on(&run[0], t) else { break };
                run.insert(0, ball);
            }
            for t in after {
                let Some(ball) = on(&run[run.len() - 1], t) else { break };
                run.push(ball);
            }
            out.push(run);
            k = end;
        }
        Ok(out)
    }

    fn spine_of(
        &self,
        guide: &NurbsCurve,
        run: &[Touching],
        (edge, edges): (EdgeId, &[EdgeId]),
    ) -> Result<Option<Spine>, SurfacingError> {
        let Some((i, used)) = self.used(edge).filter(|_| run.len() > 3) else { return Ok(None) };
        let face = run[0].face;
        let ts: Vec<f64> = run.iter().map(|b| b.t).collect();
        let through = |value: &dyn Fn(&Touching) -> Point3| {
            let points: Vec<Point3> = run.iter().map(value).collect();
            interpolate(&points, &ts, 3, &EndDerivatives::free())
        };
        // On one turn of surfaces that close.
        let grounds = [&self.touched[0][i].ground, &self.touched[1][face].ground];
        let mut turned: Vec<[[f64; 2]; 2]> = Vec::with_capacity(run.len());
        for ball in run {
            let last = turned.last().copied().unwrap_or(ball.at);
            turned.push([0, 1].map(|k| grounds[k].on_turn_of(ball.at[k], last[k])));
        }
        let foot = |k: usize| {
            let points: Vec<Point3> = turned.iter().map(|at| Point3::new(at[k][0], at[k][1], 0.0)).collect();
            interpolate(&points, &ts, 3, &EndDerivatives::free())
        };
        let feet = [foot(0)?, foot(1)?];
        let radius = through(&|b| Point3::new(b.radius, 0.0, 0.0))?;
        let curve = guide.part(ts[0], ts[ts.len() - 1]);
        let own = used.pcurve.domain();
        let own = Domain::new(own.start.max(ts[0]), own.end.min(ts[ts.len() - 1]));
        let ends = self.beside(i, used).map(|e| e.filter(|e| !edges.contains(e)));
        let held = Held { radius, own, ends };
        Ok(Some(Spine { curve, feet, faces: [i, face], middle: None, held: Some(held) }))
    }

    /// The edges that come before and after another one, along its own direction, in its loop of a face.
    fn beside(&self, face: usize, used: &OrientedEdge) -> [Option<EdgeId>; 2] {
        let loops = &self.touched[0][face].face.loops;
        let found = loops.iter().find_map(|l| Some((l, l.edges.iter().position(|u| u.edge == used.edge)?)));
        let Some((run, k)) = found.filter(|(l, _)| l.edges.len() > 1) else { return [None; 2] };
        let count = run.edges.len();
        let [before, after] = [run.edges[(k + count - 1) % count].edge, run.edges[(k + 1) % count].edge];
        if used.forward { [Some(before), Some(after)] } else { [Some(after), Some(before)] }
    }
}

/// Whether a face that uses an edge on a strip's line of contact lies under the strip there.
pub(super) fn lies_under(face: &Face, used: &OrientedEdge, edge: &Edge, made: &Laid) -> bool {
    let Some(curve) = &edge.curve else { return false };
    let t = curve.domain().at(0.5);
    let along = closest_on_curve(&made.contact(0), &curve.point(t)).parameter;
    let (_, away) = away(&made.strip, along, 0);
    let Some((side, normal)) = Side::new(face, used, t).zip(made.strip.surface.normal(along, 0.0)) else {
        return false;
    };
    side.normal.dot(&normal).abs() > ONE_PLANE && side.out.dot(&away) > 0.0
}
