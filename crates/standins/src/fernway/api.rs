//! Fernway's interface: JSON, bearer tokens, pages linked by header, moves through states.

use std::collections::HashMap;

use axum::body::Bytes;
use axum::extract::{Path, Query, Request, State as Extract};
use axum::http::{HeaderMap, StatusCode, header};
use axum::middleware::{Next, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post, put};
use axum::{Json, Router};
use chrono::{DateTime, SecondsFormat, SubsecRound, Utc};
use serde_json::{Map, Value, json};

use super::state::{PROJECT, PROJECTS, State, key, number};
use super::{Server, hooks, kinds, tokens};
use crate::clock;
use crate::fault::{Faults, misbehave, too_many};
use crate::meddle::meddled;
use crate::records::{self, Field, File, Form, Kind, Link, Record, Remark, as_text, check_links, fill, note_changes};

const LARGEST_FILE: usize = 10_000_000;
const LINK_WORDS: [&str; 4] = ["covers", "splits", "hits", "concerns"];
/// Whoever writes through the interface.
const BRIDGE: &str = "p1";

pub fn routes(server: Server, faults: Faults) -> Router {
    let guarded = Router::new()
        .route("/v2/about", get(about))
        .route("/v2/projects", get(projects))
        .route("/v2/projects/{project}/members", get(members))
        .route("/v2/projects/{project}/forms", get(forms))
        .route("/v2/projects/{project}/items", get(list).post(make))
        .route("/v2/items/{uid}", get(one).put(change))
        .route("/v2/items/{uid}/moves", post(make_move))
        .route("/v2/items/{uid}/remarks", post(remark))
        .route("/v2/items/{uid}/files/{name}", put(put_file).get(get_file).delete(remove_file))
        .merge(hooks::routes())
        .layer(axum::extract::DefaultBodyLimit::max(LARGEST_FILE + 1024))
        .layer(from_fn_with_state(server.kept.clone(), meddled::<State>))
        .layer(from_fn_with_state(server.clone(), guard));
    Router::new()
        .route("/oauth/token", post(tokens::token))
        .merge(guarded)
        .layer(from_fn_with_state(faults, misbehave))
        .with_state(server)
}

fn problem(status: StatusCode, code: &str, slot: &str, text: &str) -> Response {
    (status, Json(json!({"trouble": {"code": code, "slot": slot, "text": text}}))).into_response()
}

fn missing(what: &str) -> Response {
    problem(StatusCode::NOT_FOUND, "absent", "", &format!("there is no {what}"))
}

fn bad((slot, text): records::Refusal) -> Response {
    problem(StatusCode::UNPROCESSABLE_ENTITY, "bad_slot", &slot, &text)
}

async fn guard(Extract(server): Extract<Server>, headers: HeaderMap, request: Request, next: Next) -> Response {
    let token = headers.get(header::AUTHORIZATION).and_then(|v| v.to_str().ok()?.strip_prefix("Bearer "));
    if !token.is_some_and(|t| server.tokens.holds(t)) {
        let mut answer = problem(StatusCode::UNAUTHORIZED, "token", "", "the token is unknown or has expired");
        let told = header::HeaderValue::from_static("Bearer error=\"invalid_token\"");
        answer.headers_mut().insert(header::WWW_AUTHENTICATE, told);
        return answer;
    }
    match server.bucket.take() {
        Ok(()) => next.run(request).await,
        Err(seconds) => too_many(seconds),
    }
}

async fn about(Extract(server): Extract<Server>) -> Json<Value> {
    Json(json!({
        "name": "Fernway", "release": "2026.3", "now": seconds(server.faults.now()), "may": "write",
        "pace": {"per_second": server.calls_per_second},
    }))
}

fn seconds(at: DateTime<Utc>) -> String {
    at.trunc_subsecs(0).to_rfc3339_opts(SecondsFormat::Secs, true)
}

async fn projects() -> Json<Value> {
    Json(json!(PROJECTS.map(|(key, title)| json!({"key": key, "title": title}))))
}

fn is_project(name: &str) -> bool {
    PROJECTS.iter().any(|(key, _)| *key == name)
}

async fn members(Extract(server): Extract<Server>) -> Json<Value> {
    Json(json!(server.kept.read().people))
}

fn holds(field: &Field) -> String {
    match field.form {
        Form::Line | Form::Mark => "line".into(),
        Form::Rich => "text".into(),
        Form::Number => "whole".into(),
        Form::Decimal => "decimal".into(),
        Form::Time => "moment".into(),
        Form::List => "pick".into(),
        Form::Person => "member".into(),
        Form::Tags => "labels".into(),
        Form::Status => "state".into(),
        Form::Ref(form) | Form::Refs(form) => format!("to_{form}"),
        Form::Steps => "steps".into(),
    }
}

async fn forms() -> Json<Value> {
    let slot = |f: &Field| {
        let mut out = json!({"slot": f.id, "caption": f.label, "holds": holds(f), "must": f.needed});
        if f.longest > 0 {
            out["at_most"] = json!(f.longest);
        }
        if !f.values.is_empty() {
            out["choices"] = json!(f.values);
        }
        out
    };
    let form = |k: &Kind| {
        let mut slots: Vec<Value> = k.fields.iter().map(slot).collect();
        slots.push(json!({"slot": "files", "caption": "Files", "holds": "files", "largest": LARGEST_FILE}));
        let moves: Vec<Value> = kinds::MOVES
            .iter()
            .filter(|m| m.form == k.id)
            .map(|m| json!({"from": m.from, "to": m.to, "asks": m.asks}))
            .collect();
        json!({"form": k.id, "caption": k.label, "slots": slots, "first": kinds::first_state(k.id), "moves": moves})
    };
    Json(json!(kinds::KINDS.iter().map(form).collect::<Vec<_>>()))
}

fn item(r: &Record) -> Value {
    let link = |l: &Link| match l.id.is_empty() {
        true => json!({"rel": l.word, "url": l.url}),
        false => json!({"rel": l.word, "form": l.kind, "uid": l.id}),
    };
    let mut out = json!({
        "uid": format!("i{}", r.number), "key": key(r), "form": r.kind,
        "links": r.links.iter().map(link).collect::<Vec<_>>(), "files": r.files,
        "remarks": r.remarks.iter().map(|m| json!({"at": seconds(m.at), "by": m.by, "text": m.text})).collect::<Vec<_>>(),
        "trail": r.trail.iter().map(|p| json!({
            "at": seconds(p.at), "by": p.by, "slot": p.field, "before": p.before, "after": p.after,
        })).collect::<Vec<_>>(),
        "updated_at": seconds(r.changed), "updated_by": r.changed_by,
    });
    for field in kinds::find(&r.kind).map_or(&[][..], |k| k.fields) {
        let value = r.values.get(field.id).cloned().unwrap_or(Value::Null);
        out[field.id] = if field.form == Form::Tags && value.is_null() { json!([]) } else { value };
    }
    out
}

fn labels(r: &Record) -> Vec<String> {
    r.values.get("labels").and_then(Value::as_array).into_iter().flatten().map(as_text).collect()
}

/// Pages by number; the Link header leads to the next one (RFC 8288).
async fn list(
    Extract(server): Extract<Server>,
    Path(project): Path<String>,
    Query(query): Query<HashMap<String, String>>,
) -> Response {
    let state = server.kept.read();
    if !is_project(&project) {
        return missing(&project);
    }
    let Some(form) = query.get("form").and_then(|f| kinds::find(f)) else {
        return problem(StatusCode::BAD_REQUEST, "no_form", "form", "say which form of items");
    };
    let wanted = query.get("label");
    let marked = |r: &&Record| wanted.is_none_or(|w| labels(r).contains(w));
    let all = state.records.get(form.id).into_iter().flat_map(|r| r.values());
    let found: Vec<&Record> = all.filter(|r| super::state::project(r) == project).filter(marked).collect();
    let number = |name: &str| query.get(name).and_then(|v| v.parse::<usize>().ok());
    let per_page = number("per_page").unwrap_or(30).clamp(1, server.longest_page);
    let page = number("page").unwrap_or(1).max(1);
    let shown: Vec<Value> = found.iter().skip((page - 1) * per_page).take(per_page).map(|r| item(r)).collect();
    let mut answer = Json(shown).into_response();
    let mut tell = |name: &'static str, value: String| {
        if let Ok(value) = header::HeaderValue::from_str(&value) {
            answer.headers_mut().insert(name, value);
        }
    };
    tell("item-count", found.len().to_string());
    if page * per_page < found.len() {
        let at = |n: usize| format!("</v2/projects/{project}/items?form={}&per_page={per_page}&page={n}>", form.id);
        tell("link", format!("{}; rel=\"first\", {}; rel=\"next\"", at(1), at(page + 1)));
    }
    answer
}

async fn one(Extract(server): Extract<Server>, Path(uid): Path<String>) -> Response {
    server.kept.read().item(&uid).map_or_else(|| missing(&uid), |r| Json(item(r)).into_response())
}

fn read_links(given: &Value, state: &State) -> Result<Vec<Link>, records::Refusal> {
    let wrong = |why: String| ("links".to_owned(), why);
    let list = given.as_array().ok_or_else(|| wrong("a list is needed".into()))?;
    let mut out = Vec::new();
    for given in list {
        let link = Link {
            word: as_text(&given["rel"]),
            kind: as_text(&given["form"]),
            id: as_text(&given["uid"]),
            url: as_text(&given["url"]),
        };
        if !LINK_WORDS.contains(&link.word.as_str()) {
            return Err(wrong(format!("“{}” is not one of {}", link.word, LINK_WORDS.join(", "))));
        }
        if link.id.is_empty() && link.url.is_empty() {
            return Err(wrong("a link leads to an item or to an address".into()));
        }
        out.push(link);
    }
    check_links(&out, state)?;
    Ok(out)
}

/// Puts the given slots into an item; last write wins.
fn put_slots(
    state: &State,
    record: &Record,
    mut given: Map<String, Value>,
    kind: &Kind,
) -> Result<Record, records::Refusal> {
    let links = given.remove("links");
    given.remove("form");
    let spaced = given.get("labels").and_then(Value::as_array).into_iter().flatten().map(as_text);
    if let Some(label) = spaced.into_iter().find(|l| l.chars().any(char::is_whitespace) || l.chars().count() > 120) {
        return Err(("labels".into(), format!("“{label}” is no label: 120 characters at most, without spaces")));
    }
    let mut out = fill(record, given, kind, state)?;
    if let Some(links) = links {
        out.links = read_links(&links, state)?;
    }
    out.changed = clock::now().trunc_subsecs(0);
    out.changed_by = BRIDGE.into();
    out.revision += 1;
    Ok(out)
}

async fn make(
    Extract(server): Extract<Server>,
    Path(project): Path<String>,
    Json(body): Json<Map<String, Value>>,
) -> Response {
    let mut state = server.kept.write();
    if !is_project(&project) {
        return missing(&project);
    }
    let Some(kind) = body.get("form").and_then(|f| kinds::find(&as_text(f))) else {
        return bad(("form".into(), "there is no such form".into()));
    };
    let record = kinds::begun(kind, 0, BRIDGE);
    match put_slots(&state, &record, body, kind) {
        Err(e) => bad(e),
        Ok(mut made) => {
            made.number = state.numbers.take();
            made.values.insert(PROJECT.into(), json!(project));
            let told = item(&made);
            state.keep(made);
            (StatusCode::CREATED, Json(told)).into_response()
        }
    }
}

fn found(state: &State, uid: &str) -> Option<(&'static Kind, Record)> {
    let record = state.item(uid)?.clone();
    Some((kinds::find(&record.kind)?, record))
}

async fn change(
    Extract(server): Extract<Server>,
    Path(uid): Path<String>,
    Json(body): Json<Map<String, Value>>,
) -> Response {
    let mut state = server.kept.write();
    let Some((kind, record)) = found(&state, &uid) else { return missing(&uid) };
    match put_slots(&state, &record, body, kind) {
        Err(e) => bad(e),
        Ok(mut now) => {
            note_changes(&record, &mut now, kind);
            let told = item(&now);
            state.keep(now);
            Json(told).into_response()
        }
    }
}

/// Moves an item to another state, if there is such a move and what it asks for is there.
async fn make_move(Extract(server): Extract<Server>, Path(uid): Path<String>, Json(body): Json<Value>) -> Response {
    let mut state = server.kept.write();
    let Some((kind, record)) = found(&state, &uid) else { return missing(&uid) };
    let (at, to) = (as_text(&record.values.get("state").cloned().unwrap_or_default()), as_text(&body["to"]));
    let Some(wanted) = kinds::MOVES.iter().find(|m| m.form == kind.id && m.from == at && m.to == to) else {
        return problem(StatusCode::CONFLICT, "no_move", "state", &format!("there is no move from {at} to {to}"));
    };
    let lacks = |slot: &&&str| record.values.get(**slot).map(as_text).unwrap_or_default().is_empty();
    if let Some(slot) = wanted.asks.iter().find(lacks) {
        return bad(((*slot).into(), format!("the move to {to} asks for it")));
    }
    let mut now = record.clone();
    now.values.insert("state".into(), json!(to));
    now.changed = clock::now().trunc_subsecs(0);
    now.changed_by = BRIDGE.into();
    note_changes(&record, &mut now, kind);
    let told = item(&now);
    state.keep(now);
    Json(told).into_response()
}

async fn remark(Extract(server): Extract<Server>, Path(uid): Path<String>, Json(body): Json<Value>) -> Response {
    let mut state = server.kept.write();
    let Some((_, mut record)) = found(&state, &uid) else { return missing(&uid) };
    let text = as_text(&body["text"]);
    if text.trim().is_empty() || text.chars().count() > 20_000 {
        return bad(("text".into(), "1 to 20,000 characters are needed".into()));
    }
    record.remarks.push(Remark { at: clock::now().trunc_subsecs(0), by: BRIDGE.into(), text });
    let told = item(&record);
    state.keep(record);
    (StatusCode::CREATED, Json(told)).into_response()
}

async fn put_file(
    Extract(server): Extract<Server>,
    Path((uid, name)): Path<(String, String)>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Response {
    let media_type = headers.get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default().to_owned();
    let mut state = server.kept.write();
    let Some((_, mut record)) = found(&state, &uid) else { return missing(&uid) };
    let sha256 = state.blobs.put(&bytes);
    let file = record.files.iter().map(|f| f.file).max().unwrap_or(0) + 1;
    record.files.retain(|f| f.name != name);
    record.files.push(File { file, name, media_type, bytes: bytes.len() as u64, sha256 });
    let told = item(&record);
    state.keep(record);
    Json(told).into_response()
}

async fn remove_file(Extract(server): Extract<Server>, Path((uid, name)): Path<(String, String)>) -> Response {
    let mut state = server.kept.write();
    let Some((_, mut record)) = found(&state, &uid) else { return missing(&uid) };
    record.files.retain(|f| !is(f, &name));
    state.keep(record);
    StatusCode::NO_CONTENT.into_response()
}

async fn get_file(Extract(server): Extract<Server>, Path((uid, name)): Path<(String, String)>) -> Response {
    let state = server.kept.read();
    match number(&uid).and(state.item(&uid)).and_then(|r| file(&state, r, &name)) {
        Some((media_type, bytes)) => ([(header::CONTENT_TYPE, media_type)], bytes).into_response(),
        None => missing(&name),
    }
}

/// Files are asked for by their number, since two of an item may have one name; or by that, on a page.
fn is(file: &File, asked: &str) -> bool {
    asked.parse() == Ok(file.file) || file.name == asked
}

pub(super) fn file(state: &State, record: &Record, name: &str) -> Option<(String, Vec<u8>)> {
    let file = record.files.iter().find(|f| is(f, name))?;
    Some((file.media_type.clone(), state.blobs.get(&file.sha256)?))
}
