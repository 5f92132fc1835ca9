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
    let texts = |value| match value {
        &Value::Empty => Some(""),
        Value::Text(text) => Some(text.as_str()),
        _ => None,
    };
    if let Some([base, one, other]) = each(all, texts) {
        return Some(Value::Text(texts::merge(base, one, other)?).settled());
    }
    if let Some([base, one, other]) = each(all, choices) {
        return Some(Value::ChoiceList(members::merge(base, one, other)).settled());
    }
    let [base, one, other] = each(all, people)?;
    Some(Value::UserList(members::merge(base, one, other)).settled())
}

/// What all three are, if all of them are that.
fn each<'v, T>(all: [&'v Value; 3], of: impl Fn(&'v Value) -> Option<T>) -> Option<[T; 3]> {
    let [base, one, other] = all.map(of);
    Some([base?, one?, other?])
}

fn choices(value: &Value) -> Option<&[String]> {
    match value {
        Value::Empty => Some(&[]),
        Value::ChoiceList(list) => Some(list),
        _ => None,
    }
}

fn people(value: &Value) -> Option<&[String]> {
    match value {
        Value::Empty => Some(&[]),
        Value::UserList(list) => Some(list),
        _ => None,
    }
}
