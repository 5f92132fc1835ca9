//! What Oldstone's two interfaces have in common: how they answer, refuse and page.

use std::collections::HashMap;

use axum::extract::Query;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};

use super::{LOGIN, xml};
use crate::clock;
use crate::page::escape;
use crate::records::Remark;

pub(super) const LONGEST_PAGE: usize = 100;

pub(super) fn answer(body: String) -> Response {
    ([(header::CONTENT_TYPE, "application/xml; charset=utf-8")], format!("<?xml version=\"1.0\"?>{body}"))
        .into_response()
}

pub(super) fn refuse(status: StatusCode, code: &str, text: &str) -> Response {
    let body = format!("<fault code=\"{code}\">{}</fault>", escape(text));
    (status, [(header::CONTENT_TYPE, "application/xml")], body).into_response()
}

pub(super) type Query_ = Query<HashMap<String, String>>;

/// The page that `from` and `count` ask for.
pub(super) fn page<T>(
    items: Vec<T>,
    query: &HashMap<String, String>,
    name: &str,
    write: impl Fn(&T) -> String,
) -> Response {
    let number = |key: &str, default: usize| query.get(key).and_then(|v| v.parse().ok()).unwrap_or(default);
    let (from, count) = (number("from", 0), number("count", 50).min(LONGEST_PAGE));
    let total = items.len();
    let list: String = items.iter().skip(from).take(count).map(write).collect();
    answer(format!("<{name} total=\"{total}\" from=\"{from}\">{list}</{name}>"))
}

pub(super) fn missing(id: &str) -> Response {
    refuse(StatusCode::NOT_FOUND, "missing", &format!("there is no {id}"))
}

pub(super) fn wrong_field((field, text): (impl AsRef<str>, String)) -> Response {
    let body = format!("<fault code=\"bad-field\" field=\"{}\">{}</fault>", field.as_ref(), escape(&text));
    (StatusCode::UNPROCESSABLE_ENTITY, [(header::CONTENT_TYPE, "application/xml")], body).into_response()
}

pub(super) fn malformed(text: String) -> Response {
    refuse(StatusCode::BAD_REQUEST, "malformed", &text)
}

/// A remark from a body, by whoever is signed in, at this moment.
pub(super) fn read_remark(body: &str) -> Result<Remark, Box<Response>> {
    let root = xml::parse(body).map_err(|e| Box::new(malformed(e)))?;
    if root.text.trim().is_empty() {
        return Err(Box::new(wrong_field(("remark", "some text is needed".to_owned()))));
    }
    Ok(Remark { at: clock::now(), by: LOGIN.into(), text: root.text })
}
