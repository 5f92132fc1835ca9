//! A plan in numbers.

use std::collections::HashMap;

use axum::Json;
use axum::extract::State;
use chrono::{DateTime, Utc};
use hovrel_core::model::{Ends, Kind};
use hovrel_core::rehearse::{Calls, Estimate};
use hovrel_engine::PlanSummary;
use hovrel_store::{ChangeCount, Plan};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::api::jobs::JobAnswer;
use crate::path::Path;
use crate::problem::Problem;

/// A plan in numbers.
#[derive(Serialize, ToSchema)]
pub struct PlanFigure {
    pub id: Uuid,
    pub made_at: DateTime<Utc>,
    pub route_version: i32,
    /// Changes in all, moves of a base not counted.
    pub changes: i64,
    pub included: i64,
    pub with_losses: i64,
    /// Fields in conflict, as the dry run found them.
    pub conflicts: i64,
    /// Of these, fields that are not decided yet.
    pub open_conflicts: i64,
    /// The changes that have them.
    pub in_conflict: i64,
    pub in_step: u64,
    pub left_in_scope: u64,
    pub left_total: u64,
    /// Items that lanes cover which read the right.
    pub right_in_scope: u64,
    pub only_right: u64,
    pub only_left: u64,
    /// Pairs that a person let go: they are not carried, and not told again.
    pub let_go: u64,
    /// Kinds whose items stand in folders at both ends and don't keep their order there.
    pub order_not_kept: Vec<Kind>,
    /// Items that more than one lane covers, of the same kinds: one of them carries each.
    pub covered_twice: u64,
    /// Left items that get a link to their counterpart, of the changes taken in.
    pub links_back: i64,
    /// Changes taken in that the right would not take, as the rehearsal found.
    pub refused: i64,
    /// What the transfer of the changes taken in will cost, without retries; none if the plan was made before it was
    /// estimated.
    pub estimate: Option<Estimate>,
    pub outcomes: Vec<OutcomeCount>,
    pub fields: Vec<String>,
    /// BLAKE3 over the changes, in hex.
    pub digest: String,
    /// How many decisions can be undone.
    pub undoable: i64,
    /// The transfer of this plan, if there was one.
    pub transfer: Option<JobAnswer>,
}

#[derive(Serialize, ToSchema)]
pub struct OutcomeCount {
    pub outcome: String,
    pub kind: String,
    pub included: bool,
    pub count: i64,
}

impl PlanFigure {
    /// Plans in numbers, in their order.
    pub async fn of(app: &App, plans: Vec<Plan>) -> Result<Vec<PlanFigure>, Problem> {
        let ids: Vec<Uuid> = plans.iter().map(|p| p.id).collect();
        let counts = app.hub.store.change_counts(&ids).await?;
        let fields = app.hub.store.changed_fields(&ids).await?;
        let transfers = app.hub.store.transfers_of_plans(&ids).await?;
        let steps: HashMap<Uuid, i64> = app.hub.store.decision_steps(&ids).await?.into_iter().collect();
        let one = |plan: Plan| {
            let id = plan.id;
            let fields = fields.iter().find(|(of, _)| *of == id).map(|(_, names)| names.clone()).unwrap_or_default();
            let transfer = transfers.iter().find(|t| t.plan_id == Some(id)).cloned().map(JobAnswer::of);
            let counts: Vec<&ChangeCount> =
                counts.iter().filter(|c| c.plan_id == id && c.outcome != "in_step").collect();
            let undoable = steps.get(&id).copied().unwrap_or_default();
            PlanFigure::in_all(plan, &counts, fields, undoable, transfer)
        };
        plans.into_iter().map(one).collect()
    }

    pub async fn of_one(app: &App, plan: Plan) -> Result<PlanFigure, Problem> {
        let figures = PlanFigure::of(app, vec![plan]).await?;
        figures.into_iter().next().ok_or_else(|| Problem::missing("The plan"))
    }

    fn in_all(
        plan: Plan,
        counts: &[&ChangeCount],
        fields: Vec<String>,
        undoable: i64,
        transfer: Option<JobAnswer>,
    ) -> Result<PlanFigure, Problem> {
        let summary: PlanSummary = serde_json::from_value(plan.summary)?;
        let sum = |of: fn(&ChangeCount) -> i64| counts.iter().map(|c| of(c)).sum();
        let mut calls = Calls::default();
        for of in counts.iter().filter(|c| c.included) {
            let of_them = Ends { left: of.left_calls, right: of.right_calls };
            calls.add(serde_json::from_value(of.kind.clone().into())?, of_them);
        }
        Ok(PlanFigure {
            changes: sum(|c| c.count),
            included: sum(|c| if c.included { c.count } else { 0 }),
            with_losses: sum(|c| c.with_losses),
            conflicts: sum(|c| c.conflicts),
            in_conflict: sum(|c| c.in_conflict),
            open_conflicts: sum(|c| c.open),
            refused: sum(|c| c.refused),
            in_step: summary.in_step,
            left_in_scope: summary.left_in_scope,
            left_total: summary.left_total,
            right_in_scope: summary.right_in_scope,
            only_right: summary.only_right,
            only_left: summary.only_left,
            let_go: summary.let_go,
            order_not_kept: summary.order_not_kept,
            covered_twice: summary.covered_twice,
            links_back: sum(|c| if c.included { c.links_back } else { 0 }),
            estimate: summary.paces.map(|p| calls.estimate(p.as_ref())),
            outcomes: counts
                .iter()
                .map(|c| OutcomeCount {
                    outcome: c.outcome.clone(),
                    kind: c.kind.clone(),
                    included: c.included,
                    count: c.count,
                })
                .collect(),
            fields,
            undoable,
            digest: hex::encode(&plan.digest),
            transfer,
            id: plan.id,
            made_at: plan.made_at,
            route_version: plan.route_version,
        })
    }
}

/// A plan in numbers.
#[utoipa::path(get, path = "/plans/{id}", operation_id = "getPlan", params(("id" = Uuid, Path)),
    responses((status = 200, body = PlanFigure)))]
pub async fn one(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<PlanFigure>, Problem> {
    let plan = app.hub.store.plan(id).await?;
    Ok(Json(PlanFigure::of_one(&app, plan).await?))
}
