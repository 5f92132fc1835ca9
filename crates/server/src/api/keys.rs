//! Keys for pipelines: made by a person, shown once, revoked at any time.

use axum::extract::State;
use axum::http::StatusCode;
use axum::{Extension, Json};
use chrono::{DateTime, Utc};
use hovrel_store::{Key, NewKey, Session};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::access::May;
use crate::body::Body;
use crate::path::Path;
use crate::problem::{FieldProblem, Problem};
use crate::{App, session};

/// A key, without the key itself.
#[derive(Serialize, ToSchema)]
pub struct KeyAnswer {
    id: Uuid,
    name: String,
    may: Vec<May>,
    /// The routes that it may touch; none if any.
    routes: Option<Vec<Uuid>>,
    made_by: String,
    made_at: DateTime<Utc>,
    expires_at: Option<DateTime<Utc>>,
    used_at: Option<DateTime<Utc>>,
    revoked_at: Option<DateTime<Utc>>,
}

impl KeyAnswer {
    fn of((key, made_by): (Key, String)) -> KeyAnswer {
        KeyAnswer {
            may: May::ALL.into_iter().filter(|m| key.may.iter().flatten().any(|k| k == m.id())).collect(),
            routes: key.route_ids.map(|ids| ids.into_iter().flatten().collect()),
            id: key.id,
            name: key.name,
            made_by,
            made_at: key.made_at,
            expires_at: key.expires_at,
            used_at: key.used_at,
            revoked_at: key.revoked_at,
        }
    }
}

/// Every key that was made, the latest first.
#[utoipa::path(get, path = "/keys", operation_id = "listKeys", responses((status = 200, body = Vec<KeyAnswer>)))]
pub async fn list(State(app): State<App>) -> Result<Json<Vec<KeyAnswer>>, Problem> {
    Ok(Json(app.hub.store.keys().await?.into_iter().map(KeyAnswer::of).collect()))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct KeyBody {
    /// What it is for.
    name: String,
    may: Vec<May>,
    /// The routes that it may touch; none for any.
    routes: Option<Vec<Uuid>>,
    /// None for a key that lasts until it is revoked.
    expires_at: Option<DateTime<Utc>>,
}

/// A new key. It is not kept and can't be shown again.
#[derive(Serialize, ToSchema)]
pub struct NewKeyAnswer {
    id: Uuid,
    key: String,
}

/// Makes a key.
#[utoipa::path(post, path = "/keys", operation_id = "makeKey", request_body = KeyBody,
    responses((status = 201, body = NewKeyAnswer)))]
pub async fn make(
    State(app): State<App>,
    Extension(session): Extension<Session>,
    Body(body): Body<KeyBody>,
) -> Result<(StatusCode, Json<NewKeyAnswer>), Problem> {
    let mut faults = super::routes::name_faults(&body.name);
    let mut fault = |pointer: &str, detail: &str| {
        faults.push(FieldProblem { pointer: pointer.into(), detail: detail.into() });
    };
    if body.may.is_empty() {
        fault("/may", "choose what the key can do");
    }
    if body.expires_at.is_some_and(|at| at <= app.hub.now()) {
        fault("/expires_at", "this time is over");
    }
    if let Some(routes) = &body.routes {
        let known = app.hub.store.routes().await?;
        if routes.is_empty() || routes.iter().any(|id| !known.iter().any(|r| r.id == *id)) {
            fault("/routes", "choose one or more existing routes, or none for all");
        }
    }
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    let key = format!("hovrel_{}", session::new_token());
    let new = NewKey {
        id: Uuid::now_v7(),
        name: body.name.trim(),
        hash: &session::hash(&key),
        may: May::ALL.into_iter().filter(|m| body.may.contains(m)).map(May::id).collect(),
        route_ids: body.routes.as_deref(),
        made_by: session.person.id,
        expires_at: body.expires_at,
    };
    app.hub.store.make_key(&new).await?;
    Ok((StatusCode::CREATED, Json(NewKeyAnswer { id: new.id, key })))
}

/// Revokes a key: whatever uses it is refused from now on.
#[utoipa::path(delete, path = "/keys/{id}", operation_id = "revokeKey", params(("id" = Uuid, Path)),
    responses((status = 204)))]
pub async fn revoke(State(app): State<App>, Path(id): Path<Uuid>) -> Result<StatusCode, Problem> {
    app.hub.store.revoke_key(id).await?;
    Ok(StatusCode::NO_CONTENT)
}
