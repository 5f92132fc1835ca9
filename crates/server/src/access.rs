//! What a key may do. Decided here and nowhere else, by the address that is asked for.
//!
//! Whoever signs in may do everything; a key may do what its maker ticked, and nothing about people, keys and
//! systems' credentials. An address that is not listed is refused: what is new is closed until somebody opens it.

use std::collections::{HashMap, HashSet};

use axum::RequestExt;
use axum::extract::{MatchedPath, RawPathParams, Request};
use axum::http::{Method, StatusCode};
use chrono::{DateTime, Utc};
use hovrel_store::{Job, Key};
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
    DryRun,
    /// Decide about changes, and transfer them.
    Transfer,
    /// Make, change and import routes.
    Routes,
}

impl May {
    pub const ALL: [May; 4] = [May::Look, May::DryRun, May::Transfer, May::Routes];

    pub fn id(self) -> &'static str {
        match self {
            May::Look => "look",
            May::DryRun => "dry_run",
            May::Transfer => "transfer",
            May::Routes => "routes",
        }
    }

    /// As people read it.
    fn name(self) -> &'static str {
        match self {
            May::DryRun => "dry run",
            other => other.id(),
        }
    }
}

/// What a request asks for; none if no key may.
fn needed(method: &Method, path: &str) -> Option<May> {
    let may = match (method.as_str(), path) {
        ("GET", "/keys" | "/people") => return None,
        ("GET", _) => May::Look,
        // They answer questions about lanes that are not saved.
        (
            "POST",
            "/routes/proposal" | "/routes/{id}/checks" | "/routes/{id}/preview" | "/routes/{id}/preview/return",
        ) => May::Look,
        ("POST", "/routes/{id}/scope" | "/routes/{id}/suggestions") => May::Look,
        ("POST", "/routes/{id}/met" | "/routes/{id}/met/people" | "/routes/{id}/turned") => May::Look,
        ("POST", "/systems/{id}/check" | "/systems/{id}/surveys") => May::DryRun,
        ("POST", "/routes/{id}/dry-runs" | "/routes/{id}/proofs") => May::DryRun,
        ("PATCH", "/plans/{id}/changes/{seq}")
        | ("POST", "/plans/{id}/include" | "/plans/{id}/transfer" | "/plans/{id}/decide" | "/plans/{id}/undo") => {
            May::Transfer
        }
        ("POST", "/conflicts/settle" | "/conflicts/reopen") => May::Transfer,
        ("PUT", "/jobs/{id}/wanted" | "/routes/{id}/matches/{lane}") | ("POST", "/jobs/{id}/retry") => May::Transfer,
        ("POST", "/routes" | "/routes/file") | ("PUT" | "DELETE", "/routes/{id}") => May::Routes,
        ("PUT", "/routes/{id}/name" | "/routes/{id}/versions/{version}/note") => May::Routes,
        _ => return None,
    };
    Some(may)
}

/// What of Hovrel somebody sees. A key for some routes sees these, and of systems the projects that they connect.
#[derive(Debug, Clone)]
pub enum Reach {
    Everything,
    Only { routes: HashSet<Uuid>, ends: HashSet<(Uuid, String)> },
}

impl Reach {
    async fn of(app: &App, only: &[Option<Uuid>]) -> Result<Reach, Problem> {
        let routes: HashSet<Uuid> = only.iter().flatten().copied().collect();
        let all = app.hub.store.routes().await?.into_iter().filter(|r| routes.contains(&r.id));
        let ends = all.flat_map(|r| [(r.left_system, r.left_container), (r.right_system, r.right_container)]);
        Ok(Reach::Only { ends: ends.collect(), routes })
    }

    pub fn route(&self, id: Uuid) -> bool {
        match self {
            Reach::Everything => true,
            Reach::Only { routes, .. } => routes.contains(&id),
        }
    }

    /// The routes within reach that are asked for, one or all of them; none if that is all there are.
    pub fn routes(&self, asked: Option<Uuid>) -> Option<Vec<Uuid>> {
        match (self, asked) {
            (_, Some(route)) => Some(vec![route].into_iter().filter(|r| self.route(*r)).collect()),
            (Reach::Everything, None) => None,
            (Reach::Only { routes, .. }, None) => Some(routes.iter().copied().collect()),
        }
    }

    pub fn system(&self, id: Uuid) -> bool {
        match self {
            Reach::Everything => true,
            Reach::Only { ends, .. } => ends.iter().any(|(system, _)| *system == id),
        }
    }

    pub fn container(&self, system: Uuid, container: &str) -> bool {
        match self {
            Reach::Everything => true,
            Reach::Only { ends, .. } => ends.contains(&(system, container.to_owned())),
        }
    }

    /// A job is of a route, or it surveys a project.
    pub fn job(&self, job: &Job) -> bool {
        match (job.route_id, job.system_id, &job.container) {
            (Some(route), ..) => self.route(route),
            (None, Some(system), Some(container)) => self.container(system, container),
            _ => matches!(self, Reach::Everything),
        }
    }
}

/// What a request asks for, as far as access goes: the address as the API describes it, and what the router read in it.
pub struct Asked {
    method: Method,
    path: String,
    parts: HashMap<String, String>,
}

impl Asked {
    /// What can't be read is refused: nobody may pass by what is written in a way that only the operation understands.
    pub async fn of(request: &mut Request) -> Result<Asked, Problem> {
        let unreadable = || Problem::field("/", "the address can't be read");
        let matched = request.extensions().get::<MatchedPath>().map_or("", |p| p.as_str());
        let path = matched.trim_start_matches("/api/v1").to_owned();
        let method = request.method().clone();
        let read = request.extract_parts::<RawPathParams>().await.map_err(|_| unreadable())?;
        let parts: HashMap<String, String> =
            read.iter().map(|(name, value)| (name.to_owned(), value.to_owned())).collect();
        match path.split('/').filter_map(|p| p.strip_prefix('{')?.strip_suffix('}')).all(|p| parts.contains_key(p)) {
            true => Ok(Asked { method, path, parts }),
            false => Err(unreadable()),
        }
    }

    /// The id in the address; none where there is none.
    fn id(&self) -> Result<Option<Uuid>, Problem> {
        let read = |text: &String| text.parse().map_err(|_| Problem::field("/id", "it is not an id"));
        self.parts.get("id").map(read).transpose()
    }
}

/// Whether a key with this reach may ask at this address. Lists without an id show only what is within reach; whatever is
/// not named here is closed.
async fn is_within(app: &App, reach: &Reach, asked: &Asked) -> Result<bool, Problem> {
    let id = asked.id()?;
    Ok(match (asked.path.split('/').nth(1).unwrap_or_default(), id) {
        ("routes", Some(id)) => reach.route(id),
        ("plans", Some(id)) => reach.route(app.hub.store.plan(id).await?.route_id),
        ("jobs", Some(id)) => reach.job(&app.hub.store.job(id).await?),
        ("systems", Some(id)) => match asked.parts.get("container") {
            Some(container) => reach.container(id, container),
            None => reach.system(id),
        },
        ("conflicts", Some(id)) => reach.route(app.hub.store.conflict(id).await?.route_id),
        ("routes" | "systems" | "conflicts" | "record" | "overview" | "find" | "profiles" | "signing-key", None) => {
            asked.method == Method::GET
        }
        _ => false,
    })
}

/// Whether a key counts: it was not revoked, and has not expired.
pub fn is_good(key: &Key, now: DateTime<Utc>) -> Result<(), Problem> {
    if key.revoked_at.is_some() {
        return Err(ended(format!("Access key “{}” was revoked.", key.name)));
    }
    if key.expires_at.is_some_and(|at| at <= now) {
        return Err(ended(format!("Access key “{}” has expired.", key.name)));
    }
    Ok(())
}

/// Refuses what a key may not do, saying what it lacks; what it may see.
pub async fn check(app: &App, key: &Key, asked: &Asked) -> Result<Reach, Problem> {
    is_good(key, app.hub.now())?;
    let narrow = |detail: String| {
        let advice = "Create a key with this permission under Access keys, or ask your administrator for one.";
        Err(Problem::new(StatusCode::FORBIDDEN, "narrow-key", "The access key does not allow this", detail, advice))
    };
    let Some(may) = needed(&asked.method, &asked.path) else {
        return narrow("Access keys can't do this; sign in.".into());
    };
    if !key.may.iter().flatten().any(|m| m == may.id()) {
        return narrow(format!("Key “{}” lacks the permission “{}”.", key.name, may.name()));
    }
    let Some(only) = &key.route_ids else { return Ok(Reach::Everything) };
    let reach = Reach::of(app, only).await?;
    match is_within(app, &reach, asked).await? {
        true => Ok(reach),
        false => narrow(format!("Access key “{}” is for other routes.", key.name)),
    }
}

fn ended(detail: String) -> Problem {
    Problem::new(
        StatusCode::UNAUTHORIZED,
        "sign-in",
        "The access key is not valid",
        detail,
        "Create a new one under Access keys.",
    )
}
