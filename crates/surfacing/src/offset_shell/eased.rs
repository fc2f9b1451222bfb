//! Faces eased where their offsets fold in no way that could be trimmed. Where a face bends more tightly than its distance, what a ball
//! of that size reaches takes its place (the closing of mathematical morphology: Serra, Image analysis and mathematical morphology,
//! 1982, chapter 2; in one plane it is a rounding of that radius). The wall is a little thicker there than asked, and nowhere thinner.

use std::sync::Arc;

use geometry::{
    Demand, Domain, Fair, Fairness, KnotVector, NurbsSurface, Point3, Region, Tolerance, Vector3,
};
use rstar::RTree;
use topology::{Face, Shell, face_extent};

use super::parted::Folding;
use super::tight::ALL_BUT;
use crate::loops::Outlines;

/// Radius of the ball, as multiples of the distance, one after the other: what is fitted bends a little more tightly than it.
const BALLS: [f64; 4] = [1.04, 1.1, 1.2, 1.4];
/// Rounds of easing with one ball.
const ROUNDS: usize = 3;
/// Places in either direction of the part of a face that is looked at, and of the whole face.
const FINE: usize = 72;
const COARSE: usize = 48;
/// How much larger that part is made, as a share of its sides, while a ball reaches its border.
const LARGER: f64 = 0.5;
const ENLARGED: usize = 8;
/// Share of the distance by which a place nearer than the ball's radius is out of its reach.
const NEARER: f64 = 1e-6;
/// Weight of all places against the energy, over a parameter plane whose size is about 1.
const PLACES: f64 = 1e12;
/// How much the energy counts beside what is eased, as a share.
const OUTSIDE: f64 = 1e-6;
/// Places of each span at which what stays is held.
const HELD: usize = 2;
/// Spans over the part that is eased, and the share of one within which a knot is there already.
const SPANS: usize = 24;
const BESIDE: f64 = 0.4;
/// Share of the fit tolerance by which what stays may move, and places of each span of an edge at which is looked whether it does.
const MOVES: f64 = 0.5;
const ALONG: usize = 8;

/// A shell with faces eased, and how far from the shell as it was its offset is there at most, in millimetres, with that place.
pub(super) struct Eased {
    pub(super) shell: Shell,
    pub(super) most: (f64, Point3),
}

/// The shell with its faces eased where their offsets fold; `None` where none does, or one does at an edge.
pub(super) fn eased(shell: &Shell, distances: &[f64], tolerance: &Tolerance) -> Option<Eased> {
    let mut faces = shell.faces().to_vec();
    let mut most: Option<(f64, Point3)> = None;
    for (face, distance) in faces.iter_mut().zip(distances) {
        let distance = if face.reversed { -distance } else { *distance };
        let folds = |face: &Face, share: f64| {
            Folding::of(face, share * distance).is_some_and(|f| !f.areas().is_empty())
        };
        if !folds(face, ALL_BUT) {
            continue;
        }
        let eased = BALLS.into_iter().find_map(|ball| {
            // What is fitted swings about a little where it begins to bend otherwise.
            let mut eased = face.clone();
            for _ in 0..ROUNDS {
                let easing = Easing::of(&eased, ball * distance)?;
                let places: Vec<[f64; 2]> = easing.lifted.iter().map(|(p, _)| p.at).collect();
                eased.surface = Arc::new(easing.surface()?);
                if !keeps_edges(face, &eased.surface, tolerance) {
                    return None;
                }
                if !folds(&eased, 1.0) {
                    return Some((eased, places));
                }
            }
            None
        });
        let (eased, places) = eased?;
        let moved = places.into_iter().map(|[u, v]| {
            let was = face.surface.point(u, v);
            (distance.abs() + (eased.surface.point(u, v) - was).norm(), was)
        });
        most = moved.chain(most).max_by(|a, b| a.0.total_cmp(&b.0));
        *face = eased;
    }
    let shell = Shell::try_new(shell.vertices().to_vec(), shell.edges().to_vec(), faces).ok()?;
    Some(Eased { shell, most: most? })
}

/// Whether a face's edges lie on a surface as they do on its own.
fn keeps_edges(face: &Face, surface: &NurbsSurface, tolerance: &Tolerance) -> bool {
    face.loops.iter().flat_map(|l| &l.edges).all(|used| {
        used.pcurve.knots().sampled(ALONG).into_iter().all(|t| {
            let p = used.pcurve.point(t);
            (surface.point(p.x, p.y) - face.surface.point(p.x, p.y)).norm() <= MOVES * tolerance.fit
        })
    })
}

/// A place of a face, with the way to the side to which it is offset.
struct Place {
    at: [f64; 2],
    point: Point3,
    away: Vector3,
}

/// A part of a face where a ball does not reach everywhere.
struct Easing<'a> {
    surface: &'a NurbsSurface,
    part: [Domain; 2],
    /// Places of the part that the ball does not touch, with how far it stays away from them.
    lifted: Vec<(Place, f64)>,
}

impl<'a> Easing<'a> {
    /// `None` where the ball does not come near what it does not touch. The radius is that along the surface's normal.
    fn of(face: &'a Face, radius: f64) -> Option<Self> {
        let folding = Folding::of(face, radius)?;
        let (surface, extent) = (&*face.surface, face_extent(face));
        let outlines = Outlines::of(face);
        let seen = |part: [Domain; 2], count: usize| -> Vec<Place> {
            let side = |k: usize| (0..=count).map(move |i| part[k].at(i as f64 / count as f64));
            let all = side(0).flat_map(|u| side(1).map(move |v| [u, v])).filter(|at| outlines.hold(at));
            let place = |at: [f64; 2]| {
                let away = surface.normal(at[0], at[1])? * radius.signum();
                Some(Place { at, point: surface.point(at[0], at[1]), away })
            };
            all.filter_map(place).collect()
        };
        let coarse = seen(extent, COARSE);
        let mut part = folding.part()?;
        let radius = radius.abs();
        for _ in 0..ENLARGED {
            let larger = [0, 1].map(|k| {
                let by = LARGER * part[k].length();
                Domain::new(extent[k].clamp(part[k].start - by), extent[k].clamp(part[k].end + by))
            });
            part = larger;
            let fine = seen(part, FINE);
            let all: RTree<[f64; 3]> =
                RTree::bulk_load(fine.iter().chain(&coarse).map(|p| p.point.into()).collect());
            let least = (radius * (1.0 - NEARER)).powi(2);
            let is_free =
                |centre: Point3| all.locate_within_distance(<[f64; 3]>::from(centre), least).next().is_none();
            let centre = |p: &Place| p.point + p.away * radius;
            let is_touched = |p: &Place| is_free(centre(p));
            let (touched, untouched): (Vec<Place>, Vec<Place>) = fine.into_iter().partition(is_touched);
            let is_inner = |p: &Place| {
                (0..2).all(|k| {
                    let step = 1.5 * part[k].length() / FINE as f64;
                    let at = |end: f64, own: f64| (p.at[k] - end).abs() > step || end == own;
                    at(part[k].start, extent[k].start) && at(part[k].end, extent[k].end)
                })
            };
            if part != extent && !untouched.iter().all(is_inner) {
                continue;
            }
            // At a border the wall would end elsewhere.
            let step = [0, 1].map(|k| part[k].length() / FINE as f64);
            let is_beside = |p: &Place| {
                let ways = [[1.0, 0.0], [-1.0, 0.0], [0.0, 1.0], [0.0, -1.0]];
                ways.iter().any(|w| !outlines.hold(&[0, 1].map(|k| p.at[k] + w[k] * step[k])))
            };
            if untouched.iter().any(is_beside) {
                return None;
            }
            let balls = touched.iter().chain(coarse.iter().filter(|p| is_touched(p)));
            let centres: RTree<[f64; 3]> = RTree::bulk_load(balls.map(|p| centre(p).into()).collect());
            let lifted = untouched.into_iter().map(|p| {
                // A ball that begins within its radius has its centre within two of them.
                let near = centres.locate_within_distance(p.point.into(), (2.0 * radius).powi(2));
                let first = near.filter_map(|c| reached(&p, &(*c).into(), radius)).fold(f64::MAX, f64::min);
                (first < radius).then_some((p, first))
            });
            let lifted = lifted.collect::<Option<Vec<_>>>()?;
            return Some(Self { surface, part, lifted });
        }
        None
    }

    /// The surface with what the ball does not touch at where the ball is.
    fn surface(&self) -> Option<NurbsSurface> {
        let degrees = [self.surface.knots_u(), self.surface.knots_v()].map(KnotVector::degree);
        if degrees.iter().any(|d| *d < 3) || self.lifted.is_empty() || self.surface.is_rational() {
            return None;
        }
        let whole = self.finer();
        let knots = [whole.knots_u(), whole.knots_v()];
        let window = [0, 1].map(|k| about(knots[k], self.part[k]));
        let cut = whole.part(window);
        let fitted = self.fitted(&cut)?;
        // What depends on the window alone.
        let [us, vs] = [0, 1].map(|k| {
            let own = if k == 0 { cut.knots_u() } else { cut.knots_v() };
            within(knots[k], own, window[k])
        });
        let columns = [cut.knots_v().point_count(), knots[1].point_count()];
        let mut points = whole.control_points();
        for &(i, to_i) in &us {
            for &(j, to_j) in &vs {
                points[to_i * columns[1] + to_j] = fitted[i * columns[0] + j];
            }
        }
        NurbsSurface::try_new(knots[0].clone(), knots[1].clone(), &points, None).ok()
    }

    /// The surface with so many more knots over the part that it can bend there as it has to.
    fn finer(&self) -> NurbsSurface {
        let mut out = self.surface.clone();
        for k in 0..2 {
            let own = if k == 0 { self.surface.knots_u() } else { self.surface.knots_v() };
            let (breaks, part, d) = (own.breaks(), self.part[k], own.domain());
            let step = part.length() / SPANS as f64;
            let near = |t: f64| breaks.iter().any(|b| (b - t).abs() < BESIDE * step);
            let more = (0..=SPANS).map(|i| part.at(i as f64 / SPANS as f64));
            for t in more.filter(|t| *t > d.start && *t < d.end && !near(*t)) {
                out = if k == 0 { out.with_knot_u(t) } else { out.with_knot_v(t) };
            }
        }
        out
    }

    /// The control points of a part of the surface with what the ball does not touch at where the ball is.
    fn fitted(&self, cut: &NurbsSurface) -> Option<Vec<Point3>> {
        let whole: [Domain; 2] = cut.domain().into();
        let lengths = lengths(cut);
        let size = lengths[0].max(lengths[1]);
        let flat = [0, 1].map(|k| Domain::new(0.0, lengths[k] / size));
        let unit = |at: [f64; 2]| [0, 1].map(|k| flat[k].at((at[k] - whole[k].start) / whole[k].length()));
        let knots = [cut.knots_u(), cut.knots_v()];
        // Each lifted place stands for a part of the plane.
        let half = [0, 1].map(|k| 0.51 * self.part[k].length() / FINE as f64);
        let is_lifted = |at: &[f64; 2]| {
            self.lifted.iter().any(|(p, _)| (0..2).all(|k| (at[k] - p.at[k]).abs() <= half[k]))
        };
        let (us, vs) = (knots[0].sampled(HELD), knots[1].sampled(HELD));
        let all = us.iter().flat_map(|u| vs.iter().map(|v| [*u, *v]));
        let stay = all.filter(|at| !is_lifted(at)).map(|at| (at, cut.point(at[0], at[1])));
        let places: Vec<([f64; 2], Point3)> =
            stay.chain(self.lifted.iter().map(|(p, by)| (p.at, p.point + p.away * *by))).collect();
        let weight = PLACES / places.len() as f64;
        let demands: Vec<Demand> = places.iter().map(|(at, _)| Demand::place(unit(*at), weight)).collect();
        let [u, v] = self.part;
        let outline = [[u.start, v.start], [u.end, v.start], [u.end, v.end], [u.start, v.end]].map(unit);
        let region = Region { outlines: vec![outline.to_vec()], outside: OUTSIDE };
        let fairness = Fairness { stretch: 0.0, bend: 0.0, vary: 1.0 };
        let fair = Fair::new([&knots[0].over(flat[0]), &knots[1].over(flat[1])], fairness, &region, &demands)
            .ok()?;
        let origin = cut.point(whole[0].start, whole[1].start);
        let values: Vec<Vector3> = places.iter().map(|(_, p)| (p - origin) / size).collect();
        Some(fair.control_points(&values).into_iter().map(|v| origin + v * size).collect())
    }
}

/// Mean lengths of a surface's lines along u and along v.
fn lengths(surface: &NurbsSurface) -> [f64; 2] {
    const LINES: [f64; 3] = [0.2, 0.5, 0.8];
    const STEPS: usize = 24;
    let whole: [Domain; 2] = surface.domain().into();
    let along = |k: usize, share: f64| {
        let across = whole[1 - k].at(share);
        let at = |i: usize| {
            let x = whole[k].at(i as f64 / STEPS as f64);
            if k == 0 { surface.point(x, across) } else { surface.point(across, x) }
        };
        (0..STEPS).map(|i| (at(i + 1) - at(i)).norm()).sum::<f64>()
    };
    [0, 1].map(|k| LINES.iter().map(|s| along(k, *s)).sum::<f64>() / LINES.len() as f64)
}

/// A part of a domain from knot to knot, with some spans more at either end.
fn about(knots: &KnotVector, part: Domain) -> Domain {
    let breaks = knots.breaks();
    let more = knots.degree() + 2;
    let first = breaks.partition_point(|t| *t <= part.start).saturating_sub(1 + more);
    let last = (breaks.partition_point(|t| *t < part.end) + more).min(breaks.len() - 1);
    Domain::new(breaks[first], breaks[last])
}

/// The numbers of the control points of a part, with those that they have in the whole, of which all lies in the part.
fn within(whole: &KnotVector, part: &KnotVector, window: Domain) -> Vec<(usize, usize)> {
    let degree = whole.degree();
    let own = |k: &KnotVector, i: usize| k.knots()[i + 1..=i + degree].to_vec();
    let inside = |i: &usize| {
        let reach = &whole.knots()[*i..=*i + degree + 1];
        reach[0] >= window.start && reach[degree + 1] <= window.end
    };
    (0..whole.point_count())
        .filter(inside)
        .filter_map(|i| Some(((0..part.point_count()).find(|j| own(part, *j) == own(whole, i))?, i)))
        .collect()
}

/// How far away from a place, on its way, a ball about a centre begins.
fn reached(place: &Place, centre: &Point3, radius: f64) -> Option<f64> {
    let to = centre - place.point;
    let along = to.dot(&place.away);
    let half = along * along - (to.norm_squared() - radius * radius);
    (half >= 0.0).then(|| (along - half.sqrt()).max(0.0)).filter(|_| along > 0.0)
}
