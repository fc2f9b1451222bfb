//! What edits do to steps and parameters as wholes.

use std::collections::BTreeMap;

use super::{place, step_mut};
use crate::limits::told;
use crate::steps::Make;
use crate::{Amount, Lineage, Recipe, RecipeError, Step};

/// Copies everything that a copy's shape is made from, and lets the copy stand on that.
pub(super) fn free_copy(recipe: &mut Recipe, step: &str) -> Result<(), RecipeError> {
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
pub(super) fn rename_parameter(recipe: &mut Recipe, name: &str, to: &str) -> Result<(), RecipeError> {
    recipe.parameter(name)?;
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
pub(super) fn set_field(step: &mut Step, field: &str, value: &serde_json::Value) -> Result<(), RecipeError> {
    let refuse = |reason: String| RecipeError::Field { field: told(field), reason };
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
