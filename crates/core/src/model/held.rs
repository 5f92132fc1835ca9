//! What an artefact holds in a slot, in a form that can be compared.

use std::borrow::Cow;

use super::artefact::{Artefact, Link};
use super::piece::with_piece_ids;
use super::value::{Reference, Value};
use crate::slot::{Slot, named};

impl Slot {
    /// What an artefact holds in it, as far as its system answered: see [`Artefact::left_out`].
    pub fn of<'v>(&self, artefact: &'v Artefact) -> Cow<'v, Value> {
        match self {
            Slot::Folder => Cow::Owned(match &artefact.parent {
                Some(id) => Value::Reference(Reference::Known(id.clone())),
                None => Value::Empty,
            }),
            Slot::Links => Cow::Owned(Value::Links(sorted(&artefact.links)).settled()),
            Slot::Files => {
                let mut files = artefact.attachments.clone();
                files.sort_by(|a, b| a.name.cmp(&b.name));
                Cow::Owned(Value::Attachments(files).settled())
            }
            Slot::Comments => {
                let mut comments = with_piece_ids(&artefact.comments);
                // A stable sort: what was said in one second stays in its order, and so does what has no time.
                comments.sort_by_key(|c| c.stamp.at);
                Cow::Owned(Value::Comments(comments).settled())
            }
            Slot::History => Cow::Owned(Value::History(with_piece_ids(&artefact.history)).settled()),
            Slot::Position | Slot::Field(_) => of_field(artefact, self.id()),
        }
    }
}

fn of_field<'v>(artefact: &'v Artefact, id: &str) -> Cow<'v, Value> {
    artefact.fields.get(id).map_or(Cow::Owned(Value::Empty), Cow::Borrowed)
}

/// What an artefact holds in the slot of this spelling: see [`Slot::of`].
pub fn slot_value<'v>(artefact: &'v Artefact, slot: &str) -> Cow<'v, Value> {
    match named(slot) {
        Some(slot) => slot.of(artefact),
        None => of_field(artefact, slot),
    }
}

/// Links in their fixed order, each once.
pub(crate) fn sorted(links: &[Link]) -> Vec<Link> {
    let mut links = links.to_vec();
    links.sort();
    links.dedup();
    links
}
