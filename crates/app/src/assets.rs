//! Scripts, styles, fonts and the demo's recipes, carried inside the program.
//!
//! The address of every asset holds a word made from the contents of all of them, so that a browser may keep what it
//! has for good and asks again only when the program is another one.

use std::borrow::Cow;
use std::collections::HashMap;
use std::io::Write;
use std::sync::LazyLock;

use axum::body::Bytes;
use axum::extract::Path;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use flate2::Compression;
use flate2::write::GzEncoder;
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "assets"]
struct Assets;

#[derive(RustEmbed)]
#[folder = "../../examples"]
#[include = "*.json"]
pub struct Examples;

/// Hexadecimal digits of the word; enough that two programs never share one.
const DIGITS: usize = 16;
const FOR_GOOD: &str = "public, max-age=31536000, immutable";

struct Packed {
    media_type: String,
    plain: Bytes,
    /// None where packing saves nothing, as for fonts.
    gzip: Option<Bytes>,
}

struct Shelf {
    base: String,
    files: HashMap<String, Packed>,
}

static SHELF: LazyLock<Shelf> = LazyLock::new(|| {
    let mut names: Vec<Cow<'static, str>> = Assets::iter().collect();
    names.sort_unstable();
    let mut word = blake3::Hasher::new();
    let mut files = HashMap::new();
    for name in names {
        let Some(file) = Assets::get(&name) else { continue };
        word.update(name.as_bytes());
        word.update(&file.data);
        let media_type = file.metadata.mimetype().to_string();
        let gzip = packed(&file.data).map(Bytes::from);
        let plain = Bytes::from(file.data.into_owned());
        files.insert(name.into_owned(), Packed { media_type, plain, gzip });
    }
    let word = word.finalize().to_hex();
    Shelf { base: format!("/assets/{}", &word[..DIGITS]), files }
});

fn packed(data: &[u8]) -> Option<Vec<u8>> {
    let mut encoder = GzEncoder::new(Vec::new(), Compression::best());
    encoder.write_all(data).ok()?;
    encoder.finish().ok().filter(|gzip| gzip.len() < data.len() * 9 / 10)
}

/// Where the assets of this program lie.
pub fn base() -> &'static str {
    &SHELF.base
}

pub async fn asset(Path((word, path)): Path<(String, String)>, headers: HeaderMap) -> Response {
    let Some(file) = SHELF.files.get(&path) else {
        return (StatusCode::NOT_FOUND, "there is no such file").into_response();
    };
    // A page of an older program gets what there is now, but must not keep it under the old address.
    let keep = if base().ends_with(&word) { FOR_GOOD } else { "no-store" };
    let mut response = Response::builder()
        .header(header::CONTENT_TYPE, &file.media_type)
        .header(header::CACHE_CONTROL, keep)
        .header(header::VARY, "accept-encoding");
    let takes_gzip = headers
        .get_all(header::ACCEPT_ENCODING)
        .iter()
        .any(|v| v.to_str().is_ok_and(|v| v.split(',').any(|e| e.trim().split(';').next() == Some("gzip"))));
    let body = match &file.gzip {
        Some(gzip) if takes_gzip => {
            response = response.header(header::CONTENT_ENCODING, "gzip");
            gzip.clone()
        }
        _ => file.plain.clone(),
    };
    response.body(body.into()).unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response())
}
