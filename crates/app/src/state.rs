//! What the handlers share.

use std::sync::Arc;

use part::{Recipe, Report};
use store::{Change, Part, Store};
use tokio::sync::broadcast;
use uuid::Uuid;

use crate::rejection::Rejection;
use crate::workshop::Workshop;

#[derive(Clone)]
pub struct AppState {
    pub store: Store,
    pub workshop: Arc<Workshop>,
    /// Changes that any process made to any part.
    pub changes: broadcast::Sender<Change>,
}

impl AppState {
    pub fn new(store: Store) -> Self {
        Self { store, workshop: Arc::new(Workshop::new()), changes: broadcast::channel(256).0 }
    }

    /// A part with its recipe read.
    pub async fn part(&self, id: Uuid) -> Result<(Part, Recipe), Rejection> {
        let part = self.store.part(id).await?;
        let recipe = Recipe::from_value(part.recipe.clone())?;
        Ok((part, recipe))
    }

    pub async fn report(&self, id: Uuid) -> Result<Report, Rejection> {
        let (part, recipe) = self.part(id).await?;
        self.workshop.run(part.id, recipe, part::report).await
    }
}
