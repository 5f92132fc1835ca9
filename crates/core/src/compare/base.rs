//! What both ends held when last in step, and how that came to be.

use std::collections::{BTreeMap, HashMap};

use serde::{Deserialize, Serialize};

use super::values::same;
use crate::identity::Pair;
use crate::model::{Fingerprint, Value};

/// Values by target field: those of the source at the left, and those of the field at the right.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct BaseSide(pub BTreeMap<String, Value>);

impl BaseSide {
    pub fn fingerprint(&self) -> Fingerprint {
        Fingerprint::of(self)
    }
}

/// How a field came to be in step.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Agreed {
    /// What the rule made of the left; none if the right held the same.
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
    /// A person kept what the right held.
    Kept,
}

/// How each field came to be in step, by target; shared by the pairs of which it is the same.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "BTreeMap<String, Agreed>", into = "BTreeMap<String, Agreed>")]
pub struct Agreement {
    fields: BTreeMap<String, Agreed>,
    rules: Option<Fingerprint>,
}

impl From<BTreeMap<String, Agreed>> for Agreement {
    fn from(fields: BTreeMap<String, Agreed>) -> Agreement {
        let rules = Fingerprint::of_map(fields.iter().map(|(target, a)| (target, &a.rule)));
        Agreement { fields, rules: Some(rules) }
    }
}

impl From<Agreement> for BTreeMap<String, Agreed> {
    fn from(agreement: Agreement) -> BTreeMap<String, Agreed> {
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

/// The values both ends held when last in step. A field that was never in step is in neither map.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Base {
    pub left: BaseSide,
    pub right: BaseSide,
    /// How each field came to be in step; nothing of fields that were before this was kept.
    pub agreed: BTreeMap<String, Agreed>,
}

impl Base {
    /// Notes what was sent for a field without an answer, under the rule of that time.
    pub fn sent_without_answer(&mut self, target: &str, sent: Value, rule: String) {
        let agreed = self.agreed.entry(target.to_owned()).or_insert_with(|| Agreed::new(rule, Why::Carried, None));
        agreed.unanswered = Some(sent);
    }

    /// Whether what the right holds in a field may be what somebody made of something that was sent without an answer.
    pub fn is_in_doubt(&self, target: &str, now: &Value) -> bool {
        let sent = self.agreed.get(target).and_then(|a| a.unanswered.as_ref());
        sent.is_some_and(|sent| !same(sent, now))
    }

    /// The base of a field at both ends; none if it was never in step.
    pub fn field(&self, target: &str) -> Option<(&Value, &Value)> {
        Some((self.left.0.get(target)?, self.right.0.get(target)?))
    }

    /// Takes a field as it is in another base.
    pub fn take(&mut self, target: &str, from: &Base) {
        if let Some((left, right)) = from.field(target) {
            self.left.0.insert(target.to_owned(), left.clone());
            self.right.0.insert(target.to_owned(), right.clone());
            self.agreed.extend(from.agreed.get(target).map(|a| (target.to_owned(), a.clone())));
        }
    }

    pub fn set(&mut self, target: &str, left: Value, right: Value, agreed: Agreed) {
        self.left.0.insert(target.to_owned(), left);
        self.right.0.insert(target.to_owned(), right);
        self.agreed.insert(target.to_owned(), agreed);
    }
}

/// Gives the base of a pair when its fingerprints are not enough.
pub trait Bases {
    fn base(&self, pair: &Pair) -> Option<Base>;
}

impl Bases for HashMap<String, Base> {
    /// Keyed by the left id.
    fn base(&self, pair: &Pair) -> Option<Base> {
        self.get(&pair.left_id).cloned()
    }
}
