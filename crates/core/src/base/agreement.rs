//! How each slot came to be in step.
//!
//! Shared by all pairs of which it is the same.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::RuleSlot;
use crate::law::{Replaced, Swing};
use crate::model::{End, Ends, Fingerprint, Slot, Value};
use crate::rules::RuleId;

/// How the slots that a rule joins came to be in step.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(from = "Kept")]
pub struct Agreed {
    /// The slot that the rule filled; none where it is spelt as the rule's id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub slot: Option<Slot>,
    /// The end of that slot.
    #[serde(skip_serializing_if = "is_right")]
    pub filled: End,
    /// The id of the slot that the rule took for it at the other end; none if it took no slot whole.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub taken: Option<String>,
    /// What the rule made for either end of what the other held; none where that end held the same, or the rule does
    /// not go there.
    #[serde(rename = "made_for", skip_serializing_if = "is_for_neither")]
    pub made: Ends<Option<Value>>,
    /// The digest of the rule and of what it read besides the item.
    pub rule: String,
    /// How the two ends came to agree.
    pub why: Why,
    /// What was sent since, in a call of which nobody knows whether it was done. It is gone when the slot is in step
    /// again.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unanswered: Option<Value>,
    /// The end to which that was sent.
    #[serde(skip_serializing_if = "is_right")]
    pub unanswered_at: End,
    /// Whether the rule carried both ways then, so that what it made is known for both ends.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub both: bool,
    /// What Hovrel's last writes into either end replaced there, of a rule that carries both ways.
    #[serde(skip_serializing_if = "is_of_neither")]
    pub replaced: Ends<Vec<Replaced<Value>>>,
    /// The last edits that were carried to and fro.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub swings: Vec<Swing>,
}

fn is_right(end: &End) -> bool {
    *end == End::Right
}

fn is_of_neither(replaced: &Ends<Vec<Replaced<Value>>>) -> bool {
    replaced.left.is_empty() && replaced.right.is_empty()
}

fn is_for_neither(made: &Ends<Option<Value>>) -> bool {
    made.left.is_none() && made.right.is_none()
}

/// As it stands in the database. Versions in which every rule wrote the right kept only what was made for that end.
#[derive(Deserialize)]
struct Kept {
    #[serde(default)]
    slot: Option<Slot>,
    #[serde(default)]
    filled: Option<End>,
    #[serde(default)]
    taken: Option<String>,
    #[serde(default)]
    made_for: Ends<Option<Value>>,
    #[serde(default)]
    made: Option<Value>,
    rule: String,
    why: Why,
    #[serde(default)]
    unanswered: Option<Value>,
    #[serde(default)]
    unanswered_at: Option<End>,
    #[serde(default)]
    both: bool,
    #[serde(default)]
    replaced: Ends<Vec<Replaced<Value>>>,
    #[serde(default)]
    swings: Vec<Swing>,
}

impl From<Kept> for Agreed {
    fn from(kept: Kept) -> Agreed {
        let Kept { slot, filled, taken, made_for: Ends { left, right }, made, rule, why, .. } = kept;
        Agreed {
            slot,
            filled: filled.unwrap_or(End::Right),
            taken,
            made: Ends { left, right: right.or(made) },
            rule,
            why,
            unanswered: kept.unanswered,
            unanswered_at: kept.unanswered_at.unwrap_or(End::Right),
            both: kept.both,
            replaced: kept.replaced,
            swings: kept.swings,
        }
    }
}

impl Agreed {
    /// Of a rule with a digest, and what it made for an end if that end holds something else.
    pub fn new(rule: String, why: Why, end: End, made: Option<Value>) -> Agreed {
        let mut made_for = Ends::default();
        made_for[end] = made;
        Agreed { both: false, ..Agreed::of_both(rule, why, made_for) }
    }

    /// Of a rule with a digest that carries both ways, and what it made for either end if that end holds something else.
    pub fn of_both(rule: String, why: Why, made: Ends<Option<Value>>) -> Agreed {
        Agreed {
            slot: None,
            filled: End::Right,
            taken: None,
            made,
            rule,
            why,
            unanswered: None,
            unanswered_at: End::Right,
            both: true,
            replaced: Ends::default(),
            swings: Vec::new(),
        }
    }

    /// Whether it is of a rule that joins this slot: it fills it, or takes it since its lane was turned round and fills what
    /// was taken before. What that was is not known of what was kept before it was taken down.
    pub(super) fn is_of(&self, of: RuleSlot<'_>) -> bool {
        let filled = self.slot.as_ref().map_or(of.rule.as_str(), Slot::id);
        if self.filled == of.filled {
            return of.slot.id() == filled;
        }
        of.other == Some(filled) && self.taken.as_deref().is_none_or(|taken| taken == of.slot.id())
    }
}

/// How two ends came to agree on a slot.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Why {
    /// It was written.
    Carried,
    /// Both held the same by themselves.
    Equal,
    /// A person kept what the written end held.
    Kept,
    /// It was in step when its lane was turned round: each end keeps what it held, until the other is edited.
    Turned,
}

/// Of all rules of a lane, how what each joins came to be in step; shared by the pairs of which it is the same.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "BTreeMap<RuleId, Agreed>", into = "BTreeMap<RuleId, Agreed>")]
pub struct Agreement {
    of_rules: BTreeMap<RuleId, Agreed>,
    digest: Option<Fingerprint>,
}

impl From<BTreeMap<RuleId, Agreed>> for Agreement {
    fn from(of_rules: BTreeMap<RuleId, Agreed>) -> Agreement {
        let digest = Fingerprint::of_map(of_rules.iter().map(|(rule, a)| (rule, &a.rule)));
        Agreement { of_rules, digest: Some(digest) }
    }
}

impl From<Agreement> for BTreeMap<RuleId, Agreed> {
    fn from(agreement: Agreement) -> BTreeMap<RuleId, Agreed> {
        agreement.of_rules
    }
}

impl Agreement {
    /// How what a rule joins came to be in step; none if it joins another slot by now.
    pub fn of(&self, of_rule: RuleSlot<'_>) -> Option<&Agreed> {
        of(&self.of_rules, of_rule)
    }

    /// One digest of all rules.
    pub fn rules(&self) -> Option<Fingerprint> {
        self.digest
    }

    /// What stands for all of it where it is kept by its digest.
    pub fn fingerprint(&self) -> Fingerprint {
        Fingerprint::of(&self.of_rules)
    }
}

pub(super) fn of<'a>(all: &'a BTreeMap<RuleId, Agreed>, of: RuleSlot<'_>) -> Option<&'a Agreed> {
    all.get(of.rule).filter(|agreed| agreed.is_of(of))
}
