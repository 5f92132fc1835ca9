//! Fernway's sign-in: access tokens for a client's own credentials (RFC 6749 §4.4).

use std::collections::HashMap;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use axum::Json;
use axum::extract::{Form, State as Extract};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use base64::Engine;
use serde::Deserialize;
use serde_json::json;

use super::{CLIENT, SECRET, Server};

pub struct Tokens {
    good_for: Duration,
    given: Mutex<HashMap<String, Instant>>,
}

impl Tokens {
    pub fn new(seconds: u64) -> Tokens {
        Tokens { good_for: Duration::from_secs(seconds), given: Mutex::default() }
    }

    pub fn holds(&self, token: &str) -> bool {
        let given = self.given.lock().unwrap_or_else(|e| e.into_inner());
        given.get(token).is_some_and(|at| at.elapsed() < self.good_for)
    }

    fn give(&self) -> String {
        let mut given = self.given.lock().unwrap_or_else(|e| e.into_inner());
        given.retain(|_, at| at.elapsed() < self.good_for);
        let token = format!("fw-{:032x}", rand::random::<u128>());
        given.insert(token.clone(), Instant::now());
        token
    }
}

#[derive(Deserialize)]
pub struct Asked {
    grant_type: Option<String>,
}

/// The token endpoint: the client names itself by HTTP Basic (RFC 6749 §2.3.1), errors are those of §5.2.
pub async fn token(Extract(server): Extract<Server>, headers: HeaderMap, Form(asked): Form<Asked>) -> Response {
    let error = |status: StatusCode, code: &str| (status, no_store(), Json(json!({"error": code}))).into_response();
    if asked.grant_type.as_deref() != Some("client_credentials") {
        return error(StatusCode::BAD_REQUEST, "unsupported_grant_type");
    }
    let given = headers.get(header::AUTHORIZATION).and_then(|v| v.to_str().ok()?.strip_prefix("Basic "));
    let known = base64::engine::general_purpose::STANDARD.encode(format!("{CLIENT}:{SECRET}"));
    if given != Some(known.as_str()) {
        let mut answer = error(StatusCode::UNAUTHORIZED, "invalid_client");
        answer.headers_mut().insert(header::WWW_AUTHENTICATE, header::HeaderValue::from_static("Basic"));
        return answer;
    }
    let seconds = server.tokens.good_for.as_secs();
    let body = json!({"access_token": server.tokens.give(), "token_type": "Bearer", "expires_in": seconds});
    (no_store(), Json(body)).into_response()
}

fn no_store() -> [(header::HeaderName, &'static str); 1] {
    [(header::CACHE_CONTROL, "no-store")]
}
