//! Routes by area; each area's file exports its own.

mod api;
mod history;
mod openapi;
mod pages;
mod rack;
mod send;

use axum::Router;
use axum::extract::{DefaultBodyLimit, OriginalUri};
use axum::http::{HeaderName, HeaderValue, Method, header};
use axum::middleware::from_fn;
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use part::MOST_BYTES;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{NotForContentType, Predicate, SizeAbove};
use tower_http::set_header::SetResponseHeaderLayer;

use crate::assets::asset;
use crate::guard::guard;
use crate::rejection::{PageRejection, Rejection};
use crate::state::AppState;

/// Nothing but the server's own files, no script in a page, no text that becomes markup.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data: blob:; \
                      connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'; \
                      require-trusted-types-for 'script'; trusted-types 'none'";
/// Answers shorter than this are not packed.
const WORTH_PACKING: u64 = 1024;

fn with_header(name: HeaderName, value: &'static str) -> SetResponseHeaderLayer<HeaderValue> {
    SetResponseHeaderLayer::if_not_present(name, HeaderValue::from_static(value))
}

pub fn router(state: AppState) -> Router {
    // Files of surfaces and triangles are packed by those who want that, at their cost.
    let worth = SizeAbove::new(WORTH_PACKING)
        .and(NotForContentType::IMAGES)
        .and(NotForContentType::const_new("model/"))
        .and(NotForContentType::const_new("font/"));
    Router::new()
        .merge(pages::routes())
        .merge(rack::routes())
        .merge(api::routes())
        .merge(history::routes())
        .merge(send::routes())
        .merge(openapi::routes())
        .route("/assets/{word}/{*path}", get(asset))
        .fallback(nothing_here)
        .method_not_allowed_fallback(not_this_way)
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .layer(CompressionLayer::new().compress_when(worth))
        .layer(from_fn(guard))
        // On refusals too.
        .layer(with_header(header::CONTENT_SECURITY_POLICY, POLICY))
        .layer(with_header(header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
        .layer(with_header(header::REFERRER_POLICY, "same-origin"))
        .layer(with_header(header::X_FRAME_OPTIONS, "DENY"))
        .layer(with_header(HeaderName::from_static("cross-origin-resource-policy"), "same-origin"))
        .layer(with_header(HeaderName::from_static("cross-origin-opener-policy"), "same-origin"))
        .with_state(state)
}

fn refused(uri: &OriginalUri, why: Rejection) -> Response {
    if uri.path().starts_with("/api/") { why.into_response() } else { PageRejection(why).into_response() }
}

async fn nothing_here(uri: OriginalUri) -> Response {
    refused(&uri, Rejection::NoAddress)
}

async fn not_this_way(method: Method, uri: OriginalUri) -> Response {
    refused(&uri, Rejection::Method(method.to_string()))
}
