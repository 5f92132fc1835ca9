//! What an expression over the artefacts of a kind may name.

use serde::Serialize;

use super::types::{Type, type_of};
use crate::catalogue::KindSchema;

/// Something that can be named, for completion and help.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Name {
    /// As it is written.
    pub text: String,
    /// As people call it.
    pub label: String,
    /// What it is, in words.
    pub is: String,
    /// The field that it is; none for what every artefact has.
    pub field: Option<String>,
}

/// Properties that every artefact has, whatever its system calls its fields: as they are written, as people call
/// them, and what they are.
pub(crate) const OWN: [(&str, &str, Type); 8] = [
    ("folder", "Folder path", Type::Text),
    ("key", "Key", Type::Text),
    ("title", "Title", Type::Text),
    ("modified", "Last change", Type::Time),
    ("modified_by", "Last changed by", Type::Text),
    ("created", "Created", Type::Time),
    ("created_by", "Created by", Type::Text),
    ("url", "Address", Type::Text),
];

/// The time of reading; no property of the artefact.
pub(super) const NOW: (&str, &str, Type) = ("now", "The time of reading", Type::Time);

/// The variable that holds the fields of the kind.
pub(super) const FIELDS: &str = "fields";

/// Whether an expression may ask what time it is. A text that only has the word in it counts too: nothing is wrong with
/// asking again for an answer that is the same.
pub fn names_now(text: &str) -> bool {
    text.split(|c: char| !c.is_alphanumeric() && c != '_').any(|word| word == NOW.0)
}

/// Whether an expression names a field, in any of the ways to write it. One that only stands in a text counts too.
pub fn names_field(text: &str, field: &str) -> bool {
    let escaped = format!("{FIELDS}.`{field}`");
    let indexed = format!("{FIELDS}[{}]", quoted(field));
    let plain = format!("{FIELDS}.{field}");
    let goes_on = |rest: &str| rest.starts_with(|c: char| c.is_alphanumeric() || c == '_');
    text.contains(&escaped)
        || text.contains(&indexed)
        || text.match_indices(&plain).any(|(at, found)| !goes_on(&text[at + found.len()..]))
}

/// Everything that can be named.
pub fn own_names(kind: &KindSchema) -> Vec<Name> {
    let own = OWN.iter().chain([&NOW]).map(|(text, label, is)| Name {
        text: (*text).to_owned(),
        label: (*label).to_owned(),
        is: is.to_string(),
        field: None,
    });
    let fields = kind.fields.iter().map(|f| Name {
        text: reach(&f.id),
        label: f.name.clone(),
        is: type_of(f.value_type).to_string(),
        field: Some(f.id.clone()),
    });
    own.chain(fields).collect()
}

/// How a field is written: `fields.owner`, `` fields.`last-run` `` (the language's escaped form), or
/// `fields["größe"]` where its id has other characters.
pub fn reach(field: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || c == '_';
    let escaped = |c: char| plain(c) || matches!(c, '.' | '-' | '/' | ' ');
    let begins = field.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_');
    match field {
        f if begins && f.chars().all(plain) && !RESERVED.contains(&f) => format!("{FIELDS}.{f}"),
        f if !f.is_empty() && f.chars().all(escaped) => format!("{FIELDS}.`{f}`"),
        f => format!("{FIELDS}[{}]", quoted(f)),
    }
}

/// Words that the language keeps for itself ("Syntax": RESERVED, and the literals and `in`).
const RESERVED: [&str; 21] = [
    "as",
    "break",
    "const",
    "continue",
    "else",
    "false",
    "for",
    "function",
    "if",
    "import",
    "in",
    "let",
    "loop",
    "namespace",
    "null",
    "package",
    "return",
    "true",
    "var",
    "void",
    "while",
];

/// A text as a literal of the language.
pub(crate) fn quoted(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 2);
    out.push('"');
    for c in text.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\t' => out.push_str("\\t"),
            c if c.is_control() => out.push_str(&format!("\\u{:04x}", c as u32)),
            c => out.push(c),
        }
    }
    out.push('"');
    out
}
