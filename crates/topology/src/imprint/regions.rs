//! A face divided along the edges that lie in it: loops walked in its parameter plane.
//!
//! # References
//! de Berg et al., Computational Geometry, section 2.2: at a vertex a walk goes on with the next edge clockwise, so that its
//! region stays to the left.

use std::collections::BTreeMap;

use geometry::{NurbsCurve, NurbsSurface, polygon_area, polygon_holds};

use super::outline::flat;
use crate::{EdgeId, Loop, OrientedEdge};

/// How far apart ends of parameter curves at one vertex may be to be one place, as shares of the face's extent. Only a seam
/// or a pole brings a vertex to several places.
const SAME_PLACE: f64 = 0.05;
const SAME_AT_POLE: f64 = 1e-6;
/// Share of the shortest edge at a vertex at which its edges' directions are taken.
const AROUND: f64 = 0.05;
const CHORD: f64 = 1e-5;

/// An edge in a face's parameter plane.
#[derive(Debug, Clone)]
pub(crate) struct Bound {
    pub(crate) edge: EdgeId,
    /// By the edge's parameter, in its direction.
    pub(crate) pcurve: NurbsCurve,
    /// Vertices at its start and end.
    pub(crate) ends: [usize; 2],
    /// Whether the face lies to the left of it along its direction, and against it; both for an edge inside the face.
    pub(crate) ways: [bool; 2],
    /// Whether it has no length in space.
    pub(crate) pole: bool,
}

/// What a face is divided into.
pub(crate) struct Divided {
    /// The loops of each piece, the outer one first.
    pub(crate) pieces: Vec<Vec<Loop>>,
    /// Edges that were left out, since they divide nothing.
    pub(crate) idle: Vec<EdgeId>,
}

struct HalfEdge {
    bound: usize,
    forward: bool,
    line: Vec<[f64; 2]>,
}

/// The pieces into which edges divide a face, each bounded by those that it touches.
pub(crate) fn divided(surface: &NurbsSurface, bounds: &[Bound]) -> Divided {
    let mut idle: Vec<usize> = Vec::new();
    loop {
        let used: Vec<usize> = (0..bounds.len()).filter(|i| !idle.contains(i)).collect();
        let walked = Walk::new(surface, bounds, &used);
        let dangling = walked.dangling();
        if !dangling.is_empty() {
            idle.extend(dangling);
            continue;
        }
        let loops = walked.loops();
        // What has the same loop on both sides divides nothing.
        let slit = loops.iter().find_map(|l| {
            let inner = |h: &&usize| bounds[walked.halves[**h].bound].ways == [true; 2];
            let twice = |h: &&usize| {
                let bound = walked.halves[**h].bound;
                l.iter().filter(|o| walked.halves[**o].bound == bound).count() == 2
            };
            l.iter().find(|h| inner(h) && twice(h)).map(|h| walked.halves[*h].bound)
        });
        if let Some(slit) = slit {
            idle.push(slit);
            continue;
        }
        let pieces = walked.pieces(bounds, &loops);
        return Divided { pieces, idle: idle.into_iter().map(|i| bounds[i].edge).collect() };
    }
}

struct Walk {
    halves: Vec<HalfEdge>,
    /// Places: for each the half edges that leave it.
    leaving: Vec<Vec<usize>>,
    /// For each half edge the places at its start and end.
    ends: Vec<[usize; 2]>,
    inner: Vec<bool>,
    scale: [f64; 2],
}

impl Walk {
    fn new(surface: &NurbsSurface, bounds: &[Bound], used: &[usize]) -> Self {
        let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
        for b in bounds {
            for p in b.pcurve.control_points() {
                for k in 0..2 {
                    (low[k], high[k]) = (low[k].min(p[k]), high[k].max(p[k]));
                }
            }
        }
        let extent = [0, 1].map(|k| (high[k] - low[k]).max(f64::MIN_POSITIVE));
        let middle = [0, 1].map(|k| 0.5 * (low[k] + high[k]));
        let (_, su, sv) = surface.tangents(middle[0], middle[1]);
        // Directions are compared as they look in space; at a pole no length is better than another.
        let scale = [su.norm(), sv.norm()].map(|s| if s > 0.0 { s } else { 1.0 });
        let poles: Vec<usize> = bounds.iter().filter(|b| b.pole).map(|b| b.ends[0]).collect();
        let mut places: BTreeMap<usize, Vec<([f64; 2], usize)>> = BTreeMap::new();
        let mut count = 0;
        let mut place = |vertex: usize, at: [f64; 2]| {
            let share = if poles.contains(&vertex) { SAME_AT_POLE } else { SAME_PLACE };
            let known = places.entry(vertex).or_default();
            let same = |p: &&([f64; 2], usize)| (0..2).all(|k| (p.0[k] - at[k]).abs() <= share * extent[k]);
            if let Some(found) = known.iter().find(same) {
                return found.1;
            }
            known.push((at, count));
            count += 1;
            count - 1
        };
        let (mut halves, mut ends, mut inner) = (Vec::new(), Vec::new(), Vec::new());
        for &i in used {
            let b = &bounds[i];
            let size = extent[0].min(extent[1]);
            let line = flat(&b.pcurve, CHORD * size);
            let at = [place(b.ends[0], line[0]), place(b.ends[1], line[line.len() - 1])];
            for (way, forward) in b.ways.into_iter().zip([true, false]) {
                if !way {
                    continue;
                }
                let mut line = line.clone();
                let mut at = at;
                if !forward {
                    line.reverse();
                    at.reverse();
                }
                halves.push(HalfEdge { bound: i, forward, line });
                ends.push(at);
                inner.push(b.ways == [true; 2]);
            }
        }
        let mut leaving: Vec<Vec<usize>> = vec![Vec::new(); count];
        for (h, e) in ends.iter().enumerate() {
            leaving[e[0]].push(h);
        }
        Self { halves, leaving, ends, inner, scale }
    }

    /// Edges inside the face that end where nothing else is.
    fn dangling(&self) -> Vec<usize> {
        let mut degree = vec![0usize; self.leaving.len()];
        for e in &self.ends {
            degree[e[0]] += 1;
            degree[e[1]] += 1;
        }
        let mut out: Vec<usize> = (0..self.halves.len())
            .filter(|&h| self.inner[h] && self.ends[h][0] != self.ends[h][1])
            // Both of its half edges count at each end.
            .filter(|&h| self.ends[h].iter().any(|&p| degree[p] == 2))
            .map(|h| self.halves[h].bound)
            .collect();
        out.dedup();
        out
    }

    /// Direction in which a line leaves its start, at a distance from it.
    fn direction(&self, line: &mut dyn Iterator<Item = [f64; 2]>, radius: f64) -> f64 {
        let Some(start) = line.next() else { return 0.0 };
        let from = |p: [f64; 2]| [0, 1].map(|k| (p[k] - start[k]) * self.scale[k]);
        let mut before = [0.0; 2];
        for p in line {
            let d = from(p);
            let far = d[0].hypot(d[1]);
            if far >= radius {
                // Where the line leaves the circle, by halving.
                let (mut a, mut b) = (0.0, 1.0);
                let at = |f: f64| [0, 1].map(|k| before[k] + (d[k] - before[k]) * f);
                for _ in 0..40 {
                    let m = 0.5 * (a + b);
                    let x = at(m);
                    if x[0].hypot(x[1]) >= radius { b = m } else { a = m }
                }
                let x = at(b);
                return x[1].atan2(x[0]);
            }
            before = d;
        }
        before[1].atan2(before[0])
    }

    /// How far a line gets from its start.
    fn reach(&self, line: &[[f64; 2]]) -> f64 {
        let d = |p: &[f64; 2]| [0, 1].map(|k| (p[k] - line[0][k]) * self.scale[k]);
        line.iter().map(|p| d(p)[0].hypot(d(p)[1])).fold(0.0, f64::max)
    }

    /// For each half edge the one that goes on from it.
    fn following(&self) -> Vec<Option<usize>> {
        let mut next = vec![None; self.halves.len()];
        let mut arriving: Vec<Vec<usize>> = vec![Vec::new(); self.leaving.len()];
        for (h, e) in self.ends.iter().enumerate() {
            arriving[e[1]].push(h);
        }
        for (place, leaving) in self.leaving.iter().enumerate() {
            if let ([only], [one]) = (&leaving[..], &arriving[place][..]) {
                next[*one] = Some(*only);
                continue;
            }
            let around = leaving.iter().chain(&arriving[place]);
            let radius =
                AROUND * around.map(|&h| self.reach(&self.halves[h].line)).fold(f64::INFINITY, f64::min);
            let out: Vec<(f64, usize)> = leaving
                .iter()
                .map(|&h| (self.direction(&mut self.halves[h].line.iter().copied(), radius), h))
                .collect();
            for &h in &arriving[place] {
                let back = self.direction(&mut self.halves[h].line.iter().rev().copied(), radius);
                let twin = |o: usize| {
                    self.halves[o].bound == self.halves[h].bound
                        && self.halves[o].forward != self.halves[h].forward
                };
                // The first one clockwise; back the same way only where there is no other.
                let turn = |&(angle, o): &(f64, usize)| {
                    let t = (back - angle).rem_euclid(std::f64::consts::TAU);
                    if twin(o) && self.ends[o][0] != self.ends[o][1] || t == 0.0 {
                        std::f64::consts::TAU
                    } else {
                        t
                    }
                };
                next[h] = out.iter().min_by(|a, b| turn(a).total_cmp(&turn(b))).map(|o| o.1);
            }
        }
        next
    }

    fn loops(&self) -> Vec<Vec<usize>> {
        let next = self.following();
        let mut done = vec![false; self.halves.len()];
        let mut out = Vec::new();
        for start in 0..self.halves.len() {
            let mut run = Vec::new();
            let mut at = start;
            while !done[at] {
                done[at] = true;
                run.push(at);
                match next[at] {
                    Some(n) => at = n,
                    None => break,
                }
            }
            if !run.is_empty() && at == start {
                out.push(run);
            }
        }
        out
    }

    fn polygon(&self, run: &[usize]) -> Vec<[f64; 2]> {
        run.iter()
            .flat_map(|&h| self.halves[h].line[..self.halves[h].line.len() - 1].iter().copied())
            .collect()
    }

    /// Loops that turn left with those that turn right inside them.
    fn pieces(&self, bounds: &[Bound], loops: &[Vec<usize>]) -> Vec<Vec<Loop>> {
        let polygons: Vec<Vec<[f64; 2]>> = loops.iter().map(|l| self.polygon(l)).collect();
        let areas: Vec<f64> = polygons.iter().map(|p| polygon_area(p)).collect();
        let made = |l: &Vec<usize>| Loop {
            edges: l
                .iter()
                .map(|&h| {
                    let half = &self.halves[h];
                    let b = &bounds[half.bound];
                    OrientedEdge { edge: b.edge, forward: half.forward, pcurve: b.pcurve.clone() }
                })
                .collect(),
        };
        let mut outer: Vec<usize> = (0..loops.len()).filter(|&i| areas[i] > 0.0).collect();
        outer.sort_by(|a, b| areas[*a].total_cmp(&areas[*b]));
        let bounds_of = |l: usize| {
            let mut own: Vec<usize> = loops[l].iter().map(|&h| self.halves[h].bound).collect();
            own.sort_unstable();
            own
        };
        let mut holes: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for hole in (0..loops.len()).filter(|&i| areas[i] <= 0.0) {
            let polygon = &polygons[hole];
            // Middles of sides: corners can be common with the loop outside.
            let probes: Vec<[f64; 2]> = (0..polygon.len())
                .step_by((polygon.len() / 5).max(1))
                .map(|k| {
                    let next = polygon[(k + 1) % polygon.len()];
                    [0, 1].map(|x| 0.5 * (polygon[k][x] + next[x]))
                })
                .collect();
            let holds = |&&o: &&usize| {
                let inside = probes.iter().filter(|p| polygon_holds(&polygons[o], p)).count();
                // The other side of the same edges is as large but for rounding.
                let same = bounds_of(o) == bounds_of(hole);
                !same && areas[o] > -areas[hole] && 2 * inside > probes.len()
            };
            if let Some(&around) = outer.iter().find(holds) {
                holes.entry(around).or_default().push(hole);
            }
        }
        outer.sort_unstable();
        outer
            .into_iter()
            .map(|o| {
                let inner = holes.get(&o).into_iter().flatten().map(|&h| made(&loops[h]));
                std::iter::once(made(&loops[o])).chain(inner).collect()
            })
            .collect()
    }
}
