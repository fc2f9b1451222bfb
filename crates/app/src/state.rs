//! What the handlers share.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

use part::{Budget, Recipe};
use serde_json::Value;
use store::{Heard, Part, Store};
use tokio::sync::{Semaphore, broadcast};
use uuid::Uuid;

use crate::rejection::Rejection;
use crate::workshop::Workshop;

/// Live channels open at a time.
const MOST_SOCKETS: usize = 256;
/// Files on their way at a time.
const MOST_FILES: usize = 48;
/// Bytes of recipes, as JSON, that are kept read.
const KEPT_RECIPES: usize = 64 << 20;

#[derive(Clone)]
pub struct AppState {
    pub store: Store,
    pub workshop: Arc<Workshop>,
    /// Changes that any process made to any part.
    pub changes: broadcast::Sender<Heard>,
    pub sockets: Arc<Semaphore>,
    pub files: Arc<Semaphore>,
    recipes: Arc<Mutex<VecDeque<Read>>>,
}

/// A recipe that was read and checked.
struct Read {
    part: Uuid,
    version: i64,
    recipe: Arc<Recipe>,
    bytes: usize,
}

impl AppState {
    pub fn new(store: Store, budget: Budget) -> Self {
        Self {
            store,
            workshop: Arc::new(Workshop::new(budget)),
            changes: broadcast::channel(256).0,
            sockets: Arc::new(Semaphore::new(MOST_SOCKETS)),
            files: Arc::new(Semaphore::new(MOST_FILES)),
            recipes: Arc::default(),
        }
    }

    /// A part with its recipe read.
    pub async fn part(&self, id: Uuid) -> Result<(Part, Arc<Recipe>), Rejection> {
        let part = self.store.part(id).await?;
        let recipe = self.recipe_of(&part).await?;
        Ok((part, recipe))
    }

    /// The recipe of a part; one version is read only once.
    pub async fn recipe_of(&self, part: &Part) -> Result<Arc<Recipe>, Rejection> {
        let known = {
            let mut kept = self.recipes.lock().unwrap_or_else(PoisonError::into_inner);
            let at = kept.iter().position(|r| r.part == part.id && r.version == part.version);
            at.and_then(|at| kept.remove(at)).map(|read| {
                let recipe = Arc::clone(&read.recipe);
                kept.push_back(read);
                recipe
            })
        };
        if let Some(recipe) = known {
            return Ok(recipe);
        }
        let (recipe, bytes) = self.read_recipe(part.recipe.clone()).await?;
        let mut kept = self.recipes.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|r| r.part != part.id);
        kept.push_back(Read { part: part.id, version: part.version, recipe: Arc::clone(&recipe), bytes });
        while kept.iter().map(|r| r.bytes).sum::<usize>() > KEPT_RECIPES && kept.len() > 1 {
            kept.pop_front();
        }
        Ok(recipe)
    }

    /// A recipe read and checked off the async threads, with about how many bytes it has.
    pub async fn read_recipe(&self, value: Value) -> Result<(Arc<Recipe>, usize), Rejection> {
        self.workshop
            .read(move || {
                let recipe = Recipe::from_value(value)?;
                // It may have come in an older form; what is counted is what is kept.
                let bytes = serde_json::to_vec(&recipe).map_or(0, |text| text.len());
                Ok((Arc::new(recipe), bytes))
            })
            .await
    }
}
