//! Request bodies as JSON, refused whole with every field at fault (law 10).

use std::collections::{HashMap, VecDeque};

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

/// Reads a value; on a fault, notes it, puts something readable in its place and reads on, so that all are listed.
pub fn parse<T: DeserializeOwned>(mut value: Value) -> Result<T, Vec<FieldProblem>> {
    let mut faults: Vec<FieldProblem> = Vec::new();
    let mut stand_ins: HashMap<String, VecDeque<Value>> = HashMap::new();
    while faults.len() < MOST_FAULTS {
        let error = match serde_path_to_error::deserialize::<_, T>(value.clone()) {
            Ok(parsed) if faults.is_empty() => return Ok(parsed),
            Ok(_) => break,
            Err(e) => e,
        };
        let detail = error.inner().to_string();
        let mut pointer: String = error.path().iter().map(segment).collect();
        let unknown = quoted(&detail, "unknown field `");
        if let Some(name) = unknown.or_else(|| quoted(&detail, "missing field `"))
            && !pointer.ends_with(&format!("/{name}"))
        {
            pointer.push_str(&format!("/{name}"));
        }
        let pointer = real_pointer(&value, &pointer);
        // What stands in for a fault may be none of it, too; that is no other fault.
        let told =
            faults.iter().any(|f| pointer.strip_prefix(&f.pointer).is_some_and(|r| r.is_empty() || r.starts_with('/')));
        let left = stand_ins.entry(pointer.clone()).or_insert_with(|| stand_ins_for(&detail));
        let next = left.pop_front();
        let unknown = unknown.is_some();
        if !told {
            faults.push(FieldProblem { pointer: pointer.clone(), detail });
        }
        let goes_on = match next {
            _ if unknown => take_away(&mut value, &pointer),
            Some(next) => put(&mut value, &pointer, next),
            None => false,
        };
        if !goes_on {
            break;
        }
    }
    Err(faults)
}

/// Values that may be read where another could not, told from what was expected there.
fn stand_ins_for(detail: &str) -> VecDeque<Value> {
    let expected = detail.rsplit_once("expected ").map_or("", |(_, e)| e);
    if expected.contains('`') {
        // One of several words; which of them need something more with them is not told.
        return expected.split('`').skip(1).step_by(2).map(Value::from).collect();
    }
    let any = [Value::from("x"), 1.into(), true.into(), Value::Array(Vec::new()), serde_json::json!({})];
    match expected {
        e if e.starts_with("a sequence") => [Value::Array(Vec::new())].into(),
        e if e.starts_with("a map") || e.starts_with("struct") => [serde_json::json!({})].into(),
        _ => any.into(),
    }
}

/// The pointer to where a path leads that does not name the variants on its way.
fn real_pointer(value: &Value, pointer: &str) -> String {
    let (mut at, mut out) = (Some(value), String::new());
    for part in pointer.split('/').skip(1) {
        let name = unescaped(part);
        // A variant with something in it is a map with one member.
        if let Some(Value::Object(map)) = at
            && !map.contains_key(&name)
            && let Some((variant, inner @ (Value::Object(_) | Value::Array(_)))) = map.iter().next()
            && map.len() == 1
            && inner.pointer(&format!("/{part}")).is_some()
        {
            out.push_str(&format!("/{}", escaped(variant)));
            at = Some(inner);
        }
        out.push_str(&format!("/{part}"));
        at = at.and_then(|v| v.pointer(&format!("/{part}")));
    }
    out
}

fn segment(s: &serde_path_to_error::Segment) -> String {
    use serde_path_to_error::Segment;
    match s {
        Segment::Seq { index } => format!("/{index}"),
        Segment::Map { key } => format!("/{}", escaped(key)),
        // Variants and unknown places are no places in the JSON.
        Segment::Enum { .. } | Segment::Unknown => String::new(),
    }
}

fn quoted<'t>(text: &'t str, before: &str) -> Option<&'t str> {
    text.split_once(before)?.1.split_once('`').map(|(name, _)| name)
}

fn escaped(name: &str) -> String {
    name.replace('~', "~0").replace('/', "~1")
}

/// A part of a JSON Pointer as the name that it stands for (RFC 6901 §4).
pub fn unescaped(part: &str) -> String {
    part.replace("~1", "/").replace("~0", "~")
}

fn take_away(value: &mut Value, pointer: &str) -> bool {
    let Some((parent, last)) = pointer.rsplit_once('/') else { return false };
    match value.pointer_mut(parent) {
        Some(Value::Object(map)) => map.remove(&unescaped(last)).is_some(),
        _ => false,
    }
}

/// Puts something at a place, whether or not anything is there.
fn put(value: &mut Value, pointer: &str, new: Value) -> bool {
    if let Some(at) = value.pointer_mut(pointer) {
        *at = new;
        return true;
    }
    let Some((parent, last)) = pointer.rsplit_once('/') else { return false };
    match value.pointer_mut(parent) {
        Some(Value::Object(map)) => map.insert(unescaped(last), new).is_none(),
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

    #[derive(serde::Deserialize, Debug)]
    #[serde(rename_all = "snake_case", deny_unknown_fields)]
    #[allow(dead_code)]
    enum Shape {
        Round { size: u32 },
        Flat(Vec<Thing>),
        Plain,
    }

    /// A fault in something required, or in a variant, hides no other.
    #[test]
    fn faults_are_listed_wherever_they_are() {
        #[derive(serde::Deserialize, Debug)]
        #[serde(deny_unknown_fields)]
        #[allow(dead_code)]
        struct Whole {
            first: Shape,
            list: Vec<Shape>,
            last: bool,
        }
        let body = serde_json::json!({
            "first": "oval",
            "list": [
                {"round": {"size": "big", "colour": "red"}},
                {"flat": [{"name": "a", "size": 1}, {"name": 3}]},
                {"tall": 1},
            ],
        });
        let mut pointers: Vec<String> = parse::<Whole>(body).unwrap_err().into_iter().map(|f| f.pointer).collect();
        pointers.sort();
        let wanted = [
            "/first",
            "/last",
            "/list/0/round/colour",
            "/list/0/round/size",
            "/list/1/flat/1/name",
            "/list/1/flat/1/size",
            "/list/2",
        ];
        assert_eq!(pointers, wanted);
    }
}
