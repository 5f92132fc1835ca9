//! What stands in an address, refused with its name: a number that is too large or an id that is none is no missing page.

use axum::extract::FromRequestParts;
use axum::extract::path::{ErrorKind, FailedToDeserializePathParams};
use axum::extract::rejection::PathRejection;
use axum::http::request::Parts;
use serde::de::DeserializeOwned;

use crate::problem::Problem;

/// Parts of an address of type `T`.
pub struct Path<T>(pub T);

impl<T: DeserializeOwned + Send, S: Send + Sync> FromRequestParts<S> for Path<T> {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        match axum::extract::Path::<T>::from_request_parts(parts, state).await {
            Ok(axum::extract::Path(read)) => Ok(Path(read)),
            Err(PathRejection::FailedToDeserializePathParams(failed)) => Err(fault(failed)),
            Err(other) => Err(Problem::internal(other)),
        }
    }
}

fn fault(failed: FailedToDeserializePathParams) -> Problem {
    let text = failed.body_text();
    match failed.into_kind() {
        ErrorKind::ParseErrorAtKey { key, expected_type, .. } => {
            Problem::field(&format!("/{key}"), format!("it is not of the type {expected_type}"))
        }
        ErrorKind::DeserializeError { key, message, .. } => Problem::field(&format!("/{key}"), message),
        ErrorKind::InvalidUtf8InPathParam { key } => Problem::field(&format!("/{key}"), "it is no text in UTF-8"),
        _ => Problem::field("/", text.split_once(": ").map_or(text.clone(), |(_, why)| why.to_owned())),
    }
}
