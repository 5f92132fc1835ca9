//! How far a transfer is, and how long what is left will take.
//!
//! Decides how the numbers that are told belong together: a change is settled (carried out or refused), under way (its
//! item is there, and links are still to come), or still to begin; together they are all that was taken in. The time left
//! is that of the calls still to be made, by what each end allows and by how long its calls have taken so far.

use std::collections::{HashMap, HashSet};
use std::sync::Mutex;
use std::sync::atomic::Ordering::Relaxed;
use std::time::Instant;

use hovrel_connect::Connector;
use hovrel_core::model::{End, Ends};
use hovrel_core::rehearse::Pace;
use serde_json::{Value, json};

use super::desk::Desk;
use super::listed::Listed;
use super::shared::{Stage, Transfer};

/// Titles in hand that are told by name; a batch has many.
const IN_HAND_SHOWN: usize = 8;
/// Calls for a second writing: the item is read and written.
const SECOND_WRITING: f64 = 2.0;
/// A time that is left is told once so many calls have been timed.
const TIMED: u64 = 10;

/// The changes of a transfer, counted.
pub(super) struct Tally {
    started: Instant,
    /// Changes that a person has to do with.
    total: u64,
    /// Of each change: whether a person has to do with it, the end that it writes, and what it costs, in calls.
    costs: HashMap<u32, (bool, End, Ends<f64>)>,
    so_far: Mutex<SoFar>,
}

#[derive(Debug, Clone, Default)]
struct SoFar {
    settled: u64,
    /// Changes whose links are to come, by place.
    under_way: HashSet<u32>,
    /// Calls still to be made.
    calls: Ends<f64>,
}

impl Tally {
    pub fn of(changes: &[Listed], settled: &dyn Fn(u32) -> bool) -> Tally {
        let mut so_far = SoFar::default();
        for change in changes {
            if settled(change.seq) {
                so_far.settled += u64::from(change.counts);
            } else {
                End::BOTH.into_iter().for_each(|end| so_far.calls[end] += change.calls[end]);
            }
        }
        Tally {
            started: Instant::now(),
            total: changes.iter().filter(|c| c.counts).count() as u64,
            costs: changes.iter().map(|c| (c.seq, (c.counts, c.written, c.calls))).collect(),
            so_far: Mutex::new(so_far),
        }
    }

    /// That a change came so far.
    pub fn came(&self, seq: u32, stage: Stage) {
        let Some((counts, written, calls)) = self.costs.get(&seq).copied() else { return };
        let Ok(mut so_far) = self.so_far.lock() else { return };
        let later = SECOND_WRITING.min(calls[written]);
        match stage {
            Stage::LinksToCome => {
                so_far.under_way.insert(seq);
                so_far.calls[written] -= calls[written] - later;
            }
            Stage::Settled => {
                let begun = so_far.under_way.remove(&seq);
                so_far.calls[written] -= if begun { later } else { calls[written] };
                so_far.calls[written.other()] -= calls[written.other()];
                so_far.settled += u64::from(counts);
            }
        }
    }
}

/// What is told to whoever watches.
pub(super) fn told(t: &Transfer, tally: &Tally) -> Value {
    let so_far = tally.so_far.lock().map(|s| s.clone()).unwrap_or_default();
    let elapsed = tally.started.elapsed().as_secs_f64();
    let seconds = |end: End| pace(&*t.desks[end].connector).map(|pace| pace.seconds(so_far.calls[end].max(0.0)));
    // Of an end that is asked little, few calls were timed yet: the one that is asked more says how long it takes.
    let asked_more = if so_far.calls.left > so_far.calls.right { End::Left } else { End::Right };
    let most = seconds(asked_more);
    let remaining = most.map(|most| most.max(seconds(asked_more.other()).unwrap_or(0.0)).ceil() as u64);
    let mut in_hand: Vec<String> = t.in_hand.lock().map(|m| m.values().cloned().collect()).unwrap_or_default();
    in_hand.sort();
    let in_hand_count = in_hand.len();
    in_hand.truncate(IN_HAND_SHOWN);
    json!({
        "phase": "writing",
        "total": tally.total,
        "settled": so_far.settled,
        "under_way": so_far.under_way.len(),
        "written": t.written.load(Relaxed),
        "files": t.files.load(Relaxed),
        "remaining_seconds": remaining,
        "elapsed_seconds": elapsed.round() as u64,
        "in_hand": in_hand,
        "in_hand_count": in_hand_count,
        "left": at_desk(&t.desks.left),
        "right": at_desk(&t.desks.right),
    })
}

fn at_desk(desk: &Desk) -> Value {
    let (meter, can) = (desk.connector.meter(), desk.connector.describe());
    json!({"name": desk.name, "meter": meter, "limit_per_minute": can.calls_per_minute})
}

/// How fast an end takes calls, once some were timed.
fn pace(connector: &dyn Connector) -> Option<Pace> {
    let meter = connector.meter();
    (meter.calls >= TIMED).then(|| crate::reading::pace(connector))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn listed(seq: u32, counts: bool, right_calls: f64) -> Listed {
        Listed { seq, counts, waits_for: vec![], written: End::Right, calls: Ends { left: 1.0, right: right_calls } }
    }

    /// Whatever happens in whatever order: nothing is counted twice, and when all is settled nothing is left to do.
    #[test]
    fn the_numbers_add_up_to_what_was_taken_in() {
        let changes = [listed(0, true, 3.5), listed(1, true, 1.0), listed(2, false, 0.0), listed(3, true, 0.02)];
        let tally = Tally::of(&changes, &|seq| seq == 1);
        let now = || tally.so_far.lock().unwrap().clone();
        assert_eq!((tally.total, now().settled), (3, 1), "what was settled before a cut counts");
        tally.came(0, Stage::LinksToCome);
        assert_eq!((now().settled, now().under_way.len()), (1, 1));
        tally.came(2, Stage::Settled);
        assert_eq!(now().settled, 1, "a move of a base is no change");
        tally.came(3, Stage::LinksToCome);
        tally.came(3, Stage::Settled);
        tally.came(0, Stage::Settled);
        tally.came(9, Stage::Settled);
        let end = now();
        assert_eq!((end.settled, end.under_way.len()), (3, 0));
        assert!(end.calls.right.abs() < 1e-9 && end.calls.left.abs() < 1e-9, "{end:?}");
    }
}
