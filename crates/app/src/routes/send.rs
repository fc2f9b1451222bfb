//! Files that leave the program.

use std::fmt::Write as _;
use std::io::{Seek, SeekFrom};
use std::sync::Arc;

use axum::Router;
use axum::body::Body;
use axum::extract::State;
use axum::http::{HeaderMap, header};
use axum::response::Response;
use axum::routing::get;
use exchange::{Export, Format};
use futures_util::StreamExt;
use part::Recipe;
use schemars::JsonSchema;
use serde::Deserialize;
use tokio_util::io::ReaderStream;
use uuid::Uuid;

use crate::asked::{Nothing, Path, Query};
use crate::build::{result_bodies, set_parameter};
use crate::kept::{ASK_AGAIN, is_known, not_changed, tag};
use crate::rejection::Rejection;
use crate::state::AppState;
use crate::workshop::Urgency;

/// Chord tolerance in millimetres, where none is given.
const DEFAULT_CHORD: f64 = 0.05;
/// Bytes of a file that are held while it is sent.
const PIECE: usize = 64 << 10;

pub fn routes() -> Router<AppState> {
    Router::new()
        .route("/api/parts/{id}/send/{format}", get(send))
        .route("/api/parts/{id}/recipe.json", get(recipe_file))
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SendAsked {
    /// Chord tolerance of triangles in millimetres.
    chord: Option<f64>,
    /// Parameters set for this file only, each as `name=value`, for example `wall=3mm`.
    #[serde(default)]
    set: Vec<String>,
}

/// The header that names a file (RFC 6266), with its whole name in any script (RFC 8187) beside a plain one.
fn disposition(name: &str, ending: &str) -> String {
    let plain: String = name
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() || c == '-' { c.to_ascii_lowercase() } else { '-' })
        .collect();
    let plain = plain.trim_matches('-');
    let plain = if plain.is_empty() { "part" } else { plain };
    let mut whole = String::new();
    // Characters that file systems give a meaning of their own stay out.
    for c in name
        .trim()
        .chars()
        .map(|c| if matches!(c, '/' | '\\' | ':' | '*' | '?' | '"' | '<' | '>' | '|') { '-' } else { c })
    {
        if c.is_ascii_alphanumeric() || matches!(c, '-' | '.' | '_' | '~') {
            whole.push(c);
        } else {
            for byte in c.encode_utf8(&mut [0; 4]).bytes() {
                // Writing into a String cannot fail.
                let _ = write!(whole, "%{byte:02X}");
            }
        }
    }
    format!("attachment; filename=\"{plain}.{ending}\"; filename*=UTF-8''{whole}.{ending}")
}

/// A part's recipe with parameters set by a request, made off the async threads.
pub async fn recipe_with(
    state: &AppState,
    recipe: Arc<Recipe>,
    set: Vec<String>,
) -> Result<Arc<Recipe>, Rejection> {
    if set.is_empty() {
        return Ok(recipe);
    }
    let changed = move || {
        let mut recipe = Recipe::clone(&recipe);
        for assignment in &set {
            set_parameter(&mut recipe, assignment)?;
        }
        recipe.check()?;
        Ok(Arc::new(recipe))
    };
    state.workshop.read(changed).await
}

async fn send(
    State(state): State<AppState>,
    Path((id, ending)): Path<(Uuid, String)>,
    Query(asked): Query<SendAsked>,
    headers: HeaderMap,
) -> Result<Response, Rejection> {
    let format = Format::from_ending(&ending)?;
    let chord = asked.chord.unwrap_or(DEFAULT_CHORD);
    let (part, recipe) = state.part(id).await?;
    let tag = tag(part.version, &format!("{} {chord} {:?}", format.ending(), asked.set));
    if is_known(&headers, &tag) {
        return Ok(not_changed(tag));
    }
    let place = Arc::clone(&state.files).try_acquire_owned().map_err(|_| Rejection::Busy)?;
    let recipe = recipe_with(&state, recipe, asked.set).await?;
    // Written to a file without a name, and read from it as fast as the other side takes it.
    let write = move |recipe: &Recipe, rebuilt: &part::Rebuilt| {
        let lost = |e: std::io::Error| Rejection::Fault(format!("no room for the file: {e}"));
        let mut file = tempfile::tempfile().map_err(lost)?;
        let bodies = result_bodies(recipe, rebuilt);
        Export { part: &recipe.name, bodies, chord }.write_to(format, &mut file)?;
        let length = file.seek(SeekFrom::End(0)).map_err(lost)?;
        file.rewind().map_err(lost)?;
        Ok((file, length))
    };
    let (file, length) = state.workshop.run(id, Urgency::Aside, recipe, write).await?;
    let pieces = ReaderStream::with_capacity(tokio::fs::File::from_std(file), PIECE);
    let pieces = pieces.map(move |piece| {
        // Held until the last piece is sent.
        let _ = &place;
        piece
    });
    Response::builder()
        .header(header::CONTENT_TYPE, format.media_type())
        .header(header::CONTENT_LENGTH, length)
        .header(header::CONTENT_DISPOSITION, disposition(&part.name, format.ending()))
        .header(header::ETAG, tag)
        .header(header::CACHE_CONTROL, ASK_AGAIN)
        .body(Body::from_stream(pieces))
        .map_err(|e| Rejection::Fault(e.to_string()))
}

async fn recipe_file(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(Nothing {}): Query<Nothing>,
    headers: HeaderMap,
) -> Result<Response, Rejection> {
    let (part, recipe) = state.part(id).await?;
    let tag = tag(part.version, "recipe");
    if is_known(&headers, &tag) {
        return Ok(not_changed(tag));
    }
    let bytes = serde_json::to_vec_pretty(&*recipe).map_err(|e| Rejection::Fault(e.to_string()))?;
    let kind = "application/json".to_string();
    let about =
        [(header::CONTENT_TYPE, kind), (header::CONTENT_DISPOSITION, disposition(&part.name, "json"))];
    Ok(crate::kept::tagged(tag, (about, bytes)))
}
