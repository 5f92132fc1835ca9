//! What an end allows, and how fast it was while it was read.

use hovrel_connect::Connector;
use hovrel_core::rehearse::Pace;

/// What an end allows, and how long its calls took while it was read.
pub(crate) fn pace(connector: &dyn Connector) -> Pace {
    let (can, meter) = (connector.describe(), connector.meter());
    Pace {
        calls_at_once: can.calls_at_once,
        calls_per_minute: can.calls_per_minute,
        batches: can.batches,
        seconds_per_call: meter.took_ms as f64 / 1000.0 / (meter.calls.max(1)) as f64,
    }
}
