//! Two edits of one value, put together.
//!
//! Decides which values have parts, and what both edits make of them where they touch different ones: texts by line and
//! then by word, formatted texts by block, steps and tables by step and row, lists of labels and people by member. What one
//! edit did alone is as that edit left it, what both did is there once, and which of the two edits comes first makes no
//! difference. Knows of no ends, rules or items.

mod align;
mod diff3;
mod documents;
mod lifted;
mod lists;
mod members;
mod steps;
mod stretches;
mod texts;
mod words;

pub use align::{EQUAL, align};
pub use diff3::{Hunk, Part, hunks};
pub(crate) use documents::blocks_kept;
pub use lifted::lifted;
pub use lists::Stretch;
pub use steps::steps_kept;
pub use stretches::{Parted, stretches};

use crate::model::{Document, Step, Value};

/// The words of a text, each with what stands behind it up to the next one, lines too.
pub fn words_of(text: &str) -> Vec<String> {
    text.split_inclusive('\n').flat_map(words::with_what_is_behind).map(str::to_owned).collect()
}

/// What both edits of a value make of it together; none where they touch the same part, or the value has no parts.
pub fn merge(base: &Value, one: &Value, other: &Value) -> Option<Value> {
    let all = [base, one, other];
    if let Some([base, one, other]) = each(all, text_of) {
        return Some(Value::Text(texts::merge(base, one, other)?).settled());
    }
    if let Some([base, one, other]) = each(all, choices) {
        return Some(Value::ChoiceList(members::merge(base, one, other)).settled());
    }
    if let Some([base, one, other]) = each(all, people) {
        return Some(Value::UserList(members::merge(base, one, other)).settled());
    }
    let nothing = Document::default();
    let document = |value| match value {
        &Value::Empty => Some(&nothing),
        Value::RichText(document) => Some(document),
        _ => None,
    };
    if let Some([base, one, other]) = each(all, document) {
        return Some(Value::RichText(documents::merge(base, one, other)?).settled());
    }
    if let Some([base, one, other]) = each(all, steps_of) {
        return Some(Value::Steps(steps::merge(base, one, other)?).settled());
    }
    let [base, one, other] = each(all, rows_of)?;
    Some(Value::Table(steps::rows(base, one, other)?).settled())
}

/// What all three are, if all of them are that.
pub(crate) fn each<'v, T>(all: [&'v Value; 3], of: impl Fn(&'v Value) -> Option<T>) -> Option<[T; 3]> {
    let [base, one, other] = all.map(of);
    Some([base?, one?, other?])
}

pub(crate) fn text_of(value: &Value) -> Option<&str> {
    match value {
        Value::Empty => Some(""),
        Value::Text(text) => Some(text),
        _ => None,
    }
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

pub(crate) fn steps_of(value: &Value) -> Option<&[Step]> {
    match value {
        Value::Empty => Some(&[]),
        Value::Steps(list) => Some(list),
        _ => None,
    }
}

fn rows_of(value: &Value) -> Option<&[Vec<String>]> {
    match value {
        Value::Empty => Some(&[]),
        Value::Table(rows) => Some(rows),
        _ => None,
    }
}
