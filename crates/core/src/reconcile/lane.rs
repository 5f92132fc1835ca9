//! Proving a lane: everything that stands at its ends, pair by pair and field by field.
//!
//! Decides what is counted as agreeing, and hands each difference to [`super::causes`] with what is known of it.

use std::collections::{BTreeMap, HashMap};

use super::causes::{Case, DifferenceCause, Fate, Weight};
use super::order::order;
use super::proof::{AbsentItem, Difference, FieldProof, LaneProof, OrderProof, PieceProof, ProofItem, ProofLoss};
use super::said::SaidCount;
use crate::agree::{Accepted, same};
use crate::base::{Base, Bases, Pair};
use crate::carry::{Converted, source_value};
use crate::compare::{Comparer, ReadyRule, Relation};
use crate::model::{Artefact, Ends, Slot, Value};
use crate::plan::lacks_only;
use crate::rules::order_is_carried;

/// Everything that a lane's proof is made from, as just read and as remembered.
pub struct Proven<'a> {
    /// How many items the lane covers at each end.
    pub covered: Ends<u64>,
    /// What the lane has at both ends. A proof trusts pairs alone: what only seems to be one has not been carried.
    pub relations: &'a [Relation<'a>],
    /// What is kept of each pair that is not untouched.
    pub bases: &'a dyn Bases,
    /// Comments and past changes that an end holds in words of its own, by the ids of the pair.
    pub accepted: &'a HashMap<Ends<String>, Vec<Accepted>>,
    /// What became of items in the latest plan, by the id of each at the end that is read.
    pub fates: &'a HashMap<String, Fate>,
}

/// Compares every pair of a lane.
pub fn prove_lane(comparer: &Comparer<'_>, from: &Proven<'_>) -> LaneProof {
    let mut proving = Proving::of(comparer, from);
    let mut paired: Vec<Ends<&Artefact>> = Vec::new();
    for &relation in from.relations {
        match relation {
            Relation::Pair { pair, items, untouched } => {
                paired.push(items);
                proving.pair(pair, items, untouched);
            }
            Relation::LetGo(_) => proving.proof.let_go += 1,
            Relation::Half { pair, missing, why, items } => {
                proving.proof.absent.extend(AbsentItem::of(pair, missing, why, items));
                if let (true, Some(item)) = (missing == proving.comparer.written, items[missing.other()]) {
                    proving.proof.missing.push(ProofItem::of(item, DifferenceCause::RemovedAt(missing)));
                }
            }
            Relation::Only(end, item) if end != proving.comparer.written => {
                proving.proof.missing.push(ProofItem::of(item, Fate::of_item(from.fates.get(&item.id))));
            }
            Relation::Only(..) | Relation::Adoption { .. } => {}
        }
    }
    let order = order_is_carried(comparer.lane).map(|carried| order(carried, &paired));
    proving.done(order)
}

/// A proof on its way.
struct Proving<'a> {
    from: &'a Proven<'a>,
    comparer: &'a Comparer<'a>,
    proof: LaneProof,
    fields: BTreeMap<&'a Slot, FieldProof>,
    pieces: BTreeMap<&'a Slot, PieceProof>,
}

/// A pair, with what is remembered of it.
struct Met<'a> {
    pair: &'a Pair,
    items: Ends<&'a Artefact>,
    /// Whether both are as when last in step, and the rules too.
    untouched: bool,
    /// None if it is untouched, or was never kept.
    base: Option<Base>,
    sources: BTreeMap<Slot, Value>,
    accepted: &'a [Accepted],
    fate: Option<&'a Fate>,
}

impl<'a> Proving<'a> {
    fn of(comparer: &'a Comparer<'a>, from: &'a Proven<'a>) -> Proving<'a> {
        let proof = LaneProof::of(comparer.lane, from.covered);
        Proving { from, comparer, proof, fields: BTreeMap::new(), pieces: BTreeMap::new() }
    }

    fn done(self, order: Option<OrderProof>) -> LaneProof {
        let pieces = self.pieces.into_iter().map(|(slot, p)| PieceProof { field: slot.to_string(), ..p });
        LaneProof { order, fields: self.fields.into_values().collect(), pieces: pieces.collect(), ..self.proof }
    }

    fn pair(&mut self, pair: &'a Pair, items: Ends<&'a Artefact>, untouched: bool) {
        let from = self.from;
        let accepted = from.accepted.get(&pair.ids);
        let met = Met {
            pair,
            items,
            untouched,
            base: if untouched { None } else { from.bases.base(pair) },
            sources: self.comparer.sources(items[self.comparer.read()]),
            accepted: accepted.map_or(&[][..], Vec::as_slice),
            fate: from.fates.get(&items[self.comparer.read()].id),
        };
        self.proof.paired += 1;
        for n in 0..self.comparer.rules().len() {
            self.field(n, &met);
        }
    }

    /// One rule of a pair: what it gives now, beside what is there.
    fn field(&mut self, n: usize, met: &Met<'_>) {
        let rule = &self.comparer.rules()[n];
        let (ready, Ends { left, right }) = (&rule.ready, met.items);
        let (from, there) = (met.items[self.comparer.read()], met.items[self.comparer.written]);
        let target: &'a Slot = rule.slot();
        if let Some(told) = self.left_out(rule, met) {
            self.proof.differences.extend(told);
            return;
        }
        let Some(source) = source_value(ready.fill, from, self.comparer.cx.system) else { return };
        let Converted { value, fault, losses } = ready.convert(from, self.comparer.cx);
        let (expected, now) = (value.unwrap_or(Value::Empty), target.of(there));
        let said = SaidCount::of(self.comparer, target, (&source, &expected), &now, met.accepted).map(|said| {
            let back = self.comparer.lack_back(rule, met.items, met.accepted);
            SaidCount { wanted: said.wanted + back, lacks: said.lacks + back, ..said }
        });
        let agrees = fault.is_none()
            && match &said {
                Some(said) => said.lacks == 0 && said.removed == 0,
                None => same(&expected, &now),
            };
        // Of a rule that carries both ways, either of them will do.
        let agrees = agrees || (said.is_none() && self.comparer.agree(rule, met.items).unwrap_or(false));
        match (&said, target) {
            (Some(said), _) => self.pieces.entry(target).or_default().add(said),
            (None, Slot::Files | Slot::Links) => {
                self.pieces.entry(target).or_default().count(&expected, &now);
            }
            _ => {}
        }
        let waits_for_others = !agrees && !lacks_only(&expected, &now).is_empty();
        let entry = self.fields.entry(target).or_insert_with(|| FieldProof::of(target));
        entry.compared += 1;
        entry.agree += u64::from(agrees);
        entry.with_loss += u64::from(agrees && !losses.is_empty());
        // A list that waits for some of its members holds the others, with what they lost.
        if agrees || (waits_for_others && !now.is_blank()) {
            self.proof.losses.extend(losses.into_iter().map(|loss| ProofLoss {
                left_key: left.key.clone(),
                right_key: right.key.clone(),
                loss,
            }));
        }
        if agrees {
            return;
        }
        let cause = if fault.is_some() {
            DifferenceCause::CannotBeCarried
        } else if matches!(now.as_ref(), Value::Unreadable(_)) {
            DifferenceCause::Unreadable(self.comparer.written)
        } else if waits_for_others {
            DifferenceCause::WaitsForOthers
        } else if said.is_some_and(|s| s.lacks == 0) {
            DifferenceCause::RemovedAt(self.comparer.written)
        } else {
            self.since_in_step(rule, met, &expected, &now)
        };
        if let (Weight::Settled, Some(entry)) = (cause.weight(), self.fields.get_mut(target)) {
            entry.settled += 1;
        }
        self.proof.differences.push(Difference {
            left_key: left.key.clone(),
            right_key: right.key.clone(),
            title: left.title.clone(),
            field: target.to_string(),
            expected,
            found: now.into_owned(),
            cause,
        });
    }

    /// None if both ends answered what a field holds; else there is nothing to compare. Where the one that left it out
    /// held something when both were last in step, that is a difference.
    fn left_out(&self, rule: &ReadyRule<'_>, met: &Met<'_>) -> Option<Option<Difference>> {
        let Ends { left, right } = met.items;
        let end = self.comparer.left_out(rule, met.items)?;
        let was = met.base.as_ref().and_then(|b| b.told(rule.joins));
        let held = was.map(|was| was[end]).filter(|held| !held.is_blank());
        Some(held.map(|held| Difference {
            left_key: left.key.clone(),
            right_key: right.key.clone(),
            title: left.title.clone(),
            field: rule.slot().to_string(),
            expected: held.clone(),
            found: Value::Empty,
            cause: DifferenceCause::Unreadable(end),
        }))
    }

    /// Why a field differs that could be carried and read, by what was agreed on and what became of its change.
    fn since_in_step(&self, rule: &ReadyRule<'_>, met: &Met<'_>, expected: &Value, now: &Value) -> DifferenceCause {
        let target = rule.slot();
        let same = match (met.untouched, met.base.as_ref().and_then(|b| b.told(rule.joins))) {
            (true, _) => Some(Ends { left: true, right: true }),
            (false, None) => None,
            (false, Some(was)) => {
                let (read, written) = (self.comparer.read(), self.comparer.written);
                Some(Ends::at(written, now == was[written], met.sources.get(target) == Some(was[read])))
            }
        };
        let agreed = met.pair.agreed.as_ref().and_then(|a| a.of(rule.joins));
        let same_rule = agreed.is_some_and(|a| rule.is_known_as(&a.rule, self.comparer.cx));
        Case { target, expected, written: self.comparer.written, same, agreed, same_rule, fate: met.fate }.cause()
    }
}
