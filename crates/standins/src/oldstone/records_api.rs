//! Oldstone's interface for everything but folders and test cases: one shape for all kinds.

use axum::extract::{Path, Query, State as Extract};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use chrono::TimeZone;
use serde_json::{Map, Value, json};

use super::answers::{Query_, answer, malformed, missing, page, read_remark, refuse, wrong_field};
use super::numbers::number;
use super::state::{State, Step, ZONE};
use super::xml::{self, Element, element};
use super::{LOGIN, Server, kinds};
use crate::clock;
use crate::page::escape;
use crate::records::{self, Field, Form, Kind, Record, as_text, check_links, fill, note_changes};

/// The word of Oldstone's schema for a form.
fn word(field: &Field) -> String {
    match field.form {
        Form::Line => "line".into(),
        Form::Rich => "html".into(),
        Form::Number => "number".into(),
        Form::Time => "time".into(),
        Form::List => "list".into(),
        Form::Person => "person".into(),
        Form::Mark => "mark".into(),
        Form::Ref(kind) => format!("to-{kind}"),
        Form::Refs(kind) => format!("to-{kind}s"),
        Form::Steps => "steps".into(),
        Form::Tags => "words".into(),
        Form::Status => "list".into(),
        Form::Decimal => "fraction".into(),
    }
}

pub fn schema(kind: &Kind) -> String {
    let fields: String = kind
        .fields
        .iter()
        .map(|f| {
            let needed = if f.needed { " needed=\"yes\"" } else { "" };
            let longest = if f.longest > 0 { format!(" longest=\"{}\"", f.longest) } else { String::new() };
            let values: String = f.values.iter().map(|v| element("value", v)).collect();
            let values = if values.is_empty() { values } else { format!("<values>{values}</values>") };
            format!(
                "<field id=\"{}\" type=\"{}\"{needed}{longest}>{}{values}</field>",
                f.id,
                word(f),
                element("label", f.label)
            )
        })
        .collect();
    format!("<kind id=\"{}\">{fields}</kind>", kind.id)
}

fn write(record: &Record, kind: &Kind) -> String {
    let changed = ZONE.from_utc_datetime(&record.changed.naive_utc());
    let mut out = format!(
        "<item id=\"{}-{}\" rev=\"{}\" changed=\"{}\" by=\"{}\">",
        kind.prefix,
        record.number,
        record.revision,
        changed.format("%Y-%m-%dT%H:%M:%S"),
        escape(&record.changed_by)
    );
    for field in kind.fields {
        let value = record.values.get(field.id).unwrap_or(&Value::Null);
        let inner: String = match field.form {
            Form::Steps => {
                let steps: Vec<Step> = serde_json::from_value(value.clone()).unwrap_or_default();
                steps.iter().map(xml::step).collect()
            }
            Form::Refs(to) => value.as_array().into_iter().flatten().map(|v| element(to, &as_text(v))).collect(),
            _ => {
                out += &element(field.id, &as_text(value));
                continue;
            }
        };
        out += &format!("<{0}>{inner}</{0}>", field.id);
    }
    out += "<links>";
    record.links.iter().for_each(|l| out += &xml::link(l));
    out + "</links>" + &xml::said(&record.remarks, &record.trail) + "</item>"
}

/// What a body gives, in the form that records keep.
fn read(root: &Element, kind: &Kind) -> Map<String, Value> {
    let mut out = Map::new();
    for field in kind.fields {
        let Some(given) = root.child(field.id) else { continue };
        let value = match field.form {
            Form::Steps => json!(xml::read_steps(given)),
            Form::Refs(_) => json!(given.children.iter().map(|c| c.text.clone()).collect::<Vec<_>>()),
            _ => json!(given.text),
        };
        out.insert(field.id.to_owned(), value);
    }
    out
}

pub async fn list(
    Extract(server): Extract<Server>,
    Path((_, kind)): Path<(String, String)>,
    Query(query): Query_,
) -> Response {
    let Some(kind) = kinds::find(&kind) else { return missing(&kind) };
    let state = server.kept.read();
    let wanted = query.get("origin");
    let marked = |r: &&Record| wanted.is_none_or(|w| r.values.get("origin").map(as_text).as_ref() == Some(w));
    let items: Vec<Record> =
        state.records.get(kind.id).into_iter().flat_map(|r| r.values()).filter(marked).cloned().collect();
    page(items, &query, "items", |r| write(r, kind))
}

fn found(state: &State, kind: &str, id: &str) -> Option<(&'static Kind, Record)> {
    Some((kinds::find(kind)?, state.records.get(kind)?.get(&number(id)?)?.clone()))
}

pub async fn one(Extract(server): Extract<Server>, Path((kind, id)): Path<(String, String)>) -> Response {
    match found(&server.kept.read(), &kind, &id) {
        Some((kind, record)) => answer(write(&record, kind)),
        None => missing(&id),
    }
}

/// Fills a record from a body, and keeps it if everything in it is right.
fn keep(state: &mut State, record: Record, root: &Element, kind: &Kind) -> Result<String, records::Refusal> {
    let mut record = fill(&record, read(root, kind), kind, state)?;
    if let Some(links) = root.child("links") {
        record.links = xml::read_links(links);
        check_links(&record.links, state)?;
    }
    record.changed = clock::now();
    record.changed_by = LOGIN.into();
    if let Some(before) = state.records.get(kind.id).and_then(|r| r.get(&record.number)) {
        note_changes(before, &mut record, kind);
    }
    let made = write(&record, kind);
    state.records.entry(kind.id.to_owned()).or_default().insert(record.number, record);
    Ok(made)
}

/// Adds a remark; author and time are those of the sign-in.
pub async fn remark(
    Extract(server): Extract<Server>,
    Path((kind, id)): Path<(String, String)>,
    body: String,
) -> Response {
    let remark = match read_remark(&body) {
        Ok(remark) => remark,
        Err(refusal) => return *refusal,
    };
    let mut state = server.kept.write();
    let Some((kind, mut record)) = found(&state, &kind, &id) else { return missing(&id) };
    record.remarks.push(remark);
    let made = write(&record, kind);
    state.records.entry(kind.id.to_owned()).or_default().insert(record.number, record);
    answer(made)
}

pub async fn make(Extract(server): Extract<Server>, Path((_, kind)): Path<(String, String)>, body: String) -> Response {
    let Some(kind) = kinds::find(&kind) else { return missing(&kind) };
    let root = match xml::parse(&body) {
        Ok(root) => root,
        Err(e) => return malformed(e),
    };
    let mut state = server.kept.write();
    let number = state.numbers.take();
    let record = records::made(kind.id, number, clock::now(), LOGIN, &[]);
    match keep(&mut state, record, &root, kind) {
        Ok(made) => (StatusCode::CREATED, answer(made)).into_response(),
        Err(e) => wrong_field(e),
    }
}

pub async fn change(
    Extract(server): Extract<Server>,
    Path((kind, id)): Path<(String, String)>,
    body: String,
) -> Response {
    let root = match xml::parse(&body) {
        Ok(root) => root,
        Err(e) => return malformed(e),
    };
    let mut state = server.kept.write();
    let Some((kind, mut record)) = found(&state, &kind, &id) else { return missing(&id) };
    if root.attribute("rev").and_then(|r| r.parse().ok()) != Some(record.revision) {
        return refuse(StatusCode::CONFLICT, "old-revision", "somebody changed it since");
    }
    record.revision += 1;
    match keep(&mut state, record, &root, kind) {
        Ok(made) => answer(made),
        Err(e) => wrong_field(e),
    }
}
