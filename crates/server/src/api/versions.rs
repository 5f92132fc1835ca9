//! The versions of a route: who saved what and when, what changed from one to the next, and what each was.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use chrono::{DateTime, Utc};
use hovrel_core::rules::{Lane, LaneChange, changes_between};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::App;
use crate::body::Body;
use crate::path::Path;
use crate::problem::Problem;
use crate::query::Query;

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct VersionsQuery {
    /// Only versions before this one.
    before: Option<i32>,
}

#[derive(Serialize, ToSchema)]
pub struct VersionAnswer {
    version: i32,
    saved_at: DateTime<Utc>,
    /// None if whoever saved it is no longer there.
    saved_by: Option<String>,
    /// What was written about it; may be empty.
    note: String,
    /// What changed from the version before; empty for the first.
    changes: Vec<LaneChange>,
}

#[derive(Serialize, ToSchema)]
pub struct VersionList {
    versions: Vec<VersionAnswer>,
    /// To be asked for as `before`, if there are more.
    next: Option<i32>,
}

const PAGE: usize = 50;

/// The versions of a route, the latest first, each with what changed in it.
#[utoipa::path(get, path = "/routes/{id}/versions", operation_id = "listVersions", params(("id" = Uuid, Path), VersionsQuery),
    responses((status = 200, body = VersionList)))]
pub async fn list(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<VersionsQuery>,
) -> Result<Json<VersionList>, Problem> {
    app.hub.store.route(id).await?;
    let upto = query.before.map_or(i32::MAX, |before| before.saturating_sub(1));
    // One more than is shown: the last one's changes are those from the one before it.
    let rows = app.hub.store.route_versions(id, upto, PAGE as i64 + 1).await?;
    let lanes = rows.iter().map(|r| serde_json::from_value(r.lanes.clone()));
    let lanes: Vec<Vec<Lane>> = lanes.collect::<Result<_, _>>()?;
    let versions = rows.iter().take(PAGE).enumerate().map(|(n, row)| VersionAnswer {
        version: row.version,
        saved_at: row.saved_at,
        saved_by: row.saved_by.clone(),
        note: row.note.clone(),
        changes: lanes.get(n + 1).map(|before| changes_between(before, &lanes[n])).unwrap_or_default(),
    });
    let versions: Vec<VersionAnswer> = versions.collect();
    let next = (rows.len() > PAGE).then(|| versions.last().map(|v| v.version)).flatten();
    Ok(Json(VersionList { versions, next }))
}

/// The lanes of a version, to be looked at or gone back to.
#[utoipa::path(get, path = "/routes/{id}/versions/{version}", operation_id = "getVersion",
    params(("id" = Uuid, Path), ("version" = i32, Path)),
    responses((status = 200, body = Vec<Lane>)))]
pub async fn one(State(app): State<App>, Path((id, version)): Path<(Uuid, i32)>) -> Result<Json<Vec<Lane>>, Problem> {
    Ok(Json(lanes_of(&app, id, version).await?))
}

async fn lanes_of(app: &App, route: Uuid, version: i32) -> Result<Vec<Lane>, Problem> {
    let rows = app.hub.store.route_versions(route, version, 1).await?;
    let found = rows.into_iter().find(|r| r.version == version).ok_or_else(|| Problem::missing("This version"))?;
    Ok(serde_json::from_value(found.lanes)?)
}

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct SinceQuery {
    /// The version to compare with.
    since: i32,
}

/// What is different in a version from another one, whichever is the later.
#[utoipa::path(get, path = "/routes/{id}/versions/{version}/changes", operation_id = "compareVersions",
    params(("id" = Uuid, Path), ("version" = i32, Path), SinceQuery),
    responses((status = 200, body = Vec<LaneChange>)))]
pub async fn compare(
    State(app): State<App>,
    Path((id, version)): Path<(Uuid, i32)>,
    Query(query): Query<SinceQuery>,
) -> Result<Json<Vec<LaneChange>>, Problem> {
    let (before, after) = (lanes_of(&app, id, query.since).await?, lanes_of(&app, id, version).await?);
    Ok(Json(changes_between(&before, &after)))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NoteBody {
    note: String,
}

/// Characters that a note may have.
const LONGEST_NOTE: usize = 500;

/// Writes a note to a version, in place of the one before.
#[utoipa::path(put, path = "/routes/{id}/versions/{version}/note", operation_id = "noteVersion", request_body = NoteBody,
    params(("id" = Uuid, Path), ("version" = i32, Path)), responses((status = 204)))]
pub async fn note(
    State(app): State<App>,
    Path((id, version)): Path<(Uuid, i32)>,
    Body(body): Body<NoteBody>,
) -> Result<StatusCode, Problem> {
    let note = body.note.trim();
    if note.chars().count() > LONGEST_NOTE {
        return Err(Problem::field("/note", format!("{LONGEST_NOTE} characters at most")));
    }
    app.hub.store.note_version(id, version, note).await?;
    Ok(StatusCode::NO_CONTENT)
}
