//! Only the server's own pages may talk to it. A foreign `Host` would be a page of another site that reaches this machine
//! by a name of its own; a foreign `Origin` any page that is not ours, one of another server on this machine included.

use axum::extract::Request;
use axum::http::{HeaderMap, Method, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::rejection::Rejection;

/// The one value of a header; none where it is missing, given twice, or no text.
fn only<'a>(headers: &'a HeaderMap, name: &header::HeaderName) -> Option<&'a str> {
    let mut values = headers.get_all(name).iter();
    let first = values.next()?.to_str().ok()?;
    values.next().is_none().then_some(first)
}

fn is_loopback(authority: &str) -> bool {
    let host = match authority.rsplit_once(':') {
        Some((host, port)) if !port.is_empty() && port.chars().all(|c| c.is_ascii_digit()) => host,
        _ => authority,
    };
    matches!(host, "127.0.0.1" | "localhost" | "[::1]")
}

/// Whether a request comes from the server's own page, or from a program, which sends no `Origin`.
fn is_own(method: &Method, headers: &HeaderMap) -> bool {
    let Some(host) = only(headers, &header::HOST).filter(|host| is_loopback(host)) else { return false };
    if headers.contains_key(header::ORIGIN) {
        let own = only(headers, &header::ORIGIN).and_then(|o| o.strip_prefix("http://")) == Some(host);
        if !own {
            return false;
        }
    }
    // Where a browser says that another site's page asks, only following a link is left to it.
    match headers.get("sec-fetch-site").map(|v| v.as_bytes()) {
        None | Some(b"same-origin" | b"none") => true,
        Some(_) => {
            let navigates = headers.get("sec-fetch-mode").is_some_and(|v| v == "navigate");
            navigates && matches!(*method, Method::GET | Method::HEAD)
        }
    }
}

pub async fn guard(request: Request, next: Next) -> Response {
    if is_own(request.method(), request.headers()) {
        next.run(request).await
    } else {
        Rejection::Foreign.into_response()
    }
}
