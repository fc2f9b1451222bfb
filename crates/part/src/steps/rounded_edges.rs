//! What fillets and chamfers have in common: edges of one shape, and the shape with something else in their place.

use surfacing::{Rounding, SurfacingError, apart, round_edges};
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

impl Context<'_> {
    /// The shape with edges rounded; `size` is the field that says by how much.
    pub(super) fn rounded_edges(
        &self,
        edges: &[Reference],
        slot: &str,
        how: &Rounding<'_>,
        size: &str,
    ) -> Result<Built, Notice> {
        let refused = |e: &SurfacingError| {
            let about_size =
                matches!(e, SurfacingError::FilletTooLarge { .. } | SurfacingError::NoSize { .. });
            Notice::refused(if about_size { size } else { slot }, e)
        };
        let (mut bodies, mut off) = (Vec::new(), 0.0_f64);
        for MarkedEdges { body, edges } in self.bodies_with_edges(edges, slot)? {
            if edges.iter().all(|e| e.is_empty()) {
                bodies.push(body.clone());
                continue;
            }
            let mut whole = Shell::empty();
            for (shell, edges) in body.shells().into_iter().zip(&edges) {
                if edges.is_empty() {
                    whole = whole.beside(shell);
                    continue;
                }
                let made = round_edges(shell, edges, how, &self.tolerance).map_err(|e| refused(&e))?;
                off = off.max(made.max_deviation);
                whole = whole.beside(&made.shell);
            }
            // What runs through another part of the shape is as much too large as what has no room beside its edge.
            let too_large = |e: SurfacingError| match e {
                SurfacingError::RunsIntoItself { at } => {
                    SurfacingError::FilletTooLarge { size: (how.size)(0.0), at, fits: None }
                }
                other => other,
            };
            bodies.push(apart(Body::from_shell(whole)).map_err(|e| refused(&too_large(e)))?);
        }
        Ok(Built::plain(Shape::Bodies(bodies)).with_deviation(off, self.tolerance.fit))
    }
}
