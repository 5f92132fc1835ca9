//! The time of day, from one clock that can be moved.
//!
//! Decides what the time is for all that hold the same clock: Hovrel, and in tests the simulated systems beside it. It runs
//! with the machine's, so many milliseconds before or after it. Knows nothing of how long something takes: that is measured
//! with monotonic time. Leases of jobs and what the database stamps go by the database's own clock.

use std::sync::Arc;
use std::sync::atomic::{AtomicI64, Ordering::Relaxed};

use chrono::{DateTime, TimeDelta, Utc};

/// A clock. Clones show the same time: whoever moves one moves all.
#[derive(Debug, Clone, Default)]
pub struct Clock {
    /// Milliseconds before the machine's clock; below zero, behind it.
    ahead: Arc<AtomicI64>,
}

impl Clock {
    /// What it shows. The machine's time, if it was moved beyond what a time can be.
    pub fn now(&self) -> DateTime<Utc> {
        let now = Utc::now();
        now.checked_add_signed(TimeDelta::milliseconds(self.ahead.load(Relaxed))).unwrap_or(now)
    }

    /// Moves it on by so much, or back.
    pub fn advance(&self, by: TimeDelta) {
        self.ahead.fetch_add(by.num_milliseconds(), Relaxed);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_clock_that_is_moved_moves_for_all_that_hold_it() {
        let (clock, other) = (Clock::default(), Clock::default());
        let beside = clock.clone();
        clock.advance(TimeDelta::days(3));
        let shown = beside.now() - other.now();
        assert!(
            shown > TimeDelta::days(3) - TimeDelta::minutes(1) && shown < TimeDelta::days(3) + TimeDelta::minutes(1)
        );
        beside.advance(-TimeDelta::days(3));
        assert!((clock.now() - other.now()).abs() < TimeDelta::minutes(1));
        clock.advance(TimeDelta::MAX);
        clock.now();
    }
}
