//! Crossed projection: the space curve whose views along two directions are two given plane curves.
//!
//! Both plane curves have a height along the line in which their planes meet. Places of equal height belong together,
//! and the two sight lines through them cross at the curve's place. One of the curves must rise or fall all the way,
//! so that each place of the other has one partner.

use geometry::{
    Domain, Fitted, Frame, NurbsCurve, Point3, Tolerance, Vector3, bisect, fit_function, sign_changes,
};

use crate::SurfacingError;

const SAMPLES_PER_SPAN: usize = 16;
const HALVINGS: usize = 60;

/// A plane curve as one view of a space curve; its pieces run end to end.
#[derive(Debug, Clone, PartialEq)]
pub struct View {
    /// The plane; one looks along its z.
    pub frame: Frame,
    /// The pieces.
    pub curves: Vec<NurbsCurve>,
}

/// A part of a view that has no partner in the other one.
#[derive(Debug, Clone, PartialEq)]
pub struct Unpartnered {
    /// 0 for the first view, 1 for the second.
    pub view: usize,
    /// Length of the part along the direction that both views share, in millimetres.
    pub height: f64,
    /// A place on it.
    pub at: Point3,
}

/// The curve and what of the views it leaves out.
#[derive(Debug, Clone, PartialEq)]
pub struct Crossed {
    /// Its pieces, end to end: a joint of a view is a joint of the curve.
    pub pieces: Vec<Fitted>,
    /// Parts of the views without a partner.
    pub unpartnered: Vec<Unpartnered>,
}

/// The space curve seen as `first` along its plane's normal and as `second` along its own.
///
/// # Errors
/// `ParallelViews`; `NoPartner` when the views share no height; `BothTurn` when neither view rises or falls all the
/// way, with the place where the second one turns.
pub fn crossed_projection(
    first: &View,
    second: &View,
    tolerance: &Tolerance,
) -> Result<Crossed, SurfacingError> {
    let along = first.frame.z.cross(&second.frame.z);
    if along.norm() < 1e-6 {
        return Err(SurfacingError::ParallelViews);
    }
    let along = along.normalize();
    let monotone = |v: &View| turning_place(v, &along, tolerance);
    let (guide, partner, guide_index) = match (monotone(second), monotone(first)) {
        (None, _) => (first, second, 0),
        (Some(_), None) => (second, first, 1),
        (Some(at), Some(_)) => return Err(SurfacingError::BothTurn { at: at.into() }),
    };
    let partner = Partner::new(partner, &along);
    let across = partner.normal.cross(&along);
    let normal = guide.frame.z;
    let slope = normal.dot(&across);
    let mut unpartnered = Vec::new();
    let mut pieces = Vec::new();
    let mut held: Option<(f64, f64)> = None;
    for curve in &guide.curves {
        let height = |t: f64| curve.point(t).coords.dot(&along);
        let (lowest, highest) = partner.range;
        let within = |t: f64| (height(t) - lowest).min(highest - height(t));
        for span in intervals(curve, &|t| within(t) + tolerance.resolution) {
            let (low, high) = (height(span.start), height(span.end));
            let (low, high) = (low.min(high), low.max(high));
            held = Some(held.map_or((low, high), |h| (h.0.min(low), h.1.max(high))));
            let at = |t: f64| {
                let (a, da) = curve.moving(t);
                let (b, db) = partner.at(a.coords.dot(&along), da.dot(&along));
                let depth = (b - a).dot(&across) / slope;
                let rate = (db - da).dot(&across) / slope;
                Ok::<_, SurfacingError>((a + normal * depth, da + normal * rate))
            };
            let mut breaks = vec![span.start];
            breaks.extend(curve.knots().breaks().into_iter().filter(|&k| k > span.start && k < span.end));
            for level in &partner.levels {
                let there = sign_changes(curve, |t| height(t) - level);
                breaks.extend(there.into_iter().filter(|&t| t > span.start && t < span.end));
            }
            breaks.push(span.end);
            breaks.sort_by(f64::total_cmp);
            let least = span.length() * 1e-6;
            breaks.dedup_by(|b, a| *b - *a < least);
            if let Some(last) = breaks.last_mut() {
                *last = span.end;
            }
            pieces.push(fit_function(at, &breaks, tolerance.fit)?);
        }
        for span in intervals(curve, &|t| -within(t) - tolerance.join) {
            let (a, b) = (height(span.start), height(span.end));
            unpartnered.push(Unpartnered {
                view: guide_index,
                height: (a - b).abs(),
                at: curve.point(span.at(0.5)),
            });
        }
    }
    let Some((low, high)) = held else {
        let at = guide.curves[0].start();
        return Err(SurfacingError::NoPartner { view: guide_index, at: at.into() });
    };
    for (from, to) in [(partner.range.0, low), (high, partner.range.1)] {
        if to - from > tolerance.join {
            let at = partner.at(0.5 * (from + to), 0.0).0;
            unpartnered.push(Unpartnered { view: 1 - guide_index, height: to - from, at });
        }
    }
    Ok(Crossed { pieces, unpartnered })
}

/// Where a view stops rising or falling; `None` when it goes one way all the time.
fn turning_place(view: &View, along: &Vector3, tolerance: &Tolerance) -> Option<Point3> {
    let mut before: Option<(f64, f64)> = None;
    for curve in &view.curves {
        for t in curve.knots().sampled(SAMPLES_PER_SPAN) {
            let p = curve.point(t);
            let height = p.coords.dot(along);
            let Some((last, direction)) = before else {
                before = Some((height, 0.0));
                continue;
            };
            let step = height - last;
            if step.abs() <= tolerance.resolution {
                continue;
            }
            if direction * step < 0.0 {
                return Some(p);
            }
            before = Some((height, step));
        }
    }
    before.is_none_or(|(_, direction)| direction == 0.0).then(|| view.curves[0].start())
}

/// The view whose places are found by their height.
struct Partner<'a> {
    curves: &'a [NurbsCurve],
    along: Vector3,
    normal: Vector3,
    range: (f64, f64),
    /// Heights of its knots, where its curvature may jump.
    levels: Vec<f64>,
}

impl<'a> Partner<'a> {
    fn new(view: &'a View, along: &Vector3) -> Self {
        let mut levels = Vec::new();
        for c in &view.curves {
            levels.extend(c.knots().breaks().into_iter().map(|k| c.point(k).coords.dot(along)));
        }
        levels.sort_by(f64::total_cmp);
        let range = (levels[0], levels[levels.len() - 1]);
        Self { curves: &view.curves, along: *along, normal: view.frame.z, range, levels }
    }

    /// The place at a height, and its change when the height changes at `rate`.
    fn at(&self, height: f64, rate: f64) -> (Point3, Vector3) {
        let of = |c: &NurbsCurve, t: f64| c.point(t).coords.dot(&self.along) - height;
        let beside = |c: &&NurbsCurve| {
            let (a, b) = (of(c, c.domain().start), of(c, c.domain().end));
            a.min(b) <= 0.0 && a.max(b) >= 0.0
        };
        let nearest = || {
            let miss = |c: &NurbsCurve| of(c, c.domain().start).abs().min(of(c, c.domain().end).abs());
            self.curves.iter().min_by(|a, b| miss(a).total_cmp(&miss(b)))
        };
        let Some(curve) = self.curves.iter().find(beside).or_else(nearest) else {
            return (Point3::origin(), Vector3::zeros());
        };
        let (mut low, mut high) = (curve.domain().start, curve.domain().end);
        let rising = of(curve, high) > of(curve, low);
        let mut t = 0.5 * (low + high);
        for _ in 0..HALVINGS {
            let (p, d) = curve.moving(t);
            let miss = p.coords.dot(&self.along) - height;
            if (miss > 0.0) == rising {
                high = t
            } else {
                low = t
            }
            let newton = t - miss / d.dot(&self.along);
            let next = if newton > low && newton < high { newton } else { 0.5 * (low + high) };
            let moved = (next - t).abs();
            t = next;
            if moved <= 1e-15 * (1.0 + t.abs()) {
                break;
            }
        }
        let (p, d) = curve.moving(t);
        let speed = d.dot(&self.along);
        // Where the view runs level for a moment, the rate has no bound; the fit then does without it.
        let change = if speed.abs() > 1e-9 * d.norm() { d * (rate / speed) } else { self.along * rate };
        (p, change)
    }
}

/// Intervals in which `f` is not below zero.
fn intervals(curve: &NurbsCurve, f: &impl Fn(f64) -> f64) -> Vec<Domain> {
    let mut out: Vec<Domain> = Vec::new();
    let mut open: Option<f64> = None;
    let mut before: Option<(f64, f64)> = None;
    for t in curve.knots().sampled(SAMPLES_PER_SPAN) {
        let now = f(t);
        if let Some((last, value)) = before
            && (value >= 0.0) != (now >= 0.0)
        {
            let edge = bisect(last, t, |t| f(t) >= 0.0);
            match open.take() {
                Some(start) => out.push(Domain::new(start, edge)),
                None => open = Some(edge),
            }
        } else if before.is_none() && now >= 0.0 {
            open = Some(t);
        }
        before = Some((t, now));
    }
    if let Some(start) = open {
        out.push(Domain::new(start, curve.domain().end));
    }
    out.retain(|d| d.length() > 1e-9 * curve.domain().length());
    out
}
