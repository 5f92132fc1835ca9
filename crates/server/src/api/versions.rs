//! The versions of a route: who saved what and when, what changed from one to the next, and what each was.

use axum::Json;
use axum::extract::State;
use chrono::{DateTime, Utc};
use hovrel_core::mapping::{Lane, LaneChange, changes_between};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::App;
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
    let rows = app.hub.store.route_versions(id, version, 1).await?;
    let found = rows.into_iter().find(|r| r.version == version).ok_or_else(|| Problem::missing("This version"))?;
    Ok(Json(serde_json::from_value(found.lanes)?))
}
