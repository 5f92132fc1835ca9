//! Why a target would not take a change.

use serde::{Deserialize, Serialize};

use crate::model::ValueType;

/// What a target would not take.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Refusal {
    /// The target field; empty if it is the item as a whole.
    pub field: String,
    pub reason: RefusalReason,
}

impl Refusal {
    pub(super) fn new(field: &str, reason: RefusalReason) -> Refusal {
        Refusal { field: field.to_owned(), reason }
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "reason", rename_all = "snake_case")]
pub enum RefusalReason {
    KindNotTaken,
    ItemGone,
    /// A change that it needs would be refused, or is left out.
    Waits {
        change: u32,
        /// The key of its item; empty in plans of before it was kept.
        #[serde(default)]
        key: String,
        #[serde(default)]
        left_out: bool,
    },
    NoSuchField,
    ReadOnly,
    Required,
    WrongType {
        wanted: ValueType,
    },
    NotAllowed {
        value: String,
    },
    TooLong {
        length: u32,
        limit: u32,
    },
    /// Something else holds the value, and nothing else may.
    Taken {
        value: String,
        by: String,
    },
    NobodyThere {
        person: String,
    },
    NotThere {
        what: String,
    },
    NeedsFolder,
    NotInFolders,
    TooDeep {
        levels: u32,
        limit: u32,
    },
    NoWay {
        from: String,
        to: String,
    },
    MoveAsks {
        to: String,
        field: String,
    },
    FileTooLarge {
        name: String,
        bytes: u64,
        limit: u64,
    },
    FileType {
        name: String,
        media_type: String,
    },
    FileTwice {
        name: String,
    },
    LinkType {
        link: String,
    },
    CallsNotTaken,
    ArgumentsNotTaken,
    StepDataNotTaken,
}
