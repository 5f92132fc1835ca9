//! Oldstone's interface: XML, sessions, offsets, revisions.

use axum::Router;
use axum::body::Bytes;
use axum::extract::{Path, Query, Request, State as Extract};
use axum::http::{HeaderMap, StatusCode, header};
use axum::middleware::{Next, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post, put};

use super::answers::{Query_, answer, malformed, missing, page, read_remark, refuse, wrong_field};
use super::numbers::number;
use super::state::{Case, File, Folder, State};
use super::xml::{self, Element, element};
use super::{LOGIN, PASSWORD, Server, kinds, records_api};
use crate::clock;
use crate::fault::{Faults, misbehave};
use crate::meddle::meddled;
use crate::records::{Known, Past, check_links};
use crate::world::{IMPORTANCE, STATES};

/// A session lasts twenty minutes.
const SESSION_SECONDS: i64 = 1200;

const LARGEST_FILE: usize = 5_000_000;

pub fn routes(server: Server, faults: Faults) -> Router {
    let signed_in = Router::new()
        .route("/os/about", get(about))
        .route("/os/projects", get(projects))
        .route("/os/projects/{project}/people", get(people))
        .route("/os/projects/{project}/schema", get(schema))
        .route("/os/projects/{project}/folders", get(folders).post(make_folder))
        .route("/os/projects/{project}/cases", get(cases).post(make_case))
        .route("/os/projects/{project}/items/{kind}", get(records_api::list).post(records_api::make))
        .route("/os/items/{kind}/{id}/remarks", post(records_api::remark))
        .route("/os/cases/{id}/remarks", post(remark_case))
        .route("/os/items/{kind}/{id}", get(records_api::one).put(records_api::change))
        .route("/os/folders/{id}", get(one_folder).put(change_folder))
        .route("/os/cases/{id}", get(one_case).put(change_case))
        .route("/os/cases/{id}/files/{name}", put(put_file).get(get_file).delete(remove_file))
        .layer(axum::extract::DefaultBodyLimit::max(LARGEST_FILE + 1024))
        .layer(from_fn_with_state(server.kept.clone(), meddled::<State>))
        .layer(from_fn_with_state(server.clone(), require_session));
    Router::new()
        .route("/os/session", post(sign_in))
        .merge(signed_in)
        .layer(from_fn_with_state(server.clone(), take_a_slot))
        .layer(from_fn_with_state(faults, misbehave))
        .with_state(server)
}

async fn take_a_slot(Extract(server): Extract<Server>, request: Request, next: Next) -> Response {
    let Ok(_slot) = server.slots.try_acquire() else {
        let busy = refuse(StatusCode::SERVICE_UNAVAILABLE, "busy", "too many calls at once");
        return ([("retry-after", "1")], busy).into_response();
    };
    tokio::time::sleep(server.delay).await;
    next.run(request).await
}

async fn require_session(
    Extract(server): Extract<Server>,
    headers: HeaderMap,
    request: Request,
    next: Next,
) -> Response {
    let token = headers.get("x-oldstone-session").and_then(|v| v.to_str().ok()).unwrap_or_default().to_owned();
    let known = server.kept.read().sessions.get(&token).is_some_and(|until| *until > clock::now().timestamp());
    if !known {
        return refuse(StatusCode::UNAUTHORIZED, "no-session", "sign in first");
    }
    next.run(request).await
}

async fn sign_in(Extract(server): Extract<Server>, body: String) -> Response {
    let Ok(root) = xml::parse(&body) else { return refuse(StatusCode::BAD_REQUEST, "malformed", "not well-formed") };
    if root.text_of("login").as_deref() != Some(LOGIN) || root.text_of("password").as_deref() != Some(PASSWORD) {
        return refuse(StatusCode::FORBIDDEN, "bad-sign-in", "login or password is wrong");
    }
    let token = format!("{:032x}", rand::random::<u128>());
    let now = clock::now().timestamp();
    let mut state = server.kept.write();
    state.sessions.retain(|_, until| *until > now);
    state.sessions.insert(token.clone(), now + SESSION_SECONDS);
    answer(format!("<session token=\"{token}\" seconds=\"{SESSION_SECONDS}\"/>"))
}

async fn about(Extract(server): Extract<Server>) -> Response {
    answer(format!(
        "<about><system>Oldstone</system><version>9.4</version><clock>{}</clock><zone>{}</zone><calls-at-once>{}</calls-at-once></about>",
        server.faults.now().with_timezone(&super::state::ZONE).format("%Y-%m-%dT%H:%M:%S"),
        super::state::ZONE.name(),
        server.calls_at_once,
    ))
}

async fn projects() -> Response {
    answer(
        "<projects><project><id>lift-control</id><name>Lift control</name><access>write</access></project></projects>"
            .into(),
    )
}

async fn people(Extract(server): Extract<Server>) -> Response {
    let state = server.kept.read();
    let list: String = state
        .people
        .iter()
        .map(|(login, name, mail)| {
            format!("<person>{}{}{}</person>", element("login", login), element("name", name), element("mail", mail))
        })
        .collect();
    answer(format!("<people>{list}</people>"))
}

async fn schema() -> Response {
    let field = |id: &str, name: &str, kind: &str, more: &str| {
        format!("<field id=\"{id}\" type=\"{kind}\" {more}>{}</field>", element("label", name))
    };
    let longest = |lines: &[(&str, usize)], id: &str| {
        let most = lines.iter().find(|(of, _)| *of == id).map(|(_, most)| *most);
        most.map(|most| format!("longest=\"{most}\"")).unwrap_or_default()
    };
    let line = |id: &str, name: &str, kind: &str, more: &str| {
        field(id, name, kind, &format!("{more} {}", longest(&CASE_LINES, id)))
    };
    let list = |id: &str, name: &str, values: &[&str]| {
        let values: String = values.iter().map(|v| element("value", v)).collect();
        format!("<field id=\"{id}\" type=\"list\"><label>{name}</label><values>{values}</values></field>")
    };
    let case = [
        line("name", "Name", "line", "needed=\"yes\""),
        field("description", "Description", "html", ""),
        list("importance", "Importance", &IMPORTANCE),
        list("state", "State", &STATES),
        line("brake-class", "Brake class", "line", ""),
        line("estimate", "Estimate", "line", ""),
        field("labels", "Labels", "words", ""),
        field("owner", "Owner", "person", ""),
        field("steps", "Steps", "steps", ""),
        line("origin", "Origin", "mark", ""),
        line("script-tool", "Script tool", "line", ""),
        line("script-file", "Script file", "line", ""),
        line("script-name", "Script name", "line", ""),
        field("parameters", "Parameters", "rows", ""),
        field("files", "Files", "files", &format!("largest=\"{LARGEST_FILE}\"")),
    ]
    .concat();
    let records: String = kinds::KINDS.iter().map(records_api::schema).collect();
    let folder = [
        field("name", "Name", "line", &format!("needed=\"yes\" {}", longest(&FOLDER_LINES, "name"))),
        field("origin", "Origin", "mark", ""),
    ]
    .concat();
    answer(format!("<schema><kind id=\"folder\">{folder}</kind><kind id=\"case\">{case}</kind>{records}</schema>"))
}

async fn folders(Extract(server): Extract<Server>, Query(query): Query_) -> Response {
    let state = server.kept.read();
    let wanted = query.get("origin");
    let items: Vec<&Folder> = state.folders.values().filter(|f| wanted.is_none_or(|w| f.origin == *w)).collect();
    page(items, &query, "folders", |f| xml::folder(f))
}

async fn cases(Extract(server): Extract<Server>, Query(query): Query_) -> Response {
    let state = server.kept.read();
    let wanted = query.get("origin");
    let items: Vec<&Case> = state.cases.values().filter(|c| wanted.is_none_or(|w| c.origin == *w)).collect();
    page(items, &query, "cases", |c| xml::case(c))
}

async fn one_case(Extract(server): Extract<Server>, Path(id): Path<String>) -> Response {
    match number(&id).and_then(|n| server.kept.read().cases.get(&n).cloned()) {
        Some(c) => answer(xml::case(&c)),
        None => missing(&id),
    }
}

async fn one_folder(Extract(server): Extract<Server>, Path(id): Path<String>) -> Response {
    match number(&id).and_then(|n| server.kept.read().folders.get(&n).cloned()) {
        Some(f) => answer(xml::folder(&f)),
        None => missing(&id),
    }
}

/// Fills a case from the elements given; those not given stay.
fn fill(case: &mut Case, root: &Element, state: &State) -> Result<(), (&'static str, String)> {
    short_enough(root, &CASE_LINES)?;
    let text = |name: &str, into: &mut String| {
        if let Some(t) = root.text_of(name) {
            *into = t;
        }
    };
    text("name", &mut case.name);
    text("description", &mut case.description);
    text("importance", &mut case.importance);
    text("state", &mut case.state);
    text("brake-class", &mut case.brake_class);
    text("estimate", &mut case.estimate);
    text("owner", &mut case.owner);
    text("origin", &mut case.origin);
    text("script-tool", &mut case.script.tool);
    text("script-file", &mut case.script.file);
    text("script-name", &mut case.script.name);
    if let Some(labels) = root.child("labels") {
        case.labels = labels.children.iter().map(|l| l.text.clone()).collect();
    }
    if let Some(steps) = root.child("steps") {
        case.steps = xml::read_steps(steps);
    }
    if let Some(table) = root.child("parameters") {
        case.parameters = xml::read_rows(table);
    }
    if let Some(links) = root.child("links") {
        case.links = xml::read_links(links);
    }
    if let Some(gone) = case.steps.iter().find(|s| !s.call.is_empty() && !state.has("shared", &s.call)) {
        return Err(("steps", format!("there are no shared steps {}", gone.call)));
    }
    if let Err((_, why)) = check_links(&case.links, state) {
        return Err(("links", why));
    }
    if let Some(folder) = root.text_of("folder") {
        case.folder = if folder.is_empty() { None } else { Some(number(&folder).ok_or(("folder", folder))?) };
    }
    if case.folder.is_some_and(|f| !state.folders.contains_key(&f)) {
        return Err(("folder", "there is no such folder".into()));
    }
    let neighbours = state.cases.values().filter(|c| c.folder == case.folder).map(|c| c.rank);
    case.rank = rank(root, case.rank, neighbours)?;
    if case.name.trim().is_empty() || case.name.chars().count() > 500 {
        return Err(("name", "a name of 1 to 500 characters is needed".into()));
    }
    if !case.importance.is_empty() && !IMPORTANCE.contains(&case.importance.as_str()) {
        return Err(("importance", format!("{} is not in the list", case.importance)));
    }
    if !case.state.is_empty() && !STATES.contains(&case.state.as_str()) {
        return Err(("state", format!("{} is not in the list", case.state)));
    }
    if !case.owner.is_empty() && !state.people.iter().any(|(login, ..)| *login == case.owner) {
        return Err(("owner", format!("nobody is called {}", case.owner)));
    }
    Ok(())
}

async fn make_case(Extract(server): Extract<Server>, body: String) -> Response {
    let root = match xml::parse(&body) {
        Ok(root) => root,
        Err(e) => return malformed(e),
    };
    let mut state = server.kept.write();
    let mut case = Case { changed: State::now(), changed_by: LOGIN.into(), revision: 1, ..Case::default() };
    if let Err(e) = fill(&mut case, &root, &state) {
        return wrong_field(e);
    }
    case.number = state.numbers.take();
    let made = xml::case(&case);
    state.cases.insert(case.number, case);
    (StatusCode::CREATED, answer(made)).into_response()
}

async fn change_case(Extract(server): Extract<Server>, Path(id): Path<String>, body: String) -> Response {
    let root = match xml::parse(&body) {
        Ok(root) => root,
        Err(e) => return malformed(e),
    };
    let mut state = server.kept.write();
    let Some(before) = number(&id).and_then(|n| state.cases.get(&n).cloned()) else { return missing(&id) };
    let mut case = before.clone();
    if root.attribute("rev").and_then(|r| r.parse().ok()) != Some(case.revision) {
        return refuse(StatusCode::CONFLICT, "old-revision", "somebody changed it since");
    }
    if let Err(e) = fill(&mut case, &root, &state) {
        return wrong_field(e);
    }
    case.revision += 1;
    case.changed = State::now();
    case.changed_by = LOGIN.into();
    note_changes(&before, &mut case);
    let made = xml::case(&case);
    state.cases.insert(case.number, case);
    answer(made)
}

/// Writes down which of the short fields of a case differ from how it was.
pub(super) fn note_changes(before: &Case, after: &mut Case) {
    let shown = |c: &Case| {
        [
            ("name", c.name.clone()),
            ("importance", c.importance.clone()),
            ("state", c.state.clone()),
            ("brake-class", c.brake_class.clone()),
            ("owner", c.owner.clone()),
        ]
    };
    let (at, by) = (clock::now(), after.changed_by.clone());
    for ((field, old), (_, new)) in shown(before).into_iter().zip(shown(after)) {
        if old != new {
            after.trail.push(Past { at, by: by.clone(), field: field.into(), before: old, after: new });
        }
    }
}

async fn remark_case(Extract(server): Extract<Server>, Path(id): Path<String>, body: String) -> Response {
    let remark = match read_remark(&body) {
        Ok(remark) => remark,
        Err(refusal) => return *refusal,
    };
    let mut state = server.kept.write();
    let Some(case) = number(&id).and_then(|n| state.cases.get_mut(&n)) else { return missing(&id) };
    case.remarks.push(remark);
    answer(xml::case(case))
}

fn fill_folder(folder: &mut Folder, root: &Element, state: &State) -> Result<(), (&'static str, String)> {
    short_enough(root, &FOLDER_LINES)?;
    if let Some(name) = root.text_of("name") {
        folder.name = name;
    }
    if let Some(origin) = root.text_of("origin") {
        folder.origin = origin;
    }
    if let Some(parent) = root.text_of("parent") {
        folder.parent = if parent.is_empty() { None } else { number(&parent) };
    }
    if folder.name.trim().is_empty() {
        return Err(("name", "a name is needed".into()));
    }
    if folder.parent.is_some_and(|p| p == folder.number || !state.folders.contains_key(&p)) {
        return Err(("parent", "there is no such folder".into()));
    }
    let neighbours = state.folders.values().filter(|f| f.parent == folder.parent).map(|f| f.rank);
    folder.rank = rank(root, folder.rank, neighbours)?;
    Ok(())
}

/// The longest lines of a folder and of a case, in characters.
const FOLDER_LINES: [(&str, usize); 1] = [("name", 200)];

const CASE_LINES: [(&str, usize); 7] = [
    ("name", 500),
    ("brake-class", 200),
    ("estimate", 20),
    ("origin", 200),
    ("script-tool", 100),
    ("script-file", 400),
    ("script-name", 200),
];

/// Refuses lines that are sent and too long.
fn short_enough(root: &Element, lines: &[(&'static str, usize)]) -> Result<(), (&'static str, String)> {
    for (field, most) in lines {
        if root.text_of(field).is_some_and(|sent| sent.chars().count() > *most) {
            return Err((field, format!("{most} characters at most")));
        }
    }
    Ok(())
}

/// The place that is asked for; what is new and asks for none stands last.
fn rank(root: &Element, now: u32, neighbours: impl Iterator<Item = u32>) -> Result<u32, (&'static str, String)> {
    match root.text_of("rank").filter(|r| !r.is_empty()) {
        Some(told) => told.parse().map_err(|_| ("rank", format!("“{told}” is no place"))),
        None if now == 0 => Ok(neighbours.max().unwrap_or(0) + 1),
        None => Ok(now),
    }
}

async fn make_folder(Extract(server): Extract<Server>, body: String) -> Response {
    let root = match xml::parse(&body) {
        Ok(root) => root,
        Err(e) => return malformed(e),
    };
    let mut state = server.kept.write();
    let (name, origin) = (String::new(), String::new());
    let mut folder = Folder { number: 0, parent: None, name, revision: 1, origin, rank: 0 };
    if let Err(e) = fill_folder(&mut folder, &root, &state) {
        return wrong_field(e);
    }
    folder.number = state.numbers.take();
    let made = xml::folder(&folder);
    state.folders.insert(folder.number, folder);
    (StatusCode::CREATED, answer(made)).into_response()
}

async fn change_folder(Extract(server): Extract<Server>, Path(id): Path<String>, body: String) -> Response {
    let root = match xml::parse(&body) {
        Ok(root) => root,
        Err(e) => return malformed(e),
    };
    let mut state = server.kept.write();
    let Some(mut folder) = number(&id).and_then(|n| state.folders.get(&n).cloned()) else { return missing(&id) };
    if root.attribute("rev").and_then(|r| r.parse().ok()) != Some(folder.revision) {
        return refuse(StatusCode::CONFLICT, "old-revision", "somebody changed it since");
    }
    if let Err(e) = fill_folder(&mut folder, &root, &state) {
        return wrong_field(e);
    }
    folder.revision += 1;
    let made = xml::folder(&folder);
    state.folders.insert(folder.number, folder);
    answer(made)
}

async fn put_file(
    Extract(server): Extract<Server>,
    Path((id, name)): Path<(String, String)>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Response {
    let media = headers.get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or("application/octet-stream");
    let mut state = server.kept.write();
    let digest = state.blobs.put(&bytes);
    let Some(case) = number(&id).and_then(|n| state.cases.get_mut(&n)) else { return missing(&id) };
    case.files.retain(|f| f.name != name);
    case.files.push(File { name, media_type: media.to_owned(), bytes: bytes.len() as u64, digest });
    case.revision += 1;
    answer(xml::case(case))
}

async fn remove_file(Extract(server): Extract<Server>, Path((id, name)): Path<(String, String)>) -> Response {
    let mut state = server.kept.write();
    let Some(case) = number(&id).and_then(|n| state.cases.get_mut(&n)) else { return missing(&id) };
    case.files.retain(|f| f.name != name);
    case.revision += 1;
    answer(xml::case(case))
}

async fn get_file(Extract(server): Extract<Server>, Path((id, name)): Path<(String, String)>) -> Response {
    let state = server.kept.read();
    let found = number(&id)
        .and_then(|n| state.cases.get(&n))
        .and_then(|c| c.files.iter().find(|f| f.name == name))
        .and_then(|f| Some((f.media_type.clone(), state.blobs.get(&f.digest)?)));
    match found {
        Some((media, bytes)) => ([(header::CONTENT_TYPE, media)], bytes).into_response(),
        None => missing(&name),
    }
}
