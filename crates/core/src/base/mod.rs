//! The base: what both ends held when last in step, and how that came to be.
//!
//! Decides what is remembered of a pair, rule by rule: what each end told, what the rule made of it, and the slots that
//! it joined then. What moves a base after a transfer is decided in [`crate::plan`].

mod agreement;
mod pair;
mod pairs;

pub use agreement::{Agreed, Agreement, Why};
pub use pair::{Bases, Pair};
pub use pairs::Pairs;

use std::borrow::Cow;
use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::agree::same;
use crate::law::Remembered;
use crate::model::{End, Ends, Fingerprint, Names, Slot, Value};
use crate::rules::{Rule, RuleId};

/// What one end told, by rule: what the rule starts from there, or what the slot held that it fills.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct BaseSide(pub BTreeMap<RuleId, Value>);

impl BaseSide {
    /// What stands for all of it where it is kept by its digest.
    pub fn fingerprint(&self) -> Fingerprint {
        let held: Vec<&Value> = self.0.values().collect();
        Names::new(self.0.keys().map(RuleId::as_str)).fingerprint(|place| held.get(place).map(|v| Cow::Borrowed(*v)))
    }
}

/// A rule of a lane, and the slots that it joins.
#[derive(Debug, Clone, Copy)]
pub struct RuleSlot<'a> {
    /// The rule that fills the slot.
    pub rule: &'a RuleId,
    /// The slot that it fills.
    pub slot: &'a Slot,
    /// The end of that slot: the one that its lane writes, or writes first.
    pub filled: End,
    /// The id of the slot that it joins at the other end; none if that is no slot.
    pub other: Option<&'a str>,
}

impl<'a> RuleSlot<'a> {
    /// Of a rule, with the slot that it fills at an end; none if it fills none there.
    pub fn of(rule: &'a Rule, filled: End) -> Option<RuleSlot<'a>> {
        let slot = &rule.fill(filled)?.target;
        Some(RuleSlot { rule: &rule.id, slot, filled, other: rule.slot_at(filled.other()) })
    }

    /// The id of the slot at an end.
    fn at(self, end: End) -> Option<&'a str> {
        if end == self.filled { Some(self.slot.id()) } else { self.other }
    }

    /// What was agreed on, with the slots of which it was: the one that is filled only where it is not spelt as the rule's id.
    fn noted(self, agreed: Agreed) -> Agreed {
        let slot = (*self.slot != *self.rule.as_str()).then(|| self.slot.clone());
        Agreed { slot, filled: self.filled, taken: self.other.map(str::to_owned), ..agreed }
    }
}

/// What both ends told when last in step. A rule of which nothing was ever in step is in neither map.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Base {
    /// What the left end held.
    pub left: BaseSide,
    /// What the right end held.
    pub right: BaseSide,
    /// How that came to be; nothing of rules that were before this was kept.
    pub agreed: BTreeMap<RuleId, Agreed>,
}

impl Base {
    /// Notes a value that was sent to an end and never answered, with the digest of the rule that made it.
    pub fn sent_without_answer(&mut self, of: RuleSlot<'_>, end: End, sent: Value, digest: String) {
        let new = || of.noted(Agreed::new(digest, Why::Carried, end, None));
        let agreed = self.agreed.entry(of.rule.clone()).or_insert_with(new);
        agreed.unanswered = Some(sent);
        agreed.unanswered_at = end;
    }

    /// The same of a rule that carries both ways: what stood there when the write was planned may come back.
    pub fn perhaps_wrote(&mut self, of: RuleSlot<'_>, end: End, planned: &Value, at: i64) {
        let moved = self.remembered(of).map(|remembered| remembered.perhaps_wrote(end, planned, at, same));
        let agreed = self.agreed.get_mut(of.rule).filter(|agreed| agreed.both);
        if let (Some(moved), Some(agreed)) = (moved, agreed) {
            agreed.replaced = moved.replaced;
        }
    }

    /// Whether what an end holds may be what somebody made of something that was sent to it without an answer.
    pub fn is_in_doubt(&self, of: RuleSlot<'_>, end: End, now: &Value) -> bool {
        let sent = self.agreed(of).filter(|a| a.unanswered_at == end).and_then(|a| a.unanswered.as_ref());
        sent.is_some_and(|sent| !same(sent, now))
    }

    /// How what a rule joins came to be in step; none if it joins another slot by now.
    pub fn agreed(&self, of: RuleSlot<'_>) -> Option<&Agreed> {
        agreement::of(&self.agreed, of)
    }

    /// What both ends told of what a rule joins; none if that was never in step.
    pub fn told(&self, of: RuleSlot<'_>) -> Option<Ends<&Value>> {
        let of_this_slot = match self.agreed.contains_key(of.rule) {
            true => self.agreed(of).is_some(),
            // From before that was kept, when rules had the ids of their slots.
            false => of.at(End::Right) == Some(of.rule.as_str()),
        };
        if !of_this_slot {
            return None;
        }
        Some(Ends { left: self.left.0.get(of.rule)?, right: self.right.0.get(of.rule)? })
    }

    /// What is remembered of a slot, as the law knows it; none if it was never in step.
    pub fn remembered(&self, of_rule: RuleSlot<'_>) -> Option<Remembered<Value>> {
        let at = self.told(of_rule)?.map(Value::clone);
        let of = |a: &Agreed| (a.made.clone(), a.replaced.clone(), a.swings.clone());
        let (made, replaced, swings) = self.agreed(of_rule).map(of).unwrap_or_default();
        Some(Remembered { at, made, replaced, swings })
    }

    /// Takes what is remembered of a rule as it is in another base.
    pub fn take(&mut self, of: RuleSlot<'_>, from: &Base) {
        if let Some(Ends { left, right }) = from.told(of) {
            self.left.0.insert(of.rule.clone(), left.clone());
            self.right.0.insert(of.rule.clone(), right.clone());
            self.agreed.extend(from.agreed.get(of.rule).map(|a| (of.rule.clone(), a.clone())));
        }
    }

    /// Keeps what both ends held when they agreed, and how they came to.
    pub fn set(&mut self, of: RuleSlot<'_>, held: Ends<Value>, agreed: Agreed) {
        self.left.0.insert(of.rule.clone(), held.left);
        self.right.0.insert(of.rule.clone(), held.right);
        self.agreed.insert(of.rule.clone(), of.noted(agreed));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn filling<'a>(rule: &'a RuleId, slot: &'a Slot) -> RuleSlot<'a> {
        RuleSlot { rule, slot, filled: End::Right, other: None }
    }

    fn told<'b>(base: &'b Base, rule: &RuleId, slot: &str) -> Option<(&'b Value, &'b Value)> {
        base.told(filling(rule, &slot.into())).map(|was| (was.left, was.right))
    }

    #[test]
    fn what_is_remembered_belongs_to_the_rule_and_the_slot_that_it_filled() {
        let rule = RuleId::from("title");
        let mut base = Base::default();
        let agreed = || Agreed::new("1:a".into(), Why::Carried, End::Right, Some(Value::text("Wind")));
        for slot in ["title", "summary"] {
            let slot_filled = Slot::from(slot);
            let of = filling(&rule, &slot_filled);
            base.set(of, Ends { left: Value::text("a"), right: Value::text("b") }, agreed());
            for other in ["title", "summary", "note"] {
                let wanted = (other == slot).then_some((Value::text("a"), Value::text("b")));
                assert_eq!(
                    told(&base, &rule, other),
                    wanted.as_ref().map(|(l, r)| (l, r)),
                    "{slot}, asked for {other}"
                );
            }
            assert_eq!(told(&base, &RuleId::from("summary"), slot), None, "another rule");
        }
    }

    /// Turned round, a rule takes what it filled and fills what it took. If it fills another slot by then, nothing is known of it.
    #[test]
    fn what_is_remembered_stays_with_a_rule_that_is_turned_round() {
        let (rule, note, text) = (RuleId::from("text"), Slot::from("note"), Slot::from("text"));
        let remark = Slot::from("remark");
        let mut base = Base::default();
        let of = RuleSlot { other: Some("note"), ..filling(&rule, &text) };
        let agreed = Agreed::new("1:a".into(), Why::Carried, End::Right, None);
        base.set(of, Ends { left: Value::text("a"), right: Value::text("b") }, agreed);
        let turned = |slot| RuleSlot { rule: &rule, slot, filled: End::Left, other: Some("text") };
        assert!(base.told(turned(&note)).is_some());
        assert!(base.told(turned(&remark)).is_none(), "it fills another slot");
        assert!(base.told(RuleSlot { other: Some("title"), ..turned(&note) }).is_none(), "it takes another slot");
        assert!(
            base.told(RuleSlot { other: Some("remark"), ..of }).is_some(),
            "another source is another value, and no more"
        );
    }

    /// As versions kept it in which every rule wrote the right and had no id.
    #[test]
    fn what_was_kept_before_is_read() {
        let value = serde_json::to_value(Value::text("Wind")).expect("JSON");
        let kept = serde_json::json!({"title": {"made": value, "rule": "1:a", "why": "carried"}});
        let agreement: Agreement = serde_json::from_value(kept).expect("it is read");
        let agreed = agreement.of(filling(&RuleId::from("title"), &"title".into())).expect("it is there");
        assert_eq!((&agreed.made.right, &agreed.made.left), (&Some(Value::text("Wind")), &None));
        let again = serde_json::to_value(&agreement).expect("JSON");
        assert_eq!(serde_json::from_value::<Agreement>(again).expect("it is read again"), agreement);
        // Of pairs from before even that was kept.
        let side = || BaseSide([(RuleId::from("title"), Value::text("a"))].into());
        let base = Base { left: side(), right: side(), agreed: BTreeMap::new() };
        assert!(told(&base, &RuleId::from("title"), "title").is_some());
        assert_eq!(told(&base, &RuleId::from("title"), "summary"), None);
    }
}
