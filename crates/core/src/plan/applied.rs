//! The base of a pair after a change was applied.
//!
//! Decides for which fields it moves, and to what.

use std::collections::BTreeMap;

use super::change::{Change, Rebase};
use super::decision::{Decision, decided_fields};
use super::reason::FieldDecision;
use crate::base::{Agreed, Base, RuleSlot, Why};
use crate::carry::{Lacking, written_from};
use crate::model::{Slot, Value};
use crate::rules::{Lane, RuleId};

/// What was written of a field: what was sent, and what the answer to that says is held.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WrittenField {
    /// What was sent.
    pub sent: Value,
    /// What the item held afterwards.
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
    pub made: Option<BTreeMap<Slot, Value>>,
}

/// The base of a pair after a change was applied. It moves for what was written, to what was planned from at the left
/// and what the write's own answer holds at the end that was written; for what is the same at both ends, to what the plan read; and
/// where a person kept what that end holds. Everything else stays as it was, so it shows again. The left half of a
/// list that was written without some of its members is without them too: the next dry run takes them for added.
/// `digests` are those of the lane's rules.
pub fn base_after(
    lane: &Lane,
    change: &Change,
    decision: &Decision,
    written: &Written,
    old: &Base,
    digests: &BTreeMap<RuleId, String>,
) -> Base {
    let fields = decided_fields(change, decision);
    let first_contact = lane.policies.first_contact;
    let mut base = Base::default();
    let blank = Value::Empty;
    for (id, fill) in lane.filling() {
        let (target, of) = (&fill.target, RuleSlot { rule: id, slot: &fill.target });
        let left = match change.left_side.get(target) {
            Some(left) => left,
            // A new item was made without what the other end left out of its answer. When that is told, it is carried.
            None if written.made.is_some() => &blank,
            // What is left out moves nothing.
            None => {
                base.take(of, old);
                continue;
            }
        };
        let agreed = |why, made| {
            let digest = digests.get(id).cloned().unwrap_or_default();
            Agreed::new(digest, why, change.written, made)
        };
        let field = fields.iter().find(|f| f.field == *target);
        let decided = field.map(|f| decision.field(f, first_contact, change.written));
        let planned = change.right_side.get(target).unwrap_or(&blank);
        if let Some(done) = written.fields.get(target) {
            let from = match written.lacking.get(target) {
                Some(members) => written_from(left, members),
                None => Some(left.clone()),
            };
            match from {
                Some(from) => {
                    let made = (done.sent != done.held).then(|| done.sent.clone());
                    base.set(of, from, done.held.clone(), agreed(Why::Carried, made));
                }
                None => base.take(of, old),
            }
        } else if let (Some(made), None) = (&written.made, decided) {
            // Nothing was sent for it, since the left has nothing to say.
            let held = made.get(target).unwrap_or(&blank).clone();
            let is_blank = held.is_blank();
            let made = (!is_blank).then_some(Value::Empty);
            base.set(of, left.clone(), held, agreed(Why::Carried, made));
        } else if matches!(decided, Some(FieldDecision::Keep(_))) {
            let made = field.map(|f| f.write.clone());
            base.set(of, left.clone(), planned.clone(), agreed(Why::Kept, made));
        } else {
            match change.rebased.get(target) {
                Some(Rebase::Equal) => {
                    base.set(of, left.clone(), planned.clone(), agreed(Why::Equal, None));
                }
                Some(Rebase::SameByAnotherRule) => {
                    base.take(of, old);
                    if let (Some(agreed), Some(digest)) = (base.agreed.get_mut(id), digests.get(id)) {
                        agreed.rule.clone_from(digest);
                    }
                }
                None => base.take(of, old),
            }
        }
    }
    base
}
