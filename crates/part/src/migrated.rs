//! Recipes of older versions, brought to the newest before they are read.

use std::collections::{BTreeMap, BTreeSet};

use serde_json::Value;

use crate::limits::{LONGEST_NAME, fits_id};

/// Version 1 let ids hold any character; version 2 gives them one form. Ids that do not have it get one, wherever they stand.
/// Up to version 2, curves through points had averaged knots, arcs about a centre took the shorter way, and what was revolved
/// had its outside to the right of its profile: what exists says so from version 3 on, and keeps its shape.
pub(crate) fn migrated(mut recipe: Value) -> Value {
    let version = recipe.get("version").and_then(Value::as_u64);
    if version == Some(1) {
        give_ids_their_form(&mut recipe);
    }
    if matches!(version, Some(1 | 2)) {
        keep_shapes(&mut recipe);
        recipe["version"] = 3.into();
    }
    recipe
}

/// Says of curves whose rule has changed by which one they are made.
fn keep_shapes(recipe: &mut Value) {
    let averaged = |curve: &mut Value| {
        // Two points have nothing to average.
        if curve["points"].as_array().is_some_and(|p| p.len() > 2) {
            curve["spacing"] = "averaged".into();
        }
    };
    for step in recipe.get_mut("steps").and_then(Value::as_array_mut).into_iter().flatten() {
        let Some(make) = step.get_mut("make") else { continue };
        for curve in make.pointer_mut("/drawing/curves").and_then(Value::as_array_mut).into_iter().flatten() {
            match curve.get("kind").and_then(Value::as_str) {
                Some("through_points") => averaged(curve),
                Some("arc_about") => curve["way"] = "shorter".into(),
                _ => {}
            }
        }
        if let Some(revolve) = make.get_mut("revolve").and_then(Value::as_object_mut) {
            revolve.insert("outside".into(), "right_of_profile".into());
        }
        if let Some(curve) = make.get_mut("space_curve")
            && curve.get("follows").is_none_or(|f| f == "through_points")
        {
            averaged(curve);
        }
    }
}

/// Fields that hold an id of their own, of curves and changes.
const OWN: [&str; 2] = ["id", "second"];

fn give_ids_their_form(recipe: &mut Value) {
    let mut all = BTreeSet::new();
    for step in recipe["steps"].as_array().into_iter().flatten() {
        all.extend(["id", "group"].iter().filter_map(|field| step[*field].as_str()).map(str::to_string));
        let drawing = &step["make"]["drawing"];
        let made = ["curves", "changes"].iter().flat_map(|list| drawing[*list].as_array()).flatten();
        all.extend(made.flat_map(|m| OWN.iter().filter_map(|f| m[*f].as_str())).map(str::to_string));
    }
    let mut renamed: BTreeMap<String, String> = BTreeMap::new();
    for old in all.iter().filter(|id| !id.is_empty() && !id.chars().all(fits_id)) {
        let plain: String =
            old.chars().map(|c| if fits_id(c) { c } else { '-' }).take(LONGEST_NAME - 6).collect();
        let taken = |id: &String| all.contains(id) || renamed.values().any(|v| v == id);
        let free = std::iter::once(plain.clone()).chain((2..).map(|n| format!("{plain} {n}")));
        let new = free.filter(|id| !taken(id)).find(|id| !id.trim().is_empty());
        renamed.extend(new.map(|new| (old.clone(), new)));
    }
    if renamed.is_empty() {
        return;
    }
    if let Some(hold) = recipe.get_mut("hold") {
        rename(hold, &renamed);
    }
    for step in recipe["steps"].as_array_mut().into_iter().flatten() {
        for field in ["id", "group", "make"] {
            if let Some(value) = step.get_mut(field) {
                rename(value, &renamed);
            }
        }
    }
}

/// Everywhere below, where a text is an id or, as a name by lineage, holds some.
fn rename(value: &mut Value, renamed: &BTreeMap<String, String>) {
    match value {
        Value::String(text) => {
            if let Some(new) = renamed.get(text.as_str()) {
                *text = new.clone();
            }
        }
        Value::Array(values) => values.iter_mut().for_each(|v| rename(v, renamed)),
        Value::Object(fields) => {
            for (field, value) in fields {
                match (field.as_str(), value) {
                    ("item", Value::String(name)) => {
                        // Longer ids first: one may hold another.
                        let mut ids: Vec<_> = renamed.iter().collect();
                        ids.sort_by_key(|(old, _)| std::cmp::Reverse(old.len()));
                        for (old, new) in ids {
                            *name = name.replace(old.as_str(), new);
                        }
                    }
                    (_, value) => rename(value, renamed),
                }
            }
        }
        _ => {}
    }
}
