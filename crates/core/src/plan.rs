//! The plan: the ordered changes a dry run found, and what a person decided about them.
//!
//! Decides the order in which changes are applied (what others depend on first), what is done about
//! each, and what is left. A plan is immutable; decisions stand beside it. The same inputs give the same
//! plan, byte for byte (law 1).

mod brief;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

pub use brief::Brief;

use crate::compare::{Absence, Agreed, Base, BaseSide, Rebase, Why, same};
use crate::identity::{Accepted, Evidence};
use crate::loss::Loss;
use crate::mapping::{FaultReason, FirstContact, Lacking, NotThere, resolved, written_from};
use crate::model::{Artefact, Kind, Stamp, Value};

/// One change to one artefact.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Change {
    /// Place in the plan, from 0. Whatever it depends on stands before it.
    pub seq: u32,
    pub lane: String,
    pub kind: Kind,
    pub right_kind: Kind,
    pub outcome: Outcome,
    pub left: Option<Side>,
    pub right: Option<Side>,
    pub fields: Vec<FieldChange>,
    /// For an adoption that waits for review: every field, should a new artefact be made instead.
    pub as_new: Vec<FieldChange>,
    /// What the rules take from the left: the left half of the base once this is applied.
    pub left_side: BaseSide,
    /// What the right held under the rules; empty for new artefacts.
    pub right_side: BaseSide,
    /// What the right held in everything that can be written, as fingerprints: see [`crate::compare::holdings`].
    #[serde(default)]
    pub right_holds: BTreeMap<String, String>,
    /// Fields whose base moves with nothing written.
    #[serde(default)]
    pub rebased: BTreeMap<String, Rebase>,
    /// Comments and past changes that are at both ends, and are remembered from now on.
    #[serde(default)]
    pub accepted: Vec<Accepted>,
    /// Why one of the two was not read, for items that are not there to be compared.
    #[serde(default)]
    pub absence: Option<Absence>,
    /// Changes that must be applied before this one; it can't be applied without them.
    pub depends_on: Vec<u32>,
    /// Changes that are applied before this one if they are applied at all.
    pub after: Vec<u32>,
    pub losses: Vec<Loss>,
    /// Why two artefacts are taken to be one, for adoptions.
    pub evidence: Option<Evidence>,
    /// Why nothing can be written, for blocked items: target field and reason.
    pub faults: Vec<(String, FaultReason)>,
}

impl Change {
    /// A change of a lane that says nothing yet.
    pub fn new(seq: u32, lane: &str, (kind, right_kind): (Kind, Kind), outcome: Outcome) -> Change {
        Change {
            seq,
            lane: lane.to_owned(),
            kind,
            right_kind,
            outcome,
            left: None,
            right: None,
            fields: Vec::new(),
            as_new: Vec::new(),
            left_side: BaseSide::default(),
            right_side: BaseSide::default(),
            right_holds: BTreeMap::new(),
            rebased: BTreeMap::new(),
            accepted: Vec::new(),
            absence: None,
            depends_on: Vec::new(),
            after: Vec::new(),
            losses: Vec::new(),
            evidence: None,
            faults: Vec::new(),
        }
    }
}

/// An artefact as it stood at one end when the plan was made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Side {
    pub id: String,
    pub key: String,
    pub title: String,
    pub path: String,
    pub version: Option<String>,
    pub modified: Option<Stamp>,
    pub url: Option<String>,
}

impl Side {
    pub fn of(artefact: &Artefact, path: String) -> Side {
        Side {
            id: artefact.id.clone(),
            key: artefact.key.clone(),
            title: artefact.title.clone(),
            path,
            version: artefact.version.clone(),
            modified: artefact.modified.clone(),
            url: artefact.url.clone(),
        }
    }
}

/// What a dry run found for an artefact.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Outcome {
    /// Will be made at the right.
    NewRight,
    /// The left changed; the right will be written.
    UpdateRight,
    /// Two that exist already become a pair.
    Adopt,
    /// The right was edited and the lane does not carry that back: kept as it is.
    HeldRight,
    /// At least one field changed at both ends.
    Conflict,
    /// A value can't be transferred; the item waits.
    Blocked,
    /// Nothing to write, but the base moves: both ends came to the same value by themselves.
    InStep,
    /// The right is gone since it was paired.
    GoneRight,
    /// The left is gone since it was paired; nothing is removed at the right.
    GoneLeft,
    /// The left is no longer covered by the lane; nothing is removed at the right.
    LeftScope,
    /// One of the two can't be read.
    Unreadable,
    /// Comments or past changes were taken off at the left; nothing is removed at the right.
    TakenOff,
}

impl Outcome {
    pub fn id(self) -> &'static str {
        match self {
            Outcome::NewRight => "new_right",
            Outcome::UpdateRight => "update_right",
            Outcome::Adopt => "adopt",
            Outcome::HeldRight => "held_right",
            Outcome::Conflict => "conflict",
            Outcome::Blocked => "blocked",
            Outcome::InStep => "in_step",
            Outcome::GoneRight => "gone_right",
            Outcome::GoneLeft => "gone_left",
            Outcome::LeftScope => "left_scope",
            Outcome::Unreadable => "unreadable",
            Outcome::TakenOff => "taken_off",
        }
    }

    /// Whether an item of the pair is not there any more, so that a person decides what becomes of the pair.
    pub fn is_absent(self) -> bool {
        matches!(self, Outcome::GoneRight | Outcome::GoneLeft | Outcome::LeftScope)
    }
}

/// One field of a change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FieldChange {
    /// The target field.
    pub field: String,
    /// What the left holds (before conversion).
    pub left: Option<Value>,
    /// What will be written, as the target will hold it.
    pub write: Value,
    /// What the right holds now; none for new artefacts and absent fields.
    pub right: Option<Value>,
    pub reason: FieldReason,
    pub losses: Vec<Loss>,
}

/// Why a field is in a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum FieldReason {
    /// The artefact is new.
    New,
    /// Changed at the left since the base.
    LeftChanged,
    /// Changed at the right since the base; the lane does not carry that back.
    RightChanged,
    /// Changed at both ends since the base.
    BothChanged,
    /// Differs, and there is no base to tell who changed it.
    NoBase,
    /// What a link leads to, or what a text names, has come to another place since.
    TargetMoved,
    /// A list of the right lacks what is not there yet, and nothing else.
    WaitsForOthers,
    /// Neither end changed, and the rule gives something else than when both were last in step.
    RuleChanged,
    /// The same, of a field in which a person had kept what the right holds.
    RuleChangedOverKept,
    /// What the right holds can't be read, so it must not be written over.
    RightUnreadable,
    /// Taken off at the left; at the right it stays.
    TakenOff,
    /// Something was sent and no answer came: what is there may be what somebody made of it since.
    PerhapsThere,
}

impl FieldReason {
    /// What happens unless a person says otherwise.
    pub fn default_decision(self, first_contact: FirstContact) -> FieldDecision {
        match self {
            FieldReason::New
            | FieldReason::LeftChanged
            | FieldReason::TargetMoved
            | FieldReason::WaitsForOthers
            | FieldReason::RuleChanged => FieldDecision::Write,
            FieldReason::RightChanged
            | FieldReason::BothChanged
            | FieldReason::RuleChangedOverKept
            | FieldReason::RightUnreadable
            | FieldReason::TakenOff
            | FieldReason::PerhapsThere => FieldDecision::Leave,
            FieldReason::NoBase => match first_contact {
                FirstContact::Ask => FieldDecision::Leave,
                FirstContact::LeftWins => FieldDecision::Write,
                FirstContact::RightWins => FieldDecision::KeepRight,
            },
        }
    }

    pub fn is_conflict(self) -> bool {
        matches!(
            self,
            FieldReason::BothChanged
                | FieldReason::NoBase
                | FieldReason::RuleChangedOverKept
                | FieldReason::PerhapsThere
        )
    }

    /// Whether a person may say what becomes of it: an edit at the right can be kept, or asked about again.
    pub fn can_be_decided(self) -> bool {
        self.is_conflict() || self == FieldReason::RightChanged
    }

    /// Whether the left's value may be written over what the right holds.
    pub fn may_be_written(self) -> bool {
        !matches!(self, FieldReason::RightChanged | FieldReason::RightUnreadable | FieldReason::TakenOff)
    }
}

/// What to do about one field.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum FieldDecision {
    /// Write the left's value.
    Write,
    /// Touch nothing; it shows again next time.
    Leave,
    /// The right's value is right: it is the base from now on, and nothing is written.
    KeepRight,
}

/// What to do about one change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Decision {
    pub included: bool,
    /// Make a new artefact: instead of adopting one, or in place of one that is gone.
    #[serde(default)]
    pub as_new: bool,
    /// Let the pair go: it is not carried any more, and not told again.
    #[serde(default)]
    pub let_go: bool,
    /// Fields decided otherwise than by default.
    #[serde(default)]
    pub fields: BTreeMap<String, FieldDecision>,
}

impl Decision {
    /// The decision on a change that nobody has touched.
    pub fn default_for(change: &Change) -> Decision {
        let included = match change.outcome {
            Outcome::NewRight | Outcome::UpdateRight => true,
            Outcome::Adopt => change.evidence.as_ref().is_some_and(Evidence::is_sure),
            Outcome::Conflict => {
                let written = |f: &FieldChange| f.reason.default_decision(FirstContact::Ask) == FieldDecision::Write;
                change.fields.iter().any(written)
            }
            Outcome::InStep => true,
            Outcome::HeldRight
            | Outcome::Blocked
            | Outcome::GoneRight
            | Outcome::GoneLeft
            | Outcome::LeftScope
            | Outcome::Unreadable
            | Outcome::TakenOff => false,
        };
        Decision { included, as_new: false, let_go: false, fields: BTreeMap::new() }
    }

    pub fn field(&self, change: &FieldChange, first_contact: FirstContact) -> FieldDecision {
        self.of_field(&change.field, change.reason, first_contact)
    }

    fn of_field(&self, field: &str, reason: FieldReason, first_contact: FirstContact) -> FieldDecision {
        self.fields.get(field).copied().unwrap_or_else(|| reason.default_decision(first_contact))
    }
}

/// The fields that a decision writes.
pub fn fields_to_write<'a>(
    change: &'a Change,
    decision: &Decision,
    first_contact: FirstContact,
) -> Vec<&'a FieldChange> {
    decided_fields(change, decision)
        .iter()
        .filter(|f| decision.field(f, first_contact) == FieldDecision::Write)
        .collect()
}

/// The losses of what a decision writes.
pub fn losses_of_written<'a>(change: &'a Change, decision: &Decision, first_contact: FirstContact) -> Vec<&'a Loss> {
    fields_to_write(change, decision, first_contact).into_iter().flat_map(|f| &f.losses).collect()
}

/// The losses of fields that are the same at both ends: they stand beside the fields that differ.
pub fn losses_of_equal(change: &Change) -> impl Iterator<Item = &Loss> {
    change.losses.iter().filter(|l| change.rebased.get(&l.field) == Some(&Rebase::Equal))
}

/// Whether a change makes a new item at the right, as it is decided.
pub fn makes_new(change: &Change, decision: &Decision) -> bool {
    change.outcome == Outcome::NewRight || makes_instead(change.outcome, decision)
}

/// Whether a new item is made in the place of what was planned.
fn makes_instead(outcome: Outcome, decision: &Decision) -> bool {
    match outcome {
        Outcome::NewRight => false,
        Outcome::GoneRight => !decision.let_go,
        _ => decision.as_new,
    }
}

/// The fields that a decision is about: those of the new item, if one is made instead of what was planned.
pub fn decided_fields<'a>(change: &'a Change, decision: &Decision) -> &'a [FieldChange] {
    if makes_instead(change.outcome, decision) { &change.as_new } else { &change.fields }
}

/// The items that a change waits for, if adding them to lists of the right is all that it would do. Until one of
/// them is taken in there is nothing to carry out.
pub fn waits_only_for(change: &Change) -> Vec<NotThere> {
    let mut waits = Vec::new();
    if change.outcome != Outcome::UpdateRight {
        return waits;
    }
    for f in change.fields.iter().filter(|f| f.reason.may_be_written()) {
        let lacks = lacks_only(&f.write, f.right.as_ref().unwrap_or(&Value::Empty));
        if lacks.is_empty() {
            return Vec::new();
        }
        waits.extend(lacks);
    }
    waits
}

/// The members that are still to come to the right, if a list holds there all of what is `wanted` but these.
pub fn lacks_only(wanted: &Value, now: &Value) -> Vec<NotThere> {
    if !matches!(wanted, Value::References(_) | Value::Links(_)) {
        return Vec::new();
    }
    match resolved(wanted, &|_, _| None) {
        Ok(found) if same(&found.value, now) => found.lacking,
        _ => Vec::new(),
    }
}

/// What was written of a field: what was sent, and what the answer to that says the right holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WrittenField {
    pub sent: Value,
    pub held: Value,
}

/// What a transfer did with a change, for moving the base.
#[derive(Debug, Clone, Default)]
pub struct Written {
    /// By target.
    pub fields: BTreeMap<String, WrittenField>,
    /// Lists that were written without some of their members.
    pub lacking: Lacking,
    /// For an item that was made: what it held when it was made, in the fields that were not sent.
    pub made: Option<BaseSide>,
}

/// The base of a pair after a change was applied. It moves for what was written, to what was planned from at the left
/// and what the write's own answer holds at the right; for what is the same at both ends, to what the plan read; and
/// where a person kept what the right holds. Everything else stays as it was, so it shows again. The left half of a
/// list that was written without some of its members is without them too: the next dry run takes them for added.
/// `digests` are those of the rules, by target.
pub fn base_after(
    change: &Change,
    decision: &Decision,
    first_contact: FirstContact,
    written: &Written,
    old: &Base,
    digests: &BTreeMap<String, String>,
) -> Base {
    let fields = decided_fields(change, decision);
    let mut base = Base::default();
    let blank = Value::Empty;
    for (target, left) in &change.left_side.0 {
        let rule = digests.get(target).cloned().unwrap_or_default();
        let field = fields.iter().find(|f| f.field == *target);
        let decided = field.map(|f| decision.field(f, first_contact));
        let planned = change.right_side.0.get(target).unwrap_or(&blank);
        if let Some(done) = written.fields.get(target) {
            let from = match written.lacking.get(target) {
                Some(members) => written_from(left, members),
                None => Some(left.clone()),
            };
            match from {
                Some(from) => {
                    let made = (done.sent != done.held).then(|| done.sent.clone());
                    base.set(target, from, done.held.clone(), Agreed::new(rule, Why::Carried, made));
                }
                None => base.take(target, old),
            }
        } else if let (Some(made), None) = (&written.made, decided) {
            // Nothing was sent for it, since the left has nothing to say.
            let held = made.0.get(target).unwrap_or(&blank).clone();
            let is_blank = held.is_blank();
            let made = (!is_blank).then_some(Value::Empty);
            base.set(target, left.clone(), held, Agreed::new(rule, Why::Carried, made));
        } else if decided == Some(FieldDecision::KeepRight) {
            let made = field.map(|f| f.write.clone());
            base.set(target, left.clone(), planned.clone(), Agreed::new(rule, Why::Kept, made));
        } else {
            match change.rebased.get(target) {
                Some(Rebase::Equal) => {
                    base.set(target, left.clone(), planned.clone(), Agreed::new(rule, Why::Equal, None));
                }
                Some(Rebase::SameByAnotherRule) => {
                    base.take(target, old);
                    if let Some(agreed) = base.agreed.get_mut(target) {
                        agreed.rule = rule;
                    }
                }
                None => base.take(target, old),
            }
        }
    }
    base
}

/// Waves of changes that can be applied side by side: each wave depends only on the waves before.
/// Changes are given in plan order, where dependencies always point backwards.
pub fn waves(changes: &[(u32, Vec<u32>)]) -> Vec<Vec<u32>> {
    let mut level: BTreeMap<u32, usize> = BTreeMap::new();
    let mut out: Vec<Vec<u32>> = Vec::new();
    for (seq, depends_on) in changes {
        let at = depends_on.iter().filter_map(|d| level.get(d)).max().map_or(0, |l| l + 1);
        level.insert(*seq, at);
        if out.len() <= at {
            out.resize(at + 1, Vec::new());
        }
        out[at].push(*seq);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    const REASONS: [FieldReason; 12] = [
        FieldReason::New,
        FieldReason::LeftChanged,
        FieldReason::RightChanged,
        FieldReason::BothChanged,
        FieldReason::NoBase,
        FieldReason::TargetMoved,
        FieldReason::WaitsForOthers,
        FieldReason::RuleChanged,
        FieldReason::RuleChangedOverKept,
        FieldReason::RightUnreadable,
        FieldReason::TakenOff,
        FieldReason::PerhapsThere,
    ];

    #[test]
    fn what_a_person_may_say_of_a_field_follows_from_its_reason() {
        for reason in REASONS {
            let unasked = reason.default_decision(FirstContact::Ask);
            if reason.is_conflict() {
                assert!(reason.can_be_decided() && reason.may_be_written(), "{reason:?} asks");
                assert_eq!(unasked, FieldDecision::Leave, "{reason:?} is written only when a person says so");
            }
            if !reason.may_be_written() {
                assert_eq!(unasked, FieldDecision::Leave, "{reason:?} is never written over");
            }
        }
        let may_not = REASONS.into_iter().filter(|r| !r.may_be_written());
        let wanted = [FieldReason::RightChanged, FieldReason::RightUnreadable, FieldReason::TakenOff];
        assert_eq!(may_not.collect::<Vec<_>>(), wanted);
    }
}
