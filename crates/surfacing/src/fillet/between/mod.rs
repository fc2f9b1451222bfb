//! A fillet between two supports, whether they meet or not: a ball rolls on both, its centre where their offsets meet
//! (Vida, Martin, Varady, A survey of blending methods that use parametric surfaces, CAD 26, 1994, section 4).
//!
//! Where it rolls along is told by `spine`, piece by piece where either support has several faces; here the strips are laid along
//! the pieces, cut off at the supports' borders, and joined with what stays of the supports.

mod full;
mod held;
mod one_shape;
mod spine;

use std::collections::{BTreeSet, VecDeque};
use std::ops::Range;
use std::sync::Arc;

use geometry::{
    ArcLength, Domain, NurbsCurve, Point3, Tolerance, Vector3, closest_on_curve, closest_on_surface,
};
use topology::{
    Body, Edge, EdgeId, Face, FaceId, Loop, OrientedEdge, Shell, Vertex, VertexId, closure, face_extent,
    imprint, join, natural_shell, straight_pcurve,
};

use super::ends::{Plane, slanted_end};
use super::sizes::ALIKE;
use super::strip::strip;
use super::track::LengthAt;
use super::{LEVEL, Round, Rounded};
use crate::SurfacingError;
use crate::halves::{Halves, Spoke};
use crate::strip::Strip;
use held::lies_under;
use one_shape::in_one_shape;
use spine::{FARTHER, Piece, Rolled, Touched};

/// Share of the radius beside a line of contact at which is looked which part of a support stays.
const BESIDE: f64 = 1e-2;
/// How much larger than in its midst a full round may be.
const WIDER: f64 = 2.0;
/// Places along a strip at which the radius of its sections is looked at.
const RADII: usize = 16;
/// Share of a line of contact from its ends within which what is open there is not looked at.
const AT_ENDS: f64 = 0.02;

/// What a ball rolls on.
pub struct Support<'a> {
    /// The shape.
    pub shell: &'a Shell,
    /// The numbers of those of its faces that the ball may touch.
    pub faces: Vec<usize>,
    /// Whether the ball is on their outer side.
    pub outside: bool,
    /// Whether it is trimmed by the fillet, and joined to it.
    pub trimmed: bool,
}

impl<'a> Support<'a> {
    /// A face of a shape with those that go on smoothly from it.
    #[must_use]
    pub fn about(shell: &'a Shell, face: usize, outside: bool, trimmed: bool) -> Self {
        let halves = Halves::new(shell);
        let mut faces = BTreeSet::from([face]);
        let mut next = vec![face];
        while let Some(from) = next.pop() {
            for half in halves.all.iter().filter(|h| h.face == from) {
                let Some(twin) = half.twin else { continue };
                let smooth = |at_end| halves.smooth_at(Spoke { edge: half.edge, at_end }, LEVEL);
                if smooth(false) && smooth(true) && faces.insert(halves.all[twin].face) {
                    next.push(halves.all[twin].face);
                }
            }
        }
        Self { shell, faces: faces.into_iter().collect(), outside, trimmed }
    }
}

/// The ball that rolls on both supports.
pub enum Ball<'a> {
    /// One of a size.
    Sized {
        /// The radius in millimetres by the share, 0 to 1, of the way that lies behind.
        radius: &'a dyn Fn(f64) -> f64,
        /// Whether it is the same everywhere.
        even: bool,
        /// What lies between the lines along which the ball touches.
        round: Round,
    },
    /// One that touches a support between the two as well, so that its radius follows from all three (a full round).
    Touching(Support<'a>),
    /// One that touches the first support along edges of it, so that its radius follows from those.
    Held {
        /// The edges.
        edges: &'a [EdgeId],
        /// What lies between the lines along which the ball touches.
        round: Round,
    },
}

/// What is filleted.
pub struct Rolling<'a> {
    /// The two supports.
    pub supports: [Support<'a>; 2],
    /// What rolls on them.
    pub ball: Ball<'a>,
}

impl Rolling<'_> {
    /// The edges of the first support along which the ball touches it, if it does along edges.
    fn held(&self) -> Option<&[EdgeId]> {
        match self.ball {
            Ball::Held { edges, .. } => Some(edges),
            Ball::Sized { .. } | Ball::Touching(_) => None,
        }
    }

    /// Whether both supports are of one shape, of which what lies between goes.
    fn in_one_shape(&self) -> bool {
        let [a, b] = &self.supports;
        a.trimmed && b.trimmed && std::ptr::eq(a.shell, b.shell)
    }
}

/// A strip along a piece of the way.
struct Laid {
    strip: Strip,
    /// The pieces' faces among those touched, its ends' parameters on either side, and whether it goes round.
    faces: [usize; 2],
    ts: [[f64; 2]; 2],
    /// The planes of the borders between which it ends, if they have one.
    planes: [Option<Plane>; 2],
    /// The faces of the one shape that cut it off.
    ended_by: [[Option<usize>; 3]; 2],
    closed: bool,
}

impl Laid {
    /// The line along which a side is touched.
    fn contact(&self, side: usize) -> NurbsCurve {
        let line = self.strip.surface.curve_at_v(side as f64);
        if self.closed { line } else { line.part(self.ts[0][side], self.ts[1][side]) }
    }

    /// The radii of the circles through the middles and the ends of its sections: those of the balls, where these are arcs.
    fn radii(&self) -> impl Iterator<Item = f64> {
        let surface = &self.strip.surface;
        let [own, across]: [Domain; 2] = surface.domain().into();
        let part = match self.closed {
            true => own,
            false => Domain::new(
                own.clamp(self.ts[0][0].max(self.ts[0][1])),
                own.clamp(self.ts[1][0].min(self.ts[1][1])),
            ),
        };
        (0..=RADII).map(move |k| {
            let u = part.at(k as f64 / RADII as f64);
            let [a, b, c] = [0.0, 0.5, 1.0].map(|s| surface.point(u, across.at(s)));
            let area = (b - a).cross(&(c - a)).norm();
            (b - a).norm() * (c - b).norm() * (c - a).norm() / (2.0 * area)
        })
    }
}

/// A fillet between two supports, joined with those that it trims. Where the radius changes, its middle one tells where the
/// ball rolls along. Where the ball leaves both supports over free borders, the fillet ends at those, else square to its way; between
/// faces of one shape it ends where the shape's other faces cut it, and what lies between its lines of contact goes.
///
/// # Errors
/// `NothingBetween`, `NoFullRound`, `HeldNowhere`; `HeldJumps`; `NoSize`; `FilletSizes`; `FilletTooLarge` where the radius changes too much;
/// `FilletEndsInside` for one that does not part what it is to trim; `FilletObstructed`; those of [`geometry::parallel_surface`].
pub fn fillet_between(rolling: &Rolling<'_>, tolerance: &Tolerance) -> Result<Rounded, SurfacingError> {
    let mut supports: Vec<&Support<'_>> = rolling.supports.iter().collect();
    if let Ball::Touching(middle) = &rolling.ball {
        supports.push(middle);
    }
    let all = |margin: f64| supports.iter().map(|s| Touched::all(s, margin)).collect::<Vec<_>>();
    let [middle, most] = rolling.radii(&supports, &all, tolerance)?;
    let margin = FARTHER * most;
    let touched = all(margin);
    let rolled = Rolled::new(&supports, &touched, (middle, rolling.in_one_shape()), tolerance);
    // Of one shape a ball is on one side only.
    if rolling.in_one_shape() && supports.iter().any(|s| s.outside != supports[0].outside) {
        return Err(rolling.nothing(&touched));
    }
    let pieces = match rolling.ball {
        Ball::Sized { .. } => rolled.pieces()?,
        Ball::Touching(_) => rolled.full_pieces()?,
        Ball::Held { edges, .. } => rolled.held_pieces(edges)?,
    };
    let first = pieces.first().ok_or_else(|| rolling.nothing(&touched))?;
    let strips = laid(rolling, &rolled, &pieces, tolerance)?;
    let max_deviation = strips.iter().map(|s| s.strip.max_deviation).fold(0.0, f64::max);
    let radii = strips
        .iter()
        .flat_map(Laid::radii)
        .fold([f64::MAX, 0.0], |[least, most], r| [f64::min(least, r), f64::max(most, r)]);
    let [one, two] = [0, 1].map(|k| touched[k][first.spine.faces[k]].face.role.as_str());
    let role = format!("fillet of {one} and {two}");
    if rolling.in_one_shape() {
        let shell = in_one_shape(&rolled, &strips, (&role, margin), rolling.held(), tolerance)?;
        return Ok(Rounded {
            shell,
            edges: strips.len(),
            radii: Some(radii),
            flat_ends: Vec::new(),
            max_deviation,
        });
    }
    let mut parts = Vec::new();
    let mut joined = 0..2;
    for side in 0..2 {
        if !rolling.supports[side].trimmed {
            continue;
        }
        match rolling.held().filter(|_| side == 0) {
            Some(edges) => match beyond_held(&rolled, edges, &strips) {
                Some(stays) => parts.push(stays),
                // What lies under the fillet goes: there is nothing to be joined to.
                None => joined = 1..2,
            },
            None => parts.push(trimmed(&rolled, side, &strips, tolerance)?),
        }
    }
    let alone = parts.is_empty();
    for made in &strips {
        let shell = shell_of(made, &role, tolerance)?;
        parts.push(if alone { facing(shell, &touched, made) } else { shell });
    }
    let shell = join(&parts, tolerance.join)?.shell;
    let shell = match Body::from_shell(shell) {
        Body::Shell(shell) => shell,
        Body::Solid(solid) => solid.outer().clone(),
    };
    let made =
        Rounded { shell, edges: strips.len(), radii: Some(radii), flat_ends: Vec::new(), max_deviation };
    joined_along(&made.shell, &rolled, &strips, joined, tolerance)?;
    Ok(made)
}

impl Rolling<'_> {
    /// That no ball touches all supports.
    fn nothing(&self, touched: &[Vec<Touched<'_>>]) -> SurfacingError {
        let face = touched.iter().flatten().next().map(|t| t.face);
        let at = face.map_or([0.0; 3], |face| {
            let [u, v] = face_extent(face);
            face.surface.point(u.at(0.5), v.at(0.5)).into()
        });
        match self.ball {
            Ball::Sized { .. } => SurfacingError::NothingBetween { at },
            Ball::Touching(_) => SurfacingError::NoFullRound { at },
            Ball::Held { edges, .. } => {
                let edge = edges.first().and_then(|e| self.supports[0].shell.edge(*e).curve.as_ref());
                let at = edge.map_or(at, |c| c.point(c.domain().at(0.5)).into());
                SurfacingError::HeldNowhere { at }
            }
        }
    }

    /// The ball's radius about in the middle, and its largest one.
    fn radii<'a>(
        &self,
        supports: &[&Support<'a>],
        all: &dyn Fn(f64) -> Vec<Vec<Touched<'a>>>,
        tolerance: &Tolerance,
    ) -> Result<[f64; 2], SurfacingError> {
        let Ball::Sized { radius, .. } = &self.ball else {
            let touched = all(0.0);
            let rolled = Rolled::new(supports, &touched, (1.0, false), tolerance);
            let radii = match self.held() {
                Some(edges) => rolled.held_radii(edges),
                None => rolled.full_radius().map(|radius| [radius, WIDER * radius]),
            };
            return radii.ok_or_else(|| self.nothing(&touched));
        };
        let sizes = || (0..=16).map(|k| radius(f64::from(k) / 16.0));
        let least = sizes().fold(f64::MAX, f64::min);
        if least.is_nan() || least <= tolerance.resolution {
            return Err(SurfacingError::NoSize { size: least });
        }
        Ok([radius(0.5), sizes().fold(0.0, f64::max)])
    }
}

/// The strips along all pieces, each of those that follow each other with the radius that it has by the share of the way.
fn laid(
    rolling: &Rolling<'_>,
    rolled: &Rolled<'_, '_>,
    pieces: &[Piece],
    tolerance: &Tolerance,
) -> Result<Vec<Laid>, SurfacingError> {
    let (radius, even, round): (&dyn Fn(f64) -> f64, bool, Round) = match rolling.ball {
        Ball::Sized { radius, even, round } => (radius, even, round),
        Ball::Touching(_) => (&|_| rolled.radius, false, Round::Arc),
        Ball::Held { round, .. } => (&|_| rolled.radius, false, round),
    };
    let mut out = Vec::with_capacity(pieces.len());
    for way in ways(pieces, tolerance) {
        let lengths: Vec<f64> = way.iter().map(|(k, _)| pieces[*k].length()).collect();
        let whole: f64 = lengths.iter().sum();
        let [from, to] = [(way[0], false), (way[way.len() - 1], true)]
            .map(|((k, forward), last)| pieces[k].place(forward == last));
        let sizes = [radius(0.0), radius(1.0)];
        if (to - from).norm() <= tolerance.join && (sizes[0] - sizes[1]).abs() > ALIKE {
            return Err(SurfacingError::FilletSizes { sizes, at: from.into() });
        }
        let mut before = 0.0;
        for (&(k, forward), &length) in way.iter().zip(&lengths) {
            let (piece, before_it) = (&pieces[k], before);
            let part = piece.part();
            let own = piece.spine.curve.part(part.start, part.end);
            let run = ArcLength::new(&own);
            let size = |t: f64| {
                if even {
                    return radius(0.5);
                }
                let share = run.share(part.clamp(t));
                let share = if forward { share } else { 1.0 - share };
                radius((before_it + share * length) / whole)
            };
            let size: LengthAt<'_> = match piece.spine.held {
                Some(_) => piece.spine.size(rolled.touched, rolled.radius),
                None => Box::new(size),
            };
            let track = piece.spine.track(rolled.touched, round, size, even);
            let ts = [0, 1].map(|end| piece.ends[end].ts);
            let borders = [0, 1].map(|side| Domain::new(ts[0][side], ts[1][side]));
            if borders.iter().any(|d| d.start >= d.end) {
                return Err(track.too_large(part.start));
            }
            let over = Domain::new(ts[0][0].min(ts[0][1]), ts[1][0].max(ts[1][1]));
            let strip = strip(&track, over, borders, None, tolerance)?;
            let planes = [0, 1].map(|end| piece.ends[end].plane);
            let ended_by = [0, 1].map(|end| piece.ends[end].ended_by);
            out.push(Laid { strip, faces: piece.spine.faces, ts, planes, ended_by, closed: piece.closed });
            before += length;
        }
    }
    Ok(out)
}

/// Pieces that follow each other, in order, each with whether it runs that way; every way begins as its first piece runs.
fn ways(pieces: &[Piece], tolerance: &Tolerance) -> Vec<Vec<(usize, bool)>> {
    let place = |k: usize, at_end: bool| pieces[k].place(at_end);
    let mut used = vec![false; pieces.len()];
    // What follows a piece that ends at a place.
    let next = |used: &[bool], at: Point3| {
        let ends = (0..pieces.len()).filter(|k| !used[*k]).flat_map(|k| [(k, true), (k, false)]);
        let apart = |&(k, forward): &(usize, bool)| (place(k, !forward) - at).norm();
        ends.filter(|e| apart(e) <= tolerance.join).min_by(|a, b| apart(a).total_cmp(&apart(b)))
    };
    let mut out = Vec::new();
    for first in 0..pieces.len() {
        if used[first] {
            continue;
        }
        used[first] = true;
        let mut way = VecDeque::from([(first, true)]);
        while let Some((k, forward)) = next(&used, place(way[way.len() - 1].0, way[way.len() - 1].1)) {
            used[k] = true;
            way.push_back((k, forward));
        }
        while let Some((k, forward)) = next(&used, place(way[0].0, !way[0].1)) {
            used[k] = true;
            way.push_front((k, !forward));
        }
        out.push(way.into());
    }
    out
}

/// A strip as a shell of one face, cut off at its ends.
fn shell_of(made: &Laid, role: &str, tolerance: &Tolerance) -> Result<Shell, SurfacingError> {
    let surface = Arc::new(made.strip.surface.clone());
    if made.closed {
        return Ok(natural_shell(surface, role, tolerance)?);
    }
    let corner = |end: usize, side: usize| surface.point(made.ts[end][side], side as f64);
    let vertices: Vec<Vertex> =
        [(0, 0), (1, 0), (1, 1), (0, 1)].map(|(end, side)| Vertex { point: corner(end, side) }).to_vec();
    let mut edges = Vec::with_capacity(4);
    let mut used = Vec::with_capacity(4);
    let mut put = |curve: NurbsCurve, pcurve: NurbsCurve, from: u32, to: u32, forward: bool| {
        edges.push(Edge {
            curve: Some(curve),
            start: VertexId(from),
            end: VertexId(to),
            tolerance: 2.0 * tolerance.resolution,
        });
        used.push(OrientedEdge { edge: EdgeId(edges.len() as u32 - 1), forward, pcurve });
    };
    let contact = |side: usize| {
        let curve = made.contact(side);
        let [from, to] = [made.ts[0][side], made.ts[1][side]];
        straight_pcurve(curve.domain(), [from, side as f64], [to, side as f64]).map(|pcurve| (curve, pcurve))
    };
    let across = |end: usize| slanted_end(&surface, made.ts[end], made.planes[end], tolerance);
    let ((first, on_first), (second, on_second)) = (contact(0)?, contact(1)?);
    let ((low, on_low), (high, on_high)) = (across(0)?, across(1)?);
    put(first, on_first, 0, 1, true);
    put(high, on_high, 1, 2, true);
    put(second, on_second, 3, 2, false);
    put(low, on_low, 0, 3, false);
    let face = Face { surface, loops: vec![Loop { edges: used }], reversed: false, role: role.to_owned() };
    Ok(Shell::try_new(vertices, edges, vec![face])?)
}

/// The strip's shell with the side of the ball outside.
fn facing(shell: Shell, touched: &[Vec<Touched<'_>>], made: &Laid) -> Shell {
    let t = made.strip.surface.domain().0.at(0.5);
    let p = made.strip.pcurves[0].point(t);
    let toward = touched[0][made.faces[0]].ground.place([p.x, p.y]).map(|p| p.normal);
    match (toward, made.strip.surface.normal(t, 0.0)) {
        (Some(a), Some(b)) if a.dot(&b) < 0.0 => shell.flipped(),
        _ => shell,
    }
}

/// The part of a support on which the ball does not lie.
fn trimmed(
    rolled: &Rolled<'_, '_>,
    side: usize,
    strips: &[Laid],
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let shell = rolled.supports[side].shell;
    let lines: Vec<NurbsCurve> = strips.iter().map(|s| s.contact(side)).collect();
    let cutter = Shell::of_curves(&lines, tolerance)?;
    let made = imprint(&[shell, &cutter], tolerance)?;
    let mut kept: Vec<usize> = Vec::new();
    for strip in strips {
        let face = &rolled.touched[side][strip.faces[side]];
        let t = 0.5 * (strip.ts[0][side] + strip.ts[1][side]);
        let (at, away) = away(&strip.strip, t, side);
        let beside = at + away * (BESIDE * rolled.radius);
        let place = closest_on_surface(&face.face.surface, &beside).parameters;
        let ends = SurfacingError::FilletEndsInside { which: side, at: at.into() };
        let part =
            made.part_about(0, FaceId(face.number as u32), place, &|i| i == 1).ok_or_else(|| ends.clone())?;
        kept.extend(part);
        kept.sort_unstable();
        kept.dedup();
        if kept.len() == made.shell.faces().len() {
            return Err(ends);
        }
    }
    Ok(made.shell_of(&kept)?)
}

/// What stays of a first support whose ball touches it along edges: what hangs together, not over those, with the faces there that do
/// not lie under the fillet, if any.
fn beyond_held(rolled: &Rolled<'_, '_>, edges: &[EdgeId], strips: &[Laid]) -> Option<Shell> {
    let shell = rolled.supports[0].shell;
    let halves = Halves::new(shell);
    let stays = |h: &usize| {
        let half = &halves.all[*h];
        let (face, edge) = (&shell.faces()[half.face], shell.edge(half.edge));
        edges.contains(&half.edge) && !strips.iter().any(|s| lies_under(face, halves.used(*h), edge, s))
    };
    let mut next: Vec<usize> = (0..halves.all.len()).filter(stays).map(|h| halves.all[h].face).collect();
    let mut kept = BTreeSet::new();
    while let Some(face) = next.pop() {
        if kept.insert(face) {
            let own = halves.all.iter().filter(|h| h.face == face && !edges.contains(&h.edge));
            next.extend(own.filter_map(|h| Some(halves.all[h.twin?].face)));
        }
    }
    let kept: Vec<usize> = kept.into_iter().collect();
    (!kept.is_empty()).then(|| shell.part(&kept))
}

/// A place of contact, and the direction in which the surface runs on from the fillet.
fn away(made: &Strip, t: f64, side: usize) -> (Point3, Vector3) {
    let (point, _, across) = made.surface.tangents(t, side as f64);
    (point, if side == 0 { -across } else { across }.normalize())
}

/// Refuses a result in which a fillet is not joined all along to what it trims.
fn joined_along(
    shell: &Shell,
    rolled: &Rolled<'_, '_>,
    strips: &[Laid],
    sides: Range<usize>,
    tolerance: &Tolerance,
) -> Result<(), SurfacingError> {
    let open = closure(shell).free_edges;
    for (side, strip) in sides.flat_map(|side| strips.iter().map(move |s| (side, s))) {
        if !rolled.supports[side].trimmed {
            continue;
        }
        let line = strip.contact(side);
        let d = line.domain();
        let inner = Domain::new(d.at(AT_ENDS), d.at(1.0 - AT_ENDS));
        let at = open.iter().map(|e| e.middle).find(|p| {
            let near = closest_on_curve(&line, p);
            (near.point - p).norm() <= tolerance.join && (inner.start..=inner.end).contains(&near.parameter)
        });
        if let Some(at) = at {
            return Err(SurfacingError::FilletEndsInside { which: side, at: at.into() });
        }
    }
    Ok(())
}
