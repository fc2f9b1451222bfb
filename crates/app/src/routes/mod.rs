//! Routes by area; each area's file exports its own.

mod api;
mod openapi;
mod pages;
mod send;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::{HeaderName, HeaderValue, header};
use axum::middleware::from_fn;
use axum::routing::get;
use tower_http::set_header::SetResponseHeaderLayer;

use crate::assets::asset;
use crate::guard::guard;
use crate::state::AppState;

/// Recipes are small; what is larger is no recipe.
pub const MOST_BYTES: usize = 8 << 20;
/// Alpine.js evaluates the expressions in the pages' attributes, which takes `unsafe-eval`.
const POLICY: &str = "default-src 'self'; script-src 'self' 'unsafe-eval'; style-src 'self' 'unsafe-inline'; \
                      img-src 'self' data: blob:; connect-src 'self'; frame-ancestors 'none'";

fn with_header(name: HeaderName, value: &'static str) -> SetResponseHeaderLayer<HeaderValue> {
    SetResponseHeaderLayer::if_not_present(name, HeaderValue::from_static(value))
}

pub fn router(state: AppState) -> Router {
    Router::new()
        .merge(pages::routes())
        .merge(api::routes())
        .merge(send::routes())
        .merge(openapi::routes())
        .route("/assets/{*path}", get(asset))
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .layer(with_header(header::CONTENT_SECURITY_POLICY, POLICY))
        .layer(with_header(header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
        .layer(with_header(header::REFERRER_POLICY, "same-origin"))
        .layer(from_fn(guard))
        .with_state(state)
}
