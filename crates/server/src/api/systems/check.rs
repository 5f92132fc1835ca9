//! Checking a connection, step by step.

use axum::Json;
use axum::extract::State;
use hovrel_connect::{CheckState, CheckStep};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::path::Path;
use crate::problem::Problem;

/// One step of a check.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct CheckStepAnswer {
    pub step: String,
    pub state: StepState,
    pub found: String,
    pub advice: String,
}

#[derive(Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum StepState {
    Ok,
    Warning,
    Failed,
    Skipped,
    /// The system does not tell.
    Unknown,
}

impl From<CheckStep> for CheckStepAnswer {
    fn from(s: CheckStep) -> CheckStepAnswer {
        let state = match s.state {
            CheckState::Ok => StepState::Ok,
            CheckState::Warning => StepState::Warning,
            CheckState::Failed => StepState::Failed,
            CheckState::Skipped => StepState::Skipped,
            CheckState::Unknown => StepState::Unknown,
        };
        CheckStepAnswer { step: s.step, state, found: s.found, advice: s.advice }
    }
}

/// Checks a system step by step, and keeps the outcome.
#[utoipa::path(post, path = "/systems/{id}/check", operation_id = "checkSystem", params(("id" = Uuid, Path)),
    responses((status = 200, body = Vec<CheckStepAnswer>)))]
pub async fn check(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<Vec<CheckStepAnswer>>, Problem> {
    let system = app.hub.store.system(id).await?;
    let steps: Vec<CheckStepAnswer> =
        app.hub.connect(&system)?.check().await.into_iter().map(CheckStepAnswer::from).collect();
    app.hub.store.keep_check(id, &serde_json::to_value(&steps)?).await?;
    Ok(Json(steps))
}
