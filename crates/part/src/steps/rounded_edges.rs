//! What fillets and chamfers have in common: edges of one shape, and the shape with something else in their place.

use surfacing::{Picked, Rounding, SurfacingError, apart, round_edges};
use topology::{Body, Shell};

use super::{Context, SlotDescription};
use crate::inputs::MarkedEdges;
use crate::{Built, Notice, Reference, Shape};

/// The slot for edges.
pub(super) fn slot(help: &'static str) -> SlotDescription {
    SlotDescription::one("edges", "Edges", &["curve", "surface", "solid"], help)
        .many(1, 300)
        .faces()
        .uncovers()
}

/// The slot for edges that have a size of their own.
pub(super) fn own_slot(name: &'static str, label: &'static str, help: &'static str) -> SlotDescription {
    SlotDescription::one(name, label, &["curve", "surface", "solid"], help).many(0, 300).faces().uncovers()
}

/// References to edges that get one size, with the fields that tell which and by how much.
pub(super) struct Group<'a> {
    pub(super) edges: &'a [Reference],
    pub(super) slot: &'static str,
    pub(super) size: &'static str,
}

impl<'a> Group<'a> {
    /// The edges that every step of this kind has.
    pub(super) fn first(edges: &'a [Reference], size: &'static str) -> Self {
        Self { edges, slot: "edges", size }
    }
}

/// A body with the edges of each of its shells that are rounded.
type Marked<'a> = (&'a Body, Vec<Picked>);

impl Context<'_> {
    /// The shape with edges rounded, those of every group by the size that has its number.
    pub(super) fn rounded_edges(&self, groups: &[Group<'_>], how: &Rounding<'_>) -> Result<Built, Notice> {
        let refused = |e: &SurfacingError| {
            let of_size = |size: f64| groups.iter().zip(how.sizes).find(|(_, s)| (s.at)(0.0) == size);
            let field = match e {
                SurfacingError::FilletTooLarge { size, .. } | SurfacingError::NoSize { size } => {
                    of_size(*size).map_or(groups[0].size, |(group, _)| group.size)
                }
                _ => groups[0].slot,
            };
            Notice::refused(field, e)
        };
        let (mut bodies, mut off, mut flat_ends) = (Vec::new(), 0.0_f64, Vec::new());
        for (body, picked) in self.grouped_edges(groups)? {
            if picked.iter().all(|p| p.is_empty()) {
                bodies.push(body.clone());
                continue;
            }
            let mut whole = Shell::empty();
            for (shell, picked) in body.shells().into_iter().zip(&picked) {
                if picked.is_empty() {
                    whole = whole.beside(shell);
                    continue;
                }
                let made = round_edges(shell, picked, how, &self.tolerance).map_err(|e| refused(&e))?;
                off = off.max(made.max_deviation);
                flat_ends.extend(made.flat_ends);
                whole = whole.beside(&made.shell);
            }
            // What runs through another part of the shape is as much too large as what has no room beside its edge.
            let largest = how.sizes.iter().map(|s| (s.at)(0.0)).fold(0.0, f64::max);
            let too_large = |e: SurfacingError| match e {
                SurfacingError::RunsIntoItself { at } => {
                    SurfacingError::FilletTooLarge { size: largest, at, fits: None }
                }
                other => other,
            };
            bodies.push(apart(Body::from_shell(whole)).map_err(|e| refused(&too_large(e)))?);
        }
        let mut built = Built::plain(Shape::Bodies(bodies)).with_deviation(off, self.tolerance.fit);
        built.warnings.extend(flat_ends.into_iter().map(|at| {
            let message = "the next edge goes on almost straight here, where this one ends flat; pick that one too to go on along it";
            Notice::about(groups[0].slot, message).at(at)
        }));
        Ok(built)
    }

    /// The bodies of a step with the edges that are meant; what several groups mean is of the last of them.
    fn grouped_edges(&self, groups: &[Group<'_>]) -> Result<Vec<Marked<'_>>, Notice> {
        let mut out: Vec<Marked<'_>> = Vec::new();
        for (number, group) in groups.iter().enumerate() {
            if let [own, ..] = group.edges
                && own.step != groups[0].edges[0].step
            {
                let message = "these edges are of another shape than the first ones; pick edges of that one";
                return Err(Notice::about(group.slot, message));
            }
            if number > 0 && group.edges.is_empty() {
                continue;
            }
            for (k, MarkedEdges { body, edges }) in
                self.bodies_with_edges(group.edges, group.slot)?.into_iter().enumerate()
            {
                if out.len() == k {
                    out.push((body, vec![Picked::new(); edges.len()]));
                }
                for (picked, own) in out[k].1.iter_mut().zip(edges) {
                    picked.extend(own.into_iter().map(|e| (e, number)));
                }
            }
        }
        Ok(out)
    }
}
