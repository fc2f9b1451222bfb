//! The rack: parts a page at a time, with what is kept of each.

use askama::Template;
use axum::extract::rejection::FormRejection;
use axum::extract::{Form, State};
use axum::http::header;
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use part::Recipe;
use serde::{Deserialize, Serialize};
use store::{Part, PartQuery, Summary};
use uuid::Uuid;

use super::pages::{OWN_PROJECT, page};
use crate::asked::{Nothing, Path, Query};
use crate::kept::{FOR_GOOD, program};
use crate::picture::picture;
use crate::rejection::{PageRejection, Rejection};
use crate::state::AppState;
use crate::workshop::Urgency;

pub fn routes() -> Router<AppState> {
    Router::new()
        .route("/", get(rack))
        .route("/parts", post(new_part))
        .route("/parts/{id}/summary", get(summary))
        .route("/parts/{id}/picture.png", get(part_picture))
}

/// Parts on one page of the rack.
const ON_A_PAGE: i64 = 60;

struct RackPart {
    id: Uuid,
    name: String,
    version: i64,
    /// None while it is not known; the page asks for it.
    summary: Option<Summary>,
}

struct RackProject {
    name: String,
    parts: Vec<RackPart>,
}

#[derive(Template)]
#[template(path = "rack.html")]
struct Rack {
    projects: Vec<RackProject>,
    search: String,
    page: i64,
    pages: i64,
    total: i64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RackAsked {
    #[serde(default)]
    search: String,
    page: Option<u32>,
}

async fn rack(
    State(state): State<AppState>,
    asked: Result<Query<RackAsked>, Rejection>,
) -> Result<Html<String>, PageRejection> {
    let Query(asked) = asked?;
    let number = i64::from(asked.page.unwrap_or(1).max(1));
    let search: String = asked.search.chars().filter(|c| !c.is_control()).take(80).collect();
    let query =
        PartQuery { search: search.clone(), removed: false, skip: (number - 1) * ON_A_PAGE, most: ON_A_PAGE };
    let found = state.store.parts(&query).await?;
    let ids: Vec<Uuid> = found.parts.iter().map(|p| p.id).collect();
    let mut summaries = state.store.summaries(&ids, program()).await?;
    let mut projects: Vec<RackProject> = Vec::new();
    for row in found.parts {
        let at = summaries.iter().position(|s| s.part == row.id && s.version == row.version);
        let summary = at.map(|at| summaries.swap_remove(at));
        let part = RackPart { id: row.id, name: row.name, version: row.version, summary };
        match projects.last_mut().filter(|p| p.name == row.project) {
            Some(project) => project.parts.push(part),
            None => projects.push(RackProject { name: row.project, parts: vec![part] }),
        }
    }
    let pages = (found.total + ON_A_PAGE - 1) / ON_A_PAGE;
    page(&Rack { projects, search, page: number, pages: pages.max(1), total: found.total })
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct NewPart {
    name: String,
}

async fn new_part(
    State(state): State<AppState>,
    form: Result<Form<NewPart>, FormRejection>,
) -> Result<Redirect, PageRejection> {
    let Form(form) = form?;
    let name = if form.name.trim().is_empty() { "New part" } else { form.name.trim() };
    let recipe = Recipe::new(name);
    recipe.check().map_err(Rejection::from)?;
    let value = serde_json::to_value(&recipe).map_err(|e| Rejection::Unreadable(e.to_string()))?;
    let id = state.store.create_part(OWN_PROJECT, name, &value, None).await?;
    Ok(Redirect::to(&format!("/parts/{id}")))
}

fn summed_up(part: &Part, report: &part::Report) -> Summary {
    let (state, figures) = if report.bodies.is_empty() {
        ("empty", String::new())
    } else {
        let volume: f64 = report.bodies.iter().filter_map(|b| b.volume_ml).sum();
        let area: f64 = report.bodies.iter().map(|b| b.area_mm2).sum();
        let volume = if volume > 0.0 { format!("{volume:.1} mL · ") } else { String::new() };
        (if report.ready { "ready" } else { "left" }, format!("{volume}{:.0} cm²", area / 100.0))
    };
    let (state, headline) = (state.to_string(), report.headline.clone());
    Summary { part: part.id, version: part.version, state, headline, figures }
}

/// What the rack shows of a part: what is kept, or made now and kept. What cannot be read or built is shown as that.
async fn made(state: &AppState, id: Uuid) -> Result<(Summary, Vec<u8>), Rejection> {
    let part = state.store.part(id).await?;
    let shown = async {
        let recipe = state.recipe_of(&part).await?;
        let of = part.clone();
        let make = move |recipe: &Recipe, rebuilt: &part::Rebuilt| {
            let drawn = picture(rebuilt).map_err(|e| Rejection::Fault(e.to_string()))?;
            Ok((summed_up(&of, &part::report(recipe, rebuilt)), drawn))
        };
        state.workshop.run(id, Urgency::Aside, recipe, make).await
    };
    let (summary, drawn) = match shown.await {
        Ok(shown) => shown,
        // One part that cannot be read must not take the rack down; and it stays so until it is changed.
        Err(why @ (Rejection::Recipe(_) | Rejection::UsedUp(_) | Rejection::Fault(_))) => {
            let headline = crate::rejection::told(&why.to_string());
            let (state, figures) = ("left".to_string(), String::new());
            (Summary { part: id, version: part.version, state, headline, figures }, Vec::new())
        }
        Err(other) => return Err(other),
    };
    if let Err(error) = state.store.keep(&summary, program(), &drawn).await {
        tracing::warn!(%error, "what the rack shows is not kept");
    }
    Ok((summary, drawn))
}

#[derive(Serialize)]
struct Shown {
    state: String,
    headline: String,
    figures: String,
}

async fn summary(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(Nothing {}): Query<Nothing>,
) -> Result<Json<Shown>, Rejection> {
    let kept = state.store.summaries(&[id], program()).await?.pop();
    let Summary { state, headline, figures, .. } = match kept {
        Some(summary) => summary,
        None => made(&state, id).await?.0,
    };
    Ok(Json(Shown { state, headline, figures }))
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct PictureAsked {
    /// The version, so that a picture once made can be kept.
    v: Option<i64>,
}

async fn part_picture(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(asked): Query<PictureAsked>,
) -> Result<Response, Rejection> {
    let bytes = match state.store.picture(id, program()).await? {
        Some(picture) => picture,
        None => made(&state, id).await?.1,
    };
    if bytes.is_empty() {
        return Err(Rejection::NoName { what: "picture", name: id.to_string(), near: String::new() });
    }
    let keep = if asked.v.is_some() { FOR_GOOD } else { crate::kept::ASK_AGAIN };
    let kind = header::HeaderValue::from_static("image/png");
    Ok(([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, keep)], bytes).into_response())
}
