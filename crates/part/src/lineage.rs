use std::collections::BTreeMap;

use crate::Recipe;

/// Who is made from whom, by position in the recipe.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lineage {
    parents: Vec<Vec<usize>>,
}

impl Lineage {
    /// The lineage of a checked recipe: every input comes before its step.
    #[must_use]
    pub fn new(recipe: &Recipe) -> Self {
        let place: BTreeMap<&str, usize> =
            recipe.steps.iter().enumerate().map(|(i, s)| (s.id.as_str(), i)).collect();
        let parents = recipe
            .steps
            .iter()
            .map(|step| {
                let inputs = step.make.inputs();
                let mut parents: Vec<usize> =
                    inputs.iter().filter_map(|(_, r)| place.get(r.step.as_str()).copied()).collect();
                parents.sort_unstable();
                parents.dedup();
                parents
            })
            .collect();
        Self { parents }
    }

    /// Steps that a step is made from directly.
    #[must_use]
    pub fn parents(&self, step: usize) -> &[usize] {
        &self.parents[step]
    }

    /// Steps made from a step, directly or further on, in order.
    #[must_use]
    pub fn descendants(&self, step: usize) -> Vec<usize> {
        let mut reached = vec![false; self.parents.len()];
        reached[step] = true;
        for i in step + 1..self.parents.len() {
            reached[i] = self.parents[i].iter().any(|&p| reached[p]);
        }
        (step + 1..self.parents.len()).filter(|&i| reached[i]).collect()
    }

    /// Whether no step is made from this one.
    #[must_use]
    pub fn is_leaf(&self, step: usize) -> bool {
        !self.parents.iter().any(|p| p.contains(&step))
    }

    /// Steps in waves: all of a wave's inputs are in earlier waves.
    #[must_use]
    pub fn waves(&self) -> Vec<Vec<usize>> {
        let mut depth = vec![0; self.parents.len()];
        let mut waves: Vec<Vec<usize>> = Vec::new();
        for i in 0..self.parents.len() {
            depth[i] = self.parents[i].iter().map(|&p| depth[p] + 1).max().unwrap_or(0);
            if waves.len() <= depth[i] {
                waves.push(Vec::new());
            }
            waves[depth[i]].push(i);
        }
        waves
    }
}
