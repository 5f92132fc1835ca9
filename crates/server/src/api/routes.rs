//! Routes: list, make from a proposal, save as a new version, remove.

use std::collections::BTreeMap;

use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Json};
use hovrel_core::bounds::LONGEST_NAME;
use hovrel_core::catalogue::{Catalogue, KindSchema};
use hovrel_core::model::{End, Kind};
use hovrel_core::rules::Lane;
use hovrel_core::suggest::suggest;
use hovrel_core::survey::Survey;
use hovrel_store::{NewRoute, Route, Session};
use serde::{Deserialize, Serialize};
use tokio::task::block_in_place;
use utoipa::ToSchema;
use uuid::Uuid;

use super::etags::{etag, if_match};
use super::standing::{RouteAnswer, answer, answers};
use super::suggested::Suggestion;
use crate::App;
use crate::access::Reach;
use crate::body::Body;
use crate::path::Path;
use crate::problem::{FieldProblem, Problem};
use crate::twins::{At, KnownTwins};

/// Every route and where it stands.
#[utoipa::path(get, path = "/routes", operation_id = "listRoutes", responses((status = 200, body = Vec<RouteAnswer>)))]
pub async fn list(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
) -> Result<Json<Vec<RouteAnswer>>, Problem> {
    let mut routes = app.hub.store.routes().await?;
    routes.retain(|r| reach.route(r.id));
    Ok(Json(answers(&app, routes).await?))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EndBody {
    system: Uuid,
    container: String,
}

impl EndBody {
    fn at(&self) -> At<'_> {
        At { system: self.system, container: &self.container }
    }
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ProposeBody {
    left: EndBody,
    right: EndBody,
}

/// A lane that could be, with why its rules are what they are.
#[derive(Serialize, ToSchema)]
pub struct ProposedLane {
    /// Without rules: these are for a person to accept.
    lane: Lane,
    suggestions: Vec<Suggestion>,
    /// What fields are called, by id.
    left_fields: BTreeMap<String, String>,
    right_fields: BTreeMap<String, String>,
    /// Items that are known to be one at both ends already, and bear the suggestions out.
    known: u64,
    left_name: String,
    right_name: String,
    left_count: u64,
    right_count: u64,
}

/// Proposes lanes and rules for two surveyed ends. Nothing is saved.
#[utoipa::path(post, path = "/routes/proposal", operation_id = "proposeRoute", request_body = ProposeBody,
    responses((status = 200, body = Vec<ProposedLane>)))]
pub async fn propose(
    State(app): State<App>,
    Body(body): Body<ProposeBody>,
) -> Result<Json<Vec<ProposedLane>>, Problem> {
    let read = async |end: &EndBody, pointer: &str| -> Result<(Catalogue, Survey), Problem> {
        let Some(row) = app.hub.store.survey(end.system, &end.container).await? else {
            return Err(Problem::field(pointer, "this project has not been surveyed yet"));
        };
        Ok((serde_json::from_value(row.catalogue)?, serde_json::from_value(row.survey)?))
    };
    let (left, left_survey) = read(&body.left, "/left").await?;
    let (right, right_survey) = read(&body.right, "/right").await?;
    let mut out = Vec::new();
    for kind in Kind::ALL {
        let (Some(l), Some(r)) = (left.kind(kind), right.kind(kind)) else { continue };
        let (here, there) = (body.left.at(), body.right.at());
        let known = KnownTwins::of(&app, here, there, (kind, kind)).await?;
        let suggestions = block_in_place(|| suggest(l, left_survey.kind(kind), (r, End::Right), &known.both()));
        let called = |k: &KindSchema| k.fields.iter().map(|f| (f.id.clone(), f.name.clone())).collect();
        let count = |s: &Survey| s.kind(kind).map_or(0, |k| k.count);
        out.push(ProposedLane {
            lane: Lane::of_kind(kind, Vec::new()),
            suggestions: suggestions.into_iter().map(Suggestion::from).collect(),
            left_fields: called(l),
            right_fields: called(r),
            known: known.both().len() as u64,
            left_name: l.name.clone(),
            right_name: r.name.clone(),
            left_count: count(&left_survey),
            right_count: count(&right_survey),
        });
    }
    Ok(Json(out))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RouteBody {
    name: String,
    left: EndBody,
    right: EndBody,
    lanes: Vec<Lane>,
    /// Other routes from the same left end to whose items links lead. Left out, all that there are when it is made.
    follows: Option<Vec<Uuid>>,
}

/// Makes a route.
#[utoipa::path(post, path = "/routes", operation_id = "makeRoute", request_body = RouteBody,
    responses((status = 201, body = RouteAnswer)))]
pub async fn make(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    Body(body): Body<RouteBody>,
) -> Result<Response, Problem> {
    let mut faults = [name_faults(&body.name), lane_faults(&body.lanes)].concat();
    faults.extend(end_faults(&app, &body.left, &body.right).await);
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let left = (body.left.system, body.left.container.as_str());
    let follows = followed(&app, None, left, body.follows).await?.unwrap_or_default();
    let id = Uuid::now_v7();
    let new = NewRoute {
        id,
        name: body.name.trim(),
        left_system: body.left.system,
        left_container: &body.left.container,
        right_system: body.right.system,
        right_container: &body.right.container,
        lanes: serde_json::to_value(&body.lanes)?,
        follows,
    };
    app.hub.store.make_route(&new, session.person.id).await?;
    let made = answer(&app, id).await?;
    Ok((StatusCode::CREATED, etag(made.version), Json(made)).into_response())
}

/// The routes that links of a route lead to, as the store keeps them: those that are named, or, for a new route, all from
/// the same left end. Each must be another one from there.
pub(super) async fn followed(
    app: &App,
    own: Option<Uuid>,
    left: (Uuid, &str),
    named: Option<Vec<Uuid>>,
) -> Result<Option<Vec<Option<Uuid>>>, Problem> {
    let others = app.hub.store.routes().await?;
    let from_there = |r: &&Route| (r.left_system, r.left_container.as_str()) == left && Some(r.id) != own;
    let others: Vec<Uuid> = others.iter().filter(from_there).map(|r| r.id).collect();
    match named {
        None if own.is_some() => Ok(None),
        None => Ok(Some(others.into_iter().map(Some).collect())),
        Some(named) => {
            let mut faults = Vec::new();
            for (n, id) in named.iter().enumerate() {
                let pointer = format!("/follows/{n}");
                if !others.contains(id) {
                    let detail = "this is no other route from the same left end".to_owned();
                    faults.push(FieldProblem { pointer, detail });
                } else if named[..n].contains(id) {
                    faults.push(FieldProblem { pointer, detail: "the same route is named twice".to_owned() });
                }
            }
            match faults.is_empty() {
                true => Ok(Some(named.into_iter().map(Some).collect())),
                false => Err(Problem::fields(faults)),
            }
        }
    }
}

async fn end_faults(app: &App, left: &EndBody, right: &EndBody) -> Vec<FieldProblem> {
    let mut faults = Vec::new();
    if left.system == right.system && left.container == right.container {
        faults.push(FieldProblem { pointer: "/right".into(), detail: "both ends are the same".into() });
    }
    for (pointer, end) in [("/left/system", left), ("/right/system", right)] {
        if app.hub.store.system(end.system).await.is_err() {
            faults.push(FieldProblem { pointer: pointer.into(), detail: "there is no such system".into() });
        }
    }
    faults
}

pub(super) fn name_faults(name: &str) -> Vec<FieldProblem> {
    match name.trim().chars().count() {
        1..=120 => Vec::new(),
        _ => vec![FieldProblem { pointer: "/name".into(), detail: "a name of 1 to 120 characters is needed".into() }],
    }
}

/// What is wrong with how lanes and rules are called.
pub(super) fn lane_faults(lanes: &[Lane]) -> Vec<FieldProblem> {
    let too_long = |text: &str| text.chars().count() > LONGEST_NAME;
    let fault = |pointer: String| FieldProblem { pointer, detail: format!("at most {LONGEST_NAME} characters") };
    let of_lane = |(n, lane): (usize, &Lane)| {
        let own = [("id", &lane.id), ("name", &lane.name)].into_iter().filter(|(_, text)| too_long(text));
        let own = own.map(|(part, _)| format!("/lanes/{n}/{part}"));
        let rules = lane.rules.iter().enumerate().filter(|(_, rule)| too_long(rule.id.as_str()));
        own.chain(rules.map(|(at, _)| format!("/lanes/{n}/rules/{at}/id"))).collect::<Vec<_>>()
    };
    lanes.iter().enumerate().flat_map(of_lane).map(fault).collect()
}

/// One route and where it stands.
#[utoipa::path(get, path = "/routes/{id}", operation_id = "getRoute", params(("id" = Uuid, Path)),
    responses((status = 200, body = RouteAnswer)))]
pub async fn one(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let found = answer(&app, id).await?;
    Ok((etag(found.version), Json(found)).into_response())
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SaveBody {
    name: String,
    lanes: Vec<Lane>,
    /// Other routes to whose items links lead from now on; left out, as before.
    follows: Option<Vec<Uuid>>,
}

/// Saves a new version of name and lanes. Lanes with faults are saved too: they are listed by the
/// checks, and a dry run waits for them.
#[utoipa::path(put, path = "/routes/{id}", operation_id = "saveRoute", params(("id" = Uuid, Path)), request_body = SaveBody,
    responses((status = 200, body = RouteAnswer)))]
pub async fn save(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    Path(id): Path<Uuid>,
    headers: HeaderMap,
    Body(body): Body<SaveBody>,
) -> Result<Response, Problem> {
    let seen = if_match(&headers)?;
    let faults = [name_faults(&body.name), lane_faults(&body.lanes)].concat();
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let route = app.hub.store.route(id).await?;
    let left = (route.left_system, route.left_container.as_str());
    let follows = followed(&app, Some(id), left, body.follows).await?;
    let lanes = serde_json::to_value(&body.lanes)?;
    app.hub.store.save_route(id, seen, body.name.trim(), (&lanes, follows), session.person.id).await?;
    one(State(app), Path(id)).await
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NameBody {
    name: String,
}

/// Gives a route another name. Its version stays: plans that were made go on to hold.
#[utoipa::path(put, path = "/routes/{id}/name", operation_id = "renameRoute", params(("id" = Uuid, Path)), request_body = NameBody,
    responses((status = 200, body = RouteAnswer)))]
pub async fn rename(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<NameBody>,
) -> Result<Response, Problem> {
    let faults = name_faults(&body.name);
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    app.hub.store.rename_route(id, body.name.trim()).await?;
    one(State(app), Path(id)).await
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EndsBody {
    left: EndBody,
    right: EndBody,
    /// Lanes for these ends, as proposed or of one's own.
    lanes: Vec<Lane>,
}

/// Gives a route other ends, as long as nothing of it has run. Pairs, plans and proofs hang on the ends.
#[utoipa::path(put, path = "/routes/{id}/ends", operation_id = "changeEnds", params(("id" = Uuid, Path)), request_body = EndsBody,
    responses((status = 200, body = RouteAnswer)))]
pub async fn change_ends(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    Path(id): Path<Uuid>,
    headers: HeaderMap,
    Body(body): Body<EndsBody>,
) -> Result<Response, Problem> {
    let seen = if_match(&headers)?;
    let faults = end_faults(&app, &body.left, &body.right).await;
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let ends = ((body.left.system, body.left.container.as_str()), (body.right.system, body.right.container.as_str()));
    let lanes = serde_json::to_value(&body.lanes)?;
    if !app.hub.store.change_ends(id, seen, ends, &lanes, session.person.id).await? {
        return Err(Problem::not_now(
            "A dry run, a transfer or a proof of this route was made with its ends.",
            "Create another route between the other ends.",
        ));
    }
    one(State(app), Path(id)).await
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RemoveBody {
    /// The route's name, typed by the person: its pairs can't be brought back.
    name: String,
}

/// Removes a route with its plans, pairs and proofs. Both systems stay as they are.
#[utoipa::path(delete, path = "/routes/{id}", operation_id = "removeRoute", params(("id" = Uuid, Path)), request_body = RemoveBody,
    responses((status = 204)))]
pub async fn remove(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Body(body): Body<RemoveBody>,
) -> Result<StatusCode, Problem> {
    let route = app.hub.store.route(id).await?;
    if route.name != body.name.trim() {
        return Err(Problem::field("/name", "this is not the route's name"));
    }
    app.hub.store.remove_route(id).await?;
    Ok(StatusCode::NO_CONTENT)
}
