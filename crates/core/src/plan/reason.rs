//! Why a field is in a change, and what happens to it unless a person says otherwise.

use crate::model::{End, codes};
use crate::rules::FirstContact;

/// Why a field is in a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum FieldReason {
    /// The artefact is new.
    New,
    /// Changed at this end, and at no other, since the base.
    Changed(End),
    /// Changed at both ends since the base.
    BothChanged,
    /// Differs, and there is no base to tell who changed it.
    NoBase,
    /// What a link leads to, or what a text names, has come to another place since.
    TargetMoved,
    /// A list of the written end lacks what is not there yet, and nothing else.
    WaitsForOthers,
    /// Neither end changed, and the rule gives something else than when both were last in step.
    RuleChanged,
    /// The same, of a field in which a person had kept what the written end holds.
    RuleChangedOverKept,
    /// What this end holds can't be read, so it must not be written over.
    Unreadable(End),
    /// Taken off at this end; at the other it stays.
    TakenOff(End),
    /// Something was sent and no answer came: what is there may be what somebody made of it since.
    PerhapsThere,
    /// Changed at this end, which is not read first, and at no other since the base; the rule carries it back.
    Back(End),
    /// Differs, there is no base, and the lane says that what this end holds is right.
    Wins(End),
    /// Changed at this end, and that can't be carried to the other.
    NotCarried(End),
    /// This end holds again what was there before Hovrel last wrote it.
    OldForm(End),
    /// The same edits went to and fro too often.
    Exchange,
    /// Neither end changed, and the rule gives something else on its way back than when both were last in step.
    RuleChangedBack,
    /// Changed at both ends, in different parts: either end gets the other's.
    Merged,
    /// Changed at both ends; by the policy of the lane what this end holds goes to the other.
    Prevails(End),
    /// Changed at both ends; the newer would go to the other, and this end does not tell when it was changed.
    NoTime(End),
    /// The same, and the clock of this end is off, or nobody knows what it shows.
    ClockOff(End),
    /// The same, and both were changed at about the same time.
    SameTime,
}

codes!(FieldReason, "Why a field is in a change, with the end that it is about.": {
    New = "new",
    Changed(Left) = "left_changed",
    Changed(Right) = "right_changed",
    BothChanged = "both_changed",
    NoBase = "no_base",
    TargetMoved = "target_moved",
    WaitsForOthers = "waits_for_others",
    RuleChanged = "rule_changed",
    RuleChangedOverKept = "rule_changed_over_kept",
    Unreadable(Left) = "left_unreadable",
    Unreadable(Right) = "right_unreadable",
    TakenOff(Left) = "taken_off_left" or "taken_off",
    TakenOff(Right) = "taken_off_right",
    PerhapsThere = "perhaps_there",
    Back(Left) = "left_goes_back",
    Back(Right) = "right_goes_back",
    Wins(Left) = "left_wins",
    Wins(Right) = "right_wins",
    NotCarried(Left) = "left_not_carried",
    NotCarried(Right) = "right_not_carried",
    OldForm(Left) = "left_old_form",
    OldForm(Right) = "right_old_form",
    Exchange = "exchange",
    RuleChangedBack = "rule_changed_back",
    Merged = "merged",
    Prevails(Left) = "left_prevails",
    Prevails(Right) = "right_prevails",
    NoTime(Left) = "left_without_time",
    NoTime(Right) = "right_without_time",
    ClockOff(Left) = "left_clock_off",
    ClockOff(Right) = "right_clock_off",
    SameTime = "same_time",
});

impl FieldReason {
    /// What happens unless a person says otherwise, in a lane that writes one end.
    pub fn default_decision(self, first_contact: FirstContact, written: End) -> FieldDecision {
        match self {
            FieldReason::Changed(end) if end == written => FieldDecision::Leave,
            FieldReason::New
            | FieldReason::Changed(_)
            | FieldReason::TargetMoved
            | FieldReason::WaitsForOthers
            | FieldReason::RuleChanged => FieldDecision::Write(written),
            FieldReason::Back(end) | FieldReason::Wins(end) | FieldReason::Prevails(end) => {
                FieldDecision::Write(end.other())
            }
            FieldReason::Merged => FieldDecision::Merge,
            FieldReason::BothChanged
            | FieldReason::RuleChangedOverKept
            | FieldReason::Unreadable(_)
            | FieldReason::TakenOff(_)
            | FieldReason::PerhapsThere
            | FieldReason::NotCarried(_)
            | FieldReason::OldForm(_)
            | FieldReason::Exchange
            | FieldReason::RuleChangedBack
            | FieldReason::NoTime(_)
            | FieldReason::ClockOff(_)
            | FieldReason::SameTime => FieldDecision::Leave,
            FieldReason::NoBase => match first_contact {
                FirstContact::Ask => FieldDecision::Leave,
                FirstContact::Wins(end) if end == written => FieldDecision::Keep(written),
                FirstContact::Wins(_) => FieldDecision::Write(written),
            },
        }
    }

    /// Whether both ends changed, so that somebody decides.
    pub fn is_conflict(self) -> bool {
        matches!(
            self,
            FieldReason::BothChanged
                | FieldReason::NoBase
                | FieldReason::RuleChangedOverKept
                | FieldReason::PerhapsThere
                | FieldReason::NotCarried(_)
                | FieldReason::OldForm(_)
                | FieldReason::Exchange
                | FieldReason::RuleChangedBack
                | FieldReason::NoTime(_)
                | FieldReason::ClockOff(_)
                | FieldReason::SameTime
        )
    }

    /// Whether a person may say what becomes of it: an edit at the end that is written can be kept, or asked about
    /// again.
    pub fn can_be_decided(self, written: End) -> bool {
        let goes_over = matches!(
            self,
            FieldReason::Back(_) | FieldReason::Wins(_) | FieldReason::Merged | FieldReason::Prevails(_)
        );
        self.is_conflict() || goes_over || self == FieldReason::Changed(written)
    }

    /// Whether the other end's value may be written over what the written end holds.
    pub fn may_be_written(self, written: End) -> bool {
        match self {
            FieldReason::Changed(end) | FieldReason::Back(end) => end != written,
            FieldReason::Unreadable(_) | FieldReason::TakenOff(_) => false,
            _ => true,
        }
    }

    /// Whether the other end's value goes into an end, unless a person says otherwise, or once one says so.
    pub fn may_come_into(self, end: End) -> bool {
        self.may_be_written(end) && self != FieldReason::Prevails(end)
    }
}

/// What to do about one field.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum FieldDecision {
    /// Write this end, with what its rule makes of the other.
    Write(End),
    /// Write both ends, each with what both edits make of it.
    Merge,
    /// Touch nothing; it shows again next time.
    Leave,
    /// What this end holds is right: it is the base from now on, and nothing is written.
    Keep(End),
}

impl FieldDecision {
    /// Whether an end is written.
    pub fn writes(self) -> bool {
        matches!(self, FieldDecision::Write(_) | FieldDecision::Merge)
    }

    /// The end whose value goes over, or is kept; none if that is neither.
    pub fn end(self) -> Option<End> {
        match self {
            FieldDecision::Write(end) | FieldDecision::Keep(end) => Some(end),
            FieldDecision::Leave | FieldDecision::Merge => None,
        }
    }
}

codes!(FieldDecision, "What to do about one field, with the end that is written or kept.": {
    Write(Left) = "write_left",
    Write(Right) = "write_right" or "write",
    Merge = "merge",
    Leave = "leave",
    Keep(Left) = "keep_left",
    Keep(Right) = "keep_right",
});

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_person_may_say_of_a_field_follows_from_its_reason() {
        for written in End::BOTH {
            for &reason in FieldReason::ALL {
                let unasked = reason.default_decision(FirstContact::Ask, written);
                if reason.is_conflict() {
                    assert!(reason.can_be_decided(written) && reason.may_be_written(written), "{reason:?} asks");
                    assert_eq!(unasked, FieldDecision::Leave, "{reason:?} is written only when a person says so");
                }
                if !reason.may_come_into(written) {
                    assert_ne!(unasked, FieldDecision::Write(written), "{reason:?} is never written over");
                }
            }
            let may_not: Vec<_> = FieldReason::ALL.iter().copied().filter(|r| !r.may_be_written(written)).collect();
            let both = |of: fn(End) -> FieldReason| End::BOTH.map(of).to_vec();
            let wanted = [
                vec![FieldReason::Changed(written)],
                both(FieldReason::Unreadable),
                both(FieldReason::TakenOff),
                vec![FieldReason::Back(written)],
            ];
            assert_eq!(may_not, wanted.concat());
        }
    }

    /// A code is read as what it is written for, and those of former versions are still read.
    #[test]
    fn codes_of_both_ends_are_read_as_they_are_written() {
        for &reason in FieldReason::ALL {
            let json = serde_json::to_value(reason).expect("a code");
            assert_eq!(json, reason.id());
            assert_eq!(serde_json::from_value::<FieldReason>(json).expect("read again"), reason);
        }
        assert_eq!(FieldReason::of_id("taken_off"), Some(FieldReason::TakenOff(End::Left)));
        assert_eq!(FieldDecision::of_id("write"), Some(FieldDecision::Write(End::Right)));
        let unknown = serde_json::from_str::<FieldDecision>("\"burn\"").expect_err("no such code").to_string();
        assert!(unknown.contains("burn") && unknown.contains("keep_left"), "{unknown}");
    }
}
