//! Changes that a drawing makes to its curves, one after the other. They stay live: a fillet's radius may be a formula,
//! and a mirrored half follows the half that is drawn.

mod chains;
mod copies;
mod corners;
mod cuts;

use geometry::{Frame, GeometryError, NurbsCurve, Point3, Vector3, chamfer, fillet};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::FlatCurve;
use crate::limits::told;
use crate::quantity::amounts::{one, zero};
use crate::recipe::is_default;
use crate::steps::Context;
use crate::{Amount, Notice, Quantity, Reached};

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
            format!(
                "curve `{}` is not in this drawing any more; remove this change, or pick another curve",
                told(id)
            )
        };
        self.curves.iter().position(|c| c.id == id).ok_or_else(|| self.refuse(what, message()))
    }

    fn length(&self, amount: &Amount, what: &str) -> Result<f64, Notice> {
        self.context.value(amount, Quantity::Length, &self.field(what))
    }

    fn fresh(&self, id: &str) -> Result<(), Notice> {
        if id.trim().is_empty() || self.curves.iter().any(|c| c.id == id) {
            return Err(
                self.refuse("id", format!("the id `{}` is empty or taken; choose another one", told(id)))
            );
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

    /// The id that it gives to what it makes, if it gives one.
    pub(super) fn own_id(&self) -> Option<&str> {
        match self {
            Self::Split { second: id, .. }
            | Self::Offset { id, .. }
            | Self::Smooth { id, .. }
            | Self::Join { id, .. } => Some(id),
            _ => None,
        }
    }

    /// The curves of its list, where it has one.
    pub(super) fn curves(&self) -> &[String] {
        match self {
            Self::Mirror { curves, .. }
            | Self::Transform { curves, .. }
            | Self::Smooth { curves, .. }
            | Self::Join { curves, .. } => curves,
            _ => &[],
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
