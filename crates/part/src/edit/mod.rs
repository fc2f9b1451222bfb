mod drawn;
mod steps;

use geometry::{Point2, Vector2};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use self::drawn::recast_deviation;
pub(crate) use self::drawn::reshaped;
use self::drawn::{change_mut, check_free, curve_mut, drawing_mut, drawn_points, move_points};
use self::steps::{free_copy, rename_parameter, set_field};
use crate::limits::{MOST_STEPS, at_most, check_texts, told};
use crate::recipe::{is_default, like};
use crate::steps::drawing::{Change, Drawing, DrawnCurve, DrawnPoint};
use crate::steps::{EndAgrees, Make};
use crate::{Amount, Display, LengthUnit, Lineage, Parameter, PlaneInput, Recipe, RecipeError, Step};

/// One change of a recipe. Applying it gives a new recipe or says why not; it never leaves half a change.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "edit", rename_all = "snake_case", deny_unknown_fields)]
pub enum Edit {
    /// Adds a step at the end; an empty id is filled from the name.
    AddStep {
        /// The step.
        step: Box<Step>,
    },
    /// Removes a step and everything made from it.
    RemoveStep {
        /// Its id.
        step: String,
    },
    /// Gives a step another name.
    RenameStep {
        /// Its id.
        step: String,
        /// The name.
        name: String,
    },
    /// Gives the part another name.
    RenamePart {
        /// The name.
        name: String,
    },
    /// Sets one field of a step, such as `thickness`.
    SetField {
        /// The step's id.
        step: String,
        /// The field's name.
        field: String,
        /// Its new value.
        value: serde_json::Value,
    },
    /// Shows a step, hides it or puts it in the backdrop.
    SetDisplay {
        /// The step's id.
        step: String,
        /// How it is shown.
        display: Display,
    },
    /// Leaves a step out of the rebuild, or takes it in again.
    SetSkip {
        /// The step's id.
        step: String,
        /// Whether it is left out.
        skip: bool,
    },
    /// Builds the recipe only up to a step, or all of it again.
    SetHold {
        /// The step's id; none for all.
        step: Option<String>,
    },
    /// Turns the outside of a step's open surfaces to the other side, or back.
    SetFacing {
        /// The step's id.
        step: String,
        /// Whether it is turned.
        flip: bool,
    },
    /// Makes a copy of a shape a shape of its own: everything that the shape is made from is copied with it, so that
    /// neither follows the other any more.
    FreeCopy {
        /// The id of the step that copies.
        step: String,
    },
    /// Puts steps into a group, or takes them out of theirs.
    SetGroup {
        /// The steps' ids.
        steps: Vec<String>,
        /// The group's name; none to take them out.
        group: Option<String>,
    },
    /// Moves a step to another place in the order; never before what it is made from.
    MoveStep {
        /// The step's id.
        step: String,
        /// The step that comes after it; none for the end.
        before: Option<String>,
    },
    /// Adds a curve to a drawing; an empty id is filled.
    AddCurve {
        /// The drawing's id.
        step: String,
        /// The curve.
        curve: DrawnCurve,
    },
    /// Removes a curve from a drawing.
    RemoveCurve {
        /// The drawing's id.
        step: String,
        /// The curve's id.
        curve: String,
    },
    /// Runs a curve the other way.
    ReverseCurve {
        /// The drawing's id.
        step: String,
        /// The curve's id.
        curve: String,
    },
    /// Moves a point of a curve.
    MovePoint {
        /// The drawing's id.
        step: String,
        /// The curve's id.
        curve: String,
        /// The point's place in the list.
        index: usize,
        /// Its new coordinates, or what it is pinned to.
        to: DrawnPoint,
    },
    /// Adds a point where it fits best along the curve, given in millimetres in the drawing's plane.
    AddPoint {
        /// The drawing's id.
        step: String,
        /// The curve's id.
        curve: String,
        /// Where.
        at: [f64; 2],
    },
    /// Removes a point of a curve; a curve keeps at least two.
    RemovePoint {
        /// The drawing's id.
        step: String,
        /// The curve's id.
        curve: String,
        /// The point's place in the list.
        index: usize,
    },
    /// Moves several points of a curve at once: grown or shrunk about a place, then shifted, in millimetres.
    ScalePoints {
        /// The drawing's id.
        step: String,
        /// The curve's id.
        curve: String,
        /// The points' places in the list.
        points: Vec<usize>,
        /// How much farther they lie from `about`.
        factor: f64,
        /// What they are grown about.
        about: [f64; 2],
        /// How far they are shifted.
        #[serde(default)]
        by: [f64; 2],
    },
    /// Gathers points of a curve.
    GatherPoints {
        /// The drawing's id.
        step: String,
        /// The curve's id.
        curve: String,
        /// The points' places in the list.
        points: Vec<usize>,
        /// Where to.
        to: Gather,
    },
    /// Gives a curve of a drawing anew, under its own id: its kind, values, weights and all.
    SetCurve {
        /// The drawing's id.
        step: String,
        /// The curve.
        curve: DrawnCurve,
    },
    /// Gives a spline another form.
    ReshapeCurve {
        /// The drawing's id.
        step: String,
        /// The curve's id.
        curve: String,
        /// Which form.
        to: Reshape,
    },
    /// Adds a change at the end of a drawing's changes.
    AddChange {
        /// The drawing's id.
        step: String,
        /// The change.
        change: Change,
    },
    /// Gives a change anew.
    SetChange {
        /// The drawing's id.
        step: String,
        /// Its place in the list.
        index: usize,
        /// The change.
        change: Change,
    },
    /// Removes a change.
    RemoveChange {
        /// The drawing's id.
        step: String,
        /// Its place in the list.
        index: usize,
    },
    /// Copies a drawing to other planes, as drawings of their own.
    CopyDrawing {
        /// The drawing's id.
        step: String,
        /// The planes.
        planes: Vec<PlaneInput>,
    },
    /// Gives a parameter another name, wherever it is used.
    RenameParameter {
        /// Its name.
        name: String,
        /// The new one.
        to: String,
    },
    /// Adds a parameter or changes the one of that name.
    SetParameter {
        /// The parameter.
        parameter: Parameter,
    },
    /// Removes a parameter.
    RemoveParameter {
        /// Its name.
        name: String,
    },
    /// Sets the unit that plain lengths are in; they keep their figures.
    SetUnit {
        /// The unit.
        unit: LengthUnit,
    },
    /// Several edits that stand or fall together. Left out of descriptions: where edits are asked for, a list of them is.
    #[schemars(skip)]
    All {
        /// The edits, in order.
        edits: Vec<Edit>,
    },
}

/// Where points are gathered.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Gather {
    /// At one place, in millimetres.
    Place([f64; 2]),
    /// Midway between two other points of the curve.
    Midway([usize; 2]),
    /// Onto the straight line through two places, each by the shortest way, in millimetres.
    Line([[f64; 2]; 2]),
}

/// How many control points a recast spline has, and its degree.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RecastForm {
    /// Control points.
    pub points: usize,
    /// Degree.
    pub degree: usize,
    /// What its ends keep.
    #[serde(default, skip_serializing_if = "is_default")]
    pub ends: EndAgrees,
}

/// Another form of a spline.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[schemars(rename = "CurveForm")]
pub enum Reshape {
    /// The same shape as a control-point curve.
    ControlPoints,
    /// The same shape with this many knots more in each span, evenly.
    InsertKnots(usize),
    /// The same shape with its degree raised by one.
    RaiseDegree,
    /// Nearly the same shape with other numbers; what it costs is the deviation of [`crate::recast_deviation`].
    Recast(RecastForm),
}

impl Edit {
    /// The recipe after this edit.
    ///
    /// # Errors
    /// Why the edit does not fit the recipe; the recipe given stays as it is.
    pub fn apply(&self, recipe: &Recipe) -> Result<Recipe, RecipeError> {
        let mut changed = recipe.clone();
        self.change(&mut changed)?;
        changed.check()?;
        // What is kept must be read again as it is: a number that is none would be written as nothing.
        let unreadable = |e: serde_json::Error| RecipeError::Unreadable(e.to_string());
        let written = serde_json::to_value(&changed).map_err(unreadable)?;
        check_texts(&written)?;
        let kept: Recipe = serde_json::from_value(written).map_err(|_| RecipeError::NoNumber)?;
        if kept == changed { Ok(changed) } else { Err(RecipeError::NoNumber) }
    }

    /// What the edit does, in a few words for the history.
    #[must_use]
    pub fn label(&self, recipe: &Recipe) -> String {
        let name = |id: &str| recipe.step_name(id).to_string();
        match self {
            Self::AddStep { step } => format!("Add {}", step.name),
            Self::RemoveStep { step } => format!("Remove {}", name(step)),
            Self::RenameStep { step, name: new } => format!("Rename {} to {new}", name(step)),
            Self::RenamePart { name } => format!("Rename the part to {name}"),
            Self::SetField { step, field, .. } => {
                format!("Set {} of {}", field.replace('_', " "), name(step))
            }
            Self::SetDisplay { step, .. } => format!("Show or hide {}", name(step)),
            Self::SetSkip { step, skip: true } => format!("Skip {}", name(step)),
            Self::SetSkip { step, .. } => format!("Take {} in again", name(step)),
            Self::SetHold { step: Some(step) } => format!("Hold at {}", name(step)),
            Self::SetHold { .. } => "Build all again".into(),
            Self::SetFacing { step, .. } => format!("Flip the facing of {}", name(step)),
            Self::FreeCopy { step } => format!("Free {} from what it copies", name(step)),
            Self::SetGroup { group: Some(group), .. } => format!("Group {group}"),
            Self::SetGroup { .. } => "Ungroup".into(),
            Self::MoveStep { step, .. } => format!("Move {} in the order", name(step)),
            Self::AddCurve { step, .. } => format!("Add a curve to {}", name(step)),
            Self::RemoveCurve { step, curve } => format!("Remove {curve} from {}", name(step)),
            Self::ReverseCurve { step, curve } => format!("Reverse {curve} of {}", name(step)),
            Self::MovePoint { step, .. } => format!("Move a point of {}", name(step)),
            Self::AddPoint { step, .. } => format!("Add a point to {}", name(step)),
            Self::RemovePoint { step, .. } => format!("Remove a point of {}", name(step)),
            Self::ScalePoints { step, .. } => format!("Scale points of {}", name(step)),
            Self::GatherPoints { step, .. } => format!("Gather points of {}", name(step)),
            Self::SetCurve { step, curve } => format!("Set {} of {}", curve.id, name(step)),
            Self::ReshapeCurve { step, curve, .. } => format!("Reshape {curve} of {}", name(step)),
            Self::AddChange { step, change } | Self::SetChange { step, change, .. } => {
                format!("{} in {}", change.label(), name(step))
            }
            Self::RemoveChange { step, .. } => format!("Remove a change from {}", name(step)),
            Self::CopyDrawing { step, .. } => format!("Copy {} to other planes", name(step)),
            Self::RenameParameter { name, to } => format!("Rename {name} to {to}"),
            Self::SetParameter { parameter } => format!("Set {}", parameter.name),
            Self::RemoveParameter { name } => format!("Remove {name}"),
            Self::SetUnit { unit } => format!("Set the unit to {}", unit.symbol()),
            Self::All { edits } => edits.first().map_or_else(|| "Nothing".into(), |e| e.label(recipe)),
        }
    }

    fn change(&self, recipe: &mut Recipe) -> Result<(), RecipeError> {
        match self {
            Self::AddStep { step } => {
                let mut step = Step::clone(step);
                if step.id.is_empty() {
                    step.id = recipe.free_id(&step.name);
                }
                recipe.steps.push(step);
            }
            Self::RemoveStep { step } => {
                let at = place(recipe, step)?;
                let mut gone = Lineage::new(recipe).descendants(at);
                gone.push(at);
                let mut index = 0..;
                recipe.steps.retain(|_| index.next().is_some_and(|i| !gone.contains(&i)));
                recipe.hold = recipe.hold.take().filter(|id| recipe.steps.iter().any(|s| s.id == *id));
            }
            Self::RenameStep { step, name } => step_mut(recipe, step)?.name = name.trim().into(),
            Self::RenamePart { name } => recipe.name = name.trim().into(),
            Self::SetField { step, field, value } => set_field(step_mut(recipe, step)?, field, value)?,
            Self::SetDisplay { step, display } => step_mut(recipe, step)?.display = *display,
            Self::SetSkip { step, skip } => step_mut(recipe, step)?.skip = *skip,
            Self::SetHold { step } => {
                if let Some(step) = step {
                    step_mut(recipe, step)?;
                }
                recipe.hold.clone_from(step);
            }
            Self::SetFacing { step, flip } => step_mut(recipe, step)?.flip_facing = *flip,
            Self::FreeCopy { step } => free_copy(recipe, step)?,
            Self::SetGroup { steps, group } => {
                for step in steps {
                    step_mut(recipe, step)?.group = group.as_ref().map(|g| g.trim().into());
                }
            }
            Self::MoveStep { step, before } => {
                let from = place(recipe, step)?;
                if before.as_ref() == Some(step) {
                    return Ok(());
                }
                let moved = recipe.steps.remove(from);
                let to = match before {
                    Some(before) => place(recipe, before)?,
                    None => recipe.steps.len(),
                };
                recipe.steps.insert(to, moved);
            }
            Self::AddCurve { step, curve } => {
                let drawing = drawing_mut(recipe, step)?;
                let mut curve = curve.clone();
                if curve.id.is_empty() {
                    let taken = |n: usize| drawing.curves.iter().any(|c| c.id == format!("curve {n}"));
                    let free = (1..).find(|&n| !taken(n)).unwrap_or(drawing.curves.len() + 1);
                    curve.id = format!("curve {free}");
                }
                drawing.curves.push(curve);
            }
            Self::RemoveCurve { step, curve } => {
                curve_mut(recipe, step, curve)?;
                drawing_mut(recipe, step)?.curves.retain(|c| c.id != *curve);
            }
            Self::ReverseCurve { step, curve } => curve_mut(recipe, step, curve)?.reverse(),
            Self::MovePoint { step, curve, index, to } => {
                let drawn = curve_mut(recipe, step, curve)?;
                check_free(drawn, &[*index])?;
                drawn.points[*index] = to.clone();
            }
            Self::AddPoint { step, curve, at } => {
                let millimetres = drawn_points(recipe, step, curve)?;
                let unit = recipe.unit.millimetres();
                let drawn = curve_mut(recipe, step, curve)?;
                let place = drawn.place_for(&millimetres, Point2::new(at[0], at[1]));
                drawn.points.insert(place, at.map(|x| Amount::Number(x / unit)).into());
                drawn.points_changed(place, 1);
            }
            Self::ScalePoints { step, curve, points, factor, about, by } => {
                let about = Point2::from(*about);
                let by = Vector2::from(*by);
                move_points(recipe, step, curve, points, &|_, p| about + (p - about) * *factor + by)?;
            }
            Self::GatherPoints { step, curve, points, to } => {
                let all = drawn_points(recipe, step, curve)?;
                let point = |i: usize| all.get(i).copied().ok_or_else(|| no_point(i));
                match *to {
                    Gather::Place(at) => move_points(recipe, step, curve, points, &|_, _| Point2::from(at))?,
                    Gather::Midway([a, b]) => {
                        let middle = nalgebra::center(&point(a)?, &point(b)?);
                        move_points(recipe, step, curve, points, &|_, _| middle)?;
                    }
                    Gather::Line([a, b]) => {
                        let (a, b) = (Point2::from(a), Point2::from(b));
                        let along = (b - a).try_normalize(0.0).ok_or_else(|| RecipeError::Field {
                            field: "to".into(),
                            reason: "the line's two places are one; give two that differ".into(),
                        })?;
                        move_points(recipe, step, curve, points, &|_, p| a + along * (p - a).dot(&along))?;
                    }
                }
            }
            Self::SetCurve { step, curve } => *curve_mut(recipe, step, &curve.id)? = curve.clone(),
            Self::ReshapeCurve { step, curve, to } => {
                let (spline, _) = reshaped(recipe, step, curve, to)?;
                let unit = recipe.unit.millimetres();
                curve_mut(recipe, step, curve)?.become_spline(&spline, unit);
            }
            Self::AddChange { step, change } => drawing_mut(recipe, step)?.changes.push(change.clone()),
            Self::SetChange { step, index, change } => *change_mut(recipe, step, *index)? = change.clone(),
            Self::RemoveChange { step, index } => {
                change_mut(recipe, step, *index)?;
                drawing_mut(recipe, step)?.changes.remove(*index);
            }
            Self::CopyDrawing { step, planes } => {
                at_most("steps", recipe.steps.len() + planes.len(), MOST_STEPS)?;
                let drawing = drawing_mut(recipe, step)?.clone();
                let copied = step_mut(recipe, step)?.clone();
                let name = copied.name;
                for (k, plane) in planes.iter().enumerate() {
                    let name = format!("{name} copy {}", k + 1);
                    let make = Make::Drawing(Drawing { plane: plane.clone(), ..drawing.clone() });
                    let id = recipe.free_id(&name);
                    let (display, group) = (Display::default(), copied.group.clone());
                    recipe.steps.push(Step {
                        id,
                        name,
                        make,
                        group,
                        display,
                        skip: false,
                        flip_facing: false,
                    });
                }
            }
            Self::RenameParameter { name, to } => rename_parameter(recipe, name, to)?,
            Self::RemovePoint { step, curve, index } => {
                let drawn = curve_mut(recipe, step, curve)?;
                if *index >= drawn.points.len() {
                    return Err(no_point(*index));
                }
                check_free(drawn, &[*index])?;
                if drawn.points.len() <= 2 {
                    let reason = "a curve keeps at least two points; remove the curve instead".into();
                    return Err(RecipeError::Field { field: curve.clone(), reason });
                }
                drawn.points.remove(*index);
                drawn.points_changed(*index, -1);
            }
            Self::SetParameter { parameter } => {
                match recipe.parameters.iter_mut().find(|p| p.name == parameter.name) {
                    Some(known) => *known = parameter.clone(),
                    None => recipe.parameters.push(parameter.clone()),
                }
            }
            Self::RemoveParameter { name } => {
                recipe.parameters.remove(recipe.parameter(name)?);
            }
            Self::SetUnit { unit } => recipe.unit = *unit,
            Self::All { edits } => {
                if edits.is_empty() {
                    return Err(RecipeError::NoEdit);
                }
                at_most("edits at once", edits.len(), MOST_STEPS)?;
                for edit in edits {
                    edit.change(recipe)?;
                    at_most("steps", recipe.steps.len(), MOST_STEPS)?;
                }
            }
        }
        Ok(())
    }
}

fn no_target<'a>(what: &'static str, name: &str, there: impl IntoIterator<Item = &'a str>) -> RecipeError {
    RecipeError::NoTarget { what, name: told(name), there: like(name, there.into_iter()) }
}

/// A point by its place in the list, counted from 1 as people do.
fn no_point(index: usize) -> RecipeError {
    no_target("point", &index.saturating_add(1).to_string(), [])
}

fn place(recipe: &Recipe, step: &str) -> Result<usize, RecipeError> {
    let ids = || recipe.steps.iter().map(|s| s.id.as_str());
    ids().position(|id| id == step).ok_or_else(|| no_target("step", step, ids()))
}

fn step_mut<'a>(recipe: &'a mut Recipe, id: &str) -> Result<&'a mut Step, RecipeError> {
    let at = place(recipe, id)?;
    Ok(&mut recipe.steps[at])
}
