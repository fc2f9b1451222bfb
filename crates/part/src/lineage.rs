use std::collections::BTreeMap;

use crate::{Display, Recipe, Reference, Step};

/// Who is made from whom, by position in the recipe.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lineage {
    parents: Vec<Vec<usize>>,
    wholes: Vec<Vec<usize>>,
    aside: Vec<bool>,
}

impl Lineage {
    /// The lineage of a checked recipe: every input comes before its step.
    #[must_use]
    pub fn new(recipe: &Recipe) -> Self {
        let place: BTreeMap<&str, usize> =
            recipe.steps.iter().enumerate().map(|(i, s)| (s.id.as_str(), i)).collect();
        let taken = |keep: fn(&Step, &str, &Reference) -> bool| -> Vec<Vec<usize>> {
            let of = |step: &Step| {
                let inputs = step.make.inputs();
                let kept = inputs.iter().filter(|(slot, r)| keep(step, slot, r));
                let mut places: Vec<usize> =
                    kept.filter_map(|(_, r)| place.get(r.step.as_str()).copied()).collect();
                places.sort_unstable();
                places.dedup();
                places
            };
            recipe.steps.iter().map(of).collect()
        };
        let aside =
            recipe.steps.iter().map(|s| s.display == Display::Backdrop || s.make.only_measures()).collect();
        Self {
            parents: taken(|_, _, _| true),
            wholes: taken(|s, slot, r| (r.item.is_none() && !s.make.keeps(slot)) || s.make.replaces(slot)),
            aside,
        }
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

    /// Whether a step is made from all of another one, and not only from one of its faces, edges or curves.
    #[must_use]
    pub fn takes_whole(&self, step: usize, parent: usize) -> bool {
        self.wholes[step].contains(&parent)
    }

    /// Whether a step stands in the backdrop: seen and built upon, but no part of the result.
    #[must_use]
    pub fn is_aside(&self, step: usize) -> bool {
        self.aside[step]
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
