//! Comparing two artefacts field by field.
//!
//! Decides, per field, who changed what since both were last in step. An artefact whose values have the fingerprints of
//! the base is passed over without converting anything.

use std::collections::BTreeMap;

use crate::agree::{Accepted, SaidOfOne, comments_of, files_untold, history_of, same, sort_comments, sort_history};
use crate::base::{Agreed, Base, BaseSide, Pair, Why};
use crate::carry::{Context, FaultReason, Ready, leads_back, renamed, renamed_comments, source_value};
use crate::loss::Loss;
use crate::model::{Artefact, End, Ends, Fingerprint, Slot, Value, labelled, slot_value};
use crate::plan::{FieldChange, FieldReason, Rebase, lacks_only};
use crate::rules::{FirstContact, Lane, Source};
use crate::workflow::Hindrance;

/// The rules of a lane in the order of their targets: the order in which fingerprints are made.
fn targets(lane: &Lane) -> Vec<usize> {
    let mut order: Vec<usize> = (0..lane.rules.len()).collect();
    order.sort_by(|a, b| lane.rules[*a].target.cmp(&lane.rules[*b].target));
    order
}

/// The values of an artefact of the written end that its base will remember.
pub fn right_side(lane: &Lane, artefact: &Artefact) -> BaseSide {
    BaseSide(lane.rules.iter().map(|r| (r.target.clone(), r.target.of(artefact).into_owned())).collect())
}

/// Compares artefacts under one lane.
pub struct Comparer<'a> {
    lane: &'a Lane,
    cx: &'a Context<'a>,
    /// The end that the lane writes; the rules read the other.
    written: End,
    order: Vec<usize>,
    ready: Vec<Ready<'a>>,
    /// Targets whose texts may name items.
    named_in: Vec<&'a Slot>,
    rules_digest: Fingerprint,
}

/// What comparing two artefacts found.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Found {
    /// What differs.
    pub fields: Vec<FieldChange>,
    /// What can't be transferred.
    pub faults: Vec<(Slot, FaultReason)>,
    /// Fields that are the same at both ends, or as the rule left them, and whose base moves.
    pub rebased: BTreeMap<Slot, Rebase>,
    /// Losses of fields that are the same at both ends as far as they can be.
    pub losses: Vec<Loss>,
    /// Comments and past changes that were found at both ends, and are remembered from now on.
    pub accepted: Vec<Accepted>,
}

impl Found {
    /// Whether nothing differs.
    pub fn is_in_step(&self) -> bool {
        self.fields.is_empty() && self.faults.is_empty()
    }
}

/// What became of a slot since both ends were last in step.
struct Since<'b> {
    /// Whether it was ever in step.
    has_base: bool,
    agreed: Option<&'b Agreed>,
    /// Whether either end holds what it held then.
    same: Ends<bool>,
    /// Neither end changed, and the rule is another.
    other_rule: bool,
    /// The rule is the same, known by a digest as they were made before.
    by_former_digest: bool,
    /// A link leads somewhere else by now.
    moved: bool,
    /// The text with items called as they are called by now, if that is another.
    renamed: Option<Value>,
}

impl Since<'_> {
    fn is_nothing(&self) -> bool {
        self.same.left && self.same.right && !self.moved && self.renamed.is_none() && !self.other_rule
    }

    /// Whether neither end changed, and it is not only another name, or another place, that sets them apart.
    fn differs_by_rule_alone(&self, expected: &Value) -> bool {
        let only_renamed = self.renamed.as_ref().is_some_and(|renamed| same(expected, renamed));
        self.same.left && self.same.right && !self.moved && !only_renamed
    }
}

/// Whether what a rule gives and what is there differ in a way that is to be told.
enum Differs {
    Not,
    /// Another rule gives what the old one gave.
    OnlyByRule,
    Because(FieldReason),
}

impl<'a> Comparer<'a> {
    pub fn new(lane: &'a Lane, cx: &'a Context<'a>) -> Comparer<'a> {
        let ready: Vec<Ready<'_>> = lane.rules.iter().map(|r| Ready::new(r, cx)).collect();
        let order = targets(lane);
        // As an agreement makes it: see `Agreement`.
        let rules_digest = Fingerprint::of_map(order.iter().map(|n| (&ready[*n].rule.target, ready[*n].digest())));
        let named_in = ready.iter().filter(|r| r.holds_documents()).map(|r| &r.rule.target).collect();
        Comparer { lane, cx, written: lane.direction.written(), order, ready, named_in, rules_digest }
    }

    /// The lane's rules, ready for many artefacts.
    pub(crate) fn rules(&self) -> &[Ready<'a>] {
        &self.ready
    }

    /// The fingerprint of what the rules take from a left artefact.
    pub fn left_fingerprint(&self, artefact: &Artefact) -> Fingerprint {
        Fingerprint::of_map(self.order.iter().filter_map(|n| {
            let rule = &self.lane.rules[*n];
            Some((&rule.target, source_value(rule, artefact, self.cx.left_system)?))
        }))
    }

    /// The fingerprint of what the rules fill in an artefact of the written end.
    pub fn right_fingerprint(&self, artefact: &Artefact) -> Fingerprint {
        Fingerprint::of_map(self.order.iter().map(|n| {
            let target = &self.lane.rules[*n].target;
            (target, target.of(artefact))
        }))
    }

    /// The values of a left artefact that its base will remember.
    pub fn left_side(&self, artefact: &Artefact) -> BaseSide {
        let value = |n: &usize| {
            let rule = &self.lane.rules[*n];
            Some((rule.target.clone(), source_value(rule, artefact, self.cx.left_system)?.into_owned()))
        };
        BaseSide(self.order.iter().filter_map(value).collect())
    }

    /// True if neither side changed since the base, nor the rules, nor the place of what they link to; the values are
    /// compared by their fingerprints alone.
    pub fn untouched(&self, left: &Artefact, right: &Artefact, pair: &Pair) -> bool {
        self.left_fingerprint(left) == pair.left_base
            && self.right_fingerprint(right) == pair.right_base
            && pair.agreed.as_ref().and_then(|a| a.rules()).is_none_or(|rules| rules == self.rules_digest)
            && !self.leads_back(left, right)
            && !self.named_in.iter().any(|target| self.renamed(right, target).is_some())
    }

    /// The digest of each rule with what it reads besides the item, by target.
    pub fn digests(&self) -> BTreeMap<Slot, String> {
        self.ready.iter().map(|r| (r.rule.target.clone(), r.digest().to_owned())).collect()
    }

    /// The text of a written field with left keys replaced by those of counterparts that have been created since; none
    /// if it names no such item. Comments are never changed.
    fn renamed(&self, right: &Artefact, target: &Slot) -> Option<Value> {
        renamed(right.fields.get(target)?, self.cx.places)
    }

    fn leads_back(&self, left: &Artefact, right: &Artefact) -> bool {
        self.lane.rules.iter().any(|r| r.target == Slot::Links && r.source == Source::Links)
            && leads_back(&left.links, &right.links, self.cx.places)
    }

    /// Compares field by field. `base` is none at first contact; `accepted` is what is remembered of the comments and
    /// past changes of both.
    pub fn compare(&self, left: &Artefact, right: &Artefact, base: Option<&Base>, accepted: &[Accepted]) -> Found {
        let mut out = Found::default();
        for ready in &self.ready {
            self.compare_slot(ready, Ends { left, right }, base, accepted, &mut out);
        }
        out.faults.extend(self.moves(&out.fields, Some(right)));
        out
    }

    fn compare_slot(
        &self,
        ready: &Ready<'_>,
        items: Ends<&Artefact>,
        base: Option<&Base>,
        accepted: &[Accepted],
        out: &mut Found,
    ) {
        let target = &ready.rule.target;
        let Some(source) = source_value(ready.rule, items.left, self.cx.left_system) else { return };
        let now = target.of(items.right);
        let since = self.since(ready, items, (&source, &now), base);
        if since.by_former_digest {
            out.rebased.insert(target.clone(), Rebase::SameByAnotherRule);
        }
        if since.is_nothing() {
            return;
        }
        let converted = ready.convert(items.left, self.cx);
        if let Some(fault) = converted.fault {
            // A value that can't be transferred blocks only if it is new: what was agreed on stays.
            if !since.same.left || since.other_rule {
                out.faults.push((target.clone(), fault));
            }
            return;
        }
        let Some(expected) = converted.value else { return };
        if target.is_said() {
            self.said(target, &source, expected, &now, accepted, converted.losses, out);
            return;
        }
        // What changed at the left may be the bytes of a file, and the other end does not say which ones it holds.
        let untold = since.has_base && !since.same.left && files_untold(&expected, now.as_ref());
        if same(&expected, now.as_ref()) && !untold {
            out.rebased.insert(target.clone(), Rebase::Equal);
            out.losses.extend(converted.losses);
            return;
        }
        match self.why(target, &since, &expected, &now, base) {
            Differs::Not => {}
            Differs::OnlyByRule => {
                out.rebased.insert(target.clone(), Rebase::SameByAnotherRule);
            }
            Differs::Because(reason) => out.fields.push(FieldChange {
                field: target.clone(),
                left: Some(source.into_owned()),
                write: expected,
                right: Some(now.into_owned()),
                reason,
                losses: converted.losses,
            }),
        }
    }

    /// What became of a slot since both ends were last in step.
    fn since<'b>(
        &self,
        ready: &Ready<'_>,
        items: Ends<&Artefact>,
        (source, now): (&Value, &Value),
        base: Option<&'b Base>,
    ) -> Since<'b> {
        let target = &ready.rule.target;
        let kept = base.and_then(|b| b.field(target));
        let agreed = base.and_then(|b| b.agreed.get(target));
        let same = Ends {
            left: kept.is_some_and(|(left, _)| source == left),
            right: kept.is_some_and(|(_, right)| now == right),
        };
        let both_same = same.left && same.right;
        let other_rule = both_same && agreed.is_some_and(|a| !ready.is_known_as(&a.rule, self.cx));
        Since {
            has_base: kept.is_some(),
            agreed,
            same,
            other_rule,
            by_former_digest: both_same && !other_rule && agreed.is_some_and(|a| a.rule != ready.digest()),
            moved: *target == Slot::Links && self.leads_back(items.left, items.right),
            renamed: self.renamed(items.right, target),
        }
    }

    /// Why what the rule gives is not what is there.
    fn why(&self, target: &Slot, since: &Since<'_>, expected: &Value, now: &Value, base: Option<&Base>) -> Differs {
        let from = self.written.other();
        let mut reason = match (since.has_base, since.same[from], since.same[self.written]) {
            (false, ..) => FieldReason::NoBase,
            (true, false, true) if !lacks_only(expected, now).is_empty() => FieldReason::WaitsForOthers,
            (true, false, true) => FieldReason::Changed(from),
            (true, true, false) => FieldReason::Changed(self.written),
            (true, true, true) => FieldReason::TargetMoved,
            (true, false, false) => FieldReason::BothChanged,
        };
        if since.differs_by_rule_alone(expected) {
            let Some(agreed) = since.agreed.filter(|_| since.other_rule) else { return Differs::Not };
            if same(expected, agreed.made.as_ref().unwrap_or(now)) {
                return Differs::OnlyByRule;
            }
            reason = match agreed.why {
                Why::Kept => FieldReason::RuleChangedOverKept,
                Why::Carried | Why::Equal => FieldReason::RuleChanged,
            };
        }
        let by_itself = reason.default_decision(FirstContact::Ask, self.written).writes();
        if by_itself && base.is_some_and(|b| b.is_in_doubt(target, now)) {
            reason = FieldReason::PerhapsThere;
        }
        if matches!(now, Value::Unreadable(_)) {
            reason = FieldReason::Unreadable(self.written);
        }
        Differs::Because(reason)
    }

    /// Comments and past changes: what is to be added is all that can be done about them.
    #[allow(clippy::too_many_arguments)]
    fn said(
        &self,
        target: &Slot,
        source: &Value,
        wanted: Value,
        now: &Value,
        accepted: &[Accepted],
        losses: Vec<Loss>,
        out: &mut Found,
    ) {
        let (to_add, doubtful, taken_off, found) = match target {
            Slot::Comments => {
                let sorted = self.sorted_comments(source, &wanted, now, accepted);
                let doubtful = !sorted.doubtful.is_empty();
                let to_add = [sorted.to_add, sorted.doubtful].concat();
                (Value::Comments(to_add), doubtful, Value::Comments(sorted.taken_off), sorted.found)
            }
            _ => {
                let sorted =
                    sort_history(&Slot::History, (history_of(source), history_of(&wanted)), history_of(now), accepted);
                let doubtful = !sorted.doubtful.is_empty();
                let to_add = [sorted.to_add, sorted.doubtful].concat();
                (Value::History(to_add), doubtful, Value::History(sorted.taken_off), sorted.found)
            }
        };
        out.accepted.extend(found);
        let (write, reason) = match (to_add.is_blank(), taken_off.is_blank()) {
            (false, _) if doubtful => (to_add, FieldReason::PerhapsThere),
            (false, _) => (to_add, FieldReason::Changed(self.written.other())),
            (true, false) => (taken_off, FieldReason::TakenOff(self.written.other())),
            (true, true) => {
                out.rebased.insert(target.clone(), Rebase::Equal);
                out.losses.extend(losses);
                return;
            }
        };
        let (left, right) = (Some(source.clone()), Some(now.clone()));
        let losses = if matches!(reason, FieldReason::TakenOff(_)) { Vec::new() } else { losses };
        out.fields.push(FieldChange { field: target.clone(), left, write, right, reason, losses });
    }

    /// The comments of two items, by what is remembered of both.
    pub(crate) fn sorted_comments(
        &self,
        source: &Value,
        wanted: &Value,
        now: &Value,
        accepted: &[Accepted],
    ) -> crate::agree::Sorted<crate::model::Comment> {
        let (written, held) = (labelled(wanted), comments_of(now));
        let told = renamed_comments(held, self.cx.places);
        let of_one = SaidOfOne {
            slot: &Slot::Comments,
            left_system: self.cx.left_system,
            source: comments_of(source),
            wanted: comments_of(wanted),
            written: comments_of(&written),
            now: held,
            renamed: told.as_deref(),
        };
        sort_comments(of_one, accepted)
    }

    /// Every field of an artefact that will be made.
    pub fn make(&self, left: &Artefact) -> (Vec<FieldChange>, Vec<(Slot, FaultReason)>) {
        let mut fields = Vec::new();
        let mut faults = Vec::new();
        for ready in &self.ready {
            let rule = ready.rule;
            let converted = ready.convert(left, self.cx);
            if let Some(fault) = converted.fault {
                faults.push((rule.target.clone(), fault));
                continue;
            }
            let Some(write) = converted.value else { continue };
            if write == Value::Empty && converted.losses.is_empty() {
                continue;
            }
            fields.push(FieldChange {
                field: rule.target.clone(),
                left: source_value(rule, left, self.cx.left_system).map(|v| v.into_owned()),
                write,
                right: None,
                reason: FieldReason::New,
                losses: converted.losses,
            });
        }
        faults.extend(self.moves(&fields, None));
        (fields, faults)
    }

    /// What stands in the way of the states that are to be written: no moves that lead there, or a field
    /// that these ask for and that would be empty.
    fn moves(&self, fields: &[FieldChange], right: Option<&Artefact>) -> Vec<(Slot, FaultReason)> {
        let mut faults = Vec::new();
        for change in fields.iter().filter(|f| f.reason.may_be_written(self.written)) {
            let workflow = self.cx.right_kind.field(&change.field).and_then(|f| f.workflow.as_ref());
            let (Some(workflow), Value::Choice(to)) = (workflow, &change.write) else { continue };
            let now = right.map(|r| change.field.of(r).display()).filter(|s| !s.is_empty());
            let from = now.unwrap_or_else(|| workflow.first.clone());
            let held = |field: &str| match fields.iter().find(|f| f.field == field) {
                Some(f) => !f.write.is_blank(),
                None => right.is_some_and(|r| !slot_value(r, field).is_blank()),
            };
            faults.extend(workflow.hindrances(&from, to, held).into_iter().map(|hindrance| {
                let (from, to) = (from.clone(), to.clone());
                let reason = match hindrance {
                    Hindrance::NoWay => FaultReason::NoWay { from, to },
                    Hindrance::Asks(field) => FaultReason::MoveAsks { to, field },
                };
                (change.field.clone(), reason)
            }));
        }
        faults
    }
}
