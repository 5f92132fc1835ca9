//! Everything in a lane's scope, compared: what is paired, what is found to be one, what is new, and what is not there
//! any more. Each change is given away when it is found.

use std::collections::{BTreeSet, HashMap, HashSet};

use serde::{Deserialize, Serialize};

use super::{Bases, Comparer, Found, holdings, right_side};
use crate::identity::{Accepted, Counterparts, Evidence, Pair};
use crate::loss::Loss;
use crate::mapping::{Context, FaultReason, Lane};
use crate::model::{Artefact, Kind, Value};
use crate::plan::{Change, FieldChange, FieldReason, Outcome, Side};

/// One end of a lane as read: artefacts that are the lane's, with the paths of their folders.
pub struct End<'a> {
    pub artefacts: &'a [&'a Artefact],
    /// Folder path of an artefact, by id.
    pub path: &'a dyn Fn(&Artefact) -> String,
}

/// What a lane's comparison found.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LaneFindings {
    /// Changes in all, moves of a base included.
    pub changes: u32,
    pub in_step: u64,
    /// Artefacts at the right that nothing at the left stands for.
    pub only_right: u64,
    /// Pairs that a person let go.
    pub let_go: u64,
}

/// Why an artefact of a pair is not among those that were read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Absence {
    /// Its system says that it is not there.
    Gone,
    /// It is there, and the lane no longer covers it.
    OutOfScope,
    /// It is in another container of its system.
    Elsewhere,
    /// Its system does not let it be read.
    Unreadable,
}

impl Absence {
    /// What became of it, for a person.
    pub fn describe(self, at_left: bool) -> &'static str {
        match (self, at_left) {
            (Absence::Gone, true) => "gone at the left; its counterpart stays",
            (Absence::Gone, false) => "gone at the right",
            (Absence::OutOfScope, _) => "no longer in scope at the left; its counterpart stays",
            (Absence::Elsewhere, true) => "in another project at the left; its counterpart stays",
            (Absence::Elsewhere, false) => "in another project at the right",
            (Absence::Unreadable, true) => "can't be read at the left",
            (Absence::Unreadable, false) => "can't be read at the right",
        }
    }
}

/// What is remembered about a lane, and where it stands in the plan.
pub struct Known<'a> {
    pub pairs: &'a [Pair],
    /// What was found for artefacts without a pair.
    pub counterparts: &'a Counterparts<'a>,
    pub bases: &'a dyn Bases,
    /// Comments and past changes that the right accepted, by the ids of the pair.
    pub accepted: &'a HashMap<(String, String), Vec<Accepted>>,
    /// Everything at the left, in scope or not, by id.
    pub left_all: &'a HashMap<&'a str, &'a Artefact>,
    /// Everything at the right, in scope or not, by id: a pair whose right half left the scope is not
    /// gone.
    pub right_all: &'a HashMap<&'a str, &'a Artefact>,
    /// Why left and right artefacts of pairs were not read, by id; those that are in neither are gone.
    pub absent_left: &'a HashMap<String, Absence>,
    pub absent_right: &'a HashMap<String, Absence>,
    /// Place of the lane's first change in the plan.
    pub first_seq: u32,
    /// Artefacts at the left that lanes before this one make, by id, with the place of their change.
    pub planned: &'a HashMap<(Kind, String), u32>,
}

/// What was found of one artefact.
#[derive(Default)]
struct One<'a> {
    outcome: Option<Outcome>,
    other: Option<&'a Artefact>,
    evidence: Option<Evidence>,
    found: Found,
    as_new: Vec<FieldChange>,
    absence: Option<Absence>,
}

/// Compares everything in a lane's scope. Each change is given to `keep` when it is found, in plan order: all of
/// them together may be more than memory should hold.
pub fn compare_lane(
    lane: &Lane,
    cx: &Context<'_>,
    left: &End<'_>,
    right: &End<'_>,
    known: &Known<'_>,
    keep: &mut dyn FnMut(Change),
) -> LaneFindings {
    let Known {
        pairs,
        counterparts,
        bases,
        accepted,
        left_all,
        right_all,
        absent_left,
        absent_right,
        first_seq,
        planned,
    } = *known;
    let comparer = Comparer::new(lane, cx);
    let by_left: HashMap<&str, &Pair> = pairs.iter().map(|p| (p.left_id.as_str(), p)).collect();
    let paired_right: HashSet<&str> = pairs.iter().map(|p| p.right_id.as_str()).collect();
    let mut out = LaneFindings::default();
    let free = right.artefacts.iter().filter(|a| !paired_right.contains(a.id.as_str())).count();
    out.only_right = free.saturating_sub(counterparts.found.len()) as u64;
    let pieces = |left: &Artefact, right: &Artefact| {
        accepted.get(&(left.id.clone(), right.id.clone())).map_or(&[][..], Vec::as_slice)
    };

    let mut seqs: HashMap<&str, u32> = HashMap::new();
    for artefact in left.artefacts {
        let one = match by_left.get(artefact.id.as_str()) {
            Some(pair) if pair.let_go => {
                out.let_go += 1;
                continue;
            }
            Some(pair) => match right_all.get(pair.right_id.as_str()) {
                None => {
                    let absence = absent_right.get(&pair.right_id).copied().unwrap_or(Absence::Gone);
                    let (as_new, faults) = match absence {
                        Absence::Gone => comparer.make(artefact),
                        _ => Default::default(),
                    };
                    let outcome = if absence == Absence::Gone { Outcome::GoneRight } else { Outcome::Unreadable };
                    let as_new = if faults.is_empty() { as_new } else { Vec::new() };
                    let (found, absence) = (Found { faults, ..Found::default() }, Some(absence));
                    One { outcome: Some(outcome), as_new, found, absence, ..One::default() }
                }
                Some(other) => {
                    if comparer.untouched(artefact, other, pair) {
                        out.in_step += 1;
                        continue;
                    }
                    let found = comparer.compare(artefact, other, bases.base(pair).as_ref(), pieces(artefact, other));
                    let outcome = outcome_of(&found.fields, &found.faults);
                    One { outcome: Some(outcome), other: Some(other), found, ..One::default() }
                }
            },
            None => match counterparts.found.get(artefact.id.as_str()).cloned() {
                Some((other, evidence)) => {
                    let mut found = comparer.compare(artefact, other, None, pieces(artefact, other));
                    settle_origin(&mut found.fields, cx);
                    let as_new = if evidence.is_sure() { Vec::new() } else { comparer.make(artefact).0 };
                    let outcome = if found.faults.is_empty() { Outcome::Adopt } else { Outcome::Blocked };
                    let (evidence, other) = (Some(evidence), Some(other));
                    One { outcome: Some(outcome), other, evidence, found, as_new, ..One::default() }
                }
                None => {
                    let (fields, faults) = comparer.make(artefact);
                    let outcome = if faults.is_empty() { Outcome::NewRight } else { Outcome::Blocked };
                    let found = Found { fields, faults, ..Found::default() };
                    One { outcome: Some(outcome), found, ..One::default() }
                }
            },
        };
        let seq = first_seq + out.changes;
        seqs.insert(&artefact.id, seq);
        // Links are made when everything else is there, so they may lead anywhere, in circles too.
        let place = |(kind, id): &(Kind, &str)| match seqs.get(id).filter(|_| *kind == lane.left_kind) {
            Some(seq) => Some(*seq),
            None => planned.get(&(*kind, (*id).to_owned())).copied(),
        };
        let (mut depends_on, mut after) = (BTreeSet::new(), BTreeSet::new());
        let fields = if one.found.fields.is_empty() { &one.as_new } else { &one.found.fields };
        for f in fields {
            let waits = f.write.pending();
            depends_on.extend(waits.needed.iter().filter_map(place));
            after.extend(waits.wished.iter().filter_map(place));
        }
        let outcome = one.outcome.unwrap_or(Outcome::InStep);
        out.in_step += u64::from(outcome == Outcome::InStep);
        out.changes += 1;
        let side = |a: &Artefact, end: &End<'_>| Some(Side::of(a, (end.path)(a)));
        let mut losses: Vec<Loss> = one.found.fields.iter().flat_map(|f| f.losses.clone()).collect();
        losses.extend(one.found.losses);
        keep(Change {
            left: side(artefact, left),
            right: one.other.and_then(|o| side(o, right)),
            fields: one.found.fields,
            as_new: one.as_new,
            left_side: comparer.left_side(artefact),
            right_side: one.other.map(|o| right_side(lane, o)).unwrap_or_default(),
            right_holds: one.other.map(|o| holdings(o, cx.right_kind)).unwrap_or_default(),
            rebased: one.found.rebased,
            accepted: one.found.accepted,
            absence: one.absence,
            depends_on: depends_on.into_iter().collect(),
            after: after.into_iter().collect(),
            losses,
            evidence: one.evidence,
            faults: one.found.faults,
            ..Change::new(seq, &lane.id, (lane.left_kind, lane.right_kind), outcome)
        });
    }

    // Pairs of which the left half is no longer there to be compared.
    let covered: HashSet<&str> = left.artefacts.iter().map(|a| a.id.as_str()).collect();
    for pair in pairs.iter().filter(|p| !covered.contains(p.left_id.as_str())) {
        if pair.let_go {
            out.let_go += 1;
            continue;
        }
        let known = left_all.get(pair.left_id.as_str());
        let absence = match known {
            Some(_) => Absence::OutOfScope,
            None => absent_left.get(&pair.left_id).copied().unwrap_or(Absence::Gone),
        };
        let other = right_all.get(pair.right_id.as_str());
        // Gone at both ends: there is nothing left to tell of.
        if absence == Absence::Gone && other.is_none() {
            continue;
        }
        let outcome = match absence {
            Absence::Gone => Outcome::GoneLeft,
            Absence::OutOfScope | Absence::Elsewhere => Outcome::LeftScope,
            Absence::Unreadable => Outcome::Unreadable,
        };
        let gone = || Side {
            id: pair.left_id.clone(),
            key: if pair.left_key.is_empty() { pair.left_id.clone() } else { pair.left_key.clone() },
            title: other.map(|o| o.title.clone()).unwrap_or_default(),
            path: String::new(),
            version: None,
            modified: None,
            url: None,
        };
        let side = |a: &Artefact, end: &End<'_>| Side::of(a, (end.path)(a));
        let kinds = (lane.left_kind, lane.right_kind);
        keep(Change {
            left: Some(known.map_or_else(gone, |a| side(a, left))),
            right: other.map(|o| side(o, right)),
            absence: Some(absence),
            ..Change::new(first_seq + out.changes, &lane.id, kinds, outcome)
        });
        out.changes += 1;
    }
    out
}

/// The origin mark of an adopted artefact is written without asking: the field is Hovrel's own, unless
/// it already names something else.
fn settle_origin(fields: &mut [FieldChange], cx: &Context<'_>) {
    for f in fields {
        let own = cx.right_kind.field(&f.field).is_some_and(|s| s.origin_mark);
        if own && f.right.as_ref().is_none_or(Value::is_blank) {
            f.reason = FieldReason::LeftChanged;
        }
    }
}

fn outcome_of(fields: &[FieldChange], faults: &[(String, FaultReason)]) -> Outcome {
    if !faults.is_empty() {
        Outcome::Blocked
    } else if fields.is_empty() {
        Outcome::InStep
    } else if fields.iter().any(|f| f.reason.is_conflict()) {
        Outcome::Conflict
    } else if fields.iter().any(|f| f.reason.may_be_written()) {
        Outcome::UpdateRight
    } else if fields.iter().any(|f| f.reason == FieldReason::RightChanged) {
        Outcome::HeldRight
    } else if fields.iter().any(|f| f.reason == FieldReason::RightUnreadable) {
        Outcome::Unreadable
    } else {
        Outcome::TakenOff
    }
}
