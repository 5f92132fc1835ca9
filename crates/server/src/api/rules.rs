//! What the Rules stop asks while a person works: schema, checks, previews, suggestions. Nothing here is saved.

use axum::Json;
use axum::extract::State;
use hovrel_core::carry::{FaultReason, UserMatch, UserMatcher, recognise};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::check::Fault;
use hovrel_core::cover::Covered;
use hovrel_core::model::{Artefact, End, Ends, Kind};
use hovrel_core::rules::{Direction, Fill, Lane, Rule, RuleId, RuleTable, Source};
use hovrel_core::suggest::{suggest, values_reaching};
use hovrel_core::survey::{FieldSurvey, Survey};
use hovrel_core::workflow::Way;
use hovrel_engine::{Places, RouteEnds, lane_checks, turned};
use hovrel_store::Route;
use serde::{Deserialize, Serialize};
use tokio::task::block_in_place;
use utoipa::ToSchema;
use uuid::Uuid;

use super::suggested::Suggestion;
use super::words::field_name;
use crate::App;
use crate::body::Body;
use crate::path::Path;
use crate::problem::Problem;
use crate::surveyed::SurveyedEnds;
use crate::twins::{At, KnownTwins};

#[derive(Serialize, ToSchema)]
pub struct EndSchema {
    pub(super) system_name: String,
    pub(super) catalogue: Catalogue,
    pub(super) survey: Survey,
    /// Of fields that are set by moves: how a new item gets to each state.
    ways: Vec<FieldWays>,
}

#[derive(Serialize, ToSchema)]
pub struct FieldWays {
    kind: Kind,
    field: String,
    ways: Vec<Way>,
}

fn ways_of(catalogue: &Catalogue) -> Vec<FieldWays> {
    let fields = catalogue.kinds.iter().flat_map(|k| k.fields.iter().map(move |f| (k.kind, f)));
    let ways = fields.filter_map(|(kind, f)| {
        let ways = f.workflow.as_ref()?.ways(f.allowed.as_deref().unwrap_or_default());
        Some(FieldWays { kind, field: f.id.clone(), ways })
    });
    ways.collect()
}

#[derive(Serialize, ToSchema)]
pub struct RouteSchema {
    /// None until the end has been surveyed.
    left: Option<EndSchema>,
    right: Option<EndSchema>,
}

pub(super) async fn end_schema(app: &App, system: Uuid, container: &str) -> Result<Option<EndSchema>, Problem> {
    let Some(row) = app.hub.store.survey(system, container).await? else { return Ok(None) };
    let catalogue: Catalogue = serde_json::from_value(row.catalogue)?;
    Ok(Some(EndSchema {
        system_name: app.hub.store.system(system).await?.name,
        ways: ways_of(&catalogue),
        catalogue,
        survey: serde_json::from_value(row.survey)?,
    }))
}

/// Fields of both ends, with what the surveys found in them.
#[utoipa::path(get, path = "/routes/{id}/schema", operation_id = "getRouteSchema", params(("id" = Uuid, Path)),
    responses((status = 200, body = RouteSchema)))]
pub async fn schema(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<RouteSchema>, Problem> {
    let route = app.hub.store.route(id).await?;
    Ok(Json(RouteSchema {
        left: end_schema(&app, route.left_system, &route.left_container).await?,
        right: end_schema(&app, route.right_system, &route.right_container).await?,
    }))
}

/// Both ends for the rules, from the surveys; none until both are surveyed.
pub(super) async fn ends(app: &App, route: &Route) -> Result<Option<RouteEnds>, Problem> {
    let left = end_schema(app, route.left_system, &route.left_container).await?;
    let right = end_schema(app, route.right_system, &route.right_container).await?;
    Ok(left.zip(right).map(|(left, right)| {
        let systems = Ends { left: left.system_name, right: right.system_name };
        RouteEnds::new(systems, Ends { left: left.catalogue, right: right.catalogue })
    }))
}

/// The items that a lane covers with what its rules take from beside an item; none if they take nothing from there.
fn prepared(
    lane: &Lane,
    lanes: &[Lane],
    covered: &Covered<'_>,
    surveyed: &SurveyedEnds,
    ends: &RouteEnds,
) -> Option<Vec<Artefact>> {
    let beside = |f: &Fill| matches!(f.source, Source::Computed(_) | Source::FolderPath);
    lane.fills().any(beside).then(|| {
        let mut items: Vec<Artefact> = covered.all().into_iter().cloned().collect();
        let paths = surveyed.read_by(lane).paths(lane.kind_at(lane.read()));
        hovrel_engine::prepare_items(&mut items, lane, lanes, &ends.catalogues, &[], paths);
        items
    })
}

/// Every fault of the lanes, with the surveyed items concerned; `covered` is what each lane covers of the end that it reads.
pub async fn faults(
    app: &App,
    route: &Route,
    lanes: &[Lane],
    surveyed: &SurveyedEnds,
    covered: &[Covered<'_>],
) -> Result<Vec<Fault>, Problem> {
    let ends = ends(app, route).await?;
    Ok(ends.map(|ends| faults_between(&ends, lanes, surveyed, covered)).unwrap_or_default())
}

/// As [`faults`], between ends that are read already.
pub(super) fn faults_between(
    ends: &RouteEnds,
    lanes: &[Lane],
    surveyed: &SurveyedEnds,
    covered: &[Covered<'_>],
) -> Vec<Fault> {
    block_in_place(|| {
        let prepared: Vec<Option<Vec<Artefact>>> =
            lanes.iter().zip(covered).map(|(lane, covered)| prepared(lane, lanes, covered, surveyed, ends)).collect();
        let items = |lane: &Lane| match lanes.iter().position(|l| l.id == lane.id) {
            Some(n) => prepared[n].as_ref().map_or_else(|| covered[n].all(), |items| items.iter().collect()),
            None => Vec::new(),
        };
        lane_checks(lanes, ends, &items)
    })
}

/// The lanes of a route with one as it is now, which may have changes that are not saved, or be new.
pub(super) fn with_lane(route: &Route, now: &Lane) -> Result<Vec<Lane>, Problem> {
    let mut lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    match lanes.iter_mut().find(|l| l.id == now.id) {
        Some(lane) => lane.clone_from(now),
        None => lanes.push(now.clone()),
    }
    Ok(lanes)
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LanesBody {
    lanes: Vec<Lane>,
}

/// One thing that is wrong with a lane, in words.
#[derive(Serialize, ToSchema)]
#[schema(as = Fault)]
pub struct FaultAnswer {
    lane: String,
    /// The target field of the rule at fault.
    field: String,
    reason: FaultReason,
    message: String,
    /// Items of the end that is read concerned, by id; the first few.
    items: Vec<String>,
    /// How many items are concerned in all.
    item_count: u64,
    /// Whether a dry run must wait for this to be settled. A fault on items alone only holds back
    /// those items.
    blocks: bool,
}

impl FaultAnswer {
    fn of(fault: Fault) -> FaultAnswer {
        let message = hovrel_words::fault(fault.into, &fault.reason);
        let Fault { lane, field, reason, items, item_count, blocks, .. } = fault;
        FaultAnswer { lane, field, reason, message, items, item_count, blocks }
    }
}

/// Checks lanes, saved or not.
#[utoipa::path(post, path = "/routes/{id}/checks", operation_id = "checkLanes", params(("id" = Uuid, Path)), request_body = LanesBody,
    responses((status = 200, body = Vec<FaultAnswer>)))]
pub async fn checks(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<LanesBody>,
) -> Result<Json<Vec<FaultAnswer>>, Problem> {
    let route = app.hub.store.route(id).await?;
    let surveyed = SurveyedEnds::of(&app, &route, &body.lanes).await?;
    let found = faults(&app, &route, &body.lanes, &surveyed, &surveyed.covered(&body.lanes)).await?;
    Ok(Json(found.into_iter().map(FaultAnswer::of).collect()))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TurnBody {
    lane: Lane,
    /// Which way it is to run.
    direction: Direction,
}

/// A lane turned round.
#[derive(Serialize, ToSchema)]
pub struct TurnedLane {
    lane: Lane,
    /// What those of its rules fill that can't be turned, and that it has no more.
    lost: Vec<String>,
    /// How many of its rules run both ways.
    both_ways: u64,
}

/// A lane, saved or not, in another direction, with its rules turned as they can be.
#[utoipa::path(post, path = "/routes/{id}/turned", operation_id = "turnLane", params(("id" = Uuid, Path)),
    request_body = TurnBody, responses((status = 200, body = TurnedLane)))]
pub async fn turn(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(TurnBody { lane, direction }): Body<TurnBody>,
) -> Result<Json<TurnedLane>, Problem> {
    let route = app.hub.store.route(id).await?;
    let ends = ends(&app, &route).await?;
    let (turned, lost, both_ways) = turned(&lane, direction, ends.as_ref());
    let kind = |end: End| ends.as_ref()?.catalogues[end].kind(lane.kind_at(end));
    let filled = |rule: &Rule| {
        let end = End::BOTH.into_iter().find(|end| rule.fill(*end).is_some())?;
        Some(field_name(&rule.fill(end)?.target, kind(end)))
    };
    let lost = lost.iter().filter_map(filled).collect();
    Ok(Json(TurnedLane { lane: turned, lost, both_ways: both_ways as u64 }))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MetBody {
    lane: Lane,
    rule: RuleId,
}

/// The values that reach the table of a rule, a value map or one of link types, with how many items in scope hold each.
#[utoipa::path(post, path = "/routes/{id}/met", operation_id = "valuesMet", params(("id" = Uuid, Path)), request_body = MetBody,
    responses((status = 200, body = FieldSurvey)))]
pub async fn values_met(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<MetBody>,
) -> Result<Json<FieldSurvey>, Problem> {
    Ok(Json(reached(&app, id, &body, RuleTable::Values).await?.0))
}

/// What reaches a table of a rule, and the ends that it stands between.
async fn reached(
    app: &App,
    route: Uuid,
    body: &MetBody,
    table: RuleTable,
) -> Result<(FieldSurvey, RouteEnds), Problem> {
    let route = app.hub.store.route(route).await?;
    let fill = body.lane.filling().find(|(id, _)| **id == body.rule).map(|(_, fill)| fill);
    let fill = fill.ok_or_else(|| Problem::field("/rule", "the lane has no such rule"))?;
    let missing =
        || Problem::not_now("Both ends must be surveyed, and have the lane's kinds.", "Survey them at the Ends stop.");
    let ends = ends(app, &route).await?.ok_or_else(missing)?;
    let folders = Places::assumed();
    let cx = ends.context(&body.lane, &folders).ok_or_else(missing)?;
    let lanes = with_lane(&route, &body.lane)?;
    let surveyed = SurveyedEnds::of(app, &route, &lanes).await?;
    let covered = surveyed.covered_by(&lanes, &body.lane.id).ok_or_else(missing)?;
    let found = block_in_place(|| {
        let prepared = prepared(&body.lane, &lanes, &covered, &surveyed, &ends);
        let items = prepared.as_ref().map_or_else(|| covered.all(), |items| items.iter().collect());
        values_reaching(fill, table, &items, &cx)
    });
    Ok((found, ends))
}

/// Somebody met at the end that is read, and as whom they are recognised at the other.
#[derive(Serialize, ToSchema)]
pub struct Recognised {
    id: String,
    name: String,
    /// Items in scope that name them.
    count: u64,
    /// Their id there; nobody if they are not recognised.
    there: Option<String>,
    how: Option<UserMatch>,
}

/// The people that reach the table of a rule, each with whom they are recognised as at the other end without a table.
#[utoipa::path(post, path = "/routes/{id}/met/people", operation_id = "peopleMet", params(("id" = Uuid, Path)), request_body = MetBody,
    responses((status = 200, body = Vec<Recognised>)))]
pub async fn people_met(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<MetBody>,
) -> Result<Json<Vec<Recognised>>, Problem> {
    let (met, ends) = reached(&app, id, &body, RuleTable::People).await?;
    let others = UserMatcher::new(&ends.catalogues[body.lane.written()].users);
    let recognised = met.values.into_iter().filter(|v| !v.value.is_empty()).map(|v| {
        let (name, found) = recognise(&v.value, &ends.catalogues[body.lane.read()], &others);
        let (there, how) = found.unzip();
        Recognised { id: v.value, name, count: v.count, there, how }
    });
    Ok(Json(recognised.collect()))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct KindsBody {
    left_kind: Kind,
    right_kind: Kind,
    /// Which way the rules are to run; of both ways, they fill the right.
    #[serde(default)]
    direction: Direction,
}

/// Rules proposed for two kinds, with the evidence.
#[utoipa::path(post, path = "/routes/{id}/suggestions", operation_id = "suggestRules", params(("id" = Uuid, Path)), request_body = KindsBody,
    responses((status = 200, body = Vec<Suggestion>)))]
pub async fn suggestions(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<KindsBody>,
) -> Result<Json<Vec<Suggestion>>, Problem> {
    let route = app.hub.store.route(id).await?;
    let left = end_schema(&app, route.left_system, &route.left_container).await?;
    let right = end_schema(&app, route.right_system, &route.right_container).await?;
    let (Some(left), Some(right)) = (left, right) else { return Ok(Json(Vec::new())) };
    let (here, there) = (
        At { system: route.left_system, container: &route.left_container },
        At { system: route.right_system, container: &route.right_container },
    );
    let (at, kinds) = (Ends { left: &left, right: &right }, Ends { left: body.left_kind, right: body.right_kind });
    let (read, into) = (body.direction.read(), body.direction.written());
    let kind = |end: End| at[end].catalogue.kind(kinds[end]);
    let (Some(from), Some(to)) = (kind(read), kind(into)) else { return Ok(Json(Vec::new())) };
    let places = Ends { left: here, right: there };
    let known = KnownTwins::of(&app, places[read], places[into], (kinds[read], kinds[into])).await?;
    let found = block_in_place(|| suggest(from, at[read].survey.kind(kinds[read]), (to, into), &known.both()));
    Ok(Json(found.into_iter().map(Suggestion::from).collect()))
}
