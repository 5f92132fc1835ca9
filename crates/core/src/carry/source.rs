//! The value that a rule starts from.

use std::borrow::Cow;

use crate::model::{Artefact, Comment, Document, HistoryEntry, PATH, Slot, Value, origin_mark, with_piece_ids};
use crate::rules::{Fill, Source, computed_field};

/// The value at the left that a rule starts from; none if the field is absent.
pub fn source_value<'a>(fill: &'a Fill, artefact: &'a Artefact, left_system: &str) -> Option<Cow<'a, Value>> {
    match &fill.source {
        Source::Field(field) => artefact.fields.get(field).map(Cow::Borrowed),
        Source::Constant(value) => Some(Cow::Borrowed(value)),
        Source::Computed(_) => artefact.fields.get(&computed_field(&fill.target)).map(Cow::Borrowed),
        Source::Folder => Some(Slot::Folder.of(artefact)),
        Source::Origin => Some(Cow::Owned(Value::Text(origin_mark(left_system, artefact)))),
        Source::Attachments => Some(Slot::Files.of(artefact)),
        Source::Links => Some(Slot::Links.of(artefact)),
        Source::Comments => Some(Slot::Comments.of(artefact)),
        Source::CommentsAndHistory => Some(Cow::Owned(Value::Comments(with_history(artefact)).settled())),
        Source::History => Some(Slot::History.of(artefact)),
        Source::FolderPath => artefact.fields.get(PATH).map(Cow::Borrowed),
    }
}

/// What people said of an artefact, and what was changed, in the order of time. Each has an id that no other of them has.
fn with_history(artefact: &Artefact) -> Vec<Comment> {
    let mut out = with_piece_ids(&artefact.comments);
    out.extend(with_piece_ids(&artefact.history).iter().map(as_comment));
    // A stable sort: what was said in one second stays in its order, and so does what has no time.
    out.sort_by_key(|c| c.stamp.at);
    out
}

fn as_comment(entry: &HistoryEntry) -> Comment {
    let text = match (entry.before.is_empty(), entry.after.is_empty()) {
        (true, _) => format!("{} was set to {}", entry.field, entry.after),
        (_, true) => format!("{} was cleared; it was {}", entry.field, entry.before),
        _ => format!("{} was changed from {} to {}", entry.field, entry.before, entry.after),
    };
    let id = entry.id.as_ref().map(|id| format!("past {id}"));
    Comment { id, stamp: entry.stamp.clone(), body: Document::from_text(&text) }
}
