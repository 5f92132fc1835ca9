//! The comments and past changes of a pair, counted for its proof.

use crate::agree::{Accepted, Sorted, comments_of, history_of, sort_history};
use crate::compare::Comparer;
use crate::model::{Slot, Value};

/// The comments or past changes of a pair, counted.
pub(super) struct SaidCount {
    pub wanted: u64,
    /// Still to be added.
    pub lacks: u64,
    /// Carried, and taken off there since.
    pub removed: u64,
    /// Of the people there.
    pub own: u64,
}

impl SaidCount {
    /// None for everything that is neither comments nor history.
    pub fn of(
        comparer: &Comparer<'_>,
        target: &Slot,
        (source, expected): (&Value, &Value),
        now: &Value,
        accepted: &[Accepted],
    ) -> Option<SaidCount> {
        fn counted<P>(wanted: usize, sorted: &Sorted<P>) -> SaidCount {
            let lacks = (sorted.to_add.len() + sorted.doubtful.len()) as u64;
            let removed = sorted.removed_there.len() as u64;
            SaidCount { wanted: wanted as u64, lacks, removed, own: sorted.own }
        }
        match target {
            Slot::Comments => {
                let sorted = comparer.sorted_comments(source, expected, now, accepted);
                Some(counted(comments_of(expected).len(), &sorted))
            }
            Slot::History => {
                let both = (history_of(source), history_of(expected));
                Some(counted(both.1.len(), &sort_history(&Slot::History, both, history_of(now), accepted)))
            }
            _ => None,
        }
    }
}
