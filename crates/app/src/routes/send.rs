//! Files that leave the program.

use axum::Router;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use exchange::{Export, Format};
use part::{Rebuilt, Recipe};
use serde::Deserialize;
use uuid::Uuid;

use crate::build::result_bodies;
use crate::rejection::Rejection;
use crate::state::AppState;

const DEFAULT_CHORD: f64 = 0.05;

pub fn routes() -> Router<AppState> {
    Router::new()
        .route("/api/parts/{id}/send/{format}", get(send))
        .route("/api/parts/{id}/recipe.json", get(recipe_file))
}

#[derive(Deserialize)]
struct Options {
    /// Chord tolerance in millimetres.
    chord: Option<f64>,
}

fn attachment(name: &str, ending: &str, media_type: &str, bytes: Vec<u8>) -> Response {
    let safe: String = name
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() || c == '-' { c.to_ascii_lowercase() } else { '-' })
        .collect();
    let disposition = format!("attachment; filename=\"{}.{ending}\"", safe.trim_matches('-'));
    let headers =
        [(header::CONTENT_TYPE, media_type.to_string()), (header::CONTENT_DISPOSITION, disposition)];
    (headers, bytes).into_response()
}

fn write(recipe: &Recipe, rebuilt: &Rebuilt, format: Format, chord: f64) -> Result<Vec<u8>, Rejection> {
    let bodies = result_bodies(recipe, rebuilt);
    Ok(Export { part: &recipe.name, bodies, chord }.write(format)?)
}

async fn send(
    State(state): State<AppState>,
    Path((id, ending)): Path<(Uuid, String)>,
    Query(options): Query<Options>,
) -> Result<Response, Rejection> {
    let format = Format::from_ending(&ending)?;
    let chord = options.chord.unwrap_or(DEFAULT_CHORD);
    let (part, recipe) = state.part(id).await?;
    let bytes = state
        .workshop
        .run(id, recipe, move |recipe, rebuilt| write(recipe, rebuilt, format, chord))
        .await??;
    Ok(attachment(&part.name, format.ending(), format.media_type(), bytes))
}

async fn recipe_file(State(state): State<AppState>, Path(id): Path<Uuid>) -> Result<Response, Rejection> {
    let (part, recipe) = state.part(id).await?;
    let bytes = serde_json::to_vec_pretty(&recipe).map_err(|e| Rejection::Unreadable(e.to_string()))?;
    Ok(attachment(&part.name, "json", "application/json", bytes))
}
