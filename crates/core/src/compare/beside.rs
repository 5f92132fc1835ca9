//! Two artefacts side by side, whether they differ or not, for a person who has to say whether they are one.

use super::item::{Comparer, ReadyRule};
use crate::agree::same;
use crate::carry::Context;
use crate::model::{Artefact, Slot, Value, slot_value};
use crate::rules::Lane;

/// A field of two artefacts, side by side.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BesideField {
    /// The slot that the rule fills.
    pub target: Slot,
    /// What the left becomes under the rule; none if it can't be transferred.
    pub left: Option<Value>,
    /// What the right item holds there.
    pub right: Value,
    /// Whether the two say the same.
    pub same: bool,
}

/// Two artefacts as the rules of a lane see them, whether they differ or not: for a person who has to say whether
/// they are one.
pub fn beside(lane: &Lane, cx: &Context<'_>, left: &Artefact, right: &Artefact) -> Vec<BesideField> {
    let comparer = Comparer::new(lane, cx);
    let field = |rule: &ReadyRule<'_>| {
        let (target, ready) = (rule.slot(), &rule.ready);
        let now = slot_value(right, target).into_owned();
        let left = ready.convert(left, cx).value;
        let same = left.as_ref().is_some_and(|l| same(l, &now));
        BesideField { target: target.clone(), left, right: now, same }
    };
    comparer.rules().iter().map(field).collect()
}
