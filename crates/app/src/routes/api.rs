//! The JSON interface that the pages use, open to others.

use axum::body::Bytes;
use axum::extract::rejection::BytesRejection;
use axum::extract::ws::WebSocketUpgrade;
use axum::extract::{Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use part::steps::{Make, StepDescription};
use part::{Edit, Recipe, RecipeError, Report};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use store::{Part, PartRow};
use uuid::Uuid;

use super::pages::OWN_PROJECT;
use crate::live::live;
use crate::rejection::Rejection;
use crate::state::AppState;
use crate::view::{Shown, view};

pub fn routes() -> Router<AppState> {
    Router::new()
        .route("/api/steps", get(steps))
        .route("/api/recipe-schema", get(schema))
        .route("/api/parts", get(parts).post(create))
        .route("/api/parts/{id}", get(part).delete(remove))
        .route("/api/parts/{id}/restore", post(restore))
        .route("/api/parts/{id}/edits", post(edit))
        .route("/api/parts/{id}/undo", post(undo))
        .route("/api/parts/{id}/redo", post(redo))
        .route("/api/parts/{id}/report", get(report))
        .route("/api/parts/{id}/recast", get(recast))
        .route("/api/parts/{id}/nearest", get(nearest_place))
        .route("/api/parts/{id}/view.glb", get(view_glb))
        .route("/api/parts/{id}/live", get(open_live))
}

/// A body that was read whole, or why not.
fn json_body<T: for<'de> Deserialize<'de>>(body: Result<Bytes, BytesRejection>) -> Result<T, Rejection> {
    let bytes = body.map_err(|e| {
        if e.status() == StatusCode::PAYLOAD_TOO_LARGE {
            Rejection::TooLarge
        } else {
            Rejection::Unreadable(e.to_string())
        }
    })?;
    serde_json::from_slice(&bytes).map_err(|e| Rejection::Unreadable(e.to_string()))
}

async fn steps() -> Json<Vec<StepDescription>> {
    Json(Make::descriptions())
}

async fn schema() -> Json<Value> {
    Json(part::recipe_schema())
}

async fn parts(State(state): State<AppState>) -> Result<Json<Vec<PartRow>>, Rejection> {
    Ok(Json(state.store.parts().await?))
}

async fn create(
    State(state): State<AppState>,
    body: Result<Bytes, BytesRejection>,
) -> Result<(StatusCode, Json<Value>), Rejection> {
    let value: Value = json_body(body).map_err(|e| match e {
        Rejection::Unreadable(why) => RecipeError::Unreadable(why).into(),
        other => other,
    })?;
    let recipe = Recipe::from_value(value)?;
    let project = state.store.project(OWN_PROJECT).await?;
    let value = serde_json::to_value(&recipe).map_err(|e| Rejection::Unreadable(e.to_string()))?;
    let id = state.store.create_part(project, &recipe.name, &value).await?;
    Ok((StatusCode::CREATED, Json(json!({"id": id}))))
}

async fn part(State(state): State<AppState>, Path(id): Path<Uuid>) -> Result<Json<Part>, Rejection> {
    Ok(Json(state.store.part(id).await?))
}

async fn remove(State(state): State<AppState>, Path(id): Path<Uuid>) -> Result<StatusCode, Rejection> {
    state.store.set_removed(id, true).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn restore(State(state): State<AppState>, Path(id): Path<Uuid>) -> Result<StatusCode, Rejection> {
    state.store.set_removed(id, false).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[derive(Deserialize, JsonSchema)]
pub(super) struct Edits {
    /// The version that the edits were made on.
    version: i64,
    /// In order; they stand or fall together.
    edits: Vec<Edit>,
    /// A step that must not fail by them: where it is built now and would not be, they are refused with the reason.
    #[serde(default)]
    must_build: Option<String>,
}

#[derive(Deserialize, JsonSchema)]
pub(super) struct OnVersion {
    /// The version that this is based on.
    version: i64,
}

#[derive(Serialize, JsonSchema)]
pub(super) struct Edited {
    #[serde(flatten)]
    part: Part,
    /// The id of the step that was added last, if any was.
    added: Option<String>,
}

/// Refuses a change by which a step that is built now would fail.
async fn check_built(
    state: &AppState,
    id: Uuid,
    now: &Recipe,
    changed: &Recipe,
    step: String,
) -> Result<(), Rejection> {
    let fault = |step: String| {
        move |_: &Recipe, rebuilt: &part::Rebuilt| {
            let result = rebuilt.steps.iter().find(|s| s.step == step);
            match result.map(|s| &s.outcome) {
                Some(part::Outcome::Failed(notice)) => Some(notice.clone()),
                _ => None,
            }
        }
    };
    let Some(notice) = state.workshop.run(id, changed.clone(), fault(step.clone())).await? else {
        return Ok(());
    };
    match state.workshop.run(id, now.clone(), fault(step)).await? {
        // It failed before; whatever mends it a little is welcome.
        Some(_) => Ok(()),
        None => Err(Rejection::Unbuilt(Box::new(notice))),
    }
}

async fn edit(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    body: Result<Bytes, BytesRejection>,
) -> Result<Json<Edited>, Rejection> {
    let Edits { version, edits, must_build } = json_body(body)?;
    let (part, recipe) = state.part(id).await?;
    if part.version != version {
        return Err(store::StoreError::Conflict { current: part.version, yours: version }.into());
    }
    let edit = match <[Edit; 1]>::try_from(edits) {
        Ok([one]) => one,
        Err(edits) => Edit::All { edits },
    };
    let changed = edit.apply(&recipe)?;
    if let Some(step) = must_build {
        check_built(&state, id, &recipe, &changed, step).await?;
    }
    let added = changed.steps.iter().find(|s| recipe.step(&s.id).is_none()).map(|s| s.id.clone());
    let as_json = |e: serde_json::Error| Rejection::Unreadable(e.to_string());
    let (log, value) =
        (serde_json::to_value(&edit).map_err(as_json)?, serde_json::to_value(&changed).map_err(as_json)?);
    state.store.append(id, version, &edit.label(&recipe), &log, &value, &changed.name).await?;
    Ok(Json(Edited { part: state.store.part(id).await?, added }))
}

async fn step_history(
    state: &AppState,
    id: Uuid,
    body: Result<Bytes, BytesRejection>,
    back: bool,
) -> Result<Json<Part>, Rejection> {
    let OnVersion { version } = json_body(body)?;
    state.store.step_history(id, version, back).await?;
    Ok(Json(state.store.part(id).await?))
}

async fn undo(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    body: Result<Bytes, BytesRejection>,
) -> Result<Json<Part>, Rejection> {
    step_history(&state, id, body, true).await
}

async fn redo(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    body: Result<Bytes, BytesRejection>,
) -> Result<Json<Part>, Rejection> {
    step_history(&state, id, body, false).await
}

async fn report(State(state): State<AppState>, Path(id): Path<Uuid>) -> Result<Json<Report>, Rejection> {
    Ok(Json(state.report(id).await?))
}

#[derive(Deserialize)]
struct RecastAsked {
    /// The drawing.
    step: String,
    /// The curve.
    curve: String,
    /// Control points wanted.
    points: usize,
    /// Degree wanted.
    degree: usize,
}

#[derive(Serialize, JsonSchema)]
pub(super) struct Recast {
    /// What the recast curve would differ by, in millimetres.
    deviation: f64,
}

async fn recast(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(asked): Query<RecastAsked>,
) -> Result<Json<Recast>, Rejection> {
    let (_, recipe) = state.part(id).await?;
    let deviation = part::recast_deviation(&recipe, &asked.step, &asked.curve, asked.points, asked.degree)?;
    Ok(Json(Recast { deviation }))
}

#[derive(Deserialize)]
struct NearestAsked {
    /// The drawing.
    step: String,
    /// A place of its plane, in millimetres.
    x: f64,
    /// A place of its plane, in millimetres.
    y: f64,
}

#[derive(Serialize, JsonSchema)]
pub(super) struct Nearest {
    /// The place on the drawing's curves, in its plane, in millimetres; none where it has no curve.
    at: Option<[f64; 2]>,
}

async fn nearest_place(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(asked): Query<NearestAsked>,
) -> Result<Json<Nearest>, Rejection> {
    let (_, recipe) = state.part(id).await?;
    let find = move |recipe: &Recipe, rebuilt: &part::Rebuilt| {
        part::nearest_on_drawing(recipe, rebuilt, &asked.step, [asked.x, asked.y])
    };
    Ok(Json(Nearest { at: state.workshop.run(id, recipe, find).await? }))
}

async fn view_glb(State(state): State<AppState>, Path(id): Path<Uuid>) -> Result<Response, Rejection> {
    let (_, recipe) = state.part(id).await?;
    let bytes =
        state.workshop.run(id, recipe, |recipe, rebuilt| view(recipe, rebuilt, &Shown::default())).await?;
    let headers = [(header::CONTENT_TYPE, "model/gltf-binary"), (header::CACHE_CONTROL, "no-store")];
    Ok((headers, bytes).into_response())
}

async fn open_live(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    upgrade: WebSocketUpgrade,
) -> Result<Response, Rejection> {
    state.store.part(id).await?;
    Ok(upgrade.max_message_size(super::MOST_BYTES).on_upgrade(move |socket| live(socket, state, id)))
}
