//! A change without what it says, which is read when its turn comes: all of a plan would not fit in memory.

use hovrel_core::model::{End, Ends};
use hovrel_core::plan::Outcome;
use hovrel_store::Included;

use crate::EngineError;

pub(super) struct Listed {
    pub seq: u32,
    /// A move of a base is no change for a person.
    pub counts: bool,
    pub waits_for: Vec<u32>,
    /// The end that it writes.
    pub written: End,
    /// What it costs at each end, in calls.
    pub calls: Ends<f64>,
}

impl Listed {
    pub fn of(row: Included) -> Result<Listed, EngineError> {
        let waits: Vec<Vec<u32>> = serde_json::from_value(row.waits)?;
        Ok(Listed {
            seq: row.seq as u32,
            counts: row.outcome != Outcome::InStep.id(),
            waits_for: waits.concat(),
            written: row.written_end,
            calls: Ends { left: row.left_calls, right: row.right_calls },
        })
    }
}
