//! Request bodies as JSON, refused whole with every field at fault (law 10).

use axum::body::Bytes;
use axum::extract::{FromRequest, Request};
use axum::http::StatusCode;
use serde::de::DeserializeOwned;
use serde_json::Value;

use crate::problem::{FieldProblem, Problem};

/// A body of type `T`.
pub struct Body<T>(pub T);

/// More faults than this are not listed.
const MOST_FAULTS: usize = 20;

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Body<T> {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Self, Problem> {
        let unreadable = |detail: String| {
            Problem::new(StatusCode::BAD_REQUEST, "unreadable", "The request can't be read", detail, "Send JSON.")
        };
        let bytes = Bytes::from_request(request, state).await.map_err(|e| unreadable(e.body_text()))?;
        let value: Value = serde_json::from_slice(&bytes).map_err(|e| unreadable(e.to_string()))?;
        parse(value).map(Body).map_err(Problem::fields)
    }
}

/// Reads a value; on a fault, notes it, takes the field away and reads on, so that all are listed.
fn parse<T: DeserializeOwned>(mut value: Value) -> Result<T, Vec<FieldProblem>> {
    let mut faults: Vec<FieldProblem> = Vec::new();
    while faults.len() < MOST_FAULTS {
        let error = match serde_path_to_error::deserialize::<_, T>(value.clone()) {
            Ok(parsed) if faults.is_empty() => return Ok(parsed),
            Ok(_) => break,
            Err(e) => e,
        };
        let detail = error.inner().to_string();
        let mut pointer: String = error.path().iter().map(segment).collect();
        if let Some(name) = quoted(&detail, "unknown field `").or_else(|| quoted(&detail, "missing field `"))
            && !pointer.ends_with(&format!("/{name}"))
        {
            pointer.push_str(&format!("/{name}"));
        }
        if faults.iter().any(|f| f.pointer == pointer) {
            // The field was taken away for its own fault; that it is missing now is no other one.
            break;
        }
        let gone = take_away(&mut value, &pointer);
        faults.push(FieldProblem { pointer, detail });
        if !gone {
            break;
        }
    }
    Err(faults)
}

fn segment(s: &serde_path_to_error::Segment) -> String {
    use serde_path_to_error::Segment;
    match s {
        Segment::Seq { index } => format!("/{index}"),
        Segment::Map { key } => format!("/{}", key.replace('~', "~0").replace('/', "~1")),
        // Variants and unknown places are no places in the JSON.
        Segment::Enum { .. } | Segment::Unknown => String::new(),
    }
}

fn quoted<'t>(text: &'t str, before: &str) -> Option<&'t str> {
    text.split_once(before)?.1.split_once('`').map(|(name, _)| name)
}

fn take_away(value: &mut Value, pointer: &str) -> bool {
    let Some((parent, last)) = pointer.rsplit_once('/') else { return false };
    match value.pointer_mut(parent) {
        Some(Value::Object(map)) => map.remove(&last.replace("~1", "/").replace("~0", "~")).is_some(),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(serde::Deserialize, Debug)]
    #[serde(deny_unknown_fields)]
    #[allow(dead_code)]
    struct Thing {
        name: String,
        size: u32,
    }

    #[test]
    fn every_field_at_fault_is_listed() {
        let body = serde_json::json!({"name": 5, "size": "big", "colour": "red", "weight": 1});
        let mut pointers: Vec<String> = parse::<Thing>(body).unwrap_err().into_iter().map(|f| f.pointer).collect();
        pointers.sort();
        assert_eq!(pointers, ["/colour", "/name", "/size", "/weight"]);
        assert!(parse::<Thing>(serde_json::json!({"name": "a", "size": 1})).is_ok());
        assert_eq!(parse::<Thing>(serde_json::json!({"size": 1})).unwrap_err()[0].pointer, "/name");
    }
}
