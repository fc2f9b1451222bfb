//! The JSON interface that the pages use, open to others: parts, their edits, and what is known of them.

use std::sync::Arc;

use axum::extract::State;
use axum::extract::ws::WebSocketUpgrade;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use exchange::Format;
use part::steps::{EndAgrees, Make, StepDescription};
use part::{Edit, MOST_BYTES, NamedShapes, RecastForm, Recipe, RecipeError};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use store::{Key, NewEdit, Part, PartQuery, PartRow, Saved, StoreError};
use uuid::Uuid;

use super::pages::OWN_PROJECT;
use super::send::recipe_with;
use crate::asked::{Body, Nothing, Path, Query};
use crate::kept::{is_known, not_changed, tag, tagged};
use crate::live::live;
use crate::rejection::Rejection;
use crate::state::AppState;
use crate::view::{Shown, view};
use crate::workshop::Urgency;

pub fn routes() -> Router<AppState> {
    Router::new()
        .route("/api/steps", get(steps))
        .route("/api/recipe-schema", get(schema))
        .route("/api/parts", get(parts).post(create))
        .route("/api/parts/{id}", get(part).delete(remove))
        .route("/api/parts/{id}/restore", post(restore))
        .route("/api/parts/{id}/copy", post(copy))
        .route("/api/parts/{id}/rename", post(rename))
        .route("/api/parts/{id}/edits", post(edit))
        .route("/api/parts/{id}/undo", post(undo))
        .route("/api/parts/{id}/redo", post(redo))
        .route("/api/parts/{id}/report", get(report))
        .route("/api/parts/{id}/topology", get(topology))
        .route("/api/parts/{id}/recast", get(recast))
        .route("/api/parts/{id}/nearest", get(nearest_place))
        .route("/api/parts/{id}/view.glb", get(view_glb))
        .route("/api/parts/{id}/live", get(open_live))
}

async fn steps(_: Query<Nothing>) -> Json<Vec<StepDescription>> {
    Json(Make::descriptions())
}

async fn schema(_: Query<Nothing>) -> Json<Value> {
    Json(part::recipe_schema())
}

/// Parts in one answer, where it is not said.
const PER_PAGE: u16 = 100;
const MOST_PER_PAGE: u16 = 500;

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PartsAsked {
    /// Words that stand in the name of the part or of its project.
    #[serde(default)]
    search: String,
    /// Those that were removed instead of those on the rack.
    #[serde(default)]
    removed: bool,
    /// Which page, counted from 1.
    page: Option<u32>,
    /// Parts on a page, 1 to 500.
    per_page: Option<u16>,
}

/// A page of parts.
#[derive(Serialize, JsonSchema)]
pub struct Parts {
    /// The parts, by project, oldest first.
    parts: Vec<PartRow>,
    /// How many there are on all pages.
    total: i64,
    /// Which page this is.
    page: u32,
    /// Parts on a page.
    per_page: u16,
}

async fn parts(
    State(state): State<AppState>,
    Query(asked): Query<PartsAsked>,
) -> Result<Json<Parts>, Rejection> {
    let per_page = asked.per_page.unwrap_or(PER_PAGE);
    let page = asked.page.unwrap_or(1);
    if page == 0 || !(1..=MOST_PER_PAGE).contains(&per_page) {
        let why = format!("pages count from 1, and hold 1 to {MOST_PER_PAGE} parts");
        return Err(Rejection::Unreadable(why));
    }
    if asked.search.chars().any(char::is_control) {
        return Err(Rejection::Unreadable("the words looked for hold a control character".into()));
    }
    let most = i64::from(per_page);
    let query =
        PartQuery { search: asked.search, removed: asked.removed, skip: most * (i64::from(page) - 1), most };
    let found = state.store.parts(&query).await?;
    Ok(Json(Parts { parts: found.parts, total: found.total, page, per_page }))
}

/// A part that was made.
#[derive(Serialize, JsonSchema)]
pub struct Made {
    /// Its id.
    id: Uuid,
}

async fn make(
    state: &AppState,
    recipe: &Recipe,
    key: Option<&Key>,
) -> Result<(StatusCode, [(header::HeaderName, String); 1], Json<Made>), Rejection> {
    let value = serde_json::to_value(recipe).map_err(|e| Rejection::Fault(e.to_string()))?;
    let id = state.store.create_part(OWN_PROJECT, &recipe.name, &value, key).await?;
    Ok((StatusCode::CREATED, [(header::LOCATION, format!("/api/parts/{id}"))], Json(Made { id })))
}

async fn create(
    State(state): State<AppState>,
    _: Query<Nothing>,
    body: Result<Body<Value>, Rejection>,
) -> Result<impl IntoResponse, Rejection> {
    let Body { value, key } = body.map_err(|e| match e {
        Rejection::Body(why) => RecipeError::Unreadable(why).into(),
        other => other,
    })?;
    let (recipe, _) = state.read_recipe(value).await?;
    make(&state, &recipe, key.as_ref()).await
}

async fn part(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    _: Query<Nothing>,
    headers: HeaderMap,
) -> Result<Response, Rejection> {
    let mut part = state.store.part(id).await?;
    let tag = tag(part.version, "part");
    if is_known(&headers, &tag) {
        return Ok(not_changed(tag));
    }
    in_newest_form(&state, &mut part).await?;
    Ok(tagged(tag, Json(part)))
}

/// Puts the recipe of a part into the newest form, in which edits speak of it.
async fn in_newest_form(state: &AppState, part: &mut Part) -> Result<(), Rejection> {
    if part.recipe["version"] != part::RECIPE_VERSION {
        let recipe = state.recipe_of(part).await?;
        part.recipe = serde_json::to_value(&*recipe).map_err(|e| Rejection::Fault(e.to_string()))?;
    }
    Ok(())
}

async fn remove(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    _: Query<Nothing>,
) -> Result<StatusCode, Rejection> {
    state.store.set_removed(id, true).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn restore(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    _: Query<Nothing>,
) -> Result<StatusCode, Rejection> {
    state.store.set_removed(id, false).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewName {
    /// What the copy is called; without it, the part's name with `copy`.
    #[serde(default)]
    name: Option<String>,
}

async fn copy(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    _: Query<Nothing>,
    Body { value: NewName { name }, key }: Body<NewName>,
) -> Result<impl IntoResponse, Rejection> {
    let (part, recipe) = state.part(id).await?;
    let name = name.unwrap_or_else(|| part.name.chars().take(70).chain(" copy".chars()).collect());
    let renamed = Edit::RenamePart { name }.apply(&recipe)?;
    make(&state, &renamed, key.as_ref()).await
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Rename {
    /// The version that this is based on.
    version: i64,
    /// The new name.
    name: String,
}

async fn rename(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    _: Query<Nothing>,
    Body { value: Rename { version, name }, key }: Body<Rename>,
) -> Result<Json<Edited>, Rejection> {
    let edits = vec![Edit::RenamePart { name }];
    change(&state, id, Edits { version, edits, must_build: None }, key).await
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Edits {
    /// The version that the edits were made on.
    version: i64,
    /// In order, at least one; they stand or fall together.
    edits: Vec<Edit>,
    /// A step that must not fail by them: where it is built now and would not be, they are refused with the reason.
    #[serde(default)]
    must_build: Option<String>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OnVersion {
    /// The version that this is based on.
    version: i64,
}

/// A part as edits left it.
#[derive(Serialize, JsonSchema)]
pub struct Edited {
    #[serde(flatten)]
    part: Part,
    /// The id of the step that was added last, if any was.
    added: Option<String>,
}

/// Refuses a change by which a step that is built now would fail.
async fn check_built(
    state: &AppState,
    id: Uuid,
    now: &Arc<Recipe>,
    changed: &Arc<Recipe>,
    step: String,
) -> Result<(), Rejection> {
    let fault = |step: String| {
        move |_: &Recipe, rebuilt: &part::Rebuilt| {
            let result = rebuilt.steps.iter().find(|s| s.step == step);
            Ok(match result.map(|s| &s.outcome) {
                Some(part::Outcome::Failed(notice)) => Some(notice.clone()),
                _ => None,
            })
        }
    };
    let run = |recipe: &Arc<Recipe>| {
        state.workshop.run(id, Urgency::AtHand, Arc::clone(recipe), fault(step.clone()))
    };
    let Some(notice) = run(changed).await? else { return Ok(()) };
    match run(now).await? {
        // It failed before; whatever mends it a little is welcome.
        Some(_) => Ok(()),
        None => Err(Rejection::Unbuilt(Box::new(notice))),
    }
}

async fn change(
    state: &AppState,
    id: Uuid,
    Edits { version, edits, must_build }: Edits,
    key: Option<Key>,
) -> Result<Json<Edited>, Rejection> {
    // Sent again, the version has moved on by the first time; that is no conflict.
    if let Some(key) = &key
        && let Some((done, added)) = state.store.carried_out(key).await?
    {
        return Ok(Json(Edited { part: state.store.part(done).await?, added }));
    }
    let (part, recipe) = state.part(id).await?;
    if part.version != version {
        return Err(StoreError::Conflict { current: part.version, yours: version }.into());
    }
    let edit = match <[Edit; 1]>::try_from(edits) {
        Ok([one]) => one,
        Err(edits) => Edit::All { edits },
    };
    let before = Arc::clone(&recipe);
    let applied = move || {
        let changed = edit.apply(&before)?;
        if let Some(step) = &must_build {
            changed.has_step(step)?;
        }
        let added = changed.steps.iter().find(|s| before.step(&s.id).is_none()).map(|s| s.id.clone());
        let as_json = |e: serde_json::Error| Rejection::Fault(e.to_string());
        let log = serde_json::to_value(&edit).map_err(as_json)?;
        let value = serde_json::to_value(&changed).map_err(as_json)?;
        Ok((Arc::new(changed), added, log, value, edit.label(&before), must_build))
    };
    let (changed, added, log, value, label, must_build) = state.workshop.read(applied).await?;
    if let Some(step) = must_build {
        check_built(state, id, &recipe, &changed, step).await?;
    }
    let new = NewEdit {
        version,
        label: &label,
        edit: &log,
        recipe: &value,
        name: &changed.name,
        added: added.as_deref(),
    };
    let Saved { part, added } = state.store.append(id, &new, key.as_ref()).await?;
    Ok(Json(Edited { part, added }))
}

async fn edit(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    _: Query<Nothing>,
    Body { value, key }: Body<Edits>,
) -> Result<Json<Edited>, Rejection> {
    change(&state, id, value, key).await
}

async fn step_history(
    state: &AppState,
    id: Uuid,
    Body { value: OnVersion { version }, key }: Body<OnVersion>,
    back: bool,
) -> Result<Json<Part>, Rejection> {
    let mut part = state.store.step_history(id, version, back, key.as_ref()).await?;
    in_newest_form(state, &mut part).await?;
    Ok(Json(part))
}

async fn undo(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    _: Query<Nothing>,
    body: Body<OnVersion>,
) -> Result<Json<Part>, Rejection> {
    step_history(&state, id, body, true).await
}

async fn redo(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    _: Query<Nothing>,
    body: Body<OnVersion>,
) -> Result<Json<Part>, Rejection> {
    step_history(&state, id, body, false).await
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Set {
    /// Parameters set for this answer only, each as `name=value`, for example `wall=3mm`.
    #[serde(default)]
    set: Vec<String>,
}

/// What is made of a part as it is built, with parameters set by the request, under a tag of all that it depends on.
async fn made_of<T: IntoResponse + Send + 'static>(
    state: &AppState,
    id: Uuid,
    headers: &HeaderMap,
    (what, set): (&str, Vec<String>),
    then: impl FnOnce(&Recipe, &part::Rebuilt) -> Result<T, Rejection> + Send + 'static,
) -> Result<Response, Rejection> {
    let (part, recipe) = state.part(id).await?;
    let tag = tag(part.version, &format!("{what} {set:?}"));
    if is_known(headers, &tag) {
        return Ok(not_changed(tag));
    }
    let recipe = recipe_with(state, recipe, set).await?;
    Ok(tagged(tag, state.workshop.run(id, Urgency::AtHand, recipe, then).await?))
}

async fn report(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(Set { set }): Query<Set>,
    headers: HeaderMap,
) -> Result<Response, Rejection> {
    let report = |recipe: &Recipe, rebuilt: &part::Rebuilt| Ok(Json(part::report(recipe, rebuilt)));
    made_of(&state, id, &headers, ("report", set), report).await
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TopologyAsked {
    /// The step whose shapes are named; without it those that the part comes to.
    step: Option<String>,
    /// Parameters set for this answer only, each as `name=value`, for example `wall=3mm`.
    #[serde(default)]
    set: Vec<String>,
}

async fn topology(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(TopologyAsked { step, set }): Query<TopologyAsked>,
    headers: HeaderMap,
) -> Result<Response, Rejection> {
    let what = format!("topology {step:?}");
    let named =
        move |recipe: &Recipe, rebuilt: &part::Rebuilt| -> Result<Json<Vec<NamedShapes>>, Rejection> {
            let named = part::named_shapes(recipe, rebuilt, step.as_deref());
            named.map(Json).map_err(|near| Rejection::NoName {
                what: "built step",
                name: step.unwrap_or_default(),
                near,
            })
        };
    made_of(&state, id, &headers, (&what, set), named).await
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RecastAsked {
    /// The drawing.
    step: String,
    /// The curve.
    curve: String,
    /// Control points wanted.
    points: usize,
    /// Degree wanted.
    degree: usize,
    /// What the ends are to keep.
    #[serde(default)]
    ends: EndAgrees,
}

/// What recasting a curve would cost.
#[derive(Serialize, JsonSchema)]
pub struct Recast {
    /// What the recast curve would differ by, in millimetres.
    deviation: f64,
}

async fn recast(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(asked): Query<RecastAsked>,
) -> Result<Json<Recast>, Rejection> {
    let (_, recipe) = state.part(id).await?;
    let RecastAsked { step, curve, points, degree, ends } = asked;
    let found =
        move || Ok(part::recast_deviation(&recipe, &step, &curve, RecastForm { points, degree, ends })?);
    Ok(Json(Recast { deviation: state.workshop.read(found).await? }))
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NearestAsked {
    /// The drawing.
    step: String,
    /// A place of its plane, in millimetres.
    x: f64,
    /// A place of its plane, in millimetres.
    y: f64,
}

/// The nearest place of a drawing's curves.
#[derive(Serialize, JsonSchema)]
pub struct Nearest {
    /// The place, in the drawing's plane, in millimetres; none where it has no curve.
    at: Option<[f64; 2]>,
}

async fn nearest_place(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(asked): Query<NearestAsked>,
) -> Result<Json<Nearest>, Rejection> {
    if !(asked.x.is_finite() && asked.y.is_finite()) {
        return Err(Rejection::Unreadable("x and y are finite numbers".into()));
    }
    let (_, recipe) = state.part(id).await?;
    recipe.has_step(&asked.step)?;
    let find = move |recipe: &Recipe, rebuilt: &part::Rebuilt| {
        Ok(part::nearest_on_drawing(recipe, rebuilt, &asked.step, [asked.x, asked.y]))
    };
    Ok(Json(Nearest { at: state.workshop.run(id, Urgency::AtHand, recipe, find).await? }))
}

async fn view_glb(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    Query(Set { set }): Query<Set>,
    headers: HeaderMap,
) -> Result<Response, Rejection> {
    let kind = header::HeaderValue::from_static(Format::Glb.media_type());
    let show = |recipe: &Recipe, rebuilt: &part::Rebuilt| {
        Ok(([(header::CONTENT_TYPE, kind)], view(recipe, rebuilt, &Shown::default())))
    };
    made_of(&state, id, &headers, ("view", set), show).await
}

async fn open_live(
    State(state): State<AppState>,
    Path(id): Path<Uuid>,
    _: Query<Nothing>,
    upgrade: Result<WebSocketUpgrade, axum::extract::ws::rejection::WebSocketUpgradeRejection>,
) -> Result<Response, Rejection> {
    state.store.version(id).await?;
    let upgrade = upgrade.map_err(|e| Rejection::Unreadable(e.body_text()))?;
    let place = Arc::clone(&state.sockets).try_acquire_owned().map_err(|_| Rejection::Busy)?;
    Ok(upgrade.max_message_size(MOST_BYTES).on_upgrade(move |socket| live(socket, state, id, place)))
}
