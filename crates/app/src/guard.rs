//! Only this machine's own pages may talk to the server: foreign `Host` and `Origin` headers are refused, which
//! keeps pages of other sites from reaching it through the browser.

use axum::extract::Request;
use axum::http::{HeaderMap, HeaderName, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

fn is_own(authority: &str) -> bool {
    let host = match authority.rsplit_once(':') {
        Some((host, port)) if port.chars().all(|c| c.is_ascii_digit()) => host,
        _ => authority,
    };
    matches!(host, "127.0.0.1" | "localhost" | "[::1]")
}

fn foreign(headers: &HeaderMap, name: &HeaderName, scheme: &str) -> bool {
    headers.get_all(name).iter().any(|value| {
        let text = value.to_str().unwrap_or_default();
        !text.strip_prefix(scheme).is_some_and(is_own)
    })
}

pub async fn guard(request: Request, next: Next) -> Response {
    let headers = request.headers();
    if !headers.contains_key(header::HOST)
        || foreign(headers, &header::HOST, "")
        || foreign(headers, &header::ORIGIN, "http://")
    {
        let message = "This server answers this machine's own pages only; open it as http://127.0.0.1.";
        return (StatusCode::FORBIDDEN, message).into_response();
    }
    next.run(request).await
}
