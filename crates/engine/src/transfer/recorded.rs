//! What is told of a change that was carried out: to the record, and to its conflicts.
//!
//! Decides which lines the record gets, and which conflicts are over. Knows nothing of the calls that were made.

use hovrel_core::base::Base;
use hovrel_core::conflict::{Choice, Take, take_of};
use hovrel_core::model::{End, Fingerprint, Slot, Value};
use hovrel_core::plan::{
    Change, Decision, FieldChange, FieldDecision, FieldReason, Written, WrittenField, decided_fields,
};
use hovrel_core::rules::Lane;
use hovrel_store::NewLine;
use serde_json::Value as Json;

use crate::EngineError;

/// The rules whose conflicts are carried with a change, as it is decided, with what was chosen.
pub fn settled(change: &Change, decision: &Decision, lane: &Lane) -> Result<Vec<(String, Json)>, EngineError> {
    let mut out = Vec::new();
    for field in decided_fields(change, decision).iter().filter(|f| f.reason.is_conflict()) {
        let decided = decision.field(field, lane.policies.first_contact, change.written);
        let (Some(rule), Some(take)) = (lane.rule_filling(lane.written(), &field.field), take_of(field, decided))
        else {
            continue;
        };
        let merged = field.merge.as_ref().filter(|_| take == Take::Merge);
        let merged = merged.map(|merge| merge.write[change.written].clone());
        out.push((rule.id.to_string(), serde_json::to_value(Choice { take, merged })?));
    }
    Ok(out)
}

/// What the record says of what was written at an end: each slot with what stood there, or the item that was made.
pub fn lines(
    leg: &Change,
    (whole, decision): (&Change, &Decision),
    lane: &Lane,
    written: &Written,
    base: &Base,
) -> Result<Vec<NewLine>, EngineError> {
    let end = written.end;
    let kept = |value: &Value| Ok::<_, EngineError>((Fingerprint::of(value), serde_json::to_value(value)?));
    if written.made.is_some() {
        let side = if end == End::Left { &base.left } else { &base.right };
        let after = Some((side.fingerprint(), serde_json::to_value(side)?));
        return Ok(vec![NewLine { written_end: end, slot: None, why: "made".into(), before: None, after }]);
    }
    let line = |(slot, done): (&Slot, &WrittenField)| {
        let planned = leg.fields.iter().find(|f| f.field == *slot);
        let before = planned.and_then(|f| f.held(end)).map(kept).transpose()?;
        let fills = |f: &&FieldChange| match &f.back {
            Some(back) if end != whole.written => back.field == *slot,
            _ => f.field == *slot,
        };
        let of_whole = decided_fields(whole, decision).iter().find(fills);
        let decided = of_whole.map(|f| decision.field(f, lane.policies.first_contact, whole.written));
        let why = match (decided, of_whole.map(|f| f.reason)) {
            (_, Some(FieldReason::Prevails(from))) if from != end => "policy",
            (_, Some(FieldReason::Prevails(_))) => "chosen",
            (_, Some(reason)) if reason.is_conflict() => "chosen",
            (Some(FieldDecision::Merge), _) => "merged",
            _ => "carried",
        };
        Ok(NewLine {
            written_end: end,
            slot: Some(slot.to_string()),
            why: why.into(),
            before,
            after: Some(kept(&done.held)?),
        })
    };
    written.fields.iter().map(line).collect()
}
