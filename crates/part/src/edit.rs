use std::collections::BTreeMap;

use geometry::{NurbsCurve, Point2, Tolerance, Vector2};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::steps::drawing::{Change, Drawing, DrawnCurve, DrawnPoint};
use crate::steps::{Context, Make};
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
    /// Several edits that stand or fall together.
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

/// Another form of a spline.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Reshape {
    /// The same shape as a control-point curve.
    ControlPoints,
    /// The same shape with this many knots more in each span, evenly.
    InsertKnots(usize),
    /// The same shape with its degree raised by one.
    RaiseDegree,
    /// Nearly the same shape with other numbers; what it costs is the deviation of [`crate::recast_deviation`].
    Recast {
        /// Control points.
        points: usize,
        /// Degree.
        degree: usize,
    },
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
        Ok(changed)
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
                let point =
                    |i: usize| all.get(i).copied().ok_or_else(|| no_target("point", &(i + 1).to_string()));
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
                    return Err(no_target("point", &(index + 1).to_string()));
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
                let before = recipe.parameters.len();
                recipe.parameters.retain(|p| p.name != *name);
                if recipe.parameters.len() == before {
                    return Err(no_target("parameter", name));
                }
            }
            Self::SetUnit { unit } => recipe.unit = *unit,
            Self::All { edits } => edits.iter().try_for_each(|e| e.change(recipe))?,
        }
        Ok(())
    }
}

fn no_target(what: &'static str, name: &str) -> RecipeError {
    RecipeError::NoTarget { what, name: name.chars().take(80).collect() }
}

fn place(recipe: &Recipe, step: &str) -> Result<usize, RecipeError> {
    recipe.steps.iter().position(|s| s.id == step).ok_or_else(|| no_target("step", step))
}

fn step_mut<'a>(recipe: &'a mut Recipe, id: &str) -> Result<&'a mut Step, RecipeError> {
    recipe.steps.iter_mut().find(|s| s.id == id).ok_or_else(|| no_target("step", id))
}

fn drawing_mut<'a>(recipe: &'a mut Recipe, id: &str) -> Result<&'a mut Drawing, RecipeError> {
    match &mut step_mut(recipe, id)?.make {
        Make::Drawing(drawing) => Ok(drawing),
        _ => Err(no_target("drawing", id)),
    }
}

fn curve_mut<'a>(recipe: &'a mut Recipe, step: &str, id: &str) -> Result<&'a mut DrawnCurve, RecipeError> {
    let drawing = drawing_mut(recipe, step)?;
    drawing.curves.iter_mut().find(|c| c.id == id).ok_or_else(|| no_target("curve", id))
}

fn change_mut<'a>(recipe: &'a mut Recipe, step: &str, index: usize) -> Result<&'a mut Change, RecipeError> {
    let changes = &mut drawing_mut(recipe, step)?.changes;
    changes.get_mut(index).ok_or_else(|| no_target("change", &(index + 1).to_string()))
}

/// Refuses points that are not there or frozen.
fn check_free(drawn: &DrawnCurve, points: &[usize]) -> Result<(), RecipeError> {
    for &i in points {
        if i >= drawn.points.len() {
            return Err(no_target("point", &(i + 1).to_string()));
        }
        if drawn.frozen.contains(&i) {
            let reason = format!("point {} is frozen; free it before it is changed", i + 1);
            return Err(RecipeError::Field { field: drawn.id.clone(), reason });
        }
    }
    Ok(())
}

/// Points of a drawn curve in millimetres; a pinned one where its pin was set.
fn drawn_points(recipe: &mut Recipe, step: &str, curve: &str) -> Result<Vec<Point2>, RecipeError> {
    let scope = recipe.scope()?;
    let unit = recipe.unit;
    let value = |a: &Amount| crate::formula::evaluate(a, crate::Quantity::Length, unit, &scope);
    let drawn = curve_mut(recipe, step, curve)?;
    let point = |p: &DrawnPoint| match p {
        DrawnPoint::At([x, y]) => Ok(Point2::new(value(x)?, value(y)?)),
        DrawnPoint::Pinned(pin) => Ok(pin.near.map_or(Point2::origin(), Point2::from)),
    };
    drawn.points.iter().map(point).collect()
}

/// Moves points that are neither frozen nor pinned.
fn move_points(
    recipe: &mut Recipe,
    step: &str,
    curve: &str,
    points: &[usize],
    to: &dyn Fn(usize, Point2) -> Point2,
) -> Result<(), RecipeError> {
    let all = drawn_points(recipe, step, curve)?;
    let unit = recipe.unit.millimetres();
    let drawn = curve_mut(recipe, step, curve)?;
    check_free(drawn, points)?;
    for &i in points {
        let p = to(i, all[i]);
        if !(p.x.is_finite() && p.y.is_finite()) {
            let reason = "its points would go to no finite place; check the factor".into();
            return Err(RecipeError::Field { field: curve.into(), reason });
        }
        if matches!(drawn.points[i], DrawnPoint::At(_)) {
            let tidy = |x: f64| Amount::Number((x / unit * 1e9).round() / 1e9 + 0.0);
            drawn.points[i] = [tidy(p.x), tidy(p.y)].into();
        }
    }
    Ok(())
}

/// A drawn spline in another form, with the deviation that it costs in millimetres.
pub(crate) fn reshaped(
    recipe: &Recipe,
    step: &str,
    curve: &str,
    to: &Reshape,
) -> Result<(NurbsCurve, f64), RecipeError> {
    let refuse = |reason: String| RecipeError::Field { field: curve.into(), reason };
    let Some(Make::Drawing(drawing)) = recipe.step(step).map(|s| &s.make) else {
        return Err(no_target("drawing", step));
    };
    let scope = recipe.scope()?;
    let inputs = BTreeMap::new();
    let (tolerance, step) = (Tolerance::default(), Some(step));
    let context = Context { recipe, scope: &scope, tolerance, inputs: &inputs, step, flip: false };
    let spline = drawing.drawn_piece(&context, curve).map_err(|notice| refuse(notice.message))?;
    let exact = |curve| Ok((curve, 0.0));
    match *to {
        Reshape::ControlPoints => exact(spline),
        Reshape::InsertKnots(each) => {
            let breaks = spline.knots().breaks();
            if each == 0 || breaks.len() * each > 1000 {
                return Err(refuse("give 1 or more knots for each span, at most 1000 in all".into()));
            }
            let inner = breaks
                .windows(2)
                .flat_map(|w| (1..=each).map(move |k| w[0] + (w[1] - w[0]) * k as f64 / (each + 1) as f64));
            exact(inner.fold(spline.clone(), |curve, t| curve.with_knot(t)))
        }
        Reshape::RaiseDegree => exact(spline.elevated().map_err(|e| refuse(e.to_string()))?),
        Reshape::Recast { points, degree } => {
            if points > 500 {
                return Err(refuse("recast to at most 500 points".into()));
            }
            let fitted = geometry::recast(&spline, degree, points).map_err(|e| refuse(e.to_string()))?;
            Ok((fitted.curve, fitted.max_deviation))
        }
    }
}

/// What recasting a drawn spline to a number of control points and a degree would cost, in millimetres.
///
/// # Errors
/// No such curve, or numbers that do not fit together.
pub fn recast_deviation(
    recipe: &Recipe,
    step: &str,
    curve: &str,
    points: usize,
    degree: usize,
) -> Result<f64, RecipeError> {
    reshaped(recipe, step, curve, &Reshape::Recast { points, degree }).map(|r| r.1)
}

/// Copies everything that a copy's shape is made from, and lets the copy stand on that.
fn free_copy(recipe: &mut Recipe, step: &str) -> Result<(), RecipeError> {
    let at = place(recipe, step)?;
    let Some(source) = recipe.steps[at].make.copied().map(|r| r.step.clone()) else {
        let reason = "only a copy or a pattern can be freed".into();
        return Err(RecipeError::Field { field: step.into(), reason });
    };
    let lineage = Lineage::new(recipe);
    let mut made_from = vec![place(recipe, &source)?];
    let mut seen = 0;
    while seen < made_from.len() {
        for &parent in lineage.parents(made_from[seen]) {
            if !made_from.contains(&parent) {
                made_from.push(parent);
            }
        }
        seen += 1;
    }
    made_from.sort_unstable();
    let mut ids: BTreeMap<String, String> = BTreeMap::new();
    for (offset, old) in made_from.into_iter().enumerate() {
        let mut copied = recipe.steps[old].clone();
        copied.name = format!("{} of its own", copied.name).chars().take(80).collect();
        let id = recipe.free_id(&copied.name);
        ids.insert(std::mem::replace(&mut copied.id, id.clone()), id);
        copied.make = renumbered(&copied.make, &ids)?;
        // Steps before the copy keep their places.
        recipe.steps.insert(at + offset, copied);
    }
    let copy = step_mut(recipe, step)?;
    copy.make = renumbered(&copy.make, &ids)?;
    Ok(())
}

/// A step's make with other steps in the place of some, in references and in names by lineage.
fn renumbered(make: &Make, ids: &BTreeMap<String, String>) -> Result<Make, RecipeError> {
    fn walk(value: &mut serde_json::Value, ids: &BTreeMap<String, String>) {
        match value {
            serde_json::Value::Object(fields) => {
                for (key, value) in fields {
                    match (key.as_str(), &*value) {
                        ("step", serde_json::Value::String(id)) => {
                            if let Some(to) = ids.get(id) {
                                *value = to.clone().into();
                            }
                        }
                        _ => walk(value, ids),
                    }
                }
            }
            serde_json::Value::Array(values) => values.iter_mut().for_each(|v| walk(v, ids)),
            serde_json::Value::String(text) if text.contains('{') => {
                for (from, to) in ids {
                    *text = text.replace(&format!("{{{from}}}"), &format!("{{{to}}}"));
                }
            }
            _ => {}
        }
    }
    let unreadable = |e: serde_json::Error| RecipeError::Unreadable(e.to_string());
    let mut value = serde_json::to_value(make).map_err(unreadable)?;
    walk(&mut value, ids);
    serde_json::from_value(value).map_err(unreadable)
}

/// Renames a parameter and every use of it, in formulas of parameters and steps.
fn rename_parameter(recipe: &mut Recipe, name: &str, to: &str) -> Result<(), RecipeError> {
    let known = recipe.parameters.iter().any(|p| p.name == name);
    if !known {
        return Err(no_target("parameter", name));
    }
    if recipe.parameters.iter().any(|p| p.name == to) {
        return Err(RecipeError::Twice { what: "parameter", name: to.into() });
    }
    let rename = |amount: &mut Amount| {
        if let Amount::Formula(text) = amount {
            *text = crate::formula::renamed(text, name, to);
        }
    };
    for p in &mut recipe.parameters {
        if p.name == name {
            p.name = to.into();
        }
        rename(&mut p.formula);
    }
    recipe.steps.iter_mut().flat_map(|step| step.make.amounts()).for_each(rename);
    Ok(())
}

/// Sets a field by way of the step's JSON form, so that every kind of step takes edits alike.
fn set_field(step: &mut Step, field: &str, value: &serde_json::Value) -> Result<(), RecipeError> {
    let refuse = |reason: String| RecipeError::Field { field: field.chars().take(60).collect(), reason };
    let mut make = serde_json::to_value(&step.make).map_err(|e| refuse(e.to_string()))?;
    let fields = make
        .as_object_mut()
        .and_then(|kinds| kinds.values_mut().next())
        .and_then(serde_json::Value::as_object_mut)
        .ok_or_else(|| refuse("this step has no fields".into()))?;
    fields.insert(field.into(), value.clone());
    step.make = serde_json::from_value(make).map_err(|e| refuse(e.to_string()))?;
    Ok(())
}
