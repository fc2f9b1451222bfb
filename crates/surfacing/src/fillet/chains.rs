//! Edges that are rounded together: chains of those that follow each other along their tangents, and which of the chains that meet
//! comes before the others.

use std::collections::{BTreeMap, BTreeSet};

use geometry::{Domain, NurbsCurve, Vector3};
use topology::{EdgeId, Shell, VertexId};

use super::fading::fades_after;
use super::sizes::Numbered;
use super::track::longer;
use super::{LEVEL, PLACES};
use crate::SurfacingError;
use crate::halves::{Halves, Spoke};
use crate::side::{Side, end_of};

/// Edges that follow each other along their tangents, in order, each with whether it is run along its direction.
pub(super) type Chain = Vec<(EdgeId, bool)>;

/// The chains of edges that picked ones belong to; what fades out belongs to them up to where it has, or not at all.
pub(super) fn chains<'e>(
    halves: &Halves<'_>,
    picked: impl IntoIterator<Item = &'e EdgeId>,
    to_tips: bool,
) -> Result<Vec<Chain>, SurfacingError> {
    let shell = halves.shell;
    let mut done: BTreeSet<EdgeId> = BTreeSet::new();
    let mut out = Vec::new();
    for &first in picked {
        if !done.insert(first) {
            continue;
        }
        let mut chain: Chain = vec![(first, true)];
        for ahead in [true, false] {
            loop {
                let (edge, forward) = if ahead { chain[chain.len() - 1] } else { chain[0] };
                let at_end = forward == ahead;
                let Some(next) = next_along(halves, Spoke { edge, at_end }) else { break };
                if !done.insert(next.edge) {
                    break;
                }
                // What comes next is run from this vertex on, or to it.
                let forward = next.at_end != ahead;
                if ahead { chain.push((next.edge, forward)) } else { chain.insert(0, (next.edge, forward)) }
            }
        }
        // Where what fades out at an end is not rounded, what comes before it ends in its place.
        if !to_tips {
            for _ in 0..2 {
                let fades = |k: &usize| fades_after(halves, chain[*k], &chain[k + 1..]);
                chain.truncate((0..chain.len() - 1).find(fades).map_or(chain.len(), |k| k + 1));
                chain.reverse();
                chain.iter_mut().for_each(|link| link.1 ^= true);
            }
        }
        out.push(chain);
    }
    if out.iter().flatten().any(|(e, _)| shell.edge(*e).curve.is_none()) {
        return Err(SurfacingError::Empty);
    }
    Ok(out)
}

/// The edge that follows another one along its tangent at a vertex, if there is just one, and it has an angle to round.
fn next_along(halves: &Halves<'_>, from: Spoke) -> Option<Spoke> {
    let shell = halves.shell;
    let edge = shell.edge(from.edge);
    let vertex = if from.at_end { edge.end } else { edge.start };
    let fan = halves.fan(vertex)?;
    let own = halves.leaves(from)?;
    let follows = |spoke: &&Spoke| {
        **spoke != from
            && halves.leaves(**spoke).is_some_and(|t| t.dot(&own) < 0.0 && t.cross(&own).norm() <= LEVEL)
            && !halves.smooth_at(**spoke, LEVEL)
            && halves.of(spoke.edge).is_some()
    };
    let mut next = fan.spokes.iter().filter(follows);
    let only = next.next().copied()?;
    next.next().is_none().then_some(only)
}

/// For every edge of chains whether it is an outer one, whose faces lead away from it to the inner side.
pub(super) fn kinds(halves: &Halves<'_>, chains: &[Chain]) -> Result<BTreeMap<EdgeId, bool>, SurfacingError> {
    let shell = halves.shell;
    let mut out = BTreeMap::new();
    for &(edge, _) in chains.iter().flatten() {
        let Some(curve) = &shell.edge(edge).curve else { continue };
        let d = curve.domain();
        let pair = halves
            .of(edge)
            .ok_or_else(|| SurfacingError::FilletFree { at: curve.point(d.at(0.5)).into() })?;
        let mut kind = None;
        let tapers = [false, true].map(|at_end| halves.smooth_at(Spoke { edge, at_end }, LEVEL));
        let [first, last] = [PLACES[0], PLACES[PLACES.len() - 1]];
        let counts = |share: &f64| !(tapers[0] && *share == first || tapers[1] && *share == last);
        for share in PLACES.into_iter().filter(counts) {
            let t = d.at(share);
            let side = |h: usize| Side::new(&shell.faces()[halves.all[h].face], halves.used(h), t);
            let [Some(a), Some(b)] = pair.map(side) else { continue };
            let outer = b.normal.dot(&a.out) > 0.0;
            let smooth = a.normal.cross(&b.normal).norm() <= LEVEL && a.normal.dot(&b.normal) > 0.0;
            if smooth || kind.is_some_and(|known| known != outer) {
                return Err(SurfacingError::SmoothEdge { at: curve.point(t).into() });
            }
            kind = Some(outer);
        }
        out.insert(edge, kind.unwrap_or(true));
    }
    Ok(out)
}

/// The heads of the chains that are rounded first: all, unless inner and outer ones meet somewhere; then of the groups that do
/// the ones that are fewer where they meet, and of as many the inner ones. A group is what hangs together and is of one kind.
/// Where all edges of a corner are of one kind, those that lead by their numbers come before the others.
pub(super) fn first_ones(
    halves: &Halves<'_>,
    chains: &[Chain],
    kinds: &BTreeMap<EdgeId, bool>,
    numbers: &Numbered,
    outer_first: bool,
    leads: &dyn Fn(&[Option<usize>]) -> Vec<usize>,
) -> Result<BTreeSet<EdgeId>, SurfacingError> {
    let shell = halves.shell;
    let mut about: BTreeMap<VertexId, Vec<(usize, EdgeId)>> = BTreeMap::new();
    for (c, &(edge, _)) in chains.iter().enumerate().flat_map(|(c, chain)| chain.iter().map(move |e| (c, e)))
    {
        for vertex in [shell.edge(edge).start, shell.edge(edge).end] {
            about.entry(vertex).or_default().push((c, edge));
        }
    }
    let mut group: Vec<usize> = (0..chains.len()).collect();
    let mut mixed: Vec<[Vec<usize>; 2]> = Vec::new();
    for (vertex, here) in &about {
        let of_kind = |kind: bool| -> Vec<(usize, EdgeId)> {
            here.iter().copied().filter(|(_, e)| kinds[e] == kind).collect()
        };
        let (outer, inner) = (of_kind(true), of_kind(false));
        for alike in [&outer, &inner] {
            let is_corner = || halves.fan(*vertex).is_some_and(|f| f.closed && f.spokes.len() == 3);
            let own: Vec<Option<usize>> =
                alike.iter().map(|(_, e)| numbers.get(e).copied().flatten()).collect();
            let leaders = if alike.len() == 3 && is_corner() { leads(&own) } else { Vec::new() };
            let of = |first: bool| -> Vec<usize> {
                let them = (0..alike.len()).filter(|k| leaders.contains(k) == first);
                them.map(|k| alike[k].0).collect()
            };
            let parts = [of(true), of(false)];
            for pair in parts.iter().flat_map(|part| part.windows(2)) {
                let (from, to) = (group[pair[1]], group[pair[0]]);
                group.iter_mut().filter(|g| **g == from).for_each(|g| *g = to);
            }
            if !leaders.is_empty() {
                mixed.push(parts);
            }
        }
        if !(outer.is_empty() || inner.is_empty()) {
            let outer_before = outer.len() < inner.len() || (outer_first && outer.len() == inner.len());
            let (few, many) = if outer_before { (outer, inner) } else { (inner, outer) };
            mixed.push([few, many].map(|side| side.into_iter().map(|(c, _)| c).collect()));
        }
    }
    let groups = |which: usize| -> BTreeSet<usize> {
        mixed.iter().flat_map(|m| &m[which]).map(|c| group[*c]).collect()
    };
    let (first, after) = (groups(0), groups(1));
    let is_first = |c: usize| first.is_empty() || (first.contains(&group[c]) && !after.contains(&group[c]));
    let now: BTreeSet<EdgeId> = (0..chains.len()).filter(|c| is_first(*c)).map(|c| chains[c][0].0).collect();
    match chains.first() {
        Some(stuck) if now.is_empty() => {
            let at = shell.vertex(shell.edge(stuck[0].0).start).point.into();
            Err(SurfacingError::FilletCorner { at })
        }
        _ => Ok(now),
    }
}

/// For edges that others follow along their tangents, the direction halfway between theirs, at the beginning and at the end.
pub(super) fn joints(halves: &Halves<'_>, chains: &[Chain]) -> BTreeMap<EdgeId, [Option<Vector3>; 2]> {
    let shell = halves.shell;
    let mut out: BTreeMap<EdgeId, [Option<Vector3>; 2]> = BTreeMap::new();
    for chain in chains {
        // The vertex at a link's end in the chain's direction, with the chain's direction there.
        let end = |(id, forward): (EdgeId, bool), last: bool| {
            let edge = shell.edge(id);
            let curve = edge.curve.as_ref()?;
            let (at_end, d) = (last == forward, curve.domain());
            let t = end_of(d, at_end);
            let along = curve.tangent(t)?;
            // An edge between faces that meet at an angle is told better by those than by a curve that was fitted to it.
            let normal = |h: usize| {
                let face = &shell.faces()[halves.all[h].face];
                Some(Side::new(face, halves.used(h), t)?.normal)
            };
            let crossed = halves.of(id).and_then(|[a, b]| {
                let crossed = normal(a)?.cross(&normal(b)?);
                (crossed.norm() > LEVEL).then(|| crossed.normalize())
            });
            let along = crossed.map_or(along, |c| if c.dot(&along) < 0.0 { -c } else { c });
            Some((if at_end { edge.end } else { edge.start }, if forward { along } else { -along }, at_end))
        };
        for (k, &link) in chain.iter().enumerate() {
            let next = chain[(k + 1) % chain.len()];
            let (Some(here), Some(there)) = (end(link, true), end(next, false)) else { continue };
            let smooth =
                here.0 == there.0 && here.1.dot(&there.1) > 0.0 && here.1.cross(&there.1).norm() <= LEVEL;
            if let Some(middle) = (here.1 + there.1).try_normalize(1e-9).filter(|_| smooth) {
                for ((id, forward), at_end) in [(link, here.2), (next, there.2)] {
                    out.entry(id).or_default()[usize::from(at_end)] =
                        Some(if forward { middle } else { -middle });
                }
            }
        }
    }
    out
}

/// The curve of a chain's edge with parts of those before it and after it, in its own direction.
pub(super) fn going_on(
    shell: &Shell,
    chain: &Chain,
    link: usize,
    margin: f64,
) -> Result<NurbsCurve, SurfacingError> {
    let (edge, forward) = chain[link];
    let own = shell.edge(edge).curve.as_ref().ok_or(SurfacingError::Empty)?;
    let d = own.domain();
    let alone = longer(own, margin);
    let count = chain.len();
    // What follows on at either end of the edge, run away from it.
    let beside = |at_end: bool| {
        let neighbour = if at_end == forward { (link + 1) % count } else { (link + count - 1) % count };
        let (other, _) = chain[neighbour];
        let (edge, next) = (shell.edge(edge), shell.edge(other));
        let vertex = if at_end { edge.end } else { edge.start };
        let curve = next.curve.as_ref().filter(|_| neighbour != link)?;
        let away = match vertex {
            v if v == next.start => curve.clone(),
            v if v == next.end => curve.reversed(),
            _ => return None,
        };
        let from = if at_end { d.end } else { d.start };
        let part = away.domain();
        let part = Domain::new(part.start, part.at((margin / away.length()).min(1.0)));
        let faster = away.velocity(part.start).norm() / own.velocity(from).norm().max(f64::MIN_POSITIVE);
        Some((away.part(part.start, part.end), part.length() * faster))
    };
    let whole = alone.domain();
    let ahead = beside(true).unwrap_or_else(|| (alone.part(d.end, whole.end), whole.end - d.end));
    let behind = beside(false).map(|(curve, by)| (curve.reversed(), by));
    let behind = behind.unwrap_or_else(|| (alone.part(whole.start, d.start), d.start - whole.start));
    let breaks = [d.start - behind.1, d.start, d.end, d.end + ahead.1];
    Ok(NurbsCurve::of_pieces_over(&[behind.0, own.clone(), ahead.0], &breaks)?)
}

/// The side, seen along a chain whose link is given, of the face that comes first of both.
pub(super) fn first_side(halves: &Halves<'_>, (edge, forward): (EdgeId, bool)) -> usize {
    let face = |h: usize| (&halves.shell.faces()[halves.all[h].face].role, halves.all[h].face);
    let is_second = halves.of(edge).is_some_and(|[a, b]| face(b) < face(a));
    usize::from(is_second == forward)
}
