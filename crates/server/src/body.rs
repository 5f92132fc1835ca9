//! Request bodies as JSON, refused whole with every field at fault (law 10).

use axum::body::Bytes;
use axum::extract::{FromRequest, OptionalFromRequest, Request};
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
        read(&bytes_of(request, state).await?)
    }
}

/// A body that may be left out.
impl<T: DeserializeOwned, S: Send + Sync> OptionalFromRequest<S> for Body<T> {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Option<Self>, Problem> {
        let bytes = bytes_of(request, state).await?;
        if bytes.is_empty() { Ok(None) } else { read(&bytes).map(Some) }
    }
}

async fn bytes_of<S: Send + Sync>(request: Request, state: &S) -> Result<Bytes, Problem> {
    Bytes::from_request(request, state).await.map_err(|e| unreadable(e.body_text()))
}

fn read<T: DeserializeOwned>(bytes: &[u8]) -> Result<Body<T>, Problem> {
    let value: Value = serde_json::from_slice(bytes).map_err(|e| unreadable(e.to_string()))?;
    parse(value).map(Body).map_err(Problem::faults)
}

fn unreadable(detail: String) -> Problem {
    Problem::new(StatusCode::BAD_REQUEST, "unreadable", "The request can't be read", detail, "Send JSON.")
}
