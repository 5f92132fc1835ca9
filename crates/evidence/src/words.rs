//! Words that pages and spreadsheets share.

use hovrel_core::model::{ATTACHMENTS, COMMENTS, HISTORY, LINKS, PARENT, POSITION};
use hovrel_core::reconcile::LaneProof;

/// What hangs on items and is no field of theirs; any other name stays as it is.
pub fn hanging(field: &str) -> &str {
    match field {
        ATTACHMENTS => "Files",
        LINKS => "Links",
        COMMENTS => "Comments",
        HISTORY => "History",
        PARENT => "Folder",
        POSITION => "Position",
        other => other,
    }
}

/// What a lane carries, and what people call it where they gave it a name.
pub fn lane_word(lane: &LaneProof) -> String {
    let kind = capital(lane.left_kind.word());
    if lane.name.is_empty() { kind } else { format!("{kind} · {}", lane.name) }
}

/// What a proof says of a lane beside its counts: how its items stand in folders, and how their files were compared.
pub fn besides(lane: &LaneProof) -> Vec<String> {
    let with_files = lane.fields.iter().any(|f| f.field == ATTACHMENTS);
    let files = with_files.then(|| hovrel_words::files_read(lane.files.as_ref()));
    lane.order.map(hovrel_words::order).into_iter().chain(files).collect()
}

/// With a capital at its beginning.
pub fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |c| c.to_uppercase().chain(letters).collect())
}
