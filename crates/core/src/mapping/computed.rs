//! Values that rules compute from an item, by expressions in CEL.
//!
//! Decides what stands beside an item for its rules to take: each computed value under a name of its own, so that it
//! is computed once and everything that reads the item sees the same. What can't be computed stands there as
//! unreadable, with the reason.

use super::lane::{Lane, Source};
use crate::catalogue::KindSchema;
use crate::expression::{Expression, Moment, Seen, Type, compile};
use crate::model::{Artefact, Value, ValueType};

/// The name under which the value that a rule computes stands beside the item.
pub(super) fn computed_field(target: &str) -> String {
    format!("@computed {target}")
}

/// The computed values of a lane, read once for all of its items. Those that can't be read are left out: checking
/// the lane tells them.
pub struct Computed {
    rules: Vec<(String, Expression)>,
}

impl Computed {
    pub fn of(lane: &Lane, kind: &KindSchema) -> Computed {
        let rules = lane.rules.iter().filter_map(|rule| match &rule.source {
            Source::Computed(text) => Some((computed_field(&rule.target), compile(text, kind).ok()?)),
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
            item.fields.set(field.as_str(), value);
        }
    }
}

/// The type of value that an expression gives; none if only its value tells.
pub(super) fn value_type(is: &Type) -> Option<ValueType> {
    Some(match is {
        Type::Bool => ValueType::Boolean,
        Type::Int | Type::Uint => ValueType::Integer,
        Type::Double => ValueType::Decimal,
        Type::Text => ValueType::Text,
        Type::Time => ValueType::Instant,
        Type::Duration => ValueType::Duration,
        Type::List(_) => ValueType::ChoiceList,
        Type::Any | Type::Null | Type::Bytes | Type::Map | Type::Sort => return None,
    })
}
