//! Why a field, or an item, is not at the end that is written as its rules say.
//!
//! Decides from what was agreed on and from what became of the latest plan. Only what has no reason at all is called
//! unexplained: that is what somebody must look into.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::agree::same;
use crate::base::{Agreed, Why};
use crate::model::{End, Ends, Slot, Value, codes};
use crate::plan::{FieldDecision, FieldReason, Outcome};

/// Why something does not agree.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum DifferenceCause {
    /// A person left it out.
    LeftOut,
    /// It differs, or may be a counterpart, and nobody decided yet.
    Undecided,
    /// It can't be transferred as the rules are.
    CannotBeCarried,
    /// The written end did not take it.
    Refused,
    /// No plan has it yet: it came to be, or changed, since.
    NotPlannedYet,
    /// It is in a plan that was not carried out, or not to its end.
    NotTransferredYet,
    /// This end changed since the last transfer, behind Hovrel's back.
    ChangedSince(End),
    /// Both ends did.
    BothChangedSince,
    /// The rule gives something else than when both were in step.
    RuleChanged,
    /// What it leads to, or names, has come to another place.
    TargetMoved,
    /// A list that holds all but what is not at the written end yet.
    WaitsForOthers,
    /// What this end holds can't be read.
    Unreadable(End),
    /// Taken off at this end since it was carried there.
    RemovedAt(End),
    /// The written end's value was kept by decision.
    KeptByDecision,
    /// The lane was turned round, and neither end was edited since.
    Turned,
    /// The written end made something else of what was sent.
    ChangedOnSaving,
    /// There is no reason for it.
    Unexplained,
}

codes!(DifferenceCause, "Why something does not agree, with the end that it is about.": {
    LeftOut = "left_out",
    Undecided = "undecided" or "never_carried",
    CannotBeCarried = "cannot_be_carried",
    Refused = "refused",
    NotPlannedYet = "not_planned_yet",
    NotTransferredYet = "not_transferred_yet",
    ChangedSince(Left) = "left_changed_since",
    ChangedSince(Right) = "right_changed_since",
    BothChangedSince = "both_changed_since",
    RuleChanged = "rule_changed",
    TargetMoved = "target_moved",
    WaitsForOthers = "waits_for_others",
    Unreadable(Left) = "left_unreadable",
    Unreadable(Right) = "right_unreadable",
    RemovedAt(Left) = "removed_at_left",
    RemovedAt(Right) = "removed_at_right",
    KeptByDecision = "kept_by_decision",
    Turned = "turned",
    ChangedOnSaving = "changed_on_saving",
    Unexplained = "unexplained",
});

/// How much a difference weighs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Weight {
    /// It is as somebody decided, as the written end made it, or as it was when the lane was turned round; all are on record.
    Settled,
    /// A person, or the next transfer, has to do something.
    Waits,
    /// Nobody knows why.
    Unexplained,
}

impl DifferenceCause {
    /// Whether it is explained, waits, or is nobody's doing.
    pub fn weight(self) -> Weight {
        match self {
            DifferenceCause::KeptByDecision
            | DifferenceCause::Turned
            | DifferenceCause::ChangedOnSaving
            | DifferenceCause::RemovedAt(_) => Weight::Settled,
            DifferenceCause::Unexplained => Weight::Unexplained,
            _ => Weight::Waits,
        }
    }
}

/// What became of an item in the latest plan of its route.
#[derive(Debug, Clone)]
pub struct Fate {
    /// The end that was to be written.
    pub written: End,
    /// What was to be done.
    pub outcome: Outcome,
    /// Whether it was to be transferred.
    pub included: bool,
    /// How far the transfer came with it; none if it never began with it.
    pub transfer: Option<Progress>,
    /// By target.
    pub fields: BTreeMap<Slot, (FieldReason, FieldDecision)>,
}

/// How far a transfer came with a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Progress {
    /// A transfer began with it and did not end it.
    Begun,
    /// It was transferred.
    Done,
    /// It was refused.
    Refused,
}

impl Fate {
    /// Why nothing of an item is at the end that is written.
    pub fn of_item(fate: Option<&Fate>) -> DifferenceCause {
        let Some(fate) = fate else { return DifferenceCause::NotPlannedYet };
        match (fate.outcome, fate.included, fate.transfer) {
            (Outcome::Blocked, false, _) => DifferenceCause::CannotBeCarried,
            (Outcome::Adopt | Outcome::Conflict, false, _) => DifferenceCause::Undecided,
            (Outcome::Gone(end), false, _) if end == fate.written => DifferenceCause::Undecided,
            (_, false, _) => DifferenceCause::LeftOut,
            (_, true, Some(Progress::Refused)) => DifferenceCause::Refused,
            (_, true, Some(Progress::Begun) | None) => DifferenceCause::NotTransferredYet,
            (_, true, Some(Progress::Done)) => DifferenceCause::Unexplained,
        }
    }

    /// Why a field that was never in step is not at the end that is written.
    fn of_field(fate: Option<&Fate>, target: &Slot) -> DifferenceCause {
        let Some(found) = fate.filter(|f| f.included) else { return Fate::of_item(fate) };
        match (found.fields.get(target), found.transfer) {
            (_, Some(Progress::Refused)) => DifferenceCause::Refused,
            (Some((reason, FieldDecision::Leave)), _) if reason.is_conflict() => DifferenceCause::Undecided,
            (Some((_, FieldDecision::Leave)), _) => DifferenceCause::LeftOut,
            (_, Some(Progress::Begun) | None) => DifferenceCause::NotTransferredYet,
            (None, Some(Progress::Done)) => DifferenceCause::NotPlannedYet,
            (Some(_), Some(Progress::Done)) => DifferenceCause::Unexplained,
        }
    }
}

/// What is known of a field that does not agree.
pub struct Case<'a> {
    pub target: &'a Slot,
    /// What the rule gives now.
    pub expected: &'a Value,
    /// The end that the lane writes.
    pub written: End,
    /// Whether either end is as when last in step; none if the field never was.
    pub same: Option<Ends<bool>>,
    pub agreed: Option<&'a Agreed>,
    /// Whether the rule is the one under which it came to be in step.
    pub same_rule: bool,
    pub fate: Option<&'a Fate>,
}

impl Case<'_> {
    pub fn cause(&self) -> DifferenceCause {
        let Some(same) = self.same else { return Fate::of_field(self.fate, self.target) };
        let planned = self.fate.and_then(|f| f.fields.get(self.target));
        let waits = match planned {
            Some((reason, FieldDecision::Leave)) if reason.is_conflict() => Some(DifferenceCause::Undecided),
            _ => None,
        };
        let from = self.written.other();
        match (same[from], same[self.written]) {
            (true, true) => self.of_neither(),
            (false, true) => match planned {
                Some((FieldReason::Changed(end), FieldDecision::Leave)) if *end == from => DifferenceCause::LeftOut,
                _ if self.fate.is_some_and(|f| f.included && f.transfer == Some(Progress::Refused)) => {
                    DifferenceCause::Refused
                }
                _ => DifferenceCause::ChangedSince(from),
            },
            (true, false) => waits.unwrap_or(DifferenceCause::ChangedSince(self.written)),
            (false, false) => waits.unwrap_or(DifferenceCause::BothChangedSince),
        }
    }

    /// Neither end changed since both were in step.
    fn of_neither(&self) -> DifferenceCause {
        let Some(agreed) = self.agreed else { return DifferenceCause::Unexplained };
        match agreed.why {
            Why::Kept => return DifferenceCause::KeptByDecision,
            Why::Turned => return DifferenceCause::Turned,
            // The transfer that takes that down is still to come.
            Why::Carried | Why::Equal if agreed.filled != self.written => return DifferenceCause::Turned,
            Why::Carried | Why::Equal => {}
        }
        match &agreed.made[self.written] {
            Some(made) if same(made, self.expected) => DifferenceCause::ChangedOnSaving,
            _ if !self.same_rule => DifferenceCause::RuleChanged,
            Some(_) | None => DifferenceCause::TargetMoved,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Value;

    /// Who turned a lane round did not change a value, nor a rule: what each end held then is there for that reason, before the
    /// transfer that remembers it and after.
    #[test]
    fn what_stands_apart_since_the_lane_was_turned_has_that_cause() {
        let (target, expected) = (Slot::from("note"), Value::text("cut"));
        for (why, filled, cause) in [
            (Why::Carried, End::Right, DifferenceCause::Turned),
            (Why::Turned, End::Left, DifferenceCause::Turned),
            (Why::Carried, End::Left, DifferenceCause::RuleChanged),
            (Why::Kept, End::Right, DifferenceCause::KeptByDecision),
        ] {
            let agreed = Agreed { filled, ..Agreed::new("1:a".into(), why, filled, None) };
            let case = Case {
                target: &target,
                expected: &expected,
                written: End::Left,
                same: Some(Ends { left: true, right: true }),
                agreed: Some(&agreed),
                same_rule: false,
                fate: None,
            };
            assert_eq!(case.cause(), cause, "{why:?} {filled:?}");
        }
    }
}
