//! Losses: values that could not be carried exactly (law 7: every loss is declared).
//!
//! Decides how a loss is described: what sort it is, what caused it, and the value before and after.
//! A loss is foreseen in the plan and recorded in the ledger when it happens; both are this type.

use serde::{Deserialize, Serialize};

use crate::slot::Slot;

/// A value that is not carried exactly.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Loss {
    /// The field at the end that is written (or read, for a loss met while reading).
    pub field: Slot,
    /// What was lost.
    pub kind: LossKind,
    /// Why it was lost.
    pub cause: LossCause,
    /// What was there, as one line of text.
    pub before: String,
    /// What is left of it.
    pub after: String,
}

/// What is lost of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LossKind {
    /// Its end is lacking.
    Truncated,
    /// Its formatting or structure is lacking.
    Flattened,
    /// Something else stands for it.
    Substituted,
    /// It is lacking whole.
    Dropped,
    /// It says less than before.
    Downgraded,
}

/// Why a loss happens.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "cause", rename_all = "snake_case")]
pub enum LossCause {
    /// Longer than the field allows (characters).
    TooLong {
        /// How many it takes.
        limit: u32,
    },
    /// The text format has no such element.
    NoSuchMarkup {
        /// The markup.
        element: String,
    },
    /// The element can't stand where it stands in this text format.
    NotHere {
        /// The markup.
        element: String,
        /// What it stands in.
        inside: String,
    },
    /// Step data has no field of its own at the other end.
    NoStepData,
    /// Files can't belong to a step at the other end.
    NoStepFiles,
    /// A call of shared steps can't be kept.
    NoCalls,
    /// Shared steps can't be called there (or not with arguments): their steps stand in place of the call.
    CallExpanded,
    /// Shared steps that call themselves, directly or by others.
    CallCycle,
    /// Shared steps that are not there.
    CallOfNothing,
    /// A link to something that is not carried, kept as an address.
    LinkKeptAsAddress,
    /// The other end has no such type of link.
    NoSuchLinkType,
    /// The rule leaves links of this type out.
    LinkTypeLeftOut,
    /// What is referred to is not carried.
    NotCarried,
    /// A value that the value map does not name.
    NotInMap,
    /// An empty field that the rule fills in.
    FilledIn,
    /// Nobody at the other end was recognised.
    UnknownUser,
    /// Folders deeper than the other end allows.
    TooDeep {
        /// How many it allows.
        levels: u32,
    },
    /// A file larger than the other end takes (bytes).
    FileTooBig {
        /// How many bytes it takes.
        limit: u64,
    },
    /// A file type the other end refuses.
    FileTypeRefused,
    /// A file whose bytes begin as those of another type than its item declares; it is carried as it is.
    FileOfOtherType {
        /// The type that was declared.
        declared: String,
    },
    /// Another file of the item has the same name.
    FileNameTaken,
    /// Author and time can't be kept as they were: they stand in the text of a comment.
    AuthorInText,
    /// Steps become a numbered list of text.
    StepsAsText,
    /// Spaces at the ends are taken off there.
    Trimmed,
    /// A number of seconds that a number of hours can't say exactly.
    Rounded,
    /// A table is made to fit the way in which the other end keeps tables.
    TableFitted {
        /// What became of it.
        how: TableFit,
    },
    /// A picture or file in the text that belongs to another item.
    FileOfOtherItem,
    /// A picture or file in the text that is in its system, and not among the item's files.
    FileNotFollowed,
    /// Something that is read can't be kept as it is: it says too little of itself.
    NotReadable {
        /// What it was.
        what: String,
    },
    /// The target system stored something else than what was sent.
    AlteredByTarget,
}

/// What was done to a table so that it fits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum TableFit {
    /// Column names without a row under them can't be kept.
    NoRows,
    /// A row was longer than the names of the columns; the rest gets names.
    ColumnNamed,
    /// Two columns had one name; the later one gets a number.
    ColumnNumbered,
}
