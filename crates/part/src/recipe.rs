use std::collections::{BTreeSet, HashMap};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::formula::{self, Scope, Value};
use crate::limits::{
    LONGEST_NAME, MOST_INPUTS, MOST_PARAMETER_TEXT, MOST_PARAMETERS, MOST_STEPS, at_most, check_amount,
    check_id, check_item, check_name, check_note, check_texts, told,
};
use crate::migrated::migrated;
use crate::steps::Make;
use crate::{Amount, FormulaError, LengthUnit, Quantity, RecipeError, names_in};

/// What `format` says in every recipe.
pub const RECIPE_FORMAT: &str = "kindred-shell-recipe";
/// The newest version that this program reads and the one that it writes.
pub const RECIPE_VERSION: u32 = 3;

/// The ordered steps that make a part.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Recipe {
    /// Always `kindred-shell-recipe`.
    pub format: String,
    /// Version of the format, 3; versions 1 and 2 are read and become 3.
    pub version: u32,
    /// The part's name.
    pub name: String,
    /// The unit that plain lengths are in.
    #[serde(default)]
    pub unit: LengthUnit,
    /// Named values that formulas can use.
    #[serde(default)]
    pub parameters: Vec<Parameter>,
    /// The steps, each using only steps before it.
    pub steps: Vec<Step>,
    /// Hold point: the step up to which the recipe is built, those after it not yet.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hold: Option<String>,
}

impl Recipe {
    /// Whether a step comes after the hold point.
    #[must_use]
    pub fn is_held(&self, step: usize) -> bool {
        let at = self.hold.as_ref().and_then(|id| self.steps.iter().position(|s| s.id == *id));
        at.is_some_and(|at| step > at)
    }
}

/// A named value.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Parameter {
    /// Letters, digits and `_`, not beginning with a digit; no unit or function.
    pub name: String,
    /// What it measures.
    pub quantity: Quantity,
    /// Its value, which may use other parameters.
    pub formula: Amount,
    /// What it is for.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

/// How a step's shape is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Display {
    /// Curves and everything that nothing else was made from.
    #[default]
    Auto,
    /// Shown and pickable.
    Show,
    /// Seen, not pickable, and no part of the result: only there to build upon.
    Backdrop,
    /// Not shown.
    Hide,
}

/// One construction or edit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Step {
    /// Unique within the recipe; never changes.
    pub id: String,
    /// What the user calls it.
    pub name: String,
    /// What it does.
    pub make: Make,
    /// The group that it stands in, if any: a name under which the lineage folds it away with others.
    #[serde(default, skip_serializing_if = "is_default")]
    pub group: Option<String>,
    /// How it is shown.
    #[serde(default, skip_serializing_if = "is_default")]
    pub display: Display,
    /// Left out of the rebuild.
    #[serde(default, skip_serializing_if = "is_default")]
    pub skip: bool,
    /// The outside of its open surfaces turned to the other side.
    #[serde(default, skip_serializing_if = "is_default")]
    pub flip_facing: bool,
}

impl Step {
    /// A step that is shown as needed; its id is filled in when it is added.
    #[must_use]
    pub fn new(name: &str, make: Make) -> Self {
        Self {
            id: String::new(),
            name: name.into(),
            make,
            group: None,
            display: Display::default(),
            skip: false,
            flip_facing: false,
        }
    }
}

/// A reference to an earlier shape, by lineage.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reference {
    /// The id of the step that made it.
    pub step: String,
    /// One of the things that it made: the id of a curve, the number of a plane. Without it the whole.
    #[serde(default, alias = "curve", skip_serializing_if = "Option::is_none")]
    pub item: Option<String>,
}

pub(crate) fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

impl Recipe {
    /// A recipe without steps.
    #[must_use]
    pub fn new(name: &str) -> Self {
        Self {
            format: RECIPE_FORMAT.into(),
            version: RECIPE_VERSION,
            name: name.into(),
            unit: LengthUnit::default(),
            parameters: Vec::new(),
            steps: Vec::new(),
            hold: None,
        }
    }

    /// Reads and checks a recipe file.
    ///
    /// # Errors
    /// Any [`RecipeError`]; a wrong format or version is told before a missing field.
    pub fn from_json(text: &str) -> Result<Self, RecipeError> {
        let value: serde_json::Value =
            serde_json::from_str(text).map_err(|e| RecipeError::Unreadable(e.to_string()))?;
        Self::from_value(value)
    }

    /// As [`Recipe::from_json`], from parsed JSON.
    ///
    /// # Errors
    /// Any [`RecipeError`].
    pub fn from_value(value: serde_json::Value) -> Result<Self, RecipeError> {
        if let Some(format) = value.get("format").and_then(serde_json::Value::as_str)
            && format != RECIPE_FORMAT
        {
            return Err(RecipeError::Format(told(format)));
        }
        if let Some(version) = value.get("version").and_then(serde_json::Value::as_u64)
            && version > u64::from(RECIPE_VERSION)
        {
            return Err(RecipeError::Version(u32::try_from(version).unwrap_or(u32::MAX)));
        }
        // Told last: a name says better what is wrong with it.
        let texts = check_texts(&value);
        let recipe: Self =
            serde_json::from_value(migrated(value)).map_err(|e| RecipeError::Unreadable(e.to_string()))?;
        recipe.check()?;
        texts.map(|()| recipe)
    }

    /// Names, references and parameters; not whether the steps can be built.
    ///
    /// # Errors
    /// The first fault that is met.
    pub fn check(&self) -> Result<(), RecipeError> {
        if self.version == 0 || self.version > RECIPE_VERSION {
            return Err(RecipeError::Version(self.version));
        }
        at_most("steps", self.steps.len(), MOST_STEPS)?;
        at_most("parameters", self.parameters.len(), MOST_PARAMETERS)?;
        check_name(&self.name, "a part's name")?;
        let mut seen: BTreeSet<&String> = BTreeSet::new();
        for step in &self.steps {
            check_name(&step.name, "a step's name")?;
            check_id(&step.id, "a step's id")?;
            if let Some(group) = &step.group {
                check_id(group, "a group's name")?;
            }
            let inputs = step.make.inputs();
            at_most("shapes in one step's slots", inputs.len(), MOST_INPUTS)?;
            for (_, reference) in inputs {
                reference.item.as_deref().map_or(Ok(()), check_item)?;
                let target = &reference.step;
                if *target == step.id {
                    return Err(RecipeError::Itself(step.id.clone()));
                }
                if !seen.contains(target) {
                    let step = step.id.clone();
                    return Err(match self.step(target) {
                        Some(_) => RecipeError::Later { step, later: target.clone() },
                        None => RecipeError::Missing {
                            step,
                            missing: told(target),
                            there: like(target, seen.iter().map(|id| id.as_str())),
                        },
                    });
                }
            }
            if !seen.insert(&step.id) {
                return Err(RecipeError::Twice { what: "step id", name: step.id.clone() });
            }
            step.make.check()?;
            step.make.clone().amounts().into_iter().try_for_each(|amount| check_amount(amount))?;
        }
        if let Some(hold) = self.hold.as_ref().filter(|id| !seen.contains(id)) {
            let there = like(hold, seen.iter().map(|id| id.as_str()));
            return Err(RecipeError::NoTarget { what: "step to hold at", name: told(hold), there });
        }
        let text = |p: &Parameter| if let Amount::Formula(text) = &p.formula { text.len() } else { 0 };
        let written = self.parameters.iter().map(text).sum();
        at_most("characters in the formulas of its parameters", written, MOST_PARAMETER_TEXT)?;
        for parameter in &self.parameters {
            check_note(&parameter.note)?;
            check_amount(&parameter.formula)?;
        }
        self.scope().map(|_| ())
    }

    /// A step by its id.
    #[must_use]
    pub fn step(&self, id: &str) -> Option<&Step> {
        self.steps.iter().find(|s| s.id == id)
    }

    /// The place of a parameter in the list.
    ///
    /// # Errors
    /// `NoTarget` with those that look most like it.
    pub fn parameter(&self, name: &str) -> Result<usize, RecipeError> {
        let names = || self.parameters.iter().map(|p| p.name.as_str());
        names().position(|n| n == name).ok_or_else(|| RecipeError::NoTarget {
            what: "parameter",
            name: told(name),
            there: like(name, names()),
        })
    }

    /// That there is a step of this id.
    ///
    /// # Errors
    /// `NoTarget` with those that look most like it.
    pub fn has_step(&self, id: &str) -> Result<(), RecipeError> {
        let ids = self.steps.iter().map(|s| s.id.as_str());
        self.step(id).map(|_| ()).ok_or_else(|| RecipeError::NoTarget {
            what: "step",
            name: told(id),
            there: like(id, ids),
        })
    }

    /// A step's name, or its id if it is gone.
    #[must_use]
    pub fn step_name<'a>(&'a self, id: &'a str) -> &'a str {
        self.step(id).map_or(id, |s| &s.name)
    }

    /// A name by lineage as people read it: steps by their names, not by their ids.
    #[must_use]
    pub fn spoken(&self, name: &str) -> String {
        let mut parts = name.split('{');
        let mut out = parts.next().unwrap_or_default().to_string();
        for part in parts {
            match part.split_once('}') {
                Some((id, rest)) => out.extend([self.step_name(id), rest]),
                None => out.extend(["{", part]),
            }
        }
        out
    }

    /// An id that no step has, made from a name.
    #[must_use]
    pub fn free_id(&self, name: &str) -> String {
        let base: String = name
            .to_lowercase()
            .chars()
            .map(|c| if c.is_ascii_alphanumeric() { c } else { '_' })
            .take(30)
            .collect();
        let base = base.trim_matches('_').to_string();
        let base = if base.is_empty() { "step".to_string() } else { base };
        let mut id = base.clone();
        let mut n = 2;
        while self.step(&id).is_some() {
            id = format!("{base}_{n}");
            n += 1;
        }
        id
    }

    /// Evaluates all parameters.
    pub(crate) fn scope(&self) -> Result<Scope, RecipeError> {
        let mut places: HashMap<&str, usize> = HashMap::new();
        for (i, p) in self.parameters.iter().enumerate() {
            let usable = !p.name.is_empty()
                && p.name.len() <= LONGEST_NAME
                && p.name.chars().all(|c| c.is_alphanumeric() || c == '_')
                && !p.name.starts_with(|c: char| c.is_numeric())
                && formula::unit_value(&p.name).is_none()
                && !formula::FUNCTIONS.contains(&p.name.as_str())
                && p.name != "pi"
                && p.name != formula::ALONG;
            if !usable {
                return Err(RecipeError::Name {
                    name: told(&p.name),
                    what: "a parameter's name",
                    cure: "use letters, digits and _, no unit, function or `along`",
                });
            }
            if places.insert(&p.name, i).is_some() {
                return Err(RecipeError::Twice { what: "parameter", name: p.name.clone() });
            }
        }
        // Each parameter after those that it uses, in time that grows with what is written and no faster (Kahn's order).
        let mut users: Vec<Vec<usize>> = vec![Vec::new(); self.parameters.len()];
        let mut waits_for = vec![0_usize; self.parameters.len()];
        for (i, p) in self.parameters.iter().enumerate() {
            let used: BTreeSet<usize> =
                uses(&p.formula).iter().filter_map(|n| places.get(n.as_str()).copied()).collect();
            waits_for[i] = used.len();
            used.into_iter().for_each(|of| users[of].push(i));
        }
        let mut order: Vec<usize> = (0..waits_for.len()).filter(|&i| waits_for[i] == 0).collect();
        let mut scope = Scope::new();
        let mut next = 0;
        while next < order.len() {
            let p = &self.parameters[order[next]];
            let number = formula::evaluate(&p.formula, p.quantity, self.unit, &scope)?;
            let (length, angle) = match p.quantity {
                Quantity::Length => (1, 0),
                Quantity::Angle => (0, 1),
                Quantity::Ratio | Quantity::Count => (0, 0),
            };
            scope.insert(p.name.clone(), Value { number, length, angle });
            for &user in &users[order[next]] {
                waits_for[user] -= 1;
                if waits_for[user] == 0 {
                    order.push(user);
                }
            }
            next += 1;
        }
        if order.len() < self.parameters.len() {
            let left =
                self.parameters.iter().zip(&waits_for).filter(|(_, n)| **n > 0).map(|(p, _)| told(&p.name));
            return Err(FormulaError::Circle(some(&left.collect::<Vec<_>>())).into());
        }
        Ok(scope)
    }
}

/// Names for a message: the first few of many.
pub(crate) fn some(names: &[String]) -> String {
    const TOLD: usize = 8;
    let shown = names.iter().take(TOLD).cloned().collect::<Vec<_>>().join(", ");
    if names.len() > TOLD { format!("{shown} and {} more", names.len() - TOLD) } else { shown }
}

/// What a missing name may have meant: those there are that look most like it, best first.
pub(crate) fn like<'a>(name: &str, there: impl Iterator<Item = &'a str>) -> String {
    let name: Vec<char> = name.to_lowercase().chars().take(LONGEST_NAME).collect();
    let mut ranked: Vec<(usize, &str)> = there.map(|t| (distance(&name, &t.to_lowercase()), t)).collect();
    ranked.sort_unstable();
    some(&ranked.into_iter().take(3).map(|(_, t)| t.to_string()).collect::<Vec<_>>())
}

/// Edits that turn one word into another (Levenshtein, 1966).
fn distance(a: &[char], b: &str) -> usize {
    let mut row: Vec<usize> = (0..=a.len()).collect();
    for (j, c) in b.chars().enumerate() {
        let mut corner = std::mem::replace(&mut row[0], j + 1);
        for i in 0..a.len() {
            let change = corner + usize::from(a[i] != c);
            corner = row[i + 1];
            row[i + 1] = change.min(row[i] + 1).min(corner + 1);
        }
    }
    row[a.len()]
}

fn uses(amount: &Amount) -> Vec<String> {
    match amount {
        Amount::Number(_) => Vec::new(),
        Amount::Formula(text) => names_in(text),
    }
}
