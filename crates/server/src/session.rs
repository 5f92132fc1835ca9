//! Sign-in: a session cookie, and a token against forged requests.
//!
//! The cookie is http-only and same-site; the database holds only its hash. Requests that change
//! something must also carry the session's token in a header, which another site can't read.

use std::time::Duration;

use axum::extract::{Request, State};
use axum::http::{HeaderMap, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use cookie::{Cookie, SameSite};

use hovrel_store::Session;

use crate::problem::Problem;
use crate::{App, access};

const COOKIE: &str = "hovrel_session";
pub const CSRF_HEADER: &str = "x-hovrel-csrf";
pub const LASTS: Duration = Duration::from_secs(12 * 3600);

/// Paths that need no session.
const OPEN: [&str; 3] = ["/setup", "/session", "/openapi.json"];

/// What a request showed: by it, whoever answers for long can see whether it still counts.
#[derive(Clone)]
pub struct Shown {
    hash: Vec<u8>,
    by_key: bool,
}

impl Shown {
    /// Whether the session or the key still counts. A database that is away for a moment ends nothing.
    pub async fn still_counts(&self, app: &App) -> bool {
        if self.by_key {
            return match app.hub.store.key_by_hash(&self.hash).await {
                Ok(found) => found.is_some_and(|(key, _)| access::is_good(&key, app.hub.now()).is_ok()),
                Err(_) => true,
            };
        }
        app.hub.store.session(&self.hash).await.map_or(true, |found| found.is_some())
    }
}

pub async fn guard(State(app): State<App>, mut request: Request, next: Next) -> Response {
    if OPEN.contains(&request.uri().path()) && request.method() != Method::DELETE {
        return next.run(request).await;
    }
    match let_in(&app, &mut request).await {
        Ok(()) => next.run(request).await,
        Err(refused) => refused.into_response(),
    }
}

/// Whether a request may go on; who asks, and what they may see, goes with it.
async fn let_in(app: &App, request: &mut Request) -> Result<(), Problem> {
    if let Some(shown) = bearer(request.headers()) {
        let asked = access::Asked::of(request).await?;
        let (session, reach) = by_key(app, &shown, &asked).await?;
        request.extensions_mut().insert(Shown { hash: hash(&shown), by_key: true });
        request.extensions_mut().insert(session);
        request.extensions_mut().insert(reach);
        return Ok(());
    }
    let unknown = || {
        Problem::new(
            StatusCode::UNAUTHORIZED,
            "sign-in",
            "Sign in first",
            "There is no session, or it has ended.",
            "Sign in.",
        )
    };
    let hash = token(request.headers()).map(|t| hash(&t)).ok_or_else(unknown)?;
    let session = app.hub.store.session(&hash).await?.ok_or_else(unknown)?;
    let safe = matches!(*request.method(), Method::GET | Method::HEAD);
    let carried = request.headers().get(CSRF_HEADER).and_then(|v| v.to_str().ok());
    if !safe && carried != Some(session.csrf.as_str()) {
        return Err(Problem::new(
            StatusCode::FORBIDDEN,
            "forged",
            "The request lacks its token",
            format!("Requests that change something need the session's token in {CSRF_HEADER}."),
            "Load the page again.",
        ));
    }
    request.extensions_mut().insert(Shown { hash, by_key: false });
    request.extensions_mut().insert(session);
    request.extensions_mut().insert(access::Reach::Everything);
    Ok(())
}

/// The key in the authorization header (RFC 6750 §2.1).
fn bearer(headers: &HeaderMap) -> Option<String> {
    let value = headers.get(header::AUTHORIZATION)?.to_str().ok()?;
    let (scheme, key) = value.split_once(' ')?;
    scheme.eq_ignore_ascii_case("bearer").then(|| key.trim().to_owned())
}

/// What a key stands for, if it may do what is asked.
async fn by_key(app: &App, shown: &str, asked: &access::Asked) -> Result<(Session, access::Reach), Problem> {
    let Some((key, person)) = app.hub.store.key_by_hash(&hash(shown)).await? else {
        return Err(Problem::new(
            StatusCode::UNAUTHORIZED,
            "sign-in",
            "The access key is not valid",
            "There is no such access key.",
            "Check that all of it was copied; create a new one under Access keys if it is lost.",
        ));
    };
    let reach = access::check(app, &key, asked).await?;
    Ok((Session { person, csrf: String::new(), key: Some(key) }, reach))
}

/// The token in the session cookie.
pub fn token(headers: &HeaderMap) -> Option<String> {
    let cookies = headers.get_all(header::COOKIE).iter().filter_map(|v| v.to_str().ok());
    let found = cookies.flat_map(Cookie::split_parse).filter_map(Result::ok).find(|c| c.name() == COOKIE);
    found.map(|c| c.value().to_owned())
}

pub fn hash(token: &str) -> Vec<u8> {
    blake3::hash(token.as_bytes()).as_bytes().to_vec()
}

pub fn new_token() -> String {
    URL_SAFE_NO_PAD.encode(rand::random::<[u8; 32]>())
}

/// A cookie that lasts `seconds`; 0 removes it. One that was set over TLS goes over nothing else.
pub fn cookie(token: &str, seconds: i64, over_tls: bool) -> String {
    Cookie::build((COOKIE, token))
        .path("/")
        .http_only(true)
        .same_site(SameSite::Strict)
        .max_age(cookie::time::Duration::seconds(seconds))
        .secure(over_tls)
        .to_string()
}
