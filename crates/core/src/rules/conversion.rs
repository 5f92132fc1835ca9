//! Conversions as data: the steps between a source and a target, with their tables.

use serde::{Deserialize, Serialize};

use crate::model::LinkType;

/// One step of a conversion chain.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Conversion {
    /// Values are replaced by others, row by row.
    ValueMap(ValueMap),
    /// Rich text, or the rich text in steps, in the target's format.
    RichText,
    /// Cut to this many characters.
    Shorten {
        /// The most characters that are kept.
        to: u32,
    },
    /// People are replaced by others, row by row or as they are recognised.
    Users(UserTable),
    /// A text for items that hold nothing here.
    IfEmpty {
        /// The text that stands in place of nothing.
        text: String,
    },
    /// Hours as a number, from a duration or from text like `1:45`.
    Hours,
    /// A number from text, with a decimal comma or a point.
    Number {
        /// Whether a comma stands before the fraction.
        comma: bool,
    },
    /// Of the folder path, the name at this level, from 1.
    PathLevel {
        /// The level, 1 for the outermost.
        level: u32,
    },
    /// Types of links are replaced by others, row by row.
    LinkTypes(LinkTypes),
}

/// What types of links become. A type that no row names stays, or becomes the nearest that the other end keeps, as a
/// loss.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct LinkTypes {
    /// The rows; of two for one type the first counts.
    pub rows: Vec<LinkTypeRow>,
}

/// A row of a table of link types.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct LinkTypeRow {
    /// The type where the link comes from.
    pub left: LinkType,
    /// None leaves such links out, as a loss.
    #[serde(default)]
    pub right: Option<LinkType>,
}

/// One row per value at the left.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ValueMap {
    /// The rows; of two for one value the first counts.
    pub rows: Vec<ValueRow>,
    /// What becomes of values without a row.
    #[serde(default)]
    pub otherwise: Fallback,
}

/// A row of a value map.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ValueRow {
    /// The value at the left as text; the empty text stands for an empty field.
    pub left: String,
    /// The value that stands for it; the empty text stands for nothing.
    pub right: String,
    /// Of several rows with one right value, the one that travels back.
    #[serde(default)]
    pub returns: bool,
}

/// The row that leads to a value, if one does: the only one, or the one that is marked for the way back.
pub fn row_back<'r>(rows: &'r [ValueRow], value: &str) -> Option<&'r ValueRow> {
    let mut leading = rows.iter().filter(|row| row.right == value);
    match (leading.next(), leading.next()) {
        (only, None) => only,
        _ => rows.iter().find(|row| row.right == value && row.returns),
    }
}

/// What happens to a value that a map or table does not name.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Fallback {
    /// The item waits, and is listed.
    #[default]
    Block,
    /// This value stands for it.
    Use(String),
    /// The field stays empty.
    LeaveEmpty,
}

/// How people are recognised, beyond e-mail, login and name.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct UserTable {
    /// Ids at the left to ids at the right.
    #[serde(default)]
    pub rows: Vec<ValueRow>,
    /// What becomes of people without a row whom nobody is recognised as.
    #[serde(default)]
    pub otherwise: Fallback,
}

/// A table of a rule that somebody fills in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RuleTable {
    /// A value map, or what types of links become.
    Values,
    /// Who is who.
    People,
}

impl RuleTable {
    pub(crate) fn is(self, conversion: &Conversion) -> bool {
        match self {
            RuleTable::Values => matches!(conversion, Conversion::ValueMap(_) | Conversion::LinkTypes(_)),
            RuleTable::People => matches!(conversion, Conversion::Users(_)),
        }
    }
}
