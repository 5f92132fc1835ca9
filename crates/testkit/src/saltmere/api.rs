//! How Saltmere is asked and told.

use std::collections::HashMap;
use std::sync::atomic::Ordering::Relaxed;

use axum::body::{Body, Bytes};
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use serde_json::{Map, Value, json};

use super::{KEY, Said, Saltmere};

pub(super) fn routes(system: Saltmere) -> Router {
    let about = async || Json(json!({"edition": "1", "clock": chrono::Utc::now().to_rfc3339(), "berths": 4}));
    let places = async || Json(json!({"places": [{"place": "pans", "called": "The pans"}]}));
    let people = async || Json(json!({"people": [{"badge": "p1", "called": "Signe Aune"}]}));
    Router::new()
        .route("/sm/about", get(about))
        .route("/sm/places", get(places))
        .route("/sm/people", get(people))
        .route("/sm/form", get(form))
        .route("/sm/checks", get(list).post(make))
        .route("/sm/checks/{no}", get(one).put(change))
        .route("/sm/checks/{no}/remarks", post(remark))
        .route("/sm/checks/{no}/files/{name}", get(fetch).put(keep).delete(remove))
        .layer(axum::middleware::from_fn(signed_in))
        .layer(axum::middleware::from_fn_with_state(system.clone(), lying))
        .with_state(system)
}

async fn lying(
    State(system): State<Saltmere>,
    request: axum::extract::Request,
    next: axum::middleware::Next,
) -> Response {
    let Some(lie) = system.lie_at(request.uri().path()) else { return next.run(request).await };
    let given = system.given.clone();
    let endless = futures::stream::repeat_with(move || {
        given.fetch_add(64 * 1024, Relaxed);
        Ok::<_, std::io::Error>(Bytes::from(vec![b'a'; 64 * 1024]))
    });
    let body = match lie.said {
        Said::Text(text) => Body::from(text),
        Said::Endless => Body::from_stream(endless),
        Said::Nothing => Body::from_stream(futures::stream::pending::<Result<Bytes, std::io::Error>>()),
    };
    let status = StatusCode::from_u16(lie.status).unwrap_or(StatusCode::OK);
    (status, [("content-type", lie.content_type)], body).into_response()
}

async fn signed_in(headers: HeaderMap, request: axum::extract::Request, next: axum::middleware::Next) -> Response {
    match headers.get("x-key").and_then(|v| v.to_str().ok()) == Some(KEY) {
        true => next.run(request).await,
        false => wrong(StatusCode::UNAUTHORIZED, "who", "", "no such key"),
    }
}

fn wrong(status: StatusCode, code: &str, line: &str, why: &str) -> Response {
    (status, Json(json!({"wrong": {"code": code, "line": line, "why": why}}))).into_response()
}

fn not_there() -> Response {
    wrong(StatusCode::NOT_FOUND, "gone", "", "no such check")
}

async fn form() -> Json<Value> {
    let line = |line: &str, called: &str, sort: &str, must: bool| json!({"line": line, "called": called, "sort": sort, "must": must});
    let mut title = line("title", "Title", "words", true);
    title["longest"] = json!(200);
    let mut grade = line("grade", "Grade", "one_of", false);
    grade["among"] = json!(["plain", "fine", "coarse"]);
    let mut written = line("written", "Written", "moment", false);
    written["fixed"] = json!(true);
    let mut files = line("files", "Files", "files", false);
    files["largest"] = json!(5_000_000);
    let others = [
        line("note", "Note", "prose", false),
        line("ready", "Ready", "yes_no", false),
        line("from", "Came from", "from", false),
    ];
    let lines: Vec<Value> = [title, grade, written, files].into_iter().chain(others).collect();
    Json(json!({"forms": [{"form": "check", "lines": lines}]}))
}

async fn list(State(system): State<Saltmere>, Query(asked): Query<HashMap<String, String>>) -> Json<Value> {
    let state = system.state();
    let from = asked.get("from").filter(|_| !system.habits.finds_everything);
    let all: Vec<_> = state.checks.values().filter(|c| from.is_none_or(|f| c.get("from") == Some(&json!(f)))).collect();
    let number = |name: &str, or: usize| asked.get(name).and_then(|v| v.parse().ok()).unwrap_or(or);
    let page = all.iter().skip(number("skip", 0)).take(number("take", 10));
    let page: Vec<_> = page.map(|c| shown(&system, &state, c)).collect();
    Json(json!({"checks": page, "of": all.len()}))
}

async fn one(State(system): State<Saltmere>, Path(no): Path<String>) -> Response {
    let mut state = system.state();
    let Some(check) = no.parse().ok().and_then(|no: u64| state.checks.get_mut(&no)) else { return not_there() };
    if system.habits.counts_looks {
        let looks = check.get("looks").and_then(Value::as_u64).unwrap_or(0);
        check.insert("looks".into(), json!(looks + 1));
    }
    let check = check.clone();
    Json(shown(&system, &state, &check)).into_response()
}

/// A check as it is answered.
fn shown(system: &Saltmere, state: &super::State, check: &Map<String, Value>) -> Map<String, Value> {
    let is_empty = |value: &Value| value.is_null() || value.as_array().is_some_and(Vec::is_empty);
    let left_out =
        |name: &str, value: &Value| state.hidden.contains(name) || (system.habits.leaves_out_empty && is_empty(value));
    check.iter().filter(|(name, value)| !left_out(name, value)).map(|(n, v)| (n.clone(), v.clone())).collect()
}

/// What can be written; all else is the system's own.
const WRITTEN: [&str; 6] = ["title", "note", "ready", "grade", "from", "links"];

/// Puts what was sent into a check, if it can be held.
fn written(
    system: &Saltmere,
    mut check: Map<String, Value>,
    sent: Map<String, Value>,
) -> Result<Map<String, Value>, Response> {
    if system.habits.replaces {
        for name in WRITTEN.into_iter().filter(|name| *name != "title") {
            check.insert(name.into(), if name == "links" { json!([]) } else { Value::Null });
        }
    }
    check.extend(sent.into_iter().filter(|(name, _)| WRITTEN.contains(&name.as_str())));
    let title = check.get("title").and_then(Value::as_str).unwrap_or_default().to_owned();
    if title.is_empty() || title.chars().count() > 200 {
        return Err(wrong(StatusCode::BAD_REQUEST, "line", "title", "1 to 200 characters"));
    }
    if system.habits.rewords_titles {
        let short = title.split('(').next().unwrap_or_default().trim().to_owned();
        check.insert("title".into(), json!(short));
    }
    let rev = check.get("rev").and_then(Value::as_u64).unwrap_or(0);
    check.insert("rev".into(), json!(rev + 1));
    check.insert("written".into(), json!(chrono::Utc::now().to_rfc3339()));
    Ok(check)
}

async fn make(State(system): State<Saltmere>, Json(sent): Json<Map<String, Value>>) -> Response {
    let mut state = system.state();
    let bare = json!({
        "looks": 0, "note": null, "ready": null, "grade": null, "from": null, "links": [], "remarks": [], "files": []
    });
    match written(&system, bare.as_object().expect("an object").clone(), sent) {
        Err(refusal) => refusal,
        Ok(mut check) => {
            let no = state.checks.last_key_value().map_or(1, |(no, _)| no + 1);
            check.insert("no".into(), json!(no));
            state.checks.insert(no, check.clone());
            match system.habits.says_nothing {
                true => (StatusCode::CREATED, Json(json!({"no": no}))).into_response(),
                false => (StatusCode::CREATED, Json(shown(&system, &state, &check))).into_response(),
            }
        }
    }
}

async fn change(State(system): State<Saltmere>, Path(no): Path<u64>, Json(sent): Json<Map<String, Value>>) -> Response {
    let mut state = system.state();
    let Some(check) = state.checks.get(&no).cloned() else { return not_there() };
    let seen = sent.get("rev").map(|e| e.to_string().trim_matches('"').to_owned());
    if !system.habits.counts_looks && seen != check.get("rev").map(Value::to_string) {
        return wrong(StatusCode::CONFLICT, "other_rev", "rev", "somebody wrote it since");
    }
    match written(&system, check, sent) {
        Err(refusal) => refusal,
        Ok(check) => {
            state.updated.push(no);
            state.checks.insert(no, check.clone());
            match system.habits.says_nothing {
                true => StatusCode::NO_CONTENT.into_response(),
                false => Json(shown(&system, &state, &check)).into_response(),
            }
        }
    }
}

async fn remark(State(system): State<Saltmere>, Path(no): Path<u64>, Json(sent): Json<Map<String, Value>>) -> Response {
    let mut state = system.state();
    let text = sent.get("text").and_then(Value::as_str).unwrap_or_default().to_owned();
    let Some(check) = state.checks.get_mut(&no) else { return not_there() };
    let kept = match system.habits.rewrites_comments {
        true => format!("{} — noted by the lock keeper", text.to_uppercase()),
        false => text.clone(),
    };
    let remark = json!({"text": kept, "at": chrono::Utc::now().to_rfc3339(), "by": "p1"});
    if let Some(Value::Array(remarks)) = check.get_mut("remarks") {
        remarks.push(remark);
    }
    state.posted.push((no, text));
    StatusCode::NO_CONTENT.into_response()
}

async fn keep(
    State(system): State<Saltmere>,
    Path((no, name)): Path<(u64, String)>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Response {
    let mut state = system.state();
    let Some(check) = state.checks.get_mut(&no) else { return not_there() };
    let sort = headers.get("content-type").and_then(|v| v.to_str().ok()).unwrap_or("application/octet-stream");
    let mut file = json!({"name": name, "sort": sort});
    if !system.habits.no_digests {
        use sha2::Digest;
        let digest: String = sha2::Sha256::digest(&bytes).iter().map(|b| format!("{b:02x}")).collect();
        file["size"] = json!(bytes.len());
        file["digest"] = json!(digest);
    }
    if let Some(Value::Array(files)) = check.get_mut("files") {
        files.retain(|f| f["name"] != name.as_str());
        files.push(file);
    }
    state.files.insert((no, name), bytes.to_vec());
    StatusCode::NO_CONTENT.into_response()
}

async fn fetch(State(system): State<Saltmere>, Path((no, name)): Path<(u64, String)>) -> Response {
    match system.state().files.get(&(no, name)) {
        Some(bytes) => bytes.clone().into_response(),
        None => not_there(),
    }
}

async fn remove(State(system): State<Saltmere>, Path((no, name)): Path<(u64, String)>) -> Response {
    let mut state = system.state();
    if state.files.remove(&(no, name.clone())).is_none() {
        return not_there();
    }
    if let Some(Value::Array(files)) = state.checks.get_mut(&no).and_then(|c| c.get_mut("files")) {
        files.retain(|f| f["name"] != name.as_str());
    }
    StatusCode::NO_CONTENT.into_response()
}
