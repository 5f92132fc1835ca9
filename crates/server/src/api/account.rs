//! The first administrator, signing in and out.

use std::time::{Duration, Instant};

use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::{Extension, Json, extract::State};
use hovrel_store::Session;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::body::Body;
use crate::door::listen::Peer;
use crate::door::origin;
use crate::problem::{FieldProblem, Problem};
use crate::{App, password, session};

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
const LONGEST_PASSWORD: usize = 1_000;
const LONGEST_NAME: usize = 200;

/// Makes the first administrator; refused once there is one.
#[utoipa::path(post, path = "/setup", operation_id = "makeFirstAdministrator", request_body = FirstAdministrator,
    responses((status = 204)))]
pub async fn make_first(
    State(app): State<App>,
    headers: HeaderMap,
    Body(new): Body<FirstAdministrator>,
) -> Result<StatusCode, Problem> {
    origin::own(&headers)?;
    let mut faults = Vec::new();
    let mut fault = |pointer: &str, detail: String| faults.push(FieldProblem { pointer: pointer.into(), detail });
    let is_short = |text: &str| (1..=LONGEST_NAME).contains(&text.trim().chars().count());
    if !is_short(&new.login) {
        fault("/login", format!("a login of 1 to {LONGEST_NAME} characters is needed"));
    }
    if !is_short(&new.name) {
        fault("/name", format!("a name of 1 to {LONGEST_NAME} characters is needed"));
    }
    if new.password.chars().count() > LONGEST_PASSWORD {
        fault("/password", format!("{LONGEST_PASSWORD} characters at most"));
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
    let hash = {
        let _place = app.throttle.place().ok_or_else(|| wait(Duration::from_secs(1)))?;
        password::hash(new.password).await?
    };
    match app.hub.store.make_first_person(new.login.trim(), new.name.trim(), &hash).await? {
        Some(_) => Ok(StatusCode::NO_CONTENT),
        None => Err(Problem::not_now("There is an administrator already.", "Sign in.")),
    }
}

/// That somebody has to wait before they may try again.
fn wait(pause: Duration) -> Problem {
    let seconds = pause.as_secs() + 1;
    Problem::new(
        StatusCode::TOO_MANY_REQUESTS,
        "too-often",
        "Too many tries",
        format!("Signing in may be tried again in {seconds} s."),
        "Wait so long, then try once more.",
    )
    .retry_after(seconds)
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
    responses((status = 200, body = Me)))]
pub async fn sign_in(
    State(app): State<App>,
    peer: Option<Extension<Peer>>,
    headers: HeaderMap,
    Body(given): Body<SignIn>,
) -> Result<Response, Problem> {
    origin::own(&headers)?;
    let (login, from) = (given.login.trim(), peer.map(|Extension(Peer(ip))| ip));
    // Longer ones are nobody's.
    if login.chars().count() > LONGEST_NAME || given.password.chars().count() > LONGEST_PASSWORD {
        return Err(Problem::field("/login", "a login or password is never this long"));
    }
    app.throttle.begin(login, from, Instant::now()).map_err(wait)?;
    let place = app.throttle.place().ok_or_else(|| wait(Duration::from_secs(1)))?;
    let person = app.hub.store.person_by_login(login).await?;
    let hash = person.as_ref().map(|p| p.password_hash.clone());
    let verified = password::is_right(given.password, hash).await;
    drop(place);
    if verified {
        app.throttle.was_right(login, from);
    }
    let Some(person) = person.filter(|_| verified) else {
        return Err(Problem::new(
            StatusCode::UNAUTHORIZED,
            "sign-in",
            "Login or password is wrong",
            "There is no user with this login and password.",
            "Check both, and mind capital letters.",
        ));
    };
    let (token, csrf) = (session::new_token(), session::new_token());
    let until = app.hub.now() + session::LASTS;
    app.hub.store.begin_session(&session::hash(&token), person.id, &csrf, until).await?;
    let me = Me { login: person.login, name: person.name, csrf };
    let cookie = session::cookie(&token, session::LASTS.as_secs() as i64, origin::is_over_tls(&headers));
    Ok(([(header::SET_COOKIE, cookie)], Json(me)).into_response())
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
    Ok((StatusCode::NO_CONTENT, [(header::SET_COOKIE, session::cookie("", 0, origin::is_over_tls(&headers)))])
        .into_response())
}
