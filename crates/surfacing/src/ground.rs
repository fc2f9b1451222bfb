//! The surface of a face with what lies beyond its borders, seen from the face's outer side.

use std::sync::Arc;

use geometry::{
    Domain, GeometryError, GoesOn, NurbsSurface, Point3, SurfaceDerivatives, SurfaceSide, Vector3,
    extended_beside_poles, extended_surface,
};
use topology::Face;

/// Shares of what is asked for by which a surface is made longer, the first that it can.
const SHARES: [f64; 8] = [1.0, 0.7, 0.5, 0.35, 0.2, 0.1, 0.05, 0.02];
/// Area per parameter, as a share of what the longer of its sides squared is, below which a surface has no normal.
const POLE: f64 = 1e-12;

/// Halvings between the first that it can and the one before.
const NARROWED: usize = 4;
/// Places along a border, and lines beyond it, at which is looked whether a longer surface keeps its side.
const ALONG: usize = 8;
const BEYOND: usize = 8;

/// How a surface is made longer.
type Extended = fn(&NurbsSurface, SurfaceSide, f64, GoesOn) -> Result<NurbsSurface, GeometryError>;

/// A face's surface, longer where it can be; where it closes it goes round.
#[derive(Clone)]
pub(crate) struct Ground {
    pub(crate) surface: Arc<NurbsSurface>,
    closed: [bool; 2],
    /// 1 where the surface's normal is the face's outer side, else -1.
    sign: f64,
}

/// A place of a ground with its first derivatives, its normal to the outer side and that one's derivatives.
pub(crate) struct Place {
    pub(crate) point: Point3,
    pub(crate) rates: [Vector3; 2],
    pub(crate) normal: Vector3,
    pub(crate) turns: [Vector3; 2],
}

impl Ground {
    /// The ground of a face, by `margin` mm longer over its borders.
    pub(crate) fn new(face: &Face, margin: f64) -> Self {
        Self::longer(face, margin, extended_surface, GoesOn::Naturally)
    }

    /// The same, also longer over borders that end at a pole.
    pub(crate) fn beside_poles(face: &Face, margin: f64, how: GoesOn) -> Self {
        Self::longer(face, margin, extended_beside_poles, how)
    }

    fn longer(face: &Face, margin: f64, extended: Extended, how: GoesOn) -> Self {
        let closed = face.surface.closes(1e-9);
        let mut surface = Arc::clone(&face.surface);
        let both = [[SurfaceSide::UStart, SurfaceSide::UEnd], [SurfaceSide::VStart, SurfaceSide::VEnd]];
        for sides in both.into_iter().filter(|_| margin > 0.0) {
            if closed[usize::from(!sides[0].is_u())] {
                continue;
            }
            let longer = |surface: &NurbsSurface, side, share: f64| {
                let longer = extended(surface, side, share * margin, how).ok()?;
                keeps_its_side(surface, &longer, side).then_some(longer)
            };
            let by = |shares: [f64; 2]| longer(&longer(&surface, sides[0], shares[0])?, sides[1], shares[1]);
            // What an arc is made longer by at one end it cannot be at the other: both as far as both can, and then each as far as it
            // can beside that.
            if let Some((share, mut longest)) = farthest(0.0, &|share| by([share; 2])) {
                let mut shares = [share; 2];
                for end in 0..2 {
                    let alone =
                        |share: f64| by(if end == 0 { [share, shares[1]] } else { [shares[0], share] });
                    if let Some((share, longer)) = farthest(share, &alone) {
                        shares[end] = share;
                        longest = longer;
                    }
                }
                surface = Arc::new(longest);
                continue;
            }
            for side in sides {
                if let Some((_, longer)) = farthest(0.0, &|share| longer(&surface, side, share)) {
                    surface = Arc::new(longer);
                }
            }
        }
        Self { surface, closed, sign: if face.reversed { -1.0 } else { 1.0 } }
    }

    /// The same ground seen from its other side.
    pub(crate) fn turned(self) -> Self {
        Self { sign: -self.sign, ..self }
    }

    /// Parameters brought into the domain where the surface goes round.
    fn wrapped(&self, [u, v]: [f64; 2]) -> [f64; 2] {
        let (du, dv) = self.surface.domain();
        let wrap = |x: f64, d: Domain, closed: bool| if closed { d.wrap(x) } else { x };
        [wrap(u, du, self.closed[0]), wrap(v, dv, self.closed[1])]
    }

    /// Parameters of the same place that are nearest to others, where the surface goes round.
    pub(crate) fn on_turn_of(&self, at: [f64; 2], beside: [f64; 2]) -> [f64; 2] {
        let domains: [Domain; 2] = self.surface.domain().into();
        [0, 1].map(|k| {
            let whole = domains[k].length();
            if self.closed[k] { at[k] + ((beside[k] - at[k]) / whole).round() * whole } else { at[k] }
        })
    }

    /// Parameters within the domain; on the seam of a surface that goes round, the side of it that others are on.
    pub(crate) fn settled(&self, at: [f64; 2], beside: [f64; 2]) -> [f64; 2] {
        let wrapped = self.wrapped(at);
        let domains: [Domain; 2] = self.surface.domain().into();
        [0, 1].map(|k| {
            let (d, x) = (domains[k], wrapped[k]);
            let margin = 1e-9 * d.length();
            match self.closed[k] {
                true if x - d.start <= margin && beside[k] > d.at(0.5) => d.end,
                true if d.end - x <= margin && beside[k] < d.at(0.5) => d.start,
                _ => x,
            }
        })
    }

    /// Whether parameters are on the surface, up to rounding.
    pub(crate) fn holds(&self, at: [f64; 2]) -> bool {
        let domains: [Domain; 2] = self.surface.domain().into();
        (0..2).all(|k| {
            let margin = 1e-9 * domains[k].length();
            self.closed[k] || (at[k] >= domains[k].start - margin && at[k] <= domains[k].end + margin)
        })
    }

    pub(crate) fn point(&self, at: [f64; 2]) -> Point3 {
        let [u, v] = self.wrapped(at);
        self.surface.point(u, v)
    }

    /// A place with the derivatives of the surface itself.
    pub(crate) fn derivatives(&self, at: [f64; 2]) -> SurfaceDerivatives {
        let [u, v] = self.wrapped(at);
        self.surface.derivatives(u, v)
    }

    /// A place with its first derivatives.
    pub(crate) fn moving(&self, at: [f64; 2]) -> (Point3, [Vector3; 2]) {
        let [u, v] = self.wrapped(at);
        let (point, du, dv) = self.surface.tangents(u, v);
        (point, [du, dv])
    }

    /// `None` where the surface has no normal.
    pub(crate) fn place(&self, at: [f64; 2]) -> Option<Place> {
        let d = self.derivatives(at);
        let area = d.area_vector();
        let size = area.norm();
        // At a pole what is left of one direction is nothing but rounding.
        let longest = d.u.norm().max(d.v.norm());
        let normal = area.try_normalize((POLE * longest * longest).max(f64::MIN_POSITIVE))?;
        let turn = |change: Vector3| (change - normal * normal.dot(&change)) / size * self.sign;
        let turns = [turn(d.uu.cross(&d.v) + d.u.cross(&d.uv)), turn(d.uv.cross(&d.v) + d.u.cross(&d.vv))];
        Some(Place { point: d.point, rates: [d.u, d.v], normal: normal * self.sign, turns })
    }

    /// A place and the outer normal there, at a pole as from the middle of the surface, if it has one.
    pub(crate) fn limit(&self, at: [f64; 2]) -> Option<(Point3, Vector3)> {
        let [u, v] = self.wrapped(at);
        Some((self.surface.point(u, v), self.surface.normal(u, v)? * self.sign))
    }

    /// The change of parameters that moves a place by about `along`; nothing where the surface has no tangent plane.
    pub(crate) fn moved(&self, at: [f64; 2], along: &Vector3) -> [f64; 2] {
        let [du, dv] = self.derivatives(at).rates(along).map_or([0.0; 2], |(a, b)| [a, b]);
        [at[0] + du, at[1] + dv]
    }

    /// The parameters nearest to a place in space, followed from others; `None` where it does not settle, or leaves the surface.
    pub(crate) fn nearest(&self, from: [f64; 2], place: &Point3) -> Option<[f64; 2]> {
        const STEPS: usize = 20;
        let mut at = from;
        for _ in 0..STEPS {
            let before = at;
            at = self.moved(at, &(place - self.point(at)));
            let [du, dv]: [Domain; 2] = self.surface.domain().into();
            let [u, v] = [0, 1].map(|k| (at[k] - before[k]).abs());
            if u <= 1e-12 * du.length() && v <= 1e-12 * dv.length() {
                break;
            }
        }
        self.holds(at).then_some(at)
    }

    /// How far a place is off the one nearest to it, followed from others, above 0 on the outer side; `None` where there is none.
    pub(crate) fn height(&self, from: [f64; 2], place: &Point3) -> Option<f64> {
        let at = self.place(self.nearest(from, place)?)?;
        Some((place - at.point).dot(&at.normal))
    }

    /// Where within a part of a line in the parameter plane, which may go on over further turns, it runs over a seam.
    pub(crate) fn seams_on(&self, line: &dyn Fn(f64) -> Option<[f64; 2]>, part: Domain) -> Vec<f64> {
        const PLACES: usize = 64;
        const HALVINGS: usize = 50;
        let domains: [Domain; 2] = self.surface.domain().into();
        let mut out = Vec::new();
        for k in (0..2).filter(|k| self.closed[*k]) {
            let turns =
                |t: f64| line(t).map_or(f64::NAN, |at| (at[k] - domains[k].start) / domains[k].length());
            for i in 0..PLACES {
                let [mut low, mut high] = [i, i + 1].map(|i| part.at(i as f64 / PLACES as f64));
                let (from, to) = (turns(low), turns(high));
                let seam = from.max(to).floor();
                if from.is_nan() || to.is_nan() || from.min(to) >= seam || (from - to).abs() >= 1.0 {
                    continue;
                }
                for _ in 0..HALVINGS {
                    let middle = 0.5 * (low + high);
                    *(if (turns(middle) < seam) == (from < seam) { &mut low } else { &mut high }) = middle;
                }
                if low > part.at(1e-6) && high < part.at(1.0 - 1e-6) {
                    out.push(0.5 * (low + high));
                }
            }
        }
        out
    }

    /// Bounds within which parameters may be looked for; a whole turn more either way where the surface closes.
    pub(crate) fn bounds(&self) -> [Domain; 2] {
        let domains: [Domain; 2] = self.surface.domain().into();
        [0, 1].map(|k| {
            let more = if self.closed[k] { domains[k].length() } else { 0.0 };
            Domain::new(domains[k].start - more, domains[k].end + more)
        })
    }
}

/// The largest share beyond `than` of what is asked for by which a surface can be made longer, with that surface.
fn farthest(than: f64, made: &dyn Fn(f64) -> Option<NurbsSurface>) -> Option<(f64, NurbsSurface)> {
    let tried = || SHARES.iter().copied().take_while(|share| *share > than);
    let (k, mut best) = tried().enumerate().find_map(|(k, share)| Some((k, (share, made(share)?))))?;
    if k > 0 {
        let mut beyond = SHARES[k - 1];
        for _ in 0..NARROWED {
            let share = 0.5 * (best.0 + beyond);
            match made(share) {
                Some(longer) => best = (share, longer),
                None => beyond = share,
            }
        }
    }
    Some(best)
}

/// Whether the normal of a surface that was made longer beyond a side nowhere jumps to the other side there, as that of one that
/// runs through an axis about which it turns does.
fn keeps_its_side(surface: &NurbsSurface, longer: &NurbsSurface, side: SurfaceSide) -> bool {
    let [was, is] = [surface, longer].map(|s| <[Domain; 2]>::from(s.domain()));
    let axis = usize::from(!side.is_u());
    let [from, to] =
        if side.is_start() { [was[axis].start, is[axis].start] } else { [was[axis].end, is[axis].end] };
    (0..ALONG).all(|i| {
        let along = was[1 - axis].at((i as f64 + 0.5) / ALONG as f64);
        let area = |k: usize| {
            let across = from + (to - from) * k as f64 / BEYOND as f64;
            let [u, v] = if axis == 0 { [across, along] } else { [along, across] };
            let (_, du, dv) = longer.tangents(u, v);
            du.cross(&dv)
        };
        let areas: Vec<Vector3> = (0..=BEYOND).map(area).collect();
        areas.windows(2).all(|w| w[0].dot(&w[1]) >= 0.0)
    })
}
