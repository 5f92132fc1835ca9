//! The plan: the ordered changes a dry run found, and what a person decided about them.
//!
//! Decides the order in which changes are applied (what others depend on first), what is done about
//! each, and what is left. A plan is immutable; decisions stand beside it. The same inputs give the same
//! plan, byte for byte (law 1).

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::compare::{Base, BaseSide, same};
use crate::identity::Evidence;
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
    /// A value can't be carried; the item waits.
    Blocked,
    /// Nothing to write, but the base moves: both ends came to the same value by themselves.
    InStep,
    /// The right is gone since it was paired.
    GoneRight,
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
        }
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
}

impl FieldReason {
    /// What happens unless a person says otherwise.
    pub fn default_decision(self, first_contact: FirstContact) -> FieldDecision {
        match self {
            FieldReason::New | FieldReason::LeftChanged | FieldReason::TargetMoved | FieldReason::WaitsForOthers => {
                FieldDecision::Write
            }
            FieldReason::RightChanged | FieldReason::BothChanged => FieldDecision::Leave,
            FieldReason::NoBase => match first_contact {
                FirstContact::Ask => FieldDecision::Leave,
                FirstContact::LeftWins => FieldDecision::Write,
                FirstContact::RightWins => FieldDecision::KeepRight,
            },
        }
    }

    pub fn is_conflict(self) -> bool {
        matches!(self, FieldReason::BothChanged | FieldReason::NoBase)
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
    /// For an adoption: make a new artefact instead of adopting.
    #[serde(default)]
    pub as_new: bool,
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
            Outcome::Conflict => change.fields.iter().any(|f| f.reason == FieldReason::LeftChanged),
            Outcome::InStep => true,
            Outcome::HeldRight | Outcome::Blocked | Outcome::GoneRight => false,
        };
        Decision { included, as_new: false, fields: BTreeMap::new() }
    }

    pub fn field(&self, change: &FieldChange, first_contact: FirstContact) -> FieldDecision {
        self.fields.get(&change.field).copied().unwrap_or_else(|| change.reason.default_decision(first_contact))
    }
}

/// The fields that a decision writes.
pub fn fields_to_write<'a>(
    change: &'a Change,
    decision: &Decision,
    first_contact: FirstContact,
) -> Vec<&'a FieldChange> {
    let fields = if decision.as_new { &change.as_new } else { &change.fields };
    fields.iter().filter(|f| decision.field(f, first_contact) == FieldDecision::Write).collect()
}

/// The items that a change waits for, if adding them to lists of the right is all that it would do. Until one of
/// them is taken in there is nothing to carry out.
pub fn waits_only_for(change: &Change) -> Vec<NotThere> {
    let mut waits = Vec::new();
    if change.outcome != Outcome::UpdateRight {
        return waits;
    }
    for f in change.fields.iter().filter(|f| f.reason != FieldReason::RightChanged) {
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

/// The base of a pair after a change was applied. `stored` is what the right holds now under the rules,
/// `old` the base before. A field that was left out keeps its old base, so it shows again. The left half of a list
/// that was written without some of its members is without them too: the next dry run takes them for added.
pub fn base_after(
    change: &Change,
    decision: &Decision,
    first_contact: FirstContact,
    stored: &BaseSide,
    old: &Base,
    lacking: &Lacking,
) -> Base {
    let fields = if decision.as_new { &change.as_new } else { &change.fields };
    let mut base = Base::default();
    for (target, left) in &change.left_side.0 {
        let decided = fields.iter().find(|f| f.field == *target).map(|f| decision.field(f, first_contact));
        let from = match lacking.get(target) {
            Some(members) => written_from(left, members),
            None => Some(left.clone()),
        };
        let Some(left) = from.filter(|_| decided != Some(FieldDecision::Leave)) else {
            if let (Some(l), Some(r)) = (old.left.0.get(target), old.right.0.get(target)) {
                base.left.0.insert(target.clone(), l.clone());
                base.right.0.insert(target.clone(), r.clone());
            }
            continue;
        };
        let right = stored.0.get(target).cloned().unwrap_or(Value::Empty);
        base.left.0.insert(target.clone(), left);
        base.right.0.insert(target.clone(), right);
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
