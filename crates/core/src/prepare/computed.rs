//! Values that rules compute from an item, by expressions in CEL.
//!
//! Decides what stands beside an item for its rules to take: each computed value under a name of its own, so that it
//! is computed once and everything that reads the item sees the same. What can't be computed stands there as
//! unreadable, with the reason.

use crate::catalogue::KindSchema;
use crate::expression::{Expression, Moment, Seen, compile};
use crate::model::{Artefact, FieldKey, Value};
use crate::rules::{Lane, Source, computed_field};

/// The computed values of a lane, read once for all of its items. Those that can't be read are left out: checking
/// the lane tells them.
pub struct Computed {
    rules: Vec<(FieldKey, Expression)>,
}

impl Computed {
    /// Prepares the computed values of a lane.
    pub fn of(lane: &Lane, kind: &KindSchema) -> Computed {
        let rules = lane.fills().filter_map(|fill| match &fill.source {
            Source::Computed(text) => Some((computed_field(&fill.target).into(), compile(text, kind).ok()?)),
            _ => None,
        });
        Computed { rules: rules.collect() }
    }

    /// Whether there is nothing to compute.
    pub fn is_empty(&self) -> bool {
        self.rules.is_empty()
    }

    /// Puts the values beside an item. `path` holds the titles of the folders above it, outermost first.
    pub fn beside(&self, item: &mut Artefact, kind: &KindSchema, path: &[String]) {
        let values: Vec<Value> = self
            .rules
            .iter()
            .map(|(_, expression)| {
                // No rule may depend on the time of reading: see the check.
                let seen = Seen { artefact: item, path, kind, now: Moment::default() };
                expression.value(&seen).unwrap_or_else(Value::Unreadable)
            })
            .collect();
        for ((field, _), value) in self.rules.iter().zip(values) {
            item.fields.set(field.clone(), value);
        }
    }
}
