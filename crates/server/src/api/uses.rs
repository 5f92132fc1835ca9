//! The routes that use a surveyed project, and what the survey means for them.
//!
//! Decides nothing of its own: the core says which rules do not fit what is there, and which limits of the other end
//! are too low for it.

use axum::extract::State;
use axum::{Extension, Json};
use hovrel_core::check::{Beyond, beyond_limits};
use hovrel_core::model::{End, Ends, Kind};
use hovrel_core::rules::Lane;
use hovrel_engine::RouteEnds;
use hovrel_store::Route;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::rules::{EndSchema, end_schema, faults_between};
use crate::App;
use crate::access::Reach;
use crate::path::Path;
use crate::problem::Problem;
use crate::surveyed::SurveyedEnds;

/// Rules of a route that are told by name; the rest are counted.
const TOLD: usize = 5;

/// A route with a surveyed project as one of its ends.
#[derive(Serialize, ToSchema)]
pub struct Use {
    route: Uuid,
    name: String,
    /// What the system at the other end is called.
    other: String,
    /// How many faults its rules have to settle, and the first of them.
    to_settle: u64,
    faults: Vec<UseFault>,
    /// What was met here and is beyond a limit at the other end, where lanes read this one.
    beyond: Vec<UseBeyond>,
}

#[derive(Serialize, ToSchema)]
pub struct UseFault {
    /// What the field at the end that is written is called; empty for the lane itself.
    field: String,
    message: String,
}

#[derive(Serialize, ToSchema)]
pub struct UseBeyond {
    kind: Kind,
    #[serde(flatten)]
    beyond: Beyond,
}

fn beyond(lanes: &[Lane], at: Ends<&EndSchema>, end: End) -> Vec<UseBeyond> {
    let found = lanes.iter().filter(|lane| lane.read() == end).flat_map(|lane| {
        let (kind, there) = (lane.kind_at(end), end.other());
        let (survey, schema) = (at[end].survey.kind(kind), at[there].catalogue.kind(lane.kind_at(there)));
        let found = survey.zip(schema).map(|(survey, schema)| beyond_limits(lane, survey, schema)).unwrap_or_default();
        found.into_iter().map(move |beyond| UseBeyond { kind, beyond })
    });
    found.collect()
}

async fn use_of(app: &App, route: Route, is_left: bool) -> Result<Option<Use>, Problem> {
    let left = end_schema(app, route.left_system, &route.left_container).await?;
    let right = end_schema(app, route.right_system, &route.right_container).await?;
    let Some((left, right)) = left.zip(right) else { return Ok(None) };
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    let surveyed = SurveyedEnds::of(app, &route, &lanes).await?;
    let end = if is_left { End::Left } else { End::Right };
    let beyond = beyond(&lanes, Ends { left: &left, right: &right }, end);
    let other = if is_left { &right.system_name } else { &left.system_name }.clone();
    let ends = RouteEnds::new(
        Ends { left: left.system_name, right: right.system_name },
        Ends { left: left.catalogue, right: right.catalogue },
    );
    let found = faults_between(&ends, &lanes, &surveyed, &surveyed.covered(&lanes));
    let field_name = |lane: &str, field: &str| {
        let lane = lanes.iter().find(|l| l.id == lane)?;
        let written = lane.written();
        Some(ends.catalogues[written].kind(lane.kind_at(written))?.field(field)?.name.clone())
    };
    let told = found.iter().take(TOLD).map(|f| UseFault {
        field: field_name(&f.lane, &f.field).unwrap_or_default(),
        message: hovrel_words::fault(f.into, &f.reason),
    });
    Ok(Some(Use {
        to_settle: found.len() as u64,
        faults: told.collect(),
        beyond,
        other,
        route: route.id,
        name: route.name,
    }))
}

/// The routes that use a project, with what of its survey does not fit their rules or the other end.
#[utoipa::path(get, path = "/systems/{id}/containers/{container}/routes", operation_id = "listUses",
    params(("id" = Uuid, Path), ("container" = String, Path)),
    responses((status = 200, body = Vec<Use>)))]
pub async fn list(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Path((id, container)): Path<(Uuid, String)>,
) -> Result<Json<Vec<Use>>, Problem> {
    let mut out = Vec::new();
    let is_left = |r: &Route| r.left_system == id && r.left_container == container;
    let is_right = |r: &Route| r.right_system == id && r.right_container == container;
    for route in app.hub.store.routes().await?.into_iter().filter(|r| reach.route(r.id)) {
        if is_left(&route) || is_right(&route) {
            let left = is_left(&route);
            out.extend(use_of(&app, route, left).await?);
        }
    }
    Ok(Json(out))
}
