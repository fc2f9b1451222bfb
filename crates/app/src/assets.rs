//! Scripts, styles, fonts and the demo's recipes, carried inside the program.

use axum::extract::Path;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "assets"]
struct Assets;

#[derive(RustEmbed)]
#[folder = "../../examples"]
#[include = "*.json"]
pub struct Examples;

pub async fn asset(Path(path): Path<String>) -> Response {
    let Some(file) = Assets::get(&path) else {
        return (StatusCode::NOT_FOUND, "there is no such file").into_response();
    };
    let kind = file.metadata.mimetype().to_string();
    ([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, "no-cache".into())], file.data).into_response()
}
