use geometry::Point2;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::steps::Make;
use crate::steps::drawing::{Drawing, DrawnCurve};
use crate::{Amount, Display, LengthUnit, Lineage, Parameter, Recipe, RecipeError, Step};

/// One change of a recipe. Applying it gives a new recipe or says why not; it never leaves half a change.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "edit", rename_all = "snake_case", deny_unknown_fields)]
pub enum Edit {
    /// Adds a step at the end; an empty id is filled from the name.
    AddStep {
        /// The step.
        step: Step,
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
        /// Its new coordinates.
        to: [Amount; 2],
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
            Self::MoveStep { step, .. } => format!("Move {} in the order", name(step)),
            Self::AddCurve { step, .. } => format!("Add a curve to {}", name(step)),
            Self::RemoveCurve { step, curve } => format!("Remove {curve} from {}", name(step)),
            Self::ReverseCurve { step, curve } => format!("Reverse {curve} of {}", name(step)),
            Self::MovePoint { step, .. } => format!("Move a point of {}", name(step)),
            Self::AddPoint { step, .. } => format!("Add a point to {}", name(step)),
            Self::RemovePoint { step, .. } => format!("Remove a point of {}", name(step)),
            Self::SetParameter { parameter } => format!("Set {}", parameter.name),
            Self::RemoveParameter { name } => format!("Remove {name}"),
            Self::SetUnit { unit } => format!("Set the unit to {}", unit.symbol()),
            Self::All { edits } => edits.first().map_or_else(|| "Nothing".into(), |e| e.label(recipe)),
        }
    }

    fn change(&self, recipe: &mut Recipe) -> Result<(), RecipeError> {
        match self {
            Self::AddStep { step } => {
                let mut step = step.clone();
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
            }
            Self::RenameStep { step, name } => step_mut(recipe, step)?.name = name.trim().into(),
            Self::RenamePart { name } => recipe.name = name.trim().into(),
            Self::SetField { step, field, value } => set_field(step_mut(recipe, step)?, field, value)?,
            Self::SetDisplay { step, display } => step_mut(recipe, step)?.display = *display,
            Self::SetSkip { step, skip } => step_mut(recipe, step)?.skip = *skip,
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
            Self::ReverseCurve { step, curve } => curve_mut(recipe, step, curve)?.points.reverse(),
            Self::MovePoint { step, curve, index, to } => {
                let points = &mut curve_mut(recipe, step, curve)?.points;
                let point =
                    points.get_mut(*index).ok_or_else(|| no_target("point", &(index + 1).to_string()))?;
                *point = to.clone();
            }
            Self::AddPoint { step, curve, at } => {
                let millimetres = drawn_points(recipe, step, curve)?;
                let unit = recipe.unit.millimetres();
                let drawn = curve_mut(recipe, step, curve)?;
                let place = drawn.place_for(&millimetres, Point2::new(at[0], at[1]));
                drawn.points.insert(place, at.map(|x| Amount::Number(x / unit)));
            }
            Self::RemovePoint { step, curve, index } => {
                let drawn = curve_mut(recipe, step, curve)?;
                if *index >= drawn.points.len() {
                    return Err(no_target("point", &(index + 1).to_string()));
                }
                if drawn.points.len() <= 2 {
                    let reason = "a curve keeps at least two points; remove the curve instead".into();
                    return Err(RecipeError::Field { field: curve.clone(), reason });
                }
                drawn.points.remove(*index);
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

/// Points of a drawn curve in millimetres.
fn drawn_points(recipe: &mut Recipe, step: &str, curve: &str) -> Result<Vec<Point2>, RecipeError> {
    let scope = recipe.scope()?;
    let unit = recipe.unit;
    let value = |a: &Amount| crate::formula::evaluate(a, crate::Quantity::Length, unit, &scope);
    let drawn = curve_mut(recipe, step, curve)?;
    drawn.points.iter().map(|[x, y]| Ok(Point2::new(value(x)?, value(y)?))).collect()
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
