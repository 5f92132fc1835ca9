//! The order in which items stand in their folder.
//!
//! Decides whether a lane carries it: where both ends number the items of a folder, a rule takes the number along. Where it
//! does not, the items stand at the other end in an order of its own, and plan and proof say so. What the order is at
//! an end is told by that number, and where there is none by the place in its list.

use super::lane::Lane;
use super::rule::Source;
use crate::model::{Artefact, POSITION, Slot, Value};

/// Whether the items of a lane stand in folders at both ends; if so, whether their order there is carried.
pub fn order_is_carried(lane: &Lane) -> Option<bool> {
    let in_folders = lane.fills().any(|f| f.target == Slot::Folder && matches!(f.source, Source::Folder));
    in_folders.then(|| lane.fills().any(|f| f.target == Slot::Position))
}

/// What items of a folder are ordered by; those without a number of their own stand behind those with one.
pub fn order_of(artefact: &Artefact) -> (i64, u32) {
    let number = match artefact.fields.get(POSITION) {
        None => 0,
        Some(Value::Integer(n)) => *n,
        Some(_) => i64::MAX,
    };
    (number, artefact.position)
}
