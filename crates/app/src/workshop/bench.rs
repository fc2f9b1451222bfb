//! The caches of the parts that were worked on last, bounded by what they take.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use part::{Budget, Cancel, Rebuilder, Rebuilt, Recipe, RecipeError};
use uuid::Uuid;

/// Bytes of all caches together; the part worked on longest ago loses its cache first.
const MOST_BYTES: usize = 512 << 20;

struct Bench {
    rebuilder: Arc<Mutex<Rebuilder>>,
    bytes: usize,
    used: u64,
}

#[derive(Default)]
struct Kept {
    by_part: HashMap<Uuid, Bench>,
    clock: u64,
}

#[derive(Default)]
pub struct Benches(Mutex<Kept>);

impl Benches {
    fn bench(&self, part: Uuid, budget: &Budget) -> Arc<Mutex<Rebuilder>> {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.clock += 1;
        let used = kept.clock;
        let bench = kept.by_part.entry(part).or_insert_with(|| {
            let rebuilder = Rebuilder::new().with_budget(budget.clone());
            Bench { rebuilder: Arc::new(Mutex::new(rebuilder)), bytes: 0, used }
        });
        bench.used = used;
        Arc::clone(&bench.rebuilder)
    }

    fn weighed(&self, part: Uuid, bytes: usize) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(bench) = kept.by_part.get_mut(&part) {
            bench.bytes = bytes;
        }
        while kept.by_part.values().map(|b| b.bytes).sum::<usize>() > MOST_BYTES {
            let others = kept.by_part.iter().filter(|(id, _)| **id != part);
            let Some(oldest) = others.min_by_key(|(_, b)| b.used).map(|(id, _)| *id) else { break };
            kept.by_part.remove(&oldest);
        }
    }

    /// Rebuilds with what is known of the part. Only the job whose turn it is comes here, so that nobody waits.
    pub fn rebuild(
        &self,
        part: Uuid,
        recipe: &Recipe,
        stop: &Cancel,
        budget: &Budget,
        progress: &(dyn Fn(&str) + Sync),
    ) -> Result<Rebuilt, RecipeError> {
        let bench = self.bench(part, budget);
        // A poisoned cache is only a cache: what it holds was finished before the fault.
        let mut rebuilder = bench.lock().unwrap_or_else(PoisonError::into_inner);
        let rebuilt = rebuilder.rebuild(recipe, stop, progress);
        self.weighed(part, rebuilder.bytes());
        rebuilt
    }
}
