//! An offset shell put together edge by edge: what stays keeps its place in the shell, what no longer has room goes.
//!
//! Vertices are where three offset faces meet (`nodes`), edges lie between them (`creases`), and where faces meet smoothly the
//! edge goes with them. An edge that would run against its direction has no room any more: it shrinks to a vertex, the first to
//! do so first, and a face left with two edges closes to one. This is how straight skeletons are made (Aichholzer and
//! Aurenhammer, 1996, from memory), with the events found from the whole step instead of by following it.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use geometry::{
    Domain, EndDerivatives, GeometryError, GoesOn, NurbsCurve, NurbsSurface, OnSurface, Point3, Tolerance,
    chord_parameters, extended_surface, fit_meeting, interpolate, nearby_on_surface, tightest_bend_of,
    with_end_at,
};
use nalgebra::center;
use topology::{
    Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, face_extent, straight_pcurve,
};

use super::carried::curve_on;
use super::creases::{Run, Runs, extent_of};
use super::nodes::{End, Nodes, Solver};
use super::parallel::{PARALLEL, Parallel, tips};
use super::parted::{folded, looked_at};
use super::reach::{reach_over, run_on};
use super::web::Web;
use super::{Joints, Kind, OffsetShell, face_surface, offset_of};
use crate::SurfacingError;
use crate::loops::{Outlines, crosses_itself, measured};
use crate::strip::{followed, images_follow};

/// How much farther than neighbouring planes say faces are made, at first and where that is too little, planes themselves, and more
/// as a share of the distance.
const FARTHER: [f64; 2] = [1.5, 4.0];
/// How they are made longer. What bends away from its neighbours meets them when it goes on straight.
const WAYS: [GoesOn; 2] = [GoesOn::Naturally, GoesOn::Straight];
const PLANE: f64 = 12.0;
pub(super) const BESIDE: f64 = 0.3;
/// The latter where creases end at borders, or walls, that are not square to them.
pub(super) const ASKEW: f64 = 4.0;
/// How much farther still edges that stay run on, as a share of the distance.
const LINES: f64 = 0.5;
/// Edges shorter than this share of the fit tolerance shrink to vertices.
const SHORT: f64 = 0.5;
/// Share of the step within which edges vanish together.
const TOGETHER: f64 = 1e-3;
/// Steps back from where vertices are lost, and halvings of one of them, in which edges may vanish before.
const STEPS: usize = 16;
const HALVINGS: usize = 8;
/// Rounds of vanishing at most.
const ROUNDS: usize = 24;
/// Share of its extent by which a face is offset beyond its edges.
const MORE: f64 = 0.02;
/// Cosine of the angle between the first and the last step of an edge that goes round.
const ROUND: f64 = 0.5;
/// Share of a surface's extent within which a run is one of its parameter lines.
const SAME_LINE: f64 = 1e-9;
/// Share of a surface's extent within which parameters are the same.
const SAME: f64 = 1e-5;
/// Places of a face in either direction at which is looked whether it is folded, and how much it may be, since it can end just
/// where it begins to.
const LOOKED_AT_INSIDE: usize = 40;
const FOLDED: f64 = 1e-2;
/// Places between two of an edge at which is looked how far it reaches.
const BULGES: usize = 4;
/// How often the places of an edge are doubled.
const DOUBLINGS: usize = 5;
/// Places of a curve at which is looked how far a face reaches.
const LOOKED_AT: usize = 16;

fn open(at: Point3) -> SurfacingError {
    SurfacingError::OffsetOpen { at: at.into() }
}

pub(super) fn folds(error: &SurfacingError) -> bool {
    matches!(
        error,
        SurfacingError::Geometry(GeometryError::OffsetFolds { .. }) | SurfacingError::OffsetRough { .. }
    )
}

/// The shell offset face by face, put together edge by edge; faces are made longer by a share of the distance besides what is known
/// to be needed.
///
/// # Errors
/// `OffsetOpen` where faces do not meet, `OffsetFolds` where a face that is left bends more tightly than its distance.
pub(super) fn rebuilt(
    shell: &Shell,
    distances: &[f64],
    joints: &Joints,
    beside: f64,
    tolerance: &Tolerance,
) -> Result<OffsetShell, SurfacingError> {
    let most = distances.iter().fold(0.0, |a: f64, d| a.max(d.abs()));
    let reaches: Vec<f64> = (0..shell.faces().len())
        .map(|f| {
            let used = shell.faces()[f].loops.iter().flat_map(|l| &l.edges);
            let sharp = used.filter(|u| {
                joints.kinds[u.edge.index()] == Kind::Sharp && !joints.steps.contains(&u.edge.index())
            });
            sharp.map(|u| reach_over(shell, f, u, distances, joints)).fold(0.0, f64::max)
        })
        .collect();
    let parallel = |farther: f64, beside: f64, how: GoesOn, (f, face): (usize, &Face)| {
        // At sharp corners of a face its neighbours' offsets meet far beyond its edges. A plane is the same however far it goes.
        let plane = [face.surface.knots_u(), face.surface.knots_v()].iter().all(|k| k.point_count() == 2);
        let farther = if plane { PLANE } else { farther };
        Parallel::longer(face, farther * reaches[f] + beside * most, distances[f], how)
    };
    let mut refused = None;
    let at_borders = [Kind::Free, Kind::Sharp].iter().all(|kind| joints.kinds.contains(kind));
    let goes_farther = at_borders || reaches.iter().any(|r| *r > 0.0);
    let longest = reaches.iter().copied().fold(most, f64::max);
    let attempts = FARTHER.into_iter().zip([beside, ASKEW]);
    for (how, (farther, beside)) in WAYS.into_iter().flat_map(|how| attempts.clone().map(move |a| (how, a))) {
        let faces = shell.faces().iter().enumerate().map(|f| parallel(farther, beside, how, f));
        let faces: Vec<Parallel> = faces.collect();
        match settled(Web::new(shell, joints), &faces, farther * longest + LINES * most, tolerance) {
            // What is left of a face folds however far its neighbours go.
            Err(error) if goes_farther && !folds(&error) => refused = refused.or(Some(error)),
            done => return done,
        }
    }
    Err(refused.unwrap_or(SurfacingError::Empty))
}

/// A shell offset without some of its faces, with those beside them grown until they meet; `margin` mm is how far they grow at most.
/// Where nothing is offset, what is away from there stays as it is.
///
/// # Errors
/// `OffsetOpen` where they do not close it.
pub(super) fn closed_over(
    shell: &Shell,
    gone: &BTreeSet<usize>,
    distances: &[f64],
    joints: &Joints,
    margin: f64,
    tolerance: &Tolerance,
) -> Result<OffsetShell, SurfacingError> {
    let faces = shell.faces().iter().zip(distances).map(|(f, d)| Parallel::new(f, margin, *d));
    let faces: Vec<Parallel> = faces.collect();
    let mut last = None;
    for whole in [false, true] {
        let mut web = Web::new(shell, joints);
        web.contract_faces(gone, whole);
        let made = web.close_over().map_err(|h| open(middle(&web, h)));
        let left = web.left().any(|h| gone.contains(&web.face(h)));
        let made = made.and(if left { Err(SurfacingError::Empty) } else { Ok(web) });
        match made.and_then(|web| settled(web, &faces, (FARTHER[0] + LINES) * margin, tolerance)) {
            Ok(made) => return Ok(made),
            Err(error) => last = Some(error),
        }
    }
    Err(last.unwrap_or(SurfacingError::Empty))
}

/// A shell some of whose edges are not where its faces meet, with those laid anew; faces grow at most `margin` mm.
///
/// # Errors
/// `OffsetOpen` where faces do not meet.
pub(super) fn relaid(
    shell: &Shell,
    joints: &Joints,
    margin: f64,
    tolerance: &Tolerance,
) -> Result<OffsetShell, SurfacingError> {
    let faces: Vec<Parallel> = shell.faces().iter().map(|f| Parallel::new(f, margin, 0.0)).collect();
    settled(Web::new(shell, joints), &faces, (FARTHER[0] + LINES) * margin, tolerance)
}

/// The shell of a web when all that has no room has vanished from it; edges that stay may run on by `length` mm.
fn settled(
    mut web: Web<'_>,
    faces: &[Parallel],
    length: f64,
    tolerance: &Tolerance,
) -> Result<OffsetShell, SurfacingError> {
    let mut lines = lines(&web, faces, length);
    for _ in 0..ROUNDS {
        let solver = Solver { web: &web, faces, lines: &lines, near: None, tolerance };
        let gone = match solver.nodes() {
            Ok(nodes) => {
                let gone = vanishing(&solver, &nodes)?;
                if gone.is_empty() {
                    return Rebuilding { solver, nodes }.finish();
                }
                gone
            }
            Err(at) => vanishing_before(&solver).ok_or_else(|| open(at))?,
        };
        for half in gone {
            web.contract(half);
        }
        web.close_over().map_err(|h| open(middle(&web, h)))?;
        for (h, line) in lines.iter_mut().enumerate() {
            // What has become an edge between faces that were apart is no image of anything.
            if line.is_some() && web.kind(h) == Kind::Sharp {
                *line = None;
            }
        }
    }
    let at = web.shell().vertices().first().map_or_else(Point3::origin, |v| v.point);
    Err(open(at))
}

/// The edges that vanish on a part of the way, where not all vertices come to lie anywhere at its end.
fn vanishing_before(solver: &Solver<'_>) -> Option<Vec<usize>> {
    let at = |share: f64| {
        let faces: Vec<Parallel> = solver.faces.iter().map(|f| f.share(share)).collect();
        let part = Solver { faces: &faces, ..*solver };
        part.nodes().ok().and_then(|nodes| vanishing(&part, &nodes).ok())
    };
    // From the end back to where there are vertices, and on from there to where the first edges go.
    let mut lost = 1.0;
    for step in 1..STEPS {
        let mut known = 1.0 - step as f64 / STEPS as f64;
        match at(known) {
            Some(gone) if !gone.is_empty() => return Some(gone),
            Some(_) => {
                for _ in 0..HALVINGS {
                    let share = 0.5 * (known + lost);
                    match at(share) {
                        Some(gone) if gone.is_empty() => known = share,
                        Some(gone) => return Some(gone),
                        None => lost = share,
                    }
                }
                return None;
            }
            None => lost = known,
        }
    }
    None
}

fn middle(web: &Web<'_>, half: usize) -> Point3 {
    let used = web.used(half);
    let p = used.pcurve.point(used.pcurve.domain().at(0.5));
    web.shell().faces()[web.face(half)].surface.point(p.x, p.y)
}

/// The images of edges that stay, run on where others may cut them.
fn lines(web: &Web<'_>, faces: &[Parallel], length: f64) -> Vec<Option<NurbsCurve>> {
    let mut out = vec![None; web.halves.all.len()];
    for h in web.left().filter(|&h| web.kind(h) != Kind::Sharp) {
        let surface = &faces[web.face(h)].ground.surface;
        let line = run_on(surface, &web.used(h).pcurve, [true, true], length);
        out[h] = Some(beyond_tips(&faces[web.face(h)], line));
    }
    // Both images of an edge go as far as the other one.
    for h in 0..out.len() {
        let Some(twin) = web.twin(h).filter(|t| *t > h) else { continue };
        let (Some(a), Some(b)) = (&out[h], &out[twin]) else { continue };
        let (p, q) = (a.domain(), b.domain());
        let common = Domain::new(p.start.max(q.start), p.end.min(q.end));
        let cut = |c: &NurbsCurve| c.part(common.start, common.end);
        (out[h], out[twin]) = (Some(cut(a)), Some(cut(b)));
    }
    out
}

/// A straight image that ends at a tip of its face, run on beyond it.
fn beyond_tips(face: &Parallel, line: NurbsCurve) -> NurbsCurve {
    let domains: [Domain; 2] = face.ground.surface.domain().into();
    let longer = |line: NurbsCurve| {
        let (end, rate) = line.moving(line.domain().end);
        // A line along a seam leads nowhere across it but for rounding.
        let k = usize::from(rate.y.abs() * domains[0].length() > rate.x.abs() * domains[1].length());
        let (d, bounds) = (domains[k], face.bounds[k]);
        let at = |border: f64| (end[k] - border).abs() <= SAME_LINE * d.length();
        let by = match rate[k] {
            r if r > 0.0 && at(d.end) && bounds.end > d.end => Some((bounds.end - d.end) / r),
            r if r < 0.0 && at(d.start) && bounds.start < d.start => Some((bounds.start - d.start) / r),
            _ => None,
        };
        by.and_then(|by| with_end_at(&line, line.domain().end + by)).unwrap_or(line)
    };
    let forward = longer(line);
    let d = forward.domain();
    let back = longer(forward.reversed());
    let by = back.domain().length() - d.length();
    back.reversed().over(Domain::new(d.start - by, d.end))
}

/// The edges that vanish first, if any does.
fn vanishing(solver: &Solver<'_>, nodes: &Nodes) -> Result<Vec<usize>, SurfacingError> {
    let web = solver.web;
    let mut found: Vec<(f64, usize)> = Vec::new();
    for h in web.left().filter(|&h| web.leads(h)) {
        let length = solver.signed_length(nodes, h).ok_or_else(|| open(middle(web, h)))?;
        if length > SHORT * solver.tolerance.fit {
            continue;
        }
        let source = web.shell().edge(web.halves.all[h].edge).curve.as_ref().map_or(0.0, NurbsCurve::length);
        found.push((source / (source - length).max(f64::MIN_POSITIVE), h));
    }
    let first = found.iter().map(|f| f.0).fold(f64::MAX, f64::min);
    Ok(found.into_iter().filter(|f| f.0 <= first + TOGETHER).map(|f| f.1).collect())
}

/// A shell of which all places are known, on the true offsets.
struct Rebuilding<'a> {
    solver: Solver<'a>,
    nodes: Nodes,
}

fn runs_of(solver: &Solver<'_>, nodes: &Nodes) -> Result<Runs, SurfacingError> {
    let web = solver.web;
    let sharp = web.left().filter(|&h| web.leads(h) && solver.lines[h].is_none());
    let creases = sharp.map(|h| Ok((h, solver.crease(nodes, h).map_err(open)?)));
    let creases = creases.collect::<Result<_, SurfacingError>>()?;
    let diagonals = nodes.diagonals.iter().map(|d| solver.diagonal(nodes, d).map_err(open));
    Ok(Runs { creases, diagonals: diagonals.collect::<Result<_, _>>()? })
}

impl Rebuilding<'_> {
    /// The parameters of each face at its edges.
    fn outlines(&self, runs: &Runs) -> Vec<Vec<[f64; 2]>> {
        let web = self.solver.web;
        let mut out = vec![Vec::new(); web.shell().faces().len()];
        let mut put = |faces: [usize; 2], run: &Run| {
            for (k, face) in faces.into_iter().enumerate() {
                let places: Vec<Point3> =
                    run.iter().map(|p| Point3::new(p[2 * k], p[2 * k + 1], 0.0)).collect();
                out[face].extend(places.iter().map(|p| [p.x, p.y]));
                // Between places it may bulge.
                let parameters = chord_parameters(&places);
                if let Ok(curve) = interpolate(&places, &parameters, 3, &EndDerivatives::free()) {
                    let between = curve.knots().sampled(BULGES).into_iter().map(|t| curve.point(t));
                    out[face].extend(between.map(|p| [p.x, p.y]));
                }
            }
        };
        for (h, run) in &runs.creases {
            put([web.face(*h), web.twin(*h).map_or(web.face(*h), |t| web.face(t))], run);
        }
        for (diagonal, run) in self.nodes.diagonals.iter().zip(&runs.diagonals) {
            put(diagonal.faces, run);
        }
        for h in web.left() {
            let (Some(line), Some([Some(a), Some(b)])) = (&self.solver.lines[h], self.nodes.ends.get(&h))
            else {
                continue;
            };
            let (Some(a), Some(b)) = (a.t, b.t) else { continue };
            let at = |k: usize| line.point(a + (b - a) * k as f64 / LOOKED_AT as f64);
            out[web.face(h)].extend((0..=LOOKED_AT).map(at).map(|p| [p.x, p.y]));
        }
        out
    }

    fn finish(self) -> Result<OffsetShell, SurfacingError> {
        let Solver { web, faces, lines, tolerance, .. } = self.solver;
        let runs = runs_of(&self.solver, &self.nodes)?;
        let outlines = self.outlines(&runs);
        let mut max_deviation: f64 = 0.0;
        let mut fitted: Vec<Parallel> = Vec::with_capacity(faces.len());
        for (f, face) in web.shell().faces().iter().enumerate() {
            let surface = match extent_of(outlines[f].iter().copied()) {
                Some(extent) => {
                    let (surface, deviation) = fitted_to(face, &faces[f], extent, tolerance)?;
                    max_deviation = max_deviation.max(deviation);
                    surface
                }
                None => Arc::clone(&face.surface),
            };
            let face = Face { surface, ..face.clone() };
            fitted.push(Parallel::new(&face, 0.0, 0.0));
        }
        // Once more, on the faces as they are.
        let solver = Solver { web, faces: &fitted, lines, near: Some((&self.nodes, &runs)), tolerance };
        let nodes = solver.nodes().map_err(open)?;
        let runs = runs_of(&solver, &nodes)?;
        let still = faces.iter().map(|f| f.distance == 0.0).collect();
        let made = Assembly::new(&solver, &nodes, still).made(&runs)?;
        for (face, f) in made.shell.faces().iter().zip(&made.of) {
            still_unfolded(face, &faces[*f])?;
        }
        Ok(OffsetShell { max_deviation, ..made })
    }
}

/// That no place inside a face as it has become lies where its source bends more tightly than its distance.
///
/// # Errors
/// `OffsetFolds` with the place.
fn still_unfolded(face: &Face, source: &Parallel) -> Result<(), SurfacingError> {
    let surface = &source.ground.surface;
    let distance = if face.reversed { -source.distance } else { source.distance };
    let domains: [Domain; 2] = surface.domain().into();
    let extent = face_extent(face);
    let within =
        [0, 1].map(|k| Domain::new(domains[k].clamp(extent[k].start), domains[k].clamp(extent[k].end)));
    let tightest = tightest_bend_of(surface, within, distance > 0.0);
    let Some((_, tightest)) = tightest.filter(|(radius, _)| *radius <= distance.abs()) else {
        return Ok(());
    };
    let outlines = Outlines::of(face);
    let knots = [surface.knots_u(), surface.knots_v()];
    let [us, vs] = [0, 1].map(|k| looked_at(knots[k], within[k], LOOKED_AT_INSIDE, tightest[k]));
    let over = |at: [f64; 2]| (folded(&surface.derivatives(at[0], at[1]), distance), at);
    let refused = |(over, at): (f64, [f64; 2])| GeometryError::OffsetFolds {
        at: surface.point(at[0], at[1]).into(),
        radius: distance.abs() / (1.0 + over),
        distance: distance.abs(),
    };
    let all = us.iter().flat_map(|u| vs.iter().map(|v| [*u, *v]));
    let worst = all.filter(|at| outlines.hold(at)).map(over).max_by(|a, b| a.0.total_cmp(&b.0));
    if let Some(worst) = worst.filter(|w| w.0 > FOLDED) {
        return Err(refused(worst).into());
    }
    // A face that is folded all along its edges has been turned inside out.
    let uses = face.loops.iter().flat_map(|l| &l.edges);
    let along = uses.flat_map(|u| u.pcurve.knots().sampled(2).into_iter().map(|t| u.pcurve.point(t)));
    let along = along.map(|p| over([within[0].clamp(p.x), within[1].clamp(p.y)]));
    match along.min_by(|a, b| a.0.total_cmp(&b.0)) {
        Some(least) if least.0 > FOLDED => Err(refused(least).into()),
        _ => Ok(()),
    }
}

/// A face offset where it will be, a little more than its extent, and straight on beyond a tip that has opened.
fn fitted_to(
    face: &Face,
    parallel: &Parallel,
    extent: [Domain; 2],
    tolerance: &Tolerance,
) -> Result<(Arc<NurbsSurface>, f64), SurfacingError> {
    let ground = &parallel.ground.surface;
    let whole: [Domain; 2] = ground.domain().into();
    let part = [0, 1].map(|k| {
        let more = MORE * extent[k].length();
        Domain::new(whole[k].clamp(extent[k].start - more), whole[k].clamp(extent[k].end + more))
    });
    let own = Face { surface: Arc::clone(ground), ..face.clone() };
    // Where it folds beyond the face's edges is of no concern.
    let along_normal = if face.reversed { -parallel.distance } else { parallel.distance };
    let (mut surface, deviation) = offset_of(&face_surface(&own, part), along_normal, None, tolerance)?;
    // A tip that is not moved has not opened, however its edges are rounded there.
    for side in tips(ground).filter(|_| parallel.distance != 0.0) {
        let axis = usize::from(!side.is_u());
        let (end, beyond) = if side.is_start() {
            (whole[axis].start, whole[axis].start - extent[axis].start)
        } else {
            (whole[axis].end, extent[axis].end - whole[axis].end)
        };
        if beyond <= SAME * whole[axis].length() {
            continue;
        }
        let mut place = extent.map(|e| e.at(0.5));
        place[axis] = end;
        let (_, du, dv) = surface.tangents(place[0], place[1]);
        let length = (1.0 + MORE) * beyond * if axis == 0 { du.norm() } else { dv.norm() };
        surface = Arc::new(extended_surface(&surface, side, length, GoesOn::Straight)?);
    }
    Ok((surface, deviation))
}

/// A run that is a parameter line of either surface, as just that, with its images.
fn along_line(
    surfaces: [&NurbsSurface; 2],
    run: &Run,
    tolerance: &Tolerance,
) -> Result<Option<Imaged>, SurfacingError> {
    let domains = surfaces.map(|s| <[Domain; 2]>::from(s.domain()));
    let (first, last) = (&run[0], &run[run.len() - 1]);
    for (k, axis) in [(0, 0), (0, 1), (1, 0), (1, 1)] {
        let (fixed, along) = (2 * k + axis, 2 * k + 1 - axis);
        let level = SAME_LINE * domains[k][axis].length();
        let straight = run.iter().all(|p| (p[fixed] - first[fixed]).abs() <= level);
        let rising = last[along] > first[along];
        let monotone =
            run.windows(2).all(|w| (w[1][along] > w[0][along]) == rising && w[1][along] != w[0][along]);
        if !straight || !monotone {
            continue;
        }
        let at = domains[k][axis].clamp(first[fixed]);
        let whole = if axis == 0 { surfaces[k].curve_at_u(at) } else { surfaces[k].curve_at_v(at) };
        let d = domains[k][1 - axis];
        let [from, to] = [first, last].map(|p| d.clamp(p[along]));
        let part = whole.part(from.min(to), from.max(to));
        let part = if rising { part } else { part.reversed() };
        // By its own parameter it runs from one end of the run to the other.
        let curve = part.over(Domain::new(0.0, from.max(to) - from.min(to)));
        let place = |x: f64| if axis == 0 { [at, x] } else { [x, at] };
        let own = straight_pcurve(curve.domain(), place(from), place(to))?;
        let other = 1 - k;
        let beside = |t: f64| {
            let x = from + if rising { t } else { -t };
            let before = |w: &[[f64; 4]]| if rising { x <= w[1][along] } else { x >= w[1][along] };
            let i = run.windows(2).position(before).unwrap_or(run.len() - 2);
            let w = [&run[i], &run[i + 1]];
            let share = (x - w[0][along]) / (w[1][along] - w[0][along]);
            let near = [0, 1].map(|j| {
                let [a, b] = w.map(|p| p[2 * other + j]);
                domains[other][j].clamp(a + (b - a) * share.clamp(0.0, 1.0))
            });
            let found = nearby_on_surface(surfaces[other], &curve.point(t), near, tolerance.join);
            // On a seam both sides are one place.
            let same_side = |f: &OnSurface| {
                (0..2).all(|j| (f.parameters[j] - near[j]).abs() < 0.5 * domains[other][j].length())
            };
            Ok(found.filter(same_side).map_or(near, |f| f.parameters))
        };
        let point = |p: [f64; 2]| surfaces[other].point(p[0], p[1]);
        let image = followed(&curve, &beside, &point, images_follow(&curve.start(), tolerance))?;
        let images = if k == 0 { [own, image] } else { [image, own] };
        return Ok(Some((curve, images)));
    }
    Ok(None)
}

/// The cubic through a run's places as they are, with its images, if it stays as near both surfaces as those are to each other.
fn through(
    surfaces: [&NurbsSurface; 2],
    run: &Run,
    tolerance: &Tolerance,
) -> Result<Option<Imaged>, SurfacingError> {
    let on = |k: usize, p: &Point3| surfaces[k].point(p.x, p.y);
    let places = |k: usize| run.iter().map(|p| Point3::new(p[2 * k], p[2 * k + 1], 0.0)).collect::<Vec<_>>();
    let images = [places(0), places(1)];
    let points: Vec<Point3> =
        images[0].iter().zip(&images[1]).map(|(p, q)| center(&on(0, p), &on(1, q))).collect();
    let parameters = chord_parameters(&points);
    let spline = |points: &[Point3]| interpolate(points, &parameters, 3, &EndDerivatives::free());
    let (curve, own) = (spline(&points)?, [spline(&images[0])?, spline(&images[1])?]);
    let off = |t: f64| {
        let p = curve.point(t);
        (0..2).map(|k| (on(k, &own[k].point(t)) - p).norm()).fold(0.0, f64::max)
    };
    let worst = curve.knots().sampled(4).into_iter().map(off).fold(0.0, f64::max);
    Ok((worst <= PARALLEL * tolerance.fit).then_some((curve, own)))
}

/// A curve with its images on two surfaces.
type Imaged = (NurbsCurve, [NurbsCurve; 2]);

/// Whether a curve goes on all the way: one past whose end its faces lead would come back to it in a hook.
fn goes_on((curve, _): &Imaged) -> bool {
    let points: Vec<Point3> = curve.knots().sampled(BULGES).into_iter().map(|t| curve.point(t)).collect();
    points.windows(3).all(|w| (w[1] - w[0]).dot(&(w[2] - w[1])) >= 0.0)
}

/// The shell while it is put together.
struct Assembly<'a> {
    solver: &'a Solver<'a>,
    nodes: &'a Nodes,
    /// Which faces are not moved at all.
    still: Vec<bool>,
    edges: Vec<Edge>,
    /// The use of its edge by each half-edge's face.
    uses: BTreeMap<usize, OrientedEdge>,
    /// The uses of each new edge by the faces to its left and right.
    diagonals: Vec<[OrientedEdge; 2]>,
    free: Vec<(EdgeId, NurbsCurve)>,
    overhangs: Vec<(Point3, NurbsCurve)>,
}

impl<'a> Assembly<'a> {
    fn new(solver: &'a Solver<'a>, nodes: &'a Nodes, still: Vec<bool>) -> Self {
        Self {
            solver,
            nodes,
            still,
            edges: Vec::new(),
            uses: BTreeMap::new(),
            diagonals: Vec::new(),
            free: Vec::new(),
            overhangs: Vec::new(),
        }
    }

    fn put(&mut self, curve: Option<NurbsCurve>, [start, end]: [usize; 2]) -> EdgeId {
        let [start, end] = [start, end].map(|n| VertexId(n as u32));
        self.edges.push(Edge { curve, start, end, tolerance: 0.0 });
        EdgeId(self.edges.len() as u32 - 1)
    }

    fn ends(&self, half: usize) -> Result<[End; 2], SurfacingError> {
        let ends = self.nodes.ends.get(&half).and_then(|[a, b]| Some([(*a)?, (*b)?]));
        ends.ok_or_else(|| open(middle(self.solver.web, half)))
    }

    fn made(mut self, runs: &Runs) -> Result<OffsetShell, SurfacingError> {
        let web = self.solver.web;
        let left: Vec<usize> = web.left().filter(|&h| web.leads(h)).collect();
        for h in left {
            match (&self.solver.lines[h], runs.creases.get(&h)) {
                (Some(line), _) => self.line(h, line)?,
                (None, Some(run)) => self.crease(h, run)?,
                (None, None) => return Err(open(middle(web, h))),
            }
        }
        for (diagonal, run) in self.nodes.diagonals.iter().zip(&runs.diagonals) {
            let both = self.between(diagonal.faces, diagonal.nodes, run, false)?;
            self.diagonals.push(both);
        }
        for &(number, at) in &self.nodes.overhangs {
            let edge = self.diagonals[number][0].edge;
            let curve = self.edges[edge.index()].curve.clone().ok_or_else(|| open(at))?;
            self.overhangs.push((at, curve));
        }
        self.shell()
    }

    /// An edge along a run between two faces, which are next to parallel at an end of it where it `starts_level`, with the uses by the
    /// one to its left, along it, and the one to its right.
    fn between(
        &mut self,
        faces: [usize; 2],
        nodes: [usize; 2],
        run: &Run,
        starts_level: bool,
    ) -> Result<[OrientedEdge; 2], SurfacingError> {
        let Solver { faces: grounds, tolerance, .. } = *self.solver;
        let surfaces = faces.map(|f| &*grounds[f].ground.surface);
        let lost = || open(surfaces[0].point(run[0][0], run[0][1]));
        let (curve, [own, other]) = match along_line(surfaces, run, tolerance)? {
            Some(made) => made,
            None => {
                let domains = surfaces.map(|s| <[Domain; 2]>::from(s.domain()));
                let inside = |p: &[f64; 4]| {
                    let at = |k: usize| domains[k / 2][k % 2].clamp(p[k]);
                    [at(0), at(1), at(2), at(3)].into()
                };
                let places: Vec<_> = run.iter().map(inside).collect();
                // What ends where it begins need not go on smoothly there.
                let step = |k: usize| {
                    let at = |p: &[f64; 4]| surfaces[0].point(p[0], p[1]);
                    (at(&run[k + 1]) - at(&run[k])).normalize()
                };
                let round = nodes[0] == nodes[1] && step(0).dot(&step(run.len() - 2)) > ROUND;
                let close = Tolerance { fit: 0.5 * tolerance.fit, ..*tolerance };
                // Faces next to parallel do not say where between two places of their edge it runs.
                let through = |wanted: bool| match wanted && !round {
                    true => Ok::<_, SurfacingError>(self.close_through(faces, run)?.filter(goes_on)),
                    false => Ok(None),
                };
                let fitted = || -> Result<Option<Imaged>, SurfacingError> {
                    let made = fit_meeting(surfaces, &places, round, &close)?;
                    let near = made.filter(|m| m.max_deviation <= tolerance.fit);
                    near.map(|m| Ok((m.curve, <[NurbsCurve; 2]>::try_from(m.pcurves).map_err(|_| lost())?)))
                        .transpose()
                };
                match through(starts_level)? {
                    Some(made) => made,
                    None => match fitted()?.filter(goes_on) {
                        Some(made) => made,
                        None => through(!starts_level)?.ok_or_else(lost)?,
                    },
                }
            }
        };
        let edge = self.put(Some(curve), nodes);
        Ok([(true, own), (false, other)].map(|(forward, pcurve)| OrientedEdge { edge, forward, pcurve }))
    }

    /// The curve through a run's places, with ever more of them until it stays near both faces.
    fn close_through(&self, faces: [usize; 2], run: &Run) -> Result<Option<Imaged>, SurfacingError> {
        let Solver { faces: grounds, tolerance, .. } = *self.solver;
        let surfaces = faces.map(|f| &*grounds[f].ground.surface);
        let mut run = run.clone();
        for _ in 0..DOUBLINGS {
            let made = through(surfaces, &run, tolerance)?;
            if made.is_some() {
                return Ok(made);
            }
            let Some(denser) = self.solver.denser(faces, &run) else { break };
            run = denser;
        }
        Ok(None)
    }

    fn crease(&mut self, half: usize, run: &Run) -> Result<(), SurfacingError> {
        let web = self.solver.web;
        let twin = web.twin(half).ok_or_else(|| open(middle(web, half)))?;
        let nodes = self.ends(half)?.map(|e| e.node);
        let starts_level = web.off_ridge(half).is_some();
        let [own, other] = self.between([web.face(half), web.face(twin)], nodes, run, starts_level)?;
        self.uses.insert(half, own);
        self.uses.insert(twin, other);
        Ok(())
    }

    /// The source's own curve of an edge of which nothing changes.
    fn unchanged(&self, half: usize, ends: [&End; 2], [from, to]: [f64; 2]) -> Option<NurbsCurve> {
        let web = self.solver.web;
        let beside = std::iter::once(half).chain(web.twin(half));
        let curve = web.shell().edge(web.halves.all[half].edge).curve.as_ref()?;
        let d = curve.domain();
        let same = |a: f64, b: f64| (a - b).abs() <= SAME_LINE * d.length();
        let near = |end: &End, p: Point3| {
            (self.nodes.points[end.node] - p).norm() <= self.solver.tolerance.resolution
        };
        let unchanged = beside.into_iter().all(|h| self.still[web.face(h)])
            && same(from, d.start)
            && same(to, d.end)
            && near(ends[0], curve.start())
            && near(ends[1], curve.end());
        unchanged.then(|| curve.clone())
    }

    /// An edge that goes with its face.
    fn line(&mut self, half: usize, line: &NurbsCurve) -> Result<(), SurfacingError> {
        let web = self.solver.web;
        let lost = || open(middle(web, half));
        let ends = self.ends(half)?;
        let forward = web.halves.all[half].forward;
        let [a, b] = if forward { ends } else { [ends[1], ends[0]] };
        let (from, to) = a.t.zip(b.t).filter(|(a, b)| a < b).ok_or_else(lost)?;
        let part = line.part(from, to);
        let curve = match self.unchanged(half, [&a, &b], [from, to]) {
            Some(curve) => curve,
            None => {
                curve_on(&self.solver.faces[web.face(half)].ground.surface, &part, self.solver.tolerance)?.0
            }
        };
        let edge = self.put(Some(curve.clone()), [a.node, b.node]);
        self.uses.insert(half, OrientedEdge { edge, forward, pcurve: part });
        match web.twin(half) {
            Some(twin) => {
                let other = self.solver.lines[twin].as_ref().ok_or_else(lost)?.part(from, to);
                self.uses.insert(twin, OrientedEdge { edge, forward: !forward, pcurve: other });
            }
            None => self.free.push((web.halves.all[half].edge, curve)),
        }
        Ok(())
    }

    /// The uses of one loop, seen from outside.
    fn bound(&mut self, run: &[usize]) -> Result<Vec<OrientedEdge>, SurfacingError> {
        let web = self.solver.web;
        let mut out = Vec::with_capacity(run.len());
        for &half in run {
            out.push(self.uses.get(&half).cloned().ok_or_else(|| open(middle(web, half)))?);
            for &(d, along) in self.nodes.inserts.get(&half).map_or(&[][..], Vec::as_slice) {
                out.push(self.diagonals[d][usize::from(!along)].clone());
            }
            if !self.nodes.inserts.contains_key(&half) {
                out.extend(self.pole(half)?);
            }
        }
        Ok(out)
    }

    /// The pole between a half-edge and the next one, if the face still shrinks to a point there.
    fn pole(&mut self, half: usize) -> Result<Option<OrientedEdge>, SurfacingError> {
        let web = self.solver.web;
        let [from, to] = [self.ends(half)?[1], self.ends(web.next(half))?[0]];
        let surface = &self.solver.faces[web.face(half)].ground.surface;
        let at = |s: f64| {
            let [u, v] = [0, 1].map(|k| from.uv[k] + (to.uv[k] - from.uv[k]) * s);
            surface.point(u, v)
        };
        let extent: [Domain; 2] = surface.domain().into();
        if (0..2).all(|k| (from.uv[k] - to.uv[k]).abs() <= SAME * extent[k].length()) {
            return Ok(None);
        }
        let apart = (0..=LOOKED_AT).map(|k| (at(k as f64 / LOOKED_AT as f64) - at(0.0)).norm());
        // The tip of a cone opens when it is offset; that of a dome stays one.
        if apart.fold(0.0, f64::max) > self.solver.tolerance.join {
            return if web.poles_after(half).is_empty() { Ok(None) } else { Err(open(at(0.0))) };
        }
        let edge = self.put(None, [from.node, to.node]);
        let pcurve = straight_pcurve(Domain::new(0.0, 1.0), from.uv, to.uv)?;
        Ok(Some(OrientedEdge { edge, forward: true, pcurve }))
    }

    fn shell(mut self) -> Result<OffsetShell, SurfacingError> {
        let Solver { web, faces, tolerance, .. } = *self.solver;
        let mut out: Vec<Face> = Vec::new();
        let mut of = Vec::new();
        for (f, loops) in web.loops().into_iter().enumerate().filter(|(_, l)| !l.is_empty()) {
            let source = &web.shell().faces()[f];
            let mut bounds = Vec::with_capacity(loops.len());
            for run in loops {
                let mut edges = self.bound(&run)?;
                if source.reversed {
                    edges.reverse();
                    edges.iter_mut().for_each(|u| u.forward = !u.forward);
                }
                bounds.push(Loop { edges });
            }
            let surface = Arc::clone(&faces[f].ground.surface);
            out.push(Face { surface, loops: bounds, ..source.clone() });
            of.push(f);
        }
        let mut vertices: Vec<Vertex> = self.nodes.points.iter().map(|p| Vertex { point: *p }).collect();
        for edge in &self.edges {
            let Some(curve) = &edge.curve else { continue };
            for (v, p) in [(edge.start, curve.start()), (edge.end, curve.end())] {
                let vertex = &mut vertices[v.index()];
                if (vertex.point - p).norm() <= 1e-9 {
                    vertex.point = p;
                }
            }
        }
        measured(&mut self.edges, &vertices, &out, &|_| true, tolerance).map_err(open)?;
        if let Some(at) = out.iter().find_map(crosses_itself) {
            return Err(open(at));
        }
        let shell = Shell::of_used(&vertices, &self.edges, out)?;
        // Of a piece that has vanished nothing is left that could be an offset.
        let source = web.shell();
        if shell.faces().is_empty() || shell.pieces().len() != source.pieces().len() {
            return Err(open(source.vertices().first().map_or_else(Point3::origin, |v| v.point)));
        }
        let (free, overhangs) = (self.free, self.overhangs);
        Ok(OffsetShell { shell, of, free, rungs: Vec::new(), overhangs, max_deviation: 0.0, eased: None })
    }
}
