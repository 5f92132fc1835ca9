//! Tallybench's interface: JSON, a key, cursors, ETags, a limit of calls, batches of new items.

use axum::body::Bytes;
use axum::extract::{Path, Query, Request, State as Extract};
use axum::http::{HeaderMap, Method, StatusCode, header};
use axum::middleware::{Next, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post, put};
use axum::{Json, Router};
use chrono::SubsecRound;
use serde::Deserialize;
use serde_json::{Map, Value, json};

use super::answers::{
    LARGEST_BATCH, LONGEST_PAGE, Query_, Refusal, bad, each, matches, missing, page, problem, refuse, with_etag,
};
use super::state::{Case, Chapter, DEEPEST, DataSet, File, STATUSES, State, Step, number_steps};
use super::{KEY, READ_ONLY_KEY, Server, kinds, records_api};
use crate::clock;
use crate::fault::{Faults, misbehave, too_many};
use crate::meddle::meddled;
use crate::own_fields::OwnFields;
use crate::records::{Known, Past, as_text};

const LARGEST_FILE: usize = 25_000_000;

const FILE_TYPES: [&str; 5] = ["image/png", "image/jpeg", "text/plain", "text/csv", "application/pdf"];

pub fn routes(server: Server, faults: Faults) -> Router {
    Router::new()
        .route("/api/about", get(about))
        .route("/api/projects", get(projects))
        .route("/api/projects/{project}/people", get(people))
        .route("/api/projects/{project}/schema", get(schema))
        .route("/api/projects/{project}/schema/{kind}/fields", post(add_field))
        .route("/api/projects/{project}/chapters", get(chapters).post(make_chapter))
        .route("/api/projects/{project}/cases", get(cases).post(make_case))
        .route("/api/projects/{project}/records/{kind}", get(records_api::list).post(records_api::make))
        .route("/api/projects/{project}/chapters/batch", post(make_chapters))
        .route("/api/projects/{project}/cases/batch", post(make_cases))
        .route("/api/projects/{project}/records/{kind}/batch", post(records_api::make_many))
        .route("/api/records/{kind}/{id}/comments", post(records_api::comment))
        .route("/api/records/{kind}/{id}/history", post(records_api::past))
        .route("/api/cases/{id}/comments", post(comment_case))
        .route("/api/cases/{id}/history", post(past_of_case))
        .route("/api/records/{kind}/{id}", get(records_api::one).put(records_api::change))
        .route("/api/chapters/{id}", get(one_chapter).put(change_chapter))
        .route("/api/cases/{id}", get(one_case).put(change_case))
        .route("/api/cases/{id}/files/{name}", put(put_file).get(get_file).delete(remove_file))
        .layer(axum::extract::DefaultBodyLimit::max(LARGEST_FILE + 1024))
        .layer(from_fn_with_state(server.kept.clone(), meddled::<State>))
        .layer(from_fn_with_state(server.clone(), guard))
        .layer(from_fn_with_state(faults, misbehave))
        .with_state(server)
}

async fn guard(Extract(server): Extract<Server>, headers: HeaderMap, request: Request, next: Next) -> Response {
    let key = headers.get("x-tally-key").and_then(|v| v.to_str().ok()).unwrap_or_default();
    if key != KEY && key != READ_ONLY_KEY {
        return problem(StatusCode::UNAUTHORIZED, "bad_key", None, "the key is unknown");
    }
    if key == READ_ONLY_KEY && request.method() != Method::GET {
        return problem(StatusCode::FORBIDDEN, "read_only", None, "this key may only read");
    }
    if let Err(seconds) = server.bucket.take() {
        return too_many(seconds);
    }
    let read_only = key == READ_ONLY_KEY;
    let mut response = next.run(request).await;
    if read_only {
        response.headers_mut().insert("x-tally-access", header::HeaderValue::from_static("read"));
    }
    response
}

async fn about(Extract(server): Extract<Server>, headers: HeaderMap) -> Json<Value> {
    let read_only = headers.get("x-tally-key").is_some_and(|k| k == READ_ONLY_KEY);
    Json(json!({
        "system": "Tallybench", "version": "3.1",
        "time": server.faults.now().trunc_subsecs(3).to_rfc3339_opts(chrono::SecondsFormat::Millis, true),
        "access": if read_only { "read" } else { "write" },
        "limits": {"calls_per_minute": server.calls_per_minute, "page": LONGEST_PAGE, "batch": LARGEST_BATCH},
    }))
}

async fn projects() -> Json<Value> {
    Json(json!({"items": [{"id": "ropeway", "title": "Ropeway acceptance", "access": "write"}]}))
}

async fn people(Extract(server): Extract<Server>) -> Json<Value> {
    Json(json!({"items": server.kept.read().people}))
}

async fn schema(Extract(server): Extract<Server>) -> Json<Value> {
    Json(described(&server))
}

/// Adds a field to a kind; everybody sees it from then on.
async fn add_field(
    Extract(server): Extract<Server>,
    Path((_, kind)): Path<(String, String)>,
    Json(body): Json<Value>,
) -> Response {
    let described = described(&server);
    let kinds = described["kinds"].as_array().into_iter().flatten();
    let Some(of) = kinds.into_iter().find(|k| k["id"] == kind && k["own_fields"] == true) else { return missing() };
    let titles: Vec<String> = of["fields"].as_array().into_iter().flatten().map(|f| as_text(&f["title"])).collect();
    match server.kept.write().own_fields.add(&kind, &titles, &body) {
        Ok(field) => (StatusCode::CREATED, Json(field)).into_response(),
        Err((field, why)) => refuse(bad(field, why)),
    }
}

fn described(server: &Server) -> Value {
    let priorities = server.kept.read().priorities();
    let mut described = json!({"kinds": [
        {"id": "chapter", "title": "Chapter", "depth": DEEPEST, "fields": [
            {"id": "title", "title": "Title", "type": "string", "required": true, "max": 120},
            {"id": "external_ref", "title": "External reference", "type": "reference_mark", "max": 200},
        ]},
        {"id": "case", "title": "Case", "fields": [
            {"id": "title", "title": "Title", "type": "string", "required": true, "max": 250},
            {"id": "priority", "title": "Priority", "type": "enum", "required": true, "values": priorities},
            {"id": "status", "title": "Status", "type": "enum", "required": true, "values": STATUSES},
            {"id": "preconditions", "title": "Preconditions", "type": "markdown"},
            {"id": "steps", "title": "Steps", "type": "steps"},
            {"id": "component", "title": "Component", "type": "string", "max": 20},
            {"id": "assigned", "title": "Assigned", "type": "person"},
            {"id": "tags", "title": "Tags", "type": "tags"},
            {"id": "external_ref", "title": "External reference", "type": "reference_mark", "max": 200},
            {"id": "framework", "title": "Framework", "type": "string", "max": 80},
            {"id": "source_file", "title": "Source file", "type": "string", "max": 400},
            {"id": "symbol", "title": "Symbol", "type": "string", "max": 200},
            {"id": "data_sets", "title": "Data sets", "type": "data_sets"},
            {"id": "files", "title": "Files", "type": "files", "max_bytes": LARGEST_FILE, "media_types": FILE_TYPES},
        ]},
    ]});
    if let Some(kinds) = described["kinds"].as_array_mut() {
        kinds.extend(kinds::KINDS.iter().map(records_api::schema));
        for kind in kinds.iter_mut().filter(|k| k["id"] != "chapter") {
            kind["own_fields"] = json!(true);
            let own = server.kept.read().own_fields.described(&as_text(&kind["id"]));
            kind["fields"].as_array_mut().into_iter().for_each(|f| f.extend(own.clone()));
        }
    }
    described
}

fn chapter_json(c: &Chapter) -> Value {
    json!({"id": c.id, "number": format!("CH-{}", c.id), "chapter_id": c.chapter_id, "place": c.place,
           "title": c.title, "external_ref": c.external_ref, "etag": format!("\"c{}\"", c.revision)})
}

fn case_json(c: &Case, own: &OwnFields) -> Value {
    let mut out = json!({
        "id": c.id, "number": format!("TB-{}", c.id), "chapter_id": c.chapter_id, "place": c.place,
        "title": c.title,
        "preconditions": c.preconditions, "priority": c.priority, "status": c.status, "component": c.component,
        "tags": c.tags, "assigned": c.assigned, "steps": c.steps, "external_ref": c.external_ref, "files": c.files,
        "comments": records_api::comments_json(&c.comments), "history": records_api::history_json(&c.history),
        "automation": c.automation, "data_sets": c.data_sets, "links": records_api::links_json(&c.links),
        "etag": format!("\"v{}\"", c.revision),
        "updated_at": c.updated_at.to_rfc3339_opts(chrono::SecondsFormat::Millis, true), "updated_by": c.updated_by,
    });
    own.write("case", &c.own, &mut out);
    out
}

async fn chapters(Extract(server): Extract<Server>, Query(query): Query_) -> Response {
    let state = server.kept.read();
    let wanted = query.get("external_ref");
    let found = state.chapters.values().filter(|c| wanted.is_none_or(|w| c.external_ref.as_ref() == Some(w)));
    page(found.map(|c| (c.id, c)), &query, chapter_json)
}

async fn cases(Extract(server): Extract<Server>, Query(query): Query_) -> Response {
    let state = server.kept.read();
    let wanted = query.get("external_ref");
    let found = state.cases.values().filter(|c| wanted.is_none_or(|w| c.external_ref.as_ref() == Some(w)));
    page(found.map(|c| (c.id, c)), &query, |c| case_json(c, &state.own_fields))
}

async fn one_chapter(Extract(server): Extract<Server>, Path(id): Path<u32>) -> Response {
    server.kept.read().chapters.get(&id).map_or_else(missing, |c| with_etag(StatusCode::OK, chapter_json(c)))
}

async fn one_case(Extract(server): Extract<Server>, Path(id): Path<u32>) -> Response {
    let state = server.kept.read();
    let written = state.cases.get(&id).map(|c| case_json(c, &state.own_fields));
    written.map_or_else(missing, |c| with_etag(StatusCode::OK, c))
}

/// A patch of a chapter: what is not given stays.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ChapterBody {
    title: Option<String>,
    #[serde(default, with = "double")]
    chapter_id: Option<Option<u32>>,
    place: Option<u32>,
    #[serde(default, with = "double")]
    external_ref: Option<Option<String>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct CaseBody {
    title: Option<String>,
    preconditions: Option<String>,
    priority: Option<String>,
    status: Option<String>,
    component: Option<String>,
    tags: Option<Vec<String>>,
    #[serde(default, with = "double")]
    assigned: Option<Option<String>>,
    steps: Option<Vec<Step>>,
    data_sets: Option<Vec<DataSet>>,
    automation: Option<Map<String, Value>>,
    links: Option<Value>,
    #[serde(default, with = "double")]
    chapter_id: Option<Option<u32>>,
    place: Option<u32>,
    #[serde(default, with = "double")]
    external_ref: Option<Option<String>>,
}

/// Tells a field that is null from one that is absent.
mod double {
    use serde::{Deserialize, Deserializer};

    pub fn deserialize<'de, D: Deserializer<'de>, T: Deserialize<'de>>(d: D) -> Result<Option<Option<T>>, D::Error> {
        Option::<T>::deserialize(d).map(Some)
    }
}

fn fill_chapter(c: &mut Chapter, body: ChapterBody, state: &State) -> Result<(), Refusal> {
    if let Some(title) = body.title {
        c.title = title.trim().to_owned();
    }
    if let Some(parent) = body.chapter_id {
        c.chapter_id = parent;
    }
    if let Some(mark) = body.external_ref {
        c.external_ref = mark.filter(|m| !m.is_empty());
    }
    if c.title.is_empty() || c.title.chars().count() > 120 {
        return Err(bad("title", "a title of 1 to 120 characters is needed"));
    }
    if c.chapter_id.is_some_and(|p| p == c.id || !state.chapters.contains_key(&p)) {
        return Err(bad("chapter_id", "there is no such chapter"));
    }
    let neighbours = state.chapters.values().filter(|o| o.chapter_id == c.chapter_id).map(|o| o.place);
    c.place = place(body.place, c.place, neighbours);
    if state.path(c.chapter_id).len() + 1 > DEEPEST {
        return Err(bad("chapter_id", format!("chapters go {DEEPEST} levels deep")));
    }
    let taken = |o: &Chapter| o.id != c.id && o.external_ref.is_some() && o.external_ref == c.external_ref;
    if state.chapters.values().any(taken) {
        return Err((
            StatusCode::CONFLICT,
            "duplicate_reference",
            "external_ref".into(),
            "another chapter has this reference".into(),
        ));
    }
    Ok(())
}

/// The place that is asked for, 1 for the first; what is new and asks for none stands last.
fn place(asked: Option<u32>, now: u32, neighbours: impl Iterator<Item = u32>) -> u32 {
    match asked {
        Some(place) => place.max(1),
        None if now == 0 => neighbours.max().unwrap_or(0) + 1,
        None => now,
    }
}

fn fill_case(c: &mut Case, body: CaseBody, state: &State) -> Result<(), Refusal> {
    macro_rules! take {
        ($($field:ident),*) => { $(if let Some(v) = body.$field { c.$field = v; })* };
    }
    take!(title, preconditions, priority, status, component, tags, assigned, steps, data_sets, chapter_id);
    for (part, value) in body.automation.into_iter().flatten() {
        let into = match part.as_str() {
            "framework" => &mut c.automation.framework,
            "source_file" => &mut c.automation.source_file,
            "symbol" => &mut c.automation.symbol,
            _ => return Err(bad("automation", format!("there is no {part}"))),
        };
        *into = as_text(&value);
    }
    if let Some(links) = body.links {
        c.links = records_api::read_links(&links, state).map_err(|(field, why)| bad(field, why))?;
    }
    if let Some(gone) = c.steps.iter().filter_map(|s| s.shared).find(|n| !state.has("shared", &n.to_string())) {
        return Err(bad("steps", format!("there are no shared steps {gone}")));
    }
    if let Some(mark) = body.external_ref {
        c.external_ref = mark.filter(|m| !m.is_empty());
    }
    number_steps(&mut c.steps);
    c.title = c.title.trim().to_owned();
    if c.title.is_empty() || c.title.chars().count() > 250 {
        return Err(bad("title", "a title of 1 to 250 characters is needed"));
    }
    let priorities = state.priorities();
    if !priorities.contains(&c.priority.as_str()) {
        return Err(bad("priority", format!("“{}” is not one of {}", c.priority, priorities.join(", "))));
    }
    if !STATUSES.contains(&c.status.as_str()) {
        return Err(bad("status", format!("“{}” is not one of {}", c.status, STATUSES.join(", "))));
    }
    if c.component.chars().count() > 20 {
        return Err(bad("component", "20 characters at most"));
    }
    let script = &c.automation;
    for (part, held, most) in [
        ("framework", &script.framework, 80),
        ("source_file", &script.source_file, 400),
        ("symbol", &script.symbol, 200),
    ] {
        if held.chars().count() > most {
            return Err(bad(part, format!("{most} characters at most")));
        }
    }
    if c.assigned.as_ref().is_some_and(|a| !state.people.iter().any(|p| p.id == *a)) {
        return Err(bad("assigned", "nobody has this id"));
    }
    if c.chapter_id.is_some_and(|p| !state.chapters.contains_key(&p)) {
        return Err(bad("chapter_id", "there is no such chapter"));
    }
    let neighbours = state.cases.values().filter(|o| o.chapter_id == c.chapter_id).map(|o| o.place);
    c.place = place(body.place, c.place, neighbours);
    let taken = |o: &Case| o.id != c.id && o.external_ref.is_some() && o.external_ref == c.external_ref;
    if state.cases.values().any(taken) {
        return Err((
            StatusCode::CONFLICT,
            "duplicate_reference",
            "external_ref".into(),
            "another case has this reference".into(),
        ));
    }
    Ok(())
}

async fn make_chapter(Extract(server): Extract<Server>, Json(body): Json<ChapterBody>) -> Response {
    match new_chapter(body, &mut server.kept.write()) {
        Ok(made) => with_etag(StatusCode::CREATED, made),
        Err(refusal) => refuse(refusal),
    }
}

fn new_chapter(body: ChapterBody, state: &mut State) -> Result<Value, Refusal> {
    let mut c = Chapter { id: 0, chapter_id: None, place: 0, title: String::new(), external_ref: None, revision: 1 };
    fill_chapter(&mut c, body, state)?;
    c.id = state.numbers.take();
    let made = chapter_json(&c);
    state.chapters.insert(c.id, c);
    Ok(made)
}

async fn change_chapter(
    Extract(server): Extract<Server>,
    Path(id): Path<u32>,
    headers: HeaderMap,
    Json(body): Json<ChapterBody>,
) -> Response {
    let mut state = server.kept.write();
    let Some(mut c) = state.chapters.get(&id).cloned() else { return missing() };
    if let Err(e) = matches(&headers, &chapter_json(&c)) {
        return *e;
    }
    if let Err(e) = fill_chapter(&mut c, body, &state) {
        return refuse(e);
    }
    c.revision += 1;
    let made = chapter_json(&c);
    state.chapters.insert(id, c);
    with_etag(StatusCode::OK, made)
}

async fn make_case(Extract(server): Extract<Server>, Json(body): Json<Map<String, Value>>) -> Response {
    match new_case(body, &mut server.kept.write()) {
        Ok(made) => with_etag(StatusCode::CREATED, made),
        Err(refusal) => refuse(refusal),
    }
}

/// What is given for a case's own fields goes into `held`; the rest is the body of a case.
fn case_body(mut given: Map<String, Value>, held: &mut Map<String, Value>, state: &State) -> Result<CaseBody, Refusal> {
    state.own_fields.take("case", &mut given, held).map_err(|(field, why)| bad(field, why))?;
    serde_json::from_value(Value::Object(given)).map_err(|e| bad("item", e.to_string()))
}

fn new_case(given: Map<String, Value>, state: &mut State) -> Result<Value, Refusal> {
    let mut c = Case {
        id: 0,
        chapter_id: None,
        place: 0,
        title: String::new(),
        preconditions: String::new(),
        priority: String::new(),
        status: String::new(),
        component: String::new(),
        tags: Vec::new(),
        assigned: None,
        steps: Vec::new(),
        data_sets: Vec::new(),
        links: Vec::new(),
        external_ref: None,
        files: Vec::new(),
        comments: Vec::new(),
        history: Vec::new(),
        automation: Default::default(),
        own: Map::new(),
        revision: 1,
        updated_at: clock::now().trunc_subsecs(3),
        updated_by: "hovrel".into(),
    };
    let body = case_body(given, &mut c.own, state)?;
    fill_case(&mut c, body, state)?;
    c.id = state.numbers.take();
    let made = case_json(&c, &state.own_fields);
    state.cases.insert(c.id, c);
    state.made_one();
    Ok(made)
}

async fn make_cases(Extract(server): Extract<Server>, Json(body): Json<Value>) -> Response {
    let mut state = server.kept.write();
    each(&body, |item| {
        let given = serde_json::from_value(item).map_err(|e| bad("item", e.to_string()))?;
        new_case(given, &mut state)
    })
}

async fn make_chapters(Extract(server): Extract<Server>, Json(body): Json<Value>) -> Response {
    let mut state = server.kept.write();
    each(&body, |item| {
        let body = serde_json::from_value(item).map_err(|e| bad("item", e.to_string()))?;
        new_chapter(body, &mut state)
    })
}

async fn change_case(
    Extract(server): Extract<Server>,
    Path(id): Path<u32>,
    headers: HeaderMap,
    Json(given): Json<Map<String, Value>>,
) -> Response {
    let mut state = server.kept.write();
    let Some(mut c) = state.cases.get(&id).cloned() else { return missing() };
    if let Err(e) = matches(&headers, &case_json(&c, &state.own_fields)) {
        return *e;
    }
    let before = c.clone();
    let filled = case_body(given, &mut c.own, &state).and_then(|body| fill_case(&mut c, body, &state));
    if let Err(e) = filled {
        return refuse(e);
    }
    touch(&mut c);
    note_changes(&before, &mut c);
    let made = case_json(&c, &state.own_fields);
    state.cases.insert(id, c);
    with_etag(StatusCode::OK, made)
}

/// Writes down which of the short fields of a case differ from how it was.
pub(super) fn note_changes(before: &Case, after: &mut Case) {
    let shown = |c: &Case| {
        [
            ("title", c.title.clone()),
            ("priority", c.priority.clone()),
            ("status", c.status.clone()),
            ("component", c.component.clone()),
            ("assigned", c.assigned.clone().unwrap_or_default()),
        ]
    };
    let (at, by) = (after.updated_at, after.updated_by.clone());
    for ((field, old), (_, new)) in shown(before).into_iter().zip(shown(after)) {
        if old != new {
            after.history.push(Past { at, by: by.clone(), field: field.into(), before: old, after: new });
        }
    }
}

async fn comment_case(Extract(server): Extract<Server>, Path(id): Path<u32>, Json(body): Json<Value>) -> Response {
    let mut state = server.kept.write();
    let comment = match records_api::read_comment(&body, &state) {
        Ok(comment) => comment,
        Err((field, why)) => return refuse(bad(field, why)),
    };
    let State { cases, own_fields, .. } = &mut *state;
    let Some(c) = cases.get_mut(&id) else { return missing() };
    c.comments.push(comment);
    c.comments.sort_by_key(|m| m.at);
    c.revision += 1;
    with_etag(StatusCode::CREATED, case_json(c, own_fields))
}

async fn past_of_case(Extract(server): Extract<Server>, Path(id): Path<u32>, Json(body): Json<Value>) -> Response {
    let past = match records_api::read_past(&body) {
        Ok(past) => past,
        Err((field, why)) => return refuse(bad(field, why)),
    };
    let mut state = server.kept.write();
    let State { cases, own_fields, .. } = &mut *state;
    let Some(c) = cases.get_mut(&id) else { return missing() };
    c.history.push(past);
    c.history.sort_by_key(|p| p.at);
    c.revision += 1;
    with_etag(StatusCode::CREATED, case_json(c, own_fields))
}

fn touch(c: &mut Case) {
    c.revision += 1;
    c.updated_at = clock::now().trunc_subsecs(3);
    c.updated_by = "hovrel".into();
}

async fn put_file(
    Extract(server): Extract<Server>,
    Path((id, name)): Path<(u32, String)>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Response {
    let media = headers.get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default().to_owned();
    if !FILE_TYPES.contains(&media.as_str()) {
        return problem(
            StatusCode::UNSUPPORTED_MEDIA_TYPE,
            "file_type",
            Some("files"),
            &format!("{media} is not taken"),
        );
    }
    let mut state = server.kept.write();
    let sha256 = state.blobs.put(&bytes);
    let State { cases, own_fields, .. } = &mut *state;
    let Some(c) = cases.get_mut(&id) else { return missing() };
    c.files.retain(|f| f.name != name);
    c.files.push(File { name, media_type: media, bytes: bytes.len() as u64, sha256 });
    touch(c);
    with_etag(StatusCode::OK, case_json(c, own_fields))
}

async fn remove_file(Extract(server): Extract<Server>, Path((id, name)): Path<(u32, String)>) -> Response {
    let mut state = server.kept.write();
    let State { cases, own_fields, .. } = &mut *state;
    let Some(c) = cases.get_mut(&id) else { return missing() };
    c.files.retain(|f| f.name != name);
    touch(c);
    with_etag(StatusCode::OK, case_json(c, own_fields))
}

async fn get_file(Extract(server): Extract<Server>, Path((id, name)): Path<(u32, String)>) -> Response {
    let state = server.kept.read();
    let found = state
        .cases
        .get(&id)
        .and_then(|c| c.files.iter().find(|f| f.name == name))
        .and_then(|f| Some((f.media_type.clone(), state.blobs.get(&f.sha256)?)));
    match found {
        Some((media, bytes)) => ([(header::CONTENT_TYPE, media)], bytes).into_response(),
        None => missing(),
    }
}
