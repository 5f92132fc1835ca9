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
        let (slot, write, losses) = f.decided_into(decided, into, change.written)?;
        Some(FieldChange {
            left: f.left.clone(),
            right: f.right.clone(),
            write: write.clone(),
            losses: losses.to_vec(),
            reason: f.reason,
            expanded: f.expanded.clone(),
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

/// What a change writes into the end that its lane writes first, where that is both edits of a field together; none if it
/// writes that end as it stands.
pub fn leg_merged(change: &Change, decision: &Decision, first_contact: FirstContact) -> Option<(Change, Decision)> {
    let into = change.written;
    let is_merged = |f: &FieldChange| decision.field(f, first_contact, into) == FieldDecision::Merge;
    if !change.fields.iter().any(is_merged) {
        return None;
    }
    let (mut leg, mut decided) = (change.clone(), decision.clone());
    for f in leg.fields.iter_mut().filter(|f| is_merged(f)) {
        if let Some((_, write, losses)) = f.decided_into(FieldDecision::Merge, into, into) {
            let (write, losses) = (write.clone(), losses.to_vec());
            (f.write, f.losses) = (write, losses);
            f.cannot.clear();
            decided.fields.insert(f.field.clone(), FieldDecision::Write(into));
        }
    }
    Some((leg, decided))
}
