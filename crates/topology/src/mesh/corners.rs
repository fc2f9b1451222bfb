//! The corners of a face's boundary, where it touches itself or crosses.

use crate::{EdgeId, Face, OrientedEdge};

/// Corner points of a face in its parameter plane, with the numbers of their positions.
pub(super) type Corners = [([f64; 2], u32)];
/// Corners nearer than this share of their parameters are at one place.
const SAME_PLACE: f64 = 1e-12;
/// Corners of one vertex nearer than this share of their parameters are at one place.
const ROUNDED: f64 = 1e-9;

/// Brings corners of one vertex that are at one place but for rounding exactly there: a boundary comes by twice where it
/// touches itself.
pub(super) fn unite_corners(corners: &mut Corners) {
    let mut by_vertex: Vec<usize> = (0..corners.len()).collect();
    by_vertex.sort_by_key(|&i| (corners[i].1, i));
    for i in 1..by_vertex.len() {
        let (before, here) = (by_vertex[i - 1], by_vertex[i]);
        let (a, b) = (corners[before], corners[here]);
        let near = |k: usize| (a.0[k] - b.0[k]).abs() <= ROUNDED * (a.0[k].abs() + 1.0);
        if a.1 == b.1 && near(0) && near(1) {
            corners[here].0 = a.0;
        }
    }
}

/// Moves corners of different vertices at one place, where a boundary touches itself, a hair into the face, each to its own
/// side, so that they can be told apart.
pub(super) fn part_corners(corners: &mut Corners, sides: &[[usize; 2]], scale: [f64; 2]) {
    /// Share of the shorter side.
    const HAIR: f64 = 1e-6;
    let mut by_place: Vec<usize> = (0..corners.len()).collect();
    let key = |c: &[f64; 2]| c.map(|x| x + 0.0);
    by_place.sort_by(|&a, &b| {
        let (p, q) = (key(&corners[a].0), key(&corners[b].0));
        p[0].total_cmp(&q[0]).then(p[1].total_cmp(&q[1]))
    });
    let same = |a: &([f64; 2], u32), b: &([f64; 2], u32)| {
        a.1 != b.1 && (0..2).all(|k| (a.0[k] - b.0[k]).abs() <= SAME_PLACE * (a.0[k].abs() + 1.0))
    };
    let mut parted: Vec<usize> = Vec::new();
    for pair in by_place.windows(2).filter(|w| same(&corners[w[0]], &corners[w[1]])) {
        parted.extend(pair);
    }
    parted.sort_unstable();
    parted.dedup();
    // Looked up by the corner: where much of a boundary lies on itself, there are many.
    let mut beside: Vec<[Option<usize>; 2]> = vec![[None; 2]; corners.len()];
    for &[from, to] in sides {
        beside[to][0].get_or_insert(from);
        beside[from][1].get_or_insert(to);
    }
    let mut moved = Vec::with_capacity(parted.len());
    for i in parted {
        let [Some(before), Some(after)] = beside[i] else { continue };
        let step = |a: usize, b: usize| [0, 1].map(|k| (corners[b].0[k] - corners[a].0[k]) * scale[k]);
        let (u, v) = (step(before, i), step(i, after));
        let (lu, lv) = (u[0].hypot(u[1]), v[0].hypot(v[1]));
        if lu == 0.0 || lv == 0.0 {
            continue;
        }
        // To the left of where the boundary goes on the whole.
        let on = [u[0] / lu + v[0] / lv, u[1] / lu + v[1] / lv];
        let size = on[0].hypot(on[1]).max(f64::MIN_POSITIVE);
        let by = HAIR * lu.min(lv) / size;
        let at = corners[i].0;
        moved.push((i, [at[0] - on[1] * by / scale[0], at[1] + on[0] * by / scale[1]]));
    }
    for (i, at) in moved {
        corners[i].0 = at;
    }
}

/// The chords of edges that stand near sides of the boundary which cross others; a side has the number of its first corner.
pub(super) fn chords_near(
    face: &Face,
    corners: &Corners,
    sides: &[[usize; 2]],
    side_starts: &[usize],
    samples: &[Vec<(f64, u32)>],
    crossed: &[usize],
) -> Vec<(EdgeId, usize)> {
    let span = |side: usize, k: usize| {
        let [i, j] = sides[side];
        let (a, b) = (corners[i].0[k], corners[j].0[k]);
        (a.min(b), a.max(b))
    };
    let beside = |a: usize, b: usize| {
        (0..2).all(|k| {
            let ((a0, a1), (b0, b1)) = (span(a, k), span(b, k));
            a0 <= b1 && b0 <= a1
        })
    };
    let near = (0..sides.len()).filter(|&side| crossed.iter().any(|&c| beside(side, c)));
    chords_of(face, side_starts, samples, near)
}

/// The chords of edges that are given sides of the boundary, each with the number of its first corner.
pub(super) fn chords_of(
    face: &Face,
    side_starts: &[usize],
    samples: &[Vec<(f64, u32)>],
    sides: impl Iterator<Item = usize>,
) -> Vec<(EdgeId, usize)> {
    let uses: Vec<&OrientedEdge> = face.loops.iter().flat_map(|l| &l.edges).collect();
    sides
        .filter_map(|side| {
            let number = side_starts.partition_point(|s| *s <= side).checked_sub(1)?;
            let used = uses.get(number)?;
            let chords = samples[used.edge.index()].len().checked_sub(1)?;
            let local = side - side_starts[number];
            let chord = if used.forward { local } else { chords.checked_sub(local + 1)? };
            (chord < chords).then_some((used.edge, chord))
        })
        .collect()
}
