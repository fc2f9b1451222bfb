//! Values that change along a path: evenly, by a formula, or by a drawn graph.

use geometry::{NurbsCurve, bisect};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Context, SlotDescription, ValueDescription};
use crate::formula::{self, ALONG, Scope, Value};
use crate::{Amount, Notice, Quantity, Reference};

/// Places at which a law is tried before it is used.
const TRIED: usize = 64;
/// Places of each piece of a graph at which it is watched for turning back.
const WATCHED: usize = 32;

/// How a value changes along a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum By {
    /// Evenly from its start to its end.
    #[default]
    Even,
    /// By a formula in `along`, the share 0 to 1 of the path that lies behind.
    Formula,
    /// By the height of a drawn curve over its width.
    Graph,
}

impl By {
    pub(super) fn choice(name: &'static str, label: &'static str) -> ValueDescription {
        let choices = [("even", "Evenly"), ("formula", "Formula"), ("graph", "Graph")];
        let help = "Evenly along the path, by a formula in along (0 at its start, 1 at its end), or by a drawn graph.";
        ValueDescription::choice(name, label, &choices, help)
    }

    pub(super) fn graph_slot(
        name: &'static str,
        label: &'static str,
        field: &'static str,
        help: &'static str,
    ) -> SlotDescription {
        SlotDescription::one(name, label, &["curve"], help).optional().only_if(field, "graph")
    }
}

/// A value by the share of a path.
pub(super) type Law = Box<dyn Fn(f64) -> f64>;

impl Context<'_> {
    /// The value of a formula in which `along` is the share of the path, tried all along.
    pub(super) fn law(&self, amount: &Amount, quantity: Quantity, field: &str) -> Result<Law, Notice> {
        let unit = self.unit();
        let (amount, scope): (Amount, Scope) = (amount.clone(), self.scope.clone());
        let at = move |share: f64| {
            let mut scope = scope.clone();
            scope.insert(ALONG.into(), Value { number: share, length: 0, angle: 0 });
            formula::evaluate(&amount, quantity, unit, &scope)
        };
        for k in 0..=TRIED {
            let share = k as f64 / TRIED as f64;
            at(share).map_err(|e| {
                Notice::about(field, format!("{e}, where {:.0} % of the path lie behind", share * 100.0))
            })?;
        }
        Ok(Box::new(move |share| at(share.clamp(0.0, 1.0)).unwrap_or(0.0)))
    }

    /// The height in millimetres of a drawn graph by the share of its width.
    pub(super) fn graph(&self, graph: Option<&Reference>, slot: &str) -> Result<Law, Notice> {
        let graph = graph.ok_or_else(|| Notice::about(slot, "pick the curve that is the graph"))?;
        let frame = self.drawing_frame(graph, slot)?;
        let frame =
            frame.ok_or_else(|| Notice::about(slot, "a graph is drawn on a sheet; pick a drawing"))?;
        let curves = self.pieces(graph, slot)?;
        let chain = surfacing::chain(&curves, &self.tolerance).map_err(|e| Notice::refused(slot, &e))?;
        let flat = |c: &NurbsCurve| {
            c.mapped(|p| {
                let q = frame.coordinates(p);
                geometry::Point3::new(q.x, q.y, 0.0)
            })
        };
        let mut pieces: Vec<NurbsCurve> = chain.run(&curves).iter().map(flat).collect();
        if pieces[0].start().x > pieces[pieces.len() - 1].end().x {
            pieces = pieces.iter().rev().map(NurbsCurve::reversed).collect();
        }
        let mut before = f64::NEG_INFINITY;
        for piece in &pieces {
            for k in 0..=WATCHED {
                let p = piece.point(piece.domain().at(k as f64 / WATCHED as f64));
                if p.x < before - self.tolerance.resolution {
                    let message = "the graph turns back here, so that it has two heights at one place; let it run one way";
                    return Err(Notice::about(slot, message).at(frame.to_space(p.x, p.y)));
                }
                before = before.max(p.x);
            }
        }
        let (from, to) = (pieces[0].start().x, pieces[pieces.len() - 1].end().x);
        if to - from <= self.tolerance.join {
            return Err(Notice::about(slot, "the graph has no width; draw it from left to right"));
        }
        Ok(Box::new(move |share| {
            let x = from + (to - from) * share.clamp(0.0, 1.0);
            let at = pieces.iter().position(|p| p.end().x >= x).unwrap_or(pieces.len() - 1);
            let piece = &pieces[at];
            let d = piece.domain();
            let t = if piece.start().x >= x {
                d.start
            } else if piece.end().x <= x {
                d.end
            } else {
                bisect(d.start, d.end, |t| piece.point(t).x < x)
            };
            piece.point(t).y
        }))
    }
}
