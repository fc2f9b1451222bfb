//! What a request says, read strictly: what cannot be read, or is not known, is refused by its name.

use std::time::Duration;

use axum::body::Bytes;
use axum::extract::{FromRequest, FromRequestParts, Request};
use axum::http::HeaderMap;
use axum::http::request::Parts;
use serde::Deserialize;
use serde::de::DeserializeOwned;
use store::Key;

use crate::rejection::Rejection;
use crate::state::AppState;

/// For the whole body to arrive.
const BODY_TIME: Duration = Duration::from_secs(40);
/// Characters of an idempotency key.
const LONGEST_KEY: usize = 100;

/// Parts of the address.
pub struct Path<T>(pub T);

impl<T: DeserializeOwned + Send> FromRequestParts<AppState> for Path<T> {
    type Rejection = Rejection;

    async fn from_request_parts(parts: &mut Parts, state: &AppState) -> Result<Self, Rejection> {
        Ok(Self(axum::extract::Path::from_request_parts(parts, state).await?.0))
    }
}

/// What stands behind the `?`; a word may stand there several times where its field is a list.
pub struct Query<T>(pub T);

impl<T: DeserializeOwned> FromRequestParts<AppState> for Query<T> {
    type Rejection = Rejection;

    async fn from_request_parts(parts: &mut Parts, _: &AppState) -> Result<Self, Rejection> {
        let text = parts.uri.query().unwrap_or_default();
        serde_html_form::from_str(text)
            .map(Self)
            .map_err(|e| Rejection::Unreadable(format!("what stands behind the ?: {e}")))
    }
}

/// For addresses that take nothing behind the `?`.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Nothing {}

/// A body of JSON with the key that the request has, if it has one.
pub struct Body<T> {
    pub value: T,
    pub key: Option<Key>,
}

impl<T: DeserializeOwned + Send + 'static> FromRequest<AppState> for Body<T> {
    type Rejection = Rejection;

    async fn from_request(request: Request, state: &AppState) -> Result<Self, Rejection> {
        let about = format!("{} {}\n", request.method(), request.uri().path());
        let key = key_of(request.headers())?;
        let bytes = tokio::time::timeout(BODY_TIME, Bytes::from_request(request, state))
            .await
            .map_err(|_| Rejection::Unreadable("its body did not arrive in time".into()))??;
        let key = key.map(|key| {
            let mut print = blake3::Hasher::new();
            print.update(about.as_bytes()).update(&bytes);
            Key { key, fingerprint: print.finalize().as_bytes().to_vec() }
        });
        let read = move || {
            let value: T = serde_json::from_slice(&bytes).map_err(|e| Rejection::Body(e.to_string()))?;
            Ok(value)
        };
        Ok(Self { value: state.workshop.read(read).await?, key })
    }
}

/// The header `Idempotency-Key` (IETF draft-ietf-httpapi-idempotency-key-header): one that is sent again is not carried out
/// again.
fn key_of(headers: &HeaderMap) -> Result<Option<String>, Rejection> {
    let Some(value) = headers.get("idempotency-key") else { return Ok(None) };
    let text = value.to_str().unwrap_or_default().trim_matches('"');
    if text.is_empty() || text.len() > LONGEST_KEY {
        let why = format!("an idempotency key has 1 to {LONGEST_KEY} plain characters");
        return Err(Rejection::Unreadable(why));
    }
    Ok(Some(text.to_string()))
}
