//! The base of a pair after a change was applied.
//!
//! Decides for which fields it moves, and to what.

use std::collections::BTreeMap;

use super::change::{Change, Rebase};
use super::decision::{Decision, decided_fields};
use super::reason::FieldDecision;
use crate::base::{Agreed, Base, BaseSide, Why};
use crate::carry::{Lacking, written_from};
use crate::model::{Slot, Value};
use crate::rules::FirstContact;

/// What was written of a field: what was sent, and what the answer to that says is held.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WrittenField {
    pub sent: Value,
    pub held: Value,
}

/// What a transfer did with a change, for moving the base.
#[derive(Debug, Clone, Default)]
pub struct Written {
    /// By target.
    pub fields: BTreeMap<Slot, WrittenField>,
    /// Lists that were written without some of their members.
    pub lacking: Lacking,
    /// For an item that was made: what it held when it was made, in the fields that were not sent.
    pub made: Option<BaseSide>,
}

/// The base of a pair after a change was applied. It moves for what was written, to what was planned from at the left
/// and what the write's own answer holds at the end that was written; for what is the same at both ends, to what the plan read; and
/// where a person kept what that end holds. Everything else stays as it was, so it shows again. The left half of a
/// list that was written without some of its members is without them too: the next dry run takes them for added.
/// `digests` are those of the rules, by target.
pub fn base_after(
    change: &Change,
    decision: &Decision,
    first_contact: FirstContact,
    written: &Written,
    old: &Base,
    digests: &BTreeMap<Slot, String>,
) -> Base {
    let fields = decided_fields(change, decision);
    let mut base = Base::default();
    let blank = Value::Empty;
    for (target, left) in &change.left_side.0 {
        let rule = digests.get(target).cloned().unwrap_or_default();
        let field = fields.iter().find(|f| f.field == *target);
        let decided = field.map(|f| decision.field(f, first_contact, change.written));
        let planned = change.right_side.0.get(target).unwrap_or(&blank);
        if let Some(done) = written.fields.get(target) {
            let from = match written.lacking.get(target) {
                Some(members) => written_from(left, members),
                None => Some(left.clone()),
            };
            match from {
                Some(from) => {
                    let made = (done.sent != done.held).then(|| done.sent.clone());
                    base.set(target, from, done.held.clone(), Agreed::new(rule, Why::Carried, made));
                }
                None => base.take(target, old),
            }
        } else if let (Some(made), None) = (&written.made, decided) {
            // Nothing was sent for it, since the left has nothing to say.
            let held = made.0.get(target).unwrap_or(&blank).clone();
            let is_blank = held.is_blank();
            let made = (!is_blank).then_some(Value::Empty);
            base.set(target, left.clone(), held, Agreed::new(rule, Why::Carried, made));
        } else if matches!(decided, Some(FieldDecision::Keep(_))) {
            let made = field.map(|f| f.write.clone());
            base.set(target, left.clone(), planned.clone(), Agreed::new(rule, Why::Kept, made));
        } else {
            match change.rebased.get(target) {
                Some(Rebase::Equal) => {
                    base.set(target, left.clone(), planned.clone(), Agreed::new(rule, Why::Equal, None));
                }
                Some(Rebase::SameByAnotherRule) => {
                    base.take(target, old);
                    if let Some(agreed) = base.agreed.get_mut(target) {
                        agreed.rule = rule;
                    }
                }
                None => base.take(target, old),
            }
        }
    }
    base
}
