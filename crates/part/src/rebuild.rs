use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use std::time::Instant;

use geometry::{Budget, Cancel, Halt, Tolerance, part_of_work, shared_work};
use rayon::prelude::*;

use crate::formula::Scope;
use crate::steps::Context;
use crate::{Built, Lineage, Notice, Recipe, RecipeError, names_in};

/// Bytes of results kept beyond those of the last recipe, so that undo and a drag back find theirs again.
const KEPT_BYTES: usize = 64 << 20;

type Key = blake3::Hash;

/// How a step came out.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    /// Built.
    Built(Arc<Built>),
    /// Failed, and why.
    Failed(Notice),
    /// Not tried, because this step that it is made from is not built.
    Waits(String),
    /// Left out by the user.
    Skipped,
    /// Not tried, because it comes after the hold point.
    Held,
    /// Not tried, because the rebuild was cancelled.
    Cancelled,
}

/// A step's outcome with what it took.
#[derive(Debug, Clone, PartialEq)]
pub struct StepResult {
    /// The step's id.
    pub step: String,
    /// How it came out.
    pub outcome: Outcome,
    /// Milliseconds of the last real build.
    pub milliseconds: f64,
    /// Whether it was built now, and not taken from the cache.
    pub rebuilt: bool,
    /// Equal for equal inputs; changes when the shape may have changed.
    pub key: String,
}

impl StepResult {
    /// What was built, if it was.
    #[must_use]
    pub fn built(&self) -> Option<&Arc<Built>> {
        match &self.outcome {
            Outcome::Built(built) => Some(built),
            _ => None,
        }
    }
}

/// The outcome of every step, in the recipe's order.
#[derive(Debug, Clone, PartialEq)]
pub struct Rebuilt {
    /// The outcomes.
    pub steps: Vec<StepResult>,
    /// The lineage of the recipe.
    pub lineage: Lineage,
}

#[derive(Debug, Clone)]
struct Cached {
    outcome: Outcome,
    milliseconds: f64,
    bytes: usize,
    /// The rebuild that asked for it last.
    used: u64,
}

/// Rebuilds a part again and again, keeping results whose inputs did not change.
#[derive(Debug, Default)]
pub struct Rebuilder {
    tolerance: Tolerance,
    budget: Budget,
    cache: HashMap<Key, Cached>,
    rebuilds: u64,
}

impl Rebuilder {
    /// An empty one, with default tolerances.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// The same with what each step may use.
    #[must_use]
    pub fn with_budget(self, budget: Budget) -> Self {
        Self { budget, ..self }
    }

    /// About how many bytes the results that it keeps take.
    #[must_use]
    pub fn bytes(&self) -> usize {
        self.cache.values().map(|c| c.bytes).sum()
    }

    /// Lets the results go that were used longest ago, until those kept beside the last recipe's are few enough.
    fn forget(&mut self) {
        let now = self.rebuilds;
        let mut old: Vec<(u64, Key, usize)> =
            self.cache.iter().filter(|(_, c)| c.used < now).map(|(k, c)| (c.used, *k, c.bytes)).collect();
        old.sort_unstable_by_key(|(used, ..)| std::cmp::Reverse(*used));
        let mut kept = 0;
        for (_, key, bytes) in old {
            kept += bytes;
            if kept > KEPT_BYTES {
                self.cache.remove(&key);
            }
        }
    }

    /// Builds what is not known yet; steps that do not depend on each other in parallel. A failed step leaves the
    /// others alone; one that uses up its budget fails by it. `progress` hears each step's id when it is done.
    ///
    /// # Errors
    /// A recipe that cannot be used at all; failed steps are no error here.
    pub fn rebuild(
        &mut self,
        recipe: &Recipe,
        cancel: &Cancel,
        progress: &(dyn Fn(&str) + Sync),
    ) -> Result<Rebuilt, RecipeError> {
        recipe.check()?;
        let scope = recipe.scope()?;
        let lineage = Lineage::new(recipe);
        let keys = self.keys(recipe, &scope);
        self.rebuilds += 1;
        let mut done: Vec<Option<StepResult>> = vec![None; recipe.steps.len()];
        for wave in lineage.waves() {
            let one = shared_work(|&i: &usize| {
                let result = self.one(recipe, &scope, i, keys[i], &done, cancel);
                progress(&recipe.steps[i].id);
                (i, result)
            });
            let results: Vec<(usize, StepResult)> = wave.par_iter().map(one).collect();
            for (i, result) in results {
                if result.rebuilt {
                    let bytes = result.built().map_or(0, |built| built.bytes());
                    let (outcome, milliseconds) = (result.outcome.clone(), result.milliseconds);
                    self.cache.insert(keys[i], Cached { outcome, milliseconds, bytes, used: self.rebuilds });
                } else if let Some(known) = self.cache.get_mut(&keys[i]) {
                    known.used = self.rebuilds;
                }
                done[i] = Some(result);
            }
        }
        self.forget();
        Ok(Rebuilt { steps: done.into_iter().flatten().collect(), lineage })
    }

    fn one(
        &self,
        recipe: &Recipe,
        scope: &Scope,
        i: usize,
        key: Key,
        done: &[Option<StepResult>],
        cancel: &Cancel,
    ) -> StepResult {
        let step = &recipe.steps[i];
        let result = |outcome, milliseconds, rebuilt| StepResult {
            step: step.id.clone(),
            outcome,
            milliseconds,
            rebuilt,
            key: key.to_hex().to_string(),
        };
        if step.skip {
            return result(Outcome::Skipped, 0.0, false);
        }
        if recipe.is_held(i) {
            return result(Outcome::Held, 0.0, false);
        }
        let mut inputs = BTreeMap::new();
        for (_, reference) in step.make.inputs() {
            let earlier = done.iter().flatten().find(|r| r.step == reference.step);
            match earlier.and_then(StepResult::built) {
                Some(built) => inputs.insert(reference.step.as_str(), Arc::clone(built)),
                None => return result(Outcome::Waits(reference.step.clone()), 0.0, false),
            };
        }
        if let Some(cached) = self.cache.get(&key) {
            return result(cached.outcome.clone(), cached.milliseconds, false);
        }
        if cancel.is_cancelled() {
            return result(Outcome::Cancelled, 0.0, false);
        }
        let started = Instant::now();
        let flip = step.flip_facing;
        let (tolerance, id) = (self.tolerance, Some(step.id.as_str()));
        let context = Context { recipe, scope, tolerance, inputs: &inputs, step: id, flip };
        let build = || {
            let built = step.make.build(&context)?;
            let built = if step.make.lays_surfaces() { built.looked_over() } else { built };
            Ok(if flip { built.facing_flipped() } else { built })
        };
        let outcome = match part_of_work(cancel, &self.budget, build) {
            Ok(Ok(built)) => Outcome::Built(Arc::new(built)),
            Ok(Err(notice)) => Outcome::Failed(notice),
            Err(Halt::Cancelled) => return result(Outcome::Cancelled, 0.0, false),
            Err(halt) => Outcome::Failed(used_up(&halt)),
        };
        result(outcome, started.elapsed().as_secs_f64() * 1e3, true)
    }

    /// One key per step from everything that its shape depends on.
    fn keys(&self, recipe: &Recipe, scope: &Scope) -> Vec<Key> {
        let mut by_id: HashMap<&str, Key> = HashMap::new();
        let mut keys = Vec::with_capacity(recipe.steps.len());
        for step in &recipe.steps {
            let mut hasher = blake3::Hasher::new();
            let make = serde_json::to_value(&step.make).unwrap_or_default();
            hasher.update(make.to_string().as_bytes());
            hasher.update(recipe.unit.symbol().as_bytes());
            hasher.update(&[u8::from(step.flip_facing)]);
            for name in step.make.formulas().iter().flat_map(|text| names_in(text)) {
                if let Some(value) = scope.get(&name) {
                    hasher.update(name.as_bytes());
                    hasher.update(&value.number.to_le_bytes());
                }
            }
            for (_, reference) in step.make.inputs() {
                if let Some(key) = by_id.get(reference.step.as_str()) {
                    hasher.update(key.as_bytes());
                }
                // Faces and messages carry the names of what they were made from.
                hasher.update(recipe.step_name(&reference.step).as_bytes());
            }
            let key = hasher.finalize();
            by_id.insert(&step.id, key);
            keys.push(key);
        }
        keys
    }
}

/// What a step says that came to no end by itself.
fn used_up(halt: &Halt) -> Notice {
    let cure = match halt {
        Halt::OutOfTime(_) | Halt::OutOfMemory(_) => {
            "it was stopped there: take simpler inputs, fewer copies or points, or a larger tolerance"
        }
        Halt::Broken(_) | Halt::Cancelled => "your values are kept: change one of them, or skip this step",
    };
    Notice::of_step(format!("{halt}; {cure}"))
}
