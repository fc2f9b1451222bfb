//! Extrusion with draft: at every height the outline is offset by the height times the tangent of the draft angle.

use geometry::{
    Frame, NurbsCurve, NurbsSurface, Point3, Skin, Tolerance, Vector3, as_line, compatible, polygon_area,
    polygon_holds, skin,
};

use nalgebra::center;

use super::check_way;
use crate::chain::{chain_orders, closes, run_of};
use crate::offset_chain::{Chain, OffsetTrouble, grown_at_corners, offset_chain};
use crate::{MeridianPiece, SurfacingError};

/// Heights between whose outlines the surface is laid at first, where it is not simply straight between two.
const FIRST_HEIGHTS: usize = 4;
const MOST_HEIGHTS: usize = 64;
/// How far beside the outlines, in millimetres, their coordinates begin.
const BESIDE: f64 = 1000.0;
/// Flattening for crossings, as a share of the join tolerance.
const CHORD: f64 = 1.0;
/// Steepest draft in radians, 80 degrees.
const STEEPEST: f64 = 80.0 * std::f64::consts::PI / 180.0;
/// Share of the fit tolerance within which a corner rises along a straight line.
const EVEN: f64 = 0.1;
/// Halvings in which the longest way that fits is found.
const FIT_HALVINGS: usize = 20;

pub(super) struct Drafted {
    pub surfaces: Vec<(NurbsSurface, String)>,
    pub max_deviation: Option<f64>,
}

/// The surfaces from one distance along a direction to another, the outlines narrower by the draft with their distance
/// from the plane that they were drawn in.
pub(super) fn drafted(
    curves: &[(NurbsCurve, String)],
    direction: &Vector3,
    [from, to]: [f64; 2],
    draft: f64,
    tolerance: &Tolerance,
) -> Result<Drafted, SurfacingError> {
    let start = curves[0].0.start();
    if draft.abs() > STEEPEST || draft.is_nan() {
        return Err(SurfacingError::DraftTooSteep { degrees: draft.to_degrees(), at: start.into() });
    }
    let mut frame = Frame::square_to(start, *direction).ok_or(SurfacingError::Empty)?;
    // Beside all of it: an end at x = 0 would be taken for one on an axis.
    let left =
        |c: &NurbsCurve| c.control_points().iter().map(|p| frame.coordinates(p).x).fold(f64::MAX, f64::min);
    let leftmost = curves.iter().map(|(c, _)| left(c)).fold(f64::MAX, f64::min);
    frame.origin += frame.x * (leftmost - BESIDE);
    for (curve, _) in curves {
        let off = curve.control_points().into_iter().map(|p| (frame.coordinates(&p).z.abs(), p));
        if let Some((distance, at)) = off.max_by(|a, b| a.0.total_cmp(&b.0)).filter(|o| o.0 > tolerance.join)
        {
            return Err(SurfacingError::NotFlat { distance, at: at.into() });
        }
        check_way(curve, direction, (to - from).abs(), tolerance)?;
    }
    let flat: Vec<NurbsCurve> = curves
        .iter()
        .map(|(c, _)| {
            c.mapped(|p| {
                let q = frame.coordinates(p);
                Point3::new(q.x, q.y, 0.0)
            })
        })
        .collect();
    let mut out = Drafted { surfaces: Vec::new(), max_deviation: None };
    let orders = chain_orders(&flat, tolerance);
    let runs: Vec<Vec<NurbsCurve>> = orders.iter().map(|order| run_of(order, &flat)).collect();
    let outlines: Vec<Vec<[f64; 2]>> = runs.iter().map(|run| outline(run)).collect();
    for (k, (order, run)) in orders.iter().zip(&runs).enumerate() {
        let closed = closes(run, tolerance);
        let names: Vec<String> = order.iter().map(|(i, _)| curves[*i].1.clone()).collect();
        // Narrower is inwards: to the left of an outline that runs anticlockwise; holes grow wider with the draft.
        let holds = |(i, outer): (usize, &Vec<[f64; 2]>)| i != k && polygon_holds(outer, &outlines[k][0]);
        let is_hole = closed && outlines.iter().enumerate().any(holds);
        let clockwise = closed && polygon_area(&outlines[k]) < 0.0;
        let inwards = if clockwise == is_hole { 1.0 } else { -1.0 };
        let stretches = if from * to < 0.0 { vec![[0.0, from], [0.0, to]] } else { vec![[from, to]] };
        for [low, high] in stretches {
            let slope = inwards * draft.tan();
            let pieces: Vec<MeridianPiece> = run
                .iter()
                .zip(&names)
                .map(|(curve, name)| MeridianPiece {
                    curve: curve.clone(),
                    role: name.clone(),
                    on_axis: false,
                })
                .collect();
            let chord = CHORD * tolerance.join;
            let (grown, corners) =
                grown_at_corners(&pieces, closed, slope * high.abs().max(low.abs()), chord, tolerance);
            let side = Side {
                run,
                chain: Chain { pieces: &grown, closed, grown: &corners },
                frame: &frame,
                slope,
                tolerance,
            };
            let deviation = side.lay(low, high, &mut out.surfaces)?;
            out.max_deviation = match (out.max_deviation, deviation) {
                (Some(a), Some(b)) => Some(a.max(b)),
                (a, b) => a.or(b),
            };
        }
    }
    Ok(out)
}

fn outline(run: &[NurbsCurve]) -> Vec<[f64; 2]> {
    let places = run.iter().flat_map(|c| c.knots().sampled(8).into_iter().map(|t| c.point(t)));
    places.map(|p| [p.x, p.y]).collect()
}

struct Side<'a> {
    run: &'a [NurbsCurve],
    /// The run, longer at its outer corners.
    chain: Chain<'a>,
    frame: &'a Frame,
    /// How much narrower to the left, per mm of height either way.
    slope: f64,
    tolerance: &'a Tolerance,
}

impl Side<'_> {
    /// The outline at a height, piece by piece, in space.
    fn at(&self, height: f64) -> Result<Vec<NurbsCurve>, SurfacingError> {
        let to_space = |p: &Point3| (self.frame.to_space(p.x, p.y)).into();
        let distance = self.slope * height.abs();
        let up = self.frame.z * height;
        let lifted = |c: &NurbsCurve| c.mapped(|q| self.frame.to_space(q.x, q.y) + up);
        if distance == 0.0 {
            return Ok(self.run.iter().map(lifted).collect());
        }
        let chord = CHORD * self.tolerance.join;
        let made = offset_chain(&self.chain, distance, chord, self.tolerance, &to_space);
        let swallowed = |at: [f64; 3]| SurfacingError::DraftSwallows { height, fits: 0.0, at };
        let chain = match made {
            Ok(chain) => chain.pieces,
            Err(OffsetTrouble::Misfit(misfit)) => return Err(swallowed(misfit.at)),
            Err(OffsetTrouble::Other(e)) => return Err(e),
        };
        // Corners cut square would need faces of their own, which stand for no curve.
        if chain.len() != self.run.len() {
            return Err(swallowed(to_space(&self.run[0].start())));
        }
        Ok(chain.iter().map(|p| lifted(&p.curve)).collect())
    }

    fn lay(
        &self,
        low: f64,
        high: f64,
        surfaces: &mut Vec<(NurbsSurface, String)>,
    ) -> Result<Option<f64>, SurfacingError> {
        let end = self.at(high).map_err(|e| self.with_limit(e, high))?;
        let (start, middle) = (self.at(low)?, self.at(0.5 * (low + high))?);
        // Beside a curved piece a corner does not rise along a straight line.
        let is_even = |k: usize| {
            let ends = |c: &NurbsCurve| [c.start(), c.end()];
            let [a, m, b] = [&start[k], &middle[k], &end[k]].map(ends);
            (0..2).all(|i| (center(&a[i], &b[i]) - m[i]).norm() <= EVEN * self.tolerance.fit)
        };
        let mut worst: Option<f64> = None;
        for (k, MeridianPiece { role: name, .. }) in self.chain.pieces.iter().enumerate() {
            let straight = |c: &NurbsCurve| as_line(c, self.tolerance.resolution).is_some();
            let alike = start[k].knots() == end[k].knots();
            let uncut = alike && self.is_uncut(&start[k], &end[k], high - low, high.abs() - low.abs());
            let side = if is_even(k) && (straight(&start[k]) || uncut) {
                // Planes, and rulings between places with the same parameter, are exact.
                skin(&compatible(&[start[k].clone(), end[k].clone()])?, &Skin::Straight)?
            } else {
                let (surface, deviation) = self.through_heights(k, [low, high])?;
                worst = Some(worst.unwrap_or(0.0).max(deviation));
                surface
            };
            surfaces.push((side, name.clone()));
        }
        Ok(worst)
    }

    /// Whether one outline of a piece is the plain offset of the other, not shortened or lengthened at its ends.
    fn is_uncut(&self, start: &NurbsCurve, end: &NurbsCurve, climb: f64, away: f64) -> bool {
        let distance = self.slope * away;
        [start.domain().start, start.domain().at(0.5), start.domain().end].into_iter().all(|t| {
            let Some(tangent) = start.tangent(t) else { return false };
            let wanted = start.point(t) + self.frame.z.cross(&tangent) * distance + self.frame.z * climb;
            (end.point(t) - wanted).norm() <= self.tolerance.fit
        })
    }

    /// The surface of a piece that corners cut, through its outlines at enough heights.
    fn through_heights(
        &self,
        k: usize,
        [low, high]: [f64; 2],
    ) -> Result<(NurbsSurface, f64), SurfacingError> {
        let mut count = FIRST_HEIGHTS;
        loop {
            let heights: Vec<f64> =
                (0..=count).map(|i| low + (high - low) * i as f64 / count as f64).collect();
            let rows = heights
                .iter()
                .map(|&h| Ok(self.at(h)?.swap_remove(k)))
                .collect::<Result<Vec<_>, SurfacingError>>()?;
            let surface = skin(&compatible(&rows)?, &Skin::free())?;
            let mut worst: f64 = 0.0;
            for pair in heights.windows(2) {
                let truth = self.at(0.5 * (pair[0] + pair[1]))?.swap_remove(k);
                for t in truth.knots().sampled(3) {
                    worst = worst.max(geometry::closest_on_surface(&surface, &truth.point(t)).distance);
                }
            }
            if worst <= self.tolerance.fit || count >= MOST_HEIGHTS {
                return Ok((surface, worst));
            }
            count *= 2;
        }
    }

    /// The same refusal with the height that would fit.
    fn with_limit(&self, error: SurfacingError, far: f64) -> SurfacingError {
        let SurfacingError::DraftSwallows { height, at, .. } = error else { return error };
        let (mut fits, mut fails) = (0.0, far);
        for _ in 0..FIT_HALVINGS {
            let middle = 0.5 * (fits + fails);
            if self.at(middle).is_ok() { fits = middle } else { fails = middle }
        }
        SurfacingError::DraftSwallows { height: height.abs(), fits: fits.abs(), at }
    }
}
