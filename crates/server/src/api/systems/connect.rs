//! Connecting systems: list, make, change, remove.

use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Json};
use chrono::{DateTime, Utc};
use hovrel_connect::{CheckState, CheckStep, Credentials};
use hovrel_store::{NewSystem, System};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::check::CheckStepAnswer;
use crate::App;
use crate::access::Reach;
use crate::api::etags::{etag, if_match};
use crate::body::Body;
use crate::path::Path;
use crate::problem::{FieldProblem, Problem};

#[derive(Serialize, ToSchema)]
pub struct SystemAnswer {
    pub id: Uuid,
    pub name: String,
    pub profile: String,
    pub profile_title: String,
    pub address: String,
    pub version: i32,
    /// The last check; none if it was never checked.
    pub check: Option<Vec<CheckStepAnswer>>,
    pub checked_at: Option<DateTime<Utc>>,
}

impl SystemAnswer {
    pub fn of(app: &App, s: System) -> Result<SystemAnswer, Problem> {
        Ok(SystemAnswer {
            profile_title: app.hub.offers.get(&s.profile).map_or_else(|| s.profile.clone(), |o| o.title.clone()),
            id: s.id,
            name: s.name,
            profile: s.profile,
            address: s.address,
            version: s.version,
            check: s.check_steps.map(serde_json::from_value).transpose()?,
            checked_at: s.checked_at,
        })
    }
}

/// Every system.
#[utoipa::path(get, path = "/systems", operation_id = "listSystems", responses((status = 200, body = Vec<SystemAnswer>)))]
pub async fn list(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
) -> Result<Json<Vec<SystemAnswer>>, Problem> {
    let mut systems = app.hub.store.systems().await?;
    systems.retain(|s| reach.system(s.id));
    Ok(Json(systems.into_iter().map(|s| SystemAnswer::of(&app, s)).collect::<Result<_, _>>()?))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SystemBody {
    name: String,
    profile: String,
    address: String,
    /// What the profile asks for, by id. Left out on a change: the sign-in stays.
    #[serde(default)]
    #[schema(value_type = Option<std::collections::HashMap<String, String>>)]
    sign_in: Option<Credentials>,
}

/// Bytes of a system's address.
const LONGEST_ADDRESS: usize = 2_000;

impl SystemBody {
    fn faults(&self, app: &App) -> Vec<FieldProblem> {
        let mut faults = Vec::new();
        let mut fault =
            |pointer: &str, detail: &str| faults.push(FieldProblem { pointer: pointer.into(), detail: detail.into() });
        if self.name.trim().is_empty() {
            fault("/name", "a name is needed");
        } else if self.name.contains(':') {
            fault("/name", "a colon can't stand in a name: it divides name and key in origin marks");
        }
        if self.name.chars().count() > 120 {
            fault("/name", "120 characters at most");
        }
        match self.address.trim() {
            "" => fault("/address", "an address is needed"),
            text if text.len() > LONGEST_ADDRESS => fault("/address", "it is too long for an address"),
            text => {
                if let Err(why) = hovrel_connect::address::read(text) {
                    fault("/address", &why);
                }
            }
        }
        match app.hub.offers.get(&self.profile) {
            None => fault("/profile", "there is no such profile"),
            Some(offer) => {
                if let Some(given) = &self.sign_in {
                    for ask in offer.asks.iter().filter(|a| given.0.get(&a.id).is_none_or(|v| v.is_empty())) {
                        fault(&format!("/sign_in/{}", ask.id), &format!("{} is needed", ask.label.to_lowercase()));
                    }
                    for id in given.0.keys().filter(|id| !offer.asks.iter().any(|a| a.id == **id)) {
                        fault(&format!("/sign_in/{id}"), "this system does not ask for it");
                    }
                }
            }
        }
        faults
    }
}

/// Connects a system. It is saved whether or not it answers; check it first.
#[utoipa::path(post, path = "/systems", operation_id = "makeSystem", request_body = SystemBody,
    responses((status = 201, body = SystemAnswer)))]
pub async fn make(State(app): State<App>, Body(new): Body<SystemBody>) -> Result<Response, Problem> {
    let mut faults = new.faults(&app);
    if new.sign_in.is_none() {
        faults.push(FieldProblem { pointer: "/sign_in".into(), detail: "a sign-in is needed".into() });
    }
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let id = Uuid::now_v7();
    let sealed = app.hub.seal(id, &new.sign_in.unwrap_or_default())?;
    let row = NewSystem {
        id,
        name: new.name.trim(),
        profile: &new.profile,
        address: new.address.trim(),
        credentials: &sealed,
    };
    app.hub.store.make_system(&row).await?;
    let made = SystemAnswer::of(&app, app.hub.store.system(id).await?)?;
    Ok((StatusCode::CREATED, etag(made.version), Json(made)).into_response())
}

/// Checks a system that is not saved.
#[utoipa::path(post, path = "/systems/check", operation_id = "tryOutSystem", request_body = SystemBody,
    responses((status = 200, body = Vec<CheckStepAnswer>)))]
pub async fn try_out(
    State(app): State<App>,
    Body(body): Body<SystemBody>,
) -> Result<Json<Vec<CheckStepAnswer>>, Problem> {
    let faults = body.faults(&app);
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let sign_in = body.sign_in.unwrap_or_default();
    let steps = match app.hub.connect_with(&body.name, &body.profile, &body.address, sign_in) {
        Ok(connector) => connector.check().await,
        Err(hovrel_engine::EngineError::System { error, .. }) => {
            let advice = error.advice().to_owned();
            vec![CheckStep {
                step: "Reach the address".into(),
                state: CheckState::Failed,
                found: error.to_string(),
                advice,
            }]
        }
        Err(e) => return Err(e.into()),
    };
    Ok(Json(steps.into_iter().map(CheckStepAnswer::from).collect()))
}

/// One system.
#[utoipa::path(get, path = "/systems/{id}", operation_id = "getSystem", params(("id" = Uuid, Path)),
    responses((status = 200, body = SystemAnswer)))]
pub async fn one(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let system = SystemAnswer::of(&app, app.hub.store.system(id).await?)?;
    Ok((etag(system.version), Json(system)).into_response())
}

/// Changes address or sign-in. The name stays, since origin marks hold it.
#[utoipa::path(put, path = "/systems/{id}", operation_id = "changeSystem", params(("id" = Uuid, Path)), request_body = SystemBody,
    responses((status = 200, body = SystemAnswer)))]
pub async fn change(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    headers: HeaderMap,
    Body(body): Body<SystemBody>,
) -> Result<Response, Problem> {
    let seen = if_match(&headers)?;
    let system = app.hub.store.system(id).await?;
    let mut faults = body.faults(&app);
    if body.name.trim() != system.name || body.profile != system.profile {
        faults.push(FieldProblem { pointer: "/name".into(), detail: "name and profile stay as they are".into() });
    }
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let sealed = match &body.sign_in {
        Some(sign_in) => app.hub.seal(id, sign_in)?,
        // A sign-in must not be sent to an address it was not entered for.
        None if body.address.trim() != system.address => {
            return Err(Problem::field("/sign_in", "enter the sign-in again when the address changes"));
        }
        None => system.credentials,
    };
    app.hub.store.change_system(id, seen, body.address.trim(), &sealed).await?;
    one(State(app), Path(id)).await
}

/// Removes a system that no route uses.
#[utoipa::path(delete, path = "/systems/{id}", operation_id = "removeSystem", params(("id" = Uuid, Path)),
    responses((status = 204)))]
pub async fn remove(State(app): State<App>, Path(id): Path<Uuid>) -> Result<StatusCode, Problem> {
    let using = app.hub.store.routes().await?.into_iter().filter(|r| r.left_system == id || r.right_system == id);
    let names: Vec<String> = using.map(|r| format!("“{}”", r.name)).collect();
    match names.as_slice() {
        [] => app.hub.store.remove_system(id).await?,
        [one] => return Err(Problem::not_now(format!("The route {one} uses it."), "Remove the route first.")),
        more => {
            let detail = format!("The routes {} use it.", more.join(", "));
            return Err(Problem::not_now(detail, "Remove these routes first."));
        }
    }
    Ok(StatusCode::NO_CONTENT)
}
