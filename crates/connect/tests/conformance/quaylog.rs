//! A fifth system, unlike the four that ship: Hovrel learns it from `quaylog.yaml` alone.

use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex};

use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use axum::{Json, Router};
use base64::Engine;
use serde_json::{Map, Value, json};

pub const NAME: &str = "harbour master";
pub const WORD: &str = "slack water";

type Orders = Arc<Mutex<BTreeMap<u64, Map<String, Value>>>>;

/// Starts it; where it is.
pub async fn start() -> String {
    let orders = Orders::default();
    for n in 1..=23u64 {
        let order = json!({"heading": format!("Order {n}"), "binding": true, "no": n, "edition": 1,
                           "written": "2026-05-06T07:08:09Z"});
        orders.lock().expect("no panic").insert(n, order.as_object().expect("an object").clone());
    }
    let about = async || Json(json!({"edition": "3", "clock": chrono::Utc::now().to_rfc3339(), "berths": 3}));
    let books = async || Json(json!({"books": [{"book": "north", "called": "North quay"}]}));
    let crew = async || Json(json!({"crew": [{"badge": "b1", "called": "Runa Falk"}]}));
    let app = Router::new()
        .route("/log/about", get(about))
        .route("/log/books", get(books))
        .route("/log/crew", get(crew))
        .route("/log/form", get(form))
        .route("/log/books/north/orders", get(list).post(make))
        .route("/log/orders/{no}", get(one).put(change))
        .layer(axum::middleware::from_fn(signed_in))
        .with_state(orders);
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let address = format!("http://{}", listener.local_addr().expect("an address"));
    tokio::spawn(async move { axum::serve(listener, app).await });
    address
}

async fn signed_in(headers: HeaderMap, request: axum::extract::Request, next: axum::middleware::Next) -> Response {
    let known = base64::engine::general_purpose::STANDARD.encode(format!("{NAME}:{WORD}"));
    match headers.get("authorization").and_then(|v| v.to_str().ok()) == Some(&format!("Basic {known}")) {
        true => next.run(request).await,
        false => wrong(StatusCode::UNAUTHORIZED, "who", "", "nobody of that name"),
    }
}

fn wrong(status: StatusCode, code: &str, line: &str, why: &str) -> Response {
    (status, Json(json!({"wrong": {"code": code, "line": line, "why": why}}))).into_response()
}

async fn form() -> Json<Value> {
    let line = |line: &str, called: &str, sort: &str, must: bool| json!({"line": line, "called": called, "sort": sort, "must": must});
    let mut heading = line("heading", "Heading", "words", true);
    heading["longest"] = json!(60);
    let mut tide = line("tide", "Tide", "one_of", false);
    tide["among"] = json!(["ebb", "flood", "any"]);
    let others = [
        line("order", "Order", "prose", false),
        line("since", "In force since", "day", false),
        line("binding", "Binding", "yes_no", false),
        line("came_from", "Came from", "from", false),
    ];
    let lines: Vec<Value> = [heading, tide].into_iter().chain(others).collect();
    Json(json!({"forms": [{"form": "order", "lines": lines}]}))
}

async fn list(State(orders): State<Orders>, Query(asked): Query<HashMap<String, String>>) -> Json<Value> {
    let orders = orders.lock().expect("no panic");
    let from = asked.get("from");
    let all: Vec<_> = orders.values().filter(|o| from.is_none_or(|f| o.get("came_from") == Some(&json!(f)))).collect();
    let number = |name: &str, or: usize| asked.get(name).and_then(|v| v.parse().ok()).unwrap_or(or);
    let page: Vec<_> = all.iter().skip(number("skip", 0)).take(number("take", 10)).collect();
    Json(json!({"orders": page, "of": all.len()}))
}

async fn one(State(orders): State<Orders>, Path(no): Path<String>) -> Response {
    let found = no.parse().ok().and_then(|no: u64| orders.lock().expect("no panic").get(&no).cloned());
    found.map_or_else(|| wrong(StatusCode::NOT_FOUND, "gone", "", "no such order"), |o| Json(o).into_response())
}

/// Puts what was sent into an order, if its heading is one.
fn written(mut order: Map<String, Value>, sent: Map<String, Value>) -> Result<Map<String, Value>, Response> {
    let edition = order.get("edition").and_then(Value::as_u64).unwrap_or(0);
    order.extend(sent);
    let heading = order.get("heading").and_then(Value::as_str).unwrap_or_default();
    if heading.is_empty() || heading.chars().count() > 60 {
        return Err(wrong(StatusCode::BAD_REQUEST, "line", "heading", "1 to 60 characters"));
    }
    order.insert("edition".into(), json!(edition + 1));
    order.insert("written".into(), json!(chrono::Utc::now().to_rfc3339()));
    Ok(order)
}

async fn make(State(orders): State<Orders>, Json(sent): Json<Map<String, Value>>) -> Response {
    let mut orders = orders.lock().expect("no panic");
    match written(Map::new(), sent) {
        Err(refusal) => refusal,
        Ok(mut order) => {
            let no = orders.last_key_value().map_or(1, |(n, _)| n + 1);
            order.insert("no".into(), json!(no));
            orders.insert(no, order.clone());
            (StatusCode::CREATED, Json(order)).into_response()
        }
    }
}

async fn change(State(orders): State<Orders>, Path(no): Path<u64>, Json(sent): Json<Map<String, Value>>) -> Response {
    let mut orders = orders.lock().expect("no panic");
    let Some(order) = orders.get(&no).cloned() else {
        return wrong(StatusCode::NOT_FOUND, "gone", "", "no such order");
    };
    let seen = sent.get("edition").map(|e| e.to_string().trim_matches('"').to_owned());
    if seen != order.get("edition").map(Value::to_string) {
        return wrong(StatusCode::CONFLICT, "other_edition", "edition", "somebody wrote it since");
    }
    match written(order, sent.into_iter().filter(|(line, _)| line != "edition").collect()) {
        Err(refusal) => refusal,
        Ok(order) => {
            orders.insert(no, order.clone());
            Json(order).into_response()
        }
    }
}
