//! Items that texts name and that are still to be made.
//!
//! Decides which these are, and what stands for them until they have a key of their own.

use std::borrow::Cow;

use super::document::{Document, Inline};
use super::kind::Kind;
use super::value::Value;

/// Whether a value names items that are still to be made.
pub fn names_pending(value: &Value) -> bool {
    value.any_document(&mut |d| d.any_inline(&mut |i| matches!(i, Inline::Mention { pending: Some(_), .. })))
}

/// The items, by kind and id at the left, that a value's texts name and that are still to be made.
pub fn pending_names(value: &Value) -> Vec<(Kind, String)> {
    let mut out = Vec::new();
    let mut see = |i: &Inline| {
        if let Inline::Mention { pending: Some(kind), id, .. } = i {
            out.push((*kind, id.clone()));
        }
        false
    };
    value.any_document(&mut |d| d.any_inline(&mut see));
    out
}

/// A value with the items that its texts wait for called as `name` says; those that it does not know keep
/// the words of the left.
pub fn named<'v>(value: &'v Value, name: &dyn Fn(Kind, &str) -> Option<String>) -> Cow<'v, Value> {
    match names_pending(value) {
        true => Cow::Owned(value.clone().map_documents(&|d| named_in(d, name))),
        false => Cow::Borrowed(value),
    }
}

/// The same of a document.
fn named_in(document: &Document, name: &dyn Fn(Kind, &str) -> Option<String>) -> Document {
    document.with_inlines(&|i| match i {
        Inline::Mention { pending: Some(kind), id, label } => {
            Some(vec![Inline::text(name(*kind, id).unwrap_or_else(|| label.clone()))])
        }
        _ => None,
    })
}

/// A value with the items that its texts wait for called as at the left.
pub fn labelled(value: &Value) -> Cow<'_, Value> {
    named(value, &|_, _| None)
}
