//! Conflicts as a list, page by page, and how many there are of what.

use axum::extract::State;
use axum::{Extension, Json};
use chrono::{DateTime, TimeDelta, Utc};
use hovrel_core::model::Kind;
use hovrel_core::plan::FieldReason;
use hovrel_store::{ConflictFilter, ConflictPlace, ConflictRow};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::App;
use crate::access::Reach;
use crate::api::called::{Called, kind_of};
use crate::api::ledger::given;
use crate::problem::Problem;
use crate::query::Query;

/// Where a conflict stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ConflictState {
    /// Nobody has chosen yet, or what was chosen was refused.
    Open,
    /// Something is chosen, and the next transfer writes it.
    Settled,
    /// It is over.
    Closed,
}

impl ConflictState {
    fn id(self) -> &'static str {
        match self {
            ConflictState::Open => "open",
            ConflictState::Settled => "settled",
            ConflictState::Closed => "closed",
        }
    }
}

/// How a conflict ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Ended {
    /// What was chosen was transferred.
    Carried,
    /// Both ends say the same by themselves.
    Agreed,
    /// One end is as it was; the other end's edit is transferred like any other.
    Withdrawn,
    /// There is no such rule or pair any more.
    Moot,
    /// By the policy of the lane the edit of one end is carried.
    Policy,
}

/// Which conflicts.
#[derive(Debug, Default, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct ConflictQuery {
    state: Option<ConflictState>,
    route: Option<Uuid>,
    lane: Option<String>,
    rule: Option<String>,
    reason: Option<FieldReason>,
    /// Who changed the item last at one of the ends, by name.
    by: Option<String>,
    /// Open for at least so many days.
    days: Option<u16>,
    /// Words of a key or a title.
    find: Option<String>,
    /// `next` of the page before.
    after: Option<String>,
    limit: Option<i64>,
}

/// A conflict in a list.
#[derive(Serialize, ToSchema)]
pub struct ListedConflict {
    pub id: Uuid,
    /// Counted up when a value, the rule or the reason changes; whoever chooses names it.
    pub generation: i32,
    /// Counted up whenever anything of it changes; whoever chooses names it too.
    pub revision: i32,
    pub route: Uuid,
    pub route_name: String,
    pub lane: String,
    pub rule: String,
    pub kind: Kind,
    pub field_name: String,
    pub reason: FieldReason,
    pub title: String,
    pub left_key: String,
    pub right_key: String,
    /// Who changed the left item last, if its system tells.
    pub left_by: Option<String>,
    /// Who changed the right item last, if its system tells.
    pub right_by: Option<String>,
    pub state: ConflictState,
    pub ended: Option<Ended>,
    /// What a system said to what was chosen.
    pub refused: Option<String>,
    pub opened_at: DateTime<Utc>,
    pub changed_at: DateTime<Utc>,
    pub ended_at: Option<DateTime<Utc>>,
}

#[derive(Serialize, ToSchema)]
pub struct ConflictPage {
    items: Vec<ListedConflict>,
    /// How many match.
    total: i64,
    next: Option<String>,
}

/// How many conflicts of a rule are open for a reason.
#[derive(Serialize, ToSchema)]
pub struct ConflictGroup {
    route: Uuid,
    route_name: String,
    lane: String,
    rule: String,
    kind: Kind,
    field_name: String,
    reason: FieldReason,
    count: i64,
}

const PAGE: i64 = 100;

/// So many people can be chosen from.
const EDITORS: i64 = 500;

fn reason_of(code: &str) -> Result<FieldReason, Problem> {
    FieldReason::of_id(code).ok_or_else(|| Problem::internal(format!("“{code}” is no reason")))
}

impl ListedConflict {
    pub fn of(row: ConflictRow, called: &Called) -> Result<ListedConflict, Problem> {
        Ok(ListedConflict {
            field_name: called.field(row.route_id, &row.lane, &row.slot),
            route_name: called.route(row.route_id),
            kind: kind_of(&row.kind)?,
            reason: reason_of(&row.reason)?,
            state: serde_json::from_value(row.state.into())?,
            ended: row.ended.map(|ended| serde_json::from_value(ended.into())).transpose()?,
            id: row.id,
            generation: row.generation,
            revision: row.revision,
            route: row.route_id,
            lane: row.lane,
            rule: row.rule,
            title: row.title,
            left_key: row.left_key,
            right_key: row.right_key,
            left_by: row.left_by,
            right_by: row.right_by,
            refused: row.refused,
            opened_at: row.opened_at,
            changed_at: row.changed_at,
            ended_at: row.ended_at,
        })
    }
}

/// Conflicts of any route, the newest first; for a key, of the routes that it is for.
#[utoipa::path(get, path = "/conflicts", operation_id = "listConflicts", params(ConflictQuery),
    responses((status = 200, body = ConflictPage)))]
pub async fn list(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Query(query): Query<ConflictQuery>,
) -> Result<Json<ConflictPage>, Problem> {
    let after: Option<(DateTime<Utc>, Uuid)> = query.after.map(|text| given("/after", &text)).transpose()?;
    let filter = ConflictFilter {
        state: query.state.map(|s| s.id().to_owned()),
        routes: reach.routes(query.route),
        lane: query.lane,
        rule: query.rule,
        reason: query.reason.map(|r| r.id().to_owned()),
        by: query.by,
        opened_before: query.days.map(|days| Utc::now() - TimeDelta::days(days.into())),
        find: query.find.map(|f| f.trim().to_owned()).unwrap_or_default(),
    };
    let limit = query.limit.unwrap_or(PAGE).clamp(1, 500);
    let place = after.map(|(changed_at, id)| ConflictPlace { changed_at, id });
    let (rows, total) = app.hub.store.list_conflicts(&filter, place, limit).await?;
    let last = rows.last().filter(|_| rows.len() as i64 == limit);
    let next = last.map(|row| serde_json::to_string(&(row.changed_at, row.id))).transpose()?;
    let called = Called::of(&app, rows.iter().map(|r| r.route_id)).await?;
    let items = rows.into_iter().map(|row| ListedConflict::of(row, &called)).collect::<Result<_, _>>()?;
    Ok(Json(ConflictPage { items, total, next }))
}

/// Whose edits are in open conflicts, by name.
#[utoipa::path(get, path = "/conflicts/editors", operation_id = "listConflictEditors",
    responses((status = 200, body = Vec<String>)))]
pub async fn editors(State(app): State<App>, Extension(reach): Extension<Reach>) -> Result<Json<Vec<String>>, Problem> {
    Ok(Json(app.hub.store.conflict_editors(reach.routes(None).as_deref(), EDITORS).await?))
}

/// How many conflicts are open, by route, rule and reason, the most first.
#[utoipa::path(get, path = "/conflicts/groups", operation_id = "groupConflicts",
    responses((status = 200, body = Vec<ConflictGroup>)))]
pub async fn groups(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
) -> Result<Json<Vec<ConflictGroup>>, Problem> {
    let groups = app.hub.store.conflict_groups(reach.routes(None).as_deref()).await?;
    let called = Called::of(&app, groups.iter().map(|g| g.route_id)).await?;
    let one = |g: hovrel_store::ConflictGroup| {
        Ok(ConflictGroup {
            field_name: called.field(g.route_id, &g.lane, &g.slot),
            route_name: called.route(g.route_id),
            kind: kind_of(&g.kind)?,
            reason: reason_of(&g.reason)?,
            route: g.route_id,
            lane: g.lane,
            rule: g.rule,
            count: g.count,
        })
    };
    Ok(Json(groups.into_iter().map(one).collect::<Result<_, Problem>>()?))
}
