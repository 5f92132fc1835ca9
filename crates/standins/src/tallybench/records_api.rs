//! Tallybench's interface for everything but chapters and cases: one shape for all kinds.

use axum::Json;
use axum::extract::{Path, Query, State as Extract};
use axum::http::{HeaderMap, StatusCode};
use axum::response::Response;
use chrono::{DateTime, SecondsFormat, SubsecRound, Utc};
use serde_json::{Map, Value, json};

use super::answers::{Query_, Refusal, bad, each, matches, missing, page, refuse, with_etag};
use super::state::State;
use super::{Server, kinds};
use crate::clock;
use crate::own_fields::OwnFields;
use crate::records::{
    self, Field, Form, Kind, Known, Link, Past, Record, Remark, as_text, check_links, fill, note_changes,
};

/// The word of Tallybench's schema for a form.
fn word(field: &Field) -> String {
    match field.form {
        Form::Line => "string".into(),
        Form::Rich => "markdown".into(),
        Form::Number => "integer".into(),
        Form::Time => "instant".into(),
        Form::List => "enum".into(),
        Form::Person => "person".into(),
        Form::Mark => "reference_mark".into(),
        Form::Ref(kind) => format!("{kind}_id"),
        Form::Refs(kind) => format!("{kind}_ids"),
        Form::Steps => "steps".into(),
        Form::Tags => "tags".into(),
        Form::Status => "enum".into(),
        Form::Decimal => "decimal".into(),
    }
}

pub fn schema(kind: &Kind) -> Value {
    let field = |f: &Field| {
        let mut out = json!({"id": f.id, "title": f.label, "type": word(f), "required": f.needed});
        if f.longest > 0 {
            out["max"] = json!(f.longest);
        }
        if !f.values.is_empty() {
            out["values"] = json!(f.values);
        }
        out
    };
    json!({"id": kind.id, "title": kind.label, "fields": kind.fields.iter().map(field).collect::<Vec<_>>()})
}

pub fn links_json(links: &[Link]) -> Value {
    let one = |l: &Link| match l.id.parse::<u32>() {
        Ok(id) => json!({"type": l.word, "kind": l.kind, "id": id}),
        Err(_) => json!({"type": l.word, "url": l.url}),
    };
    json!(links.iter().map(one).collect::<Vec<_>>())
}

/// The words for types of links.
pub const LINK_WORDS: [&str; 3] = ["verifies", "affects", "relates"];

pub fn read_links(given: &Value, state: &State) -> Result<Vec<Link>, records::Refusal> {
    let wrong = |why: &str| ("links".to_owned(), why.to_owned());
    let list = given.as_array().ok_or_else(|| wrong("a list is needed"))?;
    let mut out = Vec::new();
    for item in list {
        let link = Link {
            word: as_text(&item["type"]),
            kind: as_text(&item["kind"]),
            id: as_text(&item["id"]),
            url: as_text(&item["url"]),
        };
        if !LINK_WORDS.contains(&link.word.as_str()) {
            return Err(wrong(&format!("“{}” is not one of {}", link.word, LINK_WORDS.join(", "))));
        }
        if link.id.is_empty() && link.url.is_empty() {
            return Err(wrong("a link leads to an item or to an address"));
        }
        out.push(link);
    }
    check_links(&out, state)?;
    Ok(out)
}

fn write(record: &Record, kind: &Kind, own: &OwnFields) -> Value {
    let mut out = json!({
        "id": record.number, "number": format!("{}-{}", kind.prefix, record.number),
        "etag": format!("\"r{}\"", record.revision),
        "updated_at": record.changed.to_rfc3339_opts(SecondsFormat::Millis, true), "updated_by": record.changed_by,
        "links": links_json(&record.links), "comments": comments_json(&record.remarks),
        "history": history_json(&record.trail),
    });
    for field in kind.fields {
        let value = record.values.get(field.id).cloned().unwrap_or(Value::Null);
        out[field.id] = match field.form {
            Form::Refs(_) | Form::Steps if value.is_null() => json!([]),
            Form::Ref(_) => as_text(&value).parse::<u32>().map_or(Value::Null, |n| json!(n)),
            _ => value,
        };
    }
    own.write(kind.id, &record.values, &mut out);
    out
}

/// Times are kept in UTC, with milliseconds.
fn settle(mut given: Map<String, Value>, kind: &Kind) -> Result<Map<String, Value>, records::Refusal> {
    for field in kind.fields.iter().filter(|f| f.form == Form::Time) {
        let Some(text) = given.get(field.id).map(as_text).filter(|t| !t.is_empty()) else { continue };
        let time =
            DateTime::parse_from_rfc3339(&text).map_err(|_| (field.id.to_owned(), format!("“{text}” is no time")))?;
        let utc = time.to_utc().trunc_subsecs(3).to_rfc3339_opts(SecondsFormat::Millis, true);
        given.insert(field.id.to_owned(), json!(utc));
    }
    Ok(given)
}

pub async fn list(
    Extract(server): Extract<Server>,
    Path((_, kind)): Path<(String, String)>,
    Query(query): Query_,
) -> Response {
    let Some(kind) = kinds::find(&kind) else { return missing() };
    let state = server.kept.read();
    let wanted = query.get("external_ref");
    let marked = |r: &&Record| wanted.is_none_or(|w| r.values.get("external_ref").map(as_text).as_ref() == Some(w));
    let found = state.records.get(kind.id).into_iter().flat_map(|r| r.values()).filter(marked);
    page(found.map(|r| (r.number, r)), &query, |r| write(r, kind, &state.own_fields))
}

fn found(state: &State, kind: &str, id: u32) -> Option<(&'static Kind, Record)> {
    Some((kinds::find(kind)?, state.records.get(kind)?.get(&id)?.clone()))
}

pub async fn one(Extract(server): Extract<Server>, Path((kind, id)): Path<(String, u32)>) -> Response {
    let state = server.kept.read();
    let found = found(&state, &kind, id);
    found.map_or_else(missing, |(kind, r)| with_etag(StatusCode::OK, write(&r, kind, &state.own_fields)))
}

enum Wrong {
    Field(records::Refusal),
    Taken,
}

fn keep(state: &mut State, record: Record, mut given: Map<String, Value>, kind: &Kind) -> Result<Value, Wrong> {
    let links = given.remove("links");
    let mut record = record;
    state.own_fields.take(kind.id, &mut given, &mut record.values).map_err(Wrong::Field)?;
    let given = settle(given, kind).map_err(Wrong::Field)?;
    let mut record = fill(&record, given, kind, state).map_err(Wrong::Field)?;
    if let Some(links) = links {
        record.links = read_links(&links, state).map_err(Wrong::Field)?;
    }
    let mark = |r: &Record| r.values.get("external_ref").map(as_text).filter(|m| !m.is_empty());
    let all = state.records.entry(kind.id.to_owned()).or_default();
    if mark(&record).is_some() && all.values().any(|o| o.number != record.number && mark(o) == mark(&record)) {
        return Err(Wrong::Taken);
    }
    record.changed = clock::now().trunc_subsecs(3);
    record.changed_by = "hovrel".into();
    if let Some(before) = all.get(&record.number) {
        note_changes(before, &mut record, kind);
    }
    let number = record.number;
    let made = write(&record, kind, &state.own_fields);
    all.insert(number, record);
    Ok(made)
}

fn answer(kept: Result<Value, Wrong>, status: StatusCode) -> Response {
    match kept {
        Ok(made) => with_etag(status, made),
        Err(wrong) => refuse(wrong.told()),
    }
}

impl Wrong {
    fn told(self) -> Refusal {
        match self {
            Wrong::Field((field, why)) => bad(field, why),
            Wrong::Taken => (
                StatusCode::CONFLICT,
                "duplicate_reference",
                "external_ref".into(),
                "another item has this reference".into(),
            ),
        }
    }
}

pub fn comments_json(comments: &[Remark]) -> Value {
    let one = |m: &Remark| json!({"at": m.at.to_rfc3339_opts(SecondsFormat::Millis, true), "by": m.by, "text": m.text});
    json!(comments.iter().map(one).collect::<Vec<_>>())
}

pub fn history_json(history: &[Past]) -> Value {
    let one = |p: &Past| {
        json!({"at": p.at.to_rfc3339_opts(SecondsFormat::Millis, true), "by": p.by, "field": p.field,
               "before": p.before, "after": p.after})
    };
    json!(history.iter().map(one).collect::<Vec<_>>())
}

fn time(body: &Value) -> Result<DateTime<Utc>, records::Refusal> {
    let text = as_text(&body["at"]);
    match text.is_empty() {
        true => Ok(clock::now().trunc_subsecs(3)),
        false => DateTime::parse_from_rfc3339(&text)
            .map(|t| t.to_utc().trunc_subsecs(3))
            .map_err(|_| ("at".to_owned(), format!("“{text}” is no time"))),
    }
}

/// A comment from a body; the key's owner, an administrator, may say who made it and when.
pub fn read_comment(body: &Value, state: &State) -> Result<Remark, records::Refusal> {
    let (by, text) = (as_text(&body["by"]), as_text(&body["text"]));
    if text.trim().is_empty() {
        return Err(("text".into(), "some text is needed".into()));
    }
    if !by.is_empty() && !state.has_person(&by) {
        return Err(("by".into(), "nobody has this id".into()));
    }
    Ok(Remark { at: time(body)?, by: if by.is_empty() { "hovrel".into() } else { by }, text })
}

/// A past change from a body, as an administrator may add it.
pub fn read_past(body: &Value) -> Result<Past, records::Refusal> {
    let text = |name: &str| as_text(&body[name]);
    if text("at").is_empty() || text("field").is_empty() {
        return Err(("at".into(), "a past change has a time and a field".into()));
    }
    Ok(Past { at: time(body)?, by: text("by"), field: text("field"), before: text("before"), after: text("after") })
}

fn hang(server: &Server, kind: &str, id: u32, add: impl FnOnce(&mut Record)) -> Response {
    let mut state = server.kept.write();
    let Some((kind, mut record)) = found(&state, kind, id) else { return missing() };
    add(&mut record);
    record.remarks.sort_by_key(|m| m.at);
    record.trail.sort_by_key(|p| p.at);
    record.revision += 1;
    let made = write(&record, kind, &state.own_fields);
    state.records.entry(kind.id.to_owned()).or_default().insert(id, record);
    with_etag(StatusCode::CREATED, made)
}

pub async fn comment(
    Extract(server): Extract<Server>,
    Path((kind, id)): Path<(String, u32)>,
    Json(body): Json<Value>,
) -> Response {
    let read = read_comment(&body, &server.kept.read());
    match read {
        Ok(comment) => hang(&server, &kind, id, |r| r.remarks.push(comment)),
        Err((field, why)) => refuse(bad(field, why)),
    }
}

pub async fn past(
    Extract(server): Extract<Server>,
    Path((kind, id)): Path<(String, u32)>,
    Json(body): Json<Value>,
) -> Response {
    match read_past(&body) {
        Ok(past) => hang(&server, &kind, id, |r| r.trail.push(past)),
        Err((field, why)) => refuse(bad(field, why)),
    }
}

pub async fn make(
    Extract(server): Extract<Server>,
    Path((_, kind)): Path<(String, String)>,
    Json(body): Json<Map<String, Value>>,
) -> Response {
    let Some(kind) = kinds::find(&kind) else { return missing() };
    answer(new(&mut server.kept.write(), kind, body), StatusCode::CREATED)
}

fn new(state: &mut State, kind: &Kind, body: Map<String, Value>) -> Result<Value, Wrong> {
    let number = state.numbers.take();
    let record = records::made(kind.id, number, clock::now(), "hovrel", &[]);
    keep(state, record, body, kind)
}

pub async fn make_many(
    Extract(server): Extract<Server>,
    Path((_, kind)): Path<(String, String)>,
    Json(body): Json<Value>,
) -> Response {
    let Some(kind) = kinds::find(&kind) else { return missing() };
    let mut state = server.kept.write();
    each(&body, |item| match item {
        Value::Object(item) => new(&mut state, kind, item).map_err(Wrong::told),
        _ => Err(bad("item", "an object is needed")),
    })
}

pub async fn change(
    Extract(server): Extract<Server>,
    Path((kind, id)): Path<(String, u32)>,
    headers: HeaderMap,
    Json(body): Json<Map<String, Value>>,
) -> Response {
    let mut state = server.kept.write();
    let Some((kind, mut record)) = found(&state, &kind, id) else { return missing() };
    if let Err(e) = matches(&headers, &write(&record, kind, &state.own_fields)) {
        return *e;
    }
    record.revision += 1;
    answer(keep(&mut state, record, body, kind), StatusCode::OK)
}
