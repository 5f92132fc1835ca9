//! Words that pages and spreadsheets share.

use hovrel_core::mapping::{ATTACHMENTS, COMMENTS, HISTORY, LINKS, PARENT};

/// What hangs on items and is no field of theirs; any other name stays as it is.
pub fn hanging(field: &str) -> &str {
    match field {
        ATTACHMENTS => "Files",
        LINKS => "Links",
        COMMENTS => "Comments",
        HISTORY => "History",
        PARENT => "Folder",
        other => other,
    }
}

/// With a capital at its beginning.
pub fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |c| c.to_uppercase().chain(letters).collect())
}
