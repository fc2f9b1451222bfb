//! Answers that a browser may keep: each has a tag of the part's version and of the program, and is asked for again with it.

use std::sync::LazyLock;

use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};

/// For ever: what lies at an address with a version in it never changes.
pub const FOR_GOOD: HeaderValue = HeaderValue::from_static("private, max-age=31536000, immutable");
/// Kept, but asked for again each time.
pub const ASK_AGAIN: HeaderValue = HeaderValue::from_static("private, no-cache");

/// A word that another build of the program does not share: what it makes may differ.
static PROGRAM: LazyLock<String> = LazyLock::new(|| {
    let own = std::env::current_exe().and_then(std::fs::read).unwrap_or_default();
    blake3::hash(&own).to_hex()[..16].to_string()
});

pub fn program() -> &'static str {
    &PROGRAM
}

/// The tag of what is made of a version of a part as asked for.
pub fn tag(version: i64, asked: &str) -> HeaderValue {
    let asked = blake3::hash(asked.as_bytes()).to_hex();
    // Hexadecimal digits and a number are valid in any header.
    HeaderValue::try_from(format!("\"{version}-{}-{}\"", program(), &asked[..8]))
        .unwrap_or(HeaderValue::from_static("\"\""))
}

/// Whether the asker has what carries this tag.
pub fn is_known(headers: &HeaderMap, tag: &HeaderValue) -> bool {
    let wanted = tag.as_bytes();
    headers.get_all(header::IF_NONE_MATCH).iter().any(|value| {
        let listed = value.as_bytes().split(|b| *b == b',');
        listed
            .map(<[u8]>::trim_ascii)
            .any(|own| own.strip_prefix(b"W/").unwrap_or(own) == wanted || own == b"*")
    })
}

/// The answer to those who have it.
pub fn not_changed(tag: HeaderValue) -> Response {
    (StatusCode::NOT_MODIFIED, [(header::ETAG, tag), (header::CACHE_CONTROL, ASK_AGAIN)]).into_response()
}

/// An answer under its tag.
pub fn tagged(tag: HeaderValue, answer: impl IntoResponse) -> Response {
    ([(header::ETAG, tag), (header::CACHE_CONTROL, ASK_AGAIN)], answer).into_response()
}
