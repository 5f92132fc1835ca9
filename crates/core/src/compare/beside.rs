//! Two artefacts side by side, whether they differ or not, for a person who has to say whether they are one.

use super::item::{Comparer, ReadyRule};
use crate::agree::same;
use crate::carry::Context;
use crate::model::{Artefact, Ends, Slot, Value, slot_value};
use crate::rules::Lane;

/// A field of two artefacts, side by side.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BesideField {
    /// The slot that the rule fills.
    pub target: Slot,
    /// What the item of the end that is read becomes under the rule; none if it can't be transferred.
    pub becomes: Option<Value>,
    /// What the item of the end that is written holds there.
    pub there: Value,
    /// Whether the two say the same.
    pub same: bool,
}

/// Two artefacts as the rules of a lane see them, whether they differ or not: for a person who has to say whether
/// they are one.
pub fn beside(lane: &Lane, cx: &Context<'_>, items: Ends<&Artefact>) -> Vec<BesideField> {
    let comparer = Comparer::new(lane, cx);
    let field = |rule: &ReadyRule<'_>| {
        let (target, ready) = (rule.slot(), &rule.ready);
        let there = slot_value(items[comparer.written], target).into_owned();
        let becomes = ready.convert(items[comparer.read()], cx).value;
        let same = becomes.as_ref().is_some_and(|value| same(value, &there));
        BesideField { target: target.clone(), becomes, there, same }
    };
    comparer.rules().iter().map(field).collect()
}
