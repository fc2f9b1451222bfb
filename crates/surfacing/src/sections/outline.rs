//! A section as a row of pieces, by the length that it has run.

use std::cell::OnceCell;
use std::f64::consts::TAU;

use geometry::{ArcLength, Ellipse, NurbsCurve, Point3, Tolerance, Vector3, closest_on_curve};

/// Turn of the tangent in radians, a fifth of a degree, above which two pieces meet at a corner.
pub(crate) const CORNER: f64 = 0.0035;
/// Share of a piece's domain within which a place to cut is at a knot.
const SAME_KNOT: f64 = 1e-6;
/// Samples per knot span of a piece by which it is measured for comparing.
const MEASURED_PER_SPAN: usize = 8;

/// A section's pieces in order, by shares of the length that they run; that is only measured when it is asked for.
#[derive(Debug, Clone)]
pub(super) struct Outline<'a> {
    pub pieces: &'a [NurbsCurve],
    /// Whether lengths are those of polylines, which are known much sooner.
    coarse: bool,
    measured: OnceCell<Measured<'a>>,
}

#[derive(Debug, Clone)]
struct Measured<'a> {
    lengths: Vec<Length<'a>>,
    joints: Vec<f64>,
    whole: f64,
}

/// A piece's length by its parameter.
#[derive(Debug, Clone)]
enum Length<'a> {
    Exact(ArcLength<'a>),
    /// Parameters with the length of the polyline until there.
    Coarse(Vec<(f64, f64)>),
}

impl<'a> Length<'a> {
    fn coarse(piece: &NurbsCurve) -> Self {
        let mut run = 0.0;
        let mut before: Option<Point3> = None;
        let mut mark = |t: f64| {
            let p = piece.point(t);
            run += before.replace(p).map_or(0.0, |b| (p - b).norm());
            (t, run)
        };
        Self::Coarse(piece.knots().sampled(MEASURED_PER_SPAN).into_iter().map(&mut mark).collect())
    }

    fn whole(&self) -> f64 {
        match self {
            Self::Exact(length) => length.whole(),
            Self::Coarse(marks) => marks[marks.len() - 1].1,
        }
    }

    fn parameter(&self, share: f64) -> f64 {
        match self {
            Self::Exact(length) => length.parameter(share),
            Self::Coarse(marks) => between(marks.iter().map(|m| (m.1, m.0)), share * self.whole()),
        }
    }

    fn share(&self, t: f64) -> f64 {
        match self {
            Self::Exact(length) => length.share(t),
            Self::Coarse(marks) => between(marks.iter().copied(), t) / self.whole().max(f64::MIN_POSITIVE),
        }
    }
}

/// The value at a place between given ones.
fn between(pairs: impl Iterator<Item = (f64, f64)>, at: f64) -> f64 {
    let mut before: Option<(f64, f64)> = None;
    for (x, y) in pairs {
        match before {
            Some((a, b)) if at <= x && x > a => return b + (y - b) * ((at - a) / (x - a)).max(0.0),
            None if at <= x => return y,
            _ => before = Some((x, y)),
        }
    }
    before.map_or(0.0, |b| b.1)
}

impl<'a> Outline<'a> {
    pub fn new(pieces: &'a [NurbsCurve]) -> Self {
        Self { pieces, coarse: false, measured: OnceCell::new() }
    }

    /// To be compared with others.
    pub fn coarse(pieces: &'a [NurbsCurve]) -> Self {
        Self { coarse: true, ..Self::new(pieces) }
    }

    fn measured(&self) -> &Measured<'a> {
        self.measured.get_or_init(|| {
            let length = |c| if self.coarse { Length::coarse(c) } else { Length::Exact(ArcLength::new(c)) };
            let lengths: Vec<Length<'_>> = self.pieces.iter().map(length).collect();
            let whole = lengths.iter().map(Length::whole).sum::<f64>().max(f64::MIN_POSITIVE);
            let mut joints = vec![0.0];
            for length in &lengths {
                joints.push(joints[joints.len() - 1] + length.whole() / whole);
            }
            joints[lengths.len()] = 1.0;
            Measured { lengths, joints, whole }
        })
    }

    /// Shares of the whole length at which pieces begin, and 1.
    pub fn joints(&self) -> &[f64] {
        &self.measured().joints
    }

    /// Length of all pieces in millimetres.
    pub fn whole(&self) -> f64 {
        self.measured().whole
    }

    /// Piece and parameter at a share of the whole length.
    pub fn locate(&self, share: f64) -> (usize, f64) {
        let last = self.pieces.len() - 1;
        let k = self.joints().partition_point(|j| *j <= share).clamp(1, last + 1) - 1;
        let (from, to) = (self.joints()[k], self.joints()[k + 1]);
        let within = if to > from { ((share - from) / (to - from)).clamp(0.0, 1.0) } else { 0.0 };
        (k, self.measured().lengths[k].parameter(within))
    }

    /// The same to cut there: at a knot if that is as good as there, since a span of next to no length is of no use.
    pub fn locate_cut(&self, share: f64) -> (usize, f64) {
        let (k, t) = self.locate(share);
        let knots = self.pieces[k].knots();
        let near = SAME_KNOT * knots.domain().length();
        (k, knots.breaks().into_iter().find(|b| (b - t).abs() <= near).unwrap_or(t))
    }

    pub fn point(&self, share: f64) -> Point3 {
        let (k, t) = self.locate(share);
        self.pieces[k].point(t)
    }

    /// The place at a share, and how it moves with the share.
    pub fn moving(&self, share: f64) -> (Point3, Vector3) {
        let (k, t) = self.locate(share);
        let (point, velocity) = self.pieces[k].moving(t);
        (point, velocity.try_normalize(0.0).unwrap_or_else(Vector3::zeros) * self.whole())
    }

    /// Shares at which the pieces have knots where they are less smooth than a cubic spline is.
    pub fn rough(&self) -> Vec<f64> {
        let mut out = Vec::new();
        for (k, piece) in self.pieces.iter().enumerate() {
            let (from, to) = (self.joints()[k], self.joints()[k + 1]);
            let distinct = piece.knots().distinct();
            let inner = &distinct[1..distinct.len() - 1];
            let rough = inner.iter().filter(|(_, count)| piece.degree() < count + 2);
            out.extend(rough.map(|(t, _)| from + (to - from) * self.measured().lengths[k].share(*t)));
        }
        out
    }

    /// What runs between two shares; ends that are nearly joints are taken as joints.
    pub fn part(&self, from: f64, to: f64, tolerance: &Tolerance) -> Vec<NurbsCurve> {
        let near = tolerance.join / self.whole();
        let snapped =
            |share: f64| self.joints().iter().copied().find(|j| (j - share).abs() <= near).unwrap_or(share);
        let (from, to) = (snapped(from), snapped(to));
        let mut out = Vec::new();
        for (k, piece) in self.pieces.iter().enumerate() {
            let (a, b) = (self.joints()[k].max(from), self.joints()[k + 1].min(to));
            if b - a <= near.min(1e-3 * (to - from)) {
                continue;
            }
            if (a, b) == (self.joints()[k], self.joints()[k + 1]) {
                out.push(piece.clone());
                continue;
            }
            let d = piece.domain();
            let place = |share: f64, end: f64, joint: f64| {
                if share == joint { end } else { self.locate_cut(share).1 }
            };
            let (s, e) = (place(a, d.start, self.joints()[k]), place(b, d.end, self.joints()[k + 1]));
            out.push(cut(piece, s, e));
        }
        if out.is_empty() {
            let at = self.point(from);
            out.push(NurbsCurve::line(at, at));
        }
        out
    }

    /// Whether each piece begins at a corner: the first one where the outline closes there.
    pub fn corners(&self, closed: bool) -> Vec<bool> {
        let count = self.pieces.len();
        let corner = |k: usize| {
            let before = &self.pieces[(k + count - 1) % count];
            let here = &self.pieces[k];
            match (before.tangent(before.domain().end), here.tangent(here.domain().start)) {
                (Some(a), Some(b)) => a.angle(&b) > CORNER,
                _ => true,
            }
        };
        (0..count).map(|k| (k > 0 || closed) && corner(k)).collect()
    }

    /// Shares at which the pieces have knots, their ends too: between them it is as smooth as can be.
    pub fn breaks(&self) -> Vec<f64> {
        let of_piece = |(k, piece): (usize, &NurbsCurve)| {
            let (from, to) = (self.joints()[k], self.joints()[k + 1]);
            let share = |t: f64| from + (to - from) * self.measured().lengths[k].share(t);
            piece.knots().breaks().into_iter().map(share).collect::<Vec<_>>()
        };
        self.pieces.iter().enumerate().flat_map(of_piece).collect()
    }

    /// Whether its first piece goes on as its last one ends, in its parameter too: both are parts of one.
    pub fn begins_inside_a_piece(&self) -> bool {
        let [first, .., last] = self.pieces else { return false };
        let alike = first.degree() == last.degree() && first.domain().start == last.domain().end;
        alike && !self.corners(true)[0]
    }

    /// Shares at which there is a corner; where it closes, if there is one, both of them.
    pub fn corner_shares(&self, closed: bool) -> Vec<f64> {
        let corners = self.corners(closed);
        let at_end = corners[0].then_some(1.0);
        let own = (0..self.pieces.len()).filter(|&k| corners[k]).map(|k| self.joints()[k]);
        own.chain(at_end).collect()
    }

    /// The share of the length that lies before its place nearest to a point.
    pub fn share_of(&self, at: &Point3) -> f64 {
        let feet = self.pieces.iter().map(|piece| closest_on_curve(piece, at));
        let nearest = feet.enumerate().min_by(|a, b| a.1.distance.total_cmp(&b.1.distance));
        let Some((k, foot)) = nearest else { return 0.0 };
        let (from, to) = (self.joints()[k], self.joints()[k + 1]);
        from + (to - from) * self.measured().lengths[k].share(foot.parameter)
    }

    /// Places at equal shares of the length, from one share on, the end left out.
    pub fn places(&self, begin: f64, count: usize) -> Vec<Point3> {
        (0..count).map(|k| self.point((begin + k as f64 / count as f64).rem_euclid(1.0))).collect()
    }
}

/// What runs between two parameters of a piece; of an ellipse evenly, wherever its quarters end.
fn cut(piece: &NurbsCurve, from: f64, to: f64) -> NurbsCurve {
    let evenly = || {
        let ellipse = Ellipse::of(piece)?;
        let [start, end] = [from, to].map(|t| ellipse.angle(&piece.point(t)));
        ellipse.arc(start, (end - start).rem_euclid(TAU)).ok()
    };
    evenly().unwrap_or_else(|| piece.part(from, to))
}

/// Pieces with each cut where it has a corner inside.
pub(crate) fn cut_at_corners(pieces: &[NurbsCurve]) -> Vec<NurbsCurve> {
    pieces
        .iter()
        .flat_map(|piece| {
            let d = piece.domain();
            let mut ends = vec![d.start];
            ends.extend(piece.corners(CORNER));
            ends.push(d.end);
            match ends.len() {
                2 => vec![piece.clone()],
                _ => ends.windows(2).map(|w| piece.part(w[0], w[1])).collect(),
            }
        })
        .collect()
}
