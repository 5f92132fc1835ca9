//! Both ways of a rule between two items.
//!
//! Decides what an edit at one end makes of what stands at the other: nothing, where that says the same already; and where
//! that was edited too, what becomes of both.

use super::context::Context;
use super::convert::Converted;
use super::fault::FaultReason;
use super::ready::Ready;
use crate::agree::same;
use crate::law::Ways;
use crate::merge::merge;
use crate::model::{Artefact, End, Ends, Value};

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
    /// What an edit makes of what stands at an end, with what it loses: all of the value goes over.
    pub fn carried(&self, into: End, there: &Value, was: &Value, is: &Value) -> Converted {
        match self.says_so(into, there, was, is) {
            true => Converted { value: Some(there.clone()), losses: Vec::new(), fault: None },
            false => self.made(into, there, is),
        }
    }

    /// Whether an edit changed nothing, or what stands at the other end says the same already.
    fn says_so(&self, into: End, there: &Value, was: &Value, is: &Value) -> bool {
        let back = || self.made(into.other(), &Value::Empty, there).value;
        same(was, is) || back().is_some_and(|back| same(&back, is))
    }

    /// What an edit makes of what stands at an end that was edited too: both edits are put together in the words of the end
    /// that this one was made at. None where they touch the same part.
    pub fn merged(&self, into: End, there: &Value, was: &Value, is: &Value) -> Option<Converted> {
        if self.says_so(into, there, was, is) {
            return Some(self.carried(into, there, was, is));
        }
        let edited = self.made(into.other(), was, there).value?;
        let both = if same(&edited, was) { is.clone() } else { merge(was, &edited, is)? };
        Some(self.made(into, there, &both))
    }

    /// What is made of a value for an end at which something stands.
    fn made(&self, into: End, there: &Value, is: &Value) -> Converted {
        let (ready, item) = (self.ready[into], self.items[into.other()]);
        match self.taken_back {
            Some(end) if end != into => {
                match self.ready[end].taken_back(there, is.clone(), self.cx[end], self.cx[into]) {
                    Ok(value) => ready.carry(value, item, self.cx[into]),
                    Err(fault) => Converted { value: None, losses: Vec::new(), fault: Some(fault) },
                }
            }
            _ => ready.carry(is.clone(), item, self.cx[into]),
        }
    }
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
        told(self.merged(into, there, was, is).unwrap_or_else(|| self.carried(into, there, was, is)))
    }

    fn are_apart(&self, was: Ends<&Value>, now: Ends<&Value>) -> bool {
        let apart = |into: End| self.merged(into, now[into], was[into.other()], now[into.other()]).is_some();
        End::BOTH.into_iter().all(apart)
    }
}

fn told(converted: Converted) -> Result<Value, FaultReason> {
    match converted.fault {
        Some(fault) => Err(fault),
        None => Ok(converted.value.unwrap_or(Value::Empty)),
    }
}
