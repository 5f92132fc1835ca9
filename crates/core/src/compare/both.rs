//! Comparing a slot that people edit at both ends.
//!
//! Decides what the verdict on the slot ([`crate::law`]) means for a plan: which end is written, what would be written into
//! either if a person says so, and what they are told.

use std::collections::{BTreeMap, HashSet};

use super::item::{Back, Comparer, Found, ReadyRule, WayBack, hindered, unreadable};
use super::prevails::both_edited;
use crate::base::{Base, Why};
use crate::carry::{BothWays, Converted, FaultReason};
use crate::law::{Clash, Held, Remembered, Verdict, Ways, made_of, verdict};
use crate::model::{Artefact, End, Ends, Reference, Slot, Value, marks_system, origin_mark};
use crate::plan::{FieldChange, FieldDecision, FieldReason, Merge, Rebase, Returned};
use crate::rules::FirstContact;
use crate::scope::Filter;

impl Comparer<'_> {
    pub(super) fn ways<'s>(
        &'s self,
        (rule, way_back, back): (&'s ReadyRule<'_>, &'s WayBack<'_>, Back<'s>),
        items: Ends<&'s Artefact>,
    ) -> BothWays<'s> {
        BothWays {
            ready: Ends::at(self.written, &rule.ready, &way_back.ready),
            cx: Ends::at(self.written, self.cx, back.cx),
            items,
            taken_back: way_back.taken_back,
        }
    }

    /// Links of one end that lead to an address of the other, although there is a counterpart by now.
    fn led_on(
        &self,
        ways: &BothWays<'_>,
        items: Ends<&Artefact>,
        change: &dyn Fn(FieldReason) -> FieldChange,
    ) -> Option<FieldChange> {
        let (first, other) = (self.written, self.written.other());
        if ways.ready[first].fill.target != Slot::Links {
            return None;
        }
        let held = Ends::of(|end| Slot::Links.of(items[end]).into_owned());
        let led_on = Ends::of(|end| ways.led_on(end, items));
        let reason = match (&led_on[first], &led_on[other]) {
            (None, None) => return None,
            (Some(_), None) => FieldReason::TargetMoved,
            (None, Some(_)) => FieldReason::Back(first),
            (Some(_), Some(_)) => FieldReason::Merged,
        };
        let write = Ends::of(|end| led_on[end].clone().unwrap_or_else(|| held[end].clone()));
        let mut found = FieldChange { write: write[first].clone(), ..change(reason) };
        if let Some(back) = &mut found.back {
            back.write = write[other].clone();
            back.made = Ends::of(|into| {
                let mut then = held.clone();
                then[into].clone_from(&write[into]);
                made_of(ways, &then)
            });
        }
        found.merge = (reason == FieldReason::Merged).then(|| Merge {
            losses: Ends::default(),
            made: made_of(ways, &write),
            half: None,
            write,
        });
        Some(found)
    }

    /// Whether what a rule joins at both ends says the same by either of its ways; none if it goes one way.
    pub(crate) fn agree(&self, rule: &ReadyRule<'_>, items: Ends<&Artefact>) -> Option<bool> {
        let (way_back, back) = (rule.back.as_ref()?, self.back?);
        let slots = Ends::at(self.written, rule.slot(), &way_back.ready.fill.target);
        let now = Ends::of(|end| slots[end].of(items[end]));
        Some(self.ways((rule, way_back, back), items).agree(Ends { left: &now.left, right: &now.right }))
    }

    /// Whether an item that nothing at the other end stands for is new there: the lane carries both ways, and the item did not
    /// come from that end itself. Where another bears its mark, of which the counterpart is there (`borne`), it is a copy of
    /// that one, made by somebody, and as new as any other.
    pub(super) fn makes_back(&self, item: &Artefact, borne: &HashSet<&str>) -> bool {
        let came_from_there = |mark: &&str| marks_system(mark, self.cx.system) && !borne.contains(mark);
        self.back.is_some() && !item.origin.as_deref().as_ref().is_some_and(came_from_there)
    }

    /// Every field of a new item for the end that is not written first, by the slots there; and what can't be carried.
    pub(super) fn make_back(&self, item: &Artefact) -> MadeBack {
        let mut out = MadeBack::default();
        let Some(back) = self.back else { return out };
        let (first, kind) = (self.written, back.cx.to_kind);
        let both_ways = self.rules().iter().filter_map(|rule| Some((rule, rule.back.as_ref()?)));
        let fills_folder = |(_, way_back): (_, &WayBack<'_>)| way_back.ready.fill.target == Slot::Folder;
        if kind.needs_folder && !both_ways.clone().any(fills_folder) {
            out.faults.push((Slot::Folder, FaultReason::RequiredUnfed));
        }
        for (rule, way_back) in both_ways.filter(|(rule, _)| !item.left_out.contains(rule.slot())) {
            let slot = &way_back.ready.fill.target;
            let ways = self.ways((rule, way_back, back), Ends { left: item, right: item });
            let value = rule.slot().of(item);
            let Converted { value: write, losses, fault } = ways.whole(first.other(), &value);
            let write = match (fault, write) {
                (Some(fault), _) => {
                    out.faults.push((slot.clone(), fault));
                    continue;
                }
                (None, write) => write.unwrap_or(Value::Empty),
            };
            let mut held = Ends::of(|_| write.clone());
            held[first] = value.clone().into_owned();
            // Of what people said each piece is remembered by itself.
            let made = if slot.is_said() { Ends::default() } else { made_of(&ways, &held) };
            out.made.insert(rule.slot().clone(), made);
            if write.is_blank() && losses.is_empty() {
                continue;
            }
            let field = FieldChange { write, losses, ..FieldChange::of(slot.clone()) };
            out.fields.push(field.holding(Ends::at(first, Some(value.into_owned()), None)));
        }
        // An item that names what it was made from is found again by that, whatever becomes of the answer.
        let mark = kind.fields.iter().find(|f| f.origin_mark && !f.read_only);
        if let Some(mark) = mark.filter(|mark| !out.fields.iter().any(|f| f.field == *mark.id)) {
            let origin = Value::Text(origin_mark(back.cx.system, item));
            let field = FieldChange { write: origin.clone(), ..FieldChange::of(mark.id.as_str().into()) };
            out.fields.push(field.holding(Ends::at(first, Some(origin), None)));
        }
        let written = out.fields.iter().map(|f| (&f.field, &f.field, &f.write)).collect();
        out.faults.extend(hindered(kind, written, None));
        let told =
            |slot: &str| out.fields.iter().any(|f| f.field == *slot) || out.faults.iter().any(|(s, _)| *s == *slot);
        let asked = kind.fields.iter().filter(|f| f.required && !f.read_only && !told(&f.id));
        let unfed: Vec<_> = asked.map(|f| (Slot::from(f.id.as_str()), FaultReason::RequiredUnfed)).collect();
        out.faults.extend(unfed);
        if out.faults.is_empty() && !self.would_be_covered(item, &out.fields, back) {
            out.faults.push(("".into(), FaultReason::OutsideScope { end: first.other() }));
        }
        out
    }

    /// Whether the lane covers what is made from an item at the end that is not written first.
    fn would_be_covered(&self, item: &Artefact, fields: &[FieldChange], back: Back<'_>) -> bool {
        let kind = back.cx.to_kind;
        let mut made = Artefact::bare(kind.kind, &item.id);
        made.title.clone_from(&item.title);
        let own = fields.iter().filter(|f| f.field != Slot::Folder);
        own.for_each(|f| made.fields.set(f.field.id(), f.write.clone()));
        let folder = fields.iter().find_map(|f| match &f.write {
            Value::Reference(Reference::Known(id)) if f.field == Slot::Folder => back.folders[self.read()].get(id),
            // One that is still to be made is called as the one that it is made from.
            Value::Reference(Reference::Pending { id, .. }) if f.field == Slot::Folder => {
                back.folders[self.written].get(id)
            }
            _ => None,
        });
        let folders = folder.map_or(&[][..], Vec::as_slice);
        let now = chrono::DateTime::from_timestamp(back.clocks.now, 0).unwrap_or_default().fixed_offset();
        Filter::new(self.lane.scope_at(self.written.other()), kind, now).matches(&made, folders)
    }

    pub(super) fn compare_both_ways(
        &self,
        (rule, way_back, back): (&ReadyRule<'_>, &WayBack<'_>, Back<'_>),
        items: Ends<&Artefact>,
        base: Option<&Base>,
        out: &mut Found,
    ) {
        let first = self.written;
        let slots = Ends::at(first, rule.slot(), &way_back.ready.fill.target);
        let ways = self.ways((rule, way_back, back), items);
        let told = Ends::of(|end| slots[end].of(items[end]));
        let known = Ends::of(|end| {
            let unknown = items[end].left_out.contains(slots[end]) || matches!(*told[end], Value::Unreadable(_));
            (!unknown).then_some(&*told[end])
        });
        let agreed = base.and_then(|b| b.agreed(rule.joins));
        let mut remembered = base.and_then(|b| b.remembered(rule.joins));
        if let Some(r) = remembered.as_mut().filter(|_| !agreed.is_some_and(|a| a.both)) {
            // What was remembered while the rule went one way says nothing of its other way: where both ends agree, that is
            // filled in silence.
            let back = agreed.map_or(first, |a| a.filled).other();
            if ways.agree(r.at.as_ref()) {
                r.made[back] = made_of(&ways, &r.at)[back].take();
            }
        }
        let same_rule = agreed.is_none_or(|a| rule.is_known_as(&a.rule, self.cx));
        let now = Ends::of(|end| &*told[end]);
        let was = remembered.as_ref().map_or(now, |r| r.at.as_ref());
        let change = |reason| both(reason, (slots, first), &ways, was, now);
        let found = match verdict(&ways, known, remembered.as_ref(), same_rule, back.clocks.now) {
            Verdict::Held(Held::Unknown(end)) => {
                let held = remembered.as_ref().is_some_and(|r| !r.at[end].is_blank());
                if held || matches!(now[end], Value::Unreadable(_)) {
                    out.fields.push(unreadable(rule.slot(), now.map(Some), now[first], end));
                }
                return;
            }
            Verdict::Held(Held::OneWay(_)) => return,
            Verdict::InStep => {
                // What a text names may be there by now, or be called something else.
                if let Some(renamed) = self.renamed(items[first], rule.slot()) {
                    let mut found = change(FieldReason::TargetMoved);
                    let mut held = now.map(Value::clone);
                    held[first].clone_from(&renamed);
                    found.write = renamed;
                    if let Some(back) = &mut found.back {
                        back.made[first] = made_of(&ways, &held);
                    }
                    out.fields.push(found);
                    return;
                }
                if let Some(found) = self.led_on(&ways, items, &change) {
                    out.fields.push(found);
                    return;
                }
                if agreed.is_some_and(|a| a.rule != rule.digest()) {
                    out.rebased.insert(rule.slot().clone(), Rebase::SameByAnotherRule);
                    out.made.insert(rule.slot().clone(), made_of(&ways, &now.map(Value::clone)));
                }
                return;
            }
            Verdict::Rebase => {
                out.rebased.insert(rule.slot().clone(), Rebase::Equal);
                out.made.insert(rule.slot().clone(), made_of(&ways, &now.map(Value::clone)));
                let first = ways.carried(first, &Value::Empty, &Value::Empty, now[first.other()]);
                out.losses.extend(first.losses);
                return;
            }
            Verdict::FirstContact => match self.lane.policies.first_contact {
                FirstContact::Ask => change(FieldReason::NoBase),
                FirstContact::Wins(end) => change(FieldReason::Wins(end)),
            },
            Verdict::RuleChanged(end) => match agreed.map(|a| a.why) {
                Some(Why::Kept | Why::Turned) => change(FieldReason::RuleChangedOverKept),
                _ if end == first => change(FieldReason::RuleChanged),
                _ => change(FieldReason::RuleChangedBack),
            },
            Verdict::Write(into, _) => {
                // What is there may be what somebody made of something that was sent without an answer.
                match base.is_some_and(|b| b.is_in_doubt(rule.joins, into, now[into])) {
                    true => change(FieldReason::PerhapsThere),
                    false if into == first => change(FieldReason::Changed(into.other())),
                    false => change(FieldReason::Back(into.other())),
                }
            }
            Verdict::Merged(_) => {
                let mut merged = change(FieldReason::Merged);
                merged.merge = remembered.as_ref().and_then(|was| merge(&ways, was, now));
                merged
            }
            Verdict::Conflict(Clash::Both) => {
                let kinds = Ends::at(first, self.cx.to_kind, back.cx.to_kind);
                let policy = self.lane.policies.both_edited;
                let asked = change(FieldReason::BothChanged);
                // What a person chose before goes before a policy.
                let is_chosen =
                    || self.stands(rule, items).is_some_and(|stands| stands.chosen(&asked, rule.digest()).is_some());
                match both_edited(policy, &back.clocks, (items, kinds), (slots, now)) {
                    FieldReason::BothChanged => asked,
                    _ if is_chosen() => asked,
                    reason => change(reason),
                }
            }
            Verdict::Conflict(Clash::Cannot(end, _)) => change(FieldReason::NotCarried(end)),
            Verdict::Conflict(Clash::OldForm(end)) => change(FieldReason::OldForm(end)),
            Verdict::Conflict(Clash::Exchange) => change(FieldReason::Exchange),
        };
        out.fields.push(match self.stands(rule, items) {
            Some(stands) => {
                let mut found = stands.keeps(change, rule.digest()).unwrap_or(found);
                if let Some(merged) = stands.merged().filter(|_| stands.is_of(&found, rule.digest())) {
                    found.merge = remembered.as_ref().and_then(|was| merge_as(&ways, was, (first, merged), now));
                }
                found
            }
            None => found,
        });
    }
}

/// What a new item for the end that is not written first is made of.
#[derive(Default)]
pub(super) struct MadeBack {
    pub fields: Vec<FieldChange>,
    pub faults: Vec<(Slot, FaultReason)>,
    /// By the slots of the end that is written first: what the rules make of both, where that is something else.
    pub made: BTreeMap<Slot, Ends<Option<Value>>>,
}

/// A field with what would be written into either end: of the end that was not edited, what that edit makes of it; of one
/// that was, what the other end's value makes of it.
fn both(
    reason: FieldReason,
    (slots, first): (Ends<&Slot>, End),
    ways: &BothWays<'_>,
    was: Ends<&Value>,
    now: Ends<&Value>,
) -> FieldChange {
    let into = |end: End| -> (Value, Converted) {
        // An edit at one end is put onto what the other holds. Where nobody edited it, all of it goes over.
        let from = end.other();
        let edited = !ways.same(was[from], now[from]);
        // What is put there part by part goes onto what stood there before: of what was edited there nothing stays.
        let there = if ways.goes_in_parts(end) { was[end] } else { now[end] };
        let converted = match edited {
            true => ways.carried(end, there, was[from], now[from]),
            false if ways.goes_by_member() => ways.whole(end, now[from]),
            false => ways.carried(end, was[end], &Value::Empty, now[from]),
        };
        (converted.value.clone().unwrap_or_else(|| now[end].clone()), converted)
    };
    let made = Ends::of(into);
    let cannot = End::BOTH.into_iter().filter_map(|end| Some((end, made[end].1.fault.clone()?)));
    let cannot: Vec<(End, FaultReason)> = cannot.collect();
    // What would be written without being asked, and can't be, is asked about.
    let reason = match reason.default_decision(FirstContact::Ask, first) {
        FieldDecision::Write(end) if cannot.iter().any(|(refused, _)| *refused == end) => {
            FieldReason::NotCarried(end.other())
        }
        _ => reason,
    };
    let other = first.other();
    // What the rule makes of what would stand there then, where that is something else than stands here.
    let returns = |end: End| {
        let mut held = now.map(Value::clone);
        held[end] = made[end].0.clone();
        made_of(ways, &held)
    };
    let returned = Returned {
        field: slots[other].clone(),
        write: made[other].0.clone(),
        losses: made[other].1.losses.clone(),
        made: Ends::of(returns),
    };
    let field = FieldChange {
        write: made[first].0.clone(),
        losses: made[first].1.losses.clone(),
        reason,
        back: Some(returned),
        cannot,
        expanded: ways.items[other].expanded.get(slots[other]).cloned().unwrap_or_default(),
        ..FieldChange::of(slots[first].clone())
    };
    field.holding(now.map(|held| Some(held.clone())))
}

/// What both edits make of a field together.
fn merge(ways: &BothWays<'_>, was: &Remembered<Value>, now: Ends<&Value>) -> Option<Merge> {
    let into = |end: End| ways.merged(end, now[end], &was.at[end.other()], now[end.other()]);
    let (left, right) = (into(End::Left)?, into(End::Right)?);
    let write = Ends { left: left.value?, right: right.value? };
    let losses = Ends { left: left.losses, right: right.losses };
    Some(Merge { made: made_of(ways, &write), half: was.without_left(ways, now.right), write, losses })
}

/// What both edits make of a field together, as a person put them together for the end that is written first. None if the other
/// end can't hold that, or the first does not take it.
fn merge_as(
    ways: &BothWays<'_>,
    was: &Remembered<Value>,
    (first, merged): (End, &Value),
    now: Ends<&Value>,
) -> Option<Merge> {
    let other = first.other();
    // What the other end holds, in the words of the first, becomes what was put together.
    let held = ways.get(first, now[other]).ok()?;
    let put = ways.carried(other, now[other], &held, merged);
    let mut write = Ends::of(|_| merged.clone());
    write[other] = put.value?;
    if !ways.takes(first, merged) || !ways.agree(write.as_ref()) {
        return None;
    }
    let mut losses = Ends::<Vec<_>>::default();
    losses[other] = put.losses;
    Some(Merge { made: made_of(ways, &write), half: was.without_left(ways, now.right), write, losses })
}
