//! Beginning a dry run, and the transfer of the plan that it made.

use std::collections::BTreeSet;

use axum::extract::State;
use axum::response::Response;
use hovrel_core::model::{End, Ends};
use hovrel_core::rules::Lane;
use hovrel_store::{JobKind, NewJob, Route};
use uuid::Uuid;

use crate::App;
use crate::api::jobs::JobAnswer;
use crate::path::Path;
use crate::problem::Problem;
use crate::surveyed::SurveyedEnds;

/// Begins a dry run. Refused while rules have faults that block it.
#[utoipa::path(post, path = "/routes/{id}/dry-runs", operation_id = "dryRun", params(("id" = Uuid, Path)),
    responses((status = 202, body = JobAnswer)))]
pub async fn dry_run(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let route = app.hub.store.route(id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    let surveyed = SurveyedEnds::of(&app, &route, &lanes).await?;
    let faults = crate::api::rules::faults(&app, &route, &lanes, &surveyed, &surveyed.covered(&lanes)).await?;
    let blocking: Vec<_> = faults.iter().filter(|f| f.blocks).collect();
    if !blocking.is_empty() {
        let listed: Vec<String> =
            blocking.iter().map(|f| format!("{}: {}", f.field, hovrel_words::fault(f.into, &f.reason))).collect();
        return Err(Problem::not_now(
            format!("{} must be fixed first: {}", blocking.len(), listed.join("; ")),
            "Open Rules and fix what is listed there.",
        ));
    }
    let job = NewJob { route_id: Some(id), ..NewJob::of(JobKind::DryRun) };
    crate::api::jobs::queue(&app, job).await
}

/// Begins the transfer of a plan. A plan is transferred once.
#[utoipa::path(post, path = "/plans/{id}/transfer", operation_id = "transferPlan", params(("id" = Uuid, Path)),
    responses((status = 202, body = JobAnswer)))]
pub async fn transfer(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    still_open(&app, id).await?;
    let plan = app.hub.store.plan(id).await?;
    if app.hub.store.latest_plans(&[plan.route_id]).await?.iter().any(|p| p.id != id) {
        return Err(Problem::not_now(
            "There is a newer dry run of this route.",
            "Open the newest one and transfer that.",
        ));
    }
    let route = app.hub.store.route(plan.route_id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    let (route_id, plan_id, writes) = (Some(plan.route_id), Some(id), written(&route, &lanes));
    let job = NewJob { route_id, plan_id, writes, ..NewJob::of(JobKind::Transfer) };
    crate::api::jobs::queue(&app, job).await
}

/// What a transfer of a route writes, kind by kind: nothing else may write that at the same time.
fn written(route: &Route, lanes: &[Lane]) -> Vec<String> {
    let (left, right) = ((route.left_system, &route.left_container), (route.right_system, &route.right_container));
    let projects = Ends { left, right };
    let one = |(lane, end): (&Lane, End)| {
        let (system, container) = projects[end];
        Some(format!("{system} {container} {}", lane.writes(end)?.id()))
    };
    let each = lanes.iter().flat_map(|lane| End::BOTH.map(|end| (lane, end)));
    each.filter_map(one).collect::<BTreeSet<_>>().into_iter().collect()
}

pub(super) async fn still_open(app: &App, plan: Uuid) -> Result<(), Problem> {
    if app.hub.store.transfers_of_plans(&[plan]).await?.is_empty() {
        return Ok(());
    }
    Err(Problem::not_now("This plan was already transferred.", "Make a new dry run."))
}
