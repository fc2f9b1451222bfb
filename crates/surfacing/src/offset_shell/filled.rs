//! An opening closed by the faces beside it, made longer over it and cut against each other, or against a filler.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use geometry::{
    Domain, GoesOn, NurbsCurve, NurbsSurface, Point3, SurfaceSide, Tolerance, closest_on_curve,
    extended_surface,
};
use topology::{
    EdgeId, Face, FaceId, Imprint, OrientedEdge, Shell, VertexId, closure, face_extent, free_edges,
    imprint_where, inner_place, natural_shell,
};

use super::carried::curve_on;
use super::reach::run_on;
use super::{Joints, Kind, LEVEL, Offsets, Opening, face_surface};
use crate::SurfacingError;
use crate::side::Side;
use crate::thick::middle_of;

/// Places along an edge, ends left out, at which is looked whether it runs along a border.
const LOOKED_AT: usize = 16;
/// How much farther than the opening faces are made, and how many times the join tolerance elsewhere.
const FARTHER: f64 = 1.3;
const BESIDE: f64 = 4.0;
/// Share of a face's extent within which an edge runs along a border.
const ALONG: f64 = 0.05;

/// A shell with an opening closed by the faces beside it, or by a filler, which is its last face then.
///
/// # Errors
/// `ManyFaces`, `OffsetOpen` where they do not close it.
pub(crate) fn filled_shell(
    shell: &Shell,
    opening: &Opening<'_>,
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let offsets = Offsets::new(shell, tolerance)?;
    let mut joints = offsets.joints(&vec![0.0; shell.faces().len()]);
    for (kind, angle) in joints.kinds.iter_mut().zip(&offsets.angles) {
        if *angle > LEVEL {
            *kind = Kind::Sharp;
        }
    }
    for edge in opening.edges {
        joints.kinds[edge.index()] = Kind::Sharp;
    }
    let faces = shell.faces();
    let mut members: Vec<Shell> = Vec::with_capacity(faces.len());
    let mut surfaces: Vec<Arc<NurbsSurface>> = Vec::with_capacity(faces.len());
    for (f, face) in faces.iter().enumerate() {
        let surface = longer(shell, f, &joints, opening, tolerance);
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
    let far = (BESIDE * tolerance.join).max(FARTHER * opening.reach);
    let mut kept: Vec<Kept> = Vec::new();
    for edge in (0..joints.kinds.len()).filter(stays) {
        let (f, l, k) = joints.users[edge][0];
        let at_sharp = ends_of(shell, edge).map(|v| sharp_ends.contains(&v));
        let pcurve = run_on(&surfaces[f], &faces[f].loops[l].edges[k].pcurve, at_sharp, far);
        let (curve, _) = curve_on(&surfaces[f], &pcurve, tolerance)?;
        members.push(Shell::of_curves(std::slice::from_ref(&curve), tolerance)?);
        kept.push(Kept { edge, is_free: joints.kinds[edge] == Kind::Free, curve });
    }
    let meet = Meet::new(shell, &joints, &kept, opening);
    let last = members.len();
    let all: Vec<&Shell> = members.iter().chain(opening.filler.map(|f| f.0)).collect();
    let made = imprint_where(&all, &|a, b| meet.meet(a, b), tolerance)?;
    let mut chosen = Vec::new();
    for (f, face) in faces.iter().enumerate() {
        let lost = || {
            let [u, v] = face_extent(face);
            SurfacingError::OffsetOpen { at: surfaces[f].point(u.at(0.5), v.at(0.5)).into() }
        };
        let at = inner_place(face).ok_or_else(lost)?;
        chosen.extend(made.part_about(f, FaceId(0), at, &|i| i != f && meet.meet(f, i)).ok_or_else(lost)?);
    }
    if let Some((filler, at)) = opening.filler {
        let about = made.part_about(last, FaceId(0), at, &|i| i < faces.len() && meet.meet(last, i));
        let lost = || SurfacingError::OffsetOpen { at: filler.faces()[0].surface.point(at[0], at[1]).into() };
        chosen.extend(about.ok_or_else(lost)?);
    }
    if let Some(at) = turned_over(shell, &joints, &made, &chosen) {
        return Err(SurfacingError::OffsetOpen { at: at.into() });
    }
    let result = made.shell_of(&chosen)?;
    if let Some(at) = newly_free(&result, &kept, tolerance) {
        return Err(SurfacingError::OffsetOpen { at });
    }
    if closure(&result).overused_edges > 0 || result.pieces().len() != shell.pieces().len() {
        let place = result.vertices().first().map_or([0.0; 3], |v| v.point.into());
        return Err(SurfacingError::OffsetOpen { at: place });
    }
    Ok(result)
}

/// The surface of a face, longer where it has to reach over the opening.
fn longer(
    shell: &Shell,
    f: usize,
    joints: &Joints,
    opening: &Opening<'_>,
    tolerance: &Tolerance,
) -> Arc<NurbsSurface> {
    let face = &shell.faces()[f];
    let extent = face_extent(face);
    let mut reach = [0.0_f64; 4];
    for used in face.loops.iter().flat_map(|l| &l.edges) {
        if joints.kinds[used.edge.index()] != Kind::Sharp {
            continue;
        }
        let needed = if opening.edges.contains(&used.edge) { opening.reach } else { 0.0 };
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
                reach[k] = reach[k].max(FARTHER * needed + BESIDE * tolerance.join);
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
    let mut surface = face_surface(face, part);
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
    surface
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

/// An edge that stays, as a curve on its face, run on at ends where others cut it.
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
    fn new(shell: &Shell, joints: &Joints, kept: &[Kept], opening: &Opening<'_>) -> Self {
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

/// A place of a free edge that stands for none that was one before.
fn newly_free(result: &Shell, kept: &[Kept], tolerance: &Tolerance) -> Option<[f64; 3]> {
    let was = |at: &[f64; 3]| {
        let free = kept.iter().filter(|k| k.is_free);
        free.map(|k| closest_on_curve(&k.curve, &Point3::from(*at)).distance).any(|d| d <= tolerance.join)
    };
    free_edges(result).into_iter().map(|id| middle_of(result, id)).find(|at| !was(at))
}
