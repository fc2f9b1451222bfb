//! Where edges are sampled.

use geometry::{Domain, NurbsCurve};

use super::MeshTolerance;
use crate::Shell;

const MAX_HALVINGS: u32 = 14;

/// Grid lines of a face's surface in u and in v.
pub(super) type Lines = (Vec<f64>, Vec<f64>);

/// Parameters along every edge, ends included: as fine as its own bend asks for, and as the grid lines of its faces, since a
/// face that is fine inside and coarse along its border would never come within the tolerance there. None for poles.
pub(super) fn edge_samples(shell: &Shell, lines: &[Lines], tolerance: MeshTolerance) -> Vec<Vec<f64>> {
    let mut samples: Vec<Vec<f64>> = Vec::with_capacity(shell.edges().len());
    for edge in shell.edges() {
        samples.push(edge.curve.as_ref().map_or_else(Vec::new, |curve| {
            let d = curve.domain();
            let inner = edge_parameters(curve, tolerance);
            std::iter::once(d.start).chain(inner).chain([d.end]).collect()
        }));
    }
    let mut parts: Vec<Vec<usize>> = samples.iter().map(|s| vec![1; s.len().saturating_sub(1)]).collect();
    for (face, (us, vs)) in shell.faces().iter().zip(lines) {
        for used in face.loops.iter().flat_map(|l| &l.edges) {
            let along = &samples[used.edge.index()];
            for (pair, count) in along.windows(2).zip(&mut parts[used.edge.index()]) {
                let (p, q) = (used.pcurve.point(pair[0]), used.pcurve.point(pair[1]));
                let crossed = |lines: &[f64], a: f64, b: f64| {
                    let below = |x: f64| lines.partition_point(|l| *l < x);
                    below(a.max(b)) - below(a.min(b))
                };
                *count = (*count).max(crossed(us, p.x, q.x)).max(crossed(vs, p.y, q.y));
            }
        }
    }
    for (along, parts) in samples.iter_mut().zip(&parts) {
        let Some(&first) = along.first() else { continue };
        let divided = along.windows(2).zip(parts).flat_map(|(pair, &count)| {
            let d = Domain::new(pair[0], pair[1]);
            (1..count).map(move |k| d.at(k as f64 / count as f64)).chain([pair[1]])
        });
        *along = std::iter::once(first).chain(divided).collect();
    }
    samples
}

/// Inner parameters of an edge so that chords stay within the tolerance.
fn edge_parameters(curve: &NurbsCurve, tolerance: MeshTolerance) -> Vec<f64> {
    let breaks = curve.knots().breaks();
    let mut out = Vec::new();
    for (k, pair) in breaks.windows(2).enumerate() {
        if k > 0 {
            out.push(pair[0]);
        }
        halve(curve, pair[0], pair[1], tolerance, 0, &mut out);
    }
    out
}

fn halve(curve: &NurbsCurve, a: f64, b: f64, tolerance: MeshTolerance, depth: u32, out: &mut Vec<f64>) {
    let m = 0.5 * (a + b);
    let (pa, da) = curve.derivatives(a);
    let (pb, db) = curve.derivatives(b);
    let chord = pb - pa;
    let length_sq = chord.norm_squared();
    let off = |t: f64| {
        let d = curve.point(t) - pa;
        if length_sq == 0.0 { d.norm() } else { (d - chord * (d.dot(&chord) / length_sq)).norm() }
    };
    let turn = if curve.degree() == 1 { 0.0 } else { da[0].angle(&db[0]) };
    let fine = turn <= tolerance.angle
        && off(m).max(off(0.75 * a + 0.25 * b)).max(off(0.25 * a + 0.75 * b)) <= tolerance.chord;
    if fine || depth >= MAX_HALVINGS {
        return;
    }
    halve(curve, a, m, tolerance, depth + 1, out);
    out.push(m);
    halve(curve, m, b, tolerance, depth + 1, out);
}
