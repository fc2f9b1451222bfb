//! Changes that a drawing makes to its curves, one after the other. They stay live: a fillet's radius may be a formula,
//! and a mirrored half follows the half that is drawn.

use geometry::{
    Corner, Fitted, Frame, GeometryError, NurbsCurve, Point3, Vector3, chamfer, closest_on_curve, crossings,
    extended, extended_to, fillet, fit_chain, offset_in_plane,
};
use nalgebra::{Matrix4, Rotation3, Translation3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::FlatCurve;
use crate::quantity::amounts::{one, zero};
use crate::recipe::is_default;
use crate::steps::Context;
use crate::{Amount, Notice, Quantity, Reached};

/// Most copies that one change makes.
const MOST_COPIES: f64 = 1000.0;

/// One change of a drawing's curves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "change", rename_all = "snake_case", deny_unknown_fields)]
pub enum Change {
    /// Rounds corners: of one curve, all of them or one; or the one where two curves meet.
    Fillet {
        /// The curve.
        curve: String,
        /// The other curve of the corner.
        #[serde(default, skip_serializing_if = "is_default")]
        with: Option<String>,
        /// Which of the curve's own corners, counted from 1; none: all.
        #[serde(default, skip_serializing_if = "is_default")]
        corner: Option<usize>,
        /// The radius.
        radius: Amount,
    },
    /// Cuts corners by a straight line.
    Chamfer {
        /// The curve.
        curve: String,
        /// The other curve of the corner.
        #[serde(default, skip_serializing_if = "is_default")]
        with: Option<String>,
        /// Which of the curve's own corners, counted from 1; none: all.
        #[serde(default, skip_serializing_if = "is_default")]
        corner: Option<usize>,
        /// How far from the corner it begins and ends.
        distance: Amount,
    },
    /// Takes away the part of a curve, between its crossings with others, that holds a place.
    Trim {
        /// The curve.
        curve: String,
        /// The place, in the drawing's plane, in millimetres.
        away: [f64; 2],
    },
    /// Cuts a curve in two at its place nearest to a given one.
    Split {
        /// The curve; the second part gets the id of `second`.
        curve: String,
        /// The place, in the drawing's plane, in millimetres.
        at: [f64; 2],
        /// Id of the second part.
        second: String,
    },
    /// Makes a curve longer at one end, by a distance or up to another curve.
    Extend {
        /// The curve.
        curve: String,
        /// Whether at its start instead of its end.
        #[serde(default, skip_serializing_if = "is_default")]
        start: bool,
        /// How far; not needed with `to`.
        #[serde(default, skip_serializing_if = "is_default")]
        by: Option<Amount>,
        /// Up to this curve.
        #[serde(default, skip_serializing_if = "is_default")]
        to: Option<String>,
    },
    /// Adds a curve beside another one.
    Offset {
        /// The curve.
        curve: String,
        /// How far to its left; to its right when below zero.
        distance: Amount,
        /// Id of the new curve.
        id: String,
    },
    /// Adds the mirrored halves of curves; the halves follow.
    Mirror {
        /// The curves.
        curves: Vec<String>,
        /// The symmetry line: a straight curve of this drawing, or `x` or `y` for the drawing's own axes.
        line: String,
    },
    /// Moves, turns and scales curves, in this order: turned and scaled about `about`, then moved.
    Transform {
        /// The curves.
        curves: Vec<String>,
        /// How far it moves.
        #[serde(default = "nowhere")]
        by: [Amount; 2],
        /// How far it turns.
        #[serde(default = "zero")]
        turn: Amount,
        /// How much larger it becomes.
        #[serde(default = "one")]
        scale: Amount,
        /// What it turns and grows about.
        #[serde(default = "nowhere")]
        about: [Amount; 2],
        /// With copies the curves stay, and each copy is moved, turned and scaled once more than the one before.
        #[serde(default = "zero")]
        copies: Amount,
    },
    /// Turns a chain of curves into one smooth spline.
    Smooth {
        /// The curves, end to end in any order.
        curves: Vec<String>,
        /// How far the spline may leave them.
        tolerance: Amount,
        /// Id of the spline, which takes their place.
        id: String,
    },
    /// Makes one curve of several that run end to end; their corners stay.
    Join {
        /// The curves, in any order.
        curves: Vec<String>,
        /// Id of the joined curve, which takes their place.
        id: String,
    },
}

fn nowhere() -> [Amount; 2] {
    [zero(), zero()]
}

/// What is done to the corner of two curves, by a radius or a distance.
type Treat<'a> = dyn Fn(&NurbsCurve, &NurbsCurve, f64) -> Result<Corner, GeometryError> + 'a;

const FIT_HALVINGS: usize = 14;

/// The pieces of one curve with all its corners treated, or one of them. Corners that do not fit together are refused
/// with the size at which all of them do.
fn own_corners(
    pieces: &[NurbsCurve],
    count: usize,
    which: Option<usize>,
    size: f64,
    treat: &Treat<'_>,
) -> Result<Vec<NurbsCurve>, GeometryError> {
    let attempt = |size: f64| {
        let mut pieces = pieces.to_vec();
        let mut joints: Vec<(usize, NurbsCurve)> = Vec::new();
        for k in (0..count).filter(|k| which.is_none_or(|w| w == k + 1)) {
            let next = (k + 1) % pieces.len();
            match treat(&pieces[k], &pieces[next], size) {
                Ok(Corner { before, joint, after }) => {
                    pieces[k] = before;
                    pieces[next] = after;
                    joints.push((k, joint));
                }
                // Where a curve's own pieces run on smoothly there is nothing to round.
                Err(GeometryError::NoCorner { .. }) if which.is_none() => {}
                Err(e) => return Err(e),
            }
        }
        for (k, joint) in joints.into_iter().rev() {
            pieces.insert(k + 1, joint);
        }
        Ok(pieces)
    };
    match attempt(size) {
        Err(GeometryError::CornerTooTight { at, .. }) => {
            let (mut fits, mut fails) = (0.0, size.max(0.0));
            for _ in 0..FIT_HALVINGS {
                let middle = 0.5 * (fits + fails);
                if middle > 0.0 && attempt(middle).is_ok() { fits = middle } else { fails = middle }
            }
            Err(GeometryError::CornerTooTight { asked: size, fits, at })
        }
        other => other,
    }
}

/// What a change works on.
pub(super) struct Work<'a> {
    pub context: &'a Context<'a>,
    pub frame: &'a Frame,
    pub curves: &'a mut Vec<FlatCurve>,
    pub reached: &'a mut Vec<Reached>,
    /// The change's place in the list.
    pub index: usize,
}

impl Work<'_> {
    fn field(&self, what: &str) -> String {
        format!("changes/{}/{what}", self.index)
    }

    fn refuse(&self, what: &str, message: impl Into<String>) -> Notice {
        Notice::about(&self.field(what), message)
    }

    fn refuse_at(&self, what: &str, message: impl Into<String>, at: Point3) -> Notice {
        self.refuse(what, message).at(self.frame.to_space(at.x, at.y))
    }

    fn geometry(&self, what: &str, error: &GeometryError) -> Notice {
        let at = error.place().map(|[x, y, _]| self.frame.to_space(x, y));
        self.refuse(what, error.to_string()).at(at)
    }

    fn place(&self, id: &str, what: &str) -> Result<usize, Notice> {
        let message = || {
            format!("curve `{id}` is not in this drawing any more; remove this change, or pick another curve")
        };
        self.curves.iter().position(|c| c.id == id).ok_or_else(|| self.refuse(what, message()))
    }

    fn length(&self, amount: &Amount, what: &str) -> Result<f64, Notice> {
        self.context.coordinate(amount, &self.field(what))
    }

    fn fresh(&self, id: &str) -> Result<(), Notice> {
        if id.trim().is_empty() || self.curves.iter().any(|c| c.id == id) {
            return Err(self.refuse("id", format!("the id `{id}` is empty or taken; choose another one")));
        }
        Ok(())
    }

    pub(super) fn apply(&mut self, change: &Change) -> Result<(), Notice> {
        match change {
            Change::Fillet { curve, with, corner, radius } => {
                let radius = self.length(radius, "radius")?;
                let join = self.context.tolerance.join;
                let treat = |a: &NurbsCurve, b: &NurbsCurve, r| fillet(a, b, &Vector3::z(), r, join);
                self.corners(curve, with.as_deref(), *corner, ("radius", radius), &treat)
            }
            Change::Chamfer { curve, with, corner, distance } => {
                let distance = self.length(distance, "distance")?;
                let join = self.context.tolerance.join;
                let treat = |a: &NurbsCurve, b: &NurbsCurve, d| chamfer(a, b, [d; 2], join);
                self.corners(curve, with.as_deref(), *corner, ("distance", distance), &treat)
            }
            Change::Trim { curve, away } => self.trim(curve, *away),
            Change::Split { curve, at, second } => self.split(curve, *at, second),
            Change::Extend { curve, start, by, to } => self.extend(curve, *start, by.as_ref(), to.as_deref()),
            Change::Offset { curve, distance, id } => self.offset(curve, distance, id),
            Change::Mirror { curves, line } => self.mirror(curves, line),
            Change::Transform { curves, by, turn, scale, about, copies } => {
                self.transform(curves, [by, about], turn, scale, copies)
            }
            Change::Smooth { curves, tolerance, id } => self.smooth(curves, tolerance, id),
            Change::Join { curves, id } => self.join(curves, id),
        }
    }

    /// Treats one corner between two curves, or the corners of one curve.
    fn corners(
        &mut self,
        id: &str,
        with: Option<&str>,
        which: Option<usize>,
        (what, size): (&str, f64),
        treat: &Treat<'_>,
    ) -> Result<(), Notice> {
        let i = self.place(id, "curve")?;
        let Some(with) = with else {
            let (pieces, closed) = (self.curves[i].pieces.clone(), self.curves[i].closed(self.context));
            let count = if closed { pieces.len() } else { pieces.len() - 1 };
            if count == 0 || which.is_some_and(|w| w == 0 || w > count) {
                let message = format!("{id} has {count} corners; pick another curve, or two that meet");
                return Err(self.refuse("corner", message));
            }
            let treated = own_corners(&pieces, count, which, size, treat);
            self.curves[i].pieces = treated.map_err(|e| self.geometry(what, &e))?;
            return Ok(());
        };
        let j = self.place(with, "with")?;
        // The ends that lie nearest to each other make the corner.
        let gap = |a_end: bool, b_start: bool| {
            let a = if a_end { self.curves[i].end() } else { self.curves[i].start() };
            let b = if b_start { self.curves[j].start() } else { self.curves[j].end() };
            (a - b).norm()
        };
        let ways = [(true, true), (true, false), (false, true), (false, false)];
        let (a_end, b_start) =
            ways.into_iter().min_by(|x, y| gap(x.0, x.1).total_cmp(&gap(y.0, y.1))).unwrap_or((true, true));
        if !a_end {
            self.curves[i].reverse();
        }
        if !b_start {
            self.curves[j].reverse();
        }
        let last = self.curves[i].pieces.len() - 1;
        let (mut before, mut after) = (self.curves[i].pieces[last].clone(), self.curves[j].pieces[0].clone());
        self.bring_to_crossing(&mut before, &mut after);
        let Corner { before, joint, after } =
            treat(&before, &after, size).map_err(|e| self.geometry(what, &e))?;
        self.curves[i].pieces[last] = before;
        self.curves[i].pieces.push(joint);
        self.curves[j].pieces[0] = after;
        if !a_end {
            self.curves[i].reverse();
        }
        if !b_start {
            self.curves[j].reverse();
        }
        Ok(())
    }

    /// Two curves that cross, or straight ones that would, are cut or lengthened to where they do.
    fn bring_to_crossing(&self, before: &mut NurbsCurve, after: &mut NurbsCurve) {
        let join = self.context.tolerance.join;
        if (before.end() - after.start()).norm() <= join {
            return;
        }
        let chord = chord(&[before, after]);
        if let Some(c) = crossings(before, after, chord).into_iter().next_back() {
            *before = before.part(before.domain().start, c.first_parameter);
            *after = after.part(c.second_parameter, after.domain().end);
            return;
        }
        let reach = 2.0 * ((before.end() - after.start()).norm() + before.length() + after.length());
        let (Ok(a), Ok(b)) = (extended(before, reach), extended(&after.reversed(), reach)) else { return };
        let b = b.reversed();
        if let Some(c) = crossings(&a, &b, chord).into_iter().next() {
            *before = a.part(a.domain().start, c.first_parameter);
            *after = b.part(c.second_parameter, b.domain().end);
        }
    }

    fn trim(&mut self, id: &str, away: [f64; 2]) -> Result<(), Notice> {
        let i = self.place(id, "curve")?;
        let away = Point3::new(away[0], away[1], 0.0);
        let curve = self.curves[i].clone();
        let (piece, _, t) = curve.nearest(&away);
        // Cuts by piece and parameter: crossings with other curves and with the curve's own other pieces.
        let mut cuts: Vec<(usize, f64)> = Vec::new();
        for (k, own) in curve.pieces.iter().enumerate() {
            let others = self.curves.iter().enumerate().filter(|(j, _)| *j != i).flat_map(|(_, c)| &c.pieces);
            let selves = curve.pieces.iter().enumerate().filter(|(j, _)| j.abs_diff(k) > 1).map(|(_, c)| c);
            for other in others.chain(selves) {
                let chord = chord(&[own, other]);
                cuts.extend(crossings(own, other, chord).into_iter().map(|c| (k, c.first_parameter)));
            }
        }
        cuts.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
        let at_end = |&(k, t): &(usize, f64)| {
            let d = curve.pieces[k].domain();
            (k == 0 && t - d.start < 1e-9 * d.length())
                || (k + 1 == curve.pieces.len() && d.end - t < 1e-9 * d.length())
        };
        cuts.retain(|c| !at_end(c));
        if cuts.is_empty() {
            let message = format!(
                "nothing crosses {id}, so that there is nothing to trim to; remove the curve instead"
            );
            return Err(self.refuse_at("curve", message, away));
        }
        let here = (piece, t);
        let earlier = |c: &&(usize, f64)| (c.0, c.1) <= (here.0, here.1);
        let before = cuts.iter().rev().find(earlier).copied();
        let after = cuts.iter().find(|c| !earlier(c)).copied();
        let closed = curve.closed(self.context);
        let mut kept = Vec::new();
        let end = (curve.pieces.len() - 1, curve.pieces[curve.pieces.len() - 1].domain().end);
        match (before, after) {
            (Some(b), Some(a)) if closed => {
                // What is left of a closed curve runs through its start as one.
                let mut pieces = curve.between(a, end);
                pieces.extend(curve.between((0, curve.pieces[0].domain().start), b));
                kept.push(pieces);
            }
            (None, Some(a)) if closed => {
                let last = cuts[cuts.len() - 1];
                kept.push(curve.between(a, last));
            }
            (Some(b), None) if closed => kept.push(curve.between(cuts[0], b)),
            (b, a) => {
                kept.extend(b.map(|b| curve.between((0, curve.pieces[0].domain().start), b)));
                kept.extend(a.map(|a| curve.between(a, end)));
            }
        }
        kept.retain(|pieces| !pieces.is_empty());
        let mut kept = kept.into_iter();
        match kept.next() {
            Some(pieces) => self.curves[i].pieces = pieces,
            None => {
                self.curves.remove(i);
            }
        }
        for (n, pieces) in kept.enumerate() {
            let id = format!("{id} part {}", n + 2);
            self.curves.push(FlatCurve { id, pieces, points: Vec::new(), ..curve.clone() });
        }
        Ok(())
    }

    fn split(&mut self, id: &str, at: [f64; 2], second: &str) -> Result<(), Notice> {
        self.fresh(second)?;
        let i = self.place(id, "curve")?;
        let curve = self.curves[i].clone();
        let at = Point3::new(at[0], at[1], 0.0);
        let (piece, point, t) = curve.nearest(&at);
        let last = curve.pieces.len() - 1;
        let (head, tail) = (
            curve.between((0, curve.pieces[0].domain().start), (piece, t)),
            curve.between((piece, t), (last, curve.pieces[last].domain().end)),
        );
        if head.is_empty() || tail.is_empty() {
            return Err(self.refuse_at(
                "at",
                format!("{id} cannot be split at its end; choose a place along it"),
                point,
            ));
        }
        self.curves[i].pieces = head;
        self.curves.push(FlatCurve { id: second.into(), pieces: tail, points: Vec::new(), ..curve });
        Ok(())
    }

    fn extend(&mut self, id: &str, start: bool, by: Option<&Amount>, to: Option<&str>) -> Result<(), Notice> {
        let i = self.place(id, "curve")?;
        let mut curve = self.curves[i].clone();
        if start {
            curve.reverse();
        }
        let last = curve.pieces.len() - 1;
        let end = curve.pieces[last].end();
        let longer = match (by, to) {
            (_, Some(to)) => {
                let j = self.place(to, "to")?;
                let reach = self.curves[j]
                    .pieces
                    .iter()
                    .map(|c| (c.start() - end).norm().max((c.end() - end).norm()));
                let reach = 2.0 * (reach.fold(0.0, f64::max) + curve.pieces[last].length());
                let targets = self.curves[j].pieces.iter();
                let found = targets.filter_map(|t| extended_to(&curve.pieces[last], t, reach, chord(&[t])));
                let nearest = found.min_by(|a, b| (a.1 - end).norm().total_cmp(&(b.1 - end).norm()));
                nearest.map(|(c, _)| c).ok_or_else(|| {
                    self.refuse_at(
                        "to",
                        format!("{id} never meets {to}, however far it goes on; pick another curve"),
                        end,
                    )
                })?
            }
            (Some(by), None) => {
                let by = self.length(by, "by")?;
                extended(&curve.pieces[last], by).map_err(|e| self.geometry("by", &e))?
            }
            (None, None) => return Err(self.refuse("by", "give a distance, or a curve to extend to")),
        };
        curve.pieces[last] = longer;
        if start {
            curve.reverse();
        }
        self.curves[i] = curve;
        Ok(())
    }

    fn offset(&mut self, id: &str, distance: &Amount, new: &str) -> Result<(), Notice> {
        self.fresh(new)?;
        let distance = self.length(distance, "distance")?;
        let i = self.place(id, "curve")?;
        let curve = self.curves[i].clone();
        let mut pieces: Vec<NurbsCurve> = Vec::with_capacity(curve.pieces.len());
        let mut deviation: f64 = 0.0;
        for piece in &curve.pieces {
            let Fitted { curve, max_deviation, .. } =
                offset_in_plane(piece, &Vector3::z(), distance, self.context.tolerance.fit)
                    .map_err(|e| self.geometry("distance", &e))?;
            deviation = deviation.max(max_deviation);
            pieces.push(curve);
        }
        let closed = curve.closed(self.context);
        let joints = if closed { pieces.len() } else { pieces.len() - 1 };
        for k in 0..joints {
            let next = (k + 1) % pieces.len();
            if k == next {
                break;
            }
            let (mut a, mut b) = (pieces[k].clone(), pieces[next].clone());
            self.bring_to_crossing(&mut a, &mut b);
            if (a.end() - b.start()).norm() > self.context.tolerance.join {
                let corner = curve.pieces[k].end();
                let message = format!(
                    "the offset falls apart at this corner of {id}; use a smaller distance, or round the corner first"
                );
                return Err(self.refuse_at("distance", message, corner));
            }
            (pieces[k], pieces[next]) = (a, b);
        }
        self.reached.push(Reached {
            label: format!("Deviation of {new} from the true offset"),
            value: deviation,
            quantity: Quantity::Length,
            at: None,
        });
        self.curves.push(FlatCurve { id: new.into(), pieces, points: Vec::new(), guide: curve.guide });
        Ok(())
    }

    fn mirror(&mut self, ids: &[String], line: &str) -> Result<(), Notice> {
        let (origin, along) = match line {
            "x" => (Point3::origin(), Vector3::x()),
            "y" => (Point3::origin(), Vector3::y()),
            id => {
                let i = self.place(id, "line")?;
                let (a, b) = (self.curves[i].start(), self.curves[i].end());
                let straight = self.curves[i].pieces.len() == 1
                    && geometry::as_line(&self.curves[i].pieces[0], self.context.tolerance.resolution)
                        .is_some();
                if !straight {
                    return Err(self.refuse_at(
                        "line",
                        format!("{id} is not straight; pick a straight line to mirror about"),
                        a,
                    ));
                }
                (a, (b - a).normalize())
            }
        };
        let mirrored = |p: &Point3| {
            let d = p - origin;
            origin + along * (2.0 * d.dot(&along)) - d
        };
        for id in ids {
            let i = self.place(id, "curves")?;
            let new = format!("{id} mirrored");
            self.fresh(&new)?;
            // Run backwards, the half goes on where the drawn one meets the line.
            let pieces = self.curves[i].pieces.iter().rev().map(|c| c.mapped(mirrored).reversed()).collect();
            let guide = self.curves[i].guide;
            self.curves.push(FlatCurve { id: new, pieces, points: Vec::new(), guide });
        }
        Ok(())
    }

    fn transform(
        &mut self,
        ids: &[String],
        [by, about]: [&[Amount; 2]; 2],
        turn: &Amount,
        scale: &Amount,
        copies: &Amount,
    ) -> Result<(), Notice> {
        let pair = |[x, y]: &[Amount; 2], what| {
            Ok::<_, Notice>(Vector3::new(self.length(x, what)?, self.length(y, what)?, 0.0))
        };
        let (by, about) = (pair(by, "by")?, pair(about, "about")?);
        let turn = self.context.value(turn, Quantity::Angle, &self.field("turn"))?;
        let scale = self.context.value(scale, Quantity::Ratio, &self.field("scale"))?;
        let copies = self.context.value(copies, Quantity::Count, &self.field("copies"))?;
        if scale <= 0.0 || copies > MOST_COPIES {
            return Err(
                self.refuse("scale", "the scale must be above zero, and there are at most 1000 copies")
            );
        }
        let map: Matrix4<f64> = Translation3::from(by + about).to_homogeneous()
            * Rotation3::from_axis_angle(&Vector3::z_axis(), turn).to_homogeneous()
            * Matrix4::new_scaling(scale)
            * Translation3::from(-about).to_homogeneous();
        for id in ids {
            let i = self.place(id, "curves")?;
            if copies == 0.0 {
                for piece in &mut self.curves[i].pieces {
                    *piece = piece.transformed(&map);
                }
                self.curves[i].points.clear();
                continue;
            }
            let mut curve = self.curves[i].clone();
            curve.points.clear();
            for n in 1..=copies as usize {
                curve.id = format!("{id} copy {n}");
                self.fresh(&curve.id)?;
                for piece in &mut curve.pieces {
                    *piece = piece.transformed(&map);
                }
                self.curves.push(curve.clone());
            }
        }
        Ok(())
    }

    /// Takes curves that run end to end out of the drawing, as one run of pieces.
    fn take_chain(&mut self, ids: &[String]) -> Result<Vec<NurbsCurve>, Notice> {
        let mut pieces = Vec::new();
        for id in ids {
            let i = self.place(id, "curves")?;
            pieces.extend(self.curves.remove(i).pieces);
        }
        let chain = surfacing::chain(&pieces, &self.context.tolerance).map_err(|e| {
            let at = e.place().map(|[x, y, _]| self.frame.to_space(x, y));
            self.refuse("curves", e.to_string()).at(at)
        })?;
        Ok(chain.run(&pieces))
    }

    fn smooth(&mut self, ids: &[String], tolerance: &Amount, id: &str) -> Result<(), Notice> {
        let tolerance = self.length(tolerance, "tolerance")?;
        let resolution = self.context.tolerance.resolution;
        if tolerance <= resolution {
            return Err(self.refuse("tolerance", "give a tolerance above zero, such as 0.1 mm"));
        }
        let pieces = self.take_chain(ids)?;
        self.fresh(id)?;
        let fitted = fit_chain(&pieces, tolerance, resolution).map_err(|e| self.geometry("curves", &e))?;
        self.reached.push(Reached {
            label: format!("Deviation of {id} from its chain"),
            value: fitted.max_deviation,
            quantity: Quantity::Length,
            at: None,
        });
        self.curves.push(FlatCurve {
            id: id.into(),
            pieces: vec![fitted.curve],
            points: Vec::new(),
            guide: false,
        });
        Ok(())
    }

    fn join(&mut self, ids: &[String], id: &str) -> Result<(), Notice> {
        let pieces = self.take_chain(ids)?;
        self.fresh(id)?;
        self.curves.push(FlatCurve { id: id.into(), pieces, points: Vec::new(), guide: false });
        Ok(())
    }
}

/// Flattening for crossings, by the size of the curves.
fn chord(curves: &[&NurbsCurve]) -> f64 {
    let size = curves.iter().map(|c| {
        let (low, high) = c.control_bounds();
        (high - low).norm()
    });
    size.fold(0.0, f64::max).max(1e-6) * 1e-4
}

impl FlatCurve {
    pub(super) fn start(&self) -> Point3 {
        self.pieces[0].start()
    }

    pub(super) fn end(&self) -> Point3 {
        self.pieces[self.pieces.len() - 1].end()
    }

    fn closed(&self, context: &Context<'_>) -> bool {
        (self.start() - self.end()).norm() <= context.tolerance.join
            && (self.pieces.len() > 1 || self.pieces[0].length() > 2.0 * context.tolerance.join)
    }

    fn reverse(&mut self) {
        self.pieces = self.pieces.iter().rev().map(NurbsCurve::reversed).collect();
        self.points.reverse();
    }

    /// The piece that is nearest to a place, the nearest point and its parameter.
    fn nearest(&self, to: &Point3) -> (usize, Point3, f64) {
        let found = self.pieces.iter().enumerate().map(|(k, c)| (k, closest_on_curve(c, to)));
        let best = found.min_by(|a, b| a.1.distance.total_cmp(&b.1.distance));
        best.map_or((0, self.start(), 0.0), |(k, c)| (k, c.point, c.parameter))
    }

    /// The pieces between two places along the curve.
    fn between(&self, from: (usize, f64), to: (usize, f64)) -> Vec<NurbsCurve> {
        (from.0..=to.0)
            .filter_map(|k| {
                let d = self.pieces[k].domain();
                let start = if k == from.0 { from.1 } else { d.start };
                let end = if k == to.0 { to.1 } else { d.end };
                (end - start > 1e-9 * d.length()).then(|| self.pieces[k].part(start, end))
            })
            .collect()
    }
}

impl Change {
    /// Every value in it that a formula can stand for.
    pub(super) fn amounts(&mut self) -> Vec<&mut Amount> {
        match self {
            Self::Fillet { radius: amount, .. }
            | Self::Chamfer { distance: amount, .. }
            | Self::Extend { by: Some(amount), .. }
            | Self::Offset { distance: amount, .. }
            | Self::Smooth { tolerance: amount, .. } => vec![amount],
            Self::Transform { by, turn, scale, about, copies, .. } => {
                by.iter_mut().chain(about).chain([turn, scale, copies]).collect()
            }
            Self::Extend { by: None, .. }
            | Self::Trim { .. }
            | Self::Split { .. }
            | Self::Mirror { .. }
            | Self::Join { .. } => Vec::new(),
        }
    }

    /// What it is called.
    #[must_use]
    pub fn label(&self) -> &'static str {
        match self {
            Self::Fillet { .. } => "Fillet",
            Self::Chamfer { .. } => "Chamfer",
            Self::Trim { .. } => "Trim",
            Self::Split { .. } => "Split",
            Self::Extend { .. } => "Extend",
            Self::Offset { .. } => "Offset",
            Self::Mirror { .. } => "Mirror",
            Self::Transform { .. } => "Move",
            Self::Smooth { .. } => "Smooth",
            Self::Join { .. } => "Join",
        }
    }
}
