//! Clearing, once a day, what is older than it is to be kept.
//!
//! Decides when; what may be cleared at all is the store's affair.

use std::time::Duration;

use chrono::TimeDelta;
use tokio_util::sync::CancellationToken;

use crate::Hub;

const EVERY: Duration = Duration::from_secs(24 * 3600);

/// Clears what is older than so many days, at once and then once a day, until told to end.
pub async fn tidy(hub: Hub, keep_days: u32, end: CancellationToken) {
    loop {
        let day = hub.now().checked_sub_signed(TimeDelta::days(i64::from(keep_days)));
        match hub.store.clear_before(day.unwrap_or(chrono::DateTime::UNIX_EPOCH)).await {
            Ok(c) => tracing::info!(
                "cleared what is older than {keep_days} days: {} plans that were never transferred, {} events of jobs, \
                 {} values of no pair",
                c.plans,
                c.events,
                c.snapshots
            ),
            Err(e) => {
                tracing::warn!("what is older than {keep_days} days could not be cleared, and is tried again: {e}")
            }
        }
        tokio::select! { () = end.cancelled() => return, () = tokio::time::sleep(EVERY) => {} }
    }
}
