//! Edges that stay and end beyond their vertex, where they run on along both of their faces: a strip at the foot of a wall ends in
//! the plane of the next one.

use geometry::{EndDerivatives, NurbsCurve, Point3, interpolate};
use topology::VertexId;

use super::corners::{Corners, LOOKED_AT, one_place};
use super::solve::{contact_on_curve, solve};
use super::track::longer;
use crate::SurfacingError;
use crate::halves::Spoke;

/// Places of an edge that is followed beyond its end.
const FOLLOWED: usize = 24;

impl Corners<'_> {
    /// Ends an edge where a rail's contact meets it, before its vertex or beyond it.
    ///
    /// # Errors
    /// `FilletTooLarge`.
    pub(super) fn cut_or_grown(
        &mut self,
        rail: usize,
        side: usize,
        t: f64,
        spoke: Spoke,
    ) -> Result<(f64, VertexId), SurfacingError> {
        let refused = match self.cut(rail, side, t, spoke) {
            Err(refused) => refused,
            made => return made,
        };
        let known = self.grown.get(&spoke.edge).or(self.curve(spoke.edge));
        let grown = known.and_then(|known| {
            let guide = longer(known, self.margin);
            // At the other end it stays as it was.
            let (d, whole) = (known.domain(), guide.domain());
            let (from, to) = if spoke.at_end { (d.start, whole.end) } else { (whole.start, d.end) };
            self.grows(rail, side, t, spoke, guide.part(from, to))
                .or_else(|| self.grows(rail, side, t, spoke, self.along_faces(spoke, known, &guide)?))
        });
        let Some((t, s, point, curve)) = grown else { return Err(refused) };
        self.grown.insert(spoke.edge, curve);
        Ok((t, self.end_at(spoke, s, point)))
    }

    /// An edge run on at an end along what both of its faces have in common beyond it, as far as a guide goes.
    fn along_faces(&self, spoke: Spoke, known: &NurbsCurve, guide: &NurbsCurve) -> Option<NurbsCurve> {
        let (d, whole) = (known.domain(), guide.domain());
        let (from, to) = if spoke.at_end { (d.end, whole.end) } else { (d.start, whole.start) };
        let halves = self.halves.of(spoke.edge)?;
        let grounds = [0, 1].map(|k| self.grounds.get(&self.halves.all[halves[k]].face));
        let [Some(a), Some(b)] = grounds else { return None };
        let [mut p, mut q] = halves.map(|h| self.halves.used(h).pcurve.point(from));
        let bounds = [a.bounds()[0], a.bounds()[1], b.bounds()[0], b.bounds()[1]];
        let mut points = vec![known.point(from)];
        let mut parameters = vec![from];
        for k in 1..=FOLLOWED {
            let t = from + (to - from) * k as f64 / FOLLOWED as f64;
            let (before, last) = (guide.point(parameters[k - 1]), points[k - 1]);
            let ahead = last + (guide.point(t) - before);
            let along = guide.tangent(t)?;
            let off = |x: &[f64; 4]| {
                let (on_a, on_b) = (a.point([x[0], x[1]]), b.point([x[2], x[3]]));
                let apart = on_a - on_b;
                Some(nalgebra::Vector4::new(apart.x, apart.y, apart.z, (on_a - ahead).dot(&along)))
            };
            let found =
                solve([p.x, p.y, q.x, q.y], bounds, &off).filter(|f| f.1 <= one_place(self.tolerance));
            let Some((x, _)) = found else { break };
            (p, q) = (Point3::new(x[0], x[1], 0.0), Point3::new(x[2], x[3], 0.0));
            points.push(a.point([x[0], x[1]]));
            parameters.push(t);
        }
        if points.len() < 4 {
            return None;
        }
        if !spoke.at_end {
            points.reverse();
            parameters.reverse();
        }
        let beyond = interpolate(&points, &parameters, 3, &EndDerivatives::free()).ok()?;
        let e = beyond.domain();
        let whole = if spoke.at_end {
            NurbsCurve::of_pieces_over(&[known.clone(), beyond], &[d.start, d.end, e.end])
        } else {
            NurbsCurve::of_pieces_over(&[beyond, known.clone()], &[e.start, d.start, d.end])
        };
        whole.ok()
    }

    /// Where a rail's contact meets an edge that is run on beyond its vertex on both of its faces, with the edge.
    fn grows(
        &self,
        rail: usize,
        side: usize,
        t: f64,
        spoke: Spoke,
        curve: NurbsCurve,
    ) -> Option<(f64, f64, Point3, NurbsCurve)> {
        let track = &self.rails[rail].track;
        let d = self.curve(spoke.edge)?.domain();
        // A round edge that is run on may come round to its other end.
        let (middle, whole) = (d.at(0.5), curve.domain());
        let half = if spoke.at_end { curve.part(middle, whole.end) } else { curve.part(whole.start, middle) };
        let ([t, s], miss) = contact_on_curve(track, side, &half, t)?;
        let beyond = if spoke.at_end { s > d.end } else { s < d.start };
        if !beyond || miss > one_place(self.tolerance) {
            return None;
        }
        let from = if spoke.at_end { d.end } else { d.start };
        let on_it = |half: usize| {
            let ground = self.grounds.get(&self.halves.all[half].face)?;
            let mut near = self.halves.used(half).pcurve.point(from);
            (1..=LOOKED_AT).try_for_each(|k| {
                let p = curve.point(from + (s - from) * k as f64 / LOOKED_AT as f64);
                let [u, v] = ground.nearest([near.x, near.y], &p)?;
                near = Point3::new(u, v, 0.0);
                ((ground.point([u, v]) - p).norm() <= self.tolerance.join).then_some(())
            })
        };
        self.halves.of(spoke.edge)?.into_iter().try_for_each(on_it)?;
        Some((t, s, curve.point(s), curve))
    }

    /// The parameters of an edge's place in the plane of one of its half-edges, beyond its ends as far as they tell.
    pub(super) fn image(&self, half: usize, s: f64) -> [f64; 2] {
        let pcurve = &self.halves.used(half).pcurve;
        let inside = pcurve.domain().clamp(s);
        let at = pcurve.point(inside);
        let ground = &self.grounds[&self.halves.all[half].face];
        match self.grown.get(&self.halves.all[half].edge) {
            Some(curve) if inside != s => {
                let p = curve.point(s);
                ground.nearest([at.x, at.y], &p).unwrap_or([at.x, at.y])
            }
            _ => [at.x, at.y],
        }
    }
}
