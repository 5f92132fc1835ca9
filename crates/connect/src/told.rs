//! What is told of a field that is not read exactly, whatever the system speaks.

use std::borrow::Cow;

use hovrel_core::bounds::LONGEST_ID;
use hovrel_core::keepable::without_nul;
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::model::{Artefact, Document};
use hovrel_core::text;
use hovrel_core::text::TextFormat;

use crate::ConnectError;

/// That something of a field can't be read, with what stands there.
pub(crate) fn not_readable(field: &str, what: &str, before: String) -> Loss {
    Loss {
        field: field.into(),
        kind: LossKind::Dropped,
        cause: LossCause::NotReadable { what: what.to_owned() },
        before,
        after: String::new(),
    }
}

/// Refuses an item whose id is longer than a key of a table can be. `what` is what its system calls such an item.
pub(crate) fn with_short_id(item: &Artefact, what: &str, address: &str) -> Result<(), ConnectError> {
    if item.id.len() <= LONGEST_ID {
        return Ok(());
    }
    let why = format!("a {what} has an id of {} bytes, and can have one of {LONGEST_ID}", item.id.len());
    Err(ConnectError::Malformed { address: address.to_owned(), why })
}

/// A rich text of a field, with what has no place in a document told among the losses.
pub(crate) fn rich(written: &str, format: TextFormat, field: &str, losses: &mut Vec<Loss>) -> Document {
    // A page shows nothing for NUL, and no database takes it; that it stood there is told.
    let mut plain = Cow::Borrowed(written);
    if written.contains('\0') {
        let (clean, loss) = without_nul(field, written);
        losses.push(loss);
        plain = Cow::Owned(clean);
    }
    let (document, lost) = text::read(&plain, format);
    losses.extend(lost.into_iter().map(|l| Loss {
        field: field.into(),
        kind: l.kind,
        cause: l.cause,
        before: l.about,
        after: String::new(),
    }));
    document
}

/// What stands in a field, changed so that it says `wanted` and keeps what the change does not touch; refused where that would
/// take away what is written there and Hovrel does not read.
pub(crate) fn patched(there: &str, format: TextFormat, wanted: &Document, field: &str) -> Result<String, ConnectError> {
    // Nothing is there that could be kept.
    if there.trim().is_empty() {
        return Ok(text::write(wanted, format));
    }
    text::patched(there, format, wanted).ok_or_else(|| ConnectError::Refused {
        field: field.to_owned(),
        text: "the text there holds formats that Hovrel doesn't read, in the words that are to be changed; make the change there"
            .into(),
    })
}
