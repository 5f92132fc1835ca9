//! What a key may do. Decided here and nowhere else, by the address that is asked for.
//!
//! Whoever signs in may do everything; a key may do what its maker ticked, and nothing about people, keys and
//! systems' credentials. An address that is not listed is refused: what is new is closed until somebody opens it.

use axum::extract::{MatchedPath, Request};
use axum::http::{Method, StatusCode};
use chrono::Utc;
use hovrel_store::Key;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::problem::Problem;

/// What a key may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum May {
    /// Read systems, routes, plans, proofs.
    Look,
    /// Check and survey systems, make dry runs and proofs: nothing is written outside.
    Plan,
    /// Decide about changes, and transfer them.
    Apply,
    /// Make, change and import routes.
    Routes,
}

impl May {
    pub const ALL: [May; 4] = [May::Look, May::Plan, May::Apply, May::Routes];

    pub fn id(self) -> &'static str {
        match self {
            May::Look => "look",
            May::Plan => "plan",
            May::Apply => "apply",
            May::Routes => "routes",
        }
    }
}

/// What a request asks for; none if no key may.
fn needed(method: &Method, path: &str) -> Option<May> {
    let may = match (method.as_str(), path) {
        ("GET", "/keys" | "/people") => return None,
        ("GET", _) => May::Look,
        // They answer questions about lanes that are not saved.
        ("POST", "/routes/proposal" | "/routes/{id}/checks" | "/routes/{id}/preview") => May::Look,
        ("POST", "/routes/{id}/scope" | "/routes/{id}/suggestions") => May::Look,
        ("POST", "/routes/{id}/met" | "/routes/{id}/met/people") => May::Look,
        ("POST", "/systems/{id}/check" | "/systems/{id}/surveys") => May::Plan,
        ("POST", "/routes/{id}/dry-runs" | "/routes/{id}/proofs") => May::Plan,
        ("PATCH", "/plans/{id}/changes/{seq}") | ("POST", "/plans/{id}/include" | "/plans/{id}/transfer") => May::Apply,
        ("PUT", "/jobs/{id}/wanted" | "/routes/{id}/matches/{lane}") | ("POST", "/jobs/{id}/retry") => May::Apply,
        ("POST", "/routes" | "/routes/file") | ("PUT" | "DELETE", "/routes/{id}") => May::Routes,
        _ => return None,
    };
    Some(may)
}

/// The route that a request is about; none if it is about none.
async fn route_of(app: &App, path: &str, id: Option<Uuid>) -> Result<Option<Uuid>, Problem> {
    let Some(id) = id else { return Ok(None) };
    Ok(match path.split('/').nth(1) {
        Some("routes") => Some(id),
        Some("plans") => Some(app.hub.store.plan(id).await?.route_id),
        Some("jobs") => app.hub.store.job(id).await?.route_id,
        _ => None,
    })
}

/// What a request asks for, as far as access goes.
pub struct Asked {
    method: Method,
    /// The address as the API describes it.
    path: String,
    /// What stands in it for the id.
    id: Option<Uuid>,
}

impl Asked {
    pub fn of(request: &Request) -> Asked {
        let matched = request.extensions().get::<MatchedPath>().map_or("", |p| p.as_str());
        let path = matched.trim_start_matches("/api/v1").to_owned();
        let place = path.split('/').position(|part| part == "{id}");
        let actual = request.uri().path().trim_start_matches("/api/v1");
        let id = place.and_then(|n| actual.split('/').nth(n)).and_then(|id| id.parse().ok());
        Asked { method: request.method().clone(), path, id }
    }
}

/// Refuses what a key may not do, saying what it lacks.
pub async fn check(app: &App, key: &Key, Asked { method, path, id }: &Asked) -> Result<(), Problem> {
    if key.revoked_at.is_some() {
        return Err(ended(format!("The key “{}” was revoked.", key.name)));
    }
    if key.expires_at.is_some_and(|at| at <= Utc::now()) {
        return Err(ended(format!("The key “{}” has expired.", key.name)));
    }
    let narrow = |detail: String| {
        let advice = "Make a key that may, under Keys in the interface, or ask who looks after Hovrel for one.";
        Err(Problem::new(StatusCode::FORBIDDEN, "narrow-key", "The key is not enough", detail, advice))
    };
    let Some(may) = needed(method, path) else {
        return narrow("No key may do this; sign in.".into());
    };
    if !key.may.iter().flatten().any(|m| m == may.id()) {
        return narrow(format!("The key “{}” may not {}.", key.name, may.id()));
    }
    let Some(only) = &key.route_ids else { return Ok(()) };
    let route = route_of(app, path, *id).await?;
    let allowed = match route {
        Some(route) => only.iter().flatten().any(|r| *r == route),
        // What is about no route is looked at, not changed.
        None => may == May::Look || path.starts_with("/systems/"),
    };
    if !allowed {
        return narrow(format!("The key “{}” is for other routes.", key.name));
    }
    Ok(())
}

fn ended(detail: String) -> Problem {
    Problem::new(StatusCode::UNAUTHORIZED, "sign-in", "The key is not valid", detail, "Make a new key under Keys.")
}
