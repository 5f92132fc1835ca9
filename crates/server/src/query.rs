//! Query parameters, refused with the parameter at fault: a word that means nothing must not look like a list of nothing.

use axum::extract::FromRequestParts;
use axum::extract::rejection::QueryRejection;
use axum::http::request::Parts;
use serde::de::DeserializeOwned;

use crate::problem::Problem;

/// Parameters of type `T`.
pub struct Query<T>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequestParts<S> for Query<T> {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        match axum::extract::Query::<T>::from_request_parts(parts, state).await {
            Ok(axum::extract::Query(read)) => Ok(Query(read)),
            Err(rejection) => Err(fault(&rejection)),
        }
    }
}

/// The rejection says which parameter, and what is wrong with it: `…: kind: unknown variant …`.
fn fault(rejection: &QueryRejection) -> Problem {
    let text = rejection.body_text();
    let said = text.split_once(": ").map_or(text.as_str(), |(_, said)| said);
    match said.split_once(": ") {
        Some((name, detail)) if !name.contains(' ') => Problem::field(&format!("/{name}"), detail),
        _ => Problem::field("", said),
    }
}
