//! Shapes and planes that are brought together: what several steps take in their slots, under the names of their pieces.

use std::collections::BTreeMap;

use geometry::{NurbsCurve, NurbsSurface, Tolerance};
use topology::{Body, Cells, Imprint, Piece, Shell, imprint, join, natural_shell, plane_beyond};

use super::Context;
use crate::{Input, Notice, PieceShape, PlaneInput, Reference, Shape};

/// Something that is brought together with others.
pub(super) struct Member {
    pub(super) shell: Shell,
    pub(super) is_closed: bool,
    /// Whether it stands for something without edges: a plane.
    pub(super) endless: bool,
    /// Its name within the names of pieces.
    pub(super) name: String,
    /// Its slot, for messages.
    pub(super) slot: &'static str,
}

/// Shapes brought together, with the spaces that they shut in.
pub(super) struct Together {
    pub(super) members: Vec<Member>,
    pub(super) made: Imprint,
    pub(super) cells: Cells,
}

impl Together {
    pub(super) fn new(members: Vec<Member>, tolerance: &Tolerance) -> Result<Self, Notice> {
        let shells: Vec<&Shell> = members.iter().map(|m| &m.shell).collect();
        let slot = members.first().map_or("surfaces", |m| m.slot);
        let made = imprint(&shells, tolerance).map_err(|e| Notice::refused(slot, &e.into()))?;
        let cells = made.cells(tolerance);
        Ok(Self { members, made, cells })
    }

    /// The pieces of a member between those that cut it, with their names.
    pub(super) fn pieces(
        &self,
        of: usize,
        cutters: &dyn Fn(usize) -> bool,
    ) -> Result<Vec<(String, Piece)>, Notice> {
        let member = &self.members[of];
        let pieces = self
            .made
            .pieces(&self.cells, of, member.is_closed, cutters)
            .map_err(|e| Notice::refused(member.slot, &e.into()))?;
        Ok(pieces.into_iter().map(|p| (self.name(&member.name, p.sides.iter()), p)).collect())
    }

    /// A name by the sides of others on which something lies.
    pub(super) fn name<'a>(&self, what: &str, sides: impl Iterator<Item = &'a (usize, bool)>) -> String {
        let beside = |(of, front): &(usize, bool)| {
            let side = if *front { "in front of" } else { "behind" };
            format!("{side} {}", self.members[*of].name)
        };
        let sides: Vec<String> = sides.map(beside).collect();
        if sides.is_empty() { what.to_string() } else { format!("{what}: {}", sides.join(", ")) }
    }
}

/// Equal names told apart by numbers.
pub(super) fn numbered<T>(named: Vec<(String, T)>) -> Vec<(String, T)> {
    let mut seen: BTreeMap<String, usize> = BTreeMap::new();
    named
        .into_iter()
        .map(|(name, what)| {
            let count = seen.entry(name.clone()).or_default();
            *count += 1;
            (if *count == 1 { name } else { format!("{name} #{count}") }, what)
        })
        .collect()
}

/// Names that were chosen and that nothing has any more, as a warning.
pub(super) fn gone(chosen: &[String], pieces: &[PieceShape], context: &Context<'_>) -> Option<Notice> {
    let missing = chosen.iter().find(|c| pieces.iter().all(|p| p.key != **c))?;
    let name = context.recipe.spoken(missing);
    Some(Notice::about("pieces", format!("`{name}` is no longer there; choose again among those that are")))
}

impl Context<'_> {
    /// The bodies that a reference means, each for itself; a picked face is a shell of its own.
    pub(super) fn members(&self, reference: &Reference, slot: &'static str) -> Result<Vec<Member>, Notice> {
        let name = format!("{{{}}}", reference.step);
        if let Some(item) = &reference.item {
            let face = self.face_alone(reference, slot)?;
            let name = format!("{name} / {}", item.trim_start_matches("face "));
            return Ok(vec![Member { shell: face, is_closed: false, endless: false, name, slot }]);
        }
        let bodies = self.bodies(reference, slot)?;
        let several = bodies.len() > 1;
        let member = |(k, body): (usize, &Body)| Member {
            shell: body.whole(),
            is_closed: body.is_solid(),
            endless: false,
            name: if several { format!("{name} {}", k + 1) } else { name.clone() },
            slot,
        };
        Ok(bodies.iter().enumerate().map(member).collect())
    }

    /// What cuts or bounds others: shapes, planes as far as the others reach, drawings drawn through them.
    pub(super) fn cutters(
        &self,
        inputs: &[PlaneInput],
        slot: &'static str,
        others: &[Member],
    ) -> Result<Vec<Member>, Notice> {
        let mut out: Vec<Member> = Vec::new();
        let mut planes: Vec<(geometry::Frame, String)> = Vec::new();
        let mut walls: Vec<&Reference> = Vec::new();
        for input in inputs {
            match input {
                Input::Own(plane) => {
                    let name =
                        serde_json::to_value(plane).ok().and_then(|v| v.as_str().map(str::to_uppercase));
                    planes.push((plane.frame(0.0), format!("the {} plane", name.unwrap_or_default())));
                }
                Input::Made(reference) => match self.input(reference, slot)?.shape {
                    Shape::Planes(_) => {
                        let item = reference.item.as_ref().map_or(String::new(), |i| format!(" {i}"));
                        planes.push((input.frame(self, slot)?, format!("{{{}}}{item}", reference.step)));
                    }
                    Shape::Drawing(_) | Shape::Curves(_) => walls.push(reference),
                    _ => out.extend(self.members(reference, slot)?),
                },
            }
        }
        let all: Vec<&Shell> = others.iter().chain(&out).map(|m| &m.shell).collect();
        if all.is_empty() {
            return Err(Notice::about(slot, "planes alone bound nothing; pick a surface or a solid too"));
        }
        let mut further = Vec::new();
        for (frame, name) in planes {
            let shell =
                plane_beyond(&frame, &all, &self.tolerance).map_err(|e| Notice::refused(slot, &e.into()))?;
            further.push(Member { shell, is_closed: false, endless: true, name, slot });
        }
        for reference in walls {
            let shell = self.wall(reference, slot, &all)?;
            further.push(Member {
                shell,
                is_closed: false,
                endless: false,
                name: format!("{{{}}}", reference.step),
                slot,
            });
        }
        out.extend(further);
        Ok(out)
    }

    /// A drawing's curves drawn out square to its plane through all of some shapes; other curves, which have no plane, along
    /// the direction in which they are flattest.
    fn wall(&self, reference: &Reference, slot: &'static str, through: &[&Shell]) -> Result<Shell, Notice> {
        let pieces = self.pieces(reference, slot)?;
        let along = match self.drawing_frame(reference, slot)? {
            Some(frame) => frame.z,
            None => {
                let points: Vec<_> = pieces
                    .iter()
                    .flat_map(|c| c.knots().sampled(4).into_iter().map(|t| c.point(t)))
                    .collect();
                geometry::Frame::of_outline(&points).map(|f| f.z).ok_or_else(|| {
                    Notice::about(
                        slot,
                        "this curve has no plane to be drawn out of; extrude it first and cut with that",
                    )
                })?
            }
        };
        let heights = through.iter().flat_map(|s| {
            let nets = s.faces().iter().flat_map(|f| f.surface.control_points());
            nets.map(|p| p.coords.dot(&along)).collect::<Vec<_>>()
        });
        let (low, high) = heights.fold((f64::MAX, f64::MIN), |(a, b), h| (a.min(h), b.max(h)));
        let margin = 0.1 * (high - low) + 1.0;
        let drawn = |curve: &NurbsCurve, to: f64| {
            let level = |p: &geometry::Point3| p + along * (to - p.coords.dot(&along));
            curve.mapped(|p| level(p))
        };
        let mut shells = Vec::new();
        for curve in &pieces {
            let surface = NurbsSurface::ruled(&drawn(curve, low - margin), &drawn(curve, high + margin))
                .map_err(|e| Notice::refused(slot, &e.into()))?;
            shells.push(
                natural_shell(surface.into(), "wall", &self.tolerance)
                    .map_err(|e| Notice::refused(slot, &e.into()))?,
            );
        }
        Ok(join(&shells, self.tolerance.join).map_err(|e| Notice::refused(slot, &e.into()))?.shell)
    }

    /// A single face of a body as a shell of its own.
    pub(super) fn face_alone(&self, reference: &Reference, slot: &str) -> Result<Shell, Notice> {
        let faces = self.faces(reference, slot)?;
        let shells = self.bodies(reference, slot)?.iter().flat_map(Body::shells);
        for shell in shells {
            let own: Vec<_> = shell
                .faces()
                .iter()
                .filter(|f| faces.iter().any(|g| std::ptr::eq(*f, *g)))
                .cloned()
                .collect();
            if !own.is_empty() {
                return Shell::of_used(shell.vertices(), shell.edges(), own)
                    .map_err(|e| Notice::refused(slot, &e.into()));
            }
        }
        Err(Notice::about(slot, "this face is no longer there; pick another one"))
    }
}
