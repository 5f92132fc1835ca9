//! Which version of something was read, and which is to be changed (RFC 9110, sections 8.8.3 and 13.1.1).

use axum::http::{HeaderMap, StatusCode, header};

use crate::problem::Problem;

pub fn etag(version: i32) -> [(header::HeaderName, String); 1] {
    [(header::ETAG, format!("\"{version}\""))]
}

/// The version in If-Match (RFC 9110 §13.1.1); a change without it is refused.
pub fn if_match(headers: &HeaderMap) -> Result<i32, Problem> {
    let given = headers.get(header::IF_MATCH).and_then(|v| v.to_str().ok());
    given.and_then(|v| v.trim_matches('"').parse().ok()).ok_or_else(|| {
        Problem::new(
            StatusCode::PRECONDITION_REQUIRED,
            "no-version",
            "The version you saw is missing",
            "A change needs If-Match with the ETag of what it is based on.",
            "Load it, and send its ETag.",
        )
    })
}
