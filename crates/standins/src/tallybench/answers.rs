//! What Tallybench's two interfaces have in common: how they answer, refuse, page and take batches.

use std::collections::HashMap;

use axum::Json;
use axum::extract::Query;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde_json::{Value, json};

pub(super) const LONGEST_PAGE: usize = 100;

pub(super) const LARGEST_BATCH: usize = 50;

pub(super) fn problem(status: StatusCode, code: &str, field: Option<&str>, text: &str) -> Response {
    (status, Json(json!({"error": {"code": code, "field": field, "text": text}}))).into_response()
}

pub(super) fn with_etag(status: StatusCode, item: Value) -> Response {
    let etag = item["etag"].as_str().unwrap_or_default().to_owned();
    (status, [(header::ETAG, etag)], Json(item)).into_response()
}

/// Pages by a cursor that says after which id to go on. Only what is on the page is written.
pub(super) fn page<'s, T: 's>(
    found: impl Iterator<Item = (u32, &'s T)>,
    query: &HashMap<String, String>,
    write: impl Fn(&T) -> Value,
) -> Response {
    let after: u32 = match query.get("after").map(|c| c.strip_prefix('k').unwrap_or_default().parse()) {
        None => 0,
        Some(Ok(n)) => n,
        Some(Err(_)) => return problem(StatusCode::BAD_REQUEST, "bad_cursor", Some("after"), "not one of our cursors"),
    };
    let limit = query.get("limit").and_then(|v| v.parse().ok()).unwrap_or(50).clamp(1, LONGEST_PAGE);
    let all: Vec<(u32, &T)> = found.collect();
    let mut rest = all.iter().filter(|(id, _)| *id > after);
    let taken: Vec<&(u32, &T)> = rest.by_ref().take(limit).collect();
    let next = rest.next().and_then(|_| taken.last().map(|(id, _)| format!("k{id}")));
    let items: Vec<Value> = taken.into_iter().map(|(_, item)| write(item)).collect();
    Json(json!({"items": items, "next": next, "total": all.len()})).into_response()
}

pub(super) type Query_ = Query<HashMap<String, String>>;

pub(super) fn missing() -> Response {
    problem(StatusCode::NOT_FOUND, "missing", None, "there is no such item")
}

pub(super) type Refusal = (StatusCode, &'static str, String, String);

pub(super) fn refuse((status, code, field, text): Refusal) -> Response {
    problem(status, code, Some(&field), &text)
}

pub(super) fn bad(field: impl Into<String>, text: impl Into<String>) -> Refusal {
    (StatusCode::UNPROCESSABLE_ENTITY, "bad_field", field.into(), text.into())
}

pub(super) fn matches(headers: &HeaderMap, item: &Value) -> Result<(), Box<Response>> {
    match headers.get(header::IF_MATCH).and_then(|v| v.to_str().ok()) {
        None => {
            Err(Box::new(problem(StatusCode::PRECONDITION_REQUIRED, "no_if_match", None, "say which version you saw")))
        }
        Some(tag) if Some(tag) == item["etag"].as_str() => Ok(()),
        Some(_) => {
            Err(Box::new(problem(StatusCode::PRECONDITION_FAILED, "changed", None, "somebody changed it since")))
        }
    }
}

/// Several new items in one call; each is taken or refused by itself, and answered in its place.
pub(super) fn each(body: &Value, mut make: impl FnMut(Value) -> Result<Value, Refusal>) -> Response {
    let Some(items) = body["items"].as_array().filter(|i| (1..=LARGEST_BATCH).contains(&i.len())) else {
        return refuse(bad("items", format!("1 to {LARGEST_BATCH} items are taken at once")));
    };
    let answer = |item: &Value| match make(item.clone()) {
        Ok(made) => json!({"item": made}),
        Err((status, code, field, text)) => {
            json!({"status": status.as_u16(), "error": {"code": code, "field": field, "text": text}})
        }
    };
    let answers: Vec<Value> = items.iter().map(answer).collect();
    Json(json!({"answers": answers})).into_response()
}
