//! Every way a request can fail, as a response: a status, and a message that says what, where and what to do.

use axum::Json;
use axum::extract::rejection::{BytesRejection, FormRejection, PathRejection, QueryRejection};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};
use exchange::ExchangeError;
use part::{MOST_BYTES, Notice, RecipeError};
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
    #[error("the body cannot be read: {0}")]
    Body(String),
    #[error("a recipe is at most {} MiB; this upload is larger", MOST_BYTES >> 20)]
    TooLarge,
    #[error("{}", .0.message)]
    Unbuilt(Box<Notice>),
    #[error("there is nothing at this address; see /api/openapi.json for what there is")]
    NoAddress,
    #[error("this address does not take {0}; see /api/openapi.json for what it takes")]
    Method(String),
    #[error("this server answers its own pages only; open it as http://127.0.0.1 with its port")]
    Foreign,
    #[error("{what} `{name}` is not there{}", if .near.is_empty() { String::new() } else { format!("; nearest: {near}") })]
    NoName { what: &'static str, name: String, near: String },
    #[error("the work was stopped; try again")]
    Stopped,
    #[error("{0}; take a coarser tolerance or a simpler part")]
    UsedUp(String),
    #[error("the server is busy; try again in a moment")]
    Busy,
    #[error("the program is at fault: {0}; your part is as it was")]
    Fault(String),
}

/// What a refusal is about, for programs to tell refusals apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum RefusalKind {
    /// The part has moved on since the version that was named.
    Conflict,
    /// There is nothing to undo or redo.
    NoMore,
    /// There is no such part, or no such version of it.
    NoPart,
    /// The database is not there; nothing was changed.
    Database,
    /// The connection to the database broke while something was saved: it may have been saved.
    Uncertain,
    /// The database took too long; nothing was changed.
    TooSlow,
    /// The database holds what a newer program wrote.
    NewerSchema,
    /// The recipe, or an edit of it, cannot be used.
    Recipe,
    /// A file cannot be written of this part.
    Exchange,
    /// The request is no valid one.
    Unreadable,
    /// The idempotency key stands for another request.
    KeyTaken,
    /// The request is too large.
    TooLarge,
    /// A step that was built would not be.
    Unbuilt,
    /// There is nothing at this address.
    NoAddress,
    /// The address does not take this method.
    Method,
    /// The request comes from a page that is not the server's own.
    Foreign,
    /// A step, face, edge or other named thing is not there.
    NoName,
    /// The work was stopped.
    Stopped,
    /// The work used up its time or memory.
    UsedUp,
    /// Too much is waiting already.
    Busy,
    /// A fault of the program.
    Fault,
}

/// What a refused request is answered with.
#[derive(Serialize, JsonSchema)]
pub struct Refusal {
    /// What is wrong and what to do.
    error: String,
    /// A word that programs can tell refusals apart by.
    kind: RefusalKind,
    /// The place in space that it is about, in millimetres, if it has one.
    at: Option<[f64; 3]>,
}

/// Characters of one quoted piece of input in a message.
const LONGEST_QUOTED: usize = 200;
/// Characters of a message.
const LONGEST_MESSAGE: usize = 1500;

/// A message as it is sent and logged: on one line, and with no more of what it quotes than helps to find it.
pub fn told(message: &str) -> String {
    let mut out = String::new();
    let mut quote: Option<(char, usize)> = None;
    for c in message.chars() {
        if let Some((mark, length)) = quote {
            if c == mark {
                quote = None;
            } else {
                quote = Some((mark, length + 1));
                if length == LONGEST_QUOTED {
                    out.push('…');
                }
                if length >= LONGEST_QUOTED {
                    continue;
                }
            }
        } else if matches!(c, '`' | '"') {
            quote = Some((c, 0));
        }
        if out.len() > LONGEST_MESSAGE {
            out.push('…');
            break;
        }
        if c.is_control() { out.extend(c.escape_default()) } else { out.push(c) }
    }
    out
}

impl Rejection {
    fn status(&self) -> StatusCode {
        match self {
            Self::Store(error) => match error {
                StoreError::NoPart | StoreError::NoEntry(_) => StatusCode::NOT_FOUND,
                StoreError::Conflict { .. } | StoreError::NoMore(_) => StatusCode::CONFLICT,
                StoreError::BadValue(_) | StoreError::KeyTaken => StatusCode::UNPROCESSABLE_ENTITY,
                StoreError::Unreachable(_)
                | StoreError::Uncertain(_)
                | StoreError::TooSlow
                | StoreError::NewerSchema => StatusCode::SERVICE_UNAVAILABLE,
            },
            Self::Stopped | Self::Busy => StatusCode::SERVICE_UNAVAILABLE,
            Self::Recipe(_) | Self::Exchange(_) | Self::Unbuilt(_) | Self::UsedUp(_) => {
                StatusCode::UNPROCESSABLE_ENTITY
            }
            Self::Unreadable(_) | Self::Body(_) => StatusCode::BAD_REQUEST,
            Self::TooLarge => StatusCode::PAYLOAD_TOO_LARGE,
            Self::NoAddress | Self::NoName { .. } => StatusCode::NOT_FOUND,
            Self::Method(_) => StatusCode::METHOD_NOT_ALLOWED,
            Self::Foreign => StatusCode::FORBIDDEN,
            Self::Fault(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    pub fn kind(&self) -> RefusalKind {
        match self {
            Self::Store(error) => match error {
                StoreError::Conflict { .. } => RefusalKind::Conflict,
                StoreError::NoMore(_) => RefusalKind::NoMore,
                StoreError::NoPart | StoreError::NoEntry(_) => RefusalKind::NoPart,
                StoreError::Unreachable(_) => RefusalKind::Database,
                StoreError::Uncertain(_) => RefusalKind::Uncertain,
                StoreError::TooSlow => RefusalKind::TooSlow,
                StoreError::NewerSchema => RefusalKind::NewerSchema,
                StoreError::BadValue(_) => RefusalKind::Unreadable,
                StoreError::KeyTaken => RefusalKind::KeyTaken,
            },
            Self::Recipe(_) => RefusalKind::Recipe,
            Self::Exchange(_) => RefusalKind::Exchange,
            Self::Unreadable(_) | Self::Body(_) => RefusalKind::Unreadable,
            Self::TooLarge => RefusalKind::TooLarge,
            Self::Unbuilt(_) => RefusalKind::Unbuilt,
            Self::NoAddress => RefusalKind::NoAddress,
            Self::Method(_) => RefusalKind::Method,
            Self::Foreign => RefusalKind::Foreign,
            Self::NoName { .. } => RefusalKind::NoName,
            Self::Stopped => RefusalKind::Stopped,
            Self::UsedUp(_) => RefusalKind::UsedUp,
            Self::Busy => RefusalKind::Busy,
            Self::Fault(_) => RefusalKind::Fault,
        }
    }
}

impl From<BytesRejection> for Rejection {
    fn from(refused: BytesRejection) -> Self {
        if refused.status() == StatusCode::PAYLOAD_TOO_LARGE {
            Self::TooLarge
        } else {
            Self::Unreadable(refused.body_text())
        }
    }
}

impl From<PathRejection> for Rejection {
    fn from(refused: PathRejection) -> Self {
        Self::Unreadable(refused.body_text())
    }
}

impl From<QueryRejection> for Rejection {
    fn from(refused: QueryRejection) -> Self {
        Self::Unreadable(refused.body_text())
    }
}

impl From<FormRejection> for Rejection {
    fn from(refused: FormRejection) -> Self {
        Self::Unreadable(refused.body_text())
    }
}

impl IntoResponse for Rejection {
    fn into_response(self) -> Response {
        let error = told(&self.to_string());
        tracing::info!(%error, kind = ?self.kind(), "refused");
        let at = if let Self::Unbuilt(notice) = &self { notice.at } else { None };
        (self.status(), Json(Refusal { error, kind: self.kind(), at })).into_response()
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
        let page = Refused { message: told(&self.0.to_string()) };
        match askama::Template::render(&page) {
            Ok(html) => (self.0.status(), Html(html)).into_response(),
            Err(_) => self.0.into_response(),
        }
    }
}
