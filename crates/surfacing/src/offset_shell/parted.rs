//! Faces parted where their offsets fold over: along the parameter lines between which they do, so that what folds is a face of
//! its own and can vanish; or along the ridge in the middle of what folds, on either side of which the face then ends where it meets
//! itself (the swallowtail of Maekawa, An overview of offset curves and surfaces, CAD 31, 1999, section 3).

use std::collections::BTreeSet;
use std::sync::Arc;

use geometry::{
    Domain, KnotVector, NurbsCurve, NurbsSurface, Point3, SurfaceDerivatives, Vector3, bisect,
    tightest_bend_of,
};
use topology::{
    Edge, EdgeId, Face, Loop, OrientedEdge, Shell, Vertex, VertexId, face_extent, straight_pcurve,
};

use crate::SurfacingError;
use crate::loops::Outlines;

/// Places per span, and at least in all, at which the bending is looked at.
const PER_SPAN: usize = 4;
const LEAST: usize = 48;
/// Places at least between two knots at which the bending may jump.
const PER_RUN: usize = 5;
const MOST_PLACES: usize = 96;
/// Share of a face's extent by which a cut lies inside what folds, and within which two cuts are one.
const INSIDE: f64 = 1e-7;
/// Share of the extent within which the tightest place is at an end of it.
const AT_END: f64 = 1e-3;
/// Share of the extent within which a vertex lies on a line.
const ON_LINE: f64 = 1e-6;
/// Places of each span of a curve at which is looked whether it crosses a line.
const LOOKED_AT: usize = 8;
/// How far from folding a line's places may be beside one at which it is looked whether they do, and rounds of that.
const NEARLY: f64 = -0.5;
const NARROWED: usize = 40;
/// Places at which the ridge's end is looked for.
const FINE: usize = 64;
/// Areas of a face that fold beyond which it is not parted: it is about as tight as the distance all over.
const MOST_AREAS: usize = 8;
/// Edges of a face that are parted for one cut at most.
const MOST: usize = 8;

/// A shell with some of its faces parted, with what its faces and edges were before.
pub(super) struct Parted {
    pub(super) shell: Shell,
    pub(super) faces: Vec<usize>,
    pub(super) edges: Vec<EdgeId>,
    /// Edges along ridges.
    pub(super) ridges: BTreeSet<usize>,
}

/// Where faces that fold are parted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Where {
    /// About what folds, first along this direction.
    Around {
        /// 0 for lines across u, 1 for those across v.
        first: usize,
    },
    /// In the middle of what folds, and where it ends inside a face.
    Ridges,
}

/// A parameter line along which faces are cut: all pieces that it crosses, or the one that holds a place.
struct Cut {
    axis: usize,
    at: f64,
    within: Option<[f64; 2]>,
    /// Whether it is a ridge.
    ridge: bool,
}

/// The shell with faces parted where their offsets begin to fold; `None` where there is nothing to part.
///
/// # Errors
/// What keeps the parts from being a shell.
pub(super) fn parted(shell: &Shell, distances: &[f64], at: Where) -> Result<Option<Parted>, SurfacingError> {
    let mut cutting = Cutting::of(shell);
    let mut any = false;
    for (f, face) in shell.faces().iter().enumerate() {
        let distance = if face.reversed { -distances[f] } else { distances[f] };
        let Some(folding) = Folding::of(face, distance) else { continue };
        if folding.areas().len() > MOST_AREAS {
            return Ok(None);
        }
        let cuts = match at {
            Where::Around { first } => folding.around(first),
            Where::Ridges => folding.ridges(),
        };
        for cut in cuts {
            if cut.ridge && cutting.is_seam(f, &cut) {
                any |= cutting.mark_seam(f, &cut);
                continue;
            }
            for piece in 0..cutting.faces.len() {
                let holds = |place: &[f64; 2]| Outlines::of(&cutting.faces[piece]).hold(place);
                if cutting.of[piece] == f && cut.within.as_ref().is_none_or(holds) {
                    any |= cutting.cut(piece, &cut)?;
                }
            }
        }
    }
    if any { cutting.done().map(Some) } else { Ok(None) }
}

/// The shell with the smooth ones of its edges parted where offsets begin to fold beside them: from there on the faces come apart, and
/// meet again farther on, as along a ridge. `None` where there are no such edges.
///
/// # Errors
/// Those of [`parted`].
pub(super) fn with_cusps(
    shell: &Shell,
    distances: &[f64],
    smooth: &[usize],
) -> Result<Option<Parted>, SurfacingError> {
    let mut cutting = Cutting::of(shell);
    if cutting.mark_cusps(distances, smooth) { cutting.done().map(Some) } else { Ok(None) }
}

/// A face whose offset folds somewhere, with how much it does at places of a grid.
pub(super) struct Folding<'a> {
    face: &'a Face,
    distance: f64,
    extent: [Domain; 2],
    lines: [Vec<f64>; 2],
    /// By the number of the line across u, then of that across v: above 0 where it folds.
    over: Vec<Vec<f64>>,
}

impl<'a> Folding<'a> {
    /// `None` for a face whose offset does not fold. The distance is that along the surface's normal.
    pub(super) fn of(face: &'a Face, distance: f64) -> Option<Self> {
        let surface = &face.surface;
        let extent = face_extent(face);
        let (radius, tightest) = tightest_bend_of(surface, extent, distance > 0.0)?;
        if radius > distance.abs() {
            return None;
        }
        let lines = [0, 1].map(|k| {
            let knots = if k == 0 { surface.knots_u() } else { surface.knots_v() };
            let count = (PER_SPAN * (knots.breaks().len() - 1)).clamp(LEAST, MOST_PLACES);
            looked_at(knots, extent[k], count + 1, tightest[k])
        });
        let mut folding = Self { face, distance, extent, lines, over: Vec::new() };
        let (outlines, whole) = (Outlines::of(face), face.is_whole());
        let holds = |at: &[f64; 2]| whole || outlines.hold(at);
        let looked = |folding: &Self| -> Vec<Vec<f64>> {
            let row = |u: &f64| {
                let at = |v: &f64| if holds(&[*u, *v]) { folding.fold([*u, *v]) } else { f64::MIN };
                folding.lines[1].iter().map(at).collect()
            };
            folding.lines[0].iter().map(row).collect()
        };
        folding.over = looked(&folding);
        let between = [0, 1].map(|axis| folding.hidden(axis));
        if between.iter().any(|b| !b.is_empty()) {
            for (lines, more) in folding.lines.iter_mut().zip(between) {
                lines.extend(more);
                lines.sort_by(f64::total_cmp);
                lines.dedup();
            }
            folding.over = looked(&folding);
        }
        Some(folding)
    }

    /// Lines beside those looked at at which it folds, though it does at none of those: where it is bent most between its neighbours.
    fn hidden(&self, axis: usize) -> Vec<f64> {
        let lines = &self.lines[axis];
        let count = self.lines[1 - axis].len();
        let worst: Vec<f64> = (0..lines.len())
            .map(|i| (0..count).map(|j| self.over(axis, i, j)).fold(f64::MIN, f64::max))
            .collect();
        let mut out = Vec::new();
        for i in 1..lines.len().saturating_sub(1) {
            let is_top = worst[i] > worst[i - 1] && worst[i] >= worst[i + 1];
            if !is_top || worst[i] >= 0.0 || worst[i] < NEARLY {
                continue;
            }
            let own: Vec<f64> = (0..count)
                .filter(|&j| self.over(axis, i, j) > f64::MIN)
                .map(|j| self.lines[1 - axis][j])
                .collect();
            let (mut a, mut b) = (lines[i - 1], lines[i + 1]);
            for _ in 0..NARROWED {
                let (p, q) = (a + (b - a) / 3.0, b - (b - a) / 3.0);
                if self.worst(axis, p, &own) < self.worst(axis, q, &own) { a = p } else { b = q }
            }
            let top = 0.5 * (a + b);
            if self.worst(axis, top, &own) >= 0.0 {
                out.push(top);
            }
        }
        out
    }

    /// How far apart the lines across a parameter are.
    fn spacing(&self, axis: usize) -> f64 {
        self.extent[axis].length() / (self.lines[axis].len() - 1) as f64
    }

    /// How much the offset is folded at a place, above 0 where it is.
    fn fold(&self, [u, v]: [f64; 2]) -> f64 {
        folded(&self.face.surface.derivatives(u, v), self.distance)
    }

    fn at(axis: usize, along: f64, across: f64) -> [f64; 2] {
        if axis == 0 { [along, across] } else { [across, along] }
    }

    /// How much the offset is folded at most along a parameter line, where the face has it.
    fn worst(&self, axis: usize, along: f64, across: &[f64]) -> f64 {
        across.iter().map(|&x| self.fold(Self::at(axis, along, x))).fold(f64::MIN, f64::max)
    }

    fn over(&self, axis: usize, i: usize, j: usize) -> f64 {
        if axis == 0 { self.over[i][j] } else { self.over[j][i] }
    }

    /// For each area that folds the lines between which it does: along one direction all through the face, along the other one only
    /// through the piece that then holds the area.
    fn around(&self, first: usize) -> Vec<Cut> {
        let mut out = Vec::new();
        for area in self.areas() {
            let borders = [0, 1].map(|axis| self.borders(axis, &area));
            let middle = middle_of(&area);
            // No place on the face's own border, of which none can say on which side of it that is.
            let on_face = |axis: usize| {
                let (at, d) = (self.lines[axis][middle[axis]], self.extent[axis]);
                let [low, high] = borders[axis];
                match [at == d.start, at == d.end] {
                    [true, _] => 0.5 * (at + high.unwrap_or(d.end)),
                    [_, true] => 0.5 * (at + low.unwrap_or(d.start)),
                    _ => at,
                }
            };
            let place = Some([on_face(0), on_face(1)]);
            for (axis, within) in [(first, None), (1 - first, place)] {
                // The cut lies inside what folds, but for where the surface itself changes.
                let inside = INSIDE * self.extent[axis].length();
                let knots = if axis == 0 { self.face.surface.knots_u() } else { self.face.surface.knots_v() };
                let mut put = |border: f64, inward: f64| {
                    let knot = knots.breaks().into_iter().find(|t| (t - border).abs() <= inside);
                    out.push(Cut { axis, at: knot.unwrap_or(border + inward), within, ridge: false });
                };
                for (border, inward) in borders[axis].into_iter().zip([inside, -inside]) {
                    border.into_iter().for_each(|border| put(border, inward));
                }
            }
        }
        out
    }

    /// Where an area ends along a parameter, before the face does.
    fn borders(&self, axis: usize, area: &[[usize; 2]]) -> [Option<f64>; 2] {
        let index = |cell: &[usize; 2]| cell[axis];
        let across = |k: usize| {
            let own = area.iter().filter(|c| c[axis] == k).map(|c| self.lines[1 - axis][c[1 - axis]]);
            own.collect::<Vec<f64>>()
        };
        let low = area.iter().map(index).min().filter(|low| *low > 0);
        let high = area.iter().map(index).max().filter(|high| high + 1 < self.lines[axis].len());
        [
            low.map(|low| self.border(axis, low, &across(low))),
            high.map(|high| self.border(axis, high + 1, &across(high))),
        ]
    }

    /// Where between two lines it begins to fold, on some lines across.
    fn border(&self, axis: usize, i: usize, across: &[f64]) -> f64 {
        let lines = &self.lines[axis];
        bisect(lines[i - 1], lines[i], |t| self.worst(axis, t, across) >= 0.0)
    }

    /// The lines along the ridges of what folds, and before each those at which it ends inside the face.
    fn ridges(&self) -> Vec<Cut> {
        let mut out = Vec::new();
        for area in self.areas() {
            let most =
                area.iter().copied().max_by(|a, b| self.over[a[0]][a[1]].total_cmp(&self.over[b[0]][b[1]]));
            let Some([i, j]) = most else { continue };
            let place = [self.lines[0][i], self.lines[1][j]];
            // A ridge runs across the direction of the tightest bend.
            let Some(axis) = self.across(place) else { continue };
            let along = 1 - axis;
            let index = |cell: &[usize; 2]| cell[along];
            let (Some(low), Some(high)) = (area.iter().map(index).min(), area.iter().map(index).max()) else {
                continue;
            };
            let line_of = |k: usize| {
                let own = area.iter().filter(|c| c[along] == k).map(|c| self.lines[axis][c[axis]]);
                own.collect::<Vec<f64>>()
            };
            let (mut middle, mut ends) = (place[axis], [self.extent[along].start, self.extent[along].end]);
            for (k, next, end) in [(low, low, 0), (high, high + 1, 1)] {
                let inside = if end == 0 { low > 0 } else { high + 1 < self.lines[along].len() };
                if !inside {
                    continue;
                }
                let places = line_of(k);
                ends[end] = self.border(along, next, &places);
                out.push(Cut { axis: along, at: ends[end], within: None, ridge: false });
                let fold = |x: &f64| self.fold(Self::at(along, ends[end], *x));
                let top = self.extent[axis].start..=self.extent[axis].end;
                let fine = (0..=FINE).map(|n| {
                    let (a, b) = (places[0], places[places.len() - 1]);
                    let more = self.spacing(axis);
                    a - more + (b - a + 2.0 * more) * n as f64 / FINE as f64
                });
                middle = fine
                    .filter(|x| top.contains(x))
                    .max_by(|a, b| fold(a).total_cmp(&fold(b)))
                    .unwrap_or(middle);
            }
            // A ridge next to where the face closes on itself is there.
            let whole = <[Domain; 2]>::from(self.face.surface.domain())[axis];
            let step = 1.5 * self.spacing(axis);
            if self.face.surface.closes(1e-9)[axis] {
                if middle - whole.start <= step {
                    middle = whole.start;
                } else if whole.end - middle <= step {
                    middle = whole.end;
                }
            }
            let half = 0.5 * (ends[0] + ends[1]);
            let within = Some(Self::at(along, half, middle));
            out.push(Cut { axis, at: middle, within, ridge: true });
        }
        out
    }

    /// The part of the parameter plane about all that folds.
    pub(super) fn part(&self) -> Option<[Domain; 2]> {
        let cells: Vec<[usize; 2]> = self.areas().into_iter().flatten().collect();
        let side = |k: usize| {
            let (low, high) = (cells.iter().map(|c| c[k]).min()?, cells.iter().map(|c| c[k]).max()?);
            let lines = &self.lines[k];
            Some(Domain::new(lines[low.saturating_sub(1)], lines[(high + 1).min(lines.len() - 1)]))
        };
        Some([side(0)?, side(1)?])
    }

    /// What folds, area by area, each as the numbers of the lines across u and v.
    pub(super) fn areas(&self) -> Vec<Vec<[usize; 2]>> {
        let mut left: BTreeSet<[usize; 2]> = BTreeSet::new();
        for (i, row) in self.over.iter().enumerate() {
            left.extend(row.iter().enumerate().filter(|(_, x)| **x >= 0.0).map(|(j, _)| [i, j]));
        }
        let mut out = Vec::new();
        while let Some(first) = left.pop_first() {
            let mut area = vec![first];
            let mut next = 0;
            while next < area.len() {
                let [i, j] = area[next];
                let beside = [[i + 1, j], [i.wrapping_sub(1), j], [i, j + 1], [i, j.wrapping_sub(1)]];
                area.extend(beside.into_iter().filter(|cell| left.remove(cell)));
                next += 1;
            }
            out.push(area);
        }
        out
    }

    /// The parameter along which the surface bends most tightly at a place.
    fn across(&self, [u, v]: [f64; 2]) -> Option<usize> {
        tighter(&self.face.surface.derivatives(u, v), self.distance)
    }
}

/// The parameter, 0 for u, along whose line a surface bends more tightly towards an offset by the distance along its normal.
pub(super) fn tighter(d: &SurfaceDerivatives, distance: f64) -> Option<usize> {
    let bend = |rate: &Vector3| {
        Some(d.normal_curvature(&rate.try_normalize(f64::MIN_POSITIVE)?)? * distance.signum())
    };
    let (along_u, along_v) = (bend(&d.u)?, bend(&d.v)?);
    Some(usize::from(along_v > along_u))
}

/// The cell of an area that lies nearest to its middle, and so not at its border.
fn middle_of(area: &[[usize; 2]]) -> [usize; 2] {
    let mean = [0, 1].map(|k| area.iter().map(|c| c[k]).sum::<usize>() as f64 / area.len().max(1) as f64);
    let off = |c: &[usize; 2]| (c[0] as f64 - mean[0]).powi(2) + (c[1] as f64 - mean[1]).powi(2);
    area.iter().copied().min_by(|a, b| off(a).total_cmp(&off(b))).unwrap_or_default()
}

/// Places of a parameter at which is looked how a surface bends: so many at equal steps, one where it does most, since what bends
/// can be narrower than those are apart, and a few between any two knots at which the bending may jump.
pub(super) fn looked_at(knots: &KnotVector, within: Domain, count: usize, tightest: f64) -> Vec<f64> {
    let middles = |d: Domain, count: usize| (0..count).map(move |i| d.at((i as f64 + 0.5) / count as f64));
    let breaks = knots.breaks();
    let runs = knots.smooth_runs().into_iter().filter_map(|[first, last]| {
        let [from, to] = [breaks[first], breaks[last]].map(|t| within.clamp(t));
        (from < to).then(|| middles(Domain::new(from, to), PER_RUN))
    });
    let tightest = within.clamp(tightest);
    // What is bent most at one end may be bent as much at the other one, as where the surface closes on itself.
    let ends = [within.start, within.end];
    let is_end = ends.iter().any(|end| (tightest - end).abs() <= AT_END * within.length());
    let at_ends = ends.into_iter().filter(|_| is_end);
    let mut out: Vec<f64> =
        runs.flatten().chain(middles(within, count)).chain([tightest]).chain(at_ends).collect();
    out.sort_by(f64::total_cmp);
    out.dedup();
    out
}

/// How much an offset is folded at a place of its surface, by the distance along the normal: above 0 where it is.
pub(super) fn folded(d: &SurfaceDerivatives, distance: f64) -> f64 {
    let bend = |(gauss, mean): (f64, f64)| distance.signum() * mean + (mean * mean - gauss).max(0.0).sqrt();
    d.curvatures().map_or(f64::MIN, |c| bend(c) * distance.abs() - 1.0)
}

/// The surface for what lies before and what lies after a parameter line: all of it, or, where it is no smoother there than two
/// surfaces side by side, the part on that side, which goes on beyond it in its own way.
fn own_sides(surface: &Arc<NurbsSurface>, axis: usize, at: f64) -> [Arc<NurbsSurface>; 2] {
    let knots = if axis == 0 { surface.knots_u() } else { surface.knots_v() };
    let smooth = knots.distinct().iter().all(|(t, count)| *t != at || count + 1 < knots.degree());
    let whole: [Domain; 2] = surface.domain().into();
    if smooth || at <= whole[axis].start || at >= whole[axis].end {
        return [Arc::clone(surface), Arc::clone(surface)];
    }
    let side = |d: Domain| {
        let mut part = whole;
        part[axis] = d;
        Arc::new(surface.part(part))
    };
    [side(Domain::new(whole[axis].start, at)), side(Domain::new(at, whole[axis].end))]
}

/// A shell while its faces are cut.
struct Cutting {
    vertices: Vec<Vertex>,
    edges: Vec<Edge>,
    faces: Vec<Face>,
    of: Vec<usize>,
    was: Vec<EdgeId>,
    ridges: BTreeSet<usize>,
}

impl Cutting {
    fn of(shell: &Shell) -> Self {
        Self {
            vertices: shell.vertices().to_vec(),
            edges: shell.edges().to_vec(),
            faces: shell.faces().to_vec(),
            of: (0..shell.faces().len()).collect(),
            was: (0..shell.edges().len() as u32).map(EdgeId).collect(),
            ridges: BTreeSet::new(),
        }
    }

    fn done(self) -> Result<Parted, SurfacingError> {
        let shell = Shell::try_new(self.vertices, self.edges, self.faces)?;
        Ok(Parted { shell, faces: self.of, edges: self.was, ridges: self.ridges })
    }

    /// Takes the parts of smooth edges beside which an offset folds for those along a ridge; whether there are any.
    fn mark_cusps(&mut self, distances: &[f64], smooth: &[usize]) -> bool {
        let mut any = false;
        for &e in smooth {
            let uses: Vec<(usize, NurbsCurve)> = self
                .faces
                .iter()
                .enumerate()
                .flat_map(|(f, face)| face.loops.iter().flat_map(|l| &l.edges).map(move |u| (f, u)))
                .filter(|(_, u)| u.edge.index() == e)
                .map(|(f, u)| (f, u.pcurve.clone()))
                .collect();
            let Some((_, first)) = uses.first() else { continue };
            let fold = |t: f64| {
                let at = |(f, pcurve): &(usize, NurbsCurve)| {
                    let (face, p) = (&self.faces[*f], pcurve.point(t));
                    let distance = if face.reversed { -distances[*f] } else { distances[*f] };
                    folded(&face.surface.derivatives(p.x, p.y), distance)
                };
                uses.iter().map(at).fold(f64::MIN, f64::max)
            };
            let places = looked_at(first.knots(), first.domain(), LEAST, first.domain().start);
            let over: Vec<bool> = places.iter().map(|t| fold(*t) >= 0.0).collect();
            if !over.contains(&true) {
                continue;
            }
            any = true;
            // From the end, so that what is left keeps its number.
            let borders: Vec<f64> = (1..places.len())
                .filter(|&k| over[k - 1] != over[k])
                .map(|k| bisect(places[k - 1], places[k], |t| (fold(t) >= 0.0) == over[k]))
                .collect();
            let mut folds = over[over.len() - 1];
            for t in borders.into_iter().rev() {
                let new = self.part_edge(EdgeId(e as u32), t);
                if folds {
                    self.ridges.insert(new.index());
                }
                folds = !folds;
            }
            if folds {
                self.ridges.insert(e);
            }
        }
        any
    }

    /// Whether a line is where a face closes on itself.
    fn is_seam(&self, f: usize, cut: &Cut) -> bool {
        let surface = &self.faces[f].surface;
        let d = <[Domain; 2]>::from(surface.domain())[cut.axis];
        surface.closes(1e-9)[cut.axis] && (cut.at == d.start || cut.at == d.end)
    }

    /// Takes the edges along a face's seam for those along a ridge; whether there are any.
    fn mark_seam(&mut self, f: usize, cut: &Cut) -> bool {
        let d = <[Domain; 2]>::from(self.faces[f].surface.domain())[cut.axis];
        let near = ON_LINE * d.length();
        let on = |p: Point3, end: f64| (p[cut.axis] - end).abs() <= near;
        let pieces = (0..self.faces.len()).filter(|&k| self.of[k] == f);
        let uses = pieces.flat_map(|k| &self.faces[k].loops).flat_map(|l| &l.edges);
        let along = |end: f64| {
            let own = uses.clone().filter(move |u| on(u.pcurve.start(), end) && on(u.pcurve.end(), end));
            own.map(|u| u.edge.index()).collect::<BTreeSet<usize>>()
        };
        let both: BTreeSet<usize> = along(d.start).intersection(&along(d.end)).copied().collect();
        let any = !both.is_empty();
        self.ridges.extend(both);
        any
    }

    /// Cuts a face along a parameter line that crosses its outline twice; whether it did.
    fn cut(&mut self, f: usize, &Cut { axis, at, ridge, .. }: &Cut) -> Result<bool, SurfacingError> {
        let extent = face_extent(&self.faces[f])[axis];
        let near = ON_LINE * extent.length();
        if at <= extent.start + near || at >= extent.end - near {
            return Ok(false);
        }
        // Where edges cross it between their ends they are parted first.
        for _ in 0..MOST {
            let Some((edge, t)) = self.crossed(f, axis, at, near) else { break };
            self.part_edge(edge, t);
        }
        let face = &self.faces[f];
        let starts = |used: &OrientedEdge| {
            if used.forward { used.pcurve.start() } else { used.pcurve.end() }
        };
        let on_line: Vec<Vec<usize>> = face
            .loops
            .iter()
            .map(|l| (0..l.edges.len()).filter(|&k| (starts(&l.edges[k])[axis] - at).abs() <= near).collect())
            .collect();
        let [first, others @ ..] = &on_line[..] else { return Ok(false) };
        let (&[a, b], true) = (&first[..], others.iter().all(Vec::is_empty)) else { return Ok(false) };
        let outer = &face.loops[0].edges;
        let [p, q] = [a, b].map(|k| starts(&outer[k]));
        // An edge along the line is there already.
        if [(a, b), (b, a)]
            .iter()
            .any(|(x, y)| (x + 1) % outer.len() == *y && self.runs_along(f, *x, axis, near))
        {
            return Ok(false);
        }
        let across = 1 - axis;
        let [from, to] = [p[across].min(q[across]), p[across].max(q[across])];
        let line = if axis == 0 { face.surface.curve_at_u(at) } else { face.surface.curve_at_v(at) };
        let d = line.domain();
        let curve = line.part(d.clamp(from), d.clamp(to));
        let place = |x: f64| if axis == 0 { [at, x] } else { [x, at] };
        let pcurve = straight_pcurve(Domain::new(from, to), place(from), place(to))?;
        let vertex = |k: usize| {
            let used = &outer[k];
            let edge = &self.edges[used.edge.index()];
            if used.forward { edge.start } else { edge.end }
        };
        let rising = p[across] < q[across];
        let [start, end] = if rising { [vertex(a), vertex(b)] } else { [vertex(b), vertex(a)] };
        let id = EdgeId(self.edges.len() as u32);
        let used = |forward: bool| OrientedEdge { edge: id, forward, pcurve: pcurve.clone() };
        // From a to b and back along the line, and from b to a and back.
        let run = |from: usize, to: usize| {
            let count = (to + outer.len() - from) % outer.len();
            (0..count).map(|k| outer[(from + k) % outer.len()].clone()).collect::<Vec<_>>()
        };
        let (mut one, mut two) = (run(a, b), run(b, a));
        one.push(used(!rising));
        two.push(used(rising));
        let low = one.iter().any(|u| starts(u)[axis] < at - near);
        let (mut loops, mut more) = (vec![Loop { edges: one }], vec![Loop { edges: two }]);
        for hole in &face.loops[1..] {
            let below = hole.edges.first().is_some_and(|u| starts(u)[axis] < at);
            if below == low { &mut loops } else { &mut more }.push(hole.clone());
        }
        let off = |v: VertexId, p: Point3| (self.vertices[v.index()].point - p).norm();
        let tolerance = 1.001 * off(start, curve.start()).max(off(end, curve.end())).max(1e-9);
        // Along a ridge both sides are offset beyond it.
        let surfaces = if ridge {
            [Arc::clone(&face.surface), Arc::clone(&face.surface)]
        } else {
            own_sides(&face.surface, axis, at)
        };
        let (own, beyond) = if low { (0, 1) } else { (1, 0) };
        let other = Face { loops: more, surface: Arc::clone(&surfaces[beyond]), ..face.clone() };
        self.faces[f].loops = loops;
        self.faces[f].surface = Arc::clone(&surfaces[own]);
        self.faces.push(other);
        self.of.push(self.of[f]);
        self.edges.push(Edge { curve: Some(curve), start, end, tolerance });
        self.was.push(EdgeId(u32::MAX));
        if ridge {
            self.ridges.insert(id.index());
        }
        Ok(true)
    }

    fn runs_along(&self, f: usize, k: usize, axis: usize, near: f64) -> bool {
        let pcurve = &self.faces[f].loops[0].edges[k].pcurve;
        let at = pcurve.start()[axis];
        pcurve.knots().sampled(LOOKED_AT).into_iter().all(|t| (pcurve.point(t)[axis] - at).abs() <= near)
    }

    /// An edge of a face that crosses a line between its ends, and where.
    fn crossed(&self, f: usize, axis: usize, at: f64, near: f64) -> Option<(EdgeId, f64)> {
        let uses = self.faces[f].loops.iter().flat_map(|l| &l.edges);
        uses.into_iter().find_map(|used| {
            let off = |t: f64| used.pcurve.point(t)[axis] - at;
            let d = used.pcurve.domain();
            // An end on the line is no crossing.
            let mut places = used.pcurve.knots().sampled(LOOKED_AT);
            places.retain(|t| off(*t).abs() > near);
            places.windows(2).find_map(|w| {
                let crosses = (off(w[0]) > 0.0) != (off(w[1]) > 0.0);
                let t = crosses.then(|| bisect(w[0], w[1], |t| off(t) > 0.0))?;
                (t > d.start && t < d.end).then_some((used.edge, t))
            })
        })
    }

    /// Parts an edge at a parameter, for all faces that use it; its second half is new.
    fn part_edge(&mut self, id: EdgeId, t: f64) -> EdgeId {
        let edge = self.edges[id.index()].clone();
        // A pole's parts all end at its own vertex.
        let (middle, halves) = match &edge.curve {
            Some(curve) => {
                let d = curve.domain();
                self.vertices.push(Vertex { point: curve.point(t) });
                let vertex = VertexId(self.vertices.len() as u32 - 1);
                (vertex, [Some(curve.part(d.start, t)), Some(curve.part(t, d.end))])
            }
            None => (edge.start, [None, None]),
        };
        let [first, second] = halves;
        let new = EdgeId(self.edges.len() as u32);
        self.edges[id.index()] = Edge { curve: first, end: middle, ..edge.clone() };
        self.edges.push(Edge { curve: second, start: middle, ..edge });
        self.was.push(self.was[id.index()]);
        if self.ridges.contains(&id.index()) {
            self.ridges.insert(new.index());
        }
        for bound in self.faces.iter_mut().flat_map(|f| &mut f.loops) {
            let mut out = Vec::with_capacity(bound.edges.len());
            for used in bound.edges.drain(..) {
                if used.edge != id {
                    out.push(used);
                    continue;
                }
                let d = used.pcurve.domain();
                let mut both = [
                    OrientedEdge { pcurve: used.pcurve.part(d.start, t), ..used.clone() },
                    OrientedEdge { edge: new, pcurve: used.pcurve.part(t, d.end), ..used.clone() },
                ];
                if !used.forward {
                    both.reverse();
                }
                out.extend(both);
            }
            bound.edges = out;
        }
        new
    }
}
