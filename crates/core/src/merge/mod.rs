//! Two edits of one value, put together.
//!
//! Decides which values have parts, and what both edits make of them where they touch different ones: texts by line and
//! then by word, lists of labels and people by member. What one edit did alone is as that edit left it, what both did is
//! there once, and which of the two edits comes first makes no difference. Knows of no ends, rules or items.

mod diff3;
mod members;
mod texts;

pub use diff3::{Hunk, Part, hunks};

use crate::model::Value;

/// What both edits of a value make of it together; none where they touch the same part, or the value has no parts.
pub fn merge(base: &Value, one: &Value, other: &Value) -> Option<Value> {
    let all = [base, one, other];
    let texts = all.map(|value| match value {
        Value::Text(text) => Some(text.as_str()),
        Value::Empty => Some(""),
        _ => None,
    });
    if let [Some(base), Some(one), Some(other)] = texts {
        return Some(Value::Text(texts::merge(base, one, other)?).settled());
    }
    let choices = all.map(|value| match value {
        Value::ChoiceList(list) => Some(&list[..]),
        Value::Empty => Some(&[][..]),
        _ => None,
    });
    if let [Some(base), Some(one), Some(other)] = choices {
        return Some(Value::ChoiceList(members::merge(base, one, other)).settled());
    }
    let people = all.map(|value| match value {
        Value::UserList(list) => Some(&list[..]),
        Value::Empty => Some(&[][..]),
        _ => None,
    });
    match people {
        [Some(base), Some(one), Some(other)] => Some(Value::UserList(members::merge(base, one, other)).settled()),
        _ => None,
    }
}
