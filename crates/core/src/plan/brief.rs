//! A change in brief: what a list of changes shows of one.
//!
//! Decides what is kept beside each change so that a page of a list costs what it shows: no value is in it. What was
//! decided is not in it either, since that goes on to change; what a list tells of both is counted here.

use serde::{Deserialize, Serialize};

use super::change::{Absence, Change, FieldChange, Outcome, Side, written_before};
use super::decision::{Decision, makes_instead};
use super::reason::{FieldDecision, FieldReason};
use crate::carry::FaultReason;
use crate::identity::Evidence;
use crate::model::{End, Kind, Slot, Value};
use crate::rules::FirstContact;

/// A change without its values.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Brief {
    /// The id of its lane.
    pub lane: String,
    /// The kind of the left item.
    pub kind: Kind,
    /// The end that it writes.
    #[serde(default = "written_before")]
    pub written: End,
    /// What is to be done.
    pub outcome: Outcome,
    /// The left item, if there is one.
    pub left: Option<Side>,
    /// The right item, if there is one.
    pub right: Option<Side>,
    /// The target fields, each with why it is there.
    pub fields: Vec<(Slot, FieldReason)>,
    /// Those of the new item, should one be made instead.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub as_new: Vec<(Slot, FieldReason)>,
    /// How many losses it has.
    pub losses: u32,
    /// Why it can't be transferred, by slot.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub faults: Vec<(Slot, FaultReason)>,
    /// Why the two are taken for counterparts; none for pairs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub evidence: Option<Evidence>,
    /// How an item of the pair is missing; none if both are there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub absence: Option<Absence>,
    /// Steps and files that would be written.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub steps: Option<u32>,
    /// How many files it carries.
    #[serde(default)]
    pub files: u32,
}

impl Brief {
    /// The short form of a change.
    pub fn of(change: &Change) -> Brief {
        let reasons = |of: &[FieldChange]| of.iter().map(|f| (f.field.clone(), f.reason)).collect();
        let count = |found: fn(&Value) -> Option<usize>| change.fields.iter().find_map(|f| found(&f.write));
        let steps = count(|v| if let Value::Steps(s) = v { Some(s.len()) } else { None });
        let files = count(|v| if let Value::Attachments(a) = v { Some(a.len()) } else { None });
        Brief {
            lane: change.lane.clone(),
            kind: change.kind,
            written: change.written,
            outcome: change.outcome,
            left: change.left.clone(),
            right: change.right.clone(),
            fields: reasons(&change.fields),
            as_new: reasons(&change.as_new),
            losses: change.losses.len() as u32,
            faults: change.faults.clone(),
            evidence: change.evidence.clone(),
            absence: change.absence,
            steps: steps.map(|n| n as u32),
            files: files.unwrap_or(0) as u32,
        }
    }

    /// How many fields a decision writes.
    pub fn fields_written(&self, decision: &Decision, first_contact: FirstContact) -> usize {
        let fields = if makes_instead(self.outcome, self.written, decision) { &self.as_new } else { &self.fields };
        let written = |(field, reason): &&(Slot, FieldReason)| {
            decision.of_field(field, *reason, first_contact, self.written).writes()
        };
        fields.iter().filter(written).count()
    }

    /// How many conflicts a decision leaves open.
    pub fn conflicts_open(&self, decision: &Decision, first_contact: FirstContact) -> usize {
        let open = |(field, reason): &&(Slot, FieldReason)| {
            reason.is_conflict()
                && decision.of_field(field, *reason, first_contact, self.written) == FieldDecision::Leave
        };
        if decision.as_new { 0 } else { self.fields.iter().filter(open).count() }
    }
}
