//! Policies as data: how counterparts are found, and what happens where two meet for the first time.

use serde::{Deserialize, Serialize};

use crate::model::{End, codes};

/// How counterparts are found where no pair exists yet.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Matching {
    /// Likeness in hundredths from which two items are shown for review; beyond 100 none are.
    pub similar_from: u8,
    /// Fields whose equal values make two items one.
    #[serde(default)]
    pub key: Option<KeyFields>,
}

/// A field at each end, or `@key`: what people call the item.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct KeyFields {
    /// The field at the left.
    pub left: String,
    /// The field at the right.
    pub right: String,
}

/// Nothing is more than equal.
pub(super) const NEVER: u8 = 101;

impl Matching {
    /// Without those that a person would have to look at.
    pub fn sure_only(self) -> Matching {
        Matching { similar_from: NEVER, ..self }
    }
}

impl Default for Matching {
    fn default() -> Self {
        Matching { similar_from: 60, key: None }
    }
}

/// What is done where nobody decides.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Policies {
    /// What is done where two counterparts meet for the first time and differ.
    #[serde(default)]
    pub first_contact: FirstContact,
    /// What is done, in a lane that carries both ways, where both ends edited the same of a field.
    #[serde(default)]
    pub both_edited: BothEdited,
    /// Whether each item that is carried gets a link to its counterpart, at the left.
    #[serde(default)]
    pub link_back: bool,
}

/// What happens to values that differ when two existing artefacts become a pair.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum FirstContact {
    /// A person decides.
    #[default]
    Ask,
    /// What this end holds is right.
    Wins(End),
}

codes!(FirstContact, "What happens to values that differ when two existing artefacts become a pair.": {
    Ask = "ask",
    Wins(Left) = "left_wins",
    Wins(Right) = "right_wins",
});

/// What happens to a field that was edited at both ends, where the two edits can't be merged. What loses is in the record.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum BothEdited {
    /// A person decides.
    #[default]
    Ask,
    /// The edit at this end is carried to the other.
    Wins(End),
    /// The edit that was made later is carried, where that can be told of the field.
    Newest,
}

codes!(BothEdited, "What happens to a field that was edited at both ends, where the two edits can't be merged.": {
    Ask = "ask",
    Wins(Left) = "left_wins",
    Wins(Right) = "right_wins",
    Newest = "newest",
});
