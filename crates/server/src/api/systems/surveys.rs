//! Containers of a system, and surveys of them.

use axum::extract::State;
use axum::response::Response;
use axum::{Extension, Json};
use chrono::{DateTime, Utc};
use hovrel_core::bounds::LONGEST_ID;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::survey::Survey;
use hovrel_store::{JobKind, NewJob};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::access::Reach;
use crate::api::jobs::JobAnswer;
use crate::body::Body;
use crate::path::Path;
use crate::problem::Problem;

#[derive(Serialize, ToSchema)]
pub struct ContainerAnswer {
    id: String,
    name: String,
}

/// The projects of a system, asked from it now.
#[utoipa::path(get, path = "/systems/{id}/containers", operation_id = "listContainers", params(("id" = Uuid, Path)),
    responses((status = 200, body = Vec<ContainerAnswer>)))]
pub async fn containers(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<ContainerAnswer>>, Problem> {
    let system = app.hub.store.system(id).await?;
    let found = app.hub.connect(&system)?.containers().await;
    let found = found.map_err(|error| hovrel_engine::EngineError::System { system: system.name, error })?;
    let found = found.into_iter().filter(|c| reach.container(id, &c.id));
    Ok(Json(found.map(|c| ContainerAnswer { id: c.id, name: c.name }).collect()))
}

#[derive(Serialize, ToSchema)]
pub struct SurveyAnswer {
    container: String,
    container_name: String,
    catalogue: Catalogue,
    survey: Survey,
    at: DateTime<Utc>,
}

#[derive(Serialize, ToSchema)]
pub struct Surveys {
    surveys: Vec<SurveyAnswer>,
    /// Surveys that run now.
    running: Vec<JobAnswer>,
}

/// What was last found in a system's projects.
#[utoipa::path(get, path = "/systems/{id}/surveys", operation_id = "listSurveys", params(("id" = Uuid, Path)),
    responses((status = 200, body = Surveys)))]
pub async fn surveys(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Path(id): Path<Uuid>,
) -> Result<Json<Surveys>, Problem> {
    let mut rows = app.hub.store.surveys(id).await?;
    rows.retain(|r| reach.container(id, &r.container));
    let read = |r: hovrel_store::SurveyRow| {
        Ok::<_, Problem>(SurveyAnswer {
            container: r.container,
            container_name: r.container_name,
            catalogue: serde_json::from_value(r.catalogue)?,
            survey: serde_json::from_value(r.survey)?,
            at: r.at,
        })
    };
    let mut running = app.hub.store.open_jobs_of_system(id).await?;
    running.retain(|j| reach.job(j));
    Ok(Json(Surveys {
        surveys: rows.into_iter().map(read).collect::<Result<_, _>>()?,
        running: running.into_iter().map(JobAnswer::of).collect(),
    }))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SurveyBody {
    container: String,
}

/// Begins a survey of a project.
#[utoipa::path(post, path = "/systems/{id}/surveys", operation_id = "surveySystem", params(("id" = Uuid, Path)), request_body = SurveyBody,
    responses((status = 202, body = JobAnswer)))]
pub async fn survey(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Path(id): Path<Uuid>,
    Body(body): Body<SurveyBody>,
) -> Result<Response, Problem> {
    if !(1..=LONGEST_ID).contains(&body.container.len()) {
        return Err(Problem::field("/container", format!("the id of a project has 1 to {LONGEST_ID} bytes")));
    }
    if !reach.container(id, &body.container) {
        return Err(Problem::field("/container", "none of the routes that this key is for connects it"));
    }
    app.hub.store.system(id).await?;
    let job = NewJob { system_id: Some(id), container: Some(body.container), ..NewJob::of(JobKind::Survey) };
    crate::api::jobs::queue(&app, job).await
}
