//! Offset faces by the places of those that they are offset from, and places that several of them have in common.

use geometry::{Domain, GoesOn, NurbsCurve, NurbsSurface, Point3, SurfaceSide, Vector3};
use nalgebra::{DMatrix, DVector};
use topology::Face;

use crate::ground::Ground;

const MAX_STEPS: usize = 40;
const MAX_HALVINGS: i32 = 8;
/// Share of a thing's size within which a common place has settled.
const SETTLED: f64 = 1e-13;
/// How far carriers come together on a step of one along them, below which that step is not made: at first, and at all.
const CUT_OFF: [f64; 2] = [0.03, 1e-12];
/// How many times the fit tolerance faces next to parallel may be apart where they meet.
pub(super) const PARALLEL: f64 = 1.5;
/// How many times the fit tolerance the place that they do have in common may be away from the nearest one, and how far apart they
/// may be there.
const CLOSE_BY: f64 = 20.0;
const EXACTLY: f64 = 1e-4;

/// How many times the distance a face may go on beyond its tip: what a cone of 2 degrees takes.
const SLENDER: f64 = 60.0;
/// Share of a surface's extent in which is seen how it goes on beyond a tip.
const BESIDE_TIP: f64 = 1e-4;

/// A face's ground moved along its normals. Where the face shrinks to a point its offset goes on straight.
pub(super) struct Parallel {
    pub(super) ground: Ground,
    /// Millimetres to the outer side.
    pub(super) distance: f64,
    /// Parameters within which places may be looked for.
    pub(super) bounds: [Domain; 2],
    /// The borders at which it shrinks to a point.
    tips: Vec<SurfaceSide>,
}

/// A place of an offset face with its first derivatives and the outer normal.
#[derive(Debug, Clone, Copy)]
pub(super) struct Placed {
    pub(super) point: Point3,
    pub(super) rates: [Vector3; 2],
    pub(super) normal: Vector3,
}

impl Parallel {
    /// A face at a distance, by `margin` mm longer over its borders in its own nature.
    pub(super) fn new(face: &Face, margin: f64, distance: f64) -> Self {
        Self::longer(face, margin, distance, GoesOn::Naturally)
    }

    /// The same, where what is moved is longer in a way of its own.
    pub(super) fn longer(face: &Face, margin: f64, distance: f64, how: GoesOn) -> Self {
        // What is moved meets its neighbours beyond its borders, those that end at a tip too.
        let ground =
            if distance == 0.0 { Ground::new(face, margin) } else { Ground::beside_poles(face, margin, how) };
        let mut bounds = ground.bounds();
        let tips: Vec<SurfaceSide> = tips(&ground.surface).collect();
        for side in &tips {
            let axis = usize::from(!side.is_u());
            let d = <[Domain; 2]>::from(ground.surface.domain())[axis];
            let speed = speed_at(&ground.surface, *side);
            let more = if speed > 0.0 { margin.max(SLENDER * distance.abs()) / speed } else { 0.0 };
            bounds[axis] = if side.is_start() {
                Domain::new(d.start - more, bounds[axis].end)
            } else {
                Domain::new(bounds[axis].start, d.end + more)
            };
        }
        Self { ground, distance, bounds, tips }
    }

    /// A ground at a distance, where it does not end at a tip.
    pub(super) fn of(ground: Ground, distance: f64) -> Self {
        Self { bounds: ground.bounds(), ground, distance, tips: Vec::new() }
    }

    /// The same face at a share of its distance.
    pub(super) fn share(&self, share: f64) -> Self {
        Self {
            ground: self.ground.clone(),
            distance: share * self.distance,
            tips: self.tips.clone(),
            ..*self
        }
    }

    /// For parameters beyond a tip: their axis, the tip's own parameter, and one a little inside.
    fn beyond(&self, uv: [f64; 2]) -> Option<(usize, f64, f64)> {
        let domains: [Domain; 2] = self.ground.surface.domain().into();
        self.tips.iter().find_map(|side| {
            let axis = usize::from(!side.is_u());
            let (d, x) = (domains[axis], uv[axis]);
            let inside = BESIDE_TIP * d.length();
            match side.is_start() {
                true => (x < d.start).then_some((axis, d.start, d.start + inside)),
                false => (x > d.end).then_some((axis, d.end, d.end - inside)),
            }
        })
    }

    fn straight_on(&self, uv: [f64; 2], (axis, tip, inside): (usize, f64, f64)) -> Option<(Point3, Vector3)> {
        let at = |x: f64| {
            let mut place = uv;
            place[axis] = x;
            self.ground.limit(place).map(|(p, n)| p + n * self.distance)
        };
        let rate = (at(inside)? - at(tip)?) / (inside - tip);
        Some((at(tip)? + rate * (uv[axis] - tip), rate))
    }

    /// `None` where the face has no normal.
    pub(super) fn at(&self, uv: [f64; 2]) -> Option<Placed> {
        if let Some(beyond) = self.beyond(uv) {
            let (axis, tip, _) = beyond;
            let (point, rate) = self.straight_on(uv, beyond)?;
            let other = 1 - axis;
            let d = <[Domain; 2]>::from(self.ground.surface.domain())[other];
            let step = BESIDE_TIP * d.length();
            let step = if uv[other] + step > d.end { -step } else { step };
            let mut beside = uv;
            beside[other] += step;
            let mut rates = [rate; 2];
            rates[other] = (self.straight_on(beside, beyond)?.0 - point) / step;
            let mut border = uv;
            border[axis] = tip;
            return Some(Placed { point, rates, normal: self.ground.limit(border)?.1 });
        }
        let place = self.ground.place(uv)?;
        let d = self.distance;
        Some(Placed {
            point: place.point + place.normal * d,
            rates: [0, 1].map(|k| place.rates[k] + place.turns[k] * d),
            normal: place.normal,
        })
    }

    /// The place with its first derivatives; where nothing is offset, also where the face has no normal.
    fn moving(&self, uv: [f64; 2]) -> Option<(Point3, [Vector3; 2])> {
        if self.distance == 0.0 && self.beyond(uv).is_none() {
            return Some(self.ground.moving(uv));
        }
        self.at(uv).map(|p| (p.point, p.rates))
    }

    /// The place, at a pole too, if the face has a normal in the limit.
    pub(super) fn point(&self, uv: [f64; 2]) -> Option<Point3> {
        self.at(uv).map(|p| p.point).or_else(|| self.ground.limit(uv).map(|(p, n)| p + n * self.distance))
    }
}

/// The borders at which a surface shrinks to a point.
pub(crate) fn tips(surface: &NurbsSurface) -> impl Iterator<Item = SurfaceSide> {
    let (u, v) = surface.domain();
    SurfaceSide::ALL.into_iter().filter(move |side| {
        let border = match side {
            SurfaceSide::UStart => surface.curve_at_u(u.start),
            SurfaceSide::UEnd => surface.curve_at_u(u.end),
            SurfaceSide::VStart => surface.curve_at_v(v.start),
            SurfaceSide::VEnd => surface.curve_at_v(v.end),
        };
        border.is_point(1e-9)
    })
}

/// How fast a surface moves across a border, at the border's middle.
fn speed_at(surface: &NurbsSurface, side: SurfaceSide) -> f64 {
    let (u, v) = surface.domain();
    let end = |d: Domain| if side.is_start() { d.start } else { d.end };
    if side.is_u() {
        surface.tangents(end(u), v.at(0.5)).1.norm()
    } else {
        surface.tangents(u.at(0.5), end(v)).2.norm()
    }
}

/// On what a place has to lie.
#[derive(Clone, Copy)]
pub(super) enum Carrier<'a> {
    /// Anywhere on an offset face.
    Face(&'a Parallel),
    /// On the image of a curve of its parameters.
    Line(&'a Parallel, &'a NurbsCurve),
}

impl Carrier<'_> {
    fn count(&self) -> usize {
        match self {
            Self::Face(_) => 2,
            Self::Line(..) => 1,
        }
    }

    fn bounds(&self) -> [Domain; 2] {
        match self {
            Self::Face(face) => face.bounds,
            Self::Line(_, line) => [line.domain(); 2],
        }
    }

    /// The place at a face's parameters, or at a line's, which stands first.
    fn at(&self, x: [f64; 2]) -> Option<(Point3, [Vector3; 2])> {
        match self {
            Self::Face(face) => face.moving(x),
            Self::Line(face, line) => {
                let (at, rate) = line.moving(x[0]);
                let (point, rates) = face.moving([at.x, at.y])?;
                Some((point, [rates[0] * rate.x + rates[1] * rate.y, Vector3::zeros()]))
            }
        }
    }
}

/// A place that carriers have in common.
#[derive(Debug, Clone)]
pub(super) struct Common {
    pub(super) point: Point3,
    /// Its parameters on each carrier.
    pub(super) at: Vec<[f64; 2]>,
    /// How far the carriers' own places are apart.
    pub(super) miss: f64,
}

/// The place near guesses that carriers, and a plane if one is given by a place and its normal, have in common to `allowed` mm;
/// `None` where there is none.
///
/// # Method
/// Gauss and Newton's, with the shortest steps, halved where they lead away. Faces that are next to parallel do not fix where on
/// them their common place is: there the nearest one is taken, if it is one well enough.
pub(super) fn common(
    carriers: &[Carrier<'_>],
    from: &[[f64; 2]],
    plane: Option<(Point3, Vector3)>,
    allowed: f64,
    fit: f64,
) -> Option<Common> {
    let found = |from: &[[f64; 2]], least: f64, allowed: f64| {
        nearest(carriers, from, plane, least).filter(|found| found.miss <= allowed)
    };
    let Some(near) = found(from, CUT_OFF[0], allowed.max(PARALLEL * fit)) else {
        return found(from, CUT_OFF[1], allowed);
    };
    // Where they are not quite parallel the place itself may be close by; an edge that ends beside it would have a hook.
    let is_close = |at: &Common| (at.point - near.point).norm() <= CLOSE_BY * fit;
    Some(found(&near.at, CUT_OFF[1], EXACTLY * fit).filter(is_close).unwrap_or(near))
}

/// The same where carriers cross, at however small an angle.
pub(super) fn crossing(carriers: &[Carrier<'_>], from: &[[f64; 2]], allowed: f64) -> Option<Common> {
    nearest(carriers, from, None, CUT_OFF[1]).filter(|found| found.miss <= allowed)
}

/// The same, without what moves the carriers apart by less than a share of the way.
fn nearest(
    carriers: &[Carrier<'_>],
    from: &[[f64; 2]],
    plane: Option<(Point3, Vector3)>,
    least: f64,
) -> Option<Common> {
    let columns: usize = carriers.iter().map(Carrier::count).sum();
    let rows = 3 * (carriers.len() - 1) + usize::from(plane.is_some());
    let bounds: Vec<[Domain; 2]> = carriers.iter().map(Carrier::bounds).collect();
    let clamped = |x: &mut [[f64; 2]]| {
        for (x, (carrier, bounds)) in x.iter_mut().zip(carriers.iter().zip(&bounds)) {
            (0..carrier.count()).for_each(|k| x[k] = bounds[k].clamp(x[k]));
        }
    };
    let look = |x: &[[f64; 2]]| {
        let places = carriers.iter().zip(x).map(|(c, x)| c.at(*x)).collect::<Option<Vec<_>>>()?;
        let mut off = DVector::zeros(rows);
        for (k, (p, _)) in places[1..].iter().enumerate() {
            off.fixed_rows_mut::<3>(3 * k).copy_from(&(places[0].0 - p));
        }
        if let Some((at, normal)) = plane {
            off[rows - 1] = (places[0].0 - at).dot(&normal);
        }
        Some((places, off))
    };
    let mut x = from.to_vec();
    clamped(&mut x);
    let (mut places, mut off) = look(&x)?;
    for _ in 0..MAX_STEPS {
        let miss = off.norm();
        if miss <= SETTLED * (1.0 + places[0].0.coords.norm()) {
            break;
        }
        let mut slope = DMatrix::zeros(rows, columns);
        let mut column = 0;
        for (which, carrier) in carriers.iter().enumerate() {
            for rate in &places[which].1[..carrier.count()] {
                for other in 0..carriers.len() - 1 {
                    let change = if which == 0 { *rate } else { -rate };
                    if which == 0 || which == other + 1 {
                        slope.fixed_view_mut::<3, 1>(3 * other, column).copy_from(&change);
                    }
                }
                if let (0, Some((_, normal))) = (which, plane) {
                    slope[(rows - 1, column)] = rate.dot(&normal);
                }
                column += 1;
            }
        }
        // Lengths of parameters differ; the shortest step is one in space.
        let scales: Vec<f64> = slope.column_iter().map(|c| c.norm().max(f64::MIN_POSITIVE)).collect();
        for (k, scale) in scales.iter().enumerate() {
            slope.column_mut(k).unscale_mut(*scale);
        }
        let step = slope.svd(true, true).solve(&off, least).ok()?;
        let mut next = None;
        for halving in 0..=MAX_HALVINGS {
            let share = 0.5_f64.powi(halving);
            let mut at = x.clone();
            let mut k = 0;
            for (x, carrier) in at.iter_mut().zip(carriers) {
                for value in &mut x[..carrier.count()] {
                    *value -= share * step[k] / scales[k];
                    k += 1;
                }
            }
            clamped(&mut at);
            if let Some((places, off)) = look(&at)
                && off.norm() < miss
            {
                next = Some((at, places, off));
                break;
            }
        }
        let Some((at, there, left)) = next else { break };
        let gained = miss - left.norm();
        (x, places, off) = (at, there, left);
        if gained <= 1e-6 * miss {
            break;
        }
    }
    for ((x, from), carrier) in x.iter_mut().zip(from).zip(carriers) {
        if let Carrier::Face(face) = carrier {
            *x = face.ground.settled(*x, *from);
        }
    }
    let sum = places.iter().fold(Vector3::zeros(), |sum, p| sum + p.0.coords);
    let point = Point3::from(sum / places.len() as f64);
    Some(Common { point, at: x, miss: off.norm() })
}
