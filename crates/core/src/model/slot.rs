//! Slots: the places of an artefact that a rule can read or fill.
//!
//! A slot is a field by its id, or one of the names below, for what every artefact has beside its fields. Decides what
//! an artefact holds in a slot, in a form that can be compared; nothing of rules or ends.

use std::borrow::Cow;

use super::artefact::{Artefact, Link};
use super::piece::with_piece_ids;
use super::value::{Reference, Value};

/// The pseudo-field that holds an artefact's folder.
pub const PARENT: &str = "@parent";

/// The field that holds an artefact's place among those of its folder, as a number.
pub const POSITION: &str = "@position";

/// The pseudo-field that holds an artefact's files.
pub const ATTACHMENTS: &str = "@attachments";

/// The pseudo-field that holds an artefact's links.
pub const LINKS: &str = "@links";

/// The pseudo-field that holds an artefact's comments.
pub const COMMENTS: &str = "@comments";

/// The field under which the engine puts the names of an artefact's folders, outermost first, where a rule
/// asks for them.
pub const PATH: &str = "@path";

/// The pseudo-field that holds an artefact's history.
pub const HISTORY: &str = "@history";

/// The value of a right artefact under a target name, pseudo-fields included. A field the system left
/// out of its answer holds nothing.
pub fn slot_value<'v>(artefact: &'v Artefact, target: &str) -> Cow<'v, Value> {
    match target {
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

pub(crate) fn sorted(links: &[Link]) -> Vec<Link> {
    let mut links = links.to_vec();
    links.sort();
    links.dedup();
    links
}
