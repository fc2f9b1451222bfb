//! Ways on a surface that bend with it and in no other way: its geodesics.

use geometry::Vector3;

use crate::ground::Ground;

/// Steps at first, and how often they are halved.
const STEPS: usize = 8;
const HALVINGS: usize = 6;
/// Share of the way within which two of those agree.
const AGREED: f64 = 1e-10;

/// A place on the way, with its direction.
#[derive(Clone, Copy)]
struct Walker {
    at: [f64; 2],
    way: Vector3,
}

impl Walker {
    fn moved(self, by: f64, rates: &Self) -> Self {
        Self { at: [0, 1].map(|k| self.at[k] + by * rates.at[k]), way: self.way + rates.way * by }
    }
}

/// The parameters at which a way arrives that leaves a place of a ground in a direction, `length` mm long along the ground; `None`
/// where it leads off it, or where it has no normal.
///
/// # Method
/// The acceleration of a geodesic is along the normal (do Carmo, Differential Geometry of Curves and Surfaces, section 4-4);
/// Runge and Kutta's fourth order, in ever smaller steps until two of them agree.
pub(crate) fn straightest(ground: &Ground, from: [f64; 2], way: Vector3, length: f64) -> Option<[f64; 2]> {
    let mut before: Option<[f64; 2]> = None;
    for halving in 0..=HALVINGS {
        let at = walked(ground, from, way, length, STEPS << halving)?;
        if let Some(before) = before
            && (ground.point(at) - ground.point(before)).norm() <= AGREED * length
        {
            return Some(at);
        }
        before = Some(at);
    }
    before
}

fn walked(ground: &Ground, from: [f64; 2], way: Vector3, length: f64, steps: usize) -> Option<[f64; 2]> {
    let step = length / steps as f64;
    let rates = |w: &Walker| {
        let d = ground.derivatives(w.at);
        let normal = d.area_vector().try_normalize(f64::MIN_POSITIVE)?;
        let (u, v) = d.rates(&w.way)?;
        let bends = (d.uu * u * u + d.uv * (2.0 * u * v) + d.vv * v * v).dot(&normal);
        Some(Walker { at: [u, v], way: normal * bends })
    };
    let d = ground.derivatives(from);
    let normal = d.area_vector().try_normalize(f64::MIN_POSITIVE)?;
    let way = (way - normal * way.dot(&normal)).try_normalize(f64::MIN_POSITIVE)?;
    let mut here = Walker { at: from, way };
    for _ in 0..steps {
        let a = rates(&here)?;
        let b = rates(&here.moved(0.5 * step, &a))?;
        let c = rates(&here.moved(0.5 * step, &b))?;
        let d = rates(&here.moved(step, &c))?;
        let all = [(a, 1.0), (b, 2.0), (c, 2.0), (d, 1.0)];
        here = all.iter().fold(here, |sum, (rates, share)| sum.moved(share * step / 6.0, rates));
        if !ground.holds(here.at) {
            return None;
        }
    }
    Some(here.at)
}
