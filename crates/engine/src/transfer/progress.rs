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
use hovrel_core::rehearse::Pace;
use serde_json::{Value, json};

use super::apply::Stage;
use super::{Listed, Transfer};

/// Titles in hand that are told by name; a batch has many.
const IN_HAND_SHOWN: usize = 8;
/// Calls to the right for a second writing: the item is read and written.
const SECOND_WRITING: f64 = 2.0;
/// A time that is left is told once so many calls have been timed.
const TIMED: u64 = 10;

/// The changes of a transfer, counted.
pub(super) struct Tally {
    started: Instant,
    /// Changes that a person has to do with.
    total: u64,
    /// Of each change: whether a person has to do with it, and what it costs at each end, in calls.
    costs: HashMap<u32, (bool, f64, f64)>,
    so_far: Mutex<SoFar>,
}

#[derive(Debug, Clone, Default)]
struct SoFar {
    settled: u64,
    /// Changes whose links are to come, by place.
    under_way: HashSet<u32>,
    /// Calls still to be made.
    right_calls: f64,
    left_calls: f64,
}

impl Tally {
    pub fn of(changes: &[Listed], settled: &dyn Fn(u32) -> bool) -> Tally {
        let mut so_far = SoFar::default();
        for change in changes {
            if settled(change.seq) {
                so_far.settled += u64::from(change.counts);
            } else {
                so_far.right_calls += change.right_calls;
                so_far.left_calls += change.left_calls;
            }
        }
        Tally {
            started: Instant::now(),
            total: changes.iter().filter(|c| c.counts).count() as u64,
            costs: changes.iter().map(|c| (c.seq, (c.counts, c.right_calls, c.left_calls))).collect(),
            so_far: Mutex::new(so_far),
        }
    }

    /// That a change came so far.
    pub fn came(&self, seq: u32, stage: Stage) {
        let Some((counts, right, left)) = self.costs.get(&seq).copied() else { return };
        let Ok(mut so_far) = self.so_far.lock() else { return };
        let later = SECOND_WRITING.min(right);
        match stage {
            Stage::LinksToCome => {
                so_far.under_way.insert(seq);
                so_far.right_calls -= right - later;
            }
            Stage::Settled => {
                let begun = so_far.under_way.remove(&seq);
                so_far.right_calls -= if begun { later } else { right };
                so_far.left_calls -= left;
                so_far.settled += u64::from(counts);
            }
        }
    }
}

/// What is told to whoever watches.
pub(super) fn told(t: &Transfer, tally: &Tally) -> Value {
    let so_far = tally.so_far.lock().map(|s| s.clone()).unwrap_or_default();
    let elapsed = tally.started.elapsed().as_secs_f64();
    let right = pace(&*t.right).map(|pace| pace.seconds(so_far.right_calls.max(0.0)));
    // Of an end that is asked little, few calls were timed yet: the other one says how long it takes.
    let left = pace(&*t.left).map_or(0.0, |pace| pace.seconds(so_far.left_calls.max(0.0)));
    let remaining = right.map(|right| right.max(left).ceil() as u64);
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
        "left": end(&*t.left, &t.left_name),
        "right": end(&*t.right, &t.right_name),
    })
}

fn end(connector: &dyn Connector, name: &str) -> Value {
    let (meter, can) = (connector.meter(), connector.describe());
    json!({"name": name, "meter": meter, "limit_per_minute": can.calls_per_minute})
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
        Listed { seq, counts, waits_for: vec![], right_calls, left_calls: 1.0 }
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
        assert!(end.right_calls.abs() < 1e-9 && end.left_calls.abs() < 1e-9, "{end:?}");
    }
}
