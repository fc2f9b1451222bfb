//! Offset faces made longer over the edges at which they come apart, and cut against each other.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use geometry::{
    Domain, GoesOn, NurbsCurve, NurbsSurface, Point3, SurfaceSide, Tolerance, closest_on_curve,
    extended_surface, polygon_holds, with_end_at,
};
use topology::{
    EdgeId, Face, FaceId, Imprint, OrientedEdge, Shell, VertexId, closure, face_extent, free_edges,
    imprint_where, inner_place, natural_shell,
};

use super::carried::curve_on;
use super::{Joints, Kind, OffsetShell, Opening, face_surface, offset_of};
use crate::SurfacingError;
use crate::side::Side;
use crate::thick::middle_of;

/// Shares of an edge at which is measured how far faces have to reach beyond it.
const PLACES: [f64; 5] = [0.02, 0.25, 0.5, 0.75, 0.98];
/// Places along an edge, ends left out, at which is looked whether it runs along a border.
const LOOKED_AT: usize = 16;
/// Places of a face, in either direction, among which one that stays is looked for.
const GRID: usize = 16;
/// How much farther than that they are made.
const FARTHER: f64 = 1.3;
/// The same as a share of the distance.
const BESIDE: f64 = 0.2;
/// Share of a face's extent within which an edge runs along a border.
const ALONG: f64 = 0.05;

/// The shell offset face by face, with the faces cut against those that they meet at an angle, and grown over an opening.
pub(super) fn recut(
    shell: &Shell,
    distances: &[f64],
    joints: &Joints,
    opening: Option<&Opening<'_>>,
    tolerance: &Tolerance,
) -> Result<OffsetShell, SurfacingError> {
    let faces = shell.faces();
    let mut members: Vec<Shell> = Vec::with_capacity(faces.len());
    let mut surfaces: Vec<Arc<NurbsSurface>> = Vec::with_capacity(faces.len());
    let mut max_deviation: f64 = 0.0;
    let most = distances.iter().fold(0.0, |a: f64, d| a.max(d.abs()));
    let beside = BESIDE * most + 4.0 * tolerance.join;
    for (f, face) in faces.iter().enumerate() {
        let (surface, deviation) = longer(shell, f, distances, joints, opening, beside, tolerance)?;
        max_deviation = max_deviation.max(deviation);
        let member = natural_shell(surface.clone(), &face.role, tolerance)?;
        members.push(if face.reversed { member.flipped() } else { member });
        surfaces.push(surface);
    }
    // Edges that stay: where faces meet smoothly, and free ones.
    let stays = |e: &usize| match joints.kinds[*e] {
        Kind::Free => true,
        Kind::Smooth => joints.users[*e].len() == 2 && joints.users[*e][0].0 != joints.users[*e][1].0,
        Kind::Sharp => false,
    };
    let sharp_ends: BTreeSet<VertexId> = (0..joints.kinds.len())
        .filter(|&e| joints.kinds[e] == Kind::Sharp)
        .flat_map(|e| ends_of(shell, e))
        .collect();
    let far = (most + beside).max(opening.map_or(0.0, |o| FARTHER * o.reach));
    let mut kept: Vec<Kept> = Vec::new();
    for edge in (0..joints.kinds.len()).filter(stays) {
        let (f, l, k) = joints.users[edge][0];
        let at_sharp = ends_of(shell, edge).map(|v| sharp_ends.contains(&v));
        let pcurve = run_on(&surfaces[f], &faces[f].loops[l].edges[k].pcurve, at_sharp, far);
        let (curve, deviation) = curve_on(&surfaces[f], &pcurve, tolerance)?;
        max_deviation = max_deviation.max(deviation);
        members.push(Shell::of_curves(std::slice::from_ref(&curve), tolerance)?);
        kept.push(Kept { edge, is_free: joints.kinds[edge] == Kind::Free, curve });
    }
    let meet = Meet::new(shell, joints, &kept, opening);
    let filler = opening.and_then(|o| o.filler);
    let last = members.len();
    let all: Vec<&Shell> = members.iter().chain(filler.map(|f| f.0)).collect();
    let made = imprint_where(&all, &|a, b| meet.meet(a, b), tolerance)?;
    let mut chosen = Vec::new();
    for (f, face) in faces.iter().enumerate() {
        let lost = || {
            let [u, v] = face_extent(face);
            SurfacingError::OffsetOpen { at: surfaces[f].point(u.at(0.5), v.at(0.5)).into() }
        };
        let at = kept_place(shell, f, distances, joints).ok_or_else(lost)?;
        chosen.extend(made.part_about(f, FaceId(0), at, &|i| i != f && meet.meet(f, i)).ok_or_else(lost)?);
    }
    if let Some((filler, at)) = filler {
        let about = made.part_about(last, FaceId(0), at, &|i| i < faces.len() && meet.meet(last, i));
        let lost = || SurfacingError::OffsetOpen { at: filler.faces()[0].surface.point(at[0], at[1]).into() };
        chosen.extend(about.ok_or_else(lost)?);
    }
    if let Some(at) = turned_over(shell, joints, &made, &chosen) {
        return Err(SurfacingError::OffsetOpen { at: at.into() });
    }
    let result = made.shell_of(&chosen)?;
    let free = free_runs(&result, &kept, tolerance)?;
    if closure(&result).overused_edges > 0 || result.pieces().len() != shell.pieces().len() {
        let place = result.vertices().first().map_or([0.0; 3], |v| v.point.into());
        return Err(SurfacingError::OffsetOpen { at: place });
    }
    let same = |face: &Face| surfaces.iter().position(|s| Arc::ptr_eq(s, &face.surface)).unwrap_or_default();
    let of = result.faces().iter().map(same).collect();
    Ok(OffsetShell { shell: result, of, free, overhangs: Vec::new(), max_deviation })
}

/// The surface of a face, offset, and longer where the face has to reach beyond its edges.
fn longer(
    shell: &Shell,
    f: usize,
    distances: &[f64],
    joints: &Joints,
    opening: Option<&Opening<'_>>,
    beside: f64,
    tolerance: &Tolerance,
) -> Result<(Arc<NurbsSurface>, f64), SurfacingError> {
    let face = &shell.faces()[f];
    let extent = face_extent(face);
    let mut reach = [0.0_f64; 4];
    for used in face.loops.iter().flat_map(|l| &l.edges) {
        if joints.kinds[used.edge.index()] != Kind::Sharp {
            continue;
        }
        let needed = match opening {
            Some(opening) if opening.edges.contains(&used.edge) => opening.reach,
            _ => reach_over(shell, f, used, distances, joints),
        };
        let d = used.pcurve.domain();
        for (k, side) in SurfaceSide::ALL.into_iter().enumerate() {
            let along = extent[usize::from(!side.is_u())];
            let border = if side.is_start() { along.start } else { along.end };
            let near = |s: &f64| {
                let p = used.pcurve.point(d.at(*s));
                let value = if side.is_u() { p.x } else { p.y };
                (value - border).abs() <= ALONG * along.length()
            };
            if (0..LOOKED_AT).map(|k| (k as f64 + 0.5) / LOOKED_AT as f64).any(|s| near(&s)) {
                reach[k] = reach[k].max(FARTHER * needed.max(0.0) + beside);
            }
        }
    }
    let whole: [Domain; 2] = face.surface.domain().into();
    let speed = speeds(face, extent);
    // What the surface has beyond the face comes first.
    let part = [0, 1].map(|k| {
        let grown = |side: usize| reach[2 * k + side] / speed[k];
        Domain::new(whole[k].clamp(extent[k].start - grown(0)), whole[k].clamp(extent[k].end + grown(1)))
    });
    let along_normal = if face.reversed { -distances[f] } else { distances[f] };
    let (mut surface, deviation) =
        offset_of(&face_surface(face, part), along_normal, Some(extent), tolerance)?;
    for (k, side) in SurfaceSide::ALL.into_iter().enumerate() {
        let axis = usize::from(!side.is_u());
        let had = if side.is_start() {
            extent[axis].start - part[axis].start
        } else {
            part[axis].end - extent[axis].end
        };
        let left = reach[k] - had * speed[axis];
        if left > tolerance.join
            && let Ok(more) = extended_surface(&surface, side, left, GoesOn::Naturally)
        {
            surface = Arc::new(more);
        }
    }
    Ok((surface, deviation))
}

/// A place of a face that is most likely to stay when its edges move inward: as far as can be from where they will be. It is one
/// of a grid, where any edge moves inward at all.
fn kept_place(shell: &Shell, f: usize, distances: &[f64], joints: &Joints) -> Option<[f64; 2]> {
    let face = &shell.faces()[f];
    let moves = |used: &OrientedEdge| match joints.kinds[used.edge.index()] {
        Kind::Sharp => {
            -reaches(shell, f, used, distances, joints).into_iter().reduce(f64::min).unwrap_or_default()
        }
        Kind::Smooth | Kind::Free => 0.0,
    };
    // What is farther from an edge than it moves stays.
    let mut edges: Vec<(f64, Vec<Point3>)> = Vec::new();
    let mut outlines: Vec<Vec<[f64; 2]>> = Vec::new();
    for bound in &face.loops {
        let mut outline = Vec::new();
        for used in &bound.edges {
            let d = used.pcurve.domain();
            let mut run: Vec<Point3> =
                (0..=LOOKED_AT).map(|k| used.pcurve.point(d.at(k as f64 / LOOKED_AT as f64))).collect();
            edges.push((moves(used), run.iter().map(|p| face.surface.point(p.x, p.y)).collect()));
            if !used.forward {
                run.reverse();
            }
            outline.extend(run.iter().take(LOOKED_AT).map(|p| [p.x, p.y]));
        }
        outlines.push(outline);
    }
    if edges.iter().all(|(by, _)| *by <= 0.0) {
        return inner_place(face);
    }
    let (outer, holes) = outlines.split_first()?;
    let extent = face_extent(face);
    let mut best: Option<(f64, [f64; 2])> = None;
    for i in 1..GRID {
        for j in 1..GRID {
            let at = [extent[0].at(i as f64 / GRID as f64), extent[1].at(j as f64 / GRID as f64)];
            if !polygon_holds(outer, &at) || holes.iter().any(|h| polygon_holds(h, &at)) {
                continue;
            }
            let place = face.surface.point(at[0], at[1]);
            let left = |(by, run): &(f64, Vec<Point3>)| {
                run.iter().map(|p| (p - place).norm()).fold(f64::MAX, f64::min) - by
            };
            let room = edges.iter().map(left).fold(f64::MAX, f64::min);
            if best.is_none_or(|b| room > b.0) {
                best = Some((room, at));
            }
        }
    }
    best.map_or_else(|| inner_place(face), |b| Some(b.1))
}

/// How far a face has to reach beyond an edge at most.
pub(super) fn reach_over(
    shell: &Shell,
    f: usize,
    used: &OrientedEdge,
    distances: &[f64],
    joints: &Joints,
) -> f64 {
    reaches(shell, f, used, distances, joints).into_iter().fold(0.0, f64::max)
}

/// How far a face has to reach beyond an edge at places of it, below 0 where it ends before it.
fn reaches(shell: &Shell, f: usize, used: &OrientedEdge, distances: &[f64], joints: &Joints) -> Vec<f64> {
    let faces = shell.faces();
    let other = joints.users[used.edge.index()].iter().find(|u| u.0 != f);
    let Some(&(g, l, k)) = other else { return Vec::new() };
    let d = used.pcurve.domain();
    let at = |s: f64| {
        let t = d.at(s);
        let own = Side::new(&faces[f], used, t)?;
        let other = Side::new(&faces[g], &faces[g].loops[l].edges[k], t)?;
        Some(own.reach(distances[f], &other, distances[g]))
    };
    PLACES.into_iter().filter_map(at).collect()
}

/// The smallest speeds of a face's surface along u and v where the face is.
fn speeds(face: &Face, extent: [Domain; 2]) -> [f64; 2] {
    let mut out = [f64::MAX; 2];
    let mut most = [0.0_f64; 2];
    for i in 0..=4 {
        for j in 0..=4 {
            let (u, v) = (extent[0].at(f64::from(i) / 4.0), extent[1].at(f64::from(j) / 4.0));
            let (_, du, dv) = face.surface.tangents(u, v);
            for (k, speed) in [du.norm(), dv.norm()].into_iter().enumerate() {
                out[k] = out[k].min(speed);
                most[k] = most[k].max(speed);
            }
        }
    }
    [0, 1].map(|k| out[k].max(0.1 * most[k]).max(f64::MIN_POSITIVE))
}

/// A parameter curve that runs on at those ends where it has to be cut by others, as far as the surface goes.
pub(super) fn run_on(
    surface: &NurbsSurface,
    pcurve: &NurbsCurve,
    ends: [bool; 2],
    length: f64,
) -> NurbsCurve {
    let domains: [Domain; 2] = surface.domain().into();
    let on_surface = |c: &NurbsCurve| {
        c.knots().sampled(4).into_iter().all(|t| {
            let p = c.point(t);
            [p.x, p.y].iter().zip(&domains).all(|(x, d)| {
                let margin = 1e-12 * d.length();
                *x >= d.start - margin && *x <= d.end + margin
            })
        })
    };
    let at_end = |curve: &NurbsCurve| {
        let d = curve.domain();
        let (p, rate) = (curve.end(), curve.velocity(d.end));
        let (_, du, dv) = surface.tangents(p.x, p.y);
        let speed = (du * rate.x + dv * rate.y).norm().max(f64::MIN_POSITIVE);
        let mut by = length / speed;
        for _ in 0..8 {
            if let Some(longer) = with_end_at(curve, d.end + by).filter(&on_surface) {
                return longer;
            }
            by *= 0.6;
        }
        curve.clone()
    };
    let mut out = pcurve.clone();
    if ends[1] {
        out = at_end(&out);
    }
    if ends[0] {
        let d = out.domain();
        let back = at_end(&out.reversed());
        let by = back.domain().length() - d.length();
        out = back.reversed().over(Domain::new(d.start - by, d.end));
    }
    out
}

/// An edge that stays, as a curve on the offset face, run on at ends where others cut it.
struct Kept {
    /// Its number in the shell.
    edge: usize,
    is_free: bool,
    curve: NurbsCurve,
}

fn ends_of(shell: &Shell, edge: usize) -> [VertexId; 2] {
    [shell.edges()[edge].start, shell.edges()[edge].end]
}

/// Which members are brought together: faces at sharp edges, and curves with the faces about them and with each other.
struct Meet(BTreeSet<[usize; 2]>);

impl Meet {
    /// Members are the faces, the edges that stay, and at last what fills the opening.
    fn new(shell: &Shell, joints: &Joints, kept: &[Kept], opening: Option<&Opening<'_>>) -> Self {
        let count = shell.faces().len();
        let mut pairs = BTreeSet::new();
        let mut put = |a: usize, b: usize| {
            if a != b {
                pairs.insert([a.min(b), a.max(b)]);
            }
        };
        let mut about: Vec<BTreeSet<usize>> = vec![BTreeSet::new(); shell.vertices().len()];
        for (e, users) in joints.users.iter().enumerate() {
            for &(f, _, _) in users {
                ends_of(shell, e).iter().for_each(|v| {
                    about[v.index()].insert(f);
                });
                if joints.kinds[e] == Kind::Sharp {
                    users.iter().for_each(|u| put(f, u.0));
                }
            }
        }
        let ends: Vec<[VertexId; 2]> = kept.iter().map(|k| ends_of(shell, k.edge)).collect();
        for (w, own) in ends.iter().enumerate() {
            own.iter().flat_map(|v| &about[v.index()]).for_each(|&f| put(f, count + w));
            let joined = |other: &[VertexId; 2]| other.iter().any(|v| own.contains(v));
            (0..w).filter(|&x| joined(&ends[x])).for_each(|x| put(count + w, count + x));
        }
        if let Some(opening) = opening {
            let users = opening.edges.iter().flat_map(|e| &joints.users[e.index()]);
            let beside: BTreeSet<usize> = users.map(|u| u.0).collect();
            let corners: BTreeSet<VertexId> =
                opening.edges.iter().flat_map(|e| ends_of(shell, e.index())).collect();
            // Edges that come to the opening go on over it.
            let coming = (0..kept.len()).filter(|&w| ends[w].iter().any(|v| corners.contains(v)));
            let growing: Vec<usize> = beside.iter().copied().chain(coming.map(|w| count + w)).collect();
            for &a in &growing {
                match opening.filler {
                    Some(_) => put(a, count + kept.len()),
                    None => beside.iter().for_each(|&f| put(f, a)),
                }
            }
        }
        Self(pairs)
    }

    fn meet(&self, a: usize, b: usize) -> bool {
        self.0.contains(&[a.min(b), a.max(b)])
    }
}

/// A place at which a face has passed through a neighbour, so that it meets it on its other side now.
fn turned_over(shell: &Shell, joints: &Joints, made: &Imprint, chosen: &[usize]) -> Option<Point3> {
    let mut users: BTreeMap<EdgeId, Vec<(usize, &OrientedEdge)>> = BTreeMap::new();
    for &i in chosen {
        for used in made.shell.faces()[i].loops.iter().flat_map(|l| &l.edges) {
            users.entry(used.edge).or_default().push((i, used));
        }
    }
    let of = |i: usize| made.sources[i].first().map_or(usize::MAX, |s| s.input);
    for (id, users) in &users {
        let (Some(curve), [(i, used), (j, _)]) = (&made.shell.edge(*id).curve, &users[..]) else { continue };
        let (f, g) = (of(*i), of(*j));
        let t = curve.domain().at(0.5);
        let at = curve.point(t);
        let between = (0..joints.kinds.len()).filter(|&e| {
            let has = |x: usize| joints.users[e].iter().any(|u| u.0 == x);
            f != g && joints.kinds[e] == Kind::Sharp && has(f) && has(g)
        });
        let foot = |e: usize| Some((e, closest_on_curve(shell.edges()[e].curve.as_ref()?, &at)));
        let Some((e, foot)) = between.filter_map(foot).min_by(|a, b| a.1.distance.total_cmp(&b.1.distance))
        else {
            continue;
        };
        let Some(&(_, l, k)) = joints.users[e].iter().find(|u| u.0 == f) else { continue };
        let face = &shell.faces()[f];
        let before = Side::new(face, &face.loops[l].edges[k], foot.parameter);
        let now = Side::new(&made.shell.faces()[*i], used, t);
        if let (Some(before), Some(now)) = (before, now)
            && before.out.dot(&now.out) < 0.0
        {
            return Some(at);
        }
    }
    None
}

/// The free edges of the result under the numbers of those that they stand for, in their direction.
///
/// # Errors
/// `OffsetOpen` for one that was none before.
fn free_runs(
    result: &Shell,
    kept: &[Kept],
    tolerance: &Tolerance,
) -> Result<Vec<(EdgeId, NurbsCurve)>, SurfacingError> {
    let run = |id: EdgeId| {
        let curve = result.edge(id).curve.as_ref()?;
        let t = curve.domain().at(0.5);
        let foot = |k: &'_ Kept| closest_on_curve(&k.curve, &curve.point(t));
        let feet = kept.iter().filter(|k| k.is_free).map(|k| (k, foot(k)));
        let (k, foot) = feet.min_by(|a, b| a.1.distance.total_cmp(&b.1.distance))?;
        if foot.distance > tolerance.join {
            return None;
        }
        let along = curve.velocity(t).dot(&k.curve.velocity(foot.parameter)) > 0.0;
        Some((EdgeId(k.edge as u32), if along { curve.clone() } else { curve.reversed() }))
    };
    let open = |id| SurfacingError::OffsetOpen { at: middle_of(result, id) };
    free_edges(result).into_iter().map(|id| run(id).ok_or_else(|| open(id))).collect()
}
