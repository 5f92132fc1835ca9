//! The built web client, embedded. Every path that is no file is the client's own.

use axum::http::{StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

use crate::problem::Problem;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
struct Client;

pub async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    let (path, file) = match Client::get(path) {
        Some(file) if !path.is_empty() => (path, file),
        _ if path.starts_with("api/") => return Problem::missing("This address").into_response(),
        // A missing script must not be answered with a page.
        _ if path.starts_with("assets/") => return StatusCode::NOT_FOUND.into_response(),
        _ => match Client::get("index.html") {
            Some(file) => ("index.html", file),
            None => return (StatusCode::NOT_FOUND, "the web client was not built").into_response(),
        },
    };
    // Names under assets/ hold a hash of their content.
    let keep = if path.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    ([(header::CONTENT_TYPE, media_type(path)), (header::CACHE_CONTROL, keep.to_owned())], file.data).into_response()
}

/// The media type by the name; texts are in UTF-8.
fn media_type(path: &str) -> String {
    let guessed = mime_guess::from_path(path).first_or_octet_stream();
    match guessed.type_() {
        mime_guess::mime::TEXT => format!("{}; charset=utf-8", guessed.essence_str()),
        _ => guessed.to_string(),
    }
}
