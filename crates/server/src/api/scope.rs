//! What the Scope stop asks while a person works: what can be named, what a condition says as text and as rows, and
//! what it matches. Nothing here is saved.

use axum::Json;
use axum::extract::State;
use hovrel_core::catalogue::{Catalogue, KindSchema};
use hovrel_core::expression::{ExpressionFault, Function, Name, functions, own_names};
use hovrel_core::model::{Artefact, End, Kind};
use hovrel_core::rules::Lane;
use hovrel_core::scope::{Condition, ConditionFault, Place, condition_faults, places, read, write};
use hovrel_engine::path_of;
use hovrel_store::Route;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::App;
use crate::body::Body;
use crate::path::Path;
use crate::problem::Problem;
use crate::query::Query;
use crate::surveyed::SurveyedEnds;

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct NamesQuery {
    end: End,
    kind: Kind,
}

/// What conditions and expressions over a kind can speak of.
#[derive(Default, Serialize, ToSchema)]
pub struct Names {
    /// What rows can ask of, with the comparisons that go with each.
    places: Vec<Place>,
    /// What expressions can name.
    names: Vec<Name>,
    functions: Vec<Function>,
}

async fn schema_of(app: &App, route: &Route, end: End, kind: Kind) -> Result<Option<KindSchema>, Problem> {
    let (system, container) = route.end(end);
    let Some(row) = app.hub.store.survey(system, container).await? else { return Ok(None) };
    Ok(serde_json::from_value::<Catalogue>(row.catalogue)?.kind(kind).cloned())
}

/// What can be named in conditions and expressions over a kind; empty until the end has been surveyed.
#[utoipa::path(get, path = "/routes/{id}/names", operation_id = "getNames", params(("id" = Uuid, Path), NamesQuery),
    responses((status = 200, body = Names)))]
pub async fn names(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<NamesQuery>,
) -> Result<Json<Names>, Problem> {
    let route = app.hub.store.route(id).await?;
    let Some(kind) = schema_of(&app, &route, query.end, query.kind).await? else { return Ok(Json(Names::default())) };
    Ok(Json(Names { places: places(&kind), names: own_names(&kind), functions: functions() }))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ScopeBody {
    end: End,
    /// The lane that is asked about.
    lane: String,
    /// Every lane of the route, saved or not: what one leads to, another may bring along.
    lanes: Vec<Lane>,
    /// An expression to be read as the lane's condition in place of the one it has.
    text: Option<String>,
}

#[derive(Serialize, ToSchema)]
pub struct ScopeAnswer {
    /// The condition: as it was given, or as the text says it.
    condition: Condition,
    /// The condition as text; none while a row says nothing, or the text can't be read.
    text: Option<String>,
    faults: Vec<ConditionFault>,
    text_faults: Vec<ExpressionFault>,
    matched: u64,
    /// How many are brought along beyond those.
    along: u64,
    /// How many more it would cover that another lane of the same kinds carries.
    with_others: u64,
    total: u64,
    /// The first of the items covered.
    items: Vec<ScopeItem>,
}

#[derive(Serialize, ToSchema)]
pub struct ScopeItem {
    pub id: String,
    pub key: String,
    pub title: String,
    pub path: String,
    /// Brought along: no condition matches it.
    pub along: bool,
}

impl ScopeItem {
    pub fn of(artefact: &Artefact, path: &[String], along: bool) -> ScopeItem {
        ScopeItem {
            id: artefact.id.clone(),
            key: artefact.key.clone(),
            title: artefact.title.clone(),
            path: path.join(" / "),
            along,
        }
    }
}

const SHOWN: usize = 200;

/// What a condition says, how many surveyed items it matches, and which.
#[utoipa::path(post, path = "/routes/{id}/scope", operation_id = "tryScope", params(("id" = Uuid, Path)), request_body = ScopeBody,
    responses((status = 200, body = ScopeAnswer)))]
pub async fn scope(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<ScopeBody>,
) -> Result<Json<ScopeAnswer>, Problem> {
    let route = app.hub.store.route(id).await?;
    let ScopeBody { end, lane, mut lanes, text } = body;
    let Some(n) = lanes.iter().position(|l| l.id == lane) else {
        return Err(Problem::field("/lane", "there is no lane of this name among the lanes"));
    };
    let kind = lanes[n].kind_at(end);
    let mut answer = ScopeAnswer {
        condition: lanes[n].scope_at(end).clone(),
        text: None,
        faults: Vec::new(),
        text_faults: Vec::new(),
        matched: 0,
        along: 0,
        with_others: 0,
        total: 0,
        items: Vec::new(),
    };
    let Some(schema) = schema_of(&app, &route, end, kind).await? else { return Ok(Json(answer)) };
    if let Some(text) = text {
        match read(&text, &schema) {
            Ok(found) => {
                lanes[n].scope_at_mut(end).clone_from(&found);
                answer.condition = found;
                answer.text = Some(text);
            }
            // The condition stays what it was, and so does what it covers.
            Err(faults) => answer.text_faults = faults,
        }
    } else {
        answer.text = write(&answer.condition, &schema).ok();
    }
    answer.faults = condition_faults(&answer.condition, &schema);
    match end == lanes[n].read() {
        true => {
            let surveyed = SurveyedEnds::of(&app, &route, &lanes).await?;
            let from = surveyed.read_by(&lanes[n]);
            let covered = surveyed.covered(&lanes).swap_remove(n);
            let shown = covered.matched.iter().map(|a| (a, false)).chain(covered.along.iter().map(|a| (a, true)));
            answer.items = shown.take(SHOWN).map(|(a, along)| ScopeItem::of(a, from.path(a), along)).collect();
            (answer.matched, answer.along) = (covered.matched.len() as u64, covered.along.len() as u64);
            answer.with_others = covered.with_others;
            answer.total = from.artefacts(kind).len() as u64;
        }
        false => {
            let (system, container) = route.end(end);
            let kept = app.cache.get(&app.hub.store, system, container, kind).await?;
            let now = app.hub.now().fixed_offset();
            let found = hovrel_engine::in_scope(&kept.artefacts, &answer.condition, &schema, &kept.paths, now);
            let shown = found.iter().take(SHOWN);
            answer.items = shown.map(|a| ScopeItem::of(a, path_of(a, &kept.paths), false)).collect();
            (answer.matched, answer.total) = (found.len() as u64, kept.artefacts.len() as u64);
        }
    }
    Ok(Json(answer))
}
