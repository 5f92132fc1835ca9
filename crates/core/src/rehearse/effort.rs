//! What a transfer costs: calls to either end, and the time that their limits allow.
//!
//! Decides how many calls a change takes: one to make or to change an item, one per move of its state, one per file and
//! note and one to look at them after, two for links to what is not there yet and for texts that name it (they are
//! written when it is, on an item that is read first), two at the other end to link back. Retries are not foreseen.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::catalogue::KindSchema;
use crate::model::{End, Ends, Kind, Value};
use crate::plan::{Change, FieldChange};

/// What one change costs, in calls.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Cost {
    /// Calls to the end that is written, but for the one that makes the item.
    pub written: u64,
    /// Calls to the other end, but for those that leave a link there.
    pub read: u64,
    /// The kind of which it makes an item: several of some kinds go in one call.
    pub makes: Option<Kind>,
    /// Whether it changes a formatted text or steps, which are read before where they are changed in their source.
    pub changes_texts: bool,
}

impl Cost {
    /// Calls to each end, where the one that is written has this pace. An item that is made together with others is a
    /// share of a call. Calls for a link to the counterpart are among them if the change leaves one.
    pub fn calls(&self, written: End, pace: &Pace, links_back: bool) -> Ends<f64> {
        let made = self.makes.map_or(0.0, |kind| 1.0 / pace.batches.get(&kind).copied().unwrap_or(1).max(1) as f64);
        let linked = if links_back { LINKING_BACK } else { 0 };
        Ends::of(|end| match end == written {
            true => self.written as f64 + made,
            false => (self.read + linked) as f64,
        })
    }

    /// Calls to each end for what goes back into an end that its lane does not write first: an item is read before it is
    /// written.
    pub(super) fn calls_back(&self, written: End, pace: &Pace) -> Ends<f64> {
        let mut calls = self.calls(written, pace, false);
        calls[written] += f64::from(u8::from(self.written > 0));
        calls
    }

    /// Calls to the end that is written to read what texts are changed in.
    pub(super) fn calls_for_source(&self) -> f64 {
        f64::from(u8::from(self.changes_texts))
    }
}

/// Calls for a link to a counterpart: the item is read and written.
const LINKING_BACK: u64 = 2;

/// Calls to either end, summed over changes, by kind. Items that are made in one call have a share of it each; a call that
/// is begun is a whole one, for each kind by itself.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Calls(Ends<BTreeMap<Kind, f64>>);

/// What an end allows.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Pace {
    /// Calls that run at the same time.
    pub calls_at_once: usize,
    /// Calls in a minute; none if there is no limit.
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
    /// Calls to each end.
    pub calls: Ends<u64>,
    /// At the pace of the slower end.
    pub seconds: u64,
}

impl Cost {
    /// What a change costs. `existing` says that the item is there already, `later` that some of it is written once others
    /// are there.
    pub(super) fn of(kind: &KindSchema, change: &Change, fields: &[&FieldChange], existing: bool, later: bool) -> Cost {
        let mut cost = Cost::default();
        let held = |f: &FieldChange| f.held(change.written).filter(|_| existing).cloned().unwrap_or(Value::Empty);
        let is_state = |f: &FieldChange| kind.field(&f.field).is_some_and(|f| f.workflow.is_some());
        let own = |f: &&&FieldChange| !f.field.has_its_own_calls() && !is_state(f);
        if !existing {
            cost.makes = Some(change.kind_at(change.written));
        } else if fields.iter().filter(own).count() > 0 {
            cost.written += 1;
        }
        cost.changes_texts = existing && fields.iter().any(|f| matches!(f.write, Value::RichText(_) | Value::Steps(_)));
        for field in fields {
            let now = held(field);
            match &field.write {
                Value::Attachments(files) => {
                    let there = |f: &_| matches!(&now, Value::Attachments(list) if list.contains(f));
                    let sent = files.iter().filter(|f| !there(*f)).count() as u64;
                    // The item is read before and after.
                    cost.written += sent + 2 * u64::from(sent > 0);
                    cost.read += sent;
                }
                // Only those that are to be added stand there.
                Value::Comments(_) | Value::History(_) => {
                    let added = length(&field.write) as u64;
                    cost.written += added + u64::from(added > 0);
                }
                Value::Choice(to) => {
                    let Some(workflow) = kind.field(&field.field).and_then(|f| f.workflow.as_ref()) else { continue };
                    let from = if now.is_blank() { workflow.first.clone() } else { now.display() };
                    cost.written += workflow.way(&from, to).map_or(0, |way| way.len() as u64);
                }
                _ => {}
            }
        }
        cost.written += if later { 2 } else { 0 };
        cost
    }
}

impl Calls {
    /// Adds what changes of a kind cost.
    pub fn add(&mut self, kind: Kind, calls: Ends<f64>) {
        for end in End::BOTH {
            *self.0[end].entry(kind).or_default() += calls[end];
        }
    }

    /// Calls to each end, and the time that both take beside one another at their paces.
    pub fn estimate(&self, paces: Ends<&Pace>) -> Estimate {
        let calls = self.0.as_ref().map(|of| of.values().map(|calls| whole(*calls)).sum::<u64>());
        let seconds = paces.zip(calls).map(|(pace, calls)| pace.seconds(calls as f64));
        Estimate { calls, seconds: seconds.left.max(seconds.right).ceil() as u64 }
    }
}

/// Calls that are begun. Shares are sums of binary fractions, so that seven sevenths may be a little more than one.
fn whole(calls: f64) -> u64 {
    (calls - 1e-6).max(0.0).ceil() as u64
}

fn length(value: &Value) -> usize {
    match value {
        Value::Comments(list) => list.len(),
        Value::History(list) => list.len(),
        _ => 0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Batches of one kind are filled by items of that kind only, and a share of a call never makes another one.
    #[test]
    fn a_call_that_is_begun_is_a_whole_one() {
        for (size, items, calls) in [(7, 7, 1), (7, 8, 2), (3, 300, 100), (50, 1, 1), (1, 12, 12), (49, 98, 2)] {
            let pace = Pace { batches: [(Kind::TestCase, size), (Kind::Defect, size)].into(), ..Pace::default() };
            let mut sum = Calls::default();
            for kind in [Kind::TestCase, Kind::Defect] {
                let cost = Cost { makes: Some(kind), ..Cost::default() };
                (0..items).for_each(|_| sum.add(kind, cost.calls(End::Right, &pace, false)));
            }
            let told = sum.estimate(Ends { left: &Pace::default(), right: &pace });
            assert_eq!(told.calls, Ends { left: 0, right: 2 * calls }, "{items} in calls of {size}");
        }
    }

    /// 60 calls a minute are one a second; the slower end says how long it takes.
    #[test]
    fn the_slower_end_says_how_long_it_takes() {
        let pace =
            |calls_per_minute| Pace { calls_at_once: 4, seconds_per_call: 0.2, calls_per_minute, ..Pace::default() };
        let mut sum = Calls::default();
        sum.add(Kind::Defect, Ends { left: 30.0, right: 40.0 });
        let seconds = |left, right| sum.estimate(Ends { left: &pace(left), right: &pace(right) }).seconds;
        assert_eq!(seconds(None, None), 2);
        assert_eq!(seconds(Some(60), None), 30);
        assert_eq!(seconds(Some(60), Some(30)), 80);
    }
}
