//! A worker's own idea of its lease.
//!
//! Decides when a worker stops by itself: before the database would give its job to another, counted by its own clock
//! from before it asked. The database has the last word all the same.

use std::sync::Mutex;
use std::time::{Duration, Instant};

use crate::error::EngineError;

pub(crate) struct Lease {
    length: Duration,
    until: Mutex<Instant>,
}

impl Lease {
    /// A lease that was asked for at some time.
    pub fn new(asked: Instant, length: Duration) -> Lease {
        Lease { length, until: Mutex::new(asked + length) }
    }

    pub fn renew(&self, asked: Instant) {
        if let Ok(mut until) = self.until.lock() {
            *until = asked + self.length;
        }
    }

    /// How long it goes on; none if it has run out.
    pub fn left(&self) -> Option<Duration> {
        let until = *self.until.lock().ok()?;
        until.checked_duration_since(Instant::now()).filter(|left| !left.is_zero())
    }

    /// Whether a call may be begun: not in the last tenth of a lease, since a call takes a while.
    pub fn check(&self) -> Result<(), EngineError> {
        match self.left() {
            Some(left) if left > self.length / 10 => Ok(()),
            _ => Err(EngineError::LeaseLost),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_lease_that_was_not_renewed_runs_out() {
        let length = Duration::from_millis(200);
        let now = Instant::now();
        let Some(before) = now.checked_sub(Duration::from_millis(190)) else { return };
        let lease = Lease::new(before, length);
        assert!(lease.check().is_err(), "its last moment is too short for a call");
        lease.renew(now);
        assert!(lease.check().is_ok() && lease.left().is_some());
        let Some(long_ago) = now.checked_sub(Duration::from_secs(9)) else { return };
        lease.renew(long_ago);
        assert_eq!(lease.left(), None);
    }
}
