//! One change to one artefact, and what was found of each of its fields.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::reason::{FieldDecision, FieldReason};
use crate::agree::Accepted;
use crate::carry::FaultReason;
use crate::identity::Evidence;
use crate::law::Half;
use crate::loss::Loss;
use crate::model::{Artefact, End, Ends, Expanded, Kind, Slot, Stamp, Value, codes};

/// One change to one artefact.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Change {
    /// Place in the plan, from 0. Whatever it depends on stands before it.
    pub seq: u32,
    /// The id of its lane.
    pub lane: String,
    /// The kind of the left item.
    pub kind: Kind,
    /// The kind of the right item.
    pub right_kind: Kind,
    /// The end that it writes.
    #[serde(default = "written_before")]
    pub written: End,
    /// What is to be done.
    pub outcome: Outcome,
    /// The left item, if there is one.
    pub left: Option<Side>,
    /// The right item, if there is one.
    pub right: Option<Side>,
    /// What differs, slot by slot.
    pub fields: Vec<FieldChange>,
    /// For an adoption that waits for review: every field, should a new artefact be made instead.
    pub as_new: Vec<FieldChange>,
    /// What the left held, by the slot that each rule fills: what the rule starts from, or what the slot held where the left is
    /// written. Empty where the item is new at the left.
    pub left_side: BTreeMap<Slot, Value>,
    /// The same of the right.
    pub right_side: BTreeMap<Slot, Value>,
    /// What the written end held in everything that can be written, as fingerprints: see [`crate::agree::holdings`].
    #[serde(default, alias = "right_holds")]
    pub held: BTreeMap<String, String>,
    /// The same of the other end, where the lane writes that too: of its item as the rules take it.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub held_back: BTreeMap<String, String>,
    /// Fields whose base moves with nothing written.
    #[serde(default)]
    pub rebased: BTreeMap<Slot, Rebase>,
    /// Of these, what a rule that carries both ways makes for either end, where that is something else than it holds.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub made: BTreeMap<Slot, Ends<Option<Value>>>,
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
    /// What could not be carried exactly, of the item as a whole.
    pub losses: Vec<Loss>,
    /// Why two artefacts are taken to be one, for adoptions.
    pub evidence: Option<Evidence>,
    /// Why nothing can be written, for blocked items: target field and reason.
    pub faults: Vec<(Slot, FaultReason)>,
}

impl Change {
    /// Whether any of its fields is one of a rule that carries both ways.
    pub fn goes_both_ways(&self) -> bool {
        self.fields.iter().any(|f| f.back.is_some())
    }

    /// A change of a lane that says nothing yet.
    pub fn new(seq: u32, lane: &str, (kind, right_kind): (Kind, Kind), written: End, outcome: Outcome) -> Change {
        Change {
            seq,
            lane: lane.to_owned(),
            kind,
            right_kind,
            written,
            outcome,
            left: None,
            right: None,
            fields: Vec::new(),
            as_new: Vec::new(),
            left_side: BTreeMap::new(),
            right_side: BTreeMap::new(),
            held: BTreeMap::new(),
            held_back: BTreeMap::new(),
            rebased: BTreeMap::new(),
            made: BTreeMap::new(),
            accepted: Vec::new(),
            absence: None,
            depends_on: Vec::new(),
            after: Vec::new(),
            losses: Vec::new(),
            evidence: None,
            faults: Vec::new(),
        }
    }

    /// What an end held, by the slot that each rule fills.
    pub fn values(&self, end: End) -> &BTreeMap<Slot, Value> {
        match end {
            End::Left => &self.left_side,
            End::Right => &self.right_side,
        }
    }

    /// The artefact at an end, as it stood when the plan was made.
    pub fn side(&self, end: End) -> Option<&Side> {
        match end {
            End::Left => self.left.as_ref(),
            End::Right => self.right.as_ref(),
        }
    }

    /// The kind of the artefact at an end.
    pub fn kind_at(&self, end: End) -> Kind {
        match end {
            End::Left => self.kind,
            End::Right => self.right_kind,
        }
    }
}

/// Every plan of a version without directions writes the right.
pub(super) fn written_before() -> End {
    End::Right
}

/// An artefact as it stood at one end when the plan was made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Side {
    /// Its id in its system.
    pub id: String,
    /// What people call it.
    pub key: String,
    /// Its title.
    pub title: String,
    /// The titles of the folders above it.
    pub path: String,
    /// Its version, if its system has versions.
    pub version: Option<String>,
    /// When and by whom it was last changed.
    pub modified: Option<Stamp>,
    /// Where a person finds it.
    pub url: Option<String>,
}

impl Side {
    /// An item with the titles of the folders above it.
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
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Outcome {
    /// Will be made at this end.
    New(End),
    /// Changed at the other end; this one will be written.
    Update(End),
    /// Two that exist already become a pair.
    Adopt,
    /// Edited at this end, and the lane does not carry that to the other: kept as it is.
    Held(End),
    /// At least one field changed at both ends.
    Conflict,
    /// A value can't be transferred; the item waits.
    Blocked,
    /// Nothing to write, but the base moves: both ends came to the same value by themselves.
    InStep,
    /// Gone at this end since it was paired; nothing is removed at the other.
    Gone(End),
    /// No longer covered by the lane at this end; nothing is removed at the other.
    OutOfScope(End),
    /// One of the two can't be read.
    Unreadable,
    /// Comments or past changes were taken off at this end; nothing is removed at the other.
    TakenOff(End),
}

codes!(Outcome, "What a dry run found for an artefact, with the end that it is about.": {
    New(Left) = "new_left",
    New(Right) = "new_right",
    Update(Left) = "update_left",
    Update(Right) = "update_right",
    Adopt = "adopt",
    Held(Left) = "held_left",
    Held(Right) = "held_right",
    Conflict = "conflict",
    Blocked = "blocked",
    InStep = "in_step",
    Gone(Left) = "gone_left",
    Gone(Right) = "gone_right",
    OutOfScope(Left) = "out_of_scope_left" or "left_scope",
    OutOfScope(Right) = "out_of_scope_right",
    Unreadable = "unreadable",
    TakenOff(Left) = "taken_off_left" or "taken_off",
    TakenOff(Right) = "taken_off_right",
});

impl Outcome {
    /// Whether an item of the pair is not there any more, so that a person decides what becomes of the pair.
    pub fn is_absent(self) -> bool {
        matches!(self, Outcome::Gone(_) | Outcome::OutOfScope(_))
    }
}

/// One field of a change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FieldChange {
    /// What is filled.
    pub field: Slot,
    /// What the left holds (before conversion); none for what is new there, and for absent fields.
    pub left: Option<Value>,
    /// What will be written, as the target will hold it.
    pub write: Value,
    /// What the right holds; none for what is new there, and for absent fields.
    pub right: Option<Value>,
    /// Why it differs.
    pub reason: FieldReason,
    /// What could not be carried exactly.
    pub losses: Vec<Loss>,
    /// The same for the other end, where the rule carries both ways.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub back: Option<Returned>,
    /// What both edits make of it together, where they are in different parts.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub merge: Option<Merge>,
    /// The ends into which it can't be carried as it stands, and why.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub cannot: Vec<(End, FaultReason)>,
    /// The calls in whose place shared steps stand in what the end holds that is not written first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub expanded: Vec<Expanded>,
}

/// What a field becomes at the end that its lane does not write first.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Returned {
    /// What is filled there.
    pub field: Slot,
    /// What will be written there, as that end will hold it.
    pub write: Value,
    /// What could not be carried there exactly.
    pub losses: Vec<Loss>,
    /// By the end that is written: what the rule makes for either end of what both hold then, where that is something
    /// else. Of comments, what of those that an end held is at both ends, where that is not all.
    pub made: Ends<Ends<Option<Value>>>,
}

/// What two edits of a field, one at each end, make of it together.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Merge {
    /// What will be written into each end, as that end will hold it.
    pub write: Ends<Value>,
    /// What of these could not be carried exactly.
    pub losses: Ends<Vec<Loss>>,
    /// What the rule makes of these for either end, where that is something else.
    pub made: Ends<Option<Value>>,
    /// What is remembered while only the left is written.
    pub half: Option<Half<Value>>,
}

impl FieldChange {
    /// Of a slot, saying nothing yet.
    pub fn of(field: Slot) -> FieldChange {
        FieldChange {
            field,
            left: None,
            write: Value::Empty,
            right: None,
            reason: FieldReason::New,
            losses: Vec::new(),
            back: None,
            merge: None,
            cannot: Vec::new(),
            expanded: Vec::new(),
        }
    }

    /// The same, where the ends hold these.
    pub fn holding(self, held: Ends<Option<Value>>) -> FieldChange {
        FieldChange { left: held.left, right: held.right, ..self }
    }

    /// What it would write into an end of a lane that writes `first` first; none if it can't.
    pub fn written_into(&self, end: End, first: End) -> Option<(&Slot, &Value, &[Loss])> {
        if self.cannot.iter().any(|(refused, _)| *refused == end) {
            return None;
        }
        match (end == first, &self.back) {
            (true, _) => Some((&self.field, &self.write, &self.losses)),
            (false, back) => back.as_ref().map(|back| (&back.field, &back.write, &back.losses[..])),
        }
    }

    /// What a decision would write into an end of a lane that writes `first` first; none if that is nothing.
    pub fn decided_into(&self, decision: FieldDecision, end: End, first: End) -> Option<(&Slot, &Value, &[Loss])> {
        match (decision, &self.merge) {
            (FieldDecision::Write(into), _) if into == end => self.written_into(end, first),
            (FieldDecision::Merge, Some(merge)) => {
                let back = self.back.as_ref().filter(|_| end != first);
                Some((back.map_or(&self.field, |back| &back.field), &merge.write[end], &merge.losses[end]))
            }
            _ => None,
        }
    }

    /// What an end holds.
    pub fn held(&self, end: End) -> Option<&Value> {
        match end {
            End::Left => self.left.as_ref(),
            End::Right => self.right.as_ref(),
        }
    }
}

/// How the base of a field moves with nothing written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Rebase {
    /// Both ends hold the same.
    Equal,
    /// Another rule gives what the old one gave; what was agreed on stays.
    SameByAnotherRule,
    /// The lane was turned round, and neither end was edited since: each keeps what it holds.
    Turned,
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
