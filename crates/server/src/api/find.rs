//! The finder and the overview.

use axum::extract::State;
use axum::{Extension, Json};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::jobs::JobAnswer;
use super::standing::{RouteAnswer, answers};
use super::systems::SystemAnswer;
use crate::App;
use crate::access::Reach;
use crate::problem::Problem;
use crate::query::Query;

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct FindQuery {
    q: String,
}

#[derive(Serialize, ToSchema)]
pub struct Found {
    system: Uuid,
    system_name: String,
    container: String,
    kind: String,
    id: String,
    key: String,
    title: String,
    path: String,
}

const MOST: i64 = 12;

/// Artefacts of any surveyed system that say the words anywhere; those named by them come first.
#[utoipa::path(get, path = "/find", operation_id = "find", params(FindQuery), responses((status = 200, body = Vec<Found>)))]
pub async fn find(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Query(query): Query<FindQuery>,
) -> Result<Json<Vec<Found>>, Problem> {
    if query.q.trim().chars().count() < 2 {
        return Ok(Json(Vec::new()));
    }
    let names: std::collections::HashMap<Uuid, String> =
        app.hub.store.systems().await?.into_iter().map(|s| (s.id, s.name)).collect();
    let rows = app.hub.store.find_artefacts(query.q.trim(), MOST).await?;
    let within = rows.into_iter().filter(|r| reach.container(r.system_id, &r.container));
    let found = within.map(|r| Found {
        system_name: names.get(&r.system_id).cloned().unwrap_or_default(),
        system: r.system_id,
        container: r.container,
        kind: r.kind,
        id: r.external_id,
        key: r.key,
        title: r.title,
        path: r.path,
    });
    Ok(Json(found.collect()))
}

#[derive(Serialize, ToSchema)]
pub struct Overview {
    routes: Vec<RouteAnswer>,
    systems: Vec<SystemAnswer>,
    /// The newest jobs, newest first.
    jobs: Vec<JobAnswer>,
}

/// Everything a person with two minutes needs; for a key, of the routes that it is for.
#[utoipa::path(get, path = "/overview", operation_id = "getOverview", responses((status = 200, body = Overview)))]
pub async fn overview(State(app): State<App>, Extension(reach): Extension<Reach>) -> Result<Json<Overview>, Problem> {
    let mut routes = app.hub.store.routes().await?;
    routes.retain(|r| reach.route(r.id));
    let mut jobs = app.hub.store.recent_jobs(8).await?;
    jobs.retain(|j| reach.job(j));
    let mut systems = app.hub.store.systems().await?;
    systems.retain(|s| reach.system(s.id));
    Ok(Json(Overview {
        routes: answers(&app, routes).await?,
        systems: systems.into_iter().map(|s| SystemAnswer::of(&app, s)).collect::<Result<_, _>>()?,
        jobs: jobs.into_iter().map(JobAnswer::of).collect(),
    }))
}
