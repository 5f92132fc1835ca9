//! Request bodies as JSON, refused whole with every field at fault (law 10).

use axum::body::Bytes;
use axum::extract::{FromRequest, OptionalFromRequest, Request};
use axum::http::StatusCode;
use hovrel_intake::{escaped, parse};
use serde::de::DeserializeOwned;
use serde_json::Value;

use crate::problem::{FieldProblem, Problem};

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
    Bytes::from_request(request, state).await.map_err(|e| match e.status() {
        StatusCode::PAYLOAD_TOO_LARGE => {
            let detail = format!("A request holds {} MiB at most.", crate::LARGEST_BODY / 1024 / 1024);
            let advice = "Send less at once.";
            Problem::new(StatusCode::PAYLOAD_TOO_LARGE, "too-large", "The request is too large", detail, advice)
        }
        _ => unreadable(e.body_text()),
    })
}

fn read<T: DeserializeOwned>(bytes: &[u8]) -> Result<Body<T>, Problem> {
    let value: Value = serde_json::from_slice(bytes).map_err(|e| unreadable(e.to_string()))?;
    let mut faults = Vec::new();
    texts(&value, &mut String::new(), &mut faults);
    if !faults.is_empty() {
        return Err(Problem::fields(faults));
    }
    parse(value).map(Body).map_err(Problem::faults)
}

/// Texts and names that no database takes.
fn texts(value: &Value, pointer: &mut String, faults: &mut Vec<FieldProblem>) {
    let before = pointer.len();
    let fault =
        |pointer: &str| FieldProblem { pointer: pointer.to_owned(), detail: "NUL can't stand in a text".into() };
    match value {
        Value::String(text) if text.contains('\0') => faults.push(fault(pointer)),
        Value::Array(list) => {
            for (n, inner) in list.iter().enumerate() {
                pointer.push_str(&format!("/{n}"));
                texts(inner, pointer, faults);
                pointer.truncate(before);
            }
        }
        Value::Object(map) => {
            for (name, inner) in map {
                if name.contains('\0') {
                    faults.push(fault(pointer));
                }
                pointer.push('/');
                pointer.push_str(&escaped(name).replace('\0', "\u{FFFD}"));
                texts(inner, pointer, faults);
                pointer.truncate(before);
            }
        }
        _ => {}
    }
}

fn unreadable(detail: String) -> Problem {
    Problem::new(StatusCode::BAD_REQUEST, "unreadable", "The request can't be read", detail, "Send JSON.")
}
