//! Why a change was not applied.
//!
//! Decides what is a refusal, which is noted with the change while the others go on, and what is trouble of Hovrel's own,
//! which ends the transfer. Knows no change and no end.

use std::time::Duration;

use hovrel_connect::{ConnectError, Outcome};

use crate::EngineError;

/// How often a call is made again after its outcome was looked up and found not to have happened.
pub(super) const TRIES: u32 = 6;

/// A change that can't be applied, in words.
#[derive(Debug, Clone)]
pub(super) struct Refusal {
    pub why: String,
    pub advice: String,
    /// The other system did not take a value.
    pub of_value: bool,
    /// Somebody changed the item meanwhile.
    pub changed: bool,
    /// The other system said no, and would say it again.
    pub by_system: bool,
}

impl Refusal {
    pub fn new(why: impl Into<String>, advice: impl Into<String>) -> Refusal {
        Refusal { why: why.into(), advice: advice.into(), of_value: false, changed: false, by_system: false }
    }
}

/// What ends the work on one change before it is done.
pub(super) enum Failure {
    Refused(Refusal),
    Engine(EngineError),
}

impl From<EngineError> for Failure {
    fn from(e: EngineError) -> Self {
        Failure::Engine(e)
    }
}

impl From<hovrel_store::StoreError> for Failure {
    fn from(e: hovrel_store::StoreError) -> Self {
        Failure::Engine(e.into())
    }
}

impl From<ConnectError> for Failure {
    fn from(e: ConnectError) -> Self {
        let of_value = matches!(e, ConnectError::Refused { .. } | ConnectError::NoSuchKind(_));
        let changed = matches!(e, ConnectError::Changed);
        let by_system = e.outcome() == Outcome::Refused;
        Failure::Refused(Refusal { of_value, changed, by_system, ..Refusal::new(e.to_string(), e.advice()) })
    }
}

pub(super) fn refuse<T>(why: &str, advice: &str) -> Result<T, Failure> {
    Err(Failure::Refused(Refusal::new(why, advice)))
}

/// Waits before a call is made again, longer each time.
pub(super) async fn pause(tries: u32) {
    tokio::time::sleep(Duration::from_millis(40 * 2u64.pow(tries.min(6)))).await;
}
