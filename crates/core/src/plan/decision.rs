//! What a person decided about a change, and what follows for its fields.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::change::{Change, FieldChange, Outcome, Rebase};
use super::reason::{FieldDecision, FieldReason};
use crate::identity::Evidence;
use crate::loss::Loss;
use crate::model::{End, Slot};
use crate::rules::FirstContact;

/// What to do about one change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Decision {
    /// Whether the change is transferred.
    pub included: bool,
    /// Make a new artefact: instead of adopting one, or in place of one that is gone.
    #[serde(default)]
    pub as_new: bool,
    /// Let the pair go: it is not carried any more, and not told again.
    #[serde(default)]
    pub let_go: bool,
    /// Fields decided otherwise than by default.
    #[serde(default)]
    pub fields: BTreeMap<Slot, FieldDecision>,
}

impl Decision {
    /// The decision on a change that nobody has touched.
    pub fn default_for(change: &Change) -> Decision {
        let included = match change.outcome {
            Outcome::New(_) | Outcome::Update(_) => true,
            Outcome::Adopt => change.evidence.as_ref().is_some_and(Evidence::is_sure),
            Outcome::Conflict => {
                let unasked = |f: &FieldChange| f.reason.default_decision(FirstContact::Ask, change.written);
                change.fields.iter().any(|f| unasked(f).writes())
            }
            Outcome::InStep => true,
            Outcome::Held(_)
            | Outcome::Blocked
            | Outcome::Gone(_)
            | Outcome::OutOfScope(_)
            | Outcome::Unreadable
            | Outcome::TakenOff(_) => false,
        };
        Decision { included, as_new: false, let_go: false, fields: BTreeMap::new() }
    }

    /// What becomes of a field of a change that writes an end.
    pub fn field(&self, change: &FieldChange, first_contact: FirstContact, written: End) -> FieldDecision {
        self.of_field(&change.field, change.reason, first_contact, written)
    }

    pub(super) fn of_field(
        &self,
        field: &str,
        reason: FieldReason,
        first_contact: FirstContact,
        written: End,
    ) -> FieldDecision {
        self.fields.get(field).copied().unwrap_or_else(|| reason.default_decision(first_contact, written))
    }
}

/// The fields that a decision writes, as they stand, at the end that the change writes, or writes first. What both edits
/// make of a field together is in the legs of the change.
pub fn fields_to_write<'a>(
    change: &'a Change,
    decision: &Decision,
    first_contact: FirstContact,
) -> Vec<&'a FieldChange> {
    decided_fields(change, decision)
        .iter()
        .filter(|f| decision.field(f, first_contact, change.written) == FieldDecision::Write(change.written))
        .filter(|f| f.written_into(change.written, change.written).is_some())
        .collect()
}

/// The losses of what a decision writes, at either end.
pub fn losses_of_written<'a>(change: &'a Change, decision: &Decision, first_contact: FirstContact) -> Vec<&'a Loss> {
    let of = |f: &'a FieldChange| {
        let decided = decision.field(f, first_contact, change.written);
        let into = End::BOTH.into_iter().filter_map(move |end| f.decided_into(decided, end, change.written));
        into.flat_map(|(.., losses)| losses)
    };
    decided_fields(change, decision).iter().flat_map(of).collect()
}

/// The losses of fields that are the same at both ends: they stand beside the fields that differ.
pub fn losses_of_equal(change: &Change) -> impl Iterator<Item = &Loss> {
    change.losses.iter().filter(|l| change.rebased.get(&l.field) == Some(&Rebase::Equal))
}

/// Whether a change makes a new item, as it is decided.
pub fn makes_new(change: &Change, decision: &Decision) -> bool {
    matches!(change.outcome, Outcome::New(_)) || makes_instead(change.outcome, change.written, decision)
}

/// Whether a new item is made in the place of what was planned.
pub(super) fn makes_instead(outcome: Outcome, written: End, decision: &Decision) -> bool {
    match outcome {
        Outcome::New(_) => false,
        Outcome::Gone(end) if end == written => !decision.let_go,
        _ => decision.as_new,
    }
}

/// The fields that a decision is about: those of the new item, if one is made instead of what was planned.
pub fn decided_fields<'a>(change: &'a Change, decision: &Decision) -> &'a [FieldChange] {
    if makes_instead(change.outcome, change.written, decision) { &change.as_new } else { &change.fields }
}
