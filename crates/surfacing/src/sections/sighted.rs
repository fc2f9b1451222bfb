//! A section as it is seen beside others, with its corners.

use geometry::{Vector3, gauss_legendre};

use super::outline::Outline;
use super::pose::Pose;

/// Places per knot span by which a section's distance from a mark is measured.
const PLACES_PER_SPAN: usize = 6;
/// Places at which a smooth section is compared with another one.
const COMPARED_CLOSELY: usize = 192;
/// How often the least twisted beginning is approached, at most, and the share by which it moves when it is settled.
const CLOSER: usize = 20;
const SETTLED: f64 = 1e-9;
/// Panels at least of a section, and nodes of each, over which the cost is summed, and the share below which one is none.
const PANELS: usize = 12;
const NODES: usize = 4;
const NARROWEST_PANEL: f64 = 1e-12;

/// A section as it is seen beside others.
pub(super) struct Sighted<'a> {
    outline: &'a Outline<'a>,
    pose: &'a Pose,
    pub closed: bool,
    /// Its corners in order, as shares of its length and as they are seen; the first one at 0 if it begins at one.
    pub corners: Vec<(f64, Vector3)>,
    /// Where it is seen to begin.
    pub start: Vector3,
    /// Places along it with their shares, those between joints for about equal speed.
    around: Vec<(f64, Vector3)>,
}

/// A place of a section, as it is seen.
pub(super) struct Nearest {
    pub share: f64,
    /// The square of its distance.
    pub off: f64,
}

impl<'a> Sighted<'a> {
    /// Sections in their order, with their poses.
    pub fn all(outlines: &'a [Outline<'a>], poses: &'a [Pose], closed: bool) -> Vec<Self> {
        outlines.iter().zip(poses).map(|(outline, pose)| Self::of(outline, pose, closed)).collect()
    }

    fn of(outline: &'a Outline<'a>, pose: &'a Pose, closed: bool) -> Self {
        let joints = outline.joints();
        let start = |k: usize| pose.seen(&outline.pieces[k].start());
        let is_corner = outline.corners(closed);
        let corners = (0..is_corner.len()).filter(|&k| is_corner[k]).map(|k| (joints[k], start(k))).collect();
        let mut around = Vec::new();
        for (piece, joints) in outline.pieces.iter().zip(joints.windows(2)) {
            let d = piece.domain();
            around.extend(piece.knots().sampled(PLACES_PER_SPAN).into_iter().map(|t| {
                let share = joints[0] + (joints[1] - joints[0]) * (t - d.start) / d.length();
                (share, pose.seen(&piece.point(t)))
            }));
        }
        Self { outline, pose, closed, corners, start: start(0), around }
    }

    /// The corner at which it begins.
    pub fn first_corner(&self) -> Option<usize> {
        (self.closed && self.corners.first().is_some_and(|c| c.0 == 0.0)).then_some(0)
    }

    /// By which of two the other one is told, whatever their order: more corners, or else longer.
    pub fn is_richer(&self, other: &Self) -> bool {
        let key = |s: &Self| (s.corners.len(), s.outline.whole());
        key(self) > key(other)
    }

    /// Where it is seen nearest to a mark.
    pub fn nearest(&self, mark: &Vector3) -> Nearest {
        let of_leg = |w: &[(f64, Vector3)]| {
            let leg = w[1].1 - w[0].1;
            let along = (mark - w[0].1).dot(&leg) / leg.norm_squared().max(f64::MIN_POSITIVE);
            let along = along.clamp(0.0, 1.0);
            let at = w[0].1 + leg * along;
            Nearest { share: w[0].0 + (w[1].0 - w[0].0) * along, off: (mark - at).norm_squared() }
        };
        let legs = self.around.windows(2).map(of_leg);
        let none = Nearest { share: 0.0, off: f64::INFINITY };
        legs.min_by(|a, b| a.off.total_cmp(&b.off)).unwrap_or(none)
    }

    /// The share of its length from which on it is least twisted against another one, which it is to run along by equal
    /// shares: closely, for where its own pieces begin may not count.
    pub fn least_twisted(&self, other: &Self) -> f64 {
        let step = 1.0 / COMPARED_CLOSELY as f64;
        let marks = |s: &Self| -> Vec<Vector3> {
            s.outline.places(0.0, COMPARED_CLOSELY).iter().map(|p| s.pose.seen(p)).collect()
        };
        let (own, wanted) = (marks(self), marks(other));
        let cost = |first: usize| -> f64 {
            let places = own.iter().cycle().skip(first);
            places.zip(&wanted).map(|(p, q)| (p - q).norm_squared()).sum()
        };
        let best = (0..COMPARED_CLOSELY).min_by(|&a, &b| cost(a).total_cmp(&cost(b))).unwrap_or(0);
        // Where the cost stands still; between knots of either it is smooth.
        let breaks = [self, other].map(|s| s.outline.breaks());
        let panels_at = |share: f64| -> Vec<f64> {
            let shifted = breaks[0].iter().map(|j| (j - share).rem_euclid(1.0));
            let even = (0..=PANELS).map(|k| k as f64 / PANELS as f64);
            let mut out: Vec<f64> = even.chain(shifted).chain(breaks[1].iter().copied()).collect();
            out.sort_by(f64::total_cmp);
            out
        };
        let slope = |share: f64| -> f64 {
            let at = |x: f64| {
                let (p, d) = self.outline.moving((share + x).rem_euclid(1.0));
                let q = other.pose.seen(&other.outline.point(x));
                (self.pose.seen(&p) - q).dot(&self.pose.seen(&(self.pose.middle + d)))
            };
            let panel = |w: &[f64]| {
                let width = w[1] - w[0];
                if width < NARROWEST_PANEL {
                    return 0.0;
                }
                gauss_legendre(NODES)
                    .iter()
                    .map(|(node, weight)| weight * width * at(w[0] + width * node))
                    .sum::<f64>()
            };
            panels_at(share).windows(2).map(panel).sum()
        };
        let middle = best as f64 * step;
        let (mut low, mut high) = (middle - 1.5 * step, middle + 1.5 * step);
        let (mut below, mut above) = (slope(low), slope(high));
        if below >= 0.0 || above <= 0.0 {
            return middle;
        }
        // By the secant; where that comes from the same side again, the other one counts half (Illinois; Dowell and
        // Jarratt, BIT 11, 1971).
        let mut share = middle;
        for _ in 0..CLOSER {
            let next = low - below * (high - low) / (above - below);
            let moved = (next - share).abs();
            share = next;
            if moved < SETTLED {
                break;
            }
            let here = slope(share);
            if here < 0.0 {
                (low, below, above) = (share, here, 0.5 * above);
            } else {
                (high, above, below) = (share, here, 0.5 * below);
            }
        }
        share
    }
}
