//! Every state that a part ever had.

use axum::extract::State;
use axum::routing::get;
use axum::{Json, Router};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use store::Entry;
use uuid::Uuid;

use crate::asked::{Nothing, Path, Query};
use crate::rejection::Rejection;
use crate::state::AppState;

pub fn routes() -> Router<AppState> {
    Router::new()
        .route("/api/parts/{id}/history", get(history))
        .route("/api/parts/{id}/history/{entry}", get(old_recipe))
}

/// Entries in one answer, where it is not said.
const ENTRIES: u16 = 100;

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HistoryAsked {
    /// Only entries below this number.
    below: Option<i64>,
    /// At most this many, 1 to 1000.
    most: Option<u16>,
}

/// A part's log, newest first.
#[derive(Serialize, JsonSchema)]
pub struct History {
    /// Entries.
    entries: Vec<Entry>,
}

async fn history(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(asked): Query<HistoryAsked>,
) -> Result<Json<History>, Rejection> {
    let most = i64::from(asked.most.unwrap_or(ENTRIES).clamp(1, 1000));
    Ok(Json(History { entries: state.store.history(id, asked.below, most).await? }))
}

async fn old_recipe(
    State(state): State<AppState>,
    Path((id, entry)): Path<(Uuid, i64)>,
    Query(Nothing {}): Query<Nothing>,
) -> Result<Json<Value>, Rejection> {
    Ok(Json(state.store.recipe_at(id, entry).await?))
}
