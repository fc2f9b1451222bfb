//! A shell's half-edges while edges and faces of it vanish: who stands about whom, whatever is left.

use std::collections::BTreeSet;

use topology::{OrientedEdge, Shell};

use super::{Joints, Kind};
use crate::halves::{Half, Halves};
use crate::side::Side;

/// How many times as far apart as at their ends the edges of a strip may be between.
const BESIDE: f64 = 2.0;

/// The half-edges of a shell that are left.
pub(super) struct Web<'a> {
    pub(super) halves: Halves<'a>,
    pub(super) joints: &'a Joints,
    alive: Vec<bool>,
    /// Uses of poles that come, in the order of the loop, after a half-edge.
    poles: Vec<Vec<usize>>,
}

/// The part of a face between the half-edge that leaves a vertex along it and the one that comes in.
#[derive(Debug, Clone, Copy)]
pub(super) struct Corner {
    pub(super) face: usize,
    pub(super) leaving: usize,
    pub(super) coming: usize,
}

/// The corners about a vertex, against the clock when seen from outside; spoke `i` is the edge along which corner `i` is left,
/// and along which the one before it is come in by.
#[derive(Debug, Clone)]
pub(super) struct Fan {
    pub(super) corners: Vec<Corner>,
    /// Whether the last corner ends at the first spoke; else the first and one more spoke at the end are free edges.
    pub(super) closed: bool,
}

impl<'a> Web<'a> {
    pub(super) fn new(shell: &'a Shell, joints: &'a Joints) -> Self {
        let halves = Halves::new(shell);
        let count = halves.all.len();
        let mut web = Self { halves, joints, alive: vec![true; count], poles: vec![Vec::new(); count] };
        for h in 0..count {
            if shell.edge(web.halves.all[h].edge).curve.is_none() {
                let before = web.halves.all[h].previous;
                web.unlink(h);
                web.poles[before].push(h);
            }
        }
        web
    }

    pub(super) fn shell(&self) -> &'a Shell {
        self.halves.shell
    }

    pub(super) fn used(&self, half: usize) -> &'a OrientedEdge {
        self.halves.used(half)
    }

    /// Half-edges that are left.
    pub(super) fn left(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.alive.len()).filter(|&h| self.alive[h])
    }

    pub(super) fn face(&self, half: usize) -> usize {
        self.halves.all[half].face
    }

    pub(super) fn twin(&self, half: usize) -> Option<usize> {
        self.halves.all[half].twin
    }

    pub(super) fn next(&self, half: usize) -> usize {
        self.halves.all[half].next
    }

    pub(super) fn previous(&self, half: usize) -> usize {
        self.halves.all[half].previous
    }

    pub(super) fn poles_after(&self, half: usize) -> &[usize] {
        &self.poles[half]
    }

    pub(super) fn kind(&self, half: usize) -> Kind {
        let edge = |h: usize| self.halves.all[h].edge;
        match self.twin(half) {
            None => Kind::Free,
            Some(twin) if edge(twin) == edge(half) => self.joints.kinds[edge(half).index()],
            Some(_) => Kind::Sharp,
        }
    }

    /// 1 where the faces beside an edge bend outwards, -1 where they bend inwards; `None` where they do not bend.
    pub(super) fn bends(&self, half: usize) -> Option<f64> {
        if self.off_ridge(half).is_some() {
            return self.joints.ridges.get(&self.halves.all[half].edge.index()).copied();
        }
        let side = |h: usize| {
            let used = self.used(h);
            Side::new(&self.shell().faces()[self.face(h)], used, used.pcurve.domain().at(0.5))
        };
        let (own, other) = (side(half)?, side(self.twin(half)?)?);
        let by = other.normal.dot(&own.out);
        (by != 0.0).then(|| by.signum())
    }

    /// For an edge along a ridge, the parameter across it and the way along that from the edge into the face.
    pub(super) fn off_ridge(&self, half: usize) -> Option<(usize, f64)> {
        let twin = self.twin(half)?;
        let edge = |h: usize| self.halves.all[h].edge;
        if edge(twin) != edge(half) || !self.joints.ridges.contains_key(&edge(half).index()) {
            return None;
        }
        // The face lies to the left of its loop in the parameter plane.
        let used = self.used(half);
        let along = (used.pcurve.end() - used.pcurve.start()) * if used.forward { 1.0 } else { -1.0 };
        Some(if along.y.abs() > along.x.abs() { (0, -along.y.signum()) } else { (1, along.x.signum()) })
    }

    /// The one of a pair that is looked at for both.
    pub(super) fn leads(&self, half: usize) -> bool {
        self.twin(half).is_none_or(|twin| half < twin)
    }

    fn unlink(&mut self, half: usize) {
        let (before, after) = (self.previous(half), self.next(half));
        self.alive[half] = false;
        self.halves.all[before].next = after;
        self.halves.all[after].previous = before;
    }

    /// Takes an edge away, its ends becoming one vertex.
    pub(super) fn contract(&mut self, half: usize) {
        for h in std::iter::once(half).chain(self.twin(half)) {
            self.unlink(h);
        }
    }

    /// Shrinks faces that are to go: all their edges, or only those between them and the shortest others, so that each is left with
    /// two and closes to one.
    pub(super) fn contract_faces(&mut self, gone: &BTreeSet<usize>, whole: bool) {
        let own: Vec<usize> = self.left().filter(|&h| gone.contains(&self.face(h))).collect();
        let between = |web: &Self, h: usize| web.twin(h).is_some_and(|t| gone.contains(&web.face(t)));
        for &h in &own {
            if self.alive[h] && (whole || between(self, h)) {
                self.contract(h);
            }
        }
        let length = |web: &Self, h: usize| {
            let edge = web.shell().edge(web.halves.all[h].edge);
            edge.curve.as_ref().map_or(0.0, geometry::NurbsCurve::length)
        };
        for &face in gone {
            let mut left: Vec<usize> = self.left().filter(|&h| self.face(h) == face).collect();
            left.sort_by(|a, b| length(self, *a).total_cmp(&length(self, *b)));
            // A corner between faces that go has only one edge left, and shrinks to a vertex.
            let too_many = if left.len() == 1 { 1 } else { left.len().saturating_sub(2) };
            for h in left.iter().take(too_many) {
                self.contract(*h);
            }
        }
    }

    /// Takes away faces of which two edges are left that run beside each other; the two become one, between the faces beyond.
    ///
    /// # Errors
    /// A half-edge of a face that has no other one to close to.
    pub(super) fn close_over(&mut self) -> Result<(), usize> {
        loop {
            let mut done = true;
            for h in 0..self.alive.len() {
                let other = self.next(h);
                if !self.alive[h] || other == h || self.next(other) != h || self.twin(h) == Some(other) {
                    continue;
                }
                if !self.is_last_loop(h) || !self.run_beside(h, other) {
                    continue;
                }
                let (Some(a), Some(b)) = (self.twin(h), self.twin(other)) else { return Err(h) };
                (self.alive[h], self.alive[other]) = (false, false);
                (self.halves.all[a].twin, self.halves.all[b].twin) = (Some(b), Some(a));
                done = false;
            }
            if done {
                return Ok(());
            }
        }
    }

    /// Whether the two edges of a face were no farther apart between their ends than about there: it was a strip, and not a half
    /// disc, which is a face with two edges.
    fn run_beside(&self, half: usize, other: usize) -> bool {
        let place = |h: usize, share: f64| {
            let Half { edge, forward, .. } = self.halves.all[h];
            let curve = self.shell().edge(edge).curve.as_ref()?;
            Some(curve.point(curve.domain().at(if forward { share } else { 1.0 - share })))
        };
        let apart = |share: f64| Some((place(half, share)? - place(other, 1.0 - share)?).norm());
        let most = |shares: &[f64]| shares.iter().filter_map(|s| apart(*s)).fold(0.0, f64::max);
        most(&[0.25, 0.5, 0.75]) <= BESIDE * most(&[0.0, 1.0])
    }

    /// Whether a face has no other half-edges than those of the loop of this one.
    fn is_last_loop(&self, half: usize) -> bool {
        let mut own = BTreeSet::from([half]);
        let mut here = self.next(half);
        while own.insert(here) {
            here = self.next(here);
        }
        self.left().filter(|&h| self.face(h) == self.face(half)).all(|h| own.contains(&h))
    }

    /// All fans; a vertex at which several come together has as many.
    pub(super) fn fans(&self) -> Vec<Fan> {
        let mut seen: BTreeSet<usize> = BTreeSet::new();
        let mut out = Vec::new();
        for first in self.left() {
            if seen.contains(&first) {
                continue;
            }
            // Back to the free edge where the fan begins, if it is open.
            let (mut start, mut closed) = (first, false);
            while let Some(twin) = self.twin(start) {
                start = self.next(twin);
                if start == first {
                    closed = true;
                    break;
                }
            }
            let mut corners = Vec::new();
            let mut here = start;
            loop {
                seen.insert(here);
                let coming = self.previous(here);
                corners.push(Corner { face: self.face(here), leaving: here, coming });
                match self.twin(coming) {
                    Some(next) if next != start => here = next,
                    _ => break,
                }
            }
            out.push(Fan { corners, closed });
        }
        out
    }

    /// Half-edges in the order of their loops, loop by loop, for each face.
    pub(super) fn loops(&self) -> Vec<Vec<Vec<usize>>> {
        let mut out = vec![Vec::new(); self.shell().faces().len()];
        let mut seen: BTreeSet<usize> = BTreeSet::new();
        for first in self.left() {
            if seen.contains(&first) {
                continue;
            }
            let mut run = Vec::new();
            let mut here = first;
            while seen.insert(here) {
                run.push(here);
                here = self.next(here);
            }
            out[self.face(first)].push(run);
        }
        out
    }
}
