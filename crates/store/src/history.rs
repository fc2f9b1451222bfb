//! The log of a part: every state that it ever had.

use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;
use sqlx::{FromRow, query_as};
use uuid::Uuid;

use crate::{Store, StoreError};

/// An entry of a part's log.
#[derive(Debug, Clone, FromRow, Serialize, JsonSchema)]
pub struct Entry {
    /// Its number.
    pub entry: i64,
    /// The entry that it was made on; none for the first.
    pub made_on: Option<i64>,
    /// What was done.
    pub label: String,
    /// When, in UTC (ISO 8601).
    pub made_at: String,
    /// Whether the part stands at it now.
    pub is_now: bool,
}

impl Store {
    /// The newest entries of a part's log below a number, newest first, at most `most` of them.
    ///
    /// # Errors
    /// `NoPart`; `Unreachable`, `TooSlow`.
    pub async fn history(&self, id: Uuid, below: Option<i64>, most: i64) -> Result<Vec<Entry>, StoreError> {
        let mut connection = self.pool.acquire().await?;
        let (head,): (i64,) = query_as("SELECT head FROM parts WHERE id = $1 AND removed_at IS NULL")
            .bind(id)
            .fetch_one(&mut *connection)
            .await?;
        let entries = query_as(
            "SELECT seq AS entry, parent AS made_on, label, seq = $4 AS is_now, \
             to_char(made_at AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS.MS\"Z\"') AS made_at \
             FROM edits WHERE part = $1 AND ($2::bigint IS NULL OR seq < $2) ORDER BY seq DESC LIMIT $3",
        )
        .bind(id)
        .bind(below)
        .bind(most)
        .bind(head)
        .fetch_all(&mut *connection)
        .await?;
        Ok(entries)
    }

    /// The recipe as it was at an entry of the log.
    ///
    /// # Errors
    /// `NoPart`, `NoEntry`; `Unreachable`, `TooSlow`.
    pub async fn recipe_at(&self, id: Uuid, entry: i64) -> Result<Value, StoreError> {
        let mut connection = self.pool.acquire().await?;
        let (_,): (i64,) = query_as("SELECT head FROM parts WHERE id = $1 AND removed_at IS NULL")
            .bind(id)
            .fetch_one(&mut *connection)
            .await?;
        let recipe: Option<(Value,)> = query_as("SELECT recipe FROM edits WHERE part = $1 AND seq = $2")
            .bind(id)
            .bind(entry)
            .fetch_optional(&mut *connection)
            .await?;
        recipe.map(|(recipe,)| recipe).ok_or(StoreError::NoEntry(entry))
    }
}
