//! The legs of a change: what it writes into each end.
//!
//! Decides which of a change's fields go into which end, as they are decided. Each leg is a change like one of a lane that
//! carries one way, so that writing it needs to know of nothing else.

use std::collections::BTreeMap;

use super::change::{Change, FieldChange};
use super::decision::{Decision, decided_fields};
use super::reason::FieldDecision;
use crate::rules::FirstContact;

/// What a change writes into the end that its lane does not write first, as it is decided; none if that is nothing.
pub fn leg_back(change: &Change, decision: &Decision, first_contact: FirstContact) -> Option<(Change, Decision)> {
    let into = change.written.other();
    let field = |f: &FieldChange| {
        let decided = decision.field(f, first_contact, change.written);
        let (slot, write, losses) =
            f.written_into(into, change.written).filter(|_| decided == FieldDecision::Write(into))?;
        Some(FieldChange {
            left: f.left.clone(),
            right: f.right.clone(),
            write: write.clone(),
            losses: losses.to_vec(),
            reason: f.reason,
            ..FieldChange::of(slot.clone())
        })
    };
    let fields: Vec<FieldChange> = decided_fields(change, decision).iter().filter_map(field).collect();
    if fields.is_empty() {
        return None;
    }
    let decided = fields.iter().map(|f| (f.field.clone(), FieldDecision::Write(into))).collect();
    let leg = Change {
        written: into,
        fields,
        held: change.held_back.clone(),
        held_back: BTreeMap::new(),
        rebased: BTreeMap::new(),
        accepted: Vec::new(),
        losses: Vec::new(),
        as_new: Vec::new(),
        ..change.clone()
    };
    Some((leg, Decision { included: decision.included, as_new: false, let_go: false, fields: decided }))
}
