//! Comparing two artefacts field by field.
//!
//! Decides, per field, who changed what since both were last in step. An artefact whose values have the fingerprints of
//! the base is passed over without converting anything.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};

use crate::agree::{Accepted, files_untold, holdings, same};
use crate::base::{Agreed, Base, Pair, RuleSlot, Why};
use crate::carry::{Context, FaultReason, Ready, leads_back, renamed, source_value};
use crate::catalogue::KindSchema;
use crate::conflict::{OfLane, Standing};
use crate::loss::Loss;
use crate::model::{Artefact, End, Ends, Fingerprint, Names, Picker, ShortForm, Slot, Value, slot_value};
use crate::plan::{FieldChange, FieldReason, Rebase, lacks_only};
use crate::rules::{Fill, FirstContact, Lane, Rule, RuleId, Source};
use crate::workflow::Hindrance;

/// What an artefact of the written end holds in the slots that the rules fill.
pub fn targets(lane: &Lane, artefact: &Artefact) -> BTreeMap<Slot, Value> {
    lane.fills().map(|fill| (fill.target.clone(), fill.target.of(artefact).into_owned())).collect()
}

/// A rule of the lane, ready for many artefacts.
pub(crate) struct ReadyRule<'a> {
    pub id: &'a RuleId,
    /// The slots that it joins.
    pub joins: RuleSlot<'a>,
    /// How it fills the end that its lane writes first.
    pub ready: Ready<'a>,
    /// How it fills the other end, if it carries both ways.
    pub back: Option<WayBack<'a>>,
    /// Of the rule with all that it reads besides the item.
    digest: String,
}

/// The way of a rule into the end that its lane does not write first.
pub(crate) struct WayBack<'a> {
    pub ready: Ready<'a>,
    /// The end into which the conversions stand, if the way into the other takes them back.
    pub taken_back: Option<End>,
}

impl<'a> ReadyRule<'a> {
    /// The slot that it fills.
    pub fn slot(&self) -> &'a Slot {
        &self.ready.fill.target
    }

    /// What the rule joins in an artefact of the end that is read: of one that computes both its ways, the field that it is
    /// computed from.
    pub fn source<'i>(&'i self, artefact: &'i Artefact, system: &str) -> Option<Cow<'i, Value>> {
        match (&self.ready.fill.source, &self.back) {
            (Source::Computed(_), Some(back)) => Some(back.ready.fill.target.of(artefact)),
            _ => source_value(self.ready.fill, artefact, system),
        }
    }

    /// Of the rule with all that it reads besides the item, on both its ways.
    pub fn digest(&self) -> &str {
        &self.digest
    }

    /// Whether a stored digest belongs to the rule as it is; older forms of digests are recognised too.
    pub fn is_known_as(&self, kept: &str, cx: &Context<'_>) -> bool {
        self.digest == kept || (self.back.is_none() && self.ready.is_known_as(kept, cx))
    }
}

/// Compares artefacts under one lane.
pub struct Comparer<'a> {
    pub(crate) lane: &'a Lane,
    pub(crate) cx: &'a Context<'a>,
    /// The end that the lane writes, or writes first; the rules read the other.
    pub(crate) written: End,
    /// What the ways back look at, and the time at which it is compared; none of a lane that carries one way.
    pub(super) back: Option<Back<'a>>,
    /// The conflicts of its pairs that are open.
    standing: Option<&'a OfLane>,
    rules: Vec<ReadyRule<'a>>,
    /// The ids of the rules, by which values are hashed.
    ids: Names,
    /// The field at each end that a rule starts from, or fills, by the rule's place; none if that is no field.
    fields: Ends<Vec<Option<&'a str>>>,
    /// Targets whose texts may name items.
    named_in: Vec<&'a Slot>,
    rules_digest: Fingerprint,
}

/// What the ways back of a lane look at.
#[derive(Clone, Copy)]
pub(super) struct Back<'a> {
    pub cx: &'a Context<'a>,
    pub clocks: Clocks,
    /// Of each end.
    pub folders: Ends<&'a FolderNames>,
}

/// The time at which two ends are compared, and how right their own clocks are.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Clocks {
    /// Seconds since 1970-01-01.
    pub now: i64,
    /// By how many seconds the clock of an end is ahead; none where nobody knows.
    pub ahead: Ends<Option<i64>>,
}

/// The names of the folders that lead to a folder, by its id, the outermost first and its own last.
pub type FolderNames = HashMap<String, Vec<String>>;

/// What comparing two artefacts found.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Found {
    /// What differs.
    pub fields: Vec<FieldChange>,
    /// What can't be transferred.
    pub faults: Vec<(Slot, FaultReason)>,
    /// Fields that are the same at both ends, or as the rule left them, and whose base moves.
    pub rebased: BTreeMap<Slot, Rebase>,
    /// Of these, what a rule that carries both ways makes for either end, where that is something else than it holds.
    pub made: BTreeMap<Slot, Ends<Option<Value>>>,
    /// Losses of fields that are the same at both ends as far as they can be.
    pub losses: Vec<Loss>,
    /// Comments and past changes that were found at both ends, and are remembered from now on.
    pub accepted: Vec<Accepted>,
    /// Rules of which a conflict is open, and of which nobody knows what stands at an end now.
    pub unknown: Vec<RuleId>,
}

impl Found {
    /// Whether nothing differs and nothing that is remembered moves.
    pub fn moves_nothing(&self) -> bool {
        self.is_in_step() && self.rebased.is_empty() && self.accepted.is_empty()
    }

    /// Whether nothing differs.
    pub fn is_in_step(&self) -> bool {
        self.fields.is_empty() && self.faults.is_empty()
    }
}

/// A slot that one end left out of its answer, with what the end that is written holds: nothing is written.
pub(super) fn unreadable(slot: &Slot, held: Ends<Option<&Value>>, there: &Value, end: End) -> FieldChange {
    let field =
        FieldChange { write: there.clone(), reason: FieldReason::Unreadable(end), ..FieldChange::of(slot.clone()) };
    field.holding(held.map(Option::<&Value>::cloned))
}

/// As an agreement makes it: see `Agreement`.
fn digest_of(rules: &[ReadyRule<'_>]) -> Fingerprint {
    Fingerprint::of_map(rules.iter().map(|rule| (rule.id, rule.digest())))
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
    /// The rule filled the other end when both were in step. What it did there (a text cut short, two values made one) is no
    /// reason to write that into the end where it came from.
    OnlyByTurning,
    Because(FieldReason),
}

impl<'a> Comparer<'a> {
    /// Prepares the rules of a lane for comparing items by them.
    pub fn new(lane: &'a Lane, cx: &'a Context<'a>) -> Comparer<'a> {
        let written = lane.written();
        let ready = |rule: &'a Rule| {
            let (fill, joins) = (rule.fill(written)?, RuleSlot::of(rule, written)?);
            let ready = Ready::new(fill, cx);
            Some(ReadyRule { id: &rule.id, joins, digest: ready.digest().to_owned(), ready, back: None })
        };
        let rules: Vec<ReadyRule<'_>> = lane.rules.iter().filter_map(ready).collect();
        let ids = Names::new(rules.iter().map(|rule| rule.id.as_str()));
        let rules_digest = digest_of(&rules);
        let fields = Ends::of(|end| {
            let field = |rule: &ReadyRule<'a>| match (end == written, &rule.ready.fill.source) {
                (true, _) => matches!(rule.slot(), Slot::Field(_)).then(|| rule.slot().id()),
                (false, Source::Field(field)) => Some(field.as_str()),
                (false, _) => None,
            };
            rules.iter().map(field).collect()
        });
        let named_in = rules.iter().filter(|r| r.ready.holds_documents()).map(|r| &r.ready.fill.target).collect();
        Comparer { lane, cx, written, back: None, standing: None, rules, ids, fields, named_in, rules_digest }
    }

    /// With the ways back of a lane that carries both ways ([`Lane::with_ways_back`]): what they look at, what the clocks show,
    /// and the folders of each end.
    pub fn both_ways(mut self, cx: &'a Context<'a>, clocks: Clocks, folders: Ends<&'a FolderNames>) -> Comparer<'a> {
        let (lane, into) = (self.lane, self.written.other());
        for (n, rule) in self.rules.iter_mut().enumerate() {
            let Some(of_lane) = lane.rules.iter().find(|r| r.id == *rule.id) else { continue };
            let Some(fill) = of_lane.fill(into).filter(|_| lane.carries_into(of_lane, into)) else { continue };
            let ready = Ready::new(fill, cx);
            if let (Source::Computed(_), Slot::Field(joined)) = (&rule.ready.fill.source, &fill.target) {
                self.fields[into][n] = Some(joined);
            }
            rule.digest = ShortForm::Now.of(&(rule.ready.digest(), ready.digest()));
            rule.back = Some(WayBack { ready, taken_back: of_lane.taken_back() });
        }
        self.rules_digest = digest_of(&self.rules);
        self.back = Some(Back { cx, clocks, folders });
        self
    }

    /// With the conflicts of its pairs that are open.
    pub fn standing(self, standing: &'a OfLane) -> Comparer<'a> {
        Comparer { standing: Some(standing), ..self }
    }

    /// The conflict of a slot of a pair that is open.
    pub(super) fn stands(&self, rule: &ReadyRule<'_>, items: Ends<&Artefact>) -> Option<&Standing> {
        self.standing?.get(&items.left.id)?.get(rule.id)
    }

    /// The end that the rules read.
    pub(crate) fn read(&self) -> End {
        self.written.other()
    }

    /// The lane's rules, ready for many artefacts.
    pub(crate) fn rules(&self) -> &[ReadyRule<'a>] {
        &self.rules
    }

    /// Finds what items of an end hold in the fields that the rules start from, or fill.
    pub(crate) fn picker(&self, end: End) -> Picker<'_> {
        Picker::new(&self.fields[end])
    }

    /// The fingerprint of what the rules take from an artefact, or fill in one of the end that is written.
    pub fn fingerprint(&self, end: End, artefact: &Artefact) -> Fingerprint {
        self.fingerprint_with(&mut self.picker(end), end, artefact)
    }

    fn fingerprint_with(&self, picker: &mut Picker<'_>, end: End, artefact: &Artefact) -> Fingerprint {
        let held = picker.pick(&artefact.fields);
        self.ids.fingerprint(|n| match (held(n), end == self.written, self.rules[n].ready.fill) {
            (Some(value), ..) => Some(Cow::Borrowed(value)),
            (None, true, fill) => Some(fill.target.of(artefact)),
            (None, false, Fill { source: Source::Field(_), .. }) => None,
            (None, false, _) => self.rules[n].source(artefact, self.cx.system),
        })
    }

    /// What the rules start from in an artefact, by the slot that each fills; nothing of what its system left out.
    pub fn sources(&self, artefact: &Artefact) -> BTreeMap<Slot, Value> {
        let answered = self.rules.iter().filter(|rule| !rule.ready.is_left_out_of(artefact));
        let source = |rule: &ReadyRule<'_>| Some(rule.source(artefact, self.cx.system)?.into_owned());
        answered.filter_map(|rule| Some((rule.slot().clone(), source(rule)?))).collect()
    }

    /// True if neither end changed since the base, nor the rules, nor the place of what they link to; the values are
    /// compared by their fingerprints alone.
    pub(crate) fn untouched(&self, pickers: &mut Ends<Picker<'_>>, items: Ends<&Artefact>, pair: &Pair) -> bool {
        let there = items[self.written];
        let same = |end| self.fingerprint_with(&mut pickers[end], end, items[end]) == pair.bases[end];
        End::BOTH.into_iter().all(same)
            && pair.agreed.as_ref().and_then(|a| a.rules()).is_none_or(|rules| rules == self.rules_digest)
            && !self.leads_back(items)
            && !self.named_in.iter().any(|target| self.renamed(there, target).is_some())
    }

    /// The digest of each rule with what it reads besides the item.
    pub fn digests(&self) -> BTreeMap<RuleId, String> {
        self.rules.iter().map(|r| (r.id.clone(), r.digest().to_owned())).collect()
    }

    /// The text of a written field with keys of the other end replaced by those of counterparts that have been created since; none
    /// if it names no such item. Comments are never changed.
    pub(super) fn renamed(&self, there: &Artefact, target: &Slot) -> Option<Value> {
        renamed(there.fields.get(target)?, self.cx.places)
    }

    fn leads_back(&self, items: Ends<&Artefact>) -> bool {
        let (from, there) = (items[self.read()], items[self.written]);
        let is_of_links =
            |r: &&ReadyRule<'_>| r.ready.fill.target == Slot::Links && r.ready.fill.source == Source::Links;
        self.rules.iter().find(is_of_links).is_some_and(|rule| {
            let back = self.back.filter(|_| rule.back.is_some());
            leads_back(&from.links, &there.links, self.cx.places)
                || back.is_some_and(|back| leads_back(&there.links, &from.links, back.cx.places))
        })
    }

    /// Compares field by field. `base` is none at first contact; `accepted` is what is remembered of the comments and
    /// past changes of both.
    pub fn compare(&self, items: Ends<&Artefact>, base: Option<&Base>, accepted: &[Accepted]) -> Found {
        let mut out = Found::default();
        for rule in &self.rules {
            self.compare_slot(rule, items, base, accepted, &mut out);
            if self.stands(rule, items).is_some() && self.is_unknown(rule, items) {
                out.unknown.push(rule.id.clone());
            }
        }
        out.faults.extend(self.moves(&out.fields, Some(items[self.written])));
        out.faults.extend(self.moves_back(&out.fields, items[self.read()]));
        out
    }

    /// Whether what a rule joins can't be seen at one of the ends.
    fn is_unknown(&self, rule: &ReadyRule<'_>, items: Ends<&Artefact>) -> bool {
        let unreadable = |value: &Value| matches!(value, Value::Unreadable(_));
        self.left_out(rule, items).is_some()
            || unreadable(&rule.slot().of(items[self.written]))
            || rule.source(items[self.read()], self.cx.system).is_some_and(|v| unreadable(&v))
    }

    /// The end that left out of its answer what a rule joins there; none if both answered.
    pub(crate) fn left_out(&self, rule: &ReadyRule<'_>, items: Ends<&Artefact>) -> Option<End> {
        if rule.ready.is_left_out_of(items[self.read()]) {
            return Some(self.read());
        }
        items[self.written].left_out.contains(rule.slot()).then_some(self.written)
    }

    fn compare_slot(
        &self,
        rule: &ReadyRule<'_>,
        items: Ends<&Artefact>,
        base: Option<&Base>,
        accepted: &[Accepted],
        out: &mut Found,
    ) {
        if let (Some(way_back), Some(back)) = (&rule.back, self.back) {
            let rule = (rule, way_back, back);
            return match rule.0.slot().is_said() {
                true => self.said_both_ways(rule, items, base, accepted, out),
                false => self.compare_both_ways(rule, items, base, out),
            };
        }
        let (target, ready) = (rule.slot(), &rule.ready);
        let from = items[self.read()];
        let now = target.of(items[self.written]);
        let left_out = self.left_out(rule, items);
        if left_out == Some(self.read()) {
            // Nothing moves. What was there when both were last in step can't be seen any more: that is told.
            let was = base.and_then(|b| b.told(rule.joins));
            if was.is_some_and(|was| !was[self.read()].is_blank()) {
                out.fields.push(unreadable(target, Ends::at(self.written, Some(&now), None), &now, self.read()));
            }
            return;
        }
        let Some(source) = source_value(ready.fill, from, self.cx.system) else { return };
        if left_out.is_some() {
            // What nobody can see is not written over; and nothing over nothing is no difference.
            let wanted = ready.convert(from, self.cx).value;
            let was = base.and_then(|b| b.told(rule.joins)).is_some_and(|was| !was[self.written].is_blank());
            if was || wanted.is_some_and(|value| !value.is_blank()) {
                let held = Ends::at(self.written, Some(&*now), Some(&*source));
                out.fields.push(unreadable(target, held, &now, self.written));
            }
            return;
        }
        let since = self.since(rule, items, (&source, &now), base);
        if since.by_former_digest {
            out.rebased.insert(target.clone(), Rebase::SameByAnotherRule);
        }
        if since.is_nothing() {
            return;
        }
        let converted = ready.convert(from, self.cx);
        if let Some(fault) = converted.fault {
            // A value that can't be transferred blocks only if it is new: what was agreed on stays.
            if !since.same[self.read()] || since.other_rule {
                out.faults.push((target.clone(), fault));
            }
            return;
        }
        let Some(expected) = converted.value else { return };
        if target.is_said() {
            self.said(target, (&source, expected, &now), accepted, converted.losses, out);
            return;
        }
        // What changed at the end that is read may be the bytes of a file, and the other end does not say which ones it holds.
        let untold = since.has_base && !since.same[self.read()] && files_untold(&expected, now.as_ref());
        if same(&expected, now.as_ref()) && !untold {
            out.rebased.insert(target.clone(), Rebase::Equal);
            out.losses.extend(converted.losses);
            return;
        }
        match self.why(rule, &since, &expected, &now, base) {
            Differs::Not => {}
            Differs::OnlyByRule => {
                out.rebased.insert(target.clone(), Rebase::SameByAnotherRule);
            }
            Differs::OnlyByTurning => {
                out.rebased.insert(target.clone(), Rebase::Turned);
                out.made.insert(target.clone(), Ends::at(self.written, Some(expected), None));
            }
            Differs::Because(reason) => {
                let held = Ends::at(self.written, Some(now.into_owned()), Some(source.into_owned()));
                let field = FieldChange {
                    write: expected,
                    reason,
                    losses: converted.losses,
                    ..FieldChange::of(target.clone())
                };
                out.fields.push(field.holding(held));
            }
        }
    }

    /// What became of a slot since both ends were last in step.
    fn since<'b>(
        &self,
        rule: &ReadyRule<'_>,
        items: Ends<&Artefact>,
        (source, now): (&Value, &Value),
        base: Option<&'b Base>,
    ) -> Since<'b> {
        let target = rule.slot();
        let kept = base.and_then(|b| b.told(rule.joins));
        let agreed = base.and_then(|b| b.agreed(rule.joins));
        let same = Ends::of(|end| kept.is_some_and(|kept| kept[end] == if end == self.written { now } else { source }));
        let both_same = same.left && same.right;
        let other_rule = both_same && agreed.is_some_and(|a| !rule.is_known_as(&a.rule, self.cx));
        Since {
            has_base: kept.is_some(),
            agreed,
            same,
            other_rule,
            by_former_digest: both_same && !other_rule && agreed.is_some_and(|a| a.rule != rule.digest()),
            moved: *target == Slot::Links && self.leads_back(items),
            renamed: self.renamed(items[self.written], target),
        }
    }

    /// Why what the rule gives is not what is there.
    fn why(
        &self,
        rule: &ReadyRule<'_>,
        since: &Since<'_>,
        expected: &Value,
        now: &Value,
        base: Option<&Base>,
    ) -> Differs {
        let from = self.read();
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
            if same(expected, agreed.made[self.written].as_ref().unwrap_or(now)) {
                return Differs::OnlyByRule;
            }
            if agreed.filled != self.written {
                return Differs::OnlyByTurning;
            }
            reason = match agreed.why {
                Why::Kept | Why::Turned => FieldReason::RuleChangedOverKept,
                Why::Carried | Why::Equal => FieldReason::RuleChanged,
            };
        }
        let by_itself = reason.default_decision(FirstContact::Ask, self.written).writes();
        if by_itself && base.is_some_and(|b| b.is_in_doubt(rule.joins, self.written, now)) {
            reason = FieldReason::PerhapsThere;
        }
        if matches!(now, Value::Unreadable(_)) {
            reason = FieldReason::Unreadable(self.written);
        }
        Differs::Because(reason)
    }

    /// Every field of an artefact that will be made.
    pub fn make(&self, from: &Artefact) -> (Vec<FieldChange>, Vec<(Slot, FaultReason)>) {
        let mut fields = Vec::new();
        let mut faults = Vec::new();
        for rule in self.rules.iter().filter(|r| !r.ready.is_left_out_of(from)) {
            let (ready, fill) = (&rule.ready, rule.ready.fill);
            let converted = ready.convert(from, self.cx);
            if let Some(fault) = converted.fault {
                faults.push((fill.target.clone(), fault));
                continue;
            }
            let Some(write) = converted.value else { continue };
            if write == Value::Empty && converted.losses.is_empty() {
                continue;
            }
            let held = Ends::at(self.read(), rule.source(from, self.cx.system).map(Cow::into_owned), None);
            let field = FieldChange { write, losses: converted.losses, ..FieldChange::of(fill.target.clone()) };
            fields.push(field.holding(held));
        }
        faults.extend(self.moves(&fields, None));
        (fields, faults)
    }

    /// What an item of the end that is read holds in everything that can be written there, if the lane writes that too and
    /// has both items.
    pub(super) fn held_back(&self, has_both: bool, item: &Artefact) -> BTreeMap<String, String> {
        self.back.filter(|_| has_both).map(|back| holdings(item, back.cx.to_kind)).unwrap_or_default()
    }

    /// What stands in the way of the states that are to be written: no moves that lead there, or a field
    /// that these ask for and that would be empty.
    fn moves(&self, fields: &[FieldChange], there: Option<&Artefact>) -> Vec<(Slot, FaultReason)> {
        let written = |f: &&FieldChange| f.reason.may_come_into(self.written);
        let into = fields.iter().filter(written).map(|f| (&f.field, &f.field, &f.write)).collect();
        hindered(self.cx.to_kind, into, there)
    }

    /// The same at the end that the lane does not write first.
    fn moves_back(&self, fields: &[FieldChange], there: &Artefact) -> Vec<(Slot, FaultReason)> {
        let Some(back) = self.back else { return Vec::new() };
        let returns = fields.iter().filter(|f| f.reason.may_come_into(self.written.other()));
        let into = returns.filter_map(|f| f.back.as_ref().map(|back| (&f.field, &back.field, &back.write))).collect();
        hindered(back.cx.to_kind, into, Some(there))
    }
}

/// What the rules of a lane start from in an artefact that was made at the end that is not written first, by the slot that
/// each fills: as it was made. `system` is what that end's system is called. Where it was found again, and not told by the
/// answer to the call that made it (`own`), what stands there may be somebody's edit since: then that is only what nobody
/// put there.
pub fn as_made_there(lane: &Lane, artefact: &Artefact, system: &str, own: bool) -> BTreeMap<Slot, Value> {
    let source = |fill: &Fill| {
        let held = source_value(fill, artefact, system)?;
        let nobodys = held.is_blank() || matches!(fill.source, Source::Origin | Source::Constant(_));
        (own || nobodys).then(|| (fill.target.clone(), held.into_owned()))
    };
    lane.fills().filter_map(source).collect()
}

/// What stands in the way of states among what is written: for each, the field of the change, the slot there and the value.
pub(super) fn hindered(
    kind: &KindSchema,
    into: Vec<(&Slot, &Slot, &Value)>,
    there: Option<&Artefact>,
) -> Vec<(Slot, FaultReason)> {
    let mut faults = Vec::new();
    for (field, slot, write) in &into {
        let workflow = kind.field(slot).and_then(|f| f.workflow.as_ref());
        let (Some(workflow), Value::Choice(to)) = (workflow, *write) else { continue };
        let now = there.map(|r| slot.of(r).display()).filter(|s| !s.is_empty());
        let from = now.unwrap_or_else(|| workflow.first.clone());
        let held = |field: &str| match into.iter().find(|(_, slot, _)| **slot == field) {
            Some((.., write)) => !write.is_blank(),
            None => there.is_some_and(|r| !slot_value(r, field).is_blank()),
        };
        faults.extend(workflow.hindrances(&from, to, held).into_iter().map(|hindrance| {
            let (from, to) = (from.clone(), to.clone());
            let reason = match hindrance {
                Hindrance::NoWay => FaultReason::NoWay { from, to },
                Hindrance::Asks(field) => FaultReason::MoveAsks { to, field },
            };
            ((*field).clone(), reason)
        }));
    }
    faults
}
