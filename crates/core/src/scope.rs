//! Scope: which artefacts a lane covers (law 9: nothing outside it is ever read into a plan).
//!
//! Decides whether one artefact matches a tree of conditions. Conditions are rows of field, operator
//! and value in all/any groups. A condition on a field the artefact lacks does not match, except
//! `is_empty` and the negative operators.

use serde::{Deserialize, Serialize};

use crate::catalogue::KindSchema;
use crate::model::{Artefact, Value};

/// A tree of conditions.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[cfg_attr(feature = "schema", schema(no_recursion))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Condition {
    All(Vec<Condition>),
    Any(Vec<Condition>),
    Row(ConditionRow),
}

impl Default for Condition {
    fn default() -> Self {
        Condition::All(Vec::new())
    }
}

/// One row: field, operator, value.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ConditionRow {
    /// A field of the kind, or one of [`BUILT_IN`].
    pub field: String,
    pub op: Operator,
    /// Compared as text, numbers and dates by their order; several values divided by commas for
    /// `one_of`.
    #[serde(default)]
    pub value: String,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Operator {
    Is,
    IsNot,
    Contains,
    StartsWith,
    OneOf,
    IsEmpty,
    IsNotEmpty,
    AtLeast,
    AtMost,
    /// For `@folder`: in this folder or below it.
    Under,
}

/// Properties every artefact has, whatever its system calls its fields.
pub const BUILT_IN: [(&str, &str); 4] =
    [("@key", "Key"), ("@title", "Title"), ("@folder", "Folder path"), ("@modified", "Last change")];

/// What conditions look at: an artefact and the path of the folders that hold it.
pub struct Subject<'a> {
    pub artefact: &'a Artefact,
    /// Titles of the folders above, outermost first.
    pub path: &'a [String],
}

impl Condition {
    pub fn matches(&self, subject: &Subject<'_>) -> bool {
        match self {
            Condition::All(list) => list.iter().all(|c| c.matches(subject)),
            Condition::Any(list) => list.iter().any(|c| c.matches(subject)),
            Condition::Row(test) => test.matches(subject),
        }
    }

    /// Fields named here that the kind does not have.
    pub fn unknown_fields(&self, kind: &KindSchema) -> Vec<String> {
        match self {
            Condition::All(list) | Condition::Any(list) => list.iter().flat_map(|c| c.unknown_fields(kind)).collect(),
            Condition::Row(t) => {
                let known = BUILT_IN.iter().any(|(id, _)| *id == t.field) || kind.field(&t.field).is_some();
                if known { Vec::new() } else { vec![t.field.clone()] }
            }
        }
    }
}

impl ConditionRow {
    fn matches(&self, subject: &Subject<'_>) -> bool {
        let held: Vec<String> = self.held(subject);
        let wanted = self.value.trim();
        let same = |v: &String| v.trim().to_lowercase() == wanted.to_lowercase();
        match self.op {
            Operator::Is => held.iter().any(same),
            Operator::IsNot => !held.iter().any(same),
            Operator::Contains => held.iter().any(|v| v.to_lowercase().contains(&wanted.to_lowercase())),
            Operator::StartsWith => held.iter().any(|v| v.to_lowercase().starts_with(&wanted.to_lowercase())),
            Operator::OneOf => wanted
                .split(',')
                .map(|w| w.trim().to_lowercase())
                .any(|w| held.iter().any(|v| v.trim().to_lowercase() == w)),
            Operator::IsEmpty => held.iter().all(|v| v.trim().is_empty()),
            Operator::IsNotEmpty => held.iter().any(|v| !v.trim().is_empty()),
            Operator::AtLeast => held.iter().any(|v| order(v, wanted).is_some_and(|o| o.is_ge())),
            Operator::AtMost => held.iter().any(|v| order(v, wanted).is_some_and(|o| o.is_le())),
            Operator::Under => {
                let wanted = wanted.to_lowercase();
                held.iter().any(|v| {
                    let v = v.to_lowercase();
                    v == wanted || v.strip_prefix(&wanted).is_some_and(|rest| rest.starts_with(" / "))
                })
            }
        }
    }

    fn held(&self, subject: &Subject<'_>) -> Vec<String> {
        match self.field.as_str() {
            "@key" => vec![subject.artefact.key.clone()],
            "@title" => vec![subject.artefact.title.clone()],
            "@folder" => vec![subject.path.join(" / ")],
            "@modified" => subject.artefact.modified.iter().map(|m| m.at.to_rfc3339()).collect(),
            field => match subject.artefact.fields.get(field) {
                None => Vec::new(),
                Some(Value::ChoiceList(l) | Value::UserList(l)) => l.clone(),
                Some(value) => vec![value.display()],
            },
        }
    }
}

/// Numbers by size, everything else (dates in ISO 8601 included) as text.
fn order(held: &str, wanted: &str) -> Option<std::cmp::Ordering> {
    match (held.trim().parse::<f64>(), wanted.parse::<f64>()) {
        (Ok(a), Ok(b)) => a.partial_cmp(&b),
        (Err(_), Err(_)) if !held.trim().is_empty() => Some(held.trim().cmp(wanted)),
        _ => None,
    }
}
