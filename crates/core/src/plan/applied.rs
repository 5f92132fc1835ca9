//! The base of a pair after a change was applied.
//!
//! Decides for which fields it moves, and to what.

use std::collections::{BTreeMap, BTreeSet};

use super::change::{Change, Merge, Rebase, Returned};
use super::decision::{Decision, decided_fields, makes_new};
use super::reason::FieldDecision;
use crate::agree::{comments_of, history_of, same};
use crate::base::{Agreed, Base, RuleSlot, Why};
use crate::carry::{Lacking, written_from};
use crate::law::{Remembered, Wrote};
use crate::model::{Comment, End, Ends, Piece, Slot, Value, piece_ids};
use crate::rules::{Lane, Rule, RuleId};

/// What was written of a field: what was sent, and what the answer to that says is held.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WrittenField {
    /// What was sent.
    pub sent: Value,
    /// What the item held afterwards.
    pub held: Value,
}

/// What a transfer did with a change at one end, for moving the base.
#[derive(Debug, Clone)]
pub struct Written {
    /// The end that was written.
    pub end: End,
    /// When (seconds since 1970-01-01).
    pub at: i64,
    /// By the slot there.
    pub fields: BTreeMap<Slot, WrittenField>,
    /// Lists that were written without some of their members.
    pub lacking: Lacking,
    /// For an item that was made: what it held when it was made, in the fields that were not sent. By the slots of the end
    /// that its lane writes first: what is filled there, or what the rules start from where it was made at the other.
    pub made: Option<BTreeMap<Slot, Value>>,
}

impl Written {
    /// Nothing, at an end, at a time in seconds since 1970-01-01.
    pub fn nothing(end: End, at: i64) -> Written {
        Written { end, at, fields: BTreeMap::new(), lacking: Lacking::default(), made: None }
    }
}

/// The base of a pair after a change was applied. It moves for what was written, to what was planned from at the end that
/// is read and what the write's own answer holds at the end that was written; for what is the same at both ends, to what the plan read; and
/// where a person kept what that end holds. Everything else stays as it was, so it shows again. What is remembered of the
/// end that is read, of a list that was written without some of its members, is without them too: the next dry run takes
/// them for added.
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
    let (first, read) = (lane.written(), lane.read());
    let mut base = Base::default();
    let blank = Value::Empty;
    for (rule, of) in lane.rules.iter().filter_map(|rule| Some((rule, RuleSlot::of(rule, first)?))) {
        let (id, target) = (of.rule, of.slot);
        if written.end != first && makes_new(change, decision) {
            base.take(of, old);
            let to_come = |slot: &Slot| fields.iter().any(|f| f.field == *slot);
            made_back(&mut base, of, (rule, change, written), digests.get(id), to_come);
            continue;
        }
        let from = match change.values(read).get(target) {
            Some(from) => from,
            // A new item was made without what the other end left out of its answer. When that is told, it is carried.
            None if written.made.is_some() => &blank,
            // What is left out moves nothing.
            None => {
                base.take(of, old);
                continue;
            }
        };
        let digest = || digests.get(id).cloned().unwrap_or_default();
        let agreed = |why, made| Agreed::new(digest(), why, first, made);
        let field = fields.iter().find(|f| f.field == *target);
        let decided = field.map(|f| decision.field(f, first_contact, first));
        let planned = change.values(first).get(target).unwrap_or(&blank);
        let at = |from: Value, there: Value| Ends::at(first, there, from);
        let here = rule.fill(written.end).map_or(target, |fill| &fill.target);
        let back = field.and_then(|f| f.back.as_ref());
        if let (Some(done), Some(back)) = (written.fields.get(here), back) {
            let mut planned = at(from.clone(), planned.clone());
            // What it was written without is still to go there.
            if let Some(from) =
                written.lacking.get(here).map(|members| written_from(&planned[written.end.other()], members))
            {
                match from {
                    Some(from) => planned[written.end.other()] = from,
                    None => {
                        base.take(of, old);
                        continue;
                    }
                }
            }
            let merge = field.and_then(|f| f.merge.as_ref()).filter(|_| decided == Some(FieldDecision::Merge));
            if target.is_said() {
                said_both_ways(
                    &mut base,
                    (of, old),
                    (written, planned, done),
                    (back, first, merge.is_some()),
                    digest(),
                );
                continue;
            }
            both_ways(&mut base, (of, old), (written, planned, done), (back, merge, digest()));
        } else if let Some(done) = written.fields.get(here) {
            let from = match written.lacking.get(target) {
                Some(members) => written_from(from, members),
                None => Some(from.clone()),
            };
            match from {
                Some(from) => {
                    let from = with_gone(from, old.told(of).map(|was| was[read]));
                    let made = (done.sent != done.held).then(|| done.sent.clone());
                    base.set(of, at(from, done.held.clone()), agreed(Why::Carried, made));
                }
                None => base.take(of, old),
            }
        } else if let (Some(made), None) = (&written.made, decided) {
            // Nothing was sent for it, since the end that is read has nothing to say.
            let held = made.get(target).unwrap_or(&blank).clone();
            let is_blank = held.is_blank();
            let made = (!is_blank).then_some(Value::Empty);
            base.set(of, at(from.clone(), held), agreed(Why::Carried, made));
        } else if matches!(decided, Some(FieldDecision::Keep(_))) {
            let made = field.map(|f| f.write.clone());
            let mut kept = agreed(Why::Kept, made);
            kept.made[read] = back.map(|back| back.write.clone());
            kept.both = back.is_some();
            base.set(of, at(from.clone(), planned.clone()), kept);
        } else {
            match change.rebased.get(target) {
                Some(Rebase::Equal) => {
                    let mut equal = agreed(Why::Equal, None);
                    if let Some(made) = change.made.get(target) {
                        equal = Agreed::of_both(equal.rule, equal.why, made.clone());
                    }
                    // What was replaced before may come back all the same.
                    if let Some(was) = old.agreed(of) {
                        (equal.replaced, equal.swings) = (was.replaced.clone(), was.swings.clone());
                    }
                    base.set(of, at(from.clone(), planned.clone()), equal);
                }
                Some(Rebase::SameByAnotherRule) => {
                    base.take(of, old);
                    if let (Some(agreed), Some(digest)) = (base.agreed.get_mut(id), digests.get(id)) {
                        agreed.rule.clone_from(digest);
                        if let Some(made) = change.made.get(target) {
                            agreed.made.clone_from(made);
                            agreed.both = true;
                        }
                    }
                }
                Some(Rebase::Turned) => {
                    let mut turned = agreed(Why::Turned, None);
                    turned.made = change.made.get(target).cloned().unwrap_or_default();
                    base.set(of, at(from.clone(), planned.clone()), turned);
                }
                None => base.take(of, old),
            }
        }
    }
    base
}

/// The base of a slot of an item that was made at the end that its lane does not write first: what each end holds. Where the
/// rule does not carry there, that is as it was made, and stays so until somebody edits it. What is written by calls of its
/// own is there when that is done.
fn made_back(
    base: &mut Base,
    of: RuleSlot<'_>,
    (rule, change, written): (&Rule, &Change, &Written),
    digest: Option<&String>,
    to_come: impl Fn(&Slot) -> bool,
) {
    let first = written.end.other();
    let from = change.values(first).get(of.slot).cloned().unwrap_or(Value::Empty);
    let way_back = rule.fill(written.end);
    let done = way_back.and_then(|fill| written.fields.get(&fill.target));
    let by_itself = || match way_back {
        Some(fill) if to_come(&fill.target) => None,
        _ => written.made.as_ref().and_then(|made| made.get(of.slot)).cloned(),
    };
    let digest = digest.cloned().unwrap_or_default();
    let Some(held) = done.map(|done| done.held.clone()).or_else(by_itself) else { return };
    let agreed = match way_back {
        Some(_) => {
            let mut made = change.made.get(of.slot).cloned().unwrap_or_default();
            let sent = done.map_or(&Value::Empty, |done| &done.sent);
            if !same(sent, &held) {
                made[written.end] = Some(sent.clone());
            }
            Agreed::of_both(digest, Why::Carried, made)
        }
        None => Agreed::new(digest, Why::Kept, first, None),
    };
    let mut at = Ends::of(|_| held.clone());
    at[first] = from;
    base.set(of, at, agreed);
}

/// Comments or past changes with those that were there before and are gone: as long as both ends remember them as they were,
/// it is told that one has them no more.
fn with_gone(now: Value, was: Option<&Value>) -> Value {
    fn all<P: Piece>(now: &[P], was: &[P]) -> Vec<P> {
        let there: BTreeSet<String> = piece_ids(now).into_iter().collect();
        let gone = was.iter().zip(piece_ids(was)).filter(|(_, id)| !there.contains(id));
        now.iter().chain(gone.map(|(piece, _)| piece)).cloned().collect()
    }
    match (&now, was) {
        (_, Some(Value::Comments(was))) => Value::Comments(all(comments_of(&now), was)).settled(),
        (_, Some(Value::History(was))) => Value::History(all(history_of(&now), was)).settled(),
        _ => now,
    }
}

/// Comments without those that were among others and are not at both ends.
fn without(list: &Value, of: &Value, at_both: &Value) -> Value {
    let known: BTreeSet<&str> = comments_of(at_both).iter().filter_map(|c| c.id.as_deref()).collect();
    let gone: BTreeSet<&str> = comments_of(of).iter().filter_map(|c| c.id.as_deref()).collect();
    let stays = |c: &&Comment| c.id.as_deref().is_none_or(|id| known.contains(id) || !gone.contains(id));
    Value::Comments(comments_of(list).iter().filter(stays).cloned().collect()).settled()
}

/// Moves the base of comments that people write at both ends. While only one of two ends that both get some has got them,
/// what that one held before stays remembered, so that what is still to go from there is seen.
fn said_both_ways(
    base: &mut Base,
    (of, old): (RuleSlot<'_>, &Base),
    (written, planned, done): (&Written, Ends<Value>, &WrittenField),
    (back, first, goes_on): (&Returned, End, bool),
    digest: String,
) {
    let (into, from) = (written.end, written.end.other());
    let before = old.told(of).map(|was| was.map(Value::clone));
    let mut at = planned.clone();
    let mut made = Ends::default();
    if goes_on && into != first {
        at[into] = before.map(|was| was[into].clone()).unwrap_or_else(|| planned[into].clone());
        made[into] = Some(done.held.clone());
    } else {
        at[into] = done.held.clone();
        let half = old.agreed(of).filter(|a| goes_on && a.why == Why::Carried).and_then(|a| a.made[from].clone());
        at[from] = half.unwrap_or_else(|| planned[from].clone());
    }
    for end in End::BOTH {
        if let Some(at_both) = &back.made[into][end] {
            at[end] = without(&at[end], &planned[end], at_both);
        }
    }
    base.set(of, at, Agreed::of_both(digest, Why::Carried, made));
}

/// Moves the base of a slot of a rule that carries both ways, which was written.
fn both_ways(
    base: &mut Base,
    (of, old): (RuleSlot<'_>, &Base),
    (written, planned, done): (&Written, Ends<Value>, &WrittenField),
    (back, merge, digest): (&Returned, Option<&Merge>, String),
) {
    let remembered = old.remembered(of);
    let mut planned = planned;
    let agreed = |moved: Remembered<Value>| Agreed {
        replaced: moved.replaced,
        swings: moved.swings,
        ..Agreed::of_both(digest, Why::Carried, moved.made)
    };
    if let Some(merge) = merge {
        if let (End::Left, Some(before)) = (written.end, &remembered) {
            let half = before.clone().half_merged((&planned.left, &done.held), merge.half.clone(), written.at, same);
            return base.set(of, half.at.clone(), agreed(half));
        }
        // The left was written before: it holds what both edits make.
        planned.left = merge.write.left.clone();
    }
    // What the plan foresaw holds where the system holds what was sent.
    let made = match same(&done.sent, &done.held) {
        true => merge.map_or(&back.made[written.end], |merge| &merge.made).clone(),
        false => {
            let mut made = Ends { left: None, right: None };
            made[written.end] = Some(done.sent.clone());
            made
        }
    };
    let write = Wrote { into: written.end, planned, answer: done.held.clone(), at: written.at };
    let moved = Remembered::wrote(remembered.as_ref(), write, made, same);
    base.set(of, moved.at.clone(), agreed(moved));
}
