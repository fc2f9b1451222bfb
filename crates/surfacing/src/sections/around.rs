//! Sections of a ring begun alike all around.

use geometry::{Ellipse, NurbsCurve, Point3, Vector3, as_line};
use nalgebra::Complex;

use super::aligned::{CLEARLY, marks};
use super::pose::Pose;

/// What each straight piece that would be paired with a bent one adds, in mean squares of sections brought to the size 1.
const UNLIKE: f64 = 0.05;
/// Places of every piece that are compared with those of its partner.
const PER_PIECE: usize = 4;
/// How often ellipses of a ring are turned between their neighbours, and the change in radians at which they rest.
const MAX_ROUNDS: usize = 2000;
const AT_REST: f64 = 1e-9;

/// Of two ellipses as they are seen: the angle by which the one is to begin later, to be least twisted against the other,
/// and how much less the squares between their places become by that.
pub(super) fn product_of_ellipses(
    (e, pose): (&Ellipse, &Pose),
    (f, other): (&Ellipse, &Pose),
) -> Complex<f64> {
    let seen = |pose: &Pose, v: Vector3| pose.seen(&(pose.middle + v));
    let [a, b] = [e.a, e.b].map(|v| seen(pose, v));
    let [c, d] = [f.a, f.b].map(|v| seen(other, v));
    Complex::new(c.dot(&a) + d.dot(&b), c.dot(&b) - d.dot(&a))
}

/// Begins ellipses of a ring so that they are least twisted in all where the last one runs on into the first, each between
/// its neighbours until they rest; the one from which they were begun and those that are begun by hand stay.
pub(super) fn begin_ellipses_around(aligned: &mut [Vec<NurbsCurve>], first: usize, stays: &[bool]) {
    let ellipse = |run: &Vec<NurbsCurve>| if let [own] = &run[..] { Ellipse::of(own) } else { None };
    let Some(ellipses) = aligned.iter().map(ellipse).collect::<Option<Vec<_>>>() else { return };
    let count = aligned.len();
    let poses: Vec<Pose> = aligned.iter().map(|run| Pose::of_marks(&marks(run), true)).collect();
    let products: Vec<Complex<f64>> = (0..count)
        .map(|i| {
            let next = (i + 1) % count;
            let pose = poses[next].clone().facing(&poses[i]);
            product_of_ellipses((&ellipses[next], &pose), (&ellipses[i], &poses[i]))
        })
        .collect();
    let mut turns = vec![Complex::new(1.0, 0.0); count];
    for _ in 0..MAX_ROUNDS {
        let mut moved: f64 = 0.0;
        for i in (0..count).filter(|&i| i != first && !stays[i]) {
            let (before, after) = ((i + count - 1) % count, (i + 1) % count);
            let wanted = turns[before] * products[before] + turns[after] * products[i].conj();
            if wanted.norm() > 0.0 {
                let turn = wanted / wanted.norm();
                moved = moved.max((turn - turns[i]).norm());
                turns[i] = turn;
            }
        }
        if moved < AT_REST {
            break;
        }
    }
    for (i, run) in aligned.iter_mut().enumerate() {
        if turns[i].arg().abs() > AT_REST
            && let Some(own) = ellipses[i].begun_at(turns[i].arg()).with_knots_of(&run[0])
        {
            *run = vec![own];
        }
    }
}

/// Pieces of a section as they are compared with as many others, one by one.
pub(super) struct Paces {
    /// As many of every piece.
    places: Vec<Point3>,
    straight: Vec<bool>,
}

impl Paces {
    pub(super) fn of(run: &[NurbsCurve]) -> Self {
        let on = |c: &NurbsCurve| {
            let d = c.domain();
            (0..PER_PIECE).map(|k| c.point(d.at(k as f64 / PER_PIECE as f64))).collect::<Vec<_>>()
        };
        let straight = |c: &NurbsCurve| as_line(c, 1e-6 * c.polygon_length()).is_some();
        Self { places: run.iter().flat_map(on).collect(), straight: run.iter().map(straight).collect() }
    }

    /// How much a section begun at a joint is twisted against another one.
    pub(super) fn apart(&self, pose: &Pose, joint: usize, other: &Self, seen: &Pose) -> f64 {
        let count = self.straight.len();
        let mut places = self.places.clone();
        places.rotate_left(joint * PER_PIECE);
        let unlike = (0..count).filter(|k| self.straight[(k + joint) % count] != other.straight[*k]).count();
        pose.apart(&places, seen, &other.places) + UNLIKE * unlike as f64 / count as f64
    }
}

/// Begins closed sections of as many pieces as each other so that they are least twisted in all where the last one runs on
/// into the first. Taken one after another, each as is best beside the one before it, what is left between the last and the
/// first may be a turn by whole pieces, and another one from wherever the ring is begun. Those that are begun by hand stay.
pub(super) fn begin_around(aligned: &mut [Vec<NurbsCurve>], stays: &[bool]) {
    let (count, pieces) = (aligned.len(), aligned[0].len());
    let paces: Vec<Paces> = aligned.iter().map(|run| Paces::of(run)).collect();
    let poses: Vec<Pose> = aligned.iter().map(|run| Pose::of_marks(&marks(run), true)).collect();
    // Between each section and the next, by how many pieces that is begun later.
    let costs: Vec<Vec<f64>> = (0..count)
        .map(|i| {
            let next = (i + 1) % count;
            let pose = poses[next].clone().facing(&poses[i]);
            (0..pieces).map(|joint| paces[next].apart(&pose, joint, &paces[i], &poses[i])).collect()
        })
        .collect();
    let as_they_are: f64 = costs.iter().map(|c| c[0]).sum();
    let mut least = as_they_are * (1.0 - CLEARLY) - f64::MIN_POSITIVE;
    let mut joints = None;
    // What counts is where they begin beside each other: with none that stays the first one may.
    let firsts = if stays.contains(&true) && !stays[0] { pieces } else { 1 };
    for first in 0..firsts {
        // The least that it costs to come so far and begin there, and from where.
        let mut sums = vec![f64::INFINITY; pieces];
        sums[first] = 0.0;
        let mut ways: Vec<Vec<usize>> = Vec::with_capacity(count);
        for i in 0..count {
            let (mut next, mut way) = (vec![f64::INFINITY; pieces], vec![0; pieces]);
            let fixed = stays[(i + 1) % count];
            for to in (0..pieces).filter(|to| !fixed || *to == 0) {
                for from in 0..pieces {
                    let sum = sums[from] + costs[i][(to + pieces - from) % pieces];
                    if sum < next[to] {
                        (next[to], way[to]) = (sum, from);
                    }
                }
            }
            sums = next;
            ways.push(way);
        }
        if sums[first] < least {
            least = sums[first];
            let mut back = vec![first; count];
            for i in (0..count).rev() {
                back[i] = ways[i][back[(i + 1) % count]];
            }
            joints = Some(back);
        }
    }
    for (run, joint) in aligned.iter_mut().zip(joints.unwrap_or_default()) {
        run.rotate_left(joint);
    }
}
