//! Slots: the places of an artefact that a rule can read or fill.
//!
//! A slot is a field by its id, or one of the names below, for what every artefact has beside its fields. Decides what
//! an artefact holds in a slot, in a form that can be compared; nothing of rules or ends.

use std::borrow::Cow;

use super::artefact::{Artefact, Link};
use super::piece::with_piece_ids;
use super::value::{Reference, Value};

/// The slot of an artefact's folder.
pub const PARENT: &str = "@parent";

/// The slot of an artefact's place among those of its folder, as a number.
pub const POSITION: &str = "@position";

/// The slot of an artefact's files.
pub const ATTACHMENTS: &str = "@attachments";

/// The slot of an artefact's links.
pub const LINKS: &str = "@links";

/// The slot of an artefact's comments.
pub const COMMENTS: &str = "@comments";

/// The field under which the engine puts the names of an artefact's folders, outermost first, where a rule
/// asks for them.
pub const PATH: &str = "@path";

/// The slot of an artefact's history.
pub const HISTORY: &str = "@history";

/// What an artefact holds in a slot. A field that its system left out of the answer holds nothing.
pub fn slot_value<'v>(artefact: &'v Artefact, slot: &str) -> Cow<'v, Value> {
    match slot {
        PARENT => Cow::Owned(match &artefact.parent {
            Some(id) => Value::Reference(Reference::Known(id.clone())),
            None => Value::Empty,
        }),
        LINKS => Cow::Owned(Value::Links(sorted(&artefact.links)).settled()),
        ATTACHMENTS => {
            let mut files = artefact.attachments.clone();
            files.sort_by(|a, b| a.name.cmp(&b.name));
            Cow::Owned(Value::Attachments(files).settled())
        }
        COMMENTS => Cow::Owned(Value::Comments(with_piece_ids(&artefact.comments)).settled()),
        HISTORY => Cow::Owned(Value::History(with_piece_ids(&artefact.history)).settled()),
        field => artefact.fields.get(field).map_or(Cow::Owned(Value::Empty), Cow::Borrowed),
    }
}

/// Links in their fixed order, each once.
pub(crate) fn sorted(links: &[Link]) -> Vec<Link> {
    let mut links = links.to_vec();
    links.sort();
    links.dedup();
    links
}
