//! Why a field is in a change, and what happens to it unless a person says otherwise.

use serde::{Deserialize, Serialize};

use crate::rules::FirstContact;

/// Why a field is in a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum FieldReason {
    /// The artefact is new.
    New,
    /// Changed at the left since the base.
    LeftChanged,
    /// Changed at the right since the base; the lane does not carry that back.
    RightChanged,
    /// Changed at both ends since the base.
    BothChanged,
    /// Differs, and there is no base to tell who changed it.
    NoBase,
    /// What a link leads to, or what a text names, has come to another place since.
    TargetMoved,
    /// A list of the right lacks what is not there yet, and nothing else.
    WaitsForOthers,
    /// Neither end changed, and the rule gives something else than when both were last in step.
    RuleChanged,
    /// The same, of a field in which a person had kept what the right holds.
    RuleChangedOverKept,
    /// What the right holds can't be read, so it must not be written over.
    RightUnreadable,
    /// Taken off at the left; at the right it stays.
    TakenOff,
    /// Something was sent and no answer came: what is there may be what somebody made of it since.
    PerhapsThere,
}

impl FieldReason {
    /// What happens unless a person says otherwise.
    pub fn default_decision(self, first_contact: FirstContact) -> FieldDecision {
        match self {
            FieldReason::New
            | FieldReason::LeftChanged
            | FieldReason::TargetMoved
            | FieldReason::WaitsForOthers
            | FieldReason::RuleChanged => FieldDecision::Write,
            FieldReason::RightChanged
            | FieldReason::BothChanged
            | FieldReason::RuleChangedOverKept
            | FieldReason::RightUnreadable
            | FieldReason::TakenOff
            | FieldReason::PerhapsThere => FieldDecision::Leave,
            FieldReason::NoBase => match first_contact {
                FirstContact::Ask => FieldDecision::Leave,
                FirstContact::LeftWins => FieldDecision::Write,
                FirstContact::RightWins => FieldDecision::KeepRight,
            },
        }
    }

    pub fn is_conflict(self) -> bool {
        matches!(
            self,
            FieldReason::BothChanged
                | FieldReason::NoBase
                | FieldReason::RuleChangedOverKept
                | FieldReason::PerhapsThere
        )
    }

    /// Whether a person may say what becomes of it: an edit at the right can be kept, or asked about again.
    pub fn can_be_decided(self) -> bool {
        self.is_conflict() || self == FieldReason::RightChanged
    }

    /// Whether the left's value may be written over what the right holds.
    pub fn may_be_written(self) -> bool {
        !matches!(self, FieldReason::RightChanged | FieldReason::RightUnreadable | FieldReason::TakenOff)
    }
}

/// What to do about one field.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum FieldDecision {
    /// Write the left's value.
    Write,
    /// Touch nothing; it shows again next time.
    Leave,
    /// The right's value is right: it is the base from now on, and nothing is written.
    KeepRight,
}

#[cfg(test)]
mod tests {
    use super::*;

    const REASONS: [FieldReason; 12] = [
        FieldReason::New,
        FieldReason::LeftChanged,
        FieldReason::RightChanged,
        FieldReason::BothChanged,
        FieldReason::NoBase,
        FieldReason::TargetMoved,
        FieldReason::WaitsForOthers,
        FieldReason::RuleChanged,
        FieldReason::RuleChangedOverKept,
        FieldReason::RightUnreadable,
        FieldReason::TakenOff,
        FieldReason::PerhapsThere,
    ];

    #[test]
    fn what_a_person_may_say_of_a_field_follows_from_its_reason() {
        for reason in REASONS {
            let unasked = reason.default_decision(FirstContact::Ask);
            if reason.is_conflict() {
                assert!(reason.can_be_decided() && reason.may_be_written(), "{reason:?} asks");
                assert_eq!(unasked, FieldDecision::Leave, "{reason:?} is written only when a person says so");
            }
            if !reason.may_be_written() {
                assert_eq!(unasked, FieldDecision::Leave, "{reason:?} is never written over");
            }
        }
        let may_not = REASONS.into_iter().filter(|r| !r.may_be_written());
        let wanted = [FieldReason::RightChanged, FieldReason::RightUnreadable, FieldReason::TakenOff];
        assert_eq!(may_not.collect::<Vec<_>>(), wanted);
    }
}
