//! Comparing two ends of a lane against the base, and making a plan of what differs.
//!
//! Decides, per field, who changed what since both were last in step (the reconciliation rules of
//! Pierce and Vouillon 2004, “What's in Unison?”), and per artefact what a transfer would do. With no base
//! a difference is a conflict, never a silent overwrite. An artefact whose values have the fingerprints
//! of the base is passed over without converting anything.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap};

use serde::{Deserialize, Serialize};

use crate::identity::{Candidate, Evidence, Looking, Pair, Settled, match_first_contact};
use crate::loss::Loss;
use crate::mapping::{
    COMMENTS, Context, FaultReason, HISTORY, LINKS, Lane, Ready, Source, as_they_are, labelled, leads_back, renamed,
    source_value,
};
use crate::model::{Artefact, Fingerprint, Kind, Reference, Value};
use crate::plan::{Change, FieldChange, FieldReason, Outcome, Side, lacks_only};
use crate::workflow::Hindrance;

/// Values by target field: those of the source at the left, and those of the field at the right.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct BaseSide(pub BTreeMap<String, Value>);

/// The values both ends held when last in step. A field that was never in step is in neither map.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Base {
    pub left: BaseSide,
    pub right: BaseSide,
}

impl BaseSide {
    pub fn fingerprint(&self) -> Fingerprint {
        Fingerprint::of_all(self.0.iter().map(|(k, v)| (k.as_str(), v)))
    }
}

/// Gives the base of a pair when its fingerprints are not enough.
pub trait Bases {
    fn base(&self, pair: &Pair) -> Option<Base>;
}

impl Bases for HashMap<String, Base> {
    /// Keyed by the left id.
    fn base(&self, pair: &Pair) -> Option<Base> {
        self.get(&pair.left_id).cloned()
    }
}

/// The rules of a lane in the order of their targets: the order in which fingerprints are made.
fn targets(lane: &Lane) -> Vec<usize> {
    let mut order: Vec<usize> = (0..lane.rules.len()).collect();
    order.sort_by(|a, b| lane.rules[*a].target.cmp(&lane.rules[*b].target));
    order
}

/// The values of a right artefact that its base will remember.
pub fn right_side(lane: &Lane, artefact: &Artefact) -> BaseSide {
    BaseSide(lane.rules.iter().map(|r| (r.target.clone(), right_value(artefact, &r.target).into_owned())).collect())
}

/// Compares artefacts under one lane.
pub struct Comparer<'a> {
    lane: &'a Lane,
    cx: &'a Context<'a>,
    order: Vec<usize>,
    ready: Vec<Ready<'a>>,
}

/// What comparing two artefacts found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Found {
    InStep,
    Differs { fields: Vec<FieldChange>, faults: Vec<(String, FaultReason)> },
}

impl<'a> Comparer<'a> {
    pub fn new(lane: &'a Lane, cx: &'a Context<'a>) -> Comparer<'a> {
        let ready = lane.rules.iter().map(|r| Ready::new(r, cx.right_kind)).collect();
        Comparer { lane, cx, order: targets(lane), ready }
    }

    /// The lane's rules, ready for many artefacts.
    pub(crate) fn rules(&self) -> &[Ready<'a>] {
        &self.ready
    }

    /// The fingerprint of what the rules take from a left artefact.
    pub fn left_fingerprint(&self, artefact: &Artefact) -> Fingerprint {
        Fingerprint::of_all(self.order.iter().filter_map(|n| {
            let rule = &self.lane.rules[*n];
            Some((rule.target.as_str(), source_value(rule, artefact, self.cx.left_system)?))
        }))
    }

    /// The fingerprint of what the rules fill in a right artefact.
    pub fn right_fingerprint(&self, artefact: &Artefact) -> Fingerprint {
        Fingerprint::of_all(self.order.iter().map(|n| {
            let target = self.lane.rules[*n].target.as_str();
            (target, right_value(artefact, target))
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

    /// True if neither side changed since the base, nor the place of what they link to; the values are
    /// compared by their fingerprints alone.
    pub fn untouched(&self, left: &Artefact, right: &Artefact, pair: &Pair) -> bool {
        self.left_fingerprint(left) == pair.left_base
            && self.right_fingerprint(right) == pair.right_base
            && !self.leads_back(left, right)
            && !self.lane.rules.iter().any(|r| self.renamed(right, &r.target).is_some())
    }

    /// A text of the right with the items that are there by now called by their names of there; none if none is
    /// called otherwise. What was said is never changed.
    fn renamed(&self, right: &Artefact, target: &str) -> Option<Value> {
        renamed(right.fields.get(target)?, self.cx.places)
    }

    /// What a rule's target should hold, given what it holds.
    pub(crate) fn expected(&self, converted: Value, now: &Value) -> Value {
        as_they_are(converted, now, self.cx.places)
    }

    fn leads_back(&self, left: &Artefact, right: &Artefact) -> bool {
        self.lane.rules.iter().any(|r| r.target == LINKS && r.source == Source::Links)
            && leads_back(&left.links, &right.links, self.cx.places)
    }

    /// Compares field by field. `base` is none at first contact.
    pub fn compare(&self, left: &Artefact, right: &Artefact, base: Option<&Base>) -> Found {
        let mut fields = Vec::new();
        let mut faults = Vec::new();
        for ready in &self.ready {
            let rule = ready.rule;
            let source = source_value(rule, left, self.cx.left_system);
            let Some(source) = source else { continue };
            let now = right_value(right, &rule.target);
            let kept = base.and_then(|b| Some((b.left.0.get(&rule.target)?, b.right.0.get(&rule.target)?)));
            let right_same = kept.is_some_and(|(_, r)| now.as_ref() == r);
            let left_same = kept.is_some_and(|(l, _)| source.as_ref() == l);
            let moved = rule.target == LINKS && self.leads_back(left, right);
            let renamed = self.renamed(right, &rule.target);
            if left_same && right_same && !moved && renamed.is_none() {
                continue;
            }
            let converted = ready.convert(left, self.cx);
            if let Some(fault) = converted.fault {
                // A value that can't be carried blocks only if it is new: what was agreed on stays.
                if !left_same {
                    faults.push((rule.target.clone(), fault));
                }
                continue;
            }
            let Some(expected) = converted.value else { continue };
            let expected = self.expected(expected, &now);
            if same(&expected, now.as_ref()) {
                continue;
            }
            // A person kept what the right says, and it is not only another name that sets them apart.
            if left_same && right_same && !moved && !renamed.is_some_and(|r| same(&expected, &r)) {
                continue;
            }
            // Adding to what people said takes nothing away from them.
            let adds = matches!(rule.target.as_str(), COMMENTS | HISTORY);
            let reason = match kept {
                None if adds => FieldReason::LeftChanged,
                None => FieldReason::NoBase,
                Some(_) => match (left_same, right_same) {
                    (false, false) if adds => FieldReason::LeftChanged,
                    (false, true) if !lacks_only(&expected, &now).is_empty() => FieldReason::WaitsForOthers,
                    (false, true) => FieldReason::LeftChanged,
                    (true, false) => FieldReason::RightChanged,
                    (true, true) => FieldReason::TargetMoved,
                    (false, false) => FieldReason::BothChanged,
                },
            };
            fields.push(FieldChange {
                field: rule.target.clone(),
                left: Some(source.into_owned()),
                write: expected,
                right: Some(now.into_owned()),
                reason,
                losses: converted.losses,
            });
        }
        faults.extend(self.moves(&fields, Some(right)));
        if fields.is_empty() && faults.is_empty() { Found::InStep } else { Found::Differs { fields, faults } }
    }

    /// Every field of an artefact that will be made at the right.
    pub fn make(&self, left: &Artefact) -> (Vec<FieldChange>, Vec<(String, FaultReason)>) {
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
    fn moves(&self, fields: &[FieldChange], right: Option<&Artefact>) -> Vec<(String, FaultReason)> {
        let mut faults = Vec::new();
        for change in fields.iter().filter(|f| f.reason != FieldReason::RightChanged) {
            let workflow = self.cx.right_kind.field(&change.field).and_then(|f| f.workflow.as_ref());
            let (Some(workflow), Value::Choice(to)) = (workflow, &change.write) else { continue };
            let now = right.map(|r| right_value(r, &change.field).display()).filter(|s| !s.is_empty());
            let from = now.unwrap_or_else(|| workflow.first.clone());
            let held = |field: &str| match fields.iter().find(|f| f.field == field) {
                Some(f) => !f.write.is_blank(),
                None => right.is_some_and(|r| !right_value(r, field).is_blank()),
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

/// The value of a right artefact under a target name, pseudo-fields included. A field the system left
/// out of its answer holds nothing.
pub fn right_value<'v>(artefact: &'v Artefact, target: &str) -> Cow<'v, Value> {
    match target {
        crate::mapping::PARENT => Cow::Owned(match &artefact.parent {
            Some(id) => Value::Reference(Reference::Known(id.clone())),
            None => Value::Empty,
        }),
        crate::mapping::LINKS => Cow::Owned(Value::Links(crate::mapping::sorted(&artefact.links)).settled()),
        crate::mapping::ATTACHMENTS => {
            let mut files = artefact.attachments.clone();
            files.sort_by(|a, b| a.name.cmp(&b.name));
            Cow::Owned(Value::Attachments(files).settled())
        }
        COMMENTS => Cow::Owned(Value::Comments(artefact.comments.clone()).settled()),
        HISTORY => Cow::Owned(Value::History(artefact.history.clone()).settled()),
        field => artefact.fields.get(field).map_or(Cow::Owned(Value::Empty), Cow::Borrowed),
    }
}

/// Whether two values are the same for a person: blank values are one. Of files the media type is not
/// compared, since systems guess it, each in its own way; the bytes are, by their digest. Of comments
/// and history, `wanted` must be there; what else `now` holds is the people's there.
pub fn same(wanted: &Value, now: &Value) -> bool {
    match (wanted, now) {
        (Value::Comments(_) | Value::History(_), _) => crate::mapping::all_there(wanted, now),
        (Value::Empty, Value::Comments(_) | Value::History(_)) => true,
        // Labels and people of an item are sets: some systems keep them in an order of their own.
        (Value::ChoiceList(a), Value::ChoiceList(b)) | (Value::UserList(a), Value::UserList(b)) => {
            let set = |list: &[String]| list.iter().cloned().collect::<std::collections::BTreeSet<_>>();
            set(a) == set(b)
        }
        (Value::Attachments(a), Value::Attachments(b)) => {
            a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a.name == b.name && a.digest == b.digest)
        }
        // What is still to be made is called as at the left.
        (a, b) => a == b || (a.is_blank() && b.is_blank()) || *labelled(a) == *b,
    }
}

/// A field of two artefacts, side by side.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BesideField {
    pub target: String,
    /// What the left becomes under the rule; none if it can't be carried.
    pub left: Option<Value>,
    pub right: Value,
    pub same: bool,
}

/// Two artefacts as the rules of a lane see them, whether they differ or not: for a person who has to say whether
/// they are one.
pub fn beside(lane: &Lane, cx: &Context<'_>, left: &Artefact, right: &Artefact) -> Vec<BesideField> {
    let comparer = Comparer::new(lane, cx);
    let field = |ready: &Ready<'_>| {
        let rule = ready.rule;
        let now = right_value(right, &rule.target).into_owned();
        let left = ready.convert(left, cx).value.map(|v| comparer.expected(v, &now));
        let same = left.as_ref().is_some_and(|l| same(l, &now));
        BesideField { target: rule.target.clone(), left, right: now, same }
    };
    comparer.rules().iter().map(field).collect()
}

/// One end of a lane as read: artefacts in scope, with the paths of their folders.
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
}

/// What is remembered about a lane, and where it stands in the plan.
pub struct Known<'a> {
    pub pairs: &'a [Pair],
    /// What a person said of items without a pair.
    pub settled: &'a Settled,
    pub bases: &'a dyn Bases,
    /// Everything at the right, in scope or not, by id: a pair whose right half left the scope is not
    /// gone.
    pub right_all: &'a HashMap<&'a str, &'a Artefact>,
    /// Place of the lane's first change in the plan.
    pub first_seq: u32,
    /// Artefacts at the left that lanes before this one make, by id, with the place of their change.
    pub planned: &'a HashMap<(Kind, String), u32>,
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
    let Known { pairs, settled, bases, right_all, first_seq, planned } = *known;
    let comparer = Comparer::new(lane, cx);
    let by_left: HashMap<&str, &Pair> = pairs.iter().map(|p| (p.left_id.as_str(), p)).collect();
    let paired_right: HashMap<&str, &Pair> = pairs.iter().map(|p| (p.right_id.as_str(), p)).collect();
    let mut out = LaneFindings::default();

    let unpaired_left: Vec<Candidate<'_>> = left
        .artefacts
        .iter()
        .filter(|a| !by_left.contains_key(a.id.as_str()))
        .map(|a| Candidate { artefact: a, path: (left.path)(a) })
        .collect();
    let unpaired_right: Vec<Candidate<'_>> = right
        .artefacts
        .iter()
        .filter(|a| !paired_right.contains_key(a.id.as_str()))
        .map(|a| Candidate { artefact: a, path: (right.path)(a) })
        .collect();
    let looking = Looking { left_system: cx.left_system, matching: &lane.finding(), settled };
    let matched = match_first_contact(looking, &unpaired_left, &unpaired_right);
    out.only_right = (unpaired_right.len() - matched.len()) as u64;
    let mut adoptions: HashMap<&str, (&Artefact, Evidence)> = matched
        .into_iter()
        .map(|(l, r, e)| (unpaired_left[l].artefact.id.as_str(), (unpaired_right[r].artefact, e)))
        .collect();

    let mut seqs: HashMap<&str, u32> = HashMap::new();
    for artefact in left.artefacts {
        let seq = first_seq + out.changes;
        let side = |a: &Artefact, end: &End<'_>| Some(Side::of(a, (end.path)(a)));
        let (outcome, other, evidence, fields, faults) = match by_left.get(artefact.id.as_str()) {
            Some(pair) => match right_all.get(pair.right_id.as_str()) {
                None => (Outcome::GoneRight, None, None, Vec::new(), Vec::new()),
                Some(other) => {
                    if comparer.untouched(artefact, other, pair) {
                        out.in_step += 1;
                        continue;
                    }
                    match comparer.compare(artefact, other, bases.base(pair).as_ref()) {
                        Found::InStep => (Outcome::InStep, Some(*other), None, Vec::new(), Vec::new()),
                        Found::Differs { fields, faults } => {
                            (outcome_of(&fields, &faults), Some(*other), None, fields, faults)
                        }
                    }
                }
            },
            None => match adoptions.remove(artefact.id.as_str()) {
                Some((other, evidence)) => {
                    let (fields, faults) = match comparer.compare(artefact, other, None) {
                        Found::InStep => (Vec::new(), Vec::new()),
                        Found::Differs { fields, faults } => (fields, faults),
                    };
                    let outcome = if faults.is_empty() { Outcome::Adopt } else { Outcome::Blocked };
                    (outcome, Some(other), Some(evidence), settle_origin(fields, cx), faults)
                }
                None => {
                    let (fields, faults) = comparer.make(artefact);
                    let outcome = if faults.is_empty() { Outcome::NewRight } else { Outcome::Blocked };
                    (outcome, None, None, fields, faults)
                }
            },
        };
        seqs.insert(&artefact.id, seq);
        // Links are made when everything else is there, so they may lead anywhere, in circles too.
        let place = |(kind, id): &(Kind, &str)| match seqs.get(id).filter(|_| *kind == lane.left_kind) {
            Some(seq) => Some(*seq),
            None => planned.get(&(*kind, (*id).to_owned())).copied(),
        };
        let (mut depends_on, mut after) = (BTreeSet::new(), BTreeSet::new());
        for f in &fields {
            let waits = f.write.pending();
            depends_on.extend(waits.needed.iter().filter_map(place));
            after.extend(waits.wished.iter().filter_map(place));
        }
        out.in_step += u64::from(outcome == Outcome::InStep);
        let reviewed = evidence.as_ref().is_some_and(|e| !e.is_sure());
        let losses: Vec<Loss> = fields.iter().flat_map(|f| f.losses.clone()).collect();
        out.changes += 1;
        keep(Change {
            seq,
            lane: lane.id.clone(),
            kind: lane.left_kind,
            right_kind: lane.right_kind,
            outcome,
            left: side(artefact, left),
            right: other.and_then(|o| side(o, right)),
            fields,
            as_new: if reviewed { comparer.make(artefact).0 } else { Vec::new() },
            left_side: comparer.left_side(artefact),
            right_side: other.map(|o| right_side(lane, o)).unwrap_or_default(),
            depends_on: depends_on.into_iter().collect(),
            after: after.into_iter().collect(),
            losses,
            evidence,
            faults,
        });
    }
    out
}

/// The origin mark of an adopted artefact is written without asking: the field is Hovrel's own, unless
/// it already names something else.
fn settle_origin(mut fields: Vec<FieldChange>, cx: &Context<'_>) -> Vec<FieldChange> {
    for f in &mut fields {
        let own = cx.right_kind.field(&f.field).is_some_and(|s| s.origin_mark);
        if own && f.right.as_ref().is_none_or(Value::is_blank) {
            f.reason = FieldReason::LeftChanged;
        }
    }
    fields
}

fn outcome_of(fields: &[FieldChange], faults: &[(String, FaultReason)]) -> Outcome {
    if !faults.is_empty() {
        Outcome::Blocked
    } else if fields.iter().any(|f| f.reason.is_conflict()) {
        Outcome::Conflict
    } else if fields.iter().any(|f| f.reason != FieldReason::RightChanged) {
        Outcome::UpdateRight
    } else {
        Outcome::HeldRight
    }
}
