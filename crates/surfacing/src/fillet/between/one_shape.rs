//! Strips between faces of one shape: what lies between their lines of contact goes, and they end where its other faces cut them,
//! which are made longer for it.

use std::collections::BTreeSet;
use std::sync::Arc;

use geometry::{Domain, NurbsCurve, NurbsSurface, Tolerance, closest_on_curve, closest_on_surface};
use topology::{
    EdgeId, FaceId, Imprint, MeshTolerance, OrientedEdge, Outline, Shell, closure, imprint_where,
    inner_place, join, mesh, natural_shell,
};

use super::held::lies_under;
use super::spine::{MIDDLE, Rolled};
use super::{BESIDE, Laid, away, facing, joined_along, shell_of};
use crate::SurfacingError;
use crate::fillet::planes::{by_planes, plane_over};
use crate::ground::Ground;

/// Numbers of what is brought together: the faces that the ball touches, those that are as they were, the lines of contact, the
/// strips, and the surfaces of the faces at which strips end, from one number on.
const TOUCHED: usize = 0;
const OTHERS: usize = 1;
const STRIPS: usize = 3;
const ENDS: usize = 4;

/// The shape with strips in the place of what lies between their lines of contact. Faces at which strips end are made longer by
/// `margin` mm.
///
/// # Errors
/// `FilletEndsInside` where the lines and the strips' ends do not part the shape, or leave it open; `FilletObstructed` where another
/// face reaches through a strip.
pub(super) fn in_one_shape(
    rolled: &Rolled<'_, '_>,
    strips: &[Laid],
    (role, margin): (&str, f64),
    held: Option<&[EdgeId]>,
    tolerance: &Tolerance,
) -> Result<Shell, SurfacingError> {
    let (shell, touched) = (rolled.supports[0].shell, rolled.touched);
    let numbers: BTreeSet<usize> = touched[..MIDDLE].iter().flatten().map(|t| t.number).collect();
    let numbers: Vec<usize> = numbers.into_iter().collect();
    // What a full round touches in its midst goes.
    let gone: Vec<usize> = touched.iter().skip(MIDDLE).flatten().map(|t| t.number).collect();
    let ends: BTreeSet<usize> =
        strips.iter().flat_map(|s| s.ended_by.into_iter().flatten().flatten()).collect();
    let others: Vec<usize> = (0..shell.faces().len())
        .filter(|f| ![&numbers, &gone].iter().any(|n| n.contains(f)) && !ends.contains(f))
        .collect();
    // Along edges nothing has to be divided.
    let sides = || usize::from(held.is_some())..2;
    let lines: Vec<NurbsCurve> = strips.iter().flat_map(|s| sides().map(|side| s.contact(side))).collect();
    let mut alone = Vec::with_capacity(strips.len());
    for strip in strips {
        let made = facing(shell_of(strip, role, tolerance)?, touched, strip);
        // Material lies beyond the ball, or the ball in it.
        alone.push(if rolled.supports[0].outside { made } else { made.flipped() });
    }
    let surfaces: Vec<_> = alone.iter().map(|s| Arc::clone(&s.faces()[0].surface)).collect();
    let mut shapes = vec![
        shell.part(&numbers),
        shell.part(&others),
        Shell::of_curves(&lines, tolerance)?,
        join(&alone, tolerance.join)?.shell,
    ];
    // Of faces in one plane, that.
    let ends = by_planes(shell, ends, tolerance);
    for end in &ends {
        let face = &shell.faces()[end[0]];
        shapes.push(match end[..] {
            [_] => {
                let sheet = natural_shell(Ground::new(face, margin).surface, &face.role, tolerance)?;
                if face.reversed { sheet.flipped() } else { sheet }
            }
            _ => {
                let plane = plane_over(shell, end, margin, tolerance)?;
                natural_shell(Arc::new(plane), &face.role, tolerance)?
            }
        });
    }
    // A strip only touches the faces of its own lines.
    let meet = |a: usize, b: usize| (a.min(b), a.max(b)) != (TOUCHED, STRIPS);
    let made = imprint_where(&shapes.iter().collect::<Vec<_>>(), &meet, tolerance)?;
    let mut laid = BTreeSet::new();
    for (strip, surface) in strips.iter().zip(&surfaces) {
        let number = shapes[STRIPS].faces().iter().position(|f| Arc::ptr_eq(&f.surface, surface));
        let part = number.and_then(|n| {
            let t = Domain::new(strip.ts[0][0], strip.ts[1][0]).at(0.5);
            made.part_about(STRIPS, FaceId(n as u32), [t, 0.5], &|i| i == OTHERS || i >= ENDS)
        });
        let at = strip.strip.surface.point(Domain::new(strip.ts[0][0], strip.ts[1][0]).at(0.5), 0.5).into();
        laid.extend(part.ok_or(SurfacingError::FilletObstructed { at })?);
    }
    let outlined = |e: &usize| {
        let face = &shell.faces()[*e];
        (Arc::clone(&face.surface), Outline::of(face))
    };
    let ends: Vec<Vec<_>> = ends.iter().map(|end| end.iter().map(outlined).collect()).collect();
    let mut parts = Parts::new(&made, &ends, laid, tolerance);
    parts.fill();
    if held.is_some() {
        parts.spread_beside(strips, tolerance);
    }
    for side in sides() {
        for strip in strips {
            let face = &touched[side][strip.faces[side]];
            let number = numbers.iter().position(|n| *n == face.number).ok_or(SurfacingError::Empty)?;
            let t = 0.5 * (strip.ts[0][side] + strip.ts[1][side]);
            let (at, away) = away(&strip.strip, t, side);
            let step = away * (BESIDE * rolled.radius);
            let ends = || {
                obstructed(&made).unwrap_or(SurfacingError::FilletEndsInside { which: side, at: at.into() })
            };
            let [beyond, under] = [at + step, at - step].map(|beside| {
                let place = closest_on_surface(&face.face.surface, &beside).parameters;
                let of_face = |f: &usize| {
                    made.sources[*f].iter().any(|s| s.input == TOUCHED && s.face == FaceId(number as u32))
                };
                let holds = |f: &usize| Outline::of(&made.shell.faces()[*f]).holds(place);
                (0..made.shell.faces().len()).filter(of_face).find(holds)
            });
            let beyond = beyond.ok_or_else(ends)?;
            if edges_of(&made, &BTreeSet::from([beyond])).is_disjoint(&parts.borders) {
                return Err(SurfacingError::FilletObstructed { at: at.into() });
            }
            parts.spread(beyond);
            if under.is_some_and(|f| parts.kept.contains(&f)) {
                return Err(ends());
            }
        }
    }
    let kept: Vec<usize> = parts.kept.into_iter().collect();
    let result = made.shell_of(&kept)?;
    let (was, is) = (closure(shell), closure(&result));
    if is.overused_edges > was.overused_edges || (was.is_watertight() && !is.is_watertight()) {
        let at = strips[0].strip.surface.point(strips[0].ts[0][0], 0.0);
        let at = is.free_edges.first().map_or(at, |e| e.middle);
        let ends = SurfacingError::FilletEndsInside { which: 0, at: at.into() };
        return Err(obstructed(&made).unwrap_or(ends));
    }
    joined_along(&result, rolled, strips, 0..2, tolerance)?;
    // A line in which a strip meets the face at its end can be wrong: then there are no triangles between it and the others.
    let ended = strips.iter().find(|s| s.ended_by != [[None; 3]; 2]);
    if let Some(strip) = ended.filter(|_| mesh(&result, MeshTolerance::chord(tolerance.join)).is_err()) {
        return Err(SurfacingError::FilletEndRough {
            at: strip.strip.surface.point(strip.ts[0][0], 0.0).into(),
        });
    }
    Ok(result)
}

/// That another face reaches through a strip, if one does.
fn obstructed(made: &Imprint) -> Option<SurfacingError> {
    let both = |inputs: [usize; 2]| inputs.contains(&OTHERS) && inputs.contains(&STRIPS);
    let through = made.crossings.iter().find(|c| both(c.inputs))?;
    let at = through.curve.point(through.curve.domain().at(0.5)).into();
    Some(SurfacingError::FilletObstructed { at })
}

fn edges_of(made: &Imprint, faces: &BTreeSet<usize>) -> BTreeSet<EdgeId> {
    faces.iter().flat_map(|f| uses_of(made, *f)).map(|u| u.edge).collect()
}

fn uses_of(made: &Imprint, face: usize) -> impl Iterator<Item = &OrientedEdge> {
    made.shell.faces()[face].loops.iter().flat_map(|l| &l.edges)
}

/// Faces with all others among some that hang together with them, not over borders.
fn hanging_together(
    made: &Imprint,
    mut next: Vec<usize>,
    among: &[usize],
    borders: &BTreeSet<EdgeId>,
) -> BTreeSet<usize> {
    let mut out = BTreeSet::new();
    while let Some(f) = next.pop() {
        if !out.insert(f) {
            continue;
        }
        let edges: BTreeSet<EdgeId> =
            uses_of(made, f).map(|u| u.edge).filter(|e| !borders.contains(e)).collect();
        let beside = |g: &usize| uses_of(made, *g).any(|u| edges.contains(&u.edge));
        next.extend(among.iter().copied().filter(|g| !out.contains(g)).filter(beside));
    }
    out
}

/// The faces of what was brought together while it is settled which of them stay.
struct Parts<'a> {
    made: &'a Imprint,
    /// What is of the shape as it was.
    own: Vec<usize>,
    /// Parts of the surfaces of faces at which strips end, within those as they were, and beyond.
    within: BTreeSet<usize>,
    beyond: Vec<usize>,
    /// Edges over which nothing hangs together.
    borders: BTreeSet<EdgeId>,
    /// At first the strips.
    kept: BTreeSet<usize>,
}

impl<'a> Parts<'a> {
    /// Ends are told by the surfaces and outlines of their faces.
    fn new(
        made: &'a Imprint,
        ends: &[Vec<(Arc<NurbsSurface>, Outline)>],
        strips: BTreeSet<usize>,
        tolerance: &Tolerance,
    ) -> Self {
        let (mut own, mut within, mut beyond) = (Vec::new(), BTreeSet::new(), Vec::new());
        for (f, sources) in made.sources.iter().enumerate() {
            let end = sources.iter().find(|s| s.input >= ENDS);
            let face = &made.shell.faces()[f];
            let is_within = |input: usize| {
                let place = inner_place(face).map(|[u, v]| face.surface.point(u, v));
                place.is_some_and(|p| {
                    ends[input - ENDS].iter().any(|(surface, outline)| {
                        let foot = closest_on_surface(surface, &p);
                        foot.distance <= tolerance.join && outline.holds(foot.parameters)
                    })
                })
            };
            let in_end = end.map(|s| is_within(s.input));
            match in_end {
                Some(true) => _ = within.insert(f),
                Some(false) => beyond.push(f),
                None => {}
            }
            // A face in the plane of one at an end lies on that one's surface too.
            if in_end == Some(true) || sources.iter().any(|s| s.input == TOUCHED || s.input == OTHERS) {
                own.push(f);
            }
        }
        Self { made, own, within, beyond, borders: edges_of(made, &strips), kept: strips }
    }

    /// Adds what fills the ends of strips over which the shape grows: parts of faces' surfaces beyond those, on the side of the
    /// strips that goes on from them. The edges between those and the faces as they were are no border of anything any more.
    fn fill(&mut self) {
        let made = self.made;
        let all = made.shell.faces();
        // Which way a face with its outer side up runs along an edge: faces on either side of one run opposite ways.
        let runs = |f: usize, used: &OrientedEdge| used.forward != all[f].reversed;
        let fills = |part: usize| {
            uses_of(made, part).any(|own| {
                let beside = self.kept.iter().flat_map(|s| uses_of(made, *s).map(move |u| (*s, u)));
                beside.filter(|(_, u)| u.edge == own.edge).any(|(s, u)| runs(s, u) != runs(part, own))
            })
        };
        let next = self.beyond.iter().copied().filter(|f| fills(*f)).collect();
        let fill = hanging_together(made, next, &self.beyond, &self.borders);
        let (filled, within) = (edges_of(made, &fill), edges_of(made, &self.within));
        self.borders.extend(filled.intersection(&within));
        self.kept.extend(fill);
    }

    /// Adds the faces beside the strips' first lines of contact that do not lie under them, each with all others that hang together
    /// with it.
    fn spread_beside(&mut self, strips: &[Laid], tolerance: &Tolerance) {
        let made = self.made;
        let mut beside = Vec::new();
        for &f in &self.own {
            for used in uses_of(made, f).filter(|u| self.borders.contains(&u.edge)) {
                let edge = made.shell.edge(used.edge);
                let Some(curve) = &edge.curve else { continue };
                let middle = curve.point(curve.domain().at(0.5));
                let near = |strip: &&Laid| {
                    (closest_on_curve(&strip.contact(0), &middle).point - middle).norm() <= tolerance.join
                };
                let strip = strips.iter().find(near);
                if strip.is_some_and(|s| !lies_under(&made.shell.faces()[f], used, edge, s)) {
                    beside.push(f);
                }
            }
        }
        beside.into_iter().for_each(|f| self.spread(f));
    }

    /// Adds a face of the shape with all others of it that hang together with it.
    fn spread(&mut self, from: usize) {
        if !self.kept.contains(&from) {
            self.kept.extend(hanging_together(self.made, vec![from], &self.own, &self.borders));
        }
    }
}
