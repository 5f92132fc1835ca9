//! Why a rule can't be applied, to any item or to one.

use serde::{Deserialize, Serialize};

use crate::model::{Slot, ValueType};

#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "reason", rename_all = "snake_case")]
pub enum FaultReason {
    NoSuchKind,
    NoSuchSource {
        field: String,
    },
    NoSuchTarget {
        field: Slot,
    },
    /// A condition of the left or right scope.
    Scope {
        left: bool,
        why: String,
    },
    ReadOnly,
    FedTwice,
    RequiredUnfed,
    RequiredEmpty,
    TypesDiffer {
        from: ValueType,
        to: ValueType,
    },
    WrongType {
        value: String,
        wanted: ValueType,
    },
    ValueNotInMap {
        value: String,
    },
    NotAllowed {
        value: String,
    },
    MapTargetNotAllowed {
        value: String,
    },
    TooLong {
        length: u32,
        limit: u32,
    },
    UnknownUser {
        name: String,
    },
    NotInvertible,
    OnlyToRight,
    NoOriginRule,
    /// The right has no place for the origin mark, so that an interrupted transfer could create items twice.
    NoMarkPlace,
    FolderNotCarried {
        folder: String,
    },
    /// Folders are to be mirrored, and no lane carries them.
    NoFolderLane,
    NotCarried {
        what: String,
    },
    Unreadable {
        raw: String,
    },
    /// What is wrong with an expression, and where: characters from 0.
    Expression {
        from: u32,
        to: u32,
        why: String,
    },
    NotComputed {
        why: String,
    },
    NoWay {
        from: String,
        to: String,
    },
    MoveAsks {
        to: String,
        field: String,
    },
    /// Of one rule, so many reasons beyond those told one by one.
    AndMore {
        reasons: u32,
    },
}
