//! Where parts are rebuilt: on a bounded number of threads off the async ones, each part with its own cache.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use part::{Cancel, Rebuilder, Rebuilt, Recipe};
use tokio::sync::Semaphore;
use uuid::Uuid;

use crate::rejection::Rejection;

/// Parts whose caches are kept; the one used longest ago goes first.
const MOST_PARTS: usize = 24;

struct Bench {
    rebuilder: Arc<Mutex<Rebuilder>>,
    used: u64,
}

#[derive(Default)]
struct Benches {
    by_part: HashMap<Uuid, Bench>,
    clock: u64,
}

pub struct Workshop {
    benches: Mutex<Benches>,
    permits: Arc<Semaphore>,
}

impl Workshop {
    pub fn new() -> Self {
        let threads = std::thread::available_parallelism().map_or(2, usize::from);
        Self { benches: Mutex::default(), permits: Arc::new(Semaphore::new(threads)) }
    }

    fn bench(&self, part: Uuid) -> Arc<Mutex<Rebuilder>> {
        let mut benches = self.benches.lock().unwrap_or_else(PoisonError::into_inner);
        benches.clock += 1;
        let used = benches.clock;
        if benches.by_part.len() >= MOST_PARTS
            && !benches.by_part.contains_key(&part)
            && let Some(oldest) = benches.by_part.iter().min_by_key(|(_, b)| b.used).map(|(id, _)| *id)
        {
            benches.by_part.remove(&oldest);
        }
        let bench = benches.by_part.entry(part).or_insert_with(|| Bench { rebuilder: Arc::default(), used });
        bench.used = used;
        Arc::clone(&bench.rebuilder)
    }

    /// Rebuilds a recipe and lets `then` work on the result, all off the async threads.
    pub async fn run<T: Send + 'static>(
        &self,
        part: Uuid,
        recipe: Recipe,
        then: impl FnOnce(&Recipe, &Rebuilt) -> T + Send + 'static,
    ) -> Result<T, Rejection> {
        self.run_until(part, recipe, Cancel::default(), |_| (), then).await
    }

    /// As `run`, but may be cancelled from outside; `progress` hears each step's id when it is done.
    pub async fn run_until<T: Send + 'static>(
        &self,
        part: Uuid,
        recipe: Recipe,
        cancel: Cancel,
        progress: impl Fn(&str) + Send + Sync + 'static,
        then: impl FnOnce(&Recipe, &Rebuilt) -> T + Send + 'static,
    ) -> Result<T, Rejection> {
        let rebuilder = self.bench(part);
        let permit = Arc::clone(&self.permits).acquire_owned().await.map_err(|_| Rejection::Stopped)?;
        tokio::task::spawn_blocking(move || {
            let _permit = permit;
            let rebuilt = {
                // A poisoned cache is only a cache: what it holds was finished before the panic.
                let mut rebuilder = rebuilder.lock().unwrap_or_else(PoisonError::into_inner);
                rebuilder.rebuild(&recipe, &cancel, &progress)?
            };
            Ok(then(&recipe, &rebuilt))
        })
        .await
        .map_err(|_| Rejection::Stopped)?
    }
}
