//! Comparing what people said of an item, and what was changed of it.
//!
//! Decides what is to be added at either end. Nothing that stands there is ever changed or taken away; which piece of one end
//! became which of the other is decided in [`crate::agree`].

use super::item::{Back, Comparer, Found, ReadyRule, WayBack, unreadable};
use crate::agree::{Accepted, SaidOfOne, Sorted, comments_of, history_of, sort_comments, sort_history};
use crate::base::Base;
use crate::carry::{Context, renamed_comments};
use crate::loss::Loss;
use crate::model::{Artefact, Comment, End, Ends, Slot, Value, labelled};
use crate::plan::{FieldChange, FieldReason, Merge, Rebase, Returned};

impl Comparer<'_> {
    /// Comments and past changes that go one way.
    pub(super) fn said(
        &self,
        target: &Slot,
        (source, wanted, now): (&Value, Value, &Value),
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
            (false, _) => (to_add, FieldReason::Changed(self.read())),
            (true, false) => (taken_off, FieldReason::TakenOff(self.read())),
            (true, true) => {
                out.rebased.insert(target.clone(), Rebase::Equal);
                out.losses.extend(losses);
                return;
            }
        };
        let losses = if matches!(reason, FieldReason::TakenOff(_)) { Vec::new() } else { losses };
        let field = FieldChange { write, reason, losses, ..FieldChange::of(target.clone()) };
        out.fields.push(field.holding(Ends::at(self.written, Some(now.clone()), Some(source.clone()))));
    }

    /// The comments of two items that go into the end that is written, by what is remembered of both.
    pub(crate) fn sorted_comments(
        &self,
        source: &Value,
        wanted: &Value,
        now: &Value,
        accepted: &[Accepted],
    ) -> Sorted<Comment> {
        self.sorted(self.written, self.cx, (source, wanted, now), accepted)
    }

    fn sorted(
        &self,
        into: End,
        cx: &Context<'_>,
        (source, wanted, now): (&Value, &Value, &Value),
        accepted: &[Accepted],
    ) -> Sorted<Comment> {
        let (written, held) = (labelled(wanted), comments_of(now));
        let told = renamed_comments(held, cx.places);
        let of_one = SaidOfOne {
            slot: &Slot::Comments,
            from: into.other(),
            both_ways: self.back.is_some(),
            system: cx.system,
            source: comments_of(source),
            wanted: comments_of(wanted),
            written: comments_of(&written),
            now: held,
            renamed: told.as_deref(),
        };
        sort_comments(of_one, accepted)
    }

    /// So many comments are still to go back into the end that is not written first.
    pub(crate) fn lack_back(&self, rule: &ReadyRule<'_>, items: Ends<&Artefact>, accepted: &[Accepted]) -> u64 {
        let (Some(way_back), Some(back), true) = (&rule.back, self.back, rule.slot().is_said()) else { return 0 };
        let (first, other) = (self.written, self.written.other());
        let (source, now) = (rule.slot().of(items[first]), way_back.ready.fill.target.of(items[other]));
        let wanted = self.ways((rule, way_back, back), items).whole(other, &source).value.unwrap_or(Value::Empty);
        let sorted = self.sorted(other, back.cx, (&source, &wanted, &now), accepted);
        (sorted.to_add.len() + sorted.doubtful.len()) as u64
    }

    /// Comments that people write at both ends: each is added at the other, none is carried back to where it came from.
    pub(super) fn said_both_ways(
        &self,
        (rule, way_back, back): (&ReadyRule<'_>, &WayBack<'_>, Back<'_>),
        items: Ends<&Artefact>,
        base: Option<&Base>,
        accepted: &[Accepted],
        out: &mut Found,
    ) {
        let (first, other) = (self.written, self.written.other());
        let slots = Ends::at(first, rule.slot(), &way_back.ready.fill.target);
        let held = Ends::of(|end| slots[end].of(items[end]));
        let now = Ends { left: held.left.as_ref(), right: held.right.as_ref() };
        let was = base.and_then(|base| base.told(rule.joins));
        if let Some(end) = End::BOTH.into_iter().find(|end| items[*end].left_out.contains(slots[*end])) {
            if was.is_some_and(|was| !was[end].is_blank()) {
                out.fields.push(unreadable(rule.slot(), now.map(Some), now[first], end));
            }
            return;
        }
        let agreed = base.and_then(|base| base.agreed(rule.joins));
        let same_rule = agreed.is_some_and(|agreed| agreed.both && agreed.rule == rule.digest());
        if same_rule && was.is_some_and(|was| was == now) {
            return;
        }
        let ways = self.ways((rule, way_back, back), items);
        let cx = Ends::at(first, self.cx, back.cx);
        let converted = Ends::of(|into| ways.whole(into, now[into.other()]));
        if let Some(fault) = End::BOTH.into_iter().find_map(|into| converted[into].fault.clone()) {
            out.faults.push((rule.slot().clone(), fault));
            return;
        }
        let sort = |into: End, known: &[Accepted]| {
            let wanted = converted[into].value.as_ref().unwrap_or(&Value::Empty);
            self.sorted(into, cx[into], (now[into.other()], wanted, now[into]), known)
        };
        // What is found to be a copy on one way is none that is to go the other.
        let mut known = accepted.to_vec();
        for into in [first, other] {
            let found = sort(into, &known).found;
            known.retain(|k| !found.iter().any(|f| (&k.slot, k.from, &k.piece) == (&f.slot, f.from, &f.piece)));
            known.extend(found.iter().cloned());
            out.accepted.extend(found);
        }
        let sorted = Ends::of(|into| sort(into, &known));
        let value = sorted
            .as_ref()
            .map(|sorted| Value::Comments([&sorted.to_add[..], &sorted.doubtful[..]].concat()).settled());
        let taken_off = sorted.as_ref().map(|sorted| &sorted.taken_off);
        let doubtful = End::BOTH.into_iter().any(|into| !sorted[into].doubtful.is_empty());
        let mut losses = Ends::of(|into| match value[into].is_blank() {
            true => Vec::new(),
            false => converted[into].losses.clone(),
        });
        let (reason, value) = match (value[first].is_blank(), value[other].is_blank()) {
            (true, true) => match [first, other].into_iter().find(|end| !taken_off[*end].is_empty()) {
                Some(end) => {
                    let stays = taken_off.map(|list| Value::Comments(list.clone()).settled());
                    (FieldReason::TakenOff(end.other()), stays)
                }
                None => {
                    out.rebased.insert(rule.slot().clone(), Rebase::Equal);
                    out.made.insert(rule.slot().clone(), Ends::default());
                    out.losses.extend(converted[first].losses.clone());
                    return;
                }
            },
            _ if doubtful => (FieldReason::PerhapsThere, value),
            (false, false) => (FieldReason::Merged, value),
            (false, true) => (FieldReason::Changed(other), value),
            (true, false) => (FieldReason::Back(first), value),
        };
        let merge = (reason == FieldReason::Merged).then(|| Merge {
            write: value.clone(),
            losses: losses.clone(),
            made: Ends::default(),
            half: None,
        });
        // Of what one end has no more, it is told until a person lets it be: neither is it at both ends.
        let at_both = Ends::of(|end| {
            let stays = |c: &&Comment| !taken_off[end].iter().any(|gone| gone.id == c.id);
            let at_both = comments_of(now[end]).iter().filter(stays).cloned().collect();
            (!taken_off[end].is_empty()).then_some(Value::Comments(at_both))
        });
        let returned = Returned {
            field: slots[other].clone(),
            write: value[other].clone(),
            losses: std::mem::take(&mut losses[other]),
            made: Ends::of(|_| at_both.clone()),
        };
        let field = FieldChange {
            write: value[first].clone(),
            reason,
            losses: std::mem::take(&mut losses[first]),
            back: Some(returned),
            merge,
            ..FieldChange::of(rule.slot().clone())
        };
        out.fields.push(field.holding(now.map(|held| Some(held.clone()))));
    }
}
