//! Where edges are sampled.

use std::collections::BTreeMap;

use geometry::{Domain, NurbsCurve, Point3, Vector3};

use super::MeshTolerance;
use crate::{Shell, VertexId};

/// How often a span is halved at most.
const MAX_HALVINGS: u32 = 14;
/// Parts of a span at whose ends a chord is held against the curve.
const PER_SPAN: usize = 4;
/// Share of the chord tolerance within which it does not matter how a curve turns.
const TINY: f64 = 0.01;

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
    // Edges between the same two vertices must not fall together: a face as narrow as the chord may lie between them.
    let mut between: BTreeMap<[VertexId; 2], Vec<usize>> = BTreeMap::new();
    for (i, edge) in shell.edges().iter().enumerate().filter(|(_, e)| e.curve.is_some()) {
        between.entry([edge.start.min(edge.end), edge.start.max(edge.end)]).or_default().push(i);
    }
    for &i in between.values().filter(|edges| edges.len() > 1).flatten() {
        if let [start, end] = samples[i][..] {
            samples[i].insert(1, Domain::new(start, end).at(0.5));
        }
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
    for (edge, along) in shell.edges().iter().zip(&mut samples) {
        if let Some(curve) = &edge.curve {
            drop_crowded(curve, along, TINY * tolerance.chord);
        }
    }
    samples
}

/// Takes away what is nearer to the place before it, or to the end, than anybody sees: where a curve all but stands still, grid
/// lines of its faces would crowd it with places that are one in a file of triangles.
fn drop_crowded(curve: &NurbsCurve, along: &mut Vec<f64>, tiny: f64) {
    let Some((&last, _)) = along.split_last() else { return };
    if curve.polygon_length() <= along.len() as f64 * tiny {
        return;
    }
    let end = curve.point(last);
    let mut before = None;
    along.retain(|&t| {
        let p = curve.point(t);
        let crowded = |q: Point3| (p - q).norm() <= tiny;
        let kept = t == last || before.is_none() || !(before.is_some_and(crowded) || crowded(end));
        if kept {
            before = Some(p);
        }
        kept
    });
}

/// Inner parameters of an edge so that chords stay within the tolerance. Knots at which it may have a kink are among them;
/// spans that one chord follows are not told apart.
fn edge_parameters(curve: &NurbsCurve, tolerance: MeshTolerance) -> Vec<f64> {
    let knots = curve.knots();
    let breaks = knots.breaks();
    let mut out = Vec::new();
    for [first, last] in knots.smooth_runs() {
        if first > 0 {
            out.push(breaks[first]);
        }
        let places = breaks[first..=last]
            .windows(2)
            .flat_map(|span| {
                (0..PER_SPAN).map(|k| Domain::new(span[0], span[1]).at(k as f64 / PER_SPAN as f64))
            })
            .chain([breaks[last]])
            .map(|t| Place::on(curve, t))
            .collect::<Vec<_>>();
        halve(curve, &places, tolerance, 0, &mut out);
    }
    out
}

/// A place of a curve and its direction there.
struct Place {
    parameter: f64,
    point: Point3,
    tangent: Vector3,
}

impl Place {
    fn on(curve: &NurbsCurve, parameter: f64) -> Self {
        let (point, tangent) = curve.moving(parameter);
        Self { parameter, point, tangent }
    }
}

/// Divides the curve along `places` until a chord follows it: all of the places between its ends lie beside it and go its way.
fn halve(curve: &NurbsCurve, places: &[Place], tolerance: MeshTolerance, depth: u32, out: &mut Vec<f64>) {
    let [first, between @ .., last] = places else { return };
    let chord = last.point - first.point;
    let length_sq = chord.norm_squared();
    let beside = |p: &Place| {
        let d = p.point - first.point;
        let off = if length_sq == 0.0 { d.norm() } else { (d - chord * (d.dot(&chord) / length_sq)).norm() };
        off <= tolerance.chord
    };
    let turned = |p: &Place| curve.degree() > 1 && first.tangent.angle(&p.tangent) > tolerance.angle;
    // What turns within next to nothing, as at a cusp, is seen by nobody.
    let tiny = TINY * tolerance.chord;
    let is_tiny = chord.norm() <= tiny && between.iter().all(|p| (p.point - first.point).norm() <= tiny);
    let follows = is_tiny || (between.iter().all(|p| beside(p) && !turned(p)) && !turned(last));
    if follows || depth >= MAX_HALVINGS {
        return;
    }
    if places.len() > PER_SPAN + 1 {
        let middle = places.len() / 2;
        halve(curve, &places[..=middle], tolerance, depth, out);
        out.push(places[middle].parameter);
        halve(curve, &places[middle..], tolerance, depth, out);
    } else {
        let d = Domain::new(first.parameter, last.parameter);
        let twice = 2 * PER_SPAN;
        let finer: Vec<Place> =
            (0..=twice).map(|k| Place::on(curve, d.at(k as f64 / twice as f64))).collect();
        halve(curve, &finer[..=PER_SPAN], tolerance, depth + 1, out);
        out.push(finer[PER_SPAN].parameter);
        halve(curve, &finer[PER_SPAN..], tolerance, depth + 1, out);
    }
}
