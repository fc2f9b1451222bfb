//! Every way a request can fail, as a response: a status, and a message that says what, where and what to do.

use axum::Json;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use exchange::ExchangeError;
use part::{Notice, RecipeError};
use schemars::JsonSchema;
use serde::Serialize;
use store::StoreError;

#[derive(Debug, thiserror::Error)]
pub enum Rejection {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Recipe(#[from] RecipeError),
    #[error(transparent)]
    Exchange(#[from] ExchangeError),
    #[error("the request cannot be read: {0}")]
    Unreadable(String),
    #[error("a recipe is at most 8 MiB; this upload is larger")]
    TooLarge,
    #[error("{}", .0.message)]
    Unbuilt(Box<Notice>),
    #[error("the work was stopped; try again")]
    Stopped,
}

/// What a refused request is answered with.
#[derive(Serialize, JsonSchema)]
pub struct Refusal {
    /// What is wrong and what to do.
    error: String,
    /// A word that programs can tell refusals apart by.
    kind: &'static str,
    /// The place in space that it is about, in millimetres, if it has one.
    at: Option<[f64; 3]>,
}

impl Rejection {
    fn status(&self) -> StatusCode {
        match self {
            Self::Store(StoreError::NoPart) => StatusCode::NOT_FOUND,
            Self::Store(StoreError::Conflict { .. } | StoreError::NoMore(_)) => StatusCode::CONFLICT,
            Self::Store(StoreError::Unreachable(_)) | Self::Stopped => StatusCode::SERVICE_UNAVAILABLE,
            Self::Recipe(_) | Self::Exchange(_) | Self::Unbuilt(_) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Unreadable(_) => StatusCode::BAD_REQUEST,
            Self::TooLarge => StatusCode::PAYLOAD_TOO_LARGE,
        }
    }

    fn kind(&self) -> &'static str {
        match self {
            Self::Store(StoreError::Conflict { .. }) => "conflict",
            Self::Store(StoreError::NoMore(_)) => "no_more",
            Self::Store(StoreError::NoPart) => "no_part",
            Self::Store(StoreError::Unreachable(_)) => "database",
            Self::Recipe(_) => "recipe",
            Self::Exchange(_) => "exchange",
            Self::Unreadable(_) => "unreadable",
            Self::TooLarge => "too_large",
            Self::Unbuilt(_) => "unbuilt",
            Self::Stopped => "stopped",
        }
    }
}

impl IntoResponse for Rejection {
    fn into_response(self) -> Response {
        tracing::info!(error = %self, "refused");
        let at = if let Self::Unbuilt(notice) = &self { notice.at } else { None };
        (self.status(), Json(Refusal { error: self.to_string(), kind: self.kind(), at })).into_response()
    }
}

/// The same for a page, which a person reads.
pub struct PageRejection(pub Rejection);

impl<E: Into<Rejection>> From<E> for PageRejection {
    fn from(error: E) -> Self {
        Self(error.into())
    }
}

#[derive(askama::Template)]
#[template(path = "refused.html")]
struct Refused {
    message: String,
}

impl IntoResponse for PageRejection {
    fn into_response(self) -> Response {
        let page = Refused { message: self.0.to_string() };
        match askama::Template::render(&page) {
            Ok(html) => (self.0.status(), Html(html)).into_response(),
            Err(_) => self.0.into_response(),
        }
    }
}
