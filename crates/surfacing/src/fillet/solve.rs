//! Newton's method for places that several shapes have in common, with derivatives by differences.

use geometry::{Domain, NurbsCurve, Point3};
use nalgebra::{DMatrix, DVector, SVector};

use super::track::Track;

const MAX_STEPS: usize = 24;
const MAX_HALVINGS: i32 = 6;
/// Share of a parameter's bounds over which differences are taken.
const STEP: f64 = 1e-7;
/// Distance in mm, per unit of scale, within which it has settled.
const SETTLED: f64 = 1e-12;

/// The parameters, within bounds, at which `off` is nearest to nothing, followed from a guess, with what is left of it.
/// `None` where `off` has no value.
pub(super) fn solve<const N: usize, const M: usize>(
    from: [f64; N],
    bounds: [Domain; N],
    off: &dyn Fn(&[f64; N]) -> Option<SVector<f64, M>>,
) -> Option<([f64; N], f64)> {
    let mut x = from;
    for k in 0..N {
        x[k] = bounds[k].clamp(x[k]);
    }
    let mut here = off(&x)?;
    for _ in 0..MAX_STEPS {
        let miss = here.norm();
        if miss <= SETTLED {
            break;
        }
        let mut jacobian = DMatrix::zeros(M, N);
        for k in 0..N {
            let d = bounds[k];
            let step = STEP * d.length();
            let step = if x[k] + step > d.end { -step } else { step };
            let mut beside = x;
            beside[k] += step;
            jacobian.column_mut(k).copy_from(&((off(&beside)? - here) / step));
        }
        let right = DVector::from_column_slice(here.as_slice());
        let change = jacobian.svd(true, true).solve(&right, 1e-14).ok()?;
        let mut next = None;
        for halving in 0..=MAX_HALVINGS {
            let share = 0.5_f64.powi(halving);
            let mut at = x;
            for k in 0..N {
                at[k] = bounds[k].clamp(x[k] - share * change[k]);
            }
            if let Some(there) = off(&at)
                && there.norm() < miss
            {
                next = Some((at, there));
                break;
            }
        }
        let Some((at, there)) = next else { break };
        let gained = miss - there.norm();
        (x, here) = (at, there);
        if gained <= 1e-9 * miss {
            break;
        }
    }
    Some((x, here.norm()))
}

/// Where one side's line of contact, or as number two that with the third face, meets a curve: parameters of the track and of the curve, with what they miss each other by.
pub(super) fn contact_on_curve(
    track: &Track<'_>,
    side: usize,
    curve: &NurbsCurve,
    t: f64,
) -> Option<([f64; 2], f64)> {
    let contact = |t: f64| Some(track.section(t)?.contact(side)?.point);
    let near = geometry::closest_on_curve(curve, &contact(t)?).parameter;
    solve([t, near], [track.guide.domain(), curve.domain()], &|[t, s]| Some(contact(*t)? - curve.point(*s)))
}

/// A place of the surface of sections by its two parameters.
pub(super) fn on_track(track: &Track<'_>, t: f64, v: f64) -> Option<Point3> {
    Some(track.section(t)?.cross(track.profile).point(v))
}
