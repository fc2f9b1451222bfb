//! Changes of one part, one after the other before they ask for a connection: while something else holds a part's row, those
//! that wait for it must not hold all connections.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError, Weak};
use std::time::Duration;

use tokio::sync::{Mutex as Turn, OwnedMutexGuard};
use uuid::Uuid;

use crate::StoreError;

const PATIENCE: Duration = Duration::from_secs(6);

#[derive(Debug, Default)]
pub(crate) struct Turns(Mutex<HashMap<Uuid, Weak<Turn<()>>>>);

impl Turns {
    /// Waits until no other change of the part is under way in this process.
    pub(crate) async fn turn(&self, id: Uuid) -> Result<OwnedMutexGuard<()>, StoreError> {
        let turn = {
            let mut turns = self.0.lock().unwrap_or_else(PoisonError::into_inner);
            turns.retain(|_, turn| turn.strong_count() > 0);
            let known = turns.get(&id).and_then(Weak::upgrade);
            known.unwrap_or_else(|| {
                let turn = Arc::default();
                turns.insert(id, Arc::downgrade(&turn));
                turn
            })
        };
        tokio::time::timeout(PATIENCE, turn.lock_owned()).await.map_err(|_| StoreError::TooSlow)
    }
}
