//! Reshape: a surface edited by its control points.

use std::sync::Arc;

use geometry::{NurbsSurface, Point3, Vector3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use surfacing::{NetChange, Pinch};
use topology::{Body, Face, Shell, join, natural_shell};

use super::{Construction, Context, EndAgrees, SlotDescription, StepDescription};
use crate::limits::{MOST_NET_CHANGES, at_most};
use crate::recipe::is_default;
use crate::{
    Amount, Built, Cure, Edit, MainAxis, Notice, PlaneInput, Quantity, Reached, RecipeError, Reference,
};

/// Control points that are picked, rows and columns counted from 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum NetPick {
    /// All points of a row.
    Row(usize),
    /// All points of a column.
    Column(usize),
    /// One point, by its row and its column.
    Point([usize; 2]),
}

/// One direction of a net, or both.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum NetAlong {
    /// From row to row.
    Rows,
    /// From column to column.
    Columns,
    /// Both.
    Both,
}

/// A border of a net.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum NetBorder {
    /// The first row.
    FirstRow,
    /// The last row.
    LastRow,
    /// The first column.
    FirstColumn,
    /// The last column.
    LastColumn,
}

/// Where points are gathered.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum NetGather {
    /// At a place.
    Place([Amount; 3]),
    /// Midway between two other points of the net, each by its row and its column.
    Midway([[usize; 2]; 2]),
    /// On the straight line between the first and the last of them.
    Line,
    /// On the plane that fits them best.
    Plane,
}

/// A change of a net.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "change", rename_all = "snake_case", deny_unknown_fields)]
pub enum NetEdit {
    /// One more row or column where the surface has run a share of its way; its shape stays.
    Insert {
        /// Rows or columns.
        along: NetAlong,
        /// The share, 0 to 1.
        at: Amount,
    },
    /// More rows or columns where they stand farthest apart; the shape stays.
    Evenly {
        /// Rows or columns.
        along: NetAlong,
        /// How many.
        count: usize,
    },
    /// A higher degree; the shape stays.
    Raise {
        /// In which direction.
        along: NetAlong,
        /// The degree.
        degree: usize,
    },
    /// Another number of points and degree.
    Recast {
        /// In which direction.
        along: NetAlong,
        /// How many points.
        points: usize,
        /// The degree.
        degree: usize,
        /// What its borders keep across them.
        #[serde(default, skip_serializing_if = "is_default")]
        ends: EndAgrees,
    },
    /// Points moved.
    Move {
        /// Which.
        picks: Vec<NetPick>,
        /// How far in x, y and z.
        by: [Amount; 3],
    },
    /// Points grown about their middle.
    Scale {
        /// Which.
        picks: Vec<NetPick>,
        /// How much in x, y and z.
        factors: [Amount; 3],
    },
    /// Points turned about an axis through their middle.
    Turn {
        /// Which.
        picks: Vec<NetPick>,
        /// The direction of the axis.
        axis: MainAxis,
        /// By how much.
        angle: Amount,
    },
    /// Points brought together.
    Gather {
        /// Which.
        picks: Vec<NetPick>,
        /// Where.
        at: NetGather,
    },
    /// A border pulled, with the rows behind it following less and less.
    Pull {
        /// Which border.
        border: NetBorder,
        /// How far in x, y and z.
        by: [Amount; 3],
        /// The direction of the axis about which it is turned through its middle.
        axis: MainAxis,
        /// By how much it is turned.
        angle: Amount,
        /// How many rows behind it follow.
        follow: usize,
    },
}

/// A surface edited by its control points.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reshape {
    /// The surface.
    pub surface: Reference,
    /// What is changed, in order.
    #[serde(default, skip_serializing_if = "is_default")]
    pub changes: Vec<NetEdit>,
    /// Points that stay, whatever is changed.
    #[serde(default, skip_serializing_if = "is_default")]
    pub frozen: Vec<NetPick>,
    /// The plane across which every change is made on the other side too.
    #[serde(default, skip_serializing_if = "is_default")]
    pub mirror: Option<PlaneInput>,
}

/// Picks as `surfacing` counts them, from 0.
fn counted(picks: &[NetPick], field: &str) -> Result<Vec<surfacing::NetPick>, Notice> {
    let from_zero = |n: usize| {
        n.checked_sub(1).ok_or_else(|| Notice::about(field, "rows and columns are counted from 1"))
    };
    let one = |pick: &NetPick| {
        Ok(match *pick {
            NetPick::Row(i) => surfacing::NetPick::Row(from_zero(i)?),
            NetPick::Column(j) => surfacing::NetPick::Column(from_zero(j)?),
            NetPick::Point([i, j]) => surfacing::NetPick::Point(from_zero(i)?, from_zero(j)?),
        })
    };
    picks.iter().map(one).collect()
}

fn along(along: NetAlong) -> surfacing::Along {
    match along {
        NetAlong::Rows => surfacing::Along::U,
        NetAlong::Columns => surfacing::Along::V,
        NetAlong::Both => surfacing::Along::Both,
    }
}

fn direction(axis: MainAxis) -> Vector3 {
    match axis {
        MainAxis::X => Vector3::x(),
        MainAxis::Y => Vector3::y(),
        MainAxis::Z => Vector3::z(),
    }
}

impl NetEdit {
    fn amounts(&mut self) -> Vec<&mut Amount> {
        match self {
            Self::Insert { at, .. } => vec![at],
            Self::Move { by, .. } => by.iter_mut().collect(),
            Self::Scale { factors, .. } => factors.iter_mut().collect(),
            Self::Turn { angle, .. } => vec![angle],
            Self::Gather { at: NetGather::Place(place), .. } => place.iter_mut().collect(),
            Self::Pull { by, angle, .. } => by.iter_mut().chain([angle]).collect(),
            Self::Evenly { .. } | Self::Raise { .. } | Self::Recast { .. } | Self::Gather { .. } => {
                Vec::new()
            }
        }
    }

    fn change(&self, context: &Context<'_>) -> Result<NetChange, Notice> {
        let field = "changes";
        let three = |amounts: &[Amount; 3]| -> Result<Vector3, Notice> {
            let value = |k: usize| context.value(&amounts[k], Quantity::Length, field);
            Ok(Vector3::new(value(0)?, value(1)?, value(2)?))
        };
        let angle = |amount: &Amount| context.value(amount, Quantity::Angle, field);
        Ok(match self {
            Self::Insert { along: way, at } => {
                let at = context.value(at, Quantity::Ratio, field)?;
                if !(at > 0.0 && at < 1.0) {
                    return Err(Notice::about(field, "give a place between 0 and 1 for the new row"));
                }
                NetChange::Insert { along: along(*way), at }
            }
            Self::Evenly { along: way, count } => NetChange::Evenly { along: along(*way), count: *count },
            Self::Raise { along: way, degree } => NetChange::Raise { along: along(*way), degree: *degree },
            Self::Recast { along: way, points, degree, ends } => NetChange::Recast {
                along: along(*way),
                points: *points,
                degree: *degree,
                kept: (*ends).into(),
            },
            Self::Move { picks, by } => NetChange::Move { picks: counted(picks, field)?, by: three(by)? },
            Self::Scale { picks, factors } => {
                let value = |k: usize| context.value(&factors[k], Quantity::Ratio, field);
                let factors = Vector3::new(value(0)?, value(1)?, value(2)?);
                NetChange::Scale { picks: counted(picks, field)?, factors }
            }
            Self::Turn { picks, axis, angle: turn } => {
                NetChange::Turn { picks: counted(picks, field)?, axis: direction(*axis), angle: angle(turn)? }
            }
            Self::Gather { picks, at } => {
                let at = match at {
                    NetGather::Place(place) => surfacing::GatherAt::Place(Point3::from(three(place)?)),
                    NetGather::Midway([a, b]) => {
                        let point = |[i, j]: [usize; 2]| match counted(&[NetPick::Point([i, j])], field)?[..]
                        {
                            [surfacing::NetPick::Point(i, j)] => Ok([i, j]),
                            _ => Err(Notice::about(field, "midway goes between two points")),
                        };
                        surfacing::GatherAt::Midway(point(*a)?, point(*b)?)
                    }
                    NetGather::Line => surfacing::GatherAt::Line,
                    NetGather::Plane => surfacing::GatherAt::Plane,
                };
                NetChange::Gather { picks: counted(picks, field)?, at }
            }
            Self::Pull { border, by, axis, angle: turn, follow } => NetChange::Pull {
                border: match border {
                    NetBorder::FirstRow => surfacing::Border::FirstRow,
                    NetBorder::LastRow => surfacing::Border::LastRow,
                    NetBorder::FirstColumn => surfacing::Border::FirstColumn,
                    NetBorder::LastColumn => surfacing::Border::LastColumn,
                },
                by: three(by)?,
                turn: (direction(*axis), angle(turn)?),
                follow: *follow,
            },
        })
    }
}

impl Reshape {
    /// What flattens the row next to a gathered end, as one click.
    fn flattened(&self, step: &str, pinch: &Pinch, [rows, columns]: [usize; 2]) -> Cure {
        let [end, next] = match pinch.border {
            surfacing::Border::FirstRow => [1, 2].map(NetPick::Row),
            surfacing::Border::LastRow => [rows, rows - 1].map(NetPick::Row),
            surfacing::Border::FirstColumn => [1, 2].map(NetPick::Column),
            surfacing::Border::LastColumn => [columns, columns - 1].map(NetPick::Column),
        };
        let mut changes = self.changes.clone();
        changes.push(NetEdit::Gather { picks: vec![next, end], at: NetGather::Plane });
        let value = serde_json::to_value(changes).unwrap_or_default();
        let edit = Edit::SetField { step: step.into(), field: "changes".into(), value };
        Cure { label: "Bring that row onto one plane".into(), edits: vec![edit] }
    }

    /// The bodies with one face in the place of another.
    fn in_place(
        bodies: &[Body],
        old: &Face,
        new: &Shell,
        context: &Context<'_>,
    ) -> Result<Body, topology::TopologyError> {
        let mut parts = vec![new.clone()];
        for shell in bodies.iter().flat_map(Body::shells) {
            let left: Vec<Face> = shell.faces().iter().filter(|f| !std::ptr::eq(*f, old)).cloned().collect();
            if !left.is_empty() {
                parts.push(Shell::of_used(shell.vertices(), shell.edges(), left)?);
            }
        }
        match &parts[..] {
            [only] => Ok(Body::from_shell(only.clone())),
            _ => Ok(Body::from_shell(join(&parts, context.tolerance.join)?.shell)),
        }
    }
}

impl Construction for Reshape {
    fn describe() -> StepDescription {
        StepDescription {
            kind: "reshape",
            label: "Reshape",
            stage: "Shape",
            purpose: "Edit a surface by its control points: drag, scale, turn, gather, put in rows.",
            also: "control points, edit points, net, grid, gather, insert rows, raise degree, recast, rebuild, freeze, pull edge",
            key: "R",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription::one(
                    "surface",
                    "Surface",
                    &["surface", "solid"],
                    "The surface, or a face of one.",
                )
                .one_face(),
                SlotDescription::one(
                    "mirror",
                    "Mirrored across",
                    &["plane"],
                    "A plane of symmetry across which every change is made on the other side too.",
                )
                .optional(),
            ],
            values: vec![],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let mirror = self.mirror.as_ref().and_then(PlaneInput::reference).map(|r| ("mirror", r));
        std::iter::once(("surface", &self.surface)).chain(mirror).collect()
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        self.changes.iter_mut().flat_map(NetEdit::amounts).collect()
    }

    fn check(&self) -> Result<(), RecipeError> {
        at_most("changes in one reshape step", self.changes.len(), MOST_NET_CHANGES)
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let faces = context.faces(&self.surface, "surface")?;
        let [face] = faces[..] else {
            let message = "this has several faces; pick one of them in space";
            return Err(Notice::about("surface", message));
        };
        if !face.is_whole() {
            let message = "this face is only a part of its surface, whose control points reach beyond it; reshape the surface before it is cut";
            return Err(Notice::about("surface", message));
        }
        let changes = self.changes.iter().map(|c| c.change(context)).collect::<Result<Vec<_>, _>>()?;
        let mirror = self.mirror.as_ref().map(|p| p.frame(context, "mirror")).transpose()?;
        let frozen = counted(&self.frozen, "changes")?;
        let how = surfacing::Reshape { changes: &changes, frozen: &frozen, mirror };
        let made = surfacing::reshape(&face.surface, &how, &context.tolerance).map_err(|e| {
            let input = if matches!(e, surfacing::SurfacingError::NotSymmetric { .. }) {
                "mirror"
            } else {
                "changes"
            };
            Notice::refused(input, &e)
        })?;
        let size = |s: &NurbsSurface| [s.knots_u().point_count(), s.knots_v().point_count()];
        let [rows, columns] = size(&made.surface);
        let surface = Arc::new(made.surface);
        let shell = natural_shell(Arc::clone(&surface), &face.role, &context.tolerance)
            .map(|s| if face.reversed { s.flipped() } else { s });
        let bodies = context.bodies(&self.surface, "surface")?;
        let body = shell.and_then(|shell| Self::in_place(bodies, face, &shell, context));
        let body = body.map_err(|e| Notice::refused("surface", &e.into()))?;
        let mut built = Built::body(body).with_reached([
            Reached { quantity: Quantity::Count, ..Reached::length("Rows", rows as f64) },
            Reached { quantity: Quantity::Count, ..Reached::length("Columns", columns as f64) },
            Reached::length("Largest move of a point", made.largest_move),
        ]);
        if let Some(deviation) = made.max_deviation {
            built = built.with_reached([Reached::length("Deviation of recasting", deviation)]);
        }
        if made.stayed > 0 {
            let message =
                format!("{} frozen points stayed where they are; release them to move them", made.stayed);
            built.warnings.push(Notice::about("changes", message));
        }
        for pinch in &made.pinches {
            let message = format!(
                "the row next to the gathered end leaves its plane by {:.4} mm here, so that the surface pinches at its tip",
                pinch.off
            );
            let mut notice = Notice::about("changes", message).at(pinch.at);
            notice.cure = context.step.map(|step| self.flattened(step, pinch, [rows, columns]));
            built.warnings.push(notice);
        }
        built.net = Some(surface);
        Ok(built)
    }
}
