//! How each field came to be in step.
//!
//! Shared by all pairs of which it is the same.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::model::{Fingerprint, Slot, Value};

/// How a field came to be in step.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Agreed {
    /// What the rule made of the source; none if the written end held the same.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made: Option<Value>,
    /// The digest of the rule and of what it read besides the item.
    pub rule: String,
    pub why: Why,
    /// What was sent since, in a call of which nobody knows whether it was done. It is gone when the field is in step
    /// again.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unanswered: Option<Value>,
}

impl Agreed {
    pub fn new(rule: String, why: Why, made: Option<Value>) -> Agreed {
        Agreed { made, rule, why, unanswered: None }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Why {
    /// It was written.
    Carried,
    /// Both held the same by themselves.
    Equal,
    /// A person kept what the written end held.
    Kept,
}

/// How each field came to be in step, by target; shared by the pairs of which it is the same.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "BTreeMap<Slot, Agreed>", into = "BTreeMap<Slot, Agreed>")]
pub struct Agreement {
    fields: BTreeMap<Slot, Agreed>,
    rules: Option<Fingerprint>,
}

impl From<BTreeMap<Slot, Agreed>> for Agreement {
    fn from(fields: BTreeMap<Slot, Agreed>) -> Agreement {
        let rules = Fingerprint::of_map(fields.iter().map(|(target, a)| (target, &a.rule)));
        Agreement { fields, rules: Some(rules) }
    }
}

impl From<Agreement> for BTreeMap<Slot, Agreed> {
    fn from(agreement: Agreement) -> BTreeMap<Slot, Agreed> {
        agreement.fields
    }
}

impl Agreement {
    pub fn field(&self, target: &str) -> Option<&Agreed> {
        self.fields.get(target)
    }

    /// One digest of the rules of all fields.
    pub fn rules(&self) -> Option<Fingerprint> {
        self.rules
    }

    pub fn fingerprint(&self) -> Fingerprint {
        Fingerprint::of(&self.fields)
    }
}
