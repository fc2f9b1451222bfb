//! Pages that a person reads.

use askama::Template;
use axum::Router;
use axum::extract::State;
use axum::http::header;
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use part::steps::{Make, drawing};
use part::{Rebuilt, Recipe};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::asked::{Nothing, Path, Query};
use crate::kept::FOR_GOOD;
use crate::picture::step_picture;
use crate::rejection::{PageRejection, Rejection};
use crate::state::AppState;
use crate::workshop::Urgency;

pub const OWN_PROJECT: &str = "My parts";

pub fn routes() -> Router<AppState> {
    Router::new()
        .route("/parts/{id}", get(part_page))
        .route("/parts/{id}/steps/{step}/picture.png", get(picture_of_step))
        .route("/keys", get(keys))
}

#[derive(Template)]
#[template(path = "part.html")]
struct PartPage {
    id: Uuid,
    name: String,
    /// Descriptions of steps, curves and changes, as JSON.
    descriptions: String,
}

#[derive(Template)]
#[template(path = "keys.html")]
struct Keys {
    tools: Vec<(&'static str, &'static str, &'static str)>,
    curves: Vec<drawing::CurveDescription>,
}

pub fn page(template: &impl Template) -> Result<Html<String>, PageRejection> {
    template.render().map(Html).map_err(|e| Rejection::Fault(e.to_string()).into())
}

async fn part_page(
    State(state): State<AppState>,
    id: Result<Path<Uuid>, Rejection>,
) -> Result<Html<String>, PageRejection> {
    let Path(id) = id?;
    let part = state.store.part(id).await?;
    let descriptions = json!({
        "steps": Make::descriptions(),
        "curves": drawing::curve_kinds(),
        "changes": drawing::change_kinds(),
    });
    page(&PartPage { id, name: part.name, descriptions: descriptions.to_string() })
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct PictureAsked {
    /// The key of the step's shape.
    k: Option<String>,
}

/// What one step made. Its address carries a key of the shape, so that a picture once made can be kept.
async fn picture_of_step(
    State(state): State<AppState>,
    Path((id, step)): Path<(Uuid, String)>,
    Query(asked): Query<PictureAsked>,
) -> Result<Response, Rejection> {
    let (_, recipe) = state.part(id).await?;
    let draw = move |recipe: &Recipe, rebuilt: &Rebuilt| {
        let built = recipe.steps.iter().position(|s| s.id == step).and_then(|at| rebuilt.built(at));
        let near = String::new();
        let built = built.ok_or(Rejection::NoName { what: "built step", name: step, near })?;
        step_picture(&built.shape).map_err(|e| Rejection::Fault(e.to_string()))
    };
    let bytes = state.workshop.run(id, Urgency::Aside, recipe, draw).await?;
    let keep = if asked.k.is_some() { FOR_GOOD } else { crate::kept::ASK_AGAIN };
    let kind = header::HeaderValue::from_static("image/png");
    Ok(([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, keep)], bytes).into_response())
}

async fn keys(nothing: Result<Query<Nothing>, Rejection>) -> Result<Html<String>, PageRejection> {
    nothing?;
    let tools = Make::descriptions().into_iter().map(|d| (d.key, d.label, d.purpose)).collect();
    page(&Keys { tools, curves: drawing::curve_kinds() })
}
