//! What a person may choose for a conflict, and what becomes of the field then.

use serde::{Deserialize, Serialize};

use crate::model::{End, Value, codes};
use crate::plan::{FieldChange, FieldDecision};

/// What is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Take {
    /// What the left holds goes to the right, or stays the only one that counts.
    Left,
    /// What the right holds goes to the left; where the lane does not write that, it stays at the right.
    Right,
    /// Both edits together, as a person put them.
    Merge,
    /// Each end keeps what it holds, and that is what both are compared with from now on.
    Different,
}

codes!(Take, "What is taken for a conflict.": {
    Left = "left",
    Right = "right",
    Merge = "merge",
    Different = "different",
});

/// What was chosen for a conflict.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Choice {
    /// What is taken.
    pub take: Take,
    /// Both edits together, in the words of the end that the lane writes first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub merged: Option<Value>,
}

/// What may be chosen for a field, in a lane that writes `first` first. A merge needs a proposal besides, which only what was
/// remembered of the pair can give.
pub fn offered(field: &FieldChange, first: End) -> Vec<Take> {
    let all = [Take::Left, Take::Right, Take::Different];
    // Where one end alone is written, keeping what it holds is all that can be done for it.
    let may = |take: &Take| *take != Take::Different || field.back.is_some();
    all.into_iter().filter(may).filter(|take| decision_for_side(field, *take, first).is_some()).collect()
}

/// Whether both edits of a field can be put together by a person: either end is written, and takes what the rule makes.
pub fn can_be_merged(field: &FieldChange) -> bool {
    field.back.is_some() && field.cannot.is_empty()
}

/// What becomes of a field by a choice; none if that can't be done with it.
pub fn decision_for(field: &FieldChange, take: Take, first: End) -> Option<FieldDecision> {
    match take {
        Take::Merge => field.merge.as_ref().map(|_| FieldDecision::Merge),
        side => decision_for_side(field, side, first),
    }
}

fn decision_for_side(field: &FieldChange, take: Take, first: End) -> Option<FieldDecision> {
    let from = match take {
        Take::Left => End::Left,
        Take::Right => End::Right,
        Take::Different | Take::Merge => return Some(FieldDecision::Keep(first)),
    };
    let into = from.other();
    match field.back.is_some() || into == first {
        true => field
            .written_into(into, first)
            .filter(|_| field.reason.may_be_written(into))
            .map(|_| FieldDecision::Write(into)),
        false => Some(FieldDecision::Keep(from)),
    }
}

/// What was taken by a decision about a field that was in conflict; none as long as it is open.
pub fn take_of(field: &FieldChange, decision: FieldDecision) -> Option<Take> {
    match decision {
        FieldDecision::Leave => None,
        FieldDecision::Merge => Some(Take::Merge),
        FieldDecision::Write(End::Right) => Some(Take::Left),
        FieldDecision::Write(End::Left) => Some(Take::Right),
        FieldDecision::Keep(_) if field.back.is_some() => Some(Take::Different),
        FieldDecision::Keep(End::Left) => Some(Take::Left),
        FieldDecision::Keep(End::Right) => Some(Take::Right),
    }
}
