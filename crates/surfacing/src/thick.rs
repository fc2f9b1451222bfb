//! Shells of any faces given a wall, and solids hollowed out.

use std::collections::{BTreeMap, BTreeSet};

use geometry::{Domain, NurbsCurve, NurbsSurface, Point3, Tolerance, closest_on_curve, compatible};
use topology::{
    Body, Edge, EdgeId, FaceId, Shell, Solid, VertexId, free_edges, holds, imprint_where, inner_place, join,
    natural_shell,
};

use crate::fits::{HALVINGS, apart, fitted, largest_share};
use crate::side::end_of;
use crate::thicken::skin_called;
use crate::wall::{away_from, borders, least_over, places};
use crate::{Change, OffsetShell, Offsets, Revolved, SurfacingError, Wall, thicken, wall_between};

/// Share of the fit tolerance by which a wall may be too thin.
const NEARER: f64 = 1e-3;
/// How many times as long as its wall is thick an end may be.
const LONGEST_END: f64 = 1.5;
/// How many times the join tolerance what stands for an edge may end before or after it where it ends with it.
const SAME_END: f64 = 2.0;
/// How many times the wall faces may grow over what has no room beside an opening.
const FARTHER: f64 = 4.0;

/// A wall, or a shell at a distance, with what was reached.
#[derive(Debug, Clone)]
pub struct Walled {
    /// The solid or shell.
    pub body: Body,
    /// Largest distance of a face from the true offset that was measured, in millimetres.
    pub max_deviation: f64,
    /// Both skins of a wall, the one from which it is measured first.
    pub skins: Option<[Shell; 2]>,
    /// Ends that were cut against what comes next, and may stand over what lies beside the border.
    ends: Option<Shell>,
    /// How many millimetres the wall is thick at most where it was eased, and where.
    eased: Option<(f64, Point3)>,
}

impl Walled {
    /// The thinnest and the thickest place of a wall that is meant to be `about` mm thick.
    #[must_use]
    pub fn wall(&self, about: f64) -> Option<Wall> {
        let [first, second] = self.skins.as_ref()?;
        let wall = wall_between(first, second, about)?;
        let ends = self.ends.as_ref().and_then(|ends| least_over(ends, second, about));
        let wall = match ends {
            Some(ends) if ends.thinnest.0 < wall.thinnest.0 => Wall { thinnest: ends.thinnest, ..wall },
            _ => wall,
        };
        let thicker = self.eased.filter(|t| t.0 > wall.thickest.0);
        Some(Wall { thickest: thicker.unwrap_or(wall.thickest), ..wall })
    }
}

/// A shell with a wall that reaches `reach[face]` mm to the outer and to the inner side of every face; along free edges the wall ends
/// square to the shell. `change` is how the thickness does between faces that meet smoothly.
///
/// # Errors
/// `NoThickness`, those of [`offset_shell`]; `TooThick` where the wall does not close, or runs into itself, and a thinner one
/// does not; `RampTooWide` where there is room for steps only.
pub fn thick_shell(
    shell: &Shell,
    reach: &[[f64; 2]],
    change: Change,
    tolerance: &Tolerance,
) -> Result<Walled, SurfacingError> {
    let offsets = Offsets::new(shell, tolerance)?;
    let thickest = reach.iter().map(|[outward, inward]| outward + inward).fold(0.0, f64::max);
    changing(thickest, change, &|share, change| {
        let reach: Vec<[f64; 2]> = reach.iter().map(|sides| sides.map(|d| share * d)).collect();
        walled_shell(shell, &offsets.clone().with_change(change), &reach, tolerance)
    })
}

/// A wall made by a share of its thickness, whose thickness changes by steps or ramps, or why it does not fit.
fn changing(
    thickest: f64,
    change: Change,
    make: &dyn Fn(f64, Change) -> Result<Walled, SurfacingError>,
) -> Result<Walled, SurfacingError> {
    let stepped = || thinned(thickest, &|share| make(share, Change::Step));
    let Change::Ramp(width) = change else { return stepped() };
    let ramped = |share: f64| make(1.0, Change::Ramp(share * width));
    ramped(1.0).or_else(|error| {
        // Where there is no room for steps either, it is the walls that are too thick.
        stepped()?;
        let fits = largest_share(HALVINGS, &|share| ramped(share).is_ok()).map(|share| share * width);
        let at = error.place().unwrap_or_default();
        Err(SurfacingError::RampTooWide { asked: width, fits, at })
    })
}

/// A wall, or why it does not fit, with the thickest one in the same proportions that does.
fn thinned(
    asked: f64,
    make: &dyn Fn(f64) -> Result<Walled, SurfacingError>,
) -> Result<Walled, SurfacingError> {
    fitted(make, &|share, why, at| SurfacingError::TooThick { asked, fits: share * asked, why, at })
}

/// A shell at a distance from another one, to its outer side, below 0 to its inner one.
///
/// # Errors
/// Those of [`offset_shell`]; `TooFar` where its faces do not meet any more, or run into each other, and nearer ones do not.
pub fn offset_body(shell: &Shell, distance: f64, tolerance: &Tolerance) -> Result<Walled, SurfacingError> {
    let offsets = Offsets::new(shell, tolerance)?;
    let make = |share: f64| {
        let made = offsets.at(&vec![share * distance; shell.faces().len()])?;
        // Where it was eased it is no true offset.
        let off = made.eased.map_or(0.0, |(away, _)| away - (share * distance).abs());
        Ok(Walled {
            body: apart(Body::from_shell(made.shell))?,
            max_deviation: made.max_deviation.max(off),
            skins: None,
            ends: None,
            eased: made.eased,
        })
    };
    let told =
        |share: f64, why, at| SurfacingError::TooFar { asked: distance, fits: share * distance, why, at };
    fitted(&make, &told)
}

fn walled_shell(
    shell: &Shell,
    offsets: &Offsets<'_>,
    reach: &[[f64; 2]],
    tolerance: &Tolerance,
) -> Result<Walled, SurfacingError> {
    let usable = |d: &f64| d.is_finite() && *d >= 0.0;
    let is_none = |[outward, inward]: &[f64; 2]| outward + inward <= tolerance.resolution;
    if !reach.iter().flatten().all(usable) || reach.iter().any(is_none) {
        return Err(SurfacingError::NoThickness);
    }
    walled_by_skins(shell, offsets, reach, tolerance)
        .or_else(|error| walled_past_ends(shell, offsets, reach, tolerance).ok_or(error))
}

/// How far a wall reaches to the outer, or to the inner side, where it does so most.
fn farthest(reach: &[[f64; 2]], side: usize) -> f64 {
    reach.iter().map(|sides| sides[side]).fold(0.0, f64::max)
}

/// The same where a skin has no room beside a border, so that the wall's end meets what comes next; `None` where that makes none, or
/// an end that reaches far beyond its wall, where what comes next leads away from it.
fn walled_past_ends(
    shell: &Shell,
    offsets: &Offsets<'_>,
    reach: &[[f64; 2]],
    tolerance: &Tolerance,
) -> Option<Walled> {
    let made = walled_askew(offsets, reach, tolerance)?;
    let border = borders(shell);
    let ends = skin_called(&made.body.whole(), "wall ");
    let away = ends.faces().iter().flat_map(places).map(|p| away_from(&border, &p)).fold(0.0, f64::max);
    (away <= LONGEST_END * farthest(reach, 0).max(farthest(reach, 1)))
        .then_some(Walled { ends: Some(ends), ..made })
}

/// The wall between both skins, each offset by itself, with ruled faces along the free edges.
fn walled_by_skins(
    shell: &Shell,
    offsets: &Offsets<'_>,
    reach: &[[f64; 2]],
    tolerance: &Tolerance,
) -> Result<Walled, SurfacingError> {
    let side =
        |k: usize, sign: f64| offsets.at(&reach.iter().map(|sides| sign * sides[k]).collect::<Vec<f64>>());
    let (outer, inner) = (side(0, 1.0)?, side(1, -1.0)?);
    let is_askew = [&outer, &inner].iter().any(|made| !made.overhangs.is_empty());
    if is_askew && let Some(made) = walled_askew(offsets, reach, tolerance) {
        return Ok(made);
    }
    let max_deviation = outer.max_deviation.max(inner.max_deviation);
    let most = [0, 1].map(|k| farthest(reach, k));
    let whole = |made: &OffsetShell, other: f64| made.eased.map(|(away, at)| (away + other, at));
    let eased = [whole(&outer, most[1]), whole(&inner, most[0])].into_iter().flatten();
    let eased = eased.max_by(|a, b| a.0.total_cmp(&b.0));
    let named =
        |made: &OffsetShell, name: &str| made.shell.clone().with_roles(&|role| format!("{name} {role}"));
    let mut parts = vec![named(&outer, "outer"), named(&inner, "inner").flipped()];
    if is_askew {
        // What hangs over lies on another side of each skin.
        let middle = offsets.at(&vec![0.0; reach.len()])?;
        for (outer, inner, distance) in [(&outer, &middle, most[0]), (&middle, &inner, most[1])] {
            if distance > 0.0 {
                parts.extend(walls(shell, outer, inner, parts.len() - 1, tolerance)?);
            }
        }
    } else {
        parts.extend(walls(shell, &outer, &inner, parts.len() - 1, tolerance)?);
    }
    let joined = join(&parts, tolerance.join)?.shell;
    let open = free_edges(&joined).first().map(|e| middle_of(&joined, *e));
    match Body::from_shell(joined) {
        body @ Body::Solid(_) => {
            let skins = Some([inner.shell, outer.shell]);
            Ok(Walled { body: apart(body)?, max_deviation, skins, ends: None, eased })
        }
        Body::Shell(shell) => {
            let somewhere = || shell.vertices().first().map_or([0.0; 3], |v| v.point.into());
            Err(SurfacingError::OffsetOpen { at: open.unwrap_or_else(somewhere) })
        }
    }
}

/// The same with walls that are cut against each other, where creases end at borders that are not square to them; `None` where that
/// makes none, or one that is too thin beside a crease, or needs steps.
fn walled_askew(offsets: &Offsets<'_>, reach: &[[f64; 2]], tolerance: &Tolerance) -> Option<Walled> {
    let has_steps = |k: usize| offsets.has_steps(&reach.iter().map(|sides| sides[k]).collect::<Vec<f64>>());
    if has_steps(0) || has_steps(1) {
        return None;
    }
    let made = offsets.with_walls(reach).ok()?;
    let whole = || reach.iter().map(|[outward, inward]| outward + inward);
    let [least, most] = [whole().fold(f64::MAX, f64::min), whole().fold(0.0, f64::max)];
    let inner = skin_called(&made.shell, "inner ").flipped();
    let outer = skin_called(&made.shell, "outer ");
    let wall = wall_between(&inner, &outer, most)?;
    if wall.thinnest.0 < least - made.max_deviation - NEARER * tolerance.fit {
        return None;
    }
    let body = apart(Body::from_shell(made.shell)).ok().filter(|body| matches!(body, Body::Solid(_)))?;
    let skins = Some([inner, outer]);
    Some(Walled { body, max_deviation: made.max_deviation, skins, ends: None, eased: made.eased })
}

/// A place on an edge.
pub(crate) fn middle_of(shell: &Shell, edge: EdgeId) -> [f64; 3] {
    let edge = shell.edge(edge);
    edge.curve
        .as_ref()
        .map_or_else(|| shell.vertex(edge.start).point.into(), |c| c.point(c.domain().at(0.5)).into())
}

/// The ruled surface from one curve to another, by shares of both.
pub(crate) fn wall_from(a: &NurbsCurve, b: &NurbsCurve) -> Result<NurbsSurface, SurfacingError> {
    let unit = Domain::new(0.0, 1.0);
    let both = compatible(&[a.over(unit), b.over(unit)])?;
    Ok(NurbsSurface::ruled(&both[0], &both[1])?)
}

/// Ruled faces between the free edges of both sides, one of which may hang over at creases; numbered on from `first`.
fn walls(
    shell: &Shell,
    outer: &OffsetShell,
    inner: &OffsetShell,
    first: usize,
    tolerance: &Tolerance,
) -> Result<Vec<Shell>, SurfacingError> {
    let by_edge = |made: &OffsetShell| {
        let mut out: BTreeMap<EdgeId, Vec<NurbsCurve>> = BTreeMap::new();
        for (edge, curve) in &made.free {
            out.entry(*edge).or_default().push(curve.clone());
        }
        for (edge, curves) in &mut out {
            let Some(own) = &shell.edge(*edge).curve else { continue };
            let place = |c: &NurbsCurve| closest_on_curve(own, &c.point(c.domain().at(0.5))).parameter;
            curves.sort_by(|a, b| place(a).total_cmp(&place(b)));
        }
        out
    };
    let mut out = Vec::new();
    let mut put = |a: &NurbsCurve, b: &NurbsCurve| {
        let wall = wall_from(a, b)?;
        out.push(natural_shell(wall.into(), &format!("wall {}", first + out.len()), tolerance)?);
        Ok::<_, SurfacingError>(())
    };
    let hanging = [&outer.overhangs, &inner.overhangs];
    let rungs = [&outer.rungs[..], &inner.rungs[..]];
    let sides = [by_edge(outer), by_edge(inner)];
    for edge in free_edges(shell) {
        let apart = || SurfacingError::OffsetOpen { at: middle_of(shell, edge) };
        let of = |k: usize| {
            let shrunk = || Some(vec![vanished(shell, edge, &sides[k], hanging[k], tolerance)?]);
            sides[k].get(&edge).cloned().or_else(shrunk)
        };
        let (a, b) = of(0).zip(of(1)).filter(|(a, b)| a.len() == b.len()).ok_or_else(apart)?;
        if let ([a], [b], Some(own)) = (&a[..], &b[..], &shell.edge(edge).curve) {
            let pairs = beside_ramps([a, b], rungs, own.domain(), tolerance).ok_or_else(apart)?;
            pairs.iter().try_for_each(|[a, b]| put(a, b))?;
            continue;
        }
        for (a, b) in a.iter().zip(&b) {
            put(a, b)?;
        }
    }
    for (at, curve) in hanging.into_iter().flatten() {
        put(curve, &NurbsCurve::line(*at, *at))?;
    }
    Ok(out)
}

/// The pairs of curves between which a wall stands along one free edge: both sides', and beside them the slanted ends of ramps with
/// what lies across from them. Curves have the edge's parameters, of which `own` is all. `None` where there is nothing across.
fn beside_ramps(
    sides: [&NurbsCurve; 2],
    rungs: [&[NurbsCurve]; 2],
    own: Domain,
    tolerance: &Tolerance,
) -> Option<Vec<[NurbsCurve; 2]>> {
    let mut sides = sides.map(NurbsCurve::clone);
    let mut out = Vec::new();
    for at_end in [false, true] {
        let ramps = [0, 1].map(|k| ramp_beside(&sides[k], at_end, rungs[k], own, tolerance));
        let ends = [0, 1].map(|k| end_of(sides[k].domain(), at_end));
        out.push(match ramps {
            [None, None] => continue,
            [Some(a), Some(b)] => [a, b],
            [Some(ramp), None] => [ramp, cut_off(&mut sides[1], at_end, ends[0])?],
            [None, Some(ramp)] => [cut_off(&mut sides[0], at_end, ends[1])?, ramp],
        });
    }
    out.push(sides);
    Some(out)
}

/// The end of the ramp whose foot is where a free edge of an offset ends, before the edge for which that stands does; in its direction.
fn ramp_beside(
    curve: &NurbsCurve,
    at_end: bool,
    rungs: &[NurbsCurve],
    own: Domain,
    tolerance: &Tolerance,
) -> Option<NurbsCurve> {
    let t = end_of(curve.domain(), at_end);
    if (t - end_of(own, at_end)).abs() * curve.velocity(t).norm() <= SAME_END * tolerance.join {
        return None;
    }
    let foot = curve.point(t);
    let near = |p: Point3| (p - foot).norm() <= tolerance.join;
    let rung = rungs.iter().find(|r| near(r.start()) || near(r.end()))?;
    Some(if near(rung.start()) == at_end { rung.clone() } else { rung.reversed() })
}

/// Cuts off what lies beyond a parameter at an end of a curve, and gives it.
fn cut_off(curve: &mut NurbsCurve, at_end: bool, t: f64) -> Option<NurbsCurve> {
    let d = curve.domain();
    if t <= d.start || t >= d.end {
        return None;
    }
    let [low, high] = [curve.part(d.start, t), curve.part(t, d.end)];
    let (off, kept) = if at_end { (high, low) } else { (low, high) };
    *curve = kept;
    Some(off)
}

/// The place to which a free edge that has no room on a side has shrunk, where its neighbours meet, as a curve of no length.
fn vanished(
    shell: &Shell,
    edge: EdgeId,
    side: &BTreeMap<EdgeId, Vec<NurbsCurve>>,
    hanging: &[(Point3, NurbsCurve)],
    tolerance: &Tolerance,
) -> Option<NurbsCurve> {
    let Edge { start, end, .. } = *shell.edge(edge);
    let ends_about = |v: VertexId| -> Vec<Point3> {
        let beside = |e: &EdgeId| *e != edge && [shell.edge(*e).start, shell.edge(*e).end].contains(&v);
        let at = shell.vertex(v).point;
        let over = hanging.iter().filter(|(p, _)| (p - at).norm() <= tolerance.join).map(|(_, curve)| curve);
        let curves = side.iter().filter(|(e, _)| beside(e)).flat_map(|(_, curves)| curves);
        curves.chain(over).flat_map(|c| [c.start(), c.end()]).collect()
    };
    let (first, last) = (ends_about(start), ends_about(end));
    let near = |p: &Point3| last.iter().any(|q| (q - p).norm() <= tolerance.join);
    first.into_iter().find(near).map(|p| NurbsCurve::line(p, p))
}

/// A solid hollowed out to a wall that is `walls[face]` mm thick under every face of its outer shell, 0 where it is open; `change` is
/// how the thickness does between faces that meet smoothly.
///
/// # Errors
/// `NoThickness` without a wall, those of [`offset_shell`]; `TooThick` where nothing is left inside, faces do not meet or the wall
/// runs into itself, and a thinner one, in the same proportions, does not; `RampTooWide` where there is room for steps only.
pub fn hollow(
    solid: &Solid,
    walls: &[f64],
    change: Change,
    tolerance: &Tolerance,
) -> Result<Walled, SurfacingError> {
    let thickest = walls.iter().copied().fold(0.0, f64::max);
    let offsets = Offsets::new(solid.outer(), tolerance)?;
    changing(thickest, change, &|share, change| {
        let walls: Vec<f64> = walls.iter().map(|w| share * w).collect();
        hollowed(solid, &offsets.clone().with_change(change), &walls, tolerance)
    })
}

/// How a solid is hollowed out beside its openings. What is offset beside an opening that goes on smoothly into it never meets it: the
/// rim stands square to the wall's end there; where the wall is so thick that nothing is left of what goes on, the next faces meet
/// the opening.
fn hollowed(
    solid: &Solid,
    offsets: &Offsets<'_>,
    walls: &[f64],
    tolerance: &Tolerance,
) -> Result<Walled, SurfacingError> {
    if walls.iter().any(|w| !(w.is_finite() && *w >= 0.0)) || walls.iter().all(|w| *w <= tolerance.resolution)
    {
        return Err(SurfacingError::NoThickness);
    }
    let inward: Vec<f64> = walls.iter().map(|w| -w).collect();
    let open: BTreeSet<usize> = (0..walls.len()).filter(|&f| walls[f] == 0.0).collect();
    let beside = offsets.smooth_neighbours(&open);
    if beside.is_empty() {
        return lined(solid, offsets.at(&inward)?, walls, tolerance);
    }
    let wall = walls.iter().copied().fold(0.0, f64::max);
    if walls.iter().any(|w| *w != 0.0 && *w != wall) || !solid.voids().is_empty() {
        return lined(solid, offsets.at(&inward)?, walls, tolerance);
    }
    let faces = solid.outer().faces().len();
    let sheet = solid.outer().part(&(0..faces).filter(|f| !open.contains(f)).collect::<Vec<usize>>());
    let around = Offsets::new(&sheet, tolerance)?;
    let next_ones = || {
        let inner = offsets.without(&beside, &inward, FARTHER * wall)?;
        lined(solid, inner, walls, tolerance)
    };
    let reach = vec![[0.0, wall]; sheet.faces().len()];
    walled_shell(&sheet, &around, &reach, tolerance)
        .map(with_own_outer)
        .or_else(|error| next_ones().map_err(|_| error))
}

/// A wall whose outer faces are those of the solid that it was made from.
fn with_own_outer(made: Walled) -> Walled {
    let own = |role: &str| role.strip_prefix("outer ").unwrap_or(role).to_owned();
    Walled { body: made.body.with_roles(&own), ..made }
}

/// A turned solid hollowed out by its profile, which says how the wall goes where its faces meet at every angle, as those of a ring
/// with flat sides do.
///
/// # Errors
/// Those of [`thicken`]; `OffsetOpen` for a source that is no solid, or where nothing is left inside.
pub fn hollow_turned(
    source: &Revolved,
    thickness: f64,
    tolerance: &Tolerance,
) -> Result<Walled, SurfacingError> {
    let at = source.body.whole().vertices().first().map_or([0.0; 3], |v| v.point.into());
    let lost = || SurfacingError::OffsetOpen { at };
    let Body::Solid(solid) = &source.body else { return Err(lost()) };
    let made = thicken(source, 0.0, thickness, tolerance)?;
    let [inner, _] = made.skins();
    let lining = inner.with_roles(&|role| role.replacen("inner side of ", "inner ", 1));
    let shells = vec![solid.outer().clone(), lining.clone()];
    let body = Body::Solid(Solid::try_new(shells).map_err(|_| lost())?);
    let skins = Some([lining, solid.outer().clone()]);
    Ok(Walled { body: apart(body)?, max_deviation: made.max_deviation, skins, ends: None, eased: None })
}

/// Voids that stay when what a shell holds is taken out of a solid: those that lie in the wall.
fn voids_left(solid: &Solid, inside: &Shell, tolerance: &Tolerance) -> Result<Vec<Shell>, SurfacingError> {
    let mut out = Vec::new();
    for void in solid.voids() {
        let both = Solid::try_new(vec![inside.clone(), void.clone()]);
        let at = void.vertices().first().map_or_else(Point3::origin, |v| v.point);
        apart(Body::Solid(both.map_err(|_| SurfacingError::RunsIntoItself { at: at.into() })?))?;
        if !holds(inside, &at, tolerance.resolution) {
            out.push(void.clone());
        }
    }
    Ok(out)
}

/// A solid with what lies within an inner shell taken out of it, through its open faces.
fn lined(
    solid: &Solid,
    inner: OffsetShell,
    walls: &[f64],
    tolerance: &Tolerance,
) -> Result<Walled, SurfacingError> {
    let somewhere = inner.shell.vertices().first().map_or([0.0; 3], |v| v.point.into());
    let lost = || SurfacingError::OffsetOpen { at: somewhere };
    // What is no face of the solid is a step.
    let is_open = |f: usize| walls.get(f) == Some(&0.0);
    let numbers = |count: usize, wanted: &dyn Fn(usize) -> bool| -> Vec<usize> {
        (0..count).filter(|&f| wanted(f)).collect()
    };
    let lining = inner.shell.part(&numbers(inner.of.len(), &|k| !is_open(inner.of[k])));
    let lining = lining.with_roles(&|role| format!("inner {role}")).flipped();
    // A step has no thickness of its own.
    let measured =
        inner.shell.part(&numbers(inner.of.len(), &|k| walls.get(inner.of[k]).is_some_and(|w| *w > 0.0)));
    let (max_deviation, eased) = (inner.max_deviation, inner.eased);
    let voids = voids_left(solid, &inner.shell, tolerance)?;
    if !(0..walls.len()).any(is_open) {
        let shells = [solid.outer().clone(), lining].into_iter().chain(voids).collect();
        let body = Body::Solid(Solid::try_new(shells).map_err(|_| lost())?);
        let skins = Some([measured, solid.outer().clone()]);
        return Ok(Walled { body: apart(body)?, max_deviation, skins, ends: None, eased });
    }
    // The open faces lose what the inside has of them; what is left of them is the rim.
    let open_faces = numbers(walls.len(), &is_open);
    let closed = solid.outer().part(&numbers(walls.len(), &|f| !is_open(f)));
    let open = solid.outer().part(&open_faces);
    let meet = |a: usize, b: usize| [a.min(b), a.max(b)] == [1, 2];
    let made = imprint_where(&[&closed, &open, &lining], &meet, tolerance)?;
    let mut gone = BTreeSet::new();
    for (k, face) in inner.shell.faces().iter().enumerate().filter(|(k, _)| is_open(inner.of[*k])) {
        let id = open_faces.iter().position(|f| *f == inner.of[k]).ok_or_else(lost)?;
        let at = inner_place(face).ok_or_else(lost)?;
        gone.extend(made.part_about(1, FaceId(id as u32), at, &|i| i == 2).ok_or_else(lost)?);
    }
    let kept: Vec<usize> = (0..made.shell.faces().len()).filter(|f| !gone.contains(f)).collect();
    let walled = made.shell_of(&kept)?;
    let open = free_edges(&walled).first().map(|e| middle_of(&walled, *e));
    let shells = std::iter::once(walled).chain(voids).collect();
    match (open, Solid::try_new(shells)) {
        (None, Ok(solid)) => {
            let skins = Some([measured, closed]);
            Ok(Walled { body: apart(Body::Solid(solid))?, max_deviation, skins, ends: None, eased })
        }
        (open, _) => Err(SurfacingError::OffsetOpen { at: open.unwrap_or(somewhere) }),
    }
}
