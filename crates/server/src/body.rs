//! Request bodies as JSON, refused whole with every field at fault (law 10).

use axum::body::Bytes;
use axum::extract::{FromRequest, Request};
use axum::http::StatusCode;
use hovrel_intake::parse;
use serde::de::DeserializeOwned;
use serde_json::Value;

use crate::problem::Problem;

/// A body of type `T`.
pub struct Body<T>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Body<T> {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Self, Problem> {
        let unreadable = |detail: String| {
            Problem::new(StatusCode::BAD_REQUEST, "unreadable", "The request can't be read", detail, "Send JSON.")
        };
        let bytes = Bytes::from_request(request, state).await.map_err(|e| unreadable(e.body_text()))?;
        let value: Value = serde_json::from_slice(&bytes).map_err(|e| unreadable(e.to_string()))?;
        parse(value).map(Body).map_err(Problem::faults)
    }
}
