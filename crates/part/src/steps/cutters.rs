//! Shapes and planes that are brought together: what several steps take in their slots, under the names of their pieces.

use std::collections::BTreeMap;

use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, closest_within};
use topology::{
    Body, Cells, Imprint, Piece, Shell, TopologyError, imprint, join, natural_shell, plane_beyond,
};

use super::Context;
use crate::{CurveShape, Input, Notice, PieceShape, PlaneInput, Reference, Shape};

/// What a shape that is brought together with others stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum StandsFor {
    /// Itself.
    Itself,
    /// A plane, which has no edges.
    Plane,
    /// A curve that lies on others.
    Curve,
}

/// Something that is brought together with others.
pub(super) struct Member {
    pub(super) shell: Shell,
    /// Its volume in mm³, if it is a solid.
    pub(super) volume: Option<f64>,
    /// What it stands for.
    pub(super) stands_for: StandsFor,
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
    /// For every space the solids that it is inside of.
    pub(super) insides: Vec<Vec<usize>>,
}

/// Members brought together, without looking for spaces.
pub(super) fn imprinted(members: &[Member], tolerance: &Tolerance) -> Result<Imprint, Notice> {
    let shells: Vec<&Shell> = members.iter().map(|m| &m.shell).collect();
    imprint(&shells, tolerance).map_err(|e| refused(members, e))
}

/// What was refused, about the slot of the first member.
fn refused(members: &[Member], error: TopologyError) -> Notice {
    Notice::refused(members.first().map_or("surfaces", |m| m.slot), &error.into())
}

impl Together {
    pub(super) fn new(members: Vec<Member>, tolerance: &Tolerance) -> Result<Self, Notice> {
        let made = imprinted(&members, tolerance)?;
        let cells = made.cells(tolerance);
        let insides = made.insides(&cells, |i| members[i].volume.is_some());
        let volumes = members.iter().enumerate().filter_map(|(i, m)| Some((i, m.volume?)));
        made.resolved(&cells, &insides, volumes).map_err(|e| refused(&members, e))?;
        Ok(Self { members, made, cells, insides })
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
            .pieces(&self.cells, of, member.volume.is_some(), cutters)
            .map_err(|e| Notice::refused(member.slot, &e.into()))?;
        Ok(pieces.into_iter().map(|p| (self.name(&member.name, p.sides.iter()), p)).collect())
    }

    /// A name by the sides of others on which something lies.
    pub(super) fn name<'a>(&self, what: &str, sides: impl Iterator<Item = &'a (usize, bool)>) -> String {
        let beside = |(of, front): &(usize, bool)| {
            let other = &self.members[*of];
            let side = match (other.stands_for, front) {
                (StandsFor::Curve, true) => "left of",
                (StandsFor::Curve, false) => "right of",
                (_, true) => "in front of",
                (_, false) => "behind",
            };
            format!("{side} {}", other.name)
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

/// How far shells reach along a direction at most.
pub(super) fn heights<'a>(shells: impl Iterator<Item = &'a Shell>, along: &Vector3) -> Option<[f64; 2]> {
    let nets = shells.flat_map(|s| s.faces().iter().flat_map(|f| f.surface.control_points()));
    nets.map(|p| p.coords.dot(along)).map(|h| [h, h]).reduce(|[a, b], [h, _]| [a.min(h), b.max(h)])
}

impl Context<'_> {
    /// The bodies that a reference means, each for itself; a picked face is a shell of its own.
    pub(super) fn members(&self, reference: &Reference, slot: &'static str) -> Result<Vec<Member>, Notice> {
        let name = format!("{{{}}}", reference.step);
        if let Some(item) = &reference.item {
            let face = self.face_alone(reference, slot)?;
            let name = format!("{name} / {}", item.trim_start_matches("face "));
            return Ok(vec![Member { shell: face, volume: None, stands_for: StandsFor::Itself, name, slot }]);
        }
        let bodies = self.bodies(reference, slot)?;
        let several = bodies.len() > 1;
        let member = |(k, body): (usize, &Body)| Member {
            shell: body.whole(),
            volume: body.is_solid().then(|| body.measure().volume),
            stands_for: StandsFor::Itself,
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
        let mut planes: Vec<(Frame, String)> = Vec::new();
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
                    Shape::Curves(_) if self.lies_on(reference, slot, others)? => {
                        out.extend(self.curve_members(reference, slot)?);
                    }
                    Shape::Drawing(_) | Shape::Curves(_) => walls.push(reference),
                    _ => out.extend(self.members(reference, slot)?),
                },
            }
        }
        if others.is_empty() && out.is_empty() {
            return Err(Notice::about(slot, "planes alone bound nothing; pick a surface or a solid too"));
        }
        let mut further = Vec::new();
        let all: Vec<&Member> = others.iter().chain(&out).collect();
        for (frame, name) in planes {
            further.push(self.plane_member(&frame, name, slot, &all)?);
        }
        for reference in walls {
            let name = format!("{{{}}}", reference.step);
            let shell = self.wall(reference, slot, &all)?;
            further.push(Member { shell, volume: None, stands_for: StandsFor::Itself, name, slot });
        }
        out.extend(further);
        Ok(out)
    }

    /// Whether curves lie on open shells among some members, so that they cut those as they are.
    fn lies_on(&self, reference: &Reference, slot: &'static str, others: &[Member]) -> Result<bool, Notice> {
        /// Places along every span of a curve that are looked at.
        const LOOKED_AT: usize = 3;
        let open = others.iter().filter(|m| m.volume.is_none());
        let faces: Vec<&topology::Face> = open.flat_map(|m| m.shell.faces()).collect();
        let is_on =
            |p: Point3| faces.iter().any(|f| closest_within(&f.surface, &p, self.tolerance.fit).is_some());
        let mut pieces = self.pieces(reference, slot)?.into_iter();
        Ok(pieces.all(|c| c.knots().sampled(LOOKED_AT).into_iter().all(|t| is_on(c.point(t)))))
    }

    /// Curves as what cuts the faces that they lie on, each for itself.
    fn curve_members(&self, reference: &Reference, slot: &'static str) -> Result<Vec<Member>, Notice> {
        let curves = self.curves(reference, slot)?;
        let several = curves.len() > 1;
        let member = |(k, curve): (usize, &CurveShape)| {
            let shell = Shell::of_curves(&curve.pieces, &self.tolerance)
                .map_err(|e| Notice::refused(slot, &e.into()))?;
            let name = format!("{{{}}}", reference.step);
            let name = if several { format!("{name} {}", k + 1) } else { name };
            Ok(Member { shell, volume: None, stands_for: StandsFor::Curve, name, slot })
        };
        curves.iter().map(|c| &**c).enumerate().map(member).collect()
    }

    /// A plane as far as some members reach.
    pub(super) fn plane_member(
        &self,
        frame: &Frame,
        name: String,
        slot: &'static str,
        others: &[&Member],
    ) -> Result<Member, Notice> {
        let shells: Vec<&Shell> = others.iter().map(|m| &m.shell).collect();
        let shell =
            plane_beyond(frame, &shells, &self.tolerance).map_err(|e| Notice::refused(slot, &e.into()))?;
        Ok(Member { shell, volume: None, stands_for: StandsFor::Plane, name, slot })
    }

    /// The curves that the first few of some members and the others have in common, as far as both reach, each with its
    /// deviation in millimetres.
    pub(super) fn common_curves(
        &self,
        members: &[Member],
        first: usize,
    ) -> Result<Vec<(NurbsCurve, f64)>, Notice> {
        let made = imprinted(members, &self.tolerance)?;
        Ok(made.common_curves(|input| input < first))
    }

    /// A drawing's curves drawn out square to its plane through all of some shapes; other curves, which have no plane, along
    /// the direction in which they are flattest.
    fn wall(&self, reference: &Reference, slot: &'static str, through: &[&Member]) -> Result<Shell, Notice> {
        let pieces = self.pieces(reference, slot)?;
        let along = match self.drawing_frame(reference, slot)? {
            Some(frame) => frame.z,
            None => {
                let points: Vec<_> = pieces
                    .iter()
                    .flat_map(|c| c.knots().sampled(4).into_iter().map(|t| c.point(t)))
                    .collect();
                Frame::of_outline(&points).map(|f| f.z).ok_or_else(|| {
                    Notice::about(
                        slot,
                        "this curve has no plane to be drawn out of; extrude it first and cut with that",
                    )
                })?
            }
        };
        let [low, high] = heights(through.iter().map(|m| &m.shell), &along).unwrap_or_default();
        let margin = 0.1 * (high - low) + 1.0;
        let drawn = |curve: &NurbsCurve, to: f64| {
            let level = |p: &Point3| p + along * (to - p.coords.dot(&along));
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
