//! Edges of shells and solids rounded, or cut off at a slant.
//!
//! Along every edge a strip is made of sections that touch both faces (`track`, `strip`); what becomes of the vertices is
//! settled first (`corners`), then the shell is put together again around the strips (`rebuilt`). Nothing is cut with
//! anything else: lines of contact are known, and only what lies across a strip's end has to be found.

mod ball;
mod between;
mod chains;
mod corners;
mod ends;
mod fading;
mod folds;
mod grown;
mod inset;
mod planes;
mod rebuilt;
mod round;
mod setback;
mod sizes;
mod solve;
mod stops;
mod strip;
mod track;

use std::collections::{BTreeMap, BTreeSet};
use std::f64::consts::PI;
use std::rc::Rc;

use geometry::{ArcLength, Domain, NurbsCurve, Point3, Tolerance};
use topology::{EdgeId, Shell, VertexId, closure};

pub use between::{Ball, Rolling, Support, fillet_between};
pub use inset::inset_edges;
pub use round::Round;
pub use sizes::{Picked, Size};

use crate::SurfacingError;
use crate::fits::{HALVINGS, largest_share};
use crate::ground::Ground;
use crate::halves::{Halves, Spoke};
use crate::patch::Agrees;
use crate::side::Side;
use chains::{Chain, chains, first_ones, first_side, going_on, joints, kinds};
use corners::{Corners, Plan, Rail};
use fading::{fades_at, is_tip, not_tangent};
use planes::{with_even_planes, with_planes_joined};
use rebuilt::Rebuilt;
use setback::{BEFORE, runs_through};
use sizes::{Along, Numbered, largest};
use strip::strip;
use track::{Near, Profile, Track, longer};

/// Sine of the angle between edges within which a chain goes on from one to the other, and between faces within which there
/// is no edge to round.
const LEVEL: f64 = 0.02;
/// Shares of an edge at which is looked how its faces meet.
const PLACES: [f64; 5] = [0.02, 0.25, 0.5, 0.75, 0.98];
/// How much farther than a section reaches faces and edges are run on.
const FARTHER: f64 = 2.5;
/// The same of where they end at a small angle.
const AROUND: f64 = 1.5;

/// What takes an edge's place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum EdgeShape {
    /// A surface between the lines along which a ball touches both faces; the size is its radius.
    Fillet(Round),
    /// A flat from face to face; the size is the distance from the edge at which it begins, on the first face of those that
    /// meet there, in the order of their roles.
    Chamfer(Slant),
}

/// Where on the second face a flat ends.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Slant {
    /// How that is told.
    pub by: SlantBy,
    /// First and second face the other way round.
    pub swapped: bool,
    /// How distances from the edge are measured.
    pub measured: Measured,
}

/// How the distance of a place of a face from an edge is measured, square to the edge.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Measured {
    /// Straight through space.
    #[default]
    Straight,
    /// Along the face.
    Along,
}

impl Slant {
    /// As far from the edge as on the first face.
    pub const EVEN: Self = Self { by: SlantBy::Ratio(1.0), swapped: false, measured: Measured::Straight };
}

/// How a flat's end on the second face is told.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum SlantBy {
    /// By its distance from the edge, as a multiple of the size.
    Ratio(f64),
    /// By the angle in radians at which the flat leaves the line from its beginning to the edge.
    Angle(f64),
}

impl SlantBy {
    /// The distance of the flat's end from the edge, where the faces meet at an angle; `None` where it meets no second face.
    fn other(self, size: f64, open: f64) -> Option<f64> {
        match self {
            Self::Ratio(ratio) => Some(ratio * size),
            // The law of sines.
            Self::Angle(angle) => (angle + open < PI).then(|| size * angle.sin() / (angle + open).sin()),
        }
    }
}

/// How edges are rounded.
#[derive(Clone, Copy)]
pub struct Rounding<'a> {
    /// What takes the place of every edge.
    pub shape: EdgeShape,
    /// Its sizes, by the numbers that edges are picked with.
    pub sizes: &'a [Size<'a>],
    /// Whether what nothing ends, since the next edge goes on almost straight, may end flat at the vertex between them.
    pub flat_ends: bool,
}

/// A shell with rounded edges.
#[derive(Debug, Clone)]
pub struct Rounded {
    /// The shell.
    pub shell: Shell,
    /// How many edges were rounded, those that follow along tangents with them.
    pub edges: usize,
    /// The smallest and the largest radius of the balls of a fillet between supports, where its sections are arcs, in millimetres.
    pub radii: Option<[f64; 2]>,
    /// Where a strip ends flat, since the next edge goes on almost straight.
    pub flat_ends: Vec<Point3>,
    /// Largest distance of a strip from its true sections that was measured, in millimetres.
    pub max_deviation: f64,
}

/// How the guides of a chain's edges go on beyond them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Guides {
    /// Each in its own nature.
    RunOn,
    /// As the chain does.
    GoOn,
}

/// How strips end.
struct RunOn {
    guides: Guides,
    /// How much longer faces and edges are made, in millimetres.
    margin: f64,
    /// By how much of their radius strips end before a patch.
    before: f64,
    /// Whether strips that nothing ends stop in flats.
    stops: bool,
}

/// A shell with edges rounded, and those that follow them along tangents. Where edges of both kinds meet, inner and outer ones,
/// those that are fewer there come first, and the others follow round them. So does what meets an edge of the largest radius in a
/// corner of three: the smaller balls roll around its end.
///
/// # Errors
/// `FilletTooLarge` with the place, and for an even size the largest one that fits; `SmoothEdge`, `FilletFree`,
/// `FilletCorner`, `FilletSides`, `FilletSizes`, `FilletRunsOn`.
pub fn round_edges(
    shell: &Shell,
    edges: &Picked,
    rounding: &Rounding<'_>,
    tolerance: &Tolerance,
) -> Result<Rounded, SurfacingError> {
    let halves = Halves::new(shell);
    let all: BTreeSet<EdgeId> = chains(&halves, edges.keys(), false)?.iter().flatten().map(|c| c.0).collect();
    let even = with_even_planes(&halves, edges, &all, tolerance)?;
    let (shell, edges) = even.as_ref().map_or((shell, edges), |(shell, edges)| (shell, edges));
    let made = rounded(shell, edges, rounding, tolerance);
    if made.is_err()
        && let Some((shell, edges)) = with_planes_joined(shell, edges, tolerance)?
    {
        let made = rounded(&shell, &edges, rounding, tolerance);
        return with_what_fits(made, &shell, &edges, rounding, tolerance);
    }
    with_what_fits(made, shell, edges, rounding, tolerance)
}

/// Tells with what was too large which size fits: the largest one that was built, where the others stay.
fn with_what_fits(
    made: Result<Rounded, SurfacingError>,
    shell: &Shell,
    edges: &Picked,
    rounding: &Rounding<'_>,
    tolerance: &Tolerance,
) -> Result<Rounded, SurfacingError> {
    let Err(SurfacingError::FilletTooLarge { size, at, .. }) = made else { return made };
    let of_size = rounding.sizes.iter().position(|s| s.only() == Some(size));
    let fits = |share: f64| {
        let smaller = |_: f64| share * size;
        let mut sizes = rounding.sizes.to_vec();
        if let Some(own) = of_size {
            sizes[own].at = &smaller;
        }
        rounded(shell, edges, &Rounding { sizes: &sizes, ..*rounding }, tolerance).is_ok()
    };
    let fits = of_size.and_then(|_| largest_share(HALVINGS, &fits)).map(|share| share * size);
    Err(SurfacingError::FilletTooLarge { size, at, fits })
}

/// In which order edges that meet are rounded.
#[derive(Debug, Clone, Copy)]
struct Order {
    /// Of as many inner and outer ones, the outer ones come first.
    outer_first: bool,
    /// Of three of one kind that meet, those of the largest size come first.
    largest_first: bool,
}

fn rounded(
    shell: &Shell,
    edges: &Picked,
    rounding: &Rounding<'_>,
    tolerance: &Tolerance,
) -> Result<Rounded, SurfacingError> {
    let orders: &[bool] = if rounding.sizes.len() > 1 { &[true, false] } else { &[false] };
    let any_of = |outer_first: bool| {
        let made = |largest_first: bool| {
            let order = Order { outer_first, largest_first };
            rounded_in_turn(shell, edges, rounding, order, tolerance)
        };
        orders[1..].iter().fold(made(orders[0]), |first, next| first.or_else(|e| made(*next).map_err(|_| e)))
    };
    // Where as many of both kinds meet, either may come first: an upright edge before those at its foot, which then follow it.
    any_of(false).or_else(|refused| {
        let halves = Halves::new(shell);
        let kinds = kinds(&halves, &chains(&halves, edges.keys(), false)?)?;
        if kinds.values().all(|outer| *outer) || !kinds.values().any(|outer| *outer) {
            return Err(refused);
        }
        any_of(true).map_err(|_| refused)
    })
}

/// Edges that meet others which come before them after those.
fn rounded_in_turn(
    shell: &Shell,
    edges: &Picked,
    rounding: &Rounding<'_>,
    order: Order,
    tolerance: &Tolerance,
) -> Result<Rounded, SurfacingError> {
    let mut shell = shell.clone();
    let mut left: Numbered = edges.iter().map(|(edge, number)| (*edge, Some(*number))).collect();
    let (mut count, mut max_deviation, mut flat_ends) = (0, 0.0_f64, Vec::new());
    while !left.is_empty() {
        let halves = Halves::new(&shell);
        // Those with a number come first: where a chain closes, it begins at one.
        let picked = || {
            let of = |own: bool| left.iter().filter(move |l| l.1.is_some() == own).map(|l| l.0);
            of(true).chain(of(false))
        };
        // What fades out is rounded up to where it has, or gives way to a patch.
        let (to_tips, before) = (chains(&halves, picked(), true)?, chains(&halves, picked(), false)?);
        let turn = |chains| round_first(&halves, chains, &left, rounding, order, tolerance);
        let turn = match (to_tips != before).then(|| turn(to_tips)) {
            Some(Ok(made)) => made,
            _ => turn(before)?,
        };
        count += turn.edges;
        max_deviation = max_deviation.max(turn.max_deviation);
        flat_ends.extend(turn.flat_ends);
        (shell, left) = (turn.shell, turn.left);
    }
    Ok(Rounded { shell, edges: count, radii: None, flat_ends, max_deviation })
}

/// A shell after those edges were rounded that come first.
struct Turn {
    shell: Shell,
    /// The edges that are left.
    left: Numbered,
    /// How many were rounded.
    edges: usize,
    flat_ends: Vec<Point3>,
    max_deviation: f64,
}

/// Rounds those of the chains that come first.
fn round_first(
    halves: &Halves<'_>,
    chains: Vec<Chain>,
    numbers: &Numbered,
    rounding: &Rounding<'_>,
    order: Order,
    tolerance: &Tolerance,
) -> Result<Turn, SurfacingError> {
    let shell = halves.shell;
    let kinds = kinds(halves, &chains)?;
    let leads = |numbers: &[Option<usize>]| match order.largest_first {
        true => largest(rounding.sizes, numbers),
        false => Vec::new(),
    };
    let now = first_ones(halves, &chains, &kinds, numbers, order.outer_first, &leads)?;
    let (these, later): (Vec<Chain>, Vec<Chain>) = chains.into_iter().partition(|c| now.contains(&c[0].0));
    let round = |guides: Guides, margin: f64, stops: bool| {
        let made = |before| {
            let run_on = RunOn { guides, margin, before, stops };
            round_chains(halves, &these, &kinds, (rounding, numbers), &run_on, tolerance)
        };
        let corner = |refused: &SurfacingError| matches!(refused, SurfacingError::FilletCorner { .. });
        BEFORE[1..].iter().fold(made(BEFORE[0]), |first, before| match first {
            Err(refused) if corner(&refused) => made(*before).map_err(|_| refused),
            done => done,
        })
    };
    let [near, far] = margins(halves, &these, rounding);
    let made = match round(Guides::RunOn, near, false) {
        // Flats stand across the edge itself, which on the other side of a slanting seam is another one.
        Err(SurfacingError::FilletSides { .. }) => round(Guides::GoOn, near, false),
        made => made,
    };
    // Where what is beside an edge's end goes on almost as the edge does, the strip ends far from it; what is made longer by
    // more than it has to be may leave what it is to lie on.
    let farther = std::iter::successors(Some(2.0 * near), |m| Some(2.0 * m)).take_while(|m| *m < 2.0 * far);
    let made = made.or_else(|refused| {
        let mut farther = farther.filter_map(|margin| round(Guides::RunOn, margin.min(far), false).ok());
        farther.next().ok_or(refused)
    });
    let (made, max_deviation) = made.or_else(|refused| match rounding.flat_ends {
        true => round(Guides::RunOn, near, true).map_err(|_| refused),
        false => Err(refused),
    })?;
    let number = |e: &EdgeId| numbers.get(e).copied().flatten();
    let stays = |(e, _): &(EdgeId, bool)| Some((*made.edges.get(e)?, number(e)));
    let mut left: Numbered = later.iter().flatten().filter_map(stays).collect();
    // Where two that are still to come met at a vertex, what a strip's end put there between them comes too.
    for (vertex, ends) in &made.across {
        let comes = |e: &&EdgeId| [shell.edge(**e).start, shell.edge(**e).end].contains(vertex);
        if later.iter().flatten().map(|(e, _)| e).filter(comes).count() >= 2 {
            left.extend(ends.iter().map(|e| (*e, None)));
        }
    }
    let edges = these.iter().map(Vec::len).sum();
    Ok(Turn { shell: made.shell, left, edges, flat_ends: made.flat_ends, max_deviation })
}

/// How far from an edge a section of a size reaches at most.
fn reach(halves: &Halves<'_>, edge: EdgeId, shape: EdgeShape, size: f64) -> f64 {
    let Some(pair) = halves.of(edge) else { return size };
    let at = |share: f64| {
        let side = |h: usize| {
            let used = halves.used(h);
            Side::new(&halves.shell.faces()[halves.all[h].face], used, used.pcurve.domain().at(share))
        };
        let (a, b) = (side(pair[0])?, side(pair[1])?);
        let open = a.out.dot(&b.out).clamp(-1.0, 1.0).acos();
        Some(match shape {
            EdgeShape::Fillet(_) => size / (0.5 * open).tan().max(0.05),
            EdgeShape::Chamfer(slant) => slant.by.other(size, open).unwrap_or(size).max(size),
        })
    };
    PLACES.into_iter().filter_map(at).fold(size, f64::max)
}

/// How much longer faces and edges are made, in millimetres: as far as what leaves the vertices of edges at large angles needs, and
/// what leaves them at small ones, if not beyond its own end.
fn margins(halves: &Halves<'_>, chains: &[Chain], rounding: &Rounding<'_>) -> [f64; 2] {
    let [_, size] = sizes::bounds(rounding.sizes);
    let mut out = [size; 2];
    for &(edge, _) in chains.iter().flatten() {
        let reach = reach(halves, edge, rounding.shape, size);
        out[0] = out[0].max(FARTHER * reach);
        for at_end in [false, true] {
            let spoke = Spoke { edge, at_end };
            let ends = halves.shell.edge(edge);
            let fan = halves.fan(if at_end { ends.end } else { ends.start });
            let (Some(own), Some(fan)) = (halves.leaves(spoke), fan) else { continue };
            for other in fan.spokes.iter().filter(|s| s.edge != edge) {
                let (Some(leaves), Some(curve)) =
                    (halves.leaves(*other), &halves.shell.edge(other.edge).curve)
                else {
                    continue;
                };
                let sine = leaves.cross(&own).norm();
                if leaves.dot(&own) < 0.0 && sine > LEVEL {
                    out[1] = out[1].max((AROUND * reach / sine).min(curve.length() + FARTHER * reach));
                }
            }
        }
    }
    [out[0], out[1].max(out[0])]
}

fn round_chains(
    halves: &Halves<'_>,
    chains: &[Chain],
    kinds: &BTreeMap<EdgeId, bool>,
    (rounding, numbers): (&Rounding<'_>, &Numbered),
    &RunOn { guides, margin, before, stops }: &RunOn,
    tolerance: &Tolerance,
) -> Result<(rebuilt::Made, f64), SurfacingError> {
    let shell = halves.shell;
    let [smallest, largest] = sizes::bounds(rounding.sizes);
    if !(largest.is_finite() && smallest > tolerance.resolution) {
        return Err(SurfacingError::NoSize { size: smallest });
    }
    let all: BTreeSet<EdgeId> = chains.iter().flatten().map(|c| c.0).collect();
    // Grounds of all faces at the chains' vertices.
    let vertices: BTreeSet<VertexId> =
        all.iter().flat_map(|&e| [shell.edge(e).start, shell.edge(e).end]).collect();
    let beyond: BTreeSet<VertexId> = vertices.iter().flat_map(|v| fades_at(halves, *v)).collect();
    let has_ground = |v: &VertexId| vertices.contains(v) || beyond.contains(v);
    let mut grounds: BTreeMap<usize, Ground> = BTreeMap::new();
    for half in &halves.all {
        let edge = shell.edge(half.edge);
        if has_ground(&edge.start) || has_ground(&edge.end) {
            grounds.entry(half.face).or_insert_with(|| Ground::new(&shell.faces()[half.face], margin));
        }
    }
    let joints = joints(halves, chains);
    let mut rails: Vec<Rail<'_>> = Vec::with_capacity(all.len());
    for chain in chains {
        let curves: Vec<&NurbsCurve> =
            chain.iter().filter_map(|(e, _)| shell.edge(*e).curve.as_ref()).collect();
        let lengths: Vec<f64> = curves.iter().map(|c| c.length()).collect();
        let along = Rc::new(Along::new(halves, rounding.sizes, chain, numbers, &lengths)?);
        let first = first_side(halves, chain[0]);
        for (k, (&(edge, forward), curve)) in chain.iter().zip(&curves).enumerate() {
            let pair = halves.of(edge).ok_or(SurfacingError::Empty)?;
            let run = ArcLength::new(curve);
            let (even, sizes) = (along.even(k), Rc::clone(&along));
            let at = move |t: f64| {
                if even {
                    return sizes.on(k, 0.0);
                }
                let share = run.share(t);
                sizes.on(k, if forward { share } else { 1.0 - share })
            };
            let guide = match guides {
                Guides::RunOn => longer(curve, margin),
                Guides::GoOn => going_on(shell, chain, k, margin)?,
            };
            let mut track = Track::new(
                (guide, curve.domain()),
                pair.map(|h| &grounds[&halves.all[h].face]),
                Near::Edge(pair.map(|h| halves.used(h).pcurve.clone())),
                if kinds[&edge] { -1.0 } else { 1.0 },
                match rounding.shape {
                    EdgeShape::Fillet(round) => Profile::Round(round),
                    EdgeShape::Chamfer(slant) => {
                        let own = if forward { first } else { 1 - first };
                        Profile::Flat {
                            first: if slant.swapped { 1 - own } else { own },
                            by: slant.by,
                            measured: slant.measured,
                        }
                    }
                },
                Box::new(at),
                even,
            );
            track.joints = joints.get(&edge).copied().unwrap_or_default();
            track.tips = [false, true].map(|at_end| is_tip(halves, Spoke { edge, at_end }));
            rails.push(Rail { edge, track });
        }
    }
    let mut corners = Corners {
        halves,
        rails: &rails,
        grounds: &grounds,
        tolerance,
        vertices: shell.vertices().to_vec(),
        trims: BTreeMap::new(),
        grown: BTreeMap::new(),
        gone: BTreeSet::new(),
        margin,
        before,
        stops,
        poles: BTreeMap::new(),
        ends: BTreeMap::new(),
        plans: Vec::new(),
    };
    let folded = corners.settle_folds()?;
    for &vertex in vertices.difference(&folded) {
        corners.settle(vertex)?;
    }
    let mut strips = Vec::with_capacity(rails.len());
    for (r, rail) in rails.iter().enumerate() {
        let ended = |at_end: bool| corners.ends.get(&(r, at_end)).ok_or(SurfacingError::Empty);
        let (from, to) = (ended(false)?, ended(true)?);
        let part = Domain::new(from.part.start.min(to.part.start), from.part.end.max(to.part.end));
        let borders = [0, 1].map(|k| Domain::new(from.ts[k], to.ts[k]));
        strips.push(strip(&rail.track, part, borders, corners.poles.get(&r).copied(), tolerance)?);
    }
    let misses = strips.iter().map(|s| s.max_deviation).chain(corners.poles.values().map(|p| p.miss));
    let max_deviation = misses.fold(0.0, f64::max);
    let role = |edges: &[EdgeId]| {
        let faces: BTreeSet<&str> = edges
            .iter()
            .filter_map(|e| halves.of(*e))
            .flatten()
            .map(|h| shell.faces()[halves.all[h].face].role.as_str())
            .collect();
        let faces: Vec<&str> = faces.into_iter().collect();
        let what = match rounding.shape {
            EdgeShape::Fillet(_) => "fillet",
            EdgeShape::Chamfer(_) => "chamfer",
        };
        format!("{what} of {}", faces.join(" and "))
    };
    let any_patch =
        corners.plans.iter().any(|p| matches!(p, Plan::Setback(s) if s.agrees == Agrees::Tangent));
    let made = Rebuilt::put_together(corners, strips, &role)?;
    let (was, is) = (closure(shell), closure(&made.shell));
    if is.overused_edges > was.overused_edges || (was.is_watertight() && !is.is_watertight()) {
        let rail = || shell.vertex(shell.edge(rails[0].edge).start).point;
        let at = is.free_edges.first().map_or_else(rail, |e| e.middle);
        return Err(SurfacingError::FilletCorner { at: at.into() });
    }
    let mut narrowed = (0..rails.len()).filter(|r| rails[*r].track.tips != [false; 2]);
    if let Some(at) = narrowed.find_map(|r| not_tangent(&made.shell, shell.faces().len() + r)) {
        return Err(SurfacingError::FilletCorner { at: at.into() });
    }
    let patches = if any_patch { shell.faces().len() + rails.len()..made.shell.faces().len() } else { 0..0 };
    if let Some(at) = patches.into_iter().find_map(|p| runs_through(&made.shell, p)) {
        return Err(SurfacingError::FilletCorner { at: at.into() });
    }
    Ok((made, max_deviation))
}

impl Track<'_> {
    /// That nothing of the size fits at a parameter.
    fn too_large(&self, t: f64) -> SurfacingError {
        let at = self.guide.point(self.own.clamp(t)).into();
        SurfacingError::FilletTooLarge { size: (self.size)(self.own.clamp(t)), at, fits: None }
    }
}
