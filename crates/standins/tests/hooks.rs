//! Fernway tells registered receivers of what changes: at least once, in order, and by number.

use std::sync::{Arc, Mutex};
use std::time::Duration;

use axum::extract::State;
use axum::http::HeaderMap;
use axum::{Json, Router, routing};
use hovrel_standins::fault::FaultPlan;
use hovrel_standins::fernway;
use hovrel_standins::world::Size;
use serde_json::{Value, json};

type Heard = Arc<Mutex<Vec<(String, Value)>>>;

async fn hear(State(heard): State<Heard>, headers: HeaderMap, Json(event): Json<Value>) {
    let word = headers.get("x-fernway-word").and_then(|v| v.to_str().ok()).unwrap_or_default().to_owned();
    heard.lock().unwrap().push((word, event));
}

async fn wait_for(heard: &Heard, count: usize) -> Vec<(String, Value)> {
    for _ in 0..200 {
        if heard.lock().unwrap().len() >= count {
            break;
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    heard.lock().unwrap().clone()
}

#[tokio::test]
async fn what_changes_is_told_to_whoever_asked() {
    let options = fernway::Options { size: Size::SMALL, calls_per_second: 1000, ..fernway::Options::default() };
    let system = fernway::start(options).await.expect("it starts");
    let heard = Heard::default();
    let app = Router::new().route("/", routing::post(hear)).with_state(heard.clone());
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let here = format!("http://{}/", listener.local_addr().expect("an address"));
    tokio::spawn(async move { axum::serve(listener, app).await });

    let http = reqwest::Client::new();
    let token = http
        .post(format!("{}/oauth/token", system.url()))
        .basic_auth(fernway::CLIENT, Some(fernway::SECRET))
        .header("content-type", "application/x-www-form-urlencoded")
        .body("grant_type=client_credentials");
    let token: Value = token.send().await.expect("an answer").json().await.expect("JSON");
    let bearer = token["access_token"].as_str().expect("a token").to_owned();
    let post = |path: &str, body: Value| {
        let call = http.post(format!("{}{path}", system.url())).bearer_auth(&bearer).json(&body);
        async move { call.send().await.expect("an answer") }
    };
    let refused = post("/v2/hooks", json!({"url": "mailto:x@skarnvik.example"})).await;
    assert_eq!(refused.status(), 422);
    let hook: Value = post("/v2/hooks", json!({"url": here})).await.json().await.expect("JSON");

    // Through the interface, and by a person on a page.
    let new = json!({"form": "need", "title": "Rain gauge at Summit"});
    let made: Value = post("/v2/projects/ROPE/items", new).await.json().await.expect("JSON");
    let uid = made["uid"].as_str().expect("an id").to_owned();
    let page = http.post(format!("{}/item/{uid}/desk", system.url()));
    let page = page.header("content-type", "application/x-www-form-urlencoded").body("desk=GATE");
    assert!(page.send().await.expect("an answer").status().is_success());
    let told = wait_for(&heard, 2).await;
    assert!(told.iter().all(|(word, _)| *word == hook["word"]), "{told:?}");
    let events: Vec<&Value> = told.iter().map(|(_, event)| event).collect();
    assert_eq!(
        events,
        [&json!({"event": 1, "uid": uid, "what": "made"}), &json!({"event": 2, "uid": uid, "what": "changed"}),]
    );

    // Delivered twice, it is the same event by its number.
    system.faults.set(FaultPlan { doubled_hooks: 1000, ..FaultPlan::default() });
    post(&format!("/v2/items/{uid}/remarks"), json!({"text": "Seen."})).await;
    let told = wait_for(&heard, 4).await;
    assert_eq!((&told[2].1, told[2].1["event"].as_u64()), (&told[3].1, Some(3)));
    assert_eq!(system.faults.count().doubled_hooks, 1);

    // Whoever no longer wants it is not told.
    system.faults.set(FaultPlan::default());
    let forget = http.delete(format!("{}/v2/hooks/{}", system.url(), hook["hook"])).bearer_auth(&bearer);
    assert_eq!(forget.send().await.expect("an answer").status(), 204);
    post(&format!("/v2/items/{uid}/remarks"), json!({"text": "Seen again."})).await;
    tokio::time::sleep(Duration::from_millis(300)).await;
    assert_eq!(heard.lock().unwrap().len(), 4);
}
