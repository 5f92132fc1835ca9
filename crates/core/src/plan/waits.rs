//! What a change waits for.
//!
//! Decides which changes would do nothing but add items to a list that are still to come.

use super::change::{Change, Outcome};
use crate::agree::same;
use crate::carry::{NotThere, resolved};
use crate::model::Value;

/// The items that a change waits for, if adding them to lists of the written end is all that it would do. Until one of
/// them is taken in there is nothing to carry out.
pub fn waits_only_for(change: &Change) -> Vec<NotThere> {
    let mut waits = Vec::new();
    if !matches!(change.outcome, Outcome::Update(_)) {
        return waits;
    }
    for f in change.fields.iter().filter(|f| f.reason.may_come_into(change.written)) {
        let lacks = lacks_only(&f.write, f.held(change.written).unwrap_or(&Value::Empty));
        if lacks.is_empty() {
            return Vec::new();
        }
        waits.extend(lacks);
    }
    waits
}

/// The members that are still to come to the written end, if a list holds there all of what is `wanted` but these.
pub fn lacks_only(wanted: &Value, now: &Value) -> Vec<NotThere> {
    if !matches!(wanted, Value::References(_) | Value::Links(_)) {
        return Vec::new();
    }
    match resolved(wanted, &|_, _| None) {
        Ok(found) if same(&found.value, now) => found.lacking,
        _ => Vec::new(),
    }
}
