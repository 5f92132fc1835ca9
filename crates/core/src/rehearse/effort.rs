//! What a transfer costs: calls to either end, and the time that their limits allow.
//!
//! Decides how many calls a change takes: one to make or to change an item, one per move of its state, one per file and
//! note and one to look at them after, two for links to what is not there yet and for texts that name it (they are
//! written when it is, on an item that is read first), two at the left to link back. Retries are not foreseen.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::catalogue::KindSchema;
use crate::mapping::{ATTACHMENTS, COMMENTS, HISTORY};
use crate::model::{Kind, Value};
use crate::plan::{Change, FieldChange};

/// What one change costs, in calls to each end.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Cost {
    pub right: u64,
    pub left: u64,
    /// The kind of which it makes an item: several of some kinds go in one call.
    pub makes: Option<Kind>,
}

impl Cost {
    /// Calls to the right, of which an item that is made together with others is a share.
    pub fn right_calls(&self, right: &Pace) -> f64 {
        let made = self.makes.map_or(0.0, |kind| 1.0 / right.batches.get(&kind).copied().unwrap_or(1).max(1) as f64);
        self.right as f64 + made
    }
}

/// Calls to the left for a link to a counterpart.
pub const LINKING_BACK: u64 = 2;

/// Work counted while changes are played.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Effort {
    /// Items to make, by kind: several of some kinds go in one call.
    made: BTreeMap<Kind, u64>,
    /// Other calls to the right.
    right: u64,
    left: u64,
}

/// What an end allows.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Pace {
    pub calls_at_once: usize,
    pub calls_per_minute: Option<u32>,
    /// Items of a kind that can be made in one call.
    pub batches: BTreeMap<Kind, usize>,
    /// Seconds that a call took so far.
    pub seconds_per_call: f64,
}

impl Pace {
    /// How long so many calls take.
    pub fn seconds(&self, calls: f64) -> f64 {
        let at_once = calls * self.seconds_per_call / self.calls_at_once.max(1) as f64;
        let allowed = self.calls_per_minute.map_or(0.0, |n| calls * 60.0 / f64::from(n.max(1)));
        at_once.max(allowed)
    }
}

/// A foreseen cost.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Estimate {
    pub right_calls: u64,
    pub left_calls: u64,
    /// At the pace of the slower end.
    pub seconds: u64,
}

impl Effort {
    /// Counts a change that is taken in and would be taken.
    pub(super) fn count(&mut self, cost: &Cost) {
        self.right += cost.right;
        self.left += cost.left;
        if let Some(kind) = cost.makes {
            *self.made.entry(kind).or_default() += 1;
        }
    }

    /// What a change costs. `existing` says that the item is there already, `later` that some of it is written once others
    /// are there.
    pub(super) fn cost(
        kind: &KindSchema,
        change: &Change,
        fields: &[&FieldChange],
        existing: bool,
        later: bool,
    ) -> Cost {
        let mut cost = Cost::default();
        let held = |f: &FieldChange| f.right.clone().filter(|_| existing).unwrap_or(Value::Empty);
        let is_state = |f: &FieldChange| kind.field(&f.field).is_some_and(|f| f.workflow.is_some());
        let own = |f: &&&FieldChange| !matches!(f.field.as_str(), ATTACHMENTS | COMMENTS | HISTORY) && !is_state(f);
        if !existing {
            cost.makes = Some(change.right_kind);
        } else if fields.iter().filter(own).count() > 0 {
            cost.right += 1;
        }
        for field in fields {
            let now = held(field);
            match &field.write {
                Value::Attachments(files) => {
                    let there = |f: &_| matches!(&now, Value::Attachments(list) if list.contains(f));
                    let sent = files.iter().filter(|f| !there(*f)).count() as u64;
                    // The item is read before and after.
                    cost.right += sent + 2 * u64::from(sent > 0);
                    cost.left += sent;
                }
                // Only those that are to be added stand there.
                Value::Comments(_) | Value::History(_) => {
                    let added = length(&field.write) as u64;
                    cost.right += added + u64::from(added > 0);
                }
                Value::Choice(to) => {
                    let Some(workflow) = kind.field(&field.field).and_then(|f| f.workflow.as_ref()) else { continue };
                    let from = if now.is_blank() { workflow.first.clone() } else { now.display() };
                    cost.right += workflow.way(&from, to).map_or(0, |way| way.len() as u64);
                }
                _ => {}
            }
        }
        cost.right += if later { 2 } else { 0 };
        cost
    }

    /// The item at the left gets a link to its counterpart: it is read and written.
    pub fn link_back(&mut self) {
        self.left += LINKING_BACK;
    }

    pub fn estimate(&self, left: &Pace, right: &Pace) -> Estimate {
        let batches = |(kind, n): (&Kind, &u64)| n.div_ceil(right.batches.get(kind).copied().unwrap_or(1) as u64);
        let right_calls = self.right + self.made.iter().map(batches).sum::<u64>();
        let seconds = right.seconds(right_calls as f64).max(left.seconds(self.left as f64)).ceil() as u64;
        Estimate { right_calls, left_calls: self.left, seconds }
    }
}

fn length(value: &Value) -> usize {
    match value {
        Value::Comments(list) => list.len(),
        Value::History(list) => list.len(),
        _ => 0,
    }
}
