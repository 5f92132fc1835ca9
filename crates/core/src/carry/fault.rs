//! Why a rule can't be applied, to any item or to one.

use serde::{Deserialize, Serialize};

use crate::model::{End, Slot, ValueType};

/// Why a rule can't be applied, to any item or to one.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "reason", rename_all = "snake_case")]
pub enum FaultReason {
    /// One of the ends has no such kind.
    NoSuchKind,
    /// The rule starts from a field that is not there.
    NoSuchSource {
        /// The field that was looked for.
        field: String,
    },
    /// The rule fills a slot that is not there.
    NoSuchTarget {
        /// The slot that was looked for.
        field: Slot,
    },
    /// A condition of the scope at an end.
    Scope {
        /// The end of the scope.
        end: End,
        /// What is wrong with it, in words.
        why: String,
    },
    /// The slot can only be read.
    ReadOnly,
    /// Another rule of the lane fills the slot too.
    FedTwice,
    /// The end that is written asks for the field, and no rule fills it.
    RequiredUnfed,
    /// The end that is written asks for the field, and the item holds nothing for it.
    RequiredEmpty,
    /// What the rule gives can't become what the field holds.
    TypesDiffer {
        /// What the rule gives.
        from: ValueType,
        /// What the field holds.
        to: ValueType,
    },
    /// The value is not of the type that the field holds.
    WrongType {
        /// The value as text.
        value: String,
        /// What the field holds.
        wanted: ValueType,
    },
    /// The value map has no row for the value, and says nothing of others.
    ValueNotInMap {
        /// The value as text.
        value: String,
    },
    /// The field does not allow the value.
    NotAllowed {
        /// The value as text.
        value: String,
    },
    /// The value map gives a value that the field does not allow.
    MapTargetNotAllowed {
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
    /// Nobody at the end that is written was recognised as this person.
    UnknownUser {
        /// What they are called.
        name: String,
    },
    /// The rule is to run back too, and its conversion can't.
    NotInvertible,
    /// No row of the value map leads back from the value.
    NoWayBack {
        /// The value as text.
        value: String,
    },
    /// The way back of the value map leads to a value that the field it starts from does not allow.
    BackNotAllowed {
        /// The value as text.
        value: String,
    },
    /// A way of a rule that goes both ways computes its value from more, or other, than what the other way fills.
    ReadsMore,
    /// The text was cut there, and the edit touches the last word before the cut.
    CutThere,
    /// The edit touches what only the end that is to be written can hold: a format in the same words, a step that was
    /// rewritten there.
    OnlyHeldHere,
    /// The edit touches shared steps that stand in place of a call that the item has there.
    StepsInPlaceOfCalls,
    /// Something is to go into an end that nothing is written into.
    NotWrittenInto {
        /// The end that something is to go into.
        end: End,
    },
    /// No rule writes the origin mark, so that an interrupted transfer could create items twice.
    NoOriginRule,
    /// The end that is written has no place for the origin mark, so that an interrupted transfer could create items twice.
    NoMarkPlace,
    /// The folder of the item is neither there nor planned.
    FolderNotCarried {
        /// The title of the folder, or its id.
        folder: String,
    },
    /// Folders are to be mirrored, and no lane carries them.
    NoFolderLane,
    /// Another lane carries the same kinds the other way.
    Opposed {
        /// The id of that lane.
        lane: String,
    },
    /// What the item refers to is neither there nor planned.
    NotCarried {
        /// What it refers to, for people.
        what: String,
    },
    /// The value came as something that could not be read.
    Unreadable {
        /// What came, as text.
        raw: String,
    },
    /// What is wrong with the expression of a rule's way back, and where: characters from 0.
    BackExpression {
        /// Where the fault begins.
        from: u32,
        /// Where the fault ends.
        to: u32,
        /// What is wrong, in words.
        why: String,
    },
    /// What is wrong with an expression, and where: characters from 0.
    Expression {
        /// Where the fault begins.
        from: u32,
        /// Where the fault ends.
        to: u32,
        /// What is wrong, in words.
        why: String,
    },
    /// The computed value came to nothing for this item.
    NotComputed {
        /// What happened, in words.
        why: String,
    },
    /// No moves lead from one state to another.
    NoWay {
        /// The state that the item is in.
        from: String,
        /// The state that it is to be in.
        to: String,
    },
    /// A move asks for a field that nothing fills.
    MoveAsks {
        /// The state that the move leads to.
        to: String,
        /// The field that it asks for.
        field: String,
    },
    /// As it would be made at this end, the lane does not cover it there.
    OutsideScope {
        /// The end of the scope.
        end: End,
    },
    /// Of one rule, so many reasons beyond those told one by one.
    AndMore {
        /// How many there are.
        reasons: u32,
    },
}
