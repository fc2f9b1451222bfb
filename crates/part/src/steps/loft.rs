//! Loft: a surface through sections.

use geometry::{NurbsCurve, Tolerance};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use surfacing::{Joined, LoftEnd, Lofted, Section, SurfacingError, UNROLLS, Way};

use super::pairing::{self, Pair, PairPlace, Pairing};
use super::revolve::Ends;
use super::{Construction, Context, SlotDescription, StepDescription, ValueDescription};
use crate::quantity::amounts::{is_one, one};
use crate::recipe::is_default;
use crate::{Amount, Built, Cure, Edit, Mark, Notice, Quantity, Reached, Reference};

/// How a loft goes from section to section.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Between {
    /// Smoothly.
    #[default]
    Smooth,
    /// Straight from each to the next.
    Straight,
    /// Smoothly, and on from the last to the first.
    Ring,
    /// Straight, so that it unrolls as nearly as it can.
    Developable,
    /// The sections' control points become its rows.
    ControlRows,
}

/// How a loft leaves its first or meets its last section.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Meets {
    /// As it comes.
    #[default]
    Free,
    /// Square to the section's plane.
    Square,
    /// Tangent to the face that the section is an edge of.
    Tangent,
    /// In agreement with that face's curvature too.
    Curvature,
    /// Over a point: round instead of pointed.
    Rounded,
}

/// Where a closed section begins.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Begin {
    /// Which section, counted from 1.
    pub section: usize,
    /// The share of its length, 0 to 1, in the direction in which it was drawn.
    pub at: Amount,
}

/// How many control points a loft has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Structure {
    /// As many as its sections need.
    #[default]
    Sections,
    /// A grid of so many by so many.
    Grid,
}

/// A surface through sections.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Loft {
    /// Drawings, curves or edges in order; the first and the last may be points.
    pub sections: Vec<Reference>,
    /// Sections that run the other way than they would by themselves, counted from 1.
    #[serde(default, skip_serializing_if = "is_default")]
    pub reversed: Vec<usize>,
    /// Closed sections that begin elsewhere than they would by themselves.
    #[serde(default, skip_serializing_if = "is_default")]
    pub begins: Vec<Begin>,
    /// Places of sections that are joined along the surface; others are joined as they lie.
    #[serde(default, skip_serializing_if = "is_default")]
    pub pairs: Vec<Pair>,
    /// Curves that cross every section and that it follows between them.
    #[serde(default, skip_serializing_if = "is_default")]
    pub guides: Vec<Reference>,
    /// How it goes from one to the next.
    #[serde(default, skip_serializing_if = "is_default")]
    pub between: Between,
    /// How it leaves the first section.
    #[serde(default, skip_serializing_if = "is_default")]
    pub start: Meets,
    /// The face that it agrees with there; by itself the one whose edge the section is.
    #[serde(default, skip_serializing_if = "is_default")]
    pub start_face: Option<Reference>,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub start_pull: Amount,
    /// How it meets the last section.
    #[serde(default, skip_serializing_if = "is_default")]
    pub end: Meets,
    /// The face that it agrees with there; by itself the one whose edge the section is.
    #[serde(default, skip_serializing_if = "is_default")]
    pub end_face: Option<Reference>,
    /// How strongly, 1 for what comes by itself.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub end_pull: Amount,
    /// How many control points it has.
    #[serde(default, skip_serializing_if = "is_default")]
    pub structure: Structure,
    /// For a grid: control points along the sections.
    #[serde(default = "eight", skip_serializing_if = "is_eight")]
    pub along: Amount,
    /// For a grid: control points across them.
    #[serde(default = "eight", skip_serializing_if = "is_eight")]
    pub across: Amount,
    /// What happens at the ends of closed sections.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: Ends,
}

fn eight() -> Amount {
    Amount::Number(8.0)
}

fn is_eight(amount: &Amount) -> bool {
    *amount == eight()
}

/// Most control points of a grid in one direction.
const MOST_POINTS: f64 = 200.0;

/// One end of the loft.
struct End<'a> {
    meets: Meets,
    section: Option<&'a Reference>,
    face: Option<&'a Reference>,
    pull: &'a Amount,
    /// Whether the loft follows guides.
    guided: bool,
    /// Fields of the three values.
    fields: [&'static str; 3],
}

impl End<'_> {
    fn condition(&self, made: Option<&Section>, context: &Context<'_>) -> Result<LoftEnd, Notice> {
        let [field, face_slot, pull_field] = self.fields;
        if self.meets == Meets::Free {
            return Ok(LoftEnd::Free);
        }
        if self.guided && self.meets == Meets::Curvature {
            let message = "a loft that follows guides agrees with a face in its tangent only; choose tangent here, or take the guides out";
            return Err(Notice::about(field, message));
        }
        let pull = context.pull(self.pull, pull_field)?;
        let section = self.section.ok_or_else(|| Notice::about("sections", "pick the sections first"))?;
        let is_point = matches!(made, Some(Section::Point(_)));
        let has_plane = matches!(made, Some(Section::Curves { normal: Some(_), .. }));
        let refused = |message: &str| Err(Notice::about(field, message));
        match self.meets {
            Meets::Rounded if is_point => Ok(LoftEnd::Rounded(pull)),
            Meets::Rounded => {
                refused("only a point can be rounded over; choose another way, or end at a point")
            }
            _ if is_point => refused("this end is a point; choose free for a tip, or rounded"),
            Meets::Square if has_plane => Ok(LoftEnd::Square(pull)),
            Meets::Square => refused(
                "this section is straight or lies in no plane, so that there is none to be square to; pick a drawing, or leave this end free",
            ),
            _ => {
                let surfaces = match self.face {
                    Some(face) => {
                        let faces = context.faces(face, face_slot)?;
                        faces.into_iter().map(|f| std::sync::Arc::clone(&f.surface)).collect()
                    }
                    None => context.surfaces_at(section, "sections")?,
                };
                match surfaces.len() {
                    0 => refused("this section is no edge of a face; pick the face that it agrees with"),
                    2.. if self.face.is_none() => {
                        refused("two faces meet at this edge; pick the one that it agrees with")
                    }
                    _ => Ok(LoftEnd::Neighbour {
                        surfaces,
                        curvature: self.meets == Meets::Curvature,
                        pull,
                        way: Way::Toward,
                        turn: 0.0,
                        side: None,
                    }),
                }
            }
        }
    }
}

impl Loft {
    fn section(&self, i: usize, context: &Context<'_>) -> Result<Section, Notice> {
        let reference = &self.sections[i];
        if let Some(point) = context.point_if_any(reference, "sections")? {
            return Ok(Section::Point(point));
        }
        let begins = self.begins.iter().find(|b| b.section == i + 1);
        let pieces = context.pieces(reference, "sections")?;
        Ok(Section::Curves {
            normal: context.normal_of(reference, &pieces, "sections")?,
            pieces,
            reversed: self.reversed.contains(&(i + 1)),
            begins: begins.map(|b| context.value(&b.at, Quantity::Ratio, "begins")).transpose()?,
        })
    }

    /// Whether how it leaves its first and meets its last section can be chosen.
    fn has_ends(&self) -> bool {
        matches!(self.between, Between::Smooth | Between::ControlRows)
    }

    fn end(&self, at_end: bool) -> End<'_> {
        let guided = self.between == Between::Smooth && !self.guides.is_empty();
        if at_end {
            End {
                meets: self.end,
                section: self.sections.last(),
                face: self.end_face.as_ref(),
                pull: &self.end_pull,
                guided,
                fields: ["end", "end_face", "end_pull"],
            }
        } else {
            End {
                meets: self.start,
                section: self.sections.first(),
                face: self.start_face.as_ref(),
                pull: &self.start_pull,
                guided,
                fields: ["start", "start_face", "start_pull"],
            }
        }
    }

    fn grid(&self, context: &Context<'_>) -> Result<Option<[usize; 2]>, Notice> {
        if self.structure == Structure::Sections {
            return Ok(None);
        }
        let count = |amount: &Amount, field: &str| {
            let count = context.value(amount, Quantity::Count, field)?;
            if !(2.0..=MOST_POINTS).contains(&count) {
                return Err(Notice::about(field, format!("give 2 to {MOST_POINTS} control points")));
            }
            Ok(count as usize)
        };
        Ok(Some([count(&self.along, "along")?, count(&self.across, "across")?]))
    }

    /// A refusal, with the order in which the sections go on, if that is what is wrong.
    fn notice(&self, error: &SurfacingError, context: &Context<'_>) -> Notice {
        let field = match error {
            SurfacingError::GuideMisses { .. } | SurfacingError::GuideTurns { .. } => "guides",
            SurfacingError::PairsCross { .. } => "pairs",
            SurfacingError::OffNeighbour { last, .. } | SurfacingError::GuideLeaves { last, .. } => {
                ["start", "end"][usize::from(*last)]
            }
            _ => "sections",
        };
        let mut notice = Notice::refused(field, error);
        if let (SurfacingError::OutOfOrder { order, .. }, Some(step)) = (error, context.step) {
            notice.cure = self.put_in_order(order, step);
        }
        notice
    }

    /// The edit that puts the sections, counted from 1, in another order; what is known of one goes with it.
    fn put_in_order(&self, order: &[usize], step: &str) -> Option<Cure> {
        let sections: Vec<&Reference> = order.iter().filter_map(|n| self.sections.get(n - 1)).collect();
        let now = |section: usize| order.iter().position(|n| *n == section).map(|i| i + 1);
        let reversed: Vec<usize> = self.reversed.iter().filter_map(|s| now(*s)).collect();
        let begins = self.begins.iter().filter_map(|b| Some(Begin { section: now(b.section)?, ..b.clone() }));
        let begins: Vec<Begin> = begins.collect();
        let place = |p: &PairPlace| Some(PairPlace { section: now(p.section)?, ..p.clone() });
        let pair = |p: &Pair| Pair { places: p.places.iter().filter_map(place).collect() };
        let pairs: Vec<Pair> = self.pairs.iter().map(pair).collect();
        let fields = [
            ("sections", serde_json::to_value(sections)),
            ("reversed", serde_json::to_value(reversed)),
            ("begins", serde_json::to_value(begins)),
            ("pairs", serde_json::to_value(pairs)),
        ];
        let edits = fields
            .into_iter()
            .map(|(field, value)| {
                Some(Edit::SetField { step: step.into(), field: field.into(), value: value.ok()? })
            })
            .collect::<Option<Vec<_>>>()?;
        Some(Cure { label: "Put them in order".into(), edits })
    }
}

/// Arrows and beginnings of sections, as they are shown in space.
fn marks(
    slots: &[(&'static str, usize)],
    sections: &[Section],
    runs: &[Vec<NurbsCurve>],
    tolerance: &Tolerance,
) -> Vec<Mark> {
    let mark = |((slot, section), run): ((&(&'static str, usize), &Section), &Vec<NurbsCurve>)| {
        let (at, along, line) = match (section, run.first()) {
            (Section::Point(at), _) => (*at, None, Vec::new()),
            (Section::Curves { pieces, .. }, Some(first)) => {
                let line = if surfacing::closes(run, tolerance) { pieces.clone() } else { Vec::new() };
                (first.start(), first.tangent(first.domain().start), line)
            }
            (Section::Curves { .. }, None) => return None,
        };
        Some(Mark { slot: *slot, at, along, line })
    };
    slots.iter().zip(sections).zip(runs).filter_map(mark).collect()
}

/// What a loft reached, for its card.
fn reached(made: &Lofted) -> Vec<Reached> {
    let gap = made.guide_gap.map(|g| Reached::length("Largest gap from guide to section", g));
    let twist = made.largest_twist.map(|t| Reached::angle("Largest turn along a ruling", t));
    let labels = ["Angle at the first section", "Angle at the last section"];
    let angles = labels.iter().zip(made.end_angles).filter_map(|(label, a)| Some(Reached::angle(*label, a?)));
    gap.into_iter().chain(twist).chain(angles).collect()
}

/// A loft of sections that stand in these slots, with what its card shows, and the lines that join its sections; or the
/// notice that `refused` makes of why it cannot be.
pub(super) fn lofted(
    context: &Context<'_>,
    slots: &[(&'static str, usize)],
    sections: &[Section],
    how: &surfacing::Loft,
    refused: impl Fn(&SurfacingError) -> Notice,
) -> Result<(Built, Vec<Joined>), Notice> {
    let made = surfacing::loft(sections, how, &context.tolerance).map_err(|e| refused(&e))?;
    let marks = marks(slots, sections, &made.runs, &context.tolerance);
    let reached = reached(&made);
    let built = Built { marks, ..Built::body(made.body).with_reached(reached) };
    // What a grid costs is asked for and no fault.
    let asked = if how.grid.is_some() { f64::INFINITY } else { context.tolerance.fit };
    let mut built = built.with_deviation_or(made.max_deviation, asked, made.miss);
    if let Some(twist) = made.largest_twist.filter(|t| *t > UNROLLS) {
        let message = format!(
            "no plane rolls along both curves, so that this does not unroll: its normal turns by up to {:.1}° along a ruling; change a section, or take it as it is",
            twist.to_degrees()
        );
        built.warnings.push(Notice::of_step(message));
    }
    Ok((built, made.lines))
}

impl Construction for Loft {
    fn describe() -> StepDescription {
        let meets = |name, label| {
            let choices = [
                ("free", "Free"),
                ("square", "Square to it"),
                ("tangent", "Tangent to its face"),
                ("curvature", "Curvature of its face"),
                ("rounded", "Rounded over a point"),
            ];
            let help = "As it comes; square to the plane of the section, as for a half that is mirrored there; in agreement with the face that it is an edge of; or round over a point.";
            ValueDescription::choice(name, label, &choices, help).only_if("between", "smooth|control_rows")
        };
        let pull = |name, label, field| {
            let help = "1 for what comes by itself; more keeps the direction longer.";
            ValueDescription::amount(name, label, Quantity::Ratio, [0.001, 100.0], json!(1), help)
                .only_if(field, "!free")
        };
        let face = |name, label, field| {
            let help = "The face that it agrees with; by itself the one whose edge the section is.";
            SlotDescription::one(name, label, &["surface", "solid"], help)
                .optional()
                .faces()
                .only_if(field, "tangent|curvature")
        };
        let count = |name, label, help| {
            ValueDescription::amount(name, label, Quantity::Count, [2.0, MOST_POINTS], json!(8), help)
                .only_if("structure", "grid")
        };
        StepDescription {
            kind: "loft",
            label: "Loft",
            stage: "Skin",
            purpose: "Lay a surface through sections in their order.",
            also: "loft, skin, blend sections, hull, fair, guide, developable",
            key: "f",
            makes: &["surface", "solid"],
            slots: vec![
                SlotDescription {
                    directed: true,
                    ..SlotDescription::one(
                        "sections",
                        "Sections",
                        &["curve", "point"],
                        "In order; the first and the last may be points.",
                    )
                    .many(2, 200)
                    .untyped()
                },
                SlotDescription::one(
                    "guides",
                    "Guides",
                    &["curve"],
                    "Curves that cross every section; the surface follows them in between.",
                )
                .many(0, 50)
                .only_if("between", "smooth"),
                face("start_face", "Face at the first", "start"),
                face("end_face", "Face at the last", "end"),
            ],
            values: vec![
                ValueDescription::choice(
                    "between",
                    "Between sections",
                    &[
                        ("smooth", "Smooth"),
                        ("straight", "Straight"),
                        ("ring", "Ring"),
                        ("developable", "Developable"),
                        ("control_rows", "Control rows"),
                    ],
                    "Smooth; straight from each to the next; smooth and on to the first again; straight so that it unrolls; or with the sections' control points as rows.",
                ),
                meets("start", "Leaves the first"),
                pull("start_pull", "Pull at the first", "start"),
                meets("end", "Meets the last"),
                pull("end_pull", "Pull at the last", "end"),
                ValueDescription::choice(
                    "structure",
                    "Control points",
                    &[("sections", "As needed"), ("grid", "A grid")],
                    "As many as the sections need, or approximated to a grid of so many, with what that costs.",
                ),
                count("along", "Points along", "Control points along the sections."),
                count("across", "Points across", "Control points from section to section."),
                Ends::choice("Whether flat ends close closed sections into a solid."),
            ],
        }
    }

    fn inputs(&self) -> Vec<(&'static str, &Reference)> {
        let smooth = self.between == Between::Smooth;
        let guides = self.guides.iter().filter(|_| smooth).map(|r| ("guides", r));
        let agrees = |meets| self.has_ends() && matches!(meets, Meets::Tangent | Meets::Curvature);
        let start = self.start_face.as_ref().filter(|_| agrees(self.start)).map(|r| ("start_face", r));
        let end = self.end_face.as_ref().filter(|_| agrees(self.end)).map(|r| ("end_face", r));
        self.sections.iter().map(|r| ("sections", r)).chain(guides).chain(start).chain(end).collect()
    }

    /// It only agrees with its neighbours.
    fn keeps(&self, slot: &str) -> bool {
        slot == "start_face" || slot == "end_face"
    }

    fn amounts(&mut self) -> Vec<&mut Amount> {
        let own = [&mut self.start_pull, &mut self.end_pull, &mut self.along, &mut self.across];
        let begins = self.begins.iter_mut().map(|b| &mut b.at);
        let pairs = self.pairs.iter_mut().flat_map(|p| &mut p.places).map(|p| &mut p.at);
        own.into_iter().chain(begins).chain(pairs).collect()
    }

    fn build(&self, context: &Context<'_>) -> Result<Built, Notice> {
        let count = self.sections.len();
        let sections = (0..count).map(|i| self.section(i, context)).collect::<Result<Vec<_>, _>>()?;
        let smooth = self.between == Between::Smooth;
        let end = |at_end: bool| {
            let made = if at_end { sections.last() } else { sections.first() };
            if self.has_ends() { self.end(at_end).condition(made, context) } else { Ok(LoftEnd::Free) }
        };
        let guides = self.guides.iter().filter(|_| smooth).map(|g| context.pieces(g, "guides"));
        let how = surfacing::Loft {
            ends: [end(false)?, end(true)?],
            between: match self.between {
                Between::Smooth => surfacing::Between::Smooth,
                Between::Straight => surfacing::Between::Straight,
                Between::Ring => surfacing::Between::Ring,
                Between::Developable => surfacing::Between::Developable,
                Between::ControlRows => surfacing::Between::ControlRows,
            },
            pairs: pairing::places(&self.pairs, &sections, context)?,
            guides: guides.collect::<Result<_, _>>()?,
            grid: self.grid(context)?,
            close: self.ends == Ends::Closed,
            name: "side".into(),
        };
        let slots: Vec<(&'static str, usize)> = (0..count).map(|i| ("sections", i)).collect();
        let (mut built, lines) = lofted(context, &slots, &sections, &how, |e| self.notice(e, context))?;
        if !self.pairs.is_empty() {
            // Where sections are joined by hand, it no longer counts where they begin.
            built.marks.iter_mut().for_each(|mark| mark.line.clear());
        }
        built.pairing = (!lines.is_empty()).then(|| Pairing::of(lines, &sections));
        Ok(built)
    }
}
