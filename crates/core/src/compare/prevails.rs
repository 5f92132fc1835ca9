//! Which of two edits of a slot prevails, where its lane says so.
//!
//! Decides when an edit was made by the history of its item: by the entry that tells of what stands there now, never by the
//! stamp of the item, which any other edit moves too. Which of two times is the later is decided in [`crate::law`].

use chrono::{DateTime, Utc};

use super::item::Clocks;
use crate::catalogue::KindSchema;
use crate::law::{Edited, Unsure, newest};
use crate::model::{Artefact, End, Ends, Slot, Value};
use crate::plan::FieldReason;
use crate::rules::BothEdited;

/// Why a slot that was edited at both ends is in a change: the edit of one of them prevails, or a person is asked.
pub(super) fn both_edited(
    policy: BothEdited,
    clocks: &Clocks,
    (items, kinds): (Ends<&Artefact>, Ends<&KindSchema>),
    (slots, now): (Ends<&Slot>, Ends<&Value>),
) -> FieldReason {
    let edited =
        |end: End| Edited { at: edited_at(items[end], kinds[end], slots[end], now[end]), ahead: clocks.ahead[end] };
    match policy {
        BothEdited::Ask => FieldReason::BothChanged,
        BothEdited::Wins(end) => FieldReason::Prevails(end),
        BothEdited::Newest => match newest(Ends::of(edited)) {
            Ok(end) => FieldReason::Prevails(end),
            Err(Unsure::NoTime(end)) => FieldReason::NoTime(end),
            Err(Unsure::Clock(end)) => FieldReason::ClockOff(end),
            Err(Unsure::Close) => FieldReason::SameTime,
        },
    }
}

/// When an item came to hold in a slot what it holds now; none if its history does not tell.
fn edited_at(item: &Artefact, kind: &KindSchema, slot: &Slot, now: &Value) -> Option<DateTime<Utc>> {
    let name = kind.field(slot).map(|field| field.name.as_str());
    let of_slot = item.history.iter().filter(|entry| entry.field == slot.id() || Some(entry.field.as_str()) == name);
    let last = of_slot.max_by_key(|entry| entry.stamp.at)?;
    let tells_of_it = match now {
        // An entry that tells of something else is of an edit before: of this one there is none.
        Value::Text(_) | Value::Choice(_) => last.after.trim() == now.display().trim(),
        _ => true,
    };
    last.stamp.at.filter(|_| tells_of_it).map(|at| at.with_timezone(&Utc))
}
