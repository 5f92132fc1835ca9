//! What is counted beside what is to be done, as lists, page by page: the pairs of a lane, pairs in step and pairs that
//! were let go, and items that are at one end alone.

use axum::Json;
use axum::extract::State;
use hovrel_core::identity::Candidate;
use hovrel_core::model::{End, Kind};
use hovrel_core::rules::Lane;
use hovrel_store::{LaneKinds, PairFilter, Quiet};
use serde::{Deserialize, Serialize};
use tokio::task::block_in_place;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::ledger::given;
use super::matches::{MatchItem, lane_of};
use crate::App;
use crate::path::Path;
use crate::problem::Problem;
use crate::query::Query;
use crate::twins::Unpaired;

const PAGE: i64 = 200;

/// Which pairs of a plan have no change in it.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum QuietPairs {
    /// Both ends hold the same, or what was decided.
    InStep,
    /// A person let them go.
    LetGo,
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct PairQuery {
    which: QuietPairs,
    /// Part of a key or a title.
    find: Option<String>,
    /// `next` of the page before.
    after: Option<String>,
    limit: Option<i64>,
}

/// One half of a pair.
#[derive(Serialize, ToSchema)]
pub struct PairEnd {
    id: String,
    key: String,
    kind: Kind,
    /// As of the last survey; none if the item was not surveyed.
    title: Option<String>,
}

#[derive(Serialize, ToSchema)]
pub struct ListedPair {
    left: PairEnd,
    right: PairEnd,
}

#[derive(Serialize, ToSchema)]
pub struct PairPage {
    items: Vec<ListedPair>,
    /// How many match.
    total: i64,
    next: Option<String>,
}

/// Pairs that have no change in a plan.
#[utoipa::path(get, path = "/plans/{id}/pairs", operation_id = "listPairs", params(("id" = Uuid, Path), PairQuery),
    responses((status = 200, body = PairPage)))]
pub async fn pairs(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<PairQuery>,
) -> Result<Json<PairPage>, Problem> {
    let plan = app.hub.store.plan(id).await?;
    let lanes: Vec<Lane> = serde_json::from_value(plan.lanes)?;
    let which = match query.which {
        QuietPairs::InStep => Quiet::InStep,
        QuietPairs::LetGo => Quiet::LetGo,
    };
    let part = Part { find: query.find, after: query.after, limit: query.limit };
    Ok(Json(page(&app, plan.route_id, &lanes, Some((id, which)), part).await?))
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct LanePairQuery {
    lane: String,
    /// Part of a key or a title.
    find: Option<String>,
    /// `next` of the page before.
    after: Option<String>,
    limit: Option<i64>,
}

/// The pairs of a lane, but for those that were let go.
#[utoipa::path(get, path = "/routes/{id}/pairs", operation_id = "lanePairs", params(("id" = Uuid, Path), LanePairQuery),
    responses((status = 200, body = PairPage)))]
pub async fn of_lane(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<LanePairQuery>,
) -> Result<Json<PairPage>, Problem> {
    let lane = lane_of(&app.hub.store.route(id).await?, &query.lane)?;
    let part = Part { find: query.find, after: query.after, limit: query.limit };
    Ok(Json(page(&app, id, &[lane], None, part).await?))
}

/// Which part of a list.
struct Part {
    find: Option<String>,
    after: Option<String>,
    limit: Option<i64>,
}

async fn page(
    app: &App,
    route: Uuid,
    lanes: &[Lane],
    quiet: Option<(Uuid, Quiet)>,
    part: Part,
) -> Result<PairPage, Problem> {
    let kinds: Vec<LaneKinds<'_>> =
        lanes.iter().map(|l| LaneKinds { lane: &l.id, left: l.left_kind.id(), right: l.right_kind.id() }).collect();
    let (lane, left): (String, String) = part.after.map(|text| given("/after", &text)).transpose()?.unwrap_or_default();
    let find = part.find.unwrap_or_default();
    let filter = PairFilter { route, lanes: &kinds, quiet, find: find.trim() };
    let limit = part.limit.unwrap_or(PAGE).clamp(1, 500);
    let (rows, total) = app.hub.store.list_pairs(filter, (&lane, &left), limit).await?;
    let last = rows.last().filter(|_| rows.len() as i64 == limit);
    let next = last.map(|row| serde_json::to_string(&(&row.lane, &row.left_id))).transpose()?;
    let items = rows.into_iter().filter_map(|row| {
        let lane = lanes.iter().find(|l| l.id == row.lane)?;
        let left = PairEnd { id: row.left_id, key: row.left_key, kind: lane.left_kind, title: row.left_title };
        let right = PairEnd { id: row.right_id, key: row.right_key, kind: lane.right_kind, title: row.right_title };
        Some(ListedPair { left, right })
    });
    Ok(PairPage { items: items.collect(), total, next })
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct AloneQuery {
    end: End,
    /// Part of a key or a title.
    find: Option<String>,
    /// `next` of the page before.
    after: Option<usize>,
    limit: Option<usize>,
}

#[derive(Serialize, ToSchema)]
pub struct AlonePage {
    items: Vec<MatchItem>,
    /// How many match.
    total: u64,
    next: Option<usize>,
}

/// Items of a lane at one end that have no counterpart, nor anything that may be one.
#[utoipa::path(get, path = "/routes/{id}/matches/{lane}/alone", operation_id = "aloneItems",
    params(("id" = Uuid, Path), ("lane" = String, Path), AloneQuery),
    responses((status = 200, body = AlonePage)))]
pub async fn alone(
    State(app): State<App>,
    Path((id, lane)): Path<(Uuid, String)>,
    Query(query): Query<AloneQuery>,
) -> Result<Json<AlonePage>, Problem> {
    let route = app.hub.store.route(id).await?;
    let lane = lane_of(&route, &lane)?;
    let open = Unpaired::of(&app, &route, &lane).await?;
    let kept = open.kept();
    let (from, there) = (open.from(&kept), open.there());
    let found = block_in_place(|| open.found(&from, &there));
    let alone = &open.alone(&from, &there, &found)[query.end];
    let list = if query.end == lane.read() { from } else { there };
    let find = query.find.unwrap_or_default().trim().to_lowercase();
    let holds = |text: &str| text.to_lowercase().contains(&find);
    let matching: Vec<&Candidate<'_>> =
        alone.iter().map(|n| &list[*n]).filter(|c| holds(&c.artefact.key) || holds(&c.artefact.title)).collect();
    let (from, limit) = (query.after.unwrap_or_default(), query.limit.unwrap_or(PAGE as usize).clamp(1, 500));
    let to = from.saturating_add(limit);
    let items = matching.iter().skip(from).take(limit).map(|c| MatchItem::of(c)).collect();
    Ok(Json(AlonePage { items, total: matching.len() as u64, next: (to < matching.len()).then_some(to) }))
}
