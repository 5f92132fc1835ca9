//! What every request and every answer of the API passes, signed in or not.
//!
//! Decides that addresses which hold no text are refused before anything looks at them, that every error is a problem
//! (RFC 9457) whoever made it, and that nothing of the API is kept by whoever carries it.

pub mod listen;
pub mod origin;
pub mod throttle;

use axum::body::{Body, to_bytes};
use axum::extract::Request;
use axum::http::{HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::problem::{FieldProblem, Problem};

/// What is read of an error that is no problem yet.
const LONGEST_ERROR: usize = 4_096;

pub async fn pass(request: Request, next: Next) -> Response {
    let faults = address_faults(request.uri());
    let mut response = match faults.is_empty() {
        true => next.run(request).await,
        false => Problem::fields(faults).into_response(),
    };
    // Answers hold secrets, or what only this session may see.
    let kept = HeaderValue::from_static("no-store");
    response.headers_mut().entry(header::CACHE_CONTROL).or_insert(kept);
    as_problem(response).await
}

/// What of an address can't be text in a database: NUL, or bytes that are no UTF-8 behind percent signs.
fn address_faults(uri: &axum::http::Uri) -> Vec<FieldProblem> {
    let mut faults = Vec::new();
    let mut look = |pointer: String, text: &str| {
        let bytes: Vec<u8> = percent_encoding::percent_decode_str(text).collect();
        let detail = match std::str::from_utf8(&bytes) {
            Ok(text) if !text.contains('\0') => return,
            Ok(_) => "NUL can't stand in a text",
            Err(_) => "it is no text in UTF-8",
        };
        faults.push(FieldProblem { pointer, detail: detail.to_owned() });
    };
    uri.path().split('/').for_each(|part| look("/".to_owned(), part));
    for pair in uri.query().unwrap_or_default().split('&') {
        let (name, value) = pair.split_once('=').unwrap_or((pair, ""));
        look("/".to_owned(), name);
        look(format!("/{name}"), value);
    }
    faults
}

/// An error of a library as a problem.
async fn as_problem(response: Response) -> Response {
    let status = response.status();
    let is_error = status.is_client_error() || status.is_server_error();
    let kind = response.headers().get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
    if !is_error || kind.starts_with("application/problem+json") {
        return response;
    }
    let (parts, body) = response.into_parts();
    let said = to_bytes(body, LONGEST_ERROR).await.unwrap_or_default();
    let said = String::from_utf8_lossy(&said).trim().to_owned();
    let mut problem = told(status, said).into_response();
    for name in [header::ALLOW, header::RETRY_AFTER, header::CACHE_CONTROL] {
        if let Some(value) = parts.headers.get(&name) {
            problem.headers_mut().insert(name, value.clone());
        }
    }
    problem
}

fn told(status: StatusCode, said: String) -> Problem {
    let reason = status.canonical_reason().unwrap_or("It was refused");
    let detail = if said.is_empty() { format!("{reason}.") } else { said };
    let (word, title, advice) = match status {
        StatusCode::METHOD_NOT_ALLOWED => ("method", "This can't be done there", "Check the API's description."),
        StatusCode::PAYLOAD_TOO_LARGE => ("too-large", "The request is too large", "Send less at once."),
        StatusCode::REQUEST_TIMEOUT => ("too-slow", "The request took too long", "Send it whole."),
        s if s.is_server_error() => ("internal", "Error in Hovrel", "Try again; check Hovrel's log."),
        _ => ("unreadable", "The request can't be read", "Check the API's description."),
    };
    Problem::new(status, word, title, detail, advice)
}

/// What a panic of a handler answers.
pub fn panicked(panic: Box<dyn std::any::Any + Send>) -> axum::http::Response<Body> {
    tracing::error!("a request panicked: {}", hovrel_engine::said_by(&*panic));
    told(StatusCode::INTERNAL_SERVER_ERROR, "Its log has the place.".into()).into_response()
}
