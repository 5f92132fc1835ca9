//! Errors as problem details (RFC 9457): a stable `type`, what happened, which field, what to do.

use axum::Json;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use hovrel_engine::EngineError;
use hovrel_store::StoreError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A problem, as RFC 9457 §3 describes it, with the fields at fault and advice.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Problem {
    /// Stable; `/problems/` and a word.
    #[serde(rename = "type")]
    pub type_uri: String,
    pub title: String,
    pub status: u16,
    pub detail: String,
    /// What to do about it.
    pub advice: String,
    /// The fields at fault, by JSON Pointer (RFC 6901).
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub fields: Vec<FieldProblem>,
    /// Seconds after which it may be tried again; told as Retry-After (RFC 9110 §10.2.3).
    #[serde(skip)]
    pub retry_after: Option<u64>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct FieldProblem {
    pub pointer: String,
    pub detail: String,
}

impl Problem {
    pub fn new(status: StatusCode, word: &str, title: &str, detail: impl Into<String>, advice: &str) -> Problem {
        Problem {
            type_uri: format!("/problems/{word}"),
            title: title.to_owned(),
            status: status.as_u16(),
            detail: detail.into(),
            advice: advice.to_owned(),
            fields: Vec::new(),
            retry_after: None,
        }
    }

    pub fn retry_after(mut self, seconds: u64) -> Problem {
        self.retry_after = Some(seconds);
        self
    }

    pub fn missing(what: &str) -> Problem {
        Problem::new(
            StatusCode::NOT_FOUND,
            "missing",
            "Not found",
            format!("{what} does not exist."),
            "It may have been removed; go back and look.",
        )
    }

    pub fn fields(fields: Vec<FieldProblem>) -> Problem {
        let detail = fields.iter().map(|f| format!("{}: {}", f.pointer, f.detail)).collect::<Vec<_>>().join("; ");
        let mut p = Problem::new(
            StatusCode::UNPROCESSABLE_ENTITY,
            "fields",
            "Some fields are wrong",
            detail,
            "Correct the fields named and send it again. Nothing was saved.",
        );
        p.fields = fields;
        p
    }

    /// A body that could not be read.
    pub fn faults(faults: Vec<hovrel_intake::Fault>) -> Problem {
        let field = |f: hovrel_intake::Fault| FieldProblem { pointer: f.pointer, detail: f.detail };
        Problem::fields(faults.into_iter().map(field).collect())
    }

    pub fn field(pointer: &str, detail: impl Into<String>) -> Problem {
        Problem::fields(vec![FieldProblem { pointer: pointer.to_owned(), detail: detail.into() }])
    }

    /// What nobody but the log can explain.
    pub fn internal(error: impl std::fmt::Display) -> Problem {
        tracing::error!("{error}");
        Problem::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "internal",
            "Error in Hovrel",
            error.to_string(),
            "Check Hovrel's log.",
        )
    }

    pub fn not_now(detail: impl Into<String>, advice: &str) -> Problem {
        Problem::new(StatusCode::CONFLICT, "not-now", "This can't be done now", detail, advice)
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        let retry_after = self.retry_after;
        let mut response = (status, Json(self)).into_response();
        response.headers_mut().insert(header::CONTENT_TYPE, HeaderValue::from_static("application/problem+json"));
        if let Some(seconds) = retry_after {
            response.headers_mut().insert(header::RETRY_AFTER, HeaderValue::from(seconds));
        }
        response
    }
}

impl From<StoreError> for Problem {
    fn from(e: StoreError) -> Problem {
        match e {
            StoreError::Missing(what) => Problem::missing(what),
            StoreError::Exists(what) if what == "one_transfer_per_route" => {
                Problem::not_now("A transfer of this route is not over yet.", "Wait until it ends, or stop it.")
            }
            StoreError::Exists(_) => Problem::field("/name", "this name is already used"),
            StoreError::InUse(_) => Problem::not_now("A route still uses it.", "Remove the route first."),
            StoreError::Stale { current } => Problem::new(
                StatusCode::PRECONDITION_FAILED,
                "stale",
                "It was saved by another person meanwhile",
                format!("The current version is {current}."),
                "Load it again, and repeat your change.",
            ),
            StoreError::Away(why) => {
                tracing::warn!("the database can't be reached: {why}");
                Problem::new(
                    StatusCode::SERVICE_UNAVAILABLE,
                    "database-away",
                    "The database can't be reached",
                    "Hovrel keeps everything in PostgreSQL, which does not answer.",
                    "Wait a moment and try again. Running jobs continue by themselves when it is back.",
                )
                .retry_after(5)
            }
            other => {
                tracing::error!("{other}");
                Problem::new(
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "internal",
                    "Error in Hovrel",
                    "The database reported an error.",
                    "Try again; if it keeps failing, check Hovrel's log.",
                )
            }
        }
    }
}

impl From<EngineError> for Problem {
    fn from(e: EngineError) -> Problem {
        match e {
            EngineError::Store(e) => e.into(),
            EngineError::System { system, error } => Problem::new(
                // RFC 4918 §11.4: what was asked depends on something else, which failed. Numbers of 500 and more say that
                // Hovrel itself is at fault.
                StatusCode::FAILED_DEPENDENCY,
                "system",
                &format!("{system} gave an unexpected answer"),
                error.to_string(),
                error.advice(),
            ),
            EngineError::NoProfile(name) => Problem::field("/profile", format!("no profile is called {name}")),
            other => Problem::internal(other),
        }
    }
}

impl From<serde_json::Error> for Problem {
    fn from(e: serde_json::Error) -> Problem {
        EngineError::from(e).into()
    }
}
