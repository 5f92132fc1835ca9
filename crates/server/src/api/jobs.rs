//! Jobs: how far they are, what is wanted of them, and their events as they happen.

use std::convert::Infallible;
use std::time::{Duration, Instant};

use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Json};
use chrono::{DateTime, Utc};
use futures::Stream;
use hovrel_core::plan::Change;
use hovrel_store::{Job, JobKind, JobState, NewJob, Wanted};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::body::Body;
use crate::path::Path;
use crate::problem::Problem;
use crate::session::Shown;

#[derive(Serialize, ToSchema)]
pub struct JobAnswer {
    pub id: Uuid,
    pub kind: JobKind,
    pub route: Option<Uuid>,
    pub system: Option<Uuid>,
    pub container: Option<String>,
    pub plan: Option<Uuid>,
    pub state: JobState,
    pub wanted: Wanted,
    /// How far it is; its shape depends on the kind.
    #[schema(value_type = Object)]
    pub progress: serde_json::Value,
    #[schema(value_type = Option<Object>)]
    pub result: Option<serde_json::Value>,
    pub error: Option<String>,
    pub created_at: DateTime<Utc>,
    pub started_at: Option<DateTime<Utc>>,
    pub finished_at: Option<DateTime<Utc>>,
    /// The name of the route whose transfer it waits for, since both write the same items.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub waits_for: Option<String>,
}

impl JobAnswer {
    pub fn of(j: Job) -> JobAnswer {
        JobAnswer {
            id: j.id,
            kind: j.kind,
            route: j.route_id,
            system: j.system_id,
            container: j.container,
            plan: j.plan_id,
            state: j.state,
            wanted: j.wanted,
            progress: j.progress,
            result: j.result,
            error: j.error,
            created_at: j.created_at,
            started_at: j.started_at,
            finished_at: j.finished_at,
            waits_for: None,
        }
    }
}

/// Queues a job and wakes a worker.
pub async fn queue(app: &App, new: NewJob) -> Result<Response, Problem> {
    app.hub.store.queue(&new).await?;
    app.hub.wake.notify_one();
    let job = app.hub.store.job(new.id).await?;
    Ok((StatusCode::ACCEPTED, Json(JobAnswer::of(job))).into_response())
}

/// One job.
#[utoipa::path(get, path = "/jobs/{id}", operation_id = "getJob", params(("id" = Uuid, Path)),
    responses((status = 200, body = JobAnswer)))]
pub async fn one(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<JobAnswer>, Problem> {
    let job = app.hub.store.job(id).await?;
    let waits_for = match app.hub.store.waits_for(&job).await? {
        Some(route) => Some(app.hub.store.route(route).await?.name),
        None => None,
    };
    Ok(Json(JobAnswer { waits_for, ..JobAnswer::of(job) }))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct WantedBody {
    wanted: Wanted,
}

/// Pauses, resumes or stops a job. Changes in hand are finished first.
#[utoipa::path(put, path = "/jobs/{id}/wanted", operation_id = "wantJob", params(("id" = Uuid, Path)), request_body = WantedBody,
    responses((status = 200, body = JobAnswer)))]
pub async fn want(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<WantedBody>,
) -> Result<Json<JobAnswer>, Problem> {
    let job = app.hub.store.job(id).await?;
    if job.state.is_over() {
        return Err(Problem::not_now("The job is over.", "Start a new one."));
    }
    let job = app.hub.store.want(id, body.wanted).await?;
    app.hub.wake.notify_one();
    Ok(Json(JobAnswer::of(job)))
}

/// Tries again what a transfer could not do. What it did stays done.
#[utoipa::path(post, path = "/jobs/{id}/retry", operation_id = "retryJob", params(("id" = Uuid, Path)),
    responses((status = 200, body = JobAnswer)))]
pub async fn retry(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<JobAnswer>, Problem> {
    let job = app.hub.store.job(id).await?;
    if job.kind != JobKind::Transfer || !job.state.is_over() {
        return Err(Problem::not_now("Only a transfer that is over can be retried.", "Wait until it ends."));
    }
    app.hub.store.retry_refused(id).await?;
    app.hub.wake.notify_one();
    Ok(Json(JobAnswer::of(app.hub.store.job(id).await?)))
}

/// A change that a transfer could not apply.
#[derive(Serialize, ToSchema)]
pub struct RefusedChange {
    seq: u32,
    key: String,
    title: String,
    why: String,
    advice: String,
    attempts: i32,
}

/// What a transfer could not do, and why.
#[utoipa::path(get, path = "/jobs/{id}/refused", operation_id = "listRefused", params(("id" = Uuid, Path)),
    responses((status = 200, body = Vec<RefusedChange>)))]
pub async fn refused(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<Vec<RefusedChange>>, Problem> {
    let job = app.hub.store.job(id).await?;
    let Some(plan) = job.plan_id else { return Ok(Json(Vec::new())) };
    let mut out = Vec::new();
    for (row, body) in app.hub.store.refused(id, plan).await? {
        let change: Change = serde_json::from_value(body)?;
        let side = change.side(change.written.other()).or(change.side(change.written));
        let (key, title) = side.map(|s| (s.key.clone(), s.title.clone())).unwrap_or_default();
        out.push(RefusedChange {
            seq: row.seq as u32,
            key,
            title,
            why: row.error.unwrap_or_default(),
            advice: row.advice.unwrap_or_default(),
            attempts: row.attempts,
        });
    }
    Ok(Json(out))
}

/// How often a stream of events looks whether who asked for it may still see it.
const LOOK_EVERY: Duration = Duration::from_secs(2);

/// Events as they happen, until the job is over. After a reconnect, `Last-Event-ID` says where to go on; the stream of
/// a job that is over ends when all is told.
#[utoipa::path(get, path = "/jobs/{id}/events", operation_id = "jobEvents", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "text/event-stream", body = String)))]
pub async fn events(
    State(app): State<App>,
    Extension(shown): Extension<Shown>,
    Path(id): Path<Uuid>,
    headers: HeaderMap,
) -> Result<Sse<impl Stream<Item = Result<Event, Infallible>>>, Problem> {
    app.hub.store.job(id).await?;
    let mut after: i64 =
        headers.get("last-event-id").and_then(|v| v.to_str().ok()).and_then(|v| v.parse().ok()).unwrap_or(0);
    let stream = async_stream::stream! {
        let mut looked = Instant::now();
        loop {
            // Events end with the session or the key that asked for them.
            if looked.elapsed() > LOOK_EVERY {
                if !shown.still_counts(&app).await {
                    return;
                }
                looked = Instant::now();
            }
            // Asked before its events are read: the last of them is kept together with the state. A database that
            // is away for a moment must not end the stream.
            let over = app.hub.store.job(id).await.is_ok_and(|job| job.state.is_over());
            let events = app.hub.store.events(id, after, 200).await;
            let told_all = over && events.as_ref().is_ok_and(Vec::is_empty);
            let events = events.unwrap_or_default();
            let rest = events.is_empty();
            for event in events {
                after = event.seq;
                yield Ok(Event::default().id(event.seq.to_string()).data(event.body.to_string()));
            }
            if told_all {
                return;
            }
            if rest {
                tokio::time::sleep(Duration::from_millis(300)).await;
            }
        }
    };
    Ok(Sse::new(stream).keep_alive(KeepAlive::new().interval(Duration::from_secs(15))))
}
