//! What the reading of a schema, of items and of writes have in common: names that stand for something else.

use std::collections::HashMap;

use hovrel_core::model::Kind;

use crate::transport::escape_segment;

/// The field for an origin mark that is one of an item's labels.
pub const ORIGIN: &str = "@origin";

/// The system's words for types of fields, by kind and id.
pub type Words = HashMap<(Kind, String), String>;

/// A path of a profile with its parts filled in: `{id}` by what `parts` says of `id`.
pub fn fill(path: &str, parts: &[(&str, &str)]) -> String {
    parts
        .iter()
        .fold(path.to_owned(), |path, (name, value)| path.replace(&format!("{{{name}}}"), &escape_segment(value)))
}
