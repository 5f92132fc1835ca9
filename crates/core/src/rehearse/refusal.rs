//! Why a target would not take a change.

use serde::{Deserialize, Serialize};

use crate::model::ValueType;

/// What a target would not take.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Refusal {
    /// The target field; empty if it is the item as a whole.
    pub field: String,
    /// Why it would be refused.
    pub reason: RefusalReason,
}

impl Refusal {
    pub(super) fn new(field: &str, reason: RefusalReason) -> Refusal {
        Refusal { field: field.to_owned(), reason }
    }
}

/// Why an end would refuse something.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "reason", rename_all = "snake_case")]
pub enum RefusalReason {
    /// It has no such kind, or does not let it be written.
    KindNotTaken,
    /// The item is not there any more.
    ItemGone,
    /// A change that it needs would be refused, or is left out.
    Waits {
        /// The place of that change in the plan.
        change: u32,
        /// The key of its item; empty in plans of before it was kept.
        #[serde(default)]
        key: String,
        /// Whether that change was left out.
        #[serde(default)]
        left_out: bool,
    },
    /// There is no such field.
    NoSuchField,
    /// The field can only be read.
    ReadOnly,
    /// The field needs something in it.
    Required,
    /// The value is of another type.
    WrongType {
        /// What the field holds.
        wanted: ValueType,
    },
    /// The field does not allow the value.
    NotAllowed {
        /// The value as text.
        value: String,
    },
    /// The text is longer than the field takes.
    TooLong {
        /// Its length in characters.
        length: u32,
        /// What the field takes, in characters.
        limit: u32,
    },
    /// Something else holds the value, and nothing else may.
    Taken {
        /// The value as text.
        value: String,
        /// What people call the item that has it.
        by: String,
    },
    /// The person is not known there.
    NobodyThere {
        /// Who it is, by their id.
        person: String,
    },
    /// What is referred to is not there.
    NotThere {
        /// What it is, for people.
        what: String,
    },
    /// Such items need a folder, and it has none.
    NeedsFolder,
    /// Such items don't stand in folders.
    NotInFolders,
    /// The item would stand deeper than is allowed.
    TooDeep {
        /// How deep it would stand.
        levels: u32,
        /// How deep it may stand.
        limit: u32,
    },
    /// No moves lead from one state to another.
    NoWay {
        /// The state that the item is in.
        from: String,
        /// The state that it is to be in.
        to: String,
    },
    /// A move asks for a field that is empty.
    MoveAsks {
        /// The state that the move leads to.
        to: String,
        /// The field that it asks for.
        field: String,
    },
    /// The file is larger than is allowed.
    FileTooLarge {
        /// The name of the file.
        name: String,
        /// Its size in bytes.
        bytes: u64,
        /// What is allowed, in bytes.
        limit: u64,
    },
    /// Files of this type are not taken.
    FileType {
        /// The name of the file.
        name: String,
        /// Its media type.
        media_type: String,
    },
    /// There are two files of one name.
    FileTwice {
        /// The name.
        name: String,
    },
    /// Links of this type are not taken.
    LinkType {
        /// The type, for people.
        link: String,
    },
    /// Steps can't call shared steps.
    CallsNotTaken,
    /// Calls of shared steps take no arguments.
    ArgumentsNotTaken,
    /// Steps hold no test data.
    StepDataNotTaken,
}
