//! A rule as data: how one slot is filled, and from what.

use serde::{Deserialize, Serialize};

use super::conversion::Conversion;
use super::direction::Direction;
use crate::model::{Slot, Value as FieldValue};

/// How one slot is filled.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Rule {
    /// The slot that is filled, at the end that the rule writes.
    pub target: Slot,
    pub source: Source,
    /// Applied in order; none means “as it is”.
    #[serde(default)]
    pub conversions: Vec<Conversion>,
    #[serde(default)]
    pub direction: Direction,
}

/// Where a rule's value comes from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Source {
    Field(String),
    Constant(FieldValue),
    /// An expression in CEL over the item: several fields joined, a value chosen by another.
    Computed(String),
    /// The folder that holds the artefact: mirrored at the other end.
    Folder,
    /// The mark by which the artefact stays findable: system and id.
    Origin,
    /// The artefact's files.
    Attachments,
    /// The artefact's links.
    Links,
    /// What people said of the artefact.
    Comments,
    /// What people said, and what was changed, in the order of time.
    CommentsAndHistory,
    /// What was changed, by whom and when.
    History,
    /// Names of the folders that hold the artefact, outermost first: flattened into text or labels, or
    /// mapped onto a choice.
    FolderPath,
}

/// The name under which the value that a rule computes stands beside the item.
pub(crate) fn computed_field(target: &str) -> String {
    format!("@computed {target}")
}
