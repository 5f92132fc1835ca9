//! Fernway's webhooks: whoever registers an address is told of every item that is made, changed or gone.
//!
//! Delivered at least once and in order: an answer other than 2xx is tried again twice, and the fault plan can
//! have a delivery made twice. Each event has a number, by which a receiver knows it again.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use axum::extract::{Path, Request, State as Extract};
use axum::http::{Method, StatusCode};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use axum::{Json, Router, routing};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use tokio::sync::mpsc;

use super::Server;
use crate::fault::Faults;

/// What happened to an item.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum What {
    Made,
    Changed,
    Gone,
}

#[derive(Debug, Clone, Serialize)]
pub struct Event {
    event: u64,
    uid: String,
    what: What,
}

/// Registered receivers, and the queue to them.
#[derive(Clone)]
pub struct Hooks(Arc<Inner>);

struct Inner {
    known: Mutex<Known>,
    queue: mpsc::Sender<Event>,
}

#[derive(Default)]
struct Known {
    receivers: BTreeMap<u32, Receiver>,
    last_receiver: u32,
    last_event: u64,
}

#[derive(Debug, Clone)]
struct Receiver {
    url: String,
    /// Sent with each delivery, so that a receiver knows who speaks.
    word: String,
}

/// More events than this wait for nobody: whoever misses some reads the items again.
const WAITING: usize = 1000;
const TRIES: u32 = 3;

impl Hooks {
    pub fn start(faults: Faults) -> Hooks {
        let (queue, waiting) = mpsc::channel(WAITING);
        let hooks = Hooks(Arc::new(Inner { known: Mutex::default(), queue }));
        tokio::spawn(deliver(Arc::downgrade(&hooks.0), waiting, faults));
        hooks
    }

    fn tell(&self, happened: Vec<(u32, What)>) {
        let mut known = self.0.known.lock().unwrap_or_else(|e| e.into_inner());
        for (number, what) in happened.into_iter().filter(|_| !known.receivers.is_empty()).collect::<Vec<_>>() {
            known.last_event += 1;
            let event = Event { event: known.last_event, uid: format!("i{number}"), what };
            if self.0.queue.try_send(event).is_err() {
                tracing::warn!("an event was dropped: nobody takes them");
            }
        }
    }
}

async fn deliver(hooks: std::sync::Weak<Inner>, mut waiting: mpsc::Receiver<Event>, faults: Faults) {
    let http = reqwest::Client::new();
    while let Some(event) = waiting.recv().await {
        let Some(hooks) = hooks.upgrade() else { return };
        let receivers: Vec<Receiver> =
            hooks.known.lock().unwrap_or_else(|e| e.into_inner()).receivers.values().cloned().collect();
        drop(hooks);
        for receiver in receivers {
            let times = if faults.delivers_twice() { 2 } else { 1 };
            for _ in 0..times {
                send(&http, &receiver, &event).await;
            }
        }
    }
}

async fn send(http: &reqwest::Client, to: &Receiver, event: &Event) {
    for tries in 1..=TRIES {
        let call = http.post(&to.url).header("x-fernway-word", &to.word).json(event).timeout(Duration::from_secs(5));
        match call.send().await {
            Ok(answer) if answer.status().is_success() => return,
            _ => tokio::time::sleep(Duration::from_millis(100 * u64::from(tries))).await,
        }
    }
    tracing::warn!("{} did not take event {}", to.url, event.event);
}

/// Tells of what a call changed, once it was answered.
pub async fn telling(Extract(server): Extract<Server>, request: Request, next: Next) -> Response {
    let reads = request.method() == Method::GET;
    let answer = next.run(request).await;
    if !reads {
        let happened = std::mem::take(&mut server.kept.write().happened);
        server.hooks.tell(happened);
    }
    answer
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Asked {
    url: String,
}

pub fn routes() -> Router<Server> {
    Router::new()
        .route("/v2/hooks", routing::get(list).post(register))
        .route("/v2/hooks/{hook}", routing::delete(forget))
}

async fn register(Extract(server): Extract<Server>, Json(asked): Json<Asked>) -> Response {
    if !asked.url.starts_with("http://") && !asked.url.starts_with("https://") {
        return (StatusCode::UNPROCESSABLE_ENTITY, Json(json!({"trouble": {"code": "bad_slot", "slot": "url"}})))
            .into_response();
    }
    let mut known = server.hooks.0.known.lock().unwrap_or_else(|e| e.into_inner());
    known.last_receiver += 1;
    let (hook, word) = (known.last_receiver, format!("{:032x}", rand::random::<u128>()));
    known.receivers.insert(hook, Receiver { url: asked.url, word: word.clone() });
    (StatusCode::CREATED, Json(json!({"hook": hook, "word": word}))).into_response()
}

async fn list(Extract(server): Extract<Server>) -> Json<Value> {
    let known = server.hooks.0.known.lock().unwrap_or_else(|e| e.into_inner());
    Json(known.receivers.iter().map(|(hook, r)| json!({"hook": hook, "url": r.url})).collect())
}

async fn forget(Extract(server): Extract<Server>, Path(hook): Path<u32>) -> StatusCode {
    let mut known = server.hooks.0.known.lock().unwrap_or_else(|e| e.into_inner());
    known.receivers.remove(&hook).map_or(StatusCode::NOT_FOUND, |_| StatusCode::NO_CONTENT)
}
