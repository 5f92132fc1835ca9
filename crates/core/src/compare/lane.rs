//! Everything in a lane's scope, compared: whatever stands at its ends becomes a change, or is counted.
//!
//! Decides the outcome of a change and what it must wait for. Each change is given away when it is found.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use super::item::{Comparer, Found, targets};
use super::walk::Relation;
use crate::agree::{Accepted, holdings};
use crate::base::{Bases, Pair};
use crate::carry::{Context, FaultReason};
use crate::identity::Evidence;
use crate::loss::Loss;
use crate::model::{Artefact, End, Ends, Kind, Slot, Value};
use crate::plan::{Absence, Change, FieldChange, FieldReason, Outcome, Side};
use crate::rules::{FirstContact, RuleId};

/// What a lane's comparison found.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LaneFindings {
    /// Changes in all, moves of a base included.
    pub changes: u32,
    /// Items of which nothing differs.
    pub in_step: u64,
    /// Artefacts at the end that is written that nothing at the other stands for, and that are not made there.
    pub only_written: u64,
    /// Pairs that a person let go.
    pub let_go: u64,
    /// The left items of pairs that are gone at both ends.
    pub gone: Vec<String>,
    /// Conflicts that are open, and of which nobody knows what stands at an end now: left item and rule.
    pub unknown: Vec<(String, RuleId)>,
}

/// What is remembered about a lane, and where it stands in the plan.
pub struct Known<'a> {
    /// What is kept of each pair that is not untouched.
    pub bases: &'a dyn Bases,
    /// Comments and past changes that were accepted, by the ids of the pair.
    pub accepted: &'a HashMap<Ends<String>, Vec<Accepted>>,
    /// Folder path of an artefact, at each end.
    pub paths: Ends<&'a dyn Fn(&Artefact) -> String>,
    /// Place of the lane's first change in the plan.
    pub first_seq: u32,
    /// Artefacts that lanes before this one carry into an end where there are none yet, by kind and id at the other, with the
    /// place of their change.
    pub planned: &'a Ends<HashMap<(Kind, String), u32>>,
}

/// What was found of one artefact of the end that is read.
struct One<'a> {
    outcome: Outcome,
    other: Option<&'a Artefact>,
    evidence: Option<&'a Evidence>,
    found: Found,
    as_new: Vec<FieldChange>,
    absence: Option<Absence>,
}

impl One<'_> {
    fn of(outcome: Outcome, found: Found) -> Self {
        One { outcome, other: None, evidence: None, found, as_new: Vec::new(), absence: None }
    }
}

/// Compares everything that a lane has ([`Comparer::walk`]). Each change is given to `keep` when it is found, in plan order:
/// all of them together may be more than memory should hold.
pub fn compare_lane(
    comparer: &Comparer<'_>,
    relations: &[Relation<'_>],
    known: &Known<'_>,
    keep: &mut dyn FnMut(Change),
) -> LaneFindings {
    let compared = Compared { comparer, known };
    let (read, written) = (comparer.read(), comparer.written);
    let mut out = LaneFindings::default();
    let mut seqs = Seqs::default();
    let paired = relations.iter().filter_map(|relation| match relation {
        Relation::Pair { items, .. } => Some(items[written]),
        _ => None,
    });
    let borne: HashSet<&str> = paired.filter_map(|item| item.origin.as_deref()).collect();
    // What comes into a new folder of the end that is not written first comes after it.
    let (first, rest): (Vec<&Relation<'_>>, Vec<_>) = relations.iter().partition(|relation| {
        comparer.back.is_some()
            && comparer.lane.kind_at(written) == Kind::Folder
            && matches!(relation, Relation::Only(end, _) if *end == written)
    });
    for &relation in first.into_iter().chain(rest) {
        let seq = known.first_seq + out.changes;
        let (item, one) = match relation {
            Relation::LetGo(_) => {
                out.let_go += 1;
                continue;
            }
            Relation::Only(end, item) if end == written => {
                match comparer.makes_back(item, &borne) {
                    true => {
                        keep(compared.new_back(seq, item, &seqs[read]));
                        seqs[read].insert(&item.id, seq);
                        out.changes += 1;
                    }
                    false => out.only_written += 1,
                }
                continue;
            }
            Relation::Pair { untouched: true, .. } => {
                out.in_step += 1;
                continue;
            }
            Relation::Half { pair, missing, why, items } if missing == read => {
                // Gone at both ends: there is nothing left to tell of.
                match why != Absence::Gone || items[written].is_some() {
                    true => {
                        keep(compared.without_read(seq, pair, why, items));
                        out.changes += 1;
                    }
                    false => out.gone.push(pair.ids.left.clone()),
                }
                continue;
            }
            Relation::Half { pair, why, items, .. } => match items[read] {
                Some(item) => (item, compared.without_written(item, why)),
                None => {
                    out.gone.push(pair.ids.left.clone());
                    continue;
                }
            },
            Relation::Pair { pair, items, .. } => {
                let one = compared.pair(pair, items);
                let unknown = one.found.unknown.iter().map(|rule| (pair.ids.left.clone(), rule.clone()));
                out.unknown.extend(unknown);
                // What an answer leaves out makes an item look changed, and is no change.
                let left_out = !items.left.left_out.is_empty() || !items.right.left_out.is_empty();
                if left_out && one.found.moves_nothing() {
                    out.in_step += 1;
                    continue;
                }
                (items[read], one)
            }
            Relation::Adoption { items, evidence } => (items[read], compared.adoption(items, evidence)),
            Relation::Only(_, item) => (item, compared.new_item(item)),
        };
        seqs[written].insert(&item.id, seq);
        out.in_step += u64::from(one.outcome == Outcome::InStep);
        out.changes += 1;
        keep(compared.change(seq, item, one, &seqs));
    }
    out
}

/// The places of changes, by the end that each writes and the id of its item at the other.
type Seqs<'a> = Ends<HashMap<&'a str, u32>>;

/// What a lane's items are compared with.
struct Compared<'c> {
    comparer: &'c Comparer<'c>,
    known: &'c Known<'c>,
}

impl Compared<'_> {
    fn accepted(&self, items: Ends<&Artefact>) -> &[Accepted] {
        self.known.accepted.get(&items.map(|item| item.id.clone())).map_or(&[][..], Vec::as_slice)
    }

    fn pair<'a>(&self, pair: &Pair, items: Ends<&'a Artefact>) -> One<'a> {
        let base = self.known.bases.base(pair);
        let mut found = self.comparer.compare(items, base.as_ref(), self.accepted(items));
        settle_origin(&mut found.fields, self.comparer.cx, self.comparer.written);
        let outcome = outcome_of(&found.fields, &found.faults, self.comparer.written);
        One { other: Some(items[self.comparer.written]), ..One::of(outcome, found) }
    }

    fn adoption<'a>(&self, items: Ends<&'a Artefact>, evidence: &'a Evidence) -> One<'a> {
        let mut found = self.comparer.compare(items, None, self.accepted(items));
        settle_origin(&mut found.fields, self.comparer.cx, self.comparer.written);
        let as_new = if evidence.is_sure() { Vec::new() } else { self.comparer.make(items[self.comparer.read()]).0 };
        let outcome = if found.faults.is_empty() { Outcome::Adopt } else { Outcome::Blocked };
        One { other: Some(items[self.comparer.written]), evidence: Some(evidence), as_new, ..One::of(outcome, found) }
    }

    fn new_item<'a>(&self, item: &Artefact) -> One<'a> {
        let (fields, faults) = self.comparer.make(item);
        let outcome = if faults.is_empty() { Outcome::New(self.comparer.written) } else { Outcome::Blocked };
        One::of(outcome, Found { fields, faults, ..Found::default() })
    }

    /// An item that is new at the end that the lane writes first: it is made at the other.
    fn new_back(&self, seq: u32, item: &Artefact, seqs: &HashMap<&str, u32>) -> Change {
        let first = self.comparer.written;
        let made = self.comparer.make_back(item);
        let lane = self.comparer.lane;
        let outcome = if made.faults.is_empty() { Outcome::New(first.other()) } else { Outcome::Blocked };
        let mut change = Change::new(seq, &lane.id, (lane.left_kind, lane.right_kind), first.other(), outcome);
        let (mut sides, mut held) = (Ends::default(), Ends::<BTreeMap<Slot, Value>>::default());
        sides[first] = Some(self.side(first, item));
        held[first] = targets(lane, item);
        (change.left, change.right) = (sides.left, sides.right);
        (change.left_side, change.right_side) = (held.left, held.right);
        (change.depends_on, change.after) = self.waits(first.other(), &made.fields, seqs);
        change.losses = made.fields.iter().flat_map(|f| f.losses.clone()).collect();
        (change.fields, change.faults, change.made) = (made.fields, made.faults, made.made);
        change
    }

    /// A pair without its item at the end that is written: it can be made again if it is gone.
    fn without_written<'a>(&self, item: &Artefact, why: Absence) -> One<'a> {
        let (outcome, (as_new, faults)) = match why {
            Absence::Gone => (Outcome::Gone(self.comparer.written), self.comparer.make(item)),
            _ => (Outcome::Unreadable, Default::default()),
        };
        let as_new = if faults.is_empty() { as_new } else { Vec::new() };
        One { as_new, absence: Some(why), ..One::of(outcome, Found { faults, ..Found::default() }) }
    }

    /// A pair without its item at the end that is read: nothing is done about it by itself.
    fn without_read(&self, seq: u32, pair: &Pair, why: Absence, items: Ends<Option<&Artefact>>) -> Change {
        let (read, written) = (self.comparer.read(), self.comparer.written);
        let outcome = match why {
            Absence::Gone => Outcome::Gone(read),
            Absence::OutOfScope | Absence::Elsewhere => Outcome::OutOfScope(read),
            Absence::Unreadable => Outcome::Unreadable,
        };
        let gone = || Side {
            id: pair.ids[read].clone(),
            key: if pair.keys[read].is_empty() { pair.ids[read].clone() } else { pair.keys[read].clone() },
            title: items[written].map(|other| other.title.clone()).unwrap_or_default(),
            path: String::new(),
            version: None,
            modified: None,
            url: None,
        };
        let mut sides = Ends::of(|end| items[end].map(|item| self.side(end, item)));
        sides[read].get_or_insert_with(gone);
        Change { left: sides.left, right: sides.right, absence: Some(why), ..self.bare(seq, outcome) }
    }

    fn bare(&self, seq: u32, outcome: Outcome) -> Change {
        let lane = self.comparer.lane;
        Change::new(seq, &lane.id, (lane.left_kind, lane.right_kind), self.comparer.written, outcome)
    }

    fn side(&self, end: End, artefact: &Artefact) -> Side {
        Side::of(artefact, (self.known.paths[end])(artefact))
    }

    /// The places of the changes that one has to wait for, and of those that come before it if they come at all. `seqs` has the
    /// places of those of its lane, by the ids of their items at the end that it comes from.
    fn waits(&self, into: End, fields: &[FieldChange], seqs: &HashMap<&str, u32>) -> (Vec<u32>, Vec<u32>) {
        let own = self.comparer.lane.kind_at(into.other());
        let place = |(kind, id): &(Kind, &str)| match seqs.get(id).filter(|_| *kind == own) {
            Some(seq) => Some(*seq),
            None => self.known.planned[into].get(&(*kind, (*id).to_owned())).copied(),
        };
        let (mut depends_on, mut after) = (BTreeSet::new(), BTreeSet::new());
        for f in fields {
            // Links are made when everything else is there, so they may lead anywhere, in circles too.
            let waits = f.write.pending();
            depends_on.extend(waits.needed.iter().filter_map(place));
            after.extend(waits.wished.iter().filter_map(place));
        }
        (depends_on.into_iter().collect(), after.into_iter().collect())
    }

    /// The change that was found. `seqs` has the places of those before it.
    fn change(&self, seq: u32, item: &Artefact, one: One<'_>, seqs: &Seqs<'_>) -> Change {
        let (read, written) = (self.comparer.read(), self.comparer.written);
        let fields = if one.found.fields.is_empty() { &one.as_new } else { &one.found.fields };
        let (mut depends_on, after) = self.waits(written, fields, &seqs[written]);
        let (needed_back, _) = self.waits(read, &goes_back(fields, written), &seqs[read]);
        depends_on.extend(needed_back);
        depends_on.sort_unstable();
        depends_on.dedup();
        let mut losses: Vec<Loss> = one.found.fields.iter().flat_map(|f| f.losses.clone()).collect();
        losses.extend(one.found.losses);
        let mut sides = Ends::default();
        sides[read] = Some(self.side(read, item));
        sides[written] = one.other.map(|other| self.side(written, other));
        let mut held = Ends::default();
        held[read] = self.comparer.sources(item);
        held[written] = one.other.map(|other| targets(self.comparer.lane, other)).unwrap_or_default();
        Change {
            left: sides.left,
            right: sides.right,
            fields: one.found.fields,
            as_new: one.as_new,
            left_side: held.left,
            right_side: held.right,
            held: one.other.map(|other| holdings(other, self.comparer.cx.to_kind)).unwrap_or_default(),
            held_back: self.comparer.held_back(one.other.is_some(), item),
            rebased: one.found.rebased,
            made: one.found.made,
            accepted: one.found.accepted,
            absence: one.absence,
            depends_on,
            after,
            losses,
            evidence: one.evidence.cloned(),
            faults: one.found.faults,
            ..self.bare(seq, one.outcome)
        }
    }
}

/// What fields bring to the end that their lane does not write first, unless a person says otherwise.
fn goes_back(fields: &[FieldChange], first: End) -> Vec<FieldChange> {
    let back = |f: &FieldChange| {
        let decided = f.reason.default_decision(FirstContact::Ask, first);
        let (slot, write, _) = f.decided_into(decided, first.other(), first)?;
        Some(FieldChange { write: write.clone(), ..FieldChange::of(slot.clone()) })
    };
    fields.iter().filter(|f| f.back.is_some()).filter_map(back).collect()
}

/// The origin mark of an artefact that has none is written without asking: the field is Hovrel's own, unless
/// it already names something else. It has none if it was adopted, or was made before its lane was turned round.
fn settle_origin(fields: &mut [FieldChange], cx: &Context<'_>, written: End) {
    for f in fields {
        let own = cx.to_kind.field(&f.field).is_some_and(|s| s.origin_mark);
        if own && f.reason == FieldReason::NoBase && f.held(written).is_none_or(Value::is_blank) {
            f.reason = FieldReason::Changed(written.other());
        }
    }
}

fn outcome_of(fields: &[FieldChange], faults: &[(Slot, FaultReason)], written: End) -> Outcome {
    let any = |is: &dyn Fn(FieldReason) -> bool| fields.iter().any(|f| is(f.reason));
    if !faults.is_empty() {
        Outcome::Blocked
    } else if fields.is_empty() {
        Outcome::InStep
    } else if any(&FieldReason::is_conflict) {
        Outcome::Conflict
    } else if any(&|r| r.may_come_into(written)) {
        Outcome::Update(written)
    } else if any(&|r| r == FieldReason::Back(written) || r == FieldReason::Prevails(written)) {
        Outcome::Update(written.other())
    } else if any(&|r| r == FieldReason::Changed(written)) {
        Outcome::Held(written)
    } else if any(&|r| matches!(r, FieldReason::Unreadable(_))) {
        Outcome::Unreadable
    } else {
        let taken_off = fields.iter().find_map(|f| match f.reason {
            FieldReason::TakenOff(end) => Some(end),
            _ => None,
        });
        Outcome::TakenOff(taken_off.unwrap_or(written.other()))
    }
}
