//! Pages that a person reads.

use askama::Template;
use axum::extract::{Form, Path, State};
use axum::http::header;
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::{get, post};
use axum::{Router, http::StatusCode};
use part::steps::{Make, drawing};
use part::{Rebuilt, Recipe};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::picture::{picture, step_picture};
use crate::rejection::{PageRejection, Rejection};
use crate::state::AppState;

pub const OWN_PROJECT: &str = "My parts";

pub fn routes() -> Router<AppState> {
    Router::new()
        .route("/", get(rack))
        .route("/parts", post(new_part))
        .route("/parts/{id}", get(part_page))
        .route("/parts/{id}/picture.png", get(part_picture))
        .route("/parts/{id}/steps/{step}/picture.png", get(picture_of_step))
        .route("/keys", get(keys))
        .fallback(nothing_here)
}

struct RackPart {
    id: Uuid,
    name: String,
    version: i64,
    state: &'static str,
    headline: String,
    figures: String,
}

struct RackProject {
    name: String,
    parts: Vec<RackPart>,
}

#[derive(Template)]
#[template(path = "rack.html")]
struct Rack {
    projects: Vec<RackProject>,
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

fn page(template: &impl Template) -> Result<Html<String>, PageRejection> {
    template.render().map(Html).map_err(|e| Rejection::Unreadable(e.to_string()).into())
}

async fn rack(State(state): State<AppState>) -> Result<Html<String>, PageRejection> {
    let mut projects: Vec<RackProject> = Vec::new();
    for row in state.store.parts().await? {
        // One part that cannot be read must not take the rack down.
        let (part_state, headline, figures) = match state.report(row.id).await {
            Ok(report) if report.bodies.is_empty() => ("empty", report.headline, String::new()),
            Ok(report) => {
                let volume: f64 = report.bodies.iter().filter_map(|b| b.volume_ml).sum();
                let area: f64 = report.bodies.iter().map(|b| b.area_mm2).sum();
                let volume = if volume > 0.0 { format!("{volume:.1} mL · ") } else { String::new() };
                let state = if report.ready { "ready" } else { "left" };
                (state, report.headline, format!("{volume}{:.0} cm²", area / 100.0))
            }
            Err(error) => ("left", error.to_string(), String::new()),
        };
        let part = RackPart {
            id: row.id,
            name: row.name,
            version: row.version,
            state: part_state,
            headline,
            figures,
        };
        match projects.iter_mut().find(|p| p.name == row.project) {
            Some(project) => project.parts.push(part),
            None => projects.push(RackProject { name: row.project, parts: vec![part] }),
        }
    }
    page(&Rack { projects })
}

#[derive(Deserialize)]
struct NewPart {
    name: String,
}

async fn new_part(
    State(state): State<AppState>,
    Form(form): Form<NewPart>,
) -> Result<Redirect, PageRejection> {
    let name = if form.name.trim().is_empty() { "New part" } else { form.name.trim() };
    let recipe = Recipe::new(name);
    recipe.check().map_err(Rejection::from)?;
    let project = state.store.project(OWN_PROJECT).await?;
    let value = serde_json::to_value(&recipe).unwrap_or_default();
    let id = state.store.create_part(project, name, &value).await?;
    Ok(Redirect::to(&format!("/parts/{id}")))
}

async fn part_page(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
) -> Result<Html<String>, PageRejection> {
    let part = state.store.part(id).await?;
    let descriptions = json!({
        "steps": Make::descriptions(),
        "curves": drawing::curve_kinds(),
        "changes": drawing::change_kinds(),
    });
    page(&PartPage { id, name: part.name, descriptions: descriptions.to_string() })
}

async fn part_picture(State(state): State<AppState>, Path(id): Path<Uuid>) -> Result<Response, Rejection> {
    let (_, recipe) = state.part(id).await?;
    let bytes = state
        .workshop
        .run(id, recipe, |_, rebuilt| picture(rebuilt))
        .await?
        .map_err(|e| Rejection::Unreadable(e.to_string()))?;
    Ok(([(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "no-cache")], bytes).into_response())
}

/// What one step made. Its address carries a key of the shape, so that a picture once made can be kept.
async fn picture_of_step(
    State(state): State<AppState>,
    Path((id, step)): Path<(Uuid, String)>,
) -> Result<Response, Rejection> {
    let (_, recipe) = state.part(id).await?;
    let draw = move |recipe: &Recipe, rebuilt: &Rebuilt| {
        let at = recipe.steps.iter().position(|s| s.id == step)?;
        Some(step_picture(&rebuilt.built(at)?.shape))
    };
    let drawn = state.workshop.run(id, recipe, draw).await?;
    let bytes = drawn.ok_or(Rejection::Store(store::StoreError::NoPart))?;
    let bytes = bytes.map_err(|e| Rejection::Unreadable(e.to_string()))?;
    let kept = (header::CACHE_CONTROL, "private, max-age=86400");
    Ok(([(header::CONTENT_TYPE, "image/png"), kept], bytes).into_response())
}

async fn keys() -> Result<Html<String>, PageRejection> {
    let tools = Make::descriptions().into_iter().map(|d| (d.key, d.label, d.purpose)).collect();
    page(&Keys { tools, curves: drawing::curve_kinds() })
}

async fn nothing_here() -> Response {
    let page = PageRejection(Rejection::Store(store::StoreError::NoPart)).into_response();
    (StatusCode::NOT_FOUND, page).into_response()
}
