//! A conflict: a slot of a pair of which a person decides what becomes of it.
//!
//! Decides what tells one generation of a conflict from the next, what a person may choose, and what a choice means for a plan.
//! A choice belongs to one generation: where a value, the rule or the reason changed since, it is not taken. Knows of no
//! store and of no routes.

mod choice;
mod proposal;

use std::collections::{BTreeMap, HashMap};

pub use choice::{Choice, Take, can_be_merged, decision_for, offered, take_of};
pub use proposal::{Part, Pick, Proposal};

use crate::model::{End, Fingerprint, Value};
use crate::plan::{Change, Decision, FieldChange, FieldReason, Outcome};
use crate::rules::{Lane, RuleId};

/// What is kept of a conflict that is open, for the comparing that comes after.
#[derive(Debug, Clone)]
pub struct Standing {
    /// What tells its generation: see [`generation`].
    pub digest: Vec<u8>,
    /// Why a person decides.
    pub reason: FieldReason,
    /// What was chosen for this generation; none as long as nobody did.
    pub choice: Option<Choice>,
}

/// The open conflicts of a lane, by the id of the left item and the rule.
pub type OfLane = HashMap<String, BTreeMap<RuleId, Standing>>;

/// What tells one generation of a conflict from another: both values, why a person decides, and the rule with all that it
/// reads, its directions among that.
pub fn generation(field: &FieldChange, rule_digest: &str) -> Fingerprint {
    Fingerprint::of(&(&field.left, &field.right, field.reason, rule_digest))
}

impl Standing {
    /// Whether a field is still what it was when this was found, for the reason that was found then. What a system gave back,
    /// and what went to and fro, stays a conflict until a value changes: that time goes by decides nothing.
    pub(crate) fn keeps(
        &self,
        as_found: impl Fn(FieldReason) -> FieldChange,
        rule_digest: &str,
    ) -> Option<FieldChange> {
        let field = as_found(self.reason);
        let waits = matches!(self.reason, FieldReason::OldForm(_) | FieldReason::Exchange);
        (waits && self.is_of(&field, rule_digest)).then_some(field)
    }

    /// Whether it is of this generation.
    pub(crate) fn is_of(&self, field: &FieldChange, rule_digest: &str) -> bool {
        self.digest == generation(field, rule_digest).as_bytes()
    }

    /// What was chosen for a field, if that is of the generation that the choice was for.
    pub(crate) fn chosen(&self, field: &FieldChange, rule_digest: &str) -> Option<&Choice> {
        self.choice.as_ref().filter(|_| self.is_of(field, rule_digest))
    }

    /// Whether what was chosen for a field can't be done with it after all: an end does not take what was put together.
    pub fn choice_cannot_be_done(&self, field: &FieldChange, rule_digest: &str, first: End) -> bool {
        self.chosen(field, rule_digest).is_some_and(|choice| decision_for(field, choice.take, first).is_none())
    }

    /// What a person put together of both edits.
    pub(crate) fn merged(&self) -> Option<&Value> {
        self.choice.as_ref().filter(|choice| choice.take == Take::Merge)?.merged.as_ref()
    }
}

/// The decision on a change that nobody has touched in this plan, with what was chosen of its conflicts before.
pub fn decision_with(change: &Change, lane: &Lane, standing: &OfLane, digests: impl Fn(&RuleId) -> String) -> Decision {
    let mut decision = Decision::default_for(change);
    let Some(left) = change.left.as_ref().filter(|_| change.outcome == Outcome::Conflict) else {
        return decision;
    };
    for field in change.fields.iter().filter(|f| f.reason.is_conflict()) {
        let Some(rule) = lane.rule_filling(lane.written(), &field.field) else { continue };
        let Some(stands) = standing.get(&left.id).and_then(|of| of.get(&rule.id)) else { continue };
        let chosen = stands.chosen(field, &digests(&rule.id));
        if let Some(decided) = chosen.and_then(|choice| decision_for(field, choice.take, change.written)) {
            decision.fields.insert(field.field.clone(), decided);
            decision.included = true;
        }
    }
    decision
}
