//! A curve while its drawing is made: in the plane z = 0.

use geometry::{NurbsCurve, Point2, Point3, closest_on_curve};

use crate::steps::Context;

#[derive(Debug, Clone)]
pub(super) struct FlatCurve {
    pub id: String,
    /// Smooth pieces, end to end.
    pub pieces: Vec<NurbsCurve>,
    /// The points that were drawn; none for what a change made.
    pub points: Vec<Point2>,
    pub guide: bool,
}

/// Flattening for crossings, by the size of the curves.
pub(super) fn chord(curves: &[&NurbsCurve]) -> f64 {
    let size = curves.iter().map(|c| {
        let (low, high) = c.control_bounds();
        (high - low).norm()
    });
    size.fold(0.0, f64::max).max(1e-6) * 1e-4
}

impl FlatCurve {
    pub(super) fn start(&self) -> Point3 {
        self.pieces[0].start()
    }

    pub(super) fn end(&self) -> Point3 {
        self.pieces[self.pieces.len() - 1].end()
    }

    pub(super) fn closed(&self, context: &Context<'_>) -> bool {
        (self.start() - self.end()).norm() <= context.tolerance.join
            && (self.pieces.len() > 1 || self.pieces[0].length() > 2.0 * context.tolerance.join)
    }

    pub(super) fn reverse(&mut self) {
        self.pieces = self.pieces.iter().rev().map(NurbsCurve::reversed).collect();
        self.points.reverse();
    }

    /// The piece that is nearest to a place, the nearest point and its parameter.
    pub(super) fn nearest(&self, to: &Point3) -> (usize, Point3, f64) {
        let found = self.pieces.iter().enumerate().map(|(k, c)| (k, closest_on_curve(c, to)));
        let best = found.min_by(|a, b| a.1.distance.total_cmp(&b.1.distance));
        best.map_or((0, self.start(), 0.0), |(k, c)| (k, c.point, c.parameter))
    }

    /// The pieces between two places along the curve.
    pub(super) fn between(&self, from: (usize, f64), to: (usize, f64)) -> Vec<NurbsCurve> {
        (from.0..=to.0)
            .filter_map(|k| {
                let d = self.pieces[k].domain();
                let start = if k == from.0 { from.1 } else { d.start };
                let end = if k == to.0 { to.1 } else { d.end };
                (end - start > 1e-9 * d.length()).then(|| self.pieces[k].part(start, end))
            })
            .collect()
    }
}
