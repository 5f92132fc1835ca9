//! The first administrator, signing in and out.

use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Json, extract::State};
use hovrel_store::Session;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::App;
use crate::body::Body;
use crate::problem::{FieldProblem, Problem};
use crate::session;

#[derive(Serialize, ToSchema)]
pub struct Setup {
    /// True until the first administrator is made.
    needs_first_administrator: bool,
}

/// Whether somebody can sign in yet.
#[utoipa::path(get, path = "/setup", operation_id = "getSetup", responses((status = 200, body = Setup)))]
pub async fn setup(State(app): State<App>) -> Result<Json<Setup>, Problem> {
    Ok(Json(Setup { needs_first_administrator: app.hub.store.count_people().await? == 0 }))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FirstAdministrator {
    login: String,
    name: String,
    /// Twelve characters or more.
    password: String,
}

const SHORTEST_PASSWORD: usize = 12;

/// Makes the first administrator; refused once there is one.
#[utoipa::path(post, path = "/setup", operation_id = "makeFirstAdministrator", request_body = FirstAdministrator,
    responses((status = 204), (status = "4XX", body = Problem)))]
pub async fn make_first(State(app): State<App>, Body(new): Body<FirstAdministrator>) -> Result<StatusCode, Problem> {
    let mut faults = Vec::new();
    let mut fault = |pointer: &str, detail: String| faults.push(FieldProblem { pointer: pointer.into(), detail });
    if new.login.trim().is_empty() {
        fault("/login", "a login is needed".into());
    }
    if new.name.trim().is_empty() {
        fault("/name", "a name is needed".into());
    }
    if new.password.chars().count() < SHORTEST_PASSWORD {
        fault("/password", format!("{SHORTEST_PASSWORD} characters or more are needed"));
    }
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    if app.hub.store.count_people().await? > 0 {
        return Err(Problem::not_now("There is an administrator already.", "Sign in."));
    }
    let hash = session::hash_password(new.password).await?;
    app.hub.store.make_person(new.login.trim(), new.name.trim(), &hash).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SignIn {
    login: String,
    password: String,
}

#[derive(Serialize, ToSchema)]
pub struct Me {
    login: String,
    name: String,
    /// To be sent in `x-hovrel-csrf` with requests that change something.
    csrf: String,
}

/// Signs in: sets the session cookie.
#[utoipa::path(post, path = "/session", operation_id = "signIn", request_body = SignIn,
    responses((status = 200, body = Me), (status = "4XX", body = Problem)))]
pub async fn sign_in(State(app): State<App>, Body(given): Body<SignIn>) -> Result<Response, Problem> {
    let person = app.hub.store.person_by_login(given.login.trim()).await?;
    let hash = person.as_ref().map(|p| p.password_hash.clone());
    let verified = session::verify_password(given.password, hash).await;
    let Some(person) = person.filter(|_| verified) else {
        return Err(Problem::new(
            StatusCode::UNAUTHORIZED,
            "sign-in",
            "Login or password is wrong",
            "Nobody signs in with this login and password.",
            "Check both, and mind capital letters.",
        ));
    };
    let (token, csrf) = (session::new_token(), session::new_token());
    let until = chrono::Utc::now() + session::LASTS;
    app.hub.store.begin_session(&session::hash(&token), person.id, &csrf, until).await?;
    let me = Me { login: person.login, name: person.name, csrf };
    Ok(([(header::SET_COOKIE, session::cookie(&token, session::LASTS.as_secs()))], Json(me)).into_response())
}

/// Who is signed in.
#[utoipa::path(get, path = "/session", operation_id = "getSession", responses((status = 200, body = Option<Me>)))]
pub async fn session(State(app): State<App>, headers: HeaderMap) -> Result<Json<Option<Me>>, Problem> {
    let Some(token) = session::token(&headers) else { return Ok(Json(None)) };
    let found = app.hub.store.session(&session::hash(&token)).await?;
    Ok(Json(found.map(|s| Me { login: s.person.login, name: s.person.name, csrf: s.csrf })))
}

/// Signs out: ends the session.
#[utoipa::path(delete, path = "/session", operation_id = "signOut", responses((status = 204)))]
pub async fn sign_out(State(app): State<App>, _: Extension<Session>, headers: HeaderMap) -> Result<Response, Problem> {
    if let Some(token) = session::token(&headers) {
        app.hub.store.end_session(&session::hash(&token)).await?;
    }
    Ok((StatusCode::NO_CONTENT, [(header::SET_COOKIE, session::cookie("", 0))]).into_response())
}
