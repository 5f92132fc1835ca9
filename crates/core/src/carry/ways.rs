//! Both ways of a rule between two items.
//!
//! Decides what an edit at one end makes of what stands at the other: nothing, where that says the same already; and where
//! that was edited too, what becomes of both. Formatted texts, steps and tables keep what the other end can't hold: only what
//! was edited of them goes over.

use super::calls::with_calls;
use super::context::Context;
use super::convert::Converted;
use super::fault::FaultReason;
use super::ready::Ready;
use crate::agree::same;
use crate::law::{Ways, one_stands_for_the_other};
use crate::loss::Loss;
use crate::merge::{lifted, merge};
use crate::model::{Artefact, End, Ends, Value, ValueType};

/// Both ways of a rule between two items, or between what can be held at either end.
#[derive(Clone, Copy)]
pub struct BothWays<'a> {
    /// How the rule fills the slot of each end.
    pub ready: Ends<&'a Ready<'a>>,
    /// What each way may look at.
    pub cx: Ends<&'a Context<'a>>,
    /// The items.
    pub items: Ends<&'a Artefact>,
    /// The end into which the conversions stand, if the way into the other takes them back.
    pub taken_back: Option<End>,
}

impl BothWays<'_> {
    /// What is made of a value for an end at which nothing stands, with what is lost.
    pub fn whole(&self, into: End, value: &Value) -> Converted {
        let mut out = self.keeping_calls(into, self.made(into, &Value::Empty, value));
        out.losses.extend(self.lost_in_reading(into));
        out
    }

    /// What an edit makes of what stands at an end, with what it loses: all of the value goes over. Of a value that is put
    /// there part by part, what only this end can hold stays where the edit does not touch it.
    pub fn carried(&self, into: End, there: &Value, was: &Value, is: &Value) -> Converted {
        if self.says_so(into, there, was, is) {
            return unchanged(there);
        }
        let put = match self.goes_by_member() {
            true => self.put_members(into, (there, was, is), true),
            false => self.put_in_parts(into, there, was, is),
        };
        let mut out = self.keeping_calls(into, put.unwrap_or_else(|| self.made(into, there, is)));
        out.losses.extend(self.lost_in_reading(into));
        out
    }

    /// Whether an edit changed nothing, or what stands at the other end says the same already.
    fn says_so(&self, into: End, there: &Value, was: &Value, is: &Value) -> bool {
        if self.goes_by_member() {
            return same(was, is) || self.members_agree(Ends::at(into, there, is));
        }
        let back = || self.made(into.other(), &Value::Empty, there).value;
        same(was, is) || back().is_some_and(|back| same(&back, is))
    }

    /// What an edit makes of what stands at an end that was edited too: both edits are put together in the words of the end
    /// that this one was made at, or of this end, if values are put there part by part. None where they touch the same part.
    pub fn merged(&self, into: End, there: &Value, was: &Value, is: &Value) -> Option<Converted> {
        if self.says_so(into, there, was, is) {
            return Some(unchanged(there));
        }
        if self.goes_by_member() {
            return self.put_members(into, (there, was, is), false);
        }
        if self.goes_in_parts(into) {
            return self.put_in_parts(into, there, was, is).map(|put| self.keeping_calls(into, put));
        }
        let edited = self.made(into.other(), was, there).value?;
        let both = if same(&edited, was) { is.clone() } else { merge(was, &edited, is)? };
        Some(self.made(into, there, &both))
    }

    /// Whether what goes into an end is put there part by part: formatted texts, steps and tables may hold what the other
    /// end can't.
    pub fn goes_in_parts(&self, into: End) -> bool {
        let value_type = self.ready[into].field.map(|field| field.value_type);
        matches!(value_type, Some(ValueType::RichText | ValueType::Steps | ValueType::Table))
    }

    /// Puts what was edited of a value onto what stands at an end: both edits are put together in what either end can hold,
    /// and what only this one can is kept where they don't touch it. None where they touch the same part, or just that, or the
    /// end would not keep what comes of it.
    fn put_in_parts(&self, into: End, there: &Value, was: &Value, is: &Value) -> Option<Converted> {
        if !self.goes_in_parts(into) {
            return None;
        }
        let after = self.made(into, there, is);
        let Some(to) = &after.value else { return Some(after) };
        let before = self.made(into, there, was).value?;
        let plain = match same(&before, there) {
            true => there.clone(),
            // What is left of it at the other end.
            false => self.made(into, there, &self.made(into.other(), was, there).value?).value?,
        };
        let both = if same(&before, &plain) { to.clone() } else { merge(&before, &plain, to)? };
        let value = lifted(&plain, there, &both)?;
        // What either end can hold of it is what both edits made.
        let told = || self.made(into, there, &self.made(into.other(), was, &value).value?).value;
        if !same(&value, &both) && !told().is_some_and(|told| same(&told, &both)) {
            return None;
        }
        let ready = self.ready[into];
        match ready.refusal(&value) {
            _ if !ready.keeps(&value) => None,
            Some(fault) => Some(Converted { value: None, losses: Vec::new(), fault: Some(fault) }),
            None => Some(Converted { value: Some(value), ..after }),
        }
    }

    /// Whether an end takes a value that a person made for it, and holds it as it is.
    pub fn takes(&self, into: End, value: &Value) -> bool {
        let ready = self.ready[into];
        ready.refusal(value).is_none() && ready.keeps(value) && self.keeps_calls(into, value)
    }

    /// What the item that an edit comes from lost when it was read, of what the rule takes from it.
    fn lost_in_reading(&self, into: End) -> impl Iterator<Item = Loss> {
        let ready = self.ready[into];
        let read = self.items[into.other()].read_losses.iter().filter(move |loss| ready.reads(&loss.field));
        read.map(move |loss| Loss { field: ready.fill.target.clone(), ..loss.clone() })
    }

    /// What is made of a value for an end at which something stands.
    pub(super) fn made(&self, into: End, there: &Value, is: &Value) -> Converted {
        let (ready, item) = (self.ready[into], self.items[into.other()]);
        match self.taken_back {
            Some(end) if end != into => {
                match self.ready[end].taken_back(there, is.clone(), self.cx[end], self.cx[into]) {
                    Ok(value) => ready.carry(value, item, self.cx[into]),
                    Err(fault) => Converted { value: None, losses: Vec::new(), fault: Some(fault) },
                }
            }
            _ => match ready.starts_from(is) {
                Ok(value) => ready.carry(value, item, self.cx[into]),
                Err(fault) => Converted { value: None, losses: Vec::new(), fault: Some(fault) },
            },
        }
    }

    /// Nothing instead of a value that touches what stands at an end in place of calls: to write that would undo them.
    fn keeping_calls(&self, into: End, out: Converted) -> Converted {
        match &out.value {
            Some(value) if !self.keeps_calls(into, value) => {
                Converted { value: None, losses: Vec::new(), fault: Some(FaultReason::StepsInPlaceOfCalls) }
            }
            _ => out,
        }
    }

    fn keeps_calls(&self, into: End, value: &Value) -> bool {
        let (slot, item) = (&self.ready[into].fill.target, self.items[into]);
        let Some(expanded) = item.expanded.get(slot) else { return true };
        match (&*slot.of(item), value) {
            (Value::Steps(there), Value::Steps(edited)) => with_calls(there, expanded, edited).is_some(),
            _ => true,
        }
    }
}

fn unchanged(there: &Value) -> Converted {
    Converted { value: Some(there.clone()), losses: Vec::new(), fault: None }
}

impl Ways for BothWays<'_> {
    type Value = Value;
    type Why = FaultReason;

    fn goes_into(&self, _: End) -> bool {
        true
    }

    fn same(&self, a: &Value, b: &Value) -> bool {
        same(a, b)
    }

    fn get(&self, into: End, value: &Value) -> Result<Value, FaultReason> {
        told(self.made(into, &Value::Empty, value))
    }

    fn put(&self, into: End, there: &Value, was: &Value, is: &Value) -> Result<Value, FaultReason> {
        match self.merged(into, there, was, is) {
            Some(put) => told(put),
            None if self.goes_in_parts(into) || self.goes_by_member() => Err(FaultReason::OnlyHeldHere),
            None => told(self.carried(into, there, was, is)),
        }
    }

    fn are_apart(&self, was: Ends<&Value>, now: Ends<&Value>) -> bool {
        let apart = |into: End| self.merged(into, now[into], was[into.other()], now[into.other()]).is_some();
        End::BOTH.into_iter().all(apart)
    }

    fn agree(&self, now: Ends<&Value>) -> bool {
        if self.goes_by_member() {
            return self.members_agree(now);
        }
        one_stands_for_the_other(self, now)
    }
}

fn told(converted: Converted) -> Result<Value, FaultReason> {
    match converted.fault {
        Some(fault) => Err(fault),
        None => Ok(converted.value.unwrap_or(Value::Empty)),
    }
}
