//! The base: what both ends held when last in step, and how that came to be.
//!
//! Decides what is remembered of a pair and of each of its fields, and how one field's memory is replaced. What moves a
//! base after a transfer is decided in [`crate::plan`].

mod agreement;
mod pair;

pub use agreement::{Agreed, Agreement, Why};
pub use pair::{Bases, Pair};

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::agree::same;
use crate::model::{Fingerprint, Slot, Value};

/// Values of one end by the slot that the rule fills: what the source held, or what the slot held.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct BaseSide(pub BTreeMap<Slot, Value>);

impl BaseSide {
    pub fn fingerprint(&self) -> Fingerprint {
        Fingerprint::of(self)
    }
}

/// The values both ends held when last in step. A field that was never in step is in neither map.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Base {
    pub left: BaseSide,
    pub right: BaseSide,
    /// How each field came to be in step; nothing of fields that were before this was kept.
    pub agreed: BTreeMap<Slot, Agreed>,
}

impl Base {
    /// Notes a value that was sent for a field and never answered, with the digest of the rule that made it.
    pub fn sent_without_answer(&mut self, target: &Slot, sent: Value, rule: String) {
        let agreed = self.agreed.entry(target.clone()).or_insert_with(|| Agreed::new(rule, Why::Carried, None));
        agreed.unanswered = Some(sent);
    }

    /// Whether what a field holds may be what somebody made of something that was sent without an answer.
    pub fn is_in_doubt(&self, target: &str, now: &Value) -> bool {
        let sent = self.agreed.get(target).and_then(|a| a.unanswered.as_ref());
        sent.is_some_and(|sent| !same(sent, now))
    }

    /// The base of a field at both ends; none if it was never in step.
    pub fn field(&self, target: &str) -> Option<(&Value, &Value)> {
        Some((self.left.0.get(target)?, self.right.0.get(target)?))
    }

    /// Takes a field as it is in another base.
    pub fn take(&mut self, target: &Slot, from: &Base) {
        if let Some((left, right)) = from.field(target) {
            self.left.0.insert(target.clone(), left.clone());
            self.right.0.insert(target.clone(), right.clone());
            self.agreed.extend(from.agreed.get(target).map(|a| (target.clone(), a.clone())));
        }
    }

    pub fn set(&mut self, target: &Slot, left: Value, right: Value, agreed: Agreed) {
        self.left.0.insert(target.clone(), left);
        self.right.0.insert(target.clone(), right);
        self.agreed.insert(target.clone(), agreed);
    }
}
