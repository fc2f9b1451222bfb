//! Roundings about as tight as the distance, whose offsets fold in some places and not in others: they are left out, the faces
//! beside them meet in an edge, and that is rounded by a ball as large as the largest rounding that would have been left. No place
//! then comes nearer to the shell than asked; beside the edge it stays a little farther away.

use std::collections::BTreeSet;

use geometry::{Domain, NurbsCurve, Point3, Tolerance, closest_on_surface, tightest_bend_of};
use topology::{EdgeId, Face, Shell, face_extent};

use super::parted::{folded, looked_at, tighter};
use super::{Joints, Kind, OffsetShell, rebuilt};
use crate::loops::Outlines;
use crate::{EdgeShape, Round, Rounded, Rounding, Size, SurfacingError, round_edges};

/// Radius of a rounding, as a share of the distance, up to which it is about as tight.
const TIGHT: f64 = 3.0;
/// The same up to which it all but folds.
pub(super) const ALL_BUT: f64 = 1.02;
/// The same up to which one ball does for several that meet.
const ONE_BALL: f64 = 1.35;
/// Radius of the smallest ball, as a share of the distance.
const SMALLEST: f64 = 0.02;
/// Places of an edge at which is looked how large a ball it takes.
const ALONG: usize = 24;
/// Places of a rounding in either direction at which is looked how tight it is.
const LOOKED_AT: usize = 24;
/// How much larger the ball is than the largest rounding left.
const LARGER: f64 = 1.02;
/// How far the faces beside grow, as a share of the distance.
const GROWN: f64 = 2.0;

/// The shell offset without its tight roundings; `None` where those are not all that folds.
///
/// # Errors
/// What keeps the faces beside them from meeting, or their edges from being rounded.
pub(super) fn without_tight(
    shell: &Shell,
    distances: &[f64],
    joints: &Joints,
    tolerance: &Tolerance,
) -> Result<Option<OffsetShell>, SurfacingError> {
    let most = distances.iter().fold(0.0, |a: f64, d| a.max(d.abs()));
    let Some(Tight { gone, left }) = Tight::of(shell, distances, joints) else { return Ok(None) };
    let made = rebuilt::closed_over(shell, &gone, distances, joints, GROWN * most, tolerance)?;
    if left <= tolerance.fit {
        return Ok(Some(made));
    }
    let is_open = joints.kinds.iter().zip(&joints.users).any(|(k, u)| *k == Kind::Free && !u.is_empty());
    let pairs = met_again(&made, &gone, joints);
    if is_open || pairs.is_empty() {
        return Ok(None);
    }
    let numbered = with_roles(&made.shell, &|k| k.to_string())?;
    let edges: Vec<EdgeId> = pairs.iter().map(|(e, _)| *e).collect();
    let rounded = if share_vertices(&numbered, &edges) {
        if left > (ONE_BALL - 1.0) * most {
            return Ok(None);
        }
        let size = |_: f64| LARGER * left;
        rounded(&numbered, edges, &size, tolerance)?
    } else {
        let roundings: Vec<(&Face, f64)> = gone.iter().map(|&f| (&shell.faces()[f], distances[f])).collect();
        rounded_in_turn(numbered, &pairs, &roundings, tolerance)?
    };
    let of: Vec<usize> = rounded
        .shell
        .faces()
        .iter()
        .map(|f| match f.role.parse::<usize>() {
            Ok(k) => made.of[k],
            Err(_) => beside(shell, &gone, f),
        })
        .collect();
    let shell = with_roles(&rounded.shell, &|k| shell.faces()[of[k]].role.clone())?;
    let max_deviation = made.max_deviation.max(rounded.max_deviation);
    Ok(Some(OffsetShell { shell, of, max_deviation, ..made }))
}

/// Whether a face bends about as tightly as its distance somewhere.
pub(super) fn all_but_folds(face: &Face, distance: f64) -> bool {
    let along_normal = if face.reversed { -distance } else { distance };
    let tightest = tightest_bend_of(&face.surface, face_extent(face), along_normal > 0.0);
    tightest.is_some_and(|(radius, _)| radius <= ALL_BUT * distance.abs())
}

/// A shell with edges rounded by a ball whose size is told by the share of the way.
fn rounded(
    shell: &Shell,
    edges: impl IntoIterator<Item = EdgeId>,
    size: &dyn Fn(f64) -> f64,
    tolerance: &Tolerance,
) -> Result<Rounded, SurfacingError> {
    let rounding = Rounding {
        shape: EdgeShape::Fillet(Round::Arc),
        sizes: &[Size { at: size, even: false }],
        flat_ends: false,
    };
    round_edges(shell, &edges.into_iter().map(|e| (e, 0)).collect(), &rounding, tolerance)
}

fn share_vertices(shell: &Shell, edges: &[EdgeId]) -> bool {
    let ends = |e: &EdgeId| [shell.edge(*e).start, shell.edge(*e).end];
    edges
        .iter()
        .enumerate()
        .any(|(k, e)| edges[k + 1..].iter().any(|f| ends(e).iter().any(|v| ends(f).contains(v))))
}

/// A shell whose faces are numbered with the edges between pairs of them rounded, each by a ball that is as large everywhere as what
/// would have been left of the rounding there.
fn rounded_in_turn(
    shell: Shell,
    pairs: &[(EdgeId, [usize; 2])],
    roundings: &[(&Face, f64)],
    tolerance: &Tolerance,
) -> Result<Rounded, SurfacingError> {
    let mut made = Rounded { shell, edges: 0, radii: None, flat_ends: Vec::new(), max_deviation: 0.0 };
    for (_, pair) in pairs {
        let Some(edge) = between(&made.shell, *pair) else { continue };
        let Some(curve) = made.shell.edge(edge).curve.clone() else { continue };
        let balls = balls_along(&curve, roundings);
        let size = |share: f64| {
            let x = share.clamp(0.0, 1.0) * ALONG as f64;
            let k = (x as usize).min(ALONG - 1);
            balls[k] + (balls[k + 1] - balls[k]) * (x - k as f64)
        };
        let next = rounded(&made.shell, [edge], &size, tolerance)?;
        made = Rounded { max_deviation: made.max_deviation.max(next.max_deviation), ..next };
    }
    Ok(made)
}

/// The edge between two faces, told by their numbers.
fn between(shell: &Shell, pair: [usize; 2]) -> Option<EdgeId> {
    let roles = pair.map(|k| k.to_string());
    let uses = |role: &String| -> BTreeSet<EdgeId> {
        let faces = shell.faces().iter().filter(|f| f.role == *role);
        faces.flat_map(|f| &f.loops).flat_map(|l| &l.edges).map(|u| u.edge).collect()
    };
    uses(&roles[0]).intersection(&uses(&roles[1])).next().copied()
}

/// The radii, at even shares of a curve's length, of what would have been left of roundings beside it, and a little more.
fn balls_along(curve: &NurbsCurve, roundings: &[(&Face, f64)]) -> Vec<f64> {
    let place = |k: usize| curve.point(curve.parameter_at_share(k as f64 / ALONG as f64));
    let places: Vec<Point3> = (0..=ALONG).map(place).collect();
    let nearest = |p: &Point3| {
        let found = roundings.iter().map(|(face, d)| (closest_on_surface(&face.surface, p), *face, *d));
        found.min_by(|a, b| a.0.distance.total_cmp(&b.0.distance))
    };
    let left = |p: &Point3| {
        nearest(p).map_or(0.0, |(foot, face, distance)| left_across(face, distance, foot.parameters))
    };
    let left: Vec<f64> = places.iter().map(left).collect();
    // As large as beside it, since what lies between two places may be larger than at either.
    let about = |k: usize| &left[k.saturating_sub(1)..=(k + 1).min(ALONG)];
    (0..=ALONG).map(|k| LARGER * about(k).iter().copied().fold(0.0, f64::max)).collect()
}

/// The largest radius that the offset of a rounding has across a place.
fn left_across(face: &Face, distance: f64, at: [f64; 2]) -> f64 {
    let along_normal = if face.reversed { -distance } else { distance };
    let d = face.surface.derivatives(at[0], at[1]);
    // It is rounded along the parameter that bends more tightly.
    let axis = tighter(&d, along_normal).unwrap_or(0);
    let extent = face_extent(face)[axis];
    let radius = |k: usize| {
        let mut place = at;
        place[axis] = extent.at((k as f64 + 0.5) / LOOKED_AT as f64);
        let over = folded(&face.surface.derivatives(place[0], place[1]), along_normal);
        if over > -1.0 { distance.abs() / (1.0 + over) } else { f64::MAX }
    };
    let widest = (0..LOOKED_AT).map(radius).fold(0.0, f64::max);
    (widest.min(TIGHT * distance.abs()) - distance.abs()).max(SMALLEST * distance.abs())
}

/// A shell with other roles of its faces, by their numbers.
fn with_roles(shell: &Shell, role: &dyn Fn(usize) -> String) -> Result<Shell, SurfacingError> {
    let faces = shell.faces().iter().enumerate().map(|(k, f)| Face { role: role(k), ..f.clone() }).collect();
    Ok(Shell::try_new(shell.vertices().to_vec(), shell.edges().to_vec(), faces)?)
}

/// Roundings that are left out, and the largest radius in millimetres that the offset of one of them would have.
struct Tight {
    gone: BTreeSet<usize>,
    left: f64,
}

impl Tight {
    /// `None` where something else folds too, or nothing does.
    fn of(shell: &Shell, distances: &[f64], joints: &Joints) -> Option<Self> {
        let bends: Vec<Option<[f64; 2]>> =
            shell.faces().iter().zip(distances).map(|(face, d)| radii(face, *d)).collect();
        let folds = |f: usize| bends[f].is_some_and(|[tightest, _]| tightest <= ALL_BUT * distances[f].abs());
        let is_tight = |f: usize| bends[f].is_some_and(|[_, widest]| widest <= TIGHT * distances[f].abs());
        let mut gone: BTreeSet<usize> = (0..bends.len()).filter(|&f| folds(f)).collect();
        if gone.is_empty() || !gone.iter().all(|&f| is_tight(f)) {
            return None;
        }
        // What goes on from them without folding goes too.
        loop {
            let smooth = joints.users.iter().zip(&joints.kinds).filter(|(_, k)| **k == Kind::Smooth);
            let beside = smooth.filter_map(|(users, _)| match users[..] {
                [(f, ..), (g, ..)] if gone.contains(&f) != gone.contains(&g) => {
                    Some(if gone.contains(&f) { g } else { f })
                }
                _ => None,
            });
            let more: Vec<usize> = beside.filter(|&f| is_tight(f)).collect();
            if more.is_empty() {
                break;
            }
            gone.extend(more);
        }
        let left = |f: &usize| bends[*f].map_or(0.0, |[_, widest]| widest - distances[*f].abs());
        let left = gone.iter().map(left).fold(0.0, f64::max);
        Some(Self { gone, left })
    }
}

/// The tightest and the widest radius with which a face bends towards the side to which it is offset; `None` where it does not.
fn radii(face: &Face, distance: f64) -> Option<[f64; 2]> {
    let along_normal = if face.reversed { -distance } else { distance };
    let (surface, extent) = (&face.surface, face_extent(face));
    let (tightest, at) = tightest_bend_of(surface, extent, along_normal > 0.0)?;
    let knots = [surface.knots_u(), surface.knots_v()];
    let [us, vs] = [0, 1].map(|k| looked_at(knots[k], extent[k], LOOKED_AT, at[k]));
    let (outlines, whole) = (Outlines::of(face), face.is_whole());
    let places = us.iter().flat_map(|u| vs.iter().map(|v| [*u, *v]));
    let least = places
        .filter(|at| whole || outlines.hold(at))
        .map(|[u, v]| folded(&surface.derivatives(u, v), along_normal))
        .fold(f64::MAX, f64::min);
    let widest = if least > -1.0 { distance.abs() / (1.0 + least) } else { f64::MAX };
    Some([tightest, widest])
}

/// The edges in which faces meet that had a rounding between them and no edge, with the numbers of the faces.
fn met_again(made: &OffsetShell, gone: &BTreeSet<usize>, joints: &Joints) -> Vec<(EdgeId, [usize; 2])> {
    let before: BTreeSet<[usize; 2]> = joints
        .users
        .iter()
        .filter_map(|users| match users[..] {
            [(f, ..), (g, ..)] => Some([f.min(g), f.max(g)]),
            _ => None,
        })
        .collect();
    let beside = |f: usize, g: usize| before.contains(&[f.min(g), f.max(g)]);
    let mut users: Vec<Vec<usize>> = vec![Vec::new(); made.shell.edges().len()];
    for (k, face) in made.shell.faces().iter().enumerate() {
        for used in face.loops.iter().flat_map(|l| &l.edges) {
            users[used.edge.index()].push(k);
        }
    }
    let found = users.iter().enumerate().filter_map(|(e, users)| {
        let [i, j] = users[..] else { return None };
        let [f, g] = [made.of[i], made.of[j]];
        let again = f != g && !beside(f, g) && gone.iter().any(|&r| beside(f, r) && beside(g, r));
        again.then_some((EdgeId(e as u32), [i, j]))
    });
    found.collect()
}

/// That of some faces which a face stands for: the nearest one.
fn beside(shell: &Shell, gone: &BTreeSet<usize>, face: &Face) -> usize {
    let extent: [Domain; 2] = face_extent(face);
    let at = face.surface.point(extent[0].at(0.5), extent[1].at(0.5));
    let away = |f: &usize| closest_on_surface(&shell.faces()[*f].surface, &at).distance;
    gone.iter().copied().min_by(|a, b| away(a).total_cmp(&away(b))).unwrap_or_default()
}
